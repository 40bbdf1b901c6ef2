"""A phrase of another project as a version of one here: at its place in time, on this guitar."""

from dataclasses import replace

from notcher.place.search import places_of
from notcher.place.wanted import Wanted
from notcher.score.errors import ScoreError
from notcher.score.legato import legato_mended
from notcher.score.note import Bend, Note
from notcher.score.project import Phrase, Project

_END_S, _SHORTEST_S = 0.01, 0.03


def copied(source: Project, from_: Phrase, into: Project, phrase: Phrase) -> tuple[Note, ...]:
    """The notes of a phrase of another project, to be a version of a phrase of this one.

    They begin where this one's first note does and keep their pace, but where they would not end with the phrase: then
    all of it is played faster. On a guitar that is tuned otherwise they are placed anew by their pitches. Raises
    ScoreError for a phrase without notes, and where this guitar does not reach them.
    """
    notes = source.notes_between(from_.start, from_.end)
    if not notes:
        raise ScoreError("'{name}' has no notes to copy", name=from_.name)
    own = into.notes_between(phrase.start, phrase.end)
    begin = own[0].onset if own else phrase.start
    first, last = notes[0].onset, max(n.end for n in notes)
    pace = min(1.0, (phrase.end - _END_S - begin) / max(last - first, _SHORTEST_S))
    out = []
    for k, n in enumerate(notes):
        onset = begin + (n.onset - first) * pace
        bend = Bend(n.bend.kind, n.bend.target_cents) if n.bend else None
        end = max(begin + (n.end - first) * pace, onset + _SHORTEST_S)
        out.append(replace(
            n, id=f"{phrase.id}c{k}", onset=onset, end=end, bend=bend,
            confirmed=False, evidence=None, sure=None, maybe=(), confidence=1.0, doubt=None, written_at=None,
            written_length=None, held=True,
        ))  # fmt: skip
    if into.tuning.open_pitches != source.tuning.open_pitches or any(n.fret > into.tuning.highest_fret for n in out):
        out = _placed(source, into, out)
    return tuple(out)


def _placed(source: Project, into: Project, notes: list[Note]) -> list[Note]:
    tuning = into.tuning
    pitches = [n.pitch(source.tuning) for n in notes]
    low, high = min(tuning.open_pitches), max(tuning.open_pitches) + tuning.highest_fret
    if not (low <= min(pitches) and max(pitches) <= high):
        raise ScoreError("this guitar does not reach all of its notes as it is tuned")
    wanted = [
        Wanted(n.onset, n.end, p, n.attack, n.bend.target_cents if n.bend else 0, n.vibrato is not None)
        for n, p in zip(notes, pitches, strict=True)
    ]
    return legato_mended([
        replace(n, string=s, fret=f, finger=None)
        for n, (s, f) in zip(notes, places_of(wanted, tuning), strict=True)
    ])  # fmt: skip
