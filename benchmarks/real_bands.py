"""Leads of known truth over bands as they were recorded (benchmarks/recorded.py), at several levels.

Run: python -m benchmarks.real_bands [development|evaluation] [condition ...]. Development and evaluation are apart by
package, by guitar and by seed.
"""

import json
import random
import sys
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Any

import numpy as np
from demo.render import RATE
from numpy.typing import NDArray

from benchmarks import cells as c
from benchmarks import circuits, material
from benchmarks.cells import Cell
from benchmarks.ear_material import MINOR, SINGLE, TOGETHER
from benchmarks.guitars import OTHER_FONT
from benchmarks.recorded import DEVELOPMENT, EVALUATION, KEPT, Band, Learned, bands, learned, path_of
from benchmarks.scores import Tally, matched
from benchmarks.truth import Truth
from benchmarks.varied import Piece, Setting
from benchmarks.wide_cells import WIDE_CELLS
from notcher.audio.recording import Audio, AudioError
from notcher.listen.frames.spectrum import HOP
from notcher.listen.listener import listen

CONDITIONS = ("alone", "0 dB", "-3 dB", "-6 dB", "-9 dB")
_wide = {w.__name__: w for w in WIDE_CELLS}
ONE_STRING: tuple[Cell, ...] = (
    c.bend, c.bend, c.slow_bend, c.bend_release, c.pre_bend_release, c.slide, c.slide, c.grace_slide, c.legato_run,
    c.tapping, c.held, c.eighths, c.sixteenths, _wide["wide_legato"],
)  # fmt: skip
SEVERAL: tuple[Cell, ...] = (
    c.unison_bend, c.unison_bend, c.oblique_bend, c.oblique_bend, c.double_stop_bend, _wide["bend_any"], c.double_stops,
    c.triad, _wide["moving_pairs"], _wide["held_below"], c.eighths, c.bend, c.slide,
)  # fmt: skip
TOGETHER_KINDS = ("unison", "oblique bend", "bend in a double stop")


@cache
def _setting(band: Band, several: bool) -> Setting:
    """Pace, beat, key and tuning of a band by a general-purpose library, worked out once; what is played over it."""
    path = path_of(band.package, band.number).with_suffix(".json")
    if not path.exists():
        path.write_text(json.dumps(_analysed(band.sound)))
    bpm, first, tonic, tuning = json.loads(path.read_text())
    cells = SEVERAL if several else ONE_STRING
    if isinstance(band, Learned):
        # What is learned from is more than what is asked in the songs that are judged.
        dice = random.Random(band.number)
        cells = tuple(
            dice.choice((*TOGETHER, *WIDE_CELLS) if several and dice.random() < 0.6 else SINGLE) for _ in cells
        )
    return Setting(bpm, first, tonic, tuning, cells)


def _analysed(sound: NDArray[np.float32]) -> tuple[float, float, int, float]:
    """Beats a minute, the first beat in seconds, the tonic's pitch class, and cents from A = 440."""
    import librosa
    from librosa.beat import beat_track

    mono = librosa.resample(sound.mean(axis=0), orig_sr=RATE, target_sr=22050)
    tempo, beats = beat_track(y=mono, sr=22050, units="time")
    bpm = float(np.atleast_1d(tempo)[0])
    while bpm > 140:
        bpm /= 2
    tuning = float(librosa.estimate_tuning(y=mono, sr=22050))
    chroma = librosa.feature.chroma_cqt(y=mono, sr=22050, tuning=tuning).mean(axis=1)
    scores = [sum(chroma[(k + up) % 12] for up in MINOR) + 0.5 * (chroma[k] + chroma[(k + 7) % 12]) for k in range(12)]
    return bpm, float(beats[0]) if len(beats) else 0.5, int(np.argmax(scores)), 100 * tuning


@dataclass(frozen=True)
class Song:
    """A lead over a band. judged: on the guitars that are kept for judging."""

    band: Band
    several: bool
    judged: bool

    @property
    def name(self) -> str:
        """What distinguishes it."""
        return f"{self.band.package} {self.band.number}, {'several strings' if self.several else 'one string'}"

    @cached_property
    def piece(self) -> Piece:
        """The lead."""
        start = 96_000 if self.judged else 81_060 if self.several else 81_000
        # Two in three amplifiers are simulated circuits.
        dice = random.Random(self.name)
        setting = _setting(self.band, self.several)
        return Piece(start + (2 * self.band.number + dice.randrange(2)) % 20, setting, dice.random() < 0.67)

    @property
    def truth(self) -> Truth:
        """What was played."""
        return self.piece.truth

    def audio(self, condition: str) -> Audio:
        """Alone, or so many dB above the band while both play."""
        lead = self.piece.lead
        if condition == "alone":
            mixed = lead
        elif condition == "band":
            mixed = self.band.sound
        else:
            rest = self.band.sound
            n = min(lead.shape[1], rest.shape[1])
            lead, rest = lead[:, :n], rest[:, :n]
            plays = np.repeat(
                np.abs(lead).max(axis=0).reshape(1, -1)[:, : n // 441 * 441].reshape(-1, 441).max(axis=1) > 0.01, 441
            )
            level = lambda s: float(np.sqrt(np.mean(s[:, : len(plays)][:, plays] ** 2)))  # noqa: E731
            mixed = lead * (level(rest) / level(lead) * 10 ** (float(condition.split()[0]) / 20)) + rest
        return normalized(mixed)

    def kept_audio(self, condition: str) -> Audio:
        """As `audio`, made once."""
        path = KEPT / f"real-{self.name}-{condition}-{self.judged}.npy".replace(" ", "_").replace(",", "")
        if not path.exists():
            np.save(path, np.round(self.audio(condition).samples * 32767).astype(np.int16))
        return Audio(np.load(path).astype(np.float32) / 32767, RATE, 2)


def normalized(sound: NDArray[np.float32]) -> Audio:
    """A sound of shape (2, n), as loud as it may be."""
    return Audio((sound * (0.8 / float(np.max(np.abs(sound))))).astype(np.float32), RATE, 2)


def learned_song(number: int) -> Song:
    """One over a recording that is learned from, every other with a lead of several strings."""
    return Song(learned(number), number % 2 == 1, judged=False)


def songs(which: str) -> list[Song]:
    """Each band with a lead of one string, and one of several."""
    judged = which == "evaluation"
    return [Song(b, several, judged) for b in bands(EVALUATION if judged else DEVELOPMENT) for several in (False, True)]


def _kind(n: dict[str, Any], notes: list[dict[str, Any]]) -> str:
    """Of a bend: alone, or with which other string."""
    others = [m for m in notes if m is not n and m["onset"] < n["onset"] + n["duration"] - 0.05
              and m["onset"] + m["duration"] > n["onset"] + 0.05]  # fmt: skip
    if not others:
        return "bend alone"
    goal = n["pitch"] + n["bend"]["target_cents"] / 100
    return (
        TOGETHER_KINDS[0]
        if any(abs(m["pitch"] - goal) < 0.5 for m in others)
        else TOGETHER_KINDS[1 + any(m["bend"] for m in others)]
    )


def count_gestures(truth: Any, heard: Any) -> Counter[str]:
    """Of each gesture: there, found (its note matched and read as it), claimed, and rightly claimed."""
    out: Counter[str] = Counter()
    pairs = matched(truth, heard)
    of = {id(h): t for t, h in pairs}
    by_truth = {id(t): h for t, h in pairs}
    for t in truth.pitched():
        if t["bend"]:
            kind = _kind(t, truth.pitched())
            out[f"{kind} there"] += 1
            h = by_truth.get(id(t))
            out[f"{kind} found"] += bool(h is not None and h.bend)
            out[f"{kind} right"] += bool(h is not None and h.bend and h.bend.target_cents == t["bend"]["target_cents"])
        for what in ("slide", "hammer", "pull", "tap"):
            if t["attack"] == what:
                out[f"{what} there"] += 1
                h = by_truth.get(id(t))
                out[f"{what} found"] += h is not None and str(h.attack) == what
        if t["vibrato"]:
            out["vibrato there"] += 1
            h = by_truth.get(id(t))
            out["vibrato found"] += bool(h is not None and h.vibrato)
    for h in heard:
        t = of.get(id(h))
        what = str(h.attack)
        if what in ("slide", "hammer", "pull", "tap"):
            out[f"{what} claimed"] += 1
            out[f"{what} true"] += t is not None and t["attack"] == what
        if h.bend and str(h.bend.kind) == "unison":
            out["unison claimed"] += 1
            out["unison true"] += bool(t is not None and t["bend"] and t["bend"]["kind"] == "unison")
        if h.bend:
            out["bend claimed"] += 1
            out["bend true"] += any(
                m["bend"]
                and min(h.end, m["onset"] + m["duration"]) - max(h.onset, m["onset"]) > 0.5 * min(0.2, h.end - h.onset)
                for m in truth.pitched()
            )
    return out


@dataclass
class Judged:
    """One song under one condition. refused: whether no lead was heard."""

    tally: Tally
    gestures: Counter[str]
    refused: bool


def judged(job: tuple[str, int, str]) -> Judged:
    """One song of a set under a condition; for a pool of processes."""
    which, number, condition = job
    song = songs(which)[number]
    audio, truth = song.kept_audio(condition), song.piece.truth
    limited = [n for n in truth.notes if n["onset"] < audio.duration - 0.3]
    truth = type(truth)(limited, truth.offset_cents, truth.strings, truth.audible)
    tally, refused = Tally(), False
    try:
        heard = listen(audio)
        cents, notes, offset, gaps = heard.trace.cents, list(heard.notes), heard.offset.cents, heard.gaps
    except AudioError:
        refused = True
        cents, notes, offset, gaps = np.full(int(audio.duration / HOP), np.nan), [], 0.0, ()
    tally.add(truth, cents, notes, offset, together=song.several, gaps=gaps)
    return Judged(tally, count_gestures(truth, notes), refused)


def measure(which: str, conditions: tuple[str, ...]) -> dict[str, list[Judged]]:
    """Every song of a set under each condition."""
    jobs = [(which, k, condition) for condition in conditions for k in range(len(songs(which)))]
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(judged, jobs))
    return {condition: [f for j, f in zip(jobs, found, strict=True) if j[2] == condition] for condition in conditions}


def table(found: dict[str, list[Judged]]) -> Iterator[str]:
    """The figures, condition by condition."""
    conditions = list(found)
    yield "| figure | " + " | ".join(conditions) + " |"
    yield "|---|" + "---|" * len(conditions)
    rows: dict[str, list[str]] = {}
    for condition in conditions:
        tally, gestures = Tally(), Counter[str]()
        for f in found[condition]:
            tally.join(f.tally)
            gestures.update(f.gestures)
        for name, value in tally.rows().items():
            rows.setdefault(name, []).append(f"{value:.3f}")
        for name, part in (("one string", tally.single), ("several", tally.together)):
            rows.setdefault(f"precision, recall, {name}", []).append(f"{part.precision:.3f}, {part.recall:.3f}")
        for kind in ("bend alone", *TOGETHER_KINDS, "slide", "hammer", "pull", "tap", "vibrato"):
            there = gestures[f"{kind} there"]
            rows.setdefault(f"{kind} ({there}) found", []).append(f"{gestures[f'{kind} found'] / max(1, there):.2f}")
        for kind in ("bend", "unison", "slide", "hammer", "pull", "tap"):
            claimed = gestures[f"{kind} claimed"]
            rows.setdefault(f"{kind} right of claimed", []).append(
                f"{gestures[f'{kind} true'] / max(1, claimed):.2f} of {claimed}"
            )
        rows.setdefault("refused", []).append(f"{sum(f.refused for f in found[condition])} of {len(found[condition])}")
    for name, values in rows.items():
        yield f"| {name} | " + " | ".join(values) + " |"


def section() -> str:
    """The figures of the bands and guitars kept for judging, and each song's note F1."""
    head = "## Over real bands"
    if not material.available() or not OTHER_FONT.exists() or not circuits.available():
        return f"{head}\n\nNot measured: not all that benchmarks/real_bands.py needs is installed here.\n"
    found = measure("evaluation", CONDITIONS)
    told = ", ".join(f"{s.package} ({s.licence})" for s in EVALUATION)
    refused = sum(_refused(b) for b in bands(EVALUATION))
    lines = [
        head, "",
        f"Leads of known truth on the two guitars that nothing was fitted on (another sampled one, waveguides), two in three "
        "through simulated amplifiers (lv2apply, guitarix-lv2), in the key, tuning and time of the band, each stroke 11 ms "
        f"(standard deviation) off its place; over {len(bands(EVALUATION))} bands as they were recorded, from {told}; the lead "
        "so many dB above the band. A gesture is found where its note is and it is read as one. "
        "`python -m benchmarks.real_bands evaluation`.", "",
        *table(found), "",
        f"Of these bands alone, some of which have a melody of their own, {refused} of {len(bands(EVALUATION))} are refused.", "",
        "| song, note F1 | " + " | ".join(CONDITIONS) + " |", "|---|" + "---|" * len(CONDITIONS),
    ]  # fmt: skip
    for k, song in enumerate(songs("evaluation")):
        f1 = [(f.tally.together if song.several else f.tally.single).f1 for f in (found[x][k] for x in CONDITIONS)]
        lines.append(f"| {song.name} | " + " | ".join(f"{v:.2f}" for v in f1) + " |")
    return "\n".join([*lines, ""])


def _refused(band: Band) -> bool:
    try:
        listen(normalized(band.sound))
    except AudioError:
        return True
    return False


def main() -> None:
    """Print the figures of a set, then each song's F1."""
    which = sys.argv[1] if len(sys.argv) > 1 else "development"
    conditions = tuple(sys.argv[2:]) or CONDITIONS
    found = measure(which, conditions)
    print("\n".join(table(found)))
    for k, song in enumerate(songs(which)):
        f1 = [(f.tally.together if song.several else f.tally.single).f1 for f in (found[x][k] for x in conditions)]
        print(f"{song.name:50s}", " ".join(f"{v:.2f}" for v in f1), flush=True)


if __name__ == "__main__":
    main()
