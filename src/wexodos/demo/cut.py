"""The cut: every item of Kiln Night on its track, as an editor would have left it."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

from wexodos.demo.sources import ALL, PICTURES

LENGTH = 9000


@dataclass(slots=True)
class Clip:
    """An item. ``into`` is the source frame at ``start`` (in the source's own frames after a speed
    change)."""

    name: str
    start: int
    duration: int
    into: int = 0
    source: str = ""
    kind: str = "clip"
    enabled: bool = True
    filters: list[str] = field(default_factory=list)
    length: int = 0
    channels: int = 1
    muted: tuple[int, ...] = ()
    title: dict[str, object] = field(default_factory=dict)
    alpha: str = ""
    blend: str = ""
    still_frame: int | None = None
    label: str = ""
    markers: list[tuple[str, int]] = field(default_factory=list)
    with_picture: bool = False

    @property
    def end(self) -> int:
        return self.start + self.duration


@dataclass(slots=True)
class Join:
    """A transition on the cut ``cut``."""

    kind: str
    cut: int
    length: int
    alignment: str = "center"


@dataclass(slots=True)
class Lane:
    name: str
    clips: list[Clip] = field(default_factory=list)
    joins: list[Join] = field(default_factory=list)
    channels: int = 1


@dataclass(slots=True)
class Cut:
    pictures: list[Lane]
    sounds: list[Lane]
    markers: list[tuple[str, int, int, str]]
    name: str = "Kiln Night R1 v7"
    length: int = LENGTH
    hour: int = 1


NEST = (
    Clip("Ember macro", 0, 40, 100, "Ember macro"),
    Clip("Stoke hole", 40, 50, 200, "Stoke hole"),
    Clip("Cone 9 drop", 90, 60, 320, "Cone 9 drop"),
)
"""What stands in the nested sequence."""

_ORDER = (
    "Night sky",
    "Throwing wide",
    "Hands, centring",
    "Clay pit",
    "Shelf load",
    "Door brick",
    "Stoke hole",
    "Ember macro",
    "Ash glaze",
    "Quill, wide",
    "Cone 9 drop",
    "Throwing wide",
    "Night sky",
    "Stoke hole",
    "Quill, close",
    "Clay pit",
)


def kiln_night() -> Cut:
    """Build the cut, the same every time."""
    draw = random.Random(1913)
    main = Lane("")
    at = 0
    index = 0
    while at < LENGTH - 60:
        name = _ORDER[index % len(_ORDER)]
        length = min(draw.randrange(70, 150), LENGTH - at)
        if LENGTH - at - length < 70:
            length = LENGTH - at
        into = draw.randrange(30, max(31, 560 - length))
        main.clips.append(Clip(name, at, length, into, name))
        at += length
        index += 1
    _specials(main)
    cutaways, graphics, titles = _upper(main, draw)
    lanes = _sound(main, draw)
    markers = [
        ("Cone 9 drops", 2310, 0, "e2674a"),
        ("check the sky", 60, 0, ""),
        ("act two", 3000, 250, "6fb6c9"),
        ("last brick", 8200, 0, ""),
    ]
    return Cut([main, cutaways, graphics, titles], lanes, markers)


def _specials(main: Lane) -> None:
    clips = main.clips
    for place, kind, length in (
        (4, "dissolve", 24),
        (9, "wipe", 24),
        (14, "dip", 20),
        (24, "dissolve", 12),
        (33, "dissolve", 30),
        (46, "dissolve", 24),
        (58, "clock", 24),
        (66, "dissolve", 50),
    ):
        main.joins.append(Join(kind, clips[place].end, length))
    main.joins.append(Join("dissolve", clips[-1].end, 40, "end-black"))
    slow = clips[18]
    slow.filters.append("speed 50")
    slow.into, slow.length = 2 * 80, 1200
    back = clips[22]
    back.filters.append("speed -100")
    back.into = 120
    ramp = clips[27]
    ramp.filters.append("ramp")
    ramp.into = 0
    clips[31].kind, clips[31].still_frame = "freeze", 222
    chart = clips[36]
    chart.name = chart.source = "Glaze chart"
    chart.into = 0
    chart.filters.append("zoom 100 118")
    clips[40].filters.append("scale-to-zero")
    clips[44].filters.append("opacity 80")
    clips[48].filters.append("glow")
    nest = clips[52]
    nest.name, nest.source, nest.kind, nest.into = "Three fires", "", "nested", 10
    nest.duration = min(nest.duration, 130)
    clips[53].duration += clips[53].start - nest.end
    clips[53].start = nest.end
    angle = clips[55]
    angle.name, angle.source, angle.kind, angle.into = "Quill interview", "", "angles", 60
    phone = clips[61]
    phone.name = phone.source = "Neighbour's phone"
    phone.into = 90
    book = clips[63]
    book.name = book.source = "Old kiln book"
    book.into = 100
    clips[12].filters.append("push-in")
    clips[12].label = "Ochre"
    clips[16].markers.append(("watch the smoke", 20))


def _upper(main: Lane, draw: random.Random) -> tuple[Lane, Lane, Lane]:
    cutaways, graphics, titles = Lane(""), Lane(""), Lane("")
    names = list(PICTURES)
    at = 300
    while at < LENGTH - 400:
        name = names[draw.randrange(len(names))]
        length = draw.randrange(50, 110)
        cutaways.clips.append(Clip(name, at, length, draw.randrange(40, 440), name))
        at += length + draw.randrange(180, 420)
    cutaways.clips[5].filters.append("inset")
    cutaways.clips[5].label = "Glaze"
    cutaways.clips[9].enabled = False
    cutaways.clips[11].blend = "screen"
    follow = cutaways.clips[7]
    main_end = follow.end
    cutaways.clips.insert(8, Clip("Ash glaze", main_end, 70, 150, "Ash glaze"))
    cutaways.joins.append(Join("dissolve", main_end, 16))
    for start, length in ((900, 150), (4200, 200), (6900, 125)):
        graphics.clips.append(Clip("Kiln map", start, length, 0, "Kiln map", alpha="straight"))
    graphics.clips.append(Clip("Inset", 5200, 120, 80, "Ember macro", filters=["inset-move"]))
    graphics.clips.append(Clip("Warm wash", 7600, 100, 0, kind="colour", filters=["opacity 30"]))
    graphics.clips.sort(key=lambda clip: clip.start)

    def title(name: str, start: int, length: int, words: str, **more: object) -> None:
        titles.clips.append(Clip(name, start, length, kind="title", title={"words": words, **more}))

    title("Opening title", 60, 110, "Kiln Night", size=54, align=2, origin=(0.0, -0.1))
    title(
        "Lower third · Ada Quill",
        1460,
        125,
        "Ada Quill\rpotter, third firing",
        lower=True,
        size=24,
        origin=(-0.3, 0.32),
    )
    title("Cone note", 2320, 90, "Cone 9, 1280 degrees", size=22, align=1, origin=(-0.35, 0.38))
    title("Hour card", 4460, 80, "Hour eleven", size=40, align=2, style=3, origin=(0.0, 0.0))
    credits = "Kiln Night\r\rwith Ilka Marsh and Ada Quill\r\rfire: the whole street\r\rmade up for this demo"
    title("Credits roll", LENGTH - 320, 300, credits, roll=True, size=26, align=2, origin=(0.0, 0.0))
    return cutaways, graphics, titles


def _sound(main: Lane, draw: random.Random) -> list[Lane]:
    ilka, ada, effects, yard, bells, camera = (
        Lane(name) for name in ("Dialogue Ilka", "Dialogue Ada", "Effects", "Ambience", "Music", "Camera")
    )
    bells.channels = camera.channels = 2
    at = 40
    while at < LENGTH - 400:
        length = draw.randrange(120, 260)
        ilka.clips.append(
            Clip("Narration", at, length, draw.randrange(20, 700), "Narration", filters=["level fade"])
        )
        at += length + draw.randrange(140, 320)
    at = 1450
    while at < LENGTH - 900:
        length = draw.randrange(100, 220)
        ada.clips.append(Clip("Ada Quill", at, length, draw.randrange(40, 700), "Ada Quill"))
        ada.clips.append(
            Clip("Ada Quill", at + length, 80, draw.randrange(40, 800), "Ada Quill", filters=["level -6"])
        )
        ada.joins.append(Join("sound-power", at + length, 10))
        at += length + 80 + draw.randrange(300, 700)
    for start in range(500, LENGTH - 500, 1100):
        effects.clips.append(Clip("Kiln roar", start, 320, 100, "Kiln roar", filters=["level swell"]))
        effects.clips.append(Clip("Door clang", start + 500, 60, 0, "Door clang", filters=["level -3"]))
    at = 0
    while at < LENGTH:
        length = min(750, LENGTH - at)
        yard.clips.append(Clip("Night yard", at, length, 100, "Night yard", filters=["level -18"]))
        if at:
            yard.joins.append(Join("sound-linear", at, 50))
        at += length
    for start, length in ((0, 900), (2900, 1000), (6200, 800), (8050, 950)):
        bells.clips.append(
            Clip("Slow bells", start, length, 50, "Slow bells", channels=2, filters=["level duck"])
        )
    for clip in main.clips:
        source = ALL.get(clip.source)
        if source is not None and source.channels == 2 and clip.kind == "clip" and not clip.filters:
            camera.clips.append(
                Clip(
                    clip.name,
                    clip.start,
                    clip.duration,
                    clip.into,
                    clip.source,
                    channels=2,
                    with_picture=True,
                    filters=["level -12"],
                )
            )
    camera.clips[3].muted = (2,)
    camera.clips[6].filters = ["level -12", "pan"]
    return [ilka, ada, effects, yard, bells, camera]


def returned(cut: Cut) -> Cut:
    """The same cut as a grading house might send it back: some of it on purpose, some of it by accident."""
    main, cutaways, graphics, titles = cut.pictures
    for join in main.joins:
        if join.kind in ("wipe", "clock"):
            join.kind = "dissolve"
    frozen = next(clip for clip in main.clips if clip.kind == "freeze")
    frozen.kind, frozen.into, frozen.still_frame = "clip", 222, None
    main.clips[6].into += 3
    main.clips[21].duration -= 5
    cutaways.clips[2].start += 4
    cutaways.clips.pop(3)
    cutaways.clips.insert(0, Clip("Night sky", 150, 60, 90, "Night sky"))
    inset = next(clip for clip in graphics.clips if clip.name == "Inset")
    inset.filters = ["inset"]
    titles.clips = [clip for clip in titles.clips if not clip.title.get("roll")]
    titles.clips[2].title["words"] = "Cone 9, 1285 degrees"
    for clip in cut.sounds[3].clips:
        clip.filters = ["level -12"]
    main.clips[48].filters.clear()
    cut.name = "Kiln Night R1 v7 graded"
    cut.sounds[0].clips[4].enabled = False
    return cut
