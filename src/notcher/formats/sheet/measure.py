"""How wide printed words are, by the fonts they are printed in."""

import functools
from importlib import resources
from typing import Any

FONT_FILES = {
    "": "AtkinsonHyperlegibleNext_400Regular.ttf",
    "B": "AtkinsonHyperlegibleNext_700Bold.ttf",
    "I": "AtkinsonHyperlegibleNext_400Regular_Italic.ttf",
}
FALLBACK_FILE = "DejaVuSans.ttf"
# Of an em, for a sign that neither font has.
_UNKNOWN_EM = 0.6


@functools.lru_cache(maxsize=4)
def _advances(file: str) -> tuple[dict[int, str], Any, int]:
    """Glyph names by code point, their advances, and the units of an em."""
    from fontTools.ttLib import TTFont

    font = TTFont(str(resources.files("notcher").joinpath("data/fonts", file)), lazy=True)
    return font.getBestCmap(), font["hmtx"], font["head"].unitsPerEm


def text_width(text: str, size: float, style: str = "") -> float:
    """Width in points of words at a size in points, without kerning."""
    total = 0.0
    for letter in text:
        for file in (FONT_FILES[style], FALLBACK_FILE):
            names, metrics, em = _advances(file)
            if ord(letter) in names:
                total += metrics[names[ord(letter)]][0] / em
                break
        else:
            total += _UNKNOWN_EM
    return total * size


def broken(text: str, width: float, size: float, style: str = "") -> list[str]:
    """Words in as many lines as a width in points takes; one that is wider alone is cut."""
    lines: list[str] = []
    for word in text.split():
        longer = f"{lines[-1]} {word}" if lines else word
        if lines and text_width(longer, size, style) <= width:
            lines[-1] = longer
            continue
        lines.append("")
        for letter in word:
            if lines[-1] and text_width(lines[-1] + letter, size, style) > width:
                lines.append("")
            lines[-1] += letter
    return lines or [""]
