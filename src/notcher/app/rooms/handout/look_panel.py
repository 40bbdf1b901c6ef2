"""How the pages look: staff, rhythm, paper, size, and what their head says."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from notcher.app.rooms.handout.choices import choice, take, tick
from notcher.app.state.settings import Settings
from notcher.app.widgets.forms import Field, quiet_label
from notcher.formats.printing import OPTIONS, look_of
from notcher.formats.sheet.look import RHYTHM_WORDS, Look, Rhythm
from notcher.teach.layers import ORDER
from notcher.wording import tr
from notcher.wording.lesson import layer_words

_SIZES = (70, 80, 90, 100, 115, 130, 160)


class LookPanel(QWidget):
    """What is chosen here stays for the next time. changed: the pages are to be drawn anew."""

    changed = pyqtSignal()

    def __init__(self, settings: Settings) -> None:
        super().__init__()
        self._settings = settings
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(quiet_label(tr("The page")))
        self.staff = tick(label("staff"), changed=self._touch)
        self.hands = tick(
            label("hands"),
            tip=tr("what you said of them is always written"),
            changed=self._touch,
        )
        self.neck = tick(label("neck"), changed=self._touch)
        self.run_on = tick(label("run_on"), tip=tr("else each begins a line"), changed=self._touch)
        for box in (self.staff, self.hands, self.neck, self.run_on):
            column.addWidget(box)
        rows = [(tr("rhythm as suits"), None), *((tr(RHYTHM_WORDS[r]), r) for r in RHYTHM_WORDS)]
        self.rhythm = choice(label("rhythm"), rows, self._touch)
        column.addWidget(self.rhythm)
        layers = [(layer_words(layer), layer) for layer in reversed(ORDER)]
        self.layer = choice(label("layer"), layers, self.changed.emit)
        column.addWidget(self.layer)
        row = QHBoxLayout()
        self.paper = choice(label("paper"), [("A4", "a4"), (tr("Letter"), "letter")], self._touch)
        sizes = [(tr("{percent:g} %", percent=p), p) for p in _SIZES]
        self.size_of_all = choice(label("size"), sizes, self._touch)
        row.addWidget(self.paper)
        row.addWidget(self.size_of_all)
        column.addLayout(row)
        self.series = Field()
        self.series.setPlaceholderText(tr("such as 'Lesson 3 of 8'"))
        self.series.setAccessibleName(label("series"))
        self.series.editingFinished.connect(self._touch)
        column.addWidget(self.series)
        self._as_left()

    def _as_left(self) -> None:
        kept = self._settings.page
        self.staff.setChecked(kept.get("staff") == "yes")
        self.run_on.setChecked(kept.get("run_on") == "yes")
        take(self.rhythm, Rhythm(kept["rhythm"]) if kept.get("rhythm") in list(Rhythm) else None)
        take(self.paper, kept.get("paper", "a4"))
        take(self.size_of_all, int(kept["size"]) if kept.get("size", "").isdecimal() else 100)

    def _touch(self) -> None:
        # A neck stands over the line that a phrase begins.
        self.neck.setEnabled(not self.run_on.isChecked())
        rhythm = self.rhythm.currentData()
        self._settings.page = {
            "staff": "yes" if self.staff.isChecked() else "", "run_on": "yes" if self.run_on.isChecked() else "",
            "rhythm": str(rhythm or ""), "paper": str(self.paper.currentData()),
            "size": str(self.size_of_all.currentData()),
        }  # fmt: skip
        self._settings.save()
        self.changed.emit()

    def look(self) -> Look:
        """How the pages are to look."""
        run_on = self.run_on.isChecked()
        return look_of({
            "rhythm": self.rhythm.currentData(), "paper": self.paper.currentData(), "run_on": run_on,
            "size": self.size_of_all.currentData(), "staff": self.staff.isChecked(),
            "neck": self.neck.isChecked() and not run_on, "left_handed": self._settings.left_handed,
        })  # fmt: skip


def label(name: str) -> str:
    """What an option is called in the window."""
    return tr(OPTIONS[name].label)
