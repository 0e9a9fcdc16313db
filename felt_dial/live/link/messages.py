"""What the window and the engine say to each other: a type for each message, sent over a pipe as it is.

Whoever hears keeps a table from type to what is done; a message that is not in it is an error, see `Handlers`.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple, TypeVar

from felt_dial.errors import FeltDialError
from felt_dial.patch.phrase import Beat, Phrase

# --- from the window to the engine --------------------------------------------------------------


class Begin(NamedTuple):
    """The first message: on which output to begin."""

    device: str
    rate: int
    frames: int
    read: int = 0
    """How many notes of the ring were for an engine before this one."""


class ShowPatch(NamedTuple):
    """Another patch: its document, the number of its values in shared memory, and whether what sounds goes on."""

    text: str
    generation: int
    carry: bool
    places: str


class SetQuality(NamedTuple):
    """Plays at 1, 2, 4 or 8 times the rate from the next patch on."""

    quality: int


class SetTap(NamedTuple):
    """Listens in before and after an effect, or around the racks for no path; `alone` plays only what it adds."""

    path: str = ""
    alone: bool = False


class SetMonitor(NamedTuple):
    """For the listener alone: `limits`, `mono`, `dry`, or the frequency of a `sweep`."""

    what: str
    value: bool | float


class MeasureAnew(NamedTuple):
    """Begins the integrated loudness anew."""


class WakeUp(NamedTuple):
    """A note waits in the ring, and the engine rests."""


class TakeController(NamedTuple):
    """Another controller plays, or `none`."""

    key: str


class SendMidi(NamedTuple):
    """The simulated controller sends a MIDI message, as bytes."""

    message: list[int]


class Perform(NamedTuple):
    """The simulated controller plays its gesture, or ends it."""

    on: bool


class PlayPhrase(NamedTuple):
    """A phrase from its beginning; or, with `go_on`, from where the one before has come to."""

    phrase: Phrase
    loop: bool
    go_on: bool = False


class TakeNotes(NamedTuple):
    """Keys are taken down as notes from now on, after so many beats of counting in, with a click or without."""

    count_in: float
    clicks: bool


class EndTaking(NamedTuple):
    """Ends that: answered by `NotesTaken`."""


class Listen(NamedTuple):
    """A recording is played beside the patch, from a second on, to another or to its end; an empty path stops it.

    With `loops` what lies between both goes round until another is played; `levelled` brings all to one loudness.
    """

    path: str
    first: float = 0.0
    last: float = 0.0
    loops: bool = False
    levelled: bool = True


class StopPhrase(NamedTuple):
    """Stops it."""


class LoopPhrase(NamedTuple):
    """Whether it begins again at its end."""

    on: bool


class AskDevices(NamedTuple):
    """Which outputs there are: answered by `Devices`."""


class AskControllers(NamedTuple):
    """Which controllers there are: answered by `Controllers`."""


class KeepSound(NamedTuple):
    """The simulated output begins to keep what it plays."""


class WriteSound(NamedTuple):
    """It writes what it kept as a WAV file: answered by `Written`."""

    path: str


class Quit(NamedTuple):
    """Ends the engine."""


def _as_it_is(message: Any) -> tuple[object, Any]:
    return "", message


STANDS: dict[type, Callable[[Any], tuple[object, Any]]] = {
    SetQuality: _as_it_is,
    SetTap: _as_it_is,
    SetMonitor: lambda message: (message.what, message),
    TakeController: _as_it_is,
    PlayPhrase: lambda message: ("", message._replace(go_on=False)),
    LoopPhrase: _as_it_is,
    TakeNotes: _as_it_is,
}
"""Messages that hold until another of their kind comes, and what of them, and how, is told an engine that is started anew."""
ENDS: dict[type, tuple[type, ...]] = {
    PlayPhrase: (PlayPhrase, LoopPhrase),
    StopPhrase: (PlayPhrase, LoopPhrase),
    TakeNotes: (TakeNotes,),
    EndTaking: (TakeNotes,),
}
"""What holds no more once a message is told."""


# --- from the engine to the window --------------------------------------------------------------


class Opened(NamedTuple):
    """An output plays; `said` is why it is not the wanted one."""

    device: str
    name: str
    rate: float
    frames: int
    said: str


class Scheduled(NamedTuple):
    """The thread that makes sound goes `first`, before all that is not real time; its memory is `locked` where it lies."""

    first: bool
    locked: bool


class Gone(NamedTuple):
    """The device that played is not there any more; the simulated output plays until it is."""

    name: str


class Back(NamedTuple):
    """The device that was gone plays again."""

    name: str


class Compiling(NamedTuple):
    """The kernels are compiled for this machine, once: so many of so many steps are done, about so many seconds are left."""

    done: int
    total: int
    left: float


class Broken(NamedTuple):
    """Modules that gave no number and were reset."""

    paths: tuple[str, ...]


class Refused(NamedTuple):
    """The patch was not taken; the one before sounds on."""

    reason: str


class Unheard(NamedTuple):
    """A recording cannot be listened to."""

    reason: str


class Misunderstood(NamedTuple):
    """A sentence about a message that the engine does not know, or could not act on."""

    what: str


class Devices(NamedTuple):
    """Every output there is."""

    found: list[tuple[Any, ...]]


class Controllers(NamedTuple):
    """Every controller there is."""

    found: list[tuple[Any, ...]]


class ControlsTurned(NamedTuple):
    """Controllers that were turned, each to a part from 0 to 1."""

    turned: list[tuple[int, float]]


class ProgramAsked(NamedTuple):
    """A controller asks for a preset."""

    bank: int
    number: int


class NotesTaken(NamedTuple):
    """What was played, in beats."""

    notes: tuple[Beat, ...]


class TransportAsked(NamedTuple):
    """A controller starts or stops the phrase."""

    on: bool


class NoControllerThere(NamedTuple):
    """The wanted controller could not be opened."""

    reason: str


class Written(NamedTuple):
    """The sound that was kept is in a file."""

    path: str


class Died(NamedTuple):
    """The engine stopped and is being started again; the link says so itself."""


class Failed(NamedTuple):
    """Why an engine cannot go on: its last words."""

    reason: str


class GaveUp(NamedTuple):
    """The engine cannot be started, and is left alone; the link says so itself, and why as far as that is known."""

    reason: str


class UnknownMessage(FeltDialError):
    """A message that nobody has a way to deal with."""


F = TypeVar("F", bound=Callable[..., Any])


class Handlers:
    """A table from the type of a message to the method that deals with it.

    >>> table = Handlers()
    >>> class Listener:
    ...     @table.of(LoopPhrase)
    ...     def loop(self, message): ...
    """

    def __init__(self) -> None:
        self._by_type: dict[type, Callable[..., Any]] = {}

    def of(self, kind: type) -> Callable[[F], F]:
        """Enters a method of (self, message)."""

        def enter(method: F) -> F:
            self._by_type[kind] = method
            return method

        return enter

    def know(self, message: object) -> bool:
        """True where there is a way to deal with it."""
        return type(message) in self._by_type

    @property
    def kinds(self) -> set[type]:
        """All types that are known."""
        return set(self._by_type)

    def call(self, listener: object, message: object) -> Any:
        """Deals with a message; raises `UnknownMessage`."""
        if type(message) not in self._by_type:
            raise UnknownMessage(f"A message that is not known was sent: {type(message).__name__}.")
        return self._by_type[type(message)](listener, message)
