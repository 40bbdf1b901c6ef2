"""MIDI in: one part's notes, with what the pitch wheel does to them read as bends, vibrato and slides."""

import bisect
import io
import math
from collections import defaultdict
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import numpy as np

from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.found import LEAD_IN_S, ReadNote, ReadScore
from notcher.formats.limits import LONGEST_BEATS
from notcher.listen.candidates.shape import read_shape
from notcher.listen.frames.spectrum import HOP
from notcher.score.limits import LONGEST_S, MOST_NOTES
from notcher.score.note import Attack, Bend, BendKind, Vibrato
from notcher.score.tempo import LONGEST_BAR
from notcher.score.unit import unit_of
from notcher.wording import tr

_DRUMS = 9
# General MIDI sound set (MIDI Manufacturers Association, 1991): programs 25 to 32 are guitars, counted from 1.
_GUITARS, _MUTED_PROGRAM = range(24, 32), 28
_USUAL_RANGE = 2
_STILL_CENTS = 15.0
_SLIDE_S = 0.08
_LONGEST_SHAPE_S = 60.0
_RPN_MSB, _RPN_LSB, _DATA = 101, 100, 6


@dataclass
class _Channel:
    """What happens on one channel of one track. wheel: (tick, -8192..8191)."""

    notes: list[tuple[int, int, int]] = field(default_factory=list)
    wheel: list[tuple[int, int]] = field(default_factory=list)
    semitones: int = _USUAL_RANGE
    program: int = 0
    open: dict[int, int] = field(default_factory=dict)
    rpn: dict[int, int] = field(default_factory=dict)


@dataclass
class _Part:
    name: str
    channels: dict[int, _Channel] = field(default_factory=lambda: defaultdict(_Channel))
    string: int | None = None

    @property
    def count(self) -> int:
        return sum(len(c.notes) for c in self.channels.values())


def read_midi(data: bytes, *, part: str = "") -> ReadScore:
    """What a standard MIDI file says. part: the name of the track to read, '' for the guitar's.

    Raises FileFormatError.
    """
    file = _file(data)
    parts = [p for k, track in enumerate(file.tracks) for p in _parts(track, k) if p.count]
    if not parts:
        raise FileFormatError("it holds no notes")
    clock = _Clock(file.tracks, file.ticks_per_beat)
    last = max(off for p in parts for c in p.channels.values() for _, off, _ in c.notes)
    if last / file.ticks_per_beat > LONGEST_BEATS or clock.seconds(last) > LONGEST_S:
        raise FileFormatError(
            "its last note ends after {hours:.0f} hours; no solo does", hours=clock.seconds(last) / 3600
        )
    chosen = _chosen(parts, part)
    heard = [n for p in chosen for c in p.channels.values() for n in _notes(c, p.string, clock)]
    if len(heard) > MOST_NOTES:
        raise FileFormatError("it holds more than {most_notes} notes; no solo does", most_notes=MOST_NOTES)
    metres, trouble = clock.metres()
    name = tr("the strings") if len(chosen) > 1 else chosen[0].name
    return ReadScore(
        tuple(sorted(heard, key=lambda n: (n.start, -n.pitch))), title=_title(file.tracks), tempos=clock.tempos(),
        metres=metres, unit=clock.unit, written=False, part=name,
        parts=tuple(dict.fromkeys(p.name for p in parts if p not in chosen)), skipped=tuple(trouble),
    )  # fmt: skip


def _file(data: bytes) -> Any:
    """The file as mido has it, its time in beats."""
    import mido

    try:
        file = _parsed(mido, data)
    except Exception as error:  # mido raises whatever its parsing runs into
        raise FileFormatError("it is no whole MIDI file ({why})", why=str(error) or type(error).__name__) from error
    if file.ticks_per_beat <= 0 or file.ticks_per_beat > 32767:
        raise FileFormatError("its time is counted in film frames, not in beats; export it with beats")
    return file


def _title(tracks: Any) -> str:
    """The name of the first track, which is the piece's where there are others."""
    names = (str(m.name) for m in tracks[0] if m.type == "track_name")
    return next(names, "").strip() if len(tracks) > 1 else ""


def _parsed(mido: Any, data: bytes) -> Any:
    try:
        return mido.MidiFile(file=io.BytesIO(data), clip=True, charset="utf-8")
    except UnicodeDecodeError:
        return mido.MidiFile(file=io.BytesIO(data), clip=True, charset="latin1")


class _Clock:
    """Ticks as seconds, and the bars."""

    def __init__(self, tracks: list[Any], per_beat: int) -> None:
        self._per_quarter = per_beat
        self._tempos: list[tuple[int, int]] = []
        self._metres: list[tuple[int, int, int]] = []
        for track in tracks:
            tick = 0
            for message in track:
                tick += message.time
                if message.type == "set_tempo" and message.tempo > 0:
                    self._tempos.append((tick, message.tempo))
                elif message.type == "time_signature":
                    self._metres.append((tick, message.numerator, message.denominator))
        self._tempos.sort(key=lambda row: row[0])
        self._metres.sort(key=lambda row: row[0])
        self.unit = unit_of([(count, kind) for _, count, kind in self._metres])
        self.per_beat = self._per_quarter * self.unit.quarters
        if not self._tempos or self._tempos[0][0] > 0:
            self._tempos.insert(0, (0, 500_000))
        self._at = [0.0]
        for (a, tempo), (b, _) in zip(self._tempos, self._tempos[1:], strict=False):
            self._at.append(self._at[-1] + (b - a) * tempo / 1e6 / per_beat)
        self._starts = [tick for tick, _ in self._tempos]

    def seconds(self, tick: int) -> float:
        """Seconds from the beginning of the file."""
        i = bisect.bisect_right(self._starts, tick) - 1
        return self._at[i] + (tick - self._starts[i]) * self._tempos[i][1] / 1e6 / self._per_quarter

    def tempos(self) -> tuple[tuple[Fraction, float], ...]:
        """(beat, beats a minute); the last of those at one tick."""
        found = {tick / self.per_beat: 60e6 / tempo / float(self.unit.quarters) for tick, tempo in self._tempos}
        return tuple(sorted((at, min(1000.0, max(5.0, bpm))) for at, bpm in found.items()))

    def metres(self) -> tuple[tuple[tuple[int, int], ...], list[str]]:
        """(bar, beats), and what could not be kept."""
        out: list[tuple[int, int]] = [(1, 4)]
        said: list[str] = []
        bar, since = 1, 0
        for tick, beats, unit in self._metres:
            size = Fraction(4 * beats, unit) / self.unit.quarters
            if size.denominator != 1 or not 1 <= size <= LONGEST_BAR:
                said.append(
                    tr(
                        "a metre of {beats}/{unit} is no whole number of quarters; the bars before it go on",
                        beats=beats,
                        unit=unit,
                    )
                )
                continue
            bar += max(0, math.ceil((tick - since) / (out[-1][1] * self.per_beat)))
            since = tick
            out = [row for row in out if row[0] < bar] + [(bar, int(size))]
        return tuple(out), said


def _parts(track: Any, number: int) -> list[_Part]:
    """The parts of a track, without its drums: channels of one sound are one part (each may be a string)."""
    name = next((m.name.strip() for m in track if m.type == "track_name"), "") or tr(
        "Track {number}", number=number + 1
    )
    part = _Part(name)
    last = name.rpartition(" ")[2]
    if name.lower().startswith("string ") and last in tuple("12345678"):
        part.string = int(last)
    tick = 0
    for message in track:
        tick += message.time
        if message.is_meta or not hasattr(message, "channel") or message.channel == _DRUMS:
            continue
        _take(part.channels[message.channel], message, tick)
    for channel in part.channels.values():
        for key in list(channel.open):
            _end(channel, key, tick)
    programs = {c.program for c in part.channels.values() if c.notes}
    if len(programs) < 2:
        return [part]
    return [
        _Part(
            tr("{name}, program {program}", name=name, program=program + 1),
            {k: c for k, c in part.channels.items() if c.program == program},
        )
        for program in sorted(programs)
    ]


def _take(channel: _Channel, message: Any, tick: int) -> None:
    match message.type:
        case "note_on" if message.velocity > 0:
            _end(channel, message.note, tick)
            channel.open[message.note] = tick
        case "note_on" | "note_off":
            _end(channel, message.note, tick)
        case "pitchwheel":
            channel.wheel.append((tick, message.pitch))
        case "program_change" if message.program != _MUTED_PROGRAM or not channel.notes:
            channel.program = message.program
        case "control_change" if message.control in (_RPN_MSB, _RPN_LSB):
            channel.rpn[message.control] = message.value
        case "control_change" if message.control == _DATA and channel.rpn == {_RPN_MSB: 0, _RPN_LSB: 0}:
            channel.semitones = max(1, min(24, message.value))


def _end(channel: _Channel, key: int, tick: int) -> None:
    began = channel.open.pop(key, None)
    if began is not None and tick > began:
        channel.notes.append((began, tick, key))


def _chosen(parts: list[_Part], wanted: str) -> list[_Part]:
    """The part asked for; else the tracks that are strings, or the track most like a lead guitar."""
    if wanted:
        named = [p for p in parts if p.name.lower() == wanted.lower()]
        if not named:
            known = ", ".join(f"'{p.name}'" for p in parts)
            raise FileFormatError("there is no part '{wanted}'; the file has {known}", wanted=wanted, known=known)
        return named[:1]
    strings = [p for p in parts if p.string is not None]
    if len({p.string for p in strings}) > 1:
        return strings

    def merit(part: _Part) -> tuple[bool, bool, int]:
        name = part.name.lower()
        guitar = any(c.program in _GUITARS for c in part.channels.values())
        return "lead" in name or "solo" in name or "guitar" in name, guitar, part.count

    return [max(parts, key=merit)]


def _notes(channel: _Channel, string: int | None, clock: _Clock) -> list[ReadNote]:
    out: list[ReadNote] = []
    ticks = [t for t, _ in channel.wheel]
    cents_of = [value / 8192 * channel.semitones * 100 for _, value in channel.wheel]
    channel.notes.sort()
    before: ReadNote | None = None
    for on, off, key in channel.notes:
        a, b = clock.seconds(on), clock.seconds(off)
        low, high = bisect.bisect_right(ticks, on) - 1, bisect.bisect_left(ticks, off)
        cents = np.zeros(0)
        if high > max(low, 0):
            near = slice(max(low, 0), high)
            times = np.array([clock.seconds(max(t, on)) - a for t in ticks[near]])
            grid = np.arange(0.0, min(b - a, _LONGEST_SHAPE_S), HOP)
            where = np.clip(np.searchsorted(times, grid, side="right") - 1, 0, None)
            cents = np.array(cents_of[near])[where]
            if times[0] > 0:
                cents[grid < times[0]] = 0.0
        attack, bend, vibrato, pitch = Attack.PICK, None, None, key
        if len(cents) and float(np.max(np.abs(cents))) > _STILL_CENTS:
            attack, bend, vibrato, pitch = _shaped(cents, key, a, before)
        start, length = Fraction(on, clock.per_beat), Fraction(off - on, clock.per_beat)
        seconds = (a + LEAD_IN_S, b + LEAD_IN_S)
        before = ReadNote(
            start, length, pitch, string=string, attack=attack, bend=bend, vibrato=vibrato or False, seconds=seconds
        )
        out.append(before)
    return out


def _shaped(
    cents: "np.ndarray[Any, np.dtype[np.float64]]", key: int, onset: float, before: ReadNote | None
) -> tuple[Attack, Bend | None, Vibrato | None, int]:
    """What the wheel does during one note: how it is reached, its bend and vibrato, and the pitch that is fretted."""
    attack = Attack.PICK
    slid = round(_SLIDE_S / HOP)
    gap = 100 * (before.pitch - key) if before is not None else 0
    if (
        before is not None
        and before.seconds is not None
        and gap
        and onset + LEAD_IN_S - before.seconds[1] < 0.06
        and abs(float(cents[0]) - max(-1200, min(1200, gap))) < 60
        and len(cents) > slid
        and abs(float(cents[slid])) < _STILL_CENTS
    ):
        attack, cents = Attack.SLIDE, np.concatenate([np.zeros(slid), cents[slid:]])
        if float(np.max(np.abs(cents))) <= _STILL_CENTS:
            return attack, None, None, key
    raised = float(np.median(cents[:4])) > 40
    if len(cents) < 5:
        return attack, None, None, key
    shape = read_shape(cents + 100 * key, fretted=key if raised else None)
    bend = shape.bend
    if raised and bend is not None and bend.kind is BendKind.BEND and float(np.median(cents[:4])) > 100:
        bend = Bend(BendKind.PRE_BEND, bend.target_cents, bend.points)
    return attack, bend, shape.vibrato, shape.pitch
