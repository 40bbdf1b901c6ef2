"""What one edit changed, small enough to keep thousands of them, applied forwards and backwards."""

from dataclasses import dataclass, replace

from notcher.score.note import Note
from notcher.score.project import Project


@dataclass(frozen=True, slots=True)
class Delta:
    """notes: by id, as it was and as it became, None where there was none; before, after: all but the notes."""

    notes: dict[str, tuple[Note | None, Note | None]]
    before: Project
    after: Project

    @classmethod
    def between(cls, before: Project, after: Project) -> "Delta":
        """What makes one project of the other."""
        old, new = {n.id: n for n in before.notes}, {n.id: n for n in after.notes}
        changed: dict[str, tuple[Note | None, Note | None]] = {
            i: (old.get(i), n) for i, n in new.items() if old.get(i) is not n and old.get(i) != n
        }
        changed.update({i: (n, None) for i, n in old.items() if i not in new})
        return cls(changed, replace(before, notes=()), replace(after, notes=()))

    def then(self, following: "Delta") -> "Delta":
        """This edit and the next as one."""
        both = {**self.notes, **following.notes}
        notes = {i: (self.notes.get(i, both[i])[0], following.notes.get(i, both[i])[1]) for i in both}
        return Delta(notes, self.before, following.after)

    def redone(self, project: Project) -> Project:
        """The project before, edited."""
        return self._with(project, self.after, 1)

    def undone(self, project: Project) -> Project:
        """The project after, as it was."""
        return self._with(project, self.before, 0)

    def _with(self, project: Project, rest: Project, side: int) -> Project:
        kept = [n for n in project.notes if n.id not in self.notes]
        put = [n for pair in self.notes.values() if (n := pair[side]) is not None]
        return rest.with_notes([*kept, *put])
