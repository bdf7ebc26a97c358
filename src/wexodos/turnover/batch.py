"""Whole folders of old files carried over: in parallel, each with its report, restartable; one bad file never
stops the rest."""

from __future__ import annotations

import contextlib
import hashlib
import json
import multiprocessing
import os
import time
from collections.abc import Callable, Generator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Any

from wexodos.carryover import Options, write_file
from wexodos.destinations import Destination, DestinationError, find_destination
from wexodos.formats import FORMATS, ReadError, WriteError, read_file
from wexodos.formats.opening import looked_through
from wexodos.ground import Progress, quiet, read_whole
from wexodos.ground.ending import Ended, die_with, end_on_signals, undisturbed
from wexodos.ground.names import safe_name, table_bytes
from wexodos.ground.remains import clear_away
from wexodos.ground.silence import silence
from wexodos.report import render, report_data
from wexodos.turnover.run import prepared
from wexodos.turnover.write import write_package

STATE = "batch.json"
SUMMARY = "batch summary.csv"
DONE, UNREADABLE, REFUSED, FAULT = "done", "cannot be read", "refused", "fault"
PASSED = "passed over"
_HEADS = ("File", "Status", "Sequences", "Left behind", "Unexplained", "Repair minutes", "Said", "Results")
_MOST_STATE = 64 << 20
"""Bytes that the record of a batch may have."""
_LOOK = 0.2
"""Seconds between two looks at whether the work is to be stopped."""
_PATIENCE = 10.0
"""Seconds that a process is given to clear away what it was at."""


@dataclass(frozen=True, slots=True)
class Task:
    """One file of a batch: where it is, where its results go, and what is wanted of it."""

    source: str
    folder: str
    destination: str
    options: Options


def batch(
    folder: Path,
    destination: Destination,
    name: str,
    out: Path,
    options: Options,
    jobs: int,
    told: Callable[[dict[str, Any], int, int], None],
    progress: Progress = quiet,
) -> list[dict[str, Any]]:
    """Carry over all sequence files below ``folder``; ``told`` hears of each when it is finished (or was done
    before). ``progress`` names those that are worked on, several times a second; it may raise to stop.

    The rows name every file that was seen, those passed over with the reason. A batch that was stopped goes
    on where it was: what has not changed since and has its results is not done again. Raises ``WriteError``
    where the results cannot be written at all.
    """
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise WriteError(f"{out}: cannot be made: {(error.strerror or str(error)).lower()}") from None
    key = _key(name, destination, options)
    own = out.resolve()
    seen = [one for one in looked_through(folder) if not one.path.resolve().is_relative_to(own)]
    files = [one.path for one in seen if not one.why]
    known = _known(out / STATE, key)
    rows: dict[str, dict[str, Any]] = {}
    passed = {
        str(one.path.relative_to(folder)): {
            "file": str(one.path.relative_to(folder)),
            "stamp": _stamp(one.path),
            "files": [],
            **_row(PASSED, one.why),
        }
        for one in seen
        if one.why
    }
    waiting: list[Task] = []
    for path in files:
        relative = str(path.relative_to(folder))
        row = known.get(relative)
        if (
            row is not None
            and row["stamp"] == _stamp(path)
            and all((out / one).exists() for one in row["files"])
            and row["status"] == DONE
        ):
            rows[relative] = {**row, "before": True}
            told(rows[relative], len(rows), len(files))
        else:
            waiting.append(Task(str(path), str(out / path.relative_to(folder).parent), name, options))

    def watched(at: list[Task]) -> None:
        names = ", ".join(Path(one.source).name for one in at)
        progress(f"carrying over {names}", len(rows) / max(1, len(files)))

    with contextlib.closing(_run(waiting, jobs, watched)) as running:
        for task, found in running:
            relative = str(Path(task.source).relative_to(folder))
            files_made = [str(Path(one).relative_to(out)) for one in found.pop("files", [])]
            stamp = _stamp(Path(task.source))
            rows[relative] = {"file": relative, "stamp": stamp, "files": files_made, **found}
            # Written after each file: a batch that is stopped here goes on from here.
            _save(out, key, {**rows, **passed})
            told(rows[relative], len(rows), len(files))
    rows |= passed
    _save(out, key, rows)
    return [rows[one] for one in sorted(rows)]


def _begin(parent: int) -> None:
    """A process of ours begins: it ends with its parent, and when it is told to."""
    die_with(parent)
    end_on_signals(_end)
    silence()


_working = False


def _end(number: int) -> None:
    if not _working:
        os._exit(128 + number)
    raise Ended(number)


def _key(name: str, destination: Destination, options: Options) -> str:
    """What tells one batch from another that writes into the same folder."""
    return hashlib.sha256(repr((name, destination, options)).encode()).hexdigest()[:16]


def begun(out: Path, destination: Destination, name: str, options: Options) -> list[dict[str, Any]]:
    """What an earlier run of the same batch has left in the folder for its results."""
    return list(_known(out / STATE, _key(name, destination, options)).values())


def _run(
    tasks: list[Task], jobs: int, watched: Callable[[list[Task]], None]
) -> Generator[tuple[Task, dict[str, Any]], None, None]:
    """Work through tasks in processes of their own. One that takes its process down breaks the pool: what was
    under way is tried again one at a time, and what breaks it alone is given up."""
    context = multiprocessing.get_context("spawn")
    left = list(tasks)
    suspects: list[Task] = []
    while left or suspects:
        alone = bool(suspects)
        queue = suspects if alone else left
        running: dict[Future[dict[str, Any]], Task] = {}
        before = set(multiprocessing.active_children())
        pool = ProcessPoolExecutor(
            1 if alone else max(1, min(jobs, len(left))),
            mp_context=context,
            initializer=_begin,
            initargs=(os.getpid(),),
        )
        try:
            while queue or running:
                while queue and len(running) < (1 if alone else jobs):
                    running[pool.submit(one_file, queue[0])] = queue[0]
                    queue.pop(0)
                watched(list(running.values()))
                finished, _ = wait(running, _LOOK, return_when=FIRST_COMPLETED)
                for future in finished:
                    result = future.result()
                    yield running.pop(future), result
        except BrokenProcessPool:
            if alone and running:
                yield (
                    next(iter(running.values())),
                    {"status": FAULT, "said": "reading or writing it ended the process", "files": []},
                )
            elif not alone:
                # Those that were done when it broke have said so already.
                suspects = list(running.values())
        except BaseException:
            with undisturbed():
                pool.shutdown(wait=False, cancel_futures=True)
                _stop([one for one in multiprocessing.active_children() if one not in before])
            raise
        finally:
            pool.shutdown(wait=False, cancel_futures=True)


def _stop(processes: list[BaseProcess]) -> None:
    """Have processes clear away what they were at and end; those that do not are ended."""
    for one in processes:
        one.terminate()
    end = time.monotonic() + _PATIENCE
    for one in processes:
        one.join(max(0.0, end - time.monotonic()))
        if one.is_alive():
            one.kill()
            one.join(1.0)
    clear_away()


def _row(status: str, said: str = "") -> dict[str, Any]:
    """What stands in a row of the summary, with nothing done yet."""
    return {
        "status": status,
        "said": said,
        "sequences": 0,
        "unexplained": 0,
        "left behind": 0,
        "minutes": 0.0,
    }


def one_file(task: Task) -> dict[str, Any]:
    """Carry all top-level sequences of one file over; what became of it as a row of the summary."""
    global _working
    _working = True
    try:
        return _one_file(task)
    finally:
        _working = False


def _one_file(task: Task) -> dict[str, Any]:
    source = Path(task.source)
    files: list[str] = []
    row = _row(DONE)
    try:
        destination = find_destination(task.destination)
        document = read_file(source)
        if not document.top_level:
            raise ReadError("it holds no sequence", "", str(source))
        folder = Path(task.folder)
        folder.mkdir(parents=True, exist_ok=True)
        for number, sequence in enumerate(document.top_level):
            stem = (
                safe_name(source.stem)
                if len(document.top_level) == 1
                else safe_name(f"{source.stem} - {sequence.name} {number + 1}")
            )
            path = folder / f"{stem}{FORMATS[destination.format].suffix}"
            for turned in prepared(document, sequence, destination, source, path, task.options, quiet):
                data = report_data(turned.carried, str(source), [part.name for part in turned.parts])
                reports = [
                    (turned.path.with_name(f"{turned.path.stem} report{suffix}"), render(data, suffix))
                    for suffix in (".json", ".html")
                ]
                if not turned.carried.errors:
                    written = write_package(turned.parts, turned.path.parent, source, quiet, reports)
                    files += [str(one.path) for one in written] + [str(path) for path, _ in reports]
                row["sequences"] += 1
                row["unexplained"] += turned.carried.errors
                row["left behind"] += turned.carried.counts["left behind"]
                row["minutes"] += turned.carried.minutes
        if row["unexplained"]:
            row.update(status=FAULT, said=f"{row['unexplained']} differences are explained by nothing")
    except ReadError as error:
        row.update(status=UNREADABLE, said=str(error))
    except (WriteError, DestinationError) as error:
        row.update(status=REFUSED, said=str(error))
    except OSError as error:
        row.update(status=REFUSED, said=f"{task.folder}: {(error.strerror or str(error)).lower()}")
    except Exception as error:
        row.update(status=FAULT, said=f"something went wrong inside Wexodos ({type(error).__name__})")
    return {**row, "files": files}


def _stamp(path: Path) -> list[int]:
    with contextlib.suppress(OSError):
        info = path.stat()
        return [info.st_size, info.st_mtime_ns]
    return [0, 0]


def _known(path: Path, key: str) -> dict[str, dict[str, Any]]:
    """What an earlier run of the same batch has done; nothing where it cannot be read."""
    try:
        data = json.loads(read_whole(path, _MOST_STATE))
        if data["key"] != key:
            return {}
        return {row["file"]: row for row in data["rows"] if _whole(row)}
    except (ReadError, OSError, ValueError, KeyError, TypeError, AttributeError):
        return {}


def _whole(row: dict[str, Any]) -> bool:
    """Whether a row says all that one of ours does: the file may be anybody's."""
    usual = {"file": "", "stamp": [], "files": [], **_row("")}
    return all(
        isinstance(row.get(key), int | float if isinstance(value, int | float) else type(value))
        for key, value in usual.items()
    )


def _save(out: Path, key: str, rows: dict[str, dict[str, Any]]) -> None:
    ordered = [rows[one] for one in sorted(rows)]
    write_file(out / STATE, json.dumps({"key": key, "rows": ordered}, indent=1).encode("ascii"))
    lines = [
        (
            row["file"],
            row["status"],
            row.get("sequences", 0),
            row.get("left behind", 0),
            row.get("unexplained", 0),
            row.get("minutes", 0),
            row["said"],
            "; ".join(row["files"]),
        )
        for row in ordered
    ]
    write_file(out / SUMMARY, table_bytes([_HEADS, *lines]))
