"""Snippets: the settings of one module under a name, to be given to another of its kind; chains: effects in their order.

Every snippet or chain is a JSON file in the folder `snippets` of the library; those that come with the program lie
beside them in its data and are never written. `defaults.json` says which snippet a new module begins with.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

from felt_dial.errors import cut
from felt_dial.files import CannotRead, at_the_disk, bytes_of, free_name, read_whole, slug, write_whole
from felt_dial.patch.documents.changes import of_modules
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.module import Effect, Filter, Modulator, Module, Source
from felt_dial.patch.parts import RACK_MOST
from felt_dial.patch.shaping import Shaper
from felt_dial.shipped import DATA

SHIPPED = DATA / "snippets"
SNIPPET = of_modules("snippet")
FAMILIES: dict[str, Any] = {
    "source": Source,
    "effect": Effect,
    "drive": Shaper,
    "filter": Filter,
    "modulator": Modulator,
}
"""What settings may be for; an effect that is also a filter or a drive is an effect."""
CHAIN = "chain"
"""The family of a document that holds several effects."""
DEFAULTS = "defaults.json"
M = TypeVar("M", bound=Module)


@dataclass(frozen=True)
class Snippet:
    """Saved settings: its file's name, its own, what it is for, and the module that holds the settings."""

    id: str
    name: str
    family: str
    module: Module
    shipped: bool

    @property
    def kind(self) -> str:
        """The kind of module that it fits."""
        return str(self.module.kind)


@dataclass(frozen=True)
class Chain:
    """Several effects in their order: its file's name, its own, and the effects with their settings."""

    id: str
    name: str
    effects: tuple[Effect, ...]
    shipped: bool


def family_of(module: Module) -> str:
    """`source`, `drive`, `filter`, `modulator` or `effect`."""
    return next(name for name, family in FAMILIES.items() if isinstance(module, family))


def settings_of(module: Module) -> dict[str, Any]:
    """What a snippet keeps of a module: its parameters and drawings, not its name, its recording or its inputs."""
    return {name: module.get(name) for name in (*module.params, *module.drawings)}


def apply(module: M, snippet: Snippet) -> M:
    """The module with the settings of a snippet of its kind; a recording, a name and what it reads stay its own."""
    return module.model_copy(update=settings_of(snippet.module))


def read_snippet(text: str | bytes, where: str) -> tuple[str, str, tuple[Module, ...]]:
    """Name, family and modules of a snippet's document: one, or the effects of a chain; raises `BadDocument`."""
    data = SNIPPET.read(text, where)
    family, name = data.get("family"), data.get("name")
    kept = data.get("effects") if family == CHAIN else [data.get("module")]
    if not isinstance(name, str) or not isinstance(family, str) or not isinstance(kept, list):
        raise BadDocument(f"{where} is no snippet. Nothing was read.")
    if family == CHAIN and not 1 <= len(kept) <= RACK_MOST:
        raise BadDocument(f"{where} holds {len(kept)} effects, and a rack 1 to {RACK_MOST}. Nothing was read.")
    return name, family, tuple(_module(family, settings, where) for settings in kept)


def _module(family: str, settings: object, where: str) -> Module:
    """A module of a family from its settings; raises `BadDocument`."""
    kinds = FAMILIES.get("effect" if family == CHAIN else family)
    if kinds is None or not isinstance(settings, dict):
        raise BadDocument(f"{where} is no snippet. Nothing was read.")
    kind = kinds.kinds.get(str(settings.get("kind")))
    if kind is None:
        what = cut(settings.get("kind"), 20)
        raise BadDocument(f"{where} is for a {family} “{what}” that is not known. Nothing was read.")
    module: Module = SNIPPET.validated(kind, settings, where)
    return module


def _kept(module: Module) -> dict[str, Any]:
    """The settings of a module as they are written."""
    return module.model_dump(mode="json", include={*module.params, *module.drawings, "kind"})


def write_snippet(name: str, module: Module) -> str:
    """The document of a snippet as JSON."""
    return SNIPPET.write({"name": name, "family": family_of(module), "module": _kept(module)})


def write_chain(name: str, effects: Iterable[Effect]) -> str:
    """The document of a chain as JSON."""
    return SNIPPET.write({"name": name, "family": CHAIN, "effects": [_kept(effect) for effect in effects]})


class Snippets:
    """The snippets of a library, and those that come with the program."""

    def __init__(self, library: Path) -> None:
        self.folder = library / "snippets"
        self.problems: list[str] = []

    def all(self) -> list[Snippet]:
        """Every snippet, the person's own first; what cannot be read is named in `problems`."""
        return [one for one in self._everything() if isinstance(one, Snippet)]

    def chains(self) -> list[Chain]:
        """Every chain of effects, the person's own first; what cannot be read is named in `problems`."""
        return [one for one in self._everything() if isinstance(one, Chain)]

    def _everything(self) -> Iterable[Snippet | Chain]:
        self.problems = []
        yield from self._in(self.folder, False)
        yield from self._in(SHIPPED, True)

    def _in(self, folder: Path, shipped: bool) -> Iterable[Snippet | Chain]:
        for path in sorted(folder.glob("*.json")):
            if path.name == DEFAULTS:
                continue
            try:
                name, family, modules = read_snippet(read_whole(path), f"“{path.name}”")
            except (BadDocument, CannotRead) as wrong:
                self.problems.append(str(wrong))
                continue
            if family == CHAIN:
                yield Chain(path.stem, name, tuple(m for m in modules if isinstance(m, Effect)), shipped)
            else:
                yield Snippet(path.stem, name, family, modules[0], shipped)

    def fitting(self, module: Module) -> list[Snippet]:
        """Those for a module of this kind."""
        return [snippet for snippet in self.all() if type(snippet.module) is type(module)]

    def save(self, name: str, module: Module) -> Snippet:
        """Keeps a module's settings; raises `CannotWrite`. One of the same name and kind is replaced."""
        name = name.strip() or module.title
        same = [s.id for s in self.fitting(module) if s.name == name and not s.shipped]
        key = self._write(same, f"{module.kind} {name}", write_snippet(name, module))
        return Snippet(key, name, family_of(module), module, False)

    def save_chain(self, name: str, effects: Iterable[Effect]) -> Chain:
        """Keeps effects in their order; raises `CannotWrite`. A chain of the same name is replaced."""
        effects = tuple(effects)
        name = name.strip() or " and ".join(dict.fromkeys(effect.title for effect in effects))
        same = [chain.id for chain in self.chains() if chain.name == name and not chain.shipped]
        return Chain(self._write(same, f"{CHAIN} {name}", write_chain(name, effects)), name, effects, False)

    def _write(self, same: list[str], called: str, document: str) -> str:
        """Writes a document in the place of the same one, or under a name that is free; the file's name."""
        key = same[0] if same else free_name(slug(called), {path.stem for path in self.folder.glob("*.json")})
        write_whole(self.folder / f"{key}.json", document)
        return key

    def remove(self, snippet: Snippet | Chain) -> None:
        """Throws one of the person's own away; raises `CannotWrite`."""
        if not snippet.shipped:
            with at_the_disk(f"“{cut(snippet.name)}” was not thrown away", "It is still there."):
                (self.folder / f"{snippet.id}.json").unlink(missing_ok=True)

    def defaults(self) -> dict[str, str]:
        """Which snippet a new module of a kind begins with, by `family.kind`."""
        try:
            found = json.loads(bytes_of(self.folder / DEFAULTS))
        except (OSError, ValueError):
            return {}
        return {str(k): str(v) for k, v in found.items()} if isinstance(found, dict) else {}

    def set_default(self, module: Module, snippet: Snippet | None) -> None:
        """New modules of this kind begin with a snippet, or as they come; raises `CannotWrite`."""
        kept = self.defaults()
        place = f"{family_of(module)}.{module.kind}"
        kept.pop(place, None)
        if snippet is not None:
            kept[place] = snippet.id
        write_whole(self.folder / DEFAULTS, json.dumps(kept, indent=1))

    def fresh(self, module: M) -> M:
        """A new module as it should begin."""
        wanted = self.defaults().get(f"{family_of(module)}.{module.kind}")
        if wanted is None:
            return module
        found = next((s for s in self.fitting(module) if s.id == wanted), None)
        return module if found is None else apply(module, found)
