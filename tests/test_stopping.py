"""Work is stopped: deep inside, in a library's long call, and by Ctrl+C, with nothing left half done."""

import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from notcher.demo_copy import demo_project
from notcher.stopping import CancelledError, apart, left_apart, look_for_stop, stop_asked, stoppable


def test_nobody_asks_where_nobody_can() -> None:
    look_for_stop()
    assert not stop_asked()
    assert apart(threading.get_ident) == threading.get_ident(), "it simply runs"


def test_what_is_inside_stops() -> None:
    asked: list[int] = []

    def work() -> None:
        while True:
            asked.append(1)
            look_for_stop()

    with pytest.raises(CancelledError, match="^$"), stoppable(lambda: len(asked) > 3):
        work()
    look_for_stop()


def test_each_thread_is_asked_by_itself() -> None:
    found: list[bool] = []
    with stoppable(lambda: True):
        other = threading.Thread(target=lambda: found.append(stop_asked()))
        other.start()
        other.join()
        assert stop_asked()
    assert found == [False]


def test_what_cannot_look_is_left_to_end_by_itself() -> None:
    go = threading.Event()
    stop = threading.Event()
    threading.Timer(0.1, stop.set).start()
    with pytest.raises(CancelledError, match="^$"), stoppable(stop.is_set):
        apart(lambda: go.wait(30))
    assert left_apart()
    go.set()
    for _ in range(100):
        if not left_apart():
            break
        time.sleep(0.02)
    assert not left_apart()


def test_apart_gives_what_is_inside_and_what_it_raises() -> None:
    def failing() -> None:
        raise ZeroDivisionError

    with stoppable(lambda: False):
        assert apart(lambda: 7) == 7
        with pytest.raises(ZeroDivisionError, match="^$"):
            apart(failing)
        assert apart(lambda: apart(lambda: stop_asked())) is False


# Each with what shows that it is at work: a file or folder that begins with this name.
COMMANDS: dict[str, list[str]] = {
    "packet": ["packet", "P", "-o", "out", "--paces", "25,30,50", "--phrase", "Climb", "--keep-no-state"],
    "zip": ["packet", "P", "-o", "out.zip", "--paces", "25,30,50", "--phrase", "Climb", "--keep-no-state"],
    "state": ["packet", "P", "-o", "out", "--paces", "25,30,50", "--phrase", "Climb"],
    "practice": ["practice", "P", "-o", "out", "--hear", "rest", "--rounds", "8"],
    "film": ["film", "P", "out.webm", "--pace", "25", "--phrase", "Climb"],
    "mp4": ["film", "P", "out.mp4", "--pace", "25", "--phrase", "Climb"],
    "frames": ["film", "P", "out", "--frames", "--pace", "25", "--phrase", "Climb"],
    "isolate": ["isolate", "A", "-o", "out.wav", "--rest", "rest.wav"],
    "transcribe": ["transcribe", "A", "-o", "out.notcher"],
}
BEGINS_LATE = {"isolate", "transcribe"}
"""Those that write nothing until the end."""


WAYS = [(name, signal.SIGINT) for name in COMMANDS] + [(name, signal.SIGTERM) for name in ("packet", "film")]


@pytest.mark.slow
@pytest.mark.parametrize(("name", "how"), WAYS, ids=lambda v: v if isinstance(v, str) else v.name)
def test_a_command_that_is_stopped_leaves_nothing(tmp_path: Path, name: str, how: signal.Signals) -> None:
    project = demo_project()
    audio = next(p for p in project.parent.iterdir() if p.suffix in (".flac", ".ogg", ".wav"))
    before = project.read_bytes()
    words = [{"P": str(project), "A": str(audio)}.get(w, w) for w in COMMANDS[name]]
    running = subprocess.Popen(
        [sys.executable, "-m", "notcher.cli", *words], cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
        text=True, env=os.environ | {"LC_ALL": "C"},
    )  # fmt: skip
    until = time.monotonic() + 60
    while not list(tmp_path.glob(".notcher-*")) and name not in BEGINS_LATE and time.monotonic() < until:
        time.sleep(0.02)
        assert running.poll() is None, running.communicate()
    time.sleep(3.0 if name in BEGINS_LATE else 0.4)
    running.send_signal(how)
    if how is signal.SIGINT:
        time.sleep(0.02)
        # Pressed again by somebody who does not wait.
        running.send_signal(how)
    out, err = running.communicate(timeout=60)
    assert running.returncode == 1, (out, err)
    assert err.splitlines()[-1] == "notcher: stopped"
    assert "Traceback" not in err
    assert list(tmp_path.iterdir()) == []
    assert project.read_bytes() == before
