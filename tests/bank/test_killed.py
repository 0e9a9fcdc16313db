"""A process that works on a library is killed at any moment: what it had said was done is there, and nothing is broken."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from random import Random

import pytest

from felt_dial.bank.finding.catalogue import Catalogue
from felt_dial.bank.library.library import Library
from felt_dial.sound.modules import new_patch
from tests.bank.test_catalogue import as_it_is, as_listed

WORKS = """
import sys
import felt_dial.sound.modules
from pathlib import Path
from random import Random
from felt_dial.bank.library.library import Library
from felt_dial.patch.patch import with_value
from felt_dial.sound.modules import new_patch
library, rng, n = Library(Path(sys.argv[1])), Random(int(sys.argv[2])), 0
print("ready", flush=True)
while True:
    n += 1
    bank = rng.choice(library.banks())
    ids, what = bank.ids(), rng.randrange(6)
    if what == 0 or not ids:
        key = bank.save_new(with_value(new_patch(f"Leaf {n % 5}"), "level", -float(n % 40)))
        print("there", bank.id, key, n % 40, flush=True)
    elif what == 1:
        key = rng.choice(ids)
        bank.save(key, with_value(new_patch("Root"), "level", -float(n % 40)))
        print("there", bank.id, key, n % 40, flush=True)
    elif what == 2:
        key, others = rng.choice(ids), [b for b in library.banks() if b.id != bank.id]
        print("going", bank.id, key, flush=True)
        print("there", others[0].id, library.move(bank.id, key, others[0].id), "any", flush=True)
    elif what == 3:
        key = rng.choice(ids)
        print("going", bank.id, key, flush=True)
        print("thrown", library.delete(bank.id, key), flush=True)
    elif what == 4 and library.bin.all():
        ticket = rng.choice(library.bin.all()).ticket
        print("back", ticket, flush=True)
        print("there", *library.restore(ticket), "any", flush=True)
    else:
        rng.shuffle(ids)
        bank.reorder(ids)
"""


def killed(root: Path, seed: int) -> None:
    """Lets a process work for a while, kills it, and looks at what it leaves."""
    rng = Random(seed)
    worker = subprocess.Popen([sys.executable, "-c", WORKS, str(root), str(seed)], stdout=subprocess.PIPE, text=True)
    assert worker.stdout is not None and worker.stdout.readline() == "ready\n"
    lines = [worker.stdout.readline() for _ in range(rng.randrange(1, 25))]
    worker.kill()
    lines += worker.stdout.readlines()
    worker.wait()
    there: dict[tuple[str, str], str] = {}
    thrown = set[str]()
    for line in lines:
        words = line.split()
        if not line.endswith("\n"):
            continue
        if words[0] == "there":
            there[words[1], words[2]] = words[3]
        elif words[0] == "going":
            there.pop((words[1], words[2]), None)
        elif words[0] == "thrown":
            thrown.add(words[1])
        elif words[0] == "back":
            thrown.discard(words[1])
    library = Library(root)
    library.tidy(90, 5000)
    assert len(library.banks()) == 2
    for bank in library.banks():
        assert not bank.problem and all(preset.patch is not None for preset in bank.presets())
    others = [
        k for k, level in there.items() if level not in ("any", f"{abs(library.bank(k[0]).load(k[1]).level):.0f}")
    ]
    assert len(others) <= 1, "but for the one that was being saved, each is as it was said to be"
    assert thrown <= {entry.ticket for entry in library.bin.all()}
    assert not [p for p in root.rglob(".*-*") if p.name.startswith((".making-", ".gone-"))]
    catalogue = Catalogue()
    catalogue.refresh(library)
    assert as_listed(catalogue) == as_it_is(library)


@pytest.fixture
def root(tmp_path: Path) -> Path:
    library = Library(tmp_path / "library")
    for name in ("Glasshouse", "Tide"):
        library.create(name).save_new(new_patch("Dew"))
    return library.root


def test_a_process_that_is_killed_five_times_loses_nothing(root: Path) -> None:
    for seed in range(5):
        killed(root, seed)


@pytest.mark.soak
def test_a_process_that_is_killed_two_hundred_times_loses_nothing(root: Path) -> None:
    for seed in range(100, 300):
        killed(root, seed)
