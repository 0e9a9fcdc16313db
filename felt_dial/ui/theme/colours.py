"""Colours: the dyes, the two themes, and the one that is worn."""

from __future__ import annotations

from dataclasses import dataclass, field

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QApplication

from felt_dial.shipped import DATA

STYLE = DATA / "style" / "felt.qss"

DYES = {
    "madder": ("#B5482F", "#E0795B"),
    "weld": ("#A97C1D", "#E5BD5A"),
    "woad": ("#3F7196", "#7FB2D6"),
    "lichen": ("#71883A", "#B1C96E"),
    "mallow": ("#8D5B86", "#C99AC2"),
    "walnut": ("#7D553A", "#C79B78"),
    "nettle": ("#3F6B58", "#84BFA4"),
    "beet": ("#A8436F", "#E68BB2"),
    "ink": ("#2B2722", "#E9E4D6"),
}
LAYER_DYES = ("madder", "weld", "woad", "lichen", "mallow", "walnut", "nettle", "beet")


@dataclass(frozen=True)
class Theme:
    """One set of cloth colours; the dyes are the same in both."""

    name: str
    wool: str
    cloth: str
    raised: str
    edge: str
    strip: str
    ink: str
    soft: str
    faint: str
    well: str
    chalk: str
    chalk_soft: str
    link: str
    problem: str
    felt_light: str
    felt_dark: str
    marks: dict[str, str] = field(default_factory=dict)


OAT = Theme(
    "Oat",
    "#E8E0D0",
    "#F3EDE1",
    "#FBF7EE",
    "#D3C8B4",
    "#DDD3C0",
    "#2B2722",
    "#564D42",
    "#B7AC99",
    "#26302C",
    "#E9E4D6",
    "#8C9A90",
    "#376587",
    "#A83A22",
    "#F8F3E8",
    "#E2D8C6",
)
NIGHT = Theme(
    "Night felt",
    "#262523",
    "#302E2B",
    "#3A3733",
    "#4A4640",
    "#1F1E1C",
    "#EDE6D8",
    "#B4AA9A",
    "#6F685E",
    "#171C1A",
    "#E9E4D6",
    "#8C9A90",
    "#8DBBDD",
    "#F08A6C",
    "#4C4842",
    "#36332F",
)


class Cloth(QObject):
    """The theme that is worn now."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.theme = OAT

    def wear(self, theme: Theme) -> None:
        """Puts a theme on the whole application."""
        self.theme = theme
        application = QApplication.instance()
        if isinstance(application, QApplication) and application.styleSheet() != (sheet := style_sheet(theme)):
            application.setStyleSheet(sheet)
            for widget in application.topLevelWidgets():
                widget.update()
        self.changed.emit()


cloth = Cloth()


def colour(name: str) -> QColor:
    """A colour of the theme (`wool`, `ink` …) or a dye."""
    if name in DYES and name != "ink":
        return dye(name)
    return QColor(getattr(cloth.theme, name))


def dye(name: str, in_well: bool = False) -> QColor:
    """A dye on cloth, or its light form inside a well or at night."""
    if name == "ink":
        return QColor(cloth.theme.chalk if in_well else cloth.theme.ink)
    return QColor(DYES[name][1 if in_well or cloth.theme is NIGHT else 0])


def text_on(ground: QColor) -> QColor:
    """What is read best on a ground: the light of chalk or the dark of a well."""
    light, dark = QColor(OAT.raised), QColor(OAT.well)
    return light if contrast(light, ground) >= contrast(dark, ground) else dark


def contrast(one: QColor, other: QColor) -> float:
    """Contrast of two colours, 1 to 21, after WCAG 2.1 (relative luminance of sRGB)."""
    a, b = _luminance(one) + 0.05, _luminance(other) + 0.05
    return max(a, b) / min(a, b)


def _luminance(colour: QColor) -> float:
    parts = (colour.redF(), colour.greenF(), colour.blueF())
    linear = [x / 12.92 if x <= 0.03928 else ((x + 0.055) / 1.055) ** 2.4 for x in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def layer_dye(key: str) -> str:
    """The dye of a layer by its letter."""
    return LAYER_DYES["abcdefgh".index(key)]


def style_sheet(theme: Theme) -> str:
    """The style sheet with the theme's colours filled in."""
    text = STYLE.read_text()
    values = {key: value for key, value in vars(theme).items() if isinstance(value, str)}
    values |= {f"dye_{name}": pair[1 if theme is NIGHT else 0] for name, pair in DYES.items()}
    values["arrow"] = str(STYLE.parent / "arrow.svg")
    values |= {f"on_{name}": text_on(QColor(values[f"dye_{name}"])).name() for name in ("madder", "lichen", "woad")}
    for key in sorted(values, key=len, reverse=True):
        text = text.replace(f"@{key}", values[key])
    return text
