"""Words burned into a picture: white letters of one width on black, in a corner, so that anybody – and any
program – can read them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

CORNERS = ("top-left", "top-right", "bottom-left", "bottom-right", "top", "bottom")
KINDS = ("record", "source", "frame", "made", "text")
"""Record timecode; source timecode and name; number of the frame; when it was made; free words."""
SHARE = 20
"""The picture is so many lines of words high."""


@dataclass(frozen=True, slots=True)
class Burn:
    """What is burned in where; ``words`` only for free words."""

    kind: str
    corner: str
    words: str = ""


def parsed(given: str) -> Burn:
    """A burn-in given as KIND@CORNER, or words as text:WORDS@CORNER. Raises ``ValueError`` in words.

    >>> parsed("record@bottom-left")
    Burn(kind='record', corner='bottom-left', words='')
    """
    what, mark, corner = given.rpartition("@")
    kind, _, words = what.partition(":")
    if not mark or corner not in CORNERS or kind not in KINDS or (kind == "text") != bool(words):
        raise ValueError(
            f"{given}: give {', '.join(KINDS[:-1])} or text:WORDS, then @ and {', '.join(CORNERS)}"
        )
    return Burn(kind, corner, words)


def cell_of(height: int) -> tuple[int, int]:
    """Width and height of a letter's cell in a picture so many pixels high."""
    tall = max(12, height // SHARE)
    return max(6, round(tall * 0.6)), tall


@lru_cache(maxsize=4096)
def letter(sign: str, height: int) -> NDArray[np.uint8]:
    """A letter in its cell, shape (cell height, cell width), 0 to 255."""
    wide, tall = cell_of(height)
    with resources.as_file(resources.files("wexodos.fonts") / "IBMPlexMono_500Medium.ttf") as path:
        face = ImageFont.truetype(str(path), round(tall * 0.8))
    image = Image.new("L", (wide, tall), 0)
    ImageDraw.Draw(image).text((wide / 2, tall * 0.78), sign, 255, face, anchor="ms")
    return np.asarray(image)


def lines(picture: NDArray[np.uint8], shape: float, mark: int = 255) -> None:
    """Draw the edges of a frame of another shape (width by height) into a picture, in place: those lines of
    it that are the last ones inside. One of the same shape has none."""
    height, width = picture.shape[:2]
    tall, wide = round(width / shape), round(height * shape)
    if tall < height:
        edge = (height - tall) // 2
        picture[[edge, height - 1 - edge]] = mark
    elif wide < width:
        edge = (width - wide) // 2
        picture[:, [edge, width - 1 - edge]] = mark


def burn(picture: NDArray[np.uint8], words: str, corner: str, row: int = 0) -> None:
    """Draw a line of words into a picture, shape (height, width, 3), in place; ``row`` counts from the edge
    inwards. What does not fit in is cut off."""
    height, width = picture.shape[:2]
    wide, tall = cell_of(height)
    edge = tall // 2
    words = words[: max(0, (width - 2 * edge) // wide)]
    if not words:
        return
    line = np.concatenate([letter(sign, height) for sign in words], axis=1)
    left = {"left": edge, "right": width - edge - line.shape[1]}.get(
        corner.rpartition("-")[2], (width - line.shape[1]) // 2
    )
    top = edge + row * tall if corner.startswith("top") else height - edge - (row + 1) * tall
    picture[top : top + tall, left : left + line.shape[1]] = line[..., None]
