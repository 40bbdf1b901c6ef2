"""How well key and chords are heard, on songs and banks of sounds that nothing was fitted on; beside plain templates.

Judged by mir_eval: chords by its weighted measures (Pauwels and Peeters 2013; Harte and others 2005 for the symbols),
keys by its weighted score.
"""

import functools
import itertools
import warnings
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from benchmarks.bands import EVALUATION, EVALUATION_BANKS, Recorded
from benchmarks.fit_chords import Measured, measured
from benchmarks.songs import mir
from notcher.audio import RATE
from notcher.harmony.grid import Grid
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


# How far apart in the row of songs two lie that are joined: their keys a fourth, a fifth or three half steps apart.
_APART = (5, 7, 9)


def joined(first: Measured, second: Measured) -> tuple[Measured, float]:
    """Two songs one after the other as one that changes its key, and when it does."""
    at = float(first.grid.edges[-1])
    by = at - float(second.grid.edges[0])
    edges = np.concatenate([first.grid.edges, second.grid.edges[1:] + by])
    notes = (*first.notes, *(replace(n, onset=n.onset + by, end=n.end + by) for n in second.notes))
    return Measured(
        Grid(edges, (*first.grid.places, *second.grid.places)), np.concatenate([first.levels, second.levels]),
        np.concatenate([first.left, second.left]), np.concatenate([first.found, second.found]), notes, float(edges[-1]),
    ), at  # fmt: skip


def _changes(songs: Sequence[tuple[Recorded, Measured]]) -> str:
    """Changes of key: songs joined in pairs, and how often a song of one key is said to change."""
    scores, found = [], 0
    for k, (first, heard_first) in enumerate(songs):
        for apart in _APART:
            second, heard_second = songs[(k + apart) % len(songs)]
            if first.song.key.signature == second.song.key.signature:
                continue
            both, at = joined(heard_first, heard_second)
            keys = heard(both).keys
            ends = [*(key.start for key in keys[1:]), both.duration]
            score = 0.0
            for key, end in zip(keys, ends, strict=False):
                for recorded, (a, b) in ((first, (0.0, at)), (second, (at, both.duration))):
                    score += max(0.0, min(end, b) - max(key.start, a)) * key_score(recorded, key.key)
            scores.append(score / both.duration)
            two_bars = 2 * 60 * max(first.song.beats / first.song.bpm, second.song.beats / second.song.bpm)
            found += any(abs(key.start - at) <= two_bars for key in keys[1:])
    false = sum(len(heard(song).keys) > 1 for _, song in songs)
    return (
        f"Changes of key: {len(scores)} pairs of these songs one after the other, their keys a fourth, a fifth or three "
        f"half steps apart. The right key over time (mir_eval's weights): {np.mean(scores):.3f}; a change within two bars "
        f"of where it is: {found} of {len(scores)}; songs of one key that are said to change: {false} of {len(songs)}.\n"
    )


def _basses(songs: Sequence[tuple[Recorded, Measured]]) -> str:
    """Chords over another bass: of the time in which one sounds and root and third are right, how much of it the bass
    is right; and how often another bass is claimed where none is."""
    right = own = wrong = plain = 0.0
    for recorded, song in songs:
        found = heard(song).chords
        ends = [*(c.start for c in found[1:]), song.duration]
        for start, end, placed in recorded.chords():
            for said, until in zip(found, ends, strict=False):
                both = min(end, until) - max(start, said.start)
                if both <= 0 or placed.chord is None or said.chord is None or said.chord.root != placed.chord.root:
                    continue
                if placed.chord.bass is not None:
                    own += both
                    right += both * (said.chord.bass == placed.chord.bass)
                else:
                    plain += both
                    wrong += both * (said.chord.bass is not None)
    return (
        f"Another bass (inversions): where one sounds under a root that is right, it is named {right / max(own, 1e-9):.2f} "
        f"of the time ({own:.0f} s); where none does, one is claimed {wrong / max(plain, 1e-9):.3f} of it ({plain:.0f} s).\n"
    )


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
        + "\n".join(lines) + "\n\n" + _changes(_judged()["lead +6 dB"]) + "\n" + _basses(_judged()["lead +6 dB"])
    )  # fmt: skip


if __name__ == "__main__":
    print(section())
