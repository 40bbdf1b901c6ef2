"""Where sound goes: the machine's output, or a silent clock that takes the sound at the same speed."""

import logging
from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QElapsedTimer, QIODevice, QObject, Qt, QTimer

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.wording import tr

log = logging.getLogger(__name__)

Pull = Callable[[int], FloatArray]
"""Gives the next n samples, shape (2, n)."""


class SilentClock(QObject):
    """Takes sound in real time and drops it, where there is no sound device."""

    name = ""

    def __init__(self, pull: Pull, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pull = pull
        self._clock = QElapsedTimer()
        self._taken = 0
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(10)
        self._timer.timeout.connect(self._tick)

    def start(self) -> None:
        """Begin taking sound."""
        self._clock.start()
        self._taken = 0
        self._timer.start()

    def stop(self) -> None:
        """Take no more."""
        self._timer.stop()

    def _tick(self) -> None:
        due = self._clock.nsecsElapsed() * RATE // 1_000_000_000
        # After a stall of the machine the clock goes on from where it stands, as a sound card does.
        n = min(due - self._taken, RATE // 4)
        self._taken = due
        if n > 0:
            self._pull(int(n))


class _Feed(QIODevice):
    """Qt reads 16-bit stereo from here, on its sound thread or ours."""

    def __init__(self, pull: Pull, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pull = pull

    def readData(self, maxlen: int) -> bytes:
        n = min(maxlen // 4, RATE // 20)
        block = np.clip(self._pull(n), -1.0, 1.0)
        return bytes((block.T * 32767.0).astype("<i2").tobytes())

    def writeData(self, data: Any) -> int:
        return -1

    def bytesAvailable(self) -> int:
        return RATE * 4

    def isSequential(self) -> bool:
        return True


class Speaker(QObject):
    """The machine's sound output through Qt."""

    def __init__(self, pull: Pull, parent: QObject | None = None) -> None:
        """Raises OSError where the machine has no output that takes 44.1 kHz stereo."""
        super().__init__(parent)
        from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices

        device = QMediaDevices.defaultAudioOutput()
        form = QAudioFormat()
        form.setSampleRate(RATE)
        form.setChannelCount(2)
        form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        if device.isNull() or not device.isFormatSupported(form):
            raise OSError(tr("no sound output that takes 44.1 kHz stereo"))
        self.name = device.description()
        self._feed = _Feed(pull, self)
        self._feed.open(QIODevice.OpenModeFlag.ReadOnly | QIODevice.OpenModeFlag.Unbuffered)
        self._sink = QAudioSink(device, form, self)
        self._sink.setBufferSize(RATE * 4 // 16)

    def start(self) -> None:
        """Begin taking sound."""
        self._sink.start(self._feed)

    def stop(self) -> None:
        """Take no more."""
        self._sink.stop()


def open_output(pull: Pull, parent: QObject | None = None) -> Speaker | SilentClock:
    """The machine's output where there is one, else the silent clock."""
    try:
        return Speaker(pull, parent)
    except (OSError, ImportError, RuntimeError) as error:
        log.info("no sound device: %s", error)
        return SilentClock(pull, parent)
