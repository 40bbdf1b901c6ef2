"""Which level a bent string comes to, and when: read from its curve without the vibrato that shakes it.

A hand that rests at the top before it shakes shows the level there; one that shakes at once shows it as the middle of
its waves. The crest of a wave is no goal.
"""

import functools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
STEP_S = 0.005
"""Seconds between two values of a curve."""
# Share of the highest from which the string is up, and under which it is let down again; share of its goal at which a
# bend counts as arrived (common practice, no source), and that it must then keep for so many seconds.
_UP, _LET_DOWN, _ARRIVED, _KEPT, _KEPT_S = 0.7, 0.3, 0.9, 0.6, 0.06
# Cents from which a wave is one, and seconds of half a wave: 2 to 9 Hz, slowed takes among them. Fewest of them.
_WAVE_CENTS, _HALF_WAVE_S, _FEWEST = 8.0, (0.05, 0.27), 3
# Seconds for which a string that rests stays within so many cents, and cents over that level that are an overshoot.
_RESTS_S, _RESTS_CENTS, _OVERSHOOT, _LONGER_THAN_A_CREST = 0.06, 7.0, 8.0, 1.3


@dataclass(frozen=True, slots=True)
class Reached:
    """goal: cents it came to; arrives: seconds from the curve's beginning at which it first stayed near that; held:
    seconds for which it did; shaken: whether a vibrato was read out of it."""

    goal: float
    arrives: float
    held: float
    shaken: bool


@functools.lru_cache(maxsize=4096)
def reached_by(points: tuple[tuple[float, float], ...]) -> Reached:
    """What a bend's points (seconds, cents), one at least, show."""
    if len(points) < 2 or points[-1][0] <= points[0][0]:
        return Reached(max(c for _, c in points), points[0][0], 0.0, shaken=False)
    times = np.arange(points[0][0], points[-1][0] + STEP_S / 2, STEP_S)
    found = reached_in(np.interp(times, [t for t, _ in points], [c for _, c in points]))
    top = max(c for _, c in points)
    # Between two values of the curve a point may be a hair higher.
    goal = top if not found.shaken and top - found.goal <= _OVERSHOOT else found.goal
    return Reached(goal, float(times[0]) + found.arrives, found.held, found.shaken)


def reached_in(cents: Floats) -> Reached:
    """What a curve shows: cents above the fret STEP_S apart, shape (n,), n >= 1."""
    top = float(np.percentile(cents, 97)) if len(cents) > 12 else float(np.max(cents))
    first, last = _up(cents, top)
    part = cents[first:last]
    waves = _waves(part)
    shaken = len(waves) >= _FEWEST
    goal = _shaken_goal(part, waves) if shaken else _held_level(part)
    arrives = _arrival(cents, goal)
    above = cents[arrives:] >= _KEPT * goal if shaken else cents[arrives:] >= _ARRIVED * goal
    held = len(above) if above.all() else int(np.argmin(above))
    return Reached(goal, arrives * STEP_S, max(0, held - 1) * STEP_S, shaken)


def _up(cents: Floats, top: float) -> tuple[int, int]:
    """Values [first, last) in which the string is up, the first time that it is for more than a moment."""
    if top <= 0:
        return 0, len(cents)
    up = cents >= _UP * top
    firsts = np.flatnonzero(up & np.append(True, ~up[:-1]))
    first = next((int(k) for k in firsts if up[k : k + round(_KEPT_S / STEP_S)].all()), int(np.argmax(cents)))
    down = np.flatnonzero(cents[first:] < _LET_DOWN * top)
    return first, first + int(down[0]) if len(down) else len(cents)


def _waves(part: Floats) -> list[int]:
    """Numbers of the values at which a vibrato turns, one after another."""
    turns: list[int] = []
    best: list[int] = []
    if len(part) < 8:
        return best
    low = high = 0
    rising: bool | None = None
    for k, value in enumerate(part):
        high, low = (k if value > part[high] else high), (k if value < part[low] else low)
        if rising is not False and part[high] - value >= _WAVE_CENTS:
            turns.append(high)
            rising, low = False, k
        elif rising is not True and value - part[low] >= _WAVE_CENTS:
            turns.append(low)
            rising, high = True, k
    chain: list[int] = []
    for k in turns:
        goes_on = chain and _HALF_WAVE_S[0] <= (k - chain[-1]) * STEP_S <= _HALF_WAVE_S[1]
        chain = [*chain, k] if goes_on else [k]
        if len(chain) > len(best):
            best = chain
    return best


def _shaken_goal(part: Floats, waves: Sequence[int]) -> float:
    """The level of a string that is shaken: where it rests before that, else the middle of the waves."""
    values = part[list(waves)]
    # The middle between each two turns weighs every half wave alike.
    middle = float(np.median((values[1:] + values[:-1]) / 2))
    low, high = float(np.min(values[:4])), float(np.max(values[:4]))
    # A crest stays near its top for a while, too: what rests does so for clearly longer.
    extent = max(float(np.median(np.abs(np.diff(values)))) / 2, _WAVE_CENTS / 2)
    half_wave = float(np.median(np.diff(waves))) * STEP_S
    crest = 2 * half_wave / np.pi * float(np.arccos(max(-1.0, 1 - _RESTS_CENTS / extent)))
    n = round(max(_RESTS_S, _LONGER_THAN_A_CREST * crest) / STEP_S)
    before = part[: waves[1]]
    for k in range(len(before) - n + 1):
        rest = before[k : k + n]
        level = float(np.median(rest))
        if np.ptp(rest) <= _RESTS_CENTS and low - _WAVE_CENTS <= level <= high + _WAVE_CENTS:
            return level
    return middle


def _held_level(part: Floats) -> float:
    """The level of a string that is not shaken: the highest it keeps for a moment; its highest where it keeps none."""
    n = round(_RESTS_S / STEP_S)
    highest = float(np.max(part))
    if len(part) < 2 * n:
        return highest
    windows = np.lib.stride_tricks.sliding_window_view(part, n)
    resting = windows[np.ptp(windows, axis=1) <= _RESTS_CENTS]
    levels = np.median(resting, axis=1) if len(resting) else np.zeros(0)
    levels = levels[levels >= highest - 60.0]
    if not len(levels):
        return highest
    held = float(np.max(levels))
    return highest if highest - held <= _OVERSHOOT else held


def _arrival(cents: Floats, goal: float) -> int:
    """Number of the first value that is near the goal, and not by a passing noise."""
    near = cents >= _ARRIVED * goal
    keeps = round(_KEPT_S / STEP_S)
    for k in np.flatnonzero(near):
        if (cents[k : k + keeps] >= _KEPT * goal).all():
            return int(k)
    return int(np.argmax(cents))
