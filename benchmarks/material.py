"""Lead phrases with known truth, rendered alone and over backings; development and evaluation apart.

Rendered when measured (needs Debian's fluidsynth and fluid-soundfont-gm), never shipped. Each string is a MIDI channel
of its own. The sampled guitar's keys lie within about 2 cents of where they should (up to 8 in the lowest octave of
two programs; measured on steady notes with a long transform), which is part of every figure.
"""

import hashlib
import random
import shutil
import sys
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import numpy as np
import pedalboard as pb
from demo import render
from demo.render import RATE, SOUNDFONT, Take, amplified, humanized, lead_midi, panned, synthesize, truth_notes
from demo.solo import Played
from numpy.typing import NDArray

from benchmarks import backing as backing_part
from benchmarks import cells, guitars, plans
from benchmarks.backing import backing
from benchmarks.cells import Hand
from benchmarks.plans import PLANS, Plan
from benchmarks.truth import Truth
from notcher.audio.recording import Audio
from notcher.listen.frames.spectrum import HOP

# Thresholds are chosen on the development sets only; the others are for reporting.
DEVELOPMENT, EVALUATION_SETS = 2611, (7340, 8807)
DEVELOPMENT_SETS = (DEVELOPMENT, 101, 102, 103)
# Whose backings alone served for telling a lead from none.
BACKING_SETS = (*DEVELOPMENT_SETS, 107, 108, 109, 110, 111, 112)
LEVELS_DB = (6, 0, -3)
_MINOR = (0, 2, 3, 5, 7, 8, 10)
_STANDARD = (64, 59, 55, 50, 45, 40)
_TUNINGS = {
    "standard": _STANDARD,
    "half step down": tuple(p - 1 for p in _STANDARD),
    "D standard": tuple(p - 2 for p in _STANDARD),
}
_PROGRAMS = {"clean": 27, "overdriven": 29, "distorted": 30}
_EFFECTS = ("none", "delay", "reverb", "phaser", "drive")
_SEATS = ("centre", "half left", "doubled")
_MUTED = 28
# Sets whose strings are summed into one amplifier, and the guitars they are dealt; one for judging alone.
WIDE_DEVELOPMENT, WIDE_EVALUATION = (3101, 3102), (9203,)
_WIDE = dict.fromkeys(WIDE_DEVELOPMENT, ("sampled", "model"))
_WIDE |= dict.fromkeys(WIDE_EVALUATION, ("other sampled", "other model"))
SETS = tuple(dict.fromkeys((*BACKING_SETS, *WIDE_DEVELOPMENT)))
"""Whatever may be learned from."""
_FAINT_DB = 36.0


@dataclass
class Case:
    """One phrase as it was played, and how it was recorded."""

    plan: Plan
    take: Take
    tuning: str
    sound: str
    effect: str
    seat: str
    tonic: int
    drive_db: float
    seed: int
    # Of benchmarks/guitars.py, summed into one amplifier; '' for the sampled guitar with every string's sound its own.
    guitar: str = ""
    amp: str = ""

    @property
    def name(self) -> str:
        """What distinguishes it."""
        return (
            f"{self.plan.name}: {self.take.bpm:.0f} bpm, {self._guitar}, {self.effect}, {self.seat}, {self.tuning}, "
            f"{self.take.offset_cents:+.0f} cents"
        )

    @property
    def _guitar(self) -> str:
        return f"{self.guitar} {self.amp}" if self.guitar else self.sound

    @property
    def key(self) -> str:
        """A name for files that changes with anything the sound is made of."""
        made_of = [
            Path(str(m.__file__)).read_bytes()
            for m in (cells, plans, backing_part, guitars, render, sys.modules[__name__])
        ]
        return hashlib.sha256(
            b"".join(
                [
                    *made_of,
                    repr(
                        (
                            self.plan.name,
                            self.take,
                            self.tuning,
                            self.sound,
                            self.effect,
                            self.seat,
                            self.tonic,
                            self.drive_db,
                            self.seed,
                            self.guitar,
                            self.amp,
                        )
                    ).encode(),
                ]
            )
        ).hexdigest()[:20]

    @cached_property
    def _notes(self) -> tuple[list[tuple[float, float, Played]], float]:
        dice = random.Random(self.seed)
        position = dice.choice((3, 5, 7, 9, 12))
        scale = frozenset((self.tonic + up) % 12 for up in _MINOR)
        hand = Hand(dice, self.take.strings, position, scale, self.take.bpm)
        beat, phrases = 4.0, []
        again = list(self.plan.cells)
        dice.shuffle(again)
        for cell in (*self.plan.cells, *again):
            notes, length = cell(hand, beat)
            phrases.append((cell.__name__, notes))
            beat += length + (1.0 if dice.random() < 0.1 else 0.0)
        return humanized(phrases, self.take, self.seed), beat

    @property
    def truth(self) -> Truth:
        """What was played."""
        return Truth(truth_notes(self._notes[0], self.take), self.take.offset_cents, self.take.strings)

    def audible(self) -> NDArray[np.bool_]:
        """Whether the lead sounds at each HOP: no more than 36 dB below its usual peak level in 20 ms."""
        mono = self.lead.mean(axis=0, dtype=np.float64)
        squared = np.concatenate(([0.0], np.cumsum(mono**2)))
        centres = np.round(np.arange(int(len(mono) / RATE / HOP)) * HOP * RATE).astype(int)
        low, high = np.clip(centres - 441, 0, len(mono)), np.clip(centres + 441, 0, len(mono))
        level = 10 * np.log10((squared[high] - squared[low]) / np.maximum(high - low, 1) + 1e-12)
        return np.asarray(level > np.percentile(level, 95) - _FAINT_DB)

    @property
    def length(self) -> int:
        """Samples, with two seconds to ring out."""
        return int((self.take.seconds(self._notes[1]) + 2.0) * RATE)

    @cached_property
    def lead(self) -> NDArray[np.float32]:
        """The lead with its effect in its place, shape (2, n)."""
        notes = self._notes[0]
        if self.seat == "doubled":
            # Played twice: a little later or earlier, a little sharper and flatter.
            dice = random.Random(self.seed + 2)
            away = [dice.gauss(0.0, 0.007) for _ in notes]
            once = [(max(0.0, a - d), b - d, n) for (a, b, n), d in zip(notes, away, strict=True)]
            twice = [(max(0.0, a + d), b + d, n) for (a, b, n), d in zip(notes, away, strict=True)]
            first, second = self._one_lead(once, -3.0), self._one_lead(twice, 3.0)
            return (panned(first, -0.6) + panned(second, 0.6)).astype(np.float32)
        return panned(self._one_lead(notes, 0.0), -0.5 if self.seat == "half left" else 0.0).astype(np.float32)

    def _one_lead(self, notes: list[tuple[float, float, Played]], sharp: float) -> NDArray[np.float32]:
        take = replace(self.take, offset_cents=self.take.offset_cents + sharp)
        if self.guitar:
            dry = guitars.through(self.amp, guitars.GUITARS[self.guitar](notes, take, self.length, self.seed))
        else:
            dry = amplified(synthesize(lead_midi(notes, take), self.length), self.drive_db)
        board = {
            "none": [], "drive": [pb.Distortion(drive_db=12), pb.Gain(-8)],
            "delay": [pb.Delay(self.take.beat * 0.75, 0.25, 0.22)],
            "reverb": [pb.Reverb(room_size=0.55, wet_level=0.2, dry_level=0.8)],
            "phaser": [pb.Phaser(rate_hz=0.7, depth=0.4, mix=0.4)],
        }[self.effect]  # fmt: skip
        return np.asarray(pb.Pedalboard(board)(dry[None].astype(np.float32), RATE)[0], dtype=np.float32)

    @cached_property
    def _backing(self) -> NDArray[np.float32]:
        dice = random.Random(self.seed + 1)
        return backing(dice, self.take, self.tonic, self._notes[1], self.length)

    def alone(self) -> Audio:
        """The lead with nothing else."""
        return _audio(self.lead)

    def without_lead(self) -> Audio:
        """The backing with no lead in it."""
        return _audio(self._backing)

    def mixed(self, level_db: float) -> Audio:
        """The lead level_db louder than all the rest, over the time in which the lead sounds."""
        sounding = np.zeros(self.length, bool)
        for onset, end, _ in self._notes[0]:
            sounding[round(onset * RATE) : round(end * RATE)] = True
        lead, rest = (float(np.sqrt(np.mean(part[:, sounding] ** 2))) for part in (self.lead, self._backing))
        return _audio(self.lead + self._backing * (lead / rest * 10 ** (-level_db / 20)))


def _audio(samples: NDArray[np.float32]) -> Audio:
    peak = float(np.max(np.abs(samples)))
    return Audio((samples * (0.8 / peak)).astype(np.float32), RATE, 2)


def available() -> bool:
    """Whether the synthesizer and its sounds are installed."""
    return shutil.which("fluidsynth") is not None and SOUNDFONT.exists()


def cases(which: int) -> list[Case]:
    """The phrases of a set, one for each plan; settings dealt so that each occurs."""
    dice = random.Random(which)
    dealt = [_dealt(dice, choices, len(PLANS)) for choices in (list(_PROGRAMS), _EFFECTS, _SEATS, list(_TUNINGS))]
    out = []
    for k, plan in enumerate(PLANS):
        sound, effect, seat, tuning = (column[k] for column in dealt)
        program = _PROGRAMS[sound]
        take = Take(
            bpm=float(dice.randint(*plan.bpm)), first_beat=0.3, offset_cents=float(dice.randint(-35, 35)), program=program,
            muted_program=_MUTED, strings=_TUNINGS[tuning],
        )  # fmt: skip
        drive = {"clean": 3.0, "overdriven": 9.0, "distorted": 15.0}[sound]
        case = Case(plan, take, tuning, sound, effect, seat, dice.randrange(12), drive, dice.randrange(10**6))
        out.append(case)
    if which in _WIDE:
        guitar, amp = (_dealt(dice, choices, len(PLANS)) for choices in (_WIDE[which], guitars.AMPS))
        out = [replace(c, guitar=g, amp=a) for c, g, a in zip(out, guitar, amp, strict=True)]
    return out


def _dealt(dice: random.Random, choices: "list[str] | tuple[str, ...]", count: int) -> list[str]:
    cards = [choices[i % len(choices)] for i in range(count)]
    dice.shuffle(cards)
    return cards
