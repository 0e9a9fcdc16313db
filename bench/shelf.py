"""How quick the Shelf stays with a large library: `python -m bench.shelf [BANKS]`, a hundred presets in each.

Prints medians and the worst of what a hand does, in ms of the window's thread, for docs/performance.md.
"""

from __future__ import annotations

import json
import os
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from random import Random

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

WORDS = [
    "amber",
    "birch",
    "brook",
    "clay",
    "coal",
    "dawn",
    "drift",
    "ember",
    "flint",
    "frost",
    "grain",
    "harbour",
    "iron",
    "lake",
    "lark",
    "loam",
    "meadow",
    "moss",
    "oak",
    "pearl",
    "quay",
    "reed",
    "sage",
    "sand",
    "silt",
    "snow",
    "storm",
    "tide",
    "vine",
    "willow",
    "wren",
]


def large_library(root: Path, banks: int) -> None:
    """The shipped presets again and again, under names drawn from a list of words."""
    from felt_dial.bank.library.places import SHIPPED

    rng = Random(1)
    patches = [json.loads(path.read_bytes()) for path in sorted(SHIPPED.glob("*/presets/*.json"))]
    for bank in range(banks):
        folder = root / f"bank-{bank}"
        for sub in ("presets", "assets"):
            (folder / sub).mkdir(parents=True)
        for n in range(100):
            about = {
                "name": " ".join(rng.choice(WORDS).capitalize() for _ in range(2)),
                "description": " ".join(rng.choice(WORDS) for _ in range(12)),
                "character": [rng.choice(WORDS)],
            }
            (folder / "presets" / f"p{n}.json").write_text(json.dumps(rng.choice(patches) | about))
        order = [f"p{n}" for n in range(100)]
        (folder / "bank.json").write_text(json.dumps({"format": 1, "name": f"Bank {bank}", "order": order}))


def main(banks: int) -> None:
    """Opens the window on the library and times each act."""
    home = Path(tempfile.mkdtemp())
    os.environ["FELT_DIAL_HOME"] = str(home)
    from PySide6.QtCore import QEventLoop, QTimer
    from PySide6.QtWidgets import QApplication

    from felt_dial.bank.library.places import load_settings
    from felt_dial.live.link.link import EngineLink
    from felt_dial.session import shelf_steps
    from felt_dial.ui.frame.app import stand_up

    root = load_settings().library_folder()
    large_library(root, banks)

    def pause(ms: int) -> None:
        """The window lives on meanwhile, as `QTest.qWait` does not let threads do."""
        loop = QEventLoop()
        QTimer.singleShot(ms, loop.quit)
        loop.exec()

    application = QApplication([])
    link = EngineLink("simulated")
    link.start()
    window = stand_up(load_settings(), link, shelf_later=True)
    session = window.session
    pause(50)
    begin = time.perf_counter()
    while session.shelf.following is None or session.shelf.following.total or not session.shelf.catalogue.banks():
        pause(100)
    print(f"shelf: {'first reading, s':34} {time.perf_counter() - begin:8.1f}", flush=True)
    window.show_page("Shelf")
    shelf, rng = window.shelf, Random(2)
    pause(500)
    shelf._cancel()

    def timed(name: str, act: Callable[[], object], count: int = 15, before: Callable[[], object] = lambda: 0) -> None:
        spent = []
        for _ in range(count):
            before()
            pause(60)
            begin = time.perf_counter()
            act()
            QApplication.processEvents()
            spent.append(1000 * (time.perf_counter() - begin))
        spent.sort()
        print(f"shelf: {name + ', ms':34} {spent[count // 2]:8.1f} {spent[-1]:8.1f}", flush=True)

    def row() -> tuple[str, str]:
        listed = rng.choice(shelf.model.presets)
        return listed.bank, listed.id

    def star() -> None:
        bank, preset = row()
        stored = session.shelf.catalogue.preset(bank, preset)
        assert stored is not None
        shelf.change_preset(bank, preset, {"favourite": not stored.favourite}, "star")

    def save() -> None:
        session.editor.set("level", rng.uniform(-20.0, -10.0))
        session.presets.save()

    timed("choose a bank", lambda: shelf.choose_bank(f"bank-{rng.randrange(banks)}"))
    timed("star", star)
    session.presets.open(*row())
    timed("change and save", save)
    timed("save as new", lambda: session.presets.save_new(f"New {rng.random()}"))
    timed("move", lambda: shelf_steps.move_preset(session, *row(), f"bank-{rng.randrange(banks - 1)}"))
    timed("delete", lambda: shelf_steps.delete_preset(session, *row()))
    timed("reorder", lambda: shelf.reorder([row()], rng.randrange(50)))
    for words in ("s", "a", "gl", "ti", "tide", "tide glass"):
        typed = partial(shelf.search.setText, words)
        timed(f"last key of “{words}”", typed, 11, partial(shelf.search.setText, words[:-1]))
    bar = shelf.view.verticalScrollBar()
    shelf.search.setText("s")
    timed("scroll by a page", lambda: bar.setValue((bar.value() + 400) % max(bar.maximum(), 1)), 40)
    window.close()
    del application


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 200)
