"""More for the ear to learn from: its phrases alone, over their backings, and over bands as they were recorded, the lead
down to 10 dB below them, two in five through simulated amplifiers.

Run: python -m benchmarks.ear_bands FOLDER HOW_MANY (needs what benchmarks/recorded.py and benchmarks/circuits.py need).
benchmarks/fit_ear.py takes its folder as it takes that of benchmarks/ear_material.py. The ear that ships was taught on
with 285 of them.
"""

import random
import sys
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

import numpy as np
from demo.render import RATE, panned
from numpy.typing import NDArray

from benchmarks import circuits
from benchmarks.backing import backing
from benchmarks.ear_material import audible_of, events_of, phrase, sounding_of
from benchmarks.recorded import passage_to_learn
from benchmarks.studio import amplifier, guitar, room
from notcher.audio.lead import views
from notcher.listen.frames.bands import bands_of
from notcher.score.isolation import Isolation, StereoPosition

FIRST_SEED = 520_000
# The share of amplifiers that are simulated circuits; dB by which a lead is above its backing, and above a band.
_SIMULATED, _BACKED_DB, _BANDED_DB = 0.4, (-6.0, 12.0), (-10.0, 8.0)


def made(seed: int, folder: Path) -> str:
    """One phrase, alone, over its backing and over a recorded band, written as numbers."""
    dice = random.Random(seed)
    notes, take, beats, tonic = phrase(dice)
    length = int((take.seconds(beats) + 1.0) * RATE)
    clean = guitar(dice, notes, take, length)
    dry = circuits.amplifier(dice, clean) if dice.random() < _SIMULATED else amplifier(dice, clean)
    pan = dice.choice((0.0, 0.0, dice.uniform(-0.7, 0.7)))
    lead = panned(room(dice, dry, take), pan).astype(np.float32)
    lead += np.random.default_rng(seed).normal(0, 1, (2, length)).astype(np.float32) * 10 ** (
        dice.uniform(-80, -48) / 20
    )
    rest, band = backing(dice, take, tonic, beats, length), passage_to_learn(dice, length)
    np.savez(
        folder / f"{seed}.npz", events=events_of(notes, take), sounding=sounding_of(notes, take, audible_of(dry)),
        alone=_bands(dice, lead, None), one=_bands(dice, _over(lead, rest, dice.uniform(*_BACKED_DB)), pan),
        two=_bands(dice, _over(lead, band, dice.uniform(*_BANDED_DB)), pan),
    )  # fmt: skip
    return f"{seed}: {length / RATE:.0f} s, {len(notes)} notes"


def _over(lead: NDArray[np.float32], rest: NDArray[np.float32], level_db: float) -> NDArray[np.float32]:
    ratio = float(np.sqrt(np.mean(lead**2)) / (np.sqrt(np.mean(rest**2)) + 1e-6))
    return lead + rest * (ratio * 10 ** (-level_db / 20))


def _bands(dice: random.Random, sound: NDArray[np.float32], pan: float | None) -> NDArray[np.uint8]:
    """What the ear is given of a sound; pan: where the lead sits, None where nothing else plays."""
    low = 60.0 if pan is None or dice.random() < 0.3 else 150.0
    lead = Isolation(StereoPosition.MIX, low_hz=low)
    if pan is not None and dice.random() < 0.8:
        lead = Isolation(StereoPosition.PAN, pan=round(pan, 2), width=dice.uniform(0.3, 0.6), low_hz=low)
    heard = views((sound * (0.8 / np.max(np.abs(sound)))).astype(np.float32), lead)[0]
    return np.asarray(np.round(bands_of(heard) * 80).clip(0, 255), np.uint8)


def main() -> None:
    """Make as many as are asked for, those that are there already left out."""
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    seeds = [s for s in range(FIRST_SEED, FIRST_SEED + int(sys.argv[2])) if not (folder / f"{s}.npz").exists()]
    with ProcessPoolExecutor(2) as pool:
        for said in pool.map(partial(made, folder=folder), seeds):
            print(said, flush=True)


if __name__ == "__main__":
    main()
