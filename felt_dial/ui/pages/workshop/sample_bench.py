"""The sample bench: the wave and its spectrum, its parts, and beside them loops, splices, slices, bounces, recording."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.live.link.messages import Listen
from felt_dial.patch.asset import Asset
from felt_dial.patch.params import CUBIC, LOG, Param
from felt_dial.patch.patch import put
from felt_dial.patch.units import BEND, DECIBELS, OCTAVES, PERCENT, SECONDS, SEMITONES, number
from felt_dial.session.jobs import Watch
from felt_dial.session.session import Session
from felt_dial.ui.benches.recording import RecordingWork, with_layer
from felt_dial.ui.dials.cards import Plate
from felt_dial.ui.dials.controls import MenuPill, Pill, set_text, text_label
from felt_dial.ui.dials.figure_menu import FigureMenu
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.pages.workshop.sample_side import SampleSide
from felt_dial.ui.pictures.sample_bench import Wave
from felt_dial.ui.pictures.sample_parts import Shape
from felt_dial.ui.pictures.sample_spectrum import Spectrum
from felt_dial.workshop.recording.choice import chosen_part
from felt_dial.workshop.recording.recipe import RecordingRecipe, Step, write_steps
from felt_dial.workshop.recording.split import Parts
from felt_dial.workshop.recording.work import keep_parts, look_into, parts_of

TOOLS = (
    ("brush", "Brush", "Brush over a part of the spectrum"),
    ("box", "Box", "Draw a box around a part of the spectrum"),
    ("lasso", "Lasso", "Draw a line around a part of the spectrum"),
    ("harmonics", "Harmonics of a tone", "Press on a tone: all its harmonics are chosen, along its pitch"),
)
PARTS = (("tones", "Tones", "mallow"), ("noise", "Noise", "woad"), ("strikes", "Strikes", "walnut"))


class SampleBench(QWidget):
    """All of the sample bench."""

    says = "Cut, loop, split, join and bounce the recording that a layer plays, or record one"

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.work = work = RecordingWork(session)
        self.parts: Parts | None = None
        self._parts_of: Asset | None = None
        self._looked: object = None
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(12)
        self.main = QWidget()
        left = QVBoxLayout(self.main)
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(8)
        outer.addWidget(self.main, 1)
        left.addWidget(self._wave(), 5)
        left.addWidget(self._spectrum(), 6)
        left.addWidget(self._split())
        self.side = SampleSide(session, work)
        outer.addWidget(self.side)
        work.changed.connect(self._follow)
        work.viewed.connect(self._follow)
        self._open = False
        self._follow()

    def opened(self, seen: bool) -> None:
        """It is shown now, or put away."""
        self._open = seen
        self.side.opened(seen)
        if seen:
            self.work.follow()
            self._look()

    def about(self) -> str:
        """What lies here, in a few words."""
        asset = self.work.asset
        if asset is None:
            return "no layer plays a recording" if not self.work.layer else "no recording yet"
        channels = "stereo" if asset.channels == 2 else "mono"
        rights = {"": "rights unknown", "own": "own", "free": "free", "licensed": "licensed"}[asset.rights]
        steps = len(self.work.recipe.steps) if self.work.recipe is not None else 0
        made = f" · {steps} step{'s' * (steps != 1)}" if steps else ""
        return f"{number(asset.seconds, 2)} s, {channels}, {asset.rate / 1000:g} kHz, {rights}{made}"

    # --- the wave ------------------------------------------------------------------------------

    def _wave(self) -> QWidget:
        work = self.work
        card, inner = Plate.with_box()
        row = QHBoxLayout()
        row.setSpacing(4)
        for name, act, tip in (
            ("Trim", partial(work.on_region, "trim"), "Keeps only what is chosen"),
            ("Cut out", self._cut, "Takes out what is chosen and joins both sides"),
        ):
            row.addWidget(Pill(name, "small", act, tip))
        row.addWidget(MenuPill("Fade…", "Fades in or out over what is chosen, straight or bent", self._fade_menu))
        row.addWidget(MenuPill("Gain…", "Louder or quieter, what is chosen or all", self._gain_menu))
        for name, kind, tip in (
            ("Normalise", "normalise", "Brings the highest sample of what is chosen to −0.3 dB"),
            ("Reverse", "reverse", "Plays what is chosen backward"),
            ("Silence", "silence", "Silences what is chosen"),
        ):
            row.addWidget(Pill(name, "small", partial(self._region_step, kind), tip))
        row.addWidget(MenuPill("Stretch…", "Time and pitch, one without the other", self._stretch_menu))
        row.addWidget(MenuPill("More…", "Mono, stereo, DC, rate", self._more_menu))
        row.addStretch()
        self.chosen = text_label("", "small")
        row.addWidget(self.chosen)
        self.snap = Pill(
            "Snap", "small", self._snap, "What is chosen ends where the wave goes through zero in all channels"
        )
        self.snap.setCheckable(True)
        self.snap.setChecked(True)
        row.addWidget(self.snap)
        row.addWidget(
            Pill("Loop it", "small", self._loop_it, "Plays what is chosen round and round; press Stop to end it")
        )
        row.addWidget(Pill("Stop", "small", lambda: self.session.link.tell(Listen("")), "Stops what is played here"))
        row.addWidget(Pill("−", "small", lambda: work.zoom(2.0), "Show twice as much"))
        row.addWidget(Pill("+", "small", lambda: work.zoom(0.5), "Show half as much"))
        row.addWidget(Pill("All", "small", lambda: work.see(0.0, 1e12), "Show all of it"))
        inner.addLayout(row)
        self.wave = Wave(work)
        inner.addWidget(self.wave, 1)
        return card

    def _snap(self) -> None:
        self.work.snap = self.snap.isChecked()

    def _loop_it(self) -> None:
        region, asset = self.work.region, self.work.asset
        if asset is not None:
            first, last = (region.first, region.last) if region is not None else (0.0, asset.seconds)
            self.work.play(first, last, loops=True)

    def _cut(self) -> None:
        if self.work.region is None:
            self.session.say("Choose what is cut out first: drag over the wave.", problem=True)
            return
        self.work.on_region("cut")

    def _region_step(self, kind: str) -> None:
        self.work.on_region(kind)

    def _fade_menu(self) -> QMenu:
        bend = PlainSlider(
            Param("bend", 0.0, (-1.0, 1.0), BEND, says="Below 0 quick at first, above 0 slow at first"), 34
        )

        def fade(way: str) -> None:
            self.work.on_region("fade", way=way, bend=round(bend.value, 3))

        acts = [("Fade in", lambda: fade("in")), ("Fade out", lambda: fade("out"))]
        menu = FigureMenu(self, [bend], acts)
        bend.changed.connect(self.wave.show_fade)
        menu.aboutToHide.connect(lambda: self.wave.show_fade(None))
        self.wave.show_fade(bend.value)
        return menu

    def _gain_menu(self) -> QMenu:
        def gain(db: float) -> None:
            if abs(db) < 0.005:
                self.session.say("It is so loud already: move the gain first.", problem=True)
                return
            self.work.on_region("gain", db=round(db, 2))

        by = PlainSlider(Param("gain", 0.0, (-24.0, 24.0), DECIBELS, says="How much louder or quieter it becomes"), 34)
        acts: list[tuple[str, Callable[[], object]]] = [("Apply", lambda: gain(by.value))]
        acts += [(f"{number(db, 0, signed=True)} dB", partial(gain, db)) for db in (6.0, 3.0, -3.0, -6.0)]
        return FigureMenu(self, [by], acts)

    def _stretch_menu(self) -> QMenu:
        def stretch() -> None:
            if abs(length.value - 1.0) < 0.0005 and abs(pitch.value) < 0.005:
                self.session.say("It is so long and so high already: move length or pitch first.", problem=True)
                return
            self.work.do("stretch", time=round(length.value, 4), pitch=round(pitch.value, 2))

        length = PlainSlider(
            Param("length", 1.0, (0.25, 8.0), PERCENT, taper=LOG, says="How long it becomes; its pitch stays"), 46
        )
        pitch = PlainSlider(
            Param("pitch", 0.0, (-24.0, 24.0), SEMITONES, says="How far its pitch goes; its length stays"), 46
        )
        acts: list[tuple[str, Callable[[], object]]] = [("Stretch", stretch)]
        for time in (0.5, 2.0, 4.0):
            acts.append((f"{100 * time:.0f} % long", partial(self.work.do, "stretch", time=time)))
        for by in (12.0, -12.0):
            acts.append((f"{number(by, 0, signed=True)} st", partial(self.work.do, "stretch", pitch=by)))
        menu = FigureMenu(self, [length, pitch], acts)
        tuned = menu.addAction("To the nearest key", self._tune)
        tuned.setEnabled(self.work.root is not None and self.work.root.key is not None)
        return menu

    def _tune(self) -> None:
        root = self.work.root
        if root is not None and root.key is not None:
            self.work.do("stretch", pitch=round(round(root.key) - root.key, 4))

    def _more_menu(self) -> QMenu:
        menu = QMenu(self)
        menu.addAction("Make it mono", partial(self.work.do, "mono"))
        menu.addAction("Make it stereo", partial(self.work.do, "stereo"))
        menu.addAction("Remove DC", partial(self.work.do, "dc"))
        rates = menu.addMenu("Resample")
        for rate in (22050, 44100, 48000, 96000):
            rates.addAction(f"{rate / 1000:g} kHz", partial(self.work.do, "resample", rate=float(rate)))
        return menu

    # --- the spectrum --------------------------------------------------------------------------

    def _spectrum(self) -> QWidget:
        card, inner = Plate.with_box()
        row = QHBoxLayout()
        row.setSpacing(4)
        self.tools = {}
        for tool, name, tip in TOOLS:
            pill = Pill(name, "small", partial(self._tool, tool), tip)
            pill.setCheckable(True)
            self.tools[tool] = pill
            row.addWidget(pill)
        soft = "How softly the choice begins and ends in time"
        self.soft_time = PlainSlider(Param("soft", 0.03, (0.0, 0.5), SECONDS, taper=CUBIC, says=soft), 26)
        soft = "How softly the choice ends in frequency"
        self.soft_octaves = PlainSlider(
            Param("soft, in frequency", 0.08, (0.0, 1.0), OCTAVES, taper=CUBIC, says=soft), 0
        )
        for slider in (self.soft_time, self.soft_octaves):
            slider.setFixedWidth(150 if slider.label_wide else 124)
            row.addWidget(slider)
        row.addStretch()
        row.addWidget(Pill("Choose nothing", "small", self._unchoose, "Forgets what is chosen in the spectrum"))
        row.addWidget(Pill("Hear it alone", "small", self._hear_choice, "Plays only what is chosen in the spectrum"))
        row.addWidget(
            Pill("Keep only it", "small", partial(self._choose, "keep"), "The layer plays only what is chosen")
        )
        row.addWidget(
            Pill("Take it out", "small", partial(self._choose, "take"), "The layer plays all but what is chosen")
        )
        inner.addLayout(row)
        self.spectrum = Spectrum(self.work)
        inner.addWidget(self.spectrum, 1)
        self._tool("brush")
        return card

    def _tool(self, tool: str) -> None:
        self.spectrum.tool = tool
        for name, pill in self.tools.items():
            pill.setChecked(name == tool)

    def _unchoose(self) -> None:
        self.work.shapes = ()
        self.work.changed.emit()

    def _figures(self) -> dict[str, Any]:
        return {
            "shapes": list(self.work.shapes),
            "soft_s": round(self.soft_time.value, 4),
            "soft_octaves": round(self.soft_octaves.value, 4),
        }

    def _choose(self, way: str) -> None:
        if not self.work.shapes:
            self.session.say("Nothing is chosen in the spectrum yet: brush over it, or draw a box.", problem=True)
            return
        self.work.do("choose", way=way, **self._figures())

    def _hear_choice(self) -> None:
        work, sound, figures = self.work, self.work.sound, self._figures()
        if sound is None:
            return

        def find() -> np.ndarray:
            found = work.helper.call(
                chosen_part, sound, work.rate, figures["shapes"], figures["soft_s"], figures["soft_octaves"]
            )
            return np.asarray(found)

        work.latest.ask(find, work.hear, lambda says: self.session.say(says, problem=True))

    # --- parts ---------------------------------------------------------------------------------

    def _split(self) -> QWidget:
        card, inner = Plate.with_box()
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(text_label("Split into parts", "value"))
        self.split_says = text_label("they add up to the whole", "small")
        row.addWidget(self.split_says)
        row.addStretch()
        plain = "How plainly something must be a tone or a strike"
        self.strength = PlainSlider(Param("strength", 0.5, (0.0, 1.0), PERCENT, says=plain), 50)
        self.strength.setFixedWidth(190)
        row.addWidget(self.strength)
        row.addWidget(Pill("Split", "small", self.split, "Takes tones, noise and strikes apart"))
        self.all_layers = Pill(
            "Make layers of all three",
            "small",
            self.layers_of_parts,
            "Tones, noise and strikes become layers in place of this one",
        )
        self.all_layers.setEnabled(False)
        row.addWidget(self.all_layers)
        inner.addLayout(row)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.pictures, self.levels, self.ready = {}, {}, []
        for part, name, shade in PARTS:
            box = QVBoxLayout()
            box.setSpacing(3)
            head = QHBoxLayout()
            head.setSpacing(4)
            head.addWidget(text_label(name, "value"))
            self.levels[part] = text_label("", "small")
            head.addWidget(self.levels[part])
            head.addStretch()
            alone = Pill("Alone", "small", partial(self._hear_part, part), f"Plays only the {name.lower()}")
            layer = Pill(
                "To a layer",
                "small",
                partial(self._part_to_layer, part),
                f"One more layer, which plays the {name.lower()}",
            )
            for pill in (alone, layer):
                pill.setEnabled(False)
                self.ready.append(pill)
                head.addWidget(pill)
            box.addLayout(head)
            self.pictures[part] = Shape(shade, "not split yet")
            box.addWidget(self.pictures[part])
            row.addLayout(box, 1)
        inner.addLayout(row)
        return card

    def split(self) -> None:
        """Takes the recording apart, beside the window."""
        asset, strength, helper = self.work.asset, self.strength.value, self.work.helper
        if asset is None:
            self.session.say("There is no recording on the bench.", problem=True)
            return

        def work(watch: Watch) -> Parts:
            return helper.call(parts_of, asset, strength, watch=watch)

        def then(parts: Parts) -> None:
            if self.work.asset == asset:
                self.parts, self._parts_of = parts, asset
                self._show_parts()

        self.session.jobs.start(f"Splitting {asset.name}", work, then)

    def _show_parts(self) -> None:
        parts, sound = self.parts, self.work.sound
        for pill in (*self.ready, self.all_layers):
            pill.setEnabled(parts is not None)
        if parts is None or sound is None:
            for part, _, _ in PARTS:
                self.pictures[part].show_sound(None)
                set_text(self.levels[part], "")
            set_text(self.split_says, "they add up to the whole")
            return
        top = float(np.abs(sound).max())
        whole = float(np.sqrt(np.square(sound, dtype=np.float64).mean()))
        for part, _, _ in PARTS:
            found = getattr(parts, part)
            level = 20 * np.log10(
                max(float(np.sqrt(np.square(found, dtype=np.float64).mean())) / max(whole, 1e-9), 1e-6)
            )
            set_text(self.levels[part], f"{number(level, 1)} dB")
            self.pictures[part].show_sound(found, top)
        left = parts.tones.astype(np.float64) + parts.noise + parts.strikes - sound
        over = 20 * np.log10(max(float(np.sqrt(np.square(left).mean())) / max(whole, 1e-9), 1e-9))
        set_text(self.split_says, f"they add up to the whole; {number(over, 0)} dB left over")

    def _hear_part(self, part: str) -> None:
        if self.parts is not None:
            self.work.hear(getattr(self.parts, part))

    def _keep(self, wanted: list[str]) -> list[Asset]:
        """Keeps parts, each with the recipe that makes it again; raises `FeltDialError`."""
        recipe, asset, work = self.work.recipe, self._parts_of, self.work
        assert recipe is not None and asset is not None and self.parts is not None
        sounds = []
        for part in wanted:
            step = Step("part", {"part": part, "strength": round(self.strength.value, 3)})
            document = write_steps(RecordingRecipe(recipe.origin, (*recipe.steps, step)))
            sounds.append((f"{asset.name}, {part}", getattr(self.parts, part), document))
        kept = keep_parts(sounds, work.rate, str(self.session.shelf.library.root / ".assets"))
        return [one.model_copy(update={"rights": asset.rights, "terms": asset.terms}) for one in kept]

    def _part_to_layer(self, part: str) -> None:
        name = dict((p, n) for p, n, _ in PARTS)[part]
        try:
            (asset,) = self._keep([part])
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        if self.work.to_layer(asset, name, f"the {part} as a layer"):
            self.session.say(f"One more layer plays the {part}.")

    def layers_of_parts(self) -> None:
        """Three layers in place of this one, which sound as it did together."""
        key = self.work.layer
        try:
            kept = self._keep([part for part, _, _ in PARTS])
            patch = self.session.patch
            for asset, name in ((kept[1], "Noise"), (kept[2], "Strikes")):
                patch, _ = with_layer(patch, key, asset, name)
            source = patch.layers[key].source.model_copy(update={"asset": kept[0]})
            layer = patch.layers[key].model_copy(update={"source": source, "name": "Tones"})
            patch = put(patch, ["layers", key], layer)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.editor.edit(patch, "tones, noise and strikes as layers")
        self.session.say("Tones, noise and strikes are layers now; together they sound as before.")

    # --- following -----------------------------------------------------------------------------

    def _look(self) -> None:
        """Has root and loops looked for, beside the window."""
        work, asset = self.work, self.work.asset
        if asset is None or asset.digest == self._looked or not self._open or work.sound is None:
            return
        self._looked = asset.digest

        def then(found: tuple[Any, list[Any]]) -> None:
            work.root, work.loops = found[0], tuple(found[1])
            work.found.emit()

        work.latest.ask(
            lambda: work.helper.call(look_into, asset), then, lambda says: self.session.say(says, problem=True)
        )

    def _follow(self) -> None:
        region = self.work.region
        text = "" if region is None else f"{number(region.first, 3)} … {number(region.last, 3)} s"
        set_text(self.chosen, text)
        if self._parts_of is not None and self.work.asset != self._parts_of:
            self.parts, self._parts_of = None, None
            self._show_parts()
        self._look()
