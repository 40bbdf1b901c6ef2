"""The solo written once: its bars as data, against music21's reading of the MusicXML that is made of the same bars."""

import json
import re
from collections import defaultdict
from dataclasses import replace
from fractions import Fraction
from typing import Any

import music21
import pytest

from notcher.formats.export import render
from notcher.formats.midi import midi_bytes
from notcher.formats.musicxml import musicxml
from notcher.formats.text_tab import text_tab
from notcher.formats.written import written_json
from notcher.rhythm.bars import written_bars
from notcher.rhythm.count import counted as counted_at
from notcher.score.note import Attack, Bend, BendKind
from notcher.score.project import Project, Recording
from notcher.score.tempo import TempoMap
from tests.conftest import note
from tests.formats.generated import generated


def _read(project: Project) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(written_json(project, project.notes))
    return found


def _length(event: dict[str, Any]) -> Fraction:
    length = 4 * Fraction(event["value"]) * (2 - Fraction(1, 2 ** event["dots"]))
    if event["tuplet"]:
        length *= Fraction(event["tuplet"][1], event["tuplet"][0])
    return length


def _check_filled(bar: dict[str, Any]) -> None:
    """Each voice fills its bar, and notes together have one length."""
    at = Fraction(0)
    together: dict[str, set[Fraction]] = defaultdict(set)
    for e in bar["events"]:
        if not e["grace"]:
            together[e["beat"]].add(_length(e))
    for beat, lengths in together.items():
        assert Fraction(beat) == at, bar
        assert len(lengths) == 1, bar
        at += lengths.pop()
    assert at == bar["beats"], bar


def test_the_demo_fills_its_bars_and_music21_reads_the_same(demo: Project) -> None:
    data = _read(demo)
    assert (data["format"], data["version"], data["key"]) == ("notcher-written", 1, {"fifths": 3, "mode": "minor"})
    for bar in data["bars"]:
        _check_filled(bar)
    numbers = [b["number"] for b in data["bars"]]
    assert numbers == list(range(numbers[0], numbers[0] + len(numbers))), "silent bars are there"
    assert sum(e["note"] is not None and not e["tied"] for b in data["bars"] for e in b["events"]) == len(demo.notes)
    score = music21.converter.parseData(musicxml(demo, demo.notes), format="musicxml")
    theirs = {
        (m.number, Fraction(n.offset).limit_denominator(840), Fraction(n.quarterLength).limit_denominator(840))
        for m in score.recurse().getElementsByClass(music21.stream.Measure)
        for n in m.notes
        if not n.duration.isGrace and not isinstance(n, music21.harmony.ChordSymbol)
    }
    ours = {
        (b["number"], Fraction(e["beat"]), _length(e))
        for b in data["bars"] for e in b["events"] if e["note"] is not None and not e["grace"]
    }  # fmt: skip
    assert ours == theirs


def test_chords_counts_and_tempo_stand_in_it(demo: Project) -> None:
    bars = _read(demo)["bars"]
    assert all(60 < b["tempo_bpm"] < 130 for b in bars)
    chords = [(b["number"], c["beat"], c["symbol"]) for b in bars for c in b["chords"]]
    assert len(chords) > 5
    assert all(1 <= beat < 5 for _, beat, _ in chords)
    assert all(symbol.isascii() for *_, symbol in chords)
    counts = {e["count"] for b in bars for e in b["events"] if e["note"] and not e["tied"] and not e["grace"]}
    assert "" not in counts
    assert "1" in counts


def test_a_pick_up_begins_at_its_first_beat() -> None:
    """Three notes before bar 1 at 120 bpm: two eighths on 4, one on 1."""
    notes = (note(1, 1.5, 3, 5), note(2, 1.75, 3, 7), note(3, 2.0, 3, 5, length=0.5))
    project = Project(_recording(), notes=notes, tempo=TempoMap.steady(120, first_beat=2.0, count=12))
    bars = _read(project)["bars"]
    for bar in bars:
        _check_filled(bar)
    assert [(b["number"], b["beats"], b["start"]) for b in bars] == [(0, 1, 1.5), (1, 4, 2.0)]
    assert [(e["note"], e["beat"], e["value"]) for e in bars[0]["events"]] == [
        ("n1", "0/1", "1/8"),
        ("n2", "1/2", "1/8"),
    ]


def test_without_a_beat_it_is_written_in_half_second_beats(project: Project) -> None:
    data = _read(replace(project, tempo=None))
    assert data["key"] is None
    for bar in data["bars"]:
        _check_filled(bar)


def test_bar_numbers_are_those_of_midi(demo: Project) -> None:
    """The first note's bar: at the same distance from bar 1 in MIDI's ticks as in the data."""
    import io

    import mido

    file = mido.MidiFile(file=io.BytesIO(midi_bytes(demo, demo.notes)))
    first = next(b for b in _read(demo)["bars"] if any(e["note"] for e in b["events"]))
    at = min(
        sum(m.time for m in track[: k + 1])
        for track in file.tracks for k, m in enumerate(track) if m.type == "note_on" and m.velocity > 0
    )  # fmt: skip
    within = min(Fraction(e["beat"]) for e in first["events"] if e["note"])
    beats = first["beats"]
    assert round(at / file.ticks_per_beat - float(within)) % beats == 0


def test_it_is_an_export_of_its_own(project: Project) -> None:
    assert json.loads(render(project, kind="written"))["format"] == "notcher-written"


@pytest.mark.parametrize("count", [0, 1])
def test_few_notes_are_written_too(project: Project, count: int) -> None:
    few = replace(project, notes=project.notes[:count])
    assert len(_read(few)["bars"]) >= 1


def _recording() -> Recording:
    return Recording("a.wav", "0" * 64, 10.0, 44100, 2)


def test_text_tab_counts_in_the_numbers_columns_and_parts_bars(demo: Project) -> None:
    """Each syllable stands where its number begins; a bar line before the first number of a bar; 80 columns at most."""
    lines = text_tab(demo, demo.notes).splitlines()
    assert max(len(line) for line in lines) <= 80
    counted = [k for k, line in enumerate(lines) if line.startswith("c. ") and "said on" not in line]
    assert len(counted) >= len(demo.phrases)
    said, bars = 0, 0
    for k in counted:
        rows = [line[3:] for line in lines[k - 6 : k]]
        # What stands on the strings begins in these columns.
        begins = {m.start() for row in rows for m in re.finditer(r"(?<=-)[^-|]", row)}
        words = [(m.start() - 3, m.group()) for m in re.finditer(r"\S+", lines[k]) if m.start() > 2]
        assert all(at in begins for at, _ in words), lines[k]
        said += len(words)
        bars += rows[0].count("|")
    wanted = {found.bar for n in demo.notes if (found := counted_at(demo, n)) is not None}
    assert said > 60
    assert bars >= len(wanted) - len(demo.phrases)


@pytest.mark.parametrize("seed", [*range(300, 312), 286, 329])
def test_text_tab_is_never_wider_than_80_columns_and_ends_lines_with_bars(seed: int) -> None:
    """A line that a bar does not end has no bar line there; what the bars are is what is written elsewhere."""
    made = generated(seed, bars=24)
    made = replace(made, phrases=tuple(replace(p, name="Tide " * 30) for p in made.phrases))
    text = text_tab(made, made.notes)
    assert max(len(line) for line in text.splitlines()) <= 80
    if made.tempo is None:
        return
    top = made.tuning.letters()[0]
    rows = [line for line in text.splitlines() if re.match(rf"{top}\s?\|", line)]
    lines = sum(row.count("|") - 1 for row in rows)
    written = set(written_bars(made, made.notes).values())
    assert lines == len(written)


def test_text_tab_explains_the_signs_that_are_used_alone() -> None:
    plain = replace(generated(301, bars=8), phrases=())
    notes = [replace(n, attack=Attack.PICK, bend=None, marks=frozenset(), vibrato=None, doubt=None)
             for n in plain.notes]  # fmt: skip
    said = text_tab(plain, tuple(notes))
    assert "bend" not in said
    assert "hammer" not in said
    one = (replace(notes[0], bend=Bend(BendKind.MUTED, 200)), *notes[1:])
    said = text_tab(plain, one)
    assert "9b11x muted at the top" in said
    assert "release" not in said


def test_sections_and_advice_stand_in_the_bar_of_their_note() -> None:
    made = generated(301, bars=16)
    notes = (replace(made.notes[3], advice="thumb over"), *made.notes[4:])
    made = made.with_notes([*made.notes[:3], *notes])
    bars = _read(made)["bars"]
    assert [s["name"] for bar in bars for s in bar["sections"]] == ["A", "B"]
    written = written_bars(made, made.notes)
    said = {(bar["number"], a["note"], a["words"]) for bar in bars for a in bar["advice"]}
    third = made.notes[3]
    assert (written[third.id], third.id, "thumb over") in said
    firsts = [next(n for n in made.notes if p.holds(n.onset)) for p in made.phrases if p.advice]
    assert {(written[n.id], n.id, "lean on the second beat") for n in firsts} <= said
