"""What a person gets: the one way by which a file or a folder of files is put where they asked for it.

In: where, what it is made from, and whether what is there may be replaced. Out: files that are there whole, or not at
all. A file that is there is replaced only where the person said so, one that the output is made from never, and of a
folder's files without a word only those that were written there from the same project and are unchanged since.
"""

import contextlib
import shutil
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from notcher.audio.decode import file_hash
from notcher.formats import placed
from notcher.formats.atomic import exists_error, not_written, put, regular, replacing
from notcher.formats.errors import ExistsError, FileFormatError
from notcher.stopping import look_for_stop

_STAGE = ".notcher-"


@dataclass(frozen=True, slots=True)
class Outputs:
    """What one act may write. inputs: files it must never take the place of; replace: whether those that are there may
    be replaced; confirmed: files the person agreed to lose, as in a dialog; source: what a folder's files are made of,
    by which they are known again."""

    inputs: tuple[Path, ...] = ()
    replace: bool = False
    confirmed: frozenset[Path] = frozenset()
    source: str = ""

    def check(self, path: Path, *, endings: Sequence[str] = ()) -> None:
        """Whether a file may be written, before the work for it begins.

        endings: those it may have, () for any. Raises FileFormatError, saying what to do instead; ExistsError where
        something is there.
        """
        if endings and path.suffix.lower() not in endings:
            raise FileFormatError(
                "'{path}' must end in {names}: that is what is written", path=path, names=" or ".join(endings)
            )
        if not path.parent.is_dir():
            raise FileFormatError("there is no folder '{parent}'; make it first", parent=path.parent)
        self._check_goal(path)
        if path.exists() and not self._may_replace(path):
            raise exists_error(path)

    @contextlib.contextmanager
    def file(self, path: Path, *, endings: Sequence[str] = ()) -> Iterator[Path]:
        """A fresh file in the goal's folder, to be written to; it takes the goal's place when all went well, else it
        goes. A goal that is a symbolic link stays one: what it points to is replaced. Raises FileFormatError."""
        self.check(path, endings=endings)
        with replacing(path, over=self._may_replace(path)) as partial:
            yield partial
            look_for_stop()

    def write(self, path: Path, data: bytes) -> None:
        """Write a file whole. Raises FileFormatError."""
        with self.file(path) as partial:
            partial.write_bytes(data)

    def check_folder(self, folder: Path, names: Iterable[str]) -> None:
        """Whether files of these names may be written into a folder. Raises as check."""
        if folder.exists() and not folder.is_dir():
            raise FileFormatError("'{folder}' is a file; name a folder", folder=folder)
        ledger = placed.Ledger()
        for name in names:
            self._check_in(folder / name, ledger)

    @contextlib.contextmanager
    def folder(self, folder: Path, names: Iterable[str] = ()) -> Iterator[Path]:
        """A fresh folder to write files into; when all went well each takes its place in the goal, else none does.

        names: of files that will be written, as far as they are known beforehand. Raises as check.
        """
        self.check_folder(folder, names)
        with stage(folder) as fresh:
            yield fresh
            look_for_stop()
            self._place(fresh, folder)

    # -- rules ---------------------------------------------------------------------------------------------------

    def _check_goal(self, path: Path) -> None:
        if path.is_dir():
            raise FileFormatError("'{path}' is a folder; add a file's name", path=path)
        for made_from in self.inputs:
            with contextlib.suppress(OSError):
                if path.samefile(made_from):
                    raise FileFormatError(
                        "'{path}' is what this is made from and would be lost; choose another name", path=path
                    )

    def _may_replace(self, path: Path) -> bool:
        return self.replace or path in self.confirmed

    def _check_in(self, path: Path, ledger: placed.Ledger) -> None:
        """Whether the file that is there, if any, may go; raises where it stays."""
        self._check_goal(path)
        if not path.exists() or self._may_replace(path):
            return
        entry = ledger.of(path)
        if entry is None or entry.sha256 != file_hash(path):
            raise exists_error(path)
        if entry.source != self.source:
            raise ExistsError(
                "'{path}' was written there from another project, '{source}'; choose another folder, or say --replace",
                path=path, source=entry.source,
            )  # fmt: skip

    def _place(self, fresh: Path, folder: Path) -> None:
        """Put all files where they belong; where one cannot be, none is."""
        made = {str(p.relative_to(fresh)): p for p in sorted(fresh.rglob("*")) if p.is_file()}
        now = {folder / name: placed.Placed(file_hash(p), self.source) for name, p in made.items()}
        # Looked at again: it may have been a while.
        self.check_folder(folder, made)
        undo: list[tuple[Path, Path | None]] = []
        with stage(folder) as aside:
            try:
                make_folder(folder)
                for name, path in made.items():
                    goal = regular(folder / name)
                    make_folder(goal.parent)
                    if not goal.exists():
                        put(path, goal, over=False)
                        undo.append((goal, None))
                        continue
                    old, mode = aside / str(len(undo)), goal.stat().st_mode & 0o777
                    goal.replace(old)
                    undo.append((goal, old))
                    put(path, goal, over=False)
                    goal.chmod(mode)
            except OSError as error:
                _take_back(undo)
                raise not_written(folder, error) from error
            except FileFormatError:
                _take_back(undo)
                raise
        placed.remember(now)


FRESH = Outputs()
"""Where nothing is there that could be lost."""


def _take_back(done: Sequence[tuple[Path, Path | None]]) -> None:
    for goal, old in reversed(done):
        with contextlib.suppress(OSError):
            if old is None:
                goal.unlink(missing_ok=True)
            else:
                old.replace(goal)


@contextlib.contextmanager
def stage(goal: Path) -> Iterator[Path]:
    """A fresh folder on the goal's disk; it is gone afterwards, with what is left in it. Raises FileFormatError."""
    near = goal if goal.is_dir() else next((p for p in goal.resolve().parents if p.is_dir()), Path.cwd())
    try:
        fresh = Path(tempfile.mkdtemp(prefix=_STAGE, dir=near))
    except OSError as error:
        raise not_written(goal, error) from error
    try:
        yield fresh
    finally:
        shutil.rmtree(fresh, ignore_errors=True)


def make_folder(folder: Path) -> None:
    """Make a folder where there is none. Raises FileFormatError."""
    if folder.exists() and not folder.is_dir():
        raise FileFormatError("'{folder}' is a file; name a folder", folder=folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileFormatError("'{folder}' cannot be made: {error}", folder=folder, error=error) from error
