"""Measured frames kept on disk, so that a recording that was heard once with the same settings is not heard again.

Each block is one .npz file in the user's cache folder, named by the recording's hash and the settings, written as soon
as it is measured: a measuring that was stopped goes on where it was. They can be deleted at any time; the oldest go
when there are too many.
"""

import hashlib
import logging
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from notcher.formats.atomic import write_bytes
from notcher.formats.errors import FileFormatError
from notcher.listen.frames.frame_file import MOST_BYTES, frames_bytes, read_frames_file
from notcher.listen.frames.measure import FRAMES_VERSION, Frames, Setup
from notcher.wording import tr

log = logging.getLogger(__name__)


def folder() -> Path:
    """Where they lie."""
    return Path(platformdirs.user_cache_dir("notcher")) / "frames"


@dataclass
class FrameCache:
    """The frames of one recording as they are kept, block by block. sha256: the recording's; raised: half steps by
    which it is heard higher; trouble: a sentence on why something could not be kept (which loses nothing), or None."""

    sha256: str
    raised: int = 0
    trouble: str | None = None

    def find(self, setup: Setup, a: float, b: float) -> Frames | None:
        """What was measured so between two times in seconds; None if it was not, or if what was kept cannot be read any
        more."""
        path = self._path(setup, a, b)
        if not path.is_file():
            return None
        try:
            frames = read_frames_file(path, setup.lead)
            path.touch()
        except Exception as error:  # whatever a damaged file makes zip and numpy raise: it is measured anew
            log.warning("kept frames '%s' cannot be read: %s", path.name, error)
            return None
        return frames

    def keep(self, setup: Setup, a: float, b: float, part: Frames) -> None:
        """Keep what was measured between two times in seconds."""
        data = frames_bytes(part)
        try:
            folder().mkdir(parents=True, exist_ok=True)
            _make_room(len(data))
            write_bytes(self._path(setup, a, b), data)
        except (OSError, FileFormatError) as error:
            log.warning("measured frames were not kept: %s", error)
            self.trouble = tr(
                "what was measured could not be kept for the next time (is the disk full?); the notes are all here"
            )

    def _path(self, setup: Setup, a: float, b: float) -> Path:
        settings = f"{FRAMES_VERSION}|{self.sha256}|{setup}|{a:.3f}|{b:.3f}|{self.raised}"
        return folder() / f"{hashlib.sha256(settings.encode()).hexdigest()[:32]}.npz"


def _make_room(wanted: int) -> None:
    files = sorted(folder().glob("*.npz"), key=lambda p: p.stat().st_mtime)
    total = sum(p.stat().st_size for p in files) + wanted
    while files and total > MOST_BYTES:
        oldest = files.pop(0)
        total -= oldest.stat().st_size
        oldest.unlink(missing_ok=True)
