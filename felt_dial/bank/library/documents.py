"""Documents: the presets that lie, or lay, on the table, and what disk holds of each now.

A patch with its history is one thing, the document that it belongs to another. A document follows what happens to its
preset: it is saved, moved, deleted, brought back. Whoever holds one need not know of it.
"""

from __future__ import annotations

from collections.abc import Callable
from weakref import WeakSet

from felt_dial.bank.library.bank import Stamp
from felt_dial.patch.patch import Patch


class Document:
    """One preset of the library.

    Attributes
    ----------
    bank, preset : str
        Where it is; both empty once it is not in the library any more.
    stored : Patch or None
        What its file holds, None where there is none that can be read.
    ticket : str
        What brings it back, while it lies in the bin.
    stamp : (time, size) or None
        Those of the file that was read last; None where they are not known.
    seen : (time, size) or None
        Those of the file that this window has shown, or written: a save over another one is asked about.
    """

    def __init__(self, bank: str, preset: str, stored: Patch | None) -> None:
        self.bank, self.preset, self.stored = bank, preset, stored
        self.ticket = ""
        self.stamp: Stamp | None = None
        self.seen: Stamp | None = None

    def holds(self, stored: Patch | None, stamp: Stamp | None) -> None:
        """Its file holds what this window has shown or written."""
        self.stored, self.stamp, self.seen = stored, stamp, stamp

    @property
    def there(self) -> bool:
        """True while it has a place in the library."""
        return bool(self.preset)


class Documents:
    """Every document that somebody holds, one for each preset."""

    def __init__(self) -> None:
        self._held: WeakSet[Document] = WeakSet()

    def at(self, bank: str, preset: str, stored: Patch | None, stamp: Stamp | None = None) -> Document:
        """The document of a preset, whose file was just read or written."""
        for known in self._held:
            if (known.bank, known.preset) == (bank, preset):
                break
        else:
            known = Document(bank, preset, stored)
            self._held.add(known)
        known.holds(stored, stamp)
        return known

    def moved(self, bank: str, preset: str, to: str, as_: str) -> None:
        """A preset has another place."""
        for known in self._held:
            if (known.bank, known.preset) == (bank, preset):
                known.bank, known.preset = to, as_

    def deleted(self, bank: str, preset: str, ticket: str) -> None:
        """A preset went into the bin."""
        for known in self._held:
            if (known.bank, known.preset) == (bank, preset):
                known.bank = known.preset = ""
                known.stored, known.ticket = None, ticket

    def bank_deleted(self, bank: str, ticket: str) -> None:
        """A whole bank went into the bin."""
        for known in [one for one in self._held if one.bank == bank]:
            self.deleted(bank, known.preset, f"{ticket}/{known.preset}")

    def bank_restored(self, ticket: str, bank: str, stored: Callable[[str, str], Patch | None]) -> None:
        """A whole bank came back; `stored` reads what disk holds of a preset."""
        for known in [one for one in self._held if one.ticket.startswith(f"{ticket}/")]:
            preset = known.ticket.partition("/")[2]
            self.restored(known.ticket, bank, preset, stored(bank, preset))

    def restored(self, ticket: str, bank: str, preset: str, patch: Patch | None) -> None:
        """A preset came back from the bin."""
        for known in self._held:
            if known.ticket == ticket:
                known.bank, known.preset, known.ticket = bank, preset, ""
                known.holds(patch, None)
