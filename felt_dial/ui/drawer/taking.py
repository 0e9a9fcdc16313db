"""What becomes of a source that is given a piece of the drawer: its marks stay where they fit, and it is said where not."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from felt_dial.bank.finding.matter import Piece
from felt_dial.patch.asset import Asset
from felt_dial.patch.module import Source
from felt_dial.sound.matter.assets import keep
from felt_dial.sound.matter.audio_file import read_audio
from felt_dial.sound.matter.root import SURE, root_taken
from felt_dial.sound.sources.table import Table
from felt_dial.ui.benches.recording import goes_round, root_settings

ALIKE = 0.02
"""By how much two recordings may differ in length for a loop of one to be kept for the other."""


def suits(source: Source, piece: Piece) -> bool:
    """Whether a source plays such a piece: a table a table, all others a recording."""
    if "asset" not in type(source).model_fields:
        return False
    return isinstance(source, Table) == bool(piece.cycle)


def asset_of(piece: Piece, store: Path) -> tuple[Asset, int]:
    """The piece as a patch names it, and the length of its cycles; a file of a folder is put into a store.

    Raises `FeltDialError`.
    """
    if piece.asset is not None:
        return piece.asset, piece.cycle
    audio = read_audio(Path(piece.path))
    return keep(store, audio, piece.name), piece.cycle


def given(source: Any, piece: Piece, asset: Asset, cycle: int) -> tuple[Source, str]:
    """The source with a piece in place of what it played, and what of its settings does not fit, in a sentence."""
    change: dict[str, Any] = {"asset": asset}
    if isinstance(source, Table):
        return source.model_copy(update=change | {"cycle": cycle or source.cycle}), ""
    if "root" in source.params and piece.root is not None:
        change |= root_settings(piece.root)
    unsure = "root" in change and piece.measured and piece.sure < SURE
    said = root_taken(piece.root, sure=False).strip() if unsure else ""
    before = source.asset
    looped = goes_round(source)
    if looped and before is not None and abs(asset.seconds / before.seconds - 1.0) > ALIKE:
        change["loop"] = "off"
        said = f"{said} Its loop was made for {before.name or 'another recording'} and is off.".strip()
    return source.model_copy(update=change), said
