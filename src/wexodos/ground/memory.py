"""Memory that was freed, given back."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from functools import cache


@cache
def _trim() -> Callable[[int], int] | None:
    """``malloc_trim`` of the C library, where it has it (GNU)."""
    try:
        found = ctypes.CDLL(None).malloc_trim
    except (OSError, AttributeError):
        return None
    found.argtypes, found.restype = (ctypes.c_size_t,), ctypes.c_int
    return found


def give_back() -> None:
    """Give what is free of the memory back to the system. The C library keeps what was freed between things
    that are still there: decoders and pictures of many sizes by turns leave twice what is used."""
    trim = _trim()
    if trim is not None:
        trim(0)
