"""What the engine tells and does for the one who listens: taps, meters, the limiter, qualities."""

from __future__ import annotations

import numpy as np
import pytest

from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.messages import MeasureAnew, Opened, SetMonitor, SetTap
from felt_dial.patch.edits import add_effect
from felt_dial.patch.module import Effect
from felt_dial.patch.patch import Patch, sounding, with_value
from felt_dial.sound import spectra as seeing
from felt_dial.sound.modules import new_patch
from tests.live.conftest import until


def humming(level: float = -12.0) -> Patch:
    patch = with_value(with_value(new_patch(), "layers.a.source.shape", "sine"), "layers.a.level", level)
    return with_value(patch, "modulators.e1.sustain", 1.0)


def tapped(link: EngineLink) -> tuple[float, float]:
    """Largest samples of the last fifth of a second before and after what is tapped."""
    data = link.shared.data
    ring = seeing.latest(data["tap"], int(data["scope_written"]), 8192)
    return float(np.abs(ring[:2]).max()), float(np.abs(ring[2:]).max())


def show(link: EngineLink, patch: Patch) -> None:
    link.show(patch, carry=True)
    assert until(lambda: link.settled)


def test_an_effect_is_tapped_before_and_after_and_heard_alone(link: EngineLink) -> None:
    """A trim of −12 dB: after is a quarter of before; alone, what it adds is three quarters, turned over."""
    trim = Effect.kinds["trim"]()
    name = next(n for n, p in trim.params.items() if getattr(p, "low", 0) <= -24 and n not in ("wet",))
    patch = add_effect(humming(), "1", trim.with_value(name, -12.0))[0]
    show(link, patch)
    link.note_on(69, 1.0)
    link.tell(SetTap("racks.1.trim1"))
    assert until(lambda: tapped(link)[0] > 0.05)
    assert until(lambda: tapped(link)[1] / max(tapped(link)[0], 1e-9) == pytest.approx(0.251, abs=0.01))
    link.tell(SetTap("racks.1.trim1", True))
    assert until(lambda: tapped(link)[1] / max(tapped(link)[0], 1e-9) == pytest.approx(0.749, abs=0.01))
    place = sounding(patch).index("racks.1.trim1")
    assert until(lambda: link.shared.data["steps"][place][0] == pytest.approx(tapped(link)[0], rel=0.1))
    link.tell(SetTap())
    assert until(lambda: tapped(link)[1] / max(tapped(link)[0], 1e-9) == pytest.approx(0.251, abs=0.02))


def test_the_safety_limiter_is_on_says_so_and_can_be_switched_off(link: EngineLink) -> None:
    data = link.shared.data
    show(link, with_value(humming(6.0), "level", 12.0))
    for key in (57, 61, 64):
        link.note_on(key, 1.0)
    assert until(lambda: float(data["held"]) < -6.0)
    assert until(lambda: 0.9 < np.abs(data["scope"]).max() < 0.967)
    link.tell(SetMonitor("limits", False))
    assert until(lambda: float(data["held"]) == 0.0 and float(np.abs(data["scope"]).max()) == 1.0)


def test_mono_is_for_the_listener_alone(link: EngineLink) -> None:
    data = link.shared.data
    show(link, with_value(humming(), "layers.a.pan", -1.0))
    link.note_on(69, 1.0)
    assert until(lambda: float(np.abs(data["scope"][0]).max()) > 0.05)
    assert until(lambda: float(np.abs(data["scope"][1]).max()) < 1e-6)
    link.tell(SetMonitor("mono", True))
    assert until(lambda: np.array_equal(data["scope"][0], data["scope"][1]))
    assert float(data["integrated"]) <= 0.0
    link.tell(MeasureAnew())


@pytest.mark.parametrize("quality", [2, 8])
def test_another_quality_keeps_the_notes_and_comes_back_with_the_engine(link: EngineLink, quality: int) -> None:
    data = link.shared.data
    show(link, humming())
    link.note_on(69, 1.0)
    assert until(lambda: int(data["voices"]) == 1)
    link.take_quality(quality)
    assert until(lambda: int(data["quality"]) == quality and link.settled)
    assert int(data["voices"]) == 1, "the note goes on"
    link.kill()
    assert until(lambda: any(isinstance(m, Opened) for m in link.poll()), 60)
    assert until(lambda: int(data["quality"]) == quality), "a new engine plays at the same quality"


def test_buses_and_racks_have_their_meters(link: EngineLink) -> None:
    data = link.shared.data
    patch = with_value(humming(), "layers.a.out", "bus2")
    patch = add_effect(patch, "1", Effect.kinds["compressor"](threshold=-40.0, ratio=8.0))[0]
    show(link, patch)
    link.note_on(69, 1.0)
    assert until(lambda: float(data["bus_peaks"][1]) > 0.05 and float(data["bus_peaks"][0]) == 0.0)
    assert until(lambda: float(data["rack_peaks"][0][0]) > float(data["rack_peaks"][0][1]) > 0.0)
    assert until(lambda: link.reading(patch, "racks.1.compressor1") < -6.0), "the gain reduction of this moment"
    assert link.reading(patch, "racks.1.nothing") == 0.0
    assert set(link.costs(patch)) == set(sounding(patch))
