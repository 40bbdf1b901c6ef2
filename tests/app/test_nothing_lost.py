"""What the window writes never takes the place of a person's file unasked, and leaving it ends no work by force."""

import os
import subprocess
import sys
import threading
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from notcher.app.jobs import job
from notcher.document.recovery import left_of
from notcher.formats.export import EXPORTS
from notcher.formats.film.look import Film
from notcher.formats.packet.wanted import Packet, Part
from notcher.formats.practice import Wanted
from notcher.formats.strip import Each, Strips
from notcher.score.isolation import FIND_OUT
from notcher.score.plays import Plays
from notcher.stopping import look_for_stop
from tests.app.conftest import IN_A_PROCESS, Driver
from tests.conftest import fifths, tone, two_leads, write_audio

CTRL = Qt.KeyboardModifier.ControlModifier
FILM = Film(pace=110, hear="written", width=320, height=240, rate=24, counted=False)


def _sounds(driver: Driver, goal: Path) -> None:
    driver.window.tasks.ask.open_folder = lambda _: goal
    driver.window.tasks.giving.sounds(driver.project, [driver.project.phrases[0]], Wanted((100,), "written", 1))


def _strips(driver: Driver, goal: Path) -> None:
    driver.window.tasks.ask.save_file = lambda *_: goal.with_suffix("")
    driver.window.tasks.giving.strips(driver.project, [driver.project.phrases[0]], Strips())


def _bars(driver: Driver, goal: Path) -> None:
    """Files whose names the dialog did not ask about."""
    driver.window.tasks.ask.save_file = lambda *_: goal.with_name("out.png")
    driver.window.tasks.giving.strips(driver.project, [driver.project.phrases[0]], Strips(each=Each.BAR))


def _film(driver: Driver, goal: Path) -> None:
    driver.window.tasks.ask.save_file = lambda *_: goal.with_suffix("")
    driver.window.tasks.giving.film(driver.project, [driver.project.phrases[0]], FILM)


def _lesson(driver: Driver, goal: Path) -> None:
    driver.window.tasks.ask.save_file = lambda *_: goal.with_suffix("")
    driver.window.tasks.giving.lesson(driver.project, [], recording=False, dialect=0, left_handed=False)


def _packet(driver: Driver, goal: Path) -> None:
    driver.window.tasks.ask.open_folder = lambda _: goal
    driver.window.tasks.giving.packet(driver.project, [], Packet(parts=(Part.TEXT,)), None, zipped=False)


def _zip(driver: Driver, goal: Path) -> None:
    driver.window.tasks.ask.save_file = lambda *_: goal.with_suffix("")
    driver.window.tasks.giving.packet(driver.project, [], Packet(parts=(Part.TEXT,)), None, zipped=True)


def _calendar(driver: Driver, goal: Path) -> None:
    driver.window.tasks.ask.save_file = lambda *_: goal.with_suffix("")
    driver.teach.make_lesson()
    driver.teach.lesson.write_calendar()


def _page(driver: Driver, goal: Path) -> None:
    driver.window.tasks.ask.save_file = lambda *_: goal.with_suffix("")
    driver.teach.make_lesson()
    driver.teach.lesson.write_page()


def _project(driver: Driver, goal: Path) -> None:
    driver.window.tasks.ask.save_file = lambda *_: goal.with_suffix("")
    driver.window.tasks.saving.save_as()


WRITERS: dict[str, tuple[Callable[[Driver, Path], None], str]] = {
    "sounds": (_sounds, "out/01-first-100.flac"), "index": (_sounds, "out/index.json"), "strips": (_strips, "out.png"),
    "bars": (_bars, "out-01.png"), "film": (_film, "out.webm"), "lesson": (_lesson, "out.html"),
    "packet": (_packet, "out/low-tide.txt"), "zip": (_zip, "out.zip"), "calendar": (_calendar, "out.ics"),
    "page": (_page, "out.pdf"), "project": (_project, "out.notcher"),
}  # fmt: skip


@pytest.mark.parametrize("name", WRITERS)
def test_the_window_asks_before_a_file_goes(opened: Driver, tmp_path: Path, name: str) -> None:
    """The dialog asked about another name, as an ending was added or several files are written."""
    write, out = WRITERS[name]
    mine = tmp_path / out
    mine.parent.mkdir(exist_ok=True)
    mine.write_bytes(b"mine")
    before = set(tmp_path.rglob("*"))
    write(opened, tmp_path / out.split("/")[0])
    opened.settle()
    assert "already there" in opened.message
    assert mine.read_bytes() == b"mine"
    assert set(tmp_path.rglob("*")) == before
    assert len(opened.project.states) == 0, "nothing was handed out"
    opened.window.messages.choose("Replace")
    opened.settle()
    assert mine.read_bytes() != b"mine"


@pytest.mark.parametrize("kind", [k.name for k in EXPORTS if k.name not in ("harmony", "backing")])
def test_every_export_asks_before_a_file_goes(opened: Driver, tmp_path: Path, kind: str) -> None:
    row = next(k for k in EXPORTS if k.name == kind)
    mine = tmp_path / f"out{row.endings[0]}"
    mine.write_bytes(b"mine")
    opened.window.tasks.ask.save_file = lambda *_: tmp_path / "out"
    opened.window.tasks.exporting.export(kind, [], opened.project, opened.handout.beside())
    opened.settle()
    assert "already there" in opened.message
    assert mine.read_bytes() == b"mine"
    opened.window.messages.choose("Replace")
    opened.settle()
    assert mine.read_bytes() != b"mine"


def test_sounds_never_take_the_recordings_place(opened: Driver, tmp_path: Path) -> None:
    folder = tmp_path / "out"
    folder.mkdir()
    recording = folder / "01-first-100.flac"
    write_audio(tmp_path / "a.wav", tone(440, 0.5)).rename(recording)
    kept = recording.read_bytes()
    opened.desk.session.edit(
        "moved", lambda p: replace(p, recording=replace(p.recording, path=str(recording.relative_to(tmp_path))))
    )
    _sounds(opened, folder)
    opened.settle()
    assert "what this is made from" in opened.message
    assert recording.read_bytes() == kept


def test_a_file_that_is_written_is_not_dropped_for_another_key(opened: Driver, tmp_path: Path) -> None:
    """Looking for repeats, or anything else that is begun meanwhile, waits or is told of."""
    go = threading.Event()

    def work(outputs: object, report: object) -> None:
        while not go.wait(0.01):
            look_for_stop()

    from notcher.formats.outputs import FRESH

    done: list[int] = []
    opened.window.tasks.runner.write("Writing out.pdf", FRESH, work, lambda _: done.append(1))
    refused: list[str] = []
    opened.window.tasks.runner.run("Listening", lambda _: 1, lambda _: None, failed=refused.append)
    assert refused == ["Listening was not begun"], "whoever waits for it waits no longer"
    opened.window.tasks.measuring.find_repeats()
    assert "Writing out.pdf is not finished yet" in opened.message
    opened.window.messages.choose("Let it finish")
    go.set()
    opened.settle()
    assert done == [1]


def test_a_write_protected_project_is_asked_about(opened: Driver, saved: Path) -> None:
    opened.desk.session.edit("title", lambda p: replace(p, request=replace(p.request, title="New")))
    saved.chmod(0o444)
    before = saved.read_bytes()
    opened.key((Qt.Key.Key_S, CTRL))
    assert "write-protected" in opened.message
    assert saved.read_bytes() == before
    assert opened.desk.session.is_dirty
    opened.window.messages.choose("Save all the same")
    assert not opened.desk.session.is_dirty
    assert saved.read_bytes() != before
    assert saved.stat().st_mode & 0o777 == 0o444


# -- leaving ---------------------------------------------------------------------------------------------------------


def test_leaving_asks_about_what_is_not_finished(opened: Driver, tmp_path: Path) -> None:
    opened.window.tasks.ask.save_file = lambda *_: tmp_path / "long.webm"
    opened.window.tasks.giving.film(opened.project, [], replace(FILM, rounds=20, width=1280, height=720))
    opened.bot.waitUntil(lambda: list(tmp_path.glob(".notcher-*")) != [], timeout=20000)
    opened.window.close()
    assert opened.window.isVisible()
    assert "Writing long.webm is not finished yet" in opened.message
    assert opened.window.messages.choices == ("Stop it and leave", "Leave when it is finished", "Stay")
    opened.window.messages.choose("Stay")
    assert opened.window.tasks.busy
    opened.window.close()
    opened.window.messages.choose("Stop it and leave")
    opened.bot.waitUntil(lambda: not opened.window.isVisible(), timeout=5000)
    assert job.running() == ()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["p.notcher", "solo.wav"]


def test_one_may_leave_when_it_is_finished(opened: Driver, tmp_path: Path) -> None:
    opened.window.tasks.ask.save_file = lambda *_: tmp_path / "short.webm"
    opened.window.tasks.giving.film(opened.project, [opened.project.phrases[0]], FILM)
    opened.window.close()
    opened.window.messages.choose("Leave when it is finished")
    opened.bot.waitUntil(lambda: not opened.window.isVisible(), timeout=20000)
    assert (tmp_path / "short.webm").stat().st_size > 1000


def test_leaving_waits_for_what_stops_late_and_says_so(opened: Driver) -> None:
    """Work that does not look for its stop: the window says what it waits for, and one may stay."""
    go = threading.Event()
    opened.window.tasks.runner.run("Thinking", lambda _: go.wait(30), lambda _: None)
    opened.window.close()
    opened.window.messages.choose("Stop it and leave")
    opened.bot.waitUntil(lambda: "as soon as it has stopped" in opened.message, timeout=5000)
    assert opened.window.isVisible()
    opened.window.messages.choose("Stay")
    go.set()
    opened.bot.wait(200)
    assert opened.window.isVisible()
    opened.window.close()
    opened.bot.waitUntil(lambda: not opened.window.isVisible(), timeout=5000)


_CLOSED_IN_A_FILM = (
    IN_A_PROCESS
    + """
from notcher.formats.film.look import Film
folder = Path(sys.argv[2])
def begin():
    w = windows[0]
    w.tasks.ask.save_file = lambda *_: folder / "long.webm"
    w.tasks.giving.film(w.desk.session.project, [], Film(pace=50, hear="written"))
    look()
def look():
    if list(folder.glob(".notcher-*")):
        leave()
    else:
        QTimer.singleShot(20, look)
def leave():
    windows[0].close()
    windows[0].messages.choose("Stop it and leave")
status = start.run_window(Path(sys.argv[1]), painted=lambda: QTimer.singleShot(100, begin))
print("left with", status, flush=True)
from notcher import stopping
if stopping.left_apart():
    os._exit(status)
"""
)


@pytest.mark.slow
def test_the_program_closed_in_the_middle_of_a_film_ends_well(tmp_path: Path) -> None:
    """In a process of its own: an abort, or a thread that outlives its window, would be its end."""
    from notcher.demo_copy import demo_project

    out = tmp_path / "out"
    out.mkdir()
    done = subprocess.run(
        [sys.executable, "-c", _CLOSED_IN_A_FILM, str(demo_project()), str(out)],
        capture_output=True, text=True, timeout=120, check=False, env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "left with 0" in done.stdout
    assert "QThread" not in done.stderr
    assert list(out.iterdir()) == []


_ENDED_BY_A_SIGNAL = (
    IN_A_PROCESS
    + """
from dataclasses import replace
from notcher.formats.film.look import Film
folder = Path(sys.argv[2])
def begin():
    w = windows[0]
    w.desk.session.edit("tune", lambda p: replace(p, offset_cents=33.0))
    w.tasks.ask.save_file = lambda *_: folder / "long.webm"
    w.tasks.giving.film(w.desk.session.project, [], Film(pace=50, hear="written"))
    look()
def look():
    if list(folder.glob(".notcher-*")):
        os.kill(os.getpid(), signal.SIGTERM)
    else:
        QTimer.singleShot(20, look)
status = start.run_window(Path(sys.argv[1]), painted=lambda: QTimer.singleShot(100, begin))
print("left with", status, flush=True)
os._exit(status)
"""
)


@pytest.mark.slow
def test_a_session_that_ends_keeps_edits_and_leaves_no_half_film(tmp_path: Path) -> None:
    from notcher.demo_copy import demo_project

    out, project = tmp_path / "out", demo_project()
    out.mkdir()
    done = subprocess.run(
        [sys.executable, "-c", _ENDED_BY_A_SIGNAL, str(project), str(out)],
        capture_output=True, text=True, timeout=120, check=False, env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    assert "left with 0" in done.stdout, done.stderr
    assert list(out.iterdir()) == []
    assert [left.recovered.project.offset_cents for left in left_of(project)] == [33.0]


# -- a lead that is not sure -----------------------------------------------------------------------------------------


def test_a_doubtful_lead_is_asked_about_and_stops_nobody(driver: Driver, tmp_path: Path) -> None:
    """Noise: nobody would call it a lead, and who listens anyway is not held up."""
    rng = np.random.default_rng(1)
    noise = rng.normal(0, 0.1, 2 * 44100)
    sound = write_audio(tmp_path / "noise.wav", noise)
    driver.open(sound)
    assert "I am not sure that a lead guitar plays here. Where does it sit?" in driver.message
    assert driver.window.messages.choices[0] == "Listen anyway"
    assert driver.project.notes == ()
    driver.key(Qt.Key.Key_F5)
    driver.settle()
    assert driver.project.lead.stereo_position == "mix"
    assert "not sure" not in driver.message


def test_of_two_places_that_sound_as_clear_the_other_is_one_key_away(driver: Driver, tmp_path: Path) -> None:
    driver.open(write_audio(tmp_path / "two.wav", two_leads()))
    assert "both sound about equally clear" in driver.message
    first, other = driver.project.lead, driver.project.other_lead
    assert other is not None
    before = [n.onset for n in driver.project.notes]
    driver.key(Qt.Key.Key_F6)
    driver.settle()
    assert (driver.project.lead, driver.project.other_lead) == (other, first), "A swaps back"
    assert driver.project.notes
    assert [n.onset for n in driver.project.notes] != before
    assert "both sound about equally clear" not in driver.message, "it was said where it sits"


def test_a_riff_that_is_no_lead_is_measured_as_one(driver: Driver, tmp_path: Path) -> None:
    """What plays is chosen in the Source room, or where it is asked about."""
    driver.open(write_audio(tmp_path / "riff.wav", fifths(40, 43, 45, 40, 43, 46)))
    panel = driver.source.isolate
    panel.plays[Plays.RIFF].click()
    assert driver.project.lead == FIND_OUT, "a riff may sit elsewhere than a line"
    panel.measure_all.click()
    driver.settle()
    assert driver.project.plays is Plays.RIFF
    assert panel.plays[Plays.RIFF].isChecked()
    assert driver.project.lead.low_hz == 60.0
    assert {40, 47} <= {n.pitch(driver.project.tuning) for n in driver.project.notes}
