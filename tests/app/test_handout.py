"""The Hand out room beyond its kinds of file: how pages look, printing, sounds, strips, films, lesson page, packets."""

import json
import zipfile
from dataclasses import replace
from pathlib import Path

import av
import pypdfium2
import pytest
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtPrintSupport import QPrinter

from notcher.app.rooms.ids import HAND_OUT
from notcher.app.state.settings import Settings
from notcher.formats.sheet.look import Rhythm
from notcher.formats.sheet.shapes import LETTER
from notcher.formats.strip import Each
from notcher.harmony.symbols import parse_chord
from notcher.score.chord import ChordAt
from notcher.score.project import Phrase
from tests.app.conftest import Driver


@pytest.fixture
def room(opened: Driver) -> Driver:
    opened.key((Qt.Key.Key_5, Qt.KeyboardModifier.ControlModifier))
    assert opened.desk.room == HAND_OUT
    return opened


def click(driver: Driver, button: object) -> None:
    driver.bot.mouseClick(button, Qt.MouseButton.LeftButton)


def test_how_pages_look_is_kept(room: Driver) -> None:
    page = room.handout.page
    page.staff.setChecked(True)
    page.rhythm.setCurrentIndex(page.rhythm.findData(Rhythm.COUNTS))
    page.rhythm.activated.emit(0)
    page.paper.setCurrentIndex(page.paper.findData("letter"))
    page.paper.activated.emit(0)
    page.size_of_all.setCurrentIndex(page.size_of_all.findData(80))
    page.size_of_all.activated.emit(0)
    look = page.look()
    assert (look.staff, look.rhythm, look.paper, look.size) == (True, Rhythm.COUNTS, LETTER, 0.8)
    assert Settings.load().page == {"staff": "yes", "run_on": "", "rhythm": "counts", "paper": "letter", "size": "80"}
    page.neck.setChecked(True)
    assert page.look().neck is not None
    page.run_on.setChecked(True)
    assert page.look().neck is None
    assert not page.neck.isEnabled()


def test_pages_are_printed_to_a_file(room: Driver, tmp_path: Path) -> None:
    """A printer that writes a file: its words are read back as those of the PDF are."""
    room.handout.page.staff.setChecked(True)
    room.handout.page.series.setText("Lesson 3 of 8")
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "printed.pdf"))
    room.handout.print_on(printer)
    document = pypdfium2.PdfDocument(tmp_path / "printed.pdf")
    words = str(document[0].get_textpage().get_text_bounded())
    for wanted in ("Low Tide", "First", "Lesson 3 of 8", "full", "1 of"):
        assert wanted in words
    assert round(document[0].get_width()) == 595
    assert "Printed: 1 page" in room.message


@pytest.mark.qt_log_ignore("^QPainter::begin", extend=True)
def test_a_printer_that_does_not_answer_is_said(room: Driver, tmp_path: Path) -> None:
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "no folder" / "printed.pdf"))
    room.handout.print_on(printer)
    assert "printer does not answer" in room.message


def test_sounds_go_into_a_folder(room: Driver, tmp_path: Path) -> None:
    sound = room.handout.sound
    room.key("v")
    assert room.handout.right.currentWidget() is sound
    folder = tmp_path / "sounds"
    room.window.tasks.ask.open_folder = lambda _: folder
    sound.hear.setCurrentIndex(sound.hear.findData("written"))
    sound.paces.setText("75")
    sound.rounds.setValue(1)
    click(room, sound.write_sounds)
    room.settle()
    rows = json.loads((folder / "index.json").read_text())
    assert [r["pace"] for r in rows] == [75, 75]
    assert "2 sounds" in room.message
    sound.paces.setText("fast")
    click(room, sound.write_sounds)
    assert "are no paces" in room.message


def test_strips_and_cards(room: Driver, tmp_path: Path) -> None:
    sound = room.handout.sound
    room.handout.show_view(1)
    goal = tmp_path / "strip.png"
    begins = room.project.notes[0].onset
    chords = (ChordAt(begins, parse_chord("A7")),)
    room.desk.session.edit("a chord", lambda p: replace(p, chords=chords))
    room.window.tasks.ask.save_file = lambda *_: goal
    sound.width_of.setValue(1000)
    sound.numbers.setValue(24)
    sound.each.setCurrentIndex(sound.each.findData(Each.PHRASE))
    click(room, sound.write_strips)
    room.settle()
    with Image.open(goal) as image:
        with_chords = image.size
    assert with_chords[0] == 1000
    sound.chords.setChecked(False)
    click(room, sound.write_strips)
    room.settle()
    with Image.open(goal) as image:
        assert image.size[1] < with_chords[1]
    sound.numbers.setValue(400)
    click(room, sound.write_strips)
    assert "do not fit" in room.message


def test_a_film_is_told_of_and_written(room: Driver, tmp_path: Path) -> None:
    sound = room.handout.sound
    room.handout.what.setCurrentIndex(1)
    room.handout.what.activated.emit(1)
    room.handout.show_view(1)
    assert "of film" in sound.length.text()
    goal = tmp_path / "film"
    room.window.tasks.ask.save_file = lambda *_: goal
    sound.film_hear.setCurrentIndex(sound.film_hear.findData("written"))
    sound.pace.setValue(110)
    sound.picture.setCurrentIndex(sound.picture.findText("640 × 360"))
    sound.film_counted.setChecked(False)
    click(room, sound.write_film)
    room.settle()
    with av.open(str(tmp_path / "film.webm")) as film:
        assert (film.streams.video[0].width, film.streams.video[0].height) == (640, 360)


def test_one_key_hands_the_packet_out_and_remembers_it(room: Driver, tmp_path: Path) -> None:
    packet = room.handout.packet
    room.handout.show_view(2)
    packet.learner.setText("Bo")
    assert "nothing was handed out" in packet.last.text()
    for part, box in packet.parts.items():
        box.setChecked(part in ("text", "pages"))
    folder = tmp_path / "for bo"
    room.window.tasks.ask.open_folder = lambda _: folder
    room.window.setFocus()
    room.key("g")
    room.settle()
    assert sorted(p.name for p in folder.iterdir()) == ["low-tide.pdf", "low-tide.txt"]
    assert [s.learner for s in room.project.states] == ["Bo"]
    assert "last handed out" in packet.last.text()
    room.window.tasks.ask.save_file = lambda *_: tmp_path / "again.zip"
    click(room, packet.as_zip)
    room.settle()
    with zipfile.ZipFile(tmp_path / "again.zip") as file:
        text = pypdfium2.PdfDocument(file.read("low-tide.pdf"))
        assert any("Nothing has changed since" in str(p.get_textpage().get_text_bounded()) for p in text)
    assert len(room.project.states) == 2


def test_the_lesson_page_and_its_reminder(room: Driver, tmp_path: Path) -> None:
    packet = room.handout.packet
    room.handout.show_view(2)
    packet.recording.setChecked(True)
    assert packet.reminder.isVisible()
    goal = tmp_path / "lesson.html"
    room.window.tasks.ask.save_file = lambda *_: goal
    click(room, packet.lesson)
    room.settle()
    assert '"recording":"' in goal.read_text(encoding="utf-8")
    packet.recording.setChecked(False)
    for box in packet.parts.values():
        box.setChecked(False)
    click(room, packet.as_folder)
    assert "choose a part" in room.message


def test_without_notes_nothing_is_written(room: Driver) -> None:
    room.desk.session.edit("gone", lambda p: p.with_notes([]))
    for made in (room.handout.sound.write_film, room.handout.packet.as_folder, room.handout.print):
        click(room, made)
        assert "no notes yet" in room.message


def play_again(room: Driver) -> None:
    """The first phrase once more at the end, which nobody linked."""
    first = room.project.phrases[0]
    length = first.end - first.start
    late = room.project.recording.duration - length - 0.05
    by = late - first.start
    kept = [n for n in room.project.notes if n.onset < late]
    again = [
        replace(n, id=f"again{n.id}", onset=n.onset + by, end=n.end + by)
        for n in room.project.notes_between(first.start, first.end)
    ]
    added = Phrase("again", "Again", late, late + length)
    room.desk.session.edit(
        "again", lambda p: replace(p, phrases=(*p.phrases, added), tempo=None).with_notes([*kept, *again])
    )
    room.bot.waitUntil(lambda: room.handout.alike.isVisible(), timeout=20_000)


def test_equal_phrases_that_nobody_linked_are_offered_before_printing(room: Driver) -> None:
    first = room.project.phrases[0].id
    play_again(room)
    click(room, room.handout.alike)
    assert "'Again' is as" in room.message
    room.window.messages.choose("Link it")
    assert room.project.phrases[-1].like == first
    room.bot.waitUntil(lambda: not room.handout.alike.isVisible(), timeout=20_000)


def test_phrases_that_are_to_stay_as_they_are_are_not_asked_about_again(room: Driver) -> None:
    play_again(room)
    click(room, room.handout.alike)
    room.window.messages.choose("Leave them")
    assert not room.handout.alike.isVisible()
    room.desk.session.edit("request", lambda p: replace(p, request=replace(p.request, title="Other")))
    room.bot.wait(400)
    room.bot.waitUntil(lambda: room.handout.page_count > 0 and not room.handout.comparing, timeout=20_000)
    assert not room.handout.alike.isVisible()
    assert room.project.phrases[-1].like == ""
