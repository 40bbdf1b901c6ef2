"""A note as it was heard, before it has a place on the neck."""

from dataclasses import dataclass

from notcher.score.measured import Measured
from notcher.score.note import Attack, Bend, Mark, Maybe, Vibrato
from notcher.score.sure import Sure

FOLLOWS_ON_S = 0.03
"""A note that begins within this of another's end follows on it: six frames, as ends are found to a few frames only."""


@dataclass(frozen=True, slots=True)
class HeardNote:
    """A note as it was heard, without a place on the neck. pitch: fretted, of a harmonic the one that sounds, MIDI,
    offset taken out; times in seconds. partial: of the fretted string, that a pinch harmonic is. maybe: techniques that
    are not likely enough to be written."""

    onset: float
    end: float
    pitch: int
    attack: Attack
    bend: Bend | None
    vibrato: Vibrato | None
    marks: frozenset[Mark]
    confidence: float
    evidence: Measured
    sure: Sure | None = None
    partial: int | None = None
    maybe: tuple[Maybe, ...] = ()
