"""The systems of a sheet: each phrase's cells in rows, drawn with what stands over them, ready to be put on pages."""

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from notcher.formats.opening import ADVISED, sections_of
from notcher.formats.repeats import Passage, by_phrase, passages
from notcher.formats.sheet import staff as standard
from notcher.formats.sheet import tab
from notcher.formats.sheet.look import Look
from notcher.formats.sheet.measure import broken, fitted, text_width
from notcher.formats.sheet.neck import height as neck_height
from notcher.formats.sheet.neck import strip
from notcher.formats.sheet.rows import METRE_ROOM, Row, Setting, bar_line, rows_of
from notcher.formats.sheet.shapes import Line, Shape, Text, moved
from notcher.formats.sheet.staff_mei import Score, accidentals
from notcher.formats.sheet.turns import turns_of
from notcher.place.fingers import Fingered
from notcher.place.solver import fingering
from notcher.rhythm.bars import bars_of
from notcher.rhythm.cells import Cell, barred, cut, timed
from notcher.score.chords import key_at
from notcher.score.key import Key
from notcher.score.note import Note
from notcher.score.project import Phrase, Project, Section
from notcher.wording import tr
from notcher.wording.chords import chords_over
from notcher.wording.notes import phrase_title, section_reference
from notcher.wording.numbers import clock
from notcher.wording.rhythm import counts_under

_NECK_WIDTH = 420.0
# A chord that only just begins before a line ends stands over the next.
_LAST_S = 0.2
_HEADING, _SECTION, _BETWEEN, _BRACKET, _BESIDE = 16.0, 15.0, 4.0, 12.0, 8.0


@dataclass(frozen=True, slots=True)
class System:
    """One line of music as it is put on a page: shapes from its own (0, 0) on, the points it takes, what a bookmark
    calls it ('' where it opens nothing), and the row it shows, None where words stand in its place. xs: of notes;
    sections: names of those that begin with it."""

    shapes: tuple[Shape, ...]
    height: float
    mark: str
    row: Row | None
    xs: Mapping[str, float]
    right: float = 0.0
    top: float = 0.0
    sections: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Frame:
    """How systems are cut. width: points that there are; headed: whether phrases are named over their first; words:
    whether a phrase that repeats another is said in words; letters: whether strings are named; chords: whether their
    names stand over; bare: whether rests before the first note and after the last are left out, and rows filled rather
    than broken at bar lines."""

    width: float
    headed: bool = True
    words: bool = True
    letters: bool = True
    chords: bool = True
    bare: bool = False


def systems(project: Project, notes: Sequence[Note], look: Look, frame: Frame) -> list[System]:
    """All systems, in order."""
    if not notes:
        return []
    groups = [(None, list(notes))] if look.run_on else by_phrase(project, tuple(notes))
    music = _Music.of(project, notes, look)
    runs = cut(music.cells, [group for _, group in groups])
    hand = fingering(project, hand=project.playing.hand) if look.neck else {}
    found = passages(project, groups, runs, tuple(notes), folded=frame.words and not look.run_on)
    over = _holds_the_end(project, notes)
    begins = sections_of(project, notes)
    out: list[System] = []
    for k, passage in enumerate(found):
        run = passage.cells
        if frame.bare:
            sounding = [i for i, cell in enumerate(run) if not cell.rests]
            run = run[sounding[0] : sounding[-1] + 1] if sounding else ()
        named = _heading(passage) if frame.headed and not look.run_on else ""
        opened = _opened(passage, begins) if frame.headed else {}
        if passage.words:
            out.append(_said(named, passage.words, frame.width, [s for found in opened.values() for s in found]))
            continue
        if not run:
            continue
        setting = music.setting(frame)
        lead = music.lead(run[0].bar, opens=not out)
        after = found[k + 1].cells[0] if k + 1 < len(found) else None
        rows = rows_of(run, setting, lead, after)
        struck = [{n.id for cell in row.cells for n in cell.struck} for row in rows]
        for r, row in enumerate(rows):
            ends = r == len(rows) - 1
            # What begins where nothing is printed, as it repeats what is, stands over the first line.
            mine = [s for name, found in opened.items() for s in found
                    if name in struck[r] or (r == 0 and not any(name in ids for ids in struck))]  # fmt: skip
            out.append(
                music.drawn(
                    row, setting, frame, passage, heading=named if r == 0 else "", opens=not out,
                    final=ends and k == len(found) - 1 and over, hand=hand if r == 0 else {},
                    sections=sorted(mine, key=lambda s: s.start),
                )
            )  # fmt: skip
    return out


def _opened(passage: Passage, begins: Mapping[Note, list[Section]]) -> dict[str, list[Section]]:
    """The sections that begin in a passage, by the ids of the notes they begin with; in what it plays again, too."""
    mine = {n.id for n in passage.notes}
    return {
        n.id: found for n, found in begins.items()
        if n.id in mine or any(p is not None and p.holds(n.onset) for p in passage.phrases)
    }  # fmt: skip


def _holds_the_end(project: Project, notes: Sequence[Note]) -> bool:
    """Whether the solo ends with some of its notes; not so where they are an earlier phrase of it."""
    last, own = project.notes[-1].onset, notes[-1].onset
    phrase = project.phrase_at(last)
    return own >= last or (phrase is not None and phrase == project.phrase_at(own))


def _heading(passage: Passage) -> str:
    """What stands over a passage: the names of its phrases, and when the first begins."""
    phrases = [p for p in passage.phrases if p is not None]
    if not phrases:
        return tr("between phrases") + "\t\t"
    told = ADVISED if any(p.advice or p.listen_for or p.optional for p in phrases) else ""
    return f"{', '.join(phrase_title(p) for p in phrases)}\t{clock(phrases[0].start)}\t{told}"


def _said(heading: str, words: Sequence[str], width: float, sections: Sequence[Section]) -> System:
    shapes: list[Shape] = [*(_headed(heading, width) if heading else ())]
    down = 0.0
    if sections:
        shapes += _sections(sections, [0.0] * len(sections), 17.0, width)
        down = _SECTION
    lines = [
        (8.0 + 3.0 * (len(said) - len(said.lstrip())), line) for said in words for line in broken(said, width - 20, 9.5)
    ]
    shapes += [Text(x, down + 29 + 13.0 * k, line, 9.5) for k, (x, line) in enumerate(lines)]
    names = tuple(s.name for s in sections)
    return System(
        tuple(shapes), down + 20.0 + 13.0 * len(lines) + 8.0, heading.split("\t")[0], None, {}, sections=names
    )


def _headed(heading: str, width: float) -> list[Shape]:
    name, time, told = heading.split("\t")
    name = fitted(name, width - text_width(time, 9) - 20, 11, "B")
    x = 8 + text_width(name, 11, "B")
    signs = [Text(x + text_width(time, 9) + 6, 12, told, 11, style="B")] if told else []
    return [Text(0, 12, name, 11, style="B"), Text(x, 12, time, 9, grey=0.3), *signs]


@dataclass(frozen=True, slots=True)
class _Music:
    """What is the same for all systems of a sheet."""

    project: Project
    look: Look
    cells: list[Cell]
    keys: Mapping[int, Key | None]
    written: Mapping[int, tuple[int, int]]
    metres: frozenset[int]
    shown: Mapping[str, int]
    counts: Mapping[str, str]

    @classmethod
    def of(cls, project: Project, notes: Sequence[Note], look: Look) -> "_Music":
        if project.tempo is None and not look.staff:
            return cls(project, look, timed(notes), {}, {}, frozenset(), {}, {})
        found = bars_of(project, notes)
        keys = {}
        for bar in found.bars:
            at = key_at(project, found.tempo.time_at(found.tempo.first_beat_of(bar.number)))
            keys[bar.number] = at.key if at else None
        signed = {bar.number: found.tempo.unit.signature(bar.beats) for bar in found.bars}
        numbers = list(signed)
        metres = {b for a, b in itertools.pairwise(numbers) if signed[a] != signed[b]} | set(numbers[:1])
        cells = barred(found)
        return cls(
            project, look, cells, keys, signed, frozenset(metres),
            accidentals(cells, project, keys) if look.staff else {},
            counts_under(project, notes) if look.counts else {},
        )  # fmt: skip

    def setting(self, frame: Frame) -> Setting:
        labels = tab.LABELS if frame.letters else tab.UNLABELLED
        wide = {
            b: standard.signature_room(self.keys[a], self.keys[b])
            for a, b in zip(self.keys, list(self.keys)[1:], strict=False)
            if self.look.staff and self.keys[a] != self.keys[b]
        }
        return Setting(
            frame.width - labels - 8, frozenset(self.shown), self.counts, self.written, self.metres, wide, frame.bare
        )

    def lead(self, bar: int, *, opens: bool) -> float:
        """Points at a row's beginning for clef, signature and metre; the first of a sheet is the widest."""
        clef = standard.lead_of(self.keys.get(bar)) if self.look.staff else 0.0
        return clef + (METRE_ROOM if self.metres and opens else 0.0)

    def _begun(self, row: Row, passage: Passage) -> list[Phrase]:
        """The phrases whose first note that is printed stands in a row."""
        here = {n.id for n in tab.notes_of(row)}
        firsts = [(p, next((n.id for n in passage.notes if p.holds(n.onset)), None)) for p in self.project.phrases]
        return [p for p, first in firsts if first in here]

    def drawn(
        self, row: Row, setting: Setting, frame: Frame, passage: Passage, *, heading: str, opens: bool, final: bool,
        hand: Mapping[str, Fingered], sections: Sequence[Section],
    ) -> System:  # fmt: skip
        project, look = self.project, self.look
        start, end = row.cells[0].time, row.cells[-1].time + row.cells[-1].lasts
        shapes: list[Shape] = []
        y = 0.0
        if heading:
            shapes += _headed(heading, frame.width)
            y += _HEADING
        if look.neck and hand:
            width = min(frame.width, _NECK_WIDTH)
            drawn = strip(
                passage.notes, hand, project.tuning, x=0.0, y=0.0, width=width, left_handed=look.neck.left_handed
            )
            shapes += [moved(s, 0, y + 4) for s in drawn]
            y += neck_height(project.tuning.strings)
        left = tab.LABELS if frame.letters else tab.UNLABELLED
        right = left + row.width + 6
        xs = [left + x for x in row.x]
        mark = heading.split("\t")[0]
        if sections:
            shapes += _sections(sections, [tab.x_at(row, xs, right, s.start) - 6 for s in sections], y, frame.width)
            y += _SECTION
        if look.run_on and frame.headed:
            begun = self._begun(row, passage)
            if begun:
                shapes += _names(begun, [tab.x_at(row, xs, right, p.start) - 6 for p in begun], y, frame.width)
                y += _HEADING - 2
                mark = mark or begun[0].name
        chords = chords_over(project, start, end - _LAST_S) if frame.chords else ()
        turns = turns_of(row, passage)
        if turns.brackets:
            shapes += [
                s for a, b, name in turns.brackets for s in _bracket(xs[a], xs[b] if b < len(xs) else right, y, name)
            ]
            y += _BRACKET
        if look.staff:
            firsts = [k for k in range(1, len(row.cells)) if row.cells[k].bar != row.cells[k - 1].bar]
            lines = {k: bar_line(row, k, setting) for k in firsts}
            score = Score(project, self.keys, self.written, self.shown, self.metres, opens, lines, turns, final)
            above = standard.engrave(row, score, left=left, right=right)
            if chords:
                # Over the staff, as over any score.
                shapes += tab.chord_line(row, xs, right, y + 9, chords)
                y += 13.0
                chords = ()
            shapes += [moved(s, 0, y) for s in above.shapes]
            staff_top = y + above.top
            y += above.height + _BETWEEN
        made = tab.draw(row, project.tuning, look, setting, chords=chords, opens=opens and not look.staff, final=final,
                        turns=turns,
                        letters=frame.letters, metres=not look.staff)  # fmt: skip
        shapes += [moved(s, 0, y) for s in made.shapes]
        if look.staff:
            foot = y + made.top + (project.tuning.strings - 1) * tab.GAP
            shapes.append(Line(left - 8, staff_top, left - 8, foot, 0.9))
        names = tuple(s.name for s in sections)
        return System(tuple(shapes), y + made.height, mark, row, made.xs, right, y + made.top, names)


def _bracket(x1: float, x2: float, y: float, name: str) -> list[Shape]:
    """Over a bar that is played one time alone."""
    low, high = y + 10.5, y + 1.5
    return [
        Line(x1 - 6, low, x1 - 6, high, 0.6),
        Line(x1 - 6, high, x2 - 9, high, 0.6),
        Text(x1 - 3, y + 9.5, name, 7.5),
    ]


def _places(xs: Sequence[float], needs: Sequence[float], edge: float) -> list[float]:
    """Where things stand that want to be at some x, so that none touches the next and the last ends at an edge."""
    latest, limit = [], edge
    for need in reversed(needs):
        limit -= need
        latest.append(limit)
        limit -= _BESIDE
    out: list[float] = []
    free = 0.0
    for x, late, need in zip(xs, reversed(latest), needs, strict=True):
        out.append(max(min(x, late), free))
        free = out[-1] + need + _BESIDE
    return out


def _sections(found: Sequence[Section], xs: Sequence[float], y: float, edge: float) -> list[Shape]:
    """edge: how far to the right they may go."""
    share = edge / len(found) - _BESIDE - 12
    said = [
        (
            fitted(section.name, share * 0.4, 9.5, "B"),
            fitted(" · ".join(w for w in (clock(section.start), section_reference(section)) if w), share * 0.6, 8.0),
        )
        for section in found
    ]
    widths = [text_width(name, 9.5, "B") + 6 for name, _ in said]
    needs = [width + 4 + text_width(words, 8.0) for width, (_, words) in zip(widths, said, strict=True)]
    out: list[Shape] = []
    for at, width, (name, words) in zip(_places(xs, needs, edge), widths, said, strict=True):
        box = [(at, y + 1.5), (at + width, y + 1.5), (at + width, y + 13), (at, y + 13), (at, y + 1.5)]
        out += [Line(a, b, c, d, 0.7) for (a, b), (c, d) in itertools.pairwise(box)]
        out.append(Text(at + 3, y + 10.6, name, 9.5, style="B"))
        out.append(Text(at + width + 4, y + 10.6, words, 8.0, grey=0.3))
    return out


def _names(found: Sequence[Phrase], xs: Sequence[float], y: float, edge: float) -> list[Shape]:
    """edge: how far to the right they may go."""
    share = edge / len(found) - _BESIDE
    times = [clock(p.start) for p in found]
    rooms = [text_width(time, 8.0) + 5 for time in times]
    titles = [fitted(phrase_title(p), share - room, 9.5, "B") for p, room in zip(found, rooms, strict=True)]
    widths = [text_width(title, 9.5, "B") for title in titles]
    needs = [width + room for width, room in zip(widths, rooms, strict=True)]
    out: list[Shape] = []
    for at, title, width, time in zip(_places(xs, needs, edge), titles, widths, times, strict=True):
        out += [Text(at, y + 10, title, 9.5, style="B"), Text(at + width + 5, y + 10, time, 8.0, grey=0.3)]
    return out
