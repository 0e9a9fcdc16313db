"""How a recording was made: the one it began from, and what was done to it; a value, kept beside the asset."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from felt_dial.errors import FeltDialError, cut
from felt_dial.patch.asset import Asset
from felt_dial.patch.documents.kind import DocumentKind
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio, checked
from felt_dial.workshop.recording.steps import KINDS, CannotDo, other_of

RECORDING_RECIPE = DocumentKind("recording recipe", 1, kept="The recording itself plays.")
Watch = Callable[[float], bool]


class BadSteps(FeltDialError):
    """A recipe that cannot be followed; the recording itself is what it was."""


@dataclass(frozen=True)
class Step:
    """One thing that was done: its kind, see `steps.KINDS`, and its figures."""

    kind: str
    figures: dict[str, Any] = field(default_factory=dict, hash=False)

    def says(self) -> str:
        """What was done, in a few words."""
        return KINDS[self.kind].says(self.figures)


@dataclass(frozen=True)
class RecordingRecipe:
    """A recording, and the steps that made another of it."""

    origin: Asset
    steps: tuple[Step, ...] = ()

    def needs(self) -> list[Asset]:
        """The recordings without which it cannot be followed again."""
        return [self.origin, *(other_of(step.figures) for step in self.steps if "other" in step.figures)]


def write_steps(recipe: RecordingRecipe) -> str:
    """The document of a recipe; `needs` lists all recordings in it, for those who only carry it along."""
    steps = [{"kind": step.kind, "figures": step.figures} for step in recipe.steps]
    needs = [asset.model_dump(mode="json") for asset in recipe.needs()]
    return RECORDING_RECIPE.write({"origin": recipe.origin.model_dump(mode="json"), "steps": steps, "needs": needs})


def read_steps(text: str, where: str) -> RecordingRecipe:
    """The recipe of a document; raises `FeltDialError`."""
    data = RECORDING_RECIPE.read(text, where)
    try:
        steps = tuple(Step(str(step["kind"]), dict(step["figures"])) for step in data["steps"])
        recipe = RecordingRecipe(Asset.model_validate(data["origin"]), steps)
        for step in steps:
            step.says()
        recipe.needs()
    except (KeyError, TypeError, ValueError, AttributeError, ValidationError) as wrong:
        raise BadSteps(
            f"{where} is no recipe that can be followed ({cut(wrong)}). The recording itself plays."
        ) from None
    return recipe


def follow(recipe: RecordingRecipe, watch: Watch = lambda part: True) -> Audio:
    """The recording that the steps make; raises `FeltDialError` where one cannot be done or `watch` gives False."""
    sound = assets.load(recipe.origin)
    if sound is None:
        raise CannotDo(f"{recipe.origin.about()} is missing, or damaged; nothing was changed.")
    found: NDArray[np.float32] = sound
    rate, count = recipe.origin.rate, max(len(recipe.steps), 1)
    for n, step in enumerate(recipe.steps):
        if not watch(n / count):
            raise CannotDo("Stopped; nothing of it was kept.")
        made = KINDS[step.kind].act(found, rate, step.figures, lambda part, n=n: watch((n + part) / count))  # type: ignore[misc]
        found, rate = made if isinstance(made, tuple) else (made, rate)
    return checked(np.ascontiguousarray(found, np.float32), rate, f"“{recipe.origin.name}”")


def make(document: str, folder: str, name: str, watch: Watch = lambda part: True) -> Asset:
    """Follows a recipe and keeps what it makes, with the recipe, in a store; for a helper. Raises `FeltDialError`."""
    recipe = read_steps(document, "The recipe")
    asset = assets.keep(Path(folder), follow(recipe, watch), name)
    about = {"rights": recipe.origin.rights, "terms": recipe.origin.terms}
    if recipe.steps:
        about["recipe"] = assets.keep_recipe(Path(folder), document)
    return asset.model_copy(update=about)
