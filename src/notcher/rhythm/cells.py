"""A solo as a row of cells, each what begins at one time: what all systems are cut from, with a beat or without."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from notcher.rhythm.bars import Bar, Bars, Piece
from notcher.rhythm.values import TICKS, Value
from notcher.score.note import Note, strikes


@dataclass(frozen=True, slots=True)
class Cell:
    """What begins at a time in seconds, for so many seconds.

    struck: notes that begin here; held: notes tied into it. With a beat: bar, its number; tick, ticks: in the bar;
    value: as it is written, None for a grace note; silent: so many whole bars of rest that stand as one. tied: whether
    what sounds here is tied to the next cell; grace: whether it is a grace note; beam: which of its bar's it may be
    under.
    """

    time: float
    lasts: float
    struck: tuple[Note, ...] = ()
    held: tuple[Note, ...] = ()
    bar: int = 0
    tick: int = 0
    ticks: int = 0
    value: Value | None = None
    silent: int = 0
    tied: bool = False
    grace: bool = False
    beam: int = 0

    @property
    def rests(self) -> bool:
        """Whether nothing sounds in it, as it is written."""
        return not self.struck and not self.held

    @property
    def beat(self) -> Fraction:
        """Where in its bar it begins, in beats from 0."""
        return Fraction(self.tick, TICKS)


def timed(notes: Sequence[Note]) -> list[Cell]:
    """Cells without a beat: one a stroke, until the next."""
    groups = strikes(notes)
    out = []
    for k, group in enumerate(groups):
        until = groups[k + 1][0].onset if k + 1 < len(groups) else max(n.end for n in group)
        out.append(Cell(group[0].onset, max(0.0, until - group[0].onset), tuple(group)))
    return out


def barred(found: Bars) -> list[Cell]:
    """Cells of all bars, in order; bars of nothing but rest that follow one another stand as one."""
    out: list[Cell] = []
    tempo = found.tempo
    for bar in found.bars:
        first = tempo.first_beat_of(bar.number)

        def time(tick: int, first: int = first) -> float:
            return tempo.time_at(first + tick / TICKS)

        if not any(p.event.notes for p in bar.pieces) and bar.from_tick == 0:
            ticks = bar.beats * TICKS
            before = out[-1] if out else None
            same = before is not None and before.silent and before.ticks == ticks * before.silent
            if before is not None and same:
                more = before.silent + 1
                out[-1] = Cell(before.time, time(ticks) - before.time, bar=before.bar, ticks=ticks * more, silent=more)
            else:
                out.append(Cell(time(0), time(ticks) - time(0), bar=bar.number, ticks=ticks, silent=1))
            continue
        out += bar_cells(bar, time)
    return _as_played(out)


def _as_played(cells: Sequence[Cell]) -> list[Cell]:
    """Cells that begin when what is struck in them does, the others as they are written, none before the one before."""
    times: list[float] = []
    for cell in cells:
        time = cell.struck[0].onset if cell.struck else cell.time
        times.append(max([time, *times[-1:]]))
    ends = [*times[1:], max([times[-1], cells[-1].time + cells[-1].lasts])] if cells else []
    return [replace(c, time=t, lasts=max(0.0, e - t)) for c, t, e in zip(cells, times, ends, strict=True)]


def bar_cells(bar: Bar, time: Callable[[int], float] = float) -> list[Cell]:
    """The cells of one bar; time: seconds at a tick of it, where they matter."""
    return [cell for piece in bar.pieces for cell in _of_piece(piece, bar, time)]


def _of_piece(piece: Piece, bar: Bar, time: Callable[[int], float]) -> list[Cell]:
    out = []
    if piece.begins:
        out = [
            Cell(
                n.onset,
                max(0.0, piece.event.notes[0].onset - n.onset),
                (n,),
                bar=bar.number,
                tick=piece.tick,
                grace=True,
            )
            for n in piece.event.graces
        ]
    tick = piece.tick
    for k, value in enumerate(piece.values):
        begins = piece.begins and k == 0
        ends = piece.ends and k == len(piece.values) - 1
        notes = piece.event.notes
        out.append(
            Cell(
                time(tick),
                time(tick + value.ticks) - time(tick),
                notes if begins else (),
                () if begins else notes,
                bar=bar.number,
                beam=bar.beam_of(tick),
                tick=tick,
                ticks=value.ticks,
                value=value,
                tied=bool(notes) and not ends,
            )
        )
        tick += value.ticks
    return out


def cut(cells: Sequence[Cell], groups: Sequence[Sequence[Note]]) -> list[list[Cell]]:
    """Cells in as many runs as there are groups of notes that follow one another: each from its first note on, with a
    rest before it that fills its beat from the beat's first part; a run is empty where all of its group is in the one
    before."""
    place: Mapping[str, int] = {n.id: k for k, cell in enumerate(cells) for n in cell.struck}
    starts: list[int] = []
    for group in groups:
        at = min(place[n.id] for n in group)
        before = cells[at - 1] if at else None
        leads_in = before is not None and before.rests and not before.silent and before.bar == cells[at].bar
        if (
            before is not None
            and leads_in
            and before.tick % TICKS == 0
            and before.ticks < TICKS
            and cells[at].tick % TICKS
        ):
            at -= 1
        # What is struck together belongs to the earlier of two groups.
        starts.append(max(at, starts[-1]) if starts else 0)
    return [list(cells[a:b]) for a, b in zip(starts, [*starts[1:], len(cells)], strict=True)]
