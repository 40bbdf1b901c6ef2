"""A standard staff over a row of tab, engraved by verovio and set to the tab's columns.

verovio says where everything stands in height, how stems, beams and ties go, and has the shapes of all signs; each
column is then moved sideways to where the tab has it, so that both are read as one system. Bends, which it does not
draw, are added over its coordinates, as they are notated in print: an angle from the fretted head to a small one where
the bend takes it.
"""

import bisect
import functools
import threading
import xml.etree.ElementTree as ET
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from math import cos, pi, sin
from typing import Any

from notcher.formats.sheet import rhythm_signs
from notcher.formats.sheet.rows import Row
from notcher.formats.sheet.shapes import Line, Outline, Point, Polygon, Shape, moved
from notcher.formats.sheet.staff_bends import SPACE, bends
from notcher.formats.sheet.staff_mei import Score, mei, note_name
from notcher.score.key import Key

_UNITS = SPACE / 180.0
_LEAD, _SIGNATURE = 25.0, 4.6
_CLEF = 16.0
_HALF_HEAD, _HEAD_UNITS = 113.0, 300.0
_NS = "{http://www.w3.org/2000/svg}"


@dataclass(frozen=True, slots=True)
class Engraved:
    """A staff's shapes from its own (0, 0) on, and the points it takes; heads: the middle of each note's head, by id;
    line: y of its lowest line."""

    shapes: tuple[Shape, ...]
    height: float
    top: float
    line: float
    heads: dict[str, Point] = field(default_factory=dict)


def lead_of(key: Key | None) -> float:
    """Points that the clef and the signature take at a row's beginning."""
    return _LEAD + _SIGNATURE * abs(key.signature if key else 0)


def signature_room(before: Key | None, after: Key | None) -> float:
    """Points that a change of key takes in a row: what is taken back, and the new signature."""
    count = abs(after.signature if after else 0) + abs(before.signature if before and not after else 0)
    return 4.0 + _SIGNATURE * max(1, count + (abs(before.signature) if before and after and not after.signature else 0))


@functools.lru_cache(maxsize=1)
def _toolkit() -> Any:
    import verovio

    verovio.enableLog(verovio.LOG_OFF)
    kit = verovio.toolkit()
    kit.setOptions({
        "pageWidth": 100000, "pageHeight": 6000, "breaks": "none", "adjustPageHeight": True, "adjustPageWidth": True,
        "header": "none", "footer": "none", "beamMaxSlope": 0, "svgRemoveXlink": True, "mnumInterval": 0,
        "pageMarginLeft": 0, "pageMarginTop": 0, "pageMarginRight": 0, "pageMarginBottom": 0, "spacingLinear": 0.5,
        "xmlIdSeed": 1,
    })  # fmt: skip
    return kit


# One engraver serves all, and nobody says that it may be asked by two threads at once.
_ONE_AT_A_TIME = threading.Lock()


def svg_of(row: Row, score: Score) -> str:
    """verovio's drawing of a row, before its columns are moved. Raises ValueError where verovio does not read it."""
    document = mei(row, score)
    with _ONE_AT_A_TIME:
        kit = _toolkit()
        if not kit.loadData(document):
            raise ValueError(f"verovio does not read the row from bar {row.cells[0].bar} on")
        return str(kit.renderToSVG(1))


def engrave(row: Row, score: Score, *, left: float, right: float) -> Engraved:
    """The staff of a row whose first column stands at left + row.x[0] points; it goes to the right edge as given."""
    from defusedxml.ElementTree import fromstring

    root = fromstring(svg_of(row, score))
    glyphs = {
        g.get("id", ""): _glyph(g.find(f"{_NS}path")) for g in root.iter(f"{_NS}g") if g.find(f"{_NS}path") is not None
    }
    system = next(g for g in root.iter(f"{_NS}g") if g.get("class") == "system")
    columns = _columns(system, row)
    measures = [g for g in system.iter(f"{_NS}g") if g.get("class") == "measure"]
    ends = [max((_first_x(g) for g in _bar_lines(measure)), default=0.0) for measure in measures]
    drawn_to = max(x for p in system.iter(f"{_NS}path") for x in _xs_of(p))
    begun = [k for k in range(1, len(row.cells)) if row.cells[k].bar != row.cells[k - 1].bar]
    lines = {x: left + score.lines[k] for k, x in zip(begun, ends, strict=False) if k in score.lines}
    signs = [x for g in system.iter(f"{_NS}g") if g.get("class") in ("keySig", "meterSig") for x in _uses(g)]
    move = _Warp.of(columns, row, left=left, right=right, source_end=max([drawn_to, *ends]), lines=lines, signs=signs)
    shapes: list[Shape] = []
    heads: dict[str, Point] = {}
    names = {note_name(k, n): n.id for k, cell in enumerate(row.cells) for n in cell.struck}
    _walk(system, shapes, heads, glyphs, move, names, None)
    drawn_lines = sorted({round(s.y1, 2) for s in shapes if isinstance(s, Line) and s.y1 == s.y2 and s.x2 - s.x1 > 12})
    top = drawn_lines[0] if drawn_lines else 0.0
    shapes += bends(row, score.project, heads, top + 4 * SPACE)
    low, _ = rhythm_signs.spans(shapes)
    # The clef's tail hangs beside the tab's signs, which begin after it.
    _, high = rhythm_signs.spans(s for s in shapes if rhythm_signs.sides(s)[1] > left + _CLEF)
    return Engraved(
        tuple(moved(s, 0.0, -low) for s in shapes), high - low, top - low, top - low + 4 * SPACE,
        {name: (x, y - low) for name, (x, y) in heads.items()},
    )  # fmt: skip


def _columns(system: ET.Element, row: Row) -> dict[int, float]:
    """Where the drawing has each cell, in its units: the middle of its head or rest."""
    found: dict[int, float] = {}
    for g in system.iter(f"{_NS}g"):
        name = g.get("id", "")
        if g.get("class") in ("note", "rest", "mRest", "multiRest") and name.startswith("c"):
            k = int(name[1:].split("-")[0])
            heads = [h for h in g.iter(f"{_NS}g") if h.get("class") == "notehead"] if g.get("class") == "note" else [g]
            x = min((_translated(u)[0] for h in heads for u in h.iter(f"{_NS}use")), default=None)
            if x is not None and not row.cells[k].silent:
                found[k] = min(found.get(k, x), x)
    return {k: x + _HALF_HEAD for k, x in found.items()}


@dataclass(frozen=True, slots=True)
class _Warp:
    """Sideways from the drawing's units to points: each column as a whole, the rest stretched between."""

    source: tuple[float, ...]
    target: tuple[float, ...]

    @classmethod
    def of(
        cls, columns: dict[int, float], row: Row, *, left: float, right: float, source_end: float,
        lines: Mapping[float, float], signs: Sequence[float],
    ) -> "_Warp":  # fmt: skip
        """lines: of bars, to where; signs: of signatures and metres, which keep their distance from their line."""
        first = min(columns.values(), default=source_end)
        # Of clef and signature nothing is stretched; the room after them is.
        pairs: list[Point] = [
            (0.0, left - 8.0),
            (max(1.0, first - 420.0), left - 8.0 + max(1.0, first - 420.0) * _UNITS),
        ]
        order = sorted(columns)
        for i, k in enumerate(order):
            x = columns[k]
            before = columns[order[i - 1]] if i else 0.0
            after = columns[order[i + 1]] if i + 1 < len(order) else source_end
            low, high = x - min(330.0, 0.55 * (x - before)), x + min(_HEAD_UNITS, 0.44 * (after - x))
            to = left + row.x[k]
            pairs += [(low, to - (x - low) * _UNITS), (high, to + (high - x) * _UNITS)]
        for line, to in lines.items():
            after = min((x for x in columns.values() if x > line), default=source_end)
            last = max((x for x in signs if line < x < after), default=None)
            pairs.append((line, to))
            if last is not None:
                pairs.append((last + 250.0, to + (last + 250.0 - line) * _UNITS))
        pairs.append((source_end, right))
        pairs.sort()
        source, target = [pairs[0][0]], [pairs[0][1]]
        for a, b in pairs[1:]:
            if a > source[-1]:
                source.append(a)
                target.append(max(b, target[-1] + 0.01))
        return cls(tuple(source), tuple(target))

    def __call__(self, x: float) -> float:
        i = min(max(bisect.bisect_right(self.source, x) - 1, 0), len(self.source) - 2)
        a, b = self.source[i], self.source[i + 1]
        return self.target[i] + (x - a) / (b - a) * (self.target[i + 1] - self.target[i])


def _walk(
    element: ET.Element, shapes: list[Shape], heads: dict[str, Point], glyphs: Mapping[str, Outline], move: _Warp,
    names: Mapping[str, str], note: str | None,
) -> None:  # fmt: skip
    name = element.get("id", "")
    note = names.get(name, note)
    for child in element:
        tag = child.tag.removeprefix(_NS)
        if tag == "g":
            _walk(child, shapes, heads, glyphs, move, names, note)
        elif tag == "use":
            x, y, scale = _translated(child)
            glyph = glyphs[child.get("href", "").removeprefix("#")]
            shapes.append(moved(glyph, move(x), y * _UNITS, scale=scale * _UNITS))
            if element.get("class") == "notehead" and note is not None:
                heads[note] = (move(x) + _HALF_HEAD * _UNITS, y * _UNITS)
        elif "placeholder" not in element.get("class", ""):
            shapes += _plain(tag, child, move)


def _plain(tag: str, element: ET.Element, move: _Warp) -> list[Shape]:
    if tag == "polygon":
        points = [tuple(map(float, pair.split(","))) for pair in (element.get("points") or "").split()]
        return [Polygon(tuple((move(x), y * _UNITS) for x, y in points))]
    if tag == "ellipse":
        cx, cy, radius = (float(element.get(name, "0")) for name in ("cx", "cy", "rx"))
        return [moved(_dot(radius), move(cx), cy * _UNITS, scale=_UNITS)]
    if tag == "path":
        outline = _glyph(element, flip=False)
        width = float(element.get("stroke-width", "0")) * _UNITS
        pieces = outline.contours[0]
        if len(outline.contours) == 1 and len(pieces) == 2 and len(pieces[1]) == 1:
            (x1, y1), (x2, y2) = pieces[0][0], pieces[1][0]
            return [Line(move(x1), y1 * _UNITS, move(x2), y2 * _UNITS, max(0.45, width))]
        return [
            Outline(
                tuple(tuple(tuple((move(x), y * _UNITS) for x, y in piece) for piece in c) for c in outline.contours)
            )
        ]
    return []


def _dot(radius: float) -> Polygon:
    return Polygon(tuple((radius * cos(pi * k / 6), radius * sin(pi * k / 6)) for k in range(12)))


def _translated(element: ET.Element) -> tuple[float, float, float]:
    """x, y and scale of a `use`."""
    text = element.get("transform", "")
    numbers = [
        float(p)
        for p in text.replace("translate(", " ").replace("scale(", " ").replace(")", " ").replace(",", " ").split()
    ]
    return (numbers[0], numbers[1], numbers[2]) if len(numbers) >= 3 else (0.0, 0.0, 1.0)


def _uses(group: ET.Element) -> list[float]:
    return [_translated(u)[0] for u in group.iter(f"{_NS}use")]


def _bar_lines(measure: ET.Element) -> list[ET.Element]:
    return [g for g in measure.iter(f"{_NS}g") if g.get("class", "").startswith("barLine")]


def _first_x(group: ET.Element) -> float:
    return max((x for p in group.iter(f"{_NS}path") for x in _xs_of(p)), default=0.0)


def _xs_of(path: ET.Element) -> list[float]:
    return [x for contour in _glyph(path, flip=False).contours for piece in contour for x, _ in piece]


@functools.lru_cache(maxsize=512)
def _parsed(d: str) -> Outline:
    from fontTools.pens.recordingPen import RecordingPen
    from fontTools.svgLib.path import parse_path

    pen = RecordingPen()
    parse_path(d, pen)
    contours: list[tuple[tuple[Point, ...], ...]] = []
    pieces: list[tuple[Point, ...]] = []
    for command, points in pen.value:
        if command == "moveTo":
            pieces = [tuple(points)]
        elif command in ("lineTo", "curveTo"):
            pieces.append(tuple(points))
        if command in ("closePath", "endPath") and pieces:
            contours.append(tuple(pieces))
            pieces = []
    return Outline(tuple(contours))


def _glyph(path: ET.Element | None, *, flip: bool = True) -> Outline:
    """A path's outline; flip: those of glyphs stand on their heads."""
    assert path is not None
    outline = _parsed(path.get("d", ""))
    if not flip:
        return outline
    return Outline(tuple(tuple(tuple((x, -y) for x, y in piece) for piece in contour) for contour in outline.contours))
