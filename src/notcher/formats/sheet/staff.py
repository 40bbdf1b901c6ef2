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
from typing import Any

from notcher.formats.sheet import rhythm_signs
from notcher.formats.sheet.rows import Row
from notcher.formats.sheet.shapes import Line, Outline, Point, Polygon, Shape, Text, moved
from notcher.formats.sheet.turns import NO_TURNS, Turns
from notcher.harmony.spelling import written_tone
from notcher.rhythm.beams import beamed
from notcher.rhythm.beams import tuplets as tuplets_in
from notcher.rhythm.cells import Cell
from notcher.rhythm.values import Value
from notcher.score.key import Key
from notcher.score.note import BendKind, Mark, Note
from notcher.score.project import Project
from notcher.score.spelling import Tone

SPACE = 4.3
"""Points between two lines of the staff."""
_UNITS = SPACE / 180.0
_DURATIONS = {"whole": "1", "half": "2", "quarter": "4", "eighth": "8", "16th": "16", "32nd": "32"}
_ACCIDENTALS = {-2: "ff", -1: "f", 0: "n", 1: "s", 2: "x"}
_LETTERS = "CDEFGAB"
_SHARPED = "FCGDAEB"
_LEAD, _SIGNATURE = 25.0, 4.6
_CLEF = 16.0
_HALF_HEAD, _HEAD_UNITS = 113.0, 300.0
_NS = "{http://www.w3.org/2000/svg}"
_XML = "http://www.w3.org/XML/1998/namespace"


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


def tone_of(project: Project, note: Note) -> tuple[Tone, int]:
    """How a note is spelled, and its octave."""
    midi = note.pitch(project.tuning)
    tone = written_tone(project, midi, note.onset)
    return tone, tone.octave_of(midi)


def altered(key: Key | None) -> dict[str, int]:
    """Letters that a signature alters, and by how much."""
    signature = key.signature if key else 0
    if signature >= 0:
        return dict.fromkeys(_SHARPED[:signature], 1)
    return dict.fromkeys(_SHARPED[::-1][:-signature], -1)


def accidentals(cells: Sequence[Cell], project: Project, keys: Mapping[int, Key | None]) -> dict[str, int]:
    """The alteration that stands at a note, by its id, for the notes that show one: what differs from the signature and
    from what stands before it in its bar. keys: of bars."""
    out: dict[str, int] = {}
    bar, state = None, dict[tuple[str, int], int]()
    for cell in cells:
        if cell.bar != bar:
            bar, state = cell.bar, {}
        signature = altered(keys.get(cell.bar))
        for n in cell.struck:
            tone, octave = tone_of(project, n)
            at = (tone.letter, octave)
            if state.get(at, signature.get(tone.letter, 0)) != tone.alter:
                out[n.id] = tone.alter
            state[at] = tone.alter
    return out


@dataclass(frozen=True, slots=True)
class Score:
    """What a row is engraved of. keys, beats: of bars; shown: accidentals by note; opens: whether the metre stands at
    the row's beginning; changes: bars at which a metre is written; lines: for the number of a cell that begins a bar,
    where in the row the line before it stands; turns: repeats in it; final: whether the piece ends with it."""

    project: Project
    keys: Mapping[int, Key | None]
    beats: Mapping[int, int]
    shown: Mapping[str, int]
    changes: frozenset[int] = frozenset()
    opens: bool = False
    lines: Mapping[int, float] = field(default_factory=dict)
    turns: Turns = NO_TURNS
    final: bool = False


def mei(row: Row, score: Score) -> str:
    """A row as an MEI document (Music Encoding Initiative, version 5), which verovio reads."""
    cells = row.cells
    root = ET.Element("mei", {"xmlns": "http://www.music-encoding.org/ns/mei", "meiversion": "5.0"})
    head = ET.SubElement(root, "meiHead")
    ET.SubElement(ET.SubElement(ET.SubElement(head, "fileDesc"), "titleStmt"), "title").text = "row"
    section_of = ET.SubElement(ET.SubElement(ET.SubElement(ET.SubElement(root, "music"), "body"), "mdiv"), "score")
    first = cells[0].bar
    attributes = {"key.sig": _signature(score.keys.get(first))}
    if score.opens:
        attributes |= {"meter.count": str(score.beats.get(first, 4)), "meter.unit": "4"}
    definition = ET.SubElement(section_of, "scoreDef", attributes)
    group = ET.SubElement(definition, "staffGrp")
    ET.SubElement(group, "staffDef", {"n": "1", "lines": "5", "clef.shape": "G", "clef.line": "2", "clef.dis": "8",
                                      "clef.dis.place": "below"})  # fmt: skip
    section = ET.SubElement(section_of, "section")
    runs = [k for k in range(len(cells)) if k == 0 or cells[k].bar != cells[k - 1].bar]
    for a, b in zip(runs, [*runs[1:], len(cells)], strict=True):
        number = cells[a].bar
        if a:
            changed = {}
            before = cells[a - 1].bar
            if score.keys.get(number) != score.keys.get(before):
                changed["key.sig"] = _signature(score.keys.get(number))
            if number in score.changes:
                changed |= {"meter.count": str(score.beats.get(number, 4)), "meter.unit": "4"}
            if changed:
                ET.SubElement(section, "scoreDef", changed)
        measure = ET.SubElement(section, "measure", {"n": str(number)})
        if b == len(cells) and (row.goes_on or score.final):
            measure.set("right", "end" if score.final else "invis")
        if a == 0 and score.turns.begins:
            measure.set("left", "rptstart")
        if b in score.turns.ends:
            measure.set("right", "rptend")
        layer = ET.SubElement(ET.SubElement(measure, "staff", n="1"), "layer", n="1")
        _fill(layer, cells, a, b, score)
        for k in range(a, b):
            if cells[k].tied and k + 1 < len(cells):
                for n in (*cells[k].struck, *cells[k].held):
                    ET.SubElement(measure, "tie", startid=f"#{_name(k, n)}", endid=f"#{_name(k + 1, n)}")
    return ET.tostring(root, encoding="unicode")


def _name(k: int, note: Note) -> str:
    """An id that XML takes, whatever the note is called."""
    return f"c{k}-" + "".join(f"{ord(c):x}." for c in note.id)


def _signature(key: Key | None) -> str:
    number = key.signature if key else 0
    return "0" if number == 0 else f"{abs(number)}{'s' if number > 0 else 'f'}"


def _fill(layer: ET.Element, cells: Sequence[Cell], a: int, b: int, score: Score) -> None:
    """The cells of a bar, in their tuplets and under their beams."""
    mine = cells[a:b]
    tuplets = {first + a: (last + a, n) for first, last, n in tuplets_in(mine)}
    beams = {group[0] + a: group[-1] + a for group in beamed(mine)}
    into, tuplet_ends, beam_ends = [layer], -1, -1
    for k in range(a, b):
        value = cells[k].value
        if k in tuplets and value is not None and value.tuplet is not None:
            tuplet_ends = tuplets[k][0]
            into.append(
                ET.SubElement(into[-1], "tuplet", {"num": str(value.tuplet[0]), "numbase": str(value.tuplet[1])})
            )
        if k in beams:
            beam_ends = beams[k]
            into.append(ET.SubElement(into[-1], "beam"))
        _write(into[-1], cells[k], k, score)
        if k == beam_ends:
            into.pop()
        if k == tuplet_ends:
            into.pop()


def _write(into: ET.Element, cell: Cell, k: int, score: Score) -> None:
    if cell.silent:
        kind = {"num": str(cell.silent)} if cell.silent > 1 else {}
        _identified(into, "multiRest" if kind else "mRest", f"c{k}", kind)
        return
    notes = (*cell.struck, *cell.held)
    if cell.value is None:
        for n in notes:
            _note(_identified(into, "note", _name(k, n), {"grace": "acc", "dur": "8"}), n, cell, score)
        return
    length = _length(cell.value)
    if not notes:
        _identified(into, "rest", f"c{k}", length)
    elif len(notes) == 1:
        _note(_identified(into, "note", _name(k, notes[0]), length), notes[0], cell, score)
    else:
        chord = _identified(into, "chord", f"c{k}", length)
        for n in notes:
            _note(_identified(chord, "note", _name(k, n), {}), n, cell, score)


def _identified(into: ET.Element, tag: str, name: str, attributes: dict[str, str]) -> ET.Element:
    return ET.SubElement(into, tag, {f"{{{_XML}}}id": name, **attributes})


def _length(value: Value) -> dict[str, str]:
    return {"dur": _DURATIONS[value.type], **({"dots": str(value.dots)} if value.dots else {})}


def _note(element: ET.Element, note: Note, cell: Cell, score: Score) -> None:
    tone, octave = tone_of(score.project, note)
    element.set("pname", tone.letter.lower())
    element.set("oct", str(octave))
    if note in cell.struck and note.id in score.shown:
        element.set("accid", _ACCIDENTALS[tone.alter])
    elif tone.alter:
        element.set("accid.ges", _ACCIDENTALS[tone.alter])
    if Mark.DEAD in note.marks:
        element.set("head.shape", "x")
    elif Mark.NATURAL_HARMONIC in note.marks:
        element.set("head.shape", "diamond")


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
    """verovio's drawing of a row, before its columns are moved."""
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
    names = {_name(k, n): n.id for k, cell in enumerate(row.cells) for n in cell.struck}
    _walk(system, shapes, heads, glyphs, move, names, None)
    drawn_lines = sorted({round(s.y1, 2) for s in shapes if isinstance(s, Line) and s.y1 == s.y2 and s.x2 - s.x1 > 12})
    top = drawn_lines[0] if drawn_lines else 0.0
    shapes += _bends(row, score.project, heads, top + 4 * SPACE)
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
    if element.get("class", "").endswith("placeholder") or "placeholder" in element.get("class", ""):
        pass
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
    from math import cos, pi, sin

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


def _bends(row: Row, project: Project, heads: Mapping[str, Point], lowest: float) -> list[Shape]:
    out: list[Shape] = []
    for cell, x_next in zip(row.cells, [*row.x[1:], row.width], strict=True):
        for n in cell.struck:
            if n.bend is None or n.id not in heads:
                continue
            x, y = heads[n.id]
            room = max(9.0, x_next - row.x[row.cells.index(cell)])
            out += _bend(n, project, x, y, room, lowest)
    return out


def _bend(n: Note, project: Project, x: float, y: float, room: float, lowest: float) -> list[Shape]:
    bend = n.bend
    assert bend is not None
    tone, octave = tone_of(project, n)
    goal = n.pitch(project.tuning) + bend.target_cents // 100
    goal_tone = written_tone(project, goal, n.onset)
    steps = goal_tone.octave_of(goal) * 7 + _LETTERS.index(goal_tone.letter) - octave * 7 - _LETTERS.index(tone.letter)
    to_y = y - steps * SPACE / 2
    to_x = x + max(9.0, min(11.0, room * 0.4))
    if bend.kind is BendKind.CURL or steps == 0:
        # Less than a half step has no head of its own.
        return [*_angle(x + 1.5, y - 3.2, x + 8.0, y - 3.2), Text(x + 4.8, y - 8.6, "¼", 5.4, "middle")]
    out = _small_head(to_x, to_y, lowest)
    if goal_tone.alter != altered_in(project, n).get(goal_tone.letter, 0):
        sign = {-2: "♭♭", -1: "♭", 0: "♮", 1: "♯", 2: "♯♯"}[goal_tone.alter]
        out.append(Text(to_x - 2.6, to_y + 1.8, sign, 5.6, "end"))
    if bend.target_cents % 100:
        out.append(Text(to_x + 2.8, to_y - 1.6, "+¼", 5.0))
    if not bend.starts_raised:
        out += _angle(x + 0.8, y - 2.8, to_x, to_y - 2.6)
    else:
        out.append(Line(x + 2.8, y - 0.6, to_x - 2.0, to_y + 1.0, 0.6))
    if bend.released:
        back = to_x + min(11.0, room * 0.4)
        out += [Line(to_x + 1.8, to_y + 1.0, back - 1.6, y - 1.2, 0.6), *_small_head(back, y, lowest)]
    return out


def altered_in(project: Project, note: Note) -> dict[str, int]:
    """What the signature alters where a note stands."""
    from notcher.score.chords import key_at

    at = key_at(project, note.onset)
    return altered(at.key if at else None)


def _angle(x1: float, y1: float, x2: float, y2: float) -> list[Shape]:
    middle, high = (x1 + x2) / 2, min(y1, y2) - 3.0
    return [Line(x1, y1, middle, high, 0.6), Line(middle, high, x2, y2, 0.6)]


def _small_head(x: float, y: float, lowest: float) -> list[Shape]:
    """A small head without a stem, with the lines it needs beside the staff."""
    lean = ((-2.0, 0.7), (-0.9, -1.2), (0.9, -1.5), (2.0, -0.7), (0.9, 1.2), (-0.9, 1.5))
    out: list[Shape] = [
        Outline((((((x + lean[0][0], y + lean[0][1]),), *(((x + a, y + b),) for a, b in lean[1:]))),))
    ]  # fmt: skip
    highest = lowest - 4 * SPACE
    for k in range(1, 12):
        for line in (highest - k * SPACE, lowest + k * SPACE):
            beyond = y <= line + 0.3 if line < highest else y >= line - 0.3
            if beyond:
                out.append(Line(x - 3.2, line, x + 3.2, line, 0.45))
    return out
