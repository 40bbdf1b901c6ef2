"""The bench's section on techniques: found, and falsely told in a hundred notes, on phrases in which all are common
(benchmarks/varied.py)."""

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from typing import Any

from benchmarks import material
from benchmarks.guitars import OTHER_FONT
from benchmarks.truth import Truth
from benchmarks.varied import DELAYED, DEVELOPMENT, EVALUATION, Piece
from notcher.audio.recording import AudioError
from notcher.listen.listener import listen
from notcher.place.harmonics import natural_places
from notcher.score.tuning import Tuning

MARKS = ("natural-harmonic", "pinch-harmonic", "trill", "tremolo", "swell", "dead", "palm-mute", "slide-off")
BENDS = ("bend-again", "staggered", "bend-mute")
NAMES = (*MARKS, "rake", "long slide", *BENDS)
CONDITIONS = ("alone", "+6 dB")
# Written once for a run of notes: that many seconds without one end it.
_RUNS, _RUN_S = ("trill", "tremolo"), 0.25
_NEAR_S = 0.08
_LONG = 4
Span = tuple[float, float]


def played(truth: Truth) -> dict[str, list[Span]]:
    """When each technique is played: seconds from and to, a run of notes as one."""
    out: dict[str, list[Span]] = {name: [] for name in NAMES}
    last: dict[int, int] = {}
    for n in truth.notes:
        span = (n["onset"], n["onset"] + n["duration"])
        for name in MARKS:
            if name in n["marks"]:
                runs = out[name]
                if name in _RUNS and runs and span[0] - runs[-1][1] < _RUN_S:
                    runs[-1] = (runs[-1][0], span[1])
                else:
                    runs.append(span)
        if n["attack"] == "rake":
            out["rake"].append(span)
        far = abs(n["pitch"] - last.get(n["string"], n["pitch"])) >= _LONG
        if n["attack"] == "slide" and far:
            out["long slide"].append(span)
        if n["bend"] and n["bend"]["kind"] in BENDS:
            out[n["bend"]["kind"]].append(span)
        last[n["string"]] = n["pitch"]
    return out


def told(notes: Any, tuning: Tuning) -> dict[str, list[float]]:
    """When each technique is said; a natural harmonic only where it is written as one, as a node of the tuning sounds
    it."""
    out: dict[str, list[float]] = {name: [] for name in NAMES}
    for i, n in enumerate(notes):
        for name in MARKS:
            if name in n.marks and (name != "natural-harmonic" or natural_places(n.pitch, tuning)):
                out[name].append(n.onset)
        if str(n.attack) == "rake":
            out["rake"].append(n.onset)
        if str(n.attack) == "slide" and i and abs(n.pitch - notes[i - 1].pitch) >= _LONG:
            out["long slide"].append(n.onset)
        if n.bend and str(n.bend.kind) in BENDS:
            out[str(n.bend.kind)].append(n.onset)
    return out


def counted(truth: Truth, notes: Any) -> Counter[str]:
    """Of each technique: there, found, falsely told; and all notes."""
    there, said = played(truth), told(notes, Tuning(truth.strings))
    out: Counter[str] = Counter(notes=len(notes))
    for name in NAMES:
        runs = name in _RUNS
        out[f"{name} there"] = len(there[name])
        out[f"{name} found"] = sum(
            any(a - _NEAR_S < t < (b if runs else a + _NEAR_S) for t in said[name]) for a, b in there[name]
        )
        out[f"{name} false"] = sum(
            not any(a - _NEAR_S < t < (b if runs else a + _NEAR_S) for a, b in there[name]) for t in said[name]
        )
    return out


def measured(job: tuple[int, str]) -> Counter[str]:
    """One phrase under one condition."""
    seed, condition = job
    piece = Piece(seed)
    try:
        notes = listen(piece.audio(condition)).notes
    except AudioError:
        notes = ()
    return counted(piece.truth, notes)


def section(seeds: range = EVALUATION) -> str:
    """The figures as a table."""
    head = "## Techniques"
    if not material.available() or not OTHER_FONT.exists():
        return (
            f"{head}\n\nNot measured: fluidsynth, fluid-soundfont-gm and csound-soundfont are not all installed here.\n"
        )
    totals = {condition: Counter[str]() for condition in CONDITIONS}
    jobs = [(seed, condition) for condition in CONDITIONS for seed in seeds]
    with ProcessPoolExecutor(2) as pool:
        for (_, condition), found in zip(jobs, pool.map(measured, jobs), strict=True):
            totals[condition].update(found)
    return "\n".join([head, "", *rows(totals, len(seeds)), "", repeats(), ""])


def repeats() -> str:
    """What becomes of loud, late repeats, as a sentence."""
    said = []
    with ProcessPoolExecutor(2) as pool:
        for condition in CONDITIONS:
            found = list(pool.map(_repeated, [(seed, condition) for seed in DELAYED]))
            heard, echoes = (sum(f[k] for f in found) for k in (0, 1))
            said.append(f"{condition} {echoes} of {heard}")
    return (
        f"{len(DELAYED)} phrases with repeats of a dotted eighth to a half, 4 to 14 dB softer: of the notes heard, those that "
        f"lie where a repeat and no note is: {', '.join(said)}."
    )


def _repeated(job: tuple[int, str]) -> tuple[int, int]:
    """How many notes are heard in a phrase, and how many of them are repeats."""
    seed, condition = job
    piece = Piece(seed)
    truth = piece.truth.pitched()
    try:
        notes = listen(piece.audio(condition)).notes
    except AudioError:
        return 0, 0
    played_at = [n["onset"] for n in truth]
    again = [(n["onset"] + k * piece.late, n["pitch"] + n["sounding"]) for n in truth for k in (1, 2)]
    echoes = sum(
        any(abs(t - n.onset) < _NEAR_S and p == n.pitch for t, p in again)
        and min(abs(t - n.onset) for t in played_at) > _NEAR_S
        for n in notes
    )
    return len(notes), echoes


def rows(totals: dict[str, Counter[str]], count: int) -> list[str]:
    """The table's lines."""
    lines = [
        f"{count} phrases in which all are common (benchmarks/varied.py): the guitars are another sampled one and a loop of "
        "delay (benchmarks/waveguide.py), which nothing was fitted on; amplifiers of any drive, rooms, tape wow, hiss, coding "
        "with loss. Found, and falsely told in 100 notes (aim alone: 0.80 found, at most 2 false).", "",
        "| technique | there | " + " | ".join(totals) + " |", "|---|---|" + "---|" * len(totals),
    ]  # fmt: skip
    for name in NAMES:
        there = next(iter(totals.values()))[f"{name} there"]
        each = [
            f"{t[f'{name} found'] / max(1, t[f'{name} there']):.2f}, {100 * t[f'{name} false'] / max(1, t['notes']):.1f}"
            for t in totals.values()
        ]
        lines.append(f"| {name} | {there} | " + " | ".join(each) + " |")
    return lines


def main() -> None:
    """Print it; with 'development', of the phrases that may be tuned on."""
    print(section(DEVELOPMENT if "development" in sys.argv else EVALUATION))


if __name__ == "__main__":
    main()
