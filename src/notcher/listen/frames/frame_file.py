"""Measured frames as one .npz file: what is kept between runs, and what is looked at."""

import io
from pathlib import Path
from typing import Any

import numpy as np

from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import PITCHES, Ear
from notcher.listen.frames.measure import Frames
from notcher.score.isolation import Isolation

MOST_BYTES = 400_000_000
"""All that may be kept, and so what one file may hold."""
_HEARD = ("sounds", "struck", "fingered")
_COLUMNS = ("cents", "confidence", "level", "share", "purity", "heard", "flux", "energy")


def frames_bytes(frames: Frames) -> bytes:
    """Frames as an .npz file, in single precision."""
    out = io.BytesIO()
    t = frames.trace
    columns = {"cents": t.cents, "confidence": t.confidence, "level": t.level, "share": t.share, "purity": t.purity,
               "heard": t.heard, "flux": frames.flux, "energy": frames.energy}  # fmt: skip
    arrays: dict[str, Any] = {name: column.astype(np.float32) for name, column in columns.items()}
    arrays |= dict(zip(_HEARD, frames.ear.planes(), strict=True))
    np.savez(out, done=frames.done, sound=frames.sound, alone=np.array(frames.alone), **arrays)
    return out.getvalue()


def read_frames_file(path: Path, lead: Isolation) -> Frames:
    """Frames from a file of frames_bytes, isolated as `lead` says. Raises ValueError, and what numpy and zipfile raise,
    where the file is none of ours."""
    with path.open("rb") as file, np.load(file, allow_pickle=False) as kept:
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
