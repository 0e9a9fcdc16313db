"""Program: a patch made ready to sound.

Building allocates everything and happens off the audio path; `block` then arranges kernels and
allocates nothing that grows.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch, drawings, slots
from felt_dial.sound.compiling.plan import At, Listed
from felt_dial.sound.control.core.layout import make_modulation
from felt_dial.sound.control.core.records import BEND_SLOT, GLOBAL, PEDAL_SLOT, WHEEL_SLOT
from felt_dial.sound.control.follow import BEFORE_RACK, FIRST_LAYER, OUT
from felt_dial.sound.control.kernels.core.run import enter_modulation
from felt_dial.sound.engine.arranging import Arranger, Numbers
from felt_dial.sound.engine.building import Built
from felt_dial.sound.engine.kernels.mix import SILENCE
from felt_dial.sound.engine.layer_voice import LayerVoice
from felt_dial.sound.engine.output_stage import RACK2
from felt_dial.sound.engine.running_module import RunningModule
from felt_dial.sound.playing.allocator import VoiceAllocator
from felt_dial.sound.playing.events import BEND, ON, PEDAL, SUSTAIN, TEMPO, WHEEL, Event
from felt_dial.sound.playing.pattern_player import PatternPlayer
from felt_dial.sound.playing.voices import Voices
from felt_dial.sound.sizes import BLOCK, ROWS, TICK


def patch_values(patch: Patch) -> NDArray[np.float64]:
    """Every parameter's value as the engine keeps it, then every drawing; float64 (number,)."""
    found = [slot.param.encode(slot.value) for slot in slots(patch)]
    for drawing in drawings(patch):
        found += drawing.drawn.numbers(drawing.value)
    return np.array(found)


@dataclass
class Report:
    """What a block has to say besides its sound: peaks before the ceiling, and modules that gave no number."""

    left: float = 0.0
    right: float = 0.0
    broken: list[str] = field(default_factory=list)


class Program:
    """One patch, sounding.

    Parameters
    ----------
    patch : Patch
    rate : float
        Frames per second of the output.
    frames : int
        Frames of a block, a multiple of 16.
    quality : 1, 2, 4 or 8
        Voices run at `quality` times the rate and come down through half-band filters.
    values : float64 (number,), optional
        Where to read the values of every block; the patch's own, `Program.values`, where nothing is given.
    holds : function, optional
        Whether what was just read there are its values still. Where they are not, the last ones stay.
    """

    def __init__(
        self,
        patch: Patch,
        rate: float = 48000.0,
        frames: int = BLOCK,
        quality: int = 1,
        values: NDArray[np.float64] | None = None,
        holds: Callable[[], bool] = lambda: True,
    ) -> None:
        self.patch, self.rate, self.frames, self.quality = patch, float(rate), frames, quality
        self.values = patch_values(patch)
        self._given, self._holds = self.values if values is None else values[: len(self.values)], holds
        self.values[:] = self._given
        ticks = frames // TICK
        self.modulation, self.layout = make_modulation(patch, self.values, ticks, self.rate)
        self.at, self.movers = self.layout.at, self.layout.movers
        self.count = len(self.at)
        self.whole = self.count + len(self.modulation.drawn)
        self.clock = 0
        self.clock_tempo = 0.0
        self.heard = np.zeros(FIRST_LAYER + len(patch.layers))
        self.target = self.modulation.slots["target"]
        self.current, self.led = self.modulation.slots["current"], self.modulation.slots["led"]
        self.voices = Voices()
        self.seconds = TICK / self.rate
        self.allocator = VoiceAllocator(patch, self.values, self.at, self.voices, ticks, self.seconds)
        drawn = self.layout.drawn["pattern.steps"]
        self.pattern = PatternPlayer(
            patch,
            self.values,
            self.at,
            self.modulation.drawn[drawn : drawn + patch.pattern.drawings["steps"].room],
            self.allocator.chooses,
        )
        self.report = Report()
        built = self.built = Built(patch, self.modulation, self.layout, self.voices, self.rate, frames, quality)
        self.layers, self.buses, self.output, self.room = built.layers, built.buses, built.output, built.room
        self.racks, self.grains = built.output.racks, built.grains
        control = self.modulation.control
        self.moves = self.modulation.moves
        self.bend = control[control.shape[0] + BEND_SLOT]
        self.bent = np.zeros(ROWS)
        self.shaped = np.zeros((len(self.modulation.contours), ROWS), np.bool_)
        self.numbers, self._active = Numbers(), Listed(ROWS)
        self.arranger = Arranger(
            built,
            self.voices,
            self.numbers,
            self._active,
            self._given_to_modulation(),
            enter_modulation,
            {path: At(self.current, self.at[path]) for path in ("grains", "seed", "reference")},
            self.bend,
            (control[self.at["transpose"]], control[self.at["fine"]]),
            self.bent,
            self.heard[FIRST_LAYER:],
            self.rate,
            quality,
        )
        self.line = self.arranger.line
        for layer in self.layers:
            layer.peaks = self.heard[FIRST_LAYER + layer.place :][:1]
        self.out = self.output.out
        self.loudness_gain = self._output_gain()
        for layer, (share, _) in zip(self.layers, self._shares(), strict=True):
            layer.share, layer.goes = share, int(self.target[layer.out])
        for bus in self.buses:
            bus.goes = bus.places[int(self.target[bus.out])]
        self._seen = b""
        self._jumps = np.zeros(self.count, np.bool_)
        self._jumps[list(built.jumping)] = True
        self._stepped: list[RunningModule | LayerVoice] = []
        deciding = [slot for layer in self.layers for slot in (*layer.switches, layer.out, layer.order)]
        self._deciding = np.array([*deciding, *[bus.out for bus in self.buses], self.at["rack2"]])
        self._decided = b""
        self._first: list[Event] = []
        self.arranger.prepare(self._shares())

    def _value(self, path: str) -> float:
        return float(self.current[self.at[path]])

    def _reach(self) -> float:
        """Semitones that a bend reaches: what the controller says, or the patch's own."""
        said = self.allocator.hands.reach
        return self._value("bend") if said is None else said

    @property
    def tempo(self) -> float:
        """Beats per minute: those of a clock from outside, or the patch's own."""
        return self.clock_tempo or float(self.target[self.at["tempo"]])

    def _output_gain(self) -> float:
        level = self._value("level")
        return float(10 ** (level / 20)) if level > SILENCE else 0.0

    def asked(self) -> bool:
        """Whether a value was set since the last block."""
        return self._given.tobytes() != self._seen and self._holds()

    def _read_values(self) -> None:
        """Takes over the values that were set since the last block."""
        seen = self._given.tobytes()
        if seen != self._seen and self._holds():
            self.values[:] = np.frombuffer(seen)
            for slot in np.flatnonzero((self.values[: self.count] != self.target[: self.count]) & self._jumps).tolist():
                part, row = self.built.jumping[slot]
                part.steps[row] = float(self.target[slot])
                self._stepped.append(part)
            self.target[: self.count] = self.values[: self.count]
            drawn = self.values[self.count : self.whole]
            self.built.redraw(self.target, drawn, self.modulation.drawn)
            self.modulation.drawn[:] = drawn
            self._seen = seen
            decided = self.target[self._deciding].tobytes()
            self.arranger.changed |= bool(self._stepped) or decided != self._decided
            self._decided = decided

    def set_anew(self) -> None:
        """In the next block every choice fades into itself, as if it had been set: what that needs is there from then on."""
        for slot, (part, row) in self.built.jumping.items():
            part.steps[row] = float(self.target[slot])
            self._stepped.append(part)
        self.arranger.changed = True

    def _shares(self) -> list[tuple[float, bool]]:
        """For every layer 1 where it is heard after on, mute and solo, else 0; and whether it is on."""
        target = self.target
        switches = [[target[slot] > 0.5 for slot in layer.switches] for layer in self.layers]
        solo = any(on and soloed for on, soloed, _ in switches)
        return [(1.0 if on and not mute and (soloed or not solo) else 0.0, on) for on, soloed, mute in switches]

    def _apply(self, event: Event) -> None:
        tick = min(event.frame // TICK, self.frames // TICK - 1)
        if event.kind == WHEEL:
            self._wheel(WHEEL_SLOT, event.value, tick)
        elif event.kind == BEND and event.channel == 0:
            self._wheel(BEND_SLOT, event.value, tick)
        else:
            if event.kind in (SUSTAIN, PEDAL):
                self._wheel(PEDAL_SLOT, event.value, tick)
            if event.kind != PEDAL:
                self.allocator.obey(event, tick)

    def _wheel(self, slot: int, value: float, tick: int) -> None:
        self.target[slot], self.modulation.slots["since"][slot] = value, tick

    def block(self, events: Iterable[Event] = ()) -> NDArray[np.float32]:
        """The next `frames` frames, float32 (2, frame); valid until the next call."""
        voices = self.voices
        report = self.report
        if report.broken:
            report.broken = []
        self._read_values()
        played = []
        for event in events:
            if event.kind == TEMPO:
                limits = self.patch.param_of("tempo")
                self.clock_tempo = min(max(event.value, limits.low), limits.high)
            else:
                played.append(event)
        voices.begin_block()
        self.allocator.begin_block()
        if voices.once.any():
            self._end_once()
        for event in self.pattern.block((*self._first, *played), self.frames, self.tempo, self.rate):
            self._apply(event)
        self._first = []
        self.allocator.end_block()
        if voices.stirred:
            self.settle()
        self.numbers.tell(self.tempo, self._reach(), voices.newest, voices.fresh, voices.last_up, self.clock)
        self.arranger.begin()
        self.clock += self.frames // TICK
        voices.stirred = bool(self.arranger.ended[0]) or (voices.stirred and voices.started())
        was, self.loudness_gain = self.loudness_gain, self._output_gain()
        self.output.gains[:] = was, self.loudness_gain
        self.arranger.run(self._shares)
        report.broken += self.arranger.mend()
        report.left, report.right = self.output.peaks.tolist()
        self.heard[BEFORE_RACK], self.heard[OUT] = self.output.before, max(report.left, report.right)
        while self._stepped:
            self._stepped.pop().steps.clear()
        return self.out

    def _given_to_modulation(self) -> tuple[Any, ...]:
        """What the modulation kernel is given: all that moves, and where it stands what is played."""
        voices, numbers = self.voices, self.numbers
        return (
            *self.modulation,
            *(self.heard, voices.touches, voices.key, voices.begin, voices.after, self._active, voices.held),
            *(voices.once, voices.release, voices.fade, voices.through, self.shaped, voices.finished),
            *(numbers.newest, numbers.fresh, numbers.last_up, numbers.tempo, numbers.clock, self.rate),
        )

    def modulation_arguments(self) -> tuple[Any, ...]:
        """The same for this block, as Python gives it to the kernel."""
        found = [one.array[one.item].item() if isinstance(one, At) else one for one in self._given_to_modulation()]
        return tuple(one.now if isinstance(one, Listed) else one for one in found)

    def settle(self) -> None:
        """Lists the rows that sound, for the patch and for every layer, and which contours shape them."""
        self.voices.settle()
        self.shaped.fill(False)
        for layer in self.layers:
            layer.settle(self.voices)
            self.shaped[np.searchsorted(self.modulation.contours, layer.contour), layer.rows] = True
        self._active.set(self.voices.active)
        self.arranger.settle()

    def _end_once(self) -> None:
        """Lets go of notes that ignore the key once all their samples have ended."""
        voices = self.voices
        ended = voices.once & voices.sounding
        for layer in self.layers:
            if cast(Source, layer.source.module).tells_end and not layer.idle:
                ended &= (layer.source.state.over > 0) | (layer.weight_now == 0.0)
        for row in np.flatnonzero(ended):
            voices.once[row] = False
            voices.let_go(int(row), 0)

    def strike_again(self, old: Program) -> None:
        """Begins the notes that another patch was holding."""
        self.take_wheels(old)
        keys = [(k.key, k.velocity) for k in old.pattern.now.held] or old.allocator.held_notes()
        self._first = [Event(0, ON, key, velocity) for key, velocity in keys]

    def take_wheels(self, old: Program) -> None:
        """Stands the wheels where they were."""
        for slot in (BEND_SLOT, WHEEL_SLOT, PEDAL_SLOT):
            self.target[slot] = old.target[slot]
            self.current[slot], self.led[slot] = old.current[slot], old.led[slot]

    @property
    def late(self) -> int:
        """Frames by which the sound comes out later than its notes: what looks ahead, and the ways between rates."""
        goes = [layer.goes for layer in self.layers] + [bus.goes for bus in self.buses]
        goes += [way.goes for also in self.built.sendings for way in also]
        return self.output.late(bool(self.target[self.at["rack2"]] < 0.5), RACK2 in goes)

    def running(self) -> list[RunningModule]:
        """Every module that processes audio, in order."""
        return self.built.running

    def beads(self) -> NDArray[np.float32]:
        """The value of every parameter at this moment: of the newest note, or of the patch; (slot,)."""
        row = self.voices.newest if self.voices.newest >= 0 else GLOBAL
        found: NDArray[np.float32] = self.modulation.control[: self.count, row, -1]
        return found
