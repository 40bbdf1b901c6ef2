"""Invented passages whose places and fingers were set by hand, from what is common practice in the trade (no source).

Each phrase is a line of words (docs/LINE.md) with its places, and a figure a note for the finger of the fretting hand
(0 where a string is open or tapped). They are nobody's music: boxes at several frets, changes of position, three notes a
string, shapes moved along the neck, arpeggios, open position, runs along one string, double stops, bends of all kinds,
tapping. Every second one of each kind is for fitting, the others
are only judged on.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from notcher.formats.line import read_line
from notcher.place.wanted import Wanted
from notcher.score.passage_edit import PassageNote
from notcher.score.tuning import STANDARD, Tuning

_REST_NOTES = 3.0


@dataclass(frozen=True)
class Passage:
    """phrases: (line, fingers); beat_s: seconds a note takes; capo and tuning as the passage is played."""

    name: str
    kind: str
    phrases: tuple[tuple[str, str], ...]
    beat_s: float = 0.22
    tuning: Tuning = STANDARD

    def said(self) -> Iterator[tuple[int, PassageNote, int]]:
        """(number of the phrase, note, finger) of every note."""
        for k, (line, fingers) in enumerate(self.phrases):
            notes = read_line(line)
            figures = [int(c) for c in fingers if c.isdigit()]
            if len(figures) != len(notes):
                raise ValueError(f"{self.name}, phrase {k + 1}: {len(notes)} notes and {len(figures)} fingers")
            yield from ((k, note, finger) for note, finger in zip(notes, figures, strict=True))

    def wanted(self) -> list[Wanted]:
        """Its notes as the search is asked for them: without places."""
        out: list[Wanted] = []
        time, phrase = 1.0, 0
        for k, said, _ in self.said():
            if k != phrase:
                time, phrase = time + _REST_NOTES * self.beat_s, k
            together = said.together and bool(out)
            onset = out[-1].onset if together else time
            bend = said.bend[1] if said.bend else 0
            out.append(
                Wanted(
                    onset, onset + 0.95 * self.beat_s, self.tuning.pitch(said.string, said.fret), said.attack, bend,
                    said.vibrato, phrase=k,
                )
            )  # fmt: skip
            if not together:
                time += self.beat_s * (2.0 if said.vibrato or bend >= 200 else 1.0)
        return out

    def places(self) -> list[tuple[int, int]]:
        """Where its notes lie."""
        return [(said.string, said.fret) for _, said, _ in self.said()]

    def fingers(self) -> list[int]:
        """Which finger takes each note, 0 for none."""
        return [finger for _, _, finger in self.said()]


def _p(name: str, kind: str, beat_s: float, *phrases: tuple[str, str]) -> Passage:
    return Passage(name, kind, phrases, beat_s)


_ALL: tuple[Passage, ...] = (
    _p("box at 5", "box", 0.22,
       ("D7, G5, G7 bend whole release, 5, D7, pull 5, A7, D5, D7 vibrato", "313131313"),
       ("B5, B8 bend whole, 8, e5, 8, pull 5, B8, pull 5, G7 bend whole release, pull 5, D7 vibrato", "13314141313")),
    _p("box at 12", "box", 0.22,
       ("B15 bend whole, e12, B15, pull 12, G14 bend whole release, pull 12, D14 vibrato", "3131313"),
       ("G12, hammer 14, B12, e12, 15 bend whole, 12, B15, pull 12, G14, 12, D14", "13113141313")),
    _p("box at 2", "box", 0.22,
       ("A4, D2, hammer 4, G2, hammer 4, B2, hammer 5, e2, 5 bend whole vibrato", "313131413"),
       ("e5, pull 2, B5, pull 2, G4, pull 2, D4, pull 2, A4 vibrato", "414131313")),
    _p("box at 9", "box", 0.22,
       ("G11 bend whole, B9, 12 bend whole release, 9, G11, pull 9, D11, G9 vibrato", "31313131"),
       ("B12, 12, e9, 12 bend half, 9, B12, 9, G11 bend curl", "44131413")),
    _p("second box", "box", 0.22,
       ("G9, B8, 10 bend whole, 10, 8, G9, 7, B8 vibrato", "21331211"),
       ("B10 bend whole, e10, B10 bend whole release, 8, G9, 7, D9 vibrato", "3431313")),
    _p("low riff and answer", "box", 0.22,
       ("E3, 5, A3, hammer 5, D3, 5, A5, 3, E5", "131313313"),
       ("G5, 7 bend half, 5, D7, pull 5, A7, 5 vibrato", "1313131")),
    _p("box at 10", "box", 0.22,
       ("G9, B10, e10, 13 bend whole, 10, B13, pull 10, G12 bend whole, B10 vibrato", "111314131"),
       ("e13, pull 10, B13, pull 11, 10, G12, pull 9, D12, 10 vibrato", "414213131")),
    _p("box at 7 and its neighbour", "box", 0.22,
       ("D9, G7, 9 bend whole release, 7, D9, pull 7, A9 vibrato", "3131313"),
       ("B7, 10 bend whole, e7, 10, pull 7, B10, pull 7, G9 vibrato", "13141413"),
       ("G9, B10, 12 bend whole, e10, B12, 10, G11, 9 vibrato", "11313121")),
    _p("from box to box by a slide", "shift", 0.22,
       ("D7, G5, 7, slide 9, B8, 10 bend whole, e8, 10, slide 12, 10, B12 vibrato", "31331313313"),
       ("e12, pull 10, B13, pull 10, G12, slide 9, 7, D9, pull 7, A9", "3141331313")),
    _p("up the neck on two strings", "shift", 0.22,
       ("G4, B5, G7, B8, G9, B10, G12, B12, e12 vibrato", "121212111"),
       ("e12, B13, e10, B12, e8, B10, e7, B8, G9 vibrato", "121313123")),
    _p("answers an octave apart", "shift", 0.22,
       ("D7, G5, 7, B5, G7 vibrato", "31313"),
       ("B10, e8, 10, 12 vibrato", "3113"),
       ("B15, e13, 15, 17 bend whole vibrato", "3113")),
    _p("three notes a string", "run", 0.13,
       ("E3, 5, 7, A3, 5, 7, D4, 5, 7, G4, 5, 7, B5, 7, 8, e5, 7, 8", "124124124124134134")),
    _p("three notes a string, downwards", "run", 0.13,
       ("e15, 14, 12, B15, 13, 12, G14, 12, 11, D14, 12, 10, A14, 12, 10 vibrato", "431421421421421")),
    _p("chromatic climb", "run", 0.14,
       ("D5, 6, 7, 8, G5, 6, 7, 8, B6, 7, 8, 9, e7, 8, 9, 10 vibrato", "1234123412341234")),
    _p("fours in a box", "run", 0.13,
       ("e8, 5, B8, 5, e5, B8, 5, G7, B8, 5, G7, 5, B5, G7, 5, D7", "4141141341311313")),
    _p("one string up and down", "one string", 0.18,
       ("e5, 7, 8, 10, 12, 13, 15, 17 vibrato", "13413413"),
       ("e17, slide 15, 13, slide 12, 10, 8, slide 7, 5", "33113111")),
    _p("high run along the second string", "one string", 0.14,
       ("B12, hammer 13, pull 12, slide 10, hammer 12, pull 10, slide 8, hammer 10, pull 8, slide 6 vibrato", "1211311311")),
    _p("pedal over a moving string", "one string", 0.13,
       ("e17, pull 12, 16, pull 12, 15, pull 12, 14, pull 12, 13, pull 12", "4141413121")),
    _p("high trills along the first string", "one string", 0.12,
       ("e12, hammer 15, pull 12, slide 14, hammer 17, pull 14, slide 17, hammer 19, pull 17, hammer 20 vibrato", "1411411314")),
    _p("A minor swept", "arpeggio", 0.11,
       ("A12, hammer 15, D14, G14, B13, e12, hammer 17, pull 12, B13, G14, D14, A15, pull 12", "1433214123341")),
    _p("arpeggios that skip a string", "arpeggio", 0.16,
       ("D7, 10, B8, 10, e7, 10 vibrato", "142414"),
       ("D5, 9, B5, 8, e5, 9 vibrato", "141314")),
    _p("triads down the neck", "arpeggio", 0.18,
       ("e12, B13, G12, e10, B12, G11, e8, B10, G9, e7, B8, G7 vibrato", "121132132121")),
    _p("wide arpeggio, two strings skipped", "arpeggio", 0.15,
       ("A10, 14, G12, e10, 14, e10, G12, A14, 10", "143141341")),
    _p("open position in E", "open", 0.22,
       ("E0, hammer 3, A0, hammer 2, D0, hammer 2, G0, B0, hammer 3, e0", "0302020030"),
       ("e3, pull 0, B3, pull 0, G2, pull 0, D2, pull 0, A2", "303020202")),
    _p("open strings ring in G", "open", 0.22,
       ("G0, B0, 1, 0, G2, 0, D4, 2, 0, A3", "0010204203"),
       ("D0, hammer 2, G0, hammer 2, B3, pull 1, 0, G2 vibrato", "02023102")),
    _p("banjo-like rolls", "open", 0.14,
       ("G4, B0, e0, G2, B0, e0, D4, G0, B0, D2, G0, B0", "300100300100")),
    _p("sixths down", "double stop", 0.3,
       ("e12 + G13, e10 + G11, e8 + G9, e7 + G7, e5 + G6, e3 + G4", "121212321212")),
    _p("thirds on the upper strings", "double stop", 0.3,
       ("B8 + G9, B6 + G7, B5 + G5, B3 + G4, B5 + G5, B6 + G7, B8 + G9", "12121112111212")),
    _p("fourths rolled", "double stop", 0.25,
       ("B5 + G5, B7 + G7, B5 + G5, D7, G7 bend curl, B5 + G5", "1133113311")),
    _p("octaves", "double stop", 0.25,
       ("A7 + G9, A9 + G11, A10 + G12, A12 + G14, A10 + G12, A7 + G9", "131313131313")),
    _p("unison bends climb", "unison", 0.4,
       ("G14 unison + B12, G16 unison + B14, G19 unison + B17 vibrato", "313131"),
       ("B15 unison + e12, B17 unison + e14, B15, pull 12, G14", "3131313")),
    _p("oblique bends", "unison", 0.3,
       ("G14 bend whole + B15, G14, B12, G12, D14 vibrato", "343113"),
       ("B15 bend whole + e15, e12, B15, pull 12", "34131")),
    _p("taps along a string", "tap", 0.11,
       ("tap e17, pull 12, hammer 15, tap 17, pull 12, hammer 15, tap 19, pull 12, hammer 15, tap 20, pull 12", "01401401401")),
    _p("taps across strings", "tap", 0.12,
       ("tap e15, pull 8, hammer 12, tap B15, pull 8, hammer 12, tap G14, pull 7, hammer 11", "014014014")),
    _p("shape moved by threes", "shape", 0.14,
       ("D5, 6, 8, G5, 6, 8, D8, 9, 11, G8, 9, 11, D11, 12, 14, G11, 12, 14", "124124124124124124")),
    _p("the same shape on other strings", "shape", 0.22,
       ("A7, D5, 7, G7, D10, G8, 10, B10, G12, B10, 12, e12 vibrato", "313331333133")),
    _p("pre-bends high", "bend", 0.25,
       ("B17 pre-bend whole release, 15, e15, B17 bend whole, 15, G17 vibrato", "311313"),
       ("G16 bend half, 14, B15, 17 bend one and a half, 17 bend whole release, 15", "311331")),
    _p("curls in a low box", "bend", 0.22,
       ("G3 bend curl, D5, pull 3, A5, D3, G3 bend curl, B3, G5 bend half vibrato", "13131113"),
       ("B6 bend whole, 6, 3, G5, 3, D5 vibrato", "331313")),
    _p("wide bends at 15", "bend", 0.25,
       ("B18 bend whole, e15, 18 bend one and a half, 15, B18, pull 15, G17 bend whole release", "3131413"),
       ("G17 bend whole, B15, 18, e15, B18 bend whole vibrato", "31413")),
    _p("repeats of one note", "rhythm", 0.15,
       ("G7, 7, 7, B5, 5, G7, 7, 5, D7 vibrato", "333113313"),
       ("e8, 8, 8, 5, B8, 8, 5, G7 vibrato", "44414413")),
)  # fmt: skip


def passages(*, fitted: bool | None = None) -> list[Passage]:
    """All of them, or one half: every second of each kind is for fitting."""
    seen: dict[str, int] = {}
    out = []
    for passage in _ALL:
        number = seen[passage.kind] = seen.get(passage.kind, 0) + 1
        is_fitted = number % 2 == 0
        if fitted is None or fitted is is_fitted:
            out.append(passage)
    return out
