"""Tuning: how far the recording sits from A = 440, how the guitar is tuned, and what its strings are called."""

from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QSpinBox, QVBoxLayout, QWidget

from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import Field, button, quiet_label, two_columns
from notcher.audio.tone import reference_tone
from notcher.listen.frames.raised import raised_for
from notcher.place.tunings import guess_tunings
from notcher.score.errors import NotcherError
from notcher.score.project import Project
from notcher.score.tuning import (
    HIGHEST_CAPO,
    HIGHEST_FRET,
    LOWEST_LAST_FRET,
    MOST_STRINGS,
    NAMED,
    STANDARD,
    Tuning,
    parse_tuning,
)
from notcher.teach.care import raised
from notcher.wording import listed, render_message, tr, trn
from notcher.wording.names import called, note_name, ordinal, spoken

_GUESSES = 3


class TuningPanel(QWidget):
    """What is measured stands beside what the person chooses."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        left, right = two_columns(self, shares=(3, 2), spacing=6)
        self.offset = QLabel()
        self.offset.setProperty("head", True)
        left.addWidget(self.offset)
        self.offset_words = quiet_label()
        self.offset_words.setWordWrap(True)
        left.addWidget(self.offset_words)
        self.in_tune = button("", self._toggle_in_tune, checkable=True)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.in_tune)
        row.addStretch(1)
        left.addLayout(row)
        left.addSpacing(14)
        self._build_guitar(left)
        self._build_guesses(left)
        self._build_strings(right)
        self._guessed: list[Tuning] = []
        self._showing = False

    def _build_guitar(self, left: QVBoxLayout) -> None:
        """Tuning, capo and frets."""
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(QLabel(tr("The guitar is tuned")))
        self._refused = False
        self.tuning = QComboBox()
        self.tuning.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.tuning.setAccessibleName(tr("How the guitar is tuned"))
        self.tuning.setLineEdit(Field())
        self.tuning.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.tuning.addItems([called(t) for t in NAMED.values()])
        self.tuning.setMinimumWidth(190)
        self.tuning.setToolTip(tr("A name, or six to eight pitches from the 1st string on, such as E4,B3,G3,D3,A2,D2"))
        self.tuning.textActivated.connect(self._take_tuning)
        edit = self.tuning.lineEdit()
        assert edit is not None
        edit.editingFinished.connect(lambda: self._take_tuning(self.tuning.currentText()))
        row.addWidget(self.tuning)
        row.addWidget(QLabel(tr("Capo at fret")))
        self.capo = QSpinBox()
        self.capo.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.capo.setAccessibleName(tr("The fret of the capo"))
        self.capo.setRange(0, HIGHEST_CAPO)
        self.capo.setSpecialValueText(tr("none"))
        self.capo.valueChanged.connect(self._take_capo)
        row.addWidget(self.capo)
        row.addWidget(QLabel(tr("Frets")))
        self.frets = QSpinBox()
        self.frets.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.frets.setRange(LOWEST_LAST_FRET, HIGHEST_FRET)
        self.frets.setAccessibleName(tr("How many frets the neck has"))
        self.frets.valueChanged.connect(self._take_frets)
        row.addWidget(self.frets)
        row.addStretch(1)
        left.addLayout(row)
        left.addSpacing(6)

    def _build_guesses(self, left: QVBoxLayout) -> None:
        """The likeliest tunings, each with its reason."""
        left.addWidget(quiet_label(tr("Likely, from the lowest notes and the open strings:")))
        self.guesses: list[tuple[QPushButton, QLabel]] = []
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        for k in range(_GUESSES):
            take, why = button("", partial(self._take_guess, k)), quiet_label()
            why.setWordWrap(True)
            grid.addWidget(take, k, 0)
            grid.addWidget(why, k, 1)
            self.guesses.append((take, why))
        grid.setColumnStretch(1, 1)
        left.addLayout(grid)
        left.addStretch(1)

    def _build_strings(self, right: QVBoxLayout) -> None:
        """Each string: how it sounds, by shape, and its tone."""
        right.addWidget(QLabel(tr("The strings")))
        table = QGridLayout()
        table.setVerticalSpacing(3)
        table.setHorizontalSpacing(14)
        for k, head in enumerate((tr("string"), tr("sounds"), tr("by shape"), "")):
            table.addWidget(quiet_label(head), 0, k)
        self.strings: list[tuple[QLabel, QLabel, QLabel, QPushButton]] = []
        for string in range(1, MOST_STRINGS + 1):
            sounds, shape = QLabel(), QLabel()
            tone = button(tr("Hear it"), partial(self._sound, string), tip=tr("A tone to tune this string by"))
            number = QLabel(ordinal(string))
            for column, cell in enumerate((number, sounds, shape, tone)):
                table.addWidget(cell, string, column)
            self.strings.append((number, sounds, shape, tone))
        right.addLayout(table)
        self.names = quiet_label()
        self.names.setWordWrap(True)
        right.addWidget(self.names)
        right.addStretch(1)

    def refresh(self) -> None:
        """Show the project as it is."""
        if not self._desk.session.is_open:
            return
        project = self._desk.session.project
        self._show_offset(project)
        self._show_strings(project)
        edit = self.tuning.lineEdit()
        assert edit is not None
        if not edit.hasFocus():
            self.tuning.setCurrentText(called(project.tuning))
        self._showing = True
        self.capo.setValue(project.tuning.capo)
        self.frets.setValue(project.tuning.frets)
        self._showing = False
        heard = [(n.pitch(project.tuning), n.duration) for n in project.notes]
        guesses = guess_tunings(heard)[:_GUESSES]
        self._guessed = [g.tuning for g in guesses]
        for (take, why), g in zip(self.guesses, guesses, strict=True):
            take.setText(f"{called(g.tuning)}  {g.share * 100:.0f} %")
            take.setEnabled(g.tuning.pitches != project.tuning.pitches)
            why.setText(render_message(g.reason))

    def _show_offset(self, project: Project) -> None:
        found = self._desk.offset()
        cents = project.offset_cents
        self.offset.setText(
            tr("At A = 440") if not cents
            else tr("{cents:.1f} cents flat of A = 440", cents=-cents) if cents < 0
            else tr("{cents:.1f} cents sharp of A = 440", cents=cents)
        )  # fmt: skip
        hz = 440.0 * 2 ** (cents / 1200)
        self.offset_words.setText(
            tr(
                "A sounds at {hz:.1f} Hz. Measured from {notes} steady pieces of 50 ms; half of them lie within "
                "{spread:.1f} cents of it.",
                hz=hz,
                notes=found.notes,
                spread=found.spread,
            )
            if found.notes
            else tr("Not measured yet.")
        )
        self.in_tune.setChecked(project.in_tune)
        self.in_tune.setText(
            tr("Playback is brought to A = 440")
            if project.in_tune
            else tr("Bring playback to A = 440, to play along in tune")
        )

    def _show_strings(self, project: Project) -> None:
        tuning = project.tuning
        flats = tuning.open_pitches[0] < STANDARD.pitches[0]
        shift = tuning.shape_shift()
        for k, (number, sounds, shape, tone) in enumerate(self.strings):
            for cell in (number, sounds, shape, tone):
                cell.setVisible(k < tuning.strings)
            if k >= tuning.strings:
                continue
            pitch = tuning.open_pitches[k]
            sounds.setText(note_name(pitch, flats=flats))
            shape.setText(note_name(pitch + shift) if shift else tr("the same") if shift == 0 else "–")
            tone.setAccessibleName(
                tr("Hear the {nth} string, {name}", nth=ordinal(k + 1), name=note_name(pitch, flats=flats))
            )
        if shift:
            self.names.setText(tr("Notes are named both ways from here on: as they sound, and {shape}.",
                                  shape=_by_shape(shift)))  # fmt: skip
        else:
            self.names.setText(
                tr("Shapes are called what they sound.") if shift == 0
                else tr("The strings are not shifted alike, so shapes have no names of their own.")
            )  # fmt: skip

    def _sound(self, string: int) -> None:
        if not self._desk.session.is_open:
            return
        project = self._desk.session.project
        offset = 0.0 if project.in_tune else project.offset_cents
        pitch = project.tuning.open_pitches[string - 1]
        self._desk.transport.sound_once(reference_tone(pitch, offset_cents=offset))

    def _toggle_in_tune(self) -> None:
        if self._desk.session.is_open:
            self._desk.session.edit(tr("Playback in tune"), lambda p: replace(p, in_tune=not p.in_tune))

    def _take_guess(self, k: int) -> None:
        if k < len(self._guessed):
            self._retune(replace(self._guessed[k], capo=self._desk.session.project.tuning.capo))

    def _take_capo(self, fret: int) -> None:
        if not self._showing and self._desk.session.is_open:
            self._retune(replace(self._desk.session.project.tuning, capo=fret))

    def _take_frets(self, frets: int) -> None:
        if not self._showing and self._desk.session.is_open:
            self._retune(replace(self._desk.session.project.tuning, frets=frets))

    def _take_tuning(self, text: str) -> None:
        if not self._desk.session.is_open:
            return
        project = self._desk.session.project
        if text in (called(project.tuning), spoken(project.tuning)):
            return
        try:
            tuning = next((t for t in NAMED.values() if called(t).lower() == text.strip().lower()), None)
            tuning = tuning or parse_tuning(text)
        except NotcherError as error:
            self._desk.said.emit(render_message(error))
            self._refused = True
            self.tuning.setCurrentText(called(project.tuning))
            return
        if self._refused:
            self._refused = False
            self._desk.mended.emit()
        self._retune(replace(tuning, capo=project.tuning.capo, frets=project.tuning.frets))

    def _retune(self, tuning: Tuning) -> None:
        from notcher.pipeline.retune import retuned

        project = self._desk.session.project
        higher = set(raised(tuning)) - set(raised(project.tuning))
        lower = raised_for(min(tuning.open_pitches)) > raised_for(min(project.tuning.open_pitches))
        if not self._desk.session.edit(tr("Tuning"), lambda p: retuned(p, tuning)):
            self.refresh()
        elif higher:
            strings = listed([ordinal(k) for k in sorted(higher)])
            self._desk.said.emit(
                tr("higher than standard ({strings}): strings pull harder and may snap. Tune up slowly, eyes away, or "
                   "take lighter gauges or a capo", strings=strings)
            )  # fmt: skip
        elif lower and project.contour is not None and self._desk.transport.audio is not None:
            self._desk.offered.emit(
                tr("The recording was not listened to as low as this guitar goes. Listen again?"),
                [(tr("Listen again"), lambda: self._desk.asked.emit("listen-again")), (tr("Leave it"), lambda: None)],
            )


def _by_shape(shift: int) -> str:
    n = abs(shift)
    if shift > 0:
        return trn(
            "by shape, {n} semitone higher, as if in standard tuning",
            "by shape, {n} semitones higher, as if in standard tuning", n,
        )  # fmt: skip
    return trn(
        "by shape, {n} semitone lower, as if in standard tuning",
        "by shape, {n} semitones lower, as if in standard tuning", n,
    )  # fmt: skip
