"""How hard a phrase is, in figures, and at which pace and how often it is first played.

Each figure is a quantity that players name (notes a second, how far and how fast the hand shifts, strings crossed, how
wide it stretches, bends, techniques); load = sum of weight x figure / what is hard of it, each part no more than
_MOST_PART. The hard values and weights are common practice, no source; a person's own results then correct the pace.

    first pace (%) = 100 / (1 + load), rounded to 5 and kept within 35 to 85
    rounds = 3 + load rounded, 3 to 8
"""

import itertools
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from notcher.place.solver import around, fingering
from notcher.place.way import Step, shifts, widest
from notcher.score.note import TOGETHER_S, Attack, Note
from notcher.score.practice import TakeKept
from notcher.score.project import Project
from notcher.score.technique import MARKS

_WINDOW = 4
_WIDE_CENTS = 300
_COLOUR = frozenset(row.mark for row in MARKS if row.colour)
SLOWEST_FIRST, FASTEST_FIRST = 35, 85
FEWEST_ROUNDS, MOST_ROUNDS = 3, 8
# Weight of each figure, and what is hard of it.
WEIGHTS = {
    "peak": (0.55, 10.0), "shifts": (0.15, 1.0), "crossings": (0.1, 0.6), "stretch": (0.12, 100.0),
    "bends": (0.2, 0.3), "silent": (0.12, 0.2), "techniques": (0.08, 0.5),
}  # fmt: skip
"""By figure: its weight, and the value of it that is hard."""
_MOST_PART = 1.6
# Takes of which the last so many say how the person does.
_LAST = 4
_STEP = 5


@dataclass(frozen=True, slots=True)
class Difficulty:
    """peak: notes a second at the fastest; shifts: how many, the farthest in mm and the seconds there are for the
    quickest; crossings: share of the notes that lie on another string than the one before; stretch_mm: the widest;
    bends: share of the notes that are bent, wide: of a step and a half and more, silent: pre-bent; techniques: share
    that is not picked plainly; load: all of it together."""

    notes: int
    peak: float
    shifts: int
    shift_mm: float
    shift_s: float
    crossings: float
    stretch_mm: float
    bends: float
    wide: int
    silent: int
    techniques: float

    @property
    def parts(self) -> dict[str, float]:
        """What each figure adds to the load."""
        hurried = (self.shift_mm / 150.0) / max(0.25, 2 * self.shift_s) if self.shifts else 0.0
        values = {
            "peak": self.peak, "shifts": hurried, "crossings": self.crossings, "stretch": self.stretch_mm,
            "bends": self.bends + 0.5 * self.wide / max(1, self.notes), "silent": self.silent / max(1, self.notes),
            "techniques": self.techniques,
        }  # fmt: skip
        return {
            name: weight * min(_MOST_PART, values[name] / hard) for name, (weight, hard) in WEIGHTS.items()
        }  # fmt: skip

    @property
    def load(self) -> float:
        """All figures together; about 0.3 for an easy phrase, 1 for a hard one."""
        return sum(self.parts.values())

    @property
    def first_pace(self) -> int:
        """Percent of the recording's pace to begin with."""
        pace = _STEP * round(100.0 / (1.0 + self.load) / _STEP)
        return max(SLOWEST_FIRST, min(FASTEST_FIRST, pace))

    @property
    def rounds(self) -> int:
        """How often it is first played."""
        return max(FEWEST_ROUNDS, min(MOST_ROUNDS, FEWEST_ROUNDS + round(2 * self.load)))


def difficulty(project: Project, notes: Sequence[Note]) -> Difficulty:
    """The figures of some notes in time order."""
    strokes = [g[0] for g in _struck(notes)]
    onsets = [n.onset for n in strokes]
    span = min(_WINDOW, max(1, len(onsets) - 1))
    peak = max((span / max(1e-3, b - a) for a, b in zip(onsets, onsets[span:], strict=False)), default=0.0)
    hands = fingering(around(project, notes), hand=project.playing.hand) if notes else {}
    steps = [Step(n.onset, n.fret, hands[n.id]) for n in notes]
    scale = project.playing.scale_mm
    moved = shifts(steps, project.tuning, scale_mm=scale)
    wide = widest(steps, project.tuning, scale_mm=scale)
    picked = [n for n in notes if n.attack is Attack.PICK and not n.marks & _COLOUR]
    many = max(1, len(notes))
    return Difficulty(
        notes=len(notes), peak=peak, shifts=len(moved), shift_mm=max((abs(s.mm) for s in moved), default=0.0),
        shift_s=min((s.seconds for s in moved), default=0.0),
        crossings=sum(a.string != b.string for a, b in itertools.pairwise(strokes)) / max(1, len(strokes) - 1),
        stretch_mm=wide.mm if wide is not None else 0.0, bends=sum(n.bend is not None for n in notes) / many,
        wide=sum(n.bend is not None and n.bend.target_cents >= _WIDE_CENTS for n in notes),
        silent=sum(n.bend is not None and n.bend.starts_raised for n in notes),
        techniques=1.0 - len(picked) / many,
    )  # fmt: skip


def _struck(notes: Sequence[Note]) -> list[list[Note]]:
    groups: list[list[Note]] = []
    for n in notes:
        if groups and n.onset - groups[-1][0].onset < TOGETHER_S:
            groups[-1].append(n)
        else:
            groups.append([n])
    return groups


def pace_for(found: Difficulty, takes: Sequence[TakeKept]) -> int:
    """The pace to begin with, as a person's own takes of the phrase correct it: a step above the fastest clean one of
    the last, a step below the slowest that was not clean where none was."""
    last = sorted(takes, key=lambda t: t.made)[-_LAST:]
    clean = [t.pace for t in last if t.clean]
    if clean:
        pace = max(clean) + _STEP
    elif last:
        pace = min(float(found.first_pace), statistics.median(t.pace for t in last) - _STEP)
    else:
        pace = float(found.first_pace)
    return int(max(25, min(100, _STEP * round(pace / _STEP))))
