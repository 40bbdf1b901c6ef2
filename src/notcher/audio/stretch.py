"""Slower or faster at the same pitch, through Rubber Band as pedalboard carries it."""

import numpy as np

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.score.errors import ScoreError
from notcher.stopping import apart

SLOWEST = 0.1
FASTEST = 2.0


def check_speed(speed: float) -> None:
    """Raises ScoreError for a speed outside SLOWEST to FASTEST."""
    if not SLOWEST <= speed <= FASTEST:
        raise ScoreError(
            "the speed goes from {slowest:.0f} % to {fastest:.0f} %, got {speed:.0f} %",
            slowest=SLOWEST * 100,
            fastest=FASTEST * 100,
            speed=speed * 100,
        )


def stretch(samples: FloatArray, *, speed: float, cents: float = 0.0, quick: bool = False) -> FloatArray:
    """Samples shaped (channels, n) at RATE, played at `speed` (0.5 is half as fast) and moved by cents.

    quick: a quarter of the time, and a little less clean.
    Returns shape (channels, round(n / speed)). Raises ScoreError for a speed outside SLOWEST to FASTEST.
    """
    check_speed(speed)
    wanted = round(samples.shape[1] / speed)
    if samples.shape[1] == 0 or (abs(speed - 1.0) < 1e-6 and abs(cents) < 0.01):
        return np.asarray(samples, dtype=np.float32)
    import pedalboard

    out = apart(
        lambda: pedalboard.time_stretch(
            np.ascontiguousarray(samples, dtype=np.float32), RATE, stretch_factor=speed,
            pitch_shift_in_semitones=cents / 100.0, transient_mode="crisp", preserve_formants=False,
            high_quality=not quick,
        )
    )  # fmt: skip
    if out.shape[1] < wanted:
        out = np.pad(out, ((0, 0), (0, wanted - out.shape[1])))
    return np.asarray(out[:, :wanted], dtype=np.float32)
