"""What is said of a take, against takes whose faults are known: made by the simulated player, heard by the program."""

import datetime
import random
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks import faults
from notcher.audio import RATE
from notcher.audio.recording import Audio, AudioError
from notcher.pipeline.transcribe import take_heard
from notcher.score.bend_goal import reached_in
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, Note
from notcher.score.practice import TakeKept
from notcher.score.project import Project
from notcher.teach.alignment import Sounded, TimeMap, Written, align
from notcher.teach.stand_in import Manner, performed
from notcher.teach.take import LONGEST_TAKE_S, Report, judge, kept_of
from notcher.wording.take import report_words, verdict_words, where

# The contract's figures.
LATE_MS, BEND_CENTS = 15.0, 8.0


def _judged(project: Project, name: str, manner: Manner, *, asked: str = "", pace: float | None = None) -> Report:
    sound = performed(project, project.phrase_named(name), manner)
    heard = take_heard(Audio(np.stack([sound, sound]), RATE, 2))
    return judge(project, heard, phrase=project.phrase_named(asked or name), pace=pace)


@pytest.mark.parametrize(("name", "pace"), [("Harbour call", 60.0), ("Signal lamps", 100.0), ("Night watch", 45.0)])
def test_of_a_perfect_take_nothing_is_said(demo: Project, name: str, pace: float) -> None:
    report = _judged(demo, name, Manner(pace=pace, unsteady_ms=2.0))
    assert report_words(demo, report) == "All notes played."
    assert report.pace == pytest.approx(pace / 100, abs=0.01)
    assert all(v.late_ms is not None and abs(v.late_ms) <= LATE_MS for v in report.verdicts)
    assert all(abs(v.bend_error_cents or 0.0) <= BEND_CENTS for v in report.verdicts)


def test_late_notes_and_short_bends_are_measured(demo: Project) -> None:
    report = _judged(demo, "Signal lamps", Manner(late_ms=60.0, short_cents=40.0, unsteady_ms=0.0))
    assert not report.missing
    assert not report.extra
    for k, v in enumerate(report.verdicts):
        assert v.late_ms == pytest.approx(60.0 if k % 3 == 2 else 0.0, abs=LATE_MS)
        if v.note.bend is not None:
            assert v.bend_error_cents == pytest.approx(-40.0, abs=BEND_CENTS)
    said = report_words(demo, report)
    assert "cents flat" in said
    assert "All notes played" in said


def test_a_missing_note_is_named_by_its_count(demo: Project) -> None:
    report = _judged(demo, "Signal lamps", Manner(missed=1, seed=4))
    (missing,) = report.missing
    assert len(report.verdicts) == 9
    words = report_words(demo, report)
    assert words.startswith("8 of 9 notes played, missed: on beat ")
    assert verdict_words(demo, next(v for v in report.verdicts if v.note == missing)) == "missed"


@pytest.mark.parametrize("shift", [-1, 1, 2])
def test_a_take_that_is_moved_is_told_so_and_not_blamed(demo: Project, shift: int) -> None:
    report = _judged(demo, "Night watch", Manner(shift=shift, unsteady_ms=2.0))
    assert (report.shift, report.missing, report.extra) == (shift, (), ())
    assert "half step" in report_words(demo, report)


def test_another_phrase_is_named_and_nothing_of_it_judged(demo: Project) -> None:
    report = _judged(demo, "Slow tide", Manner(), asked="Rope ladder")
    assert not report.recognised
    assert not any(v.there for v in report.verdicts)
    assert report_words(demo, report) == "This sounds like 'Slow tide'."


def test_silence_and_noise_are_no_take(demo: Project) -> None:
    phrase = demo.phrase_named("Slow tide")
    silence = take_heard(Audio(np.zeros((2, 2 * RATE), np.float32), RATE, 2))
    assert report_words(demo, judge(demo, silence, phrase=phrase)) == "Nothing can be heard in this take."
    hiss = np.random.default_rng(5).normal(0, 0.1, (2, 3 * RATE)).astype(np.float32)
    report = judge(demo, take_heard(Audio(hiss, RATE, 2)), phrase=phrase)
    assert not any(v.there for v in report.verdicts)


def test_a_take_of_an_hour_is_refused_with_a_remedy() -> None:
    nothing = np.broadcast_to(np.float32(0), (1, int((LONGEST_TAKE_S + 60) * RATE)))
    long = Audio(nothing, RATE, 1)
    with pytest.raises(AudioError, match="20 minutes, this one 21; cut out"):
        take_heard(long)


def test_a_stretch_without_notes_cannot_be_checked(project: Project) -> None:
    with pytest.raises(ScoreError, match="no notes to compare"):
        judge(replace(project, notes=()), None)


def test_the_same_fault_as_before_is_said(demo: Project) -> None:
    report = _judged(demo, "Signal lamps", Manner(short_cents=40.0, unsteady_ms=0.0))
    bent = {v.note.id: v.bend_error_cents for v in report.verdicts if v.bend_error_cents is not None}
    before = [
        TakeKept(f"2027-03-1{k}T10:00", "p3", 60.0, 9, bends=tuple((i, c) for i, c in bent.items())) for k in (1, 2)
    ]
    assert "as in the last 2 takes" in report_words(demo, report, before=before)
    assert "as in the last take" in report_words(demo, report, before=before[:1])


# -- lining up, without sound -----------------------------------------------------------------------------------------


def _written(rows: Sequence[tuple[float, float]]) -> list[Written]:
    return [Written(t, c, c, c) for t, c in rows]


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.floats(0.15, 1.2), st.integers(40, 76)), min_size=5, max_size=25),
    st.floats(0.3, 1.1), st.integers(-7, 7), st.floats(-40, 40), st.floats(0.0, 9.0),
)  # fmt: skip
def test_pace_shift_and_pairs_are_found_again(
    steps: list[tuple[float, int]], pace: float, shift: int, off: float, lead_in: float
) -> None:
    """Whatever is played as written, at any pace and from any pitch, is found note by note."""
    times = np.cumsum([s for s, _ in steps])
    pitches = [100.0 * p for _, p in steps]
    if len({p - pitches[0] for p in pitches}) < 4:
        return
    written = _written(list(zip(times.tolist(), pitches, strict=True)))
    heard = [Sounded(lead_in + t / pace, p + 100 * shift + off) for t, p in zip(times, pitches, strict=True)]
    found = align(written, heard, grounds=off)
    assert found is not None
    assert found.shift == shift
    assert found.pairs == tuple((k, k) for k in range(len(steps)))
    assert found.times.stretch == pytest.approx(1 / pace, rel=1e-3)
    assert found.offset_cents == pytest.approx(off, abs=0.5)


def test_a_pace_that_drifts_is_taken_out() -> None:
    """Five in a hundred slower from the beginning to the end, and one note late: only that one is."""
    times = [0.4 * k for k in range(30)]
    pitches = [6000.0 + 100 * ((7 * k) % 12) for k in range(30)]
    played = [1.0 + t / 0.6 * (1 + 0.05 * t / 12) + (0.09 if k == 11 else 0.0) for k, t in enumerate(times)]
    heard = [Sounded(t, p) for t, p in zip(played, pitches, strict=True)]
    found = align(_written(list(zip(times, pitches, strict=True))), heard)
    assert found is not None
    assert len(found.pairs) == 30
    late = [1000 * (found.times.recording_s(t) - w) for t, w in zip(played, times, strict=True)]
    assert late[11] == pytest.approx(54, abs=8)
    assert max(abs(ms) for k, ms in enumerate(late) if k != 11) < 8


def test_a_time_map_goes_there_and_back() -> None:
    times = TimeMap(1.6, 0.7, ((0.0, 0.0), (4.0, 0.12), (9.0, -0.05)))
    for t in (0.0, 1.3, 4.0, 8.8, 12.0):
        assert times.recording_s(times.take_s(t)) == pytest.approx(t, abs=1e-3)


def test_nothing_in_common_is_no_alignment() -> None:
    assert align([], [Sounded(1.0, 6000.0)]) is None
    assert align(_written([(0.0, 6000.0)]), []) is None


def test_who_stands_still_goes_on_from_there(demo: Project) -> None:
    """A second of silence before the sixth of nine notes: all are there, and that is what is said."""
    phrase = demo.phrase_named("Signal lamps")
    sound = performed(demo, phrase, Manner(pace=60, unsteady_ms=2.0))
    notes = demo.notes_between(phrase.start, phrase.end)
    cut = round((0.5 + (notes[5].onset - notes[0].onset) / 0.6 - 0.004) * RATE)
    halted = np.concatenate([sound[:cut], np.zeros(RATE, np.float32), sound[cut:]])
    report = judge(demo, take_heard(Audio(np.stack([halted, halted]), RATE, 2)), phrase=phrase)
    assert report.missing == ()
    assert report.halts == (notes[5],)
    assert "you stopped before the note on" in report_words(demo, report, phrase=phrase)
    assert max(abs(v.late_ms or 0.0) for v in report.verdicts) < 40


def test_colour_is_forgiven_until_it_is_asked_for(demo: Project) -> None:
    """A phrase without its vibrato, all of it picked."""
    name = "Harbour call"
    phrase = demo.phrase_named(name)
    plain = demo.with_notes(
        [replace(n, vibrato=None, attack=Attack.PICK) if phrase.holds(n.onset) else n for n in demo.notes]
    )
    sound = performed(plain, phrase, Manner(pace=80, unsteady_ms=2.0))
    report = judge(demo, take_heard(Audio(np.stack([sound, sound]), RATE, 2)), phrase=phrase)
    assert "vibrato" not in report_words(demo, report, phrase=phrase)
    assert "has no vibrato" in report_words(demo, report, phrase=phrase, colour=True)


def test_a_bend_that_comes_late_to_its_goal_is_said(demo: Project) -> None:
    """The last bend of the phrase rises a quarter of a second later than in the recording."""
    phrase = demo.phrase_named("Signal lamps")
    last = [n for n in demo.notes_between(phrase.start, phrase.end) if n.bend is not None][-1]
    assert last.bend is not None
    points = tuple((t + 0.25 if c > 20 else t, c) for t, c in last.bend.points)
    points = tuple(sorted(points))
    late = demo.with_notes(
        [replace(n, bend=replace(last.bend, points=points)) if n.id == last.id else n for n in demo.notes]
    )
    sound = performed(late, phrase, Manner(pace=80, unsteady_ms=2.0))
    report = judge(demo, take_heard(Audio(np.stack([sound, sound]), RATE, 2)), phrase=phrase)
    (verdict,) = [v for v in report.verdicts if v.note.id == last.id]
    assert verdict.goal_late_ms == pytest.approx(250, abs=60)
    assert "reaches its pitch" in report_words(demo, report, phrase=phrase)


# -- faults put in, one by one: every one is told at its note, and nothing besides ------------------------------------


@pytest.mark.parametrize(
    ("name", "kinds"),
    [
        ("Signal lamps", ()), ("Climb", ()), ("Rope ladder", ()), ("Slow tide", ("hammered wrong",)),
        ("Climb", ("hammered wrong",)), ("Two ropes", ("together",)), ("Signal lamps", ("late", "wrong")),
        ("Night watch", ("missing", "wrong")),
        ("Signal lamps", ("missing", "short")),
    ],
)  # fmt: skip
def test_what_is_put_into_a_take_is_told_and_nothing_besides(demo: Project, name: str, kinds: tuple[str, ...]) -> None:
    phrase = demo.phrase_named(name)
    possible = faults.possible(demo, phrase, random.Random(7))
    take = faults.Faulty(demo.phrases.index(phrase), tuple(possible[k] for k in kinds), 1.0, 7)
    report = judge(demo, take_heard(faults.played(demo, take)), phrase=phrase)
    assert faults.told(demo, take, report) == ([], [])
    assert report.is_clean(demo.lesson) == (not kinds)
    words = report_words(demo, report, phrase=phrase)
    for fault in take.faults:
        note = demo.note(fault.note)
        if fault.kind != "extra":
            assert spoken_place(demo, note) in words, f"{fault.kind} is named"


def spoken_place(demo: Project, note: Note) -> str:
    """The count of a note, as the sentence has it, whether or not the bar is named."""
    return where(demo, note)


def test_three_late_notes_of_nine_are_no_clean_take(demo: Project) -> None:
    phrase = demo.phrase_named("Signal lamps")
    report = _judged(demo, "Signal lamps", Manner(late_ms=120.0, unsteady_ms=0.0))
    late = [v.note.id for v in report.verdicts if v.late_ms is not None and abs(v.late_ms) > 60]
    assert len(late) == 3
    assert not report.is_clean(demo.lesson)
    kept = kept_of(report, phrase, when=datetime.datetime(2027, 3, 14, 18, 5))
    assert kept is not None
    assert not kept.clean
    assert [note for note, _ in kept.late] == late
    words = report_words(demo, report)
    assert words.count(" ms late") == 3, "each is named"
    assert report.is_clean(replace(demo.lesson, clean_ms=200)), "clean is what the person set"


def test_of_three_short_bends_each_is_named(demo: Project) -> None:
    report = _judged(demo, "Signal lamps", Manner(short_cents=50.0, unsteady_ms=0.0))
    short = [v for v in report.verdicts if (v.bend_error_cents or 0.0) < -25]
    assert report_words(demo, report).count(" cents flat") == len(short) > 1
    assert not report.is_clean(demo.lesson)


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from((100, 150, 200, 300)), st.floats(0.06, 0.6), st.floats(3.5, 7.5), st.floats(0, 40),
    st.floats(0.6, 2.0),
)  # fmt: skip
def test_a_shaken_bend_comes_to_its_middle(goal: int, rise: float, rate: float, extent: float, rest: float) -> None:
    """Goal within 10 cents and arrival within 40 ms, of known curves; nine tenths of the goal is arrived."""
    t = np.arange(0.0, rise + rest, 0.005)
    curve = goal * (0.5 - 0.5 * np.cos(np.pi * np.clip(t / rise, 0, 1)))
    since = np.clip(t - rise, 0, None)
    curve = curve + extent * np.clip(since / 0.15, 0, 1) * np.sin(2 * np.pi * rate * since)
    found = reached_in(curve)
    assert found.goal == pytest.approx(goal, abs=10)
    assert found.arrives == pytest.approx(rise * np.arccos(1 - 2 * 0.9) / np.pi, abs=0.04)
