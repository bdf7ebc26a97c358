"""A small cut with one of everything that the books hold, and plausible faults that may befall it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from typing import Any

from wexodos.model import (
    Constant,
    Document,
    Ease,
    Effect,
    Fade,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    Parameter,
    Raw,
    Sequence,
    Sound,
    TextRun,
    Title,
    Track,
    Transition,
    constant,
    curve,
)
from wexodos.timing import Rate

RATE = Rate(25)
UNREAD = Raw(
    "fcpxml", "object-tracker", '<object-tracker><tracking-shape id="ts1" name="vase"/></object-tracker>'
)


def picture(key: str, start: int, length: int, medium: str = "m1", **more: Any) -> Item:
    more.setdefault("motion", Motion(fit="fit"))
    return Item(key, f"shot {key}", start, length, MediaUse(medium), Fraction(start, 25) + 2, **more)


def heard(key: str, start: int, length: int, sound: Sound, **more: Any) -> Item:
    return Item(
        key, f"take {key}", start, length, MediaUse("m2"), Fraction(start, 25) + 1, sound=sound, **more
    )


def cut() -> Document:
    """Ten seconds at 25 frames: moved and titled pictures, faded and levelled sound, markers, transitions."""
    moving = Motion(
        fit="fit",
        position=curve([(0, (0.0, 0.0)), (50, (120.0, -40.0))]),
        scale=constant(0.5, 0.5),
        rotation=constant(12),
        opacity=curve([(0, 1.0), (40, 0.4)]),
    )
    blur = Effect(
        "Gaussian Blur", "blur", settings=(("radius", constant(8)),), parameters=(Parameter("radius", "8"),)
    )
    pictures = Track(
        "video",
        (
            picture("p1", 0, 60, link="one", markers=(Marker(10, 0, "cone 9", "look here"),)),
            picture("p2", 60, 60, effects=(blur,)),
            picture("p3", 120, 60, speed=Constant(Fraction(1, 2)), raw=(UNREAD,)),
            picture("p4", 180, 70, label="#3060c0ff", note="kiln door"),
        ),
        (
            Transition("x1", "Cross Dissolve", "dissolve", 50, 20, 60),
            Transition("x2", "Wipe", "wipe", 110, 20, 120, pattern=1, direction="left to right"),
        ),
        name="Main",
    )
    above = Track(
        "video",
        (
            picture("p5", 20, 60, "m3", motion=moving),
            Item(
                "t1",
                "Opening",
                100,
                50,
                Title((TextRun("Kiln Night", "Barlow", 60.0, color="#faf5e6ff", align="center"),)),
                motion=Motion(),
            ),
        ),
    )
    dialogue = Track(
        "audio",
        (
            heard("a1", 0, 60, Sound((1,), constant(-6), fade_in=Fade(12), fade_out=Fade(8)), link="one"),
            heard("a2", 60, 60, Sound((1,), curve([(0, 0.0), (30, -12.0), (50, -3.0)], domain="gain"))),
            heard("a3", 120, 60, Sound((2,), constant(-3), fade_out=Fade(10))),
        ),
        name="Dialogue",
        stem="dialogue",
    )
    music = Track(
        "audio",
        (
            heard("a4", 0, 80, Sound((1, 2), constant(-9), fade_in=Fade(25))),
            heard("a5", 80, 80, Sound((1, 2), constant(-9))),
        ),
        (Transition("x3", "Equal power", "audio-equal-power", 70, 20, 80),),
        name="Music",
        stem="music",
    )
    sequence = Sequence(
        "s1",
        "Kiln Night",
        RATE,
        90000,
        width=1920,
        height=1080,
        sample_rate=48000,
        tracks=(pictures, above, dialogue, music),
        bit_depth=24,
        audio_layout="surround",
        note="ask Ilse about the door",
        folder="Night 2",
        metadata=(("scene", "4"),),
        markers=(Marker(30, 0, "spark", "first"), Marker(200, 10, "door", "", "#e0c040ff")),
    )
    media = (
        Media(
            "m1", "A001C001.mov", "/V/A001C001.mov", "A001", 90000, False, 2000, RATE, 1920, 1080, video=True
        ),
        Media(
            "m2",
            "S001.wav",
            "/V/S001.wav",
            duration=2000,
            channels=2,
            sample_rate=48000,
            bit_depth=24,
            audio=True,
        ),
        Media(
            "m3", "A002C001.mov", "/V/A002C001.mov", "A002", 90000, False, 2000, RATE, 1920, 1080, video=True
        ),
    )
    return Document("fcpxml", "1.10", (sequence,), media)


Fault = Callable[[Sequence], Sequence | None]
"""Spoils a sequence somewhere; None where it has nothing of the kind."""


def on_item(wanted: Callable[[Item], bool], change: Callable[[Item], Item | None]) -> Fault:
    """A fault of the first item that is wanted; the item goes where ``change`` gives None."""

    def spoil(sequence: Sequence) -> Sequence | None:
        for place, track in enumerate(sequence.tracks):
            for number, item in enumerate(track.items):
                if not wanted(item):
                    continue
                new = change(item)
                items = list(track.items)
                items[number : number + 1] = [] if new is None else [new]
                edges = {edge for one in items for edge in (one.start, one.end)}
                joins = tuple(one for one in track.transitions if new is not None or one.cut in edges)
                made = replace(track, items=tuple(items), transitions=joins)
                return replace(
                    sequence, tracks=(*sequence.tracks[:place], made, *sequence.tracks[place + 1 :])
                )
        return None

    return spoil


def on_join(wanted: Callable[[Transition], bool], change: Callable[[Transition], Transition | None]) -> Fault:
    """A fault of the first transition that is wanted."""

    def spoil(sequence: Sequence) -> Sequence | None:
        for place, track in enumerate(sequence.tracks):
            for number, one in enumerate(track.transitions):
                if wanted(one):
                    joins = list(track.transitions)
                    new = change(one)
                    joins[number : number + 1] = [] if new is None else [new]
                    made = replace(track, transitions=tuple(joins))
                    return replace(
                        sequence, tracks=(*sequence.tracks[:place], made, *sequence.tracks[place + 1 :])
                    )
        return None

    return spoil


def _with_sound(item: Item, **changes: Any) -> Item:
    assert item.sound is not None
    return replace(item, sound=replace(item.sound, **changes))


def _with_motion(item: Item, **changes: Any) -> Item:
    assert item.motion is not None
    return replace(item, motion=replace(item.motion, **changes))


def _lower(item: Item, by: float) -> Item:
    assert item.sound is not None
    level = item.sound.level
    keys = tuple(replace(key, value=(key.value[0] + by,)) for key in level.keys)
    return _with_sound(item, level=replace(level, value=(level.value[0] + by,), keys=keys))


def _moved(item: Item, x: float) -> Item:
    assert item.motion is not None
    old = item.motion.position
    keys = tuple(replace(key, value=(key.value[0] + x, key.value[1])) for key in old.keys)
    return _with_motion(item, position=replace(old, value=(old.value[0] + x, old.value[1]), keys=keys))


def _later_key(item: Item) -> Item:
    assert item.sound is not None
    keys = list(item.sound.level.keys)
    keys[1] = replace(keys[1], time=keys[1].time + 3)
    return _with_sound(item, level=replace(item.sound.level, keys=tuple(keys)))


def _is(key: str) -> Callable[[Item], bool]:
    return lambda item: item.id == key or item.name.endswith(f" {key}")


def _heard(item: Item) -> bool:
    return item.sound is not None


def _shown(item: Item) -> bool:
    return item.sound is None and isinstance(item.content, MediaUse)


def _faded(name: str) -> Callable[[Item], bool]:
    return lambda item: item.sound is not None and getattr(item.sound, name) is not None


def _keyed(item: Item) -> bool:
    return item.sound is not None and len(item.sound.level.keys) > 2


def _titled(item: Item) -> bool:
    return isinstance(item.content, Title)


def _first_marker(sequence: Sequence, change: Callable[[Marker], Marker | None]) -> Sequence | None:
    if not sequence.markers:
        return None
    new = change(sequence.markers[0])
    return replace(sequence, markers=(*(() if new is None else (new,)), *sequence.markers[1:]))


FAULTS: dict[str, Fault] = {
    "a clip a frame late": on_item(_shown, lambda item: replace(item, duration=item.duration - 1)),
    "a clip slipped by a frame": on_item(
        _shown, lambda item: replace(item, source_in=item.source_in + Fraction(1, 25))
    ),
    "a clip gone": on_item(_is("p4"), lambda _: None),
    "a sound gone": on_item(_is("a3"), lambda _: None),
    "a sound slipped by ten samples": on_item(
        _heard, lambda item: replace(item, source_in=item.source_in + Fraction(10, 48000))
    ),
    "a clip off": on_item(_shown, lambda item: replace(item, enabled=False)),
    "a clip renamed": on_item(_shown, lambda item: replace(item, name="other")),
    "a speed rounded": on_item(
        lambda item: item.speed == Constant(Fraction(1, 2)),
        lambda item: replace(item, speed=Constant(Fraction(3, 5))),
    ),
    "a fade-in gone": on_item(_faded("fade_in"), lambda item: _with_sound(item, fade_in=None)),
    "a fade-out gone": on_item(_faded("fade_out"), lambda item: _with_sound(item, fade_out=None)),
    "a fade-in shorter by a frame": on_item(
        _faded("fade_in"),
        lambda item: _with_sound(item, fade_in=Fade(item.sound.fade_in.duration - 1)),  # type: ignore[union-attr]
    ),
    "a level thirty down": on_item(_heard, lambda item: _lower(item, -30)),
    "a level half a dB up": on_item(_heard, lambda item: _lower(item, 0.5)),
    "a key late": on_item(_keyed, _later_key),
    "channels swapped": on_item(_is("a3"), lambda item: _with_sound(item, channels=(1,))),
    "a pan": on_item(_is("a3"), lambda item: _with_sound(item, pan=constant(0.5))),
    "a picture moved by 200 px": on_item(_shown, lambda item: _moved(item, 200)),
    "a picture moved by a pixel": on_item(_shown, lambda item: _moved(item, 1)),
    "a picture moved by half a hundredth of a pixel": on_item(_shown, lambda item: _moved(item, 0.005)),
    "a picture larger by a ten thousandth": on_item(
        _shown, lambda item: _with_motion(item, scale=constant(1.0001, 1.0001))
    ),
    "a picture turned by half a hundredth of a degree": on_item(
        _shown, lambda item: _with_motion(item, rotation=constant(0.005))
    ),
    "a picture fainter by a thousandth": on_item(
        _shown, lambda item: _with_motion(item, opacity=constant(0.999))
    ),
    "a level five thousandths of a dB up": on_item(_heard, lambda item: _lower(item, 0.005)),
    "a piece that is not understood in other words": on_item(
        lambda item: bool(item.raw),
        lambda item: replace(item, raw=(replace(UNREAD, text=UNREAD.text.replace("vase", "bowl")),)),
    ),
    "a picture turned": on_item(_shown, lambda item: _with_motion(item, rotation=constant(3))),
    "a picture smaller": on_item(_shown, lambda item: _with_motion(item, scale=constant(0.97, 0.97))),
    "a picture fainter": on_item(_shown, lambda item: _with_motion(item, opacity=constant(0.9))),
    "a picture cropped": on_item(_shown, lambda item: _with_motion(item, crop=constant(0.1, 0, 0, 0))),
    "opacity keys gone": on_item(
        lambda item: item.motion is not None and bool(item.motion.opacity.keys),
        lambda item: _with_motion(item, opacity=constant(1)),
    ),
    "a filter gone": on_item(lambda item: bool(item.effects), lambda item: replace(item, effects=())),
    "other words": on_item(
        _titled,
        lambda item: replace(item, content=Title((replace(item.content.runs[0], text="Kiln Nigh"),))),  # type: ignore[union-attr]
    ),
    "smaller words": on_item(
        _titled,
        lambda item: replace(item, content=Title((replace(item.content.runs[0], size=50.0),))),  # type: ignore[union-attr]
    ),
    "a link gone": on_item(_is("p1"), lambda item: replace(item, link=None)),
    "a label gone": on_item(lambda item: bool(item.label), lambda item: replace(item, label=None)),
    "a note gone": on_item(lambda item: bool(item.note), lambda item: replace(item, note="")),
    "a transition gone": on_join(lambda one: True, lambda _: None),
    "a transition shorter": on_join(lambda one: True, lambda one: replace(one, duration=one.duration - 2)),
    "a wipe the other way": on_join(
        lambda one: one.type == "wipe", lambda one: replace(one, direction="right to left")
    ),
    "a wipe a dissolve": on_join(
        lambda one: one.type == "wipe",
        lambda one: Transition(one.id, "Cross Dissolve", "dissolve", one.start, one.duration, one.cut),
    ),
    "a crossfade of another law": on_join(
        lambda one: one.type == "audio-equal-power",
        lambda one: replace(one, type="audio-linear", name="Equal gain"),
    ),
    "a marker gone": lambda sequence: _first_marker(sequence, lambda _: None),
    "a marker two frames late": lambda sequence: _first_marker(
        sequence, lambda one: replace(one, start=one.start + 2)
    ),
    "a marker of other words": lambda sequence: _first_marker(
        sequence, lambda one: replace(one, name="sparks")
    ),
    "a start timecode": lambda sequence: replace(sequence, start=sequence.start + 1),
    "the note of the sequence": lambda sequence: replace(sequence, note=""),
    "the fields of the sequence": lambda sequence: replace(sequence, metadata=()),
    "the bit depth of the sequence": lambda sequence: replace(sequence, bit_depth=None),
    "the sound channels of the sequence": lambda sequence: replace(sequence, audio_layout=None),
    "a name": lambda sequence: replace(sequence, name=f"{sequence.name} 2"),
    "a track's name": lambda sequence: replace(
        sequence, tracks=(*sequence.tracks[:-1], replace(sequence.tracks[-1], name="Atmos", stem=None))
    ),
    "a track off": lambda sequence: replace(
        sequence, tracks=(*sequence.tracks[:-1], replace(sequence.tracks[-1], enabled=False))
    ),
}
"""Faults by name."""


def eased(sequence: Sequence) -> Sequence:
    """The same with eased keys, which every destination has to follow with straight ones."""

    def ease(item: Item) -> Item:
        if item.motion is None or not item.motion.position.keys:
            return item
        keys = tuple(Key(key.time, key.value, Ease.SMOOTH) for key in item.motion.position.keys)
        return _with_motion(item, position=replace(item.motion.position, keys=keys))

    return replace(
        sequence,
        tracks=tuple(replace(track, items=tuple(map(ease, track.items))) for track in sequence.tracks),
    )
