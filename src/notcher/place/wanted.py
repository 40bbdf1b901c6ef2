"""What a place is wanted for, and what a neck offers."""

import functools
from dataclasses import dataclass

from notcher.score.note import Attack, Mark, Note
from notcher.score.tuning import Tuning


@dataclass(frozen=True, slots=True)
class Wanted:
    """A note that is to be placed.

    pitch: MIDI, fretted; place: (string, fret) where it is settled already, else None; not_there: a place that is not
    to be taken where there is another; phrase: the number of the phrase it belongs to; confirmed: its place is the
    person's word and counts double for the same pitch elsewhere; finger: the person's word for it, 1 to 4, 0 for the
    thumb.
    """

    onset: float
    end: float
    pitch: int
    attack: Attack = Attack.PICK
    bend_cents: int = 0
    vibrato: bool = False
    place: tuple[int, int] | None = None
    not_there: tuple[int, int] | None = None
    phrase: int = 0
    confirmed: bool = False
    finger: int | None = None

    @classmethod
    def of(cls, note: Note, tuning: Tuning, *, fixed: bool, phrase: int = 0) -> "Wanted":
        """What a note of the score wants. A natural harmonic sounds only where it is."""
        harmonic = Mark.NATURAL_HARMONIC in note.marks
        fixed = fixed or harmonic
        return cls(
            note.onset, note.end, note.pitch(tuning), note.attack, note.bend.target_cents if note.bend else 0,
            note.vibrato is not None, (note.string, note.fret) if fixed else None, phrase=phrase,
            confirmed=note.confirmed or note.held, finger=None if harmonic else note.finger,
        )  # fmt: skip

    def places(self, tuning: Tuning) -> list[tuple[int, int]]:
        """Where it can lie. A pitch beyond the neck is put an octave or more into it."""
        if self.place is not None:
            return [self.place]
        places = _on_the_neck(self.pitch, tuning)
        return [p for p in places if p != self.not_there] or list(places)


@functools.lru_cache(maxsize=1024)
def _on_the_neck(pitch: int, tuning: Tuning) -> tuple[tuple[int, int], ...]:
    while pitch < min(tuning.open_pitches):
        pitch += 12
    while pitch > max(tuning.open_pitches) + tuning.highest_fret:
        pitch -= 12
    return tuple(tuning.places(pitch))
