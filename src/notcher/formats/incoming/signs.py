"""What MusicXML says at one note: attack, bend, vibrato, marks, finger."""

from collections import Counter
from dataclasses import dataclass, field
from xml.etree import ElementTree as ET

from notcher.formats.limits import number
from notcher.formats.musicxml import BEND_SAID
from notcher.score.note import HIGHEST_PARTIAL, Attack, Bend, BendKind, Mark
from notcher.score.pitch import nearest_quarter
from notcher.score.technique import MARKS, Absent
from notcher.score.tuning import MOST_STRINGS
from notcher.wording import tr

_KINDS = {said: kind for kind, said in BEND_SAID.items()}
_ELEMENTS = [(row.mark, row.xml) for row in MARKS if not isinstance(row.xml, Absent)]
_MARKS = {
    **{tag: mark for mark, xml in _ELEMENTS if not xml.text for tag in (xml.tag, *xml.also)}, "tremolo": Mark.TREMOLO,
}  # fmt: skip
_BY_THE_BAR = {"dip": Mark.BAR_DIP, "dive": Mark.BAR_DIVE, "scoop": Mark.BAR_SCOOP}
_STRINGS = frozenset(str(k) for k in range(1, MOST_STRINGS + 1))
_PARTIALS = {str(k): k for k in range(2, HIGHEST_PARTIAL + 1)}
_SAID = {**{xml.text: mark for mark, xml in _ELEMENTS if xml.text}, "fretting hand": Mark.LEFT_HAND}
# Read elsewhere, or of no weight for tab.
_KNOWN = {
    "string", "fret", "bend", "tied", "tuplet", "slur", "technical", "articulations", "ornaments", "other-technical",
    "accidental-mark", "tenuto", "breath-mark",
}  # fmt: skip


@dataclass
class Signs:
    """What was found. wavy: whether a vibrato line goes on after this note; arrives: the share of the note after which
    a bend is there, None where that is not said."""

    attack: Attack = Attack.PICK
    bend: Bend | None = None
    vibrato: bool = False
    marks: set[Mark] = field(default_factory=set)
    finger: int | None = None
    partial: int | None = None
    raked_from: int | None = None
    sounding: float | None = None
    wavy: bool = False
    arrives: float | None = None


def signs_of(element: ET.Element, skipped: Counter[str], *, wavy: bool = False) -> Signs:
    """What a note element says. skipped: takes up what was not understood. wavy: whether a vibrato line runs."""
    signs = Signs(vibrato=wavy, wavy=wavy)
    for notations in element.findall("notations"):
        for child in notations:
            for sign in (child, *child) if child.tag in ("technical", "articulations", "ornaments") else (child,):
                if not _take(sign, signs) and sign.tag not in _KNOWN:
                    skipped[f"'{sign.tag}'"] += 1
    signs.bend, by_the_bar = _bend(element, signs, skipped)
    signs.arrives = _arrives(element) if signs.bend is not None and not signs.bend.starts_raised else None
    signs.marks |= by_the_bar
    if (element.findtext("notehead") or "").strip() in ("x", "cross"):
        signs.marks.add(Mark.DEAD)
    if any((mute.text or "").strip() in ("palm", "straight") for mute in element.iterfind("play/mute")):
        signs.marks.add(Mark.PALM_MUTE)
    if element.find("grace") is not None:
        signs.marks.add(Mark.GRACE)
    return signs


# How a note is reached at which one of these ends.
_REACHED = {
    "hammer-on": Attack.HAMMER, "pull-off": Attack.PULL, "slide": Attack.SLIDE, "glissando": Attack.SLIDE,
}  # fmt: skip


def _take(sign: ET.Element, signs: Signs) -> bool:
    """Take up one sign; whether it was known."""
    text = (sign.text or "").strip()
    ends = sign.get("type") == "stop"
    if sign.tag in _REACHED:
        signs.attack = _REACHED[sign.tag] if ends else signs.attack
        return True
    match sign.tag:
        case "tap":
            signs.attack = Attack.TAP
            if sign.get("hand") == "left":
                signs.marks.add(Mark.LEFT_HAND)
        case "harmonic":
            pinched = sign.find("artificial") is not None
            signs.marks.add(Mark.PINCH_HARMONIC if pinched else Mark.NATURAL_HARMONIC)
        case "fingering":
            if text.upper() in ("0", "1", "2", "3", "4", "T"):
                signs.finger = 0 if text.upper() == "T" else int(text)
        case "wavy-line":
            signs.vibrato = True
            signs.wavy = not ends
        case "tied":
            if sign.get("type") == "let-ring":
                signs.marks.add(Mark.LET_RING)
        case "other-technical":
            return _said(text.lower(), signs)
        case tag if tag in _MARKS:
            signs.marks.add(_MARKS[tag])
        case _:
            return False
    return True


def _said(words: str, signs: Signs) -> bool:
    name, _, which = words.partition(" ")
    if words == "rake":
        signs.attack = Attack.RAKE
    elif name == "rake" and words.removeprefix("rake from ") in _STRINGS:
        signs.attack, signs.raked_from = Attack.RAKE, int(words.removeprefix("rake from "))
    elif name == "sounding":
        signs.sounding = _share(which)
        return signs.sounding is not None
    elif words in _SAID:
        signs.marks.add(_SAID[words])
    elif name == "partial" and which in _PARTIALS:
        signs.partial = _PARTIALS[which]
    else:
        return words in _KINDS
    return True


def _share(text: str) -> float | None:
    try:
        share = number(text.removesuffix("%")) / 100
    except ValueError:
        return None
    return share if 0 < share <= 1 else None


def _bend(element: ET.Element, signs: Signs, skipped: Counter[str]) -> tuple[Bend | None, set[Mark]]:
    """The bend that the bend elements of one note make together, and what the bar does."""
    steps, marks = _bend_steps(element, skipped)
    if not steps:
        return None, marks
    top = max(abs(step.alter) for step in steps) * 100
    if not 25 <= top <= 625:
        skipped[tr("a bend by {cents:.0f} cents", cents=top)] += 1
        return None, marks
    said = {(e.text or "").strip().lower() for e in element.iterfind("notations/technical/other-technical")}
    kind = next((_KINDS[words] for words in said if words in _KINDS), None)
    return Bend(kind or _kind_of(steps), max(50, nearest_quarter(top))), marks


def _arrives(element: ET.Element) -> float | None:
    """From `last-beat` of a note's first bend, which is in percent of the note."""
    bend = element.find("notations/technical/bend")
    try:
        share = number(bend.get("last-beat", "") if bend is not None else "") / 100
    except ValueError:
        return None
    return share if 0 < share <= 1 else None


@dataclass(frozen=True)
class _BendStep:
    """One bend element: semitones, and whether the string is pushed beforehand, or let down."""

    alter: float
    before: bool
    release: bool


def _bend_steps(element: ET.Element, skipped: Counter[str]) -> tuple[list[_BendStep], set[Mark]]:
    """A note's bend elements in order, those of the bar as marks."""
    steps: list[_BendStep] = []
    marks: set[Mark] = set()
    for bend in element.iterfind("notations/technical/bend"):
        try:
            alter = number(bend.findtext("bend-alter") or "0")
        except ValueError:
            skipped[tr("a bend by no number")] += 1
            continue
        bar = bend.find("with-bar")
        if bar is not None:
            word = (bar.text or "").strip().lower()
            marks.add(_BY_THE_BAR.get(word, Mark.BAR_DIP if alter >= -2 else Mark.BAR_DIVE))
        else:
            steps.append(_BendStep(alter, bend.find("pre-bend") is not None, bend.find("release") is not None))
    return steps, marks


def _kind_of(steps: list[_BendStep]) -> BendKind:
    """What elements that do not say it in words make together."""
    first, released = steps[0], any(step.release for step in steps)
    if len(steps) >= 3 and not first.before:
        return BendKind.AGAIN
    if first.before or first.release:
        return BendKind.PRE_BEND_RELEASE if released else BendKind.PRE_BEND
    return BendKind.BEND_RELEASE if released else BendKind.BEND
