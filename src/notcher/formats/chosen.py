"""Which phrases are handed out where nobody chose some: all there are, or the whole solo as one."""

from collections.abc import Sequence

from notcher.formats.errors import FileFormatError
from notcher.score.project import Phrase, Project
from notcher.wording import tr


def chosen_phrases(project: Project, phrases: Sequence[Phrase]) -> list[Phrase]:
    """The phrases that were chosen, none: all of the project, in time order, and without any the whole solo; only those
    that hold notes. Raises FileFormatError where there are no notes in them."""
    asked = sorted(phrases or project.phrases, key=lambda p: p.start)
    if not asked and project.notes:
        asked = [Phrase("all", tr("The solo"), project.notes[0].onset, max(n.end for n in project.notes))]
    found = [p for p in asked if project.notes_between(p.start, p.end)]
    if not found:
        raise FileFormatError("there are no notes to write; measure the recording or add notes first")
    return found
