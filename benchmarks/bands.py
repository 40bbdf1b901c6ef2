"""How an invented song sounds: a band drawn by chance from a bank of sampled sounds, and a lead guitar over it.

Development has its banks, evaluation others (fluid-soundfont-gm and what was made of it; csound-soundfont and
opl3-soundfont), and so have their seeds.
"""

import random
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import mido
import numpy as np
import pedalboard as pb
from demo.render import (
    RATE,
    SOUNDFONT,
    Take,
    amplified,
    channel_setup,
    humanized,
    lead_midi,
    leveled,
    midi_file,
    panned,
    synthesize,
)
from numpy.typing import NDArray

from benchmarks.songs import Placed, Song, song
from notcher.audio.recording import Audio

DEVELOPMENT_BANKS = (SOUNDFONT,)
EVALUATION_BANKS = (Path("/usr/share/sounds/sf2/sf_GMbank.sf2"), Path("/usr/share/sounds/sf2/OPL-3_FM_128M.sf2"))
DEVELOPMENT, EVALUATION = range(41000, 41080), range(43000, 43036)
_BASSES = (32, 33, 34, 35, 36, 38, 39)
_COMPING = {"strum": (24, 25, 26, 27, 28), "pad": (16, 18, 19, 48, 50, 52, 88, 89), "piano": (0, 1, 2, 4, 5), "arpeggio": (24, 25, 26, 27, 4, 46, 0),
            "crunch": (29, 30)}  # fmt: skip
Hit = tuple[float, int, float, int]


@dataclass(frozen=True)
class Recorded:
    """A song as it was recorded: the seed says all. lead_db: how much louder than the band the lead is."""

    seed: int
    judged: bool = False
    lead_db: float = 6.0
    mono: bool = False

    @cached_property
    def song(self) -> Song:
        """What is played; among those to judge by, the keys go round."""
        return song(random.Random(self.seed), self.seed % 12 if self.judged else None)

    @cached_property
    def take(self) -> Take:
        """Its tempo, its tuning and its lead guitar."""
        dice = random.Random(self.seed + 1)
        return Take(
            self.song.bpm, dice.uniform(0.2, 1.5), dice.uniform(-35, 35), program=dice.choice((26, 27, 29, 29, 30))
        )

    def chords(self) -> list[tuple[float, float, Placed]]:
        """(start, end) in seconds of each chord."""
        return [(self.take.seconds(c.beat), self.take.seconds(c.beat + c.length), c) for c in self.song.chords]

    @property
    def audio(self) -> Audio:
        """The recording."""
        dice, take = random.Random(self.seed + 2), self.take
        bank = dice.choice(EVALUATION_BANKS if self.judged else DEVELOPMENT_BANKS)
        length = int((take.seconds(self.song.length) + 1.5) * RATE)
        band = _band(dice, self.song, take, length, bank)
        lead = np.zeros((2, length), np.float32)
        if self.song.lead:
            clean = synthesize(lead_midi(humanized([("", list(self.song.lead))], take, self.seed), take), length, bank)
            lead = panned(amplified(clean, dice.uniform(0, 24)), dice.choice((0.0, 0.0, dice.uniform(-0.6, 0.6))))
            room = pb.Pedalboard(
                [pb.Delay(take.beat * 0.75, 0.15, 0.12), pb.Reverb(room_size=0.4, wet_level=0.12, dry_level=0.9)]
            )
            lead = room(lead.astype(np.float32), RATE)
            lead *= 10 ** (self.lead_db / 20) * loud_rms(band) / loud_rms(lead)
        mix = band + lead
        mix = mix / max(1.0, float(np.abs(mix).max()))
        if self.mono:
            mix = mix.mean(axis=0, keepdims=True)
        return Audio(np.asarray(mix, np.float32), RATE, len(mix))


def loud_rms(sound: NDArray[np.floating]) -> float:
    loud = sound[np.abs(sound) > 1e-4]
    return float(np.sqrt(np.mean(np.square(loud)))) if len(loud) else 1.0


def _band(dice: random.Random, played: Song, take: Take, length: int, bank: Path) -> NDArray[np.float32]:
    kinds = (
        ["crunch"]
        if played.style == "riff"
        else dice.sample(("strum", "pad", "piano", "arpeggio"), dice.choice((1, 2, 2)))
    )
    if played.style != "riff" and dice.random() < 0.12:
        kinds.append("crunch")
    parts: list[tuple[list[Hit], int, int, float, float]] = []
    if dice.random() < 0.94:
        parts.append(
            (list(_bass(dice, played)), dice.choice(_BASSES), 0, dice.uniform(-0.15, 0.15), dice.uniform(-25, -20))
        )
    if dice.random() < 0.9:
        parts.append((list(_drums(dice, played)), 0, 9, dice.uniform(-0.2, 0.2), dice.uniform(-27, -20)))
    side = dice.choice((-1, 1))
    for kind in kinds:
        where = side * dice.choice((0.0, dice.uniform(0.2, 0.9)))
        parts.append(
            (list(_comping(dice, played, kind)), dice.choice(_COMPING[kind]), 1, where, dice.uniform(-27, -22))
        )
        side = -side
    out = np.zeros((2, length), np.float32)
    for hits, program, channel, where, level in parts:
        events = channel_setup(channel, take, program=program, volume=100)
        for beat, key, held, velocity in hits:
            t = max(0.0, take.seconds(beat + dice.gauss(0, 0.006)))
            events.append((t, 2, mido.Message("note_on", channel=channel, note=key, velocity=velocity)))
            events.append((t + held * take.beat, 0, mido.Message("note_off", channel=channel, note=key)))
        sound = synthesize(midi_file(events), length, bank)
        if np.abs(sound).max() > 1e-3:
            out += panned(leveled(sound, level), where)
    room = pb.Pedalboard(
        [pb.Reverb(room_size=dice.uniform(0.2, 0.6), wet_level=dice.uniform(0.03, 0.2), dry_level=0.92)]
    )
    return np.asarray(room(out, RATE), dtype=np.float32)


def _bass(dice: random.Random, played: Song) -> Iterator[Hit]:
    style = dice.choice(("roots", "eighths", "fifths", "walking", "long"))
    for k, placed in enumerate(played.chords):
        if placed.chord is None:
            continue
        low = 28 + ((placed.chord.bass or placed.chord.root).pitch_class - 4) % 12
        above = [s for s in ((t - low) % 12 for t in placed.chord.pitch_classes) if s]
        following = played.chords[k + 1].chord if k + 1 < len(played.chords) else None
        goal = 28 + ((following.bass or following.root).pitch_class - 4) % 12 if following else low
        beat = 0.0
        while beat < placed.length - 0.01:
            first, last = beat == 0, beat >= placed.length - 1
            step = {"roots": 1.0, "eighths": 0.5, "fifths": 1.0, "walking": 1.0, "long": placed.length}[style]
            key = low
            if style == "fifths" and not first:
                key = low + (7 if 7 in above and dice.random() < 0.6 else 12 if dice.random() < 0.3 else 0)
            elif style == "walking" and not first:
                key = goal + dice.choice((-1, 1, -2, 2)) if last else low + dice.choice([*above, 0, 12])
            elif style == "eighths" and last and dice.random() < 0.25:
                key = low + dice.choice([*above, 12, 2])
            yield placed.beat + beat, key, step * dice.uniform(0.7, 0.95), dice.randint(84, 108)
            beat += step


def _drums(dice: random.Random, played: Song) -> Iterator[Hit]:
    cymbal = dice.choice((42, 46, 51))
    for bar in range(played.bars):
        at = bar * played.beats
        if bar % 4 == 0:
            yield at, 49, 0.2, 84
        for beat in range(played.beats):
            yield (
                at + beat,
                36 if beat % 2 == 0 and (beat == 0 or played.beats == 4) else 38,
                0.2,
                dice.randint(92, 112),
            )
            for half in (0, 0.5):
                yield at + beat + half, cymbal, 0.2, dice.randint(50, 78)


def voiced(dice: random.Random, placed: Placed, low: int, *, power: bool = False) -> list[int]:
    """The keys of a chord from somewhere above `low` on, close or wide, some tones twice."""
    assert placed.chord is not None
    tones = placed.chord.pitch_classes
    if power:
        root = low + (placed.chord.root.pitch_class - low) % 12
        fifth = root + (6 if (placed.chord.root.pitch_class + 6) % 12 in tones else 7)
        return [root, fifth, root + 12]
    keys = sorted(low + (t - low) % 12 for t in tones)
    turn = dice.randrange(len(keys))
    keys = keys[turn:] + [k + 12 for k in keys[:turn]]
    if dice.random() < 0.4:
        keys.append(keys[0] + 12)
    return keys


def _comping(dice: random.Random, played: Song, kind: str) -> Iterator[Hit]:
    low = dice.randint(48, 58) if kind != "crunch" else 40
    strokes = dice.choice(
        ((0, 1, 2, 3), (0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5), (0, 1.5, 2.5), (0.5, 1.5, 2.5, 3.5), (0, 1.5, 2, 3, 3.5))
    )
    order = dice.sample(range(8), 8)
    for placed in played.chords:
        if placed.chord is None:
            continue
        keys = voiced(dice, placed, low, power=kind == "crunch")
        if kind == "pad":
            for key in keys:
                yield placed.beat, key, placed.length * 0.97, dice.randint(60, 84)
        elif kind == "arpeggio":
            n = int(placed.length * 2)
            for k in range(n):
                yield placed.beat + k / 2, keys[order[k % 8] % len(keys)], dice.choice((0.5, 1.5)), dice.randint(64, 92)
        else:
            here = [s for s in strokes if s < placed.length] or [0]
            held = 0.3 if kind == "strum" and dice.random() < 0.2 else 0.9
            for at in here:
                for k, key in enumerate(keys):
                    yield placed.beat + at + (0.02 * k if kind == "strum" else 0), key, held, dice.randint(66, 96)
