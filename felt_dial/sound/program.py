"""Program: a patch made ready to sound.

Building allocates everything and happens off the audio path; `block` then arranges kernels and
allocates nothing that grows.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from time import perf_counter_ns
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module
from felt_dial.patch.patch import Layer, Patch, modules, slots
from felt_dial.sound import modules as _all_modules  # noqa: F401  (enters every module in its family)
from felt_dial.sound.control.movement import BEND_SLOT, GLOBAL, WHEEL_SLOT, make_motion, run_movement
from felt_dial.sound.kernel import ROWS, TICK, Stage, kernel_of
from felt_dial.sound.mix import (
    SILENCE,
    half_band,
    run_blend,
    run_halve,
    run_mix,
    run_output,
    run_pitch,
    sound_finite,
    voices_finite,
)
from felt_dial.sound.voices import BEND, OFF, ON, PANIC, WHEEL, Event, Voices

BLOCK = 256
CEILING = np.float32(1.0)
QUALITIES = (1, 2, 4, 8)


def patch_values(patch: Patch) -> NDArray[np.float64]:
    """Every parameter's value as the engine keeps it, float64 (slot,)."""
    return np.array([slot.param.encode(slot.value) for slot in slots(patch)])


@dataclass
class Placed:
    """A module at its place in the program."""

    path: str
    module: Module
    stage: Stage
    control: NDArray[np.float32]
    kernel: Any
    state: tuple[Any, ...] = ()
    cost: float = 0.0
    quiet: bool = False

    def __post_init__(self) -> None:
        self.reset()

    def reset(self) -> None:
        """State as after building."""
        self.state = self.module.prepare(self.stage)  # type: ignore[attr-defined]

    def spent(self, since: int) -> None:
        """Keeps a running mean of the nanoseconds one block takes."""
        self.cost += 0.05 * (perf_counter_ns() - since - self.cost)


@dataclass
class Strand:
    """A layer in the program: its source, its filter, and how it is mixed."""

    key: str
    source: Placed
    filter: Placed
    control: NDArray[np.float32]
    contour: int
    switches: tuple[int, ...]
    peak: float = 0.0


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
    values : float64 (slot,), optional
        Where to read the values of this block; the patch's own where nothing is given.
    """

    def __init__(
        self,
        patch: Patch,
        rate: float = 48000.0,
        frames: int = BLOCK,
        quality: int = 1,
        values: NDArray[np.float64] | None = None,
    ) -> None:
        self.patch, self.rate, self.frames, self.quality = patch, float(rate), frames, quality
        self.values = patch_values(patch) if values is None else values
        ticks = frames // TICK
        self.count = sum(1 for _ in slots(patch))
        self.motion, self.at, self.movers = make_motion(patch, self.values[: self.count], ticks)
        self.target = self.motion.slots["target"]
        self.current = self.motion.slots["current"]
        self.voices = Voices()
        self.report = Report()
        fine = Stage(self.rate * quality, frames * quality)
        plain = Stage(self.rate, frames)
        control = self.motion.control
        self.strands: list[Strand] = []
        self.effects: list[Placed] = []
        for path, module in modules(patch):
            steps = path.split(".")
            if steps[0] not in ("layers", "racks"):
                continue
            if isinstance(module, Layer):
                source = self._place(f"{path}.source", module.source, fine)
                filter_ = self._place(f"{path}.filter", module.filter, fine)
                switches = tuple(self.at[f"{path}.{name}"] for name in ("on", "solo", "mute"))
                contour = self.movers.index(module.contour)
                self.strands.append(Strand(steps[1], source, filter_, self._control(path, module), contour, switches))
            elif steps[0] == "racks":
                self.effects.append(self._place(path, module, plain, GLOBAL))
        self.moves = self.motion.moves
        self.bend = control[control.shape[0] + BEND_SLOT]
        self.frequency = np.zeros((ROWS, ticks + 1), np.float32)
        self.audio = np.zeros((ROWS, 2, frames * quality), np.float32)
        self.bus = np.zeros((2, frames * quality), np.float32)
        self.out = self.bus if quality == 1 else np.zeros((2, frames), np.float32)
        self.dry = np.zeros((2, frames), np.float32)
        self.taps = half_band().astype(np.float32)
        self.halves: list[tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]] = []
        below, size = self.bus, frames * quality
        while size > frames:
            size //= 2
            target = self.out if size == frames else np.zeros((2, size), np.float32)
            history = np.zeros((2, len(self.taps) - 1 + 2 * size), np.float32)
            self.halves.append((below, target, history))
            below = target
        self.loudness_gain = self._output_gain()
        self._now = self._shares()
        self._steady = list(zip(self._now, self._now, strict=True))
        self._seen = b""
        self._first: list[Event] = []

    def _control(self, path: str, module: Module, row: int | slice = slice(None)) -> NDArray[np.float32]:
        """The control rows of a module's parameters, in the order of their declaration."""
        first = self.at[f"{path}.{next(iter(module.params))}"]
        return self.motion.control[first : first + len(module.params), row]

    def _place(self, path: str, module: Module, stage: Stage, row: int | slice = slice(None)) -> Placed:
        return Placed(path, module, stage, self._control(path, module, row), kernel_of(module))

    def _value(self, path: str) -> float:
        return float(self.current[self.at[path]])

    def _output_gain(self) -> float:
        level = self._value("level")
        return float(10 ** (level / 20)) if level > SILENCE else 0.0

    def _read_values(self) -> list[tuple[float, float]]:
        """Takes over the values that were set since the last block; returns each layer's share before and after."""
        values = self.values[: self.count]
        seen = values.tobytes()
        if seen == self._seen:
            return self._steady
        self.target[: self.count] = values
        shares = self._shares()
        spans = list(zip(self._now, shares, strict=True))
        changed = shares != self._now
        self._now, self._steady = shares, list(zip(shares, shares, strict=True))
        self._seen = b"" if changed else seen
        return spans

    def _shares(self) -> list[float]:
        """1 for every layer that is heard after on, mute and solo, 0 for the others."""
        target = self.target
        switches = [[target[slot] > 0.5 for slot in strand.switches] for strand in self.strands]
        solo = any(on and soloed for on, soloed, _ in switches)
        return [1.0 if on and not mute and (soloed or not solo) else 0.0 for on, soloed, mute in switches]

    def _apply(self, event: Event) -> None:
        tick = min(event.frame // TICK, self.frames // TICK - 1)
        if event.kind == ON:
            self.voices.note_on(event.key, event.value, tick, int(self.values[self.at["voices"]]))
        elif event.kind == OFF:
            self.voices.note_off(event.key, tick)
        elif event.kind == BEND:
            self._wheel(BEND_SLOT, event.value, tick)
        elif event.kind == WHEEL:
            self._wheel(WHEEL_SLOT, event.value, tick)
        elif event.kind == PANIC:
            self.voices.let_go(tick)

    def _wheel(self, slot: int, value: float, tick: int) -> None:
        self.target[slot], self.motion.slots["since"][slot] = value, tick

    def block(self, events: Iterable[Event] = ()) -> NDArray[np.float32]:
        """The next `frames` frames, float32 (2, frame); valid until the next call."""
        voices = self.voices
        report = self.report
        if report.broken:
            report.broken = []
        shares = self._read_values()
        voices.begin_block()
        for event in (*self._first, *events):
            self._apply(event)
        self._first = []
        voices.settle()
        active = voices.active
        ended = run_movement(
            *self.motion, voices.key, voices.velocity, active, voices.start, voices.release, voices.fade,
            voices.finished, voices.newest, self.target[self.at["tempo"]], self.rate,
        )  # fmt: skip
        voices.stirred = ended > 0 or (voices.stirred and voices.started())
        self.bus.fill(0.0)
        voices.peak.fill(0.0)
        if len(active):
            for strand, (was, now) in zip(self.strands, shares, strict=True):
                self._run_strand(strand, active, was, now)
        else:
            for strand in self.strands:
                strand.peak = 0.0
        for below, above, history in self.halves:
            run_halve(below, above, history, self.taps)
        for effect in self.effects:
            self._run_effect(effect)
        gain = self._output_gain()
        report.left, report.right = run_output(self.out, self.loudness_gain, gain, CEILING)
        self.loudness_gain = gain
        return self.out

    def _run_strand(self, strand: Strand, active: NDArray[np.int32], was: float, now: float) -> None:
        voices, tick = self.voices, TICK * self.quality
        if was == 0.0 and now == 0.0:
            strand.peak = 0.0
            return
        source, filter_ = strand.source, strand.filter
        if was == 0.0:
            source.reset()
            filter_.reset()
        begin = perf_counter_ns()
        run_pitch(self.frequency, strand.control, voices.key, self.bend, self.current[self.at["bend"]], active)
        source.kernel(
            self.audio, self.frequency, source.control, active, voices.start, tick,
            source.stage.rate, 0.5 * self.rate, *source.state,
        )  # fmt: skip
        filter_.kernel(
            self.audio, filter_.control, voices.key, active, voices.start, tick, filter_.stage.rate, *filter_.state
        )
        if not voices_finite(self.audio, active):
            self._mend(strand, active)
        strand.peak = run_mix(
            self.audio, self.moves[strand.contour], strand.control, self.motion.gain, active, tick,
            was, now, self.bus, voices.peak,
        )  # fmt: skip
        source.spent(begin)

    def _mend(self, strand: Strand, active: NDArray[np.int32]) -> None:
        """Silences and resets a layer that gave no number."""
        self.audio[active] = 0.0
        for part in (strand.source, strand.filter):
            part.reset()
        self.report.broken.append(f"layers.{strand.key}")

    def _run_effect(self, effect: Placed) -> None:
        on = effect.control[0]
        if on[0] == 0.0 and on[-1] == 0.0:
            if not effect.quiet:
                effect.reset()
                effect.quiet = True
            effect.cost = 0.0
            return
        effect.quiet = False
        begin = perf_counter_ns()
        mixed = on[0] != 1.0 or on[-1] != 1.0
        if mixed:
            self.dry[:] = self.out
        effect.kernel(self.out, effect.control, TICK, effect.stage.rate, *effect.state)
        if mixed:
            run_blend(self.dry, self.out, on, TICK)
        effect.spent(begin)
        if not sound_finite(self.out):
            self.out.fill(0.0)
            effect.reset()
            self.report.broken.append(effect.path)

    def carry_on(self, old: Program) -> None:
        """Takes over what an edited version of the same patch was doing: notes, phases, echoes."""
        self.voices.copy_from(old.voices)
        self._take_wheels(old)
        mine, theirs = self.motion, old.motion
        mine.fading[:] = theirs.fading
        for path, n in self.at.items():
            if path in old.at:
                m = old.at[path]
                self.current[n] = old.current[m]
                mine.control[n, :, -1] = theirs.control[m, :, -1]
        for n, key in enumerate(self.movers):
            if key in old.movers:
                m = old.movers.index(key)
                if mine.movers["kind"][n] == theirs.movers["kind"][m]:
                    mine.state[n] = theirs.state[m]
                    mine.moves[n, :, -1] = theirs.moves[m, :, -1]
        known = {placed.path: placed for placed in old.placed()}
        for placed in self.placed():
            before = known.get(placed.path)
            if before and type(before.module) is type(placed.module) and before.stage == placed.stage:
                placed.quiet = before.quiet
                for a, b in zip(placed.state, before.state, strict=True):
                    if a is not b and isinstance(a, np.ndarray) and a.shape == b.shape:
                        np.copyto(a, b)

    def strike_again(self, old: Program) -> None:
        """Begins the notes that another patch was holding."""
        self._take_wheels(old)
        self._first = [Event(0, ON, key, velocity) for key, velocity in old.voices.held_notes()]

    def _take_wheels(self, old: Program) -> None:
        for slot in (BEND_SLOT, WHEEL_SLOT):
            self.target[slot], self.current[slot] = old.target[slot], old.current[slot]

    def placed(self) -> list[Placed]:
        """Every module that processes audio, in order."""
        found = [part for strand in self.strands for part in (strand.source, strand.filter)]
        return found + self.effects

    def beads(self) -> NDArray[np.float32]:
        """The value of every parameter at this moment: of the newest note, or of the patch; (slot,)."""
        row = self.voices.newest if self.voices.newest >= 0 else GLOBAL
        found: NDArray[np.float32] = self.motion.control[: self.count, row, -1]
        return found
