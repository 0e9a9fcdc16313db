"""Carrying over: a program takes what an earlier one was doing, so that an edit does not stop the sound."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Source
from felt_dial.sound.compiling.compiled import go_on_at
from felt_dial.sound.engine.program import Program


def at_rate_of(sound: NDArray[np.float32], frames: int) -> NDArray[np.float32]:
    """A block of another quality as so many frames, (…, frames): what a loop hears of it for one block."""
    return sound[..., np.arange(frames) * sound.shape[-1] // frames]


def in_both(fresh: Iterable[str], old: Iterable[str]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Where the names that both have stand in the one, and where in the other."""
    where = {key: m for m, key in enumerate(old)}
    places = np.array([where.get(key, -1) for key in fresh], np.int64)
    known = np.flatnonzero(places >= 0)
    return known, places[known]


def carry_on(fresh: Program, old: Program) -> None:
    """Notes, phases, echoes and pictures of `old`, an earlier version of the same patch, go on in `fresh`."""
    fresh.allocator.carry_on(old.allocator)
    fresh.pattern.carry_on(old.pattern)
    fresh.take_wheels(old)
    fresh.bent[:] = old.bent
    theirs_by_key = {layer.key: layer for layer in old.layers}
    for layer in fresh.layers:
        if layer.key in theirs_by_key:
            before = theirs_by_key[layer.key]
            layer.share, layer.goes, layer.stale = before.share, before.goes, before.stale
            if layer.send is not None and before.send is not None:
                layer.send[:] = at_rate_of(before.send, layer.send.shape[-1])
    fresh.output.carry_on(old.output)
    for bus in fresh.buses:
        was = next(other for other in old.buses if other.key == bus.key)
        bus.goes, bus.rest[:], bus.loud[:], bus.held[:] = was.goes, was.rest, was.loud, was.held
        if bus.inlet.shape == was.inlet.shape:
            bus.listed.set(was.rows)
            bus.inlet[:] = was.inlet
    loud = {effect.running.path: effect.loud for rack in old.racks.values() for effect in rack.effects}
    for rack in fresh.racks.values():
        for effect in rack.effects:
            effect.loud[:] = loud.get(effect.running.path, effect.loud)
    fresh.settle()
    mine, theirs = fresh.modulation, old.modulation
    mine.fading[:] = theirs.fading
    fresh.clock, fresh.heard[: len(old.heard)] = old.clock, old.heard[: len(fresh.heard)]
    n, m = in_both(fresh.at, old.at)
    fresh.current[n], fresh.led[n] = old.current[m], old.led[m]
    mine.control[n, :, -1] = theirs.control[m, :, -1]
    n, m = in_both(fresh.movers, old.movers)
    alike = mine.movers["kind"][n] == theirs.movers["kind"][m]
    n, m = n[alike], m[alike]
    mine.state[n] = theirs.state[m]
    mine.moves[n, :, -1] = theirs.moves[m, :, -1]
    n, m = in_both(*([of.movers[at] for at in of.modulation.contours] for of in (fresh, old)))
    mine.closing[n] = theirs.closing[m]
    n, m = in_both(fresh.layout.threads, old.layout.threads)
    mine.traces[n] = theirs.traces[m]
    late, was_late = mine.threads["past"][n], theirs.threads["past"][m]
    both = (late >= 0) & (was_late >= 0)
    mine.past[late[both]] = theirs.past[was_late[both]]
    known = {running.path: running for running in old.running()}
    for running in fresh.running():
        kept = known.get(running.path)
        if kept is None or type(kept.module) is not type(running.module):
            running.was_off = True
            continue
        source = isinstance(running.module, Source)
        if kept.stage == running.stage or source:
            running.quiet, running.lags = kept.quiet, kept.lags
            if running.line.shape == kept.line.shape:
                running.line[:] = kept.line
            if kept.quiet and not source:  # both stand at the beginning
                continue
            arrays = [(running.arrays, kept.arrays)]
            if running.finer is not None and kept.finer is not None:
                arrays.append((running.finer.arrays, kept.finer.arrays))
            for a, b in ((a, b) for mine, theirs in arrays for a, b in zip(mine, theirs, strict=True)):
                if a is not b and isinstance(a, np.ndarray) and a.flags.writeable and a.shape == b.shape:
                    np.copyto(a, b)
            if kept.stage.rate != running.stage.rate:
                go_on_at(running.module, running.state, running.stage.rate / kept.stage.rate)
