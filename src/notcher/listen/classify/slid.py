"""Whether the finger that began a note slid to it from the note before.

A finger that slides stops at the frets on its way, however briefly; one that is put down or lifted goes at once, and a
string that is pushed passes between the frets. What the contour and the ear hold of the way is measured, together with
what which_hand.py measures of the two notes; a forest decides (benchmarks/fit_hand.py).
"""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.frames.ear import most_near
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP
from notcher.score.note import Attack

# Seconds before an onset that a slide's way may take, and after it: an onset is where the way ends, to a few frames.
_WAY_S = (0.25, 0.06)
# Share of the leap at whose either end the way begins and ends, and cents within which a frame lies on a fret.
_ENDS, _ON_A_FRET = 0.12, 22.0
# Cents off the frets of a way of which nothing is seen: as far as can be.
_UNSEEN_CENTS = 50.0
# Seconds before the onset at which what lies between is listened for.
_LISTENED_S = (0.12, 0.03)
# Half steps at most of which the frets between are listened to.
_MOST_FRETS = 12


def features(
    frames: Frames, n: HeardNote, before: HeardNote, offset_cents: float, known: Mapping[str, float]
) -> dict[str, float]:
    """What is measured of the way from one note to the next. known: what was measured of the two already."""
    lowest = 100.0 * before.pitch + offset_cents
    step = n.pitch - before.pitch
    first = max(0, round(max(before.onset, n.onset - _WAY_S[0]) / HOP))
    way = (frames.trace.cents[first : round((n.onset + _WAY_S[1]) / HOP)] - lowest) * np.sign(step or 1)
    way = way[np.isfinite(way)]
    goal = 100.0 * max(1, abs(step))
    on_it = way[(way > _ENDS * goal) & (way < (1 - _ENDS) * goal)]
    off = np.abs(on_it - 100 * np.round(on_it / 100))
    return dict(known) | {
        "read as a slide": float(n.attack is Attack.SLIDE), "glide": n.evidence.glide_s,
        "moments between": float(len(on_it)),
        "off the frets between": float(np.mean(off)) if len(on_it) else _UNSEEN_CENTS,
        "frets halted at": float(len(np.unique(np.round(on_it[off < _ON_A_FRET] / 100)))) / max(1, abs(step) - 1),
        "goes one way": float(np.mean(np.diff(on_it) >= 0)) if len(on_it) > 1 else 0.0,
        "fastest": _fastest(way), "frets between sounding": _between(frames, n, before, offset_cents),
        "picked before": float(before.attack is Attack.PICK),
        "seconds of the note before": min(1.0, before.end - before.onset),
    }  # fmt: skip


def _fastest(way: NDArray[np.float64]) -> float:
    """The widest step of the way in two frames, cents."""
    return float(np.max(np.abs(way[2:] - way[:-2]), initial=0.0)) if len(way) > 2 else 0.0


def _between(frames: Frames, n: HeardNote, before: HeardNote, offset_cents: float) -> float:
    """How clearly the ear heard the frets between: the mean over them of the most at any moment of the way."""
    low, high = sorted((n.pitch, before.pitch))
    frets = range(low + 1, min(high, low + _MOST_FRETS))
    at, half = n.onset - sum(_LISTENED_S) / 2 + _LISTENED_S[1], sum(_LISTENED_S) / 2
    heard = [most_near(frames.ear.sounds, at, p + offset_cents / 100, before=half, after=half, wide=0.3) for p in frets]
    return float(np.mean(heard)) if heard else 0.0
