"""Bends on a standard staff, as they are notated in print: an angle from the fretted head to a small one where the bend
takes it."""

from collections.abc import Mapping

from notcher.formats.sheet.rows import Row
from notcher.formats.sheet.shapes import Line, Outline, Point, Shape, Text
from notcher.formats.sheet.staff_mei import altered, tone_of
from notcher.harmony.spelling import written_tone
from notcher.score.chords import key_at
from notcher.score.note import BendKind, Note
from notcher.score.project import Project

SPACE = 4.3
"""Points between two lines of the staff."""
_LETTERS = "CDEFGAB"


def bends(row: Row, project: Project, heads: Mapping[str, Point], lowest: float) -> list[Shape]:
    """All bends of a row. heads: the middle of each note's head, by id; lowest: y of the lowest line."""
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
    if goal_tone.alter != _altered_in(project, n).get(goal_tone.letter, 0):
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


def _altered_in(project: Project, note: Note) -> dict[str, int]:
    """What the signature alters where a note stands."""
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
