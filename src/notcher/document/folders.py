"""Where recovery journals and locks lie."""

import hashlib
import uuid
from pathlib import Path

import platformdirs


def recovery_folder() -> Path:
    """In the user's state folder."""
    return Path(platformdirs.user_state_dir("notcher")) / "recovery"


def _stem(project_path: Path | None) -> str:
    if project_path is None:
        return "unsaved"
    return hashlib.sha256(bytes(project_path.resolve())).hexdigest()[:20]


def new_journal(project_path: Path | None) -> Path:
    """A name for the journal of a session on a project file, or on one that has no file yet; no other has it."""
    return recovery_folder() / f"{_stem(project_path)}-{uuid.uuid4().hex[:12]}.jsonl"


def journals(project_path: Path | None) -> list[Path]:
    """The journals there are of a project file, or of projects without one; the newest first."""
    return _newest_first(f"{_stem(project_path)}*.jsonl")


def all_journals() -> list[Path]:
    """All journals there are, the newest first."""
    return _newest_first("*.jsonl")


def lock_file(project_path: Path) -> Path:
    """What is locked while a project file is open for editing."""
    return recovery_folder() / f"{_stem(project_path)}.lock"


def _newest_first(pattern: str) -> list[Path]:
    found = []
    for path in recovery_folder().glob(pattern):
        try:
            found.append((path.stat().st_mtime, path))
        except OSError:
            # Saved, and so gone, a moment ago.
            continue
    return [path for _, path in sorted(found, reverse=True)]
