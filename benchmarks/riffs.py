"""Riffs as rhythm guitars play them: fifths and octaves of low strings, muted by the palm, driven hard, mostly played
twice, left and right; each stroke known.

Run: python -m benchmarks.riffs [development|evaluation] [line|riff]. Development and evaluation are apart by guitar and
by seed.
"""

import random
import sys
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from demo.render import RATE, Take, humanized
from demo.solo import Played
from numpy.typing import NDArray

from benchmarks import circuits, studio
from benchmarks.backing import backing
from benchmarks.cells import Hand
from benchmarks.ear_material import STANDARD
from benchmarks.guitars import OTHER_FONT
from benchmarks.scores import matched
from benchmarks.studio import Notes
from benchmarks.varied import Piece, hand_in, one_after_another
from notcher.audio.recording import Audio, AudioError
from notcher.listen.listener import listen
from notcher.score.plays import Plays

DEVELOPMENT, EVALUATION = range(85_000, 85_016), range(86_000, 86_016)
CONDITIONS = ("alone", "0 dB")
# Of the fifths, as frets above the root on the next thinner string, with the octave on the one after.
_FIFTH, _OCTAVE = 2, 2
_DOUBLED = 0.6
# Seconds (standard deviation) between the two takes of a guitar that is played twice: as a person's own spread (common
# practice, no source).
_APART_S = 0.011


def _chord(
    hand: Hand, root: tuple[int, int], beat: float, length: float, *, octave: bool, marks: tuple[str, ...]
) -> list[Played]:
    string, fret = root
    places = [root, (string - 1, fret + _FIFTH), *([(string - 2, fret + _OCTAVE)] if octave else [])]
    loud = hand.dice.randint(96, 116)
    return [Played(beat, length, *p, marks=marks, velocity=loud) for p in places]


def _root(hand: Hand) -> tuple[int, int]:
    places = [(s, f) for s in (6, 5) for f in range(0, 11) if hand.in_scale(s, f)]
    return hand.dice.choice(places)


def held_fifths(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Two fifths that ring."""
    octave = hand.dice.random() < 0.5
    return [n for k in (0, 1) for n in _chord(hand, _root(hand), beat + 2 * k, 1.9, octave=octave, marks=())], 4.0


def fifths_in_eighths(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Eight fifths, a new one now and then."""
    root, out = _root(hand), []
    for k in range(8):
        if hand.dice.random() < 0.35:
            root = _root(hand)
        out += _chord(hand, root, beat + 0.5 * k, 0.46, octave=False, marks=())
    return out, 4.0


def muted_and_struck(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A low open string muted by the palm, fifths between."""
    string, out = hand.dice.choice((6, 5)), []
    for k in range(8):
        if hand.dice.random() < 0.3:
            out += _chord(hand, (string, hand.dice.choice((1, 3, 5, 7))), beat + 0.5 * k, 0.46, octave=False, marks=())
        else:
            out.append(Played(beat + 0.5 * k, 0.36, string, 0, marks=("palm-mute",), velocity=104))
    return out, 4.0


def gallop(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """An eighth and two sixteenths, muted, on one low fret a beat."""
    out = []
    for k in range(4):
        string, fret = _root(hand)
        out += [
            Played(beat + k + at, length, string, fret, marks=("palm-mute",), velocity=hand.dice.randint(96, 112))
            for at, length in ((0.0, 0.4), (0.5, 0.2), (0.75, 0.2))
        ]
    return out, 4.0


def low_line(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Single notes on the lowest strings."""
    return [
        Played(beat + 0.5 * k, 0.46, *_root(hand), velocity=hand.dice.randint(92, 112)) for k in range(8)
    ], 4.0  # fmt: skip


def octaves(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A line in octaves, the string between silent."""
    out = []
    for k in range(4):
        string, fret = _root(hand)
        out += [Played(beat + k, 0.9, string, fret), Played(beat + k, 0.9, string - 2, fret + 2)]
    return out, 4.0


CELLS = (held_fifths, fifths_in_eighths, muted_and_struck, muted_and_struck, gallop, low_line, octaves)


@dataclass(frozen=True)
class Riff(Piece):
    """One riff, over and over a little otherwise."""

    @property
    def judged(self) -> bool:
        return self.seed not in DEVELOPMENT

    @cached_property
    def played(self) -> tuple[Notes, Take, float, int]:
        dice = random.Random(self.seed)
        down = dice.choice((0, 0, 1, 2))
        take = Take(
            bpm=dice.uniform(84, 150), first_beat=0.3, offset_cents=dice.uniform(-30, 30), program=27, muted_program=28,
            strings=tuple(p - down for p in STANDARD),
        )  # fmt: skip
        tonic = dice.choice((4, 9, 2, 11))
        hand = hand_in(dice, take, tonic, positions=(0,))
        parts, beat = one_after_another(hand, dice.sample(CELLS, 6), 2.0)
        return humanized(parts, take, dice.randrange(10**6)), take, beat, tonic

    @cached_property
    def lead(self) -> NDArray[np.float32]:
        """The guitar, in most riffs played twice, left and right, shape (2, n)."""
        dice = random.Random(self.seed + 2)
        first = self._dry
        if dice.random() > _DOUBLED:
            return np.stack([first, first]).astype(np.float32)
        notes, take, *_ = self.played
        moved = {at: max(0.0, at + dice.gauss(0, _APART_S)) for at in sorted({a for a, _, _ in notes})}
        again = [
            (moved[a], max(moved[a] + 0.05, b), replace(n, velocity=min(127, n.velocity + 4))) for a, b, n in notes
        ]
        second = studio.amplifier(dice, studio.guitar(dice, again, take, self.length))
        width = dice.uniform(0.0, 0.25)
        return np.stack([first + width * second, second + width * first]).astype(np.float32)

    @cached_property
    def _dry(self) -> NDArray[np.float32]:
        notes, take, *_ = self.played
        dice = random.Random(self.seed + 1)
        if self.judged:
            clean = studio.sampled(notes, take, self.length, OTHER_FONT)
        else:
            clean = studio.guitar(dice, notes, take, self.length)
        driven = circuits.amplifier(dice, clean) if dice.random() < 0.5 else studio.amplifier(dice, clean)
        return np.asarray(driven, np.float32)

    def audio(self, condition: str) -> Audio:
        """Alone, or with drums, a bass and keys."""
        lead = self.lead
        if condition != "alone":
            _, take, beats, tonic = self.played
            rest = backing(random.Random(self.seed + 3), take, tonic, beats, self.length)
            level = [float(np.sqrt(np.mean(part**2))) for part in (lead, rest)]
            lead = lead + rest * (level[0] / level[1] * 10 ** (-float(condition.split()[0]) / 20))
        return Audio((lead * (0.8 / float(np.max(np.abs(lead))))).astype(np.float32), RATE, 2)


def measured(job: tuple[int, str, Plays]) -> tuple[str, int, Counter[str]]:
    """One riff: notes right, heard and there, and whether it was refused."""
    seed, condition, plays = job
    riff = Riff(seed)
    truth = riff.truth
    try:
        heard = listen(riff.audio(condition), plays=plays).notes
    except AudioError:
        return condition, seed, Counter(played=len(truth.pitched()), refused=1)
    right = matched(truth, heard)
    return condition, seed, Counter(
        right=len(right), heard=len(heard), played=len(truth.pitched()),
        bent=sum(h.bend is not None for h in heard), reached=sum(str(h.attack) != "pick" for h in heard),
    )  # fmt: skip


def lines(seeds: range, plays: Plays) -> Iterator[str]:
    """The figures, riff by riff."""
    jobs = [(seed, c, plays) for c in CONDITIONS for seed in seeds]
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(measured, jobs))
    for condition in CONDITIONS:
        total: Counter[str] = Counter()
        for c, seed, counts in found:
            if c == condition:
                total += counts
                yield f"{condition} {seed}: F1 {_f1(counts):.2f} {dict(counts)}"
        yield f"{condition}: F1 {_f1(total):.3f}, {dict(total)}"


def _f1(counts: Counter[str]) -> float:
    return 2 * counts["right"] / max(1, counts["heard"] + counts["played"])


def main() -> None:
    """Print the figures of a set."""
    asked = sys.argv[1:]
    plays = next((p for p in Plays if p in asked), Plays.RIFF)
    for line in lines(EVALUATION if "evaluation" in asked else DEVELOPMENT, plays):
        print(line, flush=True)


if __name__ == "__main__":
    main()
