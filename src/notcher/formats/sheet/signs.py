"""How each technique is drawn on tab, after the common conventions of printed tablature."""

import itertools
import math

from notcher.formats.sheet.measure import text_width
from notcher.formats.sheet.shapes import Curve, Line, Point, Polygon, Shape, Text
from notcher.score.note import Attack, Bend, BendKind, Mark, Note
from notcher.score.technique import MARKS, Absent
from notcher.wording import term, tr

LINE_GAP = 8.4
FRET_SIZE = 8.8
_SMALL = 0.74
BEND_TOP = 13.0
"""How far above the top line a bend's arrow ends."""
CURL_TOP = 15.0
"""How far above its line the middle of a curl's interval stands."""


def fret_label(note: Note) -> str:
    """What stands on the string's line."""
    if Mark.DEAD in note.marks:
        return "×"
    if note.partial is not None and Mark.NATURAL_HARMONIC in note.marks:
        return f"‹{note.node_fret():.1f}›"
    return f"‹{note.fret}›" if Mark.NATURAL_HARMONIC in note.marks else str(note.fret)


def label_width(label: str, size: float = FRET_SIZE) -> float:
    """A fair guess at the width of figures, in points."""
    return len(label) * size * 0.56


def changed(x: float, y: float, half: float) -> list[Shape]:
    """The frame of a number that is other than on the last handout."""
    low, high = y - 5.0, y + 5.0
    corners = [(x - half, low), (x + half, low), (x + half, high), (x - half, high), (x - half, low)]
    return [Line(a, b, c, d, 0.7) for (a, b), (c, d) in itertools.pairwise(corners)]


def _shown(note: Note) -> str:
    label = fret_label(note)
    return f"({label})" if note.bend and note.bend.starts_raised else label


def half_width(note: Note, *, small: bool = False) -> float:
    """Points from a number's middle to where its string's line goes on."""
    return label_width(_shown(note)) / 2 * (_SMALL if small else 1.0) + 0.9


def fret(x: float, y: float, note: Note, *, small: bool = False) -> list[Shape]:
    """The fret number, for which the string's line leaves a gap. small: a grace note's, as on any sheet."""
    size = FRET_SIZE * (_SMALL if small else 1.0)
    half = half_width(note, small=small)
    out: list[Shape] = [Text(x, y + 3.1 * size / FRET_SIZE, _shown(note), size, "middle", "B")]
    if note.finger is not None:
        out.append(Text(x + half + 0.6, y + 4.6, str(note.finger or "T"), 5.4, "start"))
    said = ("?" if note.doubt else "") + ("!" if note.advice else "")
    if said:
        out.append(Text(x + half + 0.4, y - 2.4, said, 6.5, "start", "B"))
    return out


def _bend_room(x: float, end_x: float) -> float:
    return max(13.0, min(end_x - x, 90.0))


def bend_peak(x: float, bend_: Bend, end_x: float) -> float:
    """Where a bend's interval stands, for a number at x."""
    if bend_.starts_raised:
        return x
    room, start = _bend_room(x, end_x), x + 5.5
    return start + (min(15.0, room * 0.45) if bend_.released else min(18.0, room * 0.75))


def curl_words(x: float, bend_: Bend) -> tuple[float, float]:
    """From where to where the interval of a curl may stand, for a number at x; CURL_TOP over its line."""
    half = text_width(term("staff", bend_.interval_name), 6.6) / 2
    return x + 9.5 - half, x + 13.5 + half


def bend(x: float, y: float, bend_: Bend, *, top: float, end_x: float) -> list[Shape]:
    """The arrow of a bend from the fret number (x, y) up to `top`, its interval above, and its release.

    end_x: where the note ends, in points; the whole bend is drawn within it.
    """
    room = _bend_room(x, end_x)
    start = x + 5.5
    name = term("staff", bend_.interval_name)
    out: list[Shape]
    if bend_.kind is BendKind.CURL:
        peak = start + min(8.0, room * 0.5)
        tip = y - 11.0
        out = [Curve(((start, y - 1), (peak, y - 1), (peak, y - 4), (peak, tip + 3))), *_arrow(peak, tip, up=True)]
        return [*out, Text(peak, tip - 1.8, name, 6.6, "middle")]
    if bend_.kind is BendKind.HOLD:
        # Held from the note before: nothing moves.
        peak = x
        out = [Line(x - 9, top + 2.5, x + 9, top + 2.5, 0.8)]
    elif bend_.starts_raised:
        peak = x
        out = [Line(x, y - 5.0, x, top + 3.5, 0.8), *_arrow(x, top, up=True)]
    else:
        peak = bend_peak(x, bend_, end_x)
        out = [Curve(((start, y - 0.5), (peak - 2, y - 0.5), (peak, y - 6), (peak, top + 3.5))),
               *_arrow(peak, top, up=True)]  # fmt: skip
    out.append(Text(peak, top - 2.0, name, 7.0, "middle", "B"))
    if bend_.released:
        down = max(peak + 6.0, min(x + room - 2.0, peak + 20.0))
        out += [Curve(((peak, top + 1.5), (down - 3, top + 1.5), (down, top + 6), (down, y - 7.5))),
                *_arrow(down, y - 4.2, up=False)]  # fmt: skip
    elif bend_.kind is BendKind.AGAIN:
        dip, end = peak + min(12.0, room * 0.3), peak + min(24.0, room * 0.6)
        out += [Curve(((peak, top + 1.5), (dip - 2, top + 1.5), (dip - 2, y - 6), (dip, y - 6))),
                Curve(((dip, y - 6), (end - 2, y - 6), (end, y - 8), (end, top + 3.5))),
                *_arrow(end, top, up=True)]  # fmt: skip
    elif bend_.kind is BendKind.STAGGERED:
        # A second head where it is picked again.
        out += _arrow(peak, (y + top) / 2 - 1.0, up=True)
    elif bend_.kind is BendKind.MUTED:
        out += [Line(peak + 4, top - 1, peak + 8, top + 3, 0.8), Line(peak + 4, top + 3, peak + 8, top - 1, 0.8)]
    elif room > 40 and bend_.kind not in (BendKind.PRE_BEND, BendKind.HOLD):
        out.append(Line(peak + 3, top + 1, x + room - 2, top + 1, 0.5, dash=True))
    return out


def _arrow(x: float, y: float, *, up: bool) -> list[Shape]:
    base = y + 4.2 if up else y - 4.2
    return [Polygon(((x, y), (x - 2.0, base), (x + 2.0, base)))]


def vibrato(x: float, end_x: float, y: float, extent_cents: float) -> list[Shape]:
    """A wave over the staff; a wide vibrato is drawn taller."""
    height = 1.3 if extent_cents < 20 else 2.0 if extent_cents < 35 else 2.8
    out: list[Shape] = []
    step = 5.0
    for i in range(max(2, min(14, math.floor((end_x - x) / step)))):
        a = x + i * step
        sign = -1 if i % 2 == 0 else 1
        third = step / 3
        out.append(Curve(((a, y), (a + third, y + sign * height * 1.4), (a + 2 * third, y + sign * height * 1.4),
                          (a + step, y)), 0.9))  # fmt: skip
    return out


def legato(x1: float, x2: float, y: float, letter: str, at: Point | None = None) -> list[Shape]:
    """The arc of a hammer-on or pull-off between two numbers, with its letter, above its middle or where it is said."""
    a, b, rise = x1 + 3.0, x2 - 3.0, 5.4 + min(2.5, (x2 - x1) / 40)
    arc = Curve(((a, y - 4.6), (a + (b - a) * 0.25, y - 4.6 - rise * 0.8), (a + (b - a) * 0.75, y - 4.6 - rise * 0.8),
                 (b, y - 4.6)), 0.6)  # fmt: skip
    place = at or ((a + b) / 2, y - 5.6 - rise * 0.6)
    return [arc, Text(*place, letter, 5.6, "middle")]


def slide(x1: float, x2: float, y: float, *, up: bool) -> list[Shape]:
    """The straight line of a slide."""
    slope = 2.6 if up else -2.6
    return [Line(x1, y + slope, x2, y - slope, 0.9)]


def above_texts(note: Note) -> list[str]:
    """Words over the staff: tap, rake, palm mute, harmonics, trill and the rest."""
    words = []
    if note.attack is Attack.TAP:
        words.append(term("staff", "T"))
    if note.attack is Attack.RAKE:
        words.append(
            term("staff", "rake") if note.raked_from is None else tr("rake from {string}", string=note.raked_from)
        )
    if note.sounding is not None:
        words.append(tr("{percent:.0f} %", percent=note.sounding * 100))
    return words + [term("staff", _STAFF[m]) for m in _above(note) if m not in STROKES]


STROKES = (Mark.DOWN_STROKE, Mark.UP_STROKE)


def stroke_of(note: Note) -> Mark | None:
    """Which way the note is picked, as it is said, None where it is not."""
    return next((m for m in STROKES if m in note.marks), None)


def stroke(x: float, y: float, mark: Mark) -> list[Shape]:
    """The sign of a stroke, standing on y: a bracket open below for down, a wedge for up, as bows and picks have long
    had them."""
    wide, high = 2.2, 4.6
    if mark is Mark.UP_STROKE:
        return [Line(x - wide, y - high, x, y, 0.8), Line(x, y, x + wide, y - high, 0.8)]
    return [
        Line(x - wide, y - high, x + wide, y - high, 1.5), Line(x - wide, y, x - wide, y - high, 0.7),
        Line(x + wide, y, x + wide, y - high, 0.7),
    ]  # fmt: skip


def _above(note: Note) -> list[Mark]:
    marks = note.marks - {Mark.LEFT_HAND} if note.attack is Attack.TAP else note.marks
    return [m for m in sorted(marks) if m in _STAFF]


_STAFF = {row.mark: row.staff for row in MARKS if not isinstance(row.staff, Absent)}


_LEGEND_OF_MARKS = tuple(
    # Where nothing stands over the staff, the row explains what stands at the number.
    (
        row.staff if not isinstance(row.staff, Absent) else {Mark.DEAD: "×", Mark.SLIDE_IN: "slide-in"}[row.mark],
        row.legend,
    )
    for row in MARKS
    if not isinstance(row.legend, Absent)
)
LEGEND: tuple[tuple[str, str], ...] = (
    ("bend", "bend, to sound ¼, ½, full, 1½ … steps higher"),
    ("release", "bend and release, unpicked"),
    ("pre", "pre-bend: push silently first, then pick"),
    ("hold", "held where the note before left it, and picked again"),
    ("curl", "curl: about a quarter step, right at the note's end"),
    ("again", "let down and bent again, unpicked"),
    ("staggered", "picked again while the string rises"),
    ("muted", "bend, stop the string at the top, let down in silence"),
    ("vibrato", "vibrato: taller waves are wider"),
    ("H", "hammer-on"),
    ("P", "pull-off"),
    ("slide", "slide to the next fret without picking"),
    ("T", "tap with the picking hand"),
    ("rake", "rake across damped strings into the note, from the string that is named"),
    *_LEGEND_OF_MARKS,
    ("%", "so much of the note's value sounds; then a gap"),
    ("finger", "small figure at a number: finger 1 to 4 of the fretting hand, T the thumb"),
    ("(3)", "in the count: a beat that passes before the note"),
    ("?", "doubtful: see the notes at the end"),
    ("!", "advice: see the notes at the end"),
    ("half note", "short stem, no flag: a half note"),
    ("[9]", "in a frame: other than on your last handout"),
)


STAFF_SIGNS = (*dict.fromkeys([*_STAFF.values(), *(key for key, _ in LEGEND), "ring", ","]),)
"""What may stand over the staff or beside its legend, for the catalogues."""


def used_signs(notes: tuple[Note, ...]) -> set[str]:
    """Keys of LEGEND that these notes need."""
    return {key for n in notes for key in _signs_of(n)}


_KIND_SIGN = {
    BendKind.AGAIN: "again", BendKind.STAGGERED: "staggered", BendKind.MUTED: "muted", BendKind.HOLD: "hold",
}  # fmt: skip
_ATTACK_SIGN = {Attack.HAMMER: "H", Attack.PULL: "P", Attack.SLIDE: "slide", Attack.TAP: "T", Attack.RAKE: "rake"}


def _signs_of(n: Note) -> set[str]:
    wanted = {
        "finger": n.finger is not None, "vibrato": bool(n.vibrato), "?": bool(n.doubt), "!": bool(n.advice),
        "%": n.sounding is not None, "slide-in": bool(n.marks & {Mark.SLIDE_IN, Mark.SLIDE_OFF}),
        "×": Mark.DEAD in n.marks,
    }  # fmt: skip
    used = {key for key, there in wanted.items() if there} | {_STAFF[m] for m in _above(n)}
    if n.attack in _ATTACK_SIGN:
        used.add(_ATTACK_SIGN[n.attack])
    return used | (_bend_signs(n.bend) if n.bend else set())


def _bend_signs(bend: Bend) -> set[str]:
    used = {"curl" if bend.kind is BendKind.CURL else "bend"}
    if bend.released:
        used.add("release")
    if bend.kind in _KIND_SIGN:
        used.add(_KIND_SIGN[bend.kind])
    elif bend.starts_raised:
        used.add("pre")
    return used
