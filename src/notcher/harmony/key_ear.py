"""The key that chords and lead are in, and where it changes.

What is asked of each tonic: how long chords of each family stand on each degree, on which degree they begin, end and
stand in the first of each four bars, which root follows which, and how long the lead dwells on each degree. The answers
for twelve tonics, major and minor, share one softmax (multinomial logistic regression), fitted by
benchmarks/fit_keys.py and kept in data/keys.npz. Church modes are told apart afterwards, by the tones that make them.
"""

import functools
from collections.abc import Sequence
from dataclasses import dataclass
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from notcher.harmony.grid import Grid
from notcher.score.chord import HEARD, KINDS
from notcher.score.key import Key, KeyAt

Chances = NDArray[np.float64]
# Families of chords, by which their degrees are counted.
_FAMILIES = (
    ("major", "major-sixth"), ("major-seventh",), ("dominant",), ("minor", "minor-seventh"),
    ("diminished", "half-diminished"), ("augmented", "suspended-second", "suspended-fourth", "power"),
)  # fmt: skip
N_SIGNS = 12 * (len(_FAMILIES) + 4) + 144
# Beats at either end that say where it begins and ends.
_ENDS = 4
_BARS_TOGETHER = 4
# Of the lead's note no more than this counts, in seconds.
_LONG_S = 1.5
# A key less likely than this is not claimed.
LEAST_CHANCE = 0.4
# Bars to either side that say a bar's key; how many windows that share a bar count as one; a change's chance; and bars
# below which there is one key. Chosen on development songs joined in pairs.
_WINDOW, _TOGETHER, _CHANGE, _FEWEST_BARS = 3, 4, 1e-4, 12
# Each church mode: the major or minor key it is taken for, its own tone and the tone it has in place of, above the
# tonic; how much more of the one sounds, and its least share.
_MODES = (
    ("dorian", "minor", 9, 8), ("phrygian", "minor", 1, 2), ("mixolydian", "major", 10, 11), ("lydian", "major", 6, 5),
)  # fmt: skip
_OWN, _OWN_SHARE = 3.0, 0.02


@dataclass(frozen=True, eq=False)
class Heard:
    """chance: of each chord and of none in each stretch, shape (n, chords + 1); lead: onset, end and pitch of its
    notes."""

    beats: Grid
    chance: Chances
    lead: Sequence[tuple[float, float, int]]

    def dwelling(self, start: float, end: float) -> Chances:
        """How long the lead dwells on each pitch class between two times, as shares, shape (12,)."""
        out = np.zeros(12)
        for onset, last, pitch in self.lead:
            if start <= onset < end:
                out[pitch % 12] += min(last - onset, _LONG_S)
        return np.asarray(out / (out.sum() + 1e-9))


def signs(by_kind: Chances, lengths: Chances, opening: NDArray[np.bool_], dwelling: Chances) -> Chances:
    """What is asked of each tonic, shape (12, N_SIGNS).

    by_kind: chances of each root and kind, shape (n, 12, kinds); lengths: of the stretches, shape (n,); opening: those
    in the first of four bars, shape (n,); dwelling: of the lead, shape (12,).
    """
    roots = by_kind.sum(axis=2)
    families = np.zeros((len(_FAMILIES), 12))
    for k, family in enumerate(_FAMILIES):
        for kind in family:
            families[k] += (by_kind[:, :, HEARD.index(kind)] * lengths[:, None]).sum(axis=0)
    families = np.sqrt(families / max(float(lengths.sum()), 1e-9))
    ends = max(1, min(_ENDS, len(roots)))
    begins, closes = roots[:ends].mean(axis=0), roots[-ends:].mean(axis=0)
    opens = roots[opening].mean(axis=0) if opening.any() else np.zeros(12)
    moves = roots[:-1].T @ roots[1:] / max(1, len(roots) - 1)
    moves = np.sqrt(np.maximum(moves - np.diag(np.diag(moves)), 0.0))
    out = np.zeros((12, N_SIGNS))
    for tonic in range(12):
        rows = (*families, begins, closes, opens, np.sqrt(dwelling))
        moved = np.roll(np.roll(moves, -tonic, axis=0), -tonic, axis=1).ravel()
        out[tonic] = np.concatenate([*(np.roll(row, -tonic) for row in rows), moved])
    return out


@functools.cache
def _weights() -> tuple[Chances, Chances]:
    with resources.files("notcher").joinpath("data/keys.npz").open("rb") as file, np.load(file) as kept:
        return kept["weights"].astype(np.float64), kept["bias"].astype(np.float64)


def chances_of_keys(found: Chances) -> Chances:
    """Of each tonic's major and minor key, shape (12, 2). found: as signs() says."""
    weights, bias = _weights()
    logits = found @ weights + bias
    share = np.exp(logits - logits.max())
    return np.asarray(share / share.sum())


def openings(beats: Grid, first: int) -> NDArray[np.bool_]:
    """Which stretches lie in the first of four bars, counted from the first one that holds a chord."""
    bar, out = -1, np.zeros(len(beats.places), bool)
    for k in range(first, len(beats.places)):
        place = beats.places[k]
        if place is not None and (place[0] == 0 or bar < 0):
            bar += 1
        out[k] = place is not None and bar % _BARS_TOGETHER == 0
    return out


def hear_keys(heard: Heard) -> tuple[KeyAt, ...]:
    """The key, or keys one after another; none where none is likely."""
    by_kind = heard.chance[:, :-1].reshape(-1, 12, len(HEARD))
    sounding = np.flatnonzero(by_kind.sum(axis=(1, 2)) > 0.5)
    first, last = (int(sounding[0]), int(sounding[-1]) + 1) if len(sounding) else (0, len(by_kind))
    lengths, opening = np.diff(heard.beats.edges), openings(heard.beats, first)

    def asked(a: int, b: int) -> Chances:
        dwelling = heard.dwelling(float(heard.beats.edges[a]), float(heard.beats.edges[b]))
        return chances_of_keys(signs(by_kind[a:b], lengths[a:b], opening[a:b], dwelling))

    bars = [k for k in range(first, last) if (p := heard.beats.places[k]) is not None and p[0] == 0]
    runs = _runs([asked(*_around(bars, k, first, last)) for k in range(len(bars))])
    if len(runs) <= 1:
        return _claimed(heard, by_kind, 0.0, asked(first, last), first, last)
    out: list[KeyAt] = []
    for begin, end in runs:
        a, b = bars[begin] if begin else first, bars[end] if end < len(bars) else last
        start = float(heard.beats.edges[a]) if out else 0.0
        found = _claimed(heard, by_kind, start, asked(a, b), a, b)
        out += [k for k in found if not out or k.key != out[-1].key]
    return tuple(out)


def _around(bars: Sequence[int], k: int, first: int, last: int) -> tuple[int, int]:
    a, b = max(0, k - _WINDOW), min(len(bars), k + _WINDOW)
    return (bars[a] if a else first), (bars[b] if b < len(bars) else last)


def _runs(windows: Sequence[Chances]) -> list[tuple[int, int]]:
    """Where one key is likeliest to hold throughout, as (first bar, bar after its last)."""
    from notcher.harmony.path import likeliest

    if len(windows) < _FEWEST_BARS:
        return []
    said = np.log(np.array([w.ravel() for w in windows]) + 1e-6) / _TOGETHER
    path = likeliest(said, np.full(len(said), _CHANGE), np.full(24, -np.log(24)))
    starts = [0, *(k for k in range(1, len(path)) if path[k] != path[k - 1])]
    return list(zip(starts, [*starts[1:], len(path)], strict=True))


def _claimed(heard: Heard, by_kind: Chances, start: float, chance: Chances, a: int, b: int) -> tuple[KeyAt, ...]:
    tonic, small = divmod(int(chance.argmax()), 2)
    sure = float(chance[tonic, small])
    if sure < LEAST_CHANCE:
        return ()
    mode = _mode(heard, by_kind[a:b], tonic, "minor" if small else "major", a, b)
    return (KeyAt(round(start, 4), Key.of(tonic, mode), round(sure, 3)),)


def _mode(heard: Heard, by_kind: Chances, tonic: int, usual: str, a: int, b: int) -> str:
    """The church mode whose own tone sounds far more than the one in its place."""
    tones = np.zeros(12)
    for k, name in enumerate(HEARD):
        for above in KINDS[name].semitones:
            tones += np.roll(by_kind[:, :, k].sum(axis=0), above)
    tones = tones / (tones.sum() + 1e-9)
    tones = tones + heard.dwelling(float(heard.beats.edges[a]), float(heard.beats.edges[b]))
    for mode, like, own, other in _MODES:
        mine, theirs = tones[(tonic + own) % 12], tones[(tonic + other) % 12]
        if like == usual and mine >= 2 * _OWN_SHARE and mine > _OWN * theirs:
            return mode
    return usual
