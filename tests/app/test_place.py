"""The Place room, driven as a person does: look, take by a key, move, confirm; the neck to scale, either hand."""

from dataclasses import replace
from itertools import pairwise

import pytest
from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import NOTCH, PLACE, TEACH
from notcher.score.edits import confirm, delete_notes, set_doubt
from notcher.score.pitch import fret_distance
from notcher.score.playing import Hand
from notcher.score.project import Phrase
from notcher.wording.places import way_words
from tests.app.conftest import Driver
from tests.conftest import note

Key = Qt.Key


@pytest.fixture
def placing(opened: Driver) -> Driver:
    opened.key((Key.Key_3, Qt.KeyboardModifier.ControlModifier))
    assert opened.desk.room == PLACE
    found(opened)
    return opened


@pytest.fixture
def following(placing: Driver) -> Driver:
    """Two phrases of the same notes."""
    box = [(1, 5), (2, 8), (2, 5), (3, 7), (3, 5), (4, 7)]
    notes = tuple(
        note(6 * phrase + k + 1, 1.0 + 3 * phrase + 0.25 * k, string, fret, length=0.25)
        for phrase in range(2) for k, (string, fret) in enumerate(box)
    )  # fmt: skip
    phrases = (Phrase("p1", "First", 0.9, 3.0), Phrase("p2", "Again", 3.9, 6.0))
    placing.desk.session.edit("new notes", lambda p: replace(p, notes=notes, phrases=phrases))
    placing.desk.session.undo_stack.set_clean()
    placing.bot.waitUntil(lambda: len(placing.place._offers) == 3 and len(placing.place._offers[0].places) == 6)
    return placing


def found(driver: Driver) -> None:
    """Until the places are found."""
    driver.bot.waitUntil(lambda: bool(driver.place._offers), timeout=10000)


def where(driver: Driver, phrase: int = 0) -> list[tuple[int, int]]:
    p = driver.project.phrases[phrase]
    return [(n.string, n.fret) for n in driver.project.notes_between(p.start, p.end)]


def test_three_places_by_their_position(placing: Driver) -> None:
    texts = [c.text() for c in placing.place.choices if c.isVisible()]
    assert len(texts) == 3
    assert texts[0].startswith("1: ")
    assert sum("as it is" in t for t in texts) == 1
    assert all("frets" in why.text() for why in placing.place.reasons if why.isVisible())


@pytest.mark.parametrize("number", [1, 2, 3])
def test_a_number_takes_a_place(placing: Driver, number: int) -> None:
    offer = placing.place._offers[number - 1]
    placing.key(str(number))
    assert where(placing) == list(offer.places)
    assert placing.project.notes[0].held


def test_undo_takes_all_of_it_back_in_one(placing: Driver) -> None:
    before = placing.project
    number = next(k for k, o in enumerate(placing.place._offers, 1) if not o.now)
    placing.key(str(number))
    assert placing.project != before
    placing.key((Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
    assert placing.project == before


def test_looking_moves_nothing_and_a_second_click_takes(placing: Driver) -> None:
    before = placing.project
    k = next(k for k, o in enumerate(placing.place._offers) if not o.now)
    choice = placing.place.choices[k]
    placing.bot.mouseClick(choice, Qt.MouseButton.LeftButton)
    assert placing.project == before
    assert placing.place.take_button.isEnabled()
    looked = placing.place._offers[k]
    # The words go with what is looked at.
    assert placing.place.way.text().startswith("hand: " + way_words([h.position for h in looked.hand], most=6))
    placing.bot.mouseClick(placing.place.take_button, Qt.MouseButton.LeftButton)
    assert where(placing) == list(looked.places)


def test_the_phrase_over_the_strings_by_one_key(placing: Driver) -> None:
    before = where(placing)
    placing.key(Key.Key_Down)
    assert sum(s for s, _ in where(placing)) > sum(s for s, _ in before)
    placing.key(Key.Key_Up)
    assert sum(s for s, _ in where(placing)) <= sum(s for s, _ in before)


def test_confirm_and_next(placing: Driver) -> None:
    first = placing.desk.phrase
    assert first is not None
    placing.key("c")
    assert all(n.confirmed for n in placing.project.notes_between(first.start, first.end) if not n.doubt)
    assert placing.desk.phrase is not None
    assert placing.desk.phrase.id != first.id


def test_what_is_heard_is_the_phrase(placing: Driver) -> None:
    assert not placing.desk.transport.player.sounds_beside
    placing.key("h")
    assert placing.desk.transport.player.sounds_beside


def test_the_neck_is_to_scale(placing: Driver) -> None:
    """Distances from the nut as equal temperament has them: (1 - 2^(-n/12)) of the scale length."""
    neck = placing.place.neck
    low, high = (neck.board.low, neck.board.high)
    first = max(0, low - 1)
    span = fret_distance(high, scale_length=1.0) - fret_distance(first, scale_length=1.0)
    room = neck.x_of(high) - neck.x_of(first)
    for a, b in pairwise(range(first, high + 1)):
        wide = fret_distance(b, scale_length=1.0) - fret_distance(a, scale_length=1.0)
        assert neck.x_of(b) - neck.x_of(a) == pytest.approx(wide / span * room)
    frets = [n.fret for n in placing.project.notes_between(0.9, 3.5)]
    assert low <= min(frets) - 1
    assert high >= max(frets) + 1


def test_the_thickest_string_is_nearest_to_the_player(placing: Driver) -> None:
    neck = placing.place.neck
    heights = [neck.y_of(s) for s in range(1, 7)]
    assert heights == sorted(heights, reverse=True)


def test_left_handed_is_kept(placing: Driver) -> None:
    neck = placing.place.neck
    low, high = (neck.board.low, neck.board.high)
    assert neck.x_of(low) < neck.x_of(high)
    placing.window._run("view.left-handed")
    assert neck.x_of(low) > neck.x_of(high)
    assert placing.message == "The neck is a left-handed player's."
    assert placing.window.settings.left_handed
    placing.window._run("view.left-handed")


# -- what follows ------------------------------------------------------------------------------------------------------


def test_later_phrases_follow_in_the_same_step(following: Driver) -> None:
    """Taken in the first phrase, followed in the second, marked and said; one undo takes all back, marks too."""
    before = following.project
    offer = following.place._offers[2]
    following.key("3")
    assert where(following, 0) == list(offer.places)
    assert where(following, 1) == list(offer.places)
    second = following.project.phrases[1]
    ids = {n.id for n in following.project.notes_between(second.start, second.end)}
    assert following.desk.placing.moved == ids
    assert f"{len(ids)} other notes were placed anew" in following.message
    following.desk.step_phrase(1)
    assert "were placed anew" in following.place.way.text()
    following.desk.axis.show_range(0.0, 8.0)
    assert "were placed anew" in following.place.strand.in_words()
    following.key((Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
    assert following.project == before
    assert following.desk.placing.moved == frozenset()


def test_what_is_confirmed_is_marked_no_more(following: Driver) -> None:
    following.key("3")
    assert following.desk.placing.moved
    following.desk.step_phrase(1)
    following.key("c")
    assert following.desk.placing.moved == frozenset()


def test_a_confirmed_phrase_stays(following: Driver) -> None:
    second = following.project.phrases[1]
    ids = frozenset(n.id for n in following.project.notes_between(second.start, second.end))
    following.desk.session.edit("sure", lambda p: confirm(p, ids))
    was = where(following, 1)
    following.key("3")
    assert where(following, 1) == was


def test_two_words_in_a_row_are_both_followed(following: Driver) -> None:
    """The second comes before the first is followed; two undos lead back."""
    before = following.project
    following.window._run("place.thicker")
    following.window._run("place.thicker")
    following.follow()
    assert where(following, 1) == where(following, 0)
    following.key((Key.Key_Z, Qt.KeyboardModifier.ControlModifier), (Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
    assert following.project == before


def test_what_is_taken_back_at_once_is_not_followed(following: Driver) -> None:
    before = following.project
    following.window._run("place.thicker")
    following.desk.session.undo()
    following.follow()
    following.bot.wait(300)
    assert following.project == before


def test_an_edit_meanwhile_stays(following: Driver) -> None:
    following.window._run("place.thicker")
    last = following.project.notes[-1].id
    following.desk.session.edit("doubt", lambda p: set_doubt(p, {last}, reason="listen again"))
    following.follow()
    assert where(following, 1) == where(following, 0)
    assert following.project.note(last).doubt == "listen again"


def test_the_note_that_sounds_is_lit(placing: Driver) -> None:
    neck = placing.place.neck
    n = placing.project.notes[1]
    neck.show_time(n.onset + 0.05)
    assert neck._current() == 1
    neck.show_time(-1.0)
    assert neck._current() is None


def test_without_phrases_it_says_so(placing: Driver) -> None:
    placing.desk.session.edit("empty", lambda p: replace(p, notes=(), phrases=()))
    assert placing.place.name.text() == "No phrase in hand"
    assert not placing.place.confirm.isEnabled()
    placing.key(Key.Key_Down)
    assert "no phrase here" in placing.message
    placing.key("2")
    assert "not so many places" in placing.message


def test_the_way_of_the_hand_is_told(placing: Driver) -> None:
    assert placing.place.way.text().startswith("hand: ")
    assert "position" in placing.place.neck.in_words()


def test_shifts_and_stretches_are_told_ahead(placing: Driver) -> None:
    """The first phrase of the small project bends a whole tone: 26 % more tension."""
    text = placing.place.ahead.text()
    assert "widest stretch: 2 frets" in text
    assert "farthest bend: full (200 cents), fret 11 sounds like 13, 26 % more tension" in text


def test_a_longer_guitar_is_farther(placing: Driver) -> None:
    def mm() -> int:
        return int(placing.place.ahead.text().split("frets, ")[1].split(" mm")[0])

    before = mm()
    steps = placing.desk.session.undo_stack.index
    for mm_ in (700, 750, 800):
        placing.place.guitar.scale.setValue(mm_)
    assert mm() == round(before * 800 / 648, 0)
    assert placing.window.settings.usual.scale_mm == placing.project.playing.scale_mm == 800
    assert placing.desk.session.undo_stack.index == steps + 1, "stepping through lengths is one step"
    placing.desk.session.undo()
    assert placing.project.playing.scale_mm == placing.place.guitar.scale.value() == 648


def test_a_school_is_chosen_and_kept(placing: Driver) -> None:
    school = placing.place.guitar.school
    index = school.findData("strong-three")
    school.setCurrentIndex(index)
    school.activated.emit(index)
    assert placing.project.playing.hand is Hand.STRONG_THREE
    assert placing.window.settings.usual.hand is Hand.STRONG_THREE
    shown = [o.hand.finger for o in placing.place.neck._shown]
    assert 4 not in shown


# -- in the Teach room -------------------------------------------------------------------------------------------------


def test_the_neck_under_the_large_tab(placing: Driver) -> None:
    """Switched on by a key, it shows the phrase that is taught, with figures no smaller than the tab's."""
    placing.desk.show_room(TEACH)
    room = placing.teach
    assert not room.neck.isVisible()
    placing.key((Key.Key_N, Qt.KeyboardModifier.AltModifier))
    assert room.neck.isVisible()
    assert room.show_neck.isChecked()
    phrase = placing.desk.phrase
    assert phrase is not None
    notes = placing.project.notes_between(phrase.start, phrase.end)
    assert [(o.string, o.fret) for o in room.neck._shown] == [(n.string, n.fret) for n in notes]
    assert room.neck._tag >= room.tab._tag
    placing.desk.step_phrase(1)
    phrase = placing.desk.phrase
    assert phrase is not None
    assert [o.note.id for o in room.neck._shown] == [
        n.id for n in placing.project.notes_between(phrase.start, phrase.end)
    ]
    placing.key((Key.Key_N, Qt.KeyboardModifier.AltModifier))
    assert not room.neck.isVisible()
    assert not placing.window.settings.neck_in_teach


# -- the one question --------------------------------------------------------------------------------------------------


@pytest.fixture
def asked(following: Driver) -> Driver:
    following.desk.show_room(NOTCH)
    following.window.messages.clear()
    following.desk.first_place.ask()
    following.bot.waitUntil(lambda: bool(following.window.messages.choices), timeout=10000)
    return following


def test_where_the_hand_sits_is_asked_and_answered_by_one_key(asked: Driver) -> None:
    """It stays in place, stops nothing, and the whole solo follows the answer."""
    assert "Where does the hand sit in the first phrase" in asked.message
    assert len(asked.window.messages.choices) == 3
    before = where(asked)
    asked.key(Key.Key_F7)
    assert where(asked) != before
    assert where(asked, 1) == where(asked)
    assert asked.project.notes[0].held
    assert asked.window.messages.choices == ()


def test_the_question_may_be_put_away_or_left(asked: Driver) -> None:
    before = asked.project
    asked.select("n1")
    asked.key("v")
    assert asked.project != before
    assert len(asked.window.messages.choices) == 3
    asked.key(Key.Key_F8)
    assert asked.message == ""
    asked.key(Key.Key_F5)
    assert "Nothing is asked" in asked.message


def test_an_answer_after_the_phrase_has_changed_says_so(asked: Driver) -> None:
    asked.desk.session.edit("away", lambda p: delete_notes(p, {"n2"}))
    before = asked.project
    asked.key(Key.Key_F6)
    assert asked.project == before
    assert "changed meanwhile" in asked.message


def test_it_is_not_asked_where_the_person_has_spoken(following: Driver) -> None:
    following.desk.session.edit("sure", lambda p: confirm(p, {"n1"}))
    following.window.messages.clear()
    following.desk.first_place.ask()
    following.bot.wait(300)
    assert following.window.messages.choices == ()
