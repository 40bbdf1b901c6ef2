"""Steps of reading frames, each on its own: voicing, the search through candidates, presence, the second contour."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.audio import RATE
from notcher.audio.recording import Audio
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.second_string import second_contour
from notcher.listen.candidates.tuning_offset import offset_of_contour
from notcher.listen.decide.lead_presence import SIGNS, is_a_lead, signs_of
from notcher.listen.decide.reconcile import reconciled
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import LOWEST, PER_SEMITONE, PITCHES, Begun, Ear, begun, difference_of, followed
from notcher.listen.frames.measure import BLOCK_S, Frames, Setup, blocks, measure_frames
from notcher.listen.frames.network import PITCHES_HZ, PitchScores
from notcher.listen.frames.pitch_path import best_path, blended
from notcher.listen.frames.spectrum import HOP
from notcher.listen.frames.voicing import sounding, usual_level
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.measured import Measured
from notcher.score.note import Attack
from tests.conftest import tone

STEP_CENTS = 6900 + 1200 * np.log2(PITCHES_HZ / 440)


# -- blocks --------------------------------------------------------------------------------------------------------


@given(st.floats(0, 50), st.floats(0.5, 300), st.floats(0, 350))
def test_blocks_cover_a_stretch_once_and_begin_with_what_is_in_view(start: float, length: float, first: float) -> None:
    end = start + length
    cut = blocks(start, end, first)
    ordered = sorted(cut)
    assert ordered[0][0] == start
    assert ordered[-1][1] == pytest.approx(end, abs=2 * HOP)
    assert all(a[1] == b[0] for a, b in itertools.pairwise(ordered))
    assert all(b - a <= BLOCK_S + 1e-9 for a, b in cut)
    assert sorted(blocks(start, end)) == ordered
    if start <= first < ordered[-1][1]:
        assert cut[0][0] <= first < cut[0][1]


# -- the search through the candidates -----------------------------------------------------------------------------


def scores(*rows: dict[int, float]) -> PitchScores:
    """Likelihoods of some of the 95 pitches each frame, the rest spread thinly."""
    p = np.full((len(rows), 95), 1e-4)
    for k, row in enumerate(rows):
        for pitch, share in row.items():
            p[k, pitch] = share
    p /= p.sum(axis=1, keepdims=True)
    return PitchScores(np.log(p).astype(np.float32), np.full(len(rows), 0.9, np.float32))


def test_one_odd_frame_does_not_move_the_path() -> None:
    """The winner of the fourth frame is another pitch; the way through the passage is not."""
    rows = [{40: 0.8, 60: 0.1}] * 3 + [{40: 0.42, 60: 0.5}] + [{40: 0.8, 60: 0.1}] * 3
    path = best_path(scores(*rows), lowest=0.0, highest=12000.0)
    assert np.all(np.abs(path.cents - STEP_CENTS[40]) < 40)


def test_a_lasting_change_moves_it() -> None:
    path = best_path(scores(*[{40: 0.8}] * 6, *[{47: 0.8}] * 6), lowest=0.0, highest=12000.0)
    assert abs(path.cents[2] - STEP_CENTS[40]) < 40
    assert abs(path.cents[9] - STEP_CENTS[47]) < 40


def test_nothing_outside_the_leads_range_is_taken() -> None:
    path = best_path(scores(*[{10: 0.9, 40: 0.05}] * 6), lowest=float(STEP_CENTS[20]), highest=12000.0)
    assert np.all(np.abs(path.cents - STEP_CENTS[40]) < 40)


def test_two_views_are_one_opinion() -> None:
    both = blended([scores({40: 0.9}), scores({40: 0.5, 60: 0.4})], None, 0.25)
    assert np.argmax(both.log_p[0]) == 40
    with_whole = blended([scores({40: 0.5, 60: 0.45})], scores({60: 0.9}), 0.5)
    assert np.argmax(with_whole.log_p[0]) == 60


# -- where the lead sounds -----------------------------------------------------------------------------------------


def test_what_lies_far_below_the_usual_level_does_not_sound() -> None:
    n = 2000
    level = np.where(np.arange(n) % 400 < 200, -20.0, -55.0)
    sure = np.full(n, 0.8)
    likely = sounding(sure, sure, np.full(n, 0.5), level, sure)
    assert np.mean(likely[(np.arange(n) % 400 > 20) & (np.arange(n) % 400 < 180)]) > 0.8
    assert np.mean(likely[np.arange(n) % 400 > 220]) < 0.3


def test_the_usual_level_follows_a_passage_that_is_softer() -> None:
    level = np.concatenate([np.full(4000, -15.0), np.full(4000, -24.0)])
    usual = usual_level(level, np.full(8000, 0.9))
    assert usual[500] == pytest.approx(-15.0)
    assert usual[-500] == pytest.approx(-24.0)
    assert usual_level(np.full(10, -40.0), np.zeros(10)).tolist() == [-40.0] * 10


# -- whether it is a lead at all -----------------------------------------------------------------------------------


def heard(pitches: list[int], length: float) -> list[HeardNote]:
    return [
        HeardNote(k * 0.5, k * 0.5 + length, p, Attack.PICK, None, None, frozenset(), 0.7, Measured())
        for k, p in enumerate(pitches)
    ]


def trace_with(wander: float, share: float, fall_db: float) -> Trace:
    """Ten seconds: how far the pitch moves from frame to frame (cents), how sure the network is, and how far the level
    falls in each half second."""
    rng = np.random.default_rng(1)
    n = 2000
    cents = 6000.0 + rng.normal(0, wander, n)
    level = -20.0 - fall_db * (np.arange(n) % 100) / 100
    return Trace(cents, np.full(n, 0.8), level, np.full(n, share), np.full(n, 0.6), np.full(n, share))


def ear_that(sure: float) -> Ear:
    """Ten seconds in which one string is heard, so surely."""
    out = Ear.silent(1000)
    out.sounds[:, 50] = round(255 * sure)
    return out


ENERGY = np.full(2000, -20.0)
STEPS, LEAPS = [60, 62, 63, 62, 60, 58, 60] * 3, [60, 48, 67, 52, 64, 45, 60] * 3


def test_a_lead_that_is_out_of_tune_is_still_one() -> None:
    assert is_a_lead(trace_with(0.5, 0.85, 6.0), ENERGY, ear_that(0.95), heard(STEPS, 0.45), spread_cents=6.0)


def test_what_wanders_and_leaps_and_stops_is_none() -> None:
    assert not is_a_lead(trace_with(4.0, 0.4, 0.0), ENERGY, ear_that(0.3), heard(LEAPS, 0.2), spread_cents=5.0)


def test_a_few_notes_are_a_lead_where_they_are_sure_or_all_there_is() -> None:
    few = heard(STEPS[:5], 0.4)
    sure = [replace(n, confidence=0.95) for n in few]
    trace, ear = trace_with(1.0, 0.8, 6.0), ear_that(0.6)
    assert is_a_lead(trace, ENERGY, ear, sure, spread_cents=2.0)
    assert not is_a_lead(trace, ENERGY, ear, few, spread_cents=2.0), "seven in ten, over ten seconds of sound"
    short = np.where(np.arange(2000) < 600, -20.0, -90.0)
    assert is_a_lead(trace, short, ear, few, spread_cents=2.0)


def test_the_signs_are_what_they_say() -> None:
    signs = signs_of(trace_with(2.0, 0.7, 10.0), ENERGY, ear_that(0.9), heard(STEPS, 0.45), spread_cents=1.5)
    assert signs is not None
    found = dict(zip(SIGNS, signs, strict=True))
    # The median of |a - b| of two normal values of spread 2 is 0.6745 * 2 * sqrt(2).
    assert np.exp(found["wander"]) - 0.1 == pytest.approx(1.908, rel=0.1)
    assert found["share"] == found["share_of_notes"] == pytest.approx(0.7)
    assert found["rests"] == 0.0
    assert found["step"] == 2.0
    assert found["sure"] == pytest.approx(0.7)
    assert found["heard"] == 1.0
    # From 40 ms after the onset to 20 ms before the end, of 500 ms in which the level falls 10 dB.
    assert found["decay"] == pytest.approx(10 * (0.45 - 0.06) / 0.5, abs=0.2)


# -- what the ear heard --------------------------------------------------------------------------------------------


def struck_at(ear: Ear, frame: int, midi: float, likely: float) -> None:
    at = round((midi - LOWEST) * PER_SEMITONE)
    ear.struck[frame, at] = round(255 * likely)
    ear.struck[frame - 1 : frame + 2, at - 1 : at + 2] = np.maximum(
        ear.struck[frame - 1 : frame + 2, at - 1 : at + 2], round(100 * likely)
    )


def test_beginnings_are_peaks_and_two_strings_are_two() -> None:
    ear = Ear.silent(300)
    struck_at(ear, 100, 64, 0.9)
    struck_at(ear, 100, 59, 0.6)
    struck_at(ear, 200, 64, 0.05)
    found = begun(ear, 0.1)
    assert [(round(b.time, 2), round(b.midi), round(b.likely, 1)) for b in found] == [(1.0, 59, 0.6), (1.0, 64, 0.9)]
    assert all(isinstance(b, Begun) and b.struck > b.fingered for b in found)


def test_a_string_is_followed_as_it_is_bent_until_it_is_gone() -> None:
    ear = Ear.silent(300)
    pitch = 60 + np.clip((np.arange(300) - 60) / 20, 0, 2)
    for k in range(40, 200):
        place = (pitch[k] - LOWEST) * PER_SEMITONE
        ear.sounds[k] = np.round(250 * np.exp(-0.5 * ((np.arange(PITCHES) - place) / 0.6) ** 2))
    way = followed(ear, 0.4, 60.0, 3.0)
    assert len(way) == pytest.approx(157, abs=3)
    assert way[0] == pytest.approx(60.0, abs=0.1)
    assert way[-10:] == pytest.approx(62.0, abs=0.1)


def test_only_some_of_what_was_heard() -> None:
    ear = Ear.silent(300)
    ear.sounds[:] = 9
    part = ear.only(1.0, 2.0)
    assert part.sounds[100:200].min() == 9
    assert part.sounds.sum() == 100 * PITCHES * 9


# -- other strings -------------------------------------------------------------------------------------------------


def test_the_contour_of_the_other_string_follows_its_bend() -> None:
    """E4 rings, B3 is bent up a whole step beside it (an oblique bend)."""
    up = np.concatenate([np.zeros(30), np.linspace(0, 200, 30), np.full(60, 200)])
    sound = tone(329.63, 1.2, decay=0.4) + tone(246.94, 1.2, cents=up, decay=0.4)
    lead = Isolation(StereoPosition.MIX, low_hz=60.0)
    frames: Frames | None = None
    for known, _ in measure_frames(Audio(sound[None, :], RATE, 1), Setup(lead, alone=True), start=0.0, end=1.2):
        frames = known
    assert frames is not None
    frames.trace.cents[:] = 6400.0
    cents, lead_in = second_contour(frames, 0.0, 59, 64.0, 0.0)
    assert lead_in == pytest.approx(0.03)
    assert np.median(cents[:20]) == pytest.approx(5900, abs=15)
    assert np.median(cents[150:190]) == pytest.approx(6100, abs=15)


def test_a_contour_on_a_partial_is_put_on_the_note() -> None:
    cents = np.full(100, 6000.0)
    cents[40:60] = 7200.0
    cents[80:] = 6350.0
    trace = Trace(cents, np.ones(100), np.zeros(100), np.ones(100), np.ones(100), np.ones(100))
    note = HeardNote(0.0, 0.5, 60, Attack.PICK, None, None, frozenset(), 0.9, Measured())
    fixed = reconciled(trace, [note], 0.0, Ear.silent(50)).cents
    assert np.all(fixed[40:60] == 6000.0)
    assert np.all(fixed[85:] == 6350.0), "what is no partial stays as it was heard"


def test_a_contour_on_a_string_that_the_ear_hears_stays_there() -> None:
    trace = Trace(np.full(100, 7200.0), np.ones(100), np.zeros(100), np.ones(100), np.ones(100), np.ones(100))
    note = HeardNote(0.0, 0.5, 60, Attack.PICK, None, None, frozenset(), 0.9, Measured())
    assert np.all(reconciled(trace, [note], 0.0, sounding_at(72.0)).cents == 7200.0)


def sounding_at(*midi: float) -> Ear:
    ear = Ear.silent(50)
    for m in midi:
        ear.sounds[:, round((m - LOWEST) * PER_SEMITONE)] = 230
    return ear


def test_two_strings_make_their_difference() -> None:
    """A fifth's difference tone lies an octave under its lower note (f2 - f1 = f1 / 2), a fourth's two octaves under
    its upper (f2 - f1 = f2 / 4): intervals of 3:2 and 4:3."""
    fifth = sounding_at(67.0, 74.0)
    assert difference_of(fifth, 0.2, 55.0) > 0.8
    assert difference_of(sounding_at(69.0, 74.0), 0.2, 50.0) > 0.8
    assert difference_of(fifth, 0.2, 60.0) == 0.0
    assert difference_of(sounding_at(67.0), 0.2, 55.0) == 0.0


# -- the offset from what is stored --------------------------------------------------------------------------------


@pytest.mark.parametrize("offset", [-35.0, -14.0, 0.0, 22.0])
def test_the_offset_of_a_stored_contour_leaves_bends_out(offset: float) -> None:
    rng = np.random.default_rng(7)
    notes = [np.full(60, 100.0 * p + offset) + rng.normal(0, 1.5, 60) for p in (62, 64, 67, 69, 71, 74)]
    bends = [np.linspace(6700, 6900, 60) + offset, np.full(40, 6750.0 + offset)]
    cents = np.concatenate([*notes, *bends, np.full(30, -0.1)])
    deci = np.where(cents > 0, np.round(cents * 10), -1).astype(np.int64)
    found = offset_of_contour(deci, np.full(len(deci), 90))
    assert found.cents == pytest.approx(offset, abs=1.5)
    assert found.spread < 3.0
    assert offset_of_contour(np.full(100, -1), np.zeros(100, np.int64)).notes == 0
