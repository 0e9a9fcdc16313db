"""What the engine says about recordings while they sound, and that it looks where the window looks."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from felt_dial.bank.library.library import Library
from felt_dial.live.link.link import EngineLink
from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.modules import new_patch

SECONDS = 4.0


@pytest.fixture
def library(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Library:
    monkeypatch.setenv(assets.PLACES, "")
    return Library(tmp_path / "library")


def patch_with(library: Library, kind: str, **fields: object) -> Patch:
    t = np.arange(int(SECONDS * 48000)) / 48000
    sound = np.asarray(0.5 * np.sin(2 * np.pi * 311 * t), np.float32)[None]
    asset = library.keep_audio(Audio(sound, 48000.0), "tone")
    patch = replace_module(new_patch(), "layers.a.source", Source.kinds[kind](asset=asset, **fields))
    return with_value(patch, "modulators.e1.sustain", 1.0)


@pytest.fixture
def link() -> Iterator[EngineLink]:
    """An engine that was started before anybody spoke of recordings."""
    made = EngineLink("simulated")
    made.show(new_patch(), carry=False)
    made.start()
    assert made.wait_until_ready(30)
    yield made
    made.close()


def wait(link: EngineLink, until: object, seconds: float = 15.0) -> bool:
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        link.poll()
        if until():  # type: ignore[operator]
            return True
        time.sleep(0.01)
    return False


@pytest.mark.parametrize("kind", ["sample", "grains", "partials"])
def test_the_playhead_goes_through_the_recording(link: EngineLink, library: Library, kind: str) -> None:
    link.show(patch_with(library, kind), carry=False)
    assert wait(link, lambda: link.settled)
    link.note_on(60, 0.9)
    assert wait(link, lambda: (link.place(0) or 0.0) > 0.05)
    first, since = link.place(0), time.monotonic()
    assert wait(link, lambda: float(link.shared.data["layer_peaks"][0]) > 0.01), "and it sounds"
    assert wait(link, lambda: (link.place(0) or 0.0) > first + 0.1)
    assert link.place(0) - first < 2.5 * (time.monotonic() - since + 0.2) / SECONDS
    link.note_off(60)


def test_a_source_without_a_place_has_no_playhead(link: EngineLink) -> None:
    link.note_on(60, 0.9)
    assert wait(link, lambda: int(link.shared.data["voices"]) == 1)
    assert link.place(0) is None


def test_grains_are_counted_where_the_window_can_see_them(link: EngineLink, library: Library) -> None:
    patch = patch_with(library, "grains", dense="count", count=32.0, size=0.5)
    link.show(with_value(patch, "grains", 20), carry=False)
    assert wait(link, lambda: link.settled)
    link.note_on(60, 0.9)
    assert wait(link, lambda: int(link.shared.data["grains"]) == 20)


def test_a_patch_without_its_recording_is_silent_and_the_engine_lives(link: EngineLink, library: Library) -> None:
    patch = patch_with(library, "sample")
    for path in (library.root / ".assets").iterdir():
        path.unlink()
    link.show(patch, carry=False)
    assert wait(link, lambda: link.settled)
    blocks = int(link.shared.data["blocks"])
    link.note_on(60, 0.9)
    assert wait(link, lambda: int(link.shared.data["blocks"]) > blocks + 40)
    assert float(link.shared.data["layer_peaks"][0]) == 0.0
