"""How long work is stopped: whoever starts it says how it may be asked to stop, and whatever it does deep inside looks.

A job of the window and a command of the line both run inside `stoppable`. Loops call `look_for_stop` at least every
200 ms; a library's single call that takes longer goes through `apart`.
"""

import collections
import contextlib
import threading
from collections.abc import Callable, Iterable, Iterator
from contextvars import ContextVar, copy_context
from typing import Generic, TypeVar

T = TypeVar("T")
_LOOK_S = 0.05


class CancelledError(Exception):
    """Somebody asked the work to stop; whatever it was writing is gone."""


def _never() -> bool:
    return False


_asked: ContextVar[Callable[[], bool]] = ContextVar("asked to stop", default=_never)
_apart: set[threading.Thread] = set()


@contextlib.contextmanager
def stoppable(asked: Callable[[], bool]) -> Iterator[None]:
    """What is done inside, on this thread, stops once `asked` says so."""
    before = _asked.set(asked)
    try:
        yield
    finally:
        _asked.reset(before)


def stop_asked() -> bool:
    """Whether this thread's work should stop."""
    return _asked.get()()


def look_for_stop() -> None:
    """Raises CancelledError where this thread's work should stop."""
    if stop_asked():
        raise CancelledError


def apart(work: Callable[[], T]) -> T:
    """The result of work that cannot look for its stop, such as one long call of a library.

    It runs on a thread of its own, which is left to end by itself when it is stopped; it must write nothing. Where
    nobody can ask this thread to stop, it simply runs. Raises CancelledError, and whatever the work raises.
    """
    if _asked.get() is _never:
        return work()
    look_for_stop()
    return _Apart(work).result()


def apart_in_turn(works: Iterable[Callable[[], T]], *, at_once: int) -> Iterator[T]:
    """The results of pieces of work in their order, so many of which run at a time, each on a thread of its own as with
    `apart`. None is begun before there is room for it. Raises CancelledError, and whatever any of them raises."""
    running: collections.deque[_Apart[T]] = collections.deque()
    try:
        for work in works:
            look_for_stop()
            running.append(_Apart(work))
            if len(running) == at_once:
                yield running.popleft().result()
        while running:
            yield running.popleft().result()
    finally:
        for left in running:
            left.leave()


class _Apart(Generic[T]):
    """Work on a thread of its own."""

    def __init__(self, work: Callable[[], T]) -> None:
        self._results: list[T] = []
        self._errors: list[BaseException] = []

        def run() -> None:
            try:
                self._results.append(work())
            except BaseException as error:
                self._errors.append(error)

        self._thread = threading.Thread(target=copy_context().run, args=(run,), name="notcher-apart", daemon=True)
        self._thread.start()

    def result(self) -> T:
        """What it comes to, once it is done. Raises CancelledError where its caller is to stop before."""
        while self._thread.is_alive():
            self._thread.join(_LOOK_S)
            if stop_asked() and self._thread.is_alive():
                self.leave()
                raise CancelledError
        if self._errors:
            raise self._errors[0]
        return self._results[0]

    def leave(self) -> None:
        """Let it end by itself."""
        if self._thread.is_alive():
            _apart.add(self._thread)


def left_apart() -> bool:
    """Whether work that was stopped still runs by itself; the program then ends without waiting for it."""
    _apart.difference_update([t for t in _apart if not t.is_alive()])
    return bool(_apart)
