"""A bend never says more than its ribbon shows."""

import pytest

from notcher.listen.candidates.shape import as_shown
from notcher.score.note import Bend, BendKind


@pytest.mark.parametrize(
    ("top", "target", "shown"),
    [(200.0, 200, 200), (160.0, 200, 200), (120.0, 200, 100), (60.0, 200, 50), (10.0, 200, None), (310.0, 300, 300)],
)
def test_the_goal_stays_with_what_was_measured(top: float, target: int, shown: int | None) -> None:
    """Forty cents short is still the whole step that was meant; eighty is none."""
    found = as_shown(Bend(BendKind.BEND, target, ((0.0, 0.0), (0.2, top))))
    assert (found.target_cents if found else None) == shown


def test_a_bend_that_was_not_measured_stays() -> None:
    bend = Bend(BendKind.BEND, 200, ())
    assert as_shown(bend) is bend
    assert as_shown(None) is None
