"""Edits of what is kept for whoever learns the solo: the lesson, takes, advice, and what may be left out."""

from collections.abc import Set
from dataclasses import replace

from notcher.score.errors import ScoreError
from notcher.score.practice import MOST_TAKES, Lesson, TakeKept
from notcher.score.project import Project
from notcher.score.versions import phrase_of

LONGEST_ADVICE = 400


def set_lesson(project: Project, lesson: Lesson) -> Project:
    """Plan the lesson so."""
    return replace(project, lesson=lesson)


def keep_take(project: Project, take: TakeKept) -> Project:
    """Keep what came of a take; of very many the oldest go."""
    return replace(project, takes=(*project.takes, take)[-MOST_TAKES:])


def advise(project: Project, ids: Set[str], *, text: str) -> Project:
    """Write advice at notes, or take it away with ''. Raises ScoreError for one that is too long."""
    _check(text)
    notes = [replace(n, advice=text.strip()) if n.id in ids else n for n in project.notes]
    return project.with_notes(notes)


def set_phrase_words(
    project: Project, phrase_id: str, *, advice: str | None = None, listen_for: str | None = None,
    optional: bool | None = None,
) -> Project:  # fmt: skip
    """What is told of a phrase: advice, what to listen for, whether it may be left out; None leaves what is there.
    Raises ScoreError where there is no such phrase, and for words that are too many."""
    phrase = phrase_of(project, phrase_id)
    for text in (advice, listen_for):
        _check(text or "")
    changed = replace(
        phrase,
        advice=phrase.advice if advice is None else advice.strip(),
        listen_for=phrase.listen_for if listen_for is None else listen_for.strip(),
        optional=phrase.optional if optional is None else optional,
    )
    return replace(project, phrases=tuple(changed if p.id == phrase_id else p for p in project.phrases))


def _check(text: str) -> None:
    if len(text) > LONGEST_ADVICE:
        raise ScoreError("advice has up to {most} letters, got {n}", most=LONGEST_ADVICE, n=len(text))
