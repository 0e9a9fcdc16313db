"""What can be done to a recording: each step is a name and figures, and gives another recording."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError
from felt_dial.patch.asset import Asset
from felt_dial.patch.units import number
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import SHORTEST
from felt_dial.workshop.recording.choice import chosen_part
from felt_dial.workshop.recording.splice import splice
from felt_dial.workshop.recording.split import split

Sound = NDArray[np.float32]
Figures = Mapping[str, Any]
Watch = Callable[[float], bool]
SMOOTH = 0.002
"""Seconds over which the two sides of a cut fade into each other."""


class CannotDo(FeltDialError):
    """A step that cannot be done to this recording; it stays as it is."""


class Kind(NamedTuple):
    """One kind of step: the words for one with these figures, and how it is done."""

    says: Callable[[Figures], str]
    act: Callable[[Sound, float, Figures, Watch], Sound | tuple[Sound, float]]


def _where(figures: Figures) -> str:
    return f"{number(figures['first_s'], 3)} … {number(figures['last_s'], 3)} s" if "first_s" in figures else "all"


def _span(sound: Sound, rate: float, figures: Figures) -> tuple[int, int]:
    """The frames of a region in seconds; all of it without one."""
    frames = sound.shape[1]
    first = round(float(figures.get("first_s", 0.0)) * rate)
    last = round(float(figures.get("last_s", frames / rate)) * rate)
    return min(max(first, 0), frames), min(max(last, 0), frames)


def _trim(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    first, last = _span(sound, rate, figures)
    if last - first < SHORTEST:
        raise CannotDo(f"A recording keeps at least {SHORTEST} frames; nothing was cut.")
    return sound[:, first:last]


def _cut(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    first, last = _span(sound, rate, figures)
    if sound.shape[1] - (last - first) < SHORTEST:
        raise CannotDo("That is all of it; nothing was cut.")
    fade = min(int(SMOOTH * rate), first, sound.shape[1] - last)
    if fade < 2:
        return np.concatenate([sound[:, :first], sound[:, last:]], axis=1)
    part = np.linspace(0.0, 1.0, fade, dtype=np.float32)
    seam = sound[:, first - fade : first] * (1 - part) + sound[:, last - fade : last] * part
    return np.concatenate([sound[:, : first - fade], seam, sound[:, last:]], axis=1)


def fade_curve(part: NDArray[np.float64], bend: float) -> NDArray[np.float64]:
    """Gain of a fade in at parts of it from 0 to 1: straight at 0, slow at first above it, quick at first below."""
    return np.asarray(part ** (2.0 ** (3.0 * bend)))


def _fade(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    first, last = _span(sound, rate, figures)
    part = np.linspace(0.0, 1.0, max(last - first, 1), dtype=np.float64)
    curve = fade_curve(part, float(figures.get("bend", 0.0)))
    made = sound.copy()
    if figures["way"] == "in":
        made[:, first:last] *= curve.astype(np.float32)
        made[:, :first] = 0.0
    else:
        made[:, first:last] *= curve[::-1].astype(np.float32)
        made[:, last:] = 0.0
    return made


def _on_region(sound: Sound, rate: float, figures: Figures, act: Callable[[Sound], Sound]) -> Sound:
    """Something done to a region, its sides faded over 2 ms."""
    first, last = _span(sound, rate, figures)
    made = sound.copy()
    before, after = sound[:, first:last], act(sound[:, first:last])
    gate = np.ones(last - first, np.float32)
    fade = min(int(SMOOTH * rate), (last - first) // 2)
    if fade > 1:
        ramp = np.linspace(0.0, 1.0, fade, dtype=np.float32)
        if first > 0:
            gate[:fade] = ramp
        if last < sound.shape[1]:
            gate[-fade:] = ramp[::-1]
    made[:, first:last] = before * (1 - gate) + after * gate
    return made


def _gain(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    much = np.float32(10.0 ** (float(figures["db"]) / 20.0))
    return _on_region(sound, rate, figures, lambda part: part * much)


def _normalise(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    first, last = _span(sound, rate, figures)
    top = float(np.abs(sound[:, first:last]).max(initial=0.0))
    if top < 1e-7:
        raise CannotDo("There is only silence; nothing was made louder.")
    much = np.float32(10.0 ** (float(figures.get("db", -0.3)) / 20.0) / top)
    return _on_region(sound, rate, figures, lambda part: part * much)


def _reverse(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    return _on_region(sound, rate, figures, lambda part: part[:, ::-1])


def _silence(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    return _on_region(sound, rate, figures, np.zeros_like)


def _stretch(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    """Time and pitch apart: the pitch by resampling, which is exact, the length by the stretcher of `python-stretch`."""
    import python_stretch
    import soxr

    time, pitch = float(figures.get("time", 1.0)), float(figures.get("pitch", 0.0))
    if not 0.05 <= time <= 20.0 or not -48.0 <= pitch <= 48.0:
        raise CannotDo("A recording is stretched to a twentieth … twenty times, by up to four octaves.")
    frames, ratio = round(sound.shape[1] * time), 2.0 ** (pitch / 12.0)
    if pitch:
        sound = np.ascontiguousarray(soxr.resample(sound.T, rate * ratio, rate, quality="VHQ").T, np.float32)
    made = python_stretch.Signalsmith.Stretch()
    made.preset(sound.shape[0], rate)
    made.timeFactor = 1.0 / (time * ratio)
    found = np.ascontiguousarray(made.process(np.ascontiguousarray(sound, np.float32)), np.float32)
    return found[:, :frames] if found.shape[1] >= frames else np.pad(found, ((0, 0), (0, frames - found.shape[1])))


def _resample(sound: Sound, rate: float, figures: Figures, watch: Watch) -> tuple[Sound, float]:
    import soxr

    wanted = float(figures["rate"])
    if not 8000 <= wanted <= 384000:
        raise CannotDo("A rate is 8 kHz … 384 kHz.")
    return np.ascontiguousarray(soxr.resample(sound.T, rate, wanted, quality="VHQ").T, np.float32), wanted


def _mono(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    return np.asarray(sound.mean(axis=0, keepdims=True), np.float32)


def _stereo(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    return np.repeat(sound[:1], 2, axis=0) if len(sound) == 1 else sound


def _no_dc(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    return np.asarray(sound - sound.mean(axis=1, keepdims=True), np.float32)


def _choose(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    part = chosen_part(sound, rate, figures["shapes"], float(figures["soft_s"]), float(figures["soft_octaves"]))
    return part if figures["way"] == "keep" else sound - part


def _part(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    found: Sound = getattr(split(sound, rate, float(figures.get("strength", 0.5)), watch), figures["part"])
    return found


def other_of(figures: Figures) -> Asset:
    """The recording that a step joins on."""
    return Asset.model_validate(figures["other"])


def _splice(sound: Sound, rate: float, figures: Figures, watch: Watch) -> Sound:
    other = other_of(figures)
    second = assets.load(other)
    if second is None:
        raise CannotDo(f"{other.about()} is missing, or damaged; nothing was joined.")
    if other.rate != rate:
        import soxr

        second = np.ascontiguousarray(soxr.resample(second.T, other.rate, rate, quality="VHQ").T, np.float32)
    shape, match, align = figures.get("shape", "power"), bool(figures.get("match")), bool(figures.get("align"))
    first, then = (sound, second) if figures.get("place", "after") == "after" else (second, sound)
    return splice(first, then, rate, float(figures["overlap"]), shape, match, align).sound


def _turns(figures: Figures) -> str:
    words = []
    if figures.get("time", 1.0) != 1.0:
        words.append(f"{number(100 * figures['time'], 0)} % long")
    if figures.get("pitch", 0.0):
        words.append(f"{number(figures['pitch'], 2, signed=True)} st")
    return "stretched: " + (", ".join(words) or "as it is")


PARTS = {"tones": "tones", "noise": "noise", "strikes": "strikes"}
KINDS: dict[str, Kind] = {
    "trim": Kind(lambda f: f"trimmed to {_where(f)}", _trim),
    "cut": Kind(lambda f: f"cut out {_where(f)}", _cut),
    "fade": Kind(lambda f: f"faded {f['way']} over {_where(f)}", _fade),
    "gain": Kind(lambda f: f"{number(f['db'], 1, signed=True)} dB, {_where(f)}", _gain),
    "normalise": Kind(lambda f: f"normalised to {number(f.get('db', -0.3), 1)} dB, {_where(f)}", _normalise),
    "reverse": Kind(lambda f: f"reversed, {_where(f)}", _reverse),
    "silence": Kind(lambda f: f"silenced, {_where(f)}", _silence),
    "stretch": Kind(_turns, _stretch),
    "resample": Kind(lambda f: f"resampled to {f['rate'] / 1000:g} kHz", _resample),
    "mono": Kind(lambda f: "made mono", _mono),
    "stereo": Kind(lambda f: "made stereo", _stereo),
    "dc": Kind(lambda f: "DC removed", _no_dc),
    "choose": Kind(lambda f: "only what was chosen" if f["way"] == "keep" else "without what was chosen", _choose),
    "part": Kind(lambda f: f"only its {PARTS[f['part']]}", _part),
    "splice": Kind(
        lambda f: f"joined with {other_of(f).name or 'another'}, {number(1000 * f['overlap'], 0)} ms", _splice
    ),
}
"""Every kind of step."""
