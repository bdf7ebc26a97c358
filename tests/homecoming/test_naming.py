"""How renders are named: learnt from sets of names made by hand, or said."""

from __future__ import annotations

from fractions import Fraction

import pytest

from wexodos.homecoming.events import Event
from wexodos.homecoming.naming import Scheme, learnt, said
from wexodos.model import Item, Media, MediaUse
from wexodos.tidy.shots import SchemeError
from wexodos.timing import Rate

LONG = [40, 30, 40, 40, 30, 20, 25, 35, 50, 60, 45, 55]
CLIPS = ["Throwing", "Turning", "Close on hands", "Door brick", "Cone note", "Ash"]


def events() -> list[Event]:
    """Twelve events of three takes, each as long as ``LONG`` says."""
    found, at = [], 0
    for number, long in enumerate(LONG, 1):
        take = f"A00{(number - 1) % 3 + 1}C001"
        name = CLIPS[(number - 1) % 6] + (" 2" if number > 6 else "")
        item = Item(f"item-{number}", name, at, long, MediaUse(take), Rate(25).seconds(long))
        media = Media(take, f"{take}.mov", f"/k/{take}.mov", rate=Rate(25), video=True)
        found.append(Event(item, "V1" if number % 2 else "V2", number, media))
        at += long
    return found


THERE = events()


def read(names: dict[str, int]) -> Scheme | None:
    """The scheme of names of renders that are as long as the events of those numbers."""
    lengths = [LONG[number - 1] for number in names.values()]

    def fits(place: int, event: Event) -> int:
        return 2 if lengths[place] == event.item.duration else int(lengths[place] > event.item.duration)

    return learnt(THERE, list(names), fits)


SETS = [
    ("KN_{number}", {f"KN_{number:03d}": number for number in range(1, 13)}),
    ("KN_{number:10}", {f"KN_{10 * number:04d}": number for number in range(1, 13)}),
    # The first is called something else than one step.
    ("KN_{number:10 from 100}", {f"KN_{90 + 10 * number:04d}": number for number in range(1, 13)}),
    ("KN_{number:1 from 1001}", {f"KN_{1000 + number}": number for number in (1, 2, 3, 7)}),
    ("KN_{number:1 from 0}", {f"KN_{number - 1:02d}": number for number in range(1, 13)}),
    # Three of twelve: by their lengths they are 1 to 3 in tens, not 10 to 12.
    ("KN_{number:10}", {"KN_0010": 1, "KN_0020": 2, "KN_0030": 3}),
    ("shot {number}", {"shot 4": 4, "shot 10": 10}),
    ("{number}_grade", {f"{number}_grade": number for number in (2, 5, 9)}),
    # Versions are none of the scheme's business, nor is one name that is by another one.
    ("KN_{number:10}", {"KN_0010_v001": 1, "KN_0020_v001": 2, "KN_0020_v002": 2, "KN_0030": 3, "pick up": 9}),
    ("{source}_{number}", {f"A00{(n - 1) % 3 + 1}C001_{n:02d}": n for n in range(1, 13)}),
    # By its takes the number counts something else.
    ("{source}_{counter}", {"A001C001_1": 1, "A001C001_2": 4, "A002C001_1": 2, "A002C001_2": 5}),
    # Each number is that of an event as long as the render is, but of another take.
    ("{source}_{counter}", {"A001C001_02": 1, "A002C001_03": 2, "A003C001_04": 3}),
    ("reel1_{item}_graded", {"reel1_Close_on_hands_graded": 3, "reel1_Door_brick_graded": 4}),
    # What is before the number, or behind it, is another in every name.
    ("{any}_{number:10}", {"wide_0010": 1, "close_0020": 2, "hands_0040": 4}),
    ("{number} {any}", {"01 wide": 1, "02 close": 2, "11 hands": 11}),
]


@pytest.mark.parametrize(("text", "names"), SETS, ids=[text for text, _ in SETS])
def test_a_scheme_is_learnt_from_the_names(text: str, names: dict[str, int]) -> None:
    scheme = read(names)
    assert scheme is not None and scheme.text == text and not scheme.said
    if "{number" in text:
        mine = {name: number for name, number in names.items() if name != "pick up"}
        assert {name: scheme.number(name) for name in names} == {**dict.fromkeys(names), **mine}
        assert (scheme.fits, scheme.of) == (len(mine), len(names))
    else:
        assert {scheme.number(name) for name in names} == {None}


@pytest.mark.parametrize(
    "names",
    [
        # One name is no set; letters say nothing; two of one number count something else; no event has it.
        {"KN_0010": 1},
        {"first": 1, "second": 2},
        {"KN_1_a": 1, "KN_1_b": 2},
        {"KN_0013": 1, "KN_0014": 2, "KN_0015": 3},
        {"20261201": 1, "20261202": 2},
        # Two of three would be of the events from 1000 on.
        {"KN_1000": 1, "KN_1001": 2, "KN_1003": 6},
    ],
)
def test_names_that_say_nothing_make_no_scheme(names: dict[str, int]) -> None:
    assert read(names) is None


def test_a_number_nobody_can_tell_is_none() -> None:
    """In tens or by one: both fit as well."""
    both = [*THERE, *THERE]
    assert learnt(both, ["KN_10", "KN_12"], lambda _place, _event: 1) == Scheme("KN_{number}", 2, 2)
    assert learnt(both, ["KN_10", "KN_20"], lambda _place, _event: 1) is None


def test_a_scheme_that_is_said_is_all_that_counts() -> None:
    stems = ["V1 Throwing take 03", "V2 Turning take 07", "Ash"]
    scheme = said("{track} {item} take {counter}", stems)
    assert (scheme.fits, scheme.of, scheme.said) == (2, 3, True)
    assert [scheme.is_of(stems[0], one) for one in THERE[:2]] == [True, False]
    assert [scheme.is_of(stems[1], one) for one in THERE[:2]] == [False, True]
    # The name is that of an event, and the track is not its own; blanks and dashes stand for one another.
    assert not scheme.is_of("V2 Throwing take 03", THERE[0])
    assert scheme.is_of("V1-Throwing_take_03", THERE[0])
    assert not scheme.is_of("Ash", THERE[5])
    assert said("KN{number:5}_{any}", ["KN15_x"]).number("KN15_x") == 3
    assert said("KN{number:5}_{any}", []).number("KN16_x") is None
    late = said("KN{number:10 from 100}", ["KN100", "KN120"])
    assert [late.number(one) for one in ("KN090", "KN100", "KN0120", "KN121")] == [None, 1, 3, None]
    assert late.meaning == "the number of the event, in tens from 100 on – 2 of 2 names"
    words = said("{source}-{number:10}", ["A001C001-0010", "x"]).words
    assert words == (
        "{source}-{number:10}: the name of its source and the number of the event, in tens – 1 of 2 names"
    )


@pytest.mark.parametrize(
    "text",
    [
        "KN",
        "",
        "{shot}",
        "{number:0}",
        "{item:10}",
        "{number",
        "number}",
        "{item}{item}",
        "{number:x}",
        "{number:10 from}",
    ],
)
def test_a_scheme_that_makes_no_sense_is_refused(text: str) -> None:
    with pytest.raises(SchemeError, match="names of renders"):
        said(text, [])


def test_an_event_knows_where_its_source_begins() -> None:
    media = Media("A", "A.mov", "/A.mov", start=250, rate=Rate(25), video=True)
    item = Item("i", "i", 0, 10, MediaUse("A"), Fraction(3, 5))
    assert Event(item, "V1", 1, media).source_seconds == Fraction(53, 5)
