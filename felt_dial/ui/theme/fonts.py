"""Fonts: one for what is read, one for names."""

from __future__ import annotations

from functools import cache, lru_cache

from PySide6.QtGui import QFont, QFontDatabase
from PySide6.QtWidgets import QApplication

from felt_dial.shipped import DATA

FONTS = DATA / "fonts"
BODY, NAMES = "Barlow Semi Condensed", "Fraunces"


@cache
def load_fonts() -> None:
    """Makes the shipped fonts known to Qt, once."""
    for path in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))
    QApplication.setFont(body_font(13))


@lru_cache(maxsize=64)
def body_font(size: int, weight: int = 400) -> QFont:
    """Barlow Semi Condensed with tabular figures, size in px."""
    font = QFont(BODY)
    font.setPixelSize(size)
    font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    font.setWeight(QFont.Weight(weight))
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


@lru_cache(maxsize=64)
def name_font(size: int, italic: bool = False) -> QFont:
    """Fraunces, for names, size in px."""
    font = QFont(NAMES)
    font.setPixelSize(size)
    font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    font.setWeight(QFont.Weight.Medium)
    font.setItalic(italic)
    return font
