"""How far what was heard agrees with what was played, summed over any number of phrases.

A note is right with its onset within 50 ms and its fretted pitch within 50 cents (mir_eval, Raffel and others 2014),
ends ignored. A frame of the contour is right within the tolerance of a note that sounds there, over the frames in
which one sounds.
"""

from collections import Counter
from dataclasses import dataclass, field
from typing import Any

import mir_eval
import numpy as np
from numpy.typing import NDArray

from benchmarks.truth import Truth
from notcher.listen.frames.spectrum import HOP

Heard = "list[HeardNote] | tuple[HeardNote, ...]"
_CHANGE_S = 0.025
# Seconds within which a mark is at a note.
_MARKED_S = 0.08
SURENESS = (
    "chance that a wrong note is less sure than a right one", "mistakes among the least sure fifth",
    "calibration error", "missed notes that are marked", "false marks in 20 notes",
)  # fmt: skip
TECHNIQUES = ("palm-mute", "dead", "pinch-harmonic", "swell", "rake", "slide-in", "slide-off")
# What the phrases call a bend, or unison, may be told more finely.
_PLAIN, _FINER = ("bend", "unison"), ("bend", "unison", "bend-again", "staggered", "bend-mute")
_SPANS = list[tuple[float, float, float]]


def pitch_accuracy(truth: Truth, cents: NDArray[np.float64]) -> NDArray[np.int64]:
    """Frames right within 50 cents, within 15 cents, and all in which a note sounds; then of those that lie 25 ms or
    more from a note's beginning the ones right within 50 cents, and all. cents: NaN where none was heard."""
    counts = np.zeros(5, np.int64)
    onsets = np.sort([n["onset"] for n in truth.pitched()])
    for k, (heard, real) in enumerate(zip(cents, truth.contours(len(cents)), strict=True)):
        if real:
            away = min(abs(heard - r) for r in real) if np.isfinite(heard) else np.inf
            at = int(np.searchsorted(onsets, k * HOP))
            inside = all(abs(k * HOP - t) >= _CHANGE_S for t in onsets[max(0, at - 1) : at + 1])
            counts += (away <= 50, away <= 15, True, inside and away <= 50, inside)
    return counts


def _spans(rows: _SPANS) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    table = np.array(rows, dtype=float).reshape(-1, 3)
    return table[:, :2], 440.0 * 2 ** ((table[:, 2] - 69) / 12)


def matched(truth: Truth, heard: Any) -> list[tuple[dict[str, Any], Any]]:
    """Pairs of a true note and the heard one of its pitch within 50 ms."""
    real = truth.pitched()
    ref: _SPANS = [(n["onset"], n["onset"] + n["duration"], n["pitch"] + n["sounding"]) for n in real]
    est: _SPANS = [(n.onset, n.end, n.pitch) for n in heard]
    pairs = mir_eval.transcription.match_notes(
        *_spans(ref), *_spans(est), onset_tolerance=0.05, pitch_tolerance=50.0, offset_ratio=None
    )
    return [(real[i], heard[j]) for i, j in pairs]


@dataclass
class NoteTally:
    """right, true and heard notes."""

    right: int = 0
    true: int = 0
    heard: int = 0

    def add(self, truth: Truth, heard: Any) -> None:
        """One more phrase."""
        self.right += len(matched(truth, heard))
        self.true += len(truth.pitched())
        self.heard += len(heard)

    @property
    def precision(self) -> float:
        """Right of those heard."""
        return self.right / self.heard if self.heard else 0.0

    @property
    def recall(self) -> float:
        """Right of those played."""
        return self.right / self.true if self.true else 0.0

    @property
    def f1(self) -> float:
        """2 right / (true + heard)."""
        return 2 * self.right / max(1, self.true + self.heard)


@dataclass
class Tally:
    """Everything the table reports, summed over phrases."""

    frames: NDArray[np.int64] = field(default_factory=lambda: np.zeros(5, np.int64))
    single: NoteTally = field(default_factory=NoteTally)
    together: NoteTally = field(default_factory=NoteTally)
    offsets: list[float] = field(default_factory=list)
    bends: Counter[str] = field(default_factory=Counter)
    peaks: list[float] = field(default_factory=list)
    vibrato: Counter[str] = field(default_factory=Counter)
    rates: list[float] = field(default_factory=list)
    extents: list[float] = field(default_factory=list)
    attacks: Counter[tuple[str, str]] = field(default_factory=Counter)
    sure: list[tuple[float, bool]] = field(default_factory=list)
    gaps: Counter[str] = field(default_factory=Counter)
    told: Counter[str] = field(default_factory=Counter)

    def add(
        self, truth: Truth, cents: NDArray[np.float64], heard: Any, offset: float, *, together: bool, gaps: Any = ()
    ) -> None:
        """One more phrase: its contour (cents each HOP), notes, tuning offset in cents, and where something may have
        been missed."""
        self._add_techniques(truth, heard)
        heard = [h for h in heard if "dead" not in getattr(h, "marks", ())]
        self.frames += pitch_accuracy(truth, cents)
        (self.together if together else self.single).add(truth, heard)
        self.offsets.append(abs(offset - truth.offset_cents))
        pairs = matched(truth, heard)
        self._add_bends(truth, heard, pairs)
        self._add_vibrato(truth, heard, pairs)
        for real, note in pairs:
            self.attacks[_attack(real["attack"]), _attack(str(note.attack))] += 1
        right = {id(note) for _, note in pairs}
        self.sure += [(n.confidence, id(n) in right) for n in heard if hasattr(n, "confidence")]
        found = {id(t) for t, _ in pairs}
        missed = [t["onset"] for t in truth.pitched() if id(t) not in found]
        self.gaps["missed"] += len(missed)
        self.gaps["marked"] += sum(any(abs(g.start - t) < _MARKED_S for g in gaps) for t in missed)
        self.gaps["false"] += sum(not any(abs(g.start - t) < _MARKED_S for t in missed) for g in gaps)
        self.gaps["notes"] += len(heard)

    def _add_techniques(self, truth: Truth, heard: Any) -> None:
        """Of each technique that is written at a note: there, found, and falsely found; and all notes."""
        self.told["notes"] += len(heard)
        for name in TECHNIQUES:
            there = [t["onset"] for t in truth.notes if name in t["marks"] or name == t["attack"]]
            said = [n.onset for n in heard if name in getattr(n, "marks", ()) or name == str(n.attack)]
            self.told[f"{name} there"] += len(there)
            self.told[f"{name} found"] += sum(any(abs(t - s) < _MARKED_S for s in said) for t in there)
            self.told[f"{name} false"] += sum(not any(abs(t - s) < _MARKED_S for t in there) for s in said)

    def join(self, other: "Tally") -> None:
        """All of another tally."""
        self.frames = self.frames + other.frames
        for mine, theirs in ((self.single, other.single), (self.together, other.together)):
            mine.right, mine.true, mine.heard = (
                mine.right + theirs.right, mine.true + theirs.true, mine.heard + theirs.heard
            )  # fmt: skip
        for name in ("offsets", "peaks", "rates", "extents", "sure"):
            getattr(self, name).extend(getattr(other, name))
        for name in ("bends", "vibrato", "attacks", "gaps", "told"):
            getattr(self, name).update(getattr(other, name))

    def _add_bends(self, truth: Truth, heard: Any, pairs: list[tuple[dict[str, Any], Any]]) -> None:
        real = [n for n in truth.pitched() if n["bend"]]
        self.bends["true"] += len(real)
        for t, h in pairs:
            if t["bend"] and h.bend:
                self.bends["found"] += 1
                self.bends["interval right"] += t["bend"]["target_cents"] == h.bend.target_cents
                self.bends["raised told"] += t["bend"]["kind"].startswith("pre-") == h.bend.starts_raised
                kind = str(h.bend.kind)
                self.bends["kind right"] += kind == t["bend"]["kind"] or (
                    t["bend"]["kind"] in _PLAIN and kind in _FINER
                )
                self.peaks.append(abs((h.bend.peak_cents or 0.0) - max(t["cents_5ms"])))
        for h in (h for h in heard if h.bend):
            self.bends["heard"] += 1
            shared = [min(h.end, n["onset"] + n["duration"]) - max(h.onset, n["onset"]) for n in real]
            self.bends["false"] += max(shared, default=0.0) < 0.5 * min(0.2, h.end - h.onset)

    def _add_vibrato(self, truth: Truth, heard: Any, pairs: list[tuple[dict[str, Any], Any]]) -> None:
        self.vibrato["true"] += sum(1 for n in truth.pitched() if n["vibrato"])
        self.vibrato["heard"] += sum(1 for h in heard if h.vibrato)
        for t, h in pairs:
            if t["vibrato"] and h.vibrato:
                self.vibrato["found"] += 1
                self.rates.append(abs(t["vibrato"]["rate_hz"] - h.vibrato.rate_hz))
                self.extents.append(100 * abs(t["vibrato"]["extent_cents"] / h.vibrato.extent_cents - 1))

    def rows(self) -> dict[str, float]:
        """Every figure by its name; NaN where there was nothing to measure."""
        b, v = self.bends, self.vibrato
        attacks = sum(self.attacks.values())
        return {
            "contour within 50 cents": _share(self.frames[0], self.frames[2]),
            "contour within 15 cents": _share(self.frames[1], self.frames[2]),
            "contour within 50 cents beside changes of notes": _share(self.frames[3], self.frames[4]),
            "note F1, one string at a time": self.single.f1,
            "note F1, strings together": self.together.f1 if self.together.true else float("nan"),
            "bends found": _share(b["found"], b["true"]),
            "bends falsely found": _share(b["false"], b["heard"]),
            "bend peak error, median cents": _middle(self.peaks),
            "bend interval right": _share(b["interval right"], b["found"]),
            "bend kind right": _share(b["kind right"], b["found"]),
            "bend or pre-bend told apart": _share(b["raised told"], b["found"]),
            "vibrato found": _share(v["found"], v["true"]),
            "vibrato falsely found": _share(v["heard"] - v["found"], v["heard"]),
            "vibrato rate error, median Hz": _middle(self.rates),
            "vibrato extent error, median %": _middle(self.extents),
            "attack right": _share(sum(n for (a, c), n in self.attacks.items() if a == c), attacks),
            "attack right, of those not picked": _share(
                sum(n for (a, c), n in self.attacks.items() if a == c != "pick"),
                sum(n for (a, _), n in self.attacks.items() if a != "pick"),
            ),
            "tuning offset error, median cents": _middle(self.offsets),
            "tuning offset error, worst cents": max(self.offsets, default=float("nan")),
            **self._sureness(),
        }

    def _sureness(self) -> dict[str, float]:
        """How well the confidence points at what is wrong."""
        g = self.gaps
        out = dict.fromkeys(SURENESS, float("nan"))
        if not self.sure:
            return out
        said, right = (np.array(column, float) for column in zip(*self.sure, strict=True))
        wrong = right < 0.5
        if wrong.any() and not wrong.all():
            # The chance that a wrong note is less sure than a right one: Mann and Whitney 1947.
            less = (said[wrong][:, None] < said[~wrong][None, :]).mean()
            out[SURENESS[0]] = float(less + 0.5 * (said[wrong][:, None] == said[~wrong][None, :]).mean())
            least = np.argsort(said, kind="stable")[: len(said) // 5]
            out[SURENESS[1]] = float(wrong[least].sum() / wrong.sum())
        # Expected calibration error over ten bins (Naeini and others 2015).
        bins = np.minimum((said * 10).astype(int), 9)
        out[SURENESS[2]] = float(
            sum(abs(said[bins == b].mean() - right[bins == b].mean()) * (bins == b).mean() for b in set(bins.tolist()))
        )
        out[SURENESS[3]] = _share(g["marked"], g["missed"])
        out[SURENESS[4]] = _share(20 * g["false"], g["notes"])
        return out

    def techniques(self) -> dict[str, tuple[float, float, int]]:
        """Of each technique: the share found, how many in a hundred notes are falsely told, and how many there are."""
        t = self.told
        return {
            name: (_share(t[f"{name} found"], t[f"{name} there"]), _share(100 * t[f"{name} false"], t["notes"]),
                   t[f"{name} there"])
            for name in TECHNIQUES
        }  # fmt: skip


def _attack(name: str) -> str:
    """A rake is a pick with something before it, which is judged apart."""
    return "pick" if name == "rake" else name


def _share(part: float, whole: float) -> float:
    return float(part) / float(whole) if whole else float("nan")


def _middle(values: list[float]) -> float:
    return float(np.median(values)) if values else float("nan")
