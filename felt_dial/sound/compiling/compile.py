"""Compiles every kernel into the cache, with progress: `python -m felt_dial.sound.compiling.compile`."""

from __future__ import annotations

import contextlib
import hashlib
import os
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

import felt_dial.sound
from felt_dial.home import home_of
from felt_dial.patch.edits import add_effect, add_inlet, add_layer, add_modulator, replace_module, sew
from felt_dial.patch.module import Effect, Filter, Modulator, Module, Source
from felt_dial.patch.patch import Patch, path_exists, sounding, with_value
from felt_dial.patch.shaping import Shaper
from felt_dial.sound.compiling.compiled import arrays_of, kernel_of
from felt_dial.sound.compiling.kernel import Stage
from felt_dial.sound.engine.program import Program
from felt_dial.sound.loudness import LoudnessMeter
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.events import OFF, ON, Event
from felt_dial.sound.sizes import BLOCK, TICK
from felt_dial.sound.tone.kernels.core.voices import Played


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
    while len(places) < len(Filter.kinds):  # a filter that comes later has a layer of its own
        patch, more = add_layer(patch, new_layer())
        places.append(f"layers.{more}")
    for place, filter_ in zip(places, Filter.kinds.values(), strict=False):
        patch = replace_module(patch, f"{place}.filter", filter_(on=True, wet=0.5, drive=6.0))
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
        played = Played(audio, control, line, frequency, active, start, TICK, stage.rate)
        kernel_of(module)(*played, *arrays_of(module, stage))
    stage = Stage(48000.0, BLOCK, newest=np.full((2, 1, ticks + 1), 60.0, np.float32))
    for cls in Effect.kinds.values():
        effect = cls()
        control = still_control(effect, 2, ticks)[:, 0]
        kernel_of(effect)(np.zeros((2, BLOCK), np.float32), control, TICK, stage.rate, *arrays_of(effect, stage))


def _mark() -> Path:
    """The file that says that all kernels of this program, for this machine, are kept."""
    import llvmlite.binding
    import numba

    sound = Path(felt_dial.sound.__file__).parent
    found = hashlib.sha256(repr((numba.__version__, sys.version, llvmlite.binding.get_host_cpu_name())).encode())
    for path in sorted(sound.rglob("*.py")):
        found.update(path.read_bytes())
    beside = sound / "__pycache__"
    folder = beside if os.access(beside, os.W_OK) else home_of("cache") / "kernels"
    return folder / f"kernels-{found.hexdigest()[:16]}.ready"


def kernels_ready() -> bool:
    """True where no kernel need be compiled any more."""
    return _mark().exists()


Progress = Callable[[int, int], None]


WHOLE = 90.0
"""Seconds that all of it takes on two cores, until it is known better."""


def left(done: int, total: int, since: float) -> float:
    """Seconds that compiling will still take, `since` seconds after its beginning: at first as usual, then by its pace."""
    part = done / max(total, 1)
    pace = since / part if part > 0 else WHOLE
    return (1.0 - part) * (part * pace + (1.0 - part) * WHOLE)


def on_terminal(done: int, total: int) -> None:
    """Says on the terminal how far it is."""
    end = "\n" if done == total else ""
    print(f"\rCompiling {done} of {total}, once for this machine …", end=end, file=sys.stderr, flush=True)


def compile_all(progress: Progress = on_terminal) -> float:
    """Runs every kernel once; `progress` is told how many of how many steps are done. Returns the seconds it took.

    Tone and effects are compiled by a second process beside the sources; then everything is run, most of it from the
    cache, where what both had compiled at once may have been lost. Where `progress` raises, both end; what is done is kept.
    """
    begin = time.perf_counter()
    beside = subprocess.Popen([sys.executable, "-m", "felt_dial.sound.compiling.compile", "tone"])
    try:
        _run_all(beside, progress)
    finally:
        beside.kill()
        beside.wait()
    with contextlib.suppress(OSError):
        mark = _mark()
        mark.parent.mkdir(parents=True, exist_ok=True)
        mark.touch()
    return time.perf_counter() - begin


def _run_all(beside: subprocess.Popen[bytes], progress: Progress) -> None:
    """Runs the sources without tone, and everything once what is compiled `beside` is done."""
    work = [(plain, source, quality) for plain in (True, False) for source in Source.kinds for quality in (1, 2)]
    for n, (plain, source, quality) in enumerate(work):
        progress(n, len(work))
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
    progress(len(work), len(work))


def main() -> None:
    """`python -m felt_dial.sound.compiling.compile`: compiles what is not kept yet."""
    if sys.argv[1:] == ["tone"]:
        compile_tone()
    elif not kernels_ready():
        seconds = compile_all()
        print(f"\nKernels are compiled ({seconds:.0f} s).", file=sys.stderr, flush=True)


if __name__ == "__main__":
    main()
