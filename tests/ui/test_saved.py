"""Saved or not: every way to save, to touch A and B, and to leave. Offered later is what is not on disk, exactly."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from felt_dial.bank.library.journal import Journal
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.places import Settings, journal_folder
from felt_dial.live.engine.devices import SIMULATED
from felt_dial.live.link.link import EngineLink
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.patch import ABOUT, Patch, with_about_of, with_value
from felt_dial.session import shelf_steps
from felt_dial.session.session import Session
from felt_dial.session.topics import Asked, Said
from felt_dial.sound.modules import new_patch
from tests.sampled import some

BANK = "moss"


def window(root: Path) -> Session:
    session = Session(Settings(library=str(root)), EngineLink(SIMULATED))
    session.shelf.refresh()
    return session


@pytest.fixture
def session(home: Path, qapp: object) -> Iterator[Session]:
    root = home / "library"
    bank = Library(root).create("Moss")
    for n in range(3):
        bank.save_new(with_value(new_patch(f"Moss {n}"), "level", -10.0 - n))
    made = window(root)
    made.presets.open(BANK, "moss-0")
    made.said_to_person = said = []  # type: ignore[attr-defined]
    made.channel.hear(Said, lambda told: said.append(told.text))
    yield made
    made.close()


def sound(patch: Patch) -> Patch:
    """A patch without all that is said about it."""
    return with_about_of(patch, new_patch().model_copy(update={key: getattr(new_patch(), key) for key in ABOUT}))


def on_disk(root: Path) -> list[Patch]:
    """Every sound of the library, also as an earlier version and in the bin, read from files alone."""
    files = [*root.glob("*/presets/*.json"), *root.glob("*/versions/*/*.json"), *root.glob(".bin/*/preset.json")]
    return [sound(read_patch(path.read_bytes(), "a file")) for path in files]


def keep_here(session: Session) -> None:
    patch = session.presets.as_new("Kept here")
    for key in shelf_steps.keep_new(session, BANK, [patch], "keep"):
        session.presets.belongs_to(BANK, key)


LEVELS = itertools.count(200)


def turn(session: Session) -> None:
    """Another level than any before: no other sound is alike by chance."""
    session.editor.set("level", -next(LEVELS) / 10)


SAVES: dict[str, Callable[[Session], object]] = {
    "not": lambda s: None,
    "save": lambda s: s.presets.save(),
    "as new": lambda s: s.presets.save_new("Fern"),
    "as new beside": lambda s: s.presets.save_new("Fern", bank=BANK),
    "kept at once": lambda s: s.presets.quick_keep(),
    "kept here": keep_here,
    "as new, then saved": lambda s: (s.presets.save_new("Fern"), turn(s), s.presets.save()),
    "both sides as new": lambda s: (s.presets.save_new("Fern"), s.editor.flip(), s.presets.save_new("Reed")),
    "saved, then renamed": lambda s: (
        s.presets.save(),
        shelf_steps.change_preset(s, s.editor.work.bank, s.editor.work.preset, {"name": "Reed"}, "name"),
    ),
    "as new, then starred": lambda s: (
        s.presets.save_new("Fern"),
        shelf_steps.change_preset(s, s.editor.work.bank, s.editor.work.preset, {"favourite": True}, "star"),
    ),
}
TOUCHES: dict[str, Callable[[Session], object]] = {
    "nothing": lambda s: None,
    "a": lambda s: turn(s),
    "b": lambda s: (s.editor.flip(), turn(s)),
    "b, heard a": lambda s: (s.editor.flip(), turn(s), s.editor.flip()),
    "both": lambda s: (turn(s), s.editor.flip(), turn(s)),
    "a, copied to b": lambda s: (turn(s), s.editor.copy_side()),
    "a and back": lambda s: (turn(s), s.editor.undo()),
    "listened to one layer": lambda s: s.editor.set("layers.a.solo", True),
}
LEAVES: dict[str, Callable[[Session], object]] = {
    "next preset": lambda s: s.presets.open(BANK, "moss-2"),
    "a new one": lambda s: s.editor.new(),
    "closed": lambda s: None,
}


@pytest.mark.parametrize("story", some([(saves, leaves) for saves in SAVES for leaves in LEAVES], 2), ids="-".join)
def test_offered_is_what_is_not_on_disk_exactly(session: Session, story: tuple[str, str]) -> None:
    saves, leaves = story
    root = session.shelf.library.root
    for touches, touch in TOUCHES.items():
        session.presets.open(BANK, "moss-0")
        session.said_to_person.clear()  # type: ignore[attr-defined]
        touch(session)
        SAVES[saves](session)
        kept = on_disk(root)
        lost = [
            side
            for side in (session.editor.work.a, session.editor.work.b)
            if sound(side) not in kept and not alone(side, kept)
        ]
        LEAVES[leaves](session)
        said = [text for text in session.said_to_person if "one undo away" in text]  # type: ignore[attr-defined]
        session.autosave.write()
        pages = [Journal(journal_folder())._read(path) for path in session.journal.pages()]
        offered = [page.work for page in pages if page is not None]
        case = f"{touches} touched, {saves}, {leaves}"
        assert bool(offered) == bool(lost), case
        assert bool(said) == (bool(lost) and leaves != "closed"), case
        for side in lost:
            assert any(side in (work.a, work.b) for work in offered), case
        for path in session.journal.pages():
            path.unlink()
        session.editor.new()


def alone(patch: Patch, stored: list[Patch]) -> bool:
    layers = {key: layer.model_copy(update={"solo": False}) for key, layer in patch.layers.items()}
    return sound(patch.model_copy(update={"layers": layers})) in stored  # which is for listening


def test_what_was_made_and_is_in_no_bank_is_work_however_it_came(session: Session) -> None:
    """As a bounce to a new patch, or an offshoot that is opened: nobody has changed it, and it is nowhere else."""
    made = with_value(new_patch("Bounced"), "level", -30.0)
    session.editor.open_patch(made, made=True)
    session.autosave.write()
    assert len(session.journal.pages()) == 1
    session.journal.close()  # killed
    again = window(session.shelf.library.root)
    (left,) = again.journal.left_behind()
    again.presets.take_up(left)
    assert again.patch == made and again.editor.unsaved
    assert again.presets.save_new("Bounced") and again.journal.pages() == []
    again.close()


# --- where a save goes ----------------------------------------------------------------------------


def test_one_answer_says_where_a_save_goes_and_it_goes_there(session: Session) -> None:
    presets, library = session.presets, session.shelf.library
    assert presets.home().id == BANK, "something of it was opened last"
    other = library.create("Reeds").id
    session.shelf.refresh()
    presets.use(other)
    assert presets.home() == (other, "Reeds")
    session.editor.set("level", -20.0)
    assert session.presets.save_new("Fern") and session.editor.work.bank == other
    library.delete_bank(other)
    library.delete_bank(BANK)
    session.shelf.refresh()
    assert presets.home() == ("", "First Sketches")
    assert session.presets.save_new("Last") and session.editor.work.bank == "first-sketches" == presets.home().id


def test_banks_that_come_with_the_program_are_never_proposed(session: Session) -> None:
    library = session.shelf.library
    library.delete_bank(BANK)
    shelf_steps.bring_shipped(session)
    session.shelf.refresh()
    assert {bank.id for bank in session.shelf.banks} == {"glasshouse-at-dusk", "tide-tables"}
    for bank in ("glasshouse-at-dusk", "tide-tables"):
        session.presets.use(bank)
        session.presets.open(bank, library.bank(bank).ids()[0])
        assert session.presets.home() == ("", "First Sketches") and session.presets.shipped(bank)
    session.presets.open("glasshouse-at-dusk", "dew-pluck")
    before = set(library.bank("glasshouse-at-dusk").ids())
    assert session.presets.save_new("Mine") and session.shelf.bank_name(session.editor.work.bank) == "First Sketches"
    assert set(library.bank("glasshouse-at-dusk").ids()) == before


def test_a_new_preset_tells_where_it_comes_from_and_claims_nothing(session: Session) -> None:
    session.settings.keep(session.settings.now.model_copy(update={"author": "Ada"}))
    shelf_steps.change_preset(session, BANK, "moss-0", {"description": "Slow and wet", "author": "Bo"}, "description")
    told = session.patch.macros["m1"].model_copy(update={"description": "Opens it"})
    session.editor.edit(session.patch.model_copy(update={"macros": {**session.patch.macros, "m1": told}}), "describe")
    assert session.presets.save()
    session.editor.set("level", -25.0)
    asked: list[list[tuple[str, Callable[[], object]]]] = []
    session.channel.hear(Asked, lambda told: asked.append(told.answers))
    assert session.presets.save_new("Fern")
    fern = session.shelf.library.bank(session.editor.work.bank).load(session.editor.work.preset)
    assert (fern.parent, fern.author, fern.description) == ("Moss 0", "Ada", "")
    assert fern.macros["m1"].description == "" and not session.editor.unsaved
    (answers,) = asked
    dict(answers)["Take them too"]()
    assert session.patch.description == "Slow and wet" and not session.editor.unsaved
    assert session.patch.macros["m1"].description == "Opens it"
    session.editor.set("level", -26.0)
    assert session.presets.save_new("Frond")
    frond = session.shelf.library.bank(session.editor.work.bank).load(session.editor.work.preset)
    assert frond.parent == "Fern", "what it was made from, not what that was made from"
    before = session.patch
    session.presets.open(BANK, "moss-1")
    dict(asked[-1])["Take them too"]()
    assert session.patch != before and session.patch.description == "", "it was about a sound that lies there no more"


def test_after_means_the_cousin_of_the_same_bank(session: Session) -> None:
    """A bank that has a preset of the same id by chance is no reason to stand behind that."""
    other = session.shelf.library.create("Reeds")
    for name in ("Moss 0", "Reed"):
        other.save_new(new_patch(name))
    session.shelf.refresh()
    assert session.presets.save_new("Fern", bank=other.id)
    assert other.ids() == ["moss-0", "reed", "fern"]
    session.presets.open(BANK, "moss-0")
    assert session.presets.save_new("Frond", bank=BANK)
    assert session.shelf.library.bank(BANK).ids()[:2] == ["moss-0", "frond"]


# --- two windows ----------------------------------------------------------------------------------

LEVEL = "level"


@pytest.fixture
def two(session: Session) -> Iterator[tuple[Session, Session]]:
    other = window(session.shelf.library.root)
    other.presets.open(BANK, "moss-0")
    yield session, other
    other.close()


def notice(session: Session) -> None:
    """What a follower does within two seconds, at once."""
    session.shelf.refresh()


OTHER_DOES: dict[str, Callable[[Session], object]] = {
    "saves": lambda s: (s.editor.set(LEVEL, -3.0), s.presets.save()),
    "saves as new": lambda s: (s.editor.set(LEVEL, -3.0), s.presets.save_new("Fern", bank=BANK)),
    "moves": lambda s: shelf_steps.move_preset(s, BANK, "moss-0", s.shelf.library.create("Reeds").id),
    "renames": lambda s: shelf_steps.change_preset(s, BANK, "moss-0", {"name": "Renamed"}, "name"),
    "stars": lambda s: shelf_steps.change_preset(s, BANK, "moss-0", {"favourite": True}, "star"),
    "reorders": lambda s: shelf_steps.reorder_preset(s, BANK, "moss-0", 3),
    "deletes": lambda s: shelf_steps.delete_preset(s, BANK, "moss-0"),
    "deletes and restores": lambda s: (shelf_steps.delete_preset(s, BANK, "moss-0"), s.editor.undo()),
    "merges": lambda s: shelf_steps.move_many(
        s, [(BANK, key) for key in s.shelf.library.bank(BANK).ids()], s.shelf.library.create("Reeds").id
    ),
    "deletes the bank": lambda s: shelf_steps.delete_bank(s, BANK),
}


@pytest.mark.parametrize("notices", [True, False])
@pytest.mark.parametrize("dirty", [True, False])
@pytest.mark.parametrize("does", list(OTHER_DOES))
def test_what_one_window_does_the_other_never_writes_over_unasked(
    two: tuple[Session, Session], does: str, dirty: bool, notices: bool
) -> None:
    mine, other = two
    asked: list[list[tuple[str, Callable[[], object]]]] = []
    mine.channel.hear(Asked, lambda told: asked.append(told.answers))
    if dirty:
        mine.editor.set(LEVEL, -30.0)
    OTHER_DOES[does](other)
    before = {(b.id, key): b.load(key) for b in mine.shelf.library.banks() for key in b.ids()}
    if notices:
        notice(mine)
    lists = {(row.bank, row.id) for bank in mine.shelf.banks for row in mine.shelf.catalogue.presets(bank.id)}
    assert not notices or lists == set(before)
    if does == "saves" and not dirty and notices:
        assert mine.editor.value(LEVEL) == -3.0 and not mine.editor.unsaved, (
            "theirs is shown where nothing is unsaved here"
        )
    if does in ("renames", "stars") and notices:
        assert mine.patch.name == other.patch.name and mine.patch.favourite == other.patch.favourite
    if does == "moves" and notices:
        assert mine.editor.work.bank == "reeds"
    mine.presets.save()
    after = {(b.id, key): b.load(key) for b in mine.shelf.library.banks() for key in b.ids()}
    changed = {place for place, patch in before.items() if after.get(place) != patch}
    mine_only = does in ("reorders", "saves as new", "moves", "merges", "renames", "stars", "deletes and restores")
    if does == "saves":
        assert changed == set() and bool(asked) == (dirty or not notices)
    elif not mine_only:
        assert changed == set(), "what the other did away with does not come back to life"
    for place in changed:
        assert after[place].get(LEVEL) == mine.editor.value(LEVEL)


@pytest.mark.parametrize("answer", ["Keep both", "Replace theirs", "Take theirs"])
def test_a_save_over_what_was_not_seen_asks(two: tuple[Session, Session], answer: str) -> None:
    mine, other = two
    asked: list[tuple[str, dict[str, Callable[[], object]]]] = []
    mine.channel.hear(Asked, lambda told: asked.append((told.text, dict(told.answers))))
    mine.editor.set(LEVEL, -30.0)
    other.editor.set(LEVEL, -3.0)
    assert other.presets.save() and not mine.presets.save()
    ((text, answers),) = asked
    assert "saved in the meantime" in text and "Output" in text and "−3" in text
    answers[answer]()
    bank = mine.shelf.library.bank(BANK)
    levels = {key: bank.load(key).get(LEVEL) for key in bank.ids()}
    if answer == "Keep both":
        assert levels["moss-0"] == -3.0 and levels[mine.editor.work.preset] == -30.0 and mine.patch.name == "Moss 0 2"
    elif answer == "Replace theirs":
        assert levels["moss-0"] == -30.0 and len(bank.versions("moss-0")) == 2
    else:
        assert levels["moss-0"] == -3.0 == mine.editor.value(LEVEL) and not mine.editor.unsaved
        mine.editor.undo()
        assert mine.editor.value(LEVEL) == -30.0, "mine is one undo away"
    assert mine.presets.save() or answer == "Take theirs"


def test_taken_up_work_asks_before_it_is_saved_over_what_came_later(two: tuple[Session, Session]) -> None:
    mine, other = two
    mine.editor.set(LEVEL, -30.0)
    mine.autosave.write()
    mine.journal.close()  # killed
    other.editor.set(LEVEL, -3.0)
    assert other.presets.save()
    again = window(mine.shelf.library.root)
    again.presets.take_up(again.journal.left_behind()[0])
    assert again.editor.value(LEVEL) == -30.0 and not again.presets.save()
    assert other.presets.save() and again.shelf.library.bank(BANK).load("moss-0").get(LEVEL) == -3.0
    again.close()
