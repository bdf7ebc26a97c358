"""Work off the interface thread, with progress and a way to stop."""

from __future__ import annotations

import logging
import sys
import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal

from wexodos.carryover import Cancelled

_TELL = 0.08
"""Seconds between two words of progress: each has the status line drawn anew."""
_SWITCH = 0.0001
"""After so many seconds a working thread lets the window have its turn; Python's own 5 ms add up where the
two take turns often."""

_FIRST = 15
"""Milliseconds until work begins: what is to be painted is painted first, which beside a working thread takes
three times as long."""


class _Signals(QObject):
    done = Signal(object)
    failed = Signal(str)
    stopped = Signal()
    progress = Signal(str, float)


class Task(QRunnable):
    """One piece of work. ``work`` gets a progress function that raises ``Cancelled`` once a person stopped
    it."""

    def __init__(self, work: Callable[[Callable[[str, float], None]], Any]) -> None:
        super().__init__()
        self.setAutoDelete(False)
        self.signals = _Signals()
        self._work = work
        self._stop = False
        self._told = 0.0

    def cancel(self) -> None:
        self._stop = True

    def _step(self, what: str, share: float) -> None:
        if self._stop:
            raise Cancelled
        now = time.monotonic()
        if now - self._told >= _TELL:
            self._told = now
            self.signals.progress.emit(what, share)

    def run(self) -> None:
        try:
            result = self._work(self._step)
        except Cancelled:
            self.signals.stopped.emit()
        except Exception as error:
            if type(error).__module__.startswith("wexodos"):
                self.signals.failed.emit(str(error))
            else:
                logging.getLogger("wexodos").exception("work failed")
                self.signals.failed.emit(
                    f"Something went wrong inside Wexodos ({type(error).__name__}); the log has the details."
                )
        else:
            if self._stop:
                self.signals.stopped.emit()
            else:
                self.signals.done.emit(result)


class Tasks(QObject):
    """Runs tasks one kind at a time: a new one of a kind stops the one before it."""

    busy = Signal(str, float)
    idle = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        sys.setswitchinterval(_SWITCH)
        self._running: dict[str, Task] = {}
        self._closed = False
        # A task is kept until its thread has surely let go of it, stopped ones too.
        self._alive: set[Task] = set()
        self.others: list[Any] = []

    def start(
        self,
        kind: str,
        work: Callable[[Callable[[str, float], None]], Any],
        done: Callable[[Any], None],
        failed: Callable[[str], None],
        stopped: Callable[[], None] = lambda: None,
    ) -> None:
        """Start work of a kind; ``stopped`` is told once a person has stopped it and it has cleared away."""
        old = self._running.get(kind)
        if old is not None:
            old.cancel()
        task = Task(work)
        self._running[kind] = task
        self._alive.add(task)

        def release(*_result: Any) -> None:
            QTimer.singleShot(2000, self, lambda: self._alive.discard(task))

        def current() -> bool:
            return self._running.get(kind) is task

        def finish(result: Any) -> None:
            if current():
                done(result)
                self._end(kind, task)

        def fail(sentence: str) -> None:
            if current():
                failed(sentence)
                self._end(kind, task)

        def ended() -> None:
            if current():
                stopped()
                self._end(kind, task)

        for signal in (task.signals.done, task.signals.failed, task.signals.stopped):
            signal.connect(release)
        task.signals.done.connect(finish)
        task.signals.failed.connect(fail)
        task.signals.stopped.connect(ended)
        task.signals.progress.connect(lambda what, share: self.busy.emit(what, share) if current() else None)
        self.busy.emit(kind, 0.0)
        QTimer.singleShot(_FIRST, self, lambda: self._begin(task))

    def _begin(self, task: Task) -> None:
        if not self._closed:
            QThreadPool.globalInstance().start(task)

    def _end(self, kind: str, task: Task) -> None:
        if self._running.get(kind) is task:
            del self._running[kind]
        if not self._running:
            self.idle.emit()

    def stop(self, kind: str) -> None:
        """Stop work of a kind; it clears away before it says so."""
        if kind in self._running:
            self._running[kind].cancel()

    def drop(self, kind: str) -> None:
        """Give work of a kind up: nobody waits for it any more."""
        task = self._running.pop(kind, None)
        if task is not None:
            task.cancel()
            if not self._running:
                self.idle.emit()

    def stop_all(self) -> None:
        """Stop everything that runs; what was begun leaves nothing behind."""
        for task in self._running.values():
            task.cancel()
        if self._running:
            self.busy.emit("stopping …", 1.0)

    def finish(self) -> None:
        """Stop everything and wait until no thread works any more: before the window goes."""
        for task in self._running.values():
            task.cancel()
        self._closed = True
        self._running.clear()
        self.idle.emit()
        QThreadPool.globalInstance().waitForDone(10_000)
        for other in self.others:
            other.finish()

    def working_at(self, kind: str) -> bool:
        """Whether work of a kind is under way."""
        return kind in self._running

    @property
    def active(self) -> bool:
        return bool(self._running)

    @property
    def quiet(self) -> bool:
        """Whether nothing works at all, pictures included."""
        return not self._running and not any(other.active for other in self.others)
