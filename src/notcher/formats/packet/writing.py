"""A packet written: each part by the module that knows it."""

import contextlib
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from notcher.audio.recording import Audio
from notcher.formats import heading
from notcher.formats.chosen import chosen_phrases
from notcher.formats.errors import FileFormatError
from notcher.formats.export import as_wanted, chosen_notes, render
from notcher.formats.lesson_page.page import write_lesson_page
from notcher.formats.outputs import FRESH, Outputs, make_folder, stage
from notcher.formats.packet.wanted import Packet, Part
from notcher.formats.practice import Wanted, plain_name, practice_names, write_practice
from notcher.formats.printing import With
from notcher.formats.strip import Strips, strip_names, write_strips
from notcher.score.compare import Change, changes_since, last_handed_to
from notcher.score.errors import ScoreError
from notcher.score.project import Phrase, Project
from notcher.stopping import look_for_stop
from notcher.wording.notes import change_line

Progress = Callable[[float], None]
_SOUNDS, _STRIPS, _CAPTIONS, _LESSON = "sounds", "strips", "captions", "-lesson.html"


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

    found = [c for c in changes_since(state, project, audible=True) if among(c)]
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
    outputs: Outputs = FRESH,
    progress: Progress | None = None,
) -> Written:
    """Write all parts into a folder, or a zip file. since: as since_of has it.

    What is written is there as a whole, or, where that fails or is stopped, not at all; a part that cannot be made is
    named in the result, and the rest is written all the same. Raises FileFormatError where nothing can be written,
    CancelledError.
    """
    if not chosen_notes(project, phrases):
        raise FileFormatError("there are no notes to write; measure the recording or add notes first")
    if target.suffix.lower() == ".zip":
        outputs.check(target)
        with stage(target) as folder:
            written = _make(project, audio, folder, phrases, packet, since, progress)
            _zip(folder, target, outputs)
        return written
    with outputs.folder(target, _names(project, phrases, packet)) as folder:
        return _make(project, audio, folder, phrases, packet, since, progress)


def _make(
    project: Project, audio: Audio | None, folder: Path, phrases: Sequence[Phrase], packet: Packet,
    since: heading.Since | None, progress: Progress | None,
) -> Written:  # fmt: skip
    """Write all parts into a fresh folder."""
    made: list[str] = []
    missing: list[tuple[Part, str]] = []
    parts = [p for p in Part if p in packet.parts]
    for k, part in enumerate(parts):
        look_for_stop()
        before = _files(folder)
        try:
            seen = project if part is Part.LESSON else as_wanted(project, With(layer=packet.layer))
            _WRITERS[part](_Job(seen, audio, folder, tuple(phrases), packet, since))
        except (FileFormatError, ScoreError, OSError) as error:
            missing.append((part, str(error)))
        made += sorted(_files(folder) - before)
        if progress:
            progress((k + 1) / len(parts))
    if not made and missing:
        raise FileFormatError("nothing could be written: {why}", why=missing[0][1])
    return Written(tuple(made), tuple(missing))


def _names(project: Project, phrases: Sequence[Phrase], packet: Packet) -> list[str]:
    """The files that will be written."""
    chosen = chosen_phrases(project, phrases)
    name = plain_name(heading.title(project))
    of: dict[Part, list[str]] = {part: [f"{name}{ending}"] for part, (_, ending) in _EXPORTS.items()} | {
        Part.SOUNDS: [f"{_SOUNDS}/{n}" for n in practice_names(chosen, _wanted(packet))],
        Part.STRIPS: [f"{_STRIPS}/{n}" for n in _strip_names(project, chosen, packet)],
        Part.CAPTIONS: [f"{_CAPTIONS}/{n}" for _, _, n in _caption_names(packet)],
        Part.LESSON: [f"{name}{_LESSON}"],
    }
    return [n for part in packet.parts for n in of[part]]


def _zip(folder: Path, target: Path, outputs: Outputs) -> None:
    with outputs.file(target) as partial, zipfile.ZipFile(partial, "w", zipfile.ZIP_DEFLATED) as file:
        for path in sorted(folder.rglob("*")):
            look_for_stop()
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

    def path(self, ending: str) -> Path:
        """A file of the packet, named after the solo."""
        return self.folder / f"{plain_name(heading.title(self.project))}{ending}"

    @property
    def beside(self) -> With:
        """How it is written."""
        said = heading.Said(shown=self.packet.shown, learner=learner_of(self.project, self.packet), since=self.since)
        return With(hands=self.packet.hands, look=self.packet.look, said=said, dialect=self.packet.dialect)


def _export(job: _Job, part: Part) -> None:
    kind, ending = _EXPORTS[part]
    FRESH.write(job.path(ending), render(job.project, kind, job.phrases, job.beside, ending=ending))


def _wanted(packet: Packet) -> Wanted:
    return Wanted(packet.paces, packet.hear, count_in=True)


def _sounds(job: _Job) -> None:
    phrases = chosen_phrases(job.project, job.phrases)
    write_practice(job.project, job.audio, job.folder / _SOUNDS, phrases, _wanted(job.packet))


def _strip_files(phrases: Sequence[Phrase]) -> list[str]:
    """The file of each phrase, which is numbered where it takes several lines."""
    return [f"{k:02d}-{plain_name(phrase.name)}.png" for k, phrase in enumerate(phrases, 1)]


def _strip_names(project: Project, phrases: Sequence[Phrase], packet: Packet) -> list[str]:
    if Part.STRIPS not in packet.parts:
        return []
    look, seen = Strips(staff=packet.look.staff), as_wanted(project, With(layer=packet.layer))
    out: list[str] = []
    for name, phrase in zip(_strip_files(phrases), phrases, strict=True):
        # A phrase that cannot be drawn is said as it is written.
        with contextlib.suppress(FileFormatError, ScoreError):
            out += strip_names(seen, Path(name), [phrase], look)
    return out


def _strips(job: _Job) -> None:
    folder = job.folder / _STRIPS
    make_folder(folder)
    look = Strips(staff=job.packet.look.staff)
    phrases = chosen_phrases(job.project, job.phrases)
    for name, phrase in zip(_strip_files(phrases), phrases, strict=True):
        look_for_stop()
        write_strips(job.project, folder / name, [phrase], look)


def _caption_names(packet: Packet) -> list[tuple[str, int, str]]:
    """Each file's kind, pace and name."""
    endings = {"captions": ".vtt", "chapters": ".txt"}
    return [(kind, pace, f"{kind}-{pace}{ending}") for pace in packet.paces for kind, ending in endings.items()]


def _captions(job: _Job) -> None:
    folder = job.folder / _CAPTIONS
    make_folder(folder)
    for kind, pace, name in _caption_names(job.packet):
        beside = replace(job.beside, pace=float(pace))
        FRESH.write(folder / name, render(job.project, kind, job.phrases, beside, ending=Path(name).suffix))


def _lesson(job: _Job) -> None:
    neck = job.packet.look.neck
    write_lesson_page(
        job.project, job.path(_LESSON), job.phrases, audio=job.audio if job.packet.recording else None,
        dialect=job.packet.dialect, left_handed=neck is not None and neck.left_handed,
    )  # fmt: skip


_EXPORTS = {
    Part.PAGES: ("pdf", ".pdf"), Part.TEXT: ("text", ".txt"), Part.SCORE: ("musicxml", ".musicxml"),
    Part.MIDI: ("midi", ".mid"),
}  # fmt: skip
"""Parts that are an export each: its kind and ending."""

_WRITERS: dict[Part, Callable[[_Job], None]] = {
    **{part: partial(_export, part=part) for part in _EXPORTS},
    Part.SOUNDS: _sounds, Part.STRIPS: _strips, Part.CAPTIONS: _captions, Part.LESSON: _lesson,
}  # fmt: skip
