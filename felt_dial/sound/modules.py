"""Everything a patch can be made of: importing this enters all modules in their families.

A file in `sources/`, `tone/`, `control/` or `effects/` is found by itself.
"""

from __future__ import annotations

import importlib
import pkgutil

from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.patch import Layer, Patch
from felt_dial.sound import control, effects, sources, tone

FOLDERS = (sources, tone, control, effects)
"""Where modules are declared; their kernels stand in the `kernels` folder of each."""
for _folder in FOLDERS:
    for _found in pkgutil.iter_modules(_folder.__path__, _folder.__name__ + "."):
        if not _found.ispkg:
            importlib.import_module(_found.name)


def new_layer(source: str = "wave") -> Layer:
    """A layer as it comes from the shop."""
    return Layer(source=Source.kinds[source](), filter=Filter.kinds["state_variable"]())


def new_patch(name: str = "Untitled") -> Patch:
    """An empty patch: one saw, one envelope."""
    return Patch(name=name, layers={"a": new_layer()}, modulators={"e1": Modulator.kinds["envelope"](name="Level")})


__all__ = ["Effect", "Filter", "Modulator", "Source", "new_layer", "new_patch"]
