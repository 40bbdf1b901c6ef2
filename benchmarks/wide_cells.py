"""More pieces of playing, for what the cells of the other sets have little of: low riffs, chords of two to four strings
of every spacing, wide legato and open strings, and fast turns."""

from dataclasses import replace

from demo.solo import Played

from benchmarks.cells import Cell, Hand, _corners


def power_chords(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Roots and fifths on the low strings, some palm-muted."""
    notes: list[Played] = []
    root = hand.dice.choice((5, 6))
    fret = hand.dice.randint(0, 9)
    muted = hand.dice.random() < 0.5
    step = hand.dice.choice((0.25, 0.5, 1.0))
    for i in range(int(2 / step)):
        marks = ("palm-mute",) if muted and i % 4 else ()
        length = step * (0.6 if marks else 0.95)
        both = not marks or hand.dice.random() < 0.5
        notes.append(Played(beat + i * step, length, root, fret, marks=marks))
        if both:
            notes.append(Played(beat + i * step, length, root - 1, fret + 2, marks=marks))
        if both and hand.dice.random() < 0.3:
            notes.append(Played(beat + i * step, length, root - 2, fret + 2, marks=marks))
        if hand.dice.random() < 0.4:
            fret = max(0, min(12, fret + hand.dice.choice((-3, -2, 1, 2, 3, 5))))
    return notes, 2.0


def low_riff(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Single notes on strings 6 to 4, the open string between, muted or not."""
    step = hand.dice.choice((0.25, 0.5))
    string = hand.dice.choice((4, 5, 6))
    frets = [hand.dice.randint(0, 7) for _ in range(3)]
    muted = hand.dice.random()
    notes: list[Played] = []
    for i in range(int(2 / step)):
        fret = 0 if i % 2 and hand.dice.random() < 0.6 else hand.dice.choice(frets)
        at = max(1, string - hand.dice.choice((0, 0, 0, 1)))
        marks = ("palm-mute",) if hand.dice.random() < muted else ()
        length = step * (0.75 if marks else hand.dice.choice((0.5, 0.97, 0.97)))
        notes.append(Played(beat + i * step, length, at, fret, marks=marks, velocity=hand.dice.randint(80, 112)))
    return notes, 2.0


def any_chord(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Two to four strings at any frets a hand reaches, struck together or a little after one another."""
    notes: list[Played] = []
    for k in range(2):
        count = hand.dice.choice((2, 2, 2, 3, 3, 4))
        strings = sorted(hand.dice.sample(range(1, 7), count))
        base = hand.dice.randint(0, 12)
        spread = hand.dice.choice((0.0, 0.0, 0.0, 0.012, 0.025))
        length = hand.dice.choice((0.4, 0.9, 0.9))
        for j, string in enumerate(reversed(strings)):
            fret = max(0, base + hand.dice.randint(0, 3))
            late = hand.beats(spread * j)
            notes.append(Played(beat + k + late, length - late, string, fret, velocity=hand.dice.randint(84, 110)))
    return notes, 2.0


def ringing(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Strings struck one after another and left to ring, in any order."""
    strings = hand.dice.sample(range(1, 6), 4)
    step = hand.dice.choice((0.25, 0.5))
    return [
        Played(beat + i * step, 2.0 - step * i, s, hand.dice.randint(0, 4) + hand.dice.choice((0, hand.position)),
               marks=("let-ring",))
        for i, s in enumerate(strings)
    ], 2.0  # fmt: skip


def wide_legato(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Hammers and pulls of one to five frets, with the open string now and then."""
    string = hand.dice.choice((1, 2, 3, 4))
    step = hand.dice.choice((0.25, 1 / 6, 1 / 3, 0.5))
    low = 0 if hand.dice.random() < 0.4 else hand.dice.randint(2, 12)
    fret = low
    notes: list[Played] = []
    for i in range(int(2 / step)):
        if notes and hand.dice.random() < 0.8:
            other = low if fret != low and hand.dice.random() < 0.5 else low + hand.dice.randint(1, 5)
            other = other if other != fret else fret + 1
            attack = "hammer" if other > fret else "pull"
            fret = other
        else:
            attack, fret = "pick", low + hand.dice.randint(0, 4)
        notes.append(Played(beat + i * step, step, string, fret, attack, velocity=hand.dice.randint(84, 110)))
    return notes, 2.0


def held_below(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A low string rings while a melody goes on above it."""
    low = Played(beat, 2.0, hand.dice.choice((4, 5, 6)), hand.dice.choice((0, 0, hand.position)), marks=("let-ring",))
    notes = [low]
    for i in range(4):
        if i or hand.dice.random() < 0.5:
            string = hand.dice.choice((1, 2, 3))
            notes.append(Played(beat + 0.5 * i, 0.48, string, hand.position + hand.dice.randint(0, 3)))
    return notes, 2.0


def bend_any(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A bend of any size on any string but the lowest, fast or slow, let down or not, another string ringing now and
    then."""
    string, fret = hand.dice.choice((1, 2, 3, 4, 5)), hand.dice.randint(3, 17)
    target = hand.dice.choice((50, 100, 100, 150, 200, 200, 200, 300, 400))
    start, rise = hand.dice.uniform(0.0, 0.2), hand.dice.uniform(0.05, 0.5)
    shape = [(start, 0.0), (start + rise, float(target))]
    kind = "bend"
    if hand.dice.random() < 0.4:
        hold = hand.dice.uniform(0.02, 0.4)
        shape += [(start + rise + hold, float(target)), (start + 2 * rise + hold, 0.0)]
        kind = "bend-release"
    note = Played(beat, 2.0, string, fret, kind=kind, target=target, bend=_corners(hand, *shape))
    if string > 1 and hand.dice.random() < 0.35:
        other = Played(beat, 2.0, string - 1, fret + hand.dice.randint(0, 3))
        return [replace(note), other], 2.0
    return [note], 2.0


def moving_pairs(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Two strings in parallel, picked, slid or hammered together."""
    upper = hand.dice.choice((1, 2, 3, 4))
    lower = upper + hand.dice.choice((1, 1, 1, 2))
    fret, gap = hand.dice.randint(2, 12), hand.dice.randint(-2, 2)
    notes: list[Played] = []
    for i in range(4):
        attack = "pick" if i == 0 or hand.dice.random() < 0.6 else hand.dice.choice(("slide", "hammer"))
        move = hand.dice.choice((-3, -2, -1, 1, 2, 3))
        move = abs(move) if attack == "hammer" else move
        if i:
            fret = max(2, min(17, fret + move))
        for string, at in ((upper, fret), (lower, max(0, fret + gap))):
            notes.append(Played(beat + 0.5 * i, 0.5, string, at, attack))
    return notes, 2.0


def quick_turns(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Picked or hammered at ten to fourteen a second."""
    step = hand.beats(hand.dice.uniform(0.07, 0.1))
    string, low = hand.dice.choice((1, 2, 3)), hand.dice.randint(2, 12)
    legato = hand.dice.random() < 0.6
    up = hand.dice.choice((1, 1, 2, 3))
    notes = []
    for i in range(8):
        fret = low + (up if i % 2 else 0)
        attack = "pick" if i == 0 or not legato else "hammer" if i % 2 else "pull"
        notes.append(Played(beat + i * step, step, string, fret, attack))
    notes.append(Played(beat + 8 * step, 0.8, string, low, "pull" if legato else "pick"))
    return notes, max(2.0, 8 * step + 1.0)


WIDE_CELLS: tuple[Cell, ...] = (
    power_chords, low_riff, low_riff, any_chord, any_chord, any_chord, ringing, wide_legato, wide_legato, held_below,
    bend_any, bend_any, moving_pairs, quick_turns,
)  # fmt: skip
