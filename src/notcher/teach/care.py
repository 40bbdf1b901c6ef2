"""What strains a hand in a phrase, and when to rest: said once in its place, as cautions; clinicians know better.

The limits are common practice, no source: wide bends, wide stretches and long fast picking are what guitar teachers
have learners do in short turns.
"""

from collections.abc import Sequence

from notcher.place.solver import around, fingering
from notcher.place.way import Step, widest
from notcher.score.clause import Clause
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.score.tuning import STANDARD, Tuning

WIDE_BEND_CENTS, WIDE_FRETS, WIDE_MM = 300, 5, 100.0
FAST_A_SECOND, FAST_FOR_S = 8.0, 10.0
REST_MINUTES, MOST_REST_MINUTES = 20, 120
"""Minutes of sounding loops after which a rest is said, as it is set at first, and at most; 0 for never."""


def strains(project: Project, notes: Sequence[Note]) -> tuple[Clause, ...]:
    """What a phrase (in time order) asks of the hand that is better done in short turns, a clause each."""
    return tuple(c for c in (_bend(notes), _stretch(project, notes), _speed(notes)) if c is not None)


def _bend(notes: Sequence[Note]) -> Clause | None:
    most = max((n.bend.target_cents for n in notes if n.bend is not None), default=0)
    if most < WIDE_BEND_CENTS:
        return None
    return Clause("bends of {steps:g} steps", steps=most / 200)


def _stretch(project: Project, notes: Sequence[Note]) -> Clause | None:
    if not notes:
        return None
    hands = fingering(around(project, notes), hand=project.playing.hand)
    steps = [Step(n.onset, n.fret, hands[n.id]) for n in notes]
    found = widest(steps, project.tuning, scale_mm=project.playing.scale_mm)
    if found is None or (found.high - found.low < WIDE_FRETS and found.mm <= WIDE_MM):
        return None
    frets = found.high - found.low
    return Clause(
        "a stretch of {n} fret, {mm:.0f} mm", many="a stretch of {n} frets, {mm:.0f} mm", n=frets, mm=found.mm
    )


def _speed(notes: Sequence[Note]) -> Clause | None:
    """The longest passage in which notes come at eight a second and more."""
    longest, begin = 0.0, 0
    gap = 1.0 / FAST_A_SECOND + 0.005
    for k in range(1, len(notes)):
        if notes[k].onset - notes[k - 1].onset > gap:
            begin = k
        longest = max(longest, notes[k].onset - notes[begin].onset)
    if longest < FAST_FOR_S:
        return None
    return Clause("{a_second:.0f} notes a second for {seconds:.0f} s", a_second=FAST_A_SECOND, seconds=longest)


def raised(tuning: Tuning) -> tuple[int, ...]:
    """The strings that are tuned above standard, which pulls harder on string, neck and hand; a capo does not."""
    return tuple(k for k, (p, q) in enumerate(zip(tuning.pitches, STANDARD.pitches, strict=False), 1) if p > q)


class Rest:
    """Counts the minutes in which loops sound, and says when a rest is due; silence does not count, nor is it said
    again before as many minutes more."""

    def __init__(self) -> None:
        self._sounded_s = 0.0

    def sounded(self, seconds: float, *, minutes: int) -> bool:
        """So many seconds more of a loop have sounded; whether a rest is due now, as it is every so many minutes."""
        if minutes <= 0:
            self._sounded_s = 0.0
            return False
        self._sounded_s += seconds
        if self._sounded_s < 60.0 * minutes:
            return False
        self._sounded_s = 0.0
        return True
