"""The wavetable bench: the table of a layer, how it is made, and the frame under the hand."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QElapsedTimer, QTimer

from felt_dial.errors import FeltDialError
from felt_dial.patch.asset import Asset
from felt_dial.patch.patch import put
from felt_dial.session.session import Session
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.matter.tables import shipped_tables
from felt_dial.sound.sources.core.levels import cut_cycles
from felt_dial.sound.sources.table import Table
from felt_dial.ui.benches.drafts import drafts_folder, look_in_drafts
from felt_dial.ui.benches.work import BenchWork
from felt_dial.workshop.table.cycles import CYCLE, Floats
from felt_dial.workshop.table.recipe import (
    TableRecipe,
    frames_before,
    frames_of,
    of_cycles,
    read_recipe,
    swept,
    write_recipe,
)
from felt_dial.workshop.wav_file import table_wav

TABLE_RATE = 48000.0
BETWEEN_DRAFTS = 40
"""Milliseconds between two tables that are heard while the hand draws."""


def at_2048(sound: NDArray[np.float32], cycle: int) -> Floats:
    """Cycles of any length as frames of 2048, float (frame, 2048), by their harmonics."""
    cycles = cut_cycles(sound, cycle).astype(np.float64)
    if cycle == CYCLE:
        return cycles
    spectra = np.fft.rfft(cycles, axis=1)[:, : CYCLE // 2 + 1]
    spectra[:, cycle // 2 + (cycle % 2) :] = 0.0
    full = np.zeros((len(cycles), CYCLE // 2 + 1), np.complex128)
    full[:, : spectra.shape[1]] = spectra
    return np.asarray(np.fft.irfft(full, CYCLE, axis=1) * (CYCLE / cycle))


@lru_cache(maxsize=16)
def recipe_of_table(asset: Asset, cycle: int) -> tuple[TableRecipe | None, str]:
    """How a table is made, and what is wrong where that cannot be said; a plain one has every frame keyed."""
    wrong = ""
    if (text := assets.recipe_of(asset)) is not None:
        try:
            return read_recipe(text, f"The recipe of “{asset.name}”"), ""
        except FeltDialError as error:
            wrong = str(error)
    sound = assets.load(asset)
    if sound is None:
        return None, wrong
    return of_cycles(at_2048(sound[0], cycle), "crossfade"), wrong


class TableWork(BenchWork):
    """The wavetable bench: the table of a layer, the frame under the hand, the frames that are chosen.

    `changed` also tells of another recipe, or another frame under the hand.
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.frame = 0
        self.chosen: tuple[int, ...] = (0,)
        self.draft: TableRecipe | None = None
        """What the hand is drawing, until it is let go."""
        self._says = ""
        self._timer = QTimer(self, singleShot=True, interval=BETWEEN_DRAFTS)
        self._timer.timeout.connect(self._sound)
        self._quiet = QElapsedTimer()
        self._quiet.start()
        look_in_drafts()

    # --- what is there -------------------------------------------------------------------------

    def suits(self, source: Any) -> bool:
        return isinstance(source, Table)

    @property
    def recipe(self) -> TableRecipe | None:
        """How it is made."""
        if self.draft is not None:
            return self.draft
        source = self.source
        return None if source is None or source.asset is None else recipe_of_table(source.asset, source.cycle)[0]

    def frames(self) -> NDArray[np.float32]:
        """Its frames as they sound, float32 (frame, 2048)."""
        recipe = self.recipe
        return np.zeros((1, CYCLE), np.float32) if recipe is None else _frames(recipe)

    def plain(self) -> Floats:
        """Its frames before they are reshaped."""
        recipe = self.recipe
        return np.zeros((1, CYCLE)) if recipe is None else _plain(recipe)

    # --- which frame ---------------------------------------------------------------------------

    def walk(self, frame: int, add: bool = False, range_: bool = False) -> None:
        """Another frame under the hand; with others chosen too, or all between."""
        recipe = self.recipe
        frame = min(max(frame, 0), recipe.count - 1) if recipe is not None else 0
        if range_:
            low, high = sorted((self.frame, frame))
            self.chosen = tuple(range(low, high + 1))
        elif add:
            self.chosen = tuple(sorted({*self.chosen} ^ {frame})) or (frame,)
            self.frame = frame
        else:
            self.frame, self.chosen = frame, (frame,)
        self.changed.emit()

    def follow(self) -> None:
        """The patch is another: what is shown here follows."""
        source = self.source
        now = (self.layer, source.asset if source is not None else None, source.cycle if source is not None else 0)
        if now == self._seen or self.draft is not None:
            return
        if self._seen is None or now[0] != self._seen[0]:
            self.frame, self.chosen = 0, (0,)
        self._seen = now
        recipe = self.recipe
        last = 0 if recipe is None else recipe.count - 1
        self.frame = min(self.frame, last)
        self.chosen = tuple(n for n in self.chosen if n <= last) or (self.frame,)
        self.changed.emit()

    # --- edits ---------------------------------------------------------------------------------

    def edit(self, make: Callable[[TableRecipe], TableRecipe], says: str, frame: int | None = None) -> bool:
        """Makes the table another one, as one step; what is refused is said."""
        recipe = self.recipe
        if recipe is None:
            return False
        try:
            fresh = make(recipe)
            if frame is not None:
                self.frame, self.chosen = frame, (frame,)
            self.put(fresh, says)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return False
        return True

    def put(self, recipe: TableRecipe, says: str, name: str = "") -> None:
        """Lets the layer play a table; raises `CannotWrite`."""
        self.draft = None
        self._timer.stop()
        self._show(self._kept(recipe, name, self._store), says)

    def as_wav(self) -> bytes:
        """The table as a file."""
        return table_wav(self.frames())

    def put_or_add(self, recipe: TableRecipe, says: str, name: str) -> None:
        """Lets the layer play a table, or a new layer where none plays one; raises `FeltDialError`."""
        if self.layer:
            self.put(recipe, says, name)
            return
        patch, key = self.session.shelf.with_new_layer(self.session.patch, "table")
        asset = self._kept(recipe, name, self._store)
        fresh = patch.layers[key].source.model_copy(update={"asset": asset, "cycle": CYCLE})
        self.wished = key
        self.session.editor.edit(put(patch, ["layers", key, "source"], fresh), says)
        self.follow()

    def draw(self, recipe: TableRecipe, says: str) -> None:
        """What the hand draws: heard and seen at once, kept when it is let go; `says` names the step."""
        self.draft, self._says = recipe, says
        self.changed.emit()
        if self._quiet.hasExpired(BETWEEN_DRAFTS):  # before it is painted, which takes longer
            self._sound()
        elif not self._timer.isActive():
            self._timer.start()

    def let_go(self) -> None:
        """The hand is lifted: what it has drawn is kept, as one step."""
        recipe, self.draft = self.draft, None
        self._timer.stop()
        if recipe is None:
            return
        try:
            self._show(self._kept(recipe, "", self._store), self._says)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
        self.session.link.show(self.session.patch, carry=True)  # which is what sounds, whatever was drawn

    def _sound(self) -> None:
        """Lets the engine play what is drawn so far, which is not in the patch yet."""
        source, session = self.source, self.session
        if self.draft is None or source is None:
            return
        self._quiet.restart()
        with contextlib.suppress(FeltDialError):  # it is said when the hand is lifted
            asset = self._kept(self.draft, "", drafts_folder() / ".assets").model_copy(update={"draft": True})
            fresh = source.model_copy(update={"asset": asset, "cycle": CYCLE})
            session.link.show(put(session.patch, ["layers", self.layer, "source"], fresh), carry=True)

    @property
    def _store(self) -> Path:
        return self.session.shelf.library.root / ".assets"

    def _kept(self, recipe: TableRecipe, name: str, folder: Path) -> Asset:
        frames = _frames(recipe)
        asset = self.asset
        called = name or (asset.name if asset is not None else "") or "New table"
        if not name and asset is not None and any(asset.digest == s.asset.digest for s in shipped_tables().values()):
            called = f"{called}, reworked"
        audio = Audio(frames.reshape(1, -1), TABLE_RATE)
        asset = assets.keep(folder, audio, called)
        return asset.model_copy(update={"recipe": assets.keep_recipe(folder, write_recipe(recipe))})

    def _show(self, asset: Asset, says: str) -> None:
        source = self.source
        if source is None:
            return
        fresh = source.model_copy(update={"asset": asset, "cycle": CYCLE})
        self._seen = (self.layer, asset, CYCLE)
        self.session.editor.edit(put(self.session.patch, ["layers", self.layer, "source"], fresh), says)
        self.changed.emit()

    def new(self) -> None:
        """A new table of one sine from end to end, in the layer or in a new one."""
        try:
            self.put_or_add(swept(), "begin a new table", "New table")
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)


@lru_cache(maxsize=8)
def _frames(recipe: TableRecipe) -> NDArray[np.float32]:
    return frames_of(recipe)


@lru_cache(maxsize=8)
def _plain(recipe: TableRecipe) -> Floats:
    return frames_before(recipe)
