"""What findings weigh and how they are gathered, by hand."""

from __future__ import annotations

from dataclasses import replace

import pytest

from settling.bench import PAL, clip
from wexodos.carryover import Fate, Finding, Remedy, rows
from wexodos.carryover.unseen import unseen
from wexodos.carryover.weighing import weighed
from wexodos.compare.aspects import Aspect
from wexodos.model import (
    Angle,
    Angles,
    Curve,
    Document,
    Effect,
    Item,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Sound,
    Track,
    Transition,
)
from wexodos.model.curves import Ease, Key
from wexodos.model.items import Motion
from wexodos.settling.changes import Change
from wexodos.settling.findings import Choices
from wexodos.settling.vocabulary import Cause, Kind

FULL = Media("m", "A.mov", width=1920, height=1080, video=True)


def finding(cause: Cause, item: str, minutes: float, before: object = "x", **more: object) -> Finding:
    given: dict[str, object] = {
        "kind": Kind.FILTER,
        "what": "Blur",
        "item": item,
        "item_id": item,
        "track": "V1",
        "start": 0,
        "stop": 10,
        "fate": Fate.LEFT,
        "why": "not there",
        "do": "filter it again",
        "minutes": minutes,
        "cause": cause,
        "changes": (Change(Aspect.FILTERS, item, before, None),),
    }
    return Finding(**{**given, **more})  # type: ignore[arg-type]


def minutes(
    *found: Finding, hidden: frozenset[str] = frozenset(), choices: Choices | None = None
) -> list[float]:
    return [one.minutes for one in weighed(found, hidden, choices or Choices())]


def test_the_very_same_work_is_done_once_and_laid_on_the_others() -> None:
    blur, soft = ("blur", 4), ("blur", 9)
    found = [
        finding(Cause.NO_FILTER, name, 6, value) for name, value in (("a", blur), ("b", blur), ("c", soft))
    ]
    assert minutes(*found) == [6, 0.1, 6]
    # Another filter, another fate or another cause is another work.
    assert minutes(found[0], replace(found[1], what="Glow")) == [6, 6]
    assert minutes(found[0], replace(found[1], fate=Fate.NOTED)) == [6, 6]
    assert minutes(found[0], replace(found[1], cause=Cause.FILTER_OFF)) == [6, 6]


def test_a_clip_that_did_not_go_is_cut_in_at_every_place() -> None:
    gone = (Change(Aspect.PRESENCE, "a", "shot", None),)
    found = [
        finding(Cause.MEDIUM_UNKNOWN, name, 5, kind=Kind.CLIP, what="clip", changes=gone)
        for name in ("a", "b")
    ]
    assert minutes(*found) == [5, 5]
    joins = [replace(one, kind=Kind.TRANSITION, what="wipe", minutes=3) for one in found]
    assert minutes(*joins) == [3, 0.1]


def test_what_told_no_values_is_the_same_work_where_it_read_the_same() -> None:
    found = [finding(Cause.NO_ALPHA, name, 1, changes=()) for name in ("a", "b")]
    assert minutes(replace(found[0], before="straight"), replace(found[1], before="straight")) == [1, 0.1]
    assert minutes(replace(found[0], before="straight"), replace(found[1], before="black")) == [1, 1]


def test_what_nobody_sees_and_what_was_left_on_purpose_costs_nothing() -> None:
    lost = finding(Cause.NO_FILTER, "a", 6, remedy=Remedy.LEAVE, remedies=(Remedy.LEAVE, Remedy.NOTE))
    other = replace(lost, item="b", item_id="b")
    assert minutes(lost, other, hidden=frozenset({"a"})) == [0, 6]
    assert minutes(lost, choices=Choices({lost.key: Remedy.LEAVE})) == [0]
    assert minutes(lost, choices=Choices({}, {"filter": Remedy.LEAVE})) == [0]
    assert minutes(lost, choices=Choices({lost.key: Remedy.NOTE}, {"filter": Remedy.LEAVE})) == [6]
    noted = replace(lost, remedy=Remedy.NOTE, fate=Fate.NOTED)
    assert minutes(noted, choices=Choices({lost.key: Remedy.LEAVE})) == [6]


@pytest.mark.parametrize(
    ("off", "within", "cost", "fate", "closely"),
    [
        (0.09, 0.09, 0.0, Fate.ADAPTED, True),
        (0.091, 0.09, 0.0, Fate.ADAPTED, False),
        (0.09, 0.09, 1.0, Fate.ADAPTED, False),
        (0.09, None, 0.0, Fate.ADAPTED, False),
        (None, 0.09, 0.0, Fate.ADAPTED, False),
        (0.01, 0.09, 0.0, Fate.LEFT, False),
    ],
)
def test_what_stays_within_its_tolerance_and_leaves_no_work_is_carried_closely(
    off: float | None, within: float | None, cost: float, fate: Fate, closely: bool
) -> None:
    far = (off, "dB") if off is not None else None
    (one,) = weighed(
        [finding(Cause.LEVELS_FOLLOWED, "a", cost, fate=fate, deviation=far, within=within)],
        frozenset(),
        Choices(),
    )
    assert one.closely is closely and one.fate is (Fate.CARRIED if closely else fate)


def cut(*tracks: Track) -> Sequence:
    return Sequence("s", "Cut", PAL, width=1920, height=1080, tracks=tracks)


def video(*items: Item, on: bool = True, joins: tuple[Transition, ...] = ()) -> Track:
    return Track("video", items, joins, enabled=on)


def hidden(*tracks: Track, media: Media = FULL) -> set[str]:
    sequence = cut(*tracks)
    return set(unseen(Document("xmeml", "5", (sequence,), (media,)), sequence))


FADING = Curve((1.0,), (Key(0, (0.0,), Ease.LINEAR), Key(50, (1.0,), Ease.LINEAR)))


def test_switched_off_see_through_and_muted_things_are_not_seen_or_heard() -> None:
    assert hidden(video(clip("a", 0, 50), clip("b", 50, 50, enabled=False))) == {"b"}
    assert hidden(video(clip("a", 0, 50), on=False)) == {"a"}
    nothing = Motion(opacity=Curve((0.0,)))
    assert hidden(
        video(clip("a", 0, 50, motion=nothing), clip("b", 50, 50, motion=Motion(opacity=FADING)))
    ) == {"a"}
    sound = Track(
        "audio",
        (
            clip("a", 0, 50, sound=Sound((1, 2), muted=(1, 2))),
            clip("b", 50, 50, sound=Sound((1, 2), muted=(2,))),
            clip("c", 100, 50, sound=Sound()),
        ),
    )
    assert hidden(sound) == {"a"}


def test_what_lies_behind_a_picture_that_fills_the_frame_is_not_seen() -> None:
    below = video(clip("a", 0, 50), clip("b", 50, 50), clip("c", 100, 50))
    assert hidden(below, video(clip("over", 40, 60))) == {"b"}
    # What begins first need not be what reaches furthest.
    assert hidden(below, video(clip("short", 0, 10)), video(clip("over", 50, 51))) == {"b"}
    assert hidden(below, video(clip("long", 0, 150)), video(clip("over", 60, 10))) == {"a", "b", "c"}
    assert hidden(video(clip("over", 0, 150)), below) == set()


@pytest.mark.parametrize(
    "more",
    [
        {"blend": "screen"},
        {"alpha": "straight"},
        {"still": True},
        {"motion": Motion(scale=Curve((0.5, 0.5)))},
        {"motion": Motion(opacity=FADING)},
        {"effects": (Effect("Blur"),)},
        {"enabled": False},
    ],
)
def test_what_may_show_through_hides_nothing(more: dict[str, object]) -> None:
    assert "a" not in hidden(video(clip("a", 0, 50)), video(clip("over", 0, 50, **more)))


def test_a_smaller_medium_or_one_that_is_joined_hides_nothing() -> None:
    pair = video(clip("a", 0, 50)), video(clip("over", 0, 50))
    assert hidden(*pair) == {"a"}
    assert hidden(*pair, media=replace(FULL, width=960)) == set()
    assert hidden(*pair, media=replace(FULL, alpha="black")) == set()
    assert hidden(*pair, media=replace(FULL, video=False)) == set()
    joined = video(clip("over", 0, 50), joins=(Transition("t", "", "dissolve", 40, 10, 50),))
    assert hidden(pair[0], joined) == set()
    assert hidden(pair[0], video(clip("over", 0, 50), on=False)) == {"over"}


def test_a_transition_is_unseen_where_all_it_joins_is() -> None:
    join = Transition("t", "", "dissolve", 45, 10, 50)
    off = clip("a", 0, 50, enabled=False), clip("b", 50, 50, enabled=False)
    assert hidden(video(*off, joins=(join,))) == {"a", "b", "t"}
    assert hidden(video(off[0], clip("b", 50, 50), joins=(join,))) == {"a"}


def test_a_nest_that_stands_only_where_nobody_looks_hides_all_that_is_in_it() -> None:
    inner = replace(cut(video(clip("in", 0, 50), joins=(Transition("t", "", "dip", 0, 5, 0),))), id="n")
    off = Item("off", "Nest", 0, 50, NestedUse("n"), enabled=False)

    def found(*items: Item) -> set[str]:
        outer = cut(video(*items))
        return set(unseen(Document("xmeml", "5", (outer, inner), (FULL,)), outer))

    assert found(off) == {"off", "in", "t"}
    assert found(off, Item("on", "Nest", 50, 50, NestedUse("n"))) == {"off"}


def level(item: str, track: str, keys: int, off: float, **more: object) -> Finding:
    return finding(
        Cause.LEVELS_FOLLOWED,
        item,
        0,
        kind=Kind.LEVEL,
        what="level",
        track=track,
        fate=Fate.ADAPTED,
        why=f"levels run straight in dB there; {keys} keys follow",
        do="nothing",
        deviation=(off, "dB"),
        **more,
    )


def test_one_cause_is_one_row_with_what_its_places_share() -> None:
    found = [level("a", "A1", 13, 0.08), level("b", "A12", 56, 0.09), level("c", "A2", 13, 0.05)]
    (row,) = rows(found)
    assert (row.findings, row.many, row.tracks) == (tuple(found), 3, "A1…A12")
    assert (row.thing, row.why, row.do) == ("level · 3 places", "levels run straight in dB there", "nothing")
    assert row.deviation == (0.09, "dB") and row.start == 0
    (alone,) = rows(found[:1])
    assert (alone.thing, alone.why, alone.tracks) == (
        "a · level",
        "levels run straight in dB there; 13 keys follow",
        "A1",
    )


def test_figures_and_names_inside_a_sentence_make_no_row_of_their_own() -> None:
    found = [finding(Cause.TRACK_WORDS, name, 0, why=f"'{name}' ends 1.5 frames late") for name in ("a", "b")]
    (row,) = rows(found)
    assert row.why == "… ends … frames late"


def test_what_differs_in_cause_fate_remedy_or_thing_stands_apart() -> None:
    one = finding(Cause.NO_FILTER, "a", 6, remedy=Remedy.LEAVE)
    others = [
        replace(one, what="Glow"),
        replace(one, fate=Fate.NOTED),
        replace(one, remedy=Remedy.NOTE),
        replace(one, cause=Cause.FILTER_OFF),
        replace(one, explained=False),
        replace(one, book="second"),
        replace(one, why="switched off"),
    ]
    assert len(rows([one, *others])) == 8
    assert len(rows([one, replace(one, item="b", track="V2", minutes=0.1, before="y")])) == 1


def test_what_befalls_everything_alike_is_told_once_whatever_it_befalls() -> None:
    clips = finding(Cause.NO_PICTURE_OR_SOUND, "a", 0, kind=Kind.CLIP, what="clip", why="no picture there")
    others = [
        replace(clips, kind=kind, what=what)
        for kind, what in ((Kind.TITLE, "title"), (Kind.TRANSITION, "dip"))
    ]
    (row,) = rows([clips, *others])
    assert row.thing == "clip, title, dip to a colour · 3 places"
    (many,) = rows([clips, *others, replace(clips, what="still")])
    assert many.what == "clip, title, dip to a colour …"


def test_a_row_costs_what_its_places_cost_and_is_open_where_one_is() -> None:
    done, work = finding(Cause.NO_FILTER, "a", 0), finding(Cause.NO_FILTER, "b", 0.1)
    (row,) = rows([done, work, replace(work, item="c")])
    assert (row.minutes, row.open) == (0.2, True)
    assert not rows([done])[0].open and rows([replace(done, explained=False)])[0].open
    # What is said of the whole hand-over stands nowhere and is nobody's open work.
    assert not replace(work, kind=Kind.SETTINGS).open and not replace(work, kind=Kind.TRACK).open


def test_only_what_every_place_offers_can_be_chosen_for_a_row() -> None:
    one = finding(Cause.NO_FILTER, "a", 6, remedy=Remedy.LEAVE, remedies=(Remedy.LEAVE, Remedy.NOTE))
    (row,) = rows([one, replace(one, remedies=(Remedy.LEAVE,))])
    assert (row.remedy, row.remedies) == (Remedy.LEAVE, (Remedy.LEAVE,))


def test_a_moment_stays_a_moment_and_words_are_styled_alike_at_once() -> None:
    small = [finding(Cause.NO_MARKERS, name, 0.05, kind=Kind.MARKER, what="marker") for name in ("a", "b")]
    assert minutes(*small) == [0.05, 0.05]
    style = (Change(Aspect.STYLE, "a", "outlined", None),)
    titles = [
        finding(Cause.TITLE_STYLE, name, 3, kind=Kind.TITLE, what="style", changes=style)
        for name in ("a", "b")
    ]
    assert minutes(*titles) == [3, 0.1]
    both = (Change(Aspect.PRESENCE, "a", "shot", None), Change(Aspect.MARKER, "a", "x", None))
    gone = [
        finding(Cause.NO_TITLE, name, 8, kind=Kind.TITLE, what="title", changes=both) for name in ("a", "b")
    ]
    assert minutes(*gone) == [8, 8]


def test_half_seen_pictures_and_places_without_a_clip_are_seen() -> None:
    half = Motion(opacity=Curve((0.5,)))
    assert hidden(video(clip("a", 0, 50, motion=half))) == set()
    lonely = Transition("t", "", "dissolve", 75, 10, 80)
    assert hidden(video(clip("a", 0, 50, enabled=False), joins=(lonely,))) == {"a"}
    # A medium nobody knows hides nothing, and sound hides no picture.
    unknown = replace(clip("over", 0, 50), content=MediaUse("nowhere"))
    assert hidden(video(clip("a", 0, 50)), video(unknown)) == set()
    heard = Track("audio", (clip("s", 0, 50, sound=Sound((1,))),))
    assert hidden(video(clip("a", 0, 50)), heard) == set()


@pytest.mark.parametrize("at", [(0, 10), (40, 10), (100, 10), (150, 10)])
def test_a_picture_at_rest_hides_whatever_happens_beside_it(at: tuple[int, int]) -> None:
    beside = Transition("t", "", "dissolve", at[0], at[1], at[0])
    over = video(clip("over", 50, 50, motion=Motion()), joins=(beside,))
    assert "a" in hidden(video(clip("a", 50, 50)), over)
    crossing = replace(beside, start=45 if at[0] < 50 else 95)
    assert "a" not in hidden(video(clip("a", 50, 50)), replace(over, transitions=(crossing,)))


def test_what_an_angle_shows_is_seen_and_circles_and_gaps_end() -> None:
    inner = replace(cut(video(clip("in", 0, 50))), id="n")
    round_ = replace(cut(video(Item("self", "Round", 0, 50, NestedUse("r")))), id="r")
    angles = Angles((Angle("x", "Left", sequence="n"), Angle("y", "Right", media="m")), "x", None)
    items = (
        Item("mc", "Two", 0, 50, angles),
        Item("lost", "Lost", 50, 50, NestedUse("nowhere")),
        Item("r1", "Round", 100, 50, NestedUse("r")),
    )
    outer = cut(video(*items))
    assert unseen(Document("xmeml", "5", (outer, inner, round_), (FULL,)), outer) == frozenset()


def test_a_row_says_where_what_and_how_often() -> None:
    one = finding(Cause.NO_FILTER, "Kiln", 6)
    (two,) = rows([replace(one, track=""), replace(one, track="V2")])
    assert (two.thing, two.tracks) == ("Blur · 2 places", "V2")
    assert rows([replace(one, item="Soft blur shot")])[0].thing == "Soft blur shot"
    assert rows([replace(one, item="")])[0].thing == "Blur"
    assert rows([replace(one, track="")])[0].tracks == ""
