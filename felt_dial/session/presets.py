"""Presets on the table: opened and saved, where a save would go, and what another window did to one of them meanwhile.

Every question of that kind is answered here, and nowhere else: `home` says where a new preset would go, `save` asks where
a preset is not as this window has shown it, and `follow` keeps the table in step with the folders.
"""

from __future__ import annotations

from datetime import date
from typing import NamedTuple

from felt_dial.bank.finding.compare import difference
from felt_dial.bank.finding.names import words_of_swatch, working_name
from felt_dial.bank.library.bank import Bank, NoSuchBank, SavedMeanwhile, Stamp
from felt_dial.bank.library.documents import Document
from felt_dial.bank.library.journal import LeftBehind
from felt_dial.bank.library.places import shipped_ids
from felt_dial.bank.measuring.measurement import sound_key
from felt_dial.errors import FeltDialError
from felt_dial.files import at_the_disk
from felt_dial.patch.patch import ABOUT, Patch, with_about_of, without_solo
from felt_dial.session.autosave import Autosave
from felt_dial.session.channel import DOCUMENT, Channel
from felt_dial.session.editor import Editor
from felt_dial.session.preferences import Preferences
from felt_dial.session.shelf import Shelf
from felt_dial.session.topics import LibraryChanged, PatchChanged
from felt_dial.session.work import Work, alike

FIRST_BANK = "First Sketches"
"""The bank that is made for new sounds where the person has none of their own."""


def without_sentences_of(like: Patch, patch: Patch) -> Patch:
    """The patch without what its macros say where another's say the same."""
    macros = {
        key: macro.model_copy(update={"description": ""})
        if macro.description and macro.description == like.macros[key].description
        else macro
        for key, macro in patch.macros.items()
    }
    return patch.model_copy(update={"macros": macros}) if macros != patch.macros else patch


class Home(NamedTuple):
    """Where a new preset would go: the id of the bank, empty while it has still to be made, and what it is called."""

    id: str
    name: str


class Presets:
    """What is asked of the library for the work on the table."""

    def __init__(
        self, channel: Channel, editor: Editor, shelf: Shelf, autosave: Autosave, preferences: Preferences
    ) -> None:
        self.channel, self.editor, self.shelf = channel, editor, shelf
        self.autosave, self.preferences = autosave, preferences
        channel.watch(self.follow, LibraryChanged)

    # --- opening -------------------------------------------------------------------------------

    def open(self, bank: str, preset: str) -> None:
        """Puts a preset on the table; what was there can be had back by undo."""
        try:
            patch, stamp = self.shelf.library.bank(bank).look(preset)
        except FeltDialError as wrong:
            self.channel.say(str(wrong), problem=True)
            self.shelf.refresh((bank,))  # which may not know yet that it is gone
            return
        self.shelf.opened.note(bank, preset)
        self.use(bank)
        self.editor.open_patch(patch, self.shelf.documents.at(bank, preset, patch, stamp))

    def open_first(self, bank: str = "") -> None:
        """Puts the first preset of a bank on the table, or of any bank that has one, as where all begins."""
        banks = self.shelf.library.banks()
        named = [one for one in banks if bank in (one.id, one.name)]
        for chosen in named + [one for one in banks if one not in named]:
            if ids := chosen.ids():
                self.open(chosen.id, ids[0])
                break
        self.editor.history.clear()

    def neighbour(self, step: int) -> None:
        """Opens the preset so many behind this one, or before it where less than 0, or says why there is none."""
        work = self.editor.work
        ids = [listed.id for listed in self.shelf.catalogue.presets(work.bank)] if work.bank else []
        if work.preset in ids:
            self.open(work.bank, ids[(ids.index(work.preset) + step) % len(ids)])
        else:
            self.channel.say(
                f"{work.patch.name} is in no bank: there is none before it and none behind it. Save it, or open one."
            )

    def take_up(self, left: LeftBehind) -> None:
        """Lays unsaved work of another window on the table; its old page goes once it has a new one."""
        work = left.work
        document = self.document(work.bank, work.preset)
        if document is not None and work.seen is not None:
            document.seen = work.seen  # a save asks where the preset was saved since
        base = document.stored if document else None
        self.editor.lay(Work(work.a, work.b, work.side, document, base, base), f"take up {work.patch.name}")
        self.autosave.replace(left)

    def document(self, bank: str, preset: str) -> Document | None:
        """The document of a preset that may not be there any more."""
        try:
            home = self.shelf.library.bank(bank)
        except FeltDialError:
            return None
        if not preset or not home.path(preset).exists():
            return None
        return self.shelf.documents.at(bank, preset, self.stored_at(bank, preset), home.stamp(preset))

    def stored_at(self, bank: str, preset: str) -> Patch | None:
        """What disk holds of a preset; None where it is not there or cannot be read."""
        try:
            return self.shelf.library.bank(bank).load(preset)
        except FeltDialError:
            return None

    def _stamp(self, bank: str, preset: str) -> Stamp | None:
        """Which file holds a preset now; None where it is not there, or its bank is gone."""
        try:
            return self.shelf.library.bank(bank).stamp(preset)
        except FeltDialError:
            return None

    # --- where a new preset goes ---------------------------------------------------------------

    def home(self) -> Home:
        """Where a new preset would go: into the bank of their own that the person chose or saved to last, else into their
        first one, which is made when it is needed. Banks that come with the program are never proposed."""
        own = {listed.id: listed.name for listed in self.shelf.banks if not self.shipped(listed.id)}
        last = self.preferences.now.home
        if last in own:
            return Home(last, own[last])
        first = next((key for key, name in own.items() if name == FIRST_BANK), "")
        return Home(first, FIRST_BANK)

    def shipped(self, bank: str) -> bool:
        """Whether a bank came with the program."""
        return bank in shipped_ids()

    def use(self, bank: str) -> None:
        """A bank was chosen, or something of it opened or saved: new presets go there, if it is the person's own."""
        if bank == self.preferences.now.home or not bank or self.shipped(bank):
            return
        self.preferences.remember(home=bank)

    def _bank_for(self, bank: str | None) -> Bank:
        """A bank that is named, or else the home, made where it has still to be; raises as the library does."""
        library = self.shelf.library
        key = self.home().id if bank is None else bank
        return library.bank(key) if key else library.create(FIRST_BANK)

    # --- saving --------------------------------------------------------------------------------

    def save(self, over: bool = False) -> bool:
        """Saves over the preset; asks where its file is not the one that this window has shown, unless it shall be saved
        `over` all the same."""
        document = self.editor.work.document
        if document is None or not document.there:
            return self.save_new(self.editor.patch.name)
        patch = self._to_keep()
        try:
            bank = self.shelf.library.bank(document.bank)
            kept = bank.save(document.preset, patch, self.preferences.now.versions, None if over else document.seen)
        except SavedMeanwhile as wrong:
            return self._saved_meanwhile(document, wrong)
        except NoSuchBank:
            self._gone(document)
            return self.save_new(self.editor.patch.name)
        except FeltDialError as wrong:
            self.channel.say(str(wrong), problem=True)
            return False
        document.holds(patch, kept.stamp)
        self.use(document.bank)
        self.saved(document)
        self.channel.say(f"Saved {patch.name}{'; the version before is kept' if kept.version else ''}.")
        return True

    def _saved_meanwhile(self, document: Document, wrong: FeltDialError) -> bool:
        """The file is not the one that was shown: where it holds the same all the same, it is saved over, else asked about."""
        mine = self._to_keep()
        theirs, before = self.stored_at(document.bank, document.preset), document.stored
        if theirs is not None and theirs in (before if document.seen == document.stamp else None, mine):
            return self.save(over=True)
        told = difference(mine, theirs).sentence() if theirs is not None else "it cannot be read now"
        name = theirs.name if theirs is not None else mine.name
        self.channel.ask(
            f"{wrong} Theirs against yours: {told}. Nothing is saved yet.",
            [
                ("Keep both", lambda: self.save_new(f"{mine.name} 2", bank=document.bank, words=True)),
                ("Replace theirs", lambda: self.save(over=True)),
                ("Take theirs", lambda: self.take_theirs(document, f"take {name} as the other window saved it")),
            ],
        )
        return False

    def take_theirs(self, document: Document, says: str) -> None:
        """Lays what disk holds of the preset on the table, as a step."""
        try:
            patch, stamp = self.shelf.library.bank(document.bank).look(document.preset)
        except FeltDialError as wrong:
            self.channel.say(str(wrong), problem=True)
            return
        document.holds(patch, stamp)
        self.editor.lay(Work(patch, patch, document=document, base_a=patch, base_b=patch), says)

    def save_new(self, name: str, unnamed: bool = False, bank: str | None = None, words: bool = False) -> bool:
        """Saves as a new preset, behind the one that it was made from where both are in one bank.

        Its parent is that one, its author the person; what was written about that one is offered, and not claimed, unless it
        is one's own and keeps its `words`.
        """
        cousin = self.editor.work.document
        left = cousin.stored if cousin is not None else None
        patch = self.as_new(name, unnamed, words)
        try:
            with at_the_disk(f"“{patch.name}” was not saved", "It is on the table."):
                home = self._bank_for(bank)
            key = home.save_new(patch, after=self.editor.work.preset if home.id == self.editor.work.bank else None)
        except FeltDialError as wrong:
            self.channel.say(str(wrong), problem=True)
            return False
        self.belongs_to(home.id, key, words)
        said = f"Saved {patch.name} as a new preset in {home.name}."
        if left is not None and not unnamed and (told := self._left_words(left, patch)):
            document = self.editor.work.document
            take = [("Take them too", lambda: self._describe(left, document))]
            self.channel.ask(f"{said} {told} were left with {left.name}.", take, problem=False)
        else:
            self.channel.say(said)
        return True

    @staticmethod
    def _left_words(left: Patch, patch: Patch) -> str:
        """Which words of the sound that another was made from the other does not have."""
        described = bool(left.description and not patch.description)
        spoken = any(m.description and not patch.macros[key].description for key, m in left.macros.items())
        words = [name for name, lacks in (("description", described), ("sentences about macros", spoken)) if lacks]
        return f"Its {' and '.join(words)}" if words else ""

    def as_new(self, name: str, unnamed: bool = False, words: bool = False) -> Patch:
        """The patch on the table as a new preset says what it is: where it comes from, whose it is, and when it was made."""
        cousin, author = self.editor.work.document, self.preferences.now.author
        about: dict[str, object] = {"name": name.strip() or "Untitled", "unnamed": unnamed, "made": date.today()}
        patch = self._to_keep()
        if cousin is not None and cousin.stored is not None:
            about |= {"parent": cousin.stored.name, "favourite": False}
            if words:
                return patch.model_copy(update=about)
            about["author"] = author
            if patch.description == cousin.stored.description:
                about |= {"description": "", "notes": "", "mark": ""}
            patch = without_sentences_of(cousin.stored, patch)
        elif author and not patch.author:
            about["author"] = author
        return patch.model_copy(update=about)

    def belongs_to(self, bank: str, preset: str, words: bool = False) -> None:
        """The sounding patch was just saved as a preset: it is that from now on, by its name and its words."""
        patch, stamp = self.shelf.library.bank(bank).look(preset)
        cousin = self.editor.work.document
        if not words and cousin is not None and (left := cousin.stored) is not None:
            self.editor.work = self.editor.work.with_each(lambda side: without_sentences_of(left, side))
        self.editor.work = self.editor.work.with_about({key: getattr(patch, key) for key in ABOUT})
        self.use(bank)
        self.shelf.opened.note(bank, preset)
        self.saved(self.shelf.documents.at(bank, preset, patch, stamp))

    def _describe(self, like: Patch, document: Document | None) -> None:
        """The preset on the table, and its macros, are described as another's are, while it is the one that was asked about."""
        patch = self.editor.patch
        if self.editor.work.document is not document:
            self.channel.say("The sound that this was about is not on the table any more; nothing was changed.")
            return
        macros = {
            key: macro.model_copy(update={"description": macro.description or like.macros[key].description})
            for key, macro in patch.macros.items()
        }
        told = {"description": patch.description or like.description, "macros": macros}
        self.editor.edit(patch.model_copy(update=told), f"describe it as {like.name}")
        self.save()

    def quick_keep(self) -> bool:
        """Saves the sound of this moment as a new preset under a name made from what it is, marked as unnamed."""
        return self.save_new(self.working_name(self.editor.patch), unnamed=True)

    def working_name(self, patch: Patch) -> str:
        """A name made from what a sound is, as far as that is known: from its kind, and from what was measured of it."""
        measured = self.shelf.figures.of(patch)
        words = words_of_swatch(measured.swatch) if measured is not None else []
        return working_name(patch.type, words, self.shelf.catalogue.names())

    def _to_keep(self) -> Patch:
        """The patch as a preset keeps it: without solo, unless that is wished."""
        patch = self.editor.patch
        return patch if self.preferences.now.keep_solo else without_solo(patch)

    def saved(self, document: Document) -> None:
        """The sounding patch is what disk holds of a document now."""
        self.editor.work = self.editor.work.saved(document)
        self.autosave.write()
        self.shelf.refresh((document.bank,))
        self.channel.tell(PatchChanged())

    def let_go(self) -> None:
        """The person does not want what is not saved of the sound on the table."""
        self.editor.work = self.editor.work.let_go()
        self.autosave.write()

    # --- what another window does --------------------------------------------------------------

    def follow(self) -> None:
        """What happened to the preset on the table behind the back of this window."""
        document = self.editor.work.document
        if document is not None and document.there:
            stamp = self._stamp(document.bank, document.preset)
            if stamp is None:
                self._find_again(document)
            elif stamp != document.stamp:
                self._changed(document)
        self.channel.wake((DOCUMENT,))
        self.autosave.soon()

    def _changed(self, document: Document) -> None:
        """Its file is another: other words are taken over; another sound is, where nothing is unsaved here, else told."""
        before = document.stored
        try:
            theirs, stamp = self.shelf.library.bank(document.bank).look(document.preset)
        except FeltDialError:
            document.stored, document.stamp = None, self._stamp(document.bank, document.preset)
            return
        if theirs == before:
            document.holds(theirs, stamp)
            return
        if before is None:
            document.stored, document.stamp = theirs, stamp
            return
        about = {key: getattr(theirs, key) for key in ABOUT if getattr(theirs, key) != getattr(before, key)}
        if with_about_of(theirs, before) == before:
            document.holds(theirs, stamp)
            self.editor.take_about(about)
            return
        work = self.editor.work
        if alike(work.a, before) and alike(work.b, before):
            self.take_theirs(document, f"take {theirs.name} as the other window saved it")
            self.channel.say(f"“{theirs.name}” was saved by another window, and is shown as it is there now.")
            return
        document.stored, document.stamp = theirs, stamp
        self.channel.say(f"“{theirs.name}” was saved by another window; what is here is yours, and saving it asks.")

    def _find_again(self, document: Document) -> None:
        """Its file is gone: moved to another place, or into the bin, or nowhere."""
        before = document.stored
        if before is not None:
            moved = [row for row in self.shelf.catalogue.of_sounds([sound_key(before)]) if row.name == before.name]
            moved = [row for row in moved if self._stamp(row.bank, row.id) is not None]
            if len(moved) == 1 and self.stored_at(moved[0].bank, moved[0].id) == before:
                row = moved[0]
                self.shelf.documents.moved(document.bank, document.preset, row.bank, row.id)
                document.holds(before, self._stamp(row.bank, row.id))
                self.channel.say(f"“{before.name}” stands in {self.shelf.bank_name(row.bank)} now.")
                return
        self._gone(document)
        self.channel.say(
            f"“{self.editor.patch.name}” is not in its bank any more; saving it makes a new preset.", problem=True
        )

    def _gone(self, document: Document) -> None:
        """Its file is not in its bank any more; it may lie in the bin."""
        bin_, where = self.shelf.library.bin, (document.bank, document.preset)
        ticket = next((one.ticket for one in bin_.all() if (one.bank, one.preset) == where), "")
        self.shelf.documents.deleted(*where, ticket)
