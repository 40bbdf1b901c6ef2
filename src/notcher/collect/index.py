"""The index of phrases: an SQLite file that is made from projects, brought up to date, and rebuilt at will."""

import contextlib
import json
import sqlite3
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from difflib import SequenceMatcher
from pathlib import Path

from notcher.collect.described import Described, described
from notcher.collect.query import TOGETHER, Query
from notcher.formats import project_file
from notcher.score.errors import NotcherError
from notcher.stopping import look_for_stop

VERSION = 2
MOST_FILES, MOST_HITS = 5000, 200
_BUSY_S = 5.0
# Phrases that share most with the one that is looked for, and are then compared note by note.
_COMPARED = 60
# What the order of notes counts against their rhythm, and the likeness from which a phrase is a hit.
_TUNE, _LEAST_LIKE = 0.75, 0.5
_SCHEMA = """
CREATE TABLE files (id INTEGER PRIMARY KEY, path TEXT UNIQUE, stamp TEXT, title TEXT, problem TEXT);
CREATE TABLE phrases (
  id INTEGER PRIMARY KEY, file INTEGER REFERENCES files(id) ON DELETE CASCADE, phrase TEXT, name TEXT, start REAL,
  text TEXT, notes INTEGER, techniques TEXT, scale TEXT, tonic TEXT, chords TEXT, speed REAL, intervals TEXT,
  lengths TEXT);
CREATE INDEX of_file ON phrases (file);
CREATE TABLE grams (gram INTEGER, phrase INTEGER REFERENCES phrases(id) ON DELETE CASCADE);
CREATE INDEX by_gram ON grams (gram);
CREATE INDEX grams_of ON grams (phrase);
"""


class CollectError(NotcherError):
    """The index cannot be read or written, with what to do about it."""


@dataclass(frozen=True, slots=True)
class Hit:
    """A phrase that was found. path: of its project; phrase_id: there; likeness: 0 to 1, 1 where nothing was
    compared."""

    path: Path
    title: str
    phrase_id: str
    name: str
    start: float
    described: Described
    likeness: float


@dataclass(frozen=True, slots=True)
class Refreshed:
    """files, phrases: in the index now, of this folder; read: how many files were read anew; problems: (file, why) of
    those that cannot be read."""

    files: int
    phrases: int
    read: int
    problems: tuple[tuple[str, str], ...]


class Index:
    """One index file; its folder is made when it is first written. Every call opens it anew, so that any thread may."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def rebuild(self) -> None:
        """Throw it away; what is refreshed next is read from the projects again."""
        for path in (self._path, self._path.with_name(self._path.name + "-journal")):
            with contextlib.suppress(FileNotFoundError):
                path.unlink()

    def refresh(
        self, folder: Path, *, report: Callable[[int, int], None] = lambda _, __: None
    ) -> Refreshed:  # fmt: skip
        """Read what is new or changed among the projects of a folder and those under it, and forget what is gone.

        Raises CollectError for a folder that is none, or with more projects than anybody has; CancelledError when asked
        to stop: what was read by then is kept.
        """
        if not folder.is_dir():
            raise CollectError("there is no folder '{folder}'; choose one that holds projects", folder=folder)
        paths = sorted(p for p in _looked_at(folder.rglob(f"*{project_file.SUFFIX}")) if p.is_file())
        if len(paths) > MOST_FILES:
            raise CollectError(
                "'{folder}' holds {n} projects, and {most} are looked through; choose a folder further in",
                folder=folder, n=len(paths), most=MOST_FILES,
            )  # fmt: skip
        with self._opened() as db:
            known = {row[0]: (row[1], row[2]) for row in db.execute("SELECT path, id, stamp FROM files")}
            here = {str(p) for p in paths}
            for path, (number, _) in known.items():
                if path not in here and _is_under(path, folder):
                    _forget(db, number)
            db.commit()
            anew = [p for p in paths if known.get(str(p), (0, ""))[1] != _stamp(p)]
            for k, path in enumerate(anew):
                look_for_stop()
                report(k, len(anew))
                if str(path) in known:
                    _forget(db, known[str(path)][0])
                _take(db, path)
                db.commit()
            return _counted(db, folder, len(anew))

    def search(self, folder: Path, query: Query, *, but: tuple[Path, str] | None = None) -> list[Hit]:
        """What is found in a folder, the likest first, else by name. but: a phrase that is not to be found, by its
        project and id."""
        if query.is_empty:
            return []
        with self._opened() as db:
            scores = _like(db, query.like) if query.like is not None else None
            where, values = _conditions(query, folder)
            if scores is not None:
                where += f" AND p.id IN ({','.join('?' * len(scores))})"
                values += list(scores)
            rows = db.execute(
                "SELECT p.id, f.path, f.title, p.phrase, p.name, p.start, p.text, p.notes, p.techniques, p.scale, "
                "p.tonic, p.chords, p.speed, p.intervals, p.lengths FROM phrases p JOIN files f ON f.id = p.file "
                f"WHERE {where} ORDER BY p.name LIMIT 1000",
                values,
            ).fetchall()
        hits = [_hit(row, scores) for row in rows]
        hits = [h for h in hits if _fits(h, query) and (but is None or (h.path, h.phrase_id) != but)]
        return sorted(hits, key=lambda h: (-h.likeness, h.name.lower(), h.title))[:MOST_HITS]

    @contextlib.contextmanager
    def _opened(self) -> Iterator[sqlite3.Connection]:
        """Raises CollectError. A file that is no index, or of another version, is made anew: all of it can be read from
        the projects again."""
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            db = self._connected()
        except (OSError, sqlite3.Error) as error:
            raise CollectError(
                "the index of phrases cannot be written in '{folder}' ({error}); free some space",
                folder=self._path.parent, error=error,
            ) from error  # fmt: skip
        try:
            yield db
        except sqlite3.OperationalError as error:
            raise CollectError(
                "the index of phrases cannot be used ({error}): another Notcher may be busy with it, or the disk full",
                error=error,
            ) from error
        except (sqlite3.DatabaseError, ValueError, TypeError, KeyError, IndexError) as error:
            db.close()
            with contextlib.suppress(OSError):
                self.rebuild()
            raise CollectError("the index of phrases was damaged and is gone now; read the folder again") from error
        finally:
            db.close()

    def _connected(self) -> sqlite3.Connection:
        for again in (False, True):
            db = sqlite3.connect(self._path, timeout=_BUSY_S)
            try:
                db.execute("PRAGMA foreign_keys = ON")
                if _is_ours(db):
                    return db
                # Whoever opens it meanwhile waits, and finds it whole.
                db.execute("BEGIN IMMEDIATE")
                if not _is_ours(db) and not db.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]:
                    for statement in _SCHEMA.split(";"):
                        db.execute(statement)
                    db.execute(f"PRAGMA user_version = {VERSION}")
                db.commit()
                if _is_ours(db):
                    return db
            except sqlite3.DatabaseError as error:
                db.close()
                if again or isinstance(error, sqlite3.OperationalError):
                    raise
                self.rebuild()
                continue
            db.close()
            self.rebuild()
        raise sqlite3.DatabaseError(str(self._path))


def _is_ours(db: sqlite3.Connection) -> bool:
    return bool(db.execute("PRAGMA user_version").fetchone()[0] == VERSION)


def _looked_at(paths: Iterable[Path]) -> Iterator[Path]:
    for path in paths:
        look_for_stop()
        yield path


def _is_under(path: str, folder: Path) -> bool:
    return Path(path).is_relative_to(folder)


def _stamp(path: Path) -> str:
    try:
        known = path.stat()
    except OSError:
        return ""
    return f"{known.st_mtime_ns} {known.st_size}"


def _forget(db: sqlite3.Connection, number: int) -> None:
    db.execute("DELETE FROM files WHERE id = ?", (number,))


def _take(db: sqlite3.Connection, path: Path) -> None:
    """One project's phrases; of one that cannot be read, why."""
    stamp = _stamp(path)
    try:
        project = project_file.load(path)
        rows = [(p, described(project, p)) for p in project.phrases]
        title, problem = project.request.title or path.stem, ""
    except (NotcherError, OSError) as error:
        rows, title, problem = [], path.stem, str(error)
    file = db.execute(
        # Another reading of the folder, which is stopped by now, may have taken it up meanwhile.
        "INSERT OR REPLACE INTO files (path, stamp, title, problem) VALUES (?, ?, ?, ?)",
        (str(path), stamp, title, problem),
    ).lastrowid
    for phrase, d in rows:
        number = db.execute(
            "INSERT INTO phrases (file, phrase, name, start, text, notes, techniques, scale, tonic, chords, speed, "
            "intervals, lengths) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (file, phrase.id, d.name, phrase.start, d.text, d.notes, _listed(d.techniques), d.scale, d.tonic,
             _listed(d.chords), d.speed, json.dumps(d.intervals), json.dumps(d.lengths)),
        ).lastrowid  # fmt: skip
        db.executemany("INSERT INTO grams VALUES (?, ?)", [(g, number) for g in set(d.grams())])


def _listed(names: tuple[str, ...]) -> str:
    return "|" + "".join(f"{name}|" for name in names)


def _counted(db: sqlite3.Connection, folder: Path, read: int) -> Refreshed:
    rows = db.execute("SELECT f.path, f.problem, count(p.id) FROM files f LEFT JOIN phrases p ON p.file = f.id "
                      "GROUP BY f.id").fetchall()  # fmt: skip
    here = [row for row in rows if _is_under(row[0], folder)]
    problems = tuple((path, why) for path, why, _ in here if why)
    return Refreshed(len(here), sum(n for _, _, n in here), read, problems)


def _conditions(query: Query, folder: Path) -> tuple[str, list[object]]:
    where = ["substr(f.path, 1, ?) = ?"]
    values: list[object] = [len(str(folder)) + 1, f"{folder}/"]
    columns: list[tuple[str, object]] = [("p.text LIKE ? ESCAPE '\\'", f"%{_plain(w)}%") for w in query.words]
    # What several have in common stands within their names.
    columns += [("p.techniques LIKE ?", f"%{t}%" if t in TOGETHER else f"%|{t}|%") for t in query.techniques]
    if query.scale:
        columns.append(("p.scale = ?", query.scale))
    if query.tonic:
        columns.append(("p.tonic = ?", query.tonic))
    if query.chord:
        columns.append(("p.chords LIKE ?", f"%|{query.chord}|%"))
    if query.faster is not None:
        columns.append(("p.speed > ?", query.faster))
    if query.slower is not None:
        columns.append(("p.speed < ?", query.slower))
    for condition, value in columns:
        where.append(condition)
        values.append(value)
    return " AND ".join(where), values


def _plain(word: str) -> str:
    """A word of which no letter stands for others."""
    return word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def _like(db: sqlite3.Connection, like: Described) -> dict[int, float]:
    """The phrases that go most like one, by their numbers, and how much."""
    grams = list(dict.fromkeys(like.grams()))[:500]
    if not grams:
        return {}
    rows = db.execute(
        f"SELECT g.phrase, count(*) AS shared FROM grams g WHERE g.gram IN ({','.join('?' * len(grams))}) "
        "GROUP BY g.phrase ORDER BY shared DESC LIMIT ?",
        [*grams, _COMPARED],
    ).fetchall()
    out = {}
    for number, _ in rows:
        intervals, lengths = db.execute("SELECT intervals, lengths FROM phrases WHERE id = ?", (number,)).fetchone()
        score = likeness(like, tuple(json.loads(intervals)), tuple(json.loads(lengths)))
        if score >= _LEAST_LIKE:
            out[number] = score
    return out


def likeness(like: Described, intervals: tuple[int, ...], lengths: tuple[float, ...]) -> float:
    """How much a line goes like another in any key and at any speed, 0 to 1: its intervals in order, and of those that
    agree how much of their rhythm does, once the common pace is taken out."""
    matcher = SequenceMatcher(None, like.intervals, intervals, autojunk=False)
    shared = [(b.a + k, b.b + k) for b in matcher.get_matching_blocks() for k in range(b.size)]
    if not shared:
        return 0.0
    tune = 2 * len(shared) / (len(like.intervals) + len(intervals))
    ratios = sorted(lengths[j] / max(like.lengths[i], 1e-3) for i, j in shared if j < len(lengths))
    pace = ratios[len(ratios) // 2] if ratios else 1.0
    agree = sum(0.7 < r / max(pace, 1e-6) < 1.43 for r in ratios) / max(1, len(ratios))
    return _TUNE * tune + (1 - _TUNE) * agree * tune


def _hit(row: tuple, scores: dict[int, float] | None) -> Hit:  # type: ignore[type-arg]
    number, path, title, phrase, name, start, text, notes, techniques, scale, tonic, chords, speed, *line = row
    intervals, lengths = (tuple(json.loads(x)) for x in line)
    found = Described(
        name, text, notes, tuple(t for t in techniques.split("|") if t), scale, tonic,
        tuple(c for c in chords.split("|") if c), speed, intervals, lengths,
    )  # fmt: skip
    return Hit(Path(path), title, phrase, name, start, found, 1.0 if scores is None else scores[number])


def _fits(hit: Hit, query: Query) -> bool:
    """Whether a hit is as asked where SQL's LIKE does not tell letter case apart."""
    return not query.chord or query.chord in hit.described.chords
