"""Words on the picture, in every script this system has a typeface for.

A typeface that a cut names and that is not here is replaced, and that is said (``remarks``): widths may then
differ from the other side's; place, size, colour and alignment are those of the title. Words are shaped and
put in their order by HarfBuzz and FriBidi, through Pillow. Slanted words are sheared by 12 degrees.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from wexodos.model import TextRun, Title
from wexodos.picture.blend import over
from wexodos.picture.decode import Picture
from wexodos.picture.faces import Piece, joined, pieces, stands_in

_SLANT = np.tan(np.radians(12.0))
_DEFAULT = 48.0
_LARGEST = 1200.0
MOST_LETTERS = 5000
_LEADING = 1.2
"""Distance of lines as a multiple of the size, where nothing is said."""


@dataclass(frozen=True, slots=True)
class _Line:
    """A line of runs with its width, height above and below the base line, all in canvas pixels."""

    runs: list[TextRun]
    width: float
    size: float
    leading: float


def drawn_title(
    title: Title, width: int, height: int, frame: tuple[float, float], progress: float
) -> Picture:
    """Draw a title onto an empty canvas.

    ``frame`` is the sequence's size, in whose pixels its numbers count; ``progress`` (0 to 1) says how far a
    roll is.
    """
    canvas = np.zeros((height, width, 4), np.float32)
    scale = height / frame[1]
    lines = [_measured(line, scale) for line in title.lines]
    if not any(line.runs for line in lines):
        return canvas
    tall = sum(line.leading for line in lines)
    wide = max(line.width for line in lines)
    x = width / 2 + title.origin[0] * width / frame[0]
    y = height / 2 + title.origin[1] * scale - tall / 2
    if title.roll is not None and title.roll.direction == "up":
        y = height - progress * (height + tall)
    elif title.roll is not None:
        x = width - progress * (width + wide)
    align = next((run.align for line in lines for run in line.runs if run.align), None) or "center"
    if title.roll is not None and title.roll.direction != "up":
        align = "left"
    if title.bar is not None:
        left = {"left": x, "right": x - wide}.get(align, x - wide / 2)
        pad = 0.35 * max(line.size for line in lines)
        canvas = _bar(canvas, (left - pad, y - pad / 2, left + wide + pad, y + tall + pad / 2), title.bar)
    for line in lines:
        base = y + line.leading * 0.5 + line.size * 0.36
        if -line.leading < base < height + line.leading * 2:
            canvas = _columns(
                canvas, line, x, base, align, scale, title.roll.gap if title.roll is not None else None
            )
        y += line.leading
    return canvas


def _measured(runs: list[TextRun], scale: float) -> _Line:
    sizes = [_pixels(run, scale) for run in runs] or [_DEFAULT * scale]
    leading = max(
        _LEADING * size + (run.leading or 0.0) * scale for run, size in zip(runs or [TextRun("")], sizes)
    )
    return _Line(runs, sum(_advance(run, scale) for run in runs), max(sizes), max(1.0, leading))


def _pixels(run: TextRun, scale: float) -> float:
    return max(1.0, min(_LARGEST, run.size or _DEFAULT) * scale)


def _advance(run: TextRun, scale: float) -> float:
    pixels, text = round(_pixels(run, scale)), run.text.replace("\t", " ")
    width = sum(_length(piece, pixels) for piece in pieces(text, run.font, run.bold))
    return width + _spread(run, scale) * max(0, len(text) - 1)


def _length(piece: Piece, pixels: int) -> float:
    """How wide letters are; those that nothing draws have no width."""
    return float(piece.face.at(pixels).getlength(piece.text)) if piece.face is not None else 0.0


def _spread(run: TextRun, scale: float) -> float:
    """The space put between letters; letters that join take none."""
    return 0.0 if joined(run.text) else (run.tracking or 0.0) * scale


def remarks(title: Title, wide: float) -> list[str]:
    """What of a title is not drawn as it is meant, in words: typefaces that are not here, letters that no
    typeface has, lines longer than the frame is ``wide`` (in its pixels)."""
    found: dict[str, None] = {}
    for run in title.runs:
        other = stands_in(run.font) if run.text.strip() else ""
        if other:
            found[f"the typeface {run.font} is not here, {other} stands in"] = None
        lost = [piece.text for piece in pieces(run.text, run.font, run.bold) if piece.face is None]
        if lost:
            letters = "".join(dict.fromkeys("".join(lost)))
            found[f"no typeface here has {' '.join(letters[:8])}{' …' if len(letters) > 8 else ''}"] = None
    if title.roll is None or title.roll.direction == "up":
        for line in title.lines:
            if line and _measured(line, 1.0).width > wide:
                words = "".join(run.text for run in line)
                found[f"a line runs out of the frame: {words[:30]}{'…' if len(words) > 30 else ''}"] = None
    return list(found)


def _columns(
    canvas: Picture, line: _Line, x: float, base: float, align: str, scale: float, gap: float | None
) -> Picture:
    """A line of a roll with a tab in it stands in two columns about the middle; any other as it is
    aligned."""
    words = "".join(run.text for run in line.runs)
    if gap is None or "\t" not in words or not line.runs:
        start = {"left": x, "right": x - line.width}.get(align, x - line.width / 2)
        return _row(canvas, line.runs, start, base, scale)
    half = canvas.shape[1] * gap / 200
    left, _, right = words.partition("\t")
    first, second = (TextRun(part, *_style(line.runs[0])) for part in (left, right))
    canvas = _row(canvas, [first], x - half - _advance(first, scale), base, scale)
    return _row(canvas, [second], x + half, base, scale)


def _style(run: TextRun) -> tuple[str | None, float | None, bool, bool, str | None]:
    return run.font, run.size, run.bold, run.italic, run.color


def _row(canvas: Picture, runs: list[TextRun], x: float, base: float, scale: float) -> Picture:
    height, width = canvas.shape[:2]
    for run in runs:
        mask = _mask(run, x, base, width, height, scale)
        if run.shadow is not None and run.shadow.color[7:] != "00":
            angle = np.radians(run.shadow.angle)
            by = (np.cos(angle) * run.shadow.distance * scale, -np.sin(angle) * run.shadow.distance * scale)
            moved = cv2.warpAffine(
                mask, np.array([[1, 0, by[0]], [0, 1, by[1]]], np.float32), (width, height)
            )
            if run.shadow.blur * scale > 0.1:
                moved = cv2.GaussianBlur(moved, (0, 0), run.shadow.blur * scale / 2)
            canvas = over(canvas, _flat(np.asarray(moved, np.float32), run.shadow.color))
        if run.outline_width and run.outline_color:
            reach = max(1, round(run.outline_width * scale / 2))
            wide = cv2.dilate(
                mask, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
            )
            canvas = over(canvas, _flat(np.asarray(wide, np.float32), run.outline_color))
        canvas = over(canvas, _flat(mask, run.color or "#ffffffff"))
        x += _advance(run, scale)
    return canvas


def _mask(run: TextRun, x: float, base: float, width: int, height: int, scale: float) -> NDArray[np.float32]:
    """How much of each pixel the words cover."""
    image = Image.new("L", (width, height))
    pen = ImageDraw.Draw(image)
    pixels, spread, at = round(_pixels(run, scale)), _spread(run, scale), x
    for piece in pieces(run.text.replace("\t", " ")[:MOST_LETTERS], run.font, run.bold):
        if piece.face is None:
            continue
        face = piece.face.at(pixels)
        if spread or face.getlength(piece.text[:500]) + len(piece.text) * 4 > 8 * width:
            # One by one: those beyond the frame need no room in memory.
            for one in piece.text:
                if -face.size * 2 < at < width:
                    pen.text((at, base), one, font=face, fill=255, anchor="ls")
                at += float(face.getlength(one)) + spread
        else:
            pen.text((at, base), piece.text, font=face, fill=255, anchor="ls")
            at += _length(piece, pixels)
    if run.underline:
        thick = max(1, round(_pixels(run, scale) / 14))
        pen.rectangle((x, base + thick, x + _advance(run, scale), base + 2 * thick), fill=255)
    mask = np.asarray(image, np.float32) / np.float32(255)
    if run.italic:
        lean = np.array([[1, -_SLANT, _SLANT * base], [0, 1, 0]], np.float32)
        mask = np.asarray(cv2.warpAffine(mask, lean, (width, height)), np.float32)
    return mask


def _flat(mask: NDArray[np.float32], color: str) -> Picture:
    parts = [int(color[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    share = int(color[7:9], 16) / 255 if len(color) >= 9 else 1.0
    return np.asarray(
        mask[..., None] * np.array([*(part * share for part in parts), share], np.float32), np.float32
    )


def _bar(canvas: Picture, box: tuple[float, float, float, float], color: str) -> Picture:
    height, width = canvas.shape[:2]
    image = Image.new("L", (width, height))
    ImageDraw.Draw(image).rectangle(box, fill=255)
    return over(canvas, _flat(np.asarray(image, np.float32) / np.float32(255), color))
