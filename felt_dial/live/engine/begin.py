"""Where the engine's process begins: its modules are read without looking for garbage, of which they make none."""

from __future__ import annotations

import gc
import signal
import sys


def main() -> None:
    """`python -m felt_dial.live.engine.begin MEMORY PIPE`, started by the window."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the window ends it, and it ends itself where that is gone
    gc.disable()  # for good: the engine looks for garbage itself, while nothing sounds
    from felt_dial.live.engine.process import main as run

    run(sys.argv[1:])


if __name__ == "__main__":
    main()
