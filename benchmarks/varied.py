"""Phrases in which every technique is common, on guitars, amplifiers, rooms and tapes drawn by chance; development and
evaluation apart in seed and in guitar.

The guitars of development are the sampled one and string models of any build; those of evaluation another sampled one
and the loop of delay of benchmarks/waveguide.py, which is no model of partials at all.
"""

import contextlib
import io
import random
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import pedalboard as pb
from demo import render
from demo.render import RATE, Take, humanized, legato_joined, panned, truth_notes
from demo.solo import Played
from numpy.typing import NDArray
from pedalboard.io import AudioFile

from benchmarks import cells as c
from benchmarks import circuits, studio
from benchmarks.backing import backing
from benchmarks.cells import Cell, Hand
from benchmarks.ear_material import MINOR, STANDARD, TOGETHER, audible_of
from benchmarks.guitars import OTHER_FONT
from benchmarks.technique_cells import TECHNIQUE_CELLS
from benchmarks.truth import Truth
from benchmarks.waveguide import Waveguide
from benchmarks.wide_cells import WIDE_CELLS
from notcher.audio.recording import Audio
from notcher.listen.frames.spectrum import HOP

DEVELOPMENT, EVALUATION = range(81_000, 81_080), range(92_000, 92_020)
# From which of the development's on strings sound together.
_TOGETHER_FROM = 81_060
DELAYED = range(93_000, 93_006)
"""Phrases with loud repeats of a dotted eighth to a half, for what repeats must not become."""
_ONE_STRING: tuple[Cell, ...] = (
    c.held, c.eighths, c.sixteenths, c.picked_sixteenths, c.sextuplets, c.legato_run, c.bend, c.slow_bend,
    c.quarter_bend, c.bend_release, c.slide, c.grace_slide, c.slide_off, c.staccato, c.bar_dip, c.dive,
)  # fmt: skip
_WIDE = tuple(w for w in WIDE_CELLS if w.__name__ in ("low_riff", "wide_legato", "quick_turns"))
_SOONER_S = 0.045
_PLAIN, _CHORDS = 7, 9
Notes = list[tuple[float, float, Played]]


@dataclass(frozen=True)
class Setting:
    """What a phrase must fit: the band's pace, where its beat 0 lies in seconds, its tonic's pitch class, its distance
    from A = 440 in cents, and what is played over it."""

    bpm: float
    first_beat: float
    tonic: int
    offset_cents: float
    cells: tuple[Cell, ...]


@dataclass(frozen=True)
class Piece:
    """One phrase and how it is recorded, all of it drawn from its seed. setting: what it is to fit, if anything;
    simulated: whether its amplifier is a simulated circuit (benchmarks/circuits.py)."""

    seed: int
    setting: Setting | None = None
    simulated: bool = False

    @property
    def judged(self) -> bool:
        """Whether its guitar is one of those kept for judging."""
        return self.seed not in DEVELOPMENT

    @property
    def delayed(self) -> bool:
        """Whether its repeats are loud and late."""
        return self.seed in DELAYED

    @property
    def late(self) -> float:
        """Seconds by which its repeats come late, where they are loud: a dotted eighth to a half."""
        return self.played[1].beat * random.Random(self.seed + 5).choice((0.75, 1.0, 1.5, 2.0))

    @cached_property
    def played(self) -> tuple[Notes, Take, float, int]:
        """Notes in seconds, how they are taken, beats, and the key's pitch class."""
        dice = random.Random(self.seed)
        down = dice.choice((0, 0, 1, 2))
        take = Take(
            bpm=dice.uniform(66, 132), first_beat=0.3, offset_cents=dice.uniform(-40, 40),
            program=dice.choice((26, 27, 27, 25)), muted_program=28, strings=tuple(p - down for p in STANDARD),
        )  # fmt: skip
        tonic = dice.randrange(12)
        if self.setting is not None:
            return self._fitted(dice, take)
        hand = hand_in(dice, take, tonic)
        together = not self.judged and self.seed >= _TOGETHER_FROM
        cells = list(TECHNIQUE_CELLS) if not self.delayed and not together else []
        if together:
            cells += [dice.choice(TOGETHER if dice.random() < 0.6 else WIDE_CELLS) for _ in range(_CHORDS)]
        cells += [dice.choice(_ONE_STRING if dice.random() < 0.7 else _WIDE) for _ in range(_PLAIN)]
        dice.shuffle(cells)
        beat, parts = 2.0, []
        for cell in cells:
            notes, length = cell(hand, beat)
            parts.append((cell.__name__, [replace(n, fret=min(n.fret, 24)) for n in notes]))
            beat += length + (1.0 if dice.random() < 0.15 else 0.0)
        return humanized(parts, take, dice.randrange(10**6)), take, beat, tonic

    def _fitted(self, dice: random.Random, take: Take) -> tuple[Notes, Take, float, int]:
        """As `played`, in time and in tune with a band, in a person's timing."""
        s = self.setting
        assert s is not None
        take = replace(take, bpm=s.bpm, first_beat=s.first_beat, offset_cents=s.offset_cents + dice.uniform(-4, 4))
        hand = hand_in(dice, take, s.tonic)
        beat, parts = 2.0, []
        for cell in dice.sample(s.cells, len(s.cells)):
            notes, length = cell(hand, beat)
            parts.append((cell.__name__, [replace(n, fret=min(n.fret, 24)) for n in notes]))
            beat += length + dice.choice((0.0, 0.0, 0.0, 0.5, 1.0))
        return _as_a_person(humanized(parts, take, dice.randrange(10**6)), dice), take, beat, s.tonic

    @property
    def truth(self) -> Truth:
        """What was played."""
        notes, take, _, _ = self.played
        with _gliding(self.seed):
            rows = [_swelling_sooner(n) for n in truth_notes(notes, take)]
        return Truth(rows, take.offset_cents, take.strings, audible_of(self._dry, HOP))

    @cached_property
    def length(self) -> int:
        """Samples, with two seconds to ring out."""
        _, take, beats, _ = self.played
        return int((take.seconds(beats) + 2.0) * RATE)

    @cached_property
    def _dry(self) -> NDArray[np.float32]:
        notes, take, _, _ = self.played
        dice = random.Random(self.seed + 1)
        with _gliding(self.seed):
            if not self.judged:
                clean = studio.guitar(dice, notes, take, self.length)
            elif self.seed % 2:
                clean = studio.sampled(notes, replace(take, program=27), self.length, OTHER_FONT)
            else:
                loop = Waveguide(dice.uniform(0.1, 0.28), dice.uniform(0.9, 2.4), dice.uniform(0.4, 0.95),
                                 dice.uniform(0.35, 0.75))  # fmt: skip
                clean = loop.render(notes, take, self.length, self.seed)
        return circuits.amplifier(dice, clean) if self.simulated else studio.amplifier(dice, clean)

    @cached_property
    def lead(self) -> NDArray[np.float32]:
        """The lead in its room and its place, shape (2, n)."""
        _, take, _, _ = self.played
        dice = random.Random(self.seed + 2)
        if self.delayed:
            echo = pb.Pedalboard([pb.Delay(self.late, dice.uniform(0.2, 0.45), dice.uniform(0.2, 0.4))])
            wet = np.asarray(echo(self._dry[None].astype(np.float32), RATE)[0], np.float32)
        else:
            wet = studio.room(dice, self._dry, take)
        where = dice.choice((0.0, 0.0, dice.uniform(-0.7, 0.7)))
        return panned(wet, where).astype(np.float32)

    def audio(self, condition: str) -> Audio:
        """Alone, or over a backing that is as many dB softer as the condition says."""
        _, take, beats, tonic = self.played
        dice = random.Random(self.seed + 3)
        lead = self.lead
        mixed = lead
        if condition != "alone":
            rest = backing(dice, take, tonic, beats, self.length)
            ratio = float(np.sqrt(np.mean(lead**2)) / np.sqrt(np.mean(rest**2)))
            mixed = lead + rest * (ratio * 10 ** (-float(condition.split()[0]) / 20))
        hiss = np.random.default_rng(self.seed).normal(0, 1, lead.shape).astype(np.float32)
        mixed = mixed + hiss * 10 ** (dice.uniform(-80, -50) / 20)
        if dice.random() < 0.4:
            mixed = _wow(dice, mixed)
        mixed = (mixed * (0.8 / float(np.max(np.abs(mixed))))).astype(np.float32)
        return Audio(_coded(mixed) if dice.random() < 0.5 else mixed, RATE, 2)


def hand_in(dice: random.Random, take: Take, tonic: int, positions: Sequence[int] = (2, 3, 5, 7, 9, 12)) -> Hand:
    """A hand in a minor key, at one of these positions."""
    scale = frozenset((tonic + up) % 12 for up in MINOR)
    return Hand(dice, take.strings, dice.choice(positions), scale, take.bpm)


def one_after_another(hand: Hand, cells: Iterable[Cell], beat: float) -> tuple[list[tuple[str, list[Played]]], float]:
    """Each cell's name and notes, from a beat on, and the beat at which the last ends."""
    parts = []
    for cell in cells:
        notes, length = cell(hand, beat)
        parts.append((cell.__name__, notes))
        beat += length
    return parts, beat


def _as_a_person(notes: Notes, dice: random.Random) -> Notes:
    """Each stroke a few milliseconds off its place: normal, 11 ms (players' spread lies at 10 to 20 ms: common practice,
    no source)."""
    moved = {at: at + dice.gauss(0, 0.011) for at in sorted({a for a, _, _ in notes})}
    return legato_joined(
        sorted(
            ((moved[a], max(moved[a] + 0.03, moved.get(b, b)), n) for a, b, n in notes),
            key=lambda m: (m[0], m[2].string),
        )
    )


@contextlib.contextmanager
def _gliding(seed: int) -> Iterator[None]:
    """While it lasts, slides take as long as this phrase's hand takes for them."""
    usual = render.GLIDE
    render.GLIDE = random.Random(seed + 4).uniform(0.05, 0.2)
    try:
        yield
    finally:
        render.GLIDE = usual


def _swelling_sooner(n: dict[str, Any]) -> dict[str, Any]:
    """A swell as amplifiers of more drive lift it: it is heard nearly as the string is struck."""
    if "swell" not in n["marks"]:
        return n
    first = n["cents_5ms"][:1] * round(_SOONER_S / HOP)
    return n | {
        "onset": n["onset"] - _SOONER_S, "duration": n["duration"] + _SOONER_S, "cents_5ms": [*first, *n["cents_5ms"]],
    }  # fmt: skip


def _wow(dice: random.Random, sound: NDArray[np.float32]) -> NDArray[np.float32]:
    """A tape that runs up to 3 cents fast and slow, about once in two seconds."""
    t = np.arange(sound.shape[1]) / RATE
    rate = dice.uniform(0.3, 1.2)
    cents = dice.uniform(0.5, 3.0)
    away = (2 ** (cents / 1200) - 1) / (2 * np.pi * rate) * np.sin(2 * np.pi * rate * t)
    return np.stack([np.interp(t + away, t, channel) for channel in sound]).astype(np.float32)


def _coded(sound: NDArray[np.float32]) -> NDArray[np.float32]:
    """Coded with loss, and decoded."""
    kept = io.BytesIO()
    with AudioFile(kept, "w", RATE, sound.shape[0], format="ogg", quality="96 kbps") as f:
        f.write(sound)
    kept.seek(0)
    with AudioFile(kept) as f:
        back = np.asarray(f.read(f.frames), np.float32)
    return np.pad(back[:, : sound.shape[1]], ((0, 0), (0, max(0, sound.shape[1] - back.shape[1]))))
