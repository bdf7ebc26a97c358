"""Long streams of the container in long runs: the library itself moves one sector at a time."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any


def write_stream(stream: Any, size: int, blocks: Iterable[bytes]) -> Iterator[int]:
    """Write ``size`` bytes into a stream; yields the length of each block when it is written.

    All sectors are given out first, so they follow each other, and neighbours are written at once. A short
    stream goes through the library, as it lies in sectors of another kind.
    """
    storage = stream.storage
    if size < storage.min_stream_max_size:
        for block in blocks:
            stream.write(block)
            yield len(block)
        return
    _allocate(stream, size)
    sector = storage.sector_size
    chain, place = stream.fat_chain, 0
    for block in blocks:
        view = memoryview(block)
        while view:
            index, inside = divmod(place, sector)
            count = _together(chain, index, (inside + len(view)) // sector + 1)
            take = min(len(view), count * sector - inside)
            storage.f.seek((chain[index] + 1) * sector + inside)
            storage.f.write(view[:take])
            place += take
            view = view[take:]
        yield len(block)
    for number in chain:
        if number in storage.sector_cache:
            del storage.sector_cache[number]


def _allocate(stream: Any, size: int) -> None:
    """Give a new stream its sectors at the end of the file, without looking for gaps one by one."""
    storage = stream.storage
    stream.allocate(storage.min_stream_max_size)
    stream.allocate(size)


def read_stream(stream: Any, place: int, size: int) -> bytes:
    """Up to ``size`` bytes of a stream from ``place``."""
    storage = stream.storage
    size = max(0, min(size, stream.dir.byte_size - place))
    if stream.dir.byte_size < storage.min_stream_max_size:
        stream.seek(place)
        return bytes(stream.read(size))
    sector, chain, made = storage.sector_size, stream.fat_chain, []
    while size:
        index, inside = divmod(place, sector)
        if index >= len(chain):
            break
        count = _together(chain, index, (inside + size) // sector + 1)
        take = min(size, count * sector - inside)
        storage.f.seek((chain[index] + 1) * sector + inside)
        data = storage.f.read(take)
        made.append(data)
        if len(data) < take:
            break
        place += take
        size -= take
    return b"".join(made)


def _together(chain: Any, index: int, most: int) -> int:
    """How many sectors from ``index`` on follow each other in the file, up to ``most``."""
    count = 1
    while count < most and index + count < len(chain) and chain[index + count] == chain[index] + count:
        count += 1
    return count
