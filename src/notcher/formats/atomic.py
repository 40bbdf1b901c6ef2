"""Files are written whole or not at all."""

import os
import tempfile
from pathlib import Path

from notcher.formats.errors import FileFormatError


def write_bytes(path: Path, data: bytes) -> None:
    """Replace a file by `data`; if anything fails the old file stays as it was.

    Raises FileFormatError with the reason.
    """
    partial: Path | None = None
    try:
        with tempfile.NamedTemporaryFile(dir=path.parent, prefix=f".{path.name}.", delete=False) as f:
            partial = Path(f.name)
            f.write(data)
            f.flush()
            os.fsync(f.fileno())
        mode = path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask()
        partial.chmod(mode)
        partial.replace(path)
    except OSError as error:
        if partial is not None:
            partial.unlink(missing_ok=True)
        reason = error.strerror or str(error)
        raise FileFormatError(f"'{path}' could not be written ({reason}); choose another folder") from error


def write_text(path: Path, text: str) -> None:
    """As write_bytes, in UTF-8."""
    write_bytes(path, text.encode("utf-8"))


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
