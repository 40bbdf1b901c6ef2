"""docs/TECHNIQUES.md says for every technique how far it goes; every cell of it is tried out here."""

import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from notcher.app.desk import Desk
from notcher.app.rooms.notch.strand import StrandView
from notcher.app.theme import LIGHT, load_fonts
from notcher.audio.tone import render
from notcher.formats.incoming.build import project_of
from notcher.formats.incoming.open_score import read_score
from notcher.formats.line import read_line, written_line
from notcher.formats.midi import midi_bytes
from notcher.formats.musicxml import musicxml
from notcher.formats.sheet.layout import lay_out
from notcher.formats.text_tab import note_text
from notcher.score.note import Attack, Bend, BendKind, Mark, Note, Vibrato
from notcher.score.project import Project, Recording
from notcher.score.said import said_of
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


# Each technique of the trade: how a plain note becomes it, and what its name is in the listening room's source.
TECHNIQUES: dict[str, tuple[Change, str]] = {
    "bend": (bend(BendKind.BEND), "BendKind.BEND"),
    "bend and release": (bend(BendKind.BEND_RELEASE), "BendKind.BEND_RELEASE"),
    "bend of three quarters": (bend(BendKind.BEND, 150), "nearest_quarter"),
    "bend of three steps": (bend(BendKind.BEND, 600), "600"),
    "pre-bend": (bend(BendKind.PRE_BEND), "BendKind.PRE_BEND"),
    "pre-bend and release": (bend(BendKind.PRE_BEND_RELEASE), "BendKind.PRE_BEND_RELEASE"),
    "re-pick at the top": (bend(BendKind.HOLD), "BendKind.HOLD"),
    "bend again unpicked": (bend(BendKind.AGAIN), "BendKind.AGAIN"),
    "bend, muted at the top": (bend(BendKind.MUTED), "BendKind.MUTED"),
    "slow bend": (bend(BendKind.BEND, rise=0.45), "_points"),
    "staggered bend": (bend(BendKind.STAGGERED), "BendKind.STAGGERED"),
    "curl": (bend(BendKind.CURL, 50), "BendKind.CURL"),
    "unison bend": (bend(BendKind.UNISON), "BendKind.UNISON"),
    "vibrato": (lambda n: replace(n, vibrato=Vibrato(5.5, 30, 0.2)), "find_vibrato"),
    "vibrato on a bend": (
        lambda n: replace(n, bend=Bend(BendKind.BEND, 200), vibrato=Vibrato(5.5, 30, 0.2)), "_without_vibrato",
    ),
    "slide from a fret": (attack(Attack.SLIDE), "Attack.SLIDE"),
    "slide, picked again": (attack(Attack.SLIDE, Mark.REPICKED), "Mark.REPICKED"),
    "slide from nowhere": (mark(Mark.SLIDE_IN), "Mark.SLIDE_IN"),
    "slide to nowhere": (mark(Mark.SLIDE_OFF), "Mark.SLIDE_OFF"),
    "grace slide": (attack(Attack.SLIDE, Mark.GRACE), "Mark.GRACE"),
    "hammer-on": (attack(Attack.HAMMER), "Attack.HAMMER"),
    "pull-off": (attack(Attack.PULL), "Attack.PULL"),
    "trill": (mark(Mark.TRILL), "Mark.TRILL"),
    "tap": (attack(Attack.TAP), "Attack.TAP"),
    "tap, fretting hand": (attack(Attack.TAP, Mark.LEFT_HAND), "Mark.LEFT_HAND"),
    "hammered from nowhere": (mark(Mark.LEFT_HAND), "Mark.LEFT_HAND"),
    "rake": (attack(Attack.RAKE), "Attack.RAKE"),
    "palm mute": (mark(Mark.PALM_MUTE), "Mark.PALM_MUTE"),
    "staccato": (mark(Mark.STACCATO), "Mark.STACCATO"),
    "dead note": (mark(Mark.DEAD), "Mark.DEAD"),
    "let ring": (mark(Mark.LET_RING), "Mark.LET_RING"),
    "natural harmonic": (mark(Mark.NATURAL_HARMONIC), "Mark.NATURAL_HARMONIC"),
    "natural harmonic between frets": (
        lambda n: replace(n, fret=3, marks=frozenset({Mark.NATURAL_HARMONIC}), partial=6), "partial=",
    ),
    "pinch harmonic": (mark(Mark.PINCH_HARMONIC), "Mark.PINCH_HARMONIC"),
    "bar dip": (mark(Mark.BAR_DIP), "Mark.BAR_DIP"),
    "bar dive": (mark(Mark.BAR_DIVE), "Mark.BAR_DIVE"),
    "bar scoop": (mark(Mark.BAR_SCOOP), "Mark.BAR_SCOOP"),
    "volume swell": (mark(Mark.SWELL), "Mark.SWELL"),
    "tremolo picking": (mark(Mark.TREMOLO), "Mark.TREMOLO"),
    "down stroke": (mark(Mark.DOWN_STROKE), "Mark.DOWN_STROKE"),
    "up stroke": (mark(Mark.UP_STROKE), "Mark.UP_STROKE"),
    "grace note": (mark(Mark.GRACE), "Mark.GRACE"),
    "finger": (lambda n: replace(n, finger=3), "finger="),
    "thumb": (lambda n: replace(n, finger=0), "finger="),
}  # fmt: skip


def solo(change: Change = lambda n: n) -> Project:
    """A note on the seventh fret between two others; the technique goes on it."""
    middle = change(note(2, 1.0, 3, 7, length=0.5))
    notes = (note(1, 0.5, 3, 9, length=0.5), middle, note(3, 1.5, 2, 8, length=0.5))
    tempo = TempoMap.steady(120, first_beat=0.0, count=12)
    return Project(Recording("x.wav", "ab" * 32, 4.0, 44100, 2), notes=notes, tempo=tempo)


def essence(n: Note) -> tuple[object, ...]:
    kind = (n.bend.kind, n.bend.target_cents) if n.bend else None
    return n.string, n.fret, n.attack, kind, n.vibrato is not None, n.marks, n.finger, n.partial


@pytest.fixture
def strand(qtbot: QtBot, own_folders: None) -> StrandView:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    load_fonts()
    view = StrandView(Desk(), LIGHT)
    qtbot.addWidget(view)
    view.resize(700, 500)
    view.show()
    return view


def tried(name: str, view: StrandView, folder: Path) -> dict[str, bool]:
    """How far a technique goes, column by column."""
    change, source = TECHNIQUES[name]
    plain, with_it = solo(), solo(change)
    line = written_line(said_of(with_it.notes))
    pictures = []
    for project in (plain, with_it):
        view._desk.session.start(project, None)
        view._desk.axis.show_range(0.0, 2.4)
        pictures.append(view.grab().toImage())
    path = folder / "a.musicxml"
    path.write_text(musicxml(with_it, with_it.notes))
    back = project_of(read_score(path))
    listening = "".join(p.read_text() for p in (ROOT / "src/notcher/listen").glob("*.py"))
    sounds = [render(p, 0.0, 2.5) for p in (plain, with_it)]
    return {
        "proposed": re.search(rf"{re.escape(source)}(?![A-Z_])", listening) is not None,
        "written": read_line(line) == said_of(with_it.notes) and line != written_line(said_of(plain.notes)),
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
    assert {c: cell == "yes" for c, cell in said.items()} == tried(name, strand, tmp_path)
