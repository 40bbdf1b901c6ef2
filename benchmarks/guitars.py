"""Guitars and amplifiers beside the sampled one: a model of the string, other sampled guitars, and all strings summed
into one amplifier as a real one has it.

The model adds up partials of a stiff string, f_k = k f0 sqrt(1 + B k^2) (N. H. Fletcher and T. D. Rossing, The Physics
of Musical Instruments, chapter 2), weighed by where it is picked and where the pickup is (sin(k pi x) each), every
partial with a decay of its own. The pitch of a note glides without a new sample, is a little sharp as it is struck, and
the pick dips the level before it strikes by as much as the player stops the string first.
"""

import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pedalboard as pb
from demo.render import LEGATO, RATE, Take, heard_cents, lead_midi, leveled, slides_to, synthesize
from demo.solo import Played
from numpy.typing import NDArray
from scipy import signal

Floats = NDArray[np.float64]
Notes = Sequence[tuple[float, float, Played]]
OTHER_FONT = Path("/usr/share/sounds/sf2/sf_GMbank.sf2")
_CLEAN, _MUTED = 27, 28
# Of the open strings from the 1st on (docs of the same physics in ../shared; a plain third).
_STIFFNESS = (1.3e-5, 4e-5, 1.1e-4, 4.5e-5, 6.4e-5, 9.2e-5, 1.3e-4, 1.8e-4)
_HIGHEST_HZ, _MOST_PARTIALS = 9000.0, 28
_OVERSAMPLED = 4


@dataclass(frozen=True)
class StringModel:
    """pick, pickup: shares of the string from the bridge; ring_s: how long the open 1st string rings to 1/e; dip_db:
    how far the level falls as the pick touches the string; sharp_cents: a struck string's first pitch over its own;
    stiff: against the usual stiffness."""

    pick: float = 0.14
    pickup: float = 0.08
    ring_s: float = 2.6
    dip_db: tuple[float, float] = (1.0, 6.0)
    gap_s: tuple[float, float] = (0.0, 0.015)
    sharp_cents: float = 6.0
    stiff: float = 1.0

    def render(self, notes: Notes, take: Take, length: int, seed: int) -> NDArray[np.float32]:
        """All strings, clean and summed, shape (length,)."""
        dice = random.Random(seed)
        out = np.zeros(length)
        for string in range(1, len(take.strings) + 1):
            mine = [m for m in notes if m[2].string == string]
            for i, row in enumerate(mine):
                following = mine[i + 1] if i + 1 < len(mine) else None
                self._note(out, row, following, slides_to(mine, i), take, dice, fresh=not _carried(mine, i))
        return out.astype(np.float32)

    def _note(
        self, out: Floats, row: tuple[float, float, Played], following: tuple[float, float, Played] | None,
        slide_to: int | None, take: Take, dice: random.Random, *, fresh: bool,
    ) -> None:  # fmt: skip
        onset, end, n = row
        goes_on = following is not None and following[2].attack in LEGATO and following[0] - end < 0.05
        stops = min(end, following[0] - dice.uniform(*self.gap_s)) if following and not goes_on else end
        # The finger stops it within some milliseconds; what is not followed rings a moment longer.
        fade = 0.008 if following and following[0] - end < 0.03 else 0.03
        count = int((stops - onset + (0.0 if goes_on else fade)) * RATE)
        first = int(onset * RATE)
        count = min(count, len(out) - first)
        if count <= 0:
            return
        t = np.arange(count) / RATE
        cents = heard_cents(n, t, end - onset, slide_to, take)
        if fresh and n.attack not in LEGATO:
            cents = cents + self.sharp_cents * n.velocity / 100 * np.exp(-t / 0.04)
        pitch = take.strings[n.string - 1] + n.fret + n.sounding
        f0 = 440.0 * 2.0 ** ((pitch - 69 + (cents + take.offset_cents) / 100) / 12)
        phase = 2 * np.pi * np.cumsum(f0) / RATE
        sound = self._partials(n, phase, t, float(f0[0]), dice)
        sound *= self._envelope(n, t, stops - onset, fade, goes_on=goes_on, fresh=fresh)
        if fresh:
            self._strike(sound, n, dice)
            touch = max(0, first - int(0.006 * RATE))
            out[touch:first] *= 10 ** (-dice.uniform(*self.dip_db) / 20)
        out[first : first + count] += sound

    def _partials(self, n: Played, phase: Floats, t: Floats, f0: float, dice: random.Random) -> Floats:
        stiffness = self.stiff * _STIFFNESS[n.string - 1] * 2 ** (n.fret / 6)
        ring = self.ring_s * 2 ** (-n.fret / 18) * (1.0 + 0.12 * (n.string - 1))
        if "palm-mute" in n.marks:
            ring *= 0.07
        if "dead" in n.marks:
            ring *= 0.015
        if n.attack in LEGATO:
            ring *= 0.8
        count = int(min(_MOST_PARTIALS, _HIGHEST_HZ / f0))
        sound = np.zeros_like(t)
        # A stopped string is shorter: pick and pickup lie farther along it.
        shorter = 2 ** (n.fret / 12)
        for k in range(1, count + 1):
            level = (
                abs(
                    np.sin(np.pi * k * min(0.45, self.pick * shorter))
                    * np.sin(np.pi * k * min(0.45, self.pickup * shorter))
                )
                / k
            )
            if n.attack in ("hammer", "pull", "slide"):
                level /= 1 + 0.06 * k
            decay = ring / (1 + 0.05 * (k - 1) ** 1.3)
            stretched = k * np.sqrt(1 + stiffness * k * k)
            sound += level * np.exp(-t / decay) * np.sin(stretched * phase + dice.uniform(0, 0.4))
        return sound * (n.velocity / 100) * (0.75 if n.attack == "pull" else 1.0) * (0.6 if n.sounding else 1.0)

    @staticmethod
    def _envelope(n: Played, t: Floats, lasts: float, fade: float, *, goes_on: bool, fresh: bool) -> Floats:
        rise = 0.35 if "swell" in n.marks else 0.0015 if fresh else 0.004
        envelope = np.clip(t / rise, 0, 1)
        if not goes_on:
            envelope = envelope * np.clip((lasts + fade - t) / fade, 0, 1)
        if n.attack in LEGATO and not fresh:
            # What was left of the note before, and what the finger adds.
            envelope = envelope * 0.7
        return envelope

    @staticmethod
    def _strike(sound: Floats, n: Played, dice: random.Random) -> None:
        """The click of the pick: a short burst of noise."""
        if n.attack in LEGATO or "swell" in n.marks:
            return
        count = min(len(sound), int(0.012 * RATE))
        noise = np.random.default_rng(dice.randrange(2**31)).normal(0, 1, count)
        sound[:count] += 0.05 * noise * np.exp(-np.arange(count) / RATE / 0.003) * n.velocity / 100


def _carried(mine: Notes, i: int) -> bool:
    """Whether a note goes on from the one before on its string without being struck."""
    return mine[i][2].attack in LEGATO and i > 0 and mine[i][0] - mine[i - 1][1] < 0.05


def sampled(font: Path | None = None) -> Callable[[Notes, Take, int, int], NDArray[np.float32]]:
    """A sampled clean guitar; None: the one of the other sets."""

    def render(notes: Notes, take: Take, length: int, seed: int) -> NDArray[np.float32]:
        clean = replace(take, program=_CLEAN, muted_program=_MUTED)
        more = {} if font is None else {"font": font}
        return np.asarray(synthesize(lead_midi(list(notes), clean), length, **more), np.float32)

    return render


GUITARS: dict[str, Callable[[Notes, Take, int, int], NDArray[np.float32]]] = {
    "sampled": sampled(),
    "model": StringModel().render,
    # Kept for judging: no threshold saw them.
    "other sampled": sampled(OTHER_FONT),
    "other model": StringModel(0.22, 0.16, 1.9, (0.5, 4.0), (0.0, 0.012), 10.0, 1.5).render,
}
AMPS = ("clean", "crunch", "high gain")
_GAIN_DB = {"clean": 0.0, "crunch": 16.0, "high gain": 34.0}


def through(amp: str, clean: NDArray[np.float32]) -> NDArray[np.float32]:
    """All strings through one amplifier and its cabinet, mono: asymmetric clipping at four times the rate."""
    sound = leveled(np.asarray(clean, np.float32), -20)
    sound = pb.Pedalboard([pb.HighpassFilter(80)])(sound[None], RATE)[0]
    if amp != "clean":
        up = signal.resample_poly(sound.astype(np.float64), _OVERSAMPLED, 1)
        for part in np.full(2, _GAIN_DB[amp] / 2):
            up = up * 10 ** (part / 20)
            bias = 0.15
            up = np.tanh(1.6 * up + bias) - np.tanh(bias)
        sound = signal.resample_poly(up, 1, _OVERSAMPLED).astype(np.float32)
    cabinet = pb.Pedalboard(
        [pb.HighpassFilter(95), pb.PeakFilter(2200, 4, 0.9), pb.LowpassFilter(5000), pb.LowpassFilter(5600)]
    )
    return np.asarray(leveled(cabinet(sound[None].astype(np.float32), RATE)[0], -18), np.float32)
