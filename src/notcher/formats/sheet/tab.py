"""One row of tab drawn: its strings, numbers, techniques, words, and the rhythm under it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from notcher.formats.sheet import chord_names, rhythm_signs, signs
from notcher.formats.sheet.look import Look
from notcher.formats.sheet.measure import text_width
from notcher.formats.sheet.rows import BAR_ROOM, COUNT_SIZE, METRE_ROOM, Row, Setting, bar_line
from notcher.formats.sheet.shapes import Line, Shape, Text
from notcher.formats.sheet.turns import NO_TURNS, Turns
from notcher.rhythm.beams import tuplets
from notcher.score.note import LEGATO, Attack, BendKind, Mark, Note, struck_together
from notcher.score.tuning import Tuning
from notcher.score.unit import COMMON
from notcher.wording import term
from notcher.wording.names import string_names

LABELS, UNLABELLED = 20.0, 8.0
"""Points at a row's left with the names of strings, and without."""
GAP = signs.LINE_GAP
_REST_S = 0.25
_WORDS, _STROKES, _COUNTS, _NUMBERS = 9.5, 9.0, 9.5, 10.0
_CLEAR, _LEVEL, _BARE_LEAD = 6.0, 8.0, 9.0


@dataclass(frozen=True, slots=True)
class Drawing:
    """What is drawn, from its own (0, 0) on: shapes, and the points it takes downwards. top: y of the first string's
    line; xs: of notes, by id."""

    shapes: tuple[Shape, ...]
    height: float
    top: float
    xs: dict[str, float]


def notes_of(row: Row) -> list[Note]:
    """All notes that begin in a row, in order."""
    return [n for cell in row.cells for n in cell.struck]


def draw(
    row: Row, tuning: Tuning, look: Look, setting: Setting, *, chords: Sequence[tuple[float, str]] = (),
    opens: bool = False, final: bool = False, letters: bool = True, metres: bool = True,
    turns: Turns = NO_TURNS,
) -> Drawing:  # fmt: skip
    """A row of tab with names of chords (by their seconds) over it. opens: whether the metre stands at its beginning;
    final: whether the piece ends with it; letters: whether strings are named; metres: whether
    changes of it stand in the tab; turns: repeats in it."""
    left = LABELS if letters else UNLABELLED
    staff = (tuning.strings - 1) * signs.LINE_GAP
    xs = [left + x for x in row.x]
    right = left + row.width + 6
    at = {n.id: x for cell, x in zip(row.cells, xs, strict=True) for n in cell.struck}
    notes = notes_of(row)
    levels = _levels(row, xs, right)
    reach = _reach(notes, levels)
    over = (chord_names.HEIGHT if chords else 0.0) + (_WORDS if any(signs.above_texts(n) for n in notes) else 0.0)
    top = reach + over
    timed = any(cell.value is not None or cell.silent for cell in row.cells)
    out: list[Shape] = []
    gaps: list[tuple[float, float, float]] = []
    out += _numbers(row, xs, at, top, right, staff, gaps, levels)
    if timed:
        out += _bars(row, xs, top, staff, setting, right, final=final, metres=metres, turns=turns)
        if opens and row.cells[0].bar in setting.metres:
            out += rhythm_signs.metre(
                left - 8 + METRE_ROOM / 2 + 1.5, top, staff, setting.written.get(row.cells[0].bar, COMMON)
            )
            gaps += [(top + k * signs.LINE_GAP, left - 6, left + METRE_ROOM - 7) for k in range(1, tuning.strings - 1)]
        if look.stems or not look.staff:
            out += _rests(row, xs, top, staff, gaps)
        out += _ties(row, xs, top, right)
    elif notes:
        out += _rings_and_rests(row, xs, top, right)
    beside = {n.id: (3.5 if n.doubt or n.advice or n.finger is not None else 0.0) for n in notes}
    taken = [(top + (n.string - 1) * signs.LINE_GAP, at[n.id] - (w := signs.half_width(n)), at[n.id] + w + beside[n.id])
             for n in notes]  # fmt: skip
    taken += [(top + (n.string - 1) * signs.LINE_GAP - signs.CURL_TOP, *signs.curl_words(at[n.id], n.bend))
              for n in notes if n.bend is not None and n.bend.kind is BendKind.CURL]  # fmt: skip
    out += _links(notes, at, top, taken)
    for n in notes:
        if n.id in look.framed:
            out += signs.changed(at[n.id], top + (n.string - 1) * signs.LINE_GAP, signs.half_width(n))
    out += _words(notes, at, top - reach - 2.5)
    if chords:
        out += chord_line(row, xs, right, top - over - reach + chord_names.HEIGHT - 4, chords)
    below, height = _below(row, xs, at, top + staff, look, setting, timed=timed)
    lines: list[Shape] = []
    for i in range(tuning.strings):
        y = top + i * signs.LINE_GAP
        mine = sorted((a, b) for line, a, b in gaps if abs(line - y) < 0.5)
        lines += [Line(a, y, b, y, 0.5, grey=0.45) for a, b in _between(left - 8, right, mine)]
    if letters:
        lines += [
            Text(2, top + i * signs.LINE_GAP + 2.6, letter, 7.5, grey=0.25)
            for i, letter in enumerate(string_names(tuning))
        ]
    lines.append(Line(left - 8, top, left - 8, top + staff, 0.9))
    return Drawing((*lines, *out, *below), top + staff + height, top, at)


def _between(start: float, end: float, gaps: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """What of a line is left beside gaps in order."""
    out, at = [], start
    for low, high in gaps:
        if low > at:
            out.append((at, low))
        at = max(at, high)
    if end > at:
        out.append((at, end))
    return out


def _levels(row: Row, xs: Sequence[float], right: float) -> dict[str, int]:
    """How many steps a bend's interval stands over the usual height, by note, so that none touches another."""
    out: dict[str, int] = {}
    free: list[float] = []
    for k, cell in enumerate(row.cells):
        later = xs[k + 1] if k + 1 < len(xs) else right - 4
        for n in cell.struck:
            if n.bend is None or n.bend.kind is BendKind.CURL:
                out[n.id] = 0
                continue
            half = text_width(term("staff", n.bend.interval_name), 7.0, "B") / 2
            peak = signs.bend_peak(xs[k], n.bend, later)
            level = next((i for i, until in enumerate(free) if until < peak - half), len(free))
            free[level : level + 1] = [peak + half + (7.0 if n.bend.kind is BendKind.MUTED else 1.0)]
            out[n.id] = level
    return out


def _reach(notes: Sequence[Note], levels: Mapping[str, int]) -> float:
    """Points that signs take over the first line."""
    if any(n.bend for n in notes):
        return signs.BEND_TOP + 9.0 + _LEVEL * max(levels.values())
    if any(n.string == 1 and n.attack in LEGATO for n in notes):
        return 15.5
    return 11.0 if any(n.vibrato for n in notes) else 8.0


def _numbers(
    row: Row, xs: Sequence[float], at: dict[str, float], top: float, right: float, staff: float,
    gaps: list[tuple[float, float, float]], levels: Mapping[str, int],
) -> list[Shape]:  # fmt: skip
    out: list[Shape] = []
    notes = notes_of(row)
    for k, cell in enumerate(row.cells):
        later = xs[k + 1] if k + 1 < len(xs) else right - 4
        for n in cell.struck:
            x, y = xs[k], top + (n.string - 1) * signs.LINE_GAP
            small = Mark.GRACE in n.marks or cell.grace
            out += signs.fret(x, y, n, small=small)
            half = signs.half_width(n, small=small)
            gaps.append((y, x - half, x + half))
            if n.bend:
                above = top - signs.BEND_TOP - _LEVEL * levels[n.id]
                out += signs.bend(x, y, n.bend, top=above, end_x=later)
            if n.vibrato:
                start = x + (34 if n.bend and not n.bend.starts_raised else 14 if n.bend else 8)
                height = top - (signs.BEND_TOP + 5 if n.bend else 5.5)
                raised = k + 1 < len(xs) and any(m.bend and m.bend.starts_raised for m in row.cells[k + 1].struck)
                end = later - (12 if raised else 6)
                out += signs.vibrato(start, max(start + 8, end), height, n.vibrato.extent_cents)
    struck = [n for n in notes if signs.stroke_of(n)]
    for i, n in enumerate(struck):
        # Struck together, strings share one stroke.
        if i and struck_together(struck[i - 1].onset, n.onset):
            continue
        mark = signs.stroke_of(n)
        assert mark is not None
        out += signs.stroke(at[n.id], top + staff + 11.0, mark)
    return out


def _bars(
    row: Row, xs: Sequence[float], top: float, staff: float, setting: Setting, right: float, *, final: bool,
    metres: bool, turns: Turns,
) -> list[Shape]:  # fmt: skip
    out: list[Shape] = []
    for k, cell in enumerate(row.cells):
        begins = k and cell.bar != row.cells[k - 1].bar
        metre = METRE_ROOM if cell.bar in setting.metres else 0.0
        x = xs[0] - row.x[0] + bar_line(row, k, setting)
        if begins:
            out.append(Line(x, top, x, top + staff, 0.6))
            if metre and metres:
                out += rhythm_signs.metre(x + METRE_ROOM / 2 + 2.0, top, staff, setting.written.get(cell.bar, COMMON))
        if (begins or k == 0) and cell.bar >= 1:
            out.append(Text(x if begins else xs[0] - 9.0, top + staff + 9, str(cell.bar), 6.5, "middle", grey=0.4))
    for end in turns.ends:
        x = right if end == len(row.cells) else xs[0] - row.x[0] + bar_line(row, end, setting)
        out += rhythm_signs.repeat(x, top, staff, ends=True)
        times = f"×{turns.times}"
        out.append(Text(x, top + staff + (9 if end == len(row.cells) else -staff - 4), times, 7.5, "end", "B"))
    if turns.begins:
        # After a metre or a clef it stands before the first number.
        late = row.x[0] > _BARE_LEAD
        out += rhythm_signs.repeat(xs[0] - 13.0 if late else xs[0] - row.x[0] - 8, top, staff, ends=False)
    if len(row.cells) in turns.ends:
        return out
    if final:
        out += [
            Line(right - 3.4, top, right - 3.4, top + staff, 0.6),
            Line(right - 1, top, right - 1, top + staff, 2.0),
        ]
    elif not row.goes_on:
        out.append(Line(right, top, right, top + staff, 0.9))
    return out


def _rests(
    row: Row, xs: Sequence[float], top: float, staff: float, gaps: list[tuple[float, float, float]]
) -> list[Shape]:  # fmt: skip
    out: list[Shape] = []
    middle = top + staff / 2
    for k, cell in enumerate(row.cells):
        if cell.silent:
            end = xs[k + 1] - BAR_ROOM - 6 if k + 1 < len(xs) else xs[k] + 24.0
            out += rhythm_signs.silence(xs[k] - 2, max(end, xs[k] + 8), middle, cell.silent, top)
        elif cell.rests and cell.value is not None:
            out += rhythm_signs.rest(xs[k], middle, cell.value)
            half = rhythm_signs.REST_HALF + (2.6 if cell.value.dots else 0.0)
            low, high = middle - 9.0, middle + 9.0
            gaps += [
                (top + i * signs.LINE_GAP, xs[k] - half, xs[k] + half)
                for i in range(round(staff / signs.LINE_GAP) + 1) if low < top + i * signs.LINE_GAP < high
            ]  # fmt: skip
    return out


def _ties(row: Row, xs: Sequence[float], top: float, right: float) -> list[Shape]:
    out: list[Shape] = []
    for k, cell in enumerate(row.cells):
        for n in cell.held:
            y = top + (n.string - 1) * signs.LINE_GAP + 3.4
            before = xs[k - 1] + 4.5 if k else xs[k] - 12.0
            out.append(rhythm_signs.tie(before, xs[k] + 1.5, y))
    last = row.cells[-1]
    if last.tied:
        for n in (*last.struck, *last.held):
            y = top + (n.string - 1) * signs.LINE_GAP + 3.4
            out.append(rhythm_signs.tie(xs[-1] + 4.5, max(right - 2, xs[-1] + 12.0), y))
    return out


def _below(
    row: Row, xs: Sequence[float], at: dict[str, float], bottom: float, look: Look, setting: Setting, *, timed: bool
) -> tuple[list[Shape], float]:  # fmt: skip
    """What stands under the last line, and the points that it takes."""
    out: list[Shape] = []
    y = _CLEAR + (_STROKES if any(signs.stroke_of(n) for n in notes_of(row)) else 0.0)
    if timed and look.stems:
        out += rhythm_signs.stems(row.cells, xs, bottom + y)
        y += rhythm_signs.STEM + (rhythm_signs.TUPLET if tuplets(row.cells) else 0.0)
    if timed and look.counts and setting.counts:
        # Under the numbers of bars, where nothing else stands there.
        y = max(y, _NUMBERS)
        words = [(at[n.id], setting.counts[n.id]) for n in notes_of(row) if n.id in setting.counts]
        said = {round(x, 2): (x, word) for x, word in reversed(words)}
        out += [Text(x, bottom + y + 7.0, word, COUNT_SIZE, "middle", grey=0.15) for x, word in said.values()]
        y += _COUNTS
    return out, max(y, _NUMBERS if timed else 6.0) + 3.0


def chord_line(
    row: Row, xs: Sequence[float], right: float, y: float, chords: Sequence[tuple[float, str]]
) -> list[Shape]:  # fmt: skip
    """Names of chords at their times in a row; y: their base line."""
    return chord_names.drawn([(x_at(row, xs, right, t) - 4, name) for t, name in chords], y)


def x_at(row: Row, xs: Sequence[float], right: float, time: float) -> float:
    """Where a time in seconds lies in a row."""
    times = [cell.time for cell in row.cells]
    ends = [*times[1:], row.cells[-1].time + row.cells[-1].lasts]
    places = [*xs[1:], right - 6]
    if time <= times[0]:
        return xs[0]
    for k in range(len(times)):
        if times[k] <= time < ends[k]:
            return xs[k] + (time - times[k]) / (ends[k] - times[k]) * (places[k] - xs[k])
    return right - 6


def _rings_and_rests(row: Row, xs: Sequence[float], top: float, right: float) -> list[Shape]:
    """Without a beat tab says how long things sound: a bar along the string as far as a note rings, and a comma over
    the staff where nothing sounds."""
    out: list[Shape] = []
    notes = notes_of(row)
    at = {n.id: x for cell, x in zip(row.cells, xs, strict=True) for n in cell.struck}
    last = notes[0].onset
    for n in notes:
        y = top + (n.string - 1) * signs.LINE_GAP
        begin, end = at[n.id] + 1.5 + signs.label_width(signs.fret_label(n)) / 2, x_at(row, xs, right, n.end)
        # What is played next on the string ends it.
        after = [at[m.id] - 7 for m in notes if m.string == n.string and m.onset > n.onset]
        end = min([end, *after])
        if end - begin > 3:
            out.append(Line(begin, y, end, y, 1.9, grey=0.62))
        if n.onset - last > _REST_S:
            out.append(Text(x_at(row, xs, right, last + (n.onset - last) / 2), top - 3, ",", 13, "middle", "B"))
        last = max(last, n.end)
    return out


def _letter(x1: float, x2: float, y: float, taken: Sequence[tuple[float, float, float]]) -> tuple[float, float]:
    """Where the letter of an arc stands: over its middle, or beside it where a number of another string is."""
    middle, rise = (x1 + x2) / 2, 5.4 + min(2.5, (x2 - x1) / 40)
    high = y - 5.6 - rise * 0.6
    offsets = [0.0, *(s * d for d in (3.0, 6.0, 9.0, 14.0) for s in (-1, 1) if d < (x2 - x1) / 2)]
    places = [(middle + dx, high) for dx in offsets] + [(middle, high - 5.5), (middle, y - 1.0), (middle, y + 8.0)]
    for x, base in places:
        if not any(a - 2.6 < x < b + 2.6 and line - 4.2 < base and base - 4.4 < line + 4.2 for line, a, b in taken):
            return x, base
    return places[0]


def _links(
    notes: Sequence[Note], at: dict[str, float], top: float, taken: Sequence[tuple[float, float, float]]
) -> list[Shape]:  # fmt: skip
    """taken: of the numbers, their heights and from where to where they go."""
    out: list[Shape] = []
    last: dict[int, Note] = {}
    for n in notes:
        y = top + (n.string - 1) * signs.LINE_GAP
        before = last.get(n.string)
        x = at[n.id]
        if n.attack in LEGATO:
            from_x = at[before.id] if before else x - 15
            if n.attack is Attack.SLIDE:
                up = before is None or before.fret <= n.fret
                out += signs.slide(from_x + (5.5 if before else 4), x - 5.5, y, up=up)
            else:
                letter = term("staff", "H" if n.attack is Attack.HAMMER else "P")
                out += signs.legato(from_x, x, y, letter, _letter(from_x + 3, x - 3, y, taken))
        if Mark.SLIDE_IN in n.marks:
            out += signs.slide(x - 14, x - 5.5, y, up=True)
        if Mark.SLIDE_OFF in n.marks:
            out += signs.slide(x + 5.5, x + 15, y, up=False)
        last[n.string] = n
    return out


def _words(notes: Sequence[Note], at: dict[str, float], y: float) -> list[Shape]:
    """Words over the staff, once for a run of notes that share them, with a dashed line as far as it goes."""
    out: list[Shape] = []
    run: tuple[str, float, float] | None = None
    free = float("-inf")
    for n in [*notes, None]:
        words = ", ".join(signs.above_texts(n)) if n else ""
        if run and words != run[0]:
            x = max(run[1] - 2, free)
            out.append(Text(x, y, run[0], 6.8, style="I"))
            begin = x + text_width(run[0], 6.8, "I") + 1.5
            if run[2] > begin + 4:
                out.append(Line(begin, y - 2, run[2] + 4, y - 2, 0.4, dash=True))
            free = max(begin, run[2] + 4 if run[2] > begin + 4 else begin) + 2
            run = None
        if n and words:
            single = words in (term("staff", "T"), term("staff", "·"))
            run = (words, run[1] if run and not single else at[n.id], at[n.id])
            if single:
                x = max(at[n.id], free + 2)
                out.append(Text(x, y, words, 7.2, "middle", "B"))
                free = x + 3.5
                run = None
    return out
