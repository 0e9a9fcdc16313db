"""The sample bench: the recording of a layer, the steps that made it, and the part of it that is chosen."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Signal

from felt_dial.errors import FeltDialError
from felt_dial.live.link.messages import Listen
from felt_dial.patch.asset import Asset
from felt_dial.patch.edits import duplicate_layer
from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch, put
from felt_dial.session.jobs import Latest, Watch
from felt_dial.session.session import Session
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.root import Root
from felt_dial.sound.sources.table import Table
from felt_dial.ui.benches.drafts import hear
from felt_dial.ui.benches.work import BenchWork
from felt_dial.workers.helper import Helper
from felt_dial.workshop.recording.loops import Loop
from felt_dial.workshop.recording.peaks import FirstLook, Peaks
from felt_dial.workshop.recording.recipe import RecordingRecipe, Step, make, read_steps, write_steps
from felt_dial.workshop.wav_file import recording_wav

PLACES = ("start", "end", "loop_start", "loop_end", "floor")
LONG = 6_000_000
"""Samples of all channels together from which a recording is read beside the window."""
SMALLEST_VIEW = 32.0
"""Frames across the picture where it is zoomed in as far as it goes."""


@lru_cache(maxsize=16)
def recipe_of_recording(asset: Asset) -> RecordingRecipe:
    """How a recording was made; one that was not made on a bench is its own beginning."""
    text = assets.recipe_of(asset)
    if text is not None:
        try:
            return read_steps(text, f"The recipe of “{asset.name}”")
        except FeltDialError:
            pass  # the recording itself plays, and is what the next steps begin from
    return RecordingRecipe(asset.model_copy(update={"recipe": ""}))


@lru_cache(maxsize=3)
def peaks_of(asset: Asset) -> Peaks | None:
    """The picture of a recording at any zoom; None where it is missing."""
    sound = assets.load(asset)
    return None if sound is None else Peaks(sound)


class NotThere(FeltDialError):
    """A recording that nobody has."""


@dataclass(frozen=True)
class Region:
    """A part of the recording, in seconds."""

    first: float
    last: float


class RecordingWork(BenchWork):
    """The recording that a layer plays.

    Attributes
    ----------
    viewed : Signal()
        Another part of it is seen.
    found : Signal()
        Something was found out about it: its root, its loops.
    """

    viewed = Signal()
    found = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.region: Region | None = None
        self.view = (0.0, 1.0)
        """The first and the last frame that are seen."""
        self.snap = True
        self.cursor = 0.0
        self.shapes: tuple[dict[str, Any], ...] = ()
        self.slices: tuple[int, ...] = ()
        self.root: Root | None = None
        self.loops: tuple[Loop, ...] | None = None
        self.helper = Helper()
        self.latest = Latest(session.channel)
        self.destroyed.connect(self.helper.close)
        self._reader = Latest(session.channel)
        self._reading, self._read = "", set[str]()
        self.first_look: FirstLook | None = None
        """About what a long recording looks like, while it is still being read."""

    # --- what is there -------------------------------------------------------------------------

    def suits(self, source: Any) -> bool:
        return "asset" in type(source).model_fields and not isinstance(source, Table)

    @property
    def recipe(self) -> RecordingRecipe | None:
        """How it was made."""
        return recipe_of_recording(self.asset) if self.asset is not None else None

    @property
    def peaks(self) -> Peaks | None:
        """Its picture; a long one is read beside the window, and is there a little later."""
        asset = self.asset
        if asset is None or (asset.digest in self._read or asset.frames * asset.channels < LONG):
            return peaks_of(asset) if asset is not None else None
        if asset.digest != self._reading:
            self._reading, self.first_look = asset.digest, None
            path = assets.find(asset)

            def seen(look: FirstLook | None) -> None:
                if self._reading == asset.digest:
                    self.first_look = look
                    self.changed.emit()
                    self._reader.ask(lambda: peaks_of(asset), then)

            def then(_: Peaks | None) -> None:
                self._read.add(asset.digest)
                if self._reading == asset.digest:
                    self.first_look = None
                self.changed.emit()

            self._reader.ask(lambda: None if path is None else FirstLook(path), seen, lambda _: seen(None))
        return None

    @property
    def reading(self) -> bool:
        """True while a long recording is still being read."""
        return self.asset is not None and self.asset.digest == self._reading and self._reading not in self._read

    @property
    def sound(self) -> NDArray[np.float32] | None:
        """Its samples, float32 (channel, frame)."""
        peaks = self.peaks
        return peaks.sound if peaks is not None else None

    @property
    def rate(self) -> float:
        """Its frames a second."""
        return float(self.asset.rate) if self.asset is not None else 48000.0

    # --- what is seen --------------------------------------------------------------------------

    def see(self, first: float, last: float) -> None:
        """Shows another part of it, in frames."""
        frames = float(self.asset.frames) if self.asset is not None else 1.0
        size = min(max(last - first, min(SMALLEST_VIEW, frames)), frames)
        first = min(max(first, 0.0), frames - size)
        if (first, first + size) != self.view:
            self.view = (first, first + size)
            self.viewed.emit()

    def zoom(self, factor: float, at: float = 0.5) -> None:
        """Shows `factor` times as much, what is at a place across staying there."""
        first, last = self.view
        frames = float(self.asset.frames) if self.asset is not None else 1.0
        factor = min(
            max(factor, min(SMALLEST_VIEW, frames) / max(last - first, 1e-9)), frames / max(last - first, 1e-9)
        )
        middle = first + at * (last - first)
        self.see(middle - (middle - first) * factor, middle + (last - middle) * factor)

    def follow(self) -> None:
        """The patch is another: what is shown here follows."""
        asset = self.asset
        now = (self.layer, asset)
        if now == self._seen:
            return
        before, self._seen = self._seen, now
        was = before[1] if before is not None and isinstance(before[1], Asset) else None
        if asset is None or was is None or was.digest != asset.digest:
            self.shapes, self.root, self.loops = (), None, None
            if asset is None or was is None or (before or now)[0] != self.layer or was.frames != asset.frames:
                self.region, self.slices, self.cursor = None, (), 0.0
                self.view = (0.0, float(asset.frames) if asset is not None else 1.0)
                self.viewed.emit()
        self.changed.emit()

    def choose(self, region: Region | None) -> None:
        """Another part of it is chosen."""
        if region != self.region:
            self.region = region
            self.changed.emit()

    def snapped(self, second: float) -> float:
        """The nearest place where it goes through zero, in all channels as nearly as can be, within 10 ms."""
        sound, rate = self.sound, self.rate
        if sound is None or not self.snap:
            return second
        at, reach = round(second * rate), int(0.01 * rate)
        low, high = max(at - reach, 0), min(at + reach, sound.shape[1] - 1)
        part = sound[:, low : high + 1]
        if part.shape[1] < 3 or at <= 0 or at >= sound.shape[1]:
            return float(min(max(second, 0.0), sound.shape[1] / rate))
        crosses = (part[:, :-1] * part[:, 1:] <= 0).all(axis=0)
        height = np.abs(part).max(axis=0)
        cost = np.abs(np.arange(len(height)) - (at - low)) / reach + 40.0 * height / max(float(height.max()), 1e-6)
        cost[:-1] -= 4.0 * crosses
        return (low + int(np.argmin(cost))) / float(rate)

    # --- hearing -------------------------------------------------------------------------------

    def play(self, first: float = 0.0, last: float = 0.0, loops: bool = False) -> None:
        """Plays it from a second on, beside the patch, as loud as it is: so a gain or a fade is heard."""
        asset = self.asset
        path = assets.find(asset) if asset is not None else None
        if asset is not None and path is not None:
            end = last or asset.seconds
            self.session.link.tell(Listen(str(path), first, end, loops, levelled=False))

    def hear(self, sound: NDArray[np.float32]) -> None:
        """Plays something that was made of it."""
        try:
            hear(self.session, sound, self.rate, levelled=False)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)

    # --- steps ---------------------------------------------------------------------------------

    def do(self, kind: str, **figures: Any) -> None:
        """One more step, done beside the window, as one edit."""
        recipe = self.recipe
        if recipe is None:
            self.session.say("There is no recording on the bench.", problem=True)
            return
        step = Step(kind, figures)
        marks = marks_after(self.source, step, self.asset) if self.asset is not None else {}
        self._make(replace(recipe, steps=(*recipe.steps, step)), step.says(), marks)

    def on_region(self, kind: str, **figures: Any) -> None:
        """One more step on what is chosen, or on all of it."""
        if self.region is not None:
            figures |= {"first_s": self.region.first, "last_s": self.region.last}
        self.do(kind, **figures)

    def take_back(self, number: int) -> None:
        """Leaves out one of the steps; those after it are done again without it."""
        recipe = self.recipe
        if recipe is not None and 0 <= number < len(recipe.steps):
            steps = recipe.steps[:number] + recipe.steps[number + 1 :]
            self._make(replace(recipe, steps=steps), f"without “{recipe.steps[number].says()}”", {})

    def apply(self) -> None:
        """Lets the recording as it is be the beginning: its steps cannot be taken back any more."""
        if self.asset is not None and self.asset.recipe:
            self.show_asset(self.asset.model_copy(update={"recipe": ""}), "apply the steps")

    def _make(self, recipe: RecordingRecipe, says: str, marks: dict[str, Any]) -> None:
        layer, before, name = self.layer, self.asset, recipe.origin.name
        document, folder = write_steps(recipe), str(self.session.shelf.library.root / ".assets")

        def work(watch: Watch) -> Asset:
            return self.helper.call(make, document, folder, name, watch=watch)

        def then(asset: Asset) -> None:
            if layer not in self.session.patch.layers or self._source(layer).asset != before:
                self.session.say("The layer plays something else by now; it was left alone.", problem=True)
                return
            if before is not None:
                asset = asset.model_copy(update={"name": before.name, "rights": before.rights, "terms": before.terms})
            self.show_asset(asset, says, marks, layer)

        self.session.jobs.start(says[:1].upper() + says[1:], work, then)

    def show_asset(self, asset: Asset, says: str, marks: dict[str, Any] | None = None, layer: str = "") -> None:
        """Lets the layer play a recording, as one edit."""
        key = layer or self.layer
        source = self._source(key)
        known = {name: value for name, value in (marks or {}).items() if name in source.params}
        fresh = source.model_copy(update={"asset": asset, **known})
        self.session.editor.edit(put(self.session.patch, ["layers", key, "source"], fresh), says)
        self.follow()

    def as_wav(self) -> bytes:
        """The recording as a file, with the root and the loop of the layer."""
        sound, source, asset = self.sound, self.source, self.asset
        if sound is None or asset is None:
            raise NotThere("The recording is missing, or damaged; nothing was saved.")
        root = source.number("root") + source.number("cents") / 100 if "root" in source.params else None
        loop = None
        if goes_round(source):
            first, last = (round(source.number(name) * (asset.frames - 1)) for name in ("loop_start", "loop_end"))
            loop = (first, last) if last > first else None
        way = str(source.get("loop")) if loop is not None else "forward"
        return recording_wav(sound, round(asset.rate), root, loop, way)

    def set_rights(self, rights: str, terms: str = "") -> None:
        """Notes whose the recording is."""
        if self.asset is not None:
            asset = self.asset.model_copy(update={"rights": rights, "terms": terms.strip()[:400]})
            self.show_asset(asset, "note whose the recording is")

    # --- more layers ---------------------------------------------------------------------------

    def to_layer(self, asset: Asset, name: str, says: str) -> bool:
        """One more layer like this one, which plays another recording; what is refused is said."""
        return self.session.editor.try_edit(lambda: with_layer(self.session.patch, self.layer, asset, name)[0], says)

    @staticmethod
    def sample_of(asset: Asset, root: float | None) -> Source:
        """A sample that plays a recording at its root."""
        made: Source = Source.kinds["sample"]().model_copy(update={"asset": asset, **root_settings(root)})
        return made

    def new_sample(self, asset: Asset, root: float | None, says: str, name: str = "") -> str:
        """A new layer that plays a recording as a sample; its id, empty where it was refused."""
        try:
            patch, key = self.session.shelf.with_new_layer(self.session.patch, "sample")
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return ""
        source = self.sample_of(asset, root)
        layer = patch.layers[key].model_copy(update={"source": source, "name": name[:24]})
        self.wished = key
        self.session.editor.edit(put(patch, ["layers", key], layer), says, select=("source", key))
        self.follow()
        return key


def goes_round(source: Any) -> bool:
    """Whether a source goes round in a loop that is on."""
    return "loop" in source.params and "loop_start" in source.params and source.get("loop") != "off"


def root_settings(root: float | None) -> dict[str, Any]:
    """What a source is set to for a recording that sounds at a key, with cents as its fraction."""
    if root is None:
        return {}
    key = min(max(round(root), 0), 127)
    return {"root": key, "cents": min(max(round(100 * (root - key), 1), -100.0), 100.0)}


def with_layer(patch: Patch, key: str, asset: Asset, name: str) -> tuple[Patch, str]:
    """The patch with a copy of a layer that plays another recording, and its id; raises `OutOfRange`."""
    patch, fresh = duplicate_layer(patch, key)
    source: Source = patch.layers[fresh].source.model_copy(update={"asset": asset})
    layer = patch.layers[fresh].model_copy(update={"source": source, "name": name[:24]})
    return put(patch, ["layers", fresh], layer), fresh


def marks_after(source: Any, step: Step, asset: Asset) -> dict[str, Any]:
    """Where the marks of a source stand after a step that moves what they mark; only those that it has and that move."""
    seconds, figures = asset.seconds, step.figures
    first, last = float(figures.get("first_s", 0.0)), float(figures.get("last_s", seconds))
    made: dict[str, Any] = {}
    if step.kind in ("trim", "cut"):
        for name in PLACES:
            if name not in source.params:
                continue
            at = source.number(name) * seconds
            if step.kind == "trim":
                now, whole = at - first, last - first
            else:
                now, whole = at - min(max(at - first, 0.0), last - first), seconds - (last - first)
            made[name] = min(max(now / max(whole, 1e-6), 0.0), 1.0)
    elif step.kind == "stretch" and figures.get("pitch") and "root" in source.params:
        now = source.number("root") + source.number("cents") / 100 + float(figures["pitch"])
        made |= root_settings(now)
    return made
