"""The Workshop as a person uses it: drawn, keyed, filled, cut, split, joined, bounced, recorded, and each taken back."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from felt_dial import files
from felt_dial.live.engine import recorder
from felt_dial.patch.asset import Asset
from felt_dial.patch.edits import remove_layer
from felt_dial.patch.phrase import Note
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.tables import shipped_recordings, shipped_tables
from felt_dial.sound.render import render
from felt_dial.ui.benches import recording as bench_of_recordings
from felt_dial.ui.benches.recording import Region
from felt_dial.ui.dials.controls import MenuPill
from felt_dial.ui.dials.figure_menu import FigureMenu
from felt_dial.ui.pages.workshop.parts.bounce import BouncePart
from felt_dial.ui.pages.workshop.parts.loops import LoopsPart
from felt_dial.ui.pages.workshop.parts.record import RecordPart
from felt_dial.ui.pages.workshop.parts.slices import SlicesPart
from felt_dial.ui.pages.workshop.parts.splice import SplicePart
from felt_dial.ui.pages.workshop.parts.steps import StepsPart
from felt_dial.ui.pages.workshop.sample_bench import SampleBench
from felt_dial.ui.pages.workshop.sample_side import PARTS
from felt_dial.ui.pages.workshop.table_bench import TableBench
from felt_dial.workshop.recording.peaks import Peaks
from felt_dial.workshop.table.reshaping import RESHAPINGS
from tests.ui.conftest import Desk, wait
from tests.ui.test_drop_target import drop


def idle(desk: Desk) -> None:
    """Waits until no job runs."""
    assert wait(lambda: not desk.session.jobs.busy, 60)


def undone(desk: Desk, before: object) -> None:
    """One step back, and the patch is what it was."""
    desk.session.editor.undo()
    assert desk.session.patch == before


@pytest.fixture
def tables(desk: Desk) -> TableBench:
    """The wavetable bench with a new table of one sine."""
    desk.window.show_page("Workshop")
    bench = desk.window.workshop.tables
    bench.work.new()
    QTest.qWait(50)
    return bench


@pytest.fixture
def samples(desk: Desk) -> Iterator[SampleBench]:
    """The sample bench with Struck Glass on it."""
    desk.window.show_page("Workshop")
    page = desk.window.workshop
    page.show_bench("Sample bench")
    asset, key = shipped_recordings()["Struck Glass"]
    page.recordings.work.new_sample(asset, float(key), "begin")
    QTest.qWait(50)
    yield page.recordings


def test_a_long_recording_is_seen_about_before_it_is_read(
    desk: Desk, samples: SampleBench, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The picture of the first look is replaced by that of all of it, without another touch."""
    monkeypatch.setattr(bench_of_recordings, "LONG", 1000)
    held, seen = threading.Event(), []
    whole = bench_of_recordings.peaks_of

    def slowly(asset: Asset) -> Peaks | None:
        held.wait(20)
        return whole(asset)

    monkeypatch.setattr(bench_of_recordings, "peaks_of", slowly)
    asset = shipped_recordings()["Plucked String"][0]
    samples.work.new_sample(asset, None, "a long one")
    assert wait(lambda: samples.work.first_look is not None) and samples.work.peaks is None and samples.work.reading
    seen.append(samples.wave.grab().toImage())
    held.set()
    assert wait(lambda: samples.work.peaks is not None) and samples.work.first_look is None
    seen.append(samples.wave.grab().toImage())
    assert not samples.work.reading and seen[0] != seen[1], "it says no more that it is being read"


def shown(bench: TableBench) -> np.ndarray:
    """The frames that the layer plays, as its asset holds them."""
    asset = bench.work.asset
    sound = assets.load(asset)
    assert asset is not None and sound is not None
    return sound[0].reshape(-1, 2048)


# --- the wavetable bench -----------------------------------------------------------------------


def test_an_empty_bench_offers_a_new_table_and_a_layer_plays_it(desk: Desk) -> None:
    desk.window.show_page("Workshop")
    bench = desk.window.workshop.tables
    assert bench.left.currentIndex() == 0
    before = desk.session.patch
    bench.work.new()
    layer = desk.session.patch.layers[bench.work.layer]
    assert layer.source.kind == "table" and shown(bench).shape == (64, 2048)
    undone(desk, before)
    assert bench.left.currentIndex() == 0


def test_what_is_drawn_is_played_and_is_one_step(desk: Desk, tables: TableBench) -> None:
    tables.work.walk(10)
    before, pen = desk.session.patch, tables.pen
    box = pen.box()
    start = QPoint(round(box.left() + 0.25 * box.width()), round(box.top() + 0.1 * box.height()))
    desk.drag(pen, start, QPoint(round(box.left() + 0.5 * box.width()), start.y()), 12)
    frame = shown(tables)[10]
    assert frame[600:1000] == pytest.approx(0.8 / 0.96, abs=0.06)
    assert tables.work.recipe is not None and tables.work.recipe.places() == [0, 10, 63]
    assert desk.session.editor.history.undo_says == "draw frame 11"
    undone(desk, before)


def test_a_harmonic_is_drawn_where_the_pointer_is(desk: Desk, tables: TableBench) -> None:
    bars, before = tables.bars, desk.session.patch
    box = bars.box()
    at = QPoint(round(box.left() + 4.5 * box.width() / 64), round(box.top() + 0.5 * box.height()))
    desk.drag(bars, at, at)
    levels = 2 / 2048 * np.abs(np.fft.rfft(shown(tables)[0]))
    assert 20 * np.log10(levels[5]) == pytest.approx(-30, abs=1.5) and levels[1] == pytest.approx(0.95, abs=0.03)
    undone(desk, before)


def test_a_double_click_keys_a_frame_and_lets_it_go(desk: Desk, tables: TableBench) -> None:
    strip = tables.strip
    spot = strip._thumbs()[3]
    QTest.mouseDClick(strip, Qt.MouseButton.LeftButton, pos=spot[1].center().toPoint())
    assert tables.work.recipe is not None and spot[0] in tables.work.recipe.places()
    QTest.mouseDClick(strip, Qt.MouseButton.LeftButton, pos=strip._thumbs()[3][1].center().toPoint())
    assert tables.work.recipe.places() == [0, 63]


def test_frames_are_chosen_deleted_doubled_and_put_elsewhere(desk: Desk, tables: TableBench) -> None:
    tables.work.edit(lambda r: desk_recipe().resized(r, 6), "fewer")
    for n in range(6):
        tables.work.walk(n)
        tables._on_chosen(lambda frame, n=n: frame * (n + 1) / 6, "step")
    heights = [round(float(h), 2) for h in np.abs(shown(tables)).max(axis=1)]
    strip = tables.strip
    spots = [spot.center().toPoint() for _, spot in strip._thumbs()]
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=spots[1])
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, spots[3])
    assert tables.work.chosen == (1, 2, 3)
    before = desk.session.patch
    tables._delete()
    assert [round(float(h), 2) for h in np.abs(shown(tables)).max(axis=1)] == [heights[0], *heights[4:]]
    undone(desk, before)
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=spots[0])
    desk.drag(strip, spots[0], spots[2] + QPoint(4, 0))
    moved = [round(float(h), 2) for h in np.abs(shown(tables)).max(axis=1)]
    assert sorted(moved) == sorted(heights) and moved[0] == heights[1]
    undone(desk, before)
    tables.work.walk(2)
    tables._copy()
    tables._paste()
    assert len(shown(tables)) == 7 and np.array_equal(shown(tables)[2], shown(tables)[3])


def desk_recipe():  # type: ignore[no-untyped-def]
    from felt_dial.workshop.table import recipe

    return recipe


def test_one_sine_becomes_a_swept_table_by_a_choice_and_a_drag(desk: Desk, tables: TableBench) -> None:
    tables._reshape("fold")
    before, line = desk.session.patch, tables.amounts
    box = line.box()
    end = QPoint(round(box.right()), round(box.bottom()) - 1)
    desk.drag(line, end, QPoint(round(box.right()), round(box.top() + 0.2 * box.height())))
    assert tables.work.recipe is not None and tables.work.recipe.keys[-1].amount == pytest.approx(0.8, abs=0.03)
    frames = shown(tables)
    assert np.abs(frames[0] - frames[63]).max() > 0.5
    undone(desk, before)


def test_every_reshaping_and_mend_can_be_taken_back(desk: Desk, tables: TableBench) -> None:
    from felt_dial.workshop.table.mending import MENDS

    before = desk.session.patch
    for kind in RESHAPINGS:
        tables._reshape(kind)
        if kind != "none":
            undone(desk, before)
    for mend in MENDS.values():
        tables._mend(mend)
        if desk.session.patch != before:
            undone(desk, before)


def test_a_recording_dropped_on_the_bench_becomes_a_table_by_each_way(
    desk: Desk, tables: TableBench, tmp_path: Path
) -> None:
    path = tmp_path / "reed.wav"
    n = np.arange(48000) / 48000
    soundfile.write(path, 0.3 * sum(np.sin(2 * np.pi * 220 * k * n) / k for k in range(1, 30)), 48000)
    assert drop(desk, tables.pen, path) == "A table from reed.wav"
    source = tables.source
    assert wait(lambda: bool(source.found), 30)
    before = desk.session.patch
    for way in ("pitch", "spectrum", "length"):
        source._choose_way(way)
        source.put.click()
        assert tables.work.recipe is not None
        assert tables.work.recipe.came["way"] == way and tables.work.recipe.came["name"] == "reed"
        if way != "length":
            levels = np.abs(np.fft.rfft(shown(tables)[8].astype(float)))[1:11]
            assert 20 * np.log10(levels / levels[0] * np.arange(1, 11)) == pytest.approx(0, abs=0.5)
        undone(desk, before)


def test_frames_of_a_recording_are_added_behind_the_one_under_the_hand(desk: Desk, tables: TableBench) -> None:
    tables.source.show_asset(shipped_recordings()["Blown Reed"][0])
    assert wait(lambda: bool(tables.source.found), 30)
    tables.work.walk(5)
    count = len(shown(tables))
    tables.source.add.click()
    assert len(shown(tables)) == count + 64
    tables.source._take_one(1.0)
    assert len(shown(tables)) == count + 65


def test_the_bench_opens_a_table_as_it_was_made_from_a_bank_on_another_machine(
    desk: Desk, tables: TableBench, tmp_path: Path
) -> None:
    """The recipe goes along into the bank's folder; where the library is another, it is found there."""
    tables._reshape("bend")
    recipe = tables.work.recipe
    assert desk.session.presets.save_new("Swept")
    bank = desk.session.shelf.library.root / desk.session.editor.work.bank / "assets"
    kept = {path.suffix for path in bank.iterdir()}
    assert ".recipe" in kept
    asset = tables.work.asset
    assert asset is not None
    for path in (desk.session.shelf.library.root / ".assets").iterdir():
        path.unlink()
    assets._found.clear()
    text = assets.recipe_of(asset)
    assert text is not None and desk_recipe().read_recipe(text, "it") == recipe


def test_a_damaged_recipe_leaves_the_table_with_every_frame_keyed(desk: Desk, tables: TableBench) -> None:
    from felt_dial.ui.benches.table import recipe_of_table

    asset = tables.work.asset
    assert asset is not None
    path = assets.find_recipe(asset.recipe)
    assert path is not None
    path.write_text("{")
    recipe_of_table.cache_clear()
    made, _ = recipe_of_table(asset, 2048)
    assert made is not None and len(made.keys) == 64


def test_a_shipped_table_is_reworked_under_another_name_and_stays_itself(desk: Desk, tables: TableBench) -> None:
    about = shipped_tables()["Loft Choir"]
    source = tables.work.source
    assert source is not None
    from felt_dial.patch.patch import put

    fresh = source.model_copy(update={"asset": about.asset, "cycle": about.cycle})
    desk.session.editor.edit(put(desk.session.patch, ["layers", tables.work.layer, "source"], fresh), "take it")
    tables._reverse()
    assert tables.work.asset is not None and tables.work.asset.name == "Loft Choir, reworked"
    assert assets.load(about.asset) is not None


# --- the sample bench --------------------------------------------------------------------------


def test_root_and_loops_are_found_and_taken(desk: Desk, samples: SampleBench) -> None:
    work = samples.work
    assert wait(lambda: work.loops is not None, 60)
    part = samples.side.part("Loops")
    assert isinstance(part, LoopsPart) and work.root is not None and work.root.says().startswith("C5")
    before = desk.session.patch
    part.take(work.loops[0])
    source = work.source
    assert source.get("loop") == "forward"
    assert source.number("loop_start") == pytest.approx(work.loops[0].first / (work.asset.frames - 1))
    undone(desk, before)


def test_a_region_is_chosen_snaps_to_silence_and_is_trimmed(desk: Desk, samples: SampleBench) -> None:
    work, wave = samples.work, samples.wave
    before, frames = desk.session.patch, work.asset.frames
    desk.drag(wave, QPoint(100, 40), QPoint(400, 40), 10)
    assert work.region is not None
    sound = work.sound
    for second in (work.region.first, work.region.last):
        at = round(second * work.rate)
        assert abs(sound[0, at]) <= np.abs(sound[0, max(at - 400, 0) : at + 400]).max() * 0.3
    region = work.region
    samples.work.on_region("trim")
    idle(desk)
    assert work.asset.frames == pytest.approx((region.last - region.first) * 48000, abs=2)
    assert work.asset.frames < frames
    part = samples.side.part("Steps")
    assert isinstance(part, StepsPart) and len(work.recipe.steps) == 1
    work.on_region("reverse")
    idle(desk)
    work.take_back(0)
    idle(desk)
    assert work.asset.frames == frames and [step.kind for step in work.recipe.steps] == ["reverse"]
    work.apply()
    assert work.recipe.steps == () and work.recipe.origin.digest == work.asset.digest
    for _ in range(4):
        desk.session.editor.undo()
    assert desk.session.patch == before


def test_marks_stay_where_they_were_in_the_sound_when_it_is_trimmed(desk: Desk, samples: SampleBench) -> None:
    path = f"layers.{samples.work.layer}.source."
    desk.session.editor.set(path + "loop", "forward")
    desk.session.editor.set(path + "loop_start", 0.5)
    desk.session.editor.set(path + "loop_end", 0.75)
    samples.work.snap = False
    samples.work.choose(Region(0.75, 3.0))
    samples.work.on_region("trim")
    idle(desk)
    source = samples.work.source
    assert source.number("loop_start") == pytest.approx(1 / 3, abs=1e-3)
    assert source.number("loop_end") == pytest.approx(2 / 3, abs=1e-3)


def figures_of(desk: Desk, samples: SampleBench, pill: str) -> FigureMenu:
    """The menu of a pill of the sample bench, open."""
    menu = next(one for one in samples.findChildren(MenuPill) if one.text() == pill).open()
    assert isinstance(menu, FigureMenu)
    QTest.qWait(30)
    return menu


def test_a_fade_is_bent_as_far_as_wished_and_drawn_before_it_is_done(desk: Desk, samples: SampleBench) -> None:
    """At half of a fade in, bent by b, the gain is 0.5 to the power of 2^3b."""
    work, before = samples.work, samples.work.sound.copy()
    work.choose(Region(0.0, 1.0))
    menu = figures_of(desk, samples, "Fade…")
    assert samples.wave.fade == 0.0
    bend = menu.sliders[0]
    desk.drag(bend, QPoint(100, 11), QPoint(130, 11))
    assert samples.wave.fade == bend.value and 0.1 < bend.value < 0.9
    menu.actions()[1].trigger()
    menu.close()
    idle(desk)
    assert samples.wave.fade is None and work.recipe.steps[-1].figures["bend"] == pytest.approx(bend.value, abs=1e-3)
    gain = 0.5 ** (2.0 ** (3.0 * round(bend.value, 3)))
    at = slice(23900, 24100)
    assert np.abs(work.sound[0, at]).max() == pytest.approx(np.abs(before[0, at]).max() * gain, rel=0.03)


def test_length_and_pitch_are_set_freely(desk: Desk, samples: SampleBench) -> None:
    frames = samples.work.asset.frames
    menu = figures_of(desk, samples, "Stretch…")
    menu.sliders[0].set_value(1.37)
    menu.sliders[1].set_value(-1.5)
    menu.actions()[1].trigger()
    menu.close()
    idle(desk)
    assert samples.work.asset.frames == pytest.approx(1.37 * frames, rel=0.001)
    assert samples.work.source.number("root") + samples.work.source.number("cents") / 100 == pytest.approx(70.5)


def test_a_recording_pitched_up_plays_the_same_key_at_the_same_pitch(desk: Desk, samples: SampleBench) -> None:
    root = samples.work.source.number("root")
    samples.work.do("stretch", pitch=3.0)
    idle(desk)
    assert samples.work.source.number("root") == root + 3


def test_zoom_keeps_what_is_under_the_pointer_and_goes_down_to_samples(desk: Desk, samples: SampleBench) -> None:
    work = samples.work
    at = work.view[0] + 0.3 * (work.view[1] - work.view[0])
    for _ in range(60):
        work.zoom(0.7, 0.3)
    first, last = work.view
    assert last - first == pytest.approx(32) and first + 0.3 * (last - first) == pytest.approx(at, abs=1)
    samples.wave.grab()
    work.see(0, 1e12)
    assert work.view == (0.0, float(work.asset.frames))


def test_parts_become_layers_in_place_that_sound_as_before(desk: Desk, samples: SampleBench) -> None:
    session = desk.session
    for key in [key for key in session.patch.layers if key != samples.work.layer]:
        session.editor.edit(remove_layer(session.patch, key), "only the sample")
    before = session.patch
    samples.split()
    idle(desk)
    assert samples.parts is not None
    samples.layers_of_parts()
    assert sorted(layer.name for layer in session.patch.layers.values()) == ["Noise", "Strikes", "Tones"]
    one, three = (render(patch, [Note(0.0, 1.0, 72)], 1.5) for patch in (before, session.patch))
    assert np.abs(one - three).max() < 1e-4 * np.abs(one).max() + 1e-5
    undone(desk, before)


def test_what_is_chosen_in_the_spectrum_is_taken_out_and_the_file_stays(desk: Desk, samples: SampleBench) -> None:
    work = samples.work
    digest = work.asset.digest
    samples._tool("box")
    spectrum = samples.spectrum
    box = spectrum.box()
    desk.drag(spectrum, QPoint(2, round(spectrum.y_of(700))), QPoint(round(box.right()) - 2, round(spectrum.y_of(400))))
    assert work.shapes and work.shapes[0]["kind"] == "box"
    before = desk.session.patch
    samples._choose("take")
    idle(desk)
    left = assets.load(work.asset)[0]
    whole = assets.load(work.recipe.origin)[0]
    n = np.arange(48000)
    level = [
        abs((s[4800:52800] * np.hanning(48000) * np.exp(-2j * np.pi * 523.25 * n / 48000)).sum()) for s in (left, whole)
    ]
    assert 20 * np.log10(level[0] / level[1]) < -40 and work.recipe.origin.digest == digest
    undone(desk, before)


def test_two_recordings_are_joined_from_a_file_dropped_on_the_splice(
    desk: Desk, samples: SampleBench, tmp_path: Path
) -> None:
    samples.side.show_part("Splice")
    part = samples.side.part("Splice")
    assert isinstance(part, SplicePart)
    path = tmp_path / "tail.wav"
    soundfile.write(path, 0.3 * np.sin(2 * np.pi * 300 * np.arange(48000) / 48000), 48000)
    assert drop(desk, part.picture, path) == "Join tail.wav on"
    assert wait(lambda: part.other is not None)
    before, frames = desk.session.patch, samples.work.asset.frames
    part.splice()
    idle(desk)
    assert samples.work.asset.frames == pytest.approx(frames + 48000 - 4800, abs=2000)
    undone(desk, before)


def test_slices_are_found_dragged_and_spread_over_keys(desk: Desk, samples: SampleBench) -> None:
    sound = np.zeros(96000, np.float32)
    for k in range(4):
        n = np.arange(20000)
        sound[4000 + 22000 * k : 24000 + 22000 * k] += (
            0.5 * np.sin(2 * np.pi * (200 + 100 * k) * n / 48000) * np.exp(-n / 2500)
        )
    from felt_dial.sound.matter.audio_file import Audio

    asset = desk.session.shelf.library.keep_audio(Audio(sound[None], 48000.0), "four")
    samples.work.show_asset(asset, "four")
    samples.side.show_part("Slices")
    part = samples.side.part("Slices")
    assert isinstance(part, SlicesPart)
    part.look()
    assert wait(lambda: len(samples.work.slices) == 4)
    x = samples.wave.x_of(samples.work.slices[2] / 48000)
    desk.drag(samples.wave, QPoint(round(x), 30), QPoint(round(x) + 20, 30))
    assert samples.work.slices[2] > 48000 + 1500
    before = desk.session.patch
    part.to_keys()
    assert {t.target.rpartition(".")[2] for t in desk.session.patch.threads.values()} >= {"start", "end"}
    undone(desk, before)


def test_a_note_is_bounced_to_a_layer_to_a_patch_to_the_library_and_layer_by_layer(
    desk: Desk, samples: SampleBench
) -> None:
    samples.side.show_part("Bounce")
    part, session = samples.side.part("Bounce"), desk.session
    assert isinstance(part, BouncePart)
    part.what.setCurrentIndex(part.what.findData("note"))
    part._what(1)
    part.length.set_value(0.2)
    before, name = session.patch, session.patch.name
    alone = render(before, [Note(0.0, 0.2, 60)], 1.0, quality=session.settings.now.render_quality)
    for to in ("library", "layer", "patch"):
        part.to.setCurrentIndex(part.to.findData(to))
        part.bounce()
        idle(desk)
        assert "ounced" in desk.messages[-1]
        if to == "library":
            assert session.patch == before
            notes = [path.read_text() for path in (session.shelf.library.root / ".assets").glob("*.about")]
            assert any(f"{name} bounced" in note for note in notes)
            continue
        layer = list(session.patch.layers.values())[-1]
        assert layer.source.asset.name == f"{name} bounced" and layer.source.number("root") == 60
        sound = assets.load(layer.source.asset)
        assert np.abs(sound[:, :9000] - alone[:, :9000]).max() < 1e-4, "what the patch renders"
        undone(desk, before)
    part.to.setCurrentIndex(part.to.findData("layer"))
    part.each.setChecked(True)
    part.bounce()
    idle(desk)
    assert len(session.patch.layers) == 2 * len(before.layers)


def recording(samples: SampleBench, begins_at: float = -80.0) -> RecordPart:
    """The part that records, which has just begun."""
    samples.side.show_part("Record")
    part = samples.side.part("Record")
    assert isinstance(part, RecordPart)
    part.threshold.set_value(begins_at)
    part.trim.setChecked(False)
    part.go.click()
    return part


def test_a_take_is_recorded_from_the_simulated_microphone(desk: Desk, samples: SampleBench) -> None:
    samples.side.show_part("Record")
    part = samples.side.part("Record")
    assert isinstance(part, RecordPart) and part.recorder.state == "idle"
    before = desk.session.patch
    part.threshold.set_value(-24.0)
    part.go.click()
    assert part.recorder.state == "wait"
    assert wait(lambda: part.recorder.state == "on", 12)
    QTest.qWait(500)
    part.go.click()
    asset = samples.work.asset
    assert asset.name == "Take 1" and asset.rights == "own" and asset.seconds > 0.3
    assert np.abs(assets.load(asset)).max() > 0.05
    undone(desk, before)
    desk.window.show_page("Patch")
    assert part.recorder.state == "off"


@pytest.mark.parametrize("leave", ["another page", "another part", "another input"])
def test_who_leaves_while_it_records_loses_nothing(desk: Desk, samples: SampleBench, leave: str) -> None:
    part = recording(samples)
    before = desk.session.patch
    QTest.qWait(1500)
    if leave == "another page":
        desk.window.show_page("Patch")
    elif leave == "another part":
        samples.side.show_part("Loops")
    else:
        part.input.activated.emit(0)
    assert part.take is None and samples.work.asset.name == "Take 1" and samples.work.asset.seconds > 1.0
    assert part.recorder.state == ("idle" if leave == "another input" else "off")
    undone(desk, before)


def test_a_take_that_the_disk_does_not_hold_waits_to_be_kept(
    desk: Desk, samples: SampleBench, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    part = recording(samples)
    before = desk.session.patch
    QTest.qWait(1500)
    with monkeypatch.context() as patched:
        patched.setattr(files.os, "fsync", full)
        part.go.click()
    assert "No space left" in desk.messages[-1] and desk.session.patch == before and part.take is not None
    assert wait(lambda: part.go.text() == "Keep it" and part.drop.isVisible(), 2)
    part.go.click()
    assert part.take is None and samples.work.asset.name == "Take 1" and samples.work.asset.seconds > 1.0
    undone(desk, before)


def test_who_ends_it_before_it_began_hears_no_complaint(desk: Desk, samples: SampleBench) -> None:
    part = recording(samples, begins_at=-6.0)
    said = list(desk.messages)
    part.go.click()
    assert part.recorder.state == "idle" and part.take is None and desk.messages == said


@pytest.mark.parametrize("work", ["split", "step", "bounce"])
def test_long_work_is_cancelled_and_leaves_nothing(desk: Desk, samples: SampleBench, work: str) -> None:
    before = desk.session.patch
    store = desk.session.shelf.library.root / ".assets"
    kept = sorted(store.iterdir()) if store.is_dir() else []
    if work == "split":
        samples.split()
    elif work == "step":
        samples.work.do("part", part="tones")
    else:
        part = samples.side.part("Bounce")
        assert isinstance(part, BouncePart)
        part.bounce()
    assert desk.session.jobs.busy
    desk.session.jobs.cancel()
    idle(desk)
    assert "Stopped" in desk.messages[-1]
    assert desk.session.patch == before and samples.parts is None
    assert (sorted(store.iterdir()) if store.is_dir() else []) == kept
    samples.work.do("mono")
    idle(desk)
    assert samples.work.asset.channels == 1


def test_whose_a_recording_is_goes_along_with_it(desk: Desk, samples: SampleBench) -> None:
    samples.work.set_rights("licensed", "CC BY, A. Person")
    samples.work.do("mono")
    idle(desk)
    assert (samples.work.asset.rights, samples.work.asset.terms) == ("licensed", "CC BY, A. Person")
    assert desk.session.presets.save_new("Licensed")
    stored = desk.session.shelf.library.bank(desk.session.editor.work.bank).load(desk.session.editor.work.preset)
    assert any(getattr(layer.source, "asset", None) == samples.work.asset for layer in stored.layers.values())


def test_what_is_saved_as_a_file_has_its_root_and_loop(desk: Desk, samples: SampleBench, tmp_path: Path) -> None:
    from felt_dial.sound.matter.audio_file import read_audio

    path = f"layers.{samples.work.layer}.source."
    desk.session.editor.set(path + "loop", "forward")
    desk.window.workshop.save(tmp_path / "glass.wav")
    audio = read_audio(tmp_path / "glass.wav")
    assert audio.root == 72 and audio.loop is not None
    assert audio.loop[0] == pytest.approx(0.2 * 143999, abs=1)


def test_a_bench_without_a_recording_says_what_to_do_and_every_part_opens(desk: Desk) -> None:
    desk.window.show_page("Workshop")
    page = desk.window.workshop
    page.show_bench("Sample bench")
    for name in PARTS:
        page.recordings.side.show_part(name)
        page.recordings.grab()
    for act in (
        page.recordings.split,
        lambda: page.recordings.work.do("mono"),
        lambda: page.recordings._choose("keep"),
        page.ask_save,
    ):
        desk.messages.clear()
        act()
        assert desk.messages
    assert not desk.session.jobs.busy
    assert recorder.list_inputs()[0].id == recorder.SIMULATED
