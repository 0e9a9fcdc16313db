"""Recording from an input, or from the simulated microphone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from felt_dial.errors import FeltDialError
from felt_dial.live.engine.recorder import RATE, SIMULATED, Recorder, list_inputs, trimmed
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.units import COUNT, DECIBELS, SECONDS, number
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame
from felt_dial.sound.matter.audio_file import checked
from felt_dial.sound.matter.root import root_of, root_taken
from felt_dial.ui.benches.drafts import hear
from felt_dial.ui.benches.recording import RecordingWork
from felt_dial.ui.dials.controls import Meter, Pill, set_text, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.pages.workshop.parts.part import Part


class RecordPart(Part):
    """Recording from an input, or from the simulated microphone."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.recorder = Recorder()
        self.take: np.ndarray | None = None
        """What was recorded, until a layer plays it."""
        self.destroyed.connect(self.recorder.close)
        self.says = self.title("Record", "")
        self.input = Picker()
        self.input.setAccessibleName("What is recorded from")
        self.input.activated.connect(lambda _: self.listen())
        self.row(self.input)
        self.meter = Meter()
        self.column.addWidget(self.meter)
        self.count = PlainSlider(
            Param("count-in", 0, (0, 8), COUNT, whole=True, says="Beats that are heard before it begins; 0 for none")
        )
        self.threshold = PlainSlider(
            Param(
                "begins at",
                -80.0,
                (-80.0, -6.0),
                DECIBELS,
                says="It waits until something is as loud as that; -80 is any level",
            )
        )
        self.before = PlainSlider(
            Param(
                "from before", 0.1, (0.0, 2.0), SECONDS, taper=CUBIC, says="So much of what was just before is kept too"
            ),
            72,
        )
        for slider in (self.count, self.threshold, self.before):
            self.column.addWidget(slider)
        self.trim = Pill("Trim after", "small", None, "Leaves out silence before and after")
        self.trim.setCheckable(True)
        self.trim.setChecked(True)
        self.go = Pill("Record", "pill", self.toggle, "Begins to record, and ends it")
        self.drop = Pill("Discard", "link", self.throw_away, "Forgets what was recorded")
        self.drop.hide()
        self.row(self.trim, self.go, self.drop)
        self.column.addWidget(text_label("it becomes a new layer of this patch", "small"))
        self.column.addStretch()
        session.channel.watch(self._frame, Frame)

    def opened(self, seen: bool) -> None:
        """Listens while it is seen; whoever leaves while it records ends it, and what was recorded is kept."""
        if not seen:
            self.end_if_recording()
            self.recorder.close()
        elif self.recorder.state == "off":
            kept = self.input.currentData()
            self.input.clear()
            for one in list_inputs():
                self.input.addItem(one.name, one.id)
            self.input.setCurrentIndex(max(self.input.findData(kept), 0))
            self.listen()

    def listen(self) -> None:
        """Listens to the chosen input; what was recorded from another is kept."""
        self.end_if_recording()
        try:
            self.recorder.open(str(self.input.currentData() or SIMULATED))
        except FeltDialError as wrong:
            self.refuse(wrong)

    def toggle(self) -> None:
        """Begins to record, or ends it; what could not be kept is tried once more."""
        if self.take is not None:
            self.keep()
        elif self.recorder.state in ("idle", "off"):
            self.begin()
        else:
            self.end()

    def begin(self) -> None:
        """Begins to record."""
        beats = round(self.count.value)
        beat = 60.0 / float(self.session.patch.tempo)
        threshold = None if self.threshold.value < -79 else self.threshold.value
        try:
            if beats:
                hear(self.session, clicks(beats, beat), RATE)
            self.recorder.begin(beats * beat, threshold, self.before.value if not beats else 0.0)
        except FeltDialError as wrong:
            self.refuse(wrong)

    def end(self) -> None:
        """Ends it, and makes a layer of what was recorded; before anything was, it only waits no more."""
        self.take = self.recorder.stop()
        if self.take.shape[1]:
            self.keep()
        else:
            self.take = None

    def end_if_recording(self) -> None:
        """Ends it where something is being kept."""
        if self.recorder.state in ("on", "full"):
            self.end()

    def keep(self) -> None:
        """Makes a layer of what was recorded; where that cannot be, it waits here to be tried once more."""
        assert self.take is not None
        sound = trimmed(self.take) if self.trim.isChecked() else self.take
        try:
            audio = checked(sound, float(RATE), "What was recorded")
        except FeltDialError as wrong:
            self.take = None
            self.refuse(wrong)
            return
        names = {layer.source.gist() for layer in self.session.patch.layers.values()}
        name = next(n for n in (f"Take {k}" for k in range(1, 1000)) if n not in names)
        root = root_of(audio.sound, audio.rate)
        try:
            known = replace(audio, root=root.key if root.is_sure else None)
            asset = self.session.shelf.library.keep_audio(known, name, "own")
        except FeltDialError as wrong:
            self.refuse(wrong)
            return
        if self.work.new_sample(asset, root.key, f"record {name}", name):
            self.take = None
            heard = root_taken(root.key, root.is_sure)
            letter = self.work.layer.upper()
            self.session.say(f"Recorded {number(asset.seconds, 2)} s: layer {letter} plays it.{heard}")

    def throw_away(self) -> None:
        """Forgets what could not be kept."""
        self.take = None

    def _frame(self) -> None:
        if not self.isVisible():
            return
        state = self.recorder.state
        self.meter.show_peak(self.recorder.level())
        words = {"off": "", "idle": "listens", "count": "counts in …", "wait": "waits for something loud …"}
        says = words.get(state, f"records, {number(self.recorder.seconds, 1)} s")
        if state == "full":
            says = "10 min are recorded, the most that a sample may last"
        waits = self.take is not None
        if self.take is not None:
            says = f"{number(self.take.shape[1] / RATE, 2)} s wait to be kept"
        set_text(self.says, says)
        set_text(self.go, "Keep it" if waits else "Record" if state in ("off", "idle") else "End it")
        self.drop.setVisible(waits)


def clicks(beats: int, beat: float) -> np.ndarray:
    """A count-in, float32 (1, frames): a short tone on each beat, the first one higher."""
    made = np.zeros(int(beats * beat * RATE), np.float32)
    n = np.arange(int(0.03 * RATE))
    for k in range(beats):
        tone = 0.5 * np.sin(2 * np.pi * (1600 if k == 0 else 1100) * n / RATE) * np.exp(-n / (0.006 * RATE))
        at = int(k * beat * RATE)
        made[at : at + len(n)] = tone[: len(made) - at]
    return made[None]
