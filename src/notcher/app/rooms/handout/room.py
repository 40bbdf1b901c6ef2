"""The Hand out room: the printed page as it will be, sounds and films, the packet, and every file there is."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QButtonGroup,
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

from notcher.app.commands.versions import offer_repeats
from notcher.app.jobs.job import Report
from notcher.app.jobs.latest import Latest
from notcher.app.rooms.handout.kept_states import KeptStates
from notcher.app.rooms.handout.leaf import Leaf
from notcher.app.rooms.handout.look_panel import LookPanel
from notcher.app.rooms.handout.packet_panel import PacketPanel
from notcher.app.rooms.handout.sound_panel import SoundPanel
from notcher.app.rooms.ids import HAND_OUT
from notcher.app.rooms.room import Around, RoomView
from notcher.app.widgets.forms import button, quiet_label
from notcher.formats.export import BY_NAME, EXPORTS
from notcher.formats.heading import Said
from notcher.formats.printing import With
from notcher.score.compare import last_handed_to
from notcher.score.errors import NotcherError
from notcher.score.phrase_repeats import PhraseRepeat, find_repeats
from notcher.score.project import Phrase, Project
from notcher.score.versions import all_versions, shown_as
from notcher.teach.layers import Layer
from notcher.wording import later, render_message, tr, trn
from notcher.wording.lesson import layer_words
from notcher.wording.notes import version_words
from notcher.wording.numbers import date_words

if TYPE_CHECKING:
    from PyQt6.QtPrintSupport import QPrinter

_PREVIEW_DPI = 106
_VIEWS = (later("Pages"), later("Sound and film"), later("Packet"))
_PAGES, _SOUND, _PACKET = range(3)


class HandOutRoom(RoomView):
    """What is handed out, in which version, as which kind of file; the pages; earlier states."""

    def __init__(self, around: Around) -> None:
        super().__init__()
        desk = around.desk
        self._settings = around.settings
        self._desk, self._exporting, self._giving = desk, around.tasks.exporting, around.tasks.giving
        self._ask = around.tasks.ask
        self._drawing: Latest[list[tuple[int, int, bytes]]] = Latest(self)
        self._comparing: Latest[list[PhraseRepeat]] = Latest(self)
        self._alike: list[PhraseRepeat] = []
        self._left: set[tuple[str, str]] = set()
        self._stale = True
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 12, 20, 8)
        row.setSpacing(24)
        side = QVBoxLayout()
        head = QLabel(tr("Hand out"))
        head.setProperty("head", True)
        side.addWidget(head)
        self._build_what(side)
        side.addSpacing(4)
        self.page = LookPanel(around.settings)
        self.page.changed.connect(lambda: self._touch())
        side.addWidget(self.page)
        self.hands, self.neck = self.page.hands, self.page.neck
        side.addSpacing(4)
        self._build_kinds(side)
        self.state = quiet_label()
        self.kept = KeptStates(desk, self)
        around.tasks.saving.compare_wanted.connect(self.kept.compare_with)
        self.kept.chosen.connect(self._choose_state)
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
        column.setFixedWidth(300)
        row.addWidget(column)
        row.addLayout(self._right(), 1)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(200)
        self._later.timeout.connect(self._draw_pages)
        desk.session.project_changed.connect(self._touch)
        desk.room_changed.connect(lambda _: self._touch(stale=False))
        desk.session.opened.connect(self._left.clear)

    def _build_kinds(self, side: QVBoxLayout) -> None:
        """A button for every kind of file, and printing."""
        side.addWidget(quiet_label(tr("Write it as")))
        self.buttons = {}
        grid = QGridLayout()
        grid.setSpacing(6)
        for k, kind in enumerate(EXPORTS):
            made = button(f"{tr(kind.label)} …", partial(self._ask_for, kind.name), tip=tr(kind.what_for))
            made.setAccessibleName(f"{tr(kind.label)}: {tr(kind.what_for)}")
            self.buttons[kind.name] = made
            grid.addWidget(made, k // 2, k % 2)
        self.print = button(tr("Print …"), self._ask_printer, tip=tr("Ctrl+P"))
        grid.addWidget(self.print, len(EXPORTS) // 2, len(EXPORTS) % 2)
        side.addLayout(grid)
        side.addSpacing(4)

    def _build_what(self, side: QVBoxLayout) -> None:
        """Which phrases, in which version."""
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

    def _right(self) -> QVBoxLayout:
        """The pages, or what else there is to hand out, under the choice between them."""
        made = QVBoxLayout()
        choice = QHBoxLayout()
        choice.setSpacing(6)
        self.views = QButtonGroup(self)
        for k, words in enumerate(_VIEWS):
            shown = button(tr(words), partial(self.show_view, k), tip=tr("V"), checkable=True)
            self.views.addButton(shown, k)
            choice.addWidget(shown)
        choice.addSpacing(14)
        choice.addWidget(self.state)
        self.alike = button(
            "", lambda: offer_repeats(self._desk, self._alike, self._leave_alike),
            tip=tr("A linked phrase shows what differs, and a correction goes to all of them"),
        )  # fmt: skip
        self.alike.hide()
        choice.addWidget(self.alike)
        choice.addStretch(1)
        made.addLayout(choice)
        self.pages = QScrollArea()
        self.pages.setWidgetResizable(True)
        self.pages.setAccessibleName(tr("The pages as they will be printed"))
        self.pages.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.sound, self.packet = SoundPanel(), PacketPanel()
        self.right = QStackedWidget()
        for view in (self.pages, self.sound, self.packet, self.kept.list):
            self.right.addWidget(view)
        made.addWidget(self.right, 1)
        self.sound.write_sounds.clicked.connect(lambda: self._give(self._sounds))
        self.sound.write_strips.clicked.connect(lambda: self._give(self._strips))
        self.sound.write_film.clicked.connect(lambda: self._give(self._film))
        self.packet.as_folder.clicked.connect(lambda: self._give(self._packet))
        self.packet.as_zip.clicked.connect(lambda: self._give(partial(self._packet, zipped=True)))
        self.packet.lesson.clicked.connect(lambda: self._give(self._lesson))
        self.packet.learner.textChanged.connect(lambda _: self._show_last())
        self.sound.pace.valueChanged.connect(lambda _: self._show_length())
        self.show_view(_PAGES)
        return made

    def show_view(self, number: int) -> None:
        """The pages (0), sound and film (1), the packet (2)."""
        shown = self.views.button(number)
        if shown is not None:
            shown.setChecked(True)
        self.right.setCurrentIndex(number)
        self.state.setVisible(number == _PAGES)
        self.alike.setVisible(number == _PAGES and bool(self._alike))
        if self._desk.session.is_open:
            self._show_last()
            self._show_length()

    def next_view(self) -> None:
        """The next of them."""
        self.show_view((self.views.checkedId() + 1) % len(_VIEWS))

    def _choose_state(self) -> None:
        self.right.setCurrentIndex(len(_VIEWS) if self.kept.comparing else self.views.checkedId())

    def answers(self) -> dict[str, Callable[[], object]]:
        """What the keys of this room do."""
        return {
            "handout-packet": lambda: self._give(self._packet), "handout-print": self._ask_printer,
            "handout-view": self.next_view,
        }  # fmt: skip

    # -- what is written -----------------------------------------------------------------------------------------

    def _give(self, write: Callable[[], None]) -> None:
        """Write something; what cannot be is said."""
        if not self._desk.session.project.notes:
            self._desk.said.emit(tr("There are no notes yet: measure the recording in the Source room."))
            return
        try:
            write()
        except NotcherError as error:
            self._desk.said.emit(render_message(error))

    def _sounds(self) -> None:
        self._giving.sounds(self.handed_out(), self._phrases(), self.sound.wanted())

    def _strips(self) -> None:
        self._giving.strips(
            self.handed_out(), self._phrases(), self.sound.strips(left_handed=self._settings.left_handed)
        )

    def _film(self) -> None:
        self._giving.film(self.handed_out(), self._phrases(), self.sound.film(dialect=self._settings.dialect))

    def _lesson(self) -> None:
        self._giving.lesson(
            self.handed_out(), self._phrases(), recording=self.packet.recording.isChecked(),
            dialect=self._settings.dialect, left_handed=self._settings.left_handed,
        )  # fmt: skip

    def _packet(self, *, zipped: bool = False) -> None:
        from notcher.formats.packet.writing import since_of

        packet = self.packet.packet(
            self.page.look(),
            hands=self.hands.isChecked(),
            layer=Layer(self.page.layer.currentData()),
            shown=self._shown(),
            dialect=self._settings.dialect,
        )
        since = since_of(self._desk.session.project, packet, self._phrases())
        self._giving.packet(self.handed_out(), self._phrases(), packet, since, zipped=zipped)

    def _show_last(self) -> None:
        """When this learner was handed something before."""
        project = self._desk.session.project
        self.packet.learner.setPlaceholderText(project.request.asked_by or tr("a learner's name"))
        state = last_handed_to(project, self.packet.learner.text() or project.request.asked_by)
        self.packet.last.setText(
            tr("last handed out {day}; the pages say what changed since", day=date_words(state.made)) if state
            else tr("nothing was handed out to them before")
        )  # fmt: skip

    def _show_length(self) -> None:
        """How long the film would be, how large, and how long it takes."""
        from notcher.formats.film.writing import planned

        try:
            plan = planned(self.handed_out(), self._phrases(), self.sound.film(dialect=0))
        except NotcherError as error:
            self.sound.length.setText(render_message(error))
            return
        self.sound.length.setText(
            tr(
                "{seconds:.0f} s of film, some {megabytes:.1f} MB, written in about {time}", seconds=plan.seconds,
                megabytes=plan.megabytes, time=_short_time(60 * plan.minutes),
            )
        )  # fmt: skip

    def _ask_printer(self) -> None:
        """Print what the pages show, after the system's own question of how."""
        if not self._desk.session.project.notes:
            self._give(lambda: None)
            return
        printer = self._ask.printer()
        if printer is not None:
            self.print_on(printer)

    def print_on(self, printer: "QPrinter") -> None:
        """Print the pages on a printer that was chosen."""
        from notcher.app.shell.printing import print_pages
        from notcher.formats.export import printed_pages

        def work() -> None:
            pages = printed_pages(self.handed_out(), self._phrases(), self.beside())
            print_pages(pages, printer)
            self._desk.said.emit(trn("printed: {n} page", "printed: {n} pages", len(pages)))

        self._give(work)

    # -- what is handed out --------------------------------------------------------------------------------------

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
        said = Said(shown=self._shown(), series=self.page.series.text().strip())
        layer = Layer(self.page.layer.currentData())
        return With(
            self.hands.isChecked(), layer, self.page.look(), said, pace=self._desk.transport.pace,
            dialect=self._settings.dialect,
        )  # fmt: skip

    def _shown(self) -> str:
        """The version and the layer that are handed out, in words."""
        name, layer = self.version.currentData(), Layer(self.page.layer.currentData())
        said = [version_words(name)] if name else []
        return ", ".join(said + ([layer_words(layer)] if layer is not Layer.COLOUR else []))

    def _ask_for(self, kind: str) -> None:
        self._exporting.export(kind, self._phrases(), self.handed_out(), self.beside())

    def _touch(self, *, stale: bool = True) -> None:
        """Draw the pages again, as soon as anybody looks."""
        self._stale = self._stale or stale
        if self._desk.room == HAND_OUT and self._stale and self._desk.session.is_open:
            self._fill_what(self._desk.session.project)
            self._later.start()
            self._show_last()
            self._show_length()
        self._choose_state()

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

        def work(_: Report) -> list[tuple[int, int, bytes]]:
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
            column.addWidget(Leaf(width, height, data, (k, len(pages))), 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(1)
        self.pages.setWidget(sheet)
        count = trn("{n} page", "{n} pages", len(pages))
        self.state.setText(count if pages else "")
        self._compare()

    def _compare(self) -> None:
        """Look whether phrases come again that nobody linked, before anything is printed."""
        project = self._desk.session.project

        self._comparing.start(lambda _: find_repeats(project), self._show_alike, self._failed)

    def _show_alike(self, found: list[PhraseRepeat]) -> None:
        self._alike = [a for a in found if (a.phrase_id, a.of_id) not in self._left]
        self.alike.setText(
            trn("{n} phrase comes again: link it?", "{n} phrases come again: link them?", len(self._alike))
        )
        self.alike.setVisible(bool(self._alike) and self.views.checkedId() == _PAGES)

    def _leave_alike(self) -> None:
        """They were to stay as they are: nobody is asked about them again."""
        self._left |= {(a.phrase_id, a.of_id) for a in self._alike}
        self._show_alike([])

    @property
    def comparing(self) -> bool:
        """Whether it is still looked whether phrases come again."""
        return self._comparing.running

    @property
    def page_count(self) -> int:
        """Pages shown."""
        sheet = self.pages.widget()
        return len(sheet.findChildren(Leaf)) if sheet is not None else 0

    def wait(self) -> None:
        """Let a drawing that runs come to its end (before the window goes)."""
        self._drawing.wait()
        self._comparing.wait()


def _short_time(seconds: float) -> str:
    """About how long something takes."""
    return tr("{n:.0f} s", n=max(1.0, seconds)) if seconds < 90 else tr("{n:.0f} min", n=seconds / 60)
