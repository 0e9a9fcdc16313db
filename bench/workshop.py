"""How quick the Workshop and the drawer are: `python -m bench.workshop`, rows for docs/performance.md."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["FELT_DIAL_HOME"] = tempfile.mkdtemp()

import numpy as np
import soundfile

from felt_dial.bank.finding.matter import Matter, MatterQuery
from felt_dial.bank.library.places import SHIPPED
from felt_dial.bank.variation.variations import VariationOptions
from felt_dial.live.link.messages import Listen
from felt_dial.session.session import Session
from felt_dial.session.variation_jobs import Growth
from felt_dial.sound.matter.audio_file import Audio, read_audio
from felt_dial.sound.matter.root import root_of
from felt_dial.workshop.recording.loops import loops_of
from felt_dial.workshop.recording.peaks import FirstLook, Peaks
from felt_dial.workshop.recording.spectrogram import spectrogram
from felt_dial.workshop.recording.split import split
from felt_dial.workshop.table.from_recording import WAYS, NoteRecorder

RATE = 48000


def row(name: str, seconds: float) -> None:
    print(f"| {name} | {1000 * seconds:.0f} ms |" if seconds < 1 else f"| {name} | {seconds:.2f} s |", flush=True)


def timed(name: str, act: Callable[[], object], times: int = 3) -> None:
    found = []
    for _ in range(times):
        begin = time.perf_counter()
        act()
        found.append(time.perf_counter() - begin)
    row(name, sorted(found)[times // 2])


def tone(seconds: float, hertz: float = 110.0) -> np.ndarray:
    """A decaying tone of twelve harmonics, float32 (2, frames)."""
    t = np.arange(int(seconds * RATE)) / RATE
    one = np.exp(-t / 4) * sum(np.sin(2 * np.pi * hertz * k * t) / k for k in range(1, 13)) * 0.3
    return np.stack([one, 0.8 * one]).astype(np.float32)


def computed() -> None:
    """What is worked out, in this process."""
    ten = tone(10.0)
    timed("split of 10 s of stereo", lambda: split(ten, RATE))
    for kind, (name, _, way) in WAYS.items():
        timed(f"a table from 10 s {name[0].lower()}{name[1:]}", partial(way, ten, RATE, NoteRecorder()))
        del kind
    timed("loops of 10 s", lambda: loops_of(ten, RATE))
    timed("root of 10 s", lambda: root_of(ten, RATE))
    long = np.tile(tone(10.0), (1, 60))
    path = Path(tempfile.mkdtemp()) / "long.wav"
    soundfile.write(path, long.T, RATE, subtype="FLOAT")
    timed(
        "first picture of 10 minutes: short looks into the file", lambda: FirstLook(path).columns(0, long.shape[1], 900)
    )
    timed("all of 10 minutes: read and drawn", lambda: Peaks(read_audio(path).sound).columns(0, long.shape[1], 900))
    peaks = Peaks(long)
    for k in (0, 4, 8, 12):
        timed(f"columns of 10 minutes, zoomed in {2**k} times", partial(peaks.columns, 0, long.shape[1] / 2**k, 900))
    timed("spectrum of what is seen of 10 minutes", lambda: spectrogram(long, RATE, 0, long.shape[1], 880, 160))


def shelves(count: int = 50_000) -> None:
    """Fifty thousand files in the drawer."""
    folder, rng = Path(tempfile.mkdtemp()), np.random.default_rng(1)
    words = [
        "glass",
        "wood",
        "rain",
        "kick",
        "snare",
        "hat",
        "pad",
        "bell",
        "string",
        "breath",
        "metal",
        "stone",
        "drop",
        "pane",
        "leaf",
        "moth",
    ]
    soundfile.write(folder / "one.wav", 0.1 * rng.normal(size=2000), RATE)
    data = (folder / "one.wav").read_bytes()
    for n in range(count):
        place = folder / f"pack {n % 50}"
        place.mkdir(exist_ok=True)
        (place / f"{words[n % 16]} {words[n // 16 % 16]} {n}.wav").write_bytes(data)
    matter = Matter(folder / "matter.sqlite")
    timed(
        f"{count} files listed for the first time, beside the window",
        lambda: matter.refresh(folder / "none", [str(folder)]),
        1,
    )
    timed("the same again, nothing changed", lambda: matter.refresh(folder / "none", [str(folder)]), 1)
    for words_ in ("g", "glass", "glass 12"):
        timed(f"“{words_}” among them", partial(matter.find, MatterQuery(words=words_)), 5)


def grown(session: Session, name: str) -> float:
    """Seconds in which 24 offshoots of a sound of the demo, which has three layers, are there."""
    from PySide6.QtTest import QTest

    growth = Growth(session.channel)
    document = next(SHIPPED.glob(f"*/presets/{name}.json")).read_text()
    growth.warm(document)
    while growth.parent_ is None:
        QTest.qWait(50)
    QTest.qWait(4000)
    growth.start(document, VariationOptions())
    while growth.busy:
        QTest.qWait(20)
    growth.close()
    assert len(growth.found) == 24
    return growth.seconds


def in_the_window() -> None:
    """From the hand to the sound, in the window with an engine."""
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from felt_dial.bank.library.places import load_settings
    from felt_dial.live.link.link import EngineLink
    from felt_dial.ui.frame.app import stand_up

    application = QApplication([])
    link = EngineLink("simulated")
    link.start()
    window = stand_up(load_settings(), link)
    session = window.session
    link.wait_until_ready(60)
    session.transport.play(False)
    window.open_drawer("", "recording")
    drawer = window.drawer
    QTest.qWait(4000)
    data, found = link.shared.data, []
    for _ in range(12):
        link.tell(Listen(""))
        QTest.qWait(600)
        data["peaks"] = 0.0  # which a sleeping engine leaves as they were
        begin = time.perf_counter()
        drawer.walk(1 if drawer.list.currentIndex().row() < 5 else -5)
        while float(data["peaks"].max()) < 1e-3 and time.perf_counter() - begin < 1:
            time.sleep(0.001)
        found.append(time.perf_counter() - begin)
    row("the drawer: from the key to the sound, the engine's block and meter included", sorted(found)[6])
    link.tell(Listen(""))
    window.show_page("Workshop")
    bench = window.workshop.tables
    bench.work.new()
    QTest.qWait(500)
    session.link.note_on(60, 0.8)
    steps = []
    made = bench.work.recipe
    assert made is not None
    from felt_dial.workshop.table.recipe import with_cycle

    for n in range(12):
        fresh = with_cycle(made, 0, np.sin(2 * np.pi * (n % 7 + 2) * np.arange(2048) / 2048))
        QTest.qWait(200)
        generation = link.generation
        begin = time.perf_counter()
        bench.work.draw(fresh, "draw")
        while link.generation == generation or not link.settled:
            QTest.qWait(1)
            if time.perf_counter() - begin > 2:
                break
        steps.append(time.perf_counter() - begin)
    row("drawn on the bench until the layer plays it", sorted(steps)[6])
    bench.work.let_go()
    samples = window.workshop.recordings
    window.workshop.show_bench("Sample bench")
    asset = session.shelf.library.keep_audio(Audio(np.tile(tone(10.0), (1, 12)), float(RATE)), "Two minutes")
    samples.work.new_sample(asset, None, "two minutes")
    QTest.qWait(1500)
    paints = []
    for n in range(30):
        samples.work.zoom(0.7 if n < 15 else 1 / 0.7, 0.3)
        begin = time.perf_counter()
        samples.wave.repaint()
        samples.spectrum.repaint()
        paints.append(time.perf_counter() - begin)
    row("both pictures painted at another zoom, two minutes of stereo", sorted(paints)[15])
    late = int(data["late"])
    session.transport.play(True)
    QTest.qWait(1000)
    late = int(data["late"])
    samples.split()
    while session.jobs.busy:
        QTest.qWait(20)
    print(f"| blocks late while two minutes are split | {int(data['late']) - late} |")
    session.transport.play(False)
    for name in ("moss-pad", "lantern-brass", "orchid-keys"):
        row(f"24 offshoots of {name}, helpers warm", grown(session, name))
    window.close()
    application.quit()


if __name__ == "__main__":
    computed()
    shelves()
    in_the_window()
