"""Colour spaces held against formulas: the matrices of BT.2020 and P3 D65 worked out from their primaries, the
curve of BT.1886, and the numbers of ACES that are published."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import pytest
from numpy.typing import NDArray

from footage.test_picture_files import picture
from picture.makers import Stage
from wexodos.model import Media
from wexodos.picture import Composer, Frames
from wexodos.picture.colour import SPACES, shown, space_of
from wexodos.picture.place import upright_in

PRIMARIES = {
    "BT.709": ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)),
    "BT.2020": ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)),
    "P3 D65": ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)),
}
D65 = (0.3127, 0.3290)


def to_xyz(name: str) -> NDArray[np.float64]:
    """Red, green and blue of a space as XYZ: SMPTE RP 177."""
    columns = np.array([[x / y, 1, (1 - x - y) / y] for x, y in PRIMARIES[name]]).T
    white = np.array([D65[0] / D65[1], 1, (1 - sum(D65)) / D65[1]])
    return columns * np.linalg.solve(columns, white)


def curve(linear: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.sign(linear) * np.abs(linear) ** (1 / 2.4)


def opaque(values: NDArray[np.float64]) -> NDArray[np.float32]:
    return np.dstack([values, np.ones(values.shape[:2])]).astype(np.float32)


def colours() -> NDArray[np.float64]:
    return np.random.default_rng(3).random((6, 8, 3))


@pytest.mark.parametrize("name", ["BT.709", "BT.2020", "P3 D65"])
def test_linear_and_display_values_of_other_primaries(name: str) -> None:
    given = colours()
    matrix = np.linalg.inv(to_xyz("BT.709")) @ to_xyz(name)
    meant = curve(given @ matrix.T)
    inside = meant.min(axis=-1) >= 0
    found = shown(opaque(given), f"linear {name}")[..., :3]
    assert np.abs(found - meant)[inside].max() < 0.002
    if name != "BT.709":
        meant = curve((given**2.4) @ matrix.T)
        inside = meant.min(axis=-1) >= 0
        assert np.abs(shown(opaque(given), name)[..., :3] - meant)[inside].max() < 0.002


def test_grey_stays_grey_and_light_beyond_white_stays(tmp_path: Path) -> None:
    grey = np.array([[[0.18] * 3, [1.0] * 3, [4.0] * 3]])
    for space in ("linear BT.709", "linear BT.2020", "ACEScg", "ACES2065-1"):
        found = shown(opaque(grey), space)[0, :, :3]
        assert np.abs(found - curve(np.array([[0.18], [1.0], [4.0]]))).max() < 0.002, space
    # ACEScct: (log2(0.18) + 9.72) / 17.52, S-2016-001.
    cct = np.full((1, 1, 3), (np.log2(0.18) + 9.72) / 17.52)
    assert np.abs(shown(opaque(cct), "ACEScct")[..., :3] - 0.18 ** (1 / 2.4)).max() < 0.002


def test_what_is_mixed_as_it_stands_is_left_alone() -> None:
    given = opaque(colours())
    for space in ("BT.709", "", "somewhere"):
        assert shown(given, space) is given
    assert SPACES[0] == "BT.709" and len(set(SPACES)) == 12


def pq(light: NDArray[np.float64]) -> NDArray[np.float64]:
    """Light in cd/m² as SMPTE ST 2084 codes it."""
    m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 32, 3424 / 4096, 2413 / 128, 2392 / 128
    share = (light / 10_000) ** m1
    return ((c1 + c2 * share) / (1 + c3 * share)) ** m2


def hlg(light: NDArray[np.float64]) -> NDArray[np.float64]:
    """Light in cd/m² on a screen of 1000 as ITU-R BT.2100 codes it: the system gamma of 1.2 taken back, then
    its curve."""
    luma = light @ np.array([0.2627, 0.6780, 0.0593])
    scene = light / 1000 * ((luma / 1000) ** (1 / 1.2 - 1))[..., None]
    a, b, c = 0.17883277, 0.28466892, 0.55991073
    high = a * np.log(np.maximum(12 * scene - b, 1e-9)) + c
    return np.where(scene <= 1 / 12, np.sqrt(3 * scene), high)


@pytest.mark.parametrize(("space", "own"), [("PQ", "BT.2020"), ("PQ P3 D65", "P3 D65"), ("HLG", "BT.2020")])
def test_of_high_dynamic_range_203_candelas_are_white(space: str, own: str) -> None:
    light = colours() * 400 + 2
    light[0, 0], light[0, 1] = 203, 812
    coded = hlg(light) if space == "HLG" else pq(light)
    matrix = np.linalg.inv(to_xyz("BT.709")) @ to_xyz(own)
    meant = light @ matrix.T / 203
    inside = meant.min(axis=-1) >= 0.002
    found = shown(opaque(coded), space)[..., :3]
    assert np.abs(found - curve(meant))[inside].max() < 0.004 and inside.sum() > 20
    assert np.abs(found[0, 0] - 1).max() < 0.002 and np.abs(found[0, 1] - 4 ** (1 / 2.4)).max() < 0.004


@pytest.mark.parametrize(
    ("primaries", "transfer", "space"),
    [
        ("BT.709", "BT.709", "BT.709"),
        ("", "sRGB", "BT.709"),
        ("BT.601 625", "BT.601", "BT.709"),
        ("BT.2020", "BT.2020", "BT.2020"),
        ("P3 D65", "sRGB", "P3 D65"),
        ("BT.2020", "linear", "linear BT.2020"),
        ("BT.2020", "HLG", "HLG"),
        ("", "PQ", "PQ"),
        ("P3 D65", "PQ", "PQ P3 D65"),
    ],
)
def test_tags_say_the_space(primaries: str, transfer: str, space: str) -> None:
    assert space_of(primaries, transfer) == space


def test_a_scene_linear_picture_is_seen_as_it_is_meant(tmp_path: Path) -> None:
    stage = Stage(tmp_path)
    values = np.full((32, 64, 3), 0.18, np.float32)
    path = picture(tmp_path / "kiln.exr", values, "half")
    media = Media("k", "kiln.exr", str(path), width=64, height=32, video=True, still=True)
    stage.media.append(media)
    document, sequence = stage.cut((stage.item(media),))
    seen = Composer(document, lambda one: Path(one.path or "")).frame(sequence, 0).picture
    assert np.abs(seen[..., :3] - 0.18 ** (1 / 2.4)).max() < 0.002
    # What a person says goes before it.
    composer = Composer(document, lambda one: Path(one.path or ""), space_of=lambda _media: "BT.709")
    assert np.abs(composer.frame(sequence, 0).picture[..., :3] - 0.18).max() < 0.001


@pytest.mark.parametrize(
    ("codes", "said"),
    [
        ((9, 18), ["a.mov is in HLG: its reference white is shown as white, what is brighter is cut off"]),
        ((9, 14), []),
        ((1, 1), []),
    ],
)
def test_the_tags_of_a_movie_are_read_and_high_dynamic_range_is_said(
    tmp_path: Path, codes: tuple[int, int], said: list[str]
) -> None:
    path = tmp_path / "a.mov"
    with av.open(str(path), "w") as file:
        stream = file.add_stream("prores_ks", rate=25)
        stream.width, stream.height, stream.pix_fmt = 64, 32, "yuv444p10le"
        stream.codec_context.color_primaries, stream.codec_context.color_trc = codes
        stream.codec_context.colorspace = codes[0]
        frame = av.VideoFrame.from_ndarray(np.full((32, 64, 3), (200, 120, 60), np.uint8), format="rgb24")
        file.mux(stream.encode(frame.reformat(format="yuv444p10le")))
        file.mux(stream.encode(None))
    stage = Stage(tmp_path)
    media = Media(
        "a",
        "a.mov",
        str(path),
        rate=stage.media[0].rate if stage.media else None,
        width=64,
        height=32,
        video=True,
    )
    stage.media.append(media)
    document, sequence = stage.cut((stage.item(media, length=1),))
    shot = Composer(document, lambda one: path).frame(sequence, 0)
    assert shot.noted == said and shot.undrawn == []
    plain = Frames().frame(path, 0, None, False)[..., :3]
    changed = np.abs(shot.picture[..., :3] - plain).max() > 0.02
    assert changed == (codes != (1, 1))
    # A table that is put on high dynamic range takes the signal as it stands, one on others what is shown.
    table = tmp_path / "half.cube"
    points = ((r / 2, g / 2, b / 2) for b in range(2) for g in range(2) for r in range(2))
    table.write_text("LUT_3D_SIZE 2\n" + "".join(f"{r} {g} {b}\n" for r, g, b in points))
    through = Composer(document, lambda one: path, table_of=lambda _media: table).frame(sequence, 0)
    meant = (plain if codes == (9, 18) else np.clip(shot.picture[..., :3], 0, 1)) / 2
    assert np.abs(through.picture[..., :3] - meant).max() < 0.002 and through.noted == []


def test_the_colours_of_an_open_exr_are_multiplied_by_its_alpha_already(tmp_path: Path) -> None:
    """By its own rule; a cut may say otherwise."""
    stage = Stage(tmp_path)
    values = np.full((32, 64, 4), 0.2, np.float32)
    values[..., 3] = 0.5
    path = picture(tmp_path / "kiln.exr", values, "half", oiio__UnassociatedAlpha=0)
    for alpha, light in ((None, 0.2), ("straight", 0.1)):
        media = Media("k", "kiln.exr", str(path), width=64, height=32, video=True, still=True, alpha=alpha)
        stage.media = [media]
        document, sequence = stage.cut((stage.item(media),))
        composer = Composer(document, lambda _one: path, space_of=lambda _media: "BT.709")
        assert np.abs(composer.frame(sequence, 0).picture[..., :3] - light).max() < 0.001


def test_nearly_square_pictures_are_not_taken_for_turned() -> None:
    upright = np.ones((199, 200, 4), np.float32)
    assert upright_in(upright, 400, 398) is upright
    assert upright_in(upright, 398, 400).shape == (round(200 * 400 / 398), 200, 4)
