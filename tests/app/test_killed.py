"""The program killed in the middle of 200 random edits: whatever was done before comes back, note for note."""

import hashlib
import os
import random
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from notcher.document.recovery import left_of
from notcher.formats import project_file
from tests.app.conftest import IN_A_PROCESS

_EDITS = 200
# Prints, after every edit, how many there were and a hash of the whole project; the 200 are the same each time.
_EDITING = (
    f"{IN_A_PROCESS}EDITS = {_EDITS}"
    """
import hashlib, random
from notcher.formats import project_file
from notcher.score import edits as e
from notcher.score.errors import ScoreError
COMMANDS = ("vibrato", "bend", "bend-wider", "palm-mute", "later", "earlier", "shorter", "thinner", "fret-up",
            "fret-down", "delete", "confirm", "split", "finger-2", "written-later", "written-found")
rng = random.Random(11)
def run():
    w, done = windows[0], 0
    session = w.desk.session
    while done < EDITS:
        notes = session.project.notes
        steps = session.undo_stack.index
        what = rng.random()
        if what < 0.12 and session.undo_stack.can_undo:
            session.undo()
        elif what < 0.17 and session.undo_stack.can_redo:
            session.redo()
        elif what < 0.3 or len(notes) < 4:
            w.desk.transport.seek(rng.uniform(0.2, 7.0))
            w._run("note.add")
        else:
            session.select(frozenset(rng.sample([n.id for n in notes], rng.randint(1, min(3, len(notes))))))
            w._run("note." + rng.choice(COMMANDS))
        if session.undo_stack.index == steps:
            continue
        done += 1
        text = project_file.dumps(session.project)
        print(done, hashlib.sha256(text.encode()).hexdigest(), flush=True)
    print("all", flush=True)
    os.kill(os.getpid(), signal.SIGKILL)
def begin():
    # What a key does depends on whether the recording can be listened to: begin only when it is there.
    if windows[0].desk.transport.audio is None:
        QTimer.singleShot(20, begin)
    else:
        run()
start.run_window(Path(sys.argv[1]), painted=lambda: QTimer.singleShot(100, begin))
"""
)


def _lines(saved: Path, *, until: int | None) -> list[str]:
    """The hashes that were printed: of all edits, or of those until the program was killed after some number."""
    child = subprocess.Popen(
        [sys.executable, "-c", _EDITING, str(saved)], stdout=subprocess.PIPE, text=True, env=dict(os.environ)
    )
    assert child.stdout is not None
    hashes: list[str] = []
    for line in child.stdout:
        if line.startswith("all"):
            break
        hashes.append(line.split()[1])
        if len(hashes) == until:
            child.send_signal(signal.SIGKILL)
            break
    # What was printed before the signal arrived.
    hashes += [line.split()[1] for line in child.stdout if line[0].isdigit() and len(line.split()) == 2]
    child.wait(timeout=60)
    child.stdout.close()
    return hashes


@pytest.fixture(scope="module")
def every(tmp_path_factory: pytest.TempPathFactory) -> dict[str, list[str]]:
    return {}


@pytest.mark.parametrize("turn", [1, 2, 3, 4])
def test_at_most_the_last_edit_is_lost(saved: Path, every: dict[str, list[str]], turn: int) -> None:
    """Killed after a random number of edits, at a random moment of the next; the file on disk is as it was."""
    before = saved.read_bytes()
    if not every:
        every["all"] = _lines(saved, until=None)
        left_of(saved)[0].discard()
    assert len(every["all"]) == _EDITS
    done = _lines(saved, until=random.Random(turn).randint(3, _EDITS - 5))
    assert done == every["all"][: len(done)]
    assert saved.read_bytes() == before
    kept = left_of(saved)[0].recovered
    assert len(done) <= kept.edits <= len(done) + 1
    text = project_file.dumps(kept.project)
    assert hashlib.sha256(text.encode()).hexdigest() == every["all"][kept.edits - 1]
