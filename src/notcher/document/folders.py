"""Where recovery journals and locks lie."""

import hashlib
import re
import uuid
from pathlib import Path

import platformdirs

_COUNTED = re.compile(r"-([0-9]{6,12})-[0-9a-f]{12}\.jsonl$")


def recovery_folder() -> Path:
    """In the user's state folder."""
    return Path(platformdirs.user_state_dir("notcher")) / "recovery"


def _stem(project_path: Path | None) -> str:
    if project_path is None:
        return "unsaved"
    return hashlib.sha256(bytes(project_path.resolve())).hexdigest()[:20]


def new_journal(project_path: Path | None) -> Path:
    """A name for the journal of a session on a project file, or on one that has no file yet; no other has it. Its
    number is higher than that of every journal there is, as clocks may be set back."""
    number = 1 + max((_number(path) for path in recovery_folder().glob("*.jsonl")), default=0)
    return recovery_folder() / f"{_stem(project_path)}-{number:06d}-{uuid.uuid4().hex[:12]}.jsonl"


def _number(journal: Path) -> int:
    """When a journal was begun, counted; 0 for one of an older Notcher, which did not count."""
    found = _COUNTED.search(journal.name)
    return int(found[1]) if found else 0


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
            found.append((_number(path), path.stat().st_mtime, path))
        except OSError:
            # Saved, and so gone, a moment ago.
            continue
    return [path for *_, path in sorted(found, reverse=True)]
