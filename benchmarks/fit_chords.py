"""Fits what harmony/ hears chords and keys by, on the development songs of benchmarks/bands.py.

Run: python -m benchmarks.fit_chords (needs what make demo-data needs; some 20 minutes, or 2 once the songs are kept).
"""

import functools
import os
import pickle
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from benchmarks.bands import DEVELOPMENT, Recorded
from benchmarks.truth import ROOT
from notcher.audio.recording import AudioError
from notcher.audio.wiener import Lines
from notcher.beat.hear_beats import guess_beats
from notcher.harmony.chord_ear import N_CHORDS, NONE, ChordNet, signs_of_none
from notcher.harmony.features import SIZE, by_root, loudness, tones
from notcher.harmony.grid import Grid, grid
from notcher.harmony.hearing import TRUST, said_of, third_of
from notcher.harmony.path import chances, chances_of_change, likeliest
from notcher.harmony.spectrum import Levels, beneath
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.listener import listen
from notcher.pipeline.isolate import lines_heard
from notcher.score.chord import HEARD, Chord
from notcher.score.isolation import FIND_OUT

OUT = ROOT / "src/notcher/data/chords.npz"
KEPT = Path(os.environ.get("NOTCHER_BENCHMARKS", "/var/tmp/notcher-benchmarks"))
_HIDDEN, _ROUNDS, _DECAY = 24, 250, 3e-5
# Rises when what is kept of a song is measured in another way.
_VERSION = 2
# Share of a beat that a chord fills to be its own.
_OWN = 0.6


@dataclass(frozen=True, eq=False)
class Measured:
    """What is heard of one song. alone: whether nothing but the lead sounds."""

    grid: Grid
    levels: Levels
    left: Levels
    found: Levels
    notes: tuple[HeardNote, ...]
    duration: float


def measured(recorded: Recorded) -> Measured:
    """One song as the program hears it; kept, as it takes seconds."""
    path = KEPT / f"song{_VERSION}-{recorded.seed}-{int(recorded.judged)}-{recorded.lead_db:g}-{int(recorded.mono)}.pkl"
    if path.exists():
        return pickle.loads(path.read_bytes())
    audio = recorded.audio
    notes: tuple[HeardNote, ...] = ()
    lines, offset, lead = Lines(np.zeros((0, 1)), 0.005, np.zeros(0)), 0.0, FIND_OUT
    try:
        heard = listen(audio)
        notes, offset, lines, lead = heard.notes, heard.offset.cents, lines_heard(heard), heard.lead
    except AudioError:
        # A band by itself: there is nothing to take out of it.
        pass
    beats = grid(guess_beats(audio), audio.duration)
    under = beneath(audio, lines, beats.edges, lead=lead, offset_cents=offset)
    out = Measured(beats, under.levels, under.left, tones(under.levels), notes, audio.duration)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(pickle.dumps(out))
    return out


def number(chord: Chord | None) -> int:
    """A chord as chord_ear numbers it."""
    return NONE if chord is None else chord.root.pitch_class * len(HEARD) + HEARD.index(chord.kind)


def truth(recorded: Recorded, edges: NDArray[np.float64]) -> NDArray[np.int64]:
    """The chord that fills each beat, -1 where two share it."""
    played = recorded.chords()
    out = np.full(len(edges) - 1, -1)
    for k in range(len(out)):
        shares = [(min(end, edges[k + 1]) - max(start, edges[k]), number(c.chord)) for start, end, c in played]
        share, chord = max(shares)
        if share <= 0:
            out[k] = NONE
        elif share >= _OWN * (edges[k + 1] - edges[k]):
            out[k] = chord
    return out


def _loss(
    packed: NDArray[np.float64], x: NDArray[np.float64], y: NDArray[np.int64]
) -> tuple[float, NDArray[np.float64]]:
    """Mean cross-entropy with decay, and its gradient."""
    net, n = unpacked(packed), len(x)
    hidden = np.tanh(x @ net.hidden + net.hidden_bias)
    signs = signs_of_none(x)
    logits = np.concatenate(
        [(hidden @ net.out + net.out_bias).reshape(n, -1), (signs @ net.none)[:, None]], axis=1
    )  # fmt: skip
    logits -= logits.max(axis=1, keepdims=True)
    share = np.exp(logits)
    share /= share.sum(axis=1, keepdims=True)
    loss = -float(np.log(share[np.arange(n), y] + 1e-12).mean())
    share[np.arange(n), y] -= 1
    share /= n
    out = share[:, :N_CHORDS].reshape(n, 12, len(HEARD))
    back = (out @ net.out.T) * (1 - hidden**2)
    slope = np.concatenate([
        np.einsum("nrd,nrh->dh", x, back).ravel(), back.sum((0, 1)), np.einsum("nrh,nrk->hk", hidden, out).ravel(),
        out.sum((0, 1)), signs.T @ share[:, NONE],
    ])  # fmt: skip
    return loss + _DECAY * float(packed @ packed), slope + 2 * _DECAY * packed


def unpacked(packed: NDArray[np.float64]) -> ChordNet:
    """The network whose weights follow one another."""
    shapes = ((SIZE, _HIDDEN), (_HIDDEN,), (_HIDDEN, len(HEARD)), (len(HEARD),), (3,))
    ends = np.cumsum([int(np.prod(s)) for s in shapes])
    return ChordNet(*(part.reshape(s) for part, s in zip(np.split(packed, ends[:-1]), shapes, strict=True)))


def fitted(songs: list[tuple[Recorded, Measured]]) -> ChordNet:
    """The network that says these songs' chords best."""
    from scipy.optimize import minimize

    x = np.concatenate([by_root(m.found, loudness(m.levels)) for _, m in songs])
    y = np.concatenate([truth(r, m.grid.edges) for r, m in songs])
    x, y = x[y >= 0], y[y >= 0]
    size = SIZE * _HIDDEN + _HIDDEN + _HIDDEN * len(HEARD) + len(HEARD) + 3
    start = np.random.default_rng(0).normal(0, 0.2, size)
    found: Any = minimize(_loss, start, (x, y), jac=True, method="L-BFGS-B", options={"maxiter": _ROUNDS})
    return unpacked(found.x)


@functools.cache
def development() -> list[tuple[Recorded, Measured]]:
    """All songs that may be fitted on."""
    songs = [Recorded(seed, mono=mono) for mono in (False, True) for seed in DEVELOPMENT]
    with ProcessPoolExecutor() as pool:
        return list(zip(songs, pool.map(measured, songs), strict=True))


def calibration() -> tuple[float, float]:
    """By what the log-odds that the path gives its chords are shifted and stretched to be true: among development songs,
    each read by a network fitted on the other half."""
    from sklearn.linear_model import LogisticRegression

    songs = [song for song in development() if not song[0].mono]
    said: list[float] = []
    right: list[bool] = []
    for half in (0, 1):
        net = fitted(songs[1 - half :: 2])
        for recorded, song in songs[half::2]:
            logits = net.logits(by_root(song.found, loudness(song.levels)))
            logits -= logits.max(axis=1, keepdims=True)
            ear = TRUST * (logits - np.log(np.exp(logits).sum(axis=1, keepdims=True)))
            change, prior = chances_of_change(song.grid.places), np.full(N_CHORDS + 1, -np.log(N_CHORDS + 1))
            path, chance = likeliest(ear, change, prior), chances(ear, change, prior)
            starts = [0, *(k for k in range(1, len(path)) if path[k] != path[k - 1])]
            true = truth(recorded, song.grid.edges)
            for first, last in zip(starts, [*starts[1:], len(path)], strict=True):
                beats = true[first:last][true[first:last] >= 0].tolist()
                said += [said_of(chance[first:last].mean(axis=0), int(path[first]))] * len(beats)
                right += [_alike(int(path[first]), chord) for chord in beats]
    odds = np.clip(said, 1e-4, 1 - 1e-4)
    found = LogisticRegression().fit(np.log(odds / (1 - odds))[:, None], right)
    return float(found.intercept_[0]), float(found.coef_[0, 0])


def _alike(one: int, other: int) -> bool:
    """Whether two chords have root and third in common."""
    if NONE in (one, other):
        return one == other
    (root, kind), (other_root, other_kind) = divmod(one, len(HEARD)), divmod(other, len(HEARD))
    return root == other_root and third_of(HEARD[kind]) == third_of(HEARD[other_kind])


def main() -> None:
    """Fit and keep."""
    net = fitted(development())
    arrays = {
        name: getattr(net, name).astype(np.float32) for name in ("hidden", "hidden_bias", "out", "out_bias", "none")
    }
    np.savez_compressed(OUT, **arrays)
    print(OUT, sum(a.size for a in arrays.values()), "weights")
    print("calibration for harmony/hearing.py:", calibration())


if __name__ == "__main__":
    main()
