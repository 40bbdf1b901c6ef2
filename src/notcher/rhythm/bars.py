"""A solo written out bar by bar, once: what the page, MusicXML and all others that have bars read."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from notcher.rhythm.values import TICKS, Event, Value, nominal_map, places_of, written
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from notcher.score.unit import QUARTER, Unit


@dataclass(frozen=True, slots=True)
class Piece:
    """An event, or what of it lies in a bar. tick: from the bar's first beat; values: tied to one another; begins,
    ends: whether the event does so here. Without notes it is a rest."""

    tick: int
    event: Event
    values: tuple[Value, ...]
    begins: bool
    ends: bool

    @property
    def ticks(self) -> int:
        """How long it is here."""
        return sum(v.ticks for v in self.values)


@dataclass(frozen=True, slots=True)
class Bar:
    """number: as it is counted, below 1 for a pick-up; beats: that a whole one has; from_tick: where a pick-up begins,
    which is written from the beat of its first note on, 0 for others; pieces fill it from there to its end; unit: what
    a beat is written as."""

    number: int
    beats: int
    from_tick: int
    pieces: tuple[Piece, ...]
    unit: Unit = QUARTER

    def beam_of(self, tick: int) -> int:
        """Which of the bar's beams a tick is under: values are beamed by the quarter, or by three eighths; shorter
        beats go in twos, and the last three of an odd number together (common practice, no source)."""
        if self.unit.quarters < 1:
            return min(tick // (2 * TICKS), max(0, self.beats // 2 - 1))
        return tick * (2 if self.unit.quarters == 2 else 1) // TICKS


@dataclass(frozen=True, slots=True)
class Bars:
    """All bars from the one in which the first note is written, silent ones too, and the tempo map they are of: the
    project's, or one of half-second beats where none is known."""

    tempo: TempoMap
    bars: tuple[Bar, ...]


_Cut = tuple[int, int, int, Event, bool, bool]


def bars_of(project: Project, notes: Sequence[Note]) -> Bars:
    """The notes, in time order, as bars; without notes one that is silent."""
    tempo = project.tempo or nominal_map(max((n.end for n in notes), default=1.0))
    rhythm = written(notes, tempo)
    first_bar = rhythm.first_bar
    first_beat = tempo.first_beat_of(first_bar)
    cuts = list(_cut_at_bars(rhythm.events, tempo, first_bar))
    out = []
    for bar in range(1 + max((cut[0] for cut in cuts), default=0)):
        number = first_bar + bar
        begins = (tempo.first_beat_of(number) - first_beat) * TICKS

        def spelled(tick: int, ticks: int, begins: int = begins) -> tuple[Value, ...]:
            return tuple(rhythm.spelled(begins + tick, ticks))

        def rest(tick: int, ticks: int, begins: int = begins) -> Piece:
            return Piece(tick, Event(begins + tick, ticks, ()), spelled(tick, ticks), True, True)

        inside = [cut for cut in cuts if cut[0] == bar]
        from_tick = 0
        if number < 1 and bar == 0:
            # A pick-up is not counted, and begins with the beat of its first note.
            from_tick = next((tick for _, tick, _, event, *_ in inside if event.notes), 0) // TICKS * TICKS
            inside = [cut for cut in inside if cut[1] >= from_tick]
        filled, pieces = from_tick, []
        for _, tick, ticks, event, first, last in inside:
            if tick > filled:
                pieces.append(rest(filled, tick - filled))
            pieces.append(Piece(tick, event, spelled(tick, ticks), first, last))
            filled = tick + ticks
        beats = tempo.beats_in(number)
        if filled < beats * TICKS:
            pieces.append(rest(filled, beats * TICKS - filled))
        out.append(Bar(number, beats, from_tick, tuple(pieces), tempo.unit))
    return Bars(tempo, tuple(out))


def written_bars(project: Project, notes: Sequence[Note]) -> dict[str, int]:
    """The number of the bar in which each note is written, by its id; empty without a beat."""
    tempo = project.tempo
    if tempo is None:
        return {}
    return {n.id: tempo.bar_of(float(p.start)) for n, p in zip(notes, places_of(notes, tempo), strict=True)}


def _cut_at_bars(found: Iterable[Event], tempo: TempoMap, first_bar: int) -> Iterable[_Cut]:
    """(bar from the first, tick in it, ticks, event, whether it begins there, whether it ends there)."""
    first_beat = tempo.first_beat_of(first_bar)
    for event in found:
        tick, left = event.tick, event.ticks
        while left > 0:
            number = tempo.bar_of(first_beat + tick // TICKS)
            bar, within = number - first_bar, tick - (tempo.first_beat_of(number) - first_beat) * TICKS
            size = min(left, tempo.beats_in(number) * TICKS - within)
            yield bar, within, size, event, tick == event.tick, size == left
            tick, left = tick + size, left - size
