"""Every act of the Notch room through real keys and clicks, seen in the document, and undone."""

from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication

from notcher.app.commands import ALL, with_rooms
from notcher.app.rooms.ids import NOTCH, TEACH
from notcher.app.rooms.table import ROOMS
from notcher.score.note import Attack, BendKind, Mark, Maybe, Note
from tests.app.conftest import Driver

SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
Key = Qt.Key


@pytest.mark.parametrize(
    ("note_id", "keys", "check"),
    [
        ("n1", [Key.Key_Down], lambda n: (n.string, n.fret, n.held) == (4, 14, True)),
        ("n1", [Key.Key_Up], lambda n: (n.string, n.fret) == (2, 5)),
        ("n1", ["7"], lambda n: n.fret == 7),
        ("n1", ["1", "4"], lambda n: n.fret == 14),
        ("n1", [(Key.Key_Up, SHIFT)], lambda n: n.fret == 10),
        ("n1", [(Key.Key_Down, SHIFT)], lambda n: n.fret == 8),
        ("n1", [","], lambda n: n.onset == pytest.approx(0.995)),
        ("n1", [".", "."], lambda n: n.onset == pytest.approx(1.01)),
        ("n1", [(Key.Key_Comma, CTRL)], lambda n: n.end == pytest.approx(1.495)),
        ("n1", [(Key.Key_Period, CTRL)], lambda n: n.end == pytest.approx(1.505)),
        ("n1", ["b"], lambda n: n.bend is not None and n.bend.kind is BendKind.BEND and n.bend.target_cents == 200),
        ("n3", ["b", "b"], lambda n: n.bend is not None and n.bend.kind is BendKind.PRE_BEND),
        ("n3", ["]"], lambda n: n.bend is not None and n.bend.target_cents == 250),
        ("n3", ["[", "["], lambda n: n.bend is not None and n.bend.target_cents == 100),
        ("n3", ["v"], lambda n: n.vibrato is None),
        ("n1", ["v"], lambda n: n.vibrato is not None),
        ("n1", ["h"], lambda n: n.attack is Attack.HAMMER),
        ("n1", [(Key.Key_H, SHIFT)], lambda n: n.attack is Attack.PULL),
        ("n1", ["g"], lambda n: n.attack is Attack.SLIDE),
        ("n1", ["t"], lambda n: n.attack is Attack.TAP),
        ("n1", ["r"], lambda n: n.attack is Attack.RAKE),
        ("n2", ["p"], lambda n: n.attack is Attack.PICK),
        ("n1", ["m"], lambda n: Mark.PALM_MUTE in n.marks),
        ("n8", ["c"], lambda n: n.confirmed and n.doubt is None),
    ],
)
def test_one_key_changes_the_note_and_undo_brings_it_back(opened: Driver, note_id: str, keys: list, check) -> None:
    before = opened.project
    opened.select(note_id)
    opened.key(*keys)
    assert check(opened.project.note(note_id)), opened.project.note(note_id)
    while opened.desk.session.undo_stack.can_undo:
        opened.key((Key.Key_Z, CTRL))
    assert opened.project == before
    while opened.desk.session.undo_stack.can_redo:
        opened.key((Key.Key_Z, CTRL | SHIFT))
    assert check(opened.project.note(note_id))


def test_delete_split_join_and_add(opened: Driver) -> None:
    opened.select("n1")
    opened.desk.transport.seek(1.2)
    opened.key("s")
    assert [n.onset for n in opened.project.notes[:2]] == [1.0, 1.2]
    opened.select(*(n.id for n in opened.project.notes[:2]))
    opened.key("j")
    assert len(opened.project.notes) == 8
    opened.select("n8")
    opened.key(Key.Key_Delete)
    assert len(opened.project.notes) == 7
    opened.desk.transport.seek(6.2)
    opened.key("a")
    added = opened.desk.session.selected_notes()
    assert len(added) == 1
    assert added[0].by_hand
    assert added[0].onset == pytest.approx(6.2)
    # The pitch that was measured there: 14 cents flat of E4.
    assert added[0].pitch(opened.project.tuning) == 64


def test_moving_through_the_notes(opened: Driver) -> None:
    opened.key("n")
    assert opened.desk.session.selection == {"n1"}
    opened.key(Key.Key_Right, Key.Key_Right)
    assert opened.desk.session.selection == {"n3"}
    opened.key((Key.Key_Right, SHIFT))
    assert opened.desk.session.selection == {"n3", "n4"}
    opened.key(Key.Key_Left)
    assert opened.desk.session.selection == {"n2"}
    opened.key("u")
    assert opened.desk.session.selection == {"n8"}, "the only one in doubt"
    opened.key((Key.Key_A, CTRL))
    assert len(opened.desk.session.selection) == 8


def test_a_doubt_asks_for_its_reason_in_place(opened: Driver) -> None:
    opened.select("n1")
    opened.key("d")
    field = opened.notch.inspector.doubt
    assert field.hasFocus()
    opened.bot.keyClicks(field, "which string? 12 or 7")
    opened.bot.keyClick(field, Key.Key_Return)
    assert opened.project.note("n1").doubt == "which string? 12 or 7"
    assert opened.project.note("n1").fret == 9, "digits typed as words must not set frets"
    opened.key("d")
    assert opened.project.note("n1").doubt is None


def test_what_does_not_apply_is_said_in_place(opened: Driver) -> None:
    before = opened.project
    opened.key("j")
    assert "No note is selected" in opened.message
    opened.select("n7")
    opened.key(Key.Key_Up)
    assert "has no neighbour on that side" in opened.message
    assert opened.project == before
    assert not opened.desk.session.is_dirty


def test_clicking_selects_and_a_box_selects_more(opened: Driver) -> None:
    strand = opened.notch.strand
    opened.desk.axis.show_range(0.8, 5.5)
    frame = strand._frame()
    opened.click(1.0 + 8 / strand._per_second, frame.lanes[2])
    assert opened.desk.session.selection == {"n1"}
    below = frame.lanes[2] + frame.tag_height
    a = QPoint(round(strand.x_of(0.9)), round(below))
    b = QPoint(round(strand.x_of(2.2)), round(frame.lanes[2] - frame.tag_height))
    opened.bot.mousePress(strand, Qt.MouseButton.LeftButton, pos=a)
    opened.bot.mouseMove(strand, QPoint((a.x() + b.x()) // 2, (a.y() + b.y()) // 2))
    opened.bot.mouseMove(strand, b)
    opened.bot.mouseRelease(strand, Qt.MouseButton.LeftButton, pos=b)
    assert opened.desk.session.selection == {"n1", "n2", "n3"}


def test_double_click_on_a_lane_adds_a_note_there(opened: Driver) -> None:
    strand = opened.notch.strand
    opened.desk.axis.show_range(5.8, 7.8)
    y = strand._frame().lanes[1]
    opened.bot.mouseDClick(strand, Qt.MouseButton.LeftButton, pos=QPoint(round(strand.x_of(7.0)), round(y)))
    added = opened.project.notes[-1]
    assert (added.string, added.fret) == (2, 5)
    assert added.onset == pytest.approx(7.0, abs=0.01)


def test_the_inspector_says_what_was_decided_and_measured(opened: Driver) -> None:
    inspector = opened.notch.inspector
    assert "8 notes" in inspector.state.text()
    opened.select("n3")
    assert inspector.heading.text() == "fret 11, 3rd string · F♯4"
    assert "203 cents" in inspector.measured.text()
    assert "5.4 a second" in inspector.measured.text()
    opened.bot.mouseClick(inspector.why_button, Qt.MouseButton.LeftButton)
    assert inspector.why.isVisible()


def test_the_inspector_offers_every_place_of_the_pitch(opened: Driver) -> None:
    opened.select("n1")
    places = opened.notch.inspector.places
    offered = [places.itemText(i) for i in range(places.count())]
    fretted = [f"string {s}, fret {f}" for s, f in opened.project.tuning.places(64)]
    # E4 is a third of the A string, touched at the 7th fret, and a quarter of the low E string, at the 5th.
    assert offered == [*fretted, "harmonic: string 5, at 7", "harmonic: string 6, at 5"]
    places.setCurrentIndex(3)
    places.activated.emit(3)
    assert (opened.project.note("n1").string, opened.project.note("n1").fret) == (4, 14)


def test_a_harmonic_is_chosen_beside_the_fretted_places_and_undone(opened: Driver) -> None:
    opened.select("n1")
    before = opened.project.note("n1")
    places = opened.notch.inspector.places
    at = places.findText("harmonic: string 5, at 7")
    places.setCurrentIndex(at)
    places.activated.emit(at)
    touched = opened.project.note("n1")
    assert (touched.string, touched.fret) == (5, 7)
    assert Mark.NATURAL_HARMONIC in touched.marks
    assert round(touched.sounding_pitch(opened.project.tuning)) == 64
    assert places.currentText() == "harmonic: string 5, at 7"
    opened.key((Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
    assert opened.project.note("n1") == before


def test_the_inspector_sets_bend_attack_and_marks(opened: Driver) -> None:
    inspector = opened.notch.inspector
    opened.select("n1")
    inspector.bend.setCurrentIndex(inspector.bend.findData(BendKind.CURL))
    inspector.bend.activated.emit(inspector.bend.currentIndex())
    inspector.interval.setCurrentIndex(inspector.interval.findData(50))
    inspector.interval.activated.emit(inspector.interval.currentIndex())
    inspector.attack.activated.emit(inspector.attack.findData(Attack.TAP))
    inspector.mark.activated.emit(inspector.mark.findData(Mark.LET_RING))
    n = opened.project.note("n1")
    assert n.bend is not None
    assert (n.bend.kind, n.bend.target_cents, n.attack, n.marks) == (BendKind.CURL, 50, Attack.TAP, {Mark.LET_RING})


# -- phrases -------------------------------------------------------------------------------------------------------


def test_phrases_are_split_joined_and_renamed_in_place(opened: Driver) -> None:
    opened.select("n3")
    opened.key("x")
    assert [p.start for p in opened.project.phrases] == pytest.approx([0.9, 1.97, 3.5])
    opened.select()
    opened.desk.transport.seek(1.2)
    opened.key((Key.Key_X, SHIFT))
    assert [p.start for p in opened.project.phrases] == pytest.approx([0.9, 3.5])
    opened.key(Key.Key_F2)
    editor = opened.notch.strand._editor
    assert editor is not None
    opened.bot.keyClicks(editor, "Ebb tide 2")
    opened.bot.keyClick(editor, Key.Key_Return)
    assert opened.project.phrases[0].name == "Ebb tide 2"
    opened.key(Key.Key_F2)
    opened.bot.keyClick(opened.notch.strand._editor, Key.Key_Escape)
    assert opened.notch.strand._editor is None
    opened.desk.transport.set_loop((5.0, 6.0))
    opened.key((Key.Key_P, SHIFT))
    assert any((p.start, p.end) == (5.0, 6.0) for p in opened.project.phrases)
    opened.key((Key.Key_P, CTRL | SHIFT))
    assert opened.project.phrases


# -- commands as data ----------------------------------------------------------------------------------------------


def test_no_two_commands_share_a_key() -> None:
    """Two may where they belong to different rooms: then only one of them is enabled at a time."""
    every = with_rooms((r.id, r.title, r.key) for r in ROOMS)
    for room in ROOMS:
        keys = [k.lower() for c in every if not c.rooms or room.id in c.rooms for k in c.keys]
        assert len(keys) == len(set(keys)), room
    assert len({c.id for c in every}) == len(every)
    assert {room for c in every for room in c.rooms} <= {room.id for room in ROOMS}


def seen(driver: Driver) -> tuple[object, ...]:
    """All that a person could notice of the window."""
    desk, window, t = driver.desk, driver.window, driver.desk.transport
    focus = window.focusWidget()
    return (
        driver.project, desk.session.selection, desk.room, desk.phrase_id, desk.joined, driver.message,
        t.position, t.playing, t.pace, t.loop, t.count_in, t.player.source, desk.axis.start, desk.axis.end,
        list(desk.taps), desk.listening.on, window.settings.theme, window.settings.scale, window.work_bar.isVisible(),
        window._keys is not None and window._keys.isVisible(), driver.notch.say.isVisible(),
        driver.notch.find_notes.isVisible(), driver.notch.evidence.isVisible(), type(focus).__name__,
        driver.place.neck.left_handed, window.settings.neck_in_teach,
        t.click, t.shift, driver.notch.move_phrase.isVisible(), window.settings.counts, window.settings.fingers,
        window.settings.cue, window.settings.lesson, window.settings.takes, window.settings.chord_names, t.layer,
        driver.teach.words.isVisible(), driver.teach.pedals.isVisible(), desk.lesson.on, desk.lesson.held,
        driver.teach.take.state,
        driver.handout.right.currentIndex(),
    )  # fmt: skip


@pytest.mark.parametrize("ids", [(), ("n3",), ("n1", "n2"), "no notes"], ids=["none", "one", "two", "no notes"])
def test_every_command_does_something_or_says_why_not(
    opened: Driver, monkeypatch: pytest.MonkeyPatch, ids: tuple[str, ...] | str
) -> None:
    asked: list[str] = []
    opened.window.tasks.ask.open_file = lambda title: asked.append(title)
    opened.window.tasks.ask.save_file = lambda *said: asked.append(said[0])
    opened.window.tasks.ask.open_folder = lambda title: asked.append(title)
    opened.window.tasks.ask.printer = lambda: asked.append("printer")
    monkeypatch.setitem(opened.window._answers, "quit", lambda: asked.append("close"))
    # Counted, not looked for: a short sound may be over before one looks.
    monkeypatch.setattr(opened.desk.transport, "sound_once", lambda sound: asked.append("sound"))
    if ids == "no notes":
        opened.desk.session.edit("empty", lambda p: replace(p, notes=(), phrases=()))
    idle = []
    for number, command in enumerate(ALL):
        for room in command.rooms[:1]:
            opened.desk.show_room(room)
        opened.select(*(ids if isinstance(ids, tuple) else ()))
        opened.desk.transport.pause()
        opened.desk.transport.set_loop(None)
        opened.desk.transport.seek(0.7 + 0.01 * number)
        opened.window.messages.clear()
        asked.clear()
        before = seen(opened)
        opened.window._run(command.id)
        opened.bot.waitUntil(lambda: opened.desk.pointing.idle and not opened.window.tasks.busy, timeout=20000)
        QApplication.processEvents()
        if seen(opened) == before and not asked:
            idle.append(command.id)
        if opened.window._keys is not None:
            opened.window._keys.hide()
    assert idle == []


def test_note_keys_rest_in_other_rooms(opened: Driver) -> None:
    opened.select("n1")
    opened.desk.show_room(TEACH)
    before = opened.project
    opened.key("h", "v", Key.Key_Delete)
    assert opened.project == before


def test_the_sheet_of_keys_opens_and_goes(opened: Driver) -> None:
    opened.key(Key.Key_F1)
    sheet = opened.window._keys
    assert sheet is not None
    assert sheet.isVisible()
    opened.bot.keyClick(sheet, Key.Key_A)
    assert not sheet.isVisible()
    assert isinstance(opened.project.notes[0], Note)


def test_a_whole_phrase_is_confirmed_from_any_note_of_it(opened: Driver) -> None:
    opened.select("n3")
    opened.key((Key.Key_C, CTRL | SHIFT))
    assert [n.confirmed for n in opened.project.notes[:4]] == [True] * 4
    assert opened.desk.session.selection == {"n5"}
    opened.key((Key.Key_C, CTRL | SHIFT))
    assert not opened.project.note("n8").confirmed
    assert opened.project.note("n6").confirmed


def test_a_note_that_is_not_written_is_heard_where_one_points(driver: Driver, lick_file: Path) -> None:
    """The lick without its second note: A where that begins writes G4 (MIDI 67) again, on a string the hand reaches."""
    driver.open(lick_file)
    second = driver.project.notes[1]
    driver.desk.session.edit(
        "Take it out", lambda p: replace(p, notes=tuple(n for n in p.notes if n.id != second.id), contour=None)
    )
    driver.desk.transport.seek(second.onset + 0.03)
    driver.desk.show_room(NOTCH)
    driver.key("a")
    driver.bot.waitUntil(lambda: not driver.desk.pointing.busy, timeout=60000)
    added = driver.desk.session.selected_notes()
    assert [n.pitch(driver.project.tuning) for n in added] == [67]
    assert added[0].onset == pytest.approx(second.onset, abs=0.03)
    assert added[0].confirmed
    driver.key("a")
    driver.bot.waitUntil(lambda: not driver.desk.pointing.busy, timeout=60000)
    assert "nothing is heard" in driver.message.lower()
    driver.desk.session.undo()
    assert len(driver.project.notes) == 3


def test_how_a_string_is_shaken_is_said_by_hand(opened: Driver) -> None:
    """n3 has a vibrato of 5.4 Hz and 31 cents from 250 ms on, n1 has none."""
    inspector = opened.notch.inspector
    opened.select("n1")
    assert not inspector.rate.isVisible()
    opened.select("n3")
    assert (inspector.rate.value(), inspector.extent.value(), inspector.delay.value()) == (5.4, 31, 250)
    inspector.extent.setValue(44)
    shaken = opened.project.note("n3").vibrato
    assert shaken is not None
    assert (shaken.rate_hz, shaken.extent_cents, shaken.start) == (5.4, 44, 0.25)
    opened.desk.session.undo()
    assert inspector.extent.value() == 31


def test_a_suggested_technique_is_seen_and_used_with_a_key(opened: Driver) -> None:
    maybe = (Maybe(0.45, attack=Attack.HAMMER),)
    opened.desk.session.edit(
        "Ask", lambda p: p.with_notes([replace(n, maybe=maybe) if n.id == "n4" else n for n in p.notes])
    )
    opened.select("n3")
    inspector = opened.notch.inspector
    assert inspector.maybe.isHidden()
    opened.select("n4")
    assert inspector.maybe.text() == "hammered on?\n45 % likely"
    opened.key((Key.Key_D, SHIFT))
    assert (opened.project.note("n4").attack, opened.project.note("n4").maybe) == (Attack.HAMMER, ())
    assert inspector.maybe.isHidden()
    assert opened.project.note("n4").suggested == ()
    opened.key((Key.Key_Z, CTRL))
    assert opened.project.note("n4").maybe == maybe
    opened.bot.mouseClick(inspector.maybe, Qt.MouseButton.LeftButton)
    assert opened.project.note("n4").attack is Attack.HAMMER
