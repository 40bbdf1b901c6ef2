"""How a rhythm is counted aloud, and how a player lies against the beat."""

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from notcher.rhythm.quantize import Place, quantize
from notcher.rhythm.values import held_places, said_graces
from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from notcher.score.words import arrival_and_hold

# What is said on the parts of a beat (common practice, no source).
_SIXTEENTHS = {0: "", 1: "e", 2: "and", 3: "a"}
_TRIPLETS = {0: "", 1: "trip", 2: "let"}
PARTS_OF_A_BEAT = {
    Fraction(0): "on the beat", Fraction(1, 4): "e", Fraction(1, 2): "and", Fraction(3, 4): "a",
    Fraction(1, 3): "trip", Fraction(2, 3): "let", Fraction(1, 6): "2nd of 6", Fraction(5, 6): "6th of 6",
    **{Fraction(k, 5): f"{k + 1}{'nd' if k == 1 else 'rd' if k == 2 else 'th'} of 5" for k in range(1, 5)},
    **{Fraction(k, 7): f"{k + 1}{'nd' if k == 1 else 'rd' if k == 2 else 'th'} of 7" for k in range(1, 7)},
    **{Fraction(k, 8): f"{k} eighths of it" for k in (1, 3, 5, 7)},
}  # fmt: skip
"""Where in a beat a person may write an onset, as it is counted."""
VALUES = {
    Fraction(4): "whole", Fraction(3): "dotted half", Fraction(2): "half", Fraction(3, 2): "dotted quarter",
    Fraction(1): "quarter", Fraction(3, 4): "dotted eighth", Fraction(1, 2): "eighth", Fraction(1, 4): "sixteenth",
    Fraction(1, 8): "thirty-second", Fraction(2, 3): "triplet quarter", Fraction(1, 3): "triplet eighth",
    Fraction(1, 6): "triplet sixteenth",
}  # fmt: skip
"""Values a person may write, in beats that are quarters."""
_ON_TIME_S = 0.008
_LEANS_S = 0.012
# So much nearer a finer part of the beat must lie than a half, to be said of a bend's arrival.
_SIXTEENTH_DEARER_S, _TRIPLET_DEARER_S = 0.015, 0.025
_BARS_AROUND = 1
# More is no longer one breath, and takes longer than a keystroke should.
_MOST_AT_ONCE = 32


@dataclass(frozen=True, slots=True)
class Counted:
    """bar; words: the count as it is spoken, such as '3 and'; late: seconds after its place, negative before."""

    bar: int
    words: str
    late: float
    grace: bool

    @property
    def against_the_beat(self) -> str:
        """Its lateness in words."""
        ms = round(abs(self.late) * 1000)
        if abs(self.late) < _ON_TIME_S:
            return "on the beat"
        return f"{ms} ms {'late' if self.late > 0 else 'early'}"


def syllable(place: Place) -> str:
    """What is said on a place within its beat; '' on the beat itself."""
    within = place.start - place.group
    slot = int(within * place.division / place.span)
    if place.span == 2 and slot:
        return f"{_ordinal(slot + 1)} of {place.division} over two"
    match place.division:
        case 1 | 2 | 4:
            return _SIXTEENTHS[int(within * 4)]
        case 3:
            return _TRIPLETS[slot]
        case 8 if slot % 2 == 0:
            return _SIXTEENTHS[slot // 2]
        case 8:
            return f"just after {_SIXTEENTHS[slot // 2] or 'it'}"
        case _:
            return f"{_ordinal(slot + 1)} of {place.division}" if slot else ""


def spoken(place: Place, tempo: TempoMap) -> str:
    """One place as it is counted: '3', '3 and', '2 trip'."""
    bar = tempo.bar_of(float(place.start))
    beat = place.group - tempo.first_beat_of(bar) + 1
    return f"{beat} {syllable(place)}".rstrip()


def spoken_line(places: Sequence[Place], tempo: TempoMap) -> str:
    """A passage as it is counted: '3 and 4 and', '1 e and a'; a beat that is only counted stands in brackets, bars are
    parted by a bar."""
    words: list[str] = []
    last: tuple[int, int] | None = None
    done: set[Fraction] = set()
    for p in places:
        if p.start in done or p.grace:
            continue
        done.add(p.start)
        bar = tempo.bar_of(float(p.start))
        beat = p.group - tempo.first_beat_of(bar) + 1
        if last is not None and bar != last[0]:
            words.append("|")
        said = syllable(p)
        if (bar, beat) != last:
            words.append(f"({beat})" if said else f"{beat}")
        if said:
            words.append(said)
        last = (bar, beat)
    return " ".join(words)


def counted(project: Project, note: Note) -> Counted | None:
    """How one note is counted, settled with the bars around it; None where the project has no beat."""
    tempo = project.tempo
    if tempo is None:
        return None
    place = place_of(project, note)
    return Counted(tempo.bar_of(float(place.start)), spoken(place, tempo), place.late, place.grace)


def place_of(project: Project, note: Note) -> Place:
    """Where one note is written, settled with the bars around it. Raises ScoreError where the project has no beat."""
    if project.tempo is None:
        raise ScoreError("there is no beat to write by; find or tap it in the Source room")
    return next(p for n, p in places_in_bar(project, project.tempo.bar_and_beat(note.onset)[0]) if n.id == note.id)


def places_in_bar(project: Project, bar: int) -> list[tuple[Note, Place]]:
    """The notes that begin in a bar and where each is written, settled with those around it; [] without a beat.

    What is asked of one note and of a whole bar is settled alike, so that all views agree.
    """
    tempo = project.tempo
    if tempo is None:
        return []
    begins, ends = (tempo.time_at(tempo.first_beat_of(b)) for b in (bar, bar + 1))
    inside = project.notes_between(begins, ends)
    low = tempo.time_at(tempo.first_beat_of(bar - _BARS_AROUND))
    high = tempo.time_at(tempo.first_beat_of(bar + 1 + _BARS_AROUND))
    before, after = project.notes_between(low, begins), project.notes_between(ends, high)
    room = max(4, (_MOST_AT_ONCE - len(inside)) // 2)
    near = (*before[-room:], *inside, *after[:room])
    places = _settled_notes(near, tempo)
    first = len(before[-room:])
    return list(zip(inside, places[first : first + len(inside)], strict=True))


def arrival_words(project: Project, note: Note) -> str:
    """On which beat, or part of one, a bend reaches its top: 'on 3 and, 12 ms late'; '' without a beat or a bend that
    rises."""
    tempo, bend = project.tempo, note.bend
    if tempo is None or bend is None or bend.starts_raised:
        return ""
    rise = arrival_and_hold(bend)[0] if bend.points else bend.rise
    if rise is None:
        return ""
    place = _nearest_place(tempo, note.onset + rise)
    late = place.late
    how = Counted(0, "", late, False).against_the_beat
    return f"on {spoken(place, tempo)}" + ("" if how == "on the beat" else f", {how}")


def _nearest_place(tempo: TempoMap, time: float) -> Place:
    """The half of a beat at a time, or a sixteenth or triplet where that lies clearly nearer."""
    beat = tempo.beat_at(time)
    found = []
    for division, dearer_s in ((2, 0.0), (4, _SIXTEENTH_DEARER_S), (3, _TRIPLET_DEARER_S)):
        start = Fraction(round(beat * division), division)
        late = time - tempo.time_at(float(start))
        found.append((abs(late) + dearer_s, Place(start, division, math.floor(start), 1, late)))
    return min(found, key=lambda row: row[0])[1]


def passage_words(project: Project, notes: Sequence[Note]) -> str:
    """Sentences on how some notes, in time order, are counted and lie against the beat; '' where there is no beat, or
    where they are no passage because others lie between them."""
    tempo = project.tempo
    if tempo is None or not 2 <= len(notes) <= _MOST_AT_ONCE:
        return ""
    first = next(i for i, n in enumerate(project.notes) if n.id == notes[0].id)
    if any(a.id != b.id for a, b in zip(notes, project.notes[first:], strict=False)):
        return ""
    places = _settled_notes(notes, tempo)
    leans = feel(places)
    return f"Counted: {spoken_line(places, tempo)}. " + (f"{leans[0].upper()}{leans[1:]}. " if leans else "")


def _settled_notes(notes: Sequence[Note], tempo: TempoMap) -> tuple[Place, ...]:
    held = tuple(held_places(notes, tempo).items())
    return _settled(tuple(n.onset for n in notes), held, said_graces(notes), tempo)


@functools.lru_cache(maxsize=256)
def _settled(
    onsets: tuple[float, ...], held: tuple[tuple[int, Fraction], ...], graces: frozenset[int], tempo: TempoMap
) -> tuple[Place, ...]:
    return tuple(quantize(onsets, tempo, fixed=dict(held), graces=graces))


def feel(places: Sequence[Place]) -> str:
    """How the player lies against the beat over a phrase, in words: 'drags in, rushes out'; '' for fewer than six
    notes."""
    late = [p.late for p in places if not p.grace]
    if len(late) < 6:
        return ""
    third = len(late) // 3
    begins, ends = (sum(part) / len(part) for part in (late[:third], late[-third:]))
    if abs(begins - ends) < _LEANS_S:
        mean = sum(late) / len(late)
        if abs(mean) < _LEANS_S:
            return "on the beat throughout"
        return f"{'behind' if mean > 0 else 'ahead of'} the beat throughout"
    return f"{_leans(begins)} in, {_leans(ends)} out"


def _leans(late: float) -> str:
    if abs(late) < _LEANS_S / 2:
        return "steady"
    return "drags" if late > 0 else "rushes"


def _ordinal(n: int) -> str:
    return f"{n}{ {1: 'st', 2: 'nd', 3: 'rd'}.get(n, 'th') }"
