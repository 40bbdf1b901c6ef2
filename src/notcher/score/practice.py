"""What is kept of learning a solo: the plan of its lesson, and what came of each take."""

import datetime
from dataclasses import dataclass
from typing import Annotated

from notcher.score.clause import Clause
from notcher.score.declared import declared, within
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

    lines: Annotated[tuple[str, ...], declared("a step each", maxItems=MOST_LINES)] = ()
    minutes: Annotated[int, within(FEWEST_MINUTES, MOST_MINUTES)] = 30
    clean_ms: Annotated[int, within(*CLEAN_MS_RANGE)] = CLEAN_MS
    clean_cents: Annotated[int, within(*CLEAN_CENTS_RANGE)] = CLEAN_CENTS

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

    made: Annotated[str, declared("YYYY-MM-DDTHH:MM")]
    phrase: Annotated[str, declared("its id")]
    pace: Annotated[float, declared("percent of the recording's", exclusiveMinimum=0, maximum=400)]
    notes: Annotated[int, declared("that were to be played", minimum=1)]
    missing: Annotated[tuple[str, ...], declared("their ids")] = ()
    extra: Annotated[int, declared("notes played besides", minimum=0)] = 0
    late_ms: Annotated[float, declared("how far notes were off, on the median", minimum=0)] = 0.0
    bends: Annotated[tuple[tuple[str, float], ...], declared("[note id, cents beyond its goal]")] = ()
    sound: Annotated[str, declared("a file, or empty")] = ""
    wrong: Annotated[
        tuple[tuple[str, Annotated[int, within(0, 140)]], ...], declared("[note id, MIDI pitch played in its place]")
    ] = ()
    late: Annotated[tuple[tuple[str, float], ...], declared("[note id, ms it was late, below 0 early]")] = ()
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
