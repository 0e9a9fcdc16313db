"""The heavier loads of docs/performance.md: tables in unison, clouds, partials, and the inner loop beside plain C."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
import time
from pathlib import Path

import numpy as np

from felt_dial.patch.edits import add_effect, add_modulator, duplicate_layer, replace_module, sew
from felt_dial.patch.module import Effect, Modulator, Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.control.kernels.core.run import enter_modulation
from felt_dial.sound.engine.program import Program
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.matter.tables import shipped_tables
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.events import ON, Event
from felt_dial.sound.sizes import BLOCK
from felt_dial.sound.sources.kernels.core.cycle_reader import find_places, read_places
from felt_dial.sound.sources.kernels.core.unison import add_line

RATE = 48000


def tables(unison: int, layers: int = 3) -> Patch:
    """Layers of one table, its position moving, a filter each, one delay."""
    about = shipped_tables()["Gardener"]
    source = Source.kinds["table"](asset=about.asset, cycle=about.cycle, unison=unison, position=0.3)
    patch = replace_module(new_patch(), "layers.a.source", source)
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"]())
    patch, _ = sew(patch, lfo, "layers.a.source.position", 0.5)
    patch = with_value(patch, "layers.a.filter.on", True)
    for _ in range(layers - 1):
        patch, _ = duplicate_layer(patch, "a")
    return add_effect(patch, "1", Effect.kinds["delay"]())[0]


def _recorded(kind: str, harmonics: int, folder: Path, **fields: object) -> Patch:
    t = np.arange(3 * RATE) / RATE
    sound = sum(np.sin(2 * np.pi * 60 * n * t + n * n) for n in range(1, harmonics + 1)) / harmonics
    assets.look_in(folder)
    asset = assets.keep(folder / ".assets", Audio(np.asarray(sound, np.float32)[None], RATE), "load")
    return replace_module(new_patch(), "layers.a.source", Source.kinds[kind](asset=asset, root=35, **fields))


def cloud(folder: Path) -> Patch:
    """128 grains at once."""
    return _recorded("grains", 40, folder, dense="count", count=16.0, size=0.3)


def movement() -> Patch:
    """Everything that moves: 8 layers, 8 envelopes, 8 LFOs, 8 curves, and 64 threads from them."""
    patch = new_patch()
    for _ in range(7):
        patch, _ = duplicate_layer(patch, "a")
    for kind in ("envelope", "lfo", "curve"):
        while sum(mover.kind == kind for mover in patch.modulators.values()) < 8:
            patch, _ = add_modulator(patch, Modulator.kinds[kind]())
    dials = ("pitch", "pan", "fine", "level", "source.width", "filter.cutoff", "filter.resonance", "filter.follow")
    sources = list(patch.modulators)
    for n in range(64):
        target = f"layers.{'abcdefgh'[n % 8]}.{dials[n // 8]}"
        patch, _ = sew(patch, sources[n % len(sources)], target, 0.1)
    return patch


def movement_share(notes: int = 16, blocks: int = 400) -> float:
    """Share of a core that control alone takes: the modulation kernel of that patch, the best of five runs."""
    program = Program(movement(), RATE)
    program.block([Event(0, ON, 40 + n, 0.8) for n in range(notes)])
    for _ in range(3):
        program.block()
    arguments = program.modulation_arguments()
    best = 1e9
    for _ in range(5):
        begin = time.perf_counter()
        for _ in range(blocks):
            enter_modulation(*arguments)
        best = min(best, (time.perf_counter() - begin) / blocks)
    return best * RATE / BLOCK


def resynthesis(folder: Path) -> Patch:
    """256 partials a note."""
    return _recorded("partials", 256, folder, partials=256, speed=0.2)


@kernel
def _inner(  # type: ignore[no-untyped-def]
    samples, shift, phases, steps, voice, mix, index, part, line, bends, count, times
):
    """The innermost loops of Wave and Table over some voices, again and again."""
    for _ in range(times):
        for u in range(phases.shape[0]):
            p, step = phases[u], steps[u]
            find_places(p, step, np.uint32(0), bends, shift, count, index, part)
            read_places(samples, 0, index, part, count, line)
            add_line(mix, count, line, voice)
            phases[u] = np.uint32(p + np.uint32(step * np.uint32(count)))


C_LOOP = """
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <time.h>
__attribute__((noinline)) static void run(float *out, const float *s, int shift, uint32_t *ph, const uint32_t *st,
    float a, float b, int voices, int n) {
  float scale = 1.0f / (1u << shift); uint32_t mask = (1u << shift) - 1;
  for (int u = 0; u < voices; u++) {
    uint32_t p = ph[u], d = st[u];
    for (int k = 0; k < n; k++) {
      uint32_t q = p + d * k; int i = q >> shift; float x = (float)(int)(q & mask) * scale;
      float v = s[i] + x * (s[i + 1] - s[i]);
      out[k] += v * a; out[n + k] += v * b;
    }
    ph[u] = p + d * n;
  }
}
int main(int argc, char **argv) {
  int n = atoi(argv[1]), times = atoi(argv[2]), voices = 32;
  float *s = malloc(4 * 8193), *out = calloc(2 * n, 4); uint32_t ph[32], st[32]; double best = 1e9;
  for (int i = 0; i < 8193; i++) s[i] = rand() / 1e9f;
  for (int i = 0; i < voices; i++) { ph[i] = rand(); st[i] = 19685266 + i * 40000; }
  for (int round = 0; round < 7; round++) {
    struct timespec a, b; clock_gettime(CLOCK_MONOTONIC, &a);
    for (int k = 0; k < times; k++) run(out, s, 19, ph, st, 0.7f, 0.6f, voices, n);
    clock_gettime(CLOCK_MONOTONIC, &b);
    double t = b.tv_sec - a.tv_sec + 1e-9 * (b.tv_nsec - a.tv_nsec); if (t < best) best = t;
  }
  printf("%f %f", best / times / voices / n * 1e9, out[0]);
}
"""


def inner_loop(frames: int = 256) -> dict[str, float]:
    """Nanoseconds of one voice and frame in the inner loop, ours and plain C's; C only where gcc is there."""
    times = 400
    samples = np.random.default_rng(1).random(8193).astype(np.float32)
    phases = np.arange(32, dtype=np.uint32) * np.uint32(77777777)
    steps = np.full(32, 19685266, np.uint32) + np.arange(32, dtype=np.uint32) * np.uint32(40000)
    index, bends = np.zeros(frames, np.uint32), np.zeros(frames, np.uint32)
    part, line, mix = np.zeros(frames, np.float32), np.zeros(frames, np.float32), np.zeros((2, frames), np.float32)
    voice = np.array([1.0, 0.7, 0.6, 0.7, 0.6, 0.7, 0.6], np.float32)
    arguments = (samples, np.uint32(19), phases, steps, voice, mix, index, part, line, bends, frames)
    _inner(*arguments, 1)
    best = 1e9
    for _ in range(7):
        begin = time.perf_counter()
        _inner(*arguments, times)
        best = min(best, time.perf_counter() - begin)
    found = {"inner loop, ns a voice and frame": best / times / 32 / frames * 1e9}
    gcc = shutil.which("gcc")
    if gcc:
        with tempfile.TemporaryDirectory() as folder:
            source, program = Path(folder) / "loop.c", Path(folder) / "loop"
            source.write_text(C_LOOP)
            subprocess.run([gcc, "-O3", "-march=native", "-ffast-math", "-o", program, source], check=True)
            said = subprocess.run([program, str(frames), str(times)], check=True, capture_output=True, text=True)
        found["the same in C (gcc -O3 -march=native -ffast-math)"] = float(said.stdout.split()[0])
    return found
