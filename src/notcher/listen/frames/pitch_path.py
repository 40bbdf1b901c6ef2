"""The lead's way through the network's candidates: several pitches a frame, one search over the whole passage."""

from dataclasses import dataclass
from functools import reduce

import numpy as np
from numpy.typing import NDArray

from notcher.listen.frames.bands import STEP as EAR_STEP
from notcher.listen.frames.ear import LOWEST, PER_SEMITONE, PITCHES, Ear
from notcher.listen.frames.network import PITCHES_HZ, STEP, PitchScores

# Pitches kept a frame: the likeliest few, so that the search stays quick.
CANDIDATES = 6
# Likelihood of what the network gives none, so that one bad frame does not end a way.
_FLOOR = 1e-5
# What the ear's strings weigh beside the line's pitches, how far they speak against a pitch they do not hold, the least
# that such a pitch keeps, and the likelihood from which the ear says anything.
_EAR, _TRUST, _UNHEARD, _SAYS = 0.5, 1.0, 0.03, 0.3
# The network's pitches in cents (A4 = 6900).
_STEPS = 6900.0 + 1200.0 * np.log2(PITCHES_HZ / 440.0)
# Chosen on the development phrases: what a wandering pitch costs a cent, a leap at all, and a leap's size a cent.
_WANDER, _LEAP, _DISTANCE = 0.02, 3.0, 0.001
# Cents in a frame up to which a pitch wanders and does not leap.
_NEAR_CENTS = 60.0
# A lead seldom goes above the 19th fret of the thinnest string (common practice, no source); a partial of it often
# does.
_SELDOM_ABOVE, _SELDOM_CENTS = 8350.0, 200.0


@dataclass(frozen=True, eq=False)
class Path:
    """times (s), cents above MIDI 0 and confidence (0 to 1) along the way chosen, each shape (n,);
    share: how much of the likelihood lay with the chosen pitch, shape (n,)."""

    times: NDArray[np.float64]
    cents: NDArray[np.float64]
    confidence: NDArray[np.float64]
    share: NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Candidates:
    """cents, NaN where there are fewer, and the logarithm of each one's likelihood, shapes (n, CANDIDATES)."""

    cents: NDArray[np.float64]
    log_p: NDArray[np.float64]


def blended(lead: list[PitchScores], whole: PitchScores | None, weight: float) -> PitchScores:
    """Scores of the lead's views, taken together, with `weight` of the whole mix's."""
    n = min(len(s.log_p) for s in (*lead, *([whole] if whole else [])))
    p = reduce(np.add, (np.exp(s.log_p[:n]) for s in lead)) / len(lead)
    sure = reduce(np.maximum, (s.confidence[:n] for s in lead))
    if whole is not None:
        p = (1 - weight) * p + weight * np.exp(whole.log_p[:n])
    return PitchScores(np.log(p + _FLOOR).astype(np.float32), sure)


def with_ear(scores: PitchScores, ear: Ear) -> PitchScores:
    """Scores of one line, with what the ear heard of strings: where several sound through one amplifier the line falls
    on tones that are no string's."""
    if not len(ear):
        return scores
    n = len(scores.log_p)
    rows = np.minimum(np.round(np.arange(n) * STEP / EAR_STEP).astype(int), len(ear) - 1)
    at = ((_STEPS - 100.0 * LOWEST) / 100.0 * PER_SEMITONE).round().astype(int)
    near = np.stack([np.clip(at + d, 0, PITCHES - 1) for d in (-1, 0, 1)])
    heard = ear.sounds[rows][:, near].max(axis=1).astype(np.float32) / 255.0
    heard[:, (at < 0) | (at >= PITCHES)] = 0.0
    # Where it hears nothing at all it has nothing to say.
    says = np.clip(heard.max(axis=1, keepdims=True) / _SAYS, 0.0, 1.0)
    share = heard / np.maximum(heard.sum(axis=1, keepdims=True), 1e-6)
    p = np.exp(scores.log_p)
    both = ((1.0 - _EAR * says) * p + _EAR * says * share) * (heard + _UNHEARD) ** (_TRUST * says)
    both /= np.maximum(both.sum(axis=1, keepdims=True), 1e-12)
    return PitchScores(np.log(both + _FLOOR).astype(np.float32), scores.confidence)


def candidates(scores: PitchScores, *, lowest: float, highest: float) -> Candidates:
    """The peaks of each frame's scores between two pitches in cents, the likeliest first."""
    y = scores.log_p
    peak = np.zeros(y.shape, bool)
    peak[:, 1:-1] = (y[:, 1:-1] >= y[:, :-2]) & (y[:, 1:-1] > y[:, 2:])
    peak &= (lowest <= _STEPS) & (highest >= _STEPS)
    ranked = np.where(peak, y, -np.inf)
    best = np.argsort(-ranked, axis=1)[:, :CANDIDATES]
    exists = np.isfinite(np.take_along_axis(ranked, best, axis=1))
    inner = np.clip(best, 1, y.shape[1] - 2)
    rows = np.arange(len(y))[:, None]
    around = np.stack([np.exp(y[rows, inner + d]) for d in (-1, 0, 1)], axis=2)
    where = np.stack([_STEPS[inner + d] for d in (-1, 0, 1)], axis=2)
    total = around.sum(axis=2)
    cents = np.where(exists, (around * where).sum(axis=2) / total, np.nan)
    seldom = np.nan_to_num(np.maximum(cents - _SELDOM_ABOVE, 0.0)) / _SELDOM_CENTS
    return Candidates(cents, np.where(exists, np.log(total) - seldom, -30.0))


def best_path(scores: PitchScores, *, lowest: float, highest: float) -> Path:
    """The likeliest way through the candidates (Viterbi 1967), where leaps cost and wandering costs a little."""
    found = candidates(scores, lowest=lowest, highest=highest)
    n = len(found.cents)
    if n == 0:
        none = np.zeros(0)
        return Path(none, none, none, none)
    cents = np.where(np.isnan(found.cents), -1e5 * (1 + np.arange(CANDIDATES)), found.cents)
    best, back = found.log_p[0].copy(), np.zeros((n, CANDIDATES), np.int8)
    for i in range(1, n):
        away = np.abs(cents[i][:, None] - cents[i - 1][None, :])
        cost = np.where(away < _NEAR_CENTS, _WANDER * away, _LEAP + _DISTANCE * np.minimum(away, 2400.0))
        total = best[None, :] - cost
        back[i] = total.argmax(axis=1)
        best = total[np.arange(CANDIDATES), back[i]] + found.log_p[i]
    chosen = np.zeros(n, np.int64)
    chosen[-1] = int(np.argmax(best))
    for i in range(n - 1, 0, -1):
        chosen[i - 1] = back[i, chosen[i]]
    rows = np.arange(n)
    return Path(
        np.asarray(rows * STEP, dtype=np.float64), found.cents[rows, chosen], scores.confidence.astype(np.float64),
        np.exp(found.log_p[rows, chosen]),
    )  # fmt: skip
