"""Preferences: the settings of the person, kept as they are changed."""

from __future__ import annotations

import contextlib

from felt_dial.bank.library.places import Settings, load_settings, save_settings
from felt_dial.files import CannotWrite
from felt_dial.session.channel import Channel
from felt_dial.session.topics import SettingsKept


class Preferences:
    """The settings as they are `now`."""

    def __init__(self, channel: Channel, settings: Settings) -> None:
        self.channel, self.now = channel, settings

    def keep(self, settings: Settings) -> None:
        """Keeps other settings; whoever goes by them follows."""
        before, self.now = self.now, settings
        try:
            save_settings(settings)
        except CannotWrite as wrong:
            self.channel.say(str(wrong), problem=True)
        self.channel.tell(SettingsKept(before, settings))

    def remember(self, **change: object) -> None:
        """Keeps what the program remembers by itself, and nothing else: another window may have changed the settings since.

        Where it cannot be written it is remembered as long as the window lives.
        """
        self.now = self.now.model_copy(update=change)
        with contextlib.suppress(CannotWrite):
            save_settings(load_settings().model_copy(update=change))
