"""The Teach room: one phrase, large enough to read at two metres, looped slowly and then less slowly."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QHBoxLayout, QLabel, QVBoxLayout

from notcher.app.rooms.ids import TEACH
from notcher.app.rooms.room import Around, RoomView
from notcher.app.rooms.teach.cue_line import CueLine
from notcher.app.rooms.teach.large_tab import LargeTab
from notcher.app.rooms.teach.lesson_panel import LessonPanel, now_and_next
from notcher.app.rooms.teach.pedal_panel import PedalPanel
from notcher.app.rooms.teach.take_bar import TakeBar
from notcher.app.rooms.teach.time_controls import TimeControls
from notcher.app.rooms.teach.words_panel import WordsPanel
from notcher.app.shell.keysheet import shown_key
from notcher.app.state.take import TakeDesk
from notcher.app.widgets.fitting import Shared
from notcher.app.widgets.forms import button, quiet_label
from notcher.app.widgets.neck import NeckView, on_neck
from notcher.app.widgets.neck_chords import NeckChords
from notcher.app.widgets.theme import Theme
from notcher.app.widgets.version_choice import VersionChoice
from notcher.audio.decode import KINDS as SOUND_KINDS
from notcher.score.clause import Clause
from notcher.teach.care import strains
from notcher.teach.difficulty import difficulty
from notcher.teach.lesson import FIRST_PACE
from notcher.wording import render_message, tr
from notcher.wording.figures import figure_words
from notcher.wording.lesson import difficulty_words
from notcher.wording.numbers import clock, pace_words
from notcher.wording.summary import summary_words
from notcher.wording.take import marks_kept, marks_of

# Seconds around the playhead in which advice at a note comes up.
_TOLD_S = (0.5, 1.2)
# Pixels beside and between what stands under the tab.
_MARGINS = 56
# Pixels that panels under the tab have in any case.
_FOR_PANELS = 100


class TeachRoom(RoomView):
    """Name, tab, and what a player locks to. Everything by one key from across the room."""

    def __init__(self, around: Around) -> None:
        super().__init__()
        desk, _theme = around.desk, around.theme
        self._desk = desk
        self._taught = False
        self._cared: tuple[object, tuple[Clause, ...]] = (None, ())
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 6, 20, 4)
        self._build_top(column)
        self._build_stage(column, around)
        self._build_foot(column)
        desk.phrase_changed.connect(self.refresh)
        desk.transport.changed.connect(self.refresh)
        desk.analysis.changed.connect(self.refresh)
        desk.session.opened.connect(self._opened)
        desk.room_changed.connect(self._entered)
        desk.phrase_stepped.connect(self._stepped)
        desk.session.project_changed.connect(self._show_on_neck)
        desk.transport.moved.connect(self.neck.show_time)
        # The View menu turns the neck in every room.
        desk.asked.connect(lambda _: self.neck.update())
        self.refresh()

    def _build_top(self, column: QVBoxLayout) -> None:
        """Name, count, version, cautions and pace; what is said of the phrase and what comes."""
        desk = self._desk
        top = QHBoxLayout()
        self.name = QLabel()
        self.name.setProperty("big", True)
        self.count = quiet_label()
        top.addWidget(self.name)
        top.addWidget(self.count)
        self.version = VersionChoice(desk)
        top.addWidget(self.version)
        top.addStretch(1)
        self.care = QLabel()
        self.care.setProperty("doubt", True)
        self.care.setToolTip(
            tr("In short turns, with breaks; stop at pain or numbness, and see a clinician if it comes again.")
        )
        top.addWidget(self.care)
        self.pace = QLabel()
        self.pace.setProperty("big", True)
        top.addWidget(self.pace)
        column.addLayout(top)
        self.summary = quiet_label()
        self.summary.setWordWrap(True)
        column.addWidget(self.summary)
        self.told = QLabel()
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.coming = QLabel()
        self.coming.setProperty("head", True)
        self.coming.setWordWrap(True)
        column.addWidget(self.coming)

    def _build_stage(self, column: QVBoxLayout, around: Around) -> None:
        """The large tab, the lesson beside it, and below what is worked with."""
        desk = around.desk
        theme = around.theme
        self.tab = LargeTab(desk, theme, around.settings)
        beside = QHBoxLayout()
        beside.addWidget(self.tab, 1)
        self.lesson = LessonPanel(desk, around.tasks.runner, theme)
        self.lesson.setVisible(around.settings.lesson)
        beside.addWidget(self.lesson)
        column.addLayout(beside, 4)
        self.cue = CueLine(desk, theme, around.settings)
        self.cue.setVisible(around.settings.cue)
        self.below = Shared(least=_FOR_PANELS)
        self.below.add(self.cue)
        self.take = TakeDesk(desk, around.tasks.runner, around.settings)
        self.take.said.connect(desk.said)
        self.take.changed.connect(self._show_take)
        self.take_bar = TakeBar(desk, self.take, around.tasks.runner, theme)
        self.take_bar.setVisible(around.settings.takes)
        self.below.add(self.take_bar)
        self.words = WordsPanel(desk)
        self.below.add(self.words)
        self.pedals = PedalPanel(around.pedals)
        self.below.add(self.pedals)
        desk.lesson.listens = around.settings.takes
        desk.transport.moved.connect(self._tell)
        self._settings = around.settings
        self.neck = NeckView(theme, around.settings, large=True)
        self.neck.setVisible(around.settings.neck_in_teach)
        self.below.add(self.neck, 1)
        column.addWidget(self.below, 6)
        self._neck_chords = NeckChords(desk, self.neck)

    def _build_foot(self, column: QVBoxLayout) -> None:
        """Steps through the phrases, what is shown, and the time."""
        desk = self._desk
        steps = QHBoxLayout()
        self.previous = button(tr("Phrase before"), lambda: desk.step_phrase(-1), tip=shown_key("PgUp"))
        self.next = button(tr("Next phrase"), lambda: desk.step_phrase(1), tip=shown_key("PgDown"))
        together = tr("Home: everything up to here, or this phrase alone")
        self.so_far = button(tr("So far"), desk.toggle_so_far, tip=together, checkable=True)
        self.show_neck = button(
            tr("Neck"), self.toggle_neck, tip=tr("The phrase on the neck, under its tab"), checkable=True
        )
        self.show_lesson = button(tr("Lesson"), self.toggle_lesson, tip=shown_key("Alt+L"), checkable=True)
        self.show_takes = button(tr("Takes"), self.toggle_takes, tip=shown_key("Alt+R"), checkable=True)
        for w in (self.previous, self.next, self.so_far, self.show_neck, self.show_lesson, self.show_takes):
            steps.addWidget(w)
        steps.addStretch(1)
        self.time = TimeControls(desk)
        self._foot = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self._foot.setSpacing(6)
        self._foot.addLayout(steps, 1)
        self._foot.addWidget(self.time)
        column.addLayout(self._foot)
        self._steps = steps

    def _opened(self) -> None:
        self._taught = False

    def _entered(self, room: str) -> None:
        """The first time a project comes here, its phrase is looped, slowly."""
        self._show_on_neck()
        if room != TEACH or self._taught or self._desk.phrase is None:
            return
        self._taught = True
        if self._desk.transport.loop is None:
            self._desk.loop_stretch()
        self._desk.transport.set_pace(FIRST_PACE)

    def _stepped(self) -> None:
        """Another phrase begins slowly again."""
        if self._desk.room == TEACH:
            self._desk.transport.set_pace(FIRST_PACE)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """What stands under the tab takes two rows where one has no room for its words."""
        super().resizeEvent(event)
        self._fit_foot()

    def _fit_foot(self) -> None:
        margins = self.contentsMargins().left() + self.contentsMargins().right() + _MARGINS
        wanted = self._steps.sizeHint().width() + self.time.sizeHint().width() + margins
        across, down = QBoxLayout.Direction.LeftToRight, QBoxLayout.Direction.TopToBottom
        self._foot.setDirection(across if wanted <= self.width() else down)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours, at the size of type that is set."""
        QTimer.singleShot(0, self._fit_foot)
        self.tab.set_theme(theme)
        self.neck.set_theme(theme)
        for view in (self.lesson, self.cue, self.take_bar):
            view.set_theme(theme)

    def wait(self) -> None:
        """Stop what is recorded, as the window goes."""
        self.take.close()

    def answers(self) -> dict[str, Callable[[], object]]:
        """What the keys of this room do."""
        return {
            "teach-neck": self.toggle_neck,
            "teach-counts": self.toggle_counts,
            "teach-fingers": self.toggle_fingers,
            "teach-cue": self.toggle_cue,
            "teach-chords": self.toggle_chords,
            "teach-lesson": self.toggle_lesson,
            "teach-takes": self.toggle_takes,
            "teach-words": self.toggle_words,
            "teach-pedals": self.toggle_pedals,
            "lesson-make": self.make_lesson,
            "lesson-keep": self.keep_step,
            "take-record": self.record,
            "take-file": self.take_bar.ask_file,
        }

    def toggle_cue(self) -> None:
        """Show the phrase in words under the tab, or not."""
        self._settings.cue = not self._settings.cue
        self._settings.save()
        self.cue.setVisible(self._settings.cue)

    def toggle_chords(self) -> None:
        """Show the names of chords over the tab, or not."""
        self._settings.chord_names = not self._settings.chord_names
        self._follow_settings()

    def toggle_lesson(self) -> None:
        """Show the plan beside the tab, or not."""
        self._settings.lesson = not self._settings.lesson
        self._settings.save()
        self.lesson.setVisible(self._settings.lesson)
        self.show_lesson.setChecked(self._settings.lesson)

    def toggle_takes(self) -> None:
        """Show takes under the tab, or not; a lesson listens while they are."""
        self._settings.takes = not self._settings.takes
        self._settings.save()
        self.take_bar.setVisible(self._settings.takes)
        self.show_takes.setChecked(self._settings.takes)
        self._desk.lesson.listens = self._settings.takes
        self._show_take()

    def toggle_words(self) -> None:
        """Write advice, or put its panel away."""
        self.pedals.hide()
        self.words.toggle()

    def toggle_pedals(self) -> None:
        """Say what pedals do, or put their panel away."""
        self.words.hide()
        self.pedals.setVisible(not self.pedals.isVisible())

    def make_lesson(self) -> None:
        """Make the plan, and show it."""
        if not self._settings.lesson:
            self.toggle_lesson()
        self.lesson.make_plan()

    def keep_step(self) -> None:
        """Keep what is looped, as it is heard now, as the lesson's last step, and show it."""
        if not self._settings.lesson:
            self.toggle_lesson()
        self.lesson.keep_loop()

    def record(self) -> None:
        """Record a take, with its panel in view."""
        if not self._settings.takes:
            self.toggle_takes()
        self.take.toggle()

    def takes_file(self, path: Path) -> bool:
        """A sound that is dropped here is a take of what is taught."""
        if not self._desk.session.is_open or path.suffix.lower() not in SOUND_KINDS:
            return False
        if not self._settings.takes:
            self.toggle_takes()
        self.take.from_file(path)
        return True

    def _show_take(self) -> None:
        """What was off, at the notes: of the last take of what is taught, and of the one before."""
        phrase, asked = self._desk.phrase, self.take.phrase
        stretch = self._desk.stretch
        if not self._settings.takes or asked is None or stretch is None or asked.start < stretch.start - 0.01:
            self.tab.show_take({}, {})
            return
        history = list(self.take.history(phrase))
        before = history[-2] if self.take.report is not None and len(history) > 1 else None
        notes = self._desk.session.project.notes_between(asked.start, asked.end)
        kept = marks_kept(before, notes) if before is not None else {}
        self.tab.show_take(marks_of(self._desk.session.project, self.take.report), kept)

    def _tell(self) -> None:
        """Advice as it comes up: at the note that sounds, else of the phrase."""
        stretch, session = self._desk.stretch, self._desk.session
        if stretch is None or not session.is_open or not self.isVisible():
            return
        position, playing = self._desk.transport.position, self._desk.transport.playing
        phrase = session.project.phrase_at(position) if playing else self._desk.phrase
        said = []
        if playing:
            near = session.project.notes_between(position - _TOLD_S[0], position + _TOLD_S[1])
            said += [n.advice for n in near if n.advice][:1]
        if not said and phrase is not None:
            said += [phrase.advice] if phrase.advice else []
            said += [tr("listen for: {what}", what=phrase.listen_for)] if phrase.listen_for else []
            said += [tr("may be left out")] if phrase.optional else []
        text = " · ".join(said)
        if text != self.told.text():
            self.told.setText(text)
        self.told.setVisible(bool(text))

    def toggle_counts(self) -> None:
        """Show how notes are counted under the tab, or not."""
        self._settings.counts = not self._settings.counts
        self._follow_settings()

    def toggle_fingers(self) -> None:
        """Show fingers under the tab, or not."""
        self._settings.fingers = not self._settings.fingers
        self._follow_settings()

    def _follow_settings(self) -> None:
        self._settings.save()
        self.tab.follow_settings()

    def toggle_neck(self) -> None:
        """Show the phrase on the neck under the tab, or the tab alone."""
        self._settings.neck_in_teach = not self._settings.neck_in_teach
        self._settings.save()
        self.neck.setVisible(self._settings.neck_in_teach)
        self._show_on_neck()
        self.show_neck.setChecked(self._settings.neck_in_teach)

    def _show_on_neck(self) -> None:
        stretch = self._desk.stretch
        if not self._settings.neck_in_teach or self._desk.room != TEACH:
            return
        if stretch is None or not self._desk.session.is_open:
            self.neck.show_places((), None)
            return
        project = self._desk.session.project
        notes = project.notes_between(stretch.start, stretch.end)
        self.neck.show_places(on_neck(project, notes, project.playing.hand), project.tuning)

    def _show_care(self) -> None:
        """A sign, with its reason, on a phrase that strains the hand."""
        stretch, session = self._desk.stretch, self._desk.session
        found: tuple[Clause, ...] = ()
        if stretch is not None and session.is_open and self._desk.room == TEACH:
            about = (session.project.notes_between(stretch.start, stretch.end), session.project.playing)
            if about != self._cared[0]:
                self._cared = (about, strains(session.project, about[0]))
            found = self._cared[1]
        self.care.setText(tr("in short turns: {why}", why=tuple(found)) if found else "")
        self.care.setVisible(bool(found))

    def refresh(self) -> None:
        """Show the stretch in hand and the pace."""
        stretch, phrase = self._desk.stretch, self._desk.phrase
        self.show_neck.setChecked(self._settings.neck_in_teach)
        self._show_on_neck()
        self.name.setText(render_message(stretch.label) if stretch else "")
        if phrase is not None:
            phrases = self._desk.session.project.phrases
            number = [p.id for p in phrases].index(phrase.id) + 1
            self.count.setText(
                tr("phrase {number} of {n} · at {clock}", number=number, n=len(phrases), clock=clock(phrase.start))
            )
        else:
            self.count.setText("")
        said = ""
        self._show_care()
        if stretch is not None and not self._desk.joined:
            project = self._desk.session.project
            notes = project.notes_between(stretch.start, stretch.end)
            found = self._desk.analysis.figures_within(notes)
            hard = difficulty_words(difficulty(project, notes)) if self._settings.lesson and notes else ""
            parts = (summary_words(project, notes), *(figure_words(f) for f in found), hard)
            said = " ".join(s for s in parts if s)
        self.summary.setText(said)
        self.summary.setVisible(bool(said))
        self.pace.setText(pace_words(self._desk.transport.pace, self._desk.transport.bpm))
        self.so_far.setChecked(self._desk.joined)
        self.show_lesson.setChecked(self._settings.lesson)
        self.show_takes.setChecked(self._settings.takes)
        coming = now_and_next(self._desk)
        self.coming.setText(coming)
        self.coming.setVisible(bool(coming))
        self._tell()
        self._show_take()
        for w in (self.previous, self.next, self.so_far):
            w.setEnabled(phrase is not None)
