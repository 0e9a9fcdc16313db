"""Sample: a recording, played at the pitch of the note."""

from __future__ import annotations

from typing import Any, ClassVar

from felt_dial.patch.asset import Asset
from felt_dial.patch.params import CUBIC, Choice, Param, Switch
from felt_dial.patch.units import CENTS, KEY, PERCENT, SECONDS
from felt_dial.sound.sources.core.unison import Unison


def key_root(label: str = "Root") -> Param:
    """The key at which a recording sounds as it was made."""
    return Param(
        label, 60, (0, 127), KEY, whole=True, movable=False, says="The key at which the sample sounds as recorded."
    )


def key_cents() -> Param:
    """How far a recording is above its root key."""
    says = "How far the sample is above its root key."
    return Param("Root fine", 0.0, (-100.0, 100.0), CENTS, movable=False, says=says)


PLACES = ("start", "end", "chance", "floor", "loop_start", "loop_end", "fade")


class Sample(Unison, kind="sample"):
    """A recording played faster or slower with the key, once or in a loop."""

    picture, order = "sample", 3

    start = Param("Start", 0.0, (0.0, 1.0), PERCENT, at_start=True, says="Where a note begins in the sample.")
    end = Param("End", 1.0, (0.0, 1.0), PERCENT, at_start=True, says="Where the sample ends.")
    chance = Param(
        "Chance", 0.0, (0.0, 1.0), PERCENT, at_start=True, says="How far each note's start moves by chance, either way."
    )
    floor = Param(
        "Floor", 0.0, (0.0, 1.0), PERCENT, at_start=True, says="Chance never moves the start before this place."
    )
    loop_start = Param("Loop start", 0.2, (0.0, 1.0), PERCENT, says="Where the loop begins.")
    loop_end = Param("Loop end", 0.9, (0.0, 1.0), PERCENT, says="Where the loop ends.")
    fade = Param(
        "Crossfade", 0.1, (0.0, 0.5), PERCENT, says="Part of the loop over which its end fades into its beginning."
    )
    slow = Param(
        "Slow-down",
        0.0,
        (0.0, 20.0),
        SECONDS,
        taper=CUBIC,
        says="Time in which the speed, and the pitch with it, falls to a third, until it stands; 0 keeps its speed.",
    )
    root = key_root()
    cents = key_cents()
    loop = Choice(
        "Loop",
        "off",
        {"off": "No loop", "forward": "Forward", "backward": "Backward", "alternate": "There and back"},
        says="What happens at the loop's end while the note lasts.",
    )
    track = Switch(
        "Follows key", True, says="Keys play the sample higher or lower; off, every key plays it as recorded."
    )
    reverse = Switch("Reversed", False, says="The sample is played from its end to its start.")
    one_shot = Switch(
        "One shot", False, says="The sample plays to its end even if the key comes up; loops are left out."
    )
    needs_matter = True
    asset: Asset | None = None

    tells_end: ClassVar[bool] = True

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """Without a loop, and without chance."""
        found = super().at_rest()
        if self.get("one_shot") or self.get("loop") == "off":
            why = ("one_shot", "a one-shot does not loop") if self.get("one_shot") else ("loop", "there is no loop")
            found |= dict.fromkeys(("loop_start", "loop_end", "fade"), why)
        if self.get("chance") == 0:
            found["floor"] = "chance", "nothing is left to chance"
        return found

    def lasts(self, name: str) -> tuple[float, float] | None:
        if self.asset is None or name not in PLACES:
            return None
        loop = abs(self.number("loop_end") - self.number("loop_start")) if name == "fade" else 1.0
        return (loop * self.asset.seconds, loop * self.asset.frames) if loop > 0.0 else None

    def substance(self) -> tuple[object, ...]:
        return (self.asset,)

    def gist(self) -> str:
        return self.asset.name if self.asset else "no sample yet"

    def place(self, state: Any, row: int) -> float:
        return float(state.place[row, 0] / max(state.recording.sizes[0] - 1, 1))
