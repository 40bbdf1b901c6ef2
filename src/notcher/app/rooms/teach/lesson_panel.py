"""The plan of the lesson as lines of text, with what makes it, runs it and spreads it over days."""

import datetime
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QColor, QFocusEvent, QTextCursor
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QPlainTextEdit, QTextEdit, QVBoxLayout, QWidget

from notcher.app.jobs.exporting import outputs_of, suggested_name
from notcher.app.jobs.job import Report
from notcher.app.jobs.runner import Runner
from notcher.app.rooms.teach.spin import Spin
from notcher.app.shell.keysheet import shown_key
from notcher.app.state.desk import Desk
from notcher.app.state.lesson_run import SOURCES
from notcher.app.widgets.forms import button, quiet_label
from notcher.app.widgets.theme import BASE_POINTS, Theme, font
from notcher.formats.outputs import Outputs
from notcher.score.errors import NotcherError, ScoreError
from notcher.score.learning import set_lesson
from notcher.score.practice import FEWEST_MINUTES, MOST_MINUTES, Lesson
from notcher.score.project import Project
from notcher.teach.calendar import Spread, spread
from notcher.teach.course import planned
from notcher.teach.plan import HEARD, School, Step, What, fitted, made, read_plan, seconds_of, with_lines, write_step
from notcher.wording import render_message, tr
from notcher.wording.lesson import SCHOOLS, day_words, days_words, minutes_words, turn_words

_WIDTH = 372
_LEAST_LINES = 44
_IDLE_MS = 700
_DAYS_SHOWN = 1
_KEPT_ROUNDS = 4


class PlanText(QPlainTextEdit):
    """The lines; what was typed is taken a moment later, and as the field is left."""

    def __init__(self, take: "QTimer") -> None:
        super().__init__()
        self._take = take
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.WidgetWidth)
        self.setTabChangesFocus(True)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        if self._take.isActive():
            self._take.stop()
            self._take.timeout.emit()


class LessonPanel(QWidget):
    """Beside the large tab; what runs is lit in the lines."""

    def __init__(self, desk: Desk, runner: Runner, theme: Theme) -> None:
        super().__init__()
        self._desk, self._runner, self._theme = desk, runner, theme
        self._size_to_type()
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 0, 0, 0)
        column.setSpacing(5)
        head = QLabel(tr("Lesson"))
        head.setProperty("head", True)
        column.addWidget(head)
        making = QHBoxLayout()
        self.school = QComboBox()
        self.school.setAccessibleName(tr("How the lesson is made"))
        for school in School:
            self.school.addItem(tr(SCHOOLS[school]), school)
        self.school.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        making.addWidget(self.school, 1)
        self.make = button(tr("Make it"), self.make_plan, tip=shown_key("Alt+M"))
        making.addWidget(self.make)
        column.addLayout(making)
        self._typed = QTimer(self)
        self._typed.setSingleShot(True)
        self._typed.setInterval(_IDLE_MS)
        self._typed.timeout.connect(self.take_lines)
        self.lines = PlanText(self._typed)
        self.lines.setAccessibleName(tr("The steps of the lesson, a line each"))
        self.lines.textChanged.connect(self._began_typing)
        self.lines.setMinimumHeight(_LEAST_LINES)
        column.addWidget(self.lines, 1)
        self.trouble = QLabel()
        self.trouble.setProperty("doubt", True)
        self.trouble.setWordWrap(True)
        column.addWidget(self.trouble)
        self._build_running(column)
        self._build_days(column)
        desk.session.opened.connect(self._opened)
        desk.session.project_changed.connect(self.refresh)
        desk.lesson.changed.connect(self.refresh)
        self.refresh()

    def _build_running(self, column: QVBoxLayout) -> None:
        """Run, steps, end."""
        desk = self._desk
        running = QHBoxLayout()
        self.run = button(tr("Run"), desk.lesson.toggle, tip=shown_key("Ctrl+Return"))
        self.back = button(tr("Step before"), lambda: desk.lesson.skip(-1))
        self.skip = button(tr("Next step"), lambda: desk.lesson.skip(1))
        self.stop = button(tr("End"), desk.lesson.stop)
        for w in (self.run, self.back, self.skip, self.stop):
            running.addWidget(w)
        running.addStretch(1)
        column.addLayout(running)

    def _build_days(self, column: QVBoxLayout) -> None:
        """Minutes a day, and what is written for the days."""
        days = QGridLayout()
        days.setHorizontalSpacing(6)
        days.addWidget(quiet_label(tr("Minutes")), 0, 0)
        self.minutes = Spin(FEWEST_MINUTES, MOST_MINUTES, tr("Minutes a day"))
        self.minutes.valueChanged.connect(self._set_minutes)
        days.addWidget(self.minutes, 0, 1)
        self.fit = button(tr("Fit"), self.fit_in, tip=tr("Leave only the steps that fit the minutes there are"))
        days.addWidget(self.fit, 0, 2)
        self.calendar = button(tr("Calendar …"), self.write_calendar)
        self.page = button(tr("Page …"), self.write_page)
        days.addWidget(self.calendar, 0, 3)
        days.addWidget(self.page, 0, 4)
        days.setColumnStretch(5, 1)
        column.addLayout(days)
        self.days = quiet_label()
        self.days.setWordWrap(True)
        column.addWidget(self.days)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self._size_to_type()
        self.refresh()

    def _size_to_type(self) -> None:
        """As wide as its buttons' words need."""
        self.setFixedWidth(round(_WIDTH * font(BASE_POINTS).pointSizeF() / BASE_POINTS))

    def _opened(self) -> None:
        self._typed.stop()
        self.refresh()

    @property
    def _lesson(self) -> Lesson:
        session = self._desk.session
        return session.project.lesson if session.is_open else Lesson()

    # -- making and editing --------------------------------------------------------------------------------------

    def make_plan(self) -> None:
        """Make the lines anew from the phrases, as the chosen school does."""
        session = self._desk.session
        if not session.is_open:
            return
        self._typed.stop()
        try:
            steps = made(session.project, self.school.currentData())
        except ScoreError as error:
            self._desk.said.emit(render_message(error))
            return
        session.edit(tr("Make the lesson"), lambda p: set_lesson(p, with_lines(p.lesson, steps)))

    def keep_loop(self) -> None:
        """What is looped, at its pace and with all that is heard, as the last step."""
        session, t = self._desk.session, self._desk.transport
        if not session.is_open or t.loop is None:
            self._desk.said.emit(tr("nothing is looped; drag over the recording, or take a phrase"))
            return
        start, end = t.loop
        same = next((p for p in session.project.phrases if (p.start, p.end) == (start, end)), None)
        heard = next((word for word, source in SOURCES.items() if source == t.player.source), HEARD[0])
        if same is not None:
            step = Step(What.PHRASE, (same.name,))
        else:
            step = Step(What.LOOP, times=(round(start, 2), round(end, 2)))
        step = replace(
            step, pace=t.pace, rounds=_KEPT_ROUNDS, heard=heard, click=t.click, count=t.count_in, breath=t.breath
        )
        line = write_step(step)
        session.edit(tr("Keep a step"), lambda p: set_lesson(p, replace(p.lesson, lines=(*p.lesson.lines, line))))
        self._desk.said.emit(tr("kept: {line}", line=line))

    def fit_in(self) -> None:
        """Leave only the steps that fit the minutes there are."""
        session = self._desk.session
        if not session.is_open:
            return
        try:
            steps = [s for _, s in read_plan(self._lesson.lines)]
            fits, left = fitted(session.project, steps, self._lesson.minutes)
        except ScoreError as error:
            self._desk.said.emit(render_message(error))
            return
        if left or fits != steps:
            session.edit(tr("Fit the lesson"), lambda p: set_lesson(p, with_lines(p.lesson, fits)))

    def _began_typing(self) -> None:
        if tuple(self.lines.toPlainText().splitlines()) != self._lesson.lines:
            self._typed.start()

    def take_lines(self) -> None:
        """Keep what is written; what cannot be read is said under it, and kept as it is."""
        self._typed.stop()
        session = self._desk.session
        lines = tuple(self.lines.toPlainText().splitlines())
        if session.is_open and lines != self._lesson.lines:
            session.edit(tr("Edit the lesson"), lambda p: set_lesson(p, replace(p.lesson, lines=lines)))

    def _set_minutes(self, minutes: int) -> None:
        lesson = self._lesson
        if self._desk.session.is_open and minutes != lesson.minutes:
            self._desk.session.edit(
                tr("Minutes of a lesson"), lambda p: set_lesson(p, replace(p.lesson, minutes=minutes))
            )

    # -- showing -------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the lines, what is wrong with them, how long they take, and what runs."""
        lesson, run = self._lesson, self._desk.lesson
        if tuple(self.lines.toPlainText().splitlines()) != lesson.lines and not self._typed.isActive():
            self.lines.blockSignals(True)
            self.lines.setPlainText("\n".join(lesson.lines))
            self.lines.blockSignals(False)
        if self.minutes.value() != lesson.minutes:
            self.minutes.setValue(lesson.minutes)
        self._light_line()
        self.run.setText(tr("Run") if not run.on else tr("Go on") if run.held else tr("Hold"))
        for w in (self.back, self.skip, self.stop):
            w.setEnabled(run.on)
        self._say()

    def _say(self) -> None:
        session, trouble, days = self._desk.session, "", ""
        if session.is_open and self.isVisible():
            project = session.project
            try:
                steps = read_plan(project.lesson.lines)
                planned(project, steps)
                seconds = sum(seconds_of(project, step) for _, step in steps)
                found = spread(project, today=datetime.date.today())
                days = days_words(found.days, len(found.left))
                shown = "\n".join(day_words(d) for d in found.days[:_DAYS_SHOWN])
                if found.days:
                    days = tr(
                        "{minutes} in all: {days}\n{shown}", minutes=minutes_words(seconds), days=days, shown=shown
                    )
            except ScoreError as error:
                trouble = render_message(error)
        self.trouble.setText(trouble)
        self.trouble.setVisible(bool(trouble))
        self.days.setText(days)

    def _light_line(self) -> None:
        turn = self._desk.lesson.turn
        marks = []
        if turn is not None:
            document = self.lines.document()
            assert document is not None
            mark = QTextEdit.ExtraSelection()
            mark.cursor = QTextCursor(document.findBlockByNumber(turn.line))
            mark.format.setBackground(QColor(self._theme.color("loop")))
            mark.format.setProperty(mark.format.Property.FullWidthSelection, True)
            marks.append(mark)
        self.lines.setExtraSelections(marks)

    def showEvent(self, event: object) -> None:
        self._say()

    # -- days ----------------------------------------------------------------------------------------------------

    def write_calendar(self) -> None:
        """The days as an iCalendar file."""
        from notcher.formats.calendar import calendar

        self._write(".ics", tr("Calendar"), lambda p, days: calendar(p, days, now=datetime.datetime.now(datetime.UTC)))

    def write_page(self) -> None:
        """The days as a page to print."""
        from notcher.formats.sheet.lesson import lesson_pdf

        self._write(".pdf", tr("Page"), lesson_pdf)

    def _write(self, ending: str, name: str, rendered: Callable[[Project, Spread], bytes]) -> None:
        session = self._desk.session
        if not session.is_open:
            return
        project = session.project
        try:
            found = spread(project, today=datetime.date.today())
            if not found.days:
                raise ScoreError("the lesson has no steps yet; choose how it is made, or write a line")
        except NotcherError as error:
            self._desk.said.emit(render_message(error))
            return
        folder = session.path.parent if session.path else Path.cwd()
        suggestion = suggested_name(project, folder, ending, [])
        path = self._runner.ask.save_file(tr("Write the file"), suggestion, f"{name} (*{ending})")
        if path is None:
            return
        goal = path if path.suffix else path.with_name(path.name + ending)

        def work(outputs: Outputs, _: Report) -> None:
            outputs.check(goal)
            outputs.write(goal, rendered(project, found))

        self._runner.write(
            tr("Writing {name}", name=goal.name), outputs_of(session, path), work,
            lambda _: self._desk.said.emit(tr("written: {goal}", goal=goal)),
        )  # fmt: skip


def now_and_next(desk: Desk) -> str:
    """What a running lesson plays, and what comes after it; '' where none runs."""
    run = desk.lesson
    turn, following = run.turn, run.following
    if turn is None:
        return ""
    now = turn_words(turn)
    if run.clean_left:
        now = tr("{now}, {left} to go", now=now, left=run.clean_left)
    if run.held:
        now = tr("held: {now}", now=now)
    if following is None:
        return tr("{now}; the last step", now=now)
    return tr("{now}; then {next}", now=now, next=turn_words(following))
