"""Names as a language has them: places in a row, notes, tunings."""

from notcher.score.clause import Ordinal
from notcher.score.tuning import Tuning
from notcher.wording.catalogue import term

ORDINALS = ("{n}st", "{n}nd", "{n}rd", "{n}th")
_SHARPS = "C C♯ D D♯ E F F♯ G G♯ A A♯ B"
_FLATS = "C D♭ D E♭ E F G♭ G A♭ A B♭ B"
TWELVE_NOTES = (_SHARPS, _FLATS)
_german = False


def call_notes(*, german: bool) -> None:
    """Name notes from here on as the language has them, or the German way: H for B, and B for B flat."""
    global _german
    _german = german


def german_names() -> bool:
    """Whether notes are named the German way."""
    return _german


def twelve_notes(*, flats: bool = False) -> list[str]:
    """The names of the twelve notes from C on, as they are called now."""
    names = term("the twelve notes", _FLATS if flats else _SHARPS).split()
    if _german:
        names[10:] = ["B" if flats else names[10], "H"]
    return names


def string_names(tuning: Tuning) -> list[str]:
    """The letters of a guitar's strings from the thinnest on, as they are called now."""
    return [{"B": "H", "B♭": "B"}.get(name, name) if _german else name for name in tuning.letters()]


def ordinal(n: int) -> str:
    """A place in a row as it is counted: the 1st string is the thinnest."""
    english = str(Ordinal(n))
    # A pattern for each way they end in English: 3rd, 4th; a language with one way fills them all in alike.
    return term("ordinal", "{n}" + english.removeprefix(str(n))).format(n=n)


def note_name(midi: int, *, flats: bool = False, octave: bool = True) -> str:
    """Name of a MIDI pitch as the language has it, with its octave in scientific pitch notation (A4 is 440 Hz)."""
    names = twelve_notes(flats=flats)
    return f"{names[midi % 12]}{midi // 12 - 1}" if octave else names[midi % 12]


def pitch_class(name: str) -> int | None:
    """The pitch class (0 is C) of a note's name in the language in use, None for what is none."""
    for flats in (False, True):
        names = [n.lower() for n in twelve_notes(flats=flats)]
        if name.lower() in names:
            return names.index(name.lower())
    return None


def spoken(tuning: Tuning) -> str:
    """A tuning's strings from low to high, as it is said: E A D G B E."""
    return " ".join(note_name(p, octave=False, flats=tuning.flat) for p in reversed(tuning.pitches))


def called(tuning: Tuning) -> str:
    """A tuning's name as it is said (half step down, drop D), or its strings where it has none."""
    return term("tuning", str(tuning)) if tuning.name else spoken(tuning)
