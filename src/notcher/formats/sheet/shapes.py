"""The few shapes a sheet is made of. Units are points (1/72 inch), origin at the page's top left."""

from dataclasses import dataclass, field, replace

PAGE_WIDTH, PAGE_HEIGHT = 595.28, 841.89
"""A4, in points."""


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

    points: tuple[tuple[float, float], ...]
    width: float = 0.8


@dataclass(frozen=True, slots=True)
class Polygon:
    """A filled shape; grey 0 is black, 1 white."""

    points: tuple[tuple[float, float], ...]
    grey: float = 0.0


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


Shape = Line | Curve | Polygon | Text


def moved(shape: Shape, dx: float, dy: float) -> Shape:
    """The same shape elsewhere."""
    match shape:
        case Line():
            return replace(shape, x1=shape.x1 + dx, y1=shape.y1 + dy, x2=shape.x2 + dx, y2=shape.y2 + dy)
        case Text():
            return replace(shape, x=shape.x + dx, y=shape.y + dy)
        case Curve() | Polygon():
            return replace(shape, points=tuple((x + dx, y + dy) for x, y in shape.points))


@dataclass(slots=True)
class Page:
    """One page's shapes, in drawing order."""

    shapes: list[Shape] = field(default_factory=list)
