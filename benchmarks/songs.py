"""Invented songs: chords of every kind in every key, and a lead over them, drawn by chance; what is played, not how it sounds.

Times are beats from the first of bar 1. Progressions are common practice (no source); keys, lengths and colours are drawn.
"""

import random
from dataclasses import dataclass

from demo.solo import Played

from notcher.score.chord import KINDS, Chord
from notcher.score.key import Key
from notcher.score.spelling import within

# (degree, kind) of each chord, one a bar, by the mode; "|" joins two in one bar.
_PROGRESSIONS = {
    "major": (
        "1 5 6m 4",
        "1 6m 4 5",
        "6m 4 1 5",
        "1 4 5 4",
        "2m7 57 1maj7 6m7",
        "1 3m 4 5",
        "1 57/7 6m 4|5",
        "4 1 5 6m",
        "1 b7 4 1",
        "1 37 6m 4",
        "1maj7 4maj7 2m7 57",
        "1 1/3 4 5",
        "1 5/7 6m 6m/5",
        "2m 4 1 5",
        "1sus4|1 4 5sus4|5 1",
        "1 4m 1 5",
        "16 2m7 5sus4 57",
        "1 1aug 4 4m",
        "1 7m7b5 37 6m",
        "4maj7 5 3m7 6m7",
    ),
    "minor": (
        "1m b6 b3 b7",
        "1m b7 b6 57",
        "1m 4m 1m 57",
        "1m b7 b6 b7",
        "1m b3 b7 4m",
        "1m7 4m7 b7 b3maj7",
        "1m 2m7b5 57 1m",
        "1m b6 4m 5m",
        "1m 5m b6 4m",
        "b6 b7 1m 1m",
        "1m 1m/b7 b6 57",
        "4m b7 b3 b6",
        "1m|b7 b6 4m 5sus4|57",
        "1m 2dim 57 1m",
        "1m b2 b7 1m",
        "1m7 b6maj7 b3 b7",
        "1m 4m b7 b3|57",
    ),
    "dorian": ("1m7 47 1m7 47", "1m 4 b7 4", "1m b3 4 1m", "1m7 2m7 b3maj7 4"),
    "mixolydian": ("1 b7 4 1", "17 47 17 57", "1 5m b7 4", "17 b7 4 17", "15 b75 45 15"),
    "blues": ("17 17 17 17 47 47 17 17 57 47 17 57", "17 47 17 17 47 47 17 17 2m7 57 17 57"),
    "riff": ("15 b35 45 15", "15 b75 b65 b75", "15 15 b35 45"),
}
_DEGREES = {"1": 0, "b2": -5, "2": 2, "b3": -3, "3": 4, "4": -1, "5": 1, "b6": -4, "6": 3, "b7": -2, "7": 5}
_SYMBOLS = {kind.symbol.replace("♭", "b").replace("♯", "#"): kind.name for kind in KINDS.values()}
# What a chord may be coloured into, and how often.
_COLOURS = {
    "major": (("major-seventh", 0.06), ("suspended-fourth", 0.05), ("suspended-second", 0.05), ("major-sixth", 0.04), ("dominant", 0.03)),
    "minor": (("minor-seventh", 0.18), ("suspended-second", 0.04), ("suspended-fourth", 0.03)),
    "dominant": (("suspended-fourth", 0.08),),
}  # fmt: skip
_PENTATONIC = {"major": (0, 2, 4, 7, 9), "mixolydian": (0, 2, 4, 7, 9, 10), "minor": (0, 3, 5, 7, 10), "dorian": (0, 2, 3, 5, 7, 9, 10),
               "blues": (0, 3, 5, 6, 7, 10), "riff": (0, 3, 5, 7, 10)}  # fmt: skip
_OPEN = (64, 59, 55, 50, 45, 40)


@dataclass(frozen=True)
class Placed:
    """A chord from a beat on for some beats; None is silence of all chords."""

    beat: float
    length: float
    chord: Chord | None


@dataclass(frozen=True)
class Song:
    """beats: in a bar; chords fill bars 1 to `bars`."""

    key: Key
    style: str
    bpm: float
    beats: int
    bars: int
    chords: tuple[Placed, ...]
    lead: tuple[Played, ...]

    @property
    def length(self) -> int:
        """In beats."""
        return self.bars * self.beats


def song(dice: random.Random, tonic: int | None = None) -> Song:
    """One song. tonic: its pitch class, else by chance."""
    style = dice.choices(("major", "minor", "dorian", "mixolydian", "blues", "riff"), (32, 38, 9, 9, 7, 5))[0]
    mode = {"blues": "mixolydian", "riff": "minor"}.get(style, style)
    key = Key.of(dice.randrange(12) if tonic is None else tonic, mode)
    beats = 3 if dice.random() < 0.1 else 4
    bpm = dice.uniform(60, 160)
    bars = 12 if style == "blues" else dice.choice((8, 12, 12, 16))
    if bpm < 80:
        bars = min(bars, 12)
    pattern = dice.choice(_PROGRESSIONS[style])
    other = dice.choice(_PROGRESSIONS[style]) if dice.random() < 0.4 else pattern
    chords = _chords(
        dice,
        key,
        [*pattern.split() * 4][: bars // 2] + [*other.split() * 4][: bars - bars // 2]
        if style != "blues"
        else pattern.split(),
        beats,
    )
    if dice.random() < 0.6:
        end = Chord(
            key.tonic,
            "power" if style == "riff" else "dominant" if style == "blues" else "minor" if key.minor else "major",
        )
        chords = [c for c in chords if c.beat < (bars - 1) * beats] + [Placed((bars - 1) * beats, beats, end)]
    if dice.random() < 0.15:
        # One bar with no chord: a stop.
        stop = dice.randrange(1, bars - 1) * beats
        chords = [Placed(c.beat, c.length, None) if stop <= c.beat < stop + beats else c for c in chords]
    return Song(key, style, bpm, beats, bars, tuple(chords), tuple(_lead(dice, key, style, chords, bars * beats)))


def _chords(dice: random.Random, key: Key, bars: list[str], beats: int) -> list[Placed]:
    out = []
    for k, bar in enumerate(bars):
        parts = bar.split("|")
        half = beats / 2 if beats % 2 == 0 else beats - 1
        times = [(0.0, float(beats))] if len(parts) == 1 else [(0.0, half), (half, beats - half)]
        for (at, length), text in zip(times, parts, strict=True):
            out.append(Placed(k * beats + at, length, _coloured(dice, _chord(key, text))))
    return out


# Chords that belong to each mode, the tonic's first.
_POOLS = {
    "major": "1 2m 3m 4 5 6m", "minor": "1m b3 4m 5m b6 b7 57", "dorian": "1m 2m b3 4 5m b7", "mixolydian": "1 2m 4 5m 6m b7",
}  # fmt: skip


def wandering(dice: random.Random, of: Song) -> tuple[Placed, ...]:
    """Other chords for a song, from those of its mode in any order, most often from the tonic and back to it."""
    pool = _POOLS[of.key.mode].split()
    period = dice.choice((2, 4, 4, 8))
    bars = [dice.choice(pool) for _ in range(period)]
    if dice.random() < 0.7:
        bars[0] = pool[0]
    bars = (bars * of.bars)[: of.bars]
    if dice.random() < 0.7:
        bars[-1] = pool[0]
    return tuple(_chords(dice, of.key, bars, of.beats))


def _chord(key: Key, text: str) -> Chord:
    body, _, low = text.partition("/")
    degree = body[:2] if body[0] == "b" else body[:1]
    root = key.tonic.up(_DEGREES[degree])
    root = within(root.pitch_class, key.tonic.fifths - 5)
    bass = within(key.tonic.up(_DEGREES[low]).pitch_class, key.tonic.fifths - 5) if low else None
    return Chord(root, _SYMBOLS[body[len(degree) :]], bass)


def _coloured(dice: random.Random, chord: Chord) -> Chord:
    at = dice.random()
    for kind, share in _COLOURS.get(chord.kind, ()):
        if at < share:
            return Chord(chord.root, kind, chord.bass)
        at -= share
    if chord.bass is None and chord.kind in ("major", "minor") and dice.random() < 0.07:
        fifths = {"major": (4, 1), "minor": (-3, 1)}[chord.kind]
        return Chord(chord.root, chord.kind, chord.root.up(dice.choice(fifths)))
    return chord


def _lead(dice: random.Random, key: Key, style: str, chords: list[Placed], length: int) -> list[Played]:
    """A lead line: a walk through the scale that often lands on a tone of the chord, with breaths."""
    if dice.random() < 0.05:
        return []
    scale = {(key.tonic.pitch_class + s) % 12 for s in _PENTATONIC[style]}
    if dice.random() < 0.5:
        scale |= set(key.pitch_classes)
    low = dice.randint(52, 59)
    neck = [p for p in range(low, low + 22) if p % 12 in scale]
    at, k, out = float(dice.choice((0, 0.5, 1, 2))), len(neck) // 2, []
    while at < length - 1:
        step = dice.choice((0.25, 0.5, 0.5, 0.5, 1.0, 1.0, 1.5, 2.0, 3.0))
        chord = next((c.chord for c in chords if c.beat <= at < c.beat + c.length), None)
        k = max(0, min(len(neck) - 1, k + dice.choice((-3, -2, -1, -1, 1, 1, 2, 3))))
        pitch = neck[k]
        if step >= 1 and chord is not None and dice.random() < 0.7:
            pitch = min(
                (p for p in range(low, low + 22) if p % 12 in chord.pitch_classes), key=lambda p: abs(p - neck[k])
            )
        if dice.random() > 0.12:
            out.append(_played(dice, at, step, pitch))
        at += step
    return out


def _played(dice: random.Random, at: float, step: float, pitch: int) -> Played:
    places = [(s, pitch - o) for s, o in enumerate(_OPEN, 1) if 2 <= pitch - o <= 17]
    string, fret = dice.choice(places)
    vib = (dice.uniform(4.5, 6.2), dice.uniform(10, 35), 0.3) if step >= 1 and dice.random() < 0.5 else None
    if step >= 1 and fret >= 5 and string <= 3 and dice.random() < 0.2:
        return Played(at, step, string, fret - 2, kind="bend", target=200, bend=((0.05, 0.0), (0.35, 200.0)), vib=vib)
    return Played(at, step, string, fret, vib=vib)


def mir(chord: Chord | None) -> str:
    """A chord as mir_eval writes it (Harte et al. 2005), the bass left out."""
    if chord is None:
        return "N"
    names = {
        "major": "maj", "minor": "min", "dominant": "7", "minor-seventh": "min7", "major-seventh": "maj7", "suspended-second": "sus2",
        "suspended-fourth": "sus4", "diminished": "dim", "half-diminished": "hdim7", "augmented": "aug", "major-sixth": "maj6", "power": "5",
    }  # fmt: skip
    return f"{chord.root.plain()}:{names[chord.kind]}"
