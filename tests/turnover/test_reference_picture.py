"""The reference picture: its frames are the compositor's, its timecode can be read from the pixels, its sound is
that of the guide mix."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from picture.makers import pattern
from turnover.test_guide_mix import cut as sounding_cut
from wexodos.ground import quiet
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track
from wexodos.picture import Composer
from wexodos.timing import Rate, Timecode
from wexodos.turnover.package.burnt import Burn, burn, cell_of, lines, parsed
from wexodos.turnover.package.movie import Codec, Reference, reference_parts

FONT = Path(__file__).parents[2] / "src/wexodos/fonts/IBMPlexMono_500Medium.ttf"
RATES = [
    (Rate(25), False),
    (Rate(24_000, 1001), False),
    (Rate(30_000, 1001), True),
    (Rate(60_000, 1001), True),
    (Rate(50), False),
]


def short(track: Track, length: int) -> Track:
    """A track that ends with the picture."""
    return replace(
        track,
        items=tuple(replace(one, duration=min(one.duration, length - one.start)) for one in track.items),
    )


def cut(folder: Path, rate: Rate, drop: bool, length: int = 44) -> tuple[Document, Sequence]:
    """A picture that moves, 320 × 180, from a sequence of PNG files; and a little sound."""
    document, sequence, _ = sounding_cut(folder, rate)
    frames = folder / "frames"
    frames.mkdir()
    for number in range(length):
        soft = cv2.GaussianBlur(pattern(number * 3, 320, 180), (0, 0), 6)
        Image.fromarray(soft).save(frames / f"kiln.{number + 1001}.png")
    movie = Media(
        "p",
        "kiln.[1001-1044].png",
        str(frames / "kiln.[1001-1044].png"),
        "K7",
        40,
        drop,
        length,
        rate,
        320,
        180,
    )
    movie = replace(movie, video=True)
    item = Item("p", "Kiln", 0, length, MediaUse("p"), motion=Motion())
    start = Timecode.parse("23:59:59:10" if not drop else "00:09:59;20", rate, drop).frames
    made = replace(
        sequence, start=start, drop_frame=drop, width=320, height=180, stated_duration=length,
        tracks=(Track("video", (item,)), *(short(one, 44) for one in sequence.tracks[1:])),
    )  # fmt: skip
    return replace(document, sequences=(made,), media=(*document.media, movie)), made


@cache
def signs_of(tall: int, wide: int) -> tuple[str, NDArray[np.float64]]:
    """Signs, and how each is drawn in its cell."""
    names = "0123456789:;ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz. -[]"
    face = ImageFont.truetype(str(FONT), round(tall * 0.8))
    drawn = []
    for sign in names:
        image = Image.new("L", (wide, tall), 0)
        ImageDraw.Draw(image).text((wide / 2, tall * 0.78), sign, 255, face, anchor="ms")
        drawn.append(np.asarray(image, np.float64))
    return names, np.stack(drawn)


def read(picture: NDArray[np.uint8], corner: str, letters: int, row: int = 0) -> str:
    """The words burned into a corner: each cell is the sign that is nearest to it."""
    height, width = picture.shape[:2]
    tall = max(12, height // 20)
    wide, edge = max(6, round(tall * 0.6)), tall // 2
    names, stack = signs_of(tall, wide)
    left = width - edge - letters * wide if corner.endswith("right") else edge
    top = edge + row * tall if corner.startswith("top") else height - edge - (row + 1) * tall
    found = ""
    for number in range(letters):
        cell = picture[top : top + tall, left + number * wide : left + (number + 1) * wide].mean(axis=2)
        found += names[int(np.abs(stack - cell).mean(axis=(1, 2)).argmin())]
    return found


def decoded(path: Path) -> list[NDArray[np.uint8]]:
    with av.open(str(path)) as container:
        return [frame.to_ndarray(format="rgb24") for frame in container.decode(video=0)]


def locate(media: Media) -> Path:
    return Path(media.path or "")


def test_words_are_burned_into_the_reference_and_not_into_what_is_kept_of_a_movie(tmp_path: Path) -> None:
    path, rate = tmp_path / "plain.mov", Rate(25)
    with av.open(str(path), "w") as file:
        stream = file.add_stream("png", rate=25)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "rgb24"
        for number in range(4):
            frame = av.VideoFrame.from_ndarray(pattern(number * 3, 320, 180), format="rgb24")
            frame.pts = number
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    media = Media("p", path.name, str(path), None, 0, False, 4, rate, 320, 180, video=True)
    item = Item("p", "Kiln", 0, 4, MediaUse("p"), motion=Motion())
    sequence = Sequence("s", "Kiln Night", rate, width=320, height=180, tracks=(Track("video", (item,)),))
    document = Document("xmeml", "5", (sequence,), (media,))
    composer = Composer(document, locate)
    reference = Reference(
        document, sequence, locate, Codec.H264, 180, (Burn("record", "top-left"),), shape=2.39
    )
    for number in range(4):
        burnt = reference.picture(composer, number)
        assert read(burnt, "top-left", 11) == str(sequence.timecode(number))
        # The line of the other shape: 180 - 320 / 2.39 rows are cut off, half of them above.
        assert (burnt[23] == 255).all()
        assert np.array_equal(composer.eight_bits(sequence, number, 180)[0], pattern(number * 3, 320, 180))


@pytest.mark.parametrize("rate, drop", RATES, ids=lambda one: str(one))
@pytest.mark.sampled(3)
def test_every_frame_is_the_compositors_with_its_timecode_in_the_pixels(
    tmp_path: Path, rate: Rate, drop: bool
) -> None:
    document, sequence = cut(tmp_path, rate, drop)
    burns = (Burn("record", "bottom-left"), Burn("frame", "top-right"), Burn("source", "bottom-left"))
    reference = Reference(document, sequence, locate, Codec.H264, 288, burns)
    path = tmp_path / "out.mov"
    reference.write(path, quiet)
    pictures = decoded(path)
    assert len(pictures) == 44 and pictures[0].shape == (288, 512, 3)
    composer = Composer(document, locate)
    for number, picture in enumerate(pictures):
        label = str(Timecode(sequence.start + number, rate, drop))
        assert read(picture, "bottom-left", 11) == label
        assert read(picture, "top-right", 6) == f"{number:06d}"
        own = f"kiln.[1001-1044].png {Timecode(40 + number, rate, drop)}"
        assert read(picture, "bottom-left", len(own), row=1) == own
        wanted = composer.frame(sequence, number, 288).picture[40:240, :, :3] * 255
        off = np.abs(picture[40:240].astype(np.float64) - wanted)
        assert off.mean() < 3 and np.percentile(off, 99) < 12, number
    with av.open(str(path)) as container:
        video = container.streams.video[0]
        assert video.average_rate == rate.fps and video.metadata["timecode"] == str(sequence.timecode(0))
        told: Any = video.codec_context
        assert (int(told.color_primaries), int(told.color_trc), int(told.colorspace)) == (1, 1, 1)
    assert reference.said == {}


@pytest.mark.parametrize("codec, name", [(Codec.H264, "h264"), (Codec.PRORES, "prores")])
def test_its_sound_is_the_mix_from_the_first_sample_on(tmp_path: Path, codec: Codec, name: str) -> None:
    document, sequence = cut(tmp_path, Rate(25), False)
    (movie, paper) = reference_parts(Reference(document, sequence, locate, codec, 90))
    assert movie.make is not None and paper.make is not None
    movie.make(tmp_path / "out.mov", quiet)
    with av.open(str(tmp_path / "out.mov")) as container:
        assert container.streams.video[0].codec_context.name == name
        sound = np.concatenate([frame.to_ndarray().reshape(-1, 2) for frame in container.decode(audio=0)])
    # Ilka from frame 10 on, left only, at -6 dB of a tone of 0.5 that begins at nought after a second.
    assert len(sound) == 44 * 1920
    heard = sound / 2.0**31
    begins = 10 * 1920
    assert not heard[:begins].any()
    times = np.arange(begins, 40 * 1920) - begins
    tone = 0.25 * np.sin(2 * np.pi * 440 * (times / 48_000 + 1))
    assert np.abs(heard[begins : 40 * 1920, 0] - tone).max() < 3e-7
    paper.make(tmp_path / "out.txt", quiet)
    assert (tmp_path / "out.txt").read_text() == "Everything is drawn as it is.\n"


def test_what_is_not_drawn_is_listed_with_its_frames(tmp_path: Path) -> None:
    document, sequence = cut(tmp_path, Rate(25), False, 12)
    there = replace(document.media[-1], id="gone", path="/gone/kiln.mov", name="kiln.mov")
    late = Item("g", "Kiln", 6, 3, MediaUse("gone"), motion=Motion())
    tracks = (*sequence.tracks[:1], Track("video", (late,)), *sequence.tracks[1:])
    sequence = replace(sequence, tracks=tracks)
    document = replace(document, sequences=(sequence,), media=(*document.media, there))

    def nowhere(media: Media) -> Path | None:
        return None if media.id == "gone" else locate(media)

    movie, paper = reference_parts(Reference(document, sequence, nowhere, Codec.H264, 90))
    assert movie.make is not None and paper.make is not None
    movie.make(tmp_path / "out.mov", quiet)
    paper.make(tmp_path / "out.txt", quiet)
    label = sequence.timecode(6)
    assert (tmp_path / "out.txt").read_text() == f"{label}  kiln.mov: not found (3 frames)\n"
    assert reference_parts(Reference(document, sequence, nowhere, Codec.NONE, 90)) == []


@pytest.mark.parametrize(
    "size, aspect, height, wanted",
    [
        ((1920, 1080), 1, 540, (960, 540)),
        ((720, 576), "16/15", 288, (384, 288)),
        ((641, 359), 1, 91, (160, 90)),
    ],
)
def test_its_size_has_whole_pairs_of_square_pixels(
    tmp_path: Path, size: tuple[int, int], aspect: Any, height: int, wanted: tuple[int, int]
) -> None:
    sequence = Sequence("s", "K", Rate(25), width=size[0], height=size[1], pixel_aspect=Fraction(aspect))
    reference = Reference(Document("xmeml", "5", (sequence,), ()), sequence, locate, Codec.H264, height)
    assert reference.size == wanted


def test_burn_ins_are_told_in_words_and_stay_in_the_picture() -> None:
    assert parsed("text:Kiln: night@home@top-left") == Burn("text", "top-left", "Kiln: night@home")
    for wrong in ("record", "record@middle", "clock@top", "text@top", "record:words@top", "@top"):
        with pytest.raises(ValueError, match="give record, source, frame, made or text:WORDS"):
            parsed(wrong)
    picture = np.zeros((90, 60, 3), np.uint8)
    burn(picture, "A name that is far too long for so small a picture", "bottom-right")
    burn(picture, "", "top")
    wide, tall = cell_of(90)
    letters = (60 - tall // 2 * 2) // wide
    assert read(picture, "bottom-right", letters) == "A name that"[:letters]
    assert not picture[: 90 - tall // 2 - tall].any()


def test_lines_stand_at_the_edges_of_another_frame() -> None:
    picture = np.zeros((360, 640, 3), np.uint8)
    lines(picture, 2.0)
    # 640 by 320: 20 lines above and below it.
    assert sorted(set(np.nonzero(picture)[0])) == [20, 339] and (picture[[20, 339]] == 255).all()
    picture[:] = 0
    lines(picture, 1.0)
    assert sorted(set(np.nonzero(picture)[1])) == [140, 499]
    picture[:] = 0
    lines(picture, 16 / 9)
    assert not picture.any()
