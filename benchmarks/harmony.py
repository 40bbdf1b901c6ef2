"""How well key and chords are heard, on songs and banks of sounds that nothing was fitted on; beside plain templates.

Judged by mir_eval: chords by its weighted measures (Pauwels and Peeters 2013; Harte and others 2005 for the symbols),
keys by its weighted score.
"""

import functools
import itertools
import warnings
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from numpy.typing import NDArray

from benchmarks.bands import EVALUATION, EVALUATION_BANKS, Recorded
from benchmarks.fit_chords import Measured, measured
from benchmarks.songs import mir
from notcher.audio import RATE
from notcher.harmony.hearing import Harmony, read
from notcher.score.key import Key

_MEASURES = ("root", "majmin", "thirds", "sevenths", "mirex")
_MONO = EVALUATION[:18]
# Krumhansl and Kessler 1982, "Tracing the dynamic changes in perceived tonal organization", table of probe tone ratings.
_PROFILES = {
    "major": (6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88),
    "minor": (6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17),
}


def heard(song: Measured) -> Harmony:
    """Key and chords as the program has them."""
    return read(song.grid, song.levels, song.left, song.found, [(n.onset, n.end, n.pitch) for n in song.notes])


def chord_scores(recorded: Recorded, edges: Sequence[float], labels: Sequence[str]) -> dict[str, float]:
    """mir_eval's measures of chords that last from each edge to the next."""
    import mir_eval

    played = recorded.chords()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        found = mir_eval.chord.evaluate(
            np.array([(a, b) for a, b, _ in played]), [mir(c.chord) for *_, c in played],
            np.array(list(itertools.pairwise(edges))), list(labels),
        )  # fmt: skip
    # Of power chords alone none of these says anything.
    told = [m for m in _MEASURES if recorded.song.style != "riff" or m == "root"]
    return {m: float(found[m]) for m in told}


def key_score(recorded: Recorded, key: Key | None) -> float:
    """mir_eval's weighted score, church modes by their third."""
    import mir_eval

    if key is None:
        return 0.0
    said, true = (f"{k.tonic.plain()} {'minor' if k.minor else 'major'}" for k in (key, recorded.song.key))
    return float(mir_eval.key.weighted_score(true, said))


def ours(job: tuple[Recorded, Measured]) -> dict[str, float]:
    """Of one song."""
    recorded, song = job
    found = heard(song)
    edges = [*(c.start for c in found.chords), song.duration]
    scores = chord_scores(recorded, edges, [mir(c.chord) for c in found.chords])
    long = max(found.keys, key=lambda k: _lasts(found, k.start, song.duration), default=None)
    return scores | {"key": key_score(recorded, long.key if long else None)}


def _lasts(found: Harmony, start: float, duration: float) -> float:
    return min([k.start for k in found.keys if k.start > start], default=duration) - start


def templates(job: tuple[Recorded, Measured]) -> dict[str, float]:
    """Of one song by plain means: the nearest of 24 triads to librosa's chroma in each beat (Fujishima 1999), smoothed
    over three beats, and the key profile that correlates best."""
    import librosa

    recorded, song = job
    audio = recorded.audio
    sound = librosa.resample(audio.samples.mean(axis=0), orig_sr=RATE, target_sr=22050)
    chroma = librosa.feature.chroma_cqt(y=sound, sr=22050, hop_length=1024)
    times = np.arange(chroma.shape[1]) * 1024 / 22050
    at = np.searchsorted(song.grid.edges, times, side="right") - 1
    beats = np.array(
        [chroma[:, at == k].mean(axis=1) if (at == k).any() else np.zeros(12) for k in range(len(song.levels))]
    )
    smooth = np.array([beats[max(0, k - 1) : k + 2].mean(axis=0) for k in range(len(beats))])
    names = [
        f"{['C', 'C#', 'D', 'D#', 'E', 'F', 'F#', 'G', 'G#', 'A', 'A#', 'B'][root]}:{kind}"
        for root in range(12)
        for kind in ("maj", "min")
    ]
    rows = np.array([_triad(root, third) for root in range(12) for third in (4, 3)])
    labels = [names[k] for k in np.argmax(smooth @ rows.T, axis=1)]
    best = max(
        (float(np.corrcoef(np.roll(profile, tonic), chroma.mean(axis=1))[0, 1]), tonic, mode)
        for mode, profile in _PROFILES.items() for tonic in range(12)
    )  # fmt: skip
    return chord_scores(recorded, song.grid.edges.tolist(), labels) | {
        "key": key_score(recorded, Key.of(best[1], best[2]))
    }


def _triad(root: int, third: int) -> NDArray[np.float64]:
    out = np.zeros(12)
    out[[root, (root + third) % 12, (root + 7) % 12]] = 1 / np.sqrt(3)
    return out


@functools.cache
def _judged() -> dict[str, list[tuple[Recorded, Measured]]]:
    sets = {
        "lead +6 dB": [Recorded(seed, judged=True) for seed in EVALUATION],
        "lead +6 dB, mono": [Recorded(seed, judged=True, mono=True) for seed in _MONO],
    }
    with ProcessPoolExecutor() as pool:
        return {name: list(zip(songs, pool.map(measured, songs), strict=True)) for name, songs in sets.items()}


def _mean(rows: Sequence[dict[str, float]], what: str) -> float:
    return float(np.mean([r[what] for r in rows if what in r]))


def section() -> str:
    """The section of the page."""
    missing = [bank.name for bank in EVALUATION_BANKS if not bank.exists()]
    if missing:
        return f"## Key and chords\n\nNot measured: {', '.join(missing)} are not installed here.\n"
    found: dict[str, list[dict[str, float]]] = {}
    with ProcessPoolExecutor() as pool:
        for name, songs in _judged().items():
            found[name] = list(pool.map(ours, songs))
        found["plain templates, lead +6 dB"] = list(pool.map(templates, _judged()["lead +6 dB"]))
    head = ("", "songs", "root", "major or minor", "thirds", "sevenths", "mirex", "key, weighted")
    rows = [(name, str(len(r)), *(f"{_mean(r, m):.3f}" for m in (*_MEASURES, "key"))) for name, r in found.items()]
    lines = ["| " + " | ".join(head) + " |", "|" + "---|" * len(head), *("| " + " | ".join(r) + " |" for r in rows)]
    return (
        "## Key and chords\n\n"
        f"{len(EVALUATION)} invented songs (benchmarks/songs.py) in all keys, 60 to 160 bpm, played by bands of two banks "
        "of sounds that nothing was fitted on (csound-soundfont, opl3-soundfont), with a lead 6 dB over them; fitted on "
        "80 songs of fluid-soundfont-gm, keys on songs that were never played. The beat is the one that is heard. Aims: "
        "major or minor 0.85 (mono 0.75), key 0.90. Mean of songs; those of power chords alone count for the root only.\n\n"
        + "\n".join(lines) + "\n"
    )  # fmt: skip


if __name__ == "__main__":
    print(section())
