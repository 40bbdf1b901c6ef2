"""MusicXML 4.0, partwise: one part of a tab staff, or of a standard staff and tab, with the techniques as the standard
has them.

Where the standard has no element (rake, a bend's curl), `other-technical` carries the word; docs/FORMATS.md lists them.
"""

import xml.etree.ElementTree as ET
from collections.abc import Sequence
from dataclasses import dataclass

from notcher.formats.heading import title
from notcher.formats.musicxml_chords import write_chords
from notcher.formats.musicxml_repeats import write_left, write_right
from notcher.formats.opening import Advice, advice_of
from notcher.formats.repeats import folded
from notcher.harmony.spelling import written_tone
from notcher.rhythm.bars import Bar, Piece, bars_of
from notcher.rhythm.beams import beam_kinds, beamed, flags_of
from notcher.rhythm.cells import bar_cells
from notcher.rhythm.values import TICKS, Event, Value
from notcher.score.chords import key_at
from notcher.score.key import Key
from notcher.score.note import HARMONICS, Attack, Bend, BendKind, Mark, Note
from notcher.score.project import Phrase, Project
from notcher.score.technique import MARKS, Absent, Xml
from notcher.score.tempo import TempoMap
from notcher.score.unit import Unit
from notcher.wording import tr
from notcher.wording.notes import doubt_words

_STEPS = (("C", 0), ("C", 1), ("D", 0), ("D", 1), ("E", 0), ("F", 0), ("F", 1), ("G", 0), ("G", 1), ("A", 0),
          ("A", 1), ("B", 0))  # fmt: skip
BEND_SAID = {
    BendKind.CURL: "curl", BendKind.UNISON: "unison bend", BendKind.HOLD: "picked again while held",
    BendKind.STAGGERED: "picked again while it rises", BendKind.MUTED: "muted at the top",
}  # fmt: skip
"""What other-technical says of bends for which the standard has no element of their own."""
NO_BEAT_WORDS = "timing as measured, no beat given"
"""What stands over the first bar of a score whose values only keep the time that was measured."""
_HEAD = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" '
    '"http://www.musicxml.org/dtds/partwise.dtd">\n'
)


ADVICE, LISTEN, DOUBT, PHRASE, OPTIONAL = "advice", "listen-for", "doubt", "phrase", "optional"
"""How the ids of words begin that are advice, that say what to listen for, that name a doubt or a phrase, and that a
phrase may be left out."""
# General MIDI sound set: clean electric guitar, counted from 1 as MusicXML does.
_PROGRAM = 28
# Of its top: where a bend is under way, and where it is there. Beats by which a section may be said before its line.
_BEGUN, _ARRIVED, _BEFORE_BEATS = 0.1, 0.9, 0.25


@dataclass(frozen=True, slots=True)
class _Staff:
    """A staff that is written: its number (0 where there is one alone), its voice, and whether it is tab."""

    number: int
    voice: str
    tab: bool


_ALONE = (_Staff(0, "1", True),)
_BOTH = (_Staff(1, "1", False), _Staff(2, "2", True))


def musicxml(project: Project, notes: tuple[Note, ...], *, staff: bool = False) -> str:
    """The notes as a MusicXML document. staff: with a standard staff over the tab. Without a tempo map half-second
    beats are used and said in words."""
    staves = _BOTH if staff else _ALONE
    found = bars_of(project, notes)
    tempo = found.tempo
    root = ET.Element("score-partwise", version="4.0")
    _identity(root, project)
    part = ET.SubElement(root, "part", id="P1")
    links = _Links(project, notes)

    def key_in(number: int) -> Key | None:
        at = key_at(project, tempo.time_at(tempo.first_beat_of(number)))
        return at.key if at else None

    repeats = folded(project, notes, found)
    written = [bar for bar in found.bars if bar.number not in repeats.left_out]
    for k, bar in enumerate(written):
        number = bar.number
        measure = ET.SubElement(part, "measure", number=str(number))
        write_left(measure, number, repeats)
        key = key_in(number)
        if k == 0:
            _attributes(measure, project, tempo.unit, bar.beats, key, staves)
            words = "" if project.tempo else NO_BEAT_WORDS
            _tempo_mark(measure, tempo, words)
        elif bar.beats != tempo.beats_in(number - 1) or key != key_in(number - 1):
            attributes = ET.SubElement(measure, "attributes")
            if key != key_in(number - 1):
                _key(attributes, key)
            if bar.beats != tempo.beats_in(number - 1):
                _metre(attributes, tempo.unit, bar.beats)
        write_chords(measure, project, tempo, number)
        if number < 1:
            measure.set("implicit", "yes")
        _rehearsal_marks(measure, project, tempo, number, first=k == 0)
        beams = _beams(bar)
        for each in staves:
            if each is not staves[0]:
                back = ET.SubElement(measure, "backup")
                ET.SubElement(back, "duration").text = str(sum(p.ticks for p in bar.pieces))
            for piece in bar.pieces:
                _write(measure, piece, links, project, each, beams)
        write_right(measure, number, repeats, final=k == len(written) - 1)
    ET.indent(root, " ")
    return _HEAD + ET.tostring(root, encoding="unicode") + "\n"


def _identity(root: ET.Element, project: Project) -> None:
    work = ET.SubElement(root, "work")
    ET.SubElement(work, "work-title").text = title(project)
    identification = ET.SubElement(root, "identification")
    if project.request.performer:
        ET.SubElement(identification, "creator", type="performer").text = project.request.performer
    if project.request.rights:
        ET.SubElement(identification, "rights").text = project.request.rights
    encoding = ET.SubElement(identification, "encoding")
    ET.SubElement(encoding, "software").text = "Notcher"
    parts = ET.SubElement(root, "part-list")
    part = ET.SubElement(parts, "score-part", id="P1")
    ET.SubElement(part, "part-name").text = "Lead guitar"
    instrument = ET.SubElement(part, "score-instrument", id="P1-I1")
    ET.SubElement(instrument, "instrument-name").text = "Electric guitar"
    ET.SubElement(instrument, "instrument-sound").text = "pluck.guitar.electric"
    midi = ET.SubElement(part, "midi-instrument", id="P1-I1")
    ET.SubElement(midi, "midi-channel").text = "1"
    ET.SubElement(midi, "midi-program").text = str(_PROGRAM)


def _rehearsal_marks(measure: ET.Element, project: Project, tempo: TempoMap, bar: int, *, first: bool) -> None:
    """The names of the sections that begin in a bar; of what begins before the first, the last."""
    begins, ends = (tempo.time_at(tempo.first_beat_of(b) - _BEFORE_BEATS) for b in (bar, bar + 1))
    inside = [s for s in project.sections if (first or begins <= s.start) and s.start < ends]
    early = [s for s in inside if s.start < begins]
    for section in [s for s in inside if s.start >= begins or s is early[-1]]:
        direction = ET.SubElement(measure, "direction", placement="above")
        ET.SubElement(ET.SubElement(direction, "direction-type"), "rehearsal").text = section.name
        ticks = round(max(0.0, tempo.beat_at(section.start) - tempo.first_beat_of(bar)) * TICKS)
        if ticks > TICKS // 8:
            ET.SubElement(direction, "offset").text = str(ticks)


def _beams(bar: Bar) -> dict[tuple[int, str], list[str]]:
    """What the beams of the values in a bar do, by their tick and type."""
    cells = bar_cells(bar)
    out: dict[tuple[int, str], list[str]] = {}
    for group in beamed(cells):
        values = [(cells[k].tick, value) for k in group if (value := cells[k].value) is not None]
        for (tick, value), kinds in zip(values, beam_kinds([flags_of(v) for _, v in values]), strict=True):
            out[tick, value.type] = kinds
    return out


def _attributes(
    measure: ET.Element, project: Project, unit: Unit, beats: int, key: Key | None, staves: tuple[_Staff, ...]
) -> None:  # fmt: skip
    attributes = ET.SubElement(measure, "attributes")
    ET.SubElement(attributes, "divisions").text = str(int(TICKS / unit.quarters))
    _key(attributes, key)
    _metre(attributes, unit, beats)
    if len(staves) > 1:
        ET.SubElement(attributes, "staves").text = str(len(staves))
    numbered = [({"number": str(s.number)} if s.number else {}, s.tab) for s in staves]
    for number, is_tab in numbered:
        clef = ET.SubElement(attributes, "clef", number)
        ET.SubElement(clef, "sign").text = "TAB" if is_tab else "G"
        ET.SubElement(clef, "line").text = "5" if is_tab else "2"
        if not is_tab:
            # Guitars are written an octave above where they sound.
            ET.SubElement(clef, "clef-octave-change").text = "-1"
    details = ET.SubElement(attributes, "staff-details", numbered[-1][0])
    ET.SubElement(details, "staff-lines").text = str(project.tuning.strings)
    for line, pitch in enumerate(reversed(project.tuning.pitches), 1):
        tuning = ET.SubElement(details, "staff-tuning", line=str(line))
        step, alter = _STEPS[pitch % 12]
        ET.SubElement(tuning, "tuning-step").text = step
        if alter:
            ET.SubElement(tuning, "tuning-alter").text = str(alter)
        ET.SubElement(tuning, "tuning-octave").text = str(pitch // 12 - 1)
    if project.tuning.capo:
        ET.SubElement(details, "capo").text = str(project.tuning.capo)


def _key(attributes: ET.Element, key: Key | None) -> None:
    element = ET.SubElement(attributes, "key")
    ET.SubElement(element, "fifths").text = str(key.signature if key else 0)
    if key:
        ET.SubElement(element, "mode").text = key.mode


def _metre(attributes: ET.Element, unit: Unit, beats: int) -> None:
    time = ET.SubElement(attributes, "time")
    for tag, number in zip(("beats", "beat-type"), unit.signature(beats), strict=True):
        ET.SubElement(time, tag).text = str(number)


def _tempo_mark(measure: ET.Element, tempo: TempoMap, words: str) -> None:
    bpm = tempo.bpm()
    direction = ET.SubElement(measure, "direction", placement="above")
    kind = ET.SubElement(direction, "direction-type")
    if words:
        ET.SubElement(kind, "words").text = words
    else:
        metronome = ET.SubElement(kind, "metronome")
        ET.SubElement(metronome, "beat-unit").text = tempo.unit.name.removeprefix("dotted ")
        if tempo.unit.in_threes:
            ET.SubElement(metronome, "beat-unit-dot")
        ET.SubElement(metronome, "per-minute").text = f"{bpm:.0f}"
    ET.SubElement(direction, "sound", tempo=f"{tempo.quarters_per_minute(bpm):.2f}")


class _Links:
    """Which notes are hammered, pulled or slid to, and from which: both ends of the line are written; and the advice
    that stands at notes, by their ids."""

    def __init__(self, project: Project, notes: tuple[Note, ...]) -> None:
        self.begins: dict[str, Phrase] = {}
        named: set[str] = set()
        for n in notes:
            phrase = project.phrase_at(n.onset)
            if phrase is not None and phrase.id not in named:
                named.add(phrase.id)
                self.begins[n.id] = phrase
        self.advice: dict[str, list[Advice]] = {}
        for a in advice_of(project, notes):
            self.advice.setdefault(a.note.id, []).append(a)
        self.into: dict[str, Note] = {}
        self.out_of: dict[str, Note] = {}
        last: dict[int, Note] = {}
        for n in notes:
            before = last.get(n.string)
            if before and n.attack in (Attack.HAMMER, Attack.PULL, Attack.SLIDE):
                self.into[n.id] = before
                self.out_of[before.id] = n
            last[n.string] = n


def _write(
    measure: ET.Element, piece: Piece, links: _Links, project: Project, staff: _Staff,
    beams: dict[tuple[int, str], list[str]],
) -> None:  # fmt: skip
    event, values = piece.event, piece.values
    for note in event.graces if piece.begins else ():
        _note(measure, note, None, True, True, False, links, project, staff, [])
    if piece.begins and staff.number < 2:
        _advice(measure, event, links)
    tick = piece.tick
    for i, value in enumerate(values):
        begins, ends = piece.begins and i == 0, piece.ends and i == len(values) - 1
        if not event.notes:
            rest = ET.SubElement(measure, "note")
            ET.SubElement(rest, "rest")
            _duration(rest, value, staff)
            if staff.number:
                ET.SubElement(rest, "staff").text = str(staff.number)
            if value.begins or value.ends:
                _brackets(ET.SubElement(rest, "notations"), value)
        else:
            for k, note in enumerate(event.notes):
                kinds = beams.get((tick, value.type), []) if k == 0 else []
                _note(measure, note, value, begins, ends, k > 0, links, project, staff, kinds)
        tick += value.ticks


def _advice(measure: ET.Element, event: Event, links: _Links) -> None:
    """What the person tells whoever learns it, as words over the note, or over the first of its phrase; their id says
    that they are advice, or what to listen for."""
    notes = (*event.graces, *event.notes)
    begins = [links.begins[n.id] for n in notes if n.id in links.begins]
    said = [(f"{PHRASE}-{p.id}", p.name) for p in begins if p.name]
    said += [(f"{OPTIONAL}-{p.id}", tr("this phrase may be left out")) for p in begins if p.optional]
    said += [
        (f"{LISTEN if a.listen else ADVICE}-{a.about}", a.words) for n in notes for a in links.advice.get(n.id, ())
    ]
    said += [(f"{DOUBT}-{n.id}", f"? {doubt_words(n)}") for n in notes if n.doubt]
    for name, text in said:
        direction = ET.SubElement(measure, "direction", placement="above")
        kind = ET.SubElement(direction, "direction-type")
        ET.SubElement(kind, "words", id=name).text = text


def _duration(element: ET.Element, value: Value, staff: _Staff, *, ties: tuple[str, ...] = ()) -> None:
    ET.SubElement(element, "duration").text = str(value.ticks)
    for tie in ties:
        ET.SubElement(element, "tie", type=tie)
    ET.SubElement(element, "voice").text = staff.voice
    ET.SubElement(element, "type").text = value.type
    for _ in range(value.dots):
        ET.SubElement(element, "dot")
    if value.tuplet:
        modification = ET.SubElement(element, "time-modification")
        ET.SubElement(modification, "actual-notes").text = str(value.tuplet[0])
        ET.SubElement(modification, "normal-notes").text = str(value.tuplet[1])


def _brackets(notations: ET.Element, value: Value) -> None:
    for flag, kind in ((value.begins, "start"), (value.ends, "stop")):
        if flag:
            ET.SubElement(notations, "tuplet", type=kind)


def _note(measure: ET.Element, note: Note, value: Value | None, begins: bool, ends: bool, chord: bool, links: _Links,
          project: Project, staff: _Staff, beams: Sequence[str]) -> None:  # fmt: skip
    element = ET.SubElement(measure, "note")
    if value is None:
        ET.SubElement(element, "grace")
    if chord:
        ET.SubElement(element, "chord")
    _pitch(element, note, project)
    ties = (() if begins else ("stop",)) + (() if ends else ("start",))
    if value is None:
        ET.SubElement(element, "voice").text = staff.voice
        ET.SubElement(element, "type").text = "16th"
    else:
        _duration(element, value, staff, ties=ties)
    if Mark.DEAD in note.marks:
        ET.SubElement(element, "notehead").text = "x"
    if staff.number:
        ET.SubElement(element, "staff").text = str(staff.number)
    for level, kind in enumerate(beams, 1):
        ET.SubElement(element, "beam", number=str(level)).text = kind
    _notations(ET.SubElement(element, "notations"), note, value if not chord else None, begins, ends, links, staff)
    if begins and Mark.PALM_MUTE in note.marks:
        play = ET.SubElement(element, "play")
        ET.SubElement(play, "mute").text = "palm"


def _pitch(element: ET.Element, note: Note, project: Project) -> None:
    midi = note.pitch(project.tuning)
    tone = written_tone(project, midi, note.onset)
    pitch = ET.SubElement(element, "pitch")
    ET.SubElement(pitch, "step").text = tone.letter
    if tone.alter:
        ET.SubElement(pitch, "alter").text = str(tone.alter)
    ET.SubElement(pitch, "octave").text = str(tone.octave_of(midi))


def _notations(
    notations: ET.Element, note: Note, value: Value | None, begins: bool, ends: bool, links: _Links, staff: _Staff
) -> None:
    """value: whose brackets begin or end here, if any."""
    for tie in (() if begins else ("stop",)) + (() if ends else ("start",)):
        ET.SubElement(notations, "tied", type=tie)
    if value is not None:
        _brackets(notations, value)
    if Mark.LET_RING in note.marks and ends:
        ET.SubElement(notations, "tied", type="let-ring")
    if begins:
        if staff.tab:
            _slides(notations, note, links)
        _ornaments(notations, note)
    if staff.tab:
        _technical(notations, note, begins, links)
    elif begins and note.bend:
        _bend(ET.SubElement(notations, "technical"), note.bend, note.duration)
    if begins:
        _articulations(notations, note)


def _slides(notations: ET.Element, note: Note, links: _Links) -> None:
    if note.id in links.into and note.attack is Attack.SLIDE:
        ET.SubElement(notations, "slide", {"type": "stop", "number": "1", "line-type": "solid"})
    if note.id in links.out_of and links.out_of[note.id].attack is Attack.SLIDE:
        ET.SubElement(notations, "slide", {"type": "start", "number": "1", "line-type": "solid"})


def _ornaments(notations: ET.Element, note: Note) -> None:
    if not note.vibrato and not note.marks & {Mark.TRILL, Mark.TREMOLO}:
        return
    ornaments = ET.SubElement(notations, "ornaments")
    _by_table(ornaments, note, "ornaments")
    if Mark.TREMOLO in note.marks:
        ET.SubElement(ornaments, "tremolo", type="single").text = "3"
    if note.vibrato:
        ET.SubElement(ornaments, "wavy-line", type="start")
        ET.SubElement(ornaments, "wavy-line", type="stop")


def _technical(notations: ET.Element, note: Note, begins: bool, links: _Links) -> None:
    technical = ET.SubElement(notations, "technical")
    ET.SubElement(technical, "string").text = str(note.string)
    ET.SubElement(technical, "fret").text = str(note.fret)
    if not begins:
        return
    for attack, tag, letter in ((Attack.HAMMER, "hammer-on", "H"), (Attack.PULL, "pull-off", "P")):
        if note.id in links.out_of and links.out_of[note.id].attack is attack:
            ET.SubElement(technical, tag, type="start", number="1").text = letter
        if note.id in links.into and note.attack is attack:
            ET.SubElement(technical, tag, type="stop", number="1")
    _hands(technical, note)
    for mark, child in ((Mark.NATURAL_HARMONIC, "natural"), (Mark.PINCH_HARMONIC, "artificial")):
        if mark in note.marks:
            ET.SubElement(ET.SubElement(technical, "harmonic"), child)
    _by_table(technical, note, "technical")
    if note.sounding is not None:
        ET.SubElement(technical, "other-technical").text = f"sounding {note.sounding * 100:g}%"
    if note.partial is not None and HARMONICS & note.marks:
        ET.SubElement(technical, "other-technical").text = f"partial {note.partial}"
    if note.bend:
        _bend(technical, note.bend, note.duration)
    _bar(technical, note)


def _hands(technical: ET.Element, note: Note) -> None:
    """Which finger, which hand, and the string a rake begins on."""
    if note.finger is not None:
        ET.SubElement(technical, "fingering").text = str(note.finger or "T")
    if note.attack is Attack.TAP:
        tap = ET.SubElement(technical, "tap")
        tap.text = "T"
        if Mark.LEFT_HAND in note.marks:
            tap.set("hand", "left")
    elif Mark.LEFT_HAND in note.marks:
        ET.SubElement(technical, "other-technical").text = "fretting hand"
    if note.attack is Attack.RAKE:
        said = "rake" if note.raked_from is None else f"rake from {note.raked_from}"
        ET.SubElement(technical, "other-technical").text = said


def _bar(technical: ET.Element, note: Note) -> None:
    """What the bar does, as MusicXML 4.0 has it (from memory)."""
    for mark, word, steps in ((Mark.BAR_DIP, "dip", -1), (Mark.BAR_DIVE, "dive", -7), (Mark.BAR_SCOOP, "scoop", -1.5)):
        if mark in note.marks:
            bar = ET.SubElement(technical, "bend")
            ET.SubElement(bar, "bend-alter").text = f"{steps:g}"
            ET.SubElement(bar, "with-bar").text = word


def _bend(technical: ET.Element, bend: Bend, lasts: float) -> None:
    """Bend as MusicXML 4.0 has it: semitones in bend-alter; a release is a bend of its own, with a negative one. Where
    the pitch begins to move and where it arrives are first-beat and last-beat, in percent of the note, as the standard
    says of its sounds. lasts: seconds of the note."""
    up = ET.SubElement(technical, "bend", _timing(bend, lasts))
    ET.SubElement(up, "bend-alter").text = f"{bend.target_cents / 100:g}"
    if bend.starts_raised:
        ET.SubElement(up, "pre-bend")
    if bend.released:
        down = ET.SubElement(technical, "bend")
        ET.SubElement(down, "bend-alter").text = f"{-bend.target_cents / 100:g}"
        ET.SubElement(down, "release")
    if bend.kind is BendKind.AGAIN:
        for cents, child in ((-bend.target_cents, "release"), (bend.target_cents, None)):
            again = ET.SubElement(technical, "bend")
            ET.SubElement(again, "bend-alter").text = f"{cents / 100:g}"
            if child:
                ET.SubElement(again, child)
    if bend.kind in BEND_SAID:
        ET.SubElement(technical, "other-technical").text = BEND_SAID[bend.kind]


def _timing(bend: Bend, lasts: float) -> dict[str, str]:
    """When a bend that was measured, or whose rise was said, begins to rise and arrives."""
    if bend.starts_raised or lasts <= 0 or (not bend.points and bend.rise is None):
        return {}
    points = bend.written_shape(lasts)
    top = max(cents for _, cents in points)
    if top <= 0:
        return {}
    arrives = next(t for t, cents in points if cents >= _ARRIVED * top)
    begins = max((t for t, cents in points if t < arrives and cents <= _BEGUN * top), default=0.0)
    share = [min(100.0, max(0.0, 100.0 * t / lasts)) for t in (begins, arrives)]
    return {"first-beat": f"{share[0]:.0f}", "last-beat": f"{share[1]:.0f}"}


def _articulations(notations: ET.Element, note: Note) -> None:
    if any(xml.group == "articulations" for xml in _signs_of(note)):
        _by_table(ET.SubElement(notations, "articulations"), note, "articulations")


def _signs_of(note: Note) -> list[Xml]:
    """The elements that the table of techniques has for a note's marks."""
    return [row.xml for row in MARKS if row.mark in note.marks and not isinstance(row.xml, Absent)]


def _by_table(group: ET.Element, note: Note, name: str) -> None:
    for xml in _signs_of(note):
        if xml.group == name:
            ET.SubElement(group, xml.tag).text = xml.text or None
