"""In which order the measures of a score are played: repeats and their endings written out."""

import re
from collections.abc import Sequence
from xml.etree import ElementTree as ET

from notcher.wording import tr

_MOST_MEASURES = 5000
_TIMES = re.compile("[0-9]{1,3}")
_JUMPS = ("dacapo", "dalsegno", "tocoda", "coda", "segno", "fine")


def playing_order(measures: Sequence[ET.Element]) -> tuple[list[int], str]:
    """Measure numbers (from 0) in the order they are played, and a sentence on jumps that are not followed, or ''."""
    order: list[int] = []
    begin, at, turn = 0, 0, 1
    while at < len(measures) and len(order) < _MOST_MEASURES:
        measure = measures[at]
        if _repeats(measure, "forward") and begin != at:
            begin, turn = at, 1
        ending = _ending(measure)
        if ending and turn not in ending:
            at = _after_ending(measures, at)
            continue
        order.append(at)
        times = _repeats(measure, "backward")
        if times and turn < times:
            turn, at = turn + 1, begin
            continue
        if times:
            begin, turn = at + 1, 1
        at += 1
    jumps = {k for m in measures for s in m.iter("sound") for k in _JUMPS if s.get(k)}
    said = tr(
        "jumps are not followed ({names}): the bars are read in the order they stand", names=", ".join(sorted(jumps))
    )
    return order, said if jumps & {"dacapo", "dalsegno", "tocoda"} else ""


def _repeats(measure: ET.Element, direction: str) -> int:
    """How often a stretch is played that is repeated from (or to) this measure; 0 for no repeat here."""
    for repeat in measure.iterfind("barline/repeat"):
        if repeat.get("direction") == direction:
            times = repeat.get("times", "2")
            return min(16, int(times)) if _TIMES.fullmatch(times) else 2
    return 0


def _ending(measure: ET.Element) -> set[int]:
    """The turns on which a measure that begins an ending is played; empty where it begins none."""
    for ending in measure.iterfind("barline/ending"):
        if ending.get("type") == "start":
            return {int(k) for k in ending.get("number", "").replace(",", " ").split() if _TIMES.fullmatch(k)}
    return set()


def _after_ending(measures: Sequence[ET.Element], at: int) -> int:
    """The measure after the ending that begins at one."""
    while at < len(measures):
        ends = any(e.get("type") in ("stop", "discontinue") for e in measures[at].iterfind("barline/ending"))
        at += 1
        if ends:
            break
    return at
