"""Why: the spectrum around the selected note with the contour over it, what was weighed, and what decided."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from notcher.app.jobs.latest import Latest
from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import button, quiet_label
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.listen.frames.evidence import BANDS_PER_SEMITONE, HIGHEST, LONGEST_S, LOWEST, Evidence, explain
from notcher.listen.frames.spectrum import HOP
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.wording import tr
from notcher.wording.chords import pitch_name
from notcher.wording.names import note_name
from notcher.wording.notes import place_words
from notcher.wording.reasons import reasons

_LEFT, _BOTTOM, _TOP = 70, 20, 6
_LABELLED = 3
_BELOW, _ABOVE = 6.0, 20.0
# Share of the likelihood from which a pitch that was weighed is told: less is said as 0 %.
_WORTH_SAYING = 0.005


class SpectrumPicture(PaintedView):
    """Time to the right, pitch upwards; lines at the frets, the contour over what sounds."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(tr("Spectrum around the note, with its measured pitch"), parent)
        self._theme = theme
        self._evidence: Evidence | None = None
        self._note: Note | None = None
        self._project: Project | None = None
        self._image: QImage | None = None
        self.setMinimumHeight(170)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self._image = None
        self.update()

    def show_evidence(self, evidence: Evidence | None, note: Note | None, project: Project | None) -> None:
        """Show another note's."""
        self._evidence, self._note, self._project, self._image = evidence, note, project, None
        self.showed()
        self.update()

    def _made_image(self, e: Evidence) -> QImage:
        ground, ink = self._theme.color("ground"), self._theme.color("ink")
        share = (e.picture.T[::-1] ** 1.5)[:, :, None]
        low, high = (np.array([c.blue(), c.green(), c.red(), 255.0]) for c in (ground, ink))
        pixels = np.ascontiguousarray((low + (high - low) * share).astype(np.uint8))
        h, w = pixels.shape[:2]
        return QImage(pixels.tobytes(), w, h, w * 4, QImage.Format.Format_ARGB32).copy()

    def in_words(self) -> str:
        """The note it is about; the sentences beside it say the rest."""
        if self._note is None or self._project is None:
            return tr("No note is selected.")
        return tr(
            "The sound around {place_words}; what it says is written beside it.",
            place_words=place_words(self._note, self._project),
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self._theme
        painter.fillRect(self.rect(), t.color("ground"))
        e, note, project = self._evidence, self._note, self._project
        area = QRectF(_LEFT, _TOP, self.width() - _LEFT - 10, self.height() - _TOP - _BOTTOM)
        painter.setFont(font(9))
        if e is None or note is None or project is None:
            painter.setPen(t.color("quiet"))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, tr("listening …") if note else tr("select a note"))
            return
        pitch = note.unbent_pitch(project.tuning) + project.offset_cents / 100
        high = min(pitch + _ABOVE, e.lowest + HIGHEST - LOWEST)
        low = high - _ABOVE - _BELOW
        if self._image is None:
            self._image = self._made_image(e)
        image = self._image
        rows = image.height()
        top_row = rows - (high - e.lowest) * BANDS_PER_SEMITONE
        painter.drawImage(area, image, QRectF(0, top_row, image.width(), (high - low) * BANDS_PER_SEMITONE))
        duration = max(HOP, len(e.cents) * HOP)

        def x_of(time: float) -> float:
            return area.left() + (time - e.start) / duration * area.width()

        def y_of(midi: float) -> float:
            return area.bottom() - (midi - low) / (high - low) * area.height()

        for step in range(-5, 8):
            y = y_of(pitch + step)
            painter.setPen(QPen(t.color("sure", 255 if step == 0 else 90), 1.6 if step == 0 else 0.8))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            fret = note.fret + step
            if fret >= 0 and step % _LABELLED == 0:
                painter.setPen(t.color("ink" if step == 0 else "quiet"))
                box = QRectF(0, y - 8, _LEFT - 6, 16)
                painter.drawText(
                    box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, tr("fret {fret}", fret=fret)
                )
        painter.setPen(QPen(t.color("doubt"), 1.4, Qt.PenStyle.DashLine))
        times = [t for t in (note.onset, note.end) if t <= e.start + duration]
        for time in times:
            painter.drawLine(QPointF(x_of(time), area.top()), QPointF(x_of(time), area.bottom()))
        self._draw_contour(painter, e, x_of, y_of)
        painter.setPen(t.color("quiet"))
        painter.drawText(QPointF(x_of(note.onset) + 3, self.height() - 5), tr("onset"))
        end = tr("{ms:.0f} ms", ms=note.duration * 1000)
        if note.end in times:
            painter.drawText(QPointF(x_of(note.end) + 3, self.height() - 5), end)

    def _draw_contour(self, painter: QPainter, e: Evidence, x_of, y_of) -> None:  # type: ignore[no-untyped-def]
        for width, colour in ((4.5, self._theme.color("ground", 200)), (2.0, QColor(self._theme.color("pick")))):
            painter.setPen(QPen(colour, width))
            line = QPolygonF()
            for k, cents in enumerate(e.cents):
                if np.isnan(cents):
                    painter.drawPolyline(line)
                    line = QPolygonF()
                else:
                    line.append(QPointF(x_of(e.start + k * HOP), y_of(float(cents) / 100)))
            painter.drawPolyline(line)


class EvidencePanel(QWidget):
    """Opened and closed by one key; follows the selection while it is open."""

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._listening: Latest[Evidence] = Latest(self)
        self._shown: tuple[str, float, float] | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 10, 6)
        row.setSpacing(14)
        self.picture = SpectrumPicture(theme)
        row.addWidget(self.picture, 3)
        column = QVBoxLayout()
        column.setSpacing(4)
        row.addLayout(column, 2)
        head = QHBoxLayout()
        self.heading = QLabel()
        self.heading.setProperty("head", True)
        head.addWidget(self.heading, 1)
        self.hear_button = button(tr("Hear just this"), self.hear, tip=tr("E opens this and plays it"))
        head.addWidget(self.hear_button)
        head.addWidget(button(tr("Close"), self.close_panel, tip=tr("E")))
        column.addLayout(head)
        self.weighed = quiet_label()
        self.weighed.setWordWrap(True)
        column.addWidget(self.weighed)
        self.why = QLabel()
        self.why.setWordWrap(True)
        self.why.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self.why)
        column.addStretch(1)
        self.hide()
        desk.session.selection_changed.connect(self.refresh)
        desk.session.project_changed.connect(self.refresh)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.picture.set_theme(theme)

    def toggle(self) -> None:
        """Open it on the selected note and play that; or close it."""
        if self.isVisible():
            self.close_panel()
            return
        if not self._desk.session.selected_notes():
            self._desk.said.emit(tr("select a note first; N takes the next one"))
            return
        self.show()
        self._shown = None
        self.refresh()
        self.hear()

    def close_panel(self) -> None:
        """Close it; a loop around one note ends with it."""
        self.hide()
        note = self._note()
        loop = self._desk.transport.loop
        if note is not None and loop is not None and abs(loop[0] - max(0.0, note.onset - 0.06)) < 0.01:
            self._desk.transport.pause()
            self._desk.transport.set_loop(None)

    def hear(self) -> None:
        """Play just this note, again and again."""
        note = self._note()
        if note is not None and self._desk.transport.player.sources:
            self._desk.transport.set_loop((max(0.0, note.onset - 0.06), note.end + 0.06))
            self._desk.transport.again()

    def _note(self) -> Note | None:
        chosen = self._desk.session.selected_notes() if self._desk.session.is_open else []
        return chosen[0] if chosen else None

    def refresh(self) -> None:
        """Show the selected note's evidence, if open."""
        if not self.isVisible():
            return
        note = self._note()
        if note is None:
            self._shown = None
            self.picture.show_evidence(None, None, None)
            return
        project = self._desk.session.project
        name = pitch_name(project, note.pitch(project.tuning), note.onset)
        self.heading.setText(
            tr("Why fret {fret}, string {string}: {name}", fret=note.fret, string=note.string, name=name)
        )
        self.why.setText(
            "\n".join(f"•  {r}" for r in reasons(note)) or tr("It was added by hand; nothing was measured.")
        )
        self.weighed.setText("")
        audio, lead = self._desk.transport.audio, project.lead
        lowest = min(project.tuning.open_pitches)
        wanted = (note.id, note.onset, note.end)
        if wanted == self._shown:
            return
        self._shown = wanted
        self.picture.show_evidence(None, note, project)
        if audio is None:
            self.weighed.setText(tr("The recording is not here, so nothing can be listened to again."))
            return
        self._listening.start(
            lambda _: explain(audio, lead, note.onset, note.end, lowest=lowest),
            lambda found: self._found(found, note, project),
            self._desk.said.emit,
        )

    def _found(self, found: Evidence, note: Note, project: Project) -> None:
        if not self.isVisible():
            return
        self.picture.show_evidence(found, note, project)
        names = []
        cut = (
            tr(" Listened to are its first {longest_s:.0f} s.", longest_s=LONGEST_S)
            if note.duration > LONGEST_S
            else ""
        )
        for w in (w for w in found.weighed if w.share >= _WORTH_SAYING):
            midi = (w.cents - project.offset_cents) / 100
            away = round(100 * (midi - round(midi)))
            names.append(
                tr(
                    "{note_name} {away:+d} cents: {share:.0f} %",
                    note_name=note_name(round(midi)),
                    away=away,
                    share=w.share * 100,
                )
            )
        self.weighed.setText(
            tr("Weighed over its first half second: ") + ("; ".join(names) or tr("nothing")) + "." + cut
        )

    def wait(self) -> None:
        """Wait until no thread of this panel runs."""
        self._listening.wait()
