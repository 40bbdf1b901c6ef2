"""What Notcher wrote into which folder, so that it may write it anew there, and nothing else.

Kept in the person's state folder, not beside what is handed out: one file a folder.
"""

import hashlib
import json
import logging
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from pathlib import Path

import platformdirs

from notcher.formats.atomic import write_json
from notcher.formats.errors import FileFormatError

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Placed:
    """sha256: of the file as it was written; source: what it was made of."""

    sha256: str
    source: str


def files_in(folder: Path) -> dict[str, Placed]:
    """What was written into a folder, by name; what cannot be read counts as nobody's."""
    try:
        data = json.loads(_path(folder).read_text(encoding="utf-8"))
        return {str(name): Placed(str(e["sha256"]), str(e["source"])) for name, e in data["files"].items()}
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
        return {}


class Ledger:
    """What was written where, read once for each folder."""

    def __init__(self) -> None:
        self._read: dict[Path, dict[str, Placed]] = {}

    def of(self, path: Path) -> Placed | None:
        """What is known of a file."""
        folder = path.parent
        if folder not in self._read:
            self._read[folder] = files_in(folder)
        return self._read[folder].get(path.name)


def remember(files: Mapping[Path, Placed]) -> None:
    """Add what was written now. Where that cannot be kept, the next time nothing is replaced without a word."""
    folders: dict[Path, dict[str, Placed]] = {}
    for path, entry in files.items():
        folders.setdefault(path.parent, {})[path.name] = entry
    for folder, entries in folders.items():
        known = files_in(folder) | entries
        text = {"folder": str(folder.resolve()), "files": {name: asdict(entry) for name, entry in known.items()}}
        try:
            _path(folder).parent.mkdir(parents=True, exist_ok=True)
            write_json(_path(folder), json.dumps(text))
        except (OSError, FileFormatError) as error:
            log.warning("what was written cannot be remembered: %s", error)


def _path(folder: Path) -> Path:
    name = hashlib.sha256(bytes(folder.resolve())).hexdigest()[:20]
    return Path(platformdirs.user_state_dir("notcher")) / "placed" / f"{name}.json"
