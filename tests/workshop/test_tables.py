"""Tables are what they were made of: against Fourier series and closed forms."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from felt_dial.errors import FeltDialError
from felt_dial.sound.matter.audio_file import read_audio
from felt_dial.workshop.table import cycles, recipe
from felt_dial.workshop.table.between import BETWEEN
from felt_dial.workshop.table.from_recording import (
    WAYS,
    NoFrames,
    NoteRecorder,
    all_ways,
    by_length,
    by_pitch,
    by_spectrum,
    one_cycle,
)
from felt_dial.workshop.table.hearing import as_heard
from felt_dial.workshop.table.mending import MENDS, brightness
from felt_dial.workshop.table.reshaping import RESHAPINGS, reshaped
from felt_dial.workshop.table.scores import scores_of
from felt_dial.workshop.wav_file import table_wav

RATE = 48000.0
SECONDS = np.arange(2 * 48000) / RATE
PHASE = np.arange(2048) / 2048


def saw(hertz: float) -> np.ndarray:
    """A saw by its Fourier series, up to 20 kHz."""
    return 0.4 * sum(np.sin(2 * np.pi * hertz * k * SECONDS) / k for k in range(1, int(20000 / hertz)))


def decibels(frame: np.ndarray, count: int) -> np.ndarray:
    levels = cycles.levels_and_phases(frame, count)[0]
    return 20 * np.log10(levels / levels[0])


def mono(sound: np.ndarray) -> np.ndarray:
    return sound.astype(np.float32)[None]


@pytest.mark.parametrize("way", [by_pitch, by_spectrum])
def test_a_saw_at_110_hz_gives_frames_of_1_over_n_within_half_a_decibel(way) -> None:
    """Fourier series of a saw."""
    for frame in way(mono(saw(110.0)), RATE, NoteRecorder(16)).frames[2:-2]:
        wanted = -20 * np.log10(np.arange(1, 41))
        assert np.abs(decibels(frame, 40) - wanted).max() < 0.5


@pytest.mark.parametrize("way", [by_pitch, by_spectrum])
def test_a_sine_gives_a_table_with_one_harmonic(way) -> None:
    for frame in way(mono(0.5 * np.sin(2 * np.pi * 220 * SECONDS)), RATE, NoteRecorder(16)).frames[2:-2]:
        assert decibels(frame, 64)[1:].max() < -80


def test_a_glide_of_an_octave_still_gives_frames_that_close() -> None:
    glide = np.sin(2 * np.pi * np.cumsum(110 * 2 ** (SECONDS / 2)) / RATE)
    taken = by_pitch(mono(glide), RATE, NoteRecorder(64, fade=0.0))
    found = scores_of(taken.frames)
    assert len(taken.frames) == 64 and found.jump < 1e-3 and found.dc < 1e-6
    assert decibels(taken.frames[32], 8)[1:].max() < -50


def test_noise_has_no_frames_by_pitch_and_has_them_by_spectrum_and_by_length() -> None:
    noise = mono(np.random.default_rng(1).normal(0, 0.2, 48000))
    with pytest.raises(NoFrames):
        by_pitch(noise, RATE, NoteRecorder())
    assert len(by_spectrum(noise, RATE, NoteRecorder(32)).frames) == 32
    assert len(by_length(noise, RATE, NoteRecorder(256)).frames) == 24


def test_a_fixed_cut_is_the_recording_itself() -> None:
    sound = np.sin(2 * np.pi * 48000 / 2048 * SECONDS[: 2048 * 8])
    frames = by_length(mono(sound), RATE, NoteRecorder(fade=0.0, level="kept", dc=False)).frames
    assert np.abs(frames.ravel() - sound).max() < 1e-6


def test_the_spectrum_follows_a_sound_that_changes() -> None:
    """The second harmonic grows from nothing: its level in the frames is what it was at that moment."""
    sound = np.sin(2 * np.pi * 200 * SECONDS) + SECONDS / 2 * np.sin(2 * np.pi * 400 * SECONDS)
    frames = by_spectrum(mono(0.3 * sound), RATE, NoteRecorder(21, fade=0.0, level="kept")).frames
    for n in (5, 10, 15):
        levels = cycles.levels_and_phases(frames[n], 2)[0]
        assert levels[1] / levels[0] == pytest.approx(n / 20, abs=0.02)


def test_frames_that_hold_nothing_are_left_out_and_counted() -> None:
    sound = np.concatenate([np.zeros(2048 * 4), saw(110.0)[: 2048 * 4]])
    taken = by_length(mono(sound), RATE, NoteRecorder())
    assert (len(taken.frames), taken.left_out) == (4, 4)
    assert len(by_length(mono(sound), RATE, NoteRecorder(empty=True)).frames) == 8


def test_one_cycle_at_a_place_is_one_turn_of_the_pitch() -> None:
    found = one_cycle(mono(saw(150.0)), RATE, 1.0)
    assert np.abs(decibels(found, 20) + 20 * np.log10(np.arange(1, 21))).max() < 1.0


def test_ten_seconds_are_taken_by_all_ways_and_stereo_too() -> None:
    sound = np.stack([np.tile(saw(110.0), 5)] * 2).astype(np.float32)
    found = all_ways(sound, RATE, NoteRecorder())
    assert set(found) == set(WAYS) and all(len(taken.frames) for taken in found.values())


# --- between key frames ------------------------------------------------------------------------


def test_a_crossfade_is_a_straight_line_sample_by_sample() -> None:
    one, two = np.sin(2 * np.pi * PHASE), np.cos(6 * np.pi * PHASE)
    made = recipe.TableRecipe(5, (recipe.key_frame(0, one), recipe.key_frame(4, two)), "crossfade")
    assert np.abs(recipe.frames_of(made)[1] - (0.75 * one + 0.25 * two)).max() < 1e-6


@pytest.mark.parametrize("kind", ["spectrum", "harmonics"])
def test_opposed_waves_cancel_in_a_crossfade_and_nowhere_else(kind: str) -> None:
    sine = np.sin(2 * np.pi * PHASE)
    middle = BETWEEN[kind][2](sine, -sine, np.array([0.5]))[0]
    assert np.sqrt(np.square(middle).mean()) == pytest.approx(np.sqrt(0.5), rel=1e-6)
    assert np.abs(BETWEEN["crossfade"][2](sine, -sine, np.array([0.5]))).max() < 1e-9


def test_by_harmonics_the_way_is_even_in_decibels_and_by_spectrum_in_amplitude() -> None:
    loud, soft = np.sin(2 * np.pi * PHASE), 0.01 * np.sin(2 * np.pi * PHASE)
    half = np.array([0.5])
    assert np.abs(BETWEEN["harmonics"][2](loud, soft, half)).max() == pytest.approx(0.1, rel=1e-3)
    assert np.abs(BETWEEN["spectrum"][2](loud, soft, half)).max() == pytest.approx(0.505, rel=1e-3)


def test_what_lies_between_is_worked_out_anew_when_a_key_frame_changes() -> None:
    made = recipe.swept(9)
    fresh = recipe.with_cycle(made, 8, np.zeros(2048))
    levels = np.abs(recipe.frames_of(fresh)).max(axis=1)
    assert levels == pytest.approx(0.95 * np.linspace(1, 0, 9), abs=1e-5)


# --- reshaping ---------------------------------------------------------------------------------


def test_one_sine_becomes_a_swept_table_in_three_gestures() -> None:
    """A new table, a reshaping, one point of its line."""
    made = recipe.with_amount(replace(recipe.swept(32), reshape="fold"), 31, 1.0)
    bright = brightness(recipe.frames_of(made).astype(float))
    assert bright[0] < 0.01 and bright[31] > 2.0
    # The octave of the middle of a folded sine's power rises as it is driven further (its own trend, by thirds).
    assert bright[:11].mean() < bright[11:22].mean() < bright[22:].mean()


def test_folding_a_sine_is_what_the_closed_form_says() -> None:
    """A sine of height a folded into ±1 is arcsin(sin(π a sin φ / 2)) · 2 / π."""
    sine = np.sin(2 * np.pi * PHASE)[None]
    made = reshaped(sine, "fold", np.array([0.5]))[0]
    assert np.abs(made - 2 / np.pi * np.arcsin(np.sin(np.pi / 2 * 4.5 * sine[0]))).max() < 1e-6


def test_a_tilt_is_twelve_decibels_an_octave_at_its_end() -> None:
    found = decibels(reshaped(cycles.SHAPES["saw"][1][None], "tilt", np.array([-1.0]))[0], 16)
    assert np.abs(found + 20 * np.log10(np.arange(1, 17) ** 3)).max() < 0.05


def test_a_low_pass_has_its_three_decibels_at_its_cutoff() -> None:
    """Butterworth of the fourth order: 1 / √(1 + (h / c)⁸), c = 1024^(1 − amount)."""
    amount = 1 - np.log(32) / np.log(1024)
    flat = cycles.from_levels(np.full(512, 0.001))[None]
    found = decibels(reshaped(flat, "lowpass", np.array([amount]))[0], 64)
    assert found[31] - found[3] == pytest.approx(-3.01, abs=0.05)
    assert found[63] - found[3] == pytest.approx(-24.1, abs=0.1)


def test_formants_move_and_the_pitch_stays() -> None:
    levels = np.exp(-0.5 * ((np.arange(1, 129) - 20) / 4.0) ** 2)
    cycle = cycles.from_levels(0.05 * levels)[None]
    moved = cycles.levels_and_phases(reshaped(cycle, "formants", np.array([0.5]))[0], 128)[0]
    assert int(np.argmax(moved)) + 1 == 40  # an octave up: half of two octaves


@pytest.mark.parametrize("kind", [kind for kind in RESHAPINGS if kind != "none"])
def test_every_reshaping_does_nothing_at_none_and_something_at_all(kind: str) -> None:
    frames = np.stack([0.9 * cycles.SHAPES[name][1] for name in ("saw", "square", "triangle")])
    assert np.array_equal(reshaped(frames, kind, np.zeros(3)), frames)
    for amount in (0.6, 1.0, *((-0.6, -1.0) if RESHAPINGS[kind].both else ())):
        made = reshaped(frames, kind, np.full(3, amount))
        assert np.isfinite(made).all() and np.abs(made).max() <= 1.0 + 1e-9
        assert np.abs(made.mean(axis=1)).max() < 1e-9
        assert np.abs(made - frames).max() > 0.05


# --- recipes -----------------------------------------------------------------------------------


def stepped(count: int) -> recipe.TableRecipe:
    """A table whose frame n is a sine of height (n + 1) / count."""
    return recipe.of_cycles([(n + 1) / count * np.sin(2 * np.pi * PHASE) for n in range(count)])


def heights(made: recipe.TableRecipe) -> list[float]:
    return [round(float(h), 3) for h in np.abs(recipe.frames_of(made)).max(axis=1)]


def test_frames_are_inserted_doubled_deleted_turned_round_and_moved() -> None:
    made = stepped(4)
    assert heights(recipe.deleted(made, [1])) == [0.25, 0.75, 1.0]
    assert heights(recipe.duplicated(made, [0, 3])) == [0.25, 0.25, 0.5, 0.75, 1.0, 1.0]
    assert heights(recipe.reversed_frames(made)) == [1.0, 0.75, 0.5, 0.25]
    assert heights(recipe.moved(made, [0], 4)) == [0.5, 0.75, 1.0, 0.25]
    assert heights(recipe.moved(made, [2, 3], 0)) == [0.75, 1.0, 0.25, 0.5]
    assert heights(recipe.inserted(made, 1, [np.zeros(2048)])) == [0.25, 0.5, 0.0, 0.75, 1.0]
    assert heights(recipe.inserted(made, -1, [np.zeros(2048)])) == [0.0, 0.25, 0.5, 0.75, 1.0]
    assert heights(recipe.resized(made, 7)) == [0.25, 0.375, 0.5, 0.625, 0.75, 0.875, 1.0]


def test_edits_leave_what_lies_between_other_key_frames_as_it_was() -> None:
    made = recipe.TableRecipe(9, (recipe.key_frame(0, PHASE), recipe.key_frame(8, 1 - PHASE)), "crossfade")
    before = recipe.frames_of(made)
    after = recipe.frames_of(recipe.deleted(made, [4]))
    assert np.abs(after - np.delete(before, 4, axis=0)).max() < 1e-6
    moved = recipe.frames_of(recipe.moved(made, [2, 3], 7))
    assert np.abs(moved - before[[0, 1, 4, 5, 6, 2, 3, 7, 8]]).max() < 1e-6


def test_a_table_keeps_a_frame_and_holds_256() -> None:
    with pytest.raises(FeltDialError):
        recipe.deleted(stepped(3), range(3))
    with pytest.raises(FeltDialError):
        recipe.duplicated(stepped(256), [0])
    with pytest.raises(FeltDialError):
        recipe.inserted(stepped(255), 0, [PHASE, PHASE])


@settings(max_examples=25)
@given(
    st.lists(
        st.tuples(
            st.sampled_from(["del", "dup", "move", "key", "unkey", "turn", "size", "ins"]),
            st.integers(0, 255),
            st.integers(0, 255),
        ),
        max_size=12,
    )
)
def test_whatever_is_done_the_recipe_fits_together_and_is_read_back(edits: list[tuple[str, int, int]]) -> None:
    made = replace(recipe.resized(stepped(3), 12), reshape="bend")
    for kind, a, b in edits:
        n, m = a % made.count, b % (made.count + 1)
        try:
            if kind == "del":
                made = recipe.deleted(made, [n])
            elif kind == "dup":
                made = recipe.duplicated(made, [n])
            elif kind == "move":
                made = recipe.moved(made, [n], m)
            elif kind in ("key", "unkey"):
                made = recipe.keyed(made, n, kind == "key")
            elif kind == "turn":
                made = recipe.reversed_frames(made)
            elif kind == "size":
                made = recipe.resized(made, b + 1)
            else:
                made = recipe.inserted(made, n, [PHASE])
        except FeltDialError:
            continue
        places = made.places()
        assert places == sorted(set(places)) and places[0] == 0 and places[-1] == made.count - 1
        assert recipe.frames_of(made).shape == (made.count, 2048)
    assert recipe.read_recipe(recipe.write_recipe(made), "it") == made


@pytest.mark.parametrize(
    "wrong",
    [
        "{}",
        '{"format": 1}',
        '{"format": 1, "count": 2, "between": "spectrum", "reshape": "none", "came": {}, "keys": []}',
        '{"format": 1, "count": 1, "between": "spectrum", "reshape": "none", "came": {}, '
        '"keys": [{"at": 0, "amount": 0, "samples": "xx"}]}',
        '{"format": 2, "count": 1}',
    ],
)
def test_a_recipe_that_cannot_be_followed_is_one_sentence(wrong: str) -> None:
    with pytest.raises(FeltDialError, match="The recipe"):
        recipe.read_recipe(wrong, "The recipe")


# --- mending and scores ------------------------------------------------------------------------


def test_mends_do_what_they_say() -> None:
    ramp = np.stack([PHASE, 0.5 * PHASE + 0.2, np.zeros(2048), np.sin(20 * np.pi * PHASE)])
    assert scores_of(MENDS["dc"].act(ramp)).dc < 1e-9
    # Both rows that do not close are closed; the sine, which does, is left as it is.
    assert scores_of(ramp).jump > 0.4
    closed = MENDS["edges"].act(ramp)
    assert scores_of(closed).jump < 2e-3 and np.abs(closed[3] - ramp[3]).max() < 1e-3
    assert scores_of(MENDS["each"].act(ramp)).spread < 1e-6
    assert len(MENDS["empty"].act(ramp)) == 3
    assert np.abs(MENDS["all"].act(ramp)).max() == pytest.approx(0.95)
    shifted = np.stack([np.roll(cycles.SHAPES["saw"][1], n) for n in (0, 300, 900)])
    aligned = MENDS["phases"].act(shifted)
    assert np.abs(aligned - aligned[0]).max() < 0.01 * 2  # but for the corner, which falls between samples
    mixed = np.stack([np.sin(2 * np.pi * k * PHASE) for k in (8, 1, 4, 2)])
    assert [round(float(b)) for b in brightness(MENDS["sort"].act(mixed))] == [0, 1, 2, 3]


@pytest.mark.parametrize("mend", MENDS)
@pytest.mark.parametrize("reshape", [kind for kind in RESHAPINGS if kind != "none"])
def test_what_is_heard_is_what_is_mended(mend: str, reshape: str) -> None:
    """Reshaped frames, mended, are what the mend makes of the frames that sound."""
    made = recipe.swept(8, "saw")
    made = recipe.with_amount(recipe.with_cycle(made, 3, 0.2 * cycles.SHAPES["sine"][1]), 7, 0.6)
    made = replace(recipe.with_amount(made, 0, 0.3), reshape=reshape)
    heard = recipe.frames_of(made).astype(np.float64)
    after = recipe.frames_of(recipe.mended(made, MENDS[mend]))
    assert np.abs(after - MENDS[mend].act(heard)).max() < 1e-6
    if mend == "each":
        assert scores_of(after).spread < 1e-5


def test_the_highest_full_key_is_where_the_last_harmonic_reaches_20_khz() -> None:
    """69 + 12 log₂(20000 / (h · 440))."""
    for last in (1, 10, 100):
        frame = cycles.from_levels(np.full(last, 0.01))[None]
        assert scores_of(frame).key == min(int(69 + 12 * np.log2(20000 / (last * 440))), 127)


def test_moves_of_harmonics_are_what_they_are_called() -> None:
    noise = np.random.default_rng(2).normal(0, 0.1, 2048)
    levels = {name: cycles.levels_and_phases(act(noise), 32)[0] for name, (_, act) in cycles.MOVES.items()}
    assert levels["first"][1:].max() < 1e-9 and levels["clear"].max() == 0.0
    assert levels["odd"][1::2].max() < 1e-9 < levels["odd"][::2].min()
    assert levels["slope1"] / levels["slope1"][0] == pytest.approx(1 / np.arange(1, 33))
    assert levels["slope2"] / levels["slope2"][0] == pytest.approx(1 / np.arange(1, 33) ** 2)
    before = cycles.levels_and_phases(noise, 32)[0]
    assert levels["phases"] / levels["phases"].sum() == pytest.approx(before / before.sum())
    assert levels["tilt"][3] / levels["tilt"][0] == pytest.approx(before[3] / before[0] / 2)


def test_drawing_leaves_the_rest_as_it_is() -> None:
    sine = np.sin(2 * np.pi * PHASE)
    made = cycles.drawn(sine, (0.25, 0.5), (0.5, -0.5))
    changed = np.flatnonzero(made != sine)
    assert changed[0] >= 511 and changed[-1] <= 1025
    assert made[512] == pytest.approx(0.5, abs=0.01) and made[1023] == pytest.approx(-0.5, abs=0.01)


def test_a_table_is_heard_from_its_first_frame_to_its_last() -> None:
    frames = np.stack([np.sin(2 * np.pi * PHASE), np.sin(8 * np.pi * PHASE)])
    sound = as_heard(frames, hertz=100.0, seconds=2.0)[0]
    assert sound.shape == (96000,) and np.abs(sound).max() <= 0.5 + 1e-6
    for at, hertz in ((0.02, 100), (1.7, 400)):
        piece = sound[int(at * 48000) : int(at * 48000) + 4096]
        assert np.argmax(np.abs(np.fft.rfft(piece * np.hanning(4096)))) * 48000 / 4096 == pytest.approx(hertz, abs=12)


def test_a_table_goes_out_and_comes_back_with_its_frames(tmp_path) -> None:
    """Read back by `soundfile`; the length of a frame stands in a chunk of its own, which others pass over."""
    frames = recipe.frames_of(stepped(12))
    path = tmp_path / "table.wav"
    path.write_bytes(table_wav(frames))
    sound, rate = soundfile.read(io.BytesIO(path.read_bytes()), dtype="float32")
    assert rate == 48000 and np.array_equal(sound, frames.ravel())
    audio = read_audio(path)
    assert audio.cycle == 2048 and np.array_equal(audio.sound[0], frames.ravel())
