"""What nobody evaluates is compared word for word where a file is held against the cut it was made from."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from compare.test_one_by_one import BARS, CLIP, JOIN, TITLE, USE, cut, item, motion
from wexodos.compare import compare
from wexodos.compare.alike import Alike
from wexodos.compare.match import Placed
from wexodos.evaluate import Raster
from wexodos.model import Document, Effect, Key, MediaUse, NestedUse, Raw, Transition
from wexodos.model.curves import Curve

ODD = Raw("xmeml", "odd", "<odd>\n  <a>1</a>\n</odd>")
OTHER = replace(ODD, text="<odd><a>2</a></odd>")
FOREIGN = replace(ODD, dialect="fcpxml")
BLUR = Effect("Blur", raw=Raw("xmeml", "filter", "<filter>8</filter>"))


def kept(
    one: Document, other: Document, dialect: str | None = "xmeml"
) -> list[tuple[str, str, str, Any, Any]]:
    found = compare(one, one.sequences[0], other, other.sequences[0], whole=True, dialect=dialect)
    return [(x.kind, x.what, x.item_id, x.before, x.after) for x in found]


def with_raw(raw: tuple[Raw, ...], where: str) -> Document:
    if where == "item":
        return cut(clip=item(CLIP, raw=raw))
    if where == "title":
        return cut(title=replace(TITLE, content=replace(TITLE.content, raw=raw)))  # type: ignore[type-var]
    if where == "generator":
        return cut(bars=replace(BARS, content=replace(BARS.content, raw=raw)))  # type: ignore[type-var]
    if where == "transition":
        return cut(join=replace(JOIN, raw=raw))
    if where == "track":
        return cut(track={"raw": raw})
    return cut(raw=raw)


PLACES = {
    "item": ("changed", "unread elements", "v1"),
    "title": ("changed", "spelling of its own dialect", "t1"),
    "generator": ("changed", "spelling of its own dialect", "g1"),
    "transition": ("changed", "transition settings", "j1"),
    "track": ("changed", "unread elements", "track:V1"),
    "sequence": ("settings", "unread elements", ""),
}


@pytest.mark.parametrize("where", PLACES)
def test_a_piece_in_other_words_is_another(where: str) -> None:
    whole = with_raw((ODD,), where)
    assert kept(whole, with_raw((OTHER,), where)) == [(*PLACES[where], "<odd><a>1</a></odd>", None)]
    # Two of a kind are two, and space between elements is none of the words.
    told = kept(with_raw((ODD, ODD), where), with_raw((ODD, OTHER), where))
    assert told == [(*PLACES[where], "<odd><a>1</a></odd>", None)]
    assert kept(whole, with_raw((replace(ODD, text="<odd><a>1</a></odd>"),), where)) == []


def test_what_another_dialect_says_cannot_be_kept_and_what_is_added_is_no_loss() -> None:
    foreign, bare = with_raw((FOREIGN,), "title"), with_raw((), "title")
    assert kept(foreign, bare) == []
    assert [row[1] for row in kept(foreign, bare, None)] == ["spelling of its own dialect"]
    assert kept(with_raw((), "title"), with_raw((ODD,), "title")) == []


@pytest.mark.parametrize(("on", "told"), [(True, ["filter settings"]), (False, [])])
def test_filters_that_only_their_own_dialect_knows(on: bool, told: list[str]) -> None:
    one = cut(clip=item(CLIP, effects=(replace(BLUR, enabled=on),)))
    weaker = replace(BLUR, enabled=on, raw=Raw("xmeml", "filter", "<filter>9</filter>"))
    assert [row[1] for row in kept(one, cut(clip=item(CLIP, effects=(weaker,))))] == told


@pytest.mark.parametrize(
    ("name", "value", "aspect"),
    [
        ("note", "ask Ilse", "note"),
        ("metadata", (("scene", "4"),), "metadata"),
        ("bit_depth", 24, "bit depth"),
        ("audio_layout", "surround", "channels of the sequence"),
    ],
)
def test_what_a_sequence_says_of_itself(name: str, value: object, aspect: str) -> None:
    said, empty = cut(**{name: value}), cut()
    assert kept(said, empty) == [("settings", aspect, "", value, getattr(empty.sequences[0], name))]
    assert kept(empty, said) == [] and kept(said, said) == []
    # Two cuts are compared by what is seen and heard.
    assert compare(said, said.sequences[0], empty, empty.sequences[0]) == []


def test_a_difference_reaches_from_its_first_frame_to_its_last() -> None:
    # Apart at frames 11 to 20 of a clip that begins at 0, by five pixels.
    keys = [(0, 0.0), (10, 0.0), (11, 5.0), (20, 5.0), (21, 0.0)]
    line = Curve((0.0, 0.0), tuple(Key(at, (x, 0.0)) for at, x in keys))
    one, other = cut(), cut(clip=motion(position=line))
    (found,) = compare(one, one.sequences[0], other, other.sequences[0])
    assert (found.start, found.stop, found.deviation) == (11, 21, (5.0, "px"))


@pytest.mark.parametrize("turned", [False, True])
def test_a_nest_that_leads_nowhere_on_one_side_is_told(turned: bool) -> None:
    gone, there = cut(use=item(USE, content=NestedUse("gone"))), cut()
    one, other = (gone, there) if turned else (there, gone)
    found = compare(one, one.sequences[0], other, other.sequences[0])
    said = ("missing", "Fires") if turned else ("Fires", "missing")
    assert [(x.what, x.item_id, x.track, x.before, x.after) for x in found] == [
        ("nested sequence", "u1", "V1", *said)
    ]
    assert compare(gone, gone.sequences[0], gone, gone.sequences[0]) == []


def test_surely_the_same_stands_between_the_same_transitions_and_has_the_same_stems() -> None:
    frame = Raster(1920, 1080)
    alike = Alike(cut(), cut())
    one = Placed(CLIP, "V1")
    join = Transition("j", "Dissolve", "dissolve", 44, 12, 50)
    bare: dict[str, dict[object, Transition]] = {"V1": {}}
    dressed: dict[str, dict[object, Transition]] = {"V1": {50: join}}
    assert alike.same(one, one, dressed, dressed, frame)
    assert not alike.same(one, one, dressed, bare, frame)
    assert not alike.same(one, one, bare, dressed, frame)
    assert not alike.same(one, one, dressed, {"V1": {50: replace(join, duration=10)}}, frame)
    nest, silent = Placed(USE, "V1"), Placed(item(USE, content=NestedUse("n", ("music",))), "V1")
    assert alike.same(nest, nest, bare, bare, frame) and not alike.same(nest, silent, bare, bare, frame)
    assert not alike.same(nest, Placed(item(USE, content=MediaUse("m1")), "V1"), bare, bare, frame)
