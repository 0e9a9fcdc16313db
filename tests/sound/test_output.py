"""Racks, ways between rates, what is late, and what is only for the listener."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.live.engine.monitor import Monitor
from felt_dial.patch.edits import add_effect, add_layer, add_modulator, sew
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.patch import Patch, sounding, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.program import Program
from felt_dial.sound.engine.rates import Down, Finer, Pad, Up
from felt_dial.sound.loudness import LoudnessMeter
from felt_dial.sound.modules import new_layer
from felt_dial.sound.playing.events import ON, Event
from felt_dial.sound.render import render
from felt_dial.sound.sizes import BLOCK, QUALITIES
from felt_dial.sound.spectra import period
from tests.sound.listening import RATE, amplitude_at, decibels, plain, tone
from tests.sound.walking import walked

Sound = NDArray[np.float64]


def blocks(sound: Sound, work: object) -> Sound:
    """A sound (channel, frame) through something that works on blocks in place."""
    out = []
    for at in range(0, sound.shape[1] - BLOCK + 1, BLOCK):
        block = sound[:, at : at + BLOCK].astype(np.float32).copy()
        work(block)  # type: ignore[operator]
        out.append(block.astype(np.float64))
    return np.concatenate(out, axis=1)


# --- rates -------------------------------------------------------------------------------------


@pytest.mark.parametrize("quality", [2, 4, 8])
def test_up_and_down_again_is_the_same_sound_a_whole_number_of_frames_late(quality: int) -> None:
    """Linear-phase half-bands (Kaiser): flat to 0.01 dB up to 18 kHz, and late by exactly what is said."""
    finer = Finer(BLOCK, quality)

    def work(block: NDArray[np.float32]) -> None:
        walked(lambda plan: finer.lift(plan, block))
        walked(lambda plan: finer.drop(plan, block))

    for frequency in (100.0, 5000.0, 15000.0, 18000.0):
        sound = tone(frequency)
        out = blocks(sound, work)
        late = out[:, finer.late + 4096 :]
        assert np.abs(late - sound[:, 4096 : 4096 + late.shape[1]]).max() < 3e-4, frequency


@pytest.mark.parametrize("quality", [2, 4])
def test_a_way_up_makes_no_images(quality: int) -> None:
    """A tone of 5 kHz at the finer rate: everything else at least 100 dB below."""
    up, out = Up(BLOCK, quality), []
    for at in range(0, 64 * BLOCK, BLOCK):
        block = tone(5000.0, seconds=2.0)[:, at : at + BLOCK].astype(np.float32)
        out.append(walked(lambda plan, block=block: up.plan(plan, block))[0].astype(np.float64).copy())
    sound = np.concatenate(out)[-8192 * quality :]
    power = np.abs(np.fft.rfft(sound * np.blackman(len(sound))))
    f = np.fft.rfftfreq(len(sound), 1 / RATE / quality)
    assert 20 * np.log10(power[np.abs(f - 5000) > 200].max() / power.max()) < -100.0


def test_a_pad_delays_by_whole_frames_and_crossfades_a_change() -> None:
    pad = Pad(600, BLOCK)
    sound = np.random.default_rng(2).uniform(-1, 1, (2, 20 * BLOCK))
    out = blocks(sound, lambda block: walked(lambda plan: pad.plan(plan, block, 100)))
    assert np.array_equal(out[:, 100:], sound[:, :-100].astype(np.float32))
    smooth = tone(200.0)
    pad = Pad(600, BLOCK)
    waits = iter([0] * 30 + [50] * 1000)
    out = blocks(smooth, lambda block: walked(lambda plan: pad.plan(plan, block, next(waits))))
    assert np.abs(np.diff(out)).max() < 2.5 * np.abs(np.diff(smooth)).max()


def test_a_way_down_alone_is_late_by_a_whole_number_of_frames() -> None:
    for quality in (2, 4, 8):
        down = Down(BLOCK, quality)
        fine = np.sin(2 * np.pi * 1000 * np.arange(8 * BLOCK * quality) / RATE / quality)
        out = []
        for n in range(8):
            down.fine[:] = fine[n * BLOCK * quality : (n + 1) * BLOCK * quality]
            walked(down.plan)
            out.append(down.out[0].astype(np.float64).copy())
        sound = np.concatenate(out)
        assert np.abs(sound[down.late + 400 :] - fine[::quality][400 : len(sound) - down.late]).max() < 1e-4


# --- what is late ------------------------------------------------------------------------------


@pytest.mark.parametrize("quality", QUALITIES)
@pytest.mark.parametrize("kind", ["none", "limiter", "drive", "compressor"])
def test_a_render_begins_when_its_note_does(quality: int, kind: str) -> None:
    """Look-ahead and the ways between rates are compensated: the first sound stands at the same frame, within three."""
    patch = plain(layers__a__source__shape="pulse")
    words = {"limiter": {}, "drive": {"amount": 0.0}, "compressor": {"ahead": 0.005, "ratio": 1.0}}
    if kind != "none":
        patch = add_effect(patch, "1", Effect.kinds[kind](**words[kind]))[0]
    sound = np.abs(render(patch, [Note(0.1, 0.3, 45)], 0.3, quality=quality)[0])
    straight = np.abs(render(plain(layers__a__source__shape="pulse"), [Note(0.1, 0.3, 45)], 0.3)[0])
    first = [int(np.argmax(s > 0.5 * s.max())) for s in (sound, straight)]
    assert first[0] == pytest.approx(first[1], abs=3)


def test_ways_that_are_early_wait_for_those_that_are_late() -> None:
    """The same click through a limiter in rack 1, through rack 2, and direct: one peak, not three."""
    patch = plain(layers__a__source__shape="pulse", layers__a__level=-24.0)
    patch = add_effect(patch, "1", Effect.kinds["limiter"]())[0]
    patch = add_effect(patch, "2", Effect.kinds["trim"]())[0]
    for out in ("direct", "rack2"):
        patch, key = add_layer(patch, patch.layers["a"])
        patch = with_value(patch, f"layers.{key}.out", out)
    for joins in ("rack", "out"):
        sound = render(with_value(patch, "rack2", joins), [Note(0.1, 0.3, 45)], 0.3)[0]
        alone = render(plain(layers__a__source__shape="pulse", layers__a__level=-24.0), [Note(0.1, 0.3, 45)], 0.3)[0]
        assert np.abs(sound - 3 * alone).max() < 1e-5, joins


@pytest.mark.parametrize("joins", ["rack", "out"])
def test_a_render_through_rack_two_begins_when_its_note_does(joins: str) -> None:
    """What looks ahead in rack 2 is compensated too, whether it joins rack 1 or the output."""
    patch = with_value(
        with_value(plain(layers__a__source__shape="pulse"), "layers.a.out", "bus3"), "buses.3.out", "rack2"
    )
    patch = add_effect(add_effect(patch, "2", Effect.kinds["limiter"]())[0], "1", Effect.kinds["limiter"]())[0]
    found = render(with_value(patch, "rack2", joins), [Note(0.1, 0.3, 45)], 0.3)[0]
    straight = render(plain(layers__a__source__shape="pulse"), [Note(0.1, 0.3, 45)], 0.3)[0]
    first = [int(np.argmax(np.abs(s) > 0.5 * np.abs(s).max())) for s in (found, straight)]
    assert first[0] == pytest.approx(first[1], abs=3)


def test_a_kept_level_stays_kept_through_an_edit() -> None:
    """An effect is added behind one whose level is kept: the level does not have to be found again."""
    effect = Effect.kinds["filter"](cutoff=150.0, response="low 24", kept=True)
    patch = add_effect(plain(layers__a__source__shape="saw"), "1", effect)[0]
    program = Program(patch, RATE)
    program.block([Event(0, ON, 50, 1.0)])
    for _ in range(400):
        before = np.abs(program.block()).max()
    fresh = Program(add_effect(patch, "1", Effect.kinds["trim"]())[0], RATE)
    carry_on(fresh, program)
    for _ in range(8):
        after = np.abs(fresh.block()).max()
    assert after == pytest.approx(before, rel=0.1)


# --- what a rack does for its effects ----------------------------------------------------------


@pytest.mark.parametrize("kind", sorted(Effect.kinds))
def test_everything_bypassed_is_bit_equal_to_nothing_at_every_quality(kind: str) -> None:
    patch, notes = plain(layers__a__source__shape="saw"), [Note(0, 0.1, 50)]
    bypassed = add_effect(patch, "1", Effect.kinds[kind](on=False))[0]
    for quality in (1, 4):
        assert np.array_equal(
            render(bypassed, notes, 0.15, quality=quality), render(patch, notes, 0.15, quality=quality)
        )


@pytest.mark.parametrize("kind", ["equaliser", "width", "trim", "gate", "multiband", "filter", "shift"])
def test_half_wet_is_half_way(kind: str) -> None:
    words = {"trim": {"level": -24.0} if "level" in Effect.kinds["trim"].params else {}}
    patch, notes = plain(layers__a__source__shape="saw"), [Note(0, 0.3, 50)]
    sounds = []
    for wet in (0.0, 0.5, 1.0):
        effect = Effect.kinds[kind](wet=wet, **words.get(kind, {}))
        sounds.append(render(add_effect(patch, "1", effect)[0], notes, 0.3).astype(np.float64))
    assert np.array_equal(sounds[0].astype(np.float32), render(patch, notes, 0.3))
    assert np.abs(sounds[1] - 0.5 * (sounds[0] + sounds[2])).max() < 1e-6


def test_a_kept_level_is_that_of_before() -> None:
    patch, notes = plain(layers__a__source__shape="saw"), [Note(0, 4, 50)]
    effect = Effect.kinds["filter"](cutoff=100.0, response="low 24")
    levels = []
    for kept in (False, True):
        sound = render(add_effect(patch, "1", effect.with_value("kept", kept))[0], notes, 4.0)[:, 3 * RATE :]
        levels.append(decibels(float(np.sqrt((sound**2).mean()))))
    plain_level = decibels(float(np.sqrt((render(patch, notes, 4.0)[:, 3 * RATE :] ** 2).mean())))
    assert levels[0] < plain_level - 2.0 and levels[1] == pytest.approx(plain_level, abs=0.3)


def test_only_this_is_what_the_effect_adds() -> None:
    """With and without the effect differ by exactly what is heard alone; meters before and after are those levels."""
    patch = add_effect(
        plain(layers__a__source__shape="saw"), "1", Effect.kinds["delay"](left=0.05, right=0.05, wet=0.5)
    )[0]
    patch = add_effect(patch, "1", Effect.kinds["reverb"](wet=0.5))[0]

    def play(path: str) -> Sound:
        program = Program(patch, RATE)
        program.output.tap.path, program.output.tap.alone = path, bool(path)
        out = [program.block([Event(0, ON, 50, 1.0)]).astype(np.float64).copy()]
        out += [program.block().astype(np.float64).copy() for _ in range(80)]
        placed = next(p for p in program.running() if p.path == "racks.1.delay1")
        assert placed.peaks[1] >= 0.0 and len(sounding(patch)) == len(program.running())
        return np.concatenate(out, axis=1)[:, program.late :]

    dry = render(plain(layers__a__source__shape="saw"), [Note(0, 9, 50)], 81 * BLOCK / RATE)
    end = -Program(patch, RATE).late
    without_reverb = with_value(patch, "racks.1.reverb1.on", False)
    both = render(without_reverb, [Note(0, 9, 50)], 81 * BLOCK / RATE)
    assert np.abs(play("racks.1.delay1") - (both.astype(np.float64) - dry)[:, :end]).max() < 1e-4


def test_a_rack_meters_what_comes_in_though_its_first_effect_is_off() -> None:
    patch = add_effect(plain(layers__a__source__shape="saw"), "1", Effect.kinds["drive"](on=False))[0]
    patch = add_effect(patch, "1", Effect.kinds["filter"](cutoff=60.0, response="low 24"))[0]
    program = Program(patch, RATE)
    program.block([Event(0, ON, 60, 1.0)])
    for _ in range(40):
        program.block()
    before, after = program.racks["1"].peaks
    assert before == pytest.approx(program.output.before, rel=1e-6) and after < 0.2 * before


@pytest.mark.parametrize("quality", [1, 4])
def test_the_kept_level_of_a_bending_effect_is_found_as_fast_at_any_quality(quality: int) -> None:
    """Measured over 0.3 s of the sound's own time: after one second within 1 dB, whatever rate the effect runs at."""
    plain_patch = plain(layers__a__source__shape="saw", layers__a__level=-12.0)
    patch = add_effect(plain_patch, "1", Effect.kinds["ladder"](cutoff=200.0, kept=True))[0]
    levels = [
        decibels(float(np.sqrt((render(p, [Note(0, 2, 50)], 1.5, quality=quality)[:, RATE:] ** 2).mean())))
        for p in (plain_patch, patch)
    ]
    assert levels[1] == pytest.approx(levels[0], abs=1.0)


def test_a_resonator_is_tuned_by_the_newest_note() -> None:
    patch = plain(layers__a__source__shape="pulse")
    effect = Effect.kinds["comb"](resonance=0.97)
    patch = add_effect(patch, "1", effect)[0]
    tails = {}
    for key in (57, 62):
        sound = render(patch, [Note(0, 0.3, key)], 1.0)[0].astype(np.float64)[RATE // 2 :]
        f = 440 * 2 ** ((key - 69) / 12)
        tails[key] = decibels(amplitude_at(sound, f)) - decibels(amplitude_at(sound, f * 1.26))
    assert min(tails.values()) > 20.0


# --- new effects -------------------------------------------------------------------------------


def test_a_multiband_of_no_depth_is_flat_and_its_curve_is_kept() -> None:
    """Linkwitz–Riley bands add up to an all-pass (JAES 24(1), 1976); at full depth, 4 : 1, 12 dB over become 3."""
    from felt_dial.sound.effects.multiband import band_curve

    patch = plain(layers__a__source__shape="saw")
    flat = render(add_effect(patch, "1", Effect.kinds["multiband"](depth=0.0))[0], [Note(0, 2, 45)], 1.5)[0, -RATE:]
    dry = render(patch, [Note(0, 2, 45)], 1.5)[0, -RATE:]
    for n in (1, 2, 7, 22, 60):
        ratio = amplitude_at(flat.astype(np.float64), 110.0 * n) / amplitude_at(dry.astype(np.float64), 110.0 * n)
        assert decibels(ratio) == pytest.approx(0.0, abs=0.05)
    assert band_curve([-8.0, -20.0, -40.0, -90.0], -20.0, -36.0, 4.0, 2.0) == pytest.approx([-9.0, 0.0, 2.0, 0.0])
    loud = plain(layers__a__source__shape="sine", layers__a__level=-2.0)
    pressed = add_effect(loud, "1", Effect.kinds["multiband"](depth=1.0, above=-10.0, below=-60.0, press=4.0))[0]
    levels = [
        decibels(amplitude_at(render(p, [Note(0, 3, 69)], 2.5)[0, -RATE:].astype(np.float64), 440.0))
        for p in (loud, pressed)
    ]
    over = levels[0] + 10.0
    assert levels[1] == pytest.approx(-10.0 + over / 4.0, abs=0.35), "the other bands leak a little past it"


def test_a_shift_moves_every_frequency_and_leaves_no_image() -> None:
    """Single side band: 440 Hz and 100 Hz make 540 Hz, and 340 Hz stays 80 dB below; the pitch shift keeps ratios."""
    patch = plain(layers__a__source__shape="sine")
    for hertz in (100.0, -100.0):
        sound = render(add_effect(patch, "1", Effect.kinds["shift"](hertz=hertz))[0], [Note(0, 3, 69)], 2.0)[0, -RATE:]
        wanted, image = (amplitude_at(sound.astype(np.float64), 440.0 + s * hertz) for s in (1, -1))
        assert decibels(image / wanted) < -80.0
        assert Effect.kinds["shift"](hertz=hertz).moved(440.0) == 440.0 + hertz, "what is drawn is where it comes out"
    saw = plain(layers__a__source__shape="saw")
    sound = render(add_effect(saw, "1", Effect.kinds["shift"](pitch=7.0))[0], [Note(0, 3, 57)], 2.0)[0, -RATE:]
    fifth = 220.0 * 2 ** (7 / 12)
    power = np.abs(np.fft.rfft(sound * np.hanning(len(sound))))
    for n in (1, 2, 3):
        near = slice(int(n * fifth) - 25, int(n * fifth) + 25)
        assert power[near].max() > 20 * np.median(power[: int(4 * fifth)])


def test_a_gate_opens_at_its_steps_and_begins_with_the_sound() -> None:
    """Sixteenths at 120 bpm are an eighth of a second (common practice); the row begins anew after silence."""
    steps = {f"s{n + 1}": level for n, level in enumerate([1.0, 0.0, 0.5, 0.0])}
    gate = Effect.kinds["gate"](steps=4, soft=0.001, **steps)
    sound = np.abs(
        render(add_effect(plain(layers__a__source__shape="pulse"), "1", gate)[0], [Note(0.37, 1.0, 45)], 1.5)[0]
    )
    for n, level in enumerate((1.0, 0.0, 0.5, 0.0, 1.0)):
        middle = int((0.37 + 0.125 * (n + 0.5)) * RATE)
        assert sound[middle - 1000 : middle + 1000].max() / sound.max() == pytest.approx(level, abs=0.06), n


def test_a_rotary_turns_at_its_pace() -> None:
    """The loudness of a high tone sways once a turn: its envelope's spectrum peaks at the pace, within 3 %."""
    patch = plain(layers__a__source__shape="sine")
    sound = render(add_effect(patch, "1", Effect.kinds["rotary"](pace="fast", weight=0.1))[0], [Note(0, 6, 93)], 5.0)[
        0, -4 * RATE :
    ]
    envelope = np.abs(sound.astype(np.float64)).reshape(-1, 100).max(axis=1)
    power = np.abs(np.fft.rfft((envelope - envelope.mean()) * np.hanning(len(envelope)), 8 * len(envelope)))
    assert np.fft.rfftfreq(8 * len(envelope), 100 / RATE)[power.argmax()] == pytest.approx(6.6, rel=0.03)


def test_delay_smears_wavers_and_steps_back() -> None:
    patch = plain(layers__a__source__shape="sine", modulators__e1__release=0.001)
    words = {"left": 0.3, "right": 0.3, "feedback": 0.0, "wet": 1.0}

    def echo(**more: float) -> Sound:
        patch_ = add_effect(patch, "1", Effect.kinds["delay"](**words, **more))[0]
        return render(patch_, [Note(0, 0.02, 69)], 0.6)[0].astype(np.float64)

    straight, smeared = echo()[int(0.29 * RATE) :], echo(diffusion=1.0)[int(0.29 * RATE) :]

    def spread(sound: Sound) -> float:
        """Standard deviation of the energy over time, in frames."""
        power, at = sound**2 / (sound**2).sum(), np.arange(len(sound))
        return float(np.sqrt((power * (at - (power * at).sum()) ** 2).sum()))

    assert spread(smeared) > 2.0 * spread(straight)
    held = render(add_effect(patch, "1", Effect.kinds["delay"](**words, duck=1.0))[0], [Note(0, 1.0, 69)], 1.8)[0]
    free = render(add_effect(patch, "1", Effect.kinds["delay"](**words))[0], [Note(0, 1.0, 69)], 1.8)[0]
    assert (
        np.abs(held[int(0.6 * RATE) : int(0.9 * RATE)]).max()
        < 0.8 * np.abs(free[int(0.6 * RATE) : int(0.9 * RATE)]).max()
    )
    wavering = render(add_effect(patch, "1", Effect.kinds["delay"](**words, wow=1.0))[0], [Note(0, 3.0, 69)], 4.0)[0]
    assert (
        np.ptp([period(wavering[a : a + 4096].astype(np.float64), RATE) for a in range(RATE // 2, 3 * RATE, RATE // 4)])
        >= 1
    )


def test_a_moving_pre_delay_does_not_click() -> None:
    """A low sine while an LFO moves the time: what is heard has no step larger than a few of the sine's own."""
    patch = add_effect(
        plain(layers__a__source__shape="sine", layers__a__level=-12.0), "1", Effect.kinds["reverb"](wet=1.0)
    )[0]
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"](rate=2.0))
    still = render(patch, [Note(0, 2, 45)], 1.5)[0, RATE // 2 :]
    moved = render(sew(patch, lfo, "racks.1.reverb1.predelay", 0.03)[0], [Note(0, 2, 45)], 1.5)[0, RATE // 2 :]
    assert np.abs(np.diff(moved, 2)).max() < 0.004 + 6 * np.abs(np.diff(still, 2)).max()


# --- for the listener --------------------------------------------------------------------------


def test_the_safety_limiter_holds_says_so_and_leaves_what_is_below() -> None:
    listening = Monitor(RATE, BLOCK)
    soft = tone(440.0, -6.0)
    out = blocks(soft, listening.run)
    late = Effect.kinds["limiter"]().late(RATE)
    assert np.abs(out[:, late:] - soft[:, : out.shape[1] - late]).max() < 1e-6 and listening.held == 0.0
    loud = blocks(tone(440.0, 9.0), listening.run)
    assert np.abs(loud).max() <= 10 ** (-0.3 / 20) + 1e-6
    assert listening.held == pytest.approx(-9.3, abs=0.2)
    listening.limits = False
    assert np.abs(blocks(tone(440.0, 9.0), listening.run)).max() == 1.0


def test_mono_is_both_sides_and_a_sweep_lifts_its_frequency() -> None:
    listening = Monitor(RATE, BLOCK)
    listening.limits, listening.mono = False, True
    sound = np.random.default_rng(5).uniform(-0.3, 0.3, (2, 40 * BLOCK))
    out = blocks(sound, listening.run)[:, 4 * BLOCK :]
    assert np.array_equal(out[0], out[1]) and np.abs(out[0] - sound[:, 4 * BLOCK :].mean(axis=0)).max() < 1e-6
    listening.mono, listening.sweep = False, 1000.0
    levels = {
        f: amplitude_at(blocks(tone(f, -40.0, 1.0), listening.run)[0, RATE // 2 :], f) for f in (200.0, 1000.0, 5000.0)
    }
    assert decibels(levels[1000.0] / levels[200.0]) > 15.0 and decibels(levels[1000.0] / levels[5000.0]) > 15.0


def test_integrated_loudness_is_gated() -> None:
    """EBU Tech 3341, case 3: −36, −23, −36 LUFS in parts of 10, 60 and 10 s read −23.0 ± 0.1; here half as long."""
    meter = LoudnessMeter(RATE, BLOCK)
    for level, seconds in ((-36.0, 5.0), (-23.0, 30.0), (-36.0, 5.0)):
        blocks(tone(997.0, level, seconds), meter.add)
    assert meter.integrated() == pytest.approx(-23.0, abs=0.1)
    meter.restart()
    assert meter.integrated() == -70.0


def test_integrated_loudness_is_that_of_all_pieces_one_by_one() -> None:
    """Against ITU-R BS.1770-4, section 5.1, written out with NumPy, for levels that lie on both sides of both gates."""
    rng, meter = np.random.default_rng(11), LoudnessMeter(RATE, BLOCK)
    assert meter.integrated() == -70.0
    levels = rng.uniform(-85.0, 6.0, 40)
    pieces, recent, since = [], [], 0
    for level in levels:
        noise = rng.uniform(-1.0, 1.0, (2, 40 * BLOCK)) * 10 ** (level / 20)
        for at in range(0, noise.shape[1], BLOCK):
            meter.add(np.ascontiguousarray(noise[:, at : at + BLOCK], np.float32))
            recent, since = [*recent, float(meter._powers[meter._at - 1])][-75:], since + 1
            if since >= 75 and since % 19 == 0:
                pieces.append(sum(recent) / 75)
    heard = np.array(pieces)
    lufs = -0.691 + 10 * np.log10(heard)
    heard, lufs = heard[lufs > -70.0], lufs[lufs > -70.0]
    gate = -0.691 + 10 * np.log10(heard.mean()) - 10.0
    expected = -0.691 + 10 * np.log10(heard[lufs > gate].mean())
    assert (lufs <= gate).sum() > 0 and meter.integrated() == pytest.approx(expected, abs=0.005)


@pytest.mark.parametrize("level", [-71.0, -69.9, 0.0, 20.0, 45.0, 90.0])
def test_integrated_loudness_of_anything_is_a_number(level: float) -> None:
    """Below what counts, at its edge, and far above what any output lets through."""
    meter = LoudnessMeter(RATE, BLOCK)
    blocks(tone(997.0, level, 2.0), meter.add)
    assert meter.integrated() == pytest.approx(level if level > -70.0 else -70.0, abs=0.1)


def test_an_hour_of_sound_takes_no_longer_to_measure_than_a_second() -> None:
    """What the meter keeps does not grow, and it goes on counting."""
    meter = LoudnessMeter(RATE, 2048)
    kept = [value.nbytes for value in vars(meter).values() if isinstance(value, np.ndarray)]
    quiet, loud = (np.full((2, 2048), 0.0, np.float32) for _ in range(2))
    loud[:] = 0.1 * np.sin(2 * np.pi * 1000 * np.arange(2048) / RATE)
    for _ in range(3000):
        meter.add(loud)
    first = meter.integrated()
    for block in (*[quiet] * 3000, *[0.1 * loud] * 84000):
        meter.add(block)
    assert [value.nbytes for value in vars(meter).values() if isinstance(value, np.ndarray)] == kept
    assert meter._counts.sum() > 36000, "more pieces than there are in an hour"
    expected = first + 10 * np.log10((3000 + 0.01 * 84000) / 87000)
    assert meter.integrated() == pytest.approx(expected, abs=0.05)


def heavy() -> Patch:
    """Ten effects in a row, every feedback at its end."""
    patch = plain(layers__a__source__shape="saw")
    words = {
        "delay": {"feedback": 0.98},
        "reverb": {"decay": 60.0 if Effect.kinds["reverb"].params["decay"].high >= 60 else 20.0},
        "flanger": {"feedback": 0.95},
        "phaser": {"feedback": 0.95},
        "comb": {"resonance": 1.0},
        "shift": {"feedback": 0.95},
        "drive": {"amount": 48.0},
        "ladder": {"resonance": 1.0},
        "chorus": {},
        "rotary": {},
    }
    for kind, values in words.items():
        patch = add_effect(patch, "1", Effect.kinds[kind](**values))[0]
    return patch


@pytest.mark.parametrize("rate", [44100, 192000])
@pytest.mark.parametrize("tempo", [20.0, 999.0])
def test_ten_effects_at_their_ends_are_finite_at_any_rate_and_tempo(rate: int, tempo: float) -> None:
    sound = render(heavy(), [Note(0, 0.3, 40), Note(0.1, 0.2, 90)], 0.6, rate=rate, tempo=tempo)
    assert np.isfinite(sound).all() and 0.01 < np.abs(sound).max() <= 8.0


def test_tails_of_a_minute_hold_no_denormal_numbers() -> None:
    """After the sound has died away every state is nothing or a normal number: denormals cost ten times (common practice)."""
    patch = plain(layers__a__source__shape="saw", layers__a__filter__on=True, layers__a__drive__on=True)
    for kind in ("delay", "reverb", "equaliser", "multiband", "filter", "rotary", "shift", "drive"):
        patch = add_effect(patch, "1", Effect.kinds[kind]())[0]
    program = Program(patch, RATE)
    program.block([Event(0, ON, 50, 1.0)])
    for _ in range(20):
        program.block()
    program.allocator.obey(Event(0, 4), 0)
    for _ in range(60 * RATE // BLOCK):
        program.block()
    tiny = np.finfo(np.float64).tiny
    for placed in program.running():
        for state in placed.arrays:
            if isinstance(state, np.ndarray) and state.dtype.kind == "f":
                limit = tiny if state.dtype == np.float64 else np.finfo(np.float32).tiny
                small = np.abs(state[(state != 0.0)])
                assert not (small < limit).any(), placed.path
    assert isinstance(new_layer(), type(patch.layers["a"]))
