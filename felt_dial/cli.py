"""The command line: the same work without a window."""

from __future__ import annotations

import json
import math
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from felt_dial import __version__
from felt_dial.errors import FeltDialError, cut

app = typer.Typer(add_completion=False, no_args_is_help=False)
bank_app = typer.Typer(help="Banks without the window.")
app.add_typer(bank_app, name="bank")


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"Felt Dial {__version__}")
        raise typer.Exit


@app.callback()
def begin(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Says which version it is")
    ] = False,
) -> None:
    """Felt Dial: design synthesizer presets. Without a command, or with a bank, the window opens."""


class BadRequest(FeltDialError):
    """Something on the command line that cannot be done."""


def _library() -> Any:
    from felt_dial.bank.library.library import Library
    from felt_dial.bank.library.places import lay_out_demo, load_settings

    root = load_settings().library_folder()
    lay_out_demo(root)
    return Library(root)


def find_patch(name: str) -> Any:
    """The patch of a JSON file, of `BANK:NAME`, or `init`."""
    from felt_dial.files import read_whole
    from felt_dial.patch.documents.patch import read_patch
    from felt_dial.sound.modules import new_patch

    if name == "init":
        return new_patch()
    path = Path(name)
    if path.suffix == ".json" or path.exists():
        return read_patch(read_whole(path), f"“{path.name}”")
    if ":" in name:
        bank_name, _, preset = name.partition(":")
        bank = _library().named(bank_name)
        for found in bank.presets():
            if preset in (found.id, found.name):
                return bank.load(found.id)
        raise BadRequest(f"There is no preset “{preset}” in {bank.name}.")
    raise BadRequest(f"“{name}” is no patch: give a JSON file, BANK:NAME, or init.")


@app.command()
def render(
    patch: Annotated[str, typer.Argument(help="A JSON file, BANK:NAME, or init")],
    output: Annotated[Path, typer.Option("-o", "--output", help="The WAV file to write")],
    note: Annotated[int, typer.Option(help="MIDI key")] = 69,
    velocity: Annotated[int, typer.Option(help="1 to 127")] = 100,
    hold: Annotated[float, typer.Option(help="Seconds the key is held")] = 1.0,
    tail: Annotated[float, typer.Option(help="Seconds after it")] = 1.0,
    midi: Annotated[Path | None, typer.Option(help="A Standard MIDI File to play instead of a note")] = None,
    set_: Annotated[list[str] | None, typer.Option("--set", help="ID=VALUE, values with units")] = None,
    quality: Annotated[int | None, typer.Option(help="1, 2, 4 or 8; else that of the settings")] = None,
    rate: Annotated[int, typer.Option(help="Frames per second")] = 48000,
    tempo: Annotated[float | None, typer.Option(help="Beats per minute")] = None,
    dry: Annotated[bool, typer.Option("--dry", help="Without the effects of the racks")] = False,
    each_layer: Annotated[bool, typer.Option("--each-layer", help="A file for each layer; OUTPUT is a folder")] = False,
    keys: Annotated[str, typer.Option(help="LOW:HIGH:STEP, a file for each key; OUTPUT is a folder")] = "",
    velocities: Annotated[str, typer.Option(help="Such as 40,80,120: a file for each; OUTPUT is a folder")] = "",
) -> None:
    """Renders a patch to a WAV file, 32-bit float, or a series of them; what is of one key has it in its `smpl` chunk."""
    from felt_dial.bank.library.places import load_settings
    from felt_dial.files import slug
    from felt_dial.patch.params import Param
    from felt_dial.patch.patch import param_at, value_at, with_value
    from felt_dial.patch.places import read_at
    from felt_dial.sound.compiling.compile import compile_all, kernels_ready
    from felt_dial.sound.matter.assets import missing
    from felt_dial.workshop.bounce import only, without_racks

    found = find_patch(patch)
    for pair in set_ or []:
        path, equals, text = pair.partition("=")
        if not equals:
            raise BadRequest(f"“{pair}” is not of the form ID=VALUE.")
        found = with_value(found, path, read_at(found, path, text))
        param = param_at(found, path)
        if isinstance(param, Param) and (otherwise := param.unit.meant_otherwise(text)):
            typer.echo(f"{path} is {param.write(value_at(found, path))}: {otherwise}.", err=True)
    if not 0 <= note <= 127 or not 1 <= velocity <= 127:
        raise BadRequest(f"Note {note} or velocity {velocity} is outside 0 … 127.")
    if hold < 0 or tail < 0:
        raise BadRequest("Hold and tail are times of 0 s or more.")
    if midi is not None and (keys or velocities):
        raise BadRequest("A MIDI file has keys and velocities of its own: leave out --keys and --velocities.")
    if dry:
        found = without_racks(found)
    if not kernels_ready():
        compile_all()
    fine = quality or load_settings().render_quality
    parts = {"": found}
    if each_layer:
        heard = [key for key, layer in found.layers.items() if layer.get("on") and not layer.get("mute")]
        parts = {f" {key.upper()}": only(found, key) for key in heard}
    series = [(key, force) for key in _keys(keys, note) for force in _velocities(velocities, velocity)]
    many = each_layer or bool(keys) or bool(velocities)
    if many:
        output.mkdir(parents=True, exist_ok=True)
    for layer, part in parts.items():
        for key, force in series:
            target = output
            if many:
                which = "" if midi is not None else f" {key:03} {force:03}"
                target = output / f"{slug(found.name)}{layer}{which}.wav"
            _render_one(part, target, key, force, hold, tail, midi, fine, rate, tempo)
    alone = [key.upper() for key, layer in found.layers.items() if layer.get("solo")]
    if alone:
        print(f"Only {', '.join(alone)} was rendered: solo is on.", file=sys.stderr)
    for asset in missing(found).values():
        print(f"The recording {asset.about()} is not here; what plays it is silent.", file=sys.stderr)


def _keys(text: str, note: int) -> list[int]:
    """Keys of LOW:HIGH:STEP, or the one."""
    if not text:
        return [note]
    numbers = text.split(":")
    if len(numbers) != 3 or not all(n.isdecimal() for n in numbers):
        raise BadRequest(f"“{text}” is not of the form LOW:HIGH:STEP, such as 36:84:6.")
    low, high, step = (int(n) for n in numbers)
    if not 0 <= low <= high <= 127 or step < 1:
        raise BadRequest(f"Keys {text} are outside 0 … 127, or go nowhere.")
    return list(range(low, high + 1, step))


def _velocities(text: str, velocity: int) -> list[int]:
    """Velocities between commas, or the one."""
    if not text:
        return [velocity]
    numbers = [n.strip() for n in text.split(",")]
    if not all(n.isdecimal() and 1 <= int(n) <= 127 for n in numbers):
        raise BadRequest(f"“{text}” are no velocities of 1 … 127, such as 40,80,120.")
    return [int(n) for n in numbers]


def _render_one(
    patch: Any,
    target: Path,
    key: int,
    velocity: int,
    hold: float,
    tail: float,
    midi: Path | None,
    quality: int,
    rate: int,
    tempo: float | None,
) -> None:
    """Renders one file, and says where it goes above full scale."""
    from felt_dial.files import write_whole
    from felt_dial.patch.phrase import Note
    from felt_dial.sound.matter.wav import wav_bytes
    from felt_dial.sound.playing.events import Event
    from felt_dial.sound.render import render as render_patch
    from felt_dial.workshop.wav_file import recording_wav

    notes, events, length = [Note(0.0, hold, key, velocity)], list[Event](), hold + tail
    if midi is not None:
        from felt_dial.live.midi.midi_file import read_midi

        events, end = read_midi(midi, float(tempo or patch.tempo), rate, fixed=tempo is not None)
        notes, length = [], end + tail
    sound = render_patch(patch, notes, length, rate=rate, quality=quality, tempo=tempo, events=events)
    write_whole(target, wav_bytes(sound, rate) if midi is not None else recording_wav(sound, rate, float(key)))
    peak = float(abs(sound).max()) if sound.size else 0.0
    if peak > 1.0:
        over = 20.0 * math.log10(peak)
        print(f"The peak is {over:.1f} dB above full scale; the file holds it, nothing was cut off.", file=sys.stderr)


@app.command()
def params(
    patch: Annotated[str, typer.Argument(help="A JSON file, BANK:NAME, or init")] = "init",
    as_json: Annotated[bool, typer.Option("--json", help="As JSON")] = False,
) -> None:
    """Lists every parameter: id, label, unit, range, default, value."""
    from felt_dial.patch.params import Param
    from felt_dial.patch.patch import slots

    rows = []
    for slot in slots(find_patch(patch)):
        about: dict[str, Any] = {"id": slot.path, "label": slot.param.label, **slot.param.schema()}
        if isinstance(slot.param, Param):
            about |= {"unit": slot.param.unit.name, "range": [slot.param.low, slot.param.high]}
        about |= {"default": slot.param.default, "value": slot.param.write(slot.value)}
        rows.append(about)
    if as_json:
        print(json.dumps(rows, indent=1, ensure_ascii=False, default=str))
    else:
        for row in rows:
            print(f"{row['id']:44} {row['label']:16} {row['value']}")


@app.command()
def root(
    files: Annotated[list[Path], typer.Argument(help="Recordings")],
    as_json: Annotated[bool, typer.Option("--json", help="A list of file, key and sure as JSON")] = False,
) -> None:
    """Says at which key recordings sound, and whether that is sure: what a file notes of itself, else what is found in it."""
    from felt_dial.sound.matter.assets import known_root
    from felt_dial.sound.matter.audio_file import read_audio
    from felt_dial.sound.matter.root import key_said, root_of

    listed: list[dict[str, Any]] = []
    wrong: list[str] = []
    for path in files:
        try:
            audio = read_audio(path)
        except FeltDialError as why:
            wrong.append(str(why))
            continue
        key, sure = known_root(path, audio), True
        if key is not None:
            says = f"{key_said(key)}, as the file says"
        else:
            found = root_of(audio.sound, audio.rate)
            key, sure, says = found.key, found.is_sure, found.says()
        listed.append({"file": str(path), "key": None if key is None else round(key, 3), "sure": sure})
        if not as_json:
            print(f"{path.name}: {says}")
    if as_json:
        print(json.dumps(listed, indent=1, ensure_ascii=False))
    if wrong:
        raise BadRequest("\n".join(wrong))


@bank_app.command("list")
def bank_list() -> None:
    """Lists the banks and their presets."""
    for bank in _library().banks():
        print(f"{bank.name} ({bank.id})")
        for preset in bank.presets():
            print(f"  {preset.id:24} {preset.name}" + (f"   ! {preset.problem}" if preset.problem else ""))


@bank_app.command("export")
def bank_export(bank: str, target: Path) -> None:
    """Writes a bank as one .feltbank file."""
    from felt_dial.bank.library.package import export_bank, missing_from

    found = _library().named(bank)
    for lacks in missing_from(found):
        print(lacks, file=sys.stderr)
    print(f"{found.name}: {export_bank(found, target)} presets in {target}")


@bank_app.command("import")
def bank_import(source: Path) -> None:
    """Takes a .feltbank file into the library, all of it or nothing; says what of it is here already, and what it lacks."""
    from felt_dial.bank.library.import_preview import free_bank_name, look_into
    from felt_dial.bank.library.package import import_bank

    library = _library()
    arrival = look_into(library, source)
    if arrival.known:
        print(arrival.known.sentence(), file=sys.stderr)
    for lacks in arrival.lacks:
        print(f"Not here: {lacks}", file=sys.stderr)
    made = import_bank(library, source, name=free_bank_name(library, arrival.name))
    print(f"{made.name}: {len(made.ids())} presets in {made.folder}")


def main() -> None:
    """Runs one command; exit status 0, or 2 with one clear line on stderr."""
    import felt_dial.sound.modules  # noqa: F401

    try:
        app(standalone_mode=False)
    except FeltDialError as wrong:
        print(wrong, file=sys.stderr)
        sys.exit(2)
    except OSError as wrong:
        print(f"{cut(wrong.filename or 'The disk')}: {wrong.strerror or wrong}.", file=sys.stderr)
        sys.exit(2)
    except typer.Exit as done:
        sys.exit(done.exit_code)
    except Exception as wrong:
        shown = getattr(wrong, "format_message", None)
        if shown is None:
            raise
        print(shown(), file=sys.stderr)
        sys.exit(2)
