"""What the ear learns from: phrases put together by chance from every cell, on guitars, amplifiers, rooms and tapes
drawn by chance, alone and over backings, and what sounds in them and what begins.

Run: python -m benchmarks.ear_material FOLDER HOW_MANY (needs what the material needs). Seeds of its own, and neither
the guitars nor the models kept for judging.
"""

import random
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from demo.render import RATE, Take, amplified, humanized, lead_midi, panned, synthesize, truth_notes
from demo.solo import Played
from numpy.typing import NDArray

from benchmarks import cells as c
from benchmarks.backing import backing
from benchmarks.cells import Cell, Hand
from benchmarks.studio import amplifier, guitar, room
from benchmarks.wide_cells import WIDE_CELLS
from notcher.audio.lead import views
from notcher.listen.frames.bands import STEP, bands_of
from notcher.score.isolation import Isolation, StereoPosition

SINGLE: tuple[Cell, ...] = (
    c.held, c.eighths, c.sixteenths, c.picked_sixteenths, c.sextuplets, c.legato_run, c.bend, c.slow_bend,
    c.quarter_bend, c.bend_release, c.pre_bend_release, c.bend_again, c.picked_at_the_top, c.staggered, c.slide,
    c.grace_slide, c.slide_in, c.slide_off, c.trill, c.tapping, c.tremolo, c.muted, c.staccato, c.rake, c.dead_notes,
    c.natural_harmonic, c.pinch_harmonic, c.bar_dip, c.dive, c.scoop, c.swell,
)  # fmt: skip
TOGETHER: tuple[Cell, ...] = (
    c.double_stops, c.unison_bend, c.oblique_bend, c.double_stop_bend, c.triad, c.hammered_pair, c.let_ring,
)  # fmt: skip
MINOR = (0, 2, 3, 5, 7, 8, 10)
STANDARD = (64, 59, 55, 50, 45, 40)
_CELLS = 11
# How a note begins: 0 picked, 1 by the fretting hand or tapped.
_LEGATO = ("hammer", "pull", "slide", "tap")
Notes = list[tuple[float, float, Played]]


def phrase(dice: random.Random) -> tuple[Notes, Take, float, int]:
    """Notes in seconds, how they are taken, beats, and the key's pitch class."""
    down = dice.choice((0, 0, 0, 1, 2))
    take = Take(
        bpm=dice.uniform(64, 150), first_beat=0.3, offset_cents=dice.uniform(-40, 40), program=dice.choice((25, 26, 27, 27, 28)),
        muted_program=28, strings=tuple(p - down for p in STANDARD),
    )  # fmt: skip
    tonic = dice.randrange(12)
    scale = frozenset((tonic + up) % 12 for up in MINOR)
    hand = Hand(dice, take.strings, dice.choice((2, 3, 5, 7, 9, 12, 14)), scale, take.bpm)
    beat, parts = 2.0, []
    for _ in range(_CELLS):
        kind = dice.random()
        cell = dice.choice(SINGLE if kind < 0.4 else TOGETHER if kind < 0.58 else WIDE_CELLS)
        notes, length = cell(hand, beat)
        parts.append((cell.__name__, [replace(n, fret=min(n.fret, 24)) for n in notes]))
        beat += length + (1.0 if dice.random() < 0.15 else 0.0)
    return humanized(parts, take, dice.randrange(10**6)), take, beat, tonic


def events_of(notes: Notes, take: Take) -> NDArray[np.float32]:
    """Rows (onset s, end s, MIDI as it sounds at its beginning, 0 picked or 1 not), of notes that have a pitch."""
    rows = []
    for n in truth_notes(notes, take):
        if "dead" not in n["marks"]:
            early = float(np.median(n["cents_5ms"][4:14] or [0.0])) / 100 + take.offset_cents / 100
            pitch = n["pitch"] + n["sounding"] + early
            rows.append((n["onset"], n["onset"] + n["duration"], pitch, float(n["attack"] in _LEGATO)))
    return np.array(rows, np.float32).reshape(-1, 4)


def sounding_of(notes: Notes, take: Take, audible: NDArray[np.bool_]) -> NDArray[np.float32]:
    """MIDI pitch of each string at each STEP, NaN where it does not sound, shape (n, 6)."""
    out = np.full((len(audible), 6), np.nan, np.float32)
    for n in truth_notes(notes, take):
        if "dead" in n["marks"]:
            continue
        cents = np.array(n["cents_5ms"]) + take.offset_cents
        first, last = int(np.ceil(n["onset"] / STEP)), int((n["onset"] + n["duration"]) / STEP)
        at = np.arange(first, min(last, len(audible)))
        out[at, n["string"] - 1] = n["pitch"] + n["sounding"] + np.interp(
            at * STEP, n["onset"] + 0.005 * np.arange(len(cents)), cents) / 100  # fmt: skip
    out[~audible] = np.nan
    return out


def audible_of(mono: NDArray[np.float32], step: float = STEP) -> NDArray[np.bool_]:
    """Whether a lead sounds at each step (seconds): no more than 36 dB below its usual peak level in 20 ms."""
    squared = np.concatenate(([0.0], np.cumsum(mono.astype(np.float64) ** 2)))
    centres = np.round(np.arange(int(len(mono) / RATE / step)) * step * RATE).astype(int)
    low, high = np.clip(centres - 441, 0, len(mono)), np.clip(centres + 441, 0, len(mono))
    level = 10 * np.log10((squared[high] - squared[low]) / np.maximum(high - low, 1) + 1e-12)
    return np.asarray(level > np.percentile(level, 95) - 36.0)


def made(seed: int, folder: Path) -> str:
    """One phrase, alone and twice over its backing, written as numbers."""
    dice = random.Random(seed)
    notes, take, beats, tonic = phrase(dice)
    length = int((take.seconds(beats) + 1.0) * RATE)
    if dice.random() < 0.12:
        odd = replace(take, program=dice.choice((29, 30)))
        dry = amplified(synthesize(lead_midi(notes, odd), length), dice.uniform(3, 15))
    else:
        dry = amplifier(dice, guitar(dice, notes, take, length))
    audible = audible_of(dry)
    mono = room(dice, dry, take)
    pan = dice.choice((0.0, 0.0, dice.uniform(-0.7, 0.7)))
    lead = panned(mono, pan).astype(np.float32)
    rest = backing(dice, take, tonic, beats, length)
    hiss = np.random.default_rng(seed).normal(0, 1, (2, length)).astype(np.float32) * 10 ** (
        dice.uniform(-80, -48) / 20
    )
    out: dict[str, Any] = {
        "events": events_of(notes, take),
        "sounding": sounding_of(notes, take, audible).astype(np.float32),
    }
    ratio = float(np.sqrt(np.mean(lead**2)) / np.sqrt(np.mean(rest**2)))
    for name in ("alone", "one", "two"):
        level = dice.uniform(-4, 12)
        samples = lead + hiss if name == "alone" else lead + rest * (ratio * 10 ** (-level / 20)) + hiss
        low = 60.0 if name == "alone" or dice.random() < 0.3 else 150.0
        seat = Isolation(StereoPosition.MIX, low_hz=low)
        if name != "alone" and dice.random() < 0.8:
            seat = Isolation(StereoPosition.PAN, pan=round(pan, 2), width=dice.uniform(0.3, 0.6), low_hz=low)
        heard = views((samples * (0.8 / np.max(np.abs(samples)))).astype(np.float32), seat)[0]
        out[name] = np.round(bands_of(heard) * 80).clip(0, 255).astype(np.uint8)
    np.savez(folder / f"{seed}.npz", **out)
    return f"{seed}: {length / RATE:.0f} s, {len(notes)} notes"


def main() -> None:
    """Make as many as are asked for."""
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    first = 500_000
    with ProcessPoolExecutor(2) as pool:
        for said in pool.map(partial(made, folder=folder), range(first, first + int(sys.argv[2]))):
            print(said, flush=True)


if __name__ == "__main__":
    main()
