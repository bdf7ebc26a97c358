"""A job that learns what was done with it elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from wexodos.job.job import Job
from wexodos.job.lock import JobLock
from wexodos.job.store import JobError, load, save


def remembered(file: Path, changed: Callable[[Job], Job], what: str) -> str:
    """Write into a job ``what`` was done; why it does not remember that, empty where it does."""
    lock = JobLock(file)
    if not lock.take():
        return f"{file} is open in a window: it does not remember {what}"
    try:
        save(changed(load(file)), file)
    except JobError as error:
        return str(error)
    finally:
        lock.release()
    return ""
