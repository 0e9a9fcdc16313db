"""Scales and keyboard maps, against the published format (Scala archive, `.scl` and `.kbm`) and plain arithmetic."""

from __future__ import annotations

import math

import pytest

from felt_dial.patch.tuning import BadTuning, KeyMap, Tuning, read_kbm, read_scl

FIVE = Tuning(name="Five", cents=(240.0, 480.0, 720.0, 960.0, 1200.0))
SEVEN = Tuning(name="Seven", cents=(200.0, 400.0, 500.0, 700.0, 900.0, 1100.0, 1200.0))


def test_ratios_and_cents_are_told_by_the_period() -> None:
    """A pitch with a period is in cents, any other a ratio; a plain number is over one (Scala archive, the .scl format)."""
    scale = read_scl("! a.scl\n!\nMixed\n 4\n!\n 3/2\n 400.\n 2\n 1/2 below\n", "it")
    assert scale.cents == pytest.approx((1200 * math.log2(1.5), 400.0, 1200.0, -1200.0), abs=1e-9)
    assert scale.name == "Mixed" and scale.about().startswith("Mixed: 4 degrees in ")


def test_without_a_map_the_scale_begins_on_middle_c() -> None:
    assert [FIVE.pitch(60 + n) for n in (-1, 0, 1, 4, 5, 11)] == pytest.approx([57.6, 60.0, 62.4, 69.6, 72.0, 86.4])


@pytest.mark.parametrize("middle", [57, 60, 65])
@pytest.mark.parametrize("key", [50, 60, 69, 71])
def test_the_reference_key_sounds_at_the_reference_wherever_the_scale_begins(middle: int, key: int) -> None:
    """`.kbm`: the sixth line is the frequency of the key on the fifth; all other keys follow from it."""
    tuned = FIVE.model_copy(update={"keys": KeyMap(middle=middle, reference_key=key, reference=432.0)})
    expected = 69.0 + 12.0 * math.log2(432.0 / 440.0)
    assert tuned.pitch(key) == pytest.approx(expected, abs=1e-9)
    for n in (-7, -1, 1, 6):
        assert tuned.pitch(key + n) == pytest.approx(expected + 2.4 * n, abs=1e-9)


def test_the_formal_octave_is_the_degree_that_the_map_names() -> None:
    """`.kbm`: the seventh line is the scale degree that is considered as the octave, by which the map goes on; 0: the last."""
    named = KeyMap(middle=60, reference_key=60, reference=440.0, degrees=(0, 2, 4), octave=5)
    by_five = SEVEN.model_copy(update={"keys": named})
    steps = [round(100 * ((by_five.pitch(60 + n) or 0) - 69.0)) for n in range(-1, 7)]
    assert steps == [-1200 + 1100, 0, 400, 700, 900, 1200, 1600, 1200 + 500], "5 degrees of seven at each turn"
    plain = SEVEN.model_copy(update={"keys": named.model_copy(update={"octave": 0})})
    assert [round(100 * ((plain.pitch(60 + n) or 0) - 69.0)) for n in range(4)] == [0, 400, 700, 1200]


def test_keys_outside_of_the_map_and_those_that_it_leaves_out_are_silent() -> None:
    edges = FIVE.model_copy(update={"keys": KeyMap(first=40, last=80)})
    assert [edges.pitch(key) is None for key in (39, 40, 80, 81)] == [True, False, False, True]
    gaps = SEVEN.model_copy(update={"keys": KeyMap(degrees=(0, None, 1))})
    assert [gaps.pitch(60 + n) is None for n in range(-3, 6)] == [False, True, False] * 3


def test_a_map_is_read_line_by_line() -> None:
    text = "! size\n3\n! first, last\n10\n90\n61\n57\n220.5\n5\n! map\n0\nx\n4\n"
    assert read_kbm(text, "it") == KeyMap(
        first=10, last=90, middle=61, reference_key=57, reference=220.5, octave=5, degrees=(0, None, 4)
    )
    short = read_kbm("4\n0\n127\n60\n69\n440.0\n4\n0\n1\n", "it")
    assert short.degrees == (0, 1, None, None), "what is not written is not mapped"


@pytest.mark.parametrize(
    "text",
    [
        "",
        "x",
        "x\nnone",
        "x\n0\n",
        "x\n1025\n",
        "x\n2\n 100.\n",
        "x\n1\n 1/0\n",
        "x\n1\n -3\n",
        "x\n1\n 1e9.\n",
        "x\n1\n 24001.\n",
    ],
)
def test_what_is_no_scale_is_a_sentence(text: str) -> None:
    with pytest.raises(BadTuning, match="it"):
        read_scl(text, "it")


@pytest.mark.parametrize(
    "lines",
    [
        ("1 0 127 60 69 440.0", "has 6"), ("x 0 127 60 69 440.0 1", "no number"), ("129 0 127 60 69 440.0 1", "outside 0"),
        ("1 0 128 60 69 440.0 1", "outside 0"), ("1 -1 127 60 69 440.0 1", "outside 0"), ("1 0 127 60 69 0.5 1", "reference"),
        ("1 0 127 60 69 inf 1", "reference"), ("1 0 127 60 69 440.0 1025", "beyond"), ("1 0 127 60 69 440.0 1 -1025", "beyond"),
    ],
)  # fmt: skip
def test_what_is_no_map_is_a_sentence(lines: tuple[str, str]) -> None:
    text, says = lines
    with pytest.raises(BadTuning, match=says):
        read_kbm(text.replace(" ", "\n"), "it")
