"""The channel: who is told of what, and of what no more."""

from __future__ import annotations

import sys
from typing import NamedTuple

import pytest

from felt_dial.session.channel import EVERYTHING, Asked, Channel, Said

CUTOFF = "layers.a.filter.cutoff"


class Struck(NamedTuple):
    """A topic of this test."""

    key: int


class Sleeper:
    """Counts how often it was woken, and keeps what it heard."""

    def __init__(self) -> None:
        self.woken = 0
        self.heard: list[Struck] = []

    def follow(self) -> None:
        self.woken += 1

    def hear(self, struck: Struck) -> None:
        self.heard.append(struck)


def test_one_is_woken_by_what_it_looks_at_and_by_what_nobody_knows() -> None:
    channel = Channel()
    looks = {
        "at a dial": CUTOFF,
        "at a layer": "layers.a",
        "at every cutoff": "layers.*.filter.cutoff",
        "at all": EVERYTHING,
    }
    found = {name: Sleeper() for name in looks}
    other, twice = Sleeper(), Sleeper()
    for name, path in looks.items():
        channel.watch(found[name].follow, path)
    channel.watch(other.follow, "layers.b", "tempo")
    channel.watch(twice.follow, CUTOFF, "layers.a.filter")
    channel.wake([CUTOFF])
    assert {name: one.woken for name, one in found.items()} == dict.fromkeys(looks, 1)
    assert other.woken == 0 and twice.woken == 1
    channel.wake(["layers.a.filter.resonance"])
    assert found["at a dial"].woken == 1 and found["at a layer"].woken == 2 and other.woken == 0
    channel.wake(None)
    assert other.woken == 1 and found["at a dial"].woken == 2


def test_one_that_names_nothing_is_woken_where_more_than_values_may_have_changed() -> None:
    channel, one = Channel(), Sleeper()
    channel.watch(one.follow)
    channel.wake([CUTOFF])
    assert one.woken == 0
    channel.wake(None)
    assert one.woken == 1


def test_a_topic_is_heard_with_what_it_says_or_without_and_only_by_those_who_asked() -> None:
    channel, one, other = Channel(), Sleeper(), Sleeper()
    channel.hear(Struck, one.hear)
    channel.watch(one.follow, Struck, CUTOFF)
    channel.watch(other.follow, CUTOFF)
    channel.tell(Struck(60))
    assert one.heard == [Struck(60)] and one.woken == 1 and other.woken == 0
    channel.wake(None)
    assert one.woken == 2 and other.woken == 1
    channel.leave(one.follow, Struck)
    channel.tell(Struck(62))
    assert one.woken == 2 and len(one.heard) == 2


def test_one_that_only_hears_topics_is_not_woken_by_edits() -> None:
    channel, one = Channel(), Sleeper()
    channel.watch(one.follow, Struck)
    channel.wake(None)
    channel.wake([CUTOFF])
    assert one.woken == 0


def test_whoever_vanished_is_not_called() -> None:
    dead: set[int] = set()
    channel = Channel(lambda owner: id(owner) not in dead)
    gone, taken, stays = Sleeper(), Sleeper(), Sleeper()
    for one in (gone, taken, stays):
        channel.watch(one.follow, CUTOFF, Struck)
        channel.watch(one.follow, CUTOFF)
    dead.add(id(taken))
    del gone
    channel.wake([CUTOFF])
    channel.wake(None)
    channel.tell(Struck(60))
    assert stays.woken == 3 and taken.woken == 0


def test_one_may_look_elsewhere() -> None:
    channel, one = Channel(), Sleeper()
    channel.watch(one.follow, CUTOFF)
    channel.look_elsewhere(one.follow, [CUTOFF], ["tempo"])
    channel.wake([CUTOFF])
    assert one.woken == 0
    channel.wake(["tempo"])
    assert one.woken == 1


def test_what_fails_in_one_is_told_and_the_others_are_called(monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[type[BaseException]] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, wrong, trace: told.append(kind))
    channel, stays = Channel(), Sleeper()

    def fails(struck: Struck) -> None:
        raise ZeroDivisionError

    channel.hear(Struck, fails)
    channel.hear(Struck, stays.hear)
    channel.tell(Struck(60))
    assert told == [ZeroDivisionError] and stays.heard == [Struck(60)]


def test_one_who_leaves_while_it_is_told_is_heard_no_more() -> None:
    channel, heard = Channel(), list[int]()

    def once(struck: Struck) -> None:
        heard.append(struck.key)
        channel.leave(once, Struck)

    channel.hear(Struck, once)
    channel.tell(Struck(60))
    channel.tell(Struck(62))
    assert heard == [60]


def test_sentences_go_by_the_channel_as_well() -> None:
    channel = Channel()
    said: list[object] = []
    channel.hear(Said, said.append)
    channel.hear(Asked, said.append)
    channel.say("Saved.")
    channel.ask("Which?", (("This", lambda: None),), problem=False)
    assert said[0] == Said("Saved.", False)
    assert isinstance(said[1], Asked) and said[1].text == "Which?" and [text for text, _ in said[1].answers] == ["This"]
