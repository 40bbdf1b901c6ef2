"""A score laid along a recording by its onsets."""

from dataclasses import replace

import numpy as np
import pytest

from notcher.rhythm.lineup import BENT_OTHERWISE, NOT_HEARD, line_up
from notcher.rhythm.otherwise import SOUNDS_AS_FRET
from notcher.rhythm.values import places_of
from notcher.score.errors import ScoreError
from notcher.score.note import Bend, BendKind, Note
from notcher.score.project import Phrase, Project, Recording
from notcher.score.tempo import TempoMap
from tests.conftest import note

RECORDING = Recording("take.wav", "cd" * 32, 60.0, 44100, 2)


def solo(seed: int, count: int = 80) -> Project:
    """Eighths, sixteenths and quarters over a scale, at 120 from half a second on."""
    rng = np.random.default_rng(seed)
    at, notes = 0.0, []
    for k in range(1, count + 1):
        notes.append(note(k, 0.5 + at / 2, 1 + int(rng.integers(0, 3)), int(rng.integers(5, 17)), length=0.1))
        at += float(rng.choice([0.25, 0.5, 0.5, 1.0]))
    tempo = TempoMap.steady(120, first_beat=0.5, count=int(at) + 8)
    return Project(Recording("", "", 0.0, 44100, 1), notes=tuple(notes), tempo=tempo,
                   phrases=(Phrase("p1", "All", 0.4, notes[-1].end),))  # fmt: skip


def played(score: Project, seed: int, *, missing: float, extra: int) -> tuple[list[Note], list[float]]:
    """What was heard of it: slower, with a tempo that swells, 15 ms of hand, notes missing and too many. And the times
    of the score's notes."""
    rng = np.random.default_rng(seed)
    truth = [3.0 + 1.3 * n.onset + 0.4 * float(np.sin(n.onset / 5)) for n in score.notes]
    heard = [
        replace(n, onset=t + float(rng.normal(0, 0.015)), end=t + 0.12)
        for n, t in zip(score.notes, truth, strict=True)
        if rng.random() >= missing
    ]
    for k in range(extra):
        heard.append(note(900 + k, float(rng.uniform(1, truth[-1])), 2, int(rng.integers(3, 19)), length=0.1))
    return sorted(heard, key=lambda n: n.onset), truth


@pytest.mark.parametrize("seed", [3, 5, 8])
def test_most_notes_land_on_their_own(seed: int) -> None:
    score = solo(seed)
    heard, truth = played(score, seed + 40, missing=0.1, extra=15)
    lined = line_up(score, heard, RECORDING)
    by_id = {n.id: n for n in lined.project.notes}
    right = [abs(by_id[n.id].onset - t) < 0.06 for n, t in zip(score.notes, truth, strict=True)]
    assert np.mean(right) > 0.93
    assert lined.project.recording is RECORDING


@pytest.mark.parametrize("seed", [4, 9])
def test_what_is_written_stays_as_written(seed: int) -> None:
    score = solo(seed)
    heard, _ = played(score, seed, missing=0.05, extra=5)
    lined = line_up(score, heard, RECORDING).project
    assert score.tempo is not None
    assert lined.tempo is not None
    before = {n.id: p.start for n, p in zip(score.notes, places_of(score.notes, score.tempo), strict=True)}
    after = {n.id: p.start for n, p in zip(lined.notes, places_of(lined.notes, lined.tempo), strict=True)}
    same = [before[k] == after[k] for k in before]
    assert np.mean(same) > 0.97


def test_a_note_that_was_not_heard_gets_a_doubt() -> None:
    score = solo(6, count=20)
    heard, truth = played(score, 1, missing=0.0, extra=0)
    del heard[7]
    lined = line_up(score, heard, RECORDING)
    assert (lined.matched, lined.extra) == (19, 0)
    doubtful = [n for n in lined.project.notes if n.doubt]
    assert [n.doubt for n in doubtful] == [NOT_HEARD]
    assert doubtful[0].onset == pytest.approx(truth[7], abs=0.1)
    phrase = lined.project.phrases[0]
    assert phrase.start < truth[0] < truth[-1] < phrase.end


def test_what_was_measured_of_a_bend_comes_along() -> None:
    score = solo(7, count=12)
    bent = replace(score.notes[4], bend=Bend(BendKind.BEND, 200))
    score = score.with_notes([bent if n.id == bent.id else n for n in score.notes])
    heard, _ = played(score, 2, missing=0.0, extra=0)
    points = ((0.0, 0.0), (0.1, 188.0))
    heard = [replace(n, bend=Bend(BendKind.BEND, 200, points)) if n.bend else n for n in heard]
    bend = line_up(score, heard, RECORDING).project.note(bent.id).bend
    assert bend is not None
    assert bend.points == points


def test_another_solo_is_refused() -> None:
    score = solo(11, count=30)
    other = [replace(n, fret=n.fret + 1, string=6) for n in solo(12, count=6).notes]
    with pytest.raises(ScoreError, match="of 30 notes of the score fit"):
        line_up(score, other, RECORDING)
    with pytest.raises(ScoreError, match="no note was heard"):
        line_up(score, [], RECORDING)


def test_the_demos_score_finds_its_recording(demo: Project, tmp_path) -> None:
    """The demo's own score, from MusicXML and at a steady tempo, over the notes measured in its recording."""
    from notcher.formats.incoming.build import project_of
    from notcher.formats.incoming.open_score import read_score
    from notcher.formats.musicxml import musicxml

    path = tmp_path / "demo.musicxml"
    path.write_text(musicxml(demo, demo.notes))
    score = project_of(read_score(path))
    lined = line_up(score, demo.notes, demo.recording)
    assert lined.matched > 0.97 * len(demo.notes)
    known = {round(n.onset, 4) for n in demo.notes}
    assert np.mean([round(n.onset, 4) in known for n in lined.project.notes]) > 0.97
    assert lined.project.tempo is not None
    assert demo.tempo is not None
    theirs = np.array(demo.tempo.beats)
    inside = [b for b in lined.project.tempo.beats if demo.notes[0].onset < b < demo.notes[-1].onset]
    assert np.median([np.min(np.abs(theirs - b)) for b in inside]) < 0.04


@pytest.mark.parametrize(("seed", "by"), [(21, -1), (22, 1), (23, 2), (24, -4)])
def test_a_wrong_fret_is_told_at_its_note_with_what_was_heard(seed: int, by: int) -> None:
    score = solo(seed, count=40)
    heard, truth = played(score, seed, missing=0.05, extra=3)
    dice = np.random.default_rng(seed)
    wrong = {
        n.id
        for n in score.notes[3:-3:9]
        if n.fret + by >= 0 and any(abs(h.end - h.onset) and h.id == n.id for h in heard)
    }
    written = score.with_notes([replace(n, fret=n.fret + by) if n.id in wrong else n for n in score.notes])
    heard = [replace(h, onset=h.onset + float(dice.normal(0, 0.003))) for h in heard]
    lined = line_up(written, heard, RECORDING)
    told = {o.note: o.apart for o in lined.others}
    assert {name: apart for name, apart in told.items() if name in wrong} == dict.fromkeys(wrong, -by)
    assert len(set(told) - wrong) <= 1
    assert len(wrong) >= 2
    note = lined.project.note(min(wrong))
    fret = next(n.fret for n in score.notes if n.id == note.id)
    assert note.doubt == SOUNDS_AS_FRET.format(heard=fret, written=note.fret)
    assert note.onset == pytest.approx(truth[[n.id for n in score.notes].index(note.id)], abs=0.06)


def test_a_score_that_lies_a_half_step_off_is_not_passed() -> None:
    score = solo(31, count=40)
    heard, _ = played(score, 2, missing=0.05, extra=3)
    lower = score.with_notes([replace(n, fret=n.fret - 1) for n in score.notes])
    with pytest.raises(ScoreError, match="sounds 1 half step higher"):
        line_up(lower, heard, RECORDING)


def test_a_bend_that_goes_elsewhere_than_it_is_written_is_told() -> None:
    score = solo(7, count=12)
    bent = replace(score.notes[4], bend=Bend(BendKind.BEND, 200))
    score = score.with_notes([bent if n.id == bent.id else n for n in score.notes])
    heard, _ = played(score, 2, missing=0.0, extra=0)
    points = ((0.0, 0.0), (0.1, 97.0))
    heard = [replace(n, bend=Bend(BendKind.BEND, 100, points)) if n.bend else n for n in heard]
    doubts = [n.doubt for n in line_up(score, heard, RECORDING).project.notes if n.doubt]
    assert doubts == [BENT_OTHERWISE.format(heard="97", written=200)]


def test_a_tab_whose_columns_say_no_time_is_lined_up_by_its_order(demo: Project, tmp_path) -> None:
    """The demo as a text tab, two of its frets wrong, over the demo's notes: the columns lie up to a second off."""
    from notcher.formats.incoming.build import project_of
    from notcher.formats.incoming.open_score import read_score
    from notcher.formats.text_tab import text_tab

    path = tmp_path / "demo.txt"
    path.write_text(text_tab(demo, demo.notes))
    score = project_of(read_score(path))
    assert score.tempo is None
    lined = line_up(score, demo.notes, demo.recording)
    assert lined.matched >= 0.97 * len(demo.notes)
    assert lined.others == ()
    first, other = score.notes[0], score.notes[10]
    wrong = score.with_notes([
        replace(n, fret=n.fret + 1) if n.id == first.id else replace(n, fret=n.fret - 1) if n.id == other.id else n
        for n in score.notes
    ])  # fmt: skip
    told = {o.note: o.apart for o in line_up(wrong, demo.notes, demo.recording).others}
    assert told == {first.id: -1, other.id: 1}
