"""What is drawn in the Source room: pixels where the document says they must be."""

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import QWidget

from notcher.app.rooms.source.recording_map import _columns
from notcher.app.widgets.theme import LIGHT
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.project import Contour, Section
from tests.app.conftest import Driver

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def source(opened: Driver) -> Driver:
    opened.key((Qt.Key.Key_1, CTRL))
    return opened


def picture(widget: QWidget) -> QImage:
    return widget.grab().toImage()


def count(image: QImage, colour: str, x: range, y: range) -> int:
    wanted = QColor(colour).rgb()
    return sum(image.pixel(i, j) == wanted for i in x for j in y)


def test_columns_hold_the_lowest_and_highest_of_each_stretch() -> None:
    contour = Contour(0.0, 0.005, (-1,) * 100 + (60000,) * 50 + (62000,) * 50, (0,) * 100 + (80,) * 100)
    columns = _columns(contour, 2, 1.0)
    assert np.isnan(columns[0]).all()
    assert columns[1].tolist() == pytest.approx([6000.0, 6200.0, 0.8])


def test_the_section_under_the_playhead_is_filled(source: Driver) -> None:
    source.desk.session.edit("s", lambda p: replace(p, sections=(Section("A", 1.0), Section("B", 5.0))))
    sheet = source.source.map
    source.desk.transport.seek(6.0)
    image = picture(sheet)
    a, b = (range(round(sheet.x_of(t)) + 40, round(sheet.x_of(t)) + 80) for t in (1.0, 5.0))
    assert count(image, LIGHT.sure, b, range(4, 8)) > 100
    assert count(image, LIGHT.sure, a, range(4, 8)) == 0


def test_passages_are_underlined_where_notes_are(source: Driver) -> None:
    sheet = source.source.map
    image = picture(sheet)
    y = range(24 + 58 + 74 - 4, 24 + 58 + 74)
    played = range(round(sheet.x_of(2.0)), round(sheet.x_of(2.4)))
    silent = range(round(sheet.x_of(7.0)), round(sheet.x_of(7.4)))
    assert count(image, LIGHT.sure, played, y) > len(played)
    assert count(image, LIGHT.sure, silent, y) == 0


def test_the_loop_is_shaded(source: Driver) -> None:
    sheet = source.source.map
    source.desk.transport.set_loop((6.2, 7.2))
    image = picture(sheet)
    inside = range(round(sheet.x_of(6.4)), round(sheet.x_of(7.0)))
    assert count(image, LIGHT.loop, inside, range(90, 140)) > 20 * len(inside)


def test_a_bar_line_is_thicker_than_a_beat(source: Driver) -> None:
    source.source.show_step(3)
    source.desk.axis.show_range(0.0, 4.0)
    strip = source.source.beat.strip
    image = picture(strip)
    y = range(20, 30)
    bar, beat = (
        count(image, LIGHT.ink, range(round(strip.x_of(t)) - 2, round(strip.x_of(t)) + 3), y) for t in (2.0, 2.5)
    )
    assert bar > beat


def test_taps_are_marked(source: Driver) -> None:
    source.source.show_step(3)
    source.desk.axis.show_range(0.0, 4.0)
    strip = source.source.beat.strip
    strip.show_taps([1.25])
    image = picture(strip)
    x = round(strip.x_of(1.25))
    assert count(image, LIGHT.doubt, range(x - 2, x + 3), range(22, 36)) > 8


def test_the_kept_place_is_framed(source: Driver) -> None:
    source.source.show_step(1)
    pan = source.source.isolate.picture
    places = np.linspace(-1, 1, 42)
    pan.show_profile(places, np.exp(-(((places + 0.5) / 0.1) ** 2)), "")
    pan.show_isolation(Isolation(StereoPosition.PAN, pan=-0.5, width=0.2))
    image = picture(pan)
    assert count(image, LIGHT.pick, range(image.width()), range(image.height())) > 100
    left = count(image, LIGHT.sure, range(image.width() // 2), range(image.height()))
    right = count(image, LIGHT.sure, range(image.width() // 2, image.width()), range(image.height()))
    assert left > 50
    assert right == 0


def test_without_a_recording_the_map_says_what_to_do(driver: Driver) -> None:
    image = picture(driver.source.map)
    colours = {image.pixel(x, y) for x in range(0, image.width(), 3) for y in range(60, 120)}
    assert len(colours) > 3


def test_wheel_and_hover_do_not_edit(source: Driver) -> None:
    before = source.project
    source.source.show_step(3)
    strip = source.source.beat.strip
    source.bot.mouseMove(strip, QPoint(200, 60))
    source.bot.mouseMove(source.source.map, QPoint(300, 10))
    assert source.project == before
