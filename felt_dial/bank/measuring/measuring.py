"""Measuring in the background: processes render while the window works and the sound plays."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from felt_dial.bank.library.previews import preview_path
from felt_dial.bank.measuring.measurement import Measurement
from felt_dial.workers.queue import WorkQueue

MEASURED = "felt_dial.bank.measuring.worker:measured"


class Measuring(WorkQueue[Measurement]):
    """Patches that are measured, by the key of their sound.

    Attributes
    ----------
    quality : int
        At which quality is rendered.
    previews : Path or None
        The folder where what was rendered is kept to be listened to; None keeps nothing.
    """

    def __init__(self, quality: int = 1, previews: Path | None = None, workers: int | None = None) -> None:
        super().__init__(MEASURED, workers)
        self.quality, self.previews = quality, previews

    def measure(self, key: str, text: Callable[[], str], first: bool = False) -> None:
        """Has a patch measured, once. `text` reads its document when its turn comes; where it raises, there is nothing to be
        measured any more."""

        def made() -> tuple[str, int, Path | None]:
            return text(), self.quality, preview_path(self.previews, key) if self.previews is not None else None

        self.ask(key, made, first)
