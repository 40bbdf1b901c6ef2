"""The recovery journal, up to really killing a process that edits."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hypothesis import given, settings

from notcher.formats import journal
from notcher.formats.errors import FileFormatError
from notcher.score import edits
from notcher.score.project import Project
from tests.formats.test_project_file import projects


@settings(max_examples=60, deadline=None)
@given(projects(), projects())
def test_any_change_can_be_replayed(before: Project, after: Project) -> None:
    assert journal.apply(before, journal.changes(before, after)) == after


def test_edits_come_back_one_by_one(tmp_path: Path, project: Project) -> None:
    path = tmp_path / "j.jsonl"
    kept = journal.Journal(path)
    states = [project]
    for fret in (1, 2, 3):
        states.append(edits.change_fret(states[-1], {"n1"}, to=fret))
        kept.record(states[-2], states[-1], saved_as=Path("/x/p.notcher"))
    recovered = journal.recover(path)
    assert recovered.project == states[-1]
    assert (recovered.edits, recovered.saved_as) == (3, Path("/x/p.notcher"))
    # A kill in the middle of a line loses that edit and no other.
    data = path.read_bytes()
    path.write_bytes(data[:-7])
    assert journal.recover(path).project == states[-2]
    kept.close(discard=True)
    assert not path.exists()


def test_a_journal_without_a_beginning_is_said(tmp_path: Path) -> None:
    (tmp_path / "j.jsonl").write_text('{"format":')
    with pytest.raises(FileFormatError, match="open the saved project"):
        journal.recover(tmp_path / "j.jsonl")


def test_a_full_disk_is_said(tmp_path: Path, project: Project) -> None:
    (tmp_path / "file").write_text("")
    kept = journal.Journal(tmp_path / "file" / "j.jsonl")
    with pytest.raises(FileFormatError, match="save the project now"):
        kept.record(project, project, saved_as=None)


_EDITOR = """
import sys
from dataclasses import replace
from pathlib import Path
from PyQt6.QtWidgets import QApplication
app = QApplication([])
from notcher.app.session import Session
from notcher.formats import project_file
from notcher.score import edits
path = Path(sys.argv[1])
session = Session()
session.start(project_file.load(path), path)
for fret in range(100000):
    session.edit("fret", lambda p: edits.change_fret(p, {"n1"}, to=fret % 24 + 1))
    print(fret % 24 + 1, flush=True)
"""


@pytest.mark.parametrize("edits_before", [1, 37])
def test_kill_9_loses_at_most_the_last_edit(tmp_path: Path, project: Project, edits_before: int) -> None:
    """A real process is killed in the middle of editing; what it had said to be done is there again."""
    from notcher.app.session import left_behind
    from notcher.formats import project_file

    path = tmp_path / "p.notcher"
    project_file.save(project, path)
    saved = path.read_bytes()
    editor = subprocess.Popen([sys.executable, "-c", _EDITOR, str(path)], stdout=subprocess.PIPE, text=True)
    assert editor.stdout is not None
    done = [int(editor.stdout.readline()) for _ in range(edits_before)]
    assert left_behind(path) is None, "a journal of a running program is its own"
    os.kill(editor.pid, signal.SIGKILL)
    done += [int(line) for line in editor.stdout.read().split()]
    editor.wait()
    assert path.read_bytes() == saved
    left = left_behind(path)
    assert left is not None
    fret = left.recovered.project.note("n1").fret
    # The edit after the last one that was said may have reached the disk too.
    assert fret in (done[-1], done[-1] % 24 + 1)
    assert left.recovered.edits in (len(done), len(done) + 1)


def test_an_owner_that_is_gone_is_known(tmp_path: Path) -> None:
    ended = subprocess.Popen([sys.executable, "-c", "pass"])
    ended.wait()
    path = tmp_path / "j.jsonl"
    path.write_text(f'{{"pid": {ended.pid}}}\n')
    time.sleep(0.05)
    assert not journal.owner_alive(path)
    path.write_text('{"pid": 1}\n')
    assert journal.owner_alive(path)
