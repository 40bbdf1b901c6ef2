"""A packet written: each part by the module that knows it."""

import contextlib
import shutil
import tempfile
import zipfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from notcher.audio.recording import Audio
from notcher.formats import heading
from notcher.formats.atomic import check_output, replacing, write_bytes
from notcher.formats.chosen import chosen_phrases
from notcher.formats.errors import FileFormatError
from notcher.formats.export import With, as_wanted, chosen_notes, render
from notcher.formats.lesson_page.page import write_lesson_page
from notcher.formats.packet.wanted import Packet, Part
from notcher.formats.practice import Wanted, make_folder, plain_name, write_practice
from notcher.formats.strip import Strips, write_strips
from notcher.score.compare import Change, changes_since, last_handed_to
from notcher.score.errors import ScoreError
from notcher.score.project import Phrase, Project
from notcher.wording.notes import change_line

Progress = Callable[[float], None]


@dataclass(frozen=True, slots=True)
class Written:
    """What came of it: the files that are there, and the parts that could not be written, each with why."""

    files: tuple[str, ...]
    missing: tuple[tuple[Part, str], ...]


def learner_of(project: Project, packet: Packet) -> str:
    """Whom a packet is for: as it is said, else who asked."""
    return packet.learner.strip() or project.request.asked_by.strip()


def since_of(project: Project, packet: Packet, phrases: Sequence[Phrase]) -> heading.Since | None:
    """What changed since the learner's last packet, among what is handed out; None where there was none."""
    state = last_handed_to(project, learner_of(project, packet))
    if state is None:
        return None
    spans = [(p.start, p.end) for p in phrases]

    def among(change: Change) -> bool:
        return not spans or not change.time or any(a <= change.time < b for a, b in spans)

    found = [c for c in changes_since(state, project) if among(c)]
    return heading.Since(
        state.made, tuple(change_line(c) for c in found), frozenset(c.note_id for c in found if c.note_id)
    )


def write_packet(
    project: Project,
    audio: Audio | None,
    target: Path,
    phrases: Sequence[Phrase],
    packet: Packet,
    *,
    since: heading.Since | None = None,
    inputs: Sequence[Path] = (),
    progress: Progress | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> Written:
    """Write all parts into a folder, or a zip file that is there whole or not at all. since: as since_of has
    it.

    In a folder each file is whole; what fails is named in the result, and the rest is written all the same. Raises
    FileFormatError where nothing can be written, and where it is cancelled.
    """
    if not chosen_notes(project, phrases):
        raise FileFormatError("there are no notes to write; measure the recording or add notes first")
    zipped = target.suffix.lower() == ".zip"
    if zipped:
        check_output(target, inputs=inputs)
    with _workplace(target, zipped=zipped) as folder:
        made: list[str] = []
        missing: list[tuple[Part, str]] = []
        parts = [p for p in Part if p in packet.parts]
        for k, part in enumerate(parts):
            if cancelled is not None and cancelled():
                raise FileFormatError("stopped; what was written by then is whole")
            before = _files(folder)
            try:
                seen = project if part is Part.LESSON else as_wanted(project, With(layer=packet.layer))
                _WRITERS[part](_Job(seen, audio, folder, tuple(phrases), packet, since, inputs))
            except (FileFormatError, ScoreError, OSError) as error:
                missing.append((part, str(error)))
            made += sorted(_files(folder) - before)
            if progress:
                progress((k + 1) / len(parts))
        if not made and missing:
            raise FileFormatError("nothing could be written: {why}", why=missing[0][1])
        if zipped:
            _zip(folder, target)
    return Written(tuple(made), tuple(missing))


@contextlib.contextmanager
def _workplace(target: Path, *, zipped: bool) -> Iterator[Path]:
    if not zipped:
        make_folder(target)
        yield target
        return
    try:
        folder = Path(tempfile.mkdtemp(prefix=".notcher-", dir=target.resolve().parent))
    except OSError as error:
        reason = error.strerror or str(error)
        raise FileFormatError(
            "'{path}' could not be written ({reason}); choose another folder", path=target, reason=reason
        ) from error
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _zip(folder: Path, target: Path) -> None:
    with replacing(target) as partial, zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as file:
        for path in sorted(folder.rglob("*")):
            if path.is_file():
                # Sound and pictures are small already.
                stored = path.suffix in (".flac", ".ogg", ".mp3", ".png")
                file.write(path, path.relative_to(folder), zipfile.ZIP_STORED if stored else zipfile.ZIP_DEFLATED)


def _files(folder: Path) -> set[str]:
    return {str(p.relative_to(folder)) for p in folder.rglob("*") if p.is_file() and not p.name.startswith(".notcher-")}


@dataclass(frozen=True, slots=True)
class _Job:
    """What a part is written of, and where."""

    project: Project
    audio: Audio | None
    folder: Path
    phrases: tuple[Phrase, ...]
    packet: Packet
    since: heading.Since | None
    inputs: Sequence[Path]

    def path(self, ending: str) -> Path:
        """A file of the packet, named after the solo."""
        return self.folder / f"{plain_name(heading.title(self.project))}{ending}"

    @property
    def beside(self) -> With:
        """How it is written."""
        said = heading.Said(shown=self.packet.shown, learner=learner_of(self.project, self.packet), since=self.since)
        return With(hands=self.packet.hands, look=self.packet.look, said=said, dialect=self.packet.dialect)


def _export(job: _Job, kind: str, ending: str) -> None:
    write_bytes(job.path(ending), render(job.project, kind, job.phrases, job.beside, ending=ending))


def _sounds(job: _Job) -> None:
    hear = job.packet.hear
    wanted = Wanted(job.packet.paces, hear, count_in=True)
    phrases = chosen_phrases(job.project, job.phrases)
    write_practice(job.project, job.audio, job.folder / "sounds", phrases, wanted)


def _strips(job: _Job) -> None:
    make_folder(job.folder / "strips")
    look = Strips(staff=job.packet.look.staff)
    for k, phrase in enumerate(chosen_phrases(job.project, job.phrases), 1):
        path = job.folder / "strips" / f"{k:02d}-{plain_name(phrase.name)}.png"
        write_strips(job.project, path, [phrase], look, inputs=job.inputs)


def _captions(job: _Job) -> None:
    make_folder(job.folder / "captions")
    for pace in job.packet.paces:
        beside = replace(job.beside, pace=float(pace))
        for kind, ending in (("captions", ".vtt"), ("chapters", ".txt")):
            name = f"{kind}-{pace}{ending}"
            write_bytes(
                job.folder / "captions" / name, render(job.project, kind, job.phrases, beside, ending=ending)
            )  # fmt: skip


def _lesson(job: _Job) -> None:
    neck = job.packet.look.neck
    write_lesson_page(
        job.project, job.path("-lesson.html"), job.phrases, audio=job.audio if job.packet.recording else None,
        dialect=job.packet.dialect, left_handed=neck is not None and neck.left_handed, inputs=job.inputs,
    )  # fmt: skip


_WRITERS: dict[Part, Callable[[_Job], None]] = {
    Part.PAGES: lambda job: _export(job, "pdf", ".pdf"), Part.TEXT: lambda job: _export(job, "text", ".txt"),
    Part.SCORE: lambda job: _export(job, "musicxml", ".musicxml"), Part.MIDI: lambda job: _export(job, "midi", ".mid"),
    Part.SOUNDS: _sounds, Part.STRIPS: _strips, Part.CAPTIONS: _captions, Part.LESSON: _lesson,
}  # fmt: skip
