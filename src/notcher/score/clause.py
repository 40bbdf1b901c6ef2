"""What is meant, before anybody says it: a pattern with its values, which `wording` says in the person's language."""

from collections.abc import Iterable
from dataclasses import dataclass


class Clause:
    """pattern: in English, with the names of values in braces, as catalogues know it. many: the pattern where the value
    `n` is not one. values: numbers, names, other clauses, several of them in a tuple. As a str it is English, for
    records and scripts."""

    __slots__ = ("many", "pattern", "values")

    def __init__(self, pattern: str, /, *, many: str = "", **values: object) -> None:
        self.pattern, self.many, self.values = pattern, many, values

    def __str__(self) -> str:
        chosen = self.many if self.many and self.values["n"] != 1 else self.pattern
        return chosen.format_map({k: _plain(v) for k, v in self.values.items()}) if self.values else chosen

    def __repr__(self) -> str:
        return f"Clause({str(self)!r})"

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Clause):
            return NotImplemented
        return (self.pattern, self.many, self.values) == (other.pattern, other.many, other.values)

    def __hash__(self) -> int:
        return hash((self.pattern, self.many))


@dataclass(frozen=True, slots=True)
class Ordinal:
    """A place in a row as a value of a Clause: 1st, 2nd."""

    n: int

    def __str__(self) -> str:
        ends = {1: "st", 2: "nd", 3: "rd"}
        return f"{self.n}{'th' if self.n // 10 % 10 == 1 else ends.get(self.n % 10, 'th')}"


def _plain(value: object) -> object:
    return ", ".join(map(str, value)) if isinstance(value, tuple) else value


def quoted(names: Iterable[str]) -> str:
    """Names that people gave, one after another."""
    return ", ".join(f"'{name}'" for name in names)
