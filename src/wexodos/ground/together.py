"""Work on many things, several of them at once, in the order of the things."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

A = TypeVar("A")
B = TypeVar("B")
_MOST = 4
"""Threads: each holds what it works on, and more hardly help where all read one file."""


def processors() -> int:
    """How many there are for us."""
    return max(1, len(os.sched_getaffinity(0)))


def together(work: Callable[[A], B], things: Iterable[A], most: int = _MOST, ahead: int = 0) -> Iterator[B]:
    """What ``work`` makes of each thing, in their order, made in as many threads as there are processors, and
    at the ``most`` so many; one thread works ahead of the taker.

    Only twice as many, or ``ahead``, are begun before what is done is taken: little is held then, and little
    is still to wait for where the taker stops, or something is raised – which comes out here.
    """
    count = min(most, processors())
    with ThreadPoolExecutor(count) as pool:
        begun: deque[Future[B]] = deque()
        try:
            for thing in things:
                begun.append(pool.submit(work, thing))
                if len(begun) > (ahead or 2 * count):
                    yield begun.popleft().result()
            while begun:
                yield begun.popleft().result()
        finally:
            for one in begun:
                one.cancel()
