"""Pictures of what moves: envelopes, edited where they are shown, chances, blends, followers."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from felt_dial.patch.params import Param
from felt_dial.patch.units import Value
from felt_dial.session.session import Session
from felt_dial.sound.control.blend import blend_value
from felt_dial.sound.control.chance import Chance, chance_line
from felt_dial.sound.control.core.line import slope
from felt_dial.sound.control.envelope import Envelope
from felt_dial.sound.sizes import TICK
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.pictures.points import say_beside, type_beside
from felt_dial.ui.pictures.well import BELOW, Well, draw_curve, draws, mover_row, shade_loop
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font

STAGES = ("delay", "attack", "hold", "decay", "release")
ASIDE = 13.0
"""Pixels by which the point of a hold of no length stands beside that of the attack."""
SUSTAINED = 0.2
"""Part of the width that stands for the time the key is held."""


class Handle(NamedTuple):
    """A point of the envelope that can be dragged: which time, which level."""

    time: str
    level: str
    x: float
    y: float


def _warp(seconds: float) -> float:
    """Width of a stage: short ones stay wide enough to see and to grab."""
    return 0.0 if seconds <= 0 else 0.04 + float(seconds) ** 0.5


def _unwarped(width: float) -> float:
    """Seconds of a stage by its width."""
    return max(width - 0.04, 0.0) ** 2


@draws("envelope")
class EnvelopePicture(Well):
    """An envelope; `large` is the editor with its points.

    Stages are as wide as the square root of their time, so that a 2 ms attack and a 3 s release
    are both seen; within a stage time runs evenly. The scale stays as it is while a point is dragged.
    """

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, shade, path, "tempo")
        self.large = large
        self._drag: tuple[str, QPointF, Envelope, float] | None = None
        self._grabbed = self._near = ""
        self.entry: Entry | None = None
        self._scale = 0.0
        self.below = BELOW if large else 0
        self.setAccessibleName(f"Envelope {self.mover.upper()}")
        if large:
            self.setToolTip(
                "Drag a point; drag a slope between two points to bend it; double-click types a point, and straightens a slope"
            )
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            self.setMouseTracking(True)

    def turn_to(self, path: str, shade: str) -> None:
        super().turn_to(path, shade)
        self.setAccessibleName(f"Envelope {self.mover.upper()}")

    @property
    def mover(self) -> str:
        """Which envelope it is."""
        return self.path.split(".")[1]

    @property
    def envelope(self) -> Envelope:
        """The envelope as it is."""
        found = self.session.patch.modulators[self.mover]
        assert isinstance(found, Envelope)
        return found

    def seconds(self, name: str) -> float:
        """A time of the envelope; one in beats at the tempo of the patch."""
        param = Envelope.params[name]
        assert isinstance(param, Param)
        return param.resolve(self.envelope.get(name), self.session.patch.number("tempo"))

    def key(self) -> object:
        return self.envelope, self.session.patch.tempo, self._scale

    def live(self) -> object:
        row = mover_row(self.session, self.mover)
        if row is None or row[0] > 5.5:
            return None
        return round(float(row[0])), round(float(row[1]), 3), round(float(row[2]), 3)

    def stages(self) -> list[tuple[str, float, float]]:
        """Name, width and time of every stage, the held one between decay and release."""
        times = [(name, self.seconds(name)) for name in STAGES]
        widths = [_warp(time) for _, time in times]
        scale = self._scale or self._fitting(sum(widths))
        found = [(name, width * scale, time) for (name, time), width in zip(times, widths, strict=True)]
        found.insert(4, ("sustain", SUSTAINED, 0.0))
        return found

    def _fitting(self, total: float) -> float:
        """What makes parts of the box of widths that come to `total`."""
        return (1 - SUSTAINED) / max(total, 0.9 if self.large else 0.5)

    def line(self) -> tuple[np.ndarray, np.ndarray]:
        """The envelope as it is drawn: places and levels, 0 to 1."""
        e = self.envelope
        sustain = float(e.sustain)
        part = np.linspace(0, 1, 40)
        shapes = {
            "delay": np.zeros(40),
            "attack": slope(part, float(e.attack_bend)),
            "hold": np.ones(40),
            "decay": 1 - (1 - sustain) * slope(part, float(e.decay_bend)),
            "sustain": np.full(40, sustain),
            "release": sustain * (1 - slope(part, float(e.release_bend))),
        }
        x, y, at = [np.zeros(1)], [np.zeros(1)], 0.0
        for name, width, _ in self.stages():
            x.append(at + part * width)
            y.append(shapes[name])
            at += width
        return np.concatenate(x), np.concatenate(y) * 0.96

    def handles(self) -> list[Handle]:
        """The points, as parts of the box."""
        places, at = {}, 0.0
        for name, width, _ in self.stages():
            at += width
            places[name] = at
        sustain = 0.96 * float(self.envelope.sustain)
        return [
            Handle("delay", "", places["delay"], 0.0),
            Handle("attack", "", places["attack"], 0.96),
            Handle("hold", "", places["hold"], 0.96),
            Handle("decay", "sustain", places["decay"], sustain),
            Handle("release", "", places["release"], 0.0),
        ]

    def loop(self) -> tuple[float, float] | None:
        """From where to where it loops, as parts of the box; None where it does not."""
        ends, at = [0.0], 0.0
        for _, width, _ in self.stages()[:4]:
            at += width
            ends.append(at)
        back, turn = str(self.envelope.loop_from), str(self.envelope.loop_to)
        if back == "off":
            return None
        first = ("start", "attack", "peak", "fall").index(back)
        last = 2 + ("peak", "fall", "decay").index(turn)
        return (ends[first], ends[last]) if first < last else None

    def draw(self, painter: QPainter, box: QRectF) -> None:
        if loop := self.loop():
            shade_loop(painter, box, *loop, self.line_colour())
        x, y = self.line()
        draw_curve(painter, box, x, y, self.line_colour())
        if self.large:
            held = next(h for h in self.handles() if h.time == "decay")
            painter.setPen(QPen(colour("chalk_soft"), 1, Qt.PenStyle.DashLine))
            for place in (held.x, held.x + SUSTAINED):
                painter.drawLine(
                    QPointF(box.left() + place * box.width(), box.top()),
                    QPointF(box.left() + place * box.width(), box.bottom()),
                )
            painter.setFont(body_font(11))
            painter.setPen(colour("chalk_soft"))
            middle = QRectF(box.left() + held.x * box.width(), box.top(), SUSTAINED * box.width(), 14)
            painter.drawText(middle, Qt.AlignmentFlag.AlignCenter, "held")
            self._draw_times(painter, box)

    def _draw_times(self, painter: QPainter, box: QRectF) -> None:
        """How long each stage lasts, under it, between marks at its ends."""
        at = 0.0
        for name, width, _ in self.stages():
            left, right = (box.left() + place * box.width() for place in (at, at + width))
            at += width
            if name == "sustain" or width <= 0:
                continue
            painter.setPen(QPen(colour("chalk_soft"), 1))
            for x in (left, right):
                painter.drawLine(QPointF(x, box.bottom()), QPointF(x, box.bottom() + 4))
            text = Envelope.params[name].write(self.envelope.get(name))
            if painter.fontMetrics().horizontalAdvance(text) <= right - left:
                place = QRectF(left, box.bottom() + 2, right - left, BELOW + 3)
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        if self.large:
            for handle in self.handles():
                self._paint_handle(painter, box, handle)
            if what := self._grabbed or self._near:
                self._say(painter, box, what)
        live = self.seen_now
        if not isinstance(live, tuple):
            return
        stage, since, level = live
        names = ("delay", "attack", "hold", "decay", "sustain", "release")
        at = 0.0
        for n, (_, width, time) in enumerate(self.stages()):
            if n == stage or names[n] == names[min(stage, 5)]:
                part = 0.5 if names[n] == "sustain" else min(since / time, 1.0) if time > 0 else 1.0
                x = box.left() + (at + part * width) * box.width()
                y = box.bottom() - level * 0.96 * box.height()
                painter.setPen(QPen(colour("chalk_soft"), 1))
                painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(colour("chalk"))
                painter.drawEllipse(QPointF(x, y), 3.2, 3.2)
                return
            at += width

    def says(self, what: str) -> list[str]:
        """What a point or a slope says: the parameters that a drag of it moves."""
        return ["decay", "sustain"] if what == "decay" else [what]

    def _say(self, painter: QPainter, box: QRectF, what: str) -> None:
        """What the hand is on, and its values."""
        e = self.envelope
        words = [f"{e.params[name].label} {e.params[name].write(e.get(name))}" for name in self.says(what)]
        text = ", ".join(words)
        handle = next((h for h in self.handles() if h.time == what), None)
        centre = QPointF(box.center().x(), box.top()) if handle is None else self._centre(box, handle)
        say_beside(painter, box, centre, text)

    def _centre(self, box: QRectF, handle: Handle) -> QPointF:
        """Where a point is; that of a hold of no length stands a little aside, so that both can be taken."""
        x = box.left() + handle.x * box.width()
        aside = ASIDE if handle.time == "hold" and self.seconds("hold") <= 0 else 0.0
        return QPointF(min(x + aside, box.right()), box.bottom() - handle.y * box.height())

    def _paint_handle(self, painter: QPainter, box: QRectF, handle: Handle) -> None:
        centre = self._centre(box, handle)
        grabbed = handle.time == self._grabbed
        painter.setPen(QPen(self.line_colour() if not grabbed else colour("chalk"), 1.6))
        painter.setBrush(colour("well") if not grabbed else self.line_colour())
        painter.drawEllipse(centre, 4.6, 4.6)

    # --- hands ---------------------------------------------------------------------------------

    def _under(self, at: QPointF) -> str:
        """The point under the hand, or the slope (`attack_bend` …), or nothing."""
        box = self.box()
        near, best = "", 13.0
        for handle in self.handles():
            away = (self._centre(box, handle) - at).manhattanLength()
            if away < best:
                near, best = handle.time, away
        if near:
            return near
        part, start = (at.x() - box.left()) / box.width(), 0.0
        for name, width, _ in self.stages():
            if start <= part <= start + width and name in ("attack", "decay", "release"):
                return name + "_bend"
            start += width
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.large:
            event.ignore()
            return
        self.session.editor.history.settle()
        self._grabbed = self._under(event.position())
        if self._grabbed:
            time = 0.0 if self._grabbed.endswith("_bend") else self.seconds(self._grabbed)
            self._scale = self._fitting(sum(_warp(self.seconds(name)) for name in STAGES))
            self._drag = (self._grabbed, event.position(), self.envelope, time)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            near = self._under(event.position()) if self.large else ""
            if near != self._near:
                self._near = near
                self.update()
            return
        what, start, before, start_time = self._drag
        way = event.position() - start
        across, up = way.x() / self.box().width(), -way.y() / self.box().height()
        if what.endswith("_bend"):
            sign = 1.0 if what == "attack_bend" else -1.0
            changes = {what: min(max(before.number(what) + sign * 2 * up, -1.0), 1.0)}
        else:
            param = Envelope.param_of(what)
            changes = {what: min(_unwarped(_warp(start_time) + across / self._scale), param.high)}
            if what == "decay":
                changes["sustain"] = min(max(float(before.sustain) + up, 0.0), 1.0)
        values = {f"modulators.{self.mover}.{name}": value for name, value in changes.items()}
        label = Envelope.params[what].label
        self.session.editor.set_all(values, f"{self.mover.upper()} {label}", f"{self.mover}.drag")
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if not self.large:
            event.ignore()
            return
        self._drag, self._grabbed, self._scale = None, "", 0.0
        self.session.editor.history.settle()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        what = self._under(event.position()) if self.large else ""
        self._drag = None
        if what and not what.endswith("_bend"):
            self.type_point(what)
        elif what:
            self._set_back(what)

    def _set_back(self, what: str) -> None:
        """Gives a point, or a slope, what it has as an envelope begins."""
        values = {f"modulators.{self.mover}.{name}": Envelope.params[name].default for name in self.says(what)}
        self.session.editor.set_all(values, f"set back {self.mover.upper()} {Envelope.params[what].label}")

    def type_point(self, what: str) -> None:
        """Opens the entry for a point: the time that ends there, and the level of the held one behind it."""
        names = self.says(what)

        def take(values: list[Value]) -> None:
            paths = [f"modulators.{self.mover}.{name}" for name in names]
            says = f"{self.mover.upper()} {Envelope.params[names[0]].label}"
            self.session.editor.set_all(dict(zip(paths, values, strict=True)), says)

        spot = self._centre(self.box(), next(h for h in self.handles() if h.time == what))
        figures = [(Envelope.param_of(name), self.envelope.get(name)) for name in names]
        self.entry = type_beside(self, spot, figures, take, f"{what} of the envelope")

    def leaveEvent(self, event: object) -> None:
        self._near = ""
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        names = [handle.time for handle in self.handles()]
        if event.key() in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight):
            at = names.index(self._grabbed) if self._grabbed in names else -1
            self._grabbed = names[(at + (1 if event.key() == Qt.Key.Key_BracketRight else -1)) % len(names)]
            self.update()
        elif self._grabbed and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 0.01 if event.key() == Qt.Key.Key_Right else -0.01
            now = self.seconds(self._grabbed) ** 0.5
            high = Envelope.param_of(self._grabbed).high
            self.session.editor.set(
                f"modulators.{self.mover}.{self._grabbed}", min(max(now + step, 0.0) ** 2, high), dragging=True
            )
        elif self._grabbed and event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._set_back(self._grabbed)
        elif self._grabbed and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_point(self._grabbed)
        else:
            super().keyPressEvent(event)


@draws("chance")
class ChancePicture(Well):
    """Two seconds of what a chance gives the first note, or all of them: the very values that are heard."""

    SECONDS = 2.0

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        key = path.split(".")[1]
        super().__init__(session, shade, path, "tempo")
        self.mover = key
        self.setAccessibleName(f"Chance {key.upper()}")

    def key(self) -> object:
        return self.session.patch.modulators[self.mover], self.session.patch.tempo

    def live(self) -> object:
        return live_value(self.session, self.mover)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        chance = self.session.patch.modulators[self.mover]
        assert isinstance(chance, Chance)
        rate = Chance.param_of("rate").resolve(chance.get("rate"), self.session.patch.number("tempo"))
        floor, span = chance.number("floor"), chance.number("span")
        tick = TICK / self.session.link.rate
        count = round(self.SECONDS / tick)
        values = chance_line(chance, rate, tick, count, 0 if chance.shared() else 1)
        band = QRectF(box.left(), box.bottom() - min(floor + span, 1.0) * box.height(), box.width(), 0)
        band.setBottom(box.bottom() - floor * box.height())
        shade = self.line_colour()
        shade.setAlphaF(0.16)
        painter.fillRect(band, shade)
        draw_curve(painter, box, np.linspace(0, 1, count)[::8], values[::8], self.line_colour(), floor=None)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        if isinstance(self.seen_now, float):
            draw_bead(painter, box, 1.0, self.seen_now)


@draws("blend")
class BlendPicture(Well):
    """What becomes of the first (across) for three values of the second, and where the blend stands."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        key = path.split(".")[1]
        super().__init__(session, "walnut", path)
        self.mover = key
        self.setAccessibleName(f"Blend {key.upper()}")

    def key(self) -> object:
        return self.session.patch.modulators[self.mover]

    def live(self) -> object:
        return live_value(self.session, self.mover)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        blend = self.session.patch.modulators[self.mover]
        way, gate = str(blend.get("way")), blend.number("gate")
        x = np.linspace(0.0, 1.0, 60)
        for second, shade in ((0.0, "chalk_soft"), (0.5, "chalk"), (1.0, "")):
            y = [blend_value(way, float(a), second, 0.5, gate) for a in x]
            draw_curve(painter, box, x, y, colour(shade) if shade else self.line_colour(), floor=None, width=1.6)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        if isinstance(self.seen_now, float):
            draw_bead(painter, box, 1.0, self.seen_now)


@draws("follow")
class FollowPicture(Well):
    """The level it hears as it is now, between quiet and loud."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        key = path.split(".")[1]
        super().__init__(session, shade, path, "tempo")
        self.mover = key
        self.setAccessibleName(f"Follow {key.upper()}")

    def key(self) -> object:
        return self.session.patch.modulators[self.mover]

    def live(self) -> object:
        return live_value(self.session, self.mover)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        follow = self.session.patch.modulators[self.mover]
        low, high = -60.0, 6.0
        decibels = np.linspace(low, high, 90)
        floor, full = follow.number("floor"), follow.number("full")
        y = np.clip((decibels - floor) / max(full - floor, 1.0), 0.0, 1.0)
        draw_curve(painter, box, (decibels - low) / (high - low), y, self.line_colour())

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        if isinstance(self.seen_now, float):
            draw_bead(painter, box, 1.0, self.seen_now)


def live_value(session: Session, key: str) -> float | None:
    """The value of a mover at this moment, rounded; None while nothing moves it."""
    row = mover_row(session, key)
    return None if row is None else round(float(row[3]), 3)


def draw_bead(painter: QPainter, box: QRectF, x: float, y: float) -> None:
    """A chalk bead at a place from 0 to 1."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour("chalk"))
    painter.drawEllipse(QPointF(box.left() + x * box.width(), box.bottom() - y * box.height()), 3.4, 3.4)


class ValuePicture(Well):
    """Where a modulator without a picture of its own stands now, from its lowest to its highest."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, shade, path)
        self.mover = path.split(".")[1]

    def key(self) -> object:
        return self.session.patch.modulators[self.mover]

    def live(self) -> object:
        return live_value(self.session, self.mover)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        value = live_value(self.session, self.mover)
        if value is not None:
            both = self.session.patch.modulators[self.mover].both_ways
            part = 0.5 + 0.5 * value if both else value
            painter.fillRect(
                QRectF(box.left(), box.bottom() - part * box.height(), box.width(), 2.0), self.line_colour()
            )
