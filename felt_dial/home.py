"""Where a person's files are on this machine: one folder a kind, or all of them below `FELT_DIAL_HOME` where that is set."""

from __future__ import annotations

import os
from pathlib import Path


def home_of(kind: str) -> Path:
    """The folder for `config`, `data`, `cache` or `state`; it need not be there yet."""
    home = os.environ.get("FELT_DIAL_HOME")
    if home:
        return Path(home) / kind
    import platformdirs

    return Path(getattr(platformdirs, f"user_{kind}_path")("felt-dial"))
