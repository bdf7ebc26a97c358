"""Whole folders of old files carried over: in parallel, each with its report, restartable; one bad file never
stops the rest."""

from __future__ import annotations

import contextlib
import csv
import hashlib
import io
import json
import multiprocessing
import os
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from wexodos.carryover import Options, write_file
from wexodos.destinations import Destination, DestinationError, find_destination
from wexodos.formats import FORMATS, ReadError, WriteError, read_file
from wexodos.formats.opening import candidates
from wexodos.report import render, report_data
from wexodos.turnover.run import prepared
from wexodos.turnover.write import safe_name, write_package

STATE = "batch.json"
SUMMARY = "batch summary.csv"
DONE, UNREADABLE, REFUSED, FAULT = "done", "cannot be read", "refused", "fault"


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
) -> list[dict[str, Any]]:
    """Carry over all sequence files below ``folder``; ``told`` hears of each when it is finished (or was done
    before).

    A batch that was stopped goes on where it was: files that have not changed since and whose results are
    there are passed over. Raises ``WriteError`` where the results cannot be written at all.
    """
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise WriteError(f"{out}: cannot be made: {(error.strerror or str(error)).lower()}") from None
    key = hashlib.sha256(repr((name, destination, options)).encode()).hexdigest()[:16]
    files = [path for path in candidates(folder) if not path.resolve().is_relative_to(out.resolve())]
    known = _known(out / STATE, key)
    rows: dict[str, dict[str, Any]] = {}
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
    for task, found in _run(waiting, jobs):
        relative = str(Path(task.source).relative_to(folder))
        files_made = [str(Path(one).relative_to(out)) for one in found.pop("files", [])]
        rows[relative] = {"file": relative, "stamp": _stamp(Path(task.source)), "files": files_made, **found}
        told(rows[relative], len(rows), len(files))
        # Written after each file: a batch that is stopped here goes on from here.
        _save(out, key, rows)
    _save(out, key, rows)
    return [rows[one] for one in sorted(rows)]


def _run(tasks: list[Task], jobs: int) -> Iterator[tuple[Task, dict[str, Any]]]:
    """Work through tasks in processes of their own. One that takes its process down breaks the pool: what was
    under way is tried again one at a time, and what breaks it alone is given up."""
    context = multiprocessing.get_context("spawn")
    left = list(tasks)
    suspects: list[Task] = []
    while left or suspects:
        alone = bool(suspects)
        queue = suspects if alone else left
        running: dict[Future[dict[str, Any]], Task] = {}
        pool = ProcessPoolExecutor(1 if alone else max(1, min(jobs, len(left))), mp_context=context)
        try:
            while queue or running:
                while queue and len(running) < (1 if alone else jobs):
                    running[pool.submit(one_file, queue[0])] = queue[0]
                    queue.pop(0)
                finished, _ = wait(running, return_when=FIRST_COMPLETED)
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
        finally:
            pool.shutdown(wait=False, cancel_futures=True)


def one_file(task: Task) -> dict[str, Any]:
    """Carry all top-level sequences of one file over; what became of it as a row of the summary."""
    source = Path(task.source)
    files: list[str] = []
    row: dict[str, Any] = {
        "status": DONE,
        "said": "",
        "sequences": 0,
        "unexplained": 0,
        "left behind": 0,
        "minutes": 0.0,
    }
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
            for turned in prepared(document, sequence, destination, source, path, task.options, _quiet):
                written = []
                if not turned.carried.errors:
                    written = write_package(turned.parts, turned.path.parent, source, _quiet)
                data = report_data(turned.carried, str(source), [part.name for part in turned.parts])
                files += [str(one.path) for one in written]
                for suffix in (".json", ".html"):
                    report = turned.path.with_name(f"{turned.path.stem} report{suffix}")
                    write_file(report, render(data, suffix))
                    files.append(str(report))
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


def _quiet(_what: str, _share: float) -> None:
    """No progress."""


def _stamp(path: Path) -> list[int]:
    with contextlib.suppress(OSError):
        info = path.stat()
        return [info.st_size, info.st_mtime_ns]
    return [0, 0]


def _known(path: Path, key: str) -> dict[str, dict[str, Any]]:
    """What an earlier run of the same batch has done; nothing where it cannot be read."""
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
        if data["key"] != key:
            return {}
        return {
            row["file"]: row
            for row in data["rows"]
            if isinstance(row["files"], list) and isinstance(row["stamp"], list)
        }
    except (OSError, ValueError, KeyError, TypeError):
        return {}


def _save(out: Path, key: str, rows: dict[str, dict[str, Any]]) -> None:
    ordered = [rows[one] for one in sorted(rows)]
    write_file(
        out / STATE, json.dumps({"key": key, "rows": ordered}, ensure_ascii=False, indent=1).encode("utf-8")
    )
    target = io.StringIO(newline="")
    table = csv.writer(target)
    table.writerow(
        ("File", "Status", "Sequences", "Left behind", "Unexplained", "Repair minutes", "Said", "Results")
    )
    for row in ordered:
        table.writerow(
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
        )
    write_file(out / SUMMARY, target.getvalue().encode("utf-8"))


def processors() -> int:
    """How many files are worked on at once by default."""
    return max(1, len(os.sched_getaffinity(0)))
