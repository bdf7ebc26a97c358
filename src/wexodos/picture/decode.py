"""Frames of source files, each exactly the one asked for.

Files stay open, and what was decoded on the way to a frame stays for a while: stepping on costs one frame,
stepping back mostly none.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any, TypeAlias, TypeVar

import av
import cv2
import numpy as np
from av.video.reformatter import Colorspace, VideoReformatter
from numpy.typing import NDArray

from wexodos.footage.kept_open import KeptOpen
from wexodos.footage.numbered import numbered
from wexodos.footage.order import Orders
from wexodos.footage.source import PictureError
from wexodos.footage.stills import reduced, still_facts
from wexodos.footage.stills import still as still_picture
from wexodos.formats.numbering import is_picture
from wexodos.picture.depths import DEEP, SHARES, deep_to_bytes
from wexodos.sound.spans import next_part

Picture: TypeAlias = NDArray[np.float32]
"""Shape (height, width, 4); see the package."""

Made = TypeVar("Made")
_Name: TypeAlias = tuple[str, int, tuple[int, int] | None, int | str | None]
_own = threading.local()
_UNSAID = 2
"""What ITU-T H.273 counts as no word about how colours are coded."""


class Frames:
    """Decodes frames of any number of files. May be used from several threads: one file is decoded by one at
    a time.

    ``budget`` bytes of frames are kept as they are shown, ``decoded`` bytes as they were decoded;
    ``most_open`` files stay open.
    """

    def __init__(
        self,
        budget: int = 256 << 20,
        most_open: int = 16,
        orders: Orders | None = None,
        decoded: int = 512 << 20,
    ) -> None:
        self._budget = budget
        self._open = KeptOpen(orders or Orders(), most_open, decoded)
        self._held: OrderedDict[_Name, NDArray[Any]] = OrderedDict()
        self._size = 0
        self._lock = threading.Lock()

    @classmethod
    def in_order(cls) -> Frames:
        """For who goes through a cut from its beginning to its end: nothing is asked for again but what
        stands."""
        return cls(budget=12 << 20, most_open=4, decoded=8 << 20)

    def frame(
        self,
        path: Path,
        number: int,
        rate: Fraction | None,
        still: bool,
        most: tuple[int, int] | None = None,
        lines: int | None = None,
    ) -> Picture:
        """Return frame ``number`` (from 0, counted in ``rate``) of a file; of a picture file its picture.

        ``most`` (width, height) lets a larger picture be decoded at that size; ``lines`` takes every other
        line of an interlaced one, from the first (0) or the second (1), for the whole. Raises
        ``PictureError``.
        """
        frames = numbered(path)
        if frames is not None:
            path, number, still = frames.file(number), 0, True
        key = _key(path)
        if still:
            number, rate = 0, None
        name = (key, number, most, lines)
        return self._once(name, lambda: self._made(path, key, number, rate, still, most, lines))

    def untouched(
        self, path: Path, number: int, rate: Fraction, most: tuple[int, int] | None, whole: bool = False
    ) -> NDArray[np.uint8] | None:
        """Frame ``number`` of a movie as a screen shows it, shape (height, width, 3), what ``frame`` gives of
        it; None where that cannot be: with an alpha, turned, and where it is to be ``whole`` with more than 8
        bits. Raises ``PictureError``."""
        if is_picture(path.name) or numbered(path) is not None:
            return None
        key = _key(path)
        made = self._once(
            (key, number, most, "whole" if whole else "bytes"),
            lambda: self._of_movie(path, key, number, rate, lambda frame: _as_bytes(frame, most, whole)),
        )
        return made if made.size else None

    def _once(self, name: _Name, make: Callable[[], NDArray[Any]]) -> NDArray[Any]:
        """What is kept under a name, or made now and kept."""
        with self._lock:
            held = self._held.get(name)
            if held is not None:
                self._held.move_to_end(name)
                return held
        made = make()
        made.flags.writeable = False
        with self._lock:
            before = self._held.pop(name, None)
            self._size += made.nbytes - (before.nbytes if before is not None else 0)
            self._held[name] = made
            while self._size > self._budget and len(self._held) > 1:
                self._size -= self._held.popitem(last=False)[1].nbytes
        return made

    def warm(self, path: Path, number: int, rate: Fraction | None) -> None:
        """Open a movie at a frame that will be wanted soon; one that is open stays where it is. Raises
        ``PictureError``."""
        if is_picture(path.name) or numbered(path) is not None:
            return
        key = _key(path)
        if key not in self._open:
            with self._open.movie(key, path) as movie:
                movie.frame(number, rate)

    def coded(self, path: Path, still: bool) -> tuple[str, str]:
        """Primaries and transfer of a file as it says them, in words. Raises ``PictureError``."""
        frames = numbered(path)
        if still or frames is not None or is_picture(path.name):
            facts = still_facts(frames.files()[0] if frames is not None else path)
            return "", "linear" if facts.floating else facts.transfer
        with self._open.movie(_key(path), path) as movie:
            return movie.coded

    def fields(self, path: Path, still: bool) -> str:
        """Which lines of a movie are shown first, as it says itself: ``upper``, ``lower`` or ``progressive``;
        empty where it says nothing. Raises ``PictureError``."""
        if still or is_picture(path.name) or numbered(path) is not None:
            return ""
        with self._open.movie(_key(path), path) as movie:
            return movie.fields

    def _made(
        self,
        path: Path,
        key: str,
        number: int,
        rate: Fraction | None,
        still: bool,
        most: tuple[int, int] | None,
        lines: int | None,
    ) -> Picture:
        if still or is_picture(path.name):
            return still_picture(path, most)
        return self._of_movie(path, key, number, rate, lambda frame: _floats(frame, most, lines))

    def _of_movie(
        self, path: Path, key: str, number: int, rate: Fraction | None, make: Callable[[av.VideoFrame], Made]
    ) -> Made:
        """What is made of a frame of a movie, or of the file in which its recording goes on."""
        with self._open.movie(key, path) as movie:
            count, beyond = movie.count, -1
            if count is not None and rate is not None:
                beyond = number - round(count * rate / movie.rate)
            following = next_part(path) if beyond >= 0 else None
            if following is None:
                return make(movie.frame(number, rate))
        return self._of_movie(following, _key(following), beyond, rate, make)

    def close(self) -> None:
        """Let go of all files and frames."""
        self._open.close()
        with self._lock:
            self._held.clear()
            self._size = 0


def _key(path: Path) -> str:
    """What tells a version of a file. Raises ``PictureError`` where it is not there."""
    try:
        info = path.stat()
    except OSError as error:
        raise PictureError(f"{path}: cannot be opened: {(error.strerror or str(error)).lower()}") from None
    return f"{path}|{info.st_size}|{info.st_mtime_ns}"


def _floats(frame: av.VideoFrame, most: tuple[int, int] | None, lines: int | None = None) -> Picture:
    """A decoded frame as a picture, upright, of one field where ``lines`` says which. Deeper sources than 8
    bits keep 16."""
    turned = round(frame.rotation / 90) % 4
    if turned % 2 and most is not None:
        most = most[1], most[0]
    width, height = reduced(frame.width, frame.height, most)
    deep, alpha = _deep(frame), _with_alpha(frame)
    tall = height if lines is None else frame.height
    if deep and not alpha:
        data = cv2.merge([*_planes(frame, width, tall), np.full((tall, width), 65535, np.uint16)])
    else:
        data = scaled(frame, width, tall, "rgba64le" if deep else "rgba" if alpha else "rgb24")
    if lines is not None:
        data = _of_one_field(data, lines)
        if height != frame.height:
            data = cv2.resize(data, (width, height), interpolation=cv2.INTER_AREA)
    # Opaque is what the libraries write for the largest number of the depth: one, exactly.
    if deep:
        picture = np.divide(data, DEEP, dtype=np.float32)
    else:
        four = data if alpha else cv2.cvtColor(data, cv2.COLOR_RGB2RGBA)
        picture = np.asarray(cv2.LUT(four, SHARES), np.float32)
    return np.ascontiguousarray(np.rot90(picture, turned)) if turned else picture


def _as_bytes(frame: av.VideoFrame, most: tuple[int, int] | None, whole: bool) -> NDArray[np.uint8]:
    """A decoded frame as a screen shows it; empty where it is turned or has an alpha, and where it is to be
    ``whole`` and is deeper."""
    if _with_alpha(frame) or round(frame.rotation / 90) % 4 or (whole and _deep(frame)):
        return np.zeros((0, 0, 3), np.uint8)
    size = reduced(frame.width, frame.height, most)
    if not _deep(frame):
        return scaled(frame, *size, "rgb24")
    return np.asarray(cv2.merge([deep_to_bytes(part) for part in _planes(frame, *size)]), np.uint8)


def _deep(frame: av.VideoFrame) -> bool:
    return max(part.bits for part in frame.format.components) > 8


def _with_alpha(frame: av.VideoFrame) -> bool:
    return any(part.is_alpha for part in frame.format.components)


def scaled(frame: av.VideoFrame, width: int, height: int, name: str) -> NDArray[Any]:
    """A decoded frame at a size, its samples of a format of the library by its name."""
    return _at_size(frame, width, height, name).to_ndarray()


def _planes(frame: av.VideoFrame, width: int, height: int) -> list[NDArray[np.uint16]]:
    """Red, green and blue of a decoded frame at a size, 16 bits each. Written together by the library they
    would have half the width of colour."""
    planes: list[Any] = list(_at_size(frame, width, height, "gbrp16le").planes)
    green, blue, red = (
        np.frombuffer(plane, np.uint16).reshape(plane.height, -1)[:, : plane.width] for plane in planes
    )
    return [red, green, blue]


def _at_size(frame: av.VideoFrame, width: int, height: int, name: str) -> av.VideoFrame:
    # What does not say how its colours are coded: BT.709 where it is larger than standard definition, else
    # BT.601, as it is by custom.
    coded = Colorspace.ITU709 if frame.colorspace == _UNSAID and frame.height > 576 else None
    way = "AREA" if width < frame.width else "BICUBIC"
    return _reformatter().reformat(
        frame, width, height, name, src_colorspace=coded, interpolation=way, threads=1
    )


def _reformatter() -> VideoReformatter:
    """What turns frames into pictures, one for each thread: made anew for each frame it would take twice
    as long."""
    found = getattr(_own, "reformatter", None)
    if found is None:
        found = _own.reformatter = VideoReformatter()
    return found


def _of_one_field(data: NDArray[Any], lines: int) -> NDArray[Any]:
    """A frame made of every other line from ``lines`` on: those between are the mean of their neighbours."""
    kept = data[lines::2].astype(np.uint32)
    made = data.copy()
    count = len(data[1 - lines :: 2])
    # At an edge only one line of the field stands beside another.
    around = np.concatenate([*([kept[:1]] * lines), kept, kept[-1:]])
    made[1 - lines :: 2] = ((around[:count] + around[1 : count + 1] + 1) // 2).astype(data.dtype)
    return made
