"""The Source room: a recording is prepared by keys, sliders and dragging; what is asserted is the document."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLabel, QWidget

from notcher.app.rooms.ids import SOURCE
from notcher.app.state.settings import Settings
from notcher.app.state.transport import LEAD, RECORDING, REST
from notcher.audio import RATE
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.note import Note
from notcher.score.project import Section
from notcher.score.tempo import TempoMap
from notcher.wording.notes import section_reference
from tests.app.conftest import Driver
from tests.conftest import note, tone, write_audio

Key = Qt.Key
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def source(opened: Driver) -> Driver:
    opened.key((Key.Key_1, CTRL))
    assert opened.desk.room == SOURCE
    return opened


def drag(driver: Driver, widget: QWidget, a: float, b: float, y: int) -> None:
    driver.bot.mousePress(widget, Qt.MouseButton.LeftButton, pos=QPoint(round(a), y))
    for share in (0.4, 0.8, 1.0):
        driver.bot.mouseMove(widget, QPoint(round(a + share * (b - a)), y))
    driver.bot.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=QPoint(round(b), y))


# -- sections ------------------------------------------------------------------------------------------------------


def test_sections_are_made_by_one_key_and_gone_to_by_another(source: Driver) -> None:
    for time in (0.5, 3.0, 6.0):
        source.desk.transport.seek(time)
        source.key("s")
    assert [(s.name, s.start) for s in source.project.sections] == [("A", 0.5), ("B", 3.0), ("C", 6.0)]
    source.key("2")
    assert source.desk.transport.position == pytest.approx(3.0)
    source.key("7")
    assert "no section 7" in source.message
    source.key((Key.Key_Z, CTRL))
    assert len(source.project.sections) == 2


def test_a_section_is_moved_by_dragging_its_flag_in_one_step_of_undo(source: Driver) -> None:
    source.desk.session.edit("s", lambda p: replace(p, sections=(Section("A", 1.0), Section("B", 4.0))))
    sheet = source.source.map
    before = source.project.sections
    drag(source, sheet, sheet.x_of(4.0) + 6, sheet.x_of(5.5) + 6, 10)
    assert source.project.sections[1].start == pytest.approx(5.5, abs=0.1)
    source.key((Key.Key_Z, CTRL))
    assert source.project.sections == before


def test_same_as_a_without_its_last_bar_in_the_panel(source: Driver) -> None:
    source.desk.session.edit("s", lambda p: replace(p, sections=(Section("A", 1.0), Section("B", 4.0))))
    source.source.show_step(4)
    panel = source.source.sections
    panel._refer("B", "A", 1)
    assert section_reference(source.project.sections[1]) == "as A, without its last bar"
    panel._rename("A", "Head")
    assert source.project.sections[1].like == "Head"


def test_the_map_is_clicked_to_go_and_dragged_to_loop(source: Driver) -> None:
    sheet = source.source.map
    source.bot.mouseClick(sheet, Qt.MouseButton.LeftButton, pos=QPoint(round(sheet.x_of(5.0)), 60))
    assert source.desk.transport.position == pytest.approx(5.0, abs=0.05)
    drag(source, sheet, sheet.x_of(2.0), sheet.x_of(4.0), 60)
    assert source.desk.transport.loop == pytest.approx((2.0, 4.0), abs=0.05)


def tempo_of(driver: Driver) -> TempoMap:
    """The tempo map there is."""
    tempo = driver.project.tempo
    assert tempo is not None
    return tempo


# -- the beat ------------------------------------------------------------------------------------------------------


def test_half_double_and_bar_one_by_key(source: Driver) -> None:
    count = len(tempo_of(source).beats)
    source.key("]")
    assert len(tempo_of(source).beats) == 2 * count - 1
    source.key("[")
    assert len(tempo_of(source).beats) == count
    source.desk.transport.seek(1.52)
    source.key("b")
    assert tempo_of(source).bar_and_beat(1.5) == (1, 1.0)


def test_this_bar_has_six(source: Driver) -> None:
    source.source.show_step(3)
    panel = source.source.beat
    source.desk.transport.seek(2.1)
    panel.beats_in_bar.setValue(6)
    source.bot.mouseClick(panel.size_button, Qt.MouseButton.LeftButton)
    tempo = tempo_of(source)
    assert [tempo.beats_in(b) for b in (1, 2, 3)] == [4, 6, 4]
    assert "2 changes of metre" in panel.state.text()


def test_a_beat_is_said_to_be_three_eighths(source: Driver) -> None:
    panel = source.source.beat
    source.source.show_step(3)
    panel.unit.setFocus()
    source.bot.keyClick(panel.unit, Qt.Key.Key_Down)
    panel.unit.activated.emit(panel.unit.currentIndex())
    assert tempo_of(source).unit.in_threes
    assert "written as 12/8" in panel.state.text()
    source.window._run("edit.undo")
    assert tempo_of(source).unit.name == "quarter"
    panel.refresh()
    assert panel.unit.currentText() == "a quarter"


def test_beats_that_fall_into_three_are_pointed_out(source: Driver) -> None:
    """Twenty notes on thirds of the beat: the panel says what would write them without triplets, until it does."""
    panel = source.source.beat
    source.source.show_step(3)
    assert panel.hint.isHidden()
    tempo = tempo_of(source)
    on_thirds = [note(k + 1, tempo.time_at(k / 3), 2, 5 + k % 4, length=0.1) for k in range(21)]
    source.desk.session.edit("thirds", lambda p: p.with_notes(on_thirds))
    source.bot.waitUntil(lambda: not panel.hint.isHidden(), timeout=5000)
    panel.unit.setCurrentIndex(1)
    panel.unit.activated.emit(1)
    assert panel.hint.isHidden()


def test_a_bar_line_and_a_beat_are_dragged(source: Driver) -> None:
    source.source.show_step(3)
    source.desk.axis.show_range(0.0, 6.0)
    strip = source.source.beat.strip
    drag(source, strip, strip.x_of(2.0), strip.x_of(2.2), 60)
    tempo = tempo_of(source)
    assert tempo.time_at(4) == pytest.approx(2.2, abs=0.03)
    assert tempo.time_at(2) == pytest.approx(1.1, abs=0.03)
    drag(source, strip, strip.x_of(tempo.beats[5]), strip.x_of(tempo.beats[5] + 0.1), 90)
    assert tempo_of(source).beats[6] == tempo.beats[6]
    assert tempo_of(source).beats[5] == pytest.approx(tempo.beats[5] + 0.1, abs=0.03)


def test_tapping_along_makes_the_map(source: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    source.key("t")
    assert "Space starts it" in source.message
    source.desk.session.edit("none", lambda p: p.with_tempo(None))
    times = iter([1.0, 1.6, 2.2, 2.8, 3.4])
    monkeypatch.setattr(type(source.desk.transport), "playing", property(lambda _: True))
    monkeypatch.setattr(type(source.desk.transport), "position", property(lambda _: next(times)))
    source.source.show_step(3)
    for _ in range(5):
        source.window._run("beat.tap")
    assert "5 beats tapped" in source.source.beat.state.text()
    monkeypatch.undo()
    source.desk.take_taps()
    assert tempo_of(source).bpm() == pytest.approx(100, abs=0.5)


def test_no_beat_is_fine(source: Driver) -> None:
    source.source.show_step(3)
    source.bot.mouseClick(source.source.beat.none_button, Qt.MouseButton.LeftButton)
    assert source.project.tempo is None
    assert "spaced by time" in source.source.beat.state.text()
    source.key("b")
    assert "no beat is known yet" in source.message.lower()


def test_the_beat_is_found_or_it_says_not(source: Driver) -> None:
    source.source.show_step(3)
    source.bot.mouseClick(source.source.beat.find_button, Qt.MouseButton.LeftButton)
    source.settle()
    assert isinstance(source.project.tempo, TempoMap) or "no steady beat" in source.message


# -- isolating -----------------------------------------------------------------------------------------------------


def test_the_lead_is_placed_by_sliders_and_heard_at_once(source: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    room = source.source
    room.show_step(1)
    source.bot.mouseClick(room.isolate.positions[StereoPosition.PAN], Qt.MouseButton.LeftButton)
    source.bot.mouseClick(room.isolate.hear[LEAD], Qt.MouseButton.LeftButton)
    assert source.desk.transport.player.source == LEAD
    renewed: list[str] = []
    monkeypatch.setattr(source.desk.transport.player, "refresh", renewed.append)
    room.isolate.sliders["pan"].setValue(-60)
    room.isolate.sliders["pan"].setValue(-50)
    room.isolate.sliders["strength"].setValue(40)
    assert (source.project.lead.pan, source.project.lead.strength) == (-0.5, 0.4)
    assert LEAD in renewed
    assert "50 % left" in room.step_buttons[1].text()
    source.key((Key.Key_Z, CTRL), (Key.Key_Z, CTRL))
    assert source.project.lead.pan == 0.0
    source.bot.mouseClick(room.isolate.hear[REST], Qt.MouseButton.LeftButton)
    assert source.desk.transport.player.source == REST
    source.bot.mouseClick(room.isolate.hear[RECORDING], Qt.MouseButton.LeftButton)
    assert source.desk.transport.player.source == RECORDING


def test_a_against_b_by_one_key(source: Driver) -> None:
    first = Isolation(StereoPosition.PAN, pan=-0.4)
    second = Isolation(StereoPosition.SIDES)
    source.desk.session.edit("one", lambda p: replace(p, lead=first))
    source.key("a")
    assert source.project.other_lead == first
    source.desk.session.edit("two", lambda p: replace(p, lead=second))
    source.key("a")
    assert (source.project.lead, source.project.other_lead) == (first, second)
    source.key("a")
    assert (source.project.lead, source.project.other_lead) == (second, first)


def test_the_band_keeps_its_ends_apart(source: Driver) -> None:
    room = source.source
    room.show_step(1)
    room.isolate.sliders["high_hz"].setValue(0)
    assert source.project.lead.high_hz >= 1.5 * source.project.lead.low_hz
    room.isolate.sliders["low_hz"].setValue(100)
    assert source.project.lead.low_hz * 1.5 <= source.project.lead.high_hz


def test_where_place_tells_nothing_it_says_so(driver: Driver, tmp_path: Path) -> None:
    path = write_audio(tmp_path / "mono.wav", np.concatenate([tone(330, 0.8), tone(392, 0.8)]))
    driver.open(path)
    assert "place tells nothing" in driver.source.isolate.picture.words


def test_changing_the_isolation_while_measuring_measures_again(driver: Driver, tmp_path: Path) -> None:
    lead = np.concatenate([tone(330 * 2 ** (k / 12), 0.5) for k in (0, 3, 5, 7)] * 4)
    path = write_audio(tmp_path / "s.wav", np.stack([lead, 0.3 * lead]))
    driver.window.tasks.opening.open(path)
    driver.bot.waitUntil(lambda: driver.desk.session.is_open, timeout=20000)
    driver.desk.session.edit("seat", lambda p: replace(p, lead=Isolation(StereoPosition.MIX, low_hz=70.0)))
    driver.settle()
    assert driver.project.lead == Isolation(StereoPosition.MIX, low_hz=70.0)
    assert len(driver.project.notes) >= 12


# -- tuning --------------------------------------------------------------------------------------------------------


def test_playback_is_brought_in_tune_and_back(source: Driver) -> None:
    room = source.source
    room.show_step(2)
    assert "14.0 cents flat of A = 440" in room.tuning.offset.text()
    assert "436.5 Hz" in room.tuning.offset_words.text()
    source.bot.mouseClick(room.tuning.in_tune, Qt.MouseButton.LeftButton)
    assert source.project.in_tune
    assert source.desk.transport.player.cents == pytest.approx(14.0)
    source.bot.mouseClick(room.tuning.in_tune, Qt.MouseButton.LeftButton)
    assert source.desk.transport.player.cents == 0.0


def test_a_string_is_heard_by_itself(source: Driver) -> None:
    room = source.source
    room.show_step(2)
    source.bot.mouseClick(room.tuning.strings[4][3], Qt.MouseButton.LeftButton)
    sound = source.desk.transport.player._beside
    spectrum = np.abs(np.fft.rfft(sound[: 2 * RATE] * np.hanning(min(len(sound), 2 * RATE))))
    hz = np.argmax(spectrum[: 400 * 2]) * RATE / min(len(sound), 2 * RATE)
    # String 5 is A2, 110 Hz; the recording sits 14 cents flat of it.
    assert hz == pytest.approx(110 * 2 ** (-14 / 1200), abs=1.0)


def test_a_capo_moves_what_is_written_and_not_what_sounds(source: Driver) -> None:
    sounding = [n.pitch(source.project.tuning) for n in source.project.notes]
    room = source.source
    room.show_step(2)
    room.tuning.capo.setValue(2)
    assert source.project.tuning.capo == 2
    assert [n.pitch(source.project.tuning) for n in source.project.notes] == sounding
    assert room.tuning.strings[0][1].text() == "F♯4"
    assert room.tuning.strings[0][2].text() == "E4"


# -- the card, and what was opened lately --------------------------------------------------------------------------


def test_the_card_takes_a_date_and_refuses_what_is_none(source: Driver) -> None:
    field = source.source.request.fields["due"]
    field.setText("2027-03-14")
    field.editingFinished.emit()
    assert source.project.request.due == "2027-03-14"
    field.setText("soon")
    field.editingFinished.emit()
    assert source.project.request.due == "2027-03-14"
    assert "year-month-day" in source.message
    assert "due Mar 14, 2027" in source.source.step_buttons[0].text()


def test_what_was_opened_lately_is_listed_with_how_far_it_is(opened: Driver, saved: Path) -> None:
    opened.window.settings.save()
    again = Settings.load().opened_lately()
    assert [(Path(r.path), r.title) for r in again] == [(saved, "Low Tide")]
    assert (again[0].done, again[0].notes, again[0].due) == ("1", "8", "")
    assert "1 of 8 notes confirmed" in {label.text() for label in opened.source.request.findChildren(QLabel)}
    saved.unlink()
    assert Settings.load().opened_lately() == []


# -- evidence ------------------------------------------------------------------------------------------------------


def test_one_key_shows_why_and_plays_just_that(opened: Driver) -> None:
    opened.select("n1")
    opened.key("e")
    panel = opened.notch.evidence
    assert panel.isVisible()
    assert opened.desk.transport.loop == pytest.approx((0.94, 1.56))
    assert opened.desk.transport.playing
    opened.bot.waitUntil(lambda: panel.weighed.text() != "", timeout=20000)
    assert "cents: " in panel.weighed.text()
    opened.key("e")
    assert not panel.isVisible()
    assert opened.desk.transport.loop is None


def test_without_a_note_it_says_what_to_select(opened: Driver) -> None:
    opened.select()
    opened.key("e")
    assert "select a note first" in opened.message.lower()


def test_unsure_notes_forwards_and_back(opened: Driver) -> None:
    def unsure(note: Note) -> Note:
        return replace(note, confidence=0.5 if note.id in ("n2", "n5") else 1.0, doubt=None)

    opened.desk.session.edit("unsure", lambda p: p.with_notes([unsure(n) for n in p.notes]))
    opened.select()
    opened.key("u")
    assert opened.desk.session.selection == {"n5"}, "as unsure as n2, and longer"
    opened.key("u")
    assert opened.desk.session.selection == {"n2"}
    opened.key((Key.Key_U, Qt.KeyboardModifier.ShiftModifier))
    assert opened.desk.session.selection == {"n5"}


def test_a_guitar_that_goes_lower_is_listened_for_again(opened: Driver) -> None:
    """The recording was heard as far down as six strings go; with a seventh it has to be heard anew."""
    opened.desk.show_room(SOURCE)
    panel = opened.source.tuning
    panel.tuning.setEditText("E4 B3 G3 D3 A2 E2 B1")
    opened.bot.keyClick(panel.tuning, Qt.Key.Key_Return)
    opened.settle()
    assert opened.project.tuning.strings == 7
    assert opened.window.messages.choices == ("Listen again", "Leave it")
    before = opened.project.contour
    opened.window.messages.choose("Listen again")
    opened.settle()
    assert opened.project.contour is not before
