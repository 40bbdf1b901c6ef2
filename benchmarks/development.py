"""What the models are fitted on, job by job: phrases and songs of every kind under several conditions, with what was
played in them and their frames, which are measured once and kept for the fits that come after.

Run: python -m benchmarks.development (measures all of it; needs fluidsynth, fluid-soundfont-gm, and what
benchmarks/recorded.py and benchmarks/circuits.py need). Nothing that is kept for judging is here.
"""

import hashlib
import os
import pickle
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import cache, lru_cache, partial
from pathlib import Path
from typing import NamedTuple, Protocol

from tools.models import code_hash

from benchmarks import legato, listening, material, real_bands, takes, varied
from benchmarks.recorded import DEVELOPMENT as BANDS
from benchmarks.recorded import KEPT, LENGTH_S, bands, learned
from benchmarks.truth import ROOT, Truth
from notcher.audio.recording import Audio
from notcher.audio.survey import survey
from notcher.listen.frames.measure import Frames, Setup, measure_frames
from notcher.listen.frames.stereo_position import propose_isolation

FROM_BACKINGS = ("alone", "+6 dB", "0 dB")
FROM_BANDS = ("alone", "0 dB", "-6 dB")
NO_LEAD = "no lead"
"""The condition under which only what accompanies plays."""
# How many songs over recordings that are learned from, and how many bands alone.
_SONGS, _BANDS_ALONE = 20, 40
# Of the plain sets and of those whose backings alone are asked for a lead, so many.
_SETS, _BACKINGS = 1, 2
# Jobs that one process takes at a time: whole phrases, whose sound is made once for all their conditions.
_CHUNK = 12
# What frames depend on beside the material: if any of it changes, they are measured anew. Where the lead sounds is asked
# of frames afterwards.
_MEASURED_BY, _ASKED_LATER = ("src/notcher/listen/frames", "src/notcher/audio"), "voicing.py"
_NETWORKS = ("ear.onnx",)


class Phrase(Protocol):
    """What is played: see benchmarks/varied.py."""

    @property
    def truth(self) -> Truth:
        """What was played."""

    def audio(self, condition: str) -> Audio:
        """How it was recorded."""


class Job(NamedTuple):
    """One recording. source: a row of SOURCES; number: among that source's."""

    source: str
    number: int
    condition: str

    @property
    def phrase(self) -> str:
        """What all its conditions have in common."""
        return f"{self.source} {self.number}"


class _Case:
    """A phrase of benchmarks/material.py."""

    def __init__(self, which: int, number: int) -> None:
        self._case = material.cases(which)[number]

    @property
    def truth(self) -> Truth:
        return listening.truth_of(self._case)

    def audio(self, condition: str) -> Audio:
        return self._case.without_lead() if condition == NO_LEAD else listening.rendered(self._case, condition).audio


class _BandAlone:
    """A recorded band in which no lead was played by us; what else it holds is not known."""

    def __init__(self, number: int) -> None:
        self._band = bands(BANDS)[number] if number < sum(s.count for s in BANDS) else learned(number)

    @property
    def truth(self) -> Truth:
        raise ValueError("of a band alone it is not known what plays; ask only whether a lead is there")

    def audio(self, _condition: str) -> Audio:
        return real_bands.normalized(self._band.sound)


SOURCES: dict[str, Callable[[int], Phrase]] = {
    **{f"set {which}": partial(_Case, which) for which in material.SETS},
    "varied": varied.Piece,
    "legato": legato.Phrase,
    "lesson": takes.Lesson,
    "song": lambda k: real_bands.songs("development")[k],
    "learned song": real_bands.learned_song,
    "band": _BandAlone,
}
"""Each kind of material, and how one of it is had by its number."""


@lru_cache(maxsize=2)
def _phrase(source: str, number: int) -> Phrase:
    return SOURCES[source](number)


def phrases() -> list[Job]:
    """Every phrase and song under every condition, alone first."""
    plain, wide = material.DEVELOPMENT_SETS[:_SETS], material.WIDE_DEVELOPMENT
    numbers: dict[str, tuple[range, tuple[str, ...]]] = {
        **{f"set {w}": (range(len(material.cases(w))), FROM_BACKINGS) for w in (*plain, *wide)},
        "varied": (varied.DEVELOPMENT, FROM_BACKINGS),
        "song": (range(len(real_bands.songs("development"))), FROM_BANDS),
        "learned song": (range(_SONGS), FROM_BANDS),
    }
    return [
        Job(source, k, c)
        for source, (some, conditions) in numbers.items() for k in some for i, c in enumerate(conditions)
        # Of what there is most of, two conditions a phrase are enough.
        if source != "varied" or i != k % len(conditions)
    ]  # fmt: skip


def without_lead() -> list[Job]:
    """Backings and bands alone, of which some bands may have a melody of their own."""
    backings = material.BACKING_SETS[:_BACKINGS]
    jobs = [Job(f"set {w}", k, NO_LEAD) for w in backings for k in range(len(material.cases(w)))]
    return jobs + [Job("band", k, NO_LEAD) for k in range(_BANDS_ALONE)]


def truth_of(job: Job) -> Truth:
    """What was played, as far as the recording goes."""
    truth = _phrase(job.source, job.number).truth
    if "song" not in job.source or job.condition == "alone":
        return truth
    end = LENGTH_S - 0.3
    return Truth([n for n in truth.notes if n["onset"] < end], truth.offset_cents, truth.strings, truth.audible)


def frames_of(job: Job) -> Frames:
    """A job as measured, kept for the next time as long as what measures is the same."""
    path = KEPT / "frames" / _measuring() / f"{job.source}-{job.number}-{job.condition}.pkl".replace(" ", "_")
    if path.exists():
        return _read(path)
    frames = measured_frames(_phrase(job.source, job.number).audio(job.condition))
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_suffix(f".{os.getpid()}")
    part.write_bytes(pickle.dumps(frames))
    part.replace(path)
    return frames


def _read(path: Path) -> Frames:
    found = pickle.loads(path.read_bytes())
    assert isinstance(found, Frames)
    return found


def measured_frames(audio: Audio) -> Frames:
    """A recording's frames, isolated as the program proposes."""
    found = survey(audio)
    setup = Setup(propose_isolation(audio, found).lead, not found.bass)
    *_, (frames, _share) = measure_frames(audio, setup, start=0.0, end=audio.duration)
    return frames


@cache
def _measuring() -> str:
    whole = hashlib.sha256()
    for path in sorted(p for folder in _MEASURED_BY for p in (ROOT / folder).rglob("*.py") if p.name != _ASKED_LATER):
        whole.update(code_hash(path.read_text(encoding="utf-8")).encode())
    for name in _NETWORKS:
        whole.update((ROOT / "src/notcher/data" / name).read_bytes())
    return whole.hexdigest()[:16]


def folds(jobs: list[Job], count: int) -> list[int]:
    """To which of so many parts each job belongs: all conditions of one phrase to one."""
    number = {name: k for k, name in enumerate(dict.fromkeys(job.phrase for job in jobs))}
    return [number[job.phrase] % count for job in jobs]


def _measured(job: Job) -> str:
    frames_of(job)
    return f"{job.phrase}, {job.condition}"


def _all_measured(jobs: list[Job]) -> Iterator[str]:
    with ProcessPoolExecutor(2) as pool:
        yield from pool.map(_measured, jobs, chunksize=_CHUNK)


def main() -> None:
    """Measure all that is not measured yet, of the sources named if any are."""
    wanted = sys.argv[1:] or list(SOURCES)
    jobs = [j for j in (*phrases(), *without_lead()) if j.source in wanted]
    for k, told in enumerate(_all_measured(jobs), 1):
        print(f"{k} of {len(jobs)}: {told}", flush=True)


if __name__ == "__main__":
    main()
