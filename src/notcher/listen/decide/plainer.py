"""A technique is written where it is likely enough; else the plainer reading is, and the technique stays as a question
at the note. How sure a part of the note is goes with what is written."""

from dataclasses import replace

from notcher.listen.candidates.heard_note import HeardNote
from notcher.score.note import CLAIMED, Attack, Maybe


def as_bent(note: HeardNote) -> HeardNote:
    """A note with its bend, or without it at the fret where it begins to sound."""
    if note.bend is None or note.sure is None or note.sure.bend >= CLAIMED:
        return note
    asked = Maybe(note.sure.bend, bend=note.bend)
    sure = replace(note.sure, bend=round(1 - note.sure.bend, 3))
    return replace(note, bend=None, pitch=note.pitch + note.bend.frets_up, sure=sure, maybe=(*note.maybe, asked))


def as_reached(note: HeardNote) -> HeardNote:
    """A note as it is reached, or picked."""
    if note.attack in (Attack.PICK, Attack.RAKE) or note.sure is None or note.sure.attack >= CLAIMED:
        return note
    asked = Maybe(note.sure.attack, attack=note.attack)
    sure = replace(note.sure, attack=round(1 - note.sure.attack, 3))
    return replace(note, attack=Attack.PICK, sure=sure, maybe=(*note.maybe, asked))
