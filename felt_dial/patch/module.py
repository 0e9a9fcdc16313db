"""Modules: the parts of a patch that own parameters, and the families they come in.

A module is a frozen pydantic model whose class body declares `Param`, `Choice` and `Switch`:

    class Gain(Effect, kind="gain"):
        amount = Param("Gain", 0.0, (-24.0, 24.0), DECIBELS, says="Louder or quieter.")

The class registers itself with its family under `kind`, which is how a file names it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Self, TypeVar

from pydantic import BaseModel, BeforeValidator, ConfigDict, SerializeAsAny

from felt_dial.errors import cut
from felt_dial.patch.drawn import Drawn
from felt_dial.patch.params import LOG, Choice, Param, Parameter, Switch
from felt_dial.patch.units import DECIBELS, HERTZ, PERCENT, SEMITONES, Value

P = TypeVar("P", bound=Parameter)


def _sure(param: Parameter, kind: type[P]) -> P:
    if not isinstance(param, kind):
        raise TypeError(f"{param.label} is no {kind.__name__}")
    return param


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

    def __call__(cls, *args: Any, **words: Any) -> Any:
        """Makes a module in code: a misspelt parameter is a fault there. What a document says besides is kept by
        `model_validate`, which does not come through here."""
        _known_only(cls.__name__, words, cls.model_fields)
        return super().__call__(*args, **words)


def _known_only(name: str, words: Iterable[str], known: Iterable[str]) -> None:
    """Raises `TypeError` for a word that is no field."""
    unknown = set(words) - set(known)
    if unknown:
        raise TypeError(f"{name} has no {', '.join(sorted(unknown))}")


class Module(BaseModel, metaclass=ModuleMeta):
    """A part of a patch; a value that never changes."""

    model_config = ConfigDict(frozen=True, extra="allow", defer_build=True)

    if TYPE_CHECKING:
        kind: str

        def __init_subclass__(cls, *, kind: str = "", title: str = "", family: bool = False) -> None: ...

    params: ClassVar[dict[str, Parameter]]
    drawings: ClassVar[dict[str, Drawn]]
    title: ClassVar[str]
    kinds: ClassVar[dict[str, Any]]
    picture: ClassVar[str] = ""
    """The name of the picture that suits it; none shows its values as bars."""

    splices: ClassVar[frozenset[str]] = frozenset()
    """Choices after which its sound begins anew, because what is in its loops would not fit any more."""

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with some fields changed, unchecked; raises `TypeError` for one that is none."""
        if update:
            _known_only(type(self).__name__, update, (*type(self).model_fields, *(self.model_extra or ())))
        return super().model_copy(update=update, deep=deep)

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

    def idle(self) -> set[str]:
        """Parameters that do nothing as the module is set: no dial is shown for them."""
        return set()

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """Dials that are shown and do nothing as the module is set: the parameter, or the `asset`, that makes it so, and why."""
        return {}

    def lasts(self, name: str) -> tuple[float, float] | None:
        """Seconds and frames that the whole of a place or a part stands for, where it is one of a recording."""
        return None

    def substance(self) -> tuple[Any, ...]:
        """What a module is made of besides its parameters, such as a sample: another needs it laid out anew."""
        return ()

    def shaped(self) -> tuple[Any, ...]:
        """What of it is drawn or turned by hand and yet lays the sound out anew; pages follow it as they do a value."""
        return ()

    @classmethod
    def param_of(cls, name: str) -> Param:
        """Declaration of a number; raises `TypeError` where it is none."""
        return _sure(cls.params[name], Param)

    @classmethod
    def choice_of(cls, name: str) -> Choice:
        """Declaration of a choice; raises `TypeError` where it is none."""
        return _sure(cls.params[name], Choice)

    @classmethod
    def row_of(cls, name: str) -> int:
        """Place of a parameter in the order of declaration: its row in the kernel's control array."""
        return list(cls.params).index(name)

    @classmethod
    def rows_of(cls, *names: str) -> tuple[int, ...]:
        """The rows of several parameters."""
        return tuple(cls.row_of(name) for name in names)

    @classmethod
    def in_order(cls) -> list[str]:
        """The kinds of a family in the order in which they are offered."""
        return sorted(cls.kinds, key=lambda kind: (getattr(cls.kinds[kind], "order", 100), cls.kinds[kind].title))

    @classmethod
    def about(cls) -> str:
        """The first sentence of the class's docstring: what it does to the sound."""
        return (cls.__doc__ or "").strip().split("\n\n")[0].replace("\n", " ")


class Source(Module, family=True):
    """Makes the raw sound of a layer."""

    order: ClassVar[int] = 100
    """Where it stands among the sources that are offered: kinds with a lower number come first."""
    needs_matter: ClassVar[bool] = False
    """It is silent without a recording or a table."""
    tells_end: ClassVar[bool] = False
    """The first of its arrays says which notes have come to their end."""

    def gist(self) -> str:
        """What kind of sound it is set to, in a word or two."""
        return ""

    def place(self, state: Any, row: int) -> float:
        """Where in its recording a note is, 0 to 1, from the kernel's arrays; −1 where there is no such place."""
        return -1.0

    def falls_short(self, state: Any) -> float:
        """By how many dB it is softer than its dials say since there is no room for more, from the kernel's arrays; else 0."""
        return 0.0


class Filter(Module, family=True):
    """Colours a layer or a bus, note by note."""

    picture = "filter"

    bends: ClassVar[bool] = True
    """Driven it bends waves, and works at a finer rate, so that nothing folds back."""

    on = Switch("On", False, says="Lets the filter work.", smooth=True)
    wet = Param("Filter mix", 1.0, (0.0, 1.0), PERCENT, says="How much of the filtered sound, beside the plain one.")
    resonance = Param("Resonance", 0.0, (0.0, 1.0), PERCENT, says="Lifts what is right at the cutoff, up to a whistle.")
    follow = Param(
        "Key follow", 0.0, (-1.0, 1.5), PERCENT, says="How far the filter goes along with the key; C4 stays."
    )
    drive = Param(
        "Filter drive",
        0.0,
        (0.0, 36.0),
        DECIBELS,
        says="How hard the sound is pushed into the filter, which gives way.",
    )

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return self.title.lower()


class Tuned(Filter):
    """A filter with one cutoff, in hertz or counted from the key."""

    cutoff = Param("Cutoff", 8000.0, (20.0, 20000.0), HERTZ, taper=LOG, says="Where the filter begins to take away.")
    counted = Choice(
        "Cutoff is",
        "hertz",
        {"hertz": "In hertz", "key": "From the key"},
        says="The cutoff stands where its dial says, or at a distance from the pitch that is played.",
    )
    distance = Param(
        "From the key",
        0.0,
        (-48.0, 96.0),
        SEMITONES,
        says="How far above the played pitch the cutoff is, if counted so.",
    )

    def idle(self) -> set[str]:
        """A cutoff counted from the key has a distance, one in hertz a place and a key follow."""
        return {"cutoff", "follow"} if self.counted == "key" else {"distance"}


class Modulator(Module, family=True):
    """Something that moves values over time."""

    tag: ClassVar[str] = ""
    dye: ClassVar[str] = "ink"
    both_ways: ClassVar[bool] = False

    def swings(self) -> bool:
        """Whether a new thread reads it from −1 to 1: it goes to both sides of a middle, again and again."""
        return self.both_ways

    shapes_levels: ClassVar[bool] = False
    """Whether it may be the level over time of a layer or a bus."""
    most: ClassVar[int] = 8
    order: ClassVar[int] = 100
    """Where it stands in the tray: kinds with a lower number come first."""
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
    wet = Param("Wet", 1.0, (0.0, 1.0), PERCENT, says="How much of what the effect makes, beside the plain sound.")
    kept = Switch("Level kept", False, says="As loud after as before, measured while it plays.", smooth=True)

    group: ClassVar[str] = "More"
    """Under which it is offered."""
    levels: ClassVar[tuple[float, float] | None] = None
    """The dB from one end of its picture to the other, where it works on the level; a transfer of samples else."""
    reach: ClassVar[float] = 1.0
    """How much of the height of that picture a full sample fills."""
    runs_on: ClassVar[bool] = False
    """It keeps time while nothing sounds, and does not begin anew after a silence."""
    bends: ClassVar[bool] = False
    """It makes overtones that were not there, and so runs at the finer rate of the quality."""

    @classmethod
    def leaves(cls, name: str) -> bool:
        """True where the rack does for it what this parameter says, because the effect does not do so itself."""
        return cls.params[name] is Effect.params[name]

    def reading(self, state: tuple[Any, ...]) -> float:
        """dB by which it moves the sound at this moment, from the kernel's arrays; 0 where it does no such thing."""
        return 0.0

    def late(self, rate: float) -> int:
        """Frames by which the sound comes out late at a rate."""
        return 0


def _picker(family: type[Module]) -> Any:
    def pick(data: object) -> object:
        if not isinstance(data, dict):
            return data
        kind = data.get("kind")
        if not isinstance(kind, str) or kind not in family.kinds:
            raise ValueError(f"no {family.__name__.lower()} is called “{cut(kind, 20)}”")
        return family.kinds[kind].model_validate(data)

    return BeforeValidator(pick)


AnySource = Annotated[SerializeAsAny[Source], _picker(Source)]
AnyFilter = Annotated[SerializeAsAny[Filter], _picker(Filter)]
AnyModulator = Annotated[SerializeAsAny[Modulator], _picker(Modulator)]
AnyEffect = Annotated[SerializeAsAny[Effect], _picker(Effect)]

__all__ = [
    "AnyEffect",
    "AnyFilter",
    "AnyModulator",
    "AnySource",
    "Effect",
    "Filter",
    "Modulator",
    "Module",
    "Param",
    "Source",
    "Tuned",
]
