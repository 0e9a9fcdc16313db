"""Shelving: what is done to presets and banks, each as a step that can be undone.

Going back restores just what the step changed, and is refused in words where the library has moved on. The table follows
its document.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from felt_dial.bank.library.documents import Document
from felt_dial.bank.library.library import MovedOn
from felt_dial.bank.library.places import shipped_banks
from felt_dial.errors import FeltDialError
from felt_dial.patch.patch import Patch, with_value
from felt_dial.session.session import Session
from felt_dial.session.topics import Restored


def _move(session: Session, home: str, preset: str, to: str, place: int | None) -> str:
    key = session.shelf.library.move(home, preset, to, place)
    session.shelf.documents.moved(home, preset, to, key)
    session.shelf.opened.moved(home, preset, to, key)
    return key


def move_preset(session: Session, home: str, preset: str, to: str) -> None:
    """Moves a preset to another bank, as one step."""
    bank = session.shelf.library.bank(home)
    place, name = bank.ids().index(preset), bank.name_of(preset)
    here, there = [preset], [preset]

    def forth() -> None:
        there[0] = _move(session, home, here[0], to, None)

    def back() -> None:
        here[0] = _move(session, to, there[0], home, place)

    session.shelf.step(f"move {name} to {session.shelf.library.bank(to).name}", forth, back, lambda: (home, to))


def change_preset(session: Session, bank: str, preset: str, change: dict[str, object], what: str) -> None:
    """Changes something about a preset that is not its sound; unsaved work on it stays as it is."""
    stored = session.presets.stored_at(bank, preset)
    if stored is None or all(getattr(stored, key) == value for key, value in change.items()):
        return
    document = session.shelf.documents.at(bank, preset, stored)
    before, name = {key: getattr(stored, key) for key in change}, stored.name
    says = f"rename {name} to {change['name']}" if what == "name" else f"change the {what} of {name}"

    def put(old: dict[str, object], new: dict[str, object]) -> None:
        if not document.there:
            raise MovedOn(f"“{name}” is not in the library any more.")
        document.stored = session.shelf.library.bank(document.bank).change(document.preset, old, new)
        if session.editor.work.document is document:
            session.editor.take_about(new)

    session.shelf.step(
        says, lambda: put(before, change), lambda: put(change, before), lambda: {bank, document.bank} - {""}
    )


def duplicate_preset(session: Session, home: str, preset: str) -> None:
    """A copy behind a preset."""
    library = session.shelf.library
    name = library.bank(home).name_of(preset)
    place, copy, ticket = (home, ""), None, ""

    def forth() -> None:
        nonlocal place, copy
        if ticket:
            place = _restore(session, ticket)
            return
        bank = library.bank(home)
        copy = bank.load(preset).model_copy(update={"name": f"{name} copy"})
        place = home, bank.save_new(copy, after=preset)

    def back() -> None:
        nonlocal ticket
        if session.presets.stored_at(*place) != copy:
            raise MovedOn(f"The copy of “{name}” is not as it was made; it stays.")
        ticket = _delete(session, *place)

    session.shelf.step(f"duplicate {name}", forth, back, lambda: {home, place[0]})


def _delete(session: Session, home: str, preset: str) -> str:
    ticket = session.shelf.library.delete(home, preset)
    session.shelf.documents.deleted(home, preset, ticket)
    return ticket


def _restore(session: Session, ticket: str, show: bool = False) -> tuple[str, str]:
    """Brings a preset or a bank back; `show` lets the Shelf go to where it stands."""
    home, preset = session.shelf.library.restore(ticket)
    session.channel.tell(Restored(home, preset, show))
    if preset:
        session.shelf.documents.restored(ticket, home, preset, session.presets.stored_at(home, preset))
    else:
        session.shelf.documents.bank_restored(ticket, home, session.presets.stored_at)
    return home, preset


def _delete_bank(session: Session, bank: str) -> str:
    ticket = session.shelf.library.delete_bank(bank)
    session.shelf.documents.bank_deleted(bank, ticket)
    return ticket


def delete_preset(session: Session, home: str, preset: str, next_is: str = "") -> None:
    """Puts a preset into the bin; says which one is chosen now."""
    name = session.shelf.library.bank(home).name_of(preset)
    now, ticket = (home, preset), ""

    def forth() -> None:
        nonlocal ticket
        ticket = _delete(session, *now)

    def back() -> None:
        nonlocal now
        now = _restore(session, ticket)

    chosen = f" “{next_is}” is chosen now." if next_is else ""
    session.shelf.step(
        f"delete {name}", forth, back, lambda: {home, now[0]}, f"Deleted {name}; undo brings it back.{chosen}"
    )


def delete_bank(session: Session, key: str) -> None:
    """Puts a whole bank into the bin."""
    name, now, ticket = session.shelf.library.bank(key).name, key, ""
    shown = session.shelf.shown == key

    def forth() -> None:
        nonlocal ticket
        ticket = _delete_bank(session, now)

    def back() -> None:
        nonlocal now
        now = _restore(session, ticket, shown)[0]

    said = f"Deleted the bank {name}; undo brings it back, and so does the bin."
    session.shelf.step(f"delete the bank {name}", forth, back, lambda: {key, now}, said)


def duplicate_bank(session: Session, key: str) -> str:
    """A copy of a bank; returns its id, empty where it could not be made."""
    name, made, ticket = session.shelf.library.bank(key).name, "", ""

    def forth() -> None:
        nonlocal made
        made = _restore(session, ticket)[0] if ticket else session.shelf.library.duplicate(key).id

    def back() -> None:
        nonlocal ticket
        ticket = _delete_bank(session, made)

    return made if session.shelf.step(f"duplicate the bank {name}", forth, back, lambda: (made,)) else ""


def about_bank(session: Session, key: str, change: dict[str, object], what: str) -> None:
    """Changes what a bank says about itself."""
    bank = session.shelf.library.bank(key)
    file = bank.file
    before = {field: getattr(file, field) for field in change}
    if change != before:
        session.shelf.step(
            f"change the {what} of {file.name}",
            lambda: bank.about(before, change),
            lambda: bank.about(change, before),
            lambda: (key,),
        )


def restore_thrown(session: Session, ticket: str, name: str) -> None:
    """Brings a preset or a bank back from the bin."""
    place = ("", "")

    def forth() -> None:
        nonlocal place
        place = _restore(session, ticket, show=True)

    def back() -> None:
        nonlocal ticket
        if not place[1]:
            ticket = _delete_bank(session, place[0])
        elif session.presets.stored_at(*place) is None:
            raise MovedOn(f"“{name}” is not where it was restored to any more.")
        else:
            ticket = _delete(session, *place)

    session.shelf.step(f"restore {name} from the bin", forth, back, lambda: (place[0],))


def reorder_preset(session: Session, home: str, preset: str, to: int) -> None:
    """Moves a preset in front of the one at place `to` of its bank."""
    bank = session.shelf.library.bank(home)
    order = bank.ids()
    to = min(max(to, 0), len(order))
    if preset not in order:
        return
    at = order.index(preset)
    new = to - 1 if to > at else to
    if new == at:
        return
    name = bank.name_of(preset)

    def put(old: int, new: int) -> None:
        now = bank.ids()
        if preset not in now or now.index(preset) != old:
            raise MovedOn(f"“{name}” stands elsewhere by now; the order stays as it is.")
        bank.place(preset, new)

    session.shelf.step(f"move {name} to place {new + 1}", lambda: put(at, new), lambda: put(new, at), lambda: (home,))


def make_bank(session: Session, name: str) -> str:
    """Makes an empty bank and returns its id, empty where it could not be made."""
    made = ""

    def forth() -> None:
        nonlocal made
        made = session.shelf.library.create(name).id

    def back() -> None:
        session.shelf.library.remove_empty(made)

    return made if session.shelf.step(f"make the bank {name}", forth, back, lambda: (made,)) else ""


def reorder_bank(session: Session, key: str, to: int) -> None:
    """Gives a bank another place among the others, counted without it."""
    ids = [bank.id for bank in session.shelf.library.banks()]
    at, name = ids.index(key), session.shelf.library.bank(key).name

    def put(old: int, new: int) -> None:
        now = [bank.id for bank in session.shelf.library.banks()]
        if key not in now or now.index(key) != old:
            raise MovedOn(f"“{name}” stands elsewhere by now; the order stays as it is.")
        session.shelf.library.place_bank(key, new)

    if to != at:
        session.shelf.step(f"move {name} to place {to + 1}", lambda: put(at, to), lambda: put(to, at), lambda: ())


def keep_new(
    session: Session,
    bank: str,
    patches: list[Patch],
    says: str,
    after: str | None = None,
    told: Callable[[bool], None] = lambda kept: None,
) -> list[str]:
    """Saves patches as new presets of a bank, as one step; their ids, none where it was refused.

    `told` hears whether they are kept now: each time they are, and each time an undo takes them away.
    """
    library = session.shelf.library
    patches = [patch if patch.made else patch.model_copy(update={"made": date.today()}) for patch in patches]
    kept: list[tuple[str, str]] = []
    tickets: list[str] = []

    def forth() -> None:
        if tickets:
            kept[:] = reversed([_restore(session, ticket) for ticket in reversed(tickets)])
            tickets.clear()
        else:
            place = after
            for patch in patches:
                place = library.bank(bank).save_new(patch, after=place)
                kept.append((bank, place))
        told(True)

    def back() -> None:
        for where, patch in zip(kept, patches, strict=True):
            if session.presets.stored_at(*where) != patch:
                raise MovedOn(f"“{patch.name}” is not as it was kept; it stays.")
        tickets[:] = [_delete(session, *where) for where in kept]
        told(False)

    done = session.shelf.step(says, forth, back, lambda: {bank, *(home for home, _ in kept)})
    return [key for _, key in kept] if done else []


def change_many(session: Session, these: list[tuple[str, str]], changes: list[dict[str, object]], says: str) -> bool:
    """Changes something about several presets that is not their sound, as one step; all of them or none."""
    rows: list[tuple[Document, dict[str, object], dict[str, object]]] = []
    for where, change in zip(these, changes, strict=True):
        patch = session.presets.stored_at(*where)
        if patch is not None and any(getattr(patch, key) != value for key, value in change.items()):
            rows.append(
                (session.shelf.documents.at(*where, patch), {key: getattr(patch, key) for key in change}, change)
            )
    if not rows:
        return False

    def put(document: Document, before: dict[str, object], after: dict[str, object]) -> None:
        if not document.there:
            raise MovedOn("One of them is not in the library any more; all stay as they are.")
        document.stored = session.shelf.library.bank(document.bank).change(document.preset, before, after)
        if session.editor.work.document is document:
            session.editor.take_about(after)

    def put_all(ways: list[tuple[Document, dict[str, object], dict[str, object]]]) -> None:
        done = []
        try:
            for document, before, after in ways:
                put(document, before, after)
                done.append((document, after, before))
        except FeltDialError:
            for way in reversed(done):
                put(*way)
            raise

    back = [(document, after, before) for document, before, after in rows]
    return session.shelf.step(
        says, lambda: put_all(rows), lambda: put_all(back), lambda: {row[0].bank for row in rows} - {""}
    )


def delete_many(session: Session, these: list[tuple[str, str]]) -> bool:
    """Puts several presets into the bin, as one step."""
    now, tickets = list(these), list[str]()

    def forth() -> None:
        tickets[:] = [_delete(session, *where) for where in now]

    def back() -> None:
        now[:] = reversed([_restore(session, ticket) for ticket in reversed(tickets)])  # each to where it stood

    says = f"delete {len(these)} presets"
    return session.shelf.step(
        says,
        forth,
        back,
        lambda: {home for home, _ in [*these, *now]},
        f"Deleted {len(these)} presets; undo brings them back.",
    )


def move_many(session: Session, these: list[tuple[str, str]], to: str) -> bool:
    """Moves several presets to another bank, as one step."""
    places = [(home, session.shelf.library.bank(home).ids().index(preset)) for home, preset in these]
    here, there = [preset for _, preset in these], list[str]()

    def forth() -> None:
        there[:] = [_move(session, home, preset, to, None) for (home, _), preset in zip(places, here, strict=True)]

    def back() -> None:
        for n in sorted(range(len(here)), key=lambda n: places[n][1]):
            here[n] = _move(session, to, there[n], *places[n])

    name = session.shelf.library.bank(to).name
    return session.shelf.step(
        f"move {len(these)} presets to {name}", forth, back, lambda: {to, *(home for home, _ in places)}
    )


def merge_bank(session: Session, key: str, into: str) -> bool:
    """Moves all presets of a bank to the end of another and puts the empty one into the bin, as one step."""
    library = session.shelf.library
    name, to = library.bank(key).name, library.bank(into).name
    order, home, ticket = library.bank(key).ids(), key, ""
    there: list[str] = []

    def forth() -> None:
        nonlocal ticket
        there[:] = [_move(session, home, preset, into, None) for preset in order]
        ticket = _delete_bank(session, home)

    def back() -> None:
        nonlocal home
        home = _restore(session, ticket)[0]
        for n, preset in enumerate(there):
            order[n] = _move(session, into, preset, home, n)

    return session.shelf.step(f"merge {name} into {to}", forth, back, lambda: {key, home, into})


def split_bank(session: Session, these: list[tuple[str, str]], name: str) -> str:
    """Moves presets into a new bank, as one step; returns its id, empty where it was refused."""
    places = [(home, session.shelf.library.bank(home).ids().index(preset)) for home, preset in these]
    here, there, made = [preset for _, preset in these], list[str](), ""

    def forth() -> None:
        nonlocal made
        made = session.shelf.library.create(name).id
        there[:] = [_move(session, home, preset, made, None) for (home, _), preset in zip(places, here, strict=True)]

    def back() -> None:
        for n in sorted(range(len(here)), key=lambda n: places[n][1]):
            here[n] = _move(session, made, there[n], *places[n])
        session.shelf.library.remove_empty(made)

    done = session.shelf.step(
        f"make a bank of {len(these)} presets", forth, back, lambda: {made, *(home for home, _ in places)}
    )
    return made if done else ""


def reorder_many(session: Session, bank: str, these: list[str], to: int) -> None:
    """Moves presets in front of the one at place `to` of their bank, in the order that they have, as one step."""
    order = session.shelf.library.bank(bank).ids()
    moved = [preset for preset in order if preset in these]
    before = [preset for preset in order[:to] if preset not in these]
    after = [preset for preset in order[to:] if preset not in these]
    if [*before, *moved, *after] != order:
        reorder_bank_by(
            session, bank, [*before, *moved, *after], f"move {len(moved)} presets to place {len(before) + 1}"
        )


def bring_shipped(session: Session) -> None:
    """Brings the banks that come with the program into the library, as one step."""
    made: list[str] = []
    tickets: list[str] = []

    def forth() -> None:
        if tickets:
            made[:] = [_restore(session, ticket)[0] for ticket in tickets]
            tickets.clear()
        else:
            made[:] = [session.shelf.library.take_in(folder).id for folder in shipped_banks()]

    def back() -> None:
        tickets[:] = [_delete_bank(session, key) for key in made]

    session.shelf.step("bring the shipped banks", forth, back, lambda: list(made))


def reorder_bank_by(session: Session, bank: str, order: list[str], says: str) -> bool:
    """Gives all presets of a bank another order, as one step."""
    before = session.shelf.library.bank(bank).ids()

    def put(wanted: list[str]) -> None:
        now = session.shelf.library.bank(bank).ids()
        if set(now) != set(wanted):
            raise MovedOn("The bank holds other presets by now; its order stays.")
        session.shelf.library.bank(bank).reorder(wanted)

    return session.shelf.step(says, lambda: put(order), lambda: put(before), lambda: (bank,))


def level_many(session: Session, lufs: dict[tuple[str, str], float]) -> bool:
    """Brings presets, measured at so many LUFS, to what their bank wishes by their output level, as one step."""
    rows: list[tuple[Document, Patch, Patch]] = []
    for where, loud in lufs.items():
        patch = session.presets.stored_at(*where)
        if patch is None or loud < -70.0:
            continue
        level = min(max(round(float(patch.level) + session.shelf.wanted_loudness(where[0]) - loud, 1), -60.0), 12.0)
        if abs(level - float(patch.level)) >= 0.1:
            rows.append((session.shelf.documents.at(*where, patch), patch, with_value(patch, "level", level)))
    if not rows:
        return False

    def put(ways: list[tuple[Document, Patch, Patch]]) -> None:
        for document, before, after in ways:
            if not document.there or session.presets.stored_at(document.bank, document.preset) != before:
                raise MovedOn(f"“{before.name}” is another by now; it stays.")
            session.shelf.library.bank(document.bank).save(document.preset, after, session.settings.now.versions)
            document.stored = after

    back = [(document, after, before) for document, before, after in rows]
    banks = {document.bank for document, _, _ in rows}
    return session.shelf.step(f"level {len(rows)} presets", lambda: put(rows), lambda: put(back), lambda: banks - {""})
