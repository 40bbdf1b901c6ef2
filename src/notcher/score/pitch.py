"""Arithmetic of equal temperament, frets, strings and natural harmonics.

Pitches are MIDI numbers (A4 = 69), floats where a pitch lies between two keys; intervals are cents.
"""

import math
import re
from dataclasses import dataclass

from notcher.score.errors import ScoreError

A4_HZ = 440.0
A4_MIDI = 69
SHARP_NAMES = ("C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B")
FLAT_NAMES = ("C", "D♭", "D", "E♭", "E", "F", "G♭", "G", "A♭", "A", "B♭", "B")
_OCTAVE = re.compile("-?[0-9]{1,2}")
_LETTERS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}


def midi_to_hz(midi: float, *, offset_cents: float = 0.0) -> float:
    """Frequency in Hz of a MIDI pitch in a recording that sits offset_cents from A = 440."""
    return A4_HZ * math.exp2((midi - A4_MIDI + offset_cents / 100.0) / 12.0)


def hz_to_midi(hz: float, *, offset_cents: float = 0.0) -> float:
    """MIDI pitch (float) of a frequency, with the recording's offset taken out.

    Raises ScoreError unless hz > 0.
    """
    if not hz > 0:
        raise ScoreError("a frequency must be above 0 Hz, got {hz}", hz=hz)
    return A4_MIDI + 12.0 * math.log2(hz / A4_HZ) - offset_cents / 100.0


def note_name(midi: int, *, flats: bool = False, octave: bool = True) -> str:
    """Name of a MIDI pitch in scientific pitch notation: 69 is A4, 64 is E4."""
    name = (FLAT_NAMES if flats else SHARP_NAMES)[midi % 12]
    return f"{name}{midi // 12 - 1}" if octave else name


@dataclass(frozen=True, slots=True)
class PitchName:
    """A MIDI pitch as a value of a Clause, to be named in the person's language. flats: how black keys are named."""

    midi: int
    flats: bool = False

    def __str__(self) -> str:
        return note_name(self.midi, flats=self.flats)


def parse_note_name(text: str) -> int:
    """MIDI pitch of a name such as E4, F#3, Bb2, C♯4.

    Raises ScoreError for anything else.
    """
    body = text.strip()
    letter = body[:1].upper()
    rest = body[1:].replace("♯", "#").replace("♭", "b")
    shift = 0
    while rest[:1] in ("#", "b"):
        shift += 1 if rest[0] == "#" else -1
        rest = rest[1:]
    if letter not in _LETTERS or not _OCTAVE.fullmatch(rest):
        raise ScoreError("'{text}' is not a pitch; write a letter, # or b, and an octave, such as E4 or Bb2", text=text)
    return _LETTERS[letter] + shift + 12 * (int(rest) + 1)


def fret_distance(fret: float, *, scale_length: float) -> float:
    """Distance of a fret from the nut, in the unit of scale_length: L(1 - 2^(-f/12)), equal temperament."""
    return scale_length * (1.0 - math.exp2(-fret / 12.0))


def fret_gap(low: float, high: float, *, scale_length: float) -> float:
    """Distance along the neck between two frets, in the unit of scale_length."""
    return abs(fret_distance(high, scale_length=scale_length) - fret_distance(low, scale_length=scale_length))


def tension_ratio(semitones: float) -> float:
    """How much a string's tension must rise to bend it by semitones: 2^(n/6), length and mass unchanged.

    From Mersenne's law, f proportional to the square root of tension.
    """
    return math.exp2(semitones / 6.0)


def harmonic_node_fret(partial: int) -> float:
    """The node of a partial nearest the nut, as a fret: 12 log2(k / (k - 1)).

    Raises ScoreError for partial < 2: the fundamental has no node between nut and bridge.
    """
    if partial < 2:
        raise ScoreError("a natural harmonic needs partial 2 or higher, got {partial}", partial=partial)
    return 12.0 * math.log2(partial / (partial - 1))


def harmonic_nodes(partial: int) -> tuple[float, ...]:
    """All nodes of a partial, as frets, the one nearest the nut first: 12 log2(k / (k - j)) for j from 1 to k - 1."""
    return tuple(12.0 * math.log2(partial / (partial - node)) for node in range(1, partial))


def harmonic_partial(fret: float, *, highest: int = 9) -> int:
    """The lowest partial with a node within 0.35 fret of a place on the string.

    Raises ScoreError where no node of a partial up to `highest` is near.
    """
    for partial in range(2, highest + 1):
        if any(abs(place - fret) <= 0.35 for place in harmonic_nodes(partial)):
            return partial
    raise ScoreError("no harmonic up to partial {highest} has its node near fret {fret:g}", highest=highest, fret=fret)


def harmonic_rise(partial: int) -> float:
    """Semitones (float) by which partial k sounds above the open string: 12 log2(k)."""
    return 12.0 * math.log2(partial)


def nearest_quarter(cents: float) -> int:
    """Cents rounded to a quarter of a whole step (50 cents), halves away from zero."""
    return int(math.copysign(math.floor(abs(cents) / 50.0 + 0.5) * 50, cents)) if cents else 0
