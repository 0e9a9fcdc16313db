"""How near a search comes to hidden patches: `python -m bench.towards [SECONDS] [NAMES]`, for docs/performance.md."""

from __future__ import annotations

import sys
import tempfile
import threading
import time
from pathlib import Path

import soundfile

import felt_dial.sound.modules  # noqa: F401
from felt_dial.bank.library.library import Bank
from felt_dial.bank.library.places import SHIPPED
from felt_dial.bank.measuring.probe_note import RATE, heard
from felt_dial.bank.variation.match_search import Search
from felt_dial.bank.variation.variations import VariationOptions, child, dials, directions
from felt_dial.patch.documents.patch import write_patch
from felt_dial.workers.helper import Helper

NAMES = (
    *("dew-pluck", "lantern-brass", "moss-pad", "root-sub", "compost-kick", "potting-snare", "bamboo-screech"),
    *("canopy-strings", "beetle-zap", "pane-crack", "boiler-hum", "night-moth-line"),
)
FAR, SEED = 0.4, 777


def main(seconds: float, names: list[str]) -> None:
    """One hidden patch after the other, two helpers each."""
    bank, helpers = Bank(SHIPPED / "glasshouse-at-dusk"), [Helper(), Helper()]
    for name in names:
        start = bank.load(name)
        found = dials(start, VariationOptions())
        hidden = child(start, found, directions(found, SEED, NAMES.index(name)), FAR)
        path = Path(tempfile.mkdtemp()) / f"{name}.wav"
        soundfile.write(path, heard(hidden).T, RATE)
        search, lock = Search(start, VariationOptions()), threading.Lock()
        for helper in helpers:
            helper.call_named("felt_dial.bank.variation.match_render:tried", str(path), write_patch(start))
        end = time.monotonic() + seconds

        def work(helper: Helper, search: Search = search, where: str = str(path), end: float = end) -> None:
            while time.monotonic() < end:
                with lock:  # noqa: B023  one search at a time
                    rows = search.ask(1)
                if not rows:
                    time.sleep(0.01)
                    continue
                patch = write_patch(search.patch_of(rows[0]))
                one = helper.call_named(
                    "felt_dial.bank.variation.match_render:tried", where, patch, search.playing_of(rows[0])
                )
                with lock:  # noqa: B023
                    search.tell(rows, [one.far], [one.away])

        threads = [threading.Thread(target=work, args=(helper,)) for helper in helpers]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        gone, of_that = (100 * (1 - search.far / begun) for begun in (search.plain, search.began))
        print(
            f"| {start.name} | {search.plain:.2f} | {search.began:.2f} | {search.far:.2f} | {gone:.0f} % | {of_that:.0f} % "
            f"| {search.tried} |",
            flush=True,
        )
    for helper in helpers:
        helper.close()


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 60.0, sys.argv[2:] or list(NAMES))
