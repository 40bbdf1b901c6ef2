"""Measured frames kept on disk, so that a recording that was heard once with the same settings is not heard again.

Each measuring is one .npz file in the user's cache folder, named by the recording's hash and the settings. They can be
deleted at any time; the oldest go when there are too many.
"""

import hashlib
import logging
from pathlib import Path

import platformdirs

from notcher.formats.atomic import write_bytes
from notcher.formats.errors import FileFormatError
from notcher.listen.frames.frame_file import MOST_BYTES, frames_bytes, read_frames_file
from notcher.listen.frames.measure import FRAMES_VERSION, Frames
from notcher.score.isolation import Isolation
from notcher.wording import tr

log = logging.getLogger(__name__)


def folder() -> Path:
    """Where they lie."""
    return Path(platformdirs.user_cache_dir("notcher")) / "frames"


def _path(sha256: str, lead: Isolation, start: float, end: float, raised: int) -> Path:
    settings = f"{FRAMES_VERSION}|{sha256}|{lead}|{start:.3f}|{end:.3f}|{raised}"
    return folder() / f"{hashlib.sha256(settings.encode()).hexdigest()[:32]}.npz"


def find(sha256: str, lead: Isolation, start: float, end: float, *, raised: int = 0) -> Frames | None:
    """What was measured of a recording between two times in seconds with this isolation, heard so
    many half steps higher; None if it was not, or if what was kept cannot be read any more."""
    path = _path(sha256, lead, start, end, raised)
    if not path.is_file():
        return None
    try:
        frames = read_frames_file(path, lead)
        path.touch()
    except Exception as error:  # whatever a damaged file makes zip and numpy raise: it is measured anew
        log.warning("kept frames '%s' cannot be read: %s", path.name, error)
        return None
    return frames


def keep(frames: Frames, sha256: str, start: float, end: float, *, raised: int = 0) -> str | None:
    """Keep measured frames; returns None, or a sentence on why that could not be done (which loses nothing)."""
    data = frames_bytes(frames)
    try:
        folder().mkdir(parents=True, exist_ok=True)
        _make_room(len(data))
        write_bytes(_path(sha256, frames.lead, start, end, raised), data)
    except (OSError, FileFormatError) as error:
        log.warning("measured frames were not kept: %s", error)
        return tr("what was measured could not be kept for the next time (is the disk full?); the notes are all here")
    return None


def _make_room(wanted: int) -> None:
    files = sorted(folder().glob("*.npz"), key=lambda p: p.stat().st_mtime)
    total = sum(p.stat().st_size for p in files) + wanted
    while files and total > MOST_BYTES:
        oldest = files.pop(0)
        total -= oldest.stat().st_size
        oldest.unlink(missing_ok=True)
