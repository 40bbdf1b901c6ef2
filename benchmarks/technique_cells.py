"""Pieces of playing that are each one technique as an instructor names it, drawn wider than in benchmarks/cells.py: all
nodes, all partials, any speed, any distance; marked as they should be written."""

from dataclasses import replace
from math import log2

from demo.solo import Played

from benchmarks.cells import Cell, Hand, _corners, _push, tapping

# Fret at which a partial is touched.
_NODES = {2: 12, 3: 7, 4: 5, 5: 4, 6: 3, 7: 3, 8: 2}
_PINCHED = (3, 4, 4, 5, 6)


def natural_harmonics(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Two or three at the nodes, one after another, each string's partials as they lie."""
    notes: list[Played] = []
    step = hand.dice.choice((0.5, 1.0))
    for i in range(hand.dice.choice((2, 3))):
        partial = hand.dice.choice((2, 2, 3, 3, 4, 4, 5, 6))
        string = hand.dice.choice((1, 2, 3, 4, 5) if partial <= 4 else (3, 4, 5, 6))
        rise = 12 * log2(partial)
        away = 100 * (rise - round(rise))
        fret = _NODES[partial]
        notes.append(
            Played(beat + step * i, step * (1.0 if hand.dice.random() < 0.7 else 0.6), string, fret,
                   marks=("natural-harmonic",), sounding=round(rise) - fret, velocity=hand.dice.randint(78, 104),
                   bend=((0.0, away), (0.1, away)) if abs(away) > 1 else ())
        )  # fmt: skip
    return notes, step * len(notes) + 0.5


def pinch_harmonics(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A squeal on a fretted note, with vibrato or not, after a plain note or two."""
    string, fret = hand.on((6, 5, 4, 3), low=0)
    fret = max(2, fret)
    up = round(12 * log2(hand.dice.choice(_PINCHED)))
    first = Played(beat, 0.5, string, fret)
    vib = hand.vibrato() if hand.dice.random() < 0.5 else None
    squeal = Played(beat + 0.5, 1.0, string, fret, marks=("pinch-harmonic",), sounding=up, velocity=112, vib=vib)
    return [first, squeal], 2.0


def quick_trill(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Hammer and pull, 9 to 14 a second, one to three frets, 6 to 14 notes."""
    string, low = hand.dice.choice((1, 2, 3, 4)), hand.dice.randint(2, 14)
    up = low + hand.dice.choice((1, 1, 2, 2, 3))
    step = hand.beats(hand.dice.uniform(0.07, 0.11))
    count = hand.dice.randint(6, 14)
    first, other = (low, up) if hand.dice.random() < 0.8 else (up, low)
    notes = []
    for i in range(count):
        fret = other if i % 2 else first
        attack = "pick" if i == 0 else "hammer" if fret == up else "pull"
        notes.append(Played(beat + i * step, step, string, fret, attack, marks=("trill",)))
    last = replace(notes[-1], length=hand.dice.choice((step, 0.8)))
    return [*notes[:-1], last], max(1.5, count * step + 1.0)


def tremolo_picking(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """One note picked 8 to 14 times a second, and perhaps the next one too."""
    step = hand.beats(hand.dice.uniform(0.072, 0.125))
    count = hand.dice.choice((8, 10, 12))
    notes = []
    for k in range(hand.dice.choice((1, 2))):
        place = hand.walk()
        notes += [
            Played(beat + (k * count + i) * step, step, *place, marks=("tremolo",), velocity=hand.dice.randint(84, 108))
            for i in range(count)
        ]
    return notes, len(notes) * step + 0.5


def raked(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Two to four dead strings swept into a note."""
    string, fret = hand.on((2, 1), low=0)
    count = hand.dice.choice((2, 2, 3, 4))
    d = hand.beats(hand.dice.uniform(0.022, 0.05))
    count = min(count, 6 - string)
    dead = [
        Played(beat + i * d, d, string + count - i, fret, marks=("dead",), velocity=hand.dice.randint(55, 90))
        for i in range(count)
    ]
    vib = hand.vibrato() if hand.dice.random() < 0.5 else None
    return [*dead, Played(beat + count * d, 1.2, string, fret, "rake", vib=vib)], 2.0


def dead_strokes(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """One to four dead strokes between notes."""
    string, fret = hand.on((5, 4, 3, 2), low=0)
    step = hand.dice.choice((0.25, 0.5))
    count = hand.dice.randint(1, 4)
    notes = [Played(beat, step * 0.9, string, fret)]
    notes += [
        Played(beat + step * (i + 1), min(step, hand.beats(hand.dice.uniform(0.03, 0.06))), string, fret,
               marks=("dead",), velocity=hand.dice.randint(62, 104))
        for i in range(count)
    ]  # fmt: skip
    notes.append(Played(beat + step * (count + 1), 0.6, *hand.walk()))
    return notes, step * (count + 1) + 1.0


def again_and_again(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Up and down two or three times with one pick, ending up or down."""
    string, fret = hand.on((3, 2, 1), low=2)
    target = hand.dice.choice((100, 200, 200, 200))
    move, rest = hand.dice.uniform(0.08, 0.16), hand.dice.uniform(0.05, 0.22)
    shape, t = [(0.03, 0.0)], 0.03
    turns = hand.dice.choice((3, 3, 4, 5))
    for i in range(turns):
        shape += [(t + move, float(0 if i % 2 else target)), (t + move + rest, float(0 if i % 2 else target))]
        t += move + rest
    note = Played(beat, hand.beats(t), string, fret, kind="bend-again", target=target, bend=_corners(hand, *shape))
    return [note], max(1.5, hand.beats(t + 0.3))


def stepwise(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Picked again and again while the string rises."""
    string, fret = hand.on((3, 2), low=1)
    notes = []
    for i in range(4):
        low, high = 50.0 * i, 50.0 * (i + 1)
        kind = "staggered" if i else "bend"
        notes.append(
            Played(beat + 0.5 * i, 0.5, string, fret, kind=kind, target=round(high), bend=((0.1, low), (0.4, high)))
        )
    return notes, 2.5


def stopped_at_the_top(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Bent and stopped at the top, silence after."""
    string, fret = hand.on((3, 2, 1), low=1)
    rise = _push(hand)
    shape = _corners(hand, (0.02, 0), (0.02 + rise, 200))
    length = hand.beats(0.02 + rise + hand.dice.uniform(0.08, 0.35))
    return [Played(beat, length, string, fret, kind="bend-mute", target=200, bend=shape)], max(1.5, length + 0.7)


def swelled(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A note brought in with the volume knob, bent already or plain."""
    string, fret = hand.on((4, 3, 2), low=1)
    if hand.dice.random() < 0.5:
        return [Played(beat, hand.beats(1.3), string, fret, marks=("swell",))], max(1.5, hand.beats(1.4))
    corners = _corners(hand, (0, 200), (0.6, 200), (0.85, 0))
    note = Played(
        beat, hand.beats(1.3), string, fret, kind="pre-bend-release", target=200, bend=corners, marks=("swell",)
    )
    return [note], max(1.5, hand.beats(1.4))


def palm_muted(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Muted notes, all or every second one, in eighths or sixteenths."""
    step = hand.dice.choice((0.25, 0.5))
    low = hand.dice.random() < 0.5
    notes = []
    for i in range(int(2 / step)):
        muted = hand.dice.random() < 0.8
        place = (hand.dice.choice((5, 6)), hand.dice.choice((0, 0, 2, 3, 5))) if low else hand.walk((-1, 0, 1))
        length = step * (hand.dice.uniform(0.6, 0.95) if muted else 0.9)
        notes.append(
            Played(beat + step * i, length, *place, marks=("palm-mute",) if muted else (),
                   velocity=hand.dice.randint(88, 110))
        )  # fmt: skip
    return notes, 2.5


def long_slide(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Over four to fourteen frets, up or down, without a pick or with one on arrival."""
    string = hand.dice.choice((1, 2, 3, 4, 5))
    low = hand.dice.randint(1, 7)
    high = min(21, low + hand.dice.randint(4, 14))
    here, there = (low, high) if hand.dice.random() < 0.6 else (high, low)
    vib = hand.vibrato() if hand.dice.random() < 0.3 else None
    return [Played(beat, 1.0, string, here), Played(beat + 1, 1.0, string, there, "slide", vib=vib)], 2.5


def picked_up_there(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Raised unheard and picked there: held, let down, or after a bend that was heard."""
    string, fret = hand.on((3, 2, 1), low=1)
    target = hand.dice.choice((100, 200, 200, 300))
    hold, fall = hand.dice.uniform(0.08, 0.4), hand.dice.uniform(0.08, 0.3)
    shape = _corners(hand, (0, target), (hold, target), (hold + fall, 0))
    up = Played(beat + 1, 1.0, string, fret, kind="pre-bend-release", target=target, bend=shape)
    if hand.dice.random() < 0.3:
        # A pick before the release as well, the string still up.
        up = replace(up, kind="pre-bend", bend=((0, target), (0.9, target)))
    if hand.dice.random() < 0.5:
        rise = _corners(hand, (0.03, 0), (0.03 + _push(hand), target))
        return [Played(beat, 1.0, string, fret, kind="bend", target=target, bend=rise), up], 2.5
    return [Played(beat, 0.8, *hand.walk()), up], 2.5


TECHNIQUE_CELLS: tuple[Cell, ...] = (
    natural_harmonics, pinch_harmonics, quick_trill, tremolo_picking, raked, dead_strokes, again_and_again, stepwise,
    stopped_at_the_top, swelled, palm_muted, long_slide, picked_up_there, tapping,
)  # fmt: skip
