"""Copying: layers and modulators are copied, pasted, duplicated and removed; a copy is what is chosen next."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import (
    add_layer,
    add_modulator,
    duplicate_layer,
    remove_layer,
    remove_modulator,
    without_idle_modulators,
)
from felt_dial.patch.module import Modulator
from felt_dial.patch.parts import Layer
from felt_dial.patch.patch import Patch, movers, put
from felt_dial.session.session import Session

LAYER_CELLS = ("source", "drive", "filter", "level", "out")


def copy_layer(session: Session, key: str) -> None:
    """Keeps a layer to be pasted, into this patch or another."""
    layer = session.patch.layers[key]
    session.editor.clipboard.put("layer", layer)
    session.say(f"Copied {layer.name or layer.source.title}.")


def paste_layer(session: Session) -> None:
    """The copied layer as a new one; what modulated it stays behind."""
    try:
        layer = session.editor.clipboard.take("layer", Layer).model_copy(update={"inlets": {}})
    except FeltDialError as wrong:
        session.say(str(wrong), problem=True)
        return
    _add(session, lambda: add_layer(session.patch, layer), f"paste {layer.name or layer.source.title}")


def duplicate(session: Session, key: str, own_movers: bool = False) -> None:
    """One more layer like this one; with `own_movers` what shapes and moves it is copied as well."""
    what = "with its movers" if own_movers else ""
    _add(
        session,
        lambda: duplicate_layer(session.patch, key, own_movers),
        f"duplicate layer {key.upper()} {what}".strip(),
    )


def _add(session: Session, make: Callable[[], tuple[Patch, str]], says: str) -> None:
    """Makes an edit that adds a layer, which is chosen; or says why it cannot be."""
    try:
        patch, key = make()
    except FeltDialError as wrong:
        session.say(str(wrong), problem=True)
        return
    part = session.editor.selection[0]
    session.editor.edit(patch, says, select=(part if part in LAYER_CELLS else "source", key))


def remove_layers(session: Session, keys: Iterable[str]) -> None:
    """Takes layers and their threads away, as one step."""
    those = [key for key in session.patch.layers if key in set(keys)]

    def without() -> Patch:
        patch = session.patch
        for key in those:
            patch = remove_layer(patch, key)
        return patch

    letters = " ".join(key.upper() for key in those)
    if session.editor.try_edit(without, f"remove layer {letters}"):
        session.say(f"Removed layer {letters}; undo brings it back.")


def remove_mover(session: Session, key: str) -> None:
    """Takes a modulator and its threads away."""
    if session.editor.try_edit(lambda: remove_modulator(session.patch, key), f"remove {key.upper()}"):
        session.say(f"Removed {key.upper()} and its threads; undo brings them back.")


def remove_idle_movers(session: Session) -> None:
    """Takes all modulators away that nothing hangs on."""
    patch, gone = without_idle_modulators(session.patch)
    if not gone:
        session.say("Every modulator shapes or moves something.")
        return
    session.editor.edit(patch, f"remove {', '.join(key.upper() for key in gone)}")
    session.say(f"Removed {', '.join(key.upper() for key in gone)}, which moved nothing.")


def share_envelope(session: Session, key: str, other: str) -> None:
    """The level of a layer goes by the envelope of another; its own goes where nothing else hangs on it."""
    if key not in session.patch.layers or other not in session.patch.layers:
        session.say("One of the two layers is not there any more.")
        return
    own = session.patch.layers[key].contour
    patch = put(session.patch, ["layers", key, "contour"], session.patch.layers[other].contour)
    if own in without_idle_modulators(patch)[1]:
        patch = remove_modulator(patch, own)
    session.editor.edit(patch, f"shape layer {key.upper()} as layer {other.upper()}")


def copy_modulator(session: Session, key: str) -> None:
    """Keeps a modulator to be pasted, into this patch or another."""
    session.editor.clipboard.put("modulator", session.patch.modulators[key])
    session.say(f"Copied {key.upper()} {session.patch.modulators[key].name}.")


def paste_modulator(session: Session) -> None:
    """The copied modulator as a new one; what it reads and is not here is let go of."""
    try:
        _add_modulator(session, session.editor.clipboard.take("modulator", Modulator), "paste")
    except FeltDialError as wrong:
        session.say(str(wrong), problem=True)


def duplicate_modulator(session: Session, key: str) -> None:
    """One more modulator like this one, which moves nothing yet."""
    try:
        _add_modulator(session, session.patch.modulators[key], "duplicate")
    except FeltDialError as wrong:
        session.say(str(wrong), problem=True)


def _add_modulator(session: Session, modulator: Modulator, verb: str) -> None:
    known = {*movers(session.patch), *modulator.places(session.patch.layers)}
    gone = {field: "" for field in modulator.inputs if getattr(modulator, field) not in known}
    patch, key = add_modulator(session.patch, modulator.model_copy(update=gone))
    session.editor.edit(patch, f"{verb} {modulator.name or modulator.title}", select=("modulator", key))
