"""The backing band as sound and as MIDI."""

import io
from collections.abc import Sequence
from typing import Any

import numpy as np

from notcher.audio import RATE
from notcher.audio.band import DRUMS, Part, Struck
from notcher.audio.recording import FloatArray
from notcher.audio.stretch import check_speed, stretch
from notcher.formats.errors import FileFormatError
from notcher.formats.midi import TICKS_PER_BEAT, Clock, conductor
from notcher.formats.sound import KINDS, sound_bytes
from notcher.harmony.band import Backing
from notcher.score.project import Phrase, Project

# General MIDI's percussion key map and sound set, both counted from 0: bass drum 1, acoustic snare, side stick, closed
# hi-hat, ride cymbal 1; electric bass (finger), electric piano 1; percussion is channel 10.
_DRUM_KEYS = {Part.KICK: 36, Part.SNARE: 38, Part.RIM: 37, Part.HAT: 42, Part.RIDE: 51}
_PROGRAMS = {Part.BASS: (0, 33, "Bass"), Part.CHORDS: (1, 4, "Chords")}
_DRUM_CHANNEL = 9
_LOUDEST = 112
LONGEST_S = 3600.0


def backing_sound(project: Project, phrases: Sequence[Phrase] = (), *, pace: int = 100, rounds: int = 1) -> FloatArray:
    """The band through some phrases (none: the whole), one after another, shape (2, n) at RATE.

    pace: in percent, at the same pitch; rounds: how often each is played. Raises FileFormatError for what would last
    longer than an hour, ScoreError where no chords are known.
    """
    check_speed(pace / 100)
    band = Backing(project)
    spans = [(p.start, p.end) for p in phrases] or [(0.0, band.end)]
    lasts = sum(b - a for a, b in spans) * rounds * 100 / pace
    if lasts > LONGEST_S:
        raise FileFormatError(
            "that would be {minutes:.0f} minutes of sound, and an hour is the most; choose fewer phrases or rounds",
            minutes=lasts / 60,
        )
    pieces = []
    for a, b in spans:
        once = band.between(a, b)
        slowed = once if pace == 100 else stretch(once, speed=pace / 100)
        # To the sample, so that rounds stay in time.
        length = round((b - a) * 100 / pace * RATE)
        fitted = np.zeros((2, length), np.float32)
        fitted[:, : min(length, slowed.shape[1])] = slowed[:, :length]
        pieces += [fitted] * rounds
    return np.concatenate(pieces, axis=1)


def backing_bytes(project: Project, phrases: Sequence[Phrase] = (), *, ending: str) -> bytes:
    """The same as a file of an ending: sound, or MIDI for any other."""
    if ending not in KINDS:
        return backing_midi(project, phrases)
    return sound_bytes(backing_sound(project, phrases), ending)


def backing_midi(project: Project, phrases: Sequence[Phrase] = ()) -> bytes:
    """The band as a Standard MIDI File (type 1): tempo, metre, keys and chords, then bass, chords and drums."""
    import mido

    band = Backing(project)
    spans = [(p.start, p.end) for p in phrases] or [(0.0, band.end)]
    struck = [s for s in band.struck if any(a <= s.start < b for a, b in spans)]
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS_PER_BEAT, charset="utf-8")
    clock = Clock.of(project, ())
    file.tracks.append(conductor(project, clock, mido))
    for part, (channel, program, name) in _PROGRAMS.items():
        start = [mido.MetaMessage("track_name", name=name),
                 mido.Message("program_change", channel=channel, program=program)]  # fmt: skip
        mine = [s for s in struck if s.part is part]
        file.tracks.append(mido.MidiTrack([*start, *_events(clock, mine, channel, mido)]))
    drums = [s for s in struck if s.part in DRUMS]
    named = mido.MetaMessage("track_name", name="Drums")
    file.tracks.append(mido.MidiTrack([named, *_events(clock, drums, _DRUM_CHANNEL, mido)]))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _events(clock: Clock, struck: Sequence[Struck], channel: int, mido: Any) -> list[Any]:
    rows = []
    for s in struck:
        if clock.tempo is not None and clock.tempo.beat_at(s.start) < clock.first_beat - 1e-6:
            # What lies before bar 1 has no place in the file.
            continue
        key = _DRUM_KEYS.get(s.part, s.pitch)
        on, off = clock.tick(s.start), clock.tick(s.end)
        off = max(off, on + 1) if s.part not in DRUMS else on + TICKS_PER_BEAT // 8
        loud = max(1, round(_LOUDEST * s.loud))
        rows.append((on, 1, mido.Message("note_on", channel=channel, note=key, velocity=loud)))
        rows.append((off, 0, mido.Message("note_off", channel=channel, note=key)))
    out, at = [], 0
    for tick, _, message in sorted(rows, key=lambda r: (r[0], r[1])):
        out.append(message.copy(time=tick - at))
        at = tick
    return out
