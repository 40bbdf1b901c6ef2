"""Standard MIDI file: one channel a string, bends, vibrato and slides as pitch wheel.

The wheel's range is set to 12 semitones by registered parameter 0 (MIDI 1.0 Detailed Specification, RPN table).
"""

import io
import itertools
import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from notcher.audio.tone import cents_of
from notcher.rhythm.values import places_of
from notcher.score.errors import ScoreError
from notcher.score.note import MOVES_THE_PITCH, Attack, Mark, Note
from notcher.score.project import Project
from notcher.score.spelling import Tone
from notcher.score.technique import ATTACK_OF
from notcher.score.tempo import TempoMap
from notcher.wording.notes import phrase_title

WHEEL_RANGE = 12
TICKS_PER_BEAT = 960
# General MIDI sound set: clean and muted electric guitar, 28 and 29 counted from 1; controller 11 is expression.
_GUITAR_PROGRAM, _MUTED_PROGRAM = 27, 28
_WHEEL_STEP, _LONGEST_WHEEL_S = 0.01, 60.0
"""Seconds between messages of the wheel, and after which it rests: no string rings for a minute."""
_ACCENT = 24
# Microseconds a quarter: three bytes hold no more.
_SLOWEST = 0xFFFFFF
_LONGEST_RING_BEATS = 4


def wheel(cents: float) -> int:
    """Pitch wheel value, -8192 to 8191, for cents within the wheel's range.

    Raises ScoreError beyond 1200 cents either way.
    """
    if not -1200 <= cents <= 1200:
        raise ScoreError(
            "the pitch wheel reaches {wheel_range} semitones, got {cents:.0f} cents",
            wheel_range=WHEEL_RANGE,
            cents=cents,
        )
    return min(8191, round(cents / (WHEEL_RANGE * 100) * 8192))


def midi_bytes(project: Project, notes: tuple[Note, ...]) -> bytes:
    """The notes as a MIDI file that plays in the recording's own time, at A = 440.

    With a tempo map its first bar is bar 1, as on the page and in MusicXML. Only a pick-up comes before: MIDI counts
    that as its bar 1, since it has no other. At which time of the recording the file begins, an SMPTE offset says.
    """
    import mido

    # Meta texts are bytes; UTF-8 is what other programs guess for those beyond ASCII.
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS_PER_BEAT, charset="utf-8")
    clock = Clock.of(project, notes)
    file.tracks.append(conductor(project, clock, mido))
    for string in project.tuning.numbers:
        mine = [n for n in notes if n.string == string]
        file.tracks.append(_string_track(project, clock, string, mine, mido))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


@dataclass(frozen=True, slots=True)
class Clock:
    """Ticks at times of the recording. With a tempo map, tick 0 is the beginning of the first bar that is written;
    else it is 0 s, and a beat is half a second."""

    tempo: TempoMap | None
    first_beat: int

    @classmethod
    def of(cls, project: Project, notes: tuple[Note, ...]) -> "Clock":
        """The clock of a file with some notes."""
        tempo = project.tempo
        if tempo is None or not notes:
            return cls(tempo, tempo.first_beat_of(1) if tempo else 0)
        first = min(p.start for p in places_of(notes, tempo))
        bar = tempo.bar_of(float(first))
        # A pick-up begins with the beat of its first note, as in MusicXML.
        return cls(tempo, tempo.first_beat_of(1) if bar >= 1 else math.floor(first))

    @property
    def pickup(self) -> int:
        """Beats before bar 1."""
        return 0 if self.tempo is None else self.tempo.first_beat_of(1) - self.first_beat

    @property
    def per_beat(self) -> int:
        """Ticks in a beat."""
        return TICKS_PER_BEAT if self.tempo is None else int(TICKS_PER_BEAT * self.tempo.unit.quarters)

    @property
    def start(self) -> float:
        """Seconds in the recording at tick 0."""
        return 0.0 if self.tempo is None else self.tempo.time_at(self.first_beat)

    def tick(self, time: float) -> int:
        """The tick at a time in seconds; one before the first bar, where a player comes early, is its beginning."""
        if self.tempo is None:
            return max(0, round(time * 2 * TICKS_PER_BEAT))
        return max(0, round((self.tempo.beat_at(time) - self.first_beat) * self.per_beat))


def _keys_and_chords(project: Project, clock: Clock, mido: Any) -> list[tuple[int, Any]]:
    """Key signatures, church modes by the key with the same one, sections and chords as markers, phrases as cues."""
    assert clock.tempo is not None
    rows = []

    def tick(time: float) -> int:
        assert clock.tempo is not None
        return max(0, round((clock.tempo.beat_at(time) - clock.first_beat) * clock.per_beat))

    for k in project.keys:
        signature = k.key.signature
        name = Tone(signature + 3).plain() + "m" if k.key.minor else Tone(signature).plain()
        rows.append((tick(k.start), mido.MetaMessage("key_signature", key=name)))
    rows += [(tick(s.start), mido.MetaMessage("marker", text=s.name)) for s in project.sections]
    rows += [(tick(p.start), mido.MetaMessage("cue_marker", text=phrase_title(p))) for p in project.phrases]
    rows += [
        (tick(c.start), mido.MetaMessage("marker", text=c.chord.plain() if c.chord else "N.C.")) for c in project.chords
    ]
    return rows


def conductor(project: Project, clock: Clock, mido: Any) -> Any:
    """The track of tempo, metre, keys and chords, as a mido track."""
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name=project.request.title or "Solo"))
    tempo = clock.tempo
    if tempo is None:
        track.append(mido.MetaMessage("set_tempo", tempo=500_000))
        return track
    if clock.start > 0:
        track.append(_offset(clock.start, mido))
    rows: list[tuple[int, Any]] = []
    metres = [(0, clock.pickup)] if clock.pickup else []
    metres += [(clock.pickup, tempo.beats_in(1))]
    metres += [(tempo.first_beat_of(bar) - clock.first_beat, size) for bar, size in tempo.changes if bar > 1]
    for beat, size in metres:
        count, kind = tempo.unit.signature(size)
        # A metronome's click: so many 24ths of a quarter.
        clocks = int(24 * tempo.unit.quarters)
        message = mido.MetaMessage("time_signature", numerator=count, denominator=kind, clocks_per_click=clocks)
        rows.append((beat * clock.per_beat, message))
    for i, (a, b) in enumerate(itertools.pairwise(tempo.beats)):
        if i + 1 > clock.first_beat or i == len(tempo.beats) - 2:
            tick = max(0, i - clock.first_beat) * clock.per_beat if i else 0
            quarter = round((b - a) * 1e6 / float(tempo.unit.quarters))
            rows.append((tick, mido.MetaMessage("set_tempo", tempo=min(_SLOWEST, quarter))))
    rows += _keys_and_chords(project, clock, mido)
    at = 0
    for tick, message in sorted(rows, key=lambda row: row[0]):
        track.append(message.copy(time=tick - at))
        at = tick
    return track


def _offset(seconds: float, mido: Any) -> Any:
    """SMPTE offset (Standard MIDI Files 1.0, meta event FF 54): the time at which the track is to begin, in hundredths
    of 30 frames a second."""
    hundredths = round(seconds * 3000)
    frames, sub_frames = divmod(hundredths, 100)
    whole, frames = divmod(frames, 30)
    return mido.MetaMessage(
        "smpte_offset", frame_rate=30, hours=whole // 3600, minutes=whole // 60 % 60, seconds=whole % 60,
        frames=frames, sub_frames=sub_frames,
    )  # fmt: skip


def _string_track(project: Project, clock: Clock, string: int, notes: list[Note], mido: Any) -> Any:
    channel = string - 1
    events: list[tuple[int, int, Any]] = []

    def control(number: int, value: int) -> None:
        message = mido.Message("control_change", channel=channel, control=number, value=value)
        events.append((0, len(events) - 100, message))

    for number, value in ((101, 0), (100, 0), (6, WHEEL_RANGE), (38, 0), (101, 127), (100, 127)):
        control(number, value)
    events.append((0, 0, mido.Message("program_change", channel=channel, program=_GUITAR_PROGRAM)))
    for i, n in enumerate(notes):
        before, after = notes[i - 1] if i else None, notes[i + 1] if i + 1 < len(notes) else None
        on, off = clock.tick(n.onset), _ends(n, after, clock)
        key = round(n.sounding_pitch(project.tuning)) if Mark.NATURAL_HARMONIC in n.marks else n.pitch(project.tuning)
        if Mark.PALM_MUTE in n.marks:
            for tick, order, program in ((on, 1, _MUTED_PROGRAM), (off, 0, _GUITAR_PROGRAM)):
                events.append((tick, order, mido.Message("program_change", channel=channel, program=program)))
        if Mark.SWELL in n.marks:
            steps = [(on + (off - on) * k // 16, min(127, 8 * k)) for k in range(9)]
            for tick, value in (*steps, (off, 127)):
                events.append((tick, 1, mido.Message("control_change", channel=channel, control=11, value=value)))
        events.append((on, 2, mido.Message("note_on", channel=channel, note=key, velocity=_velocity(n))))
        events.append((off, 0, mido.Message("note_off", channel=channel, note=key)))
        last = None
        for time, cents in _wheel_curve(n, before):
            tick, value = clock.tick(n.onset + time), wheel(float(np.clip(cents, -1200, 1200)))
            if tick < off and value != last:
                events.append((tick, 1, mido.Message("pitchwheel", channel=channel, pitch=value)))
                last = value
    track = mido.MidiTrack([mido.MetaMessage("track_name", name=f"String {string}")])
    at = 0
    for tick, _, message in sorted(events, key=lambda e: (e[0], e[1])):
        track.append(message.copy(time=tick - at))
        at = tick
    return track


def _ends(n: Note, after: Note | None, clock: Clock) -> int:
    """The tick at which a note ends that another of its string may follow: not before the one after its onset."""
    on, off = clock.tick(n.onset), clock.tick(n.end)
    if after is not None:
        off = min(off, clock.tick(after.onset))
    if Mark.LET_RING in n.marks:
        # Until its string is played again, a bar at most.
        rings = on + _LONGEST_RING_BEATS * TICKS_PER_BEAT
        off = max(off, min(rings, clock.tick(after.onset) if after is not None else rings))
    off = max(off, on + 1)
    if n.share_that_sounds < 1:
        off = max(on + 1, round(on + (off - on) * n.share_that_sounds))
    return min(off, on + TICKS_PER_BEAT // 8) if Mark.DEAD in n.marks else off


def _velocity(n: Note) -> int:
    if Mark.DEAD in n.marks:
        velocity = 40
    elif Mark.LEFT_HAND in n.marks:
        velocity = 76
    elif Mark.REPICKED in n.marks:
        velocity = ATTACK_OF[Attack.PICK].velocity
    else:
        velocity = ATTACK_OF[n.attack].velocity
    return min(127, velocity + (_ACCENT if Mark.ACCENT in n.marks else 0))


def _wheel_curve(n: Note, before: Note | None) -> list[tuple[float, float]]:
    if not n.bend and not n.vibrato and not n.marks & MOVES_THE_PITCH and n.attack is not Attack.SLIDE:
        return [(0.0, 0.0)]
    t = np.arange(0.0, min(n.duration, _LONGEST_WHEEL_S), _WHEEL_STEP)
    cents = cents_of(n, t)
    if n.attack is Attack.SLIDE and before and n.onset - before.end < 0.06:
        gap = float(np.clip(before.fret - n.fret, -12, 12))
        cents = cents + 100 * np.round(gap * np.clip(1 - t / 0.06, 0, 1))
    return list(zip(t.tolist(), cents.tolist(), strict=True))
