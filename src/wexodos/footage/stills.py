"""Single picture files, read whole: 8 or 16 bits or float, grey or colour, with or without alpha, upright.

Read by OpenImageIO, which keeps depth and knows DPX and OpenEXR; what it does not know, by Pillow.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from PIL import Image

from wexodos.footage.source import MOST_PIXELS, PictureError
from wexodos.formats.numbering import PICTURE_SUFFIXES
from wexodos.timing.rates import COMMON_RATES

_LOUD = frozenset((".jp2", ".j2k"))
"""Kinds of which the library writes remarks on standard output; Pillow reads them, at 8 bits."""
_PREFERRED = (("R", "G", "B", "A"), ("red", "green", "blue", "alpha"), ("Y", "A"), ("I", "A"))
"""Channels by their names, where a file has more than are seen."""
_TRANSFERS = (
    ("srgb", "sRGB"),
    ("lin", "linear"),
    ("printing density", "printing density"),
    ("log", "log"),
    ("smpte 274m", "BT.709"),
    ("itu-r 709", "BT.709"),
    ("rec709", "BT.709"),
    ("itu-r 601", "BT.601"),
)
_BITS = {"uint8": 8, "int8": 8, "uint16": 16, "int16": 16, "half": 16, "double": 64}


@dataclass(frozen=True, slots=True)
class StillFacts:
    """What a picture file says of itself; size as it is seen. ``floating`` says that values are not bound to
    0 to 1; ``timecode`` is a label, ``rate`` frames a second, of files that are frames of a sequence."""

    width: int
    height: int
    bits: int
    floating: bool
    channels: int
    alpha: bool
    form: str
    turned: int
    pixel_aspect: Fraction
    timecode: str = ""
    rate: Fraction | None = None
    reel: str = ""
    transfer: str = ""


def still_facts(path: Path) -> StillFacts:
    """The facts of a picture file, which is read to its end: one that was cut off says its size all the same.
    Raises ``PictureError``."""
    with _opened(path) as file:
        if file is None:
            return _other_facts(path)
        spec = file.spec()
        if not _read(file, path).size:
            raise PictureError(f"{path}: the picture cannot be read")
        turn = int(spec.getattribute("Orientation") or 1)
        wide, tall = (spec.height, spec.width) if turn > 4 else (spec.width, spec.height)
        names = [name.rpartition(".")[2] for name in spec.channelnames]
        aspect = Fraction(float(spec.getattribute("PixelAspectRatio") or 1)).limit_denominator(1000)
        kind = str(spec.format)
        return StillFacts(
            wide,
            tall,
            int(spec.getattribute("oiio:BitsPerSample") or _BITS.get(kind, 32)),
            kind in ("half", "float", "double"),
            spec.nchannels,
            "A" in names,
            str(file.format_name()),
            turn,
            aspect if aspect > 0 else Fraction(1),
            _timecode(spec),
            _rate(spec),
            str(spec.getattribute("dpx:InputDevice") or spec.getattribute("reelName") or ""),
            _transfer(str(spec.getattribute("dpx:Transfer") or spec.getattribute("oiio:ColorSpace") or "")),
        )


def custom_alpha(path: Path) -> str | None:
    """How colours stand to alpha by a format's own rule: OpenEXR's are multiplied by it."""
    return "black" if path.suffix.lower() == ".exr" else None


def still(path: Path, most: tuple[int, int] | None) -> NDArray[np.float32]:
    """A picture file, upright, as its values stand, not multiplied by its alpha; shape (height, width, 4).
    ``most`` (width, height) lets a larger one be made smaller. Raises ``PictureError``."""
    with _opened(path) as file:
        made = _other(path) if file is None else _four(_read(file, path), _chosen(file.spec()))
        turn = 1 if file is None else int(file.spec().getattribute("Orientation") or 1)
    made = upright(made, turn)
    size = reduced(made.shape[1], made.shape[0], most)
    if size != (made.shape[1], made.shape[0]):
        made = np.asarray(cv2.resize(made, size, interpolation=cv2.INTER_AREA), np.float32)
    return np.ascontiguousarray(made)


def reduced(width: int, height: int, most: tuple[int, int] | None) -> tuple[int, int]:
    """The size to decode at: not more than about ``most``, in the same shape."""
    if most is None or (width <= most[0] and height <= most[1]):
        return width, height
    share = min(1.0, max(most[0] / width, most[1] / height))
    return max(1, round(width * share)), max(1, round(height * share))


def upright(picture: NDArray[np.float32], turn: int) -> NDArray[np.float32]:
    """A picture as it is meant to be seen; ``turn`` is the tag Orientation of TIFF 6.0 and EXIF (1 to 8)."""
    if turn in (2, 3):
        picture = picture[:, ::-1]
    if turn in (3, 4):
        picture = picture[::-1]
    if turn in (5, 6, 7, 8):
        # Rows are the columns that are seen.
        picture = picture.swapaxes(0, 1)
    if turn in (6, 7):
        picture = picture[:, ::-1]
    if turn in (7, 8):
        picture = picture[::-1]
    return picture


@contextmanager
def _opened(path: Path) -> Iterator[Any]:
    """The file opened by OpenImageIO; None where that does not know it."""
    suffix = path.suffix.lower()
    if suffix in _LOUD:
        yield None
        return
    if suffix == ".png":
        _sound_png(path)
    # Made anew each time: the library complains of what is still held when the program ends.
    wish = oiio.ImageSpec()
    wish.attribute("oiio:UnassociatedAlpha", 1)
    file = oiio.ImageInput.open(str(path), wish)
    if file is None:
        _forgotten(oiio.geterror)
        if suffix in PICTURE_SUFFIXES:
            raise PictureError(f"{path}: the picture cannot be read")
        yield None
        return
    try:
        spec = file.spec()
        if spec.width * spec.height > MOST_PIXELS or spec.depth > 1 or spec.nchannels > 256:
            raise PictureError(f"{path}: its picture is too large")
        yield file
    except UnicodeDecodeError:
        raise PictureError(f"{path}: the picture cannot be read: its head is damaged") from None
    finally:
        file.close()


def _forgotten(error: Callable[[], str]) -> None:
    """Take an error away from the library, whatever letters are in it."""
    with suppress(UnicodeDecodeError):
        error()


def _sound_png(path: Path) -> None:
    """Raise ``PictureError`` where a part of a PNG is not what its sum says: the library would write about it
    where everybody sees it."""
    try:
        with Image.open(path) as image:
            image.verify()
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise PictureError(f"{path}: the picture cannot be read ({error.__class__.__name__})") from None


def _read(file: Any, path: Path) -> NDArray[np.float32]:
    data = file.read_image(0, 0, 0, file.spec().nchannels, "float")
    if data is None or file.has_error:
        _forgotten(file.geterror)
        raise PictureError(f"{path}: the picture cannot be read to its end")
    return np.asarray(data, np.float32).reshape(file.spec().height, file.spec().width, -1)


def _chosen(spec: Any) -> list[int]:
    """Which channels are seen: one, two, three or four."""
    names = list(spec.channelnames)
    for wanted in _PREFERRED:
        if set(wanted[:-1]) <= set(names):
            return [names.index(name) for name in wanted if name in names]
    return list(range(min(4, spec.nchannels)))


def _four(data: NDArray[np.float32], chosen: list[int]) -> NDArray[np.float32]:
    made = np.ones((*data.shape[:2], 4), np.float32)
    made[..., :3] = data[..., chosen[:3]] if len(chosen) > 2 else data[..., chosen[:1]]
    if len(chosen) in (2, 4):
        made[..., 3] = data[..., chosen[-1]]
    return made


def _transfer(told: str) -> str:
    """How brightness is coded, in the words of everybody; empty where it is not said, or by the library only
    to itself."""
    bare = told.casefold()
    return next((words for start, words in _TRANSFERS if bare.startswith(start)), "")


def _timecode(spec: Any) -> str:
    """The label of a frame: two words of 32 bits after SMPTE 12M, a digit in every four bits."""
    told = spec.getattribute("smpte:TimeCode")
    if not isinstance(told, tuple) or not told or told[0] in (0, 0xFFFFFFFF):
        return ""
    word = int(told[0]) & 0xFFFFFFFF
    frames, seconds, minutes, hours = (
        (word >> place & 0xF) + 10 * (word >> place + 4 & tens)
        for place, tens in ((0, 3), (8, 7), (16, 7), (24, 3))
    )
    return f"{hours:02d}:{minutes:02d}:{seconds:02d}{';' if word >> 6 & 1 else ':'}{frames:02d}"


def _rate(spec: Any) -> Fraction | None:
    """The rate that a head says. Many leave the place for it as it was found in memory: what is neither whole
    nor a common rate is none."""
    told = (
        spec.getattribute("FramesPerSecond")
        or spec.getattribute("dpx:TemporalFrameRate")
        or spec.getattribute("dpx:FrameRate")
    )
    if isinstance(told, tuple) and len(told) == 2 and told[1]:
        rate = Fraction(int(told[0]), int(told[1]))
    elif isinstance(told, int | float) and 0 < told < 1e4:
        rate = Fraction(told).limit_denominator(1001)
    else:
        return None
    known = (Fraction(round(rate)), *(Fraction(one.fps) for one in COMMON_RATES))
    near = any(abs(rate - one) * 2000 <= one for one in known)
    return rate if 1 <= rate <= _FASTEST and near else None


_FASTEST = 240
"""Pictures a second."""


def _other(path: Path) -> NDArray[np.float32]:
    try:
        with Image.open(path) as image:
            if image.width * image.height > MOST_PIXELS:
                raise PictureError(f"{path}: its picture is too large")
            return np.asarray(image.convert("RGBA"), np.float32) / np.float32(255)
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise PictureError(f"{path}: the picture cannot be read ({error.__class__.__name__})") from None


def _other_facts(path: Path) -> StillFacts:
    made = _other(path)
    with Image.open(path) as image:
        form, alpha = (image.format or "").lower(), "A" in image.getbands()
    return StillFacts(made.shape[1], made.shape[0], 8, False, 4, alpha, form, 1, Fraction(1))
