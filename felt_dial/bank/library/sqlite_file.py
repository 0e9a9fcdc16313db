"""What is wrong with a file of SQLite: that another holds it is no damage."""

from __future__ import annotations

import sqlite3


def code_of(wrong: Exception) -> int:
    """The primary code of SQLite's error; 0 where it has none."""
    return int(getattr(wrong, "sqlite_errorcode", 0)) & 0xFF


def is_busy(wrong: Exception) -> bool:
    """Whether another process only holds the file for the moment: it must not be taken away."""
    return code_of(wrong) in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED)
