"""All that one learner gets, in one go."""

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from notcher.app.rooms.handout.choices import choice, tick
from notcher.app.rooms.handout.sound_panel import HEARD_WORDS
from notcher.app.widgets.forms import Field, button, quiet_label
from notcher.formats.lesson_page.page import REMINDER
from notcher.formats.packet.wanted import PART_WORDS, Packet, Part
from notcher.formats.sheet.look import Look
from notcher.teach.layers import Layer
from notcher.wording import tr


class PacketPanel(QScrollArea):
    """For whom, and what is in it; the room says what comes of the buttons."""

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        inside = QWidget()
        columns = QHBoxLayout(inside)
        columns.setSpacing(48)
        columns.addLayout(self._for_whom(), 1)
        columns.addLayout(self._what(), 1)
        self.setWidget(inside)

    def _for_whom(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(7)
        column.addWidget(_head(tr("For")))
        self.learner = Field()
        self.learner.setAccessibleName(tr("Whom the packet is for"))
        column.addWidget(self.learner)
        self.last = quiet_label()
        self.last.setWordWrap(True)
        column.addWidget(self.last)
        column.addSpacing(14)
        self.as_folder = button(tr("Hand out as a folder …"), lambda: None, tip=tr("G"))
        self.as_zip = button(tr("Hand out as a zip file …"), lambda: None)
        self.lesson = button(tr("The lesson page alone …"), lambda: None)
        for made in (self.as_folder, self.as_zip, self.lesson):
            column.addWidget(made)
        column.addStretch(1)
        return column

    def _what(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(7)
        column.addWidget(_head(tr("What is in it")))
        self.parts = {part: tick(tr(PART_WORDS[part]), on=True) for part in Part}
        for box in self.parts.values():
            column.addWidget(box)
        column.addSpacing(8)
        column.addWidget(quiet_label(tr("The practice sounds play")))
        self.hear = choice(tr("What is heard in the packet's sounds"), [(tr(w), k) for k, w in HEARD_WORDS.items()])
        self.hear.setCurrentIndex(self.hear.findData("written"))
        column.addWidget(self.hear)
        self.recording = tick(tr("The recording goes into the lesson page"), tip=tr(REMINDER))
        self.reminder = quiet_label(tr(REMINDER))
        self.reminder.setWordWrap(True)
        self.reminder.setVisible(False)
        self.recording.toggled.connect(self.reminder.setVisible)
        column.addWidget(self.recording)
        column.addWidget(self.reminder)
        column.addStretch(1)
        return column

    def packet(self, look: Look, *, hands: bool, layer: Layer, shown: str, dialect: int) -> Packet:
        """What is wanted. Raises FileFormatError where nothing is ticked."""
        return Packet(
            learner=self.learner.text(), parts=tuple(p for p, box in self.parts.items() if box.isChecked()), look=look,
            hands=hands, hear=self.hear.currentData(), recording=self.recording.isChecked(), shown=shown,
            layer=layer,
            dialect=dialect,
        )  # fmt: skip


def _head(words: str) -> QLabel:
    made = QLabel(words)
    made.setProperty("head", True)
    return made
