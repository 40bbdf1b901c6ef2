"""From measured onsets to note values."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.rhythm.values import TICKS, spell, written
from notcher.score.tempo import TempoMap
from tests.conftest import note

BEAT = TempoMap.steady(120, first_beat=0.0, count=40)


def starts(times: list[float]) -> list[float]:
    """Where notes at these times (in beats of half a second) are written, in beats."""
    notes = tuple(note(i, t / 2, 1, 5, length=0.05) for i, t in enumerate(times))
    return [e.tick / TICKS for e in written(notes, BEAT).events if e.notes]


@pytest.mark.parametrize(
    "beats",
    [
        [0, 1, 2, 3],
        [0, 0.25, 0.5, 0.75, 1],
        [0, 1 / 3, 2 / 3, 1],
        [0, 1 / 6, 2 / 6, 3 / 6, 4 / 6, 5 / 6, 1],
    ],
)
def test_plain_rhythms_are_read_as_they_are(beats: list[float]) -> None:
    assert starts(beats) == pytest.approx(beats)


@pytest.mark.parametrize("shift", [-0.06, 0.05])
def test_a_hand_that_floats_over_the_beat(shift: float) -> None:
    """Late at the start of a run and early at its end: up to 30 ms at 120 bpm does not change the rhythm."""
    beats = [0, 0.25, 0.5, 0.75, 1, 1.5, 2]
    played = [b + shift * (1 - i / 3) for i, b in enumerate(beats)]
    played[0] = max(0.0, played[0])
    assert starts(played) == pytest.approx(beats)


@given(st.integers(1, 4 * TICKS), st.integers(0, 4 * TICKS - 1))
def test_spelled_values_add_up(ticks: int, at: int) -> None:
    grid = TICKS // 4
    ticks, at = max(grid, ticks // grid * grid), at // grid * grid
    assert sum(v.ticks for v in spell(ticks, at=at)) == ticks


def test_notes_struck_together_are_one_event() -> None:
    notes = (note(1, 0.5, 1, 5), note(2, 0.51, 2, 5), note(3, 1.0, 1, 7))
    found = [e for e in written(notes, BEAT).events if e.notes]
    assert [len(e.notes) for e in found] == [2, 1]
