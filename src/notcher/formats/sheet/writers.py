"""Pages of shapes written as PDF (fpdf2, fonts embedded), SVG (text) and PNG (the PDF rendered by PDFium)."""

import io
import threading
from collections.abc import Callable, Sequence
from importlib import resources
from typing import Any
from xml.sax.saxutils import escape

from notcher.formats.sheet.measure import FONT_FILES, runs
from notcher.formats.sheet.shapes import Curve, Line, Outline, Page, Paper, Polygon, Shape, Text
from notcher.wording.catalogue import language

FAMILY = "Atkinson Hyperlegible Next"
# A page of names where there is more than one place to go.
_FEWEST_MARKS = 2


def pdf_bytes(pages: Sequence[Page], *, title: str) -> bytes:
    """A vector PDF with the fonts it uses in it, its title, its language, and a bookmark for each mark."""
    pdf = _open_pdf(title)
    marked = sum(len(page.marks) for page in pages) >= _FEWEST_MARKS
    for page in pages:
        pdf.add_page(format=(page.paper.width, page.paper.height))
        for name, y, level in page.marks if marked else ():
            pdf.set_xy(0, y)
            pdf.start_section(name, level=level, strict=False)
        for shape in page.shapes:
            if not isinstance(shape, (Curve, Outline)):
                _draw(pdf, shape)
        _draw_paths(pdf, page)
    return bytes(pdf.output())


def _open_pdf(title: str) -> Any:
    import logging

    from fpdf import FPDF

    for noisy in ("fontTools", "fpdf"):
        logging.getLogger(noisy).setLevel(logging.ERROR)
    pdf = FPDF(unit="pt")
    pdf.set_auto_page_break(False)
    pdf.set_margins(0, 0, 0)
    pdf.c_margin = 0
    pdf.set_title(title)
    pdf.set_creator("Notcher")
    pdf.set_lang(language().code.replace("_", "-"))
    fonts = resources.files("notcher").joinpath("data/fonts")
    for style, name in FONT_FILES.items():
        pdf.add_font("main", style=style, fname=str(fonts.joinpath(name)))
    return pdf


def _draw(pdf: Any, shape: Shape) -> None:
    match shape:
        case Line():
            pdf.set_draw_color(round(shape.grey * 255))
            pdf.set_line_width(shape.width)
            pdf.set_dash_pattern(dash=2.2 if shape.dash else 0, gap=2.0 if shape.dash else 0)
            pdf.line(shape.x1, shape.y1, shape.x2, shape.y2)
            pdf.set_dash_pattern()
        case Polygon():
            pdf.set_fill_color(round(shape.grey * 255))
            pdf.polygon(list(shape.points), style="F")
        case Text():
            _draw_text(pdf, shape)


def _draw_paths(pdf: Any, page: Page) -> None:
    """Curves of one width in one path, and all outlines in one: the writer takes long over a path, not its length."""
    from fpdf.drawing import PaintedPath

    outlines = [s for s in page.shapes if isinstance(s, Outline)]
    curves = [s for s in page.shapes if isinstance(s, Curve)]
    for width in sorted({s.width for s in curves}):
        path = PaintedPath()
        path.style.fill_color = None
        path.style.stroke_color = "#000"
        path.style.stroke_width = width
        path.style.auto_close = False
        path.style.paint_rule = "stroke"
        for curve in curves:
            if curve.width == width:
                start, *rest = curve.points
                path.move_to(*start)
                path.curve_to(*(v for point in rest for v in point))
        pdf.draw_path(path, copy=False)
    if outlines:
        path = PaintedPath()
        path.style.stroke_color = None
        path.style.fill_color = "#000"
        path.style.intersection_rule = "nonzero"
        for outline in outlines:
            for (start,), *pieces in outline.contours:
                path.move_to(*start)
                for piece in pieces:
                    if len(piece) == 1:
                        path.line_to(*piece[0])
                    else:
                        path.curve_to(*(v for point in piece for v in point))
                path.close()
        pdf.draw_path(path, copy=False)


def _draw_text(pdf: Any, shape: Text) -> None:
    """Text with the letters that the main font lacks (♯, ♭, other alphabets) taken from others: fpdf2 does that for
    cells only."""
    pdf.set_text_color(round(shape.grey * 255))
    pieces = []
    for file, piece in runs(shape.text, shape.style):
        family, style = ("main", shape.style) if file == FONT_FILES[shape.style] else (file, "")
        if family != "main" and family.lower() not in pdf.fonts:
            pdf.add_font(family, fname=str(resources.files("notcher").joinpath("data/fonts", file)))
        pdf.set_font(family, style=style, size=shape.size)
        pieces.append((family, style, piece, pdf.get_string_width(piece)))
    wide = sum(width for *_, width in pieces)
    x = shape.x - {"start": 0.0, "middle": wide / 2, "end": wide}[shape.anchor]
    for family, style, piece, width in pieces:
        pdf.set_font(family, style=style, size=shape.size)
        pdf.text(x, shape.y, piece)
        x += width


def svg_text(pages: Sequence[Page], *, title: str) -> str:
    """One SVG with the pages under each other."""
    paper = pages[0].paper
    height = paper.height * len(pages)
    groups = []
    for number, page in enumerate(pages):
        groups.append(f'<g transform="translate(0 {number * paper.height:.2f})">')
        groups.append(f'<rect width="{paper.width}" height="{paper.height}" fill="#fff"/>')
        groups += [svg_of(s) for s in page.shapes]
        groups.append("</g>")
    return svg_document(groups, Paper(paper.width, height), title=title)


def svg_document(inside: Sequence[str], size: Paper, *, title: str, width: str = "", height: str = "") -> str:
    """Elements as a document of a size in points; width, height: as it is to be shown, else as large."""
    return (
        "\n".join(
            [
                f'<svg xmlns="http://www.w3.org/2000/svg" width="{width or f"{size.width:.2f}pt"}" '
                f'height="{height or f"{size.height:.2f}pt"}" viewBox="0 0 {size.width:.2f} {size.height:.2f}" '
                f'font-family="{FAMILY}, DejaVu Sans, sans-serif">',
                f"<title>{escape(title)}</title>",
                *inside,
                "</svg>",
            ]
        )
        + "\n"
    )


def grey_paint(kind: str, grey: float) -> str:
    """The attributes of a fill or stroke in a grey, 0 black, 1 white."""
    level = round(grey * 255)
    return f'{kind}="#{level:02x}{level:02x}{level:02x}"'


def svg_of(s: Shape, paint: Callable[[str, float], str] = grey_paint) -> str:
    """A shape as an SVG element. paint: the attributes of a fill or stroke, given which and its grey."""
    match s:
        case Line():
            dash = ' stroke-dasharray="2.2 2"' if s.dash else ""
            return (
                f'<line x1="{s.x1:.2f}" y1="{s.y1:.2f}" x2="{s.x2:.2f}" y2="{s.y2:.2f}" '
                f'{paint("stroke", s.grey)} stroke-width="{s.width:.2f}"{dash}/>'
            )
        case Curve():
            (a, b), *rest = s.points
            path = " ".join(f"{x:.2f} {y:.2f}" for x, y in rest)
            stroke = f'{paint("stroke", 0.0)} stroke-width="{s.width:.2f}"'
            return f'<path d="M{a:.2f} {b:.2f} C{path}" fill="none" {stroke}/>'
        case Polygon():
            points = " ".join(f"{x:.2f},{y:.2f}" for x, y in s.points)
            return f'<polygon points="{points}" {paint("fill", s.grey)}/>'
        case Outline():
            return f'<path d="{path_of(s)}" {paint("fill", 0.0)}/>'
        case Text():
            style = {"B": ' font-weight="700"', "I": ' font-style="italic"'}.get(s.style, "")
            anchor = "" if s.anchor == "start" else f' text-anchor="{s.anchor}"'
            return (
                f'<text x="{s.x:.2f}" y="{s.y:.2f}" font-size="{s.size:.2f}" {paint("fill", s.grey)}{anchor}{style}>'
                f"{escape(s.text)}</text>"
            )


def path_of(outline: Outline, number: Callable[[float], str] = "{:.2f}".format) -> str:
    """An outline as an SVG path. number: how figures are written."""
    out = []
    for (start,), *pieces in outline.contours:
        out.append(f"M{number(start[0])} {number(start[1])}")
        for piece in pieces:
            out.append(("L" if len(piece) == 1 else "C") + " ".join(f"{number(x)} {number(y)}" for x, y in piece))
        out.append("Z")
    return "".join(out)


# PDFium may be asked by one thread at a time (its own documentation), and the window draws pages beside other work.
_ONE_AT_A_TIME = threading.Lock()


def pictures_of(pdf: bytes, *, scale: float) -> list[Any]:
    """The pages of a PDF as Pillow images, so many pixels a point."""
    import pypdfium2

    with _ONE_AT_A_TIME:
        document = pypdfium2.PdfDocument(pdf)
        try:
            # Copied: what PDFium drew goes with the document.
            return [page.render(scale=scale).to_pil().convert("RGB").copy() for page in document]
        finally:
            document.close()


def page_images(pdf: bytes, *, dots_per_inch: int) -> list[tuple[int, int, bytes]]:
    """The pages of a PDF as pictures: (width, height, 8-bit RGB rows without padding)."""
    return [(i.width, i.height, i.tobytes()) for i in pictures_of(pdf, scale=dots_per_inch / 72)]


def png_bytes(pdf: bytes, *, dots_per_inch: int = 144) -> bytes:
    """The pages of a PDF under each other, as one PNG."""
    from PIL import Image

    images = [Image.frombytes("RGB", (w, h), data) for w, h, data in page_images(pdf, dots_per_inch=dots_per_inch)]
    sheet = Image.new("RGB", (max(i.width for i in images), sum(i.height for i in images)), "white")
    y = 0
    for image in images:
        sheet.paste(image, (0, y))
        y += image.height
    out = io.BytesIO()
    sheet.save(out, "PNG", optimize=True)
    return out.getvalue()
