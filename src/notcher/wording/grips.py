"""Grips for chords as they are read: a fret for each string from the thick one on, x where none sounds."""

from collections.abc import Sequence

from notcher.place.grips import Grip
from notcher.score.chord import Chord
from notcher.wording.chords import chord_name
from notcher.wording.say import tr

_MOST = 4


def grip_text(grip: Grip) -> str:
    """The frets from the thickest string to the thinnest: x 9 11 11 10 9."""
    return " ".join("x" if f is None else str(f) for f in reversed(grip.frets))


def fingers_text(grip: Grip) -> str:
    """The fingers in the same order, - where none is needed."""
    return " ".join("-" if f is None else str(f) for f in reversed(grip.fingers))


def grips_words(found: Sequence[tuple[Chord, Grip]]) -> str:
    """Several in a line; empty for none."""
    rows = [
        tr("{chord} {frets} (fingers {fingers})", chord=chord_name(c), frets=grip_text(g), fingers=fingers_text(g))
        for c, g in found[:_MOST]
    ]
    return tr("Grips near the hand: {grips}", grips=" · ".join(rows)) if rows else ""
