"""The bench's section on isolating: how much nearer to the stems the lead and the rest come when they are parted by the
lead's own pitches, against the place in the stereo picture alone."""

from concurrent.futures import ProcessPoolExecutor

import numpy as np
from demo.render import RATE
from numpy.typing import NDArray

from benchmarks import material
from benchmarks.material import EVALUATION_SETS, Case, cases
from notcher.audio.lead import rest
from notcher.audio.lines import Sounded, lines_of
from notcher.audio.parted import Parted
from notcher.audio.recording import Audio, AudioError
from notcher.listen.listener import listen
from notcher.score.note import LEGATO

LEVELS_DB = (6, 0)
Job = tuple[int, int, int]


def sdr_db(real: NDArray[np.float32], found: NDArray[np.float32]) -> float:
    """Scale-invariant signal-to-distortion ratio (Le Roux and others 2019, "SDR - half-baked or well done?")."""
    goal, got = real.ravel().astype(float), found.ravel().astype(float)
    part = (goal @ got) / (goal @ goal) * goal
    return float(10 * np.log10((part @ part) / ((got - part) @ (got - part) + 1e-12)))


def stems(case: Case, level_db: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The lead and all the rest, as they add up to the mix at a level; shape (2, n) each."""
    mix = case.mixed(level_db).samples
    lead, backing = case.lead.ravel().astype(float), case.without_lead().samples.ravel().astype(float)
    # The mix is the two with a gain each.
    (a, _), *_ = np.linalg.lstsq(np.stack([lead, backing], axis=1), mix.ravel().astype(float), rcond=None)
    part = (a * case.lead).astype(np.float32)
    return part, (mix - part).astype(np.float32)


def gains(job: Job) -> tuple[float, float] | None:
    """dB by which lead and rest of a phrase (set, number, level) come nearer; None where no lead was heard."""
    which, number, level = job
    case = cases(which)[number]
    lead, backing = stems(case, level)
    audio = Audio(lead + backing, RATE, 2)
    try:
        heard = listen(audio)
    except AudioError:
        return None
    offset = heard.offset.cents / 100
    played = (
        Sounded(n.onset, n.end, n.pitch + offset, n.bend.points if n.bend else (), n.attack not in LEGATO)
        for n in heard.notes
    )
    ours = Parted(audio, lines_of(played, heard.trace.cents), heard.lead).between(0.0, audio.duration)
    left = rest(audio.samples, heard.lead)
    by_place = audio.samples - left
    return (
        sdr_db(lead, ours) - sdr_db(lead, by_place),
        sdr_db(backing, audio.samples - ours) - sdr_db(backing, left),
    )


def section(sets: tuple[int, ...] = EVALUATION_SETS) -> str:
    """The medians as a table."""
    head = "## Isolation"
    if not material.available():
        return f"{head}\n\nNot measured: fluidsynth and fluid-soundfont-gm are not installed here.\n"
    lines = [head, "", "Median gain in scale-invariant SDR over the place in the stereo picture alone, on the evaluation "
             "phrases (aim: 3 dB each); in brackets the worst tenth.", "", "| lead | lead alone | all the rest |",
             "|---|---|---|"]  # fmt: skip
    with ProcessPoolExecutor(2) as pool:
        for level in LEVELS_DB:
            jobs = [(which, k, level) for which in sets for k in range(len(cases(which)))]
            table = np.array([g for g in pool.map(gains, jobs) if g is not None])
            middle, low = np.median(table, axis=0), np.quantile(table, 0.1, axis=0)
            cells = " | ".join(f"{m:+.1f} dB ({w:+.1f})" for m, w in zip(middle, low, strict=True))
            lines.append(f"| {level:+d} dB | {cells} |")
    return "\n".join([*lines, ""])


if __name__ == "__main__":
    print(section())
