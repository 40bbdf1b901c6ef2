"""The command that hands a packet out, for one project or many."""

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from notcher.cli.looks import look, printing, shown
from notcher.cli.running import Progress, complain, may_replace, outputs_of
from notcher.cli.values import (
    paces,
    part_names,
    parts,
)
from notcher.formats.printing import OF_A_LOOK
from notcher.score.errors import NotcherError
from notcher.wording import render_message, tr, trn

if TYPE_CHECKING:
    from notcher.document.store import Document


def add_packet(commands: Any) -> None:
    """`notcher packet`."""
    packet = commands.add_parser("packet", help=tr("all that one learner gets, as a folder or a zip file"))
    packet.add_argument("projects", type=Path, nargs="+", metavar="P.notcher", help=tr("several: a folder for each"))
    packet.add_argument("-o", "--output", type=Path, required=True, metavar="DIR_OR_ZIP")
    packet.add_argument("--for", dest="learner", default="", metavar="NAME", help=tr("else whoever asked for it"))
    packet.add_argument("--phrase", action="append", default=[], metavar="NAME", help=tr("several may be given"))
    packet.add_argument("--parts", type=parts, default=None, metavar="A,B",
                        help=tr("of {names}; else all", names=", ".join(part_names())))  # fmt: skip
    packet.add_argument("--paces", type=paces, default=(50, 75, 100), metavar="50,75,100")
    packet.add_argument("--hear", choices=("recording", "lead", "rest", "backing", "written"), default="written",
                        help=tr("in the practice sounds"))  # fmt: skip
    packet.add_argument("--with-recording", action="store_true", help=tr("the recording goes into the lesson page"))
    packet.add_argument("--keep-no-state", action="store_true", help=tr("do not remember what was handed out"))
    printing(packet, "showing", "hands", "dialect", "layer", *OF_A_LOOK)
    may_replace(packet)
    packet.set_defaults(run=_packet)


def _packet(options: argparse.Namespace) -> int:
    """Each project by itself: one that fails is told, and the others are written."""
    from notcher.formats.errors import FileFormatError

    projects = tuple({path.resolve(): path for path in options.projects}.values())
    several = len(projects) > 1
    if several and options.output.suffix.lower() == ".zip":
        raise FileFormatError("several projects go into a folder; name one")
    failed = 0
    for path, name in zip(projects, folder_names(projects), strict=True):
        try:
            _one_packet(options, path, options.output / name if several else options.output, projects)
        except NotcherError as error:
            if not several:
                raise
            complain(f"{path}: {render_message(error)}")
            failed += 1
    return 1 if failed else 0


def folder_names(projects: Sequence[Path]) -> list[str]:
    """A folder's name for each project, no two alike on any disk: its own, else with the folders it lies in, else with
    a number."""
    out: list[str] = []
    parts = [path.resolve().with_suffix("").parts for path in projects]
    for k, mine in enumerate(parts):
        others = [p for i, p in enumerate(parts) if i != k]
        name = mine[-1]
        for deep in range(1, len(mine)):
            name = "-".join(mine[-deep:])
            if all("-".join(p[-deep:]).casefold() != name.casefold() for p in others):
                break
        number = 1
        while (name if number == 1 else f"{name}-{number}").casefold() in {n.casefold() for n in out}:
            number += 1
        out.append(name if number == 1 else f"{name}-{number}")
    return out


def _remember(document: "Document", learner: str) -> None:
    """Keep the state that was handed out in the project, under whose it is and the day."""
    import datetime

    from notcher.score.compare import free_state_name, name_state

    today = datetime.date.today().isoformat()
    name = tr("handed to {name}, {day}", name=learner, day=today) if learner else tr("handed out, {day}", day=today)
    document.edit(lambda p: name_state(p, free_state_name(p, name), made=today, learner=learner), label=tr("Hand out"))
    document.save()


def _one_packet(options: argparse.Namespace, path: Path, target: Path, projects: Sequence[Path]) -> None:
    from notcher.document.store import ProtectedError, is_protected, open_document
    from notcher.formats import project_file
    from notcher.formats.lesson_page.page import REMINDER
    from notcher.formats.packet.wanted import PART_WORDS, Packet, Part
    from notcher.formats.packet.writing import learner_of, since_of, write_packet
    from notcher.formats.recordings import files_of, recording_sound
    from notcher.score.versions import shown_named
    from notcher.teach.layers import Layer

    document = None if options.keep_no_state else open_document(path)
    try:
        if document is not None and is_protected(path):
            raise ProtectedError(
                "'{path}' is write-protected, so it cannot remember what is handed out; say --keep-no-state", path=path
            )
        kept = document.project if document else project_file.load(path)
        project = shown_named(kept, options.showing)
        packet = Packet(
            learner=options.learner, parts=options.parts or tuple(Part), look=look(options), hands=options.hands,
            hear=options.hear, paces=options.paces, recording=options.with_recording, dialect=options.dialect,
            shown=shown(options), layer=Layer(options.layer),
        )  # fmt: skip
        phrases = [project.phrase_named(name) for name in options.phrase]
        outputs = outputs_of(options, *projects, *files_of(kept, path), source=path)
        if target.suffix.lower() == ".zip":
            outputs.check(target)
        else:
            outputs.check_folder(target, ())
        progress = Progress()
        try:
            written = write_packet(
                project, recording_sound(project, path, "recording" if options.with_recording else options.hear),
                target, phrases, packet, since=since_of(kept, packet, phrases), outputs=outputs,
                progress=lambda share: progress("Writing", share),
            )  # fmt: skip
        finally:
            progress.done()
        if options.with_recording:
            complain(tr("note: {warning}", warning=tr(REMINDER)))
        for part, why in written.missing:
            complain(tr("not written: {part}: {why}", part=tr(PART_WORDS[part]), why=why))
        if document is not None:
            _remember(document, learner_of(project, packet))
    finally:
        if document is not None:
            document.close()
    print(trn("{folder}: {n} file", "{folder}: {n} files", len(written.files), folder=target))
    if written.missing:
        from notcher.formats.errors import FileFormatError

        raise FileFormatError("not all of the packet could be written")
