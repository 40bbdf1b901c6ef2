"""The invented songs by which key and chords are judged hold what they say."""

import random

import mir_eval
import numpy as np
from benchmarks.bands import DEVELOPMENT, DEVELOPMENT_BANKS, EVALUATION, EVALUATION_BANKS, Recorded
from benchmarks.fit_chords import number, truth
from benchmarks.harmony import chord_scores, key_score
from benchmarks.songs import mir, song, wandering

from notcher.harmony.chord_ear import NONE
from notcher.score.key import Key


def test_chords_fill_every_bar_once() -> None:
    for seed in range(40):
        made = song(random.Random(seed))
        assert made.chords[0].beat == 0
        assert sum(c.length for c in made.chords) == made.length
        assert 60 <= made.bpm <= 160
        other = wandering(random.Random(seed), made)
        assert sum(c.length for c in other) == made.length


def test_songs_to_judge_by_are_in_all_keys_and_on_other_sounds() -> None:
    assert {Recorded(seed, judged=True).song.key.tonic.pitch_class for seed in EVALUATION} == set(range(12))
    assert len(EVALUATION) >= 30
    assert not set(DEVELOPMENT) & set(EVALUATION)
    assert not set(DEVELOPMENT_BANKS) & set(EVALUATION_BANKS)


def test_what_is_true_scores_full_and_what_is_wrong_does_not() -> None:
    """Against mir_eval's own measures; the song is not played."""
    recorded = next(r for r in map(Recorded, DEVELOPMENT) if r.song.style == "minor")
    played = recorded.chords()
    edges = [*(a for a, _, _ in played), played[-1][1]]
    true = chord_scores(recorded, edges, [mir(c.chord) for *_, c in played])
    assert true["root"] == true["majmin"] == 1.0
    none = chord_scores(recorded, edges, ["N"] * len(played))
    assert none["root"] < 0.2
    assert key_score(recorded, recorded.song.key) == 1.0
    relative = Key.of((recorded.song.key.tonic.pitch_class + 3) % 12, "major")
    assert key_score(recorded, relative) == 0.3
    assert key_score(recorded, None) == 0.0


def test_each_beat_has_the_chord_that_fills_it() -> None:
    recorded = Recorded(DEVELOPMENT[0])
    start, end = recorded.take.seconds(0), recorded.take.seconds(recorded.song.length)
    edges = np.linspace(start, end, recorded.song.length + 1)
    found = truth(recorded, edges)
    first = recorded.song.chords[0].chord
    assert found[0] == number(first)
    assert set(truth(recorded, np.array([0.0, start / 2]))) == {NONE}
    assert mir(None) == "N"
    assert all(mir_eval.chord.encode(mir(c.chord)) for *_, c in recorded.chords())
