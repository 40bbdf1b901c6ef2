"""A phrase in layers, each holding what the one before holds and more: the notes; slides and legato; the finer sizes of
bends; and colour. What belongs to which is common practice, no source."""

from collections.abc import Sequence
from dataclasses import replace
from enum import StrEnum

from notcher.score.errors import ScoreError
from notcher.score.note import HARMONICS, MOVES_THE_PITCH, Attack, Bend, BendKind, Mark, Note
from notcher.score.technique import MARKS

_COLOUR = frozenset(row.mark for row in MARKS if row.colour) | HARMONICS
_OF_LEGATO = frozenset({Mark.SLIDE_IN, Mark.SLIDE_OFF, Mark.TRILL, Mark.LEFT_HAND, Mark.REPICKED})
_WHOLE_CENTS = 100


class Layer(StrEnum):
    """How much of a phrase is shown and heard, from the least on."""

    NOTES = "notes"
    LEGATO = "legato"
    BENDS = "bends"
    COLOUR = "all"


ORDER = tuple(Layer)


def layer_of(name: str) -> Layer:
    """The layer of that name. Raises ScoreError where there is none."""
    if name not in ORDER:
        raise ScoreError("there is no layer '{name}'; there are: {known}", name=name, known=", ".join(ORDER))
    return Layer(name)


def layered(notes: Sequence[Note], layer: Layer) -> tuple[Note, ...]:
    """The notes as a layer has them, in the same order and under the same ids; grace notes and dead strokes are left
    out before colour, and all else stays."""
    depth = ORDER.index(layer)
    if layer is Layer.COLOUR:
        return tuple(notes)
    kept = [n for n in notes if not n.marks & {Mark.GRACE, Mark.DEAD}]
    return tuple(_plain(n, depth) for n in kept)


def _plain(n: Note, depth: int) -> Note:
    marks = n.marks - _COLOUR
    attack = Attack.PICK if n.attack is Attack.RAKE else n.attack
    if depth < ORDER.index(Layer.LEGATO):
        marks -= _OF_LEGATO | MOVES_THE_PITCH
        attack = Attack.PICK
    bend = n.bend
    if bend is not None and depth < ORDER.index(Layer.BENDS):
        bend = _to_a_fret(bend)
    return replace(n, marks=marks, attack=attack, bend=bend, vibrato=None, raked_from=None)


def _to_a_fret(bend: Bend) -> Bend | None:
    """A bend by whole frets, straight up; none for what is less, and for a curl."""
    goal = round(bend.target_cents / _WHOLE_CENTS) * _WHOLE_CENTS
    if bend.kind is BendKind.CURL or bend.target_cents < _WHOLE_CENTS:
        return None
    raised = bend.starts_raised
    return Bend(BendKind.PRE_BEND if raised else BendKind.BEND, goal)


def adds(notes: Sequence[Note], layer: Layer) -> int:
    """How many notes a layer changes or adds over the one before; all of them for the first."""
    k = ORDER.index(layer)
    now = {n.id: n for n in layered(notes, layer)}
    if k == 0:
        return len(now)
    before = {n.id: n for n in layered(notes, ORDER[k - 1])}
    return sum(before.get(i) != n for i, n in now.items())


def last_needed(notes: Sequence[Note]) -> Layer:
    """The first layer that already holds all there is."""
    whole = layered(notes, Layer.COLOUR)
    return next(layer for layer in ORDER if layered(notes, layer) == whole)
