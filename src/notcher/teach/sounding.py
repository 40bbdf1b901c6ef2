"""Whether a pitch sounds in a take at a time, and whether it was struck there: what the notes heard leave open.

A string is there where partials stand out that belong to no other note that sounds; where it has no such partials (an
octave, a unison), nobody can tell.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from notcher.listen.frames.spectrum import LOW_RATE

Floats = NDArray[np.float64]
# Partials of a string that are looked for, Hz up to which, and cents around each in which it may lie.
_PARTIALS, _HIGHEST_HZ, _AROUND_CENTS = 6, 4500.0, 35.0
# Partials of others that may hide one, and how far they reach: in widths of the window's main lobe.
_OTHERS, _LOBES = 24, 2.2
# dB above the floor from which a partial is one; dB under the loudest at which it is a string's; fewest of them.
_STANDS_OUT_DB, _QUIETEST_DB, _FEWEST = 10.0, 34.0, 2
# Seconds after a stroke that are looked at, at least and at most, and before it; dB by which it rises when struck.
_AFTER_S, _SHORTEST_S, _BEFORE_S, _RISE_DB = 0.24, 0.09, 0.11, 5.0
_SETTLES_S = 0.02
# Seconds around a stroke in which it is looked for, of what is compared, and dB by which high partials rise.
_STROKE_S, _FRAME_S, _STROKE_DB = 0.09, 0.008, 0.7


def sounds_at(
    sound: NDArray[np.float32], time: float, cents: float, others: Sequence[float], *, lasts: float
) -> bool | None:
    """Whether a pitch begins to sound at a time (seconds) of a take.

    sound: mono at LOW_RATE, shape (n,); cents: the pitch, and others: those that sound with or before it, above MIDI 0;
    lasts: seconds. None where its partials all lie on those of others.
    """
    length = max(_SHORTEST_S, min(_AFTER_S, lasts))
    after = _spectrum(sound, time + _SETTLES_S, length)
    before = _spectrum(sound, time - _BEFORE_S - _SETTLES_S, length)
    if after is None:
        return None
    free = [hz for hz in _partials(cents) if not _hidden(hz, others, length)]
    if len(free) < _FEWEST:
        return None
    loudest = 20 * np.log10(float(np.max(after[1])) + 1e-9)
    standing = rising = 0
    for hz in free[:4]:
        level, floor = _level(after, hz)
        if level - floor >= _STANDS_OUT_DB and level >= loudest - _QUIETEST_DB:
            standing += 1
            was = _level(before, hz)[0] if before is not None else -120.0
            rising += level - was >= _RISE_DB
    return standing >= _FEWEST and rising >= 1


def struck_at(sound: NDArray[np.float32], time: float) -> bool:
    """Whether anything is struck within some 90 ms of a time: high partials grow louder. sound: at LOW_RATE, shape
    (n,)."""
    first = max(0, round((time - _STROKE_S - 0.04) * LOW_RATE))
    part = np.asarray(sound[first : round((time + _STROKE_S) * LOW_RATE)], np.float64)
    frame = round(_FRAME_S * LOW_RATE)
    count = len(part) // frame
    if count < 6:
        return False
    high = np.diff(part, prepend=part[:1])
    energy = 10 * np.log10(np.mean(np.square(high[: count * frame]).reshape(count, frame), axis=1) + 1e-12)
    # Against the mean of what was before, as waves beat from frame to frame.
    rises = [energy[k] - float(np.mean(energy[max(0, k - 4) : k])) for k in range(3, count)]
    return bool(max(rises) >= _STROKE_DB)


def _partials(cents: float) -> list[float]:
    base = 440.0 * 2.0 ** ((cents / 100 - 69) / 12)
    return [base * k for k in range(1, _PARTIALS + 1) if base * k <= _HIGHEST_HZ]


def _hidden(hz: float, others: Sequence[float], length: float) -> bool:
    """Whether a partial lies on one of another note."""
    width = _LOBES / length
    for cents in others:
        base = 440.0 * 2.0 ** ((cents / 100 - 69) / 12)
        k = round(hz / base)
        if 1 <= k <= _OTHERS and abs(hz - k * base) < max(width, hz * 0.02):
            return True
    return False


def _spectrum(sound: NDArray[np.float32], time: float, length: float) -> tuple[Floats, Floats] | None:
    """Hz and amplitudes of a stretch; None where the take has ended."""
    first, n = round(time * LOW_RATE), round(length * LOW_RATE)
    part = np.asarray(sound[max(0, first) : max(0, first) + n], np.float64)
    if first < -n or len(part) < n // 2:
        return None
    size = 1 << 14
    hertz: Floats = np.asarray(np.fft.rfftfreq(size, 1 / LOW_RATE), np.float64)
    return hertz, np.abs(np.fft.rfft(part * np.hanning(len(part)), size)) / len(part)


def _level(spectrum: tuple[Floats, Floats], hz: float) -> tuple[float, float]:
    """dB of the highest near a frequency, and of what lies beside it."""
    freq, amplitude = spectrum
    reach = max(hz * (2 ** (_AROUND_CENTS / 1200) - 1), 3.0)
    near = np.abs(freq - hz) <= reach
    beside = (np.abs(freq - hz) > 3 * reach) & (np.abs(freq - hz) <= 12 * reach)
    top, floor = float(np.max(amplitude[near])), float(np.median(amplitude[beside]))
    return 20 * np.log10(top + 1e-9), 20 * np.log10(floor + 1e-9)
