"""Shapes as small SVG that takes its colour from the page: what is drawn alike goes into one element."""

from collections.abc import Sequence
from xml.sax.saxutils import escape

from notcher.formats.sheet.shapes import Curve, Line, Outline, Polygon, Shape, Text
from notcher.formats.sheet.writers import path_of

_ROUND = 2


def svg(shapes: Sequence[Shape], width: float, height: float, label: str) -> str:
    """An SVG element without a namespace, as HTML has it, in `currentColor`; label: what it is, in words."""
    strokes: dict[tuple[float, float, bool], list[str]] = {}
    fills: list[tuple[float, list[str]]] = []
    texts: list[str] = []
    for shape in shapes:
        match shape:
            case Line():
                path = f"M{_n(shape.x1)} {_n(shape.y1)}L{_n(shape.x2)} {_n(shape.y2)}"
                strokes.setdefault((round(shape.width, 1), shape.grey, shape.dash), []).append(path)
            case Curve():
                (a, b), *rest = shape.points
                path = f"M{_n(a)} {_n(b)}C" + " ".join(f"{_n(x)} {_n(y)}" for x, y in rest)
                strokes.setdefault((round(shape.width, 1), 0.0, False), []).append(path)
            case Polygon():
                path = "M" + "L".join(f"{_n(x)} {_n(y)}" for x, y in shape.points) + "Z"
                _filled(fills, shape.grey, path)
            case Outline():
                _filled(fills, 0.0, path_of(shape, _n))
            case Text():
                texts.append(_text(shape))
    out = [f'<svg role="img" aria-label="{escape(label, {chr(34): "&quot;"})}" viewBox="0 0 {_n(width)} {_n(height)}">']
    for (wide, grey, dash), paths in strokes.items():
        more = ' stroke-dasharray="2.2 2"' if dash else ""
        out.append(
            f'<path d="{"".join(paths)}" fill="none" stroke="currentColor" stroke-width="{wide}"{_seen(grey)}{more}/>'
        )
    for grey, paths in fills:
        colour = 'class="ground"' if grey >= 1 else f'fill="currentColor"{_seen(grey)}'
        out.append(f'<path d="{"".join(paths)}" {colour}/>')
    return "".join([*out, *texts, "</svg>"])


def _filled(fills: list[tuple[float, list[str]]], grey: float, path: str) -> None:
    """Add what is filled, in order, as some of it hides what is under it."""
    if not fills or fills[-1][0] != grey:
        fills.append((grey, []))
    fills[-1][1].append(path)


def _n(value: float) -> str:
    text = f"{value:.{_ROUND}f}".rstrip("0").rstrip(".")
    return "0" if text in ("", "-0") else text


def _seen(grey: float) -> str:
    return f' opacity="{1 - grey:.2f}"' if grey else ""


def _text(shape: Text) -> str:
    style = {"B": ' font-weight="700"', "I": ' font-style="italic"'}.get(shape.style, "")
    anchor = "" if shape.anchor == "start" else f' text-anchor="{shape.anchor}"'
    return (
        f'<text x="{_n(shape.x)}" y="{_n(shape.y)}" font-size="{_n(shape.size)}"{anchor}{style}{_seen(shape.grey)}>'
        f"{escape(shape.text)}</text>"
    )
