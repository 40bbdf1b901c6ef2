"""The contour of a string that sounds beside the one the main contour follows."""

import numpy as np
from numpy.typing import NDArray

from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP, spectra

# Samples at LOW_RATE: 46 ms follow a bend and still part two strings.
_WINDOW = 1024
# That a pitch is read from beside another's.
_PARTIALS = 6
# Seconds a second string is followed: it rings out in less.
_LONGEST_S = 3.0
# Cents a frame that a pushed string moves at most, with its error.
_STEP_CENTS = 45.0
# dB under its loudest at which it is gone.
_GONE_DB = 22.0
# Seconds after the strike at which its pitch can first be read.
_LEAD_IN_S = 0.03
# Hz around the other string's partials that are its own: the window's half width.
_TAKEN_HZ = 26.0


def second_contour(
    frames: Frames, onset: float, pitch: int, known: float | None, offset_cents: float, longest: float = _LONGEST_S
) -> tuple[NDArray[np.float64], float]:
    """Cents above MIDI 0 (offset taken out), HOP apart, of the string that began at `onset` on `pitch`, until it is
    gone; and the seconds from the onset to the first value. known: MIDI pitch of the main contour at the onset;
    longest: seconds it is followed at most."""
    first = round((onset + _LEAD_IN_S) / HOP)
    count = min(round(min(longest, _LONGEST_S) / HOP), len(frames.flux) - first)
    if count <= 0:
        return np.zeros(0), 0.0
    start = first * HOP - 0.1
    sound = frames.lead_between(start, first * HOP + count * HOP + 0.1)
    s = spectra(sound, first_frame=round(0.1 / HOP), n_frames=count, window=_WINDOW)
    main = frames.trace.cents[first : first + count]
    at = 100.0 * pitch + offset_cents
    out = np.zeros(count)
    loudest, faint = -120.0, 0
    for i in range(count):
        heard, level = _nearest(s.magnitude[i], s.hz[i], s.bin_hz, at, main[i])
        if heard is not None:
            at += float(np.clip(heard - at, -_STEP_CENTS, _STEP_CENTS))
        loudest = max(loudest, level)
        faint = faint + 1 if level < loudest - _GONE_DB or heard is None else 0
        out[i] = at
        if faint > 6:
            out = out[: max(1, i - 6)]
            break
    return out - offset_cents, _LEAD_IN_S


def _nearest(
    magnitude: NDArray[np.float32], hz: NDArray[np.float32], bin_hz: float, cents: float, main: float
) -> tuple[float | None, float]:
    """Where the partials near a pitch say it is (cents), without those the main contour's partials cover, and their
    level in dB."""
    f0 = 440.0 * 2.0 ** ((cents - 6900.0) / 1200.0)
    other = 440.0 * 2.0 ** ((main - 6900.0) / 1200.0) if np.isfinite(main) else 0.0
    said, weight = [], []
    for k in range(1, _PARTIALS + 1):
        centre = k * f0
        if other and abs(centre - max(1, round(centre / other)) * other) < _TAKEN_HZ:
            continue
        low = max(1, int(centre * 2 ** (-0.06) / bin_hz))
        high = min(len(magnitude) - 2, int(np.ceil(centre * 2**0.06 / bin_hz)) + 1)
        if high <= low:
            continue
        peak = low + int(np.argmax(magnitude[low:high]))
        away = 1200 * np.log2(max(float(hz[peak]), 1.0) / k / f0)
        if abs(away) < 70:
            said.append(away)
            weight.append(float(magnitude[peak]) / k**0.3)
    if not weight:
        return None, -120.0
    order = np.argsort(said)
    summed = np.cumsum(np.array(weight)[order])
    middle = np.array(said)[order][int(np.searchsorted(summed, summed[-1] / 2))]
    return cents + float(middle), float(10 * np.log10(sum(w * w for w in weight) + 1e-12))
