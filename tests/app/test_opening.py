"""Files in and out of the window: the right ones, the wrong ones, and nothing lost."""

import json
import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

from notcher.app.rooms.ids import HAND_OUT, NOTCH, SOURCE
from notcher.app.rooms.table import ROOMS
from notcher.app.shell.start import run_window
from notcher.audio import RATE
from notcher.document.folders import journals
from notcher.document.recovery import left_behind
from notcher.document.store import open_document
from notcher.formats import project_file
from notcher.listen.listener import listen
from notcher.score.errors import NotcherError
from tests.app.conftest import IN_A_PROCESS, Driver
from tests.conftest import tone, write_audio

CTRL = Qt.KeyboardModifier.ControlModifier


# -- recordings ----------------------------------------------------------------------------------------------------


def test_a_dropped_recording_is_measured_and_shown(driver: Driver, lick_file: Path) -> None:
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(lick_file))])
    driver.window.dropEvent(
        QDropEvent(QPointF(QPoint(50, 50)), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton,
                   Qt.KeyboardModifier.NoModifier)
    )  # fmt: skip
    driver.settle()
    assert [n.pitch(driver.project.tuning) for n in driver.project.notes] == [64, 67, 69, 69]
    assert driver.desk.room == SOURCE
    assert driver.desk.session.is_dirty
    assert driver.window.title.text() == "Lick · not saved yet"


def test_measuring_can_be_stopped(driver: Driver, tmp_path: Path) -> None:
    path = write_audio(tmp_path / "long.wav", np.tile(tone(440, 1.0), 130))
    driver.window.tasks.opening.open(path)
    driver.bot.waitUntil(lambda: driver.desk.session.is_open, timeout=20000)
    assert driver.window.work_bar.isVisible()
    driver.bot.mouseClick(driver.window.work_bar.stop_button, Qt.MouseButton.LeftButton)
    driver.settle()
    assert driver.project.notes == ()
    assert not driver.window.work_bar.isVisible()


def test_a_stopped_measuring_changes_nothing_and_says_so(opened: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    from notcher.stopping import CancelledError

    def stopped(*_: object, **__: object) -> None:
        raise CancelledError

    monkeypatch.setattr("notcher.pipeline.transcribe.listen", stopped)
    before = opened.project
    opened.window.tasks.measuring.measure(None)
    opened.settle()
    assert opened.project == before
    assert "what is written stays" in opened.message


def test_measuring_a_loop_again_keeps_what_was_confirmed(driver: Driver, lick_file: Path) -> None:
    driver.open(lick_file)
    driver.desk.show_room(NOTCH)
    first = driver.project.notes[0]
    driver.select(first.id)
    driver.key("c")
    driver.desk.transport.set_loop((0.0, 1.6))
    driver.desk.session.edit("spoil", lambda p: p.with_notes([n for n in p.notes if n.onset < 0.4 or n.onset > 1.6]))
    driver.desk.show_room(SOURCE)
    driver.source.show_step(1)
    driver.bot.mouseClick(driver.source.isolate.measure_loop, Qt.MouseButton.LeftButton)
    driver.settle()
    assert [n.pitch(driver.project.tuning) for n in driver.project.notes] == [64, 67, 69, 69]
    assert driver.project.notes[0].confirmed
    assert len({n.id for n in driver.project.notes}) == 4


def test_listening_again_by_what_is_confirmed_gets_all_of_that(
    driver: Driver, lick_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    driver.open(lick_file)
    driver.desk.show_room(NOTCH)
    driver.select(driver.project.notes[0].id)
    driver.key("c")
    told: list[object] = []

    def noted(*args: Any, confirmed: Any = (), **options: Any) -> Any:
        told.extend(confirmed)
        return listen(*args, confirmed=confirmed, **options)

    monkeypatch.setattr("notcher.pipeline.transcribe.listen", noted)
    first = driver.project.notes[0]
    driver.key((Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier))
    driver.settle()
    assert [(k.onset, k.pitch) for k in told] == [(first.onset, first.pitch(driver.project.tuning))]  # type: ignore[attr-defined]
    assert first in driver.project.notes
    assert len(driver.project.notes) == 4


def wrong(folder: Path, name: str) -> Path:
    path = folder / name
    match name:
        case "empty.wav":
            path.write_bytes(b"")
        case "words.ogg":
            path.write_text("only words")
        case "silent.wav":
            write_audio(path, np.zeros(RATE, np.float32))
        case "blink.wav":
            write_audio(path, tone(440, 0.03))
        case "broken.notcher":
            path.write_text("{")
        case "newer.notcher":
            path.write_text('{"format": "notcher-project", "version": 99}')
        case "folder.wav":
            path.mkdir()
    return path


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("empty.wav", "is empty (0 bytes)"),
        ("words.ogg", "not a recording Notcher can read"),
        ("silent.wav", "silent from start to end"),
        ("blink.wav", "too short for a note"),
        ("folder.wav", "is a folder"),
        ("gone.wav", "there is no file"),
        ("broken.notcher", "JSON is broken"),
        ("newer.notcher", "newer Notcher"),
        ("gone.notcher", "there is no project"),
    ],
)
def test_wrong_files_are_said_and_what_is_open_stays(opened: Driver, tmp_path: Path, name: str, said: str) -> None:
    before = opened.project
    opened.open(wrong(tmp_path, name))
    assert said.lower() in opened.message.lower()
    assert opened.project == before
    assert opened.desk.transport.audio is not None


def test_odd_recordings_say_what_is_odd(driver: Driver, tmp_path: Path, lick: np.ndarray) -> None:
    driver.open(write_audio(tmp_path / "clipped.wav", np.clip(6 * lick, -0.8, 0.8)))
    assert "clipped" in driver.message
    assert driver.project.notes


def test_names_that_are_no_text_are_opened_shown_and_saved(driver: Driver, lick_file: Path) -> None:
    """A name in Latin-1 on a disk that is read as UTF-8."""
    strange = Path(os.fsdecode(bytes(lick_file.parent) + b"/caf\xe9.wav"))
    lick_file.rename(strange)
    driver.open(strange)
    assert len(driver.project.notes) == 4
    goal = strange.with_suffix(".notcher")
    driver.window.tasks.ask.save_file = lambda *_: goal
    driver.key((Qt.Key.Key_S, CTRL))
    assert project_file.load(goal).recording.path == strange.name
    driver.open(goal)
    assert driver.desk.transport.audio is not None
    for room in ROOMS:
        driver.desk.show_room(room.id)
    assert "caf" in driver.window.windowTitle()


def test_an_opened_project_shows_its_first_note_and_plays_from_there(opened: Driver) -> None:
    first = opened.project.notes[0].onset
    axis = opened.desk.axis
    assert axis.start <= opened.desk.transport.position < first < axis.end


# -- projects and their recordings ---------------------------------------------------------------------------------


def test_a_missing_recording_is_asked_for_by_name_and_taken_by_its_hash(driver: Driver, saved: Path) -> None:
    sound = saved.parent / "solo.wav"
    elsewhere = saved.parent / "a" / "b" / "c"
    elsewhere.mkdir(parents=True)
    sound.rename(elsewhere / "found.wav")
    driver.open(saved)
    assert "'solo.wav' is not where it was" in driver.message
    assert len(driver.project.notes) == 8, "the notes are all there without it"
    driver.window.tasks.ask.open_file = lambda _: elsewhere / "found.wav"
    driver.window.messages.choose("Find it …")
    driver.settle()
    assert driver.desk.transport.audio is not None
    assert driver.project.recording.path == str(elsewhere / "found.wav")
    driver.key((Qt.Key.Key_S, CTRL))
    assert project_file.load(saved).recording.path == "a/b/c/found.wav"


def test_a_recording_that_moved_nearby_is_found_by_itself(driver: Driver, saved: Path) -> None:
    (saved.parent / "sounds").mkdir()
    (saved.parent / "solo.wav").rename(saved.parent / "sounds" / "new name.wav")
    driver.open(saved)
    assert driver.desk.transport.audio is not None
    assert "had moved" in driver.message


def test_another_recording_is_not_taken_for_it_unless_wanted(driver: Driver, saved: Path) -> None:
    write_audio(saved.parent / "solo.wav", tone(220, 8.0))
    driver.open(saved)
    assert "is not the recording this project was measured from" in driver.message
    assert driver.desk.transport.audio is None
    driver.window.messages.choose("Use it all the same")
    driver.settle()
    assert driver.desk.transport.audio is not None
    assert len(driver.project.notes) == 8


def test_without_its_recording_the_written_tab_still_plays(driver: Driver, saved: Path) -> None:
    (saved.parent / "solo.wav").unlink()
    driver.open(saved)
    driver.window.messages.choose("Go on without it")
    driver.desk.transport.seek(1.0)
    driver.key(Qt.Key.Key_Space)
    driver.bot.waitUntil(lambda: driver.desk.transport.position > 1.2, timeout=5000)


# -- saving --------------------------------------------------------------------------------------------------------


def test_saving_the_first_time_asks_for_a_name(driver: Driver, lick_file: Path, tmp_path: Path) -> None:
    driver.open(lick_file)
    asked = []
    driver.window.tasks.ask.save_file = lambda title, suggestion, kind: asked.append(suggestion) or tmp_path / "mine"
    driver.key((Qt.Key.Key_S, CTRL))
    assert asked == [str(lick_file.parent / "lick.notcher")]
    assert project_file.load(tmp_path / "mine.notcher").recording.path == "lick.wav"
    assert not driver.desk.session.is_dirty
    assert "Saved as" in driver.message


def test_a_folder_that_cannot_be_written_loses_nothing(opened: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    opened.select("n1")
    opened.key("5")

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("notcher.formats.atomic.os.fsync", full)
    opened.key((Qt.Key.Key_S, CTRL))
    assert "No space left on device" in opened.message
    assert "Nothing is lost" in opened.message
    assert "Save elsewhere …" in opened.window.messages.choices
    assert opened.desk.session.is_dirty


def test_leaving_with_changes_asks_in_place(opened: Driver, saved: Path) -> None:
    opened.select("n1")
    opened.key("5")
    opened.window.close()
    assert opened.window.isVisible()
    assert opened.window.messages.choices == ("Save and leave", "Leave without saving", "Stay")
    opened.window.messages.choose("Save and leave")
    assert not opened.window.isVisible()
    assert project_file.load(saved).note("n1").fret == 5
    assert left_behind() == []


def test_leaving_without_saving_leaves_the_file_and_no_journal(opened: Driver, saved: Path) -> None:
    before = saved.read_bytes()
    opened.select("n1")
    opened.key("5")
    assert journals(saved)
    opened.window.close()
    opened.window.messages.choose("Leave without saving")
    assert saved.read_bytes() == before
    assert not journals(saved)


def test_opening_another_file_asks_about_changes(opened: Driver, lick_file: Path) -> None:
    opened.select("n1")
    opened.key("5")
    opened.open(lick_file)
    assert "not saved" in opened.message
    assert len(opened.project.notes) == 8
    opened.window.messages.choose("Let them go")
    opened.settle()
    assert len(opened.project.notes) == 4


# -- more than one editor -----------------------------------------------------------------------------------------


def test_a_project_open_elsewhere_is_looked_at_or_copied(driver: Driver, saved: Path) -> None:
    other = open_document(saved)
    driver.open(saved)
    assert "is open for editing in another Notcher" in driver.message
    assert "only looked at here" in driver.window.title.text()
    before = driver.project
    driver.select("n1")
    driver.key("5")
    assert driver.project == before
    assert "work on a copy" in driver.message
    driver.window.messages.choose("Work on a copy")
    driver.select("n1")
    driver.key("5")
    assert driver.project.note("n1").fret == 5
    asked: list[str] = []
    driver.window.tasks.ask.save_file = lambda title, suggestion, kind: asked.append(suggestion)
    driver.key((Qt.Key.Key_S, CTRL))
    assert asked == [str(saved.with_name("p copy.notcher"))]
    driver.window.tasks.ask.save_file = lambda *_: saved.with_name("mine.notcher")
    driver.key((Qt.Key.Key_S, CTRL))
    assert project_file.load(saved.with_name("mine.notcher")).recording.path == "solo.wav"
    assert project_file.load(saved).note("n1").fret == 9
    other.close()


def test_the_same_window_opens_its_own_file_again(opened: Driver, saved: Path) -> None:
    opened.select("n1")
    opened.key("5")
    opened.open(saved)
    opened.window.messages.choose("Let them go")
    opened.settle()
    assert opened.project.note("n1").fret == 9
    assert not opened.desk.session.looking
    assert not journals(saved)


def test_what_is_let_go_for_a_file_that_cannot_be_opened_is_still_here(opened: Driver, tmp_path: Path) -> None:
    opened.select("n1")
    opened.key("5")
    opened.open(wrong(tmp_path, "broken.notcher"))
    opened.window.messages.choose("Let them go")
    opened.settle()
    assert opened.project.note("n1").fret == 5
    assert opened.desk.session.is_dirty
    assert left_behind() == []


def changed_on_disk(opened: Driver, saved: Path) -> None:
    """One's own edit of n1, another one's of n2 on disk, and the wish to save."""
    opened.select("n1")
    opened.key("5")
    theirs = project_file.load(saved)
    changed = [replace(n, fret=3) if n.id == "n2" else n for n in theirs.notes]
    project_file.save(theirs.with_notes(changed), saved)
    opened.key((Qt.Key.Key_S, CTRL))
    opened.settle()
    assert "was changed by something else" in opened.message
    assert project_file.load(saved).note("n1").fret == 9, "nothing is written unasked"


def test_a_file_changed_on_disk_is_compared_and_one_s_own_written_over_it(opened: Driver, saved: Path) -> None:
    changed_on_disk(opened, saved)
    opened.window.messages.choose("What differs")
    assert opened.desk.room == HAND_OUT
    assert any("fret 3" in line for line in opened.handout.kept.lines())
    opened.window.messages.choose("Write mine over it")
    written = project_file.load(saved)
    assert (written.note("n1").fret, written.note("n2").fret) == (5, 11)
    assert [s.notes[1].fret for s in written.states] == [3], "theirs is kept as a state, once"
    assert not opened.desk.session.is_dirty


def test_theirs_can_be_taken_and_undone(opened: Driver, saved: Path) -> None:
    changed_on_disk(opened, saved)
    opened.window.messages.choose("Take theirs")
    assert (opened.project.note("n1").fret, opened.project.note("n2").fret) == (9, 3)
    assert opened.project.states[-1].notes[0].fret == 5
    opened.key((Qt.Key.Key_Z, CTRL))
    assert opened.project.note("n1").fret == 5
    opened.key((Qt.Key.Key_S, CTRL))
    assert project_file.load(saved).note("n1").fret == 5


def test_a_file_made_unreadable_on_disk_can_be_written_over(opened: Driver, saved: Path) -> None:
    opened.select("n1")
    opened.key("5")
    saved.write_text("half a fi")
    opened.key((Qt.Key.Key_S, CTRL))
    opened.settle()
    assert "cannot be read" in opened.message
    opened.window.messages.choose("Write mine over it")
    assert project_file.load(saved).note("n1").fret == 5


def test_a_disk_that_is_full_is_said_and_healed(opened: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as no_room:
        no_room.setattr("notcher.document.journal.os.fdatasync", full)
        opened.select("n1")
        opened.key("5")
        assert "cannot be kept for recovery (No space left on device)" in opened.message
    opened.desk.session.keep()
    assert "all edits are kept" in opened.message
    assert opened.desk.session.document.unkept is None


# -- recovery ------------------------------------------------------------------------------------------------------

_KILLED = (
    IN_A_PROCESS
    + """
def edit():
    w = windows[0]
    w.desk.session.select(frozenset({"n1"}))
    QTest.keyClick(w, Qt.Key.Key_7)
    w.desk.session.select(frozenset({"n2"}))
    QTest.keyClick(w, Qt.Key.Key_5)
    os.kill(os.getpid(), signal.SIGKILL)
start.run_window(Path(sys.argv[1]), painted=lambda: QTimer.singleShot(200, edit))
"""
)


def test_a_killed_window_gives_its_edits_back(driver: Driver, saved: Path) -> None:
    """The real program in a process of its own, two edits by keys, kill -9; then the file is opened again."""
    before = saved.read_bytes()
    done = subprocess.run([sys.executable, "-c", _KILLED, str(saved)], env=dict(os.environ), check=False, timeout=60)
    assert done.returncode == -9
    assert saved.read_bytes() == before
    driver.open(saved)
    assert "2 edits made before Notcher was last stopped" in driver.message
    assert (driver.project.note("n1").fret, driver.project.note("n2").fret) == (7, 5)
    assert driver.desk.session.is_dirty
    driver.window.messages.choose("Go back to the file as saved")
    driver.settle()
    assert driver.project.note("n1").fret == 9
    assert not driver.desk.session.is_dirty


def test_a_damaged_project_with_a_journal_gives_the_work_back(driver: Driver, saved: Path) -> None:
    done = subprocess.run([sys.executable, "-c", _KILLED, str(saved)], env=dict(os.environ), check=False, timeout=60)
    assert done.returncode == -9
    saved.write_text("{ broken by something else")
    driver.open(saved)
    assert driver.project.note("n1").fret == 7
    assert "JSON is broken" in driver.message


def test_work_that_had_no_file_comes_back_at_the_next_start(driver: Driver, lick_file: Path) -> None:
    code = _KILLED.replace("QTimer.singleShot(200, edit)", "None").replace(
        "start.run_window", "QT = None\nimport notcher.app.state.session as s\n"
        "old = s.Session.edit\n"
        "def stop(self, *a, **k):\n"
        "    old(self, *a, **k); os.kill(os.getpid(), signal.SIGKILL)\n"
        "s.Session.edit = stop\nstart.run_window"
    )  # fmt: skip
    done = subprocess.run([sys.executable, "-c", code, str(lick_file)], env=dict(os.environ), check=False, timeout=90)
    assert done.returncode == -9
    assert driver.window.tasks.opening.recover_unsaved()
    driver.settle()
    assert [n.pitch(driver.project.tuning) for n in driver.project.notes] == [64, 67, 69, 69]
    assert "never saved came back" in driver.message


def test_an_unexpected_error_is_written_down_and_said(opened: Driver) -> None:
    from notcher.app.shell.start import _on_error, log_path

    _on_error(opened.window.messages.say, ValueError, ValueError("oh"), None)
    assert "Something went wrong inside Notcher" in opened.message
    assert str(log_path()) in opened.message


def test_a_file_that_is_not_there_is_said_before_the_window_opens(tmp_path: Path) -> None:
    with pytest.raises(NotcherError, match="there is no file"):
        run_window(tmp_path / "nothing.notcher")


def test_settings_that_cannot_be_read_are_as_at_first(own_folders: None) -> None:
    from notcher.app.state.settings import Settings
    from notcher.score.playing import USUAL

    Settings.path().parent.mkdir(parents=True, exist_ok=True)
    Settings.path().write_text("{ half")
    assert Settings.load() == Settings()
    Settings(theme="dark", scale=150).save()
    assert json.loads(Settings.path().read_text())["scale"] == 150
    assert Settings.load() == Settings(theme="dark", scale=150)
    assert replace(Settings.load(), scale=100).theme == "dark"
    Settings.path().write_text('{"playing": {"hand": "foot", "scale_mm": "long"}}')
    assert Settings.load().usual == USUAL
