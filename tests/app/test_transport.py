"""The one transport as it is driven in the window."""

import time

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from notcher.app.state.device import SilentClock, open_output
from notcher.app.state.transport import LEAD, RECORDING, REST, STRAIGHT, WRITTEN
from notcher.audio import RATE
from tests.app.conftest import Driver

Key = Qt.Key

pytestmark = pytest.mark.alone


def test_space_plays_and_the_playhead_moves(opened: Driver) -> None:
    opened.desk.transport.seek(1.0)
    opened.key(Key.Key_Space)
    assert opened.desk.transport.playing
    opened.bot.waitUntil(lambda: opened.desk.transport.position > 1.3, timeout=5000)
    opened.key(Key.Key_Space)
    at = opened.desk.transport.position
    assert not opened.desk.transport.playing
    QApplication.processEvents()
    assert opened.desk.transport.position == at
    assert opened.window.transport_bar.play.text() == "Play"


def test_the_window_says_that_a_silent_clock_runs(opened: Driver) -> None:
    opened.key(Key.Key_Space)
    assert "silent clock" in opened.message
    assert opened.window.transport_bar.device.text() == "Silent clock"
    opened.key(Key.Key_Space)


def test_return_plays_again_from_the_loops_start(opened: Driver) -> None:
    opened.desk.transport.set_loop((2.0, 4.0))
    opened.key(Key.Key_Return)
    opened.bot.waitUntil(lambda: opened.desk.transport.position > 2.2, timeout=5000)
    opened.key(Key.Key_Return)
    assert opened.desk.transport.position < 2.2
    assert opened.desk.transport.playing


def test_a_loop_by_dragging_by_phrase_and_around_the_selection(opened: Driver) -> None:
    transport, strand = opened.desk.transport, opened.notch.strand
    opened.desk.axis.show_range(0.5, 7.0)
    opened.drag(2.0, 3.0, 60)
    assert transport.loop == pytest.approx((2.0, 3.0), abs=0.02)
    opened.click(4.5, 60)
    assert transport.loop is None, "a click outside lets the loop go"
    opened.click(1.5, 12)
    assert transport.loop == (0.9, 3.5), "the phrase whose bracket was clicked"
    opened.select("n5", "n6")
    opened.key("l")
    assert transport.loop == pytest.approx((3.92, 4.58))
    opened.key("l")
    assert transport.loop is None
    assert strand.x_of(opened.desk.axis.start) == strand._gutter


def typed_pace(driver: Driver, text: str) -> None:
    field = driver.window.transport_bar.pace
    field.setFocus()
    field.selectAll()
    driver.bot.keyClicks(field, text)
    driver.bot.keyClick(field, Key.Key_Return)
    driver.notch.strand.setFocus()


def test_paces_by_key_and_typed_while_it_plays(opened: Driver) -> None:
    transport = opened.desk.transport
    opened.key(Key.Key_Space)
    opened.key("-", "-", "-")
    assert transport.pace == 70
    opened.key("=")
    assert transport.pace == 80
    typed_pace(opened, "25 %")
    assert transport.player.pace == 0.25
    opened.key("f")
    assert transport.pace == 100
    opened.key("f")
    assert transport.pace == 25
    typed_pace(opened, "110")
    assert transport.player.pace == 1.1
    assert transport.playing


def test_recording_lead_and_written_tab_at_the_same_place(opened: Driver) -> None:
    transport = opened.desk.transport
    assert transport.player.sources == (RECORDING, LEAD, REST, WRITTEN, STRAIGHT)
    assert transport.player.source == RECORDING
    transport.seek(2.0)
    opened.key("w")
    assert transport.player.source == LEAD
    opened.key("w")
    assert transport.player.source == REST
    opened.key("w")
    assert transport.player.source == WRITTEN
    assert opened.window.transport_bar.source.currentText() == WRITTEN
    assert transport.position == 2.0
    opened.key("w")
    assert transport.player.source == STRAIGHT
    opened.key("w")
    assert transport.player.source == RECORDING


def test_the_written_tab_follows_an_edit(opened: Driver) -> None:
    import numpy as np

    source = opened.desk.transport.player._sources[WRITTEN]
    before = source(1.0, 1.4).copy()
    opened.select("n1")
    opened.key("3")
    assert not np.allclose(before, source(1.0, 1.4))


def test_the_count_in_comes_before_the_sound(opened: Driver) -> None:
    """The first note stands on 3, so that a bar and 1 2 are counted before it: three seconds at 120 beats a minute."""
    opened.key("i")
    assert opened.window.transport_bar.count_in.isChecked()
    opened.desk.transport.seek(1.0)
    began = time.monotonic()
    opened.key(Key.Key_Space)
    opened.bot.waitUntil(lambda: opened.desk.transport.position > 1.05, timeout=8000)
    assert 2.9 < time.monotonic() - began < 4.0


def test_loop_and_place_stay_when_the_room_changes(opened: Driver) -> None:
    opened.desk.transport.set_loop((2.0, 3.0))
    opened.desk.transport.seek(2.4)
    for k in "1342":
        opened.key((getattr(Key, f"Key_{k}"), Qt.KeyboardModifier.ControlModifier))
        assert opened.desk.transport.loop == (2.0, 3.0)
        assert opened.desk.transport.position == pytest.approx(2.4)


def test_the_view_turns_the_page_while_playing(opened: Driver) -> None:
    opened.desk.axis.show_range(0.0, 1.0)
    opened.desk.transport.seek(1.0)
    opened.key(Key.Key_Space)
    opened.bot.waitUntil(lambda: opened.desk.axis.start > 0.5, timeout=5000)
    assert opened.desk.axis.start <= opened.desk.transport.position <= opened.desk.axis.end


def test_zoom_keeps_the_time_under_the_pointer(opened: Driver) -> None:
    axis = opened.desk.axis
    axis.show_range(2.0, 4.0)
    share = (3.0 - axis.start) / axis.span
    axis.zoom(0.5, at=3.0)
    assert (3.0 - axis.start) / axis.span == pytest.approx(share)
    for _ in range(40):
        axis.zoom(0.5, at=3.0)
    assert axis.span == pytest.approx(0.4)
    for _ in range(60):
        axis.zoom(1.5, at=3.0)
    assert axis.start == 0.0
    assert axis.end >= axis.duration


@pytest.mark.parametrize("seconds", [0.3])
def test_the_silent_clock_takes_sound_in_real_time(qtbot: QtBot, seconds: float) -> None:
    import numpy as np

    taken = []

    def pull(n: int) -> np.ndarray:
        taken.append(n)
        return np.zeros((2, n), np.float32)

    clock = SilentClock(pull)
    began = time.monotonic()
    clock.start()
    qtbot.wait(round(seconds * 1000))
    clock.stop()
    assert sum(taken) / RATE == pytest.approx(time.monotonic() - began, abs=0.06)


def test_without_a_sound_device_the_clock_stands_in(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    def none(*_: object) -> None:
        raise OSError("no sound output")

    monkeypatch.setattr("notcher.app.state.device.Speaker", none)
    assert isinstance(open_output(lambda n: None), SilentClock)  # type: ignore[arg-type,return-value]


def test_what_a_sound_card_reads_is_the_players_sound_in_16_bits() -> None:
    import numpy as np
    from PyQt6.QtCore import QIODevice

    from notcher.app.state.device import _Feed

    wave = np.stack([np.linspace(-1.2, 1.2, 500), np.full(500, 0.5)]).astype(np.float32)
    taken = 0

    def pull(n: int) -> np.ndarray:
        nonlocal taken
        taken += n
        return wave[:, taken - n : taken]

    feed = _Feed(pull)
    feed.open(QIODevice.OpenModeFlag.ReadOnly | QIODevice.OpenModeFlag.Unbuffered)
    data = np.frombuffer(feed.read(500 * 4), "<i2").reshape(-1, 2)
    assert taken == 500
    assert data[0, 0] == -32767
    assert data[-1, 0] == 32767
    assert np.all(np.abs(data[:, 1] - 16383) <= 1)


def test_the_lead_alone_is_parted_by_what_is_written_and_follows_an_edit(opened: Driver) -> None:
    transport = opened.desk.transport
    transport.choose(LEAD)
    lead = transport.lead_sound
    at_once = lead.between(1.0, 1.5, rest=False)
    assert at_once.shape[1] == RATE // 2, "by its place until it is parted"
    opened.bot.waitUntil(lambda: lead.ready(1.0, 1.5), timeout=20000)
    both = lead.between(1.0, 1.5, rest=False) + lead.between(1.0, 1.5, rest=True)
    audio = transport.audio
    assert audio is not None
    assert both == pytest.approx(audio.between(1.0, 1.5), abs=1e-5)
    before = lead.between(1.0, 1.5, rest=False)
    opened.select("n1")
    opened.key(Key.Key_Delete)
    opened.bot.waitUntil(lambda: lead.ready(1.0, 1.5) and not np.allclose(lead.between(1.0, 1.5, rest=False), before),
                         timeout=20000)  # fmt: skip
