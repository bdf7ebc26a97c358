"""Work on many things, several of them at once, in the order of the things."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

A = TypeVar("A")
B = TypeVar("B")


def processors() -> int:
    """How many there are for us."""
    return max(1, len(os.sched_getaffinity(0)))


def together(work: Callable[[A], B], things: Iterable[A]) -> Iterator[B]:
    """What ``work`` makes of each thing, in their order, made in as many threads as there are processors.

    Only a few are begun before what is done is taken, so that little is held, and little is still to wait
    for where the taker stops, or something is raised – which comes out here.
    """
    count = processors()
    with ThreadPoolExecutor(count) as pool:
        begun: deque[Future[B]] = deque()
        try:
            for thing in things:
                begun.append(pool.submit(work, thing))
                if len(begun) > 2 * count:
                    yield begun.popleft().result()
            while begun:
                yield begun.popleft().result()
        finally:
            for one in begun:
                one.cancel()
