"""Which sound file a project's recording is: found where the project says or nearby, and vouched for by its content.

Everything that sounds the recording asks here, so that another sound under its name is never taken for it.
"""

import contextlib
import math
from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum
from itertools import islice
from pathlib import Path

from notcher.audio.decode import file_hash, head_of, load
from notcher.audio.recording import Audio
from notcher.formats.errors import FileFormatError
from notcher.score.project import Project, Recording
from notcher.stopping import look_for_stop

OF_THE_RECORDING = ("recording", "lead", "rest")
"""What can be heard of it."""
_MOST_LOOKED_AT, _SAME_LENGTH, _SOON_READ = 2000, 0.05, 1 << 25


class State(StrEnum):
    """How the search ended. NONE: the project has no recording; MOVED: found by its content elsewhere; DIFFERENT:
    another sound has its name, and it is nowhere near."""

    NONE = "none"
    HERE = "here"
    MOVED = "moved"
    DIFFERENT = "different"
    MISSING = "missing"


@dataclass(frozen=True, slots=True)
class Found:
    """Where a project's recording is; path: the one that is meant where it is not here."""

    state: State
    path: Path | None

    @property
    def is_it(self) -> bool:
        """Whether path is the recording."""
        return self.state in (State.HERE, State.MOVED)


def said_path(project: Project, project_path: Path) -> Path | None:
    """Where the project says that its recording is, None where it has none."""
    if not project.recording.path:
        return None
    return project_path.parent / project.recording.path


def is_recording(path: Path, recording: Recording) -> bool:
    """Whether a file is the recording, by its content."""
    return file_hash(path) == recording.sha256


def find_recording(project: Project, project_path: Path) -> Found:
    """Look for the recording where the project says, then by its content in the folders of the project and of the
    recording and in those in them. Raises CancelledError when asked to stop."""
    said = said_path(project, project_path)
    if said is None:
        return Found(State.NONE, None)
    there = said.is_file()
    with contextlib.suppress(OSError):
        if there and is_recording(said, project.recording):
            return Found(State.HERE, said)
    for candidate in _nearby(said, project_path):
        with contextlib.suppress(OSError):
            if _may_be(candidate, project.recording) and is_recording(candidate, project.recording):
                return Found(State.MOVED, candidate)
    return Found(State.DIFFERENT if there else State.MISSING, said)


def vouched_recording(project: Project, project_path: Path) -> Path:
    """The project's recording. Raises FileFormatError where it is not there, or another sound has its name."""
    found = find_recording(project, project_path)
    if found.path is None:
        raise FileFormatError("this project has no recording; choose to hear the written tab or the backing")
    if found.state is State.DIFFERENT:
        raise FileFormatError(
            "'{path}' is a different recording from the one this project was measured from; put the right file there, "
            "or choose to hear the written tab or the backing", path=found.path,
        )  # fmt: skip
    if found.state is State.MISSING:
        raise FileFormatError(
            "the recording '{path}' is missing; put it back there or beside the project, or choose to hear the written "
            "tab or the backing", path=found.path,
        )  # fmt: skip
    return found.path


def recording_sound(project: Project, project_path: Path, hear: str) -> Audio | None:
    """The recording's sound where what is heard is made of it; hear '': where the project has one that is there. None
    where it is not needed.

    Raises FileFormatError as vouched_recording does, AudioError where it cannot be read.
    """
    if hear in OF_THE_RECORDING:
        return load(vouched_recording(project, project_path))
    if hear:
        return None
    found = find_recording(project, project_path)
    if found.state in (State.NONE, State.MISSING):
        return None
    return load(vouched_recording(project, project_path))


def files_of(project: Project, project_path: Path) -> tuple[Path, ...]:
    """What an output of a project never takes the place of: its file, and its recording."""
    said = said_path(project, project_path)
    return (project_path,) if said is None else (project_path, said)


def _nearby(said: Path, project_path: Path) -> Iterator[Path]:
    """Files that end as the recording does, the nearest folders first, each once."""
    suffix, seen = said.suffix.lower(), {said.resolve()}
    folders = dict.fromkeys((project_path.resolve().parent, said.resolve().parent))
    for folder, pattern in [(folder, pattern) for pattern in ("*", "*/*") for folder in folders]:
        if not folder.is_dir():
            continue
        for candidate in islice(sorted(folder.glob(pattern)), _MOST_LOOKED_AT):
            look_for_stop()
            if candidate.suffix.lower() == suffix and candidate.resolve() not in seen and candidate.is_file():
                seen.add(candidate.resolve())
                yield candidate


def _may_be(path: Path, recording: Recording) -> bool:
    """Whether a file's head does not speak against it: reading all of many long files would take minutes."""
    if path.stat().st_size <= _SOON_READ or (head := head_of(path)) is None:
        return True
    rate, channels, seconds = head
    same = (rate, channels) == (recording.sample_rate, recording.channels)
    return same and math.isclose(seconds, recording.duration, rel_tol=_SAME_LENGTH, abs_tol=1.0)
