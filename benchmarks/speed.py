"""How long things take, each measured as a user would meet it."""

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.truth import DEMO_MIX, ROOT

_START = """
import sys, time
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from notcher.app.shell.start import run_window
from notcher.demo_copy import demo_project
def painted():
    print(time.time(), flush=True)
    QApplication.exit(0)
run_window(demo_project(), painted=painted)
"""
_TRANSCRIBE = """
import json, re, sys, time
from pathlib import Path
began = time.perf_counter()
from notcher.cli import main
status = main(["transcribe", sys.argv[1], "-o", sys.argv[2]])
assert status == 0
seconds = time.perf_counter() - began
# Not getrusage: its maximum is handed on from the process that started this one.
most = int(re.search(r"VmHWM:\\s*(\\d+)", Path("/proc/self/status").read_text())[1])
print(json.dumps([seconds, most / 1024]))
"""


def start_up(runs: int = 5) -> dict[str, float]:
    """Seconds from the command to the demo painted, on a real X server; the first run, and the median of the rest.

    The set-up check that `make demo` does before it is measured and added.
    """
    number = f":{60 + os.getpid() % 30}"
    server = subprocess.Popen(
        ["Xvfb", number, "-screen", "0", "1280x800x24", "-nolisten", "tcp"], stderr=subprocess.DEVNULL
    )
    for _ in range(2):  # the first brings the set-up up to date if it must
        began = time.time()
        subprocess.run(["make", "-s", "setup"], cwd=ROOT, check=True, capture_output=True)
        check = time.time() - began
    times = []
    with tempfile.TemporaryDirectory() as folder:
        env = {k: v for k, v in os.environ.items() if k != "QT_QPA_PLATFORM"} | {"DISPLAY": number}
        env |= {f"XDG_{k}_HOME": folder for k in ("DATA", "STATE", "CONFIG")}
        try:
            for _ in range(runs):
                began = time.time()
                done = subprocess.run(
                    [sys.executable, "-c", _START], env=env, check=True, capture_output=True, text=True
                )
                times.append(float(done.stdout.split()[-1]) - began + check)
        finally:
            server.terminate()
            server.wait()
    return {"first": times[0], "again": statistics.median(times[1:])}


def transcribed(times: int) -> dict[str, float]:
    """Seconds and MB at most for `notcher transcribe` on the mixed demo so many times over (59 s each, stereo), with
    nothing kept from before; and the seconds when it is asked again."""
    import soundfile

    from notcher.audio.decode import load

    with tempfile.TemporaryDirectory() as folder:
        sound = np.tile(load(DEMO_MIX).samples, times)
        path = Path(folder) / "three.wav"
        soundfile.write(str(path), sound.T, 44100)
        runs = []
        for k in range(2):
            done = subprocess.run(
                [sys.executable, "-c", _TRANSCRIBE, str(path), str(Path(folder) / f"p{k}.notcher")],
                check=True, capture_output=True, text=True, env=os.environ | {"XDG_CACHE_HOME": f"{folder}/cache"},
            )  # fmt: skip
            runs.append(json.loads(done.stdout.strip().splitlines()[-1]))
    return {"length": sound.shape[1] / 44100, "seconds": runs[0][0], "megabytes": runs[0][1], "again": runs[1][0]}


def first_notes() -> float:
    """Seconds from a decoded three-minute recording to the first notes that can be shown, in a fresh process; the
    median of five."""
    command = [sys.executable, "-c", _FIRST, str(DEMO_MIX)]
    runs = [subprocess.run(command, check=True, capture_output=True, text=True).stdout for _ in range(5)]
    return statistics.median(float(out.strip().splitlines()[-1]) for out in runs)


_FIRST = """
import sys, time
from dataclasses import replace
from pathlib import Path
import numpy as np
from notcher.audio.decode import load
audio = load(Path(sys.argv[1]))
audio = replace(audio, kept=np.tile(audio.samples, 3))
start = time.perf_counter()
from notcher.listen.listener import listen
from notcher.stopping import CancelledError, stoppable
from notcher.score.tuning import STANDARD
from notcher.pipeline.place_heard import placed_notes
shown = []
def part(heard, low, high):
    shown.append(len(placed_notes(heard.notes, STANDARD)))
    print(time.perf_counter() - start)
try:
    with stoppable(lambda: bool(shown)):
        listen(audio, first=100.0, on_part=part)
except CancelledError:
    pass
"""


def pace_change(trials: int = 12) -> dict[str, float]:
    """Seconds from a change of pace to sound at that pace, blocks of 10 ms taken in real time as a device does."""
    from notcher.audio import RATE
    from notcher.audio.decode import load
    from notcher.audio.player import Player

    audio = load(DEMO_MIX)
    player = Player()
    player.set_sources({"recording": audio.between}, duration=audio.duration)
    player.seek(10.0)
    player.play()
    block, found = RATE // 100, []
    paces = (0.5, 1.0, 0.7, 0.4, 0.9, 0.25)
    for trial in range(trials + 1):
        _pull_for(player, block, 1.2)
        pace = paces[trial % len(paces)]
        began = time.perf_counter()
        player.set_pace(pace)
        last = player.position
        while time.perf_counter() - began < 3:
            player.pull(block)
            now = player.position
            if abs((now - last) / 0.01 - pace) < 0.02:
                break
            last = now
            time.sleep(0.01)
        found.append(time.perf_counter() - began)
    player.close()
    # The first change loads the stretching library.
    return {"first": found[0], "median": statistics.median(found[1:]), "worst": max(found[1:])}


def _pull_for(player, block: int, seconds: float) -> None:
    end = time.perf_counter() + seconds
    while time.perf_counter() < end:
        player.pull(block)
        time.sleep(0.01)


def many_notes(notes: int):
    """The demo over and over until there are so many notes: (project, seconds a copy, copies)."""
    from dataclasses import replace

    from notcher.formats import project_file
    from notcher.score.project import Contour, Phrase, Project
    from notcher.score.tempo import TempoMap

    demo = project_file.load(DEMO_MIX.with_suffix(".notcher"))
    assert demo.contour is not None
    assert demo.tempo is not None
    copies = -(-notes // len(demo.notes))
    length = demo.recording.duration
    many = [
        replace(n, id=f"{n.id}-{k}", onset=n.onset + k * length, end=n.end + k * length)
        for k in range(copies) for n in demo.notes
    ][:notes]  # fmt: skip
    pad = round(length / demo.contour.hop) - len(demo.contour.decicents)
    one = demo.contour.decicents + (-1,) * pad
    sure = demo.contour.percent + (0,) * pad
    inside = [b for b in demo.tempo.beats if 0 <= b < length - 0.2]
    beats = tuple(b + k * length for k in range(copies) for b in inside)
    phrases = tuple(
        Phrase(f"{p.id}-{k}", f"{p.name} {k + 1}", p.start + k * length, p.end + k * length)
        for k in range(copies) for p in demo.phrases
    )  # fmt: skip
    project = Project(
        replace(demo.recording, duration=length * copies), demo.tuning, offset_cents=demo.offset_cents, tempo=TempoMap(beats),
        phrases=phrases, contour=Contour(0.0, demo.contour.hop, one * copies, sure * copies),
    ).with_notes(many)  # fmt: skip
    return project, length, copies


def strand_frames(notes: int = 2000) -> dict[str, dict[str, float]]:
    """Milliseconds to draw the strand view (960 x 620) while it scrolls through many notes, at three zooms."""
    from PyQt6.QtWidgets import QApplication

    from notcher.app.rooms.notch.strand import StrandView
    from notcher.app.state.desk import Desk
    from notcher.app.widgets.theme import LIGHT, load_fonts
    from notcher.audio.decode import load
    from notcher.audio.peaks import Peaks
    from notcher.audio.recording import Audio

    app = QApplication.instance() or QApplication([])
    load_fonts()
    project, length, copies = many_notes(notes)
    desk = Desk()
    view = StrandView(desk, LIGHT)
    view.resize(960, 620)
    view.show()
    desk.session.start(project, None)
    audio = load(DEMO_MIX)
    samples = np.tile(audio.samples, copies)
    long = Audio(samples, 44100, 2)
    desk.transport.set_audio(long, Peaks(long))
    app.processEvents()
    out = {}
    for name, span in (("6.5 s in view", 6.5), ("30 s in view", 30.0), ("all in view", length * copies)):
        desk.axis.show_range(60.0, 60.0 + span, margin=0.0)
        if name.startswith("all"):
            desk.axis.show_range(0.0, length * copies, margin=0.0)
        times = []
        for _ in range(120):
            desk.axis.scroll(desk.axis.span / 240)
            began = time.perf_counter()
            view.repaint()
            times.append(1000 * (time.perf_counter() - began))
        times.sort()
        out[name] = {"median": times[60], "p95": times[114]}
    desk.transport.close()
    view.close()
    return out


def editing(notes: int = 3000, edits: int = 400, more: int = 2000) -> dict[str, float]:
    """Milliseconds for an edit by key in the whole window with many notes (median, 95 in a hundred, worst; what follows
    in the same turn of the event loop included), for drawing the strands, and all that changed, after it, and for undo;
    MB that `more` edits keep."""
    from PyQt6.QtWidgets import QApplication

    from notcher.app.shell.window import Window
    from notcher.app.state.settings import Settings
    from notcher.app.widgets.theme import load_fonts

    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_STATE_HOME"] = os.environ["XDG_CONFIG_HOME"] = folder
        app = QApplication.instance() or QApplication([])
        load_fonts()
        project, length, copies = many_notes(notes)
        window = Window(Settings())
        window.resize(1280, 800)
        window.show()
        desk = window.desk
        views: dict[str, Any] = dict(window.views)
        desk.session.start(project, None)
        desk.show_room("notch")
        desk.axis.show_range(length * copies / 2, length * copies / 2 + 6.5)
        app.processEvents()
        rng = np.random.default_rng(9)
        ids = [n.id for n in project.notes_between(length * copies / 2, length * copies / 2 + 6.5)]
        commands = (
            "note.later",
            "note.earlier",
            "note.vibrato",
            "note.bend",
            "note.palm-mute",
            "note.longer",
            "note.confirm",
        )
        took, drawn, alone, undone = [], [], [], []

        def edit() -> None:
            desk.session.select(frozenset({ids[int(rng.integers(len(ids)))]}))
            app.processEvents()
            began = time.perf_counter()
            window._run(commands[int(rng.integers(len(commands)))])
            took.append(1000 * (time.perf_counter() - began))
            began = time.perf_counter()
            views["notch"].strand.repaint()
            drawn.append(1000 * (time.perf_counter() - began))
            began = time.perf_counter()
            views["notch"].strand.repaint()
            alone.append(1000 * (time.perf_counter() - began))
            app.processEvents()

        for _ in range(edits):
            edit()
        for _ in range(edits // 2):
            began = time.perf_counter()
            desk.session.undo()
            undone.append(1000 * (time.perf_counter() - began))
            app.processEvents()
        before = _resident_mb()
        for _ in range(more):
            edit()
        grown = _resident_mb() - before
        desk.session.close(discard=True)
        window.end_work()
        window._leaving = True
        window.close()
    return {
        "edit": statistics.median(took), "edit95": float(np.percentile(took, 95)), "edit_worst": max(took),
        "strand": statistics.median(alone), "strand95": float(np.percentile(alone, 95)),
        "drawn": statistics.median(drawn), "drawn95": float(np.percentile(drawn, 95)),
        "undo": statistics.median(undone), "undo95": float(np.percentile(undone, 95)), "grown": grown,
    }  # fmt: skip


def _resident_mb() -> float:
    text = Path("/proc/self/status").read_text()
    return int(text.split("VmRSS:")[1].split()[0]) / 1024
