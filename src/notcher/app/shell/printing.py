"""Pages of shapes painted by Qt: onto a printer, at its own fineness."""

from collections.abc import Sequence

from PyQt6.QtCore import QMarginsF, QPointF, QSizeF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPageLayout, QPageSize, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtPrintSupport import QPrinter

from notcher.app.widgets.theme import FAMILY
from notcher.formats.errors import FileFormatError
from notcher.formats.sheet.shapes import Curve, Line, Outline, Page, Polygon, Shape, Text


def print_pages(pages: Sequence[Page], printer: QPrinter) -> None:
    """Print all pages, each as large as it is. Raises FileFormatError where the printer does not begin."""
    paper = pages[0].paper
    size = QPageSize(QSizeF(paper.width, paper.height), QPageSize.Unit.Point, "", QPageSize.SizeMatchPolicy.FuzzyMatch)
    layout = QPageLayout(size, QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0))
    printer.setPageLayout(layout)
    printer.setFullPage(True)
    painter = QPainter()
    if not painter.begin(printer):
        raise FileFormatError("the printer does not answer; choose another, or write a PDF")
    try:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = printer.resolution() / 72.0
        painter.scale(scale, scale)
        for number, page in enumerate(pages):
            if number:
                printer.newPage()
            for shape in page.shapes:
                _paint(painter, shape)
    finally:
        painter.end()


def _paint(painter: QPainter, shape: Shape) -> None:
    match shape:
        case Line():
            pen = QPen(_grey(shape.grey), shape.width)
            pen.setCapStyle(Qt.PenCapStyle.FlatCap)
            if shape.dash:
                pen.setDashPattern([2.2 / shape.width, 2.0 / shape.width])
            painter.setPen(pen)
            painter.drawLine(QPointF(shape.x1, shape.y1), QPointF(shape.x2, shape.y2))
        case Curve():
            path = QPainterPath(QPointF(*shape.points[0]))
            path.cubicTo(*(QPointF(*p) for p in shape.points[1:]))
            painter.setPen(QPen(_grey(0.0), shape.width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        case Polygon():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(_grey(shape.grey))
            painter.drawPolygon(QPolygonF([QPointF(*p) for p in shape.points]))
        case Outline():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(_grey(0.0))
            painter.drawPath(_outline(shape))
        case Text():
            _words(painter, shape)


def _outline(shape: Outline) -> QPainterPath:
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.WindingFill)
    for (start,), *pieces in shape.contours:
        path.moveTo(QPointF(*start))
        for piece in pieces:
            if len(piece) == 1:
                path.lineTo(QPointF(*piece[0]))
            else:
                path.cubicTo(*(QPointF(*p) for p in piece))
        path.closeSubpath()
    return path


def _words(painter: QPainter, shape: Text) -> None:
    # Type is measured a hundredfold: Qt knows whole pixels of a screen where it is small.
    font = QFont([FAMILY, "DejaVu Sans", "Droid Sans Fallback"])
    font.setPixelSize(100)
    font.setBold(shape.style == "B")
    font.setItalic(shape.style == "I")
    font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    width = QFontMetricsF(font).horizontalAdvance(shape.text)
    painter.save()
    painter.translate(shape.x, shape.y)
    painter.scale(shape.size / 100, shape.size / 100)
    painter.setFont(font)
    painter.setPen(_grey(shape.grey))
    painter.drawText(QPointF({"start": 0.0, "middle": -width / 2, "end": -width}[shape.anchor], 0.0), shape.text)
    painter.restore()


def _grey(level: float) -> QColor:
    value = round(level * 255)
    return QColor(value, value, value)
