"""Offshoots keep what a musician was promised: macros, velocity, wheel and pressure reach as far, or half as far at least."""

from __future__ import annotations

import pytest

from felt_dial.bank.library.places import shipped_banks
from felt_dial.bank.variation.variations import GROUPS, PROMISED, VariationOptions, child, dials, directions
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.patch import Patch, target_param
from felt_dial.patch.reach import reach

PRESETS = sorted(path for bank in shipped_banks() for path in bank.glob("presets/*.json"))
WITHOUT = VariationOptions().groups | {"effects"}


def spans(patch: Patch) -> dict[str, float]:
    """How far each macro and each thing that a player does takes its dial, in parts of the way of the dial."""
    found = {}
    for key, thread in patch.threads.items():
        if thread.source in patch.macros or thread.source in PROMISED:
            param, (first, last, _) = target_param(patch, thread.target), reach(patch, thread)
            found[key] = param.position(last) - param.position(first)
    return found


@pytest.mark.parametrize("path", PRESETS[::4], ids=lambda path: path.stem)
def test_half_of_every_reach_is_kept_with_its_sign(path: object) -> None:
    patch = read_patch(path.read_bytes(), "a preset")  # type: ignore[attr-defined]
    wanted = {key: span for key, span in spans(patch).items() if span}
    broken = 0
    for number in range(12):
        for groups in (VariationOptions().groups, WITHOUT):
            found = dials(patch, VariationOptions(groups=groups))
            way = directions(found, 3, number)
            for much in (0.2, 1.0):
                made = spans(child(patch, found, way, much, VariationOptions(groups=groups).promises))
                for key, span in wanted.items():
                    assert made[key] * span > 0 and abs(made[key]) >= 0.5 * abs(span) - 1e-9, (number, key)
                loose = spans(child(patch, found, way, much))
                broken += any(
                    abs(loose[key]) < 0.5 * abs(span) or loose[key] * span < 0 for key, span in wanted.items()
                )
    assert broken or not wanted or len(wanted) < 3, "without the promise some would be broken"
    assert not VariationOptions(groups=frozenset(GROUPS)).promises, "unless macros may change"
