"""A passage copied to where it comes again."""

from dataclasses import replace

import numpy as np
import pytest

from notcher.score.errors import ScoreError
from notcher.score.project import Project
from notcher.score.tempo import TempoMap


def copied(project: Project, ids: set[str], at: float) -> list:
    from notcher.score.repeat import copy_passage

    before = {n.id for n in project.notes}
    after = copy_passage(project, ids, at=at)
    assert [n for n in after.notes if n.id in before] == list(project.notes)
    return [n for n in after.notes if n.id not in before]


@pytest.fixture
def longer(project: Project) -> Project:
    return replace(project, recording=replace(project.recording, duration=60.0))


def test_without_a_beat_the_seconds_stay(longer: Project) -> None:
    new = copied(longer.with_tempo(None), {"n1", "n2", "n3"}, 20.0)
    assert [t for n in new for t in (n.onset, n.end)] == pytest.approx([20.0, 20.5, 20.5, 21.0, 21.0, 21.5])
    assert [(n.string, n.fret, n.attack) for n in new] == [(3, 9, "pick"), (3, 11, "hammer"), (3, 11, "pick")]
    assert new[2].bend == longer.note("n3").bend
    assert all(n.by_hand and not n.confirmed and n.evidence is None for n in new)


def test_with_a_beat_it_keeps_its_place_in_it(longer: Project) -> None:
    """The repeat is played at 100 bpm instead of 120: every note lasts a fifth longer (60 / 100 against 60 / 120)."""
    beats = np.concatenate([np.arange(20) * 0.5, 10.0 + np.arange(40) * 0.6])
    project = longer.with_tempo(TempoMap(tuple(float(b) for b in beats)))
    new = copied(project, {"n1", "n2", "n3"}, 16.0)
    assert [n.onset for n in new] == pytest.approx([16.0, 16.6, 17.2])
    assert new[0].duration == pytest.approx(0.6)
    assert new[2].bend is not None
    assert new[2].bend.points[1] == pytest.approx((0.24, 203.0))


def test_what_is_there_is_not_written_over(longer: Project) -> None:
    with pytest.raises(ScoreError, match="3 notes are already written"):
        copied(longer, {"n1", "n2"}, 4.0)
    with pytest.raises(ScoreError, match="a note is already written"):
        copied(longer, {"n1"}, 5.01)


def test_the_ends(project: Project) -> None:
    with pytest.raises(ScoreError, match="the recording ends at 8.0 s"):
        copied(project, {"n1", "n2"}, 7.5)
    with pytest.raises(ScoreError, match="no note is selected"):
        copied(project, set(), 7.0)
