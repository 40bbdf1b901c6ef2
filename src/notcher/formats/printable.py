"""Words of a project as any file can carry them: without control letters, halves of letters and what is no letter.

XML 1.0 (fifth edition, production 2, Char) has no place for them, and neither have PDF strings in UTF-16.
"""

import re
from dataclasses import replace

from notcher.score.note import Note
from notcher.score.project import Phrase, Project, Request

_NO_LETTERS = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff\ufdd0-\ufdef\ufffe\uffff]+")


def printable(text: str) -> str:
    """The text in one line, with a blank in the place of what is no letter."""
    return _NO_LETTERS.sub(" ", text).replace("\n", " ").replace("\t", " ").strip()


def with_printable_words(project: Project) -> Project:
    """The project with all that people wrote in it made printable; everything else as it is."""
    r = project.request
    request = Request(
        printable(r.title), printable(r.performer), printable(r.asked_by), printable(r.school), printable(r.rights),
        printable(r.version), r.due,
    )  # fmt: skip
    return replace(
        project,
        request=request,
        tuning=replace(project.tuning, name=printable(project.tuning.name)),
        notes=tuple(_note(n) for n in project.notes),
        phrases=tuple(_phrase(p) for p in project.phrases),
        sections=tuple(
            replace(s, name=printable(s.name) or "?", like=printable(s.like)) for s in project.sections
        ),
    )  # fmt: skip


def _note(note: Note) -> Note:
    if note.doubt is None and not note.advice:
        return note
    doubt = note.doubt if note.doubt is None else printable(note.doubt) or "?"
    return replace(note, doubt=doubt, advice=printable(note.advice))


def _phrase(phrase: Phrase) -> Phrase:
    showing = printable(phrase.showing) or "?"
    aside = tuple(v for v in phrase.aside if v.name != showing)
    return replace(
        phrase, name=printable(phrase.name) or "?", showing=showing, aside=aside, advice=printable(phrase.advice),
        listen_for=printable(phrase.listen_for),
    )  # fmt: skip
