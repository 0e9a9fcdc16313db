"""WAV files out, with what a table or a recording needs beside its samples. 32-bit float, equal bytes for equal sounds.

Chunks besides `fmt ` and `data`:

`smpl`  root key, its fraction of a semitone, and one loop, as in the Multimedia Programming Interface (IBM and Microsoft, 1991)
`fdtb`  of tables: u32 samples of a frame, u32 frames, little-endian
"""

from __future__ import annotations

import struct

import numpy as np
from numpy.typing import NDArray

FLOAT = 3
"""WAVE_FORMAT_IEEE_FLOAT."""
LOOPS = {"forward": 0, "alternate": 1, "backward": 2}


def _chunk(name: bytes, data: bytes) -> bytes:
    return name + struct.pack("<I", len(data)) + data + b"\0" * (len(data) % 2)


def _riff(sound: NDArray[np.float32], rate: int, *more: bytes) -> bytes:
    channels = len(sound)
    samples = np.ascontiguousarray(sound.T, "<f4").tobytes()
    form = struct.pack("<HHIIHHH", FLOAT, channels, rate, rate * channels * 4, channels * 4, 32, 0)
    body = b"WAVE" + _chunk(b"fmt ", form) + _chunk(b"fact", struct.pack("<I", sound.shape[1]))
    body += b"".join(more) + _chunk(b"data", samples)
    return b"RIFF" + struct.pack("<I", len(body)) + body


def table_wav(frames: NDArray[np.float32], rate: int = 48000) -> bytes:
    """A table, float32 (frame, sample), one frame after the other."""
    count, size = frames.shape
    return _riff(frames.reshape(1, -1), rate, _chunk(b"fdtb", struct.pack("<II", size, count)))


def recording_wav(
    sound: NDArray[np.float32],
    rate: int,
    root: float | None = None,
    loop: tuple[int, int] | None = None,
    way: str = "forward",
) -> bytes:
    """A recording, float32 (channel, frame), with the key that it sounds at (cents as its fraction) and its loop.

    `loop` is its first frame and the one after its last.
    """
    if root is None and loop is None:
        return _riff(sound, rate)
    key = 60.0 if root is None else min(max(root, 0.0), 127.99)
    fraction = int((key - int(key)) * 2**32)
    head = struct.pack("<9I", 0, 0, round(1e9 / rate), int(key), fraction, 0, 0, 0 if loop is None else 1, 0)
    body = b"" if loop is None else struct.pack("<6I", 0, LOOPS[way], loop[0], loop[1] - 1, 0, 0)
    return _riff(sound, rate, _chunk(b"smpl", head + body))
