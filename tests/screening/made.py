"""Cuts and movies that a test makes: every picture is drawn here, with nothing of the code they test."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import chain
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from wexodos.model import (
    Constant,
    Document,
    Item,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Track,
    Transition,
    constant,
)
from wexodos.timing import Rate

Picture = NDArray[np.float32]
WIDE, TALL, LONG, FPS = 480, 270, 160, 25


def surface(seed: int, wide: int, tall: int) -> Picture:
    """A texture with fine and coarse parts in colours of its own."""
    dice = np.random.default_rng(seed)
    made = np.zeros((tall, wide, 3), np.float32)
    for step, part in ((6, 0.3), (24, 0.35), (90, 0.35)):
        grain = dice.random((tall // step + 2, wide // step + 2, 3), np.float32)
        made += part * cv2.resize(grain, (wide, tall), interpolation=cv2.INTER_CUBIC)
    made = np.clip(made, 0.02, 1)
    return np.asarray(0.06 + 0.8 * made * dice.uniform(0.5, 1.0, 3).astype(np.float32), np.float32)


@dataclass
class Camera:
    """A take: a window that moves over a surface, and something in it that moves more."""

    number: int

    def __post_init__(self) -> None:
        dice = np.random.default_rng(1000 + self.number)
        self.ground = surface(self.number, WIDE + LONG, TALL + LONG)
        self.color = dice.uniform(0.2, 0.9, 3).tolist()

    def frame(self, at: int) -> Picture:
        """What it sees at a frame."""
        pan = self.number % 3
        x, y = (at if pan == 0 else 40), (at // 2 if pan == 1 else 20)
        picture = self.ground[y : y + TALL, x : x + WIDE].copy()
        middle = round(WIDE * (0.2 + 0.6 * at / LONG)), round(TALL * (0.5 + 0.3 * np.sin(at / 9)))
        cv2.circle(picture, middle, TALL // 9, self.color, -1, cv2.LINE_AA)
        return picture

    @property
    def name(self) -> str:
        return f"C{self.number:03d}"

    def write(self, folder: Path, long: int = LONG) -> Media:
        path = folder / f"{self.name}.mov"
        write_movie(path, (self.frame(at) for at in range(long)), coder="whole")
        return Media(
            self.name, path.name, str(path), start=self.number * 90_000, duration=long, rate=Rate(FPS),
            width=WIDE, height=TALL, video=True,
        )  # fmt: skip


_CODERS = {
    "whole": ("rgb24", {"qp": "0", "preset": "ultrafast", "g": "10"}),
    "h264": ("yuv420p", {"crf": "20", "preset": "veryfast"}),
    "prores": ("yuv422p10le", {"profile": "1"}),
}


def write_movie(
    path: Path,
    frames: Iterable[Picture],
    coder: str = "h264",
    rate: Fraction | int = FPS,
    start: str = "",
    sound: NDArray[np.float32] | None = None,
) -> None:
    """Pictures of full scale 1 as a movie; coded ones by BT.709, narrow range. ``sound`` goes with it, 48,000 samples
    a second."""
    form, options = _CODERS[coder]
    name = {"h264": "libx264", "prores": "prores_ks", "whole": "libx264rgb"}[coder]
    with av.open(str(path), "w") as out:
        stream = out.add_stream(name, rate=Fraction(rate), options=options)
        voice = out.add_stream("pcm_s16le", rate=48_000, layout="mono") if sound is not None else None
        first, frames = next(each := iter(frames)), each
        stream.height, stream.width = first.shape[:2]
        stream.pix_fmt = form
        if start:
            stream.metadata["timecode"] = start
        if coder != "whole":
            stream.codec_context.colorspace = stream.codec_context.color_range = 1
            stream.codec_context.color_primaries = stream.codec_context.color_trc = 1
        for number, picture in enumerate(chain((first,), frames)):
            data = np.ascontiguousarray(np.clip(picture * 255 + 0.5, 0, 255).astype(np.uint8))
            frame = av.VideoFrame.from_ndarray(data, format="rgb24")
            if coder != "whole":
                frame = frame.reformat(format=form, dst_colorspace="ITU709", dst_color_range="MPEG")
            frame.pts, frame.time_base = number, 1 / Fraction(rate)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        if voice is not None and sound is not None:
            whole = np.rint(sound * 32767).astype(np.int16)
            for first_of in range(0, len(whole), 4800):
                block = av.AudioFrame.from_ndarray(
                    whole[None, first_of : first_of + 4800], format="s16", layout="mono"
                )
                block.sample_rate, block.time_base, block.pts = 48_000, Fraction(1, 48_000), first_of
                out.mux(voice.encode(block))
            out.mux(voice.encode(None))


@dataclass(frozen=True)
class Shot:
    """A clip of a test's cut. ``first`` is its first source frame, ``speed`` how many it goes on with each frame;
    ``x``, ``y`` pixels from the middle, ``size`` and ``turned`` (degrees clockwise) where it stands;
    ``dissolve`` (or ``wipe``) frames over which it comes in, about its cut."""

    camera: int
    first: float
    length: int
    speed: float = 1
    x: float = 0
    y: float = 0
    size: float = 1
    turned: float = 0
    dissolve: int = 0
    wipe: int = 0


@dataclass(frozen=True)
class Graphic:
    """A picture with a transparent ground over frames of the cut, with its middle at a place."""

    first: int
    last: int
    x: float = -120
    y: float = 90
    size: float = 1
    seed: int = 0


def graphic(seed: int) -> Picture:
    """Four channels, straight: a panel with marks."""
    dice = np.random.default_rng(77 + seed)
    made = np.zeros((60, 160, 4), np.float32)
    made[4:56, 4:156, :3] = dice.uniform(0.0, 0.25, 3)
    made[4:56, 4:156, 3] = 0.85
    for number in range(6):
        cv2.rectangle(
            made, (12 + 24 * number, 16), (26 + 24 * number, 20 + 5 * (number % 5)), (0.95, 0.9, 0.7, 1), -1
        )
    return made


def warped(picture: Picture, x: float, y: float, size: float, turned: float, wide: int, tall: int) -> Picture:
    """A picture with its middle at the middle of a frame, moved, made larger and turned clockwise, over nothing."""
    high, broad = picture.shape[:2]
    angle = np.radians(turned)
    turn = size * np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    shift = np.array([wide / 2 + x, tall / 2 + y]) - turn @ [broad / 2, high / 2]
    # Pixels are counted from their middles.
    matrix = np.column_stack([turn, shift + turn @ [0.5, 0.5] - 0.5])
    if picture.shape[2] == 3:
        picture = np.dstack([picture, np.ones(picture.shape[:2], np.float32)])
    if size < 1:
        picture = cv2.GaussianBlur(picture, (0, 0), 0.45 * (1 / size - 1) + 1e-3)
    grown = cv2.copyMakeBorder(picture, 2, 2, 2, 2, cv2.BORDER_CONSTANT)
    matrix[:, 2] -= matrix[:, :2] @ [2, 2]
    return np.asarray(cv2.warpAffine(grown, matrix, (wide, tall), flags=cv2.INTER_LINEAR), np.float32)


def over(below: Picture, above: Picture, straight: bool = False) -> Picture:
    share = above[..., 3:]
    color = above[..., :3] * share if straight else above[..., :3]
    return np.asarray(below * (1 - share) + color, np.float32)


@dataclass
class Cut:
    """A cut, and how each of its frames looks, drawn here."""

    shots: list[Shot]
    graphics: list[Graphic]
    cameras: dict[int, Camera]

    @property
    def length(self) -> int:
        return sum(one.length for one in self.shots)

    def starts(self) -> list[int]:
        return [sum(one.length for one in self.shots[:at]) for at in range(len(self.shots))]

    def _side(self, shot: Shot, elapsed: int) -> Picture:
        at = shot.first + elapsed * shot.speed
        # Backwards the frame that ends at the boundary is shown.
        number = int(np.floor(at)) if shot.speed >= 0 else int(np.ceil(at)) - 1
        camera = self.cameras[shot.camera]
        picture = camera.frame(min(LONG - 1, max(0, number)))
        if (shot.x, shot.y, shot.size, shot.turned) == (0, 0, 1, 0):
            return picture
        return over(
            np.zeros((TALL, WIDE, 3), np.float32),
            warped(picture, shot.x, shot.y, shot.size, shot.turned, WIDE, TALL),
        )

    def picture(self, frame: int) -> Picture:
        starts = self.starts()
        place = max(at for at, start in enumerate(starts) if start <= frame)
        made = None
        for at in (place, place + 1):
            if at and at < len(self.shots):
                cut, shot = starts[at], self.shots[at]
                long = shot.dissolve or shot.wipe
                begin = cut - long // 2
                if long and begin <= frame < begin + long:
                    share = (frame - begin) / long
                    a = self._side(self.shots[at - 1], frame - starts[at - 1])
                    b = self._side(shot, frame - cut)
                    if shot.dissolve:
                        made = a * (1 - share) + b * share
                    else:
                        made = a.copy()
                        edge = round(share * WIDE)
                        made[:, :edge] = b[:, :edge]
        if made is None:
            made = self._side(self.shots[place], frame - starts[place])
        for one in self.graphics:
            if one.first <= frame < one.last:
                made = over(
                    made, warped(graphic(one.seed), one.x, one.y, one.size, 0, WIDE, TALL), straight=False
                )
        return np.asarray(made, np.float32)

    def pictures(self) -> list[Picture]:
        return [self.picture(frame) for frame in range(self.length)]

    def document(self, folder: Path, start: int = 90_000, long: int = LONG) -> tuple[Document, Sequence]:
        """The same as a cut of ours, with its media written into a folder."""
        media = [camera.write(folder, long) for camera in self.cameras.values()]
        for seed in sorted({one.seed for one in self.graphics}):
            path = folder / f"panel-{seed}.png"
            straight = graphic(seed)
            data = np.dstack([straight[..., 2::-1], straight[..., 3]])
            cv2.imwrite(str(path), np.clip(data * 255 + 0.5, 0, 255).astype(np.uint8))
            media.append(
                Media(f"panel-{seed}", path.name, str(path), width=160, height=60, video=True, still=True)
            )
        items, joins = [], []
        for number, (shot, at) in enumerate(zip(self.shots, self.starts())):
            motion = Motion(
                position=constant(shot.x, shot.y),
                scale=constant(shot.size, shot.size),
                rotation=constant(shot.turned),
            )
            items.append(
                Item(
                    f"shot-{number}", f"Shot {number}", at, shot.length, MediaUse(f"C{shot.camera:03d}"),
                    Fraction(shot.first) / FPS, Constant(Fraction(shot.speed)), motion=motion,
                )
            )  # fmt: skip
            long = shot.dissolve or shot.wipe
            if long:
                kind = "dissolve" if shot.dissolve else "wipe"
                joins.append(
                    Transition(
                        f"join-{number}",
                        kind,
                        kind,
                        at - long // 2,
                        long,
                        at,
                        pattern=1 if shot.wipe else None,
                    )
                )
        above = [
            Item(
                f"graphic-{number}", f"Panel {number}", one.first, one.last - one.first, MediaUse(f"panel-{one.seed}"),
                motion=Motion(position=constant(one.x, one.y), scale=constant(one.size, one.size)), still=True,
                alpha="black",
            )
            for number, one in enumerate(self.graphics)
        ]  # fmt: skip
        tracks = (Track("video", tuple(items), tuple(joins)), Track("video", tuple(above)))
        cut = Sequence(
            "cut", "Kiln test", Rate(FPS), start=start, width=WIDE, height=TALL, tracks=tracks,
            sample_rate=48_000, stated_duration=self.length,
        )  # fmt: skip
        return Document("xmeml", "5", (cut,), tuple(media)), cut


def day(count: int = 44, seed: int = 5, lengths: tuple[int, int] = (26, 44)) -> Cut:
    """A cut of so many shots from eight cameras, with dissolves, wipes, sizes and panels."""
    dice = np.random.default_rng(seed)
    cameras = {number: Camera(number) for number in range(1, 9)}
    shots: list[Shot] = []
    for number in range(count):
        camera = 1 + (number * 3 + number // 8) % 8
        length = int(dice.integers(*lengths))
        shot = Shot(camera, int(dice.integers(45, 70)), length)
        if number % 11 == 4:
            shot = replace(shot, size=1.25, x=15.0, y=-8.0)
        if number % 11 == 7:
            shot = replace(shot, dissolve=12)
        if number % 11 == 9:
            shot = replace(shot, wipe=10)
        shots.append(shot)
    made = Cut(shots, [], cameras)
    starts = made.starts()
    made.graphics = [
        Graphic(starts[at] + 4, starts[at] + shots[at].length - 4, seed=at % 3) for at in range(2, count, 5)
    ]
    return made


Fault = Callable[[Cut], Cut]


def changed_shot(whole: Cut, number: int, **changes: object) -> Cut:
    """A cut with one shot changed."""
    shots = list(whole.shots)
    shots[number] = replace(shots[number], **changes)  # type: ignore[arg-type]
    return Cut(shots, list(whole.graphics), whole.cameras)


def with_graphic(cut: Cut, number: int, **changes: object) -> Cut:
    """A cut with one panel changed."""
    graphics = list(cut.graphics)
    graphics[number] = replace(graphics[number], **changes)  # type: ignore[arg-type]
    return Cut(list(cut.shots), graphics, cut.cameras)
