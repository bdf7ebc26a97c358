"""Which frame is which in files that give their frames no times: found by decoding such a file once, kept in
the cache."""

from __future__ import annotations

import contextlib
import hashlib
from bisect import bisect_right
from pathlib import Path

import av
import msgspec
import platformdirs

from wexodos.footage.source import PictureError, Source
from wexodos.ground import write_file
from wexodos.ground.errors import WriteError

_FAST = {"skip_loop_filter": "all", "skip_idct": "all"}
"""Nobody looks at these frames: only their order counts."""
_MOST_KEPT = 500


class Key(msgspec.Struct, frozen=True, array_like=True):
    """A frame at which decoding can begin: where its packet stands in the file, the bytes of that, the time
    at which it is decoded (in the stream's unit; None where nothing is said) and how many frames are shown
    before it."""

    place: int
    size: int
    time: int | None
    number: int


class Order(msgspec.Struct, frozen=True, array_like=True):
    """The frames at which decoding can begin, and how many frames there are."""

    keys: list[Key]
    count: int

    def before(self, number: int) -> Key | None:
        """The last such frame that is not behind a number; None where decoding has to begin at the start."""
        place = bisect_right(self.keys, number, key=lambda one: one.number)
        return self.keys[place - 1] if place else None


def ordered(path: Path) -> Order:
    """Decode a file to its end and count. Raises ``PictureError``."""
    source = Source(path, _FAST)
    places: dict[int, tuple[int, int, int | None]] = {}
    keys: list[Key] = []
    count = 0
    try:
        for number, packet in enumerate(source.container.demux(source.stream)):
            if packet.size:
                if packet.is_keyframe and packet.pos is not None:
                    places[number] = packet.pos, packet.size, packet.dts
                # A frame comes out with the time of the packet it came from: so it says which that was.
                packet.pts = number
            with contextlib.suppress(av.error.InvalidDataError):
                for frame in packet.decode():
                    known = places.pop(frame.pts, None) if frame.pts is not None else None
                    if known is not None:
                        keys.append(Key(*known, count))
                    count += 1
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise PictureError(f"{path}: its picture cannot be decoded ({error.__class__.__name__})") from None
    finally:
        source.close()
    return Order(keys, count)


class Orders:
    """Remembers the order of files, in a folder that outlives the program."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or Path(platformdirs.user_cache_dir("wexodos")) / "orders-1"
        self._known: dict[str, Order] = {}

    def of(self, path: Path) -> Order:
        """The order of a file's frames. Raises ``PictureError``, ``OSError``."""
        info = path.stat()
        key = hashlib.sha256(f"{path}|{info.st_size}|{info.st_mtime_ns}".encode()).hexdigest()
        if key not in self._known:
            self._known[key] = self._stored(key) or self._made(key, path)
        return self._known[key]

    def _stored(self, key: str) -> Order | None:
        try:
            return msgspec.msgpack.decode((self._folder / key).read_bytes(), type=Order)
        except (OSError, msgspec.MsgspecError):
            return None

    def _made(self, key: str, path: Path) -> Order:
        made = ordered(path)
        with contextlib.suppress(OSError, WriteError):
            self._folder.mkdir(parents=True, exist_ok=True)
            write_file(self._folder / key, msgspec.msgpack.encode(made), kept=False)
            for old in sorted(self._folder.iterdir(), key=lambda one: one.stat().st_mtime)[:-_MOST_KEPT]:
                old.unlink(missing_ok=True)
        return made
