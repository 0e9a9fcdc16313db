"""Phrases at hand: a person's own, those that come with the program, and those that a preset or a file brought along.

Every phrase of one's own is a JSON file in the folder `phrases` of the library. A preset that is best heard with a phrase
holds it itself, so that it goes wherever the preset goes.
"""

from __future__ import annotations

from dataclasses import asdict, replace
from pathlib import Path

from pydantic import TypeAdapter, ValidationError

from felt_dial.bank.library.bank import MovedOn
from felt_dial.errors import cut
from felt_dial.files import CannotRead, at_the_disk, free_name, held, read_whole, slug, write_whole
from felt_dial.patch.documents.kind import BadDocument, DocumentKind, sentence
from felt_dial.patch.phrase import LONGEST_ID, Phrase
from felt_dial.sound.playing.phrases import PHRASES

PHRASE = DocumentKind("phrase", 1)
MODEL = TypeAdapter(Phrase)
OWN, GUEST = "own:", "guest:"
"""What the ids begin with of a phrase of one's own, behind which stands the name of its file, and of one that a preset
brought along."""


def read_phrase(text: str | bytes, where: str, key: str) -> Phrase:
    """The phrase of a document, under an id; raises `BadDocument`."""
    data = PHRASE.read(text, where)
    try:
        return MODEL.validate_python({**data, "id": key})
    except ValidationError as wrong:
        raise BadDocument(f"{cut(where, 70)}: {sentence(wrong)}. {PHRASE.kept}") from None


def write_phrase(phrase: Phrase) -> str:
    """The document of a phrase as JSON."""
    kept = asdict(phrase)
    del kept["id"]
    return PHRASE.write(kept)


class Phrases:
    """Every phrase that can be chosen, by id."""

    def __init__(self, library: Path) -> None:
        self.folder = library / "phrases"
        self.problems: list[str] = []
        self._own: dict[str, Phrase] = {}
        self._guests: dict[str, Phrase] = {}
        self.read()

    def read(self) -> None:
        """Reads a person's own anew; what cannot be read is named in `problems`."""
        self._own, self.problems = {}, []
        for path in sorted(self.folder.glob("*.json")):
            key = OWN + path.stem
            try:
                self._own[key] = read_phrase(read_whole(path), f"“{path.name}”", key)
            except (BadDocument, CannotRead) as wrong:
                self.problems.append(str(wrong))

    def all(self) -> dict[str, Phrase]:
        """Every phrase: guests, a person's own, and those that come with the program."""
        return self._guests | self._own | PHRASES

    def is_own(self, key: str) -> bool:
        """Whether a phrase can be changed: it is a file of the library."""
        return key in self._own

    def new_id(self, name: str) -> str:
        """An id for a new phrase of one's own."""
        taken = {key.removeprefix(OWN) for key in self._own} | {path.stem for path in self.folder.glob("*.json")}
        return OWN + free_name(slug(name), taken)

    def put(self, before: Phrase | None, after: Phrase | None) -> None:
        """Writes a phrase of one's own as it is after an edit, a new one, or throws one away.

        Raises `MovedOn` where its file is not as it was before, which another window may have changed, and `CannotWrite`.
        """
        phrase = after or before
        assert phrase is not None
        path = self.folder / f"{phrase.id.removeprefix(OWN)}.json"
        with held(self.folder / ".lock", "Your phrases"):
            try:
                there = read_phrase(read_whole(path), f"“{path.name}”", phrase.id) if path.exists() else None
            except (BadDocument, CannotRead):
                there = None
            if there != before:
                self.read()
                raise MovedOn(f"“{cut(phrase.name, 40)}” was changed in another window; it is shown as it is now.")
            if after is not None:
                write_whole(path, write_phrase(after))
                self._own[after.id] = after
            else:
                with at_the_disk(f"“{cut(phrase.name)}” was not thrown away", "It is still there."):
                    path.unlink(missing_ok=True)
                self._own.pop(phrase.id, None)

    def welcome(self, phrase: Phrase) -> str:
        """Lets a phrase that a preset holds be chosen while the window is open; returns the id under which."""
        if self.all().get(phrase.id) == phrase:
            return phrase.id
        key = f"{GUEST}{phrase.id.removeprefix(GUEST)}"[:LONGEST_ID]
        self._guests[key] = replace(phrase, id=key)
        return key
