"""Composed frames against frames that were worked out another way: known patterns through known
transforms."""

from __future__ import annotations

import hashlib
import random
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from picture.makers import RATE, TALL, WIDE, Stage, movie, pattern, still
from wexodos.evaluate import Evaluator
from wexodos.evaluate.layers import layers_at
from wexodos.formats.fcpxml.adjusts import BLENDS as LANE_BLENDS
from wexodos.formats.xmeml.tables import BLENDS as TRACK_BLENDS
from wexodos.model import (
    Adjustment,
    Constant,
    Effect,
    Generator,
    Item,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    TextRun,
    Title,
    Track,
    Transition,
    constant,
)
from wexodos.model.content import Roll, Shadow
from wexodos.picture import Composer, Frames, PictureError, difference, eight_bits
from wexodos.picture.blend import MATTES, MODES, STENCILS, over
from wexodos.picture.depths import deep_to_bytes
from wexodos.picture.joins import joined, wipe_field
from wexodos.tidy import Chosen, tidy
from wexodos.tidy.renders import RenderError, render_file


@pytest.fixture
def stage(tmp_path: Path) -> Stage:
    return Stage(tmp_path)


def close(one: np.ndarray, other: np.ndarray, by: float = 0.51) -> bool:
    return one.shape == other.shape and float(np.abs(one - other).max()) <= by


# ---- decoding


@pytest.mark.parametrize(
    ("suffix", "codec", "rate"),
    [
        (".mov", "libx264", Fraction(25)),
        (".mp4", "libx264", Fraction(30000, 1001)),
        (".mkv", "libx264", Fraction(24000, 1001)),
        (".mov", "png", Fraction(24)),
        (".mov", "mpeg4", Fraction(60000, 1001)),
    ],
)
def test_any_frame_in_any_order_is_the_one_asked_for(
    tmp_path: Path, suffix: str, codec: str, rate: Fraction
) -> None:
    def numbered(number: int) -> np.ndarray:
        bits = [(number >> place) & 1 for place in range(8)]
        return np.repeat(
            np.repeat(np.array(bits, np.uint8)[None, :, None] * 220 + 16, 8, axis=1), 48, axis=0
        ).repeat(3, axis=2)

    options = {"g": "37", "bf": "3"} if codec == "libx264" else {}
    path = movie(
        tmp_path / f"numbers{suffix}", [numbered(number) for number in range(150)], rate, codec, **options
    )
    frames, draw = Frames(budget=1 << 20), random.Random(7)
    for number in [0, 149, 148, 1, *(draw.randrange(150) for _ in range(40)), *range(60, 75)]:
        picture = frames.frame(path, number, rate, False)
        bits = [int(picture[:, place * 8 + 2 : place * 8 + 6, :3].mean() > 0.5) for place in range(8)]
        assert sum(bit << place for place, bit in enumerate(bits)) == number
    last = frames.frame(path, 149, rate, False)
    assert np.array_equal(frames.frame(path, 5000, rate, False), last)
    assert frames.frame(path, 3, rate, False, (32, 24)).shape == (24, 32, 4)
    frames.close()


def test_a_frame_stands_until_the_next_begins(tmp_path: Path) -> None:
    path = tmp_path / "uneven.mkv"
    begins = [0, 1, 2, 10, 11, 30]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt, stream.time_base = 16, 16, "bgr0", Fraction(1, 1000)
        for number, at in enumerate(begins):
            frame = av.VideoFrame.from_ndarray(
                np.full((16, 16, 3), number * 40, np.uint8), format="rgb24"
            ).reformat(format="bgr0")
            frame.pts, frame.time_base = at * 40, Fraction(1, 1000)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    frames = Frames()
    for number in (5, 0, 9, 10, 29, 2, 12, 30, 35, 1):
        wanted = max(place for place, at in enumerate(begins) if at <= number)
        assert round(float(frames.frame(path, number, Fraction(25), False)[8, 8, 0]) * 255) == wanted * 40, (
            number
        )


@pytest.mark.parametrize(("height", "luma"), [(576, (0.299, 0.114)), (720, (0.2126, 0.0722))])
def test_colours_whose_coding_is_not_said_go_by_the_size(
    tmp_path: Path, height: int, luma: tuple[float, float]
) -> None:
    """Formulas of ITU-R BT.601 and BT.709, narrow range."""
    red, green, blue = 200 / 255, 60 / 255, 30 / 255
    y = luma[0] * red + (1 - sum(luma)) * green + luma[1] * blue
    values = (16 + 219 * y, 128 + 112 * (blue - y) / (1 - luma[1]), 128 + 112 * (red - y) / (1 - luma[0]))
    path = tmp_path / "red.mov"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": "0"})
        stream.width, stream.height, stream.pix_fmt = 64, height, "yuv444p"
        planes = np.stack([np.full((height, 64), round(one), np.uint8) for one in values])
        container.mux(stream.encode(av.VideoFrame.from_ndarray(planes, format="yuv444p")))
        container.mux(stream.encode(None))
    found = Frames().frame(path, 0, Fraction(25), False)[height // 2, 32, :3] * 255
    assert close(found, np.array([200, 60, 30], np.float32), 1.6)


def test_what_cannot_be_decoded_is_one_sentence(tmp_path: Path) -> None:
    frames = Frames()
    (tmp_path / "broken.mov").write_bytes(b"\0\0\0\x20ftypqt  " + bytes(500))
    (tmp_path / "broken.png").write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(50))
    for name, shows in (("broken.mov", False), ("broken.png", True), ("gone.mov", False)):
        with pytest.raises(PictureError, match=name):
            frames.frame(tmp_path / name, 0, Fraction(25), shows)


# ---- placing


def test_a_whole_picture_is_itself_bit_for_bit(stage: Stage) -> None:
    media = stage.movie("a", [pattern(number) for number in range(5)])
    seen = stage.seen(stage.cut((stage.item(media, into=2, length=3),)), 1)
    hashes = [
        hashlib.sha256(np.round(one).astype(np.uint8).tobytes()).hexdigest() for one in (seen, pattern(3))
    ]
    assert hashes[0] == hashes[1]


def test_known_transforms(stage: Stage) -> None:
    media = stage.movie("a", [pattern()])
    base = pattern().astype(np.float32)

    def seen(motion: Motion, **more: object) -> np.ndarray:
        return stage.seen(stage.cut((stage.item(media, motion=motion, **more),)))

    moved = np.zeros_like(base)
    moved[5:, 7:] = base[:-5, :-7]
    assert close(seen(Motion(position=constant(7, 5))), moved)
    assert close(seen(Motion(scale=constant(-1, 1))), base[:, ::-1])
    assert close(seen(Motion(rotation=constant(180))), base[::-1, ::-1])
    half = np.zeros_like(base)
    half[TALL // 4 : TALL * 3 // 4, WIDE // 4 : WIDE * 3 // 4] = base.reshape(
        TALL // 2, 2, WIDE // 2, 2, 3
    ).mean(axis=(1, 3))
    assert close(seen(Motion(scale=constant(0.5, 0.5))), half)
    turned = np.zeros_like(base)
    turned[:, 16:48] = np.rot90(base[:, 16:48], -1)
    whole = seen(Motion(rotation=constant(90)))
    assert close(whole[:, 16:48], turned[:, 16:48])
    corner = seen(
        Motion(scale=constant(0.5, 0.5), anchor=constant(-0.5, -0.5), position=constant(-WIDE / 2, -TALL / 2))
    )
    assert close(corner[: TALL // 2, : WIDE // 2], half[TALL // 4 : TALL * 3 // 4, WIDE // 4 : WIDE * 3 // 4])
    cropped = base.copy()
    cropped[:8] = cropped[:, :16] = cropped[:, 56:] = 0
    assert close(seen(Motion(crop=constant(0.25, 0.25, 0.125, 0))), cropped)
    assert close(seen(Motion(opacity=constant(0.25))), base * 0.25)
    pulled = seen(Motion(corners=constant(0.5, 0, 0, 0, 0, 0, 0.5, 0)))
    assert pulled[:, : WIDE // 2 - 1].max() == 0 and pulled[:, WIDE // 2 + 1 :].min() >= 0
    # A bilinear picture twice as large, worked out by hand.
    big = seen(Motion(scale=constant(2, 2)))
    ys, xs = (np.arange(TALL) + 0.5) / 2 + TALL / 4 - 0.5, (np.arange(WIDE) + 0.5) / 2 + WIDE / 4 - 0.5
    y0, x0 = np.floor(ys).astype(int), np.floor(xs).astype(int)
    fy, fx = (ys - y0)[:, None, None], (xs - x0)[None, :, None]
    by_hand = (
        base[y0][:, x0] * (1 - fy) * (1 - fx)
        + base[y0 + 1][:, x0] * fy * (1 - fx)
        + base[y0][:, x0 + 1] * (1 - fy) * fx
        + base[y0 + 1][:, x0 + 1] * fy * fx
    )
    assert close(big, by_hand, 1.0)


def test_fits_pixel_aspect_and_chosen_sizes(stage: Stage) -> None:
    square = stage.movie("sq", [np.full((32, 32, 3), 200, np.uint8)])
    fitted = stage.seen(stage.cut((stage.item(square, motion=Motion(fit="fit")),)))
    assert (
        close(fitted[:, 16:48], np.full((32, 32, 3), 200.0))
        and fitted[:, :16].max() == 0 == fitted[:, 48:].max()
    )
    filled = stage.seen(stage.cut((stage.item(square, motion=Motion(fit="fill")),)))
    assert close(filled, np.full((TALL, WIDE, 3), 200.0))
    wide = stage.seen(stage.cut((stage.item(square),), wide=32, aspect=2))
    # Pixels twice as wide: the frame is shown 64 wide, a square source stays square in its middle.
    assert (
        wide.shape == (32, 64, 3)
        and close(wide[:, 16:48], np.full((32, 32, 3), 200.0))
        and wide[:, :15].max() == 0
    )
    small = stage.seen(stage.cut((stage.item(square, motion=Motion(fit="fill")),)), 0, 16)
    assert small.shape == (16, 32, 3) and close(small, np.full((16, 32, 3), 200.0))


def test_alpha_says_how_colours_stand(stage: Stage) -> None:
    data = np.zeros((TALL, WIDE, 4), np.uint8)
    data[..., 0], data[..., 3] = 100, 128
    for alpha, red in (
        ("straight", 100 * 128 / 255),
        (None, 100 * 128 / 255),
        ("black", 100.0),
        ("none", 100.0),
    ):
        graphic = stage.still(f"g-{alpha}", data)
        ground = stage.movie(f"w-{alpha}", [np.full((TALL, WIDE, 3), 60, np.uint8)])
        seen = stage.seen(stage.cut((stage.item(ground),), (stage.item(graphic, alpha=alpha),)))
        below = 0 if alpha == "none" else 60 * (1 - 128 / 255)
        assert seen[5, 5, 0] == pytest.approx(red + below, abs=0.6)


# ---- mixing


def test_blends_follow_their_formulas() -> None:
    b, s = np.array([0.2, 0.6, 0.9], np.float32), np.array([0.7, 0.3, 0.55], np.float32)
    expected = {
        "add": np.minimum(b + s, 1),
        "subtract": np.maximum(b - s, 0),
        "difference": np.abs(b - s),
        "multiply": b * s,
        "screen": 1 - (1 - b) * (1 - s),
        "darken": np.minimum(b, s),
        "lighten": np.maximum(b, s),
        "overlay": np.where(b <= 0.5, 2 * b * s, 1 - 2 * (1 - b) * (1 - s)),
        "hard light": np.where(s <= 0.5, 2 * b * s, 1 - 2 * (1 - b) * (1 - s)),
        "linear dodge": [0.9, 0.9, 1.0],
        "linear burn": [0.0, 0.0, 0.45],
        "linear light": [0.6, 0.2, 1.0],
        "exclusion": [0.62, 0.54, 0.46],
        "colour dodge": [0.2 / 0.3, 0.6 / 0.7, 1.0],
        "colour burn": [0.0, 0.0, 1 - 0.1 / 0.55],
        "hard mix": [0.0, 0.0, 1.0],
        "vivid light": [0.2 / 0.6, 1 - 0.4 / 0.6, 1.0],
        "pin light": [0.4, 0.6, 0.9],
        "soft light": np.where(
            s <= 0.5,
            b - (1 - 2 * s) * b * (1 - b),
            b + (2 * s - 1) * (np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b)) - b),
        ),
    }
    assert set(expected) == set(MODES)
    # Every name that a dialect gives is drawn.
    assert {*TRACK_BLENDS.values(), *LANE_BLENDS.values()} == {"normal", *MODES, *MATTES, *STENCILS}
    below, above = (np.concatenate([one, [1]]).astype(np.float32)[None, None] for one in (b, s))
    for mode, wanted in expected.items():
        assert np.allclose(over(below, above, mode)[0, 0, :3], wanted, atol=1e-6), mode
        # Half as opaque, half of it; over nothing, itself.
        assert np.allclose(
            over(below, above * 0.5, mode)[0, 0, :3], (b + np.asarray(wanted)) / 2, atol=1e-6
        ), mode
        assert np.allclose(over(np.zeros_like(below), above, mode)[0, 0, :3], s, atol=1e-6), mode


def test_mattes_lend_their_alpha_or_brightness(stage: Stage) -> None:
    red = stage.movie("r", [np.full((TALL, WIDE, 3), (200, 0, 0), np.uint8)])
    ramp = np.repeat(np.linspace(0, 255, WIDE).astype(np.uint8)[None, :, None], TALL, axis=0).repeat(
        3, axis=2
    )
    matte = stage.movie("m", [ramp])
    seen = stage.seen(stage.cut((stage.item(matte),), (stage.item(red, blend="matte luma"),)))
    assert (
        close(seen[..., 0], 200.0 * ramp[..., 0].astype(np.float32) / 255.0, 0.6) and seen[..., 1].max() == 0
    )


def test_stencils_cut_all_that_lies_below_and_unknown_modes_are_named(stage: Stage) -> None:
    red, blue = (
        stage.movie(key, [np.full((TALL, WIDE, 3), color, np.uint8)])
        for key, color in (("r", (200, 0, 0)), ("b", (0, 0, 240)))
    )
    ramp = stage.still(
        "m",
        np.repeat(np.linspace(0, 255, WIDE).astype(np.uint8)[None, :, None], TALL, axis=0).repeat(3, axis=2),
    )
    inset = Motion(scale=constant(0.5, 0.5), position=constant(-WIDE / 4, 0))
    seen = stage.seen(
        stage.cut(
            (stage.item(red),), (stage.item(blue, motion=inset),), (stage.item(ramp, blend="stencil luma"),)
        )
    )
    share = np.linspace(0, 255, WIDE).astype(np.uint8) / 255.0
    assert close(seen[1, :, 0], (200 * share).astype(np.float32), 0.6) and close(
        seen[TALL // 2, : WIDE // 2, 2], (240 * share[: WIDE // 2]).astype(np.float32), 0.6
    )
    held = stage.seen(stage.cut((stage.item(red),), (stage.item(blue, motion=inset, blend="stencil alpha"),)))
    assert (
        held[TALL // 2, WIDE // 4].round().tolist() == [200, 0, 0]
        and held[TALL // 2, 3 * WIDE // 4].max() == 0
    )
    whole = stage.cut((stage.item(red),), (stage.item(blue, blend="glow"),))
    assert Composer(whole[0], lambda media: Path(media.path or "")).frame(whole[1], 0).undrawn == [
        "blend mode glow"
    ]


def test_transitions_at_known_places(stage: Stage) -> None:
    a, b = (np.full((TALL, WIDE, 4), value, np.float32) for value in ((0.8, 0.2, 0, 1), (0, 0.4, 0.6, 1)))

    def seen(type_: str, p: float, **more: object) -> np.ndarray:
        return joined(a, b, Transition("t", type_, type_, 0, 10, 5, **more), p, WIDE, TALL)  # type: ignore[arg-type]

    assert np.allclose(seen("dissolve", 0.25), a * 0.75 + b * 0.25)
    assert np.allclose(seen("other", 0.5), (a + b) / 2)
    assert np.allclose(seen("dip", 0.5, color="#ffffffff"), 1) and np.allclose(
        seen("dip", 0.25, color="#000000ff")[..., :3], a[..., :3] / 2
    )
    wiped = seen("wipe", 0.5, pattern=1)
    assert np.allclose(wiped[:, : WIDE // 2 - 1], b[:, : WIDE // 2 - 1]) and np.allclose(
        wiped[:, WIDE // 2 + 1 :], a[:, WIDE // 2 + 1 :]
    )
    back = seen("wipe", 0.5, pattern=1, direction="right to left")
    assert np.allclose(back[:, 0], a[:, 0]) and np.allclose(back[:, -1], b[:, -1])
    pushed = seen("push", 0.25, direction="right to left")
    assert np.allclose(pushed[:, : WIDE * 3 // 4], a[:, : WIDE * 3 // 4]) and np.allclose(
        pushed[:, WIDE * 3 // 4 :], b[:, WIDE * 3 // 4 :]
    )
    edged = seen("wipe", 0.5, pattern=1, border=12.5, border_color="#ff8000ff")
    assert (
        np.allclose(edged[:, WIDE // 2], [1, 128 / 255, 0, 1])
        and np.allclose(edged[:, WIDE // 2 - 6], b[:, 0])
        and np.allclose(edged[:, WIDE // 2 + 5], a[:, 0])
    )
    assert np.abs(edged[0, :, 0] - wiped[0, :, 0]).astype(bool).sum() == 8
    assert np.allclose(seen("additive", 0.5), np.minimum(a + b, 1))
    for type_, more in (
        ("wipe", {"pattern": 201}),
        ("iris", {}),
        ("wipe", {"pattern": 42, "softness": 20.0}),
        ("slide", {}),
        ("dissolve", {}),
        ("dip", {"color": "#ff0000ff"}),
    ):
        assert np.allclose(seen(type_, 0.0, **more), a, atol=1e-5) and np.allclose(
            seen(type_, 1.0, **more), b, atol=1e-5
        ), type_
    for pattern_number in (1, 2, 3, 4, 5, 6, 21, 22, 41, 42, 101, 119, 201, 999):
        field = wipe_field(pattern_number, WIDE, TALL)
        assert field.min() >= 0 and field.max() <= 1 and field.max() - field.min() > 0.6


def test_transitions_that_are_drawn_as_something_else_are_named(stage: Stage) -> None:
    a, b = stage.movie("a", [pattern()] * 40), stage.movie("b", [pattern(3)] * 40)
    for type_, more, said in (
        ("wipe", {"pattern": 7}, ["wipe 7"]),
        ("other", {}, ["Page turn"]),
        ("wipe", {"pattern": 201}, []),
        ("iris", {}, []),
    ):
        join = Transition("t", "Page turn", type_, 5, 10, 10, **more)  # type: ignore[arg-type]
        whole = stage.cut((stage.item(a, 0, 10, 10), stage.item(b, 10, 10, 10)), joins=(join,))
        shot = Composer(whole[0], lambda media: Path(media.path or "")).frame(whole[1], 9)
        assert shot.undrawn == said


def test_a_dissolve_in_a_cut_and_a_fade_from_nothing(stage: Stage) -> None:
    one = stage.movie("a", [np.full((TALL, WIDE, 3), 100, np.uint8)] * 40)
    two = stage.movie("b", [np.full((TALL, WIDE, 3), 200, np.uint8)] * 40)
    join, fade = Transition("t", "D", "dissolve", 6, 8, 10), Transition("f", "D", "dissolve", 16, 4, 20)
    cut = stage.cut((stage.item(one, 0, 10, 10), stage.item(two, 10, 10, 10)), joins=(join, fade))
    values = [float(stage.seen(cut, frame)[0, 0, 0]) for frame in (0, 6, 8, 10, 14, 18)]
    assert values == pytest.approx([100, 100, 125, 150, 200, 100], abs=0.6)


def test_a_nest_is_mixed_as_a_whole(stage: Stage) -> None:
    low = stage.movie("a", [np.full((TALL, WIDE, 3), 100, np.uint8)] * 20)
    high = stage.movie("b", [np.full((TALL, WIDE, 3), 200, np.uint8)] * 20)
    nest = Sequence(
        "n",
        "Inner",
        RATE,
        width=WIDE,
        height=TALL,
        tracks=(Track("video", (stage.item(low),)), Track("video", (stage.item(high),))),
        top_level=False,
    )
    use = Item("u", "Inner", 0, 10, NestedUse("n"), motion=Motion(opacity=constant(0.5)))
    assert stage.seen(stage.cut((use,), others=(nest,)), 3)[0, 0, 0] == pytest.approx(100, abs=0.6)
    circle = replace(nest, tracks=(Track("video", (replace(use, id="v"),)),))
    assert stage.seen(stage.cut((use,), others=(circle,)))[0, 0, 0] == 0


def test_filters_that_are_known_are_drawn_and_others_named(stage: Stage) -> None:
    media = stage.movie("a", [np.full((TALL, WIDE, 3), (200, 100, 50), np.uint8)])
    grey = 0.2126 * 200 + 0.7152 * 100 + 0.0722 * 50
    effect = Effect("Desaturate", "desaturate", settings=(("amount", constant(1.0)),))
    assert close(
        stage.seen(stage.cut((stage.item(media, effects=(effect,)),)))[:1, :1], np.full((1, 1, 3), grey), 0.6
    )
    light = Effect(
        "Brightness",
        "brightness-contrast",
        settings=(("brightness", constant(0.1)), ("contrast", constant(0.0))),
    )
    assert stage.seen(stage.cut((stage.item(media, effects=(light,)),)))[0, 0, 0] == pytest.approx(
        225.5, abs=0.6
    )
    look = Effect("CDL", "primaries", settings=(("slope", constant(0.5, 1, 1)), ("power", constant(1, 2, 1))))
    assert stage.seen(stage.cut((stage.item(media, effects=(look,)),)))[0, 0] == pytest.approx(
        [100, 100 * 100 / 255, 50], abs=0.7
    )
    over_all = Item(
        "adj", "Adjust", 0, 10, Adjustment(), motion=Motion(opacity=constant(0.5)), effects=(effect,)
    )
    assert stage.seen(stage.cut((stage.item(media),), (over_all,)))[0, 0, 0] == pytest.approx(
        (200 + grey) / 2, abs=0.7
    )
    whole = stage.cut((stage.item(media, effects=(Effect("Soft glow"),)),))
    composer = Composer(whole[0], lambda one: Path(one.path or ""))
    assert composer.frame(whole[1], 0).undrawn == ["Soft glow"]


# ---- made pictures


def test_titles_stand_where_they_should(stage: Stage) -> None:
    def ink(title: Title, elapsed: int = 0) -> np.ndarray:
        whole = stage.cut((Item("t", "Words", 0, 100, title, motion=Motion()),), wide=640, tall=360)
        return stage.seen(whole, elapsed)

    def box(seen: np.ndarray) -> tuple[int, int, int, int]:
        ys, xs = np.nonzero(seen.max(axis=2) > 60)
        return xs.min(), ys.min(), xs.max(), ys.max()

    run = TextRun("Kiln Night", size=60.0, color="#ff8000ff")
    middle = ink(Title((run,)))
    x0, y0, x1, y1 = box(middle)
    assert abs((x0 + x1) / 2 - 320) < 4 and abs((y0 + y1) / 2 - 180) < 12 and 35 < y1 - y0 < 60
    assert middle[..., 0].max() > 250 and middle[..., 2].max() < 5
    moved = box(ink(Title((run,), (100.0, -50.0))))
    assert (moved[0] - x0, moved[1] - y0) == (100, -50)
    left = box(ink(Title((replace(run, align="left"),))))
    assert abs(left[0] - 320) < 6
    assert box(ink(Title((replace(run, size=120.0),))))[3] - box(ink(Title((replace(run, size=120.0),))))[
        1
    ] > 1.6 * (y1 - y0)
    barred = ink(Title((run,), bar="#0000ffff"))
    assert barred[..., 2].max() > 250 and box(barred)[0] < x0 - 8
    shaded = ink(Title((replace(run, shadow=Shadow("#00ff00ff", 10.0, 315.0)),)))
    assert box(shaded)[2] > x1 + 4 and box(shaded)[3] > y1 + 4
    roll = Title((TextRun("one\ntwo", size=40.0),), roll=Roll("up"))
    assert box(ink(roll, 30))[1] > box(ink(roll, 60))[1]
    crawl = Title((TextRun("along", size=40.0),), roll=Roll("left"))
    assert box(ink(crawl, 20))[0] > box(ink(crawl, 60))[0]
    assert ink(Title(())).max() == 0 and ink(Title((TextRun("x" * 3000, size=9000.0),))).shape == (
        360,
        640,
        3,
    )


def test_generators_and_what_is_missing(stage: Stage) -> None:
    def made(content: Generator) -> np.ndarray:
        return stage.seen(stage.cut((Item("g", "made", 0, 10, content, motion=Motion()),)))

    assert np.allclose(made(Generator("colour", color="#204060ff")), (32, 64, 96))
    bars = made(Generator("bars"))
    assert (
        np.allclose(bars[0, 1], 255)
        and np.allclose(bars[0, WIDE // 8 + 1], (191.25, 191.25, 0))
        and bars[0, -1].max() == 0
    )
    assert made(Generator("black")).max() == 0 and made(Generator("something else", "Plasma")).max() > 0
    media = stage.movie("a", [pattern()] * 3)
    gone = replace(media, path="/nowhere/A001.mov", start=90_000)
    stage.media[0] = gone
    whole = stage.cut((Item("x", "shot", 0, 5, MediaUse("a"), motion=Motion()),), wide=640, tall=360)
    composer = Composer(whole[0], lambda _media: None)
    shot = composer.frame(whole[1], 2)
    assert shot.missing == ["A001.mov"] and shot.picture[..., :3].max() > 0.5
    Path(media.path or "").write_bytes(b"no movie")
    assert Composer(whole[0], lambda _media: Path(media.path or "")).frame(whole[1], 0).missing == [
        "A001.mov"
    ]


def test_differences_are_measured() -> None:
    one = np.zeros((10, 10, 4), np.float32)
    other = one.copy()
    other[0, 0, 1] = 0.5
    shown, gap = difference(one, other)
    assert (gap.largest, gap.mean) == (0.5, pytest.approx(0.5 / 300)) and shown[0, 0, 1] == 1.0
    assert eight_bits(other)[0, 0].tolist() == [0, 128, 0, 255]


def test_the_tree_of_layers_and_the_flat_list_agree(kiln_night) -> None:  # type: ignore[no-untyped-def]
    cut = kiln_night.top_level[0]
    evaluator = Evaluator(kiln_night)
    for frame in range(0, 9000, 97):
        flat = evaluator.at(cut, frame).picture

        def leaves(layers):  # type: ignore[no-untyped-def]
            for one in layers:
                if one.inside is None:
                    yield one
                else:
                    yield from leaves(one.inside)

        assert [(one.item.id, one.source_frame) for one in leaves(layers_at(evaluator, cut, frame))] == [
            (one.item.id, None if one.source_frame is None else int(one.source_frame[0])) for one in flat
        ]


# ---- what tidying makes of pictures


def test_a_nest_that_cuts_off_what_is_inside_is_unfolded_with_a_crop(stage: Stage) -> None:
    media = stage.movie("a", [pattern(number) for number in range(30)])
    ground = stage.movie("w", [np.full((TALL, WIDE, 3), 90, np.uint8)] * 30)
    inner = stage.item(media, 0, 30, motion=Motion(scale=constant(1.5, 1.5), position=constant(10, -4)))
    nest = Sequence(
        "n", "Inner", RATE, width=WIDE, height=TALL, tracks=(Track("video", (inner,)),), top_level=False
    )
    for motion in (
        Motion(scale=constant(0.5, 0.5)),
        Motion(scale=constant(0.5, 0.5), crop=constant(0.25, 0, 0, 0.25), position=constant(5, 2)),
    ):
        use = Item("u", "Inner", 0, 20, NestedUse("n"), motion=motion)
        whole = stage.cut((stage.item(ground, 0, 30),), (use,), others=(nest,))
        done = tidy(*whole, (Chosen("unfold"),))
        assert "1 nest unfolded" in done.steps[0].effect and done.unproven == 0
        assert any(done.sequence.tracks[1].items[0].motion.crop.value)
        for frame in (0, 7, 19):
            before, after = stage.seen(whole, frame), stage.seen((done.document, done.sequence), frame)
            assert np.abs(before - after).mean() < 3.0 and np.mean(np.abs(before - after) > 25) < 0.06


def test_rendered_clips_hold_the_very_frames(stage: Stage, tmp_path: Path) -> None:
    media = stage.movie("a", [pattern(number) for number in range(40)])
    whole = stage.cut(
        (stage.item(media, 0, 20, 11, speed=Constant(0), motion=Motion(scale=constant(0.5, 0.5))),)
    )
    done = tidy(*whole, (Chosen("take-out", True, {"kinds": "freezes", "instead": "render"}),))
    path = tmp_path / "held.mov"
    locate = lambda one: Path(one.path) if one.path and Path(one.path).exists() else None  # noqa: E731
    render_file(done.renders[0], path, locate, lambda _what, _share: None)
    frames = Frames()
    for number in (0, 19):
        assert np.array_equal(
            np.round(frames.frame(path, number, Fraction(25), False)[..., :3] * 255), pattern(11)
        )
    placed = replace(
        done.document,
        media=tuple(
            replace(one, path=str(path)) if one.id.startswith("render-") else one
            for one in done.document.media
        ),
    )
    assert np.array_equal(stage.seen(whole, 5), stage.seen((placed, done.sequence), 5))
    (tmp_path / "a.mov").unlink()
    with pytest.raises(RenderError, match="not found"):
        render_file(done.renders[0], tmp_path / "again.mov", locate, lambda _what, _share: None)
    assert not (tmp_path / "again.mov").exists()


def test_a_title_is_rendered_with_its_transparency(stage: Stage, tmp_path: Path) -> None:
    ground = stage.movie("w", [np.full((180, 320, 3), 90, np.uint8)] * 10)
    title = Item(
        "t",
        "Lower third",
        0,
        10,
        Title((TextRun("Ada Quill", size=40.0, color="#ffffff80"),)),
        motion=Motion(opacity=constant(0.5)),
    )
    whole = stage.cut((stage.item(ground),), (title,), wide=320, tall=180)
    done = tidy(*whole, (Chosen("take-out", True, {"kinds": "titles", "instead": "render"}),))
    path = tmp_path / "title.mov"
    render_file(done.renders[0], path, lambda _one: None, lambda _what, _share: None)
    placed = replace(
        done.document,
        media=tuple(
            replace(one, path=str(path)) if one.id.startswith("render-") else one
            for one in done.document.media
        ),
    )
    before, after = stage.seen(whole, 3), stage.seen((placed, done.sequence), 3)
    assert before.max() > 100 and np.abs(before - after).max() < 1.5


def test_stopping_a_render_leaves_nothing(stage: Stage, tmp_path: Path) -> None:
    media = stage.movie("a", [pattern()] * 40)
    whole = stage.cut((stage.item(media, 0, 20, speed=Constant(0)),))
    done = tidy(*whole, (Chosen("take-out", True, {"kinds": "freezes", "instead": "render"}),))

    def stop(_what: str, share: float) -> None:
        if share > 0.3:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        render_file(done.renders[0], tmp_path / "x.mov", lambda one: Path(one.path or ""), stop)
    assert not (tmp_path / "x.mov").exists()


def test_stills_are_not_too_large(tmp_path: Path) -> None:
    frames = Frames()
    path = still(tmp_path / "a.png", pattern(0, 300, 200))
    assert frames.frame(path, 0, None, True, (150, 100)).shape == (100, 150, 4)


def test_what_lies_over_a_frame_as_it_stands_is_composed_where_it_is(
    stage: Stage, monkeypatch: pytest.MonkeyPatch
) -> None:
    film = stage.movie("film", [pattern(number) for number in range(8)])
    deep = stage.movie("deep", [pattern(number) for number in range(8)])
    with av.open(str(deep.path), "w") as file:
        stream = file.add_stream("prores_ks", rate=RATE.fps)
        stream.width, stream.height, stream.pix_fmt = WIDE, TALL, "yuv422p10le"
        for number in range(8):
            frame = av.VideoFrame.from_ndarray(pattern(number), format="rgb24")
            frame = frame.reformat(format="yuv422p10le")
            frame.pts = number
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    plain = stage.item(film, 0, 4)
    small = Motion(scale=constant(0.3, 0.3), position=constant(-20, 9), opacity=constant(0.7))
    inset = replace(plain, id="inset", motion=small, source_in=RATE.seconds(2))
    whole = replace(plain, id="whole", source_in=RATE.seconds(1))
    words = replace(
        plain, id="words", content=Title((TextRun("Kiln", size=9, color="#ff8000c0"),)), motion=Motion()
    )
    gone = replace(plain, id="gone", motion=Motion(opacity=constant(0)))
    composed: list[int] = []
    together = Composer.together
    monkeypatch.setattr(
        Composer, "together", lambda self, layers, *size: composed.append(1) or together(self, layers, *size)
    )
    stacks = {
        (plain, inset): 0,
        (plain, words): 0,
        (plain, inset, words): 0,
        (plain, inset, whole, words): 0,
        (plain, gone): 0,
        (plain, replace(inset, blend="screen")): 1,
        (replace(plain, content=MediaUse("deep")), inset): 1,
        (inset, words): 1,
    }
    for items, count in stacks.items():
        document, cut = stage.cut(*((item,) for item in items))
        composer = Composer(document, lambda media: Path(media.path or ""))
        for number in range(3):
            composed.clear()
            shown = composer.eight_bits(cut, number, TALL)[0]
            assert len(composed) == count, [item.id for item in items]
            again = composer.frame(cut, number, TALL).picture
            assert np.array_equal(shown, eight_bits(again)[..., :3]), [item.id for item in items]
        # The frame below is the same afterwards.
        document, cut = stage.cut((items[0],))
        assert np.array_equal(
            composer.eight_bits(cut, 1, TALL)[0],
            Composer(document, lambda media: Path(media.path or "")).eight_bits(cut, 1, TALL)[0],
        )


def test_every_number_of_sixteen_bits_is_the_byte_that_its_share_is() -> None:
    every = np.arange(65536)
    shares = np.repeat((every / np.float32(65535)).astype(np.float32).reshape(256, 256, 1), 4, axis=2)
    found = deep_to_bytes(every.astype(np.uint16).reshape(256, 256))
    assert np.array_equal(found, eight_bits(shares)[..., 0])
    # By hand: the nearest byte, of which 257 steps are one.
    assert np.array_equal(found.reshape(-1), (every + 128) // 257)


def test_ten_bits_as_they_stand_are_the_bytes_of_what_is_composed(stage: Stage) -> None:
    draw = np.random.default_rng(5)
    film = stage.movie("film", [draw.integers(0, 256, (TALL, WIDE, 3), dtype=np.uint8)] * 3)
    path = Path(film.path or "")
    with av.open(str(path), "w") as file:
        stream = file.add_stream("prores_ks", rate=RATE.fps, options={"profile": "3"})
        stream.width, stream.height, stream.pix_fmt = WIDE, TALL, "yuv422p10le"
        for number in range(3):
            data = draw.integers(0, 256, (TALL, WIDE, 3), dtype=np.uint8)
            frame = av.VideoFrame.from_ndarray(data, format="rgb24").reformat(format="yuv422p10le")
            frame.pts = number
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    document, cut = stage.cut((stage.item(film, 0, 3),))
    composer = Composer(document, lambda media: Path(media.path or ""))
    for height in (TALL, TALL // 2):
        for number in range(3):
            shown, shot = composer.eight_bits(cut, number, height)
            whole = composer.frame(cut, number, height).picture
            assert not shot.picture.size and np.array_equal(shown, eight_bits(whole)[..., :3])
            assert len(np.unique(np.rint(whole[..., 0] * 65535))) > 256


def test_halves_of_a_step_go_up() -> None:
    values = (np.arange(255, dtype=np.float32) + np.float32(0.5)) / np.float32(255)
    picture = np.repeat(values[None, :, None], 4, axis=2)
    assert (eight_bits(picture)[0, :, 0] == np.arange(1, 256)).sum() > 250
    beyond = np.array([[[-0.5, 1.5, 0.25, 0.0]]], np.float32)
    assert eight_bits(beyond).tolist() == [[[0, 255, 64, 255]]]


# ---- as bytes, without composing


def test_a_frame_of_one_file_as_it_stands_is_given_as_it_was_written(
    stage: Stage, monkeypatch: pytest.MonkeyPatch
) -> None:
    film = stage.movie("film", [pattern(number) for number in range(8)])
    stage.movie("glass", [np.dstack([pattern(number), pattern()[..., 0]]) for number in range(8)])
    composed: list[int] = []
    whole = Composer.together
    monkeypatch.setattr(
        Composer, "together", lambda self, layers, *size: composed.append(1) or whole(self, layers, *size)
    )

    def given(*items: Item, height: int = TALL) -> np.ndarray:
        document, cut = stage.cut(*((item,) for item in items))
        composer = Composer(document, lambda media: Path(media.path or ""))
        return composer.eight_bits(cut, 2, height)[0].astype(float)

    plain, seen = stage.item(film, 0, 4, into=4), pattern(6).astype(float)
    assert np.array_equal(given(plain), seen) and not composed
    assert given(plain, height=TALL // 2).shape == (TALL // 2, WIDE // 2, 3) and not composed
    others = {
        "faded": ((replace(plain, motion=Motion(opacity=constant(0.5))),), seen / 2),
        "turned": ((replace(plain, motion=Motion(rotation=constant(180))),), seen[::-1, ::-1]),
        "moved": (
            (replace(plain, motion=Motion(position=constant(WIDE / 2, 0))),),
            np.concatenate([np.zeros_like(seen[:, : WIDE // 2]), seen[:, : WIDE // 2]], axis=1),
        ),
        "through glass": (
            (replace(plain, content=MediaUse("glass")),),
            seen * (pattern().astype(float)[..., :1] / 255),
        ),
    }
    for count, (name, (items, wanted)) in enumerate(others.items(), 1):
        assert close(given(*items), wanted, 1.0), name
        assert len(composed) == count, name
    cropped = given(replace(plain, motion=Motion(crop=constant(0.25, 0, 0, 0))))
    assert not cropped[:, : WIDE // 4].any() and np.array_equal(cropped[:, WIDE // 4 :], seen[:, WIDE // 4 :])
