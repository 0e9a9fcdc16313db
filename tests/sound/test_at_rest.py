"""What a dial that is drawn pale says is true: turned from end to end it changes nothing that is heard."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.patch.edits import add_modulator, sew
from felt_dial.patch.module import Modulator, Module, Source
from felt_dial.patch.params import Choice, Param, Switch
from felt_dial.patch.patch import Patch, put
from felt_dial.patch.phrase import Note
from felt_dial.sound.matter.tables import shipped_recordings, shipped_tables
from felt_dial.sound.modules import new_patch
from felt_dial.sound.render import render


def variants(module: Module) -> Iterator[Module]:
    """A module as it comes, and with each of its choices and switches otherwise."""
    yield module
    for name, param in module.params.items():
        values: list[Any] = (
            list(param.ids) if isinstance(param, Choice) else [True] if isinstance(param, Switch) else []
        )
        for value in values:
            if value != module.get(name):
                yield module.model_copy(update={name: value})


def with_matter(module: Source) -> Source:
    table = next(iter(shipped_tables().values()))
    if module.kind == "table":
        return module.model_copy(update={"asset": table.asset, "cycle": table.cycle})
    if module.needs_matter:
        return module.model_copy(update={"asset": shipped_recordings()["Blown Reed"][0]})
    return module


def ends(module: Module, name: str) -> list[Module]:
    """With a parameter at either end, or at each of its options."""
    param = module.params[name]
    values: list[Any] = (
        [param.low, param.high] if isinstance(param, Param) else list(param.ids) if isinstance(param, Choice) else []
    )
    return [module.model_copy(update={name: value}) for value in values]


def sound(patch: Patch) -> NDArray[np.float32]:
    return render(patch, [Note(0.0, 0.4, 57), Note(0.2, 0.3, 62)], 0.6, quality=1)


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("kind", sorted(Source.kinds))
def test_a_dial_of_a_source_that_rests_changes_nothing(kind: str) -> None:
    tried = set()
    for module in variants(with_matter(Source.kinds[kind]())):
        for name in module.at_rest():
            if isinstance(module.params[name], Switch) or (name, module.at_rest()[name]) in tried:
                continue
            tried.add((name, module.at_rest()[name]))
            heard = [sound(put(new_patch(), ["layers", "a", "source"], one)) for one in ends(module, name)]
            assert all(np.array_equal(heard[0], other) for other in heard[1:]), (kind, name, module.at_rest()[name])
            assert np.abs(heard[0]).max() > 0.01


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("kind", sorted(Modulator.kinds))
def test_a_dial_of_a_modulator_that_rests_changes_nothing(kind: str) -> None:
    base = Modulator.kinds[kind]()
    base = base.model_copy(update=dict.fromkeys(base.inputs, "e1") if not base.places(["a"]) else {})
    tried = set()
    for module in variants(base):
        for name, why in module.at_rest().items():
            if (name, why) in tried:
                continue
            tried.add((name, why))
            heard = []
            for one in ends(module, name):
                patch, key = add_modulator(new_patch(), one)
                heard.append(sound(sew(patch, key, "layers.a.pitch", 7.0)[0]))
            assert all(np.array_equal(heard[0], other) for other in heard[1:]), (kind, name, why)


def test_every_reason_names_a_parameter_or_the_recording_and_is_short() -> None:
    for family in (Source, Modulator):
        for cls in family.kinds.values():
            for module in variants(cls()):
                for name, (cause, why) in module.at_rest().items():
                    assert name in module.params and cause in {*module.params, "asset"} and 5 < len(why) < 50
