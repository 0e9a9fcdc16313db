"""Compiles every kernel into the cache, with progress: `python -m felt_dial.sound.compile`."""

from __future__ import annotations

import sys
import time

from felt_dial.patch.edits import add_effect, add_inlet, add_layer, add_modulator, replace_module, sew
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.kernel import TICK
from felt_dial.sound.loudness import LoudnessMeter
from felt_dial.sound.modules import Effect, Filter, Modulator, Source, new_layer, new_patch
from felt_dial.sound.program import BLOCK, Program
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


def compile_all() -> float:
    """Runs every kernel once and tells how far it is; returns the seconds it took."""
    begin = time.perf_counter()
    work = [(source, quality) for source in Source.kinds for quality in (1, 2)]
    for n, (source, quality) in enumerate(work):
        print(f"\rCompiling kernels {n}/{len(work)} ({source}) …", end="", flush=True)
        program = Program(patch_of_everything(source), 48000, BLOCK, quality)
        off = with_value(program.patch, next(f"racks.1.{k}.on" for k in program.patch.racks["1"]), False)
        program.block([Event(TICK, ON, 60, 0.5)])
        Program(off, 48000, BLOCK, quality).block([Event(0, ON, 60, 0.5)])
        sound = program.block([Event(0, OFF, 60)])
        LoudnessMeter(48000, BLOCK).add(sound)
    seconds = time.perf_counter() - begin
    print(f"\rKernels are compiled ({seconds:.1f} s).            ", flush=True)
    return seconds


if __name__ == "__main__":
    compile_all()
    sys.exit(0)
