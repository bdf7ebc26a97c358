"""A package as a zip, written from its beginning to its end; sound and pictures are not packed tighter.

A zip that was stopped goes on: what it begins with, as far as it is whole and made of the same, stays where
it is, and the rest is written behind it.
"""

from __future__ import annotations

import contextlib
import os
import struct
import zipfile
from concurrent.futures import Future
from datetime import UTC, datetime
from itertools import takewhile
from pathlib import Path
from typing import IO

from wexodos.ground import Delivery, Progress
from wexodos.turnover.package.begun import Begun, Kept
from wexodos.turnover.package.behind import Back, Behind, differs
from wexodos.turnover.package.copying import Copy, key_of, streamed
from wexodos.turnover.package.hashlist import Entry
from wexodos.turnover.package.sums import OURS, sum_of
from wexodos.turnover.write import Part

_PLAIN = datetime(1980, 1, 1, tzinfo=UTC)
"""The earliest moment a zip can name."""


class Zip:
    """What is done is read back and written through to the disk while the next is being written."""

    def __init__(self, delivery: Delivery, target: Path, name: str, begun: Begun, plan: str) -> None:
        self._made = delivery.place(target.resolve().parent, target.name)
        self._name, self._begun, self._plan = name, begun, plan
        self._behind = Behind()
        self._small: dict[str, str] = {}
        self._infos: list[zipfile.ZipInfo] = []
        self._taken: list[tuple[Kept, Future[None]]] = []
        self._zip: zipfile.ZipFile | None = None
        self._before = self._kept_before()
        self._file: IO[bytes] = self._made.open("r+b" if self._before else "x+b")

    def _kept_before(self) -> list[tuple[Kept, zipfile.ZipInfo]]:
        """What a stopped zip holds, moved to where this one is made."""
        held = self._begun.take_zip(self._made)
        try:
            if held:
                with zipfile.ZipFile(self._made) as there:
                    infos = there.infolist()
                if [one.filename for one in infos] == [f"{self._name}/{one.entry.path}" for one in held]:
                    return list(zip(held, infos))
        except (OSError, ValueError, zipfile.BadZipFile, NotImplementedError):
            pass
        self._made.unlink(missing_ok=True)
        return []

    def take(self, one: Part | Copy, progress: Progress) -> Entry:
        key = key_of(one, self._plan)
        entry = self._kept(one, key) if self._zip is None else None
        return entry if entry is not None else self._written(one, key, progress)

    def _kept(self, one: Part | Copy, key: str) -> Entry | None:
        """The next file as it is there already; from the first that is not on all are written."""
        if not self._before or not key:
            return None
        kept, info = self._before[0]
        if (kept.entry.path, kept.key) != (one.name, key):
            return None
        memo = one.memo if isinstance(one, Part) else None
        if memo is not None:
            try:
                memo.recall(kept.told)
            except (TypeError, ValueError, AttributeError):
                # The journal is not ours any more.
                return None
        del self._before[0]
        self._infos.append(info)
        back = Back(self._made, _begin(self._file, info), info.file_size, kept.entry.digest, one.name)
        self._taken.append((kept, self._behind.add(back)))
        return kept.entry

    def _open(self) -> zipfile.ZipFile:
        """The zip from the first file on that is not there already."""
        if self._zip is None:
            self._before = []
            self._zip = self._cut(self._infos)
        return self._zip

    def _cut(self, infos: list[zipfile.ZipInfo]) -> zipfile.ZipFile:
        """The zip with the files it begins with and nothing behind them."""
        last = infos[-1] if infos else None
        self._file.seek(_begin(self._file, last) + last.compress_size if last is not None else 0)
        self._file.truncate()
        made = zipfile.ZipFile(self._file, "w", zipfile.ZIP_STORED, allowZip64=True)
        for info in infos:
            made.filelist.append(info)
            made.NameToInfo[info.filename] = info
        return made

    def _written(self, one: Part | Copy, key: str, progress: Progress) -> Entry:
        whole = self._open()
        moment = datetime.now(UTC)
        if isinstance(one, Copy):
            moment = datetime.fromtimestamp(one.changed / 1e9, UTC)
        info = zipfile.ZipInfo(f"{self._name}/{one.name}", max(moment, _PLAIN).timetuple()[:6])
        info.external_attr = 0o644 << 16
        small = isinstance(one, Part) and one.make is None
        memo = one.memo if isinstance(one, Part) else None
        info.compress_type = zipfile.ZIP_DEFLATED if small else zipfile.ZIP_STORED
        scratch = self._made.with_name("part")
        try:
            if isinstance(one, Part) and one.make is not None:
                one.make(scratch, progress)
                told = scratch.stat()
                one = Copy(scratch, one.name, told.st_size, told.st_mtime_ns)
            with whole.open(info, "w", force_zip64=True) as file:
                digest = streamed(one, file, progress)
        finally:
            scratch.unlink(missing_ok=True)
        entry = Entry(one.name, info.file_size, OURS, digest, moment)
        if small:
            self._small[info.filename] = digest
            return entry
        self._file.flush()
        done = self._behind.add(Back(self._made, _begin(self._file, info), info.file_size, digest, one.name))
        if key:
            self._infos.append(info)
            self._taken.append((Kept(entry, key, memo.told() if memo is not None else None), done))
        return entry

    def close(self, entries: list[Entry]) -> None:
        """Write the list at the end and hold it against what was written."""
        whole = self._open()
        count = len(whole.filelist)
        whole.close()
        self._file.flush()
        os.fsync(self._file.fileno())
        self._behind.close()
        with zipfile.ZipFile(self._made) as back:
            for info in back.infolist():
                # Opening it holds its head against the list at the end.
                with back.open(info) as file:
                    if info.filename in self._small and sum_of(file) != self._small[info.filename]:
                        raise differs(info.filename)
            if len(back.namelist()) != count:
                raise differs(self._made.name)

    def end(self) -> None:
        """Let go of the file."""
        self._behind.end()
        self._closed()
        self._file.close()

    def _closed(self) -> None:
        if self._zip is not None:
            with contextlib.suppress(OSError, ValueError):
                self._zip.close()

    def stop(self) -> None:
        """Keep what it begins with, as far as that is whole, as a zip of its own."""
        self._behind.end()
        whole = list(takewhile(lambda one: one[1].cancelled() or one[1].exception() is None, self._taken))
        kept = [one for one, _ in whole]
        untouched = self._zip is None and len(whole) == len(self._taken)
        self._closed()
        with contextlib.suppress(OSError, ValueError):
            if untouched:
                kept += [one for one, _ in self._before]
            else:
                # What was being written is cut off; on a full disk there is room for the list again.
                self._cut(self._infos[: len(kept)]).close()
            self._file.close()
            self._begun.keep_zip(self._made, kept)
        self._file.close()


def _begin(file: IO[bytes], info: zipfile.ZipInfo) -> int:
    """Where the bytes of a file in a zip begin: behind its head, with its name and what else it says
    (APPNOTE 4.3.7)."""
    at = file.tell()
    file.seek(info.header_offset + 26)
    name, more = struct.unpack("<HH", file.read(4))
    file.seek(at)
    return info.header_offset + 30 + int(name) + int(more)
