"""The Place room: the neck with the phrase in hand, the places it could have, and its strands under them."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from notcher.app.commands.place import confirm_and_next, take
from notcher.app.jobs.job import Report
from notcher.app.jobs.latest import Latest
from notcher.app.rooms.ids import PLACE
from notcher.app.rooms.notch.strand import StrandView
from notcher.app.rooms.place.guitar import GuitarPanel
from notcher.app.rooms.place.hand_line import HandLine
from notcher.app.rooms.room import Around, RoomView
from notcher.app.widgets.forms import button, quiet_label
from notcher.app.widgets.neck import NeckView, OnNeck, on_neck
from notcher.app.widgets.neck_chords import NeckChords
from notcher.app.widgets.theme import BASE_POINTS, Theme, font
from notcher.audio.tone import render
from notcher.place.checks import cannot_be_played
from notcher.place.grips import Grip, grips_under
from notcher.place.phrases import PhrasePlace, places_of
from notcher.place.solver import around, picking
from notcher.score.chord import Chord
from notcher.score.note import Note
from notcher.score.playing import Hand
from notcher.score.project import Phrase
from notcher.wording import render_message, tr, trn
from notcher.wording.grips import grips_words
from notcher.wording.hands import ahead_words
from notcher.wording.notes import phrase_label
from notcher.wording.places import called, way_words

_OFFERED, _WRONG_SAID = 3, 2
_SIDE_PX = 264
# Height the room needs, at the usual size of type, to show strands under the neck.
_NECK_PX, _STRANDS_PX = 300, 200


class PlaceRoom(RoomView):
    """One phrase at a time: look, choose, confirm, next."""

    def __init__(self, around: Around) -> None:
        super().__init__()
        self._desk, self._settings = around.desk, around.settings
        desk, _theme = around.desk, around.theme
        self._offers: list[PhrasePlace] = []
        self._offered_for: tuple[Note, ...] = ()
        self._looked_at: int | None = None
        self._finding: Latest[list[PhrasePlace]] = Latest(self)
        self._gripping: Latest[list[tuple[Chord, Grip]]] = Latest(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._build_head(column)
        self._build_choices(column, around)
        self._build_below(column, around)
        for changed in (
            desk.phrase_changed,
            desk.session.project_changed,
            desk.session.opened,
            desk.placing.marks_changed,
        ):
            changed.connect(self.refresh)
        desk.room_changed.connect(self._entered)
        desk.transport.moved.connect(self.neck.show_time)
        self.refresh()

    def _build_head(self, column: QVBoxLayout) -> None:
        """The phrase, the way through them all, and what is wrong with its places."""
        desk = self._desk
        head = QHBoxLayout()
        head.setContentsMargins(16, 8, 16, 4)
        self.name = QLabel()
        self.name.setProperty("head", True)
        self.way = quiet_label()
        head.addWidget(self.name)
        head.addSpacing(10)
        head.addWidget(self.way, 1)
        self.confirm = button(tr("Confirm the phrase, and next"), lambda: desk.asked.emit("place-confirm"), tip="C")
        head.addWidget(self.confirm)
        column.addLayout(head)
        self.wrong = QLabel()
        self.wrong.setProperty("doubt", True)
        self.wrong.setWordWrap(True)
        self.wrong.setContentsMargins(16, 0, 16, 2)
        self.wrong.setVisible(False)
        column.addWidget(self.wrong)

    def _build_choices(self, column: QVBoxLayout, around: Around) -> None:
        """The neck, and beside it where the phrase could lie."""
        desk = around.desk
        theme = around.theme
        middle = QHBoxLayout()
        middle.setContentsMargins(16, 4, 16, 4)
        middle.setSpacing(14)
        self.neck = NeckView(theme, around.settings)
        middle.addWidget(self.neck, 1)
        self._neck_chords = NeckChords(desk, self.neck)
        side = QWidget()
        self._side = QGridLayout(side)
        self._side.setContentsMargins(0, 0, 0, 0)
        self._side.setVerticalSpacing(4)
        self.title = quiet_label(tr("Where it could lie"))
        self._side.addWidget(self.title, 0, 0, 1, 2)
        self.choices: list[QPushButton] = []
        self.reasons: list[QLabel] = []
        for k in range(_OFFERED):
            made = button("", partial(self.look_or_take, k), checkable=True)
            why = quiet_label()
            why.setWordWrap(True)
            why.setAlignment(Qt.AlignmentFlag.AlignTop)
            self._side.addWidget(made, 1 + 2 * k, 0, 1, 2)
            self._side.addWidget(why, 2 + 2 * k, 0, 1, 2)
            self.choices.append(made)
            self.reasons.append(why)
        self.take_button = button(tr("Take it"), self._take_looked_at, tip=tr("1, 2 or 3 takes one at once"))
        self.hear_button = button(tr("Hear it"), self.hear, tip="H")
        self._side.addWidget(self.take_button, 7, 0)
        self._side.addWidget(self.hear_button, 7, 1)
        self._side.setRowStretch(8, 1)
        side.setMinimumWidth(_SIDE_PX)
        side.setMaximumWidth(round(1.7 * _SIDE_PX))
        middle.addWidget(side)
        column.addLayout(middle, 3)

    def _build_below(self, column: QVBoxLayout, around: Around) -> None:
        """What comes, hands and guitar, grips, and the strands."""
        desk = around.desk
        theme = around.theme
        self.ahead = quiet_label()
        self.ahead.setWordWrap(True)
        under = QHBoxLayout()
        under.setContentsMargins(16, 0, 16, 6)
        under.setSpacing(10)
        under.addWidget(self.ahead, 1)
        self.guitar = GuitarPanel(desk, around.settings)
        self.show_guitar = button(tr("Hands and guitar"), self._toggle_guitar, checkable=True)
        self.show_guitar.setToolTip(tr("schools of both hands, length and gauges of the strings"))
        under.addWidget(self.show_guitar, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(under)
        self.grips = quiet_label()
        self.grips.setWordWrap(True)
        self.grips.setContentsMargins(16, 0, 16, 4)
        column.addWidget(self.grips)
        self.guitar.setVisible(False)
        column.addWidget(self.guitar)
        self.strand = StrandView(desk, theme, least=136)
        self.hands = HandLine(desk, self.strand, theme)
        column.addWidget(self.hands)
        column.addWidget(self.strand, 2)
        foot = quiet_label(
            tr(
                "Tags on the neck: the finger; filled = confirmed; a second frame = placed anew; a ring = where a bend "
                "goes; small rings and triangles = tones and roots of the chord (Q). Up and Down move the phrase."
            )
        )
        foot.setWordWrap(True)
        foot.setContentsMargins(16, 3, 16, 3)
        column.addWidget(foot)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The neck comes first: where type is so large that both have no room, the strands go."""
        super().resizeEvent(event)
        larger = font(BASE_POINTS).pointSizeF() / BASE_POINTS
        there = self.height() >= _NECK_PX + _STRANDS_PX * larger
        if self.strand.isVisibleTo(self) != there:
            self.strand.setVisible(there)
            self.hands.setVisible(there)

    def _toggle_guitar(self) -> None:
        self.guitar.setVisible(self.show_guitar.isChecked())

    @property
    def _hand(self) -> Hand:
        return self._desk.session.project.playing.hand

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.neck.set_theme(theme)
        self.strand.set_theme(theme)
        self.hands.set_theme(theme)

    def wait(self) -> None:
        """Wait until no thread of this room runs."""
        self._finding.wait()
        self._gripping.wait()

    def answers(self) -> dict[str, Callable[[], object]]:
        """What the keys of this room do."""
        found: dict[str, Callable[[], object]] = {
            f"place-{k}": partial(self.take_offer, k - 1) for k in range(1, _OFFERED + 1)
        }
        return found | {
            "place-hear": self.hear, "place-confirm": lambda: confirm_and_next(self._desk),
            "left-handed": self._turn_neck,
        }  # fmt: skip

    def _turn_neck(self) -> None:
        self._settings.left_handed = not self._settings.left_handed
        self._settings.save()
        self.neck.update()
        said = (
            tr("the neck is a left-handed player's")
            if self.neck.left_handed
            else tr("the neck is a right-handed player's")
        )
        self._desk.said.emit(said)

    # -- showing -------------------------------------------------------------------------------------------------

    def _entered(self, room: str) -> None:
        phrase = self._desk.phrase
        if room != PLACE:
            return
        if phrase is not None:
            self._desk.axis.reveal_range(phrase.start, phrase.end)
        self.refresh()

    def refresh(self) -> None:
        """Show the phrase in hand as it is, and look for other places."""
        if self._desk.room != PLACE:
            return
        self._looked_at = None
        phrase = self._desk.phrase if self._desk.session.is_open else None
        self._show_now(phrase)
        self._offers = []
        self._show_offers(tr("looking for places …") if phrase is not None else "")
        if phrase is None:
            self._finding.forget()
            return
        project, hand, notes = self._desk.session.project, self._hand, self._notes(phrase)

        def work(_: Report) -> list[PhrasePlace]:
            return places_of(project, phrase, most=_OFFERED, hand=hand)

        self._finding.start(work, lambda found: self._found(found, notes), lambda why: self._show_offers(why))

    def _notes(self, phrase: Phrase | None) -> tuple[Note, ...]:
        return self._desk.session.project.notes_between(phrase.start, phrase.end) if phrase is not None else ()

    def _show_now(self, phrase: Phrase | None) -> None:
        notes = self._notes(phrase)
        self.confirm.setEnabled(bool(notes))
        self.name.setText(phrase_label(phrase) if phrase is not None else tr("No phrase in hand"))
        if phrase is None or not notes:
            self.neck.show_places((), None)
            self.way.setText("")
            self.ahead.setText("")
            self.hands.show_hands((), {})
            self.wrong.setVisible(False)
            self._gripping.forget()
            self._show_grips([])
            return
        wrong = [render_message(clause) for clause in cannot_be_played(notes, self._desk.session.project.tuning)]
        more = len(wrong) - _WRONG_SAID
        said = "; ".join(wrong[:_WRONG_SAID])
        said = said[:1].upper() + said[1:]
        self.wrong.setText(said + (" " + tr("and {n} more", n=more) if more > 0 else ""))
        self.wrong.setVisible(bool(wrong))
        self._show_on_neck(on_neck(self._desk.session.project, notes, self._hand, self._desk.placing.moved))

    def _show_on_neck(self, shown: Sequence[OnNeck], *, offered: bool = False) -> None:
        """Notes on the neck, and in words what the hand does for them. offered: they are looked at, not taken yet."""
        notes = [o.note for o in shown]
        self.neck.show_places(shown, self._desk.session.project.tuning, offered=offered)
        project = self._desk.session.project
        placed = [replace(o.note, string=o.string, fret=o.fret) for o in shown]
        self.hands.show_hands(shown, picking(around(project, placed)))
        self.ahead.setText(ahead_words(project, placed, [o.hand for o in shown]))
        positions = [o.hand.position for o in shown]
        self._gripping.start(lambda _: grips_under(project, notes, positions), self._show_grips)
        said = [tr("hand: {way}", way=way_words([o.hand.position for o in shown], most=6))]
        confirmed = sum(n.confirmed for n in notes)
        said.append(trn("{done} of {n} note confirmed", "{done} of {n} notes confirmed", len(notes), done=confirmed))
        if moved := sum(o.moved for o in shown):
            said.append(trn("{n} was placed anew", "{n} were placed anew", moved))
        self.way.setText(" · ".join(said))

    def _show_grips(self, found: list[tuple[Chord, Grip]]) -> None:
        shift = self._desk.session.project.tuning.shape_shift() if found else 0
        self.grips.setText(grips_words(found, shift=shift or 0))
        self.grips.setVisible(bool(found))

    def _found(self, offers: list[PhrasePlace], notes: tuple[Note, ...]) -> None:
        self._offers, self._offered_for = offers, notes
        self._show_offers("")

    def _show_offers(self, said: str) -> None:
        self.title.setText(said or tr("Where it could lie"))
        for k, (made, why) in enumerate(zip(self.choices, self.reasons, strict=True)):
            there = k < len(self._offers)
            made.setVisible(there)
            why.setVisible(there)
            if not there:
                continue
            offer = self._offers[k]
            name = called(offer, self._offers)
            made.setText(
                tr("{number}: {position}, as it is", number=k + 1, position=name) if offer.now
                else tr("{number}: {position}", number=k + 1, position=name)
            )  # fmt: skip
            made.setChecked(k == self._looked_at)
            frets = [fret for _, fret in offer.places if fret]
            where = tr("frets {low} to {high}", low=min(frets), high=max(frets)) if frets else tr("open strings")
            why.setText("; ".join([where, *(render_message(clause) for clause in offer.why)]))
        looked = self._looked_at is not None
        self.take_button.setEnabled(looked)
        self.hear_button.setEnabled(bool(self._offers))

    # -- choosing ------------------------------------------------------------------------------------------------

    def look_or_take(self, k: int) -> None:
        """Show an offer on the neck; the same one again takes it."""
        if self._is_stale(k):
            return
        if self._looked_at == k:
            self.take_offer(k)
            return
        self._looked_at = k
        offer, notes = self._offers[k], self._notes(self._desk.phrase)
        shown = [
            OnNeck(n, string, fret, hand)
            for n, (string, fret), hand in zip(notes, offer.places, offer.hand, strict=True)
        ]  # fmt: skip
        self._show_on_neck(shown, offered=True)
        self._show_offers("")

    def _is_stale(self, k: int) -> bool:
        """Whether an offer is gone, or was made for other notes than the phrase has now; then it is looked again."""
        phrase = self._desk.phrase
        if k < len(self._offers) and self._notes(phrase) == self._offered_for:
            return False
        self._desk.said.emit(tr("the phrase has changed; its places are looked for again"))
        self.refresh()
        return True

    def _take_looked_at(self) -> None:
        if self._looked_at is not None:
            self.take_offer(self._looked_at)

    def take_offer(self, k: int) -> None:
        """Put the phrase there."""
        phrase = self._desk.phrase
        if phrase is None or k >= len(self._offers):
            self._desk.said.emit(tr("there are not so many places to choose from"))
            return
        if self._is_stale(k):
            return
        take(self._desk, phrase, self._offers[k])

    def hear(self) -> None:
        """Sound the phrase as it would be played where one looks."""
        phrase = self._desk.phrase
        if phrase is None:
            self._desk.said.emit(tr("there is no phrase here; cut the solo into phrases first"))
            return
        project = self._desk.session.project
        notes = self._notes(phrase)
        if self._looked_at is not None and not self._is_stale(self._looked_at):
            places = self._offers[self._looked_at].places
            notes = tuple(replace(n, string=s, fret=f) for n, (s, f) in zip(notes, places, strict=True))
        there = replace(project, notes=()).with_notes(notes)
        self._desk.transport.sound_once(render(there, phrase.start, phrase.end + 0.3))
