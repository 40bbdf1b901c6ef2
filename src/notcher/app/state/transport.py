"""The one transport: what sounds, where it is, what is looped, how fast. Every room shows and drives this one."""

import time

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from notcher.app.state.device import SilentClock, Speaker, open_output
from notcher.app.state.lead_sound import LeadSound
from notcher.app.state.session import Session
from notcher.audio.peaks import Peaks
from notcher.audio.player import MOST_SHIFT, Click, Player, Source
from notcher.audio.recording import Audio, FloatArray
from notcher.audio.tone import render
from notcher.harmony.band import Backing
from notcher.rhythm.straight import as_written
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from notcher.teach.clicks import MOST_BREATH, PARTS, breath, clicks_between, count_in
from notcher.teach.layers import Layer, layered
from notcher.teach.lesson import FIRST_PACE, clamp_pace
from notcher.teach.pace import STEPS
from notcher.wording import later, tr

RECORDING, LEAD, REST, WRITTEN = later("Recording"), later("Lead alone"), later("All the rest"), later("Written tab")
# Seconds before and after a stretch in which notes may ring into it.
_RINGS_S = 8.0
# Taps farther apart than this begin anew.
_TAPS_APART_S = 2.5
STRAIGHT = later("Tab on the beat")
BACKING, OVER_BACKING = later("Backing"), later("Tab and backing")


class Transport(QObject):
    """Wraps the player for the window. Times in seconds of the recording, pace in percent."""

    moved = pyqtSignal(float)
    changed = pyqtSignal()
    sound_ready = pyqtSignal()
    failed = pyqtSignal(str)
    looped = pyqtSignal(float)
    """So many seconds more of a loop have sounded."""
    turned = pyqtSignal(str, float)
    """A round of the loop began ("begin") or ended ("end"), so many seconds of sound after playing began."""
    finished = pyqtSignal()
    """It stopped by itself: at the recording's end, or after the rounds that were asked for."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.player = Player()
        self.audio: Audio | None = None
        self.peaks: Peaks | None = None
        self._known_band: Backing | None = None
        self._clicked_tempo: TempoMap | None = None
        self.count_in = False
        self.click = False
        self.click_parts = 1
        self.accents = True
        self.breath = 0
        self.shift = 0
        self.pace_step = STEPS[0]
        self.layer = Layer.COLOUR
        self._taps: list[float] = []
        # When playing was looked at last; None while nothing plays.
        self._ticked: float | None = None
        self.pace: float = 100
        self._last_slow: float = FIRST_PACE
        self._chosen = False
        self.lead_sound = LeadSound(session, self)
        self.lead_sound.better.connect(self._refresh_lead)
        self._start_from = 0.0
        # Whether it plays, and was not stopped by anybody.
        self._running = False
        self._output: Speaker | SilentClock | None = None
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(16)
        self._timer.timeout.connect(self._tick)
        self._tab_changed = QTimer(self)
        self._tab_changed.setSingleShot(True)
        self._tab_changed.setInterval(120)
        self._tab_changed.timeout.connect(self._refresh_tab)
        session.project_changed.connect(self._tab_changed.start)
        session.project_changed.connect(self._follow_project)
        session.opened.connect(self._opened)

    # -- what there is to hear -----------------------------------------------------------------------------------

    def _opened(self) -> None:
        self.pause()
        self._chosen = False
        self.set_audio(None, None)
        self.set_loop(None)
        self.seek(0.0)

    def set_audio(self, audio: Audio | None, peaks: Peaks | None) -> None:
        """Give the recording once it is decoded; without one only the written tab sounds."""
        self.audio, self.peaks = audio, peaks
        self.lead_sound.set_audio(audio)
        self._offer_sources()

    def _offer_sources(self) -> None:
        audio = self.audio
        sources: dict[str, Source] = {}
        duration = self._session.project.recording.duration if self._session.is_open else 0.0
        if audio is not None:
            duration = max(duration, audio.duration)
            sources[RECORDING] = audio.between
            sources[LEAD] = lambda a, b: self.lead_sound.between(a, b, rest=False)
            sources[REST] = lambda a, b: self.lead_sound.between(a, b, rest=True)
        if self._session.is_open:
            sources[WRITTEN] = lambda a, b: render(self._layered(a, b), a, b)[None, :]
            sources[STRAIGHT] = lambda a, b: render(as_written(self._layered(a, b), a, b), a, b)[None, :]
            if self._session.project.chords:
                sources[BACKING] = lambda a, b: self._band().between(a, b)
                sources[OVER_BACKING] = lambda a, b: self._band().between(a, b) + render(self._layered(a, b), a, b)
        self.player.set_sources(sources, duration=duration)
        if RECORDING in sources and not self._chosen:
            self.player.choose(RECORDING)
        self.sound_ready.emit()
        self.changed.emit()

    def _layered(self, start: float, end: float) -> Project:
        """The project with the notes around a stretch as the layer that is shown has them."""
        project = self._session.project
        if self.layer is Layer.COLOUR:
            return project
        around = project.notes_between(start - _RINGS_S, end + _RINGS_S)
        return project.with_notes(layered(around, self.layer))

    def set_layer(self, layer: Layer) -> None:
        """How much of the written tab is heard."""
        if layer is not self.layer:
            self.layer = layer
            self._refresh_tab()
            self.changed.emit()

    def _band(self) -> Backing:
        """The band for the project as it is, worked out anew where its chords, bars or feel changed."""
        project, known = self._session.project, self._known_band
        if known is None or not known.is_of(project):
            known = self._known_band = Backing(project)
        return known

    def _follow_project(self) -> None:
        """Playback in tune and clicks follow the project at once, and the backing is there as soon as there are
        chords."""
        project = self._session.project
        if bool(project.chords) != (BACKING in self.player.sources):
            self._offer_sources()
        self._tell_pitch()
        if project.tempo is not self._clicked_tempo:
            self._clicked_tempo = project.tempo
            self._tell_clicks()
        elif self.breath:
            self._tell_breath()

    def _refresh_lead(self) -> None:
        for name in (LEAD, REST):
            self.player.refresh(name)

    def _refresh_tab(self) -> None:
        for name in (WRITTEN, STRAIGHT, BACKING, OVER_BACKING):
            self.player.refresh(name)

    def sound_once(self, sound: FloatArray) -> None:
        """Let something be heard by itself or beside what plays; mono at the player's rate, shape (n,)."""
        self.open_device()
        self.player.sound_beside(sound)
        assert self._output is not None
        self._output.start()
        self._timer.start()

    @property
    def device_name(self) -> str | None:
        """The output's name, '' for the silent clock, None before anything was played."""
        return None if self._output is None else self._output.name

    def open_device(self) -> None:
        """Find out where sound goes."""
        if self._output is None:
            self._output = open_output(self.player.pull, self)
            if not self._output.name:
                self.failed.emit(tr("no sound device was found: a silent clock runs in its place"))
            self.changed.emit()

    # -- driving it ----------------------------------------------------------------------------------------------

    @property
    def position(self) -> float:
        """Seconds in the recording."""
        return self.player.position

    @property
    def playing(self) -> bool:
        """Whether it runs."""
        return self.player.playing

    @property
    def loop(self) -> tuple[float, float] | None:
        """What is repeated, or None."""
        return self.player.loop

    def toggle(self) -> None:
        """Play or pause."""
        self.pause() if self.playing else self.play()

    def play(self, *, rounds: int | None = None) -> None:
        """Start where it stands. rounds: of the loop, after which it stops by itself; None for no end."""
        if not self.player.sources:
            self.failed.emit(tr("there is nothing to play yet; open a recording first"))
            return
        self.open_device()
        self._start_from = self.position
        self.player.play(count_in=self._count() if self.count_in else (), rounds=rounds)
        assert self._output is not None
        self._running = True
        self._output.start()
        self._timer.start()
        self.changed.emit()

    def pause(self) -> None:
        """Stop where it is."""
        self._running = False
        self.player.pause()
        if self._output is not None:
            self._output.stop()
        self._timer.stop()
        self._ticked = None
        self.moved.emit(self.position)
        self.changed.emit()

    def again(self) -> None:
        """Play from the loop's start, or from where playing began last."""
        self.seek(self.loop[0] if self.loop else self._start_from)
        if not self.playing:
            self.play()

    def seek(self, time: float) -> None:
        """Go to a time."""
        self.player.seek(time)
        self._start_from = self.player.position
        self.moved.emit(self.player.position)

    def set_loop(self, loop: tuple[float, float] | None) -> None:
        """Repeat a stretch, or nothing."""
        self.player.set_loop(loop)
        self._tell_breath()
        if self.loop is not None and not self.playing:
            self.player.seek(self.loop[0])
        self.moved.emit(self.player.position)
        self.changed.emit()

    def set_pace(self, percent: float) -> None:
        """Change the pace, 25 to 110 %, while playing too."""
        percent = clamp_pace(percent)
        if percent < 100:
            self._last_slow = percent
        if percent != self.pace:
            self.pace = percent
            self.player.set_pace(percent / 100.0)
            self.changed.emit()

    def swap_pace(self) -> None:
        """Between full speed and the slow pace used last."""
        self.set_pace(self._last_slow if self.pace >= 100 else 100)

    def choose(self, source: str) -> None:
        """Hear another source at the same place; unknown ones are left out."""
        if source in self.player.sources:
            self._chosen = True
            self.player.choose(source)
            self.changed.emit()

    def next_source(self) -> None:
        """The next of the sources there are."""
        names = self.player.sources
        if names:
            self.choose(names[(names.index(self.player.source) + 1) % len(names)])

    def set_count_in(self, on: bool) -> None:
        """Count before playing starts, so that the count ends where the first note is counted."""
        self.count_in = on
        self._tell_breath()
        self.changed.emit()

    def set_click(self, on: bool) -> None:
        """Click along with what plays."""
        self.click = on
        self._tell_clicks()

    def set_click_parts(self, parts: int) -> None:
        """Click so many times a beat."""
        self.click_parts = parts if parts in PARTS else 1
        self._tell_clicks()

    def set_accents(self, on: bool) -> None:
        """Whether the first of a bar clicks stronger."""
        self.accents = on
        self._tell_clicks()

    def set_breath(self, beats: int) -> None:
        """Let so many beats pass between the rounds of a loop."""
        self.breath = min(MOST_BREATH, max(0, beats))
        self._tell_breath()
        self.changed.emit()

    def set_shift(self, semitones: int) -> None:
        """Hear everything so many half steps higher, at the same pace."""
        self.shift = min(MOST_SHIFT, max(-MOST_SHIFT, semitones))
        self._tell_pitch()
        self.changed.emit()

    def set_pace_step(self, step: str) -> None:
        """How far a step of the pace goes, one of STEPS."""
        self.pace_step = step if step in STEPS else STEPS[0]
        self.changed.emit()

    def tapped(self) -> list[float]:
        """Remember a tap; the times of those that belong together, in seconds."""
        now = time.monotonic()
        if self._taps and now - self._taps[-1] > _TAPS_APART_S:
            self._taps = []
        self._taps = [*self._taps[-7:], now]
        return self._taps

    @property
    def bpm(self) -> float | None:
        """Beats a minute of the recording where it stands, None where no beat is known."""
        tempo = self._session.project.tempo if self._session.is_open else None
        return tempo.bpm_at(self.loop[0] if self.loop else self.position) if tempo is not None else None

    def _tell_clicks(self) -> None:
        tempo, parts, accents = self._tempo, self.click_parts, self.accents
        if self.click and tempo is not None:
            self.player.set_clicks(lambda a, b: clicks_between(tempo, a, b, parts=parts, accents=accents))
        else:
            self.player.set_clicks(None)
        self._tell_breath()
        self.changed.emit()

    def _tell_breath(self) -> None:
        loop = self.loop
        beats = breath(self._session.project, loop, self.breath) if loop and self._session.is_open else ()
        self.player.set_breath(beats, sounds=self.count_in or self.click)

    def _tell_pitch(self) -> None:
        project = self._session.project if self._session.is_open else None
        tuned = -project.offset_cents if project is not None and project.in_tune else 0.0
        self.player.set_cents(tuned + 100.0 * self.shift)

    @property
    def _tempo(self) -> TempoMap | None:
        return self._session.project.tempo if self._session.is_open else None

    def _count(self) -> tuple[Click, ...]:
        if not self._session.is_open:
            return ()
        return count_in(self._session.project, self.position, self.loop[1] if self.loop else None)

    @property
    def counted_s(self) -> float:
        """Seconds that pass between play and the place where it stands, for the count."""
        before = [c.time for c in self._count() if c.time < self.position - 1e-6] if self.count_in else []
        return (self.position - min(before)) * 100.0 / self.pace if before else 0.0

    def close(self) -> None:
        """Stop everything; the transport is not used after that."""
        self._timer.stop()
        self._tab_changed.stop()
        self.lead_sound.wait()
        if self._output is not None:
            self._output.stop()
        self.player.close()

    def _tick(self) -> None:
        failure = self.player.take_failure()
        if failure is not None:
            self.failed.emit(tr("the sound stopped: {failure}", failure=failure))
        for what, seconds in self.player.take_turns():
            self.turned.emit(what, seconds)
        if not self.player.playing:
            ended, self._running = self._running, False
            if ended:
                self.finished.emit()
            if not self.player.playing and not self.player.sounds_beside:
                self.pause()
            return
        now = time.monotonic()
        if self.loop is not None and self._ticked is not None:
            self.looped.emit(now - self._ticked)
        self._ticked = now
        self.moved.emit(self.position)
