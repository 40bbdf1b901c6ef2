"""The room as a whole: the recording on top, the steps of preparing it below, each with how it stands."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QSizePolicy, QStackedWidget, QVBoxLayout

from notcher.app.rooms.room import Around, RoomView
from notcher.app.rooms.source.beat import BeatPanel
from notcher.app.rooms.source.isolate import IsolatePanel
from notcher.app.rooms.source.recording_map import RecordingMap
from notcher.app.rooms.source.request import RequestPanel
from notcher.app.rooms.source.sections_panel import SectionsPanel
from notcher.app.rooms.source.tuning import TuningPanel
from notcher.app.widgets.forms import Field, button
from notcher.app.widgets.theme import Theme
from notcher.score.sections import rename_section
from notcher.wording import later, tr, trn
from notcher.wording.guitar import stereo_position_words
from notcher.wording.names import called
from notcher.wording.numbers import due_words
from notcher.wording.rhythm import metre_words

STEPS = (later("Request"), later("Isolate"), later("Tuning"), later("Beat"), later("Sections"))


class SourceRoom(RoomView):
    """Where a request begins."""

    def __init__(self, around: Around) -> None:
        super().__init__()
        desk, theme, tasks = around.desk, around.theme, around.tasks
        self._desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.map = RecordingMap(desk, theme)
        column.addWidget(self.map)
        steps = QHBoxLayout()
        steps.setContentsMargins(16, 10, 16, 6)
        steps.setSpacing(8)
        self.step_buttons: list[QPushButton] = []
        for k, name in enumerate(STEPS):
            made = button(tr(name), lambda k=k: self.show_step(k), checkable=True)  # type: ignore[misc]
            made.setProperty("step", True)
            made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            self.step_buttons.append(made)
            steps.addWidget(made, 1)
        column.addLayout(steps)
        self.request = RequestPanel(desk)
        self.isolate = IsolatePanel(desk, theme)
        self.tuning = TuningPanel(desk)
        self.beat = BeatPanel(desk, theme)
        self.sections = SectionsPanel(desk)
        self.stack = QStackedWidget()
        self.panels = (self.request, self.isolate, self.tuning, self.beat, self.sections)
        for panel in self.panels:
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setWidget(panel)
            self.stack.addWidget(area)
        frame = QVBoxLayout()
        frame.setContentsMargins(24, 8, 24, 12)
        frame.addWidget(self.stack)
        column.addLayout(frame, 1)
        self.request.open_wanted.connect(tasks.opening.ask_and_open)
        self.request.demo_wanted.connect(tasks.opening.open_demo)
        self.request.recent_wanted.connect(lambda path: tasks.opening.open(Path(path)))
        self.request.show_recent(around.settings.opened_lately())
        desk.remembered.connect(lambda: self.request.show_recent(around.settings.opened_lately()))
        self.isolate.measure_wanted.connect(tasks.measuring.measure)
        self.beat.find_wanted.connect(tasks.measuring.find_beats)
        self.map.rename_wanted.connect(self._rename)
        self._editor: Field | None = None
        for signal in (
            desk.session.project_changed,
            desk.session.opened,
            desk.transport.changed,
            desk.transport.sound_ready,
        ):
            signal.connect(self.refresh)
        self.show_step(0)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        for part in (self.map, self.isolate, self.beat):
            part.set_theme(theme)

    def show_step(self, k: int) -> None:
        """Show one step's panel."""
        self.stack.setCurrentIndex(k)
        for i, made in enumerate(self.step_buttons):
            made.setChecked(i == k)
        self.refresh()

    def refresh(self) -> None:
        """Show the project as it is."""
        is_open = self._desk.session.is_open
        for k, made in enumerate(self.step_buttons):
            made.setEnabled(is_open or k == 0)
            made.setText(f"{tr(STEPS[k])}\n{self._standing(k)}" if is_open else tr(STEPS[k]))
        self.panels[self.stack.currentIndex()].refresh()

    def _standing(self, k: int) -> str:
        """How a step stands, in a few words."""
        project = self._desk.session.project
        match STEPS[k]:
            case "Request":
                if project.request.due:
                    return due_words(project.request.due)
                who = project.request.asked_by
                return tr("for {name}", name=who) if who else tr("no one named yet")
            case "Isolate":
                return tr("the lead {where}", where=stereo_position_words(project.lead))
            case "Tuning":
                values = {"name": called(project.tuning), "cents": project.offset_cents}
                if project.tuning.capo:
                    return tr("{name}, capo {capo}, {cents:+.1f} cents", capo=project.tuning.capo, **values)
                return tr("{name}, {cents:+.1f} cents", **values)
            case "Beat":
                tempo = project.tempo
                return (
                    tr("{bpm:.0f} bpm, {metre}", bpm=tempo.bpm(), metre=metre_words(tempo)) if tempo else tr("no beat")
                )
            case _:
                count = len(project.sections)
                return trn("{n} section", "{n} sections", count) if count else tr("none yet")

    # -- renaming a section in place -----------------------------------------------------------------------------

    def _rename(self, name: str) -> None:
        self._close_editor()
        editor = Field(name, self)
        editor.setAccessibleName(tr("Name of section {name}", name=name))
        section = next(s for s in self._desk.session.project.sections if s.name == name)
        editor.setGeometry(int(self.map.x_of(section.start)), 0, 180, 26)
        editor.selectAll()

        def take() -> None:
            if self._editor is editor:
                wanted = editor.text().strip()
                self._close_editor()
                if wanted and wanted != name:
                    self._desk.session.edit(tr("Rename section"), lambda p: rename_section(p, name, to=wanted))

        editor.editingFinished.connect(take)
        self._editor = editor
        editor.show()
        editor.setFocus(Qt.FocusReason.OtherFocusReason)

    def _close_editor(self) -> None:
        if self._editor is not None:
            editor, self._editor = self._editor, None
            editor.deleteLater()

    def wait(self) -> None:
        """Wait until no thread of this room runs."""
        self.isolate.wait()
        self.beat.wait()
