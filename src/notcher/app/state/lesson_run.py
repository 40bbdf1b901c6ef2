"""A lesson that runs by itself: turns of the plan, one after another, through the one transport."""

from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from notcher.app.state.session import Session
from notcher.app.state.transport import BACKING, LEAD, RECORDING, REST, WRITTEN, Transport
from notcher.score.clause import Clause
from notcher.score.errors import ScoreError
from notcher.score.versions import show_version
from notcher.teach.course import Course, Turn, is_pause
from notcher.teach.layers import Layer
from notcher.teach.lesson import Stretch
from notcher.teach.plan import What, read_plan
from notcher.wording import later, render_message, tr
from notcher.wording.lesson import turn_words

SOURCES = {"recording": RECORDING, "lead": LEAD, "rest": REST, "backing": BACKING, "tab": WRITTEN}
# Between one turn and the next, so that a hand can move.
_BETWEEN_MS = 600
_NONE = later("no lesson runs; Ctrl+Enter runs it")


@dataclass(frozen=True, slots=True)
class Round:
    """One round as it was played: the plan's line from 0, percent of the recording's pace, and how long it took."""

    line: int
    pace: float
    seconds: float


class LessonRun(QObject):
    """Off, running, or held where it is. log: the rounds that were played, the first first."""

    changed = pyqtSignal()
    said = pyqtSignal(str)
    asked_take = pyqtSignal()
    """A clean take is asked for; whoever listens plays the turn and says with `heard` how it was."""

    def __init__(self, session: Session, transport: Transport, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._transport = session, transport
        self._course: Course | None = None
        self._held = False
        self._pausing = False
        self._began: float | None = None
        # What was shown before the lesson, and is again where a step does not say otherwise.
        self._layer = Layer.COLOUR
        self.listens = False
        self.log: list[Round] = []
        self._next = QTimer(self)
        self._next.setSingleShot(True)
        self._next.timeout.connect(self._due)
        transport.turned.connect(self._turned)
        transport.finished.connect(self._finished)
        session.opened.connect(self.stop)

    @property
    def on(self) -> bool:
        """Whether a lesson is under way, held or not."""
        return self._course is not None

    @property
    def held(self) -> bool:
        """Whether it waits to be gone on with."""
        return self._held

    @property
    def turn(self) -> Turn | None:
        """What is played now, or comes when it is gone on with."""
        return self._course.turn if self._course is not None else None

    @property
    def following(self) -> Turn | None:
        """What comes after that."""
        return self._course.following if self._course is not None else None

    @property
    def clean_left(self) -> int:
        """Clean takes that are still asked for in this turn."""
        return self._course.clean_left if self._course is not None else 0

    @property
    def stretch(self) -> Stretch | None:
        """What is taught now, for the views; None where no lesson runs, and in a pause."""
        turn = self.turn
        if turn is None or is_pause(turn):
            return None
        alone = turn.step.phrases[0] if turn.step.what is What.PHRASE else turn_words(turn, pace=False)
        return Stretch(*turn.stretch, Clause("{name}", name=alone))

    def toggle(self) -> None:
        """Begin, hold, or go on."""
        if self._course is None:
            self.start()
        elif self._held:
            self._held = False
            self._begin()
        else:
            self._held, self._pausing = True, False
            self._next.stop()
            self._transport.pause()
            self.changed.emit()

    def start(self) -> None:
        """Run the project's plan from its first step; says what is wrong with it, where something is."""
        if not self._session.is_open:
            self.said.emit(tr("there is nothing to play yet; open a recording first"))
            return
        project = self._session.project
        try:
            steps = read_plan(project.lesson.lines)
            course = Course(project, steps)
        except ScoreError as error:
            self.said.emit(render_message(error))
            return
        if not steps:
            self.said.emit(tr("the lesson has no steps yet; choose how it is made, or write a line"))
            return
        self._transport.pause()
        self._course, self._held, self.log = course, False, []
        self._layer = self._transport.layer
        self._begin()

    def stop(self) -> None:
        """Leave the lesson; what plays stops."""
        if self._course is None:
            return
        self._course = None
        self._held = self._pausing = False
        self._next.stop()
        self._transport.pause()
        self._transport.set_layer(self._layer)
        self.changed.emit()

    def end(self) -> None:
        """Leave the lesson as it was asked for; says so where none runs."""
        if self._course is None:
            self.said.emit(tr(_NONE))
        self.stop()

    def skip(self, steps: int) -> None:
        """Go to the next step of the plan, or the one before."""
        if self._course is None:
            self.said.emit(tr(_NONE))
            return
        self._next.stop()
        self._pausing = False
        self._transport.pause()
        self._course.skip(steps)
        self._begin()

    def _due(self) -> None:
        if self._pausing and self._course is not None:
            self._pausing = False
            self._course.played()
        self._begin()

    def _begin(self) -> None:
        if self._course is None:
            return
        turn = self._course.turn
        if turn is None:
            self._course = None
            self._transport.set_layer(self._layer)
            self.said.emit(tr("the lesson is over"))
            self.changed.emit()
            return
        self.changed.emit()
        if self._held:
            return
        if is_pause(turn):
            self.said.emit(turn_words(turn))
            self._pausing = True
            self._next.start(1000 * turn.step.pause_s)
            return
        self._set(turn)
        if turn.step.clean and self.listens:
            self.asked_take.emit()
        else:
            self._transport.play(rounds=turn.rounds)

    def _set(self, turn: Turn) -> None:
        """The transport as a turn has it."""
        t, step = self._transport, turn.step
        if step.version:
            self._show(turn)
        t.set_layer(step.layer or self._layer)
        t.set_loop(turn.stretch)
        t.set_pace(turn.pace)
        t.choose(SOURCES[step.heard])
        t.set_count_in(step.count)
        t.set_click(step.click)
        t.set_breath(step.breath)
        t.seek(turn.stretch[0])

    def _show(self, turn: Turn) -> None:
        """The version that a step is about."""
        for p in self._session.project.phrases:
            name, showing = turn.step.version, p.showing
            if p.name in turn.step.phrases and name in p.versions and name != showing:
                self._session.edit(tr("Show the version"), partial(show_version, phrase_id=p.id, name=name))

    def _turned(self, what: str, seconds: float) -> None:
        if self._course is None or self._held:
            return
        if what == "begin":
            self._began = seconds
        elif self._began is not None:
            turn = self._course.turn
            if turn is not None:
                self.log.append(Round(turn.line, turn.pace, seconds - self._began))
            self._began = None
            self.changed.emit()

    def _finished(self) -> None:
        if self._course is None or self._held:
            return
        turn = self._course.turn
        if turn is not None and turn.step.clean and self.listens:
            # Whoever listens says how it was.
            return
        self._go_on(clean=None)

    def heard(self, *, clean: bool) -> None:
        """A take of this turn was judged."""
        if self._course is not None and not self._held:
            self._go_on(clean=clean)

    def _go_on(self, *, clean: bool | None) -> None:
        assert self._course is not None
        before = self._course.turn
        self._course.played(clean=clean)
        now = self._course.turn
        if now is not None and before is not None and (now.line, now.pace) != (before.line, before.pace):
            self.said.emit(tr("next: {turn}", turn=turn_words(now)))
        self._next.start(_BETWEEN_MS)
        self.changed.emit()
