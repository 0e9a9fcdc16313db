"""Kernels: every module has one, every modulator is called, and one that is kept holds as long as what it was made from."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.player import PLAYER_SOURCES
from felt_dial.patch.shaping import Shaper
from felt_dial.sound.compiling import kernel_cache
from felt_dial.sound.compiling.compiled import arrays_of, kernel_of
from felt_dial.sound.compiling.kernel import Stage, formula, kernel
from felt_dial.sound.compiling.kernel_cache import InHome, Whole, digest
from felt_dial.sound.control.kernels.core.movers import MOVERS, VALUES
from felt_dial.sound.playing.counted_chance import chance


@pytest.mark.parametrize("family", [Source, Filter, Effect])
def test_every_kind_has_a_kernel_and_a_state(family: type) -> None:
    for kind in [*family.kinds.values(), *([Shaper] if family is Filter else [])]:  # type: ignore[attr-defined]
        assert callable(kernel_of(kind())) and isinstance(arrays_of(kind(), Stage(48000.0, 256)), tuple)


def test_everything_that_moves_has_a_kernel() -> None:
    assert set(MOVERS) | set(VALUES) == {*Modulator.kinds, "macro", *PLAYER_SOURCES}
    assert not set(MOVERS) & set(VALUES)


WRITTEN = '''
from felt_dial.sound.compiling.kernel import kernel
HALF = {number}

@kernel
def below(x):
    """{says}"""
    return x * {factor}

{space}@kernel
def above(x):
    return below(x) + HALF
'''


def stamp(place: Path, number: float = 0.5, factor: float = 2.0, space: str = "", says: str = "One.") -> str:
    file = place / "written.py"
    file.write_text(WRITTEN.format(number=number, factor=factor, space=space, says=says))
    names: dict[str, object] = {"__name__": "written"}
    exec(compile(file.read_text(), str(file), "exec"), names)
    return digest(names["above"].py_func)  # type: ignore[attr-defined]


def test_a_kernel_holds_until_something_that_it_is_made_from_changes(tmp_path: Path) -> None:
    assert stamp(tmp_path) == stamp(tmp_path) == stamp(tmp_path, space="\n\n") == stamp(tmp_path, says="Two.")
    assert stamp(tmp_path) != stamp(tmp_path, number=0.25), "a number that it was compiled with"
    assert stamp(tmp_path) != stamp(tmp_path, factor=3.0), "a kernel that it calls"


def test_what_gives_lanes_is_found_and_counts() -> None:
    assert {path.stem for path in kernel_cache.LANES.glob("*.py")} >= {"lanes", "memory", "types"}


def test_kernels_of_a_program_that_cannot_be_written_to_are_kept_at_home(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("FELT_DIAL_HOME", str(tmp_path))

    def plain(x: float) -> float:
        return x

    place = Path(InHome(plain, "/opt/felt-dial/felt_dial/sound/some.py").get_cache_path())
    assert place.is_relative_to(tmp_path / "cache" / "kernels")


KEPT = """
import sys
from felt_dial.sound.compiling.kernel import kernel

@kernel
def kept(x):
    return {factor} * x

if __name__ == "__main__":
    print(kept(1.5), sum(kept.stats.cache_hits.values()))
"""


def run_kept(place: Path, factor: float = 2.0, room: int = -1) -> tuple[float, int]:
    """Runs a kernel in a process of its own; what it gives, and how often it was found compiled. `room` is how long a
    file may get, in bytes."""
    (place / "kept.py").write_text(KEPT.format(factor=factor))
    within = (resource.RLIM_INFINITY if room < 0 else room,) * 2
    made = subprocess.run(
        [sys.executable, "kept.py"],
        cwd=place,
        env={**os.environ, "PYTHONPATH": str(Path(kernel_cache.__file__).parents[2])},
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, within),
        capture_output=True,
        text=True,
        check=True,
    )
    value, hits = made.stdout.split()
    return float(value), int(hits)


def kept_as(stamp: str, place: Path) -> Whole:
    return Whole(str(place), "kernel", stamp)


@pytest.mark.parametrize("ending", ["nbi", "nbc"])
@pytest.mark.parametrize("damage", ["empty", "cut", "noise", "one bit"])
def test_a_damaged_file_of_a_kernel_is_as_if_it_were_not_there(damage: str, ending: str, tmp_path: Path) -> None:
    """As a power cut leaves them. Numba would raise whatever its pickle does, or run code with a bit turned over."""
    kept_as("now", tmp_path).save("signature", {"code": bytes(1000)})
    assert kept_as("now", tmp_path).load("signature") == {"code": bytes(1000)}
    (file,) = tmp_path.glob(f"*.{ending}")
    whole = file.read_bytes()
    turned = bytearray(whole)
    turned[len(whole) // 2] ^= 4
    noise = np.random.default_rng(4).bytes(len(whole))
    file.write_bytes({"empty": b"", "cut": whole[: len(whole) // 2], "noise": noise, "one bit": bytes(turned)}[damage])
    assert kept_as("now", tmp_path).load("signature") is None
    kept_as("now", tmp_path).save("signature", {"code": bytes(10)})
    assert kept_as("now", tmp_path).load("signature") == {"code": bytes(10)}


def test_code_of_an_earlier_state_of_a_kernel_is_not_run(tmp_path: Path) -> None:
    """The index is written before the code: what ends in between leaves a fresh index with the code of before."""
    kept_as("before", tmp_path).save("signature", "earlier")
    (code,) = tmp_path.glob("*.nbc")
    before = code.read_bytes()
    kept_as("now", tmp_path).save("signature", "later")
    assert kept_as("now", tmp_path).load("signature") == "later"
    code.write_bytes(before)
    assert kept_as("now", tmp_path).load("signature") is None


def test_numba_keeps_kernels_in_this_way(tmp_path: Path) -> None:
    assert run_kept(tmp_path) == (3.0, 0)
    (code,) = (tmp_path / "__pycache__").glob("*.nbc")
    code.write_bytes(code.read_bytes()[:-100])
    assert run_kept(tmp_path) == (3.0, 0) and run_kept(tmp_path) == (3.0, 1)


def test_a_disk_that_takes_no_kernel_stops_none(tmp_path: Path) -> None:
    assert run_kept(tmp_path, room=16) == (3.0, 0)
    assert run_kept(tmp_path) == (3.0, 0) and run_kept(tmp_path) == (3.0, 1)


def test_where_nothing_can_be_written_kernels_run_all_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    """On a read-only disk, or a full one that takes no folder."""
    monkeypatch.setattr(kernel_cache, "_writable", lambda folder: False)

    @kernel
    def thrice(x):
        return 3.0 * x

    assert thrice(1.5) == 4.5


def test_a_formula_is_the_same_function_compiled() -> None:
    compiled = formula(chance)
    with np.errstate(over="ignore"):
        assert [compiled(n, 7) for n in range(9)] == [chance(np.uint64(n), np.uint64(7)) for n in range(9)]


def test_a_small_kernel_runs_as_it_is_written() -> None:
    @kernel
    def twice(x):
        return 2.0 * x

    assert twice(1.5) == 3.0
