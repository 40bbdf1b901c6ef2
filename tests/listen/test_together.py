"""Strings that sound together, from plucked sounds made for the test; and the forests that decide."""

import numpy as np
import pytest
from benchmarks.scores import pitch_accuracy
from benchmarks.truth import Truth

from notcher.audio import RATE
from notcher.audio.recording import Audio
from notcher.audio.survey import survey
from notcher.listen.candidates.voices import StrikeSpectra, new_pitches
from notcher.listen.decide.transcription import Transcription
from notcher.listen.frames.evidence import AFTER_S, BEFORE_S, LONGEST_S, explain
from notcher.listen.frames.spectrum import HOP, LOW_RATE
from notcher.listen.frames.stereo_position import propose_isolation
from notcher.listen.listener import listen
from notcher.models.classifier import classifier, listening_in
from notcher.models.forest import Forest
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.plays import Plays
from tests.conftest import fifths, hz, tone, two_leads


def played(*chords: tuple[int, ...], seconds: float = 0.7) -> Transcription:
    """Chords one after another, a short rest before each."""
    rest = np.zeros(RATE // 12, np.float32)
    parts = [x for pitches in chords for x in (rest, sum(tone(hz(p), seconds) for p in pitches))]
    return listen(
        Audio(np.concatenate([*parts, rest])[None, :], RATE, 1), lead=Isolation(StereoPosition.MIX, low_hz=60.0)
    )


def together(heard: Transcription) -> list[set[int]]:
    groups: list[tuple[float, set[int]]] = []
    for n in sorted(heard.notes, key=lambda n: n.onset):
        if groups and n.onset - groups[-1][0] < 0.05:
            groups[-1][1].add(n.pitch)
        else:
            groups.append((n.onset, {n.pitch}))
    return [pitches for _, pitches in groups]


@pytest.mark.parametrize("interval", [3, 4, 5, 8, 9])
def test_double_stops_of_the_usual_intervals(interval: int) -> None:
    """Thirds, fourths and sixths (common practice, no source): both notes of most are heard, and no third one."""
    chords = [(p, p + interval) for p in (57, 60, 62, 64)]
    found = together(played(*chords))
    assert sum(set(c) <= f for c, f in zip(chords, found, strict=False)) >= 3
    assert max(len(f) for f in found) <= 3


def test_single_notes_have_no_second_string() -> None:
    found = together(played((57,), (62,), (69,), (64,), (60,)))
    assert found == [{57}, {62}, {69}, {64}, {60}]


def test_what_rings_on_is_not_new() -> None:
    """Before a strike 330 Hz sounds already; only the fourth above it begins."""
    t = tone(hz(64), 1.0, decay=0.3)
    new = tone(hz(69), 0.5)
    sound = t.copy()
    sound[RATE // 2 :] += new[: len(sound) - RATE // 2]
    import soxr

    low = soxr.resample(sound, RATE, LOW_RATE)
    at, n = LOW_RATE // 2, 2048
    spectra = StrikeSpectra.at(low[at - 220 - n : at - 220], low[at + 260 : at + 260 + n], 0.0)
    assert spectra.growth(69) > 0.4 > 0.25 > spectra.growth(64)
    assert new_pitches(spectra, known=64.0)[0].pitch == 69


# -- where the lead sits -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("pan", [-0.5, 0.0, 0.5])
def test_the_seat_of_a_lead_over_a_panned_chord(pan: float) -> None:
    """Equal-power panning: left and right are (cos a, sin a) of the sound, a from 0 to a quarter turn."""
    line = np.concatenate([tone(hz(p), 0.5) for p in (64, 67, 69, 72, 71, 67)] * 2)
    chord = sum(0.25 * tone(hz(p), len(line) / RATE, decay=0.05) for p in (52, 59, 64))
    side = -0.9 if pan > 0 else 0.9
    a, b = ((p + 1) * np.pi / 4 for p in (pan, side))
    stereo = np.stack([np.cos(a) * line + np.cos(b) * chord, np.sin(a) * line + np.sin(b) * chord])
    audio = Audio(stereo.astype(np.float32), RATE, 2)
    found = propose_isolation(audio, survey(audio))
    assert found.lead.stereo_position is StereoPosition.PAN
    assert found.lead.pan == pytest.approx(pan, abs=0.12)


def test_two_lines_that_are_as_clear_are_told_one_as_where_it_may_be_as_well() -> None:
    """Two leads, one left and one right, as loud: one of them is listened to, the other offered."""
    audio = Audio(two_leads(), RATE, 2)
    found = propose_isolation(audio, survey(audio))
    assert found.other is not None
    assert found.lead.pan * found.other.pan < 0 or StereoPosition.SIDES in (
        found.lead.stereo_position, found.other.stereo_position,
    )  # fmt: skip
    heard = listen(audio)
    assert (heard.lead, heard.other_lead) == (found.lead, found.other)
    assert listen(audio, lead=found.other).other_lead is None, "whoever says where it sits is not asked"


def test_a_riff_is_heard_low_and_never_doubted() -> None:
    """Fifths on the low strings, as one guitar plays them; as a line it may well be refused, as a riff it is not."""
    riff = fifths(40, 43, 45, 40, 43, 46, 45, 40)
    heard = listen(Audio(riff[None, :].astype(np.float32), RATE, 1), plays=Plays.RIFF)
    assert heard.lead.low_hz < 82.4, "Hz of the low E string, as A4 = 440 has it"
    assert {40, 43, 45} <= {n.pitch for n in heard.notes}


def test_a_riff_lowers_the_band_only_where_nobody_chose_it() -> None:
    assert Plays.RIFF.heard_in(Isolation.named("left")).low_hz == 60.0
    assert Plays.RIFF.heard_in(Isolation(low_hz=90.0)).low_hz == 90.0
    assert Plays.LINE.heard_in(Isolation.named("left")) == Isolation.named("left")


# -- recordings that are wrong in some way -------------------------------------------------------------------------

LINE = np.concatenate([np.zeros(RATE // 20, np.float32), *(tone(hz(p), 0.5) for p in (64, 67, 69, 72))])
PITCHES = [64, 67, 69, 72]


@pytest.mark.parametrize(
    ("what", "sound"),
    [
        ("mono", LINE[None, :]),
        ("the same in both channels", np.stack([LINE, LINE])),
        ("right is left upside down", np.stack([LINE, -LINE])),
        ("very quiet", np.stack([LINE, LINE]) * 10 ** (-50 / 20)),
        ("clipped", np.clip(np.stack([LINE, 0.9 * LINE]) * 8, -1, 1)),
        ("with DC", np.stack([LINE, LINE]) * 0.5 + 0.3),
        ("one channel empty", np.stack([LINE, np.zeros_like(LINE)])),
    ],
)
def test_the_notes_come_out_all_the_same(what: str, sound: np.ndarray) -> None:
    heard = listen(Audio(sound.astype(np.float32), RATE, sound.shape[0]))
    assert [n.pitch for n in heard.notes] == PITCHES, what


@pytest.mark.slow
def test_a_long_silence_in_the_middle_invents_nothing() -> None:
    silence = np.zeros(300 * RATE, np.float32)
    heard = listen(Audio(np.concatenate([LINE, silence, LINE])[None, :], RATE, 1))
    assert [n.pitch for n in heard.notes] == PITCHES * 2
    assert heard.notes[4].onset > 300


def test_the_part_in_view_is_heard_first() -> None:
    silence = np.zeros(28 * RATE, np.float32)
    audio = Audio(np.concatenate([LINE, silence, LINE])[None, :], RATE, 1)
    parts: list[tuple[float, float, list[int]]] = []
    whole = listen(audio, first=29.5, on_part=lambda h, a, b: parts.append((a, b, [n.pitch for n in h.notes])))
    end = pytest.approx(audio.duration, abs=0.01)
    # What is in view by itself, then the block it lies in.
    assert parts == [(29.0, end, PITCHES), (20.0, end, PITCHES)]
    assert [n.pitch for n in whole.notes] == PITCHES * 2


# -- evidence ------------------------------------------------------------------------------------------------------


def test_the_evidence_of_a_note_shows_its_pitch() -> None:
    found = explain(Audio(LINE[None, :], RATE, 1), Isolation(StereoPosition.MIX), 0.05 + 0.5, 0.05 + 1.0)
    assert found.weighed[0].cents == pytest.approx(6700, abs=40)
    assert found.weighed[0].share > 0.8
    middle = found.cents[len(found.cents) // 2]
    assert middle == pytest.approx(6700, abs=10)
    band = np.argmax(found.picture[len(found.picture) // 2])
    assert 40 + band / 3 == pytest.approx(67, abs=0.7)


def test_of_a_long_note_only_the_beginning_is_listened_to() -> None:
    """However long a note was made: the work, and its memory, stay bounded."""
    sound = np.tile(LINE, 20)[: 30 * RATE]
    found = explain(Audio(sound[None, :], RATE, 1), Isolation(StereoPosition.MIX), 0.5, 29.0)
    assert len(found.cents) * HOP == pytest.approx(LONGEST_S + BEFORE_S + AFTER_S, abs=0.02)


# -- forests -------------------------------------------------------------------------------------------------------


def test_a_forest_goes_the_way_its_trees_say() -> None:
    """Two trees by hand: one asks whether feature 0 is at most 1.5, one always says 0.5."""
    made = Forest(
        np.array([[0, -1, -1], [-1, -1, -1]], np.int16), np.array([[1.5, 0, 0], [0, 0, 0]], np.float32),
        np.array([[1, 0, 0], [0, 0, 0]], np.int16), np.array([[2, 0, 0], [0, 0, 0]], np.int16),
        np.array([[0, 0.2, 1.0], [0.5, 0, 0]], np.float32),
    )  # fmt: skip
    assert made.likelihoods(np.array([[1.0], [2.0]], np.float32)) == pytest.approx([0.35, 0.75])


def test_the_forests_agree_with_the_library_they_were_fitted_with() -> None:
    """scikit-learn's own answer for the same trees, on numbers made for the test."""
    from benchmarks.fit import fitted
    from sklearn.ensemble import RandomForestClassifier

    rng = np.random.default_rng(3)
    x = rng.normal(0, 1, (300, 4))
    y = (x[:, 0] + x[:, 1] ** 2 + rng.normal(0, 0.5, 300)) > 0.5
    arrays = fitted(x, y, np.ones(300), 5)
    ours = Forest(*(arrays[k] for k in ("feature", "threshold", "left", "right", "value")))
    theirs = RandomForestClassifier(100, min_samples_leaf=5, random_state=7).fit(x, y, sample_weight=np.ones(300))
    for row in rng.normal(0, 1, (30, 4)):
        assert ours.likelihoods(row[None].astype(np.float32))[0] == pytest.approx(
            theirs.predict_proba(row[None].astype(np.float32))[0, 1], abs=1e-3
        )


def test_every_question_can_be_listened_in_on() -> None:
    strike = classifier("strike")
    with listening_in() as questions:
        strike.chance(dict.fromkeys(strike.names, 1.0), time=1.5)
    assert [(q.question, q.time) for q in questions] == [("strike", 1.5)]
    with pytest.raises(ValueError, match="only one of caller and model knows: .'flux'.$"):
        strike.chance(dict.fromkeys(strike.names[1:], 1.0), time=1.5)
    with listening_in() as questions:
        pass
    assert questions == []


def test_a_question_without_a_model_is_answered_with_no() -> None:
    """As it is while that model is fitted: what is measured for it may be new."""
    with listening_in("strike") as questions:
        assert classifier("strike").chance({"anything": 1.0}, time=1.5) == 0.0
        assert classifier("strike").because({"anything": 1.0}, yes=True, most=3) == ()
    assert [(q.question, q.features) for q in questions] == [("strike", {"anything": 1.0})]
    assert "anything" not in classifier("strike").names


def test_frames_are_judged_only_where_the_lead_can_be_heard() -> None:
    truth = Truth(
        [{"onset": 0.0, "duration": 0.1, "pitch": 60, "sounding": 0, "marks": [], "cents_5ms": [0.0] * 21}], 0.0,
        audible=np.array([True] * 10 + [False] * 10),
    )  # fmt: skip
    counts = pitch_accuracy(truth, np.full(20, 6010.0))
    # Five of the frames lie within 25 ms of the beginning.
    assert counts.tolist() == [10, 10, 10, 5, 5]
