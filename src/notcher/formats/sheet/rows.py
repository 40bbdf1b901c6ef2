"""Cells set in rows: how far apart they stand, and where a row ends."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from notcher.formats.sheet import signs
from notcher.formats.sheet.measure import text_width
from notcher.rhythm.cells import Cell
from notcher.rhythm.values import TICKS
from notcher.score.note import Mark

BAR_ROOM, METRE_ROOM, COUNT_SIZE = 9.0, 11.0, 6.6
"""Points between cells for a bar line, for a metre after it; and the size of counts."""
_FIRST, _LINE_BEFORE = 5.0, 7.5
_QUARTER, _SECOND, _SILENT = 35.0, 58.0, 34.0
_WIDEST, _TIGHT = 120.0, 42.0
_MOST_STRETCH, _SCRAP = 1.25, 0.3


@dataclass(frozen=True, slots=True)
class Setting:
    """What there must be room for. width: of a row, in points; accidentals: ids of notes that a staff shows one at;
    counts: by note; written: the metres of bars; metres: bars at which one is written; signatures: points for a new
    key, by bar; tight: whether rows are filled rather than broken at bar lines."""

    width: float
    accidentals: frozenset[str] = frozenset()
    counts: Mapping[str, str] | None = None
    written: Mapping[int, tuple[int, int]] = field(default_factory=dict)
    metres: frozenset[int] = frozenset()
    signatures: Mapping[int, float] = field(default_factory=dict)
    tight: bool = False


@dataclass(frozen=True, slots=True)
class Row:
    """Cells with the x of each in points, from the row's own beginning, and its width; goes_on: whether the bar it ends
    in is not over; first: the number of its first cell among all that were set in rows."""

    cells: tuple[Cell, ...]
    x: tuple[float, ...]
    width: float
    goes_on: bool = False
    first: int = 0


def rows_of(cells: Sequence[Cell], setting: Setting, lead: float, after: Cell | None = None) -> list[Row]:
    """Cells in as many rows as they take, broken at bar lines where it goes, else at beats. lead: points at each row's
    beginning that hold no cell; after: the cell that follows them all."""
    width = setting.width - lead
    advances = [_advance(cells, k, setting) for k in range(len(cells))]
    rows = _broken(cells, advances, width, setting)
    # Two short rows look better than a full one and a scrap.
    if len(rows) > 1 and sum(advances[i] for i in rows[-1]) < _SCRAP * width:
        total = sum(advances)
        rows = _broken(cells, advances, min(width, total / len(rows) + max(advances)), setting)
    out = []
    for row in rows:
        total = sum(advances[i] for i in row)
        # A row is filled out only where that does not pull it apart.
        stretch = max(1.0, min(_MOST_STRETCH, width / total)) if total > 0 else 1.0
        if total > width:
            stretch = width / total
        x, at = [], lead + _FIRST
        for i in row:
            before = _before(cells, i, setting) if i > row[0] else 0.0
            x.append(at + before * stretch)
            at += (advances[i] - (_before(cells, i, setting) - before)) * stretch
        following = cells[row[-1] + 1] if row[-1] + 1 < len(cells) else after
        goes_on = following is not None and bool(following.bar) and following.bar == cells[row[-1]].bar
        out.append(Row(tuple(cells[i] for i in row), tuple(x), at, goes_on, row[0]))
    return out


def bar_line(row: Row, k: int, setting: Setting) -> float:
    """Where in a row the line before its cell number k stands, which begins a bar."""
    bar = row.cells[k].bar
    metre = METRE_ROOM if bar in setting.metres else 0.0
    return row.x[k] - _LINE_BEFORE - metre - setting.signatures.get(bar, 0.0)


def _broken(cells: Sequence[Cell], advances: Sequence[float], width: float, setting: Setting) -> list[list[int]]:
    rows: list[list[int]] = [[]]
    used = 0.0
    for i in range(len(cells)):
        if rows[-1] and used + advances[i] > width:
            at = _best_break(cells, [*rows[-1], i], setting)
            over = [k for k in rows[-1] if k >= at]
            rows[-1] = [k for k in rows[-1] if k < at]
            rows.append(over)
            used = sum(advances[k] for k in over)
        rows[-1].append(i)
        used += advances[i]
    return [row for row in rows if row]


def _best_break(cells: Sequence[Cell], row: Sequence[int], setting: Setting) -> int:
    """Where the last part of a row is broken off: at its last bar line, unless little would stay; else at a beat."""
    late = row[len(row) * (7 if setting.tight else 4) // 10 + 1 :] or row[-1:]
    bars = [k for k in late if cells[k].bar != cells[k - 1].bar]
    if bars:
        return bars[-1]
    beats = [k for k in late if cells[k].value is not None and cells[k].tick % TICKS == 0 and not cells[k - 1].grace]
    if beats:
        return beats[-1]
    whole = [k for k in late if not cells[k - 1].grace]
    return whole[-1] if whole else row[-1]


def _before(cells: Sequence[Cell], i: int, setting: Setting) -> float:
    """Points before a cell that a bar line takes, and a metre, and accidentals."""
    cell = cells[i]
    out = 0.0
    if i and cell.bar != cells[i - 1].bar:
        out += BAR_ROOM + (METRE_ROOM if cell.bar in setting.metres else 0.0) + setting.signatures.get(cell.bar, 0.0)
    if any(n.id in setting.accidentals for n in cell.struck):
        out += 5.0
    if any(Mark.SLIDE_IN in n.marks for n in cell.struck):
        out += 7.0
    return out


def _advance(cells: Sequence[Cell], k: int, setting: Setting) -> float:
    """Points from where a cell's own room begins to where the next one's does: by the root of its time, and never less
    than its signs need."""
    cell = cells[k]
    before = _before(cells, k, setting)
    room: float
    if cell.silent:
        return before + _SILENT
    need = 9.0
    for n in cell.struck:
        need = max(need, 9.0 + signs.label_width(signs.fret_label(n)) + (3.5 if n.finger is not None else 0.0)
                   + (3.5 if n.doubt or n.advice else 0.0))  # fmt: skip
        if n.bend:
            need = max(need, 44.0 if n.bend.released else 32.0)
        if n.vibrato:
            need = max(need, 28.0)
        if Mark.SLIDE_OFF in n.marks:
            need = max(need, 24.0)
        if setting.counts and n.id in setting.counts:
            need = max(need, text_width(setting.counts[n.id], COUNT_SIZE) + 3.5)
    following = cells[k + 1] if k + 1 < len(cells) else None
    if following is not None:
        before_next = max((signs.label_width(signs.fret_label(n)) for n in following.struck), default=0.0)
        need = max(need, 9.0 + before_next / 2 + 3.0)
    if cell.grace:
        return before + need
    if cell.value is not None:
        room = _QUARTER * (cell.ticks / TICKS) ** 0.6
    else:
        room = _SECOND * max(0.0, cell.lasts) ** 0.55
    if setting.tight:
        room = min(room, _TIGHT)
    return before + min(max(need, room), max(need, _WIDEST))
