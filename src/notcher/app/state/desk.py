"""What the person works at, shared by views and commands: session, transport, time axis, the phrase in hand."""

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from notcher.app.rooms.ids import SOURCE
from notcher.app.state.analysis import Analysis
from notcher.app.state.axis import TimeAxis
from notcher.app.state.first_place import FirstPlace
from notcher.app.state.lesson_run import LessonRun
from notcher.app.state.listening import ListeningWindow
from notcher.app.state.looking import Looking
from notcher.app.state.placing import Placing
from notcher.app.state.pointing import Pointing
from notcher.app.state.session import Session
from notcher.app.state.transport import Transport
from notcher.listen.candidates.tuning_offset import Offset, offset_of_contour
from notcher.score import edits
from notcher.score.beats import tapped
from notcher.score.clause import quoted
from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.project import Contour, Phrase
from notcher.teach.layers import Layer, layered
from notcher.teach.lesson import Stretch, neighbour, phrase_stretch, so_far
from notcher.wording import render_message, tr, trn

_TAPS_END_MS = 2000


class Desk(QObject):
    """Joins the parts; says what it has to say through `said`, offers choices through `offered` (a text, and pairs of a
    name and what to do), and asks the window for what needs widgets."""

    said = pyqtSignal(str)
    taps_changed = pyqtSignal()
    asked = pyqtSignal(str)
    offered = pyqtSignal(str, object)
    mended = pyqtSignal()
    """What was wrong is right now: what was said of it no longer holds."""
    room_changed = pyqtSignal(str)
    phrase_changed = pyqtSignal()
    phrase_stepped = pyqtSignal()
    remembered = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = Session(self)
        self.transport = Transport(self.session, self)
        self.axis = TimeAxis(self)
        self.listening = ListeningWindow(self.session, self.transport, self)
        self.pointing = Pointing(self.session, self.transport, self)
        self.pointing.said.connect(self.said)
        self.placing = Placing(self.session, self)
        self.placing.said.connect(self.said)
        self.looking = Looking(self.session, self)
        self.looking.said.connect(self.said)
        self.analysis = Analysis(self.session, self)
        self.first_place = FirstPlace(self.session, self.placing, self)
        self.first_place.offered.connect(self.offered)
        self.room = SOURCE
        self.phrase_id = ""
        self.joined = False
        self.recording_state = ""
        self.taps: list[float] = []
        self._tapped = QTimer(self)
        self._tapped.setSingleShot(True)
        self._tapped.setInterval(_TAPS_END_MS)
        self._tapped.timeout.connect(self.take_taps)
        self._offset: tuple[Contour, Offset] | None = None
        self.lesson = LessonRun(self.session, self.transport, self)
        self.lesson.said.connect(self.said)
        self.lesson.changed.connect(self._follow_lesson)
        self.session.trouble.connect(self.said)
        self.session.carried.connect(self._say_carried)
        self.transport.failed.connect(self.said)
        self.session.opened.connect(self._opened)
        self.session.project_changed.connect(self._phrases_may_have_changed)

    def _opened(self) -> None:
        project = self.session.project
        self.axis.set_duration(project.recording.duration)
        self.phrase_id = project.phrases[0].id if project.phrases else ""
        self.joined = False
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

    def _say_carried(self, names: tuple[str, ...]) -> None:
        self.said.emit(
            trn(
                "corrected in {names} too, which is linked",
                "corrected in {names} too, which are linked",
                len(names),
                names=quoted(names),
            )
        )

    def wait(self) -> None:
        """Wait until no thread of the desk's own runs; nothing is started any more."""
        for quiet in (self.pointing, self.placing, self.first_place, self.analysis):
            quiet.wait()

    def show_room(self, room: str) -> None:
        """Go to a room; what plays and what is looped stays."""
        if room != self.room:
            self.room = room
            self.room_changed.emit(room)

    def go_to(self, time: float) -> None:
        """Put the playhead to a time and show it; a loop elsewhere ends."""
        time = min(max(0.0, time), self.axis.duration)
        loop = self.transport.loop
        if loop and not loop[0] <= time <= loop[1]:
            self.transport.set_loop(None)
        self.transport.seek(time)
        self.axis.reveal(time)

    # -- what was measured ---------------------------------------------------------------------------------------

    def offset(self) -> Offset:
        """The tuning offset as the contour shows it, with its spread; derived, and kept as long as the contour
        stays."""
        contour = self.session.project.contour
        if contour is None:
            return Offset(0.0, 0.0, 0)
        if self._offset is None or self._offset[0] is not contour:
            found = offset_of_contour(np.array(contour.decicents), np.array(contour.percent))
            self._offset = (contour, found)
        return self._offset[1]

    def measured_words(self) -> str:
        """What measuring found, in a sentence or two."""
        project = self.session.project
        if not project.notes:
            return tr("Nothing is measured yet.")
        sure = sum(n.confidence for n in project.notes) / len(project.notes)
        notes = trn("{n} note", "{n} notes", len(project.notes))
        where = trn("{notes} in {n} phrase", "{notes} in {n} phrases", len(project.phrases), notes=notes)
        return tr(
            "{where}; on average a note is {sure:.0f} % sure. After a change here, measure again to read the notes "
            "from what you now hear.",
            where=where,
            sure=sure * 100,
        )

    # -- tapping the beat ----------------------------------------------------------------------------------------

    def tap(self, time: float) -> None:
        """A beat was tapped; a jump back (the loop came round) begins anew."""
        if self.taps and time < self.taps[-1]:
            self.take_taps()
        self.taps.append(time)
        self._tapped.start()
        self.taps_changed.emit()

    def take_taps(self) -> None:
        """Put what was tapped into the tempo map."""
        self._tapped.stop()
        taps, self.taps = self.taps, []
        if taps and self.session.is_open:
            self.session.edit(
                tr("Tap the beat"), lambda p: p.with_tempo(tapped(p.tempo, taps, duration=p.recording.duration))
            )
        self.taps_changed.emit()

    # -- phrases -------------------------------------------------------------------------------------------------

    @property
    def phrase(self) -> Phrase | None:
        """The phrase in hand, or None where there are no phrases."""
        if not self.session.is_open:
            return None
        return next((p for p in self.session.project.phrases if p.id == self.phrase_id), None)

    @property
    def stretch(self) -> Stretch | None:
        """What is taught now: what the lesson plays, else the phrase in hand alone, or everything up to it."""
        if self.lesson.stretch is not None:
            return self.lesson.stretch
        phrase = self.phrase
        if phrase is None:
            return None
        return so_far(self.session.project, phrase) if self.joined else phrase_stretch(phrase)

    def shown_notes(self, start: float, end: float) -> tuple[Note, ...]:
        """The notes of a stretch as the layer that is taught has them."""
        return layered(self.session.project.notes_between(start, end), self.transport.layer)

    def set_layer(self, layer: Layer) -> None:
        """Teach no more than a layer of each phrase."""
        self.transport.set_layer(layer)
        self.phrase_changed.emit()

    def _follow_lesson(self) -> None:
        """The phrase in hand is the one that the lesson plays."""
        turn = self.lesson.turn
        names = turn.step.phrases if turn is not None else ()
        found = [p for p in self.session.project.phrases if names and p.name == names[-1]]
        if found:
            self.phrase_id = found[0].id
        self.phrase_changed.emit()

    def loop_phrase(self, phrase: Phrase, *, joined: bool = False) -> None:
        """Take a phrase in hand and repeat it, alone or with all before it."""
        self.phrase_id, self.joined = phrase.id, joined
        self.loop_stretch()

    def step_phrase(self, steps: int) -> None:
        """Go to the next or previous phrase, alone."""
        here = self.phrase
        try:
            phrase = neighbour(self.session.project, self.phrase_id, steps=steps)
        except ScoreError as error:
            self.said.emit(render_message(error))
            return
        if here is not None and phrase.id == here.id:
            self.said.emit(tr("this is the last phrase") if steps > 0 else tr("this is the first phrase"))
        self.loop_phrase(phrase)
        self.phrase_stepped.emit()

    def toggle_so_far(self) -> None:
        """Between the phrase in hand alone and everything up to it."""
        if self.phrase is None:
            self.said.emit(tr("there are no phrases yet; they are made in the Notch room"))
            return
        self.joined = not self.joined
        self.loop_stretch()

    def loop_stretch(self) -> None:
        """Repeat what is taught now."""
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
        return self.session.edit(tr("Rename phrase"), lambda p: edits.rename_phrase(p, phrase_id, name=name))
