"""Grips: those that every chord book has, what a hand can hold, near where it is."""

import itertools
from dataclasses import replace

import pytest

from notcher.harmony.symbols import parse_chord
from notcher.place.grips import Grip, grips, grips_under
from notcher.score.chord import KINDS, Chord
from notcher.score.chords import set_chords
from notcher.score.spelling import Tone
from notcher.score.tuning import STANDARD, Tuning, parse_tuning
from notcher.wording.grips import fingers_text, grip_text, grips_words
from tests.conftest import small_project


@pytest.mark.parametrize(
    ("symbol", "near", "frets"),
    [
        # Common practice, no source: the open and barred grips of beginners' chord charts.
        ("E", 1, "0 2 2 1 0 0"), ("A", 1, "x 0 2 2 2 0"), ("D", 1, "x x 0 2 3 2"), ("C", 1, "x 3 2 0 1 0"),
        ("Em", 1, "0 2 2 0 0 0"), ("Am", 1, "x 0 2 2 1 0"), ("Dm", 1, "x x 0 2 3 1"), ("F", 1, "1 3 3 2 1 1"),
        ("F#m", 2, "2 4 4 2 2 2"), ("Bm7", 7, "7 9 7 7 7 7"), ("C", 3, "x 3 5 5 5 3"), ("A", 5, "5 7 7 6 5 5"),
    ],
)  # fmt: skip
def test_what_chord_charts_show(symbol: str, near: int, frets: str) -> None:
    chord = parse_chord(symbol)
    assert chord is not None
    assert frets in [grip_text(g) for g in grips(chord, STANDARD, near=near)]


@pytest.mark.parametrize("kind", sorted(KINDS))
@pytest.mark.parametrize("near", [1, 5, 9])
def test_every_kind_is_held_and_sounds_as_it_says(kind: str, near: int) -> None:
    for root in (-3, 0, 4):
        chord = Chord(Tone(root), kind)
        for grip in grips(chord, STANDARD, near=near):
            holds(grip, chord, STANDARD)


def holds(grip: Grip, chord: Chord, tuning: Tuning) -> None:
    sounding = {k: tuning.pitch(k, f) for k, f in zip(tuning.numbers, grip.frets, strict=True) if f is not None}
    assert {p % 12 for p in sounding.values()} <= set(chord.pitch_classes)
    bass = (chord.bass or chord.root).pitch_class
    assert min(sounding.values()) % 12 == bass
    fretted = [f for f in grip.frets if f]
    assert not fretted or max(fretted) - min(fretted) <= 3
    assert all(f for f, g in zip(grip.frets, grip.fingers, strict=True) if g is not None)
    held = [(f or 0, g) for f, g in zip(grip.frets, grip.fingers, strict=True) if g is not None]
    assert len({g for _, g in held}) <= 4
    # Fingers follow one another as frets do, and one finger lies on one fret.
    for (f, g), (f2, g2) in itertools.combinations(held, 2):
        assert g != g2 or f == f2
        assert f == f2 or (f < f2) == (g < g2)


def test_over_another_bass_and_in_another_tuning() -> None:
    chord = parse_chord("D/F#")
    assert chord is not None
    for tuning in (STANDARD, parse_tuning("drop-d"), parse_tuning("half-step-down")):
        found = grips(chord, tuning, near=2)
        assert found
        for grip in found:
            holds(grip, chord, tuning)


def test_under_a_phrase_one_for_each_chord() -> None:
    project = small_project()
    made = set_chords(project, [(0.0, parse_chord("Am")), (2.0, None), (4.0, parse_chord("F"))], until=8.0)
    found = grips_under(made, made.notes, [7] * len(made.notes))
    assert [str(c) for c, _ in found] == ["Am", "F"]
    assert grips_words(found).startswith("Grips near the hand: Am ")
    assert fingers_text(found[0][1]).count(" ") == 5
    assert grips_words([]) == ""
    lowered = replace(made, tuning=parse_tuning("half-step-down"))
    flat = set_chords(lowered, [(0.0, parse_chord("Ebm"))], until=8.0)
    assert "E♭m, shape Em 0 2 2 0 0 0" in grips_words(
        grips_under(flat, flat.notes, [1] * len(flat.notes)), shift=lowered.tuning.shape_shift() or 0
    )
