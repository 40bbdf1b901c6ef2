"""The Hand out room: the printed page as it will be, and every file it can be given away as."""

from functools import partial

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from notcher.app.rooms.handout.kept_states import KeptStates
from notcher.app.rooms.ids import HAND_OUT
from notcher.app.rooms.room import Around, RoomView
from notcher.app.tasks.jobs import Report, Stop
from notcher.app.tasks.latest import Latest
from notcher.app.widgets import button, quiet_label
from notcher.formats.export import BY_NAME, EXPORTS, With
from notcher.formats.sheet.look import Look
from notcher.formats.sheet.neck import Necks
from notcher.score.project import Phrase, Project
from notcher.score.versions import all_versions, shown_as
from notcher.wording import tr, trn

_PREVIEW_DPI = 110


class HandOutRoom(RoomView):
    """What is handed out, in which version, as which kind of file; the pages; earlier states."""

    def __init__(self, around: Around) -> None:
        super().__init__()
        desk = around.desk
        self._settings = around.settings
        self._desk, self._exporting = desk, around.tasks.exporting
        self._drawing: Latest[list[tuple[int, int, bytes]]] = Latest(self)
        self._stale = True
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 12, 20, 8)
        row.setSpacing(24)
        side = QVBoxLayout()
        head = QLabel(tr("Hand out"))
        head.setProperty("head", True)
        side.addWidget(head)
        side.addWidget(quiet_label(tr("What")))
        self.what = QComboBox()
        self.what.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.what.setAccessibleName(tr("What is handed out"))
        self.what.activated.connect(lambda _: self._touch())
        side.addWidget(self.what)
        self.version = QComboBox()
        self.version.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.version.setAccessibleName(tr("In which versions phrases are handed out"))
        self.version.activated.connect(lambda _: self._touch())
        side.addWidget(self.version)
        self.hands = QCheckBox(tr("Fingers and strokes, as proposed"))
        self.hands.setToolTip(tr("what you said of them is always written"))
        self.neck = QCheckBox(tr("Each phrase on the neck"))
        for box in (self.hands, self.neck):
            box.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            box.toggled.connect(lambda _: self._touch())
            side.addWidget(box)
        side.addSpacing(4)
        side.addWidget(quiet_label(tr("Write it as")))
        self.buttons = {}
        grid = QGridLayout()
        grid.setSpacing(6)
        for k, kind in enumerate(EXPORTS):
            made = button(f"{tr(kind.label)} …", partial(self._ask_for, kind.name), tip=tr(kind.what_for))
            made.setAccessibleName(f"{tr(kind.label)}: {tr(kind.what_for)}")
            self.buttons[kind.name] = made
            grid.addWidget(made, k // 2, k % 2)
        side.addLayout(grid)
        side.addSpacing(4)
        self.state = quiet_label()
        self.state.setWordWrap(True)
        side.addWidget(self.state)
        self.kept = KeptStates(desk, self)
        around.tasks.saving.compare_wanted.connect(self.kept.compare_with)
        self.kept.chosen.connect(lambda: self._touch())
        side.addWidget(self.kept)
        side.addStretch(1)
        rights = quiet_label(
            tr("Sharing a transcription may need the permission of whose solo it is; local law decides.")
        )
        rights.setWordWrap(True)
        side.addWidget(rights)
        holder = QWidget()
        holder.setLayout(side)
        # There are more kinds than a low window has room for.
        column = QScrollArea()
        column.setWidgetResizable(True)
        column.setFrameShape(QFrame.Shape.NoFrame)
        column.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.setWidget(holder)
        column.setFixedWidth(280)
        row.addWidget(column)
        self.pages = QScrollArea()
        self.pages.setWidgetResizable(True)
        self.pages.setAccessibleName(tr("The pages as they will be printed"))
        self.pages.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.right = QStackedWidget()
        self.right.addWidget(self.pages)
        self.right.addWidget(self.kept.list)
        row.addWidget(self.right, 1)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(200)
        self._later.timeout.connect(self._draw_pages)
        desk.session.project_changed.connect(self._touch)
        desk.room_changed.connect(lambda _: self._touch(stale=False))

    def _phrases(self) -> list[Phrase]:
        phrase_id = self.what.currentData()
        project = self._desk.session.project
        return [p for p in project.phrases if p.id == phrase_id]

    def handed_out(self) -> Project:
        """The project with its phrases in the versions that were chosen here."""
        project, name = self._desk.session.project, self.version.currentData()
        return shown_as(project, name) if name else project

    def beside(self) -> With:
        """What is wanted beside the notes."""
        return With(
            self.hands.isChecked(), self.look(),
            pace=self._desk.transport.pace, dialect=self._settings.dialect,
        )  # fmt: skip

    def look(self) -> Look:
        """How the pages are to look."""
        return Look(neck=Necks(left_handed=self._settings.left_handed) if self.neck.isChecked() else None)

    def _ask_for(self, kind: str) -> None:
        self._exporting.export(kind, self._phrases(), self.handed_out(), self.beside())

    def _touch(self, *, stale: bool = True) -> None:
        """Draw the pages again, as soon as anybody looks."""
        self._stale = self._stale or stale
        if self._desk.room == HAND_OUT and self._stale and self._desk.session.is_open:
            self._fill_what(self._desk.session.project)
            self._later.start()
        self.right.setCurrentIndex(1 if self.kept.comparing else 0)

    def _fill_what(self, project: Project) -> None:
        chosen = self.what.currentData()
        wanted = [(tr("the whole solo"), "")] + [(tr("phrase: {name}", name=p.name), p.id) for p in project.phrases]
        if [(self.what.itemText(i), self.what.itemData(i)) for i in range(self.what.count())] != wanted:
            self.what.clear()
            for label, key in wanted:
                self.what.addItem(label, key)
            self.what.setCurrentIndex(max(0, self.what.findData(chosen or "")))
        self._fill_versions(project)
        for name, made in self.buttons.items():
            made.setEnabled(BY_NAME[name].can_be_made_of(project))

    def _fill_versions(self, project: Project) -> None:
        names, chosen = all_versions(project), self.version.currentData()
        wanted = [(tr("each phrase as it is shown"), "")] + [
            (tr("{name}, wherever there is that", name=name), name) for name in names
        ]
        if [(self.version.itemText(i), self.version.itemData(i)) for i in range(self.version.count())] != wanted:
            self.version.clear()
            for label, key in wanted:
                self.version.addItem(label, key)
            self.version.setCurrentIndex(max(0, self.version.findData(chosen or "")))
        self.version.setVisible(len(names) > 1)

    def _draw_pages(self) -> None:
        if self._drawing.running:
            self._later.start()
            return
        project = self.handed_out()
        chosen = {p.id for p in self._phrases()}
        phrases = [p for p in project.phrases if p.id in chosen]
        if not project.notes:
            self._show([])
            self.state.setText(tr("There are no notes yet: measure the recording in the Source room."))
            return
        self._stale = False
        self.state.setText(tr("Drawing the pages …"))
        beside = self.beside()

        def work(_: Report, __: Stop) -> list[tuple[int, int, bytes]]:
            from notcher.formats.export import render
            from notcher.formats.sheet.writers import page_images

            return page_images(render(project, "pdf", phrases, beside), dots_per_inch=_PREVIEW_DPI)

        self._drawing.start(work, self._show, self._failed)

    def _failed(self, why: str) -> None:
        self.state.setText("")
        self._desk.said.emit(why)

    def _show(self, pages: list[tuple[int, int, bytes]]) -> None:
        sheet = QWidget()
        column = QVBoxLayout(sheet)
        column.setSpacing(14)
        column.setContentsMargins(0, 0, 0, 0)
        for k, (width, height, data) in enumerate(pages, 1):
            image = QImage(data, width, height, width * 3, QImage.Format.Format_RGB888)
            label = QLabel()
            label.setPixmap(QPixmap.fromImage(image))
            label.setAccessibleName(tr("Page {k} of {n}", k=k, n=len(pages)))
            column.addWidget(label, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(1)
        self.pages.setWidget(sheet)
        count = trn("{n} page", "{n} pages", len(pages))
        self.state.setText(count if pages else "")

    @property
    def page_count(self) -> int:
        """Pages shown."""
        sheet = self.pages.widget()
        return len(sheet.findChildren(QLabel)) if sheet is not None else 0

    def wait(self) -> None:
        """Let a drawing that runs come to its end (before the window goes)."""
        self._drawing.wait()
