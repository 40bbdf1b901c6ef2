"""How the guitar is tuned: the pitches of the open strings, and their names as guitarists say them."""

from dataclasses import dataclass

from notcher.score.errors import ScoreError
from notcher.score.pitch import note_name, parse_note_name

HIGHEST_FRET = 24
HIGHEST_CAPO = 12


@dataclass(frozen=True, slots=True)
class Tuning:
    """Open strings 1 (thinnest) to 6 as MIDI pitches, and the name it goes by ('' for one without).

    capo: the fret it sits at, 0 for none; frets of notes are counted from it, as tab is written.
    """

    pitches: tuple[int, ...]
    name: str = ""
    capo: int = 0

    def __post_init__(self) -> None:
        if len(self.pitches) != 6:
            raise ScoreError(f"a tuning names six strings, got {len(self.pitches)}")
        if not all(16 <= p <= 88 for p in self.pitches):
            raise ScoreError(f"an open string lies between E0 and E6, got {', '.join(map(str, self.pitches))}")
        if not 0 <= self.capo <= HIGHEST_CAPO:
            raise ScoreError(f"a capo sits at fret 0 (none) to {HIGHEST_CAPO}, got {self.capo}")

    @property
    def open_pitches(self) -> tuple[int, ...]:
        """What the open strings sound with the capo on, MIDI, string 1 first."""
        return tuple(p + self.capo for p in self.pitches)

    @property
    def highest_fret(self) -> int:
        """The neck's last fret, counted as notes are: from the capo."""
        return HIGHEST_FRET - self.capo

    @property
    def reach(self) -> str:
        """The frets there are, as a clause."""
        capo = f", counted from the capo at fret {self.capo}" if self.capo else ""
        return f"frets go from 0 (open) to {self.highest_fret}{capo}"

    def check_fret(self, fret: int) -> None:
        """Raises ScoreError for a fret the neck does not have."""
        if not 0 <= fret <= self.highest_fret:
            raise ScoreError(f"{self.reach}, got {fret}")

    def facts(self) -> list[str]:
        """What every page says of the guitar: how it is tuned, and where a capo sits."""
        found = [f"Tuning (low to high): {self.spoken()}"]
        if self.capo:
            found.append(f"Capo at fret {self.capo}; frets are counted from it")
        return found

    def pitch(self, string: int, fret: int) -> int:
        """MIDI pitch of a fretted note, frets counted from the capo. Raises ScoreError for a string outside 1 to 6."""
        if not 1 <= string <= 6:
            raise ScoreError(f"strings go from 1 (thinnest) to 6, got {string}")
        return self.pitches[string - 1] + self.capo + fret

    def fret_for(self, pitch: int, string: int) -> int | None:
        """The fret that gives a MIDI pitch on a string, or None where the neck does not reach it."""
        fret = pitch - self.pitches[string - 1] - self.capo
        return fret if 0 <= fret <= self.highest_fret else None

    def places(self, pitch: int) -> list[tuple[int, int]]:
        """All (string, fret) that give a MIDI pitch, thinnest string first."""
        found = ((s, self.fret_for(pitch, s)) for s in range(1, 7))
        return [(s, f) for s, f in found if f is not None]

    def letters(self) -> list[str]:
        """The strings' letters, string 1 first; the thinner of two of one letter is written small."""
        names = [note_name(p, octave=False, flats=self._flat()) for p in self.pitches]
        if names[0] in names[1:]:
            names[0] = names[0].lower()
        return names

    def spoken(self) -> str:
        """The tuning from low to high, as it is said: E A D G B E."""
        return " ".join(note_name(p, octave=False, flats=self._flat()) for p in reversed(self.pitches))

    def called(self) -> str:
        """The tuning's name as it is said (half step down, drop D), or its strings where it has none."""
        words = [w.upper() if len(w) == 1 or w == "dadgad" else w for w in self.name.split("-")]
        return " ".join(words) or self.spoken()

    def shape_shift(self) -> int | None:
        """Semitones from what sounds to the name by shape, as if in standard tuning with no capo, where all strings are
        shifted alike (0 for standard), else None."""
        shifts = {s - p for s, p in zip(STANDARD.pitches, self.open_pitches, strict=True)}
        return shifts.pop() if len(shifts) == 1 else None

    def _flat(self) -> bool:
        return self.pitches[0] < 64


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
    )
}


def parse_tuning(text: str) -> Tuning:
    """A tuning from its name, or from six pitches, string 1 to 6: E4,B3,G3,D3,A2,E2.

    Raises ScoreError, listing the names, for anything else.
    """
    key = text.strip().lower().replace("_", "-").replace(" ", "-")
    if key in NAMED:
        return NAMED[key]
    parts = [p for p in text.replace(",", " ").split() if p]
    if len(parts) != 6:
        raise ScoreError(f"'{text}' is no tuning; use {', '.join(NAMED)}, or six pitches such as E4,B3,G3,D3,A2,E2")
    pitches = tuple(parse_note_name(p) for p in parts)
    for known in NAMED.values():
        if known.pitches == pitches:
            return known
    return Tuning(pitches)
