"""The work on the table."""

from __future__ import annotations

from dataclasses import dataclass, replace

from felt_dial.patch.patch import Patch


@dataclass(frozen=True)
class Work:
    """What lies on the table: two patches to compare, and the preset they came from."""

    a: Patch
    b: Patch
    side: str = "a"
    saved: Patch | None = None
    bank: str = ""
    preset: str = ""

    @property
    def patch(self) -> Patch:
        """The patch that sounds."""
        return self.a if self.side == "a" else self.b

    def with_patch(self, patch: Patch) -> Work:
        """The same work with the sounding patch changed."""
        return replace(self, a=patch) if self.side == "a" else replace(self, b=patch)
