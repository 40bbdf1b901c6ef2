"""The chord that sounds now, on a neck: its roots and its other tones, where degrees are shown; and figures."""

from PyQt6.QtCore import QObject

from notcher.app.state.desk import Desk
from notcher.app.widgets.neck import NeckView
from notcher.harmony.patterns import Playing
from notcher.score.chord import Chord
from notcher.score.chords import chord_at


class NeckChords(QObject):
    """Keeps a neck up with the playhead; while nothing plays, with the beginning of the stretch in hand."""

    def __init__(self, desk: Desk, neck: NeckView) -> None:
        super().__init__(neck)
        self._desk, self._neck = desk, neck
        desk.transport.moved.connect(lambda _: self.follow())
        for changed in (desk.analysis.changed, desk.phrase_changed, desk.session.project_changed):
            changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Show what sounds now, and where the figure is that comes again."""
        self._neck.show_playings(self._playings())
        chord = self._chord()
        if chord is None:
            self._neck.show_chord(None, frozenset())
        else:
            self._neck.show_chord(chord.root.pitch_class, frozenset(chord.pitch_classes))

    def _playings(self) -> list[Playing]:
        """Of the figures of which two playings at least are in the stretch in hand, in order."""
        desk = self._desk
        stretch = desk.stretch
        if stretch is None or not desk.session.is_open:
            return []
        notes = desk.session.project.notes_between(stretch.start, stretch.end)
        return sorted((p for f in desk.analysis.figures_within(notes) for p in f.playings), key=lambda p: p.start)

    def _chord(self) -> Chord | None:
        desk = self._desk
        if not desk.session.is_open or desk.analysis.degrees == "off":
            return None
        position, stretch = desk.transport.position, desk.stretch
        if stretch is not None and not (desk.transport.playing and stretch.start <= position < stretch.end):
            first = desk.session.project.notes_between(stretch.start, stretch.end)[:1]
            position = first[0].onset if first else stretch.start
        here = chord_at(desk.session.project, position)
        return here.chord if here is not None else None
