"""Repeats of a delay: what was played comes again, softer, always the same time later. They are no notes of the player.

A delay gives back the very same sound. The time it takes is a peak of the sound's autocorrelation once the spectrum is
made flat, so that neither a note's period nor a phrase that is played twice makes one (the cepstrum's way of finding
echoes: B. Bogert, M. Healy and J. Tukey, "The quefrency alanysis of time series for echoes", 1963).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate, starting_pitch
from notcher.listen.candidates.partials import partials_of
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP, LOW_RATE

# Seconds of a delay's usual settings (common practice, no source).
_SHORTEST_S, _LONGEST_S = 0.18, 2.6
# Seconds that are looked at at a time, those of the least, and Hz over which a spectrum is made flat.
_BLOCK_S, _LEAST_S, _FLAT_HZ = 40.0, 4.0, 60.0
# Hz between which a guitar's sound is looked at.
_BAND_HZ = (80.0, 3500.0)
# Seconds around a peak, the percentile of them that it is weighed against (held notes make a comb of peaks, a delay
# one), and how far it stands out. Measured on 110 recordings: with a delay 1.9 to 8, above 2.5 unless a
# tape's wow blurs it; without one 1.5 to 2.2 and once 3.6.
_AROUND_S, _MOST, _STANDS_OUT = 0.06, 99.0, 2.5
# A repeat's repeat may stand out more; how far its part must then, within so many seconds.
_PARTS, _PART_STANDS_OUT, _WITHIN_S = (3, 2), 1.8, 0.002
# Repeats of repeats that are looked for; seconds and semitones within which one is where it must be.
_TIMES, _SAME_S, _SAME_STEPS = 3, 0.03, 0.6
# dB by which a repeat is softer at least, what is usual where nothing says it, and how much less soft than usual it may
# be: what is louder was played anew.
_SOFTER_DB, _USUAL_DB, _SPREAD_DB = 1.5, 8.0, 3.5
# Seconds after its onset at which a note's level is taken.
_LEVEL_S = 0.06
# What tells a delay from a band that plays the same again each beat: the share of the notes that come again which come
# softer, how many times more of them than at other times of about its length, and on how many pitches. (12 recordings
# with a delay: 0.63 to 0.90, 2.4 to 15 times, 9 to 15 pitches; 16 leads over real bands without: 0.09 to 0.49, 0.8 to
# 4.2 times, 1 to 12.)
_SOFTER_SHARE, _MORE_OFTEN, _PITCHES = 0.56, 2.0, 4
_OTHER_TIMES = (0.61, 0.73, 0.83, 1.17, 1.29, 1.41)


def delay_of(sound: NDArray[np.int16]) -> float | None:
    """The time in seconds after which a lead's sound (at LOW_RATE, shape (n,)) comes again, or None."""
    size = round(_BLOCK_S * LOW_RATE)
    total: NDArray[np.float64] | None = None
    for first in range(0, len(sound), size):
        # Into the next block as far as a delay reaches.
        part = sound[first : first + size + round(_LONGEST_S * LOW_RATE)]
        if len(part) < _LEAST_S * LOW_RATE or not part.any():
            continue
        found = _flat_autocorrelation(part)
        total = found if total is None else total + found
    if total is None:
        return None
    from scipy import ndimage

    low, high = round(_SHORTEST_S * LOW_RATE), round(_LONGEST_S * LOW_RATE)
    part_of = np.abs(total[low:high])
    usual = ndimage.percentile_filter(part_of[::8], _MOST, size=round(2 * _AROUND_S * LOW_RATE / 8))
    stands = part_of / (np.repeat(usual, 8)[: len(part_of)] + 1e-12)
    k = int(np.argmax(stands))
    if stands[k] <= _STANDS_OUT:
        return None
    for part_count in _PARTS:
        near, reach = (low + k) // part_count - low, round(_WITHIN_S * LOW_RATE)
        around = stands[max(0, near - reach) : max(0, near + reach + 1)]
        if around.size and around.max() > _PART_STANDS_OUT:
            k = max(0, near - reach) + int(np.argmax(around))
            break
    return (low + k) / LOW_RATE


def _flat_autocorrelation(sound: NDArray[np.int16]) -> NDArray[np.float64]:
    from scipy import fft, ndimage

    size = fft.next_fast_len(len(sound) + round(_LONGEST_S * LOW_RATE), real=True)
    power = np.abs(fft.rfft(sound.astype(np.float32) / 32767.0, size)) ** 2
    step = LOW_RATE / size
    flat = power / (ndimage.uniform_filter1d(power, max(3, round(_FLAT_HZ / step))) + 1e-9 * power.max()) - 1.0
    low, high = (round(hz / step) for hz in _BAND_HZ)
    flat[:low] = flat[high:] = 0.0
    return np.asarray(fft.irfft(flat, size)[: round(_LONGEST_S * LOW_RATE)], np.float64)


@dataclass(frozen=True, eq=False)
class _Heard:
    """What may be notes: seconds, MIDI pitches and levels in dB of each, shape (n,)."""

    onsets: NDArray[np.float64]
    pitches: NDArray[np.float64]
    levels: NDArray[np.float64]

    @classmethod
    def of(cls, frames: Frames, candidates: Sequence[Candidate], offset_cents: float) -> "_Heard":
        """Measured of candidates."""
        return cls(
            np.array([c.note.onset for c in candidates]),
            np.array([starting_pitch(c.note) for c in candidates]),
            np.array([_level(frames, c, offset_cents) for c in candidates]),
        )

    def before(self, i: int, seconds: float) -> list[int]:
        """Which have the pitch of one and came so long before it."""
        near = np.abs(self.onsets - (self.onsets[i] - seconds)) <= _SAME_S
        return np.flatnonzero(near & (np.abs(self.pitches - self.pitches[i]) <= _SAME_STEPS)).tolist()

    def softer(self, seconds: float) -> list[tuple[int, float]]:
        """Of each that comes again after so long: which it is, and by how many dB it is softer."""
        return [(i, float(self.levels[k] - self.levels[i]))
                for i in range(len(self.onsets)) for k in self.before(i, seconds)]  # fmt: skip


def is_a_delay(frames: Frames, candidates: Sequence[Candidate], offset_cents: float, delay: float) -> bool:
    """Whether what comes again `delay` seconds later are the lead's notes, softer, on many pitches and oftener than by
    chance, rather than a band that plays the same each beat. candidates: all that may be notes."""
    heard = _Heard.of(frames, candidates, offset_cents)
    again = heard.softer(delay)
    if not again:
        return False
    by_chance = np.mean([len({i for i, _ in heard.softer(share * delay)}) for share in _OTHER_TIMES])
    often = len({i for i, _ in again}) >= _MORE_OFTEN * float(by_chance)
    on_pitches = {round(float(heard.pitches[i])) for i, d in again if d > _SOFTER_DB}
    mostly = float(np.mean([d > _SOFTER_DB for _, d in again])) >= _SOFTER_SHARE
    return often and mostly and len(on_pitches) >= _PITCHES


def without_repeats(
    frames: Frames, candidates: Sequence[Candidate], offset_cents: float, delay: float | None
) -> tuple[list[Candidate], list[Candidate]]:
    """What may be notes, and what is only a repeat of one. candidates: in time order; delay: seconds, None for none."""
    if delay is None or not candidates:
        return list(candidates), []
    heard = _Heard.of(frames, candidates, offset_cents)
    clearly = [d for _, d in heard.softer(delay) if d > _SOFTER_DB]
    usual = float(np.median(clearly)) if clearly else _USUAL_DB
    kept: list[Candidate] = []
    left: list[Candidate] = []
    for i, c in enumerate(candidates):
        is_one = any(
            heard.levels[k] - heard.levels[i] > max(_SOFTER_DB, times * usual - _SPREAD_DB)
            for times in range(1, _TIMES + 1)
            for k in heard.before(i, times * delay)
        )
        (left if is_one else kept).append(c)
    return kept, left


def silenced(
    trace: Trace, repeats: Sequence[Candidate], notes: Sequence[HeardNote], offset_cents: float
) -> Trace:  # fmt: skip
    """The trace without what is only repeated."""
    cents = trace.cents.copy()
    for c in repeats:
        at = slice(round(c.note.onset / HOP), round(c.note.end / HOP))
        near = np.abs(cents[at] - offset_cents - 100.0 * starting_pitch(c.note)) < 100.0 * _SAME_STEPS
        cents[at] = np.where(near, np.nan, cents[at])
    for n in notes:
        at = slice(round(n.onset / HOP), round(n.end / HOP))
        cents[at] = trace.cents[at]
    return replace(trace, cents=cents)


def is_repeat(time: float, onsets: NDArray[np.float64], delay: float | None) -> bool:
    """Whether something at a time in seconds comes as late after one of some onsets as a repeat does. onsets: seconds,
    shape (n,); delay: seconds."""
    if delay is None:
        return False
    return any(float(np.min(np.abs(onsets + k * delay - time), initial=9.0)) <= _SAME_S for k in range(1, _TIMES + 1))


def _level(frames: Frames, c: Candidate, offset_cents: float) -> float:
    return float(10 * np.log10((partials_of(frames, c.note, _LEVEL_S, offset_cents) ** 2).sum() + 1e-10))
