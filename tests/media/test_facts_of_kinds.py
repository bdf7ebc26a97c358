"""What media say of themselves, of every kind a shoot brings: made here, with known truth."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
import soundfile

from footage.test_picture_files import flat, picture, run
from picture.makers import pattern
from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.footage import stills
from wexodos.formats import FORMATS, read_bytes
from wexodos.media import Probes, Rules, Scanner, find
from wexodos.media.check import misfits, problems
from wexodos.media.facts import reel_of
from wexodos.media.needs import Need
from wexodos.media.probe import Probed, probe
from wexodos.media.search import relinked, spelled
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track
from wexodos.picture import Composer, Frames
from wexodos.sound.decode import blocks, facts
from wexodos.timing import Rate

PAL = Rate(25)


def movie(
    path: Path,
    codec: str = "libx264",
    form: str = "yuv420p",
    setting: Any = None,
    tags: dict[str, str] | None = None,
    options: dict[str, str] | None = None,
    turned: int = 0,
) -> Path:
    """Ten frames of 64 × 32; ``setting`` changes the coder, ``tags`` are the container's."""
    with av.open(
        str(path), "w", options={"movflags": "use_metadata_tags"} if path.suffix in (".mov", ".mp4") else {}
    ) as file:
        file.metadata.update(tags or {})
        stream = file.add_stream(codec, rate=25, options=options or {})
        stream.width, stream.height, stream.pix_fmt = 64, 32, form
        if setting is not None:
            setting(stream.codec_context)
        if turned:
            stream.set_display_rotation(turned)
        for number in range(10):
            frame = av.VideoFrame.from_ndarray(pattern(number), format="rgb24").reformat(format=form)
            frame.pts, frame.time_base = number, Fraction(1, 25)
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    return path


def tone(channel: int, count: int = 4800) -> np.ndarray:
    """A constant that tells its channel."""
    return np.full(count, channel * 1000, np.int16)


def test_all_sound_streams_of_a_file_are_its_channels(tmp_path: Path) -> None:
    """Eight mono streams, as a camera writes them, then a stereo one."""
    path = tmp_path / "eight.mov"
    with av.open(str(path), "w") as file:
        streams = [file.add_stream("pcm_s16le", rate=48_000, layout="mono") for _ in range(8)]
        streams.append(file.add_stream("pcm_s16le", rate=48_000, layout="stereo"))
        for number, stream in enumerate(streams, 1):
            data = tone(number)[None] if number < 9 else np.stack([tone(9), tone(10)], 1).reshape(1, -1)
            frame = av.AudioFrame.from_ndarray(data, format="s16", layout="mono" if number < 9 else "stereo")
            frame.sample_rate, frame.pts, frame.time_base = 48_000, 0, Fraction(1, 48_000)
            file.mux(stream.encode(frame))
            file.mux(stream.encode(None))
    found = probe(path)
    assert (found.channels, found.streams, found.layout) == (10, 9, "8 × mono, stereo")
    assert (found.sample_bits, found.sample_float, found.sound_codec) == (16, False, "pcm_s16le")
    assert facts(path).channels == 10
    for channel in range(1, 11):
        heard = np.concatenate(list(blocks(path, channel, 0, 4800)))
        assert np.allclose(heard * 32768, channel * 1000), channel


def test_floating_samples_are_said(tmp_path: Path) -> None:
    for kind, bits, floats in (("FLOAT", 32, True), ("PCM_24", 24, False), ("DOUBLE", 64, True)):
        soundfile.write(tmp_path / "tone.wav", np.zeros(100), 48_000, subtype=kind)
        found = probe(tmp_path / "tone.wav")
        assert (found.sample_bits, found.sample_float) == (bits, floats)


@pytest.mark.parametrize("turned", [90, 180, -90])
def test_a_turned_recording_is_shown_upright_and_told_as_it_is_seen(tmp_path: Path, turned: int) -> None:
    """``turned``: degrees counter-clockwise, as the matrix of a phone says."""
    straight = movie(tmp_path / "straight.mp4")
    path = movie(tmp_path / "phone.mp4", turned=turned)
    found = probe(path)
    assert (found.width, found.height) == ((64, 32) if turned == 180 else (32, 64))
    assert found.turned == -turned % 360
    frames = Frames()
    upright = frames.frame(path, 3, Fraction(25), False)
    meant = np.rot90(frames.frame(straight, 3, Fraction(25), False), turned // 90)
    assert np.array_equal(upright, meant)
    assert frames.frame(path, 3, Fraction(25), False, (16, 16)).shape[:2] in ((16, 32), (32, 16))


def test_fields_colours_depth_and_chroma_are_facts(tmp_path: Path) -> None:
    def colours(codec: Any) -> None:
        codec.color_primaries, codec.color_trc, codec.colorspace, codec.color_range = 9, 18, 9, 1

    path = movie(tmp_path / "wide.mov", "prores_ks", "yuv422p10le", colours)
    found = probe(path)
    assert (found.primaries, found.transfer, found.matrix, found.range) == (
        "BT.2020",
        "HLG",
        "BT.2020",
        "narrow",
    )
    assert (found.codec, found.chroma, found.bits, found.field_order) == (
        "prores",
        "4:2:2",
        10,
        "progressive",
    )
    for order, word in (("tff", "upper"), ("bff", "lower")):
        params = {"x264-params": f"{order}=1"}
        found = probe(movie(tmp_path / f"{order}.mov", options=params))
        assert (found.field_order, found.codec, found.chroma, found.bits) == (word, "h264", "4:2:0", 8)
    found = probe(movie(tmp_path / "rgb.mov", "png", "rgba"))
    assert (found.chroma, found.alpha) == ("RGB", True)


@pytest.mark.parametrize(
    ("tags", "reel"),
    [
        ({"reel_name": "A003"}, "A003"),
        ({"com.example.maker.ReelName": "A003"}, "A003"),
        ({"TAPE": "0007"}, "0007"),
        ({"roll": "B2", "reel": "A003"}, "A003"),
        ({"reel": "  "}, ""),
        ({"title": "reel"}, ""),
        ({"unreel": "x", "reels": "y"}, ""),
    ],
)
def test_the_reel_is_found_under_the_words_that_name_it(tags: dict[str, str], reel: str) -> None:
    assert reel_of([{"encoder": "x"}, tags]) == reel


def test_the_reel_stands_in_tags_and_heads(tmp_path: Path) -> None:
    path = movie(tmp_path / "tagged.mov", tags={"com.example.camera.reelname": "A003"})
    assert probe(path).reel == "A003"
    # iXML beside the samples, as recorders write it.
    words = b"<BWFXML><TAPE>KN_D4</TAPE></BWFXML>"
    soundfile.write(tmp_path / "take.wav", np.zeros(100), 48_000, subtype="PCM_24")
    data = (tmp_path / "take.wav").read_bytes()
    data += b"iXML" + (len(words) + len(words) % 2).to_bytes(4, "little") + words + b" " * (len(words) % 2)
    (tmp_path / "take.wav").write_bytes(data[:4] + (len(data) - 8).to_bytes(4, "little") + data[8:])
    assert probe(tmp_path / "take.wav").reel == "KN_D4"


# ---- numbered sequences as media


def cut(path: str, duration: int = 6, start: int = 0, still: bool = False) -> Document:
    media = Media(
        "m", path.rpartition("/")[2], path, None, start, False, duration, PAL, 8, 4, video=True, still=still
    )
    item = Item("i", "Kiln", 0, duration, MediaUse("m"))
    return Document(
        "xmeml", "5", (Sequence("s", "Kiln Night", PAL, tracks=(Track("video", (item,)),)),), (media,)
    )


def looked_for(document: Document, source: Path, tmp_path: Path, folders: tuple[str, ...] = ()) -> Any:
    probes, scanner = Probes(tmp_path / "probes"), Scanner(tmp_path / "folders")
    rules = Rules(folders=folders)
    return find(document, list(document.top_level), source, rules, {}, probes, scanner)[0]


@pytest.mark.parametrize("name", ["kiln.%04d.png", "kiln.####.png", "kiln.[1001-1006].png"])
def test_a_sequence_is_one_medium_found_where_it_lies_or_elsewhere(tmp_path: Path, name: str) -> None:
    here = tmp_path / "shots"
    run(here, range(1001, 1007))
    row = looked_for(cut(f"{here}/{name}"), tmp_path / "cut.xml", tmp_path)
    assert (row.status, row.how, row.path) == ("found", "written", here / name)
    assert (row.facts.frames, row.facts.first, row.facts.length) == (6, 1001, Fraction(6, 25))
    # It was moved: found by name, and written in the way the cut wrote it.
    elsewhere = tmp_path / "restored" / "day 4"
    elsewhere.parent.mkdir()
    here.rename(elsewhere)
    document = cut(f"/gone/{name}")
    row = looked_for(document, tmp_path / "deep" / "er" / "cut.xml", tmp_path, (str(tmp_path / "restored"),))
    assert (row.status, row.path.parent) == ("found", elsewhere)
    assert relinked(document, [row]).media[0].path == f"{elsewhere}/{name}"


def test_a_sequence_with_a_gap_says_which_numbers_are_missing(tmp_path: Path) -> None:
    run(tmp_path / "shots", [1001, 1002, 1004, 1006])
    row = looked_for(cut(f"{tmp_path}/shots/kiln.%04d.png"), tmp_path / "cut.xml", tmp_path)
    assert row.status == "with gaps" and row.problems[0].words == "of its files these are missing: 1003, 1005"


def test_a_sequence_that_is_too_short_is_said(tmp_path: Path) -> None:
    run(tmp_path / "shots", range(1001, 1005))
    row = looked_for(cut(f"{tmp_path}/shots/kiln.%04d.png"), tmp_path / "cut.xml", tmp_path)
    assert row.status == "wrong length"


def test_the_first_frame_alone_stands_for_all_and_a_photograph_for_itself(tmp_path: Path) -> None:
    run(tmp_path / "shots", range(86400, 86406), tail=".dpx", digits=7)
    row = looked_for(cut(f"{tmp_path}/shots/kiln.0086400.dpx"), tmp_path / "cut.xml", tmp_path)
    assert (row.status, row.facts.frames, row.facts.still) == ("found", 6, False)
    run(tmp_path / "stills", range(1, 4), "IMG_", ".jpg")
    row = looked_for(cut(f"{tmp_path}/stills/IMG_0002.jpg", still=True), tmp_path / "cut.xml", tmp_path)
    assert (row.status, row.facts.frames, row.facts.still) == ("found", 0, True)


def test_the_head_of_the_first_file_says_rate_and_timecode(tmp_path: Path) -> None:
    folder = tmp_path / "shots"
    folder.mkdir()
    for number in (1002, 1003, 1004):
        told = {"smpte__TimeCode": (0x10000000 + number - 1000, 0), "FramesPerSecond": (25, 1)}
        picture(folder / f"kiln.{number}.exr", flat(0.5), "half", **told)
    found = probe(folder / "kiln.%04d.exr")
    # 10:00:00:02 at 25 frames a second.
    assert (found.rate, found.start, found.seconds) == ("25/1", 10 * 3600 * 25 + 2, "3/25")
    # Where an earlier file is missing, the sequence began earlier.
    found = probe(folder / "kiln.[1000-1004].exr")
    assert (found.start, found.gaps, found.frames) == (10 * 3600 * 25, "1000 to 1001", 5)


def test_a_long_sequence_is_one_thing_to_look_into(tmp_path: Path) -> None:
    folder = tmp_path / "many"
    folder.mkdir()
    for number in range(60):
        (folder / f"a.{number:04d}.dpx").touch()
    (folder / "kiln.mov").touch()
    index = Scanner(tmp_path / "kept").scan([folder])
    assert sorted(path.name for path in index.all()) == ["a.%04d.dpx", "kiln.mov"] and index.count == 2
    assert [path.name for path in index.named("A.####.dpx")] == ["a.%04d.dpx"]
    assert [path.name for path in index.named("a.0007.dpx")] == ["a.0007.dpx"]
    # A second look reads the folder from what is kept.
    assert Scanner(tmp_path / "kept").scan([folder]).count == 2


def test_a_path_keeps_the_way_its_number_was_written() -> None:
    assert spelled(Path("/new/kiln.%04d.exr"), "Z:\\old\\kiln.####.exr") == "/new/kiln.####.exr"
    assert spelled(Path("/new/other.%04d.exr"), "/old/kiln.####.exr") == "/new/other.%04d.exr"
    assert spelled(Path("/new/kiln.mov"), "/old/kiln.mov") == "/new/kiln.mov"


def test_an_open_timeline_says_a_sequence_in_its_own_way(tmp_path: Path) -> None:
    import opentimelineio as otio

    reference = otio.schema.ImageSequenceReference("file:///k/shots", "kiln.", ".exr", 1001, 1, 25, 4)
    span = otio.opentime.TimeRange(otio.opentime.RationalTime(0, 25), otio.opentime.RationalTime(6, 25))
    reference.available_range = span
    timeline = otio.schema.Timeline("t")
    timeline.tracks.append(otio.schema.Track("V", [otio.schema.Clip("Kiln", reference, span)]))
    document = read_bytes(timeline.to_json_string().encode(), "cut.otio")
    (media,) = document.media
    assert (media.path, media.still, media.duration) == ("/k/shots/kiln.[1001-1006].exr", False, 6)
    written = FORMATS["otio"].write(document, document.top_level[0].id, "")
    back = otio.adapters.read_from_string(written.decode(), "otio_json").find_clips()[0].media_reference
    assert isinstance(back, otio.schema.ImageSequenceReference)
    parts = (
        back.target_url_base,
        back.name_prefix,
        back.name_suffix,
        back.start_frame,
        back.frame_zero_padding,
    )
    assert parts == ("file:///k/shots/", "kiln.", ".exr", 1001, 4)
    assert back.target_url_for_image_number(5) == "file:///k/shots/kiln.1006.exr"


@pytest.mark.parametrize(("wide", "tall"), [(64, 32), (32, 64)])
def test_a_turned_recording_stands_upright_in_the_frame_whichever_size_the_cut_states(
    tmp_path: Path, wide: int, tall: int
) -> None:
    path = movie(tmp_path / "phone.mov", "png", "rgb24", turned=-90)
    media = Media("m", path.name, str(path), None, 0, False, 10, PAL, wide, tall, video=True)
    item = Item("i", "Kiln", 0, 5, MediaUse("m"), motion=Motion())
    sequence = Sequence("s", "Kiln Night", PAL, width=64, height=64, tracks=(Track("video", (item,)),))
    document = Document("xmeml", "5", (sequence,), (media,))
    seen = Composer(document, lambda _media: path).frame(sequence, 2).picture[..., :3] * 255
    upright = np.rot90(pattern(2).astype(np.float32), -1)
    # Its own shape, as tall as the room it has: the whole frame, or the half of it that a wide one is given.
    if (wide, tall) == (32, 64):
        assert np.abs(seen[:, 16:48] - upright).max() < 1
    else:
        assert seen[:16].max() == 0 and seen[16:48, :24].max() == 0 and seen[16:48, 24:40].max() > 100
    need = Need(media, 0, 1, True)
    assert not [one for one in problems(need, probe(path), 0, sequence) if one.status == "wrong size"]
    other = probe(movie(tmp_path / "straight.mov", "png", "rgb24"))
    wrong = [one.status for one in problems(need, other, 0, sequence)]
    assert ("wrong size" in wrong) == ((wide, tall) == (32, 64))


@pytest.mark.parametrize(
    ("there", "wanted", "words"),
    [
        ("lower", "progressive", "lower field first in a progressive sequence"),
        ("lower", "upper", "lower field first in a sequence of upper field first"),
        ("upper", "upper", None),
        ("progressive", "upper", None),
        ("", "progressive", None),
    ],
)
def test_fields_that_do_not_fit_the_sequence_are_said(there: str, wanted: str, words: str | None) -> None:
    media = Media("m", "kiln.mov", "/k/kiln.mov", None, 0, False, 10, PAL, 64, 32, video=True)
    sequence = Sequence("s", "Kiln Night", PAL, width=64, height=32, field_order=wanted)
    told = Probed("/k/kiln.mov", 1, 1, video=True, rate="25/1", width=64, height=32, field_order=there)
    found = [one.words for one in misfits([(Need(media, 0, 1, True), told)], sequence, None)]
    assert found == ([words] if words else [])


@pytest.mark.parametrize("name", ["kiln.[1001-1006].exr", "kiln.%04d.exr", "kiln.####.exr"])
@pytest.mark.parametrize("duration", [6, 4, None])
def test_a_sequence_comes_back_from_an_open_timeline_as_it_was_written(
    name: str, duration: int | None
) -> None:
    document = cut(f"/k/shots/{name}")
    media = replace(document.media[0], duration=duration)
    document = replace(document, media=(media,))
    carried = carry_over(document, document.top_level[0], find_destination("archive-otio"))
    assert carried.errors == 0
    assert [one.path for one in carried.returned.media] == [f"/k/shots/{name}"]


@pytest.mark.parametrize(
    ("said", "rate"),
    [
        (24.0, Fraction(24)),
        (23.976, Fraction(2997, 125)),
        ((30000, 1001), Fraction(30000, 1001)),
        (12.0, Fraction(12)),
        # What was in memory where nobody wrote.
        (577.02, None),
        (100.3, None),
        (3.4e37, None),
        (float("nan"), None),
    ],
)
def test_a_rate_in_the_head_of_a_picture_is_one_or_none(said: object, rate: Fraction | None) -> None:
    class Spec:
        def getattribute(self, name: str) -> object:
            return said if name == "dpx:FrameRate" else None

    assert stills._rate(Spec()) == rate
