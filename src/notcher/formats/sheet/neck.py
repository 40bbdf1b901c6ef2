"""A phrase on the neck as a strip of the printed page: fingers in tags, rings where bends go, the way of the hand."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import cos, pi, sin

from notcher.formats.sheet.measure import text_width
from notcher.formats.sheet.shapes import Line, Polygon, Shape, Text
from notcher.place.board import Board
from notcher.place.fingers import Fingered
from notcher.score.note import Note
from notcher.score.tuning import Tuning
from notcher.wording import term, tr
from notcher.wording.hands import figure
from notcher.wording.names import string_names
from notcher.wording.places import way_words

STRING_GAP, _ABOVE, _FRETS, _HAND = 9.4, 9.0, 12.0, 11.0
_TAG, _BEFORE_NUT, _SIDE = 7.6, 10.0, 22.0
_RING_SIDES = 14
_MOST_WAY = 8


@dataclass(frozen=True, slots=True)
class Necks:
    """That a strip is wanted with each phrase, and for whom."""

    left_handed: bool = False


def height(strings: int) -> float:
    """Points that a strip takes."""
    return _ABOVE + (strings - 1) * STRING_GAP + _FRETS + _HAND + 7.0


def strip(
    notes: Sequence[Note], hand: Mapping[str, Fingered], tuning: Tuning, *, x: float, y: float, width: float,
    left_handed: bool,
) -> list[Shape]:  # fmt: skip
    """The strip's shapes, from (x, y) on. As the player looks down on it: the thickest string uppermost, the nut on the
    left, or for the left-handed on the right."""
    board = Board.of(notes, [n.fret for n in notes], tuning, left_handed=left_handed)
    left, room = x + _SIDE, width - 2 * _SIDE
    top = y + _ABOVE

    def across(share: float) -> float:
        return left + share * room

    def lane(string: int) -> float:
        return top + (tuning.strings - string) * STRING_GAP

    bottom = lane(1)
    out: list[Shape] = []
    for fret in range(board.first_wire, board.high + 1):
        wire = across(board.share(fret))
        out.append(Line(wire, top - 2, wire, bottom + 2, 2.2 if fret == 0 else 0.5, grey=0.0 if fret == 0 else 0.55))
        if fret > board.first_wire:
            middle = (across(board.share(fret - 1)) + wire) / 2
            out.append(Text(middle, bottom + 10.5, str(fret), 7.0, "middle", grey=0.25))
            for at in {1: (0.5,), 2: (0.3, 0.7)}.get(board.dots(fret), ()):
                out.append(_round(middle, top + at * (bottom - top), 1.7, grey=0.72))
    ends = sorted((across(board.share(board.first_wire)), across(board.share(board.high))))
    letters = x + width - 14.0 if left_handed else x + 2.0
    for string, letter in zip(tuning.numbers, string_names(tuning), strict=True):
        out.append(Line(ends[0], lane(string), ends[1], lane(string), 0.35 + 0.11 * string, grey=0.45))
        out.append(Text(letters, lane(string) + 2.4, letter, 7.0, grey=0.25))
    for n in notes:
        if n.bend is not None and n.fret:
            goal = across(board.goal(n, n.fret))
            out += _ring(goal, lane(n.string), 2.9)
            out.append(Text(goal, lane(n.string) - 4.0, term("staff", n.bend.interval_name), 5.6, "middle"))
    drawn: set[tuple[int, int]] = set()
    for n in notes:
        if (n.string, n.fret) in drawn:
            continue
        drawn.add((n.string, n.fret))
        nut = across(board.share(0)) + (_BEFORE_NUT if left_handed else -_BEFORE_NUT) if n.fret == 0 else 0.0
        at = across(board.pressed(n.fret)) if n.fret else nut
        out += _tag(at, lane(n.string), figure(hand[n.id], n.fret))
    way = tr("hand: {way}", way=way_words([hand[n.id].position for n in notes], most=_MOST_WAY))
    out.append(Text(left, bottom + _FRETS + _HAND, way, 7.5, grey=0.15))
    return out


def spots(
    notes: Sequence[Note], tuning: Tuning, *, x: float, y: float, width: float, left_handed: bool
) -> dict[str, tuple[float, float]]:
    """Where a strip drawn alike has each note's tag, by its id."""
    board = Board.of(notes, [n.fret for n in notes], tuning, left_handed=left_handed)
    left, room, top = x + _SIDE, width - 2 * _SIDE, y + _ABOVE
    nut = left + board.share(0) * room + (_BEFORE_NUT if left_handed else -_BEFORE_NUT)
    return {
        n.id: (left + board.pressed(n.fret) * room if n.fret else nut, top + (tuning.strings - n.string) * STRING_GAP)
        for n in notes
    }


def _tag(x: float, y: float, figure: str) -> list[Shape]:
    half = max(_TAG / 2, text_width(figure, 6.4, "B") / 2 + 1.4)
    outer = _outline(x, y, half, _TAG / 2)
    inner = _outline(x, y, half - 0.8, _TAG / 2 - 0.8)
    return [Polygon(outer), Polygon(inner, grey=1.0), Text(x - 0.5, y + 2.3, figure, 6.4, "middle", "B")]


def _outline(x: float, y: float, half: float, high: float) -> tuple[tuple[float, float], ...]:
    """A tag with a notch at its right side."""
    return (
        (x - half, y - high), (x + half, y - high), (x + half - 1.5, y), (x + half, y + high), (x - half, y + high),
    )  # fmt: skip


def _round(x: float, y: float, radius: float, *, grey: float) -> Polygon:
    return Polygon(_circle(x, y, radius), grey=grey)


def _ring(x: float, y: float, radius: float) -> list[Shape]:
    return [_round(x, y, radius, grey=0.0), _round(x, y, radius - 0.8, grey=1.0)]


def _circle(x: float, y: float, radius: float) -> tuple[tuple[float, float], ...]:
    turns = [2 * pi * k / _RING_SIDES for k in range(_RING_SIDES)]
    return tuple((x + radius * cos(t), y + radius * sin(t)) for t in turns)
