"""Names of tones and keys against music21's own, and the arithmetic of the line of fifths."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.score.errors import ScoreError
from notcher.score.key import MODES, Key
from notcher.score.spelling import Tone, within


def m21(tone: Tone) -> str:
    return tone.plain().replace("b", "-")


@given(st.integers(-15, 19))
def test_a_tone_sounds_as_music21_has_it(fifths: int) -> None:
    from music21.pitch import Pitch

    tone = Tone(fifths)
    assert Pitch(m21(tone)).pitchClass == tone.pitch_class
    assert Tone.named(str(tone)) == Tone.named(tone.plain()) == tone


@pytest.mark.parametrize("midi", range(40, 90))
@pytest.mark.parametrize("lowest", [-7, -5, 0])
def test_a_pitch_keeps_its_octave_however_it_is_written(midi: int, lowest: int) -> None:
    from music21.pitch import Pitch

    tone = within(midi, lowest)
    assert Pitch(f"{m21(tone)}{tone.octave_of(midi)}").midi == midi


@pytest.mark.parametrize("mode", MODES)
@pytest.mark.parametrize("pitch_class", range(12))
def test_a_key_writes_its_own_scale_as_music21_does(pitch_class: int, mode: str) -> None:
    """Seven letters, each once, and the signature that belongs to them."""
    from music21 import key as m21_key

    key = Key.of(pitch_class, mode)
    theirs = m21_key.Key(m21(key.tonic), mode)
    assert theirs.sharps == key.signature
    assert abs(key.signature) <= 6
    names = {m21(key.tone(pc)) for pc in key.pitch_classes}
    assert names == {p.name for p in theirs.pitches}
    assert len({name[0] for name in names}) == 7


def test_black_keys_are_written_by_the_key() -> None:
    flat, sharp = Key.of(3, "major"), Key.of(6, "minor")
    assert [str(flat.tone(pc)) for pc in (10, 8, 3)] == ["B♭", "A♭", "E♭"]
    assert [str(sharp.tone(pc)) for pc in (8, 1, 5)] == ["G♯", "C♯", "E♯"]
    assert str(sharp.tone(0)) == "C", "the flat fifth, the blue note"


@pytest.mark.parametrize("name", ["", "H", "C♯♭", "F###", "c4", "ü"])
def test_what_is_no_tone_is_said(name: str) -> None:
    with pytest.raises(ScoreError, match="is no tone"):
        Tone.named(name)


def test_a_signature_beyond_seven_is_refused() -> None:
    with pytest.raises(ScoreError, match="8 sharps or flats"):
        Key(Tone.named("G#"), "major")
    with pytest.raises(ScoreError, match="is no mode"):
        Key(Tone.named("G"), "sad")
