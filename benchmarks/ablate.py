"""What each part of listening is worth: switched off by itself, on phrases that nothing was tuned on.

Run: python -m benchmarks.ablate (some 20 minutes; needs what benchmarks.amplifier needs). The frames
of a phrase are measured once; then each part of PARTS is replaced by one that does nothing, and all stages after it run
again. Positive figures: how much less is right without the part. A part that is worth nothing in any figure goes.
"""

import importlib
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np

from benchmarks.development import measured_frames
from benchmarks.listening import rendered
from benchmarks.material import EVALUATION_SETS, WIDE_EVALUATION, cases
from benchmarks.scores import Tally
from notcher.audio.recording import AudioError
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate
from notcher.listen.frames.spectrum import HOP
from notcher.listen.listener import read_frames

CONDITIONS = ("alone", "+6 dB", "0 dB")
FIGURES = (
    "contour within 50 cents", "note F1, one string at a time", "note F1, strings together", "bends found",
    "bends falsely found", "vibrato found", "attack right", "attack right, of those not picked",
)  # fmt: skip
# A figure that is better where it is lower.
_LOWER = {"bends falsely found"}


@dataclass(frozen=True, slots=True)
class Part:
    """One part of a stage. name: its function under notcher.listen, as module:function; does: what it is for; without:
    what stands in its place."""

    name: str
    does: str
    without: Callable[..., Any]


def _first(given: Any, *_: Any, **__: Any) -> Any:
    return given


def _second(_: Any, given: Any, *__: Any, **___: Any) -> Any:
    return given


def _third(_: Any, __: Any, given: Any, *___: Any, **____: Any) -> Any:
    return given


def _plain(notes: list[HeardNote]) -> list[Candidate]:
    return [Candidate(n) for n in notes]


PARTS = (
    Part("candidates.segments:_tidied", "slivers put back", _second),
    Part("candidates.segments:_joined", "one note put together", lambda trace, found: (trace, found)),
    Part("candidates.segments:_in_a_dip", "no pick in a bar's dip", lambda *_: False),
    Part("candidates.gather:_is_pitched", "noise left out", lambda *_: True),
    Part("candidates.gather:_of_the_lead", "other instruments left out", _second),
    Part("candidates.gather:with_other_strings", "strings struck together", _third),
    Part("candidates.gather:with_taps", "passages of taps", _first),
    Part("candidates.gather:with_missed", "what only the ear heard", lambda _, __, notes, *___: _plain(notes)),
    Part("candidates.gather:with_pushed", "strings pushed while another is held", lambda _, found, *__: found),
    Part("candidates.gather:without_repeats", "a delay's repeats", lambda _, found, *__: (found, [])),
    Part("candidates.single_strings:_slides_from_and_to_nowhere", "slides from and to nowhere", lambda _, s: (s, {})),
    Part("decide.choose:_together", "one stroke, one onset", _first),
    Part("decide.decide:with_hands", "which hand", _second),
    Part("decide.decide:with_techniques", "techniques by their sound", _second),
    Part("decide.decide:with_figures", "trills, graces and tremolo", _second),
    Part("decide.decide:reconciled", "the contour put on its notes", _first),
    Part("decide.decide:silenced", "the contour without repeats", _first),
)  # fmt: skip


@contextmanager
def without(part: Part | None) -> Iterator[None]:
    """While this lasts, the part does nothing."""
    if part is None:
        yield
        return
    path, function = part.name.split(":")
    module = importlib.import_module(f"notcher.listen.{path}")
    own = getattr(module, function)
    setattr(module, function, part.without)
    try:
        yield
    finally:
        setattr(module, function, own)


def phrases() -> list[tuple[int, int, str]]:
    """Set, number and condition of each."""
    return [(which, k, c) for which in (*WIDE_EVALUATION, EVALUATION_SETS[1]) for k in range(len(cases(which)))
            for c in CONDITIONS]  # fmt: skip


def of_phrase(job: tuple[int, int, str]) -> list[Tally]:
    """One phrase judged with all parts, and without each of PARTS in turn."""
    which, number, condition = job
    piece = rendered(cases(which)[number], condition)
    frames = measured_frames(piece.audio)
    out = []
    for part in (None, *PARTS):
        tally = Tally()
        with without(part):
            try:
                heard = read_frames(frames)
            except AudioError:
                silent = np.full(int(piece.audio.duration / HOP), np.nan)
                tally.add(piece.truth, silent, [], 0.0, together=piece.together)
            else:
                tally.add(piece.truth, heard.trace.cents, list(heard.notes), heard.offset.cents,
                          together=piece.together, gaps=heard.gaps)  # fmt: skip
        out.append(tally)
    return out


def section() -> str:
    """What each part is worth; the first row has the figures with all of them."""
    totals = [Tally() for _ in (None, *PARTS)]
    with ProcessPoolExecutor(2) as pool:
        for tallies in pool.map(of_phrase, phrases()):
            for total, tally in zip(totals, tallies, strict=True):
                total.join(tally)
    whole = totals[0].rows()
    lines = [
        "## What each part of listening is worth", "",
        f"`python -m benchmarks.ablate`: sets {EVALUATION_SETS[1]} and {WIDE_EVALUATION[0]}, alone and with the lead 6 dB over "
        "the band and as loud. Each row is one part replaced by one that does nothing, with all stages after it run again; the "
        "figure says how much less is right without it, and below nought that more is right without it. The figures do not ask "
        "whether a bend is called a unison bend (those over real bands do), and do not have recordings without a lead, phrases "
        "of trills and graces, or delays of long repeats.", "",
        "| part | " + " | ".join(FIGURES) + " |", "|---|" + "---|" * len(FIGURES),
    ]  # fmt: skip
    lines.append("| with all | " + " | ".join(f"{whole[f]:.3f}" for f in FIGURES) + " |")
    for part, total in zip(PARTS, totals[1:], strict=True):
        rows = total.rows()
        worth = [(rows[f] - whole[f]) if f in _LOWER else (whole[f] - rows[f]) for f in FIGURES]
        lines.append(f"| {part.does} (`{part.name}`) | " + " | ".join(f"{w:+.3f}" for w in worth) + " |")
    return "\n".join([*lines, ""])


if __name__ == "__main__":
    print(section())
