"""What notes do, figures, grips, moving a phrase and the backing, in the window, by their keys."""

from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import NOTCH, PLACE, TEACH
from notcher.app.state.transport import BACKING, OVER_BACKING
from notcher.demo_copy import demo_project
from notcher.wording.names import call_notes, german_names
from tests.app.conftest import Driver

SHIFT, ALT = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier


def opened_demo(driver: Driver) -> None:
    driver.window.tasks.opening.open(demo_project())
    driver.bot.waitUntil(lambda: driver.desk.session.is_open and not driver.desk.analysis.busy, timeout=20000)


def test_degrees_go_round_by_one_key_in_every_room_that_shows_them(driver: Driver) -> None:
    opened_demo(driver)
    driver.desk.show_room(NOTCH)
    line = driver.notch.degrees
    assert line.isHidden()
    seen = []
    for _ in range(4):
        driver.key("Q")
        seen.append((driver.desk.analysis.degrees, line.isVisible()))
    assert seen == [("chord", True), ("key", True), ("words", True), ("off", False)]
    driver.key("Q")
    first = driver.project.notes[0]
    assert driver.desk.analysis.degree_at(first.id) == "1"
    assert line.in_words().startswith("1, ♭3, 5")
    for room in (PLACE, TEACH):
        driver.desk.show_room(room)
        driver.key("Q")
        driver.window.grab()


def test_figures_are_said_in_teach_and_can_be_hidden(driver: Driver) -> None:
    opened_demo(driver)
    phrase = driver.project.phrase_named("Rigging")
    driver.desk.loop_phrase(phrase)
    driver.desk.show_room(TEACH)
    assert "goes round 4 times" in driver.teach.summary.text()
    driver.key(("Q", SHIFT))
    assert "goes round" not in driver.teach.summary.text()
    assert driver.desk.analysis.figures == ()


def test_grips_stand_under_the_neck(driver: Driver) -> None:
    opened_demo(driver)
    driver.desk.loop_phrase(driver.project.phrases[0])
    driver.desk.show_room(PLACE)
    driver.bot.waitUntil(lambda: "F♯m x 9 11 11 10 9" in driver.place.grips.text(), timeout=5000)


def test_a_phrase_is_moved_over_the_next_chord(driver: Driver) -> None:
    opened_demo(driver)
    driver.desk.show_room(NOTCH)
    driver.desk.session.select(frozenset({driver.project.notes[0].id}))
    driver.key(("K", ALT))
    panel = driver.notch.move_phrase
    assert panel.isVisible()
    driver.bot.keyClicks(panel.field, "nonsense")
    assert "next" in panel.note.text() or "symbol" in panel.note.text()
    panel.field.clear()
    driver.bot.keyClicks(panel.field, "next")
    assert panel.note.text().startswith("over D")
    driver.bot.keyClick(panel.field, Qt.Key.Key_Return)
    phrase = driver.project.phrases[0]
    assert (phrase.showing, "as played" in phrase.versions) == ("over D", True)
    driver.key((Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
    assert driver.project.phrases[0].showing == "as played"


def test_the_backing_is_heard_and_changes_its_feel(driver: Driver) -> None:
    opened_demo(driver)
    transport = driver.desk.transport
    assert {BACKING, OVER_BACKING} <= set(transport.player.sources)
    for name in (BACKING, OVER_BACKING):
        transport.choose(name)
        assert transport.player.source == name
    driver.key(("W", SHIFT))
    assert driver.project.feel == "even"
    transport.play()
    driver.bot.wait(300)
    transport.pause()


def test_without_chords_no_backing_is_offered(opened: Driver) -> None:
    assert BACKING not in opened.desk.transport.player.sources


def test_german_names_at_once(driver: Driver) -> None:
    opened_demo(driver)
    driver.desk.show_room(NOTCH)
    try:
        driver.desk.asked.emit("note-names")
        assert german_names()
        bm = next(c for c in driver.project.chords if str(c.chord) == "Bm")
        driver.desk.axis.show_range(bm.start + 0.1, bm.start + 2.0)
        assert "Hm" in driver.notch.chords.names.in_words().split(", ")
        driver.desk.asked.emit("note-names")
        assert "Bm" in driver.notch.chords.names.in_words().split(", ")
    finally:
        call_notes(german=False)


def test_counts_and_fingers_stand_under_the_sheet(driver: Driver) -> None:
    opened_demo(driver)
    driver.desk.loop_phrase(driver.project.phrases[0])
    driver.desk.show_room(TEACH)
    tab = driver.teach.tab
    high = tab._row_height / tab._tag
    driver.key(("C", ALT))
    assert tab._row_height / tab._tag > high
    first = driver.project.notes[0]
    assert tab._under()[0][1](first.id) == "1"
    driver.key(("F", ALT))
    assert tab._under()[1][1](first.id) == "2", "as the Place room has it"
    driver.window.grab()
    driver.key(("C", ALT), ("F", ALT))
    assert tab._under() == []
