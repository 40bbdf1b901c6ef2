"""The lead of a recording by itself, and all the rest."""

import contextlib
from functools import partial
from pathlib import Path

import numpy as np

from notcher import stopping
from notcher.audio.decode import file_hash, load
from notcher.audio.lines import Sounded, lines_of
from notcher.audio.parted import BLOCK_S, Parted
from notcher.audio.wiener import Lines
from notcher.formats.outputs import FRESH, Outputs
from notcher.formats.sound import sound_file
from notcher.listen.decide.transcription import Transcription
from notcher.pipeline.transcribe import Progress, listen_kept
from notcher.score.clause import Clause
from notcher.score.isolation import Isolation
from notcher.score.note import LEGATO
from notcher.wording import later


def isolated(
    path: Path, *, lead: Isolation, out: Path, rest: Path | None, outputs: Outputs = FRESH,
    progress: Progress | None = None,
) -> tuple[Transcription, tuple[Clause, ...]]:  # fmt: skip
    """Write the lead of a sound file alone, and (where `rest` is given) all the rest, each as long as the file: what
    was heard, and sentences about what is odd with the file. Raises AudioError, FileFormatError."""
    audio = load(path, progress=(lambda x: progress(later("Reading"), x)) if progress else None)
    heard, _ = listen_kept(
        audio, file_hash(path), lead=lead, progress=(lambda x: progress(later("Measuring"), x)) if progress else None
    )
    split = stopping.apart(lambda: Parted(audio, lines_heard(heard), heard.lead))
    channels = audio.kept.shape[0]
    with contextlib.ExitStack() as files:
        writers = [files.enter_context(sound_file(p, channels, outputs)) for p in (out, rest) if p is not None]
        for at in np.arange(0.0, audio.duration, BLOCK_S).tolist():
            if progress:
                progress(later("Taking the lead out"), at / audio.duration)
            upto = min(audio.duration, at + BLOCK_S)
            for number, write in enumerate(writers):
                stopping.look_for_stop()
                write(stopping.apart(partial(split.between, at, upto, rest=number > 0)))
    return heard, audio.warnings


def lines_heard(heard: Transcription) -> Lines:
    """The lines of what was heard."""
    offset = heard.offset.cents / 100.0
    played = (
        Sounded(n.onset, n.end, n.pitch + offset, n.bend.points if n.bend else (), n.attack not in LEGATO)
        for n in heard.notes
    )
    return lines_of(played, heard.trace.cents)
