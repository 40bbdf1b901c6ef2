"""The whole window in the language of tests: no English word is left, nothing is cut off, and all of it is in the
template of the catalogues."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6 import sip
from PyQt6.QtCore import QLocale, QRect, QRectF, Qt
from PyQt6.QtGui import QAction, QPainter
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QMenu,
    QStyle,
    QStyleOptionComboBox,
    QWidget,
)
from pytestqt.qtbot import QtBot
from tools.catalogue import template

from notcher.app.rooms.ids import NOTCH, SOURCE, TEACH
from notcher.app.rooms.source.room import STEPS
from notcher.app.rooms.table import ROOMS
from notcher.app.shell.language import speak
from notcher.app.state.settings import Settings
from notcher.app.widgets.theme import load_fonts
from notcher.demo_copy import demo_project
from notcher.wording import catalogue, use
from notcher.wording.catalogue import Language
from notcher.wording.pseudo import PSEUDO
from tests.app.conftest import Driver, shown_window
from tests.pseudo import names_of, untranslated

SCREEN = 800
_ROUNDS = 20
PANELS = {"note.why": "evidence", "note.say": "say", "note.find": "find_notes"}


@pytest.fixture
def asked() -> set[str]:
    """Every pattern and term that was looked up."""
    return set()


@pytest.fixture
def pseudo(qtbot: QtBot, own_folders: None, asked: set[str]) -> Iterator[Driver]:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    app.setStyle("Fusion")
    load_fonts()
    was = QLocale()
    held = speak(app, Settings(language=PSEUDO))
    spoken = catalogue.language()

    def one(text: str) -> str:
        asked.add(text)
        return spoken.one(text)

    def many(single: str, plural: str, n: int) -> str:
        asked.add(single)
        return spoken.many(single, plural, n)

    def term(context: str, text: str) -> str:
        asked.add(text)
        return spoken.term(context, text)

    catalogue._current = Language(spoken.code, spoken.locale, one, many, term, spoken.decimal)
    with shown_window(qtbot) as driver:
        yield driver
    if held is not None:
        app.removeTranslator(held)
    QLocale.setDefault(was)
    use("en")


class Seen:
    """What is written anywhere in the window, and what does not fit where it stands."""

    def __init__(self, driver: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
        self.driver = driver
        self.english: set[str] = set()
        self.cut: set[str] = set()
        self._painted: list[str] = []
        self._where = ""
        original = QPainter.drawText

        def draw(painter: QPainter, *args: object) -> object:
            self._take_painted(painter, args)
            return original(painter, *args)  # type: ignore[call-overload]

        monkeypatch.setattr(QPainter, "drawText", draw)

    def _take_painted(self, painter: QPainter, args: tuple[object, ...]) -> None:
        text = args[-1]
        if not isinstance(text, str):
            return
        self._painted.append(text)
        box = args[0]
        if isinstance(box, QRectF | QRect) and not text.endswith("…"):
            flags = args[1]
            wraps = isinstance(flags, Qt.TextFlag | Qt.AlignmentFlag | int) and bool(
                int(getattr(flags, "value", flags)) & Qt.TextFlag.TextWordWrap.value
            )
            if not wraps and painter.fontMetrics().horizontalAdvance(text) > box.width() + 1:
                self.cut.add(f"{self._where}: painted '{text}'")

    def look(self, where: str) -> None:
        """Take up all that is shown now."""
        window = self.driver.window
        # Heights that follow from widths settle in a second round.
        QApplication.processEvents()
        QApplication.processEvents()
        self._where, self._painted = where, []
        window.grab()
        project = self.driver.project if self.driver.desk.session.is_open else None
        names = [*(names_of(project) if project else []), "Notcher", str(self.driver.desk.session.path)]
        path = self.driver.desk.session.path
        # The longest first, as shorter ones are part of it.
        names = [str(path.parent), *names, path.name, path.parent.name] if path else names
        texts = [*self._painted, *self._written()]
        # What is drawn shortened is the beginning of a name.
        self.english |= {
            f"{where}: {t}" for t in texts
            if untranslated(t, names) and not (t.endswith("…") and any(n.startswith(t[:-1].rstrip()) for n in names))
        }  # fmt: skip
        for w in window.findChildren(QWidget):
            # A label whose text has just come gets its height a moment later.
            for _ in range(_ROUNDS):
                # Pages that were drawn meanwhile take the place of others.
                if sip.isdeleted(w) or not w.isVisible() or self._fits(w):
                    break
                self.driver.bot.wait(20)
            if not sip.isdeleted(w) and w.isVisible() and not self._fits(w):
                text = w.currentText() if isinstance(w, QComboBox) else getattr(w, "text", str)()
                self.cut.add(f"{where}: {type(w).__name__} '{text}' in {w.width()} by {w.height()}")
        if window.minimumSizeHint().height() > SCREEN:
            self.cut.add(f"{where}: the window needs {window.minimumSizeHint().height()} pixels in height")

    def _written(self) -> Iterator[str]:
        window = self.driver.window
        for action in window.findChildren(QAction):
            yield action.text()
        for menu in window.findChildren(QMenu):
            yield menu.title()
        for w in window.findChildren(QWidget):
            if not w.isVisible():
                continue
            yield from (w.toolTip(), w.accessibleName(), w.accessibleDescription())
            for said in ("text", "placeholderText", "suffix", "prefix", "specialValueText"):
                if callable(getattr(w, said, None)):
                    yield str(getattr(w, said)() or "")
            if isinstance(w, QComboBox):
                yield from (w.itemText(k) for k in range(w.count()))
            if isinstance(w, QListWidget):
                yield from (item.text() for k in range(w.count()) if (item := w.item(k)) is not None)

    @staticmethod
    def _fits(w: QWidget) -> bool:
        metrics = w.fontMetrics()
        if isinstance(w, QLabel) and w.text():
            if w.wordWrap():
                return w.heightForWidth(w.width()) <= w.height() + 2
            return w.sizeHint().width() <= w.width() + 1
        if isinstance(w, QAbstractButton) and w.text():
            return max(metrics.horizontalAdvance(line) for line in w.text().split("\n")) + 4 <= w.width()
        if isinstance(w, QComboBox) and not w.isEditable():
            option = QStyleOptionComboBox()
            w.initStyleOption(option)
            style = w.style()
            assert style is not None
            field = style.subControlRect(
                QStyle.ComplexControl.CC_ComboBox, option, QStyle.SubControl.SC_ComboBoxEditField, w
            )
            return metrics.horizontalAdvance(w.currentText()) <= field.width()
        if isinstance(w, QLineEdit) and w.placeholderText() and not w.text():
            return metrics.horizontalAdvance(w.placeholderText()) <= w.width() - 12
        return True


def _all_of_teach(pseudo: Driver, seen: Seen) -> None:
    """The lesson, a take of the simulated player, the cue line; advice; pedals."""
    answers = pseudo.teach.answers()
    for acts in (("lesson-make", "teach-takes"), ("teach-words",), ("teach-pedals",)):
        for act in acts:
            answers[act]()
        pseudo.settle()
        seen.look(" ".join(acts))
    answers["teach-pedals"]()
    answers["teach-cue"]()
    pseudo.teach.take_bar.short.setValue(40)
    pseudo.desk.transport.set_pace(100)
    pseudo.teach.record()
    pseudo.bot.waitUntil(lambda: bool(pseudo.teach.take.words), timeout=60000)
    seen.look("a judged take")
    for act in ("teach-lesson", "teach-takes", "teach-cue"):
        answers[act]()


def test_the_whole_window_in_another_language(pseudo: Driver, asked: set[str], monkeypatch: pytest.MonkeyPatch) -> None:
    seen = Seen(pseudo, monkeypatch)
    seen.look("nothing open")
    pseudo.open(demo_project())
    for room in ROOMS:
        pseudo.desk.show_room(room.id)
        pseudo.settle()
        seen.look(room.id)
        if room.id == SOURCE:
            for k, step in enumerate(STEPS):
                pseudo.source.show_step(k)
                pseudo.settle()
                seen.look(f"{room.id}, {step}")
        if room.id == TEACH:
            _all_of_teach(pseudo, seen)
        if room.id == NOTCH:
            _every_kind_of_note(pseudo, seen)
            for command, name in PANELS.items():
                pseudo.window._run(command)
                pseudo.settle()
                seen.look(command)
                getattr(pseudo.notch, name).hide()
    for room in ROOMS:
        pseudo.desk.show_room(room.id)
        pseudo.window._show_keys()
        seen.look(f"keys in {room.id}")
        assert pseudo.window._keys is not None
        pseudo.window._keys.hide()
    assert not seen.english, "\n".join(sorted(seen.english))
    assert not seen.cut, "\n".join(sorted(seen.cut))
    known = {m.id if isinstance(m.id, str) else m.id[0] for m in template()}
    missing = {text for text in asked if text and text not in known}
    assert not missing, missing


def _every_kind_of_note(pseudo: Driver, seen: Seen) -> None:
    """Each note of the demo that is like none before; then several at once."""
    kinds = set()
    for n in pseudo.project.notes:
        kind = (n.attack, n.bend and n.bend.kind, n.vibrato is not None, n.marks, n.doubt is None, n.confirmed)
        if kind in kinds:
            continue
        kinds.add(kind)
        pseudo.desk.axis.reveal_range(n.onset, n.end)
        pseudo.select(n.id)
        seen.look(f"note {n.id}")
    assert len(kinds) > 12
    pseudo.select(*(n.id for n in pseudo.project.notes[:6]))
    seen.look("six notes")


def test_what_is_said_while_working_is_said_in_the_language(pseudo: Driver, saved: Path) -> None:
    """Edits that do not apply, commands with nothing to do, typing what cannot be read."""
    said: list[str] = []
    pseudo.desk.said.connect(said.append)
    for command in list(pseudo.window._commands.values()):
        if command.group not in ("File", "View"):
            pseudo.window._run(command.id)
    pseudo.open(saved)
    for name in ("note.join", "note.thinner", "phrase.join", "version.remove", "beat.half"):
        if name in pseudo.window._commands:
            pseudo.window._run(name)
    pseudo.select("n8")
    pseudo.window._run("note.fret-up")
    pseudo.desk.session.edit("x", lambda p: p.with_notes([]))
    for command in list(pseudo.window._commands.values()):
        if command.group in ("Notes", "Phrases", "Technique") and command.id not in ("note.say", "note.find"):
            pseudo.desk.show_room(NOTCH)
            pseudo.window._run(command.id)
            pseudo.settle()
    assert len(said) > 20
    wrong = sorted({text for text in said if untranslated(text, names_of(pseudo.project))})
    assert not wrong, "\n".join(wrong)


def test_the_language_is_chosen_in_the_view_menu(driver: Driver) -> None:
    menu = driver.window.language_menu
    driver.window._fill_languages()
    names = [a.text() for a in menu.actions()]
    assert names[:2] == ["As the system has it", "English"]
    assert [a.isChecked() for a in menu.actions()][:2] == [True, False]
    menu.actions()[1].trigger()
    assert Settings.load().language == "en"
    assert "next start" in driver.message
    driver.window._fill_languages()
    assert menu.actions()[1].isChecked()


@pytest.mark.parametrize(("chosen", "system", "spoken"), [("pseudo", "en", "pseudo"), ("", "pseudo", "pseudo"),
                                                          ("en", "pseudo", "en"), ("", "C", "en")])  # fmt: skip
def test_the_choice_goes_before_the_system(
    qapp: QApplication, monkeypatch: pytest.MonkeyPatch, chosen: str, system: str, spoken: str
) -> None:
    monkeypatch.setenv("LANGUAGE", system)
    was = QLocale()
    held = speak(qapp, Settings(language=chosen))
    try:
        assert catalogue.language().code == spoken
    finally:
        if held is not None:
            qapp.removeTranslator(held)
        QLocale.setDefault(was)
        use("en")
