"""What was measured of a note as it was found: numbers for showing why, and for reading the notes around it."""

from dataclasses import dataclass
from typing import Annotated

from notcher.score.declared import declared


@dataclass(frozen=True, slots=True)
class SecondString:
    """A note on another string than the contour follows. strength: how much its partials grew at the strike, as a share
    of what the main pitch has; partials_there: the share of its first six partials that sound."""

    strength: Annotated[float, declared("how much it grew at the strike, as a share of that note")]
    partials_there: Annotated[float, declared("share of its first six partials")]


@dataclass(frozen=True, slots=True)
class Weighed:
    """One thing that a decision weighed. what: its name in listen/classify/belief.py or
    listen/candidates/single_strings.py; value: as measured; share: of all that was weighed, below 0 where it spoke
    against what was decided, -1 to 1."""

    what: str
    value: float
    share: float


@dataclass(frozen=True, slots=True)
class Measured:
    """flux: how hard it was struck, 1 for the recording's hard strikes, 0 where none was heard; dip_db: how far the
    level fell before it; jump_cents: how far the pitch leapt from the note before, and glide_s: in how many seconds,
    0 for at once; base_error_cents: how far its fretted pitch lies from the fret's. unison: heard with another string
    that it is pushed up to. stroke: a stroke in which no pitch was heard. other: where it was found beside the
    contour, not on it. legato: how likely the fretting hand began it, 0 to 1, None where that was not asked. because:
    what decided most that it is a note, and reached: that it was hammered, pulled or slid to, or was not; the largest
    shares first. marked: that it is muted, a harmonic, dead, swelled or raked into.
    """

    flux: Annotated[float, declared("how hard it was struck, 1 for a hard strike of this recording")] = 0.0
    dip_db: Annotated[float, declared("how far the level fell before it")] = 0.0
    jump_cents: Annotated[float, declared("how far the pitch leapt from the note before")] = 0.0
    glide_s: Annotated[float, declared("in how many seconds it did")] = 0.0
    base_error_cents: Annotated[float, declared("how far the fretted pitch lies from the fret's")] = 0.0
    unison: Annotated[bool, declared("1: heard with another string that it is pushed up to")] = False
    other: Annotated[
        SecondString | None,
        declared("1: found beside the note that the contour follows", name="second_string"),
    ] = None
    legato: Annotated[float | None, declared("how likely the fretting hand began it, where that was asked")] = None
    because: Annotated[
        tuple[Weighed, ...],
        declared("what decided most that it is a note: [what, its value, its share of all that was weighed]"),
    ] = ()
    reached: Annotated[tuple[Weighed, ...], declared("what decided most how it is reached")] = ()
    stroke: Annotated[bool, declared("1: a stroke in which no pitch was heard")] = False
    marked: Annotated[
        tuple[Weighed, ...],
        declared("what decided most that it is muted, a harmonic, dead, swelled or raked into"),
    ] = ()
