"""Scores from elsewhere in the window: opened, lined up with a recording, laid over one, and refused."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import NOTCH
from notcher.audio import RATE
from notcher.formats import project_file
from notcher.formats.musicxml import musicxml
from notcher.score.project import Project, Recording
from notcher.score.tempo import TempoMap
from tests.app.conftest import Driver
from tests.conftest import note, small_project, tone, write_audio

PITCHES = (64, 67, 69, 71, 69, 67, 64, 67)


def score_of_a_scale(tmp_path: Path) -> Path:
    notes = tuple(note(k + 1, k * 0.5, 1, p - 64, length=0.5) for k, p in enumerate(PITCHES))
    project = Project(
        Recording("", "0" * 64, 5.0, 44100, 1), notes=notes, tempo=TempoMap.steady(120, first_beat=0.0, count=12)
    )
    path = tmp_path / "scale.musicxml"
    path.write_text(musicxml(project, notes))
    return path


def recording_of_it(tmp_path: Path) -> Path:
    """A second of silence, then the same notes at 100 bpm."""
    sounds = [np.zeros(RATE, np.float32)] + [tone(440 * 2 ** ((p - 69) / 12), 0.6) for p in PITCHES]
    return write_audio(tmp_path / "scale.wav", np.concatenate(sounds))


def test_a_score_opens_without_a_recording(driver: Driver, tmp_path: Path) -> None:
    project = small_project()
    path = tmp_path / "solo.musicxml"
    path.write_text(musicxml(project, project.notes))
    driver.open(path)
    assert len(driver.project.notes) == 8
    assert driver.desk.room == NOTCH
    assert driver.message.startswith("8 notes read from 'Lead guitar'")
    assert driver.desk.transport.player.sources[0].startswith("Written tab")
    driver.window.messages.choose("Go on without one")
    goal = tmp_path / "kept.notcher"
    driver.window.tasks.ask.save_file = lambda *_: goal
    driver.key((Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier))
    driver.open(goal)
    assert len(driver.project.notes) == 8
    assert "missing" not in driver.message
    assert project_file.load(goal).recording.path == ""


def test_a_score_is_lined_up_with_a_recording(driver: Driver, tmp_path: Path) -> None:
    driver.open(score_of_a_scale(tmp_path))
    driver.window.tasks.ask.open_file = lambda _: recording_of_it(tmp_path)
    driver.window.messages.choose("Line it up with a recording …")
    driver.settle()
    assert driver.message.startswith("8 of 8 notes of the score were found in the recording")
    onsets = [n.onset for n in driver.project.notes]
    assert onsets == pytest.approx([1 + 0.6 * k for k in range(8)], abs=0.05)
    assert driver.project.tempo is not None
    assert driver.project.tempo.bpm() == pytest.approx(100, rel=0.02)
    assert Path(driver.project.recording.path).name == "scale.wav"
    assert driver.desk.transport.audio is not None
    driver.window.desk.session.undo()
    assert driver.project.recording.path == ""


def test_a_score_is_laid_over_the_recording_that_is_open(driver: Driver, tmp_path: Path) -> None:
    driver.open(recording_of_it(tmp_path))
    heard = driver.project
    driver.window.tasks.ask.open_file = lambda _: score_of_a_scale(tmp_path)
    driver.window._run("file.lay-over")
    driver.settle()
    assert "8 of 8 notes of the score were found" in driver.message
    assert [n.pitch(driver.project.tuning) for n in driver.project.notes] == list(PITCHES)
    assert all(n.by_hand for n in driver.project.notes)
    assert driver.project.contour == heard.contour
    driver.window.desk.session.undo()
    assert driver.project == heard


def test_a_long_list_of_what_was_not_understood_is_copied(driver: Driver, tmp_path: Path) -> None:
    from PyQt6.QtWidgets import QApplication

    path = tmp_path / "odd.txt"
    path.write_text("\n".join(f"{c}|--5--7q--%--8?--&--|" for c in "eBGDAE"))
    driver.open(path)
    assert "Not understood: line 1, column 9: 'q'; " in driver.message
    assert "more" in driver.message
    driver.window.messages.choose("Copy what was not understood")
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert len(clipboard.text().splitlines()) == 18


def test_a_broken_score_leaves_what_is_open(opened: Driver, tmp_path: Path) -> None:
    before = opened.project
    path = tmp_path / "cut.musicxml"
    path.write_text("<score-partwise><part")
    opened.open(path)
    assert "cut off" in opened.message
    assert "\n" not in opened.message
    assert opened.project is before


def test_lining_up_needs_notes(driver: Driver, tmp_path: Path) -> None:
    driver.window.tasks.scores.ask_and_line_up()
    assert "no notes" in driver.message
    driver.window.tasks.scores.ask_and_lay_over()
    assert "Measure a recording first" in driver.message
