"""A technique is written where it is likely enough; else the plainer reading is, and the technique stays as a question
at the note."""

from dataclasses import replace

from notcher.listen.candidates.heard_note import HeardNote
from notcher.score.note import CLAIMED, Attack, Maybe


def as_bent(note: HeardNote) -> HeardNote:
    """A note with its bend, or without it at the fret where it begins to sound."""
    if note.bend is None or note.sure is None or note.sure.bend >= CLAIMED:
        return note
    asked = Maybe(note.sure.bend, bend=note.bend)
    return replace(note, bend=None, pitch=note.pitch + note.bend.frets_up, maybe=(*note.maybe, asked))


def as_reached(note: HeardNote) -> HeardNote:
    """A note as it is reached, or picked."""
    if note.attack is Attack.PICK or note.sure is None or note.sure.attack >= CLAIMED:
        return note
    asked = Maybe(note.sure.attack, attack=note.attack)
    return replace(note, attack=Attack.PICK, maybe=(*note.maybe, asked))
