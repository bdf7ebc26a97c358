"""Movies and single pictures as rooms write them."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from wexodos.formats import WriteError
from wexodos.formats.numbering import pattern_of
from wexodos.timing import Rate, Timecode


def write_pictures(
    path: Path,
    rate: Rate,
    size: tuple[int, int],
    start: Timecode | None,
    pictures: Iterable[NDArray[np.uint8]],
) -> None:
    """Write pictures, shape (height, width, 3), of a size (width, height): a movie, or single pictures from
    1001 on where the name is a pattern. ``start`` is the timecode of the first. Raises ``WriteError``."""
    single = pattern_of(path.name) is not None
    form, options = ("image2", {"start_number": "1001"}) if single else (None, None)
    try:
        with av.open(str(path), "w", format=form, options=options) as out:
            coder = ("dpx", {}) if single else ("prores_ks", {"profile": "2"})
            stream: Any = out.add_stream(coder[0], rate=Fraction(rate.fps), options=coder[1])
            stream.width, stream.height = size
            stream.pix_fmt = "gbrp10le" if single else "yuv422p10le"
            if start is not None:
                out.metadata["timecode"] = str(start)
            for number, picture in enumerate(pictures):
                frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="rgb24")
                frame.pts, frame.time_base = number, 1 / Fraction(rate.fps)
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
    except (av.error.FFmpegError, OSError) as error:
        raise WriteError(f"{path}: cannot be rendered ({error.__class__.__name__})") from None
