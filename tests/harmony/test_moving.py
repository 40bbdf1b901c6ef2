"""A phrase over another chord, in another key or along its scale; music21 transposes beside it."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.harmony.entry import bar_stretch, entered
from notcher.harmony.moving import moved
from notcher.harmony.roles import doings
from notcher.score.chords import set_key
from notcher.score.errors import ScoreError
from notcher.score.key import Key
from notcher.score.note import Attack, Bend, BendKind, Mark
from notcher.score.project import Contour, Project
from notcher.score.versions import add_version, notes_of, phrase_of
from notcher.wording.notes import standing
from tests.conftest import note, small_project


def lick() -> Project:
    """A minor: root, flat third, a bend from the fourth to the fifth, root, over Am and then D."""
    notes = (
        note(1, 0.0, 3, 2), note(2, 0.4, 2, 1), note(3, 0.8, 3, 7, bend=Bend(BendKind.BEND, 200)), note(4, 1.2, 3, 2),
        note(5, 1.5, 3, 5, attack=Attack.HAMMER),
    )  # fmt: skip
    made = set_key(small_project().with_notes(notes), Key.of(9, "minor"))
    for bar, chord in enumerate(("Am", "D", "D", "E7"), 1):
        made = entered(made, bar_stretch(made, bar), chord)
    return made


def pitches(project: Project, text: str) -> list[int]:
    return [n.pitch(project.tuning) for n in moved(project, project.notes, text).notes]


def test_half_steps_keep_the_shape() -> None:
    project = lick()
    for text, by in (("+2", 2), ("3 frets up", 3), ("1 half step down", -1)):
        found = moved(project, project.notes, text)
        assert [(n.string, n.fret) for n in found.notes] == [(n.string, n.fret + by) for n in project.notes]


def test_along_the_scale_as_music21_has_it() -> None:
    from music21 import pitch, scale

    project = lick()
    minor = scale.MinorScale("A")
    wanted = []
    for n in project.notes:
        up = minor.nextPitch(pitch.Pitch(midi=n.pitch(project.tuning)), stepSize=1)
        wanted.append(up.midi)
    assert pitches(project, "a step up") == wanted
    # The bend from D to E becomes one from E to F: a half step.
    assert moved(project, project.notes, "a step up").notes[2].bend == Bend(BendKind.BEND, 100)


def test_in_another_key_as_music21_transposes() -> None:
    from music21 import interval, pitch

    project = lick()
    own = [n.pitch(project.tuning) for n in project.notes]
    up = interval.Interval(pitch.Pitch("A3"), pitch.Pitch("C4"))
    assert pitches(project, "key Cm") == [up.transposePitch(pitch.Pitch(midi=p)).midi for p in own]
    # The parallel major: the flat third becomes the third, the rest stays.
    assert [b - a for a, b in zip(own, pitches(project, "key A major"), strict=True)] == [
        0, 0 if own[1] % 12 != 0 else 1, 0, 0, 1,
    ]  # fmt: skip


def test_over_another_chord_third_stays_third() -> None:
    project = lick()
    degrees = [d.degree for d in doings(project, project.notes)][:4]
    for text in ("next", "D", "F#m", "E7"):
        found = moved(project, project.notes[:4], text)
        over = text if text != "next" else "D"
        there = entered(project.with_notes(found.notes), bar_stretch(project, 1), over)
        there = entered(there, bar_stretch(there, 2), over)
        got = [d.degree.lstrip("b") for d in doings(there, there.notes)]
        assert got == [d.lstrip("b") for d in degrees], text
    assert moved(project, project.notes, "next").name == "over D"


def test_what_cannot_be_is_said_with_the_remedy() -> None:
    project = lick()
    for text, why in (
        ("", "say where to"), ("Am", "already"), ("key Am", "already"), ("+99", "1 to 24"), ("Qx", "says no place"),
        ("Amq", "no kind of chord"), ("key A foo", "no mode"), ("N.C.", "as it is"), ("-24", "leave the neck"),
    ):  # fmt: skip
        with pytest.raises(ScoreError, match=why):
            moved(project, project.notes, text)
    bare = small_project()
    for text, why in (("D", "no chord"), ("a step up", "no key"), ("next", "no other chord"), ("key D", "no key")):
        with pytest.raises(ScoreError, match=why):
            moved(bare, bare.notes, text)
    with pytest.raises(ScoreError, match="no note"):
        moved(project, (), "+1")


def test_it_becomes_a_version_beside_what_was_played() -> None:
    project = small_project()
    phrase = project.phrases[0]
    found = moved(project, notes_of(project, phrase), "+3")
    made = add_version(project, phrase.id, found.name, found.notes)
    assert phrase_of(made, phrase.id).versions == ("as played", "+3")
    assert all(n.evidence is None and not n.confirmed for n in notes_of(made, phrase_of(made, phrase.id)))


def test_a_natural_harmonic_is_moved_as_what_it_sounds() -> None:
    project = small_project().with_notes([note(1, 1.0, 6, 12, marks=frozenset({Mark.NATURAL_HARMONIC}))])
    found = moved(project, project.notes, "+2").notes[0]
    assert (found.marks, found.pitch(project.tuning)) == (frozenset(), 40 + 12 + 2)


@given(st.integers(-12, 12).filter(bool))
def test_there_and_back_is_where_it_was(by: int) -> None:
    project = lick().with_notes([note(k, 0.3 * k, 2, 12 + k) for k in range(5)])
    there = project.with_notes(moved(project, project.notes, f"{by:+d}").notes)
    back = moved(there, there.notes, f"{-by:+d}").notes
    assert [n.pitch(project.tuning) for n in back] == [n.pitch(project.tuning) for n in project.notes]


def test_of_what_was_moved_nothing_was_measured_and_nothing_is_learned() -> None:
    """The recording says nothing of a phrase that was moved: no curve, no note to judge others by."""
    import numpy as np

    from notcher.pipeline.transcribe import known_of
    from notcher.score.curve import Curve

    project = small_project()
    phrase = project.phrases[0]
    decicents = tuple(10 * 100 * 64 for _ in range(1000))
    heard = replace(project, contour=Contour(0.0, 0.005, decicents, (90,) * 1000))
    played = heard.with_notes([replace(n, confirmed=True) for n in heard.notes])
    found = moved(played, notes_of(played, phrase), "+3")
    made = add_version(played, phrase.id, found.name, [replace(n, confirmed=True) for n in found.notes])
    note_there, note_played = notes_of(made, phrase_of(made, phrase.id))[0], played.notes[0]
    assert np.isnan(Curve(made.contour).above(note_there, made)[1]).all()
    assert np.isfinite(Curve(played.contour).above(note_played, played)[1]).any()
    assert len(known_of(made)) == len(known_of(played)) - len(found.notes)
    assert standing(found.notes[0]) == "not confirmed yet"
