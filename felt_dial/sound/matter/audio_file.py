"""Audio files in: every format the library reads, checked, with the loops and root key they carry."""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError
from felt_dial.files import reason_of, regular

LONGEST = 600.0
"""Seconds that a sample may last; they stay in memory."""
SHORTEST = 16
RATES = (8000, 384000)


class BadAudio(FeltDialError):
    """An audio file that cannot be played; the sound it was meant for stays as it was."""


@dataclass(frozen=True)
class Audio:
    """A recording: float32 (channel, frame), its rate, and what the file says about playing it.

    `root` is a MIDI key with cents as its fraction, `loop` the first frame of the loop and the one
    after its last, `cycle` the samples of a frame of a table; None where the file does not say. `notes` are sentences
    for the person.
    """

    sound: NDArray[np.float32]
    rate: float
    root: float | None = None
    loop: tuple[int, int] | None = None
    notes: tuple[str, ...] = field(default=())
    cycle: int | None = None

    def in_stereo(self, rate: float) -> NDArray[np.float32]:
        """Both sides at a rate, float32 (2, frames); of more channels the first two."""
        import soxr

        both = np.repeat(self.sound, 2, axis=0) if len(self.sound) == 1 else self.sound[:2]
        if self.rate != rate:
            both = soxr.resample(both.T, self.rate, rate).T
        return np.ascontiguousarray(both, np.float32)


def check_audio(path: Path) -> None:
    """Raises `BadAudio`, with the sentence of `read_audio`, for a file whose head or whose first frames cannot be read."""
    with _opened(path) as file:
        if file.frames > LONGEST * file.samplerate:
            read_audio(path)
        file.read(SHORTEST, dtype="float32", always_2d=True)


TRUSTED = 2**24
"""Frames for which there is room at first, where a file says that it has them; more where they come."""


def read_audio(path: Path, watch: Callable[[float], bool] | None = None) -> Audio:
    """The recording in a WAV, FLAC, AIFF, OGG or MP3 file; raises `BadAudio`, a sentence naming the file.

    `watch` is told the part read, 0 to 1, and stops the reading by returning False.
    """
    where = f"“{path.name}”"
    with _opened(path) as file:
        rate, channels = float(file.samplerate), int(file.channels)
        if file.frames > LONGEST * rate:
            seconds = file.frames / rate
            raise BadAudio(f"{where} lasts {seconds / 60:.1f} min; samples may last up to 10 min. It was not loaded.")
        sound = np.zeros((channels, min(max(int(file.frames), 0), TRUSTED)), np.float32)
        done = 0
        for part in file.blocks(65536, dtype="float32", always_2d=True):
            if done + len(part) > sound.shape[1]:  # it is long, or holds more than it says
                sound = np.concatenate([sound, np.zeros((channels, max(done, 65536)), np.float32)], axis=1)
            sound[:, done : done + len(part)] = part.T
            done += len(part)
            if done > LONGEST * rate:
                raise BadAudio(f"{where} lasts longer than 10 min, the limit for samples. It was not loaded.")
            if watch is not None and not watch(done / max(file.frames, done)):
                raise BadAudio(f"Loading {where} was stopped.")
    sound = np.ascontiguousarray(sound[:, :done])
    root, loop, cycle = _riff_notes(path)
    return replace(checked(sound, rate, where, root, loop), cycle=cycle)


def file_about(path: Path) -> tuple[int, float, int]:
    """Frames, rate and channels of a file as its head says; raises `BadAudio`."""
    with _opened(path) as file:
        return int(file.frames), float(file.samplerate), int(file.channels)


def read_part(path: Path, first: float, seconds: float) -> tuple[Audio, bool]:
    """So many seconds of a file from one on, and whether that is all of it to its end; raises `BadAudio`.

    Only what is asked for is read, so that long files are heard as soon as short ones. Root and cycle are those that the file
    notes of itself.
    """
    with _opened(path) as file:
        rate = float(file.samplerate)
        at = min(int(first * rate), max(file.frames - SHORTEST, 0))
        if at:
            file.seek(at)
        data = file.read(max(int(seconds * rate), SHORTEST), dtype="float32", always_2d=True)
        whole = at + len(data) >= file.frames
    if not len(data):
        raise BadAudio(f"“{path.name}” holds nothing there.")
    root, _, cycle = _riff_notes(path)
    return Audio(_numbers(np.ascontiguousarray(data.T))[0], rate, root, cycle=cycle), whole


def heard_here_and_there(path: Path, looks: int, frames: int) -> tuple[int, NDArray[np.float32]]:
    """How many frames a file has, and short looks evenly over it, float32 (channel, look, frame); raises `BadAudio`.

    Only those are read: minutes take as long as seconds.
    """
    with _opened(path) as file:
        total = int(file.frames)
        looks = max(min(looks, total // max(frames, 1)), 1)
        found = np.zeros((file.channels, looks, frames), np.float32)
        for n in range(looks):
            file.seek(n * total // looks)
            part = file.read(frames, dtype="float32", always_2d=True)
            found[:, n, : len(part)] = part.T
    return total, _numbers(found)[0]


def _numbers(sound: NDArray[np.float32]) -> tuple[NDArray[np.float32], int]:
    """The sound with silence for what is no number, and how many samples of it were none."""
    wrong = ~np.isfinite(sound)
    return (np.where(wrong, np.float32(0.0), sound), int(wrong.sum())) if wrong.any() else (sound, 0)


@contextmanager
def _opened(path: Path) -> Iterator[Any]:
    """A file that can be played, opened; raises `BadAudio`, also for what goes wrong while it is read."""
    import soundfile

    where = f"“{path.name}”"
    if not path.exists():
        raise BadAudio(f"{where} is not there.")
    try:
        regular(path)
        with soundfile.SoundFile(path) as file:
            if file.channels > 2:
                raise BadAudio(f"{where} has {file.channels} channels; one or two can be played.")
            if not RATES[0] <= file.samplerate <= RATES[1]:
                raise BadAudio(f"{where} is at {file.samplerate} Hz; 8 kHz to 384 kHz can be played.")
            yield file
    except (soundfile.LibsndfileError, OSError, RuntimeError, ValueError) as wrong:
        reason = (
            reason_of(wrong) if isinstance(wrong, OSError) else str(getattr(wrong, "error_string", wrong)).rstrip(".")
        )
        raise BadAudio(f"{where} cannot be read as audio ({reason}). Nothing was loaded.") from None


def checked(
    sound: NDArray[np.float32], rate: float, where: str, root: float | None = None, loop: tuple[int, int] | None = None
) -> Audio:
    """The recording if it can be played; raises `BadAudio` naming `where`."""
    notes = []
    if sound.shape[1] < SHORTEST:
        count = sound.shape[1]
        raise BadAudio(f"{where} holds {count} frame{'s' * (count != 1)}; a sample needs at least {SHORTEST}.")
    sound, wrong = _numbers(sound)
    if wrong:
        notes.append(f"{wrong} samples of {where} were no numbers and became silence.")
    top = float(np.abs(sound).max())
    if top < 1e-7:
        raise BadAudio(f"{where} is silent from beginning to end. Nothing was loaded.")
    if top > 64.0:
        sound = sound / np.float32(top)
        notes.append(f"{where} reached {20 * np.log10(top):.0f} dB and was brought down to 0 dB.")
    if loop is not None and not 0 <= loop[0] < loop[1] <= sound.shape[1]:
        loop = None
        notes.append(f"The loop that {where} names lies outside it and was left out.")
    return Audio(sound, rate, root, loop, tuple(notes))


def _riff_notes(path: Path) -> tuple[float | None, tuple[int, int] | None, int | None]:
    """Root key and first loop of the `smpl` chunk (Multimedia Programming Interface, IBM and Microsoft, 1991), and the
    length of a frame of the `fdtb` chunk of our own tables."""
    root: float | None = None
    loop: tuple[int, int] | None = None
    cycle: int | None = None
    try:
        with path.open("rb") as file:
            if file.read(12)[:4] != b"RIFF":
                return None, None, None
            while len(head := file.read(8)) == 8:
                name, size = head[:4], struct.unpack("<I", head[4:])[0]
                if name not in (b"smpl", b"fdtb"):
                    file.seek(size + size % 2, 1)
                    continue
                data = file.read(min(size, 65536))
                file.seek(size - len(data) + size % 2, 1)
                if name == b"fdtb":
                    found = struct.unpack("<II", data[:8])[0]
                    cycle = found if 16 <= found <= 65536 else None
                    continue
                words = struct.unpack("<9I", data[:36])
                unity, fraction, loops = words[3], words[4], words[7]
                root = unity + fraction / 2**32 if 0 <= unity <= 127 else None
                if loops and len(data) >= 60:
                    _, _, first, last, _, _ = struct.unpack("<6I", data[36:60])
                    loop = first, last + 1
    except (OSError, struct.error):
        pass
    return root, loop, cycle
