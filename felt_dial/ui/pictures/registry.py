"""The picture that suits a module: the module names it, the pictures of this folder say what they draw."""

from __future__ import annotations

import importlib
import pkgutil
from typing import Any

from felt_dial.patch.module import Effect, Modulator, Module
from felt_dial.patch.patch import module_at
from felt_dial.session.session import Session
from felt_dial.ui import pictures
from felt_dial.ui.pictures.bars import Bars
from felt_dial.ui.pictures.effects import EffectPicture
from felt_dial.ui.pictures.modulators import ValuePicture
from felt_dial.ui.pictures.well import PICTURES, Well

for _found in pkgutil.iter_modules(pictures.__path__, pictures.__name__ + "."):
    importlib.import_module(_found.name)


def picture_of(session: Session, path: str, shade: str, large: bool = False) -> Well:
    """The picture of the module at a path; one that names none shows its dials, a modulator where it stands."""
    module: Module = module_at(session.patch, path)
    plain: Any = (
        ValuePicture if isinstance(module, Modulator) else EffectPicture if isinstance(module, Effect) else Bars
    )
    made: Well = PICTURES.get(module.picture, plain)(session, path, shade, large)
    return made
