"""Long streams of the container in long runs: the library itself moves one sector at a time."""

from __future__ import annotations

from typing import Any


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
