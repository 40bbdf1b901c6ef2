"""A row as a document of the Music Encoding Initiative (MEI 5), which the engraver reads.

Pitches are spelled, accidentals are those that a staff shows; beams, tuplets, ties and repeats are written.
"""

import xml.etree.ElementTree as ET
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from notcher.formats.sheet.rows import Row
from notcher.formats.sheet.turns import NO_TURNS, Turns
from notcher.harmony.spelling import written_tone
from notcher.rhythm.beams import beamed
from notcher.rhythm.beams import tuplets as tuplets_in
from notcher.rhythm.cells import Cell
from notcher.rhythm.values import Value
from notcher.score.key import Key
from notcher.score.note import Mark, Note
from notcher.score.project import Project
from notcher.score.spelling import Tone
from notcher.score.unit import COMMON

_DURATIONS = {"whole": "1", "half": "2", "quarter": "4", "eighth": "8", "16th": "16", "32nd": "32", "64th": "64"}
_ACCIDENTALS = {-2: "ff", -1: "f", 0: "n", 1: "s", 2: "x"}
_SHARPED = "FCGDAEB"
_XML = "http://www.w3.org/XML/1998/namespace"


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
    """What a row is engraved of. keys, written: of bars, the metre; shown: accidentals by note; opens: whether the
    metre stands at the row's beginning; changes: bars at which a metre is written; lines: for the number of a cell that
    begins a bar, where in the row the line before it stands; turns: repeats in it; final: whether the piece ends with
    it."""

    project: Project
    keys: Mapping[int, Key | None]
    written: Mapping[int, tuple[int, int]]
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
        attributes |= _metre(score, first)
    definition = ET.SubElement(section_of, "scoreDef", attributes)
    group = ET.SubElement(definition, "staffGrp")
    ET.SubElement(group, "staffDef", {"n": "1", "lines": "5", "clef.shape": "G", "clef.line": "2", "clef.dis": "8",
                                      "clef.dis.place": "below"})  # fmt: skip
    section = ET.SubElement(section_of, "section")
    runs = [k for k in range(len(cells)) if k == 0 or cells[k].bar != cells[k - 1].bar]
    for a, b in zip(runs, [*runs[1:], len(cells)], strict=True):
        number = cells[a].bar
        changed = _changed(score, cells[a - 1].bar, number) if a else {}
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
        _tie(measure, cells, a, b)
    return ET.tostring(root, encoding="unicode")


def _changed(score: Score, before: int, number: int) -> dict[str, str]:
    """Key and metre where a bar has others than the one before it."""
    changed: dict[str, str] = {}
    if score.keys.get(number) != score.keys.get(before):
        changed["key.sig"] = _signature(score.keys.get(number))
    return changed | (_metre(score, number) if number in score.changes else {})


def _tie(measure: ET.Element, cells: Sequence[Cell], a: int, b: int) -> None:
    """The ties from the cells of a bar to the next ones."""
    for k in range(a, b):
        if cells[k].tied and k + 1 < len(cells):
            for n in (*cells[k].struck, *cells[k].held):
                ET.SubElement(measure, "tie", startid=f"#{note_name(k, n)}", endid=f"#{note_name(k + 1, n)}")


def _metre(score: Score, number: int) -> dict[str, str]:
    count, kind = score.written.get(number, COMMON)
    return {"meter.count": str(count), "meter.unit": str(kind)}


def note_name(k: int, note: Note) -> str:
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
            _note(_identified(into, "note", note_name(k, n), {"grace": "acc", "dur": "8"}), n, cell, score)
        return
    length = _length(cell.value)
    if not notes:
        _identified(into, "rest", f"c{k}", length)
    elif len(notes) == 1:
        _note(_identified(into, "note", note_name(k, notes[0]), length), notes[0], cell, score)
    else:
        chord = _identified(into, "chord", f"c{k}", length)
        for n in notes:
            _note(_identified(chord, "note", note_name(k, n), {}), n, cell, score)


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
