"""The session: what one window works with, made of parts that are told of one another on one channel.

Nothing in here draws or needs a toolkit.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from felt_dial.bank.library.journal import Journal
from felt_dial.bank.library.places import Settings, journal_folder
from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.messages import TakeController
from felt_dial.patch.history import History
from felt_dial.patch.patch import Patch
from felt_dial.session.autosave import Autosave
from felt_dial.session.channel import Channel
from felt_dial.session.control import Control
from felt_dial.session.editor import Editor
from felt_dial.session.jobs import Jobs
from felt_dial.session.preferences import Preferences
from felt_dial.session.presets import Presets
from felt_dial.session.shelf import Shelf
from felt_dial.session.topics import Frame
from felt_dial.session.transport import Transport


class Session:
    """One person at work.

    Attributes
    ----------
    channel : Channel
        Where everything that happens is told.
    settings : Preferences
        What the person has set.
    shelf : Shelf
        The library.
    editor : Editor
        The sound on the table.
    transport : Transport
        The engine, and what plays it.
    autosave : Autosave
        The page of the journal that keeps what is not saved.
    presets : Presets
        Presets on the table: opened, saved, followed.
    control : Control
        Knobs and programs from outside.
    jobs : Jobs
        Long work beside the window.

    Parameters
    ----------
    settings : Settings
        Those of the person as the window begins.
    link : EngineLink
        The window's end of the engine.
    lives : callable
        Whether what listens on the channel may still be called, see `Channel`.
    """

    def __init__(
        self, settings: Settings, link: EngineLink, lives: Callable[[object], bool] = lambda owner: True
    ) -> None:
        self.link = link
        self.channel = channel = Channel(lives)
        self.settings = Preferences(channel, settings)
        history = History()
        self.shelf = Shelf(channel, self.settings, history)
        self.editor = Editor(channel, history, link, self.shelf.figures)
        self.transport = Transport(channel, link, self.shelf)
        self.journal = Journal(journal_folder())
        self.autosave = Autosave(channel, self.editor, self.journal)
        self.presets = Presets(channel, self.editor, self.shelf, self.autosave, self.settings)
        self.control = Control(channel, self.editor, self.shelf, self.presets, self.settings)
        self.jobs = Jobs(channel)
        link.tell(TakeController(settings.controller))

    @property
    def patch(self) -> Patch:
        """The patch that sounds, which most who know a session ask for."""
        return self.editor.patch

    def say(self, text: str, problem: bool = False) -> None:
        """One sentence for the person."""
        self.channel.say(text, problem)

    def ask(self, text: str, answers: Iterable[tuple[str, Callable[[], object]]], problem: bool = True) -> None:
        """One sentence for the person, with buttons that answer it; red where it is about something that is wrong."""
        self.channel.ask(text, answers, problem)

    def tick(self) -> None:
        """Thirty times a second: hears the engine and all that works beside the window, and lets pictures move."""
        self.transport.poll()
        self.jobs.poll()
        self.shelf.poll()
        self.channel.tell(Frame())

    def close(self) -> None:
        """Ends the helpers; unsaved work stays in the journal."""
        self.autosave.write()
        self.journal.close()
        self.link.close()
        self.shelf.close()
