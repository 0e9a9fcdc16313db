"""Assets: sounds and tables that a patch names by what they contain."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class Asset(BaseModel):
    """The name of a recording: what it holds, and how a person calls it.

    `digest` is the SHA-256 of the decoded samples, so that the same sound is found wherever it lies.
    `recipe` is the SHA-256 of the document that says how it was made, where it was made on a bench.
    `rights` says whose it is, as far as that is known, and `terms` under what licence it may be used.
    A `draft` is heard while a hand still draws it: it is made ready quickly rather than finely.
    """

    model_config = ConfigDict(frozen=True)

    name: str = ""
    digest: str = Field(pattern="^[0-9a-f]{64}$")
    frames: int = Field(ge=1)
    channels: int = Field(ge=1, le=2)
    rate: float = Field(gt=0, allow_inf_nan=False)
    recipe: str = Field(default="", pattern="^([0-9a-f]{64})?$", exclude_if=lambda recipe: not recipe)
    rights: Literal["", "own", "free", "licensed"] = Field(default="", exclude_if=lambda rights: not rights)
    draft: bool = Field(default=False, exclude_if=lambda draft: not draft)
    terms: str = Field(default="", max_length=400, exclude_if=lambda terms: not terms)

    @property
    def seconds(self) -> float:
        """Length at its own rate."""
        return self.frames / self.rate

    def about(self) -> str:
        """What a person needs to look for it: name, length, fingerprint."""
        return f"“{self.name or 'unnamed'}”, {self.seconds:.2f} s, fingerprint {self.digest[:12]}"
