"""Which values stand under one beam, by the metre, and which in one tuplet."""

from collections.abc import Sequence

from notcher.rhythm.cells import Cell
from notcher.rhythm.values import Value

_FLAGS = {"eighth": 1, "16th": 2, "32nd": 3, "64th": 4}


def flags_of(value: Value) -> int:
    """Flags, or beams, that a value has."""
    return _FLAGS.get(value.type, 0)


def beamed(cells: Sequence[Cell]) -> list[list[int]]:
    """Numbers of cells that are under one beam, by the metre: those of a beat, or of a tuplet over more."""
    groups: list[list[int]] = []
    last: tuple[int, int] | None = None
    begun = 0
    for k, cell in enumerate(cells):
        if cell.grace:
            continue
        value = cell.value
        if value is None or cell.rests or not flags_of(value):
            last = None
            if value is not None and value.tuplet and value.begins:
                begun = cell.beam
            continue
        if value.tuplet and value.begins:
            begun = cell.beam
        key = (cell.bar, begun if value.tuplet else cell.beam)
        if key == last:
            groups[-1].append(k)
        else:
            groups.append([k])
        last = key
    return [group for group in groups if len(group) > 1]


def tuplets(cells: Sequence[Cell]) -> list[tuple[int, int, int]]:
    """(first, last, notes in it) of each tuplet, as far as it lies among the cells."""
    out: list[tuple[int, int, int]] = []
    first: int | None = None
    for k, cell in enumerate(cells):
        value = cell.value
        if value is None:
            continue
        if value.tuplet is None:
            first = None
            continue
        if first is None or value.begins:
            first = k
        if value.ends or k == len(cells) - 1:
            out.append((first, k, value.tuplet[0]))
            first = None
    return out


def beam_kinds(levels: Sequence[int]) -> list[list[str]]:
    """For each value under a beam, given how many beams it has: what each of its beams does, from the first on, in the
    words of MusicXML."""
    out: list[list[str]] = []
    for k, own in enumerate(levels):
        said = []
        for level in range(1, own + 1):
            before = k > 0 and levels[k - 1] >= level
            after = k + 1 < len(levels) and levels[k + 1] >= level
            if before and after:
                said.append("continue")
            elif after:
                said.append("begin")
            elif before:
                said.append("end")
            else:
                said.append("backward hook" if k == len(levels) - 1 else "forward hook")
        out.append(said)
    return out
