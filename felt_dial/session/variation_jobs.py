"""Growth: offshoots that are grown beside the window by helpers, as they come; stopped and gone at a word."""

from __future__ import annotations

import math
import os
import queue
import threading
import time
from collections.abc import Callable
from copy import copy
from functools import partial
from typing import Any, NamedTuple

import numpy as np

from felt_dial.bank.measuring.features import vector
from felt_dial.bank.variation.match_search import Search
from felt_dial.bank.variation.variations import Variation, VariationOptions, least_apart, spread
from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.session.channel import Channel
from felt_dial.session.topics import Frame
from felt_dial.workers.helper import Helper

GROWING = "felt_dial.bank.variation.variation_render:"
"""Renders, and so is never imported by the window."""
AIMING = "felt_dial.bank.variation.match_render:"
HANDS = max(2, min((os.cpu_count() or 2) - 1, 6))
"""Helpers that grow side by side: one core is left to the window and the sound."""
WORTH = 0.03
"""A sound that came nearer by less than this part is not shown by itself."""
Changes = tuple[tuple[str, str, str], ...]
MORE = 1.25
"""So many times as many as wished are grown, of which those are kept that lie farthest apart."""
MOST_TRIED = 4
STATE = ("found", "thrown", "parent_", "aimed", "search", "_aim", "audible", "wanted", "seconds", "apart")
"""What a step on the map changes, and an undo of it brings back."""


class Aim(NamedTuple):
    """What a search is about: the recording, the sound that it begins with, what may change, how near the last sound was that
    was shown, and what was being tried as it was stopped."""

    recording: str
    document: str
    wishes: VariationOptions
    shown: list[float]
    lost: list[Any]


class Grown(NamedTuple):
    """One more offshoot is there, or all are."""


class Ordered(NamedTuple):
    """What changed in the offshoot of a document is known by how audible it is."""

    document: str


class Growth:
    """What grows."""

    def __init__(self, channel: Channel) -> None:
        self.channel = channel
        self.helpers = [Helper() for _ in range(HANDS)]
        self.parent_: Variation | None = None
        self.found: list[Variation] = []
        self.thrown: list[str] = []
        self.wanted = 0
        self.seconds = 0.0
        self.apart = 0.0
        self.busy = False
        self.search: Search | None = None
        """The search towards a recording, where there is or was one."""
        self.aimed: Variation | None = None
        self.audible: dict[str, Changes] = {}
        """What changed in an offshoot, most audible first, by its document."""
        self._asked: set[str] = set()
        self._begin = self._until = 0.0
        self._aim: Aim | None = None
        self._run = 0
        self._lock = threading.Lock()
        self._heard: queue.Queue[Callable[[], None]] = queue.Queue()
        channel.watch(self._poll, Frame)

    @property
    def part(self) -> float:
        """How much of it is done."""
        if self.busy and self.search is not None:
            whole = max(self._until - self._begin, 1e-3)
            return min((time.monotonic() - self._begin) / whole, 1.0)
        return min(len(self.found) / max(round(self.wanted * MORE), 1), 1.0) if self.busy else 1.0

    def state(self) -> dict[str, object]:
        """What stands there now, for `put_back`."""
        return {name: copy(getattr(self, name)) for name in STATE}

    def put_back(self, state: dict[str, object]) -> None:
        """What stood there before stands there again; what grows is ended."""
        self.stop()
        self._run += 1
        for name, value in state.items():
            setattr(self, name, copy(value))
        self.channel.tell(Grown())

    def _begin_anew(self, wanted: int = 0, search: Search | None = None, seconds: float = 0.0) -> int:
        """Forgets what grew before; the number of the new run."""
        self.stop()
        self._run += 1
        self.found, self.thrown, self.wanted, self.apart = [], [], wanted, 0.0
        self.parent_ = self.aimed = None
        self.search, self.audible, self._asked = search, {}, set()
        self._begin = time.monotonic()
        self._until = self._begin + seconds
        return self._run

    def _by_hands(
        self, run: int, work: Callable[[Helper], None], ended: Callable[[], None], hands: int = HANDS
    ) -> None:
        """Lets helpers work side by side; a sentence that stops one of them is said, and the last of them ends the run."""
        self.busy = True
        left = [hands]

        def hand(helper: Helper) -> None:
            try:
                work(helper)
            except FeltDialError as wrong:
                if run == self._run:
                    self._heard.put(partial(self.channel.say, str(wrong), problem=True))
            with self._lock:
                left[0] -= 1
                last = left[0] == 0
            if last:
                self._heard.put(ended)

        for helper in self.helpers[:hands]:
            threading.Thread(target=hand, args=(helper,), daemon=True).start()
        self.channel.tell(Grown())

    def warm(self, document: str) -> None:
        """Has the helpers know a sound before anything is asked of them; it stands on the map at once."""
        run = self._begin_anew()

        def work(helper: Helper) -> None:
            try:
                parent = helper.call_named(GROWING + "parent_as_offshoot", document)
            except FeltDialError:
                return  # it is said when something is asked
            self._heard.put(partial(self._take_parent, run, parent))

        for helper in self.helpers:
            threading.Thread(target=work, args=(helper,), daemon=True).start()

    def start(self, document: str, wishes: VariationOptions) -> None:
        """Grows offshoots of a patch; what grew before is gone."""
        run = self._begin_anew(wishes.count)
        self._next = 0
        wanted, most = round(wishes.count * MORE), MOST_TRIED * wishes.count
        made: list[tuple[int, Variation]] = []

        def work(helper: Helper) -> None:
            parent = helper.call_named(GROWING + "parent_as_offshoot", document)
            self._heard.put(partial(self._take_parent, run, parent))
            while run == self._run:
                with self._lock:
                    if sum(not one.wrong for _, one in made) >= wanted or self._next >= most:
                        break
                    number, self._next = self._next, self._next + 1
                one = helper.call_named(GROWING + "grow", document, wishes, number)
                with self._lock:
                    made.append((number, one))
                self._heard.put(partial(self._take, run, one))

        self._by_hands(run, work, partial(self._end, run, wishes, made))

    def between(self, documents: list[str]) -> None:
        """Has steps from one sound to another rendered, in their order."""
        run = self._begin_anew(len(documents))

        def work(helper: Helper) -> None:
            for document in documents:
                one = helper.call_named(GROWING + "step_between", document, documents[0])
                self._heard.put(partial(self._take, run, one))

        self._by_hands(run, work, partial(self._end, run, None, []), hands=1)

    def towards(self, recording: str, document: str, wishes: VariationOptions, seconds: float) -> None:
        """Searches for sounds that come nearer to a recording, each of them there as it is found, until that is stopped or
        the time is over."""
        search = Search(read_patch(document, "The sound"), wishes)
        self._search_on(self._begin_anew(0, search, seconds), Aim(recording, document, wishes, [math.inf], []))

    def go_on(self, seconds: float) -> None:
        """Goes on with a search that has ended, from where it was."""
        if self.search is None or self._aim is None or self.busy:
            return
        self._run += 1
        self._begin = time.monotonic()
        self._until = self._begin + seconds
        self._search_on(self._run, self._aim)

    @property
    def can_go_on(self) -> bool:
        """Whether there is a search that has ended."""
        return self.search is not None and self._aim is not None and not self.busy

    def _search_on(self, run: int, aim: Aim) -> None:
        search, recording, document, wishes = self.search, aim.recording, aim.document, aim.wishes
        assert search is not None
        self._aim = aim

        def next_rows() -> list[Any]:
            with self._lock:
                return [aim.lost.pop()] if aim.lost else list(search.ask(1))

        def work(helper: Helper) -> None:
            aimed = helper.call_named(AIMING + "target", recording, document)
            self._heard.put(partial(self._take_aimed, run, aimed))
            while run == self._run and time.monotonic() < self._until:
                rows = next_rows()
                if not rows:
                    time.sleep(0.02)
                    continue
                made, playing = search.patch_of(rows[0]), search.playing_of(rows[0])
                patch = write_patch(made)
                try:
                    one_try = helper.call_named(AIMING + "tried", recording, patch, playing)
                except FeltDialError:
                    with self._lock:
                        aim.lost.append(rows[0])  # stopped within it: it is tried again where the search goes on
                    raise
                with self._lock:
                    nearer = search.tell(rows, [one_try.far], [one_try.away])
                    # the sound itself, only played otherwise, is no find
                    worth = nearer and made != search.patch and search.far < aim.shown[0] * (1 - WORTH)
                    if worth:
                        aim.shown[0] = search.far
                if worth:
                    one = helper.call_named(AIMING + "come_to", recording, patch, document, wishes.as_loud, playing)
                    self._heard.put(partial(self._take_nearer, run, one))

        self._by_hands(run, work, partial(self._end, run, None, []))

    def _take_aimed(self, run: int, aimed: Variation) -> None:
        if run == self._run and self.aimed is None:
            self.aimed = self.parent_ = aimed
            self.channel.tell(Grown())

    def _take_nearer(self, run: int, one: Variation) -> None:
        if run == self._run:
            self.found = sorted([*self.found, one], key=lambda found: -found.far)
            self.channel.tell(Grown())

    def ask_audible(self, document: str, one: Variation) -> None:
        """Has what changed in an offshoot put in the order in which it is heard; `Ordered` is told once it is."""
        if one.document in self._asked or self.busy:
            return
        self._asked.add(one.document)
        helper, run = self.helpers[-1], self._run

        def work() -> None:
            try:
                order = helper.call_named(GROWING + "audible", document, one.document)
            except FeltDialError:
                return  # they stand in the order in which they were moved
            self._heard.put(partial(self._take_audible, run, one.document, order))

        threading.Thread(target=work, daemon=True).start()

    def _take_audible(self, run: int, document: str, order: Changes) -> None:
        if run == self._run:
            self.audible[document] = order
            self.channel.tell(Ordered(document))

    def stop(self) -> None:
        """Ends what grows; what is there stays."""
        if self.busy:
            self._run += 1
            self.busy = False
            for helper in self.helpers:
                helper.close()
            self.channel.tell(Grown())

    def close(self) -> None:
        """Ends its helpers."""
        self._run += 1
        for helper in self.helpers:
            helper.close()

    def _take_parent(self, run: int, parent: Variation) -> None:
        if run == self._run and self.parent_ is None:
            self.parent_ = parent
            self.channel.tell(Grown())

    def _take(self, run: int, one: Variation) -> None:
        if run != self._run:
            return
        if one.wrong:
            self.thrown.append(one.wrong)
        else:
            self.found.append(one)
        self.channel.tell(Grown())

    def _end(self, run: int, wishes: VariationOptions | None, made: list[tuple[int, Variation]]) -> None:
        """All are there: in the order of their numbers, so that the same seed gives the same; the nearest to another left out."""
        if run != self._run:
            return
        self.busy, self.seconds = False, time.monotonic() - self._begin
        if wishes is not None:
            good = [one for _, one in sorted(made, key=lambda row: row[0]) if not one.wrong]
            good = good[: round(wishes.count * MORE)]
            points = np.stack([vector(one.features) for one in good]) if good else np.zeros((0, 1))
            kept = spread(points, wishes.count)
            self.found = [good[n] for n in kept]
            self.apart = least_apart(points[kept]) if kept else 0.0
        self.channel.tell(Grown())

    def _poll(self) -> None:
        while not self._heard.empty():
            self._heard.get()()
