"""MIDI inputs of the machine: the only file that knows which package speaks to them (`rtmidi2`)."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from felt_dial.errors import FeltDialError

SEQUENCER = Path("/dev/snd/seq")
"""What ALSA speaks MIDI through."""
NO_PACKAGE = "MIDI needs the package rtmidi2, which is not installed"


class NoPort(FeltDialError):
    """There is no such input, or it does not open; a part of a sentence."""


def _package() -> Any:
    try:
        import rtmidi2
    except ImportError:
        raise NoPort(NO_PACKAGE) from None
    return rtmidi2


def port_names() -> list[str]:
    """The inputs that there are, by name; raises `NoPort` where they cannot be asked for."""
    package = _package()
    if sys.platform == "linux" and not SEQUENCER.exists():  # asking would only make the library complain
        return []
    try:
        return list(package.get_in_ports())
    except (RuntimeError, OSError):
        return []


class Port:
    """An input that is open: `heard` is called with the bytes of each message, in a thread of its own. Raises `NoPort`."""

    def __init__(self, name: str, heard: Callable[[list[int]], object]) -> None:
        package = _package()
        try:
            self._input = package.MidiIn("Felt Dial")
            self._input.ignore_types(midi_sysex=True, midi_time=False, midi_sense=True)
            self._input.open_port(list(self._input.ports).index(name))
        except ValueError:
            raise NoPort("it is not there") from None
        except (RuntimeError, OSError) as wrong:
            raise NoPort(str(wrong)) from None
        self._input.callback = lambda message, seconds: heard(list(message))

    def close(self) -> None:
        """Lets go of it."""
        self._input.callback = None
        self._input.close_port()
