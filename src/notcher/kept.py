"""Measured frames kept on disk, so that a recording that was heard once with the same settings is not heard again.

Each measuring is one .npz file in the user's cache folder, named by the recording's hash and the settings. They can be
deleted at any time; the oldest go when there are too many.
"""

import hashlib
import io
import logging
from pathlib import Path
from typing import Any

import numpy as np
import platformdirs

from notcher.formats.atomic import write_bytes
from notcher.formats.errors import FileFormatError
from notcher.listen.contour import Trace
from notcher.listen.ear import PITCHES, Ear
from notcher.listen.frames import FRAMES_VERSION, Frames
from notcher.score.isolation import Isolation
from notcher.wording import tr

log = logging.getLogger(__name__)

MOST_BYTES = 400_000_000
_HEARD = ("sounds", "struck", "fingered")
_COLUMNS = ("cents", "confidence", "level", "share", "purity", "heard", "flux", "energy")


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
        frames = _read(path, lead)
        path.touch()
    except Exception as error:  # whatever a damaged file makes zip and numpy raise: it is measured anew
        log.warning("kept frames '%s' cannot be read: %s", path.name, error)
        return None
    return frames


def _read(path: Path, lead: Isolation) -> Frames:
    """Raises ValueError, and what numpy and zipfile raise, where the file is none of ours."""
    with np.load(path, allow_pickle=False) as kept:
        if sum(i.file_size for i in kept.zip.infolist()) > MOST_BYTES:
            raise ValueError("it would be larger than all that is kept")
        arrays = {name: kept[name] for name in (*_COLUMNS, "done", "sound", "alone", *_HEARD)}
    rows = arrays["cents"].shape
    wrong = [name for name in (*_COLUMNS, "done") if arrays[name].shape != rows]
    if len(rows) != 1 or wrong or arrays["sound"].ndim != 1 or arrays["alone"].shape != ():
        raise ValueError(f"its columns have different shapes: {', '.join(wrong)}")
    if arrays["done"].dtype != np.bool_ or arrays["sound"].dtype != np.int16:
        raise ValueError("its columns are of other kinds")
    if any(arrays[name].dtype.kind != "f" for name in _COLUMNS):
        raise ValueError("its columns are no numbers")
    numbers = {name: np.nan_to_num(arrays[name], nan=0.0) if name == "cents" else arrays[name] for name in _COLUMNS}
    if not all(np.isfinite(column).all() for column in numbers.values()):
        raise ValueError("its columns are no numbers")
    with np.errstate(invalid="ignore"):  # where nothing sounds, in whichever way that was written
        columns = {name: arrays[name].astype(np.float64) for name in _COLUMNS}
    flux, energy = columns.pop("flux"), columns.pop("energy")
    ear = Ear(*(arrays[name] for name in _HEARD))
    if any(plane.dtype != np.uint8 or plane.shape != (len(ear), PITCHES) for plane in ear.planes()):
        raise ValueError("what the ear heard is of another kind")
    return Frames(Trace(**columns), flux, energy, arrays["done"], ear, arrays["sound"], lead, bool(arrays["alone"]))


def keep(frames: Frames, sha256: str, start: float, end: float, *, raised: int = 0) -> str | None:
    """Keep measured frames; returns None, or a sentence on why that could not be done (which loses nothing)."""
    out = io.BytesIO()
    t = frames.trace
    columns = {"cents": t.cents, "confidence": t.confidence, "level": t.level, "share": t.share, "purity": t.purity,
               "heard": t.heard, "flux": frames.flux, "energy": frames.energy}  # fmt: skip
    arrays: dict[str, Any] = {name: column.astype(np.float32) for name, column in columns.items()}
    arrays |= dict(zip(_HEARD, frames.ear.planes(), strict=True))
    np.savez(out, done=frames.done, sound=frames.sound, alone=np.array(frames.alone), **arrays)
    try:
        folder().mkdir(parents=True, exist_ok=True)
        _make_room(out.tell())
        write_bytes(_path(sha256, frames.lead, start, end, raised), out.getvalue())
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
