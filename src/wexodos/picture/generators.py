"""Pictures that are made, not read: colours, bars, gradients, slates."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wexodos.model import Generator, TextRun, Title
from wexodos.picture.decode import Picture
from wexodos.picture.titles import drawn_title

_BARS = ((1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1), (0, 0, 0))
"""EBU colour bars, 100/0/75/0: white in full, the others at three quarters."""
SLATE, SLATE_WORDS, SLATE_DIM = "#20282cff", "#f3e9ccff", "#a9b8b4ff"


def generated(content: Generator, width: int, height: int) -> Picture:
    """The picture of a generator; one that nobody knows is a slate with its name."""
    if content.kind in ("black", "tone"):
        return flat("#000000ff", width, height)
    if content.kind == "transparent":
        return np.zeros((height, width, 4), np.float32)
    if content.kind == "colour":
        return flat(content.color or "#000000ff", width, height)
    if content.kind == "bars":
        row = np.array(
            [[*(part * (0.75 if number else 1.0) for part in bar), 1.0] for number, bar in enumerate(_BARS)],
            np.float32,
        )
        return np.ascontiguousarray(np.broadcast_to(row[np.arange(width) * 8 // width], (height, width, 4)))
    if content.kind == "noise":
        # The same at every frame: pictures before and after must be comparable.
        made = flat("#000000ff", width, height)
        made[..., :3] = np.random.default_rng(0).random((height, width, 1), np.float32)
        return made
    if content.kind == "gradient":
        made = flat("#000000ff", width, height)
        made[..., :3] = np.linspace(0, 1, width, dtype=np.float32)[None, :, None]
        return made
    lines = [value for _, value in content.parameters[:8]] if content.kind == "slate" else []
    return slate([content.name or content.kind, *lines], width, height)


def flat(color: str, width: int, height: int) -> Picture:
    """One colour all over, multiplied by its alpha."""
    share = int(color[7:9], 16) / 255 if len(color) >= 9 else 1.0
    parts = [int(color[at : at + 2], 16) / 255 * share for at in (1, 3, 5)]
    return np.ascontiguousarray(np.broadcast_to(np.array([*parts, share], np.float32), (height, width, 4)))


def slate(lines: list[str], width: int, height: int) -> Picture:
    """A slate: the first line large, the others below it, on a dark ground with a frame around it."""
    made: NDArray[np.float32] = flat(SLATE, width, height)
    edge = max(1, height // 90)
    inset = height // 18
    for box in (
        (inset, inset, width - inset, inset + edge),
        (inset, height - inset - edge, width - inset, height - inset),
        (inset, inset, inset + edge, height - inset),
        (width - inset - edge, inset, width - inset, height - inset),
    ):
        made[box[1] : box[3], box[0] : box[2], :3] = np.array([0.35, 0.4, 0.4], np.float32)
    longest = max(len(lines[0]) if lines else 1, 1)
    first = min(110.0, 1500.0 / longest * 1.7)
    runs = (
        [TextRun(f"{lines[0]}\n" if len(lines) > 1 else lines[0], size=first, bold=True, color=SLATE_WORDS)]
        if lines
        else []
    )
    runs += [
        TextRun(
            line + ("\n" if number < len(lines) - 1 else ""),
            size=min(64.0, 2400.0 / max(1, len(line))),
            color=SLATE_DIM,
        )
        for number, line in enumerate(lines)
        if number
    ]
    words = drawn_title(Title(tuple(runs)), width, height, (1080 * width / height, 1080), 0.0)
    return np.asarray(words + made * (1 - words[..., 3:]), np.float32)
