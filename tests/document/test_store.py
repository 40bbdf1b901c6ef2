"""The open document: one editor a file, nobody's changes overwritten, and what a killed session left."""

import json
import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.document.folders import journals, recovery_folder
from notcher.document.lock import InUseError
from notcher.document.recovery import left_behind, left_of
from notcher.document.store import ChangedOnDiskError, Document, LookingOnlyError, open_document, open_to_look
from notcher.formats import project_file
from notcher.formats.errors import FileFormatError
from notcher.score import edits
from notcher.score.errors import ScoreError
from notcher.score.project import Project
from tests.conftest import small_project


@pytest.fixture
def path(tmp_path: Path, project: Project) -> Path:
    project_file.save(project, tmp_path / "p.notcher")
    return tmp_path / "p.notcher"


@pytest.fixture
def document(path: Path) -> Iterator[Document]:
    opened = open_document(path)
    yield opened
    opened.close()


def fret(number: int, document: Document, *, merge: int = -1) -> None:
    document.edit(lambda p: edits.change_fret(p, {"n1"}, to=number), merge=merge)


def test_edits_are_undone_and_done_again(document: Document, project: Project) -> None:
    for number in (1, 2, 3):
        fret(number, document)
    assert document.project.note("n1").fret == 3
    assert document.is_dirty
    document.undo()
    document.undo()
    assert document.project.note("n1").fret == 1
    document.redo()
    assert document.project.note("n1").fret == 2
    fret(7, document)
    assert document.redo() is None, "what was taken back is gone once something else was done"
    while document.undo():
        pass
    assert document.project == project
    assert not document.is_dirty


def test_an_edit_that_does_not_apply_changes_nothing(document: Document, project: Project) -> None:
    with pytest.raises(ScoreError, match="frets go from 0"):
        fret(99, document)
    assert document.project == project
    assert document.edit(lambda p: p) is None
    assert not document.is_dirty


def test_a_slider_is_one_step(document: Document) -> None:
    for number in (1, 2, 3):
        fret(number, document, merge=4)
    document.undo()
    assert document.project.note("n1").fret == 9


def test_a_merge_across_a_save_can_still_be_undone_to_what_was_saved(document: Document) -> None:
    fret(1, document, merge=4)
    document.save()
    fret(2, document, merge=4)
    assert document.is_dirty
    document.undo()
    assert (document.project.note("n1").fret, document.is_dirty) == (1, False)


@settings(max_examples=40, deadline=None)
@given(st.lists(st.sampled_from([*range(1, 9), "undo", "redo", "save"]), max_size=25))
def test_dirty_means_that_the_file_has_something_else(steps: list[int | str]) -> None:
    """Against a model: two lists and the project that was saved last."""
    made = Document(small_project())
    saved, done, undone = made.project, [made.project], []
    for step in steps:
        if step == "undo":
            made.undo()
            if len(done) > 1:
                undone.append(done.pop())
        elif step == "redo":
            made.redo()
            if undone:
                done.append(undone.pop())
        elif step == "save":
            made.undo_stack.set_clean()
            saved = made.project
        else:
            assert isinstance(step, int)
            fret(step, made)
            if made.project != done[-1]:
                done.append(made.project)
                undone.clear()
        assert made.project == done[-1]
        if made.project != saved:
            assert made.is_dirty
    made.close()


# -- one editor a file ---------------------------------------------------------------------------------------------


def test_a_second_editor_is_refused_and_may_look(document: Document, path: Path) -> None:
    with pytest.raises(InUseError, match="open in another Notcher"):
        open_document(path)
    looking = open_to_look(path)
    with pytest.raises(LookingOnlyError, match="only looked at here"):
        fret(3, looking)
    with pytest.raises(LookingOnlyError, match="under another name"):
        looking.save()
    looking.save(path.with_name("copy.notcher"))
    fret(4, looking)
    assert looking.project.note("n1").fret == 4
    looking.close()


def test_a_link_to_the_same_file_is_the_same_file(document: Document, path: Path) -> None:
    (path.parent / "link.notcher").symlink_to(path)
    with pytest.raises(InUseError, match="open in another Notcher already"):
        open_document(path.parent / "link.notcher")


def test_the_claim_goes_with_the_document_and_leaves_nothing(document: Document, path: Path) -> None:
    document.close()
    open_document(path).close()
    assert list(recovery_folder().glob("*")) == []
    assert sorted(p.name for p in path.parent.iterdir() if p.is_file()) == ["p.notcher"]


def test_saving_over_what_another_edits_is_refused(document: Document, path: Path) -> None:
    other = Document(small_project())
    with pytest.raises(InUseError, match="open in another Notcher already"):
        other.save(path)
    other.close()


def test_a_file_that_could_not_be_read_is_not_held(tmp_path: Path) -> None:
    (tmp_path / "p.notcher").write_text("{")
    for _ in range(2):
        with pytest.raises(FileFormatError, match="JSON is broken"):
            open_document(tmp_path / "p.notcher")


# -- a file that something else changed ----------------------------------------------------------------------------


def test_a_file_changed_by_something_else_is_not_written_over_unasked(document: Document, path: Path) -> None:
    theirs = edits.change_fret(project_file.load(path), {"n2"}, to=2)
    project_file.save(theirs, path)
    on_disk = path.read_bytes()
    fret(5, document)
    with pytest.raises(ChangedOnDiskError, match="changed by something else"):
        document.save()
    assert path.read_bytes() == on_disk
    assert document.is_dirty
    assert document.on_disk() == theirs
    document.save(over_changes=True)
    assert project_file.load(path).note("n1").fret == 5
    fret(6, document)
    document.save()


def test_a_file_that_is_only_touched_is_not_changed(document: Document, path: Path) -> None:
    os.utime(path, (1, 1))
    fret(5, document)
    document.save()
    assert document.on_disk() is None


def test_a_file_that_is_gone_is_written_again(document: Document, path: Path) -> None:
    path.unlink()
    fret(5, document)
    document.save()
    assert path.exists()


def test_recovered_edits_are_not_written_over_a_file_that_changed_meanwhile(path: Path) -> None:
    killed = open_document(path)
    fret(5, killed)
    killed.close(discard=False)
    project_file.save(replace(small_project(), offset_cents=3.0), path)
    recovered = left_of(path)[0].recover()
    with pytest.raises(ChangedOnDiskError, match="changed by something else"):
        recovered.save()
    recovered.close()


# -- what a killed session left ------------------------------------------------------------------------------------

_EDITOR = """
import sys
from pathlib import Path
from notcher.document.store import Document, open_document
from notcher.formats import project_file
from notcher.score import edits
path = Path(sys.argv[1])
document = open_document(path) if sys.argv[2] == "saved" else Document(project_file.load(path), unsaved=True)
for fret in range(100000):
    document.edit(lambda p: edits.change_fret(p, {"n1"}, to=fret % 24 + 1))
    print(fret % 24 + 1, flush=True)
"""


@pytest.mark.parametrize(("edits_before", "kind"), [(1, "saved"), (37, "saved"), (5, "unsaved")])
def test_kill_9_loses_at_most_the_last_edit(path: Path, edits_before: int, kind: str) -> None:
    """A real process is killed in the middle of editing; what it had said to be done is there again."""
    saved = path.read_bytes()
    editor = subprocess.Popen([sys.executable, "-c", _EDITOR, str(path), kind], stdout=subprocess.PIPE, text=True)
    assert editor.stdout is not None
    done = [int(editor.stdout.readline()) for _ in range(edits_before)]
    assert left_behind() == [], "the journal of a running program is its own"
    os.kill(editor.pid, signal.SIGKILL)
    done += [int(line) for line in editor.stdout.read().split()]
    editor.wait()
    editor.stdout.close()
    assert path.read_bytes() == saved
    assert len(left_behind()) == 1
    left = left_of(path if kind == "saved" else None)[0]
    assert left.saved_as == (path if kind == "saved" else None)
    # The edit after the last one that was said may have reached the disk too.
    assert left.recovered.edits - (kind == "unsaved") in (len(done), len(done) + 1)
    document = left.recover()
    assert document.project.note("n1").fret in (done[-1], done[-1] % 24 + 1)
    assert document.is_dirty
    assert left_behind() == [], "what was recovered is in the journal of a session that runs"
    document.close()


def test_a_journal_is_offered_whatever_has_its_process_number_now(path: Path) -> None:
    """Its first line named a process once; the number may be another program's today."""
    killed = open_document(path)
    fret(5, killed)
    killed.close(discard=False)
    journal = journals(path)[0]
    head, rest = journal.read_text().split("\n", 1)
    journal.write_text(f"{json.dumps({**json.loads(head), 'pid': 1})}\n{rest}")
    assert left_of(path)[0].recovered.edits == 1


def test_a_second_session_keeps_the_first_ones_journal(path: Path) -> None:
    for number in (5, 6):
        killed = open_document(path)
        fret(number, killed)
        killed.close(discard=False)
    assert sorted(left.recovered.project.note("n1").fret for left in left_of(path)) == [5, 6]


def test_a_journal_that_cannot_be_read_stays_on_disk(path: Path) -> None:
    recovery_folder().mkdir(parents=True)
    broken = recovery_folder() / "unsaved-x.jsonl"
    broken.write_text("{")
    assert left_behind() == []
    made = Document(small_project(), unsaved=True)
    made.close()
    assert broken.read_text() == "{"


def test_edits_that_could_not_be_kept_are_kept_later(document: Document, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as no_room:
        no_room.setattr("notcher.document.journal.os.fdatasync", full)
        fret(5, document)
        assert "No space left" in str(document.unkept)
        assert not document.keep()
    assert document.keep()
    assert document.unkept is None
    assert document.journal is not None
    document.close(discard=False)
    assert left_behind()[0].recovered.project.note("n1").fret == 5


def test_a_state_folder_that_cannot_be_written_stops_nobody(path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(path / "no folder"))
    opened = open_document(path)
    fret(5, opened)
    assert opened.unkept is not None
    opened.save()
    assert project_file.load(path).note("n1").fret == 5
    opened.close()
