"""Note values: each beat takes the simplest grid that its onsets fit, and durations are spelled in tied values."""

import math
from dataclasses import dataclass

from notcher.score.note import Note
from notcher.score.tempo import TempoMap

TICKS = 24
"""Steps of a beat: they hold thirty-second notes and sextuplets alike."""

_GRIDS = ((24, 0.0), (12, 0.010), (6, 0.022), (8, 0.030), (4, 0.045), (3, 0.075))
"""(ticks between grid points, cost of using that grid) from plain beats to thirty-seconds."""

_VALUES = {
    96: ("whole", 0, False), 72: ("half", 1, False), 48: ("half", 0, False), 36: ("quarter", 1, False),
    24: ("quarter", 0, False), 18: ("eighth", 1, False), 12: ("eighth", 0, False), 9: ("16th", 1, False),
    6: ("16th", 0, False), 3: ("32nd", 0, False), 16: ("quarter", 0, True), 8: ("eighth", 0, True),
    4: ("16th", 0, True),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Value:
    """A written value: ticks, type name as MusicXML has it, dots, and whether three stand for two."""

    ticks: int
    type: str
    dots: int
    triplet: bool


@dataclass(frozen=True, slots=True)
class Event:
    """Notes that start together on a tick (from the first bar's start) and sound for some ticks; none is a rest."""

    tick: int
    ticks: int
    notes: tuple[Note, ...]


def nominal_map(end: float) -> TempoMap:
    """A map of half-second beats from 0, for files that need one where no beat is known."""
    return TempoMap.steady(120.0, first_beat=0.0, count=max(2, math.ceil(end / 0.5) + 2))


def events(notes: tuple[Note, ...], tempo: TempoMap, *, first_bar_beat: int) -> list[Event]:
    """Notes on the grid, with rests between, from the bar that starts `first_bar_beat` beats into the map.

    Each beat takes the grid with the least mean distance plus its cost; notes within 30 ms share a tick. One voice: a
    note that rings over the next is cut there, as tab without voices is written.
    """
    if not notes:
        return []
    positions = [tempo.beat_at(n.onset) - first_bar_beat for n in notes]
    ticks = _on_grid(positions)
    groups: dict[int, list[Note]] = {}
    previous: tuple[int, float] | None = None
    for n, tick in zip(notes, ticks, strict=True):
        if previous and n.onset - previous[1] < 0.03:
            tick = previous[0]
        elif previous:
            tick = max(tick, previous[0] + 1)
        groups.setdefault(tick, []).append(n)
        previous = (tick, n.onset)
    starts = sorted(groups)
    out: list[Event] = []
    at = 0
    for i, tick in enumerate(starts):
        if tick > at:
            out.append(Event(at, tick - at, ()))
        end_beat = tempo.beat_at(max(n.end for n in groups[tick])) - first_bar_beat
        limit = starts[i + 1] if i + 1 < len(starts) else math.ceil(max(end_beat * TICKS, tick + 1) / 3) * 3
        end = min(limit, max(tick + 1, round(end_beat * TICKS / 3) * 3))
        # A short breath before the next note is how it is played, not how it is written.
        if limit - end <= TICKS // 4:
            end = limit
        out.append(Event(tick, end - tick, tuple(groups[tick])))
        at = end
    return out


def _on_grid(positions: list[float]) -> list[int]:
    by_beat: dict[int, list[float]] = {}
    for p in positions:
        by_beat.setdefault(math.floor(p + 0.06), []).append(p)
    grid = {
        beat: min(_GRIDS, key=lambda g: g[1] + _misfit([p - beat for p in inside], g[0]))[0]
        for beat, inside in by_beat.items()
    }
    out = []
    for p in positions:
        beat = math.floor(p + 0.06)
        step = grid[beat]
        out.append(max(0, beat * TICKS + round((p - beat) * TICKS / step) * step))
    return out


def _misfit(fractions: list[float], step: int) -> float:
    ticks = [f * TICKS for f in fractions]
    snapped = [round(t / step) * step for t in ticks]
    distance = sum(abs(t - s) for t, s in zip(ticks, snapped, strict=True)) / len(ticks) / TICKS
    collisions = len(snapped) - len(set(snapped))
    return distance + 0.2 * collisions


def spell(ticks: int, *, at: int = 0) -> list[Value]:
    """Values that add up to a length, largest first; a length no value makes keeps its ticks as odd thirty-seconds.

    at: tick the length starts on; a value does not cross the next beat unless it starts on one.
    """
    out: list[Value] = []
    left = ticks
    while left > 0:
        room = left if at % TICKS == 0 else min(left, TICKS - at % TICKS)
        size = max((v for v in _VALUES if v <= room and _fits(v, at)), default=0)
        if size == 0:
            out.append(Value(room, "32nd", 0, False))
            size = room
        else:
            out.append(Value(size, *_VALUES[size]))
        left -= size
        at += size
    return out


def _fits(value: int, at: int) -> bool:
    triplet = _VALUES[value][2]
    return at % 4 == 0 if triplet else at % 3 == 0


def count_bars(tempo: TempoMap, first: float, last: float) -> tuple[int, int]:
    """First bar number holding `first` seconds, and how many bars it takes to hold `last`."""
    low, _ = tempo.bar_and_beat(first)
    high, _ = tempo.bar_and_beat(max(first, last - 0.02))
    return low, high - low + 1
