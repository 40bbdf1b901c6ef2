"""What happens inside one note: vibrato, and the bend with its kind, interval and measured points."""

import functools
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.listen.frames.contour import runs
from notcher.listen.frames.spectrum import HOP
from notcher.score.bend_goal import reached_in
from notcher.score.note import Bend, BendKind, Mark, Vibrato
from notcher.score.pitch import nearest_quarter

# Frames at a note's ends that are left out: the strike and the next finger.
_EDGE = 2
# Cents from which a pitch that moves may be bent: a small quarter step.
_LEAST_BEND = 34.0
# Share of a note after which a small bend is a curl.
_LATE = 0.45
# Cents: a half step less what it may fall short by.
_CURL_CENTS = 92.0
# Frames (30 ms) at a note's end that half a window of the next attack reaches, those (60 ms) that say whether the pitch
# rests before them, and the cents within which it does.
_TAIL, _BEFORE_TAIL, _RESTS_CENTS = 6, 12, 14.0
# Cents of a bend that is made again, and the shares of its span at which it is up and has been let down.
_LEAST_AGAIN, _UP_AGAIN, _DOWN_AGAIN = 70.0, 0.7, 0.35
# Cents that a bend's drawn points may lie off what was measured: under what is heard.
_POINT_TOLERANCE = 4.0
# Cents under which a goal is no more than a quarter step.
_SMALL_GOAL = 75.0
# Cents by which a bend may stay under its goal, and the least goal.
_PASSES_CENTS, _LEAST_GOAL = 45.0, 50
# Cents a frame (see _trimmed).
_STEP = 35.0
# Cents above the lowest at which a string was pushed before it was struck.
_PUSHED_AT_ONCE = 12.0
# Seconds, cents of what a bar does and a hand does not: down and back, up from below, deeper than a bend is released.
_DIP_S, _SCOOP_S, _DEEPEST_RELEASE = 0.16, 0.14, 460.0


@dataclass(frozen=True, slots=True)
class Shape:
    """The fretted pitch (MIDI), what bends it, how far the base lay from the fret in cents, and what the bar does."""

    pitch: int
    bend: Bend | None
    vibrato: Vibrato | None
    base_error: float
    by_the_bar: Mark | None = None


def read_shape(cents: NDArray[np.float64], *, lead_in: float = 0.0, fretted: int | None = None) -> Shape:
    """Read one note's contour.

    cents: shape (n,), n >= 1, cents above MIDI 0 with the recording's offset taken out, HOP apart, no NaN.
    lead_in: seconds between the note's onset and the first value. fretted: the fretted pitch where it is known because
    the string was still pushed from the note before.
    """
    first, last = _one_string(cents)
    cents, lead_in = cents[first:last], lead_in + first * HOP
    y = _smoothed(cents)
    wobble = find_vibrato(y)
    level = _without_vibrato(y, wobble)
    inner = level[_EDGE:-_EDGE] if len(level) > 4 * _EDGE else level
    steady = _running_median(inner, 9)
    low, high = float(np.min(steady)), float(np.max(steady))
    vibrato = (
        Vibrato(round(wobble.rate_hz, 2), round(wobble.extent_cents, 1), round(lead_in + wobble.start * HOP, 3))
        if wobble
        else None
    )
    if fretted is not None:
        return Shape(fretted, _still_pushed(cents, inner, y, fretted, lead_in), vibrato, 0.0)
    start, end = float(np.median(inner[:8])), float(np.median(inner[-8:]))
    kind = _bend_kind(inner, low, high, start, end) if high - low >= _LEAST_BEND and len(inner) >= 14 else None
    if kind is not None:
        by_the_bar = _held_but_for_the_bar(inner, kind, low, high)
        if by_the_bar is not None:
            pitch = round(by_the_bar / 100)
            return Shape(pitch, None, vibrato, by_the_bar - 100 * pitch, _bar_mark(kind, inner, low, high))
        base = _base(kind, inner, low, start, end)
        pitch = round(base / 100)
        top = float(np.max(inner)) - 100 * pitch if kind is BendKind.CURL else _goal(y[_EDGE:-_EDGE] - 100 * pitch)
        if kind is not BendKind.CURL and top < _SMALL_GOAL:
            # Of a quarter step, what stays of it for a while is asked: less is a finger that wavers.
            top = min(top, float(np.percentile(steady, 96)) - 100 * pitch)
        target = nearest_quarter(top)
        if 50 <= target <= 600:
            return Shape(pitch, Bend(kind, target, _points(cents - 100 * pitch, lead_in)), vibrato, base - 100 * pitch)
    middle = float(np.median(inner))
    pitch = round(middle / 100)
    return Shape(pitch, None, vibrato, middle - 100 * pitch)


def as_shown(bend: Bend | None) -> Bend | None:
    """A bend whose goal does not pass what its points show, as where the note ended before; None where too little is
    left of it."""
    if bend is None or not bend.points:
        return bend
    top = max(c for _, c in bend.points)
    if bend.target_cents <= top + _PASSES_CENTS:
        return bend
    goal = nearest_quarter(top)
    return replace(bend, target_cents=goal) if goal >= _LEAST_GOAL else None


def _goal(cents: NDArray[np.float64]) -> float:
    """The level that a bent string comes to: cents above its fret, frames HOP apart."""
    return reached_in(cents).goal


def _base(kind: BendKind, inner: NDArray[np.float64], low: float, start: float, end: float) -> float:
    """The level of the fret: where the note began or ended, or its lowest where a push began too soon to be seen."""
    match kind:
        case BendKind.HOLD:
            return low
        case BendKind.PRE_BEND_RELEASE:
            return end
        case _:
            lowest = float(np.min(_running_median(inner[: max(8, len(inner) // 3)], 3)))
            return lowest if start - lowest > _PUSHED_AT_ONCE else start


def _still_pushed(
    cents: NDArray[np.float64], inner: NDArray[np.float64], shaken: NDArray[np.float64], fretted: int, lead_in: float
) -> Bend | None:
    """The bend of a note picked while its string was still up: pushed on, let down, or held there."""
    start, end = float(np.median(inner[:6])) - 100 * fretted, float(np.median(inner[-6:])) - 100 * fretted
    top = nearest_quarter(_goal(shaken - 100 * fretted))
    if not 50 <= top <= 600:
        return None
    kind = BendKind.PRE_BEND
    if end - start > _LEAST_BEND / 2:
        kind = BendKind.STAGGERED
    elif start - end > _LEAST_BEND:
        kind = BendKind.PRE_BEND_RELEASE
    return Bend(kind, top, _points(cents - 100 * fretted, lead_in))


def _held_but_for_the_bar(inner: NDArray[np.float64], kind: BendKind, low: float, high: float) -> float | None:
    """The level of a note that is not bent but moved with the bar: dipped, dived, or scooped; None for a bend.

    A dip is short and comes back; a dive goes further than a pushed string lets down and does not rest; a scoop comes
    at once from between the frets.
    """
    span = high - low
    if kind is BendKind.HOLD:
        under = inner < high - 0.5 * span
        return high if np.mean(under) < 0.45 and max(b - a for a, b in runs(under)) * HOP < _DIP_S else None
    if kind is BendKind.PRE_BEND_RELEASE:
        still_falling = float(inner[-6] - inner[-1]) > 25 if len(inner) > 6 else False
        *before, (last, _) = runs(inner < high - 0.5 * span)
        dipped = any(0.03 < (b - a) * HOP < _DIP_S for a, b in before) and (len(inner) - last) * HOP < _DIP_S
        return high if span > _DEEPEST_RELEASE or (still_falling and span > 250) or dipped else None
    if kind is BendKind.BEND:
        arrived = int(np.argmax(inner > high - 0.1 * span)) * HOP
        between_frets = 108 < span < 165 and abs(high - 100 * round(high / 100)) < 15
        # The first frames still hold some of what sounded before.
        lowest = int(np.argmin(inner[:8]))
        return high if between_frets and arrived < _SCOOP_S and float(inner[lowest + 3] - inner[lowest]) > 8 else None
    return None


def _bar_mark(kind: BendKind, inner: NDArray[np.float64], low: float, high: float) -> Mark:
    """Which move of the bar it is: back up again, down to the end, or up from below at the start."""
    if kind is BendKind.BEND:
        return Mark.BAR_SCOOP
    stays_down = float(np.median(inner[-6:])) < high - 0.5 * (high - low)
    return Mark.BAR_DIVE if kind is BendKind.PRE_BEND_RELEASE and stays_down else Mark.BAR_DIP


def _one_string(cents: NDArray[np.float64]) -> tuple[int, int]:
    """Frames [first, last) without what still belongs to the note before or already to the next.

    A pushed string moves by 13 cents a frame at most; a step beyond _STEP near an end is another string or finger.
    """
    n = len(cents)
    reach = min(14, n // 3)
    steps = np.abs(np.diff(cents))
    first = max((k + 1 for k in range(reach) if k < len(steps) and steps[k] > _STEP), default=0)
    last = min((k + 1 for k in range(n - 1 - reach, n - 1) if k >= 0 and steps[k] > _STEP), default=n)
    return (first, last) if last - first >= 3 else (0, n)


def _bend_kind(level: NDArray[np.float64], low: float, high: float, start: float, end: float) -> BendKind | None:
    span = high - low
    start_up, end_up = start - low > 0.6 * span, end - low > 0.6 * span
    if not start_up and span >= _LEAST_AGAIN and _rises(level, low, span) > 1:
        return BendKind.AGAIN
    if not start_up and end_up:
        crossing = int(np.argmax(level > low + 0.5 * span))
        late = (len(level) - crossing) * HOP
        if span < _CURL_CENTS and late < 0.3 and crossing > _LATE * len(level):
            return BendKind.CURL
        return BendKind.BEND
    if start_up and not end_up:
        return BendKind.PRE_BEND_RELEASE
    if not start_up and not end_up:
        top = int(np.argmax(level))
        if span < _CURL_CENTS and (len(level) - top) * HOP < 0.16 and top > 0.6 * len(level):
            return BendKind.CURL
        return BendKind.BEND_RELEASE
    return BendKind.HOLD if span > 70 else None


def _rises(level: NDArray[np.float64], low: float, span: float) -> int:
    """How often a string is pushed up, having been let down."""
    count, up = 0, False
    for high in (level - low) / span:
        if not up and high > _UP_AGAIN:
            count, up = count + 1, True
        elif up and high < _DOWN_AGAIN:
            up = False
    return count


@dataclass(frozen=True, slots=True)
class Wobble:
    """A vibrato in frames: where it starts and ends, its rate and extent, and the levels of its troughs and tops."""

    start: int
    end: int
    rate_hz: float
    extent_cents: float
    trough: float
    top: float


def find_vibrato(y: NDArray[np.float64]) -> Wobble | None:
    """A vibrato in one note's contour, or None. y: smoothed cents HOP apart, shape (n,)."""
    return _wide_vibrato(y) or _narrow_vibrato(y)


def _wide_vibrato(y: NDArray[np.float64]) -> Wobble | None:
    """The longest chain of half-waves of 60 to 150 ms: four of 9 cents or more, or three of 22 cents or more.

    y: smoothed cents HOP apart, shape (n,).
    """
    best = _longest_chain(y)
    wide = len(best) == 4 and float(np.min(np.abs(np.diff(y[[k for k, _ in best]])))) >= 22
    if len(best) < 5 and not wide:
        return None
    at = np.array([k for k, _ in best])
    values = y[at]
    half = np.diff(at) * HOP
    rate = 1.0 / (2.0 * float(np.mean(half)))
    first = max(0, int(at[0] - np.mean(half) / HOP))
    last_frame = min(len(y), int(at[-1] + np.mean(half) / HOP))
    high = [v for v, (_, s) in zip(values, best, strict=True) if s > 0]
    low = [v for v, (_, s) in zip(values, best, strict=True) if s < 0]
    # Few extremes say the rate roughly; a sine wave over all of the stretch says it finely.
    sine = _sine_in(y[first:last_frame]) if last_frame - first >= _SHORTEST_VIBRATO else None
    if sine is not None and sine[2] > _FINE and abs(sine[0] - rate) < 0.8:
        rate = sine[0]
    # A moving average of 25 ms, as the contour had, takes sin(x)/x off a wave (boxcar response).
    x = np.pi * rate * _SMOOTH * HOP
    extent = float(np.median(np.abs(np.diff(values)))) / 2 / (np.sin(x) / x)
    return Wobble(first, last_frame, rate, extent, float(np.median(low)), float(np.median(high)))


def _longest_chain(y: NDArray[np.float64]) -> list[tuple[int, int]]:
    """(frame, 1 for a top and -1 for a trough) of the longest run of half-waves a hand could make."""
    from scipy import signal

    tops, _ = signal.find_peaks(y, prominence=8)
    troughs, _ = signal.find_peaks(-y, prominence=8)
    best: list[tuple[int, int]] = []
    chain: list[tuple[int, int]] = []
    for k, sign in sorted([(int(k), 1) for k in tops] + [(int(k), -1) for k in troughs]):
        chain = [*chain, (k, sign)] if chain and _goes_on(y, chain, k, sign) else [(k, sign)]
        if len(chain) > len(best):
            best = chain
    return best


def _goes_on(y: NDArray[np.float64], chain: list[tuple[int, int]], k: int, sign: int) -> bool:
    """Whether an extreme is the next half-wave of a chain: in time, the other way, and about as wide as the last."""
    at, before = chain[-1]
    swing = abs(y[k] - y[at])
    if sign == before or not 0.058 <= (k - at) * HOP <= 0.155 or not 9 <= swing <= 300:
        return False
    last = abs(y[at] - y[chain[-2][0]]) if len(chain) >= 2 else swing
    return bool(0.35 < swing / max(last, 1e-9) < 2.8)


def _narrow_vibrato(y: NDArray[np.float64]) -> Wobble | None:
    """The stretch that one sine wave of 3.8 to 8 Hz explains best beside a slow drift, by least squares, or None."""
    n = len(y)
    best: tuple[float, int, int, float, float] | None = None
    for length in _stretches(n):
        for first in sorted({*range(0, n - length + 1, _STRETCH_STEP), n - length}):
            found = _sine_in(y[first : first + length])
            if found is None:
                continue
            rate, extent, explained, drift = found
            turns = rate * length * HOP
            if explained < _EXPLAINED or turns < _LEAST_TURNS or drift > _MOST_DRIFT * extent:
                continue
            score = explained * np.sqrt(length)
            if _LEAST_EXTENT <= extent <= _MOST_EXTENT and (best is None or score > best[0]):
                best = (score, first, first + length, rate, extent)
    if best is None:
        return None
    _, first, last, rate, extent = best
    middle = float(np.median(y[first:last]))
    x = np.pi * rate * _SMOOTH * HOP
    return Wobble(first, last, rate, extent / (np.sin(x) / x), middle - extent, middle + extent)


def _stretches(n: int) -> list[int]:
    """Lengths in frames to look at, from the shortest vibrato up to the whole note."""
    lengths = [k for k in (52, 64, 80, 100, 128, 160, 220, 300) if k <= n]
    return lengths or ([n] if n >= _SHORTEST_VIBRATO else [])


@functools.cache
def _sines(length: int) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """A basis of slow drift (orthonormal, a parabola), and for each rate two orthonormal waves with no drift in
    them."""
    t = np.linspace(-1.0, 1.0, length)
    drift, _ = np.linalg.qr(np.stack([np.ones(length), t, t**2], axis=1))
    waves = []
    for rate in _RATES:
        phase = 2 * np.pi * rate * HOP * np.arange(length)
        pair = np.stack([np.cos(phase), np.sin(phase)], axis=1)
        pair = pair - drift @ (drift.T @ pair)
        waves.append(np.linalg.qr(pair)[0])
    return drift, np.stack(waves), np.asarray(_RATES)


def _sine_in(y: NDArray[np.float64]) -> tuple[float, float, float, float] | None:
    """Rate (Hz), extent (cents), the share of the variance beside the drift that one sine explains, the drift
    (cents)."""
    drift, waves, rates = _sines(len(y))
    slow = drift @ (drift.T @ y)
    rest = y - slow
    total = float(rest @ rest)
    if total < len(y):
        return None
    power = ((waves.transpose(0, 2, 1) @ rest) ** 2).sum(axis=1)
    k = int(np.argmax(power))
    if k in (0, len(rates) - 1):
        return None
    return float(rates[k]), float(np.sqrt(2 * power[k] / len(y))), float(power[k]) / total, float(np.ptp(slow))


# Hz of a hand's vibrato (about 4 to 8; common practice, no source), in steps finer than is heard.
_RATES = tuple(np.arange(3.4, 8.61, 0.1))
# Frames (40 ms) between the stretches that are tried, and the shortest: 220 ms, a turn at 4.5 Hz.
_STRETCH_STEP = 8
_SHORTEST_VIBRATO = 44
# Chosen on the development phrases.
_EXPLAINED, _LEAST_TURNS, _FINE = 0.8, 1.5, 0.7
_LEAST_EXTENT, _MOST_EXTENT, _MOST_DRIFT = 6.0, 45.0, 1.3
# Frames (25 ms) over which the contour is smoothed, which lessens a vibrato by what is put back.
_SMOOTH = 5


def _smoothed(cents: NDArray[np.float64]) -> NDArray[np.float64]:
    from scipy import ndimage

    return np.asarray(ndimage.uniform_filter1d(_running_median(cents, 3), _SMOOTH, mode="nearest"))


def _running_median(y: NDArray[np.float64], size: int) -> NDArray[np.float64]:
    from scipy import ndimage

    return np.asarray(ndimage.median_filter(y, size=min(size, len(y)), mode="nearest"))


def _without_vibrato(y: NDArray[np.float64], wobble: Wobble | None) -> NDArray[np.float64]:
    """The note with its vibrato laid flat at the level the string is held: a finger's vibrato can only raise an unbent
    string and mostly lets down a bent one, so the level is the trough or the top, whichever joins what came before."""
    if wobble is None:
        return y
    before = y[max(0, wobble.start - 12) : wobble.start]
    held = wobble.trough
    if len(before) >= 4:
        came_from = float(np.median(before))
        held = min((wobble.trough, wobble.top, (wobble.trough + wobble.top) / 2), key=lambda v: abs(v - came_from))
    flat = y.copy()
    flat[wobble.start : wobble.end] = held
    after = flat[wobble.end :]
    if len(after) and abs(float(np.median(after)) - held) < 2.4 * wobble.extent_cents:
        flat[wobble.end :] = held
    return flat


def _without_next_attack(cents: NDArray[np.float64]) -> NDArray[np.float64]:
    """A note whose pitch rests before its end goes on resting: what moves it in its last moment is the next note's
    attack, which the window takes in already."""
    rest = cents[-_TAIL - _BEFORE_TAIL : -_TAIL]
    if len(rest) < _BEFORE_TAIL or float(np.ptp(rest)) > _RESTS_CENTS:
        return cents
    level = float(np.median(rest))
    out = cents.copy()
    out[-_TAIL:] = np.clip(out[-_TAIL:], level - _RESTS_CENTS / 2, level + _RESTS_CENTS / 2)
    return out


def _points(cents: NDArray[np.float64], lead_in: float) -> tuple[tuple[float, float], ...]:
    """The fewest points whose straight lines stay within a few cents of the curve (Douglas and Peucker 1973)."""
    cents = _without_next_attack(cents)
    y = _running_median(cents, 3)
    keep = {0, len(y) - 1}
    stack = [(0, len(y) - 1)]
    while stack:
        a, b = stack.pop()
        if b - a < 2:
            continue
        line = np.linspace(y[a], y[b], b - a + 1)
        off = np.abs(y[a : b + 1] - line)
        k = a + int(np.argmax(off))
        if off[k - a] > _POINT_TOLERANCE:
            keep.add(k)
            stack += [(a, k), (k, b)]
    return tuple((round(lead_in + k * HOP, 3), round(float(y[k]), 1)) for k in sorted(keep))
