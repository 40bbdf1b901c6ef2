"""Repeats of a MusicXML score: what is played again at once is written once, as on the page."""

import xml.etree.ElementTree as ET

from notcher.formats.repeats import Folded


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
