"""What is told on the channel of a session, besides edits at paths and the messages of the engine."""

from __future__ import annotations

from typing import NamedTuple

from felt_dial.bank.library.places import Settings
from felt_dial.patch.patch import Patch
from felt_dial.session.channel import Asked, Said

__all__ = [
    "Asked",
    "BenchAsked",
    "CompareAsked",
    "DrawerAsked",
    "Focused",
    "Frame",
    "Hovered",
    "JobMoved",
    "Laid",
    "Leaving",
    "LibraryChanged",
    "Measured",
    "PageLeft",
    "PatchChanged",
    "Rebuilding",
    "Rebuilt",
    "Restored",
    "Said",
    "Selected",
    "SettingsKept",
    "TransportMoved",
    "Working",
]


class PatchChanged(NamedTuple):
    """The patch on the table, or what it belongs to, is another."""


class Leaving(NamedTuple):
    """Another sound is about to lie on the table: what is being typed belongs to the one that lies there."""


class Laid(NamedTuple):
    """Another sound lies on the table."""

    patch: Patch


class PageLeft(NamedTuple):
    """The work on the table is about to be other work, that has another page in the journal."""


class Rebuilding(NamedTuple):
    """The patch has other parts, and pages are about to be laid out anew."""


class Rebuilt(NamedTuple):
    """The patch has other parts, or all of it is shown otherwise: pages are laid out anew."""


class Selected(NamedTuple):
    """The inspector shows another part."""


class Focused(NamedTuple):
    """A dial has the focus."""

    path: str


class Hovered(NamedTuple):
    """The pointer is over the tag of a mover, or of none."""

    mover: str


class LibraryChanged(NamedTuple):
    """What stands in the library is known to be other than it was."""


class Restored(NamedTuple):
    """A preset, or a bank where there is no preset, came back from the bin; `show` where the Shelf shall go there."""

    bank: str
    preset: str
    show: bool


class Measured(NamedTuple):
    """A sound was measured, or could not be."""

    key: str


class SettingsKept(NamedTuple):
    """The settings are others."""

    before: Settings
    now: Settings


class TransportMoved(NamedTuple):
    """The phrase is another, plays or stands, or the output is another."""


class Working(NamedTuple):
    """How far something is that everything waits for; empty once it is done."""

    text: str


class Frame(NamedTuple):
    """One thirtieth of a second has passed."""


class JobMoved(NamedTuple):
    """The job beside the window began, is further, or has ended."""


class DrawerAsked(NamedTuple):
    """The drawer is wanted, for a layer or a new one, with recordings for a kind of source."""

    layer: str
    kind: str


class BenchAsked(NamedTuple):
    """The bench of a layer is wanted."""

    layer: str


class CompareAsked(NamedTuple):
    """Two patches shall be compared, under these names."""

    a: Patch
    b: Patch
    names: tuple[str, str]
