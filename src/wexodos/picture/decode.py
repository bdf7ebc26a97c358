"""Frames of source files, each exactly the one asked for.

A seek goes to the key frame at or before the place, decoding goes on from there until the frame itself: its
time, not its number in the stream, says which it is. Files stay open, so that stepping on costs one frame.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import TypeAlias

import av
import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from wexodos.ground.errors import WexodosError

Picture: TypeAlias = NDArray[np.float32]
"""Shape (height, width, 4); see the package."""

MOST_PIXELS = 1 << 27
"""Larger pictures are refused: a file of a few bytes can claim any size."""
_UNSAID = 2
"""What ITU-T H.273 counts as no word about how colours are coded."""
_AHEAD = 48
"""Within so many frames, decoding on is cheaper than a seek."""


class PictureError(WexodosError):
    """A picture that cannot be decoded: one plain sentence."""


class Frames:
    """Decodes frames of any number of files. May be used from several threads, one at a time decodes.

    ``budget`` bytes of decoded frames are kept, ``most_open`` files stay open.
    """

    def __init__(self, budget: int = 256 << 20, most_open: int = 16) -> None:
        self._budget, self._most_open = budget, most_open
        self._held: OrderedDict[tuple[str, int, tuple[int, int] | None], Picture] = OrderedDict()
        self._size = 0
        self._open: OrderedDict[str, _Movie] = OrderedDict()
        self._lock = threading.RLock()

    def frame(
        self, path: Path, number: int, rate: Fraction | None, still: bool, most: tuple[int, int] | None = None
    ) -> Picture:
        """Return frame ``number`` (from 0, counted in ``rate``) of a file; of a picture file its picture.

        ``most`` (width, height) lets a larger picture be decoded at that size. Raises ``PictureError``.
        """
        with self._lock:
            try:
                info = path.stat()
            except OSError as error:
                raise PictureError(
                    f"{path}: cannot be opened: {(error.strerror or str(error)).lower()}"
                ) from None
            key = f"{path}|{info.st_size}|{info.st_mtime_ns}"
            held = self._held.get((key, number, most))
            if held is not None:
                self._held.move_to_end((key, number, most))
                return held
            made = _still(path, most) if still else self._movie(key, path).frame(number, rate, most)
            made.flags.writeable = False
            self._held[key, number, most] = made
            self._size += made.nbytes
            while self._size > self._budget and len(self._held) > 1:
                self._size -= self._held.popitem(last=False)[1].nbytes
            return made

    def _movie(self, key: str, path: Path) -> _Movie:
        movie = self._open.get(key)
        if movie is None:
            movie = self._open[key] = _Movie(path)
            while len(self._open) > self._most_open:
                self._open.popitem(last=False)[1].close()
        self._open.move_to_end(key)
        return movie

    def close(self) -> None:
        """Let go of all files and frames."""
        with self._lock:
            for movie in self._open.values():
                movie.close()
            self._open.clear()
            self._held.clear()
            self._size = 0


class _Movie:
    """One open file and where its decoder stands."""

    def __init__(self, path: Path) -> None:
        self._path = path
        try:
            self._container = av.open(str(path))
            if not self._container.streams.video:
                raise PictureError(f"{path}: there is no picture in it")
            stream = self._stream = self._container.streams.video[0]
            if stream.codec_context is None:
                raise PictureError(f"{path}: its picture is coded in a way that is not known here")
            if stream.codec_context.width * stream.codec_context.height > MOST_PIXELS:
                raise PictureError(f"{path}: its picture is too large")
            stream.thread_type = "SLICE"
        except (av.error.FFmpegError, OSError, ValueError) as error:
            raise PictureError(
                f"{path}: its picture cannot be decoded ({error.__class__.__name__})"
            ) from None
        self._base = Fraction(stream.time_base or 1)
        self._own = Fraction(stream.average_rate or stream.guessed_rate or 25)
        self._zero = stream.start_time or 0
        self._frames: Iterator[av.VideoFrame] = iter(())
        self._last: av.VideoFrame | None = None
        self._next: av.VideoFrame | None = None

    def close(self) -> None:
        self._container.close()

    def frame(self, number: int, rate: Fraction | None, most: tuple[int, int] | None) -> Picture:
        """The frame that is on at ``number`` in ``rate``; the first or last one beyond the ends."""
        rate = rate or self._own
        # The middle of the wanted frame: times in files are rounded to their time base.
        target = self._zero + (Fraction(max(0, number)) + Fraction(1, 2)) / rate / self._base
        length = 1 / self._own / self._base
        try:
            last = self._last
            if last is None or not _time(last) <= target < _time(last) + _AHEAD * length:
                self._seek(target)
            found = self._forward(target, length)
        except (av.error.FFmpegError, OSError, ValueError) as error:
            self._last = None
            raise PictureError(
                f"{self._path}: its picture cannot be decoded ({error.__class__.__name__})"
            ) from None
        if found is None:
            raise PictureError(f"{self._path}: there is no frame {number} in it")
        return _floats(found, most)

    def _seek(self, target: Fraction) -> None:
        self._container.seek(max(self._zero, int(target)), stream=self._stream, backward=True)
        self._frames = self._container.decode(self._stream)
        self._last = self._next = None

    def _forward(self, target: Fraction, length: Fraction) -> av.VideoFrame | None:
        """Decode up to the frame that is on at ``target``: the last that begins by then, however long it is
        on. None where none is."""
        while self._last is None or not _time(self._last) <= target < _time(self._last) + length:
            following, self._next = self._next or next(self._frames, None), None
            if following is None:
                break
            if following.pts is None:
                continue
            if self._last is not None and _time(following) > target:
                self._next = following
                break
            self._last = following
        return self._last


def _time(frame: av.VideoFrame) -> int:
    return frame.pts or 0


def _reduced(width: int, height: int, most: tuple[int, int] | None) -> tuple[int, int]:
    """The size to decode at: not more than about ``most``, in the same shape."""
    if most is None or (width <= most[0] and height <= most[1]):
        return width, height
    share = min(1.0, max(most[0] / width, most[1] / height))
    return max(1, round(width * share)), max(1, round(height * share))


def _floats(frame: av.VideoFrame, most: tuple[int, int] | None) -> Picture:
    """A decoded frame as a picture. Deeper sources than 8 bits keep 16."""
    width, height = _reduced(frame.width, frame.height, most)
    parts = frame.format.components
    deep, alpha = max(part.bits for part in parts) > 8, any(part.is_alpha for part in parts)
    name = ("rgba64le" if deep else "rgba") if alpha else ("rgb48le" if deep else "rgb24")
    # What does not say how its colours are coded: BT.709 where it is larger than standard definition, else
    # BT.601, as it is by custom.
    coded = "ITU709" if frame.colorspace == _UNSAID and frame.height > 576 else None
    scaled = frame.reformat(
        width, height, name, src_colorspace=coded, interpolation="AREA" if width < frame.width else "BICUBIC"
    )
    data = scaled.to_ndarray()
    picture = np.empty((height, width, 4), np.float32)
    np.multiply(
        data[..., :3], np.float32(1 / (65535 if deep else 255)), out=picture[..., :3], casting="unsafe"
    )
    if alpha:
        np.multiply(
            data[..., 3], np.float32(1 / (65535 if deep else 255)), out=picture[..., 3], casting="unsafe"
        )
    else:
        picture[..., 3] = 1.0
    return picture


def _still(path: Path, most: tuple[int, int] | None) -> Picture:
    """A picture file, not multiplied by its alpha yet."""
    try:
        with Image.open(path) as image:
            if image.width * image.height > MOST_PIXELS:
                raise PictureError(f"{path}: its picture is too large")
            wide = np.asarray(image.convert("RGBA"), np.float32) / np.float32(255)
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise PictureError(f"{path}: the picture cannot be read ({error.__class__.__name__})") from None
    size = _reduced(wide.shape[1], wide.shape[0], most)
    if size == (wide.shape[1], wide.shape[0]):
        return wide
    return np.asarray(cv2.resize(wide, size, interpolation=cv2.INTER_AREA), np.float32)
