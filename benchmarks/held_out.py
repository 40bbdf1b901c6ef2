"""Lead phrases that nothing was tuned on, made by chance from a fixed seed, with known truth.

Rendered when measured (needs Debian's fluidsynth and fluid-soundfont-gm), never shipped. Other tempi, tunings, programs
and drive than the demo's; one string at a time; alone, and over a band 6 dB below the lead.
"""

import random
import shutil
from dataclasses import dataclass

import numpy as np
from demo.render import (
    RATE,
    SOUNDFONT,
    Take,
    amplified,
    band,
    humanized,
    in_a_room,
    lead_midi,
    synthesize,
    truth_notes,
)
from demo.solo import OPEN, Played

from benchmarks.truth import Truth
from notcher.audio.decode import Audio

COUNT = 8
_SEED = 20261124
# F sharp minor, natural: the key of the backing.
_SCALE = frozenset((6, 8, 9, 11, 1, 2, 4))


@dataclass(frozen=True)
class Case:
    """One phrase: how it was played, the lead alone, the lead over the band, and its truth."""

    name: str
    alone: Audio
    mixed: Audio
    truth: Truth


def available() -> bool:
    """Whether the synthesizer and its sounds are installed."""
    return shutil.which("fluidsynth") is not None and SOUNDFONT.exists()


def cases() -> list[Case]:
    """All phrases, rendered."""
    dice = random.Random(_SEED)
    return [_case(k, dice) for k in range(COUNT)]


def _case(number: int, dice: random.Random) -> Case:
    take = Take(
        bpm=dice.choice((72, 84, 100, 112, 126)), first_beat=0.4, offset_cents=dice.randint(-35, 35),
        program=dice.choice((27, 29, 30)),
    )  # fmt: skip
    notes = humanized([("phrase", _phrase(dice))], take, seed=_SEED + number)
    length = int((notes[-1][1] + 1.5) * RATE)
    dry = amplified(synthesize(lead_midi(notes, take), length), dice.choice((3, 9, 15)))
    lead = in_a_room(dry, take)
    backing = band(take, length)
    backing = backing * (np.sqrt(np.mean(lead**2)) / np.sqrt(np.mean(backing**2)) * 10 ** (-6 / 20))
    name = f"{number + 1}: {take.bpm:.0f} bpm, program {take.program}, {take.offset_cents:+.0f} cents"
    return Case(
        name, Audio(dry[None].astype(np.float32), RATE, 1), Audio((0.5 * (lead + backing)).astype(np.float32), RATE, 2),
        Truth(truth_notes(notes, take), take.offset_cents),
    )  # fmt: skip


def _phrase(dice: random.Random) -> list[Played]:
    """Some thirty notes walking through one position, with bends, vibrato, legato and slides as they come."""
    low = dice.choice((2, 5, 7, 9, 12))
    places = [
        (s, f) for s in (4, 3, 2, 1) for f in range(low, low + 5) if (OPEN[s - 1] + f) % 12 in _SCALE
    ]  # fmt: skip
    places.sort(key=lambda p: OPEN[p[0] - 1] + p[1])
    at, beat, out = dice.randrange(len(places)), 4.0, []
    while len(out) < 30:
        at = max(0, min(len(places) - 1, at + dice.choice((-3, -2, -1, -1, 1, 1, 2, 3))))
        string, fret = places[at]
        length = dice.choice((0.25, 0.25, 0.5, 0.5, 0.5, 1.0, 1.0, 2.0))
        out.append(_played(dice, beat, length, string, fret, out[-1] if out else None))
        beat += length + (1.0 if dice.random() < 0.08 else 0.0)
    return out


def _played(dice: random.Random, beat: float, length: float, string: int, fret: int, before: Played | None) -> Played:
    chance = dice.random()
    target = dice.choice((100, 200, 200, 200, 300))
    vib = (dice.uniform(4.5, 6.5), dice.choice((15.0, 25.0, 40.0)), 0.3) if length >= 1 and chance > 0.55 else None
    if length >= 1 and chance < 0.3:
        return Played(beat, length, string, fret, kind="bend", target=target, bend=((0.05, 0), (0.4, target)), vib=vib)
    if length >= 1 and chance < 0.45:
        corners = ((0.05, 0), (0.3, target), (0.5, target), (0.8, 0))
        return Played(beat, length, string, fret, kind="bend-release", target=target, bend=corners)
    if length >= 1 and chance < 0.55:
        corners = ((0.0, target), (0.35, target), (0.7, 0))
        return Played(beat, length, string, fret, kind="pre-bend-release", target=target, bend=corners)
    joined = before is not None and before.string == string and before.fret != fret and not before.bend
    if joined and before is not None and before.beat + before.length == beat and chance < 0.75:
        way = "slide" if chance < 0.15 and before.length >= 0.5 else "hammer" if fret > before.fret else "pull"
        return Played(beat, length, string, fret, attack=way, vib=vib)
    return Played(beat, length, string, fret, vib=vib)
