"""The backing: in every metre and feel, for every kind of chord; judged by librosa, mir_eval and mido."""

import io
from dataclasses import replace

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.audio.band import DRUMS, Part, Struck, sounded
from notcher.audio.wiener import Lines
from notcher.formats.backing import backing_bytes, backing_midi, backing_sound
from notcher.formats.errors import FileFormatError
from notcher.harmony.band import Backing, feel_of, groups, played, voiced
from notcher.harmony.entry import bar_stretch, entered
from notcher.score.chord import KINDS, Chord
from notcher.score.chords import set_chords
from notcher.score.errors import ScoreError
from notcher.score.feel import FEELS
from notcher.score.pitch import midi_to_hz
from notcher.score.project import Phrase, Project
from notcher.score.spelling import Tone
from notcher.score.tempo import TempoMap
from tests.conftest import small_project

CHORDS = ("Am", "F", "C", "G7")


NO_LEAD = Lines(np.zeros((0, 1)), 0.005, np.zeros(0))


def song(beats: int = 4, bars: int = 8, bpm: float = 120.0) -> Project:
    """Those chords, one a bar."""
    length = bars * beats * 60 / bpm
    made = replace(
        small_project().with_notes([]).with_tempo(
            TempoMap.steady(bpm, first_beat=0.0, count=bars * beats + 1, beats_per_bar=beats)
        ),
        recording=replace(small_project().recording, duration=length), offset_cents=0.0, phrases=(),
    )  # fmt: skip
    for bar in range(1, bars + 1):
        made = entered(made, bar_stretch(made, bar), CHORDS[(bar - 1) % 4])
    return made


def test_how_bars_fall_into_groups() -> None:
    """Common practice, no source: 5 as 3 + 2, 7 as 3 + 2 + 2, 9 as three threes."""
    assert [groups(n) for n in (1, 2, 3, 4, 5, 6, 7, 8, 9)] == [
        (1,), (2,), (3,), (2, 2), (3, 2), (3, 3), (3, 2, 2), (2, 2, 2, 2), (3, 3, 3),
    ]  # fmt: skip


@pytest.mark.parametrize("feel", [f.name for f in FEELS])
@pytest.mark.parametrize("beats", [2, 3, 4, 5, 6, 7])
def test_every_feel_in_every_metre(feel: str, beats: int) -> None:
    project = replace(song(beats), feel=feel)
    struck = played(project, 0.0, project.recording.duration)
    tempo = project.tempo
    assert tempo is not None
    # Bar 1's first beat has drum, bass and, unless chords answer there, chords; no stroke leaves its bar's chord.
    first = {s.part for s in struck if abs(s.start) < 1e-6}
    assert {Part.KICK, Part.BASS} <= first
    for s in struck:
        if s.part is Part.CHORDS:
            bar = tempo.bar_of(tempo.beat_at(s.start + 1e-6))
            chord = CHORDS[(bar - 1) % 4]
            assert s.pitch % 12 in {"Am": {9, 0, 4}, "F": {5, 9, 0}, "C": {0, 4, 7}, "G7": {7, 11, 2, 5}}[chord]
    # Every beat of the bar is marked by some drum.
    drums = np.array([tempo.beat_at(s.start) for s in struck if s.part in DRUMS])
    assert all(np.abs(drums - k).min() < 1e-6 for k in range(8 * beats))


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_every_kind_of_chord_has_a_voicing_of_its_tones(kind: str) -> None:
    for root in range(-5, 7):
        chord = Chord(Tone(root), kind)
        pitches = voiced(chord, (55, 60, 64))
        assert {p % 12 for p in pitches} <= set(chord.pitch_classes)
        assert 2 <= len(set(pitches)) <= 4
        assert all(50 <= p <= 72 for p in pitches)
        # What names the chord is in it: the third, or what stands for it, and the seventh.
        names = {d for d in KINDS[kind].degrees if d in ("3", "b3", "7", "b7", "bb7")}
        own = dict(zip(KINDS[kind].degrees, KINDS[kind].semitones, strict=True))
        assert all((chord.root.pitch_class + own[d]) % 12 in {p % 12 for p in pitches} for d in names)


def test_voices_move_little() -> None:
    before = voiced(Chord(Tone.named("C")), (55, 60, 64))
    after = voiced(Chord(Tone.named("A"), "minor"), before)
    assert sum(min(abs(p - q) for q in before) for p in after) <= 4


def test_librosa_hears_the_tempo_and_mir_eval_the_chords() -> None:
    """The sound is judged by general-purpose libraries: librosa's beat tracker and tuning, and our own ear for chords
    by mir_eval's weighted measure."""
    import librosa
    import mir_eval.chord
    from librosa.beat import beat_track

    from notcher.audio.recording import Audio
    from notcher.harmony.hearing import hear

    project = song(bars=12, bpm=100.0)
    sound = Backing(project).between(0.0, project.recording.duration)
    mono = sound.mean(axis=0)
    tempo, _ = beat_track(y=mono, sr=RATE)
    assert float(np.atleast_1d(tempo)[0]) == pytest.approx(100.0, rel=0.03)
    assert librosa.estimate_tuning(y=mono, sr=RATE) == pytest.approx(0.0, abs=0.1)
    heard = hear(Audio(sound, RATE, 2), NO_LEAD, [], project.tempo)
    spans, labels = [], []
    for k, c in enumerate(heard.chords):
        end = heard.chords[k + 1].start if k + 1 < len(heard.chords) else project.recording.duration
        spans.append((c.start, end))
        third = "min" if c.chord and KINDS[c.chord.kind].minor else "maj"
        labels.append(f"{c.chord.root.plain()}:{third}" if c.chord else "N")
    truth = np.array([[k * 2.4, (k + 1) * 2.4] for k in range(12)])
    names = ["A:min", "F:maj", "C:maj", "G:maj"] * 3
    est, est_labels = mir_eval.util.adjust_intervals(np.array(spans), labels, 0.0, float(truth[-1, 1]), "N", "N")
    both, ref_labels, got = mir_eval.util.merge_labeled_intervals(truth, names, est, est_labels)
    score = mir_eval.chord.weighted_accuracy(
        mir_eval.chord.majmin(ref_labels, got), mir_eval.util.intervals_to_durations(both)
    )
    assert score >= 0.9


def test_a_tone_has_its_pitch() -> None:
    """The strongest line of the spectrum lies at the note's frequency, to a cent of it, also in a flat recording."""
    for part, pitch in ((Part.BASS, 33), (Part.CHORDS, 60)):
        sound = sounded([Struck(part, 0.0, 3.0, pitch, 1.0)], 0.0, 3.0, offset_cents=-14.0).mean(axis=0)
        spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), n=1 << 20))
        low = int(20 / RATE * (1 << 20))
        found = (low + int(np.argmax(spectrum[low : low * 20]))) * RATE / (1 << 20)
        assert 1200 * np.log2(found / midi_to_hz(pitch, offset_cents=-14.0)) == pytest.approx(0.0, abs=1.5)


def test_any_stretch_sounds_as_in_the_whole() -> None:
    project = song()
    band = Backing(project)
    whole = band.between(0.0, 8.0)
    assert np.allclose(band.between(3.1, 5.2), whole[:, round(3.1 * RATE) : round(3.1 * RATE) + round(2.1 * RATE)],
                       atol=1e-4)  # fmt: skip
    assert band.is_of(project)
    assert not band.is_of(replace(project, feel="shuffle"))


def test_without_bars_chords_sound_by_seconds() -> None:
    bare = replace(song(), tempo=None, chords=())
    made = set_chords(bare, [(1.0, Chord(Tone.named("D"))), (4.0, None), (6.0, Chord(Tone.named("G")))], until=9.0)
    struck = played(made, 0.0, 12.0)
    assert {s.part for s in struck} == {Part.BASS, Part.CHORDS}
    assert sorted({s.start for s in struck}) == [1.0, 3.0, 6.0, 8.0, 10.0]


def test_the_feel_goes_by_the_tempo_until_one_is_chosen() -> None:
    assert feel_of(song(bpm=60)).name == "slow"
    assert feel_of(song(bpm=120)).name == "even"
    assert feel_of(replace(song(bpm=60), feel="driving")).name == "driving"
    with pytest.raises(ScoreError, match="no feel"):
        replace(song(), feel="polka")


def test_sound_lasts_as_long_as_was_asked() -> None:
    project = replace(song(), phrases=(Phrase("a", "First", 0.5, 3.0), Phrase("b", "Second", 4.0, 6.0)))
    sound = backing_sound(project, project.phrases, pace=50, rounds=3)
    assert sound.shape[1] / RATE == pytest.approx(3 * (2.5 + 2.0) / 0.5, abs=0.01)
    with pytest.raises(FileFormatError, match="an hour is the most"):
        backing_sound(project, rounds=900)
    with pytest.raises(ScoreError, match="no chords"):
        backing_sound(replace(project, chords=()))


def test_wav_and_midi_are_read_by_others() -> None:
    import mido
    import soundfile

    project = song()
    data, rate = soundfile.read(io.BytesIO(backing_bytes(project, ending=".flac")))
    assert (rate, data.shape[1]) == (RATE, 2)
    file = mido.MidiFile(file=io.BytesIO(backing_midi(project)))
    assert [t.name for t in file.tracks[1:]] == ["Bass", "Chords", "Drums"]
    drums = {m.channel for m in file.tracks[3] if not m.is_meta}
    assert drums == {9}
    # Channel 10, counted from 0; all its keys are in General MIDI's percussion map (35 to 81).
    assert all(35 <= m.note <= 81 for m in file.tracks[3] if m.type == "note_on")
    assert file.length == pytest.approx(project.recording.duration, abs=0.6)
    bass = [m.note for m in file.tracks[1] if m.type == "note_on"]
    assert bass[0] % 12 == 9
