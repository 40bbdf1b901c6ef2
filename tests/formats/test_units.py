"""Metres whose beat is no quarter: 12/8, 7/8 and 2/2 written, exported, and read back by other programs and our own."""

import io
import itertools
import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import mido
import music21
import pytest

from notcher import api
from notcher.audio.band import Part
from notcher.formats import project_file
from notcher.formats.incoming.musicxml import read_musicxml
from notcher.harmony.band import played as played_by_band
from notcher.harmony.symbols import parse_chord
from notcher.rhythm.bars import bars_of
from notcher.rhythm.beams import beamed
from notcher.rhythm.cells import barred
from notcher.score.chord import ChordAt
from notcher.score.errors import ScoreError
from notcher.score.project import Project, Recording
from notcher.score.tempo import TempoMap
from notcher.score.unit import DOTTED_QUARTER, QUARTER, UNITS, Unit, unit_named, unit_of
from notcher.wording.rhythm import counts_under, parts_of_a_beat, values
from tests.conftest import note
from tests.formats.generated import generated

EIGHTH, HALF = unit_named("eighth"), unit_named("half")


def played(unit: str, beats: list[Fraction], *, size: int, bpm: float = 60.0) -> Project:
    """Notes struck at these beats, each held to the next, in bars of so many beats."""
    steady = TempoMap.steady(bpm, first_beat=0.5, count=40, beats_per_bar=size)
    tempo = replace(steady, unit=unit_named(unit))
    times = [tempo.time_at(float(b)) for b in beats]
    notes = [note(k + 1, a, 2, 5 + k % 7, length=b - a) for k, (a, b) in enumerate(itertools.pairwise(times))]
    return Project(Recording("x.wav", "ab" * 32, 60.0, 44100, 2), tempo=tempo).with_notes(notes)


def thirds(*parts: int) -> list[Fraction]:
    return [Fraction(p, 3) for p in parts]


SLOW_BLUES = played("dotted quarter", thirds(0, 2, 3, 5, 6, 7, 8, 9, 12, 13, 15, 18, 21, 24), size=4)
SEVEN = played("eighth", [Fraction(k) for k in (0, 1, 2, 3, 4, 5, 6, 7, 9, 11, 14)], size=7, bpm=200)
CUT = played("half", [Fraction(k, 4) for k in (0, 1, 2, 3, 4, 6, 8, 12, 16)], size=2, bpm=80)


def test_beats_are_written_as_the_metre_says() -> None:
    """12/8 has four dotted quarters, 7/8 seven eighths, 2/2 two halves (facts of notation, no source)."""
    assert [u.signature(n) for u, n in ((DOTTED_QUARTER, 4), (EIGHTH, 7), (HALF, 2), (QUARTER, 4))] == [
        (12, 8), (7, 8), (2, 2), (4, 4)
    ]  # fmt: skip
    for metres, name in (
        ([(12, 8)], "dotted quarter"), ([(6, 8), (9, 8)], "dotted quarter"), ([(7, 8)], "eighth"), ([(2, 2)], "half"),
        ([(4, 4), (2, 2)], "quarter"), ([(4, 4), (6, 8)], "quarter"), ([(4, 4), (7, 8)], "eighth"), ([], "quarter"),
        ([(5, 16)], "16th"),
    ):  # fmt: skip
        assert unit_of(metres).name == name, metres
    with pytest.raises(ScoreError, match="quarter"):
        unit_named("crotchet")


def test_values_of_a_beat_in_threes_have_dots_and_no_tuplets() -> None:
    written = [(c.value.type, c.value.dots, c.value.tuplet) for c in barred(bars_of(SLOW_BLUES, SLOW_BLUES.notes))
               if c.value]  # fmt: skip
    assert written[:9] == [
        ("quarter", 0, None), ("eighth", 0, None), ("quarter", 0, None), ("eighth", 0, None), ("eighth", 0, None),
        ("eighth", 0, None), ("eighth", 0, None), ("quarter", 1, None), ("eighth", 0, None),
    ]  # fmt: skip
    cells = barred(bars_of(SLOW_BLUES, SLOW_BLUES.notes))
    assert [len(group) for group in beamed(cells)] == [3]


def test_a_beat_in_threes_is_counted_so() -> None:
    counts = counts_under(SLOW_BLUES, SLOW_BLUES.notes)
    assert [counts[n.id] for n in SLOW_BLUES.notes][:9] == ["1", "a", "2", "a", "3", "and", "a", "4", "1"]
    assert parts_of_a_beat(DOTTED_QUARTER)[Fraction(1, 3)] == "and"
    assert values(DOTTED_QUARTER)[Fraction(1)] == "dotted quarter"
    assert values(DOTTED_QUARTER)[Fraction(2, 3)] == "quarter"
    assert values(HALF)[Fraction(1, 2)] == "quarter"


def test_eighths_of_seven_are_beamed_in_twos_and_a_three() -> None:
    cells = barred(bars_of(SEVEN, SEVEN.notes))
    assert [len(group) for group in beamed(cells) if cells[group[0]].bar == 1] == [2, 2, 3]


@pytest.mark.parametrize(("project", "metre"), [(SLOW_BLUES, "12/8"), (SEVEN, "7/8"), (CUT, "2/2")])
@pytest.mark.parametrize("with_staff", [False, True])
def test_musicxml_says_the_metre_and_music21_reads_every_bar_full(
    project: Project, metre: str, with_staff: bool
) -> None:
    score = music21.converter.parseData(api.render(project, "musicxml", staff=with_staff), format="musicxml")
    part = score.parts[0]
    assert [t.ratioString for t in part.recurse().getElementsByClass("TimeSignature")] == [metre]
    for measure in part.getElementsByClass("Measure"):
        assert measure.duration.quarterLength == measure.barDuration.quarterLength
    tempo = project.tempo
    assert tempo is not None
    (mark,) = part.recurse().getElementsByClass("MetronomeMark")
    assert mark.getQuarterBPM() == pytest.approx(tempo.bpm() * float(tempo.unit.quarters), rel=0.01)
    struck = [n.getOffsetInHierarchy(part) for n in part.flatten().notes if n.tie is None or n.tie.type == "start"]
    wanted = [tempo.beat_at(n.onset) * float(tempo.unit.quarters) for n in project.notes]
    assert struck == pytest.approx(wanted)


@pytest.mark.parametrize("project", [SLOW_BLUES, SEVEN, CUT])
@pytest.mark.parametrize("kind", ["musicxml", "midi"])
def test_they_come_back_with_their_beats(project: Project, kind: str, tmp_path: Path) -> None:
    path = tmp_path / {"musicxml": "a.musicxml", "midi": "a.mid"}[kind]
    path.write_bytes(api.render(project, kind))
    again = api.read(path)
    assert project.tempo is not None
    assert again.tempo is not None
    assert (again.tempo.unit, again.tempo.beats_per_bar) == (project.tempo.unit, project.tempo.beats_per_bar)
    assert again.tempo.bpm() == pytest.approx(project.tempo.bpm(), rel=0.01)

    def places(p: Project) -> list[tuple[int, Fraction, str]]:
        cells = barred(bars_of(p, p.notes))
        return [(c.bar, c.beat, c.value.type if c.value else "") for c in cells if c.struck]

    assert places(again) == places(project)


def test_midi_plays_in_the_recordings_time_in_any_unit() -> None:
    """mido turns ticks into seconds: every onset is where it was played."""
    for project, metre in ((SLOW_BLUES, (12, 8)), (SEVEN, (7, 8)), (CUT, (2, 2))):
        file = mido.MidiFile(file=io.BytesIO(api.render(project, "midi")))
        at, onsets, metres = 0.0, [], []
        for message in file:
            at += message.time
            if message.type == "note_on" and message.velocity:
                onsets.append(at)
            elif message.type == "time_signature":
                metres.append((message.numerator, message.denominator))
        assert metres == [metre]
        assert onsets == pytest.approx([n.onset - 0.5 for n in project.notes], abs=0.003)


def test_as_written_counts_the_beats_of_the_metre() -> None:
    first = json.loads(api.render(SLOW_BLUES, "written"))["bars"][0]
    assert (first["beats"], first["beat_type"]) == (12, 8)
    assert [Fraction(e["beat"]) for e in first["events"]] == [0, 2, 3, 5, 6, 7, 8, 9]
    assert first["tempo_bpm"] == pytest.approx(180)
    assert [e["value"] for e in first["events"]] == ["1/4", "1/8", "1/4", "1/8", "1/8", "1/8", "1/8", "1/4"]


@pytest.mark.parametrize("unit", UNITS)
def test_a_project_keeps_what_a_beat_is_written_as(unit: Unit, tmp_path: Path) -> None:
    assert SLOW_BLUES.tempo is not None
    kept = replace(SLOW_BLUES, tempo=replace(SLOW_BLUES.tempo, unit=unit))
    project_file.save(kept, tmp_path / "a.notcher")
    assert project_file.load(tmp_path / "a.notcher").tempo == kept.tempo


def test_an_older_project_has_quarters(tmp_path: Path) -> None:
    project_file.save(SLOW_BLUES, tmp_path / "a.notcher")
    data = json.loads((tmp_path / "a.notcher").read_text(encoding="utf-8"))
    del data["tempo"]["unit"]
    data["version"] = 11
    (tmp_path / "a.notcher").write_text(json.dumps(data), encoding="utf-8")
    tempo = project_file.load(tmp_path / "a.notcher").tempo
    assert tempo is not None
    assert tempo.unit is QUARTER


def test_a_run_in_threes_settles_on_thirds_however_it_is_played() -> None:
    """Late or early by what a hand wavers, thirds and sixths stay plain; quarters would make triplets of them."""
    beats = [Fraction(k, 6) for k in (0, 2, 3, 4, 6, 8, 10, 12, 13, 14, 16, 17, 18, 20, 22, 24, 30, 36)]
    exact = played("dotted quarter", beats, size=4, bpm=52)
    loose = exact.with_notes([replace(n, onset=n.onset + (-1) ** k * 0.012) for k, n in enumerate(exact.notes)])
    for project in (exact, loose):
        cells = [c for c in barred(bars_of(project, project.notes)) if c.struck]
        assert [4 * (c.bar - 1) + c.beat for c in cells] == beats[:-1]
        assert all(c.value is not None and c.value.tuplet is None for c in cells)


def test_the_band_strikes_three_to_a_beat() -> None:
    """A slow blues in 12/8 has the hi-hat on every eighth (common practice, no source)."""
    project = replace(SLOW_BLUES, chords=(ChordAt(0.5, parse_chord("A7")),))
    assert project.tempo is not None
    struck = [s for s in played_by_band(project, 0.5, 4.4) if s.part is Part.HAT]
    beats = {round(project.tempo.beat_at(s.start) * 3, 3) for s in struck if s.start >= 0.5}
    assert {0.0, 1.0, 2.0, 3.0, 4.0, 5.0} <= beats


@pytest.mark.parametrize("unit", UNITS)
@pytest.mark.parametrize("seed", [221, 222, 223, 224])
def test_every_bar_is_full_in_any_unit(seed: int, unit: Unit) -> None:
    """The values of a bar add up to its metre."""
    made = generated(seed)
    assert made.tempo is not None
    made = replace(made, tempo=replace(made.tempo, unit=unit))
    for bar in json.loads(api.render(made, "written"))["bars"]:
        at: dict[Fraction, Fraction] = {}
        for e in bar["events"]:
            length = Fraction(e["value"]) * (2 - Fraction(1, 2 ** e["dots"])) * bar["beat_type"]
            length *= Fraction(e["tuplet"][1], e["tuplet"][0]) if e["tuplet"] else 1
            if not e["grace"]:
                at[Fraction(e["beat"])] = length
        ends = [beat + length for beat, length in sorted(at.items())]
        assert [Fraction(0), *ends[:-1]] == sorted(at)
        assert ends[-1] == bar["beats"]


def test_a_metre_of_another_kind_among_others_is_told_of(tmp_path: Path) -> None:
    part = music21.stream.Part()
    for number, metre in enumerate(("4/4", "6/8", "4/4"), 1):
        measure = music21.stream.Measure(number)
        measure.append(music21.meter.TimeSignature(metre))
        while measure.duration.quarterLength < measure.barDuration.quarterLength:
            measure.append(music21.note.Note(60, quarterLength=0.5))
        part.append(measure)
    data = music21.musicxml.m21ToXml.GeneralObjectExporter(part).parse()
    score = read_musicxml(data)
    assert any("6/8, which is written as 3/4" in said for said in score.skipped)
    assert [size for _, size in score.metres] == [4, 3, 4]
