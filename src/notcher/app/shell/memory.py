"""Memory that is free again is given back, or used again: for a window that stays open all day."""

import ctypes
import functools
import logging
import time
from typing import Any

log = logging.getLogger(__name__)

# From glibc's malloc.h.
_M_MMAP_THRESHOLD, _M_ARENA_MAX = -3, -8
_POOLS, _LARGE = 2, 1 << 20
_APART_S = 2.0
_given = 0.0


@functools.cache
def _glibc() -> Any:
    """The C library, None where it is another."""
    try:
        return ctypes.CDLL("libc.so.6")
    except OSError as error:
        log.info("no pools of memory to share: %s", error)
        return None


def share_pools() -> None:
    """Let all threads allocate from two pools. glibc otherwise gives up to sixteen short-lived threads a pool each, and
    each keeps what its thread once needed at most: some hundred megabytes after a few hundred looks at the evidence.
    And let what is large be given back as soon as it is free: glibc otherwise keeps up to 32 MB at a time in its pools,
    some 150 MB after a few thousand keys.

    Without glibc nothing is done. To be called before any thread is started."""
    if (glibc := _glibc()) is not None:
        glibc.mallopt(_M_ARENA_MAX, _POOLS)
        glibc.mallopt(_M_MMAP_THRESHOLD, _LARGE)


def give_back() -> None:
    """Give back what is free between pieces that are in use: after work that took much, some hundred megabytes. For the
    thread whose work is over; more often than every two seconds nothing is done."""
    global _given
    if (glibc := _glibc()) is not None and time.monotonic() - _given > _APART_S:
        _given = time.monotonic()
        glibc.malloc_trim(0)
