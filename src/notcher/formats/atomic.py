"""Files are written whole or not at all, and never over what they were made from."""

import contextlib
import os
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path

from notcher.formats.errors import FileFormatError


def write_bytes(path: Path, data: bytes) -> None:
    """Replace a file by `data`; if anything fails the old file stays as it was.

    Raises FileFormatError with the reason.
    """
    with replacing(path) as partial, partial.open("wb") as f:
        f.write(data)


def write_json(path: Path, text: str) -> None:
    """As write_bytes, JSON in UTF-8: the bytes of a file name that are no UTF-8 are written as JSON's escapes."""
    write_bytes(path, text.encode("utf-8", errors="backslashreplace"))


@contextlib.contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A fresh file in the goal's folder, to be written to; it takes the goal's place when all went well, else it goes.

    A goal that is a symbolic link stays one: what it points to is replaced. Raises FileFormatError with the reason.
    """
    partial: Path | None = None
    try:
        goal = _regular(path)
        handle, name = tempfile.mkstemp(dir=goal.parent, prefix=".notcher-", suffix=goal.suffix)
        os.close(handle)
        partial = Path(name)
        yield partial
        _to_disk(partial)
        partial.chmod(goal.stat().st_mode & 0o777 if goal.exists() else 0o666 & ~_umask())
        partial.replace(goal)
        partial = None
    except (OSError, RuntimeError) as error:
        # A circle of links is a RuntimeError in Python 3.11.
        reason = getattr(error, "strerror", None) or str(error)
        raise FileFormatError(
            "'{path}' could not be written ({reason}); choose another folder", path=path, reason=reason
        ) from error
    finally:
        if partial is not None:
            partial.unlink(missing_ok=True)


def _regular(path: Path) -> Path:
    goal = path.resolve()
    if goal.exists() and not goal.is_file():
        raise FileFormatError("'{path}' is no file that could be replaced; choose another name", path=path)
    return goal


def _to_disk(path: Path) -> None:
    with path.open("rb") as f:
        os.fsync(f.fileno())


def check_output(path: Path, *, inputs: Sequence[Path] = (), endings: Sequence[str] = (), replace: bool = True) -> None:
    """Whether a file may be written, before the work for it begins.

    inputs: what it is made from. endings: those it may have, () for any. replace: whether a project may be replaced.
    Raises FileFormatError, saying what to do instead.
    """
    if endings and path.suffix.lower() not in endings:
        raise FileFormatError(
            "'{path}' must end in {names}: that is what is written", path=path, names=" or ".join(endings)
        )
    if not path.parent.is_dir():
        raise FileFormatError("there is no folder '{parent}'; make it first", parent=path.parent)
    if path.is_dir():
        raise FileFormatError("'{path}' is a folder; add a file's name", path=path)
    for made_from in inputs:
        with contextlib.suppress(OSError):
            if path.samefile(made_from):
                raise FileFormatError(
                    "'{path}' is what this is made from and would be lost; choose another name", path=path
                )
    if not replace and path.exists():
        raise FileFormatError(
            "'{path}' is there already and may hold somebody's work; choose another name, or say --replace", path=path
        )


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
