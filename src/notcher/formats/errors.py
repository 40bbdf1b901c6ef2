"""Errors about files, said in one line."""

from pathlib import Path
from typing import Any

from notcher.score.errors import NotcherError


class FileFormatError(NotcherError):
    """A file cannot be read or written, with the reason and the remedy."""


class ExistsError(FileFormatError):
    """A file is there, and nobody said that it may be replaced. path: the file."""

    def __init__(self, pattern: str, /, *, path: Path, **values: Any) -> None:
        super().__init__(pattern, path=path, **values)
        self.path = path
