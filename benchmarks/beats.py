"""Beats and metres of rendered bands with a lead over them, against the beats they were played by.

Bands of all metres, with and without drums, played by machine, by hand and with a tempo that drifts or changes. librosa's
tracker (Ellis 2007) listens to the same recordings. Run: python -m benchmarks.beats [development] [COUNT]
"""

import random
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

import mido
import mir_eval
import numpy as np
import pedalboard as pb
from demo.render import (
    RATE,
    Take,
    amplified,
    channel_setup,
    humanized,
    lead_midi,
    leveled,
    midi_file,
    panned,
    synthesize,
)
from demo.solo import Played

from benchmarks.bands import DEVELOPMENT_BANKS, EVALUATION_BANKS, Hit, loud_rms, voiced
from benchmarks.songs import Placed, song
from notcher.audio.recording import Audio
from notcher.beat.hear_beats import hear_beats
from notcher.score.tempo import TempoMap

DEVELOPMENT, EVALUATION = range(51000, 51132), range(53000, 53066)
# (beats in a bar, parts of a beat, slowest and fastest beat a minute, how often).
METRES = {
    "4/4": (4, 2, 62, 168, 8), "3/4": (3, 2, 76, 168, 3), "6/8": (2, 3, 44, 92, 4), "12/8": (4, 3, 44, 84, 3), "2/4": (2, 2, 84, 132, 1),
    "shuffle": (4, 2, 84, 160, 3),
}  # fmt: skip
_FEELS = ("machine", "machine", "hand", "hand", "drifting", "changing")


class Paced(Take):
    """A take whose beats lie anywhere; before and after them it runs on as beside them."""

    def __init__(self, times: np.ndarray, offset_cents: float, program: int) -> None:
        super().__init__(
            60.0 / float(np.mean(np.diff(times))), float(times[0]), offset_cents, program=program, muted_program=program
        )
        object.__setattr__(self, "times", times)

    def seconds(self, beat: float) -> float:
        """Where a beat lies."""
        times: np.ndarray = vars(self)["times"]
        k = int(np.clip(np.floor(beat), 0, len(times) - 2))
        return float(times[k] + (beat - k) * (times[k + 1] - times[k]))


@dataclass(frozen=True)
class Groove:
    """A recording with known beats: all of it follows from the seed."""

    seed: int
    judged: bool = False

    @cached_property
    def metre(self) -> str:
        """A key of METRES."""
        names = [name for name, row in METRES.items() for _ in range(row[-1])]
        return names[self.seed % len(names)]

    @cached_property
    def feel(self) -> str:
        """How steady it is."""
        return _FEELS[self.seed % len(_FEELS)]

    @cached_property
    def take(self) -> Paced:
        """Its beats, tuning and lead guitar."""
        dice = random.Random(self.seed)
        beats, _, low, high, _ = METRES[self.metre]
        bpm = dice.uniform(low, high)
        count = beats * max(8, round(dice.uniform(34, 50) * bpm / 60 / beats))
        rates = np.full(count, bpm)
        if self.feel == "drifting":
            rates *= 1 + dice.uniform(0.02, 0.05) * np.sin(
                2 * np.pi * np.arange(count) / dice.uniform(24, 60) + dice.uniform(0, 6)
            )
        elif self.feel == "changing":
            rates[beats * (count // beats // 2) :] *= dice.choice((0.9, 0.94, 1.06, 1.1))
        elif self.feel == "hand":
            rates *= 1 + np.cumsum([dice.gauss(0, 0.0018) for _ in range(count)])
        times = dice.uniform(0.3, 2.4) + np.concatenate(([0.0], np.cumsum(60.0 / rates)))[:-1]
        return Paced(times, dice.uniform(-35, 35), dice.choice((26, 27, 29, 30)))

    @property
    def beats(self) -> np.ndarray:
        """Seconds of the beats, shape (n,)."""
        return np.asarray(vars(self.take)["times"])

    @property
    def audio(self) -> Audio:
        """The recording."""
        dice, take = random.Random(self.seed + 2), self.take
        size, parts, *_ = METRES[self.metre]
        bank = dice.choice(EVALUATION_BANKS if self.judged else DEVELOPMENT_BANKS)
        bars = len(self.beats) // size
        length = int((self.beats[-1] + 1.5) * RATE)
        chords = _chords(dice, self.seed, bars, size)
        late = 0.0 if self.feel == "machine" else 0.006
        band = np.zeros((2, length), np.float32)
        for hits, program, channel, level in _parts(dice, self.metre, bars, chords):
            events = channel_setup(channel, take, program=program, volume=100)
            for beat, key, held, velocity in hits:
                t = max(0.0, take.seconds(beat) + dice.gauss(0, late))
                events.append((t, 2, mido.Message("note_on", channel=channel, note=key, velocity=velocity)))
                events.append((t + held * take.beat, 0, mido.Message("note_off", channel=channel, note=key)))
            sound = synthesize(midi_file(events), length, bank)
            if np.abs(sound).max() > 1e-3:
                band += panned(leveled(sound, level), dice.uniform(-0.7, 0.7) if channel == 1 else 0.0)
        room = pb.Pedalboard(
            [pb.Reverb(room_size=dice.uniform(0.2, 0.6), wet_level=dice.uniform(0.03, 0.2), dry_level=0.92)]
        )
        band = room(band, RATE)
        lead = _lead(dice, parts, chords, len(self.beats))
        clean = synthesize(lead_midi(humanized([("", lead)], take, self.seed), take), length, bank)
        sounds = panned(amplified(clean, dice.uniform(0, 24)), 0.0)
        sounds *= 10 ** (dice.choice((-6, 0, 3, 6)) / 20) * loud_rms(band) / max(1e-9, loud_rms(sounds))
        mix = band + sounds
        mix = mix / max(1.0, float(np.abs(mix).max()))
        return Audio(np.asarray(mix, np.float32), RATE, len(mix))


def _chords(dice: random.Random, seed: int, bars: int, size: int) -> list[Placed]:
    """A chord a bar, as in an invented song."""
    drawn = [c.chord for c in song(random.Random(seed + 3)).chords if c.chord is not None][:8]
    each = dice.choice((1, 1, 2))
    return [Placed(bar * size, size, drawn[bar // each % len(drawn)]) for bar in range(bars)]


def _parts(
    dice: random.Random, metre: str, bars: int, chords: list[Placed]
) -> Iterator[tuple[list[Hit], int, int, float]]:
    """(hits, program, channel, level) of bass, drums and one or two instruments that play chords."""
    size, parts, *_ = METRES[metre]
    swung = dice.choice((0.62, 0.667)) if metre == "shuffle" else 0.5
    if dice.random() < 0.95:
        yield list(_bass(dice, chords, size, parts, swung)), dice.choice((32, 33, 34, 35)), 0, dice.uniform(-25, -20)
    if dice.random() < 0.85:
        yield list(_drums(dice, metre, bars, swung)), 0, 9, dice.uniform(-27, -19)
    for kind in dice.sample(("strum", "pad", "picked"), dice.choice((1, 2))):
        program = dice.choice({"strum": (24, 25, 27, 4), "pad": (16, 48, 89), "picked": (24, 26, 0, 46)}[kind])
        yield list(_comping(dice, kind, chords, parts, swung)), program, 1, dice.uniform(-27, -22)


def _bass(dice: random.Random, chords: list[Placed], size: int, parts: int, swung: float) -> Iterator[Hit]:
    style = dice.choice(("roots", "parts", "first", "pushed"))
    for placed in chords:
        assert placed.chord is not None
        low = 28 + (placed.chord.root.pitch_class - 4) % 12
        if style == "first":
            yield placed.beat, low, size * 0.9, 100
            continue
        for beat in range(size):
            if style == "pushed" and beat % 2 and beat:
                yield placed.beat + beat - 1 + (swung if parts == 2 else 2 / 3), low + 7, 0.4, dice.randint(80, 100)
                continue
            yield placed.beat + beat, low, 0.8 / (parts if style == "parts" else 1), dice.randint(88, 106)
            if style == "parts":
                for k in range(1, parts):
                    yield placed.beat + beat + (swung if parts == 2 else k / parts), low, 0.4, dice.randint(76, 96)


def _drums(dice: random.Random, metre: str, bars: int, swung: float) -> Iterator[Hit]:
    size, parts, *_ = METRES[metre]
    cymbal = dice.choice((42, 51, 42))
    dense = dice.choice((1, 2, 2, 4)) if parts == 2 else dice.choice((3, 3, 1))
    if metre == "shuffle":
        dense = 2
    kicks, snares = {
        "4/4": dice.choice((((0, 2), (1, 3)), ((0, 1.5, 2.5), (1, 3)), ((0, 2.5), (1, 3)), ((0, 1, 2, 3), (1, 3)), ((0, 0.5), (2,)))),
        "shuffle": (((0, 2), (1, 3))), "3/4": dice.choice((((0,), (1, 2)), ((0,), (2,)), ((0, 1.5), (1,)))),
        "6/8": dice.choice((((0,), (1,)), ((0, 2 / 3), (1,)))), "12/8": dice.choice((((0, 2), (1, 3)), ((0, 5 / 3, 2), (1, 3)))),
        "2/4": ((0, 1), (0.5, 1.5)),
    }[metre]  # fmt: skip
    for bar in range(bars):
        at = bar * size
        if bar % 8 == 0:
            yield at, 49, 0.2, 96
        for k in kicks:
            yield at + k, 36, 0.2, dice.randint(94, 114)
        for k in snares:
            yield at + k, 38, 0.2, dice.randint(90, 112)
        for beat in range(size):
            for k in range(dense):
                off = swung if dense == 2 else k / dense
                yield (
                    at + beat + (off if k else 0),
                    cymbal,
                    0.2,
                    dice.randint(62, 80) if k == 0 else dice.randint(46, 66),
                )


def _comping(dice: random.Random, kind: str, chords: list[Placed], parts: int, swung: float) -> Iterator[Hit]:
    low, order = dice.randint(48, 57), dice.sample(range(8), 8)
    off = swung if parts == 2 else 2 / 3
    strokes = dice.choice(((0, 1, 2, 3), (0, off, 1, 1 + off, 2, 2 + off, 3, 3 + off), (0, 1 + off, 2, 3)))
    for placed in chords:
        assert placed.chord is not None
        keys = voiced(dice, placed, low)
        if kind == "pad":
            for key in keys:
                yield placed.beat, key, placed.length * 0.97, dice.randint(60, 84)
        elif kind == "picked":
            for k in range(int(placed.length * parts)):
                inside = swung if parts == 2 and k % 2 else k % parts / parts
                yield placed.beat + k // parts + inside, keys[order[k % 8] % len(keys)], 0.9, dice.randint(64, 90)
        else:
            for at in (s for s in strokes if s < placed.length):
                for k, key in enumerate(keys):
                    yield placed.beat + at + 0.015 * k, key, 0.9, dice.randint(66, 94)


def _lead(dice: random.Random, parts: int, chords: list[Placed], length: int) -> list[Played]:
    """A walk over the chords' tones with breaths."""
    at, out, pitch = float(dice.choice((0, 1, 2))), [], 66
    part = 1 / parts
    while at < length - 2:
        step = dice.choice((part, part, part, 1.0, 2.0, 2 * part if parts == 3 else part / 2))
        chord = chords[int(at // chords[0].length)].chord
        assert chord is not None
        pitch = min(76, max(56, pitch + dice.choice((-3, -2, 2, 3))))
        tone = min((p for p in range(54, 80) if p % 12 in chord.pitch_classes), key=lambda p: (abs(p - pitch), p))
        if dice.random() > 0.15:
            places = [(s, tone - o) for s, o in enumerate((64, 59, 55, 50), 1) if 2 <= tone - o <= 17]
            string, fret = dice.choice(places)
            out.append(Played(at, step, string, fret))
        at += step
    return out


@dataclass
class Judged:
    """One recording's figures. errors: ms, signed, of found beats within 70 ms of a true one."""

    name: str
    f: float = 0.0
    errors: list[float] = field(default_factory=list)
    metre: bool = False
    first: bool = False


def judge(groove: Groove, found: TempoMap | None, beats: list[float] | None = None) -> Judged:
    """How a map, or beats alone, agree with the truth."""
    out = Judged(f"{groove.metre} {groove.feel} {groove.take.bpm:.0f}")
    times = beats if beats is not None else list(found.beats) if found else []
    truth = groove.beats
    times = [t for t in times if truth[0] - 0.3 < t < truth[-1] + 0.3]
    if not times:
        return out
    heard = np.array(times)
    out.f = float(mir_eval.beat.f_measure(truth, heard))
    near = heard[:, None] - truth[None, :]
    nearest = near[np.arange(len(heard)), np.argmin(np.abs(near), axis=1)]
    out.errors = [float(1000 * e) for e in nearest if abs(e) <= 0.07]
    if found is not None:
        size, parts, *_ = METRES[groove.metre]
        out.metre = (found.beats_per_bar, found.unit.in_threes) == (size, parts == 3)
        bars = truth[::size]
        firsts = np.array([found.time_at(found.first_beat_of(b)) for b in range(2, found.last_bar())])
        inside = [min(abs(bars - t)) < 0.07 for t in firsts if truth[0] <= t <= truth[-1]]
        out.first = bool(inside) and float(np.mean(inside)) > 0.8
    return out


def by_librosa(audio: Audio) -> list[float]:
    """The beats of librosa's tracker, with its defaults."""
    import soxr
    from librosa.beat import beat_track

    mono = soxr.resample(audio.samples.mean(axis=0), RATE, 22050)
    _, times = beat_track(y=mono, sr=22050, units="time")
    return [float(t) for t in times]


def row(name: str, found: list[Judged]) -> str:
    """A line of the table."""
    errors = np.array([e for j in found for e in j.errors]) if any(j.errors for j in found) else np.zeros(1)
    medians = [float(np.median(np.abs(j.errors))) for j in found if j.errors]
    return (
        f"| {name} | {len(found)} | {np.mean([j.f for j in found]):.3f} | {np.median(errors):+.1f} | {np.median(medians):.1f} | "
        f"{np.percentile(np.abs(errors), 95):.1f} | {np.mean([j.metre for j in found]):.2f} | {np.mean([j.first for j in found]):.2f} |"
    )


def section(seeds: range = EVALUATION) -> str:
    """The page's part."""
    judged = seeds is not DEVELOPMENT
    rows: dict[str, list[Judged]] = {}
    sure: list[tuple[float, bool]] = []
    for seed in seeds:
        groove = Groove(seed, judged)
        audio = groove.audio
        heard = hear_beats(audio)
        mine = judge(groove, heard.tempo if heard else None)
        if heard is not None:
            sure.append((heard.metre.chance, mine.metre))
        for name in (groove.metre, groove.feel, "all"):
            rows.setdefault(name, []).append(mine)
        rows.setdefault("librosa, all", []).append(judge(groove, None, by_librosa(audio)))
    first = [right for chance, right in sure if chance >= 0.8]
    rest = [right for chance, right in sure if chance < 0.6]
    lines = [
        "## Beats", "",
        f"{len(seeds)} invented bands (benchmarks/beats.py, seeds {seeds[0]} on) on two banks of sounds that nothing was fitted on, "
        "with and without drums, a lead at -6 to +6 dB over them; played by machine, by hand, with a tempo that drifts by 2 to 5 %, and "
        "with one that changes by 6 to 10 %. F within 70 ms (mir_eval); errors of found beats in ms, signed and absolute; metre: "
        "beats in a bar and in two or three; first: 8 of 10 bars begin where they do. Aim: median under 5 ms. The shuffle counts as 4/4.",
        "", "| bands | recordings | F | median, signed | median of medians | 95 of 100 within | metre | first |",
        "|---|---|---|---|---|---|---|---|",
        *(row(name, found) for name, found in rows.items()),
        "", f"Metres that are 80 % sure are right {np.mean(first):.2f} of the time ({len(first)}), those under 60 % {np.mean(rest):.2f} "
        f"({len(rest)}).",
    ]  # fmt: skip
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    print(section(DEVELOPMENT if "development" in sys.argv else EVALUATION))
