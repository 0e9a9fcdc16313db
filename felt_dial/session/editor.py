"""The editor: the patch on the table, its history, what is chosen of it, and its two sides A and B."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Protocol

from felt_dial.bank.library.documents import Document
from felt_dial.bank.measuring.figures import Figures
from felt_dial.errors import FeltDialError
from felt_dial.patch.asset import Asset
from felt_dial.patch.change import Change, values_changed, values_of
from felt_dial.patch.edits import place_name
from felt_dial.patch.history import History, Step
from felt_dial.patch.module import Tuned
from felt_dial.patch.params import Choice
from felt_dial.patch.patch import Patch, outline, param_at, path_exists, value_at
from felt_dial.patch.units import Value, number
from felt_dial.session.channel import Channel
from felt_dial.session.clipboard import Clipboard
from felt_dial.session.topics import (
    Focused,
    Laid,
    Leaving,
    Measured,
    PageLeft,
    PatchChanged,
    Rebuilding,
    Rebuilt,
    Selected,
)
from felt_dial.session.work import Work
from felt_dial.sound.matter.assets import assets_of, words_of_missing
from felt_dial.sound.modules import new_patch


class Sounding(Protocol):
    """What makes the patch on the table heard."""

    def show(self, patch: Patch, carry: bool) -> None:
        """Sounds as a patch does; what sounds goes on where it is the same sound that `carry`s on."""

    def follow(self, change: Change) -> None:
        """Sounds with other values."""

    def trim(self, decibels: float) -> None:
        """Turns all of it up or down for the listener."""


class Editor:
    """One person at work on one sound.

    Parameters
    ----------
    channel : Channel
        Where edits are told.
    history : History
        Where each of them is a step.
    sounding : Sounding
        What follows them.
    figures : Figures
        Knows how loud both sides are.
    """

    def __init__(self, channel: Channel, history: History, sounding: Sounding, figures: Figures) -> None:
        self.channel, self.history, self.sounding, self.figures = channel, history, sounding, figures
        blank = new_patch()
        self.work = Work(blank, blank, base_a=blank, base_b=blank)
        self.selection = ("source", "a")
        """What the inspector shows: a cell of a layer, a modulator, the patch."""
        self.chosen: set[str] = set()
        """Layers that are chosen together; what is set on one of them is set on all."""
        self.rack, self.effect = "1", ""
        """Which effect the Effects page shows large."""
        self.focus_path = ""
        self.locked: set[str] = set()
        """Paths of dials that offshoots leave alone."""
        self.clipboard = Clipboard()
        self._matter: dict[str, Asset] = {}
        channel.hear(Measured, self._measured)

    @property
    def patch(self) -> Patch:
        """The patch that sounds."""
        return self.work.patch

    @property
    def unsaved(self) -> bool:
        """True while the patch is not what disk holds of its preset."""
        return self.work.unsaved

    def value(self, path: str) -> Value:
        """The value of a parameter."""
        return value_at(self.patch, path)

    def label_of(self, path: str) -> str:
        """A short name for a parameter in a sentence."""
        if path.startswith("threads."):
            return param_at(self.patch, path).label
        where, label = place_name(self.patch, path)
        return label if where == "Patch" or path.startswith("macros.") else f"{where} {label}"

    def assets_at_hand(self) -> list[Asset]:
        """Recordings of all sounds that lay on the table since the start: undo may bring any of them back."""
        return list(self._matter.values())

    # --- edits ---------------------------------------------------------------------------------

    def edit(self, patch: Patch, says: str, merge: str = "", select: tuple[str, str] | None = None) -> None:
        """Makes an edit, as one named step; `select` is what the inspector shows after it."""
        if patch == self.patch:
            return
        shown = (self.selection, select) if select else (None, None)
        before, after, effect = self.work, self.work.with_patch(patch), (self.rack, self.effect)
        self._take(after, select)
        self.history.add(self._step(says, before, after, merge, shown, effect))

    def try_edit(self, make: Callable[[], Patch], says: str) -> bool:
        """Makes an edit that may be refused, with its sentence."""
        try:
            self.edit(make(), says)
        except FeltDialError as wrong:
            self.channel.say(str(wrong), problem=True)
            return False
        return True

    def set(self, path: str, value: object, *, dragging: bool = False) -> None:
        """Sets a parameter, that of all chosen layers where several are; raises `OutOfRange`."""
        alike = self.alike(path)
        change = values_changed(self.patch, dict.fromkeys(alike, value) | self._turned_on(alike, value))
        if change.paths:
            whose = (
                self.label_of(path) if len(alike) == 1 else f"{param_at(self.patch, path).label} of {len(alike)} layers"
            )
            says = f"{whose} to {param_at(change.patch, path).write(value_at(change.patch, path))}"
            self._make(change, says, path if dragging else "")

    def alike(self, path: str) -> list[str]:
        """A path, and the same place in the other layers that are chosen with this one, where they have it."""
        steps = path.split(".")
        if steps[0] != "layers" or steps[1] not in self.chosen:
            return [path]
        param, found = param_at(self.patch, path), [path]
        for key in sorted(self.chosen & set(self.patch.layers) - {steps[1]}):
            other = ".".join(["layers", key, *steps[2:]])
            if path_exists(self.patch, other) and param_at(self.patch, other) == param:
                found.append(other)
        return found

    def _turned_on(self, paths: list[str], value: object) -> dict[str, object]:
        """What is switched on by choosing a type or a response of a drive, a filter or an effect that is off; how a cutoff is
        counted is none."""
        found: dict[str, object] = {}
        for path in paths:
            place, _, name = path.rpartition(".")
            switch, kind = f"{place}.on", path.count(".") == 3 and name not in Tuned.params
            chooses = kind and isinstance(param_at(self.patch, path), Choice) and value_at(self.patch, path) != value
            if chooses and path_exists(self.patch, switch) and not value_at(self.patch, switch):
                found[switch] = True
        return found

    def set_all(self, values: Mapping[str, object], says: str, merge: str = "") -> None:
        """Sets several parameters as one step; raises `OutOfRange`."""
        change = values_changed(self.patch, values)
        if change.paths:
            self._make(change, says, merge)

    def rename_patch(self, name: str) -> None:
        """Gives the patch on the table another name."""
        if name.strip() and name.strip() != self.patch.name:
            self.edit(self.patch.model_copy(update={"name": name.strip()}), f"rename to {name.strip()}")

    def _make(self, change: Change, says: str, merge: str) -> None:
        """Makes a change of values, as one named step."""
        if change.rebuilds:
            self.edit(change.patch, says, merge)
            return
        before, after, paths = self.work, self.work.with_patch(change.patch), change.paths or ()
        self._follow(change)
        self.history.add(Step(says, lambda: self._go_to(before, paths), lambda: self._go_to(after, paths), merge))

    def _follow(self, change: Change) -> None:
        """Lets the patch on the table have other values, and wakes those who show them."""
        self.work = self.work.with_patch(change.patch)
        if self.work.a == self.work.b:
            self.sounding.trim(0.0)
        self.sounding.follow(change)
        self.channel.wake(change.paths)
        self.channel.tell(PatchChanged())

    def _go_to(self, work: Work, paths: Iterable[str]) -> None:
        """Puts patches on the table that differ from those that lie there in the values at some paths, and wakes those who show
        them; everybody where more differs, as after a drag that has moved others too."""
        wanted = self.work.with_patches_of(work, about=False)
        change = values_of(wanted.patch, self.patch, paths)
        if change is not None and self.work.with_patch(wanted.patch) == wanted:
            self._follow(change)
        else:
            self._take(wanted)

    def _take(self, work: Work, shown: tuple[str, str] | None = None) -> None:
        """Puts other work on the table and makes everything follow; `shown` is what the inspector then shows."""
        self.selection = shown or self.selection
        before = self.work
        self._matter |= {asset.digest: asset for side in (work.a, work.b) for asset in assets_of(side).values()}
        same = before.page == work.page
        if not same:
            self.chosen = set()
            self.channel.tell(PageLeft())
        self.work = work
        if work.a == work.b:
            self.sounding.trim(0.0)
        self.sounding.show(self.patch, carry=same)
        self._choose_what_is_there()
        if outline(before.patch) != outline(self.patch) or not same:
            self.channel.tell(Rebuilding())
            self.channel.tell(Rebuilt())
        self.channel.wake(None)
        self.channel.tell(PatchChanged())

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

    # --- undo ----------------------------------------------------------------------------------

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
            self.channel.say(f"Not {verb.lower()}: {says}. {wrong}", problem=True)
        else:
            self.channel.say(f"{verb}: {says}." if says else none)

    # --- other work ----------------------------------------------------------------------------

    def lay(self, after: Work, says: str) -> None:
        """Lays other work on the table, as a step; what lay there has its page in the journal."""
        self.channel.tell(Leaving())
        before = self.work
        self._take(after)
        self.channel.tell(Laid(after.patch))
        left = after

        def back() -> None:
            nonlocal left
            self.channel.tell(Leaving())
            left = self.work
            self._take(before)

        self.history.add(Step(says, back, lambda: self._take(left)))
        if before.worth_keeping:
            self.channel.say(f"The unsaved changes to {before.patch.name} are one undo away (Ctrl+Z).")

    def open_patch(self, patch: Patch, document: Document | None = None, made: bool = False) -> None:
        """Puts a patch on the table, that of a document or a new one; one that was `made` is work that is in no bank."""
        base = None if made else patch
        self.lay(Work(patch, patch, document=document, base_a=base, base_b=base), f"open {patch.name}")
        if said := words_of_missing(patch):
            self.channel.say(said, problem=True)

    def new(self) -> None:
        """Starts from an empty patch, with its layer in the inspector."""
        blank = new_patch()
        self.selection = ("source", next(iter(blank.layers)))
        self.open_patch(blank)

    def take_about(self, about: dict[str, object]) -> None:
        """The preset on the table got another name or other words on the shelf; its sound stays."""
        self.work = self.work.with_about(about)
        self.channel.wake(None)
        self.channel.tell(PatchChanged())

    # --- A and B -------------------------------------------------------------------------------

    def flip(self) -> None:
        """From A to B or back; the louder one is turned down to the other, so that louder does not win."""
        self._take(replace(self.work, side="b" if self.work.side == "a" else "a"))
        trim = self.match_sides()
        down = f", {number(-trim, 1)} dB down to match the other" if trim < -0.05 else ""
        self.channel.say(f"{self.work.side.upper()} sounds now{down}.")

    def copy_side(self) -> None:
        """The other of A and B becomes like this one."""
        before, patch = self.work, self.patch
        after = replace(before, b=patch) if before.side == "a" else replace(before, a=patch)
        self._take(after)
        other = "B" if before.side == "a" else "A"
        self.history.add(self._step(f"copy to {other}", before, after))
        self.channel.say(f"{other} is now the same.")

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
        self.sounding.trim(trim)
        return trim

    def _measured(self, measured: Measured) -> None:
        """One of two different sides was measured: they are matched."""
        work = self.work
        if work.a != work.b and measured.key in (self.figures.key(work.a), self.figures.key(work.b)):
            self.match_sides()

    # --- what is chosen ------------------------------------------------------------------------

    def select(self, part: str, key: str, together: bool = False) -> None:
        """Chooses what the inspector shows: a cell of a layer, or a modulator; a layer `together` with those that are chosen,
        or without it where it is one of them."""
        before = self.selection[1]
        self.chosen = self.chosen ^ {key} if together else set()
        if together and before in self.patch.layers and not self.chosen - {key}:
            self.chosen |= {before, key}
        if len(self.chosen) == 1:
            self.chosen = set()
        self.selection = (part, key)
        self.channel.tell(Selected())
        if self.chosen:
            self._say_chosen()

    def choose_layers(self, keys: Iterable[str]) -> None:
        """Chooses several layers; what is set on one of them is set on all, until another is chosen alone."""
        self.chosen = set(keys)
        self.channel.tell(Selected())
        self._say_chosen()

    def _say_chosen(self) -> None:
        letters = " ".join(key.upper() for key in sorted(self.chosen))
        self.channel.say(f"{letters} are chosen together: what is set on one is set on all of them.")

    def choose_effect(self, rack: str, key: str) -> None:
        """Which effect the Effects page shows large."""
        self.rack, self.effect = rack, key

    def focus(self, path: str) -> None:
        """A dial has the focus; the inspector lists what moves it."""
        self.focus_path = path
        self.channel.tell(Focused(path))

    def _choose_what_is_there(self) -> None:
        """What was chosen and is gone gives way to something that the patch has."""
        part, key = self.selection
        layers = self.patch.layers
        self.chosen = self.chosen & set(layers) if len(self.chosen & set(layers)) > 1 else set()
        everywhere = part in ("patch", "macro", "player", "pattern", "bus")
        if not everywhere and key not in (self.patch.modulators if part == "modulator" else layers):
            self.selection = ("source", next(iter(layers)))
        if self.effect not in self.patch.racks[self.rack]:
            self.choose_effect(*next(((r, k) for r, rack in self.patch.racks.items() for k in rack), ("1", "")))
