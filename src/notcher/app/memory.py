"""Memory that is free again is given back, or used again: for a window that stays open all day."""

import ctypes
import logging

log = logging.getLogger(__name__)

# From glibc's malloc.h.
_M_ARENA_MAX = -8
_POOLS = 2


def share_pools() -> None:
    """Let all threads allocate from two pools. glibc otherwise gives up to sixteen short-lived threads a pool each, and
    each keeps what its thread once needed at most: some hundred megabytes after a few hundred looks at the evidence.
    Without glibc nothing is done. To be called before any thread is started."""
    try:
        ctypes.CDLL("libc.so.6").mallopt(_M_ARENA_MAX, _POOLS)
    except (OSError, AttributeError) as error:
        log.info("no pools of memory to share: %s", error)
