"""Versions of a phrase: put aside, shown, chosen for a print; cut and joined with their phrase."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.score import edits
from notcher.score.errors import ScoreError
from notcher.score.project import AS_PLAYED, Project
from notcher.score.versions import (
    AS_MEANT,
    add_version,
    all_versions,
    notes_of,
    phrase_of,
    remove_version,
    show_version,
    shown_as,
)
from tests.conftest import note, small_project


def with_easier(project: Project) -> Project:
    first = phrase_of(project, "p1")
    return add_version(project, "p1", "easier", [replace(n, vibrato=None) for n in notes_of(project, first)[:3]])


def test_a_version_takes_the_place_of_what_was_played(project: Project) -> None:
    easier = with_easier(project)
    assert [n.id for n in easier.notes] == ["n1", "n2", "n3", "n5", "n6", "n7", "n8"]
    phrase = phrase_of(easier, "p1")
    assert phrase.versions == (AS_PLAYED, "easier")
    assert phrase.showing == "easier"
    assert show_version(easier, "p1", AS_PLAYED).notes == project.notes


@given(st.lists(st.sampled_from([AS_PLAYED, "easier", "as meant"]), max_size=8))
def test_nothing_is_lost_by_showing_versions(names: list[str]) -> None:
    project = add_version(with_easier(small_project()), "p1", "as meant", [note(1, 1.0, 3, 9), note(50, 2.0, 3, 11)])
    kept = {
        name: notes_of(project, phrase_of(project, "p1"), version=name) for name in phrase_of(project, "p1").versions
    }
    for name in names:
        project = show_version(project, "p1", name)
    phrase = phrase_of(project, "p1")
    assert {name: notes_of(project, phrase, version=name) for name in phrase.versions} == kept


def test_a_correction_goes_to_the_version_that_is_shown(project: Project) -> None:
    corrected = edits.toggle_vibrato(with_easier(project), {"n1"})
    played = show_version(corrected, "p1", AS_PLAYED)
    assert played.notes == project.notes
    assert show_version(played, "p1", "easier").note("n1").vibrato is not None


def test_ids_stay_apart(project: Project) -> None:
    """A note of another phrase may have taken an id in the meantime."""
    easier = show_version(with_easier(project), "p1", AS_PLAYED)
    taken = easier.with_notes([*[n for n in easier.notes if n.id != "n2"], note(2, 6.5, 1, 3)])
    shown = show_version(taken, "p1", "easier")
    ids = [n.id for n in shown.notes]
    assert len(set(ids)) == len(ids)
    assert edits.new_note_id(shown) not in ids


def test_a_print_chooses_its_version(project: Project) -> None:
    both = show_version(with_easier(project), "p1", AS_PLAYED)
    assert all_versions(both) == (AS_PLAYED, "easier")
    assert len(shown_as(both, "easier").notes) == 7
    assert shown_as(both, "easier", phrases={"p2"}) == both
    assert shown_as(both, "nothing of that name") == both


def test_a_cut_phrase_keeps_its_versions_on_both_sides(project: Project) -> None:
    cut = edits.split_phrase(with_easier(project), at=1.8)
    first, second = cut.phrases[:2]
    assert (first.showing, second.showing) == ("easier", "easier")
    assert [len(v.notes) for p in (first, second) for v in p.aside] == [2, 2]
    joined = edits.join_phrase_with_next(cut, first.id)
    assert show_version(joined, first.id, AS_PLAYED).notes == project.notes


def test_a_cut_keeps_what_was_played_even_where_it_is_nothing(project: Project) -> None:
    """As meant there is a note more, after the last that was played: the part with that note alone can be shown as
    played, which is silent there, and made easier, which it need not be."""
    meant = add_version(project, "p1", AS_MEANT, [*notes_of(project, project.phrases[0]), note(90, 3.2, 3, 7)])
    cut = edits.split_phrase(meant, at=3.1)
    second = cut.phrases[1]
    assert AS_PLAYED in second.versions
    assert notes_of(cut, second, version=AS_PLAYED) == ()
    silent = show_version(cut, second.id, AS_PLAYED)
    assert silent.notes_between(second.start, second.end) == ()
    assert [n.id for n in show_version(silent, second.id, AS_MEANT).notes_between(3.1, 3.5)] == ["n90"]
    joined = edits.join_phrase_with_next(cut, "p1")
    assert joined.phrases[0].aside == meant.phrases[0].aside


def test_phrases_with_different_versions_are_not_joined(project: Project) -> None:
    with pytest.raises(ScoreError, match="different versions"):
        edits.join_phrase_with_next(with_easier(project), "p1")


def test_what_was_played_stays(project: Project) -> None:
    easier = with_easier(project)
    with pytest.raises(ScoreError, match="what was played stays"):
        remove_version(easier, "p1", AS_PLAYED)
    with pytest.raises(ScoreError, match="what was played stays"):
        add_version(project, "p1", AS_PLAYED, project.notes[:2])
    with pytest.raises(ScoreError, match="no note is left"):
        add_version(project, "p1", "easier", [])
    with pytest.raises(ScoreError, match="within the phrase"):
        add_version(project, "p1", "easier", project.notes)
    with pytest.raises(ScoreError, match="no version 'x'"):
        show_version(project, "p1", "x")
    assert remove_version(easier, "p1", "easier") == project


def test_a_retuned_guitar_moves_all_versions(project: Project) -> None:
    """What sounds stays, in the version that is shown and in those put aside."""
    from notcher.pipeline.retune import retuned
    from notcher.score.tuning import NAMED

    easier = with_easier(project)
    low = retuned(easier, NAMED["half-step-down"])
    played = show_version(low, "p1", AS_PLAYED)
    assert [n.pitch(played.tuning) for n in played.notes] == [n.pitch(project.tuning) for n in project.notes]
    assert [n.pitch(low.tuning) for n in low.notes] == [n.pitch(easier.tuning) for n in easier.notes]


def test_a_phrase_over_one_with_versions_is_refused(project: Project) -> None:
    with pytest.raises(ScoreError, match="'First' lies under it and has other versions"):
        edits.add_phrase(with_easier(project), start=0.5, end=3.6)
    assert len(edits.add_phrase(project, start=0.5, end=3.6).phrases) == 2
