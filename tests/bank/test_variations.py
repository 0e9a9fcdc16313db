"""What sounds are like, and what grows from them: against sounds in closed form, and as their wishes say."""

from __future__ import annotations

from functools import cache
from itertools import pairwise
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest

from felt_dial.bank.finding.names import on_offer, words_of_swatch, working_name
from felt_dial.bank.measuring.features import distance, features_of, reason, steps, vector
from felt_dial.bank.measuring.measurement import swatch_of
from felt_dial.bank.variation import variation_render
from felt_dial.bank.variation.variations import (
    GROUPS,
    TARGET,
    Variation,
    VariationOptions,
    between,
    counts,
    dials,
    group_of,
    layout,
    least_apart,
    spread,
)
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.patch import Patch, slots, with_value
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.root import root_of
from felt_dial.sound.modules import new_patch

BANKS = Path(__file__).parents[2] / "felt_dial" / "data" / "banks"
RATE = 48000
T = np.arange(2 * RATE) / RATE


def tone(
    bright: float = 1.0, length: float = 0.5, attack: float = 0.005, noise: float = 0.0, width: float = 0.0
) -> np.ndarray:
    """A tone of harmonics 1/n^(2/bright) that decays with a time constant, some of it noise, float32 (2, frames)."""
    sound = sum(np.sin(2 * np.pi * 220 * k * T) / k ** (2 / bright) for k in range(1, 40))
    sound = sound * np.minimum(T / attack, 1.0) * np.exp(-T / length)
    rng = np.random.default_rng(1)
    if noise:
        sound = sound + noise * rng.normal(size=len(T)) * np.exp(-T / length)
    sides = width * rng.normal(size=len(T)) * np.exp(-T / length)
    both = np.stack([sound + sides, sound - sides])
    return (0.5 * both / np.abs(both).max()).astype(np.float32)


@pytest.mark.parametrize(
    ("axis", "less", "more"),
    [
        ("bright", {}, {"bright": 2.5}),
        ("length", {"length": 0.08}, {"length": 0.4}),
        ("attack", {}, {"attack": 0.3}),
        ("noise", {}, {"noise": 1.0}),
        ("width", {}, {"width": 0.6}),
    ],
)
def test_more_of_something_moves_its_own_axis_up(axis: str, less: dict, more: dict) -> None:
    one, other = (features_of(tone(**figures), RATE) for figures in (less, more))
    moved = steps(one, other)
    assert moved[axis] > 0.35
    assert steps(other, one)[axis] == pytest.approx(-moved[axis])


def test_distance_is_that_of_a_space() -> None:
    """Nothing is apart from itself, both ways are as long, and no way round is shorter; a level alone is no distance."""
    found = [features_of(tone(**figures), RATE) for figures in ({}, {"bright": 2.0}, {"length": 2.0}, {"noise": 0.5})]
    for a in found:
        assert distance(a, a) == 0.0
        for b in found:
            assert distance(a, b) == pytest.approx(distance(b, a))
            assert distance(a, b) == pytest.approx(float(np.linalg.norm(vector(a) - vector(b))), abs=1e-9)
            assert all(distance(a, b) <= distance(a, c) + distance(c, b) + 1e-9 for c in found)
    assert distance(found[0], features_of(0.3 * tone(), RATE)) < 1e-6


def test_a_reason_says_what_is_the_same_and_what_is_not() -> None:
    plain, bright = features_of(tone(), RATE), features_of(tone(bright=2.5), RATE)
    assert reason(plain, bright).startswith("same ") and "brighter" in reason(plain, bright)
    assert "darker" in reason(bright, plain)


def test_silence_has_features_too() -> None:
    assert features_of(np.zeros((2, RATE), np.float32), RATE).length == 0.0


# --- what may move -----------------------------------------------------------------------------


def preset(name: str) -> str:
    assets.look_in(BANKS)
    return next(BANKS.glob(f"*/presets/{name}.json")).read_text()


def patch_of(name: str) -> Patch:
    return read_patch(preset(name), name)


def test_every_parameter_of_the_demo_belongs_to_a_group_or_is_never_moved() -> None:
    for path in BANKS.glob("*/presets/*.json"):
        patch = read_patch(path.read_text(), path.stem)
        assert {group_of(slot.path, slot.param) for slot in slots(patch)} <= {*GROUPS, ""}  # type: ignore[arg-type]
        assert set(counts(patch, VariationOptions())) == set(GROUPS)


def test_what_is_locked_off_or_at_rest_never_moves() -> None:
    patch = with_value(new_patch(), "layers.a.filter.on", False)
    every = VariationOptions(groups=frozenset(GROUPS))
    paths = {dial.path for dial in dials(patch, every)}
    assert not any(path.startswith("layers.a.filter.") for path in paths) and "level" not in paths
    assert not any(path.endswith(("layers.a.pitch", "layers.a.fine")) for path in paths), "it stays in tune"
    on = with_value(patch, "layers.a.filter.on", True)
    assert "layers.a.filter.cutoff" in {dial.path for dial in dials(on, every)}
    locked = VariationOptions(groups=frozenset(GROUPS), locked=frozenset(("layers.a.filter.cutoff",)))
    assert "layers.a.filter.cutoff" not in {dial.path for dial in dials(on, locked)}


# --- growing -----------------------------------------------------------------------------------

WISHES = VariationOptions(far=0.4, count=6, seed=5)


@cache
def grown(name: str) -> list[Variation]:
    return [one for n in range(12) if not (one := variation_render.grow(preset(name), WISHES, n)).wrong][:6]


@pytest.mark.parametrize("name", ["dew-pluck", "lantern-brass"])
def test_offshoots_are_as_far_as_wished_in_tune_and_as_loud(name: str) -> None:
    """Within 5 cents and half a LU (BS.1770, `pyloudnorm`), measured anew from what they play."""
    parent = variation_render.parent_of(preset(name))
    meter = pyloudnorm.Meter(RATE)
    wanted = meter.integrated_loudness(parent.sound.T.astype(float))
    children = grown(name)
    assert len(children) >= 5
    for one in children:
        sound = variation_render.heard(read_patch(one.document, "it"))
        assert abs(meter.integrated_loudness(sound.T.astype(float)) - wanted) < 0.5
        root = root_of(sound, RATE)
        if (
            root.key is not None
            and root.sure > 0.6
            and parent.sure > 0.6
            and parent.key is not None
            and not parent.glides
        ):
            assert abs((root.key - parent.key + 6) % 12 - 6) < 0.05
        assert np.abs(sound - one.sound).max() < 1e-3 * np.abs(sound).max()
        assert one.changed
    far = sorted(one.far for one in children)
    assert far[len(far) // 2] == pytest.approx(0.4 * TARGET, rel=0.35)
    assert least_apart(np.stack([vector(one.features) for one in children])) > 0.05


def test_the_same_seed_grows_the_same_and_another_others() -> None:
    again = [variation_render.grow(preset("dew-pluck"), WISHES, n) for n in range(2)]
    assert [one.document for one in again] == [
        variation_render.grow(preset("dew-pluck"), WISHES, n).document for n in range(2)
    ]
    other = variation_render.grow(preset("dew-pluck"), VariationOptions(far=0.4, count=6, seed=6), 0)
    assert other.document != again[0].document


def test_further_is_further() -> None:
    far = [
        np.median(
            [variation_render.grow(preset("dew-pluck"), VariationOptions(far=f, seed=2), n).far for n in range(4)]
        )
        for f in (0.1, 0.4, 0.9)
    ]
    assert far[0] < far[1] < far[2]


def test_only_groups_that_may_change_do() -> None:
    before = patch_of("lantern-brass")
    after = read_patch(
        variation_render.grow(
            preset("lantern-brass"), VariationOptions(groups=frozenset(("effects",)), seed=3), 1
        ).document,
        "it",
    )
    changed = [(a.path, a.param) for a, b in zip(slots(before), slots(after), strict=True) if a.value != b.value]
    assert changed and all(group_of(path, param) == "effects" for path, param in changed if path != "level")  # type: ignore[arg-type]


def test_a_silent_child_is_thrown_away() -> None:
    silent = write_patch(with_value(new_patch(), "layers.a.level", -60.0))
    parent = variation_render.parent_of(preset("dew-pluck"))
    wrong = variation_render._wrong(
        parent,
        parent.patch,
        variation_render.heard(with_value(read_patch(silent, "it"), "layers.a.mute", True)),
        WISHES,
    )
    assert wrong == "silent"


# --- the map -----------------------------------------------------------------------------------


def test_those_kept_lie_farther_apart_than_any_taken_blindly() -> None:
    points = np.random.default_rng(4).normal(size=(60, 8))
    kept = spread(points, 12)
    assert len(set(kept)) == 12
    assert least_apart(points[kept]) > max(least_apart(points[n : n + 12]) for n in range(0, 48, 12))
    assert spread(points[:5], 12) == [0, 1, 2, 3, 4]


def test_near_on_the_map_is_near_by_ear_and_nothing_is_covered() -> None:
    rng = np.random.default_rng(7)
    groups = np.concatenate(
        [np.zeros((1, 6)), *(rng.normal(size=6) * 3 + rng.normal(size=(8, 6)) * 0.3 for _ in range(3))]
    )
    places = layout(groups)
    assert np.abs(places).max() <= 1.0 and np.array_equal(places[0], [0.0, 0.0])
    near = [
        np.linalg.norm(places[1 + 8 * g : 9 + 8 * g] - places[1 + 8 * g : 9 + 8 * g].mean(axis=0), axis=1).mean()
        for g in range(3)
    ]
    middles = [places[1 + 8 * g : 9 + 8 * g].mean(axis=0) for g in range(3)]
    apart = [np.linalg.norm(middles[a] - middles[b]) for a, b in ((0, 1), (0, 2), (1, 2))]
    assert max(near) < min(apart) * 1.1
    assert np.array_equal(layout(groups), places)


def test_steps_between_two_sounds_go_steadily_from_one_to_the_other() -> None:
    first = patch_of("dew-pluck")
    last = first
    for path, value in (
        ("layers.a.filter.cutoff", 9000.0),
        ("modulators.e1.decay", 4.0),
        ("layers.a.source.shape", 0.6),
    ):
        last = with_value(last, path, value)
    made = between(first, last, 6)
    assert made.patches[0] == first and made.patches[-1] == last and made.unmatched == ()
    documents = [write_patch(patch) for patch in made.patches]
    far = [variation_render.step_between(document, documents[0]).far for document in documents]
    assert far[0] == 0.0 and all(a < b for a, b in pairwise(far))


def test_what_cannot_be_matched_is_said_and_stays() -> None:
    made = between(patch_of("dew-pluck"), patch_of("moss-pad"), 3)
    assert made.unmatched and all(isinstance(name, str) and name for name in made.unmatched)
    assert list(made.patches[-1].layers) == list(patch_of("dew-pluck").layers)


# --- names -------------------------------------------------------------------------------------


def test_names_on_offer_are_of_the_banks_words_and_never_taken() -> None:
    names = ["Dew Pluck", "Lantern Brass", "Moss Pad", "Root Sub"]
    offered = on_offer(names, [*names, "dew brass"], 5, 1, near="Dew Pluck")
    assert len(set(offered)) == 5 and not {name.casefold() for name in offered} & {
        "dew brass",
        *(n.casefold() for n in names),
    }
    assert offered[0].startswith("Dew ") and on_offer(names, [*names, "dew brass"], 5, 1, near="Dew Pluck") == offered
    assert on_offer([], offered, 5, 1) != []


def test_a_working_name_says_what_a_sound_is() -> None:
    pips = swatch_of(np.pad(tone(bright=4.0, length=0.08)[:, :24000], ((0, 0), (0, 168000))), RATE)
    assert "short" in words_of_swatch(pips)
    low = swatch_of(np.stack([np.sin(2 * np.pi * 50 * np.arange(192000) / RATE)] * 2).astype(np.float32), RATE)
    assert words_of_swatch(low) == ["dark", "long"]
    assert working_name("Bass", words_of_swatch(low), []) == "Dark long bass 1"
    assert working_name("", [], ["Sound 1"]) == "Sound 2"
