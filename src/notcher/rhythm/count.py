"""Where notes are counted, and how a player lies against the beat; wording/rhythm.py says it."""

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from notcher.rhythm.quantize import Place, quantize
from notcher.rhythm.values import held_places, said_graces
from notcher.score.bends import arrival_and_hold
from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.score.tempo import TempoMap

_FEWEST_FOR_A_FEEL = 6
# So much nearer a finer part of the beat must lie than a half, to be said of a bend's arrival.
_SIXTEENTH_DEARER_S, _TRIPLET_DEARER_S = 0.015, 0.025
_BARS_AROUND = 1
_HAIR_S = 1e-6
# More is no longer one breath, and takes longer than a keystroke should.
_MOST_AT_ONCE = 32


@dataclass(frozen=True, slots=True)
class Counted:
    """The bar a note is counted in, and where it is written."""

    bar: int
    place: Place

    @property
    def late(self) -> float:
        """Seconds after its place, negative before."""
        return self.place.late

    @property
    def grace(self) -> bool:
        """Whether it is a grace note."""
        return self.place.grace


def counted(project: Project, note: Note) -> Counted | None:
    """How one note is counted, settled with the bars around it; None where the project has no beat."""
    tempo = project.tempo
    if tempo is None:
        return None
    place = place_of(project, note)
    return Counted(tempo.bar_of(float(place.start)), place)


def place_of(project: Project, note: Note) -> Place:
    """Where one note is written, settled with the bars around it. Raises ScoreError where the project has no beat."""
    if project.tempo is None:
        raise ScoreError("there is no beat to write by; find or tap it first")
    return next(p for n, p in places_in_bar(project, project.tempo.bar_and_beat(note.onset)[0]) if n.id == note.id)


def places_in_bar(project: Project, bar: int) -> list[tuple[Note, Place]]:
    """The notes that begin in a bar and where each is written, settled with those around it; [] without a beat.

    What is asked of one note and of a whole bar is settled alike, so that all views agree.
    """
    tempo = project.tempo
    if tempo is None:
        return []
    low = tempo.time_at(tempo.first_beat_of(bar - _BARS_AROUND))
    high = tempo.time_at(tempo.first_beat_of(bar + 1 + _BARS_AROUND))
    before: list[Note] = []
    inside: list[Note] = []
    after: list[Note] = []
    # By the bar that each is said to be in: the time of a bar line, worked out anew, may miss a note on it by a hair.
    for n in project.notes_between(low - _HAIR_S, high + _HAIR_S):
        lies = tempo.bar_and_beat(n.onset)[0] - bar
        (inside if lies == 0 else before if lies < 0 else after).append(n)
    room = max(4, (_MOST_AT_ONCE - len(inside)) // 2)
    near = (*before[-room:], *inside, *after[:room])
    places = _settled_notes(near, tempo)
    first = len(before[-room:])
    return list(zip(inside, places[first : first + len(inside)], strict=True))


def _nearest_place(tempo: TempoMap, time: float) -> Place:
    """The half of a beat at a time, or a sixteenth or triplet where that lies clearly nearer."""
    beat = tempo.beat_at(time)
    found = []
    for division, dearer_s in ((2, 0.0), (4, _SIXTEENTH_DEARER_S), (3, _TRIPLET_DEARER_S)):
        start = Fraction(round(beat * division), division)
        late = time - tempo.time_at(float(start))
        found.append((abs(late) + dearer_s, Place(start, division, math.floor(start), 1, late)))
    return min(found, key=lambda row: row[0])[1]


def _settled_notes(notes: Sequence[Note], tempo: TempoMap) -> tuple[Place, ...]:
    held = tuple(held_places(notes, tempo).items())
    return _settled(tuple(n.onset for n in notes), held, said_graces(notes), tempo)


@functools.lru_cache(maxsize=256)
def _settled(
    onsets: tuple[float, ...], held: tuple[tuple[int, Fraction], ...], graces: frozenset[int], tempo: TempoMap
) -> tuple[Place, ...]:
    return tuple(quantize(onsets, tempo, fixed=dict(held), graces=graces))


def arrival(project: Project, note: Note) -> Place | None:
    """The beat, or part of one, on which a bend reaches its top; None without a beat or a bend that rises."""
    tempo, bend = project.tempo, note.bend
    if tempo is None or bend is None or bend.starts_raised:
        return None
    rise = arrival_and_hold(bend)[0] if bend.points else bend.rise
    return None if rise is None else _nearest_place(tempo, note.onset + rise)


def passage(project: Project, notes: Sequence[Note]) -> tuple[Place, ...]:
    """Where some notes, in time order, are written; () where there is no beat, or where they are no passage because
    others lie between them."""
    tempo = project.tempo
    if tempo is None or not 2 <= len(notes) <= _MOST_AT_ONCE:
        return ()
    first = next(i for i, n in enumerate(project.notes) if n.id == notes[0].id)
    if any(a.id != b.id for a, b in zip(notes, project.notes[first:], strict=False)):
        return ()
    return _settled_notes(notes, tempo)


@dataclass(frozen=True, slots=True)
class Feel:
    """How late a player is on average, in seconds, negative ahead: over a phrase, its first third and its last."""

    mean: float
    begins: float
    ends: float


def feel(places: Sequence[Place]) -> Feel | None:
    """How the player lies against the beat over a phrase; None for fewer than six notes."""
    late = [p.late for p in places if not p.grace]
    if len(late) < _FEWEST_FOR_A_FEEL:
        return None
    third = len(late) // 3
    begins, ends = (sum(part) / len(part) for part in (late[:third], late[-third:]))
    return Feel(sum(late) / len(late), begins, ends)
