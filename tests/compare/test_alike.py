"""Only what differs in some part is evaluated, and that is never passed over."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import pytest

import wexodos.compare.differences as differences
from proof.cut import RATE, cut
from wexodos.compare import compare
from wexodos.model import Document, Item, Media, MediaUse, Motion, NestedUse, Sequence, Sound, Track, constant


def told(a: Document, b: Document) -> list[tuple[str, str]]:
    return [(one.what, one.item_id) for one in compare(a, a.sequences[0], b, b.sequences[0], ids=True)]


def changed(document: Document, key: str, **changes: Any) -> Document:
    def new(item: Item) -> Item:
        return replace(item, **changes) if item.id == key else item

    sequences = tuple(
        replace(one, tracks=tuple(replace(track, items=tuple(map(new, track.items))) for track in one.tracks))
        for one in document.sequences
    )
    return replace(document, sequences=sequences)


def test_the_same_cut_is_not_evaluated(monkeypatch: pytest.MonkeyPatch) -> None:
    def never(*_: object) -> Iterator[Any]:
        raise AssertionError("evaluated")

    monkeypatch.setattr(differences, "evaluated", never)
    assert told(cut(), cut()) == []


def test_only_what_differs_is_evaluated(monkeypatch: pytest.MonkeyPatch) -> None:
    seen: list[set[str]] = []
    whole = differences.evaluated

    def spy(a: Document, first: Sequence, *rest: Any) -> Iterator[Any]:
        seen.append({item.id for item in first.items()})
        return whole(a, first, *rest)

    monkeypatch.setattr(differences, "evaluated", spy)
    moved = changed(cut(), "p2", motion=Motion(fit="fit", position=constant(3, 0)))
    assert told(cut(), moved) == [("position", "p2")]
    assert seen == [{"p2"}]


def test_a_size_said_by_fit_or_by_scale_is_the_same_and_needs_no_evaluation(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    media = (Media("m", "A.mov", rate=RATE, width=1280, height=720, duration=900),)

    def fitted(motion: Motion) -> Document:
        item = Item("p", "p", 0, 50, MediaUse("m"), motion=motion)
        sequence = Sequence("s", "Cut", RATE, width=1920, height=1080, tracks=(Track("video", (item,)),))
        return Document("xmeml", "5", (sequence,), media)

    # 1920 over 1280 is one and a half.
    by_fit = fitted(Motion("fit", scale=constant(0.5, 0.5), position=constant(3, 4)))
    by_scale = fitted(Motion("none", scale=constant(0.75, 0.75), position=constant(3, 4)))
    larger = fitted(Motion("none", scale=constant(0.76, 0.76), position=constant(3, 4)))
    assert told(by_fit, larger) == [("size", "p")]

    def never(*_: object) -> Iterator[Any]:
        raise AssertionError("evaluated")

    monkeypatch.setattr(differences, "evaluated", never)
    assert told(by_fit, by_scale) == [] == told(by_scale, by_fit)


def nested(inner: Item) -> Document:
    whole = cut()
    nest = Sequence(
        "n1",
        "Nest",
        whole.sequences[0].rate,
        width=1920,
        height=1080,
        top_level=False,
        tracks=(Track("video", (inner,)),),
    )
    middle = Sequence(
        "n2",
        "Middle",
        nest.rate,
        width=1920,
        height=1080,
        top_level=False,
        tracks=(Track("video", (Item("u2", "use", 0, 40, NestedUse("n1"), motion=Motion()),)),),
    )
    use = Item("u1", "use", 0, 40, NestedUse("n2"), motion=Motion())
    top = replace(whole.sequences[0], tracks=(Track("video", (use,)),))
    return replace(whole, sequences=(top, middle, nest))


def test_doubt_inside_a_nest_in_a_nest_reaches_the_cut() -> None:
    inner = Item("i1", "inner", 0, 40, MediaUse("m1"), motion=Motion(fit="fit"))
    other = replace(inner, motion=Motion(fit="fit", position=constant(7, 0)))
    assert told(nested(inner), nested(inner)) == []
    assert told(nested(inner), nested(other)) == [("position", "i1")]


def test_a_difference_of_a_medium_is_evaluated() -> None:
    small = replace(cut(), media=tuple(replace(one, width=1280, height=960) for one in cut().media))
    assert ("size", "p1") in told(cut(), small)


def test_a_transition_that_is_longer_changes_what_is_mixed() -> None:
    whole = cut().sequences[0]
    first = whole.tracks[0]
    longer = replace(first, transitions=(replace(first.transitions[0], duration=24), *first.transitions[1:]))
    other = replace(cut(), sequences=(replace(whole, tracks=(longer, *whole.tracks[1:])),))
    found = told(cut(), other)
    assert ("transition length", "x1") in found
    assert ("mix", "p1") in found


def test_levels_that_lie_apart_only_between_frames_are_told() -> None:
    from fractions import Fraction

    from wexodos.model import curve

    flat = changed(cut(), "a2", sound=Sound((1,), curve([(0, 0.0), (10, 0.0)])))
    dip = changed(cut(), "a2", sound=Sound((1,), curve([(4, 0.0), (Fraction(9, 2), -12.0), (5, 0.0)])))
    found = [one for one in compare(flat, flat.sequences[0], dip, dip.sequences[0]) if one.what == "level"]
    assert [(one.item_id, one.deviation) for one in found] == [("a2", (12.0, "dB"))]
