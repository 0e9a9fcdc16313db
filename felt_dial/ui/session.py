"""The session: the patch on the table, its history, the library, and the engine that sounds it.

Widgets read from here and ask it for edits; nothing in here draws.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QObject, QTimer, Signal

from felt_dial.bank.files import CannotWrite
from felt_dial.bank.index import Index
from felt_dial.bank.journal import Journal, Unsaved
from felt_dial.bank.library import Bank, Library
from felt_dial.bank.measure import Measurement, sound_key
from felt_dial.bank.measuring import Measuring
from felt_dial.bank.places import Settings, index_path, journal_path, save_settings
from felt_dial.errors import FeltDialError
from felt_dial.live.link import EngineLink
from felt_dial.patch.edits import add_layer
from felt_dial.patch.history import History, Step
from felt_dial.patch.patch import Layer, Patch, outline, param_at, value_at, with_value
from felt_dial.patch.units import Value, number
from felt_dial.sound.modules import new_patch
from felt_dial.sound.phrases import PHRASES, phrase_for
from felt_dial.ui.control import Control
from felt_dial.ui.work import Work


class Session(QObject):
    """One person at work."""

    changed = Signal()
    rebuilding = Signal()
    rebuilt = Signal()
    selected = Signal()
    shelf_changed = Signal()
    measured = Signal(str)
    said = Signal(str, bool)
    frame = Signal()
    transport = Signal()
    focused = Signal(str)
    hovered = Signal(str)
    devices = Signal(list)
    controllers = Signal(list)

    def __init__(self, settings: Settings, link: EngineLink) -> None:
        super().__init__()
        self.settings, self.link = settings, link
        self.library = Library(settings.library_folder())
        self.index = Index(index_path())
        self.measuring = Measuring()
        self.journal = Journal(journal_path())
        self.history = History()
        self._keys: dict[int, tuple[Patch, str]] = {}
        blank = new_patch()
        self.work = Work(blank, blank)
        self.selection = ("source", "a")
        self.rack, self.effect = "1", ""
        self.focus_path = ""
        self.shelf_bank = ""
        self.phrase, self.looping, self.holding, self.playing = "arpeggio", True, False, False
        self.velocity = 96
        self.copied: Layer | None = None
        self._journal_timer = QTimer(self, singleShot=True, interval=800)
        self._journal_timer.timeout.connect(self._write_journal)
        self.link.take_controller(settings.controller)
        self.control = Control(self)

    # --- the patch -----------------------------------------------------------------------------

    @property
    def patch(self) -> Patch:
        """The patch that sounds."""
        return self.work.patch

    @property
    def unsaved(self) -> bool:
        """True while the patch differs from what was saved."""
        return self.work.saved is None or self.patch != self.work.saved

    def _take(self, work: Work) -> None:
        """Puts other work on the table and makes everything follow."""
        before, self.work = self.work, work
        if work.a == work.b:
            self.link.shared.data["trim"] = 0.0
        same = (before.bank, before.preset) == (work.bank, work.preset)
        self.link.show(self.patch, carry=same)
        layers = self.patch.layers
        part, key = self.selection
        everywhere = part in ("patch", "macro", "player", "pattern", "bus")
        if not everywhere and key not in (self.patch.modulators if part == "modulator" else layers):
            self.selection = ("source", next(iter(layers)))
        if self.effect not in self.patch.racks[self.rack]:
            self.choose_effect(*next(((r, k) for r, rack in self.patch.racks.items() for k in rack), ("1", "")))
        if outline(before.patch) != outline(self.patch) or not same:
            self.rebuilding.emit()
            self.rebuilt.emit()
        self.changed.emit()
        self._journal_timer.start()

    def edit(self, patch: Patch, says: str, merge: str = "", select: tuple[str, str] | None = None) -> None:
        """Makes an edit, as one named step; `select` is what the inspector shows after it."""
        if patch == self.patch:
            return
        self.selection = select or self.selection
        before, after = self.work, self.work.with_patch(patch)
        self._take(after)
        self.history.add(Step(says, lambda: self._take(before), lambda: self._take(after), merge))

    def try_edit(self, make: Callable[[], Patch], says: str) -> bool:
        """Makes an edit that may be refused, with its sentence."""
        try:
            self.edit(make(), says)
        except FeltDialError as wrong:
            self.say(str(wrong), problem=True)
            return False
        return True

    def copy_layer(self, key: str) -> None:
        """Keeps a layer to be pasted, into this patch or another."""
        self.copied = self.patch.layers[key]
        self.say(f"Copied {self.copied.name or self.copied.source.title}.")

    def paste_layer(self) -> None:
        """The copied layer as a new one; what modulated it stays behind."""
        if self.copied is None:
            self.say("No layer was copied yet.", problem=True)
            return
        layer = self.copied.model_copy(update={"inlets": {}})
        self.try_edit(lambda: add_layer(self.patch, layer)[0], f"paste {layer.name or layer.source.title}")

    def value(self, path: str) -> Value:
        """The value of a parameter."""
        return value_at(self.patch, path)

    def set(self, path: str, value: object, *, dragging: bool = False) -> None:
        """Sets a parameter; raises `OutOfRange`."""
        param = param_at(self.patch, path)
        patch = with_value(self.patch, path, value)
        says = f"{self.label_of(path)} to {param.write(value_at(patch, path))}"
        self.edit(patch, says, path if dragging else "")

    def label_of(self, path: str) -> str:
        """A short name for a parameter in a sentence."""
        steps = path.split(".")
        label = param_at(self.patch, path).label
        if steps[0] == "layers":
            return f"{steps[1].upper()} {label}" + (f" from {steps[3].upper()}" if steps[2] == "inlets" else "")
        if steps[0] == "modulators":
            return f"{steps[1].upper()} {label}"
        if steps[0] == "macros":
            return self.patch.macros[steps[1]].name or f"Macro {steps[1][1:]}"
        return label

    def undo(self) -> None:
        """Takes back the last step."""
        self._tell_history(self.history.undo(), "Undone", "There is nothing to undo.")

    def redo(self) -> None:
        """Brings it again."""
        self._tell_history(self.history.redo(), "Done again", "There is nothing to do again.")

    def _tell_history(self, says: str, verb: str, none: str) -> None:
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
            measured = {side: self.measurement(patch) for side, patch in (("a", self.work.a), ("b", self.work.b))}
            mine = measured.pop(self.work.side)
            other = next(iter(measured.values()))
            if mine and other and min(mine.lufs, other.lufs) > -70:
                trim = min(0.0, other.lufs - mine.lufs)
        self.link.shared.data["trim"] = trim
        return trim

    def _sides_asked(self) -> frozenset[str]:
        """Keys of both sides while two different ones are compared."""
        work = self.work
        return frozenset((self._key(work.a), self._key(work.b))) if work.a != work.b else frozenset()

    def copy_side(self) -> None:
        """The other of A and B becomes like this one."""
        before, patch = self.work, self.patch
        after = replace(before, b=patch) if before.side == "a" else replace(before, a=patch)
        self._take(after)
        other = "B" if before.side == "a" else "A"
        self.history.add(Step(f"copy to {other}", lambda: self._take(before), lambda: self._take(after)))
        self.say(f"{other} is now the same.")

    # --- presets -------------------------------------------------------------------------------

    def open(self, bank: str, preset: str) -> None:
        """Puts a preset on the table; what was there can be had back by undo."""
        try:
            patch = self.library.bank(bank).load(preset)
        except FeltDialError as wrong:
            self.say(str(wrong), problem=True)
            return
        self.open_patch(patch, bank, preset)

    def open_patch(self, patch: Patch, bank: str = "", preset: str = "", saved: bool = True) -> None:
        """Puts a patch on the table."""
        before = self.work
        edited = self.unsaved and bool(self.history.undo_says) and not self.history.undo_says.startswith("open ")
        after = Work(patch, patch, "a", patch if saved else None, bank, preset)
        if not self.playing:
            self.phrase = phrase_for(patch.type).id
        self._take(after)
        self.transport.emit()
        self.history.add(Step(f"open {patch.name}", lambda: self._take(before), lambda: self._take(after)))
        if edited:
            self.say(f"The unsaved changes to {before.patch.name} are one undo away (Ctrl+Z).")

    def new(self) -> None:
        """Starts from an empty patch."""
        self.open_patch(new_patch(), saved=False)

    def neighbour(self, step: int) -> None:
        """Opens the preset before or after this one."""
        if not self.work.bank:
            return
        ids = self.library.bank(self.work.bank).ids()
        if self.work.preset in ids:
            self.open(self.work.bank, ids[(ids.index(self.work.preset) + step) % len(ids)])

    def save(self) -> bool:
        """Saves over the preset; its last versions are kept."""
        if not self.work.preset or self.work.bank not in {bank.id for bank in self.library.banks()}:
            return self.save_new(self.patch.name)
        try:
            self.library.bank(self.work.bank).save(self.work.preset, self.patch)
        except FeltDialError as wrong:
            self.say(str(wrong), problem=True)
            return False
        self._saved(self.patch, self.work.bank, self.work.preset)
        self.say(f"Saved {self.patch.name}; the version before is kept.")
        return True

    def save_new(self, name: str) -> bool:
        """Saves as a new preset behind this one."""
        patch = self.patch.model_copy(update={"name": name.strip() or "Untitled"})
        try:
            home = self._home() or self.library.create("First Sketches")
            key = home.save_new(patch, after=self.work.preset)
        except FeltDialError as wrong:
            self.say(str(wrong), problem=True)
            return False
        self.work = self.work.with_patch(patch)
        self._saved(patch, home.id, key)
        self.say(f"Saved {patch.name} as a new preset in {home.name}.")
        return True

    def _home(self) -> Bank | None:
        """The bank for a new preset: that of its cousin, the one on the shelf, or any."""
        banks = {bank.id: bank for bank in self.library.banks()}
        return banks.get(self.work.bank) or banks.get(self.shelf_bank) or next(iter(banks.values()), None)

    def _saved(self, patch: Patch, bank: str, preset: str) -> None:
        self.work = replace(self.work, saved=patch, bank=bank, preset=preset)
        self._journal_timer.stop()
        self.journal.clear()
        self.refresh_shelf()
        self.changed.emit()

    def rename_patch(self, name: str) -> None:
        """Gives the patch on the table another name."""
        if name.strip() and name.strip() != self.patch.name:
            self.edit(self.patch.model_copy(update={"name": name.strip()}), f"rename to {name.strip()}")

    def shelf_step(self, says: str, forth: Callable[[], None], back: Callable[[], None]) -> bool:
        """Does something to the library that can be undone."""

        def run(act: Callable[[], None]) -> Callable[[], None]:
            def step() -> None:
                try:
                    act()
                except (FeltDialError, OSError) as wrong:
                    self.say(str(wrong), problem=True)
                self.refresh_shelf()

            return step

        try:
            forth()
        except (FeltDialError, OSError) as wrong:
            self.say(str(wrong), problem=True)
            return False
        self.history.add(Step(says, run(back), run(forth)))
        self.refresh_shelf()
        self.say(f"Done: {says}.")
        return True

    def refresh_shelf(self) -> None:
        """Reads the library anew."""
        self.index.refresh(list(self.library.presets()))
        self.shelf_changed.emit()

    def _key(self, patch: Patch) -> str:
        """The key of a patch's sound; working it out takes a millisecond, and a list asks at every paint."""
        known = self._keys.get(id(patch))
        if known is None or known[0] is not patch:
            if len(self._keys) > 2000:
                self._keys.clear()
            known = self._keys[id(patch)] = (patch, sound_key(patch))
        return known[1]

    def measurement(self, patch: Patch) -> Measurement | None:
        """What is known of a patch's loudness and swatch; asked for where it is not."""
        key = self._key(patch)
        found = self.index.get(key)
        if found is None:
            self.measuring.ask(key, patch)
        return found

    # --- the sound -----------------------------------------------------------------------------

    def play(self, on: bool) -> None:
        """Plays or stops the phrase."""
        self.playing = on
        if on:
            self.link.play(self.phrase, self.looping)
        else:
            self.link.stop()
        self.transport.emit()

    def choose_phrase(self, phrase: str) -> None:
        """Another phrase, from its beginning."""
        self.phrase = phrase if phrase in PHRASES else self.phrase
        if self.playing:
            self.link.play(self.phrase, self.looping)
        self.transport.emit()

    def tick(self) -> None:
        """Thirty times a second: hears the engine and the worker, and lets pictures move."""
        for message in self.link.poll():
            self._heard(message)
        for key, found in self.measuring.poll():
            if found is not None:
                self.index.put(key, found)
            self.measured.emit(key)
            if key in self._sides_asked():
                self.match_sides()
        if self.playing and self.link.ready and self.link.settled and not self.looping:
            ended = not self.link.shared.data["playing"] and self.link.shared.data["position"] > 0
            if ended:
                self.playing = False
                self.transport.emit()
        self.frame.emit()

    def _heard(self, message: tuple[object, ...]) -> None:
        what, *rest = message
        if what == "died":
            self.say("The sound engine stopped and is being started again with the same patch.", problem=True)
        elif what == "gave up":
            self.say(
                "The sound engine stops as soon as it starts. Your work is safe; choose another output in the settings.",
                problem=True,
            )
        elif what == "broken":
            self.say(f"{', '.join(map(str, rest))} gave no number; it was reset and the sound went on.", problem=True)
        elif what == "refused":
            self.say(f"The engine did not take the patch: {rest[0]}", problem=True)
        elif what == "devices":
            self.devices.emit(rest[0])
        elif what == "controllers":
            self.controllers.emit(rest[0])
        elif what == "controls":
            self.control.turned(rest)  # type: ignore[arg-type]
        elif what == "program":
            self.control.program(*rest)  # type: ignore[arg-type]
        elif what == "transport":
            self.play(bool(rest[0]))
        elif what == "no controller":
            self.say(str(rest[0]), problem=True)
        elif what == "open":
            self.transport.emit()

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
        if settings.quality != before.quality:
            self.link.take_quality(settings.quality)
        if settings.controller != before.controller:
            self.link.take_controller(settings.controller)
        if settings.library_folder() != before.library_folder():
            self.library = Library(settings.library_folder())
            self.refresh_shelf()

    def _write_journal(self) -> None:
        try:
            if self.unsaved and self.history.undo_says:
                self.journal.write(Unsaved(self.patch, self.work.bank, self.work.preset))
            else:
                self.journal.clear()
        except CannotWrite as wrong:
            self.say(str(wrong), problem=True)

    def close(self) -> None:
        """Ends the helpers; unsaved work stays in the journal."""
        self._journal_timer.stop()
        self._write_journal()
        self.link.close()
        self.measuring.close()
        self.index.close()
