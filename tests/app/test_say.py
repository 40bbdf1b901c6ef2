"""The phrase as a line: opened, typed into, applied and left by real keys."""

from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import NOTCH
from notcher.score.note import BendKind
from tests.app.conftest import Driver


def open_line(driver: Driver) -> None:
    driver.desk.show_room(NOTCH)
    driver.desk.session.select(frozenset({"n1"}))
    driver.key("Y")


def type_over(driver: Driver, text: str) -> None:
    field = driver.notch.say.field
    field.selectAll()
    driver.bot.keyClicks(field, text)


def test_a_phrase_is_shown_said_otherwise_and_undone(opened: Driver) -> None:
    panel = opened.notch.say
    assert not panel.isVisible()
    before = opened.project
    open_line(opened)
    assert panel.isVisible()
    assert panel.name.text() == before.phrase_at(before.note("n1").onset).name  # type: ignore[union-attr]
    said = panel.field.text()
    opened.bot.keyClick(panel.field, Qt.Key.Key_Return)
    assert opened.project == before
    assert panel.note.text() == "the notes are as the line says"
    first, rest = said.split(",", 1)
    place = first.split()[0]
    type_over(opened, f"{place} bend half release,{rest}")
    opened.bot.keyClick(panel.field, Qt.Key.Key_Return)
    bend = opened.project.note("n1").bend
    assert bend is not None
    assert (bend.kind, bend.target_cents) == (BendKind.BEND_RELEASE, 100)
    assert [n.onset for n in opened.project.notes] == [n.onset for n in before.notes]
    opened.desk.session.undo()
    assert opened.project == before
    assert panel.field.text() == said
    opened.bot.keyClick(panel.field, Qt.Key.Key_Escape)
    assert not panel.isVisible()


def test_an_error_stands_under_its_word_and_changes_nothing(opened: Driver) -> None:
    before = opened.project
    open_line(opened)
    panel = opened.notch.say
    type_over(opened, "G9 bnd whole, 7")
    assert "did you mean 'bend'" in panel.note.text()
    assert panel.field._wrong == (3, 6)
    assert abs(panel.note.indent() - (panel.field.x() - 14 + panel.field.x_of(3))) < 2
    opened.bot.keyClick(panel.field, Qt.Key.Key_Return)
    assert opened.project == before
    assert panel.field.text() == "G9 bnd whole, 7"


def test_words_are_finished_with_tab_and_letters_are_no_commands(opened: Driver) -> None:
    before = opened.project
    open_line(opened)
    panel = opened.notch.say
    type_over(opened, "G9 vi")
    assert panel.note.text() == "Tab: vib · vibrato"
    opened.bot.keyClicks(panel.field, "br")
    opened.bot.keyClick(panel.field, Qt.Key.Key_Tab)
    assert panel.field.text() == "G9 vibrato"
    assert panel.field.hasFocus()
    assert opened.project == before
    assert panel.note.text().startswith("1 note ·")


def test_the_line_in_another_dialect(opened: Driver) -> None:
    open_line(opened)
    panel = opened.notch.say
    panel.dialect.setCurrentIndex(1)
    panel.dialect.activated.emit(1)
    assert " on the " in panel.field.text()
    opened.bot.keyClick(panel.field, Qt.Key.Key_Return)
    assert panel.note.text() == "the notes are as the line says"


def test_without_a_project_it_says_what_to_do(driver: Driver) -> None:
    driver.notch.say.open_line()
    assert not driver.notch.say.isVisible()
