"""Memory that is free again is given back, or used again: for a window that stays open all day."""

import ctypes
import logging

log = logging.getLogger(__name__)

# From glibc's malloc.h.
_M_MMAP_THRESHOLD, _M_ARENA_MAX = -3, -8
_POOLS, _LARGE = 2, 1 << 20


def share_pools() -> None:
    """Let all threads allocate from two pools. glibc otherwise gives up to sixteen short-lived threads a pool each, and
    each keeps what its thread once needed at most: some hundred megabytes after a few hundred looks at the evidence.
    And let what is large be given back as soon as it is free: glibc otherwise keeps up to 32 MB at a time in its pools,
    some 150 MB after a few thousand keys.

    Without glibc nothing is done. To be called before any thread is started."""
    try:
        glibc = ctypes.CDLL("libc.so.6")
        glibc.mallopt(_M_ARENA_MAX, _POOLS)
        glibc.mallopt(_M_MMAP_THRESHOLD, _LARGE)
    except (OSError, AttributeError) as error:
        log.info("no pools of memory to share: %s", error)
