"""The plan of a lesson: its lines, its schools, its course, its days; layers, and how hard a phrase is."""

import datetime
from dataclasses import replace
from typing import Any

import icalendar
import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.formats.calendar import calendar
from notcher.formats.sheet.lesson import lesson_pdf
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, Bend, BendKind
from notcher.score.pitch import fret_gap
from notcher.score.practice import Lesson, TakeKept
from notcher.score.project import Project, Recording
from notcher.teach.calendar import gap_after, spread
from notcher.teach.course import FAILURES, Course, planned
from notcher.teach.difficulty import difficulty, pace_for
from notcher.teach.layers import ORDER, Layer, adds, layered
from notcher.teach.plan import (
    HEARD,
    School,
    Step,
    What,
    fitted,
    made,
    read_plan,
    read_step,
    seconds_of,
    stretch_of,
    with_lines,
    write_step,
)
from notcher.wording.lesson import difficulty_words
from notcher.wording.numbers import due_words
from tests.conftest import note

TODAY = datetime.date(2027, 3, 1)
_names = st.sampled_from(["Slow tide", "Signal lamps", "bar room, late", "to and fro", "1"])


@st.composite
def steps(draw: st.DrawFn) -> Step:
    """Any step that can be written."""
    what = draw(st.sampled_from(What))
    if what is What.PAUSE:
        return Step(what, pause_s=draw(st.integers(1, 600)))
    count = {What.ALL: 0, What.BARS: 0, What.LOOP: 0, What.JOIN: 2, What.SPAN: 2}.get(what, 1)
    first = draw(st.integers(1, 40))
    pace = float(draw(st.integers(25, 90)))
    top = draw(st.sampled_from([0.0, pace + 20.0]))
    return Step(
        what, tuple(draw(_names) for _ in range(count)),
        (first, first + draw(st.integers(0, 3))) if what is What.BARS else (0, 0),
        (12.5, 75.25) if what is What.LOOP else (0.0, 0.0),
        pace, top, float(draw(st.integers(2, 20))) if top else 10.0, draw(st.integers(1, 20)), draw(st.booleans()),
        draw(st.sampled_from(HEARD)), draw(st.booleans()), draw(st.booleans()), draw(st.integers(0, 8)),
        draw(st.sampled_from(["", "easier"])), draw(st.sampled_from([None, *Layer])),
    )  # fmt: skip


@given(steps())
def test_a_step_is_read_as_it_was_written(step: Step) -> None:
    assert read_step(write_step(step)) == step


def test_lines_as_people_write_them() -> None:
    assert read_step("Slow tide, 50 %, x4, lead, click, no count") == Step(
        What.PHRASE, ("Slow tide",), pace=50, rounds=4, heard="lead", click=True, count=False
    )
    climbing = read_step("so far Signal lamps, 60 % to 80 % by 10 %, 2 clean")
    assert climbing is not None
    assert climbing.paces == (60.0, 70.0, 80.0)
    assert climbing.clean
    assert read_step("loop 1:02.5-1:04, 60 %") == Step(What.LOOP, times=(62.5, 64.0), pace=60)
    assert read_step("pause 2 min") == Step(What.PAUSE, pause_s=120)
    assert read_step("   # only a remark") is None


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("Slow tide, quickly", "'quickly' was not understood"), ("Slow tide, 5 %", "5 is not from 25 to 110"),
        ("Slow tide, 0 rounds", "0 is not from 1"), ("Slow tide, layer gold", "there is no layer 'gold'"),
        ("pause 9999 s", "9999 is not from 1 to 600"),
    ],
)  # fmt: skip
def test_a_line_that_cannot_be_is_named(line: str, said: str) -> None:
    with pytest.raises(ScoreError, match="line 2: ") as error:
        read_plan(["all, 50 %", line])
    assert said in str(error.value)


def test_a_deleted_phrase_and_bars_that_are_not_there_are_said(demo: Project) -> None:
    with pytest.raises(ScoreError, match="no phrase 'Gone' any more"):
        Course(demo, read_plan(["Gone, 50 %"]))
    with pytest.raises(ScoreError, match="no bars 400 to 400"):
        stretch_of(demo, Step(What.BARS, bars=(400, 400)))
    with pytest.raises(ScoreError, match="no beat is known"):
        stretch_of(replace(demo, tempo=None), Step(What.BARS, bars=(3, 4)))
    with pytest.raises(ScoreError, match="comes before"):
        stretch_of(demo, Step(What.SPAN, ("Climb", "Slow tide")))


def test_what_a_step_plays(demo: Project) -> None:
    first, second = demo.phrase_named("Harbour call"), demo.phrase_named("Slow tide")
    assert stretch_of(demo, Step(What.SPAN, (first.name, second.name))) == (first.start, second.end)
    start, end = stretch_of(demo, Step(What.JOIN, (first.name, second.name)))
    assert first.start < start < first.end <= second.start < end < second.end
    tempo = demo.tempo
    assert tempo is not None
    assert stretch_of(demo, Step(What.BARS, bars=(3, 4))) == (
        tempo.time_at(tempo.first_beat_of(3)), tempo.time_at(tempo.first_beat_of(5))
    )  # fmt: skip


@pytest.mark.parametrize("school", School)
def test_each_school_teaches_every_phrase_and_can_be_played(demo: Project, school: School) -> None:
    plan = made(demo, school)
    turns = planned(demo, list(enumerate(plan)))
    covered = [t.stretch for t in turns]
    for p in demo.phrases:
        assert any(a <= p.start + 0.01 and p.end - 0.01 <= b for a, b in covered), p.name
    assert [read_step(write_step(s)) for s in plan] == plan


def test_the_schools_go_in_their_own_order(demo: Project) -> None:
    names = [p.name for p in demo.phrases]
    alone = [s.phrases[0] for s in made(demo, School.LATE) if s.what is What.PHRASE]
    back = [s.phrases[0] for s in made(demo, School.BACKWARDS) if s.what is What.PHRASE]
    assert (alone, back) == (names, names[::-1])
    growing = [s for s in made(demo, School.GROWING) if s.what is What.SPAN]
    assert all(s.phrases[0] == names[0] for s in growing)
    assert [s.pace for s in made(demo, School.THREE)] == [50, 75, 100]
    assert made(demo, School.WHOLE)[1].heard == "tab"
    optional = replace(demo, phrases=(*demo.phrases[:-1], replace(demo.phrases[-1], optional=True)))
    assert names[-1] not in [s.phrases[0] for s in made(optional, School.LATE) if s.phrases]


# -- the course ------------------------------------------------------------------------------------------------------


def test_the_pace_climbs_after_rounds(demo: Project) -> None:
    turns = planned(demo, read_plan(["Slow tide, 50 % to 70 % by 10 %, 3 rounds", "", "all, 100 %"]))
    assert [(t.line, t.pace, t.rounds) for t in turns] == [(0, 50, 3), (0, 60, 3), (0, 70, 3), (2, 100, 1)]


def test_clean_takes_earn_the_next_pace_and_failures_lose_it(demo: Project) -> None:
    course = Course(demo, read_plan(["Slow tide, 50 % to 70 % by 10 %, 2 clean", "all, 100 %"]))

    def pace() -> float:
        assert course.turn is not None
        return course.turn.pace

    assert course.clean_left == 2
    course.played(clean=True)
    course.played(clean=False)
    assert (pace(), course.clean_left) == (50, 2), "a failure begins the count anew"
    for _ in range(2):
        course.played(clean=True)
    assert pace() == 60
    for _ in range(FAILURES):
        course.played(clean=False)
    assert pace() == 50
    for _ in range(FAILURES):
        course.played(clean=False)
    assert pace() == 40, "below the first pace, too"
    for _ in range(2):
        course.played(clean=True)
    assert pace() == 50
    for _ in range(6):
        course.played(clean=True)
    assert course.turn is not None
    assert course.turn.line == 1
    assert course.following is None
    course.played()
    assert course.turn is None


def test_a_lesson_fits_its_minutes(demo: Project) -> None:
    plan = made(demo, School.GROWING)
    fits, left = fitted(demo, plan, 10)
    assert sum(seconds_of(demo, s) for s in fits) <= 600
    assert len(fits) + len(left) == len(plan)
    assert fitted(demo, plan, 240)[1] == []


def test_ten_minutes_keep_what_matters(demo: Project) -> None:
    """The whole at the end, and what is new before what was clean already; in the plan's own order."""
    plan = made(demo, School.LATE)
    first = demo.phrases[0]
    known = replace(demo, takes=(TakeKept("2027-03-01T10:00", first.id, 90.0, 6, clean=True),))
    fits, left = fitted(known, plan, 10)
    assert fits[-1] == plan[-1], "the whole"
    assert left
    assert first.name not in {n for s in fits if len(s.phrases) == 1 for n in s.phrases}
    order = [plan.index(next(p for p in plan if replace(p, rounds=s.rounds) == s)) for s in fits]
    assert order == sorted(order)


def test_what_is_overdue_is_said() -> None:
    today = datetime.date(2027, 3, 14)
    assert due_words("2027-03-12", today).startswith("2 days overdue")
    assert due_words("2027-03-14", today) == "due today"
    assert due_words("2027-03-20", today).startswith("due ")
    assert due_words("soon", today) == "due soon"


# -- days ------------------------------------------------------------------------------------------------------------


def _planned(demo: Project, minutes: int, *, due: str = "") -> Project:
    lesson = replace(with_lines(demo.lesson, made(demo, School.LATE)), minutes=minutes)
    return replace(demo, lesson=lesson, request=replace(demo.request, due=due))


def test_days_hold_their_minutes_and_what_was_learned_comes_back_after_doubling_gaps(demo: Project) -> None:
    """Leitner's rule: one day, two, four ... (S. Leitner 1972, from memory)."""
    found = spread(_planned(demo, 10), today=TODAY)
    assert found.left == ()
    assert all(d.seconds <= 600 or len(d.new) == 1 for d in found.days)
    assert sum(len(d.new) for d in found.days) == len(made(demo, School.LATE))
    back = [d.date for d in found.days if any(s.phrases == ("Harbour call",) for s in d.again)]
    since = [(d - TODAY).days for d in back]
    assert since == [1, 3, 7, 15], "28 days hold no fifth one"


def test_takes_lengthen_and_shorten_the_gap() -> None:
    def take(day: int, *, clean: bool) -> TakeKept:
        return TakeKept(f"2027-03-{day:02d}T10:00", "p1", 60.0, 6, () if clean else ("n1",), clean=clean)

    assert gap_after([]) == 1
    assert gap_after([take(1, clean=True)]) == 2
    assert gap_after([take(1, clean=True), take(3, clean=True)]) == 4
    assert gap_after([take(1, clean=True), take(3, clean=True), take(7, clean=False)]) == 1


def test_a_due_date_is_kept_and_what_does_not_fit_is_said(demo: Project) -> None:
    found = spread(_planned(demo, 5, due="2027-03-02"), today=TODAY)
    assert len(found.left) > 0
    assert found.days[-1].date <= datetime.date(2027, 3, 2)
    with pytest.raises(ScoreError, match="due date 2027-02-01 is in the past"):
        spread(_planned(demo, 5, due="2027-02-01"), today=TODAY)


def test_the_calendar_is_read_by_its_library_and_the_page_holds_every_step(demo: Project) -> None:
    project = _planned(demo, 10)
    found = spread(project, today=TODAY)
    made_at = datetime.datetime(2027, 3, 1, 8, tzinfo=datetime.UTC)
    events: Any = icalendar.Calendar.from_ical(calendar(project, found, now=made_at)).walk("VEVENT")
    assert [e["DTSTART"].dt.date() for e in events] == [d.date for d in found.days]
    assert "Harbour call, 65 %" in str(events[0]["DESCRIPTION"])
    assert len({str(e["UID"]) for e in events}) == len(events)
    document = pypdfium2.PdfDocument(lesson_pdf(project, found))
    text = "".join(page.get_textpage().get_text_range() for page in document)
    assert all(p.name in text for p in project.phrases)


# -- layers and figures ----------------------------------------------------------------------------------------------


def test_each_layer_holds_the_one_before(demo: Project) -> None:
    for p in demo.phrases:
        notes = demo.notes_between(p.start, p.end)
        held: set[str] = set()
        for layer in ORDER:
            now = {n.id for n in layered(notes, layer)}
            assert held <= now
            held = now
        assert layered(notes, Layer.COLOUR) == tuple(notes)
        assert adds(notes, Layer.NOTES) == len(layered(notes, Layer.NOTES))


def test_what_belongs_to_which_layer() -> None:
    bent = replace(note(1, 1.0, 3, 9), bend=Bend(BendKind.BEND, 150), attack=Attack.HAMMER)
    (plain,), (legato,), (sized,) = (layered([bent], layer) for layer in ORDER[:3])
    assert (plain.attack, plain.bend) == (Attack.PICK, Bend(BendKind.BEND, 200))
    assert legato.attack is Attack.HAMMER
    assert sized.bend == bent.bend


def test_figures_of_a_phrase_against_counting_by_hand() -> None:
    """Eight sixteenths at 120 bpm, 8 notes a second; strings 3 3 2 2 3 3 2 2 cross three times of seven."""
    notes = [note(k, 1.0 + 0.125 * k, (3, 3, 2, 2)[k % 4], (5, 7, 5, 8)[k % 4], length=0.12) for k in range(8)]
    project = Project(_recording(), notes=tuple(notes))
    d = difficulty(project, notes)
    assert d.peak == pytest.approx(8.0, abs=0.01)
    assert d.crossings == pytest.approx(3 / 7)
    # Equal temperament: the fret at n lies at scale (1 - 2^(-n/12)) from the nut (textbook formula).
    assert d.stretch_mm == pytest.approx(fret_gap(5, 8, scale_length=project.playing.scale_mm), abs=0.1)
    assert (d.bends, d.shifts, d.techniques) == (0.0, 0, 0.0)
    assert d.load == pytest.approx(sum(d.parts.values()))
    assert "8.0 notes a second" in difficulty_words(d)


def test_faster_is_harder_and_takes_correct_the_pace(demo: Project) -> None:
    loads = {p.name: difficulty(demo, demo.notes_between(p.start, p.end)) for p in demo.phrases}
    assert loads["Rigging"].load > loads["Rope ladder"].load > loads["Night watch"].load
    easy = loads["Night watch"]
    assert pace_for(easy, []) == easy.first_pace
    clean = TakeKept("2027-03-01T10:00", "p6", 90.0, 6, clean=True)
    failed = replace(clean, pace=60.0, missing=("n1", "n2"), clean=False)
    assert pace_for(easy, [clean]) == 95
    assert pace_for(easy, [failed]) == 55


def _recording() -> Recording:
    return Recording("a.wav", "0" * 64, 10.0, 44100, 2)


def test_a_lesson_has_bounds() -> None:
    with pytest.raises(ScoreError, match="5 to 240 minutes"):
        Lesson(minutes=1)
