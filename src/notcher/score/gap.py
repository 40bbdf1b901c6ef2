"""Where something may have been missed."""

from dataclasses import dataclass
from typing import Annotated

from notcher.score.clause import Clause
from notcher.score.declared import Chance, Seconds, within
from notcher.score.errors import ScoreError
from notcher.score.limits import check_time


@dataclass(frozen=True, slots=True)
class Gap:
    """A stretch in which a note may sound that nobody wrote down: from start to end seconds; midi: its pitch as it
    would be fretted; chance: 0 to 1."""

    start: Seconds
    end: Seconds
    midi: Annotated[int, within(0, 127, "the pitch that may sound there")]
    chance: Chance

    def __post_init__(self) -> None:
        if not 0 <= self.start < self.end:
            raise ScoreError("a gap ends after it starts, got {start} s to {end} s", start=self.start, end=self.end)
        check_time(self.end, Clause("a gap's end"))
        if not 0 <= self.chance <= 1:
            raise ScoreError("a chance lies between 0 and 1, got {chance}", chance=self.chance)
