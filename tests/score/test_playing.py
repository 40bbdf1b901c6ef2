"""String tension in newtons against what is printed for strings of known gauge, and gauges as they are written."""

import math

import pytest

from notcher.score.errors import ScoreError
from notcher.score.playing import Gauge, Playing, gauges_of

_POUND_N = 4.448


@pytest.mark.parametrize(
    ("gauge", "pitch", "pounds"),
    # What makers print for sets of nickel-plated steel on a scale of 25.5 inches, in pounds (values from memory).
    [("10", 64, 16.2), ("13", 59, 15.4), ("17", 55, 16.6), ("26w", 50, 18.4), ("36w", 45, 19.5), ("46w", 40, 17.5)],
)
def test_tension_is_what_is_printed_for_such_strings(gauge: str, pitch: int, pounds: float) -> None:
    playing = Playing(gauges=gauges_of(" ".join([gauge] * 6), 6))
    newtons = playing.tension(1, pitch)
    assert newtons == pytest.approx(pounds * _POUND_N, rel=0.06)


def test_tension_by_the_formula() -> None:
    """T = mu (2 L f)^2 (Mersenne's law; Fletcher and Rossing, The Physics of Musical Instruments, chapter 2), by hand:
    a plain steel string of 0.254 mm weighs 7850 pi / 4 (0.000254)^2 = 0.398 g a metre; at 329.63 Hz on 648 mm it pulls
    0.000398 (2 x 0.648 x 329.63)^2 = 72.6 N."""
    playing = Playing(gauges=(Gauge(10.0),) * 6)
    by_hand = 7850 * math.pi / 4 * 0.000254**2 * (2 * 0.648 * 329.6276) ** 2
    assert by_hand == pytest.approx(72.6, abs=0.05)
    assert playing.tension(1, 64) == pytest.approx(by_hand, rel=1e-5)


def test_a_longer_string_pulls_more_by_the_square() -> None:
    short, long = (Playing(scale_mm=mm, gauges=(Gauge(10.0),)) for mm in (600, 660))
    a, b = short.tension(1, 64), long.tension(1, 64)
    assert a is not None
    assert b is not None
    assert b / a == pytest.approx(1.21)


def test_gauges_as_they_are_written() -> None:
    wanted = (Gauge(10), Gauge(13), Gauge(17), Gauge(26, True), Gauge(36, True), Gauge(46, True))
    for text in ("10 13 17 26w 36w 46w", ".010, .013, .017, .026w, .036w, .046W", "10-13-17-26w-36w-46w"):
        assert gauges_of(text, 6) == wanted
    assert gauges_of("9.5 11 16 24w 32w 42w", 6)[0] == Gauge(9.5)
    assert gauges_of("  ", 6) == ()
    assert " ".join(str(g) for g in wanted) == "10 13 17 26w 36w 46w"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("10 13", "2 gauges for 6 strings"), ("ten", "'ten' is no gauge"), ("10 13 17 26w 36w 460", "no gauge|thick"),
        ("1 13 17 26w 36w 46w", "5 to 100 thousandths"),
    ],
)  # fmt: skip
def test_what_is_no_gauge_is_said(text: str, says: str) -> None:
    with pytest.raises(ScoreError, match=says):
        gauges_of(text, 6)


def test_an_unknown_gauge_pulls_nobody_knows_what() -> None:
    assert Playing().tension(1, 64) is None


def test_a_string_length_that_no_guitar_has() -> None:
    with pytest.raises(ScoreError, match="480 to 800 mm"):
        Playing(scale_mm=100)
