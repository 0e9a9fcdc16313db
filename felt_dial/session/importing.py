"""Taking recordings in: reading, listening and looking for them in the background, while the sound goes on."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

from felt_dial.errors import FeltDialError
from felt_dial.patch.asset import Asset
from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.patch import put
from felt_dial.session.jobs import Watch, part_of
from felt_dial.session.session import Session
from felt_dial.session.topics import Rebuilt
from felt_dial.sound.matter import analysis, assets
from felt_dial.sound.matter.audio_file import Audio, read_audio
from felt_dial.sound.matter.cycles import SURE, cycles_of
from felt_dial.sound.matter.root import key_said, root_of, root_taken
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.sound.sources.core.levels import likely_cycles, table_cycles
from felt_dial.sound.sources.partials import Partials
from felt_dial.sound.sources.table import Table

RECENT = 10
"""How many files are remembered."""
FILES = "Recordings (*.wav *.flac *.aif *.aiff *.ogg *.mp3);;All files (*)"


class Taken(NamedTuple):
    """A recording that was read and listened to."""

    asset: Asset
    audio: Audio
    root: float | None
    sure: bool
    cycle: int
    said: str = ""
    other: int = 0


class Importing:
    """Takes recordings in for the patch on the table."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def load(self, layer: str, path: Path, kind: str = "", then: Callable[[str], object] = lambda layer: None) -> None:
        """Reads a file for the source of a layer, made one of another kind where that is said.

        With no layer it is a new one of the kind. `then` is given the layer once it plays the file.
        """
        source = Source.kinds[kind]() if kind else self.session.patch.layers[layer].source
        is_table, is_partials = isinstance(source, Table), isinstance(source, Partials)
        listens = "root" in source.params

        def work(watch: Watch) -> Taken:
            audio = read_audio(path, part_of(watch, 0.0, 0.3))
            noted = assets.noted(path.parent, path.stem)
            rights = noted.rights if noted is not None else ""
            root, sure = assets.known_root(path, audio), True
            if listens and root is None:
                found = root_of(audio.sound, audio.rate)
                root, sure = found.key, found.is_sure
            watch(0.5)
            likely = table_cycles(audio.sound[0], path.stem, audio.cycle) if is_table else [0]
            if not likely:
                cycles = cycles_of(audio.sound[:, : int(60 * audio.rate)], audio.rate)
                if cycles is not None and cycles.sure >= SURE:
                    row = Audio(cycles.frames.reshape(1, -1), 48000.0, notes=audio.notes)
                    asset = self.session.shelf.library.keep_audio(row, assets.called(path))
                    heard = key_said(69.0 + 12.0 * math.log2(cycles.hertz / 440.0))
                    said = f" {len(cycles.frames)} cycles of its pitch, {heard}, {100 * cycles.sure:.0f} % sure."
                    return Taken(asset, row, None, True, cycles.frames.shape[1], said)
            asset = self.session.shelf.library.keep_audio(audio, assets.called(path), rights)
            if is_partials:
                place = 60.0 if root is None else root
                key, cents = round(place), round(100 * (place - round(place)), 1)
                analysis.analyse(asset, 440.0 * 2.0 ** ((key + cents / 100 - 69) / 12), part_of(watch, 0.5, 1.0))
            likely = likely or likely_cycles(audio.sound[0])
            return Taken(asset, audio, root, sure, likely[0], other=likely[1] if len(likely) > 1 else 0)

        self.session.jobs.start(
            f"Loading {assets.file_called(path)}", work, lambda taken: self._give(layer, path, kind, taken, then)
        )

    def take(self, layer: str, name: str) -> None:
        """Gives a layer a recording that comes with the program."""
        asset, root = shipped_recordings()[name]
        source = self.session.patch.layers[layer].source
        change: dict[str, Any] = {"asset": asset} | ({"root": root, "cents": 0.0} if "root" in source.params else {})
        fresh = source.model_copy(update=change)
        self.session.editor.edit(put(self.session.patch, ["layers", layer, "source"], fresh), f"load {name}")

    def _remember(self, path: Path) -> None:
        settings = self.session.settings.now
        recent = (str(path), *(kept for kept in settings.recent if kept != str(path)))[:RECENT]
        self.session.settings.keep(settings.model_copy(update={"recent": recent}))

    def _give(self, layer: str, path: Path, kind: str, taken: Taken, then: Callable[[str], object]) -> None:
        patch = self.session.patch
        if not layer:
            try:
                patch, layer = self.session.shelf.with_new_layer(self.session.patch, kind)
            except FeltDialError as wrong:
                self.session.say(str(wrong), problem=True)
                return
        elif layer not in patch.layers:
            return
        source = patch.layers[layer].source
        if kind and source.kind != kind:
            patch = replace_module(patch, f"layers.{layer}.source", Source.kinds[kind]())
            source = patch.layers[layer].source
        change: dict[str, Any] = {"asset": taken.asset}
        if isinstance(source, Table):
            change["cycle"] = taken.cycle
        if "root" in source.params and taken.root is not None:
            key = min(max(round(taken.root), 0), 127)
            change |= {"root": key, "cents": min(max(round(100 * (taken.root - key), 1), -100.0), 100.0)}
        if "loop" in source.params and "fade" in source.params and taken.audio.loop is not None:
            first, last = (at / (taken.asset.frames - 1) for at in taken.audio.loop)
            change |= {"loop_start": first, "loop_end": min(last, 1.0), "loop": "forward"}
        fresh = source.model_copy(update=change)
        self._remember(path)
        select = ("source", layer) if kind else None
        name = assets.file_called(path)
        self.session.editor.edit(put(patch, ["layers", layer, "source"], fresh), f"load {name}", select=select)
        heard = "" if taken.root is None or "root" not in source.params else root_taken(taken.root, taken.sure)
        told = " ".join([f"Loaded {name}.{heard}{taken.said}", *taken.audio.notes])
        if taken.other:
            self.session.ask(
                f"{told} It is cut into cycles of {taken.cycle}; {taken.other} is nearly as likely.",
                [(f"Cut at {taken.other}", lambda: self._cut(layer, taken.asset, taken.other))],
                problem=False,
            )
        else:
            self.session.say(told)
        then(layer)

    def _cut(self, layer: str, asset: Asset, cycle: int) -> None:
        """Cuts a table that was loaded into other cycles, where it still plays there."""
        patch = self.session.patch
        source = patch.layers[layer].source if layer in patch.layers else None
        if isinstance(source, Table) and source.asset == asset:
            fresh = source.model_copy(update={"cycle": cycle})
            self.session.editor.edit(put(patch, ["layers", layer, "source"], fresh), f"cut cycles of {cycle}")

    def find(self, folder: Path) -> None:
        """Looks in a folder for the recordings that the patch misses, by their content."""
        wanted = {asset.digest: asset for asset in assets.missing(self.session.patch).values()}

        def work(watch: Watch) -> dict[str, Path]:
            found = assets.search(folder, set(wanted), lambda n, of: watch(n / max(of, 1)))
            for digest, path in found.items():
                self.session.shelf.library.keep_audio(read_audio(path), wanted[digest].name)
            return found

        def then(found: dict[str, Path]) -> None:
            if found:
                self.session.link.show(self.session.patch, carry=False)
                self.session.channel.tell(Rebuilt())
                self.session.say(f"Found {', '.join(path.name for path in found.values())}.")
            else:
                names = ", ".join(asset.about() for asset in wanted.values())
                self.session.say(
                    f"Nothing in {folder.name} holds {names}. The patch keeps asking for it.", problem=True
                )

        self.session.jobs.start(f"Looking in {folder.name}", work, then)
