"""Chords and keys of MusicXML: its harmony and key elements."""

from xml.etree import ElementTree as ET

from notcher.formats.limits import whole
from notcher.score.chord import KINDS, Chord
from notcher.score.key import MODES, Key
from notcher.score.spelling import Tone

# Of two kinds with one name in MusicXML, the one without added tones.
_PLAIN = {kind.xml: name for name, kind in reversed(KINDS.items()) if not kind.added}
_ADDED = {(kind.xml, kind.added): name for name, kind in KINDS.items() if kind.added}
# What MusicXML calls otherwise, or tells apart more finely than is done here.
_OTHERS = {
    "none": "", "major-13th": "major-ninth", "minor-13th": "minor-11th", "major-11th": "major-ninth",
    "suspended-second": "suspended-second", "pedal": "power",
}  # fmt: skip


def chord_of(harmony: ET.Element) -> Chord | None:
    """The chord of a harmony element, None where it says that there is none. Raises ValueError or ScoreError for one
    whose kind is not known here."""
    xml = (harmony.findtext("kind") or "major").strip()
    if xml == "none":
        return None
    added = tuple(_degree(d) for d in harmony.findall("degree") if (d.findtext("degree-type") or "") == "add")
    name = _ADDED.get((xml, added)) or _PLAIN.get(xml) or _OTHERS.get(xml)
    root = harmony.find("root")
    if not name or root is None:
        raise ValueError(xml)
    bass = harmony.find("bass")
    tone, low = _tone(root, "root"), _tone(bass, "bass") if bass is not None else None
    return Chord(tone, name, None if low == tone else low)


def _tone(element: ET.Element, name: str) -> Tone:
    alter = round(float(element.findtext(f"{name}-alter") or "0"))
    if abs(alter) > 2:
        raise ValueError(alter)
    return Tone.named((element.findtext(f"{name}-step") or "").strip() + ("#" * alter if alter > 0 else "b" * -alter))


def _degree(element: ET.Element) -> str:
    alter = round(float(element.findtext("degree-alter") or "0"))
    return ("#" * alter if alter > 0 else "b" * -alter) + (element.findtext("degree-value") or "").strip()


def key_of(element: ET.Element) -> Key | None:
    """The key of a key element; without a mode that of its sharps or flats, major, and None where it has neither: many
    programs write that where they know of no key."""
    mode = (element.findtext("mode") or "").strip()
    if not mode and (element.findtext("fifths") or "0").strip() != "0":
        mode = "major"
    mode = {"ionian": "major", "aeolian": "minor"}.get(mode, mode)
    if mode not in MODES or element.find("fifths") is None:
        return None
    return Key(Tone(whole((element.findtext("fifths") or "").strip()) + MODES[mode]), mode)
