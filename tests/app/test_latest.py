"""Quiet work: one piece at a time, and only the newest result counts."""

import threading

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QObject, QThread
from pytestqt.qtbot import QtBot

from notcher.app.jobs.job import Report, Work
from notcher.app.jobs.latest import Latest
from notcher.score.errors import NotcherError


class Slow:
    """Work that does not look whether it is to stop, and counts how many run at once."""

    def __init__(self) -> None:
        self.go = threading.Event()
        self.begun: list[int] = []
        self.at_once = self.most = 0

    def work(self, k: int) -> Work[int]:
        def run(_report: Report) -> int:
            self.at_once += 1
            self.most = max(self.most, self.at_once)
            self.begun.append(k)
            self.go.wait(10)
            self.at_once -= 1
            return k

        return run


def test_work_does_not_pile_up_and_the_newest_is_done(qtbot: QtBot) -> None:
    parent, slow = QObject(), Slow()
    found: list[int] = []
    latest: Latest[int] = Latest(parent)
    for k in range(20):
        latest.start(slow.work(k), found.append)
    qtbot.waitUntil(lambda: slow.begun == [0])
    assert latest.running
    slow.go.set()
    qtbot.waitUntil(lambda: not latest.running)
    assert found == [19]
    assert slow.begun == [0, 19]
    assert slow.most == 1
    latest.start(slow.work(20), found.append)
    qtbot.waitUntil(lambda: found == [19, 20])
    latest.wait()


def test_what_is_forgotten_is_not_taken(qtbot: QtBot) -> None:
    parent, slow = QObject(), Slow()
    found: list[int] = []
    latest: Latest[int] = Latest(parent)
    latest.start(slow.work(0), found.append)
    latest.start(slow.work(1), found.append)
    latest.forget()
    assert not latest.running
    slow.go.set()
    qtbot.wait(200)
    assert found == []
    assert slow.begun == [0]
    latest.start(slow.work(2), found.append)
    qtbot.waitUntil(lambda: found == [2])
    latest.wait()


@pytest.mark.parametrize("fails", [False, True])
def test_what_comes_for_somebody_who_has_gone_is_not_taken(qtbot: QtBot, fails: bool) -> None:
    """Its thread had ended, and its result waited to be taken, as the window that asked went."""
    parent, taken, over = QObject(), [], threading.Event()

    def work(_report: Report) -> int:
        over.set()
        if fails:
            raise NotcherError("it could not be")
        return 1

    latest: Latest[int] = Latest(parent)
    latest.start(work, lambda _: taken.append(parent.objectName()), lambda _: taken.append(parent.objectName()))
    assert over.wait(10)
    assert latest._job is not None
    QThread.wait(latest._job)
    sip.delete(parent)
    qtbot.wait(50)
    assert taken == []


def test_nothing_is_started_after_the_end(qtbot: QtBot) -> None:
    parent, slow = QObject(), Slow()
    found: list[int] = []
    latest: Latest[int] = Latest(parent)
    latest.start(slow.work(0), found.append)
    latest.start(slow.work(1), found.append)
    slow.go.set()
    latest.wait()
    latest.start(slow.work(2), found.append)
    qtbot.wait(200)
    assert found == []
    assert 2 not in slow.begun
