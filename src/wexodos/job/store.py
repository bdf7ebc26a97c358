"""Jobs on disk: ``.wexo`` files, written beside and moved into place."""

from __future__ import annotations

import hashlib
import re
from pathlib import Path

import msgspec
import platformdirs

from wexodos.carryover import write_file
from wexodos.formats import WriteError
from wexodos.formats.opening import forget_unpacked
from wexodos.ground import read_whole
from wexodos.ground.errors import ReadError, WexodosError
from wexodos.job.job import Job

SUFFIX = ".wexo"
MOST = 64 << 20
"""Bytes that a job may have."""


class JobError(WexodosError):
    """A job that cannot be read or saved: one plain sentence."""


def folder() -> Path:
    return Path(platformdirs.user_data_dir("wexodos")) / "jobs"


def job_path(source: Path) -> Path:
    """Where the job of a source file is kept: named after it, told apart by its whole path."""
    whole = str(source.resolve())
    name = re.sub(r"[^\w\- ]+", "-", source.stem)[:60] or "job"
    return folder() / f"{name}-{hashlib.sha1(whole.encode('utf-8', 'replace')).hexdigest()[:8]}{SUFFIX}"


def save(job: Job, path: Path) -> None:
    """Save atomically. Raises ``JobError``."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_file(path, msgspec.json.format(msgspec.json.encode(job), indent=1))
    except (OSError, WriteError) as error:
        raise JobError(f"the job could not be saved: {error}") from None


def load(path: Path) -> Job:
    """Load a job. Raises ``JobError``."""
    try:
        return msgspec.json.decode(read_whole(path, MOST), type=Job)
    except ReadError as error:
        raise JobError(str(error)) from None
    except (msgspec.MsgspecError, ValueError, RecursionError) as error:
        raise JobError(f"{path}: this is no job of Wexodos ({error})") from None


def forget(path: Path) -> None:
    """Remove a job, and what was unpacked of the zip its cut came in. The cut itself stays. Raises
    ``JobError``."""
    try:
        source = Path(load(path).source)
    except JobError:
        source = None
    try:
        path.unlink(missing_ok=True)
        for beside in (path.with_suffix(".lock"), path.with_suffix(".wish")):
            beside.unlink(missing_ok=True)
    except OSError as error:
        raise JobError(f"{path}: cannot be removed: {(error.strerror or str(error)).lower()}") from None
    if source is not None:
        forget_unpacked(source)


def recent(count: int = 12) -> list[tuple[Path, Job]]:
    """The jobs used last, newest first; files that are no jobs are passed over."""
    found = []
    place = folder()
    files = [path for path in place.glob(f"*{SUFFIX}") if path.is_file()] if place.is_dir() else []
    for path in sorted(files, key=lambda one: one.stat().st_mtime, reverse=True)[:count]:
        try:
            found.append((path, load(path)))
        except JobError:
            continue
    return found
