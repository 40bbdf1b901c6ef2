"""What is handed out: how long it takes, how large it is, and whether anything printed collides."""

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from tests.formats.generated import generated
from tests.formats.glyphs import glyphs_of, overlaps
from tests.formats.test_sheet import long_project

from benchmarks.truth import ROOT
from notcher.audio.decode import load
from notcher.formats import project_file
from notcher.formats.export import render
from notcher.formats.film.look import Film
from notcher.formats.film.writing import planned, write_film
from notcher.formats.lesson_page.page import lesson_page
from notcher.formats.packet.wanted import Packet
from notcher.formats.packet.writing import write_packet
from notcher.formats.printing import With
from notcher.formats.sheet.look import Look

DEMO = ROOT / "src/notcher/data/demo/pellan-quay-demo.notcher"
# Bars of the long solo of the tests that fill eight pages; seeds that no test uses.
_EIGHT_PAGES, _SEEDS = 88, range(100, 160)
_LONG_FILMS = (3, 9)
# Too long to be run each time.
_AN_HOUR = (
    "A film of an hour, run once on 2026-11-27 (59.6 minutes of the written tab at 640 x 360 and 24 frames a second, 12\n"
    "minutes three times at 60 %): 507 s, 7 x real time; 1.7 GB of memory at the most; 123 MB."
)
Row = tuple[str, str, str]


def _timed(work: Callable[[], Any], times: int = 2) -> list[float]:
    out = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        out.append(time.perf_counter() - began)
    return out


def _pages() -> list[Row]:
    project = long_project(_EIGHT_PAGES)
    rows = []
    for look, words in ((Look(), "tab with stems and counts"), (Look(staff=True), "with a staff over it")):
        first, *again = _timed(partial(render, project, "pdf", beside=With(look=look)), 4)
        rows.append((f"a PDF of eight pages, {words}: first, again (median of 3)",
                     f"{first:.2f} s, {statistics.median(again):.2f} s", "again under 1.5 s"))  # fmt: skip
    return rows


def _page_turn() -> Row:
    """A page further in the preview of eight pages, until it is painted."""
    from PyQt6.QtCore import QEventLoop, QTimer
    from PyQt6.QtWidgets import QApplication

    from notcher.app.shell.window import Window
    from notcher.app.state.settings import Settings
    from notcher.app.widgets.theme import load_fonts

    app = QApplication.instance() or QApplication([])
    load_fonts()
    with tempfile.TemporaryDirectory() as folder:
        for name in ("STATE", "CONFIG", "DATA"):
            os.environ[f"XDG_{name}_HOME"] = f"{folder}/{name.lower()}"
        path = Path(folder) / "long.notcher"
        project_file.save(long_project(_EIGHT_PAGES), path)
        window = Window(Settings())
        window.resize(1280, 800)
        window.resize(1280, 800)
        window.show()
        window.tasks.opening.open(path)

        def wait(milliseconds: int) -> None:
            loop = QEventLoop()
            QTimer.singleShot(milliseconds, loop.quit)
            loop.exec()

        while window.tasks.busy:
            wait(50)
        window.desk.show_room("hand-out")
        room: Any = window.views["hand-out"]
        while room.page_count < 8:
            wait(50)
        bar = room.pages.verticalScrollBar()
        times = []
        for _ in range(7):
            began = time.perf_counter()
            bar.setValue(bar.value() + bar.pageStep())
            room.pages.viewport().repaint()
            assert isinstance(app, QApplication)
            app.processEvents()
            times.append(1000 * (time.perf_counter() - began))
        window.tasks.wait()
        window.hide()
    return ("a page turned in the preview (median, worst of 7)", f"{statistics.median(times):.0f} ms, {max(times):.0f} ms",
            "under 100 ms")  # fmt: skip


def _films(folder: Path) -> list[Row]:
    project, audio = project_file.load(DEMO), load(DEMO.with_suffix(".ogg"))
    rows = []
    for ending in (".webm", ".mp4"):
        goal = folder / f"film{ending}"
        look = Film(pace=100)
        took = _timed(partial(write_film, project, audio, goal, (), look), 1)[0]
        seconds, size = planned(project, (), look).seconds, goal.stat().st_size
        rows.append((f"a film of the demo, {seconds:.0f} s at 1280 x 720 and 30 frames a second, {ending[1:]}",
                     f"{took:.1f} s, {seconds / took:.1f} x real time; {size / seconds / 1000:.0f} kB a second",
                     "over 2 x"))  # fmt: skip
    return rows


def _memory() -> Row:
    """The most memory of a film as it gets longer, each in a process of its own."""
    peaks = []
    for minutes in _LONG_FILMS:
        told = subprocess.run(
            [sys.executable, "-m", "benchmarks.handout", "film", str(minutes)],
            cwd=ROOT, check=True, capture_output=True, text=True,
        )  # fmt: skip
        peaks.append(float(told.stdout))
    (a, low), (b, high) = zip(_LONG_FILMS, peaks, strict=True)
    hour = high + (60 - b) * (high - low) / (b - a)
    return (f"most memory of films of {a} and {b} minutes at 640 x 360; of an hour, by these",
            f"{low:.0f} MB, {high:.0f} MB; {hour / 1000:.1f} GB", "-")  # fmt: skip


def _film_memory(minutes: int) -> float:
    """The most memory, in MB, of this process after it wrote a film of the written tab."""
    project = generated(14, bars=200)
    notes = [n for n in project.notes if n.end < 60 * minutes]
    project = replace(project, phrases=()).with_notes(notes)
    with tempfile.TemporaryDirectory() as folder:
        write_film(project, None, Path(folder) / "long.webm", (), Film(width=640, height=360, rate=24, pace=100))
    # Of this program alone: what getrusage says holds what started it, too.
    status = Path("/proc/self/status").read_text(encoding="ascii")
    return int(next(line for line in status.splitlines() if line.startswith("VmHWM")).split()[1]) / 1024


def _packet(folder: Path) -> Row:
    project, audio = project_file.load(DEMO), load(DEMO.with_suffix(".ogg"))
    took = _timed(lambda: write_packet(project, audio, folder / "packet", (), Packet(hear="recording")), 1)[0]
    count = sum(p.is_file() for p in (folder / "packet").rglob("*"))
    return (f"a packet of ten phrases, all parts ({count} files)", f"{took:.0f} s", "under 60 s")


def _lesson_pages() -> Row:
    project, audio = project_file.load(DEMO), load(DEMO.with_suffix(".ogg"))
    minutes = (project.phrases[-1].end - project.phrases[0].start) / 60
    plain, whole = (len(lesson_page(project, audio=a).encode()) / 1e6 / minutes for a in (None, audio))
    return ("the lesson page, for a minute of solo; with the recording in it", f"{plain:.1f} MB; {whole:.1f} MB",
            "under 6 MB")  # fmt: skip


def _collisions() -> Row:
    pages = pairs = 0
    for seed in _SEEDS:
        for staff in (False, True):
            pdf = render(generated(seed), "pdf", beside=With(look=Look(staff=staff), hands=seed % 2 == 0))
            glyphs = glyphs_of(pdf)
            pages += 1 + max(g.page for g in glyphs)
            pairs += len(overlaps(glyphs))
    return (f"pairs of letters and figures that overlap, {len(_SEEDS)} scores made by chance, with a staff and without",
            f"{pairs} on {pages} pages", "none")  # fmt: skip


def section() -> str:
    """The section of the page."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        rows = [*_pages(), _page_turn(), *_films(folder), _memory(), _packet(folder), _lesson_pages(), _collisions()]
    table = "\n".join(f"| {what} | {measured} | {aim} |" for what, measured, aim in rows)
    return f"## Handing out\n\n| what | measured | aim |\n|---|---|---|\n{table}\n\n{_AN_HOUR}\n"


if __name__ == "__main__":
    if sys.argv[1:2] == ["film"]:
        print(_film_memory(int(sys.argv[2])))
        sys.exit()
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    print(section())
