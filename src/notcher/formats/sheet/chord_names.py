"""Names of chords over a line of tab."""

from notcher.formats.sheet.measure import text_width
from notcher.formats.sheet.shapes import Shape, Text

HEIGHT = 13.0
"""Points that they take over the signs."""
_SIZE, _APART = 9.0, 4.0


def drawn(placed: list[tuple[float, str]], y: float) -> list[Shape]:
    """The names at their places in points, moved apart where they would touch. y: their base line."""
    out: list[Shape] = []
    free = float("-inf")
    for x, name in placed:
        at = max(x, free)
        out.append(Text(at, y, name, _SIZE, style="B"))
        free = at + text_width(name, _SIZE, "B") + _APART
    return out
