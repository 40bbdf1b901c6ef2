"""What begins with which note: sections, and what is said of a note or of its phrase to whoever learns it."""

from collections.abc import Sequence
from dataclasses import dataclass

from notcher.score.note import Note
from notcher.score.project import Project, Section

ADVISED = "!"
"""Stands at notes and phrases of which the person tells something, and begins lines that say it."""
EARLY_S = 0.05
"""A section begins with what comes so little before it."""


@dataclass(frozen=True, slots=True)
class Advice:
    """Words for whoever learns it: the note they stand at, and the id of what they are about, that note or its phrase;
    listen: whether they say what to listen for."""

    note: Note
    words: str
    about: str
    listen: bool = False


def sections_of(project: Project, notes: Sequence[Note]) -> dict[Note, list[Section]]:
    """The sections that begin with notes that are printed: each with the first after its beginning, but none of a
    phrase that is left out."""
    out: dict[Note, list[Section]] = {}
    for section in project.sections:
        first = next((n for n in project.notes if n.onset >= section.start - EARLY_S), None)
        shown = next((n for n in notes if n.onset >= section.start - EARLY_S), None)
        if first is None or shown is None:
            continue
        phrase = project.phrase_at(first.onset)
        if first.id == shown.id or (phrase is not None and phrase == project.phrase_at(shown.onset)):
            out.setdefault(shown, []).append(section)
    return out


def advice_of(project: Project, notes: Sequence[Note]) -> list[Advice]:
    """The advice at notes, and that of a phrase and what to listen for in it at its first, in order."""
    out: list[Advice] = []
    opened: set[str] = set()
    for n in notes:
        out.append(Advice(n, n.advice, n.id))
        phrase = project.phrase_at(n.onset)
        if phrase is not None and phrase.id not in opened:
            opened.add(phrase.id)
            out.append(Advice(n, phrase.advice, phrase.id))
            out.append(Advice(n, phrase.listen_for, phrase.id, listen=True))
    return [a for a in out if a.words]
