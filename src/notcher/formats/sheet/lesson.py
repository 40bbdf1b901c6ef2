"""The days of a lesson as a page to print, with a box to tick at each step."""

import itertools

from notcher.formats import heading
from notcher.formats.sheet.layout import MARGIN
from notcher.formats.sheet.measure import broken
from notcher.formats.sheet.shapes import A4, Line, Page, Shape, Text
from notcher.formats.sheet.writers import pdf_bytes
from notcher.score.project import Project
from notcher.teach.calendar import Spread
from notcher.teach.plan import write_step
from notcher.wording import tr, trn
from notcher.wording.lesson import day_words

_FOOT, _BOX, _INDENT = 46.0, 7.0, 16.0
_SIZE, _LEADING = 10.0, 14.0


def lesson_pdf(project: Project, days: Spread) -> bytes:
    """One or more pages: a head a day, its steps under it."""
    name = tr("Lesson: {title}", title=heading.title(project))
    pages = [Page()]
    pages[0].shapes.append(Text(MARGIN, 62, name, 18, style="B"))
    y = 84.0
    for day in days.days:
        lines = [broken(write_step(s), A4.width - 2 * MARGIN - _INDENT, _SIZE) for s in day.steps]
        height = 22.0 + _LEADING * sum(len(line) for line in lines[:2])
        if y + height > A4.height - _FOOT:
            pages.append(Page())
            y = 50.0
        pages[-1].shapes.append(Text(MARGIN, y + 14, day_words(day), 11.5, style="B"))
        y += 22.0
        for step in lines:
            if y + _LEADING * len(step) > A4.height - _FOOT:
                pages.append(Page())
                y = 50.0
            pages[-1].shapes += _box(MARGIN, y + 3)
            for line in step:
                pages[-1].shapes.append(Text(MARGIN + _INDENT, y + 10, line, _SIZE))
                y += _LEADING
        y += 6.0
    if days.left:
        left = trn("{n} step does not fit before the due date", "{n} steps do not fit before the due date",
                   len(days.left))  # fmt: skip
        pages[-1].shapes.append(Text(MARGIN, min(y + 16, A4.height - _FOOT + 10), left, _SIZE))
    for number, page in enumerate(pages, 1):
        words = tr("{number} of {total}", number=number, total=len(pages))
        page.shapes.append(Text(A4.width / 2, A4.height - 28, words, 9, "middle"))
    return pdf_bytes(pages, title=name)


def _box(x: float, y: float) -> list[Shape]:
    corners = [(x, y), (x + _BOX, y), (x + _BOX, y + _BOX), (x, y + _BOX), (x, y)]
    return [Line(a, b, c, d, 0.7) for (a, b), (c, d) in itertools.pairwise(corners)]
