"""Other ways of playing a phrase, beside what was played: put aside, shown in its place, chosen for a print."""

from collections.abc import Collection, Sequence
from dataclasses import replace

from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.project import AS_PLAYED, Phrase, Project, Version

EASIER, ELSEWHERE, AS_MEANT = "easier", "another place", "as meant"
OURS = frozenset({AS_PLAYED, AS_MEANT, EASIER, ELSEWHERE})
"""The versions that Notcher names itself."""


def of_the_recording(project: Project, time: float) -> bool:
    """Whether what is written at a time in seconds is about what sounds there: not so in a phrase that shows a version
    which was moved elsewhere or copied from another project."""
    return not any(p.showing not in OURS and p.holds(time) for p in project.phrases)


def phrase_of(project: Project, phrase_id: str) -> Phrase:
    """The phrase of that id. Raises ScoreError where there is none."""
    for phrase in project.phrases:
        if phrase.id == phrase_id:
            return phrase
    raise ScoreError("there is no such phrase; cut the solo into phrases first")


def notes_of(project: Project, phrase: Phrase, *, version: str = "") -> tuple[Note, ...]:
    """The notes of a phrase as it is shown, or of one of its versions. Raises ScoreError where there is none."""
    if version in ("", phrase.showing):
        return project.notes_between(phrase.start, phrase.end)
    for aside in phrase.aside:
        if aside.name == version:
            return aside.notes
    raise ScoreError(
        "phrase '{name}' has no version '{version}'; it has {names}",
        name=phrase.name,
        version=version,
        names=", ".join(phrase.versions),
    )


def add_version(project: Project, phrase_id: str, name: str, notes: Sequence[Note]) -> Project:
    """Give a phrase a version, and show it. One of that name is replaced. Raises ScoreError for a version without
    notes, with notes outside the phrase, or in the place of what was played."""
    phrase = phrase_of(project, phrase_id)
    if name == AS_PLAYED:
        raise ScoreError("what was played stays; choose another name than '{as_played}'", as_played=AS_PLAYED)
    if not notes:
        raise ScoreError("no note is left of '{name}' in this version; the phrase stays as it is", name=phrase.name)
    if any(not phrase.start <= n.onset < phrase.end for n in notes):
        raise ScoreError(
            "all notes of a version lie within the phrase, from {start:.2f} to {end:.2f} s",
            start=phrase.start,
            end=phrase.end,
        )
    if phrase.showing == name:
        project = show_version(project, phrase_id, AS_PLAYED)
        phrase = phrase_of(project, phrase_id)
    aside = (*(v for v in phrase.aside if v.name != name), Version(name, tuple(notes)))
    return show_version(_with_phrase(project, replace(phrase, aside=aside)), phrase_id, name)


def show_version(project: Project, phrase_id: str, name: str) -> Project:
    """Show a version in the place of the one shown, which is put aside. Raises ScoreError where there is none."""
    phrase = phrase_of(project, phrase_id)
    if name == phrase.showing:
        return project
    coming = notes_of(project, phrase, version=name)
    going = notes_of(project, phrase)
    others = [n for n in project.notes if not phrase.start <= n.onset < phrase.end]
    aside = (*(v for v in phrase.aside if v.name != name), Version(phrase.showing, going))
    shown = _with_phrase(project, replace(phrase, showing=name, aside=aside))
    return shown.with_notes([*others, *_own_ids(coming, {n.id for n in others})])


def remove_version(project: Project, phrase_id: str, name: str) -> Project:
    """Let a version go; what was played is shown where it was this one. Raises ScoreError for what was played."""
    if name == AS_PLAYED:
        raise ScoreError("what was played stays; show another version to remove that one")
    if phrase_of(project, phrase_id).showing == name:
        project = show_version(project, phrase_id, AS_PLAYED)
    phrase = phrase_of(project, phrase_id)
    notes_of(project, phrase, version=name)
    return _with_phrase(project, replace(phrase, aside=tuple(v for v in phrase.aside if v.name != name)))


def shown_as(project: Project, name: str, *, phrases: Collection[str] | None = None) -> Project:
    """The project with a version shown wherever a phrase has it, as for a print; phrases: ids, None for all."""
    for phrase in project.phrases:
        if name in phrase.versions and (phrases is None or phrase.id in phrases):
            project = show_version(project, phrase.id, name)
    return project


def all_versions(project: Project) -> tuple[str, ...]:
    """The names of versions that any phrase has, as played first."""
    names = dict.fromkeys(name for p in project.phrases for name in p.versions)
    return tuple(sorted(names, key=lambda n: n != AS_PLAYED))


def cut_asides(phrase: Phrase, start: float, end: float) -> Phrase:
    """A phrase with other bounds, and of each of its versions the notes that lie in them."""
    aside = tuple(
        # What was played stays to be shown again, even where it is nothing.
        Version(v.name, inside)
        for v in phrase.aside
        if (inside := tuple(n for n in v.notes if start <= n.onset < end)) or v.name == AS_PLAYED
    )
    return replace(phrase, start=start, end=end, aside=aside)


def joined_asides(first: Phrase, second: Phrase) -> tuple[Version, ...]:
    """The versions of two phrases that become one. Raises ScoreError where they show different ones, or where one has a
    version the other lacks."""
    if first.showing != second.showing or set(first.versions) != set(second.versions):
        raise ScoreError(
            "'{name}' and '{name2}' have different versions; show the same in both, and remove those that "
            "only one has, before joining them",
            name=first.name,
            name2=second.name,
        )
    theirs = {v.name: v.notes for v in second.aside}
    return tuple(Version(v.name, v.notes + theirs[v.name]) for v in first.aside)


def _own_ids(notes: Sequence[Note], taken: set[str]) -> list[Note]:
    """Notes with ids that no other note of the project has."""
    taken = set(taken)
    out: list[Note] = []
    for n in notes:
        number = 1
        name = n.id
        while name in taken:
            number += 1
            name = f"{n.id}.{number}"
        taken.add(name)
        out.append(replace(n, id=name) if name != n.id else n)
    return out


def _with_phrase(project: Project, phrase: Phrase) -> Project:
    return replace(project, phrases=tuple(phrase if p.id == phrase.id else p for p in project.phrases))


def shown_named(project: Project, name: str | None) -> Project:
    """The project in a version, where phrases have it; None: as it is. Raises ScoreError where none has it."""
    if name is None:
        return project
    known = all_versions(project)
    if name not in known:
        if not known:
            raise ScoreError("no phrase has a version '{name}'; there are no phrases yet", name=name)
        raise ScoreError("no phrase has a version '{name}'; there are: {known}", name=name, known=", ".join(known))
    return shown_as(project, name)
