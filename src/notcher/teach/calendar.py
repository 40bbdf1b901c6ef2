"""A lesson spread over days: what fits each day, and what was learned coming back after growing gaps.

The rule is Leitner's (S. Leitner, "So lernt man lernen", 1972, from memory): what went well comes back after twice as
many days as before, beginning with one; what did not begins anew. That practice spread over days holds better than as
much on one is among the firmest results there are on learning (Cepeda and others, Psychological Bulletin 132, 2006,
from memory).
"""

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from notcher.score.errors import ScoreError
from notcher.score.practice import TakeKept
from notcher.score.project import Phrase, Project
from notcher.teach.plan import Step, What, read_plan, seconds_of

FIRST_GAP_DAYS, LONGEST_GAP_DAYS = 1, 32
_WITHOUT_A_DATE = 28
# Share of a day's minutes that what comes back takes at most, while there is something new.
_REVIEW_SHARE = 0.5


@dataclass(slots=True)
class Day:
    """One day's lesson. new: steps of the plan; again: phrases that come back."""

    date: datetime.date
    new: list[Step] = field(default_factory=list)
    again: list[Step] = field(default_factory=list)
    seconds: float = 0.0

    @property
    def steps(self) -> list[Step]:
        """What comes back first, then what is new."""
        return [*self.again, *self.new]


@dataclass(frozen=True, slots=True)
class Spread:
    """The days, and the steps that did not fit before the due date."""

    days: tuple[Day, ...]
    left: tuple[Step, ...]


@dataclass(slots=True)
class _Learned:
    phrase: Phrase
    pace: float
    gap: int
    due: datetime.date


def gap_after(takes: Sequence[TakeKept]) -> int:
    """Days after which a phrase comes back: doubled by each day on which a take was clean since the last on which none
    was."""
    by_day: dict[str, bool] = {}
    for t in takes:
        by_day[t.day] = by_day.get(t.day, False) or t.clean
    gap = FIRST_GAP_DAYS
    for _, clean in sorted(by_day.items()):
        gap = min(LONGEST_GAP_DAYS, 2 * gap) if clean else FIRST_GAP_DAYS
    return gap


def spread(project: Project, *, today: datetime.date) -> Spread:
    """The lesson of a project day by day, from today to its due date. Raises ScoreError for a due
    date in the past, and where a step of the plan cannot be played."""
    lesson = project.lesson
    first = today
    due = datetime.date.fromisoformat(project.request.due) if project.request.due else None
    if due is not None and due < first:
        raise ScoreError(
            "the due date {due} is in the past; give it another in the Source room, or none", due=due.isoformat()
        )
    last = due or first + datetime.timedelta(days=_WITHOUT_A_DATE)
    waiting = [step for _, step in read_plan(lesson.lines)]
    lasting = {id(s): seconds_of(project, s) for s in waiting}
    budget = 60.0 * lesson.minutes
    learned: dict[str, _Learned] = {}
    days: list[Day] = []
    date = first
    while date <= last and (waiting or learned):
        day = Day(date)
        _come_back(project, day, learned, budget * (_REVIEW_SHARE if waiting else 1.0))
        while waiting:
            step = waiting[0]
            fits = day.seconds + lasting[id(step)] <= budget
            if not fits and day.new:
                break
            if not fits:
                step = _shorter(project, step, budget - day.seconds)
            waiting.pop(0)
            day.new.append(step)
            day.seconds += seconds_of(project, step)
            for phrase in _phrases_in(project, step):
                pace = step.paces[-1]
                if phrase.id not in learned or learned[phrase.id].pace < pace:
                    gap = gap_after([t for t in project.takes if t.phrase == phrase.id])
                    learned[phrase.id] = _Learned(phrase, pace, gap, date + datetime.timedelta(days=gap))
        if day.steps:
            days.append(day)
        date += datetime.timedelta(days=1)
        if not waiting and all(k.due > last for k in learned.values()):
            break
    return Spread(tuple(days), tuple(waiting))


def _come_back(project: Project, day: Day, learned: dict[str, _Learned], seconds: float) -> None:
    for known in sorted(learned.values(), key=lambda k: k.due):
        if known.due > day.date:
            break
        step = Step(What.PHRASE, (known.phrase.name,), pace=known.pace, rounds=2)
        lasts = seconds_of(project, step)
        if day.seconds + lasts > seconds and day.again:
            break
        day.again.append(step)
        day.seconds += lasts
        known.gap = min(LONGEST_GAP_DAYS, 2 * known.gap)
        known.due = day.date + datetime.timedelta(days=known.gap)


def _shorter(project: Project, step: Step, seconds: float) -> Step:
    """A step with as few rounds as its day has room for, one at least."""
    while step.rounds > 1 and seconds_of(project, step) > seconds:
        step = replace(step, rounds=step.rounds - 1)
    return step


def _phrases_in(project: Project, step: Step) -> list[Phrase]:
    """The phrases that a step teaches: those it plays one by one."""
    if step.what is not What.PHRASE:
        return []
    return [p for p in project.phrases if p.name.lower() == step.phrases[0].lower()]
