"""Guitars that go below D2: the lower six strings of seven and of eight, and a baritone; heard as if they were usual
ones, and as the tuning says.

Run: python -m benchmarks.low [SEED ...]
"""

import random
import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from demo.render import RATE, Take, humanized, truth_notes
from demo.solo import Played
from numpy.typing import NDArray

from benchmarks import cells as c
from benchmarks import guitars
from benchmarks.backing import backing
from benchmarks.cells import Hand
from benchmarks.scores import matched
from benchmarks.studio import Notes
from benchmarks.truth import Truth
from benchmarks.wide_cells import low_riff
from notcher.audio.recording import Audio, AudioError
from notcher.listen.frames.raised import USUAL_LOWEST
from notcher.listen.listener import listen

TUNINGS = {
    "seven strings, low B": (59, 55, 50, 45, 40, 35),
    "baritone, B": (59, 54, 50, 45, 40, 35),
    "eight strings, low F sharp": (55, 50, 45, 40, 35, 30),
}
CONDITIONS = ("alone", "+6 dB")
EVALUATION = (61, 62)


def lowest_string(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Notes on the lowest string, open and fretted, every other one muted or none."""
    step, muted = hand.dice.choice((0.25, 0.5)), hand.dice.random() < 0.5
    notes = []
    for i in range(int(2 / step)):
        marks = ("palm-mute",) if muted and i % 2 else ()
        fret = hand.dice.choice((0, 0, 1, 2, 3, 5))
        notes.append(Played(beat + i * step, step * (0.75 if marks else 0.95), 6, fret, marks=marks, velocity=104))
    return notes, 2.0


_CELLS = (low_riff, lowest_string, lowest_string, c.held, c.eighths, c.bend, c.sixteenths, c.slide, c.muted)
_LOW = 38


@dataclass(frozen=True)
class Piece:
    """One phrase on a low guitar."""

    tuning: str
    guitar: str
    amp: str
    seed: int

    @cached_property
    def played(self) -> tuple[Notes, Take, float]:
        """Notes in seconds, how they are taken, and beats."""
        dice = random.Random(f"{self.tuning} {self.guitar} {self.seed}")
        take = Take(bpm=dice.uniform(76, 128), first_beat=0.3, offset_cents=dice.uniform(-30, 30), program=27,
                    muted_program=28, strings=TUNINGS[self.tuning])  # fmt: skip
        tonic = dice.randrange(12)
        scale = frozenset((tonic + up) % 12 for up in (0, 2, 3, 5, 7, 8, 10))
        hand = Hand(dice, take.strings, dice.choice((3, 5, 7, 9)), scale, take.bpm)
        chosen = list(_CELLS)
        dice.shuffle(chosen)
        beat, parts = 1.0, []
        for cell in chosen:
            notes, length = cell(hand, beat)
            parts.append((cell.__name__, notes))
            beat += length
        return humanized(parts, take, dice.randrange(10**6)), take, beat

    @property
    def truth(self) -> Truth:
        """What was played."""
        notes, take, _ = self.played
        return Truth(truth_notes(notes, take), take.offset_cents, take.strings)

    def audio(self, condition: str) -> Audio:
        """How it sounds."""
        notes, take, beats = self.played
        length = int((take.seconds(beats) + 1.5) * RATE)
        dry = guitars.through(self.amp, guitars.GUITARS[self.guitar](notes, take, length, self.seed))
        lead = np.stack([dry, dry]).astype(np.float32)
        if condition == "alone":
            return _audio(lead)
        rest = backing(random.Random(self.seed), take, 4, beats, length)
        level = [float(np.sqrt(np.mean(part**2))) for part in (lead, rest)]
        return _audio(lead + rest * (level[0] / level[1] * 10 ** (-float(condition.split()[0]) / 20)))


def _audio(samples: NDArray[np.float32]) -> Audio:
    return Audio((samples * (0.8 / float(np.max(np.abs(samples))))).astype(np.float32), RATE, 2)


def measured(job: tuple[Piece, str, bool]) -> tuple[str, str, bool, Counter[str]]:
    """One phrase: right, heard and played notes, and the same of those below D2."""
    piece, condition, follows = job
    truth = piece.truth
    lowest = min(truth.strings) if follows else USUAL_LOWEST
    try:
        heard = listen(piece.audio(condition), lowest=lowest, doubt=False).notes
    except AudioError:
        heard = ()
    right = matched(truth, heard)
    low = [n for n in truth.pitched() if n["pitch"] < _LOW]
    counts = Counter(
        right=len(right), heard=len(heard), played=len(truth.pitched()),
        low=len(low), low_right=sum(n["pitch"] < _LOW for n, _ in right), low_heard=sum(n.pitch < _LOW for n in heard),
    )  # fmt: skip
    return piece.tuning, condition, follows, counts


def evaluate(seeds: tuple[int, ...]) -> dict[tuple[str, str, bool], Counter[str]]:
    """Counts by tuning, condition and whether listening follows the tuning."""
    pieces = [Piece(t, g, a, seed) for seed in seeds for t in TUNINGS
              for g, a in (("sampled", "crunch"), ("model", "high gain"), ("other sampled", "clean"), ("other model", "crunch"))]  # fmt: skip
    jobs = [(p, condition, follows) for p in pieces for condition in CONDITIONS for follows in (False, True)]
    out: dict[tuple[str, str, bool], Counter[str]] = {}
    with ProcessPoolExecutor(2) as pool:
        for tuning, condition, follows, counts in pool.map(measured, jobs):
            out.setdefault((tuning, condition, follows), Counter()).update(counts)
    return out


def row(c: Counter[str]) -> tuple[str, str, str]:
    """F1 of all, recall and precision of what lies below D2."""
    f1 = 2 * c["right"] / max(1, c["heard"] + c["played"])
    return f"{f1:.2f}", f"{c['low_right'] / max(1, c['low']):.2f}", f"{c['low_right'] / max(1, c['low_heard']):.2f}"


def section() -> str:
    """The page's part."""
    found = evaluate(EVALUATION)
    rows = [
        f"| {tuning} | {condition} | {' | '.join(f'{a} → {b}' for a, b in zip(row(found[tuning, condition, False]), row(c), strict=True))} |"
        for (tuning, condition, follows), c in found.items()
        if follows
    ]
    return "\n".join([
        "## Guitars that go below D2", "",
        "Phrases half of which are riffs on the low strings, on four guitars through three amplifiers, of which two "
        "guitars were kept for judging; heard as a usual guitar, and as the tuning says (listen/decide/put_back.py). `python -m "
        "benchmarks.low`.", "",
        "| guitar | lead | note F1 | notes below D2 found | right of those heard there |", "|---|---|---|---|---|", *rows,
    ])  # fmt: skip


def main() -> None:
    """Print a row for each tuning and condition."""
    for (tuning, condition, follows), counts in evaluate(tuple(int(a) for a in sys.argv[1:]) or (1,)).items():
        print(f"{tuning:28} {condition:7} follows={follows!s:5}", *row(counts), dict(counts))


if __name__ == "__main__":
    main()
