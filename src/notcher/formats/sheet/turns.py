"""Where in a row signs of repeat and brackets of endings stand."""

from dataclasses import dataclass

from notcher.formats.repeats import Passage, Span
from notcher.formats.sheet.rows import Row


@dataclass(frozen=True, slots=True)
class Turns:
    """begins: whether what is repeated begins with the row; ends: the numbers of the cells before whose bar line it
    ends, len(cells) for the row's end; times: how often it is played; brackets: (first cell, the one after its last,
    what stands in it)."""

    begins: bool = False
    ends: tuple[int, ...] = ()
    times: int = 1
    brackets: tuple[tuple[int, int, str], ...] = ()


NO_TURNS = Turns()


def turns_of(row: Row, passage: Passage) -> Turns:
    """What of a passage's repeats lies in one of its rows."""
    if passage.times < 2:
        return NO_TURNS
    low, high = row.first, row.first + len(row.cells)
    end = passage.first[1] if passage.first else len(passage.cells)
    brackets = []
    for span, name in ((passage.first, "1."), (passage.second, "2.")):
        if span is not None and (inside := _inside(span, low, high)) is not None:
            brackets.append((*inside, name))
    return Turns(low == 0, (end - low,) if low < end <= high else (), passage.times, tuple(brackets))


def _inside(span: Span, low: int, high: int) -> Span | None:
    a, b = max(span[0], low), min(span[1], high)
    return (a - low, b - low) if b > a else None
