"""What the window sees of a program that sounds, put into the shared memory some thirty times a second."""

from __future__ import annotations

from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from felt_dial.live.link.shared_memory import MOST_MOVERS, MOST_PLACED, NOTHING_MOVES, Shared
from felt_dial.patch.module import Effect, Source
from felt_dial.sound.control.core.records import GLOBAL
from felt_dial.sound.engine.layer_voice import LayerVoice
from felt_dial.sound.engine.program import Program
from felt_dial.sound.engine.running_module import RunningModule


class TelemetryWriter:
    """Writes what a program does into the memory: dials, movers, meters, costs, keys.

    What never changes while a program sounds is found once for it: which of its layers have a place in a recording, which
    of its effects have something to read, where its movers stand.
    """

    def __init__(self, shared: Shared, seconds: float) -> None:
        self._fields = {name: shared.field(name) for name in shared.data.dtype.names}
        self._per_cost = 1e-9 / seconds
        self._program: Program | None = None
        self._running: list[RunningModule] = []
        self._effects: list[tuple[int, RunningModule]] = []
        self._placed: list[tuple[int, LayerVoice]] = []
        self._movers = np.zeros(0, np.int64)
        self._alike = self._apart = np.zeros(0, np.bool_)

    def _take(self, program: Program) -> None:
        """Another program sounds now."""
        self._program = program
        self._running = program.running()[:MOST_PLACED]
        self._effects = [(n, one) for n, one in enumerate(self._running) if isinstance(one.module, Effect)]
        self._placed = [
            (n, layer)
            for n, layer in enumerate(program.layers)
            if type(cast(Source, layer.source.module)).place is not Source.place
        ]
        self._movers = np.arange(min(len(program.movers), MOST_MOVERS))
        self._alike = program.layout.shared[: len(self._movers)]
        self._apart = ~self._alike
        self._fields["places"].fill(-1.0)
        self._fields["short"].fill(0.0)
        self._fields["readings"].fill(0.0)

    def show(self, program: Program, **numbers: Any) -> None:
        """Shows the program as it is now; and `numbers`, each under the name of its field."""
        if program is not self._program:
            self._take(program)
        fields, voices, layers = self._fields, program.voices, program.layers
        for name, value in numbers.items():
            fields[name][...] = value
        stay = voices.active[~voices.stolen[voices.active]]  # what fades to make room counts no more
        fields["voices"][...] = len(np.unique(voices.number[stay]))  # a note may fill several rows
        fields["grains"][...] = program.grains[2]
        fields["quality"][...] = program.quality
        fields["layer_peaks"][: len(layers)] = [layer.peak for layer in layers]
        for n, layer in self._placed:
            fields["places"][n] = layer.newest_place(voices)
            fields["short"][n] = layer.falls_short()
        fields["beads"][: program.count] = program.beads()
        self._show_movers(program, voices.newest)
        running = self._running
        fields["costs"][: len(running)] = [one.cost * self._per_cost for one in running]
        fields["steps"][: len(running)] = [one.peaks for one in running]
        for n, one in self._effects:
            fields["readings"][n] = 0.0 if one.quiet else cast(Effect, one.module).reading(one.state)
        fields["bus_peaks"][...] = [bus.peak for bus in program.buses]
        fields["rack_peaks"][...] = [rack.peaks for rack in program.racks.values()]
        down = np.zeros(128, np.uint8)
        down[voices.key[voices.held].astype(np.int64) & 127] = 1
        fields["keys"][...] = down  # at once: the window must not see keys that are let go of for a moment
        turning = program.pattern.now
        count = max(len(program.pattern.rows), 1)
        fields["pattern_step"][...] = (turning.row - 1) % count if turning.sounding and turning.was_on else -1

    def _show_movers(self, program: Program, newest: int) -> None:
        """Movers of notes as the newest note has them, and those of the whole patch."""
        shown, movers = self._fields["movers"], self._movers
        rows: int | NDArray[np.int64] = GLOBAL
        if newest >= 0:
            rows = np.where(self._alike, GLOBAL, newest)
        shown[: len(movers), :3] = program.modulation.state[movers, rows, :3]
        shown[: len(movers), 3] = program.moves[movers, rows, -1]
        if newest < 0:
            shown[: len(movers), 3][self._apart] = NOTHING_MOVES
