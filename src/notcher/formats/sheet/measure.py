"""How wide printed words are, by the fonts they are printed in."""

import functools
import unicodedata
from importlib import resources
from typing import Any

FONT_FILES = {
    "": "AtkinsonHyperlegibleNext_400Regular.ttf",
    "B": "AtkinsonHyperlegibleNext_700Bold.ttf",
    "I": "AtkinsonHyperlegibleNext_400Regular_Italic.ttf",
}
FALLBACK_FILES = ("DejaVuSans.ttf", "DroidSansFallback.ttf")
"""Where a letter is looked for next: signs and other alphabets, then the scripts of East Asia."""
_MIRRORED = dict(zip("()[]{}<>«»", ")(][}{><»«", strict=True))
UNKNOWN = "□"
"""What stands for a letter that none of the fonts has."""


@functools.lru_cache(maxsize=8)
def _advances(file: str) -> tuple[dict[int, str], Any, int]:
    """Glyph names by code point, their advances, and the units of an em."""
    from fontTools.ttLib import TTFont

    with TTFont(str(resources.files("notcher").joinpath("data/fonts", file)), lazy=True) as font:
        return font.getBestCmap(), font["hmtx"], font["head"].unitsPerEm


def runs(text: str, style: str = "") -> list[tuple[str, str]]:
    """The text as it is seen from left to right, in pieces, each with the file of a font that has its letters."""
    out: list[tuple[str, str]] = []
    for letter in _as_seen(text):
        shown, has = letter, FONT_FILES[style]
        if not _has(has, letter):
            has = next((file for file in FALLBACK_FILES if _has(file, letter)), "")
            shown, has = (letter, has) if has else (UNKNOWN, FALLBACK_FILES[0])
        if out and out[-1][0] == has:
            out[-1] = (has, out[-1][1] + shown)
        else:
            out.append((has, shown))
    return out


def _has(file: str, letter: str) -> bool:
    return ord(letter) in _advances(file)[0]


def _as_seen(text: str) -> str:
    """Text with what is read from right to left in the order in which it is printed (Unicode Standard Annex 9)."""
    if text.isascii() or not any(unicodedata.bidirectional(c) in ("R", "AL", "RLE", "RLO", "RLI") for c in text):
        return text
    from arabic_reshaper import reshape
    from fpdf.bidi import BidiParagraph

    # Arabic letters take the shapes of beginning, middle and end.
    seen = BidiParagraph(reshape(text)).get_reordered_characters()
    return "".join(_MIRRORED.get(c.character, c.character) if c.embedding_level % 2 else c.character for c in seen)


def text_width(text: str, size: float, style: str = "") -> float:
    """Width in points of words at a size in points, without kerning."""
    total = 0.0
    for file, piece in runs(text, style):
        names, metrics, em = _advances(file)
        total += sum(metrics[names[ord(letter)]][0] for letter in piece) / em
    return total * size


def fitted(text: str, width: float, size: float, style: str = "") -> str:
    """The text, or as much of it as a width in points takes, and that there is more."""
    if text_width(text, size, style) <= width:
        return text
    low, high = 0, len(text)
    while low < high:
        middle = (low + high + 1) // 2
        if text_width(text[:middle].rstrip() + "…", size, style) <= width:
            low = middle
        else:
            high = middle - 1
    return text[:low].rstrip() + "…"


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
