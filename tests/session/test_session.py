"""A session without a window: editor, shelf, transport, autosave and settings by themselves."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from felt_dial.bank.library.places import Settings, load_settings
from felt_dial.live.engine.devices import SIMULATED
from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.messages import Compiling, ControlsTurned, Died, ProgramAsked, SetQuality, TransportAsked
from felt_dial.patch.edits import add_modulator
from felt_dial.patch.module import Modulator
from felt_dial.patch.params import OutOfRange
from felt_dial.patch.patch import value_at
from felt_dial.session import autosave, control, topics
from felt_dial.session.session import Session
from felt_dial.session.transport import SENTENCES
from felt_dial.sound.modules import new_patch

LEVEL, CUTOFF = "layers.a.level", "layers.a.filter.cutoff"


class Heard:
    """What is told on the channel of a session."""

    def __init__(self, session: Session, *kinds: type) -> None:
        self.all: list[object] = []
        for kind in kinds:
            session.channel.hear(kind, self.all.append)

    def of(self, kind: type) -> list[object]:
        """What was told of one kind, which is then forgotten."""
        found = [one for one in self.all if type(one) is kind]
        self.all[:] = [one for one in self.all if type(one) is not kind]
        return found


@pytest.fixture
def session(tmp_path: Path) -> Iterator[Session]:
    made = Session(Settings(library=str(tmp_path / "library")), EngineLink(SIMULATED))
    made.shelf.refresh()
    yield made
    made.close()


def test_nothing_of_it_needs_a_toolkit() -> None:
    import subprocess

    done = subprocess.run(
        [
            sys.executable,
            "-c",
            "import sys, felt_dial.session.session; print([m for m in sys.modules if 'PySide' in m])",
        ],
        capture_output=True,
        text=True,
        check=True,
    )
    assert done.stdout.strip() == "[]"


def test_an_edit_is_a_step_that_wakes_those_who_look_there(session: Session) -> None:
    woken: list[str] = []
    session.channel.watch(lambda: woken.append("level"), LEVEL)
    session.channel.watch(lambda: woken.append("cutoff"), CUTOFF)
    session.editor.set(LEVEL, -7.0, dragging=True)
    session.editor.set(LEVEL, -8.0, dragging=True)
    assert woken == ["level", "level"] and len(session.editor.history.sentences()) == 1
    assert session.editor.value(LEVEL) == -8.0
    session.editor.undo()
    assert session.editor.value(LEVEL) == value_at(new_patch(), LEVEL)
    with pytest.raises(OutOfRange):
        session.editor.set(LEVEL, 900.0)


def test_other_parts_are_laid_out_and_what_was_chosen_and_is_gone_gives_way(session: Session) -> None:
    heard = Heard(session, topics.Rebuilding, topics.Rebuilt, topics.Selected)
    patch, key = add_modulator(session.patch, Modulator.kinds["lfo"]())
    session.editor.edit(patch, "add an LFO", select=("modulator", key))
    assert len(heard.of(topics.Rebuilding)) == len(heard.of(topics.Rebuilt)) == 1
    assert session.editor.selection == ("modulator", key)
    session.editor.undo()
    assert session.editor.selection == ("source", "a")
    session.editor.redo()
    assert session.editor.selection == ("modulator", key)


def test_a_and_b_are_told_and_copied(session: Session) -> None:
    session.editor.set(LEVEL, -20.0)
    session.editor.flip()
    assert session.editor.value(LEVEL) != -20.0 and session.editor.work.side == "b"
    session.editor.copy_side()
    session.editor.flip()
    assert session.editor.value(LEVEL) != -20.0
    session.editor.undo()
    session.editor.flip()
    assert session.editor.value(LEVEL) == -20.0


def test_a_preset_is_saved_opened_and_followed(session: Session) -> None:
    session.editor.set(LEVEL, -11.0)
    heard = Heard(session, topics.Said)
    assert session.presets.save_new("Reed"), heard.all
    assert not session.editor.unsaved
    bank, preset = session.editor.work.bank, session.editor.work.preset
    session.editor.new()
    heard = Heard(session, topics.Leaving, topics.Laid, topics.TransportMoved)
    session.presets.open(bank, preset)
    assert session.editor.value(LEVEL) == -11.0
    assert [len(heard.of(kind)) for kind in (topics.Leaving, topics.Laid, topics.TransportMoved)] == [1, 1, 1]
    session.shelf.library.bank(bank).change(preset, {"favourite": False}, {"favourite": True})
    session.shelf.refresh((bank,))
    assert session.patch.favourite and not session.editor.unsaved, "the table follows what stands on disk"


def test_the_journal_is_written_soon_and_before_other_work(session: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    session.editor.set(LEVEL, -14.0)
    session.channel.tell(topics.Frame())
    assert session.journal.pages() == []
    monkeypatch.setattr(autosave, "SOON", 0.0)
    session.autosave.soon()
    session.channel.tell(topics.Frame())
    assert len(session.journal.pages()) == 1
    session.editor.set(LEVEL, -13.0)
    session.editor.new()
    kept = session.journal.pages()
    assert len(kept) == 1, "what lay there has its page before it leaves"
    session.editor.undo()
    session.editor.undo()
    session.editor.undo()
    session.autosave.write()
    assert session.journal.pages() == [], "and none once nothing would be lost"


def test_what_the_engine_says_is_a_sentence_or_is_done(session: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    waiting = [Died(), Compiling(3, 10, 12.0), TransportAsked(True), Compiling(10, 10, 0.0)]
    monkeypatch.setattr(session.link, "poll", lambda: [waiting.pop(0)] if waiting else [])
    heard = Heard(session, topics.Said, topics.Working, topics.TransportMoved)
    for _ in range(4):
        session.transport.poll()
    said = [one.text for one in heard.of(topics.Said)]  # type: ignore[attr-defined]
    assert said[0].startswith("The sound engine stopped") and said[-1] == "The sound is ready."
    working = [one.text for one in heard.of(topics.Working)]  # type: ignore[attr-defined]
    assert "3 of 10" in working[0] and working[-1] == ""
    assert session.transport.playing and heard.of(topics.TransportMoved)
    assert all(sentence.of for sentence in SENTENCES.values())


def test_a_key_is_answered_while_nothing_can_sound(session: Session) -> None:
    heard = Heard(session, topics.Working)
    session.transport.note_on(60, 0.8)
    assert not heard.of(topics.Working)
    session.channel.tell(Compiling(1, 10, 60.0))
    heard.all.clear()
    session.transport.note_on(60, 0.8)
    assert "heard after it" in heard.all[0].text  # type: ignore[attr-defined]


def test_a_way_of_a_controller_is_one_step(session: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    session.control.learn(CUTOFF)
    for part in (0.2, 0.3, 0.4):
        session.channel.tell(ControlsTurned([(21, part)]))
        session.channel.tell(topics.Frame())
    assert len(session.editor.history.sentences()) == 1
    monkeypatch.setattr(control, "RESTS", -1.0)
    session.channel.tell(topics.Frame())
    session.channel.tell(ControlsTurned([(21, 0.9)]))
    assert len(session.editor.history.sentences()) == 2
    heard = Heard(session, topics.Said)
    session.channel.tell(ProgramAsked(0, 99))
    assert "there is none" in heard.all[-1].text  # type: ignore[attr-defined]


def test_settings_are_kept_and_followed_by_whoever_goes_by_them(session: Session, tmp_path: Path) -> None:
    was = session.settings.now
    session.settings.keep(was.model_copy(update={"quality": 2, "library": str(tmp_path / "other"), "author": "Bo"}))
    assert session.link.standing(SetQuality) == SetQuality(2) and session.shelf.library.root == tmp_path / "other"
    assert load_settings().author == "Bo"
    session.settings.remember(home="reeds")
    assert load_settings().home == "reeds" == session.settings.now.home
