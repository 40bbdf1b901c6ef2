"""An invented trio's backing for a lead phrase: bass, drums, panned chords, a pad, and a voice-like line."""

import random
from collections.abc import Iterator

import mido
import numpy as np
import pedalboard as pb
from demo.render import RATE, Take, channel_setup, leveled, midi_file, panned, synthesize, wheel
from numpy.typing import NDArray

Part = list[tuple[float, int, mido.Message]]
# Semitones of chord roots above the key's tonic, for a natural minor key; each bar one chord.
_CHANGES = (0, 8, 3, 10, 0, 5, 8, 10)
_MAJOR = frozenset((3, 8, 10))
_BASSES, _CHORDS, _PADS, _VOICES = (33, 34, 38), (25, 26, 27, 28), (16, 19, 0, 4, 48, 49), (52, 53, 54)


def backing(dice: random.Random, take: Take, tonic: int, beats: float, length: int) -> NDArray[np.float32]:
    """Everything but the lead, shape (2, length). tonic: pitch class of the minor key."""
    bars = int(beats // 4) + 2
    chords = [(tonic + _CHANGES[i % 8], _CHANGES[i % 8] in _MAJOR) for i in range(bars)]
    side = dice.choice((-1, 1)) * dice.uniform(0.45, 0.9)
    parts: list[tuple[Part, float, float]] = [
        (_bass(dice, take, chords), 0.0, -22.0),
        (_drums(dice, take, bars), dice.uniform(-0.1, 0.1), -22.0),
        (_strummed(dice, take, chords), side, -27.0),
        (_pad(dice, take, chords), -side * dice.uniform(0.5, 1.0), -29.0),
    ]
    if dice.random() < 0.5:
        parts.append((_voice(dice, take, chords), 0.0, -27.0))
    out = np.zeros((2, length), np.float32)
    for events, where, level in parts:
        out += panned(leveled(synthesize(midi_file(events), length), level), where)
    room = pb.Pedalboard([pb.Reverb(room_size=0.35, wet_level=0.08, dry_level=0.92)])
    return np.asarray(room(out, RATE), dtype=np.float32)


def _hits(take: Take, channel: int, hits: Iterator[tuple[float, int, float, int]]) -> Part:
    events: Part = []
    for beat, key, length, velocity in hits:
        t = max(0.0, take.seconds(beat))
        events.append((t, 2, mido.Message("note_on", channel=channel, note=key, velocity=velocity)))
        events.append((t + length * take.beat, 0, mido.Message("note_off", channel=channel, note=key)))
    return events


def _bass(dice: random.Random, take: Take, chords: list[tuple[int, bool]]) -> Part:
    pattern = dice.choice(
        (((0, 0), (1.5, 0), (2, 7), (3, 0), (3.5, 12)), ((0, 0), (1, 0), (2, 0), (3, 7)), ((0, 0), (2, 7)))
    )

    def hits() -> Iterator[tuple[float, int, float, int]]:
        for bar, (root, _) in enumerate(chords):
            for at, up in pattern:
                yield bar * 4 + at + dice.gauss(0, 0.006), 28 + (root - 28) % 12 + up, 0.8, dice.randint(84, 104)

    return [*channel_setup(0, take, program=dice.choice(_BASSES), volume=100), *_hits(take, 0, hits())]


def _drums(dice: random.Random, take: Take, bars: int) -> Part:
    def hits() -> Iterator[tuple[float, int, float, int]]:
        for bar in range(bars):
            for i in range(8):
                at = bar * 4 + i / 2 + dice.gauss(0, 0.005)
                if i in (0, 4, 5):
                    yield at, 36, 0.2, dice.randint(90, 108)
                if i in (2, 6):
                    yield at, 38, 0.2, dice.randint(92, 110)
                yield at, 42 if bar % 2 else 51, 0.2, dice.randint(50, 76)
            if bar % 4 == 0:
                yield bar * 4, 49, 0.4, 86

    return [*channel_setup(9, take, program=0, volume=110), *_hits(take, 9, hits())]


def _chord(root: int, major: bool, low: int) -> list[int]:
    return sorted(low + (root + up - low) % 12 for up in (0, 4 if major else 3, 7))


def _strummed(dice: random.Random, take: Take, chords: list[tuple[int, bool]]) -> Part:
    pattern = dice.choice(((0.5, 1.5, 2.5, 3.5), (0, 0.75, 1.5, 2.5, 3.25), (0, 1, 2, 3)))

    def hits() -> Iterator[tuple[float, int, float, int]]:
        for bar, chord in enumerate(chords):
            for at in pattern:
                for k, key in enumerate(_chord(*chord, 50)):
                    yield bar * 4 + at + 0.02 * k + dice.gauss(0, 0.006), key, 0.4, dice.randint(66, 84)

    return [*channel_setup(0, take, program=dice.choice(_CHORDS), volume=100), *_hits(take, 0, hits())]


def _pad(dice: random.Random, take: Take, chords: list[tuple[int, bool]]) -> Part:
    def hits() -> Iterator[tuple[float, int, float, int]]:
        for bar, chord in enumerate(chords):
            for key in _chord(*chord, 55):
                yield bar * 4, key, 3.9, 70

    return [*channel_setup(0, take, program=dice.choice(_PADS), volume=100), *_hits(take, 0, hits())]


def _voice(dice: random.Random, take: Take, chords: list[tuple[int, bool]]) -> Part:
    """One slow line in the lead's own register, in the centre, with a singer's vibrato."""
    events: Part = list(channel_setup(0, take, program=dice.choice(_VOICES), volume=100))

    def hits() -> Iterator[tuple[float, int, float, int]]:
        for bar, chord in enumerate(chords):
            keys = _chord(*chord, 60)
            for at, length in dice.choice((((0, 1.5), (2, 1.5)), ((0, 3.0),), ((0.5, 1.0), (1.5, 0.5), (2, 1.8)))):
                yield bar * 4 + at, dice.choice(keys), length, dice.randint(70, 90)

    events += _hits(take, 0, hits())
    for t in np.arange(0, take.seconds(len(chords) * 4), 0.01):
        events.append((float(t), 1, wheel(0, 18.0 * float(np.sin(2 * np.pi * 5.6 * t)))))
    return events
