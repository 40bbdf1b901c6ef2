"""The one family of errors that a person is shown: what is wrong, with the value, and what to do about it."""

from typing import Any

from notcher.score.clause import Clause


class NotcherError(Exception):
    """Something could not be done. The clause is one sentence a guitarist understands, with the remedy; str() gives it
    in English, for records and scripts, and `wording.told` in the person's language."""

    def __init__(self, pattern: str | Clause, /, **values: Any) -> None:
        self.clause = pattern if isinstance(pattern, Clause) else Clause(pattern, **values)
        super().__init__(str(self.clause))


class ScoreError(NotcherError, ValueError):
    """A value that a score cannot hold, or an edit that does not apply to it."""
