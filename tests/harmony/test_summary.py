"""A phrase summed up: what is claimed holds, and nothing is claimed where nothing does."""

import pytest

from notcher.harmony.entry import bar_stretch, entered
from notcher.harmony.roles import sounding
from notcher.harmony.scales import COVERS
from notcher.harmony.summary import summed_up
from notcher.score.chords import chord_at, set_key
from notcher.score.key import Key
from notcher.score.note import Bend, BendKind
from notcher.score.project import Project
from notcher.wording.summary import summary_words
from tests.conftest import note, small_project


def line(*frets: tuple[int, int], **more: object) -> Project:
    """Notes half a second apart, (string, fret), in A minor over Am and D."""
    notes = [note(k, 0.5 * k, s, f, length=0.45) for k, (s, f) in enumerate(frets, 1)]
    made = set_key(small_project().with_notes(notes), Key.of(9, "minor"))
    for bar, chord in enumerate(("Am", "D"), 1):
        made = entered(made, bar_stretch(made, bar), chord)
    return made


def test_the_first_box_at_the_fifth_fret() -> None:
    """Common practice, no source: A minor pentatonic, first box, its root on string 4 at fret 7 and string 1 at 5."""
    project = line((4, 7), (3, 5), (3, 7), (2, 5), (2, 8), (1, 5))
    found = summed_up(project, project.notes)
    assert found.scale is not None
    assert found.scale.name == "minor pentatonic"
    assert (str(found.tonic), found.root, found.outside) == ("A", (4, 7), ())
    said = summary_words(project, project.notes)
    assert said.startswith("A minor pentatonic, its root under the hand on the 4th string at fret 7.")
    # The fourth note comes with D: string 2 at fret 5 is E, its ninth.
    assert [(str(x.chord), str(x.tone), x.degree) for x in found.landings] == [("D", "E", "9")]


def test_a_chord_that_is_outlined_is_said_instead() -> None:
    project = line((4, 7), (3, 5), (2, 5))
    assert str(summed_up(project, project.notes).outlines) == "Am"
    assert summary_words(project, project.notes).startswith("Outlines Am.")


def test_bends_aim_at_what_they_reach() -> None:
    project = line((3, 7), (3, 5))
    bent = project.with_notes([
        *project.notes[1:], note(1, 0.5, 3, 7, bend=Bend(BendKind.BEND, 200, ((0.0, 0.0), (0.1, 200.0))))
    ])  # fmt: skip
    assert sounding(bent.notes[0], bent) % 12 == 4
    assert [(d, str(c)) for d, c in summed_up(bent, bent.notes).aims] == [("5", "Am")]


def test_nothing_is_said_where_nothing_is_known() -> None:
    assert summary_words(small_project(), small_project().notes) == ""
    assert summary_words(small_project(), ()) == ""


@pytest.mark.parametrize("number", range(10))
def test_what_is_claimed_of_the_demo_holds(demo: Project, number: int) -> None:
    phrase = demo.phrases[number]
    notes = demo.notes_between(phrase.start, phrase.end)
    found = summed_up(demo, notes)
    if found.scale is not None and found.tonic is not None:
        inside = [n for n in notes if found.scale.holds(sounding(n, demo), found.tonic)]
        assert sum(n.duration for n in inside) >= COVERS * sum(n.duration for n in notes) or found.outside
    if found.outlines is not None:
        assert {chord_at(demo, n.onset).chord for n in notes} == {found.outlines}  # type: ignore[union-attr]
    if found.root is not None and found.tonic is not None:
        assert demo.tuning.pitch(*found.root) % 12 == found.tonic.pitch_class


def test_symmetrical_scales_are_said_whatever_the_key() -> None:
    """Any theory textbook: the whole-tone scale has six tones a whole step apart, the diminished one eight, by turns a
    half and a whole step apart."""
    whole_tone = line((4, 6), (4, 8), (4, 10), (3, 7), (3, 9), (3, 11))
    assert summary_words(whole_tone, whole_tone.notes).startswith("Whole-tone scale: the same every two frets.")
    diminished = line((4, 5), (4, 6), (4, 8), (4, 9), (3, 6), (3, 7), (3, 9), (3, 10))
    assert summary_words(diminished, diminished.notes).startswith("Diminished scale: the same every three frets.")
    few = line((4, 6), (4, 8), (4, 10), (3, 7))
    assert summed_up(few, few.notes).repeats is None
