"""Assets: sounds and tables that a patch names by what they contain."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field


class Asset(BaseModel):
    """The name of a recording: what it holds, and how a person calls it.

    `digest` is the SHA-256 of the decoded samples, so that the same sound is found wherever it lies.
    `recipe` is the SHA-256 of the document that says how it was made, where it was made on a bench.
    """

    model_config = ConfigDict(frozen=True)

    name: str = ""
    digest: str = Field(pattern="^[0-9a-f]{64}$")
    frames: int = Field(ge=1)
    channels: int = Field(ge=1, le=2)
    rate: float = Field(gt=0, allow_inf_nan=False)
    recipe: str = Field("", pattern="^([0-9a-f]{64})?$", exclude_if=lambda recipe: not recipe)

    @property
    def seconds(self) -> float:
        """Length at its own rate."""
        return self.frames / self.rate

    def about(self) -> str:
        """What a person needs to look for it: name, length, fingerprint."""
        return f"“{self.name or 'unnamed'}”, {self.seconds:.2f} s, fingerprint {self.digest[:12]}"
