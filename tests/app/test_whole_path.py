"""The whole job once: open a recording, measure, correct, loop slow, save, hand out. Offscreen and on Xvfb."""

import json
import os
import shutil
import subprocess
import sys
from functools import partial
from pathlib import Path

import mido
import music21
import pypdfium2
import pytest
from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import SOURCE
from notcher.app.state.transport import LEAD, REST, STRAIGHT, WRITTEN
from notcher.formats import project_file
from tests.app.conftest import IN_A_PROCESS, Driver
from tests.conftest import ROOT

Key = Qt.Key
CTRL = Qt.KeyboardModifier.ControlModifier


def moved_from(driver: Driver, at: float) -> bool:
    """Whether the playhead went on."""
    return driver.desk.transport.position != at


def test_from_a_recording_to_a_handout(driver: Driver, lick_file: Path, tmp_path: Path) -> None:
    # Open and measure.
    driver.window.tasks.ask.open_file = lambda _: lick_file
    driver.key((Key.Key_O, CTRL))
    driver.settle()
    notes = driver.project.notes
    assert [n.pitch(driver.project.tuning) for n in notes] == [64, 67, 69, 69]

    # It stays in the Source room, where a recording is prepared; then to the notes.
    assert driver.desk.room == SOURCE
    driver.key((Key.Key_2, CTRL))

    # Correct: another string, the bend's interval, confirm, and go on.
    third = notes[2]
    driver.select(third.id)
    place = (third.string, third.fret)
    driver.key(Key.Key_Down if third.string < 6 else Key.Key_Up)
    moved = driver.project.note(third.id)
    assert (moved.string, moved.fret) != place
    assert moved.pitch(driver.project.tuning) == 69
    driver.key("[", "]", "c")
    assert driver.project.note(third.id).confirmed
    assert driver.desk.session.selection == {notes[3].id}

    # Loop it slow, hear the lead and the written tab.
    driver.select(third.id)
    driver.key("l", "-", "-", "-", "-", "-")
    assert driver.desk.transport.pace == 50
    driver.key(Key.Key_Return)
    start, end = driver.desk.transport.loop or (0, 0)
    driver.bot.waitUntil(lambda: driver.desk.transport.position > start + 0.2, timeout=8000)
    for source in (LEAD, REST, WRITTEN, STRAIGHT):
        driver.key("w")
        assert driver.desk.transport.player.source == source
        at = driver.desk.transport.position
        driver.bot.waitUntil(partial(moved_from, driver, at), timeout=8000)
        assert start <= driver.desk.transport.position <= end
    driver.key(Key.Key_Space)

    # Save, and read the file from outside.
    driver.window.tasks.ask.save_file = lambda *_: tmp_path / "lesson.notcher"
    driver.key((Key.Key_S, CTRL))
    kept = project_file.load(tmp_path / "lesson.notcher")
    assert kept.note(third.id) == driver.project.note(third.id)

    # Hand out, and read every file with somebody else's reader.
    driver.key((Key.Key_5, CTRL))
    for name, ending in (("pdf", "pdf"), ("musicxml", "musicxml"), ("midi", "mid"), ("text", "txt"), ("notes", "json")):
        driver.window.tasks.ask.save_file = lambda *_, e=ending: tmp_path / f"out.{e}"
        driver.bot.mouseClick(driver.handout.buttons[name], Qt.MouseButton.LeftButton)
        driver.settle()
    assert "Lick" in pypdfium2.PdfDocument(tmp_path / "out.pdf")[0].get_textpage().get_text_bounded()
    score = music21.converter.parse(tmp_path / "out.musicxml")
    struck = [n.pitches[0].midi for n in score.recurse().notes if n.tie is None or n.tie.type == "start"]
    assert struck == [64, 67, 69, 69]
    assert sum(m.type == "note_on" and m.velocity > 0 for m in mido.MidiFile(tmp_path / "out.mid")) == 4
    assert len(json.loads((tmp_path / "out.json").read_text())["notes"]) == 4


_ON_A_SCREEN = (
    IN_A_PROCESS
    + """
from PyQt6.QtWidgets import QApplication
from notcher.formats import project_file

def drive():
    w = windows[0]
    assert QApplication.platformName() == "xcb", QApplication.platformName()
    if w.tasks.busy:
        QTimer.singleShot(100, drive)
        return
    notes = w.desk.session.project.notes
    assert len(notes) == 4, notes
    # There is no window manager on this screen; the window asks for the keyboard itself.
    w.raise_()
    w.activateWindow()
    assert QTest.qWaitForWindowActive(w, 10000)
    w.desk.show_room("notch")
    QTest.keyClick(w, Qt.Key.Key_N)
    first = notes[0]
    QTest.keyClick(w, Qt.Key.Key_Down)
    moved = w.desk.session.project.note(first.id)
    assert (moved.string, moved.held) == (first.string + 1, True), (first, moved)
    QTest.keyClick(w, Qt.Key.Key_C)
    QTest.keyClick(w, Qt.Key.Key_L)
    QTest.keyClick(w, Qt.Key.Key_Minus)
    QTest.keyClick(w, Qt.Key.Key_Space)
    QTimer.singleShot(1200, finish)

def finish():
    w = windows[0]
    assert w.desk.transport.playing, (w.messages.text, w.desk.transport.device_name, w.focusWidget())
    assert w.desk.transport.position > 0
    QTest.keyClick(w, Qt.Key.Key_Space)
    w.tasks.ask.save_file = lambda *_: Path(sys.argv[2])
    QTest.keyClick(w, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert sum(n.confirmed for n in project_file.load(Path(sys.argv[2])).notes) == 1
    w.grab().save(sys.argv[3])
    sheet = Path(sys.argv[2]).with_suffix(".pdf")
    w.tasks.ask.save_file = lambda *_: sheet
    w.views["hand-out"].buttons["pdf"].click()
    while w.tasks.busy:
        QTest.qWait(50)
    assert sheet.read_bytes()[:5] == b"%PDF-"
    w.close()

def failed(kind, error, trace):
    import traceback
    traceback.print_exception(kind, error, trace)
    QApplication.exit(1)

def begin():
    sys.excepthook = failed
    drive()

sys.exit(start.run_window(Path(sys.argv[1]), painted=lambda: QTimer.singleShot(0, begin)))
"""
)


@pytest.mark.alone
def test_the_same_on_a_real_screen(lick_file: Path, tmp_path: Path) -> None:
    """The program as it is started, in a window of a real X server without a monitor."""
    if shutil.which("xvfb-run") is None and shutil.which("Xvfb") is None:
        pytest.fail("Xvfb is missing; tools/setup.sh dev installs it")
    number = f":{90 + os.getpid() % 400}"
    server = subprocess.Popen(
        ["Xvfb", number, "-screen", "0", "1280x800x24", "-nolisten", "tcp"], stderr=subprocess.DEVNULL
    )
    env = {k: v for k, v in os.environ.items() if k != "QT_QPA_PLATFORM"} | {"DISPLAY": number}
    try:
        args = [str(lick_file), str(tmp_path / "x.notcher"), str(tmp_path / "x.png")]
        done = subprocess.run(
            [sys.executable, "-c", _ON_A_SCREEN, *args], env=env, cwd=ROOT, capture_output=True, text=True, timeout=120,
            check=False,
        )  # fmt: skip
    finally:
        server.terminate()
        server.wait()
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "x.png").stat().st_size > 20_000
