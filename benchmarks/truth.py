"""A rendered recording's known truth, and how far what was heard agrees with it.

Truth files are made by demo.render and benchmarks.material; the program itself never reads them.
"""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import mir_eval
import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.frames.spectrum import HOP
from notcher.pipeline.place_heard import placed_notes
from notcher.score.tuning import STANDARD

ROOT = Path(__file__).resolve().parent.parent
DEMO_MIX = ROOT / "src/notcher/data/demo/pellan-quay-demo.ogg"
DEMO_DRY = ROOT / "tests/data/lead_dry.ogg"
DEMO_TRUTH = ROOT / "tests/data/truth.json"


@dataclass(frozen=True)
class Truth:
    """Notes as rendered. offset_cents is the recording's distance from A = 440.

    audible: whether the lead can be heard at each HOP, shape (n,): a muted string is held down longer than it sounds.
    """

    notes: list[dict[str, Any]]
    offset_cents: float
    strings: tuple[int, ...] = STANDARD.pitches
    audible: NDArray[np.bool_] | None = None

    @classmethod
    def read(cls, path: Path = DEMO_TRUTH) -> "Truth":
        data = json.loads(path.read_text())
        return cls(data["notes"], data["offset_cents"])

    def pitched(self) -> list[dict[str, Any]]:
        """All notes but dead ones, which have no pitch."""
        return [n for n in self.notes if "dead" not in n["marks"]]

    def contours(self, n_frames: int) -> list[list[float]]:
        """The cents (above MIDI 0, A = 440) that sound at each 5 ms frame; several where strings sound together."""
        out: list[list[float]] = [[] for _ in range(n_frames)]
        for n in self.pitched():
            cents = np.array(n["cents_5ms"]) + 100 * (n["pitch"] + n["sounding"]) + self.offset_cents
            grid = n["onset"] + HOP * np.arange(len(cents))
            for k in range(int(np.ceil(n["onset"] / HOP)), min(n_frames, int((n["onset"] + n["duration"]) / HOP))):
                if self.audible is None or (k < len(self.audible) and self.audible[k]):
                    out[k].append(float(np.interp(k * HOP, grid, cents)))
        return out


def contour_accuracy(truth: Truth, cents: NDArray[np.float64], *, tolerance: float) -> float:
    """Share of the frames in which a note sounds where cents (NaN: nothing heard) is within tolerance of one."""
    right = total = 0
    for heard, real in zip(cents, truth.contours(len(cents)), strict=True):
        if real:
            total += 1
            right += bool(np.isfinite(heard)) and min(abs(heard - r) for r in real) <= tolerance
    return right / total


def note_scores(truth: Truth, heard: "list[HeardNote] | tuple[HeardNote, ...]") -> tuple[float, float, float]:
    """Precision, recall and F1 of mir_eval: onset within 50 ms, fretted pitch within 50 cents, ends ignored."""
    ref = [(n["onset"], n["onset"] + n["duration"], n["pitch"] + n["sounding"]) for n in truth.pitched()]
    est = [(n.onset, n.end, n.pitch) for n in heard]
    precision, recall, f1, _ = mir_eval.transcription.precision_recall_f1_overlap(
        *_intervals(ref), *_intervals(est), onset_tolerance=0.05, pitch_tolerance=50.0, offset_ratio=None
    )
    return precision, recall, f1


def _intervals(rows: Sequence[tuple[float, float, float]]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    table = np.array(rows, dtype=float).reshape(-1, 3)
    return table[:, :2], 440.0 * 2 ** ((table[:, 2] - 69) / 12)


def matched(truth: Truth, heard: "list[HeardNote] | tuple[HeardNote, ...]") -> list[tuple[dict[str, Any], HeardNote]]:
    """Pairs of a true note and the heard one of its pitch within 50 ms."""
    ref = [(n["onset"], n["onset"] + n["duration"], n["pitch"] + n["sounding"]) for n in truth.pitched()]
    est = [(n.onset, n.end, n.pitch) for n in heard]
    pairs = mir_eval.transcription.match_notes(
        *_intervals(ref), *_intervals(est), onset_tolerance=0.05, pitch_tolerance=50.0, offset_ratio=None
    )
    return [(truth.pitched()[i], heard[j]) for i, j in pairs]


def places_right(truth: Truth, heard: "list[HeardNote] | tuple[HeardNote, ...]") -> float:
    """Share of the notes that were found whose string and fret, as the solver places them, are those played."""
    ordered = sorted(heard, key=lambda n: (n.onset, -n.pitch))
    where = {id(h): (p.string, p.fret) for h, p in zip(ordered, placed_notes(ordered, STANDARD), strict=True)}
    pairs = matched(truth, heard)
    return sum(where[id(h)] == (t["string"], t["fret"]) for t, h in pairs) / max(1, len(pairs))


def technique_scores(truth: Truth, heard: "list[HeardNote] | tuple[HeardNote, ...]") -> dict[str, float]:
    """Bends, vibrato and attacks of the matched notes; a bend or vibrato on an unmatched true note counts as missed."""
    pairs = matched(truth, heard)
    true_bends = [n for n in truth.pitched() if n["bend"]]
    found = [(t, h) for t, h in pairs if t["bend"] and h.bend]
    false = [h for t, h in pairs if h.bend and not t["bend"]]
    heard_bends = sum(1 for h in heard if h.bend)
    peaks = [abs((h.bend.peak_cents or 0) - max(t["cents_5ms"])) for t, h in found if h.bend]
    intervals = [t["bend"]["target_cents"] == h.bend.target_cents for t, h in found if h.bend]
    kinds = [_same_kind(t["bend"]["kind"], str(h.bend.kind)) for t, h in found if h.bend]
    true_vibrato = [n for n in truth.pitched() if n["vibrato"]]
    wobbles = [(t["vibrato"], h.vibrato) for t, h in pairs if t["vibrato"] and h.vibrato]
    attacks = [str(h.attack) == t["attack"] or (t["attack"] == "rake" and h.attack == "pick") for t, h in pairs]
    return {
        "bends found": len(found) / max(1, len(true_bends)),
        "bends false": len(false) / max(1, heard_bends),
        "bend peak error, median cents": float(np.median(peaks)) if peaks else float("nan"),
        "bend interval right": float(np.mean(intervals)) if intervals else 0.0,
        "bend kind right": float(np.mean(kinds)) if kinds else 0.0,
        "vibrato found": len(wobbles) / max(1, len(true_vibrato)),
        "vibrato rate error, median Hz": float(np.median([abs(t["rate_hz"] - h.rate_hz) for t, h in wobbles]))
        if wobbles else float("nan"),
        "vibrato extent error, median %": float(
            np.median([100 * abs(t["extent_cents"] - h.extent_cents) / t["extent_cents"] for t, h in wobbles])
        ) if wobbles else float("nan"),
        "attack right": float(np.mean(attacks)) if attacks else 0.0,
    }  # fmt: skip


def _same_kind(real: str, heard: str) -> bool:
    # One contour cannot tell a unison bend, which needs its second string, from a plain one.
    return heard == real or {real, heard} == {"unison", "bend"}
