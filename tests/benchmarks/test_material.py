"""The rendered phrases are what they are said to be: every technique, every setting, and evaluation apart from
development. Nothing is rendered here: only what is played is looked at."""

import itertools

import pytest
from benchmarks.material import BACKING_SETS, DEVELOPMENT, DEVELOPMENT_SETS, EVALUATION_SETS, Case, cases
from benchmarks.scores import NoteTally, Tally, matched
from benchmarks.truth import Truth

from benchmarks import plans
from notcher.score.note import Attack


@pytest.fixture(scope="module", params=[DEVELOPMENT, EVALUATION_SETS[0]], ids=["development", "evaluation"])
def phrases(request: pytest.FixtureRequest) -> list[Case]:
    return cases(request.param)


def test_there_are_a_dozen_and_more_and_the_same_ones_each_time(phrases: list[Case]) -> None:
    assert len(phrases) >= 12
    again = cases(EVALUATION_SETS[0] if phrases[0].seed == cases(EVALUATION_SETS[0])[0].seed else DEVELOPMENT)
    assert [c.name for c in again] == [c.name for c in phrases]
    assert [c.truth.notes for c in again[:3]] == [c.truth.notes for c in phrases[:3]]


def test_evaluation_is_apart_from_development() -> None:
    assert not set(EVALUATION_SETS) & {*DEVELOPMENT_SETS, *BACKING_SETS}
    seeds = {which: {c.seed for c in cases(which)} for which in (*DEVELOPMENT_SETS, *EVALUATION_SETS)}
    for a, b in itertools.combinations(seeds.values(), 2):
        assert not a & b


def test_every_setting_occurs(phrases: list[Case]) -> None:
    assert {c.sound for c in phrases} == {"clean", "overdriven", "distorted"}
    assert {c.effect for c in phrases} == {"none", "delay", "reverb", "phaser", "drive"}
    assert {c.seat for c in phrases} == {"centre", "half left", "doubled"}
    assert {c.tuning for c in phrases} == {"standard", "half step down", "D standard"}
    assert all(-35 <= c.take.offset_cents <= 35 for c in phrases)
    assert min(c.take.bpm for c in phrases) <= 76
    assert max(c.take.bpm for c in phrases) >= 132


def test_every_way_to_reach_a_note_and_every_kind_of_bend_occurs(phrases: list[Case]) -> None:
    notes = [n for c in phrases for n in c.truth.notes]
    assert {n["attack"] for n in notes} == {str(a) for a in Attack}
    kinds = {n["bend"]["kind"] for n in notes if n["bend"]}
    assert {"bend", "bend-release", "pre-bend-release", "curl", "unison"} <= kinds
    assert {50, 100, 200} <= {n["bend"]["target_cents"] for n in notes if n["bend"]}
    marks = {m for n in notes for m in n["marks"]}
    wanted = {
        "slide-in", "slide-off", "palm-mute", "staccato", "dead", "natural-harmonic", "pinch-harmonic", "let-ring",
        "swell",
    }  # fmt: skip
    assert wanted <= marks
    assert sum(1 for n in notes if n["vibrato"]) >= 20


def test_the_vibrato_that_is_played_is_one(phrases: list[Case]) -> None:
    """4 to 7 Hz (common practice, no source)."""
    for n in (n for c in phrases for n in c.truth.notes if n["vibrato"]):
        assert 4.0 <= n["vibrato"]["rate_hz"] <= 7.0
        assert 10 <= n["vibrato"]["extent_cents"] <= 60


def test_sixteenth_triplets_are_as_fast_as_they_are_said_to_be() -> None:
    """Six to a beat at 132 bpm and above: 76 ms a note or less (arithmetic of note values)."""
    fast = next(c for c in cases(EVALUATION_SETS[0]) if c.plan.name == "sixteenth triplets")
    onsets = [n["onset"] for n in fast.truth.notes]
    gaps = sorted(b - a for a, b in itertools.pairwise(onsets) if b - a > 0.02)
    assert gaps[len(gaps) // 4] < 0.085


def test_notes_lie_on_the_neck_and_strings_do_not_overlap(phrases: list[Case]) -> None:
    for case in phrases:
        last: dict[int, float] = {}
        for n in case.truth.notes:
            assert 0 <= n["fret"] <= 24, case.name
            assert n["pitch"] == case.take.strings[n["string"] - 1] + n["fret"]
            assert n["onset"] >= last.get(n["string"], 0.0) - 0.01, case.name
            last[n["string"]] = n["onset"] + n["duration"]


def test_where_strings_sound_together_is_said() -> None:
    assert {p.name for p in plans.PLANS if p.together} >= {"double stops", "unison and oblique bends"}
    for case in cases(DEVELOPMENT):
        starts = sorted(n["onset"] for n in case.truth.notes)
        pairs = sum(b - a < 0.005 for a, b in itertools.pairwise(starts))
        assert (pairs > 3) == case.plan.together, case.name


# -- the scores ----------------------------------------------------------------------------------------------------


class Told:
    """A note as a tracker tells it."""

    def __init__(self, onset: float, pitch: int) -> None:
        self.onset, self.end, self.pitch = onset, onset + 0.3, pitch
        self.attack, self.bend, self.vibrato, self.marks = "pick", None, None, ()


def truth(*notes: tuple[float, int]) -> Truth:
    rows = [
        {"onset": t, "duration": 0.3, "pitch": p, "sounding": 0, "marks": [], "attack": "pick", "bend": None,
         "vibrato": None, "cents_5ms": [0.0] * 62}
        for t, p in notes
    ]  # fmt: skip
    return Truth(rows, 0.0)


def test_the_f_measure_by_hand() -> None:
    """Two of three right, one of four invented: P 2/4, R 2/3, F1 2*2/(3+4) = 0.571 (by hand)."""
    tally = NoteTally()
    told = [Told(0.02, 60), Told(1.04, 62), Told(2.07, 64), Told(2.5, 64)]
    tally.add(truth((0.0, 60), (1.0, 62), (2.0, 64)), told)
    assert (tally.right, tally.true, tally.heard) == (2, 3, 4)
    assert tally.f1 == pytest.approx(4 / 7)
    assert (tally.precision, tally.recall) == (pytest.approx(0.5), pytest.approx(2 / 3))


def test_each_true_note_is_matched_once() -> None:
    pairs = matched(truth((0.0, 60)), [Told(0.01, 60), Told(0.03, 60)])
    assert len(pairs) == 1


def test_tallies_add_up() -> None:
    import numpy as np

    one, both = Tally(), Tally()
    one.add(truth((0.0, 60)), np.full(70, 6000.0), [Told(0.0, 60)], 0.0, together=False)
    for _ in range(2):
        both.join(one)
    assert both.single.true == 2
    assert both.rows()["note F1, one string at a time"] == 1.0
    assert both.rows()["contour within 15 cents"] == 1.0
    assert both.frames[2] == 2 * one.frames[2]
