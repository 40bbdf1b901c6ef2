"""The take: recorded while the loop plays, or read from a file; heard and judged off the interface's thread; kept."""

import datetime
import logging
import re
from collections.abc import Sequence
from dataclasses import replace
from enum import Enum
from pathlib import Path

import numpy as np
import platformdirs
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from notcher.app.desk import Desk
from notcher.app.recorder import Microphone, Recorder, StandIn, TakeFile, inputs
from notcher.app.tasks.jobs import Report as Progress
from notcher.app.tasks.jobs import Stop
from notcher.app.tasks.runner import Runner
from notcher.audio import RATE
from notcher.audio.recording import Audio, FloatArray
from notcher.score.learning import keep_take
from notcher.score.practice import TakeKept
from notcher.score.project import Phrase
from notcher.teach.stand_in import BEFORE_S, Manner, performed
from notcher.teach.take import Report, judge, kept_of
from notcher.wording import later, told, tr
from notcher.wording.take import report_words
from notcher.work import take_heard, take_in

log = logging.getLogger(__name__)

# After the round, for what rings on and for what the device holds back.
_TAIL_MS = 700


class State(Enum):
    """What is done with a take just now."""

    IDLE = "idle"
    RECORDING = "recording"
    LISTENING = "listening"


class TakeDesk(QObject):
    """Takes of what is taught. report: of the last take, about `phrase`; words: what is to be said of it."""

    changed = pyqtSignal()
    said = pyqtSignal(str)
    level = pyqtSignal(float)
    block = pyqtSignal(object)
    judged = pyqtSignal(bool)
    """A take was judged: whether it was clean."""

    def __init__(self, desk: Desk, runner: Runner) -> None:
        super().__init__(desk)
        self._desk, self._runner = desk, runner
        self.state = State.IDLE
        self.report: Report | None = None
        self.words = ""
        self.phrase: Phrase | None = None
        self.manner = Manner()
        self.colour = False
        self._recorder: Recorder | None = None
        self._chosen = ""
        self._file: TakeFile | None = None
        self._pace = 100.0
        self._tail = QTimer(self)
        self._tail.setSingleShot(True)
        self._tail.setInterval(_TAIL_MS)
        self._tail.timeout.connect(self._end)
        desk.transport.finished.connect(self._round_over)
        desk.lesson.asked_take.connect(self.record)
        desk.session.opened.connect(self._opened)
        self.judged.connect(lambda clean: desk.lesson.heard(clean=clean))

    def _opened(self) -> None:
        self._drop()
        self.report, self.words, self.phrase = None, "", None
        self.changed.emit()

    # -- where takes come from -----------------------------------------------------------------------------------

    def sources(self) -> list[str]:
        """Names of what takes can come from: the machine's inputs, and the simulated player."""
        return [*(d.description() for d in inputs()), tr("Simulated player")]

    @property
    def source(self) -> str:
        """The one that is used."""
        names = self.sources()
        return self._chosen if self._chosen in names else names[0]

    @property
    def simulated(self) -> bool:
        """Whether the simulated player plays."""
        return self.source == tr("Simulated player")

    def choose(self, name: str) -> None:
        """Take from another source."""
        self._chosen = name
        self.changed.emit()

    # -- recording -----------------------------------------------------------------------------------------------

    def toggle(self) -> None:
        """Record a take of what is taught, or stop the one that is recorded."""
        if self.state is State.RECORDING:
            self._desk.transport.pause()
            self._end()
        else:
            self.record()

    def record(self) -> None:
        """Play one round of what is taught, with its count, and record meanwhile."""
        stretch, transport = self._desk.stretch, self._desk.transport
        if stretch is None:
            self.said.emit(tr("there are no phrases yet; they are made in the Notch room"))
            return
        self._drop()
        self._runner.stop()
        transport.pause()
        transport.set_loop((stretch.start, stretch.end))
        transport.seek(stretch.start)
        self.phrase = self._asked(stretch.start, stretch.end, told(stretch.label))
        self.report, self.words = None, ""
        self._pace = transport.pace
        transport.set_count_in(True)
        self._file = TakeFile(self._path())
        recorder = self._made_recorder()
        recorder.level.connect(self.level)
        recorder.heard.connect(self._take_block)
        recorder.lost.connect(self._lost)
        try:
            recorder.start()
        except OSError as error:
            self._drop()
            self.said.emit(str(error))
            return
        self._recorder = recorder
        self.state = State.RECORDING
        transport.play(rounds=1)
        self.changed.emit()

    def _asked(self, start: float, end: float, name: str) -> Phrase:
        """What is to be played, as a phrase: the one in hand, or one made of what a lesson plays."""
        here = self._desk.phrase
        if here is not None and (here.start, here.end) == (start, end):
            return here
        project = self._desk.session.project
        same = [p for p in project.phrases if (p.start, p.end) == (start, end)]
        return same[0] if same else Phrase("", name or "?", start, end)

    def _made_recorder(self) -> Recorder:
        if not self.simulated:
            device = next(d for d in inputs() if d.description() == self.source)
            return Microphone(device, self)
        project, phrase = self._desk.session.project, self.phrase
        assert phrase is not None
        transport = self._desk.transport
        manner = replace(self.manner, pace=transport.pace, shift=self.manner.shift)
        counted = transport.counted_s

        def sound() -> FloatArray:
            notes = project.notes_between(phrase.start, phrase.end)
            if not notes:
                return np.zeros(0, np.float32)
            wait = counted + (notes[0].onset - phrase.start) * 100.0 / manner.pace - BEFORE_S
            made = performed(project, phrase, manner)
            if wait < 0:
                return made[round(-wait * RATE) :]
            return np.concatenate([np.zeros(round(wait * RATE), np.float32), made])

        return StandIn(sound, self)

    def _path(self) -> Path:
        """Where the take is kept: in our own folder, by what it is of and when."""
        folder = Path(platformdirs.user_data_dir("notcher")) / "takes"
        name = re.sub(r"[^\w-]+", "-", self.phrase.name if self.phrase else "take").strip("-")[:40] or "take"
        return folder / f"{datetime.datetime.now():%Y-%m-%d-%H%M%S}-{name}.flac"

    def _take_block(self, block: FloatArray) -> None:
        if self._file is not None:
            had = self._file.trouble
            self._file.write(block)
            if self._file.trouble and not had:
                self.said.emit(self._file.trouble)
        self.block.emit(block)

    def _lost(self, why: str) -> None:
        self.said.emit(why)
        self._desk.transport.pause()
        self._end()

    def _round_over(self) -> None:
        if self.state is State.RECORDING:
            self._tail.start()

    def _drop(self) -> None:
        """Forget a take that is under way."""
        self._tail.stop()
        if self._recorder is not None:
            recorder, self._recorder = self._recorder, None
            recorder.stop()
            recorder.deleteLater()
        if self._file is not None:
            self._file.close()
            self._file = None
        self.state = State.IDLE

    def _end(self) -> None:
        """Recording is over: listen to what was played."""
        if self.state is not State.RECORDING or self._file is None:
            return
        self._tail.stop()
        if self._recorder is not None:
            recorder, self._recorder = self._recorder, None
            recorder.stop()
            recorder.deleteLater()
        file, self._file = self._file, None
        samples = file.close()
        if file.trouble:
            self.said.emit(file.trouble)
        audio = Audio(np.stack([samples, samples]), RATE, 2) if len(samples) else None
        self._judge(audio, None, str(file.path) if not file.trouble else "", self._pace / 100.0)

    # -- listening -----------------------------------------------------------------------------------------------

    def from_file(self, path: Path) -> None:
        """Judge a take that was recorded elsewhere, at whatever pace it was played."""
        phrase = self._desk.phrase
        stretch = self._desk.stretch
        if stretch is None or phrase is None:
            self.said.emit(tr("there are no phrases yet; they are made in the Notch room"))
            return
        self._drop()
        self.phrase = self._asked(stretch.start, stretch.end, told(stretch.label))
        self._judge(None, path, str(path), None)

    def _judge(self, audio: Audio | None, path: Path | None, kept: str, pace: float | None) -> None:
        project, phrase = self._desk.session.project, self.phrase
        assert phrase is not None
        self.state = State.LISTENING
        self.changed.emit()

        def work(report: Progress, stop: Stop) -> Report:
            def progress(share: float) -> None:
                report(later("Listening"), share)

            if path is not None:
                heard = take_in(path, progress=progress, cancelled=stop)
            else:
                heard = take_heard(audio, progress=progress, cancelled=stop) if audio is not None else None
            return judge(project, heard, phrase=phrase, pace=pace)

        def done(report: Report) -> None:
            self.state = State.IDLE
            before = self.history(phrase)
            self.report = report
            self.words = report_words(project, report, phrase=phrase, before=before, colour=self.colour)
            kept_take = kept_of(report, phrase, when=datetime.datetime.now(), sound=kept)
            clean = False
            if kept_take is not None:
                clean = kept_take.clean
                if phrase.id:
                    self._desk.session.edit(tr("Keep the take"), lambda p: keep_take(p, kept_take))
            self.changed.emit()
            self.judged.emit(clean)

        def failed(why: str) -> None:
            self.state = State.IDLE
            self.said.emit(why)
            self.changed.emit()

        self._runner.run(tr("Listening to the take"), work, done, failed=failed)

    def history(self, phrase: Phrase | None) -> Sequence[TakeKept]:
        """The takes of a phrase, the oldest first."""
        if phrase is None or not self._desk.session.is_open:
            return ()
        return [t for t in self._desk.session.project.takes if t.phrase == phrase.id]

    def close(self) -> None:
        """Stop recording, as the window goes."""
        self._drop()
