"""Where onsets are written in the bar: a search over the passage that weighs simplicity against deviation.

Beats are divided into groups (a beat in one, two, three ... eight parts, or two beats in three). Every onset may lie on
any point of any group near it; the way through them that costs least is found as a whole (Viterbi 1967), so that no
note is rounded alone: a division is paid for once a beat, a change of it once more, odd values and syncopations a
little, and each onset by how far it lies from where it is written, in units of what a good player's hand wavers.
"""

import functools
import itertools
import math
from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from notcher.rhythm.grid import Clock, States, finest_of, tuplets_of
from notcher.score.note import struck_together
from notcher.score.tempo import TempoMap
from notcher.score.unit import Unit
from notcher.stopping import look_for_stop

EVEN = 0.5
"""Where the second half of a beat lies that is not swung."""
# Costs are in nats; chosen on generated bars (benchmarks/bars.py, its development seed).
_DIVISIONS = {1: 0.0, 2: 0.3, 4: 0.9, 3: 1.7, 6: 2.6, 8: 4.2, 5: 3.6, 7: 4.6}
_DIVISIONS_OF_THREES = {1: 0.0, 3: 0.3, 6: 0.9, 2: 2.2, 4: 3.2, 12: 4.2, 5: 3.6, 7: 4.6}
_OVER_TWO_COST = 4.2
_CHANGE, _TUPLET_CHANGE = 0.3, 0.9
_GRACE_S, _GRACE_COST = 0.11, 5.0
_MOST_GRACES = 2
_SAID_GRACE = 1e3
# Only where what was decided leaves no other way.
_OUT_OF_ORDER = 1e6
_APART_S = 0.06
_DRIFT_NOTES, _PASSES, _SETTLED_S = 9, 3, 0.004
_MOST_DRIFT_S = 0.06


@dataclass(frozen=True, eq=False)
class _Prices:
    """What the ways of cutting a beat cost: by its parts, and which are written in tuplets; finest: the most parts
    that are no tuplet's; threes: whether beats fall into three."""

    cost: NDArray[np.float64]
    tuplet: NDArray[np.bool_]
    finest: int
    threes: bool

    @classmethod
    @functools.cache
    def of(cls, unit: Unit) -> "_Prices":
        named = _DIVISIONS_OF_THREES if unit.in_threes else _DIVISIONS
        most = max(named)
        tuplets = tuplets_of(unit)
        return cls(
            np.array([named.get(d, 0.0) for d in range(most + 1)]), np.array([d in tuplets for d in range(most + 1)]),
            finest_of(unit), unit.in_threes,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Place:
    """Where an onset is written. start: beats from the tempo map's first; division: the parts its group is cut into;
    group, span: the group's first beat and how many it takes; late: seconds it was played after that (negative:
    before); grace: whether it only leads to the next one, on whose place it is written."""

    start: Fraction
    division: int
    group: int
    span: int
    late: float
    grace: bool = False


def clusters(onsets: Sequence[float]) -> list[list[int]]:
    """Numbers of the onsets that start together, in time order. onsets: seconds, in order."""
    out: list[list[int]] = []
    for i, t in enumerate(onsets):
        if out and struck_together(onsets[out[-1][0]], t):
            out[-1].append(i)
        else:
            out.append([i])
    return out


def quantize(
    onsets: Sequence[float],
    tempo: TempoMap,
    *,
    fixed: Mapping[int, Fraction] | None = None,
    graces: Set[int] = frozenset(),
    swing: float = EVEN,
) -> list[Place]:
    """Write each onset (seconds, in time order) on the beats of a tempo map; onsets that start together share a place.

    fixed: places the person decided, by the onset's number, in beats from the map's first; the others settle around
    them. graces: numbers of onsets that were said to be grace notes. swing: where the second of two eighths is played,
    as a share of the beat (0.5: even); it is written at half.
    """
    groups = clusters(onsets)
    if not groups:
        return []
    times = np.array([float(np.mean([onsets[i] for i in g])) for g in groups])
    held = _in_order({k: fixed[i] for k, g in enumerate(groups) for i in g if fixed and i in fixed})
    said = {k for k, g in enumerate(groups) if all(i in graces for i in g) and k not in held and k + 1 < len(groups)}
    pushed = _pushed(times, tempo, held)
    places = _search(times - pushed, tempo, held, said, swing)
    if len(places) >= 2 * _DRIFT_NOTES:
        # A player who drags or rushes a while does so on purpose: what is common to neighbours is not their deviation.
        drift = np.zeros(len(places))
        for _ in range(_PASSES):
            more = _drift(np.array([p.late for p in places])) - drift
            if np.max(np.abs(more)) < _SETTLED_S:
                break
            drift = drift + more
            found = _search(times - pushed - drift, tempo, held, said, swing)
            places = [replace(p, late=p.late + float(d)) for p, d in zip(found, drift, strict=True)]
    places = [replace(p, late=p.late + float(x)) for p, x in zip(places, pushed, strict=True)]
    out: list[Place] = [places[0]] * len(onsets)
    for g, p in zip(groups, places, strict=True):
        for i in g:
            out[i] = p
    return out


def _in_order(held: Mapping[int, Fraction]) -> dict[int, Fraction]:
    """What was decided, without places that lie before, or on, an earlier note's."""
    out: dict[int, Fraction] = {}
    for k in sorted(held):
        if not out or held[k] > max(out.values()):
            out[k] = held[k]
    return out


def _pushed(times: NDArray[np.float64], tempo: TempoMap, held: Mapping[int, Fraction]) -> NDArray[np.float64]:
    """Seconds by which to hear each onset earlier so that notes lie after those held before them and before those held
    after them."""
    moved = times.copy()
    for k, place in held.items():
        moved[k] = tempo.time_at(float(place))
    for order, sign in ((range(1, len(moved)), 1), (range(len(moved) - 2, -1, -1), -1)):
        for k in order:
            beside = k - sign
            if k not in held and moved[beside] != times[beside]:
                limit = moved[beside] + sign * _APART_S
                moved[k] = max(moved[k], limit) if sign > 0 else min(moved[k], limit)
    return times - moved


def find_swing(onsets: Sequence[float], tempo: TempoMap) -> float:
    """Where off-beat eighths lie on the whole, as a share of the beat; 0.5 where they are even or too few to tell, or
    beats fall into three."""
    if tempo.unit.in_threes:
        return EVEN
    shares = []
    positions = [tempo.beat_at(onsets[g[0]]) for g in clusters(onsets)]
    for beat, inside in itertools.groupby(positions, key=lambda p: math.floor(p + 0.08)):
        parts = [p - beat for p in inside]
        if len(parts) == 2 and abs(parts[0]) < 0.1 and 0.4 < parts[1] < 0.75:
            shares.append(parts[1])
    if len(shares) < 6:
        return EVEN
    middle = float(np.median(shares))
    return middle if 0.57 < middle < 0.72 and float(np.mean(np.abs(np.array(shares) - middle) < 0.06)) > 0.7 else EVEN


def _drift(late: NDArray[np.float64]) -> NDArray[np.float64]:
    """What is common to neighbours: a running median, smoothed. In numpy, as this is asked while one edits and scipy's
    filters take half a second to load."""
    smooth = np.mean(_windows(np.median(_windows(late), axis=1)), axis=1)
    return np.asarray(np.clip(smooth, -_MOST_DRIFT_S, _MOST_DRIFT_S))


def _windows(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """_DRIFT_NOTES values around each, the ends repeated, shape (n, _DRIFT_NOTES)."""
    padded = np.pad(values, _DRIFT_NOTES // 2, mode="edge")
    return np.lib.stride_tricks.sliding_window_view(padded, _DRIFT_NOTES)


def _search(
    times: NDArray[np.float64], tempo: TempoMap, held: Mapping[int, Fraction], said: Set[int], swing: float
) -> list[Place]:
    clock = Clock(tempo, swing)
    prices = _Prices.of(tempo.unit)
    states = [clock.states(float(t), held.get(k)) for k, t in enumerate(times)]
    total: list[NDArray[np.float64]] = []
    back: list[tuple[NDArray[np.int64], NDArray[np.int64]]] = []
    for k, s in enumerate(states):
        look_for_stop()
        best = _division_cost(s, prices) if k == 0 else np.full(len(s.cost), np.inf)
        origin, skipped = np.full(len(s.cost), -1), np.zeros(len(s.cost), np.int64)
        dear = 0.0
        for graces in range(k + 1):
            before = k - 1 - graces
            if graces:
                first = before + 1
                if first not in said and (graces > _MOST_GRACES or not _may_be_grace(times, first, held)):
                    break
                dear += -_SAID_GRACE if first in said else _GRACE_COST
            if before < 0:
                way, at = _division_cost(s, prices) + dear, np.full(len(s.cost), -1)
                better = way < best if graces else np.zeros(len(s.cost), bool)
            else:
                full = total[before][:, None] + _steps(states[before], s, prices) + dear
                at = np.argmin(full, axis=0)
                way = full[at, np.arange(full.shape[1])]
                better = way < best
            best = np.where(better, way, best)
            origin, skipped = np.where(better, at, origin), np.where(better, graces, skipped)
        total.append(best + s.cost)
        back.append((origin, skipped))
    return _traced(times, clock, states, total, back)


def _traced(
    times: NDArray[np.float64], clock: Clock, states: list[States], total: list[NDArray[np.float64]],
    back: list[tuple[NDArray[np.int64], NDArray[np.int64]]],
) -> list[Place]:  # fmt: skip
    out: list[Place | None] = [None] * len(times)
    k, at = len(times) - 1, int(np.argmin(total[-1]))
    while k >= 0:
        s = states[k]
        start = Fraction(int(s.group[at])) + Fraction(int(s.slot[at] * s.span[at]), int(s.division[at]))
        division, group, span = int(s.division[at]), int(s.group[at]), int(s.span[at])
        where = float(clock.seconds(s.start[at : at + 1], s.division[at : at + 1])[0])
        out[k] = Place(start, division, group, span, float(times[k]) - where)
        origin, graces = int(back[k][0][at]), int(back[k][1][at])
        for g in range(k - graces, k):
            out[g] = Place(start, division, group, span, float(times[g]) - where, grace=True)
        k, at = k - 1 - graces, origin
    assert all(p is not None for p in out)
    return [p for p in out if p is not None]


def _may_be_grace(times: NDArray[np.float64], k: int, held: Mapping[int, Fraction]) -> bool:
    """Whether an onset lies so close before the next that it may be a grace note."""
    return bool(times[k + 1] - times[k] < _GRACE_S) and k not in held


def _division_cost(s: States, prices: _Prices) -> NDArray[np.float64]:
    return np.asarray(np.where(s.span == 2, _OVER_TWO_COST, prices.cost[s.division]))


def _steps(a: States, b: States, prices: _Prices) -> NDArray[np.float64]:
    """What it costs to go from each place of one onset to each of the next, shape (n of a, n of b)."""
    ahead = b.start[None, :] - a.start[:, None]
    same = (
        (a.group[:, None] == b.group[None, :])
        & (a.span[:, None] == b.span[None, :])
        & (a.division[:, None] == b.division[None, :])
    )
    later = b.group[None, :] >= (a.group + a.span)[:, None]
    cost = np.where(same, 0.0, _division_cost(b, prices)[None, :])
    changed = ~same & ((a.division[:, None] != b.division[None, :]) | (a.span[:, None] != b.span[None, :]))
    tuplet_a, tuplet_b = prices.tuplet[a.division], prices.tuplet[b.division]
    cost = cost + changed * np.where(tuplet_a[:, None] | tuplet_b[None, :], _TUPLET_CHANGE, _CHANGE)
    # Going on in the same tuplet is what a run does.
    cost = cost - (~same & ~changed & tuplet_b[None, :] & (b.group[None, :] == (a.group + a.span)[:, None])) * 0.5
    cost = cost + _value_cost(ahead, a, same, prices)
    return np.where((ahead > 1e-6) & (same | later), cost, _OUT_OF_ORDER)


def _value_cost(ahead: NDArray[np.float64], a: States, same: NDArray[np.bool_], prices: _Prices) -> NDArray[np.float64]:
    """How odd the value from one onset to the next is."""
    tuplet = prices.tuplet[a.division][:, None]
    parts = ahead * a.division[:, None] / a.span[:, None]
    # Fives and sevens come as whole runs; of threes and sixes some are joined.
    whole = ((a.division == 5) | (a.division == 7))[:, None]
    within = np.where(parts < 1.5, 0.0, np.where(whole, 2.0, 0.5))
    out_of = np.where((a.division - a.slot)[:, None] > 1.5, 0.9, 0.0)
    in_tuplets = np.where(same, within, out_of)
    sixteenths = ahead * (6 if prices.threes else 4)
    simple, dotted = _is_power_of_two(sixteenths), _is_power_of_two(sixteenths / 1.5)
    if prices.threes:
        # Whole beats are dotted values.
        simple = simple | (dotted & (np.abs(ahead - np.round(ahead)) < 1e-6))
    off = np.abs(a.start - np.round(a.start))[:, None] > 1e-6
    crosses = off & (np.floor(a.start + 1e-6)[:, None] + 1 < a.start[:, None] + ahead - 1e-6)
    finest = ((a.division == prices.finest) & (a.slot % 2 == 1))[:, None] & (ahead > 0.13)
    plain = np.where(simple, 0.0, np.where(dotted, 0.4, 0.8)) + 0.4 * crosses + 1.5 * finest
    return np.where(tuplet, in_tuplets, plain)


def _is_power_of_two(x: NDArray[np.float64]) -> NDArray[np.bool_]:
    """From a half to sixteen."""
    log = np.log2(np.clip(x, 0.25, 64.0))
    return np.asarray((np.abs(log - np.round(log)) < 0.01) & (x > 0.4) & (x < 17.0))
