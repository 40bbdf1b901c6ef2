"""When three eighths write beats more plainly than triplets do."""

from fractions import Fraction

import pytest

from notcher.rhythm.quantize import Place
from notcher.rhythm.threes import falls_into_threes


def on(*beats: str) -> list[Place]:
    """Places by their beats; what lies on thirds or sixths is of such a beat."""
    out = []
    for beat in map(Fraction, beats):
        division = {1: 1, 2: 2, 3: 3, 4: 4, 6: 6}[beat.denominator]
        out.append(Place(beat, division, int(beat), 1, 0.0))
    return out


@pytest.mark.parametrize(
    ("beats", "falls"),
    [
        ([f"{k}/3" for k in range(24)], True),
        ([f"{3 * k + j}/3" for k in range(20) for j in (0, 2)], False),
        ([f"{k}/4" for k in range(40)], False),
        ([*(f"{k}/3" for k in range(12)), *(f"{k}/4" for k in range(16, 40))], False),
        ([f"{k}/3" for k in range(6)], False),
    ],
    ids=["thirds throughout", "a shuffle", "sixteenths", "a triplet bar among others", "too few"],
)
def test_it_takes_thirds_throughout_and_the_first_of_them(beats: list[str], falls: bool) -> None:
    assert falls_into_threes(on(*beats)) is falls


def test_swung_halves_are_thirds() -> None:
    """A slow blues: a quarter and an eighth, and runs of three."""
    beats = [*(f"{k}/2" for k in range(0, 24)), *(f"{k}/3" for k in range(36, 60))]
    assert not falls_into_threes(on(*beats))
    assert falls_into_threes(on(*beats), swung=True)
    assert not falls_into_threes(on(*(f"{k}/2" for k in range(40))), swung=True)
