"""What is made ready from recordings: made once while it is used, and bounded in all."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.sound.matter import kept as keeping
from felt_dial.sound.matter.kept import kept


class Pair(NamedTuple):
    """Two arrays."""

    first: NDArray[np.float32]
    second: NDArray[np.float32]


def test_what_is_in_use_is_made_once_and_the_rest_is_bounded(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(keeping, "MOST_BYTES", 4 * 8000)
    monkeypatch.setattr(keeping, "_strong", type(keeping._strong)())
    made: list[int] = []

    @kept
    def pair(n: int) -> Pair:
        made.append(n)
        return Pair(np.full(1000, n, np.float32), np.full(1000, -n, np.float32))

    used = pair(0)
    for n in range(1, 20):
        assert pair(n).second[0] == -n
    assert sum(keeping._bytes(found) for found in keeping._strong.values()) <= 4 * 8000
    again = pair(0)
    assert again.first is used.first and isinstance(again, Pair) and made.count(0) == 1
    assert made.count(19) == 1 and pair(19).first[0] == 19
    pair(1)
    assert made.count(1) == 2
