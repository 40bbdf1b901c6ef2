"""Phrases that come again: found, linked, told apart by what differs, corrected together."""

from dataclasses import replace

import pytest

from notcher.score import edits
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, Bend, BendKind, Mark, Note
from notcher.score.phrase_repeats import corrected, differences, find_repeats, link, unlink, without_lost_links
from notcher.score.project import Phrase, Project, Recording
from notcher.score.tempo import TempoMap
from notcher.score.versions import phrase_of
from tests.conftest import note

LICK = [(3, 7), (3, 9), (2, 7), (2, 10), (1, 7), (2, 10)]


def phrase_notes(first: int, at: float, *, frets: int = 0, bpm: float = 120) -> list[Note]:
    """The lick, an eighth a note."""
    step = 30 / bpm
    return [note(first + k, at + step * k, s, f + frets, length=step) for k, (s, f) in enumerate(LICK)]


def solo() -> Project:
    """The lick; the same; two frets up; with a changed and an added note; and something else."""
    changed = phrase_notes(30, 12.0)
    changed[3] = replace(changed[3], string=2, fret=8)
    changed[5] = replace(changed[5], bend=Bend(BendKind.BEND, 200))
    other = [note(50 + k, 16 + 0.25 * k, 4, 5 + k % 4) for k in range(6)]
    notes = (
        phrase_notes(1, 0.0) + phrase_notes(10, 4.0) + phrase_notes(20, 8.0, frets=2) + changed
        + [note(40, 13.5, 1, 12)] + other
    )  # fmt: skip
    phrases = tuple(Phrase(f"p{k}", f"{'ABCDE'[k - 1]}", 4.0 * (k - 1), 4.0 * k - 0.2) for k in range(1, 6))
    return Project(
        Recording("x.wav", "ab" * 32, 30.0, 44100, 2),
        phrases=phrases,
        tempo=TempoMap.steady(120, first_beat=0, count=60),
    ).with_notes(notes)


def linked() -> Project:
    project = solo()
    for a in find_repeats(project):
        project = link(project, a.phrase_id, a.of_id)
    return project


def test_repeats_are_found_as_they_are() -> None:
    project = solo()
    said = {a.phrase_id: str(a.clause(project)) for a in find_repeats(project)}
    assert said == {"p2": "as 'A'", "p3": "as 'A', 2 frets up", "p4": "as 'A', with 3 changes"}
    assert find_repeats(linked()) == []


def test_a_repeat_at_another_tempo_is_found_by_the_beat() -> None:
    """The same eighths a little faster: by seconds they would drift apart."""
    slow, fast = phrase_notes(1, 0.0, bpm=100), phrase_notes(10, 6.0, bpm=120)
    beats = tuple(0.6 * k for k in range(10)) + tuple(6.0 + 0.5 * k for k in range(20))
    project = Project(
        Recording("x.wav", "ab" * 32, 30.0, 44100, 2), tempo=TempoMap(beats),
        phrases=(Phrase("p1", "A", 0, 4), Phrase("p2", "B", 5.9, 9)),
    ).with_notes(slow + fast)  # fmt: skip
    assert [a.changes for a in find_repeats(project)] == [0]
    assert [a.changes for a in find_repeats(replace(project, tempo=None))] != [0]


def test_the_same_notes_elsewhere_on_the_neck() -> None:
    """A fourth apart strings: fret f on string 3 is fret f + 5 on string 4 (common practice, no source)."""
    there = [replace(n, string=4, fret=n.fret + 5) if n.string == 3 else n for n in phrase_notes(10, 4.0)]
    project = replace(solo(), phrases=solo().phrases[:2]).with_notes(phrase_notes(1, 0.0) + there)
    assert [str(a.clause(project)) for a in find_repeats(project)] == ["as 'A', in another place"]


def test_only_what_differs_is_told() -> None:
    project = linked()
    assert differences(project, phrase_of(project, "p3")).changes == ()
    found = differences(project, phrase_of(project, "p4"))
    assert tuple(str(c) for c in found.changes) == (
        "4th note: fret 8, 2nd string", "6th note: bend of a whole step", "fret 12, 1st string is added",
    )  # fmt: skip
    assert found.same == {"n30", "n31", "n32", "n34"}
    with pytest.raises(ScoreError, match="not linked"):
        differences(project, phrase_of(project, "p5"))


@pytest.mark.parametrize("source", ["n2", "n11"])
def test_a_correction_goes_to_all(source: str) -> None:
    """From the first or from a repeat: a vibrato, a fret, an attack, each moved as the phrase is moved."""
    before = linked()
    changed = before.with_notes([
        replace(n, fret=n.fret + 1, attack=Attack.HAMMER, marks=frozenset({Mark.STACCATO})) if n.id == source else n
        for n in before.notes
    ])  # fmt: skip
    after, names = corrected(before, changed)
    seconds = [after.note(i) for i in ("n2", "n11", "n21", "n31")]
    assert [(n.string, n.fret) for n in seconds] == [(3, 10), (3, 10), (3, 12), (3, 10)]
    assert all(n.attack is Attack.HAMMER and n.marks == {Mark.STACCATO} for n in seconds)
    assert set(names) == {"A", "B", "C", "D"} - {"A" if source == "n2" else "B"}


def test_what_was_different_stays_so() -> None:
    before = linked()
    after, _ = corrected(before, edits.set_bend(before, {"n6"}, kind=BendKind.BEND_RELEASE, target_cents=100))
    bends = [after.note(i).bend for i in ("n6", "n15", "n25", "n35")]
    assert [(b.kind, b.target_cents) for b in bends if b] == [(BendKind.BEND_RELEASE, 100)] * 3 + [(BendKind.BEND, 200)]


def test_notes_deleted_and_added_go_and_come_everywhere() -> None:
    before = linked()
    less, names = corrected(before, edits.delete_notes(before, {"n1"}))
    assert {n.id for n in before.notes} - {n.id for n in less.notes} == {"n1", "n10", "n20", "n30"}
    assert names == ("B", "C", "D")
    more, _ = corrected(before, edits.add_note(before, onset=1.75, end=2.0, string=1, fret=9))
    added = [n for n in more.notes if n.id not in {m.id for m in before.notes}]
    assert [(round(n.onset, 2), n.string, n.fret) for n in added] == [
        (1.75, 1, 9),
        (5.75, 1, 9),
        (9.75, 1, 11),
        (13.75, 1, 9),
    ]


def test_an_edit_of_all_at_once_goes_nowhere_else() -> None:
    before = linked()
    changed = edits.toggle_vibrato(before, {"n1", "n11"})
    assert corrected(before, changed) == (changed, ())


def test_links_are_let_go() -> None:
    project = linked()
    assert phrase_of(unlink(project, "p2"), "p2").like == ""
    gone = without_lost_links(replace(project, phrases=project.phrases[1:]))
    assert not any(p.like for p in gone.phrases)
    with pytest.raises(ScoreError, match="cannot repeat itself"):
        link(project, "p1", "p2")
    again = link(solo(), "p3", "p2")
    assert phrase_of(link(again, "p2", "p1"), "p3").like == "p1"
