"""Making a package: every part written beside its place, its sum taken, read back, and all of it moved in
together."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable
from concurrent.futures import Future
from datetime import UTC, datetime
from pathlib import Path

from wexodos.formats import WriteError
from wexodos.ground import Delivery, Progress, quiet
from wexodos.ground.ending import undisturbed
from wexodos.ground.files import reason
from wexodos.ground.memory import give_back
from wexodos.ground.names import size_words
from wexodos.turnover.package.begun import Begun, Kept
from wexodos.turnover.package.behind import NOTHING, Back, Behind
from wexodos.turnover.package.copying import Copy, key_of, streamed
from wexodos.turnover.package.hashlist import Entry, sealed
from wexodos.turnover.package.sums import OURS, sum_of
from wexodos.turnover.package.zipped import Zip
from wexodos.turnover.write import Part, PartKind, free_space


def is_zip(target: Path) -> bool:
    """Whether a package at a place is one file."""
    return target.suffix.lower() == ".zip"


def _in_order(target: Path, contents: list[Part | Copy], plan: str) -> list[Part | Copy]:
    """A zip begins with what can be kept of it where it is stopped."""
    return sorted(contents, key=lambda one: not key_of(one, plan)) if is_zip(target) else contents


def goes_on(target: Path, contents: list[Part | Copy], plan: str) -> tuple[int, int]:
    """How many files, and bytes, of a package that was stopped at that place need not be made again."""
    begun = Begun(target)
    there = _in_order(target, contents, plan)
    if is_zip(target):
        there = there[: begun.first([(one.name, key_of(one, plan)) for one in there])]
    else:
        there = [one for one in there if begun.has(one.name, key_of(one, plan))]
    return len(there), sum(one.bytes for one in there)


def refuse_place(target: Path, contents: list[Part | Copy], there: int = 0) -> None:
    """Raise ``WriteError`` where a package cannot be made at a place: something stands there, its folder is
    missing, or there is no room for what is not ``there`` (bytes) already."""
    folder = target.resolve().parent
    if not folder.is_dir():
        raise WriteError(f"{folder}: there is no such folder")
    if is_zip(target):
        if target.is_dir():
            raise WriteError(f"{target}: this is a folder; name a zip that is none")
    elif target.exists() and not (target.is_dir() and not any(target.iterdir())):
        raise WriteError(f"{target}: something stands there already; name a folder that is new or empty")
    needed, free = sum(one.bytes for one in contents) - there, free_space(folder)
    if free is not None and needed + (1 << 20) > free:
        raise WriteError(f"{folder}: {size_words(needed)} are needed, {size_words(free)} free")


def write(
    target: Path,
    contents: list[Part | Copy],
    name: str,
    moment: datetime,
    progress: Progress,
    taken: Callable[[Entry], None] = lambda _entry: None,
    plan: str = "",
) -> list[Entry]:
    """Make a package called ``name`` at ``target``, a folder or a zip, and return what is in it with its
    sums; its list of sums, two files, comes last. ``taken`` is told of each file when it is there. Nothing
    stands at the place until everything does. Of one that is stopped or fails, what is whole is kept
    beside it where that is much; the next one goes on from there with what is made of the same, by its source
    or by ``plan``, and reads it back.

    Raises ``WriteError`` and what ``refuse_place`` does. ``progress`` may raise ``Cancelled``.
    """
    begun = Begun(target)
    refuse_place(target, contents, goes_on(target, contents, plan)[1])
    whole = max(1, sum(one.bytes for one in contents))
    entries: list[Entry] = []
    manifest: list[Entry] = []
    with Delivery() as delivery:
        sink = (
            Zip(delivery, target, name, begun, plan)
            if is_zip(target)
            else _Folder(delivery, target, begun, plan)
        )
        done = 0
        try:
            for one in _in_order(target, contents, plan):
                share = _of_bytes(progress, done, one.bytes, whole)
                share(f"writing {one.name}", 0.0)
                entries.append(sink.take(one, share))
                taken(entries[-1])
                done += one.bytes
            for path, data in sealed(entries, name, moment):
                manifest.append(sink.take(Part(path, "list of sums", data, kind=PartKind.MANIFEST), quiet))
            sink.close(entries)
            # The last moment at which it can be stopped.
            progress("done", 1.0)
        except BaseException as error:
            with undisturbed():
                sink.stop()
            if isinstance(error, OSError):
                raise WriteError(f"{target}: cannot be written: {reason(error)}") from None
            raise
        sink.end()
        delivery.arrive()
    begun.remove()
    return entries + manifest


def _of_bytes(progress: Progress, done: int, size: int, whole: int) -> Progress:
    """The progress of one part among the bytes of all."""
    return lambda what, share: progress(what, min(0.99, (done + share * size) / whole))


class _Folder:
    """A package as a folder; each file is read back and written through to the disk while the next ones are
    being written."""

    def __init__(self, delivery: Delivery, target: Path, begun: Begun, plan: str) -> None:
        self._delivery, self._folder, self._name = delivery, target.resolve().parent, target.name
        self._behind, self._begun, self._plan = Behind(), begun, plan
        self._taken: list[tuple[Kept, Future[None]]] = []
        self._stage: Path | None = None
        self._making: Path | None = None

    def take(self, one: Part | Copy, progress: Progress) -> Entry:
        made = self._delivery.place(self._folder, f"{self._name}/{one.name}")
        self._stage, self._making = made.parents[one.name.count("/")], made
        key = key_of(one, self._plan)
        kept = self._begun.take(one.name, key, made) if key else None
        memo = one.memo if isinstance(one, Part) else None
        if kept is not None and memo is not None:
            try:
                memo.recall(kept.told)
            except (TypeError, ValueError, AttributeError):
                # The journal is not ours any more.
                made.unlink()
                kept = None
        if kept is not None:
            entry = kept.entry
            back = Back(made, 0, entry.size or 0, entry.digest, one.name)
        else:
            entry, back = self._made(one, made, progress)
            kept = Kept(entry, key, memo.told() if memo is not None else None)
        done = self._behind.add(back)
        self._making = None
        if key:
            self._taken.append((kept, done))
        return entry

    def _made(self, one: Part | Copy, made: Path, progress: Progress) -> tuple[Entry, Back]:
        """Write a file; what it is, and how it is read back."""
        if isinstance(one, Part) and one.make is not None:
            one.make(made, progress)
            give_back()
            with made.open("rb", buffering=0) as file:
                # It is taken from what was read back.
                digest = sum_of(file)
            told, back = made.stat(), Back(made, 0, 0, NOTHING, one.name)
        else:
            with made.open("xb") as file:
                digest = streamed(one, file, progress)
            if isinstance(one, Copy):
                os.utime(made, ns=(one.changed, one.changed))
            told = made.stat()
            back = Back(made, 0, told.st_size, digest, one.name)
        return Entry(one.name, told.st_size, OURS, digest, datetime.fromtimestamp(told.st_mtime, UTC)), back

    def close(self, entries: list[Entry]) -> None:
        self._behind.close()

    def end(self) -> None:
        self._behind.end()

    def stop(self) -> None:
        """Keep what is whole. What was not yet read back will be, with all the others, when it is taken."""
        self._behind.end()
        if self._making is not None:
            # A full disk has room again for a word on what is kept.
            with contextlib.suppress(OSError):
                self._making.unlink(missing_ok=True)
        whole = [kept for kept, done in self._taken if done.cancelled() or done.exception() is None]
        if self._stage is not None:
            self._begun.keep(self._stage, whole)
