"""Sections of a recording: named places, each lasting until the next, some repeating another. Functions return a new
project."""

from dataclasses import replace

from notcher.score.errors import ScoreError
from notcher.score.project import Project, Section

_CLOSEST_S = 0.2


def ordered(sections: "tuple[Section, ...] | list[Section]") -> tuple[Section, ...]:
    """In time order."""
    return tuple(sorted(sections, key=lambda s: s.start))


def free_name(project: Project) -> str:
    """The next letter no section has: A, B ... Z, AA ... Raises ScoreError where none is left."""
    taken = {s.name for s in project.sections}
    for k in range(702):
        name = ("" if k < 26 else chr(ord("A") + k // 26 - 1)) + chr(ord("A") + k % 26)
        if name not in taken:
            return name
    raise ScoreError("there is no letter left for another section; name one yourself")


def section_end(project: Project, section: Section) -> float:
    """Seconds at which a section ends: where the next begins, or with the recording."""
    later = [s.start for s in project.sections if s.start > section.start]
    return min(later, default=project.recording.duration)


def add_section(project: Project, *, start: float, name: str = "") -> Project:
    """Begin a section at a time. Raises ScoreError where one begins already, or for a name that is taken."""
    if any(abs(s.start - start) < _CLOSEST_S for s in project.sections):
        raise ScoreError("a section begins at {start:.1f} s already; move that one", start=start)
    wanted = name.strip() or free_name(project)
    if any(s.name == wanted for s in project.sections):
        raise ScoreError("there is a section '{wanted}' already; give it another name", wanted=wanted)
    return replace(project, sections=ordered([*project.sections, Section(wanted, round(start, 3))]))


def move_section(project: Project, name: str, *, start: float) -> Project:
    """Move where a section begins; it stays between its neighbours."""
    at = _index(project, name)
    sections = project.sections
    low = sections[at - 1].start + _CLOSEST_S if at else 0.0
    high = sections[at + 1].start - _CLOSEST_S if at + 1 < len(sections) else project.recording.duration
    moved = replace(sections[at], start=round(min(max(start, low), max(low, high)), 3))
    return replace(project, sections=(*sections[:at], moved, *sections[at + 1 :]))


def rename_section(project: Project, name: str, *, to: str) -> Project:
    """Give a section another name; what repeats it follows. Raises ScoreError for a name that another has."""
    wanted = to.strip()
    at = _index(project, name)
    if any(s.name == wanted for k, s in enumerate(project.sections) if k != at):
        raise ScoreError("there is a section '{wanted}' already; give it another name", wanted=wanted)
    changed = [
        replace(s, name=wanted if k == at else s.name, like=wanted if s.like == name else s.like)
        for k, s in enumerate(project.sections)
    ]
    return replace(project, sections=tuple(changed))


def refer_section(project: Project, name: str, *, like: str, less_bars: int = 0) -> Project:
    """Say that a section repeats another, whole or without its last bars; '' for like takes that back.

    Raises ScoreError for a section that would repeat itself, in one step or round about.
    """
    at = _index(project, name)
    if like:
        by_name = {s.name: s for s in project.sections}
        seen, k = {name}, like
        while k:
            if k in seen:
                raise ScoreError("section '{name}' cannot repeat itself; choose another", name=name)
            if k not in by_name:
                raise ScoreError("there is no section '{k}'", k=k)
            seen.add(k)
            k = by_name[k].like
    changed = replace(project.sections[at], like=like, less_bars=less_bars if like else 0)
    return replace(project, sections=(*project.sections[:at], changed, *project.sections[at + 1 :]))


def delete_section(project: Project, name: str) -> Project:
    """Take a section out; what repeated it then stands for itself."""
    at = _index(project, name)
    rest = [s for k, s in enumerate(project.sections) if k != at]
    return replace(project, sections=tuple(replace(s, like="", less_bars=0) if s.like == name else s for s in rest))


def _index(project: Project, name: str) -> int:
    for k, s in enumerate(project.sections):
        if s.name == name:
            return k
    raise ScoreError("there is no section '{name}'", name=name)
