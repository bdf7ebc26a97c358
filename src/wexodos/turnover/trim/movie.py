"""A stretch of a movie as a file of its own: its packets, as they are, in a container of the same kind.

Where every frame stands for itself the stretch begins where it shall; where frames need others it begins at
the last frame before it at which decoding can, and ends before the next one behind it, so that no frame in it
needs one that is left out. Sound of plain samples is cut to the sample.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import xxhash

from wexodos.footage.source import PictureError, Source
from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.ground.files import reason
from wexodos.timing import Rate, Timecode
from wexodos.turnover.trim.cut import NotCut

_FORMS = {".mov": "mov", ".mp4": "mp4", ".m4v": "mp4", ".mxf": "mxf", ".mkv": "matroska"}
"""The containers that are written, by the suffix of the file."""
_MOST = 200_000
"""More packets are not looked at for one stretch."""
_BACK = 2
"""Seconds by which a place to begin is looked for further back, each time twice as many."""
_ASIDE = {"timecode", "reel_name"}
"""Tags that say where a file begins: the new one says so for itself."""


@dataclass(frozen=True, slots=True)
class _Seen:
    """A packet of the picture: its frame, its times and bytes, whether decoding can begin at it."""

    frame: int
    pts: int
    dts: int
    size: int
    key: bool


@dataclass(frozen=True, slots=True)
class MovieCut:
    """``start`` frames after timecode zero is where the source begins, ``reel`` what it is called; ``begin``
    and ``end`` are the decoding times of the first packet and the one after the last, ``delay`` by how many
    frames decoding runs ahead of showing at the most."""

    source: Path
    first: int
    count: int
    size: int
    rate: Rate
    start: int
    drop: bool
    reel: str
    begin: int
    end: int | None
    delay: int

    @property
    def suffix(self) -> str:
        """See ``Cut``."""
        return self.source.suffix

    @property
    def anew(self) -> str:
        """See ``Cut``."""
        return ""

    def head(self, frames: int) -> MovieCut:
        """See ``Cut``."""
        end = self.first + min(self.count, frames)
        return movie_cut(self.source, self.first, end, self.rate, self.start, self.drop, self.reel, self.rate)

    def write(self, path: Path, progress: Progress) -> None:
        """See ``Cut.write``."""
        try:
            sums = self._written(path, progress)
            back = sums_of(path)
        except (av.error.FFmpegError, ValueError) as error:
            raise WriteError(f"{self.source}: cannot be cut ({error.__class__.__name__})") from None
        except PictureError as error:
            raise WriteError(str(error)) from None
        except OSError as error:
            raise WriteError(f"{path}: cannot be written: {reason(error)}") from None
        if back != sums:
            raise WriteError(f"{path}: what was read back is not what the source holds; send it whole")

    def _written(self, path: Path, progress: Progress) -> list[tuple[int, str]]:
        """Write the packets; how many of each stream and their sum."""
        source = Source(self.source)
        try:
            form = _FORMS[
                path.suffix.lower() if path.suffix.lower() in _FORMS else self.source.suffix.lower()
            ]
            options = {"movflags": "use_metadata_tags"} if form in ("mov", "mp4") else {}
            with av.open(str(path), "w", format=form, container_options=options) as made:
                return self._copied(source, made, form, progress)
        finally:
            source.close()

    def _copied(self, source: Source, made: Any, form: str, progress: Progress) -> list[tuple[int, str]]:
        streams = [one for one in source.container.streams if one.type in ("video", "audio")]
        for key, value in source.container.metadata.items():
            if key not in _ASIDE:
                made.metadata[key] = value
        label = str(Timecode(self.start + self.first, self.rate, self.drop))
        ways: dict[int, _Way] = {}
        zero = _zero(source)
        seconds = Fraction(self.first) / source.rate
        for stream in streams:
            target = made.add_stream_from_template(stream)
            for key, value in stream.metadata.items():
                if key not in _ASIDE:
                    target.metadata[key] = value
            if form != "mxf":
                # What a coder calls itself in a container says which of its kinds it is.
                target.codec_context.codec_tag = stream.codec_context.codec_tag
            if stream.type == "video":
                target.codec_context.framerate = source.rate
                target.metadata["timecode"] = label
                if self.reel:
                    target.metadata["reel_name"] = self.reel
                unit = 1 / source.rate / source.base
                ways[stream.index] = _Picture(target, self, zero, unit)
            else:
                length = Fraction(self.count) / source.rate
                ways[stream.index] = _Samples(stream, target, seconds, length, zero * source.base)
        place = max(zero, self.begin)
        source.container.seek(int(place), stream=source.stream, backward=True)
        waiting = set(ways)
        done = 0
        for packet in source.container.demux(streams):
            if not packet.size:
                continue
            way = ways[packet.stream.index]
            over, kept = way.take(packet)
            if kept is not None:
                made.mux(kept)
                done += packet.stream.type == "video"
                progress(f"cutting {self.source.name}", min(1.0, done / self.count))
            if over:
                waiting.discard(packet.stream.index)
                if not waiting:
                    break
        if any(isinstance(way, _Picture) and way.packets != self.count for way in ways.values()):
            raise ValueError("frames are missing")
        return [way.told for way in ways.values()]


class _Way:
    """How the packets of one stream go over: whether it is over, and what is written."""

    def __init__(self) -> None:
        self.sum, self.packets = xxhash.xxh3_128(), 0

    def take(self, packet: Any) -> tuple[bool, Any]:
        raise NotImplementedError

    @property
    def told(self) -> tuple[int, str]:
        return self.packets, self.sum.hexdigest()


class _Picture(_Way):
    """Frames with the times they have at one rate, from the first on."""

    def __init__(self, target: Any, cut: MovieCut, zero: int, unit: Fraction) -> None:
        super().__init__()
        self._target, self._cut, self._zero, self._unit = target, cut, zero, unit

    def take(self, packet: Any) -> tuple[bool, Any]:
        cut = self._cut
        dts = packet.dts if packet.dts is not None else packet.pts
        if dts < cut.begin:
            return False, None
        if cut.end is not None and dts >= cut.end:
            return True, None
        frame = _frame_of(packet.pts, self._zero, self._unit)
        if not cut.first <= frame < cut.first + cut.count:
            return False, None
        self.sum.update(memoryview(packet))
        self.packets += 1
        # Frames that were left out leave no holes in the order of decoding: it counts from one to the next.
        packet.pts = round((frame - cut.first) * self._unit)
        packet.dts = round((self.packets - 1 - cut.delay) * self._unit)
        packet.duration = round(self._unit)
        packet.stream = self._target
        return self.packets == cut.count, packet


class _Samples(_Way):
    """Plain samples, cut to the sample. Times count from ``zero``, when the first picture is on."""

    def __init__(self, stream: Any, target: Any, begin: Fraction, length: Fraction, zero: Fraction) -> None:
        super().__init__()
        self._target = target
        self._rate, self._base = stream.rate, Fraction(stream.time_base)
        self._zero = zero
        self._first = round(begin * self._rate)
        self._last = self._first + round(length * self._rate)
        self._bytes = _block(stream)
        self._at: int | None = None

    def take(self, packet: Any) -> tuple[bool, Any]:
        begin = round((packet.pts * self._base - self._zero) * self._rate)
        count = packet.size // self._bytes
        low, high = max(begin, self._first), min(begin + count, self._last)
        if low >= high:
            return begin >= self._last, None
        data = bytes(packet)[(low - begin) * self._bytes : (high - begin) * self._bytes]
        if low != (self._first if self._at is None else self._at):
            raise ValueError("its sound has holes")
        self._at = high
        made = av.Packet(data)
        made.stream = self._target
        made.time_base = Fraction(1, self._rate)
        made.pts = made.dts = low - self._first
        made.duration = high - low
        self.sum.update(data)
        self.packets += high - low
        return high == self._last, made


def _bits(codec: str) -> int:
    """The bits of a coding of plain samples, as the library names it; 0 for others."""
    if not codec.startswith("pcm_") or any(
        word in codec for word in ("mulaw", "alaw", "vidc", "bluray", "dvd")
    ):
        return 0
    digits = "".join(one for one in codec.removeprefix("pcm_") if one.isdigit())
    return int(digits) if digits in ("8", "16", "24", "32", "64") else 0


def _block(stream: Any) -> int:
    """Bytes of one sample of all channels."""
    return int(stream.channels) * (_bits(stream.codec_context.name) // 8)


def sums_of(path: Path) -> list[tuple[int, str]]:
    """How many frames or samples each stream of a file has, and the sum of their bytes."""
    ways: dict[int, tuple[Any, list[int]]] = {}
    sizes: dict[int, int] = {}
    with av.open(str(path)) as container:
        streams = [one for one in container.streams if one.type in ("video", "audio")]
        for stream in streams:
            ways[stream.index] = xxhash.xxh3_128(), [0]
            sizes[stream.index] = _block(stream) if stream.type == "audio" else 0
        for packet in container.demux(streams):
            if packet.size:
                made, count = ways[packet.stream.index]
                made.update(memoryview(packet))
                size = sizes[packet.stream.index]
                count[0] += packet.size // size if size else 1
    return [(count[0], made.hexdigest()) for made, count in ways.values()]


def _zero(source: Source) -> int:
    """The time of the first frame."""
    stream = source.stream
    if stream.start_time is not None:
        return int(stream.start_time)
    raise NotCut("it does not say when its first frame is on")


def _frame_of(pts: int, zero: int, unit: Fraction) -> int:
    return round((pts - zero) / unit)


def movie_cut(
    path: Path, low: int, high: int, rate: Rate, start: int, drop: bool, reel: str, grid: Rate
) -> MovieCut:
    """How frames ``low`` to ``high`` (exclusive) of a movie can be had as a file of their own, and what comes
    along at its ends; begun, if that can be, where a frame of ``grid`` does. Raises ``NotCut``,
    ``PictureError``."""
    if path.suffix.lower() not in _FORMS:
        raise NotCut("a container of its kind cannot be cut without coding it anew")
    source = Source(path)
    try:
        _refuse(source, rate)
        zero, unit = _zero(source), 1 / source.rate / source.base
        back = Fraction(0)
        while True:
            seen = list(_around(source, zero, unit, low, high, back))
            begin = _beginning(source, seen, low, rate, grid)
            start_seen = low - back * source.rate <= 0
            if begin is not None and (start_seen or back > _BACK or on_grid(seen[begin].frame, rate, grid)):
                break
            if start_seen:
                raise NotCut("there is no frame in it at which decoding could begin")
            back = max(Fraction(_BACK), 2 * back)
        return _limited(path, seen, begin, low, high, rate, start, drop, reel, source)
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise NotCut(f"it cannot be read packet by packet ({error.__class__.__name__})") from None
    finally:
        source.close()


def _refuse(source: Source, rate: Rate) -> None:
    """Raise ``NotCut`` for what cannot go over as it is."""
    if source.counted:
        raise NotCut("its container does not say when a frame is on")
    if Fraction(rate.fps) != source.rate:
        raise NotCut("it goes at another rate than the cut says")
    for stream in source.container.streams:
        if stream.type == "audio":
            if stream.codec_context is None or not _bits(stream.codec_context.name):
                raise NotCut("its sound is coded, and cannot be cut to the sample without coding it anew")
        elif stream.type == "data":
            if "timecode" not in stream.metadata:
                raise NotCut("it holds a track of data that would be lost")
        elif stream.type != "video" or stream.index != source.stream.index:
            raise NotCut(
                f"it holds a second track of {'pictures' if stream.type == 'video' else stream.type}"
            )


def _around(
    source: Source, zero: int, unit: Fraction, low: int, high: int, back: Fraction
) -> Iterator[_Seen]:
    """The packets from ``back`` seconds before ``low`` to one behind ``high`` at which decoding can begin."""
    if source.intra and not back:
        listed = _indexed(source, zero, unit, low, high)
        if listed:
            yield from listed
            return
    target = zero + int((low - back * source.rate) * unit)
    if target <= zero:
        source.open()
    else:
        source.container.seek(target, stream=source.stream, backward=True)
    behind = 0
    for count, packet in enumerate(source.container.demux(source.stream)):
        if not packet.size:
            continue
        if packet.pts is None or count > _MOST:
            raise NotCut("it does not say when each frame is on")
        frame = _frame_of(packet.pts, zero, unit)
        if abs(zero + frame * unit - packet.pts) > unit / 4:
            raise NotCut("its frames do not come at one rate")
        dts = packet.dts if packet.dts is not None else packet.pts
        yield _Seen(frame, packet.pts, dts, packet.size, bool(packet.is_keyframe))
        behind += packet.is_keyframe and frame >= high
        if behind > 1:
            return


def _indexed(source: Source, zero: int, unit: Fraction, low: int, high: int) -> list[_Seen]:
    """The same of frames that stand for themselves, from the index of the container: nothing of them is read.
    Empty where it has none that names every frame."""
    entries = getattr(source.stream, "index_entries", None)
    if not entries or len(entries) != source.stream.frames:
        return []
    seen = []
    for place in range(low, min(high + 1, len(entries))):
        entry = entries[place]
        if _frame_of(entry.timestamp, zero, unit) != place or not entry.is_keyframe:
            return []
        seen.append(_Seen(place, entry.timestamp, entry.timestamp, entry.size, True))
    return seen


def _beginning(source: Source, seen: list[_Seen], low: int, rate: Rate, grid: Rate) -> int | None:
    """The place in the list at which the stretch begins; None where that lies before what was seen. Its
    sound has to begin with a whole sample."""
    rates = [Fraction(one.rate) for one in source.container.streams.audio if one.rate]
    found = None
    for place, one in enumerate(seen):
        whole = all((one.frame / source.rate * each).denominator == 1 for each in rates)
        if one.key and one.frame <= low and whole and (found is None or on_grid(one.frame, rate, grid)):
            found = place
    return found


def on_grid(frame: int, rate: Rate, grid: Rate) -> bool:
    """Whether a frame begins where one of another rate does.

    >>> on_grid(6, Rate(30), Rate(25)), on_grid(7, Rate(30), Rate(25))
    (True, False)
    """
    return grid.frames(rate.seconds(frame)) % 1 == 0


def _limited(
    path: Path,
    seen: list[_Seen],
    begin: int,
    low: int,
    high: int,
    rate: Rate,
    start: int,
    drop: bool,
    reel: str,
    source: Source,
) -> MovieCut:
    head = seen[begin]
    wanted = set(range(head.frame, high))
    end = None
    for place in range(begin, len(seen)):
        if not wanted and seen[place].key:
            end = place
            break
        wanted.discard(seen[place].frame)
    kept = [one for one in seen[begin:end] if one.frame >= head.frame]
    frames = sorted(one.frame for one in kept)
    if frames != list(range(head.frame, head.frame + len(frames))):
        raise NotCut("its frames do not follow one another")
    sound = sum(
        Fraction(one.rate) * one.channels * _bits(one.codec_context.name) / 8
        for one in source.container.streams.audio
    )
    size = sum(one.size for one in kept) + int(sound * len(frames) / source.rate) + 65536
    delay = max(place - (one.frame - head.frame) for place, one in enumerate(kept))
    stop = seen[end].dts if end is not None else None
    return MovieCut(path, head.frame, len(frames), size, rate, start, drop, reel, head.dts, stop, delay)
