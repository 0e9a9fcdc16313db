"""The loads of docs/performance.md, measured on the machine at hand. Never a test's pass or fail."""

from __future__ import annotations

import json
import os
import platform
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from bench.costs import drive_aliases, step_costs
from bench.loads import cloud, inner_loop, movement_share, resynthesis, tables
from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.messages import PlayPhrase
from felt_dial.patch.edits import add_effect, add_layer, add_modulator, sew
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.events import ON, Event
from felt_dial.sound.playing.phrases import PHRASES
from felt_dial.sound.sizes import BLOCK

RATE = 48000


def machine() -> str:
    """Name of the machine: processor and cores."""
    name = platform.machine()
    for line in Path("/proc/cpuinfo").read_text().splitlines():
        if line.startswith("model name"):
            name = line.partition(":")[2].strip()
            break
    return f"{name}, {os.cpu_count()} cores, Python {platform.python_version()}"


def sine() -> Patch:
    """One sine layer."""
    return with_value(new_patch(), "layers.a.source.shape", "sine")


def full() -> Patch:
    """Eight saws with filters, eight LFOs sewn to their cutoffs, one delay."""
    patch = new_patch()
    for _ in range(7):
        patch, _key = add_layer(patch, new_layer())
    for key in patch.layers:
        patch = with_value(patch, f"layers.{key}.filter.on", True)
        patch, lfo = add_modulator(patch, Modulator.kinds["lfo"]())
        patch, _key = sew(patch, lfo, f"layers.{key}.filter.cutoff", 12.0)
    patch, _key = add_effect(patch, "1", Effect.kinds["delay"]())
    return patch


def rack() -> Patch:
    """One sine into a rack of twelve common effects, two reverbs among them."""
    patch = sine()
    for kind in (
        "equaliser",
        "drive",
        "compressor",
        "chorus",
        "phaser",
        "delay",
        "reverb",
        "reverb",
        "width",
        "trim",
        "limiter",
        "flanger",
    ):
        patch, _key = add_effect(patch, "1", Effect.kinds[kind]())
    return patch


def share_of_core(patch: Patch, notes: int, quality: int = 1, blocks: int = 600) -> float:
    """Part of one core that a patch takes with so many notes held, block after block without a pause."""
    program = Program(patch, RATE, BLOCK, quality)
    program.block([Event(0, ON, 48 + n, 0.8) for n in range(notes)])
    for _ in range(60):
        program.block()
    times = []
    for _ in range(blocks):
        begin = time.perf_counter()
        program.block()
        times.append(time.perf_counter() - begin)
    return float(np.median(times) * RATE / BLOCK)


def _process_seconds(pid: int) -> float:
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def live_run(patch: Patch, seconds: float, act: Callable[[EngineLink], None] | None = None) -> dict[str, float]:
    """A patch through the simulated output: start, load, late blocks after the first second."""
    begin = time.perf_counter()
    link = EngineLink("simulated")
    link.show(patch, carry=False)
    link.start()
    while int(link.shared.data["blocks"]) == 0:
        link.poll()
        time.sleep(0.002)
    started = time.perf_counter() - begin
    link.tell(PlayPhrase(PHRASES["arpeggio"], True))
    if act:
        act(link)
    time.sleep(1.0)
    data = link.shared.data
    late, data["worst_late"] = int(data["late"]), 0.0
    assert link._process is not None
    used, since = _process_seconds(link._process.pid), time.perf_counter()
    while time.perf_counter() - since < seconds:
        time.sleep(0.05)
        if act:
            act(link)
    used = (_process_seconds(link._process.pid) - used) / (time.perf_counter() - since)
    found = {
        "sound after s": started,
        "process share": used,
        "late blocks": int(data["late"]) - late,
        "worst late ms": 1000 * float(data["worst_late"]),
    }
    link.close()
    return found


def swap_time() -> dict[str, float]:
    """Milliseconds from showing another patch until the engine sounds it, the median and worst of 20.

    The engine has loaded its kernels by then, which it does while nothing sounds; in its first second a patch also waits for
    its own.
    """
    link = EngineLink("simulated")
    link.show(sine(), carry=False)
    link.start()
    link.wait_until_ready()
    time.sleep(5.0)
    link.tell(PlayPhrase(PHRASES["held"], True))
    time.sleep(0.5)
    times = []
    for n in range(20):
        patch = full() if n % 2 else sine()
        begin = time.perf_counter()
        link.show(patch, carry=False)
        while not link.settled:
            time.sleep(0.0005)
        times.append(1000 * (time.perf_counter() - begin))
        time.sleep(0.15)
    link.close()
    return {"preset switch ms, median": float(np.median(times)), "preset switch ms, worst": max(times)}


def run_bench(as_json: bool, seconds: float) -> str:
    """All loads, as a table or as JSON."""
    found: dict[str, Any] = {"machine": machine()}
    found["one sine layer, 8 notes"] = share_of_core(sine(), 8)
    found["one sine layer, no note"] = share_of_core(sine(), 0)
    for notes in (1, 8, 16):
        found[f"8 layers, filters, LFOs, delay, {notes} notes"] = share_of_core(full(), notes)
    one = share_of_core(full(), 8, 1, 200)
    found["quality 4 over quality 1"] = share_of_core(full(), 8, 4, 200) / one

    found["8 notes × 3 tables × 32 voices, morph, filters, delay"] = share_of_core(tables(32), 8)
    found["control: 8 envelopes, LFOs and curves, 64 threads, 16 notes"] = movement_share()
    with tempfile.TemporaryDirectory() as folder:
        found["128 grains"] = share_of_core(cloud(Path(folder)), 8)
        found["8 notes × 256 partials"] = share_of_core(resynthesis(Path(folder)), 8)
    for unison in (1, 2, 4, 8, 16, 32):
        for notes in (1, 2, 4, 8, 16):
            found[f"one table, {unison:2} voices × {notes:2} notes"] = share_of_core(tables(unison, 1), notes, 1, 150)
    found["a rack of 12 with two reverbs"] = share_of_core(rack(), 1)
    found |= {f"{name}, ns a stereo sample": cost for name, cost in step_costs().items()}
    for quality in (1, 4):
        aliases = drive_aliases(quality)
        found |= {f"drive, {way.lower()}, alias at quality {quality}, dB": level for way, level in aliases.items()}
    found |= inner_loop()

    def hold(link: EngineLink) -> None:
        for key in range(60, 68):
            link.note_on(key, 0.8) if not int(link.shared.data["keys"][key]) else None

    held = live_run(sine(), 5.0, hold)
    found["live: one sine layer, 8 notes, process share"] = held["process share"]
    found["live: sound after s"] = held["sound after s"]
    found |= {f"live: {key}": value for key, value in live_run(full(), seconds).items() if key != "sound after s"}
    found |= swap_time()
    if as_json:
        return json.dumps(found, indent=1)
    lines = [f"Machine: {found.pop('machine')}", "Shares are of one core at 48 kHz and blocks of 256 frames.", ""]
    return "\n".join(lines + [f"{key:58} {value:10.4g}" for key, value in found.items()])
