"""Versions by key in the Notch room, by choice in the Teach and Hand out rooms."""

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import HAND_OUT, TEACH
from notcher.score.note import Mark
from notcher.score.project import AS_PLAYED
from notcher.score.versions import phrase_of
from tests.app.conftest import Driver

ALT = Qt.KeyboardModifier.AltModifier
Key = Qt.Key


def test_an_easier_version_is_proposed_and_turned(opened: Driver) -> None:
    before = opened.project
    opened.select("n3")
    opened.key((Key.Key_E, ALT))
    assert phrase_of(opened.project, "p1").showing == "easier"
    assert "colour left out" in opened.message
    assert opened.project.note("n3").vibrato is None
    opened.key((Key.Key_V, ALT))
    assert opened.project.notes == before.notes
    assert "shown as played" in opened.message
    opened.desk.session.undo()
    assert phrase_of(opened.project, "p1").showing == "easier"
    opened.window._run("version.remove")
    assert opened.project == before


def test_another_place_and_what_was_meant(opened: Driver) -> None:
    opened.select("n1")
    opened.key((Key.Key_P, ALT))
    assert phrase_of(opened.project, "p1").showing == "another place"
    assert "another place, frets" in opened.message
    opened.key((Key.Key_M, ALT))
    assert phrase_of(opened.project, "p1").versions == (AS_PLAYED, "another place", "as meant")
    opened.select("n1")
    opened.key((Key.Key_V, ALT), (Key.Key_V, ALT))
    assert phrase_of(opened.project, "p1").showing == "another place"


def test_a_phrase_without_versions_says_so(opened: Driver) -> None:
    opened.select("n1")
    opened.key((Key.Key_V, ALT))
    assert "no other version yet" in opened.message


def test_the_lesson_chooses_per_phrase(opened: Driver) -> None:
    opened.select("n3")
    opened.key((Key.Key_E, ALT))
    opened.desk.show_room(TEACH)
    choice = opened.teach.version
    assert choice.isVisible()
    assert choice.currentText() == "easier"
    choice.setCurrentIndex(0)
    choice.activated.emit(0)
    assert phrase_of(opened.project, "p1").showing == AS_PLAYED
    opened.desk.step_phrase(1)
    assert not choice.isVisible()


def test_a_print_chooses_for_all(opened: Driver, tmp_path: Path) -> None:
    opened.select("n3")
    opened.key((Key.Key_E, ALT), (Key.Key_V, ALT))
    handout = opened.handout
    opened.desk.show_room(HAND_OUT)
    assert handout.version.isVisible()
    handout.version.setCurrentIndex(handout.version.findData("easier"))
    handout.version.activated.emit(0)
    opened.window.tasks.ask.save_file = lambda *_: tmp_path / "easy.txt"
    opened.bot.mouseClick(handout.buttons["text"], Qt.MouseButton.LeftButton)
    opened.settle()
    text = (tmp_path / "easy.txt").read_text()
    assert "First · easier" in text
    assert "11b13~" not in text
    assert phrase_of(opened.project, "p1").showing == AS_PLAYED


def test_repeats_are_offered_linked_and_corrected(opened: Driver) -> None:
    from tests.score.test_phrase_repeats import solo

    opened.desk.session.edit("Another solo", lambda p: solo())
    opened.key((Key.Key_R, ALT))
    opened.settle()
    assert "'C' is as 'A', 2 frets up" in opened.message
    assert opened.window.messages.choices == ("Link them", "Only those without a change", "Leave them")
    opened.window.messages.choose("Link them")
    assert [p.like for p in opened.project.phrases] == ["", "p1", "p1", "p1", ""]
    opened.select("n2")
    opened.key("v")
    assert all(opened.project.note(i).vibrato for i in ("n2", "n11", "n21", "n31"))
    assert "Corrected in 'B', 'C', 'D' too, which are linked" in opened.message
    strand = opened.notch.strand
    assert "n11" in strand.repeats.same
    assert "n33" not in strand.repeats.same
    assert strand.repeats.words["p4"] == "as 'A', but 3 changes"
    opened.desk.session.undo()
    assert not any(opened.project.note(i).vibrato for i in ("n2", "n11", "n21", "n31"))
    opened.select("n20")
    opened.window._run("version.let-go")
    assert [p.like for p in opened.project.phrases] == ["", "p1", "", "p1", ""]
    opened.key((Key.Key_R, ALT))
    opened.settle()
    opened.window.messages.choose("Link it")
    opened.key((Key.Key_R, ALT))
    opened.settle()
    assert "3 are linked already" in opened.message


def test_cutting_anew_asks_where_versions_would_go(opened: Driver) -> None:
    opened.select("n3")
    opened.key((Key.Key_E, ALT))
    before = opened.project
    opened.window._run("phrase.propose")
    assert "lose them when all are cut anew: 'First'" in opened.message
    opened.window.messages.choose("Leave them")
    assert opened.project == before
    opened.window._run("phrase.propose")
    opened.window.messages.choose("Cut all anew")
    assert not any(p.aside for p in opened.project.phrases)


def test_the_next_key_means_the_same_phrase_where_the_note_is_gone(opened: Driver) -> None:
    """A grace note is not in the easier version; what is pressed next is still for its phrase."""
    grace = replace(opened.project.note("n5"), id="g1", onset=4.3, end=4.34, marks=frozenset({Mark.GRACE}))
    opened.desk.session.edit("Grace", lambda p: p.with_notes([*p.notes, grace]))
    opened.desk.transport.seek(1.2)
    opened.select("g1")
    opened.key((Key.Key_E, ALT))
    assert phrase_of(opened.project, "p2").showing == "easier"
    assert opened.desk.session.selection == {"n5"}
    opened.key((Key.Key_V, ALT))
    assert phrase_of(opened.project, "p2").showing == AS_PLAYED
    assert phrase_of(opened.project, "p1").versions == (AS_PLAYED,)
