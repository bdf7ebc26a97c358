"""Small media whose every frame is known."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track, Transition
from wexodos.picture import Composer
from wexodos.timing import Rate

WIDE, TALL = 64, 32
RATE = Rate(25)


def pattern(number: int = 0, wide: int = WIDE, tall: int = TALL) -> NDArray[np.uint8]:
    """A picture that is the same under no shift, turn or flip, and tells its number; shape (tall, wide,
    3)."""
    y, x = np.mgrid[0:tall, 0:wide]
    return np.stack(
        [(x * 3 + number * 7) % 256, (y * 5 + x) % 256, (x * y // 3 + 40 + number) % 256], axis=-1
    ).astype(np.uint8)


def movie(
    path: Path,
    frames: list[NDArray[np.uint8]],
    rate: Fraction = Fraction(25),
    codec: str = "png",
    **options: str,
) -> Path:
    """Write frames into a movie; with the codec ``png`` without any loss."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate, options=options)
        stream.width, stream.height = frames[0].shape[1], frames[0].shape[0]
        stream.pix_fmt = {"png": "rgb24"}.get(codec, "yuv420p") if frames[0].shape[2] == 3 else "rgba"
        stream.time_base = 1 / rate
        for number, data in enumerate(frames):
            frame = av.VideoFrame.from_ndarray(
                np.ascontiguousarray(data), format="rgb24" if data.shape[2] == 3 else "rgba"
            )
            frame.pts, frame.time_base = number, 1 / rate
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def still(path: Path, data: NDArray[np.uint8]) -> Path:
    Image.fromarray(data).save(path)
    return path


class Stage:
    """Media in a folder and cuts that use them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.media: list[Media] = []

    def movie(self, key: str, frames: list[NDArray[np.uint8]], **more: object) -> Media:
        path = movie(self.folder / f"{key}.mov", frames)
        tall, wide = frames[0].shape[:2]
        return self._add(
            Media(
                key,
                path.name,
                str(path),
                width=wide,
                height=tall,
                rate=RATE,
                start=0,
                duration=len(frames),
                video=True,
                **more,
            )
        )  # type: ignore[arg-type]

    def still(self, key: str, data: NDArray[np.uint8], **more: object) -> Media:
        path = still(self.folder / f"{key}.png", data)
        return self._add(
            Media(
                key,
                path.name,
                str(path),
                width=data.shape[1],
                height=data.shape[0],
                video=True,
                still=True,
                **more,
            )
        )  # type: ignore[arg-type]

    def _add(self, media: Media) -> Media:
        self.media.append(media)
        return media

    def item(self, media: Media, start: int = 0, length: int = 10, into: int = 0, **more: object) -> Item:
        return Item(
            f"{media.id}@{start}",
            media.name,
            start,
            length,
            MediaUse(media.id),
            RATE.seconds(into),
            still=media.still,
            **{"motion": Motion(), **more},
        )  # type: ignore[arg-type]

    def cut(
        self,
        *tracks: tuple[Item, ...],
        joins: tuple[Transition, ...] = (),
        others: tuple[Sequence, ...] = (),
        wide: int = WIDE,
        tall: int = TALL,
        aspect: object = 1,
    ) -> tuple[Document, Sequence]:
        made = tuple(
            Track("video", items, joins if number == 0 else ()) for number, items in enumerate(tracks)
        )
        sequence = Sequence("s", "Cut", RATE, width=wide, height=tall, pixel_aspect=aspect, tracks=made)  # type: ignore[arg-type]
        return Document("xmeml", "5", (sequence, *others), tuple(self.media)), sequence

    def seen(
        self, whole: tuple[Document, Sequence], frame: int = 0, height: int | None = None
    ) -> NDArray[np.float32]:
        """The frame as values from 0 to 255, shape (height, width, 3)."""
        composer = Composer(
            whole[0], lambda media: Path(media.path) if media.path and Path(media.path).exists() else None
        )
        return composer.frame(whole[1], frame, height).picture[..., :3] * 255
