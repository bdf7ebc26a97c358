"""Making what a tidied cut needs: clips rendered from items, slates, pops. Pictures are kept without loss and
read back.

A rendered clip is a movie (.mov) of PNG pictures: whole frames, alpha and all, the same after decoding as
before.
"""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import soundfile
from numpy.typing import NDArray
from PIL import Image

from wexodos.evaluate.layers import layers_at
from wexodos.footage.source import PictureError
from wexodos.ground import Progress
from wexodos.ground.errors import WexodosError
from wexodos.ground.names import joined, last
from wexodos.model import Document, Sequence
from wexodos.picture import Composer, Frames
from wexodos.picture.compose import Locate, Made, Shot
from wexodos.picture.decode import Picture
from wexodos.picture.generators import flat, slate
from wexodos.tidy.ends import RATE
from wexodos.tidy.step import Render, put
from wexodos.timing import ceil

_PACKED = {"compression_level": "3", "pred": "up"}
"""Of all that loses nothing: a sixth larger than the tightest, in less than half the time."""


class RenderError(WexodosError):
    """Something that cannot be rendered: one plain sentence."""


def made_pictures(renders: list[Render], locate: Locate, frames: Frames) -> dict[str, Made]:
    """How the pictures of media are made that have no file yet, by their id: what a composer takes."""
    return {one.media.id: _Maker(one, locate, frames).picture for one in renders if one.kind != "tone"}


class _Maker:
    """Gives the frames of one rendered medium."""

    def __init__(self, render: Render, locate: Locate, frames: Frames) -> None:
        self._render, self._composer = render, None
        if render.document is not None:
            self._composer = Composer(render.document, locate, frames)

    def picture(self, number: int, most: tuple[int, int] | None) -> Picture:
        """Frame ``number`` of the medium, multiplied by its alpha. Raises ``PictureError``."""
        render = self._render
        size = most or (render.media.width or 1920, render.media.height or 1080)
        if render.kind == "flat":
            return flat(render.words[0], *size)
        if render.kind == "slate":
            return slate(list(render.words), *size)
        assert self._composer is not None and render.sequence is not None
        at = render.first + max(0, min(number, render.count - 1))
        if render.below:
            return self._with_what_is_below(at, size)
        layer = next(iter(layers_at(self._composer.evaluator, render.sequence, at, render.item)), None)
        if layer is None:
            raise PictureError(f"{render.media.name}: there is nothing to render at frame {number}")
        shot = Shot(np.zeros((1, 1, 4), np.float32))
        picture = self._composer.source(layer, size, shot)
        if shot.missing:
            raise PictureError(f"{render.media.name}: {shot.missing[0]} is not found")
        if not render.filters:
            return picture
        shot.undrawn = []
        picture = self._composer.after(layer, layer.item.effects[: render.filters], picture, shot)
        if shot.undrawn:
            raise PictureError(f"{render.media.name}: {shot.undrawn[0]}")
        return picture

    def _with_what_is_below(self, at: int, size: tuple[int, int]) -> Picture:
        """The frame up to the item, which is there whole: what it passes over into comes beside it."""
        render = self._render
        assert self._composer is not None and render.sequence is not None
        layers = layers_at(self._composer.evaluator, render.sequence, at)
        own = next((one for one in layers if one.item.id == render.item), None)
        if own is None:
            raise PictureError(f"{render.media.name}: there is nothing to render at frame {at}")
        under = tuple(one for one in layers if one.track < own.track)
        shot = self._composer.together((*under, replace(own, join=None, mix=1.0)), *size)
        if shot.missing:
            raise PictureError(f"{render.media.name}: {shot.missing[0]} is not found")
        return shot.picture


def straight_bytes(picture: Picture) -> NDArray[np.uint8]:
    """A picture as bytes with colours no longer multiplied by alpha, shape (height, width, 4)."""
    share = picture[..., 3:]
    plain = np.divide(picture[..., :3], share, out=np.zeros_like(picture[..., :3]), where=share > 0)
    return np.asarray(np.clip(np.concatenate([plain, share], axis=-1) * 255 + 0.5, 0, 255), np.uint8)


def render_file(
    render: Render, path: Path, locate: Locate, progress: Progress, frames: Frames | None = None
) -> None:
    """Write the file of a render at ``path`` and read it back. Raises ``RenderError``; nothing is left there
    then."""
    try:
        if render.kind == "tone":
            samples = tone(render)
            soundfile.write(str(path), samples, RATE, subtype="PCM_24", format="WAV")
            back, _ = soundfile.read(str(path), dtype="float64")
            if back.shape != samples.shape or np.abs(back - samples).max() > 2**-23:
                raise RenderError(f"{path}: its samples are not what was written")
            return
        maker = _Maker(render, locate, frames or Frames.in_order())
        if render.media.still:
            data = straight_bytes(maker.picture(0, None))
            Image.fromarray(data).save(path, format="PNG")
            with Image.open(path) as image:
                if not np.array_equal(np.asarray(image), data):
                    raise RenderError(f"{path}: the picture is not what was written")
            return
        _movie(render, path, maker, progress)
    except BaseException as error:
        path.unlink(missing_ok=True)
        if isinstance(error, OSError | av.error.FFmpegError | soundfile.LibsndfileError | ValueError):
            raise RenderError(f"{path}: cannot be rendered: {str(error).lower()[:200]}") from None
        if isinstance(error, PictureError):
            raise RenderError(str(error)) from None
        raise


def _movie(render: Render, path: Path, maker: _Maker, progress: Progress) -> None:
    rate = Fraction(render.media.rate.fps) if render.media.rate is not None else Fraction(25)
    alpha = render.media.alpha is not None
    last, same = None, None
    checks: list[int] = []
    with av.open(str(path), "w", format="mov") as container:
        stream = container.add_stream("png", rate=rate, options=_PACKED)
        stream.width, stream.height = render.media.width or 1920, render.media.height or 1080
        stream.pix_fmt = "rgba" if alpha else "rgb24"
        stream.time_base = 1 / rate
        for number in range(render.count):
            progress(f"rendering {render.media.name}", number / render.count)
            picture = maker.picture(number, None)
            if picture is not same:
                same, last = picture, straight_bytes(picture)[..., : 4 if alpha else 3]
            assert last is not None
            data = np.ascontiguousarray(last)
            checks.append(hash(data.tobytes()))
            frame = av.VideoFrame.from_ndarray(data, format=stream.pix_fmt)
            frame.pts, frame.time_base = number, 1 / rate
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    _read_back(path, checks, "rgba" if alpha else "rgb24", progress)


def _read_back(path: Path, checks: list[int], form: str, progress: Progress) -> None:
    """Decode what was written and hold every frame against what went in. Raises ``RenderError``."""
    with av.open(str(path)) as container:
        count = 0
        for frame in container.decode(container.streams.video[0]):
            progress(f"reading back {path.name}", count / len(checks))
            if (
                count >= len(checks)
                or hash(np.ascontiguousarray(frame.to_ndarray(format=form)).tobytes()) != checks[count]
            ):
                raise RenderError(f"{path}: frame {count} is not what was written")
            count += 1
    if count != len(checks):
        raise RenderError(f"{path}: {len(checks)} frames were written, {count} are there")


def tone(render: Render) -> NDArray[np.float64]:
    """The samples of a sync pop: a sine at so many Hz and dBFS, one frame long, shape (n,). It begins and
    ends at nought."""
    hertz, level = float(render.words[0]), float(render.words[1])
    length = ceil(render.media.rate.seconds(1) * RATE) if render.media.rate is not None else RATE // 25
    return np.asarray(10 ** (level / 20) * np.sin(2 * np.pi * hertz * np.arange(length) / RATE), np.float64)


def placed(
    document: Document, sequence: Sequence, renders: list[Render], folder: str
) -> tuple[Document, list[tuple[Render, str]]]:
    """The document with the paths its rendered media will have in ``folder``, and which file is which. Names
    are made unique."""
    names: set[str] = set()
    files: list[tuple[Render, str]] = []
    paths: dict[str, str] = {}
    for one in renders:
        stem, dot, suffix = one.media.name.rpartition(".")
        name, number = one.media.name, 2
        while name.lower() in names:
            name, number = f"{stem} {number}{dot}{suffix}", number + 1
        names.add(name.lower())
        files.append((one, joined(folder, name)))
        paths[one.media.id] = files[-1][1]
    media = tuple(
        replace(one, path=paths[one.id], name=last(paths[one.id])) if one.id in paths else one
        for one in document.media
    )
    return put(replace(document, media=media), sequence), files
