"""Where what ships with the program lies: fonts, style, banks, tables, snippets."""

from __future__ import annotations

from pathlib import Path

DATA = Path(__file__).parent / "data"
