"""The recovery journal: what it brings back, what it makes of a disk that is full, and of a file that is none."""

import errno
import json
from pathlib import Path

import pytest
from hypothesis import given, settings

from notcher.document import journal
from notcher.formats.errors import FileFormatError
from notcher.score import edits
from notcher.score.project import Project
from tests.formats.test_project_file import projects


@settings(max_examples=60, deadline=None)
@given(projects(), projects())
@pytest.mark.slow
def test_any_change_can_be_replayed(before: Project, after: Project) -> None:
    assert journal.apply(before, journal.changes(before, after)) == after


def test_edits_come_back_one_by_one(tmp_path: Path, project: Project) -> None:
    path = tmp_path / "j.jsonl"
    kept = journal.Journal(path)
    states = [project]
    for fret in (1, 2, 3):
        states.append(edits.change_fret(states[-1], {"n1"}, to=fret))
        kept.record(states[-2], states[-1], saved_as=Path("/x/p.notcher"), saved="ab")
    recovered = journal.recover(path)
    assert recovered.project == states[-1]
    assert (recovered.edits, recovered.saved_as, recovered.saved) == (3, Path("/x/p.notcher"), "ab")
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


def _full(*_: object) -> None:
    raise OSError(errno.ENOSPC, "No space left on device")


@pytest.mark.parametrize("full_at", ["the first edit", "a later edit"])
def test_a_disk_that_was_full_gets_all_edits_when_there_is_room_again(
    tmp_path: Path, project: Project, monkeypatch: pytest.MonkeyPatch, full_at: str
) -> None:
    path = tmp_path / "j.jsonl"
    kept = journal.Journal(path)
    first, second, third, fourth = (edits.change_fret(project, {"n1"}, to=fret) for fret in (1, 2, 3, 4))
    if full_at == "a later edit":
        kept.record(project, first, saved_as=None)
        before = path.read_bytes()
    with monkeypatch.context() as full:
        full.setattr("notcher.document.journal.os.fdatasync", _full)
        for old, new in ((first, second), (second, third)):
            with pytest.raises(FileFormatError, match="No space left"):
                kept.record(old, new, saved_as=None)
    assert list(tmp_path.glob("*.begun")) == [], "what could not be begun takes no room"
    if full_at == "a later edit":
        assert path.read_bytes().startswith(before), "what was kept before the disk was full is kept still"
        assert journal.recover(path).project in (first, second)
    kept.record(third, fourth, saved_as=None)
    assert journal.recover(path).project == fourth
    kept.close(discard=True)
    assert not path.exists()


def test_a_journal_is_being_written_until_its_writer_lets_go(tmp_path: Path, project: Project) -> None:
    kept = journal.Journal(tmp_path / "j.jsonl")
    kept.record(project, edits.change_fret(project, {"n1"}, to=3), saved_as=None)
    assert journal.is_being_written(kept.path)
    kept.close(discard=False)
    assert not journal.is_being_written(kept.path)


def _with(head: dict[str, object], row: dict[str, object]) -> str:
    return f"{json.dumps(head)}\n{json.dumps(row)}\n"


@pytest.mark.parametrize(
    ("place", "value"),
    [("project", 5), ("project", ["a"]), ("base", 7), ("base", []), ("saved", 3), ("base", {"version": 4, "notes": 2})],
)
def test_a_head_of_another_shape_is_one_sentence(tmp_path: Path, project: Project, place: str, value: object) -> None:
    kept = journal.Journal(tmp_path / "j.jsonl")
    kept.record(project, edits.change_fret(project, {"n1"}, to=3), saved_as=None)
    kept.close(discard=False)
    head, row, _ = kept.path.read_text().split("\n")
    (tmp_path / "k.jsonl").write_text(_with({**json.loads(head), place: value}, json.loads(row)))
    with pytest.raises(FileFormatError, match="cannot be read"):
        journal.recover(tmp_path / "k.jsonl")


@pytest.mark.parametrize(
    "row",
    ['{"put": 3, "take": [], "set": {}}', '{"put": [{"id": "n1", "evidence": []}], "take": [], "set": {}}', "[]", "5",
     '{"put": [], "take": [], "set": {"notes": 4, "tempo": 3}}', '{"put": [], "take": [{}], "set": {}}',
     "[" * 50_000, '{"put": [], "take": [], "set": {}, "states": [1]}'],
)  # fmt: skip
def test_a_row_of_another_shape_ends_what_is_read(tmp_path: Path, project: Project, row: str) -> None:
    kept = journal.Journal(tmp_path / "j.jsonl")
    edited = edits.change_fret(project, {"n1"}, to=3)
    kept.record(project, edited, saved_as=None)
    kept.close(discard=False)
    (tmp_path / "k.jsonl").write_text(f"{kept.path.read_text()}{row}\n")
    recovered = journal.recover(tmp_path / "k.jsonl")
    assert (recovered.project, recovered.edits) == (edited, 1)


def test_evidence_that_is_a_list_ends_what_is_read(tmp_path: Path, project: Project) -> None:
    kept = journal.Journal(tmp_path / "j.jsonl")
    edited = edits.change_fret(project, {"n1"}, to=3)
    kept.record(project, edited, saved_as=None)
    kept.close(discard=False)
    row = json.loads(kept.path.read_text().split("\n")[1])
    row["put"][0]["evidence"] = [1, 2]
    (tmp_path / "k.jsonl").write_text(f"{kept.path.read_text()}{json.dumps(row)}\n")
    assert journal.recover(tmp_path / "k.jsonl").edits == 1
