"""Starting the window: the engine first, since it needs longest."""

from __future__ import annotations

import contextlib
import gc
import os
import signal
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from felt_dial.errors import cut

if TYPE_CHECKING:
    from PySide6.QtCore import QSocketNotifier

    from felt_dial.bank.library.places import Settings
    from felt_dial.live.link.link import EngineLink
    from felt_dial.ui.frame.window import Window


AT_MOST = 0.2
"""Seconds for which the window waits for what another process holds."""
WITHOUT_WINDOW = "Is there a display? Sounds can be rendered without one: felt-dial render --help."


def main(bank: str = "") -> int:
    """Opens the window, with a bank of the library or a bank file if one is named."""
    begin = time.perf_counter()
    gc.disable()  # what is read at the start stays; looking for garbage in it takes a fifth of the time
    from felt_dial.live.engine.launch import launch

    launched = launch()
    from felt_dial.bank.library.places import load_settings
    from felt_dial.live.link.link import EngineLink

    settings = load_settings()
    link = EngineLink(settings.device, settings.rate, settings.block, launched)
    link.start()

    if settings.scale != 1.0:
        os.environ["QT_SCALE_FACTOR"] = f"{settings.scale:g}"
    from PySide6.QtWidgets import QApplication

    _read_no_sources()
    from felt_dial.files import hurry
    from felt_dial.ui.frame.excepthook import install_excepthook

    with _told_why_not():
        application = QApplication(sys.argv[:1])
    application.setApplicationName("Felt Dial")
    hurry(AT_MOST)
    window = stand_up(settings, link, bank, shelf_later=True)
    install_excepthook(window.session)
    told = _end_when_told(window)
    window.left.offer(window.session.journal.left_behind())
    if os.environ.get("FELT_DIAL_TIMES"):
        _tell_times(window, begin)
    gc.freeze()
    gc.enable()
    done = application.exec()
    told.setEnabled(False)
    return done


def _end_when_told(window: Window) -> QSocketNotifier:
    """Ctrl+C in the terminal, and the end of the session, close the window as a click does: what is not saved is kept.

    A handler in Python is called only once the toolkit comes to Python; what the system writes into a pipe, it sees.
    """
    from PySide6.QtCore import QSocketNotifier

    hears, says = os.pipe()
    os.set_blocking(says, False)
    told = QSocketNotifier(hears, QSocketNotifier.Type.Read, window)

    def end() -> None:
        os.read(hears, 64)
        window.end()

    told.activated.connect(end)
    signal.set_wakeup_fd(says, warn_on_full_buffer=False)
    for one in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        if signal.getsignal(one) is not signal.SIG_IGN:  # as `nohup` has it
            signal.signal(one, lambda *_: None)
    return told


@contextlib.contextmanager
def _told_why_not() -> Iterator[None]:
    """Where Qt finds nothing to draw a window on, it would end the process with a page of text and a dump of its memory."""
    from PySide6.QtCore import QMessageLogContext, QtMsgType, qInstallMessageHandler

    reasons: list[str] = []

    def hear(kind: QtMsgType, where: QMessageLogContext, text: str) -> None:
        if kind != QtMsgType.QtFatalMsg:
            reasons.append(" ".join(text.split()))
            return
        why = f" ({cut(reasons[0])})" if reasons else ""
        print(f"The window cannot be opened{why}. {WITHOUT_WINDOW}", file=sys.stderr, flush=True)
        os._exit(2)

    before = qInstallMessageHandler(hear)
    try:
        yield
    finally:
        qInstallMessageHandler(before)
    for reason in reasons:
        print(reason, file=sys.stderr)


def _read_no_sources() -> None:
    """Spares a sixteenth of the start: PySide6 reads the source of every module that is imported after it, to learn whether it
    asks for names in snake case, and none of ours does."""
    with contextlib.suppress(ImportError):
        from shibokensupport import feature  # type: ignore[import-not-found]

        if hasattr(feature, "_mod_uses_pyside"):
            feature._mod_uses_pyside = lambda module: True


def stand_up(settings: Settings, link: EngineLink, bank: str = "", shelf_later: bool = False) -> Window:
    """The window on its library, with the first preset of a bank on the table; a `QApplication` is there.

    `shelf_later` reads the library once the window is seen, which takes as long as it is large.
    """
    from PySide6.QtCore import QTimer
    from shiboken6 import isValid

    from felt_dial.bank.library import previews
    from felt_dial.bank.library.places import (
        journal_folder,
        lay_out_demo,
        library_problem,
        previews_folder,
        settings_path,
    )
    from felt_dial.files import clear_litter, reason_of, tidy_cache
    from felt_dial.session.session import Session
    from felt_dial.sound.matter import analysis
    from felt_dial.ui.benches.drafts import tidy_drafts
    from felt_dial.ui.frame.excepthook import guard_overrides
    from felt_dial.ui.frame.window import Window
    from felt_dial.ui.theme.colours import NIGHT, OAT, cloth
    from felt_dial.ui.theme.fonts import load_fonts

    guard_overrides()
    load_fonts()
    cloth.wear(NIGHT if settings.night else OAT)
    root, said = settings.library_folder(), ""
    problem = library_problem(root)
    if not problem:
        try:
            lay_out_demo(root)
        except OSError as wrong:
            problem = f"The library {cut(str(root), 80)} cannot be made: {reason_of(wrong)}."
    session = Session(settings, link, isValid)
    session.shelf.library.tidy(settings.bin_days, settings.bin_most)
    tidy_drafts()
    for folder in (journal_folder(), settings_path().parent):
        clear_litter(folder)
    tidy_cache(previews_folder(), previews.KEPT, previews.MOST_BYTES)
    tidy_cache(analysis.cache_folder(), analysis.KEPT, analysis.MOST_BYTES)
    if not shelf_later:
        session.shelf.refresh()
    is_file = bank.endswith(".feltbank")
    if not is_file:
        session.presets.open_first(bank)
        if bank and not said and bank not in {name for b in session.shelf.library.banks() for name in (b.id, b.name)}:
            said = f"There is no bank “{bank}” in {root}."
    window = Window(session)
    if is_file:
        session.presets.open_first()
        window.shelf.import_file(Path(bank), open_it=True)
    window.take_place()
    window.show()
    if shelf_later:
        QTimer.singleShot(0, session.shelf.follow)
    if said:
        session.say(said, problem=True)
    if problem:
        window.library_place.ask(problem)
    return window


def _tell_times(window: Window, begin: float) -> None:
    """Prints how many seconds after the start the window stood and the first block sounded."""
    from PySide6.QtCore import QTimer

    window.repaint()
    print(f"window {time.perf_counter() - begin:.2f} s", flush=True)
    watch = QTimer(window, interval=5)

    def heard() -> None:
        if int(window.session.link.shared.data["blocks"]) > 0:
            print(f"sound {time.perf_counter() - begin:.2f} s", flush=True)
            watch.stop()

    watch.timeout.connect(heard)
    watch.start()
