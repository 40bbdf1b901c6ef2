"""The recovery journal: every edit is on disk before the next one is made.

Each session that edits has a journal of its own in the state folder. Its first line is the project as it was when the
journal began; each further line is one edit as what changed. A killed program loses at most the edit that was being
written; a half-written last line is left out when reading. The journal is locked while it is written, and the lock
goes with the process, however that ends.
"""

import contextlib
import fcntl
import json
import os
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO, Any

from notcher.formats import project_file
from notcher.formats.codec import from_plain, to_plain
from notcher.formats.errors import FileFormatError
from notcher.formats.limits import JOURNAL, check_values, read_limited
from notcher.formats.schema import VERSION
from notcher.formats.upgrades import upgraded
from notcher.score.delta import Delta
from notcher.score.note import Note
from notcher.score.project import Contour, Project, State

_FORMAT = "notcher-journal"


def changes(before: Project, after: Project) -> dict[str, Any]:
    """What makes `after` out of `before`: notes put and taken, and every other field that differs."""
    delta = Delta.between(before, after)
    row: dict[str, Any] = {
        "put": [to_plain(now) for _, now in delta.notes.values() if now is not None],
        "take": [i for i, (_, now) in delta.notes.items() if now is None],
        "set": {},
    }
    # An edit of notes, the commonest, leaves all else as it is; writing that out would take longer than the edit.
    if _without_heavy(delta.before) != _without_heavy(delta.after):
        a, b = _rest(before), _rest(after)
        row["set"] = {k: v for k, v in b.items() if a[k] != v}
    if before.contour is not after.contour and before.contour != after.contour:
        row["contour"] = to_plain(after.contour)
    if before.states is not after.states and before.states != after.states:
        row["states"] = to_plain(after.states)
    return row


def _without_heavy(project: Project) -> Project:
    return replace(project, contour=None, states=())


def _rest(project: Project) -> dict[str, Any]:
    whole = project_file.to_dict(replace(project, notes=(), contour=None, states=()))
    return {k: v for k, v in whole.items() if k not in ("format", "version", "notes", "contour", "states")}


def apply(project: Project, row: dict[str, Any]) -> Project:
    """One journal line applied to a project. Raises KeyError, TypeError or ValueError where it does not fit."""
    taken = set(row["take"])
    put = {d["id"]: from_plain(d, Note) for d in row["put"]}
    notes = [put.pop(n.id, n) for n in project.notes if n.id not in taken] + list(put.values())
    if row["set"]:
        bare = project_file.to_dict(replace(project, notes=(), contour=None, states=()))
        bare.update(row["set"])
        project = replace(project_file.from_dict(bare), contour=project.contour, states=project.states)
    if "contour" in row:
        contour = row["contour"]
        project = replace(project, contour=None if contour is None else from_plain(contour, Contour))
    if "states" in row:
        project = replace(project, states=from_plain(row["states"], tuple[State, ...]))
    return project.with_notes(notes)


class Journal:
    """Appends edits to a journal file; made at the first edit, gone when the project is saved.

    After a write that failed it begins anew, from the project as it is then, so that nothing stands behind a gap.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._file: IO[str] | None = None

    @property
    def path(self) -> Path:
        """Where it is written."""
        return self._path

    def record(self, before: Project, after: Project, *, saved_as: Path | None, saved: str = "") -> None:
        """Write one edit. saved: the fingerprint of the project's file as it was opened or saved last.

        Raises FileFormatError where the disk does not take it; the next call then writes the whole project.
        """
        try:
            if self._file is None:
                self._begin(before, saved_as, saved)
            self._line(changes(before, after))
        except (OSError, RecursionError) as error:
            # What was there before stays whole on disk: it ends at worst in half a line, which a reader leaves out.
            self._stop()
            raise FileFormatError(
                "edits cannot be kept for recovery ({value}); save the project now, in another folder if need be",
                value=getattr(error, "strerror", None) or error,
            ) from error

    def _begin(self, base: Project, saved_as: Path | None, saved: str) -> None:
        self._path.parent.mkdir(parents=True, exist_ok=True)
        # Begun beside and then renamed: an older journal in its place stays whole until this one has its base.
        begun = self._path.with_suffix(".begun")
        try:
            self._file = begun.open("w", encoding="utf-8", errors="backslashreplace")
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            self._line(
                {
                    "format": _FORMAT, "project": str(saved_as) if saved_as else None, "saved": saved,
                    "base": project_file.to_dict(base),
                }
            )  # fmt: skip
            begun.replace(self._path)
        except OSError:
            self._stop()
            # A full disk gets its room back.
            begun.unlink(missing_ok=True)
            raise

    def _line(self, row: dict[str, Any]) -> None:
        assert self._file is not None
        self._file.write(json.dumps(row, ensure_ascii=False, separators=(",", ":")) + "\n")
        self._file.flush()
        os.fdatasync(self._file.fileno())

    def _stop(self) -> None:
        """Let the file go; what it still holds back of a line that did not fit is thrown away with it."""
        file, self._file = self._file, None
        if file is not None:
            # Where the disk is full still, the descriptor is closed all the same.
            with contextlib.suppress(OSError):
                file.close()

    def close(self, *, discard: bool) -> None:
        """Stop writing; discard it when the project is saved or the person let the edits go."""
        begun = self._file is not None
        self._stop()
        if discard and (begun or self._path.exists()):
            self._path.unlink(missing_ok=True)


@dataclass(frozen=True, slots=True)
class Recovered:
    """What a journal holds: the project with all its whole edits, where it was saved, the fingerprint of that file as
    the edits began ('' where it was not known), and how many edits."""

    project: Project
    saved_as: Path | None
    saved: str
    edits: int


# What json.loads, the values' own checks and a row of another shape raise.
_UNREADABLE = (OSError, ValueError, KeyError, TypeError, AttributeError, IndexError, OverflowError, RecursionError)


def recover(path: Path) -> Recovered:
    """Read a journal back. Raises FileFormatError where not even its beginning can be read."""
    try:
        lines = read_limited(path, JOURNAL).decode("utf-8", errors="replace").split("\n")
        head = json.loads(lines[0])
        place, saved = head["project"], head.get("saved", "")
        if not (place is None or isinstance(place, str)) or not isinstance(saved, str):
            raise ValueError("its project is no path")
        check_values(head["base"], free=project_file.FREE)
        project = project_file.from_dict(upgraded(head["base"], VERSION))
    except _UNREADABLE as error:
        raise FileFormatError("the recovery file '{path}' cannot be read; open the saved project", path=path) from error
    edits = 0
    for line in lines[1:]:
        try:
            row = json.loads(line)
            check_values(row, free=project_file.FREE)
            project = apply(project, row)
        except _UNREADABLE:
            break
        edits += 1
    return Recovered(project, Path(place) if place else None, saved, edits)


def is_being_written(path: Path) -> bool:
    """Whether a program that still runs writes this journal."""
    try:
        with path.open("rb") as f:
            fcntl.flock(f, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False
