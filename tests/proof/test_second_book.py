"""Faults planted in plans: every one is told by the second book, whether it bypasses the record or hides behind a
cause."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import pytest

from proof.cut import FAULTS, cut, eased
from wexodos.carryover import Plan, carry_over, plan
from wexodos.carryover.plan import STEPS
from wexodos.carryover.second_book import second_book
from wexodos.compare.fields import APART, FIELDS, field_names
from wexodos.destinations import find_destination
from wexodos.model import Document, Item, Sequence, constant
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.spells import Stage
from wexodos.settling.vocabulary import RULES, Cause, Promise

DESTINATIONS = ("editing-track-xml", "editing-lane-xml", "finishing-aaf", "mixing-omf", "cut-list-edl")


def as_sequence(work: Work) -> Sequence:
    """The cut at work as a value."""
    tracks = tuple(
        replace(lane.track, items=tuple(lane.items), transitions=tuple(lane.transitions))
        for lane in work.lanes
    )
    return replace(work.sequence, tracks=tracks, markers=tuple(work.markers))


def bypassing(fault: str) -> object:
    """A step that spoils the cut and writes nothing down."""

    def step(_context: Context, work: Work) -> None:
        new = FAULTS[fault](as_sequence(work))
        if new is None or work.prefix:
            return
        for lane, track in zip(work.lanes, new.tracks):
            lane.items, lane.transitions = list(track.items), list(track.transitions)
            lane.track = replace(track, items=(), transitions=())
        work.markers = list(new.markers)
        work.sequence = replace(new, tracks=work.sequence.tracks, markers=work.sequence.markers)

    return step


def planned(document: Document, destination: str) -> Plan:
    return plan(document, document.sequences[0], find_destination(destination))


@lru_cache
def honest_plan(destination: str) -> Plan:
    """The plan without a fault, which balances."""
    made = planned(cut(), destination)
    assert second_book(cut(), made) == []
    return made


@pytest.mark.parametrize("stage", [Stage.CONTENT, Stage.SETTINGS])
@pytest.mark.parametrize("fault", FAULTS)
def test_a_change_that_bypasses_the_record_is_told(
    fault: str, stage: Stage, monkeypatch: pytest.MonkeyPatch
) -> None:
    told = 0
    for destination in DESTINATIONS:
        honest = honest_plan(destination)
        with monkeypatch.context() as patch:
            patch.setitem(STEPS, stage, (*STEPS[stage], bypassing(fault)))
            spoilt = planned(cut(), destination)
        if spoilt.document == honest.document:
            continue
        found = second_book(cut(), spoilt)
        assert found, destination
        assert {one.book for one in found} == {"what was changed"}
        assert not any(one.explained for one in found)
        told += 1
    assert told or fault in ("a label gone", "a note gone")


def recorded(cause: Cause, fault: str) -> object:
    """A step that spoils items and writes it down under a cause that says nothing of it."""

    def step(context: Context, work: Work) -> None:
        new = FAULTS[fault](as_sequence(work))
        if new is None or work.prefix:
            return
        for lane, track in zip(work.lanes, new.tracks):
            for item, other in zip(list(lane.items), track.items):
                if item is not other and item.id == other.id:
                    why = context.because(work, cause, item, lane.label, "harmless", "nothing", minutes=0)
                    work.put(lane, item, other, why)

    return step


HIDDEN = [
    (Cause.NO_PANS, "a fade-out gone"),
    (Cause.NO_PANS, "a level thirty down"),
    (Cause.NO_LABELS, "a clip renamed"),
    (Cause.NO_LABELS, "a clip slipped by a frame"),
    (Cause.NO_FILTER, "a picture moved by 200 px"),
    (Cause.TITLE_STYLE, "other words"),
    (Cause.FADES_AS_LEVELS, "a fade-in gone"),
    (Cause.FADES_AS_LEVELS, "a fade-out gone"),
    (Cause.FADES_AS_LEVELS, "a level thirty down"),
    (Cause.LEVELS_FOLLOWED, "a level half a dB up"),
    (Cause.LEVELS_FOLLOWED, "a key late"),
    (Cause.LEVELS_FOLLOWED, "a fade-in gone"),
    (Cause.KEYS_FOLLOWED, "a picture moved by a pixel"),
    (Cause.KEYS_FOLLOWED, "a picture turned"),
    (Cause.KEYS_FOLLOWED, "a picture smaller"),
    (Cause.KEYS_FOLLOWED, "a picture fainter"),
    (Cause.KEYS_FOLLOWED, "opacity keys gone"),
    (Cause.ANCHOR_CENTRED, "a picture moved by a pixel"),
    (Cause.SPEED_POINTS, "a speed rounded"),
    (Cause.SPELLED, "a level half a dB up"),
    (Cause.SPELLED, "a fade-in gone"),
    (Cause.SPELLED, "a sound slipped by ten samples"),
    (Cause.SPELLED, "a clip off"),
    (Cause.MUTED_STAY_AWAY, "a pan"),
    (Cause.MUTED_STAY_AWAY, "channels swapped"),
    (Cause.BETWEEN_UNITS, "a level thirty down"),
    (Cause.ONE_ANGLE, "a picture cropped"),
    (Cause.NO_SUCH_SPEED, "a clip off"),
]


@pytest.mark.parametrize(("cause", "fault"), HIDDEN)
def test_a_change_that_hides_behind_a_cause_is_told(
    cause: Cause, fault: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(STEPS, Stage.CONTENT, (*STEPS[Stage.CONTENT], recorded(cause, fault)))
    found = second_book(cut(), planned(cut(), "finishing-aaf"))
    assert found
    assert {one.book for one in found} == {"what was changed"}


SHIFTS = {
    "level": lambda item: replace(
        item,
        sound=replace(
            item.sound,
            level=replace(
                item.sound.level,
                value=(item.sound.level.value[0] - 30,),
                keys=tuple(replace(key, value=(key.value[0] - 30,)) for key in item.sound.level.keys),
            ),
        ),
    ),
    "position": lambda item: replace(item, motion=replace(item.motion, position=constant(200, 0))),
    "rotation": lambda item: replace(item, motion=replace(item.motion, rotation=constant(45))),
    "opacity": lambda item: replace(item, motion=replace(item.motion, opacity=constant(0.3))),
}


@pytest.mark.parametrize("aspect", SHIFTS)
@pytest.mark.parametrize("destination", DESTINATIONS)
def test_what_is_shifted_after_planning_is_told_although_a_finding_speaks_of_it(
    aspect: str, destination: str
) -> None:
    document = cut()
    whole = eased(document.sequences[0])
    document = replace(document, sequences=(whole,))
    made = planned(document, destination)
    lane: Lane | None = None
    for place, track in enumerate(made.sequence.tracks):
        for number, item in enumerate(track.items):
            has = item.sound is not None if aspect == "level" else item.id == "p5"
            if not has:
                continue
            items: list[Item] = list(track.items)
            items[number] = SHIFTS[aspect](item)
            tracks = list(made.sequence.tracks)
            tracks[place] = replace(track, items=tuple(items))
            shifted = replace(made.sequence, tracks=tuple(tracks))
            sequences = tuple(shifted if one.id == shifted.id else one for one in made.document.sequences)
            bad = replace(made, document=replace(made.document, sequences=sequences), sequence=shifted)
            assert any(aspect in one.what for one in second_book(document, bad))
            return
    # A turnover of sound has no pictures, a list no picture in picture.
    assert lane is None and (destination in ("mixing-omf", "cut-list-edl") or aspect == "level")


def test_no_field_of_the_model_is_forgotten() -> None:
    for kind, names in field_names().items():
        assert names == set(FIELDS[kind]) | set(APART.get(kind, {})), kind.__name__
        assert not set(FIELDS[kind]) & set(APART.get(kind, {})), kind.__name__


def test_every_cause_has_a_rule_and_every_promise_is_used() -> None:
    assert set(RULES) == set(Cause)
    assert {rule.promise for rule in RULES.values()} == set(Promise)
    assert RULES[Cause.FADES_AS_LEVELS].promise is Promise.CLOSE
    assert RULES[Cause.SPELLED].promise is Promise.SAME


def test_a_finding_holds_what_changed_before_and_after() -> None:
    document = cut()
    carried = carry_over(document, document.sequences[0], find_destination("editing-track-xml"))
    fades = next(one for one in carried.findings if one.what == "fades" and one.item_id == "a1")
    told = {one.aspect.value: (one.before, one.after) for one in fades.changes}
    before = document.sequences[0].tracks[2].items[0].sound
    assert before is not None
    assert told["fade in"] == (before.fade_in, None)
    assert told["fade out"] == (before.fade_out, None)
    assert told["level"][0] == before.level
    assert len(told["level"][1].keys) >= 4
    assert fades.deviation is not None
    assert fades.deviation[0] <= 0.09
