"""Sections: named places of the recording, made while listening; some repeat another, whole or less a bar."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QScrollArea, QSpinBox, QVBoxLayout, QWidget

from notcher.app.commands import sections as verbs
from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import Field, button, quiet_label
from notcher.score.project import Project, Section
from notcher.score.sections import delete_section, refer_section, rename_section
from notcher.wording import tr
from notcher.wording.numbers import clock


class SectionsPanel(QWidget):
    """One row a section."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._shown: tuple[Section, ...] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        self.add_button = button(
            tr("A section begins here"), lambda: verbs.begin(desk), tip=tr("S, also while it plays")
        )
        row.addWidget(self.add_button)
        words = quiet_label(tr("S while you listen; 1 to 9 go to the first nine; drag the flags above to move them."))
        row.addWidget(words)
        row.addStretch(1)
        column.addLayout(row)
        self._rows = QWidget()
        self._grid = QGridLayout(self._rows)
        self._grid.setContentsMargins(0, 6, 0, 0)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self._rows)
        column.addWidget(area, 1)

    def refresh(self) -> None:
        """Show the project as it is."""
        if not self._desk.session.is_open:
            return
        sections = self._desk.session.project.sections
        if sections == self._shown or any(f.hasFocus() for f in self._rows.findChildren(Field)):
            return
        self._shown = sections
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for k, s in enumerate(sections):
            self._add_row(k, s, sections)
        if not sections:
            self._grid.addWidget(quiet_label(tr("There are no sections yet.")), 0, 0)
        self._grid.setColumnStretch(6, 1)
        self._grid.setRowStretch(len(sections) + 1, 1)

    def _add_row(self, k: int, s: Section, sections: tuple[Section, ...]) -> None:
        go = button(
            clock(s.start),
            lambda: self._desk.go_to(s.start),
            tip=tr("Go there ({k})", k=k + 1) if k < 9 else tr("Go there"),
        )
        name = Field(s.name)
        name.setAccessibleName(tr("Name of section {name}", name=s.name))
        name.setMinimumWidth(210)
        name.setCursorPosition(0)
        name.editingFinished.connect(lambda: self._rename(s.name, name.text()))
        like = QComboBox()
        like.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        like.addItem(tr("stands for itself"), "")
        for other in sections:
            if other.name != s.name and other.like != s.name:
                like.addItem(tr("same as {name}", name=other.name), other.name)
        like.setCurrentIndex(max(0, like.findData(s.like)))
        less = QSpinBox()
        less.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        less.setRange(0, 16)
        less.setValue(s.less_bars)
        like.activated.connect(lambda _: self._refer(s.name, str(like.currentData()), 0))
        less.valueChanged.connect(lambda v: self._refer(s.name, s.like, v))
        gone = button(tr("Delete"), lambda: self._edit(tr("Delete section"), lambda p: delete_section(p, s.name)))
        for column, widget in enumerate((go, name, like)):
            self._grid.addWidget(widget, k, column)
        if s.like:
            for column, widget in enumerate((QLabel(tr("without its last")), less, QLabel(tr("bars"))), 3):
                self._grid.addWidget(widget, k, column)
        self._grid.addWidget(gone, k, 7)

    def _edit(self, label: str, change: Callable[[Project], Project]) -> None:
        self._desk.session.edit(label, change)
        self._shown = None
        self.refresh()

    def _rename(self, old: str, new: str) -> None:
        if new.strip() != old and new.strip():
            self._desk.session.edit(tr("Rename section"), lambda p: rename_section(p, old, to=new))

    def _refer(self, name: str, like: str, less: int) -> None:
        def change(p: Project) -> Project:
            return refer_section(p, name, like=like, less_bars=less)

        self._edit(tr("Section as another"), change)
