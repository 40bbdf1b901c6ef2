"""Each stage of listening as a file, for looking at and for tests: frames.npz, candidates.json, classify.json,
decide.json.

What is read again is what was written, to the last bit (frames in single precision, as they are kept). Measurements
stand under their names. A recording that was heard raised (listen/frames/raised.py) is written as it was heard.
"""

import functools
import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import cattrs
import numpy as np
from cattrs.preconf.json import make_converter
from numpy.typing import NDArray

from notcher.formats.codec import from_plain, to_plain
from notcher.formats.errors import FileFormatError
from notcher.formats.outputs import Outputs
from notcher.listen.candidates.gather import Candidates
from notcher.listen.candidates.missed import Candidate
from notcher.listen.classify.belief import Belief
from notcher.listen.classify.judge import Classified
from notcher.listen.decide.transcription import Transcription
from notcher.listen.frames.frame_file import frames_bytes, read_frames_file
from notcher.listen.frames.measure import Frames
from notcher.listen.listener import Stages
from notcher.models.classifier import FeatureTable
from notcher.score.isolation import Isolation
from notcher.score.note import Mark

FILES = FRAMES, CANDIDATES, CLASSIFY, DECIDE = ("frames.npz", "candidates.json", "classify.json", "decide.json")
"""Their names, in the order of the stages."""


@functools.cache
def _converter() -> cattrs.Converter:
    """Frozen values of listening to JSON and back: arrays as lists, not-a-number as null, marks by their names."""
    made = make_converter()
    made.register_unstructure_hook_func(lambda kind: kind is np.ndarray or _is_array(kind), _listed)
    made.register_structure_hook_func(_is_array, lambda value, _: np.array([np.nan if v is None else v for v in value]))
    # As a project file has it, under the same names.
    made.register_unstructure_hook(Isolation, to_plain)
    made.register_structure_hook(Isolation, from_plain)
    made.register_unstructure_hook_func(_is_marks, lambda marks: sorted(str(m.value) for m in marks))
    return made


def _is_array(kind: Any) -> bool:
    return getattr(kind, "__origin__", None) is np.ndarray or kind == NDArray[np.float64]


def _is_marks(kind: Any) -> bool:
    return bool(kind == frozenset[Mark])


def _listed(values: NDArray[Any]) -> list[float | None]:
    return [None if v != v else v for v in values.tolist()]


def write_stages(stages: Stages, folder: Path, outputs: Outputs) -> None:
    """All four files into a folder, which is made where it is not there. Raises FileFormatError, ExistsError."""
    made = _converter()
    classified = {
        "notes": [
            {
                "onset": c.note.onset, "pitch": c.note.pitch,
                "features": stages.classified.features[i], "belief": made.unstructure(belief),
            }
            for i, (c, belief) in enumerate(zip(stages.candidates.notes, stages.classified.beliefs, strict=True))
        ]
    }  # fmt: skip
    with outputs.folder(folder, FILES) as fresh:
        (fresh / FRAMES).write_bytes(frames_bytes(stages.frames))
        lead = {"lead": made.unstructure(stages.frames.lead)}
        _write(fresh / CANDIDATES, lead | made.unstructure(stages.candidates))
        _write(fresh / CLASSIFY, classified)
        _write(fresh / DECIDE, made.unstructure(stages.transcription))


def _write(path: Path, data: object) -> None:
    path.write_text(json.dumps(data, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")


def read_stages_of(folder: Path) -> Stages:
    """What write_stages wrote. Raises FileFormatError where a file is missing or none of those."""
    made = _converter()
    try:
        found = {name: json.loads((folder / name).read_text(encoding="utf-8")) for name in FILES[1:]}
        lead = made.structure(found[CANDIDATES].pop("lead"), Isolation)
        frames: Frames = read_frames_file(folder / FRAMES, lead)
        candidates = _joined(made.structure(found[CANDIDATES], Candidates))
        rows = FeatureTable.of([n["features"] for n in found[CLASSIFY]["notes"]])
        beliefs = tuple(made.structure(n["belief"], Belief) for n in found[CLASSIFY]["notes"])
        transcription = made.structure(found[DECIDE], Transcription)
    except (OSError, ValueError, KeyError, TypeError, cattrs.BaseValidationError) as error:
        raise FileFormatError(
            "'{folder}' does not hold the stages of a listening ({error}); write them with --stages",
            folder=folder, error=str(error),
        ) from error  # fmt: skip
    return Stages(frames, candidates, Classified(candidates, rows, beliefs), transcription)


def _joined(candidates: Candidates) -> Candidates:
    """The candidates with each note that another cuts the very one that is a candidate itself."""
    own = {c.note: c.note for c in candidates.notes}

    def joined(c: Candidate) -> Candidate:
        return c if c.cuts is None else replace(c, cuts=(own.get(c.cuts[0], c.cuts[0]), c.cuts[1]))

    return replace(candidates, notes=tuple(map(joined, candidates.notes)))
