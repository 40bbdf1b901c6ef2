"""Note values: from the places that quantize finds to events with lengths, spelled in tied values."""

import bisect
import functools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction

from notcher.rhythm.grid import tuplets_of
from notcher.rhythm.quantize import Place, find_swing, quantize
from notcher.score.note import Mark, Note
from notcher.score.tempo import TempoMap
from notcher.score.unit import QUARTER, Unit

TICKS = 840
"""Steps of a beat: they hold thirty-seconds, triplets, quintuplets and septuplets alike."""

_TYPES = ("whole", "half", "quarter", "eighth", "16th", "32nd", "64th")
_TOO_LONG_OR_SHORT = {("whole", 1), ("32nd", 1), ("64th", 1)}
_QUARTERS = {name: Fraction(4, 2**k) for k, name in enumerate(_TYPES)}
# Of a tuplet's parts taken together: what they are in parts of a quarter, eighth or sixteenth.
_PARTS = {1: 0, 2: 0, 3: 1, 4: 0, 6: 1}


@functools.cache
def _names(unit: Unit) -> dict[int, tuple[str, int]]:
    """Values by their ticks: type and dots. In threes a half, which would hide where a beat begins, is none."""
    out = {}
    for name, quarters in _QUARTERS.items():
        for dots in (0, 1):
            beats = quarters * (Fraction(3, 2) if dots else 1) / unit.quarters
            hides = unit.in_threes and beats > 1 and beats.denominator > 1
            if (beats * TICKS).denominator == 1 and not hides and (name, dots) not in _TOO_LONG_OR_SHORT:
                out[int(beats * TICKS)] = name, dots
    if unit.in_threes:
        out |= {4 * TICKS: ("whole", 1), TICKS // 8: ("32nd", 1)}
    return out


# A breath shorter than this share of a note, or this part of a beat, before the next is how it is played, not written.
_SOUNDED, _BREATH = 0.55, Fraction(1, 4)


@dataclass(frozen=True, slots=True)
class Value:
    """A written value: ticks, type name as MusicXML has it, dots, and the tuplet it is in (3 for 2 ...), if any;
    begins, ends: whether that tuplet's bracket does there."""

    ticks: int
    type: str
    dots: int
    tuplet: tuple[int, int] | None = None
    begins: bool = False
    ends: bool = False


@dataclass(frozen=True, slots=True)
class Event:
    """Notes that start together on a tick (from the first bar's start) and sound for some ticks; none is a rest.
    graces: notes that lead to them, in order."""

    tick: int
    ticks: int
    notes: tuple[Note, ...]
    graces: tuple[Note, ...] = ()


@dataclass(frozen=True)
class Written:
    """Events in time order with rests between, ticks counted from the beginning of first_bar; and the tuplets they lie
    in: first tick -> (ticks, division, beats). unit: what a beat is written as."""

    first_bar: int
    events: tuple[Event, ...]
    tuplets: Mapping[int, tuple[int, int, int]] = field(default_factory=dict)
    unit: Unit = QUARTER

    def spelled(self, tick: int, ticks: int) -> list[Value]:
        """Values that add up to a length from a tick on; each lies within one tuplet or in none."""
        out: list[Value] = []
        starts = sorted(self.tuplets)
        while ticks > 0:
            i = bisect.bisect_right(starts, tick) - 1
            inside = i >= 0 and tick < starts[i] + self.tuplets[starts[i]][0]
            if inside:
                first = starts[i]
                size, division, span = self.tuplets[first]
                room = min(ticks, first + size - tick)
                # What fills it from end to end needs none.
                whole = tick == first and room == size
                out += (
                    spell(room, self.unit, at=tick) if whole
                    else _values_in_tuplet(tick - first, room, size, division, span, self.unit)
                )  # fmt: skip
            else:
                room = min(ticks, starts[i + 1] - tick) if i + 1 < len(starts) else ticks
                out += spell(room, self.unit, at=tick)
            tick, ticks = tick + room, ticks - room
        return out


def nominal_map(end: float) -> TempoMap:
    """A map of half-second beats from 0, for files that need one where no beat is known."""
    return TempoMap.steady(120.0, first_beat=0.0, count=max(2, math.ceil(end / 0.5) + 2))


def held_places(notes: Sequence[Note], tempo: TempoMap) -> dict[int, Fraction]:
    """The places the person decided, in beats from the map's first, by the note's number."""
    return {
        i: round(tempo.beat_at(n.onset) - float(n.written_at)) + n.written_at
        for i, n in enumerate(notes)
        if n.written_at is not None
    }


def said_graces(notes: Sequence[Note]) -> frozenset[int]:
    """Numbers of the notes that the person marked as grace notes."""
    return frozenset(i for i, n in enumerate(notes) if Mark.GRACE in n.marks)


def places_of(notes: Sequence[Note], tempo: TempoMap) -> list[Place]:
    """Where each note, in time order, is written; what the person decided stays, and the rest settles around it."""
    held = tuple(held_places(notes, tempo).items())
    return list(_settled(tuple(n.onset for n in notes), held, said_graces(notes), tempo))


@functools.lru_cache(maxsize=16)
def _settled(
    onsets: tuple[float, ...], held: tuple[tuple[int, Fraction], ...], graces: frozenset[int], tempo: TempoMap
) -> tuple[Place, ...]:
    """Kept, as bars, counts and pages ask for the same."""
    return tuple(quantize(onsets, tempo, fixed=dict(held), graces=graces, swing=find_swing(onsets, tempo)))


def written(notes: Sequence[Note], tempo: TempoMap) -> Written:
    """Notes as events, from the bar in which the first is written.

    One voice: a note that rings over the next is cut there, as tab without voices is written.
    """
    if not notes:
        return Written(1, ())
    places = places_of(notes, tempo)
    first_bar = tempo.bar_of(float(min(p.start for p in places)))
    first_bar_beat = tempo.first_beat_of(first_bar)
    groups: dict[Fraction, list[int]] = {}
    graces: dict[Fraction, list[Note]] = {}
    for i, p in enumerate(places):
        if p.grace:
            graces.setdefault(p.start, []).append(notes[i])
        else:
            groups.setdefault(p.start, []).append(i)
    starts = sorted(groups)
    cells = {Fraction(p.group): (p.span, p.division) for p in places if in_tuplet(p, tempo.unit) and not p.grace}
    out: list[Event] = []
    tuplets: dict[int, tuple[int, int, int]] = {}
    at = 0
    for k, start in enumerate(starts):
        place = places[groups[start][0]]
        tick = _ticks(start - first_bar_beat)
        if tick > at:
            out.append(Event(at, tick - at, ()))
        ends = max(notes[i].end for i in groups[start])
        following = starts[k + 1] if k + 1 < len(starts) else None
        lengths = [length for i in groups[start] if (length := notes[i].written_length) is not None]
        if lengths:
            until = start + max(lengths) if following is None else min(start + max(lengths), following)
        else:
            until = _end(start, place, tempo.beat_at(ends), following, tempo.unit)
        until = _on_a_part(until, cells, after=start)
        end = max(tick + 1, _ticks(until - first_bar_beat))
        members = tuple(notes[i] for i in groups[start])
        out.append(Event(tick, end - tick, members, tuple(graces.get(start, ()))))
        if in_tuplet(place, tempo.unit):
            tuplets[_ticks(Fraction(place.group - first_bar_beat))] = (place.span * TICKS, place.division, place.span)
        at = end
    return Written(first_bar, tuple(out), tuplets, tempo.unit)


def in_tuplet(place: Place, unit: Unit) -> bool:
    """Whether a place can be written only as a part of a tuplet: where beats fall into three, thirds are none."""
    return place.division in tuplets_of(unit)


def _ticks(beats: Fraction) -> int:
    return max(0, round(beats * TICKS))


def _end(start: Fraction, place: Place, end: float, following: Fraction | None, unit: Unit) -> Fraction:
    """The written end of a note, in beats: at the next one, unless it clearly stops before."""
    played = end - float(start)
    if following is not None:
        room = following - start
        if played >= _SOUNDED * float(room) or float(room) - played <= float(_BREATH):
            return following
    falls = 3 if unit.in_threes else 2
    own = in_tuplet(place, unit) or (unit.in_threes and place.division in (2, 4))
    part = Fraction(place.span, place.division) if own else Fraction(1, 4) / unit.quarters
    best = start + max(1, round(played / float(part))) * part
    # A value that reaches over a beat ends on one of its halves, or thirds.
    if best > math.floor(start) + 1:
        best = max(Fraction(math.floor(start) + 1), Fraction(round((float(start) + played) * falls), falls))
    return min(best, following) if following is not None else best


def _on_a_part(until: Fraction, cells: Mapping[Fraction, tuple[int, int]], *, after: Fraction) -> Fraction:
    """An end that lies within a tuplet (cells: first beat -> beats, parts) on one of its parts, as nothing else can be
    written there; later than `after`, where the note begins."""
    for first, (span, division) in cells.items():
        if first < until < first + span:
            part = Fraction(span, division)
            found = first + round((until - first) / part) * part
            return found if found > after else found + part
    return until


def _values_in_tuplet(at: int, ticks: int, size: int, division: int, span: int, unit: Unit) -> list[Value]:
    """Values for some ticks within a tuplet from `at` on."""
    part = size // division
    # So many take the time of how many of the same: thirds of two halves, others of four quarters, or of six.
    stand_for = 2 if division == 3 else 6 if unit.in_threes else 4
    quarters = Fraction(size, TICKS) * unit.quarters / stand_for
    finest = max((k for k, name in enumerate(_TYPES) if _QUARTERS[name] >= quarters), default=0)
    counts = (division, stand_for)
    out: list[Value] = []
    left = max(1, round(ticks / part))
    while left > 0:
        n = max(k for k in _PARTS if k <= left)
        dots = _PARTS[n]
        name = _TYPES[max(0, finest - {1: 0, 2: 1, 3: 1, 4: 2, 6: 2}[n])]
        out.append(Value(n * part, name, dots, counts, begins=at == 0, ends=at + n * part >= size))
        at, left = at + n * part, left - n
    return out


def spell(ticks: int, unit: Unit = QUARTER, *, at: int = 0) -> list[Value]:
    """Plain values that add up to a length, largest first; what no value makes is kept as a thirty-second of its ticks.

    at: tick the length starts on; a value does not cross the next beat unless it starts on one.
    """
    names = _names(unit)
    out: list[Value] = []
    left = ticks
    while left > 0:
        room = left if at % TICKS == 0 else min(left, TICKS - at % TICKS)
        size = max((v for v in names if v <= room), default=0)
        if size == 0:
            out.append(Value(room, "32nd", 0))
            size = room
        else:
            out.append(Value(size, *names[size]))
        left -= size
        at += size
    return out
