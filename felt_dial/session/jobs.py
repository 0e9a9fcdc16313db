"""Jobs: long work beside the window, one at a time, while the sound goes on; and what is only looked up for a picture."""

from __future__ import annotations

import queue
import threading
import traceback
from collections.abc import Callable
from functools import partial
from typing import Any, TypeVar

from felt_dial.errors import FeltDialError, cut
from felt_dial.session.channel import Channel
from felt_dial.session.topics import Frame, JobMoved

T = TypeVar("T")
Watch = Callable[[float], bool]
"""Told the part that is done, 0 to 1; False where the work should stop."""


class Jobs:
    """The job that runs: its name, how far it is, and a way to stop it."""

    def __init__(self, channel: Channel) -> None:
        self.channel = channel
        self.name, self.part, self._shown = "", 0.0, -1.0
        self._heard: queue.Queue[Callable[[], None]] = queue.Queue()
        self._stop = threading.Event()

    @property
    def busy(self) -> bool:
        """True while a job runs."""
        return bool(self.name)

    def cancel(self) -> None:
        """Stops the job; nothing of it is kept."""
        self._stop.set()

    def poll(self) -> None:
        """Hears what the job has to say; called by the window, again and again."""
        shown = self.part
        while not self._heard.empty():
            self._heard.get()()
        if self.busy and shown != self._shown:
            self._shown = shown
            self.channel.tell(JobMoved())

    def start(self, name: str, work: Callable[[Watch], T], then: Callable[[T], None]) -> None:
        """Has `work` done in a thread, and `then` in the window with what it found.

        `work` raises `FeltDialError` where it fails or is stopped.
        """
        if self.busy:
            self.channel.say(f"{self.name} is still going on; wait for it or cancel it.", problem=True)
            return
        self.name, self.part = name, 0.0
        self._stop.clear()

        def watch(part: float) -> bool:
            self.part = part
            return not self._stop.is_set()

        def end(act: Callable[[], None]) -> None:
            def done() -> None:
                self.name = ""
                try:
                    act()
                finally:
                    self.channel.tell(JobMoved())

            self._heard.put(done)

        def run() -> None:
            try:
                found = work(watch)
            except Exception as wrong:
                if not isinstance(wrong, FeltDialError):
                    traceback.print_exc()
                sentence = str(wrong) if isinstance(wrong, FeltDialError) else f"{name} failed: {cut(wrong)}."
                end(lambda: self.channel.say(sentence, problem=True))
            else:
                end(lambda: then(found))

        self.channel.tell(JobMoved())
        threading.Thread(target=run, name=name, daemon=True).start()


def part_of(watch: Watch, first: float, last: float) -> Watch:
    """What watches a part of the work, which goes from `first` to `last` of the whole."""
    return lambda part: watch(first + (last - first) * part)


class Latest:
    """Looks something up beside the window; of several questions only the last one is answered."""

    def __init__(self, channel: Channel) -> None:
        self._wanted: tuple[Callable[[], object], Callable[[Any], None], Callable[[str], None]] | None = None
        self._heard: queue.Queue[Callable[[], None]] = queue.Queue()
        self._lock = threading.Lock()
        self.busy = False
        """True while an answer is waited for."""
        channel.watch(self.poll, Frame)

    def ask(
        self, work: Callable[[], T], then: Callable[[T], None], failed: Callable[[str], None] = lambda _: None
    ) -> None:
        """Has `work` done in a thread, then `then` called in the window with what it found, or `failed` with a sentence."""
        with self._lock:
            self._wanted = (work, then, failed)
            if not self.busy:
                self.busy = True
                threading.Thread(target=self._run, daemon=True).start()

    def _run(self) -> None:
        while True:
            with self._lock:
                if self._wanted is None:
                    self.busy = False
                    return
                asked, self._wanted = self._wanted, None
            work, then, failed = asked
            try:
                found = work()
            except FeltDialError as wrong:
                self._heard.put(partial(failed, str(wrong)))
            except Exception as wrong:
                traceback.print_exc()
                self._heard.put(partial(failed, f"That could not be looked up: {cut(wrong)}."))
            else:
                self._heard.put(partial(self._answer, then, found))

    def _answer(self, then: Callable[[Any], None], found: object) -> None:
        if self._wanted is None:
            then(found)

    def poll(self) -> None:
        """Answers in the window; called at every frame."""
        while not self._heard.empty():
            self._heard.get()()
