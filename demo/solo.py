"""The demo's solo as data: an invented lead in F sharp minor at 92 bpm, over an invented trio.

Times are beats (beat 0 is the first of the count-in bar). Everything here was made up for the purpose.
"""

from dataclasses import dataclass

BPM = 92.0
OFFSET_CENTS = -14.0
BEATS = 86
OPEN = (64, 59, 55, 50, 45, 40)


@dataclass(frozen=True)
class Played:
    """One note as the invented player means it.

    bend: (beats from the onset, cents) corners of the pushed string; vib: (rate Hz, extent cents, delay beats).
    sounding: semitones above the fretted pitch for a harmonic. Runs drift: late at their start, early at their end.
    """

    beat: float
    length: float
    string: int
    fret: int
    attack: str = "pick"
    kind: str | None = None
    target: int = 0
    bend: tuple[tuple[float, float], ...] = ()
    vib: tuple[float, float, float] | None = None
    marks: tuple[str, ...] = ()
    sounding: int = 0
    velocity: int = 100


def _bend(beat, length, string, fret, target, *, rise=0.3, start=0.05, **more):
    return Played(beat, length, string, fret, kind=more.pop("kind", "bend"), target=target,
                  bend=((start, 0), (start + rise, target)), **more)  # fmt: skip


def _release(beat, length, string, fret, target, *, rise=0.25, hold=0.5, fall=0.25, **more):
    corners = ((0.04, 0), (0.04 + rise, target), (hold, target), (hold + fall, 0))
    return Played(beat, length, string, fret, kind="bend-release", target=target, bend=corners, **more)


def _pre_release(beat, length, string, fret, target, *, hold=0.3, fall=0.3, **more):
    return Played(beat, length, string, fret, kind="pre-bend-release", target=target,
                  bend=((0, target), (hold, target), (hold + fall, 0)), **more)  # fmt: skip


def _curl(beat, length, string, fret, **more):
    return Played(beat, length, string, fret, kind="curl", target=50,
                  bend=((length - 0.28, 0), (length - 0.06, 52)), **more)  # fmt: skip


def _call(beat, last_fret):
    """The phrase that comes back with another last note."""
    return [
        Played(beat, 0.5, 3, 11),
        Played(beat + 0.5, 0.5, 2, 10),
        _bend(beat + 1.0, 1.5, 2, 12, 200, vib=(5.4, 26, 0.75)),
        _pre_release(beat + 2.5, 0.75, 2, 12, 200, hold=0.2, fall=0.25),
        Played(beat + 3.25, 0.25, 2, 10, "pull"),
        Played(beat + 3.5, 1.3, 3, last_fret, vib=(5.0, 32, 0.3)),
    ]


def _run(beat, step, notes):
    return [Played(beat + i * step, step, s, f, a) for i, (s, f, a) in enumerate(notes)]


def _muted(beat, string, frets):
    marks = ("palm-mute",)
    return [Played(beat + 0.5 * i, 0.32, string, f, marks=marks, velocity=84) for i, f in enumerate(frets)]


def _pair(beat, length, low, high):
    return [Played(beat, length, *low), Played(beat, length, *high)]


PHRASES: list[tuple[str, list[Played]]] = [
    ("Harbour call", _call(4, 11)),
    (
        "Slow tide",
        [
            Played(9.0, 1 / 3, 3, 9),
            Played(9.0 + 1 / 3, 1 / 3, 3, 11, "hammer"),
            Played(9.0 + 2 / 3, 1 / 3, 2, 10),
            _bend(10.0, 2.5, 2, 12, 200, start=0.1, rise=0.9),
            Played(12.5, 0.5, 2, 10),
            _curl(13.0, 0.9, 3, 11),
        ],
    ),
    (
        "Signal lamps",
        [
            Played(16.0, 0.5, 1, 14),
            Played(16.5, 0.5, 1, 17),
            _release(17.0, 1.25, 1, 17, 300, rise=0.35, hold=0.75, fall=0.3),
            Played(18.25, 0.75, 1, 14),
            _release(19.0, 1.0, 2, 14, 100, rise=0.2, hold=0.5, fall=0.25),
            _bend(20.0, 2.0, 2, 17, 400, rise=0.5),
            Played(22.0, 0.5, 2, 14),
            Played(22.5, 0.5, 3, 16),
            Played(23.0, 1.2, 3, 14, vib=(6.0, 14, 0.3)),
        ],
    ),
    (
        "Rope ladder",
        [
            *_run(25.0, 0.25, [(3, 14, "pick"), (3, 16, "hammer"), (2, 14, "pick"), (2, 17, "hammer"),
                               (2, 14, "pull"), (3, 16, "pick"), (3, 14, "pull"), (4, 16, "pick")]),
            Played(27.0, 0.5, 4, 14),
            Played(27.5, 1.5, 4, 16, "slide", vib=(4.8, 24, 0.5)),
            Played(29.5, 0.75, 3, 4, marks=("slide-in",)),
            Played(30.25, 0.25, 3, 2, "pull"),
            Played(30.5, 0.5, 2, 2),
            Played(31.0, 0.5, 2, 5),
            Played(31.5, 0.5, 3, 6),
            Played(32.0, 1.2, 3, 9, "slide", marks=("slide-off",)),
        ],
    ),
    (
        "Two ropes",
        [
            Played(34.0, 1.0, 1, 9),
            _bend(34.0, 1.0, 2, 12, 200, kind="unison", rise=0.2),
            Played(35.0, 1.0, 1, 9),
            _bend(35.0, 1.0, 2, 12, 200, kind="unison", rise=0.2),
            Played(36.0, 1.5, 1, 12),
            _bend(36.0, 1.5, 2, 15, 200, kind="unison", rise=0.2),
            Played(38.0, 1.8, 2, 17),
            _bend(38.0, 1.8, 3, 16, 200, rise=0.5, start=0.2),
            *_pair(40.0, 0.5, (3, 9), (1, 9)),
            *_pair(40.5, 0.5, (3, 11), (1, 10)),
            *_pair(41.0, 1.4, (3, 13), (1, 12)),
        ],
    ),
    (
        "Night watch",
        [
            *_muted(44.0, 5, (9, 9, 12, 9)),
            *_muted(46.0, 4, (9, 11)),
            Played(46.88, 0.06, 4, 14, marks=("dead",), velocity=60),
            Played(46.94, 0.06, 3, 14, marks=("dead",), velocity=60),
            Played(47.0, 2.0, 2, 14, "rake", vib=(4.6, 42, 0.4)),
            Played(49.5, 1.0, 1, 12, marks=("natural-harmonic",), velocity=88),
            Played(50.5, 1.2, 4, 4, marks=("pinch-harmonic",), sounding=24, velocity=110),
        ],
    ),
    (
        "Rigging",
        [
            *_run(52.0, 1 / 6, [(2, 17, "tap"), (2, 10, "pull"), (2, 14, "hammer")] * 4),
            *_run(54.0, 1 / 6, [(2, 19, "tap"), (2, 10, "pull"), (2, 14, "hammer")] * 2),
            Played(55.0, 1.0, 2, 14, vib=(5.6, 22, 0.25)),
            *_run(56.5, 1 / 8, [(3, 11, "pick")] + [(3, 13, "hammer"), (3, 11, "pull")] * 6),
            Played(58.125, 0.375, 3, 9, "pull"),
            Played(58.5, 1.4, 3, 11, vib=(5.2, 20, 0.4)),
        ],
    ),
    ("Harbour call again", _call(61, 9)),
    (
        "Climb",
        [
            *_run(67.0, 0.25, [(4, 14, "pick"), (4, 16, "hammer"), (3, 14, "pick"), (3, 16, "hammer"),
                               (2, 14, "pick"), (2, 17, "hammer"), (1, 14, "pick"), (1, 17, "hammer")]),
            _bend(69.0, 3.0, 1, 17, 200, rise=0.35, vib=(5.8, 30, 0.9)),
            _pre_release(72.5, 1.0, 2, 17, 200, hold=0.35, fall=0.35),
            Played(73.5, 0.5, 2, 14, "pull"),
            _curl(74.0, 0.8, 3, 16),
        ],
    ),
    (
        "Moorings",
        [
            Played(76.0, 0.25, 2, 10),
            Played(76.25, 0.25, 2, 12, "hammer"),
            Played(76.5, 0.25, 2, 10, "pull"),
            Played(76.75, 0.25, 3, 11),
            Played(77.0, 0.5, 3, 9),
            _release(77.5, 1.0, 3, 11, 200, rise=0.2, hold=0.45, fall=0.25),
            Played(78.5, 0.5, 3, 9, "pull"),
            Played(79.0, 4.5, 4, 11, vib=(4.4, 36, 0.8)),
        ],
    ),
]  # fmt: skip

# One chord a bar of four beats: root of the bass (MIDI), then the chord's notes.
CHORDS = {
    "F#m": (30, (54, 57, 61, 66)),
    "D": (26, (54, 57, 62, 66)),
    "A": (33, (52, 57, 61, 64)),
    "E": (28, (52, 56, 59, 64)),
    "Bm": (35, (54, 59, 62, 66)),
    "C#m": (37, (52, 56, 61, 64)),
}
# Bar 0 is the count-in.
PROGRESSION = "- F#m D A E F#m D A E Bm D F#m E Bm D F#m F#m D A E Bm E F#m".split()  # noqa: SIM905
SECTIONS = (("A", 4), ("B", 25), ("C", 44), ("A again", 61), ("End", 67))
