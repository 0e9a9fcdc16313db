"""The engine: one thread makes sound block by block, another listens to the window.

Messages from the window are types of `live.link.messages`; each is dealt with by the one method that is entered for it.
"""

from __future__ import annotations

import gc
import os
import time
from collections import deque
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError, cut
from felt_dial.live.engine.audition import Audition, for_hearing
from felt_dial.live.engine.idle import IdleState, IdleTimer
from felt_dial.live.engine.kernel_preloader import KernelPreloader
from felt_dial.live.engine.monitor import Monitor
from felt_dial.live.engine.note_input import NoteInput
from felt_dial.live.engine.note_recorder import NoteRecorder
from felt_dial.live.engine.output import Output
from felt_dial.live.engine.player import Player
from felt_dial.live.link.async_pipe import AsyncPipe
from felt_dial.live.link.messages import (
    AskControllers,
    AskDevices,
    Broken,
    Controllers,
    Devices,
    EndTaking,
    Handlers,
    KeepSound,
    Listen,
    LoopPhrase,
    MeasureAnew,
    Misunderstood,
    NotesTaken,
    Perform,
    PlayPhrase,
    Quit,
    Refused,
    SendMidi,
    SetMonitor,
    SetQuality,
    SetTap,
    ShowPatch,
    StopPhrase,
    TakeController,
    TakeNotes,
    Unheard,
    UnknownMessage,
    WakeUp,
    WriteSound,
    Written,
)
from felt_dial.live.link.shared_memory import SCOPE, Shared
from felt_dial.live.link.telemetry import TelemetryWriter
from felt_dial.live.midi.controller import SimulatedController, list_controllers
from felt_dial.patch.documents.patch import read_patch
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.hand_over import HandOver
from felt_dial.sound.engine.program import Program
from felt_dial.sound.loudness import LoudnessMeter
from felt_dial.sound.matter import assets
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.events import Event
from felt_dial.sound.sizes import BLOCK

SHOWN_EVERY = 6
"""Blocks between two reports of what moves slower than the eye: at 256 frames, 31 a second."""


def own_frames(frames: int) -> int:
    """Frames of the blocks that the sound is made in, where the device asks for so many: some of them make one of its own."""
    return BLOCK if frames % BLOCK == 0 else frames


def within(events: list[Event], at: int, frames: int) -> list[Event]:
    """The events of a part of a block, their frames counted from where it begins."""
    return [event._replace(frame=event.frame - at) for event in events if at <= event.frame < at + frames]


IN_BLOCK, AT_ONCE = Handlers(), Handlers()
"""What is done at the beginning of a block, and gives its events; and what the side thread does as it hears it."""


class Engine:
    """Makes the sound of the patch that the window sent last."""

    def __init__(self, shared: Shared, window: AsyncPipe, device: str, rate: float, frames: int) -> None:
        self.shared, self.window = shared, window
        self.rate, self.frames, self.own = rate, frames, own_frames(frames)
        self.program = Program(new_patch(), rate, self.own)
        self.generation = 0
        self.handing: HandOver | None = None
        self._carries = True
        """Whether all patches that were passed over carry the sound on."""
        self.ready: tuple[Program, int, bool] | None = None
        self.player = Player(rate)
        self.audition = Audition()
        self.commands: deque[Callable[[], list[Event]]] = deque()
        """What is to be done at the beginning of the next block, and gives its events."""
        self.meter = LoudnessMeter(rate, frames)
        self.output = Output(device, rate, frames, self.block, self.late, self.tell, self.rest)
        self.quiet_blocks = 0
        self.blocks = 0
        self.load = self.trim = 0.0
        self.peaks = (0.0, 0.0)
        self.preloader = KernelPreloader(rate, self.own)
        self.monitor = Monitor(rate, frames)
        self.quality = 1
        self.taking: NoteRecorder | None = None
        self.played: list[Event] = []
        """What came from keys in this block, and not from the phrase."""
        self.input = NoteInput(shared, rate, frames, self.tell)
        self.sleep, self.resting = IdleState(rate, frames), IdleTimer(shared)
        self.showing = TelemetryWriter(shared, self.own / rate)
        self.silence, self.whole, *self.tapped = (np.zeros((2, frames), np.float32) for _ in range(4))
        self.rings = (shared.data["scope"], shared.data["tap"][:2], shared.data["tap"][2:])

    # --- the sound -----------------------------------------------------------------------------

    def block(self) -> NDArray[np.float32]:
        """Makes the next block and reports what happened in it."""
        begin = time.perf_counter()
        data = self.shared.data
        if self.ready is not None and self.handing is None:
            self._swap()
        events = self._events()
        trim = float(data["trim"])
        if self.sleep.goes_on(self.program, trim) and not (
            events or self.handing or self.audition.sounding or self.taking
        ):
            return self._sleep_on(data, begin)
        out = self._sound(events)
        self._trim(out, trim)
        if self.taking is not None:
            self.taking.block(self.played, self.program.tempo, out)
        if self.audition.sounding:
            self.audition.add_to(out)
            left, right = (float(peak) for peak in np.abs(out).max(axis=1))
            self.peaks = max(self.peaks[0], left), max(self.peaks[1], right)
        self.monitor.run(out)
        self.meter.add(out)
        self._write_scope(out, data)
        if self.blocks % SHOWN_EVERY == 0 or self.generation != int(data["generation"]):
            self._show()
        self._tidy()
        self.sleep.after(self.program, trim, bool(events) or self.handing is not None or self.player.phrase is not None)
        self._count(begin)
        return out

    def _sound(self, events: list[Event]) -> NDArray[np.float32]:
        """The sound of a block, in blocks of the engine's own: what the device asks for at once is no matter of the patch."""
        share = self.monitor.dry_share()
        self.program.output.ceiling = self.monitor.ceiling
        for at in range(0, self.frames, self.own):
            part = slice(at, at + self.own)
            now = events if self.own == self.frames else within(events, at, self.own)
            self.program.output.dry = None if share is None else share[part]
            self.whole[:, part] = self.program.block(now) if self.handing is None else self.handing.block(now)
            if self.handing is not None and self.handing.done:
                self.handing = None
            report, tap = self.program.report, self.program.output.tap
            self.peaks = max(self.peaks[0], report.left), max(self.peaks[1], report.right)
            self.tapped[0][:, part], self.tapped[1][:, part] = tap.before, tap.after
            if report.broken:
                self.tell(Broken(tuple(report.broken)))
        return self.whole

    def _sleep_on(self, data: Any, begin: float) -> NDArray[np.float32]:
        """A block in which nothing sounds and nothing is asked for."""
        self._tidy()
        if self.blocks % SHOWN_EVERY == 0:
            data["load"] = self.load
        self._count(begin)
        self.silence.fill(0.0)
        return self.silence

    def rest(self) -> float:
        """Waits where nothing sounds and nothing is asked for; gives the seconds that went by, 0 where it is awake."""
        if not self.sleep or self.input.busy or self.commands or self.ready or self.handing or self.taking:
            return 0.0
        if self.audition.sounding:
            return 0.0
        waited = self.resting.wait()
        self.blocks += round(waited * self.rate / self.frames)
        return waited

    def _count(self, begin: float) -> None:
        took = (time.perf_counter() - begin) * self.rate / self.frames
        self.load += 0.03 * (took - self.load)
        self.blocks += 1
        self.shared.data["blocks"] = self.blocks

    def _swap(self) -> None:
        assert self.ready is not None
        self.sleep.wake()
        fresh, generation, carry = self.ready
        self.ready = None
        try:
            if carry:
                carry_on(fresh, self.program)
            else:
                fresh.strike_again(self.program)
        except Exception as wrong:  # whatever it is, the sound goes on
            self.tell(Refused(f"what sounded could not be taken over ({type(wrong).__name__}: {wrong})."))
        fresh.clock_tempo = self.program.clock_tempo
        was = self.program.output.tap
        fresh.output.tap.path, fresh.output.tap.alone = was.path, was.alone
        fresh.output.dry = self.program.output.dry
        self.handing = HandOver(self.program, fresh, carry)
        self.program, self.generation = fresh, generation

    def _trim(self, out: NDArray[np.float32], trim: float) -> None:
        """Turns the louder of two compared patches down by `trim` dB; a change is ramped over the block."""
        if trim == 0.0 and self.trim == 0.0:
            return
        was, now = (10 ** (level / 20) for level in (self.trim, trim))
        out *= np.linspace(was, now, self.frames, endpoint=False, dtype=np.float32)
        self.trim = trim

    def _events(self) -> list[Event]:
        events: list[Event] = []
        if self.commands:
            self.sleep.wake()
        while self.commands:
            events += self.commands.popleft()()
        self.played = self.input.block(self.blocks)
        self.program.clock_tempo = self.input.clock.tempo
        return events + self.played + self.player.block(self.frames, self.program.tempo)

    @IN_BLOCK.of(PlayPhrase)
    def _play(self, message: PlayPhrase) -> list[Event]:
        at = self.player.position if message.go_on and self.player.phrase is not None else 0.0
        ends = self.player.stop()
        self.player.play(message.phrase, message.loop, at)
        if not message.go_on:
            self.program.pattern.restart()
        return ends

    @IN_BLOCK.of(TakeNotes)
    def _take_notes(self, message: TakeNotes) -> list[Event]:
        self.taking = NoteRecorder(self.rate, message.count_in, message.clicks)
        return []

    @IN_BLOCK.of(EndTaking)
    def _end_taking(self, message: EndTaking) -> list[Event]:
        self.tell(NotesTaken(self.taking.finish() if self.taking is not None else ()))
        self.taking = None
        return []

    @IN_BLOCK.of(LoopPhrase)
    def _loop(self, message: LoopPhrase) -> list[Event]:
        self.player.loop = message.on
        return []

    @IN_BLOCK.of(StopPhrase)
    def _stop(self, message: StopPhrase) -> list[Event]:
        return self.player.stop()

    @IN_BLOCK.of(SendMidi)
    def _send_midi(self, message: SendMidi) -> list[Event]:
        if isinstance(self.input.controller, SimulatedController):
            self.input.controller.send(list(message.message))
        return []

    @IN_BLOCK.of(Perform)
    def _perform(self, message: Perform) -> list[Event]:
        controller = self.input.controller
        return controller.perform(message.on) if isinstance(controller, SimulatedController) else []

    @IN_BLOCK.of(SetTap)
    def _set_tap(self, message: SetTap) -> list[Event]:
        self.program.output.tap.path, self.program.output.tap.alone = message
        return []

    @IN_BLOCK.of(SetMonitor)
    def _set_monitor(self, message: SetMonitor) -> list[Event]:
        setattr(self.monitor, message.what, message.value)
        return []

    @IN_BLOCK.of(MeasureAnew)
    def _measure_anew(self, message: MeasureAnew) -> list[Event]:
        self.meter.restart()
        return []

    def _write_scope(self, out: NDArray[np.float32], data: Any) -> None:
        at = self.blocks * self.frames % SCOPE
        first = min(self.frames, SCOPE - at)
        for ring, sound in zip(self.rings, (out, *self.tapped), strict=True):
            ring[:, at : at + first] = sound[:, :first]
            if first < self.frames:
                ring[:, : self.frames - first] = sound[:, first:]
        data["scope_written"] = (self.blocks + 1) * self.frames

    def _show(self) -> None:
        peaks, self.peaks = self.peaks, (0.0, 0.0)
        self.showing.show(
            self.program,
            peaks=peaks,
            load=self.load,
            momentary=self.meter.momentary(),
            short_term=self.meter.short_term(),
            held=self.monitor.held,
            playing=self.player.phrase is not None,
            position=self.player.position if self.taking is None else self.taking.position,
        )
        data = self.shared.data
        if self.blocks % (SHOWN_EVERY * 8) == 0:
            data["integrated"] = self.meter.integrated()
        data["generation"] = self.generation

    def _tidy(self) -> None:
        """Collects garbage only while nothing sounds."""
        self.quiet_blocks = 0 if len(self.program.voices.active) or self.handing else self.quiet_blocks + 1
        if self.quiet_blocks == 200:
            gc.collect(1)

    # --- the window ----------------------------------------------------------------------------

    def tell(self, message: object) -> None:
        """Sends the window a message; a window that is gone ends the engine elsewhere."""
        self.window.tell(message)

    def listen(self) -> None:
        """The side thread: hears the window and builds programs off the audio path."""
        try:
            while True:
                message = self.window.recv()
                if isinstance(message, ShowPatch):
                    message = self._newest(message)
                self.hear(message)
        except (EOFError, OSError):
            os._exit(0)

    def _newest(self, message: ShowPatch) -> ShowPatch:
        """The last of several patches that came behind one another; what came between them is heard first."""
        while self.window.poll():
            newer = self.window.recv()
            if isinstance(newer, ShowPatch):
                message = newer._replace(carry=newer.carry and message.carry)
            else:
                self.hear(newer)
        return message

    def hear(self, message: object) -> None:
        """Acts on a message at once, or leaves it for the next block; what is not known, or fails, is said to be so."""
        if IN_BLOCK.know(message):
            self.commands.append(partial(IN_BLOCK.call, self, message))
        else:
            try:
                AT_ONCE.call(self, message)
            except UnknownMessage as wrong:
                self.tell(Misunderstood(f"The engine and the window do not understand each other: {wrong}"))
            except Exception as wrong:  # a fault of ours, or of a driver: the next message is heard all the same
                self.tell(Misunderstood(f"The engine could not do that ({type(wrong).__name__}: {cut(wrong)})."))
        self.resting.stir()

    @AT_ONCE.of(ShowPatch)
    def _show_patch(self, message: ShowPatch) -> None:
        self._carries = self._carries and message.carry
        program, refused = None, ""
        try:
            program = self._built(message)
        except FeltDialError as wrong:
            refused = str(wrong)
        except Exception as wrong:  # a fault of ours: the patch before sounds on
            refused = f"{type(wrong).__name__}: {wrong}"
        if not self.shared.holds(message.generation):
            return  # so many came meanwhile that its values are those of another; the last of them is on its way
        if program is None:
            self.tell(Refused(refused))
            return
        while self.ready is not None and self.handing is not None:
            time.sleep(0.002)
        passed_over = self.ready
        self.ready = (program, message.generation, self._carries and (passed_over is None or passed_over[2]))
        self._carries = True

    def _built(self, message: ShowPatch) -> Program:
        """The program of a patch from the window, which reads its values in the room that they have."""
        assets.search_in(message.places)
        patch = read_patch(message.text, "The patch from the window")
        self.preloader.load_for(patch)
        values, holds = self.shared.values(message.generation), partial(self.shared.holds, message.generation)
        return Program(patch, self.rate, self.own, self.quality, values, holds)

    @AT_ONCE.of(TakeController)
    def _take_controller(self, message: TakeController) -> None:
        """Opens another controller, for which no block has the time; it plays from the next block on."""
        plug_in = self.input.opened(message.key, self.resting.stir)
        self.commands.append(plug_in)

    @AT_ONCE.of(Listen)
    def _listen_to(self, message: Listen) -> None:
        try:
            sound = np.zeros((2, 0), np.float32)
            if message.path:
                sound = for_hearing(
                    Path(message.path), self.rate, message.first, message.last, message.loops, message.levelled
                )
        except FeltDialError as wrong:
            self.tell(Unheard(str(wrong)))
            return
        self.audition.begin(sound, message.loops)

    @AT_ONCE.of(WakeUp)
    def _stir(self, message: WakeUp) -> None:
        """To hear of it is enough."""

    @AT_ONCE.of(SetQuality)
    def _set_quality(self, message: SetQuality) -> None:
        self.quality = message.quality

    @AT_ONCE.of(KeepSound)
    def _keep_sound(self, message: KeepSound) -> None:
        self.output.keep()

    @AT_ONCE.of(WriteSound)
    def _write_sound(self, message: WriteSound) -> None:
        if self.output.write(Path(message.path)):
            self.tell(Written(message.path))

    @AT_ONCE.of(AskDevices)
    def _tell_devices(self, message: AskDevices) -> None:
        self.tell(Devices([tuple(device[:3]) for device in self.output.devices()]))

    @AT_ONCE.of(AskControllers)
    def _tell_controllers(self, message: AskControllers) -> None:
        self.tell(Controllers([tuple(found) for found in list_controllers()]))

    @AT_ONCE.of(Quit)
    def _quit(self, message: Quit) -> None:
        os._exit(0)

    def late(self, seconds: float) -> None:
        """A block came too late for the device."""
        self.shared.data["late"] += 1
        self.shared.data["worst_late"] = max(self.shared.data["worst_late"], seconds)
