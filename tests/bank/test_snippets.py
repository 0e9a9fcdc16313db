"""Snippets: kept, read, given to another module, and what is wrong with a file said in one sentence."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from felt_dial.bank.library.snippets import Snippets, apply, read_snippet, settings_of, write_snippet
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.module import Effect, Source
from felt_dial.sound.control.blend import Blend
from felt_dial.sound.control.envelope import Envelope
from felt_dial.sound.control.lfo import Lfo

ROOT = Path(__file__).parents[2]


def test_the_envelopes_people_begin_with_are_there(tmp_path: Path) -> None:
    names = {snippet.name for snippet in Snippets(tmp_path).fitting(Envelope())}
    assert {"Pluck", "Stab", "Pad", "Swell", "Organ", "Kick", "Four-burst clap", "Reverse"} <= names


def test_settings_are_kept_and_given_to_another_whose_name_and_inputs_stay(tmp_path: Path) -> None:
    kept = Snippets(tmp_path)
    line = ((0.0, 0.0, 0.2), (0.4, 1.0, 0.0), (1.0, 0.25, 0.0))
    made = kept.save("Fern", Lfo(name="mine", shape="drawn", rate=3.0, line=line))
    again = next(s for s in kept.fitting(Lfo()) if not s.shipped)
    assert again.name == "Fern" and settings_of(again.module)["line"] == line
    given = apply(Lfo(name="theirs"), again)
    assert (given.name, given.rate, given.line) == ("theirs", 3.0, line)
    assert apply(Blend(first="e1"), kept.save("Both", Blend(first="l1", way="sum"))).first == "e1"
    assert kept.save("Fern", Lfo(rate=5.0)).id == made.id and len([s for s in kept.all() if s.name == "Fern"]) == 1
    kept.remove(again)
    assert not [s for s in kept.all() if s.name == "Fern"]


def test_a_chain_keeps_effects_in_their_order_with_what_they_are_set_to(tmp_path: Path) -> None:
    kept = Snippets(tmp_path)
    delay = Effect.kinds["delay"]().with_value("feedback", 0.7)
    effects = (delay, Effect.kinds["reverb"](), Effect.kinds["delay"]())
    made = kept.save_chain("Long room", effects)
    again = next(chain for chain in kept.chains() if not chain.shipped)
    assert again.name == "Long room" and again.effects == effects and again == made
    assert kept.save_chain("Long room", effects[:1]).id == made.id
    assert [len(chain.effects) for chain in kept.chains() if not chain.shipped] == [1]
    assert "Long room" not in {snippet.name for snippet in kept.all()}
    kept.remove(again)
    assert all(chain.shipped for chain in kept.chains()) and kept.chains()


@pytest.mark.parametrize(
    ("effects", "says"),
    [
        ([], "0 effects"),
        ([{"kind": "trim"}] * 13, "13 effects"),
        ("trim", "no snippet"),
        ([{"kind": "trim"}, {"kind": "spoon"}], "not known"),
        ([{"kind": "delay", "feedback": "much"}], "feedback"),
        ([None], "no snippet"),
    ],
)
def test_what_is_wrong_with_a_chain_is_said(tmp_path: Path, effects: object, says: str) -> None:
    with pytest.raises(BadDocument, match=says):
        read_snippet(json.dumps({"format": 1, "name": "x", "family": "chain", "effects": effects}), "it")


def test_new_modules_begin_with_the_snippet_that_was_chosen(tmp_path: Path) -> None:
    kept = Snippets(tmp_path)
    wall = next(s for s in kept.fitting(Effect.kinds["delay"]()) if s.name == "Garden wall")
    kept.set_default(Effect.kinds["delay"](), wall)
    assert settings_of(kept.fresh(Effect.kinds["delay"]())) == settings_of(wall.module)
    assert kept.fresh(Source.kinds["wave"]()) == Source.kinds["wave"]()
    kept.set_default(Effect.kinds["delay"](), None)
    assert kept.fresh(Effect.kinds["delay"]()) == Effect.kinds["delay"]()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"family": "spoon"}, "no snippet"),
        ({"module": {"kind": "spoon"}}, "not known"),
        ({"format": 99}, "format 99"),
        ({"module": {"kind": "envelope", "attack": "soon"}}, "attack"),
    ],
)
def test_what_is_wrong_is_said_and_the_others_are_still_there(
    tmp_path: Path, change: dict[str, object], says: str
) -> None:
    kept = Snippets(tmp_path)
    kept.save("Good", Envelope(attack=0.5))
    document = json.loads(write_snippet("Bad", Envelope())) | change
    (kept.folder / "bad.json").write_text(json.dumps(document))
    assert [s.name for s in kept.all() if not s.shipped] == ["Good"]
    assert len(kept.problems) == 1 and says in kept.problems[0] and "bad.json" in kept.problems[0]
    with pytest.raises(BadDocument):
        read_snippet(json.dumps(document), "x")
