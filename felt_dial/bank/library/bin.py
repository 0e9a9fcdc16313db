"""The bin: deleted presets and banks, each in a folder with where it stood, what it was before, and when it was deleted.

An entry is built aside and renamed into place, so that one is there whole or not at all. The preset's own file is moved
into it: a preset is in its bank or in the bin, also when the program is killed between.
"""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import shutil
import time
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path
from typing import Any

from felt_dial.bank.library.bank import Bank, NoSuchBank, read_file
from felt_dial.errors import FeltDialError
from felt_dial.files import LITTER, CannotWrite, at_the_disk, bytes_of, write_whole
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.patch import Patch

DAYS = "days.json"
"""On how many days the program has run, and the last of them."""
LAST_MOMENT = 4_102_444_800.0
"""Seconds until 2100: what a clock says beyond is no date that can be shown."""


@dataclass(frozen=True)
class Thrown:
    """A preset in the bin, or a whole bank."""

    ticket: str
    name: str
    bank: str
    """The id of its bank; empty where that is not known any more."""
    bank_name: str
    preset: str
    place: int
    when: datetime
    whole: bool = False
    """It is a bank with all that is in it; `preset` is empty."""


class Bin:
    """The folder `.bin` of a library."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def take(self, bank: Bank, preset: str) -> str:
        """Moves a preset out of its bank into the bin; returns the ticket that brings it back."""
        with bank.held():
            order = bank.ids()
            if preset not in order:
                raise NoSuchBank(f"“{preset}” is not in {bank.name} any more.")
            name = bank.name_of(preset)
            about = {
                "bank": bank.id,
                "bank_name": bank.name,
                "preset": preset,
                "place": order.index(preset),
                "name": name,
            }
            about |= self._when()
            ticket = self._next_ticket()
            draft = self.folder / f".making-{ticket}-{secrets.token_hex(4)}"
            with at_the_disk(f"“{name}” was not deleted", "It is still in its bank."):
                write_whole(draft / "about.json", json.dumps(about, ensure_ascii=False))
                os.rename(bank.path(preset), draft / "preset.json")
                with contextlib.suppress(FileNotFoundError):
                    os.rename(bank.folder / "versions" / preset, draft / "versions")
                os.rename(draft, self.folder / ticket)
            bank.remove(preset)
            return ticket

    def take_bank(self, bank: Bank) -> str:
        """Moves a whole bank into the bin; returns the ticket that brings it back."""
        with bank.held():
            about = {"bank": bank.id, "bank_name": bank.name, "name": bank.name, "whole": True, **self._when()}
            ticket = self._next_ticket()
            draft = self.folder / f".making-{ticket}-{secrets.token_hex(4)}"
            with at_the_disk(f"The bank “{bank.name}” was not deleted", "It is where it was."):
                write_whole(draft / "about.json", json.dumps(about, ensure_ascii=False))
                os.rename(bank.folder, draft / "bank")
                os.rename(draft, self.folder / ticket)
            return ticket

    def _when(self) -> dict[str, object]:
        """The moment, by the clock and by how many days the program has run on until then."""
        return {"when": time.time(), "day": self._days()}

    def _next_ticket(self) -> str:
        """A number behind that of all there are: a clock that was set back makes nothing older than it is."""
        last = max((int(path.name) for path in self.folder.glob("[0-9]*") if path.name.isdecimal()), default=0)
        return f"{max(time.time_ns(), last + 1):020d}"

    def _days(self) -> int:
        """On how many days the program has run with this bin."""
        try:
            return max(int(json.loads(bytes_of(self.folder / DAYS))["days"]), 0)
        except (OSError, ValueError, KeyError, TypeError):
            return 0

    def _count_day(self) -> int:
        """Counts today, where it was not counted yet, and returns how many days there are."""
        days, today = self._days(), f"{date.today()}"
        with contextlib.suppress(OSError, ValueError, KeyError, TypeError):
            if json.loads(bytes_of(self.folder / DAYS))["last"] == today:
                return days
        with contextlib.suppress(CannotWrite):
            write_whole(self.folder / DAYS, json.dumps({"days": days + 1, "last": today}))
        return days + 1

    def bank_in(self, ticket: str) -> Path:
        """The folder of a bank in the bin."""
        return self.folder / ticket / "bank"

    def all(self) -> list[Thrown]:
        """What is in the bin, newest first; what nobody can read any more is left out."""
        found = []
        for folder in sorted(self.folder.glob("[0-9]*"), reverse=True):
            with contextlib.suppress(FeltDialError, OSError, ValueError):
                found.append(self._read(folder))
        return found

    def _read(self, folder: Path) -> Thrown:
        about: dict[str, Any] = {}
        with contextlib.suppress(OSError, ValueError):
            found = json.loads(bytes_of(folder / "about.json"))
            about = found if isinstance(found, dict) else {}
        name = str(about.get("name", ""))
        written = about.get("when")
        moment = written if isinstance(written, int | float) else int(folder.name.split("-")[0]) / 1e9
        when = datetime.fromtimestamp(min(max(float(moment), 0.0), LAST_MOMENT))
        if (folder / "bank" / "bank.json").exists():
            name = name or Bank(folder / "bank").name
            return Thrown(folder.name, name, str(about.get("bank", "")) or "restored", name, "", 0, when, True)
        if not name:
            name = read_patch(read_file(folder / "preset.json"), "A deleted preset").name
        elif not (folder / "preset.json").exists():
            raise NoSuchBank(f"“{name}” is not in the bin any more.")
        place = about.get("place")
        bank, preset = str(about.get("bank", "")), str(about.get("preset", "")) or "restored"
        at = place if isinstance(place, int) and place >= 0 else 1 << 20
        return Thrown(folder.name, name, bank, str(about.get("bank_name", "")) or bank, preset, at, when)

    def entry(self, ticket: str) -> Thrown:
        """One entry; raises `NoSuchBank` where it is not there any more."""
        if not ((self.folder / ticket / "preset.json").exists() or self.bank_in(ticket).is_dir()):
            raise NoSuchBank("It is not in the bin any more.")
        return self._read(self.folder / ticket)

    def patch(self, ticket: str) -> Patch:
        """The patch of an entry; raises `BadDocument` or `NoSuchBank`."""
        return read_patch(read_file(self.folder / ticket / "preset.json"), "A deleted preset")

    def give_back(self, ticket: str, bank: Bank) -> str:
        """Puts an entry into a bank, at its place where it is the one it came from; returns its id there."""
        entry, folder = self.entry(ticket), self.folder / ticket
        with bank.held():
            place = entry.place if bank.id == entry.bank else None
            key = bank.add(read_file(folder / "preset.json"), entry.preset, place=place)
            if (folder / "versions").is_dir():
                with contextlib.suppress(OSError):  # the preset itself is back
                    (bank.folder / "versions").mkdir(exist_ok=True)
                    os.rename(folder / "versions", bank.folder / "versions" / key)
        self.forget(ticket)
        return key

    def forget(self, ticket: str) -> None:
        """Throws an entry away for good."""
        gone = self.folder / f".gone-{secrets.token_hex(8)}"
        with contextlib.suppress(OSError):
            os.rename(self.folder / ticket, gone)
            shutil.rmtree(gone, ignore_errors=True)

    def tidy(self, days: int, most: int) -> None:
        """Finishes what was interrupted, clears litter, and forgets what is too old or too much."""
        with contextlib.suppress(OSError):
            for draft in list(self.folder.glob(".making-*")):
                ticket = draft.name.split("-")[1]
                whole = (draft / "preset.json").exists() or (draft / "bank").is_dir()
                if whole and not (self.folder / ticket).exists():
                    os.rename(draft, self.folder / ticket)
                else:
                    shutil.rmtree(draft, ignore_errors=True)
            for litter in self.folder.glob(f"{LITTER[2]}*"):
                shutil.rmtree(litter, ignore_errors=True)
        tickets = sorted((path.name for path in self.folder.glob("[0-9]*")), reverse=True)
        if not tickets:
            return
        today = self._count_day()
        for n, ticket in enumerate(tickets):
            if n >= most or self._age(ticket, today) > days:
                self.forget(ticket)

    def _age(self, ticket: str, today: int) -> float:
        """Days that it has lain here: by the clock, or on which the program ran, whichever are fewer. A clock that goes wrong
        for once throws nothing away."""
        about: dict[str, Any] = {}
        with contextlib.suppress(OSError, ValueError):
            found = json.loads(bytes_of(self.folder / ticket / "about.json"))
            about = found if isinstance(found, dict) else {}
        moment = about.get("when", int(ticket.split("-")[0]) / 1e9)
        day = about.get("day", 0)
        by_clock = (time.time() - moment) / 86_400 if isinstance(moment, int | float) else 0.0
        return min(by_clock, float(today - day) if isinstance(day, int) else float(today))
