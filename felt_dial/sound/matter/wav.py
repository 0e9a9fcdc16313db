"""WAV files out: 32-bit float, equal bytes for equal sounds (no time stamp, as some writers leave one)."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray


def wav_bytes(sound: NDArray[np.float32], rate: int) -> bytes:
    """A WAV file of a sound, float32 (channel, frame)."""
    from scipy.io import wavfile

    memory = io.BytesIO()
    wavfile.write(memory, rate, np.ascontiguousarray(sound.T, np.float32))
    return memory.getvalue()
