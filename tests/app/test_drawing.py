"""What is on the strand view's pixels: spans, outline, certainty by colour, the ribbon at its height."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QApplication

from notcher.app.rooms.table import ROOMS
from notcher.app.widgets.outline import spans, wave_image
from notcher.app.widgets.theme import LIGHT
from notcher.score import edits
from notcher.score.curve import simplified
from notcher.score.tuning import NAMED
from tests.app.conftest import Driver

_pairs = st.lists(st.tuples(st.integers(-5, 40), st.integers(1, 12)), max_size=12)


@given(_pairs)
def test_spans_cover_what_the_intervals_cover(pairs: list[tuple[int, int]]) -> None:
    start = np.array([a for a, _ in pairs], dtype=np.int64)
    end = start + np.array([n for _, n in pairs], dtype=np.int64)
    wanted = {x for a, n in pairs for x in range(a, a + n) if 0 <= x < 30}
    found = spans(start, end, 30)
    assert {x for a, b in found for x in range(a, b)} == wanted
    assert all(a < b for a, b in found)
    assert all(b < c for (_, b), (c, _) in itertools.pairwise(found))


def test_the_outline_is_as_high_as_the_sound() -> None:
    high = np.array([0.0, 0.5, 1.0], np.float32)
    image = wave_image(-high, high, 60, "#102030")
    assert (image.width(), image.height()) == (3, 60)
    heights = [sum(image.pixelColor(x, y).alpha() > 0 for y in range(60)) for x in range(3)]
    assert heights[0] <= 2
    assert heights[1] == pytest.approx(60 * 0.5, abs=3)
    assert heights[2] == pytest.approx(60 * 0.98, abs=4)


@given(st.lists(st.floats(-300, 300), min_size=2, max_size=80), st.floats(0.5, 20))
def test_a_simplified_curve_is_nowhere_further_off_than_it_may(values: list[float], tolerance: float) -> None:
    x, y = np.arange(len(values), dtype=np.float64) * 0.005, np.array(values, np.float64)
    corners = simplified(x, y, tolerance=tolerance)
    line = np.interp(x, [c[0] for c in corners], [c[1] for c in corners])
    assert np.max(np.abs(line - y)) <= tolerance + 1e-9
    assert corners[0] == (x[0], y[0])
    assert corners[-1] == (x[-1], y[-1])


def colour_at(driver: Driver, time: float, y: float) -> QColor:
    strand = driver.notch.strand
    return strand.grab().toImage().pixelColor(round(strand.x_of(time)), round(y))


@pytest.mark.parametrize("span", [4.0, 7.9])
def test_certainty_is_seen_at_every_zoom(opened: Driver, span: float, monkeypatch: pytest.MonkeyPatch) -> None:
    """A confirmed note is filled, a proposed one is open, a doubtful one has its own colour; so too from afar."""
    strand = opened.notch.strand
    if span > 5:
        monkeypatch.setattr("notcher.app.rooms.notch.strand._DENSE", 1000.0)
    opened.desk.axis.show_range(6.3 - span, 6.3, margin=0.0)
    frame = strand._frame()
    edge = 3 / strand._per_second
    sure = colour_at(opened, 4.5 + edge, frame.lanes[0] + 2)
    doubt = colour_at(opened, 5.0 + edge, frame.lanes[5] + 2)
    proposed = colour_at(opened, 4.25 + edge, frame.lanes[1] + 3)
    assert sure.name() == LIGHT.sure
    assert doubt.name() == LIGHT.doubt
    assert proposed.name() != LIGHT.sure


def test_the_selected_note_is_seen(opened: Driver) -> None:
    strand = opened.notch.strand
    opened.desk.axis.show_range(0.5, 4.0, margin=0.0)
    opened.select("n1")
    # The panel beside it may have become wider with the note's words: laid out first, then measured.
    strand.grab()
    QApplication.processEvents()
    tag = strand._painter_of_notes(opened.project).tag_rect(opened.project.note("n1"))
    image = strand.grab().toImage()
    row = [image.pixelColor(x, round(tag.top())) for x in range(round(tag.left()), round(tag.right()) - 4)]
    pick = QColor(LIGHT.pick)
    # An edge that falls between two rows of pixels is shared by both.
    near = [max(abs(a - b) for a, b in zip(c.getRgb(), pick.getRgb(), strict=True)) < 50 for c in row]
    assert sum(near) > len(row) / 2


@pytest.mark.parametrize("name", ["standard", "seven-string", "eight-string"])
def test_every_string_is_a_lane_in_each_room(opened: Driver, name: str) -> None:
    tuning = NAMED[name]
    opened.desk.session.edit("more strings", lambda p: replace(p, tuning=tuning))
    opened.desk.session.edit("low", lambda p: edits.add_note(p, onset=6.3, end=6.8, string=tuning.strings, fret=2))
    frame = opened.notch.strand._frame()
    assert len(frame.lanes) == tuning.strings
    assert frame.lanes[-1] < opened.notch.strand.height()
    for room in ROOMS:
        opened.desk.show_room(room.id)
        opened.window.grab()
    opened.source.show_step(2)
    shown = [row[0].isVisible() for row in opened.source.tuning.strings]
    assert sum(shown) == tuning.strings or not opened.source.tuning.isVisible()
