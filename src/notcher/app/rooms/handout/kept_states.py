"""Earlier states of the solo under names such as 'first handout', and what changed since, note by note."""

import datetime

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from notcher.app.rooms.ids import HAND_OUT, NOTCH
from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import Field, button, quiet_label
from notcher.score.compare import changes_since, forget_state, name_state, state_named
from notcher.wording import tr
from notcher.wording.notes import change_line
from notcher.wording.numbers import date_words


class KeptStates(QWidget):
    """The side of it in the Hand out room; `list` goes where the pages are. chosen: what to compare with changed."""

    chosen = pyqtSignal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.addWidget(quiet_label(tr("Keep it as it is now, under a name")))
        self.name = Field()
        self.name.setPlaceholderText(tr("such as 'first handout', then Enter"))
        self.name.setAccessibleName(tr("Name of the state to keep"))
        self.name.returnPressed.connect(self._keep)
        column.addWidget(self.name)
        column.addSpacing(6)
        column.addWidget(quiet_label(tr("Show")))
        self.since = QComboBox()
        self.since.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.since.setAccessibleName(tr("The pages, or what changed since an earlier state"))
        self.since.activated.connect(lambda _: self.refresh())
        column.addWidget(self.since)
        row = QHBoxLayout()
        self.copy = button(tr("Copy the list"), self._copy, tip=tr("As text, for a message to the learner"))
        self.forget = button(tr("Forget it"), self._forget, tip=tr("Let this earlier state go; undo brings it back"))
        row.addWidget(self.copy)
        row.addWidget(self.forget)
        column.addLayout(row)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("What changed since, note by note; Enter goes there"))
        self.list.setWordWrap(True)
        self.list.setSpacing(5)
        self.list.itemActivated.connect(self._go)
        desk.session.project_changed.connect(self.refresh)
        desk.room_changed.connect(lambda _: self.refresh())
        self.refresh()

    @property
    def comparing(self) -> str:
        """The name of the state that is compared with, '' while the pages are shown."""
        return str(self.since.currentData() or "")

    def compare_with(self, name: str) -> None:
        """List what changed since a state."""
        self.refresh()
        self.since.setCurrentIndex(max(0, self.since.findData(name)))
        self.refresh()

    def lines(self) -> list[str]:
        """What is listed."""
        items = (self.list.item(k) for k in range(self.list.count()))
        return [item.text() for item in items if item is not None]

    def _keep(self) -> None:
        name, today = self.name.text(), datetime.date.today().isoformat()
        if self._desk.session.edit(tr("Keep this state"), lambda p: name_state(p, name, made=today)):
            self.name.clear()
            self._desk.said.emit(
                tr("kept as '{name}'; what changes from now on can be listed against it", name=name.strip())
            )

    def _forget(self) -> None:
        name = self.comparing
        self._desk.session.edit(tr("Forget a state"), lambda p: forget_state(p, name))

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText("\n".join([tr("Since '{comparing}':", comparing=self.comparing), *self.lines()]))
            self._desk.said.emit(tr("the list was copied"))

    def _go(self, item: QListWidgetItem) -> None:
        time, note_id = item.data(Qt.ItemDataRole.UserRole)
        if note_id:
            self._desk.session.select(frozenset({note_id}))
        self._desk.transport.seek(time)
        self._desk.axis.reveal_range(time, time)
        self._desk.show_room(NOTCH)

    def refresh(self) -> None:
        """Fill the choices and the list anew, while the room is looked at."""
        if self._desk.room != HAND_OUT or not self._desk.session.is_open:
            return
        project, before = self._desk.session.project, self.comparing
        wanted = [(tr("the pages"), "")] + [
            (tr("changes since '{name}', {made}", name=s.name, made=date_words(s.made)), s.name) for s in project.states
        ]
        if [(self.since.itemText(i), self.since.itemData(i)) for i in range(self.since.count())] != wanted:
            self.since.clear()
            for label, key in wanted:
                self.since.addItem(label, key)
            self.since.setCurrentIndex(max(0, self.since.findData(before)))
        self.since.setEnabled(len(wanted) > 1)
        comparing = self.comparing
        for made in (self.copy, self.forget):
            made.setVisible(bool(comparing))
        if comparing:
            self.list.clear()
            found = changes_since(state_named(project, comparing), project)
            for change in found:
                item = QListWidgetItem(change_line(change))
                item.setData(Qt.ItemDataRole.UserRole, (change.time, change.note_id))
                self.list.addItem(item)
            if not found:
                self.list.addItem(tr("Nothing has changed since."))
        self.chosen.emit()
