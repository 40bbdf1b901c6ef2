"""Whose hands it is placed for, and which guitar: schools, length and gauges of the strings, and what they pull."""

from dataclasses import replace

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from notcher.app.state.desk import Desk
from notcher.app.state.settings import Settings
from notcher.app.widgets.forms import quiet_label
from notcher.formats.codec import to_plain
from notcher.score.errors import ScoreError
from notcher.score.playing import LONGEST_SCALE_MM, SHORTEST_SCALE_MM, Hand, Picking, Playing, gauges_of
from notcher.teach.care import MOST_REST_MINUTES
from notcher.wording import render_message, tr
from notcher.wording.guitar import PICKINGS, SCHOOLS
from notcher.wording.names import string_names

_STEP = 500_000


class GuitarPanel(QWidget):
    """How the project is played. What is chosen here is also how new projects begin."""

    def __init__(self, desk: Desk, settings: Settings) -> None:
        super().__init__()
        self._desk, self._settings = desk, settings
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 0, 16, 6)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setSpacing(10)
        self.school = self._combo(tr("School of fingering"), {h.value: tr(name) for h, name in SCHOOLS.items()})
        self.picking = self._combo(tr("School of the pick"), {p.value: tr(name) for p, name in PICKINGS.items()})
        self.scale = QSpinBox()
        self.scale.setAccessibleName(tr("Length of the strings from nut to bridge, mm"))
        self.scale.setRange(SHORTEST_SCALE_MM, LONGEST_SCALE_MM)
        self.scale.setSuffix(tr(" mm"))
        self.scale.valueChanged.connect(self._choose)
        self.gauges = QLineEdit()
        self.gauges.setAccessibleName(tr("Gauges of the strings, thousandths of an inch, from the thinnest on"))
        self.gauges.setPlaceholderText(tr("such as {example}", example="10 13 17 26w 36w 46w"))
        self.gauges.editingFinished.connect(self._choose)
        self.rest = QSpinBox()
        self.rest.setAccessibleName(tr("Minutes of sounding loops after which a rest is said; 0 for never"))
        self.rest.setToolTip(self.rest.accessibleName())
        self.rest.setRange(0, MOST_REST_MINUTES)
        self.rest.setSuffix(tr(" min"))
        self.rest.setValue(settings.rest_minutes)
        self.rest.valueChanged.connect(self._choose_rest)
        for words, widget in (
            (tr("String length"), self.scale), (tr("Gauges"), self.gauges), (tr("Rest after"), self.rest),
        ):  # fmt: skip
            label = quiet_label(words)
            label.setBuddy(widget)
            row.addWidget(label)
            row.addWidget(widget, int(widget is self.gauges))
        row.insertWidget(0, self.school)
        row.insertWidget(1, self.picking)
        column.addLayout(row)
        self.pull = quiet_label()
        self.pull.setWordWrap(True)
        column.addWidget(self.pull)
        desk.session.project_changed.connect(self.refresh)
        desk.session.opened.connect(self.refresh)
        self.refresh()

    def _combo(self, name: str, choices: dict[str, str]) -> QComboBox:
        made = QComboBox()
        made.setAccessibleName(name)
        made.setToolTip(name)
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for value, words in choices.items():
            made.addItem(words, value)
        made.activated.connect(self._choose)
        return made

    def refresh(self) -> None:
        """Show how the project is played."""
        session = self._desk.session
        playing = session.project.playing if session.is_open else session.usual
        with QSignalBlocker(self.scale):
            self.scale.setValue(playing.scale_mm)
        self.school.setCurrentIndex(self.school.findData(playing.hand.value))
        self.picking.setCurrentIndex(self.picking.findData(playing.picking.value))
        self.gauges.setText(" ".join(str(g) for g in playing.gauges))
        self._show_pull(playing)

    def _show_pull(self, playing: Playing) -> None:
        """What each string pulls as it is tuned; that follows from its gauge alone."""
        session = self._desk.session
        if not session.is_open or not playing.gauges:
            self.pull.setText(tr("With their gauges it says what the strings pull, in newtons."))
            return
        tuning = session.project.tuning
        each = []
        for string, letter in zip(tuning.numbers, string_names(tuning), strict=True):
            newtons = playing.tension(string, tuning.pitches[string - 1])
            if newtons is not None:
                each.append(tr("{letter} {newtons:.0f} N", letter=letter, newtons=newtons))
        self.pull.setText(tr("The strings pull: {each}", each=", ".join(each)))

    def _choose_rest(self, minutes: int) -> None:
        self._settings.rest_minutes = minutes
        self._settings.save()

    def _choose(self) -> None:
        session = self._desk.session
        if not session.is_open:
            return
        project = session.project
        try:
            gauges = gauges_of(self.gauges.text(), project.tuning.strings)
        except ScoreError as error:
            # What was typed stays, to be corrected; the rest is taken.
            self.pull.setText(render_message(error))
            self._desk.said.emit(render_message(error))
            return
        chosen = Playing(
            Hand(self.school.currentData()), Picking(self.picking.currentData()), self.scale.value(), gauges
        )
        if chosen == project.playing:
            return
        # A length that is stepped through is one step for undo.
        stepped = replace(chosen, scale_mm=project.playing.scale_mm) == project.playing
        if session.edit(
            tr("How it is played"), lambda p: replace(p, playing=chosen), merge=_STEP if stepped else -1
        ):  # fmt: skip
            session.usual = chosen
            self._settings.playing = to_plain(chosen)
            self._settings.save()
