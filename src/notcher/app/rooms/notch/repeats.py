"""What linked phrases have otherwise than the phrases they repeat, kept up with the project edit by edit."""

from notcher.score.phrase_repeats import Differences, differences
from notcher.score.project import Project
from notcher.score.versions import phrase_of
from notcher.wording import render_message, trn


class Repeats:
    """same: ids of notes that are as in the phrase that is repeated; words: by a phrase's id, what it is like."""

    def __init__(self) -> None:
        self.same: frozenset[str] = frozenset()
        self.words: dict[str, str] = {}
        self._found: dict[str, tuple[tuple[object, ...], Differences]] = {}

    def take(self, project: Project) -> None:
        """Look again; only where one of the two phrases was changed is it found out anew."""
        known, self._found = self._found, {}
        for p in project.phrases:
            if p.like:
                earlier = phrase_of(project, p.like)
                about = (p, earlier, *(project.notes_between(q.start, q.end) for q in (p, earlier)), project.tempo)
                before = known.get(p.id)
                self._found[p.id] = before if before and before[0] == about else (about, differences(project, p))
        self.same = frozenset().union(*(d.same for _, d in self._found.values()))
        self.words = {i: _words(d) for i, (_, d) in self._found.items()}


def _words(found: Differences) -> str:
    if not found.changes:
        return render_message(found.like)
    return trn("{like}, but {n} change", "{like}, but {n} changes", len(found.changes), like=found.like)
