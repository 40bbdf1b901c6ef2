"""One editor at a time: a claim on a project file that goes with the process, however that ends."""

import fcntl
import logging
import os
from pathlib import Path

from notcher.document.folders import lock_file
from notcher.formats.errors import FileFormatError

log = logging.getLogger(__name__)


class InUseError(FileFormatError):
    """The project is open for editing elsewhere on this machine."""


class Claim:
    """A held lock; `release` gives it back. It lies in the state folder, so that nothing is left beside the project."""

    def __init__(self, path: Path, descriptor: int | None) -> None:
        self._path, self._descriptor = path, descriptor

    def __del__(self) -> None:
        self.release()

    def release(self) -> None:
        """Give it back; a second time does nothing."""
        descriptor, self._descriptor = self._descriptor, None
        if descriptor is not None:
            # Taken away while it is held, so that nobody's fresh lock is removed.
            self._path.unlink(missing_ok=True)
            os.close(descriptor)


def claim(project_path: Path) -> Claim:
    """Claim a project file for editing. Raises InUseError where another session has it.

    Where no lock can be kept at all (a state folder that cannot be written), the claim holds nothing: the check for
    changes on disk at saving still stands.
    """
    path = lock_file(project_path)
    while True:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            descriptor = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        except OSError as error:
            log.warning("no lock can be kept: %s", error)
            return Claim(path, None)
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.close(descriptor)
            raise InUseError(
                "'{name}' is open in another Notcher already; look at it here, or work on a copy",
                name=project_path.name,
            ) from None
        except OSError as error:
            os.close(descriptor)
            log.warning("no lock can be kept: %s", error)
            return Claim(path, None)
        if _same(descriptor, path):
            return Claim(path, descriptor)
        os.close(descriptor)


def _same(descriptor: int, path: Path) -> bool:
    """Whether what was locked is still what lies there: its last holder may just have taken it away."""
    try:
        return os.path.samestat(os.fstat(descriptor), path.stat())
    except FileNotFoundError:
        return False
