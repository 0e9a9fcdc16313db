"""Carrying on: a program takes over what an earlier one was doing, so that an edit does not stop the sound."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from felt_dial.patch.module import Source

if TYPE_CHECKING:
    from felt_dial.sound.program import Program


def carry_on(fresh: Program, old: Program) -> None:
    """Notes, phases, echoes and pictures of `old`, an earlier version of the same patch, go on in `fresh`."""
    fresh.playing.carry_on(old.playing)
    fresh.pattern.carry_on(old.pattern)
    fresh.take_wheels(old)
    fresh.bent[:] = old.bent
    theirs_by_key = {strand.key: strand for strand in old.strands}
    for strand in fresh.strands:
        if strand.key in theirs_by_key:
            before = theirs_by_key[strand.key]
            strand.share, strand.goes, strand.stale = before.share, before.goes, before.stale
            if strand.send is not None and before.send is not None:
                strand.send[:] = before.send
    for join in fresh.joins:
        was = next(other for other in old.joins if other.key == join.key)
        join.goes, join.rest[:], join.loud[:], join.held[:] = was.goes, was.rest, was.loud, was.held
    loud = {fitted.placed.path: fitted.loud for rack in old.racks.values() for fitted in rack.fitted}
    for rack in fresh.racks.values():
        for fitted in rack.fitted:
            fitted.loud[:] = loud.get(fitted.placed.path, fitted.loud)
    fresh.settle()
    mine, theirs = fresh.motion, old.motion
    mine.fading[:] = theirs.fading
    fresh.clock, fresh.heard[: len(old.heard)] = old.clock, old.heard[: len(fresh.heard)]
    for path, n in fresh.at.items():
        if path in old.at:
            m = old.at[path]
            fresh.current[n] = old.current[m]
            mine.control[n, :, -1] = theirs.control[m, :, -1]
    for n, key in enumerate(fresh.movers):
        if key in old.movers:
            m = old.movers.index(key)
            if mine.movers["kind"][n] == theirs.movers["kind"][m]:
                mine.state[n] = theirs.state[m]
                mine.moves[n, :, -1] = theirs.moves[m, :, -1]
    for n, key in enumerate(fresh.layout.threads):
        if key in old.layout.threads:
            m = old.layout.threads.index(key)
            mine.traces[n] = theirs.traces[m]
            late, was_late = mine.threads["past"][n], theirs.threads["past"][m]
            if late >= 0 and was_late >= 0:
                mine.past[late] = theirs.past[was_late]
    known = {placed.path: placed for placed in old.placed()}
    for placed in fresh.placed():
        kept = known.get(placed.path)
        alike = kept and type(kept.module) is type(placed.module)
        if kept and alike and (kept.stage == placed.stage or isinstance(placed.module, Source)):
            placed.quiet = kept.quiet
            for a, b in zip(placed.state, kept.state, strict=True):
                if a is not b and isinstance(a, np.ndarray) and a.flags.writeable and a.shape == b.shape:
                    np.copyto(a, b)
