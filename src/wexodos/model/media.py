"""A piece of media that a sequence points at."""

from __future__ import annotations

from dataclasses import dataclass

from wexodos.model.raw import Raw
from wexodos.timing import Exact, Rate, Timecode


@dataclass(frozen=True, slots=True)
class Embedded:
    """Where the sound of a medium stands in an exchange file itself: the keys of its streams there by
    channel, and that file with its format, empty where it was read from bytes."""

    streams: tuple[tuple[int, str], ...]
    file: str = ""
    format: str = ""


@dataclass(frozen=True, slots=True)
class Media:
    """Facts about a source file as the sequence file states them; ``None`` where nothing is said.

    ``start`` counts frames of ``rate`` from timecode zero; ``duration`` counts frames of ``rate`` (of the
    using sequence's rate for pure sound). ``synthetic`` marks entries without a file behind them,
    ``embedded`` those whose sound stands in the exchange file itself.
    """

    id: str
    name: str
    path: str | None = None
    reel: str | None = None
    start: int | None = None
    drop_frame: bool | None = None
    duration: Exact | None = None
    rate: Rate | None = None
    width: int | None = None
    height: int | None = None
    pixel_aspect: Exact = 1
    field_order: str = "progressive"
    channels: int | None = None
    sample_rate: int | None = None
    bit_depth: int | None = None
    video: bool = False
    audio: bool = False
    still: bool = False
    synthetic: bool = False
    alpha: str | None = None
    uid: str | None = None
    proxy_path: str | None = None
    folder: str | None = None
    metadata: tuple[tuple[str, str], ...] = ()
    raw: tuple[Raw, ...] = ()
    embedded: Embedded | None = None

    @property
    def file_name(self) -> str:
        """The last part of the path where there is one, otherwise the name in the file."""
        if self.path:
            last = self.path.replace("\\", "/").rstrip("/").rsplit("/", 1)[-1]
            if last:
                return last
        return self.name

    def timecode(self, frame: int, drop_frame: bool = False) -> Timecode | None:
        """The label of the media frame ``frame``; None without a rate. ``drop_frame`` serves where the media
        says nothing."""
        if self.rate is None:
            return None
        drop = drop_frame if self.drop_frame is None else self.drop_frame
        return Timecode((self.start or 0) + frame, self.rate, drop)
