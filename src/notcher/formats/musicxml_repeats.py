"""Repeats of a MusicXML score: what is played again at once is written once, as on the page."""

import xml.etree.ElementTree as ET
from collections.abc import Sequence
from dataclasses import dataclass, field

from notcher.formats.repeats import Passage, by_phrase, passages
from notcher.rhythm.bars import Bars
from notcher.rhythm.cells import Cell, barred, cut
from notcher.score.note import Note
from notcher.score.project import Project


@dataclass(frozen=True, slots=True)
class Folded:
    """By the numbers of bars: left_out, as they are played by repeating others; begins; ends, with how often what ends
    there is played; endings: the number of the ending that a bar is."""

    left_out: frozenset[int] = frozenset()
    begins: frozenset[int] = frozenset()
    ends: dict[int, int] = field(default_factory=dict)
    endings: dict[int, int] = field(default_factory=dict)


def folded(project: Project, notes: Sequence[Note], found: Bars) -> Folded:
    """What of a score's bars is written as repeats; nothing without a beat."""
    if project.tempo is None or not notes:
        return Folded()
    groups = by_phrase(project, tuple(notes))
    runs = cut(barred(found), [group for _, group in groups])
    left_out: set[int] = set()
    begins: set[int] = set()
    ends: dict[int, int] = {}
    endings: dict[int, int] = {}
    for passage in passages(project, groups, runs, tuple(notes), folded=True):
        if passage.times < 2 or passage.words:
            continue
        first, last = passage.cells[0].bar, _last_bar(passage)
        begins.add(first)
        ends[last] = passage.times
        if passage.second is None:
            size = last - first + 1
            left_out |= set(range(last + 1, first + size * passage.times))
        else:
            other = passage.cells[passage.second[0]].bar
            left_out |= set(range(last + 1, other))
            endings |= {last: 1, other: 2}
    return Folded(frozenset(left_out), frozenset(begins), ends, endings)


def _last_bar(passage: Passage) -> int:
    """The last bar of what is played first."""
    cells: Sequence[Cell] = passage.cells[: passage.first[1]] if passage.first else passage.cells
    return cells[-1].bar + max(0, cells[-1].silent - 1)


def write_left(measure: ET.Element, bar: int, found: Folded) -> None:
    """The bar line before a bar, where something begins with it."""
    if bar not in found.begins and bar not in found.endings:
        return
    line = ET.SubElement(measure, "barline", location="left")
    if bar in found.begins:
        ET.SubElement(line, "bar-style").text = "heavy-light"
    if bar in found.endings:
        ET.SubElement(line, "ending", number=str(found.endings[bar]), type="start")
    if bar in found.begins:
        ET.SubElement(line, "repeat", direction="forward")


def write_right(measure: ET.Element, bar: int, found: Folded, *, final: bool) -> None:
    """The bar line after a bar, where something ends with it, or the piece does."""
    if bar not in found.ends and bar not in found.endings and not final:
        return
    line = ET.SubElement(measure, "barline", location="right")
    if final or bar in found.ends:
        ET.SubElement(line, "bar-style").text = "light-heavy"
    if bar in found.endings:
        kind = "stop" if bar in found.ends else "discontinue"
        ET.SubElement(line, "ending", number=str(found.endings[bar]), type=kind)
    if bar in found.ends:
        times = {"times": str(found.ends[bar])} if found.ends[bar] > 2 else {}
        ET.SubElement(line, "repeat", {"direction": "backward", **times})
