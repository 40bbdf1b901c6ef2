"""Notes of a score in whose place the recording has another pitch, and what is said of each."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from notcher.score.clause import Clause
from notcher.score.note import MOVES_THE_PITCH, Attack, Mark, Note
from notcher.score.project import Project
from notcher.score.tuning import HIGHEST_FRET, Tuning

SHORTEST_S = 0.03
"""Seconds that a note is given at least."""
# What is told at a note in whose place another pitch was heard.
SOUNDS_AS_FRET = Clause("the recording sounds like fret {heard} here, the score has fret {written}").pattern
SOUNDS_LOWER = Clause("the recording sounds {n} half steps lower here than fret {written} of the score").pattern
SOUNDS_HIGHER = Clause("the recording sounds {n} half steps higher here than fret {written} of the score").pattern
# Seconds around its place within which something of another pitch was played for a note of the score.
_INSTEAD_S = 0.12
# How sure it has to be that what was heard is a note, and half steps by which a wrong fret or string is off at most.
_INSTEAD_SURE, _FARTHEST = 0.5, 9.5
# What is heard clearly: struck, so sure, and so near its place in seconds. Seconds around a note in which others sound.
_STRUCK, _CLEARLY, _IN_TIME_S = (Attack.PICK, Attack.TAP), 0.8, 0.06
_WITH_S, _RINGS_S = 0.1, 0.25


@dataclass(frozen=True, slots=True)
class Otherwise:
    """A note of the score in whose place another pitch was heard. note: its id; written, heard: MIDI, as they sound."""

    note: str
    written: int
    heard: int

    @property
    def apart(self) -> int:
        """Half steps from the written pitch to what was heard."""
        return self.heard - self.written


def told_apart(
    score: Project, heard: Sequence[Note], pairs: list[tuple[int, int]], around: Callable[[float], float]
) -> tuple[list[tuple[int, int]], dict[int, int]]:
    """The pairs (number in the score, number of what was heard) that agree in pitch, and what was heard in the place of
    other notes of the score. around: from times in the score to where the pairs put them in the recording, seconds."""
    tuning, notes = score.tuning, score.notes
    agreeing = [(i, j) for i, j in pairs if _agree(notes[i], heard[j], tuning)]
    apart = {i: j for i, j in pairs if not _agree(notes[i], heard[j], tuning)}
    used = {j for _, j in pairs}
    for i, n in enumerate(notes):
        if i in apart or any(i == k for k, _ in agreeing):
            continue
        left, before = max(((k, j) for k, j in pairs if k < i), default=(-1, -1))
        right, after = min(((k, j) for k, j in pairs if k > i), default=(len(notes), len(heard)))
        free = [j for j in range(before + 1, after) if j not in used]
        if score.tempo is None:
            # Its columns say no time: what is in its place is the one note between its neighbours.
            near = free if len(free) == 1 == right - left - 1 else []
        else:
            at = around(n.onset)
            near = sorted(
                (j for j in free if abs(heard[j].onset - at) <= _INSTEAD_S), key=lambda j: abs(heard[j].onset - at)
            )
        if near:
            apart[i] = near[0]
            used.add(apart[i])
    heard_as_well = {i for i, _ in agreeing}
    told = {}
    for i, j in apart.items():
        away = 0.0 if score.tempo is None else abs(heard[j].onset - around(notes[i].onset))
        if away <= _INSTEAD_S and _may_be_told(notes, i, heard[j], tuning, heard_as_well, in_time=away <= _IN_TIME_S):
            told[i] = j
    return agreeing, told


def _levels(note: Note, tuning: Tuning) -> tuple[float, ...]:
    """The pitches a note may be heard at: where it starts, its fret, and the top of its bend."""
    fretted = note.unbent_pitch(tuning)
    return (note.sounding_pitch(tuning), fretted, fretted + (note.bend.target_cents / 100 if note.bend else 0.0))


def _agree(note: Note, heard: Note, tuning: Tuning) -> bool:
    return any(abs(a - b) < 0.5 for a in _levels(note, tuning) for b in _levels(heard, tuning))


def _may_be_told(
    notes: Sequence[Note], i: int, heard: Note, tuning: Tuning, others: set[int], *, in_time: bool
) -> bool:
    """Whether something heard in a note's place is another note for sure, and not what the hearing made of the right
    one: the way of a slide or of a bend, or what sounds beside it. others: numbers of the notes that were heard;
    in_time: it lies where the note does."""
    n = notes[i]
    if heard.confidence < _INSTEAD_SURE or n.marks & (MOVES_THE_PITCH | {Mark.DEAD}):
        return False
    pitch = heard.sounding_pitch(tuning)
    if not 0.5 < abs(pitch - n.sounding_pitch(tuning)) <= _FARTHEST:
        return False
    clearly = heard.attack in _STRUCK and heard.confidence >= _CLEARLY and in_time
    for k, m in enumerate(notes):
        if k == i or m.onset > n.onset + _WITH_S or m.end < n.onset - _RINGS_S:
            continue
        low, *_, high = sorted(_levels(m, tuning))
        if high - low > 0.5 and low - 0.5 < pitch < high + 0.5:
            return False
        # A neighbour of this pitch may be heard again as it rings on, unless this is struck, and the neighbour too.
        if _agree(m, heard, tuning) and not (clearly and k in others):
            return False
    return True


def otherwise(score: Project, note: Note, heard: Note) -> Otherwise:
    """What is told of a note in whose place another was heard."""
    tuning = score.tuning
    return Otherwise(note.id, round(note.sounding_pitch(tuning)), round(heard.sounding_pitch(tuning)))


def doubted(note: Note, heard: Note, other: Otherwise) -> Note:
    """The score's note as it is written, where something else was heard, with a doubt that says so."""
    fret = note.fret + other.apart
    doubt = SOUNDS_AS_FRET if 0 <= fret <= HIGHEST_FRET else SOUNDS_LOWER if other.apart < 0 else SOUNDS_HIGHER
    end = max(heard.end, heard.onset + SHORTEST_S)
    said = doubt.format(heard=fret, written=note.fret, n=abs(other.apart))
    return replace(note, onset=heard.onset, end=end, doubt=note.doubt or said)
