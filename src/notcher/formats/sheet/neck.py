"""A phrase on the neck as a strip of the printed page: fingers in tags, rings where bends go, the way of the hand."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import cos, inf, pi, sin

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
_RING_SIDES, _RING, _INTERVAL = 14, 2.9, 5.6
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
    said, said_half = inf, 0.0
    for fret in range(board.first_wire, board.high + 1):
        wire = across(board.share(fret))
        out.append(Line(wire, top - 2, wire, bottom + 2, 2.2 if fret == 0 else 0.5, grey=0.0 if fret == 0 else 0.55))
        if fret > board.first_wire:
            middle = (across(board.share(fret - 1)) + wire) / 2
            half = text_width(str(fret), 7.0) / 2
            if abs(middle - said) > half + said_half + 1.5:
                # Where frets are narrow, not each has its number.
                out.append(Text(middle, bottom + 10.5, str(fret), 7.0, "middle", grey=0.25))
                said, said_half = middle, half
            for at in {1: (0.5,), 2: (0.3, 0.7)}.get(board.dots(fret), ()):
                out.append(_round(middle, top + at * (bottom - top), 1.7, grey=0.72))
    ends = sorted((across(board.share(board.first_wire)), across(board.share(board.high))))
    # Beyond the tags of open strings.
    letters, anchor = (x + width - 7.0, "start") if left_handed else (x + 7.0, "end")
    for string, letter in zip(tuning.numbers, string_names(tuning), strict=True):
        out.append(Line(ends[0], lane(string), ends[1], lane(string), 0.35 + 0.11 * string, grey=0.45))
        out.append(Text(letters, lane(string) + 2.4, letter, 7.0, anchor, grey=0.25))
    nut = across(board.share(0)) + (_BEFORE_NUT if left_handed else -_BEFORE_NUT)
    tags = {
        (n.string, n.fret): (across(board.pressed(n.fret)) if n.fret else nut, lane(n.string),
                             figure(hand[n.id], n.fret))
        for n in reversed(notes)
    }  # fmt: skip
    goals = {
        (across(board.goal(n, n.fret)), lane(n.string), term("staff", n.bend.interval_name))
        for n in notes if n.bend is not None and n.fret
    }  # fmt: skip
    taken = [_around(at, high, _half_tag(words), _TAG / 2) for at, high, words in tags.values()]
    taken += [_around(goal, high, _RING, _RING) for goal, high, _ in goals]
    for goal, high, _ in sorted(goals):
        out += _ring(goal, high, _RING)
    for goal, high, words in sorted(goals):
        out += _interval(goal, high, words, taken, bottom)
    for at, high, words in tags.values():
        out += _tag(at, high, words)
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


_Box = tuple[float, float, float, float]


def _around(x: float, y: float, half: float, high: float) -> _Box:
    return x - half, y - high, x + half, y + high


def _interval(x: float, y: float, words: str, taken: list[_Box], bottom: float) -> list[Shape]:
    """How far the bend to a ring goes, where it covers nothing: over the ring, under it or beside it; nowhere where
    there is no room, as the tab says it, too. Takes its place."""
    half = text_width(words, _INTERVAL) / 2
    for dx, dy in ((0.0, -4.0), (0.0, 8.6), (_RING + half + 1.2, 2.0), (-_RING - half - 1.2, 2.0)):
        box = (x + dx - half, y + dy - 0.75 * _INTERVAL, x + dx + half, y + dy + 0.3)
        clear = all(box[2] < b[0] or b[2] < box[0] or box[3] < b[1] or b[3] < box[1] for b in taken)
        if clear and y + dy <= bottom + 2.0:
            taken.append(box)
            return [Text(x + dx, y + dy, words, _INTERVAL, "middle")]
    return []


def _half_tag(figure: str) -> float:
    return max(_TAG / 2, text_width(figure, 6.4, "B") / 2 + 1.4)


def _tag(x: float, y: float, figure: str) -> list[Shape]:
    half = _half_tag(figure)
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
