"""The lesson and the take in the window: planned, run on the silent clock, recorded from the simulated player."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

from notcher.app.rooms.ids import TEACH
from notcher.app.rooms.teach.lesson_panel import now_and_next
from notcher.app.state.recorder import Recorder, TakeFile
from notcher.app.state.take import State
from notcher.audio import RATE
from notcher.demo_copy import demo_project
from notcher.score.learning import advise, set_phrase_words
from notcher.teach.course import planned
from notcher.teach.layers import Layer
from notcher.teach.plan import read_plan
from notcher.teach.stand_in import Manner, performed
from tests.app.conftest import Driver
from tests.conftest import write_audio

Key, ALT, CTRL = Qt.Key, Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def teaching(opened: Driver) -> Driver:
    opened.desk.show_room(TEACH)
    return opened


def _lines(driver: Driver, *lines: str) -> None:
    driver.teach.lesson.lines.setPlainText("\n".join(lines))
    driver.teach.lesson.take_lines()


def test_one_key_makes_the_plan_and_its_lines_are_edited_in_place(teaching: Driver) -> None:
    teaching.key(("M", ALT))
    panel = teaching.teach.lesson
    assert panel.isVisible()
    lesson = teaching.desk.session.project.lesson
    assert panel.lines.toPlainText() == "\n".join(lesson.lines)
    assert lesson.lines
    _lines(teaching, "all, 50 %, 2 rounds", "Gone, 40 %")
    assert panel.trouble.text().startswith("line 2: there is no phrase 'Gone'")
    _lines(teaching, "all, fast")
    assert "line 1: 'fast' was not understood" in panel.trouble.text()
    assert teaching.desk.session.project.lesson.lines == ("all, fast",), "what was written is kept"
    teaching.key(("Z", CTRL))
    assert panel.lines.toPlainText().endswith("Gone, 40 %")


@pytest.mark.alone
def test_a_lesson_runs_without_hands_and_its_log_is_the_plan(teaching: Driver) -> None:
    project = teaching.desk.session.project
    first, second = (p.name for p in project.phrases[:2])
    lines = (f"{first}, 90 % up to 100 % by 10 %, 2 rounds, breath 1, no count", "pause 1 s",
             f"{second}, 110 %, 1 round, tab, click, no count")  # fmt: skip
    _lines(teaching, *lines)
    teaching.key((Key.Key_Return, CTRL))
    run, wanted = teaching.desk.lesson, []
    for turn in planned(project, read_plan(lines)):
        wanted += [(turn.line, turn.pace, turn.round_s)] * (turn.rounds if turn.step.pause_s == 0 else 0)
    assert run.on
    assert "then" in now_and_next(teaching.desk)
    teaching.bot.waitUntil(lambda: not run.on, timeout=60000)
    assert [(r.line, r.pace) for r in run.log] == [(line, pace) for line, pace, _ in wanted]
    # A busy machine ends a round late by a buffer of sound or two; a step of pace would be 0.3 s.
    assert [r.seconds for r in run.log] == pytest.approx([s for *_, s in wanted], abs=0.2)
    assert teaching.message == "The lesson is over."


def test_a_lesson_is_held_and_gone_on_with_by_one_key(teaching: Driver) -> None:
    name = teaching.desk.session.project.phrases[0].name
    _lines(teaching, f"{name}, 100 %, 3 rounds", "all, 100 %")
    run, transport = teaching.desk.lesson, teaching.desk.transport
    teaching.key((Key.Key_Return, CTRL))
    assert transport.playing
    teaching.key((Key.Key_Return, CTRL))
    assert (run.on, run.held, transport.playing) == (True, True, False)
    teaching.key((Key.Key_Return, CTRL))
    assert transport.playing
    teaching.key((Key.Key_PageDown, CTRL))
    assert run.turn is not None
    assert run.turn.line == 1
    run.stop()
    assert not transport.playing
    assert teaching.teach.coming.text() == ""


def test_a_take_of_the_simulated_player_is_judged_kept_and_drawn(teaching: Driver) -> None:
    teaching.key("R")
    take, bar = teaching.teach.take, teaching.teach.take_bar
    assert (bar.isVisible(), take.state) == (True, State.RECORDING)
    teaching.bot.waitUntil(lambda: take.state is State.IDLE and bool(take.words), timeout=60000)
    assert take.report is not None
    assert take.report.recognised
    assert bar.words.text() == take.words
    (kept,) = teaching.desk.session.project.takes
    assert Path(kept.sound).exists()
    assert kept.pace == pytest.approx(teaching.desk.transport.pace, abs=1.5)
    assert "1 take" in bar.history.in_words()
    assert "The last take" in teaching.teach.tab.in_words()
    assert all(teaching.teach.tab._take_marks.values())


def test_clean_takes_carry_a_lesson_on(teaching: Driver) -> None:
    name = teaching.desk.session.project.phrases[0].name
    teaching.teach.toggle_takes()
    teaching.teach.take_bar.short.setValue(60)
    _lines(teaching, f"{name}, 100 %, 1 clean")
    run = teaching.desk.lesson
    teaching.key((Key.Key_Return, CTRL))
    teaching.bot.waitUntil(lambda: len(teaching.desk.session.project.takes) == 1, timeout=60000)
    assert run.on, "its bend was too short"
    teaching.teach.take_bar.short.setValue(0)
    teaching.bot.waitUntil(lambda: not run.on, timeout=120000)
    assert teaching.desk.session.project.takes[-1].clean


def test_a_sound_dropped_in_the_teach_room_is_a_take(teaching: Driver, tmp_path: Path) -> None:
    project = teaching.desk.session.project
    sound = performed(project, project.phrases[0], Manner(pace=80))
    path = write_audio(tmp_path / "take.wav", sound)
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    buttons, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    teaching.window.dropEvent(QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, mime, buttons, none))
    take = teaching.teach.take
    teaching.bot.waitUntil(lambda: take.state is State.IDLE and bool(take.words), timeout=60000)
    assert teaching.desk.session.project.recording == project.recording
    assert take.report is not None
    assert take.report.pace == pytest.approx(0.8, abs=0.02)


def test_silence_is_said_and_nothing_is_kept_of_it(teaching: Driver, tmp_path: Path) -> None:
    path = write_audio(tmp_path / "silence.wav", np.zeros(2 * RATE, np.float32))
    take = teaching.teach.take
    take.from_file(path)
    teaching.bot.waitUntil(lambda: take.state is State.IDLE, timeout=60000)
    assert take.words == "Nothing can be heard in this take."
    assert teaching.desk.session.project.takes == ()


def test_an_input_that_vanishes_leaves_what_was_recorded(teaching: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    take = teaching.teach.take

    class Unplugged(Recorder):
        """Gives a moment of sound and goes."""

        def start(self) -> None:
            self._give(np.full(RATE // 2, 0.1, np.float32))

    recorder = Unplugged("cable", take)
    monkeypatch.setattr(take, "_made_recorder", lambda: recorder)
    take.record()
    assert take._file is not None
    path = take._file.path
    recorder.lost.emit("the input 'cable' went away; what was recorded is kept")
    teaching.bot.waitUntil(lambda: take.state is State.IDLE, timeout=60000)
    assert "went away" in teaching.message
    assert path.stat().st_size > 0


def test_a_take_that_cannot_be_written_is_judged_all_the_same(tmp_path: Path) -> None:
    file = TakeFile(tmp_path / "no" / "such")
    (tmp_path / "plain").write_text("a file, no folder")
    broken = TakeFile(tmp_path / "plain" / "take.flac")
    assert "could not be kept on disk" in broken.trouble
    for f in (file, broken):
        f.write(np.ones(100, np.float32) * 0.1)
        assert len(f.close()) == 100


def test_a_layer_is_shown_and_heard(teaching: Driver) -> None:
    transport = teaching.desk.transport
    teaching.key("Y")
    assert transport.layer is Layer.NOTES
    stretch = teaching.desk.stretch
    assert stretch is not None
    assert all(n.vibrato is None for n in teaching.desk.shown_notes(stretch.start, stretch.end))
    for _ in range(3):
        teaching.key("Y")
    assert transport.layer is Layer.COLOUR


def test_advice_comes_up_and_the_cue_line_is_said(teaching: Driver) -> None:
    session = teaching.desk.session
    phrase = session.project.phrases[0]
    note = session.project.notes_between(phrase.start, phrase.end)[0]
    session.edit("advice", lambda p: set_phrase_words(p, phrase.id, advice="slowly", listen_for="the breath"))
    session.edit("advice", lambda p: advise(p, {note.id}, text="pick once more"))
    assert teaching.teach.told.text() == "slowly · listen for: the breath"
    teaching.key(("U", ALT))
    assert teaching.teach.cue.isVisible()
    assert teaching.teach.cue.in_words()
    teaching.key(("A", ALT))
    words = teaching.teach.words
    assert (words.advice.text(), words.at_note.text()) == ("slowly", "pick once more")
    words.advice.setText("slower")
    words.advice.editingFinished.emit()
    assert session.project.phrases[0].advice == "slower"


def test_the_sheet_uses_its_room(driver: Driver) -> None:
    """At 1280 x 800 a phrase of six notes fills the width, and all of one of 34 is there with numbers of 22 pixels."""
    driver.open(demo_project())
    driver.window.resize(1280, 800)
    driver.desk.show_room(TEACH)
    tab = driver.teach.tab
    for name, rows in (("Night watch", 1), ("Rigging", 2)):
        driver.desk.loop_phrase(driver.project.phrase_named(name))
        driver.bot.wait(50)
        assert len(tab._page()) == len(tab._rows) == rows
        assert tab._tag * 0.58 * 96 / 72 >= 22
    driver.desk.loop_phrase(driver.project.phrase_named("Night watch"))
    assert tab._tag >= 48


def test_what_is_looped_is_kept_as_a_step(teaching: Driver) -> None:
    transport = teaching.desk.transport
    transport.set_loop((1.0, 2.5))
    transport.set_pace(60)
    transport.set_click(True)
    teaching.key(("K", ALT))
    assert teaching.desk.session.project.lesson.lines == ("loop 0:01.00-0:02.50, 60 %, 4 rounds, click, no count",)
    teaching.desk.loop_phrase(teaching.desk.session.project.phrases[0])
    teaching.key(("K", ALT))
    assert teaching.teach.lesson.lines.toPlainText().splitlines()[1].startswith("First, 60 %")
    transport.set_loop(None)
    teaching.key(("K", ALT))
    assert "nothing is looped" in teaching.message.lower()


def test_the_layer_of_a_step_goes_with_it(teaching: Driver) -> None:
    """After the lesson, ended or over, what was shown before it is shown again."""
    transport, run = teaching.desk.transport, teaching.desk.lesson
    teaching.desk.set_layer(Layer.BENDS)
    name = teaching.desk.session.project.phrases[0].name
    _lines(teaching, f"{name}, 110 %, 1 round, no count, layer notes", f"{name}, 110 %, 1 round, no count")
    run.start()
    assert transport.layer is Layer.NOTES
    run.skip(1)
    assert transport.layer is Layer.BENDS
    run.skip(-1)
    run.stop()
    assert transport.layer is Layer.BENDS
    _lines(teaching, f"{name}, 110 %, 1 round, no count, layer notes")
    run.start()
    teaching.bot.waitUntil(lambda: not run.on, timeout=30000)
    assert transport.layer is Layer.BENDS
