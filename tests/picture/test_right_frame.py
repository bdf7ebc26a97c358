"""The frame that is shown is the one that was asked for, in every container and coding that can be made
here: read off pictures that carry their number."""

from __future__ import annotations

import random
from fractions import Fraction
from itertools import accumulate
from pathlib import Path

import av
import numpy as np
import pytest
from numpy.typing import NDArray

from wexodos.footage.movie import Movie
from wexodos.footage.order import Orders
from wexodos.picture import Frames, PictureError

COUNT, RATE = 230, Fraction(25)
ACROSS, DOWN, BITS = 8, 2, 16
OPEN = "bframes=3:keyint=48:open-gop=1"
X264 = ("libx264", "yuv420p", {"x264-params": OPEN, "preset": "veryfast"})
X265 = ("libx265", "yuv420p", {"x265-params": f"{OPEN}:log-level=none", "preset": "ultrafast"})
MPEG2, MPEG4 = ("mpeg2video", "yuv420p", {"b": "4000000"}), ("mpeg4", "yuv420p", {})
FAST = {"deadline": "realtime", "cpu-used": "8"}
WHEEL: list[tuple[str, tuple[str, str, dict[str, str]]]] = [
    *((f"long.{one}", X264) for one in ("mov", "mp4", "mkv", "avi", "ts", "mpg", "flv", "mxf", "h264")),
    ("intra.mxf", ("libx264", "yuv420p", {"x264-params": "keyint=1"})),
    ("longest.ts", ("libx264", "yuv420p", {"x264-params": "bframes=3:keyint=250:scenecut=0"})),
    ("refresh.ts", ("libx264", "yuv420p", {"x264-params": "intra-refresh=1:keyint=50:bframes=0"})),
    *((f"long.{one}", X265) for one in ("mov", "mkv", "ts", "hevc")),
    *((f"group.{one}", MPEG2) for one in ("mpg", "ts", "mxf", "mov", "avi", "mkv", "m2v")),
    ("first.mpg", ("mpeg1video", "yuv420p", {"b": "4000000"})),
    *((f"part.{one}", MPEG4) for one in ("mov", "avi", "mp4", "mkv")),
    *((f"each.{one}", ("prores_ks", "yuv422p10le", {})) for one in ("mov", "mxf", "mkv")),
    *((f"each.{one}", ("dnxhd", "yuv422p", {"profile": "dnxhr_sq"})) for one in ("mov", "mxf")),
    *((f"each.{one}", ("mjpeg", "yuvj420p", {})) for one in ("mov", "avi", "mkv")),
    *((f"each.{one}", ("ffv1", "yuv420p", {})) for one in ("mkv", "avi")),
    *((f"each.{one}", ("dvvideo", "yuv420p", {})) for one in ("dv", "mov", "avi", "mxf")),
    *((f"each.{one}", ("jpeg2000", "yuv422p", {})) for one in ("mov", "mxf")),
    *((f"bare.{one}", ("rawvideo", "yuv420p", {})) for one in ("avi", "nut")),
    ("bare.mov", ("rawvideo", "uyvy422", {})),
    ("each.mov", ("v210", "yuv422p10le", {})),
    ("each.mov", ("cfhd", "yuv422p10le", {})),
    ("each.mov", ("qtrle", "rgb24", {})),
    ("each.mov", ("png", "rgb24", {})),
    ("each.avi", ("magicyuv", "gbrp", {})),
    ("each.avi", ("utvideo", "yuv420p", {})),
    ("each.avi", ("huffyuv", "yuv422p", {})),
    *((f"web.{one}", ("libvpx", "yuv420p", FAST)) for one in ("webm", "mkv")),
    *((f"web.{one}", ("libvpx-vp9", "yuv420p", FAST)) for one in ("webm", "mkv")),
    *((f"web.{one}", ("libsvtav1", "yuv420p", {"preset": "8", "crf": "1"})) for one in ("mp4", "mkv")),
    ("old.wmv", ("wmv2", "yuv420p", {})),
    ("old.flv", ("flv", "yuv420p", {})),
    ("moving.gif", ("gif", "rgb8", {})),
    ("moving.apng", ("apng", "rgb24", {})),
    ("plain.y4m", ("wrapped_avframe", "yuv420p", {})),
]


def numbered(number: int, wide: int, tall: int) -> NDArray[np.uint8]:
    """A picture with the bits of a number as bright and dark fields, below them those of 255 less it."""
    word = number | 255 - number << 8
    fields = np.array([word >> place & 1 for place in range(BITS)], np.uint8).reshape(DOWN, ACROSS)
    large = fields.repeat(tall // DOWN, axis=0).repeat(wide // ACROSS, axis=1) * 195 + 30
    return np.ascontiguousarray(np.repeat(large[..., None], 3, axis=2))


def told(picture: NDArray[np.float32]) -> int:
    """The number that a picture carries; -1 where its two rows do not agree."""
    tall, wide = picture.shape[0] // DOWN, picture.shape[1] // ACROSS
    bits = [
        float(
            picture[
                y * tall + tall // 4 : (y + 1) * tall - tall // 4,
                x * wide + wide // 4 : (x + 1) * wide - wide // 4,
                1,
            ].mean()
        )
        > 0.5
        for y in range(DOWN)
        for x in range(ACROSS)
    ]
    low = sum(bit << place for place, bit in enumerate(bits[:8]))
    return low if sum(bit << place for place, bit in enumerate(bits[8:])) == 255 - low else -1


def made(path: Path, coding: tuple[str, str, dict[str, str]], times: list[int] | None = None) -> Path:
    """A movie of numbered pictures; ``times`` are milliseconds at which each begins."""
    codec, form, options = coding
    wide, tall = {"dvvideo": (720, 576), "dnxhd": (256, 128)}.get(codec, (160, 96))
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=RATE, options=options)
        stream.width, stream.height, stream.pix_fmt = wide, tall, form
        unit = Fraction(1, 1000) if times else 1 / RATE
        stream.codec_context.time_base = unit
        if codec in ("mpeg1video", "mpeg2video", "mpeg4", "wmv2", "flv"):
            stream.codec_context.gop_size = 12
        if codec in ("mpeg1video", "mpeg2video", "mpeg4"):
            stream.codec_context.max_b_frames = 2
        for number in range(COUNT):
            frame = av.VideoFrame.from_ndarray(numbered(number, wide, tall), format="rgb24")
            frame = frame.reformat(format=form)
            frame.pts, frame.time_base = times[number] if times else number, unit
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def asked(seed: str) -> list[int]:
    """Frames in any order, then forward, then backward."""
    draw = random.Random(seed)
    return [
        0,
        COUNT - 1,
        *(draw.randrange(COUNT) for _ in range(160)),
        *range(95, 175),
        *range(COUNT - 1, 150, -1),
    ]


@pytest.mark.parametrize(("name", "coding"), WHEEL, ids=[f"{coding[0]}-{name}" for name, coding in WHEEL])
@pytest.mark.sampled(15)
def test_every_container_and_coding_shows_the_frame_that_was_asked_for(
    tmp_path: Path, name: str, coding: tuple[str, str, dict[str, str]]
) -> None:
    path = made(tmp_path / name, coding)
    frames = Frames(budget=1 << 20, orders=Orders(tmp_path / "orders"))
    wrong = {
        number: found
        for number in asked(name)
        if (found := told(frames.frame(path, number, RATE, False))) != number
    }
    frames.close()
    assert not wrong


@pytest.mark.parametrize("suffix", ["mkv", "mp4"])
def test_frames_of_changing_length_go_by_the_next_ones_own_time(tmp_path: Path, suffix: str) -> None:
    draw = random.Random(3)
    times = [0, *accumulate(draw.choice([7, 20, 33, 40, 41, 80, 100]) for _ in range(COUNT - 1))]
    path = made(tmp_path / f"uneven.{suffix}", X264, times)
    frames = Frames(budget=1 << 20)
    for number in asked(suffix):
        last = times[number + 1] - 1 if number + 1 < COUNT else times[number] + 5
        for at in (times[number], last):
            assert told(frames.frame(path, at, Fraction(1000), False)) == number
    frames.close()


def test_a_recording_that_begins_within_a_group_begins_with_its_first_whole_frame(tmp_path: Path) -> None:
    """As a card that was cut off at its start, or a stream that was joined late."""
    whole = made(tmp_path / "whole.ts", MPEG2)
    packets = whole.read_bytes()
    late = tmp_path / "late.ts"
    # Tables first, then from somewhere in the second group: packets of a transport stream are 188 bytes.
    late.write_bytes(packets[: 188 * 3] + packets[188 * 41 :])
    with av.open(str(late)) as container:
        there = [
            told(frame.to_ndarray(format="rgb24") / np.float32(255)) for frame in container.decode(video=0)
        ]
    frames = Frames(budget=1 << 20)
    first = told(frames.frame(late, 0, RATE, False))
    assert first == there[0] > 0
    for number in asked("late"):
        if number + first < COUNT:
            assert told(frames.frame(late, number, RATE, False)) == number + first
    frames.close()


def test_where_frames_are_counted_is_found_out_once(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path, folder = made(tmp_path / "counted.avi", MPEG4), tmp_path / "orders"
    Movie(path, Orders(folder)).close()
    assert len(list(folder.iterdir())) == 1

    def again(_path: Path) -> None:
        raise AssertionError("it was decoded again")

    monkeypatch.setattr("wexodos.footage.order.ordered", again)
    movie = Movie(path, Orders(folder))
    assert told(movie.frame(199, RATE).to_ndarray(format="rgb24") / np.float32(255)) == 199
    movie.close()
    # Another file at the same place is counted anew; a record that was cut off too.
    next(folder.iterdir()).write_bytes(b"\x92")
    with pytest.raises(AssertionError, match="again"):
        Movie(path, Orders(folder))


def test_frames_that_stand_for_themselves_are_decoded_several_at_once_while_a_file_is_played(
    tmp_path: Path,
) -> None:
    path = made(tmp_path / "each.mov", ("prores_ks", "yuv422p10le", {}))
    movie = Movie(path, Orders(tmp_path / "orders"))

    def read(*numbers: int) -> list[int]:
        return [
            told(movie.frame(number, RATE).to_ndarray(format="rgb24") / np.float32(255)) for number in numbers
        ]

    assert read(*range(4)) == [0, 1, 2, 3] and not movie._source.played
    assert read(*range(4, COUNT)) == [*range(4, COUNT)] and movie._source.played
    # What was decoded a moment ago is there, with no more of it than is of use; a jump ends the playing.
    assert movie.kept_bytes <= 4 * 160 * 96 * 4 * 2
    assert read(COUNT - 1, COUNT - 3, 20, 19, 60) == [COUNT - 1, COUNT - 3, 20, 19, 60]
    assert not movie._source.played
    movie.close()


def test_a_frame_that_is_damaged_is_said_and_not_replaced_by_another(tmp_path: Path) -> None:
    path = made(tmp_path / "torn.mov", ("png", "rgb24", {}))
    with av.open(str(path)) as container:
        packets = [packet for packet in container.demux(video=0) if packet.size]
        place, size = packets[70].pos, packets[70].size
    data = bytearray(path.read_bytes())
    data[place : place + size] = bytes(size)
    path.write_bytes(data)
    frames = Frames()
    assert told(frames.frame(path, 69, RATE, False)) == 69
    with pytest.raises(PictureError, match="frame 70 is damaged"):
        frames.frame(path, 70, RATE, False)
    # Played, where several are under way at once, it is the same one.
    for number in (*range(40, 70), *range(71, 90), 69, 71):
        assert told(frames.frame(path, number, RATE, False)) == number
        if number == 69:
            with pytest.raises(PictureError, match="frame 70 is damaged"):
                frames.frame(path, 70, RATE, False)
    assert told(frames.frame(path, 71, RATE, False)) == 71


@pytest.mark.parametrize("coding", [("prores_ks", "yuv422p10le", {}), ("libx264", "yuv420p", {"g": "12"})])
def test_playing_on_is_decoding_on(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, coding: tuple[str, str, dict[str, str]]
) -> None:
    """A seek for every frame took half as long again where frames stand for themselves."""
    movie = Movie(made(tmp_path / "on.mov", coding), Orders())
    movie.frame(10, None)
    sought: list[int] = []
    monkeypatch.setattr(Movie, "_seek", lambda _, target: sought.append(target))
    for number in range(11, 40):
        shown = movie.frame(number, None).to_ndarray(format="rgb24")
        assert told(shown.astype(np.float32) / 255) == number
    assert sought == []


def test_deep_pictures_keep_their_values(tmp_path: Path) -> None:
    path, values = tmp_path / "deep.mov", (65535, 40000, 257)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("png", rate=RATE)
        stream.width, stream.height, stream.pix_fmt = 64, 32, "rgb48be"
        data = np.full((32, 64, 3), values, np.uint16)
        frame = av.VideoFrame.from_ndarray(data, format="rgb48le").reformat(format="rgb48be")
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    found = Frames().frame(path, 0, RATE, False)
    assert np.abs(found - np.array([1, 40000 / 65535, 257 / 65535, 1])).max() < 2e-5
