"""`python -m felt_dial` is the same as `felt-dial`."""

from __future__ import annotations

from felt_dial.start import main

if __name__ == "__main__":
    main()
