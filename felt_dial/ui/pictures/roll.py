"""The roll: the notes of a phrase, drawn over time and keys, with their velocities under them."""

from __future__ import annotations

import math
from collections.abc import Iterable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from felt_dial.patch.phrase import Beat, Phrase, lengthened, louder, moved, snapped, with_notes
from felt_dial.patch.units import note_name
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame
from felt_dial.ui.pictures.well import draw_ground
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import draw_focus
from felt_dial.ui.theme.fonts import body_font

LEFT, TOP, LANE = 54, 18, 52
"""Pixels for the names of keys, for the count of beats, and for the velocities."""
FEWEST_KEYS, EDGE, NEAR = 25, 6, 5
"""Keys that are shown at least; pixels at the end of a note that lengthen it, and that a hand may tremble."""
BLACK = (1, 3, 6, 8, 10)


class Roll(QWidget):
    """Notes that are edited where they stand.

    A double-click adds a note or takes one away; a drag moves what is chosen, from its end lengthens it, and on empty ground
    chooses; in the lane under them it draws velocities. The keys of the guide do the same.

    Attributes
    ----------
    edited : Signal(Phrase, str)
        Another phrase, and what was done.
    heard : Signal(int, int)
        A key and a velocity to be heard.
    """

    edited = Signal(object, str)
    heard = Signal(int, int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.phrase = Phrase("", "", 4.0, ())
        self.grid = 0.25
        self.chosen: set[int] = set()
        self.first, self.last = 0.0, 4.0
        self.low = 48
        self._draft: tuple[Beat, ...] | None = None
        self._drag = ""
        self._from, self._now = QPointF(), QPointF()
        self._position = -1.0
        self.setMinimumHeight(250)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Notes of the phrase")
        self.setToolTip(
            "Double-click adds a note or takes one away; drag notes, or their ends; [ and ] choose one, arrows move it, "
            "Shift+arrows lengthen it or move it by octaves, Insert adds one, Delete takes it away"
        )
        session.channel.watch(self._frame, Frame)

    def sizeHint(self) -> QSize:
        return QSize(760, 300)

    # --- what is shown -------------------------------------------------------------------------

    @property
    def notes(self) -> tuple[Beat, ...]:
        """The notes as they are shown: those of a drag that goes on, or those of the phrase."""
        return self.phrase.notes if self._draft is None else self._draft

    def show_phrase(self, phrase: Phrase) -> None:
        """Another phrase, or the same as it is now; what is chosen stays chosen where it is still there."""
        before = {self.phrase.notes[n] for n in self.chosen if n < len(self.phrase.notes)}
        same = phrase.id == self.phrase.id
        longer = phrase.beats != self.phrase.beats
        self.phrase, self._draft = phrase, None
        self.chosen = {n for n, note in enumerate(phrase.notes) if note in before} if same else set()
        if not same or longer:
            self.first, self.last = 0.0, phrase.beats
        if not same:
            self._fit()
        self.update()

    def choose(self, notes: Iterable[Beat]) -> None:
        """Chooses these notes of the phrase."""
        wanted = set(notes)
        self.chosen = {n for n, note in enumerate(self.phrase.notes) if note in wanted}
        self.update()

    def _fit(self) -> None:
        keys = [note.key for note in self.phrase.notes] or [60]
        middle = (min(keys) + max(keys)) / 2
        self.low = max(0, min(round(middle - self.keys / 2), 128 - self.keys))

    @property
    def keys(self) -> int:
        """How many keys are shown."""
        keys = [note.key for note in self.phrase.notes] or [60]
        return min(max(max(keys) - min(keys) + 7, FEWEST_KEYS), 128)

    @property
    def field(self) -> QRectF:
        """Where the notes are."""
        return QRectF(LEFT, TOP, self.width() - LEFT - 6, self.height() - TOP - LANE - 6)

    def x_of(self, beat: float) -> float:
        """Where a beat is."""
        return self.field.x() + (beat - self.first) / (self.last - self.first) * self.field.width()

    def beat_at(self, x: float) -> float:
        """The beat under a point."""
        return self.first + (x - self.field.x()) / self.field.width() * (self.last - self.first)

    def key_at(self, y: float) -> int:
        """The key under a point."""
        return self.low + self.keys - 1 - math.floor((y - self.field.y()) / self.field.height() * self.keys)

    def box_of(self, note: Beat) -> QRectF:
        """Where a note is."""
        high = self.field.height() / self.keys
        y = self.field.y() + (self.low + self.keys - 1 - note.key) * high
        x = self.x_of(note.at)
        return QRectF(x, y, max(self.x_of(note.at + note.length) - x - 1, 3), high)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        draw_ground(painter, QRectF(self.rect()))
        field = self.field
        self._draw_keys(painter, field)
        self._draw_beats(painter, field)
        painter.save()
        painter.setClipRect(field.adjusted(0, 0, 0, LANE + 4))
        for n, note in enumerate(self.notes):
            chosen = n in self.chosen
            shade = QColor(dye("weld" if chosen else "madder", in_well=True))
            shade.setAlphaF(0.45 + 0.55 * note.velocity / 127)
            painter.setPen(QPen(colour("chalk"), 1.4) if chosen else Qt.PenStyle.NoPen)
            painter.setBrush(shade)
            painter.drawRoundedRect(self.box_of(note).adjusted(0, 0.5, 0, -0.5), 2, 2)
            x, top = self.x_of(note.at) + 1.5, self._lane_y(note.velocity)
            painter.setPen(QPen(shade, 3 if chosen else 2))
            painter.drawLine(QPointF(x, self.height() - 6), QPointF(x, top))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QPointF(x, top), 3, 3)
        if self._position >= 0:
            x = self.x_of(self._position)
            painter.setPen(QPen(colour("chalk"), 1.2))
            painter.drawLine(QPointF(x, field.top()), QPointF(x, self.height() - 4))
        if self._drag == "choose":
            painter.setPen(QPen(colour("chalk"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self._from, self._now).normalized())
        painter.restore()
        self._draw_words(painter, field)
        if self.hasFocus():
            draw_focus(painter, QRectF(self.rect()).adjusted(2, 2, -2, -2), 5)

    def _draw_keys(self, painter: QPainter, field: QRectF) -> None:
        high = field.height() / self.keys
        painter.setFont(body_font(11))
        for n in range(self.keys):
            key = self.low + n
            y = field.bottom() - (n + 1) * high
            if key % 12 in BLACK:
                painter.fillRect(QRectF(field.x(), y, field.width(), high), colour("well").darker(112))
            if key % 12 == 0:
                painter.setPen(colour("chalk_soft"))
                place = QRectF(0, y + high / 2 - 8, LEFT - 6, 16)
                painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, note_name(key))
                painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
                painter.drawLine(QPointF(field.x(), y + high), QPointF(field.right(), y + high))

    def _draw_beats(self, painter: QPainter, field: QRectF) -> None:
        span = self.last - self.first
        step = next((one for one in (self.grid or 1.0, 1.0, 4.0, 16.0, 64.0) if field.width() / span * one > 9), 64.0)
        painter.setFont(body_font(11))
        for n in range(math.ceil(self.first / step), math.floor(self.last / step) + 1):
            beat, x = n * step, self.x_of(n * step)
            strong = abs(beat / 4 - round(beat / 4)) < 1e-6
            whole = abs(beat - round(beat)) < 1e-6
            painter.setPen(QPen(colour("chalk_soft").darker(130 if strong else 180 if whole else 230), 1))
            painter.drawLine(QPointF(x, field.y()), QPointF(x, field.bottom()))
            if strong and beat < self.phrase.beats:
                painter.setPen(colour("chalk_soft"))
                painter.drawText(
                    QRectF(x + 3, 1, 60, TOP - 2), Qt.AlignmentFlag.AlignVCenter, f"bar {round(beat / 4) + 1}"
                )

    def _draw_words(self, painter: QPainter, field: QRectF) -> None:
        painter.setPen(colour("chalk_soft"))
        painter.setFont(body_font(11))
        lane = QRectF(0, field.bottom() + 6, LEFT - 6, LANE - 6)
        painter.drawText(lane, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "velocity")
        if not self.notes:
            painter.drawText(
                field, Qt.AlignmentFlag.AlignCenter, "A double-click puts a note here; Record takes down what you play."
            )
        elif self.chosen:
            said = self.words()
            painter.setPen(colour("chalk"))
            place = QRectF(field.x(), 1, field.width() - 4, TOP - 2)
            painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, said)

    def words(self) -> str:
        """What is chosen, in words: `E4 at 2.5, 0.45 beats, velocity 84`."""
        chosen = [self.notes[n] for n in sorted(self.chosen) if n < len(self.notes)]
        if len(chosen) != 1:
            return f"{len(chosen)} notes chosen" if chosen else ""
        note = chosen[0]
        return f"{note_name(note.key)} at {note.at + 1:.4g}, {note.length:.3g} beats, velocity {note.velocity}"

    def _lane_y(self, velocity: int) -> float:
        return self.height() - 7 - velocity / 127 * (LANE - 14)

    def _frame(self) -> None:
        if not self.isVisible():
            return
        session = self.session
        plays = session.transport.playing and session.transport.phrase_now.id == self.phrase.id
        position = float(session.link.shared.data["position"]) if plays else -1.0
        if position != self._position:
            self._position = position
            self.update()

    # --- hands ---------------------------------------------------------------------------------

    def note_under(self, place: QPointF) -> int:
        """The note under a point, the one on top; −1 where there is none."""
        for n in range(len(self.notes) - 1, -1, -1):
            if self.box_of(self.notes[n]).adjusted(-1, -1, 1, 1).contains(place):
                return n
        return -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        place = event.position()
        self._from = self._now = place
        if place.y() > self.field.bottom() + 2:
            self._drag = "velocity"
            self._draft = self.phrase.notes
            self._draw_velocity(place)
            return
        under = self.note_under(place)
        more = bool(event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
        if under < 0:
            self.chosen = self.chosen if more else set()
            self._drag = "choose"
        else:
            if more:
                self.chosen ^= {under}
            elif under not in self.chosen:
                self.chosen = {under}
            self._drag = "length" if place.x() > self.box_of(self.notes[under]).right() - EDGE else "move"
            note = self.notes[under]
            self.heard.emit(note.key, note.velocity)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = event.position()
        if not event.buttons() & Qt.MouseButton.LeftButton:
            under = self.note_under(place)
            end = under >= 0 and place.x() > self.box_of(self.notes[under]).right() - EDGE
            self.setCursor(Qt.CursorShape.SizeHorCursor if end else Qt.CursorShape.ArrowCursor)
            return
        far = (place - self._from).manhattanLength() >= NEAR
        self._now = place
        if self._drag == "velocity":
            self._draw_velocity(place)
        elif self._drag == "choose":
            box = QRectF(self._from, place).normalized()
            self.chosen = {n for n, note in enumerate(self.notes) if box.intersects(self.box_of(note))}
        elif self._drag in ("move", "length") and (far or self._draft is not None):
            self._draft = self._dragged(place, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        self.update()

    def _dragged(self, place: QPointF, fine: bool) -> tuple[Beat, ...]:
        """The notes with those that are chosen where the hand has brought them; `fine` leaves the grid aside."""
        beats = self.beat_at(place.x()) - self.beat_at(self._from.x())
        grid = 0.0 if fine else self.grid
        if self._drag == "length":
            longer = {
                n: lengthened(note, max(snapped(note.at + note.length + beats, grid) - note.at, grid or 0.05))
                for n, note in enumerate(self.phrase.notes)
            }
            return tuple(longer[n] if n in self.chosen else note for n, note in enumerate(self.phrase.notes))
        keys = self.key_at(place.y()) - self.key_at(self._from.y())
        first = min((self.phrase.notes[n].at for n in self.chosen), default=0.0)
        by = max(snapped(first + beats, grid), 0.0) - first
        return tuple(moved(note, by, keys) if n in self.chosen else note for n, note in enumerate(self.phrase.notes))

    def _draw_velocity(self, place: QPointF) -> None:
        """Velocities under the hand follow it: those that are chosen where some are, else all that it passes."""
        velocity = round((self.height() - 7 - place.y()) / (LANE - 14) * 127)
        left, right = sorted((self._now.x(), place.x()))
        these = {n for n, note in enumerate(self.notes) if left - NEAR <= self.x_of(note.at) + 1.5 <= right + NEAR}
        if self.chosen & these:
            these &= self.chosen
        self._draft = tuple(louder(note, velocity) if n in these else note for n, note in enumerate(self.notes))
        self._now = place
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        draft, drag = self._draft, self._drag
        self._draft, self._drag = None, ""
        if draft is not None and draft != self.phrase.notes:
            says = {"move": "move notes", "length": "lengthen notes", "velocity": "draw velocities"}[drag]
            self._change(draft, says, [draft[n] for n in self.chosen])
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        place = event.position()
        if not self.field.contains(place):
            return
        under = self.note_under(place)
        self._drag = ""
        if under >= 0:
            self._take_away({under})
            return
        at = max(math.floor(self.beat_at(place.x()) / (self.grid or 0.25)) * (self.grid or 0.25), 0.0)
        self.add(Beat(at, self.grid or 0.25, min(max(self.key_at(place.y()), 0), 127), 96))

    def add(self, note: Beat) -> None:
        """One more note, which is chosen and heard."""
        self._change([*self.phrase.notes, note], f"add {note_name(note.key)} to the phrase", [note])
        self.heard.emit(note.key, note.velocity)

    def _take_away(self, these: set[int]) -> None:
        left = [note for n, note in enumerate(self.phrase.notes) if n not in these]
        self.chosen = set()
        self._change(left, f"take {len(these)} note{'' if len(these) == 1 else 's'} out of the phrase", [])

    def _change(self, notes: Iterable[Beat], says: str, chosen: Iterable[Beat]) -> None:
        chosen = list(chosen)
        self.edited.emit(with_notes(self.phrase, notes), says)
        self.choose(chosen)

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            middle = self.beat_at(event.position().x())
            span = min(max((self.last - self.first) * 0.8**steps, 1.0), self.phrase.beats)
            share = (middle - self.first) / (self.last - self.first)
            self.first = min(max(middle - span * share, 0.0), self.phrase.beats - span)
            self.last = self.first + span
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            span = self.last - self.first
            self.first = min(max(self.first - steps * span / 8, 0.0), self.phrase.beats - span)
            self.last = self.first + span
        else:
            self.low = min(max(self.low + round(3 * steps), 0), 128 - self.keys)
        self.update()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, shift = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        grid, notes = self.grid or 0.25, self.phrase.notes
        along = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key), 0)
        up = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(key), 0)
        if control and key == Qt.Key.Key_A:
            self.chosen = set(range(len(notes)))
            self.update()
        elif event.text() in ("[", "]") and notes:
            now = min(self.chosen, default=-1 if event.text() == "]" else 0)
            self.chosen = {(now + (1 if event.text() == "]" else -1)) % len(notes)}
            note = notes[min(self.chosen)]
            self.heard.emit(note.key, note.velocity)
            self.update()
        elif key == Qt.Key.Key_Insert:
            after = notes[max(self.chosen)] if self.chosen else None
            self.add(
                Beat(after.at + max(after.length, grid), grid, after.key, after.velocity)
                if after
                else Beat(0.0, grid, 60)
            )
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.chosen:
            self._take_away(self.chosen)
        elif (along or up) and self.chosen:
            self._nudge(along, up, grid, shift, alt)
        elif event.text() and not control and not alt:
            event.ignore()
        else:
            super().keyPressEvent(event)

    def _nudge(self, along: int, up: int, grid: float, shift: bool, alt: bool) -> None:
        """What the arrows do with what is chosen."""

        def changed(note: Beat) -> Beat:
            if alt:
                return louder(note, note.velocity + 4 * up)
            if along and shift:
                return lengthened(note, max(note.length + along * grid, grid / 2))
            return moved(note, along * grid, up * (12 if shift else 1))

        made = [changed(note) if n in self.chosen else note for n, note in enumerate(self.phrase.notes)]
        says = "change velocities" if alt else "lengthen notes" if along and shift else "move notes"
        self._change(made, says, [made[n] for n in self.chosen])
