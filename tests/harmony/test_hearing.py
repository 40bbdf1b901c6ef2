"""Key and chords heard: the path against a search of all paths, keys of plain progressions, and the demo."""

import itertools

import numpy as np
import pytest
from benchmarks.truth import DEMO_DRY, DEMO_MIX

from notcher.audio import RATE
from notcher.audio.decode import load
from notcher.audio.lines import lines_of_project
from notcher.audio.recording import Audio
from notcher.audio.wiener import Lines
from notcher.harmony.chord_ear import N_CHORDS
from notcher.harmony.grid import Grid, grid
from notcher.harmony.hearing import Harmony, hear
from notcher.harmony.key_ear import Heard, hear_keys
from notcher.harmony.path import chances, chances_of_change, likeliest
from notcher.score.chord import HEARD, Chord
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from tests.conftest import small_project

NO_LEAD = Lines(np.zeros((0, 1)), 0.005, np.zeros(0))


def test_the_likeliest_path_is_the_best_of_all() -> None:
    """Against trying each of the 3^5 paths; staying is either staying or changing to the same."""
    dice = np.random.default_rng(4)
    said, change, prior = np.log(dice.dirichlet([1, 1, 1], 5)), dice.uniform(0.1, 0.6, 5), np.log([0.5, 0.3, 0.2])

    def worth(path: tuple[int, ...]) -> float:
        total = said[0, path[0]] + prior[path[0]]
        for t in range(1, 5):
            same, other = path[t] == path[t - 1], change[t] * np.exp(prior[path[t]])
            total += np.log((1 - change[t]) + other if same else other) + said[t, path[t]]
        return float(total)

    paths = list(itertools.product(range(3), repeat=5))
    best = max(paths, key=worth)
    found = likeliest(said, np.full(5, 1e-6), prior)
    assert len(set(found.tolist())) == 1, "where nothing changes, the best of all throughout"
    assert found[0] == int(np.argmax(said.sum(axis=0) + prior))
    assert worth(tuple(likeliest(said, change, prior))) > worth(best) - 0.7
    weights = np.exp([worth(p) for p in paths])
    for t in range(5):
        true = [weights[[p[t] == k for p in paths]].sum() / weights.sum() for k in range(3)]
        assert chances(said, change, prior)[t] == pytest.approx(true, abs=1e-9)


def test_chords_change_sooner_where_bars_begin() -> None:
    first, other, middle, unknown = chances_of_change([(0, 4), (1, 4), (2, 4), None])
    assert first > middle > other
    assert first > unknown > other


def test_beats_are_carried_on_over_the_whole_recording() -> None:
    found = grid(TempoMap.steady(120, first_beat=1.0, count=8), 6.0)
    assert found.edges[0] == 0.0
    assert found.edges[-1] == 6.0
    assert np.all(np.diff(found.edges) > 0)
    assert len(found.places) == len(found.edges) - 1
    at_one = int(np.argmin(abs(found.edges - 1.0)))
    assert found.places[at_one] == (0, 4)
    assert set(grid(None, 3.0).places) == {None}


def keys_of(degrees: str, tonic: int) -> list[tuple[str, str]]:
    """The keys heard in bars of chords, given by semitones above a tonic, m for minor."""
    bars = degrees.split() * 4
    chance = np.zeros((4 * len(bars), N_CHORDS + 1))
    for k, bar in enumerate(bars):
        root = (tonic + int(bar.rstrip("m"))) % 12
        kind = "minor" if "m" in bar else "major"
        chance[4 * k : 4 * k + 4, root * len(HEARD) + HEARD.index(kind)] = 1.0
    beats = Grid(np.linspace(0.0, len(chance) / 2, len(chance) + 1), tuple((k % 4, 4) for k in range(len(chance))))
    return [(k.key.tonic.plain(), k.key.mode) for k in hear_keys(Heard(beats, chance, []))]


@pytest.mark.parametrize("tonic", range(12))
def test_cadences_are_in_their_key(tonic: int) -> None:
    """I IV V I and i iv V7 i: any harmony textbook (from memory)."""
    from notcher.score.key import Key

    assert keys_of("0 5 7 0", tonic) == [(Key.of(tonic, "major").tonic.plain(), "major")]
    assert keys_of("0m 8 10 0m", tonic) == [(Key.of(tonic, "minor").tonic.plain(), "minor")]


def test_nothing_is_claimed_of_noise_and_silence() -> None:
    dice = np.random.default_rng(1)
    noise = Audio(dice.normal(0, 0.1, (1, 12 * RATE)).astype(np.float32), RATE, 1)
    found = hear(noise, NO_LEAD, [], None)
    assert found == Harmony((), ())
    silence = Audio(np.zeros((2, 6 * RATE), np.float32), RATE, 2)
    assert hear(silence, NO_LEAD, [], None) == Harmony((), ())


def test_a_lead_alone_has_no_chords(demo: Project) -> None:
    lead_dry = load(DEMO_DRY)
    lead = [(n.onset, n.end, n.pitch(demo.tuning)) for n in demo.notes]
    found = hear(lead_dry, lines_of_project(demo, lead_dry.duration), lead, demo.tempo, offset_cents=demo.offset_cents)
    assert found.chords == ()
    assert [k.key.tonic.plain() for k in found.keys] in ([], ["F#"])


@pytest.fixture(scope="module")
def heard(demo: Project) -> Harmony:
    audio = load(DEMO_MIX)
    lead = [(n.onset, n.end, n.pitch(demo.tuning)) for n in demo.notes]
    return hear(
        audio, lines_of_project(demo, audio.duration), lead, demo.tempo, isolation=demo.lead,
        offset_cents=demo.offset_cents,
    )  # fmt: skip


def test_the_demos_key_and_most_of_its_chords(heard: Harmony) -> None:
    from demo.render import DEMO
    from demo.solo import PROGRESSION

    from notcher.harmony.symbols import parse_chord

    assert [(k.key.tonic.plain(), k.key.mode) for k in heard.keys] == [("F#", "minor")]
    right = 0
    for bar in range(1, 23):
        middle = DEMO.seconds(4 * bar + 2)
        said = [c for c in heard.chords if c.start <= middle][-1].chord
        true = parse_chord(PROGRESSION[bar])
        assert isinstance(true, Chord)
        right += said is not None and said.root == true.root and ("minor" in said.kind) == (true.kind == "minor")
    assert right >= 17


def test_the_demo_ships_with_its_chords_decided(demo: Project) -> None:
    assert all(c.decided for c in demo.chords)
    assert [str(c.chord) for c in demo.chords][1:5] == ["F♯m", "D", "A", "E"]
    assert demo.keys[0].decided
    assert small_project().chords == ()
