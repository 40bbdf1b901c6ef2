"""The Notch room: the strands, and beside them what is known about the selected note."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from notcher.app.commands import notes as verbs
from notcher.app.rooms.notch.chord_line import ChordLine
from notcher.app.rooms.notch.degree_line import DegreeLine
from notcher.app.rooms.notch.evidence import EvidencePanel
from notcher.app.rooms.notch.find import FindPanel
from notcher.app.rooms.notch.inspector import Inspector
from notcher.app.rooms.notch.move_panel import MovePanel
from notcher.app.rooms.notch.say import SayPanel
from notcher.app.rooms.notch.standing import StandingCorner
from notcher.app.rooms.notch.strand import StrandView
from notcher.app.rooms.notch.timing_deviation import TimingDeviationLine
from notcher.app.rooms.room import Around, RoomView
from notcher.app.widgets.fitting import Shared
from notcher.app.widgets.forms import quiet_label
from notcher.app.widgets.theme import Theme
from notcher.wording import tr

# Pixels that the strands can spare for the field of chords.
_FOR_CHORDS = 120
# Pixels that panels under the strands have in any case.
_FOR_PANELS = 96


class NotchRoom(RoomView):
    """Where notes are checked and corrected."""

    def __init__(self, around: Around) -> None:
        super().__init__()
        desk, theme = around.desk, around.theme
        self._desk = desk
        self.strand = StrandView(desk, theme)
        self.inspector = Inspector(desk, theme)
        splitter = QSplitter(Qt.Orientation.Horizontal)
        self.timing_deviation = TimingDeviationLine(desk, theme, self.strand.x_of)
        strands = QWidget()
        stack = QVBoxLayout(strands)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.setSpacing(0)
        self.chords = ChordLine(desk, theme, self.strand.x_of, self.strand.time_at)
        self.chords.closed.connect(self.strand.setFocus)
        self.chords.entering.connect(self._make_room)
        stack.addWidget(self.chords)
        stack.addWidget(self.strand, 1)
        self.degrees = DegreeLine(desk, theme, self.strand.x_of)
        stack.addWidget(self.degrees)
        stack.addWidget(self.timing_deviation)
        splitter.addWidget(strands)
        splitter.addWidget(self.inspector)
        splitter.setStretchFactor(0, 1)
        splitter.setCollapsible(0, False)
        splitter.setSizes([960, 300])
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(splitter, 1)
        self.say = SayPanel(desk, theme, around.settings)
        self.find_notes = FindPanel(desk, theme)
        self.move_phrase = MovePanel(desk, theme)
        self.evidence = EvidencePanel(desk, theme)
        self.below = Shared(least=_FOR_PANELS)
        for panel in (self.say, self.find_notes, self.move_phrase, self.evidence):
            self.below.add(panel)
        column.addWidget(self.below)
        foot = quiet_label(
            tr(
                "Tags: filled = confirmed, open = proposed, broken = under 60 %, ? = in doubt or a suggestion, dashed "
                "+ = one may be missing, paler = repeated. Ribbon: the pitch heard."
            )
        )
        foot.setWordWrap(True)
        foot.setContentsMargins(14, 3, 14, 3)
        below = QHBoxLayout()
        below.addWidget(foot, 1)
        self.standing = StandingCorner(desk)
        self.standing.only.connect(self.strand.show_only)
        below.addWidget(self.standing)
        column.addLayout(below)
        self.strand.add_wanted.connect(lambda time, string: verbs.add_at(desk, time, string))
        for panel in (self.say, self.find_notes, self.move_phrase, self.evidence):
            panel.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Where a panel closes the keys go back to the strands."""
        if event is not None and event.type() == QEvent.Type.Hide and self.isVisible():
            self.strand.setFocus()
        return super().eventFilter(watched, event)

    def answers(self) -> dict[str, Callable[[], object]]:
        """The panels that commands open."""
        return {
            "doubt": self.inspector.ask_doubt, "why": self.evidence.toggle, "say": self.say.open_line,
            "find": self.find_notes.open_find, "chords": self.chords.open_line,
            "move": self.move_phrase.open_panel, "show-chords": self._show_chords, "rename-phrase": self._rename_phrase,
        }  # fmt: skip

    def _make_room(self, entering: bool) -> None:
        """Of large type the field for chords takes the place of the lean line, so that all strings stay in view."""
        if not entering:
            self.timing_deviation.setVisible(
                self._desk.session.is_open and self._desk.session.project.tempo is not None
            )
        elif self.strand.height() < self.strand.minimumHeight() + _FOR_CHORDS:
            self.timing_deviation.hide()

    def _show_chords(self) -> None:
        self.chords.setVisible(self.chords.isHidden())

    def _rename_phrase(self) -> None:
        phrase = self._desk.phrase
        if phrase is not None:
            self.strand.rename(phrase)

    def wait(self) -> None:
        """Wait until no thread of this room runs."""
        self.evidence.wait()

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.strand.set_theme(theme)
        self.chords.set_theme(theme)
        self.timing_deviation.set_theme(theme)
        self.degrees.set_theme(theme)
        self.inspector.set_theme(theme)
        self.evidence.set_theme(theme)
        self.say.set_theme(theme)
        self.find_notes.set_theme(theme)
        self.move_phrase.set_theme(theme)
