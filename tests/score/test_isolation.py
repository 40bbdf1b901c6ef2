"""How the lead is taken out, as a value."""

import pytest

from notcher.score.errors import ScoreError
from notcher.score.isolation import Isolation, StereoPosition
from notcher.wording.guitar import stereo_position_words


@pytest.mark.parametrize(
    ("isolation", "words"),
    [
        (Isolation(), "not found out yet"), (Isolation(StereoPosition.MIX), "everywhere"),
        (Isolation(StereoPosition.SIDES), "on both sides"),
        (Isolation(StereoPosition.PAN), "in the centre"), (Isolation(StereoPosition.PAN, pan=-0.47), "47 % left"),
        (Isolation(StereoPosition.PAN, pan=1.0), "100 % right"),
    ],
)  # fmt: skip
def test_it_is_said_in_words(isolation: Isolation, words: str) -> None:
    assert stereo_position_words(isolation) == words


@pytest.mark.parametrize(
    ("values", "message"),
    [
        ({"pan": 1.01}, "-1 .left. to 1"), ({"pan": -1.01}, "-1 .left. to 1"), ({"width": 0.04}, "0.05 to 1"),
        ({"width": 1.1}, "0.05 to 1"), ({"low_hz": 39.0}, "40 to 16000"), ({"low_hz": 9000.0}, "lower end first"),
        ({"high_hz": 16001.0}, "40 to 16000"), ({"strength": 1.1}, "0 to 1"), ({"strength": -0.1}, "0 to 1"),
    ],
)  # fmt: skip
def test_values_beyond_their_ends(values: dict[str, float], message: str) -> None:
    with pytest.raises(ScoreError, match=message):
        Isolation(StereoPosition.PAN, **values)


@pytest.mark.parametrize("values", [{"pan": -1.0}, {"pan": 1.0}, {"width": 0.05}, {"width": 1.0}, {"strength": 0.0}])
def test_the_ends_themselves(values: dict[str, float]) -> None:
    assert Isolation(StereoPosition.PAN, **values)


def test_names_of_the_command_line() -> None:
    assert Isolation.named("centre") == Isolation(StereoPosition.PAN)
    assert Isolation.named("left").pan < 0 < Isolation.named("right").pan
    with pytest.raises(ScoreError, match="auto, mix, centre"):
        Isolation.named("middle")
