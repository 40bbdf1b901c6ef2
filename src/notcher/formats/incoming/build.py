"""From what a reader understood to a project: on a tempo map, on the neck, in phrases."""

import bisect
import itertools
import math
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction

from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.found import LEAD_IN_S, ReadNote, ReadScore
from notcher.place.solver import cut_at_rests, place
from notcher.place.wanted import Wanted
from notcher.rhythm.hold import hold_written
from notcher.score.chord import ChordAt
from notcher.score.key import KeyAt
from notcher.score.limits import LONGEST_S
from notcher.score.note import LONGEST_RISE_S, Bend, Note, Vibrato, written_vibrato
from notcher.score.project import Phrase, Project, Recording, Request
from notcher.score.tempo import TempoMap
from notcher.score.tuning import STANDARD, Tuning
from notcher.teach.phrasing import propose_phrases

# Seconds by which a phrase begins before its first note.
_AT_THE_NAME_S = 0.01
_GRACE_S = 0.06
_NO_SHA = "0" * 64
_SHORTEST_S = 0.03
_LONGEST_VALUE = 64


def project_of(score: ReadScore, *, tuning: Tuning | None = None, title: str = "") -> Project:
    """A project without a recording from a score. tuning: where the score names none; standard, where that is None too.
    title: where the score has none.

    Notes with no place get one from the solver; all count as added by hand, none as confirmed. Raises FileFormatError
    for one that lasts too long."""
    tuning = score.tuning or tuning or STANDARD
    tempo = _tempo_map(score) if score.tempos else None
    times = [_times(score.notes, i, tempo) for i in range(len(score.notes))]
    wanted = [
        Wanted(
            onset, end, n.pitch, n.attack, n.bend.target_cents if n.bend else 0, bool(n.vibrato),
            _place(n, tuning),
        )
        for n, (onset, end) in zip(score.notes, times, strict=True)
    ]  # fmt: skip
    placed = place(cut_at_rests(wanted), tuning)
    notes = tuple(
        Note(
            f"n{k}", onset, end, p.string, p.fret, attack=n.attack, bend=_fitting(n.bend, end - onset, n.arrives),
            vibrato=_vibrato(n, end - onset), marks=n.marks, finger=n.finger, partial=n.partial, doubt=n.doubt,
            raked_from=n.raked_from, sounding=n.sounding, advice=n.advice,
            by_hand=True,
            held=_place(n, tuning) is not None,
        )
        for k, (n, (onset, end), p) in enumerate(zip(score.notes, times, placed, strict=True), 1)
    )  # fmt: skip
    end = max(n.end for n in notes) + LEAD_IN_S
    if end > LONGEST_S:
        raise FileFormatError(
            "it lasts {end:.0f} hours; no solo lasts more than {longest_s:.0f}",
            end=end / 3600,
            longest_s=LONGEST_S / 3600,
        )
    chords, keys = _harmony(score, tempo)
    project = Project(
        Recording("", _NO_SHA, end, 44100, 1), tuning=tuning, tempo=tempo, phrases=_phrases(score, notes, end, tempo),
        chords=chords, keys=keys,
        request=Request(title=score.title or title, performer=score.performer, rights=score.rights),
    ).with_notes(notes)  # fmt: skip
    if not score.written or tempo is None:
        return project
    starts = {f"n{k}": n.start for k, n in enumerate(score.notes, 1)}
    lengths = {
        f"n{k}": min(n.length, Fraction(_LONGEST_VALUE)) for k, n in enumerate(score.notes, 1) if not n.grace
    }  # fmt: skip
    return hold_written(project, starts, lengths)


def _harmony(score: ReadScore, tempo: TempoMap | None) -> tuple[tuple[ChordAt, ...], tuple[KeyAt, ...]]:
    """Chords and keys of a score in seconds; somebody wrote them, so they are decided."""

    def seconds(at: Fraction) -> float:
        return round(max(0.0, float(at) if tempo is None else tempo.time_at(float(at))), 4)

    chords = tuple(ChordAt(seconds(at), chord, decided=True) for at, chord in score.chords)
    keys = [KeyAt(seconds(at) if k else 0.0, key, decided=True) for k, (at, key) in enumerate(score.keys)]
    return chords, tuple(keys)


def put_elsewhere(score: ReadScore, project: Project) -> int:
    """How many notes lie outside the neck and were put an octave or more into it."""
    return sum(
        n.pitch(project.tuning) != read.pitch
        for n, read in zip(sorted(project.notes, key=lambda n: int(n.id[1:])), score.notes, strict=True)
    )


def _tempo_map(score: ReadScore) -> TempoMap:
    """Beats from half a second on, at the tempos of the score, to the end of the bar in which its last note ends."""
    size, changes = score.metres[0][1], tuple(score.metres[1:])
    last = max((n.start + n.length for n in score.notes), default=Fraction(0))
    count = math.ceil(last) + 17
    starts = [at for at, _ in score.tempos]
    beats = [LEAD_IN_S]
    for beat in range(count):
        bpm = score.tempos[max(0, bisect.bisect_right(starts, beat) - 1)][1]
        beats.append(beats[-1] + 60.0 / bpm)
    ends = TempoMap(tuple(beats), size, score.pickup, changes, score.unit)
    whole = ends.first_beat_of(ends.bar_of(float(last) - 1e-6) + 1)
    return replace(ends, beats=tuple(beats[: max(2, whole + 1)]))


def _times(notes: tuple[ReadNote, ...], i: int, tempo: TempoMap | None) -> tuple[float, float]:
    note = notes[i]
    if note.seconds is not None:
        return note.seconds[0], max(note.seconds[1], note.seconds[0] + _SHORTEST_S)
    assert tempo is not None
    start = tempo.time_at(float(note.start))
    if not note.grace:
        return start, max(tempo.time_at(float(note.start + note.length)), start + _SHORTEST_S)
    after = list(itertools.takewhile(lambda n: n.start == note.start and n.grace, notes[i:]))
    onset = max(0.0, start - _GRACE_S * len(after))
    return onset, onset + _GRACE_S


def _place(note: ReadNote, tuning: Tuning) -> tuple[int, int] | None:
    """The place a score says, or the fret on the string it says."""
    if note.string is None:
        return None
    fret = note.fret if note.fret is not None else tuning.fret_for(note.pitch, note.string)
    return None if fret is None else (note.string, fret)


def _vibrato(note: ReadNote, duration: float) -> Vibrato | None:
    if isinstance(note.vibrato, Vibrato):
        return note.vibrato
    return written_vibrato(duration) if note.vibrato else None


def _fitting(bend: Bend | None, duration: float, arrives: float | None) -> Bend | None:
    """A bend with the points that lie within the note. arrives: the share of the note after which it is there."""
    if bend is None or not bend.points:
        if bend is None or arrives is None or bend.rise is not None:
            return bend
        return replace(bend, rise=min(LONGEST_RISE_S, arrives * duration))
    return Bend(bend.kind, bend.target_cents, tuple(p for p in bend.points if p[0] <= duration))


def _named_phrases(
    named: Sequence[tuple[Fraction, str]], notes: tuple[Note, ...], tempo: TempoMap, end: float
) -> tuple[Phrase, ...]:
    """Phrases from where the score names them to where it names the next; of two at one place the first."""
    onsets = sorted(n.onset for n in notes)
    begins: dict[float, str] = {}
    for beat, name in named:
        at = tempo.time_at(float(beat))
        first = next((t for t in onsets if t >= at - _AT_THE_NAME_S), None)
        if first is not None:
            begins.setdefault(max(0.0, first - _AT_THE_NAME_S), name)
    times = sorted(begins)
    return tuple(
        Phrase(f"p{k}", begins[start], start, following)
        for k, (start, following) in enumerate(zip(times, [*times[1:], end], strict=True), 1)
    )


def _phrases(score: ReadScore, notes: tuple[Note, ...], end: float, tempo: TempoMap | None) -> tuple[Phrase, ...]:
    if score.phrases and tempo is not None:
        return _named_phrases(score.phrases, notes, tempo, end)
    if not score.stretches:
        return propose_phrases(sorted(notes, key=lambda n: n.onset), duration=end)
    return tuple(
        Phrase(f"p{k}", s.name, s.start, s.end) for k, s in enumerate(score.stretches, 1) if s.end > s.start
    )  # fmt: skip
