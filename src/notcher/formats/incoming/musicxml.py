"""MusicXML 4.0 in: a tab part as it stands, or plain notes, for which a place on the neck is found later."""

import math
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from xml.etree import ElementTree as ET

from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.found import ReadScore
from notcher.formats.incoming.repeats import playing_order
from notcher.formats.incoming.staff import Staff, beats_of
from notcher.formats.incoming.tree import score_tree
from notcher.formats.musicxml import NO_BEAT_WORDS
from notcher.score.unit import UNITS, Unit, unit_of
from notcher.wording import tr


def read_musicxml(data: bytes, *, part: str = "") -> ReadScore:
    """What a MusicXML document says. part: the name of the part to read, '' for the guitar's.

    Raises FileFormatError.
    """
    root = score_tree(data)
    if root.tag == "score-timewise":
        root = _partwise(root)
    if root.tag != "score-partwise":
        raise FileFormatError("it is XML, but no score: it begins with '{tag}', not 'score-partwise'", tag=root.tag)
    names = {p.get("id", ""): (p.findtext("part-name") or p.get("id") or "").strip() for p in root.iter("score-part")}
    parts = {e.get("id", ""): e for e in root.findall("part")}
    if not parts:
        raise FileFormatError("the score has no part")
    chosen = _chosen(parts, names, part)
    staff = _read(parts[chosen])
    others = tuple(names.get(k, k) for k in parts if k != chosen)
    score = _in_beats(staff)
    creators = {c.get("type", ""): (c.text or "").strip() for c in root.iter("creator")}
    return replace(
        score,
        title=(root.findtext("work/work-title") or root.findtext("movement-title") or "").strip(),
        performer=creators.get("performer", "") or creators.get("composer", ""),
        rights=(root.findtext("identification/rights") or "").strip(),
        part=names.get(chosen, chosen),
        parts=others,
        skipped=staff.not_understood(),
    )


def _partwise(timewise: ET.Element) -> ET.Element:
    root = ET.Element("score-partwise")
    parts: dict[str, ET.Element] = {}
    for child in timewise:
        if child.tag != "measure":
            root.append(child)
            continue
        for part in child.findall("part"):
            key = part.get("id", "")
            if key not in parts:
                parts[key] = ET.Element("part", id=key)
            measure = ET.SubElement(parts[key], "measure", child.attrib)
            measure.extend(list(part))
    root.extend(parts.values())
    return root


def _chosen(parts: dict[str, ET.Element], names: dict[str, str], wanted: str) -> str:
    """The part asked for; else one written as tab, one named after a guitar, or the one with most notes."""
    if wanted:
        for key in parts:
            if wanted.lower() in (names.get(key, "").lower(), key.lower()):
                return key
        known = ", ".join(f"'{names.get(k, k)}'" for k in parts)
        raise FileFormatError("there is no part '{wanted}'; the score has {known}", wanted=wanted, known=known)

    def merit(key: str) -> tuple[bool, bool, int]:
        part = parts[key]
        name = names.get(key, "").lower()
        pitched = sum(1 for _ in part.iter("pitch"))
        return pitched > 0 and any(True for _ in part.iter("fret")), "guitar" in name or "lead" in name, pitched

    return max(parts, key=merit)


def _read(part: ET.Element) -> Staff:
    staff = Staff()
    measures = part.findall("measure")
    order, twice = playing_order(measures)
    if twice:
        staff.skip(twice)
    for index in order:
        staff.measure(measures[index])
    staff.close()
    return staff


def _in_beats(staff: Staff) -> ReadScore:
    """In the beats that the metres say; where bars are no whole number of them, in shorter ones."""
    lengths = [length for length, _ in staff.bars]
    unit = _unit(staff, lengths)
    parts = 1 / unit.quarters
    for count, kind in dict.fromkeys(staff.signatures):
        beats = Fraction(4 * count, kind) / unit.quarters
        if beats.denominator == 1 and unit.signature(int(beats)) != (count, kind):
            new_count, new_kind = unit.signature(int(beats))
            staff.skip(
                tr("the metre {count}/{kind}, which is written as {new_count}/{new_kind}: a solo has one kind of beat",
                   count=count, kind=kind, new_count=new_count, new_kind=new_kind)
            )  # fmt: skip
    sizes = [length * parts for length in lengths]
    pickup = math.ceil(sizes[0]) if sizes and staff.bars[0][1] else 0
    shift = pickup - sizes[0] if pickup else Fraction(0)
    notes = tuple(
        replace(n, start=n.start * parts + shift, length=n.length * parts)
        for n in sorted(staff.read_notes(), key=lambda n: (n.start, not n.grace, -n.pitch))
    )
    tempos = tuple((at * parts + shift if at else Fraction(0), bpm * float(parts)) for at, bpm in staff.tempos)
    if not tempos or tempos[0][0] != 0:
        tempos = ((Fraction(0), tempos[0][1] if tempos else 120.0 * float(parts)), *tempos)
    metres = _metres(sizes[1:] if pickup else sizes)
    chords = tuple((at * parts + shift, chord) for at, chord in sorted(staff.chords, key=lambda c: c[0]))
    keys = tuple((at * parts + shift, key) for at, key in staff.keys)
    phrases = tuple((at * parts + shift, name) for at, name in sorted(staff.phrases))
    score = ReadScore(
        notes, tuning=staff.tuning, tempos=tempos, metres=metres, unit=unit, pickup=pickup, chords=chords, keys=keys,
        phrases=phrases,
    )  # fmt: skip
    return _as_measured(score) if NO_BEAT_WORDS in staff.words else score


def _unit(staff: Staff, lengths: Sequence[Fraction]) -> Unit:
    """What beats are written as: what the metres say, as far as all bars but the first, which may be a pick-up, are a
    whole number of them."""
    said = unit_of(staff.signatures)
    for unit in (said, *(u for u in UNITS if u.quarters <= 1)):
        if all((length / unit.quarters).denominator == 1 for length in lengths[1:]):
            return unit
    raise FileFormatError("a bar has a length that is no whole number of sixteenths; check its notes' values")


def _metres(sizes: Sequence[Fraction]) -> tuple[tuple[int, int], ...]:
    """(bar, beats in it) wherever that changes; bars of 4 where there are none."""
    # The first may be shorter than it says.
    full = [Fraction(math.ceil(size)) if k == 0 else size for k, size in enumerate(sizes)]
    if any(not 1 <= size <= 16 for size in full):
        raise FileFormatError("a bar has {full} beats; bars of 1 to 16 beats are read", full=max(full))
    metres: list[tuple[int, int]] = []
    for bar, size in enumerate(full, 1):
        if not metres or metres[-1][1] != size:
            metres.append((bar, int(size)))
    return tuple(metres) or ((1, 4),)


def _as_measured(score: ReadScore) -> ReadScore:
    """A score whose values only keep the time that was measured, with those times for values."""
    bpm = score.tempos[0][1]
    notes = tuple(
        replace(n, seconds=(beats_of(n.start) * 60 / bpm, beats_of(n.start + n.length) * 60 / bpm)) for n in score.notes
    )
    second = Fraction(60) / Fraction(bpm)
    chords = tuple((at * second, chord) for at, chord in score.chords)
    keys = tuple((at * second, key) for at, key in score.keys)
    return replace(score, notes=notes, tempos=(), written=False, chords=chords, keys=keys)
