"""Sounds to practise with, and what a lesson's video is made of: strips, cards and films."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFormLayout, QFrame, QGridLayout, QHBoxLayout, QLabel, QScrollArea, QWidget

from notcher.app.rooms.handout.choices import choice, number, tick
from notcher.app.widgets.forms import Field, button, quiet_label
from notcher.audio.player import MOST_SHIFT
from notcher.formats.errors import FileFormatError
from notcher.formats.film.look import RATES, Film
from notcher.formats.limits import whole
from notcher.formats.practice import FASTEST, FORMATS, MOST_ROUNDS, SLOWEST, Wanted
from notcher.formats.strip import LARGEST_NUMBERS, NARROWEST, SMALLEST_NUMBERS, USUAL_NUMBERS, WIDEST, Each, Strips
from notcher.wording import later, tr

HEARD_WORDS = {
    "recording": later("the recording"), "lead": later("the lead alone"), "rest": later("all but the lead"),
    "backing": later("the band over the chords"), "written": later("the written tab"),
}  # fmt: skip
"""What is heard, as it is offered."""
_EACH = {
    Each.LINE: later("One picture for each line"), Each.PHRASE: later("One picture of all lines"),
    Each.BAR: later("One picture for each bar"), Each.CARD: later("A card for each section"),
}  # fmt: skip
_PICTURES = ((1280, 720), (1920, 1080), (1080, 1920), (640, 360))


class SoundPanel(QScrollArea):
    """What is wanted of each; the room says what comes of the buttons."""

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setHorizontalSpacing(36)
        grid.setVerticalSpacing(20)
        grid.addWidget(self._sounds(), 0, 0)
        grid.addWidget(self._strips(), 0, 1)
        grid.addWidget(self._film(), 1, 0, 1, 2)
        grid.setRowStretch(2, 1)
        grid.setColumnStretch(1, 1)
        self.setWidget(inside)

    def _sounds(self) -> QWidget:
        box, form = _group(tr("Sounds to practise with"))
        self.hear = choice(tr("What is heard in the sounds"), [(tr(words), key) for key, words in HEARD_WORDS.items()])
        self.paces = Field("50, 75, 100")
        self.paces.setAccessibleName(tr("Paces of the sounds, in percent"))
        self.rounds = number(tr("Rounds"), 1, MOST_ROUNDS, 4)
        self.counted = tick(tr("counted in"), on=True)
        self.click = tick(tr("with a click"))
        self.in_tune = tick(tr("at A = 440"))
        self.shift = number(
            tr("Half steps that the sounds are moved by"), -MOST_SHIFT, MOST_SHIFT, 0, unit=tr("half steps")
        )
        self.format = choice(tr("Kind of sound file"), [(name.upper(), name) for name in FORMATS])
        form.addRow(tr("Hear"), self.hear)
        form.addRow(tr("Paces, %"), self.paces)
        form.addRow(tr("Rounds"), self.rounds)
        form.addRow("", _beside(self.counted, self.click, self.in_tune))
        form.addRow(tr("Moved by"), self.shift)
        form.addRow(tr("As"), self.format)
        self.write_sounds = button(tr("Write the sounds …"), lambda: None, tip=tr("a file for each phrase and pace"))
        form.addRow("", self.write_sounds)
        return box

    def _strips(self) -> QWidget:
        box, form = _group(tr("Strips, to lay over a video"))
        self.each = choice(tr("What a picture holds"), [(tr(words), each) for each, words in _EACH.items()])
        self.width_of = number(tr("Width of the pictures"), NARROWEST, WIDEST, 1920, step=10, unit="px")
        self.numbers = number(
            tr("Height of the figures"), SMALLEST_NUMBERS, LARGEST_NUMBERS, USUAL_NUMBERS, step=2, unit="px"
        )
        self.numbers.setToolTip(
            tr("{pixels} px is as large as fits beside a video; another height is kept", pixels=USUAL_NUMBERS)
        )
        self.dark_strip = tick(tr("light ink, for a dark picture"))
        self.staff = tick(tr("with a staff"))
        self.neck = tick(tr("with the neck"))
        self.chords = tick(tr("with the names of chords"), on=True)
        form.addRow(tr("Make"), self.each)
        form.addRow(tr("Width"), self.width_of)
        form.addRow(tr("Figures"), self.numbers)
        form.addRow("", self.dark_strip)
        form.addRow("", _beside(self.staff, self.neck))
        form.addRow("", self.chords)
        self.write_strips = button(
            tr("Write the strips …"), lambda: None, tip=tr("PNG with a transparent ground, or SVG")
        )
        form.addRow("", self.write_strips)
        return box

    def _film(self) -> QWidget:
        box, form = _group(tr("A film of the tab"))
        self.pace = number(tr("Pace of the film"), SLOWEST, FASTEST, 50, step=5, unit="%")
        self.film_hear = choice(
            tr("What is heard in the film"), [(tr(words), key) for key, words in HEARD_WORDS.items()]
        )
        self.picture = choice(tr("Size of the film"), [(f"{w} × {h}", (w, h)) for w, h in _PICTURES])
        self.rate = choice(tr("Frames a second"), [(str(r), r) for r in RATES])
        self.rate.setCurrentIndex(RATES.index(30))
        self.film_counted = tick(tr("counted in"), on=True)
        self.film_click = tick(tr("with a click"), on=True)
        self.film_staff = tick(tr("with a staff"))
        self.dark_film = tick(tr("dark"))
        self.layer = tick(tr("transparent, for editing"))
        form.addRow(tr("Pace"), self.pace)
        form.addRow(tr("Hear"), self.film_hear)
        form.addRow(tr("Size"), _beside(self.picture, self.rate, quiet_label(tr("frames a second"))))
        form.addRow("", _beside(self.film_counted, self.film_click, self.film_staff, self.dark_film, self.layer))
        self.length = QLabel()
        form.addRow("", self.length)
        self.write_film = button(tr("Write the film …"), lambda: None, tip=tr("WebM, MP4 or MOV"))
        form.addRow("", self.write_film)
        return box

    def wanted(self) -> Wanted:
        """The sounds that are wanted. Raises FileFormatError for paces that are none."""
        try:
            paces = tuple(whole(part.strip().removesuffix("%").strip()) for part in self.paces.text().split(","))
        except ValueError as error:
            raise FileFormatError(
                "'{text}' are no paces; write whole percents with commas, such as 50, 75, 100", text=self.paces.text()
            ) from error
        return Wanted(
            paces, self.hear.currentData(), self.rounds.value(), self.counted.isChecked(), self.click.isChecked(),
            self.in_tune.isChecked(), self.shift.value(), self.format.currentData(),
        )  # fmt: skip

    def strips(self, *, left_handed: bool) -> Strips:
        """The strips that are wanted. Raises FileFormatError for figures that do not fit."""
        return Strips(
            width=self.width_of.value(), dark=self.dark_strip.isChecked(),
            numbers=None if self.numbers.value() == USUAL_NUMBERS else self.numbers.value(),
            staff=self.staff.isChecked(), neck=self.neck.isChecked(), left_handed=left_handed,
            chords=self.chords.isChecked(), each=self.each.currentData(),
        )  # fmt: skip

    def film(self, *, dialect: int) -> Film:
        """The film that is wanted."""
        width, height = self.picture.currentData()
        return Film(
            pace=self.pace.value(), hear=self.film_hear.currentData(), width=width, height=height,
            rate=self.rate.currentData(), counted=self.film_counted.isChecked(), click=self.film_click.isChecked(),
            staff=self.film_staff.isChecked(), dark=self.dark_film.isChecked(), layer=self.layer.isChecked(),
            dialect=dialect,
        )  # fmt: skip


def _group(name: str) -> tuple[QWidget, QFormLayout]:
    box = QWidget()
    form = QFormLayout(box)
    form.setContentsMargins(0, 0, 0, 0)
    head = QLabel(name)
    head.setProperty("head", True)
    form.addRow(head)
    form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.FieldsStayAtSizeHint)
    form.setHorizontalSpacing(18)
    return box, form


def _beside(*parts: QWidget) -> QWidget:
    made = QWidget()
    row = QHBoxLayout(made)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(14)
    for part in parts:
        row.addWidget(part)
    row.addStretch(1)
    return made
