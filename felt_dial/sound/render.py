"""Offline render: notes and a patch in, samples out, on the code that also plays live."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.engine.program import Program
from felt_dial.sound.playing.events import OFF, ON, Event, in_order
from felt_dial.sound.sizes import BLOCK, QUALITIES

OPEN = 1e4
"""Ceiling of a render, where nothing is held down or cut off: a file of 32-bit floats holds what is above full scale."""


class CannotRender(FeltDialError):
    """A render that was asked for in a way that makes no sense."""


def note_events(notes: Iterable[Note], rate: float) -> list[Event]:
    """The notes as events with frames counted from the beginning, in order of time."""
    events = []
    for note in notes:
        events.append(Event(round(note.start * rate), ON, note.key, note.velocity / 127))
        events.append(Event(round((note.start + note.length) * rate), OFF, note.key))
    return in_order(events)


def render(
    patch: Patch,
    notes: Sequence[Note],
    seconds: float,
    *,
    rate: int = 48000,
    quality: int = 1,
    tempo: float | None = None,
    events: Iterable[Event] = (),
    block: int = BLOCK,
    watch: Callable[[float], bool] | None = None,
) -> NDArray[np.float32]:
    """The sound of a patch playing notes, as it is: also above full scale.

    Parameters
    ----------
    seconds : float
        Length of the result.
    events : Event, optional
        Wheel moves and the like besides the notes, frames counted from the beginning.
    watch : callable, optional
        Is told the part done, 0 to 1, and stops the render by returning False.

    Returns
    -------
    float32, shape (2, round(seconds · rate))

    Raises
    ------
    CannotRender
        For a rate, quality or length out of range, or when `watch` stopped it.
    """
    if not 8000 <= rate <= 384000:
        raise CannotRender(f"A rate of {rate} Hz is outside 8000 … 384000 Hz.")
    if quality not in QUALITIES:
        raise CannotRender(f"Quality is 1, 2, 4 or 8, not {quality}.")
    if not 0 < seconds <= 3600:
        raise CannotRender(f"A length of {seconds:g} s is outside 0 … 3600 s.")
    if tempo is not None:
        patch = with_value(patch, "tempo", tempo)
    program = Program(patch, rate, block, quality)
    program.output.ceiling = np.float32(OPEN)
    total = round(seconds * rate)
    late = program.late
    out = np.zeros((2, total + late), np.float32)
    queue = sorted([*note_events(notes, rate), *events], key=lambda event: event.frame)
    next_ = 0
    for at in range(0, total + late, block):
        now = []
        while next_ < len(queue) and queue[next_].frame < at + block:
            now.append(queue[next_]._replace(frame=queue[next_].frame - at))
            next_ += 1
        size = min(block, total + late - at)
        out[:, at : at + size] = program.block(now)[:, :size]
        if watch is not None and not watch(min(1.0, (at + block) / (total + late))):
            raise CannotRender("The render was stopped.")
    return out[:, late:]
