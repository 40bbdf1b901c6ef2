"""Arithmetic of pitch, frets, bends and harmonics, against tables and general-purpose libraries."""

import librosa
import music21
import numpy as np
import pytest

from notcher.score.errors import ScoreError
from notcher.score.note import Bend, BendKind
from notcher.score.pitch import (
    fret_distance,
    fret_gap,
    harmonic_node_fret,
    harmonic_partial,
    harmonic_rise,
    hz_to_midi,
    midi_to_hz,
    nearest_quarter,
    note_name,
    parse_note_name,
    tension_ratio,
)
from notcher.score.tuning import STANDARD
from tests.conftest import note

# Equal-tempered frequencies at A4 = 440 Hz, as printed in handbooks of acoustics (two decimals; from memory).
PRINTED_HZ = {
    40: 82.41, 45: 110.00, 50: 146.83, 55: 196.00, 59: 246.94, 64: 329.63, 69: 440.00, 76: 659.26, 88: 1318.51,
}  # fmt: skip


@pytest.mark.parametrize(("midi", "hz"), PRINTED_HZ.items())
def test_frequencies_of_a_printed_table(midi: int, hz: float) -> None:
    assert midi_to_hz(midi) == pytest.approx(hz, abs=0.005)
    assert hz_to_midi(hz) == pytest.approx(midi, abs=0.002)


def test_frequencies_of_a_reference_library() -> None:
    keys = np.arange(28, 100)
    assert [midi_to_hz(int(k)) for k in keys] == pytest.approx(librosa.midi_to_hz(keys).tolist())
    assert [hz_to_midi(float(h)) for h in librosa.midi_to_hz(keys)] == pytest.approx(keys.tolist())


def test_the_offset_is_the_recordings_own() -> None:
    """14 cents flat: A4 sounds at 440 * 2^(-14/1200) = 436.456 Hz."""
    assert midi_to_hz(69, offset_cents=-14) == pytest.approx(436.456, abs=0.001)
    assert hz_to_midi(436.4562, offset_cents=-14) == pytest.approx(69, abs=1e-4)


@pytest.mark.parametrize("hz", [0.0, -1.0, float("nan")])
def test_no_pitch_without_a_frequency(hz: float) -> None:
    with pytest.raises(ScoreError, match="above 0 Hz"):
        hz_to_midi(hz)


def test_names_as_a_reference_library_says_them() -> None:
    for midi in range(28, 100):
        theirs = music21.pitch.Pitch(midi=midi)
        assert parse_note_name(note_name(midi)) == midi
        assert parse_note_name(note_name(midi, flats=True)) == midi
        assert music21.pitch.Pitch(note_name(midi).replace("♯", "#")).midi == theirs.midi == midi


@pytest.mark.parametrize("text", ["", "H4", "E", "4", "E#x", "Eb"])
def test_what_is_no_pitch_is_refused_with_an_example(text: str) -> None:
    with pytest.raises(ScoreError, match="such as E4"):
        parse_note_name(text)


def test_fret_places_on_a_neck() -> None:
    """L(1 - 2^(-f/12)): half the string at the 12th fret, three quarters at the 24th (equal temperament)."""
    assert fret_distance(0, scale_length=648) == 0
    assert fret_distance(12, scale_length=648) == pytest.approx(324)
    assert fret_distance(24, scale_length=648) == pytest.approx(486)
    # Fret tables for a 25.5 inch scale print 36.37 mm for fret 1 and 485.78 mm for fret 24 (647.7 mm; from memory).
    assert fret_distance(1, scale_length=647.7) == pytest.approx(36.35, abs=0.03)
    assert fret_gap(12, 14, scale_length=648) == pytest.approx(324 * (1 - 2 ** (-2 / 12)))


@pytest.mark.parametrize(("semitones", "ratio"), [(0, 1.0), (1, 1.1225), (2, 1.2599), (3, 1.4142), (4, 1.5874)])
def test_tension_of_a_bend(semitones: float, ratio: float) -> None:
    """2^(n/6): frequency goes with the square root of tension (Mersenne's law)."""
    assert tension_ratio(semitones) == pytest.approx(ratio, abs=5e-5)
    assert np.sqrt(tension_ratio(semitones)) == pytest.approx(2 ** (semitones / 12))


@pytest.mark.parametrize(("partial", "fret"), [(2, 12.0), (3, 7.02), (4, 4.98), (5, 3.86), (6, 3.16), (7, 2.67)])
def test_nodes_of_natural_harmonics(partial: int, fret: float) -> None:
    """12 log2(k / (k - 1)); the players' frets 12, 7, 5, 4, 3.2 and 2.7 (common practice, no source)."""
    assert harmonic_node_fret(partial) == pytest.approx(fret, abs=0.005)
    assert harmonic_partial(fret) == partial


@pytest.mark.parametrize(("partial", "cents"), [(3, 2), (5, -14), (7, -31)])
def test_partials_against_equal_temperament(partial: int, cents: int) -> None:
    rise = harmonic_rise(partial)
    assert round(100 * (rise - round(rise))) == cents


def test_no_harmonic_where_there_is_no_node() -> None:
    with pytest.raises(ScoreError, match="no harmonic"):
        harmonic_partial(1.0)
    with pytest.raises(ScoreError, match="partial 2"):
        harmonic_node_fret(1)


@pytest.mark.parametrize(("cents", "quarter"), [(0, 0), (24, 0), (25, 50), (74, 50), (75, 100), (203, 200), (-60, -50)])
def test_quarter_steps(cents: float, quarter: int) -> None:
    assert nearest_quarter(cents) == quarter


@pytest.mark.parametrize(("fret", "cents", "like"), [(7, 200, 9), (12, 100, 13), (10, 50, 10.5), (15, 400, 19)])
def test_a_bend_sounds_like_a_fret(fret: int, cents: int, like: float) -> None:
    """Fret f bent n semitones sounds like fret f + n (common practice, no source)."""
    bent = note(1, 0, 2, fret, bend=Bend(BendKind.BEND, cents))
    assert bent.sounds_like_fret() == like


@pytest.mark.parametrize(("low", "high", "frets_above"), [(3, 2, 2), (2, 1, 3), (4, 3, 3), (5, 4, 3), (6, 5, 3)])
def test_a_unison_bend_of_a_whole_step(low: int, high: int, frets_above: int) -> None:
    """Bent string at f + 2 on string 3 under 2, at f + 3 on every pair a fourth apart (common practice, no source)."""
    held = 8
    assert STANDARD.pitch(high, held) == STANDARD.pitch(low, held + frets_above) + 2
