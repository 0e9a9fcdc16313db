"""The wavetables and recordings that come with the program."""

from __future__ import annotations

import json
from functools import cache
from typing import NamedTuple

from felt_dial.patch.asset import Asset
from felt_dial.sound.matter.assets import SHIPPED


class Shipped(NamedTuple):
    """A table that comes with the program: its family, its asset and the length of its cycles."""

    family: str
    asset: Asset
    cycle: int


@cache
def shipped_tables() -> dict[str, Shipped]:
    """Every shipped table by name, in the order of their families."""
    found = {}
    for about in json.loads((SHIPPED / "tables.json").read_text()):
        asset = Asset(name=about["name"], digest=about["digest"], frames=about["frames"], channels=1, rate=48000.0)
        found[about["name"]] = Shipped(about["family"], asset, about["cycle"])
    return found


@cache
def shipped_recordings() -> dict[str, tuple[Asset, int]]:
    """Every shipped recording by name, with the key that it sounds at."""
    listed = json.loads((SHIPPED / "recordings.json").read_text())
    return {
        about["name"]: (Asset.model_validate({k: about[k] for k in about if k != "root"}), about["root"])
        for about in listed
    }
