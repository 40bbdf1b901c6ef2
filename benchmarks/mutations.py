"""Damaged and hostile files, thousands of each kind that Notcher reads: whatever is in them, the worst that comes of it
is one sentence.

Good files are made, then spoiled in one to four places: bytes turned, cut out, doubled or put in, numbers beyond all
measure, values of another type, letters that are none. A reader may refuse with a NotcherError and with nothing else,
in under 2 s of computing and with under 500 MB more memory than before.

Run: python -m benchmarks.mutations [COUNT] [KIND ...]
"""

import copy
import io
import json
import os
import random
import re
import resource
import signal
import sys
import tempfile
import time
import traceback
import zipfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import FrameType
from typing import Any
from xml.etree import ElementTree

LONGEST_S, MOST_MEMORY = 2.0, 500_000_000
_HANGS_S = 30
Reader = Callable[[Path], object]


@dataclass(frozen=True)
class Kind:
    """ending: of its files; seeds: good ones; read: what Notcher does with one."""

    name: str
    ending: str
    seeds: tuple[bytes, ...]
    read: Reader


# -- how files are spoiled -------------------------------------------------------------------------------------------

_NUMBERS = (
    b"1e99999999", b"-1", b"0", b"NaN", b"Infinity", b"-Infinity", b"9" * 5000, b"1e308", b"3.0", b"0.0000001", b"1e12",
    "\u00b2".encode(), "\u0663".encode(), b"true", b"null", b'"7"', b"-9999999999999999999", b"1/0", b"0x10", b" ", b"",
)  # fmt: skip
_PIECES = (
    b" " * 100_000, b"[" * 20_000, b"<a>" * 5_000, b"\\ud800", b"\xff\xfe", b"\x00", b"\xed\xa0\x80", b"-" * 50_000, b"|", b'"',
    b"{", b"}", b"]", b",", b"&lt;", b"&#0;", b"\x1b[31m", "\u202e\u0627".encode(), "\U0001f3b8".encode(), b"\r", b"\n" * 5000,
)  # fmt: skip
_ODD_VALUES: tuple[Any, ...] = (
    None, "", [], {}, -1, 0, 1, 2, 3, 7, 0.5, 100, 5000.0, "1/3", "p1", "n1", 1e12, 3.0, True, "x" * 3000, float("nan"), float("inf"), "\ud800", 10**18, [[[[]]]], "\u00b2", -0.5,
    "1/0", {"id": 1}, [None], 10**400, 1e-320,
)  # fmt: skip


def spoiled(seed: bytes, rng: random.Random) -> bytes:
    """A good file with one to four faults."""
    if seed[:4] == b"PK\x03\x04" and rng.random() < 0.5:
        return _spoiled_zip(seed, rng)
    if seed[:1] == b"{" and rng.random() < 0.6:
        return _spoiled_json(seed, rng)
    if seed[:5] == b"<?xml" and rng.random() < 0.6:
        return _spoiled_xml(seed, rng)
    data = bytearray(seed)
    for _ in range(rng.randint(1, 4)):
        if data:
            _spoil(data, rng)
    return bytes(data)


def _spoil(data: bytearray, rng: random.Random) -> None:
    at, length = rng.randrange(len(data)), min(len(data), int(2 ** rng.uniform(0, 12)))
    match rng.randrange(8):
        case 0:
            data[at] ^= 1 << rng.randrange(8)
        case 1:
            data[at : at + length] = rng.randbytes(min(length, 64))
        case 2:
            del data[at : at + length]
        case 3:
            data[at:at] = data[at : at + length] * rng.choice([1, 2, 50])
        case 4:
            del data[at:]
        case 5:
            data[at:at] = rng.choice(_PIECES)
        case 6:
            data[at : at + 4] = rng.choice([0, 1, 2**31 - 1, 2**32 - 1, 0x0FFFFFFF]).to_bytes(
                4, rng.choice(["big", "little"])
            )
        case _:
            numbers = list(re.finditer(rb"-?[0-9]+(?:\.[0-9]+)?", bytes(data[max(0, at - 2000) : at + 2000])))
            if numbers:
                found, first = rng.choice(numbers), max(0, at - 2000)
                data[first + found.start() : first + found.end()] = rng.choice(_NUMBERS)


def _spoiled_json(seed: bytes, rng: random.Random) -> bytes:
    """Values of another kind, in the right places; a journal has a document a line."""
    lines = seed.split(b"\n")
    chosen = rng.choice([k for k, line in enumerate(lines) if line.strip()])
    document = json.loads(lines[chosen])
    for _ in range(rng.randint(1, 3)):
        places = list(_places(document))
        if places:
            holder, key = rng.choice(places)
            if rng.random() < 0.2 and isinstance(holder, dict):
                del holder[key]
            else:
                # A copy: what is put into an odd value later must not be in it twice.
                holder[key] = copy.deepcopy(rng.choice(_ODD_VALUES))
    lines[chosen] = json.dumps(document).encode()
    return b"\n".join(lines)


def _spoiled_xml(seed: bytes, rng: random.Random) -> bytes:
    """A whole document still, with other values, and elements that are missing, doubled or elsewhere."""
    root = ElementTree.fromstring(seed)
    for _ in range(rng.randint(1, 4)):
        elements = list(root.iter())
        element, other = rng.choice(elements), rng.choice(elements)
        match rng.randrange(5):
            case 0 | 1:
                leaves = [e for e in elements if len(e) == 0]
                rng.choice(leaves).text = rng.choice(_NUMBERS).decode(errors="replace")
            case 2 if element.attrib:
                element.set(rng.choice(list(element.attrib)), rng.choice(_NUMBERS).decode(errors="replace")[:400])
            case 3 if len(element):
                element.remove(rng.choice(list(element)))
            case _ if len(element):
                chosen = copy.deepcopy(rng.choice(list(element)))
                for _ in range(rng.choice([1, 3, 40])):
                    other.append(chosen)
    return ElementTree.tostring(root, xml_declaration=True, encoding="utf-8")


def _places(value: Any) -> Iterator[tuple[Any, Any]]:
    """All places of a document, the long lists only in their beginnings."""
    keys: list[Any] = list(value) if isinstance(value, dict) else list(range(min(len(value), 12)))
    for key in keys:
        yield value, key
        if isinstance(value[key], (dict, list)):
            yield from _places(value[key])


def _spoiled_zip(seed: bytes, rng: random.Random) -> bytes:
    """What is packed is spoiled, and packed again."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(seed)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        names = old.namelist()
        wrong = rng.choice(names)
        for name in names:
            data = old.read(name)
            new.writestr(name, spoiled(data, rng) if name == wrong else data)
    return out.getvalue()


# -- what is read ----------------------------------------------------------------------------------------------------


def kinds() -> list[Kind]:
    """All kinds of files that Notcher reads. Imports what reads them."""
    import numpy as np

    from notcher.audio.decode import load
    from notcher.document.journal import Journal, recover
    from notcher.formats import project_file
    from notcher.formats.export import render
    from notcher.formats.incoming.build import project_of
    from notcher.formats.incoming.open_score import read_score
    from notcher.formats.midi import midi_bytes
    from notcher.formats.musicxml import musicxml
    from notcher.formats.text_tab import text_tab
    from notcher.score import edits
    from notcher.score.project import Project, Recording
    from notcher.score.tempo import TempoMap

    project = _project()

    def project_read(path: Path) -> None:
        found = project_file.load(path)
        if found.notes:
            for kind in ("text", "notes", "midi"):
                render(found, kind)

    def journal() -> bytes:
        with tempfile.TemporaryDirectory() as folder:
            kept = Journal(Path(folder) / "j.jsonl")
            before = project
            for fret in (3, 5, 8):
                after = edits.change_fret(before, {"n1", "n4"}, to=fret)
                kept.record(before, after, saved_as=Path("/a/p.notcher"))
                before = after
            data = kept.path.read_bytes()
            kept.close(discard=True)
        return data

    def packed(text: str) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr(
                "META-INF/container.xml", '<container><rootfiles><rootfile full-path="a.xml"/></rootfiles></container>'
            )
            archive.writestr("a.xml", text)
        return out.getvalue()

    def sounds(container: str) -> bytes:
        import soundfile

        time_s = np.arange(22050) / 22050
        out = io.BytesIO()
        soundfile.write(out, 0.3 * np.sin(2 * np.pi * 330 * time_s), 22050, format=container)
        return out.getvalue()

    xml = musicxml(project, project.notes)
    free = Project(Recording("", "0" * 64, 60.0, 44100, 1), tempo=None).with_notes(project.notes)
    score: Reader = lambda path: project_of(read_score(path))  # noqa: E731
    waltz = Project(project.recording, tempo=TempoMap.steady(96, first_beat=0.2, count=60, beats_per_bar=3)).with_notes(
        project.notes
    )
    return [
        Kind(
            "project",
            ".notcher",
            (project_file.dumps(project).encode(), project_file.dumps(waltz).encode()),
            project_read,
        ),
        Kind("journal", ".jsonl", (journal(),), recover),
        Kind(
            "musicxml",
            ".musicxml",
            (xml.encode(), musicxml(waltz, waltz.notes).encode(), musicxml(free, free.notes).encode()),
            score,
        ),
        Kind("mxl", ".mxl", (packed(xml),), score),
        Kind("midi", ".mid", (midi_bytes(project, project.notes), midi_bytes(free, free.notes)), score),
        Kind("text", ".txt", (text_tab(project, project.notes).encode(), text_tab(free, free.notes).encode()), score),
        Kind("settings", ".json", (_settings(),), _read_settings),
        Kind("frames", ".npz", (_frames(),), _read_frames),
        Kind("wav", ".wav", (sounds("WAV"),), load),
        Kind("flac", ".flac", (sounds("FLAC"),), load),
        Kind("ogg", ".ogg", (sounds("OGG"),), load),
        Kind("mp3", ".mp3", (sounds("MP3"),), load),
    ]


def _project() -> Any:
    """A dozen notes with bends, marks, versions and a named state."""
    from notcher.score.compare import name_state
    from notcher.score.note import Attack, Bend, BendKind, Mark, Note, Vibrato
    from notcher.score.project import Contour, Phrase, Project, Recording, Request, Section
    from notcher.score.tempo import TempoMap
    from notcher.score.versions import add_version

    notes = [
        Note(f"n{k}", 0.5 * k, 0.5 * k + 0.4, 1 + k % 6, 5 + k % 7, attack=list(Attack)[k % 6],
             bend=Bend(list(BendKind)[k % 10], 200, ((0.0, 0.0), (0.1, 180.0)) if k % 2 else ()) if k % 3 == 0 else None,
             vibrato=Vibrato(5.0, 30.0, 0.1) if k % 4 == 0 else None, marks=frozenset({list(Mark)[k]}))
        for k in range(1, 13)
    ]  # fmt: skip
    project = Project(
        Recording("a.wav", "ab" * 32, 60.0, 44100, 2), request=Request("Low water", "Nobody", "Ansa"), notes=tuple(notes),
        phrases=(Phrase("p1", "One", 0.0, 3.2), Phrase("p2", "Two", 3.2, 9.0, like="p1")), sections=(Section("A", 0.0),),
        tempo=TempoMap.steady(120, first_beat=0.0, count=60), contour=Contour(0.0, 0.005, (64000,) * 40, (90,) * 40),
    )  # fmt: skip
    return name_state(add_version(project, "p1", "easier", project.notes[:2]), "first handout", made="2027-03-14")


def _settings() -> bytes:
    from notcher.app.state.settings import Recent, Settings

    made = Settings(theme="dark", scale=150, folder="/x")
    made.remember(Recent("/x/a.notcher", "A", "3 of 9 notes confirmed"))
    from dataclasses import asdict

    return json.dumps(asdict(made)).encode()


def _read_settings(path: Path) -> None:
    from notcher.app.state.settings import Settings

    Settings.path().parent.mkdir(parents=True, exist_ok=True)
    Settings.path().write_bytes(path.read_bytes())
    Settings.load().opened_lately()


def _frames() -> bytes:
    from notcher import frame_cache
    from notcher.listen.frames.measure import Frames, Setup
    from notcher.score.isolation import Isolation

    setup = Setup(Isolation(), alone=True)
    frame_cache.FrameCache("ab").keep(setup, 0.0, 2.0, Frames.empty(2.0, setup.lead, alone=True))
    return next(frame_cache.folder().glob("*.npz")).read_bytes()


def _read_frames(path: Path) -> None:
    from notcher import frame_cache
    from notcher.listen.frames.measure import Setup
    from notcher.score.isolation import Isolation

    place = next(frame_cache.folder().glob("*.npz"))
    place.write_bytes(path.read_bytes())
    frame_cache.FrameCache("ab").find(Setup(Isolation(), alone=True), 0.0, 2.0)


# -- judging ---------------------------------------------------------------------------------------------------------


class _HangsError(BaseException):
    """Raised by the alarm, past every `except Exception`."""


def _alarm(_signal: int, _frame: FrameType | None) -> None:
    raise _HangsError


def judge(kind: Kind, count: int, folder: Path, *, seed: int) -> tuple[list[str], int]:
    """Read so many spoiled files of a kind; what went wrong, a line each, with the file kept in the folder, and how many
    were taken as good."""
    from notcher.score.errors import NotcherError

    wrong: list[str] = []
    taken = 0
    signal.signal(signal.SIGALRM, _alarm)
    for number in range(count):
        rng = random.Random(f"{seed} {kind.name} {number}")
        path = folder / f"{kind.name}-{number}{kind.ending}"
        path.write_bytes(spoiled(rng.choice(kind.seeds), rng))
        began = time.process_time()
        said = ""
        signal.alarm(_HANGS_S)
        try:
            kind.read(path)
            taken += 1
        except NotcherError as error:
            if "\n" in str(error) or not str(error):
                said = f"no single sentence: {str(error)[:200]!r}"
        except BaseException as error:
            if isinstance(error, KeyboardInterrupt):
                raise
            last = traceback.extract_tb(error.__traceback__)[-1]
            said = f"{type(error).__name__}: {str(error)[:120]} ({Path(last.filename).name}:{last.lineno})"
        finally:
            signal.alarm(0)
        spent = time.process_time() - began
        if not said and spent > LONGEST_S:
            said = f"took {spent:.1f} s"
        if said:
            wrong.append(f"{path}: {said}")
        else:
            path.unlink()
    return wrong, taken


def limit_memory() -> None:
    """From now on, MOST_MEMORY more and no further: beyond it Python raises MemoryError."""
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    limit = pages * os.sysconf("SC_PAGE_SIZE") + MOST_MEMORY
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))


@dataclass(frozen=True, slots=True)
class Judged:
    """What became of a kind's spoiled files. faults: a line each for those neither taken nor refused in a sentence."""

    kind: str
    count: int
    taken: int
    seconds: float
    faults: tuple[str, ...]


def judged(count: int, names: Sequence[str] = ()) -> Iterator[Judged]:
    """Read `count` spoiled files of each kind, or of those named; in this process, whose memory is limited by it."""
    folder = Path(tempfile.mkdtemp(prefix="notcher-mutations-"))
    for name in ("CONFIG", "STATE", "DATA", "CACHE"):
        os.environ[f"XDG_{name}_HOME"] = str(folder / name)
    import logging

    logging.disable(logging.CRITICAL)
    found = [k for k in kinds() if not names or k.name in names]
    for kind in found:  # what a first reading loads is not the file's doing, and a good file is read
        for seed in kind.seeds:
            good = folder / f"good{kind.ending}"
            good.write_bytes(seed)
            kind.read(good)
            good.unlink()
    limit_memory()
    for kind in found:
        began = time.monotonic()
        faults, taken = judge(kind, count, folder, seed=1)
        yield Judged(kind.name, count, taken, time.monotonic() - began, tuple(faults))


def main(argv: list[str]) -> int:
    """Read COUNT spoiled files of each KIND (all); 1 where anything went wrong."""
    wrong: list[str] = []
    for found in judged(int(argv[0]) if argv else 300, argv[1:]):
        wrong += found.faults
        print(
            f"{found.kind}: {found.count} files, {found.taken} taken, {len(found.faults)} neither taken nor refused in a "
            f"sentence, {found.seconds:.0f} s",
            flush=True,
        )
    print("\n".join(wrong[:40]))
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
