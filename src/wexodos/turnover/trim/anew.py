"""A stretch of a movie or a coded sound as a file of its own, coded anew: for what cannot be cut as it is,
where a person asks for it.

The picture is coded frame by frame, each the one that is on there; its size, pixel aspect, fields, colour
tags and timecode stay. Sound becomes plain samples, in as many streams as before.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import xxhash
from av.video.reformatter import VideoReformatter
from numpy.typing import NDArray

from wexodos.footage.movie import Movie
from wexodos.footage.order import Orders
from wexodos.footage.source import PictureError, Source
from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.ground.files import reason
from wexodos.sound.errors import SoundError
from wexodos.timing import Rate, Timecode, floor
from wexodos.turnover.trim.cut import NotCut
from wexodos.turnover.trim.movie import sums_of
from wexodos.turnover.trim.plain import whole_samples
from wexodos.turnover.trim.recorded import CODERS, KEPT, Anew, Recorded, even

_AT_ONCE = 250
"""So many frames are written before the sound that belongs to them."""
_LOOKED_AT = 12
"""So many frames are held against the source, spread over the stretch."""
_NEAR = 30.0
"""Decibels: what a picture that was coded anew may differ from its own at the most (peak signal to noise,
of 16 bits). Noise in every pixel comes to 38, another frame to 10."""


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
        return CODERS[self.coding].words

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
            with Recorded(self.source, self.rate) as pictures:
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

    def _written(self, path: Path, pictures: Recorded, progress: Progress) -> list[tuple[int, str]]:
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
        whole = whole_samples(self.source, channel, voice.channels, first, end - first).astype(np.int32) << 8
        frame = av.AudioFrame.from_ndarray(whole.reshape(1, -1), format="s32", layout=voice.layout.name)
        frame.sample_rate, frame.time_base, frame.pts = rate, Fraction(1, rate), first - begin
        return frame

    def _look(self, path: Path, pictures: Recorded) -> None:
        """Hold some of the frames against their source. Raises ``WriteError`` where one is another
        picture."""
        movie = Movie(path, Orders(), KEPT)
        try:
            step = max(1, self.count // _LOOKED_AT)
            for number in sorted({*range(0, self.count, step), self.count - 1}):
                meant = pictures.frame(self.first + number, "yuv444p16le").to_ndarray()
                seen = VideoReformatter().reformat(movie.frame(number, None), format="yuv444p16le")
                if _distance(meant, seen.to_ndarray()) < _NEAR:
                    raise WriteError(f"{path}: frame {number} does not show what the source does")
        finally:
            movie.close()


_A_PIXEL = 0.6
"""Bytes a pixel takes, about."""


def _distance(one: NDArray[Any], other: NDArray[Any]) -> float:
    """Peak signal to noise in dB."""
    if one.shape != other.shape:
        return 0.0
    mean = float(np.mean(np.square(one.astype(np.float32) - other.astype(np.float32))))
    return 10 * float(np.log10(65535.0**2 / max(mean, 1e-9)))


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
        form = source.stream.codec_context.format
        if CODERS[anew].alpha is None and any(one.is_alpha for one in form.components):
            raise NotCut("its alpha would be lost")
        if Fraction(rate.fps) != source.rate and even(source):
            raise NotCut("it goes at another rate than the cut says")
        rates = {one.rate for one in source.container.streams.audio}
        if len(rates) > 1:
            raise NotCut("it holds sound at two rates")
        while low and any((rate.seconds(low) * each) % 1 for each in rates):
            low -= 1
        return CodedCut(path, low, high - low, rate, start, drop, reel, anew)
    finally:
        source.close()
