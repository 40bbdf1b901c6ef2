"""Rhythm under a line of tab: stems, beams, flags, dots and brackets of tuplets; and rests on it."""

from collections.abc import Iterable, Sequence
from math import cos, pi, sin

from notcher.formats.sheet.measure import text_width
from notcher.formats.sheet.shapes import Curve, Line, Point, Polygon, Shape, Text
from notcher.rhythm.beams import beamed, flags_of, tuplets
from notcher.rhythm.cells import Cell
from notcher.rhythm.values import Value

STEM, TUPLET = 15.0, 8.5
"""Points that stems take, and numbers of tuplets under them."""
REST_HALF = 4.2
"""Points that a rest takes to each side."""
_BEAM, _APART, _STUB = 2.0, 3.2, 4.5
_LONG = {"whole", "half"}


def stems(cells: Sequence[Cell], xs: Sequence[float], top: float) -> list[Shape]:
    """All that stands between top and top + STEM, and the numbers of tuplets under it."""
    out: list[Shape] = []
    groups = beamed(cells)
    under_beam = {k for group in groups for k in group}
    foot = top + STEM
    for k, cell in enumerate(cells):
        value = cell.value
        if value is None or cell.rests:
            continue
        if value.type != "whole":
            out.append(Line(xs[k], top if value.type != "half" else top + STEM / 2, xs[k], foot, 0.8))
        if k not in under_beam:
            out += _flags(xs[k], foot, flags_of(value))
        for d in range(value.dots):
            out.append(_round(xs[k] + 3.0 + 2.6 * d, top + 2.2 if value.type != "half" else top + STEM / 2, 0.85))
    for group in groups:
        out += _beams([(xs[k], flags_of(value)) for k in group if (value := cells[k].value) is not None], foot)
    for first, last, number in tuplets(cells):
        whole = any(set(range(first, last + 1)) <= set(group) for group in groups)
        out += _bracket(xs[first], xs[last], foot + 2.0, str(number), bracket=not whole)
    return out


def _flags(x: float, foot: float, count: int) -> list[Shape]:
    return [
        Curve(((x, y), (x + 0.6, y - 2.6), (x + 5.0, y - 3.4), (x + 4.0, y - 7.2)), 0.9)
        for y in (foot - _APART * j for j in range(count))
    ]


def _beams(members: Sequence[tuple[float, int]], foot: float) -> list[Shape]:
    out: list[Shape] = []
    for level in range(1, 1 + max(count for _, count in members)):
        y = foot - _APART * (level - 1)
        k = 0
        while k < len(members):
            if members[k][1] < level:
                k += 1
                continue
            end = k
            while end + 1 < len(members) and members[end + 1][1] >= level:
                end += 1
            if end > k:
                out.append(_bar(members[k][0], members[end][0], y))
            else:
                # A short one points to the beat's inside.
                back = k == len(members) - 1
                out.append(_bar(members[k][0] - (_STUB if back else 0), members[k][0] + (0 if back else _STUB), y))
            k = end + 1
    return out


def _bar(x1: float, x2: float, y: float) -> Polygon:
    a, b = x1 - 0.4, x2 + 0.4
    return Polygon(((a, y - _BEAM), (b, y - _BEAM), (b, y), (a, y)))


def _bracket(x1: float, x2: float, y: float, number: str, *, bracket: bool) -> list[Shape]:
    middle = (x1 + x2) / 2
    out: list[Shape] = [Text(middle, y + 5.4, number, 6.4, "middle", "I")]
    if bracket and x2 - x1 > 8:
        at = y + 3.4
        out += [Line(x1 - 1.5, y + 0.6, x1 - 1.5, at, 0.5), Line(x1 - 1.5, at, middle - 3.6, at, 0.5),
                Line(middle + 3.6, at, x2 + 1.5, at, 0.5), Line(x2 + 1.5, y + 0.6, x2 + 1.5, at, 0.5)]  # fmt: skip
    return out


def rest(x: float, y: float, value: Value) -> list[Shape]:
    """A rest about the middle of a line of tab at (x, y), from y - 8 to y + 8 at most."""
    out: list[Shape]
    if value.type in _LONG:
        up = value.type == "half"
        low, high = (y - 3.4, y) if up else (y, y + 3.4)
        out = [
            Polygon(((x - 3.4, low), (x + 3.4, low), (x + 3.4, high), (x - 3.4, high))),
            Line(x - 5, y, x + 5, y, 0.6),
        ]
    elif value.type == "quarter":
        out = [
            Line(x - 1.6, y - 7.0, x + 1.8, y - 2.6, 1.0),
            Polygon(((x + 1.8, y - 2.6), (x - 1.6, y + 0.6), (x + 2.0, y + 4.2), (x + 0.6, y - 0.6))),
            Curve(((x + 2.0, y + 4.2), (x - 2.6, y + 1.8), (x - 3.0, y + 5.0), (x + 0.4, y + 7.4)), 1.0),
        ]
    else:
        count = flags_of(value)
        high = y - 2.4 - 1.8 * (count - 1)
        foot = y + 3.4 + 1.8 * (count - 1)
        out = [Line(x + 2.4, high - 1.2, x - 0.6, foot, 0.8)]
        for j in range(count):
            at = high + 3.6 * j
            edge = x + 2.4 - 3.0 * (3.6 * j) / max(1.0, foot - high + 1.2)
            out += [_round(edge - 3.6, at, 1.25), Curve(((edge - 3.6, at + 1.0), (edge - 2.2, at + 1.6),
                                                         (edge - 1.0, at + 0.6), (edge, at - 1.0)), 0.7)]  # fmt: skip
    return [*out, *(_round(x + 5.4 + 2.6 * d, y - 1.6, 0.85) for d in range(value.dots))]


def silence(x1: float, x2: float, y: float, bars: int, top: float) -> list[Shape]:
    """A bar between two ends, and over the line of tab how many bars of silence it stands for."""
    middle = (x1 + x2) / 2
    return [
        Polygon(((x1, y - 1.8), (x2, y - 1.8), (x2, y + 1.8), (x1, y + 1.8))), Line(x1, y - 5, x1, y + 5, 0.8),
        Line(x2, y - 5, x2, y + 5, 0.8), Text(middle, top - 3.0, str(bars), 8.0, "middle", "B"),
    ]  # fmt: skip


_METRE_WIDTH = 11.0


def metre(x: float, top: float, staff: float, written: tuple[int, int]) -> list[Shape]:
    """A metre, its figures over one another between a line of tab's first string and its last."""
    size = min(14.0, staff / 2 * 1.05)
    # Two figures in the room of one.
    size *= min(1.0, _METRE_WIDTH / max(text_width(str(n), size, "B") for n in written))
    middle = top + staff / 2
    return [
        Text(x, middle - 1.6, str(written[0]), size, "middle", "B"),
        Text(x, middle + 0.72 * size + 1.6, str(written[1]), size, "middle", "B"),
    ]


def repeat(x: float, top: float, staff: float, *, ends: bool) -> list[Shape]:
    """A sign of repeat at a bar line at x, its dots on the side of what is repeated."""
    side = -1 if ends else 1
    middle = top + staff / 2
    return [
        Line(x, top, x, top + staff, 2.0), Line(x + side * 3.0, top, x + side * 3.0, top + staff, 0.6),
        *(_round(x + side * 5.6, middle + d, 1.0) for d in (-4.0, 4.0)),
    ]  # fmt: skip


def tie(x1: float, x2: float, y: float) -> Shape:
    """The arc of a tie under a number's line."""
    depth = min(4.4, 2.4 + (x2 - x1) / 30)
    third = (x2 - x1) / 3
    return Curve(((x1, y), (x1 + third, y + depth), (x2 - third, y + depth), (x2, y)), 0.7)


def _round(x: float, y: float, radius: float) -> Polygon:
    return Polygon(tuple((x + radius * cos(pi * k / 5), y + radius * sin(pi * k / 5)) for k in range(10)))


def spans(shapes: Iterable[Shape]) -> tuple[float, float]:
    """The highest and the lowest y that shapes reach; of text, about."""
    ys = [y for s in shapes for _, y in _points(s)]
    return (min(ys), max(ys)) if ys else (0.0, 0.0)


def sides(shape: Shape) -> tuple[float, float]:
    """The leftmost and the rightmost x of a shape; of text, its anchor."""
    xs = [x for x, _ in _points(shape)]
    return min(xs), max(xs)


def _points(shape: Shape) -> list[Point]:
    match shape:
        case Line():
            return [(shape.x1, shape.y1), (shape.x2, shape.y2)]
        case Text():
            return [(shape.x, shape.y - 0.75 * shape.size), (shape.x, shape.y)]
        case Curve() | Polygon():
            return list(shape.points)
        case _:
            return [point for contour in shape.contours for piece in contour for point in piece]
