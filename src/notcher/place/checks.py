"""What cannot be played as it lies, in words that say where."""

from collections.abc import Iterator, Sequence

from notcher.place.fingers import can_hold
from notcher.place.wanted import Wanted
from notcher.score.clause import Clause
from notcher.score.note import Note, strikes
from notcher.score.tuning import Tuning


def cannot_be_played(notes: Sequence[Note], tuning: Tuning) -> Iterator[Clause]:
    """Each thing that is wrong with where notes lie, in time order: two on one string at once, a strike that no hand
    holds, a fret that the neck does not have."""
    for group in strikes(notes):
        at = group[0].onset
        strings = [n.string for n in group]
        twice = next((s for s in strings if strings.count(s) > 1), None)
        beyond = next((n for n in group if n.fret > tuning.highest_fret), None)
        if twice is not None:
            yield Clause(
                "at {onset:.2f} s two notes lie on string {string}; one string gives one note, so move one of them",
                onset=at, string=twice,
            )  # fmt: skip
        elif beyond is not None:
            yield Clause(
                "at {onset:.2f} s fret {fret} lies beyond this neck; {reach}", onset=at, fret=beyond.fret,
                reach=tuning.reach,
            )  # fmt: skip
        elif not can_hold([Wanted.of(n, tuning, fixed=True) for n in group], [(n.string, n.fret) for n in group]):
            yield Clause(
                "at {onset:.2f} s no hand holds frets {frets} at once; move one of them to another string", onset=at,
                frets=", ".join(str(n.fret) for n in group if n.fret),
            )  # fmt: skip
