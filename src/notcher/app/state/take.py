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

from notcher.app.jobs.job import Report as Progress
from notcher.app.jobs.runner import Runner
from notcher.app.state.desk import Desk
from notcher.app.state.recorder import Microphone, Recorder, StandIn, TakeFile, inputs
from notcher.app.state.settings import Settings
from notcher.audio import RATE
from notcher.audio.recording import Audio, FloatArray
from notcher.pipeline.transcribe import take_heard, take_in
from notcher.score.errors import NotcherError
from notcher.score.learning import keep_take
from notcher.score.practice import TakeKept
from notcher.score.project import Phrase
from notcher.stopping import apart
from notcher.teach.latency import LASTS_S, clicks_to_play, latency_of
from notcher.teach.stand_in import BEFORE_S, Manner, performed
from notcher.teach.take import Report, judge, kept_of
from notcher.wording import later, render_message, tr
from notcher.wording.take import report_words

log = logging.getLogger(__name__)

# After the round, for what rings on and for what the device holds back.
_TAIL_MS = 700


class State(Enum):
    """What is done with a take just now."""

    IDLE = "idle"
    LIVE = "live"
    MEASURING = "measuring"
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

    def __init__(self, desk: Desk, runner: Runner, settings: Settings) -> None:
        super().__init__(desk)
        self._desk, self._runner, self._settings = desk, runner, settings
        self._loopback: list[FloatArray] = []
        # Seconds of a take at which its loop begins, after the count.
        self._loop_begins = 0.0
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
        self.phrase = self._asked(stretch.start, stretch.end, render_message(stretch.label))
        self.report, self.words = None, ""
        self._pace = transport.pace
        transport.set_count_in(True)
        self._file = TakeFile(self._path())
        counted = transport.counted_s
        if self._listen_to(self._made_recorder(), State.RECORDING):
            self._loop_begins = counted
            transport.play(rounds=1)
            self.changed.emit()

    def ask_for_colour(self, on: bool) -> None:
        """Whether vibrato and how notes are reached are judged, too; else they are forgiven."""
        self.colour = on
        if self.report is not None and self.phrase is not None and self._desk.session.is_open:
            before = self.history(self.phrase)[:-1]
            self.words = report_words(
                self._desk.session.project, self.report, phrase=self.phrase, before=before, colour=on
            )
            self.changed.emit()

    def toggle_live(self) -> None:
        """Show the pitch of what comes in, without recording it, or no more."""
        if self.state is State.LIVE:
            self._drop()
            self.changed.emit()
            return
        stretch = self._desk.stretch
        if stretch is None or self.state is not State.IDLE:
            return
        self.phrase = self._asked(stretch.start, stretch.end, render_message(stretch.label))
        self._listen_to(self._made_recorder(), State.LIVE)

    def measure_delay(self) -> None:
        """Play clicks and record them: what is late in them is the way out and in again, which is taken out of takes
        from then on."""
        if self.state is not State.IDLE:
            return
        if self.simulated:
            self.said.emit(tr("the simulated player has no delay; choose an input first"))
            return
        self._loopback = []
        if self._listen_to(self._made_recorder(), State.MEASURING):
            self._desk.transport.sound_once(clicks_to_play())
            QTimer.singleShot(round(1000 * LASTS_S), self._delay_measured)

    def _delay_measured(self) -> None:
        if self.state is not State.MEASURING:
            return
        heard, self._loopback = self._loopback, []
        self._drop()
        try:
            seconds = latency_of(np.concatenate(heard) if heard else np.zeros(0, np.float32))
        except NotcherError as error:
            self.said.emit(render_message(error))
        else:
            self._settings.latency_ms = round(1000 * seconds, 1)
            self._settings.save()
            self.said.emit(
                tr("out and in again takes {ms:.0f} ms here; takes are judged without it", ms=1000 * seconds)
            )
        self.changed.emit()

    def _listen_to(self, recorder: Recorder, state: State) -> bool:
        """Take samples from an input in a state; False, and why is said, where it is not there."""
        recorder.level.connect(self.level)
        recorder.heard.connect(self._take_block)
        recorder.lost.connect(self._lost)
        try:
            recorder.start()
        except OSError as error:
            self._drop()
            self.said.emit(str(error))
            return False
        self._recorder, self.state = recorder, state
        self.changed.emit()
        return True

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
        if self.state is State.MEASURING:
            self._loopback.append(block)
            return
        if self._file is not None:
            had = self._file.trouble
            self._file.write(block)
            if self._file.trouble and not had:
                self.said.emit(self._file.trouble)
        self.block.emit(block)

    def _lost(self, why: str) -> None:
        self.said.emit(why)
        if self.state is not State.RECORDING:
            self._drop()
            self.changed.emit()
            return
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
        self.phrase = self._asked(stretch.start, stretch.end, render_message(stretch.label))
        self._judge(None, path, str(path), None)

    def _judge(self, audio: Audio | None, path: Path | None, kept: str, pace: float | None) -> None:
        project, phrase = self._desk.session.project, self.phrase
        assert phrase is not None
        self.state = State.LISTENING
        self.changed.emit()

        def work(report: Progress) -> Report:
            def progress(share: float) -> None:
                report(later("Listening"), share)

            if path is not None:
                heard = take_in(path, tuning=project.tuning, progress=progress)
            else:
                heard = take_heard(audio, tuning=project.tuning, progress=progress) if audio is not None else None
            return apart(lambda: judge(project, heard, phrase=phrase, pace=pace))

        def done(report: Report) -> None:
            self.state = State.IDLE
            before = self.history(phrase)
            self.report = report
            behind = self._behind(report, phrase) if path is None else None
            self.words = report_words(
                project, report, phrase=phrase, before=before, colour=self.colour, behind_ms=behind
            )
            kept_take = kept_of(report, phrase, when=datetime.datetime.now(), sound=kept, limits=project.lesson)
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

    def _behind(self, report: Report, phrase: Phrase) -> float | None:
        """By how many ms all of a take that was recorded here came after the loop, without the sound's way out and in;
        None where that way was never measured."""
        if report.times is None or self._settings.latency_ms < 0 or self.simulated:
            return None
        begins = self._loop_begins + self._settings.latency_ms / 1000.0
        return 1000.0 * (report.times.take_s(phrase.start) - begins) * (report.pace or 1.0)

    def history(self, phrase: Phrase | None) -> Sequence[TakeKept]:
        """The takes of a phrase, the oldest first."""
        if phrase is None or not self._desk.session.is_open:
            return ()
        return [t for t in self._desk.session.project.takes if t.phrase == phrase.id]

    def close(self) -> None:
        """Stop recording, as the window goes."""
        self._drop()
