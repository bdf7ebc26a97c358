"""Being told to end: SIGTERM and SIGINT stop the work as Cancel does, and never in the middle of a move."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
import threading
from collections.abc import Callable, Iterator
from types import FrameType


class Ended(BaseException):
    """A signal asked for the end; ``status`` is what the process ends with. It is no ``KeyboardInterrupt``:
    the library of the command line would take that for its own and say nothing."""

    def __init__(self, number: int) -> None:
        self.status = 128 + number
        super().__init__()


class _State:
    shields = 0
    waiting = 0
    heard = False


def _raise(number: int) -> None:
    raise Ended(number)


_act: Callable[[int], None] = _raise


def _handler(number: int, _frame: FrameType | None) -> None:
    if _State.heard:
        # Once is enough: what is being cleared away must not be stopped.
        return
    if _State.shields:
        _State.waiting = number
        return
    _State.heard = True
    _act(number)


def end_on_signals(act: Callable[[int], None] = _raise) -> None:
    """Have SIGTERM and SIGINT call ``act`` with their number, once, in the main thread; it raises ``Ended``
    unless told otherwise."""
    global _act
    _act = act
    _State.heard, _State.waiting = False, 0
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, _handler)


@contextlib.contextmanager
def ending_on_signals() -> Iterator[None]:
    """The same for as long as it lasts; in another thread than the main one nothing changes."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    before = {number: signal.getsignal(number) for number in (signal.SIGTERM, signal.SIGINT)}
    end_on_signals()
    try:
        yield
    finally:
        for number, old in before.items():
            signal.signal(number, old)


@contextlib.contextmanager
def undisturbed() -> Iterator[None]:
    """What stands in here is done to its end; a signal waits until it is."""
    ours = threading.current_thread() is threading.main_thread()
    _State.shields += ours
    try:
        yield
    finally:
        _State.shields -= ours
        if ours and not _State.shields and _State.waiting:
            number, _State.waiting = _State.waiting, 0
            _handler(number, None)


_PR_SET_PDEATHSIG = 1


def die_with(parent: int) -> None:
    """End at once when the process ``parent`` ends, however it ends (prctl(2), Linux)."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(1)
