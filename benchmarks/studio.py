"""Guitars, amplifiers and rooms drawn by chance."""

import random
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pedalboard as pb
from demo.render import RATE, SOUNDFONT, Take, lead_midi, leveled, synthesize
from demo.solo import Played
from numpy.typing import NDArray
from scipy import signal

from benchmarks.guitars import StringModel

Notes = list[tuple[float, float, Played]]

# Programs of the sampled fonts: a muted string, and harmonics, which sound two octaves above their key.
_HARMONICS, _HARMONICS_UP = 31, 24
_MUTED_MARKS = {"palm-mute", "dead"}
_HARMONIC_MARKS = {"natural-harmonic", "pinch-harmonic"}
# Levels of a pinched string's own pitch below its squeal.
_UNDER_DB = (12.0, 24.0)


@dataclass(frozen=True)
class Strings(StringModel):
    """The model with harmonics as a touched string has them: only partials that have a node there, the finger's width
    taking off the higher ones; a natural one rings as the open string does, under a pinched one its own pitch is left.
    Dead strings are a thud."""

    def _partials(
        self, n: Played, phase: NDArray[np.float64], t: NDArray[np.float64], f0: float, dice: random.Random
    ) -> NDArray[np.float64]:  # fmt: skip
        if "dead" in n.marks:
            sound = super()._partials(n, phase, t, f0, dice) * dice.uniform(0.1, 0.6)
            noise = np.random.default_rng(dice.randrange(2**31)).normal(0, 1, len(t))
            low, high = dice.uniform(80, 200), dice.uniform(700, 2500)
            thud = signal.sosfilt(signal.butter(2, (low, high), "band", fs=RATE, output="sos"), noise)
            return np.asarray(sound + 0.25 * thud * np.exp(-t / dice.uniform(0.008, 0.02)) * n.velocity / 100)
        if not _HARMONIC_MARKS & set(n.marks):
            return super()._partials(n, phase, t, f0, dice)
        natural = "natural-harmonic" in n.marks
        order = round(2 ** (((n.fret if natural else 0) + n.sounding) / 12))
        ring = self.ring_s * (1.0 + 0.12 * (n.string - 1)) * (1.0 if natural else 2 ** (-n.fret / 18) * 0.6)
        wide = dice.uniform(0.2, 0.9)
        sound = np.zeros_like(t)
        for m in range(1, max(2, int(min(12, 9000 / f0))) + 1):
            k = m * order
            picked = abs(np.sin(np.pi * k * self.pick)) + (0.0 if natural else 0.4)
            level = picked * abs(np.sin(np.pi * k * self.pickup)) / m * np.exp(-wide * (m - 1)) + 0.02 / m
            sound += level * np.exp(-t * (1 + 0.1 * (m - 1)) / ring) * np.sin(m * phase + dice.uniform(0, 0.4))
        sound *= n.velocity / 100
        if not natural:
            under = 10 ** (-dice.uniform(*_UNDER_DB) / 20)
            sound += under * np.max(np.abs(sound)) * np.exp(-t / 0.25) * np.sin(phase / order)
        return np.asarray(sound)


def sampled(notes: Notes, take: Take, length: int, font: Path = SOUNDFONT) -> NDArray[np.float32]:
    """A sampled guitar, its harmonics from samples of harmonics."""
    touched = [m for m in notes if _HARMONIC_MARKS & set(m[2].marks)]
    rest = [m for m in notes if not _HARMONIC_MARKS & set(m[2].marks)]
    muted = [m for m in rest if _MUTED_MARKS & set(m[2].marks)] if font != SOUNDFONT else []
    out = synthesize(lead_midi([m for m in rest if m not in muted], take), length, font)
    if muted:
        out = out + _damped(muted, take, length, font)
    if touched:
        # Each note is a sample of its own, so that keys may lie where the samples do.
        down = [(a, b, replace(n, sounding=n.sounding - _HARMONICS_UP)) for a, b, n in touched]
        bells = replace(take, program=_HARMONICS, muted_program=_HARMONICS)
        squeal = synthesize(lead_midi(down, bells), length, font)
        fade = np.ones(length)
        for a, b, n in touched:
            if "natural-harmonic" in n.marks:
                at = slice(int(a * RATE), int(b * RATE))
                fade[at] = np.exp(-np.arange(len(fade[at])) / RATE / 1.6)
        out = out + squeal * fade * 0.6
        under = [(a, b, replace(n, sounding=0, velocity=40)) for a, b, n in touched if "pinch-harmonic" in n.marks]
        if under:
            out = out + 0.4 * synthesize(lead_midi(under, take), length, font)
    return np.asarray(out, np.float32)


def _damped(notes: Notes, take: Take, length: int, font: Path) -> NDArray[np.float32]:
    """Plain samples made short and dull, for a font whose muted guitar rings on."""
    plain = synthesize(lead_midi(notes, replace(take, muted_program=take.program)), length, font)
    fade = np.zeros(length)
    for a, b, n in notes:
        at = slice(int(a * RATE), int(b * RATE) + int(0.05 * RATE))
        gone = 0.012 if "dead" in n.marks else 0.06 + 0.06 * (n.fret % 3) / 2
        fade[at] = np.exp(-np.arange(len(fade[at])) / RATE / gone)
    dull = signal.sosfilt(signal.butter(2, 1600, fs=RATE, output="sos"), plain * fade)
    return np.asarray(2.0 * dull, np.float32)


def guitar(dice: random.Random, notes: Notes, take: Take, length: int) -> NDArray[np.float32]:
    """A string model of any build, or the sampled guitar."""
    if dice.random() < 0.5:
        model = Strings(
            dice.uniform(0.07, 0.3), dice.uniform(0.05, 0.25), dice.uniform(0.9, 4.5), (0.0, dice.uniform(1, 9)),
            (0.0, dice.uniform(0.0, 0.018)), dice.uniform(0, 16), dice.uniform(0.4, 2.2),
        )  # fmt: skip
        return model.render(notes, take, length, dice.randrange(10**6))
    return sampled(notes, take, length)


def amplifier(dice: random.Random, clean: NDArray[np.float32]) -> NDArray[np.float32]:
    """All strings through one amplifier of any drive and voice."""
    sound = pb.Pedalboard([pb.HighpassFilter(dice.uniform(50, 140))])(leveled(clean, -20)[None], RATE)[0]
    drive = dice.choice(
        (0.0, 0.0, dice.uniform(4, 14), dice.uniform(12, 26), dice.uniform(24, 40), dice.uniform(24, 40))
    )
    if drive:
        up = signal.resample_poly(sound.astype(np.float64), 2, 1)
        stages = dice.choice((1, 2, 3))
        for _ in range(stages):
            bias = dice.uniform(0.0, 0.4)
            up = up * 10 ** (drive / stages / 20)
            up = (
                np.tanh(1.6 * up + bias) - np.tanh(bias)
                if dice.random() < 0.7
                else np.clip(up + bias, -0.7, 0.9) - bias
            )
        sound = signal.resample_poly(up, 1, 2)
    board = [pb.HighpassFilter(dice.uniform(60, 130)), pb.PeakFilter(dice.uniform(500, 3000), dice.uniform(-6, 6), 0.8),
             pb.LowpassFilter(dice.uniform(2800, 8000)), pb.LowpassFilter(dice.uniform(4000, 9000))]  # fmt: skip
    if dice.random() < 0.4:
        board.insert(0, pb.Compressor(dice.uniform(-30, -18), dice.uniform(2, 5), 4, 120))
    return np.asarray(leveled(pb.Pedalboard(board)(sound[None].astype(np.float32), RATE)[0], -18), np.float32)


def room(dice: random.Random, sound: NDArray[np.float32], take: Take) -> NDArray[np.float32]:
    board: list[pb.Plugin] = []
    if dice.random() < 0.3:
        board.append(
            pb.Delay(take.beat * dice.choice((0.5, 0.75, 1.0)), dice.uniform(0.1, 0.4), dice.uniform(0.1, 0.3))
        )
    if dice.random() < 0.5:
        wet = dice.uniform(0.05, 0.3)
        board.append(pb.Reverb(room_size=dice.uniform(0.1, 0.8), wet_level=wet, dry_level=1 - wet))
    if dice.random() < 0.15:
        board.append(dice.choice((pb.Phaser(0.7, 0.4, mix=0.4), pb.Chorus(1.0, 0.2, mix=0.3))))
    return np.asarray(pb.Pedalboard(board)(sound[None].astype(np.float32), RATE)[0], np.float32)
