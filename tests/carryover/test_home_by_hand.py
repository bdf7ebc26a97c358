"""Coming home: what was put back and what was left as it was changed over there, thing by thing."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F
from typing import Any

import pytest

from wexodos.carryover import put_back
from wexodos.carryover.plan import plan
from wexodos.compare import compare
from wexodos.destinations import find_destination
from wexodos.ground.errors import UnprovedError
from wexodos.model import (
    Adjustment,
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
    Raw,
    Sequence,
    Sound,
    SpeedPoint,
    TextRun,
    Title,
    Track,
    Transition,
    Variable,
    constant,
    curve,
)
from wexodos.settling.options import Options
from wexodos.timing import Rate

PAL = Rate(25)
MEDIA = (
    Media("m", "A.mov", "/k/A.mov", "A1", 0, duration=900, rate=PAL, width=1920, height=1080, video=True),
    Media(
        "boom",
        "boom.wav",
        "/k/boom.wav",
        "S1",
        0,
        duration=900,
        rate=PAL,
        channels=2,
        sample_rate=48000,
        audio=True,
    ),
)


def clip(name: str, start: int, length: int, source: int = 100, **more: Any) -> Item:
    more.setdefault("motion", Motion("fit"))
    return Item(name, f"shot {name}", start, length, MediaUse("m"), F(source, 25), **more)


EASED = Curve((0.0, 0.0), (Key(0, (0.0, 0.0), Ease.SMOOTH), Key(40, (200.0, 0.0), Ease.SMOOTH)))
DRESSED = clip(
    "a",
    0,
    50,
    label="#3060c0ff",
    blend="screen",
    note="hot",
    alpha="straight",
    effects=(Effect("Soft glow", raw=Raw("xmeml", "filter", "<filter/>", "")),),
    motion=Motion(
        "fit", position=EASED, opacity=Curve((1.0,), (Key(0, (0.0,), Ease.SMOOTH), Key(20, (1.0,))))
    ),
    markers=(Marker(5, 0, "Look", color="#ff0000ff"),),
)
HEARD = Item(
    "s",
    "Boom",
    0,
    50,
    MediaUse("boom"),
    4,
    sound=Sound((1, 2), curve([(0, -20.0), (40, 0.0)]), constant(0.25), Fade(5), None, (2,)),
)


def original(
    *items: Item,
    joins: tuple[Transition, ...] = (),
    sound: Item = HEARD,
    above: tuple[Item, ...] = (),
    **more: Any,
) -> Document:
    tracks = (
        Track(
            "video",
            items or (DRESSED, clip("b", 50, 50, 300), clip("c", 100, 50, 500)),
            joins,
            name="Picture",
        ),
        Track("video", above),
        Track("audio", (sound,), name="Dialogue"),
    )
    sequence = Sequence(
        "q", "Cut", PAL, 90_000, width=1920, height=1080, sample_rate=48000, tracks=tracks, **more
    )
    return Document("xmeml", "5", (sequence,), MEDIA)


def sent(document: Document, name: str = "finishing-aaf", options: Options | None = None) -> Document:
    """What the plan makes of it, as it would come back if nobody touched it."""
    return plan(document, document.sequences[0], find_destination(name), None, options).document


def home(document: Document, back: Document, name: str = "finishing-aaf", options: Options | None = None):  # type: ignore[no-untyped-def]
    return put_back(
        document,
        document.sequences[0],
        find_destination(name),
        back,
        back.sequences_by_id["q"],
        None,
        options,
    )


def edited(back: Document, **changes: Any) -> Document:
    """The returned cut with single items changed by id; None takes one out."""
    cut = back.sequences_by_id["q"]
    tracks = tuple(
        replace(
            track,
            items=tuple(
                new
                for item in track.items
                if (new := changes.get(item.id, lambda one: one)(item)) is not None
            ),
        )
        for track in cut.tracks
    )
    return replace(
        back, sequences=tuple(replace(cut, tracks=tracks) if one.id == "q" else one for one in back.sequences)
    )


def item(found: Any, key: str) -> Item:
    return next(one for one in found.sequence.items() if one.id == key)


@pytest.mark.parametrize(
    "name", ["finishing-aaf", "grading-aaf", "editing-lane-xml", "grading-lane-xml", "archive-otio"]
)
def test_what_nobody_touched_is_what_it_was(name: str) -> None:
    document = original(
        joins=(Transition("t", "Barn door", "wipe", 94, 12, 100, pattern=21, direction="up"),)
    )
    found = home(document, sent(document, name), name)
    left = compare(document, document.sequences[0], found.document, found.sequence)
    assert [(one.what, one.item_id) for one in left if one.kind != "settings"] == []
    assert found.missing == ()


@pytest.mark.parametrize(
    ("field", "value", "kept"),
    [
        ("label", "#00ff00ff", ()),
        ("blend", "multiply", ("blend",)),
        ("enabled", False, ("enabled",)),
        ("note", "cooler", ("note",)),
        ("name", "other", ("name",)),
    ],
)
def test_what_was_touched_over_there_stays_and_the_rest_comes_back(
    field: str, value: Any, kept: tuple[str, ...]
) -> None:
    document = original()
    back = edited(sent(document), a=lambda one: replace(one, **{field: value}))
    made = item(home(document, back), "a")
    for other in ("label", "blend", "note", "name", "enabled"):
        wanted = value if other == field else getattr(DRESSED, other)
        assert getattr(made, other) == wanted, other
    assert [one.name for one in made.effects] == ["Soft glow"] and made.motion == DRESSED.motion
    assert made.alpha == "straight"


def test_motion_and_opacity_are_touched_each_by_itself() -> None:
    document = original()
    faint = edited(
        sent(document), a=lambda one: replace(one, motion=replace(one.motion, opacity=constant(0.5)))
    )
    made = item(home(document, faint), "a").motion
    assert made is not None and made.opacity == constant(0.5) and made.position == EASED
    moved = edited(
        sent(document), a=lambda one: replace(one, motion=replace(one.motion, position=constant(9, 9)))
    )
    made = item(home(document, moved), "a").motion
    assert made is not None and made.position == constant(9, 9) and made.opacity == DRESSED.motion.opacity  # type: ignore[union-attr]


@pytest.mark.parametrize("change", [{"level": constant(-3)}, {"pan": constant(-1)}, {"muted": (1,)}])
def test_sound_that_was_touched_stays_as_a_whole(change: dict[str, Any]) -> None:
    document = original()
    back = sent(document, "mixing-lane-xml")
    same = item(home(document, back, "mixing-lane-xml"), "s").sound
    assert same == HEARD.sound
    touched = edited(back, s=lambda one: replace(one, sound=replace(one.sound, **change)))
    made = item(home(document, touched, "mixing-lane-xml"), "s").sound
    assert made is not None
    for field, value in change.items():
        assert getattr(made, field) == value


def test_a_ramp_comes_back_unless_the_clip_was_trimmed() -> None:
    ramp = Variable((SpeedPoint(0, 4), SpeedPoint(20, 5, 4, 4), SpeedPoint(50, 8)))
    document = original(clip("a", 0, 50, speed=ramp), clip("b", 50, 50, 300))
    back = sent(document, "grading-lane-xml")
    assert item(home(document, back, "grading-lane-xml"), "a").speed == ramp
    slower = edited(back, a=lambda one: replace(one, speed=Constant(F(1, 2))))
    assert item(home(document, slower, "grading-lane-xml"), "a").speed == Constant(F(1, 2))


def test_a_transition_gets_its_kind_back_where_it_was_left_as_it_went() -> None:
    wipe = Transition("t", "Barn door", "wipe", 94, 12, 100, pattern=21, direction="up")
    document = original(joins=(wipe,))
    name = "grading-lane-xml"
    back = sent(document, name)
    (join,) = back.sequences_by_id["q"].tracks[0].transitions
    assert join.type == "dissolve"
    (made,) = home(document, back, name).sequence.tracks[0].transitions
    assert (made.type, made.pattern, made.start, made.duration) == ("wipe", 21, 94, 12)
    cut = back.sequences_by_id["q"]
    longer = replace(join, start=90, duration=20)
    other = replace(cut, tracks=(replace(cut.tracks[0], transitions=(longer,)), *cut.tracks[1:]))
    touched = replace(back, sequences=(other,))
    (made,) = home(document, touched, name).sequence.tracks[0].transitions
    assert (made.type, made.start, made.duration) == ("dissolve", 90, 20)


def test_what_could_not_go_is_laid_back_where_its_surroundings_went() -> None:
    wash = Item("w", "Wash", 60, 30, Adjustment(), effects=(Effect("Tint"),))
    noise = Item("n", "Noise", 110, 10, Generator("noise", "Noise"))
    document = original(above=(wash, noise))
    back = sent(document)
    assert not any(one.id in ("w", "n") for one in back.sequences_by_id["q"].items())
    # From 50 on everything stands ten frames later.
    later = edited(back, **{key: lambda one: replace(one, start=one.start + 10) for key in ("b", "c")})
    found = home(document, later)
    assert [(one.id, one.start, one.duration) for one in found.sequence.tracks[1].items] == [
        ("w", 70, 30),
        ("n", 120, 10),
    ]
    assert {one.what for one in found.put_back} >= {"adjustment put back", "generator put back"}
    # Where its place was taken over there it goes on a track of its own above.
    taken = edited(back, b=lambda one: one)
    cut = taken.sequences_by_id["q"]
    added = clip("new", 80, 30, 700)
    full = (
        replace(cut, tracks=(cut.tracks[0], replace(cut.tracks[1], items=(added,)), *cut.tracks[2:]))
        if cut.tracks[1].kind == "video"
        else replace(cut, tracks=(cut.tracks[0], Track("video", (added,)), *cut.tracks[1:]))
    )
    found = home(document, replace(taken, sequences=(full,)))
    rows = [[one.id for one in track.items] for track in found.sequence.video_tracks]
    assert rows == [["a", "b", "c"], ["new", "n"], ["w"]]


def test_what_did_not_come_back_is_listed_with_its_place() -> None:
    document = original()
    gone = edited(sent(document), b=lambda _: None)
    found = home(document, gone)
    assert [(one.what, one.item, one.track, one.start, one.stop) for one in found.missing] == [
        ("clip did not come back", "shot b", "V1", 50, 100)
    ]
    assert not any(one.id == "b" for one in found.sequence.items())


def test_a_cut_without_its_sound_or_its_picture_is_no_homecoming() -> None:
    document = original()
    found = home(document, edited(sent(document), s=lambda _: None))
    with pytest.raises(UnprovedError, match="without any of its sound"):
        found.prove(document.sequences[0], "x.xml")
    found = home(document, edited(sent(document), a=lambda _: None, b=lambda _: None, c=lambda _: None))
    with pytest.raises(UnprovedError, match="without any of its picture"):
        found.prove(document.sequences[0], "x.xml")
    home(document, sent(document)).prove(document.sequences[0], "x.xml")


def test_markers_get_their_colour_back_and_those_of_the_report_go() -> None:
    name = "editing-lane-xml"
    document = original(markers=(Marker(20, 0, "Check", color="#00ff00ff"),))
    told = Options(markers=True)
    back = sent(document, name, told)
    assert len(back.sequences_by_id["q"].markers) > 1
    found = home(document, back, name, told)
    assert [(one.name, one.color) for one in found.sequence.markers] == [("Check", "#00ff00ff")]
    # One that was set over there stays; one that was coloured there keeps that colour.
    cut = back.sequences_by_id["q"]
    blue = tuple(replace(one, color="#0000ffff") if one.name == "Check" else one for one in cut.markers)
    more = replace(back, sequences=(replace(cut, markers=(*blue, Marker(30, 0, "Theirs"))),))
    found = home(document, more, name, told)
    assert [(one.name, one.color) for one in found.sequence.markers] == [
        ("Check", "#0000ffff"),
        ("Theirs", None),
    ]


def test_a_title_and_its_template_come_back_unless_its_words_were_changed() -> None:
    title = Item(
        "t",
        "Kiln",
        10,
        30,
        Title((TextRun("Kiln Night", "Barlow", 60.0),), template="Glow", bar="#000000ff"),
        motion=Motion(),
    )
    document = original(above=(title,))
    back = sent(document)
    found = home(document, back)
    assert item(found, "t").content == title.content
    assert not any(one.id.endswith("/bar") for one in found.sequence.items())
    words = edited(
        back, t=lambda one: replace(one, content=replace(one.content, runs=(TextRun("Kiln Day"),)))
    )
    made = item(home(document, words), "t").content
    assert isinstance(made, Title) and made.words == "Kiln Day"


def test_names_of_tracks_come_back_where_one_owner_tells_them() -> None:
    document = original()
    back = sent(document, "editing-lane-xml")
    assert back.sequences_by_id["q"].tracks[0].name == ""
    found = home(document, back, "editing-lane-xml")
    assert [track.name for track in found.sequence.tracks if track.items] == ["Picture", "Dialogue"]


def test_a_clip_without_a_name_is_missed_by_its_kind() -> None:
    document = original(DRESSED, replace(clip("b", 50, 50, 300), name=""))
    back = edited(sent(document, "archive-otio"), b=lambda _: None)
    assert [one.item for one in home(document, back, "archive-otio").missing] == ["clip"]


def test_fields_of_a_clip_come_back_and_what_was_written_there_stays() -> None:
    whole = original(replace(DRESSED, metadata=(("scene", "4"), ("take", "2"))), clip("b", 50, 50, 300))
    back = edited(sent(whole), a=lambda one: replace(one, metadata=(("take", "3"), ("grade", "warm"))))
    found = home(whole, back)
    assert item(found, "a").metadata == (("take", "3"), ("grade", "warm"), ("scene", "4"))


def test_the_folder_that_was_given_over_there_stays_and_the_own_one_comes_back() -> None:
    document = original(folder="Cuts/R1")
    back = sent(document)
    cut = back.sequences_by_id["q"]
    bare = replace(back, sequences=(replace(cut, folder=None),))
    assert home(document, bare).sequence.folder == "Cuts/R1"
    theirs = replace(back, sequences=(replace(cut, folder="Finished"),))
    assert home(document, theirs).sequence.folder == "Finished"


def test_a_marker_that_had_no_colour_is_put_back_only_where_its_kind_changed() -> None:
    plain = original(markers=(Marker(20, 0, "Check"), Marker(40, 0, "Task", kind="to-do", done=False)))
    back = sent(plain, "editing-lane-xml")
    cut = back.sequences_by_id["q"]
    bare = tuple(replace(one, color=None, kind="marker", done=None) for one in cut.markers)
    found = home(plain, replace(back, sequences=(replace(cut, markers=bare),)), "editing-lane-xml")
    assert [(one.name, one.kind, one.done) for one in found.sequence.markers] == [
        ("Check", "marker", None),
        ("Task", "to-do", False),
    ]
    assert "Check" not in [one.item for one in found.put_back if one.what == "marker"]
