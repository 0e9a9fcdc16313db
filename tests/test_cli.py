"""The command line: the same work, exit status 0, or 2 with one clear line."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
from pathlib import Path
from typing import Any

import mido
import numpy as np
import pytest
import soundfile
import typer

from felt_dial import cli
from felt_dial.bank.finding import matter
from felt_dial.bank.library.bank import read_file
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.package import import_bank
from felt_dial.bank.library.places import Settings, load_settings, settings_path
from felt_dial.cli import app, find_patch
from felt_dial.errors import FeltDialError
from felt_dial.files import read_whole
from felt_dial.live.midi.midi_file import read_midi
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.phrase import Note
from felt_dial.patch.tuning import load_tuning
from felt_dial.sound.matter.audio_file import heard_here_and_there, read_audio, read_part
from felt_dial.sound.modules import new_patch
from felt_dial.sound.render import render
from felt_dial.start import COMMANDS
from tests.sound.listening import exact_frequency


def run(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], *words: object) -> tuple[int, str, str]:
    """Exit status, standard output, standard error of a command, run in this process."""
    monkeypatch.setattr(sys, "argv", ["felt-dial", *map(str, words)])
    status = 0
    try:
        cli.main()
    except SystemExit as done:
        status = int(done.code or 0)
    said = capsys.readouterr()
    return status, said.out, said.err


@pytest.fixture
def do(home: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> Any:
    return lambda *words: run(monkeypatch, capsys, *words)


def test_render_gives_the_same_bytes_as_the_library(do: Any, tmp_path: Path) -> None:
    out = tmp_path / "out.wav"
    assert (
        do("render", "init", "-o", out, "--note", 60, "--velocity", 80, "--hold", 0.3, "--tail", 0.2, "--quality", 1)[0]
        == 0
    )
    sound, rate = soundfile.read(out, dtype="float32")
    assert rate == 48000 and np.array_equal(sound.T, render(new_patch(), [Note(0, 0.3, 60, 80)], 0.5))


def test_render_sets_values_with_units_and_finds_presets_by_bank_and_name(do: Any, tmp_path: Path) -> None:
    out = tmp_path / "out.wav"
    words = ("--set", "layers.a.source.shape=sine", "--set", "layers.a.fixed=on", "--set", "layers.a.frequency=1.2k")
    assert do("render", "init", "-o", out, "--hold", 1, "--rate", 44100, *words)[0] == 0
    sound, rate = soundfile.read(out)
    assert rate == 44100
    assert exact_frequency(sound[4410:44100, 0], 1200.0, 44100) == pytest.approx(1200.0, abs=0.05)
    assert do("render", "Glasshouse at Dusk:Root Sub", "-o", out, "--hold", 0.2, "--tail", 0.1)[0] == 0
    patch = tmp_path / "mine.json"
    patch.write_text(write_patch(new_patch("Mine")))
    assert do("render", patch, "-o", out, "--hold", 0.1, "--tail", 0)[0] == 0


def test_render_says_what_is_above_full_scale_or_alone_and_takes_sums(do: Any, tmp_path: Path) -> None:
    out = tmp_path / "out.wav"
    words = ("--set", "level=12", "--set", "layers.a.level=+6", "--set", "layers.a.solo=on", "--hold", 0.3, "--tail", 0)
    status, _, said = do("render", "init", "-o", out, *words)
    assert status == 0 and np.abs(soundfile.read(out)[0]).max() > 2.0
    assert "above full scale" in said and "Only A was rendered" in said
    given = ("--set", "layers.a.filter.cutoff=800", "--set", "layers.a.filter.cutoff=*2")
    assert do("render", "init", "-o", out, *given, "--hold", 0.1, "--tail", 0)[0] == 0


def test_render_plays_a_midi_file(do: Any, tmp_path: Path) -> None:
    """Written by mido: two notes, a quarter note each at 150 beats per minute, and a wheel."""
    file = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(150)))
    for key in (57, 69):
        track.append(mido.Message("note_on", note=key, velocity=90))
        track.append(mido.Message("note_off", note=key, time=480))
    track.append(mido.Message("pitchwheel", pitch=4096))
    file.save(tmp_path / "two.mid")
    out = tmp_path / "out.wav"
    words = ("--set", "layers.a.source.shape=sine", "--set", "modulators.e1.release=0")
    assert do("render", "init", "-o", out, "--midi", tmp_path / "two.mid", "--tail", 0.2, *words)[0] == 0
    sound, _ = soundfile.read(out)
    assert len(sound) == round((0.8 + 0.2) * 48000)
    assert exact_frequency(sound[4800:19000, 0], 220.0) == pytest.approx(220.0, abs=0.1)
    assert exact_frequency(sound[24000:38000, 0], 440.0) == pytest.approx(440.0, abs=0.1)


@pytest.mark.parametrize(
    ("words", "part"),
    [
        (("render", "nothing", "-o", "x.wav"), "no patch"),
        (("render", "nothing.json", "-o", "x.wav"), "cannot be read"),
        (("render", "Glasshouse at Dusk:Nothing", "-o", "x.wav"), "no preset"),
        (("render", "Nowhere:Nothing", "-o", "x.wav"), "no bank"),
        (("render", "init", "-o", "x.wav", "--set", "layers.a.level=loud"), "off"),
        (("render", "init", "-o", "x.wav", "--set", "layers.z.level=0"), "layers.z.level"),
        (("render", "init", "-o", "x.wav", "--set", "level"), "ID=VALUE"),
        (("render", "init", "-o", "x.wav", "--quality", "3"), "Quality"),
        (("render", "init", "-o", "x.wav", "--note", "200"), "127"),
        (("render", "init", "-o", "x.wav", "--tempo", "5"), "Tempo"),
        (("render", "init", "-o", "/proc/nowhere/x.wav"), "could not be written"),
        (("render", "init"), "-o"),
        (("bank", "import", "nothing.feltbank"), "cannot be read"),
        (("bank", "export", "Nowhere", "x.feltbank"), "no bank"),
        (("render", "init", "-o", "x.wav", "--midi", "nothing.mid"), "MIDI"),
        (("render", "m" * 300, "-o", "x.wav"), "mmm"),
        (("render", "m" * 300 + ".json", "-o", "x.wav"), "mmm"),
        (("render", "m\0m", "-o", "x.wav"), "m"),
        (("bank", "import", "m" * 300), "mmm"),
        (("bank", "export", "m" * 300, "x.feltbank"), "no bank"),
        (("params", "Glasshouse at Dusk:" + "m" * 300), "mmm"),
    ],
)
def test_what_cannot_be_done_is_one_clear_line(
    do: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, words: tuple[str, ...], part: str
) -> None:
    monkeypatch.chdir(tmp_path)
    status, out, err = do(*words)
    assert status == 2 and part in err and err.count("\n") == 1 and not out
    assert not (tmp_path / "x.wav").exists()


def test_params_lists_every_parameter_as_json(do: Any) -> None:
    status, out, _ = do("params", "--json")
    rows = {row["id"]: row for row in json.loads(out)}
    cutoff = rows["layers.a.filter.cutoff"]
    assert status == 0 and cutoff["label"] == "Cutoff" and cutoff["range"] == [20.0, 20000.0]
    assert cutoff["unit"] == "a frequency" and cutoff["default"] == 8000.0
    assert rows["layers.a.trigger"]["enum"] == ["down", "up"]
    status, out, _ = do("params")
    assert status == 0 and "layers.a.filter.cutoff" in out


def test_banks_are_listed_exported_and_imported(do: Any, tmp_path: Path) -> None:
    status, out, _ = do("bank", "list")
    assert status == 0 and "Glasshouse at Dusk" in out and "Night-Moth Line" in out
    assert do("bank", "export", "Tide Tables", tmp_path / "tide.feltbank")[0] == 0
    status, out, _ = do("bank", "import", tmp_path / "tide.feltbank")
    assert status == 0 and "16 presets" in out and "tide-tables-2" in out


def test_the_program_starts_as_a_module() -> None:
    done = subprocess.run([sys.executable, "-m", "felt_dial", "--help"], capture_output=True, text=True, check=True)
    assert "render" in done.stdout and "bank" in done.stdout


def test_a_keyed_series_is_rendered_in_one_go_and_each_file_has_its_key(do: Any, tmp_path: Path) -> None:
    words = ("--keys", "48:60:6", "--velocities", "60,120", "--hold", "0.1", "--quality", "1")
    status, _, said = do("render", "init", "-o", tmp_path / "series", *words)
    assert status == 0, said
    files = sorted((tmp_path / "series").iterdir())
    assert [path.name[-11:] for path in files] == [f"{k:03} {v:03}.wav" for k in (48, 54, 60) for v in (60, 120)]
    assert [read_audio(path).root for path in files[::2]] == [48, 54, 60]
    status, _, said = do("render", "init", "-o", tmp_path / "x", "--keys", "48-60")
    assert status == 2 and "LOW:HIGH:STEP" in said


def test_layers_are_rendered_apart_and_add_up_where_nothing_common_bends_them(do: Any, tmp_path: Path) -> None:
    ask = ("render", "Glasshouse at Dusk:Fern Choir", "--note", "57", "--hold", "0.3", "--quality", "1", "--dry")
    assert do(*ask, "-o", tmp_path / "all.wav")[0] == 0
    assert do(*ask, "-o", tmp_path / "each", "--each-layer")[0] == 0
    whole, _ = soundfile.read(tmp_path / "all.wav")
    parts = [soundfile.read(path)[0] for path in (tmp_path / "each").iterdir()]
    assert len(parts) == 2 and np.abs(sum(parts) - whole).max() < 0.02 * np.abs(whole).max()


@pytest.mark.parametrize("platform", ["xcb", "nonsense"])
def test_without_a_display_one_line_says_so(platform: str, home: Path) -> None:
    """The toolkit would end the process with signal 6 and a page of text."""
    unset = {"DISPLAY", "WAYLAND_DISPLAY"}
    environment = {k: v for k, v in os.environ.items() if k not in unset} | {"QT_QPA_PLATFORM": platform}
    done = subprocess.run([sys.executable, "-m", "felt_dial"], env=environment, capture_output=True, text=True)
    said = [line for line in done.stderr.splitlines() if "window cannot be opened" in line]
    assert done.returncode == 2 and len(said) == 1 and "felt-dial render" in said[0]


NO_FILE = {
    "patch": ("p.json", lambda path: find_patch(str(path))),
    "document": ("p.json", lambda path: read_whole(path)),
    "file of a library": ("p.json", lambda path: read_file(path)),
    "bank": ("p.feltbank", lambda path: import_bank(Library(path.parent / "library"), path)),
    "scale": ("p.scl", lambda path: load_tuning(path)),
    "map of keys": ("p.kbm", lambda path: load_tuning(path)),
    "MIDI file": ("p.mid", lambda path: read_midi(path, 120.0, 48000)),
    "recording": ("p.wav", lambda path: read_audio(path)),
    "part of a recording": ("p.wav", lambda path: read_part(path, 0.0, 1.0)),
    "looks": ("p.wav", lambda path: heard_here_and_there(path, 4, 64)),
}


@pytest.mark.parametrize("what", NO_FILE)
@pytest.mark.parametrize("leads_to", ["a pipe", "/dev/zero"])
def test_what_is_no_file_is_not_waited_for(what: str, leads_to: str, tmp_path: Path) -> None:
    """To read a pipe that nobody writes into, or a device, never ends."""
    name, read = NO_FILE[what]
    path = tmp_path / name
    if leads_to == "a pipe":
        os.mkfifo(path)
    else:
        path.symlink_to(leads_to)
    found: list[FeltDialError] = []

    def try_it() -> None:
        try:
            read(path)
        except FeltDialError as wrong:
            found.append(wrong)

    reading = threading.Thread(target=try_it, daemon=True)
    reading.start()
    reading.join(30)
    assert not reading.is_alive() and "no file" in str(found[0]) and "Errno" not in str(found[0])


def test_what_is_no_file_is_not_listed(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.wav")
    (tmp_path / "empty.wav").touch()
    assert [Path(path).name for path, _, _ in matter._files(str(tmp_path), True)] == ["empty.wav"]


def test_settings_that_are_no_file_are_the_defaults(home: Path) -> None:
    settings_path().parent.mkdir(parents=True, exist_ok=True)
    os.mkfifo(settings_path())
    assert load_settings() == Settings()


def test_the_start_knows_every_command() -> None:
    """What is no command is taken for a bank to be opened in the window."""
    commands = typer.main.get_command(app)
    assert set(commands.commands) == COMMANDS  # type: ignore[attr-defined]
