"""Puts systems on pages: head, turns, legend, remarks and page numbers."""

from collections.abc import Iterator, Sequence
from dataclasses import replace

from notcher.formats import heading
from notcher.formats.sheet import signs
from notcher.formats.sheet.look import USUAL, Look
from notcher.formats.sheet.measure import broken, text_width
from notcher.formats.sheet.shapes import Line, Page, Polygon, Shape, Text, moved
from notcher.formats.sheet.systems import Frame, System, systems
from notcher.rhythm.bars import bars_of
from notcher.score.note import Bend, BendKind, Mark, Note
from notcher.score.project import Project
from notcher.wording import later, term, tr
from notcher.wording.notes import remarks_on
from notcher.wording.numbers import date_words
from notcher.wording.rhythm import counts_under

MARGIN = 48.0
_FOOT = 44.0
_LEGEND_COLUMN = 242.0
_SAMPLE_WIDTH = 30.0
# Beside the words of a legend's row: its drawing, and the gap before the next column.
_BESIDE_WORDS = 26.0 + 14.0
# A phrase that would be torn late on a page begins on the next one.
_LATE, _TITLE_LINES = 0.16, 4
_BENDS = {"bend": BendKind.BEND, "release": BendKind.BEND_RELEASE, "curl": BendKind.CURL}
_LARGE_BENDS = {"again": BendKind.AGAIN, "staggered": BendKind.STAGGERED, "muted": BendKind.MUTED}
_NO_STAFF = later("No beat is known, so there is no staff")
_NO_BEAT = [
    ("ring", later("rings as far as the bar; numbers stand apart by time")),
    (",", later("rest: nothing sounds")),
]


def lay_out(
    project: Project, notes: tuple[Note, ...], look: Look = USUAL, said: heading.Said = heading.PLAIN
) -> list[Page]:  # fmt: skip
    """All pages of the sheet, at least one. said: what its head says beside what the project knows."""
    if said.since is not None:
        look = replace(look, framed=said.since.notes)
    if look.staff and project.tempo is None:
        look, said = replace(look, staff=False), replace(said, remark=tr(_NO_STAFF))
    sheet = _Sheet(project, look, said)
    found = systems(project, notes, look, Frame(sheet.width - 2 * MARGIN))
    for k, system in enumerate(found):
        if sheet.y + system.height > sheet.bottom - 8 or (
            system.mark and not look.run_on and _torn_late(sheet, found, k)
        ):
            sheet.turn()
        sheet.put(system)
    sheet.legend(notes)
    sheet.remarks(notes)
    if said.since is not None:
        sheet.changes(said.since)
    return sheet.finished()


def _torn_late(sheet: "_Sheet", found: Sequence[System], k: int) -> bool:
    """Whether the phrase that begins with a system would begin low on the page, be cut by its end, and fit the next
    page whole."""
    end = next((j for j in range(k + 1, len(found)) if found[j].mark), len(found))
    height = sum(s.height for s in found[k:end])
    room = sheet.bottom - 8 - sheet.y
    whole = sheet.bottom - 58.0
    return room < height <= whole and room < _LATE * whole


class _Sheet:
    """Pages that are being filled, in points of the usual size; y: where the next thing goes."""

    def __init__(self, project: Project, look: Look, said: heading.Said) -> None:
        self._project, self._look, self._said = project, look, said
        self.width, self.height = look.paper.width / look.scale, look.paper.height / look.scale
        self.bottom = self.height - _FOOT
        self.pages = [Page(look.paper)]
        self.y = self._title()
        self._in_section = False

    def turn(self) -> None:
        """Go on on a new page."""
        self.pages.append(Page(self._look.paper))
        title = broken(heading.title(self._project), self.width - 2 * MARGIN, 9)[0]
        self._add(Text(MARGIN, 40, title, 9, style="I", grey=0.3))
        self.y = 50.0

    def put(self, system: System) -> None:
        """A system at the next place, with its bookmark."""
        for name in system.sections:
            self._mark(name, 0)
            self._in_section = True
        if system.mark:
            self._mark(system.mark, 1 if self._in_section else 0)
        self.pages[-1].shapes += [moved(s, MARGIN, self.y) for s in system.shapes]
        self.y += system.height

    def _mark(self, name: str, level: int) -> None:
        self.pages[-1].marks.append((name, self.y * self._look.scale, level))

    def _add(self, *shapes: Shape) -> None:
        self.pages[-1].shapes += shapes

    def _title(self) -> float:
        width = self.width - 2 * MARGIN
        school = self._project.request.school
        beside = text_width(school, 10.5) + 14.0 if school else 0.0
        y = 62.0
        for line in broken(heading.title(self._project), max(width * 0.4, width - beside), 21, "B")[:_TITLE_LINES]:
            self._add(Text(MARGIN, y, line, 21, style="B"))
            y += 24.0
        y -= 6.0
        if school:
            for k, line in enumerate(broken(school, width * 0.55, 10.5)[:2]):
                self._add(Text(self.width - MARGIN, 62 + 13 * k, line, 10.5, "end"))
        for line in broken(heading.whose(self._project, self._said), width, 10.5):
            if line:
                self._add(Text(MARGIN, y, line, 10.5))
                y += 14.0
        y += 2.0
        told = [*heading.facts(self._project), *([self._said.remark] if self._said.remark else [])]
        for row in _wrapped(told, width, 9.5):
            for line in broken(row, width, 9.5):
                self._add(Text(MARGIN, y, line, 9.5, grey=0.25))
                y += 13.0
        self._add(Line(MARGIN, y - 5, self.width - MARGIN, y - 5, 0.8))
        return y + 5.0

    def finished(self) -> list[Page]:
        """The pages with their feet, at the size that was asked for."""
        for number, page in enumerate(self.pages, 1):
            page.shapes += self._foot(number)
            if self._look.scale != 1.0:
                page.shapes = [moved(s, 0, 0, scale=self._look.scale) for s in page.shapes]
        return self.pages

    def _foot(self, number: int) -> list[Shape]:
        y = self.height - 28
        words = tr("{number} of {total}", number=number, total=len(self.pages))
        side = self.width / 2 - MARGIN - 30.0
        out: list[Shape] = [Text(self.width / 2, y, words, 9, "middle")]
        of_times = tr("Times are minutes:seconds in the recording.")
        for x, anchor, said in (
            (MARGIN, "start", of_times),
            (self.width - MARGIN, "end", self._project.request.rights),
        ):
            lines = [line for line in broken(said, side, 7.5)[:2] if line]
            out += [Text(x, y + 9 * k, line, 7.5, anchor, grey=0.35) for k, line in enumerate(lines)]
        return out

    def legend(self, notes: Sequence[Note]) -> None:
        """How to read the signs that these notes use, each in a drawing."""
        used = signs.used_signs(tuple(notes)) | ({"[9]"} if any(n.id in self._look.framed for n in notes) else set())
        if self._look.counts and any(said.startswith("(") for said in counts_under(self._project, notes).values()):
            used.add("(3)")
        if self._look.stems and any(_is_half(self._project, notes)):
            used.add("half note")
        wide = min(_LEGEND_COLUMN, self.width / 2 - MARGIN - 8)
        said = [row for row in signs.LEGEND if row[0] in used] + (_NO_BEAT if self._project.tempo is None else [])
        rows = [(key, broken(tr(words), wide - _BESIDE_WORDS, 7.0)) for key, words in said]
        if not rows or not notes:
            return
        half = (len(rows) + 1) // 2
        columns = (rows[:half], rows[half:])
        height = 22 + max(sum(_row_height(lines) for _, lines in column) for column in columns)
        if self.y + height > self.bottom:
            self.turn()
        y, right = self.y, self.width - MARGIN
        self._add(Polygon(((MARGIN, y + 2), (right, y + 2), (right, y + height), (MARGIN, y + height)), grey=0.95))
        self._add(Text(MARGIN + 8, y + 13, tr("How to read the signs"), 8.5, style="B"))
        for column, x in zip(columns, (MARGIN + 8, MARGIN + 8 + wide), strict=True):
            row_y = y + 27
            for key, lines in column:
                self._add(*_sample(key, x + 9, row_y - 2.4))
                self._add(*(Text(x + 26, row_y + 8.5 * k, line, 7.0) for k, line in enumerate(lines)))
                row_y += _row_height(lines)
        self.y = y + height + 4

    def remarks(self, notes: tuple[Note, ...]) -> None:
        """Advice and doubts, a line each or more, after the tab."""
        size, width = 8.0, self.width - 2 * MARGIN
        for remark in remarks_on(self._project, notes):
            for line in broken(remark, width, size):
                if self.y + 14 > self.bottom:
                    self.turn()
                self._add(Text(MARGIN, self.y + 10, line, size))
                self.y += 12

    def changes(self, since: heading.Since) -> None:
        """A page of what is other than on the last handout, note by note."""
        self.turn()
        self._mark(tr("Since your last handout"), 0)
        self._add(Text(MARGIN, self.y + 16, tr("Since your last handout"), 14, style="B"))
        self._add(Text(MARGIN, self.y + 31, tr("of {day}", day=date_words(since.made)), 9, grey=0.3))
        self.y += 40.0
        for change in since.lines or (tr("Nothing has changed since."),):
            for k, line in enumerate(broken(change, self.width - 2 * MARGIN - 10, 9.5)):
                if self.y + 16 > self.bottom:
                    self.turn()
                self._add(Text(MARGIN + (10 if k else 0), self.y + 11, line, 9.5))
                self.y += 14.0


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


def _row_height(lines: list[str]) -> float:
    return 12.5 + 8.5 * (len(lines) - 1)


def _is_half(project: Project, notes: Sequence[Note]) -> Iterator[bool]:
    """Of each value of the notes, whether it is a half note, whose stem is short."""
    if project.tempo is not None and notes:
        for bar in bars_of(project, notes).bars:
            for piece in bar.pieces:
                yield from (value.type == "half" and bool(piece.event.notes) for value in piece.values)


def _sample(key: str, x: float, y: float) -> list[Shape]:
    """A small drawing of a sign for the legend."""
    if key == "vibrato":
        return signs.vibrato(x - 8, x + 8, y, 25)
    if key == "half note":
        return [Line(x, y - 1.0, x, y + 5.0, 0.9)]
    if key == "ring":
        return [Line(x - 8, y, x + 8, y, 1.9, grey=0.62)]
    if key in ("slide", "slide-in"):
        return signs.slide(x - 6, x + 6, y, up=True)
    if key in ("down", "up"):
        return signs.stroke(x, y + 2.5, Mark.DOWN_STROKE if key == "down" else Mark.UP_STROKE)
    if key == "[9]":
        return [Text(x, y + 2.4, "9", 7.0, "middle", "B"), *signs.changed(x, y, 3.4)]
    # The rise and fall alone: a legend needs no interval.
    if key in _BENDS:
        drawn = signs.bend(x - 12, y + 4.5, Bend(_BENDS[key], 50), top=y - 4.5, end_x=x + 14)
        return [s for s in drawn if not isinstance(s, Text)]
    if key in _LARGE_BENDS:
        drawn = signs.bend(0.0, 0.0, Bend(_LARGE_BENDS[key], 50), top=-15.0, end_x=30.0)
        return [moved(s, x - 12, y + 4.5, scale=0.58) for s in drawn if not isinstance(s, Text)]
    if key == "hold":
        return [Text(x, y + 4.4, "(9)", 6.4, "middle", "B"), Line(x - 7, y - 3.2, x + 7, y - 3.2, 0.8)]
    label = "(9)" if key == "pre" else term("staff", key)
    size = min(7.0, _SAMPLE_WIDTH / max(1.0, text_width(label, 1.0, "B")))
    return [Text(x, y + 2.4, label, size, "middle", "B")]
