"""Randomness in place: only the module that was asked for, in tune, as loud, and the same for the same seed."""

from __future__ import annotations

import numpy as np
import pytest

from felt_dial.bank.library.library import Library
from felt_dial.bank.library.places import shipped_banks
from felt_dial.bank.variation.in_place import LEVELS, NothingToShake, shaken
from felt_dial.patch.change import values_of
from felt_dial.patch.params import Param
from felt_dial.patch.patch import Patch, modules, param_at, slots, value_at, with_value
from felt_dial.sound.modules import new_patch

PRESETS = [p.patch for p in Library(shipped_banks()[0].parent).presets() if p.patch is not None][::7]


def moved(before: Patch, after: Patch) -> dict[str, float]:
    """How far each parameter was moved, as a part of its way."""
    found = {}
    for path, param, value in slots(before):
        if isinstance(param, Param) and value != value_at(after, path):
            found[path] = abs(param.position(value_at(after, path)) - param.position(value))
    return found


@pytest.mark.parametrize("patch", PRESETS, ids=lambda patch: patch.name)
def test_only_what_was_asked_for_moves_and_it_stays_in_tune(patch: Patch) -> None:
    asked = [prefix for prefix, module in modules(patch) if prefix.count(".") >= 1 and not prefix.startswith("threads")]
    tried = 0
    for prefix in [*asked, *(f"layers.{key}" for key in patch.layers)]:
        try:
            made = shaken(patch, prefix, 0.6, 5)
        except NothingToShake:
            continue
        tried += 1
        found = moved(patch, made)
        assert all(path.startswith(f"{prefix}.") for path in found), prefix
        names = {path.rpartition(".")[2] for path in found}
        assert not names & {*LEVELS, "on", "root", "cents"}
        assert not any(
            path.split(".")[2] in ("pitch", "fine", "octave") for path in found if path.startswith("layers.")
        )
        assert made == shaken(patch, prefix, 0.6, 5) and values_of(made, patch, found) is not None
    assert tried >= len(patch.layers)


def test_further_goes_further_and_what_is_locked_stays() -> None:
    patch = with_value(new_patch(), "layers.a.filter.on", True)
    near, far = (
        np.mean([sum(moved(patch, shaken(patch, "layers.a.filter", much, seed)).values()) for seed in range(40)])
        for much in (0.1, 0.9)
    )
    assert far > 4 * near > 0
    locked = frozenset(
        path for path, _, _ in slots(patch) if path.startswith("layers.a.filter.") and "cutoff" not in path
    )
    for seed in range(10):
        assert set(moved(patch, shaken(patch, "layers.a.filter", 0.5, seed, locked))) <= {"layers.a.filter.cutoff"}


def test_what_is_off_is_not_shaken() -> None:
    with pytest.raises(NothingToShake, match="it is off"):
        shaken(new_patch(), "layers.a.filter", 0.5, 1)
    assert param_at(new_patch(), "layers.a.filter.cutoff").label == "Cutoff"
