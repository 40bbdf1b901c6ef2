"""Measuring the recording: its notes, its beats, and phrases that come again."""

from collections.abc import Callable
from dataclasses import replace

from notcher.app.jobs.job import Report
from notcher.app.jobs.runner import Runner
from notcher.audio.recording import NoLeadError
from notcher.beat.hear_beats import HeardBeats, hear_beats
from notcher.listen.decide.transcription import Transcription
from notcher.listen.frames.raised import raised_for
from notcher.score.chords import with_heard
from notcher.score.errors import NotcherError
from notcher.score.isolation import Isolation
from notcher.score.note import Note
from notcher.score.phrase_repeats import PhraseRepeat
from notcher.score.plays import Plays
from notcher.score.project import Project
from notcher.stopping import apart, look_for_stop
from notcher.wording import render_message, tr
from notcher.wording.guitar import stereo_position_words


class Measuring:
    """Listens, off the interface's thread, and puts what is heard into the project."""

    def __init__(self, runner: Runner) -> None:
        self._runner, self._desk = runner, runner.desk
        self._measurings = 0

    def measure(self, stretch: tuple[float, float] | None) -> None:
        """Measure all of the recording, or a stretch of it in seconds."""
        audio, session = self._desk.transport.audio, self._desk.session
        if audio is None:
            self._desk.said.emit(tr("there is no recording to measure; open one first"))
            return
        project = session.project
        start, end = stretch or (0.0, audio.duration)
        in_view = min(max(self._desk.axis.start, start), end)
        fresh = not project.notes
        self._measurings += 1
        merge = self._measurings

        def work(progress: Report) -> "tuple[Transcription, list[Note], str | None]":
            from notcher.pipeline.place_heard import placed_notes
            from notcher.pipeline.transcribe import known_of, listen_kept

            def part(heard: Transcription, low: float, high: float) -> None:
                placed = apart(lambda: placed_notes(heard.notes, project.tuning, phrases=project.phrases))
                look_for_stop()
                job.part.emit((heard, placed, low, high))

            heard, trouble = listen_kept(
                audio, project.recording.sha256, lead=project.lead, plays=project.plays, start=start, end=end,
                first=in_view, on_part=part if fresh else None,
                progress=lambda share: progress(tr("Listening"), 0.95 * share),
                confirmed=known_of(project), tuning=project.tuning,
            )  # fmt: skip
            stay = [n for n in project.notes if n.confirmed or n.by_hand or not start <= n.onset < end]
            placed = apart(lambda: placed_notes(heard.notes, project.tuning, phrases=project.phrases, beside=stay))
            return heard, placed, trouble

        def first_part(result: "tuple[Transcription, list[Note], float, float]") -> None:
            heard, placed, low, high = result
            same = session.project.tuning == project.tuning and _wanted(session.project) == _wanted(project)
            if same and self._runner.is_current(job):
                self._take_heard(heard, placed, low, high, merge=merge, phrases=False)

        def done(result: "tuple[Transcription, list[Note], str | None]") -> None:
            heard, trouble = result[0], result[2]
            placed = result[1] if session.project.tuning == project.tuning else None
            now, then = (raised_for(min(p.tuning.open_pitches)) for p in (session.project, project))
            if _wanted(session.project) != _wanted(project) or now > then:
                # What is listened for was changed meanwhile, or the guitar to one that goes lower: what was heard is
                # not what the person now wants measured.
                self.measure(stretch)
                return
            if not self._take_heard(heard, placed, start, end, merge=merge, phrases=True):
                self._desk.said.emit(tr("measuring found nothing new"))
            if trouble:
                self._desk.said.emit(trouble)
            if fresh:
                self._go_on(heard.other_lead)

        job = self._runner.run(
            tr("Listening"), work, done, stopped=tr("measuring was stopped; what is written stays as it is"),
            failed=lambda why: self._failed(why, job.error, stretch, fresh=fresh),
        )  # fmt: skip
        job.part.connect(first_part)

    def _go_on(self, other: Isolation | None) -> None:
        """What follows on a first measuring: its first phrase is shown and asked about, then the beat or the chords are
        looked for. other: where the lead may sit as well; then that is asked first."""
        project = self._desk.session.project
        if project.notes:
            self._desk.phrase_id = project.phrases[0].id if project.phrases else ""
            first = project.notes[0].onset
            self._desk.axis.reveal_range(first - 0.5, first + self._desk.axis.span - 0.5)
        if other is None:
            self._desk.first_place.ask()
        else:
            self._ask_where(project.lead, other)
        if project.tempo is None:
            self.find_beats(quietly=True)
        else:
            self.hear_chords(quietly=True)

    def _ask_where(self, lead: Isolation, other: Isolation) -> None:
        """Two places were about as clear: the person hears which it is. Work that was done meanwhile stays."""
        wanted = self._desk.session.document

        def elsewhere() -> None:
            session = self._desk.session
            if not (session.is_open and session.document is wanted):
                return

            def change(p: Project) -> Project:
                moved = replace(p, lead=other, other_lead=lead)
                untouched = not any(n.confirmed or n.by_hand for n in p.notes) and not any(x.name for x in p.phrases)
                return replace(moved, phrases=(), gaps=()).with_notes([]) if untouched else moved

            session.edit(tr("Where the lead sits"), change)
            self.measure(None)

        here, there = stereo_position_words(lead), stereo_position_words(other)
        self._desk.offered.emit(
            tr(
                "The lead may sit {here} or {there}: both sound about equally clear. These notes are from the first. "
                "(F5 keeps them, F6 measures the other)", here=here, there=there,
            ),
            [
                (tr("Keep {where}", where=here), self._desk.first_place.ask),
                (tr("Measure {where}", where=there), elsewhere),
            ],
        )  # fmt: skip

    def _failed(
        self, why: str, error: NotcherError | None, stretch: tuple[float, float] | None, *, fresh: bool
    ) -> None:  # fmt: skip
        if not isinstance(error, NoLeadError):
            self._desk.said.emit(why)
            return
        self._ask_for_lead(stretch)
        if fresh and self._desk.session.project.tempo is None:
            self.find_beats(quietly=True)

    def _ask_for_lead(self, stretch: tuple[float, float] | None) -> None:
        """The doubt is said, and stops nobody: whoever hears the lead says where it sits, or listens anyway."""
        wanted = self._desk.session.document

        def listen_to(change: Callable[[Project], Project]) -> Callable[[], None]:
            def answer() -> None:
                if self._desk.session.is_open and self._desk.session.document is wanted:
                    self._desk.session.edit(tr("Where the lead sits"), change)
                    self.measure(stretch)

            return answer

        def at(name: str) -> Callable[[], None]:
            return listen_to(lambda p: replace(p, lead=Isolation.named(name)))

        self._desk.offered.emit(
            tr("I am not sure that a lead guitar plays here. Where does it sit?"),
            [
                (tr("Listen anyway"), at("mix")), (tr("In the centre"), at("centre")), (tr("Left"), at("left")),
                (tr("Right"), at("right")), (tr("On both sides"), at("sides")),
                (tr("It is a riff"), listen_to(lambda p: replace(p, plays=Plays.RIFF))), (tr("Leave it"), lambda: None),
            ],
        )  # fmt: skip

    def _take_heard(
        self, heard: Transcription, placed: "list[Note] | None", start: float, end: float, *, merge: int, phrases: bool
    ) -> bool:
        from notcher.pipeline.transcribe import with_proposals

        def change(p: Project) -> Project:
            # The first part was measured apart, for the eye; the whole measuring takes its place.
            after = with_proposals(p, heard, start=start, end=end, placed=placed)
            return after if phrases else replace(after, phrases=p.phrases, lead=p.lead)

        return self._desk.session.edit(tr("Measure"), change, merge=merge, linked=False)

    def find_beats(self, *, quietly: bool = False) -> None:
        """Listen for beats and bars. quietly: say nothing where there are none."""
        audio, session = self._desk.transport.audio, self._desk.session
        if audio is None:
            self._desk.said.emit(tr("there is no recording to listen to; open one first"))
            return

        def work(progress: Report) -> HeardBeats | None:
            progress(tr("Finding the beat"), 0.3)
            return apart(lambda: hear_beats(audio))

        def done(result: HeardBeats | None) -> None:
            if result is not None:
                session.edit(tr("Find the beat"), lambda p: p.with_tempo(result.tempo))
                self._tell_metre(result, quietly=quietly)
            elif not quietly:
                self._desk.said.emit(tr("No steady beat can be heard. Tap along with T, or go on without a beat."))
            if quietly:
                self.hear_chords(quietly=True)

        self._runner.run(tr("Finding the beat"), work, done, stopped=tr("finding the beat was stopped"))

    def _tell_metre(self, found: HeardBeats, *, quietly: bool) -> None:
        """What metre was heard, and a choice where it may be another."""
        session, doubt, other = self._desk.session, found.doubt(), found.other_tempo
        if doubt is None or other is None or quietly:
            if doubt is not None:
                self._desk.said.emit(render_message(doubt))
            elif not quietly:
                values = {"bpm": found.metre.bpm, "metre": str(found.metre)}
                self._desk.said.emit(tr("Found {bpm:.0f} beats a minute in {metre}.", **values))
            return
        wanted = session.document

        def use_other() -> None:
            if session.is_open and session.document is wanted:
                session.edit(tr("Find the beat"), lambda p: p.with_tempo(other))

        self._desk.offered.emit(
            tr("{doubt}. Which is it?", doubt=render_message(doubt)),
            [
                (tr("Keep {metre}", metre=str(found.metre)), lambda: None),
                (tr("Use {metre}", metre=str(found.other)), use_other),
            ],
        )  # fmt: skip

    def hear_chords(self, *, quietly: bool = False) -> None:
        """Listen for the key and the chords. quietly: say nothing where there are none."""
        audio, session = self._desk.transport.audio, self._desk.session
        if audio is None:
            self._desk.said.emit(tr("there is no recording to listen to; open one first"))
            return
        project = session.project

        def work(progress: Report) -> Project:
            from notcher.pipeline.transcribe import with_harmony

            progress(tr("Hearing the chords"), 0.3)
            return apart(lambda: with_harmony(project, audio))

        def done(found: Project) -> None:
            heard = [c for c in found.chords if not c.decided]
            keys = [k for k in found.keys if not k.decided]
            if not heard and not quietly:
                self._desk.said.emit(tr("no chords are to be heard under the lead; O enters them by hand"))
            session.edit(tr("Hear the chords"), lambda p: with_heard(p, heard, keys), linked=False)

        self._runner.run(tr("Hearing the chords"), work, done, stopped=tr("hearing the chords was stopped"))

    def find_repeats(self) -> None:
        """Look for phrases that come again; many phrases take a while."""
        from notcher.app.commands.versions import offer_repeats
        from notcher.score.phrase_repeats import find_repeats

        project = self._desk.session.project

        def done(found: list[PhraseRepeat]) -> None:
            if self._desk.session.project.phrases == project.phrases:
                offer_repeats(self._desk, found)

        self._runner.run(tr("Comparing phrases"), lambda _: find_repeats(project), done)


def _wanted(project: Project) -> tuple[Isolation, Plays]:
    """What is listened for, and where."""
    return project.lead, project.plays
