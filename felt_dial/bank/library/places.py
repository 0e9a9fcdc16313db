"""Where things are kept on this machine, and the settings of the person."""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import shutil
from datetime import date
from functools import cache
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from felt_dial.errors import cut
from felt_dial.files import CannotWrite, bytes_of, reason_of, write_whole
from felt_dial.home import home_of
from felt_dial.patch.documents.kind import BadDocument, DocumentKind
from felt_dial.shipped import DATA

SHIPPED = DATA / "banks"
SETTINGS = DocumentKind("file of settings", 1, kept="The program begins with its own.", first=1)


class Settings(BaseModel):
    """What a person chose; unknown keys are kept."""

    model_config = ConfigDict(frozen=True, extra="allow")

    device: str = "default"
    controller: str = "none"
    rate: int = Field(default=48000, ge=8000, le=384_000)
    block: int = Field(default=256, ge=16, le=8192)
    quality: Literal[1, 2, 4, 8] = 1
    render_quality: Literal[1, 2, 4, 8] = 4
    library: str = ""
    versions: int = Field(default=3, ge=1, le=1000)
    """How many earlier versions of each preset are kept."""
    letter_keys: bool = True
    closing: Literal["keep", "ask"] = "keep"
    """What becomes of unsaved work when the window closes: kept for the next time, or asked about."""
    bin_days: int = Field(default=90, ge=1, le=36500)
    bin_most: int = Field(default=500, ge=1, le=100_000)
    keep_solo: bool = False
    """Whether a preset keeps which layers were listened to alone as it was saved."""
    night: bool = False
    scale: float = Field(default=1.0, ge=1.0, le=2.0)
    """How large everything is drawn, over what the screen asks for."""
    keyboard: bool | None = None
    """Whether the keyboard is shown; None shows it where the window is tall enough."""
    recent: tuple[str, ...] = ()
    """Files of recordings and tables that were loaded last, the newest first."""
    hover: bool = True
    """Whether a preset on the Shelf is heard while the pointer rests on its swatch."""
    folders: tuple[str, ...] = ()
    """Folders of recordings and tables that the drawer lists."""
    starred: tuple[str, ...] = ()
    """Recordings and tables that the person likes: their digests, or the paths of files in folders."""
    author: str = Field(default="", max_length=200)
    """Who new presets are by."""
    home: str = ""
    """The id of the bank that a new preset was put into last, or that was chosen last."""
    window: str = ""
    """Size and place of the window, as the toolkit writes it."""

    def library_folder(self) -> Path:
        """The folder of banks."""
        return Path(self.library) if self.library else home_of("data") / "library"


def settings_path() -> Path:
    """The file of the settings."""
    return home_of("config") / "settings.json"


def control_map_path() -> Path:
    """The file of what controllers turn."""
    return home_of("config") / "controllers.json"


def journal_folder() -> Path:
    """The folder of unsaved work."""
    return home_of("state") / "journal"


def cache_folder() -> Path:
    """The folder of what can be made anew."""
    return home_of("cache")


def index_path() -> Path:
    """The file of the index."""
    return home_of("cache") / "index.sqlite"


def previews_folder() -> Path:
    """The folder of what presets sound like."""
    return home_of("cache") / "previews"


def state_folder() -> Path:
    """The folder of what the person did."""
    return home_of("state")


def load_settings() -> Settings:
    """The settings; the defaults where there are none or they cannot be read, and for each that cannot be so."""
    try:
        read = SETTINGS.read(bytes_of(settings_path()), "The file of settings")
    except (OSError, BadDocument):
        return Settings()
    try:
        return Settings.model_validate(read)
    except ValidationError as wrong:
        bad = {error["loc"][0] for error in wrong.errors() if error["loc"]}
        return Settings.model_validate({key: value for key, value in read.items() if key not in bad})


def save_settings(settings: Settings) -> None:
    """Keeps the settings; raises `CannotWrite`."""
    write_whole(settings_path(), SETTINGS.write(settings.model_dump()))


def shipped_banks() -> list[Path]:
    """Folders of the banks that come with the program."""
    return sorted(file.parent for file in SHIPPED.glob("*/bank.json"))


@cache
def shipped_ids() -> frozenset[str]:
    """Ids of the banks that come with the program, as a library has them."""
    return frozenset(folder.name for folder in shipped_banks())


def libraries_path() -> Path:
    """The file of what was in the libraries of the person when they were seen last."""
    return home_of("state") / "libraries.json"


def _libraries() -> dict[str, dict[str, object]]:
    try:
        read = json.loads(bytes_of(libraries_path()))
    except (OSError, ValueError):
        return {}
    return {key: value for key, value in read.items() if isinstance(value, dict)} if isinstance(read, dict) else {}


def remember_library(root: Path, banks: int) -> None:
    """Notes that a library was seen today, and with how many banks; a disk that does not take that is no harm."""
    known = _libraries()
    now = {"seen": f"{date.today()}", "banks": banks}
    if known.get(str(root)) != now:
        with contextlib.suppress(CannotWrite):
            write_whole(libraries_path(), json.dumps(known | {str(root): now}, ensure_ascii=False, indent=1))


def library_problem(root: Path) -> str:
    """Why a library cannot be used as it is, in a sentence; empty where it can, or where one can be made.

    One that had banks when it was seen last and has none now is likely on a disk that is not there: nothing is made in its place.
    """
    name = cut(str(root), 80)
    try:
        there = {entry.name for entry in os.scandir(root)}
        banks = sum((root / one / "bank.json").is_file() for one in there if not one.startswith("."))
    except FileNotFoundError:
        banks = 0
    except OSError as wrong:
        return f"The library {name} may not be looked into: {reason_of(wrong)}."
    before = _libraries().get(str(root), {})
    count = before.get("banks", 0)
    if banks or not isinstance(count, int) or count < 1:
        return ""
    try:
        seen = f"{date.fromisoformat(str(before.get('seen'))):%-d %B}"
    except ValueError:
        seen = "before"
    return (
        f"The library of {seen} ({count} {'bank' if count == 1 else 'banks'}) is not in {name} now: is its disk there?"
    )


def lay_out_demo(root: Path) -> None:
    """Puts the banks that come with the program into a library that is not there yet."""
    if root.is_dir() and {path.name for path in root.iterdir()} == {".locks"}:  # all that a full disk let be made
        shutil.rmtree(root)
    if root.exists():
        return
    draft = root.parent / f".making-{secrets.token_hex(8)}"
    try:
        draft.mkdir(parents=True)
        for bank in shipped_banks():
            shutil.copytree(bank, draft / bank.name)
        draft.rename(root)
    except OSError:
        if not root.exists():  # else another window was quicker
            raise
    finally:
        shutil.rmtree(draft, ignore_errors=True)
