"""Sample, Grains and Partials, and the listening that finds roots and partials."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray
from scipy import signal

from felt_dial.patch.edits import add_modulator, duplicate_layer, replace_module, sew
from felt_dial.patch.module import Modulator, Source
from felt_dial.patch.params import OutOfRange
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.places import in_time, read_at
from felt_dial.patch.units import Beats, NotReadable
from felt_dial.sound.engine.program import Program
from felt_dial.sound.matter import analysis, assets
from felt_dial.sound.matter.audio_file import Audio, read_audio
from felt_dial.sound.matter.root import root_of
from felt_dial.sound.playing.events import OFF, ON, Event
from felt_dial.sound.render import render
from felt_dial.sound.sources.core.travel import READY, place_at
from tests.sound.listening import RATE, amplitude_at, decibels, exact_frequency, plain, steady

T = np.arange(3 * RATE) / RATE


@pytest.fixture
def store(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("FELT_DIAL_HOME", str(tmp_path))
    assets.look_in(tmp_path)
    return tmp_path


def playing(store: Path, kind: str, sound: NDArray, made_at: float = RATE, **fields: object) -> Patch:
    """A patch that plays a recording."""
    audio = Audio(np.atleast_2d(sound).astype(np.float32), made_at)
    asset = assets.keep(store / ".assets", audio, "made")
    return replace_module(plain(), "layers.a.source", Source.kinds[kind](asset=asset, **fields))


def beside(sound: NDArray, frequency: float) -> float:
    """dB of the strongest thing that is not the sine."""
    spectrum = np.abs(np.fft.rfft(sound * signal.windows.kaiser(len(sound), 20.0, sym=False)))
    at = np.fft.rfftfreq(len(sound), 1 / RATE)
    return decibels(float(spectrum[np.abs(at - frequency) > 40].max() / spectrum.max()))


# --- sample ------------------------------------------------------------------------------------


@pytest.mark.parametrize("steps", [24, 7, -12, 12, -17, 31])
def test_a_sine_played_elsewhere_keeps_its_images_down(store: Path, steps: int) -> None:
    """1 kHz two octaves up: images ≤ −80 dB, our limit; the level stays within 0.1 dB."""
    patch = playing(store, "sample", 0.5 * np.sin(2 * np.pi * 1000 * T))
    sound = render(patch, [Note(0, 5, 60 + steps)], 0.45)[0, 2400:18784].astype(float) * 2
    frequency = 1000 * 2 ** (steps / 12)
    assert beside(sound, frequency) < -80
    assert decibels(amplitude_at(sound, frequency) / 0.5) == pytest.approx(0.0, abs=0.1)


@pytest.mark.parametrize("rate", [8000, 22050, 44100, 96000, 384000])
def test_any_rate_plays_in_tune(store: Path, rate: int) -> None:
    t = np.arange(2 * rate) / rate
    sound = steady(playing(store, "sample", 0.5 * np.sin(2 * np.pi * 700 * t), rate, root=69), 69, 65536)
    assert 1200 * np.log2(exact_frequency(sound, 700.0) / 700.0) == pytest.approx(0.0, abs=0.05)


def test_without_key_tracking_every_key_plays_it_as_recorded(store: Path) -> None:
    patch = playing(store, "sample", 0.5 * np.sin(2 * np.pi * 700 * T), track=False, root=40)
    for key in (36, 72):
        assert exact_frequency(steady(patch, key), 700.0) == pytest.approx(700.0, abs=0.05)


@pytest.mark.parametrize("loop", ["forward", "backward", "alternate"])
def test_a_loop_goes_on_without_a_click(store: Path, loop: str) -> None:
    """No jump may be steeper than the sine itself; the seam lies where its ends do not match."""
    patch = playing(
        store, "sample", 0.5 * np.sin(2 * np.pi * 441.7 * T), loop=loop, loop_start=0.113, loop_end=0.347, fade=0.2
    )
    sound = render(patch, [Note(0, 9, 60)], 8.0)[0]
    assert np.abs(sound[-4800:]).max() > 0.1
    assert np.abs(np.diff(sound)).max() < 1.15 * 0.25 * 2 * np.pi * 441.7 / RATE


@pytest.mark.parametrize("loop", ["forward", "backward", "alternate"])
@pytest.mark.parametrize("matter", ["noise", "tone", "tone apart", "both"])
def test_a_loop_keeps_its_level_at_its_seam(store: Path, loop: str, matter: str) -> None:
    """Noise, which adds by power, and tones, which add by phase, whichever they meet at: within 1.3 dB all the way."""
    noisy = 0.2 * np.random.default_rng(7).normal(size=len(T))
    offset = {"tone": 0.0, "tone apart": 0.4}.get(matter, 0.0)
    length = 0.234 * (len(T) - 1)
    f = (round(441.7 * length / RATE) + offset) * RATE / length
    tone_ = 0.5 * np.sin(2 * np.pi * f * T)
    sound = {"noise": noisy, "both": noisy + tone_}.get(matter, tone_)
    patch = playing(store, "sample", sound, loop=loop, loop_start=0.113, loop_end=0.347, fade=0.4)
    heard = render(patch, [Note(0, 9, 60)], 6.0)[0, RATE : 6 * RATE].astype(np.float64)
    pieces = 10 * np.log10(np.square(heard).reshape(-1, 2400).mean(axis=1))
    assert pieces.max() - np.median(pieces) < 1.3 and np.median(pieces) - pieces.min() < 1.3


def test_reversed_plays_the_end_first_and_start_and_end_cut(store: Path) -> None:
    ramp = np.linspace(0.0, 1.0, RATE) * np.sign(np.sin(2 * np.pi * 300 * T[:RATE]))
    forward = render(playing(store, "sample", ramp), [Note(0, 2, 60)], 1.0)[0]
    backward = render(playing(store, "sample", ramp, reverse=True), [Note(0, 2, 60)], 1.0)[0]
    loud = [float(np.abs(x[4800:9600]).mean()) for x in (forward, backward)]
    assert loud[1] > 4 * loud[0]
    cut = render(playing(store, "sample", ramp, start=0.5, end=0.75), [Note(0, 2, 60)], 1.0)[0]
    assert np.abs(cut[12000 + 64 :]).max() < 1e-3 and np.abs(cut[200:11000]).max() > 0.2


@pytest.mark.parametrize(
    ("start", "floor", "low", "high"),
    [(0.5, 0.45, 0.45, 0.9), (0.0, 0.0, 0.0, 0.4), (1.0, 0.0, 0.6, 1.0), (0.2, 0.3, 0.3, 0.6)],
)
def test_a_start_by_chance_is_anywhere_in_its_reach_but_never_before_its_floor(
    store: Path, start: float, floor: float, low: float, high: float
) -> None:
    """200 notes in ten equal parts of the reach: none is empty, and none holds a fifth of all (chance: below 1 in 10,000)."""
    patch = playing(store, "sample", np.linspace(0.01, 1, RATE), start=start, chance=0.4, floor=floor)
    program = Program(patch)
    starts = []
    for _ in range(200):
        program.block([Event(0, ON, 60, 1.0)])
        starts.append(program.layers[0].source.state.ends[program.voices.newest, 0] / (RATE - 1))
        program.block([Event(0, OFF, 60)])
    counts = np.histogram(starts, np.linspace(low, high + 1e-9, 11))[0]
    assert counts.sum() == 200 and counts.min() > 0 and counts.max() < 40


@pytest.mark.parametrize("reverse", [False, True])
@pytest.mark.parametrize("loop", ["backward", "alternate"])
def test_a_loop_that_turns_back_has_no_corner(store: Path, loop: str, reverse: bool) -> None:
    """A slope that turns back at once has the spectrum of a corner, 1/f² (Fourier series of a triangle); with a crossfade
    over a fifth of the loop the band above 3 kHz is empty."""
    patch = playing(
        store,
        "sample",
        0.4 * np.sin(2 * np.pi * 60 * T),
        loop=loop,
        loop_start=0.2,
        loop_end=0.321,
        fade=0.5,
        root=60,
        reverse=reverse,
    )
    sound = render(patch, [Note(0, 9, 60)], 6.0)[0].astype(np.float64)[9600:]
    high = signal.sosfilt(signal.butter(8, 3000.0, "high", fs=RATE, output="sos"), sound)[4800:]
    assert decibels(float(np.abs(high).max())) < -75


def test_a_one_shot_at_key_up_plays_to_its_end(store: Path) -> None:
    """The level falls to its sustain within 10 ms and would let go: the sample lasts 0.5 s all the same."""
    sound = 0.5 * np.sin(2 * np.pi * 500 * T[: RATE // 2])
    patch = playing(store, "sample", sound, one_shot=True)
    patch = with_value(with_value(patch, "layers.a.trigger", "up"), "modulators.e1.decay", 0.01)
    heard = render(patch, [Note(0, 0.1, 60)], 1.0)[0]
    assert not heard[:4700].any() and np.abs(heard[4800 + 20000 : 4800 + 23000]).max() > 0.1
    assert not heard[4800 + 25000 :].any()


def test_a_sample_that_is_slowed_down_leaves_no_standing_pressure(store: Path) -> None:
    """Half a cycle of a slow wave, ten times slower: its mean goes within a second (a high-pass at 5 Hz, here two time
    constants of 32 ms and then some)."""
    patch = playing(store, "sample", 0.4 + 0.1 * np.sin(2 * np.pi * 300 * T), loop="forward", root=100)
    sound = steady(patch, 60, 48000)
    assert abs(float(sound[24000:].mean())) < 0.004


def test_a_sample_slows_down_to_a_standstill_and_is_over(store: Path) -> None:
    """Pitch by e^(−t / slow-down): 700 Hz after so long at 257.5 Hz; a note that only waits for its end is let go."""
    patch = playing(store, "sample", 0.5 * np.sin(2 * np.pi * 700.0 * T), slow=0.5)
    sound = render(patch, [Note(0, 3, 60)], 1.2)[0].astype(np.float64)
    at = np.arange(RATE // 2 - 1200, RATE // 2 + 1200)
    phase = np.unwrap(np.angle(signal.hilbert(sound)[at]))
    assert np.diff(phase).mean() * RATE / (2 * np.pi) == pytest.approx(700.0 / np.e, rel=0.01)
    program = Program(
        with_value(with_value(patch, "layers.a.source.slow", 0.05), "layers.a.source.one_shot", True), RATE
    )
    program.block([Event(0, ON, 60, 1.0)])
    for _ in range(200):
        program.block()
    assert len(program.voices.active) == 0


def test_places_are_read_in_time_and_frames_as_well(store: Path) -> None:
    """`0.3 s`, `5 ms`, `12000 fr`, and from where it is with a sign; a crossfade counts in the loop; others read as ever."""
    patch = playing(store, "sample", np.zeros(2 * RATE), loop="forward", loop_start=0.25, loop_end=0.75)
    path = "layers.a.source."
    for name, text, value in (
        ("start", "0.3 s", 0.15),
        ("start", "300 ms", 0.15),
        ("start", "24000 fr", 0.25),
        ("loop_end", "−0.5 s", 0.5),
        ("loop_end", "+200 ms", 0.85),
        ("fade", "100 ms", 0.1),
        ("end", "50 %", 0.5),
        ("slow", "300 ms", 0.3),
        ("start", "0,5 s", 0.25),
    ):
        assert read_at(patch, path + name, text) == pytest.approx(value), text
    with pytest.raises(OutOfRange):
        read_at(patch, path + "start", "3 s")
    assert (
        in_time(patch, path + "loop_start") == "500\u2009ms, 24\u2009000\u2009fr"
        and in_time(patch, path + "slow") == ""
    )
    with pytest.raises(NotReadable):
        read_at(plain(layers__a__source__shape="sine"), "layers.a.source.width", "5 ms")


def test_a_one_shot_ignores_the_key_and_ends_with_the_sample(store: Path) -> None:
    sound = 0.5 * np.sin(2 * np.pi * 500 * T[: RATE // 2])
    patch = playing(store, "sample", sound, one_shot=True)
    heard = render(patch, [Note(0, 0.05, 60)], 1.0)[0]
    assert np.abs(heard[20000:23000]).max() > 0.1 and not heard[25000:].any()
    program = Program(patch)
    program.block([Event(0, ON, 60, 1.0), Event(16, OFF, 60)])
    for _ in range(110):
        program.block()
    assert len(program.voices.active) == 0


def test_a_one_shot_that_is_not_heard_holds_no_note(store: Path) -> None:
    """Muted, the sample never comes to its end; its notes are let go all the same."""
    patch = playing(store, "sample", 0.5 * np.sin(2 * np.pi * 500 * T), one_shot=True)
    program = Program(with_value(patch, "layers.a.mute", True))
    program.block([Event(0, ON, 60, 1.0), Event(16, OFF, 60)])
    for _ in range(120):
        program.block()
    assert len(program.voices.active) == 0


def test_the_smpl_chunk_gives_root_and_loop(tmp_path: Path) -> None:
    """Field by field as the format's text has it: unity note 57, a quarter of a semitone, loop 1000 to 2999 inclusive."""
    path = tmp_path / "looped.wav"
    soundfile.write(path, 0.5 * np.sin(2 * np.pi * 220 * T[:RATE]), RATE, subtype="PCM_16")
    import struct

    body = struct.pack("<9I", 0, 0, 20833, 57, 2**30, 0, 0, 1, 0) + struct.pack("<6I", 0, 0, 1000, 2999, 0, 0)
    data = bytearray(path.read_bytes()) + b"smpl" + struct.pack("<I", len(body)) + body
    data[4:8] = struct.pack("<I", len(data) - 8)
    path.write_bytes(bytes(data))
    audio = read_audio(path)
    assert audio.root == pytest.approx(57.25) and audio.loop == (1000, 3000)


# --- listening ---------------------------------------------------------------------------------


@pytest.mark.parametrize("key", list(range(28, 97, 4)))
def test_roots_are_found_within_ten_cents(key: int) -> None:
    sound = render(plain(), [Note(0, 2, key)], 1.5)
    found = root_of(sound, RATE).hertz
    assert found is not None and abs(1200 * np.log2(found / (440 * 2 ** ((key - 69) / 12)))) < 10


def test_noise_has_no_root() -> None:
    chance = np.random.default_rng(1).standard_normal((1, RATE)).astype(np.float32)
    assert root_of(chance, RATE).key is None


def struck(f0: float = 196.0) -> NDArray[np.float64]:
    return np.asarray(
        sum(0.3 / n * np.sin(2 * np.pi * f0 * n * T + n) * np.exp(-T * (0.5 + 0.2 * n)) for n in range(1, 24))
    )


def test_partials_give_the_recording_again(store: Path) -> None:
    """Level of harmonics 1, 2, 5, 12 at three moments, within 0.3 dB of the recording's own."""
    sound = struck()
    heard = render(playing(store, "partials", sound, root=55, life=0.0, partials=256), [Note(0, 3, 55)], 2.5)[0] * 2
    for at in (4800, 24000, 72000):
        for n in (1, 2, 5, 12):
            levels = [decibels(amplitude_at(x[at : at + 8192].astype(float), 196.0 * n)) for x in (sound, heard)]
            assert levels[1] == pytest.approx(levels[0], abs=0.3)


def test_slowed_down_a_struck_sound_keeps_its_strike_and_stands_for_ever(store: Path) -> None:
    heard = render(playing(store, "partials", struck(), root=55, slow=0.3), [Note(0, 40, 55)], 30.0)[0]
    power = [float(heard[n * RATE : (n + 1) * RATE].std()) for n in (0, 2, 15, 29)]
    assert float(heard[:2400].std()) > power[1] and min(power[1:]) > 0.5 * power[1]
    assert np.abs(np.diff(heard)).max() < 0.2


def test_stretch_shift_tilt_and_odd_even_move_partials_by_their_closed_forms(store: Path) -> None:
    base = playing(store, "partials", struck(), root=69, life=0.0, speed=0.0, position=0.05, partials=256)
    base = with_value(base, "layers.a.source.cents", 0.0)
    base = replace_module(plain(), "layers.a.source", Source.kinds["partials"](life=0.0, drawn=(1.0, 0.5, 0.25, 0.25)))
    at = {h: amplitude_at(steady(base, 57), 220.0 * h) for h in (1, 2, 3, 4)}
    stretched = steady(with_value(base, "layers.a.source.stretch", 0.1), 57)
    assert decibels(amplitude_at(stretched, 220.0 * 3**1.1) / at[3]) == pytest.approx(0, abs=0.1)
    shifted = steady(with_value(base, "layers.a.source.shift", 0.3), 57)
    assert decibels(amplitude_at(shifted, 220.0 * 2.3) / at[2]) == pytest.approx(0, abs=0.1)
    tilted = steady(with_value(base, "layers.a.source.tilt", -6.0), 57)
    assert decibels(amplitude_at(tilted, 880.0) / at[4]) == pytest.approx(-12.0, abs=0.1)
    odd = steady(with_value(base, "layers.a.source.odd_even", -1.0), 57)
    assert amplitude_at(odd, 440.0) < 1e-4 and decibels(amplitude_at(odd, 660.0) / at[3]) == pytest.approx(0, abs=0.1)


def rung(prime: float, lead: float = 0.0) -> NDArray[np.float32]:
    """A bell with the partials of one (T. D. Rossing, Science of Percussion Instruments, 2000; from memory), struck at `lead`."""
    t = np.arange(2 * RATE) / RATE
    random, wave = np.random.default_rng(3), np.zeros(2 * RATE)
    for ratio, level, fall in (
        (0.5, 0.5, 0.8),
        (1.0, 0.8, 1.1),
        (1.2, 0.7, 1.3),
        (1.5, 0.35, 1.7),
        (2.0, 1.0, 2.0),
        (2.67, 0.5, 3.3),
        (3.01, 0.35, 4.0),
        (4.1, 0.4, 6.7),
        (5.4, 0.3, 10.0),
        (6.8, 0.2, 16.0),
    ):
        wave += level * np.exp(-fall * t) * np.sin(2 * np.pi * prime * ratio * t + random.uniform(0, 6.28))
    struck_ = np.concatenate([np.zeros(int(lead * RATE)), 0.15 * wave * np.minimum(t / 0.001, 1.0)])
    return np.tile(struck_, (2, 1)).astype(np.float32)


@pytest.mark.parametrize("prime", [220.0, 440.0, 700.0])
def test_a_bell_is_heard_at_its_strike_note(prime: float) -> None:
    """Not at the pitch two octaves below that its partials nearly share, where nothing sounds."""
    assert root_of(rung(prime), RATE).hertz == pytest.approx(prime, rel=0.006)


@pytest.mark.parametrize("root", [69, 45])
@pytest.mark.parametrize("lead", [0.0, 0.07])
def test_a_struck_sound_keeps_its_strike_whatever_root_is_typed(store: Path, root: int, lead: float) -> None:
    """Rebuilt from partials it is as loud as it was in each of its first five hundredths of a second, within 3 dB."""
    sound = rung(440.0, lead)
    patch = playing(store, "partials", sound, root=root, life=0.0, partials=256)
    again = render(patch, [Note(0, 3, root)], 2.0)[0].astype(np.float64) * 2
    begin = int(lead * RATE)
    for n in range(5):
        here = slice(begin + n * 480, begin + (n + 1) * 480)
        assert decibels(float(np.std(again[here]) / np.std(sound[0, here]))) == pytest.approx(0.0, abs=3.0), n
    for at in (0.2, 0.6, 1.2):
        here = slice(begin + int(at * RATE), begin + int((at + 0.1) * RATE))
        assert decibels(float(np.std(again[here]) / np.std(sound[0, here]))) == pytest.approx(0.0, abs=1.0), at


def test_few_partials_are_the_strongest_not_the_lowest(store: Path) -> None:
    """Three sines of a recording whose loudest lie high: those three are left."""
    t = np.arange(RATE) / RATE
    wave = sum(
        a * np.sin(2 * np.pi * f * t)
        for f, a in ((200, 0.02), (300, 0.03), (410, 0.02), (1500, 0.3), (2300, 0.2), (3700, 0.25))
    )
    patch = playing(store, "partials", np.tile(wave, (2, 1)).astype(np.float32), root=69, life=0.0, partials=3)
    heard = render(patch, [Note(0, 1, 69)], 0.8)[0, RATE // 4 :].astype(np.float64)
    for f, there in ((200, False), (300, False), (410, False), (1500, True), (2300, True), (3700, True)):
        assert (amplitude_at(heard, float(f)) > 0.02) == there, f


def test_formants_leave_the_outermost_partials_alone() -> None:
    """The colour is flat beyond the lowest and the highest partial: neither goes away, and none comes up to the first."""
    drawn = tuple(1.0 / n for n in range(1, 17))
    base = replace_module(plain(), "layers.a.source", Source.kinds["partials"](life=0.0, drawn=drawn))
    plain_sound = steady(base, 57)
    for semitones in (-24.0, -12.0, -5.0, 5.0, 12.0, 24.0):
        moved = steady(with_value(base, "layers.a.source.formant", semitones), 57)
        change = [
            decibels(amplitude_at(moved, 220.0 * n) / amplitude_at(plain_sound, 220.0 * n)) for n in (1, 2, 4, 8, 16)
        ]
        octaves = semitones / 12
        place = np.log2([1.0, 2.0, 4.0, 8.0, 16.0])
        exact = -20 * np.log10(2) * (np.clip(place - octaves, 0, 4) - place)
        assert np.abs(np.array(change) - exact).max() < 1.5, semitones


def test_an_analysis_is_kept_by_content_and_can_be_stopped(store: Path) -> None:
    patch = playing(store, "partials", struck(), root=55)
    asset = patch.layers["a"].source.asset  # type: ignore[attr-defined]
    with pytest.raises(analysis.Stopped):
        analysis.analyse(asset, 196.0, lambda part: part < 0.3)
    assert not analysis.is_known(asset, 196.0)
    first = analysis.analyse(asset, 196.0)
    kept = analysis.known_tracks(asset, 196.0)
    assert kept is not None and all(np.array_equal(a, b) for a, b in zip(first, kept, strict=True))


@pytest.mark.parametrize("harm", ["half", "empty", "junk", "flipped", "missing", "shapes"])
def test_a_damaged_analysis_is_put_away_and_made_again(store: Path, harm: str) -> None:
    asset = playing(store, "partials", struck()[:9600], root=55).layers["a"].source.asset  # type: ignore[attr-defined]
    first = analysis.analyse(asset, 196.0)
    (place,) = analysis.cache_folder().glob("*.npz")
    good = place.read_bytes()
    flipped = bytearray(good)
    flipped[len(good) // 2] ^= 0xFF
    kept = {"half": good[: len(good) // 2], "empty": b"", "junk": b"abc" * 99, "flipped": bytes(flipped)}
    if harm in kept:
        place.write_bytes(kept[harm])
    elif harm == "missing":
        np.savez(place, octaves=first.octaves)
    else:
        np.savez(place, **dict.fromkeys(analysis.Tracks._fields, np.zeros(3, np.float32)))
    assert analysis.known_tracks(asset, 196.0) is None and not analysis.is_known(asset, 196.0)
    again = analysis.analyse(asset, 196.0)
    assert all(np.array_equal(a, b) for a, b in zip(first, again, strict=True)) and analysis.is_known(asset, 196.0)


# --- grains ------------------------------------------------------------------------------------


@pytest.mark.parametrize("key", [48, 60, 67, 84])
def test_grains_stay_in_tune_to_a_cent(store: Path, key: int) -> None:
    """One grain at a time, whole and unthrown: its frequency is the sine's, moved by the key."""
    patch = playing(store, "grains", 0.5 * np.sin(2 * np.pi * 1000 * T), size=2.0, rate=0.1, by_place=0.0, by_pan=0.0)
    sound = render(patch, [Note(0, 3, key)], 1.8)[0, 9600:75136].astype(float)
    expected = 1000 * 2 ** ((key - 60) / 12)
    assert abs(1200 * np.log2(exact_frequency(sound, expected) / expected)) < 1.0


def test_pitch_follows_the_key_and_time_does_not(store: Path) -> None:
    """A recording that is silent in its second half falls silent after as long, whatever the key."""
    sound = 0.5 * np.sin(2 * np.pi * 600 * T[:RATE]) * (T[:RATE] < 0.5)
    for key in (48, 60, 72):
        heard = render(playing(store, "grains", sound, size=0.04, by_place=0.0, rate=80.0), [Note(0, 2, key)], 0.9)[0]
        ends = np.flatnonzero(np.abs(heard) > 0.01)[-1] / RATE
        assert ends == pytest.approx(0.5, abs=0.06)


@pytest.mark.parametrize(
    ("fields", "after"),
    [
        ({"speed": 2.0}, 0.25),
        ({"scan": "passes", "passes": 4.0}, 0.125),
        ({"scan": "passes", "passes": Beats(1.0)}, 0.25),
        ({"scan": "travel", "length": 0.4}, 0.2),
        ({"scan": "travel", "length": Beats(1.0)}, 0.25),
    ],
)
def test_the_cloud_moves_as_fast_as_it_says(store: Path, fields: dict[str, object], after: float) -> None:
    sound = 0.5 * np.sin(2 * np.pi * 600 * T[:RATE]) * (T[:RATE] < 0.5)
    patch = playing(store, "grains", sound, size=0.02, by_place=0.0, rate=150.0, **fields)
    heard = render(patch, [Note(0, 2, 60)], after * 1.6)[0]
    assert np.flatnonzero(np.abs(heard) > 0.02)[-1] / RATE == pytest.approx(after, abs=0.03)


def test_frozen_grains_sound_for_ever_at_one_place(store: Path) -> None:
    patch = playing(store, "grains", struck(), speed=0.0, position=0.1, dense="count", count=8.0, size=0.2)
    heard = render(patch, [Note(0, 30, 60)], 12.0)[0]
    assert heard[-RATE:].std() == pytest.approx(float(heard[RATE : 2 * RATE].std()), rel=0.3)


def test_never_more_grains_than_the_patch_allows(store: Path) -> None:
    patch = playing(store, "grains", struck(), dense="count", count=64.0, size=0.4)
    program = Program(with_value(patch, "grains", 50))
    program.block([Event(0, ON, 50 + n, 0.8) for n in range(6)])
    for _ in range(60):
        program.block()
        assert program.grains[2] <= 50
    assert program.grains[2] > 40


def crowded(store: Path, most: int) -> tuple[NDArray[np.float64], Program]:
    """Eight notes that ask for 332 grains together, over noise: both sides, after a second, and what they ran in."""
    patch = playing(
        store,
        "grains",
        0.3 * np.random.default_rng(5).standard_normal((2, RATE * 3)),
        rate=105.0,
        size=0.395,
        by_place=0.5,
        speed=0.0,
        position=0.4,
        track=False,
    )
    program = Program(with_value(with_value(patch, "layers.a.level", -24.0), "grains", most))
    blocks = [
        program.block([Event(0, ON, 48.0 + n, 1.0) for n in range(8)] if k == 0 else []).copy() for k in range(750)
    ]
    return np.concatenate(blocks, axis=1)[:, RATE:].astype(np.float64), program


def test_full_grains_lose_what_they_say_and_no_more_is_lost_by_default(store: Path) -> None:
    """Grains of noise add up by power: so many fewer are so many decibels softer."""
    free, plenty = crowded(store, Patch.params["grains"].default)
    full, short = crowded(store, 128)
    assert plenty.layers[0].falls_short() == 0.0
    assert short.layers[0].falls_short() == pytest.approx(10 * np.log10(8 * 105 * 0.395 / 128), abs=0.3)
    lost = 10 * np.log10(np.mean(free**2) / np.mean(full**2))
    assert lost == pytest.approx(short.layers[0].falls_short(), abs=1.0)

    def waver(sound: NDArray[np.float64]) -> float:
        levels = 10 * np.log10(np.mean(sound[0, : len(sound[0]) // 9600 * 9600].reshape(-1, 9600) ** 2, axis=1))
        return float(np.std(levels))

    assert waver(full) < waver(free) + 0.5


def test_layers_share_the_grains_through_notes_that_come_and_go(store: Path) -> None:
    """Two clouds, notes struck again, let go and silent: what is counted is what sounds, and never more than is allowed."""
    patch = playing(store, "grains", struck(), dense="count", count=24.0, size=0.3)
    patch = with_value(duplicate_layer(patch, "a")[0], "grains", 60)
    program = Program(with_value(patch, "voices", 4))
    lots, most = np.random.default_rng(8), 0.0
    for block in range(900):
        events = []
        if block % 200 == 150:  # all ends, and nothing runs for a while
            events = [Event(0, OFF, float(key), 0.0) for key in range(48, 54)]
        elif block % 200 < 150 and (block % 200 == 0 or lots.random() < 0.1):
            keys = 48.0 + lots.permutation(6)[:3]
            events = [Event(0, OFF, keys[0], 0.0), *(Event(48, ON, key, 1.0) for key in keys)]
        program.block(events)
        sounding = [layer for layer in program.layers if len(layer.rows)]
        left = sum(int((one.source.state.alive - one.source.state.going)[one.rows].sum()) for one in sounding)
        assert program.grains[2] == left <= 60, block
        assert not sounding or program.grains[0] == left, block
        most = max(most, left)
    assert most > 50


def test_a_cap_that_is_raised_is_heard_at_once(store: Path) -> None:
    """What waits for room does not wait for the room that there was: a tenth of a second later there are many."""
    patch = playing(store, "grains", struck(), rate=400.0, size=1.0, by_place=0.3)
    program = Program(with_value(patch, "grains", 8))
    program.block([Event(0, ON, 50.0 + n, 1.0) for n in range(8)])
    for _ in range(100):
        program.block()
    assert program.grains[2] == 8
    assert program.layers[0].falls_short() == pytest.approx(10 * np.log10(8 * 400 / 8))
    program.values[program.at["grains"]] = 2048
    for _ in range(round(0.1 * RATE / program.frames)):
        program.block()
    assert program.grains[2] > 150
    assert program.layers[0].falls_short() == pytest.approx(10 * np.log10(8 * 400 / 2048))


def test_a_grain_that_gives_way_fades(store: Path) -> None:
    """A low tone in grains: whatever is heard far above it comes from edges."""
    tone = 0.5 * np.sin(2 * np.pi * 100 * np.arange(RATE * 2) / RATE)
    patch = playing(
        store, "grains", tone, rate=60.0, size=0.4, by_place=0.3, speed=0.0, position=0.5, by_pan=0.0, track=False
    )
    for most in (8, 16, 100):
        sound = render(with_value(patch, "grains", most), [Note(0.1 * n, 4, 60 + n) for n in range(12)], 3.0)[0].astype(
            np.float64
        )
        spectrum = np.abs(np.fft.rfft(sound * signal.windows.kaiser(len(sound), 20.0, sym=False)))
        at = np.fft.rfftfreq(len(sound), 1 / RATE)
        assert decibels(float(spectrum[at > 4000].max() / spectrum.max())) < -80


def test_ready_travel_curves_do_what_they_are_called() -> None:
    time = np.linspace(0, 1, 401)
    assert np.allclose(place_at(READY["Straight"], time), time)
    assert place_at(READY["There and back"], np.array([0.0, 0.25, 0.5, 0.75, 1.0])) == pytest.approx(
        [0, 0.5, 1, 0.5, 0]
    )
    for name, passes in (("Twice", 2), ("Four times", 4)):
        assert np.count_nonzero(np.diff(place_at(READY[name], time)) < -0.5) == passes - 1
    slow = np.diff(place_at(READY["Slow to a standstill"], time))
    assert (np.diff(slow) < 1e-12).all() and slow[-1] < 0.05 * slow[0]


@pytest.mark.parametrize("name", sorted(READY))
def test_a_cloud_that_comes_to_the_end_of_its_travel_still_sounds(store: Path, name: str) -> None:
    """The curve ends at the end of the recording: the last grain begins one grain before it, and the cloud stands there."""
    patch = playing(
        store, "grains", 0.5 * np.sin(2 * np.pi * 500 * T), scan="travel", curve=READY[name], length=1.0, by_pan=0.0
    )
    sound = render(patch, [Note(0, 9, 60)], 4.0)[0]
    early, late = (float(np.sqrt(np.square(part).mean())) for part in (sound[4800:24000], sound[-RATE:]))
    assert decibels(late / early) > -1.5


def test_grains_thrown_by_chance_stay_in_the_loop(store: Path) -> None:
    """Only the middle fifth of the recording sounds: nothing of the tones beside it is heard (below −60 dB)."""
    parts = [np.sin(2 * np.pi * hertz * T[: len(T) // 5]) for hertz in (300.0, 300.0, 1000.0, 3000.0, 3000.0)]
    patch = playing(
        store,
        "grains",
        0.4 * np.concatenate(parts),
        position=0.5,
        speed=0.0,
        by_place=1.0,
        loop_start=0.42,
        loop_end=0.55,
        size=0.05,
        by_pan=0.0,
    )
    sound = steady(patch, 60, 65536)
    inside = amplitude_at(sound, 1000.0)
    assert max(decibels(amplitude_at(sound, hertz) / inside) for hertz in (300.0, 3000.0)) < -40


# --- a loop that moves ---------------------------------------------------------------------------


@pytest.mark.parametrize("mode", ["forward", "alternate", "backward"])
@pytest.mark.parametrize("target", ["loop_start", "loop_end"])
@pytest.mark.parametrize(("depth", "shape"), [(0.05, "sine"), (0.05, "square"), (0.2, "square")])
def test_a_loop_that_is_moved_makes_no_step(store: Path, mode: str, target: str, depth: float, shape: str) -> None:
    """A low tone whose loop an LFO moves: above 6 kHz, where it has nothing, nothing is heard in pieces of 64 frames."""
    patch = playing(
        store, "sample", 0.5 * np.sin(2 * np.pi * 110 * T), root=45, loop=mode, loop_start=0.3, loop_end=0.5
    )
    patch, mover = add_modulator(patch, Modulator.kinds["lfo"](rate=3.0, shape=shape))
    patch = sew(patch, mover, f"layers.a.source.{target}", depth)[0]
    sound = render(patch, [Note(0, 8, 45)], 4.0)[0].astype(np.float64)
    high = signal.sosfilt(signal.butter(8, 6000, "high", fs=RATE, output="sos"), sound)[RATE // 10 :]
    pieces = np.sqrt(np.square(high[: len(high) // 64 * 64]).reshape(-1, 64).mean(axis=1))
    assert decibels(float(pieces.max())) < -95.0
    assert np.sqrt(np.mean(np.square(sound[-RATE:]))) > 0.05, "it goes on"


def test_a_loop_goes_where_it_is_dragged(store: Path) -> None:
    """Two tones in one recording: the loop is set into the other half, and that is what is heard from then on.

    The last loop is of 160 frames, so that what it holds becomes harmonics of 300 Hz, of which 600 is the nearest.
    """
    half = np.arange(RATE) / RATE
    both = 0.5 * np.concatenate([np.sin(2 * np.pi * 220 * half), np.sin(2 * np.pi * 660 * half)])
    patch = playing(store, "sample", both, root=57, loop="forward", loop_start=0.1, loop_end=0.4)
    program = Program(patch, float(RATE))
    program.block([Event(0, ON, 57, 1.0)])
    for _ in range(40):
        program.block()
    for low, high, tone in ((0.6, 0.9, 660.0), (0.2, 0.3, 220.0), (0.7, 0.7 + 160 / (2 * RATE), 600.0)):
        program.values[program.at["layers.a.source.loop_start"]] = low
        program.values[program.at["layers.a.source.loop_end"]] = high
        for _ in range(400):  # a loop that lies ahead is reached by playing on
            program.block()
        sound = np.concatenate([program.block()[0].copy() for _ in range(64)]).astype(np.float64)
        assert decibels(amplitude_at(sound, tone) / amplitude_at(sound, 880.0 - tone)) > 20, tone
