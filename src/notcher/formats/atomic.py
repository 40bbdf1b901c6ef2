"""Files are written whole or not at all."""

import contextlib
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

from notcher.formats.errors import ExistsError, FileFormatError


def write_bytes(path: Path, data: bytes) -> None:
    """Replace a file of Notcher's own by `data`; if anything fails the old file stays as it was. What a person asked
    for goes through outputs.py.

    Raises FileFormatError with the reason.
    """
    with replacing(path) as partial, partial.open("wb") as f:
        f.write(data)


def write_json(path: Path, text: str, *, over: bool = True) -> None:
    """As write_bytes, JSON in UTF-8: the bytes of a file name that are no UTF-8 are written as JSON's escapes. over:
    as replacing has it."""
    with replacing(path, over=over) as partial, partial.open("wb") as f:
        f.write(text.encode("utf-8", errors="backslashreplace"))


@contextlib.contextmanager
def replacing(path: Path, *, over: bool = True) -> Iterator[Path]:
    """A fresh file in the goal's folder, to be written to; it takes the goal's place when all went well, else it goes.

    over: whether a file that is there may be replaced. A goal that is a symbolic link stays one: what it points to is
    replaced. Raises FileFormatError with the reason, ExistsError where a file is there and stays.
    """
    partial: Path | None = None
    try:
        goal = regular(path)
        handle, name = tempfile.mkstemp(dir=goal.parent, prefix=".notcher-", suffix=goal.suffix)
        os.close(handle)
        partial = Path(name)
        yield partial
        put(partial, goal, over=over)
        partial = None
    except (OSError, RuntimeError) as error:
        # A circle of links is a RuntimeError in Python 3.11.
        raise not_written(path, error) from error
    finally:
        if partial is not None:
            partial.unlink(missing_ok=True)


def put(partial: Path, goal: Path, *, over: bool) -> None:
    """A file that is whole takes its place. over: whether what is there may go.

    Raises ExistsError where a file is there that may not go, OSError where it cannot be done.
    """
    _to_disk(partial)
    partial.chmod(goal.stat().st_mode & 0o777 if goal.exists() else 0o666 & ~_umask())
    if over:
        partial.replace(goal)
        return
    # A link fails where a file came to be there meanwhile; a rename would take its place.
    try:
        os.link(partial, goal)
    except FileExistsError as error:
        raise exists_error(goal) from error
    except OSError:
        # Not every disk knows links.
        if goal.exists():
            raise exists_error(goal) from None
        partial.replace(goal)
    else:
        partial.unlink()


def exists_error(path: Path) -> ExistsError:
    """What is said of a file that stays."""
    return ExistsError("'{path}' is already there; choose another name, or add --replace to replace it", path=path)


def not_written(path: Path, error: Exception) -> FileFormatError:
    """What is said where the disk does not take a file."""
    reason = getattr(error, "strerror", None) or str(error)
    return FileFormatError(
        "'{path}' could not be written ({reason}); choose another folder", path=path, reason=reason
    )  # fmt: skip


def regular(path: Path) -> Path:
    """What a path leads to, which is a file or nothing yet. Raises FileFormatError."""
    goal = path.resolve()
    if goal.exists() and not goal.is_file():
        raise FileFormatError("'{path}' is no file that could be replaced; choose another name", path=path)
    return goal


def _to_disk(path: Path) -> None:
    with path.open("rb") as f:
        os.fsync(f.fileno())


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
