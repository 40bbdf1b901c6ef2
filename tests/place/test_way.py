"""Shifts and stretches told ahead, in frets, millimetres and seconds."""

import pytest

from notcher.place.fingers import Fingered
from notcher.place.way import Step, off_its_own, shifts, widest
from notcher.score.pitch import tension_ratio
from notcher.score.tuning import STANDARD, Tuning


def steps(*notes: tuple[int, int, int]) -> list[Step]:
    """(fret, position, finger), a quarter of a second each."""
    return [Step(0.25 * k, fret, Fingered(position, finger)) for k, (fret, position, finger) in enumerate(notes)]


def test_a_shift_in_frets_millimetres_and_time() -> None:
    """From the 5th to the 12th fret of a string of 648 mm: 648 (2^(-5/12) - 2^(-12/12)) = 161.45 mm (equal temperament,
    each fret at 1 - 2^(-n/12) of the string; computed here from the formula)."""
    found = shifts(steps((5, 5, 1), (7, 5, 3), (12, 12, 1), (14, 12, 3)), STANDARD, scale_mm=648)
    assert [(s.start, s.end, s.frets, s.arrives) for s in found] == [(5, 12, 7, 2)]
    assert found[0].mm == pytest.approx(648 * (2 ** (-5 / 12) - 0.5))
    assert found[0].mm == pytest.approx(161.45, abs=0.01)
    assert found[0].seconds == pytest.approx(0.25)


def test_an_open_string_gives_the_hand_its_time() -> None:
    found = shifts(steps((5, 5, 1), (0, 5, 0), (9, 9, 1)), STANDARD, scale_mm=648)
    assert [s.seconds for s in found] == pytest.approx([0.5])


def test_the_widest_stretch_is_the_lower_of_two_as_wide_in_frets() -> None:
    """Three frets are wider near the nut: 648 (2^(-1/12) - 2^(-4/12)) = 97.3 mm against 48.6 mm an octave higher."""
    found = widest(steps((1, 1, 1), (4, 1, 4), (13, 13, 1), (16, 13, 4)), STANDARD, scale_mm=648)
    assert found is not None
    assert (found.low, found.high, found.frets) == (1, 4, 3)
    assert found.mm == pytest.approx(97.3, abs=0.1)
    high = widest(steps((13, 13, 1), (16, 13, 4)), STANDARD, scale_mm=648)
    assert high is not None
    assert high.mm == pytest.approx(found.mm / 2)


def test_a_capo_moves_the_hand_to_narrower_frets() -> None:
    plain = widest(steps((1, 1, 1), (4, 1, 4)), STANDARD, scale_mm=648)
    capo = widest(steps((1, 1, 1), (4, 1, 4)), Tuning(STANDARD.pitches, capo=12), scale_mm=648)
    assert plain is not None
    assert capo is not None
    assert capo.mm == pytest.approx(plain.mm / 2)


def test_nothing_fretted_stretches_nothing() -> None:
    assert widest(steps((0, 1, 0), (0, 1, 0)), STANDARD, scale_mm=648) is None
    assert shifts([], STANDARD, scale_mm=648) == []


def test_a_whole_tone_bend_pulls_a_quarter_more() -> None:
    """2^(2/6) = 1.26 (Mersenne's law: tension goes with the square of the frequency)."""
    assert tension_ratio(2) == pytest.approx((2 ** (2 / 12)) ** 2)
    assert round(100 * (tension_ratio(2) - 1)) == 26


def test_how_far_a_finger_lies_from_its_own_fret() -> None:
    """In the 5th position the third finger's own fret is the 7th; on the 8th it is stretched by a fret."""
    a, b, c, d = steps((7, 5, 3), (8, 5, 3), (4, 5, 1), (3, 5, 0))
    assert off_its_own(a, STANDARD, scale_mm=648) == (0, 0.0)
    frets, mm = off_its_own(b, STANDARD, scale_mm=648)
    assert (frets, round(mm)) == (1, round(648 * (2 ** (-7 / 12) - 2 ** (-8 / 12))))
    assert off_its_own(c, STANDARD, scale_mm=648)[0] == -1
    assert off_its_own(d, STANDARD, scale_mm=648) == (0, 0.0)
