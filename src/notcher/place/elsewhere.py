"""The same phrase in another place on the neck, for what nobody has seen played, or for another hand."""

from collections.abc import Sequence
from dataclasses import replace

from notcher.place.offers import offers
from notcher.place.wanted import Wanted
from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.tuning import Tuning

_LEAST_SHARE = 0.5
_TRIED = 6


def elsewhere(notes: Sequence[Note], tuning: Tuning) -> tuple[Note, ...]:
    """Notes of a phrase, in time order, in the likeliest place where at least half of them lie elsewhere than now.

    Natural harmonics stay, as they sound only where they are. Raises ScoreError where there is no such place.
    """
    wanted = [Wanted.of(n, tuning, fixed=False) for n in notes]
    now = [(n.string, n.fret) for n in notes]
    for offer in offers(wanted, tuning, range(len(notes)), most=_TRIED):
        other = sum(p != q for p, q in zip(offer.places, now, strict=True))
        # A pitch beyond the neck was put an octave into it, and is no place for this note.
        sounds = all(tuning.pitch(*p) == n.pitch(tuning) for p, n in zip(offer.places, notes, strict=True))
        if other >= _LEAST_SHARE * len(notes) and sounds:
            return tuple(
                replace(n, string=s, fret=f, held=True, finger=None)
                for n, (s, f) in zip(notes, offer.places, strict=True)
            )
    raise ScoreError("this phrase lies well in no other place; move single notes with the arrows instead")
