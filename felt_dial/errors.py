"""The root of every error that Felt Dial raises on purpose."""


class FeltDialError(Exception):
    """A sentence for the person: what happened, to what, what was kept."""
