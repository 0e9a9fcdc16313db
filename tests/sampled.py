"""Long lists of cases: some of them always, all of them by `make soak`."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import pytest


def some(cases: Iterable[Any], step: int) -> list[Any]:
    """Cases of a test, all but each `step`th of which are left to `make soak`."""
    return [case if n % step == 0 else pytest.param(case, marks=pytest.mark.soak) for n, case in enumerate(cases)]
