"""A lesson as it runs: which turn comes when, how the pace climbs when it is earned and falls back when it is not."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from notcher.score.errors import ScoreError
from notcher.score.project import Project
from notcher.teach.lesson import SLOWEST_PACE
from notcher.teach.plan import Step, What, stretch_of

FAILURES = 2
"""Takes in a row that are not clean after which the pace falls back by a step."""


@dataclass(frozen=True, slots=True)
class Turn:
    """What is played without a stop: so many rounds of a stretch at one pace. line: of the plan, from 0."""

    line: int
    step: Step
    stretch: tuple[float, float]
    pace: float
    rounds: int

    @property
    def round_s(self) -> float:
        """Seconds that one round lasts, without what is counted before it."""
        return (self.stretch[1] - self.stretch[0]) * 100.0 / self.pace


@dataclass(slots=True)
class Course:
    """Where a lesson stands. Raises ScoreError, as it is made, where a step cannot be played."""

    project: Project
    steps: Sequence[tuple[int, Step]]
    _at: int = 0
    _pace: int = 0
    _clean: int = 0
    _failed: int = 0
    _back: float = 0.0
    _stretches: list[tuple[float, float]] = field(default_factory=list)

    def __post_init__(self) -> None:
        for line, step in self.steps:
            try:
                self._stretches.append(stretch_of(self.project, step))
            except ScoreError as error:
                raise ScoreError("line {n}: {error}", n=line + 1, error=error) from None

    @property
    def turn(self) -> Turn | None:
        """What is to be played now; None when all is done."""
        return self._turn_at(self._at, self._pace, self._back)

    def _turn_at(self, at: int, pace: int, back: float) -> Turn | None:
        if at >= len(self.steps):
            return None
        line, step = self.steps[at]
        percent = max(float(SLOWEST_PACE), step.paces[pace] - back)
        return Turn(line, step, self._stretches[at], percent, 1 if step.clean else step.rounds)

    @property
    def following(self) -> Turn | None:
        """What comes after this turn, if all goes well."""
        at, pace = self._after()
        return self._turn_at(at, pace, 0.0)

    def _after(self) -> tuple[int, int]:
        if self._at < len(self.steps) and self._pace + 1 < len(self.steps[self._at][1].paces):
            return self._at, self._pace + 1
        return self._at + 1, 0

    @property
    def clean_left(self) -> int:
        """Clean takes that are still asked for in this turn's step; 0 where none are."""
        turn = self.turn
        return max(0, turn.step.rounds - self._clean) if turn is not None and turn.step.clean else 0

    def played(self, *, clean: bool | None = None) -> None:
        """A turn was played to its end. clean: how its take was judged, None where nobody listened, which counts as
        clean."""
        turn = self.turn
        if turn is None:
            return
        if not turn.step.clean:
            self._go_on()
            return
        if clean is False:
            self._clean, self._failed = 0, self._failed + 1
            if self._failed >= FAILURES:
                self._failed = 0
                self._fall_back()
            return
        self._clean, self._failed = self._clean + 1, 0
        if self._clean < turn.step.rounds:
            return
        if self._back:
            # What was earned below the pace asked for leads back to it.
            self._back, self._clean = max(0.0, self._back - turn.step.by), 0
            return
        self._go_on()

    def _fall_back(self) -> None:
        if self._pace:
            self._pace -= 1
        else:
            self._back += self.steps[self._at][1].by

    def _go_on(self) -> None:
        self._at, self._pace = self._after()
        self._clean, self._failed, self._back = 0, 0, 0.0

    def skip(self, steps: int) -> None:
        """Go to the step after this one, or before it."""
        self._at = min(len(self.steps), max(0, self._at + steps))
        self._pace, self._clean, self._failed, self._back = 0, 0, 0, 0.0


def planned(project: Project, steps: Sequence[tuple[int, Step]]) -> list[Turn]:
    """All turns of a lesson in which everything goes well; pauses too. Raises ScoreError as stretch_of."""
    course, out = Course(project, steps), []
    while (turn := course.turn) is not None:
        out.append(turn)
        course.played(clean=True)
    return out


def is_pause(turn: Turn) -> bool:
    """Whether nothing is played in it."""
    return turn.step.what is What.PAUSE
