"""Chords: a root, a kind, perhaps another bass, and where they sound."""

from dataclasses import dataclass
from typing import Annotated

from notcher.score.clause import Clause
from notcher.score.declared import Chance, Seconds, declared
from notcher.score.errors import ScoreError
from notcher.score.limits import check_time
from notcher.score.spelling import Tone

# Fifths on the line from a root up to each degree.
FIFTHS = {
    "1": 0, "b2": -5, "2": 2, "#2": 9, "b3": -3, "3": 4, "4": -1, "#4": 6, "b5": -6, "5": 1, "#5": 8, "b6": -4,
    "6": 3, "bb7": -9, "b7": -2, "7": 5, "b9": -5, "9": 2, "#9": 9, "11": -1, "#11": 6, "b13": -4, "13": 3,
}  # fmt: skip
"""Each degree, and how many fifths it lies from its root on the line of fifths."""


@dataclass(frozen=True, slots=True)
class ChordKind:
    """A kind of chord. name: its own, by which it is kept; xml: MusicXML's kind-value; symbol: what is written after
    the root; degrees: its tones by their degree, the root first; added: those that MusicXML's kind-value lacks."""

    name: str
    xml: str
    symbol: str
    degrees: tuple[str, ...]
    added: tuple[str, ...] = ()

    @property
    def semitones(self) -> tuple[int, ...]:
        """Its tones as semitones above the root, 0 to 11."""
        return tuple(7 * FIFTHS[d] % 12 for d in self.degrees)

    @property
    def minor(self) -> bool:
        """Whether its third is the small one."""
        return "b3" in self.degrees


def _kind(name: str, symbol: str, degrees: str, xml: str = "", added: str = "") -> ChordKind:
    return ChordKind(name, xml or name, symbol, tuple(degrees.split()), tuple(added.split()))


_TABLE = (
    _kind("major", "", "1 3 5"),
    _kind("minor", "m", "1 b3 5"),
    _kind("dominant", "7", "1 3 5 b7"),
    _kind("minor-seventh", "m7", "1 b3 5 b7"),
    _kind("major-seventh", "maj7", "1 3 5 7"),
    _kind("suspended-second", "sus2", "1 2 5"),
    _kind("suspended-fourth", "sus4", "1 4 5"),
    _kind("diminished", "dim", "1 b3 b5"),
    _kind("half-diminished", "m7♭5", "1 b3 b5 b7"),
    _kind("augmented", "aug", "1 3 #5"),
    _kind("major-sixth", "6", "1 3 5 6"),
    _kind("power", "5", "1 5"),
    # Those below are written by hand, and not looked for in a recording.
    _kind("minor-sixth", "m6", "1 b3 5 6"),
    _kind("diminished-seventh", "dim7", "1 b3 b5 bb7"),
    _kind("augmented-seventh", "7♯5", "1 3 #5 b7"),
    _kind("major-minor", "m(maj7)", "1 b3 5 7"),
    _kind("seventh-suspended", "7sus4", "1 4 5 b7", "suspended-fourth", "b7"),
    _kind("added-ninth", "add9", "1 3 5 9", "major", "9"),
    _kind("minor-added-ninth", "m(add9)", "1 b3 5 9", "minor", "9"),
    _kind("dominant-ninth", "9", "1 3 5 b7 9"),
    _kind("minor-ninth", "m9", "1 b3 5 b7 9"),
    _kind("major-ninth", "maj9", "1 3 5 7 9"),
    _kind("dominant-flat-ninth", "7♭9", "1 3 5 b7 b9", "dominant", "b9"),
    _kind("dominant-sharp-ninth", "7♯9", "1 3 5 b7 #9", "dominant", "#9"),
    _kind("minor-11th", "m11", "1 b3 5 b7 9 11"),
    _kind("dominant-11th", "11", "1 5 b7 9 11"),
    _kind("dominant-13th", "13", "1 3 5 b7 9 13"),
    _kind("ninth-suspended", "9sus4", "1 4 5 b7 9", "suspended-fourth", "b7 9"),
    _kind("13th-suspended", "13sus4", "1 4 5 b7 9 13", "suspended-fourth", "b7 9 13"),
    _kind("major-sixth-ninth", "6/9", "1 3 5 6 9", "major-sixth", "9"),
    _kind("minor-sixth-ninth", "m6/9", "1 b3 5 6 9", "minor-sixth", "9"),
    _kind("major-13th", "maj13", "1 3 5 7 9 13"),
    _kind("minor-13th", "m13", "1 b3 5 b7 9 13"),
    _kind("dominant-flat-fifth", "7♭5", "1 3 b5 b7", "dominant", "b5"),
    _kind("dominant-sharp-11th", "7♯11", "1 3 5 b7 #11", "dominant", "#11"),
    _kind("dominant-flat-13th", "7♭13", "1 3 5 b7 b13", "dominant", "b13"),
    _kind("major-sharp-11th", "maj7♯11", "1 3 5 7 #11", "major-seventh", "#11"),
    _kind("altered", "7alt", "1 3 #5 b7 b9", "augmented-seventh", "b9"),
)
KINDS = {kind.name: kind for kind in _TABLE}
"""Every kind of chord by its name (degrees: any standard textbook's, from memory)."""
HEARD = tuple(kind.name for kind in _TABLE[:12])
"""Those that are looked for in a recording."""


@dataclass(frozen=True, slots=True)
class Chord:
    """A chord as it is written. kind: one of KINDS; bass: its lowest tone where that is not the root."""

    root: Tone
    kind: Annotated[str, declared(enum=tuple(KINDS))] = "major"
    bass: Tone | None = None

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise ScoreError("'{kind}' is no kind of chord; there are {kinds}", kind=self.kind, kinds=", ".join(KINDS))

    @property
    def pitch_classes(self) -> tuple[int, ...]:
        """Of its tones, the root first; another bass counts last."""
        own = tuple((self.root.pitch_class + s) % 12 for s in KINDS[self.kind].semitones)
        return own if self.bass is None or self.bass.pitch_class in own else (*own, self.bass.pitch_class)

    def tone(self, pitch: int) -> Tone | None:
        """How a pitch is written that belongs to this chord, None for one that does not."""
        for degree, semitones in zip(KINDS[self.kind].degrees, KINDS[self.kind].semitones, strict=True):
            if (self.root.pitch_class + semitones - pitch) % 12 == 0:
                return self.root.up(FIFTHS[degree])
        return self.bass if self.bass is not None and (self.bass.pitch_class - pitch) % 12 == 0 else None

    def plain(self) -> str:
        """The symbol in letters that any keyboard has: F#m7, A/C#."""
        kind = KINDS[self.kind].symbol.replace("♭", "b").replace("♯", "#")
        return self.root.plain() + kind + (f"/{self.bass.plain()}" if self.bass else "")

    def __str__(self) -> str:
        return f"{self.root}{KINDS[self.kind].symbol}" + (f"/{self.bass}" if self.bass else "")


@dataclass(frozen=True, slots=True)
class ChordAt:
    """What sounds under the lead from a time in seconds on, until the next one. chord: None for no chord at all.

    confidence: the chance that root and third are right; offers: the next best; decided: whether the person said so.
    """

    start: Seconds
    chord: Annotated[Chord | None, declared("null: no chord sounds")]
    confidence: Chance = 1.0
    offers: Annotated[tuple[Chord, ...], declared("the next best")] = ()
    decided: Annotated[bool, declared("whether the person said so")] = False

    def __post_init__(self) -> None:
        check_time(self.start, Clause("a chord"))
        if not 0 <= self.confidence <= 1:
            raise ScoreError("a confidence is 0 to 1, got {confidence}", confidence=self.confidence)
