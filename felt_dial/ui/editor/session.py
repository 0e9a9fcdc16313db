"""The session: the patch on the table, its history, the library, and the engine that sounds it.

Widgets read from here and ask it for edits; nothing in here draws.
"""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Protocol

from PySide6.QtCore import QObject, QTimer, Signal

from felt_dial.bank.finding.catalogue import Catalogue, CatalogueFault, ListedBank, catalogue_path
from felt_dial.bank.finding.follow import Following
from felt_dial.bank.library.bank import WANTED_LUFS
from felt_dial.bank.library.documents import Document, Documents
from felt_dial.bank.library.journal import Journal, LeftBehind, Unsaved
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.opened import Opened
from felt_dial.bank.library.phrases import Phrases
from felt_dial.bank.library.places import (
    Settings,
    cache_folder,
    index_path,
    journal_folder,
    load_settings,
    previews_folder,
    remember_library,
    save_settings,
    state_folder,
)
from felt_dial.bank.library.snippets import Snippets
from felt_dial.bank.measuring.figures import Figures
from felt_dial.bank.measuring.index import Index
from felt_dial.bank.measuring.measurement import Measurement
from felt_dial.bank.measuring.measuring import Measuring
from felt_dial.errors import FeltDialError, cut
from felt_dial.files import CannotWrite, is_folder
from felt_dial.live.link.link import EngineLink
from felt_dial.patch.asset import Asset
from felt_dial.patch.change import Change, values_changed, values_of
from felt_dial.patch.edits import add_layer_with_level, place_name
from felt_dial.patch.history import History, Step
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import Patch, outline, param_at, value_at
from felt_dial.patch.phrase import Phrase
from felt_dial.patch.units import Value, number
from felt_dial.sound.matter.assets import assets_of, words_of_missing
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.phrases import heard_with
from felt_dial.ui.editor.clipboard import Clipboard
from felt_dial.ui.editor.engine_handlers import HANDLERS
from felt_dial.ui.editor.jobs import Jobs
from felt_dial.ui.editor.presets import Presets
from felt_dial.ui.editor.watchers import Watchers
from felt_dial.ui.editor.work import Work
from felt_dial.ui.pictures.redrawing import Redrawing

LOOKS = 0.25
"""Seconds from one look at what became of the library to the next."""


class Learning(Protocol):
    """What dials ask of the control map: a controller is learned and let go of."""

    def learn(self, path: str) -> None:
        """The next controller that is turned will turn this dial."""

    def names_of(self, path: str) -> list[str]:
        """The controllers that turn a dial, by name."""

    def forget(self, name: str) -> None:
        """Lets go of a controller."""

    def export(self, path: Path) -> None:
        """Writes the control map."""

    def take_map(self, path: Path) -> None:
        """Takes another control map."""


class Session(QObject):
    """One person at work."""

    changed = Signal()
    leaving = Signal()
    rebuilding = Signal()
    rebuilt = Signal()
    selected = Signal()
    shelf_changed = Signal()
    restored = Signal(str, str, bool)
    measured = Signal(str)
    said = Signal(str, bool)
    asked = Signal(str, list, bool)
    working = Signal(str)
    frame = Signal()
    transport = Signal()
    focused = Signal(str)
    hovered = Signal(str)
    devices = Signal(list)
    controllers = Signal(list)
    controls_turned = Signal(list)
    program_asked = Signal(int, int)
    drawer_asked = Signal(str, str)
    compare_asked = Signal(object, object, tuple)
    bench_asked = Signal(str)
    notes_taken = Signal(tuple)

    control: Learning

    def __init__(self, settings: Settings, link: EngineLink) -> None:
        super().__init__()
        self.settings, self.link = settings, link
        self.library = Library(settings.library_folder())
        self.figures = Figures(Index(index_path()), Measuring(settings.render_quality, previews_folder()))
        self.catalogue, self.opened = self._open_catalogue()
        self.following: Following | None = None
        self._looked, self._another = 0.0, False
        self.journal = Journal(journal_folder())
        self.documents = Documents()
        self.history = History()
        self.watchers = Watchers()
        self.redrawing = Redrawing(self)
        blank = new_patch()
        self.work = Work(blank, blank, base_a=blank, base_b=blank)
        self.presets = Presets(self)
        self._kept: tuple[str, object] = ("", None)
        self._matter: dict[str, Asset] = {}
        self.selection = ("source", "a")
        self.rack, self.effect = "1", ""
        self.focus_path = ""
        self.locked: set[str] = set()
        """Paths of dials that offshoots leave alone."""
        self.shelf_bank = ""
        self.phrases = Phrases(self.library.root)
        self.phrase, self.looping, self.playing = "arpeggio", True, False
        self.velocity = 96
        self.preparing = ""
        """How far the compiling of the kernels is, while they are compiled."""
        self.clipboard = Clipboard()
        self.jobs = Jobs()
        self.jobs.said.connect(lambda sentence: self.say(sentence, problem=True))
        self._journal_timer = QTimer(self, singleShot=True, interval=800)
        self._journal_timer.timeout.connect(self.write_journal)
        self._steps, self._step_timer = 0, QTimer(self, interval=0, singleShot=True)
        self._step_timer.timeout.connect(self._take_steps)
        self.link.take_controller(settings.controller)

    # --- the patch -----------------------------------------------------------------------------

    @property
    def patch(self) -> Patch:
        """The patch that sounds."""
        return self.work.patch

    @property
    def unsaved(self) -> bool:
        """True while the patch is not what disk holds of its preset."""
        return self.work.unsaved

    def watch(self, follow: Callable[[], None], *paths: str) -> None:
        """Lets a method of a widget be called after edits at or below these paths, see `Watchers`."""
        self.watchers.watch(follow, *paths)

    def look_elsewhere(self, follow: Callable[[], None], before: Iterable[str], after: Iterable[str]) -> None:
        """Lets a method of a widget be called after edits at other paths than before."""
        self.watchers.leave(follow, *before)
        self.watchers.watch(follow, *after)

    def _follow(self, change: Change) -> None:
        """Lets the patch on the table have other values, and wakes those who show them."""
        self.work = self.work.with_patch(change.patch)
        if self.work.a == self.work.b:
            self.link.shared.data["trim"] = 0.0
        self.link.follow(change)
        self.watchers.wake(change.paths)
        self.changed.emit()
        self._journal_timer.start()

    def _take(self, work: Work, shown: tuple[str, str] | None = None) -> None:
        """Puts other work on the table and makes everything follow; `shown` is what the inspector then shows."""
        self.selection = shown or self.selection
        before = self.work
        self._matter |= {asset.digest: asset for side in (work.a, work.b) for asset in assets_of(side).values()}
        if before.page != work.page and self._journal_timer.isActive():
            self.write_journal()
        self.work = work
        if work.a == work.b:
            self.link.shared.data["trim"] = 0.0
        same = before.page == work.page
        self.link.show(self.patch, carry=same)
        layers = self.patch.layers
        part, key = self.selection
        everywhere = part in ("patch", "macro", "player", "pattern", "bus")
        if not everywhere and key not in (self.patch.modulators if part == "modulator" else layers):
            self.selection = ("source", next(iter(layers)))
        if self.effect not in self.patch.racks[self.rack]:
            self.choose_effect(*next(((r, k) for r, rack in self.patch.racks.items() for k in rack), ("1", "")))
        self._another |= not same
        if outline(before.patch) != outline(self.patch) or not same:
            self.rebuilding.emit()
            self.rebuilt.emit()
        self.watchers.wake(None)
        self.changed.emit()
        self._journal_timer.start()

    def edit(self, patch: Patch, says: str, merge: str = "", select: tuple[str, str] | None = None) -> None:
        """Makes an edit, as one named step; `select` is what the inspector shows after it."""
        if patch == self.patch:
            return
        shown = (self.selection, select) if select else (None, None)
        before, after, effect = self.work, self.work.with_patch(patch), (self.rack, self.effect)
        self._take(after, select)
        self.history.add(self._step(says, before, after, merge, shown, effect))

    def _step(
        self,
        says: str,
        before: Work,
        after: Work,
        merge: str = "",
        shown: tuple[tuple[str, str] | None, tuple[str, str] | None] = (None, None),
        effect: tuple[str, str] | None = None,
    ) -> Step:
        """The step from one state of the patches to another; the document that they belong to is what it is then.

        A step that has chosen something gives back what was `shown` before, and chooses it again; the `effect` that was
        chosen before is so again.
        """
        about = not before.says_the_same(after)
        chosen = self.rack, self.effect

        def back() -> None:
            if effect is not None and effect != chosen:
                self.rack, self.effect = effect
            self._take(self.work.with_patches_of(before, about), shown[0])

        return Step(says, back, lambda: self._take(self.work.with_patches_of(after, about), shown[1]), merge)

    def try_edit(self, make: Callable[[], Patch], says: str) -> bool:
        """Makes an edit that may be refused, with its sentence."""
        try:
            self.edit(make(), says)
        except FeltDialError as wrong:
            self.say(str(wrong), problem=True)
            return False
        return True

    def one_more_layer(self, source: str) -> tuple[Patch, str]:
        """The patch with one more layer of a kind, which has a level envelope of its own, and its id.

        Raises `OutOfRange` where there is no room.
        """
        level = Snippets(self.library.root).fresh(Modulator.kinds["envelope"]())
        return add_layer_with_level(self.patch, new_layer(source), level)

    def value(self, path: str) -> Value:
        """The value of a parameter."""
        return value_at(self.patch, path)

    def set(self, path: str, value: object, *, dragging: bool = False) -> None:
        """Sets a parameter; raises `OutOfRange`."""
        change = values_changed(self.patch, {path: value})
        if change.paths:
            says = f"{self.label_of(path)} to {param_at(change.patch, path).write(value_at(change.patch, path))}"
            self._make(change, says, path if dragging else "")

    def set_all(self, values: Mapping[str, object], says: str, merge: str = "") -> None:
        """Sets several parameters as one step; raises `OutOfRange`."""
        change = values_changed(self.patch, values)
        if change.paths:
            self._make(change, says, merge)

    def _make(self, change: Change, says: str, merge: str) -> None:
        """Makes a change of values, as one named step."""
        if change.rebuilds:
            self.edit(change.patch, says, merge)
            return
        before, after, paths = self.work, self.work.with_patch(change.patch), change.paths or ()
        self._follow(change)
        self.history.add(Step(says, lambda: self._go_to(before, paths), lambda: self._go_to(after, paths), merge))

    def _go_to(self, work: Work, paths: Iterable[str]) -> None:
        """Puts patches on the table that differ from those that lie there in the values at some paths, and wakes those who show
        them; everybody where more differs, as after a drag that has moved others too."""
        wanted = self.work.with_patches_of(work, about=False)
        change = values_of(wanted.patch, self.patch, paths)
        if change is not None and self.work.with_patch(wanted.patch) == wanted:
            self._follow(change)
        else:
            self._take(wanted)

    def label_of(self, path: str) -> str:
        """A short name for a parameter in a sentence."""
        if path.startswith("threads."):
            return param_at(self.patch, path).label
        where, label = place_name(self.patch, path)
        return label if where == "Patch" or path.startswith("macros.") else f"{where} {label}"

    def undo(self) -> None:
        """Takes back the last step."""
        self._tell_history(self.history.undo, self.history.undo_says, "Undone", "There is nothing to undo.")

    def redo(self) -> None:
        """Brings it again."""
        self._tell_history(self.history.redo, self.history.redo_says, "Done again", "There is nothing to do again.")

    def _tell_history(self, go: Callable[[], str], says: str, verb: str, none: str) -> None:
        try:
            says = go()
        except FeltDialError as wrong:
            self.say(f"Not {verb.lower()}: {says}. {wrong}", problem=True)
        else:
            self.say(f"{verb}: {says}." if says else none)

    def flip(self) -> None:
        """From A to B or back; the louder one is turned down to the other, so that louder does not win."""
        self._take(replace(self.work, side="b" if self.work.side == "a" else "a"))
        trim = self.match_sides()
        down = f", {number(-trim, 1)} dB down to match the other" if trim < -0.05 else ""
        self.say(f"{self.work.side.upper()} sounds now{down}.")

    def match_sides(self) -> float:
        """Sets how far the sounding side is turned down (dB, 0 or less), once both sides are measured."""
        trim = 0.0
        if self.work.a != self.work.b:
            self.figures.ask((self.work.a, self.work.b))
            measured = {side: self.figures.of(patch) for side, patch in (("a", self.work.a), ("b", self.work.b))}
            mine = measured.pop(self.work.side)
            other = next(iter(measured.values()))
            if mine and other and min(mine.lufs, other.lufs) > -70:
                trim = min(0.0, other.lufs - mine.lufs)
        self.link.shared.data["trim"] = trim
        return trim

    def _sides_asked(self) -> frozenset[str]:
        """Keys of both sides while two different ones are compared."""
        work = self.work
        return frozenset((self.figures.key(work.a), self.figures.key(work.b))) if work.a != work.b else frozenset()

    def copy_side(self) -> None:
        """The other of A and B becomes like this one."""
        before, patch = self.work, self.patch
        after = replace(before, b=patch) if before.side == "a" else replace(before, a=patch)
        self._take(after)
        other = "B" if before.side == "a" else "A"
        self.history.add(self._step(f"copy to {other}", before, after))
        self.say(f"{other} is now the same.")

    # --- presets -------------------------------------------------------------------------------

    def open(self, bank: str, preset: str) -> None:
        """Puts a preset on the table; what was there can be had back by undo."""
        self.presets.open(bank, preset)

    def open_patch(self, patch: Patch, document: Document | None = None, made: bool = False) -> None:
        """Puts a patch on the table, that of a document or a new one; one that was `made` is work that is in no bank."""
        base = None if made else patch
        self.lay(Work(patch, patch, document=document, base_a=base, base_b=base), f"open {patch.name}")
        if said := words_of_missing(patch):
            self.say(said, problem=True)

    def lay(self, after: Work, says: str) -> None:
        """Lays other work on the table, as a step; what lay there has its page in the journal."""
        self.leaving.emit()
        before = self.work
        if not self.playing:
            self.phrase = self.phrases.welcome(heard_with(after.patch))
        self._take(after)
        self.transport.emit()
        left = after

        def back() -> None:
            nonlocal left
            self.leaving.emit()
            left = self.work
            self._take(before)

        self.history.add(Step(says, back, lambda: self._take(left)))
        if before.worth_keeping:
            self.say(f"The unsaved changes to {before.patch.name} are one undo away (Ctrl+Z).")

    def new(self) -> None:
        """Starts from an empty patch, with its layer in the inspector."""
        blank = new_patch()
        self.selection = ("source", next(iter(blank.layers)))
        self.open_patch(blank)

    def take_up(self, left: LeftBehind) -> None:
        """Lays unsaved work of another window on the table; its old page goes once it has a new one."""
        work = left.work
        document = self.presets.document(work.bank, work.preset)
        if document is not None and work.seen is not None:
            document.seen = work.seen  # a save asks where the preset was saved since
        base = document.stored if document else None
        self.lay(Work(work.a, work.b, work.side, document, base, base), f"take up {work.patch.name}")
        try:
            self._write_page()
            self.journal.throw_away(left)
        except CannotWrite as wrong:
            self.say(str(wrong), problem=True)

    def step_on(self, step: int) -> None:
        """Goes to the preset before or after this one. A key that repeats faster than a window shows another adds up: it
        stops where the key is let go, and does not go on through what has waited."""
        self._steps += step
        self._step_timer.start()

    def _take_steps(self) -> None:
        steps, self._steps = self._steps, 0
        if steps:
            self.neighbour(steps)

    def neighbour(self, step: int) -> None:
        """Opens the preset so many behind this one, or before it where less than 0, or says why there is none."""
        ids = [listed.id for listed in self.catalogue.presets(self.work.bank)] if self.work.bank else []
        if self.work.preset in ids:
            self.open(self.work.bank, ids[(ids.index(self.work.preset) + step) % len(ids)])
        else:
            self.say(
                f"{self.patch.name} is in no bank: there is none before it and none behind it. Save it, or open one."
            )

    def save(self) -> bool:
        """Saves over the preset; its last versions are kept."""
        return self.presets.save()

    def save_new(self, name: str, unnamed: bool = False, bank: str | None = None) -> bool:
        """Saves as a new preset, in the bank where it would go unless another is named."""
        return self.presets.save_new(name, unnamed, bank)

    def quick_keep(self) -> bool:
        """Saves the sound of this moment as a new preset under a name made from what it is, marked as unnamed."""
        return self.presets.quick_keep()

    def saved(self, document: Document) -> None:
        """The sounding patch is what disk holds of a document now."""
        self.work = self.work.saved(document)
        self.write_journal()
        self.refresh_shelf((document.bank,))
        self.changed.emit()

    def take_about(self, about: dict[str, object]) -> None:
        """The preset on the table got another name or other words on the shelf; its sound stays."""
        self.work = self.work.with_about(about)
        self.watchers.wake(None)
        self.changed.emit()
        self._journal_timer.start()

    def stored_at(self, bank: str, preset: str) -> Patch | None:
        """What disk holds of a preset; None where it is not there or cannot be read."""
        return self.presets.stored_at(bank, preset)

    def let_go(self) -> None:
        """The person does not want what is not saved of the sound on the table."""
        self.work = self.work.let_go()
        self.write_journal()

    def rename_patch(self, name: str) -> None:
        """Gives the patch on the table another name."""
        if name.strip() and name.strip() != self.patch.name:
            self.edit(self.patch.model_copy(update={"name": name.strip()}), f"rename to {name.strip()}")

    def shelf_step(
        self,
        says: str,
        forth: Callable[[], None],
        back: Callable[[], None],
        banks: Callable[[], Iterable[str]],
        done: str = "",
    ) -> bool:
        """Does something to the library that can be undone; `back` raises where the library has moved on.

        `banks` tells which banks are others after it, in either way.
        """

        def run(act: Callable[[], None]) -> Callable[[], None]:
            def step() -> None:
                try:
                    act()
                finally:
                    self.refresh_shelf(set(banks()))

            return step

        try:
            run(forth)()
        except FeltDialError as wrong:
            self.say(str(wrong), problem=True)
            return False
        self.history.add(Step(says, run(back), run(forth)))
        self.say(done or f"Done: {says}.")
        return True

    def refresh_shelf(self, banks: Iterable[str] | None = None) -> None:
        """Reads what changed in some banks, or in all of the library; the table follows its document."""
        try:
            self.catalogue.refresh(self.library, banks)
        except CatalogueFault as wrong:
            self.say(str(wrong), problem=True)
        self.catalogue.moved_on()
        self.presets.follow()
        self.shelf_changed.emit()

    def _follow_library(self) -> None:
        """Shows what stands in the library by now, whoever put it there; a few times a second at most."""
        if self.following is None or time.monotonic() - self._looked < LOOKS:
            return
        self._looked = time.monotonic()
        for says in self.following.told():
            self.say(says, problem=True)
        if self.catalogue.mended:
            self.catalogue.mended = False
            self.say("The list of the library was damaged: it is read again from the files, which are as they are.")
            if self.catalogue.path is not None:
                self.following.read_all()
            else:
                self.refresh_shelf()
        if self.catalogue.moved_on() or self._another:
            self._another = False
            self.presets.follow()
            self.shelf_changed.emit()

    def read_beside(self, banks: Iterable[str], watch: Callable[[float], bool]) -> None:
        """Reads what changed in some banks in the thread of a job, so that the window need not."""
        if self.catalogue.path is not None:
            with contextlib.closing(Catalogue(self.catalogue.path)) as own:
                own.refresh(self.library, banks, lambda done, total: watch(done / total))

    def follow_library(self) -> None:
        """Reads the library beside the work from now on, and whatever changes in it."""
        if self.catalogue.path is not None:
            self.following = Following(self.library, self.catalogue.path)
        else:
            self.refresh_shelf()

    def bank_name(self, bank: str) -> str:
        """What a bank is called; empty where there is none."""
        return next((listed.name for listed in self.catalogue.banks() if listed.id == bank), "")

    def wanted_loudness(self, bank: str) -> float:
        """How loud the presets of a bank shall be, in LUFS."""
        return next((listed.loudness for listed in self.catalogue.banks() if listed.id == bank), WANTED_LUFS)

    def banks(self) -> list[ListedBank]:
        """Every bank, in the order that the person gave them."""
        return self.catalogue.banks()

    def _open_catalogue(self) -> tuple[Catalogue, Opened]:
        """What stands in the library, and what of it was opened when."""
        of = catalogue_path(cache_folder(), self.library.root)
        opened = state_folder() / f"opened-{of.stem}.sqlite"
        kept = Opened(opened)
        return Catalogue(of, index_path(), opened), kept

    def _measured(self, key: str, found: Measurement | None) -> None:
        if found is None and self.figures.failed == {key}:
            names = [f"“{cut(listed.name)}”" for listed in self.catalogue.of_sounds([key])] or ["A sound"]
            self.say(f"{names[0]} could not be measured; it stands on the shelf without its picture.", problem=True)
        self.measured.emit(key)
        if key in self._sides_asked():
            self.match_sides()

    # --- the sound -----------------------------------------------------------------------------

    def get_ready(self, done: int, total: int, left: float) -> None:
        """The kernels are being compiled: says how far that is, until it is done."""
        self.preparing = "" if done >= total else f"Compiling {done} of {total}, about {5 * max(round(left / 5), 1)} s"
        self.working.emit(f"{self.preparing}: once for this machine, then it sounds." if self.preparing else "")
        if not self.preparing:
            self.say("The sound is ready.")

    def note_on(self, key: int, velocity: float) -> None:
        """A key goes down; while nothing can sound yet it is answered by a sentence."""
        self.link.note_on(key, velocity)
        if self.preparing:
            self.working.emit(f"{self.preparing}: once for this machine. The key is heard after it.")

    def play(self, on: bool) -> None:
        """Plays or stops the phrase."""
        self.playing = on
        if on:
            self.link.play(self.phrase_now, self.looping)
        else:
            self.link.stop()
        self.transport.emit()

    @property
    def dry(self) -> bool:
        """Whether the sound is heard without its effects; it is never saved or rendered so."""
        return bool(self.link.monitor.get("dry"))

    def hear_dry(self, on: bool) -> None:
        """Leaves all effects out of what is heard, or lets them in again."""
        self.link.listen("dry", on)
        self.say("Heard without its effects: dry." if on else "Heard with its effects again.")

    @property
    def phrase_now(self) -> Phrase:
        """The phrase that is chosen."""
        known = self.phrases.all()
        return known.get(self.phrase) or known["arpeggio"]

    def tick(self) -> None:
        """Thirty times a second: hears the engine and the worker, and lets pictures move."""
        for message in self.link.poll():
            HANDLERS.call(self, message)
        self.jobs.poll()
        for key, found in self.figures.poll():
            self._measured(key, found)
        self._follow_library()
        if self.playing and self.link.ready and self.link.settled and not self.looping:
            ended = not self.link.shared.data["playing"] and self.link.shared.data["position"] > 0
            if ended:
                self.playing = False
                self.transport.emit()
        self.frame.emit()

    # --- the rest ------------------------------------------------------------------------------

    def select(self, part: str, key: str) -> None:
        """Chooses what the inspector shows: a cell of a layer, or a modulator."""
        self.selection = (part, key)
        self.selected.emit()

    def choose_effect(self, rack: str, key: str) -> None:
        """Which effect the Effects page shows large."""
        self.rack, self.effect = rack, key

    def focus(self, path: str) -> None:
        """A dial has the focus; the inspector lists what moves it."""
        self.focus_path = path
        self.focused.emit(path)

    def say(self, text: str, problem: bool = False) -> None:
        """One sentence for the person."""
        self.said.emit(text, problem)

    def ask(self, text: str, answers: Sequence[tuple[str, Callable[[], object]]], problem: bool = True) -> None:
        """One sentence for the person, with buttons that answer it; red where it is about something that is wrong."""
        self.asked.emit(text, list(answers), problem)

    def assets_at_hand(self) -> list[Asset]:
        """Recordings of all sounds that lay on the table since the start: undo may bring any of them back."""
        return list(self._matter.values())

    def keep_settings(self, settings: Settings) -> None:
        """Keeps the settings and follows them."""
        before, self.settings = self.settings, settings
        try:
            save_settings(settings)
        except CannotWrite as wrong:
            self.say(str(wrong), problem=True)
        wanted = (settings.device, settings.rate, settings.block)
        if wanted != (before.device, before.rate, before.block):
            self.link.reopen(*wanted)
        self.figures.measuring.quality = settings.render_quality
        if settings.quality != before.quality:
            self.link.take_quality(settings.quality)
        if settings.controller != before.controller:
            self.link.take_controller(settings.controller)
        if settings.library_folder() != before.library_folder():
            self.open_library()

    def open_library(self) -> None:
        """Opens the library of the settings, which is another one or is there by now."""
        followed = self.following is not None
        self._let_library_go()
        self.library = Library(self.settings.library_folder())
        self.phrases = Phrases(self.library.root)
        self.catalogue, self.opened = self._open_catalogue()
        self.refresh_shelf()
        if followed:
            self.follow_library()

    def keep_place(self, window: str) -> None:
        """Keeps where the window stands, and nothing else: another window may have changed the settings since."""
        with contextlib.suppress(CannotWrite):
            save_settings(load_settings().model_copy(update={"window": window}))

    def keep_soon(self) -> None:
        """Has the journal written in a moment, unless more is done until then."""
        self._journal_timer.start()

    def write_journal(self) -> None:
        """Keeps what would be lost, and clears its page where nothing would."""
        self._journal_timer.stop()
        try:
            self._write_page()
        except CannotWrite as wrong:
            self.say(str(wrong), problem=True)

    def _write_page(self) -> None:
        work = self.work
        now = (work.page, work if work.worth_keeping else None)
        if now == self._kept:
            return
        if work.worth_keeping:
            seen = work.document.seen if work.document else None
            self.journal.write(work.page, Unsaved(work.a, work.b, work.side, work.bank, work.preset, seen))
        else:
            self.journal.clear(work.page)
        self._kept = now

    def close(self) -> None:
        """Ends the helpers; unsaved work stays in the journal."""
        self.write_journal()
        self.journal.close()
        self.link.close()
        self.figures.close()
        self._let_library_go()

    def _let_library_go(self) -> None:
        if is_folder(self.library.root):
            remember_library(self.library.root, len(self.library.banks()))
        if self.following is not None:
            self.following.close()
            self.following = None
        self.opened.close()
        self.catalogue.close()
