"""Figures: what is known of the loudness and the look of sounds, and what is still to be measured."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from pathlib import Path

import numpy as np

from felt_dial.bank.finding.catalogue import Listed
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.previews import preview_path
from felt_dial.bank.measuring.index import Index
from felt_dial.bank.measuring.measurement import Measurement, sound_key
from felt_dial.bank.measuring.measuring import Measuring
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.patch import Patch

LIKE = 60
"""How many sounds are listed as like another."""


class Figures:
    """Measurements by the content of the sound.

    Attributes
    ----------
    failed : set of str
        Keys of sounds that could not be measured; they are not tried again.
    """

    def __init__(self, index: Index, measuring: Measuring) -> None:
        self.index, self.measuring = index, measuring
        self.failed: set[str] = set()
        self._keys: dict[int, tuple[Patch, str]] = {}

    def key(self, patch: Patch) -> str:
        """The key of a patch's sound; working it out takes a millisecond, so it is kept."""
        known = self._keys.get(id(patch))
        if known is None or known[0] is not patch:
            if len(self._keys) > 200:
                self._keys.clear()
            known = self._keys[id(patch)] = (patch, sound_key(patch))
        return known[1]

    def of(self, patch: Patch) -> Measurement | None:
        """What is known of a patch; None where it was not measured."""
        return self.index.get(self.key(patch))

    def of_row(self, listed: Listed) -> Measurement | None:
        """What is known of a preset in a list."""
        return self.index.get(listed.key) if listed.key else None

    def why_not(self, listed: Listed) -> str:
        """What stands where a preset's swatch would."""
        if listed.key in self.failed:
            return "cannot be measured"
        return "measuring …" if self.measuring.asked(listed.key) else "not measured"

    def ask(self, patches: Iterable[Patch]) -> None:
        """Has patches measured that were not yet, before everything else."""
        for patch in patches:
            if self._lacks(self.key(patch)):
                self.measuring.measure(self.key(patch), partial(write_patch, patch), first=True)

    def ask_rows(self, rows: Iterable[Listed], library: Library) -> None:
        """Has presets of a list measured that were not yet, before others; their files are read when their turn comes."""
        rows = list(rows)
        for row in rows:
            if row.key and self._lacks(row.key):
                self.measuring.measure(row.key, partial(_text, library, row.bank, row.id))
        self.measuring.prefer({row.key for row in rows})

    def preview(self, patch: Patch) -> Path | None:
        """The file to listen to a sound from; None while there is none, which is being rendered then."""
        key, folder = self.key(patch), self.measuring.previews
        path = preview_path(folder, key) if folder is not None else None
        if path is not None and path.exists():
            return path
        if key not in self.failed:
            self.measuring.measure(key, partial(write_patch, patch), first=True)
        return None

    def like(self, key: str, most: int = LIKE) -> list[tuple[float, str]]:
        """The measured sounds that are nearest to one, nearest first, each with its distance; none where it was not measured.

        What is compared is described in `features`: six axes and the shape of the spectrum, of one note.
        """
        keys, points = self.index.points()
        if key not in keys:
            return []
        here = keys.index(key)
        far = np.sqrt(np.square(points - points[here]).sum(axis=1))
        nearest = [int(n) for n in np.argsort(far, kind="stable")[: most + 1] if n != here]
        return [(float(far[n]), keys[n]) for n in nearest[:most]]

    def _lacks(self, key: str) -> bool:
        return key not in self.failed and self.index.get(key) is None

    def poll(self) -> list[tuple[str, Measurement | None]]:
        """What was measured since the last call; None where it could not be."""
        found = self.measuring.poll()
        for key, measured in found:
            if measured is None:
                self.failed.add(key)
            else:
                self.index.put(key, measured)
        return found

    def close(self) -> None:
        """Ends the worker and lets go of the index."""
        self.measuring.close()
        self.index.close()


def _text(library: Library, bank: str, preset: str) -> str:
    return write_patch(library.bank(bank).load(preset))
