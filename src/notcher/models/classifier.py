"""Every question that is asked while listening, answered by one Classifier from features under their names.

A question is a row of QUESTIONS. Its model file keeps, beside the forest, the names of its features in the order that
its trees know them by, and where the answer is brought to a chance, the line that does so. Whoever asks gives a mapping
from those names to numbers; what is missing, or unknown to the model, is refused.
"""

import contextlib
import functools
from collections.abc import Iterator, Mapping, Sequence
from contextvars import ContextVar
from dataclasses import dataclass
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray

from notcher.models.forest import PARTS, Forest
from notcher.score.measured import Weighed

Features = Mapping[str, float]
"""What was measured of one thing, by name."""


@dataclass(frozen=True, eq=False)
class FeatureTable:
    """What was measured of several things. names: of the columns; values: shape (n, len(names))."""

    names: tuple[str, ...]
    values: NDArray[np.float32]

    @classmethod
    def of(cls, rows: Sequence[Features]) -> "FeatureTable":
        """One row for each; all have the same names."""
        names = tuple(rows[0]) if rows else ()
        values = np.array([[row[name] for name in names] for row in rows], np.float32)
        return cls(names, values.reshape(len(rows), len(names)))

    def __len__(self) -> int:
        return len(self.values)

    def __getitem__(self, i: int) -> dict[str, float]:
        """One row by name."""
        return dict(zip(self.names, self.values[i].tolist(), strict=True))

    def only(self, indices: Sequence[int]) -> "FeatureTable":
        """Some of the rows."""
        return FeatureTable(self.names, self.values[list(indices)])

    def column(self, name: str) -> NDArray[np.float32]:
        """One feature of all, shape (n,); raises ValueError for a name that is none of them."""
        return np.asarray(self.values[:, self.names.index(name)])


@dataclass(frozen=True, slots=True)
class Asked:
    """A question that was asked: which, the features, and the time (s) and pitch (MIDI) it was about."""

    question: str
    features: Features
    time: float
    pitch: float


@dataclass(frozen=True, eq=False)
class Classifier:
    """One question. names: of its features, as the trees number them; answers, chances: knots of a line that only
    rises, from a forest's answer to what was so of those it was given for (none: the answer is the chance); limits:
    chances from which it is said, alone and in mixes, where the model file keeps them."""

    question: str
    names: tuple[str, ...]
    forest: Forest
    answers: NDArray[np.float64] | None = None
    chances: NDArray[np.float64] | None = None
    limits: tuple[float, float] | None = None

    @classmethod
    def of(cls, kept: Mapping[str, NDArray[Any]], question: str) -> "Classifier":
        """The one of a question among the arrays of a model file (see arrays_of). kept: the trees of shape (trees,
        nodes), the lines of shape (knots,)."""
        limits = kept.get(f"{question}_from")
        return cls(
            question, tuple(kept[f"{question}_names"].tolist()), Forest.of(kept, question),
            kept.get(f"{question}_answers"), kept.get(f"{question}_chances"),
            None if limits is None else (float(limits[0]), float(limits[1])),
        )  # fmt: skip

    def chance(self, features: Features, *, time: float, pitch: float = 0.0) -> float:
        """How likely it is so, 0 to 1. time, pitch: what the question is about, for those who listen in (see
        listening_in). Raises ValueError where the features are not this question's."""
        listening = _listening.get()
        if listening is not None:
            listening.append(Asked(self.question, dict(features), time, pitch))
        return float(self._calibrated(self.forest.likelihoods(self._vector(features)[None]))[0])

    def chances_of(self, table: FeatureTable) -> NDArray[np.float64]:
        """How likely each row is so, shape (n,). Raises ValueError where the features are not this question's."""
        return self._calibrated(self.raw(table))

    def raw(self, table: FeatureTable) -> NDArray[np.float64]:
        """The forest's own answers, which the limits stand for, shape (n,)."""
        if not len(table):
            return np.zeros(0)
        self._check(table.names)
        order = [table.names.index(name) for name in self.names]
        return self.forest.likelihoods(table.values[:, order])

    def because(self, features: Features, *, yes: bool, most: int) -> tuple[Weighed, ...]:
        """What moved the answer most, the largest shares first; yes: whether it was taken for one that is so."""
        row = self._vector(features)
        shares = self.forest.shares(row)
        whole = float(np.abs(shares).sum()) or 1.0
        sign = 1.0 if yes else -1.0
        return tuple(
            Weighed(self.names[k], round(float(row[k]), 3), round(sign * float(shares[k]) / whole, 3))
            for k in np.argsort(-np.abs(shares))[:most].tolist()
            if shares[k]
        )

    def _vector(self, features: Features) -> NDArray[np.float32]:
        self._check(features)
        return np.array([features[name] for name in self.names], np.float32)

    def _check(self, names: Sequence[str] | Features) -> None:
        if set(names) != set(self.names):
            odd = sorted(set(names) ^ set(self.names))
            raise ValueError(f"features of '{self.question}' that only one of caller and model knows: {odd}")

    def _calibrated(self, answers: NDArray[np.float64]) -> NDArray[np.float64]:
        if self.answers is None or self.chances is None:
            return answers
        return np.asarray(np.interp(answers, self.answers, self.chances))


@dataclass(frozen=True, eq=False)
class _Unanswered(Classifier):
    """One that says no to everything, and only notes what it is asked: for fitting one that is not there yet, or whose
    features have changed."""

    def chance(self, features: Features, *, time: float, pitch: float = 0.0) -> float:
        listening = _listening.get()
        if listening is not None:
            listening.append(Asked(self.question, dict(features), time, pitch))
        return 0.0

    def because(self, features: Features, *, yes: bool, most: int) -> tuple[Weighed, ...]:
        return ()


QUESTIONS = {
    "strike": "forests.npz", "legato": "forests.npz", "string": "forests.npz",
    "pushed": "forests.npz", "hand": "hands.npz", "slide": "hands.npz",
    "note": "belief.npz", "onset": "belief.npz", "pitch": "belief.npz", "attack": "belief.npz", "bend": "belief.npz",
    "vibrato": "belief.npz",
    "dead": "timbre.npz", "pinch-harmonic": "timbre.npz", "natural-harmonic": "timbre.npz", "palm-mute": "timbre.npz",
    "swell": "timbre.npz", "rake": "timbre.npz",
}  # fmt: skip
"""Each question with the file under data/ that holds its model:

strike: is a stroke on a sounding pitch a pick? legato: did the fretting hand make a leap, by the leap itself? string:
did another string begin? hand: did the fretting hand begin a note, by the notes around it? slide: did its finger slide
there? pushed: is a string pushed while another is held? note, onset, pitch, attack, bend, vibrato: is that right of a
candidate? The others: does a note sound like that technique?
"""


def classifier(question: str) -> Classifier:
    """The one for a row of QUESTIONS."""
    if question in _unanswered.get():
        return _Unanswered(question, (), Forest.none())
    return _kept(question)


@functools.cache
def _kept(question: str) -> Classifier:
    return Classifier.of(_file(QUESTIONS[question]), question)


@functools.cache
def _file(name: str) -> dict[str, NDArray[Any]]:
    with resources.files("notcher").joinpath(f"data/{name}").open("rb") as f, np.load(f) as kept:
        return dict(kept)


def arrays_of(question: str, names: Sequence[str], trees: Mapping[str, NDArray[Any]]) -> dict[str, NDArray[Any]]:
    """What a model file keeps of a question: the names of its features and the trees' arrays (forest.PARTS). trees:
    each of shape (trees, nodes)."""
    return {f"{question}_names": np.array(names)} | {f"{question}_{part}": trees[part] for part in PARTS}


_listening: ContextVar[list[Asked] | None] = ContextVar("listening", default=None)
_unanswered: ContextVar[frozenset[str]] = ContextVar("unanswered", default=frozenset())


@contextlib.contextmanager
def listening_in(*unanswered: str) -> Iterator[list[Asked]]:
    """Collect every single question that is asked meanwhile: what models are fitted on. unanswered: questions that are
    answered with no, as no model answers them yet."""
    questions: list[Asked] = []
    listening, silent = _listening.set(questions), _unanswered.set(frozenset(unanswered))
    try:
        yield questions
    finally:
        _listening.reset(listening)
        _unanswered.reset(silent)
