"""The frames of a recording as they are coded anew, whatever file of it they lie in, and the codings there
are."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from functools import cache
from itertools import islice
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.codec.context import Flags
from av.video.reformatter import ColorRange, Colorspace, VideoReformatter

from wexodos.footage.movie import Movie
from wexodos.footage.order import Orders
from wexodos.footage.source import Source
from wexodos.sound.spans import next_part
from wexodos.timing import Rate

KEPT = 64 << 20
"""Bytes of frames that were decoded on the way."""
_TIMES = 2000
_REORDERED = 16
"""So many frames are looked at for whether they come at one rate; so many may be decoded before their
turn."""
_BT709 = 1
"""What ITU-T H.273 calls BT.709."""
_SPELLED = {"1 channels": "mono", "2 channels": "stereo"}


class Anew(StrEnum):
    """How what cannot be cut as it is, or only at some of its frames, is coded anew."""

    NONE = "none"
    PRORES = "prores"
    DNXHR = "dnxhr"


@dataclass(frozen=True, slots=True)
class Coder:
    """A coding: what it is called, its coder, and for plain and for full colour the form of its pictures and
    its options; the form of those with an alpha, where it has one."""

    words: str
    name: str
    plain: tuple[str, str]
    full: tuple[str, str]
    alpha: str | None


CODERS = {
    Anew.PRORES: Coder(
        "ProRes 422 HQ", "prores_ks", ("yuv422p10le", "3"), ("yuv444p10le", "4"), "yuva444p10le"
    ),
    Anew.DNXHR: Coder("DNxHR HQX", "dnxhd", ("yuv422p10le", "dnxhr_hqx"), ("yuv444p10le", "dnxhr_444"), None),
}


@cache
def offered() -> tuple[Anew, ...]:
    """The codings that can be written here: each was tried."""
    return tuple(one for one in Anew if one is Anew.NONE or _works(CODERS[one]))


def _works(coder: Coder) -> bool:
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


def _full(form: Any) -> bool:
    """Whether every pixel has its own colour."""
    return all(one.width == form.width for one in form.components)


def even(source: Source) -> bool:
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


class Recorded:
    """The frames of a recording that begins with a file, counted in ``rate``. Raises ``PictureError``."""

    def __init__(self, path: Path, rate: Rate) -> None:
        self._rate, self._parts = Fraction(rate.fps), [path]
        self._open: tuple[int, Movie] | None = None
        self._orders, self._forms = Orders(), VideoReformatter()
        source = Source(path)
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

    def __enter__(self) -> Recorded:
        return self

    def __exit__(self, *_: object) -> None:
        if self._open is not None:
            self._open[1].close()

    def stream(self, made: Any, coding: Anew, fps: Fraction) -> Any:
        """The stream in a container that takes the frames."""
        coder, parts = CODERS[coding], self._format.components
        form, profile = coder.full if self._format.is_rgb or _full(self._format) else coder.plain
        if coder.alpha is not None and any(one.is_alpha for one in parts):
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
        if self._format.is_rgb:
            context.colorspace = _BT709
        if self._tags[3]:
            # These codings are of the narrow range.
            context.color_range = int(ColorRange.MPEG)
        return stream

    def frame(self, number: int, form: str) -> av.VideoFrame:
        """A frame of the recording in a form of the library, in the narrow range. Raises ``PictureError``."""
        place = 0
        while True:
            movie = self._movie(place)
            here = movie.count
            behind = number - round(here * self._rate / movie.rate) if here is not None else -1
            if behind < 0 or not self._goes_on(place):
                break
            number, place = behind, place + 1
        frame = movie.frame(number, self._rate)
        # Red, green and blue have no matrix yet; of interlaced frames each field is taken for itself.
        coded = Colorspace.ITU709 if frame.format.is_rgb else None
        return self._forms.reformat(
            frame, format=form, dst_colorspace=coded, dst_color_range=ColorRange.MPEG, threads=2
        )

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
            self._open = place, Movie(self._parts[place], self._orders, KEPT)
        return self._open[1]
