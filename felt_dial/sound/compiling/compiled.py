"""The kernels of all modules: importing this imports Numba and every file of the `kernels` folders."""

from __future__ import annotations

import importlib
import pkgutil
from typing import Any

from felt_dial.patch.module import Module
from felt_dial.sound import modules
from felt_dial.sound.compiling.kernel import KERNELS, Stage, State, flat

for _folder in modules.FOLDERS:
    _kernels = importlib.import_module(f"{_folder.__name__}.kernels")
    for _found in pkgutil.iter_modules(_kernels.__path__, _kernels.__name__ + "."):
        importlib.import_module(_found.name)


def kernel_of(module: Module) -> Any:
    """The kernel of a module, found through its class."""
    return KERNELS[type(module)].run


def prepared(module: Module, stage: Stage) -> State:
    """The state of a module as it begins."""
    return KERNELS[type(module)].prepare(module, stage)


def go_on_at(module: Module, state: State, finer: float) -> None:
    """A state of a module, carried over from a program, goes on at a rate so many times as fine."""
    KERNELS[type(module)].at_rate(state, finer)


def arrays_of(module: Module, stage: Stage) -> State:
    """All arrays of that state, as the kernel takes them from Python."""
    return flat(prepared(module, stage))
