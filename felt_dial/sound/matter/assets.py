"""The asset store: recordings kept by their content, found in any of the folders that may hold them."""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
import os
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import cut
from felt_dial.files import CannotWrite, at_the_disk, bytes_of, write_whole
from felt_dial.patch.asset import Asset
from felt_dial.patch.patch import Patch
from felt_dial.shipped import DATA
from felt_dial.sound.matter.audio_file import Audio, BadAudio, read_audio
from felt_dial.sound.matter.kept import kept

SHIPPED = DATA / "assets"
PLACES = "FELT_DIAL_ASSETS"
"""Environment variable: folders to look in, so that every process looks in the same ones."""
ENDINGS = (".flac", ".wav")
MOST_NEEDED = 64
"""Recordings that a recipe may begin from."""
ABOUT = ".about"
"""How the file ends that says what a person calls a recording of a store, and whose it is."""
RECIPE = ".recipe"
"""How the file of a recipe ends; it is named by the SHA-256 of its text."""


def look_in(folder: Path) -> None:
    """Lets this process, and those it starts, look for assets below a library's folder."""
    known = [place for place in os.environ.get(PLACES, "").split(os.pathsep) if place]
    if str(folder) not in known:
        os.environ[PLACES] = os.pathsep.join([str(folder), *known])


def searched() -> str:
    """Where this process looks, to be handed to another with `search_in`."""
    return os.environ.get(PLACES, "")


def search_in(places: str) -> None:
    """Lets this process look where another does."""
    os.environ[PLACES] = places


HASHED_AT_ONCE = 2**18


def digest_of(sound: NDArray[np.float32]) -> str:
    """SHA-256 of decoded samples, float32 (channel, frame), little-endian, channel after channel.

    A zero has no sign here, since integer formats keep none.
    """
    made = hashlib.sha256(f"{sound.shape[0]} {sound.shape[1]} ".encode())
    for channel in sound:
        for first in range(0, len(channel), HASHED_AT_ONCE):
            part = np.asarray(channel[first : first + HASHED_AT_ONCE], "<f4") + np.float32(0.0)
            made.update(part.tobytes())
    return made.hexdigest()


def ships(asset: Asset) -> bool:
    """Whether a recording comes with the program: everybody may use it, and has it."""
    return any((SHIPPED / (asset.digest + ending)).exists() for ending in ENDINGS)


def asset_of(audio: Audio, name: str) -> Asset:
    """The name under which a patch keeps a recording."""
    channels, frames = audio.sound.shape
    return Asset(name=name, digest=digest_of(audio.sound), frames=frames, channels=channels, rate=audio.rate)


def keep(folder: Path, audio: Audio, name: str, rights: str = "") -> Asset:
    """Writes a recording into a store, FLAC where 24 bits hold it exactly, and returns its name; raises `CannotWrite`.

    Whose it is, and at which key it is known to sound (`audio.root`), are written down beside it.
    """
    import soundfile

    asset = asset_of(audio, name).model_copy(update={"rights": rights})
    if any((folder / (asset.digest + ending)).exists() for ending in ENDINGS):
        note(folder, asset, audio.root)
        return asset
    steps = audio.sound * 2.0**23
    exact = bool((np.abs(audio.sound) <= 1.0 - 2.0**-23).all() and (steps == np.rint(steps)).all())
    flac = exact and audio.rate <= 192000 and audio.rate == int(audio.rate)
    ending, kind, form = (".flac", "PCM_24", "FLAC") if flac else (".wav", "FLOAT", "WAV")
    data = np.rint(steps).astype(np.int32).T * 256 if flac else audio.sound.T
    with at_the_disk(f"The recording “{cut(name)}” was not kept", "Nothing was."):
        memory = io.BytesIO()
        soundfile.write(memory, data, round(audio.rate), subtype=kind, format=form)
        write_whole(folder / (asset.digest + ending), memory.getvalue())
    note(folder, asset, audio.root)
    return asset


def note(folder: Path, asset: Asset, root: float | None = None) -> None:
    """Writes beside a recording of a store what it is called, whose it is, and its root; what is written there stays, and
    gets what it lacks."""
    if asset.digest in shipped():
        return
    before, known = noted(folder, asset.digest), noted_root(folder, asset.digest)
    about = before or asset
    if not about.rights and asset.rights:
        about = about.model_copy(update={"rights": asset.rights, "terms": asset.terms})
    root = known if known is not None else root
    if (about, root) != (before, known):
        written = about.model_dump(mode="json") | ({} if root is None else {"root": root})
        with contextlib.suppress(CannotWrite):  # it is heard under its fingerprint then
            write_whole(folder / (asset.digest + ABOUT), json.dumps(written, ensure_ascii=False))


def noted(folder: Path, digest: str) -> Asset | None:
    """What a recording of a store is called; None where that was not written down."""
    try:
        return Asset.model_validate_json(bytes_of(folder / (digest + ABOUT)))
    except (OSError, ValueError):
        return None


def noted_root(folder: Path, digest: str) -> float | None:
    """At which key a recording of a store is known to sound, with cents as its fraction; None where nobody has said so."""
    try:
        root = json.loads(bytes_of(folder / (digest + ABOUT))).get("root")
    except (OSError, ValueError, AttributeError):
        return None
    return float(root) if isinstance(root, int | float) and 0 <= root < 128 else None


def known_root(path: Path, audio: Audio) -> float | None:
    """At which key a recording says that it sounds, by its file or by what is noted beside it; None where it says nothing."""
    return audio.root if audio.root is not None else noted_root(path.parent, path.stem)


def keep_recipe(folder: Path, text: str) -> str:
    """Writes how an asset was made into a store, and returns the digest under which it is found; raises `CannotWrite`."""
    digest = hashlib.sha256(text.encode()).hexdigest()
    path = folder / (digest + RECIPE)
    if not path.exists():
        with at_the_disk("How this was made was not kept", "The recording itself was."):
            write_whole(path, text)
    return digest


def recipe_of(asset: Asset | None) -> str | None:
    """The document that says how an asset was made; None where it was not made on a bench, or nobody has it."""
    path = find_recipe(asset.recipe) if asset is not None and asset.recipe else None
    try:
        text = bytes_of(path).decode() if path is not None else None
    except (OSError, UnicodeDecodeError):
        return None
    right = text is not None and asset is not None and hashlib.sha256(text.encode()).hexdigest() == asset.recipe
    return text if right else None


def needed_for(asset: Asset) -> list[Asset]:
    """The recordings that the recipe of an asset begins from, so that a bench can open it where it is taken."""
    text = recipe_of(asset)
    if text is None:
        return []
    try:
        needs = json.loads(text).get("needs", [])
        return [Asset.model_validate(about) for about in needs[:MOST_NEEDED]]
    except (ValueError, AttributeError, TypeError):
        return []


def find_recipe(digest: str) -> Path | None:
    """The file that holds a recipe; None where nobody has it."""
    return next((path for place in places() if (path := place / (digest + RECIPE)).exists()), None)


def file_called(path: Path) -> str:
    """The name of a file for a sentence; of one in a store, which is named by its fingerprint, what a person calls it."""
    return path.name if len(path.stem) != 64 else called(path)


def called(path: Path) -> str:
    """What a person calls the recording in a file: its name, or what is written down of it where it lies in a store."""
    if len(path.stem) != 64:
        return path.stem
    about = noted(path.parent, path.stem)
    return about.name if about is not None and about.name else shipped().get(path.stem, path.stem[:12])


@cache
def shipped() -> dict[str, str]:
    """What the recordings and tables that come with the program are called, by digest."""
    found = dict[str, str]()
    for name in ("recordings.json", "tables.json"):
        with contextlib.suppress(OSError):
            found |= {about["digest"]: about["name"] for about in json.loads((SHIPPED / name).read_text())}
    return found


def places() -> Iterator[Path]:
    """Every folder that may hold assets: those of banks, the loose ones of libraries, the shipped ones."""
    for place in os.environ.get(PLACES, "").split(os.pathsep):
        if place:
            root = Path(place)
            yield root / ".assets"
            with contextlib.suppress(OSError):  # it may not be looked into
                yield from sorted(root.glob("*/assets"))
    yield SHIPPED
    yield from sorted(DATA.glob("banks/*/assets"))


_found: dict[tuple[str, str], Path] = {}


def find(asset: Asset) -> Path | None:
    """The file that holds an asset, by its digest; None where nobody has it. Looks first where it was the last time."""
    key = os.environ.get(PLACES, ""), asset.digest
    known = _found.get(key)
    if known is not None and os.path.exists(known):
        return known
    for place in places():
        for ending in ENDINGS:
            path = place / (asset.digest + ending)
            if os.path.exists(path):  # also False where its folder may not be looked into
                _found[key] = path
                return path
    return None


@kept
def _load(digest: str, path: Path) -> NDArray[np.float32] | None:
    try:
        sound = read_audio(path).sound
    except BadAudio:
        return None
    sound.setflags(write=False)
    return sound if digest_of(sound) == digest else None


def load(asset: Asset | None) -> NDArray[np.float32] | None:
    """The samples of an asset, float32 (channel, frame), not to be written to; None where it is missing or damaged."""
    path = find(asset) if asset is not None else None
    return None if path is None or asset is None else _load(asset.digest, path)


def assets_of(patch: Patch) -> dict[str, Asset]:
    """Every asset that a patch names, with the path of the source that does."""
    found = {}
    for key, layer in patch.layers.items():
        asset = getattr(layer.source, "asset", None)
        if asset is not None:
            found[f"layers.{key}.source"] = asset
    return found


def missing(patch: Patch) -> dict[str, Asset]:
    """The assets of a patch that nobody has."""
    return {path: asset for path, asset in assets_of(patch).items() if find(asset) is None}


def words_of_missing(patch: Patch) -> str:
    """Which recordings of a patch nobody has, and what is silent without them, in a sentence; nothing where all are there."""
    lacks = missing(patch)
    if not lacks:
        return ""
    names = list(dict.fromkeys(f"“{asset.name or 'unnamed'}”" for asset in lacks.values()))
    layers = [path.split(".")[1].upper() for path in lacks]
    these = f"{names[0]} is missing" if len(names) == 1 else f"{', '.join(names[:3])} are missing"
    who = f"layer {layers[0]} is" if len(layers) == 1 else f"layers {', '.join(layers)} are"
    return f"{patch.name}: {these}, so that {who} silent. Load it in the layer, or look for it in a folder there."


def search(folder: Path, wanted: set[str], watch: Callable[[int, int], bool] | None = None) -> dict[str, Path]:
    """Files below a folder that hold wanted digests, found by their content.

    `watch` is told how many files were read of how many, and stops the search by returning False.
    """
    files = [
        p for p in sorted(folder.rglob("*")) if p.suffix.lower() in (".wav", ".flac", ".aif", ".aiff", ".ogg", ".mp3")
    ]
    found: dict[str, Path] = {}
    for n, path in enumerate(files):
        if watch is not None and not watch(n, len(files)):
            break
        try:
            digest = digest_of(read_audio(path).sound)
        except BadAudio:
            continue
        if digest in wanted:
            found[digest] = path
            if len(found) == len(wanted):
                break
    return found
