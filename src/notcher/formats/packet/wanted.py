"""What a packet holds: one row a part."""

from dataclasses import dataclass
from enum import StrEnum

from notcher.formats.errors import FileFormatError
from notcher.formats.practice import HEARD
from notcher.formats.sheet.look import USUAL, Look
from notcher.teach.layers import Layer
from notcher.wording import later


class Part(StrEnum):
    """Of what a packet is made."""

    PAGES = "pages"
    TEXT = "text"
    SCORE = "musicxml"
    MIDI = "midi"
    SOUNDS = "sounds"
    STRIPS = "strips"
    CAPTIONS = "captions"
    LESSON = "lesson"


PART_WORDS = {
    Part.PAGES: later("pages to print"), Part.TEXT: later("text tab"), Part.SCORE: later("MusicXML"),
    Part.MIDI: later("MIDI"), Part.SOUNDS: later("practice sounds"), Part.STRIPS: later("strips for a video"),
    Part.CAPTIONS: later("captions"), Part.LESSON: later("lesson page"),
}  # fmt: skip
"""Each as it is offered, in the order in which they are written."""


@dataclass(frozen=True, slots=True)
class Packet:
    """learner: whom it is for, '' for whoever asked; parts: what it holds; look: of its pages; hands: fingers and
    strokes also where they are only proposed; hear: what its sounds play; paces: theirs; recording: whether it lies in
    the lesson page; shown: the version or layer
    that is seen, in words; layer: of all but the lesson page, which has each; dialect: of captions and cues."""

    learner: str = ""
    parts: tuple[Part, ...] = tuple(Part)
    look: Look = USUAL
    hands: bool = False
    hear: str = "written"
    paces: tuple[int, ...] = (50, 75, 100)
    recording: bool = False
    shown: str = ""
    layer: Layer = Layer.COLOUR
    dialect: int = 0

    def __post_init__(self) -> None:
        if not self.parts:
            raise FileFormatError("a packet holds something; choose a part")
        if self.hear not in HEARD:
            raise FileFormatError(
                "'{hear}' is nothing to hear; there is {known}", hear=self.hear, known=", ".join(HEARD)
            )
