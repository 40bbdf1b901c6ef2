"""A third guitar, for judging alone: each string a loop of delay that is plucked, stopped, damped and touched.

The digital waveguide of a plucked string (K. Karplus and A. Strong, "Digital synthesis of plucked-string and drum
timbres", 1983; D. A. Jaffe and J. O. Smith, "Extensions of the Karplus-Strong plucked-string algorithm", 1983): what is
in the loop goes round once a period, loses a little and grows duller; a new finger changes its length while it sounds.
"""

import random
from collections.abc import Sequence
from dataclasses import dataclass

import numba
import numpy as np
from demo.render import LEGATO, RATE, Take, heard_cents, slides_to
from demo.solo import Played
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Notes = Sequence[tuple[float, float, Played]]
_LONGEST = 2048


@numba.njit(cache=False)
def _loop(pluck: Floats, period: Floats, gain: Floats, dull: Floats) -> Floats:
    """What a string sounds: driven by pluck, its length in samples, what is left after a round, and how dull that is."""
    n = len(pluck)
    out = np.zeros(n)
    line = np.zeros(_LONGEST)
    before = 0.0
    for i in range(n):
        # The filter below delays by half a sample at its dullest.
        away = period[i] - dull[i]
        whole = int(away)
        part = away - whole
        a, b = line[(i - whole) % _LONGEST], line[(i - whole - 1) % _LONGEST]
        back = a + part * (b - a)
        back, before = (1 - dull[i]) * back + dull[i] * before, back
        line[i % _LONGEST] = pluck[i] + gain[i] * back
        out[i] = line[i % _LONGEST]
    return out


@dataclass(frozen=True)
class Waveguide:
    """pick: share of the string from the bridge; ring_s: seconds to 1/e of the open 1st string; dip: what is left of
    the sound as the pick touches the string; soft: how dull a pluck is, 0 to 1."""

    pick: float = 0.18
    ring_s: float = 1.6
    dip: float = 0.75
    soft: float = 0.6

    def render(self, notes: Notes, take: Take, length: int, seed: int) -> NDArray[np.float32]:
        """All strings, clean and summed, shape (length,)."""
        dice = random.Random(seed)
        out = np.zeros(length)
        for string in range(1, len(take.strings) + 1):
            mine = [m for m in notes if m[2].string == string]
            if mine:
                out += self._string(mine, take, length, dice)
        return out.astype(np.float32)

    def _string(self, mine: Notes, take: Take, length: int, dice: random.Random) -> Floats:
        string = mine[0][2].string
        hz = np.full(length, 440.0 * 2 ** ((take.strings[string - 1] - 69) / 12))
        ring, dull = np.full(length, 0.02), np.full(length, 0.3)
        touched, pluck, loud = np.ones(length), np.zeros(length), np.ones(length)
        for i, (onset, end, n) in enumerate(mine):
            first, last = int(onset * RATE), min(length, int(end * RATE))
            if last - first < 64:
                continue
            t = np.arange(last - first) / RATE
            cents = heard_cents(n, t, end - onset, slides_to(mine, i), take) + take.offset_cents
            fresh = n.attack not in LEGATO
            if fresh and not n.sounding:
                cents = cents + 8.0 * n.velocity / 100 * np.exp(-t / 0.05)
            pitch = take.strings[string - 1] + n.fret + n.sounding
            hz[first:last] = 440.0 * 2 ** ((pitch - 69 + cents / 100) / 12)
            ring[first:last] = self._ring(n) * dice.uniform(0.85, 1.15)
            dull[first:last] = 0.48 if "palm-mute" in n.marks else 0.12 + 0.02 * (string - 1)
            if fresh:
                touched[max(0, first - dice.randint(30, 260)) : first] = self.dip ** (1 / 60)
                burst = self._pluck(n, float(hz[first]), dice)[: last - first]
                pluck[first : first + len(burst)] += burst
            elif n.attack == "hammer":
                burst = 0.25 * self._pluck(n, float(hz[first]), dice)[: last - first]
                pluck[first : first + len(burst)] += burst
            if "swell" in n.marks:
                loud[first:last] = np.clip(t / 0.35, 0, 1)
        period = RATE / hz
        gain = np.exp(-period / (RATE * ring)) * touched
        return _loop(pluck, period, gain, dull) * loud

    def _ring(self, n: Played) -> float:
        if "dead" in n.marks:
            return 0.008
        ring = self.ring_s * (1.0 + 0.15 * (n.string - 1)) * (0.05 if "palm-mute" in n.marks else 1.0)
        return ring if "natural-harmonic" in n.marks else ring * 2 ** (-n.fret / 20)

    def _pluck(self, n: Played, hz: float, dice: random.Random) -> Floats:
        """A period of noise, dulled, and the same turned over a little later: the place where it is picked."""
        count = max(24, round(RATE / hz))
        noise = np.random.default_rng(dice.randrange(2**31)).uniform(-1, 1, count)
        if n.sounding or "natural-harmonic" in n.marks:
            # Touched: what is left is the smoother for the finger's width.
            noise = np.convolve(np.tile(noise, 3), np.hanning(max(5, count // 3)) / (count / 6), "same")[
                count : 2 * count
            ]
        soft = self.soft * (1.3 if n.velocity < 90 else 1.0)
        for k in range(1, count):
            noise[k] = (1 - soft) * noise[k] + soft * noise[k - 1]
        away = max(1, round(count * self.pick))
        out = np.zeros(count + away)
        out[:count] += noise
        out[away:] -= noise
        return out * n.velocity / 100
