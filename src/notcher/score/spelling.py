"""Names of tones as they are written: a letter and its sharps or flats, each a place on the line of fifths.

The line of fifths: … B♭ F C G D A E B F♯ … with C at 0, a fifth up being 1. All spelling is arithmetic on it (Temperley
2001, "The Cognition of Basic Musical Structures", chapter 5).
"""

import re
from dataclasses import dataclass

from notcher.score.errors import ScoreError

_LETTERS = "FCGDAEB"
_NAME = re.compile("([A-Ga-g])(♯♯|##|𝄪|♭♭|bb|𝄫|[♯#x]|[♭b]|)")
_SHIFT = {"": 0, "♯": 1, "#": 1, "x": 2, "𝄪": 2, "♯♯": 2, "##": 2, "♭": -1, "b": -1, "𝄫": -2, "♭♭": -2, "bb": -2}
# Places on the line that have at most two sharps or flats.
_LOWEST, _HIGHEST = -15, 19


@dataclass(frozen=True, slots=True, order=True)
class Tone:
    """A tone's written name, without its octave: a place on the line of fifths, C being 0."""

    fifths: int

    def __post_init__(self) -> None:
        if not _LOWEST <= self.fifths <= _HIGHEST:
            raise ScoreError("a tone has at most two sharps or flats, got place {fifths} of the line of fifths",
                             fifths=self.fifths)  # fmt: skip

    @classmethod
    def named(cls, name: str) -> "Tone":
        """The tone of a name such as F#, F♯, Bb or c. Raises ScoreError for anything else."""
        found = _NAME.fullmatch(name.strip())
        if found is None:
            raise ScoreError("'{name}' is no tone; write a letter from A to G and # or b, such as F# or Bb", name=name)
        return cls(_LETTERS.index(found[1].upper()) - 1 + 7 * _SHIFT[found[2]])

    @property
    def letter(self) -> str:
        """A to G."""
        return _LETTERS[(self.fifths + 1) % 7]

    @property
    def alter(self) -> int:
        """Semitones by which it lies above its letter: 1 for a sharp, -1 for a flat."""
        return (self.fifths + 1) // 7

    @property
    def pitch_class(self) -> int:
        """0 for C to 11 for B."""
        return 7 * self.fifths % 12

    def octave_of(self, midi: int) -> int:
        """The octave of a MIDI pitch that is written as this tone: the B♯ that sounds as C4 is B♯3."""
        return (midi - self.alter) // 12 - 1

    def up(self, fifths: int) -> "Tone":
        """The tone so many fifths further on the line, brought back by 12 (the same sound) where its name would have
        more than two sharps or flats."""
        at = self.fifths + fifths
        while at > _HIGHEST:
            at -= 12
        while at < _LOWEST:
            at += 12
        return Tone(at)

    def plain(self) -> str:
        """The name in letters that any keyboard has: F#, Bb."""
        return self.letter + ("#" * self.alter if self.alter > 0 else "b" * -self.alter)

    def __str__(self) -> str:
        return self.letter + ("♯" * self.alter if self.alter > 0 else "♭" * -self.alter)


def within(pitch_class: int, lowest: int) -> Tone:
    """The one of the twelve tones from a place on the line of fifths on that sounds as a pitch class."""
    # 7 is its own inverse among the twelve: a pitch class lies 7 times as many fifths from C.
    return Tone(lowest + (7 * pitch_class - lowest) % 12)
