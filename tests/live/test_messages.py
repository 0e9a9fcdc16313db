"""Messages between window and engine: every type is dealt with, and one that is not known is an error."""

from __future__ import annotations

import inspect

import pytest

from felt_dial.live.engine import note_input
from felt_dial.live.engine.engine import AT_ONCE, IN_BLOCK
from felt_dial.live.link import messages
from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.messages import (
    ENDS,
    STANDS,
    Begin,
    EndTaking,
    Handlers,
    LoopPhrase,
    MeasureAnew,
    Misunderstood,
    Opened,
    PlayPhrase,
    SetMonitor,
    StopPhrase,
    TakeController,
    TakeNotes,
    UnknownMessage,
)
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.phrases import PHRASES
from tests.live.conftest import engine, until

EVERY = {
    kind
    for _, kind in inspect.getmembers(messages, inspect.isclass)
    if issubclass(kind, tuple) and kind.__module__ == messages.__name__
}


def test_every_message_has_one_that_deals_with_it() -> None:
    """What the window does with those of the engine is in `tests/ui/test_parts.py`."""
    dealt = IN_BLOCK.kinds | AT_ONCE.kinds | {Begin}
    kinds = [kind for _, kind in inspect.getmembers(messages, inspect.isclass) if kind in EVERY]
    by_line = sorted(kinds, key=lambda kind: inspect.getsourcelines(kind)[1])
    of_window = set(by_line[: by_line.index(Opened)])
    assert dealt == of_window, dealt ^ of_window
    assert not IN_BLOCK.kinds & AT_ONCE.kinds and set(STANDS) | set(ENDS) <= of_window


def test_what_stands_is_told_again_and_what_ended_is_not() -> None:
    link = EngineLink("simulated")
    phrase = PHRASES["held"]
    for message in (
        SetMonitor("mono", True),
        SetMonitor("mono", False),
        SetMonitor("limits", False),
        LoopPhrase(False),
        PlayPhrase(phrase, True, go_on=True),
        TakeNotes(4.0, True),
        EndTaking(),
        MeasureAnew(),
    ):
        link.tell(message)
    assert link.standing(SetMonitor, "mono") == SetMonitor("mono", False)
    assert link.standing(SetMonitor, "limits") == SetMonitor("limits", False)
    assert link.standing(PlayPhrase) == PlayPhrase(phrase, True), "an engine that is new begins it anew"
    assert link.standing(LoopPhrase) is None and link.standing(TakeNotes) is None and link.standing(MeasureAnew) is None
    link.tell(StopPhrase())
    assert link.standing(PlayPhrase) is None


def test_a_message_that_is_not_known_is_an_error() -> None:
    table = Handlers()
    table.of(LoopPhrase)(lambda self, message: message.on)
    assert (
        table.call(None, LoopPhrase(True))
        and table.know(LoopPhrase(False))
        and not table.know(Opened("", "", 0, 0, ""))
    )
    with pytest.raises(UnknownMessage, match="Opened"):
        table.call(None, Opened("", "", 0, 0, ""))


def test_the_engine_says_so_and_plays_on(link: EngineLink) -> None:
    link.tell(Opened("", "", 0, 0, ""))
    heard: list[Misunderstood] = []
    assert until(lambda: heard.extend(m for m in link.poll() if isinstance(m, Misunderstood)) or bool(heard))  # type: ignore[func-returns-value]
    assert "Opened" in heard[0].what
    before = int(link.shared.data["blocks"])
    assert until(lambda: int(link.shared.data["blocks"]) > before + 10) and link.restarts == 0


def test_what_fails_beside_the_sound_is_said_and_the_next_message_is_heard(monkeypatch: pytest.MonkeyPatch) -> None:
    """A driver may raise whatever it likes; the thread that hears the window must outlive it, also an OSError of a disk."""
    made = engine(new_patch())
    said: list[object] = []
    monkeypatch.setattr(made.window, "tell", said.append)
    for wrong in (RuntimeError("no such port"), OSError("gone"), KeyError("x")):

        def raises(key: str, stir: object, wrong: Exception = wrong) -> None:
            raise wrong

        monkeypatch.setattr(note_input, "open_controller", raises)
        made.hear(TakeController("Fishing Rod 7"))
        assert isinstance(said[-1], Misunderstood) and type(wrong).__name__ in said[-1].what
    monkeypatch.undo()
    made.hear(TakeController("simulated"))
    made.block()
    assert made.input.controller is not None
