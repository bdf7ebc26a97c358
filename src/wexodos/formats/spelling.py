"""How a cut is to be spelled in mobs: what a destination or a person chooses of the turnover."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Literal


@dataclass(frozen=True, slots=True)
class Sounding:
    """One mono sound file or stream made for a turnover.

    ``frames`` samples at ``rate``; ``origin`` is the time of its first sample in samples since midnight;
    ``head`` the bytes of a WAVE or AIFF file up to its samples (empty for bare samples), ``tail`` those
    behind them. ``blocks`` gives the samples as they are to be written, None where only the structure is
    asked for. ``path`` is the file it is linked to, None where it is embedded. ``channel`` counts from 1 in
    the medium it came from; ``track`` is what the recorder called it. ``beside`` is
    where the file is as seen from the turnover.
    """

    rate: int
    bits: int
    frames: int
    origin: int | None
    channel: int
    form: Literal["pcm", "wave", "aiff"]
    head: bytes = b""
    tail: bytes = b""
    blocks: Callable[[], Iterator[bytes]] | None = None
    path: str | None = None
    name: str = ""
    track: str = ""
    beside: str = ""

    @property
    def size(self) -> int:
        return len(self.head) + self.frames * self.bits // 8 + len(self.tail)


@dataclass(frozen=True, slots=True)
class Content:
    """What stands in one piece of a file: how many bytes, and which, block by block."""

    size: int
    blocks: Callable[[], Iterable[bytes]]


@dataclass(frozen=True, slots=True)
class Spelling:
    """``edit_rate``: sound cuts in ``samples`` or picture ``frames``. ``fades``: as ``transitions`` over
    fillers or as properties of ``clips``. ``sounds``: what was made for the turnover, by medium and channel.
    ``container``: the version of the OMF container. ``long_reels`` and ``most_events``: reel names and length
    of cut lists. ``structure``: the file without its samples, where it was written before."""

    edit_rate: Literal["samples", "frames"] = "frames"
    fades: Literal["transitions", "clips"] = "transitions"
    sounds: Mapping[str, Mapping[int, Sounding]] = field(default_factory=dict)
    container: int = 2
    long_reels: bool = False
    most_events: int = 999
    progress: Callable[[str, float], None] | None = None
    structure: bytes = b""
