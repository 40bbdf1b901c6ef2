"""How long work is stopped: whoever starts it says how it may be asked to stop, and whatever it does deep inside looks.

A job of the window and a command of the line both run inside `stoppable`. Loops call `look_for_stop` at least every
200 ms; a library's single call that takes longer goes through `apart`.
"""

import contextlib
import threading
from collections.abc import Callable, Iterator
from contextvars import ContextVar, copy_context
from typing import TypeVar

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
    results: list[T] = []
    errors: list[BaseException] = []

    def run() -> None:
        try:
            results.append(work())
        except BaseException as error:
            errors.append(error)

    thread = threading.Thread(target=copy_context().run, args=(run,), name="notcher-apart", daemon=True)
    thread.start()
    while thread.is_alive():
        thread.join(_LOOK_S)
        if stop_asked() and thread.is_alive():
            _apart.add(thread)
            raise CancelledError
    if errors:
        raise errors[0]
    return results[0]


def left_apart() -> bool:
    """Whether work that was stopped still runs by itself; the program then ends without waiting for it."""
    _apart.difference_update([t for t in _apart if not t.is_alive()])
    return bool(_apart)
