"""Memory that was freed, given back."""

from __future__ import annotations

import contextlib
import ctypes
from collections.abc import Callable
from functools import cache

_ARENAS = -8
"""``M_ARENA_MAX`` of ``mallopt`` (GNU C library)."""


@cache
def _trim() -> Callable[[int], int] | None:
    """``malloc_trim`` of the C library, where it has it (GNU)."""
    try:
        found = ctypes.CDLL(None).malloc_trim
    except (OSError, AttributeError):
        return None
    found.argtypes, found.restype = (ctypes.c_size_t,), ctypes.c_int
    return found


def in_one_place() -> None:
    """Let all threads of this process take their memory from one place, for a process that does one thing: of
    places of their own, each keeps what was freed in it. To be called before there are threads."""
    if _trim() is not None:
        with contextlib.suppress(OSError, AttributeError):
            ctypes.CDLL(None).mallopt(_ARENAS, 1)


def give_back() -> None:
    """Give what is free of the memory back to the system. The C library keeps what was freed between things
    that are still there: decoders and pictures of many sizes by turns leave twice what is used."""
    trim = _trim()
    if trim is not None:
        trim(0)
