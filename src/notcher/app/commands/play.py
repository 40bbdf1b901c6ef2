"""Commands for playing, pace and loops, in every room."""

from collections.abc import Callable
from dataclasses import replace

from notcher.app.commands.command import Command
from notcher.app.state.desk import Desk
from notcher.score.feel import BY_NAME, FEELS
from notcher.teach.pace import FEWEST_TAPS, stepped, tapped_pace
from notcher.wording import tr


def loop_selection(desk: Desk) -> None:
    """Repeat what is selected; the phrase under the playhead without a selection; nothing where that is looped."""
    chosen = desk.session.selected_notes() if desk.session.is_open else []
    if chosen:
        loop = (max(0.0, min(n.onset for n in chosen) - 0.08), max(n.end for n in chosen) + 0.08)
        current = desk.transport.loop
        if current and abs(current[0] - loop[0]) < 0.002 and abs(current[1] - loop[1]) < 0.002:
            desk.transport.set_loop(None)
        else:
            desk.transport.set_loop(loop)
        return
    if desk.transport.loop:
        desk.transport.set_loop(None)
        return
    phrase = desk.session.project.phrase_at(desk.transport.position)
    if phrase is None:
        desk.said.emit(tr("drag along the waveform to set a loop, or select notes first"))
    else:
        desk.loop_phrase(phrase)


def pace_step(desk: Desk, *, up: bool) -> None:
    """One step faster or slower, as far as steps go."""
    t = desk.transport
    t.set_pace(stepped(t.pace, t.pace_step, bpm=t.bpm, up=up))


def tap_pace(desk: Desk) -> None:
    """Take the pace at which this is pressed, from the third time on."""
    t = desk.transport
    taps = t.tapped()
    pace = tapped_pace(taps, bpm=t.bpm)
    if pace is not None:
        t.set_pace(pace)
    elif t.bpm is None:
        desk.said.emit(tr("no beat is known to compare with; find it first, or type the pace in percent"))
    else:
        desk.said.emit(tr("tap on: {n} of {few}", n=len(taps), few=FEWEST_TAPS))


def next_feel(desk: Desk) -> None:
    """The backing in the next feel."""
    project = desk.session.project
    names = ["", *(f.name for f in FEELS)]
    name = names[(names.index(project.feel) + 1) % len(names)]
    if desk.session.edit(tr("Feel of the backing"), lambda p: replace(p, feel=name), linked=False):
        label = tr(BY_NAME[name].label) if name else tr("by the tempo")
        desk.said.emit(tr("the backing goes {feel}", feel=label))


def _p(id_: str, label: str, keys: tuple[str, ...], run: Callable[[Desk], None], group: str = "Playing") -> Command:
    return Command(id_, label, keys, group, run)


COMMANDS: tuple[Command, ...] = (
    _p("play.toggle", "Play or pause", ("Space",), lambda d: d.transport.toggle()),
    _p("play.again", "Again from the start", ("Return", "Enter"), lambda d: d.transport.again()),
    _p("play.slower", "Slower by a step", ("-",), lambda d: pace_step(d, up=False)),
    _p("play.faster", "Faster by a step", ("=", "+"), lambda d: pace_step(d, up=True)),
    _p("play.swap", "Full speed and back", ("F",), lambda d: d.transport.swap_pace()),
    _p(
        "play.source",
        "Hear: recording, lead, rest, tab, backing",
        ("W",),
        lambda d: d.transport.next_source(),
    ),
    _p("play.feel", "Another feel of the backing", ("Shift+W",), next_feel),
    _p("play.count-in", "Count-in on or off", ("I",), lambda d: d.transport.set_count_in(not d.transport.count_in)),
    _p("play.click", "Click along, or not", ("Shift+I",), lambda d: d.transport.set_click(not d.transport.click)),
    _p("play.tap-pace", "Tap the pace", ("Shift+T",), tap_pace),
    _p("play.higher", "Sound a half step higher", (), lambda d: d.transport.set_shift(d.transport.shift + 1)),
    _p("play.lower", "Sound a half step lower", (), lambda d: d.transport.set_shift(d.transport.shift - 1)),
    _p("play.loop", "Loop the selection or phrase, or none", ("L",), loop_selection),
    _p("phrase.next", "Next phrase", ("PgDown",), lambda d: d.step_phrase(1), "Phrases"),
    _p("phrase.previous", "Phrase before", ("PgUp",), lambda d: d.step_phrase(-1), "Phrases"),
    _p("phrase.so-far", "So far: everything up to here", ("Home",), lambda d: d.toggle_so_far(), "Phrases"),
)
