"""Randomness in place: the dials of one module, or of one layer, moved by chance, in tune as offshoots are; levels stay."""

from __future__ import annotations

from felt_dial.bank.variation.variations import GROUPS, VariationOptions, child, dials, directions
from felt_dial.errors import FeltDialError
from felt_dial.patch.patch import Patch

FARTHEST = 0.35
"""How much of its way a dial goes at 100 %, at one standard deviation."""
LEVELS = ("level", "velocity", "gain", "kept")
"""Names of parameters that stay."""


class NothingToShake(FeltDialError):
    """Nothing there may be moved by chance."""


def shaken(patch: Patch, prefix: str, far: float, seed: int, locked: frozenset[str] = frozenset()) -> Patch:
    """The patch with dials at and below a path moved by chance.

    Parameters
    ----------
    prefix : str
        A module, such as `layers.a.filter` or `modulators.l1`, or a layer, `layers.a`.
    far : float
        How far, 0 to 1.
    seed : int
        The same gives the same.
    locked : set of str
        Paths that stay.

    Raises
    ------
    NothingToShake
        Where nothing is moved: it is off, at rest, all of it stays, or it is too little for what counts in steps.
    """
    options = VariationOptions(groups=frozenset(GROUPS), locked=locked, in_tune=True)
    found = [
        dial
        for dial in dials(patch, options)
        if dial.path.startswith(f"{prefix}.") and dial.path.rpartition(".")[2] not in LEVELS
    ]
    if not found:
        raise NothingToShake("Nothing here may be moved by chance: it is off, or all of it is locked.")
    for number in range(8):  # seldom all that is moved stands at an end, or moves by nothing that counts
        made = child(patch, found, directions(found, seed, number), FARTHEST * far, promises=True)
        if made != patch:
            return made
    raise NothingToShake("Nothing here moves by so little: shake it further.")
