"""What a beat is written as: a quarter, or in 6/8 and 12/8 three eighths, in 7/8 an eighth, in 2/2 a half."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from notcher.score.errors import ScoreError


@dataclass(frozen=True, slots=True)
class Unit:
    """name: as files say it; quarters: how many it lasts; times, type: a bar of n beats is one of n x times over type;
    parts: into how many a beat falls first."""

    name: str
    quarters: Fraction
    times: int
    type: int

    def signature(self, beats: int) -> tuple[int, int]:
        """The metre of a bar of so many beats, as it is written: 12 over 8."""
        return beats * self.times, self.type

    @property
    def in_threes(self) -> bool:
        """Whether a beat falls into three."""
        return self.times == 3


QUARTER = Unit("quarter", Fraction(1), 1, 4)
DOTTED_QUARTER = Unit("dotted quarter", Fraction(3, 2), 3, 8)
UNITS: tuple[Unit, ...] = (
    QUARTER, DOTTED_QUARTER, Unit("eighth", Fraction(1, 2), 1, 8), Unit("half", Fraction(2), 1, 2),
    Unit("16th", Fraction(1, 4), 1, 16),
)  # fmt: skip
"""All there are, the usual one first."""
COMMON = QUARTER.signature(4)


def unit_named(name: str) -> Unit:
    """The unit a file names. Raises ScoreError where there is none of that name."""
    for unit in UNITS:
        if unit.name == name:
            return unit
    known = ", ".join(unit.name for unit in UNITS)
    raise ScoreError("a beat is written as one of {known}, got '{name}'", known=known, name=name)


def unit_of(metres: Sequence[tuple[int, int]]) -> Unit:
    """The unit in which all of some metres, each as it is written, have whole numbers of beats, the longest of them.
    Eighths are counted in threes, and halves are counted, only where all are written so."""
    for unit in (DOTTED_QUARTER, *sorted((u for u in UNITS if not u.in_threes), key=lambda u: -u.quarters)):
        if metres and all(_fits(unit, count, kind) for count, kind in metres):
            return unit
    return QUARTER


def _fits(unit: Unit, count: int, kind: int) -> bool:
    if unit.in_threes:
        return kind == unit.type and count % unit.times == 0
    if unit.quarters > 1 and kind != unit.type:
        return False
    return (Fraction(4 * count, kind) / unit.quarters).denominator == 1
