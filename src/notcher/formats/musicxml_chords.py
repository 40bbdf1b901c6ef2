"""Chords as MusicXML's harmony elements, each where it begins in its bar."""

import xml.etree.ElementTree as ET

from notcher.rhythm.values import TICKS
from notcher.score.chord import KINDS, Chord, ChordAt
from notcher.score.chords import chord_at
from notcher.score.project import Project
from notcher.score.spelling import Tone
from notcher.score.tempo import TempoMap

# Beats by which a chord may be said beside the line that it begins on.
_NEAR = 0.1


def write_chords(measure: ET.Element, project: Project, tempo: TempoMap, bar: int) -> None:
    """The chords that begin in a bar; in the first bar there is, the one that sounds already."""
    first, last = tempo.first_beat_of(bar), tempo.first_beat_of(bar + 1)
    inside = [(c, tempo.beat_at(c.start) - first) for c in project.chords]
    inside = [(c, beat) for c, beat in inside if -_NEAR <= beat < last - first - _NEAR]
    sounding = chord_at(project, tempo.time_at(first))
    if (
        measure.find("attributes/divisions") is not None
        and sounding is not None
        and not any(b <= _NEAR for _, b in inside)
    ):
        inside.insert(0, (sounding, 0.0))
    for chord, beat in inside:
        _harmony(measure, chord, max(0, round(beat * TICKS)))


def _harmony(measure: ET.Element, at: ChordAt, ticks: int) -> None:
    harmony = ET.SubElement(measure, "harmony")
    if at.chord is None:
        root = ET.SubElement(harmony, "root")
        # The standard has no root-less chord of kind none: a root with no text is what programs write.
        ET.SubElement(root, "root-step", text="").text = "C"
        ET.SubElement(harmony, "kind", text="N.C.").text = "none"
    else:
        _chord(harmony, at.chord)
    if ticks:
        ET.SubElement(harmony, "offset").text = str(ticks)


def _chord(harmony: ET.Element, chord: Chord) -> None:
    kind = KINDS[chord.kind]
    _tone(ET.SubElement(harmony, "root"), "root", chord.root)
    ET.SubElement(harmony, "kind", text=kind.symbol.replace("♭", "b").replace("♯", "#")).text = kind.xml
    if chord.bass is not None:
        _tone(ET.SubElement(harmony, "bass"), "bass", chord.bass)
    for degree in kind.added:
        element = ET.SubElement(harmony, "degree")
        ET.SubElement(element, "degree-value").text = degree.lstrip("b#")
        ET.SubElement(element, "degree-alter").text = str(degree.count("#") - degree.count("b"))
        ET.SubElement(element, "degree-type").text = "add"


def _tone(parent: ET.Element, name: str, tone: Tone) -> None:
    ET.SubElement(parent, f"{name}-step").text = tone.letter
    if tone.alter:
        ET.SubElement(parent, f"{name}-alter").text = str(tone.alter)
