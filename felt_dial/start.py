"""Where the program begins: a command goes to the command line, anything else opens the window.

The window does not wait for the command line's libraries to load.
"""

from __future__ import annotations

import sys

COMMANDS = {"render", "params", "root", "bank"}


def main() -> None:
    """Entry point of `felt-dial [BANK]` and `felt-dial COMMAND …`."""
    words = sys.argv[1:]
    if words and (words[0] in COMMANDS or words[0].startswith("-")):
        from felt_dial.cli import main as run

        run()
    else:
        from felt_dial.ui.frame.app import main as open_window

        sys.exit(open_window(words[0] if words else ""))


if __name__ == "__main__":
    main()
