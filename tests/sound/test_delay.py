"""The delay: echoes on their frame, each quieter by the feedback, darker by the tone; bypass bit for bit."""

from __future__ import annotations

import numpy as np
import pytest

from felt_dial.patch.module import Effect
from felt_dial.patch.patch import with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.units import Beats
from felt_dial.sound.compiling.compiled import arrays_of, kernel_of
from felt_dial.sound.compiling.kernel import Stage
from felt_dial.sound.effects.delay import Delay
from felt_dial.sound.render import render
from felt_dial.sound.sizes import TICK
from tests.sound.listening import RATE, decibels, noise, plain
from tests.sound.test_effects import through


def impulse_response(
    delay: Delay, seconds: float, tempo: float = 120.0, left: float = 1.0, right: float = 1.0
) -> np.ndarray:
    """What the kernel makes of one impulse, without the impulse; (2, frame)."""
    frames = 256
    state = arrays_of(delay, Stage(RATE, frames))
    values = [
        p.encode(delay.get(n)) if not hasattr(p, "resolve") else p.resolve(delay.get(n), tempo)
        for n, p in delay.params.items()
    ]
    control = np.repeat(np.array(values, np.float32)[:, None], frames // TICK + 1, axis=1)
    out = []
    for block in range(round(seconds * RATE) // frames):
        audio = np.zeros((2, frames), np.float32)
        if block == 0:
            audio[0, 0], audio[1, 0] = left, right
        kernel_of(delay)(audio, control, TICK, float(RATE), *state)
        out.append(audio)
    found = np.concatenate(out, axis=1)
    found[:, 0] -= (left, right)
    return found


def test_echoes_stand_on_their_frame_and_fall_by_the_feedback() -> None:
    """Closed form: echo n at n·time, the first at `wet`, each after it `feedback` times the one before (tone open)."""
    found = impulse_response(Delay(left=0.1, right=0.25, feedback=0.5, tone=20000.0, wet=0.8), 1.0)
    for n in range(1, 8):
        assert found[0, 4800 * n] == pytest.approx(0.8 * 0.5 ** (n - 1), rel=1e-5)
    assert found[1, 12000] == pytest.approx(0.8, rel=1e-6) and found[1, 24000] == pytest.approx(0.4, rel=1e-5)
    assert np.count_nonzero(np.abs(found[0]) > 1e-6) == 9, "nothing between the echoes"


def test_a_dotted_eighth_at_96_beats_is_468_75_milliseconds() -> None:
    found = impulse_response(Delay(left=Beats(0.75), right=Beats(0.5), feedback=0.0, wet=1.0), 1.0, tempo=96.0)
    assert np.argmax(np.abs(found[0])) == round(0.75 * 60 / 96 * RATE) == 22500
    assert np.argmax(np.abs(found[1])) == 15000


def test_a_time_between_two_frames_lands_between_them() -> None:
    """The phase of a low tone is that of 1000.5 frames."""
    found = impulse_response(Delay(left=1000.5 / RATE, right=0.5, feedback=0.0, wet=1.0), 0.1)[0]
    turn = np.exp(-2j * np.pi * 1000.0 / RATE * np.arange(len(found)))
    assert -np.angle((found * turn).sum() * np.exp(2j * np.pi * 1000.0 / RATE * 1000.5)) == pytest.approx(0.0, abs=1e-3)
    assert found.sum() == pytest.approx(1.0, abs=1e-3)


@pytest.mark.parametrize("frames", [300.0, 300.25, 300.5, 300.9])
def test_no_echo_is_duller_than_the_one_before(frames: float) -> None:
    """Twelve echoes at the most feedback, tone open: each has the spectrum of the impulse within 0.05 dB up to 20 kHz."""
    delay = Delay(left=frames / RATE, right=0.5, feedback=0.98, tone=20000.0, wet=1.0, diffusion=0.0)
    found = impulse_response(delay, 0.1)[0]
    for n in (1, 4, 12):
        middle = round(n * frames)
        echo = found[middle - 140 : middle + 140]
        level = 20 * np.log10(np.abs(np.fft.rfft(echo, 4096))[20:1700] / 0.98 ** (n - 1))
        assert np.abs(level).max() < 0.05


def test_the_tone_darkens_each_echo_after_the_first() -> None:
    """One-pole low-pass in the loop: a·(1−a)^k with a = 1 − e^(−2π·tone/rate) (closed form)."""
    tone = 1000.0
    found = impulse_response(Delay(left=0.1, right=0.1, feedback=0.5, tone=tone, wet=1.0), 0.5)[0]
    assert found[4800] == pytest.approx(1.0) and found[4801] == 0.0
    a = 1 - np.exp(-2 * np.pi * tone / RATE)
    k = np.arange(200)
    assert np.allclose(found[9600:9800], 0.5 * a * (1 - a) ** k, atol=1e-5)
    assert found[9600:14000].sum() == pytest.approx(0.5, abs=1e-3), "the loop keeps what lies below the tone"


def test_ping_pong_walks_from_left_to_right() -> None:
    delay = Delay(left=0.1, right=0.2, feedback=0.5, tone=20000.0, ping_pong=True, wet=1.0)
    found = impulse_response(delay, 1.0)
    expected = [(round(s * RATE), gain, side) for s, gain, side in delay.echoes(120.0, 5)]
    for frame, gain, side in expected:
        assert found[side, frame] == pytest.approx(gain, rel=1e-5), (frame, side)
    assert [side for _, _, side in expected] == [0, 1, 0, 1, 0]
    one_sided = impulse_response(delay, 0.5, left=1.0, right=0.0)
    assert one_sided[0, 4800] == pytest.approx(0.5), "what enters is the sum of both sides, halved"


def with_delay(**values: object) -> object:
    from felt_dial.patch.edits import add_effect

    return add_effect(plain(), "1", Effect.kinds["delay"](**values))[0]


@pytest.mark.parametrize("values", [{"on": False}, {"wet": 0.0}])
def test_bypassed_or_dry_it_is_bit_equal_to_nothing(values: dict[str, object]) -> None:
    nothing = render(plain(), [Note(0, 0.5, 57)], 1.0)
    assert np.array_equal(nothing, render(with_delay(**values), [Note(0, 0.5, 57)], 1.0))  # type: ignore[arg-type]


def test_it_is_bounded_at_the_end_of_the_feedback_and_dies_away() -> None:
    patch = with_delay(left=0.001, right=0.001, feedback=0.98, tone=20000.0, wet=1.0)
    sound = render(patch, [Note(0, 0.5, 57)], 3.0)  # type: ignore[arg-type]
    assert np.isfinite(sound).all() and np.abs(sound).max() <= 2.0
    assert np.abs(sound[:, -4800:]).max() < 1e-4


def test_a_change_of_time_does_not_click() -> None:
    from felt_dial.patch.patch import slots
    from felt_dial.sound.engine.program import Program
    from felt_dial.sound.playing.events import ON, Event

    patch = with_delay(left=0.1, right=0.1, wet=1.0, feedback=0.5)
    program = Program(with_value(patch, "layers.a.source.shape", "sine"))  # type: ignore[arg-type]
    at = {slot.path: n for n, slot in enumerate(slots(program.patch))}
    out = [program.block([Event(0, ON, 57, 1.0)])[0].copy()]
    for n in range(400):
        if n == 100:
            program.values[at["racks.1.delay1.left"]] = 0.2
        out.append(program.block()[0].copy())
    assert np.abs(np.diff(np.concatenate(out))).max() < 0.1


@pytest.mark.parametrize("diffusion", [0.25, 0.5, 0.75, 1.0])
def test_a_smeared_echo_is_as_loud_as_a_clear_one(diffusion: float) -> None:
    """Noise in, the echo alone: within half a decibel of the copy."""
    sound = np.pad(noise(0.5), ((0, 0), (0, RATE // 2)))
    words = {"left": 0.6, "right": 0.6, "feedback": 0.0, "tone": 20000.0, "wet": 1.0}
    clear, smeared = (through("delay", sound, **words, diffusion=d)[:, int(0.6 * RATE) :] for d in (0.0, diffusion))
    assert decibels(float(np.std(smeared) / np.std(clear))) == pytest.approx(0.0, abs=0.5)
