"""Amplifiers as simulated circuits: LV2 plug-ins of Debian's guitarix-lv2, run by lilv-utils' lv2apply.

Only while material is made; nothing of it ships.
"""

import random
import shutil
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import pedalboard as pb
import soundfile
from demo.render import RATE, leveled
from numpy.typing import NDArray

_URI = "http://guitarix.sourceforge.net/plugins/"
_Range = tuple[float, float]
# Plug-in after the address, and its controls with the range each is drawn from. None needs an event port, which
# lv2apply does not give.
_DRIVES: tuple[tuple[str, dict[str, _Range]], ...] = (
    ("gx_aclipper_#_aclipper_", {"DRIVE": (0.2, 0.95), "LEVEL": (-12, 0), "TONE": (0.3, 0.7)}),
    ("gx_susta_#_susta_", {"SUSTAIN": (0.3, 0.9), "VOLUME": (0.3, 0.6)}),
    ("gx_mole_#_mole_", {"BOOST": (0.2, 0.6)}),
)
_AMPLIFIERS: tuple[tuple[str, dict[str, _Range]], ...] = (
    ("gx_redeye#chump", {"Gain": (0.15, 1.0), "Tone": (0.2, 0.8), "Volume": (0.3, 0.7)}),
    ("gx_redeye#bigchump", {"Gain": (0.15, 1.0), "Tone": (0.2, 0.8), "Volume": (0.3, 0.7)}),
    ("gx_w20#w20", {"gain": (0.2, 1.0), "level": (0.3, 0.7)}),
    ("gx_studiopre#studiopre", {"volume": (0.3, 0.9), "bass": (0.3, 0.7), "middle": (0.3, 0.8), "treble": (0.3, 0.8)}),
)
# In how many of a hundred phrases a pedal drives the amplifier.
_DRIVEN = 55


def available() -> bool:
    """Whether both packages are installed."""
    return shutil.which("lv2apply") is not None and Path("/usr/lib/lv2/gx_redeye.lv2").exists()


def amplifier(dice: random.Random, clean: NDArray[np.float32]) -> NDArray[np.float32]:
    """All strings through one simulated amplifier, and through a loudspeaker's band where the circuit has none.

    clean: shape (n,), at RATE. Raises RuntimeError where the plug-in cannot be run.
    """
    sound = leveled(clean, dice.uniform(-24, -12))
    if dice.randrange(100) < _DRIVEN:
        sound = leveled(_through(dice, _DRIVES, sound), dice.uniform(-18, -9))
    sound = _through(dice, _AMPLIFIERS, sound)
    speaker = pb.Pedalboard([
        pb.HighpassFilter(dice.uniform(70, 130)), pb.PeakFilter(dice.uniform(1500, 3200), dice.uniform(0, 5), 0.9),
        pb.LowpassFilter(dice.uniform(4500, 8000)), pb.LowpassFilter(dice.uniform(5000, 9000)),
    ])  # fmt: skip
    return np.asarray(leveled(speaker(sound[None], RATE)[0], -18), np.float32)


def _through(
    dice: random.Random, plugins: tuple[tuple[str, dict[str, _Range]], ...], sound: NDArray[np.float32]
) -> NDArray[np.float32]:
    name, ranges = dice.choice(plugins)
    controls = [x for symbol, (low, high) in ranges.items() for x in ("-c", symbol, f"{dice.uniform(low, high):g}")]
    with tempfile.TemporaryDirectory() as folder:
        before, after = Path(folder, "in.wav"), Path(folder, "out.wav")
        soundfile.write(before, sound, RATE, subtype="FLOAT")
        done = subprocess.run(
            ["lv2apply", "-i", before, "-o", after, *controls, _URI + name], capture_output=True, text=True
        )  # fmt: skip
        if done.returncode or not after.exists():
            raise RuntimeError(f"lv2apply ended with {done.returncode} for {name}: {done.stderr.strip()}")
        out = soundfile.read(after, dtype="float32", always_2d=True)[0][:, 0]
    return np.pad(np.nan_to_num(out[: len(sound)]), (0, max(0, len(sound) - len(out))))
