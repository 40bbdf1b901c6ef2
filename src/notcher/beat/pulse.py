"""A steady pulse through a recording's rises: which tempos come into question, and where the beats of one lie.

Beats are found by dynamic programming over the time of a beat and the interval before it (as Ellis 2007, but with the
interval in the state, so that only its changes are paid for), then drawn as a line of few bends: a tempo that stays
costs nothing, each bend of the line must explain the rises better by what it costs.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from notcher.beat.rises import STEP_S, Rises
from notcher.stopping import look_for_stop

Floats = NDArray[np.float64]
# Steps of the rises that are one of the search, and its values a second.
_PER = 5
_RATE = 1.0 / (_PER * STEP_S)
SLOWEST_BPM, FASTEST_BPM = 38.0, 230.0
"""Between which a beat is one."""
# Seconds of sound in which a tempo is looked for, and between the beginnings of two of them.
_TEMPO_S, _TEMPO_STEP_S = 8.0, 2.0
# How many periods of the strongest are taken, and which of their multiples (in thirds and halves) may be the beat.
_STRONGEST = 4
_MULTIPLES = (1.0, 2.0, 0.5, 3.0, 1 / 3, 1.5, 2 / 3)
_SAME = 0.04
# By how much the interval may differ from the period that was asked for; costs of a change by a step of the search (at
# a period of _AT steps) and by more than that; what a beat must be above the mean to be worth it.
_SPREAD, _STEP_COST, _CHANGE_COST, _AT, _WORTH = 0.18, 0.3, 0.6, 60.0, 0.3
# Share of a period by which a steady one may be off.
_NEXT_TO = 0.02
# Each drawing of the line: ms over which rises are smoothed, around the beats in which it may run, and of its grid.
_DRAWN = ((10.0, 60.0, 1.0, 6.0), (4.0, 20.0, 0.5, 2.0))
# What a bend of the line costs, in well explained beats; beats between two bends.
_BEND, _LENGTHS = 0.8, (1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 64, 128, 256)
# Beats up to which a line from the very first is tried at each.
_MANY = 16
# Share of all values that are weaker than what explains wholly, and share of that at which half is explained.
_STRONG, _HALF = 97.0, 0.35
# Seconds by which the middle of a rise lies after its beginning.
_RISING_S = 0.001


def periods(heard: Rises) -> list[float]:
    """Seconds of the beats that come into question, from the autocorrelation of the rises and its multiples."""
    strength = _slow(heard)
    window, step = round(_TEMPO_S * _RATE), round(_TEMPO_STEP_S * _RATE)
    longest = min(round(2 * 60 / SLOWEST_BPM * _RATE), len(strength) // 2)
    total = np.zeros(longest + 1)
    for at in range(0, max(1, len(strength) - window // 2), step):
        look_for_stop()
        part = strength[at : at + window]
        part = part - np.mean(part)
        spectrum = np.fft.rfft(part, 2 * window)
        same = np.fft.irfft(np.abs(spectrum) ** 2)[: longest + 1]
        total += same / (same[0] + 1e-9)
    shortest = round(60 / FASTEST_BPM * _RATE)
    peaks = [
        k for k in range(shortest, longest) if total[k] > total[k - 1] and total[k] >= total[k + 1] and total[k] > 0
    ]
    peaks.sort(key=lambda k: -total[k])
    out: list[float] = []
    for k in peaks[:_STRONGEST]:
        a, b, c = total[k - 1], total[k], total[k + 1]
        exact = k + 0.5 * (a - c) / (a - 2 * b + c)
        for multiple in _MULTIPLES:
            period = exact * multiple / _RATE
            if 60 / FASTEST_BPM <= period <= 60 / SLOWEST_BPM and all(abs(period / p - 1) > _SAME for p in out):
                out.append(float(period))
    return out


def beats_of(heard: Rises, period: float) -> Floats:
    """The beats that follow one another by about a period (seconds), shape (n,): seconds."""
    strength = _slow(heard)
    return np.asarray((_followed(strength, period * _RATE) * _PER + _PER / 2) * STEP_S, np.float64)


def steady_beats(heard: Rises, period: float) -> Floats:
    """Beats that all lie as far apart, as a machine's do, at the tempo next to a period (seconds) that fits best over
    the whole recording, shape (n,): seconds."""
    strength = _slow(heard)
    n = len(strength)
    size = 1 << (2 * n - 1).bit_length() + 1
    spectrum = np.abs(np.fft.rfft(strength - np.mean(strength), size))
    usual = size / (period * _RATE)
    low, high = int(usual * (1 - _NEXT_TO)), int(np.ceil(usual * (1 + _NEXT_TO)))
    at = np.arange(max(1, low), min(high, len(spectrum) // 2 - 1) + 1)
    # With its octave, so that a wide peak is told finely.
    k = int(at[np.argmax(spectrum[at] + spectrum[2 * at])])
    apart = size / k
    starts = np.arange(0.0, apart, 1.0)
    count = int((n - 1) / apart)
    grid = starts[:, None] + apart * np.arange(count)[None, :]
    worth = np.interp(grid, np.arange(n), strength).sum(axis=1)
    return np.asarray((grid[int(np.argmax(worth))] * _PER + _PER / 2) * STEP_S, np.float64)


def drawn(heard: Rises, beats: Floats) -> Floats:
    """The beats on a line of few bends through the rises, shape (n,): seconds."""
    if len(beats) < 3:
        return beats
    for smooth, reach, fine, grid in _DRAWN:
        explained, offsets = explains(heard, beats, smooth, reach, fine)
        beats = _line(explained, offsets, beats, grid)
    return beats - _RISING_S


def explains(heard: Rises, times: Floats, smooth_ms: float, reach_ms: float, step_ms: float) -> tuple[Floats, Floats]:
    """How well a rise around each time explains it, 0 to little over 1, shape (n, m), and m offsets in ms."""
    from scipy import ndimage

    smooth = ndimage.gaussian_filter1d(heard.whole, smooth_ms / 1000 / STEP_S)
    # What is strong counts little more than what is less so, but its top stays a top.
    smooth = smooth / (smooth + _HALF * np.percentile(smooth, _STRONG) + 1e-9) * (1 + _HALF)
    offsets = np.arange(-reach_ms, reach_ms + step_ms / 2, step_ms)
    at = (times[:, None] + offsets[None, :] / 1000) / STEP_S - 0.5
    return np.interp(at, np.arange(len(smooth)), smooth), offsets


def _slow(heard: Rises) -> Floats:
    from scipy import ndimage

    n = len(heard.whole) // _PER
    smooth = ndimage.gaussian_filter1d(heard.whole, float(_PER))
    return np.asarray(smooth[: n * _PER].reshape(n, _PER).max(axis=1))


def _followed(strength: Floats, period: float) -> NDArray[np.int64]:
    """Numbers of the values on which beats lie, about `period` values apart."""
    low, high = max(8, int(period * (1 - _SPREAD))), int(np.ceil(period * (1 + _SPREAD)))
    steps = np.arange(low, high + 1)
    unit = _AT / period
    away = np.abs(steps[:, None] - steps[None, :])
    cost = _CHANGE_COST * (np.maximum(0, away - 1) * unit) ** 2 + _STEP_COST * away * unit
    usual = -0.004 * np.abs(steps - period) * unit
    worth = strength - np.mean(strength) - _WORTH
    n, m = len(strength), len(steps)
    total, back = np.zeros((n, m)), np.full((n, m), -1, np.int16)
    every = np.arange(m)
    for t in range(n):
        if t % 5000 == 0:
            look_for_stop()
        before = t - steps
        ways = total[np.maximum(before, 0)] - cost
        best = np.argmax(ways, axis=1)
        begins = before < 0
        total[t] = worth[t] + np.where(begins, 0.0, ways[every, best]) + usual
        back[t] = np.where(begins, -1, best)
    tail = range(max(0, n - int(period)), n)
    t = max(tail, key=lambda k: float(total[k].max()))
    at = int(np.argmax(total[t]))
    beats = [t]
    while (origin := int(back[t, at])) >= 0:
        t, at = t - int(steps[at]), origin
        beats.append(t)
    return np.array(beats[::-1])


def _line(explained: Floats, offsets: Floats, beats: Floats, grid_ms: float) -> Floats:
    """The line of few bends that explains the most, around some beats."""
    n, grid = len(beats), np.arange(offsets[0], offsets[-1] + 0.1, grid_ms)
    best = np.full((n, len(grid)), -np.inf)
    best[0] = 0.0
    from_beat, from_place = np.zeros((n, len(grid)), np.int64), np.zeros((n, len(grid)), np.int64)
    every = np.arange(len(grid))
    for j in range(1, n):
        look_for_stop()
        for length in _lengths_to(j, n):
            i = j - length
            worth = _explained_between(explained, offsets, beats, grid, i, j) + best[i][:, None] - _BEND
            place = np.argmax(worth, axis=0)
            value = worth[place, every]
            better = value > best[j]
            best[j][better], from_beat[j][better], from_place[j][better] = value[better], i, place[better]
    j, place = n - 1, int(np.argmax(best[-1]))
    bends = [(j, beats[j] + grid[place] / 1000)]
    while j > 0:
        j, place = int(from_beat[j, place]), int(from_place[j, place])
        bends.append((j, beats[j] + grid[place] / 1000))
    bends.reverse()
    return np.asarray(np.interp(np.arange(n), [k for k, _ in bends], [t for _, t in bends]))


def _lengths_to(j: int, n: int) -> Sequence[int]:
    """Beats back from one to where the bend before it may lie."""
    lengths = [length for length in _LENGTHS if length < j]
    # From the very first: where all is steady so far, asked now and then.
    return [*lengths, j] if j <= _MANY or j % 16 == 0 or j == n - 1 else lengths


def _explained_between(
    explained: Floats, offsets: Floats, beats: Floats, grid: Floats, i: int, j: int
) -> Floats:  # fmt: skip
    """What straight lines from beat i to beat j explain, by their places on the grid at both, shape (g, g). The first
    beat of the line counts only where it is the first of all."""
    numbers = np.arange(i + 1 if i else 0, j + 1)
    share = (numbers - i) / (j - i)
    straight = 1000 * (beats[i] + (beats[j] - beats[i]) * share - beats[numbers])
    step = offsets[1] - offsets[0]
    out = np.zeros((len(grid), len(grid)))
    for k, part, base in zip(numbers, share, straight, strict=True):
        place = base + (1 - part) * grid[:, None] + part * grid[None, :]
        at = np.rint((place - offsets[0]) / step).astype(np.int64)
        inside = (at >= 0) & (at < len(offsets))
        out += np.where(inside, explained[k][np.clip(at, 0, len(offsets) - 1)], 0.0)
    return out
