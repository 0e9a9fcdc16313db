"""Phrases at the table: another is chosen, one of one's own is kept, changed or thrown away."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from felt_dial.errors import FeltDialError
from felt_dial.live.link.messages import PlayPhrase
from felt_dial.live.midi.midi_file import phrase_of
from felt_dial.patch.history import Step
from felt_dial.patch.phrase import Phrase
from felt_dial.session.session import Session
from felt_dial.session.topics import TransportMoved
from felt_dial.sound.playing.phrases import phrase_for


def put_phrase(session: Session, before: Phrase | None, after: Phrase | None, says: str) -> bool:
    """Keeps a phrase of one's own as it is now, a new one, or throws one away, as a step; what plays goes on with it."""

    def put(old: Phrase | None, new: Phrase | None) -> None:
        session.shelf.phrases.put(old, new)
        session.transport.phrase = new.id if new is not None else phrase_for(session.patch.type).id
        if session.transport.playing:
            session.link.tell(PlayPhrase(session.transport.phrase_now, session.transport.looping, go_on=True))
        session.channel.tell(TransportMoved())

    try:
        put(before, after)
    except FeltDialError as wrong:
        session.say(str(wrong), problem=True)
        session.channel.tell(TransportMoved())
        return False
    session.editor.history.add(Step(says, lambda: put(after, before), lambda: put(before, after)))
    return True


def read_phrase_file(session: Session, path: Path, then: Callable[[Phrase], None]) -> None:
    """Reads the notes of a MIDI file beside the window, and hands them on; what cannot be read is said."""
    session.jobs.start(f"Reading {path.name}", lambda watch: phrase_of(path), then)


def add_phrase(session: Session, phrase: Phrase, says: str) -> bool:
    """One more phrase of one's own, chosen at once and played; where it cannot be kept it is there while the window is."""
    made = replace(phrase, id=session.shelf.phrases.new_id(phrase.name))
    kept = put_phrase(session, None, made, says)
    if not kept:
        session.transport.phrase = session.shelf.phrases.welcome(made)
    session.transport.play(True)
    return kept
