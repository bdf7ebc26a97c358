"""Numbered sequences and single picture files: names, gaps, depth, place, timecode."""

from __future__ import annotations

import random
from fractions import Fraction
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image, ImageOps

from wexodos.footage.numbered import gap_words, numbered
from wexodos.footage.source import PictureError
from wexodos.footage.stills import still, still_facts
from wexodos.formats.numbering import frame_of, pattern_of, patterns_in
from wexodos.formats.paths import is_still_name
from wexodos.picture import Frames


def picture(path: Path, values: np.ndarray, kind: str = "uint16", **told: object) -> Path:
    """A picture file with values from 0 to 1 (any for float); ``told`` are attributes of its head."""
    spec = oiio.ImageSpec(values.shape[1], values.shape[0], values.shape[2], kind)
    spec.attribute("oiio:UnassociatedAlpha", 1)
    for name, value in told.items():
        key = name.replace("__", ":")
        if key == "smpte:TimeCode":
            spec.attribute(key, oiio.TypeDesc("timecode"), value)
        elif isinstance(value, tuple):
            spec.attribute(key, oiio.TypeDesc("rational"), value)
        else:
            spec.attribute(key, value)
    file = oiio.ImageOutput.create(str(path))
    assert file.open(str(path), spec), file.geterror()
    assert file.write_image(np.ascontiguousarray(values, np.float32))
    file.close()
    return path


def flat(value: float, channels: int = 3) -> np.ndarray:
    return np.full((4, 8, channels), value, np.float32)


def run(
    folder: Path, numbers: range | list[int], head: str = "kiln.", tail: str = ".png", digits: int = 4
) -> None:
    """Files whose brightness is their number in 255ths."""
    folder.mkdir(exist_ok=True, parents=True)
    for number in numbers:
        picture(folder / f"{head}{number:0{digits}d}{tail}", flat(number % 256 / 255), "uint16")


@pytest.mark.parametrize(
    ("name", "example"),
    [
        ("kiln.%04d.dpx", (7, "kiln.0007.dpx")),
        ("kiln.%d.dpx", (7, "kiln.7.dpx")),
        ("kiln_####.exr", (12345, "kiln_12345.exr")),
        ("kiln@@@.tif", (7, "kiln007.tif")),
        ("kiln.[0990-1020].exr", (1000, "kiln.1000.exr")),
    ],
)
def test_the_place_of_the_number_is_written_in_several_ways(name: str, example: tuple[int, str]) -> None:
    pattern = pattern_of(name)
    assert pattern is not None and pattern.name(example[0]) == example[1]
    assert not is_still_name(name)


@pytest.mark.parametrize(
    "name", ["kiln.mov", "kiln.1001.dpx", "kiln%04d.mov", "kiln.[9-1].exr", "100%done.png", ""]
)
def test_other_names_name_no_sequence(name: str) -> None:
    assert pattern_of(name) is None


def test_a_name_with_a_number_is_a_frame_of_something() -> None:
    found = frame_of("A003 v2.1001.dpx")
    assert found is not None and (found[0].head, found[0].digits, found[1]) == ("A003 v2.", 4, 1001)
    assert frame_of("kiln.dpx") is None and frame_of("kiln.0001.mov") is None


def test_which_sequences_lie_among_names() -> None:
    names = [
        "a.0998.png",
        "a.0999.png",
        "a.1000.png",
        "a.10000.png",
        "b1.png",
        "b2.png",
        "b10.png",
        "c.01.png",
        "x",
    ]
    assert {one.words: count for one, count in patterns_in(names).items()} == {"a.%04d.png": 4, "b%d.png": 3}
    # Noughts of their own make another sequence.
    names = ["a1.png", "a2.png", "a001.png", "a002.png"]
    assert {one.words: count for one, count in patterns_in(names).items()} == {"a%d.png": 2, "a%03d.png": 2}


def test_gaps_are_said_with_their_numbers(tmp_path: Path) -> None:
    run(tmp_path, [1001, 1002, 1004, 1008])
    found = numbered(tmp_path / "kiln.%04d.png")
    assert found is not None and (found.first, found.last, found.count) == (1001, 1008, 8)
    assert found.gaps == ((1003, 1003), (1005, 1007)) and gap_words(found.gaps) == "1003, 1005 to 1007"
    # What was written counts: missing ends are gaps too, and what lies beyond belongs to something else.
    found = numbered(tmp_path / "kiln.[0999-1006].png")
    assert found is not None and found.gaps == ((999, 1000), (1003, 1003), (1005, 1006))
    assert found.file(3).name == "kiln.1002.png"
    assert numbered(tmp_path / "other.%04d.png") is None and numbered(tmp_path / "kiln.%05d.png") is None
    # A file that comes later is seen.
    run(tmp_path, [1003])
    found = numbered(tmp_path / "kiln.####.png")
    assert found is not None and found.gaps == ((1005, 1007),)


def test_a_folder_and_the_first_file_alone(tmp_path: Path) -> None:
    run(tmp_path / "dpx", range(10, 15), tail=".dpx")
    for path in (tmp_path / "dpx", tmp_path / "dpx" / "kiln.0010.dpx"):
        found = numbered(path)
        assert found is not None and (found.first, found.count) == (10, 5), path
    # From a file within it on; a photograph is one picture, however many stand beside it.
    found = numbered(tmp_path / "dpx" / "kiln.0012.dpx")
    assert found is not None and (found.first, found.count) == (12, 3)
    run(tmp_path / "photographs", range(10, 15), "IMG_", ".jpg")
    assert numbered(tmp_path / "photographs" / "IMG_0010.jpg") is None
    # Two sequences in a folder: nobody can say which it is.
    run(tmp_path / "dpx", range(3), "other.", ".dpx")
    assert numbered(tmp_path / "dpx") is None


@pytest.mark.parametrize("tail", [".dpx", ".exr", ".tif", ".png", ".jpg"])
def test_every_frame_of_a_sequence_is_its_own_file(tmp_path: Path, tail: str) -> None:
    run(tmp_path, [1001, 1002, 1003, 1006], tail=tail)
    frames = Frames()
    path = tmp_path / f"kiln.%04d{tail}"
    for frame in (0, 2, 1, 5):
        seen = frames.frame(path, frame, Fraction(24), False)
        assert abs(float(seen[1, 1, 0]) * 255 - (1001 + frame) % 256) < (1.01 if tail == ".jpg" else 0.2)
        assert seen.shape == (4, 8, 4) and float(seen[..., 3].min()) == 1
    with pytest.raises(PictureError, match=r"kiln\.1004"):
        frames.frame(path, 3, Fraction(24), False)
    # Beyond its ends stand the first and the last.
    assert np.array_equal(
        frames.frame(path, 99, Fraction(24), False), frames.frame(path, 5, Fraction(24), False)
    )


def test_depth_is_kept_and_values_beyond_white_too(tmp_path: Path) -> None:
    ramp = np.linspace(0, 1, 8 * 4 * 3, dtype=np.float32).reshape(4, 8, 3)
    sixteen = np.round(ramp * 65535) / 65535
    for tail in (".png", ".tif"):
        found = still(picture(tmp_path / f"deep{tail}", ramp), None)[..., :3]
        assert np.abs(found - sixteen).max() < 1e-6 and len(np.unique(found)) == ramp.size
    bright = picture(tmp_path / "bright.exr", ramp * 12 - 1, "half")
    assert np.abs(still(bright, None)[..., :3] - (ramp * 12 - 1)).max() < 0.005
    facts = still_facts(bright)
    assert (facts.bits, facts.floating, facts.form, facts.alpha) == (16, True, "openexr", False)
    assert still_facts(tmp_path / "deep.png").bits == 16
    grey = np.dstack([ramp[..., 0], ramp[..., 1]])
    found = still(picture(tmp_path / "grey.png", grey), None)
    for place in range(3):
        assert np.abs(found[..., place] - np.round(grey[..., 0] * 65535) / 65535).max() < 1e-6
    assert np.abs(found[..., 3] - np.round(grey[..., 1] * 65535) / 65535).max() < 1e-6


def test_colours_are_given_as_they_stand_beside_their_alpha(tmp_path: Path) -> None:
    """PNG keeps them apart; an alpha of nought takes no colour away."""
    Image.fromarray(np.array([[[200, 100, 50, 0], [200, 100, 50, 128]]], np.uint8)).save(
        tmp_path / "clear.png"
    )
    assert np.round(still(tmp_path / "clear.png", None) * 255).tolist() == [
        [[200, 100, 50, 0], [200, 100, 50, 128]]
    ]


@pytest.mark.parametrize("turn", range(1, 9))
def test_pictures_stand_upright_whatever_their_tag_says(tmp_path: Path, turn: int) -> None:
    y, x = np.mgrid[0:12, 0:20]
    image = Image.fromarray(np.stack([x * 12, y * 20, (x + y) * 7], axis=-1).astype(np.uint8))
    tags = Image.Exif()
    tags[0x0112] = turn
    path = tmp_path / "turned.tif"
    image.save(path, exif=tags)
    with Image.open(path) as back:
        meant = np.asarray(ImageOps.exif_transpose(back).convert("RGB"), np.float32)
    assert np.array_equal(np.round(still(path, None)[..., :3] * 255), meant)
    facts = still_facts(path)
    assert (facts.width, facts.height) == ((12, 20) if turn > 4 else (20, 12))


def test_timecode_rate_and_pixel_aspect_stand_in_the_head(tmp_path: Path) -> None:
    # 10:20:30:04 as SMPTE 12M packs it: a digit in every four bits, hours first.
    word = 0x10203004 - (1 << 32) if 0x10203004 >> 31 else 0x10203004
    path = picture(
        tmp_path / "head.exr",
        flat(0.5),
        "half",
        smpte__TimeCode=(word, 0),
        FramesPerSecond=(24000, 1001),
        PixelAspectRatio=2.0,
    )
    facts = still_facts(path)
    assert (facts.timecode, facts.rate, facts.pixel_aspect) == ("10:20:30:04", Fraction(24000, 1001), 2)
    # Bit 6 says drop frame; the tens of frames have two bits, those of seconds and minutes three.
    path = picture(tmp_path / "drop.exr", flat(0.5), "half", smpte__TimeCode=(0x23595928 | 0x40, 0))
    assert still_facts(path).timecode == "23:59:59;28"
    assert still_facts(picture(tmp_path / "none.png", flat(0.5))).timecode == ""


@pytest.mark.parametrize("tail", [".dpx", ".exr", ".png", ".tif", ".jpg"])
def test_a_picture_that_was_cut_off_is_a_sentence(tmp_path: Path, tail: str) -> None:
    noise = np.random.default_rng(1).random((64, 64, 3), np.float32)
    path = picture(tmp_path / f"whole{tail}", noise)
    short = tmp_path / f"short{tail}"
    data = path.read_bytes()
    for part in (0, 3, 40, len(data) // 2):
        short.write_bytes(data[:part])
        with pytest.raises(PictureError, match="short"):
            still(short, None)
        with pytest.raises(PictureError, match="short"):
            still_facts(short)


@pytest.mark.parametrize("tail", [".dpx", ".exr", ".tif", ".png", ".jpg", ".tga", ".bmp", ".webp", ".jp2"])
def test_a_damaged_picture_is_a_picture_or_a_sentence_and_says_nothing_itself(
    tmp_path: Path, tail: str, capfd: pytest.CaptureFixture[str], recwarn: pytest.WarningsRecorder
) -> None:
    noise = np.random.default_rng(1).random((40, 64, 3), np.float32)
    deep = "half" if tail == ".exr" else "uint16" if tail in (".dpx", ".tif", ".png") else "uint8"
    whole = picture(tmp_path / f"whole{tail}", noise, deep).read_bytes()
    draw, path = random.Random(tail), tmp_path / f"torn{tail}"
    for _ in range(120):
        data = bytearray(whole)
        for _ in range(draw.choice((1, 3, 10, 40))):
            place = draw.randrange(min(len(data), draw.choice((64, 512, 4096))))
            data[place] = draw.choice((0, 255, 127, 128, draw.randrange(256)))
        path.write_bytes(data)
        for read in (lambda: still(path, (32, 32)), lambda: still_facts(path)):
            try:
                read()
            except PictureError as error:
                assert "\n" not in str(error) and path.name in str(error)
    assert capfd.readouterr() == ("", "")
