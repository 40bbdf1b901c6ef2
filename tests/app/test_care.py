"""Cautions in the window: a sign on what strains, a rest after minutes of loops, a warning of strings tuned up."""

from notcher.app.rooms.ids import PLACE, SOURCE, TEACH
from notcher.demo_copy import demo_project
from notcher.teach.care import REST_MINUTES
from tests.app.conftest import Driver


def test_a_phrase_that_strains_has_a_sign_with_its_reason(driver: Driver) -> None:
    driver.window.tasks.opening.open(demo_project())
    driver.settle()
    driver.desk.show_room(TEACH)
    driver.desk.loop_phrase(driver.project.phrase_named("Signal lamps"))
    assert driver.teach.care.text() == "in short turns: bends of 2 steps"
    assert "clinician" in driver.teach.care.toolTip()
    driver.desk.loop_phrase(driver.project.phrase_named("Harbour call"))
    assert driver.teach.care.text() == ""


def test_a_rest_is_said_once_after_minutes_of_loops(opened: Driver) -> None:
    assert opened.window.settings.rest_minutes == REST_MINUTES
    opened.desk.transport.looped.emit(60.0 * REST_MINUTES - 1)
    assert "rest" not in opened.message.lower()
    opened.desk.transport.looped.emit(2.0)
    assert "rest hands and ears" in opened.message
    opened.desk.show_room(PLACE)
    opened.place.show_guitar.click()
    opened.place.guitar.rest.setValue(0)
    assert opened.window.settings.rest_minutes == 0


def test_only_loops_that_sound_count(opened: Driver) -> None:
    counted: list[float] = []
    transport = opened.desk.transport
    transport.looped.connect(counted.append)
    transport.play()
    opened.bot.wait(200)
    transport.pause()
    assert counted == []
    transport.set_loop((1.0, 2.0))
    transport.play()
    opened.bot.wait(400)
    transport.pause()
    assert 0.1 < sum(counted) < 0.6


def test_strings_tuned_above_standard_are_warned_of(opened: Driver) -> None:
    opened.desk.show_room(SOURCE)
    opened.source.show_step(2)
    panel = opened.source.tuning
    panel._take_tuning("F4,C4,G#3,D#3,A#2,F2")
    assert "higher than standard" in opened.message.lower()
    opened.window.messages.clear()
    panel._take_tuning("half step down")
    assert "higher" not in opened.message.lower()
