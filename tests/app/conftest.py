"""The window as tests drive it: real keys and clicks, a silent clock for a sound card."""

import functools
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from notcher.app.rooms.handout.room import HandOutRoom
from notcher.app.rooms.ids import HAND_OUT, NOTCH, PLACE, SOURCE, TEACH
from notcher.app.rooms.notch.room import NotchRoom
from notcher.app.rooms.place.room import PlaceRoom
from notcher.app.rooms.source.room import SourceRoom
from notcher.app.rooms.teach.room import TeachRoom
from notcher.app.shell.start import take_down
from notcher.app.shell.window import Window
from notcher.app.state.device import SilentClock
from notcher.app.state.settings import Settings
from notcher.app.widgets.theme import load_fonts
from notcher.audio import RATE
from notcher.audio.decode import file_hash
from notcher.formats import project_file
from notcher.score.project import Contour, Project, Recording
from tests.conftest import small_project, tone, write_audio


@pytest.fixture(scope="session")
def qapp_args() -> list[str]:
    return ["notcher-tests"]


@pytest.fixture(autouse=True)
def _no_sound_card(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("notcher.app.state.transport.open_output", SilentClock)


# The beginning of a script that starts the real program in a process of its own and gets hold of its window.
IN_A_PROCESS = """
import os, signal, sys
from pathlib import Path
from PyQt6.QtCore import QTimer, Qt
from PyQt6.QtTest import QTest
import notcher.app.shell.start as start
from notcher.app.shell.window import Window
windows = []
made = Window.__init__
def keep(self, *a, **k):
    made(self, *a, **k)
    windows.append(self)
Window.__init__ = keep
"""


class Driver:
    """A window and what a person does to it."""

    def __init__(self, window: Window, bot: QtBot) -> None:
        self.window, self.bot = window, bot
        self.desk = window.desk

    @property
    def project(self) -> Project:
        return self.desk.session.project

    @property
    def source(self) -> SourceRoom:
        view = self.window.views[SOURCE]
        assert isinstance(view, SourceRoom)
        return view

    @property
    def notch(self) -> NotchRoom:
        view = self.window.views[NOTCH]
        assert isinstance(view, NotchRoom)
        return view

    @property
    def place(self) -> PlaceRoom:
        view = self.window.views[PLACE]
        assert isinstance(view, PlaceRoom)
        return view

    @property
    def teach(self) -> TeachRoom:
        view = self.window.views[TEACH]
        assert isinstance(view, TeachRoom)
        return view

    @property
    def handout(self) -> HandOutRoom:
        view = self.window.views[HAND_OUT]
        assert isinstance(view, HandOutRoom)
        return view

    def settle(self, seconds: float = 300) -> None:
        """Until nothing is under way any more."""
        self.bot.waitUntil(lambda: not self.window.tasks.busy, timeout=int(seconds * 1000))
        QApplication.processEvents()

    def open(self, path: Path) -> None:
        self.window.tasks.opening.open(path)
        self.settle()

    def key(self, *keys: object) -> None:
        """Press keys on the window: a Qt.Key, a character, or (key, modifiers)."""
        for k in keys:
            key, modifier = k if isinstance(k, tuple) else (k, Qt.KeyboardModifier.NoModifier)
            self.bot.keyClick(self.window, key, modifier)
        self.follow()

    def follow(self) -> None:
        """Until later phrases are placed, too."""
        self.bot.waitUntil(lambda: not self.desk.placing.busy, timeout=20000)
        QApplication.processEvents()

    def select(self, *ids: str) -> None:
        self.desk.session.select(frozenset(ids))

    def click(self, time: float, y: float, *, button: Qt.MouseButton = Qt.MouseButton.LeftButton) -> None:
        strand = self.notch.strand
        self.bot.mouseClick(strand, button, pos=QPoint(round(strand.x_of(time)), round(y)))

    def drag(self, start: float, end: float, y: float) -> None:
        """Along the strand view, between two times in seconds."""
        strand = self.notch.strand
        a, b = (QPoint(round(strand.x_of(t)), round(y)) for t in (start, end))
        self.bot.mousePress(strand, Qt.MouseButton.LeftButton, pos=a)
        for share in (0.3, 0.7, 1.0):
            self.bot.mouseMove(strand, QPoint(round(a.x() + share * (b.x() - a.x())), a.y()))
        self.bot.mouseRelease(strand, Qt.MouseButton.LeftButton, pos=b)

    @property
    def message(self) -> str:
        return self.window.messages.text


@contextmanager
def shown_window(bot: QtBot) -> Iterator[Driver]:
    """The window, shown; gone afterwards without a question."""
    window = Window(Settings())
    # The screen of these tests is 800 pixels wide.
    window.resize(1280, 800)
    window.show()
    bot.waitExposed(window)
    window.activateWindow()
    yield Driver(window, bot)
    window.desk.transport.pause()
    window._leaving = window._stopping = True
    window.end_work()
    window.close()
    # Were it still there, the style sheet of the next window would be worked out for this one's thousand widgets, too.
    take_down(window)
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    app.setStyleSheet("")
    QApplication.processEvents()


@pytest.fixture
def driver(qtbot: QtBot, own_folders: None) -> Iterator[Driver]:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    app.setStyle("Fusion")
    load_fonts()
    with shown_window(qtbot) as driver:
        yield driver


@functools.cache
def _eight_tones() -> np.ndarray:
    """Eight seconds, a second to each tone; made once for all tests."""
    return np.concatenate([tone(329.63 * (1 + 0.1 * k), 1.0) for k in range(8)])


@pytest.fixture
def saved(tmp_path: Path) -> Path:
    """The small project with a recording of eight seconds beside it."""
    sound = _eight_tones()
    recording = write_audio(tmp_path / "solo.wav", np.stack([sound, sound]))
    base = small_project()
    known = Recording("solo.wav", file_hash(recording), len(sound) / RATE, RATE, 2)
    from dataclasses import replace

    contour = Contour(0.0, 0.005, tuple([64000 - 140] * 1600), (90,) * 1600)
    path = tmp_path / "p.notcher"
    project_file.save(replace(base, recording=known, contour=contour), path)
    return path


@pytest.fixture
def opened(driver: Driver, saved: Path) -> Driver:
    """The small project open in the Notch room."""
    driver.open(saved)
    assert driver.desk.room == NOTCH
    driver.notch.strand.setFocus()
    return driver
