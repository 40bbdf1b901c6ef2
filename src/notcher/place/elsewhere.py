"""The same phrase in another place on the neck, for what nobody has seen played, or for another hand."""

import itertools
from collections.abc import Sequence
from dataclasses import replace

from notcher.place.hand import Wanted
from notcher.place.solver import Placed, place
from notcher.score.errors import ScoreError
from notcher.score.note import Mark, Note
from notcher.score.tuning import Tuning

_LEAST_SHARE = 0.5
_ANCHORS = 3
# A note that stays where it was costs as much as a shift of so many frets.
_STAYS = 3.0
# Beyond so many times the effort of where it lies now, and some frets, it is no place for it.
_MOST_EFFORT, _FREE = 2.5, 8.0


def elsewhere(notes: Sequence[Note], tuning: Tuning) -> tuple[Note, ...]:
    """Notes of a phrase, in time order, in the easiest place where at least half of them lie elsewhere than now.

    Natural harmonics stay, as they sound only where they are. Raises ScoreError where there is no such place.
    """
    movable = [i for i, n in enumerate(notes) if Mark.NATURAL_HARMONIC not in n.marks]
    as_now = [Wanted.of(n, n.pitch(tuning), fixed=i not in movable) for i, n in enumerate(notes)]
    # All of it elsewhere; or from one of the first notes on, which decide where the hand goes.
    tries = [[replace(w, not_there=(n.string, n.fret)) for w, n in zip(as_now, notes, strict=True)]]
    for i in movable[:_ANCHORS]:
        for where in tuning.places(notes[i].pitch(tuning)):
            tries.append([replace(w, place=where) if k == i else w for k, w in enumerate(as_now)])
    best: tuple[float, list[Placed]] | None = None
    most = _MOST_EFFORT * _effort(place([Wanted.of(n, n.pitch(tuning), fixed=True) for n in notes], tuning)) + _FREE
    for wanted in tries:
        found = place(wanted, tuning)
        other = sum((p.string, p.fret) != (n.string, n.fret) for p, n in zip(found, notes, strict=True))
        effort = _effort(found)
        if other < _LEAST_SHARE * len(notes) or effort > most or not _sounds_the_same(found, notes, tuning):
            continue
        cost = effort + _STAYS * (len(notes) - other)
        if best is None or cost < best[0]:
            best = cost, found
    if best is None:
        raise ScoreError("this phrase lies well in no other place; move single notes with the arrows instead")
    return tuple(
        replace(n, string=p.string, fret=p.fret, held=True, finger=None) for n, p in zip(notes, best[1], strict=True)
    )


def _sounds_the_same(found: Sequence[Placed], notes: Sequence[Note], tuning: Tuning) -> bool:
    return all(tuning.pitch(p.string, p.fret) == n.pitch(tuning) for p, n in zip(found, notes, strict=True))


def _effort(found: Sequence[Placed]) -> float:
    """Frets the hand moves, and half a fret for each change of string."""
    moves = sum(abs(b.position - a.position) for a, b in itertools.pairwise(found))
    return moves + 0.5 * sum(a.string != b.string for a, b in itertools.pairwise(found))
