"""The library as the window has it open: its list, its measures, its documents and phrases, and what others do to it."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Iterable

from felt_dial.bank.finding.catalogue import Catalogue, CatalogueFault, ListedBank, catalogue_path
from felt_dial.bank.finding.follow import Following
from felt_dial.bank.library.bank import WANTED_LUFS
from felt_dial.bank.library.documents import Documents
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.opened import Opened
from felt_dial.bank.library.phrases import Phrases
from felt_dial.bank.library.places import cache_folder, index_path, previews_folder, remember_library, state_folder
from felt_dial.bank.library.snippets import Snippets
from felt_dial.bank.measuring.figures import Figures
from felt_dial.bank.measuring.index import Index
from felt_dial.bank.measuring.measurement import Measurement
from felt_dial.bank.measuring.measuring import Measuring
from felt_dial.errors import FeltDialError, cut
from felt_dial.files import is_folder
from felt_dial.patch.edits import add_layer_with_level
from felt_dial.patch.history import History, Step
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import Patch
from felt_dial.session.channel import Channel
from felt_dial.session.preferences import Preferences
from felt_dial.session.topics import LibraryChanged, Measured, PageLeft, SettingsKept
from felt_dial.sound.modules import new_layer

LOOKS = 0.25
"""Seconds from one look at what became of the library to the next."""


class Shelf:
    """The library that the settings name.

    Attributes
    ----------
    library : Library
        The folders.
    catalogue, opened : Catalogue, Opened
        The list of what stands in them, and what of it was opened when.
    figures : Figures
        What was measured of sounds.
    documents : Documents
        The presets that this window has read.
    phrases : Phrases
        Those of the program and of the person.
    shown : str
        The bank that the Shelf shows; empty where it shows all.
    """

    def __init__(self, channel: Channel, preferences: Preferences, history: History) -> None:
        self.channel, self.preferences, self.history = channel, preferences, history
        self.documents = Documents()
        quality = preferences.now.render_quality
        self.figures = Figures(Index(index_path()), Measuring(quality, previews_folder()))
        self.library: Library
        self.phrases: Phrases
        self.catalogue: Catalogue
        self.opened: Opened
        self.following: Following | None = None
        self.shown = ""
        self._looked, self._another = 0.0, False
        self._open()
        channel.hear(SettingsKept, self._settings_kept)
        channel.watch(self._other_work, PageLeft)

    @property
    def banks(self) -> list[ListedBank]:
        """Every bank, in the order that the person gave them."""
        return self.catalogue.banks()

    def bank_name(self, bank: str) -> str:
        """What a bank is called; empty where there is none."""
        return next((listed.name for listed in self.catalogue.banks() if listed.id == bank), "")

    def wanted_loudness(self, bank: str) -> float:
        """How loud the presets of a bank shall be, in LUFS."""
        return next((listed.loudness for listed in self.catalogue.banks() if listed.id == bank), WANTED_LUFS)

    def with_new_layer(self, patch: Patch, source: str) -> tuple[Patch, str]:
        """A patch with one more layer of a kind, which has a level envelope of its own as the person begins one; and its id.

        Raises `OutOfRange` where there is no room.
        """
        level = Snippets(self.library.root).fresh(Modulator.kinds["envelope"]())
        return add_layer_with_level(patch, new_layer(source), level)

    # --- changes -------------------------------------------------------------------------------

    def step(
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
                    self.refresh(set(banks()))

            return step

        try:
            run(forth)()
        except FeltDialError as wrong:
            self.channel.say(str(wrong), problem=True)
            return False
        self.history.add(Step(says, run(back), run(forth)))
        self.channel.say(done or f"Done: {says}.")
        return True

    def refresh(self, banks: Iterable[str] | None = None) -> None:
        """Reads what changed in some banks, or in all of the library."""
        try:
            self.catalogue.refresh(self.library, banks)
        except CatalogueFault as wrong:
            self.channel.say(str(wrong), problem=True)
        self.catalogue.moved_on()
        self.channel.tell(LibraryChanged())

    def read_beside(self, banks: Iterable[str], watch: Callable[[float], bool]) -> None:
        """Reads what changed in some banks in the thread of a job, so that the window need not."""
        if self.catalogue.path is not None:
            with contextlib.closing(Catalogue(self.catalogue.path)) as own:
                own.refresh(self.library, banks, lambda done, total: watch(done / total))

    def follow(self) -> None:
        """Reads the library beside the work from now on, and whatever changes in it."""
        if self.catalogue.path is not None:
            self.following = Following(self.library, self.catalogue.path)
        else:
            self.refresh()

    def poll(self) -> None:
        """Hears what was measured, and shows what stands in the library by now, whoever put it there."""
        for key, found in self.figures.poll():
            self._measured(key, found)
        self._look()

    def _look(self) -> None:
        """Looks at the library, a few times a second at most."""
        if self.following is None or time.monotonic() - self._looked < LOOKS:
            return
        self._looked = time.monotonic()
        for says in self.following.told():
            self.channel.say(says, problem=True)
        if self.catalogue.mended:
            self.catalogue.mended = False
            self.channel.say(
                "The list of the library was damaged: it is read again from the files, which are as they are."
            )
            if self.catalogue.path is not None:
                self.following.read_all()
            else:
                self.refresh()
        if self.catalogue.moved_on() or self._another:
            self._another = False
            self.channel.tell(LibraryChanged())

    def _measured(self, key: str, found: Measurement | None) -> None:
        if found is None and self.figures.failed == {key}:
            names = [f"“{cut(listed.name)}”" for listed in self.catalogue.of_sounds([key])] or ["A sound"]
            self.channel.say(
                f"{names[0]} could not be measured; it stands on the shelf without its picture.", problem=True
            )
        self.channel.tell(Measured(key))

    # --- opening and closing -------------------------------------------------------------------

    def _open(self) -> None:
        self.library = Library(self.preferences.now.library_folder())
        self.phrases = Phrases(self.library.root)
        listed = catalogue_path(cache_folder(), self.library.root)
        opened = state_folder() / f"opened-{listed.stem}.sqlite"
        self.opened = Opened(opened)
        self.catalogue = Catalogue(listed, index_path(), opened)

    def open_again(self) -> None:
        """Opens the library of the settings, which is another one or is there by now."""
        followed = self.following is not None
        self._let_go()
        self._open()
        self.refresh()
        if followed:
            self.follow()

    def close(self) -> None:
        """Ends what is read and measured beside the window."""
        self.figures.close()
        self._let_go()

    def _let_go(self) -> None:
        if is_folder(self.library.root):
            remember_library(self.library.root, len(self.library.banks()))
        if self.following is not None:
            self.following.close()
            self.following = None
        self.opened.close()
        self.catalogue.close()

    def _other_work(self) -> None:
        """Other work lies on the table: what became of its preset is looked for."""
        self._another = True

    def _settings_kept(self, kept: SettingsKept) -> None:
        self.figures.measuring.quality = kept.now.render_quality
        if kept.now.library_folder() != kept.before.library_folder():
            self.open_again()
