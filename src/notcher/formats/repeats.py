"""What is written once: phrases that repeat the one before them between signs of repeat, others in words."""

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass, field

from notcher.formats.opening import EARLY_S
from notcher.rhythm.bars import Bars
from notcher.rhythm.cells import Cell, barred, cut
from notcher.score.note import Note
from notcher.score.phrase_repeats import differences
from notcher.score.project import Phrase, Project
from notcher.score.versions import phrase_of
from notcher.wording import later, render_message, tr


def said_again(project: Project, phrase: Phrase | None, notes: tuple[Note, ...]) -> list[str]:
    """What stands in the place of a linked phrase's tab where the one it repeats stands there too: 'as First, but ...',
    in lines; nothing for others."""
    if phrase is None or not phrase.like:
        return []
    earlier = phrase_of(project, phrase.like)
    if not any(earlier.start <= n.onset < earlier.end for n in notes):
        return []
    found = differences(project, phrase)
    pattern = later("{like}, but") if found.changes else later("{like}.")
    text = tr(pattern, like=found.like)
    return [
        text[0].upper() + text[1:],
        *(line for what in found.changes for line in textwrap.wrap(render_message(what), 76, initial_indent="  ")),
    ]


def by_phrase(project: Project, notes: tuple[Note, ...]) -> list[tuple[Phrase | None, list[Note]]]:
    """Notes grouped by the phrases they start in, in time order; notes in no phrase go under None."""
    out: list[tuple[Phrase | None, list[Note]]] = []
    for n in notes:
        phrase = project.phrase_at(n.onset)
        if not out or out[-1][0] != phrase:
            out.append((phrase, []))
        out[-1][1].append(n)
    return out


Span = tuple[int, int]


@dataclass(frozen=True, slots=True)
class Passage:
    """Phrases printed as one: the first gives the cells and notes. times: how often it is played, in a row; first,
    second: of its cells, from where to before where they are for the first time alone, and for the second; words: what
    stands in the place of cells."""

    phrases: tuple[Phrase | None, ...]
    cells: tuple[Cell, ...]
    notes: tuple[Note, ...]
    times: int = 1
    first: Span | None = None
    second: Span | None = None
    words: tuple[str, ...] = ()


def passages(
    project: Project,
    groups: Sequence[tuple[Phrase | None, Sequence[Note]]],
    runs: Sequence[Sequence[Cell]],
    notes: tuple[Note, ...],
    *,
    folded: bool,
) -> list[Passage]:
    """One for each group that has cells, or for some that follow one another. folded: whether what repeats is printed
    once."""
    out: list[Passage] = []
    k = 0
    rows = [(p, tuple(g), tuple(r)) for (p, g), r in zip(groups, runs, strict=True) if r]
    while k < len(rows):
        phrase, group, run = rows[k]
        if not folded:
            out.append(Passage((phrase,), run, group))
            k += 1
            continue
        again = said_again(project, phrase, notes)
        if again:
            out.append(Passage((phrase,), run, group, words=tuple(again)))
            k += 1
            continue
        end = k + 1
        while end < len(rows) and _follows(project, rows, k, end) and _alike(run, rows[end][2]):
            end += 1
        if end - k > 1 and _at_a_bar(rows, end):
            phrases = tuple(p for p, *_ in rows[k:end])
            out.append(Passage(phrases, run, group, times=end - k))
            k = end
            continue
        endings = _endings(run, rows[k + 1][2]) if k + 1 < len(rows) and _follows(project, rows, k, k + 1) else None
        if endings is not None and _at_a_bar(rows, k + 2):
            first, rest = endings
            second = (len(run), len(run) + len(rest))
            both = (*group, *(n for cell in rest for n in cell.struck))
            out.append(Passage((phrase, rows[k + 1][0]), (*run, *rest), both, 2, first, second))
            k += 2
            continue
        out.append(Passage((phrase,), run, group))
        k += 1
    return out


_Row = tuple[Phrase | None, tuple[Note, ...], tuple[Cell, ...]]


def _follows(project: Project, rows: Sequence[_Row], first: int, k: int) -> bool:
    """Whether a phrase is linked to an earlier one, both begin with a bar, and no section begins in the later one: that
    would be lost between signs of repeat."""
    earlier, later = rows[first][0], rows[k][0]
    if earlier is None or later is None or later.like != earlier.id:
        return False
    if any(later.start - EARLY_S <= s.start < later.end - EARLY_S for s in project.sections):
        return False
    return _at_a_bar(rows, first) and _at_a_bar(rows, k)


def _at_a_bar(rows: Sequence[_Row], k: int) -> bool:
    """Whether a bar begins there, or nothing follows."""
    return k >= len(rows) or (rows[k][2][0].bar >= 1 and rows[k][2][0].tick == 0)


def _look(cell: Cell) -> tuple[object, ...]:
    """What of a cell is seen, wherever it stands."""
    value = cell.value
    written = (value.type, value.dots, value.tuplet) if value else None
    struck = tuple(
        (n.string, n.fret, n.attack, n.marks, n.bend and (n.bend.kind, n.bend.target_cents), n.vibrato is not None,
         n.finger, n.doubt)
        for n in cell.struck
    )  # fmt: skip
    held = tuple((n.string, n.fret) for n in cell.held)
    return cell.tick, cell.ticks, written, cell.silent, cell.tied, cell.grace, struck, held


def _alike(a: Sequence[Cell], b: Sequence[Cell]) -> bool:
    return bool(a[0].bar) and [_look(c) for c in a] == [_look(c) for c in b]


def _endings(a: Sequence[Cell], b: Sequence[Cell]) -> tuple[Span, tuple[Cell, ...]] | None:
    """Where the last bar of a passage is, and the cells of the other's, where they differ in that bar alone."""
    last = [next(i for i, c in enumerate(run) if c.bar == run[-1].bar) for run in (a, b)]
    bars = [run[-1].bar - run[0].bar for run in (a, b)]
    if not a[0].bar or bars[0] != bars[1] or bars[0] < 1 or last[0] == 0 or a[-1].silent or b[-1].silent:
        return None
    if not _alike(a[: last[0]], b[: last[1]]) or _alike(a[last[0] :], b[last[1] :]):
        return None
    return (last[0], len(a)), tuple(b[last[1] :])


@dataclass(frozen=True, slots=True)
class Folded:
    """By the numbers of bars: left_out, as they are played by repeating others, each with the one it repeats; begins;
    ends, with how often what ends there is played; endings: the number of the ending that a bar is."""

    left_out: dict[int, int] = field(default_factory=dict)
    begins: frozenset[int] = frozenset()
    ends: dict[int, int] = field(default_factory=dict)
    endings: dict[int, int] = field(default_factory=dict)


def folded(project: Project, notes: Sequence[Note], found: Bars) -> Folded:
    """What of a score's bars is written as repeats; nothing without a beat."""
    if project.tempo is None or not notes:
        return Folded()
    groups = by_phrase(project, tuple(notes))
    runs = cut(barred(found), [group for _, group in groups])
    left_out: dict[int, int] = {}
    begins: set[int] = set()
    ends: dict[int, int] = {}
    endings: dict[int, int] = {}
    for passage in passages(project, groups, runs, tuple(notes), folded=True):
        if passage.times < 2 or passage.words:
            continue
        first, last = passage.cells[0].bar, _last_bar(passage)
        begins.add(first)
        ends[last] = passage.times
        if passage.second is None:
            size = last - first + 1
            left_out |= {bar: first + (bar - first) % size for bar in range(last + 1, first + size * passage.times)}
        else:
            other = passage.cells[passage.second[0]].bar
            left_out |= {bar: first + bar - last - 1 for bar in range(last + 1, other)}
            endings |= {last: 1, other: 2}
    return Folded(left_out, frozenset(begins), ends, endings)


def _last_bar(passage: Passage) -> int:
    """The last bar of what is played first."""
    cells: Sequence[Cell] = passage.cells[: passage.first[1]] if passage.first else passage.cells
    return cells[-1].bar + max(0, cells[-1].silent - 1)
