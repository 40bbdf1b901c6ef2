"""The boxes of all printed letters and figures, read back from a PDF by PDFium, and which of them overlap."""

from dataclasses import dataclass

import pypdfium2


@dataclass(frozen=True, slots=True)
class Glyph:
    """One letter on a page and its tight box, in points from the page's bottom left."""

    page: int
    letter: str
    left: float
    bottom: float
    right: float
    top: float


def glyphs_of(pdf: bytes) -> list[Glyph]:
    """All letters, page by page, in the order they were written."""
    out = []
    document = pypdfium2.PdfDocument(pdf)
    for number in range(len(document)):
        text = document[number].get_textpage()
        for k in range(text.count_chars()):
            letter = text.get_text_range(k, 1)
            if letter.strip():
                left, bottom, right, top = text.get_charbox(k)
                if right > left:
                    out.append(Glyph(number, letter, left, bottom, right, top))
        text.close()
    document.close()
    return out


def overlaps(glyphs: list[Glyph], *, slack: float = 0.35) -> list[tuple[Glyph, Glyph]]:
    """Pairs whose boxes overlap by more than some points both ways; neighbours of one word, which kerning brings
    together, are none."""
    found = []
    order = sorted(range(len(glyphs)), key=lambda k: (glyphs[k].page, glyphs[k].left))
    for place, i in enumerate(order):
        a = glyphs[i]
        for j in order[place + 1 :]:
            b = glyphs[j]
            if b.page != a.page or b.left > a.right - slack:
                break
            if abs(i - j) == 1 and abs(a.bottom - b.bottom) < 4:
                continue
            if min(a.top, b.top) - max(a.bottom, b.bottom) > slack:
                found.append((a, b))
    return found
