"""What a film shows at each time: the line of tab that sounds, the playhead, the chord, the cue words, the count."""

import bisect
import functools
from collections.abc import Sequence
from dataclasses import dataclass
from importlib import resources
from typing import Any

from notcher.formats.film.look import Film
from notcher.formats.line import DIALECTS, written_line
from notcher.formats.picture import Picture
from notcher.formats.sheet import tab
from notcher.formats.sheet.measure import fitted, runs
from notcher.formats.strip import Each, Strips, image_of, pictures
from notcher.score.note import Note, strikes
from notcher.score.passage_edit import passage_of
from notcher.score.project import Project
from notcher.wording.chords import chords_over

GROUND, INK, QUIET = {False: "#fbf8f1", True: "#12191d"}, {False: "#1c2b33", True: "#edf0ea"}, "#7b868b"
HEAD = "#a3225c"
"""The playhead's colour, and that of the word that is lit."""
_NUMBERS, _SMALLEST_NUMBERS = 26, 12
_HEAD_SHARE, _FOOT_SHARE, _ROOM_SHARE = 0.16, 0.2, 0.62
# Drawings of lines that are kept: of an hour there are hundreds, and two of them are seen.
_LINES_KEPT = 4


@dataclass(frozen=True, slots=True)
class Playhead:
    """Pixels: the middle of the line, and from where to where it goes."""

    x: float
    top: int
    bottom: int


@dataclass(frozen=True, slots=True)
class State:
    """What stands still between two changes: numbers of the line, the cue (-1 none yet) and the chord, and the beat
    that is counted, 0 for none."""

    line: int
    cue: int
    chord: int
    counted: int


@dataclass(frozen=True, slots=True)
class Words:
    """What stands at the head: on the left and on the right."""

    left: str
    right: str


class Scene:
    """The pictures of a film over the times of some notes."""

    def __init__(self, project: Project, notes: Sequence[Note], start: float, end: float, look: Film, words: Words
                 ) -> None:  # fmt: skip
        self._look, self._words = look, words
        self._strips, picture = _fitting(project, notes, look)
        alone = [Picture(((2.0, s),), picture.width, s.height + 4.0, "") for _, s in picture.systems]
        self._lines = alone
        self._image = functools.lru_cache(maxsize=_LINES_KEPT)(self._drawn)
        systems = [one.systems[0][1] for one in alone]
        self._starts = [system.row.cells[0].time for system in systems if system.row is not None]
        self._cues = [
            (stroke[0].onset, written_line(passage_of(stroke), DIALECTS[look.dialect])) for stroke in strikes(notes)
        ]
        self._rows, self._row_of = self._cue_rows()
        self._chords = list(chords_over(project, start, end))

    def _drawn(self, line: int) -> Any:
        return image_of(self._lines[line], self._strips)

    def state_at(self, time: float, *, counted: int = 0) -> State:
        """What is shown at a time of the recording, in seconds."""
        line = max(0, bisect.bisect_right(self._starts, time + 1e-6) - 1)
        cue = bisect.bisect_right([t for t, _ in self._cues], time + 1e-6) - 1
        chord = bisect.bisect_right([t for t, _ in self._chords], time + 1e-6) - 1
        return State(line, -1 if counted else cue, max(0, chord) if self._chords else -1, counted)

    def playhead(self, state: State, time: float) -> Playhead:
        """Where the line stands at a time of the recording."""
        system = self._lines[state.line].systems[0][1]
        assert system.row is not None
        left = system.right - system.row.width - 6
        xs = [left + x for x in system.row.x]
        x = (4.0 + tab.x_at(system.row, xs, system.right, time)) * self._strips.scale
        top, _ = self._places(state.line)
        return Playhead(x, top, top + self._image(state.line).height)

    def still(self, state: State) -> Any:
        """The picture without the playhead, a Pillow image in RGBA."""
        from PIL import Image

        look = self._look
        ground = (0, 0, 0, 0) if look.layer else GROUND[look.dark]
        image = Image.new("RGBA", (look.width, look.height), ground)
        for top, number in zip(self._places(state.line), (state.line, state.line + 1), strict=True):
            if number < len(self._lines) and top >= 0:
                image.alpha_composite(_tinted(self._image(number), INK[look.dark]), (0, top))
        self._write_words(image, state)
        return image

    def _places(self, line: int) -> tuple[int, int]:
        """Where the line and the next one begin; below zero where there is no room for it."""
        height = self._image(line).height
        room_top = round(self._look.height * _HEAD_SHARE)
        room = round(self._look.height * (1 - _HEAD_SHARE - _FOOT_SHARE))
        following = self._image(line + 1).height if line + 1 < len(self._lines) else 0
        if following and height + following <= room:
            top = room_top + (room - height - following) // 2
            return top, top + height
        return room_top + max(0, room - height) // 2, -1

    def _write_words(self, image: Any, state: State) -> None:
        from PIL import ImageDraw

        look, ink = self._look, INK[self._look.dark]
        draw = ImageDraw.Draw(image)
        size, edge = round(look.height * 0.04), round(look.width * 0.02)
        y = round(look.height * 0.035)
        _write(draw, edge, y, fitted(self._words.left, look.width * 0.4, size), size, ink)
        _write(draw, look.width - edge - _wide(self._words.right, size), y, self._words.right, size, ink)
        if state.chord >= 0:
            name, large = self._chords[state.chord][1], round(look.height * 0.065)
            _write(draw, (look.width - _wide(name, large, bold=True)) // 2, round(y * 0.7), name, large, ink, bold=True)
        foot = round(look.height * (1 - _FOOT_SHARE * 0.86))
        if state.counted:
            large = round(look.height * 0.1)
            said = str(state.counted)
            _write(draw, (look.width - _wide(said, large, bold=True)) // 2, foot, said, large, HEAD, bold=True)
        else:
            self._write_cues(draw, state.cue, foot, edge)

    def _cue_rows(self) -> tuple[list[list[int]], dict[int, int]]:
        """The numbers of cues in rows that fit the width, and the row of each."""
        look, size = self._look, round(self._look.height * 0.05)
        edge = round(look.width * 0.02)
        rows: list[list[int]] = [[]]
        x = edge
        for k, (_, words) in enumerate(self._cues):
            width = _wide(words, size, bold=True) + size
            if rows[-1] and x + width > look.width - edge:
                rows.append([])
                x = edge
            rows[-1].append(k)
            x += width
        return rows, {k: r for r, row in enumerate(rows) for k in row}

    def _write_cues(self, draw: Any, lit: int, y: int, edge: int) -> None:
        look, size = self._look, round(self._look.height * 0.05)
        gap = size
        at = self._row_of.get(lit, 0)
        for r, row in enumerate(self._rows[at : at + 2]):
            x = edge
            for k in row:
                words = self._cues[k][1]
                _write(
                    draw,
                    x,
                    y + round(1.35 * size * r),
                    words,
                    size,
                    HEAD if k == lit else INK[look.dark],
                    bold=k == lit,
                )
                x += _wide(words, size, bold=True) + gap


def _fitting(project: Project, notes: Sequence[Note], look: Film) -> tuple[Strips, Picture]:
    """As large figures as leave room for each line."""
    numbers = max(_SMALLEST_NUMBERS, round(look.height * _NUMBERS / 720))
    while True:
        strips = Strips(
            width=look.width, numbers=numbers, dark=look.dark, staff=look.staff, rhythm=None, each=Each.PHRASE
        )  # fmt: skip
        picture = pictures(project, notes, strips)[0]
        tallest = max(system.height for _, system in picture.systems) + 4.0
        if tallest * strips.scale <= look.height * _ROOM_SHARE or numbers <= _SMALLEST_NUMBERS:
            return strips, picture
        numbers = max(_SMALLEST_NUMBERS, numbers - 2)


def _tinted(image: Any, colour: str) -> Any:
    from PIL import Image

    solid = Image.new("RGBA", image.size, colour)
    solid.putalpha(image.getchannel("A"))
    return solid


@functools.lru_cache(maxsize=32)
def _font(file: str, size: int) -> Any:
    from PIL import ImageFont

    return ImageFont.truetype(str(resources.files("notcher").joinpath("data/fonts", file)), size)


def _wide(text: str, size: int, *, bold: bool = False) -> int:
    return round(float(sum(_font(file, size).getlength(piece) for file, piece in runs(text, "B" if bold else ""))))


def _write(draw: Any, x: int, y: int, text: str, size: int, colour: str, *, bold: bool = False) -> None:
    at = float(x)
    for file, piece in runs(text, "B" if bold else ""):
        draw.text((at, y + size), piece, font=_font(file, size), fill=colour, anchor="ls")
        at += _font(file, size).getlength(piece)
