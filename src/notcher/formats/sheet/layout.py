"""Lays tab out on pages: systems of one phrase each or part of one, spaced by time, with legend and page numbers."""

import itertools
from dataclasses import dataclass, replace

from notcher.formats import heading
from notcher.formats.sheet import chord_names, signs
from notcher.formats.sheet.measure import broken, text_width
from notcher.formats.sheet.neck import Necks, strip
from notcher.formats.sheet.neck import height as neck_height
from notcher.formats.sheet.shapes import PAGE_HEIGHT, PAGE_WIDTH, Line, Page, Polygon, Shape, Text, moved
from notcher.formats.text_tab import by_phrase, said_again
from notcher.place.fingers import Fingered
from notcher.place.solver import fingering
from notcher.score.note import LEGATO, TOGETHER_S, Attack, Bend, BendKind, Mark, Note, struck_together
from notcher.score.project import Phrase, Project
from notcher.wording import later, term, tr
from notcher.wording.chords import chords_over
from notcher.wording.names import string_names
from notcher.wording.notes import phrase_title, remarks_on
from notcher.wording.numbers import clock

MARGIN = 48.0
_ABOVE = 37.0
_BELOW = 15.0
_LABELS = 20.0
_FOOT = 44.0
_REST_S = 0.25
_LEGEND_COLUMN = 242.0
_SAMPLE_WIDTH = 30.0
_NECK_WIDTH = 420.0
_LEGEND_WIDTH = _LEGEND_COLUMN - 26.0 - 14.0
_NO_BEAT = [
    ("ring", later("rings as far as the bar; numbers stand apart by time")),
    (",", later("rest: nothing sounds")),
]


@dataclass(frozen=True, slots=True)
class System:
    """One line of tab: the notes in it, each note's x in points, and the heading of the phrase it opens. words: what
    stands in its place where the phrase repeats another. neck: a strip between heading and tab, from (0, 0) on. chords:
    over it, by their times."""

    notes: tuple[Note, ...]
    x: tuple[float, ...]
    width: float
    heading: str
    start: float
    end: float
    words: tuple[str, ...] = ()
    strings: int = 6
    neck: tuple[Shape, ...] = ()
    neck_height: float = 0.0
    chords: tuple[tuple[float, str], ...] = ()

    @property
    def staff(self) -> float:
        """Points from the first line to the last."""
        return (self.strings - 1) * signs.LINE_GAP

    @property
    def over(self) -> float:
        """Points that the neck and the names of chords take over the signs."""
        return self.neck_height + (chord_names.HEIGHT if self.chords else 0.0)

    @property
    def height(self) -> float:
        """Points from the top of its signs to the bottom of its bar numbers."""
        if self.words:
            return 20.0 + 13.0 * len(self.words) + 8.0
        return _ABOVE + self.staff + _BELOW + (16.0 if self.heading else 0.0) + self.over


def lay_out(project: Project, notes: tuple[Note, ...], *, neck: Necks | None = None) -> list[Page]:
    """All pages of the sheet, at least one. neck: where each phrase's first line has its places on the neck over it."""
    pages = [Page()]
    y = _title(pages[0], project)
    for system in _systems(project, notes, neck):
        if y + system.height > PAGE_HEIGHT - _FOOT - 8:
            pages.append(Page())
            y = _running_head(pages[-1], project)
        _draw_system(pages[-1], system, y, project)
        y += system.height
    y = _legend(pages, y, project, notes)
    _remarks(pages, y, notes, project)
    for number, page in enumerate(pages, 1):
        _foot(page, project, number, len(pages))
    return pages


def _title(page: Page, project: Project) -> float:
    page.shapes.append(Text(MARGIN, 62, heading.title(project), 21, style="B"))
    line = heading.whose(project)
    if line:
        page.shapes.append(Text(MARGIN, 80, line, 10.5))
    if project.request.school:
        page.shapes.append(Text(PAGE_WIDTH - MARGIN, 62, project.request.school, 10.5, "end"))
    y = 96.0
    for row in _wrapped(heading.facts(project), PAGE_WIDTH - 2 * MARGIN, 9.5):
        page.shapes.append(Text(MARGIN, y, row, 9.5, grey=0.25))
        y += 13.0
    page.shapes.append(Line(MARGIN, y - 5, PAGE_WIDTH - MARGIN, y - 5, 0.8))
    return y + 5.0


def _wrapped(facts: list[str], width: float, size: float) -> list[str]:
    """Facts in as few lines as hold them."""
    rows: list[str] = []
    for fact in facts:
        longer = f"{rows[-1]} · {fact}" if rows else fact
        if rows and text_width(longer, size) <= width:
            rows[-1] = longer
        else:
            rows.append(fact)
    return rows


def _running_head(page: Page, project: Project) -> float:
    page.shapes.append(Text(MARGIN, 40, heading.title(project), 9, style="I", grey=0.3))
    return 50.0


def _foot(page: Page, project: Project, number: int, total: int) -> None:
    y = PAGE_HEIGHT - 28
    page.shapes.append(Text(PAGE_WIDTH / 2, y, tr("{number} of {total}", number=number, total=total), 9, "middle"))
    page.shapes.append(Text(MARGIN, y, tr("Times are minutes:seconds in the recording."), 7.5, grey=0.35))
    if project.request.rights:
        page.shapes.append(Text(PAGE_WIDTH - MARGIN, y, project.request.rights, 7.5, "end", grey=0.35))


def _systems(project: Project, notes: tuple[Note, ...], neck: Necks | None) -> list[System]:
    out: list[System] = []
    hand = fingering(project, hand=project.playing.hand) if neck else {}
    width = PAGE_WIDTH - 2 * MARGIN - _LABELS - 8
    for phrase, group in by_phrase(project, notes):
        again = said_again(project, phrase, notes)
        if again:
            out.append(System((), (), 0.0, _heading(phrase), group[0].onset, group[-1].end, tuple(again)))
            continue
        advances = _advances(group)
        rows: list[list[int]] = [[]]
        used = 0.0
        for i in range(len(group)):
            if rows[-1] and used + advances[i] > width and not struck_together(group[i - 1].onset, group[i].onset):
                rows.append([])
                used = 0.0
            rows[-1].append(i)
            used += advances[i]
        # Two short rows look better than a full one and a scrap.
        if len(rows) > 1 and sum(advances[i] for i in rows[-1]) < 0.3 * width:
            rows = _balanced(group, advances, len(rows))
        for k, row in enumerate(rows):
            made = _system(group, advances, row, width, _heading(phrase) if k == 0 else "", project.tuning.strings)
            made = replace(made, chords=chords_over(project, made.start, made.end))
            out.append(_with_neck(made, group, hand, project, neck) if neck and k == 0 else made)
    return out


def _with_neck(
    system: System, group: list[Note], hand: dict[str, Fingered], project: Project, neck: Necks
) -> System:  # fmt: skip
    width = min(PAGE_WIDTH - 2 * MARGIN, _NECK_WIDTH)
    shapes = strip(group, hand, project.tuning, x=0.0, y=0.0, width=width, left_handed=neck.left_handed)
    return replace(system, neck=tuple(shapes), neck_height=neck_height(project.tuning.strings))


def _balanced(group: list[Note], advances: list[float], count: int) -> list[list[int]]:
    total, rows, used = sum(advances), [[]], 0.0  # type: ignore[var-annotated]
    for i in range(len(group)):
        together = i > 0 and struck_together(group[i - 1].onset, group[i].onset)
        if rows[-1] and used >= total / count * len(rows) and not together:
            rows.append([])
        rows[-1].append(i)
        used += advances[i]
    return rows


def _heading(phrase: Phrase | None) -> str:
    return f"{phrase_title(phrase)}\t{clock(phrase.start)}" if phrase else tr("between phrases") + "\t"


def _advances(group: list[Note]) -> list[float]:
    """Room each note takes to its right: by the square root of its time, and never less than its signs need."""
    out = []
    for i, n in enumerate(group):
        gap = group[i + 1].onset - n.onset if i + 1 < len(group) else n.duration
        need = 11.0 + signs.label_width(signs.fret_label(n))
        if n.bend:
            need = max(need, 42.0 if n.bend.released else 30.0)
        if n.vibrato:
            need = max(need, 28.0)
        room = max(need, 58.0 * max(0.0, gap) ** 0.55)
        out.append(0.0 if i + 1 < len(group) and gap < TOGETHER_S else min(room, 120.0))
    return out


def _system(group: list[Note], advances: list[float], row: list[int], width: float, heading: str,
            strings: int) -> System:  # fmt: skip
    total = sum(advances[i] for i in row)
    # A row is filled out only where that does not pull it apart.
    stretch = min(1.25, width / total) if total > 0 else 1.0
    x, at = [], 0.0
    for i in row:
        x.append(at)
        at += advances[i] * stretch
    notes = tuple(group[i] for i in row)
    return System(notes, tuple(x), at, heading, notes[0].onset, max(n.end for n in notes), strings=strings)


def _draw_system(page: Page, s: System, y: float, project: Project) -> None:
    left = MARGIN + _LABELS
    if s.heading:
        name, time = s.heading.split("\t")
        page.shapes.append(Text(MARGIN, y + 12, name, 11, style="B"))
        page.shapes.append(Text(MARGIN + 8 + text_width(name, 11.5, "B"), y + 12, time, 9, grey=0.3))
        y += 16.0
    if s.words:
        for k, line in enumerate(s.words):
            page.shapes.append(Text(MARGIN + 8, y + 13 + 13.0 * k, line, 9.5))
        return
    page.shapes += [moved(shape, MARGIN, y + 4) for shape in s.neck]
    top = y + s.over + _ABOVE
    right = left + s.width + 6
    for i, letter in enumerate(string_names(project.tuning)):
        line_y = top + i * signs.LINE_GAP
        page.shapes.append(Line(left - 8, line_y, right, line_y, 0.5, grey=0.45))
        page.shapes.append(Text(MARGIN + 2, line_y + 2.6, letter, 7.5, grey=0.25))
    page.shapes += [Line(left - 8, top, left - 8, top + s.staff, 0.9), Line(right, top, right, top + s.staff, 0.9)]
    xs = {n.id: left + 4 + x for n, x in zip(s.notes, s.x, strict=True)}
    _bars(page, s, xs, top, project)
    page.shapes += _chords(s, xs, right, y + s.over - 2)
    if project.tempo is None:
        page.shapes += _rings_and_rests(s, xs, top, right)
    page.shapes += _links(s, xs, top)
    for i, n in enumerate(s.notes):
        later = next((xs[m.id] for m in s.notes[i + 1 :] if not struck_together(n.onset, m.onset)), right - 4)
        page.shapes += _note(n, xs[n.id], later, top, s, i)
    _words(page, s, xs, top)


def _bars(page: Page, s: System, xs: dict[str, float], top: float, project: Project) -> None:
    if project.tempo is None:
        return
    last_bar = None
    for n in s.notes:
        bar, _ = project.tempo.bar_and_beat(n.onset + 0.05)
        if bar != last_bar and bar >= 1:
            x = xs[n.id] - 7.5
            if last_bar is not None:
                page.shapes.append(Line(x, top, x, top + s.staff, 0.6))
            page.shapes.append(Text(x, top + s.staff + 9, str(bar), 6.5, "middle", grey=0.4))
        last_bar = bar


def _chords(s: System, xs: dict[str, float], right: float, y: float) -> list[Shape]:
    times = [n.onset for n in s.notes] + [s.end]
    places = [xs[n.id] for n in s.notes] + [right - 6]
    order = sorted(range(len(times)), key=lambda i: (times[i], places[i]))
    return chord_names.drawn([(_between(t, times, places, order) - 4, name) for t, name in s.chords], y)


def _rings_and_rests(s: System, xs: dict[str, float], top: float, right: float) -> list[Shape]:
    """Without a beat tab says how long things sound: a bar along the string as far as a note rings, and a comma over
    the staff where nothing sounds."""
    times = [n.onset for n in s.notes] + [s.end]
    places = [xs[n.id] for n in s.notes] + [right - 6]
    order = sorted(range(len(times)), key=lambda i: (times[i], places[i]))
    out: list[Shape] = []
    last = s.notes[0].onset
    for n in s.notes:
        y = top + (n.string - 1) * signs.LINE_GAP
        begin, end = xs[n.id] + 1.5 + signs.label_width(signs.fret_label(n)) / 2, _between(n.end, times, places, order)
        # What is played next on the string ends it.
        after = [xs[m.id] - 7 for m in s.notes if m.string == n.string and m.onset > n.onset]
        end = min([end, *after])
        if end - begin > 3:
            out.append(Line(begin, y, end, y, 1.9, grey=0.62))
        if n.onset - last > _REST_S:
            x = _between(last + (n.onset - last) / 2, times, places, order)
            out.append(Text(x, top - 3, ",", 13, "middle", "B"))
        last = max(last, n.end)
    return out


def _between(time: float, times: list[float], places: list[float], order: list[int]) -> float:
    """Where a time lies between the notes of a system."""
    for i, j in itertools.pairwise(order):
        if times[i] <= time < times[j]:
            return places[i] + (time - times[i]) / (times[j] - times[i]) * (places[j] - places[i])
    return places[order[-1]]


def _links(s: System, xs: dict[str, float], top: float) -> list[Shape]:
    out: list[Shape] = []
    last: dict[int, Note] = {}
    for n in s.notes:
        y = top + (n.string - 1) * signs.LINE_GAP
        before = last.get(n.string)
        x = xs[n.id]
        if n.attack in LEGATO:
            from_x = xs[before.id] if before else x - 15
            if n.attack is Attack.SLIDE:
                up = before is None or before.fret <= n.fret
                out += signs.slide(from_x + (5.5 if before else 4), x - 5.5, y, up=up)
            else:
                out += signs.legato(from_x, x, y, term("staff", "H" if n.attack is Attack.HAMMER else "P"))
        if Mark.SLIDE_IN in n.marks:
            out += signs.slide(x - 14, x - 5.5, y, up=True)
        if Mark.SLIDE_OFF in n.marks:
            out += signs.slide(x + 5.5, x + 15, y, up=False)
        last[n.string] = n
    return out


def _note(n: Note, x: float, later: float, top: float, s: System, i: int) -> list[Shape]:
    y = top + (n.string - 1) * signs.LINE_GAP
    out = signs.fret(x, y, n)
    # Struck together, strings share one stroke.
    if (stroke := signs.stroke_of(n)) and not (i and struck_together(s.notes[i - 1].onset, n.onset)):
        out += signs.stroke(x, top + s.staff + 8.5, stroke)
    if n.bend:
        # Two bends struck together keep apart by height.
        together = [m for m in s.notes[max(0, i - 2) : i] if struck_together(m.onset, n.onset) and m.bend]
        out += signs.bend(x, y, n.bend, top=top - signs.BEND_TOP - 8.0 * len(together), end_x=later)
    if n.vibrato:
        start = x + (34 if n.bend and not n.bend.starts_raised else 14 if n.bend else 8)
        height = top - (signs.BEND_TOP + 5 if n.bend else 5.5)
        out += signs.vibrato(start, max(start + 12, later - 6), height, n.vibrato.extent_cents)
    return out


def _words(page: Page, s: System, xs: dict[str, float], top: float) -> None:
    """Words over the staff, once for a run of notes that share them, with a dashed line as far as it goes."""
    y = top - 28.5
    run: tuple[str, float, float] | None = None
    for n in [*s.notes, None]:
        words = ", ".join(signs.above_texts(n)) if n else ""
        if run and words != run[0]:
            page.shapes.append(Text(run[1] - 2, y, run[0], 6.8, style="I"))
            begin = run[1] + text_width(run[0], 7.2)
            if run[2] > begin + 4:
                page.shapes.append(Line(begin, y - 2, run[2] + 4, y - 2, 0.4, dash=True))
            run = None
        if n and words:
            single = words in (term("staff", "T"), term("staff", "·"))
            run = (words, run[1] if run and not single else xs[n.id], xs[n.id])
            if single:
                page.shapes.append(Text(xs[n.id], y, words, 7.2, "middle", "B"))
                run = None


def _legend(pages: list[Page], y: float, project: Project, notes: tuple[Note, ...]) -> float:
    used = signs.used_signs(notes)
    rows = [(key, broken(tr(words), _LEGEND_WIDTH, 7.0)) for key, words in signs.LEGEND if key in used]
    if project.tempo is None:
        rows += [(key, broken(tr(words), _LEGEND_WIDTH, 7.0)) for key, words in _NO_BEAT]
    if not rows:
        return y
    half = (len(rows) + 1) // 2
    columns = (rows[:half], rows[half:])
    height = 22 + max(sum(_row_height(lines) for _, lines in column) for column in columns)
    if y + height > PAGE_HEIGHT - _FOOT:
        pages.append(Page())
        y = _running_head(pages[-1], project)
    page = pages[-1]
    box = ((MARGIN, y + 2), (PAGE_WIDTH - MARGIN, y + 2), (PAGE_WIDTH - MARGIN, y + height), (MARGIN, y + height))
    page.shapes.append(Polygon(box, grey=0.95))
    page.shapes.append(Text(MARGIN + 8, y + 13, tr("How to read the signs"), 8.5, style="B"))
    for column, x in zip(columns, (MARGIN + 8, MARGIN + 8 + _LEGEND_COLUMN), strict=True):
        row_y = y + 27
        for key, lines in column:
            page.shapes += _sample(key, x + 9, row_y - 2.4)
            page.shapes += [Text(x + 26, row_y + 8.5 * k, line, 7.0) for k, line in enumerate(lines)]
            row_y += _row_height(lines)
    return y + height + 4


def _row_height(lines: list[str]) -> float:
    return 12.5 + 8.5 * (len(lines) - 1)


def _sample(key: str, x: float, y: float) -> list[Shape]:
    """A small drawing of a sign for the legend."""
    if key == "vibrato":
        return signs.vibrato(x - 8, x + 8, y, 25)
    if key == "ring":
        return [Line(x - 8, y, x + 8, y, 1.9, grey=0.62)]
    if key in ("slide", "slide-in"):
        return signs.slide(x - 6, x + 6, y, up=True)
    if key in ("down", "up"):
        return signs.stroke(x, y + 2.5, Mark.DOWN_STROKE if key == "down" else Mark.UP_STROKE)
    kinds = {"bend": BendKind.BEND, "release": BendKind.BEND_RELEASE, "curl": BendKind.CURL}
    if key in kinds:
        # The rise and fall alone: a legend needs no interval.
        drawn = signs.bend(x - 12, y + 4.5, Bend(kinds[key], 50), top=y - 4.5, end_x=x + 14)
        return [s for s in drawn if not isinstance(s, Text)]
    label = "(9)" if key == "pre" else term("staff", key)
    size = min(7.0, _SAMPLE_WIDTH / max(1.0, text_width(label, 1.0, "B")))
    return [Text(x, y + 2.4, label, size, "middle", "B")]


def _remarks(pages: list[Page], y: float, notes: tuple[Note, ...], project: Project) -> None:
    """Advice and doubts, a line each or more, after the tab."""
    size, width = 8.0, PAGE_WIDTH - 2 * MARGIN
    for remark in remarks_on(project, notes):
        for line in broken(remark, width, size):
            if y + 14 > PAGE_HEIGHT - _FOOT:
                pages.append(Page())
                y = _running_head(pages[-1], project)
            pages[-1].shapes.append(Text(MARGIN, y + 10, line, size))
            y += 12
