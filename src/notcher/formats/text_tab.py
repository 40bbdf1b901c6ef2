"""Tab as plain text, by phrases, with timestamps: readable in a message or a terminal."""

import textwrap
from collections.abc import Mapping

from notcher.formats import heading
from notcher.formats.repeats import by_phrase, said_again
from notcher.rhythm.bars import written_bars
from notcher.score.note import Attack, BendKind, Mark, Note, strikes
from notcher.score.project import Project
from notcher.score.technique import MARKS, Absent
from notcher.wording import later, tr
from notcher.wording.chords import chords_over
from notcher.wording.notes import phrase_title, remarks_on
from notcher.wording.numbers import clock
from notcher.wording.rhythm import short_count, written_counts

_WIDTH = 80
# A chord stands over a note that comes so little before it.
_EARLY_S = 0.1
NO_BEAT = later("= rings on   - silent (there is no beat: how far numbers stand apart is time)")
FINGERS_ROW, STROKES_ROW, COUNT_ROW = "f", "s", "c"
"""What the lines under a block begin with, before a full stop: those of strings have a bar there."""
OF_COUNT = later("c. the count: what is said on each number, . within the beat; | a bar begins")
OF_HANDS = later("f. the fretting hand: 1 to 4 its fingers, T the thumb   s. the pick: d down, u up")
LEGEND = (
    later(
        "9b11 bend, to sound like fret 11   9b(9.5) a quarter   9b11r9 bend and release   (9b11) pre-bend   "
        "(9b11)r9 pre-bend and release"
    ),
    later(
        "h hammer-on   p pull-off   / \\ slide   ~ vibrato   t tap   x dead   <12> natural harmonic   "
        "[4] pinch harmonic   rk rake   pm palm mute   ? doubtful"
    ),
    later(
        "9b11r9b11 bent again unpicked   (9b)b11 picked again as it rises   9b11x muted at the top   lr let ring   "
        "st staccato   tr trill   gr grace   lh fretting hand alone   "
        "rp picked again"
    ),
    later("d down   u up   ac accent   tm tremolo picking   sw volume swell   dip, dive, scoop with the bar"),
)


def text_tab(
    project: Project, notes: tuple[Note, ...], *, hands: bool = False, said: heading.Said = heading.PLAIN
) -> str:  # fmt: skip
    """The notes as text tab: a block of lines, one a string, for each phrase, no line longer than 80 characters. hands:
    under each block a line of fingers and one of strokes, as the notes have them. said: what its head says besides."""
    lines = textwrap.wrap(heading.title(project), _WIDTH) or [""]
    lines += textwrap.wrap(heading.whose(project, said), _WIDTH)
    lines += [line for fact in heading.facts(project) for line in textwrap.wrap(fact, _WIDTH)]
    lines.append("")
    counts, bars = written_counts(project, notes), written_bars(project, notes)
    for phrase, group in by_phrase(project, notes):
        times = f"  ({clock(phrase.start)} - {clock(phrase.end)})" if phrase else ""
        lines.append(f"{phrase_title(phrase)}{times}" if phrase else tr("Between phrases"))
        again = said_again(project, phrase, notes)
        lines += [*again, ""] if again else _block(project, group, counts, bars, hands=hands)
    of_time, of_hands = (OF_COUNT,) if project.tempo else (), (OF_HANDS,) if hands else ()
    for legend in (*of_time, *of_hands, *LEGEND, *(() if project.tempo else (NO_BEAT,))):
        lines += textwrap.wrap(tr(legend), 78, break_long_words=False)
    remarks = remarks_on(project, notes)
    if remarks:
        lines += ["", *(line for remark in remarks for line in textwrap.wrap(remark, 78, subsequent_indent="  "))]
    return "\n".join(lines) + "\n"


# A palm mute stands before the others; the stroke of a slide off is drawn with the number.
_SHORT = {
    row.mark: row.text for row in MARKS
    if not isinstance(row.text, Absent) and row.mark not in (Mark.PALM_MUTE, Mark.SLIDE_OFF)
}  # fmt: skip


def note_text(n: Note, *, hands: bool = False) -> str:
    """One note as it stands on its line. hands: strokes have a line of their own."""
    core = f"{n.node_fret():.2g}" if n.partial else str(n.fret)
    if Mark.DEAD in n.marks:
        core = "x"
    elif Mark.NATURAL_HARMONIC in n.marks:
        core = f"<{core}>"
    elif Mark.PINCH_HARMONIC in n.marks:
        core = f"[{core}]"
    if n.bend:
        to = n.sounds_like_fret()
        goal = f"{to:.0f}" if to == int(to) else f"({to:g})"
        core = {
            BendKind.PRE_BEND: f"({n.fret}b{goal})", BendKind.HOLD: f"({n.fret}b{goal})",
            BendKind.PRE_BEND_RELEASE: f"({n.fret}b{goal})r{n.fret}",
            BendKind.BEND_RELEASE: f"{n.fret}b{goal}r{n.fret}", BendKind.AGAIN: f"{n.fret}b{goal}r{n.fret}b{goal}",
            BendKind.STAGGERED: f"({n.fret}b)b{goal}", BendKind.MUTED: f"{n.fret}b{goal}x",
        }.get(n.bend.kind, f"{n.fret}b{goal}")  # fmt: skip
    before = {Attack.HAMMER: "h", Attack.PULL: "p", Attack.TAP: "t", Attack.RAKE: "rk"}.get(n.attack, "")
    if n.attack is Attack.SLIDE or Mark.SLIDE_IN in n.marks:
        before = "/"
    after = "~" if n.vibrato else ""
    after += "\\" if Mark.SLIDE_OFF in n.marks else ""
    after += "pm" if Mark.PALM_MUTE in n.marks else ""
    after += "".join(word for mark, word in _SHORT.items() if mark in n.marks and not (hands and mark in _STROKES))
    after += "?" if n.doubt else ""
    return before + core + after


_STROKES = {Mark.DOWN_STROKE: "d", Mark.UP_STROKE: "u"}


def _fingers(column: list[Note]) -> str:
    """The fingers of what is struck together, from the thinnest string on."""
    return "".join(str(n.finger or "T") for n in column if n.finger is not None)


def _strokes(column: list[Note]) -> str:
    """The stroke that takes them."""
    return "".join(dict.fromkeys(word for n in column for mark, word in _STROKES.items() if mark in n.marks))


def _bars_begin(columns: list[list[Note]], bar_of: Mapping[str, int]) -> set[int]:
    """Numbers of the columns before which a bar line stands."""
    bars = [bar_of.get(column[0].id, 0) for column in columns]
    return {k for k in range(1, len(bars)) if bars[k] != bars[k - 1]}


def _short_count(column: list[Note], counts: Mapping[str, str]) -> str:
    """What is said on what is struck together."""
    return short_count(next((counts[n.id] for n in column if n.id in counts), ""))


def _block(
    project: Project, group: list[Note], counts: Mapping[str, str], bar_of: Mapping[str, int], *, hands: bool = False
) -> list[str]:
    letters = [letter.ljust(2) for letter in project.tuning.letters()]
    columns = strikes(group)
    over = list(chords_over(project, group[0].onset, group[-1].end))
    out: list[str] = []
    above = ""
    rows = ["-"] * project.tuning.strings
    bars = _bars_begin(columns, bar_of)
    under = {COUNT_ROW: " "} if counts else {}
    under |= {FINGERS_ROW: " ", STROKES_ROW: " "} if hands else {}

    def flush() -> None:
        if above:
            out.append(" " * (len(letters[0]) + 1) + above)
        out.extend(f"{letters[i]}|{rows[i]}|" for i in range(len(rows)))
        out.extend(f"{letter}. {row}".rstrip() for letter, row in under.items())
        out.append("")

    ringing: dict[int, float] = {}
    for i, column in enumerate(columns):
        texts = {n.string: note_text(n, hands=hands) for n in column}
        below = {COUNT_ROW: _short_count(column, counts)} if counts else {}
        below |= {FINGERS_ROW: _fingers(column), STROKES_ROW: _strokes(column)} if hands else {}
        gap = 1
        if i + 1 < len(columns):
            gap = max(1, min(8, round((columns[i + 1][0].onset - column[0].onset) * 8)))
        width = max(len(t) for t in (*texts.values(), *below.values())) + gap
        if i in bars and len(rows[0]) > 1:
            rows = [row + "|-" for row in rows]
            under = {letter: row + "  " for letter, row in under.items()}
        if len(rows[0]) + width + 4 > _WIDTH:
            flush()
            above = ""
            rows = ["-"] * project.tuning.strings
            under = dict.fromkeys(under, " ")
        begins = column[0].onset
        last = None
        while over and over[0][0] <= begins + _EARLY_S:
            last = over.pop(0)[1]
        if last is not None:
            # Over the note that comes with it or after it; a name never runs into the one before.
            above = above.ljust(len(rows[0])) if not above or len(above) < len(rows[0]) else above + " "
            above += last
        ringing = {s: end for s, end in ringing.items() if end > begins} | {n.string: n.end for n in column}
        until = columns[i + 1][0].onset if i + 1 < len(columns) else max(n.end for n in column)
        for s in range(len(rows)):
            text = texts.get(s + 1, "")
            # Without a beat tab says how long a note rings; a note is never longer than its string is left alone.
            share = (ringing.get(s + 1, begins) - begins) / max(0.01, until - begins) if project.tempo is None else 0.0
            rings = "=" * round(min(1.0, share) * (width - len(text)))
            rows[s] += (text + rings).ljust(width, "-")
        for letter, text in below.items():
            under[letter] += text.ljust(width)
    flush()
    return out
