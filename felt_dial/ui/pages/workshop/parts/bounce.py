"""What the patch plays becomes a recording."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.patch import put
from felt_dial.patch.phrase import Note, Phrase
from felt_dial.patch.units import COUNT, KEY, SECONDS, number
from felt_dial.session.jobs import Watch
from felt_dial.session.phrasing import read_phrase_file
from felt_dial.session.session import Session
from felt_dial.sound.modules import new_patch
from felt_dial.ui.benches.recording import RecordingWork
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.pages.workshop.parts.part import Part
from felt_dial.workshop.bouncing import Bounced, Bouncing

BOUNCE = "felt_dial.workshop.bounce:bounce"
"""Renders, and so is never imported by the window."""


class BouncePart(Part):
    """What sounds now, as a recording."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.midi: Phrase | None = None
        self.title("Bounce", "what sounds now, as a recording")
        self.what = Picker()
        for value, name in (("phrase", "The phrase"), ("note", "One note"), ("midi", "A MIDI file…")):
            self.what.addItem(name, value)
        self.what.setAccessibleName("What is played")
        self.what.activated.connect(self._what)
        self.racks = Picker()
        for racks, name in ((True, "With racks"), (False, "Without racks")):
            self.racks.addItem(name, racks)
        self.racks.setAccessibleName("With the effects of the racks, or without")
        self.row(self.what, self.racks)
        self.key = PlainSlider(Param("key", 60, (12, 108), KEY, whole=True, says="Which key is struck"))
        self.velocity = PlainSlider(Param("velocity", 100, (1, 127), COUNT, whole=True, says="How hard it is struck"))
        self.length = PlainSlider(Param("held", 1.0, (0.02, 20.0), SECONDS, taper=CUBIC, says="How long it is held"))
        for slider in (self.key, self.velocity, self.length):
            self.column.addWidget(slider)
        self.each = Pill("Each layer apart", "small", None, "One recording of each layer")
        self.each.setCheckable(True)
        self.row(self.each)
        self.column.addWidget(text_label("and then it becomes", "small"))
        self.to = Picker()
        for value, name in (
            ("layer", "a new layer here"),
            ("patch", "a new patch that starts from it"),
            ("library", "a recording in the library"),
        ):
            self.to.addItem(name, value)
        self.to.setAccessibleName("What becomes of it")
        self.row(self.to)
        self.row(Pill("Bounce", "pill", self.bounce, "Renders it at the quality of the settings"))
        self.column.addStretch()
        self._what(0)

    def _what(self, n: int) -> None:
        what = self.what.currentData()
        for slider in (self.key, self.velocity, self.length):
            slider.setEnabled(what == "note")
        if what == "midi" and n >= 0:
            self._ask_midi()

    def _ask_midi(self) -> None:
        from PySide6.QtWidgets import QFileDialog

        path, _ = QFileDialog.getOpenFileName(self, "A MIDI file", "", "MIDI files (*.mid *.midi)")
        self.midi = None
        if path:
            read_phrase_file(self.session, Path(path), self._take_midi)

    def _take_midi(self, phrase: Phrase) -> None:
        self.midi = phrase
        self.what.setItemText(2, phrase.name[:24])

    def notes(self) -> list[Note]:
        """The notes that are played; raises `FeltDialError`."""
        session, what = self.session, self.what.currentData()
        tempo = float(session.patch.tempo)
        if what == "note":
            return [Note(0.0, self.length.value, round(self.key.value), round(self.velocity.value))]
        if what == "midi":
            if self.midi is None:
                raise NoMidi("Choose a MIDI file first.")
            return self.midi.in_seconds(tempo)
        return session.transport.phrase_now.in_seconds(tempo)

    def bounce(self) -> None:
        """Renders what sounds now, beside the window."""
        session, helper = self.session, self.work.helper
        try:
            notes = tuple((n.start, n.length, n.key, n.velocity) for n in self.notes())
        except FeltDialError as wrong:
            self.refuse(wrong)
            return
        name = f"{session.patch.name} bounced"
        bouncing = Bouncing(
            notes, bool(self.racks.currentData()), self.each.isChecked(), session.settings.now.render_quality
        )
        document, folder = write_patch(session.patch), str(session.shelf.library.root / ".assets")
        to = str(self.to.currentData())

        def work(watch: Watch) -> list[Bounced]:
            made: list[Bounced] = helper.call_named(BOUNCE, document, bouncing, folder, name, watch=watch)
            return made

        session.jobs.start(f"Bouncing {session.patch.name}", work, partial(self.give, to))

    def give(self, to: str, made: list[Bounced]) -> None:
        """Puts what was bounced where it is wished."""
        session = self.session
        first = made[0]
        said = f"{number(first.asset.seconds, 2)} s" if len(made) == 1 else f"{len(made)} recordings"
        if to == "library":
            session.say(f"Bounced {said} into the library.")
        elif to == "patch":
            patch = new_patch()
            key = next(iter(patch.layers))
            source = type(self.work).sample_of(first.asset, first.root)
            patch = put(patch, ["layers", key], patch.layers[key].model_copy(update={"source": source}))
            about = {"name": first.asset.name, "tempo": session.patch.tempo}
            session.editor.open_patch(patch.model_copy(update=about), made=True)
            session.say(f"A new patch starts from what was bounced, {said}.")
        else:
            for one in made:
                if not self.work.new_sample(one.asset, one.root, f"bounce {one.asset.name}", one.asset.name):
                    return
            session.say(f"Bounced {said}: layer {self.work.layer.upper()} plays it.")


class NoMidi(FeltDialError):
    """No MIDI file was chosen."""
