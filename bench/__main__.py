"""`python -m bench [--json] [--seconds N]`: the loads of docs/performance.md, on this machine."""

from __future__ import annotations

import argparse

import felt_dial.sound.modules  # noqa: F401
from bench.run import run_bench

if __name__ == "__main__":
    words = argparse.ArgumentParser(prog="python -m bench", description=__doc__)
    words.add_argument("--json", action="store_true", help="as JSON")
    words.add_argument("--seconds", type=float, default=60.0, help="how long the long run takes")
    given = words.parse_args()
    print(run_bench(given.json, given.seconds))
