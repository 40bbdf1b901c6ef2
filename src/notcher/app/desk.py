"""What the person works at, shared by views and commands: session, transport, time axis, the phrase in hand."""

from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.axis import TimeAxis
from notcher.app.session import Session
from notcher.app.transport import Transport
from notcher.score import edits
from notcher.score.errors import ScoreError
from notcher.score.project import Phrase
from notcher.teach.lesson import FIRST_PACE, Stretch, neighbour, phrase_stretch, so_far

ROOMS = ("Source", "Notch", "Teach", "Hand out")


class Desk(QObject):
    """Joins the parts; says what it has to say through `said`, and asks the window for what needs widgets."""

    said = pyqtSignal(str)
    asked = pyqtSignal(str)
    room_changed = pyqtSignal(str)
    phrase_changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = Session(self)
        self.transport = Transport(self.session, self)
        self.axis = TimeAxis(self)
        self.room = ROOMS[0]
        self.phrase_id = ""
        self.joined = False
        self._taught = False
        self.recording_state = ""
        self.session.trouble.connect(self.said)
        self.transport.failed.connect(self.said)
        self.session.opened.connect(self._opened)
        self.session.project_changed.connect(self._phrases_may_have_changed)

    def _opened(self) -> None:
        project = self.session.project
        self.axis.set_duration(project.recording.duration)
        self.phrase_id = project.phrases[0].id if project.phrases else ""
        self.joined = self._taught = False
        if project.notes:
            self.axis.reveal_range(project.notes[0].onset - 0.5, project.notes[0].onset + self.axis.span - 0.5)
            # The playhead stands where the view begins, so that Space plays what is seen.
            self.transport.seek(max(0.0, project.notes[0].onset - 0.5))
        self.phrase_changed.emit()

    def _phrases_may_have_changed(self) -> None:
        ids = [p.id for p in self.session.project.phrases]
        if self.phrase_id not in ids:
            self.phrase_id = ids[0] if ids else ""
        self.phrase_changed.emit()

    def show_room(self, room: str) -> None:
        """Go to a room; what plays and what is looped stays."""
        if room != self.room:
            self.room = room
            self.room_changed.emit(room)
            if room == "Teach" and not self._taught and self.phrase is not None:
                self._taught = True
                if self.transport.loop is None:
                    self._loop_stretch()
                self.transport.set_pace(FIRST_PACE)

    # -- phrases -------------------------------------------------------------------------------------------------

    @property
    def phrase(self) -> Phrase | None:
        """The phrase in hand, or None where there are no phrases."""
        if not self.session.is_open:
            return None
        return next((p for p in self.session.project.phrases if p.id == self.phrase_id), None)

    @property
    def stretch(self) -> Stretch | None:
        """What is taught now: the phrase in hand alone, or everything up to it."""
        phrase = self.phrase
        if phrase is None:
            return None
        return so_far(self.session.project, phrase) if self.joined else phrase_stretch(phrase)

    def loop_phrase(self, phrase: Phrase, *, joined: bool = False) -> None:
        """Take a phrase in hand and repeat it, alone or with all before it."""
        self.phrase_id, self.joined = phrase.id, joined
        self._loop_stretch()

    def step_phrase(self, steps: int) -> None:
        """Go to the next or previous phrase, alone."""
        here = self.phrase
        try:
            phrase = neighbour(self.session.project, self.phrase_id, steps=steps)
        except ScoreError as error:
            self.said.emit(str(error))
            return
        if here is not None and phrase.id == here.id:
            self.said.emit("this is the last phrase" if steps > 0 else "this is the first phrase")
        self.loop_phrase(phrase)
        if self.room == "Teach":
            self.transport.set_pace(FIRST_PACE)

    def toggle_so_far(self) -> None:
        """Between the phrase in hand alone and everything up to it."""
        if self.phrase is None:
            self.said.emit("there are no phrases yet; they are made in the Notch room")
            return
        self.joined = not self.joined
        self._loop_stretch()

    def _loop_stretch(self) -> None:
        stretch = self.stretch
        if stretch is not None:
            self.transport.set_loop((stretch.start, stretch.end))
            self.axis.reveal_range(stretch.start, min(stretch.end, stretch.start + self.axis.span))
        self.phrase_changed.emit()

    def rename_phrase(self, phrase_id: str, name: str) -> bool:
        """Give a phrase another name; False where it cannot have it."""
        if not self.session.is_open:
            return False
        current = next((p.name for p in self.session.project.phrases if p.id == phrase_id), None)
        if current == name.strip():
            return True
        return self.session.edit("Rename phrase", lambda p: edits.rename_phrase(p, phrase_id, name=name))
