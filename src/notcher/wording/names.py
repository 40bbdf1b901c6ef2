"""Names as a language has them: places in a row, notes, tunings."""

from notcher.score.clause import Ordinal
from notcher.score.tuning import Tuning
from notcher.wording.catalogue import term

ORDINALS = ("{n}st", "{n}nd", "{n}rd", "{n}th")
_SHARPS = "C C♯ D D♯ E F F♯ G G♯ A A♯ B"
_FLATS = "C D♭ D E♭ E F G♭ G A♭ A B♭ B"
TWELVE_NOTES = (_SHARPS, _FLATS)


def ordinal(n: int) -> str:
    """A place in a row as it is counted: the 1st string is the thinnest."""
    english = str(Ordinal(n))
    # A pattern for each way they end in English: 3rd, 4th; a language with one way fills them all in alike.
    return term("ordinal", "{n}" + english.removeprefix(str(n))).format(n=n)


def note_name(midi: int, *, flats: bool = False, octave: bool = True) -> str:
    """Name of a MIDI pitch as the language has it, with its octave in scientific pitch notation (A4 is 440 Hz)."""
    names = term("the twelve notes", _FLATS if flats else _SHARPS).split()
    return f"{names[midi % 12]}{midi // 12 - 1}" if octave else names[midi % 12]


def pitch_class(name: str) -> int | None:
    """The pitch class (0 is C) of a note's name in the language in use, None for what is none."""
    for row in TWELVE_NOTES:
        names = [n.lower() for n in term("the twelve notes", row).split()]
        if name.lower() in names:
            return names.index(name.lower())
    return None


def spoken(tuning: Tuning) -> str:
    """A tuning's strings from low to high, as it is said: E A D G B E."""
    return " ".join(note_name(p, octave=False, flats=tuning.flat) for p in reversed(tuning.pitches))


def called(tuning: Tuning) -> str:
    """A tuning's name as it is said (half step down, drop D), or its strings where it has none."""
    return term("tuning", str(tuning)) if tuning.name else spoken(tuning)
