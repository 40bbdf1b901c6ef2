"""The one family of errors that a person is shown: what is wrong, with the value, and what to do about it."""


class NotcherError(Exception):
    """Something could not be done. The message is one sentence a guitarist understands, with the remedy."""


class ScoreError(NotcherError, ValueError):
    """A value that a score cannot hold, or an edit that does not apply to it."""
