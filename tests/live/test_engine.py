"""The engine process, its player, its devices, and its return from death."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from multiprocessing import Pipe
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from felt_dial.live.engine.devices import SIMULATED, Device, NoDevice, PortAudioOutput, SimulatedOutput, list_devices
from felt_dial.live.engine.engine import Engine, own_frames, within
from felt_dial.live.engine.kernel_preloader import COMMON, KernelPreloader
from felt_dial.live.engine.player import Player
from felt_dial.live.engine.process import compile_kernels
from felt_dial.live.link import link as links
from felt_dial.live.link.async_pipe import AsyncPipe
from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.messages import (
    Died,
    EndTaking,
    GaveUp,
    KeepSound,
    NotesTaken,
    Opened,
    PlayPhrase,
    Refused,
    SetMonitor,
    ShowPatch,
    StopPhrase,
    TakeNotes,
    WriteSound,
    Written,
)
from felt_dial.live.link.shared_memory import BANKS, RING, Shared
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.edits import add_effect, add_inlet, add_layer, add_modulator, sew
from felt_dial.patch.module import Effect, Modulator, Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.compiling import compile as compiling
from felt_dial.sound.compiling.compiled import kernel_of
from felt_dial.sound.compiling.plan import Plan
from felt_dial.sound.engine.program import Program, patch_values
from felt_dial.sound.matter import assets
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.events import OFF, ON, PANIC, Event
from felt_dial.sound.playing.phrases import PHRASES
from felt_dial.sound.render import note_events, render
from tests.live.conftest import engine, until

RATE = 48000


def bright(patch: Patch) -> Patch:
    return with_value(patch, "layers.a.level", -3.0)


# --- shared memory and player, without a process ---------------------------------------------------


def test_notes_come_through_the_ring_in_order_and_a_flood_loses_the_oldest() -> None:
    window = Shared()
    engine = Shared(window.handle)
    for key in range(50):
        window.send(Event(0, ON, key, 0.5))
    assert [event.key for event in engine.received()] == list(range(50)) and engine.received() == []
    for n in range(RING + 10):
        window.send(Event(0, OFF, n))
    received = engine.received()
    assert received[0].kind == PANIC and len(received) == RING + 1, "what was lost may have been a note's end"


def played(phrase: str, tempo: float, blocks: int, loop: bool, frames: int = 256) -> list[tuple[int, int, float]]:
    player = Player(RATE)
    player.play(PHRASES[phrase], loop)
    found = []
    for block in range(blocks):
        found += [(block * frames + e.frame, e.kind, e.key) for e in player.block(frames, tempo)]
    return found


@pytest.mark.parametrize("phrase", list(PHRASES))
def test_the_player_plays_what_the_phrase_says(phrase: str) -> None:
    """Against the phrase's notes in seconds, on the frame, within one."""
    tempo, made = 103.0, PHRASES[phrase]
    expected = sorted((e.frame, e.kind, e.key) for e in note_events(made.in_seconds(tempo), RATE))
    found = sorted(played(phrase, tempo, round(made.seconds(tempo) * RATE / 256) + 200, loop=False))
    assert len(found) == len(expected)
    assert all(abs(a[0] - b[0]) <= 1 for a, b in zip(expected, found, strict=True))


def test_a_looped_phrase_begins_again_on_its_beat_and_every_note_ends() -> None:
    made = PHRASES["drum"]
    found = played("drum", 120.0, 4 * RATE // 256 + 1, loop=True)
    starts = [frame for frame, kind, _ in found if kind == ON]
    assert [round(s / RATE / 0.5, 3) for s in starts[:8]] == [0, 0.75, 2, 3.5, 4, 4.75, 6, 7.5]
    assert sum(kind == ON for _, kind, _ in found) - sum(kind == OFF for _, kind, _ in found) <= 1
    assert made.beats == 4


def test_stopping_lets_go_of_what_sounds() -> None:
    player = Player(RATE)
    player.play(PHRASES["held"], True)
    player.block(256, 120.0)
    assert {event.key for event in player.stop()} == {48, 55, 60, 64} and player.block(256, 120.0) == []


def test_the_simulated_output_keeps_time_and_what_it_played(tmp_path: Path) -> None:
    count = [0]

    def block() -> np.ndarray:
        count[0] += 1
        if count[0] == 40:
            output.close()
        return np.full((2, 480), count[0] / 100, np.float32)

    output = SimulatedOutput(48000, 480, block, lambda seconds: None)
    output.keep()
    begin = time.perf_counter()
    output.run()
    assert time.perf_counter() - begin >= 0.39, "as slow as a sound card: never ahead of its clock"
    output.write(tmp_path / "kept.wav")
    sound, rate = soundfile.read(tmp_path / "kept.wav", dtype="float32")
    assert rate == 48000 and sound.shape == (40 * 480, 2) and sound[-1, 0] == np.float32(0.4)


def test_the_simulated_output_is_always_there_and_a_device_that_is_not_is_refused() -> None:
    devices = list_devices()
    assert devices[-1].id == SIMULATED and not devices[-1].real
    with pytest.raises(NoDevice):
        PortAudioOutput(
            Device("it", "it", True, 9999), 48000, 256, lambda: np.zeros((2, 256), np.float32), lambda s: None
        )


# --- the process -------------------------------------------------------------------------------


def test_a_phrase_sounds_and_its_meters_are_true(link: EngineLink) -> None:
    data = link.shared.data
    assert until(lambda: link.settled) and float(data["momentary"]) == -70.0
    link.tell(PlayPhrase(PHRASES["held"], True))
    assert until(lambda: int(data["voices"]) == 4)
    assert until(lambda: float(data["momentary"]) > -40)
    assert until(lambda: set(np.flatnonzero(data["keys"])) == {48, 55, 60, 64})
    assert float(data["layer_peaks"][0]) > 0.01 and float(data["load"]) > 0.0 and float(data["costs"][0]) > 0.0
    assert np.abs(data["scope"]).max() > 0.01
    link.tell(StopPhrase())
    assert until(lambda: int(data["voices"]) == 0)


def test_a_dial_is_heard_without_a_message_and_a_layer_with_one(link: EngineLink) -> None:
    patch = with_value(new_patch(), "layers.a.filter.cutoff", 500.0)
    generation = link.generation
    link.show(patch, carry=True)
    assert link.generation == generation, "values alone go through shared memory"
    assert until(lambda: abs((link.bead("layers.a.filter.cutoff") or 0) - 500.0) < 0.1)
    link.note_on(60, 1.0)
    assert until(lambda: int(link.shared.data["voices"]) == 1)
    link.show(add_layer(patch, new_layer())[0], carry=True)
    assert link.generation == generation + 1
    assert until(lambda: link.settled) and int(link.shared.data["voices"]) == 1, "the held note goes on"
    link.note_off(60)
    assert until(lambda: int(link.shared.data["voices"]) == 0)


def test_a_bead_shows_where_a_thread_has_taken_its_dial(link: EngineLink) -> None:
    patch, _ = sew(new_patch(), "w", "layers.a.pan", 0.5)
    link.show(patch, carry=True)
    link.note_on(60, 1.0)
    link.wheel(1.0)
    assert until(lambda: link.settled and abs((link.bead("layers.a.pan") or 0) - 0.5) < 0.01)
    assert link.bead("layers.z.pan") is None


def test_switching_patches_while_a_note_is_held_does_not_click(link: EngineLink, tmp_path: Path) -> None:
    """Recorded from the simulated output: no jump larger than the sines themselves make."""
    sine = with_value(with_value(new_patch(), "layers.a.source.shape", "sine"), "modulators.e1.attack", 0.05)
    other = add_effect(with_value(sine, "layers.a.octave", 1), "1", Effect.kinds["delay"]())[0]
    link.show(sine, carry=False)
    assert until(lambda: link.settled)
    link.tell(KeepSound())
    link.note_on(57, 1.0)
    time.sleep(0.3)
    for n in range(6):
        link.show(other if n % 2 == 0 else sine, carry=n >= 3)
        assert until(lambda: link.settled, 5)
        time.sleep(0.1)
    assert int(link.shared.data["voices"]) >= 1
    link.tell(WriteSound(str(tmp_path / "kept.wav")))
    assert until(lambda: any(isinstance(m, Written) for m in link.poll()))
    sound, _ = soundfile.read(tmp_path / "kept.wav", dtype="float32")
    assert np.abs(sound).max() > 0.1
    assert np.abs(np.diff(sound, axis=0)).max() < 0.035, "a sine of 880 Hz at −12 dB moves by 0.021 a frame"


def test_what_is_played_live_is_what_is_rendered(link: EngineLink, tmp_path: Path) -> None:
    """The simulated output's recording holds the offline render of the same phrase, bit for bit."""
    patch = with_value(with_value(bright(new_patch()), "layers.a.filter.on", True), "layers.a.filter.cutoff", 900.0)
    link.show(patch, carry=False)
    assert until(lambda: link.settled)
    time.sleep(0.2)
    link.tell(SetMonitor("limits", False))
    time.sleep(0.1)
    link.tell(KeepSound())
    link.tell(PlayPhrase(PHRASES["drum"], False))
    time.sleep(2.6)
    link.tell(WriteSound(str(tmp_path / "kept.wav")))
    assert until(lambda: any(isinstance(m, Written) for m in link.poll()))
    kept, _ = soundfile.read(tmp_path / "kept.wav", dtype="float32")
    phrase = PHRASES["drum"]
    sound = render(patch, phrase.in_seconds(120.0), 2.0).T
    first, begin = (int(np.argmax(np.abs(heard).sum(axis=1) > 0)) for heard in (kept, sound))
    assert np.array_equal(kept[first : first + 20000], sound[begin : begin + 20000])


def test_the_engine_comes_back_with_the_same_patch(link: EngineLink) -> None:
    patch = with_value(new_patch(), "layers.a.filter.cutoff", 777.0)
    link.show(patch, carry=True)
    link.tell(PlayPhrase(PHRASES["held"], True))
    link.tell(TakeNotes(0.0, False))
    assert until(lambda: int(link.shared.data["voices"]) == 4)
    link.kill()
    heard: list[type] = []

    def back() -> bool:
        heard.extend(type(message) for message in link.poll())
        return Died in heard and Opened in heard and link.settled

    assert until(back, 30) and link.restarts == 1
    assert until(lambda: int(link.shared.data["voices"]) == 4), "the phrase goes on too"
    assert until(lambda: abs((link.bead("layers.a.filter.cutoff") or 0) - 777.0) < 0.1)
    link.note_on(72, 0.5)
    assert until(lambda: int(link.shared.data["voices"]) == 5)
    link.tell(EndTaking())
    taken: list[NotesTaken] = []

    def told() -> bool:
        taken.extend(message for message in link.poll() if isinstance(message, NotesTaken))
        return bool(taken)

    assert until(told) and [note.key for note in taken[0].notes] == [72], "what is played is taken down again too"


@pytest.mark.parametrize("slow", [False, True])
def test_an_engine_that_cannot_start_is_tried_three_times_and_says_why(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, slow: bool
) -> None:
    """However long each try takes; the last one is on the simulated output, and the window lives on."""
    link = EngineLink("default")
    fake = tmp_path / "python"
    fake.write_text(f"#!/bin/sh\nsleep {0.3 if slow else 0}\nexit 7\n")
    fake.chmod(0o755)
    monkeypatch.setattr(sys, "executable", str(fake))
    if slow:
        monkeypatch.setattr(links, "QUICK", 0.1)
    link.start()
    heard: list[object] = []
    assert until(lambda: bool(heard.extend(link.poll())) or any(isinstance(m, GaveUp) for m in heard), 10)
    assert heard == [Died(), Died(), GaveUp("it ended with code 7")]
    assert link.device == SIMULATED and link.poll() == []
    monkeypatch.undo()
    link.reopen(SIMULATED, 48000, 256)
    assert link.wait_until_ready(60)
    link.close()


def test_an_engine_that_is_started_again_strikes_the_keys_that_are_held_and_no_others(link: EngineLink) -> None:
    """Forty notes were played before it died: none of them is heard again; the wheel stands where it stood."""
    data = link.shared.data
    link.show(with_value(new_patch(), "modulators.e1.release", 0.0), carry=False)
    assert until(lambda: link.settled)
    for key in range(40, 80):
        link.note_on(key, 0.8)
        link.note_off(key)
    link.wheel(0.7)
    link.note_on(50, 0.8)
    assert until(lambda: set(np.flatnonzero(data["keys"])) == {50})
    link.kill()
    assert until(lambda: any(isinstance(m, Opened) for m in link.poll()))
    most = 0

    def struck() -> bool:
        nonlocal most
        most = max(most, int(data["voices"]))
        return int(data["blocks"]) > 400

    data["voices"] = 0
    assert until(struck) and most == 1 and set(np.flatnonzero(data["keys"])) == {50}
    link.note_off(50)
    assert until(lambda: int(data["voices"]) == 0)
    link.kill()
    assert until(lambda: any(isinstance(m, Opened) for m in link.poll()))
    begun = int(data["blocks"])
    assert until(lambda: int(data["blocks"]) > begun + 100) and int(data["voices"]) == 0


def test_a_patch_that_breaks_the_engine_s_building_is_refused_and_the_one_before_sounds_on(link: EngineLink) -> None:
    link.note_on(60, 0.8)
    assert until(lambda: int(link.shared.data["voices"]) == 1)
    link.shared.give(link.generation + 1)
    link.tell(ShowPatch('{"format": 1}', link.generation + 1, True, 7))  # type: ignore[arg-type]
    heard: list[object] = []
    assert until(lambda: bool(heard.extend(link.poll())) or any(isinstance(m, Refused) for m in heard))
    assert int(link.shared.data["voices"]) == 1 and link.restarts == 0


def test_an_output_that_asks_for_nothing_more_is_opened_again(link: EngineLink) -> None:
    import signal

    assert until(lambda: int(link.shared.data["blocks"]) > 10)
    os.kill(link.pid, signal.SIGSTOP)
    heard: list[type] = []
    assert until(lambda: heard.extend(type(m) for m in link.poll()) or Opened in heard, 20)  # type: ignore[func-returns-value]
    assert heard[0] is Died and link.restarts == 1


def test_the_engine_ends_itself_when_the_window_dies() -> None:
    script = (
        "import time; from felt_dial.live.link.link import EngineLink\n"
        "link = EngineLink('simulated'); link.start(); link.wait_until_ready(60)\n"
        "print(link.pid, flush=True); time.sleep(60)"
    )
    window = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
    assert window.stdout is not None
    engine = int(window.stdout.readline())
    window.kill()
    window.wait()
    assert until(
        lambda: not Path(f"/proc/{engine}").exists() or "Z" in Path(f"/proc/{engine}/stat").read_text().split()[2], 10
    )


def test_without_a_sound_card_the_simulated_output_plays_and_says_why() -> None:
    link = EngineLink("9999")
    link.start()
    try:
        assert link.wait_until_ready(60)
        assert link.output_name == "Simulated output" and "9999" in link.said
        assert until(lambda: int(link.shared.data["blocks"]) > 20)
    finally:
        link.close()


def test_a_patch_that_the_engine_cannot_read_is_refused_and_the_old_one_plays_on(link: EngineLink) -> None:
    link.shared.give(link.generation + 1)
    link.tell(ShowPatch('{"format": 99}', link.generation + 1, True, ""))
    assert until(lambda: any(isinstance(m, Refused) and "format 99" in m.reason for m in link.poll()))
    link.note_on(60, 1.0)
    assert until(lambda: int(link.shared.data["voices"]) == 1)


def test_a_trim_turns_the_output_down_by_so_many_decibels(link: EngineLink) -> None:
    """Counted in blocks, not in seconds, so that a busy machine hears the same: the note stands after 400 of them."""

    def blocks_pass(count: int) -> bool:
        goal = int(link.shared.data["blocks"]) + count
        return until(lambda: int(link.shared.data["blocks"]) > goal)

    link.note_on(60, 1.0)
    assert until(lambda: float(link.shared.data["momentary"]) > -40) and blocks_pass(400)
    before = float(link.shared.data["momentary"])
    link.shared.data["trim"] = -12.0
    assert blocks_pass(200)
    assert float(link.shared.data["momentary"]) - before == pytest.approx(-12.0, abs=0.2)


def test_hold_keeps_keys_that_are_let_go(link: EngineLink) -> None:
    link.hold(True)
    link.note_on(64, 1.0)
    link.note_off(64)
    assert until(lambda: int(link.shared.data["voices"]) == 1)
    time.sleep(0.5)
    assert int(link.shared.data["keys"][64]) == 1
    link.hold(False)
    assert until(lambda: int(link.shared.data["voices"]) == 0)


def test_hold_and_keys_come_in_the_order_in_which_they_were_pressed(kernels: None) -> None:
    """However many of them fall into one block: a window that is held up says all at once."""
    made = engine(new_patch())
    window = EngineLink(SIMULATED)
    made.shared = made.input.shared = window.shared
    window.note_on(60, 1.0)
    window.note_off(60)
    window.hold(True)
    for key in (64, 67):
        window.note_on(key, 1.0)
        window.note_off(key)
    window.note_on(67, 1.0)
    made.block()
    held = {float(key) for key in made.program.voices.key[made.program.voices.held]}
    assert held == {64.0, 67.0}
    window.hold(False)
    made.block()
    held = {float(key) for key in made.program.voices.key[made.program.voices.held]}
    assert held == {67.0}, "that key is down"
    window.silence()
    made.block()
    assert not made.program.voices.held.any()


def test_no_more_voices_are_shown_than_there_may_be(kernels: None) -> None:
    """One that fades to make room for another is none of those that sound."""
    made, shown = engine(with_value(new_patch(), "voices", 3)), []
    for key in range(40, 60):
        made.shared.send(Event(0, ON, key, 0.8))
        for _ in range(6):  # one of them reports
            made.block()
        shown.append(int(made.shared.data["voices"]))
    assert max(shown) == 3 == min(shown[3:])


def test_another_rate_and_block_open_anew(link: EngineLink) -> None:
    link.reopen(SIMULATED, 96000, 128)
    heard: list[Opened] = []

    def opened() -> bool:
        heard.extend(m for m in link.poll() if isinstance(m, Opened))
        return bool(heard)

    assert until(opened, 60) and (heard[0].rate, heard[0].frames) == (96000.0, 128)
    link.tell(PlayPhrase(PHRASES["held"], True))
    assert until(lambda: int(link.shared.data["voices"]) == 4)


def test_the_window_process_never_imports_numba_and_the_engine_never_qt() -> None:
    window = (
        "import sys, felt_dial.ui.frame.window, felt_dial.ui.frame.app\n"
        "assert 'numba' not in sys.modules and 'librosa' not in sys.modules and 'scipy' not in sys.modules"
    )
    engine = (
        "import sys; import felt_dial.live.engine.engine; assert not any('PySide6' in name for name in sys.modules)"
    )
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    for script in (window, engine):
        subprocess.run([sys.executable, "-c", script], check=True, env=environment)


def test_nothing_is_silent_before_the_engine_has_said_a_word() -> None:
    window = Shared()
    assert all(window.data[name] == -np.inf for name in ("momentary", "short_term", "integrated"))


def test_another_patch_comes_while_kernels_are_still_loaded() -> None:
    """What nobody asked for yet is loaded beside the window's messages: a patch waits only for its own kernels."""
    made = engine(new_patch())
    assert made.preloader.cold[0] == COMMON and set(made.preloader.cold) == set(Source.kinds)
    patch = with_value(new_patch(), "layers.a.level", -3.0)
    values = patch_values(patch)
    made.shared.give(1)[: len(values)] = values
    show = threading.Thread(
        target=made.hear, args=(ShowPatch(write_patch(patch), 1, False, assets.searched()),), daemon=True
    )
    with made.preloader.lock:  # as if another thread were loading
        show.start()
        show.join(60)
    assert not show.is_alive() and made.ready is not None and made.ready[1] == 1
    made.preloader.load_the_rest(lambda: 1000)
    assert not made.preloader.cold


def test_what_a_patch_has_switched_off_is_loaded_with_it(monkeypatch: pytest.MonkeyPatch) -> None:
    """To switch on is only another value: no block may wait for a kernel then."""
    patch, key = add_effect(new_patch(), "1", Effect.kinds["phaser"]())
    patch = with_value(patch, f"racks.1.{key}.on", False)
    assert not patch.layers["a"].filter.get("on") and not patch.layers["a"].drive.get("on")
    called: list[object] = []
    call = Plan.call

    def spy(plan: Plan, kernel: object, *given: object, **kept: Any) -> None:
        called.append(kernel)
        call(plan, kernel, *given, **kept)

    monkeypatch.setattr(Plan, "call", spy)
    KernelPreloader(48000.0, 256).load(patch)
    layer = patch.layers["a"]
    for module in (layer.source, layer.drive, layer.filter, patch.racks["1"][key]):
        assert kernel_of(module) in called


def test_an_engine_whose_window_is_gone_compiles_no_further(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nobody listens to the sound yet, so that it would notice only once all is compiled, minutes later."""
    made, done, helpers = engine(new_patch()), [], []

    class Helper:
        def __init__(self, command: list[str]) -> None:
            helpers.append([command[-1]])

        def kill(self) -> None:
            helpers[-1].append("killed")

        def wait(self) -> None:
            pass

    def run_all(beside: object, progress: Callable[[int, int], None]) -> None:
        for n in range(1000):
            progress(n, 1000)
            done.append(n)
            until(lambda: made.window.gone, 0.2)

    monkeypatch.setattr(compiling, "kernels_ready", lambda: False)
    monkeypatch.setattr(compiling, "_run_all", run_all)
    monkeypatch.setattr(compiling.subprocess, "Popen", Helper)
    with pytest.raises(SystemExit):
        compile_kernels(made)
    assert len(done) < 1000 and helpers == [["tone", "killed"]]


def shown(made: Engine, patch: Patch, generation: int) -> None:
    """Lets an engine in this process sound like a patch, as the window does."""
    values = patch_values(patch)
    made.shared.give(generation)[: len(values)] = values
    made.hear(ShowPatch(write_patch(patch), generation, False, assets.searched()))
    made.block()


def test_values_that_were_given_to_a_later_patch_are_not_read_as_those_of_an_earlier_one(kernels: None) -> None:
    """Rooms for values go round; an engine that is slow may still sound what had one of them before."""
    there, alone = engine(new_patch()), engine(new_patch())
    for made in (there, alone):
        shown(made, bright(new_patch()), 3)
        made.shared.send(Event(0, ON, 57, 0.8))
        for _ in range(20):
            made.block()
    room = there.shared.give(3 + BANKS)
    room[:] = np.random.default_rng(2).uniform(-1e6, 1e6, room.shape)
    for _ in range(50):
        assert np.array_equal(there.block(), alone.block())
    assert not there.program.asked(), "and they keep nobody awake"
    there.shared.give(3)[: len(there.program.values)] = patch_values(with_value(new_patch(), "layers.a.level", -20.0))
    there.block()
    assert there.program.values[there.program.at["layers.a.level"]] == -20.0


def test_a_patch_whose_values_are_gone_before_it_is_built_is_passed_over(kernels: None) -> None:
    """The next one has come by then; it carries the sound on only where all that were passed over do."""
    made = engine(new_patch())
    text, values = write_patch(new_patch()), patch_values(new_patch())
    made.shared.give(1 + BANKS)[: len(values)] = values
    made.hear(ShowPatch(text, 1, False, assets.searched()))
    assert made.ready is None
    made.hear(ShowPatch(text, 1 + BANKS, True, assets.searched()))
    assert made.ready is not None and made.ready[1:] == (1 + BANKS, False)
    made.block()
    made.shared.give(2)[: len(values)] = values
    made.hear(ShowPatch(text, 2, True, assets.searched()))
    assert made.ready is not None and made.ready[1:] == (2, True)


def test_going_quickly_through_all_sounds_of_the_demo_does_no_harm(link: EngineLink) -> None:
    """As fast as a key repeats, and faster than the engine can follow; what is on the table in the end is what sounds."""
    root = Path(links.__file__).parents[1] / "data" / "banks"
    assets.look_in(root)
    patches = [read_patch(path.read_bytes(), path.stem) for path in sorted(root.glob("*/presets/*.json"))]
    link.note_on(52, 0.8)
    for pause in (0.03, 0.003, 0.0005):
        for patch in patches:
            link.show(patch, carry=False)
            link.poll()
            time.sleep(pause)
    assert until(lambda: not link.poll() and link.settled, 60) and link.restarts == 0
    link.show(bright(new_patch()), carry=False)
    assert until(lambda: link.settled)
    assert until(lambda: link.bead("layers.a.level") == pytest.approx(-3.0, abs=0.01))


@pytest.mark.parametrize("frames", [512, 1024, 2048])
def test_a_longer_block_of_the_device_is_the_same_sound(frames: int) -> None:
    """Layers that hear one another, a follower and a driven layer: what the device asks for at once changes no bit."""
    patch, other = add_layer(with_value(new_patch(), "layers.a.drive.on", True), new_layer())
    patch = add_inlet(add_inlet(patch, "a", other, 2.0), other, "a", 1.0)
    patch, key = add_modulator(patch, Modulator.kinds["follow"]())
    patch, _ = sew(patch, key, "layers.a.pitch", 0.2)
    heard = []
    for size in (256, frames):
        here, _ = Pipe()
        made = Engine(Shared(), AsyncPipe(here), SIMULATED, 48000.0, size)
        made.program = Program(patch, 48000, made.own)
        made.player.play(PHRASES["arpeggio"], False)
        heard.append(np.concatenate([made.block().copy() for _ in range(49152 // size)], axis=1))
    assert np.abs(heard[0]).max() > 0.01 and np.array_equal(*heard)


def test_a_block_of_another_length_is_made_in_one_piece() -> None:
    assert [own_frames(frames) for frames in (64, 128, 256, 512, 768, 300)] == [64, 128, 256, 256, 256, 300]
    found = within([Event(0, ON, 60, 1.0), Event(255, ON, 61, 1.0), Event(256, ON, 62, 1.0)], 256, 256)
    assert [(event.frame, event.key) for event in found] == [(0, 62)]
