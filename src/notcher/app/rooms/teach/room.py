"""The Teach room: one phrase, large enough to read at two metres, looped slowly and then less slowly."""

from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout

from notcher.app.commands.play import pace_step
from notcher.app.rooms.ids import TEACH
from notcher.app.rooms.room import Around, RoomView
from notcher.app.rooms.teach.large_tab import LargeTab
from notcher.app.theme import Theme
from notcher.app.version_choice import VersionChoice
from notcher.app.widgets import button, quiet_label
from notcher.score.words import clock
from notcher.teach.lesson import FIRST_PACE, LADDER


class TeachRoom(RoomView):
    """Name, tab, and the ladder of paces. Everything by one key from across the room."""

    def __init__(self, around: Around) -> None:
        super().__init__()
        desk, theme = around.desk, around.theme
        self._desk = desk
        self._taught = False
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 10, 20, 8)
        top = QHBoxLayout()
        self.name = QLabel()
        self.name.setProperty("big", True)
        self.count = quiet_label()
        top.addWidget(self.name)
        top.addWidget(self.count)
        self.version = VersionChoice(desk)
        top.addWidget(self.version)
        top.addStretch(1)
        self.pace = QLabel()
        self.pace.setProperty("big", True)
        top.addWidget(self.pace)
        column.addLayout(top)
        self.tab = LargeTab(desk, theme)
        column.addWidget(self.tab, 1)
        steps = QHBoxLayout()
        self.previous = button("Phrase before", lambda: desk.step_phrase(-1), tip="Page Up")
        self.next = button("Next phrase", lambda: desk.step_phrase(1), tip="Page Down")
        self.so_far = button("So far", desk.toggle_so_far, tip="Home: everything up to here, or this phrase alone",
                             checkable=True)  # fmt: skip
        for w in (self.previous, self.next, self.so_far):
            steps.addWidget(w)
        steps.addStretch(1)
        steps.addWidget(quiet_label("Pace in %"))
        self.rungs = {}
        for rung in LADDER:
            self.rungs[rung] = button(f"{rung}", partial(desk.transport.set_pace, rung), checkable=True)
            steps.addWidget(self.rungs[rung])
        up = button("One step up", partial(pace_step, desk, up=True), tip="=  (minus: down)")
        steps.addWidget(up)
        column.addLayout(steps)
        desk.phrase_changed.connect(self.refresh)
        desk.transport.changed.connect(self.refresh)
        desk.session.opened.connect(self._opened)
        desk.room_changed.connect(self._entered)
        desk.phrase_stepped.connect(self._stepped)
        self.refresh()

    def _opened(self) -> None:
        self._taught = False

    def _entered(self, room: str) -> None:
        """The first time a project comes here, its phrase is looped, slowly."""
        if room != TEACH or self._taught or self._desk.phrase is None:
            return
        self._taught = True
        if self._desk.transport.loop is None:
            self._desk.loop_stretch()
        self._desk.transport.set_pace(FIRST_PACE)

    def _stepped(self) -> None:
        """Another phrase begins slowly again."""
        if self._desk.room == TEACH:
            self._desk.transport.set_pace(FIRST_PACE)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.tab.set_theme(theme)

    def refresh(self) -> None:
        """Show the stretch in hand and the pace."""
        stretch, phrase = self._desk.stretch, self._desk.phrase
        self.name.setText(stretch.label if stretch else "")
        if phrase is not None:
            phrases = self._desk.session.project.phrases
            number = [p.id for p in phrases].index(phrase.id) + 1
            self.count.setText(f"phrase {number} of {len(phrases)} · at {clock(phrase.start)}")
        else:
            self.count.setText("")
        self.pace.setText(f"{self._desk.transport.pace} %")
        self.so_far.setChecked(self._desk.joined)
        for rung, made in self.rungs.items():
            made.setChecked(rung == self._desk.transport.pace)
        for w in (self.previous, self.next, self.so_far):
            w.setEnabled(phrase is not None)
