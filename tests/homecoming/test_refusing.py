"""Changes that were made over there are refused one by one: what the cut is then is worked out by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import pytest
from tests.homecoming.test_renders import GREY, PAL, clip

from wexodos.compare import compare_versions
from wexodos.homecoming.patterns import counted_patterns
from wexodos.homecoming.refusing import ALL, Refusal, key_of, without_refused
from wexodos.model import (
    Angle,
    Angles,
    Constant,
    Document,
    Generator,
    Item,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    TextRun,
    Title,
    Track,
    Transition,
    constant,
)

MEDIA = tuple(
    Media(
        name,
        f"{name}.mov",
        f"/kiln/{name}.mov",
        start=0,
        duration=1000,
        rate=PAL,
        width=1920,
        height=1080,
        video=True,
    )
    for name in ("A", "B")
)
JOIN = Transition("x", "Wipe", "wipe", 145, 10, 150, pattern=1)
FIRST = (
    clip("one", 0, 50, "A", 100),
    clip("two", 50, 50, "B", 100),
    clip("three", 110, 40, "A", 300),
    clip("four", 150, 50, "B", 300),
)
WORDS = Item("title", "Title", 20, 40, Title((TextRun("Kiln Night", size=54.0),)), motion=Motion())
SPEECH = Item("speech", "Speech", 0, 200, FIRST[0].content, sound=Sound(channels=(1,)))


def cut(
    *pictures: Item, join: Transition = JOIN, words: tuple[Item, ...] = (WORDS,), speech: Item = SPEECH
) -> Sequence:
    tracks = (
        Track("video", pictures, transitions=(join,)),
        Track("video", words),
        Track("audio", (speech,)),
    )
    return Sequence("s", "Kiln Night", PAL, width=1920, height=1080, tracks=tracks)


def refused(back: Sequence, *what: str, old: Sequence | None = None) -> Refusal:
    left = old or cut(*FIRST)
    ends = (Document("otio", "1", (left,), MEDIA), left), (Document("otio", "1", (back,), MEDIA), back)
    rows = compare_versions(ends[0][0], left, ends[1][0], back)
    return without_refused(*ends, rows, frozenset(what))


def places(made: Refusal, track: int = 0) -> list[tuple[str, int, int, int]]:
    return [
        (one.name, int(one.start), int(one.duration), round(one.source_in * 25))
        for one in made.sequence.tracks[track].items
    ]


ONE, TWO, THREE, FOUR = FIRST
WAS = [("one", 0, 50, 100), ("two", 50, 50, 100), ("three", 110, 40, 300), ("four", 150, 50, 300)]


def test_what_is_gone_or_black_says_nothing_against_a_shift_of_the_rest() -> None:
    """A second at the head, a clip gone, black instead of the title: three rows."""
    later = [replace(one, start=one.start + 25) for one in (ONE, THREE, FOUR, WORDS, SPEECH)]
    black = replace(later[3], content=Generator("colour", color="#000000ff"))
    join = replace(JOIN, start=JOIN.start + 25, cut=JOIN.cut + 25)
    rows = refused(cut(*later[:3], join=join, words=(black,), speech=later[4]), ALL).undone
    told = [(one.kind, one.what, one.item, one.before, one.after) for one in rows if one.kind != "settings"]
    assert sorted(told) == [
        ("changed", "kind", "Title", "title", "generator"),
        ("gone", "clip", "two", "two", None),
        ("moved", "record start", "4 items from here on", 0, 25),
    ]


def test_a_clip_that_was_moved_and_retimed_keeps_the_one_where_the_other_is_refused() -> None:
    back = cut(ONE, replace(TWO, start=55, speed=Constant(0)), THREE, FOUR)
    slow = next(key_of(one) for one in refused(back, ALL).undone if one.what == "speed")
    made = refused(back, slow)
    assert places(made) == [WAS[0], ("two", 55, 50, 100), *WAS[2:]] and made.stuck == []
    assert made.sequence.tracks[0].items[1].speed == Constant(1)
    made = refused(back, "moved")
    assert places(made) == WAS and made.sequence.tracks[0].items[1].speed == Constant(0)
    made = refused(back, "two")
    assert places(made) == WAS and made.sequence.tracks[0].items[1].speed == Constant(1)
    # Shorter as well, the one cannot be told from the other: all of it goes back.
    back = cut(ONE, replace(TWO, start=55, duration=40), THREE, FOUR)
    later = next(key_of(one) for one in refused(back, ALL).undone if one.what == "record start")
    assert places(refused(back, later)) == WAS


def test_each_change_alone_is_taken_back_and_the_others_stay() -> None:
    """A trim at the end, another sizing and a filter, a slip, another speed; each refused by its item."""
    bigger = Motion(scale=constant(1.5, 1.5), opacity=constant(0.5))
    back = cut(
        replace(ONE, duration=40, motion=bigger),
        replace(TWO, effects=(GREY,)),
        replace(THREE, source_in=PAL.seconds(310)),
        FOUR,
    )
    made = refused(back, "one")
    assert places(made)[0] == WAS[0] and made.stuck == []
    first = made.sequence.tracks[0].items[0]
    assert first.motion == Motion()
    assert made.sequence.tracks[0].items[1].effects == (GREY,) and places(made)[2] == ("three", 110, 40, 310)
    # By its kind: only what was slipped.
    made = refused(back, "slipped")
    assert places(made) == [("one", 0, 40, 100), *WAS[1:]] and {one.kind for one in made.undone} == {
        "slipped"
    }
    # By its key: the sizing without the opacity, and without the trim.
    rows = refused(back, ALL).undone
    key = next(key_of(one) for one in rows if one.item_id == "one" and one.what == "size")
    made = refused(back, key)
    first = made.sequence.tracks[0].items[0]
    assert first.motion == Motion(opacity=constant(0.5)) and first.duration == 40
    # All of it is the cut that left.
    made = refused(back, ALL)
    assert made.sequence.tracks == cut(*FIRST).tracks and made.stuck == []


def test_words_sound_and_a_transition_are_taken_back() -> None:
    other = replace(WORDS, content=Title((TextRun("Kiln Day", size=20.0),)))
    louder = replace(SPEECH, sound=Sound(channels=(1,), level=constant(6.0)))
    join = replace(JOIN, type="dissolve", pattern=None, start=140, duration=20)
    back = cut(*FIRST, join=join, words=(other,), speech=louder)
    made = refused(back, "title")
    assert made.sequence.tracks[1].items == (WORDS,) and made.sequence.tracks[2].items == (louder,)
    made = refused(back, "speech")
    assert made.sequence.tracks[2].items == (SPEECH,) and made.sequence.tracks[1].items == (other,)
    made = refused(back, ALL)
    assert made.sequence.tracks == cut(*FIRST).tracks


def test_behind_time_that_was_put_in_each_goes_back_by_itself() -> None:
    """25 frames at the head push everything on; one clip was moved by six besides, one is gone."""
    items = [replace(one, start=one.start + 25) for one in (ONE, replace(THREE, start=116), FOUR)]
    join = replace(JOIN, start=170, cut=175)
    words, speech = replace(WORDS, start=45), replace(SPEECH, start=25)
    # It ends where the next one begins: shorter by what it was moved.
    items[1] = replace(items[1], duration=34)
    more = [clip(f"more {at}", 250 + 10 * at, 10, "A", 500 + 20 * at) for at in range(12)]
    old = cut(*FIRST, *more)
    late = [replace(one, start=one.start + 25) for one in more]
    back = cut(*items, *late, join=join, words=(words,), speech=speech)
    made = refused(back, "three", "gone", old=old)
    assert made.stuck == []
    assert places(made)[:4] == [
        ("one", 25, 50, 100),
        ("two", 75, 50, 100),
        ("three", 135, 40, 300),
        ("four", 175, 50, 300),
    ]


def test_what_stands_in_the_way_keeps_a_change_and_is_said() -> None:
    """Two clips changed places: one alone cannot go back, both can. What was put in goes out again, and makes room."""
    back = cut(ONE, replace(TWO, start=50, duration=30), clip("new", 80, 20, "A", 700), THREE, FOUR)
    made = refused(back, "two")
    assert places(made)[1] == ("two", 50, 30, 100)
    assert [(row.item_id, why) for row, why in made.stuck] == [("two", "new stands there")]
    # The one waits for the other.
    made = refused(back, "trimmed", "added")
    assert places(made) == WAS and made.stuck == []
    # At a transition an end cannot go anywhere.
    join = replace(JOIN, cut=140, start=135)
    back = cut(
        ONE,
        TWO,
        replace(THREE, duration=30),
        replace(FOUR, start=140, duration=60, source_in=Fraction(290, 25)),
        join=join,
    )
    made = refused(back, "four")
    assert made.undone == [] and {why for _, why in made.stuck} == {"a transition stands at its end"}
    # What is of the whole cut is none of one thing's.
    back = replace(cut(*FIRST), start=90_000)
    made = refused(back, "settings")
    assert made.undone == [] and {why for _, why in made.stuck} == {
        "it is of the whole cut, not of one thing"
    }


def test_a_speed_goes_back_with_its_place() -> None:
    back = cut(ONE, replace(TWO, speed=Constant(Fraction(9, 10))), THREE, FOUR)
    made = refused(back, "two")
    assert made.sequence.tracks == cut(*FIRST).tracks and made.stuck == []


def test_a_shift_and_a_frame_go_back_whole() -> None:
    """A second in front of everything, in half the frame, one clip larger besides."""
    half = [
        replace(one, start=one.start + 25, motion=Motion(fit="none", scale=constant(0.5, 0.5)))
        for one in FIRST
    ]
    old = cut(*(replace(one, motion=Motion(fit="none")) for one in FIRST))
    half[1] = replace(half[1], motion=Motion(fit="none", scale=constant(0.75, 0.75)))
    join = replace(JOIN, start=170, cut=175)
    later = cut(*half, join=join, words=(replace(WORDS, start=45),), speech=replace(SPEECH, start=25))
    back = replace(later, width=960, height=540)
    made = refused(back, "settings", old=old)
    scales = [one.motion.scale.value[0] for one in made.sequence.tracks[0].items]  # type: ignore[union-attr]
    assert made.sequence.frame_size == (1920, 1080) and scales == [1, 1.5, 1, 1]
    assert places(made)[0] == ("one", 25, 50, 100)
    made = refused(back, ALL, old=old)
    assert made.sequence.tracks[0].transitions == (JOIN,)
    assert [one.motion.scale.value[0] for one in made.sequence.tracks[0].items] == [1, 1, 1, 1]  # type: ignore[union-attr]
    assert places(made) == WAS and places(made, 1) == [("Title", 20, 40, 0)]
    # Something that stands where it would go keeps it.
    full = replace(
        later,
        tracks=(replace(later.tracks[0], items=(clip("new", 0, 25, "A", 900), *half)), *later.tracks[1:]),
    )
    made = refused(full, "moved", old=old)
    assert {why for _, why in made.stuck} == {"one stands there"} and made.undone == []
    made = refused(full, "moved", "added", old=old)
    assert places(made) == WAS and made.stuck == []


def test_what_went_further_than_the_rest_and_what_stayed_go_back_to_their_places() -> None:
    """A second in front of the pictures; one of them five frames further, the sound where it was. With a row for
    each, and where there are many with one for all."""
    late = [replace(one, start=one.start + 25) for one in FIRST]
    late[1] = replace(late[1], start=80)
    more = [clip(f"more {at}", 250 + 20 * at, 20, "A", 500 + 40 * at) for at in range(12)]
    last = [replace(one, start=one.start + 25) for one in more]
    old = cut(*FIRST, *more)
    join = replace(JOIN, start=170, cut=175)
    back = cut(*late, *last, join=join, words=(replace(WORDS, start=45),), speech=SPEECH)
    made = refused(back, ALL, old=old)
    assert made.stuck == [] and made.sequence.tracks == old.tracks
    made = refused(back, "two", old=old)
    assert places(made)[:2] == [("one", 25, 50, 100), ("two", 75, 50, 100)]
    back = cut(
        *late, join=replace(JOIN, start=170, cut=175), words=(replace(WORDS, start=45),), speech=SPEECH
    )
    made = refused(back, ALL)
    assert made.stuck == [] and made.sequence.tracks == cut(*FIRST).tracks
    made = refused(back, "two")
    assert {why for _, why in made.stuck} == {"one stands there"}


def test_known_patterns_are_counted_and_go_back_by_their_name() -> None:
    """Titles that are black, a wipe that became a dissolve, a freeze that plays on, a filter that is gone; two
    clips trimmed by hand besides."""
    old = cut(ONE, replace(TWO, speed=Constant(0)), replace(THREE, effects=(GREY,)), FOUR)
    black = replace(WORDS, content=Generator("black"))
    soft = replace(JOIN, type="dissolve", pattern=None)
    back = cut(replace(ONE, duration=40), TWO, THREE, replace(FOUR, duration=45), join=soft, words=(black,))
    ends = Document("otio", "1", (old,), MEDIA), Document("otio", "1", (back,), MEDIA)
    rows = compare_versions(ends[0], old, ends[1], back)
    assert counted_patterns(rows) == {
        "titles are black": 1,
        "wipes became dissolves": 1,
        "freezes lost, their time kept": 1,
        "filters left out": 1,
    }
    made = refused(back, "titles are black", "wipes became dissolves", old=old)
    assert made.sequence.tracks[1].items == (WORDS,) and made.sequence.tracks[0].transitions == (JOIN,)
    assert made.sequence.tracks[0].items == back.tracks[0].items
    made = refused(back, "freezes lost, their time kept", "filters left out", old=old)
    assert made.sequence.tracks[0].items[1:3] == old.tracks[0].items[1:3]
    assert made.sequence.tracks[1].items == (black,)
    assert refused(back, ALL, old=old).sequence.tracks == old.tracks
    gone = cut(*FIRST, words=())
    left = cut(*FIRST)
    told = compare_versions(
        Document("otio", "1", (left,), MEDIA), left, Document("otio", "1", (gone,), MEDIA), gone
    )
    assert counted_patterns(told) == {"titles left out": 1}
    assert refused(gone, "titles left out").sequence.tracks == cut(*FIRST).tracks


@pytest.mark.parametrize("what", ["", "nothing of it"])
def test_nothing_refused_is_nothing_changed(what: str) -> None:
    back = cut(ONE, replace(TWO, duration=30), THREE, FOUR)
    made = refused(back, what)
    assert made.sequence == back and made.undone == made.stuck == []


def test_a_nest_and_an_angle_that_are_gone_come_back_with_all_they_hold() -> None:
    """Over there neither the nests nor their media are left; the angle is an edited one."""
    inner = Sequence(
        "inner", "Ash", PAL, width=1920, height=1080, tracks=(Track("video", (clip("ash", 0, 60, "B", 40),)),)
    )
    outer = replace(
        inner, id="outer", name="Kiln", tracks=(Track("video", (nested("in it", 0, 60, "inner"),)),)
    )
    choice = Angles((Angle("1", "wide", media="A"), Angle("2", "close", sequence="outer")), "2", None)
    items = (ONE, nested("nest", 50, 50, "outer"), Item("angles", "Angles", 110, 40, choice, motion=Motion()))
    left = replace(cut(*items), tracks=(Track("video", items), Track("audio", (SPEECH,))))
    back = replace(left, tracks=(Track("video", (ONE,)), Track("audio", (SPEECH,))))
    ends = (
        (Document("otio", "1", (left, inner, outer), MEDIA), left),
        (Document("otio", "1", (back,), MEDIA[:1]), back),
    )
    rows = compare_versions(ends[0][0], left, ends[1][0], back)
    assert {one.item_id for one in rows if one.kind == "gone"} == {"nest", "angles"}
    made = without_refused(*ends, rows, frozenset({ALL}))
    assert made.stuck == []
    assert compare_versions(ends[0][0], left, made.document, made.sequence) == []
    nests = made.document.sequences_by_id
    (use,) = [one for one in made.sequence.tracks[0].items if one.id == "nest"]
    assert isinstance(use.content, NestedUse)
    (deeper,) = nests[use.content.sequence].tracks[0].items
    assert isinstance(deeper.content, NestedUse)
    (ash,) = nests[deeper.content.sequence].tracks[0].items
    assert isinstance(ash.content, MediaUse)
    assert made.document.media_by_id[ash.content.media].path == "/kiln/B.mov"


def nested(name: str, start: int, duration: int, sequence: str) -> Item:
    return Item(name, name, start, duration, NestedUse(sequence), 0, motion=Motion())
