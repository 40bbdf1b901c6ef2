"""The Collect room: a folder of projects, what is looked for in it, and the phrases that are found."""

from dataclasses import replace
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QEvent, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from notcher.app.commands.versions import give_version
from notcher.app.jobs.job import Report
from notcher.app.jobs.latest import Latest
from notcher.app.rooms.ids import COLLECT, NOTCH
from notcher.app.rooms.room import Around, RoomView
from notcher.app.widgets.forms import Field, button, quiet_label
from notcher.collect.copied import copied
from notcher.collect.described import described
from notcher.collect.index import Hit, Index, Refreshed
from notcher.collect.query import Query, read_query
from notcher.formats import project_file
from notcher.harmony.symbols import parse_chord
from notcher.score.errors import NotcherError, ScoreError
from notcher.score.note import Note
from notcher.score.project import Phrase
from notcher.wording import render_message, tr, trn
from notcher.wording.chords import chord_name
from notcher.wording.names import german_names
from notcher.wording.summary import scale_name

_SETTLED_MS = 250
_COLUMNS = 7
_ARROWS = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Home, Qt.Key.Key_End)


class HitTable(QTableWidget):
    """Its arrows and Enter are its own: no key of the window's."""

    wanted = pyqtSignal()

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if event.type() == QEvent.Type.ShortcutOverride:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress:
                self.wanted.emit()
                return True
        elif isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and event.key() in _ARROWS:
            event.accept()
            return True
        return super().event(event)


class CollectRoom(RoomView):
    """What is typed is looked for at once; Enter opens a phrase, another key copies it as a version."""

    def __init__(self, around: Around) -> None:
        super().__init__()
        self._desk, self._tasks, self._settings = around.desk, around.tasks, around.settings
        self._index = Index(Path(platformdirs.user_data_dir("notcher")) / "phrases.sqlite")
        self._searching: Latest[list[Hit]] = Latest(self)
        self._hits: list[Hit] = []
        self._opening: Hit | None = None
        self._counted = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 12, 20, 8)
        column.setSpacing(8)
        self._build_asking(column)
        self._build_table()
        column.addWidget(self.table, 1)
        below = QHBoxLayout()
        self.open_button = button(tr("Open it"), self.open_chosen, tip=tr("Enter"))
        self.copy_button = button(tr("Copy it as a version of the phrase in hand"), self.copy_chosen)
        below.addWidget(self.open_button)
        below.addWidget(self.copy_button)
        below.addStretch(1)
        column.addLayout(below)
        self._typed = QTimer(self)
        self._typed.setSingleShot(True)
        self._typed.setInterval(_SETTLED_MS)
        self._typed.timeout.connect(self._look)
        self.field.textEdited.connect(lambda _: self._typed.start())
        self.field.returnPressed.connect(self._to_the_hits)
        self.table.wanted.connect(self.open_chosen)
        self.table.doubleClicked.connect(lambda _: self.open_chosen())
        self.table.itemSelectionChanged.connect(self._show_buttons)
        around.desk.room_changed.connect(self._entered)
        around.desk.phrase_changed.connect(self._phrase_changed)
        around.tasks.opening.shown.connect(self._opened)
        self._show()

    def _build_asking(self, column: QVBoxLayout) -> None:
        """The folder, and what is looked for in it."""
        top = QHBoxLayout()
        head = QLabel(tr("Phrases of all projects"))
        head.setProperty("head", True)
        top.addWidget(head)
        self.where = quiet_label()
        top.addWidget(self.where, 1)
        self.choose = button(tr("Choose a folder …"), self.ask_folder)
        self.again = button(tr("Read it again"), self.read_again, tip=tr("throws the index away and makes it anew"))
        top.addWidget(self.choose)
        top.addWidget(self.again)
        column.addLayout(top)
        row = QHBoxLayout()
        self.field = Field()
        self.field.setAccessibleName(tr("What is looked for"))
        self.field.setPlaceholderText(
            tr("bend   ·   dorian   ·   over Bm7   ·   faster than 8   ·   words of a title or name")
        )
        row.addWidget(self.field, 1)
        self.like = button(tr("Like the phrase in hand"), self._look_like, tip=tr("in any key, at any pace"))
        self.any_phrase = button(tr("Any phrase"), self._look_again, tip=tr("no longer like the phrase in hand"))
        self.any_phrase.hide()
        row.addWidget(self.like)
        row.addWidget(self.any_phrase)
        column.addLayout(row)
        self.said = quiet_label()
        self.said.setWordWrap(True)
        column.addWidget(self.said)

    def _build_table(self) -> None:
        """What was found, a phrase in a row."""
        self.table = HitTable(0, _COLUMNS)
        self.table.setAccessibleName(tr("Phrases that were found"))
        self.table.setHorizontalHeaderLabels([
            tr("Phrase"), tr("Project"), tr("Notes"), tr("Most in a second"), tr("Scale"), tr("Chords"),
            tr("Techniques"),
        ])  # fmt: skip
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        across, down = self.table.horizontalHeader(), self.table.verticalHeader()
        assert across is not None
        assert down is not None
        across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        across.setStretchLastSection(True)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        across.setAccessibleName(tr("What stands in each column"))
        across.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        down.hide()

    def wait(self) -> None:
        """Wait until no thread of this room runs."""
        self._typed.stop()
        self._searching.wait()

    @property
    def busy(self) -> bool:
        """Whether something is still looked for."""
        return self._typed.isActive() or self._searching.running

    # -- the folder ----------------------------------------------------------------------------------------------

    @property
    def folder(self) -> Path | None:
        """The one that is looked through: that of the project in hand, until another is chosen."""
        if self._settings.collection:
            return Path(self._settings.collection)
        path = self._desk.session.path if self._desk.session.is_open else None
        return path.absolute().parent if path is not None else None

    def ask_folder(self) -> None:
        """Let the person choose a folder."""
        found = self._tasks.ask.open_folder(tr("Choose a folder of projects"))
        if found is not None:
            self.take_folder(found)

    def take_folder(self, folder: Path) -> None:
        """Look through a folder from now on."""
        self._settings.collection = str(folder.absolute())
        self._settings.save()
        self.refresh()

    def read_again(self) -> None:
        """Throw the index away, and make it anew."""
        try:
            self._index.rebuild()
        except OSError as error:
            self.said.setText(tr("the index cannot be thrown away: {error}", error=error))
            return
        self.refresh()

    def refresh(self) -> None:
        """Read what is new in the folder."""
        folder = self.folder
        if folder is None:
            self._show()
            return
        index = self._index

        def work(report: Report) -> Refreshed:
            what = tr("Reading projects")
            return index.refresh(folder, report=lambda k, n: report(what, k / max(1, n)))

        self._tasks.runner.run(
            tr("Reading projects"), work, self._refreshed, stopped=tr("stopped; what was read stays"),
            failed=self._not_refreshed,
        )  # fmt: skip

    def _refreshed(self, found: Refreshed) -> None:
        files = trn("{n} project", "{n} projects", found.files)
        failed = ""
        if found.problems:
            names = ", ".join(Path(p).name for p, _ in found.problems[:3])
            failed = " " + trn(
                "{n} could not be read: {names}.", "{n} could not be read: {names} …", len(found.problems), names=names
            )
        phrases = trn("{n} phrase", "{n} phrases", found.phrases)
        self._counted = tr("{files}, {phrases}: type what you look for.", files=files, phrases=phrases) + failed
        self._show()
        self._look()

    def _not_refreshed(self, why: str) -> None:
        self.said.setText(why)

    # -- looking -------------------------------------------------------------------------------------------------

    def _entered(self, room: str) -> None:
        if room == COLLECT:
            self.field.setFocus()
            if self.folder is not None and not self._tasks.runner.busy:
                self.refresh()

    def _look_like(self) -> None:
        """Look for phrases that go like the one in hand now, each time this is pressed."""
        self.any_phrase.show()
        self._look()

    def _look_again(self) -> None:
        """What is typed alone counts again."""
        self.any_phrase.hide()
        self._look()

    @property
    def _likes(self) -> bool:
        return not self.any_phrase.isHidden()

    def _phrase_changed(self) -> None:
        self._show_buttons()
        if self._likes and self._desk.room == COLLECT:
            self._typed.start()

    def _query(self) -> Query:
        query = read_query(self.field.text(), german=german_names())
        phrase = self._desk.phrase if self._desk.session.is_open else None
        if not self._likes or phrase is None:
            return query
        like = described(self._desk.session.project, phrase)
        return replace(query, like=like)

    def _look(self) -> None:
        folder = self.folder
        if folder is None:
            return
        try:
            query = self._query()
        except ScoreError as error:
            self.said.setText(render_message(error))
            return
        if query.is_empty:
            self._found([])
            return
        path, phrase = self._desk.session.path if self._desk.session.is_open else None, self._desk.phrase
        but = (path.absolute(), phrase.id) if path is not None and phrase is not None and query.like else None
        index = self._index
        self._searching.start(lambda _: index.search(folder, query, but=but), self._found, self._not_refreshed)

    def _found(self, hits: list[Hit]) -> None:
        self._hits = hits
        across = self.table.horizontalHeader()
        assert across is not None
        # Widths are worked out once, not with each cell.
        across.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.table.setRowCount(len(hits))
        for k, hit in enumerate(hits):
            for column, text in enumerate(_cells(hit)):
                self.table.setItem(k, column, QTableWidgetItem(text))
        across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        if hits:
            self.table.selectRow(0)
        self._show()

    def _to_the_hits(self) -> None:
        self._typed.stop()
        self._look()
        if self._hits:
            self.table.setFocus()

    def _show(self) -> None:
        folder = self.folder
        self.where.setText(folder.name if folder is not None else "")
        self.where.setToolTip(str(folder) if folder is not None else "")
        self.again.setEnabled(folder is not None)
        if folder is None:
            self.said.setText(tr("Choose the folder in which your projects lie; those in folders under it count too."))
        elif self.field.text().strip() or self._likes:
            n = len(self._hits)
            self.said.setText(trn("{n} phrase found", "{n} phrases found", n) if n else tr("nothing is found"))
        else:
            self.said.setText(self._counted)
        self._show_buttons()

    def _chosen(self) -> Hit | None:
        row = self.table.currentRow()
        return self._hits[row] if 0 <= row < len(self._hits) and self.table.selectedItems() else None

    def _show_buttons(self) -> None:
        hit, phrase = self._chosen(), self._desk.phrase if self._desk.session.is_open else None
        self.open_button.setEnabled(hit is not None)
        self.copy_button.setEnabled(hit is not None and phrase is not None)
        self.like.setEnabled(phrase is not None)
        if phrase is not None:
            self.copy_button.setText(tr("Copy it as a version of '{name}'", name=phrase.name))

    # -- taking --------------------------------------------------------------------------------------------------

    def open_chosen(self) -> None:
        """Open the project of the chosen phrase, at the phrase."""
        hit = self._chosen()
        if hit is None:
            return
        session = self._desk.session
        if session.is_open and session.path is not None and session.path.resolve() == hit.path.resolve():
            self._go(hit)
        else:
            self._opening = hit
            self._tasks.opening.open(hit.path)

    def _opened(self) -> None:
        hit, self._opening = self._opening, None
        path = self._desk.session.path
        if hit is not None and path is not None and path.resolve() == hit.path.resolve():
            self._go(hit)

    def _go(self, hit: Hit) -> None:
        found = next((p for p in self._desk.session.project.phrases if p.id == hit.phrase_id), None)
        self._desk.show_room(NOTCH)
        if found is None:
            self._desk.said.emit(tr("'{name}' is not in this project any more", name=hit.name))
        else:
            self._desk.loop_phrase(found)

    def copy_chosen(self) -> None:
        """Give the phrase in hand the chosen phrase as a version. Raises ScoreError where it is not there any more."""
        hit, phrase = self._chosen(), self._desk.phrase if self._desk.session.is_open else None
        if hit is None or phrase is None:
            return
        into = self._desk.session.project

        def work(_: Report) -> tuple[Note, ...]:
            source = project_file.load(hit.path)
            from_ = next((p for p in source.phrases if p.id == hit.phrase_id), None)
            if from_ is None:
                raise ScoreError("'{name}' is not in that project any more", name=hit.name)
            return copied(source, from_, into, phrase)

        self._tasks.runner.run(
            tr("Copying {name}", name=hit.name), work, lambda notes: self._copied(hit, phrase, notes)
        )

    def _copied(self, hit: Hit, phrase: Phrase, notes: tuple[Note, ...]) -> None:
        name = f"{hit.name}, {hit.title}"
        try:
            done = give_version(self._desk, tr("Copy a phrase"), phrase.id, name, notes)
        except NotcherError as error:
            self._desk.said.emit(render_message(error))
            return
        if done:
            self._desk.said.emit(tr("'{name}' has '{other}' as a version now", name=phrase.name, other=hit.name))


def _cells(hit: Hit) -> list[str]:
    d = hit.described
    name = (
        hit.name
        if hit.likeness == 1.0
        else tr("{name}  ({percent:.0f} % alike)", name=hit.name, percent=hit.likeness * 100)
    )
    plain = [t for t in d.techniques if t != "picked"]
    chords = " ".join(chord_name(parse_chord(c)) for c in d.chords)
    return [
        name, hit.title, str(d.notes), f"{d.speed:.0f}", scale_name(d.scale, d.tonic), chords,
        ", ".join(tr(t) for t in plain),
    ]  # fmt: skip
