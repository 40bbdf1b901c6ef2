"""The few shapes a sheet is made of. Units are points (1/72 inch), origin at the page's top left."""

from dataclasses import dataclass, field

Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Paper:
    """A size of paper, in points."""

    width: float
    height: float


A4, LETTER = Paper(595.28, 841.89), Paper(612.0, 792.0)
PAPERS = {"a4": A4, "letter": LETTER}
"""By the names they are asked for with."""


@dataclass(frozen=True, slots=True)
class Line:
    """A straight line."""

    x1: float
    y1: float
    x2: float
    y2: float
    width: float = 0.6
    dash: bool = False
    grey: float = 0.0


@dataclass(frozen=True, slots=True)
class Curve:
    """A cubic Bézier curve through four control points."""

    points: tuple[Point, ...]
    width: float = 0.8


@dataclass(frozen=True, slots=True)
class Polygon:
    """A filled shape; grey 0 is black, 1 white."""

    points: tuple[Point, ...]
    grey: float = 0.0


@dataclass(frozen=True, slots=True)
class Outline:
    """A filled shape of closed contours, inner ones left open where they turn the other way: each a first point, then
    pieces of one point (a straight line) or three (a cubic Bézier curve)."""

    contours: tuple[tuple[tuple[Point, ...], ...], ...]


@dataclass(frozen=True, slots=True)
class Text:
    """One line of text. anchor: start, middle or end; style: '', 'B' or 'I'; y is the base line."""

    x: float
    y: float
    text: str
    size: float
    anchor: str = "start"
    style: str = ""
    grey: float = 0.0


Shape = Line | Curve | Polygon | Outline | Text


def moved(shape: Shape, dx: float, dy: float, *, scale: float = 1.0) -> Shape:
    """The same shape elsewhere, and larger or smaller about the origin first."""

    def at(point: Point) -> Point:
        return point[0] * scale + dx, point[1] * scale + dy

    # Made anew, field by field: a page moves thousands, and dataclasses.replace takes five times as long.
    match shape:
        case Line(x1, y1, x2, y2, width, dash, grey):
            return Line(*at((x1, y1)), *at((x2, y2)), width * scale, dash, grey)
        case Text(x, y, text, size, anchor, style, grey):
            return Text(*at((x, y)), text, size * scale, anchor, style, grey)
        case Curve(points, width):
            return Curve(tuple(map(at, points)), width * scale)
        case Polygon(points, grey):
            return Polygon(tuple(map(at, points)), grey)
        case Outline():
            return Outline(tuple(tuple(tuple(map(at, piece)) for piece in contour) for contour in shape.contours))


@dataclass(slots=True)
class Page:
    """One page's shapes, in drawing order, and the places that its bookmarks lead to: a name, its y, and how deep
    in the list it stands."""

    paper: Paper = A4
    shapes: list[Shape] = field(default_factory=list)
    marks: list[tuple[str, float, int]] = field(default_factory=list)
