"""Grips for chords as they are read: a fret for each string from the thick one on, x where none sounds."""

from collections.abc import Sequence

from notcher.place.grips import Grip
from notcher.score.chord import Chord
from notcher.score.spelling import Tone, within
from notcher.wording.chords import chord_name
from notcher.wording.say import tr

_MOST = 4
# The names of shapes: from E flat to G sharp.
_FIRST_NAME = -3


def _named(chord: Chord, shift: int) -> str:
    """A chord as it sounds, and where that is another, by its shape: E♭m, shape Em."""
    if shift % 12 == 0:
        return chord_name(chord)
    shape = Chord(_moved(chord.root, shift), chord.kind, _moved(chord.bass, shift) if chord.bass else None)
    return tr("{chord}, shape {shape}", chord=chord_name(chord), shape=chord_name(shape))


def _moved(tone: Tone, shift: int) -> Tone:
    return within(tone.pitch_class + shift, _FIRST_NAME)


def grip_text(grip: Grip) -> str:
    """The frets from the thickest string to the thinnest: x 9 11 11 10 9."""
    return " ".join("x" if f is None else str(f) for f in reversed(grip.frets))


def fingers_text(grip: Grip) -> str:
    """The fingers in the same order, - where none is needed."""
    return " ".join("-" if f is None else str(f) for f in reversed(grip.fingers))


def grips_words(found: Sequence[tuple[Chord, Grip]], *, shift: int = 0) -> str:
    """Several in a line; empty for none. shift: half steps by which chords are called otherwise by their shape, as on a
    guitar that is tuned down or has a capo."""
    rows = [
        tr("{chord} {frets} (fingers {fingers})", chord=_named(c, shift), frets=grip_text(g), fingers=fingers_text(g))
        for c, g in found[:_MOST]
    ]
    return tr("Grips near the hand: {grips}", grips=" · ".join(rows)) if rows else ""
