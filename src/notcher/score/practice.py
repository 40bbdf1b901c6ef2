"""What is kept of learning a solo: the plan of its lesson, and what came of each take."""

import datetime
from dataclasses import dataclass

from notcher.score.clause import Clause
from notcher.score.errors import ScoreError
from notcher.score.limits import check_count

MOST_LINES, MOST_TAKES = 400, 5000
FEWEST_MINUTES, MOST_MINUTES = 5, 240
CLEAN_MS, CLEAN_CENTS = 60, 25
"""How far a note of a clean take may be off in time, and a bend in pitch, where nobody set it (common practice, no
source: an eighth of a beat at 120 beats a minute is 62 ms; a quarter of a half step is heard as out of tune)."""
CLEAN_MS_RANGE, CLEAN_CENTS_RANGE = (10, 300), (5, 100)


@dataclass(frozen=True, slots=True)
class Lesson:
    """The plan of a lesson. lines: a step each, as a person reads and writes them (teach/plan.py); minutes: that there
    are on a day; clean_ms, clean_cents: how far every note of a clean take may be off in time, and every bend in
    pitch."""

    lines: tuple[str, ...] = ()
    minutes: int = 30
    clean_ms: int = CLEAN_MS
    clean_cents: int = CLEAN_CENTS

    def __post_init__(self) -> None:
        check_count(len(self.lines), MOST_LINES, Clause("steps in a lesson"))
        if not FEWEST_MINUTES <= self.minutes <= MOST_MINUTES:
            raise ScoreError(
                "a lesson lasts {low} to {high} minutes, got {minutes}", low=FEWEST_MINUTES, high=MOST_MINUTES,
                minutes=self.minutes,
            )  # fmt: skip
        for value, (low, high), unit in (
            (self.clean_ms, CLEAN_MS_RANGE, "ms"), (self.clean_cents, CLEAN_CENTS_RANGE, "cents"),
        ):  # fmt: skip
            if not low <= value <= high:
                raise ScoreError(
                    "a clean take is within {low} to {high} {unit}, got {value}",
                    low=low,
                    high=high,
                    unit=unit,
                    value=value,
                )


NO_LESSON = Lesson()


@dataclass(frozen=True, slots=True)
class TakeKept:
    """What came of one take. made: when, YYYY-MM-DDTHH:MM; phrase: its id; pace: percent of the recording's; notes: how
    many were to be played; missing: the ids of those that were not there; extra: how many were played besides; late_ms:
    how far the notes were off in time, on the median; bends: (note id, cents beyond its goal); sound: the file with the
    take, '' where none was kept; wrong: (note id, MIDI pitch that was played in its place), of those missing; late:
    (note id, ms) of those that were too early or late; clean: as it was judged by what was asked for then."""

    made: str
    phrase: str
    pace: float
    notes: int
    missing: tuple[str, ...] = ()
    extra: int = 0
    late_ms: float = 0.0
    bends: tuple[tuple[str, float], ...] = ()
    sound: str = ""
    wrong: tuple[tuple[str, int], ...] = ()
    late: tuple[tuple[str, float], ...] = ()
    clean: bool = False

    def __post_init__(self) -> None:
        try:
            datetime.datetime.strptime(self.made, "%Y-%m-%dT%H:%M")
        except ValueError:
            raise ScoreError("'{made}' is no time; write it as 2027-03-14T18:05", made=self.made) from None
        if not (0 < self.pace <= 400 and self.notes > 0 and self.extra >= 0 and self.late_ms >= 0):
            raise ScoreError("a take has a pace above 0 % and notes that were to be played, got {pace} and {notes}",
                             pace=self.pace, notes=self.notes)  # fmt: skip

    @property
    def day(self) -> str:
        """The date, YYYY-MM-DD."""
        return self.made[:10]
