"""What the plan works with: choices, minutes, recorded changes, speeds that have no form: by hand."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from fractions import Fraction as F
from pathlib import Path

import msgspec
import pytest

from settling.bench import at_work, clip, context
from wexodos.compare.aspects import Aspect
from wexodos.model import (
    NORMAL,
    Constant,
    Item,
    Marker,
    Media,
    Raw,
    SpeedPoint,
    Title,
    Track,
    Transition,
    Variable,
)
from wexodos.settling.changes import Change, Thing
from wexodos.settling.context import Lane
from wexodos.settling.findings import Choices, counts, finding_of, key_of
from wexodos.settling.leaving import drop, kind_of, note_in_place
from wexodos.settling.options import Options, chosen
from wexodos.settling.receiver import Destination, Turnover
from wexodos.settling.speeding import kind_of_speed, rendered, replace_speed, words_of
from wexodos.settling.vocabulary import FATE_OF, MINUTES, Cause, Fate, Kind, Remedy
from wexodos.timing import Rate

# ---- choices


def test_a_choice_for_one_thing_goes_before_its_kind_and_only_what_is_possible_counts() -> None:
    adapt, note, leave = Remedy.ADAPT, Remedy.NOTE, Remedy.LEAVE
    everything = (adapt, note, leave)
    chosen = Choices(
        {"speed|freeze|v1": leave}, {"speed|freeze": note, "transition": leave, "transition|wipe": note}
    )
    assert chosen.pick("speed", "freeze", "v1", everything) is leave
    assert chosen.pick("speed", "freeze", "v2", everything) is note
    assert chosen.pick("speed", "reverse", "v1", everything) is adapt
    assert chosen.pick("transition", "wipe", "j", everything) is note
    assert chosen.pick("transition", "slide", "j", everything) is leave
    # What cannot be is passed over, for the next that can.
    assert chosen.pick("speed", "freeze", "v1", (adapt, note)) is note
    assert chosen.pick("speed", "freeze", "v2", (leave, adapt)) is leave
    assert key_of("speed", "freeze", "v1") == "speed|freeze|v1"


def test_where_no_markers_go_nothing_can_be_noted() -> None:
    plain = context()
    asked = (Remedy.NOTE, Remedy.LEAVE)
    assert plain.decide(Cause.NO_SUCH_SPEED, "freeze", "v1", *asked).options == asked
    carry = msgspec.structs.replace(plain.destination.markers, carry=False)
    silent = context(markers=carry)
    choice = silent.decide(Cause.NO_SUCH_SPEED, "freeze", "v1", *asked)
    assert (choice.options, choice.remedy, choice.kind, choice.what) == (
        (Remedy.LEAVE,),
        Remedy.LEAVE,
        Kind.SPEED,
        "freeze",
    )
    # One option stays, whatever it is.
    assert silent.decide(Cause.NO_SUCH_SPEED, "freeze", "v1", Remedy.NOTE).remedy is Remedy.NOTE


def test_things_are_counted_by_fate_and_the_rest_is_carried() -> None:
    work, lane = at_work(clip("a", 0, 50))
    told = context()
    one = told.because(work, Cause.NO_SUCH_SPEED, lane.items[0], "V1", "why", "do", always=True)
    left = told.because(work, Cause.NO_BLEND, lane.items[0], "V1", "why", "do", fate=Fate.LEFT, always=True)
    found = counts([finding_of(one), finding_of(left), replace(finding_of(left), explained=False)], 10)
    assert found == {"carried": 8, "adapted": 1, "baked": 0, "noted": 0, "left behind": 1}
    assert counts([finding_of(one)] * 3, 2)["carried"] == 0
    assert FATE_OF == {
        Remedy.ADAPT: Fate.ADAPTED,
        Remedy.NOTE: Fate.NOTED,
        Remedy.LEAVE: Fate.LEFT,
        Remedy.BAKE: Fate.BAKED,
    }


BUDGET = {
    "clip": (1, 5),
    "transition": (2, 3),
    "speed": (4, 6),
    "motion": (1, 5),
    "opacity": (1, 2),
    "title": (3, 8),
    "generator": (1, 2),
    "filter": (2, 6),
    "colour": (3, 8),
    "level": (0, 3),
    "pan": (0, 1),
    "fade": (0, 1),
    "channels": (1, 2),
    "mute": (0, 1),
    "marker": (0, 0.5),
    "nested": (2, 10),
    "angles": (1, 3),
    "track": (0, 0.5),
    "media": (0, 1),
    "settings": (1, 5),
    "metadata": (0, 0),
}


def test_every_kind_has_its_budget() -> None:
    assert {kind.value for kind in Kind} == set(BUDGET) == {kind.value for kind in MINUTES}


@pytest.mark.parametrize(("kind", "adapted", "lost"), [(kind, *both) for kind, both in BUDGET.items()])
def test_the_repair_budget(kind: str, adapted: float, lost: float) -> None:
    of = Kind(kind)
    plain = context(minutes={})
    assert MINUTES[of] == (adapted, lost)
    assert [plain.minutes(of, fate) for fate in Fate if fate not in (Fate.CARRIED, Fate.BAKED)] == [
        adapted,
        lost,
        lost,
    ]
    assert plain.minutes(of, Fate.BAKED) == plain.minutes(of, Fate.CARRIED) == 0
    # A destination's own rate counts for what is lost, and caps what is adapted.
    own = context(minutes={of: 1.5})
    assert (own.minutes(of, Fate.ADAPTED), own.minutes(of, Fate.LEFT)) == (min(adapted, 1.5), 1.5)


def test_a_reason_says_where_in_the_whole_and_goes_by_its_choice() -> None:
    work, lane = at_work(clip("a", 10, 50))
    work.shift, work.prefix = 100, "Fires / "
    told = context(choices=Choices({}, {"speed": Remedy.LEAVE}))
    choice = told.decide(Cause.NO_SUCH_SPEED, "freeze", "a", Remedy.ADAPT, Remedy.LEAVE)
    one = told.because(
        work, Cause.NO_SUCH_SPEED, lane.items[0], "V1", "why", "do", choice=choice, fate=Fate.ADAPTED
    )
    assert (one.start, one.stop, one.item, one.item_id, one.track) == (110, 160, "Fires / shot a", "a", "V1")
    assert (one.fate, one.what, one.minutes, one.remedies) == (
        Fate.LEFT,
        "freeze",
        6,
        (Remedy.ADAPT, Remedy.LEAVE),
    )
    work.track = "V3"
    span = told.because(
        work, Cause.NO_MARKERS, (5, 9), "V1", "why", "do", item_id="m", name="mark", minutes=0.25
    )
    assert (span.start, span.stop, span.item, span.item_id, span.track, span.minutes) == (
        105,
        109,
        "Fires / mark",
        "m",
        "V3",
        0.25,
    )
    # Neither has changed anything yet: no finding; one that is told always is.
    assert told.findings == []
    told.because(work, Cause.NO_MARKERS, (0, 0), "V1", "why", "do", always=True)
    work.put(lane, lane.items[0], replace(lane.items[0], speed=Constant(2)), one)
    assert [finding.what for finding in told.findings] == ["freeze", "marker"]


# ---- recorded changes


def test_every_change_is_an_entry_with_what_stood_there() -> None:
    a, b = clip("a", 0, 50), clip("b", 50, 50)
    join = Transition("j", "Wipe", "wipe", 44, 12, 50)
    mark = Marker(7, 0, "Check")
    work, lane = at_work(a, b, joins=(join,), markers=(mark,))
    why = context().spelled()
    louder = replace(b, enabled=False, blend="screen")
    work.put(lane, a, a, why)
    work.put(lane, a, clip("a", 0, 50), why)
    assert work.entries == []
    work.put(lane, b, louder, why)
    upper = work.lay_lane(1, Lane("V1", "video", [], [], Track("video", name="Over")), why)
    assert [one.label for one in work.lanes] == ["V1", "V12"] and upper.label == "V12"
    work.move(lane, upper, a, why)
    work.move_join(lane, upper, join, why)
    work.put_join(upper, join, replace(join, type="dissolve"), why)
    work.put_mark(mark, replace(mark, color="red"), why)
    work.mark(Marker(9), why)
    work.put_mark(work.markers[1], None, why)
    work.take(upper, a, why)
    work.add(lane, [clip("c", 20, 10), clip("d", 10, 10)], why)
    work.take_all(lane, [(one, why) for one in list(lane.items)])
    work.reorder([upper, lane], why)
    work.put_settings(replace(work.sequence, name="Cut 2"), why)
    work.put_track(lane, replace(lane.track, locked=True), why)
    assert [(one.thing, one.label, one.into) for one in work.entries] == [
        (Thing.ITEM, "V1", "V1"),
        (Thing.TRACK, "", "V12"),
        (Thing.LAYOUT, "V12", "V12"),
        (Thing.ITEM, "V1", "V12"),
        (Thing.TRANSITION, "V1", "V12"),
        (Thing.TRANSITION, "V12", "V12"),
        (Thing.MARKER, "", ""),
        (Thing.MARKER, "", ""),
        (Thing.MARKER, "", ""),
        (Thing.ITEM, "V12", ""),
        (Thing.ITEM, "", "V1"),
        (Thing.ITEM, "", "V1"),
        (Thing.ITEM, "V1", ""),
        (Thing.ITEM, "V1", ""),
        (Thing.ITEM, "V1", ""),
        (Thing.LAYOUT, "", ""),
        (Thing.SETTINGS, "", ""),
        (Thing.TRACK, "V1", "V1"),
    ]
    assert list(why.changes)[:8] == [
        Change(Aspect.ENABLED, "b", True, False),
        Change(Aspect.BLEND, "b", "normal", "screen"),
        Change(Aspect.TRACK_ORDER, "track:V12", None, "Over"),
        Change(Aspect.TRACK_ORDER, "V12", ["V1"], ["V1", "V12"]),
        Change(Aspect.TRACK, "a", "V1", "V12"),
        Change(Aspect.TRACK, "j", "V1", "V12"),
        Change(Aspect.TRANSITION, "j", "wipe", "dissolve"),
        Change(Aspect.MARKER_COLOUR, "marker@7:Check", None, "red"),
    ]
    assert Change(Aspect.PRESENCE, "a", "shot a", None) in list(why.changes)
    assert (lane.items, upper.items, work.markers) == ([], [], [replace(mark, color="red")])


def test_what_does_not_stand_there_cannot_be_changed() -> None:
    work, lane = at_work(clip("a", 0, 50), clip("b", 50, 50))
    with pytest.raises(ValueError, match="does not stand on V1"):
        work.put(lane, clip("a", 0, 50), clip("x", 0, 50), context().spelled())
    # Whatever was asked for before, everything is found again.
    assert [lane.place(lane.items[number]) for number in (1, 0, 1, 1, 0)] == [1, 0, 1, 1, 0]


def test_media_come_go_and_change_with_an_entry_each() -> None:
    told = context()
    (first,) = told.document.media
    why = told.spelled()
    told.put_media(first, replace(first, reel="A1"), why)
    told.add_media(Media("n", "B.mov"), why)
    told.take_media(told.document.media[0], why)
    assert [media.id for media in told.document.media] == ["n"]
    assert [(change.aspect, change.thing, change.before, change.after) for change in why.changes] == [
        (Aspect.REEL, "m", None, "A1"),
        (Aspect.MEDIA, "n", None, "B.mov"),
        (Aspect.MEDIA, "m", "A.mov", None),
    ]


def test_pieces_of_other_dialects_are_told_from_own_ones() -> None:
    own, other = Raw("xmeml", "odd", "<odd/>", ""), Raw("fcpxml", "odd", "<odd/>", "")
    told = context()
    assert told.own([other, own]) and not told.own([other]) and not told.own([])
    assert told.foreign([other, own]) == [other]


# ---- what does not go


def test_an_item_that_goes_takes_its_transitions_and_names_its_markers() -> None:
    joins = (Transition("j", "D", "dissolve", 44, 12, 50), Transition("k", "D", "dissolve", 94, 12, 100))
    a = clip("a", 0, 50, markers=(Marker(5, 10, "Look"),))
    work, lane = at_work(a, clip("b", 50, 50), clip("c", 100, 50), joins=joins)
    told = context()
    drop(told, work, lane, a, Cause.TRACK_LIMIT, "why", "do")
    # The cut at 50 still has the clip behind it.
    assert [one.id for one in lane.transitions] == ["j", "k"]
    drop(told, work, lane, lane.items[0], Cause.TRACK_LIMIT, "why", "do")
    assert [one.id for one in lane.transitions] == ["k"]
    assert [(one.what, one.item_id, one.start, one.stop, one.minutes) for one in told.findings] == [
        ("clip", "a", 0, 50, 5),
        ("marker", "marker@5:Look", 5, 15, 0),
        ("clip", "b", 50, 100, 5),
        ("dissolve", "j", 44, 56, 0),
    ]
    assert kind_of(Item("t", "t", 0, 9, Title(()))) is Kind.TITLE and kind_of(a) is Kind.CLIP


def test_a_note_stands_where_the_item_stood() -> None:
    work, _ = at_work(clip("a", 10, 50))
    told = context()
    note_in_place(told, work, clip("a", F(19, 2), F(41, 4)), "freeze: 0 %", told.spelled())
    note_in_place(told, work, clip("a", -5, 10), "two\nlines", told.spelled())
    assert [(one.start, one.duration, one.name, one.comment) for one in work.markers] == [
        (10, 11, "freeze: 0 %", ""),
        (0, 10, "two", "two\nlines"),
    ]
    assert work.own == {"marker@10:freeze: 0 %", "marker@0:two"}


# ---- speeds


RAMP = Variable((SpeedPoint(0, 4), SpeedPoint(10, 5), SpeedPoint(50, 6)))


def test_speeds_in_words() -> None:
    named = [
        (clip("a", 0, 50, speed=speed), what)
        for speed, what in (
            (Constant(2), "speed: 200 %"),
            (Constant(F(-1, 2)), "reverse: -50 %"),
            (Constant(0), "freeze: 0 %"),
            (RAMP, "speed ramp: +0 fr: 4.000 s, +10 fr: 5.000 s, +50 fr: 6.000 s"),
        )
    ]
    assert [words_of(item) for item, _ in named] == [words for _, words in named]
    assert [kind_of_speed(item) for item, _ in named] == ["speed", "reverse", "freeze", "speed ramp"]


def test_a_ramp_becomes_its_mean_and_says_how_far_it_is_off() -> None:
    work, lane = at_work(clip("a", 0, 50, speed=RAMP))
    replace_speed(context(), work, lane, lane.items[0])
    # Two seconds of source in two: 100 % from 4 s. At frame 10 the ramp is at 5 s, the mean at 4.4: 15 frames.
    made = lane.items[0]
    assert (made.speed, made.source_in) == (Constant(1), 4)
    (entry,) = work.entries
    assert entry.reason.deviation == (15.0, "fr") and entry.reason.after == "constant 100 %"
    assert entry.reason.remedies == (Remedy.ADAPT, Remedy.NOTE, Remedy.LEAVE)


def test_the_furthest_distance_is_looked_for_at_the_last_frame_too() -> None:
    # Half speed over 50 frames: at the last, the 49th, 24.5 frames lie between.
    work, lane = at_work(clip("a", 0, 50, speed=Constant(F(1, 2))))
    replace_speed(context(), work, lane, lane.items[0])
    assert work.entries[0].reason.deviation == (24.5, "fr")
    assert (lane.items[0].speed, work.entries[0].reason.remedies) == (NORMAL, (Remedy.NOTE, Remedy.LEAVE))
    # Noted by default: a marker over the clip.
    assert [(one.start, one.duration, one.name) for one in work.markers] == [(0, 50, "speed: 50 %")]


def test_a_freeze_that_is_left_behind_leaves_its_time_empty() -> None:
    work, lane = at_work(clip("a", 0, 50, 100, speed=Constant(0)))
    replace_speed(context(choices=Choices({}, {"speed|freeze": Remedy.LEAVE})), work, lane, lane.items[0])
    assert lane.items == [] and work.markers == []
    work, lane = at_work(clip("a", 0, 50, 100, speed=Constant(0)))
    replace_speed(context(), work, lane, lane.items[0])
    assert lane.items[0].speed == NORMAL and lane.items[0].source_in == 4 and len(work.markers) == 1


def test_a_ramp_that_goes_back_in_the_mean_is_played_normally() -> None:
    back = Variable((SpeedPoint(0, 6), SpeedPoint(50, 4)))
    work, lane = at_work(clip("a", 0, 50, speed=back))
    replace_speed(context(), work, lane, lane.items[0])
    assert (lane.items[0].speed, lane.items[0].source_in) == (NORMAL, 6)


@pytest.mark.parametrize(
    ("name", "speed", "made"),
    [
        ("mixing-aaf-embedded", Constant(2), True),
        ("mixing-omf", Constant(-1), True),
        ("mixing-omf", Constant(0), False),
        ("mixing-omf", NORMAL, False),
        ("mixing-omf", RAMP, True),
        ("mixing-omf", Variable((SpeedPoint(0, 4), SpeedPoint(50, 4))), False),
        # Where the sound stays where it is, none is made.
        ("finishing-aaf", Constant(2), False),
        ("editing-track-xml", Constant(2), False),
    ],
)
def test_where_sound_at_another_speed_is_rendered(name: str, speed: object, made: bool) -> None:
    told = context(name)
    assert rendered(told, clip("a", 0, 50, speed=speed), Rate(25)) is made
    assert not rendered(told, Item("t", "t", 0, 9, Title(()), speed=Constant(2)), Rate(25))


def test_what_nobody_chooses() -> None:
    assert Options() == Options(sizing=True, organised=False, tolerance=1.0, markers=False, turnover=())


def test_the_page_on_destinations_tells_the_defaults_that_count() -> None:
    page = (Path(__file__).parents[2] / "docs" / "destinations.md").read_text()
    parts = {field.encode_name: field.default for field in msgspec.structs.fields(Destination)}
    told: dict[str, set[str]] = {}
    part = ""
    for line in page.splitlines():
        row = re.match(r"\| (?:`(\w+)` )?\| (`.+?\)) \|", line)
        if row is None:
            continue
        part = row.group(1) or part
        if part not in parts or part in ("minutes", "turnover"):
            continue
        names: list[str] = []
        for name, value in re.findall(r"`(\w+)`(?: \(([^)]*)\))?", row.group(2)):
            names.append(name)
            if value:
                for one in names:
                    assert getattr(parts[part], one) == json.loads(value), (part, one)
                    told.setdefault(part, set()).add(one)
                names = []
    for name, default in parts.items():
        if isinstance(default, msgspec.Struct) and name not in ("turnover",):
            assert told.get(name, set()) == {field.name for field in msgspec.structs.fields(default)}, name


def test_what_a_turnover_proposes() -> None:
    assert msgspec.to_builtins(Turnover()) == {
        "sound": "source",
        "form": "wave",
        "edit_rate": "frames",
        "bits": 24,
        "sample_rate": 0,
        "handles": 2.0,
        "fades": "transitions",
        "levels": True,
        "pans": True,
        "by_stem": False,
        "reference": "",
        "container": 2,
        "split": "no",
        "long_reels": False,
        "most_events": 999,
    }


@pytest.mark.parametrize(
    ("changes", "name", "value"),
    [
        (("bits", "16"), "bits", 16),
        (("levels", "no"), "levels", False),
        (("levels", "ON"), "levels", True),
        (("handles", "0.5"), "handles", 0.5),
        (("split", "reels"), "split", "reels"),
        (("sample_rate", "384000"), "sample_rate", 384_000),
        (("most_events", "1"), "most_events", 1),
    ],
)
def test_settings_of_a_turnover_in_words(changes: tuple[str, str], name: str, value: object) -> None:
    made = chosen(Turnover(), (changes,))
    assert made == msgspec.structs.replace(Turnover(), **{name: value})


@pytest.mark.parametrize(
    "change",
    [
        ("bits", "20"),
        ("bits", "many"),
        ("levels", "perhaps"),
        ("handles", "-1"),
        ("handles", "3601"),
        ("split", "x"),
        ("most_events", "0"),
        ("sample_rate", "384001"),
        ("nothing", "1"),
    ],
)
def test_settings_that_cannot_be_are_refused_by_name(change: tuple[str, str]) -> None:
    with pytest.raises(ValueError, match=change[0]):
        chosen(Turnover(), (change,))
