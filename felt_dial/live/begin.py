"""Where the engine's process begins: its modules are read without looking for garbage, of which they make none."""

from __future__ import annotations

import gc
import sys


def main() -> None:
    """`python -m felt_dial.live.begin MEMORY PIPE`, started by the window."""
    gc.disable()  # for good: the engine looks for garbage itself, while nothing sounds
    from felt_dial.live.engine import main as run

    run(sys.argv[1:])


if __name__ == "__main__":
    main()
