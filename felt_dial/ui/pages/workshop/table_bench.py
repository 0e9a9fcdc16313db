"""The wavetable bench: frames as a stack, one under the pen, key frames, mending, reshaping; and tables from recordings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QSizePolicy, QStackedLayout, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.patch.units import note_name, number
from felt_dial.session.session import Session
from felt_dial.ui.benches.table import TableWork
from felt_dial.ui.dials.cards import Plate
from felt_dial.ui.dials.controls import MenuPill, Pill, set_text, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.pages.workshop.from_recording import FromRecording
from felt_dial.ui.pictures.table_bench import Amounts, Bars, Pen, Stack, Strip
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import Empty
from felt_dial.workshop.table import cycles, recipe
from felt_dial.workshop.table.between import BETWEEN
from felt_dial.workshop.table.mending import MENDS, Mend
from felt_dial.workshop.table.reshaping import RESHAPINGS
from felt_dial.workshop.table.scores import scores_of

SIZES = (1, 2, 4, 8, 16, 32, 64, 128, 256)
PARTS = (25, 50, 75, 100)


class ScoreRow(QWidget):
    """One score: its name, a bar, its figure; red only where it is heard."""

    def __init__(self, name: str, tip: str) -> None:
        super().__init__()
        self.setToolTip(tip)
        self.part, self.bad = 0.0, False
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        label = text_label(name, "small")
        label.setFixedWidth(94)
        row.addWidget(label)
        row.addStretch(1)
        self.figure = text_label("", "value")
        self.figure.setFixedWidth(52)
        self.figure.setAlignment(Qt.AlignmentFlag.AlignRight)
        row.addWidget(self.figure)
        self.setFixedHeight(19)

    def show_score(self, text: str, part: float, bad: bool) -> None:
        """Another figure, with the part of the bar that is filled."""
        set_text(self.figure, text)
        if (part, bad) != (self.part, self.bad):
            self.part, self.bad = part, bad
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        room = QRectF(98, 7, max(self.width() - 98 - 58, 10), 6)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(room, 3, 3)
        painter.setBrush(colour("problem") if self.bad else dye("lichen"))
        painter.drawRoundedRect(QRectF(room.left(), room.top(), max(room.width() * min(self.part, 1.0), 3), 6), 3, 3)


class TableBench(QWidget):
    """All of the wavetable bench."""

    says = "Draw, key and mend the table that a layer plays, or make one from a recording"

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.work = work = TableWork(session)
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(12)
        self.main = QWidget()
        self.left = QStackedLayout(self.main)
        outer.addWidget(self.main, 1)
        self.left.addWidget(self._empty())
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.left.addWidget(body)
        top = QHBoxLayout()
        top.setSpacing(8)
        column.addLayout(top, 1)
        card, inner = Plate.with_box()
        self.stack = Stack(work)
        inner.addWidget(self.stack, 1)
        inner.addWidget(
            text_label("drag up and down to walk through the frames; the bead is where the layer reads now", "small")
        )
        top.addWidget(card, 1)
        top.addWidget(self._frame(), 1)
        column.addWidget(self._strip())
        column.addWidget(self._mending())
        self.source = FromRecording(session, work)
        self.side = self.source
        outer.addWidget(self.side)
        self._scored: object = None
        work.changed.connect(self._follow)
        self._follow()

    def opened(self, seen: bool) -> None:
        """It is shown now, or put away."""

    def about(self) -> str:
        """What lies here, in a few words."""
        made = self.work.recipe
        if made is None:
            return "no layer plays a table" if not self.work.layer else "no table yet"
        count = f"{made.count} frame{'s' * (made.count != 1)} of {cycles.CYCLE}"
        keys = "each one keyed" if len(made.keys) == made.count else f"{len(made.keys)} key frames"
        came = f" · from {made.came['name']}" if made.came.get("name") else ""
        return f"{count}, {keys}{came} · layer {self.work.layer.upper()} plays it"

    def _empty(self) -> QWidget:
        made = Empty(
            "No layer of this patch plays a table. Begin a new one here, or take one from a recording on the right."
        )
        holder = QWidget()
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(made, 1)
        row = QHBoxLayout()
        row.addStretch()
        row.addWidget(Pill("New table", "pill", self.work.new, "Adds a layer that plays a table of one sine"))
        row.addStretch()
        box.addLayout(row)
        return holder

    # --- the frame under the hand --------------------------------------------------------------

    def _frame(self) -> QWidget:
        card, inner = Plate.with_box()
        row = QHBoxLayout()
        row.setSpacing(4)
        self.frame_name = text_label("Frame 1", "name")
        row.addWidget(self.frame_name)
        self.keyed = Pill(
            "Key frame",
            "small",
            self._toggle_key,
            "Keeps this frame as it is; what lies between key frames is worked out",
        )
        self.keyed.setCheckable(True)
        row.addWidget(self.keyed)
        row.addStretch()
        self.tools = {}
        for tool, name, tip in (
            ("draw", "Draw", "Draw freely over the frame"),
            ("line", "Line", "Draw straight lines over the frame"),
        ):
            pill = Pill(name, "small", partial(self._tool, tool), tip)
            pill.setCheckable(True)
            self.tools[tool] = pill
            row.addWidget(pill)
        self.harmonics = MenuPill("Harmonics…", "Ready moves for all harmonics of the frame", self._harmonics_menu)
        self.mix = MenuPill("Mix…", "Another shape, or another frame, in place of this one or mixed in", self._mix_menu)
        row.addWidget(self.harmonics)
        row.addWidget(self.mix)
        row.addWidget(Pill("Smooth", "small", self._smooth, "Rounds the corners of the chosen frames a little"))
        inner.addLayout(row)
        self.pen = Pen(self.work)
        self.bars = Bars(self.work)
        inner.addWidget(self.pen, 5)
        inner.addWidget(self.bars, 3)
        self._tool("draw")
        return card

    def _tool(self, tool: str) -> None:
        self.pen.tool = tool
        for name, pill in self.tools.items():
            pill.setChecked(name == tool)

    def _toggle_key(self) -> None:
        made = self.work.recipe
        if made is None:
            return
        frame, on = self.work.frame, self.work.frame not in made.places()
        if not on and frame in (0, made.count - 1):
            self.session.say("The first and the last frame are always key frames.")
            self._follow()
            return
        says = f"key frame {frame + 1}" if on else f"let key frame {frame + 1} go"
        self.work.edit(lambda r: recipe.keyed(r, frame, on), says)

    def _on_chosen(self, act: Callable[[cycles.Floats], cycles.Floats], says: str) -> None:
        """Does something to every chosen frame; they are keyed from then on."""
        chosen = self.work.chosen
        plain = self.work.plain()

        def make(made: recipe.TableRecipe) -> recipe.TableRecipe:
            for n in chosen:
                made = recipe.with_cycle(made, n, act(plain[n]))
            return made

        self.work.edit(make, says)

    def _smooth(self) -> None:
        self._on_chosen(cycles.smoothed, "smooth")

    def _harmonics_menu(self) -> QMenu:
        menu = QMenu(self)
        for name, act in cycles.MOVES.values():
            menu.addAction(name, partial(self._on_chosen, act, f"harmonics: {name.lower()}"))
        return menu

    def _mix_menu(self) -> QMenu:
        menu = QMenu(self)
        others = {name: cycle for name, cycle in cycles.SHAPES.values()}
        made = self.work.recipe
        if made is not None and made.count > 1:
            plain = self.work.plain()
            others |= {
                f"Frame {n + 1}": plain[n]
                for n in sorted({0, made.count - 1, *made.places()[:12]})
                if n != self.work.frame
            }
        for name, cycle in others.items():
            part_menu = menu.addMenu(name)
            for part in PARTS:
                words = "in its place" if part == 100 else f"{part} %"
                act = partial(
                    cycles.mixed, other=0.95 * cycle if name in dict(cycles.SHAPES.values()) else cycle, part=part / 100
                )
                part_menu.addAction(words, partial(self._on_chosen, act, f"mix {name.lower()} {part} %"))
        return menu

    # --- the strip -----------------------------------------------------------------------------

    def _strip(self) -> QWidget:
        card, inner = Plate.with_box()
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(text_label("Frames"))
        for name, act, tip in (
            ("Insert", self._insert, "One more frame behind this one, like it"),
            ("Duplicate", self._duplicate, "The chosen frames once more, each behind itself"),
            ("Delete", self._delete, "Leaves out the chosen frames"),
            ("Delete from here", self._delete_from, "Leaves out this frame and all behind it"),
            ("Reverse", self._reverse, "The last frame first"),
            ("Copy", self._copy, "Copies the chosen frames, to be pasted into this table or another"),
            ("Paste", self._paste, "The copied frames behind this one"),
        ):
            row.addWidget(Pill(name, "small", act, tip))
        self.count = MenuPill(
            "Frames: 64…", "How many frames the key frames are spread over, or only some of them kept", self._count_menu
        )
        row.addWidget(self.count)
        row.addStretch()
        row.addWidget(text_label("between key frames"))
        self.between = {}
        for kind, (name, says, _) in BETWEEN.items():
            pill = Pill(name, "small", partial(self._between, kind), f"What lies between key frames: {says}")
            pill.setCheckable(True)
            self.between[kind] = pill
            row.addWidget(pill)
        inner.addLayout(row)
        self.strip = Strip(self.work)
        inner.addWidget(self.strip)
        inner.addWidget(
            text_label(
                "a dot on the thread is a key frame; what lies between is worked out again whenever one changes",
                "small",
            )
        )
        return card

    def _insert(self) -> None:
        frame = self.work.frame
        plain = self.work.plain()[frame]
        self.work.edit(
            lambda r: recipe.inserted(r, frame, [plain]), f"insert a frame after {frame + 1}", frame=frame + 1
        )

    def _duplicate(self) -> None:
        chosen = self.work.chosen
        self.work.edit(lambda r: recipe.duplicated(r, chosen), f"duplicate {_said(chosen)}")

    def _delete(self) -> None:
        chosen = self.work.chosen
        self.work.edit(lambda r: recipe.deleted(r, chosen), f"delete {_said(chosen)}", frame=max(chosen[0] - 1, 0))

    def _delete_from(self) -> None:
        frame = self.work.frame
        self.work.edit(
            lambda r: recipe.deleted(r, range(frame, r.count)),
            f"delete from frame {frame + 1}",
            frame=max(frame - 1, 0),
        )

    def _reverse(self) -> None:
        self.work.edit(recipe.reversed_frames, "reverse the table")

    def _copy(self) -> None:
        self.session.editor.clipboard.put("frame", self.work.plain()[list(self.work.chosen)])
        self.session.say(f"Copied {_said(self.work.chosen)}.")

    def _paste(self) -> None:
        try:
            frames = self.session.editor.clipboard.take("frame", np.ndarray)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        frame = self.work.frame
        says = f"paste {len(frames)} frame{'s' * (len(frames) != 1)}"
        self.work.edit(lambda r: recipe.inserted(r, frame, frames), says, frame=frame + 1)

    def _count_menu(self) -> QMenu:
        menu = QMenu(self)
        for size in SIZES:
            menu.addAction(f"Spread over {size} frame{'s' * (size != 1)}", partial(self._resize, size))
        menu.addSeparator()
        for every, word in ((2, "second"), (3, "third"), (4, "fourth"), (6, "sixth"), (8, "eighth"), (16, "sixteenth")):
            menu.addAction(f"Key only every {word} frame", partial(self._thin, every))
        menu.addSeparator()
        menu.addAction("New table, one sine", self.work.new)
        return menu

    def _resize(self, count: int) -> None:
        self.work.edit(lambda r: recipe.resized(r, count), f"spread over {count} frames")

    def _thin(self, every: int) -> None:
        self.work.edit(lambda r: recipe.thinned(r, every), f"key every {every}th frame")

    def _between(self, kind: str) -> None:
        self.work.edit(lambda r: replace(r, between=kind), f"between key frames: {BETWEEN[kind][0].lower()}")
        self._follow()

    # --- mending, reshaping, scores ------------------------------------------------------------

    def _mending(self) -> QWidget:
        card, inner = Plate.with_box()
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(text_label("Mend", "value"))
        row.addSpacing(8)
        for mend in MENDS.values():
            row.addWidget(Pill(mend.name, "small", partial(self._mend, mend), mend.says))
        row.addStretch()
        inner.addLayout(row)
        below = QHBoxLayout()
        below.setSpacing(14)
        left = QVBoxLayout()
        line = QHBoxLayout()
        line.addWidget(text_label("Reshape along the table", "value"))
        self.reshape = Picker()
        for kind, how in RESHAPINGS.items():
            self.reshape.addItem(how.name, kind)
            self.reshape.setItemData(self.reshape.count() - 1, how.says, Qt.ItemDataRole.ToolTipRole)
        self.reshape.setAccessibleName("What is done to each frame")
        self.reshape.activated.connect(lambda n: self._reshape(self.reshape.itemData(n)))
        line.addWidget(self.reshape)
        line.addStretch()
        left.addLayout(line)
        self.reshape_says: QLabel = text_label("", "small")
        left.addWidget(self.reshape_says)
        left.addStretch()
        below.addLayout(left)
        self.amounts = Amounts(self.work)
        self.amounts.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        below.addWidget(self.amounts, 1)
        scores = QVBoxLayout()
        scores.setSpacing(0)
        self.scores = {
            "jump": ScoreRow(
                "edge jump", "The worst step from the end of a cycle to its beginning, beyond the steps beside it"
            ),
            "dc": ScoreRow("DC", "The most that stands still in a frame"),
            "spread": ScoreRow("level spread", "From the quietest frame to the loudest"),
            "key": ScoreRow(
                "highest full key", "Up to this key every harmonic is heard; above it the upper ones are left out"
            ),
        }
        for score in self.scores.values():
            scores.addWidget(score)
        holder = QWidget()
        holder.setLayout(scores)
        scores.setContentsMargins(0, 0, 0, 0)
        holder.setFixedWidth(240)
        below.addWidget(holder)
        inner.addLayout(below)
        return card

    def _mend(self, mend: Mend) -> None:
        self.work.edit(lambda r: recipe.mended(r, mend), mend.name.lower())

    def _reshape(self, kind: str) -> None:
        made = self.work.recipe
        if made is None:
            return
        low = -1.0 if RESHAPINGS[kind].both else 0.0
        keys = tuple(replace(key, amount=max(key.amount, low)) for key in made.keys)
        self.work.edit(lambda r: replace(r, reshape=kind, keys=keys), f"reshape: {RESHAPINGS[kind].name.lower()}")

    # --- following -----------------------------------------------------------------------------

    def _follow(self) -> None:
        made = self.work.recipe
        self.left.setCurrentIndex(0 if made is None else 1)
        if made is None:
            return
        frame = self.work.frame
        set_text(self.frame_name, f"Frame {frame + 1}")
        self.keyed.setChecked(frame in made.places())
        set_text(self.count, f"Frames: {made.count}…")
        for kind, pill in self.between.items():
            pill.setChecked(kind == made.between)
        self.reshape.setCurrentIndex(self.reshape.findData(made.reshape))
        set_text(self.reshape_says, _folded(RESHAPINGS[made.reshape].says))
        if made != self._scored and self.work.draft is None:
            self._scored = made
            self._score()

    def _score(self) -> None:
        found = scores_of(self.work.frames().astype(np.float64))
        percent = [f"{100 * value:.1f} %" for value in (found.jump, found.dc)]
        self.scores["jump"].show_score(percent[0], found.jump / 0.2, found.jump > 0.05)
        self.scores["dc"].show_score(percent[1], found.dc / 0.2, found.dc > 0.05)
        self.scores["spread"].show_score(f"{number(found.spread, 1)} dB", found.spread / 24, False)
        self.scores["key"].show_score(note_name(found.key), found.key / 127, False)


def _said(frames: tuple[int, ...]) -> str:
    return f"frame {frames[0] + 1}" if len(frames) == 1 else f"{len(frames)} frames"


def _folded(text: str) -> str:
    """A short sentence on two lines."""
    words = text.split()
    for n in range(1, len(words)):
        if len(" ".join(words[:n])) > len(text) / 2:
            return " ".join(words[:n]) + "\n" + " ".join(words[n:])
    return text
