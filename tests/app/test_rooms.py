"""Teach, Hand out and Source, the look of them, and what large type does."""

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QSlider,
    QStyle,
    QStyleOptionComboBox,
    QWidget,
)
from pytestqt.qtbot import QtBot

from notcher.app.rooms.ids import NOTCH, SOURCE
from notcher.app.rooms.room import Around, Room, RoomView
from notcher.app.rooms.source.room import STEPS
from notcher.app.rooms.table import ROOMS
from notcher.app.shell.window import Window
from notcher.app.state.settings import Settings
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import DARK, LIGHT, Theme, contrast, font
from notcher.formats.export import BY_NAME
from notcher.score import edits
from notcher.score.chord import Chord
from notcher.score.chords import set_chords
from notcher.score.note import Attack
from notcher.score.spelling import Tone
from notcher.score.tuning import NAMED
from notcher.teach.lesson import FIRST_PACE
from tests.app.conftest import Driver
from tests.conftest import ROOT

Key = Qt.Key
CTRL = Qt.KeyboardModifier.ControlModifier


# -- Teach ---------------------------------------------------------------------------------------------------------


def test_a_phrase_is_taught_slow_then_faster_then_joined(opened: Driver) -> None:
    teach, transport = opened.teach, opened.desk.transport
    opened.key((Key.Key_4, CTRL))
    assert transport.loop == (0.9, 3.5)
    assert transport.pace == FIRST_PACE
    assert teach.name.text() == "First"
    opened.key("=")
    assert teach.pace.text() == "60 %, 72 bpm"
    opened.key(Key.Key_PageDown)
    assert transport.loop == (3.5, 7.0)
    assert transport.pace == FIRST_PACE, "the next phrase starts slow"
    assert "phrase 2 of 2" in teach.count.text()
    opened.key(Key.Key_Home)
    assert transport.loop == (0.9, 7.0)
    assert teach.name.text() == "First to Second"
    opened.key(Key.Key_PageDown)
    assert "last phrase" in opened.message
    opened.key(Key.Key_PageUp)
    assert transport.loop == (0.9, 3.5)


def test_the_tab_is_large_enough_for_two_metres(opened: Driver) -> None:
    """Letters read at two metres want about 10 mm of height (a 200th of the distance; common practice, no source):
    at 96 dots an inch that is 38 pixels of digit with its tag; a phrase of a few notes must reach it."""
    opened.key((Key.Key_4, CTRL))
    assert opened.teach.tab._tag >= 38
    rows = opened.teach.tab._rows
    assert [n.id for r in rows for n in r.notes] == ["n1", "n2", "n3", "n4"]


def test_a_dense_stretch_still_fits(driver: Driver) -> None:
    from notcher.demo_copy import demo_project

    driver.open(demo_project())
    driver.key((Key.Key_4, CTRL))
    phrases = driver.project.phrases
    driver.desk.loop_phrase(phrases[-1], joined=True)
    tab = driver.teach.tab
    assert sum(len(r.notes) for r in tab._rows) == len(driver.project.notes_between(phrases[0].start, phrases[-1].end))
    QApplication.processEvents()
    assert not tab.grab().isNull()


# -- Hand out ------------------------------------------------------------------------------------------------------


def test_the_pages_are_shown_and_every_file_is_written(opened: Driver, tmp_path: Path) -> None:
    handout = opened.handout
    opened.key((Key.Key_5, CTRL))
    opened.bot.waitUntil(lambda: handout.page_count == 1, timeout=20000)
    assert not handout.buttons["backing"].isEnabled()
    chord = Chord(Tone.named("A"))
    opened.desk.session.edit("Chords", lambda p: set_chords(p, [(0.0, chord)], until=8.0), linked=False)
    opened.bot.waitUntil(handout.buttons["backing"].isEnabled, timeout=5000)
    for name, made in handout.buttons.items():
        goal = tmp_path / f"out-{name}"
        opened.window.tasks.ask.save_file = lambda *_, goal=goal: goal
        opened.bot.mouseClick(made, Qt.MouseButton.LeftButton)
        opened.settle()
        written = goal.with_suffix(BY_NAME[name].endings[0])
        assert written.stat().st_size > 30, name
        assert str(written) in opened.message


def test_one_phrase_can_be_handed_out(opened: Driver, tmp_path: Path) -> None:
    handout = opened.handout
    opened.key((Key.Key_5, CTRL))
    handout.what.setCurrentIndex(handout.what.findData("p2"))
    suggested = []
    opened.window.tasks.ask.save_file = lambda t, s, k: suggested.append(s) or tmp_path / "o.json"
    opened.bot.mouseClick(handout.buttons["notes"], Qt.MouseButton.LeftButton)
    opened.settle()
    assert suggested[0].endswith("low-tide-second.json")
    assert '"n5"' in (tmp_path / "o.json").read_text()
    assert '"n1"' not in (tmp_path / "o.json").read_text()


def test_a_place_that_cannot_be_written_is_said(opened: Driver, tmp_path: Path) -> None:
    opened.key((Key.Key_5, CTRL))
    opened.window.tasks.ask.save_file = lambda *_: tmp_path / "no" / "where.pdf"
    opened.bot.mouseClick(opened.handout.buttons["pdf"], Qt.MouseButton.LeftButton)
    opened.settle()
    assert "there is no folder" in opened.message.lower()


@pytest.mark.parametrize("name", ["p.notcher", "solo.wav", "elsewhere.notcher", "out.mid"])
def test_a_page_never_takes_the_place_of_somebodys_work(opened: Driver, saved: Path, name: str) -> None:
    goal = saved.with_name(name)
    if name == "elsewhere.notcher":
        goal.write_text("somebody's")
    before = goal.read_bytes() if goal.exists() else None
    opened.window.tasks.ask.save_file = lambda *_: goal
    opened.key((Key.Key_5, CTRL))
    opened.bot.mouseClick(opened.handout.buttons["pdf"], Qt.MouseButton.LeftButton)
    opened.settle()
    assert "choose another" in opened.message
    assert (goal.read_bytes() if goal.exists() else None) == before


# -- Source --------------------------------------------------------------------------------------------------------


def test_the_request_and_the_tuning_are_edits(opened: Driver) -> None:
    source = opened.source
    opened.key((Key.Key_1, CTRL))
    assert "8.0 long, stereo, 44.1 kHz" in source.request.facts.text()
    source.request.fields["title"].setText("High Tide")
    source.request.fields["title"].editingFinished.emit()
    assert opened.project.request.title == "High Tide"
    sounding = [n.pitch(opened.project.tuning) for n in opened.project.notes]
    source.tuning.tuning.textActivated.emit("half-step-down")
    assert opened.project.tuning == NAMED["half-step-down"]
    assert [n.pitch(opened.project.tuning) for n in opened.project.notes] == sounding
    source.tuning.tuning.textActivated.emit("banjo")
    assert "no tuning" in opened.message
    opened.key((Key.Key_Z, CTRL), (Key.Key_Z, CTRL))
    assert opened.project.request.title == "Low Tide"


def test_with_nothing_open_it_says_how_to_begin(driver: Driver) -> None:
    assert "WAV, FLAC, OGG or MP3" in driver.source.request.facts.text()
    driver.key(Key.Key_Space)
    assert "open a recording or a project first" in driver.message.lower()
    driver.bot.mouseClick(driver.source.request.demo_button, Qt.MouseButton.LeftButton)
    driver.settle()
    assert driver.project.request.title == "Slack Water"


# -- looks ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=lambda t: t.name)
def test_contrast_reaches_wcag_aa(theme: Theme) -> None:
    """4.5 for text (WCAG 2.2, 1.4.3), 3 for what is drawn and must be told apart (1.4.11)."""
    for text in (theme.ink, theme.quiet):
        for ground in (theme.ground, theme.panel, theme.loop):
            assert contrast(text, ground) >= 4.5, (text, ground)
    assert contrast(theme.on_sure, theme.sure) >= 4.5
    assert contrast(theme.on_doubt, theme.doubt) >= 4.5
    for drawn in (theme.sure, theme.doubt, theme.pick, theme.head, theme.faint, theme.wave):
        for ground in (theme.ground, theme.panel):
            assert contrast(drawn, ground) >= 3, (drawn, ground)


def test_the_contrast_formula_against_its_published_ends() -> None:
    """Black on white is 21 to 1, and #767676 on white 4.54 (WCAG 2.2, understanding 1.4.3; from memory)."""
    assert contrast("#000000", "#ffffff") == pytest.approx(21)
    assert contrast("#767676", "#ffffff") == pytest.approx(4.54, abs=0.01)


def test_dark_and_light_and_larger_by_key(opened: Driver) -> None:
    opened.key((Key.Key_L, CTRL))
    assert opened.window.settings.theme == "dark"
    opened.key((Key.Key_Equal, CTRL), (Key.Key_Equal, CTRL))
    assert opened.window.settings.scale == 130
    opened.key((Key.Key_Minus, CTRL))
    assert opened.window.settings.scale == 115


@pytest.mark.parametrize("scale", [100, 150, 200])
def test_the_window_fits_a_screen_of_1280(opened: Driver, scale: int) -> None:
    opened.window.settings.scale = scale
    opened.window._apply_looks()
    for room in ROOMS:
        opened.desk.show_room(room.id)
        QApplication.processEvents()
        assert opened.window.minimumSizeHint().width() <= 1280, room.id
    opened.window.settings.scale = 100
    opened.window._apply_looks()


@pytest.mark.parametrize("scale", [100, 150, 200])
@pytest.mark.parametrize("panel", ["", "note.why", "note.say", "note.find", "all"])
def test_a_frets_number_stays_readable_whatever_is_open(opened: Driver, panel: str, scale: int) -> None:
    """Digits of 11 pixels and more, at 1280x800 and any size of type; the wave goes first."""
    opened.window.settings.scale = scale
    opened.window._apply_looks()
    opened.window.resize(1280, 800)
    opened.select("n3")
    for command in ("note.why", "note.say", "note.find") if panel == "all" else (panel,) if panel else ():
        opened.window._run(command)
    QApplication.processEvents()
    strand = opened.notch.strand
    for span in (4.0, 20.0):
        opened.desk.axis.show_range(0.0, span)
        frame = strand._frame()
        digits = QFontMetricsF(font(frame.points, bold=True)).tightBoundingRect("8").height()
        assert digits >= 10.5, (panel, scale, span, strand.height())
        assert frame.lanes[-1] < strand.height()
    opened.desk.transport.pause()


@pytest.mark.parametrize("scale", [100, 130, 200])
def test_every_kind_of_bend_can_be_read_in_its_box(opened: Driver, scale: int) -> None:
    opened.window.settings.scale = scale
    opened.window._apply_looks()
    opened.select("n3")
    QApplication.processEvents()
    box = opened.notch.inspector.bend
    option = QStyleOptionComboBox()
    box.initStyleOption(option)
    style = box.style()
    assert style is not None
    room = style.subControlRect(
        QStyle.ComplexControl.CC_ComboBox, option, QStyle.SubControl.SC_ComboBoxEditField, box
    ).width()
    for k in range(box.count()):
        assert box.fontMetrics().horizontalAdvance(box.itemText(k)) <= room, box.itemText(k)


def test_a_menu_left_by_escape_is_not_highlighted(opened: Driver) -> None:
    bar = opened.window.menuBar()
    assert bar is not None
    first = bar.actions()[0]
    bar.setActiveAction(first)
    menu = first.menu()
    assert menu is not None
    opened.bot.waitUntil(menu.isVisible, timeout=2000)
    opened.bot.keyClick(menu, Qt.Key.Key_Escape)
    opened.bot.waitUntil(lambda: bar.activeAction() is None, timeout=2000)


CONTROLS = (QAbstractButton, QComboBox, QAbstractSpinBox, QLineEdit, QSlider, QAbstractItemView)


def _views(opened: Driver) -> Iterator[str]:
    """Every room, every step of Source, every panel under the strands; each shown when its name comes."""
    opened.select("n3")
    for room in ROOMS:
        opened.desk.show_room(room.id)
        QApplication.processEvents()
        yield room.id
        if room.id == SOURCE:
            for k, step in enumerate(STEPS):
                opened.source.show_step(k)
                QApplication.processEvents()
                yield f"{room.id}, {step}"
        if room.id == NOTCH:
            for command in ("note.why", "note.say", "note.find"):
                opened.window._run(command)
                QApplication.processEvents()
                yield f"{room.id}, {command}"


def _controls(opened: Driver) -> list[QWidget]:
    """All that can be used now; not the parts a control is made of, nor the scroll bars' inner boxes."""
    seen = [w for w in opened.window.findChildren(QWidget) if isinstance(w, CONTROLS) and w.isVisible()]
    return [
        w for w in seen
        if not (isinstance(w, QLineEdit | QAbstractItemView) and isinstance(w.parent(), QAbstractSpinBox | QComboBox))
        and not w.objectName().startswith("qt_")
    ]  # fmt: skip


def test_every_control_is_reachable_by_keyboard_named_and_large_enough(opened: Driver) -> None:
    """A pointer's target is 24 by 24 pixels or more (WCAG 2.2, 2.5.8); every control says what it is (4.1.2)."""
    wrong: set[str] = set()
    count = 0
    for where in _views(opened):
        for w in _controls(opened):
            count += 1
            name = w.accessibleName() or (w.text() if isinstance(w, QAbstractButton) else "")
            what = f"{where}: {type(w).__name__} '{name}'"
            if not name:
                wrong.add(f"{what} under {[type(p).__name__ for p in _above(w)]} has no name")
            if w.height() < 24 or w.width() < 24:
                wrong.add(f"{what} is {w.width()} by {w.height()}")
            if isinstance(w, QAbstractButton) and w.isEnabled() and not w.focusPolicy() & Qt.FocusPolicy.TabFocus:
                wrong.add(f"{what} is not reached by Tab")
    assert count > 150
    assert not wrong, "\n".join(sorted(wrong))


def _above(w: QWidget) -> Iterator[QWidget]:
    while (parent := w.parentWidget()) is not None:
        yield parent
        w = parent


def test_what_is_painted_is_said_in_words(opened: Driver) -> None:
    """Every painted view has a name, and a description that follows what it shows."""
    seen: dict[str, str] = {}
    for _ in _views(opened):
        for view in opened.window.findChildren(PaintedView):
            if view.isVisible():
                assert view.accessibleName(), type(view)
                view.describe()
                seen[type(view).__name__] = view.accessibleDescription()
    assert set(seen) == {
        "BeatStrip", "ChordNames", "CloseUp", "HandLine", "LargeTab", "TimingDeviationLine", "NeckView", "Overview",
        "PlacePicture", "RecordingMap", "SpectrumPicture", "StrandView",
    }  # fmt: skip
    assert all(seen.values()), seen
    assert "bars" in seen["BeatStrip"]
    strand = opened.notch.strand
    opened.desk.show_room(NOTCH)
    opened.select("n1")
    before = strand.in_words()
    opened.select("n2")
    assert strand.in_words() != before
    opened.bot.waitUntil(lambda: strand.accessibleDescription() == strand.in_words(), timeout=3000)


def test_where_a_rake_begins_is_chosen_beside_it(opened: Driver) -> None:
    inspector = opened.notch.inspector
    opened.select("n3")
    assert not inspector._form.isRowVisible(inspector.raked_from)
    opened.desk.session.edit("Reached", lambda p: edits.set_attack(p, {"n3"}, attack=Attack.RAKE))
    assert inspector._form.isRowVisible(inspector.raked_from)
    own = opened.project.note("n3").string
    assert inspector.raked_from.findData(own) < 0
    choose(inspector.raked_from, 5 if own != 5 else 6)
    assert opened.project.note("n3").raked_from == (5 if own != 5 else 6)
    choose(inspector.raked_from, None)
    assert opened.project.note("n3").raked_from is None


def test_how_much_of_its_value_a_note_sounds_is_chosen_beside_it(opened: Driver) -> None:
    inspector = opened.notch.inspector
    opened.select("n3", "n4")
    choose(inspector.sounding, 50)
    assert [opened.project.note(i).sounding for i in ("n3", "n4")] == [0.5, 0.5]
    opened.key((Key.Key_Z, CTRL))
    assert opened.project.note("n3").sounding is None
    assert inspector.sounding.currentData() is None


def choose(box: QComboBox, value: object) -> None:
    box.setCurrentIndex(box.findData(value))
    box.activated.emit(box.currentIndex())


def test_a_neck_shorter_than_what_is_written_is_refused_in_words(opened: Driver) -> None:
    panel = opened.source.tuning
    opened.desk.show_room(SOURCE)
    opened.source.show_step(STEPS.index("Tuning"))
    highest = max(n.fret for n in opened.project.notes)
    panel.frets.setValue(24)
    assert opened.project.tuning.frets == 24
    note = next(n for n in opened.project.notes if n.fret == highest)
    opened.desk.session.edit("Fret", lambda p: edits.set_place(p, note.id, string=1, fret=24))
    panel.frets.setValue(21)
    assert opened.project.tuning.frets == 24
    assert "E6" in opened.message
    assert "21 frets" in opened.message
    assert panel.frets.value() == 24, "the box shows what holds"


def test_the_pictures_in_the_readme_are_there() -> None:
    import re

    readme = (ROOT / "README.md").read_text()
    pictures = re.findall(r"\((docs/screenshots/[^)]+)\)", readme)
    assert len(pictures) >= 4
    assert all((ROOT / p).stat().st_size > 10_000 for p in pictures)
    assert len(list((ROOT / "docs/screenshots").iterdir())) < 20


# -- rooms as data -------------------------------------------------------------------------------------------------


class EmptyRoom(RoomView):
    """A room with nothing in it."""

    def __init__(self, around: Around) -> None:
        super().__init__()
        self.setAccessibleName("Nothing yet")
        self.desk = around.desk
        self.asked = 0

    def answers(self) -> dict[str, Callable[[], object]]:
        return {"nothing": self.ask}

    def ask(self) -> None:
        self.asked += 1


def test_another_room_is_one_row(qtbot: QtBot, own_folders: None) -> None:
    """Its button, its key, its place in the menu and on the sheet of keys, and what it answers come with the row."""
    window = Window(Settings(), rooms=(*ROOMS, Room("empty", "Nothing", "Ctrl+9", EmptyRoom, overview=False)))
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    qtbot.waitUntil(lambda: QApplication.activeWindow() is window and QApplication.focusWidget() is not None)
    view = window.views["empty"]
    assert isinstance(view, EmptyRoom)
    qtbot.keyClick(window, Key.Key_9, CTRL)
    assert window.desk.room == "empty"
    assert view.isVisible()
    assert not window.overview.isVisible()
    window.desk.asked.emit("nothing")
    assert view.asked == 1
    assert "Nothing room" in [a.text() for a in window.actions()]
    qtbot.keyClick(window, Key.Key_1, CTRL)
    assert not view.isVisible()
    window._leaving = True
    window.close()


def test_the_shell_knows_no_room_by_name() -> None:
    for path in (ROOT / "src/notcher/app/shell").glob("*.py"):
        text = path.read_text()
        named = [room.title for room in ROOMS if f'"{room.title}"' in text.replace("_MENUS", "")]
        assert "rooms.ids" not in text, path
        assert path.name in ("window.py", "keysheet.py") or named == [], path
