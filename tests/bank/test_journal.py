"""The journal: one for each window, kept until the offer is answered."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from felt_dial import files
from felt_dial.bank.library.journal import Journal, Unsaved
from felt_dial.files import CannotWrite
from felt_dial.patch.documents.patch import write_patch
from felt_dial.sound.modules import new_patch

WORK = Unsaved(new_patch("Fern"), new_patch("Fern, softer"), "b", "glasshouse", "fern")
WRITES = """
import sys, time
import felt_dial.sound.modules
from pathlib import Path
from felt_dial.bank.library.journal import Journal, Unsaved
from felt_dial.sound.modules import new_patch
journal = Journal(Path(sys.argv[1]))
journal.write("p", Unsaved(new_patch(sys.argv[2]), new_patch(sys.argv[2]), "a", "", ""))
print("written", flush=True)
time.sleep(60)
"""


def names(folder: Path) -> list[str]:
    return sorted(left.work.patch.name for left in Journal(folder).left_behind())


def test_what_a_window_leaves_is_offered_to_the_next_one_until_it_is_answered(tmp_path: Path) -> None:
    first = Journal(tmp_path)
    first.write("p", WORK)
    assert Journal(tmp_path).left_behind() == [], "the window lives"
    first.close()
    for _ in range(2):
        second = Journal(tmp_path)
        assert [left.work for left in second.left_behind()] == [WORK], "starting and closing quietly does not answer it"
        second.close()
    third = Journal(tmp_path)
    third.write("q", WORK._replace(preset="moss"))
    assert names(tmp_path) == ["Fern, softer"], "another window's first edit does not replace it"
    third.throw_away(third.left_behind()[0])
    assert third.left_behind() == [] and len(third.pages()) == 1


def test_a_page_that_is_cleared_is_not_offered(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    journal.write("p", WORK)
    journal.write("q", WORK)
    journal.clear("p")
    journal.close()
    assert len(Journal(tmp_path).left_behind()) == 1
    assert list(tmp_path.glob("*.lock")) == []


def test_windows_that_are_killed_each_leave_their_own(tmp_path: Path) -> None:
    """Two that run at once and are killed, and a third after them: all three are offered."""
    running = []
    for name in ("Moss", "Root"):
        running.append(subprocess.Popen([sys.executable, "-c", WRITES, str(tmp_path), name], stdout=subprocess.PIPE))
    for program in running:
        assert program.stdout is not None and program.stdout.readline() == b"written\n"
    assert names(tmp_path) == []
    for program in running:
        os.kill(program.pid, signal.SIGKILL)
        program.wait()
    assert names(tmp_path) == ["Moss", "Root"]
    third = subprocess.Popen([sys.executable, "-c", WRITES, str(tmp_path), "Dew"], stdout=subprocess.PIPE)
    assert third.stdout is not None and third.stdout.readline() == b"written\n"
    third.kill()
    third.wait()
    assert names(tmp_path) == ["Dew", "Moss", "Root"]


@pytest.mark.parametrize(
    "content", ['{"patch": "torn', "{}", "[]", '{"format": 2, "side": "a"}', '{"format": 9}', "\xff"]
)
def test_a_page_that_cannot_be_read_is_set_aside_and_the_others_are_offered(tmp_path: Path, content: str) -> None:
    journal = Journal(tmp_path)
    journal.write("p", WORK)
    journal.path("q").write_bytes(content.encode("latin-1"))
    journal.close()
    assert names(tmp_path) == ["Fern, softer"]
    assert journal.path("q").with_suffix(".unreadable").read_bytes() == content.encode("latin-1"), "not deleted"


def test_a_page_of_the_format_before_is_read(tmp_path: Path) -> None:
    old = {"format": 1, "bank": "glasshouse", "preset": "fern", "patch": write_patch(new_patch("Fern"))}
    (tmp_path / "0-old-1.json").write_text(json.dumps(old))
    (left,) = Journal(tmp_path).left_behind()
    assert left.work == Unsaved(new_patch("Fern"), new_patch("Fern"), "a", "glasshouse", "fern")


def test_a_full_disk_is_said_and_keeps_the_page_before(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    journal = Journal(tmp_path)
    journal.write("p", WORK)

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    with pytest.raises(CannotWrite, match="No space left"):
        journal.write("p", WORK._replace(side="a"))
    monkeypatch.undo()
    journal.close()
    assert Journal(tmp_path).left_behind()[0].work == WORK
