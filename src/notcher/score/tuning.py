"""How the guitar is tuned: the pitches of the open strings, and their names as guitarists say them."""

from dataclasses import dataclass
from typing import Annotated

from notcher.score.clause import Clause
from notcher.score.declared import declared, within
from notcher.score.errors import ScoreError
from notcher.score.pitch import note_name, parse_note_name

HIGHEST_FRET = 24
LOWEST_LAST_FRET = 12
HIGHEST_CAPO = 12
FEWEST_STRINGS, MOST_STRINGS = 6, 8


@dataclass(frozen=True, slots=True)
class Tuning:
    """Open strings from 1 (thinnest) on as MIDI pitches, and the name it goes by ('' for one without).

    capo: the fret it sits at, 0 for none; frets of notes are counted from it, as tab is written. frets: the neck's last
    fret, counted from the nut.
    """

    pitches: Annotated[
        tuple[int, ...],
        declared("open strings from 1 (thinnest) on, MIDI", minItems=FEWEST_STRINGS, maxItems=MOST_STRINGS),
    ]
    name: str = ""
    capo: Annotated[
        int, within(0, HIGHEST_CAPO, "fret of the capo, 0 for none; frets of notes are counted from it")
    ] = 0
    frets: Annotated[int, within(LOWEST_LAST_FRET, HIGHEST_FRET, "the neck's last fret")] = HIGHEST_FRET

    def __post_init__(self) -> None:
        if not FEWEST_STRINGS <= len(self.pitches) <= MOST_STRINGS:
            raise ScoreError(
                "a guitar has {fewest_strings} to {most_strings} strings, got {n}",
                fewest_strings=FEWEST_STRINGS,
                most_strings=MOST_STRINGS,
                n=len(self.pitches),
            )
        if not LOWEST_LAST_FRET <= self.frets <= HIGHEST_FRET:
            raise ScoreError(
                "a neck has {lowest_last_fret} to {highest_fret} frets, got {frets}",
                lowest_last_fret=LOWEST_LAST_FRET,
                highest_fret=HIGHEST_FRET,
                frets=self.frets,
            )
        if not all(16 <= p <= 88 for p in self.pitches):
            raise ScoreError(
                "an open string lies between E0 and E6, got {names}", names=", ".join(map(str, self.pitches))
            )
        if not 0 <= self.capo <= HIGHEST_CAPO:
            raise ScoreError(
                "a capo sits at fret 0 (none) to {highest_capo}, got {capo}", highest_capo=HIGHEST_CAPO, capo=self.capo
            )

    def __str__(self) -> str:
        """Its name in English, as it is said (half step down, drop D), or its strings from low to high."""
        if not self.name:
            return " ".join(note_name(p, octave=False, flats=self.flat) for p in reversed(self.pitches))
        return " ".join(w.upper() if len(w) == 1 or w == "dadgad" else w for w in self.name.split("-"))

    @property
    def open_pitches(self) -> tuple[int, ...]:
        """What the open strings sound with the capo on, MIDI, string 1 first."""
        return tuple(p + self.capo for p in self.pitches)

    @property
    def strings(self) -> int:
        """How many strings there are."""
        return len(self.pitches)

    @property
    def numbers(self) -> range:
        """The strings' numbers, thinnest first."""
        return range(1, len(self.pitches) + 1)

    def has_string(self, string: int) -> bool:
        """Whether there is a string of that number."""
        return 1 <= string <= len(self.pitches)

    def check_string(self, string: int) -> None:
        """Raises ScoreError for a string the guitar does not have."""
        if not self.has_string(string):
            raise ScoreError("strings go from 1 (thinnest) to {n}, got {string}", n=len(self.pitches), string=string)

    @property
    def highest_fret(self) -> int:
        """The neck's last fret, counted as notes are: from the capo."""
        return self.frets - self.capo

    def check_fret(self, fret: int) -> None:
        """Raises ScoreError for a fret the neck does not have."""
        if not 0 <= fret <= self.highest_fret:
            raise ScoreError("{reach}, got {fret}", reach=self.reach, fret=fret)

    @property
    def reach(self) -> Clause:
        """The frets there are."""
        if not self.capo:
            return Clause("frets go from 0 (open) to {highest}", highest=self.highest_fret)
        return Clause(
            "frets go from 0 (open) to {highest}, counted from the capo at fret {capo}",
            highest=self.highest_fret, capo=self.capo,
        )  # fmt: skip

    def pitch(self, string: int, fret: int) -> int:
        """MIDI pitch of a fretted note, frets counted from the capo. Raises ScoreError for a string there is not."""
        self.check_string(string)
        return self.pitches[string - 1] + self.capo + fret

    def fret_for(self, pitch: int, string: int) -> int | None:
        """The fret that gives a MIDI pitch on a string, or None where the neck does not reach it."""
        fret = pitch - self.pitches[string - 1] - self.capo
        return fret if 0 <= fret <= self.highest_fret else None

    def places(self, pitch: int) -> list[tuple[int, int]]:
        """All (string, fret) that give a MIDI pitch, thinnest string first."""
        found = ((s, self.fret_for(pitch, s)) for s in self.numbers)
        return [(s, f) for s, f in found if f is not None]

    def letters(self) -> list[str]:
        """The strings' letters, string 1 first; the thinner of two of one letter is written small."""
        names = [note_name(p, octave=False, flats=self.flat) for p in self.pitches]
        if names[0] in names[1:]:
            names[0] = names[0].lower()
        return names

    def shape_shift(self) -> int | None:
        """Semitones from what sounds to the name by shape, as if in standard tuning with no capo, where all strings are
        shifted alike (0 for standard), else None."""
        shifts = {s - p for s, p in zip(_LONGEST_STANDARD, self.open_pitches, strict=False)}
        return shifts.pop() if len(shifts) == 1 else None

    @property
    def flat(self) -> bool:
        """Whether its strings are named with flats: a lowered guitar is."""
        return self.pitches[0] < 64


_LONGEST_STANDARD = (64, 59, 55, 50, 45, 40, 35, 30)
STANDARD = Tuning((64, 59, 55, 50, 45, 40), "standard")
NAMED = {
    t.name: t
    for t in (
        STANDARD,
        Tuning((63, 58, 54, 49, 44, 39), "half-step-down"),
        Tuning((62, 57, 53, 48, 43, 38), "d-standard"),
        Tuning((64, 59, 55, 50, 45, 38), "drop-d"),
        Tuning((63, 58, 54, 49, 44, 37), "drop-c-sharp"),
        Tuning((62, 57, 55, 50, 43, 38), "open-g"),
        Tuning((62, 57, 54, 50, 45, 38), "open-d"),
        Tuning((64, 59, 56, 52, 47, 40), "open-e"),
        Tuning((62, 57, 55, 50, 45, 38), "dadgad"),
        Tuning(_LONGEST_STANDARD[:7], "seven-string"),
        Tuning(_LONGEST_STANDARD, "eight-string"),
    )
}


def parse_tuning(text: str) -> Tuning:
    """A tuning from its name, or from six to eight pitches, string 1 first: E4,B3,G3,D3,A2,E2.

    Raises ScoreError, listing the names, for anything else.
    """
    key = text.strip().lower().replace("_", "-").replace(" ", "-")
    if key in NAMED:
        return NAMED[key]
    parts = [p for p in text.replace(",", " ").split() if p]
    if not FEWEST_STRINGS <= len(parts) <= MOST_STRINGS:
        raise ScoreError(
            "'{text}' is no tuning; use {names}, or six to eight pitches such as E4,B3,G3,D3,A2,E2",
            text=text,
            names=", ".join(NAMED),
        )
    pitches = tuple(parse_note_name(p) for p in parts)
    for known in NAMED.values():
        if known.pitches == pitches:
            return known
    return Tuning(pitches)
