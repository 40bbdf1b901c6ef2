"""Tab as plain text, by phrases, with timestamps: readable in a message or a terminal."""

import itertools
import textwrap
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from notcher.formats import heading
from notcher.formats.opening import ADVISED, sections_of
from notcher.formats.repeats import by_phrase, said_again
from notcher.formats.text_signs import STROKES, note_text, text_legend
from notcher.rhythm.bars import written_bars
from notcher.score.note import Note, strikes
from notcher.score.project import Project
from notcher.wording import later, tr
from notcher.wording.chords import chords_over
from notcher.wording.notes import phrase_title, remarks_on, remarks_on_phrase
from notcher.wording.numbers import clock
from notcher.wording.rhythm import counts_under

_WIDTH = 80
# A chord stands over a note that comes so little before it.
_EARLY_S = 0.1
_BAR_LINE = 2
SECTION = later("Section {name}")
NO_BEAT = later("= rings on   - silent (there is no beat: how far numbers stand apart is time)")
FINGERS_ROW, STROKES_ROW, COUNT_ROW = "f", "s", "c"
"""What the lines under a block begin with, before a full stop: those of strings have a bar there."""
OF_COUNT = later(
    "c. the count: what is said on each number, (3) a beat that passes before it, . within the beat; | a bar begins"
)
OF_HANDS = later("f. the fretting hand: 1 to 4 its fingers, T the thumb   s. the pick: d down, u up")


def text_tab(
    project: Project, notes: tuple[Note, ...], *, hands: bool = False, said: heading.Said = heading.PLAIN
) -> str:  # fmt: skip
    """The notes as text tab: a block of lines, one a string, for each phrase, no line longer than 80 characters. hands:
    under each block a line of fingers and one of strokes, as the notes have them. said: what its head says besides."""
    lines = textwrap.wrap(heading.title(project), _WIDTH) or [""]
    lines += textwrap.wrap(heading.whose(project, said), _WIDTH)
    lines += [line for fact in heading.facts(project) for line in textwrap.wrap(fact, _WIDTH)]
    lines.append("")
    counts, bars = counts_under(project, notes), written_bars(project, notes)
    groups, sections = by_phrase(project, notes), sections_of(project, notes)
    for k, (phrase, group) in enumerate(groups):
        times = f"  ({clock(phrase.start)} - {clock(phrase.end)})" if phrase else ""
        name = textwrap.wrap(phrase_title(phrase), _WIDTH - len(times)) if phrase else [tr("Between phrases")]
        lines += [tr(SECTION, name=s.name) for n in group for s in sections.get(n, ())]
        lines += [*name[:-1], name[-1] + times]
        for remark in remarks_on_phrase(phrase) if phrase else ():
            lines += textwrap.wrap(f"{ADVISED} {remark}", _WIDTH, subsequent_indent=f"{ADVISED} ")
        again = said_again(project, phrase, notes)
        after = bars.get(groups[k + 1][1][0].id) if k + 1 < len(groups) else None
        lines += [*again, ""] if again else _block(project, group, counts, bars, after, hands=hands)
    of_time, of_hands = (OF_COUNT,) if project.tempo else (), (OF_HANDS,) if hands else ()
    for legend in (*of_time, *of_hands, *(() if project.tempo else (NO_BEAT,))):
        lines += textwrap.wrap(tr(legend), 78)
    lines += _side_by_side(text_legend(notes, hands=hands))
    remarks = remarks_on(project, notes)
    if remarks:
        lines += ["", *(line for remark in remarks for line in textwrap.wrap(remark, 78, subsequent_indent="  "))]
    return "\n".join(lines) + "\n"


def _side_by_side(items: Sequence[str]) -> list[str]:
    """What explains signs, as many to a line as fit."""
    lines: list[str] = []
    for item in items:
        if lines and len(lines[-1]) + 3 + len(item) <= _WIDTH:
            lines[-1] += "   " + item
        else:
            lines += textwrap.wrap(item, _WIDTH)
    return lines


def _fingers(column: list[Note]) -> str:
    """The fingers of what is struck together, from the thinnest string on."""
    return "".join(str(n.finger or "T") for n in column if n.finger is not None)


def _strokes(column: list[Note]) -> str:
    """The stroke that takes them."""
    return "".join(dict.fromkeys(word for n in column for mark, word in STROKES.items() if mark in n.marks))


@dataclass(frozen=True, slots=True)
class _Column:
    """What is struck together: its texts by string, what stands under them, the characters it takes, and how far each
    string's note rings into it (0 to 1)."""

    notes: list[Note]
    texts: Mapping[int, str]
    below: Mapping[str, str]
    width: int
    rings: Mapping[int, float]


def _columns(
    project: Project, group: list[Note], counts: Mapping[str, str], *, hands: bool
) -> Iterator[_Column]:  # fmt: skip
    struck = strikes(group)
    ringing: dict[int, float] = {}
    for i, column in enumerate(struck):
        following = struck[i + 1] if i + 1 < len(struck) else None
        texts = {n.string: note_text(n, hands=hands) for n in column}
        below = {COUNT_ROW: next((counts[n.id] for n in column if n.id in counts), "")} if counts else {}
        below |= {FINGERS_ROW: _fingers(column), STROKES_ROW: _strokes(column)} if hands else {}
        begins = column[0].onset
        gap = max(1, min(8, round((following[0].onset - begins) * 8))) if following else 1
        ringing = {s: end for s, end in ringing.items() if end > begins} | {n.string: n.end for n in column}
        until = following[0].onset if following else max(n.end for n in column)
        rings = {s: min(1.0, (end - begins) / max(0.01, until - begins)) for s, end in ringing.items()}
        width = max(len(t) for t in (*texts.values(), *below.values())) + gap
        # Without a beat tab says how long a note rings; a note is never longer than its string is left alone.
        yield _Column(column, texts, below, width, rings if project.tempo is None else {})


def _bars(columns: Iterable[_Column], bar_of: Mapping[str, int]) -> list[list[_Column]]:
    """Columns by the bar they begin in; all as one where there is no beat."""
    return [list(bar) for _, bar in itertools.groupby(columns, lambda c: bar_of.get(c.notes[0].id, 0))]


class _Lines:
    """A phrase's lines as they fill, one block under another."""

    def __init__(self, project: Project, over: list[tuple[float, str]], under: Sequence[str]) -> None:
        self._letters = [letter.ljust(2) for letter in project.tuning.letters()]
        self._over, self._under_kinds = over, tuple(under)
        self.out: list[str] = []
        self._begin()

    def _begin(self) -> None:
        self._above = ""
        self._rows = ["-"] * len(self._letters)
        self._under = dict.fromkeys(self._under_kinds, " ")

    @property
    def room(self) -> int:
        """Characters that are left on a line, but for the bar line at its end."""
        return _WIDTH - len(self._letters[0]) - 2 - len(self._rows[0])

    @property
    def empty(self) -> bool:
        """Whether nothing stands on a line yet."""
        return len(self._rows[0]) <= 1

    def bar_line(self) -> None:
        self._rows = [row + "|-" for row in self._rows]
        self._under = {kind: row + "  " for kind, row in self._under.items()}

    def end(self, *, of_bar: bool) -> None:
        """End the lines. of_bar: with a bar line; else the bar goes on in the next."""
        if self._above:
            self.out.append(" " * (len(self._letters[0]) + 1) + self._above)
        close = "|" if of_bar else "-"
        self.out += [f"{letter}|{row}{close}" for letter, row in zip(self._letters, self._rows, strict=True)]
        self.out += [f"{kind}. {row}".rstrip() for kind, row in self._under.items()]
        self.out.append("")
        self._begin()

    def put(self, column: _Column) -> None:
        self._chord(column.notes[0].onset)
        for s in range(len(self._rows)):
            text = column.texts.get(s + 1, "")
            rings = "=" * round(column.rings.get(s + 1, 0.0) * (column.width - len(text)))
            self._rows[s] += (text + rings).ljust(column.width, "-")
        for kind, text in column.below.items():
            self._under[kind] += text.ljust(column.width)

    def fits(self, column: _Column) -> bool:
        """Whether a column, and the chord over it, still go on a line; on an empty one all does."""
        above = len(self._letters[0]) + 1 + len(self._with_chord(column.notes[0].onset))
        return self.empty or (column.width <= self.room and above <= _WIDTH)

    def _due(self, onset: float) -> list[str]:
        return [name for at, name in self._over if at <= onset + _EARLY_S]

    def _with_chord(self, onset: float) -> str:
        """What stands above, with the chord over a note that comes with it or after it; a name never runs into the one
        before."""
        due = self._due(onset)
        if not due:
            return self._above
        here = len(self._rows[0])
        return (self._above.ljust(here) if len(self._above) < here else self._above + " ") + due[-1]

    def _chord(self, onset: float) -> None:
        self._above = self._with_chord(onset)
        del self._over[: len(self._due(onset))]


def _block(
    project: Project, group: list[Note], counts: Mapping[str, str], bar_of: Mapping[str, int], after: int | None, *,
    hands: bool,
) -> list[str]:  # fmt: skip
    """A phrase's lines, parted at bars; within one only where it is longer than a line. after: the bar of what follows
    it, if any does."""
    under = ([COUNT_ROW] if counts else []) + ([FINGERS_ROW, STROKES_ROW] if hands else [])
    lines = _Lines(project, list(chords_over(project, group[0].onset, group[-1].end)), under)
    for bar in _bars(_columns(project, group, counts, hands=hands), bar_of):
        if not lines.empty and _BAR_LINE + sum(c.width for c in bar) > lines.room:
            lines.end(of_bar=True)
        if not lines.empty:
            lines.bar_line()
        for column in bar:
            if not lines.fits(column):
                lines.end(of_bar=False)
            lines.put(column)
    lines.end(of_bar=after is None or after != bar_of[group[-1].id])
    return lines.out
