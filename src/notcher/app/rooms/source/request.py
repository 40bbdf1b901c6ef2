"""The request card: what was asked for, by whom and for when; and the requests opened lately, with how far each is."""

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFormLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from notcher.app.state.desk import Desk
from notcher.app.state.settings import Recent
from notcher.app.widgets.forms import Field, button, quiet_label, two_columns
from notcher.score.project import Project
from notcher.wording import later, render_message, tr
from notcher.wording.names import called, spoken
from notcher.wording.numbers import clock, due_words

_FIELDS = (
    ("title", later("Title"), ""), ("performer", later("Played by"), ""),
    ("version", later("Version"), later("live in …, a cover, take 2")), ("asked_by", later("Asked for by"), ""),
    ("school", later("School or teacher"), ""), ("due", later("Due"), later("year-month-day")),
    ("rights", later("Rights"), later("whose it is, and what you may do with it")),
)  # fmt: skip


class RequestPanel(QWidget):
    """One card a project."""

    open_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    recent_wanted = pyqtSignal(str)

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        left, right = two_columns(self, shares=(1, 1), spacing=8)
        self._card = QWidget()
        form = QFormLayout(self._card)
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(5)
        self._refused: set[str] = set()
        self.fields: dict[str, Field] = {}
        for key, label, hint in _FIELDS:
            field = Field()
            field.setAccessibleName(tr(label))
            field.setPlaceholderText(tr(hint) if hint else "")
            field.editingFinished.connect(lambda key=key: self._take_field(key))
            form.addRow(tr(label), field)
            self.fields[key] = field
        self.tuning = quiet_label()
        form.addRow(tr("Tuning"), self.tuning)
        left.addWidget(self._card)
        left.addWidget(self._small(
            tr("A transcription of somebody's solo is theirs too: sharing it may need permission, and local law "
               "decides.")
        ))  # fmt: skip
        left.addStretch(1)
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        right.addWidget(self.facts)
        row = QHBoxLayout()
        self.open_button = button(
            tr("Open a recording, project or score …"), self.open_wanted.emit, tip=tr("Ctrl+O, or drop a file")
        )
        self.demo_button = button(tr("Open the demo"), self.demo_wanted.emit)
        row.setSpacing(8)
        row.addWidget(self.open_button)
        row.addWidget(self.demo_button)
        row.addStretch(1)
        right.addLayout(row)
        right.addSpacing(8)
        self._recent_head = quiet_label(tr("Opened lately"))
        right.addWidget(self._recent_head)
        self._recent = QVBoxLayout()
        right.addLayout(self._recent)
        right.addStretch(1)
        right.addWidget(self._small(
            tr("Take care: warm up, take breaks, stop at pain or numbness and see a clinician, and keep loops at a "
            "moderate loudness. Wide bends on thin strings can break one: mind your eyes.")
        ))  # fmt: skip
        self.show_recent([])

    @staticmethod
    def _small(text: str) -> QLabel:
        label = quiet_label(text)
        label.setWordWrap(True)
        return label

    def show_recent(self, recent: list[Recent]) -> None:
        """List the projects and recordings opened lately."""
        while self._recent.count():
            item = self._recent.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self._recent_head.setVisible(bool(recent))
        for r in recent:
            line = QWidget()
            row = QHBoxLayout(line)
            row.setContentsMargins(0, 0, 0, 0)
            row.addWidget(button(r.title or Path(r.path).stem, lambda r=r: self.recent_wanted.emit(r.path), tip=r.path))  # type: ignore[misc]
            row.addWidget(quiet_label(_state(r)))
            row.addStretch(1)
            self._recent.addWidget(line)

    def refresh(self) -> None:
        """Show the project as it is."""
        is_open = self._desk.session.is_open
        self._card.setEnabled(is_open)
        if not is_open:
            self.facts.setText(
                tr(
                    "Open the recording of a solo: WAV, FLAC, OGG or MP3; a Notcher project; or a score as "
                    "MusicXML, MIDI or text tab. You can drop a file "
                    "anywhere on this window. Notcher listens to it, writes down what it hears string by string, "
                    "and leaves the last word to you."
                )
            )
            return
        project = self._desk.session.project
        self.facts.setText(self._facts(project))
        for key, field in self.fields.items():
            if not field.hasFocus():
                field.setText(getattr(project.request, key))
        tuning = project.tuning
        values = {"name": called(tuning) if tuning.name else tr("of its own"), "strings": spoken(tuning)}
        self.tuning.setText(
            tr("{name}: {strings}, capo at fret {capo}", capo=tuning.capo, **values) if tuning.capo
            else tr("{name}: {strings}", **values)
        )  # fmt: skip

    def _facts(self, project: Project) -> str:
        r = project.recording
        if not r.path:
            return tr(
                "A written score of {clock}, without a recording. The File menu lines it up with one.",
                clock=clock(r.duration),
            )
        channels = {1: tr("mono"), 2: tr("stereo")}.get(r.channels) or tr("{n} channels", n=r.channels)
        lines = [
            f"<b>{Path(r.path).name}</b>",
            tr(
                "{clock} long, {channels}, {sample_rate:g} kHz",
                clock=clock(r.duration),
                channels=channels,
                sample_rate=r.sample_rate / 1000,
            ),
        ]
        if self._desk.recording_state and self._desk.transport.audio is None:
            lines.append(self._desk.recording_state)
        if self._desk.transport.audio is not None:
            said = [render_message(w) for w in self._desk.transport.audio.warnings]
            lines += [w[:1].upper() + w[1:] + "." for w in said]
        return "<br>".join(lines)

    def _take_field(self, key: str) -> None:
        value = self.fields[key].text().strip()
        session = self._desk.session
        if session.is_open and value != getattr(session.project.request, key):
            ok = session.edit(tr("Request"), lambda p: replace(p, request=replace(p.request, **{key: value})))
            if ok and key in self._refused:
                self._desk.mended.emit()
            (self._refused.discard if ok else self._refused.add)(key)
            if not ok:
                self.fields[key].setText(getattr(session.project.request, key))


def _state(recent: Recent) -> str:
    """How far a project opened lately is."""
    state = tr("not measured yet")
    if recent.notes not in ("", "0"):
        state = tr("{done} of {count} notes confirmed", done=recent.done, count=recent.notes)
    return tr("{state}, {due}", state=state, due=due_words(recent.due)) if recent.due else state
