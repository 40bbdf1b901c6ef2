"""The panel beside the strands: what was decided about the selected note, what was measured, and why."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from notcher.app.commands import notes as verbs
from notcher.app.rooms.notch.closeup import CloseUp
from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import Field, button, quiet_label
from notcher.app.widgets.theme import BASE_POINTS, Theme, font
from notcher.harmony.roles import doing_of
from notcher.place.harmonics import Node, natural_places
from notcher.rhythm.count import counted
from notcher.score.edits import set_partial, toggle_vibrato
from notcher.score.gaps import expected_mistakes
from notcher.score.note import HARMONICS, HIGHEST_PARTIAL, INTERVAL_NAMES, Attack, BendKind, Mark, Note, Vibrato
from notcher.score.unit import QUARTER
from notcher.wording import later, term, tr, trn
from notcher.wording.chords import doing_words
from notcher.wording.names import note_name
from notcher.wording.notes import (
    attack_name,
    bend_name,
    bend_words,
    finger_name,
    mark_name,
    maybe_words,
    mistakes_words,
    place_words,
    shape_words,
    standing,
    vibrato_words,
)
from notcher.wording.numbers import clock
from notcher.wording.reasons import reasons
from notcher.wording.rhythm import against_the_beat, arrival_words, parts_of_a_beat, passage_words, spoken, values

_SHARES = (100, 90, 75, 66, 50, 33, 25)
"""Shares of a note's value, in percent, that are offered; a line of words takes any."""


class Inspector(QScrollArea):
    """Shows the selection; what it offers goes through the same commands as the keys."""

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._filling = False
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        self.heading = QLabel()
        self.heading.setProperty("head", True)
        self.heading.setWordWrap(True)
        self.state = quiet_label()
        self.state.setWordWrap(True)
        column.addWidget(self.heading)
        column.addWidget(self.state)
        self.close_up = CloseUp(theme)
        column.addWidget(self.close_up)
        self._form_box = QWidget()
        column.addWidget(self._form_box)
        self._make_form(self._form_box)
        self.measured = QLabel()
        self.measured.setWordWrap(True)
        self.measured.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self.measured)
        self.why_button = button(tr("How this was measured"), self._toggle_why, checkable=True)
        self.why = quiet_label()
        self.why.setWordWrap(True)
        self.why.hide()
        column.addWidget(self.why_button)
        column.addWidget(self.why)
        column.addStretch(1)
        self.setWidget(inner)
        desk.session.selection_changed.connect(self.refresh)
        desk.looking.changed.connect(self.refresh)
        desk.session.project_changed.connect(self.refresh)
        self.refresh()

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours, and as wide as the type and the language need."""
        metrics = QFontMetricsF(font(BASE_POINTS))
        labels = [label.text() for label in self._form_box.findChildren(QLabel)]
        choices = [self.bend.itemText(k) for k in range(self.bend.count())]
        longest = sum(max(metrics.horizontalAdvance(text) for text in texts) for texts in (labels, choices))
        self.setMinimumWidth(round(max(metrics.averageCharWidth() * 36, longest + metrics.averageCharWidth() * 12)))
        self.close_up.set_theme(theme)

    def _make_form(self, box: QWidget) -> None:
        form = QFormLayout(box)
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(5)
        self.places = self._combo(tr("Where it lies"), self._choose_place)
        form.addRow(tr("Place"), self.places)
        self.attack = self._combo(tr("How it is reached"), self._choose_attack)
        for a in Attack:
            self.attack.addItem(attack_name(a), a)
        form.addRow(tr("Reached"), self.attack)
        self.raked_from = self._combo(tr("The string at which the rake begins"), self._choose_raked_from)
        form.addRow(tr("Begins"), self.raked_from)
        self.bend = self._combo(tr("Kind of bend"), lambda _: self._choose_bend())
        self.bend.addItem(tr("no bend"), None)
        for k in BendKind:
            self.bend.addItem(bend_name(k), k)
        self.interval = self._combo(tr("Interval of the bend"), lambda _: self._choose_bend())
        for cents, name in INTERVAL_NAMES.items():
            self.interval.addItem(term("staff", name), cents)
        form.addRow(tr("Bend"), self.bend)
        form.addRow(tr("How far"), self.interval)
        self.written_at = self._combo(tr("Where in the beat it is written"), self._choose_written_at)
        self.written_length = self._combo(tr("The value it is written with"), self._choose_written_length)
        rhythm = QHBoxLayout()
        rhythm.addWidget(self.written_at, 1)
        rhythm.addWidget(self.written_length, 1)
        form.addRow(tr("Written"), rhythm)
        self._rhythm = rhythm
        self.sounding = self._combo(tr("How much of its value sounds"), self._choose_sounding)
        for percent in (None, *_SHARES):
            self.sounding.addItem(
                tr("as played") if percent is None else tr("{percent} % of it", percent=percent), percent
            )
        form.addRow(tr("Sounds"), self.sounding)
        self.vibrato = button("", lambda: verbs.apply(self._desk, tr("Vibrato"), toggle_vibrato), checkable=True)
        form.addRow(tr("Vibrato"), self.vibrato)
        self.shaken = QHBoxLayout()
        self.rate = self._number(tr("Rate of the vibrato in hertz"), tr(" Hz"), 0.5, 12.0, 0.1)
        self.extent = self._number(tr("Width of the vibrato in cents to either side"), tr(" c"), 2, 300, 1)
        self.delay = self._number(tr("Milliseconds before the vibrato begins"), tr(" ms"), 0, 9000, 10)
        for made in (self.rate, self.extent, self.delay):
            self.shaken.addWidget(made, 1)
        form.addRow("", self.shaken)
        self.finger = self._combo(tr("Finger of the fretting hand"), self._choose_finger)
        self.finger.addItem(tr("not said"), None)
        for finger in (1, 2, 3, 4, 0):
            self.finger.addItem(finger_name(finger), finger)
        form.addRow(tr("Finger"), self.finger)
        self.partial = self._combo(tr("Node of the natural harmonic"), self._choose_partial)
        form.addRow(tr("Node"), self.partial)
        self._form = form
        self.mark = self._combo(tr("Other marks"), self._choose_mark)
        form.addRow(tr("Marks"), self.mark)
        self._add_answers(form)

    def _add_answers(self, form: QFormLayout) -> None:
        """What the person says of the note as a whole: doubtful, as suggested, right."""
        self.doubt = Field()
        self.doubt.setAccessibleName(tr("Why the note is doubtful"))
        self.doubt.setPlaceholderText(tr("the reason, then Enter"))
        self.doubt.returnPressed.connect(self._take_doubt)
        form.addRow(tr("Doubt"), self.doubt)
        self.maybe = button("", lambda: verbs.as_it_may_be(self._desk), tip=tr("Use the suggested technique (Shift+D)"))
        form.addRow(tr("Suggested"), self.maybe)
        self.confirm = button(tr("Confirm (C)"), lambda: verbs.confirm_and_next(self._desk))
        form.addRow("", self.confirm)

    def _number(self, name: str, unit: str, low: float, high: float, step: float) -> QDoubleSpinBox:
        made = QDoubleSpinBox()
        made.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        made.setAccessibleName(name)
        made.setToolTip(name)
        made.setSuffix(unit)
        made.setDecimals(1 if step < 1 else 0)
        made.setRange(low, high)
        made.setSingleStep(step)
        made.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
        made.setKeyboardTracking(False)
        made.valueChanged.connect(lambda _: self._choose_vibrato())
        return made

    @staticmethod
    def _combo(name: str, chosen: Callable[[int], None]) -> QComboBox:
        made = QComboBox()
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        made.setAccessibleName(name)
        made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        made.setMinimumContentsLength(3)
        made.activated.connect(chosen)
        return made

    # -- showing -------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the selection as it is."""
        notes = self._desk.session.selected_notes()
        note = notes[0] if len(notes) == 1 else None
        self._form_box.setVisible(bool(notes))
        self.close_up.setVisible(note is not None)
        self.measured.setVisible(note is not None)
        self.why_button.setVisible(note is not None)
        self.why.setVisible(note is not None and self.why_button.isChecked())
        project = self._desk.session.project if self._desk.session.is_open else None
        self.close_up.show_note(note, project)
        if note is None:
            # Nothing of the note before, nor of a recording before, is left to be read.
            self.why.clear()
            self.measured.clear()
        if not notes or project is None:
            self._show_none()
            return
        self._fill(notes)
        if note is None:
            self.heading.setText(trn("{n} note", "{n} notes", len(notes)))
            span = tr("{start:.2f} s to {end:.2f} s.", start=notes[0].onset, end=max(n.end for n in notes))
            aloud = passage_words(project, notes)
            self.state.setText(f"{span} {aloud}{tr('What is chosen below goes for all of them.')}")
            return
        self.heading.setText(place_words(note, project))
        extra = shape_words(note, project)
        said = (standing(note), extra, tr("place held") if note.held else "")
        self.state.setText(" · ".join(part for part in said if part))
        rows = [
            (tr("Starts"), tr("{seconds:.3f} s", seconds=note.onset)),
            (tr("Lasts"), tr("{ms:.0f} ms", ms=note.duration * 1000)),
        ]
        in_time = counted(project, note)
        if in_time is not None and project.tempo is not None:
            values = {"bar": in_time.bar, "count": spoken(in_time.place, project.tempo)}
            rows.append((
                tr("Counted"),
                tr("bar {bar}, {count} (by hand)", **values) if note.written_at is not None
                else tr("bar {bar}, {count} (grace)", **values) if in_time.grace
                else tr("bar {bar}, {count}", **values),
            ))  # fmt: skip
            rows.append((tr("Played"), against_the_beat(in_time.late)))
        doing = doing_words(doing_of(project, note))
        if doing:
            rows.append((tr("In the harmony"), doing))
        rows += bend_words(note, project)
        arrives = arrival_words(project, note)
        if arrives:
            rows.append((tr("Bend arrives"), arrives))
        if note.vibrato:
            rows.append((tr("Vibrato"), vibrato_words(note)))
        self.measured.setText(
            "<table cellspacing=0 cellpadding=1>"
            + "".join(f"<tr><td>{k}&nbsp;&nbsp;</td><td><b>{v}</b></td></tr>" for k, v in rows)
            + "</table>"
        )
        why = reasons(note)
        self.why.setText(" ".join(why) if why else tr("It was added by hand; nothing was measured."))

    def _show_none(self) -> None:
        self.heading.setText(tr("No note selected"))
        if not self._desk.session.is_open:
            self.state.setText("")
            return
        gap = self._desk.looking.gap
        if gap is not None:
            self.heading.setText(tr("A note may be missing here"))
            self.state.setText(
                tr(
                    "{pitch} at {clock}, {chance:.0f} % likely: the sound has a beginning there that no note explains."
                    "\n\nPress A to write it, Delete to say that there is none, U for the next.",
                    pitch=note_name(gap.midi), clock=clock(gap.start), chance=gap.chance * 100,
                )
            )  # fmt: skip
            return
        notes = self._desk.session.project.notes
        confirmed = sum(n.confirmed for n in notes)
        doubts = sum(n.doubt is not None for n in notes)
        wrong, among = expected_mistakes(self._desk.session.project)
        self.state.setText(
            tr(
                "{n} notes: {confirmed} confirmed, {doubts} in doubt; {left}.\n\n"
                "Click a tag, or press → for the next note, U for what is likeliest wrong. "
                "Drag along the waveform to set a loop. Press ? for all keys.",
                n=len(notes),
                confirmed=confirmed,
                doubts=doubts,
                left=mistakes_words(wrong, among) or tr("all confirmed"),
            )
        )

    def _fill(self, notes: list[Note]) -> None:
        project = self._desk.session.project
        first = notes[0]
        self.places.clear()
        if len(notes) == 1:
            self._fill_places(first)
        self.places.setEnabled(len(notes) == 1)
        self.attack.setCurrentIndex(self.attack.findData(first.attack))
        self.bend.setCurrentIndex(self.bend.findData(first.bend.kind if first.bend else None))
        self.interval.setCurrentIndex(self.interval.findData(first.bend.target_cents if first.bend else 200))
        self._form.setRowVisible(self.interval, first.bend is not None)
        self.vibrato.setChecked(first.vibrato is not None)
        self.vibrato.setText(tr("on") if first.vibrato else tr("off"))
        self._fill_vibrato(first.vibrato)
        self._fill_rhythm(first, known=project.tempo is not None)
        self._fill_rake(first, project.tuning.strings)
        share = None if first.sounding is None else round(first.sounding * 100)
        if share is not None and self.sounding.findData(share) < 0:
            self.sounding.addItem(tr("{share} % of it", share=share), share)
        self.sounding.setCurrentIndex(self.sounding.findData(share))
        self.finger.setCurrentIndex(self.finger.findData(first.finger))
        self._fill_nodes(first, shown=len(notes) == 1 and bool(HARMONICS & first.marks))
        self.mark.clear()
        self.mark.addItem(", ".join(mark_name(m) for m in Mark if m in first.marks) or tr("none"), None)
        for m in Mark:
            pattern = later("take away: {mark}") if m in first.marks else later("add: {mark}")
            self.mark.addItem(tr(pattern, mark=mark_name(m)), m)
        if not self.doubt.hasFocus():
            self.doubt.setText(first.doubt or "")
        suggested = first.suggested if len(notes) == 1 else ()
        self._form.setRowVisible(self.maybe, bool(suggested))
        self.maybe.setText(maybe_words(suggested[0]) if suggested else "")
        self.confirm.setEnabled(not all(n.confirmed and not n.doubt for n in notes))

    # -- choosing ------------------------------------------------------------------------------------------------

    def _choose_place(self, index: int) -> None:
        notes = self._desk.session.selected_notes()
        place = self.places.itemData(index)
        if len(notes) != 1 or place is None:
            return
        if isinstance(place, Node):
            verbs.touch_node(self._desk, notes[0].id, place)
        else:
            verbs.set_place(self._desk, notes[0].id, *place)

    def _choose_attack(self, index: int) -> None:
        verbs.set_attack(self._desk, self.attack.itemData(index))

    def _choose_bend(self) -> None:
        verbs.set_bend(self._desk, self.bend.currentData(), self.interval.currentData() or 200)

    def _fill_rhythm(self, note: Note, *, known: bool) -> None:
        """Where the person may write the onset, and with what value; only with a beat."""
        self._form.setRowVisible(self._rhythm, known)
        tempo = self._desk.session.project.tempo
        unit = tempo.unit if tempo is not None else QUARTER
        for combo, options, now in (
            (self.written_at, parts_of_a_beat(unit), note.written_at),
            (self.written_length, values(unit), note.written_length),
        ):
            combo.clear()
            combo.addItem(tr("as found"), None)
            for value, name in options.items():
                combo.addItem(name, value)
            offered: list[Fraction | None] = [None, *options]
            if now not in offered:
                combo.addItem(tr("{now} of a beat", now=now), now)
                offered.append(now)
            # Not by Qt's own search, which finds the very object alone.
            combo.setCurrentIndex(offered.index(now))

    def _fill_vibrato(self, vibrato: Vibrato | None) -> None:
        """Rate, width and delay, as far as there is any."""
        self._form.setRowVisible(self.shaken, vibrato is not None)
        if vibrato is None:
            return
        for made, value in (
            (self.rate, vibrato.rate_hz), (self.extent, vibrato.extent_cents), (self.delay, vibrato.start * 1000)
        ):  # fmt: skip
            made.blockSignals(True)
            made.setValue(value)
            made.blockSignals(False)

    def _choose_vibrato(self) -> None:
        verbs.set_vibrato(self._desk, self.rate.value(), self.extent.value(), self.delay.value() / 1000)

    def _choose_written_at(self, index: int) -> None:
        verbs.write_at(self._desk, self.written_at.itemData(index))

    def _choose_written_length(self, index: int) -> None:
        verbs.write_length(self._desk, self.written_length.itemData(index))

    def _fill_places(self, note: Note) -> None:
        """Where its pitch lies, pressed down or, as a harmonic, touched."""
        tuning = self._desk.session.project.tuning
        touched = Mark.NATURAL_HARMONIC in note.marks
        sounds = round(note.unbent_pitch(tuning)) if touched else note.pitch(tuning)
        for string, fret in tuning.places(sounds):
            self.places.addItem(tr("string {string}, fret {fret}", string=string, fret=fret), (string, fret))
        for node in natural_places(sounds, tuning):
            where = replace(note, string=node.string, fret=node.fret, partial=node.partial).node_fret()
            self.places.addItem(
                tr("harmonic: string {string}, at {where:g}", string=node.string, where=round(where, 1)), node
            )
        here = Node(note.string, note.fret, note.partial) if touched else (note.string, note.fret)
        offered = [self.places.itemData(i) for i in range(self.places.count())]
        if here not in offered:
            # Touched where the string has a node that is not the usual one of its partial.
            where = round(note.node_fret(), 1)
            self.places.addItem(tr("harmonic: string {string}, at {where:g}", string=note.string, where=where), here)
            offered.append(here)
        self.places.setCurrentIndex(offered.index(here))

    def _fill_nodes(self, note: Note, *, shown: bool) -> None:
        """The nodes within a fret of where the finger is said to touch, or what a pinched string may squeal on."""
        self._form.setRowVisible(self.partial, shown)
        if not shown:
            return
        self.partial.clear()
        pinched = Mark.PINCH_HARMONIC in note.marks
        self.partial.addItem(tr("not said") if pinched else tr("at fret {fret}", fret=note.fret), None)
        tuning = self._desk.session.project.tuning
        for k in range(2, HIGHEST_PARTIAL + 1):
            if pinched:
                sounds = note_name(round(replace(note, partial=k).unbent_pitch(tuning)))
                self.partial.addItem(tr("partial {k}: sounds {sounds}", k=k, sounds=sounds), k)
                continue
            place = replace(note, partial=k).node_fret()
            if abs(place - note.fret) < 1:
                self.partial.addItem(tr("at {place:.1f} (partial {k})", place=place, k=k), k)
        self.partial.setCurrentIndex(max(0, self.partial.findData(note.partial)))

    def _fill_rake(self, note: Note, strings: int) -> None:
        """The strings a rake may begin on; for rakes only."""
        self._form.setRowVisible(self.raked_from, note.attack is Attack.RAKE)
        self.raked_from.clear()
        self.raked_from.addItem(tr("not said"), None)
        for string in range(strings, 0, -1):
            if string != note.string:
                self.raked_from.addItem(tr("on string {string}", string=string), string)
        self.raked_from.setCurrentIndex(max(0, self.raked_from.findData(note.raked_from)))

    def _choose_raked_from(self, index: int) -> None:
        verbs.set_raked_from(self._desk, self.raked_from.itemData(index))

    def _choose_sounding(self, index: int) -> None:
        percent = self.sounding.itemData(index)
        verbs.set_sounding(self._desk, None if percent is None else percent / 100)

    def _choose_finger(self, index: int) -> None:
        finger = self.finger.itemData(index)
        chosen = self._desk.session.selected_notes()
        if finger is None and chosen and chosen[0].finger is not None:
            finger = chosen[0].finger
        if finger is not None:
            verbs.set_finger(self._desk, finger)

    def _choose_partial(self, index: int) -> None:
        notes = self._desk.session.selected_notes()
        if len(notes) == 1:
            partial = self.partial.itemData(index)
            self._desk.session.edit(tr("Node"), lambda p: set_partial(p, notes[0].id, partial=partial))

    def _choose_mark(self, index: int) -> None:
        mark = self.mark.itemData(index)
        if mark is not None:
            verbs.toggle_mark(self._desk, mark)

    def ask_doubt(self) -> None:
        """Put the cursor where the reason goes."""
        self.doubt.setFocus()
        self.doubt.selectAll()
        self.ensureWidgetVisible(self.doubt)

    def _take_doubt(self) -> None:
        text = self.doubt.text().strip()
        self.doubt.clearFocus()
        verbs.set_doubt(self._desk, text or None)

    def _toggle_why(self) -> None:
        self.why.setVisible(self.why_button.isChecked())
