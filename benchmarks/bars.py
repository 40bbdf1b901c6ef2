"""Bars of known note values, played with a hand's uncertainty, for judging how rhythm is read.

By hand: python -m benchmarks.bars
"""

import random
from dataclasses import dataclass
from fractions import Fraction

from notcher.rhythm.quantize import quantize
from notcher.score.tempo import TempoMap

DEVELOPMENT, EVALUATION = 41, 977
TEMPI = (60, 80, 100, 120, 140)
HAND_S = 0.015
F = Fraction
# Lengths in beats of what fills one or two beats; how often each is drawn. Common practice, no source.
_PLAIN: tuple[tuple[int, tuple[Fraction, ...]], ...] = (
    (3, (F(1),)), (6, (F(1, 2), F(1, 2))), (6, (F(1, 4),) * 4), (3, (F(1, 2), F(1, 4), F(1, 4))),
    (3, (F(1, 4), F(1, 4), F(1, 2))), (2, (F(3, 4), F(1, 4))), (1, (F(1, 4), F(1, 2), F(1, 4))), (2, (F(2),)),
    (2, (F(3, 2), F(1, 2))), (1, (F(1, 2), F(1), F(1, 2))),
)  # fmt: skip
_TUPLETS: tuple[tuple[int, tuple[Fraction, ...]], ...] = (
    (6, (F(1, 3),) * 3), (2, (F(2, 3), F(1, 3))), (1, (F(1, 3), F(2, 3))), (4, (F(1, 6),) * 6), (2, (F(1, 5),) * 5),
    (1, (F(1, 7),) * 7), (1, (F(2, 3),) * 3),
)  # fmt: skip


@dataclass(frozen=True)
class Bars:
    """Written places and values in beats, and when each note was played, in seconds."""

    starts: tuple[Fraction, ...]
    values: tuple[Fraction, ...]
    onsets: tuple[float, ...]
    tempo: TempoMap


def played(seed: int, bpm: float, *, bars: int = 16, tuplets: bool = False) -> Bars:
    """Bars of four with runs of a kind, as phrases have them, each note 15 ms (standard deviation) off its place."""
    dice = random.Random(f"{seed} {bpm} {tuplets}")
    starts: list[Fraction] = []
    values: list[Fraction] = []
    at, end = Fraction(0), bars * 4
    while at < end:
        kinds = _TUPLETS if tuplets and dice.random() < 0.4 else _PLAIN
        cell = dice.choices([c for _, c in kinds], [w for w, _ in kinds])[0]
        for _ in range(dice.choice((1, 1, 2, 3))):
            length = sum(cell)
            # Two beats together begin on the first or third.
            if at + length > end or (length == 2 and at % 2):
                break
            for value in cell:
                starts.append(at)
                values.append(value)
                at += value
        else:
            continue
        if at < end and at % 2:
            starts.append(at)
            values.append(Fraction(1))
            at += 1
    tempo = TempoMap.steady(bpm, first_beat=1.0, count=end + 2)
    onsets = [tempo.time_at(float(s)) + dice.gauss(0.0, HAND_S) for s in starts]
    return Bars(tuple(starts), tuple(values), tuple(sorted(onsets)), tempo)


def share_right(bars: Bars) -> tuple[int, int]:
    """Note values written as they were meant (from a note to the next, each on its place), and all."""
    found = [p.start for p in quantize(bars.onsets, bars.tempo)]
    right = sum(found[i] == bars.starts[i] and found[i + 1] == bars.starts[i + 1] for i in range(len(found) - 1))
    return right, len(found) - 1


def judged(seed: int, *, tuplets: bool, repeats: int = 6) -> dict[int, float]:
    """Share of note values right, by tempo."""
    out = {}
    for bpm in TEMPI:
        counts = [share_right(played(seed + 1000 * k, bpm, tuplets=tuplets)) for k in range(repeats)]
        out[bpm] = sum(r for r, _ in counts) / sum(n for _, n in counts)
    return out


if __name__ == "__main__":
    for tuplets in (False, True):
        print("with tuplets" if tuplets else "plain", judged(DEVELOPMENT, tuplets=tuplets))
