"""Modules: the parts of a patch that own parameters, and the families they come in.

A module is a frozen pydantic model whose class body declares `Param`, `Choice` and `Switch`:

    class Gain(Effect, kind="gain"):
        amount = Param("Gain", 0.0, (-24.0, 24.0), DECIBELS, says="Louder or quieter.")

The class registers itself with its family under `kind`, which is how a file names it.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, SerializeAsAny

from felt_dial.patch.drawn import Drawn
from felt_dial.patch.params import Param, Parameter, Switch
from felt_dial.patch.units import Value


class ModuleMeta(type(BaseModel)):  # type: ignore[misc]
    """Turns declared parameters into validated fields and enters the class in its family."""

    def __new__(mcs, name: str, bases: tuple[type, ...], space: dict[str, Any], **words: Any) -> Any:
        kind, title = words.pop("kind", None), words.pop("title", None)
        family = words.pop("family", False)
        notes = space.setdefault("__annotations__", {})
        own = {key: value for key, value in space.items() if isinstance(value, Parameter)}
        for key, param in own.items():
            param.name = key
            notes[key] = param.field_type()
            space[key] = param.default
        if kind:
            notes["kind"], space["kind"] = Literal[kind], kind
        cls = super().__new__(mcs, name, bases, space, **words)
        known: dict[str, Parameter] = {}
        for base in reversed(cls.__mro__[1:]):
            known |= base.__dict__.get("params", {}) | base.__dict__.get("drawings", {})
        known |= own
        cls.params = {key: param for key, param in known.items() if not isinstance(param, Drawn)}
        cls.drawings = {key: param for key, param in known.items() if isinstance(param, Drawn)}
        cls.title = title or name
        if family:
            cls.kinds = {}
        if kind:
            cls.kinds[kind] = cls
        return cls


class Module(BaseModel, metaclass=ModuleMeta):
    """A part of a patch; a value that never changes."""

    model_config = ConfigDict(frozen=True, extra="allow")

    if TYPE_CHECKING:

        def __init_subclass__(cls, *, kind: str = "", title: str = "", family: bool = False) -> None: ...

    params: ClassVar[dict[str, Parameter]]
    drawings: ClassVar[dict[str, Drawn]]
    title: ClassVar[str]
    kinds: ClassVar[dict[str, Any]]

    def get(self, name: str) -> Value:
        """The value of one parameter."""
        return getattr(self, name)  # type: ignore[no-any-return]

    def number(self, name: str) -> float:
        """The value of a parameter that is a plain number."""
        return float(getattr(self, name))

    def with_value(self, name: str, value: object) -> Self:
        """A copy with one parameter changed, checked."""
        param = self.params.get(name) or self.drawings[name]
        return self.model_copy(update={name: param.check(value)})

    def substance(self) -> tuple[Any, ...]:
        """What a module is made of besides its parameters, such as a sample: another needs it laid out anew."""
        return ()

    @classmethod
    def row_of(cls, name: str) -> int:
        """Place of a parameter in the order of declaration: its row in the kernel's control array."""
        return list(cls.params).index(name)

    @classmethod
    def about(cls) -> str:
        """The first sentence of the class's docstring: what it does to the sound."""
        return (cls.__doc__ or "").strip().split("\n\n")[0].replace("\n", " ")


class Source(Module, family=True):
    """Makes the raw sound of a layer."""

    tells_end: ClassVar[bool] = False
    """The first of its arrays says which notes have come to their end."""

    def gist(self) -> str:
        """What kind of sound it is set to, in a word or two."""
        return ""

    def place(self, state: tuple[Any, ...], row: int) -> float:
        """Where in its recording a note is, 0 to 1, from the kernel's arrays; −1 where there is no such place."""
        return -1.0


class Filter(Module, family=True):
    """Colours one layer, note by note."""

    on = Switch("On", False, says="Lets the filter work on the layer.")


class Modulator(Module, family=True):
    """Something that moves values over time."""

    tag: ClassVar[str] = ""
    dye: ClassVar[str] = "ink"
    both_ways: ClassVar[bool] = False
    most: ClassVar[int] = 8
    inputs: ClassVar[tuple[str, ...]] = ()
    """Fields that name other movers it reads."""
    name: str = ""

    @classmethod
    def places(cls, layers: Iterable[str]) -> dict[str, str]:
        """What besides movers its inputs may name: id and name, given the patch's layers."""
        return {}

    def shared(self) -> bool:
        """True where it runs once for the whole patch rather than anew in every note."""
        return False


class Effect(Module, family=True):
    """Works on the sum of all voices, in a rack."""

    on = Switch("On", True, says="Lets the effect work; off leaves the sound as it was, bit for bit.", smooth=True)


def _picker(family: type[Module]) -> Any:
    def pick(data: object) -> object:
        if not isinstance(data, dict):
            return data
        kind = data.get("kind")
        if kind not in family.kinds:
            known = ", ".join(sorted(family.kinds))
            raise ValueError(f"no {family.__name__.lower()} is called {kind!r}; known: {known}")
        return family.kinds[kind].model_validate(data)

    return BeforeValidator(pick)


AnySource = Annotated[SerializeAsAny[Source], _picker(Source)]
AnyFilter = Annotated[SerializeAsAny[Filter], _picker(Filter)]
AnyModulator = Annotated[SerializeAsAny[Modulator], _picker(Modulator)]
AnyEffect = Annotated[SerializeAsAny[Effect], _picker(Effect)]

__all__ = [
    "AnyEffect", "AnyFilter", "AnyModulator", "AnySource",
    "Effect", "Filter", "Modulator", "Module", "Param", "Source",
]  # fmt: skip
