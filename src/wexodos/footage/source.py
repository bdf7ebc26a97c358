"""A movie file that was opened: its picture's stream and what its container's times are worth."""

from __future__ import annotations

import itertools
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from wexodos.footage.coded import FIELD_ORDERS, PRIMARIES, TRANSFERS
from wexodos.ground.errors import WexodosError

MOST_PIXELS = 1 << 27
"""Larger pictures are refused: a file of a few bytes can claim any size."""
_BARE = {"avi", "mpeg", "h264", "hevc", "mpegvideo", "m4v", "vc1", "cavs", "dirac", "obu", "dv"}
"""Containers, and streams without one, that say when a frame is decoded at the most, not when it is on."""
_TIMED = {"mov", "matroska", "mpegts", "flv", "nut", "ogg", "asf"}
"""Containers that give every frame its time."""
_LOOKED_AT = 64
"""Packets by which the times of other containers are judged."""


class PictureError(WexodosError):
    """A picture that cannot be decoded: one plain sentence."""


class Source:
    """An open file. ``rate`` is its frame rate, ``base`` the unit of its times in seconds; ``intra`` says
    that every frame stands for itself, ``counted`` that its times do not tell which frame is which; ``coded``
    are primaries and transfer in words, ``fields`` which lines are shown first (``upper``, ``lower``,
    ``progressive``; empty where nothing is said).

    Raises ``PictureError``.
    """

    def __init__(self, path: Path, options: dict[str, str] | None = None) -> None:
        self.path = path
        self._options = options or {}
        self.open()
        codec = self.stream.codec_context
        if codec.width * codec.height > MOST_PIXELS:
            raise PictureError(f"{path}: its picture is too large")
        self.rate = frame_rate(self.stream)
        # Before anything is decoded: then the coder says what it was told, which is often nothing.
        self.coded = PRIMARIES.get(int(codec.color_primaries), ""), TRANSFERS.get(int(codec.color_trc), "")
        self.fields = FIELD_ORDERS.get(int(codec.field_order or 0), "")
        self.base = Fraction(self.stream.time_base or 1)
        self.intra = bool(codec.codec.intra_only)
        self.counted = self._counted()

    def open(self, played: bool = False) -> None:
        """Open the file, or begin again at its start. Where it is ``played``, frames that stand for
        themselves are decoded several at once, which takes less work, instead of each by several."""
        self.close()
        self.played = played
        try:
            self.container = av.open(str(self.path))
            if not self.container.streams.video:
                raise PictureError(f"{self.path}: there is no picture in it")
            self.stream: Any = self.container.streams.video[0]
            if self.stream.codec_context is None:
                raise PictureError(f"{self.path}: its picture is coded in a way that is not known here")
        except (av.error.FFmpegError, OSError, ValueError) as error:
            raise PictureError(
                f"{self.path}: its picture cannot be decoded ({error.__class__.__name__})"
            ) from None
        codec = self.stream.codec_context
        codec.options = self._options
        # Frames that stand for themselves are ready at once when their slices are decoded side by side; those
        # of groups sooner when several are under way.
        codec.thread_type = "SLICE" if codec.codec.intra_only and not played else "AUTO"

    def close(self) -> None:
        container = getattr(self, "container", None)
        if container is not None:
            container.close()

    def _counted(self) -> bool:
        names = set(self.container.format.name.split(","))
        if self.intra or names & _TIMED:
            return False
        if names & _BARE:
            return True
        packets = [
            packet
            for packet in itertools.islice(self.container.demux(self.stream), _LOOKED_AT)
            if packet.size
        ]
        self.open()
        times = [packet.pts for packet in packets]
        if None in times:
            return True
        # Frames that are decoded in another order than they are shown in cannot have times that only rise.
        return bool(self.stream.codec_context.has_b_frames) and times == sorted(times)


def frame_rate(stream: Any) -> Fraction:
    """The frame rate of a stream; 25 where it says none that could be one."""
    for rate in (stream.average_rate, stream.guessed_rate, stream.base_rate):
        if rate and 1 <= rate <= 1000:
            return Fraction(rate)
    return Fraction(25)
