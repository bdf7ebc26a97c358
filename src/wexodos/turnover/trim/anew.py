"""A stretch of a movie or a coded sound as a file of its own, coded anew: for what cannot be cut as it is,
where a person asks for it.

The picture is coded frame by frame, each the one that is on there; its size, pixel aspect, fields, colour
tags and timecode stay. Sound becomes plain samples, in as many streams as before.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from functools import cache
from itertools import islice
from pathlib import Path
from typing import Any

import av
import numpy as np
import xxhash
from av.codec.context import Flags
from av.video.reformatter import ColorRange, VideoReformatter
from numpy.typing import NDArray

from wexodos.footage.movie import Movie
from wexodos.footage.order import Orders
from wexodos.footage.source import PictureError, Source
from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.ground.files import reason
from wexodos.sound.convert import packed
from wexodos.sound.decode import blocks
from wexodos.sound.decode import facts as sound_facts
from wexodos.sound.errors import SoundError
from wexodos.sound.heads import wave_head
from wexodos.sound.spans import next_part
from wexodos.timing import Rate, Timecode, floor
from wexodos.turnover.trim.cut import NotCut
from wexodos.turnover.trim.movie import sums_of

_BITS = 24
_AT_ONCE = 250
"""So many frames are written before the sound that belongs to them."""
_LOOKED_AT = 12
"""So many frames are held against the source, spread over the stretch."""
_NEAR = 30.0
"""Decibels: what a picture that was coded anew may differ from its own at the most (peak signal to noise,
of 16 bits). Noise in every pixel comes to 38, another frame to 10."""
_KEPT = 64 << 20
_TIMES = 2000
_REORDERED = 16
"""So many frames are looked at for whether they come at one rate; so many may be decoded before their
turn."""


class Anew(StrEnum):
    """How what cannot be cut as it is, or only at some of its frames, is coded anew."""

    NONE = "none"
    PRORES = "prores"
    DNXHR = "dnxhr"


@dataclass(frozen=True, slots=True)
class _Coder:
    """A coding: what it is called, its coder, and for plain and for full colour the form of its pictures and
    its options; the form of those with an alpha, where it has one."""

    words: str
    name: str
    plain: tuple[str, str]
    full: tuple[str, str]
    alpha: str | None


_CODERS = {
    Anew.PRORES: _Coder(
        "ProRes 422 HQ", "prores_ks", ("yuv422p10le", "3"), ("yuv444p10le", "4"), "yuva444p10le"
    ),
    Anew.DNXHR: _Coder(
        "DNxHR HQX", "dnxhd", ("yuv422p10le", "dnxhr_hqx"), ("yuv444p10le", "dnxhr_444"), None
    ),
}


@cache
def offered() -> tuple[Anew, ...]:
    """The codings that can be written here: each was tried."""
    return tuple(one for one in Anew if one is Anew.NONE or _works(_CODERS[one]))


def _works(coder: _Coder) -> bool:
    try:
        context: Any = av.CodecContext.create(coder.name, "w")
        context.width, context.height, context.time_base = 320, 180, Fraction(1, 25)
        context.pix_fmt, context.options = coder.plain[0], {"profile": coder.plain[1]}
        # A picture of nothing in particular would hold numbers that are none, at which a coder may abort.
        black = av.VideoFrame.from_ndarray(np.zeros((180, 320, 3), np.uint8), format="rgb24")
        frame = black.reformat(format=coder.plain[0])
        frame.pts = 0
        return bool([*context.encode(frame), *context.encode(None)])
    except (av.error.FFmpegError, ValueError):
        return False


@dataclass(frozen=True, slots=True)
class CodedCut:
    """``start`` frames after timecode zero is where the source begins, ``reel`` what it is called; it goes at
    ``rate``, coded as ``coding``."""

    source: Path
    first: int
    count: int
    rate: Rate
    start: int
    drop: bool
    reel: str
    coding: Anew

    suffix = ".mov"

    @property
    def anew(self) -> str:
        """See ``Cut``."""
        return _CODERS[self.coding].words

    def head(self, frames: int) -> CodedCut:
        """See ``Cut``."""
        return replace(self, count=min(self.count, frames))

    @property
    def size(self) -> int:
        source = Source(self.source)
        try:
            codec = source.stream.codec_context
            picture = codec.width * codec.height * self.count * _A_PIXEL
            sound = sum(one.channels * one.rate * 3 for one in source.container.streams.audio)
            return 65536 + int(picture + float(self.rate.seconds(self.count)) * sound)
        finally:
            source.close()

    def write(self, path: Path, progress: Progress) -> None:
        """See ``Cut.write``."""
        try:
            with _Pictures(self) as pictures:
                sums = self._written(path, pictures, progress)
                back = sums_of(path)
                if back != sums:
                    raise WriteError(f"{path}: what was read back differs from what was written")
                self._look(path, pictures)
        except (av.error.FFmpegError, ValueError) as error:
            raise WriteError(f"{self.source}: cannot be coded anew ({error.__class__.__name__})") from None
        except (PictureError, SoundError) as error:
            raise WriteError(str(error)) from None
        except OSError as error:
            raise WriteError(f"{path}: cannot be written: {reason(error)}") from None

    def _written(self, path: Path, pictures: _Pictures, progress: Progress) -> list[tuple[int, str]]:
        """Write the file; how many frames or samples each stream has, and the sum of its bytes."""
        fps = Fraction(self.rate.fps)
        rate = pictures.sample_rate
        with av.open(
            str(path), "w", format="mov", container_options={"movflags": "use_metadata_tags"}
        ) as made:
            stream = pictures.stream(made, self.coding, fps)
            stream.metadata["timecode"] = str(Timecode(self.start + self.first, self.rate, self.drop))
            if self.reel:
                stream.metadata["reel_name"] = self.reel
            voices: list[Any] = []
            for layout, tags in pictures.voices:
                voices.append(made.add_stream("pcm_s24le", rate=rate, layout=layout))
                for key, value in tags.items():
                    voices[-1].metadata[key] = value
            sums = [xxhash.xxh3_128() for _ in (stream, *voices)]
            counts = [0] * len(sums)

            def mux(place: int, packets: list[Any]) -> None:
                for packet in packets:
                    sums[place].update(memoryview(packet))
                    counts[place] += packet.size // (voices[place - 1].channels * 3) if place else 1
                    made.mux(packet)

            for low in range(0, self.count, _AT_ONCE):
                high = min(self.count, low + _AT_ONCE)
                for number in range(low, high):
                    progress(f"coding {self.source.name} anew", number / self.count)
                    frame = pictures.frame(self.first + number, stream.pix_fmt)
                    frame.pts, frame.time_base = number, 1 / fps
                    mux(0, stream.encode(frame))
                taken = 1
                for place, voice in enumerate(voices, 1):
                    mux(place, voice.encode(self._sound(low, high, taken, voice)))
                    taken += voice.channels
            for place, one in enumerate((stream, *voices)):
                mux(place, one.encode(None))
        return [(count, one.hexdigest()) for count, one in zip(counts, sums)]

    def _sound(self, low: int, high: int, channel: int, voice: Any) -> av.AudioFrame:
        """The samples of a stream during so many frames of the stretch, from ``channel`` of the source on, as
        24 bits in the upper part of 32."""
        rate = voice.rate
        begin, first, end = (floor(self.rate.seconds(self.first + one) * rate) for one in (0, low, high))
        whole = _whole(self.source, channel, voice.channels, first, end - first).astype(np.int32) << 8
        frame = av.AudioFrame.from_ndarray(whole.reshape(1, -1), format="s32", layout=voice.layout.name)
        frame.sample_rate, frame.time_base, frame.pts = rate, Fraction(1, rate), first - begin
        return frame

    def _look(self, path: Path, pictures: _Pictures) -> None:
        """Hold some of the frames against their source. Raises ``WriteError`` where one is another
        picture."""
        movie = Movie(path, Orders(), _KEPT)
        try:
            step = max(1, self.count // _LOOKED_AT)
            for number in sorted({*range(0, self.count, step), self.count - 1}):
                meant = pictures.frame(self.first + number, "yuv444p16le").to_ndarray()
                seen = VideoReformatter().reformat(movie.frame(number, None), format="yuv444p16le")
                if _distance(meant, seen.to_ndarray()) < _NEAR:
                    raise WriteError(f"{path}: frame {number} does not show what the source does")
        finally:
            movie.close()


@dataclass(frozen=True, slots=True)
class PlainCut:
    """A stretch of coded sound as plain samples: ``count`` of them from ``first`` on, of ``channels`` at
    ``rate``; ``start`` is the time of the source's first sample."""

    source: Path
    first: int
    count: int
    channels: int
    rate: int
    start: int

    suffix = ".wav"
    anew = "WAVE, 24 bits"

    def head(self, frames: int) -> PlainCut:
        """See ``Cut``."""
        return replace(self, count=min(self.count, self.rate))

    @property
    def size(self) -> int:
        return 1024 + self.count * self.channels * 3

    def write(self, path: Path, progress: Progress) -> None:
        """See ``Cut.write``."""
        meant, back = xxhash.xxh3_128(), xxhash.xxh3_128()
        try:
            with path.open("xb") as made:
                for data in self._blocks(progress):
                    meant.update(data)
                    made.write(data)
            with path.open("rb") as made:
                while data := made.read(1 << 20):
                    back.update(data)
        except SoundError as error:
            raise WriteError(str(error)) from None
        except OSError as error:
            raise WriteError(f"{path}: cannot be written: {reason(error)}") from None
        if back.digest() != meant.digest():
            raise WriteError(f"{path}: what was read back differs from what was written")

    def _blocks(self, progress: Progress) -> Iterator[bytes]:
        yield wave_head(
            self.count, self.rate, _BITS, self.start + self.first, self.source.name, channels=self.channels
        )
        step = 10 * self.rate
        for low in range(0, self.count, step):
            progress(f"coding {self.source.name} anew", low / self.count)
            count = min(step, self.count - low)
            whole = _whole(self.source, 1, self.channels, self.first + low, count)
            yield from packed([whole.ravel() / (1 << (_BITS - 1))], _BITS, False)
        yield b"\0" * (self.count * self.channels * 3 & 1)


_A_PIXEL = 0.6
"""Bytes a pixel takes, about."""
_SPELLED = {"1 channels": "mono", "2 channels": "stereo"}


def _distance(one: NDArray[Any], other: NDArray[Any]) -> float:
    """Peak signal to noise in dB."""
    if one.shape != other.shape:
        return 0.0
    mean = float(np.mean(np.square(one.astype(np.float32) - other.astype(np.float32))))
    return 10 * float(np.log10(65535.0**2 / max(mean, 1e-9)))


def _whole(path: Path, channel: int, count: int, first: int, samples: int) -> NDArray[np.float64]:
    """Samples of ``count`` channels from ``channel`` on as whole numbers of 24 bits, shape (samples, count);
    what is louder than they can be is as loud as they are."""
    rows = [
        np.concatenate([*blocks(path, each, first, samples), np.zeros(0)])
        for each in range(channel, channel + count)
    ]
    full = 1 << (_BITS - 1)
    whole: NDArray[np.float64] = np.clip(np.rint(np.stack(rows, axis=1) * full), -full, full - 1)
    return whole


def _full(form: Any) -> bool:
    """Whether every pixel has its own colour."""
    return all(one.width == form.width for one in form.components)


def _shares_lines(form: Any) -> bool:
    """Whether two lines have one colour."""
    return any(one.height < form.height for one in form.components)


def _rows(plane: Any) -> NDArray[np.uint8]:
    """The lines of a plane, shape (lines, bytes)."""
    return np.frombuffer(plane, np.uint8).reshape(-1, plane.line_size)[: plane.height]


def _put(plane: Any, rows: NDArray[np.uint8]) -> None:
    """Write lines into a plane, whose lines may be longer in memory."""
    whole = np.zeros((plane.height, plane.line_size), np.uint8)
    wide = min(plane.line_size, rows.shape[1])
    whole[: len(rows), :wide] = rows[:, :wide]
    plane.update(whole.tobytes())


def coded_cut(
    path: Path, low: int, high: int, rate: Rate, start: int, drop: bool, reel: str, anew: Anew
) -> CodedCut:
    """Frames ``low`` to ``high`` (exclusive) of a recording, coded anew; begun where a sample does. Raises
    ``NotCut``, ``PictureError``."""
    source = Source(path)
    try:
        for stream in source.container.streams:
            if stream.type == "data" and "timecode" not in stream.metadata:
                raise NotCut("it holds a track of data that would be lost")
            if stream.type == "video" and stream.index != source.stream.index:
                raise NotCut("it holds a second track of pictures")
        if Fraction(rate.fps) != source.rate and _even(source):
            raise NotCut("it goes at another rate than the cut says")
        rates = {one.rate for one in source.container.streams.audio}
        if len(rates) > 1:
            raise NotCut("it holds sound at two rates")
        while low and any((rate.seconds(low) * each) % 1 for each in rates):
            low -= 1
        return CodedCut(path, low, high - low, rate, start, drop, reel, anew)
    finally:
        source.close()


def _even(source: Source) -> bool:
    """Whether frames come at the rate their file says, as far as is looked."""
    if source.counted:
        return True
    unit = 1 / source.rate / source.base
    packets = islice(source.container.demux(source.stream), _TIMES)
    times = [one.pts for one in packets if one.size and one.pts is not None]
    steps = sorted(Fraction(one - min(times)) / unit for one in times)
    # In the order of decoding the last ones that were looked at have others before them that were not.
    steps = steps[: max(2, len(steps) - _REORDERED)]
    return all(abs(one - number) < Fraction(1, 4) for number, one in enumerate(steps))


def plain_cut(path: Path, low: int, high: int, start: int) -> PlainCut:
    """Samples ``low`` to ``high`` (exclusive) of coded sound whose first sample is on at ``start``. Raises
    ``SoundError``."""
    told = sound_facts(path)
    return PlainCut(path, low, min(high, told.frames) - low, told.channels, told.rate, start)


class _Pictures:
    """The frames of a recording, whatever file of it they lie in, as they are coded."""

    def __init__(self, cut: CodedCut) -> None:
        self._cut, self._parts = cut, [cut.source]
        self._open: tuple[int, Movie] | None = None
        self._counts: list[int] = []
        self._orders, self._forms = Orders(), VideoReformatter()
        source = Source(cut.source)
        try:
            codec = source.stream.codec_context
            self._size = codec.width, codec.height
            self._aspect = source.stream.sample_aspect_ratio
            self._tags = codec.color_primaries, codec.color_trc, codec.colorspace, int(codec.color_range)
            self._fields, self._format = source.fields, codec.format
            heard = source.container.streams.audio
            self.sample_rate = next((one.rate for one in heard), 0)
            names = [str(one.layout.name) for one in heard]
            self.voices = [(_SPELLED.get(name, name), dict(one.metadata)) for name, one in zip(names, heard)]
        finally:
            source.close()

    def __enter__(self) -> _Pictures:
        return self

    def __exit__(self, *_: object) -> None:
        if self._open is not None:
            self._open[1].close()

    def stream(self, made: Any, coding: Anew, fps: Fraction) -> Any:
        """The stream in a container that takes the frames. Raises ``ValueError``."""
        coder, parts = _CODERS[coding], self._format.components
        form, profile = coder.full if self._format.is_rgb or _full(self._format) else coder.plain
        if any(one.is_alpha for one in parts):
            if coder.alpha is None:
                raise ValueError("no alpha")
            form, profile = coder.alpha, coder.full[1]
        options = {"profile": profile}
        if self._fields in ("upper", "lower"):
            options["field_order"] = "tt" if self._fields == "upper" else "bb"
        stream = made.add_stream(coder.name, rate=fps, options=options)
        stream.width, stream.height = self._size
        stream.pix_fmt, stream.time_base = form, 1 / fps
        context = stream.codec_context
        if "field_order" in options:
            context.flags |= Flags.interlaced_dct
        if self._aspect:
            context.sample_aspect_ratio = self._aspect
        context.color_primaries, context.color_trc, context.colorspace = self._tags[:3]
        if self._tags[3]:
            # These codings are of the narrow range.
            context.color_range = int(ColorRange.MPEG)
        return stream

    def frame(self, number: int, form: str) -> av.VideoFrame:
        """A frame of the recording in a form of the library, in the narrow range. Raises ``PictureError``."""
        cut = self._cut
        place = 0
        while True:
            movie = self._movie(place)
            here = movie.count
            behind = number - round(here * Fraction(cut.rate.fps) / movie.rate) if here is not None else -1
            if behind < 0 or not self._goes_on(place):
                break
            number, place = behind, place + 1
        frame = movie.frame(number, Fraction(cut.rate.fps))
        if self._fields in ("upper", "lower") and _shares_lines(frame.format):
            return self._by_fields(frame, form)
        return self._formed(frame, form)

    def _formed(self, frame: av.VideoFrame, form: str) -> av.VideoFrame:
        return self._forms.reformat(frame, format=form, dst_color_range=ColorRange.MPEG, threads=2)

    def _by_fields(self, frame: av.VideoFrame, form: str) -> av.VideoFrame:
        """Each field by itself: the colours of one do not belong to the lines of the other."""
        made = av.VideoFrame(frame.width, frame.height, form)
        halves = []
        for lines in (0, 1):
            half = av.VideoFrame(frame.width, frame.height // 2, frame.format.name)
            half.colorspace, half.color_range = frame.colorspace, frame.color_range
            for whole, part in zip(frame.planes, half.planes, strict=True):
                _put(part, _rows(whole)[lines::2][: part.height])
            halves.append([_rows(one) for one in self._formed(half, form).planes])
        for plane, *fields in zip(made.planes, *halves, strict=True):
            woven = np.empty((plane.height, fields[0].shape[1]), np.uint8)
            woven[0::2], woven[1::2] = fields
            _put(plane, woven)
        return made

    def _goes_on(self, place: int) -> bool:
        if place + 1 < len(self._parts):
            return True
        following = next_part(self._parts[place])
        if following is not None:
            self._parts.append(following)
        return following is not None

    def _movie(self, place: int) -> Movie:
        if self._open is None or self._open[0] != place:
            if self._open is not None:
                self._open[1].close()
            self._open = place, Movie(self._parts[place], self._orders, _KEPT)
        return self._open[1]
