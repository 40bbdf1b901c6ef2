"""Many notes at once, described in words and changed together."""

import pytest

from notcher.formats.describe import read_description
from notcher.formats.line import LineError
from notcher.score.errors import ScoreError
from notcher.score.find import Description, Standing, change_all, find
from notcher.score.note import Attack, BendKind, Mark
from notcher.score.project import Project


@pytest.mark.parametrize(
    ("text", "ids"),
    [
        ("fret 11", {"n2", "n3"}),
        ("G9", {"n1", "n4"}),
        ("9 on the G", {"n1", "n4"}),
        ("pulls", {"n4"}),
        ("hammer on the G", {"n2"}),
        ("on the B", {"n5", "n6"}),
        ("string 1", {"n7"}),
        ("bent", {"n3", "n5"}),
        ("bend whole", {"n3"}),
        ("pre-bend release", {"n5"}),
        ("vibrato", {"n3"}),
        ("no vibrato, fret 11", {"n2"}),
        ("no bend on the G", {"n1", "n2", "n4"}),
        ("harmonics", {"n8"}),
        ("confirmed", {"n7"}),
        ("doubtful", {"n8"}),
        ("low E", {"n8"}),
        ("curls on fret 7", set()),
    ],
)
def test_notes_are_found_by_what_they_are(project: Project, text: str, ids: set[str]) -> None:
    assert find(project, read_description(text)) == ids


def test_only_between_two_times(project: Project) -> None:
    assert find(project, Description(), start=1.4, end=2.6) == {"n2", "n3", "n4"}


def test_all_are_changed_and_nothing_else_of_them(project: Project) -> None:
    ids = find(project, read_description("bent"))
    after = change_all(project, ids, read_description("bend half"))
    assert [(b.kind, b.target_cents) for n in after.notes if (b := n.bend)] == [(BendKind.BEND, 100)] * 2
    assert after.note("n3").bend.points == project.note("n3").bend.points  # type: ignore[union-attr]
    assert after.note("n3").vibrato == project.note("n3").vibrato
    only_wider = change_all(project, ids, read_description("one and a half"))
    assert only_wider.note("n5").bend.kind is BendKind.PRE_BEND_RELEASE  # type: ignore[union-attr]
    plain = change_all(project, ids, read_description("no bend no vibrato staccato pull"))
    assert {(n.bend, n.vibrato, n.attack, n.marks) for n in plain.notes if n.id in ids} == {
        (None, None, Attack.PULL, frozenset({Mark.STACCATO})),
    }  # fmt: skip
    moved = change_all(project, frozenset({"n1"}), read_description("fret 8")).note("n1")
    assert (moved.fret, moved.held) == (8, True)
    assert change_all(project, frozenset({"n1"}), read_description("curl")).note("n1").bend.target_cents == 50  # type: ignore[union-attr]


def test_a_mark_is_taken_away(project: Project) -> None:
    assert change_all(project, frozenset({"n8"}), read_description("no harmonic")).note("n8").marks == frozenset()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("crul", "did you mean 'curl'"),
        ("no hammer", "without a bend, vibrato or mark"),
        ("no", "not a word"),
        ("fret 30", "frets go from 0"),
        ("string 9", "strings go from 1"),
        ("release", "say 'bend' first"),
        ("no 7", "not a word"),
    ],
)
def test_what_is_no_description(text: str, said: str) -> None:
    with pytest.raises(LineError, match=said):
        read_description(text)


def test_a_change_must_say_something(project: Project) -> None:
    with pytest.raises(ScoreError, match="what they are to become"):
        change_all(project, frozenset({"n1"}), Description())
    with pytest.raises(ScoreError, match="what they are to become"):
        change_all(project, frozenset({"n1"}), Description(standing=Standing.CONFIRMED))
    with pytest.raises(ScoreError, match="no note is like that"):
        change_all(project, frozenset(), Description(fret=3))
