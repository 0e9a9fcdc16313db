"""The root of every error that Felt Dial raises on purpose."""


class FeltDialError(Exception):
    """A sentence for the person: what happened, to what, what was kept."""


class Stopped(FeltDialError):
    """Somebody stopped it; nothing of it was kept or changed."""


def cut(text: object, most: int = 60) -> str:
    """A text in one line of at most so many letters, for a sentence; what cannot be shown is replaced."""
    line = " ".join(str(text)[: 4 * most].encode("utf-8", "replace").decode().split())
    return line if len(line) <= most else line[: most - 1] + "…"
