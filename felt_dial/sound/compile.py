"""Compiles every kernel into the cache, with progress: `python -m felt_dial.sound.compile`."""

from __future__ import annotations

import subprocess
import sys
import time

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.edits import add_effect, add_inlet, add_layer, add_modulator, replace_module, sew
from felt_dial.patch.module import Module
from felt_dial.patch.patch import Patch, path_exists, sounding, with_value
from felt_dial.patch.shaping import Shaper
from felt_dial.sound.kernel import TICK, Stage, kernel_of, room_for
from felt_dial.sound.loudness import LoudnessMeter
from felt_dial.sound.modules import Effect, Filter, Modulator, Source, new_layer, new_patch
from felt_dial.sound.program import BLOCK, Program
from felt_dial.sound.tone.chain import run_step
from felt_dial.sound.voices import OFF, ON, Event


def patch_of_everything(source: str = "wave") -> Patch:
    """A patch with one of each effect, modulator and thread, so that every kernel runs once."""
    patch = with_value(new_patch("Everything"), "layers.a.filter.on", True)
    patch = replace_module(patch, "layers.a.source", Source.kinds[source]())
    patch, other = add_layer(patch, new_layer())
    patch = with_value(patch, f"layers.{other}.out", "rack2")
    patch = with_value(add_inlet(patch, "a", other, 1.0), f"layers.a.inlets.{other}.ring", 0.5)
    patch, third = add_layer(patch, new_layer())
    patch = with_value(with_value(patch, f"layers.{third}.swung", other), f"layers.{third}.swing", 1.0)
    patch = with_value(with_value(patch, f"layers.{third}.out", "bus1"), "buses.1.out", "bus2")
    patch = with_value(patch, f"layers.{third}.drive.on", True)
    places = [f"layers.{key}" for key in ("a", other, third)] + [f"buses.{key}" for key in ("1", "2", "3")]
    for place, filter_ in zip(places, Filter.kinds.values(), strict=True):
        patch = replace_module(patch, f"{place}.filter", filter_(on=True, wet=0.5))
    patch = with_value(with_value(patch, f"layers.{other}.out", "bus3"), "buses.3.out", "rack2")
    for kind in Effect.kinds.values():
        patch, _ = add_effect(patch, "1" if len(patch.racks["1"]) < 12 else "2", kind())
    for kind in Modulator.kinds.values():
        patch, key = add_modulator(patch, kind())
        patch, _ = sew(patch, key, "layers.a.filter.cutoff", 1.0)
    return patch


def without_tone(patch: Patch) -> Patch:
    """The same patch without effects, its filters and drives switched off."""
    patch = patch.model_copy(update={"racks": {"1": {}, "2": {}}})
    for path in sounding(patch):
        if path_exists(patch, f"{path}.on") and path.rpartition(".")[2] in ("filter", "drive", "after"):
            patch = with_value(patch, f"{path}.on", False)
    return patch


def still_control(module: Module, rows: int, ticks: int) -> NDArray[np.float32]:
    """Control of a module whose dials all stand where they are set, float32 (parameter, row, tick + 1)."""
    values = [param.encode(module.get(name)) for name, param in module.params.items()]
    still = np.array(values, np.float32)[:, None, None]
    return np.ascontiguousarray(np.broadcast_to(still, (len(values), rows, ticks + 1)))


def compile_tone() -> None:
    """Runs the kernels of drives, filters and effects with what a program would give them, and nothing else of it."""
    rows, ticks = 4, BLOCK // TICK
    active, start = np.arange(rows, dtype=np.int32), np.zeros(rows, np.int32)
    line, frequency = np.full((rows, ticks + 1), 57, np.float32), np.full((rows, ticks + 1), 220, np.float32)
    for cls in (Shaper, *Filter.kinds.values()):
        module, stage = cls(on=True), Stage(48000.0, BLOCK, rows)
        audio, control = np.zeros((rows, 2, BLOCK), np.float32), still_control(module, rows, ticks)
        run_step(
            module, kernel_of(module), audio, control, active, start, TICK, stage.rate, room_for(module, stage), line, frequency
        )  # fmt: skip
    stage = Stage(48000.0, BLOCK, newest=np.full((2, 1, ticks + 1), 60.0, np.float32))
    for cls in Effect.kinds.values():
        effect = cls()
        control = still_control(effect, 2, ticks)[:, 0]
        kernel_of(effect)(np.zeros((2, BLOCK), np.float32), control, TICK, stage.rate, *room_for(effect, stage))


def compile_all() -> float:
    """Runs every kernel once and tells how far it is; returns the seconds it took.

    Tone and effects are compiled by a second process beside the sources; then everything is run, most of it from the
    cache, where what both had compiled at once may have been lost.
    """
    begin = time.perf_counter()
    beside = subprocess.Popen([sys.executable, "-m", "felt_dial.sound.compile", "tone"])
    work = [(plain, source, quality) for plain in (True, False) for source in Source.kinds for quality in (1, 2)]
    for n, (plain, source, quality) in enumerate(work):
        print(f"\rCompiling kernels {n}/{len(work)} ({source}) …", end="", flush=True)
        if not plain:
            beside.wait()
        patch = patch_of_everything(source)
        program = Program(without_tone(patch) if plain else patch, 48000, BLOCK, quality)
        program.block([Event(TICK, ON, 60, 0.5)])
        if not plain:
            off = with_value(patch, next(f"racks.1.{k}.on" for k in patch.racks["1"]), False)
            Program(off, 48000, BLOCK, quality).block([Event(0, ON, 60, 0.5)])
        sound = program.block([Event(0, OFF, 60)])
        LoudnessMeter(48000, BLOCK).add(sound)
    seconds = time.perf_counter() - begin
    print(f"\rKernels are compiled ({seconds:.1f} s).            ", flush=True)
    return seconds


if __name__ == "__main__":
    if sys.argv[1:] == ["tone"]:
        compile_tone()
    else:
        compile_all()
