"""Which of the pulses in a recording is the beat, into how many parts it falls, and how many beats make a bar.

Every reading of every pulse is described by where drums, bass and chords strike in it and where chords change; a
conditional logit (McFadden 1974), fitted on bands of known metre (benchmarks/fit_metre.py), gives each its chance.
"""

import functools
import json
from collections.abc import Sequence
from dataclasses import dataclass
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from notcher.beat.pulse import beats_of, drawn, periods, steady_beats
from notcher.beat.rises import CHORD_STEP_S, LOW, MIDDLE, STEP_S, Rises
from notcher.stopping import look_for_stop

Floats = NDArray[np.float64]
# Parts of a beat in which strikes are read: halves, thirds and quarters fall on them.
_PARTS = 12
# For beats in two and in three: by how many parts the beat may lie off the pulse that was found, and bars of how many.
_READINGS = {2: ((0, 6), (2, 3, 4)), 3: ((0, 4, 8), (2, 4))}
# Usual tempos of both, in beats a minute (common practice, no source).
_USUAL = {2: 105.0, 3: 62.0}
# Steps over which rises are smoothed before they are read, and share of values weaker than a full strike.
_SMOOTH, _FULL = 3.0, 97.0
# Beats that a bar is told apart by: fewer say nothing.
FEWEST = 8


@dataclass(frozen=True, slots=True)
class Reading:
    """One way to hear a recording. beats: seconds; parts: 2 or 3 of a beat; size: beats in a bar; first: number of the
    beat that begins bar 1; features: what is to be said for it, shape (k,); chance: among all readings, 0 to 1."""

    beats: Floats
    parts: int
    size: int
    first: int
    features: Floats
    chance: float = 0.0


def readings(heard: Rises) -> list[Reading]:
    """Every way to hear a recording, without chances. Raises CancelledError when asked to stop."""
    strikes = _Strikes(heard)
    out: list[Reading] = []
    for period in periods(heard):
        look_for_stop()
        for steady, pulse in ((False, beats_of(heard, period)), (True, steady_beats(heard, period))):
            if len(pulse) >= FEWEST:
                out.extend(_of_pulse(strikes, pulse, steady=steady))
    return out


def likeliest(heard: Rises) -> list[Reading]:
    """The readings with their chances, likeliest first, the beats of the first of them drawn as few bends as they can
    be; [] where no pulse is."""
    all_of_them = readings(heard)
    if not all_of_them:
        return []
    worth = np.array([r.features for r in all_of_them]) @ weights()
    chance = np.exp(worth - np.max(worth))
    chance /= chance.sum()
    order = np.argsort(-chance)
    return [_with_chance(all_of_them[k], float(chance[k])) for k in order]


def settled(heard: Rises, reading: Reading) -> Floats:
    """The beats of a reading where the rises are, on a line of few bends, shape (n,): seconds."""
    return drawn(heard, reading.beats)


@functools.cache
def weights() -> Floats:
    """What each feature counts, shape (k,)."""
    kept = json.loads(resources.files("notcher.data").joinpath("metre.json").read_text(encoding="utf-8"))
    return np.array([kept[name] for name in NAMES])


def _with_chance(r: Reading, chance: float) -> Reading:
    return Reading(r.beats, r.parts, r.size, r.first, r.features, chance)


class _Strikes:
    """Rises ready to be read at any time: each band and all of them, 0 to 1."""

    def __init__(self, heard: Rises) -> None:
        from scipy import ndimage

        rows = [*heard.bands, heard.whole]
        smooth = [ndimage.maximum_filter1d(ndimage.gaussian_filter1d(r, _SMOOTH), 11) for r in rows]
        self._rows = [np.minimum(r / (np.percentile(r, _FULL) + 1e-9), 1.0) for r in smooth]
        self._chroma = heard.chroma

    def at(self, times: Floats) -> Floats:
        """Shape (n, 5): each band and all."""
        where = np.clip(np.round(times / STEP_S - 0.5).astype(int), 0, len(self._rows[0]) - 1)
        return np.stack([row[where] for row in self._rows], axis=-1)

    def changes(self, beats: Floats) -> Floats:
        """How much other the pitch classes after each beat are than before it, 0 to 1, shape (n,)."""
        edges = np.clip(np.round(beats / CHORD_STEP_S).astype(int), 0, len(self._chroma))
        total = np.concatenate([np.zeros((1, self._chroma.shape[1])), np.cumsum(self._chroma, axis=0)])
        within = total[edges[1:]] - total[edges[:-1]]
        within = within - within.min(axis=1, keepdims=True)
        within /= np.linalg.norm(within, axis=1, keepdims=True) + 1e-9
        out = np.zeros(len(beats))
        out[1:-1] = 1.0 - np.sum(within[1:] * within[:-1], axis=1)
        return out


_OF_A_BEAT = (
    "beat", "half", "first third", "second third", "quarters", "best other", "drum", "weaker drum", "drum between",
    "weaker beat", "drums after a beat", "drums after a half", "drums after a third", "drums after one and a half",
    "drums after two thirds",
)  # fmt: skip
NAMES = (
    "in two", "tempo of two", "tempo of two squared", "tempo of three", "tempo of three squared",
    *(f"{name} of {parts}" for parts in (2, 3) for name in _OF_A_BEAT),
    "size 2", "size 3", "size 2 of threes",
    "chords change first", "low first", "whole first", "low where even", "middle where odd", "low first of three",
    "middle after first of three", "low first of two", "middle second of two", "alike after a bar",
    "alike after other bars", "chords alike", "cymbals first", "steady",
)  # fmt: skip
"""Of the features, in their order."""


def _of_pulse(strikes: _Strikes, pulse: Floats, *, steady: bool) -> list[Reading]:
    """All readings of one pulse."""
    inside = np.arange(_PARTS) / _PARTS
    gaps = np.append(np.diff(pulse), pulse[-1] - pulse[-2])
    grid = strikes.at(pulse[:, None] + gaps[:, None] * inside)
    bpm = 60.0 / float(np.median(gaps))
    out = []
    for parts, (shifts, sizes) in _READINGS.items():
        for shift in shifts:
            beats = pulse + gaps * shift / _PARTS
            rolled = grid.reshape(-1, grid.shape[2])[shift : len(grid) * _PARTS - (_PARTS - shift) % _PARTS or None]
            rolled = rolled[: len(rolled) // _PARTS * _PARTS].reshape(-1, _PARTS, grid.shape[2])
            beats = beats[: len(rolled)]
            if len(beats) < FEWEST:
                continue
            changes = strikes.changes(beats)
            own = _of_beat(rolled, parts, bpm)
            alike = _alike(rolled)
            out += [
                Reading(
                    beats,
                    parts,
                    size,
                    first,
                    np.array([*own, *_of_bar(rolled, changes, alike, parts, size, first), float(steady)]),
                )
                for size in sizes
                for first in range(size)
            ]
    return out


def _of_beat(grid: Floats, parts: int, bpm: float) -> list[float]:
    """What says that this is the beat and that it falls into so many parts."""
    faster = float(np.log2(bpm / _USUAL[parts]))
    two = parts == 2
    mean = grid[:, :, -1].mean(axis=0)
    drums = np.maximum(grid[:, :, LOW], grid[:, :, MIDDLE])
    between = (6,) if two else (4, 8)
    strikes = [
        mean[0], mean[6], mean[4], mean[8], (mean[3] + mean[9]) / 2, float(np.max(mean[[3, 4, 6, 8, 9]])) - mean[0],
        float(np.mean(drums[:, 0])), float(min(np.mean(drums[::2, 0]), np.mean(drums[1::2, 0]))),
        float(np.mean(drums[:, between])), float(min(np.mean(grid[::2, 0, -1]), np.mean(grid[1::2, 0, -1]))),
        *(_same_after(drums.ravel(), lag) for lag in (12, 6, 4, 18, 8)),
    ]  # fmt: skip
    none = [0.0] * len(strikes)
    return [
        float(two), faster * two, faster**2 * two, faster * (not two), faster**2 * (not two),
        *(strikes if two else none), *(none if two else strikes),
    ]  # fmt: skip


def _same_after(values: Floats, lag: int) -> float:
    """How alike a row is to itself so many places later: a correlation."""
    away = values - values.mean()
    total = float(away @ away)
    return float(away[:-lag] @ away[lag:]) / total if total > 0 else 0.0


def _of_bar(
    grid: Floats, changes: Floats, alike: dict[int, float], parts: int, size: int, first: int
) -> list[float]:  # fmt: skip
    """What says that so many beats make a bar, and which is its first."""
    on = grid[:, 0]

    def of(values: Floats) -> list[float]:
        return [float(np.mean(values[(first + k) % size :: size])) for k in range(size)]

    chords, low, middle, whole = of(changes), of(on[:, LOW]), of(on[:, MIDDLE]), of(on[:, -1])
    high = of(on[:, -2])
    four, three, two = size == 4, size == 3, size == 2
    others = [alike[lag] for lag in (2, 3, 4) if lag != size and size % lag]
    return [
        float(two and parts == 2), float(three), float(two and parts == 3),
        _first_of(chords) * 4, _first_of(low), _first_of(whole),
        (low[0] + low[2] - low[1] - low[3]) / 2 if four else 0.0,
        (middle[1] + middle[3] - middle[0] - middle[2]) / 2 if four else 0.0,
        _first_of(low) if three else 0.0, (middle[1] + middle[2]) / 2 - middle[0] if three else 0.0,
        low[0] - low[1] if two else 0.0, middle[1] - middle[0] if two else 0.0,
        alike[size], max(others, default=0.0), float(np.mean(changes)), _first_of(high),
    ]  # fmt: skip


def _first_of(values: Sequence[float]) -> float:
    """By how much the first is above the others' mean."""
    return values[0] - sum(values[1:]) / (len(values) - 1)


def _alike(grid: Floats) -> dict[int, float]:
    """How alike the strikes of beats are that lie so many apart: a correlation."""
    rows = grid.reshape(len(grid), -1)
    rows = rows - rows.mean(axis=0)
    out = {}
    for lag in (2, 3, 4):
        if len(rows) <= 2 * lag:
            out[lag] = 0.0
            continue
        a, b = rows[:-lag], rows[lag:]
        out[lag] = float(np.sum(a * b) / (np.sqrt(np.sum(a**2) * np.sum(b**2)) + 1e-9))
    return out
