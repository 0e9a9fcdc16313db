"""Shelving: what is done to presets and banks, each as a step that can be undone."""

from __future__ import annotations

from dataclasses import replace

from felt_dial.bank.library import Bank, Preset
from felt_dial.patch.patch import Patch
from felt_dial.ui.session import Session


def move_preset(session: Session, home: str, preset: str, to: str) -> None:
    """Moves a preset to another bank, as one step."""
    library = session.library
    place = library.bank(home).ids().index(preset)
    now = [preset]

    def forth() -> None:
        now[0] = library.move(home, preset, to)

    def back() -> None:
        library.move(to, now[0], home)
        order = [k for k in library.bank(home).ids() if k != preset]
        library.bank(home).reorder([*order[:place], preset, *order[place:]])

    session.shelf_step(f"move {preset} to {library.bank(to).name}", forth, back)


def change_preset(session: Session, preset: Preset, change: dict[str, object], what: str) -> None:
    """Changes something about a preset that is not its sound; unsaved work on it stays as it is."""
    assert preset.patch is not None
    bank = session.library.bank(preset.bank)
    before: Patch = preset.patch
    after = before.model_copy(update=change)

    def put(patch: Patch) -> None:
        bank.save(preset.id, patch)
        work = session.work
        if (work.bank, work.preset) == (preset.bank, preset.id) and work.saved is not None:
            about = {key: getattr(patch, key) for key in change}
            a, b, saved = (p.model_copy(update=about) for p in (work.a, work.b, work.saved))
            session.work = replace(work, a=a, b=b, saved=saved)
            session.watchers.wake(None)
            session.changed.emit()

    says = f"rename {before.name} to {after.name}" if what == "name" else f"change the {what} of {before.name}"
    session.shelf_step(says, lambda: put(after), lambda: put(before))


def duplicate_preset(session: Session, home: str, preset: str) -> None:
    """A copy behind a preset."""
    made = [""]

    def forth() -> None:
        bank = session.library.bank(home)
        patch = bank.load(preset)
        made[0] = bank.save_new(patch.model_copy(update={"name": f"{patch.name} copy"}), after=preset)

    session.shelf_step(f"duplicate {preset}", forth, lambda: _into_bin(session, home, made[0]))


def _into_bin(session: Session, home: str, preset: str) -> None:
    session.library.delete(home, preset)


def delete_preset(session: Session, home: str, preset: str) -> None:
    """Puts a preset into the bin."""
    ticket = [""]

    def forth() -> None:
        ticket[0] = session.library.delete(home, preset)

    def back() -> None:
        session.library.restore(ticket[0])

    session.shelf_step(f"delete {preset}", forth, back)


def restore_preset(session: Session, ticket: str) -> None:
    """Brings a preset back from the bin."""
    place: list[tuple[str, str]] = []
    now = [ticket]

    def forth() -> None:
        place[:] = [session.library.restore(now[0])]

    def back() -> None:
        now[0] = session.library.delete(*place[0])

    session.shelf_step("restore a preset from the bin", forth, back)


def reorder_preset(session: Session, home: str, preset: str, to: int) -> None:
    """Moves a preset in front of the one at place `to` of its bank."""
    bank = session.library.bank(home)
    before = bank.ids()
    to = min(max(to, 0), len(before))
    if preset not in before:
        return
    at = before.index(preset)
    after = [key for key in before if key != preset]
    after.insert(to - 1 if to > at else to, preset)
    if after != before:
        says = f"move {preset} to place {after.index(preset) + 1}"
        session.shelf_step(says, lambda: bank.reorder(after), lambda: bank.reorder(before))


def make_bank(session: Session, name: str) -> str:
    """Makes an empty bank and returns its id, empty where it could not be made."""
    made: list[Bank] = []

    def forth() -> None:
        made[:] = [session.library.create(name)]

    def back() -> None:
        if not made[0].ids():
            (made[0].folder / "bank.json").unlink()

    return made[0].id if session.shelf_step(f"make the bank {name}", forth, back) else ""


def rename_bank(session: Session, key: str, name: str) -> None:
    """Gives a bank another name; its folder stays."""
    bank = session.library.bank(key)
    before = bank.name
    session.shelf_step(f"rename {before} to {name}", lambda: bank.rename(name), lambda: bank.rename(before))
