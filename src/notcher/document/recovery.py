"""What a killed session left behind, and how it comes back."""

import contextlib
import logging
from dataclasses import dataclass
from pathlib import Path

from notcher.document import folders
from notcher.document.journal import Recovered, is_being_written, recover
from notcher.document.lock import claim
from notcher.document.store import Document
from notcher.formats.errors import FileFormatError

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class LeftBehind:
    """Edits of a session that was killed, and the journal that holds them."""

    recovered: Recovered
    journal: Path

    @property
    def saved_as(self) -> Path | None:
        """The project file they were made in, None for one that was never saved."""
        return self.recovered.saved_as

    def recover(self) -> Document:
        """The edits in an open document, not saved yet; the old journal goes once they are safe in a new one.

        Raises InUseError where another session edits the file meanwhile.
        """
        place = self.recovered.saved_as
        held = claim(place) if place is not None else None
        document = Document(self.recovered.project, place, saved=self.recovered.saved, unsaved=True, held=held)
        if document.unkept is None:
            self.discard()
        return document

    def discard(self) -> None:
        """Let the edits go."""
        with contextlib.suppress(OSError):
            self.journal.unlink(missing_ok=True)


def left_behind() -> list[LeftBehind]:
    """All that killed sessions left, the newest first. What cannot be read stays on disk, and is named in the log."""
    return _readable(folders.all_journals())


def left_of(project_path: Path | None) -> list[LeftBehind]:
    """What killed sessions left of one project file, or of projects that were never saved; the newest first."""
    return _readable(folders.journals(project_path))


def _readable(journals: list[Path]) -> list[LeftBehind]:
    found = []
    for journal in journals:
        if is_being_written(journal):
            continue
        try:
            found.append(LeftBehind(recover(journal), journal))
        except FileFormatError as error:
            log.warning("%s", error)
    return found
