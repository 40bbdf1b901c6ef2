"""What begins with which note: sections, and what is said of a note or of its phrase to whoever learns it."""

from collections.abc import Sequence

from notcher.score.note import Note
from notcher.score.project import Project, Section

# A section begins with a note that comes so little before it.
_EARLY_S = 0.05


def sections_of(project: Project, notes: Sequence[Note]) -> dict[Note, list[Section]]:
    """The sections that begin with notes that are printed: each with the first after its beginning, but none of a
    phrase that is left out."""
    out: dict[Note, list[Section]] = {}
    for section in project.sections:
        first = next((n for n in project.notes if n.onset >= section.start - _EARLY_S), None)
        shown = next((n for n in notes if n.onset >= section.start - _EARLY_S), None)
        if first is None or shown is None:
            continue
        phrase = project.phrase_at(first.onset)
        if first.id == shown.id or (phrase is not None and phrase == project.phrase_at(shown.onset)):
            out.setdefault(shown, []).append(section)
    return out


def advice_of(project: Project, notes: Sequence[Note]) -> list[tuple[Note, str]]:
    """The advice at notes, and that of a phrase and what to listen for in it at its first, in order."""
    out: list[tuple[Note, str]] = []
    opened: set[str] = set()
    for n in notes:
        out += [(n, n.advice)] if n.advice else []
        phrase = project.phrase_at(n.onset)
        if phrase is not None and phrase.id not in opened:
            opened.add(phrase.id)
            out += [(n, words) for words in (phrase.advice, phrase.listen_for) if words]
    return out
