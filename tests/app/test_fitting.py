"""The window is never larger than its screen: every room with all that can be open together, at two sizes of type."""

import itertools
from collections.abc import Iterator

import pytest
from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QAbstractSlider, QApplication, QWidget
from pytestqt.qtbot import QtBot

from notcher.app.rooms.ids import HAND_OUT, NOTCH, PLACE, SOURCE, TEACH
from notcher.app.rooms.table import ROOMS
from notcher.app.shell.messages import A_LETTER_MS, LEAST_MS, MessageBar
from notcher.app.shell.window import Window
from notcher.app.widgets.fitting import Fitted, first_size
from notcher.app.widgets.theme import load_fonts
from notcher.demo_copy import demo_project
from tests.app.conftest import Driver, shown_window

SCREENS = ((1280, 680), (1366, 640))
# What can be opened in each room, by the names that commands ask for it, and those of which only one is open at a time.
PANELS: dict[str, tuple[str, ...]] = {
    NOTCH: ("say", "find", "move", "why", "chords"), PLACE: (), SOURCE: (),
    TEACH: ("teach-neck", "teach-cue", "teach-lesson", "teach-takes", "teach-words", "teach-pedals"),
}  # fmt: skip
QUESTION = "Where does the hand sit in the first phrase? The rest of the solo follows your word. " * 3


@pytest.fixture
def demo(qtbot: QtBot, own_folders: None) -> Iterator[Driver]:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    app.setStyle("Fusion")
    load_fonts()
    with shown_window(qtbot) as driver:
        driver.open(demo_project())
        yield driver


def settle(driver: Driver) -> None:
    for _ in range(4):
        QApplication.processEvents()


def inside(window: Window, part: QWidget) -> bool:
    """Whether all of a part lies in the window."""
    place = QRect(part.mapTo(window, QPoint(0, 0)), part.size())
    return part.isVisible() and window.rect().contains(place)


def open_all(driver: Driver, room: str, wanted: tuple[str, ...]) -> None:
    window = driver.window
    driver.desk.show_room(room)
    driver.select(driver.project.notes[3].id)
    for name in wanted:
        window._answers[name]()
        settle(driver)


@pytest.mark.parametrize("scale", [100, 125])
@pytest.mark.parametrize("room", [r.id for r in ROOMS])
def test_all_that_can_be_open_fits_the_screen(demo: Driver, room: str, scale: int) -> None:
    window = demo.window
    window.settings.scale = scale
    window._apply_looks()
    for size in SCREENS:
        window.resize(QSize(*size))
        settle(demo)
        assert (window.width(), window.height()) == size
    panels = PANELS.get(room, ())
    for count in range(len(panels) + 1):
        for wanted in itertools.combinations(panels, count):
            open_all(demo, room, wanted)
            window.messages.say(QUESTION, ("One", lambda: None), ("Another", lambda: None), ("Leave it", lambda: None))
            window.work_bar.begin("Listening", lambda: None)
            for size in SCREENS:
                window.resize(QSize(*size))
                settle(demo)
                assert (window.width(), window.height()) == size, (wanted, "the window grew")
                assert inside(window, window.transport_bar), wanted
                assert inside(window, window.messages), wanted
                assert window.messages.height() >= window.messages.heightForWidth(window.messages.width())
                if room == NOTCH:
                    assert inside(window, demo.notch.strand), wanted
                    lanes = demo.notch.strand._frame().lanes
                    assert 0 < min(lanes) <= max(lanes) < demo.notch.strand.height(), wanted
                if room == TEACH:
                    assert inside(window, demo.teach.tab), wanted
            window.work_bar.end()
            window.messages.clear()
            close_teach(demo)
            close_notch(demo)


def close_notch(driver: Driver) -> None:
    driver.notch.chords.close_field()
    for panel in driver.notch.below.panels:
        panel.hide()


def close_teach(driver: Driver) -> None:
    settings, teach = driver.window.settings, driver.teach
    for panel in (teach.words, teach.pedals):
        panel.hide()
    for on, toggle in (
        (settings.cue, teach.toggle_cue), (settings.lesson, teach.toggle_lesson), (settings.takes, teach.toggle_takes),
        (settings.neck_in_teach, teach.toggle_neck),
    ):  # fmt: skip
        if on:
            toggle()


def test_a_panel_that_is_opened_can_be_reached(demo: Driver) -> None:
    """It is scrolled to, and the strings stay in view."""
    window = demo.window
    window.resize(1280, 680)
    demo.desk.show_room(NOTCH)
    demo.select(demo.project.notes[3].id)
    for name in ("say", "find", "move", "why"):
        window._answers[name]()
        demo.bot.wait(50)
    shared, evidence = demo.notch.below, demo.notch.evidence
    port, bar = shared.viewport(), shared.verticalScrollBar()
    assert port is not None
    assert bar is not None

    def top() -> int:
        return evidence.mapTo(port, QPoint(0, 0)).y()

    # Also when it has grown by what was listened to meanwhile: its head first.
    demo.bot.waitUntil(lambda: evidence.weighed.text() != "" and 0 <= top() < port.height(), timeout=20000)
    assert inside(window, demo.notch.strand)
    # Whoever scrolls away stays there.
    bar.triggerAction(QAbstractSlider.SliderAction.SliderToMinimum)
    evidence.resize(evidence.width(), evidence.height() + 20)
    demo.bot.wait(50)
    assert bar.value() == 0


def test_the_first_size_is_that_of_the_screen() -> None:
    assert first_size(QSize(1920, 1080)) == QSize(1280, 800)
    assert first_size(QSize(1366, 700)) == QSize(1280, 664)
    assert first_size(QSize(1280, 680)).height() <= 680
    assert first_size(QSize(800, 500)).width() <= 800


def test_messages_cover_nothing_that_moves_and_leave_by_themselves(
    demo: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = demo.window
    demo.desk.show_room(HAND_OUT)
    window.messages.clear()
    settle(demo)
    before = window.stack.geometry()
    monkeypatch.setattr("notcher.app.shell.messages.LEAST_MS", 150)
    monkeypatch.setattr("notcher.app.shell.messages.A_LETTER_MS", 1)
    window.messages.say("something that asks nothing")
    settle(demo)
    assert window.stack.geometry() == before, "nothing moves"
    demo.bot.waitUntil(lambda: not window.messages.text, timeout=3000)
    demo.key(Qt.Key.Key_F8)
    assert window.messages.text == "Something that asks nothing.", "it can be read again"
    window.messages.say("a question", ("Yes", lambda: None))
    demo.bot.wait(600)
    assert window.messages.choices == ("Yes",), "what is asked stays"
    assert LEAST_MS >= 5000
    assert A_LETTER_MS >= 50


def test_a_fitted_view_scrolls(qtbot: QtBot) -> None:
    view = QWidget()
    view.setMinimumSize(400, 900)
    fitted = Fitted(view)
    qtbot.addWidget(fitted)
    fitted.resize(500, 300)
    fitted.show()
    assert fitted.minimumSizeHint() == QSize(1, 1)
    assert view.height() == 900
    bar = fitted.verticalScrollBar()
    assert bar is not None
    assert bar.maximum() > 0
    assert isinstance(MessageBar().last, str)
