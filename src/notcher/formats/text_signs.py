"""How one note stands in text tab, and what explains its signs."""

from collections.abc import Iterable, Sequence

from notcher.score.note import Attack, BendKind, Mark, Note
from notcher.score.technique import ATTACKS, MARKS, Absent
from notcher.wording import later, tr

STROKES = {Mark.DOWN_STROKE: "d", Mark.UP_STROKE: "u"}
# A palm mute stands before the others; the stroke of a slide off is drawn with the number.
_SHORT = {
    row.mark: row.text for row in MARKS
    if not isinstance(row.text, Absent) and row.mark not in (Mark.PALM_MUTE, Mark.SLIDE_OFF)
}  # fmt: skip
_OF_ATTACK = {row.attack: row.text for row in ATTACKS if not isinstance(row.text, Absent)}

_OF_BENDS: tuple[tuple[frozenset[BendKind], str], ...] = (
    (frozenset({BendKind.BEND, BendKind.UNISON, BendKind.CURL}), later("9b11 bend, to sound like fret 11")),
    (frozenset({BendKind.BEND_RELEASE}), later("9b11r9 bend and release")),
    (frozenset({BendKind.PRE_BEND}), later("(9b11) pre-bend")),
    (frozenset({BendKind.PRE_BEND_RELEASE}), later("(9b11)r9 pre-bend and release")),
    (frozenset({BendKind.HOLD}), later("(9b11) held bent, picked again")),
    (frozenset({BendKind.AGAIN}), later("9b11r9b11 bent again unpicked")),
    (frozenset({BendKind.STAGGERED}), later("(9b)b11 picked again as it rises")),
    (frozenset({BendKind.MUTED}), later("9b11x muted at the top")),
)
_QUARTER = later("9b(9.5) up a quarter step: half way to the next fret")
_SLIDES = later("/ \\ slides")
_NUMBERS = {
    Mark.DEAD: later("x dead"), Mark.NATURAL_HARMONIC: later("<12> natural harmonic"),
    Mark.PINCH_HARMONIC: later("[4] pinch harmonic"),
}  # fmt: skip
_VIBRATO, _DOUBT, _ADVICE = later("~ vibrato"), later("? doubtful"), later("! advice, at the end")


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
    before = "/" if Mark.SLIDE_IN in n.marks else _OF_ATTACK.get(n.attack, "")
    after = "~" if n.vibrato else ""
    after += "\\" if Mark.SLIDE_OFF in n.marks else ""
    after += "pm" if Mark.PALM_MUTE in n.marks else ""
    after += "".join(word for mark, word in _SHORT.items() if mark in n.marks and not (hands and mark in STROKES))
    after += "?" if n.doubt else ""
    after += "!" if n.advice else ""
    return before + core + after


def text_legend(notes: Sequence[Note], *, hands: bool) -> list[str]:
    """What explains the signs of these notes, and no others. hands: strokes have a line of their own."""
    bends = {n.bend.kind for n in notes if n.bend}
    attacks = {n.attack for n in notes}
    marks: set[Mark] = set().union(*(n.marks for n in notes))
    out = [tr(words) for kinds, words in _OF_BENDS if kinds & bends]
    if any(n.bend and n.sounds_like_fret() % 1 for n in notes):
        out.append(tr(_QUARTER))
    out += [f"{text} {tr(row.words)}" for row in ATTACKS if row.attack in attacks
            for text in _shown(row.text) if row.attack is not Attack.SLIDE]  # fmt: skip
    if Attack.SLIDE in attacks or marks & {Mark.SLIDE_IN, Mark.SLIDE_OFF}:
        out.append(tr(_SLIDES))
    out += [tr(_VIBRATO)] if any(n.vibrato for n in notes) else []
    out += [tr(words) for mark, words in _NUMBERS.items() if mark in marks]
    aside = {Mark.SLIDE_OFF, *(STROKES if hands else ())}
    out += [f"{text} {tr(row.words)}" for row in MARKS if row.mark in marks - aside for text in _shown(row.text)]
    out += [tr(_DOUBT)] if any(n.doubt for n in notes) else []
    return [*out, *([tr(_ADVICE)] if any(n.advice for n in notes) else [])]


def _shown(text: str | Absent) -> Iterable[str]:
    return () if isinstance(text, Absent) else (text,)
