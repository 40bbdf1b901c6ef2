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


def elsewhere(notes: Sequence[Note], tuning: Tuning) -> tuple[Note, ...]:
    """Notes of a phrase, in time order, in the easiest place where at least half of them lie elsewhere than now.

    Natural harmonics stay, as they sound only where they are. Raises ScoreError where there is no such place.
    """
    movable = [i for i, n in enumerate(notes) if Mark.NATURAL_HARMONIC not in n.marks]
    best: tuple[float, list[Placed]] | None = None
    for anchor in movable:
        n = notes[anchor]
        for where in tuning.places(n.pitch(tuning)):
            if where == (n.string, n.fret):
                continue
            wanted = [
                Wanted.of(m, m.pitch(tuning), fixed=i not in movable) for i, m in enumerate(notes)
            ]  # fmt: skip
            wanted[anchor] = replace(wanted[anchor], place=where)
            found = place(wanted, tuning)
            other = sum((p.string, p.fret) != (m.string, m.fret) for p, m in zip(found, notes, strict=True))
            if other < _LEAST_SHARE * len(notes) or not _sounds_the_same(found, notes, tuning):
                continue
            cost = _effort(found)
            if best is None or cost < best[0]:
                best = cost, found
        # The first notes that can move decide where the hand goes; the others follow.
        if best is not None and anchor >= movable[min(3, len(movable) - 1)]:
            break
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
