"""What is done in the window with what the engine says: one function for every message that it sends."""

from __future__ import annotations

from typing import TYPE_CHECKING

from felt_dial.live.link.messages import (
    Back,
    Broken,
    Compiling,
    Controllers,
    ControlsTurned,
    Devices,
    Died,
    Failed,
    GaveUp,
    Gone,
    Handlers,
    Misunderstood,
    NoControllerThere,
    NotesTaken,
    Opened,
    ProgramAsked,
    Refused,
    TransportAsked,
    Unheard,
    Written,
)

if TYPE_CHECKING:
    from felt_dial.ui.editor.session import Session

HANDLERS = Handlers()
"""What is done with what the engine says."""


@HANDLERS.of(Died)
def _died(session: Session, message: Died) -> None:
    session.say("The sound engine stopped and is being started again with the same patch.", problem=True)


@HANDLERS.of(Failed)
def _failed(session: Session, message: Failed) -> None:
    session.say(f"The sound engine failed: {message.reason}", problem=True)


@HANDLERS.of(GaveUp)
def _gave_up(session: Session, message: GaveUp) -> None:
    session.say(
        f"The sound engine cannot be started: {message.reason}. Your work is safe; choose another output in the settings.",
        problem=True,
    )


@HANDLERS.of(Compiling)
def _compiling(session: Session, message: Compiling) -> None:
    session.get_ready(message.done, message.total, message.left)


@HANDLERS.of(Broken)
def _broken(session: Session, message: Broken) -> None:
    session.say(f"{', '.join(message.paths)} gave no number; it was reset and the sound went on.", problem=True)


@HANDLERS.of(Refused)
def _refused(session: Session, message: Refused) -> None:
    session.say(f"The engine did not take the patch: {message.reason}", problem=True)


@HANDLERS.of(Unheard)
def _unheard(session: Session, message: Unheard) -> None:
    session.say(message.reason, problem=True)


@HANDLERS.of(Misunderstood)
def _misunderstood(session: Session, message: Misunderstood) -> None:
    session.say(message.what, problem=True)


@HANDLERS.of(Devices)
def _devices_found(session: Session, message: Devices) -> None:
    session.devices.emit(message.found)


@HANDLERS.of(Controllers)
def _controllers_found(session: Session, message: Controllers) -> None:
    session.controllers.emit(message.found)


@HANDLERS.of(ControlsTurned)
def _controls_turned(session: Session, message: ControlsTurned) -> None:
    session.controls_turned.emit(message.turned)


@HANDLERS.of(ProgramAsked)
def _program_asked(session: Session, message: ProgramAsked) -> None:
    session.program_asked.emit(message.bank, message.number)


@HANDLERS.of(TransportAsked)
def _transport_asked(session: Session, message: TransportAsked) -> None:
    session.play(message.on)


@HANDLERS.of(NoControllerThere)
def _no_controller(session: Session, message: NoControllerThere) -> None:
    session.say(message.reason, problem=True)


@HANDLERS.of(NotesTaken)
def _notes_taken(session: Session, message: NotesTaken) -> None:
    session.notes_taken.emit(message.notes)


@HANDLERS.of(Opened)
def _opened(session: Session, message: Opened) -> None:
    session.transport.emit()


@HANDLERS.of(Gone)
def _gone(session: Session, message: Gone) -> None:
    session.say(
        f"{message.name} is not there any more. The sound goes on without it, and comes back to it by itself.",
        problem=True,
    )


@HANDLERS.of(Back)
def _back(session: Session, message: Back) -> None:
    session.say(f"{message.name} is back, and plays again.")


@HANDLERS.of(Written)
def _written(session: Session, message: Written) -> None:
    session.say(f"Wrote {message.path}.")
