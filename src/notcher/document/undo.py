"""What was done, and can be taken back: steps that hold what each edit changed."""

from dataclasses import dataclass

from notcher.score.delta import Delta

Selection = frozenset[str]


@dataclass(frozen=True, slots=True)
class Step:
    """One edit. label: as it is named in a menu; selected_before, selected_after: ids of notes, None where the edit
    leaves the selection alone; merge: edits in a row with the same number of 0 or more are one step."""

    label: str
    delta: Delta
    selected_before: Selection
    selected_after: Selection | None
    merge: int = -1


class UndoStack:
    """Steps done, and those taken back. `clean` is where the project equals its file."""

    def __init__(self) -> None:
        self._steps: list[Step] = []
        self._at = 0
        self._clean: int | None = 0

    @property
    def index(self) -> int:
        """How many steps are done."""
        return self._at

    @property
    def is_clean(self) -> bool:
        """Whether it stands where it was last saved."""
        return self._clean == self._at

    @property
    def can_undo(self) -> bool:
        """Whether there is a step to take back."""
        return self._at > 0

    @property
    def can_redo(self) -> bool:
        """Whether there is a step to do again."""
        return self._at < len(self._steps)

    @property
    def undo_label(self) -> str:
        """What would be taken back, '' for nothing."""
        return self._steps[self._at - 1].label if self.can_undo else ""

    def set_clean(self) -> None:
        """The project equals its file here."""
        self._clean = self._at

    def push(self, step: Step) -> None:
        """A step was done; what was taken back before it cannot be done again."""
        if self._clean is not None and self._clean > self._at:
            self._clean = None
        del self._steps[self._at :]
        last = self._steps[-1] if self._steps else None
        if last is not None and 0 <= step.merge == last.merge and self._clean != self._at:
            self._steps[-1] = Step(
                step.label, last.delta.then(step.delta), last.selected_before, step.selected_after, step.merge
            )
            return
        self._steps.append(step)
        self._at += 1

    def back(self) -> Step | None:
        """The step to take back, counted as taken back; None where there is none."""
        if not self.can_undo:
            return None
        self._at -= 1
        return self._steps[self._at]

    def forth(self) -> Step | None:
        """The step to do again, counted as done; None where there is none."""
        if not self.can_redo:
            return None
        self._at += 1
        return self._steps[self._at - 1]
