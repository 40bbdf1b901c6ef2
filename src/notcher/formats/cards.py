"""Cards between the parts of a lesson's video: the section's letter, its phrases, and where it begins."""

from collections.abc import Sequence
from dataclasses import dataclass

from notcher.formats.picture import Picture
from notcher.formats.sheet.measure import broken, text_width
from notcher.formats.sheet.shapes import Line, Shape, Text
from notcher.formats.sheet.systems import System
from notcher.score.project import Phrase, Project
from notcher.score.sections import section_end
from notcher.wording import tr
from notcher.wording.notes import phrase_title, section_reference
from notcher.wording.numbers import clock, pace_words

_WIDTH, _HEIGHT = 480.0, 270.0
_MOST_LINES = 3


@dataclass(frozen=True, slots=True)
class Card:
    """A part: its name, what is said under it, and its seconds."""

    name: str
    lines: tuple[str, ...]
    start: float


def cards(project: Project, phrases: Sequence[Phrase]) -> list[Card]:
    """A card for each section that has one of the phrases (none: any); without sections one for each phrase."""
    wanted = list(phrases) or list(project.phrases)
    bpm = project.tempo.bpm() if project.tempo else None
    if not project.sections:
        return [Card(phrase_title(p), (clock(p.start),), p.start) for p in wanted]
    out = []
    for section in project.sections:
        end = section_end(project, section)
        inside = [p for p in wanted if section.start - 0.2 <= p.start < end - 0.2]
        if inside or not phrases:
            said = [", ".join(phrase_title(p) for p in inside), section_reference(section)]
            times = " · ".join([clock(section.start), *([pace_words(100, bpm)] if bpm else [])])
            out.append(Card(tr("Section {name}", name=section.name), (*(w for w in said if w), times), section.start))
    return out


def picture(card: Card) -> Picture:
    """A card as a strip's picture, sixteen to nine."""
    shapes: list[Shape] = []
    size = min(46.0, 46.0 * (_WIDTH - 60) / max(1.0, text_width(card.name, 46.0, "B")))
    y = _HEIGHT * 0.42
    shapes.append(Text(_WIDTH / 2, y, card.name, size, "middle", "B"))
    shapes.append(Line(_WIDTH * 0.3, y + 14, _WIDTH * 0.7, y + 14, 1.6))
    y += 40.0
    for words in card.lines:
        for line in broken(words, _WIDTH - 60, 17.0)[:_MOST_LINES]:
            shapes.append(Text(_WIDTH / 2, y, line, 17.0, "middle"))
            y += 23.0
    return Picture(((0.0, System(tuple(shapes), _HEIGHT, card.name, None, {})),), _WIDTH, _HEIGHT, card.name, edge=0.0)
