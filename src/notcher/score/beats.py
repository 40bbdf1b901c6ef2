"""Corrections of a tempo map, each a function that returns a new one: what a person says of beats and bars.

A beat is meant by its number in the map, counted from 0; times are seconds in the recording.
"""

import bisect
import itertools
import statistics
from collections.abc import Sequence
from dataclasses import replace

from notcher.score.errors import ScoreError
from notcher.score.tempo import TempoMap
from notcher.score.unit import Unit

_CLOSEST_S = 0.05
_TAP_NEAR = 0.45

FASTEST_BPM = 600
"""Beats a minute. Metronomes end at 208 to 300; eighths of a fast tempo counted one by one reach twice that (common
practice, no source)."""


def nearest_beat(tempo: TempoMap, time: float) -> int:
    """The beat that lies nearest to a time."""
    k = bisect.bisect_left(tempo.beats, time)
    around = [i for i in (k - 1, k) if 0 <= i < len(tempo.beats)]
    return min(around, key=lambda i: abs(tempo.beats[i] - time))


def move_beat(tempo: TempoMap, beat: int, time: float) -> TempoMap:
    """One beat put to a time, the others left; it stays between its neighbours.

    Raises ScoreError where there is no such beat or no room.
    """
    _there(tempo, beat)
    low = tempo.beats[beat - 1] + _CLOSEST_S if beat else 0.0
    high = tempo.beats[beat + 1] - _CLOSEST_S if beat + 1 < len(tempo.beats) else time
    if low >= high and beat + 1 < len(tempo.beats):
        raise ScoreError(
            "there is no room for the beat at {time:.2f} s between its neighbours; move those first", time=time
        )
    moved = min(max(time, low), max(high, low))
    return replace(tempo, beats=(*tempo.beats[:beat], moved, *tempo.beats[beat + 1 :]))


def move_bar_line(tempo: TempoMap, bar: int, time: float) -> TempoMap:
    """A bar's first beat put to a time; the beats of the bars on both sides are spread evenly again.

    Raises ScoreError where the map has no such bar line, or it would cross its neighbours.
    """
    beat = tempo.first_beat_of(bar)
    _there(tempo, beat)
    before, after = max(0, tempo.first_beat_of(bar - 1)), min(len(tempo.beats) - 1, tempo.first_beat_of(bar + 1))
    low = tempo.beats[before] + _CLOSEST_S * (beat - before) if before < beat else 0.0
    high = tempo.beats[after] - _CLOSEST_S * (after - beat) if after > beat else float("inf")
    if not low <= time <= high:
        raise ScoreError(
            "bar {bar} must begin between the bar before and the one after it, got {time:.2f} s", bar=bar, time=time
        )
    beats = list(tempo.beats)
    beats[beat] = time
    for a, b in ((before, beat), (beat, after)):
        for k in range(a + 1, b):
            beats[k] = beats[a] + (beats[b] - beats[a]) * (k - a) / (b - a)
    return replace(tempo, beats=tuple(beats))


def say_bar_one(tempo: TempoMap, time: float) -> TempoMap:
    """The beat nearest to a time begins bar 1; changes of metre keep the time at which they stand."""
    beat = nearest_beat(tempo, time)
    changes = [(tempo.first_beat_of(bar), size) for bar, size in tempo.changes]
    moved = replace(tempo, pickup=beat, changes=())
    for at, size in changes:
        bar = moved.bar_of(at)
        if bar >= 1:
            kept = tuple(c for c in moved.changes if c[0] < bar)
            moved = replace(moved, changes=(*kept, (bar, size)))
    return moved


def say_bar_length(tempo: TempoMap, bar: int, size: int, *, onwards: bool = False) -> TempoMap:
    """A bar has so many beats, alone or with all that follow it. Raises ScoreError for bar 0 or a wrong number."""
    if bar < 1:
        raise ScoreError("only bars from bar 1 on have a length of their own; say first where bar 1 is")
    if bar == 1 and onwards:
        return replace(tempo, beats_per_bar=size, changes=())
    usual = tempo.beats_in(bar)
    sizes = {b: s for b, s in tempo.changes if b < bar}
    later = {} if onwards else {b: s for b, s in tempo.changes if b > bar}
    sizes[bar] = size
    if not onwards and bar + 1 not in later:
        sizes[bar + 1] = usual
    return replace(tempo, changes=_without_needless(tempo.beats_per_bar, {**sizes, **later}))


def say_unit(tempo: TempoMap, unit: Unit) -> TempoMap:
    """Every beat is written as that: the bars keep their beats."""
    return replace(tempo, unit=unit)


def _without_needless(usual: int, sizes: dict[int, int]) -> tuple[tuple[int, int], ...]:
    out: list[tuple[int, int]] = []
    for bar in sorted(sizes):
        if sizes[bar] != (out[-1][1] if out else usual):
            out.append((bar, sizes[bar]))
    return tuple(out)


def twice_as_fast(tempo: TempoMap) -> TempoMap:
    """Every beat becomes two; a bar keeps its number of beats, so there are twice as many bars.

    Raises ScoreError where that is faster than anything is counted.
    """
    bpm = 120 / statistics.median(b - a for a, b in itertools.pairwise(tempo.beats))
    if bpm > FASTEST_BPM:
        raise ScoreError(
            "twice as fast would be {bpm:.0f} beats a minute; nothing is counted faster than {fastest_bpm}",
            bpm=bpm,
            fastest_bpm=FASTEST_BPM,
        )
    halves = [(a + b) / 2 for a, b in itertools.pairwise(tempo.beats)]
    beats = [t for pair in zip(tempo.beats, halves, strict=False) for t in pair] + [tempo.beats[-1]]
    return replace(tempo, beats=tuple(beats), pickup=2 * tempo.pickup, changes=())


def half_as_fast(tempo: TempoMap) -> TempoMap:
    """Two beats become one, so that bar 1 still begins where it did. Raises ScoreError for fewer than four beats."""
    if len(tempo.beats) < 4:
        raise ScoreError("only {n} beats are known; half of them would be too few for a tempo", n=len(tempo.beats))
    first = tempo.pickup % 2
    return replace(tempo, beats=tempo.beats[first::2], pickup=tempo.pickup // 2, changes=())


def tapped(tempo: TempoMap | None, taps: Sequence[float], *, duration: float) -> TempoMap:
    """The map with the beats that were tapped along in place of those in that stretch; from taps alone where there is
    none, carried on to the recording's ends.

    taps: seconds, in order. Raises ScoreError for fewer than four.
    """
    times = _even(sorted(taps))
    if len(times) < 4:
        raise ScoreError("tap at least four beats along, got {n}", n=len(times))
    step = statistics.median(b - a for a, b in itertools.pairwise(times))
    if tempo is None:
        before, t = [], times[0] - step
        while t > 0:
            before.append(t)
            t -= step
        after, t = [], times[-1] + step
        while t < duration:
            after.append(t)
            t += step
        return TempoMap((*reversed(before), *times, *after), 4, len(before) % 4)
    low, high = times[0] - _TAP_NEAR * step, times[-1] + _TAP_NEAR * step
    kept_before, kept_after = [t for t in tempo.beats if t < low], [t for t in tempo.beats if t > high]
    replaced = len(tempo.beats) - len(kept_before) - len(kept_after)
    shifted = len(times) - replaced
    pickup = tempo.pickup
    if pickup >= len(kept_before) + replaced:
        pickup = max(0, pickup + shifted)
    return replace(
        tempo, beats=(*kept_before, *times, *kept_after), pickup=min(pickup, len(kept_before) + len(times) - 1)
    )


def _even(taps: Sequence[float]) -> list[float]:
    """Taps without those that are no beat: two of one stroke, closer than 0.15 s."""
    out: list[float] = []
    for t in taps:
        if not out or t - out[-1] >= 0.15:
            out.append(t)
    return out


def _there(tempo: TempoMap, beat: int) -> None:
    if not 0 <= beat < len(tempo.beats):
        raise ScoreError("the map has {n} beats; there is none numbered {beat}", n=len(tempo.beats), beat=beat + 1)
