"""Table: single cycles in a row, read at the pitch of the note, morphing from one to the next."""

from __future__ import annotations

from pydantic import Field

from felt_dial.patch.asset import Asset
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.units import BEND, PERCENT
from felt_dial.sound.sources.core.cyclic import Cyclic
from felt_dial.sound.sources.core.levels import CYCLE


class Table(Cyclic, kind="table"):
    """A wavetable: up to 256 single cycles, with the position among them free to move."""

    picture, order = "table", 2

    position = Param("Position", 0.0, (0.0, 1.0), PERCENT, says="Which frame sounds, from the first to the last.")
    amount = Param("Amount", 0.0, (-1.0, 1.0), BEND, says="How far the cycle is reshaped; a bend goes either way.")
    reshape = Choice(
        "Reshape",
        "none",
        {
            "none": "Plain",
            "bend": "Bend",
            "squeeze": "Squeeze",
            "mirror": "Mirror",
            "stretch": "Sync stretch",
            "fold": "Fold",
            "step": "Steps",
        },
        rebuilds=True,
        says="What is done to the cycle as it is read.",
    )
    morph = Choice(
        "Morph",
        "crossfade",
        {"crossfade": "Crossfade", "spectrum": "By spectrum"},
        rebuilds=True,
        says="How a frame becomes the next: by fading, or partial by partial, which never cancels.",
    )
    needs_matter = True
    asset: Asset | None = None
    cycle: int = Field(CYCLE, ge=16, le=65536)

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """What reshapes nothing has no amount."""
        found = super().at_rest()
        if self.get("reshape") == "none":
            found["amount"] = "reshape", "nothing is reshaped"
        return found

    def substance(self) -> tuple[object, ...]:
        return self.asset, self.cycle

    def gist(self) -> str:
        return self.asset.name if self.asset else "no table yet"
