"""Rhythm in MusicXML, read back by music21: values, tuplets and graces are those that were written."""

from fractions import Fraction

import music21
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from benchmarks import bars
from notcher.formats.musicxml import musicxml
from notcher.score.project import Project, Recording
from notcher.score.tempo import TempoMap
from tests.conftest import note

TEMPO = TempoMap.steady(90, first_beat=0.0, count=40)


def project_of(beats: list[float], lengths: list[float], tempo: TempoMap = TEMPO) -> Project:
    notes = [
        note(i, tempo.time_at(b), 3, 5, length=tempo.time_at(b + size) - tempo.time_at(b))
        for i, (b, size) in enumerate(zip(beats, lengths, strict=True))
    ]
    return Project(Recording("a.wav", "0" * 64, 60.0, 44100, 2), notes=tuple(notes), tempo=tempo)


def read_back(project: Project) -> music21.stream.Score:
    score = music21.converter.parseData(musicxml(project, project.notes), format="musicxml")
    assert isinstance(score, music21.stream.Score)
    return score


def values(score: music21.stream.Score) -> list[tuple[Fraction, Fraction, str]]:
    """(start in quarters from the first bar, length, type) of every note, ties put together where they are one."""
    out: list[tuple[Fraction, Fraction, str]] = []
    for n in score.flatten().notes:
        if n.duration.isGrace:
            continue
        length = Fraction(n.duration.quarterLength).limit_denominator(840)
        if n.tie is not None and n.tie.type != "start":
            start, before, kind = out[-1]
            out[-1] = (start, before + length, kind)
            continue
        out.append((Fraction(n.offset).limit_denominator(840), length, n.duration.type))
    return out


@pytest.mark.parametrize(
    ("parts", "count", "kind", "for_"),
    [(3, 3, "eighth", 2), (6, 6, "16th", 4), (5, 5, "16th", 4), (7, 7, "16th", 4)],
)
def test_a_tuplet_of_one_beat(parts: int, count: int, kind: str, for_: int) -> None:
    beats = [k / parts for k in range(parts)] + [1.0, 2.0, 3.0]
    lengths = [1 / parts] * parts + [1.0, 1.0, 1.0]
    score = read_back(project_of(beats, lengths))
    found = values(score)
    assert [(s, d) for s, d, _ in found[:count]] == [(Fraction(k, parts), Fraction(1, parts)) for k in range(parts)]
    assert {k for _, _, k in found[:count]} == {kind}
    first = score.flatten().notes[0].duration.tuplets[0]
    assert (first.numberNotesActual / first.numberNotesNormal) == parts / for_
    assert [t.type for n in score.flatten().notes[:count] for t in n.duration.tuplets if t.type] == ["start", "stop"]


def test_three_over_two_beats() -> None:
    found = values(read_back(project_of([0, 2 / 3, 4 / 3, 2, 8 / 3, 10 / 3, 4], [2 / 3] * 6 + [1])))
    assert [(s, d, k) for s, d, k in found[:3]] == [(Fraction(2 * k, 3), Fraction(2, 3), "quarter") for k in range(3)]


def test_a_note_held_into_a_tuplet_is_tied() -> None:
    beats = [0, 1 + 1 / 3, 1 + 2 / 3, 2, 2 + 1 / 3, 2 + 2 / 3, 3]
    found = values(read_back(project_of(beats, [4 / 3, 1 / 3, 1 / 3, 1 / 3, 1 / 3, 1 / 3, 1])))
    assert found[0][:2] == (0, Fraction(4, 3))


def test_a_grace_note_is_a_grace_note() -> None:
    beats, lengths = [0, 1, 1.92, 2, 3], [1, 0.9, 0.08, 1, 1]
    score = read_back(project_of(beats, lengths))
    graces = [n for n in score.flatten().notes if n.duration.isGrace]
    assert len(graces) == 1
    assert [s for s, _, _ in values(score)] == [0, 1, 2, 3]


def test_an_early_first_note_does_not_open_a_bar_of_rest() -> None:
    project = project_of([3.98, 5, 6, 7], [1, 1, 1, 1])
    measures = read_back(project).parts[0].getElementsByClass("Measure")
    assert measures[0].number == 2


@pytest.mark.parametrize("tuplets", [False, True])
def test_generated_bars_come_back_full(tuplets: bool) -> None:
    played = bars.played(7, 90, bars=8, tuplets=tuplets)
    project = project_of([float(s) for s in played.starts], [float(v) for v in played.values], played.tempo)
    score = read_back(project)
    assert {float(m.duration.quarterLength) for m in score.parts[0].getElementsByClass("Measure")} == {4.0}
    assert [(s, d) for s, d, _ in values(score)] == list(zip(played.starts, played.values, strict=True))


@settings(max_examples=25, deadline=None)
@given(st.lists(st.tuples(st.floats(0.07, 1.5), st.floats(0.05, 1.5)), min_size=1, max_size=14))
@example([
    (1.125, 1), (0.75, 1), (0.5625, 1), (0.8125, 1), (0.9375, 1), (0.3125, 1), (0.125, 1), (0.1875, 1), (0.75, 0.375),
    (1, 1),
])  # fmt: skip
def test_whatever_was_played_every_bar_is_full(gaps: list[tuple[float, float]]) -> None:
    at, beats, lengths = 0.1, [], []
    for gap, length in gaps:
        beats.append(at)
        lengths.append(length)
        at += gap
    score = read_back(project_of(beats, lengths))
    for measure in score.parts[0].getElementsByClass("Measure"):
        assert float(measure.duration.quarterLength) == pytest.approx(4.0)
