"""The window: rooms side by side in the order of the work, over one transport and one time axis."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from notcher.app.commands import with_rooms
from notcher.app.jobs.job import running, stop_all
from notcher.app.jobs.tasks import Tasks
from notcher.app.rooms.room import Around, Room, RoomView
from notcher.app.rooms.table import ROOMS
from notcher.app.shell.collector import Collector
from notcher.app.shell.keysheet import KeySheet, shown_key
from notcher.app.shell.memory import share_pools
from notcher.app.shell.messages import MessageBar
from notcher.app.shell.overview import Overview
from notcher.app.shell.transport_bar import TransportBar
from notcher.app.shell.work_bar import WorkBar
from notcher.app.state.desk import Desk
from notcher.app.state.pedals import Pedals
from notcher.app.state.settings import SCALES, Recent, Settings
from notcher.app.widgets.fitting import USUAL, Fitted, first_size
from notcher.app.widgets.forms import button, quiet_label
from notcher.app.widgets.theme import BASE_POINTS, DARK, LIGHT, Theme, font, style_sheet
from notcher.audio.decode import KINDS as SOUND_KINDS
from notcher.formats.incoming.open_score import endings as score_endings
from notcher.formats.project_file import SUFFIX
from notcher.teach.care import Rest
from notcher.wording import tr, trn
from notcher.wording.catalogue import languages
from notcher.wording.names import call_notes

if TYPE_CHECKING:
    from PyQt6.QtPrintSupport import QPrinter

# How often threads are looked at that are to end, and after how many looks one is told.
_LOOK_MS, _TOLD_AFTER = 30, 10
_MENUS = ("File", "View", "Playing", "Source", "Phrases", "Notes", "Technique", "Place", "Teach", "Hand out")


class Window(QMainWindow):
    """Holds the desk, the tasks and the views on them. rooms: in the order of their buttons."""

    def __init__(self, settings: Settings | None = None, rooms: tuple[Room, ...] = ROOMS) -> None:
        super().__init__()
        share_pools()
        self.settings = settings or Settings.load()
        self._set_type()
        self.setWindowTitle("Notcher")
        screen = self.screen()
        self.resize(first_size(screen.availableGeometry().size()) if screen is not None else USUAL)
        self.setAcceptDrops(True)
        self._collector = Collector(self)
        self.desk = Desk(self)
        self.messages = MessageBar()
        self.work_bar = WorkBar()
        self.tasks = Tasks(self.desk, self.messages, self.work_bar, self)
        self.tasks.ask.open_file = self._ask_open
        self.tasks.ask.save_file = self._ask_save
        self.tasks.ask.open_folder = self._ask_folder
        self.tasks.ask.printer = self._ask_printer
        self._keys: KeySheet | None = None
        self._leaving = self._stopping = self._leaving_after = False
        self._waited = 0
        self._waiting = QTimer(self)
        self._waiting.setInterval(_LOOK_MS)
        self._waiting.timeout.connect(self._still_waiting)
        self._rests = Rest()
        self.overview = Overview(self.desk, self._theme())
        self.transport_bar = TransportBar(self.desk)
        self.desk.session.usual = self.settings.usual
        self.desk.analysis.shown_as(self.settings)
        call_notes(german=self.settings.german_names)
        self.pedals = Pedals(self.settings, self)
        self.pedals.act.connect(self._run)
        around = Around(self.desk, self.tasks, self.settings, self._theme(), self.pedals)
        self._rooms = rooms
        self.views: dict[str, RoomView] = {room.id: room.make(around) for room in rooms}
        self._answers = self._all_answers()
        self._commands = {c.id: c for c in with_rooms((r.id, r.title, r.key) for r in rooms)}
        self._build()
        self._make_actions()
        self._connect()
        self._apply_looks()
        self._show_room(self.desk.room)

    # -- building ------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(6, 0, 14, 0)
        # No QButtonGroup: it would take all rooms but one out of the Tab order.
        self._room_buttons: list[QPushButton] = []
        for room in self._rooms:
            made = button(tr(room.title), partial(self._go, room.id), tip=shown_key(room.key), checkable=True)
            made.setProperty("room", True)
            self._room_buttons.append(made)
            head.addWidget(made)
        self.title = quiet_label()
        # Of large type it takes two lines, so that rooms and keys keep their names whole.
        self.title.setWordWrap(True)
        self.title.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        head.addWidget(self.title, 1)
        head.addSpacing(14)
        keys = button(tr("Keys"), self._show_keys, tip="?")
        head.addWidget(keys)
        column.addLayout(head)
        column.addWidget(self.work_bar)
        column.addWidget(self.overview)
        self.stack = QStackedWidget()
        self._frames = {room_id: Fitted(view) for room_id, view in self.views.items()}
        for frame in self._frames.values():
            self.stack.addWidget(frame)
        column.addWidget(self.stack, 1)
        column.addWidget(self.transport_bar)
        self.setCentralWidget(centre)
        # Messages lie over what is there, so that nothing moves as they come and go.
        self.messages.lie_over(centre, below=keys)

    def _make_actions(self) -> None:
        menus: dict[str, QMenu] = {}
        bar = self.menuBar()
        assert bar is not None
        for name in _MENUS:
            menu = bar.addMenu(tr(name))
            assert menu is not None
            menus[name] = menu
            # Qt leaves the name of a menu that was closed by Escape highlighted, as if a key were still to come.
            menu.aboutToHide.connect(lambda: QTimer.singleShot(0, self._no_menu_highlighted))
        self._offer_languages(menus["View"])
        self.actions_by_id: dict[str, QAction] = {}
        for command in self._commands.values():
            action = QAction(command.words, self)
            action.setShortcuts([QKeySequence(k) for k in command.keys])
            action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
            action.triggered.connect(lambda _=False, c=command: self._run(c.id))
            self.addAction(action)
            if not command.id.removeprefix("note.fret-").removeprefix("section.go-").isdigit():
                menus[command.group].addAction(action)
            self.actions_by_id[command.id] = action

    def _offer_languages(self, menu: QMenu) -> None:
        """The languages there are, in a menu of their own that is filled as it opens: their names are looked up."""
        self.language_menu = QMenu(tr("Language"), menu)
        menu.addMenu(self.language_menu)
        self.language_menu.aboutToShow.connect(self._fill_languages)

    def _fill_languages(self) -> None:
        self.language_menu.clear()
        for code, name in {"": tr("As the system has it"), **languages()}.items():
            action = QAction(name, self.language_menu)
            action.setCheckable(True)
            action.setChecked(code == self.settings.language)
            action.triggered.connect(lambda _=False, c=code: self._choose_language(c))
            self.language_menu.addAction(action)

    def _choose_language(self, code: str) -> None:
        self.settings.language = code
        self.settings.save()
        self.messages.say(tr("the language is used from the next start of Notcher on"))

    def _no_menu_highlighted(self) -> None:
        bar = self.menuBar()
        if bar is not None and QApplication.activePopupWidget() is None:
            bar.setActiveAction(None)

    def _run(self, command_id: str) -> None:
        command = self._commands[command_id]
        if not self.desk.session.is_open and command.group not in ("File", "View"):
            self.desk.said.emit(tr("open a recording or a project first"))
            return
        command.run(self.desk)

    def _connect(self) -> None:
        desk = self.desk
        desk.said.connect(self.messages.say)
        desk.offered.connect(lambda text, choices: self.messages.say(text, *choices))
        desk.asked.connect(self._answer)
        # What was said of a room is not said in another.
        desk.mended.connect(self.messages.settle)
        desk.room_changed.connect(lambda _: self.messages.settle())
        desk.room_changed.connect(self._show_room)
        for changed in (desk.session.opened, desk.session.project_changed):
            changed.connect(self._show_title)
        desk.session.saved.connect(self._show_title)
        desk.transport.looped.connect(self._rest)
        self.tasks.opening.shown.connect(self._remember)
        self.tasks.runner.settled.connect(self._settled)

    def _rest(self, seconds: float) -> None:
        """Once so many minutes of loops have sounded: a quiet line, no more."""
        minutes = self.settings.rest_minutes
        if self._rests.sounded(seconds, minutes=minutes):
            self.messages.say(
                trn("{n} minute of loops: rest hands and ears for a moment.",
                    "{n} minutes of loops: rest hands and ears for a moment.", minutes)
            )  # fmt: skip

    # -- what the desk asks for ----------------------------------------------------------------------------------

    def _all_answers(self) -> dict[str, Callable[[], object]]:
        tasks = self.tasks
        own: dict[str, Callable[[], object]] = {
            "open": tasks.opening.ask_and_open, "save": self._save, "save-as": self._save_as, "quit": self.close,
            "keys": self._show_keys, "repeats": tasks.measuring.find_repeats,
            "hear-chords": tasks.measuring.hear_chords, "listen-again": lambda: tasks.measuring.measure(None),
            "line-up": tasks.scores.ask_and_line_up, "lay-over": tasks.scores.ask_and_lay_over,
            "note-names": self._rename_notes,
            "theme": self._toggle_theme, "larger": lambda: self._rescale(1), "smaller": lambda: self._rescale(-1),
        }  # fmt: skip
        own |= {f"choice-{k}": partial(self._choose, k - 1) for k in (1, 2, 3)} | {"put-away": self._put_away}
        for view in self.views.values():
            own |= view.answers()
        return own

    def _answer(self, what: str) -> None:
        self._answers[what]()

    def _choose(self, number: int) -> None:
        if not self.messages.take(number):
            self.messages.say(tr("nothing is asked just now that has so many answers"))

    def _put_away(self) -> None:
        if self.messages.text:
            self.messages.clear()
        elif self.messages.last:
            self.messages.say(self.messages.last)
        else:
            self.messages.say(tr("nothing is said or asked just now"))

    def _rename_notes(self) -> None:
        self.settings.german_names = not self.settings.german_names
        self.settings.save()
        call_notes(german=self.settings.german_names)
        self._apply_looks()
        if self.desk.session.is_open:
            self.desk.session.project_changed.emit()
            self.desk.session.selection_changed.emit()
        self.messages.say(
            tr("notes are named the German way: H, and B for B flat") if self.settings.german_names
            else tr("notes are named as the language has them")
        )  # fmt: skip

    def _save(self) -> None:
        if self.tasks.saving.save():
            self.messages.say(tr("Saved as {path}", path=self.desk.session.path))
            self._show_title()
            self._remember()

    def _save_as(self) -> None:
        if self.tasks.saving.save_as():
            self.messages.say(tr("Saved as {path}", path=self.desk.session.path))
            self._show_title()

    def _ask_open(self, title: str) -> Path | None:
        endings = " ".join(f"*{ending}" for ending in (SUFFIX, *SOUND_KINDS, *score_endings()))
        kinds = f"{tr('Recordings, projects and scores')} ({endings});;{tr('All files')} (*)"
        name, _ = QFileDialog.getOpenFileName(self, title, self.settings.folder, kinds)
        if not name:
            return None
        self.settings.folder = str(Path(name).parent)
        return Path(name)

    def _ask_save(self, title: str, suggestion: str, kind: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(self, title, suggestion, kind)
        return Path(name) if name else None

    def _ask_folder(self, title: str) -> Path | None:
        name = QFileDialog.getExistingDirectory(self, title, self.settings.collection or self.settings.folder)
        return Path(name) if name else None

    def _ask_printer(self) -> "QPrinter | None":
        from PyQt6.QtPrintSupport import QPrintDialog, QPrinter

        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        dialog = QPrintDialog(printer, self)
        dialog.setWindowTitle(tr("Print"))
        return printer if dialog.exec() else None

    # -- what is shown -------------------------------------------------------------------------------------------

    def _go(self, room_id: str) -> None:
        self.desk.show_room(room_id)
        self._show_room(room_id)

    def _show_room(self, room_id: str) -> None:
        for room, made in zip(self._rooms, self._room_buttons, strict=True):
            made.setChecked(room.id == room_id)
            if room.id == room_id:
                self.stack.setCurrentWidget(self._frames[room_id])
                self.overview.setVisible(room.overview)
                self.overview.framed = room.framed
        for command in self._commands.values():
            if command.rooms:
                self.actions_by_id[command.id].setEnabled(room_id in command.rooms)
        self.overview.update()

    def _remember(self) -> None:
        """Keep what is open among what was opened lately, with how far it is."""
        session = self.desk.session
        if not session.is_open:
            return
        project = session.project
        path = session.path or Path(project.recording.path)
        if not path.name or not path.is_absolute():
            return
        done, count = sum(n.confirmed for n in project.notes), len(project.notes)
        self.settings.remember(Recent(str(path), project.request.title, str(done), str(count), project.request.due))
        self.desk.remembered.emit()

    def _show_title(self, _: bool = True) -> None:
        session = self.desk.session
        if not session.is_open:
            return
        r = session.project.request
        state = ""
        if session.looking:
            state = tr("only looked at here")
        elif session.is_dirty:
            state = tr("not saved yet") if session.path is None else tr("changed since saving")
        said = (r.title or tr("Untitled"), r.asked_by and tr("for {name}", name=r.asked_by), state)
        self.title.setText(" · ".join(part for part in said if part))
        self.setWindowTitle(f"{self.tasks.saving.name}{'*' if session.is_dirty else ''} – Notcher")

    def _show_keys(self) -> None:
        if self._keys is not None:
            self._keys.deleteLater()
        self._keys = KeySheet(tuple(self._commands.values()), self.desk.room, self)
        self._keys.open()

    def _theme(self) -> Theme:
        return DARK if self.settings.theme == "dark" else LIGHT

    def _toggle_theme(self) -> None:
        self.settings.theme = "light" if self.settings.theme == "dark" else "dark"
        self._apply_looks()
        self.settings.save()

    def _rescale(self, step: int) -> None:
        at = SCALES.index(self.settings.scale) + step
        if 0 <= at < len(SCALES):
            self.settings.scale = SCALES[at]
            self._apply_looks()
            self.settings.save()

    def _set_type(self) -> None:
        """The type of all that is standard."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        base = font(BASE_POINTS, scaled=False)
        base.setPointSizeF(BASE_POINTS * self.settings.scale / 100)
        if app.font() != base:
            app.setFont(base)

    def _style(self) -> None:
        """The type and style of all that is standard. The style sheet comes when all widgets are there: one that is
        added under it is styled with all that it is added to, which takes four times as long (1.3 s for 0.3)."""
        self._set_type()
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        sheet = style_sheet(self._theme(), self.settings.scale / 100)
        if app.styleSheet() != sheet:
            app.setStyleSheet(sheet)

    def _apply_looks(self) -> None:
        self._style()
        self.transport_bar.set_scale(self.settings.scale)
        self.overview.set_theme(self._theme())
        for view in self.views.values():
            view.set_theme(self._theme())

    # -- files dropped, and leaving ------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        mime = event.mimeData() if event is not None else None
        if event is not None and mime is not None and any(u.isLocalFile() for u in mime.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        mime = event.mimeData() if event is not None else None
        if mime is None:
            return
        for url in mime.urls():
            if url.isLocalFile():
                path = Path(url.toLocalFile())
                if not self.views[self.desk.room].takes_file(path):
                    self.tasks.opening.open(path)
                break

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self._keys is not None and self._keys.isVisible():
            self._keys.setGeometry(self.rect())

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if self.desk.session.is_dirty and not self._leaving:
            event.ignore()
            self.messages.say(
                tr("'{name}' has changes that are not saved.", name=self.tasks.saving.name),
                (tr("Save and leave"), self._save_and_leave),
                (tr("Leave without saving"), self._leave),
                (tr("Stay"), self._stay),
            )
            return
        if self.tasks.busy and not self._stopping:
            event.ignore()
            self.messages.say(
                tr("{what} is not finished yet.", what=self.tasks.runner.what),
                (tr("Stop it and leave"), self._stop_and_leave),
                (tr("Leave when it is finished"), self._leave_when_finished),
                (tr("Stay"), self._stay),
            )
            return
        stop_all()
        if running():
            event.ignore()
            self._wait_and_leave()
            return
        self.end_work()
        if not self.desk.session.is_dirty:
            self._remember()
        self.desk.session.close(discard=True)
        self.settings.save()
        event.accept()

    def end_work(self) -> None:
        """Stop every thread; the window is not used after that. Edits that are not saved stay in the journal."""
        self.tasks.wait()
        for view in self.views.values():
            view.wait()
        self.desk.wait()
        self.pedals.close()
        self.desk.transport.close()
        self._collector.end()

    def _stop_and_leave(self) -> None:
        self._stopping = True
        self.close()

    def _leave_when_finished(self) -> None:
        self._leaving_after = True

    def _stay(self) -> None:
        self._leaving = self._stopping = self._leaving_after = False
        self._waiting.stop()

    def _settled(self) -> None:
        if self._leaving_after:
            self._leaving_after = False
            self.close()

    def _wait_and_leave(self) -> None:
        """Close as soon as every thread has ended; whoever waits for long is told, and may stay."""
        if not self._waiting.isActive():
            self._waited = 0
            self._waiting.start()

    def _still_waiting(self) -> None:
        if not running():
            self._waiting.stop()
            self.close()
            return
        self._waited += 1
        if self._waited == _TOLD_AFTER:
            self.messages.say(
                tr("Stopping what is under way; Notcher closes as soon as it has stopped."), (tr("Stay"), self._stay)
            )

    def leave_at_once(self) -> None:
        """The session or the terminal ends: what is being written goes, and edits that are not saved stay in the
        journal, to come back at the next start."""
        self.end_work()
        # Not quit(): that would ask the window first.
        QApplication.exit(0)

    def _save_and_leave(self) -> None:
        if self.tasks.saving.save():
            self.close()

    def _leave(self) -> None:
        self._leaving = True
        self.close()
