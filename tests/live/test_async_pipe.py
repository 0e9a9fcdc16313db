"""The wire: neither side waits for the other, whatever that does."""

from __future__ import annotations

import os
import signal
import threading
from multiprocessing import Pipe

import pytest

from felt_dial.live.link.async_pipe import MOST_WAITING, AsyncPipe
from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.messages import ControlsTurned, Died, SetTap, TakeController
from felt_dial.patch.edits import add_effect
from felt_dial.patch.module import Effect
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.events import ON, Event
from tests.live.conftest import engine, until

MANY = 5000
"""Far more messages than a pipe holds, which are some hundreds (as measured on Linux)."""


def test_what_is_said_arrives_in_order_however_long_nobody_listens() -> None:
    here, there = Pipe()
    wire = AsyncPipe(here)
    said = threading.Thread(target=lambda: [wire.tell(n) for n in range(MANY)], daemon=True)
    said.start()
    said.join(60)
    assert not said.is_alive(), "it does not wait"
    assert [there.recv() for _ in range(MANY)] == list(range(MANY))
    there.send("and back")
    assert wire.poll() and wire.recv() == "and back"


def test_an_end_that_is_gone_is_known_and_costs_nothing() -> None:
    here, there = Pipe()
    wire = AsyncPipe(here)
    there.close()
    wire.tell("lost")
    assert until(lambda: wire.gone)
    for n in range(MANY):
        wire.tell(n)
    assert wire._line.qsize() == 0
    wire.close()


def test_the_line_is_bounded_and_closing_sends_what_waits() -> None:
    here, there = Pipe()
    wire = AsyncPipe(here)
    for n in range(2 * MOST_WAITING):
        wire.tell(n)
    assert wire._line.qsize() <= MOST_WAITING
    heard: list[int] = []

    def listen() -> None:
        while (message := there.recv()) != "last":
            heard.append(message)

    listener = threading.Thread(target=listen, daemon=True)
    listener.start()
    assert until(lambda: wire._line.qsize() == 0)
    wire.tell("last")
    wire.close(30.0)
    listener.join(30)
    assert not listener.is_alive() and heard == sorted(set(heard)) and len(heard) >= MOST_WAITING


def test_a_window_that_is_busy_does_not_stop_the_sound(kernels: None) -> None:
    """A knob of the controller is turned while it hears nothing: every block has something to tell it."""
    made = engine(new_patch())
    here, there = Pipe()
    made.window = AsyncPipe(here)
    made.hear(TakeController("simulated"))
    made.block()
    assert made.input.controller is not None
    made.shared.send(Event(0, ON, 57, 0.8))
    turned = 0

    def play() -> None:
        nonlocal turned
        for n in range(1500):
            made.input.controller.reader.controls.append((20, n % 128 / 127))  # type: ignore[union-attr]
            made.block()
            turned += 1

    sounds = threading.Thread(target=play, daemon=True)
    sounds.start()
    sounds.join(60)
    assert not sounds.is_alive() and turned == 1500
    assert isinstance(there.recv(), ControlsTurned)


def test_an_engine_that_stands_still_does_not_hold_the_window_up(link: EngineLink) -> None:
    patch = new_patch()
    for _ in range(8):
        patch, _ = add_effect(patch, "1", Effect.kinds["delay"]())
    os.kill(link.pid, signal.SIGSTOP)

    def work() -> None:
        for n in range(300):
            link.show(patch if n % 2 else new_patch(), carry=True)
            link.tell(SetTap(f"racks.1.delay{n % 8 + 1}"))

    working = threading.Thread(target=work, daemon=True)
    working.start()
    working.join(60)
    assert not working.is_alive()
    link.kill()
    assert until(lambda: any(isinstance(m, Died) for m in link.poll()))
    assert link.wait_until_ready(60) and until(lambda: link.settled), "and the next one has the last of them"


def test_several_threads_speak_through_one_line(monkeypatch: pytest.MonkeyPatch) -> None:
    """Each is heard in its own order; the sound, the side thread and the look-out for devices all tell the window."""
    here, there = Pipe()
    wire = AsyncPipe(here)
    ready, begun, start = threading.Barrier(4), [], threading.Thread.start

    def counted(thread: threading.Thread) -> None:
        if thread not in speakers:
            begun.append(thread)
        start(thread)

    def speak(who: int) -> None:
        ready.wait(30)
        for n in range(200):
            wire.tell((who, n))

    speakers = [threading.Thread(target=speak, args=(who,), daemon=True) for who in range(4)]
    monkeypatch.setattr(threading.Thread, "start", counted)
    for one in speakers:
        one.start()
    heard = [there.recv() for _ in range(800)]
    for who in range(4):
        assert [n for speaker, n in heard if speaker == who] == list(range(200))
    assert len(begun) == 1
