"""Bands as they were recorded: the music of free games, from Debian's own packages, fetched when first needed and kept
beside the other material, never committed. Each is told by its package and a number alone.

Development and evaluation are apart by package.
"""

import hashlib
import itertools
import random
import subprocess
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
import soundfile
from demo.render import RATE
from numpy.typing import NDArray
from scipy import signal

# Where made and fetched material lies.
KEPT = Path("/var/tmp/notcher-benchmarks")
# Seconds of each band, and the least that a recording must last to be one.
LENGTH_S, _SHORTEST_S = 34.0, 50.0
# Of the power of a band: what must be struck (drums), and what must lie below 160 Hz (a bass).
_STRUCK, _LOW = 0.14, (0.25, 0.86)


@dataclass(frozen=True)
class Source:
    """A Debian package, the licence of what is taken from it, and how many bands it gives."""

    package: str
    licence: str
    count: int


# What is learned from, whole recordings of it, with the licence of its music.
LEARNING = {
    "nexuiz-music": "GPL-2+", "extremetuxracer-data": "GPL-2+ and others", "hyperrogue-music": "CC-BY-SA-3.0",
    "singularity-music": "CC-BY-SA-3.0", "warzone2100-music": "GPL-2+",
}  # fmt: skip
# Seconds kept of each, and how far apart those lie that are numbered one after another.
_LEARN_S, _APART = 150.0, 37

DEVELOPMENT = (Source("nexuiz-music", "GPL-2+", 8), Source("extremetuxracer-data", "GPL-2+ and others", 1))
EVALUATION = (Source("supertuxkart-data", "CC-BY-SA-3.0, CC-BY-3.0, CC0 and others", 10),)


@dataclass(frozen=True)
class Band:
    """A passage of a recording. sound: shape (2, n) at RATE; number: among those of its package."""

    package: str
    number: int

    @property
    def sound(self) -> NDArray[np.float32]:
        """Shape (2, n)."""
        return np.asarray(np.load(path_of(self.package, self.number)) / 32767, np.float32)


class Learned(Band):
    """A passage from the middle of a recording that is learned from; number: any."""

    @property
    def sound(self) -> NDArray[np.float32]:
        """Shape (2, n)."""
        among = learning()
        # Neighbours are of one package: a step that shares no divisor with their number mixes them.
        kept = np.load(among[self.number * _APART % len(among)], mmap_mode="r")
        n = min(int(LENGTH_S * RATE), kept.shape[1])
        at = (kept.shape[1] - n) // 2
        return np.asarray(kept[:, at : at + n] / 32767, np.float32)


def learned(number: int) -> Band:
    """A passage of what is learned from."""
    return Learned("learning", number)


def path_of(package: str, number: int) -> Path:
    """Where a band's passage is kept."""
    return KEPT / "bands" / f"{package}-{number}.npy"


def bands(sources: tuple[Source, ...]) -> list[Band]:
    """The bands of some packages, fetched where they are not there yet. Raises OSError where they cannot be had."""
    for source in sources:
        if not path_of(source.package, source.count - 1).exists():
            _fetch(source)
    return [Band(s.package, k) for s in sources for k in range(s.count)]


def _fetch(source: Source) -> None:
    """Keep the passages of a package."""
    with _recordings(source.package) as found:
        passages = (p for p in map(_passage, found) if p is not None)
        kept = list(itertools.islice(passages, source.count))
    if len(kept) < source.count:
        raise OSError(f"{source.package} gives {len(kept)} bands, not {source.count}: set its count to that")
    for number, passage in enumerate(kept):
        _keep(path_of(source.package, number), passage)


def _keep(path: Path, sound: NDArray[np.float32]) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    np.save(path, np.round(sound * 32767).clip(-32767, 32767).astype(np.int16))


@contextmanager
def _recordings(package: str) -> Iterator[list[Path]]:
    """The recordings of a package that last long enough, in the order of their content's hash, while this lasts."""
    with tempfile.TemporaryDirectory() as folder:
        done = subprocess.run(["apt-get", "download", package], cwd=folder, capture_output=True, text=True)
        if done.returncode:
            raise OSError(f"{package} cannot be fetched: {done.stderr.strip()}")
        (archive,) = Path(folder).glob("*.deb")
        subprocess.run(["dpkg", "-x", archive, folder], check=True)
        for packed in Path(folder).rglob("*.pk3"):
            with zipfile.ZipFile(packed) as z:
                z.extractall(packed.parent, [n for n in z.namelist() if n.endswith(".ogg")])
        named = (p for kind in ("*.ogg", "*.opus") for p in Path(folder).rglob(kind) if "_fast" not in p.name)
        found = [p for p in named if p.is_file() and not p.is_symlink() and _lasts(p) > _SHORTEST_S]
        yield sorted(found, key=lambda p: hashlib.sha256(p.read_bytes()).hexdigest())


@cache
def learning() -> tuple[Path, ...]:
    """Files of the recordings that are learned from, each an array of 16 bits, shape (2, n) at RATE."""
    folder = KEPT / "learning"
    for package in LEARNING:
        done = folder / f"{package}.done"
        if not done.exists():
            with _recordings(package) as found:
                for number, path in enumerate(found):
                    _keep(folder / f"{package}-{number}.npy", _resampled(*_read(path, _LEARN_S)))
            done.write_text("")
    return tuple(sorted(folder.glob("*.npy")))


def passage_to_learn(dice: random.Random, length: int) -> NDArray[np.float32]:
    """A passage of any recording that is learned from, shape (2, length), higher or lower by up to two half steps."""
    factor = 2 ** (dice.uniform(-2, 2) / 12)
    wanted = int(length * factor) + 1
    kept = np.load(dice.choice(learning()), mmap_mode="r")
    at = dice.randrange(max(1, kept.shape[1] - wanted))
    part = np.asarray(kept[:, at : at + wanted], np.float32) / 32767
    part = np.pad(part, ((0, 0), (0, max(0, wanted - part.shape[1]))), mode="wrap")
    where = np.arange(length) * factor
    return np.stack([np.interp(where, np.arange(wanted), channel) for channel in part]).astype(np.float32)


def _read(path: Path, seconds: float) -> tuple[NDArray[np.float32], int]:
    """Both channels of so much of a file, from a tenth of it on, and its rate."""
    info = soundfile.info(str(path))
    first = int(0.1 * info.frames)
    sound, rate = soundfile.read(
        str(path), int(seconds * info.samplerate), start=first, dtype="float32", always_2d=True
    )  # fmt: skip
    return np.asarray(sound.T[[0, -1]], np.float32), rate


def _resampled(sound: NDArray[np.float32], rate: int) -> NDArray[np.float32]:
    return sound if rate == RATE else np.asarray(signal.resample_poly(sound, RATE, rate, axis=1), np.float32)


def _lasts(path: Path) -> float:
    return float(soundfile.info(str(path)).duration)


def _passage(path: Path) -> NDArray[np.float32] | None:
    """The loudest passage of LENGTH_S, shape (2, n); None where no drums or no bass play in it."""
    sound, rate = soundfile.read(str(path), dtype="float32", always_2d=True)
    sound = sound.T[[0, -1]]
    n = int(LENGTH_S * rate)
    power = np.concatenate(([0.0], np.cumsum(sound.mean(axis=0, dtype=np.float64) ** 2)))
    starts = np.arange(0, sound.shape[1] - n, rate)
    at = int(starts[np.argmax(power[starts + n] - power[starts])])
    passage = sound[:, at : at + n]
    passage = _resampled(passage, rate)
    return passage if _is_a_band(passage) else None


def _is_a_band(sound: NDArray[np.float32]) -> bool:
    import librosa
    from librosa.decompose import hpss

    spectrum = np.abs(librosa.stft(librosa.resample(sound.mean(axis=0), orig_sr=RATE, target_sr=22050)))
    whole = float((spectrum**2).sum())
    _, struck = hpss(spectrum)
    low = float((spectrum[librosa.fft_frequencies(sr=22050) < 160] ** 2).sum()) / whole
    return float((struck**2).sum()) / whole > _STRUCK and _LOW[0] < low < _LOW[1]
