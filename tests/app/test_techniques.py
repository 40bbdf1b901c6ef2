"""docs/TECHNIQUES.md says for every technique how far it goes; every cell of it is tried out here."""

import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from notcher.app.rooms.notch.strand import StrandView
from notcher.app.state.desk import Desk
from notcher.app.widgets.theme import LIGHT, load_fonts
from notcher.audio import RATE
from notcher.audio.recording import Audio
from notcher.audio.tone import cents_of, render
from notcher.formats.incoming.build import project_of
from notcher.formats.incoming.open_score import read_score
from notcher.formats.line import read_line, written_line
from notcher.formats.midi import midi_bytes
from notcher.formats.musicxml import musicxml
from notcher.formats.sheet.layout import lay_out
from notcher.formats.text_signs import note_text
from notcher.listen.candidates.shape import read_shape
from notcher.listen.frames.spectrum import HOP
from notcher.listen.listener import listen
from notcher.pipeline.place_heard import placed_notes
from notcher.score.bends import arrival_and_hold
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.note import Attack, Bend, BendKind, Mark, Note, Vibrato
from notcher.score.passage_edit import passage_of
from notcher.score.project import Project, Recording
from notcher.score.tempo import TempoMap
from tests.conftest import ROOT, note

TABLE = ROOT / "docs/TECHNIQUES.md"
COLUMNS = ("proposed", "written", "drawn", "sounded", "printed", "MusicXML", "MIDI", "text")
Change = Callable[[Note], Note]


def attack(a: Attack, *marks: Mark) -> Change:
    return lambda n: replace(n, attack=a, marks=n.marks | set(marks))


def bend(kind: BendKind, cents: int = 200, *, rise: float | None = None) -> Change:
    return lambda n: replace(n, bend=Bend(kind, cents, rise=rise))


def mark(*marks: Mark) -> Change:
    return lambda n: replace(n, marks=n.marks | set(marks))


# Each technique of the trade: how a plain note becomes it.
TECHNIQUES: dict[str, Change] = {
    "bend": bend(BendKind.BEND),
    "bend and release": bend(BendKind.BEND_RELEASE),
    "bend of three quarters": bend(BendKind.BEND, 150),
    "bend of three steps": bend(BendKind.BEND, 600),
    "pre-bend": bend(BendKind.PRE_BEND),
    "pre-bend and release": bend(BendKind.PRE_BEND_RELEASE),
    "re-pick at the top": bend(BendKind.HOLD),
    "bend again unpicked": bend(BendKind.AGAIN),
    "bend, muted at the top": bend(BendKind.MUTED),
    "slow bend": bend(BendKind.BEND, rise=0.45),
    "staggered bend": bend(BendKind.STAGGERED),
    "curl": bend(BendKind.CURL, 50),
    "unison bend": bend(BendKind.UNISON),
    "vibrato": lambda n: replace(n, vibrato=Vibrato(5.5, 30, 0.2)),
    "vibrato on a bend": lambda n: replace(n, bend=Bend(BendKind.BEND, 200), vibrato=Vibrato(5.5, 30, 0.2)),
    "slide from a fret": attack(Attack.SLIDE),
    "slide, picked again": attack(Attack.SLIDE, Mark.REPICKED),
    "slide from nowhere": mark(Mark.SLIDE_IN),
    "slide to nowhere": mark(Mark.SLIDE_OFF),
    "grace slide": attack(Attack.SLIDE, Mark.GRACE),
    "hammer-on": attack(Attack.HAMMER),
    "pull-off": attack(Attack.PULL),
    "trill": mark(Mark.TRILL),
    "tap": attack(Attack.TAP),
    "tap, fretting hand": attack(Attack.TAP, Mark.LEFT_HAND),
    "hammered from nowhere": mark(Mark.LEFT_HAND),
    "rake": attack(Attack.RAKE),
    "palm mute": mark(Mark.PALM_MUTE),
    "staccato": mark(Mark.STACCATO),
    "dead note": mark(Mark.DEAD),
    "let ring": mark(Mark.LET_RING),
    "natural harmonic": mark(Mark.NATURAL_HARMONIC),
    "natural harmonic between frets": lambda n: replace(n, fret=3, marks=frozenset({Mark.NATURAL_HARMONIC}), partial=6),
    "pinch harmonic": mark(Mark.PINCH_HARMONIC),
    "bar dip": mark(Mark.BAR_DIP),
    "bar dive": mark(Mark.BAR_DIVE),
    "bar scoop": mark(Mark.BAR_SCOOP),
    "volume swell": mark(Mark.SWELL),
    "tremolo picking": mark(Mark.TREMOLO),
    "down stroke": mark(Mark.DOWN_STROKE),
    "up stroke": mark(Mark.UP_STROKE),
    "grace note": mark(Mark.GRACE),
    "accent": mark(Mark.ACCENT),
    "rake from a string": lambda n: replace(n, attack=Attack.RAKE, raked_from=6),
    "gap after a note": lambda n: replace(n, sounding=0.5),
    "finger": lambda n: replace(n, finger=3),
    "thumb": lambda n: replace(n, finger=0),
}  # fmt: skip


def solo(change: Change = lambda n: n) -> Project:
    """A note on the seventh fret between two others; the technique goes on it."""
    middle = change(note(2, 1.0, 3, 7, length=0.5))
    notes = (note(1, 0.5, 3, 9, length=0.5), middle, note(3, 1.5, 2, 8, length=0.5))
    tempo = TempoMap.steady(120, first_beat=0.0, count=12)
    return Project(Recording("x.wav", "ab" * 32, 4.0, 44100, 2), notes=notes, tempo=tempo)


def essence(n: Note) -> tuple[object, ...]:
    kind = (n.bend.kind, n.bend.target_cents) if n.bend else None
    return (
        n.string, n.fret, n.attack, kind, n.vibrato is not None, n.marks, n.finger, n.partial, n.raked_from, n.sounding
    )  # fmt: skip


@pytest.fixture
def strand(qtbot: QtBot, own_folders: None) -> Iterator[StrandView]:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    load_fonts()
    desk = Desk()
    view = StrandView(desk, LIGHT)
    qtbot.addWidget(view)
    view.resize(700, 500)
    view.show()
    yield view
    desk.wait()


def tried(name: str, view: StrandView, folder: Path) -> dict[str, bool]:
    """How far a technique goes, column by column."""
    change = TECHNIQUES[name]
    plain, with_it = solo(), solo(change)
    line = written_line(passage_of(with_it.notes))
    pictures = []
    for project in (plain, with_it):
        view._desk.session.start(project, None)
        view._desk.axis.show_range(0.0, 2.4)
        pictures.append(view.grab().toImage())
    path = folder / "a.musicxml"
    path.write_text(musicxml(with_it, with_it.notes))
    back = project_of(read_score(path))
    sounds = [render(p, 0.0, 2.5) for p in (plain, with_it)]
    return {
        "written": read_line(line) == passage_of(with_it.notes) and line != written_line(passage_of(plain.notes)),
        "drawn": pictures[0] != pictures[1],
        "sounded": not np.allclose(sounds[0], sounds[1], atol=1e-3),
        "printed": lay_out(plain, plain.notes) != lay_out(with_it, with_it.notes),
        "MusicXML": [essence(n) for n in back.notes] == [essence(n) for n in with_it.notes]
        and musicxml(plain, plain.notes) != path.read_text(),
        "MIDI": midi_bytes(plain, plain.notes) != midi_bytes(with_it, with_it.notes),
        "text": note_text(plain.notes[1]) != note_text(with_it.notes[1]),
    }  # fmt: skip


def rows() -> dict[str, list[str]]:
    """The table: cells by technique."""
    found = {}
    for line in TABLE.read_text().splitlines():
        cells = [c.strip() for c in line.strip("|").split("|")]
        if len(cells) == 1 + len(COLUMNS) and cells[0] in TECHNIQUES:
            found[cells[0]] = cells[1:]
    return found


def test_no_technique_is_missing() -> None:
    """Every mark, attack and kind of bend is one of the techniques that are tried."""
    changed = [change(note(2, 1.0, 3, 7, length=0.5)) for change in TECHNIQUES.values()]
    assert {m for n in changed for m in n.marks} == set(Mark)
    assert {n.attack for n in changed} == set(Attack)
    assert {n.bend.kind for n in changed if n.bend} == set(BendKind)


def test_the_table_has_every_technique_and_no_empty_cell() -> None:
    assert list(rows()) == list(TECHNIQUES)
    reasons = set(re.findall(r"^- \*\*([a-z])\*\* ", TABLE.read_text(), re.MULTILINE))
    for name, cells in rows().items():
        for cell in cells:
            assert cell == "yes" or re.fullmatch(r"– [a-z]", cell), f"{name}: {cell}"
            assert cell == "yes" or cell[-1] in reasons, f"{name}: no reason {cell[-1]}"


@pytest.mark.parametrize("name", TECHNIQUES)
def test_every_cell_is_true(name: str, strand: StrandView, tmp_path: Path) -> None:
    said = dict(zip(COLUMNS, rows()[name], strict=True))
    del said["proposed"]
    assert {c: cell == "yes" for c, cell in said.items()} == tried(name, strand, tmp_path)


# -- what is proposed ----------------------------------------------------------------------------------------------

# Tried on sampled guitars by `make bench`, with how often it is found: the plain tone of these tests slides too evenly,
# its swell is a soft attack, half a second of it holds too few strokes for tremolo picking, and its muted, dead and
# touched strings are its own.
_IN_THE_BENCH = {
    "slide from nowhere", "volume swell", "tremolo picking", "palm mute", "dead note", "natural harmonic",
    "natural harmonic between frets",
}  # fmt: skip


@pytest.fixture(scope="module")
def proposals(demo: Project) -> list[Note]:
    """All that the program proposes of every technique played with the written tab's tone, of its pitch alone, and of
    the demo, as it was measured."""
    found = [n for n in demo.notes if not n.by_hand]
    for change in TECHNIQUES.values():
        project = solo(change)
        heard = listen(Audio(render(project, 0.0, 2.6)[None, :], RATE, 1), lead=Isolation(StereoPosition.MIX))
        found += placed_notes(heard.notes, project.tuning)
        played = project.notes[1]
        if played.bend is not None:
            pitch = played.pitch(project.tuning)
            cents = 100.0 * pitch + cents_of(played, np.arange(0.0, played.duration, HOP))
            for fretted in (None, pitch):
                shape = read_shape(cents, fretted=fretted)
                found.append(
                    replace(played, attack=Attack.PICK, bend=shape.bend, vibrato=shape.vibrato, marks=frozenset())
                )
    return found


def is_meant(wanted: Note, heard: Note) -> bool:
    """Whether a note that was heard has what makes the technique."""
    plain = note(2, 1.0, 3, 7, length=0.5)
    if wanted.bend is not None:
        if heard.bend is None or heard.bend.kind is not wanted.bend.kind:
            return False
        if wanted.bend.target_cents not in (200, heard.bend.target_cents):
            return False
        if wanted.bend.rise is not None and arrival_and_hold(heard.bend)[0] < 0.3:
            return False
    return all(
        (
            wanted.attack in (plain.attack, heard.attack),
            wanted.vibrato is None or heard.vibrato is not None,
            wanted.marks <= heard.marks,
            wanted.finger in (None, heard.finger),
            wanted.partial in (None, heard.partial),
            wanted.raked_from in (None, heard.raked_from),
            wanted.sounding in (None, heard.sounding),
        )
    )


@pytest.mark.parametrize("name", [name for name in TECHNIQUES if name not in _IN_THE_BENCH])
def test_what_is_said_to_be_proposed_is(name: str, proposals: list[Note]) -> None:
    wanted = TECHNIQUES[name](note(2, 1.0, 3, 7, length=0.5))
    assert any(is_meant(wanted, heard) for heard in proposals) is (rows()[name][0] == "yes")
