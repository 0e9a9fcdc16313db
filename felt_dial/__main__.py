"""`python -m felt_dial` is the same as `felt-dial`."""

from felt_dial.start import main

if __name__ == "__main__":
    main()
