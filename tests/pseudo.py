"""Words that did not go through the catalogues, seen while the language of tests is spoken (wording/pseudo.py)."""

import re
from collections.abc import Iterable

from notcher.score.project import Project

_WORD = re.compile("[A-Za-z]{2,}")
_MARKUP = re.compile(r"<[^<>]*>|&\w+;")


def names_of(project: Project) -> list[str]:
    """What people and files are called, longest first: it stays as it is."""
    r = project.request
    found = {r.title, r.performer, r.asked_by, r.school, r.rights, r.version, project.recording.path}
    found |= {p.name for p in project.phrases} | {s.name for s in project.sections} | {s.name for s in project.states}
    found |= {n.doubt for n in project.notes if n.doubt}
    return sorted((name for name in found if name), key=len, reverse=True)


def untranslated(text: str, names: Iterable[str] = ()) -> bool:
    """Whether a text holds a word in plain letters that is no name."""
    plain = _MARKUP.sub("", text)
    for name in names:
        plain = plain.replace(name, "")
    return _WORD.search(plain) is not None
