"""What many tests need: folders of their own, small projects, the demo decoded and measured once."""

import hashlib
import importlib.util
import os
import shutil
from pathlib import Path

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.score.note import Attack, Bend, BendKind, Mark, Note, Vibrato
from notcher.score.project import Contour, Phrase, Project, Recording, Request
from notcher.score.tempo import TempoMap

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "src/notcher/data/demo/pellan-quay-demo.notcher"


def _compiled_functions_of_our_own() -> None:
    """numba keeps what it compiles for librosa. Two processes that do so at once in one folder can leave a mixture of
    both, at which every later process crashes: each worker keeps its own, the commands it starts with it. It begins
    with what set-up compiled, under the names numba looks for."""
    own = ROOT / ".pytest_cache" / "compiled" / os.environ.get("PYTEST_XDIST_WORKER", "alone")
    spec = importlib.util.find_spec("librosa")
    assert spec is not None
    assert spec.origin is not None
    if not own.exists():
        for kept in Path(spec.origin).parent.rglob("__pycache__/*.nb[ci]"):
            source = kept.parent.parent
            folder = own / f"{source.name}_{hashlib.sha1(str(source).encode()).hexdigest()}"
            folder.mkdir(parents=True, exist_ok=True)
            shutil.copy2(kept, folder)
    os.environ["NUMBA_CACHE_DIR"] = str(own)


_compiled_functions_of_our_own()


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The window is driven whole in tests/app: none of that is for a quick look."""
    for item in items:
        if "app" in item.path.relative_to(ROOT / "tests").parts:
            item.add_marker("slow")


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    """Settings, recovery journals and the demo's copy of each test lie in folders of its own."""
    folder = tmp_path_factory.mktemp("own")
    for name in ("CONFIG", "STATE", "DATA", "CACHE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(folder / name.lower()))


def note(number: int, onset: float, string: int, fret: int, *, length: float = 0.3, **more: object) -> Note:
    """A short way to a note."""
    return Note(f"n{number}", onset, onset + length, string, fret, **more)  # type: ignore[arg-type]


def small_project() -> Project:
    """Eight notes with one of everything the formats must carry, two phrases, a beat every half second."""
    notes = (
        note(1, 1.0, 3, 9, length=0.5),
        note(2, 1.5, 3, 11, length=0.5, attack=Attack.HAMMER),
        note(3, 2.0, 3, 11, length=0.5, bend=Bend(BendKind.BEND, 200, ((0.0, 0.0), (0.2, 203.0), (0.5, 201.0))),
             vibrato=Vibrato(5.4, 31.0, 0.25)),
        note(4, 2.5, 3, 9, length=0.5, attack=Attack.PULL),
        note(5, 4.0, 2, 10, length=0.25, bend=Bend(BendKind.PRE_BEND_RELEASE, 200, ((0.0, 199.0), (0.2, 0.0)))),
        note(6, 4.25, 2, 12, length=0.25, attack=Attack.SLIDE),
        note(7, 4.5, 1, 17, length=0.5, attack=Attack.TAP, confirmed=True),
        note(8, 5.0, 6, 12, length=1.0, marks=frozenset({Mark.NATURAL_HARMONIC}), doubt="buried under the organ",
             confidence=0.4),
    )  # fmt: skip
    return Project(
        Recording("solo.wav", "ab" * 32, 8.0, 44100, 2),
        offset_cents=-14.0,
        request=Request("Low Tide", "The Invented", "Ansa", "Pellan Quay Music Room", "free"),
        notes=notes,
        phrases=(Phrase("p1", "First", 0.9, 3.5), Phrase("p2", "Second", 3.5, 7.0)),
        tempo=TempoMap.steady(120, first_beat=0.0, count=20),
        contour=Contour(0.0, 0.005, (-1,) * 200 + (64000,) * 200, (0,) * 200 + (90,) * 200),
    )


@pytest.fixture
def project() -> Project:
    return small_project()


def hz(midi: float) -> float:
    """Of a MIDI pitch, at A = 440."""
    return float(440 * 2 ** ((midi - 69) / 12))


def tone(hz: float, seconds: float, *, cents: np.ndarray | None = None, decay: float = 1.5) -> np.ndarray:
    """A plucked sound of ten partials, shape (n,): the tests' own, not the program's. cents: its pitch over time."""
    n = round(seconds * RATE)
    t = np.arange(n) / RATE
    bent = np.zeros(n) if cents is None else np.interp(t, np.linspace(0, seconds, len(cents)), cents)
    phase = 2 * np.pi * np.cumsum(hz * 2 ** (bent / 1200)) / RATE
    out = sum(np.sin(k * phase) / k for k in range(1, 11))
    return (0.2 * out * np.exp(-decay * t) * np.clip(t / 0.004, 0, 1)).astype(np.float32)


def fifths(*roots: int) -> np.ndarray:
    """Fifths struck one after another, half a second each, shape (n,). roots: MIDI pitches."""
    return np.concatenate([sum(tone(hz(p), 0.5) for p in (root, root + 7)) / 2 for root in roots])


def two_leads() -> np.ndarray:
    """Two lines as loud, one left and one right, struck at times of their own, shape (2, n)."""
    first = np.concatenate([tone(hz(p), 0.5) for p in (64, 67, 69, 72, 71, 67) * 2])
    second = np.concatenate([tone(hz(p), 0.43) for p in (69, 71, 72, 76, 74, 72, 71) * 2])
    n = min(len(first), len(second))
    first, second = first[:n], second[:n]
    return np.asarray(0.5 * np.stack([first + 0.15 * second, 0.15 * first + second]), np.float32)


def write_audio(path: Path, samples: np.ndarray, rate: int = RATE) -> Path:
    """Write samples shaped (n,) or (channels, n) with a general-purpose library, in the format of the ending."""
    import soundfile

    soundfile.write(str(path), np.atleast_2d(samples).T, rate)
    return path


@pytest.fixture(scope="session")
def lick() -> np.ndarray:
    """Four plucked notes in 2.2 s, mono: E4, G4, A4 bent up a whole step, A4."""
    rest = np.zeros(round(0.15 * RATE), np.float32)
    up = np.concatenate([np.zeros(30), np.linspace(0, 200, 25), np.full(45, 200)])
    parts = [tone(329.63, 0.45), tone(392.0, 0.45), tone(440.0, 0.7, cents=up), tone(440.0, 0.4)]
    return np.concatenate([x for p in parts for x in (rest[: RATE // 50], p)] + [rest])


@pytest.fixture
def lick_file(tmp_path: Path, lick: np.ndarray) -> Path:
    return write_audio(tmp_path / "lick.wav", lick)


@pytest.fixture(scope="session")
def demo() -> Project:
    """The shipped demo project."""
    from notcher.formats import project_file

    return project_file.load(DEMO)


@pytest.fixture(scope="session")
def demo_path() -> Path:
    """Where it lies, with its recording beside it."""
    return DEMO


@pytest.fixture(scope="session", autouse=True)
def _headless() -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
