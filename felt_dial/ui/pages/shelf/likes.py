"""Sounds like another, and listening to a sound while the pointer rests on its swatch."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPoint, QTimer
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QListView

from felt_dial.bank.finding.catalogue import Listed
from felt_dial.bank.measuring.features import reason
from felt_dial.live.link.messages import Listen
from felt_dial.patch.units import number
from felt_dial.session.session import Session
from felt_dial.ui.pages.shelf.preset_list import PresetPainter

REST = 300
"""Milliseconds that the pointer rests on a swatch before it is heard."""


def likes_of(session: Session, to: Listed) -> tuple[list[Listed], dict[str, str]]:
    """Presets of all banks that sound like one, the nearest first, and for each sound in a few words how it differs."""
    measured = session.shelf.figures.of_row(to)
    if measured is None:
        return [], {}
    nearest = session.shelf.figures.like(to.key)
    rows: dict[str, list[Listed]] = {}
    for row in session.shelf.catalogue.of_sounds([key for _, key in nearest]):
        rows.setdefault(row.key, []).append(row)
    listed, why = list[Listed](), dict[str, str]()
    for far, key in nearest:
        other = session.shelf.figures.index.get(key)
        if key not in rows or other is None:
            continue
        listed += rows[key]
        why[key] = f"{reason(measured.features, other.features)} · {number(far, 2)} away"
    return listed, why


class Hover(QObject):
    """Plays the preview of the preset on whose swatch the pointer rests, as long as it does and no phrase plays."""

    def __init__(self, view: QListView, session: Session) -> None:
        super().__init__(view)
        self.view, self.session = view, session
        self.sounding = ""
        self._at = QModelIndex()
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._play)
        view.viewport().setMouseTracking(True)
        view.viewport().installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QMouseEvent) and event.type() == QEvent.Type.MouseMove:
            self._over(event.position().toPoint() if not event.buttons().value else QPoint(-1, -1))
        elif event.type() in (QEvent.Type.Leave, QEvent.Type.MouseButtonPress, QEvent.Type.Wheel, QEvent.Type.Hide):
            self._over(QPoint(-1, -1))
        return False

    def _over(self, place: QPoint) -> None:
        index = self.view.indexAt(place)
        if index.isValid():
            left, wide = PresetPainter.columns(self.view.visualRect(index).width() - 2)["swatch"]
            if not left <= place.x() <= left + wide:
                index = QModelIndex()
        if index == self._at:
            return
        self._at = index
        self._rest.stop()
        self.stop()
        if index.isValid():
            self._rest.start()

    def _play(self) -> None:
        row = self.view.model().presets[self._at.row()] if self._at.isValid() else None  # type: ignore[attr-defined]
        if row is None or not row.key or self.session.transport.playing or not self.session.settings.now.hover:
            return
        patch = self.session.presets.stored_at(row.bank, row.id)
        path = self.session.shelf.figures.preview(patch) if patch is not None else None
        if path is not None:
            self.sounding = row.key
            self.session.link.tell(Listen(str(path), levelled=False))

    def stop(self) -> None:
        """Ends what is heard."""
        if self.sounding:
            self.sounding = ""
            self.session.link.tell(Listen(""))
