"""Strips: a phrase, a bar or a line of it as a picture with a transparent ground, to lay over a lesson's video."""

import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import partial
from pathlib import Path
from typing import Any

from notcher.formats import cards
from notcher.formats.errors import FileFormatError
from notcher.formats.export import chosen_notes
from notcher.formats.heading import title
from notcher.formats.outputs import FRESH, Outputs
from notcher.formats.picture import EDGE, Picture
from notcher.formats.printable import with_printable_words
from notcher.formats.sheet.look import Look, Rhythm
from notcher.formats.sheet.neck import Necks
from notcher.formats.sheet.shapes import Page, Paper
from notcher.formats.sheet.signs import FRET_SIZE
from notcher.formats.sheet.systems import Frame, System, systems
from notcher.formats.sheet.writers import pdf_bytes, pictures_of, svg_document, svg_of
from notcher.rhythm.bars import bars_of
from notcher.score.note import Note
from notcher.score.project import Phrase, Project
from notcher.stopping import apart

NARROWEST, WIDEST, TALLEST = 200, 7680, 30000
SMALLEST_NUMBERS, LARGEST_NUMBERS, USUAL_NUMBERS = 12, 400, 40
"""Pixels."""
LINE_HEIGHT, READABLE, WITH_STAFF = 600, 32, 24
"""Pixels that a line may be high beside the picture of a video, and that figures have to be for it: fewer under a
staff, for which there is no room otherwise."""
# Height of a figure in the printed font, of its size: read from the font (sCapHeight 668 of 1000).
_FIGURE = 0.668
_APART, _TRIM_SCALE = 5.0, 2.0
_FEWEST_POINTS = 90.0


class Each(StrEnum):
    """What a picture holds."""

    LINE = "line"
    PHRASE = "phrase"
    BAR = "bar"
    CARD = "card"


@dataclass(frozen=True, slots=True)
class Strips:
    """How strips look. width, numbers: pixels of the picture's width, and of the figures' height, None for the largest
    usual one with which a line stays within LINE_HEIGHT; dark: light ink, for a dark picture; each: what a picture
    holds; rhythm: None for what suits."""

    width: int = 1920
    numbers: int | None = None
    dark: bool = False
    staff: bool = False
    neck: bool = False
    left_handed: bool = False
    chords: bool = True
    each: Each = Each.LINE
    rhythm: Rhythm | None = None

    def __post_init__(self) -> None:
        for value, low, high in (
            (self.width, NARROWEST, WIDEST), (self.figures, SMALLEST_NUMBERS, LARGEST_NUMBERS),
        ):  # fmt: skip
            if not low <= value <= high:
                raise FileFormatError("from {low} to {high} pixels, got {value}", low=low, high=high, value=value)
        if self.width / self.scale < _FEWEST_POINTS:
            raise FileFormatError(
                "figures of {numbers} pixels do not fit a picture {width} wide; make it wider, or them smaller",
                numbers=self.figures, width=self.width,
            )  # fmt: skip

    @property
    def figures(self) -> int:
        """Pixels that figures are high."""
        return USUAL_NUMBERS if self.numbers is None else self.numbers

    @property
    def scale(self) -> float:
        """Pixels a point."""
        return self.figures / (FRET_SIZE * _FIGURE)

    @property
    def look(self) -> Look:
        """As the sheet has it."""
        neck = Necks(left_handed=self.left_handed) if self.neck else None
        return Look(rhythm=self.rhythm, staff=self.staff, neck=neck)


def pictures(project: Project, notes: Sequence[Note], look: Strips) -> list[Picture]:
    """What is drawn, a picture for each phrase (or all notes in one), line or bar."""
    return [_trimmed(p) for p in _laid_out(project, notes, look)]


def _laid_out(project: Project, notes: Sequence[Note], look: Strips) -> list[Picture]:
    """As pictures, with what is empty above and below each."""
    width = look.width / look.scale
    frame = Frame(width - 2 * EDGE, headed=False, words=False, chords=look.chords, bare=True)
    if look.each is Each.BAR:
        groups = _by_bar(project, notes)
    else:
        groups = [("", list(notes))]
    out: list[Picture] = []
    for name, group in groups:
        found = systems(project, group, look.look, frame)
        if look.each is Each.LINE:
            out += [_picture([s], width, str(k)) for k, s in enumerate(found, 1)]
        else:
            out.append(_picture(found, width, name))
    return out


def _are_low_enough(project: Project, notes: Sequence[Note], look: Strips) -> bool:
    """Whether all pictures fit beside a video's; what is empty about one is only looked for where that decides."""

    def fits(p: Picture) -> bool:
        return p.height * look.scale <= LINE_HEIGHT

    return all(fits(p) or fits(_trimmed(p)) for p in _laid_out(project, notes, look))


def _trimmed(picture: Picture) -> Picture:
    """Without what is empty above and below, but for the edge: a line may be no higher than it must."""
    page = Page(Paper(picture.width, picture.height), picture.shapes)
    drawn = pictures_of(pdf_bytes([page], title=""), scale=_TRIM_SCALE)[0].convert("L")
    ink = drawn.point(lambda value: 255 - value).getbbox()
    if ink is None:
        return picture
    top, bottom = ink[1] / _TRIM_SCALE - EDGE, ink[3] / _TRIM_SCALE + EDGE
    if picture.height > drawn.height / _TRIM_SCALE + 1 or bottom - top >= picture.height:
        return picture
    return replace(picture, systems=tuple((y - top, system) for y, system in picture.systems), height=bottom - top)


def _picture(found: Sequence[System], width: float, name: str) -> Picture:
    placed, y = [], EDGE
    for system in found:
        placed.append((y, system))
        y += system.height + _APART
    return Picture(tuple(placed), width, y - _APART + EDGE if found else y, name)


def _by_bar(project: Project, notes: Sequence[Note]) -> list[tuple[str, list[Note]]]:
    """Notes by the bars they are written in, silent bars left out. Raises FileFormatError where there is no beat."""
    if project.tempo is None:
        raise FileFormatError("there is no beat, so there are no bars; make a strip of each phrase or line")
    out: list[tuple[str, list[Note]]] = []
    for bar in bars_of(project, notes).bars:
        struck = [n for piece in bar.pieces if piece.begins for n in (*piece.event.graces, *piece.event.notes)]
        if struck:
            out.append((str(bar.number), sorted(struck, key=lambda n: (n.onset, n.string))))
    return out


def svg_bytes(picture: Picture, look: Strips, name: str) -> bytes:
    """A picture as SVG, its words as text, its ground left open."""
    inside = [svg_of(s, ink(dark=look.dark)) for s in picture.shapes]
    size = Paper(picture.width, picture.height)
    height = round(picture.height * look.width / picture.width)
    return svg_document(inside, size, title=name, width=str(look.width), height=str(height)).encode()


def ink(*, dark: bool) -> Callable[[str, float], str]:
    """How shapes are painted where the ground is open: grey lets it through; white, which hides what is under it, is
    the ink's opposite."""
    colour, hiding = ("#ffffff", "#000000") if dark else ("#000000", "#ffffff")

    def paint(kind: str, grey: float) -> str:
        if grey >= 1.0:
            return f'{kind}="{hiding}"'
        return f'{kind}="{colour}"' + (f' {kind}-opacity="{1 - grey:.2f}"' if grey else "")

    return paint


def image_of(picture: Picture, look: Strips) -> Any:
    """A picture as a Pillow image in RGBA: ink of one colour, as dense as what is drawn is dark. Raises FileFormatError
    for one that would be too high."""
    from PIL import Image, ImageOps

    scale = look.width / picture.width
    height = picture.height * scale
    if height > TALLEST:
        raise FileFormatError(
            "the picture would be {height:.0f} pixels high, and {most} is the most; choose one phrase",
            height=height, most=TALLEST,
        )  # fmt: skip
    page = Page(Paper(picture.width, picture.height), picture.shapes)
    drawn = pictures_of(pdf_bytes([page], title=""), scale=scale)[0].convert("L")
    drawn = drawn.crop((0, 0, look.width, drawn.height)) if drawn.width != look.width else drawn
    ink = 255 if look.dark else 0
    image = Image.merge("RGB", [Image.new("L", drawn.size, ink)] * 3)
    image.putalpha(ImageOps.invert(drawn))
    return image


def png_bytes(picture: Picture, look: Strips) -> bytes:
    """A picture as PNG with a transparent ground."""
    out = io.BytesIO()
    image_of(picture, look).save(out, "PNG")
    return out.getvalue()


def _made(project: Project, phrases: Sequence[Phrase], look: Strips) -> list[Picture]:
    if look.each is Each.CARD:
        found = [cards.picture(card) for card in cards.cards(project, phrases)]
        if not found:
            raise FileFormatError("there are no sections or phrases to make cards of; name some first")
        return [replace(p, name=str(k)) for k, p in enumerate(found, 1)]
    notes = chosen_notes(project, phrases)
    if not notes:
        raise FileFormatError("there are no notes to write; measure the recording or add notes first")
    return pictures(project, notes, fitting(project, notes, look))


def fitting(project: Project, notes: Sequence[Note], look: Strips) -> Strips:
    """The look with figures as large as lines within LINE_HEIGHT allow, and readable; where even those do not fit, with
    less beside them. As it is where somebody chose the figures."""
    if look.numbers is not None or look.each is not Each.LINE:
        return look
    small = replace(look, numbers=READABLE)
    less = [replace(look, numbers=n) for n in range(USUAL_NUMBERS, READABLE, -4)]
    less.append(small)
    if look.rhythm is None:
        less += [
            replace(small, rhythm=r) for r in (Rhythm.STEMS, Rhythm.NEITHER) if r is Rhythm.NEITHER or not look.staff
        ]
    least = replace(less[-1], chords=False)
    less += [least, *(replace(least, numbers=n) for n in range(READABLE - 2, WITH_STAFF - 1, -2) if look.staff)]
    for tried in less:
        if _are_low_enough(project, notes, tried):
            return tried
    return less[-1]


def strip_paths(path: Path, made: Sequence[Picture], each: Each) -> list[Path]:
    """Where pictures go: into the file that is named where there is one line, or all are one; else numbered."""
    if each is Each.PHRASE or (each is Each.LINE and len(made) == 1):
        return [path]
    return [path.with_stem(f"{path.stem}-{p.name.zfill(2)}") for p in made]


def strip_names(project: Project, path: Path, phrases: Sequence[Phrase], look: Strips) -> list[str]:
    """The names of the files that would be written."""
    return [p.name for p in strip_paths(path, _made(with_printable_words(project), phrases, look), look.each)]


def write_strips(
    project: Project, path: Path, phrases: Sequence[Phrase], look: Strips, outputs: Outputs = FRESH
) -> list[Path]:  # fmt: skip
    """Write one file, or for each of several lines or bars one with its number in its name; returns what was written.

    Raises FileFormatError, before anything is written where that can be known.
    """
    if path.suffix.lower() not in (".png", ".svg") or look.each is Each.PHRASE:
        outputs.check(path, endings=(".png", ".svg"))
    project = with_printable_words(project)
    made = apart(lambda: _made(project, phrases, look))
    paths = strip_paths(path, made, look.each)
    for goal in paths:
        outputs.check(goal, endings=(".png", ".svg"))
    name = ", ".join(p.name for p in phrases) or title(project)
    as_svg = path.suffix.lower() == ".svg"
    if look.numbers is None and look.each is Each.LINE and made:
        look = replace(look, numbers=round(look.width / made[0].width * FRET_SIZE * _FIGURE))
    for picture, goal in zip(made, paths, strict=True):
        drawn = apart(partial(svg_bytes, picture, look, name) if as_svg else partial(png_bytes, picture, look))
        outputs.write(goal, drawn)
    return paths
