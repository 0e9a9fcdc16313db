"""The transport: the engine that sounds the patch, the keys and the phrase that play it, and what the engine has to say."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.messages import (
    Back,
    Broken,
    Compiling,
    Died,
    Failed,
    GaveUp,
    Gone,
    Misunderstood,
    NoControllerThere,
    Opened,
    PlayPhrase,
    Refused,
    Scheduled,
    SetMonitor,
    StopPhrase,
    TakeController,
    TransportAsked,
    Unheard,
    Written,
)
from felt_dial.patch.phrase import Phrase
from felt_dial.session.channel import Channel
from felt_dial.session.shelf import Shelf
from felt_dial.session.topics import Laid, SettingsKept, TransportMoved, Working
from felt_dial.sound.playing.phrases import heard_with


class Sentence(NamedTuple):
    """What the person is told of a message of the engine."""

    of: Callable[[Any], str]
    problem: bool = True


SENTENCES: dict[type, Sentence] = {
    Died: Sentence(lambda died: "The sound engine stopped and is being started again with the same patch."),
    Failed: Sentence(lambda failed: f"The sound engine failed: {failed.reason}"),
    GaveUp: Sentence(
        lambda gave_up: (
            f"The sound engine cannot be started: {gave_up.reason}. Your work is safe; choose another output in "
            "the settings."
        )
    ),
    Broken: Sentence(lambda broken: f"{', '.join(broken.paths)} gave no number; it was reset and the sound went on."),
    Refused: Sentence(lambda refused: f"The engine did not take the patch: {refused.reason}"),
    Unheard: Sentence(lambda unheard: unheard.reason),
    Misunderstood: Sentence(lambda misunderstood: misunderstood.what),
    NoControllerThere: Sentence(lambda none: none.reason),
    Gone: Sentence(
        lambda gone: f"{gone.name} is not there any more. The sound goes on without it, and comes back to it by itself."
    ),
    Back: Sentence(lambda back: f"{back.name} is back, and plays again.", problem=False),
    Written: Sentence(lambda written: f"Wrote {written.path}.", problem=False),
}
"""Messages of the engine that are a sentence; all of its messages are told on the channel as well."""


class Transport:
    """What sounds, and what plays it.

    Attributes
    ----------
    link : EngineLink
        The window's end of the engine.
    phrase : str
        The id of the phrase that is chosen.
    looping, playing : bool
        Whether it begins again at its end, and whether it plays now.
    velocity : int
        How hard the keys of the window strike, 1 to 127.
    preparing : str
        How far the compiling of the kernels is, while they are compiled.
    """

    def __init__(self, channel: Channel, link: EngineLink, shelf: Shelf) -> None:
        self.channel, self.link, self.shelf = channel, link, shelf
        self.phrase, self.looping, self.playing = "arpeggio", True, False
        self.velocity = 96
        self.preparing = ""
        channel.hear(Laid, self._laid)
        channel.hear(SettingsKept, self._settings_kept)
        channel.hear(Compiling, self._compiling)
        channel.hear(TransportAsked, lambda asked: self.play(asked.on))
        for told in (Opened, Scheduled):
            channel.hear(told, lambda _: channel.tell(TransportMoved()))

    # --- keys and phrase -----------------------------------------------------------------------

    def note_on(self, key: int, velocity: float) -> None:
        """A key goes down; while nothing can sound yet it is answered by a sentence."""
        self.link.note_on(key, velocity)
        if self.preparing:
            self.channel.tell(Working(f"{self.preparing}: once for this machine. The key is heard after it."))

    def play(self, on: bool) -> None:
        """Plays or stops the phrase."""
        self.playing = on
        if on:
            self.link.tell(PlayPhrase(self.phrase_now, self.looping))
        else:
            self.link.tell(StopPhrase())
        self.channel.tell(TransportMoved())

    @property
    def phrase_now(self) -> Phrase:
        """The phrase that is chosen."""
        known = self.shelf.phrases.all()
        return known.get(self.phrase) or known["arpeggio"]

    def choose_phrase(self, phrase: str) -> None:
        """Another phrase, from its beginning."""
        self.phrase = phrase if phrase in self.shelf.phrases.all() else self.phrase
        if self.playing:
            self.link.tell(PlayPhrase(self.phrase_now, self.looping))
        self.channel.tell(TransportMoved())

    # --- the listener --------------------------------------------------------------------------

    @property
    def dry(self) -> bool:
        """Whether the sound is heard without its effects; it is never saved or rendered so."""
        dry = self.link.standing(SetMonitor, "dry")
        return dry is not None and bool(dry.value)

    def hear_dry(self, on: bool) -> None:
        """Leaves all effects out of what is heard, or lets them in again."""
        self.link.tell(SetMonitor("dry", on))
        self.channel.say("Heard without its effects: dry." if on else "Heard with its effects again.")

    # --- the engine ----------------------------------------------------------------------------

    def poll(self) -> None:
        """Hears the engine, and sees where the phrase has come to its end."""
        for message in self.link.poll():
            if sentence := SENTENCES.get(type(message)):
                self.channel.say(sentence.of(message), sentence.problem)
            self.channel.tell(message)
        if self.playing and self.link.ready and self.link.settled and not self.looping:
            ended = not self.link.shared.data["playing"] and self.link.shared.data["position"] > 0
            if ended:
                self.playing = False
                self.channel.tell(TransportMoved())

    def _compiling(self, compiling: Compiling) -> None:
        """The kernels are being compiled: says how far that is, until it is done."""
        done, total, left = compiling
        self.preparing = "" if done >= total else f"Compiling {done} of {total}, about {5 * max(round(left / 5), 1)} s"
        self.channel.tell(
            Working(f"{self.preparing}: once for this machine, then it sounds." if self.preparing else "")
        )
        if not self.preparing:
            self.channel.say("The sound is ready.")

    def _laid(self, laid: Laid) -> None:
        """Another sound lies on the table: it is played with the phrase that it is best heard with."""
        if not self.playing:
            self.phrase = self.shelf.phrases.welcome(heard_with(laid.patch))
        self.channel.tell(TransportMoved())

    def _settings_kept(self, kept: SettingsKept) -> None:
        before, now = kept
        wanted = (now.device, now.rate, now.block)
        if wanted != (before.device, before.rate, before.block):
            self.link.reopen(*wanted)
        if now.quality != before.quality:
            self.link.take_quality(now.quality)
        if now.controller != before.controller:
            self.link.tell(TakeController(now.controller))
