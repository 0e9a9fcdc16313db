"""Pictures of effects that are a curve: over frequency, over level, over time; the equaliser is edited in its own."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QWheelEvent

from felt_dial.live.link.messages import SetMonitor
from felt_dial.patch.params import Param
from felt_dial.session.session import Session
from felt_dial.sound import spectra
from felt_dial.sound.effects.equaliser import BANDS, STARTS, response
from felt_dial.ui.pictures.effects import EffectPicture
from felt_dial.ui.pictures.well import BELOW, draw_curve, draw_frequencies, draws
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font

SHOWN = (15.0, 27.0)
"""dB above and below the middle that an equaliser shows: as a rule, and where a band goes further."""

NARROW = 6.0
"""Q of a band that is put where a sweep ended."""


class FrequencyPicture(EffectPicture):
    """Something over frequency, in dB."""

    top, bottom = 15.0, -15.0
    has_axis = True

    def gains(self, effect: Any, frequencies: np.ndarray) -> np.ndarray:
        """Gain in dB at frequencies in Hz."""
        raise AssertionError

    @property
    def effect_now(self) -> Any:
        """The effect as it is."""
        return self.session.patch.racks[self.rack][self.effect]

    def up(self, gain: float) -> float:
        """Where a gain is, 0 to 1."""
        return min(max((gain - self.bottom) / (self.top - self.bottom), 0.0), 1.0)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        if self.large:
            self._grid(painter, box)
        frequencies = np.geomspace(spectra.LOWEST, spectra.HIGHEST, 400)
        y = [self.up(float(gain)) for gain in self.gains(self.effect_now, frequencies)]
        shade = self.line_colour() if self.effect_now.get("on") else colour("chalk_soft")
        draw_curve(painter, box, np.linspace(0, 1, 400), y, shade, floor=self.up(0.0))

    def _grid(self, painter: QPainter, box: QRectF) -> None:
        draw_frequencies(painter, box)
        apart = 6 if self.top - self.bottom < 32 else 12
        for gain in range(math.ceil(self.bottom / apart) * apart, math.floor(self.top) + 1, apart):
            y = box.bottom() - self.up(gain) * box.height()
            painter.setPen(QPen(colour("chalk_soft").darker(200), 1))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(colour("chalk_soft"))
            painter.drawText(QPointF(box.left() + 4, y - 3), (f"{gain:+d}" if gain else "0").replace("-", "−") + " dB")


@draws("phaser")
class PhaserPicture(FrequencyPicture):
    """Its notches, while it stands in the middle of its sway."""

    top, bottom = 9.0, -33.0

    def gains(self, effect: Any, frequencies: np.ndarray) -> np.ndarray:
        return np.asarray(effect.response(frequencies))


@draws("equaliser")
class EqualiserPicture(FrequencyPicture):
    """All bands together; drag a band to move it, the wheel over it changes its Q, double-click switches it."""

    def __init__(self, session: Session, path: str, shade: str, large: bool) -> None:
        super().__init__(session, path, shade, large)
        self._held = 0
        self._fit()
        self.chose: Callable[[int], None] = lambda band: None
        if large:
            self.setToolTip(
                "Drag a band; the wheel over it changes its Q; double-click switches it on or off.\n"
                "Hold the ground between bands to sweep a narrow lift across the sound and find what rings;\n"
                "where you let go of it a band stands, ready to cut."
            )

        self._sweeps, self._swept = 0.0, False

    def _fit(self) -> None:
        """Chooses how many dB are shown: as few as hold every band."""
        effect = self.effect_now
        used = [n for n in range(1, BANDS + 1) if effect.get(f"form{n}") in ("bell", "low", "high")]
        most = max((abs(effect.number(f"gain{n}")) for n in used), default=0.0)
        self.top = SHOWN[0] if most <= SHOWN[0] - 1.0 else SHOWN[1]
        self.bottom = -self.top

    def draw(self, painter: QPainter, box: QRectF) -> None:
        if not self._held:
            self._fit()
        super().draw(painter, box)

    def live(self) -> object:
        """A new picture for every new piece of sound, while it is large."""
        return self.heard_to()

    def _spectra(self, painter: QPainter, box: QRectF) -> None:
        """The sound before the bands and after them, behind their curve."""
        tap = self.heard(spectra.LENGTH)
        if float(np.abs(tap).max(initial=0.0)) < 1e-5:
            return
        x = np.linspace(0, 1, spectra.POINTS)
        for sound, shade, width in ((tap[:2], "chalk_soft", 1.0), (tap[2:], "lichen", 1.3)):
            line = np.clip((spectra.spectrum(sound, float(self.session.link.rate)) + 84.0) / 84.0, 0.0, 1.0)
            pen = colour(shade) if shade == "chalk_soft" else dye(shade, True)
            pen.setAlpha(150)
            draw_curve(painter, box, x, line, pen, floor=None, width=width)

    def sweep(self, place: float) -> None:
        """Lifts the frequency at a place of the axis for the ear, 0 to 1; below 0 ends it."""
        self._sweeps = spectra.frequency_at(place) if place >= 0.0 else 0.0
        self.session.link.tell(SetMonitor("sweep", self._sweeps))
        self.update()

    def ready_to_cut(self, frequency: float) -> int:
        """Puts a band that is off, as a narrow bell that does nothing yet, where a sweep ended; the band, 0 for none."""
        effect = self.effect_now
        off = [n for n in range(1, BANDS + 1) if effect.get(f"form{n}") == "off"]
        band = min(off, key=lambda n: abs(np.log(STARTS[n - 1] / frequency)), default=0)
        where = f"{effect.params['frequency1'].write(frequency)}, {self._note(frequency)}"
        if not band:
            self.session.say(f"The sweep ended at {where}; every band is in use.")
            return 0
        values: dict[str, object] = {
            self.place_of_dial("form", band): "bell",
            self.place_of_dial("frequency", band): frequency,
            self.place_of_dial("gain", band): 0.0,
            self.place_of_dial("width", band): NARROW,
        }
        self.session.editor.set_all(values, f"band {band} where the sweep ended")
        self.session.say(f"Band {band} stands at {where}, ready to cut: drag it down.")
        return band

    def gains(self, effect: Any, frequencies: np.ndarray) -> np.ndarray:
        return response(effect, frequencies)

    def place_of_dial(self, name: str, band: int) -> str:
        """The path of a value of a band."""
        return f"racks.{self.rack}.{self.effect}.{name}{band}"

    def spot(self, box: QRectF, band: int) -> QPointF:
        """Where the handle of a band is."""
        effect = self.effect_now
        plain = effect.get(f"form{band}") in ("bell", "low", "high")
        gain = effect.number(f"gain{band}") if plain else 0.0
        x = box.left() + spectra.across(effect.number(f"frequency{band}")) * box.width()
        return QPointF(x, box.bottom() - self.up(gain) * box.height())

    def band_at(self, point: QPointF) -> int:
        """The band whose handle is under a point, 0 for none."""
        away = {n: (self.spot(self.box(), n) - point).manhattanLength() for n in range(1, BANDS + 1)}
        nearest = min(away, key=away.__getitem__)
        return nearest if away[nearest] <= 16 else 0

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        if not self.large:
            return
        self._spectra(painter, box)
        if self._sweeps:
            x = box.left() + spectra.across(self._sweeps) * box.width()
            painter.setPen(QPen(colour("chalk"), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            self._say(painter, box, QPointF(x, box.top() + 14), f"{self._sweeps:.0f} Hz, {self._note(self._sweeps)}")
        elif self._held:
            effect, band = self.effect_now, self._held
            found = [effect.params[f"frequency{band}"].write(effect.get(f"frequency{band}"))]
            found.append(self._note(effect.number(f"frequency{band}")))
            if effect.get(f"form{band}") in ("bell", "low", "high"):
                found.append(effect.params[f"gain{band}"].write(effect.get(f"gain{band}")))
            spot = self.spot(box, band)
            above = spot.y() > box.top() + 30
            self._say(painter, box, QPointF(spot.x(), spot.y() - 14 if above else spot.y() + 24), ", ".join(found))
        painter.setFont(body_font(11, 600))
        for band in range(1, BANDS + 1):
            off = self.effect_now.get(f"form{band}") == "off"
            spot = self.spot(box, band)
            painter.setPen(QPen(colour("chalk_soft") if off else self.line_colour(), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush if off else self.line_colour())
            painter.drawEllipse(spot, 9, 9)
            painter.setPen(colour("chalk_soft") if off else colour("well"))
            painter.drawText(QRectF(spot.x() - 9, spot.y() - 9, 18, 18), Qt.AlignmentFlag.AlignCenter, str(band))

    def _note(self, frequency: float) -> str:
        return spectra.note_name(frequency, float(self.session.patch.reference))

    def _say(self, painter: QPainter, box: QRectF, at: QPointF, text: str) -> None:
        """Words beside a place, on the side where there is room."""
        painter.setPen(colour("chalk"))
        painter.setFont(body_font(12))
        wide = painter.fontMetrics().horizontalAdvance(text)
        left = at.x() + 6 if at.x() < box.center().x() else at.x() - 6 - wide
        ground = QRectF(left - 3, at.y() - 12, wide + 6, 16)
        painter.fillRect(ground, colour("well"))
        painter.drawText(QPointF(left, at.y()), text)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.large:
            event.ignore()
            return
        self.session.editor.history.settle()
        self._held = self.band_at(event.position())
        self._swept = False
        if not self._held:
            self.sweep(self._part(event))

    def _part(self, event: QMouseEvent) -> float:
        box = self.box()
        return min(max((event.position().x() - box.left()) / box.width(), 0.0), 1.0)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._sweeps:
            self._swept = True
            self.sweep(self._part(event))
            return
        if not self._held or not event.buttons():
            return
        box = self.box()
        part = self._part(event)
        up = (box.bottom() - event.position().y()) / box.height()
        gain = min(max(self.bottom + up * (self.top - self.bottom), -24.0), 24.0)
        values: dict[str, object] = {self.place_of_dial("frequency", self._held): spectra.frequency_at(part)}
        if self.effect_now.get(f"form{self._held}") == "off":
            values[self.place_of_dial("form", self._held)] = "bell"
        if self.effect_now.get(f"form{self._held}") in ("off", "bell", "low", "high"):
            values[self.place_of_dial("gain", self._held)] = round(gain, 1)
        self.session.editor.set_all(values, f"move band {self._held}", f"band {self.rack}.{self.effect}.{self._held}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if not self.large:
            event.ignore()
            return
        found = self._sweeps
        if found:
            self.sweep(-1.0)
        band, self._held = self._held, 0
        self.session.editor.history.settle()
        if found and self._swept:
            band = self.ready_to_cut(found)
        self._forget()
        if band:
            QTimer.singleShot(0, lambda: self.chose(band))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        band = self.band_at(event.position()) if self.large else 0
        if band:
            path = self.place_of_dial("form", band)
            self.session.editor.set(path, "bell" if self.session.editor.value(path) == "off" else "off")
            QTimer.singleShot(0, lambda: self.chose(band))

    def wheelEvent(self, event: QWheelEvent) -> None:
        band = self.band_at(event.position()) if self.large else 0
        if band:
            path = self.place_of_dial("width", band)
            param = type(self.effect_now).params[f"width{band}"]
            assert isinstance(param, Param)
            place = param.position(self.session.editor.value(path)) + event.angleDelta().y() / 4800
            self.session.editor.set(path, param.at(place), dragging=True)
            event.accept()


@draws("room")
class RoomPicture(EffectPicture):
    """How the room dies away over four seconds, the first of them wider: its first echoes, and how lows and highs fall."""

    SECONDS, DEEPEST = 4.0, -60.0
    MARKS = (0.05, 0.2, 0.5, 1.0, 2.0, 3.0)
    has_axis = True

    def draw(self, painter: QPainter, box: QRectF) -> None:
        effect: Any = self.session.patch.racks[self.rack][self.effect]
        shade = self.line_colour() if effect.get("on") else colour("chalk_soft")
        if self.large:
            self._grid(painter, box)
        x = np.linspace(0.0, 1.0, 300)
        seconds = self.SECONDS * x * x - effect.number("predelay")
        falls: list[tuple[float, QColor, float | None, float]] = [(500.0, shade, 0.0, 1.6)]
        if self.large:
            falls += [(8000.0, colour("chalk"), None, 1.2), (125.0, colour("chalk_soft"), None, 1.2)]
        for frequency, pen, floor, width in falls:
            enters, fall = effect.fall(frequency, float(self.session.link.rate))
            level = np.where(seconds < 0.0, self.DEEPEST, enters + fall * seconds)
            draw_curve(painter, box, x, self._up(level), pen, floor=floor, width=width)
        painter.setPen(QPen(shade, 1.6 if self.large else 1.0))
        for at, gain in effect.echoes()[: None if self.large else 8]:
            left = box.left() + math.sqrt(min(at / self.SECONDS, 1.0)) * box.width()
            top = box.bottom() - float(self._up(20 * math.log10(gain + 1e-9))) * box.height()
            painter.drawLine(QPointF(left, box.bottom()), QPointF(left, top))
        if self.large:
            painter.setFont(body_font(11))
            for n, (frequency, pen, _, _) in enumerate(sorted(falls, key=lambda fall: fall[0])):
                enters, fall = effect.fall(frequency, float(self.session.link.rate))
                named = f"{frequency:.0f} Hz" if frequency < 1000 else f"{frequency / 1000:.0f} kHz"
                lasts = f"{(self.DEEPEST) / fall:.1f} s" if fall < 0.0 else "for ever"
                painter.setPen(pen)
                where = QRectF(box.right() - 130, box.top() + 2 + 15 * n, 126, 15)
                painter.drawText(where, Qt.AlignmentFlag.AlignRight, f"{named}: {lasts}")

    def _up(self, level: Any) -> Any:
        return np.clip((np.asarray(level) - self.DEEPEST) / -self.DEEPEST, 0.0, 1.0)

    def _grid(self, painter: QPainter, box: QRectF) -> None:
        painter.setFont(body_font(11))
        for level in (-15, -30, -45):
            y = box.bottom() - float(self._up(level)) * box.height()
            painter.setPen(QPen(colour("chalk_soft").darker(205), 1))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(colour("chalk_soft"))
            painter.drawText(QPointF(box.left() + 4, y - 3), f"{level} dB".replace("-", "−"))
        for second in self.MARKS:
            x = box.left() + math.sqrt(second / self.SECONDS) * box.width()
            painter.setPen(QPen(colour("chalk_soft").darker(205), 1))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            painter.setPen(colour("chalk_soft"))
            named = f"{1000 * second:.0f} ms" if second < 1.0 else f"{second:.0f} s"
            painter.drawText(QRectF(x - 25, box.bottom() + 1, 50, BELOW + 3), Qt.AlignmentFlag.AlignCenter, named)


@draws("sway")
class SwayPicture(EffectPicture):
    """The delays of its copies over two turns."""

    def draw(self, painter: QPainter, box: QRectF) -> None:
        effect: Any = self.session.patch.racks[self.rack][self.effect]
        shade = self.line_colour() if effect.get("on") else colour("chalk_soft")
        turns = np.linspace(0, 2, 160)
        for line in effect.lines(turns):
            draw_curve(painter, box, turns / 2, line, shade, floor=None, width=1.6 if self.large else 1.2)
        if self.large:
            painter.setPen(colour("chalk_soft"))
            painter.setFont(body_font(11))
            said = getattr(effect, "lines_are", "delays of the copies over two turns")
            painter.drawText(QPointF(box.left() + 6, box.top() + 12), said)


@draws("shift")
class ShiftPicture(FrequencyPicture):
    """Where the harmonics of A3 come out: before in chalk, after on the left upwards and on the right downwards."""

    def draw(self, painter: QPainter, box: QRectF) -> None:
        effect = self.effect_now
        shade = self.line_colour() if effect.get("on") else colour("chalk_soft")
        middle, thick = box.center().y(), 3.0 if self.large else 1.6
        painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
        painter.drawLine(QPointF(box.left(), middle), QPointF(box.right(), middle))
        for n in range(1, 17):
            tall = 0.46 * box.height() / n**0.5
            for right in (False, True):
                for frequency, pen in (
                    (220.0 * n, QPen(colour("chalk_soft").darker(150), 1)),
                    (abs(effect.moved(220.0 * n, right)), QPen(shade, thick, c=Qt.PenCapStyle.FlatCap)),
                ):
                    if spectra.LOWEST <= frequency <= spectra.HIGHEST:
                        x = box.left() + spectra.across(frequency) * box.width()
                        painter.setPen(pen)
                        painter.drawLine(QPointF(x, middle), QPointF(x, middle + tall if right else middle - tall))
        if self.large:
            draw_frequencies(painter, box)
            painter.drawText(QPointF(box.left() + 6, box.top() + 12), "left: harmonics of A3 before and after")
            painter.drawText(QPointF(box.left() + 6, box.bottom() - 4), "right")
