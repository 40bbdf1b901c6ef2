"""The solo as it is written, bar by bar, as data: what the page, MusicXML and MIDI have, too."""

import json
from collections.abc import Sequence
from fractions import Fraction
from typing import Any

from notcher.formats.opening import advice_of, sections_of
from notcher.formats.repeats import Folded, folded
from notcher.rhythm.bars import Bar, Piece, bars_of
from notcher.rhythm.values import TICKS, Value
from notcher.score.chords import key_at
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from notcher.score.unit import Unit
from notcher.wording.rhythm import written_counts

FORMAT, VERSION = "notcher-written", 1
_VALUES = {
    "whole": "1/1",
    "half": "1/2",
    "quarter": "1/4",
    "eighth": "1/8",
    "16th": "1/16",
    "32nd": "1/32",
    "64th": "1/64",
}


def written_json(project: Project, notes: Sequence[Note]) -> str:
    """The notes in the `notcher-written` form: places in beats from their bar's start, which of a pick-up is the beat
    of its first note. Beats are those of the metre as it is written: eighths in 12/8."""
    found = bars_of(project, notes)
    counts = written_counts(project, notes)
    tempo = found.tempo
    repeats = folded(project, notes, found)
    key = key_at(project, notes[0].onset) if notes else None
    sections, advice = sections_of(project, notes), advice_of(project, notes)
    bars = [_bar(bar, project, tempo, counts, _repeat(bar.number, repeats)) for bar in found.bars]
    for bar in bars:
        at = {e["note"]: e["beat"] for e in reversed(bar["events"]) if e["note"] and not e["tied"]}
        bar["sections"] = [
            {"beat": at[n.id], "name": s.name} for n, begun in sections.items() if n.id in at for s in begun
        ]
        bar["advice"] = [{"note": a.note.id, "words": a.words} for a in advice if a.note.id in at]
    document = {
        "format": FORMAT, "version": VERSION,
        "key": {"fifths": key.key.signature, "mode": key.key.mode} if key else None,
        "bars": bars,
    }  # fmt: skip
    return json.dumps(document, ensure_ascii=False, indent=1) + "\n"


def _repeat(number: int, found: Folded) -> dict[str, Any] | None:
    """What of the signs of repeat concerns a bar, as the page and MusicXML have them. begins: whether one opens before
    it; times: how often is played what ends with it; ending: its number; again: the bar that is played once more in its
    place, which they leave out."""
    said = {
        "begins": number in found.begins, "times": found.ends.get(number), "ending": found.endings.get(number),
        "again": found.left_out.get(number),
    }  # fmt: skip
    return said if any(said.values()) else None


def _bar(
    bar: Bar, project: Project, tempo: TempoMap, counts: dict[str, str], repeat: dict[str, Any] | None
) -> dict[str, Any]:  # fmt: skip
    first = tempo.first_beat_of(bar.number) + bar.from_tick // TICKS
    start = tempo.time_at(first)
    count, kind = tempo.unit.signature(bar.beats - bar.from_tick // TICKS)
    return {
        "number": bar.number, "start": round(start, 4), "beats": count, "beat_type": kind,
        "tempo_bpm": round(tempo.bpm_at(start) * tempo.unit.times, 2), "repeat": repeat,
        "chords": _chords(project, tempo, first, tempo.first_beat_of(bar.number + 1)),
        "events": [row for piece in bar.pieces for row in _rows(piece, bar.from_tick, counts, tempo.unit)],
    }  # fmt: skip


def _chords(project: Project, tempo: TempoMap, first: int, end: int) -> list[dict[str, Any]]:
    """Those that begin in a bar, by the beat they are counted on, 1 the first of it."""
    out = []
    for c in project.chords:
        beat = Fraction(round(2 * tempo.beat_at(c.start)), 2)
        if first <= beat < end:
            counted = (beat - first) * tempo.unit.times + 1
            out.append({"beat": int(counted) if counted.denominator == 1 else float(counted),
                        "symbol": c.chord.plain() if c.chord else "N.C."})  # fmt: skip
    return out


def _rows(piece: Piece, from_tick: int, counts: dict[str, str], unit: Unit) -> list[dict[str, Any]]:
    """An event as rows, one for each tied value and note; grace notes before it."""
    at = _beat(piece.tick - from_tick, unit)
    out = [_row(n.id, at, "1/16", None, grace=True) for n in piece.event.graces] if piece.begins else []
    tick = piece.tick - from_tick
    for k, value in enumerate(piece.values):
        tied = not (piece.begins and k == 0)
        for note in piece.event.notes or (None,):
            name = note.id if note is not None else None
            row = _row(name, _beat(tick, unit), _VALUES[value.type], value, tied=tied and note is not None)
            row["count"] = counts.get(note.id, "") if note is not None and not tied else ""
            out.append(row)
        tick += value.ticks
    return out


def _row(name: str | None, beat: str, length: str, value: Value | None, *, tied: bool = False, grace: bool = False
         ) -> dict[str, Any]:  # fmt: skip
    return {
        "note": name, "beat": beat, "value": length, "dots": value.dots if value is not None else 0,
        "tuplet": list(value.tuplet) if value is not None and value.tuplet else None, "tied": tied, "grace": grace,
        "voice": 1, "count": "",
    }  # fmt: skip


def _beat(ticks: int, unit: Unit) -> str:
    beat = Fraction(ticks, TICKS) * unit.times
    return f"{beat.numerator}/{beat.denominator}"
