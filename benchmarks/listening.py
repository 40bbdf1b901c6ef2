"""Listens to the rendered phrases under each condition and sums up how far what was heard agrees with what was played.

By hand, while developing: python -m benchmarks.listening [development|evaluation] [condition ...]
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from benchmarks import references
from benchmarks.material import DEVELOPMENT, EVALUATION_SETS, Case, cases
from benchmarks.recorded import KEPT
from benchmarks.scores import Tally
from benchmarks.truth import Truth
from notcher.audio.recording import Audio, AudioError
from notcher.listen.frames.spectrum import HOP
from notcher.listen.listener import listen
from notcher.score.gap import Gap

CONDITIONS = ("alone", "+6 dB", "0 dB", "-3 dB")
TRACKERS = ("Notcher", "autocorrelation (librosa.pyin)", "network alone (swift-f0)")


@dataclass(frozen=True)
class Rendered:
    """One phrase under one condition."""

    name: str
    together: bool
    truth: Truth
    audio: Audio


def rendered(case: Case, condition: str) -> Rendered:
    """The phrase under a condition, rendered once and kept as 16-bit numbers for the next run."""
    path = KEPT / f"{case.key}{condition.replace(' ', '')}.npy"
    if path.exists():
        samples = np.load(path).astype(np.float32) / 32767
        audio = Audio(samples, 44100, 2)
    else:
        audio = case.alone() if condition == "alone" else case.mixed(float(condition.split()[0]))
        KEPT.mkdir(parents=True, exist_ok=True)
        np.save(path, np.round(audio.samples * 32767).astype(np.int16))
        audio = Audio((np.round(audio.samples * 32767) / 32767).astype(np.float32), 44100, 2)
    return Rendered(case.name, case.plan.together, truth_of(case), audio)


def truth_of(case: Case) -> Truth:
    """What was played, and where it can be heard (kept for the next run, too)."""
    path = KEPT / f"{case.key}audible.npy"
    if not path.exists():
        KEPT.mkdir(parents=True, exist_ok=True)
        np.save(path, case.audible())
    return replace(case.truth, audible=np.load(path))


def heard_by(tracker: str, piece: Rendered) -> tuple[NDArray[np.float64], list[Any], float, tuple[Gap, ...]]:
    """Contour (cents each HOP), notes, tuning offset and gaps as one tracker hears them; the references are told the
    offset."""
    n = int(piece.audio.duration / HOP)
    if tracker == TRACKERS[0]:
        try:
            heard = listen(piece.audio)
        except AudioError:
            return np.full(n, np.nan), [], 0.0, ()
        return heard.trace.cents, list(heard.notes), heard.offset.cents, heard.gaps
    mono = piece.audio.samples.mean(axis=0, dtype=np.float32)
    offset = piece.truth.offset_cents
    if tracker == TRACKERS[1]:
        cents = references.autocorrelation(mono)
        return cents, list(references.plain_notes(cents, offset)), offset, ()
    return references.network(mono), list(references.network_notes(mono, offset)), offset, ()


def measured(job: tuple[int, int, str], tracker: str) -> tuple[int, str, Tally]:
    """One phrase (set, number, condition) judged; for a pool of processes."""
    which, number, condition = job
    piece = rendered(cases(which)[number], condition)
    cents, notes, offset, gaps = heard_by(tracker, piece)
    tally = Tally()
    tally.add(piece.truth, cents, notes, offset, together=piece.together, gaps=gaps)
    return number, condition, tally


def evaluate(
    sets: tuple[int, ...], conditions: tuple[str, ...] = CONDITIONS, tracker: str = TRACKERS[0]
) -> dict[str, list[Tally]]:
    """A tally for each phrase of some sets, one set after another, by condition."""
    jobs = [(which, number, c) for c in conditions for which in sets for number in range(len(cases(which)))]
    out: dict[str, list[Tally]] = {condition: [] for condition in conditions}
    with ProcessPoolExecutor(2) as pool:
        for _, condition, tally in pool.map(partial(measured, tracker=tracker), jobs):
            out[condition].append(tally)
    return out


def summed(tallies: list[Tally]) -> Tally:
    """All of them as one."""
    total = Tally()
    for t in tallies:
        total.join(t)
    return total


def main() -> None:
    """Print the figures of a set."""
    names = sys.argv[1:] or ["development"]
    sets = EVALUATION_SETS if names[0] == "evaluation" else (DEVELOPMENT,)
    conditions = tuple(names[1:]) or CONDITIONS[:3]
    found = evaluate(sets, conditions)
    for number, case in enumerate(case for which in sets for case in cases(which)):
        short = []
        for condition in conditions:
            t = found[condition][number]
            r = t.rows()
            f1 = t.together.f1 if case.plan.together else t.single.f1
            short.append(
                f"{r['contour within 50 cents']:.3f} {r['contour within 15 cents']:.3f} F {f1:.3f} o {t.offsets[0]:.1f}"
            )
        print(f"{case.name[:70]:70s} | " + " | ".join(short))
    rows = {condition: summed(found[condition]).rows() for condition in conditions}
    for key in rows[conditions[0]]:
        print(f"{key:42s}" + "".join(f"{rows[c][key]:9.3f}" for c in conditions))


if __name__ == "__main__":
    main()
