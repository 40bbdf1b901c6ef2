"""What may be asked for as something is printed or exported: a row an option, read by `api.render`, the command line,
the window's panel, and docs/FORMATS.md.

Each has one name: render's keyword; the command line's is the same with hyphens.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, TypedDict

from notcher.formats.errors import FileFormatError
from notcher.formats.heading import PLAIN, Said
from notcher.formats.sheet.look import USUAL, Look, Rhythm
from notcher.formats.sheet.neck import Necks
from notcher.formats.sheet.shapes import PAPERS
from notcher.teach.layers import ORDER, Layer, layer_of
from notcher.wording import later
from notcher.wording.lesson import shown_words


class Printing(TypedDict, total=False):
    """The options by their names, as scripts give them; what is not there is as usual."""

    showing: str | None
    layer: str
    staff: bool
    hands: bool
    rhythm: str | None
    paper: str
    run_on: bool
    size: float
    neck: bool
    left_handed: bool
    series: str
    pace: float
    offset: float
    dialect: int


@dataclass(frozen=True, slots=True)
class Option:
    """usual: what it is where nothing is said; help: on the command line; label: in the window, '' where it stands
    elsewhere there; choices: of a named one; metavar: of one with a value."""

    name: str
    usual: Any
    help: str
    label: str = ""
    choices: tuple[str, ...] = ()
    metavar: str = ""

    @property
    def flag(self) -> str:
        """On the command line."""
        return "--" + self.name.replace("_", "-")


OPTIONS = {
    option.name: option
    for option in (
        Option("showing", None, later("such as easier: phrases that have it show it"), metavar="VERSION"),
        Option("layer", str(Layer.COLOUR), later("how much of each phrase is there"),
               later("How much of each phrase is there"), choices=tuple(ORDER)),
        Option("staff", False, later("a standard staff over the tab"), later("A standard staff over the tab")),
        Option("hands", False, later("fingers and strokes of the pick also where they are only proposed"),
               later("Fingers and strokes, as proposed")),
        Option("rhythm", None, later("what of it stands under the tab"),
               later("What of the rhythm stands under the tab"), choices=tuple(Rhythm)),
        Option("paper", "a4", later("that pages are printed on"), later("Paper"), choices=tuple(PAPERS)),
        Option("run_on", False, later("phrases follow one another on a line"), later("Phrases run on")),
        Option("size", 100, later("of all that is printed"), later("Size of all that is printed"), metavar="PERCENT"),
        Option("neck", False, later("on pages: each phrase on the neck"), later("Each phrase on the neck")),
        Option("left_handed", False, later("its nut on the right")),
        Option("series", "", later("on pages: what it is a part of"), later("What the pages are a part of"),
               metavar="TEXT"),
        Option("pace", 100.0, later("of captions and cues"), metavar="PERCENT"),
        Option("offset", 0.0, later("of captions and cues: so many seconds later"), metavar="S"),
        Option("dialect", 0, later("how captions and cues are worded, 1 to 6"), metavar="N"),
    )
}  # fmt: skip
"""Every option, in the order in which they are listed."""
OF_A_LOOK = ("staff", "rhythm", "paper", "run_on", "size", "neck", "left_handed")
"""Those that say how pages look."""


@dataclass(frozen=True, slots=True)
class With:
    """What is written beside the notes. hands: fingers and strokes of the pick also where they are only proposed;
    layer: how much of each phrase there is; look: of pages, and whether a staff stands over tab; said: what their head
    says. pace, offset: of captions and cues, in percent and seconds later; dialect: in which lines are written, by its
    place in formats/line.py."""

    hands: bool = False
    layer: Layer = Layer.COLOUR
    look: Look = USUAL
    said: Said = PLAIN
    pace: float = 100.0
    offset: float = 0.0
    dialect: int = 0


WITHOUT = With()


def whole(given: Mapping[str, Any]) -> dict[str, Any]:
    """All options, those that are not given as usual. Raises TypeError for a name that is none of them."""
    unknown = [name for name in given if name not in OPTIONS]
    if unknown:
        raise TypeError(f"there is no option '{unknown[0]}'; there are {', '.join(OPTIONS)}")
    return {name: given.get(name, option.usual) for name, option in OPTIONS.items()}


def look_of(given: Mapping[str, Any]) -> Look:
    """The look that names and percents ask for. Raises FileFormatError."""
    wanted = whole({name: value for name, value in given.items() if name in OF_A_LOOK})
    rhythm, paper = wanted["rhythm"], wanted["paper"]
    if rhythm is not None and rhythm not in tuple(Rhythm):
        raise FileFormatError("of the rhythm there are {known}, got '{name}'", known=", ".join(Rhythm), name=rhythm)
    if paper not in PAPERS:
        raise FileFormatError("of paper there are {known}, got '{name}'", known=", ".join(PAPERS), name=paper)
    return Look(
        rhythm=Rhythm(rhythm) if rhythm is not None else None, paper=PAPERS[paper], run_on=wanted["run_on"],
        size=wanted["size"] / 100, staff=wanted["staff"],
        neck=Necks(left_handed=wanted["left_handed"]) if wanted["neck"] else None,
    )  # fmt: skip


def with_options(given: Mapping[str, Any]) -> With:
    """What is written beside the notes where these options are given. Raises FileFormatError, ScoreError, TypeError."""
    wanted = whole(given)
    layer = layer_of(wanted["layer"])
    said = Said(shown=shown_words(wanted["showing"], layer), series=wanted["series"])
    return With(wanted["hands"], layer, look_of(given), said, wanted["pace"], wanted["offset"], wanted["dialect"])


def options_table() -> str:
    """All of them as docs/FORMATS.md has them."""
    lines = ["| option | what it does | else |", "|---|---|---|"]
    for option in OPTIONS.values():
        value = "|".join(option.choices) or option.metavar
        usual = "" if option.usual in (None, False, "") else f"`{option.usual:g}`" \
            if isinstance(option.usual, (int, float)) else f"`{option.usual}`"  # fmt: skip
        name = f"`{option.flag} {value}`" if value else f"`{option.flag}`"
        lines.append(f"| {name.replace('|', chr(92) + '|')} | {option.help} | {usual} |")
    return "\n".join(lines)
