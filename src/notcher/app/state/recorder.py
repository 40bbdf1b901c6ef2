"""Where a take comes from: a microphone or line, or the simulated player where none is plugged in."""

import logging
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from PyQt6.QtCore import QIODevice, QObject, QTimer, pyqtSignal

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.wording import tr

log = logging.getLogger(__name__)

_BLOCK_S = 0.05


class TakeFile:
    """Writes a take to disk as it comes, so that nothing of it is lost; what cannot be written any more is kept in
    memory, and the trouble said once."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.trouble = ""
        self._blocks: list[FloatArray] = []
        self._file: soundfile.SoundFile | None = None
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._file = soundfile.SoundFile(str(path), "w", RATE, 1, format="FLAC", subtype="PCM_16")
        except (OSError, soundfile.LibsndfileError) as error:
            self._fails(error)

    def _fails(self, error: Exception) -> None:
        log.warning("the take is not written: %s", error)
        self.trouble = tr("the take could not be kept on disk ({error}); it is judged all the same", error=error)
        self._file = None

    def write(self, block: FloatArray) -> None:
        """Add samples, mono, shape (n,)."""
        self._blocks.append(block)
        if self._file is None:
            return
        try:
            self._file.write(np.clip(block, -1.0, 1.0))
            self._file.flush()
        except (OSError, soundfile.LibsndfileError, RuntimeError) as error:
            self._fails(error)

    def close(self) -> FloatArray:
        """End the file; all that was recorded, mono, shape (n,)."""
        if self._file is not None:
            try:
                self._file.close()
            except (OSError, soundfile.LibsndfileError) as error:
                self._fails(error)
        return np.concatenate(self._blocks) if self._blocks else np.zeros(0, np.float32)


class Recorder(QObject):
    """Something that gives samples while it runs."""

    level = pyqtSignal(float)
    """The loudest sample of the last block, 0 to 1."""
    heard = pyqtSignal(object)
    """A block of samples, mono, shape (n,)."""
    lost = pyqtSignal(str)
    """It stopped by itself; what was recorded until then was given."""

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.name = name

    def start(self) -> None:
        """Begin to give samples. Raises OSError where the device is not there."""

    def stop(self) -> None:
        """Give no more."""

    def _give(self, block: FloatArray) -> None:
        if len(block):
            self.level.emit(float(np.max(np.abs(block))))
            self.heard.emit(block)


class StandIn(Recorder):
    """The simulated player: gives its sound in real time, as a device does. sound: made as it starts, mono."""

    def __init__(self, sound: Callable[[], FloatArray], parent: QObject | None = None) -> None:
        super().__init__(tr("Simulated player"), parent)
        self._sound = sound
        self._samples: FloatArray = np.zeros(0, np.float32)
        self._given = 0
        self._began = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(int(1000 * _BLOCK_S / 2))
        self._timer.timeout.connect(self._tick)

    def start(self) -> None:
        """Begin to play."""
        self._samples, self._given, self._began = self._sound(), 0, time.monotonic()
        self._timer.start()

    def stop(self) -> None:
        """Stop playing."""
        if self._timer.isActive():
            self._tick()
            self._timer.stop()

    def _tick(self) -> None:
        due = int((time.monotonic() - self._began) * RATE)
        block = self._samples[self._given : due]
        silence = np.zeros(max(0, due - self._given - len(block)), np.float32)
        self._given = due
        self._give(np.concatenate([block, silence]).astype(np.float32))


class _Sink(QIODevice):
    """Qt writes 16-bit mono here."""

    def __init__(self, give: Callable[[FloatArray], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._give = give
        self._lock = threading.Lock()

    def writeData(self, data: Any) -> int:
        raw = bytes(data)
        with self._lock:
            self._give(np.frombuffer(raw[: len(raw) // 2 * 2], "<i2").astype(np.float32) / 32768.0)
        return len(raw)

    def readData(self, maxlen: int) -> bytes:
        return b""


class Microphone(Recorder):
    """An input of the machine, through Qt."""

    def __init__(self, device: Any, parent: QObject | None = None) -> None:
        super().__init__(device.description(), parent)
        self._device = device
        self._source: Any = None
        self._sink: _Sink | None = None

    def start(self) -> None:
        """Open the device. Raises OSError where it takes no 44.1 kHz mono."""
        from PyQt6.QtMultimedia import QAudioFormat, QAudioSource

        form = QAudioFormat()
        form.setSampleRate(RATE)
        form.setChannelCount(1)
        form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        if self._device.isNull() or not self._device.isFormatSupported(form):
            raise OSError(tr("'{name}' gives no 44.1 kHz sound; choose another input", name=self.name))
        self._source = QAudioSource(self._device, form, self)
        self._source.stateChanged.connect(self._state)
        self._sink = _Sink(self._give, self)
        self._sink.open(QIODevice.OpenModeFlag.WriteOnly | QIODevice.OpenModeFlag.Unbuffered)
        self._source.start(self._sink)

    def stop(self) -> None:
        """Close the device."""
        if self._source is not None:
            source, self._source = self._source, None
            source.stop()
            source.deleteLater()

    def _state(self, _: Any) -> None:
        from PyQt6.QtMultimedia import QAudio

        if self._source is not None and self._source.error() not in (QAudio.Error.NoError, QAudio.Error.UnderrunError):
            self.stop()
            self.lost.emit(tr("the input '{name}' went away; what was recorded is kept", name=self.name))


def inputs() -> list[Any]:
    """The machine's inputs that Qt knows."""
    try:
        from PyQt6.QtMultimedia import QMediaDevices

        return [d for d in QMediaDevices.audioInputs() if not d.isNull()]
    except (ImportError, RuntimeError) as error:
        log.info("no sound inputs: %s", error)
        return []
