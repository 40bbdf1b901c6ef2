"""Both hands in the window: fingers and strokes said by keys, the goal of a bend heard, the guitar, wrong input."""

from dataclasses import replace

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QPainter

from notcher.app.rooms.ids import HAND_OUT, PLACE, SOURCE, TEACH
from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.place.strokes import Stroke
from notcher.score.edits import confirm
from notcher.score.note import Attack, Bend, BendKind, Mark, Note
from notcher.score.playing import Picking
from notcher.score.project import Phrase
from notcher.score.tuning import STANDARD, Tuning
from notcher.wording.hands import figure
from tests.app.conftest import Driver
from tests.conftest import note

Key = Qt.Key
ALT = Qt.KeyboardModifier.AltModifier


@pytest.fixture
def placing(opened: Driver) -> Driver:
    opened.key((Key.Key_3, Qt.KeyboardModifier.ControlModifier))
    assert opened.desk.room == PLACE
    return opened


def phrase_of(driver: Driver, *notes: Note) -> None:
    """Nothing but these notes, in one phrase."""
    phrases = (Phrase("p1", "First", 0.5, 7.5),)
    driver.desk.session.edit("new notes", lambda p: replace(p, notes=(), phrases=phrases).with_notes(notes))
    driver.bot.waitUntil(lambda: not driver.place._finding.running, timeout=10000)


def at_tuning(driver: Driver) -> None:
    """In the Source room, at the tuning."""
    driver.desk.show_room(SOURCE)
    driver.source.show_step(driver.source.panels.index(driver.source.tuning))


def shown(driver: Driver, note_id: str) -> str:
    return next(figure(o.hand, o.fret) for o in driver.place.hands._shown if o.note.id == note_id)


# -- said by keys ------------------------------------------------------------------------------------------------------


def test_a_finger_by_a_key_and_its_neighbours_settle(placing: Driver) -> None:
    phrase_of(placing, *(note(k, 1.0 + 0.3 * k, 3, fret) for k, fret in enumerate((5, 6, 7))))
    before = [shown(placing, f"n{k}") for k in range(3)]
    assert before == ["1", "2", "3"]
    placing.select("n1")
    placing.key((Key.Key_1, ALT))
    assert placing.project.note("n1").finger == 1
    assert shown(placing, "n1") == "1"
    assert shown(placing, "n2") == "2", "the one after it goes with the hand"
    placing.key((Key.Key_0, ALT))
    assert shown(placing, "n1") == "T"


def test_a_stroke_by_a_key_and_its_neighbours_settle(placing: Driver) -> None:
    phrase_of(placing, *(note(k, 1.03 + 0.12 * k, 3, 5, length=0.1) for k in range(4)))
    strokes = placing.place.hands._strokes
    assert not any(s.said for s in strokes.values())
    other = Stroke.DOWN if strokes["n2"].stroke is Stroke.UP else Stroke.UP
    placing.select("n2")
    placing.key((Key.Key_Down if other is Stroke.DOWN else Key.Key_Up, ALT))
    found = placing.place.hands._strokes
    assert found["n2"].said
    assert found["n2"].stroke is other
    assert found["n1"].stroke is not other
    assert found["n3"].stroke is not other


def test_arrows_go_from_note_to_note_and_a_click_selects(placing: Driver) -> None:
    first, second = placing.project.notes[:2]
    placing.select(first.id)
    placing.key(Key.Key_Right)
    assert placing.desk.session.selection == {second.id}
    hands = placing.place.hands
    x = round(placing.place.strand.x_of(first.onset)) + 3
    placing.bot.mouseClick(hands, Qt.MouseButton.LeftButton, pos=QPoint(x, hands.height() // 2))
    assert placing.desk.session.selection == {first.id}


def test_strings_struck_together_show_all_their_fingers(placing: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    """What was said of one of them is not hidden behind another."""
    phrase_of(placing, note(1, 1.0, 1, 12, finger=1), note(2, 1.0, 2, 15, finger=4), note(3, 2.0, 3, 14))
    drawn: list[str] = []
    told = QPainter.drawText
    monkeypatch.setattr(QPainter, "drawText", lambda self, *a: (drawn.append(str(a[-1])), told(self, *a))[1])
    placing.place.hands.grab()
    assert "1+4" in drawn


def test_the_hand_line_in_words(placing: Driver) -> None:
    said = placing.place.hands.in_words()
    assert "finger" in said
    assert "down" in said


# -- the goal of a bend ------------------------------------------------------------------------------------------------


def test_the_goal_of_a_bend_is_heard(placing: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    """String 3, fret 11 bent a whole tone sounds C sharp 5... measured off the tone: 553.6 Hz at A = 440, and the
    recording's 14 cents less."""
    import numpy as np

    heard: list[FloatArray] = []
    monkeypatch.setattr(placing.desk.transport, "sound_once", heard.append)
    third = placing.project.notes[2]
    placing.select(third.id)
    placing.key((Key.Key_G, Qt.KeyboardModifier.ShiftModifier))
    assert "sounds like fret 13" in placing.message
    spectrum = np.abs(np.fft.rfft(heard[0] * np.hanning(len(heard[0])), 1 << 20))
    hz = np.argmax(spectrum[: round(900 / RATE * (1 << 20))]) * RATE / (1 << 20)
    goal = 440 * 2 ** ((third.pitch(STANDARD) + 2 - 69) / 12) * 2 ** (-14 / 1200)
    assert hz == pytest.approx(goal, rel=1e-3)


def test_the_next_bend_where_none_is_selected(placing: Driver) -> None:
    placing.desk.session.select(frozenset())
    placing.key((Key.Key_G, Qt.KeyboardModifier.ShiftModifier))
    assert "goal of the bend at string 3, fret 11" in placing.message
    placing.desk.show_room(TEACH)
    placing.key((Key.Key_G, Qt.KeyboardModifier.ShiftModifier))
    assert "goal of the bend" in placing.message


def test_no_bend_no_goal(placing: Driver) -> None:
    phrase_of(placing, note(1, 1.0, 3, 5))
    placing.key((Key.Key_G, Qt.KeyboardModifier.ShiftModifier))
    assert placing.message == "There is no bend here whose goal could be heard."


# -- hands and guitar --------------------------------------------------------------------------------------------------


def test_gauges_say_what_strings_pull(placing: Driver) -> None:
    panel = placing.place.guitar
    placing.place.show_guitar.click()
    panel.gauges.setText("10 13 17 26w 36w 46w")
    panel.gauges.editingFinished.emit()
    assert panel.pull.text().startswith("The strings pull: e 73 N, B 69 N")
    assert "more tension (74 → 93 N)" in placing.place.ahead.text()
    placing.desk.session.undo()
    assert panel.gauges.text() == ""


def test_a_gauge_that_is_none_is_said_in_place_and_stays_to_be_corrected(placing: Driver) -> None:
    panel = placing.place.guitar
    before = placing.project
    panel.gauges.setText("10 13 seventeen 26w 36w 46w")
    panel.gauges.editingFinished.emit()
    assert "'seventeen' is no gauge" in panel.pull.text()
    assert panel.gauges.text() == "10 13 seventeen 26w 36w 46w"
    assert placing.project == before


def test_a_school_of_the_pick(placing: Driver) -> None:
    picking = placing.place.guitar.picking
    picking.setCurrentIndex(picking.findData("down"))
    picking.activated.emit(picking.currentIndex())
    assert placing.project.playing.picking is Picking.DOWN
    assert {s.stroke for s in placing.place.hands._strokes.values()} == {Stroke.DOWN}
    assert placing.desk.session.usual.picking is Picking.DOWN, "new projects begin so"


def test_where_a_pinch_harmonic_is(placing: Driver) -> None:
    phrase_of(placing, note(1, 1.0, 3, 12, marks=frozenset({Mark.PINCH_HARMONIC})))
    said = "pinch harmonic, string 3 fret 12, from the bridge: partial 3 at 108 mm; partial 4 at 81, 162 mm"
    assert said in placing.place.ahead.text()


def test_where_it_lies_is_always_among_the_three(placing: Driver) -> None:
    """Also where the search would never put it."""
    odd = [(6, 17), (5, 16), (6, 19), (5, 19)]
    phrase_of(placing, *(note(k, 1.0 + 0.3 * k, s, f) for k, (s, f) in enumerate(odd)))
    assert [o.now for o in placing.place._offers].count(True) == 1
    assert len(placing.place._offers) == 3


# -- wrong input -------------------------------------------------------------------------------------------------------


def test_two_confirmed_notes_on_one_string_at_one_time(placing: Driver) -> None:
    phrase_of(placing, note(1, 1.0, 3, 5, confirmed=True), note(2, 1.01, 3, 9, confirmed=True), note(3, 2.0, 3, 7))
    assert "At 1.00 s two notes lie on string 3" in placing.place.wrong.text()
    assert placing.place.wrong.isVisible()
    placing.key(Key.Key_Down, "2", "h", "c")
    assert [(n.string, n.fret) for n in placing.project.notes[:2]] == [(3, 5), (3, 9)], "what is confirmed stays"


def test_a_chord_that_no_hand_holds(placing: Driver) -> None:
    phrase_of(placing, note(1, 1.0, 1, 2, confirmed=True), note(2, 1.0, 3, 14, confirmed=True))
    assert "no hand holds frets 2, 14 at once" in placing.place.wrong.text()
    placing.desk.session.edit("one less", lambda p: p.with_notes(p.notes[:1]))
    assert not placing.place.wrong.isVisible()


def test_a_phrase_of_one_note(placing: Driver) -> None:
    phrase_of(placing, note(1, 1.0, 3, 9))
    assert placing.place._offers
    placing.key(Key.Key_Up)
    assert placing.project.notes[0].string < 3
    for _ in range(8):
        placing.key(Key.Key_Up)
    assert "no place on thinner strings" in placing.message


def test_a_neck_of_nineteen_frets(placing: Driver) -> None:
    """Notes that are not settled go to other strings; a fret of one that is settled is named, and nothing changes."""
    phrase_of(placing, note(1, 1.0, 2, 22), note(2, 1.5, 2, 20))
    at_tuning(placing)
    frets = placing.source.tuning.frets
    frets.setValue(19)
    assert [(n.string, n.fret) for n in placing.project.notes] == [(1, 17), (1, 15)]
    placing.desk.session.undo()
    placing.desk.session.edit("sure", lambda p: confirm(p, frozenset({"n1"})))
    frets.setValue(19)
    assert "fret 22 of string 2, which you settled at 1.00 s, lies beyond a neck of 19 frets" in placing.message.lower()
    assert placing.project.tuning.frets == 24
    assert frets.value() == 24


def test_a_capo_above_a_confirmed_fret(placing: Driver) -> None:
    """It is named, and nothing changes; below it, confirmed notes stay where they are on the neck."""
    phrase_of(placing, note(1, 1.0, 3, 2, confirmed=True), note(2, 1.5, 3, 9, confirmed=True))
    at_tuning(placing)
    capo = placing.source.tuning.capo
    before = placing.project
    capo.setValue(5)
    assert "a capo at fret 5 lies above fret 2 of string 3, which you settled at 1.00 s" in placing.message.lower()
    assert placing.project == before
    assert capo.value() == 0
    capo.setValue(2)
    assert [(n.string, n.fret) for n in placing.project.notes] == [(3, 0), (3, 7)]
    assert [n.pitch(placing.project.tuning) for n in placing.project.notes] == [57, 64]


def test_a_pitch_outside_the_neck(placing: Driver) -> None:
    """A score's note that the guitar does not have is named, and nothing is lost."""
    phrase_of(placing, note(1, 1.0, 6, 0), note(2, 1.5, 1, 24))
    at_tuning(placing)
    before = placing.project
    placing.source.tuning._retune(Tuning(tuple(p + 2 for p in STANDARD.pitches)))
    assert "cannot be played on a guitar with 24 frets" in placing.message
    assert placing.project == before


def test_every_key_of_the_room_on_odd_phrases(placing: Driver) -> None:
    """No exception, whatever lies there: nothing, one note, taps and harmonics alone, a bend beyond the last fret."""
    odd = (
        (), (note(1, 1.0, 3, 9),), (note(1, 1.0, 1, 24, bend=Bend(BendKind.BEND, 400)),),
        (note(1, 1.0, 3, 12, marks=frozenset({Mark.NATURAL_HARMONIC})),),
        (note(1, 1.0, 1, 17, attack=Attack.TAP), note(2, 1.3, 1, 20, attack=Attack.TAP)),
        (note(1, 1.0, 6, 0), note(2, 1.2, 5, 0), note(3, 1.4, 4, 0)),
    )  # fmt: skip
    for notes in odd:
        phrase_of(placing, *notes)
        for key in (
            "1",
            "2",
            "3",
            "h",
            (Key.Key_G, Qt.KeyboardModifier.ShiftModifier),
            Key.Key_Up,
            Key.Key_Down,
            "c",
            (Key.Key_2, ALT),
            (Key.Key_Up, ALT),
        ):
            placing.key(key)
        placing.window.grab()


# -- handed out --------------------------------------------------------------------------------------------------------


def test_both_hands_and_the_neck_are_handed_out_on_request(placing: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    room = placing.handout
    placing.desk.show_room(HAND_OUT)
    asked = []
    monkeypatch.setattr(room._exporting, "export", lambda *said: asked.append(said[-1]))
    room._ask_for("pdf")
    room.hands.setChecked(True)
    room.neck.setChecked(True)
    room._ask_for("pdf")
    assert [(w.hands, w.look.neck is not None) for w in asked] == [(False, False), (True, True)]
    placing.bot.waitUntil(lambda: room.page_count > 0, timeout=20000)
