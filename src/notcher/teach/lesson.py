"""The order of a lesson and the bounds of its pace."""

from dataclasses import dataclass

from notcher.score.clause import Clause
from notcher.score.errors import ScoreError
from notcher.score.project import Phrase, Project

SLOWEST_PACE = 25
FASTEST_PACE = 110
FIRST_PACE = 50


def clamp_pace(percent: float) -> float:
    """A pace within 25 to 110 % of the recording's speed, to a tenth."""
    return round(max(SLOWEST_PACE, min(FASTEST_PACE, percent)), 1)


@dataclass(frozen=True, slots=True)
class Stretch:
    """What is looped: seconds in the recording, and what to call it."""

    start: float
    end: float
    label: Clause


def phrase_stretch(phrase: Phrase) -> Stretch:
    """One phrase alone."""
    return Stretch(phrase.start, phrase.end, Clause("{name}", name=phrase.name))


def so_far(project: Project, phrase: Phrase) -> Stretch:
    """Everything from the first phrase up to and with this one. Raises ScoreError for a phrase of another project."""
    if phrase not in project.phrases:
        raise ScoreError("the phrase '{name}' is not in this project any more", name=phrase.name)
    first = project.phrases[0]
    label = (
        Clause("{name}", name=phrase.name) if first == phrase
        else Clause("{first} to {last}", first=first.name, last=phrase.name)
    )  # fmt: skip
    return Stretch(first.start, phrase.end, label)


def neighbour(project: Project, phrase_id: str, *, steps: int) -> Phrase:
    """The phrase some steps after (or before) one, stopping at the ends. Raises ScoreError without phrases."""
    if not project.phrases:
        raise ScoreError("there are no phrases yet; cut the solo into phrases first")
    ids = [p.id for p in project.phrases]
    at = ids.index(phrase_id) if phrase_id in ids else 0
    return project.phrases[max(0, min(len(ids) - 1, at + steps))]
