"""Making a package: every part written beside its place, its sum taken, read back, and all of it moved in
together."""

from __future__ import annotations

import contextlib
import io
import os
import zipfile
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import IO

from wexodos.formats import WriteError
from wexodos.ground import Delivery, Progress, quiet
from wexodos.ground.ending import undisturbed
from wexodos.ground.files import reason
from wexodos.ground.names import size_words
from wexodos.turnover.package.begun import Begun, Kept
from wexodos.turnover.package.hashlist import Entry, sealed
from wexodos.turnover.package.sums import OURS, copied, sum_of
from wexodos.turnover.write import Part, PartKind, free_space

_BEHIND = 8
"""So many files may wait to be read back."""
_NOTHING = sum_of(io.BytesIO())
"""The sum of no bytes."""
_READERS = 4
"""So many are read back and written through at once: the disk is waited for together."""
_PLAIN = datetime(1980, 1, 1, tzinfo=UTC)
"""The earliest moment a zip can name."""


@dataclass(frozen=True, slots=True)
class Copy:
    """A file that goes into a package as it is, with its size and the time of its last change (ns) as they
    were when the package was planned."""

    source: Path
    name: str
    size: int
    changed: int

    @property
    def bytes(self) -> int:
        return self.size

    @property
    def kind(self) -> PartKind:
        return PartKind.MEDIA


def copy_of(source: Path, name: str) -> Copy:
    """A file as it stands now. Raises ``WriteError`` where it is not there any more."""
    try:
        told = source.stat()
        return Copy(source, name, told.st_size, told.st_mtime_ns)
    except OSError as error:
        raise WriteError(f"{source}: cannot be copied: {reason(error)}") from None


def is_zip(target: Path) -> bool:
    """Whether a package at a place is one file."""
    return target.suffix.lower() == ".zip"


def key_of(one: Part | Copy, plan: str) -> str:
    """Of what a file of a package is made: the same is there where that is the same; empty for what is
    always made."""
    if isinstance(one, Copy):
        return f"copy of {one.source}: {one.size} {one.changed}"
    return one.key or (f"{plan} {one.name}" if plan and one.make is not None else "")


def goes_on(target: Path, contents: list[Part | Copy], plan: str) -> tuple[int, int]:
    """How many files, and bytes, of a package that was stopped at that place need not be made again."""
    begun = Begun(target)
    there = [one for one in contents if begun.has(one.name, key_of(one, plan))]
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
    stands at the place until everything does. Of a folder that is stopped or fails, what is whole is kept
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
        sink = _Zip(delivery, target, name) if is_zip(target) else _Folder(delivery, target, begun, plan)
        done = 0
        try:
            for one in contents:
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
        self._behind, self._begun, self._plan = _Behind(), begun, plan
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
            back = _Back(made, 0, entry.size or 0, entry.digest, one.name)
        else:
            entry, back = self._made(one, made, progress)
            kept = Kept(entry, key, memo.told() if memo is not None else None)
        done = self._behind.add(back)
        self._making = None
        if key:
            self._taken.append((kept, done))
        return entry

    def _made(self, one: Part | Copy, made: Path, progress: Progress) -> tuple[Entry, _Back]:
        """Write a file; what it is, and how it is read back."""
        if isinstance(one, Part) and one.make is not None:
            one.make(made, progress)
            with made.open("rb", buffering=0) as file:
                # It is taken from what was read back.
                digest = sum_of(file)
            told, back = made.stat(), _Back(made, 0, 0, _NOTHING, one.name)
        else:
            with made.open("xb") as file:
                digest = _streamed(one, file, progress)
            if isinstance(one, Copy):
                os.utime(made, ns=(one.changed, one.changed))
            told = made.stat()
            back = _Back(made, 0, told.st_size, digest, one.name)
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


@dataclass(frozen=True, slots=True)
class _Back:
    """A stretch of a file, by its first byte and its size, that is held against its sum while the file is
    written through to the disk."""

    made: Path
    begin: int
    size: int
    digest: str
    name: str

    def read(self) -> None:
        with self.made.open("rb", buffering=0) as file:
            file.seek(self.begin)
            if sum_of(file, most=self.size) != self.digest:
                raise _differs(self.name)
            os.fsync(file.fileno())


class _Behind:
    """What is read back and written through to the disk while the next is being written."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(_READERS)
        self._waiting: deque[Future[None]] = deque()

    def add(self, one: _Back) -> Future[None]:
        """Read it back later; raises what went wrong with the ones before."""
        added = self._pool.submit(one.read)
        self._waiting.append(added)
        while self._waiting and (len(self._waiting) > _BEHIND or self._waiting[0].done()):
            self._waiting.popleft().result()
        return added

    def close(self) -> None:
        """Wait for what is still being done."""
        while self._waiting:
            self._waiting.popleft().result()

    def end(self) -> None:
        self._pool.shutdown(cancel_futures=True)


class _Zip:
    """A package as a zip, written from its beginning to its end; sound and pictures are not packed tighter.
    What is done is read back and written through to the disk while the next is being written."""

    def __init__(self, delivery: Delivery, target: Path, name: str) -> None:
        self._made = delivery.place(target.resolve().parent, target.name)
        self._name = name
        self._file = self._made.open("x+b")
        self._zip = zipfile.ZipFile(self._file, "w", zipfile.ZIP_STORED, allowZip64=True)
        self._behind = _Behind()
        self._small: dict[str, str] = {}
        self._count = 0

    def take(self, one: Part | Copy, progress: Progress) -> Entry:
        moment = datetime.now(UTC)
        if isinstance(one, Copy):
            moment = datetime.fromtimestamp(one.changed / 1e9, UTC)
        info = zipfile.ZipInfo(f"{self._name}/{one.name}", max(moment, _PLAIN).timetuple()[:6])
        info.external_attr = 0o644 << 16
        small = isinstance(one, Part) and one.make is None
        info.compress_type = zipfile.ZIP_DEFLATED if small else zipfile.ZIP_STORED
        scratch = self._made.with_name("part")
        try:
            if isinstance(one, Part) and one.make is not None:
                one.make(scratch, progress)
                told = scratch.stat()
                one = Copy(scratch, one.name, told.st_size, told.st_mtime_ns)
            with self._zip.open(info, "w", force_zip64=True) as file:
                digest = _streamed(one, file, progress)
            end = self._zip.start_dir
            self._count += 1
        finally:
            scratch.unlink(missing_ok=True)
        if small:
            self._small[info.filename] = digest
        else:
            self._file.flush()
            begin = end - info.file_size
            self._behind.add(_Back(self._made, begin, info.file_size, digest, one.name))
        return Entry(one.name, info.file_size, OURS, digest, moment)

    def close(self, entries: list[Entry]) -> None:
        self._zip.close()
        self._file.flush()
        os.fsync(self._file.fileno())
        self._behind.close()
        with zipfile.ZipFile(self._made) as back:
            for info in back.infolist():
                # Opening it holds its head against the list at the end.
                with back.open(info) as file:
                    if info.filename in self._small and sum_of(file) != self._small[info.filename]:
                        raise _differs(info.filename)
            if len(back.namelist()) != self._count:
                raise _differs(self._made.name)

    def end(self) -> None:
        self._behind.end()
        with contextlib.suppress(OSError, ValueError):
            self._zip.close()
        self._file.close()

    def stop(self) -> None:
        """A zip cannot be gone on with."""
        self.end()


def _streamed(one: Part | Copy, file: IO[bytes], progress: Progress) -> str:
    """Write a part of known bytes or a copy into a stream; its sum."""
    if isinstance(one, Copy):
        return copied(one.source, (one.size, one.changed), file, progress)
    file.write(one.data)
    return sum_of(io.BytesIO(one.data))


def _differs(name: str) -> WriteError:
    return WriteError(f"{name}: what was read back differs from what was written")
