"""Changes: what an edit makes of a patch, and which parameters it touched."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from felt_dial.patch.module import Module
from felt_dial.patch.params import OutOfRange
from felt_dial.patch.parts import NoSuchPath, Route
from felt_dial.patch.patch import Patch, own_structure, owner, param_at, put_value


class Change(NamedTuple):
    """A patch after an edit.

    Attributes
    ----------
    patch : Patch
    paths : tuple of str, or None
        The parameters whose values changed; None where more than values may differ.
    rebuilds : bool
        The engine must lay the sound out anew.
    """

    patch: Patch
    paths: tuple[str, ...] | None = None
    rebuilds: bool = True


def values_changed(patch: Patch, values: Mapping[str, object]) -> Change:
    """A patch with other values at some paths; raises `NoSuchPath` or `OutOfRange`.

    What has the value already is not counted as changed.
    """
    fresh, paths, rebuilds = patch, [], False
    for path, value in values.items():
        kept = param_at(fresh, path).check(value)
        module, name = owner(fresh, path)
        if module.get(name) == kept:
            continue
        before, fresh = fresh, put_value(fresh, path, kept)
        paths.append(path)
        rebuilds = rebuilds or own_structure(module) != own_structure(owner(fresh, path)[0])
        paths += shown_with(before, path, module, name)
    return Change(fresh, tuple(dict.fromkeys(paths)), rebuilds)


def values_of(wanted: Patch, patch: Patch, paths: Iterable[str]) -> Change | None:
    """The change of a patch to another that has other values at these paths, or None where that is not all of the difference."""
    try:
        values = {path: module.get(name) for path in paths for module, name in [owner(wanted, path)]}
        change = values_changed(patch, values)
    except (NoSuchPath, OutOfRange):
        return None
    return None if change.rebuilds or change.patch != wanted else change._replace(patch=wanted)


def shown_with(patch: Patch, path: str, module: Module, name: str) -> list[str]:
    """Parameters beside which a value is shown: where a thread reaches, and how far a macro takes what it moves."""
    found = []
    if isinstance(module, Route):
        found.append(module.target)
        steps = module.target.split(".")
        if steps[0] == "threads" and steps[1] in patch.threads:
            found += shown_with(patch, module.target, patch.threads[steps[1]], "depth")
    elif path.startswith("macros.") and name in ("low", "high"):
        source = path.split(".")[1]
        found += [thread.target for thread in patch.threads.values() if thread.source == source]
    return found
