"""Two windows on one library, at random: saving, undoing, moving, deleting, crashing, against what a person expects.

The model is plain: what every preset was last saved as, and a promise: nothing that was made is ever nowhere.
"""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule, run_state_machine_as_test
from PySide6.QtWidgets import QApplication

from felt_dial.bank.finding.catalogue import Catalogue
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.places import Settings
from felt_dial.live.engine.devices import SIMULATED
from felt_dial.live.link.link import EngineLink
from felt_dial.patch.patch import Patch
from felt_dial.session import shelf_steps
from felt_dial.session.session import Session
from felt_dial.sound.modules import new_patch

BANKS = ("moss", "fern")
WINDOW = st.integers(0, 1)
PICK = st.integers(0, 1000)
LEVEL = st.integers(-40, 0)


def named(name: str, level: float) -> Patch:
    return new_patch().model_copy(update={"name": name, "level": float(level)})


class Windows(RuleBasedStateMachine):
    """Sessions without their windows, and what is known of the library."""

    def __init__(self) -> None:
        super().__init__()
        self.place = tempfile.TemporaryDirectory()
        os.environ["FELT_DIAL_HOME"] = self.place.name
        self.root = Path(self.place.name) / "library"
        self.made = 0

    @initialize()
    def begin(self) -> None:
        library = Library(self.root)
        for bank in BANKS:
            home = library.create(bank)
            for n in range(3):
                home.save_new(named(f"{bank} {n}", -10 - n))
        self.sessions = [self.window() for _ in range(2)]

    def window(self) -> Session:
        session = Session(Settings(library=str(self.root)), EngineLink(SIMULATED))
        session.shelf.refresh()
        return session

    def teardown(self) -> None:
        for session in getattr(self, "sessions", []):
            session.close()
        self.place.cleanup()

    # --- what is on disk, read by nobody else ----------------------------------------------------

    def shelf(self) -> dict[tuple[str, str], Patch]:
        library = Library(self.root)
        return {(b.id, key): b.load(key) for b in library.banks() for key in b.ids()}

    def pick(self, which: int) -> tuple[str, str] | None:
        places = sorted(self.shelf())
        return places[which % len(places)] if places else None

    # --- what hands do ---------------------------------------------------------------------------

    @rule(w=WINDOW, which=PICK)
    def open(self, w: int, which: int) -> None:
        if place := self.pick(which):
            self.sessions[w].presets.open(*place)
            assert self.sessions[w].patch == self.shelf()[place] and not self.sessions[w].editor.unsaved

    @rule(w=WINDOW, level=LEVEL)
    def turn(self, w: int, level: int) -> None:
        before = self.shelf()
        self.sessions[w].editor.set("level", float(level))
        assert self.shelf() == before

    @rule(w=WINDOW, copies=st.booleans())
    def other_side(self, w: int, copies: bool) -> None:
        before = self.shelf()
        if copies:
            self.sessions[w].editor.copy_side()
        self.sessions[w].editor.flip()
        assert self.shelf() == before

    @rule(w=WINDOW)
    def save(self, w: int) -> None:
        session, before = self.sessions[w], self.shelf()
        session.autosave.write()
        session.shelf.refresh()
        assert session.presets.save() and not session.editor.unsaved
        after = self.shelf()
        assert after[(session.editor.work.bank, session.editor.work.preset)] == session.patch
        changed = {place for place in {*before, *after} if before.get(place) != after.get(place)}
        assert changed <= {(session.editor.work.bank, session.editor.work.preset)}

    @rule(w=WINDOW)
    def save_new(self, w: int) -> None:
        before, session = self.shelf(), self.sessions[w]
        self.made += 1
        assert session.presets.save_new(f"new {self.made}")
        after = self.shelf()
        assert len(after) == len(before) + 1 and all(after[place] == patch for place, patch in before.items())

    @rule(w=WINDOW, which=PICK)
    def star(self, w: int, which: int) -> None:
        if place := self.pick(which):
            before = self.shelf()
            stored = before.pop(place)
            shelf_steps.change_preset(self.sessions[w], *place, {"favourite": not stored.favourite}, "star")
            after = self.shelf()
            assert after.pop(place) == stored.model_copy(update={"favourite": not stored.favourite})
            assert after == before

    @rule(w=WINDOW, which=PICK)
    def move(self, w: int, which: int) -> None:
        if place := self.pick(which):
            stored = self.shelf()[place]
            to = next((bank.id for bank in Library(self.root).banks() if bank.id != place[0]), "")
            if to:
                before = len(self.shelf())
                shelf_steps.move_preset(self.sessions[w], *place, to)
                after = self.shelf()
                assert len(after) == before and place not in after
                assert any(home == to and patch == stored for (home, _), patch in after.items())

    @rule(w=WINDOW, which=PICK)
    def delete(self, w: int, which: int) -> None:
        if place := self.pick(which):
            before, thrown = self.shelf(), len(Library(self.root).bin.all())
            shelf_steps.delete_preset(self.sessions[w], *place)
            del before[place]
            assert self.shelf() == before and len(Library(self.root).bin.all()) == thrown + 1

    @rule(w=WINDOW, which=PICK)
    def restore(self, w: int, which: int) -> None:
        if thrown := Library(self.root).bin.all():
            before, ticket = self.shelf(), thrown[which % len(thrown)]
            shelf_steps.restore_thrown(self.sessions[w], ticket.ticket, ticket.name)
            after = self.shelf()
            assert len(after) == len(before) + 1 and all(after[place] == patch for place, patch in before.items())

    @rule(w=WINDOW, times=st.integers(1, 3))
    def undo(self, w: int, times: int) -> None:
        for _ in range(times):
            self.back_or_forth(self.sessions[w], self.sessions[w].editor.undo)

    @rule(w=WINDOW)
    def redo(self, w: int) -> None:
        self.back_or_forth(self.sessions[w], self.sessions[w].editor.redo)

    def back_or_forth(self, session: Session, go: Any) -> None:
        before, thrown = self.shelf(), len(Library(self.root).bin.all())
        go()
        after = self.shelf()
        lost = len(before) + thrown - len(after) - len(Library(self.root).bin.all())
        assert lost == 0, "a step took something away that is nowhere now"
        changed = [place for place in {*before, *after} if before.get(place) != after.get(place)]
        assert len(changed) <= 2, "a step changed more than one preset"

    @rule(w=WINDOW)
    def crash(self, w: int) -> None:
        """The process is gone; the next one is offered what was worth keeping."""
        session = self.sessions[w]
        session.autosave.write()
        worth = session.editor.work.worth_keeping
        pages = len(session.journal.pages())
        session.journal.close()
        session.shelf.catalogue.close()
        self.sessions[w] = fresh = self.window()
        offered = fresh.journal.left_behind()
        assert len(offered) == pages and pages >= worth
        if worth:
            assert any(
                left.work.a == session.editor.work.a and left.work.b == session.editor.work.b for left in offered
            )
        for left in offered:
            fresh.presets.take_up(left)
            assert fresh.patch == left.work.patch

    # --- what is always so -----------------------------------------------------------------------

    @invariant()
    def unsaved_is_a_comparison_with_disk(self) -> None:
        shelf = self.shelf()
        for session in getattr(self, "sessions", []):
            session.shelf.refresh()
            stored = shelf.get((session.editor.work.bank, session.editor.work.preset))
            assert session.editor.unsaved == (stored is None or stored != session.patch)

    @invariant()
    def the_catalogue_lists_what_is_there(self) -> None:
        shelf = self.shelf()
        for session in getattr(self, "sessions", []):
            catalogue: Catalogue = session.shelf.catalogue
            listed = {(row.bank, row.id): row.name for bank in catalogue.banks() for row in catalogue.presets(bank.id)}
            assert listed == {place: patch.name for place, patch in shelf.items()}


def walk(examples: int, steps: int) -> None:
    checks = [HealthCheck.too_slow, HealthCheck.data_too_large, HealthCheck.filter_too_much]
    how = settings(max_examples=examples, stateful_step_count=steps, suppress_health_check=checks)
    run_state_machine_as_test(Windows, settings=how)


def test_two_windows_do_what_a_person_expects(qapp: QApplication, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("FELT_DIAL_HOME", "")
    walk(12, 20)


@pytest.mark.soak
def test_two_windows_do_what_a_person_expects_for_long(qapp: QApplication, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("FELT_DIAL_HOME", "")
    walk(300, 40)
