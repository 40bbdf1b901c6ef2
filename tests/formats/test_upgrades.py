"""A document of each older version opens, with what it had and what was added since as it is at first."""

import copy
import json
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import pytest

from notcher.formats import project_file
from notcher.formats.schema import VERSION
from notcher.formats.upgrades import upgraded
from notcher.score.practice import Lesson, TakeKept
from notcher.score.project import AS_PLAYED, Project, State, Version
from tests.conftest import note

# What each version added, by where it stands.
ADDED: dict[int, dict[str, tuple[str, ...]]] = {
    4: {"document": ("states",), "phrase": ("showing", "like", "aside"),
        "note": ("finger", "partial", "written_at", "written_length")},
    5: {"tuning": ("frets",), "note": ("sounding", "raked_from")},
    6: {"document": ("playing",)},
    7: {"document": ("gaps",), "note": ("sure",)},
    8: {"document": ("chords", "keys")},
    9: {"document": ("feel",)},
    10: {"document": ("lesson", "takes"), "phrase": ("advice", "listen_for", "optional"), "note": ("advice",)},
    11: {"state": ("learner",)},
    12: {"tempo": ("unit",)},
    13: {"lesson": ("clean_ms", "clean_cents"), "take": ("wrong", "late", "clean")},
    14: {"note": ("maybe",)},
    15: {"document": ("plays",)},
}  # fmt: skip


@pytest.fixture
def rich(project: Project) -> Project:
    """With a version put aside, a state that has one too, and a take."""
    aside = Version("easier", (note(91, 1.0, 3, 7, finger=2),))
    phrases = (replace(project.phrases[0], aside=(aside,), advice="slowly", optional=True), project.phrases[1])
    state = State("first", "2026-05-01", replace(project.tuning, frets=22), project.notes, phrases, "Wenna")
    take = TakeKept("2026-05-02T10:00", "p1", 80.0, 4, ("n2",), 0, 20.0, (("n3", -30.0),), "", (("n2", 65),), (), True)
    return replace(
        project, phrases=phrases, states=(state,), takes=(take,), lesson=Lesson(("all of it",), 45, 90, 40),
        feel="shuffle",
    )  # fmt: skip


def places(d: dict[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
    """Every value of a document with what kind it is."""
    yield "document", d
    yield from (("tempo", d["tempo"]), *((kind, d[kind]) for kind in ("lesson",) if kind in d))
    yield from (("take", t) for t in d.get("takes", ()))
    for holder in (d, *d.get("states", ())):
        yield "tuning", holder["tuning"]
        for phrase in holder["phrases"]:
            yield "phrase", phrase
            yield from (("note", n) for v in phrase.get("aside", ()) for n in v["notes"])
        yield from (("note", n) for n in holder["notes"])
    yield from (("state", s) for s in d.get("states", ()))


def as_of(project: Project, version: int) -> dict[str, Any]:
    """The document as that version wrote it."""
    d: dict[str, Any] = json.loads(project_file.dumps(project)) | {"version": version}
    gone = [(kind, name) for since, kinds in ADDED.items() if since > version for kind, names in kinds.items()
            for name in names]  # fmt: skip
    for kind, value in list(places(d)):
        for of, name in gone:
            if of == kind:
                value.pop(name, None)
    return d


@pytest.mark.parametrize("version", range(3, VERSION))
def test_a_document_of_an_older_version_opens(rich: Project, version: int) -> None:
    old = as_of(rich, version)
    before = copy.deepcopy(old)
    again = project_file.loads(json.dumps(old), name="old.notcher")
    assert old == before, "what is read stays as it is"
    assert [(n.id, n.onset, n.string, n.fret, n.bend, n.marks) for n in again.notes] == [
        (n.id, n.onset, n.string, n.fret, n.bend, n.marks) for n in rich.notes
    ]
    assert [p.name for p in again.phrases] == [p.name for p in rich.phrases]
    assert again.tempo == rich.tempo
    # What it had already stays, what it had not is as at first.
    assert (again.feel, again.lesson.minutes) == (("shuffle" if version >= 9 else ""), 45 if version >= 10 else 30)
    assert [s.learner for s in again.states] == ([] if version < 4 else ["Wenna" if version >= 11 else ""])
    assert again.phrases[0].showing == AS_PLAYED
    assert bool(again.phrases[0].aside) is (version >= 4)
    assert again.phrases[0].advice == ("slowly" if version >= 10 else "")
    if version >= 4:
        assert again.states[0].tuning.frets == (22 if version >= 5 else 24)
        assert again.states[0].phrases[0].aside[0].notes[0].finger == 2
    # Up to version 12 a take was judged by the median: 20 ms late, but with a bend that misses by 30 cents and a note
    # missing.
    assert [t.clean for t in again.takes] == ([] if version < 10 else [version >= 13])


def test_todays_and_newer_ones_and_what_is_none_come_back_as_they_are() -> None:
    for document in ({"version": VERSION, "notes": 3}, {"version": VERSION + 1}, {"version": "x"}, {"version": 0}, {}):
        assert upgraded(document, VERSION) is document
