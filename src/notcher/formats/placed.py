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


def remember(folder: Path, files: Mapping[str, Placed]) -> None:
    """Add what was written now. Where that cannot be kept, the next time nothing is replaced without a word."""
    known = files_in(folder) | dict(files)
    text = {"folder": str(folder.resolve()), "files": {name: asdict(entry) for name, entry in known.items()}}
    try:
        _path(folder).parent.mkdir(parents=True, exist_ok=True)
        write_json(_path(folder), json.dumps(text))
    except (OSError, FileFormatError) as error:
        log.warning("what was written cannot be remembered: %s", error)


def _path(folder: Path) -> Path:
    name = hashlib.sha256(bytes(folder.resolve())).hexdigest()[:20]
    return Path(platformdirs.user_state_dir("notcher")) / "placed" / f"{name}.json"
