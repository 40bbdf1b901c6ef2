"""Colours, type and the style sheet. Colour says certainty and selection, never which string.

Every pair of text and ground here has a contrast of 4.5 or more (WCAG 2.2, 1.4.3), every line, border and handle one of
3 or more against what it lies on (1.4.11); tests compute both.
"""

import functools
from dataclasses import asdict, dataclass
from importlib import resources
from pathlib import Path
from string import Template

from PyQt6.QtGui import QColor, QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

FAMILY = "Atkinson Hyperlegible Next"
BASE_POINTS = 10.5


@dataclass(frozen=True, slots=True)
class Theme:
    """One set of colours. ground: the sheet; panel: bars and panels; ink: text; faint: lines; quiet: lesser text.

    sure: confirmed; guess: proposed; doubt: doubtful; pick: selected; wave: the recording; loop: what is repeated.
    """

    name: str
    ground: str
    panel: str
    ink: str
    quiet: str
    faint: str
    sure: str
    on_sure: str
    guess: str
    doubt: str
    on_doubt: str
    pick: str
    wave: str
    loop: str
    head: str

    def color(self, key: str, alpha: int = 255) -> QColor:
        """A colour of this theme, with transparency. The same object each time: do not change it."""
        return _color(getattr(self, key), alpha)


@functools.cache
def _color(value: str, alpha: int) -> QColor:
    color = QColor(value)
    color.setAlpha(alpha)
    return color


LIGHT = Theme(
    "light", ground="#fbf8f1", panel="#efe9dc", ink="#1c2b33", quiet="#55636b", faint="#857d6d", sure="#1f4e5f",
    on_sure="#ffffff", guess="#fbf8f1", doubt="#8a4b00", on_doubt="#ffffff", pick="#a3225c", wave="#5f8083",
    loop="#d9e4d4", head="#a3225c",
)  # fmt: skip
DARK = Theme(
    "dark", ground="#12191d", panel="#1b252b", ink="#edf0ea", quiet="#a3b1b3", faint="#6b7e87", sure="#8fc7d2",
    on_sure="#0c1418", guess="#12191d", doubt="#f0b263", on_doubt="#1b1206", pick="#ff8fbb", wave="#628491",
    loop="#21352f", head="#ff8fbb",
)  # fmt: skip


@functools.cache
def load_fonts() -> None:
    """Make the fonts that ship with the program known to Qt."""
    folder = resources.files("notcher").joinpath("data/fonts")
    for entry in folder.iterdir():
        if entry.name.endswith(".ttf"):
            with resources.as_file(entry) as path:
                QFontDatabase.addApplicationFont(str(path))


def font(points: float, *, bold: bool = False, scaled: bool = True) -> QFont:
    """The program's type at a size in points, with signs such as ♯ from the second family.

    scaled: larger along with the application's own type, as the person set it.
    """
    made = QFont([FAMILY, "DejaVu Sans", "Droid Sans Fallback"])
    app = QApplication.instance()
    factor = app.font().pointSizeF() / BASE_POINTS if scaled and isinstance(app, QApplication) else 1.0
    made.setPointSizeF(points * max(0.5, factor))
    made.setWeight(QFont.Weight.Bold if bold else QFont.Weight.Normal)
    return made


def contrast(a: str, b: str) -> float:
    """Contrast ratio of two colours, 1 to 21 (WCAG 2.2, relative luminance)."""

    def luminance(value: str) -> float:
        c = QColor(value)
        parts = [x / 12.92 if x <= 0.04045 else ((x + 0.055) / 1.055) ** 2.4 for x in (c.redF(), c.greenF(), c.blueF())]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def style_sheet(t: Theme, scale: float = 1.0) -> str:
    """The style of all standard widgets, with type `scale` times its usual size."""
    arrows = Path(str(resources.files("notcher").joinpath("data/arrows"))).as_posix()
    sheet = resources.files("notcher").joinpath("data/window.qss").read_text(encoding="utf-8")
    sizes = {"base": BASE_POINTS, "pt12": 12.0, "pt13": 13.0, "pt22": 22.0}
    return Template(sheet).substitute(
        asdict(t), arrows=arrows, family=FAMILY, step=f"{36 * scale:.0f}",
        **{name: f"{points * scale:.1f}" for name, points in sizes.items()},
    )  # fmt: skip
