"""The frame of a movie that is on at a time, whatever its container says and wherever a seek lands.

Containers are of two kinds. Most give every frame its own time: it says which frame it is, and the next one
until when it is on. A seek may land too late there (transport streams, groups that begin with frames which
need the group before): that is noticed by the first frame that comes out, and tried again from further back.
The others give no times, or guessed ones: there frames are counted, from those whose number is known
(``order``).
"""

from __future__ import annotations

import contextlib
import itertools
from bisect import bisect_right
from collections import deque
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

import av

from wexodos.footage.order import Key, Order, Orders
from wexodos.footage.source import PictureError, Source

_GROUP = 48
"""Frames from one at which decoding can begin to the next, as long as nobody knows better. Within so many,
decoding on is cheaper than a seek; in files whose frames stand for themselves it is not beyond the next."""
_FURTHER = 1
"""Seconds by which a seek that landed too late is tried again further back, each time twice as many; two
frames where every frame stands for itself."""

MOST_KEPT = 256 << 20
"""Bytes of decoded frames."""
_LEAST = 3
"""Frames that are kept in any case."""
_MOST_INTRA = 4
"""Frames that are kept where each stands for itself: any other is decoded as soon."""
_PLAYED = 6
"""So many frames one after another, and a file is being played."""


class _Shown(NamedTuple):
    """A decoded frame: the time at which it comes on, until when it is on where that is known already, and
    whether frames before it could not be decoded. Times are in the stream's unit, or frames where they are
    counted."""

    time: int
    until: int | None
    frame: av.VideoFrame
    lost: bool


class Movie:
    """One open file and where its decoder stands. It keeps ``most`` bytes of decoded frames: stepping back
    within them costs nothing. Raises ``PictureError``."""

    def __init__(self, path: Path, orders: Orders, most: int = MOST_KEPT) -> None:
        self._most = most
        self._source = Source(path)
        self._path, self.rate = path, self._source.rate
        self._order: Order | None = None
        self._kept: deque[_Shown] = deque()
        self._ended = False
        self._group = _GROUP
        self._run = 0
        with self._named():
            self._order = orders.of(path) if self._source.counted else None
            self._unit = Fraction(1) if self._order else 1 / self.rate / self._source.base
            self._frames: Iterator[_Shown] = self._onward()
            self._read()
        if not self._kept:
            raise PictureError(f"{path}: there is no picture in it that can be decoded")
        self._zero = self._kept[0].time

    @property
    def count(self) -> int | None:
        """How many frames there are; None where nobody says."""
        if self._order is not None:
            return self._order.count
        stream = self._source.stream
        if stream.frames:
            return int(stream.frames)
        length = Fraction(stream.duration or 0) * self._source.base
        return round(length * self.rate) or None

    @property
    def coded(self) -> tuple[str, str]:
        """Primaries and transfer as the file tags them, in words; empty where it says nothing."""
        return self._source.coded

    @property
    def fields(self) -> str:
        """Which lines are shown first, as ``Source.fields``."""
        return self._source.fields

    @property
    def kept_bytes(self) -> int:
        """How much room the frames take that were decoded on the way."""
        if not self._kept:
            return 0
        return len(self._kept) * _bytes(self._kept[-1].frame)

    def thin(self) -> None:
        """Let go of all but the last frames, from which decoding goes on."""
        while len(self._kept) > _LEAST:
            self._kept.popleft()

    def close(self) -> None:
        self._kept.clear()
        # It knows this movie, and so would keep its decoder until somebody looks for such circles.
        self._frames = iter(())
        self._source.close()

    def frame(self, number: int, rate: Fraction | None) -> av.VideoFrame:
        """The frame that is on at ``number`` in ``rate`` (the file's own where that is None); the first or
        the last one beyond the ends."""
        # The middle of the wanted frame: times in files are rounded to their time base.
        share = (Fraction(max(0, number)) + Fraction(1, 2)) / (rate or self.rate) * self.rate
        target = int(share) if self._order else int(self._zero + share * self._unit)
        if self._order:
            target = min(target, self._order.count - 1)
        with self._named():
            ahead = 1 if self._source.intra else self._group
            # The target lies within its frame: the next one is up to two units on.
            until = self._kept[-1].time + (ahead + 1) * self._unit if self._kept else 0
            if not self._kept or not self._kept[0].time <= target < until:
                self._seek(target)
            elif self._open_at(target):
                self._run += 1
                if self._run == _PLAYED and self._source.intra:
                    self._play_on()
            while not self._ended and self._open_at(target):
                self._read()
        if not self._kept:
            raise PictureError(f"{self._path}: frame {number} cannot be decoded")
        place = bisect_right(self._kept, target, key=lambda one: one.time)
        found = self._kept[max(0, place - 1)]
        if found.frame.is_corrupt or (
            place < len(self._kept) and self._kept[place].lost and target >= found.time + 1.5 * self._unit
        ):
            raise PictureError(f"{self._path}: frame {number} is damaged")
        return found.frame

    @contextlib.contextmanager
    def _named(self) -> Iterator[None]:
        try:
            yield
        except (av.error.FFmpegError, OSError, ValueError) as error:
            self._kept.clear()
            raise PictureError(
                f"{self._path}: its picture cannot be decoded ({error.__class__.__name__})"
            ) from None

    def _open_at(self, target: int) -> bool:
        """Whether a later frame than the last one that was decoded may be on at ``target``."""
        if not self._kept:
            return True
        last = self._kept[-1]
        return last.time <= target and not (last.until is not None and target < last.until)

    def _read(self) -> None:
        """Decode one frame more; one that does not come after the last is none."""
        shown = next(self._frames, None)
        self._ended = shown is None
        if shown is None or (self._kept and shown.time <= self._kept[-1].time):
            return
        self._kept.append(shown)
        most = self._most // max(_bytes(shown.frame), 1)
        if self._source.intra:
            most = min(most, _MOST_INTRA)
        while len(self._kept) > max(_LEAST, most):
            self._kept.popleft()

    def _play_on(self) -> None:
        """Go on behind the last frame as it is done for many in a row."""
        self._source.open(played=True)
        self._frames = self._timed()
        # Some containers cannot go everywhere: from the start then, past what was there already.
        with contextlib.suppress(av.error.FFmpegError, OSError):
            self._source.container.seek(self._kept[-1].time, stream=self._source.stream, backward=True)

    # ---- seeking

    def _seek(self, target: int) -> None:
        """Stand before the frame that is on at ``target``."""
        self._kept.clear()
        self._ended = False
        self._run = 0
        if self._source.played:
            self._source.open()
        if self._order is not None:
            key = self._order.before(target)
            self._frames = self._from_start() if key is None or not key.number else self._from_key(key)
            return
        back, stream = Fraction(0), self._source.stream
        while target - back > self._zero:
            try:
                self._source.container.seek(int(target - back), stream=stream, backward=True)
                self._frames = self._timed()
                self._read()
            except (av.error.FFmpegError, OSError):
                # Some containers cannot go everywhere: from further back, in the end from the start.
                self._kept.clear()
            if self._kept and self._kept[0].time <= target and not self._kept[0].frame.is_corrupt:
                return
            self._kept.clear()
            self._ended = False
            step = 2 * self._unit if self._source.intra else _FURTHER / self._source.base
            back = max(step, 2 * back)
        self._frames = self._from_start()

    def _from_start(self) -> Iterator[_Shown]:
        self._source.open()
        return self._onward()

    def _onward(self) -> Iterator[_Shown]:
        """The frames of a file that was just opened."""
        return self._timed() if self._order is None else self._counting(self._packets(), None)

    def _from_key(self, key: Key) -> Iterator[_Shown]:
        """Frames from one whose number is known. Where a seek does not lead to it the packets before it are
        passed over, which is quick: they are not decoded."""
        if key.time is not None:
            with contextlib.suppress(av.error.FFmpegError, OSError):
                self._source.container.seek(key.time, stream=self._source.stream, backward=True)
                packets = self._from_packet(key)
                if packets is not None:
                    return self._counting(packets, key)
        self._source.open()
        packets = self._from_packet(key)
        return self._counting(packets, key) if packets is not None else self._from_start()

    def _from_packet(self, key: Key) -> Iterator[Any] | None:
        """The packets from that of ``key``; None where it does not come any more. After a seek another may
        begin at its place, of which the start was cut off: so its size counts too."""
        packets = self._packets()
        for packet in packets:
            if (packet.pos, packet.size) == (key.place, key.size):
                return itertools.chain((packet,), packets)
            if packet.pos is not None and packet.pos > key.place:
                break
        return None

    def _packets(self) -> Iterator[Any]:
        return self._source.container.demux(self._source.stream)

    # ---- decoding

    def _timed(self) -> Iterator[_Shown]:
        """Frames with their own times. Those that stand for themselves are on until the next packet's."""
        lost, following, intra = False, None, self._source.intra
        since = 0
        ends: dict[int, int] = {}
        for packet in self._packets():
            since += 1
            if packet.is_keyframe:
                if 1 < since < _GROUP:
                    self._group = since
                since = 0
            waiting, following = following if intra else packet, packet
            if waiting is None:
                continue
            if intra and packet.size and packet.pts is not None and waiting.pts is not None:
                ends[waiting.pts] = packet.pts
            for frame in self._decoded(waiting):
                if frame is None or frame.pts is None:
                    lost = True
                    continue
                yield _Shown(frame.pts, ends.pop(frame.pts, None), frame, lost)
                lost = False
        if intra and following is not None:
            for frame in self._decoded(following):
                if frame is not None and frame.pts is not None:
                    yield _Shown(frame.pts, ends.pop(frame.pts, None), frame, lost)

    def _counting(self, packets: Iterator[Any], key: Key | None) -> Iterator[_Shown]:
        """Frames by their number, from ``key`` or from the start."""
        begun, number = key is None, 0 if key is None else key.number
        for count, packet in enumerate(packets):
            if packet.size:
                # A frame comes out with the time of the packet it came from.
                packet.pts = count
            for frame in self._decoded(packet):
                if frame is None:
                    continue
                # What comes out before the frame it begins with needs what stands before that one.
                begun = begun or frame.pts == 0
                if begun:
                    yield _Shown(number, number + 1, frame, False)
                    number += 1

    @staticmethod
    def _decoded(packet: Any) -> Iterator[av.VideoFrame | None]:
        """The frames that come out with a packet; None where it cannot be decoded."""
        try:
            yield from packet.decode()
        except av.error.InvalidDataError:
            yield None


def _bytes(frame: av.VideoFrame) -> int:
    return sum(plane.buffer_size for plane in frame.planes)
