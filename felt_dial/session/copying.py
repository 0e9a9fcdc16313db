"""Copying layers and modulators, and pasting them into this patch or another."""

from __future__ import annotations

from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import add_layer, add_modulator
from felt_dial.patch.module import Modulator
from felt_dial.patch.parts import Layer
from felt_dial.patch.patch import movers
from felt_dial.session.session import Session


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
    session.editor.try_edit(lambda: add_layer(session.patch, layer)[0], f"paste {layer.name or layer.source.title}")


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
