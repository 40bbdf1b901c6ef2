"""What a reader understood of a score, in beats from its beginning."""

from dataclasses import dataclass
from fractions import Fraction

from notcher.score.chord import Chord
from notcher.score.key import Key
from notcher.score.note import Attack, Bend, Mark, Vibrato
from notcher.score.tuning import Tuning
from notcher.score.unit import QUARTER, Unit

LEAD_IN_S = 0.5
"""Seconds before the first beat of a score without a recording."""


@dataclass(frozen=True, slots=True)
class ReadNote:
    """start, length: beats; pitch: MIDI, as fretted; string, fret: None where the score does not say.

    A grace note has no length and starts where the note it leads to does. vibrato: True where it is only said that
    there is some; seconds: (onset, end) where the file itself says them; arrives: the share of the note after which
    its bend is there, where the score says so.
    """

    start: Fraction
    length: Fraction
    pitch: int
    string: int | None = None
    fret: int | None = None
    attack: Attack = Attack.PICK
    bend: Bend | None = None
    vibrato: Vibrato | bool = False
    marks: frozenset[Mark] = frozenset()
    finger: int | None = None
    partial: int | None = None
    doubt: str | None = None
    advice: str = ""
    raked_from: int | None = None
    sounding: float | None = None
    seconds: tuple[float, float] | None = None
    arrives: float | None = None

    @property
    def grace(self) -> bool:
        """Whether it only leads to the next note."""
        return self.length == 0


@dataclass(frozen=True, slots=True)
class Stretch:
    """A named part of a score between two times in seconds."""

    name: str
    start: float
    end: float


@dataclass(frozen=True, slots=True)
class ReadScore:
    """notes: by start, then pitch from high to low. tempos: (beat, beats a minute), the first at 0; none where there is
    no rhythm. metres: (bar from 1, beats); unit: what a beat is written as; pickup: beats before
    bar 1. parts: names of other parts that could be read instead. skipped: what was not understood, a clause each.

    chords, keys, phrases: where each begins, in beats, or in seconds where there is no rhythm.

    written: whether starts and lengths are note values somebody wrote, rather than what was played.
    """

    notes: tuple[ReadNote, ...]
    tuning: Tuning | None = None
    title: str = ""
    performer: str = ""
    rights: str = ""
    tempos: tuple[tuple[Fraction, float], ...] = ()
    metres: tuple[tuple[int, int], ...] = ((1, 4),)
    unit: Unit = QUARTER
    pickup: int = 0
    written: bool = True
    stretches: tuple[Stretch, ...] = ()
    chords: tuple[tuple[Fraction, Chord | None], ...] = ()
    keys: tuple[tuple[Fraction, Key], ...] = ()
    phrases: tuple[tuple[Fraction, str], ...] = ()
    part: str = ""
    parts: tuple[str, ...] = ()
    skipped: tuple[str, ...] = ()
