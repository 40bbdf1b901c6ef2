"""Which hand began a note, where it is easily mistaken: pulled off after a bend is let down, and picks across strings.

Run: python -m benchmarks.legato [development|evaluation]
"""

import random
import sys
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import cached_property

from demo.render import Take, humanized
from demo.solo import Played

from benchmarks import cells as c
from benchmarks.cells import Hand
from benchmarks.ear_material import STANDARD
from benchmarks.scores import matched
from benchmarks.studio import Notes
from benchmarks.varied import Piece, hand_in, one_after_another
from notcher.audio.recording import AudioError
from notcher.listen.listener import listen

DEVELOPMENT_SEEDS, EVALUATION = range(81_000, 81_016), range(83_000, 83_024)
CONDITIONS = ("alone", "+6 dB")


def release_and_pull(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Bent, let down and pulled off to a lower fret, as in many a blues phrase (common practice, no source)."""
    string, fret = hand.on((3, 2, 1), low=2)
    goal = hand.dice.choice((100, 200, 200))
    up, hold = hand.beats(hand.dice.uniform(0.1, 0.2)), hand.beats(hand.dice.uniform(0.08, 0.25))
    down = hand.beats(hand.dice.uniform(0.08, 0.16))
    rest = hand.beats(hand.dice.uniform(0.03, 0.12))
    corners = ((0.02, 0), (0.02 + up, goal), (0.02 + up + hold, goal), (0.02 + up + hold + down, 0))
    length = corners[-1][0] + rest
    lower = max(0, fret - hand.dice.choice((2, 2, 3)))
    return [
        Played(beat, length, string, fret, kind="bend-release", target=goal, bend=corners),
        Played(beat + length, 0.9, string, lower, attack="pull", marks=("after-release",)),
    ], length + 1.2


def sweep(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A chord's notes one after another, each on the next string and each picked."""
    step = hand.beats(hand.dice.uniform(0.075, 0.16))
    strings = hand.dice.choice(((3, 2, 1), (4, 3, 2, 1), (1, 2, 3), (1, 2, 3, 4), (3, 2, 1, 2, 3)))
    notes: list[Played] = []
    for i, string in enumerate(strings):
        # As far apart as strings of a chord are: the fretting hand moves across, not along.
        fret = max(0, hand.position + hand.dice.choice((0, 0, 1, 2)))
        last = i == len(strings) - 1
        notes.append(Played(beat + i * step, 1.0 if last else step, string, fret, marks=("across",) if i else ()))
    return notes, len(strings) * step + 1.0


def plain_legato(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Hammered and pulled on one string, which must stay what it is."""
    string, fret = hand.on((3, 2, 1), low=0)
    step = hand.dice.choice((0.25, 0.5))
    up = hand.dice.choice((2, 3))
    return [
        Played(beat, step, string, fret),
        Played(beat + step, step, string, fret + up, attack="hammer", marks=("plain",)),
        Played(beat + 2 * step, 1.0, string, fret, attack="pull", marks=("plain",)),
    ], 2 * step + 1.2


@dataclass(frozen=True)
class Phrase(Piece):
    """One phrase of the three."""

    @property
    def judged(self) -> bool:
        """Whether the guitar is one of those kept for judging."""
        return self.seed not in DEVELOPMENT_SEEDS

    @cached_property
    def played(self) -> tuple[Notes, Take, float, int]:
        """Notes in seconds, how they are taken, beats, and the key's pitch class."""
        dice = random.Random(self.seed)
        take = Take(
            bpm=dice.uniform(70, 126), first_beat=0.3, offset_cents=dice.uniform(-40, 40),
            program=dice.choice((26, 27, 27, 25)), muted_program=28, strings=STANDARD,
        )  # fmt: skip
        tonic = dice.randrange(12)
        hand = hand_in(dice, take, tonic)
        cells = [*(release_and_pull,) * 4, *(sweep,) * 3, *(plain_legato,) * 3, c.eighths, c.picked_sixteenths]
        dice.shuffle(cells)
        parts, beat = one_after_another(hand, cells, 2.0)
        return humanized(parts, take, dice.randrange(10**6)), take, beat, tonic


KINDS = {"after-release": ("pull",), "across": ("pick",), "plain": ("hammer", "pull"), "picked": ("pick",)}


def measured(job: tuple[int, str]) -> tuple[str, Counter[str], list[str]]:
    """Of each kind how many there are, are heard, and are reached as they were."""
    seed, condition = job
    piece = Phrase(seed)
    truth = piece.truth
    # What a note is in this bench stands in its marks, which nobody plays.
    counts: Counter[str] = Counter()
    try:
        heard: Sequence[object] = listen(piece.audio(condition), doubt=False).notes
    except AudioError:
        heard = ()
    lines = []
    pairs = {id(n): h for n, h in matched(truth, heard)}
    for n in truth.pitched():
        kind = next((m for m in n["marks"] if m in KINDS), "picked" if n["attack"] == "pick" else "")
        if not kind:
            continue
        counts[f"{kind} all"] += 1
        h = pairs.get(id(n))
        counts[f"{kind} heard"] += h is not None
        if h is not None:
            right = str(h.attack.value) in KINDS[kind]
            counts[f"{kind} right"] += right
            if not right:
                lines.append(f"{seed} {n['onset']:.2f} {kind} as {h.attack.value} {h.evidence.legato} {h.evidence}")
        else:
            lines.append(f"{seed} {n['onset']:.2f} {kind} not heard")
    return condition, counts, lines


def evaluate(seeds: Sequence[int], *, verbose: bool = False) -> dict[str, Counter[str]]:
    """Counts by condition."""
    out: dict[str, Counter[str]] = {c: Counter() for c in CONDITIONS}
    with ProcessPoolExecutor(2) as pool:
        for condition, counts, lines in pool.map(measured, [(s, c) for c in CONDITIONS for s in seeds]):
            out[condition] += counts
            if verbose:
                print(*lines, sep="\n", flush=True)
    return out


_WORDS = {
    "after-release": "pulled off after a bend's release", "across": "picked, on the next string (a sweep)",
    "plain": "hammered and pulled on one string", "picked": "picked, in runs",
}  # fmt: skip


def section() -> str:
    """The page's part."""
    found = evaluate(EVALUATION)
    rows = [
        f"| {words} | " + " | ".join(f"{c_[f'{kind} right']} of {c_[f'{kind} heard']}" for c_ in found.values()) + " |"
        for kind, words in _WORDS.items()
    ]
    return "\n".join([
        "## Which hand began a note", "",
        f"{len(EVALUATION)} phrases on guitars that nothing was fitted on (another sampled guitar, and waveguides), of "
        "what is easily mistaken; right of those that were heard. `python -m benchmarks.legato evaluation`.", "",
        f"| played | {' | '.join(found)} |", "|---|" + "---|" * len(found), *rows,
    ])  # fmt: skip


def main() -> None:
    """Print a row for each condition and kind."""
    seeds = EVALUATION if "evaluation" in sys.argv[1:] else DEVELOPMENT_SEEDS
    for condition, c_ in evaluate(seeds, verbose=True).items():
        for kind in KINDS:
            print(
                f"{condition:6} {kind:14} {c_[f'{kind} all']}, heard {c_[f'{kind} heard']}, right {c_[f'{kind} right']}"
            )


if __name__ == "__main__":
    main()
