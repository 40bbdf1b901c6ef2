"""Errors about files, said in one line."""

from notcher.score.errors import NotcherError


class FileFormatError(NotcherError):
    """A file cannot be read or written, with the reason and the remedy."""
