"""Widgets that nobody needs any more are taken apart on the interface's thread, whatever runs beside it."""

import gc
import threading

from PyQt6.QtCore import QObject

from notcher.app.jobs.job import Job
from notcher.app.shell.collector import Collector
from tests.app.conftest import Driver


class _Ring:
    """Garbage that only the collector finds; it says in which thread it went."""

    went: list[int] = []

    def __init__(self) -> None:
        self.ring = self

    def __del__(self) -> None:
        _Ring.went.append(threading.get_ident())


def test_work_that_makes_many_objects_collects_nothing_itself(opened: Driver) -> None:
    assert not gc.isenabled()
    gc.collect()
    _Ring.went = []
    for _ in range(50):
        _Ring()
    job: Job[int] = Job(lambda *_: len([[k] for k in range(300_000)]))
    with opened.bot.waitSignal(job.finished, timeout=20000):
        job.start()
    kept = [[k] for k in range(5000)]
    opened.bot.waitUntil(lambda: len(_Ring.went) == 50, timeout=10000)
    assert set(_Ring.went) == {threading.get_ident()}
    assert len(kept) == 5000


def test_the_collector_is_given_back_with_the_last_window() -> None:
    was = Collector._windows
    first, second = QObject(), QObject()
    one, two = Collector(first), Collector(second)
    one.end()
    one.end()
    assert not gc.isenabled()
    two.end()
    assert Collector._windows == was
    assert gc.isenabled() is (was == 0)
