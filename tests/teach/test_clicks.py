"""The count, the click and the breath: where a player counts, at every pace, also where the beat stretches."""

import itertools
from dataclasses import replace

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.audio.player import Click, Player
from notcher.score.errors import ScoreError
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from notcher.teach.clicks import breath, clicks_between, count_in
from notcher.teach.pace import read_pace, stepped, tapped_pace
from tests.conftest import note, small_project, tone


def phrase_from(beat: float, *, size: int = 4, bpm: float = 120.0, tempo: TempoMap | None = None) -> Project:
    """Notes from a beat on (0 is the first of bar 1), a beat apart."""
    made = tempo or TempoMap.steady(bpm, first_beat=1.0, count=40, beats_per_bar=size)
    notes = [note(k, made.time_at(beat + k), 2, 5 + k) for k in range(3)]
    return replace(small_project().with_notes(notes), tempo=made, phrases=())


def counted(project: Project, early: float = 0.08) -> list[tuple[float, int]]:
    """The beats that are counted before the first note, and how strong each is."""
    tempo = project.tempo
    assert tempo is not None
    clicks = count_in(project, project.notes[0].onset - early)
    return [(round(tempo.beat_at(c.time), 4), c.strength) for c in clicks]


def test_the_count_ends_where_the_first_note_is_counted() -> None:
    """Common practice, no source: 'four and' is counted 1 2 3 4 (and); a note on 1 has the bar before it."""
    assert counted(phrase_from(7.5)) == [(4, 2), (5, 1), (6, 1), (7, 1)]
    assert counted(phrase_from(8.0)) == [(4, 2), (5, 1), (6, 1), (7, 1)]
    assert counted(phrase_from(7.0)) == [(4, 2), (5, 1), (6, 1)]
    assert counted(phrase_from(6.0)) == [(0, 2), (1, 1), (2, 1), (3, 1), (4, 2), (5, 1)]
    assert counted(phrase_from(6.0, size=3)) == [(3, 2), (4, 1), (5, 1)]
    assert counted(phrase_from(4.0, size=2)) == [(0, 2), (1, 1), (2, 2), (3, 1)]
    assert len(counted(phrase_from(6.0, size=6))) == 6
    # Before the recording begins, too; and where the phrase begins long before its first note.
    assert counted(phrase_from(0.0)) == [(-4, 2), (-3, 1), (-2, 1), (-1, 1)]
    assert counted(phrase_from(8.0), early=1.2) == [(4, 2), (5, 1), (6, 1), (7, 1)]


def test_with_rubato_the_clicks_stretch() -> None:
    beats = tuple(np.cumsum([1.0, *(0.4 + 0.02 * k for k in range(20))]).tolist())
    project = phrase_from(8.0, tempo=TempoMap(beats, 4))
    times = [c.time for c in count_in(project, project.notes[0].onset - 0.05)]
    assert times == pytest.approx(list(beats[4:8]))


def test_without_a_beat_four_even_clicks_lead_to_the_first_note() -> None:
    project = replace(phrase_from(8.0), tempo=None)
    first = project.notes[0].onset
    assert [c.time for c in count_in(project, first - 0.1)] == pytest.approx([first - 0.6 * k for k in (4, 3, 2, 1)])


@pytest.mark.parametrize("pace", [1.0, 0.5, 0.25])
@pytest.mark.parametrize("beat", [8.0, 7.5])
def test_rendered_clicks_lead_to_the_first_note_within_10_ms(pace: float, beat: float) -> None:
    """The sound is looked at: clicks of the player over a recording in which the first note is plucked."""
    project = phrase_from(beat)
    tempo = project.tempo
    assert tempo is not None
    onset = project.notes[0].onset
    sound = np.zeros((1, 12 * RATE), np.float32)
    at = round(onset * RATE)
    plucked = tone(330.0, 1.0)
    sound[0, at : at + len(plucked)] = plucked
    player = Player()
    try:
        player.set_sources({"burst": lambda a, b: _cut(sound, a, b)}, duration=12.0)
        player.set_pace(pace)
        start = onset - 0.078
        player.seek(start)
        clicks = count_in(project, start)
        player.play(count_in=clicks)
        lasts = (onset - clicks[0].time) / pace + 0.4
        got = np.abs(_pulled(player, lasts)[0])
    finally:
        player.close()
    beats = [(c.time - clicks[0].time) / pace for c in clicks]
    after = round((beats[-1] + 0.06) * RATE)
    assert _onsets(got[:after]) == pytest.approx(beats, abs=0.01)
    # A note begins where it is a third as loud as it gets; slowing smears it over some milliseconds.
    note_at = after + int(np.argmax(got[after:] > 0.3 * got[after:].max()))
    assert note_at / RATE == pytest.approx((onset - clicks[0].time) / pace, abs=0.01 if pace == 1.0 else 0.02)


def _cut(sound: np.ndarray, start: float, end: float) -> np.ndarray:
    return sound[:, max(0, round(start * RATE)) : round(end * RATE)]


def _pulled(player: Player, seconds: float) -> np.ndarray:
    import time

    out, due = [], round(seconds * RATE)
    limit = time.monotonic() + 30
    while due > 0 and time.monotonic() < limit:
        if player.buffered() < 0.02:
            time.sleep(0.005)
            continue
        n = min(due, 441)
        out.append(player.pull(n))
        due -= n
    return np.concatenate(out, axis=1)


def _onsets(loud: np.ndarray) -> list[float]:
    """Where it becomes loud after 60 ms of quiet."""
    over = np.flatnonzero(loud > 0.1)
    starts = [over[0], *(b for a, b in itertools.pairwise(over) if b - a > 0.06 * RATE)]
    return [float(s) / RATE for s in starts]


def test_clicks_go_along_in_parts_with_accents() -> None:
    tempo = TempoMap.steady(120, first_beat=1.0, count=20)
    clicks = clicks_between(tempo, 1.0, 3.0, parts=2)
    assert [(c.time, c.strength) for c in clicks] == [
        (1.0, 2), (1.25, 0), (1.5, 1), (1.75, 0), (2.0, 1), (2.25, 0), (2.5, 1), (2.75, 0),
    ]  # fmt: skip
    assert {c.strength for c in clicks_between(tempo, 1.0, 5.0, accents=False)} == {1}
    assert clicks_between(None, 0.0, 5.0) == ()


def test_a_breath_is_the_last_beats_before_the_loop() -> None:
    project = phrase_from(8.0)
    loop = (project.notes[0].onset - 0.05, project.notes[-1].end)
    tempo = project.tempo
    assert tempo is not None
    assert [round(tempo.beat_at(c.time)) for c in breath(project, loop, 2)] == [6, 7]
    assert [round(tempo.beat_at(c.time)) for c in breath(project, loop, 6)] == [2, 3, 4, 5, 6, 7]
    assert breath(project, loop, 0) == ()


def test_rounds_are_a_breath_apart() -> None:
    player = Player()
    try:
        burst = np.zeros((1, 4 * RATE), np.float32)
        burst[0, RATE : RATE + 2000] = 0.5
        player.set_sources({"burst": lambda a, b: _cut(burst, a, b)}, duration=4.0)
        player.set_loop((1.0, 1.5))
        player.set_breath([Click(0.5, 1), Click(0.75, 1)], sounds=False)
        player.play()
        found = _onsets(np.abs(_pulled(player, 2.6)[0]))
    finally:
        player.close()
    assert np.diff(found) == pytest.approx([1.0] * (len(found) - 1), abs=0.01)
    assert len(found) == 3


@pytest.mark.parametrize("semitones", [-5, 1, 7])
@pytest.mark.parametrize("pace", [1.0, 0.5])
def test_moved_by_semitones_within_2_cents_each(semitones: int, pace: float) -> None:
    """Playing along with a solo half a step down: a tone of 440 Hz, and the strongest line of what sounds."""
    t = np.arange(6 * RATE) / RATE
    steady = (0.4 * np.sin(2 * np.pi * 440.0 * t))[None, :].astype(np.float32)
    player = Player()
    try:
        player.set_sources({"tone": lambda a, b: _cut(steady, a, b)}, duration=6.0)
        player.set_pace(pace)
        player.set_cents(100.0 * semitones)
        player.play()
        sound = _pulled(player, 4.0)[0][RATE:]
    finally:
        player.close()
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), n=1 << 20))
    found = int(np.argmax(spectrum)) * RATE / (1 << 20)
    assert 1200 * np.log2(found / 440.0) == pytest.approx(100 * semitones, abs=2 * abs(semitones))


def test_a_pace_is_typed_either_way_stepped_and_tapped() -> None:
    assert [read_pace(text, bpm=92.0, now=50) for text in ("50", "50 %", "46 bpm", "+5", "-4,6 bpm", "100%")] == [
        50, 50, 50, 55, 45, 100,
    ]  # fmt: skip
    for text, why in (("fast", "no pace"), ("", "no pace"), ("5", "goes from 25"), ("200", "to 110")):
        with pytest.raises(ScoreError, match=why):
            read_pace(text, bpm=92.0, now=50)
    with pytest.raises(ScoreError, match="no beat"):
        read_pace("46 bpm", bpm=None, now=50)
    assert [stepped(52, "10 %", bpm=92.0, up=up) for up in (True, False)] == [60, 50]
    assert stepped(60, "10 %", bpm=None, up=False) == 50
    # 50 % of 92 bpm is 46: up to 50 bpm, down to 45.
    assert [round(stepped(50, "5 bpm", bpm=92.0, up=up) * 0.92) for up in (True, False)] == [50, 45]
    assert stepped(110, "5 %", bpm=92.0, up=True) == 110
    assert tapped_pace([0.0, 1.3, 2.6, 3.9], bpm=92.0) == 50
    assert tapped_pace([0.0, 1.3], bpm=92.0) is None
    assert tapped_pace([0.0, 1.0, 2.0], bpm=None) is None
