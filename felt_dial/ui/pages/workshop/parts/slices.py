"""Where something begins, and what is made of what lies between."""

from __future__ import annotations

from felt_dial.errors import FeltDialError
from felt_dial.patch.params import Param
from felt_dial.patch.units import PERCENT, note_name
from felt_dial.session.session import Session
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.ui.benches.recording import RecordingWork
from felt_dial.ui.dials.controls import Pill, set_text, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.pages.workshop.parts.part import Part
from felt_dial.workshop.recording.slices import onsets
from felt_dial.workshop.recording.spread import as_layers, by_key, in_slots

FIRST_KEY = 48


class SlicesPart(Part):
    """Where something begins, and slices over keys."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.says = self.title("Slices", "")
        self.sensitivity = PlainSlider(
            Param("sensitivity", 0.5, (0.0, 1.0), PERCENT, says="How small a beginning is found")
        )
        self.sensitivity.let_go.connect(lambda _: self.look())
        self.column.addWidget(self.sensitivity)
        self.row(
            Pill("Find", "small", self.look, "Looks for where something begins"),
            Pill("Add at the mark", "small", self.add, "One more slice, at the mark over the wave"),
            Pill("Forget them", "small", self.forget, "No slices"),
        )
        self.column.addWidget(text_label("drag them in the wave; double click there chooses one", "small"))
        self.first = Picker()
        for key in range(24, 85):
            self.first.addItem(note_name(key), key)
        self.first.setCurrentIndex(self.first.findData(FIRST_KEY))
        self.first.setAccessibleName("The key of the first slice")
        self.row(text_label("first on key", "small"), self.first)
        self.layers = Pill(
            "A layer for each", "small", self.to_layers, "Each slice becomes a layer on a key of its own"
        )
        self.keys = Pill("One layer, a slice a key", "small", self.to_keys, "The key says which slice this layer plays")
        self.row(self.layers, self.keys)
        self.column.addStretch()
        work.changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        count = len(self.work.slices)
        set_text(self.says, f"{count} found" if count else "beats and words, on keys of their own")
        for pill in (self.layers, self.keys):
            pill.setEnabled(count > 1)

    def look(self) -> None:
        """Looks for where something begins."""
        work, sound = self.work, self.work.sound
        if sound is None:
            return
        rate, sensitivity = work.rate, self.sensitivity.value

        def then(found: list[int]) -> None:
            self._put(tuple(found))

        work.latest.ask(
            lambda: work.helper.call(onsets, sound, rate, sensitivity), then, lambda says: self.session.say(says, True)
        )

    def _put(self, frames: tuple[int, ...]) -> None:
        self.work.slices = frames
        self.work.changed.emit()

    def add(self) -> None:
        """One more slice at the mark."""
        frame = round(self.work.snapped(self.work.cursor) * self.work.rate)
        self._put(tuple(sorted({*self.work.slices, frame})))

    def forget(self) -> None:
        """No slices."""
        self._put(())

    def to_layers(self) -> None:
        """Each slice becomes a layer."""
        work, first = self.work, int(self.first.currentData())
        if "track" not in work.source.params:
            self.session.say("Slices are played by a Sample: make the layer one first.", problem=True)
            return
        slices = list(work.slices)
        self.session.editor.try_edit(
            lambda: as_layers(self.session.patch, work.layer, slices, first), f"{len(slices)} slices as layers"
        )

    def to_keys(self) -> None:
        """One layer plays the slice of the key that is struck."""
        work, sound, first = self.work, self.work.sound, int(self.first.currentData())
        asset, slices, layer = work.asset, list(work.slices), work.layer
        if sound is None or asset is None:
            return
        if "track" not in work.source.params:
            self.session.say("Slices are played by a Sample: make the layer one first.", problem=True)
            return
        try:
            slots = self.session.shelf.library.keep_audio(
                Audio(in_slots(sound, work.rate, slices), work.rate), f"{asset.name}, slices"
            )
            slots = slots.model_copy(update={"rights": asset.rights, "terms": asset.terms})
            patch = by_key(self.session.patch, layer, slots, len(slices), first)
        except FeltDialError as wrong:
            self.refuse(wrong)
            return
        self.session.editor.edit(patch, f"{len(slices)} slices over keys")
        last = note_name(first + len(slices) - 1)
        self.session.say(f"Keys {note_name(first)} to {last} play a slice each.")
