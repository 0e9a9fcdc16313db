"""The sheet of phrases: one's own are recorded, taken from files, and edited in the roll."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.live.link.messages import EndTaking, NotesTaken, TakeNotes
from felt_dial.live.midi.midi_file import write_phrase_as_midi
from felt_dial.patch.phrase import LONGEST_NAME, Phrase, of_length, quantised, trimmed, whole_bars
from felt_dial.session.phrasing import add_phrase, put_phrase, read_phrase_file
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame, PatchChanged, TransportMoved
from felt_dial.ui.dials.controls import NameEdit, Pill, set_text, text_label
from felt_dial.ui.dials.focus import take_what_is_written
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.frame.sheets import Sheet
from felt_dial.ui.pictures.roll import Roll
from felt_dial.ui.theme.words import counted, plain

GRIDS = {
    "1/4": 1.0,
    "1/8": 0.5,
    "1/8 triplet": 1 / 3,
    "1/16": 0.25,
    "1/16 triplet": 1 / 6,
    "1/32": 0.125,
    "no grid": 0.0,
}
HEARD = 220
"""Milliseconds for which a note is heard that was touched."""


class PhraseSheet(Sheet):
    """The phrase that is chosen, as notes; the first edit of one that comes with the program makes one's own of it."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Phrase")
        self.session = session
        self.taking = False
        head = QHBoxLayout()
        self.picker = Picker()
        self.picker.setAccessibleName("Phrase to be seen")
        self.picker.setMinimumWidth(190)
        self.picker.activated.connect(lambda n: session.transport.choose_phrase(self.picker.itemData(n)))
        self.name = NameEdit("", "value", self._rename)
        self.name.setAccessibleName("Name of the phrase")
        head.addWidget(self.picker)
        head.addWidget(text_label("Name"))
        head.addWidget(self.name, 1)
        self.give = Pill("Keep with the preset", "small", self.give_to_patch, "")
        head.addWidget(self.give)
        self.body.addLayout(head)
        self.roll = Roll(session)
        self.roll.edited.connect(self._edited)
        self.roll.heard.connect(self._hear)
        self.body.addWidget(self.roll, 1)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.record = Pill(
            "Record", "pill", self.toggle_recording, "Takes down what you play, after a bar of counting in"
        )
        self.record.setCheckable(True)
        self.record.setFixedWidth(self.record.sizeHint().width() + 4)  # the row stays where it is while it says End
        self.grid = Picker()
        self.grid.setAccessibleName("Grid")
        self.grid.setToolTip("Notes that are moved or added keep to it; Alt while dragging leaves it aside")
        for name, step in GRIDS.items():
            self.grid.addItem(name, step)
        self.grid.setCurrentIndex(list(GRIDS).index("1/16"))
        self.grid.activated.connect(lambda _: self._take_grid())
        row.addWidget(self.record)
        row.addWidget(text_label("Grid"))
        row.addWidget(self.grid)
        row.addWidget(Pill("Quantise", "small", self.quantise, "Begins every note, or those chosen, on the grid"))
        row.addWidget(
            Pill("Trim", "small", self.trim, "Takes away the silence before the first note and behind the last")
        )
        self.length = text_label("", "value")
        row.addWidget(Pill("−", "link", lambda: self.longer(-4), "A bar shorter: notes behind its end are left out"))
        row.addWidget(self.length)
        row.addWidget(Pill("+", "link", lambda: self.longer(4), "A bar longer"))
        row.addStretch()
        for text, act, tip in (
            ("New", self.new, "An empty phrase of one bar"),
            ("Duplicate", self.duplicate, "A copy of it, as one of your own"),
            ("From a file…", self.ask_file, "The notes of a MIDI file as a phrase"),
            ("To a file…", self.ask_target, "Writes its notes as a MIDI file"),
        ):
            row.addWidget(Pill(text, "small", act, tip))
        self.away = Pill("Delete", "small", self.delete, "Throws this phrase of yours away; undo brings it back")
        row.addWidget(self.away)
        self.body.addLayout(row)
        self.said = text_label("", "small")
        self.body.addWidget(self.said)
        self._quiet = QTimer(self, singleShot=True, interval=HEARD)
        self._quiet.timeout.connect(self._let_go)
        self._sounding = -1
        session.channel.watch(self._follow, TransportMoved)
        session.channel.watch(self._follow, PatchChanged)
        session.channel.hear(NotesTaken, self._taken)
        session.channel.watch(self._frame, Frame)

    def tall(self, wide: int) -> int:
        """As high as the page lets it be."""
        parent = self.parentWidget()
        return max(super().tall(wide), min((parent.height() if parent else 600) - 100, 470))

    def open(self) -> None:
        """Shows the phrase that is chosen, and those that other windows kept meanwhile."""
        self.session.shelf.phrases.read()
        self.show_phrase()
        super().open()
        self.roll.setFocus()

    def put_away(self) -> None:
        """Closes the sheet; what is being taken down ends."""
        if self.taking:
            self.toggle_recording()
        super().put_away()

    def _follow(self) -> None:
        if self.isVisible():
            self.show_phrase()

    def show_phrase(self) -> None:
        """The phrase that is chosen, as it is now."""
        session, phrase = self.session, self.session.transport.phrase_now
        if self.roll.phrase.id != phrase.id and self.name.hasFocus():
            take_what_is_written(self.name)  # about the one that was shown
            session.transport.phrase = phrase.id
        names = {key: one.name for key, one in session.shelf.phrases.all().items()}
        if {self.picker.itemData(n): self.picker.itemText(n) for n in range(self.picker.count())} != names:
            self.picker.clear()
            for key, name in names.items():
                self.picker.addItem(name, key)
        self.picker.setCurrentIndex(self.picker.findData(phrase.id))
        self.name.show_name(phrase.name)
        if self.roll.phrase != phrase:
            self.roll.show_phrase(phrase)
        own = session.shelf.phrases.is_own(phrase.id)
        self.away.setEnabled(own)
        bars, rest = divmod(phrase.beats, 4.0)
        set_text(self.length, counted(round(bars), "bar") if not rest else f"{phrase.beats:g} beats")
        set_text(self.give, "Kept with the preset ✓" if self.given else "Keep with the preset")
        self.give.setToolTip(
            plain(
                f"{session.patch.name} is heard and measured with this phrase: a click gives it that of its kind again"
                if self.given
                else f"{session.patch.name} is heard and measured with this phrase from now on"
            )
        )
        if not self.taking:
            whose = "one of your own" if own else "an edit makes one of your own of it"
            set_text(self.said, f"{counted(len(phrase.notes), 'note')} · {whose}")

    # --- what is done --------------------------------------------------------------------------

    def _put(self, phrase: Phrase, says: str) -> bool:
        """Keeps a phrase, as an edit of one's own, or as a new one where it came with the program."""
        session, before = self.session, self.roll.phrase
        if session.shelf.phrases.is_own(before.id):
            return put_phrase(session, before, replace(phrase, id=before.id), says)
        name = phrase.name if phrase.name != before.name else f"{before.name[: LONGEST_NAME - 6]}, mine"
        made = replace(phrase, name=name, id=session.shelf.phrases.new_id(name))
        done = put_phrase(session, None, made, says)
        if done:
            session.say(f"“{before.name}” stays as it came; “{name}” is one of your own.")
        return done

    def _edited(self, phrase: Phrase, says: str) -> None:
        self._put(phrase, says)
        self.show_phrase()

    def _rename(self, name: str) -> None:
        name = name.strip()[:LONGEST_NAME]
        if name and name != self.roll.phrase.name:
            self._put(replace(self.roll.phrase, name=name), f"call the phrase {name}")
        self.show_phrase()

    def _take_grid(self) -> None:
        self.roll.grid = float(self.grid.currentData())
        self.roll.update()

    def quantise(self) -> None:
        """Begins every note on the grid, or those that are chosen."""
        phrase, chosen = self.roll.phrase, self.roll.chosen
        step = float(self.grid.currentData())
        if not step:
            self.session.say("There is no grid to bring the notes to: choose one beside it.")
            return
        made = quantised(phrase, step)
        if chosen:
            these = replace(phrase, notes=tuple(note for n, note in enumerate(phrase.notes) if n in chosen))
            rest = tuple(note for n, note in enumerate(phrase.notes) if n not in chosen)
            made = replace(phrase, notes=tuple(sorted({*rest, *quantised(these, step).notes})))
        self._edited(made, f"quantise to {self.grid.currentText()}")

    def trim(self) -> None:
        """Takes the silence away around the notes."""
        self._edited(trimmed(self.roll.phrase), "trim the phrase")

    def longer(self, beats: float) -> None:
        """Makes it longer or shorter, by whole bars."""
        phrase = self.roll.phrase
        wanted = (
            max(whole_bars(phrase.beats) + beats, 4.0)
            if phrase.beats % 4 == 0 or beats > 0
            else whole_bars(phrase.beats) - 4
        )
        self._edited(of_length(phrase, max(wanted, 4.0)), "change the length of the phrase")

    def new(self) -> None:
        """An empty phrase of one's own."""
        name = "New phrase"
        made = Phrase(self.session.shelf.phrases.new_id(name), name, 4.0, ())
        put_phrase(self.session, None, made, "make a phrase")
        self.show_phrase()

    def duplicate(self) -> None:
        """A copy, as one's own."""
        phrase = self.session.transport.phrase_now
        name = f"{phrase.name[: LONGEST_NAME - 5]} copy"
        put_phrase(
            self.session,
            None,
            replace(phrase, name=name, id=self.session.shelf.phrases.new_id(name)),
            f"copy {phrase.name}",
        )
        self.show_phrase()

    def delete(self) -> None:
        """Throws one's own away."""
        phrase = self.session.transport.phrase_now
        if self.session.shelf.phrases.is_own(phrase.id):
            put_phrase(self.session, phrase, None, f"throw the phrase {phrase.name} away")
            self.show_phrase()

    @property
    def given(self) -> bool:
        """Whether the sound on the table keeps this phrase, under whatever name."""
        kept, phrase = self.session.patch.phrase, self.session.transport.phrase_now
        return kept is not None and (kept.notes, kept.beats) == (phrase.notes, phrase.beats)

    def give_to_patch(self) -> None:
        """Keeps the phrase with the sound on the table, or lets it have that of its kind again."""
        session, given = self.session, self.given
        says = f"{'let go of' if given else 'keep'} the phrase of {session.patch.name}"
        session.editor.edit(
            session.patch.model_copy(update={"phrase": None if given else session.transport.phrase_now}), says
        )
        self.show_phrase()

    def ask_file(self) -> None:
        """Asks for a MIDI file."""
        path, _ = QFileDialog.getOpenFileName(self, "A phrase from a file", "", "MIDI files (*.mid *.midi)")
        if path:
            self.take_file(Path(path))

    def take_file(self, path: Path) -> None:
        """The notes of a MIDI file as a phrase of one's own."""

        def then(phrase: Phrase) -> None:
            add_phrase(self.session, phrase, f"take the phrase {phrase.name} in")
            self.show_phrase()

        read_phrase_file(self.session, path, then)

    def ask_target(self) -> None:
        """Asks where to write a MIDI file."""
        name = self.session.transport.phrase_now.name
        path, _ = QFileDialog.getSaveFileName(self, "The phrase as a file", f"{name}.mid", "MIDI files (*.mid)")
        if path:
            try:
                write_phrase_as_midi(self.session.transport.phrase_now, float(self.session.patch.tempo), Path(path))
            except FeltDialError as wrong:
                self.session.say(str(wrong), problem=True)
                return
            self.session.say(f"Wrote {Path(path).name}.")

    # --- recording and hearing -----------------------------------------------------------------

    def toggle_recording(self) -> None:
        """Begins to take down what is played, or ends it."""
        self.taking = not self.taking
        self.record.setChecked(self.taking)
        if self.taking:
            if self.session.transport.playing:
                self.session.transport.play(False)
            self.session.link.tell(TakeNotes(4.0, True))
            set_text(self.record, "End")
        else:
            set_text(self.record, "Record")
            self.session.link.tell(EndTaking())
            self.show_phrase()

    def _taken(self, taken: NotesTaken) -> None:
        notes = taken.notes
        if not notes:
            self.session.say("Nothing was played, so nothing was taken down.")
            return
        made = Phrase("", "Played", whole_bars(max(note.at for note in notes) + 1e-3), notes)
        if add_phrase(self.session, made, "take down what was played"):
            self.session.say(
                f"{counted(len(notes), 'note')} taken down. Quantise brings them to the grid; undo throws them away."
            )
        self.show_phrase()

    def _frame(self) -> None:
        if self.taking and self.isVisible():
            at = float(self.session.link.shared.data["position"])
            count = f"counting in: {int(4 + at) + 1}" if at < 0 else f"bar {int(at // 4) + 1}, beat {int(at % 4) + 1}"
            set_text(self.said, f"Taking down what you play, {count}")

    def _hear(self, key: int, velocity: int) -> None:
        self._let_go()
        self._sounding = key
        self.session.transport.note_on(key, velocity / 127)
        self._quiet.start()

    def _let_go(self) -> None:
        if self._sounding >= 0:
            self.session.link.note_off(self._sounding)
            self._sounding = -1
