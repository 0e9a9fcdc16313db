"""Kernels: every module has one, every modulator is called, and one that is kept holds as long as what it was made from."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.player import PLAYER_SOURCES
from felt_dial.patch.shaping import Shaper
from felt_dial.sound import kernel_cache
from felt_dial.sound.compiled import arrays_of, kernel_of
from felt_dial.sound.control.kernels.core.movers import MOVERS, VALUES
from felt_dial.sound.kernel import Stage, formula, kernel
from felt_dial.sound.kernel_cache import InHome, digest
from felt_dial.sound.playing.counted_chance import chance


@pytest.mark.parametrize("family", [Source, Filter, Effect])
def test_every_kind_has_a_kernel_and_a_state(family: type) -> None:
    for kind in [*family.kinds.values(), *([Shaper] if family is Filter else [])]:  # type: ignore[attr-defined]
        assert callable(kernel_of(kind())) and isinstance(arrays_of(kind(), Stage(48000.0, 256)), tuple)


def test_everything_that_moves_has_a_kernel() -> None:
    assert set(MOVERS) | set(VALUES) == {*Modulator.kinds, "macro", *PLAYER_SOURCES}
    assert not set(MOVERS) & set(VALUES)


WRITTEN = '''
from felt_dial.sound.kernel import kernel
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


def test_kernels_of_a_program_that_cannot_be_written_to_are_kept_at_home(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(kernel_cache.platformdirs, "user_cache_dir", lambda name: str(tmp_path / name))

    def plain(x: float) -> float:
        return x

    place = Path(InHome(plain, "/opt/felt-dial/felt_dial/sound/some.py").get_cache_path())
    assert place.is_relative_to(tmp_path / "felt-dial" / "kernels")


def test_a_formula_is_the_same_function_compiled() -> None:
    compiled = formula(chance)
    with np.errstate(over="ignore"):
        assert [compiled(n, 7) for n in range(9)] == [chance(np.uint64(n), np.uint64(7)) for n in range(9)]


def test_a_small_kernel_runs_as_it_is_written() -> None:
    @kernel
    def twice(x):
        return 2.0 * x

    assert twice(1.5) == 3.0
