"""Cloth and dye: colours, type and the style sheet of both themes."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field
from functools import cache, lru_cache
from pathlib import Path

from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QImage, QPainter, QPaintEvent, QPen, QPixmap, QRadialGradient
from PySide6.QtWidgets import QApplication, QLabel, QWidget

FONTS = Path(__file__).parent.parent / "data" / "fonts"
STYLE = Path(__file__).parent.parent / "data" / "style" / "felt.qss"
STITCHES, SWEEP = 25, 270.0
READING, NAMING = "Barlow Semi Condensed", "Fraunces"

DYES = {
    "madder": ("#B5482F", "#E0795B"), "weld": ("#C2922A", "#E5BD5A"), "woad": ("#3F7196", "#7FB2D6"),
    "lichen": ("#71883A", "#B1C96E"), "mallow": ("#8D5B86", "#C99AC2"), "walnut": ("#7D553A", "#C79B78"),
    "ink": ("#2B2722", "#E9E4D6"),
}  # fmt: skip
LAYER_DYES = ("madder", "weld", "woad", "lichen", "mallow", "walnut", "madder", "weld")


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
    "Oat", "#E8E0D0", "#F3EDE1", "#FBF7EE", "#D3C8B4", "#DDD3C0", "#2B2722", "#5F564A", "#B7AC99",
    "#26302C", "#E9E4D6", "#8C9A90", "#376587", "#A83A22", "#F8F3E8", "#E2D8C6",
)  # fmt: skip
NIGHT = Theme(
    "Night felt", "#262523", "#302E2B", "#3A3733", "#4A4640", "#1F1E1C", "#EDE6D8", "#B4AA9A", "#6F685E",
    "#171C1A", "#E9E4D6", "#8C9A90", "#8DBBDD", "#F08A6C", "#4C4842", "#36332F",
)  # fmt: skip


class Cloth(QObject):
    """The theme that is worn now."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.theme = OAT

    def wear(self, theme: Theme) -> None:
        """Puts a theme on the whole application."""
        self.theme = theme
        dial_face.cache_clear()
        wool_tile.cache_clear()
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.setStyleSheet(style_sheet(theme))
            for widget in application.topLevelWidgets():
                widget.update()
        self.changed.emit()


cloth = Cloth()


def colour(name: str) -> QColor:
    """A colour of the theme (`wool`, `ink` …) or a dye."""
    if name in DYES and name != "ink":
        return QColor(DYES[name][0])
    return QColor(getattr(cloth.theme, name))


def dye(name: str, in_well: bool = False) -> QColor:
    """A dye on cloth, or its light form inside a well or at night."""
    if name == "ink":
        return QColor(cloth.theme.chalk if in_well else cloth.theme.ink)
    return QColor(DYES[name][1 if in_well else 0])


def layer_dye(key: str) -> str:
    """The dye of a layer by its letter."""
    return LAYER_DYES["abcdefgh".index(key)]


@cache
def load_fonts() -> None:
    """Makes the shipped fonts known to Qt."""
    for path in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))
    QApplication.setFont(reading(13))


@lru_cache(maxsize=64)
def reading(size: int, weight: int = 400) -> QFont:
    """Barlow Semi Condensed with tabular figures, size in px."""
    font = QFont(READING)
    font.setPixelSize(size)
    font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    font.setWeight(QFont.Weight(weight))
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


@lru_cache(maxsize=64)
def naming(size: int, italic: bool = False) -> QFont:
    """Fraunces, for names, size in px."""
    font = QFont(NAMING)
    font.setPixelSize(size)
    font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    font.setWeight(QFont.Weight.Medium)
    font.setItalic(italic)
    return font


def style_sheet(theme: Theme) -> str:
    """The style sheet with the theme's colours filled in."""
    text = STYLE.read_text()
    values = {key: value for key, value in vars(theme).items() if isinstance(value, str)}
    values |= {f"dye_{name}": pair[0] for name, pair in DYES.items()} | {"arrow": str(STYLE.parent / "arrow.svg")}
    for key in sorted(values, key=len, reverse=True):
        text = text.replace(f"@{key}", values[key])
    return text


@lru_cache(maxsize=4)
def wool_tile() -> QPixmap:
    """A small tile of wool with a faint speckle of fibres."""
    base = QColor(cloth.theme.wool)
    chance = random.Random(7)
    image = QImage(192, 192, QImage.Format.Format_RGB32)
    image.fill(base)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for _ in range(170):
        x, y, turn, length = (
            chance.uniform(0, 192),
            chance.uniform(0, 192),
            chance.uniform(0, 360),
            chance.uniform(2, 6),
        )
        shade = base.darker(104) if chance.random() < 0.6 else base.lighter(103)
        painter.setPen(QPen(shade, 0.8))
        painter.save()
        painter.translate(x, y)
        painter.rotate(turn)
        painter.drawArc(QRectF(-length, -1.5, 2 * length, 3), 0, 16 * 170)
        painter.restore()
    painter.end()
    return QPixmap.fromImage(image)


def clear_pixmap(size: int, ratio: float) -> QPixmap:
    """A square with nothing in it, `ratio` pixels to the point."""
    pixmap = QPixmap(round(size * ratio), round(size * ratio))
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(Qt.GlobalColor.transparent)
    return pixmap


@lru_cache(maxsize=64)
def dial_face(radius: int, lifted: bool, faint: bool, ratio: float) -> QPixmap:
    """The felt disc of a dial, without its mark."""
    size = 2 * radius + 6
    pixmap = clear_pixmap(size, ratio)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    light, dark = QColor(cloth.theme.felt_light), QColor(cloth.theme.felt_dark)
    if lifted:
        light, dark = light.lighter(104), dark.lighter(104)
    centre = size / 2
    shadow = QColor(0, 0, 0, 26 if not faint else 10)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(shadow)
    painter.drawEllipse(QRectF(centre - radius, centre - radius + (2 if lifted else 1.2), 2 * radius, 2 * radius))
    felt = QRadialGradient(centre - radius * 0.3, centre - radius * 0.4, radius * 1.5)
    felt.setColorAt(0, light)
    felt.setColorAt(1, dark)
    painter.setBrush(felt)
    painter.setPen(QPen(QColor(cloth.theme.edge), 1))
    painter.drawEllipse(QRectF(centre - radius, centre - radius, 2 * radius, 2 * radius))
    painter.end()
    return pixmap


@lru_cache(maxsize=512)
def sewn_ring(radius: int, sewn: tuple[bool, ...], shade: str, rest: str, ratio: float) -> QPixmap:
    """The stitches around a dial, sewn in a shade where the dial has come by, else in `rest`."""
    size = 2 * radius + 16
    pixmap = clear_pixmap(size, ratio)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for n, done in enumerate(sewn):
        pen = QPen(QColor(shade if done else rest), 1.8 if done else 1.2)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        angle = math.radians(135 + SWEEP * n / (STITCHES - 1))
        way = QPointF(math.cos(angle), math.sin(angle))
        centre = QPointF(size / 2, size / 2)
        painter.drawLine(centre + way * (radius + 2.5), centre + way * (radius + 5.5))
    painter.end()
    return pixmap


def sewn_pen(shade: QColor, width: float = 1.6) -> QPen:
    """A pen that sews: 5 on, 4 off."""
    pen = QPen(shade, width)
    pen.setDashPattern([5 / width, 4 / width])
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    return pen


class Wool(QWidget):
    """A widget whose ground is wool."""

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.drawTiledPixmap(self.rect(), wool_tile())


class Empty(QLabel):
    """A dashed outline with a sentence that says what would go here."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.setProperty("part", "label")
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setWordWrap(True)
        self.setMargin(24)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(colour("faint"), 1.3)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 9, 9)


class SewnLine(QWidget):
    """A dashed line between two parts."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(9)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setPen(sewn_pen(colour("edge")))
        painter.drawLine(0, 4, self.width(), 4)
