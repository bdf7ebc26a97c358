"""Making the media: pictures that tell their own source frame, sound that can be told apart."""

from __future__ import annotations

import colorsys
import wave
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from wexodos.demo.sources import Source
from wexodos.timing import Rate, Timecode

Picture = NDArray[np.uint8]
_RATE = 48_000
_CHARACTERS = "0123456789:;ABCDEFGHIJKLMNOPQRSTUVWXYZ -.,'abcdefghijklmnopqrstuvwxyz"


def make(source: Source, folder: Path, title: str) -> None:
    """Write one file into ``folder``, beside it first and then into its place."""
    path = folder / source.file
    part = path.with_name(f".part-{path.name}")
    if source.still:
        still(source, title).save(part, format="PNG")
    elif source.video:
        _movie(source, part, title)
    else:
        _wave(source, part)
    part.replace(path)


def make_sequence(source: Source, folder: Path, title: str, first: int, without: range) -> None:
    """Write the frames of a source as pictures numbered from ``first``, without some of them."""
    folder.mkdir(parents=True, exist_ok=True)
    glyphs, ground = _glyphs(), _ground(source)
    for number in range(source.frames):
        if first + number not in without:
            picture = Image.fromarray(frame_of(source, ground, number, title, glyphs))
            picture.save(folder / f"{source.file.partition('.')[0]}.{first + number}.jpg", quality=70)


# ---- pictures


def _glyphs() -> dict[str, Picture]:
    from importlib import resources

    with resources.as_file(resources.files("wexodos.fonts") / "IBMPlexMono_500Medium.ttf") as path:
        font = ImageFont.truetype(str(path), 22)
    found = {}
    for one in _CHARACTERS:
        image = Image.new("L", (14, 30))
        ImageDraw.Draw(image).text((0, 0), one, font=font, fill=255)
        found[one] = np.asarray(image)
    return found


def _words(target: Picture, text: str, x: int, y: int, glyphs: dict[str, Picture]) -> None:
    strip = np.concatenate([glyphs.get(one, glyphs[" "]) for one in text], axis=1)
    part = target[y : y + strip.shape[0], x : x + strip.shape[1]]
    strip = strip[:, : part.shape[1]]
    target[y : y + strip.shape[0], x : x + strip.shape[1]] = np.maximum(part // 4, strip[:, :, None])


def _ground(source: Source) -> Picture:
    """The still part of a picture: a glow in the source's own hue with its pattern."""
    height, width = source.height, source.width
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    glow = np.exp(-(((x - width * 0.5) / (width * 0.45)) ** 2 + ((y - height * 0.55) / (height * 0.5)) ** 2))
    pattern = {
        "stripes": ((x + y) // 24 % 2) * 0.25,
        "bars": (x // 40 % 2) * 0.25,
        "bricks": (((x + (y // 30 % 2) * 30) % 60 < 4) | (y % 30 < 4)) * -0.3,
        "rings": np.sin(np.hypot(x - width / 2, y - height / 2) / 9) * 0.2,
        "flame": np.sin(x / 14 + np.sin(y / 30) * 2) * 0.22,
        "cone": (np.abs(x - width / 2) < (y - 60) * 0.5) * 0.3,
        "face": ((x // 32 + y // 32) % 2) * 0.15,
        "stars": ((x * 7919 + y * 104729) % 997 < 2) * 0.9,
    }.get(source.shape, np.zeros_like(x))
    light = np.clip(0.15 + 0.6 * glow + pattern, 0, 1)
    red, green, blue = colorsys.hsv_to_rgb(source.hue, 0.75, 1.0)
    return np.stack([light * part * 235 for part in (red, green, blue)], axis=-1).astype(np.uint8)


def frame_of(source: Source, ground: Picture, number: int, title: str, glyphs: dict[str, Picture]) -> Picture:
    """One frame: the ground, a mark that moves with the frame number, and the words that name the frame."""
    picture = ground.copy()
    height, width = source.height, source.width
    turn = 2 * np.pi * number / 100
    cx, cy = int(width * (0.5 + 0.3 * np.cos(turn))), int(height * (0.5 + 0.2 * np.sin(2 * turn)))
    size = 34
    low_x, low_y = max(0, cx - size), max(60, cy - size)
    block = picture[low_y : min(height - 40, cy + size), low_x : min(width, cx + size)]
    if source.shape in ("disc", "face", "rings", "flame"):
        y, x = np.mgrid[0 : block.shape[0], 0 : block.shape[1]]
        mask = (x - (cx - low_x)) ** 2 + (y - (cy - low_y)) ** 2 < size**2
        block[mask] = (250, 200, 90) if source.shape != "face" else (240, 215, 190)
    else:
        block[...] = (250, 220, 150)
    picture[-8:, : max(1, width * (number + 1) // source.frames)] = (243, 233, 204)
    code = Timecode(source.start + number, Rate(*source.rate))
    _words(picture, f"{source.file.split('.')[0]} {code}", 12, 8, glyphs)
    _words(picture, f"{title}  frame {number:04d}", 12, height - 46, glyphs)
    return picture


def still(source: Source, title: str) -> Image.Image:
    """A picture file: the chart is opaque, the map is a graphic with an alpha channel."""
    if "map" in source.file:
        image = Image.new("RGBA", (source.width, source.height), (0, 0, 0, 0))
        pen = ImageDraw.Draw(image)
        pen.rounded_rectangle(
            (60, 200, 580, 330), 12, fill=(20, 30, 34, 200), outline=(243, 233, 204, 255), width=3
        )
        for place in range(5):
            pen.ellipse((90 + place * 100, 240, 130 + place * 100, 280), fill=(226, 103, 74, 255))
        pen.line((110, 260, 510, 260), fill=(243, 233, 204, 255), width=4)
        return image
    image = Image.new("RGB", (source.width, source.height), (34, 30, 26))
    pen = ImageDraw.Draw(image)
    for row in range(4):
        for column in range(8):
            shade = colorsys.hsv_to_rgb((row * 8 + column) / 40, 0.5, 0.8)
            box = (24 + column * 75, 40 + row * 75, 88 + column * 75, 104 + row * 75)
            pen.rectangle(box, fill=tuple(int(part * 255) for part in shade))
    return image


def _movie(source: Source, path: Path, title: str) -> None:
    rate = Fraction(*source.rate)
    glyphs = _glyphs()
    ground = _ground(source)
    with av.open(str(path), "w", format="mov") as container:
        video = container.add_stream(
            "libx264", rate=rate, options={"preset": "ultrafast", "crf": "30", "g": "25"}
        )
        video.width, video.height, video.pix_fmt = source.width, source.height, "yuv420p"
        video.metadata["timecode"] = str(Timecode(source.start, Rate(*source.rate)))
        video.metadata["reel_name"] = source.reel
        sound = None
        if source.channels:
            sound = container.add_stream(
                "pcm_s16le", rate=_RATE, layout="stereo" if source.channels == 2 else "mono"
            )
        for number in range(source.frames):
            picture = frame_of(source, ground, number, title, glyphs)
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame.pts = number
            frame.time_base = 1 / rate
            container.mux(video.encode(frame))
        container.mux(video.encode(None))
        if sound is not None:
            samples = np.clip(_camera_sound(source) * 32767, -32768, 32767).astype(np.int16)
            for start in range(0, samples.shape[0], 4800):
                piece = np.ascontiguousarray(samples[start : start + 4800]).reshape(1, -1)
                block = av.AudioFrame.from_ndarray(
                    piece, format="s16", layout="stereo" if source.channels == 2 else "mono"
                )
                block.sample_rate, block.pts, block.time_base = _RATE, start, Fraction(1, _RATE)
                container.mux(sound.encode(block))
            container.mux(sound.encode(None))


# ---- sound


def _camera_sound(source: Source) -> NDArray[np.float64]:
    """A quiet tone of the source's own pitch left, the same with noise right; shape (samples, channels)."""
    count = int(source.frames * _RATE * source.rate[1] / source.rate[0])
    t = np.arange(count) / _RATE
    tone = 0.12 * np.sin(2 * np.pi * (180 + 400 * source.hue) * t)
    noise = 0.03 * np.random.default_rng(int(source.hue * 1000)).standard_normal(count)
    return np.stack([tone, tone * 0.5 + noise][: source.channels], axis=1)


def _voice(count: int, pitch: float, seed: int) -> NDArray[np.float64]:
    """Bursts the length of syllables at one speaker's pitch, with pauses like those between sentences."""
    draw = np.random.default_rng(seed)
    out = np.zeros(count)
    at = 0
    while at < count:
        for _ in range(int(draw.integers(6, 14))):
            length = int(_RATE * draw.uniform(0.12, 0.24))
            t = np.arange(length) / _RATE
            shape = np.sin(np.pi * np.arange(length) / length) ** 2
            bend = pitch * (1 + 0.15 * draw.uniform(-1, 1))
            burst = shape * (np.sin(2 * np.pi * bend * t) + 0.5 * np.sin(4 * np.pi * bend * t)) * 0.25
            end = min(count, at + length)
            out[at:end] += burst[: max(0, end - at)]
            at += length + int(_RATE * 0.04)
            if at >= count:
                break
        at += int(_RATE * draw.uniform(0.4, 0.9))
    return out


def sound_of(source: Source) -> NDArray[np.float64]:
    """The samples of a sound file, shape (samples, channels), -1 to 1."""
    count = source.frames * _RATE // 25
    t = np.arange(count) / _RATE
    draw = np.random.default_rng(len(source.file))
    if source.voice in ("low", "high"):
        one = _voice(count, 120.0 if source.voice == "low" else 210.0, 3 if source.voice == "low" else 5)
    elif source.voice == "roar":
        one = np.convolve(draw.standard_normal(count), np.ones(64) / 64, "same") * (
            0.8 + 0.2 * np.sin(2 * np.pi * 0.3 * t)
        )
    elif source.voice == "clang":
        one = np.exp(-t * 3) * (np.sin(2 * np.pi * 523 * t) + np.sin(2 * np.pi * 1409 * t)) * 0.4
    elif source.voice == "wind":
        one = np.convolve(draw.standard_normal(count), np.ones(400) / 400, "same") * 1.2
    else:
        one = np.zeros(count)
        for note, shift in ((196, 0.0), (294, 1.3), (392, 2.6)):
            one += 0.2 * np.sin(2 * np.pi * note * t) * np.exp(-((t + shift) % 4.0))
    if source.channels == 2:
        return np.stack([one, np.roll(one, 2400) * 0.8], axis=1)
    return np.asarray(one)[:, None]


def _wave(source: Source, path: Path) -> None:
    samples = np.clip(sound_of(source), -1, 1)
    if source.depth == 24:
        whole = np.ascontiguousarray((samples * 8388607).astype("<i4"))
        data = whole.view(np.uint8).reshape(-1, 4)[:, :3].tobytes()
    else:
        data = (samples * 32767).astype("<i2").tobytes()
    with wave.open(str(path), "wb") as file:
        file.setnchannels(source.channels)
        file.setsampwidth(source.depth // 8)
        file.setframerate(_RATE)
        file.writeframes(data)
