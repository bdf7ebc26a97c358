"""Which item is which: by what is nearest in all respects, by hand."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction as F

from wexodos.carryover.inventory import things
from wexodos.compare import compare, match_items
from wexodos.model import (
    Document,
    Generator,
    Item,
    Marker,
    Media,
    MediaUse,
    Sequence,
    TextRun,
    Title,
    Track,
)
from wexodos.timing import Rate

PAL = Rate(25)
SHARED = Media("m", "shared.mov", path="/night/shared.mov")


def clip(key: str, start: int, length: int, source: int, **more: object) -> Item:
    return Item(key, "take", start, length, MediaUse("m"), F(source, 25), **more)  # type: ignore[arg-type]


def made(key: str, kind: str, start: int, length: int) -> Item:
    return Item(key, kind, start, length, Generator(kind))


def title(key: str, words: str, start: int, length: int) -> Item:
    return Item(key, "Text", start, length, Title((TextRun(words),)))


def cut(*items: Item, markers: tuple[Marker, ...] = ()) -> tuple[Document, Sequence]:
    sequence = Sequence("s", "Cut", PAL, tracks=(Track("video", items),), markers=markers)
    return Document("xmeml", "5", (sequence,), (SHARED,)), sequence


def paired(left: tuple[Item, ...], right: tuple[Item, ...]) -> tuple[dict[str, str], set[str], set[str]]:
    found = match_items(*cut(*left), *cut(*right))
    return (
        {one.item.id: other.item.id for one, other in found.pairs},
        {one.item.id for one in found.only_a},
        {one.item.id for one in found.only_b},
    )


def test_a_generator_that_is_gone_is_not_the_one_beside_it() -> None:
    left = made("1", "colour", 0, 50), made("2", "bars", 50, 50)
    assert paired(left, (made("x", "bars", 0, 50),)) == ({"2": "x"}, {"1"}, set())
    # At the very same place another one stands instead.
    assert paired(left[:1], (made("x", "bars", 0, 50),)) == ({"1": "x"}, set(), set())
    assert paired(left[:1], (made("x", "bars", 300, 50),)) == ({}, {"1"}, {"x"})


def test_titles_are_told_apart_by_their_words() -> None:
    night, dawn = title("1", "Night", 0, 50), title("2", "Dawn", 200, 50)
    # "Night" went down the cut and something new stands where it stood.
    right = title("x", "First light", 0, 50), title("y", "Night", 30, 50), title("z", "DAWN ", 200, 50)
    assert paired((night, dawn), right) == ({"1": "y", "2": "z"}, set(), {"x"})
    assert paired((night,), (title("x", "Noon", 0, 50),)) == ({"1": "x"}, set(), set())
    assert paired((night,), (title("x", "Noon", 0, 40),)) == ({"1": "x"}, set(), set())
    assert paired((night,), (title("x", "Noon", 200, 50),)) == ({}, {"1"}, {"x"})


def test_clips_of_one_medium_are_told_apart_by_the_part_they_use() -> None:
    left = clip("1", 0, 50, 0), clip("2", 50, 50, 100), clip("3", 100, 50, 200)
    # The first is gone, the second shorter, all the rest earlier: what stands at 0 now is the second.
    right = clip("x", 0, 40, 100), clip("y", 40, 50, 200)
    assert paired(left, right) == ({"2": "x", "3": "y"}, {"1"}, set())
    # Slipped: the same place and length, another part.
    assert paired(left, (clip("x", 0, 50, 7), *left[1:]))[0] == {"1": "x", "2": "2", "3": "3"}


def test_of_several_alike_those_that_differ_in_least_belong_together() -> None:
    left = clip("1", 0, 50, 0, note="first"), clip("2", 50, 50, 0, note="second")
    right = clip("x", 40, 50, 0, note="second"), clip("y", 90, 50, 0, note="first")
    assert paired(left, right)[0] == {"1": "y", "2": "x"}
    # With nothing else to tell them apart, the nearest.
    plain = tuple(replace(one, note="") for one in left)
    assert paired(plain, (clip("x", 44, 50, 0), clip("y", 300, 50, 0)))[0] == {"2": "x", "1": "y"}


def test_very_many_alike_are_paired_with_their_neighbours() -> None:
    left = tuple(clip(f"a{n}", 50 * n, 25, 0) for n in range(600))
    right = tuple(clip(f"b{n}", 50 * n + 3, 25, 0) for n in range(600) if n != 300)
    pairs, gone, added = paired(left, right)
    assert (gone, added) == ({"a300"}, set())
    assert pairs == {f"a{n}": f"b{n}" for n in range(600) if n != 300}


def test_one_file_by_another_name_moves_no_clip() -> None:
    left = tuple(clip(f"a{n}", 50 * n, 50, 75 * n) for n in range(20))
    before, after = cut(*left), cut(*left)
    other = replace(after[0], media=(replace(SHARED, name="other.mov", path="/night/other.mov"),))
    found = compare(*before, other, other.sequences[0])
    assert {(one.kind, one.what) for one in found} == {("changed", "media"), ("changed", "media path")}


def test_of_two_markers_of_one_name_the_one_as_long_is_the_same() -> None:
    """Length counts before colour, colour before neither."""
    mine = Marker(20, 8, "Check", "", "red")
    longer, colored = Marker(20, 9, "Check", "", "red"), Marker(20, 8, "Check", "", "blue")
    for others in ((longer, colored), (colored, longer)):
        found = compare(*cut(markers=(mine,)), *cut(markers=others))
        assert {(x.kind, x.what, x.before, x.after) for x in found} == {
            ("changed", "marker colour", "red", "blue"),
            ("added", "marker", None, "Check"),
        }
    neither = Marker(20, 9, "Check", "", "blue")
    found = compare(*cut(markers=(mine,)), *cut(markers=(neither, longer)))
    assert {(x.kind, x.what) for x in found} == {("changed", "marker length"), ("added", "marker")}


def test_three_markers_alike_are_three() -> None:
    mark = Marker(10, 0, "smoke", "", "#ff0000ff")
    three, one = cut(markers=(mark, replace(mark), replace(mark))), cut(markers=(mark,))
    assert [(x.kind, x.what) for x in compare(*three, *one)] == [("gone", "marker")] * 2
    assert [(x.kind, x.what) for x in compare(*one, *three)] == [("added", "marker")] * 2
    same = cut(markers=(mark, mark, mark))
    assert [(x.kind, x.what) for x in compare(*one, *same)] == [("added", "marker")] * 2
    assert len([key for key in things(*three) if key.startswith("marker|")]) == 3
