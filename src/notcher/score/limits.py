"""How much of anything a document may hold: far above what music needs, so that nothing in it can eat the machine."""

from notcher.score.clause import Clause
from notcher.score.errors import ScoreError

LONGEST_S = 6 * 3600.0
"""No recording or score lasts longer, in seconds."""
MOST_NOTES = 60_000
MOST_BEATS = 200_000
MOST_POINTS = 100_000
"""Of the shape of one bend."""
MOST_PARTS = 20_000
"""Phrases, sections, versions, states: of each."""


MOST_TYPED = 9
"""Digits of a number that somebody types: more are a cat on the keyboard, or cost minutes to read."""


def typed_whole(digits: str) -> int:
    """A whole number from digits that somebody typed, a sign before them or not. Raises ScoreError."""
    return int(_short(digits))


def typed_number(digits: str) -> float:
    """As typed_whole, with a point or a comma. Raises ScoreError."""
    return float(_short(digits).replace(",", "."))


def _short(digits: str) -> str:
    clean = digits.replace(" ", "")
    if sum(c.isdecimal() for c in clean) > MOST_TYPED:
        raise ScoreError("{number}… is too large a number; write it with up to {most} digits",
                         number=clean[:MOST_TYPED], most=MOST_TYPED)  # fmt: skip
    return clean


def check_time(seconds: float, what: str | Clause) -> None:
    """Raises ScoreError for a time that is no number, or beyond LONGEST_S either way. what: as the sentence begins."""
    if not -LONGEST_S <= seconds <= LONGEST_S:
        raise ScoreError(
            "{what} lies within {longest_s:.0f} hours, got {seconds} s",
            what=what,
            longest_s=LONGEST_S / 3600,
            seconds=seconds,
        )


def check_count(number: int, most: int, what: str | Clause) -> None:
    """Raises ScoreError where there are too many of something. what: as it is counted, such as 'notes'."""
    if number > most:
        raise ScoreError("there are {number} {what}; {most} are the limit", number=number, what=what, most=most)
