"""Specimens: the picture of a module as it comes from the shop, small, for lists of what can be added."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from typing import Any, cast

from PySide6.QtCore import QSize
from PySide6.QtGui import QPixmap

from felt_dial.patch.edits import add_effect, add_layer, add_modulator
from felt_dial.patch.module import Effect, Modulator, Module, Source
from felt_dial.patch.patch import Patch
from felt_dial.session.channel import Channel
from felt_dial.session.session import Session
from felt_dial.sound.matter.tables import shipped_recordings, shipped_tables
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.ui.dials.chooser import Choosable
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.theme.colours import cloth

EXAMPLE = "Plucked String"
"""The recording that a source without one is drawn with."""


class _StillLink:
    """An engine that moves nothing."""

    rate, settled, ready = 48000, False, False
    shared = None

    def bead(self, path: str) -> None:
        """It knows no value of this moment."""

    def place(self, layer: int) -> None:
        """And no place in a recording."""


class _Still:
    """What a picture asks of a session, for a patch that nothing happens to."""

    def __init__(self, patch: Patch) -> None:
        self.patch, self.link, self.channel = patch, _StillLink(), Channel()


def _patch_with(module: Module) -> tuple[Patch, str, str]:
    """A patch that holds a module, the path of it, and the dye it is drawn in."""
    patch = new_patch()
    if isinstance(module, Modulator):
        patch, key = add_modulator(patch, module)
        return patch, f"modulators.{key}", module.dye
    if isinstance(module, Effect):
        patch, key = add_effect(patch, "1", module.model_copy(update={"on": True}))
        return patch, f"racks.1.{key}", "weld"
    patch, key = add_layer(patch, new_layer().model_copy(update={"source": module}))
    return patch, f"layers.{key}.source", "madder"


def _as_drawn(module: Module) -> Module:
    """With something to show, where it is silent as it comes."""
    if isinstance(module, Source) and module.needs_matter:
        table = next(iter(shipped_tables().values()))
        change: dict[str, Any] = {"asset": shipped_recordings()[EXAMPLE][0]}
        if module.kind == "table":
            change = {"asset": table.asset, "cycle": table.cycle}
        return module.model_copy(update=change)
    return module


_drawn: dict[object, QPixmap] = {}


def specimen(cls: type[Module], size: QSize, ratio: float) -> QPixmap:
    """The picture of a kind of module, drawn once for each theme and sharpness."""
    key = cls, size.width(), size.height(), ratio, cloth.theme.name
    if key not in _drawn:
        patch, path, shade = _patch_with(_as_drawn(cls()))
        picture = picture_of(cast(Session, _Still(patch)), path, shade)
        picture.resize(size)
        _drawn[key] = picture.still(ratio)
        picture.deleteLater()
    return _drawn[key]


def choosables(family: type[Module], kinds: Iterable[str]) -> list[Choosable]:
    """Kinds of modules as they are offered, each with its picture."""
    classes = [(kind, family.kinds[kind]) for kind in kinds]
    return [
        Choosable(kind, getattr(cls, "group", ""), cls.title, cls.about(), partial(specimen, cls))
        for kind, cls in classes
    ]
