"""Documents with every feature that a sequence may have, for hypothesis."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction

from hypothesis import strategies as st

from wexodos.model import (
    NORMAL,
    Angle,
    Angles,
    Constant,
    Curve,
    Document,
    Ease,
    Effect,
    Fade,
    Generator,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Raw,
    Roll,
    Sequence,
    Shadow,
    Sound,
    Speed,
    SpeedPoint,
    TextRun,
    Title,
    Track,
    Transition,
    Variable,
    constant,
    curve,
)
from wexodos.timing import Rate

_SHARE = float(os.environ.get("WEXODOS_EXAMPLES", "1" if os.environ.get("WEXODOS_TESTS") == "all" else "0.3"))


def examples(count: int) -> int:
    """How many cases to draw: a third in the sample that ``./run test`` plays, many more in ``./run prove``."""
    return max(1, round(count * _SHARE))


RATES = [Rate(25), Rate(24000, 1001), Rate(30000, 1001), Rate(50)]
PICTURE_JOINS = [
    ("dissolve", {}),
    ("additive", {}),
    ("dip", {"color": "#112233ff"}),
    ("push", {"direction": "left to right"}),
    ("wipe", {"pattern": 1, "direction": "right to left", "softness": 20.0}),
    ("wipe", {"pattern": 201, "direction": "clockwise", "border": 4.0, "border_color": "#ff8000ff"}),
    ("iris", {"pattern": 119, "direction": "centre to edges"}),
    ("slide", {}),
]
SOUND_JOINS = ["audio-equal-power", "audio-linear"]
EASES = [Ease.LINEAR, Ease.SMOOTH, Ease.IN, Ease.OUT, Ease.HOLD]
RAMP = ((0, Fraction(8)), (20, Fraction(9)), (45, Fraction(13, 2) + 4), (200, Fraction(16)))


@st.composite
def curves(draw: st.DrawFn, low: tuple[float, ...], high: tuple[float, ...]) -> Curve:
    """A still value or two to four keys with any ease, in steps of a hundredth of the reach."""

    def value() -> tuple[float, ...]:
        return tuple(a + (b - a) * draw(st.integers(0, 100)) / 100 for a, b in zip(low, high))

    if draw(st.booleans()):
        return Curve(value())
    # One in eight moves before the item, where the last of its keys holds.
    early = draw(st.integers(0, 7)) == 7
    times = sorted(
        draw(st.sets(st.integers(-70, -1) if early else st.integers(-5, 60), min_size=2, max_size=4))
    )
    keys = tuple(Key(time, value(), draw(st.sampled_from(EASES))) for time in times)
    return Curve(keys[0].value, keys)


@st.composite
def motions(draw: st.DrawFn, fit: str = "none") -> Motion:
    parts: dict[str, Curve] = {}
    for name, low, high in (
        ("position", (-400.0, -300.0), (400.0, 300.0)),
        ("rotation", (-720.0,), (720.0,)),
        ("anchor", (-0.5, -0.5), (0.5, 0.5)),
        ("crop", (0.0,) * 4, (0.4,) * 4),
        ("corners", (-0.2,) * 8, (0.2,) * 8),
        ("opacity", (0.0,), (1.0,)),
    ):
        if draw(st.integers(0, 3)) == 0:
            parts[name] = draw(curves(low, high))
    kind = draw(st.integers(0, 4))
    if kind == 1:
        even = draw(curves((0.1,), (3.0,)))
        parts["scale"] = Curve(
            even.value * 2, tuple(Key(key.time, key.value * 2, key.ease) for key in even.keys)
        )
    elif kind == 2:
        parts["scale"] = draw(curves((-2.0, 0.2), (2.0, 2.0)))
    return Motion(fit, **parts)


RUNS = [
    (TextRun("Ash", "DejaVu Sans", 54.0, color="#faf5e6ff"),),
    (TextRun("Two\nlines", "DejaVu Sans", 40.0, True, align="left", tracking=3.0, leading=2.0),),
    (
        TextRun(
            "Ümläut & <b>", "DejaVu Serif", 36.5, italic=True, outline_color="#102030ff", outline_width=3.0
        ),
    ),
    (
        TextRun("Ilka Marsh\n", "DejaVu Sans", 54.0, True, color="#ffffffff"),
        TextRun("potter", "DejaVu Sans", 36.0, color="#e0e0e0ff"),
    ),
    (TextRun("shaded", "DejaVu Sans", 48.0, underline=True, shadow=Shadow("#00000080", 6.0, 315.0, 4.0)),),
]


@st.composite
def titles(draw: st.DrawFn) -> Title:
    runs = draw(st.sampled_from(RUNS))
    return Title(
        runs,
        (float(draw(st.integers(-300, 300))), float(draw(st.integers(-200, 200)))),
        draw(st.sampled_from([None, None, Roll("up", 12.0), Roll("left")])),
        draw(st.sampled_from([None, None, "#20304080"])),
    )


@st.composite
def effects(draw: st.DrawFn, dialect: str) -> tuple[Effect, ...]:
    odd = {
        "xmeml": Raw(
            "xmeml",
            "filter",
            "<filter><effect><name>Odd</name><effectid>odd</effectid><x>1</x></effect></filter>",
        ),
        "fcpxml": Raw("fcpxml", "adjust-stabilization", '<adjust-stabilization type="smooth"/>'),
    }
    kinds = [
        Effect("Odd" if dialect == "xmeml" else "stabilization", raw=odd[dialect]),
        Effect("Gaussian Blur", "blur", settings=(("radius", draw(curves((0.0,), (40.0,)))),)),
        Effect(
            "Desaturate",
            "desaturate",
            draw(st.booleans()),
            settings=(("amount", draw(curves((0.0,), (1.0,)))),),
        ),
        Effect("Tint", "tint", settings=(("amount", constant(0.5)), ("color", constant(1.0, 0.4, 0.2)))),
        Effect(
            "ASC CDL",
            "primaries",
            settings=(
                ("slope", constant(1.1, 1, 0.9)),
                ("offset", constant(0.01, 0, 0)),
                ("power", constant(1, 1, 1.2)),
                ("saturation", constant(0.8)),
            ),
        ),
    ]
    chosen = draw(st.sets(st.integers(0, len(kinds) - 1), max_size=2))
    return tuple(kinds[index] for index in sorted(chosen))


@st.composite
def speeds(draw: st.DrawFn) -> Speed:
    ramp = tuple(SpeedPoint(time, source) for time, source in RAMP)
    rounded = (ramp[0], SpeedPoint(20, Fraction(9), 6, 8), SpeedPoint(45, Fraction(21, 2), 5, 5), ramp[3])
    return draw(
        st.sampled_from(
            [
                NORMAL,
                NORMAL,
                NORMAL,
                Constant(Fraction(1, 2)),
                Constant(2),
                Constant(-1),
                Constant(Fraction(-1, 2)),
                Constant(0),
                Constant(Fraction(3, 4)),
                Variable(ramp),
                Variable(rounded),
            ]
        )
    )


@st.composite
def documents(draw: st.DrawFn, dialect: str = "xmeml") -> Document:
    """A document as a reader of ``dialect`` could have made it: what it holds word for word is in that
    dialect."""
    rate = draw(st.sampled_from(RATES))
    counter = iter(range(10_000))
    sizes = [(1920, 1080), (1280, 720), (640, 480)]
    media = [
        Media(
            f"m{n}",
            f"K{n:03d}.mov",
            f"/Volumes/Kiln/K{n:03d}.mov",
            f"K{n:03d}",
            draw(st.integers(0, 90_000)),
            False,
            2000,
            rate,
            *draw(st.sampled_from(sizes)),
            channels=2,
            sample_rate=48000,
            bit_depth=24,
            video=True,
            audio=True,
        )
        for n in range(3)
    ]
    media.append(
        Media("m3", "chart.png", "/Volumes/Kiln/chart.png", width=800, height=600, video=True, still=True)
    )
    other = draw(st.sampled_from(RATES))
    media.append(
        Media(
            "m4",
            "phone.mov",
            "/Volumes/Kiln/phone.mov",
            None,
            0,
            False,
            1500,
            other,
            1280,
            720,
            channels=1,
            sample_rate=44100,
            video=True,
            audio=True,
        )
    )
    nested = _sequence(draw, "nest", "Inner", rate, counter, [], dialect, small=True)
    sequence = _sequence(draw, "s1", "Generated", rate, counter, ["nest"], dialect)
    return Document(dialect, "5" if dialect == "xmeml" else "1.10", (sequence, nested), tuple(media))


def _sequence(
    draw: st.DrawFn,
    key: str,
    name: str,
    rate: Rate,
    counter: Iterator[int],
    nests: list[str],
    dialect: str,
    small: bool = False,
) -> Sequence:
    tracks: list[Track] = []
    for kind in ("video", "audio") if small else ("video", "video", "audio", "audio"):
        tracks.append(_track(draw, kind, rate, counter, nests, dialect, small))
    markers = (
        ()
        if small
        else (
            Marker(5, 0, "start"),
            Marker(20, 10, "range", "with a note", "#e2674aff"),
            Marker(31, 0, "to do", kind="task", done=False),
        )
    )
    return Sequence(
        key,
        name,
        rate,
        0 if small else 90_000,
        False,
        1920,
        1080,
        sample_rate=48000,
        tracks=tuple(tracks),
        markers=markers,
        top_level=not small,
        marked=None if small or dialect != "xmeml" else draw(st.sampled_from([None, None, (4, 31)])),
    )


def _track(
    draw: st.DrawFn,
    kind: str,
    rate: Rate,
    counter: Iterator[int],
    nests: list[str],
    dialect: str,
    small: bool,
) -> Track:
    items: list[Item] = []
    joins: list[Transition] = []
    at = 0
    for _ in range(draw(st.integers(1, 2 if small else 4))):
        gap = draw(st.sampled_from([0, 0, 7]))
        at += gap
        item = _item(draw, kind, at, draw(st.integers(30, 90)), rate, counter, nests, dialect)
        if items and gap == 0 and draw(st.booleans()):
            before, after = draw(st.integers(0, 12)), draw(st.integers(1, 12))
            if kind == "video":
                type_, looks = draw(st.sampled_from(PICTURE_JOINS))
            else:
                type_, looks = draw(st.sampled_from(SOUND_JOINS)), {}
            joins.append(
                Transition(f"t{next(counter)}", type_, type_, at - before, before + after, at, **looks)
            )
        items.append(item)
        at += item.duration
    return Track(
        kind,
        tuple(items),
        tuple(joins),
        draw(st.sampled_from(["", "Music 2"])),
        enabled=draw(st.integers(0, 8)) > 0,
    )


def _item(
    draw: st.DrawFn,
    kind: str,
    at: int,
    length: int,
    rate: Rate,
    counter: Iterator[int],
    nests: list[str],
    dialect: str,
) -> Item:
    key = f"i{next(counter)}"
    enabled = draw(st.integers(0, 8)) > 0
    markers = (Marker(3, 0, f"{key} note", "look"),) if draw(st.integers(0, 3)) == 0 else ()
    source = rate.seconds(draw(st.integers(200, 900)))
    sound = None
    speed: Speed = NORMAL
    shows = draw(st.integers(0, 11))
    if kind == "audio":
        sound = _sound(draw)
        shows = 0 if shows > 8 and not nests else shows
    if nests and shows == 0:
        content: object = NestedUse(nests[0])
        source = rate.seconds(draw(st.integers(0, 12)))
        sound = Sound((1, 2), sound.level) if sound is not None else None
    elif shows == 1:
        content = Angles(
            (Angle("A", "wide", "m0"), Angle("B", "close", "m1", offset=Fraction(1, 5))),
            "A",
            draw(st.sampled_from(["A", "B"])),
            "Both",
            "multi",
        )
    elif kind == "video" and shows == 2:
        content = draw(titles())
    elif kind == "video" and shows == 3:
        content = draw(
            st.sampled_from(
                [Generator("colour", "Color", "#204060ff"), Generator("bars", "Bars"), Generator("black")]
            )
        )
    elif kind == "video" and shows == 4:
        content = MediaUse("m3")
    elif shows == 5:
        content = MediaUse("m4")
        if sound is not None:
            sound = replace(sound, channels=(1,), muted=())
    else:
        content = MediaUse(f"m{draw(st.integers(0, 2))}")
        speed = draw(speeds())
    still = content == MediaUse("m3")
    if isinstance(content, Title | Generator) or still:
        source = 0
    if isinstance(speed, Variable):
        source = speed.points[0].source
    own = isinstance(content, MediaUse)
    fit = (
        draw(st.sampled_from(["none", "fit", "fill"]))
        if dialect == "fcpxml" and not isinstance(content, Title | Generator)
        else "none"
    )
    return Item(
        key,
        f"shot {key}",
        at,
        length,
        content,
        source,
        speed,
        enabled,
        motion=draw(motions(fit)) if kind == "video" else None,
        sound=sound,
        blend=draw(st.sampled_from(["normal", "normal", "screen"])) if kind == "video" else "normal",
        effects=draw(effects(dialect)) if kind == "video" and own else (),
        markers=markers,
        note=draw(st.sampled_from(["", "keep this"])) if own else "",
        label=draw(st.sampled_from([None, "Iris"])) if own and dialect == "xmeml" else None,
        still=still,
    )


def _sound(draw: st.DrawFn) -> Sound:
    level = draw(
        st.one_of(
            st.sampled_from([constant(0), constant(-6)]),
            st.just(curve([(0, -60.0), (10, 0.0), (25, -12.0)], domain="gain")),
            curves((-40.0,), (10.0,)),
        )
    )
    channels = draw(st.sampled_from([(1,), (2,), (1, 2)]))
    fade = draw(st.sampled_from([None, None, Fade(12), Fade(9, "equal-power")]))
    return Sound(
        channels,
        level,
        draw(st.sampled_from([None, None, constant(-0.5)])) if len(channels) == 1 else None,
        fade,
        draw(st.sampled_from([None, Fade(7)])),
        muted=(2,) if channels == (1, 2) and draw(st.integers(0, 4)) == 0 else (),
    )
