"""Lines what was played up with what is written: which heard note is which, at which pace, and how far moved.

First the pitches alone say by how many half steps all is moved (longest common subsequence); then an elastic alignment
(dynamic programming as in dynamic time warping, Sakoe and Chiba 1978, but between notes, and local, Smith and Waterman
1981, so that what was played before and after costs nothing) finds the pace; its drift is followed; and last each
written note gets the heard one that is nearest in time and pitch (the assignment problem, solved by SciPy).
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

MOST_SHIFT = 14
"""Half steps by which a take may be moved."""
SLOWEST, FASTEST = 0.2, 1.6
HALT_S = 0.3
"""Seconds in the take for which somebody stands still, or hurries on, at once."""
_PACES = np.geomspace(SLOWEST, FASTEST, 44)
# Cents within which a pitch is the written one.
_SAME_CENTS = 60.0
# Notes that may be skipped between two that are aligned, and what each costs.
_REACH, _SKIP_WRITTEN, _SKIP_HEARD = 6, 0.6, 0.3
# Seconds and share of the wait by which a note may come early or late before it costs as much as half a note; and most.
_LOOSE_S, _LOOSE_SHARE, _LOOSE_MOST = 0.06, 0.15, 1.4
# Shifts that are looked at closely, and how much more a take that is not moved is believed.
_SHIFTS, _NOT_MOVED = 3, 0.5
# Seconds that notes are off on the mean from which a steady pace is not believed, by how much better one that drifts
# must be, and the most that one note counts; notes that say how it drifts.
_STEADY_S, _CLEARLY, _FAR_S = 0.008, 0.65, 0.06
# How often somebody halts in a take, at most.
_HALTS = 3
# Seconds between notes that say at which pace one steps.
_STEP_S = 0.1
_DRIFT_NOTES, _DRIFT_FEWEST = 9, 7
# Seconds in the take by which a note may be off and still be meant; the same that weighs time against pitch.
_MEANT_S, _WEIGHED_S = 0.21, 0.08
_UNSURE = 1.0
# Paces that votes are counted at, seconds within which they agree, and how far apart (logarithm) two of them are.
_FINE, _VOTE_S, _APART = 160, 0.08, 0.03
# Paces that are followed to the end, how often, and seconds off at which a note no longer speaks for one.
_TRIED, _ROUNDS, _AGREES_S = 4, 4, 0.1


@dataclass(frozen=True, slots=True)
class Written:
    """A note as it is to be played. onset: seconds in the recording; low, high: the pitches in cents above MIDI 0
    between which it may begin to be heard, alike for one that is not bent; other: a pitch that is as good, such as a
    harmonic's fret, or the same as low."""

    onset: float
    low: float
    high: float
    other: float


@dataclass(frozen=True, slots=True)
class Sounded:
    """A note as it was heard: seconds in the take, cents above MIDI 0, and how sure it is, 0 to 1."""

    onset: float
    cents: float
    sure: float = 1.0


@dataclass(frozen=True, slots=True)
class TimeMap:
    """From seconds in the recording to seconds in the take. stretch: seconds of the take in one of the recording;
    bends: (seconds in the recording, seconds of the take more than at that pace), how the pace drifts."""

    stretch: float
    begin: float
    drift: tuple[tuple[float, float], ...] = ()

    def take_s(self, time: float) -> float:
        """The take's time for one of the recording."""
        return self.begin + self.stretch * time + self._off(time)

    def recording_s(self, time: float) -> float:
        """The recording's time for one of the take."""
        at = (time - self.begin) / self.stretch
        for _ in range(3):
            at = (time - self.begin - self._off(at)) / self.stretch
        return at

    def _off(self, time: float) -> float:
        if not self.drift:
            return 0.0
        return float(np.interp(time, [t for t, _ in self.drift], [d for _, d in self.drift]))


@dataclass(frozen=True, slots=True)
class Aligned:
    """Half steps by which the take is moved; cents by which it is off besides; its time; the pairs (written, heard)."""

    shift: int
    offset_cents: float
    times: TimeMap
    pairs: tuple[tuple[int, int], ...]


def align(
    written: Sequence[Written], heard: Sequence[Sounded], *, pace: float | None = None, grounds: float = 0.0
) -> Aligned | None:
    """Which heard note is which written one; None where no two notes agree. Both in order of time. pace: as a share of
    the recording's, where it is known; grounds: cents by which the take's tuning is known to lie above the recording's.
    """
    if not written or not heard:
        return None
    moved = [Sounded(h.onset, h.cents - grounds, h.sure) for h in heard]
    paces = _PACES if pace is None else _PACES[np.abs(np.log(_PACES / pace)) < 0.2]
    if not len(paces):
        paces = np.array([pace])
    best: tuple[float, int, list[tuple[int, int]], TimeMap] | None = None
    for shift in _likely_shifts(written, moved):
        tried = [
            *((begun, _times(written, moved, begun, stretch))
              for begun, stretch in _elastic(written, moved, shift, 1.0 / paces)),
            *((_assigned(written, moved, shift, times), times)
              for times in _voted(written, moved, shift, 1.0 / paces)),
        ]  # fmt: skip
        for begun, times in tried:
            if not begun:
                continue
            value, pairs, times = _settled(written, moved, shift, begun, times)
            value += _NOT_MOVED if shift == 0 else 0.0
            if best is None or value > best[0]:
                best = (value, shift, pairs, times)
    if best is None:
        return None
    _, shift, pairs, times = best
    off = [moved[j].cents - 100 * shift - written[i].low for i, j in pairs]
    plain = [o for o in off if abs(o) <= _SAME_CENTS]
    return Aligned(shift, grounds + (float(np.median(plain)) if plain else 0.0), times, tuple(pairs))


def _settled(
    written: Sequence[Written], heard: Sequence[Sounded], shift: int, pairs: list[tuple[int, int]], times: TimeMap
) -> tuple[float, list[tuple[int, int]], TimeMap]:
    """An alignment followed to all that agrees with it: how well that is, its pairs and its time."""
    for _ in range(_ROUNDS):
        found = _assigned(written, heard, shift, times)
        if len(found) < 2 or found == pairs:
            break
        pairs = found
        times = _times(written, heard, pairs, times.stretch)
    away = np.array([heard[j].onset - times.take_s(written[i].onset) for i, j in pairs])
    return float(np.sum(1.0 - np.minimum(1.0, (away / _AGREES_S) ** 2))), pairs, times


def _fit_table(written: Sequence[Written], heard: Sequence[Sounded], shift: int) -> Floats:
    """What each pair costs by its pitch, shape (written, heard); NaN where it cannot be one."""
    out = np.full((len(written), len(heard)), np.nan)
    cents = np.array([h.cents for h in heard]) - 100.0 * shift
    for i, w in enumerate(written):
        out[i, np.abs(cents - w.other) <= _SAME_CENTS] = 0.3
        if w.high > w.low:
            out[i, (cents >= w.low - _SAME_CENTS) & (cents <= w.high + _SAME_CENTS + 20)] = 0.2
        out[i, np.abs(cents - w.low) <= _SAME_CENTS] = 0.0
    return out


def _likely_shifts(written: Sequence[Written], heard: Sequence[Sounded]) -> list[int]:
    """The half steps by which most pitches agree in order."""
    shifts = range(-MOST_SHIFT, MOST_SHIFT + 1)
    same = np.stack([np.isfinite(_fit_table(written, heard, s)) for s in shifts])
    row = np.zeros((len(shifts), len(heard) + 1))
    for i in range(len(written)):
        stepped = row.copy()
        stepped[:, 1:] = np.maximum(row[:, 1:], row[:, :-1] + same[:, i, :])
        row = np.maximum.accumulate(stepped, axis=1)
    order = sorted(range(len(shifts)), key=lambda k: (-row[k, -1], abs(shifts[k])))
    likely = [shifts[k] for k in order[:_SHIFTS]]
    return likely if 0 in likely else [*likely, 0]


def _elastic(
    written: Sequence[Written], heard: Sequence[Sounded], shift: int, stretches: Floats
) -> list[tuple[list[tuple[int, int]], float]]:
    """The best local alignments at different paces: the pairs of each, and its stretch."""
    fits = _fit_table(written, heard, shift)
    cells = [(int(i), int(j)) for i, j in np.argwhere(np.isfinite(fits))]
    at = {c: k for k, c in enumerate(cells)}
    value = np.zeros((len(cells), len(stretches)))
    came = np.full((len(cells), len(stretches)), -1)
    for k, (i, j) in enumerate(cells):
        gain = (1.0 - fits[i, j]) * (0.5 + 0.5 * heard[j].sure)
        best, source = np.zeros(len(stretches)), np.full(len(stretches), -1)
        for a, b in itertools.product(range(max(0, i - _REACH), i), range(max(0, j - _REACH), j)):
            before = at.get((a, b))
            if before is None:
                continue
            wait = (written[i].onset - written[a].onset) * stretches
            off = np.abs(heard[j].onset - heard[b].onset - wait) / (_LOOSE_S + _LOOSE_SHARE * wait)
            skipped = _SKIP_WRITTEN * (i - a - 1) + _SKIP_HEARD * (j - b - 1)
            total = value[before] - np.minimum(0.5 * off**2, _LOOSE_MOST) - skipped
            better = total > best
            best, source = np.where(better, total, best), np.where(better, before, source)
        value[k], came[k] = best + gain, source
    if not cells:
        return []
    tops = value.max(axis=0)
    peaks = [p for p in range(len(tops)) if tops[p] == tops[max(0, p - 1) : p + 2].max()]
    out = []
    for p in sorted(peaks, key=lambda p: -tops[p])[:_TRIED]:
        k, pairs = int(np.argmax(value[:, p])), []
        while k >= 0:
            pairs.append(cells[k])
            k = int(came[k, p])
        out.append((pairs[::-1], float(stretches[p])))
    return out


def _voted(written: Sequence[Written], heard: Sequence[Sounded], shift: int, stretches: Floats) -> list[TimeMap]:
    """The steady paces and beginnings that most pairs of one pitch agree on, whatever their order."""
    cells = np.argwhere(np.isfinite(_fit_table(written, heard, shift)))
    if not len(cells):
        return []
    w = np.array([n.onset for n in written])[cells[:, 0]]
    h = np.array([n.onset for n in heard])[cells[:, 1]]
    fine = np.geomspace(float(stretches.min()), float(stretches.max()) * 1.001, _FINE)
    found = []
    for stretch in fine:
        begins = np.sort(h - stretch * w)
        votes = np.searchsorted(begins, begins + _VOTE_S, side="right") - np.arange(len(begins))
        k = int(np.argmax(votes))
        found.append((int(votes[k]), float(stretch), float(np.median(begins[k : k + votes[k]]))))
    out: list[TimeMap] = []
    for _, stretch, begin in sorted(found, reverse=True):
        if all(abs(np.log(stretch / t.stretch)) > _APART for t in out):
            out.append(TimeMap(stretch, begin))
        if len(out) == _TRIED:
            break
    return out


def _times(
    written: Sequence[Written], heard: Sequence[Sounded], pairs: Sequence[tuple[int, int]], stretch: float
) -> TimeMap:
    """A steady pace (repeated medians, Siegel 1982, so that some late notes do not bend it), and its drift where the
    notes clearly do not keep to one: growing or falling evenly, or as most notes around each have it."""
    from scipy.stats import siegelslopes

    w = np.array([written[i].onset for i, _ in pairs])
    h = np.array([heard[j].onset for _, j in pairs])
    order = np.argsort(w, kind="stable")
    w, h = w[order], h[order]
    if len(set(w.tolist())) >= 3:
        slope = float(siegelslopes(h, w).slope)
        stretch = slope if 1 / FASTEST / 1.2 < slope < 1.2 / SLOWEST else stretch
    begin = float(np.median(h - stretch * w))
    left = h - begin - stretch * w
    drift = np.zeros(len(w))
    if len(pairs) >= _DRIFT_FEWEST and w[-1] > w[0]:
        half = _DRIFT_NOTES // 2
        local = np.array([_local(w, left, k, half) for k in range(len(w))])
        for model in (_halting(w, left), _evenly(w, left), local):
            before, after = _misfit(left - drift), _misfit(left - model)
            if before > _STEADY_S and after < _CLEARLY * before:
                drift = model
    if not drift.any():
        return TimeMap(stretch, begin)
    return TimeMap(stretch, begin, tuple((float(t), float(d)) for t, d in zip(w, drift, strict=True)))


def _halting(w: Floats, left: Floats) -> Floats:
    """A steady pace that stands still now and then. The pace is that of most steps from note to note, which one halt
    does not bend; between the greatest leaps most notes are off alike."""
    apart = np.diff(w) > _STEP_S
    if not apart.any():
        return np.zeros(len(left))
    slope = float(np.median((np.diff(left)[apart]) / np.diff(w)[apart]))
    straight = left - slope * w
    leaps = np.diff(straight)
    cuts = sorted(int(k) + 1 for k in np.argsort(-np.abs(leaps))[:_HALTS] if abs(leaps[k]) >= HALT_S)
    out = slope * w
    for a, b in itertools.pairwise([0, *cuts, len(left)]):
        out[a:b] += float(np.median(straight[a:b]))
    return np.asarray(out)


def _misfit(left: Floats) -> float:
    """Seconds that notes are off on the mean, where one that is far off counts no more than one that is somewhat."""
    return float(np.mean(np.minimum(np.abs(left), _FAR_S)))


def _evenly(w: Floats, left: Floats) -> Floats:
    """A pace that grows or falls evenly: a parabola, most notes near it (soft l1, by SciPy)."""
    from scipy.optimize import least_squares

    x = (w - w[0]) / (w[-1] - w[0])
    table = np.stack([np.ones_like(x), x, x**2], axis=1)
    found = least_squares(lambda c: table @ c - left, np.zeros(3), loss="soft_l1", f_scale=0.008)
    return np.asarray(table @ found.x)


def _local(w: Floats, left: Floats, k: int, half: int) -> float:
    """What most notes around one are off by, on a line through them."""
    from scipy.stats import siegelslopes

    at = slice(max(0, k - half), k + half + 1)
    x, y = w[at], left[at]
    if len(set(x.tolist())) < 3:
        return float(np.median(y))
    found = siegelslopes(y, x)
    return float(found.intercept + found.slope * w[k])


def _assigned(
    written: Sequence[Written], heard: Sequence[Sounded], shift: int, times: TimeMap
) -> list[tuple[int, int]]:
    from scipy.optimize import linear_sum_assignment

    fits = _fit_table(written, heard, shift)
    expected = np.array([times.take_s(w.onset) for w in written])
    away = np.array([h.onset for h in heard])[None, :] - expected[:, None]
    sure = np.array([h.sure for h in heard])
    cost = (away / _WEIGHED_S) ** 2 + 2 * np.nan_to_num(fits, nan=99.0) + _UNSURE * (1 - sure)[None, :]
    allowed = np.isfinite(fits) & (np.abs(away) <= _MEANT_S)
    # A pair costs less than leaving both alone would.
    limit = (_MEANT_S / _WEIGHED_S) ** 2 + 2.0
    rows, columns = linear_sum_assignment(np.where(allowed, cost - limit, 0.0))
    return [(int(i), int(j)) for i, j in zip(rows, columns, strict=True) if allowed[i, j]]
