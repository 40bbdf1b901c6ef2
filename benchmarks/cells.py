"""Small pieces of lead playing, each one technique of the trade, made by chance within a hand position.

A cell takes the hand and the beat it starts at and returns its notes and its length in beats. Times within a cell that
are the hand's own (how fast a string is pushed, how wide a vibrato is) are drawn anew each time.
"""

import random
from collections.abc import Callable
from dataclasses import dataclass, replace

from demo.solo import Played

Cell = Callable[["Hand", float], tuple[list[Played], float]]
Place = tuple[int, int]


@dataclass
class Hand:
    """Where the player is: dice, open strings (MIDI), position (fret of the first finger), the key's pitch classes."""

    dice: random.Random
    strings: tuple[int, ...]
    position: int
    scale: frozenset[int]
    bpm: float
    at: int = 4

    def places(self) -> list[Place]:
        """All places of the scale in position on strings 4 to 1, from low to high."""
        found = [
            (s, f)
            for s in (4, 3, 2, 1)
            for f in range(self.position, self.position + (5 if s == 2 else 4))
            if self.in_scale(s, f)
        ]
        return sorted(found, key=self.pitch)

    def pitch(self, place: Place) -> int:
        """MIDI pitch of a place."""
        return self.strings[place[0] - 1] + place[1]

    def in_scale(self, string: int, fret: int) -> bool:
        """Whether the place belongs to the key."""
        return (self.strings[string - 1] + fret) % 12 in self.scale

    def walk(self, steps: tuple[int, ...] = (-2, -1, -1, 1, 1, 2)) -> Place:
        """The next place of a scale walk."""
        places = self.places()
        step = self.dice.choice(steps)
        if not 0 <= self.at + step < len(places):
            step = -step
        self.at = max(0, min(len(places) - 1, self.at + step))
        return places[self.at]

    def on(self, strings: tuple[int, ...], *, low: int = 0) -> Place:
        """A place of the scale on one of these strings, at least `low` frets above the position."""
        found = [p for p in self.places() if p[0] in strings and p[1] >= self.position + low]
        return self.dice.choice(found or [(strings[0], self.position + low)])

    def beats(self, seconds: float) -> float:
        """Seconds as beats: what a hand does takes the same time at any tempo."""
        return seconds * self.bpm / 60.0

    def vibrato(self, delay: float = 0.2) -> tuple[float, float, float]:
        """Rate (Hz), extent (cents), delay (beats)."""
        return (self.dice.uniform(4.4, 6.6), self.dice.choice((16.0, 22.0, 30.0, 45.0)), self.beats(delay))


def held(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A held note, with vibrato two times in three."""
    length = hand.dice.choice((1.0, 1.5, 2.0))
    vib = hand.vibrato(hand.dice.uniform(0.1, 0.35)) if hand.dice.random() < 0.67 else None
    return [Played(beat, length, *hand.walk(), vib=vib)], length


def _run(hand: Hand, beat: float, count: int, step: float, legato: float) -> list[Played]:
    notes: list[Played] = []
    for i in range(count):
        string, fret = hand.walk((-1, -1, 1, 1, 1, -2, 2))
        attack = "pick"
        if notes and notes[-1].string == string and notes[-1].fret != fret and hand.dice.random() < legato:
            attack = "hammer" if fret > notes[-1].fret else "pull"
        notes.append(Played(beat + i * step, step, string, fret, attack, velocity=hand.dice.randint(88, 110)))
    return notes


def eighths(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Four eighths, mostly picked."""
    return _run(hand, beat, 4, 0.5, 0.3), 2.0


def sixteenths(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A beat of sixteenths, half of it legato, and a quarter to land on."""
    return [*_run(hand, beat, 4, 0.25, 0.6), Played(beat + 1, 1.0, *hand.walk())], 2.0


def picked_sixteenths(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Eight sixteenths, every one picked."""
    return _run(hand, beat, 8, 0.25, 0.0), 2.0


def sextuplets(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A beat of sixteenth triplets and a quarter to land on."""
    return [*_run(hand, beat, 6, 1 / 6, 0.65), Played(beat + 1, 1.0, *hand.walk())], 2.0


def legato_run(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Up three strings and down again, the first note of each string picked and the others hammered or pulled."""
    step = 0.25 if hand.bpm > 96 else 1 / 6
    notes: list[Played] = []
    for string in (4, 3, 2, 2, 3, 4):
        frets = [f for f in range(hand.position, hand.position + 6) if hand.in_scale(string, f)][:3]
        down = len(notes) >= 9
        for i, fret in enumerate(reversed(frets) if down else frets):
            attack = "pick" if i == 0 else "pull" if down else "hammer"
            if i == 0 and notes and notes[-1].string == string:
                continue
            notes.append(
                Played(beat + len(notes) * step, step, string, fret, attack, velocity=hand.dice.randint(90, 110))
            )
    return notes, float(-(-len(notes) * step // 1))


def quintuplets(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Five in the space of four sixteenths, and a quarter."""
    return [*_run(hand, beat, 5, 0.2, 0.4), Played(beat + 1, 1.0, *hand.walk())], 2.0


def _corners(hand: Hand, *pairs: tuple[float, float]) -> tuple[tuple[float, float], ...]:
    return tuple((hand.beats(t), c) for t, c in pairs)


def _push(hand: Hand) -> float:
    """Seconds a push takes."""
    return hand.dice.uniform(0.07, 0.2)


def _target(hand: Hand) -> int:
    return hand.dice.choice((100, 200, 200, 200, 300, 400))


def bend(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Picked, pushed up and held, sometimes with vibrato at the top."""
    string, fret = hand.on((3, 2, 1), low=1)
    target, start, rise = _target(hand), hand.dice.uniform(0.0, 0.08), _push(hand)
    vib = hand.vibrato(start + rise + 0.15) if hand.dice.random() < 0.5 else None
    return [
        Played(beat, 2.0, string, fret, kind="bend", target=target, vib=vib,
               bend=_corners(hand, (start, 0), (start + rise, target)))
    ], 2.0  # fmt: skip


def slow_bend(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A bend that arrives a beat later."""
    string, fret = hand.on((3, 2, 1), low=1)
    target = hand.dice.choice((100, 200, 200))
    return [
        Played(beat, 2.0, string, fret, kind="bend", target=target, bend=((0.05, 0), (1.0, target)))
    ], 2.0  # fmt: skip


def quarter_bend(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A curl: about a quarter step, right at the end."""
    string, fret = hand.on((5, 4, 3), low=0)
    seconds = 1.0 * 60 / hand.bpm
    top = hand.dice.choice((45, 50, 58))
    corners = _corners(hand, (seconds - 0.2, 0), (seconds - 0.05, top))
    return [Played(beat, 1.0, string, fret, kind="curl", target=50, bend=corners)], 1.5


def bend_release(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Up and down again, sometimes ending in a pull-off in the same motion."""
    string, fret = hand.on((3, 2, 1), low=2)
    target, rise, fall = hand.dice.choice((100, 200, 200, 300)), _push(hand), _push(hand)
    up = hand.beats(0.03 + rise)
    corners = ((hand.beats(0.03), 0), (up, target), (up + 0.4, target), (up + 0.4 + hand.beats(fall), 0))
    length = up + 0.4 + hand.beats(fall + 0.12)
    whole = max(1.0, round(2 * length + 0.5) / 2)
    note = Played(beat, whole, string, fret, kind="bend-release", target=target, bend=corners)
    lower = [f for f in range(hand.position, fret) if hand.in_scale(string, f)]
    if lower and hand.dice.random() < 0.5:
        return [replace(note, length=length), Played(beat + length, 0.6, string, lower[-1], "pull")], whole + 1.0
    return [note], whole


def pre_bend_release(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Raised silently, picked, let down."""
    string, fret = hand.on((3, 2, 1), low=1)
    target, hold, fall = (
        hand.dice.choice((100, 200, 200, 300)),
        hand.dice.uniform(0.1, 0.35),
        hand.dice.uniform(0.1, 0.25),
    )
    corners = _corners(hand, (0, target), (hold, target), (hold + fall, 0))
    return [Played(beat, 1.5, string, fret, kind="pre-bend-release", target=target, bend=corners)], 1.5


def bend_again(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Up, down and up once more with one pick."""
    string, fret = hand.on((3, 2), low=1)
    p = 0.13
    corners = _corners(hand, (0.04, 0), (0.04 + p, 200), (0.35, 200), (0.35 + p, 0), (0.65, 0), (0.65 + p, 200))
    return [Played(beat, hand.beats(1.1), string, fret, kind="bend", target=200, bend=corners)], max(
        2.0, hand.beats(1.2)
    )


def picked_at_the_top(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Bent, picked again while it is up, then let down."""
    string, fret = hand.on((3, 2, 1), low=1)
    target = hand.dice.choice((100, 200))
    first = Played(
        beat,
        1.0,
        string,
        fret,
        kind="bend",
        target=target,
        bend=_corners(hand, (0.03, 0), (0.03 + _push(hand), target)),
    )
    hold = hand.dice.uniform(0.15, 0.3)
    corners = _corners(hand, (0, target), (hold, target), (hold + 0.15, 0))
    return [first, Played(beat + 1.0, 1.0, string, fret, kind="pre-bend-release", target=target, bend=corners)], 2.0


def muted_at_the_top(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Bent and stopped at the top; let down unheard."""
    string, fret = hand.on((3, 2), low=1)
    return [
        Played(
            beat, 0.8, string, fret, kind="bend", target=200, bend=_corners(hand, (0.02, 0), (0.02 + _push(hand), 200))
        )
    ], 1.5


def staggered(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Picked again and again while it rises."""
    string, fret = hand.on((3, 2), low=1)
    notes = []
    for i in range(4):
        low, high = 50.0 * i, 50.0 * (i + 1)
        notes.append(
            Played(beat + 0.5 * i, 0.5, string, fret, kind="bend", target=round(high), bend=((0.1, low), (0.45, high)))
        )
    return notes, 2.5


def slide(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """From a fret to another with one pick, there to be held; or picked again on arrival."""
    string, fret = hand.on((4, 3, 2), low=0)
    goal = hand.dice.choice([f for f in range(fret + 2, fret + 8) if hand.in_scale(string, f)][:3])
    if hand.dice.random() < 0.4:
        fret, goal = goal, fret
    again = hand.dice.random() < 0.3
    end = Played(beat + 1, 1.0, string, goal, "pick" if again else "slide", marks=("slid-to",) if again else (),
                 vib=hand.vibrato() if hand.dice.random() < 0.4 else None)  # fmt: skip
    return [Played(beat, 1.0, string, fret), end], 2.0


def grace_slide(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A quick slide from two frets below."""
    string, fret = hand.on((4, 3, 2), low=1)
    grace = hand.beats(0.11)
    return [
        Played(beat, grace, string, fret - 1 if fret else 0),
        Played(beat + grace, 1.0 - grace, string, fret + 1, "slide"),
    ], 1.0  # fmt: skip


def slide_in(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Into a note from nowhere."""
    string, fret = hand.on((4, 3, 2), low=2)
    return [Played(beat, 1.0, string, max(5, fret), marks=("slide-in",))], 1.0


def slide_off(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Off a note to nowhere as the phrase ends."""
    string, fret = hand.on((4, 3, 2), low=2)
    return [Played(beat, 1.2, string, max(8, fret), marks=("slide-off",))], 2.0


def trill(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Hammer and pull in quick turns, then a held note."""
    string, fret = hand.on((3, 2), low=0)
    up = next(f for f in range(fret + 1, fret + 5) if hand.in_scale(string, f))
    step = hand.beats(0.085)
    notes = [Played(beat, step, string, fret)]
    notes += [
        Played(beat + i * step, step, string, up if i % 2 else fret, "hammer" if i % 2 else "pull") for i in range(1, 9)
    ]
    return [*notes, Played(beat + 9 * step, 0.8, string, up, "hammer")], max(2.0, 9 * step + 1.0)


def tapping(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Tap, pull, hammer in triplets, three times, and a last note held."""
    string, fret = hand.on((3, 2, 1), low=0)
    fret = hand.position if hand.in_scale(string, hand.position) else fret
    up = next(f for f in range(fret + 2, fret + 6) if hand.in_scale(string, f))
    far = next(f for f in range(up + 4, up + 10) if hand.in_scale(string, f))
    cycle = [(far, "tap"), (fret, "pull"), (up, "hammer")]
    step = hand.dice.choice((1 / 3, 1 / 4, 1 / 6)) if hand.bpm < 110 else 1 / 3
    notes = [Played(beat + i * step, step, string, *cycle[i % 3]) for i in range(12)]
    return [*notes, Played(beat + 12 * step, 0.75, string, far, "tap", vib=None)], 12 * step + 1.0


def tremolo(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """One note picked over and over."""
    place = hand.walk()
    step = max(0.25, hand.beats(0.1))
    return [Played(beat + i * step, step, *place, velocity=hand.dice.randint(90, 108)) for i in range(8)], 8 * step


def muted(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Four palm-muted eighths."""
    return [
        Played(beat + 0.5 * i, 0.36, *hand.walk((-1, 0, 1)), marks=("palm-mute",), velocity=96) for i in range(4)
    ], 2.0  # fmt: skip


def staccato(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Notes cut short."""
    return [Played(beat + 0.5 * i, 0.2, *hand.walk(), marks=("staccato",)) for i in range(4)], 2.0


def rake(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Dead strings swept into a note."""
    string, fret = hand.on((2, 1), low=0)
    d = hand.beats(0.04)
    dead = [Played(beat + i * d, d, string + 2 - i, fret, marks=("dead",), velocity=62) for i in range(2)]
    return [*dead, Played(beat + 2 * d, 1.2, string, fret, "rake", vib=hand.vibrato())], 2.0


def dead_notes(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Two dead strokes before a note."""
    string, fret = hand.on((4, 3), low=0)
    dead = [Played(beat + 0.5 * i, hand.beats(0.04), string, fret, marks=("dead",), velocity=70) for i in range(2)]
    return [*dead, Played(beat + 1, 1.0, string, fret)], 2.0


def natural_harmonic(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """At the nodes of frets 12, 7 and 5."""
    fret, up = hand.dice.choice(((12, 0), (7, 12), (5, 19)))
    string = hand.dice.choice((4, 3, 2, 1) if fret == 12 else (5, 4, 3))
    return [
        Played(beat, 1.5, string, fret, marks=("natural-harmonic",), sounding=up, velocity=86)
    ], 1.5  # fmt: skip


def pinch_harmonic(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Squealing two octaves or an octave and a fifth up."""
    string, fret = hand.on((5, 4, 3), low=0)
    return [
        Played(beat, 1.2, string, fret, marks=("pinch-harmonic",), sounding=hand.dice.choice((12, 19, 24)), velocity=112)
    ], 1.5  # fmt: skip


def bar_dip(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A held note dipped twice with the bar."""
    corners = _corners(hand, (0.25, 0), (0.32, -100), (0.4, 0), (0.6, 0), (0.67, -100), (0.75, 0))
    return [Played(beat, hand.beats(1.2), *hand.walk(), bend=corners)], max(2.0, hand.beats(1.3))


def dive(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A held note pushed down and away with the bar."""
    corners = _corners(hand, (0.4, 0), (1.0, -700))
    return [Played(beat, hand.beats(1.0), *hand.walk(), bend=corners)], max(2.0, hand.beats(1.3))


def scoop(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Picked with the bar down and let up at once."""
    return [Played(beat, 1.5, *hand.walk(), bend=_corners(hand, (0.0, -150), (0.09, 0)))], 1.5


def swell(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A pre-bend brought in with the volume knob, let down late."""
    string, fret = hand.on((3, 2), low=1)
    corners = _corners(hand, (0, 200), (0.6, 200), (0.9, 0))
    return [
        Played(beat, hand.beats(1.4), string, fret, kind="pre-bend-release", target=200, bend=corners, marks=("swell",))
    ], max(2.0, hand.beats(1.5))


def _pair(hand: Hand, gap: int) -> tuple[Place, Place]:
    """Two places of the scale `gap` strings apart, a third to a sixth apart."""
    for _ in range(60):
        low, high = hand.on((4, 3, 2) if gap == 1 else (4, 3)), None
        strings = (low[0] - gap,)
        high = hand.on(strings)
        if 3 <= hand.pitch(high) - hand.pitch(low) <= 9 and abs(low[1] - high[1]) <= 3:
            return low, high
    return (3, hand.position + 1), (3 - gap, hand.position + 1)


def double_stops(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Three pairs on neighbouring strings, or sixths."""
    gap = hand.dice.choice((1, 2))
    notes = []
    for at, length in ((0.0, 0.5), (0.5, 0.5), (1.0, 1.0)):
        notes += [Played(beat + at, length, *p) for p in _pair(hand, gap)]
    return notes, 2.0


def unison_bend(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """The lower string bent up to the held upper one."""
    upper = hand.dice.choice((1, 2))
    fret = hand.position + 1
    below = fret + (3 if upper == 1 else 2)
    corners = _corners(hand, (0.02, 0), (0.02 + _push(hand), 200))
    return [
        Played(beat, 1.5, upper, fret),
        Played(beat, 1.5, upper + 1, below, kind="unison", target=200, bend=corners),
    ], 1.5  # fmt: skip


def oblique_bend(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """One string bent while a higher one rings."""
    upper = hand.dice.choice((1, 2))
    corners = _corners(hand, (0.1, 0), (0.1 + _push(hand), 200))
    return [
        Played(beat, 2.0, upper, hand.position + 3),
        Played(beat, 2.0, upper + 1, hand.position + 2, kind="bend", target=200, bend=corners),
    ], 2.0  # fmt: skip


def double_stop_bend(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Two strings pushed at once, the lower of them further, as it gives way more."""
    rise = _push(hand)
    return [
        Played(
            beat, 1.5, 2, hand.position + 2, kind="bend", target=100, bend=_corners(hand, (0.05, 0), (0.05 + rise, 100))
        ),
        Played(
            beat, 1.5, 3, hand.position + 2, kind="bend", target=150, bend=_corners(hand, (0.05, 0), (0.05 + rise, 150))
        ),
    ], 1.5


def triad(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Three strings at once."""
    low, high = _pair(hand, 2)
    middle = (low[0] - 1, low[1])
    return [Played(beat, 1.5, *p) for p in (low, middle, high)], 1.5


def hammered_pair(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """Two strings picked together and hammered together."""
    p = hand.position
    return [
        Played(beat, 0.5, 2, p), Played(beat, 0.5, 3, p),
        Played(beat + 0.5, 1.0, 2, p + 1, "hammer"), Played(beat + 0.5, 1.0, 3, p + 2, "hammer"),
    ], 1.5  # fmt: skip


def let_ring(hand: Hand, beat: float) -> tuple[list[Played], float]:
    """A broken chord left to ring."""
    p = hand.position
    shape = [(4, p + 2), (3, p + 2), (2, p + 2), (1, p)]
    return [Played(beat + 0.5 * i, 2.5 - 0.5 * i, s, f, marks=("let-ring",)) for i, (s, f) in enumerate(shape)], 2.5
