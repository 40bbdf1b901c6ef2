"""The Source room: open a recording, say what it is, and have it measured."""

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from notcher.app.bars import button, quiet_label
from notcher.app.desk import Desk
from notcher.app.fields import Field
from notcher.score.errors import NotcherError
from notcher.score.project import LEAD_CHOICES, Project
from notcher.score.tuning import NAMED, parse_tuning
from notcher.score.words import clock

_LEAD_WORDS = {
    "auto": "find out", "mix": "everywhere (mono)", "centre": "in the centre", "left": "on the left",
    "right": "on the right",
}  # fmt: skip
_FIELDS = (
    ("title", "Title"), ("performer", "Played by"), ("asked_by", "Asked for by"), ("school", "School or teacher"),
    ("rights", "Rights"),
)  # fmt: skip


class SourceRoom(QWidget):
    """Where a request begins. open_wanted: a file dialog; demo_wanted: the demo; measure_wanted: (start, end)."""

    open_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    measure_wanted = pyqtSignal(object)

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        outer = QHBoxLayout(self)
        outer.setContentsMargins(40, 26, 40, 20)
        outer.setSpacing(48)
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(10)
        outer.addLayout(left, 1)
        outer.addLayout(right, 1)

        head = QLabel("Recording")
        head.setProperty("head", True)
        left.addWidget(head)
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.facts.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        left.addWidget(self.facts)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.open_button = button("Open a recording or project …", self.open_wanted.emit, tip="Ctrl+O, or drop a file")
        self.demo_button = button("Open the demo", self.demo_wanted.emit)
        row.addWidget(self.open_button)
        row.addWidget(self.demo_button)
        row.addStretch(1)
        left.addLayout(row)
        left.addSpacing(18)

        head = QLabel("Request")
        head.setProperty("head", True)
        left.addWidget(head)
        self._request = QWidget()
        form = QFormLayout(self._request)
        form.setContentsMargins(0, 0, 0, 0)
        self.fields: dict[str, Field] = {}
        for key, label in _FIELDS:
            field = Field()
            field.editingFinished.connect(lambda key=key: self._take_field(key))
            form.addRow(label, field)
            self.fields[key] = field
        left.addWidget(self._request)
        left.addStretch(1)
        left.addWidget(self._note(
            "A transcription of somebody's solo is theirs too: sharing it may need permission, and local law decides."
        ))  # fmt: skip

        head = QLabel("Measuring")
        head.setProperty("head", True)
        right.addWidget(head)
        self._measuring = QWidget()
        form = QFormLayout(self._measuring)
        form.setContentsMargins(0, 0, 0, 0)
        self.lead = QComboBox()
        self.lead.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for choice in LEAD_CHOICES:
            self.lead.addItem(_LEAD_WORDS[choice], choice)
        self.lead.activated.connect(self._take_lead)
        form.addRow("The lead sits", self.lead)
        self.tuning = QComboBox()
        self.tuning.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.tuning.setLineEdit(Field())
        self.tuning.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.tuning.addItems(list(NAMED))
        self.tuning.setToolTip("A name, or six pitches from the 1st string to the 6th, such as E4,B3,G3,D3,A2,D2")
        self.tuning.textActivated.connect(self._take_tuning)
        edit = self.tuning.lineEdit()
        assert edit is not None
        edit.editingFinished.connect(lambda: self._take_tuning(self.tuning.currentText()))
        form.addRow("The guitar is tuned", self.tuning)
        right.addWidget(self._measuring)
        self.result = QLabel()
        self.result.setWordWrap(True)
        right.addWidget(self.result)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.measure_all = button("Measure it all", lambda: self.measure_wanted.emit(None))
        self.measure_loop = button("Measure the loop only", lambda: self.measure_wanted.emit(desk.transport.loop))
        row.addWidget(self.measure_all)
        row.addWidget(self.measure_loop)
        row.addStretch(1)
        right.addLayout(row)
        right.addWidget(self._note(
            "Measuring proposes; notes you have confirmed or added stay as they are. Undo brings the rest back."
        ))  # fmt: skip
        right.addStretch(1)
        right.addWidget(self._note(
            "Take care: warm up, take breaks, stop at pain or numbness and see a clinician, and keep loops at a "
            "moderate loudness. Wide bends on thin strings can break one: mind your eyes."
        ))  # fmt: skip
        for signal in (desk.session.project_changed, desk.session.opened, desk.transport.changed):
            signal.connect(self.refresh)
        self.refresh()

    @staticmethod
    def _note(text: str) -> QLabel:
        label = quiet_label(text)
        label.setWordWrap(True)
        return label

    def refresh(self) -> None:
        """Show the project as it is."""
        is_open = self._desk.session.is_open
        has_sound = self._desk.transport.audio is not None
        for w in (self._request, self._measuring):
            w.setEnabled(is_open)
        self.measure_all.setEnabled(has_sound)
        self.measure_loop.setEnabled(has_sound and self._desk.transport.loop is not None)
        if not is_open:
            self.facts.setText(
                "Open the recording of a solo: WAV, FLAC, OGG or MP3, or a Notcher project. You can drop a file "
                "anywhere on this window. Notcher listens to it, writes down what it hears string by string, "
                "and leaves the last word to you."
            )
            self.result.setText("")
            return
        project = self._desk.session.project
        self.facts.setText(self._facts(project))
        for key, field in self.fields.items():
            if not field.hasFocus():
                field.setText(getattr(project.request, key))
        self.lead.setCurrentIndex(self.lead.findData(project.lead))
        edit = self.tuning.lineEdit()
        assert edit is not None
        if not edit.hasFocus():
            self.tuning.setCurrentText(project.tuning.name or project.tuning.spoken())
        self.result.setText(self._result(project))

    def _facts(self, project: Project) -> str:
        r = project.recording
        channels = {1: "mono", 2: "stereo"}.get(r.channels, f"{r.channels} channels")
        lines = [
            f"<b>{r.path}</b>",
            f"{clock(r.duration)} long, {channels}, {r.sample_rate / 1000:g} kHz",
        ]
        if self._desk.recording_state and self._desk.transport.audio is None:
            lines.append(self._desk.recording_state)
        if self._desk.transport.audio is not None:
            lines += [w[:1].upper() + w[1:] + "." for w in self._desk.transport.audio.warnings]
        return "<br>".join(lines)

    @staticmethod
    def _result(project: Project) -> str:
        if not project.notes:
            return "Nothing is measured yet."
        side = "flat" if project.offset_cents < 0 else "sharp"
        offset = f"{abs(project.offset_cents):.1f} cents {side} of A = 440" if project.offset_cents else "at A = 440"
        sure = sum(n.confidence for n in project.notes) / len(project.notes)
        return (
            f"{len(project.notes)} notes in {len(project.phrases)} phrases. The recording sits {offset}. "
            f"On average a note is {sure * 100:.0f} % sure. Tuning, low to high: {project.tuning.spoken()}."
        )

    def _take_field(self, key: str) -> None:
        value = self.fields[key].text().strip()
        if self._desk.session.is_open and value != getattr(self._desk.session.project.request, key):
            self._desk.session.edit("Request", lambda p: replace(p, request=replace(p.request, **{key: value})))

    def _take_lead(self, index: int) -> None:
        choice = self.lead.itemData(index)
        if self._desk.session.edit("Where the lead sits", lambda p: replace(p, lead=choice)):
            self._desk.transport.player.refresh("Lead alone")
            self._desk.said.emit("measure again to hear the notes from there; 'Lead alone' plays it at once")

    def _take_tuning(self, text: str) -> None:
        if not self._desk.session.is_open:
            return
        project = self._desk.session.project
        if text in (project.tuning.name, project.tuning.spoken()):
            return
        try:
            tuning = parse_tuning(text)
        except NotcherError as error:
            self._desk.said.emit(str(error))
            self.tuning.setCurrentText(project.tuning.name or project.tuning.spoken())
            return
        from notcher.work import retuned

        self._desk.session.edit("Tuning", lambda p: retuned(p, tuning))
