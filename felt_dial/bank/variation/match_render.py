"""Aiming: a recording is made ready to be compared with, and sounds are rendered and measured against it.

Renders, so it is for helpers, by name.
"""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import numpy as np
import soxr
from numpy.typing import NDArray

import felt_dial.sound.modules  # noqa: F401  every kind that a patch may name
from felt_dial.bank.measuring.features import Features, features_of
from felt_dial.bank.measuring.measurement import swatch_of
from felt_dial.bank.measuring.probe_note import BLOCK, KEY, KEYS, RATE, levelled
from felt_dial.bank.variation.match_search import (
    KEYS_TRIED,
    STEP_SECONDS,
    Away,
    Picture,
    Playing,
    apart,
    away,
    picture_of,
)
from felt_dial.bank.variation.variations import Variation, changes
from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.patch import Patch
from felt_dial.patch.phrase import Note
from felt_dial.sound.integrated import loudness
from felt_dial.sound.matter.audio_file import read_part
from felt_dial.sound.matter.root import root_of
from felt_dial.sound.render import render

COARSE = 24000
"""Hz at which sounds are tried: half as many frames, and all that the comparison hears."""
LISTENED, SECONDS, LEAST = 12.0, 1.4, 0.08
"""Seconds of a recording in which its first sound is looked for, and how much of that is compared, at most and at least."""
BEGINS_DB, ENDS_DB = -34.0, -32.0
SURE = 0.55
SLOWEST = 0.25
"""Seconds that a sound may take until it is heard; what is slower is compared from there on."""
OTHER_KEYS = (12, -12, 24, -24, 7, -7)
"""Semitones from the key that a recording seems to sound at to others at which a sound may have been played, since layers
stand in other octaves."""
PLAINLY, ANY_KEY = 0.85, list(range(36, 76, 3))
"""How sure a pitch is that leaves no other keys than those; and the keys at which anything else may have been played."""
PLAIN = Playing()


class NothingThere(FeltDialError):
    """A recording in which nothing sounds."""


class Aim(NamedTuple):
    """A recording to come near to.

    Attributes
    ----------
    sound : float32 (2, frames)
        From its beginning on at 48 kHz, brought to the nearest key.
    picture, coarse : Picture
        At 48 kHz, and at the rate at which sounds are tried.
    features : Features
    keys : tuple of int
        The keys at which sounds may be played to be compared with it, the most likely first.
    seconds : float
        How long both are listened to.
    pitched : bool
        Whether the key was found in it.
    """

    sound: NDArray[np.float32]
    picture: Picture
    coarse: Picture
    features: Features
    keys: tuple[int, ...]
    seconds: float
    pitched: bool


def aim_of(path: Path) -> Aim:
    """The first sound in a recording; raises `BadAudio` for what cannot be read, and `NothingThere` for silence."""
    audio, _ = read_part(path, 0.0, LISTENED)
    return aim_at(audio.in_stereo(RATE), path.name)


def aim_at(sound: NDArray[np.float32], name: str) -> Aim:
    """The first sound of what is heard, float32 (2, frames) at 48 kHz."""
    window = RATE // 200
    top = float(np.abs(sound).max(initial=0.0))
    if top < 1e-5:
        raise NothingThere(
            f"In the first {LISTENED:.0f} s of “{name}” nothing sounds: there is nothing to come near to."
        )
    sound = np.pad(sound / np.float32(top), ((0, 0), (0, -sound.shape[1] % window)))
    level = _levels(sound, window)
    top = float(level.max())
    first = int(np.argmax(level > top * 10 ** (BEGINS_DB / 20)))
    sound = sound[:, first * window :]
    after = np.flatnonzero(level[first:] > top * 10 ** (ENDS_DB / 20))
    whole = (int(after[-1]) + 1) * window / RATE
    seconds = float(min(max(whole * 1.1, LEAST + 0.1), SECONDS))
    part = np.pad(sound[:, : int(seconds * RATE)], ((0, 0), (0, max(int(seconds * RATE) - sound.shape[1], 0))))
    root = root_of(np.ascontiguousarray(part, np.float32), RATE)
    pitched = root.key is not None and root.sure > SURE
    key = round(root.key) if root.key is not None and pitched else KEY
    if root.key is not None and pitched and abs(root.key - key) > 0.02:
        ratio = 2.0 ** ((root.key - key) / 12.0)
        part = np.ascontiguousarray(soxr.resample(part.T, RATE, RATE * ratio).T, np.float32)
        part = np.pad(part, ((0, 0), (0, max(int(seconds * RATE) - part.shape[1], 0))))[:, : int(seconds * RATE)]
    part = np.asarray(part, np.float32)
    looks = max(int(seconds / STEP_SECONDS), 2)
    low = np.ascontiguousarray(soxr.resample(part.T, RATE, COARSE).T, np.float32)
    pictures = picture_of(part, RATE, looks), picture_of(low, COARSE, looks)
    others = [key + step for step in OTHER_KEYS] if pitched else []
    others += [KEY, *KEYS.values()]  # as sounds are heard here
    others += [] if root.sure > PLAINLY else ANY_KEY
    keys = tuple(other for other in dict.fromkeys((key, *others)) if 0 <= other < 128)[:KEYS_TRIED]
    return Aim(part, *pictures, features_of(part, RATE), keys, seconds, pitched)


_aims: dict[str, Aim] = {}


def _aim(where: str) -> Aim:
    if where not in _aims:
        _aims.clear()
        _aims[where] = aim_of(Path(where))
    return _aims[where]


def sounded(patch: Patch, aim: Aim, playing: Playing = PLAIN, rate: int = RATE) -> NDArray[np.float32]:
    """One note of a patch, from where it begins to be heard, as it is compared."""
    key = aim.keys[playing.key]
    held = max(aim.seconds * min(max(playing.held, 0.0), 1.0), LEAST)
    sound = render(patch, [Note(0.0, held, key, 100)], aim.seconds + SLOWEST, rate=rate, quality=1, block=BLOCK)
    first = min(_begins(sound, rate), int(SLOWEST * rate))
    return sound[:, first : first + int(aim.seconds * rate)]


def _begins(sound: NDArray[np.float32], rate: int) -> int:
    """The frame at which a sound begins to be heard, within 5 ms."""
    window = rate // 200
    level = _levels(sound[:, : sound.shape[1] // window * window], window)
    return int(np.argmax(level > level.max(initial=0.0) * 10 ** (BEGINS_DB / 20))) * window


def _levels(sound: NDArray[np.float32], window: int) -> NDArray[np.float32]:
    return np.asarray(np.sqrt(np.square(sound).reshape(2, -1, window).mean(axis=(0, 2))), np.float32)


class Try(NamedTuple):
    """How far a patch is from a recording, and how it is different; far beyond all, and not told how, where nothing sounds."""

    far: float
    away: Away | None


def try_out(patch: Patch, aim: Aim, playing: Playing = PLAIN) -> Try:
    """What a patch, played so, is to a recording; far beyond all where there is no such key."""
    if playing.key >= len(aim.keys):
        return Try(9.0, None)
    sound = sounded(patch, aim, playing, COARSE)
    if not np.isfinite(sound).all() or float(np.abs(sound).max(initial=0.0)) < 1e-5:
        return Try(9.0, None)
    picture = picture_of(sound, COARSE, len(aim.coarse))
    return Try(apart(aim.coarse, picture), away(picture, aim.coarse))


def tried(where: str, document: str, playing: Playing = PLAIN) -> Try:
    """What a patch, played so, is to the recording in a file."""
    return try_out(read_patch(document, "A try"), _aim(where), playing)


def target(where: str, document: str) -> Variation:
    """The recording, as it stands on the map."""
    aim = _aim(where)
    top = max(float(np.abs(aim.sound).max()), 1e-6)
    return Variation(document, 0.0, aim.features, swatch_of(aim.sound, RATE), aim.sound * np.float32(0.5 / top))


def come_to(where: str, document: str, start: str, as_loud: bool, playing: Playing = PLAIN) -> Variation:
    """A patch that came nearer, as it stands on the map; `as_loud` as the sound that the search began at."""
    aim, patch, first = _aim(where), read_patch(document, "A try"), read_patch(start, "The sound")
    sound = sounded(patch, aim, playing)
    far, features = apart(aim.picture, picture_of(sound, RATE, len(aim.picture))), features_of(sound, RATE)
    if as_loud:
        patch, sound, _ = levelled(patch, sound, loudness(sounded(first, aim)))
    key = aim.keys[min(playing.key, len(aim.keys) - 1)]
    return Variation(write_patch(patch), far, features, swatch_of(sound, RATE), sound, changes(first, patch), key=key)
