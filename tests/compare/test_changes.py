"""What a new version of a cut changed, held against edits worked out by hand."""

from __future__ import annotations

import json
import random
import re
import shutil
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest

from wexodos.cli.commands import main
from wexodos.compare.changes import Change, What, versions
from wexodos.model import (
    Constant,
    Document,
    Generator,
    Item,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Sound,
    TextRun,
    Title,
    Track,
)
from wexodos.timing import Rate
from wexodos.turnover.change_list import as_list

PAL = Rate(25)
LENGTH = 100_000


def shot(name: str, start: int, duration: int, source: int, medium: str = "kiln", speed: int = 1) -> Item:
    """A clip of so many frames, ``source`` in frames of its medium."""
    at = PAL.seconds(source)
    return Item(name, name, start, duration, MediaUse(medium), at, Constant(speed), motion=Motion())


def heard(name: str, start: int, duration: int, source: int, medium: str = "music") -> Item:
    return Item(
        name, name, start, duration, MediaUse(medium), PAL.seconds(source), sound=Sound(channels=(1,))
    )


def cut(*tracks: list[Item]) -> tuple[Document, Sequence]:
    media = [
        Media(one, f"{one}.mov", None, None, 0, False, LENGTH, PAL, 1920, 1080, video=True)
        for one in ("kiln", "yard", "wheel", "music")
    ]
    made = tuple(
        Track("video" if not rows or rows[0].motion is not None else "audio", tuple(rows)) for rows in tracks
    )
    sequence = Sequence("s", "Kiln Night", PAL, tracks=made)
    return Document("xmeml", "5", (sequence,), tuple(media)), sequence


def changes(old: tuple[Document, Sequence], new: tuple[Document, Sequence]) -> list[Change]:
    return list(versions(*old, *new).changes)


def told(rows: list[Change]) -> list[tuple[str, int, int, int, int, str]]:
    return [
        (
            one.what.value,
            int(one.old_from),
            int(one.old_until),
            int(one.new_from),
            int(one.new_until),
            " ".join(each.item.name for each in one.items),
        )
        for one in rows
    ]


A, B, C, D = (shot(name, 100 * place, 100, 1000 * place + 500) for place, name in enumerate("ABCD"))
BASE = [A, B, C, D]
SCORE = [heard("score", 0, 400, 0)]


def at(item: Item, start: int, duration: int | None = None, source: int | None = None) -> Item:
    return replace(
        item,
        start=start,
        duration=item.duration if duration is None else duration,
        source_in=item.source_in if source is None else PAL.seconds(source),
    )


NEW = shot("N", 0, 10, 60_000, "yard")
CASES = {
    "nothing": (BASE, []),
    "at the head": (
        [NEW, *(at(one, int(one.start) + 10) for one in BASE)],
        [("moved", 0, 400, 10, 410, "A B C D"), ("inserted", 0, 0, 0, 10, "N")],
    ),
    "between two": (
        [A, at(NEW, 100), *(at(one, int(one.start) + 10) for one in (B, C, D))],
        [("moved", 100, 400, 110, 410, "B C D"), ("inserted", 100, 100, 100, 110, "N")],
    ),
    "into the middle of one": (
        [A, at(B, 100, 50), at(NEW, 150), at(B, 160, 50, 1550), at(C, 210), at(D, 310)],
        [("moved", 150, 400, 160, 410, "B C D"), ("inserted", 150, 150, 150, 160, "N")],
    ),
    "taken out": (
        [A, at(C, 100), at(D, 200)],
        [("removed", 100, 200, 100, 100, "B"), ("moved", 200, 400, 100, 300, "C D")],
    ),
    "taken out of the middle of one": (
        [A, at(B, 100, 30), at(B, 130, 30, 1570), at(C, 160), at(D, 260)],
        [("removed", 130, 170, 130, 130, "B"), ("moved", 170, 400, 130, 360, "B C D")],
    ),
    "lifted, the gap stays": ([A, C, D], [("removed", 100, 200, 100, 100, "B")]),
    "the last one taken out": ([A, B, C], [("removed", 300, 400, 300, 300, "D")]),
    "shorter at the end, the rest follows": (
        [A, at(B, 100, 90), at(C, 190), at(D, 290)],
        [("trimmed", 100, 200, 100, 190, "B"), ("moved", 200, 400, 190, 390, "C D")],
    ),
    "shorter at the beginning, the rest follows": (
        [A, at(B, 100, 90, 1510), at(C, 190), at(D, 290)],
        [("trimmed", 100, 200, 100, 190, "B"), ("moved", 110, 400, 100, 390, "B C D")],
    ),
    "longer at the end, the rest follows": (
        [A, at(B, 100, 120), at(C, 220), at(D, 320)],
        [("trimmed", 100, 200, 100, 220, "B"), ("moved", 200, 400, 220, 420, "C D")],
    ),
    "the cut between two rolled": (
        [A, at(B, 100, 105), at(C, 205, 95, 2505), D],
        [("trimmed", 100, 200, 100, 205, "B"), ("trimmed", 200, 300, 205, 300, "C")],
    ),
    "slipped": ([A, at(B, 100, source=1507), C, D], [("slipped", 100, 200, 100, 200, "B")]),
    "slipped out of its old stretch": (
        [A, at(B, 100, source=9000), C, D],
        [("slipped", 100, 200, 100, 200, "B")],
    ),
    "replaced": (
        [A, at(replace(NEW, duration=100), 100), C, D],
        [("replaced", 100, 200, 100, 200, "B")],
    ),
    "replaced by a shorter one": (
        [A, at(NEW, 100), at(C, 110), at(D, 210)],
        [("replaced", 100, 200, 100, 110, "B"), ("moved", 200, 400, 110, 310, "C D")],
    ),
    "overwritten in the middle": (
        [A, at(B, 100, 40), at(NEW, 140), at(B, 150, 50, 1550), C, D],
        [("replaced", 140, 150, 140, 150, "B")],
    ),
    "two change places": (
        [A, at(C, 100), at(B, 200), D],
        [("moved", 100, 200, 200, 300, "B"), ("moved", 200, 300, 100, 200, "C")],
    ),
    "the last one to the front": (
        [at(D, 0), at(A, 100), at(B, 200), at(C, 300)],
        [("moved", 0, 300, 100, 400, "A B C"), ("moved", 300, 400, 0, 100, "D")],
    ),
    "twice as fast, in its place": (
        [A, replace(B, speed=Constant(2)), C, D],
        [("retimed", 100, 200, 100, 200, "B")],
    ),
    "twice as fast, the rest follows": (
        [A, replace(at(B, 100, 50), speed=Constant(2)), at(C, 150), at(D, 250)],
        [("retimed", 100, 200, 100, 150, "B"), ("moved", 200, 400, 150, 350, "C D")],
    ),
    "shorter, and its beginning used again at the end": (
        [A, at(B, 100, 40), at(C, 140), at(D, 240), at(B, 340, 45, 1500)],
        [
            ("trimmed", 100, 200, 100, 140, "B"),
            ("moved", 200, 400, 140, 340, "C D"),
            ("inserted", 400, 400, 340, 385, "B"),
        ],
    ),
    "cut in two and put together again": ([A, at(B, 100, 50), at(B, 150, 50, 1550), C, D], []),
}


@pytest.mark.parametrize("name", CASES)
def test_an_edit_is_told_as_it_was_made(name: str) -> None:
    """With nothing else, and back again: what was inserted is removed then."""
    rows, expected = CASES[name]
    assert sorted(told(changes(cut(BASE), cut(rows)))) == sorted(expected)  # type: ignore[type-var]
    back = told(changes(cut(rows), cut(BASE)))
    turned = {"inserted": "removed", "removed": "inserted"}
    there = [(turned.get(what, what), *spans) for what, *spans, _ in expected]  # type: ignore[misc]
    swapped = sorted((what, c, d, a, b) for what, a, b, c, d in there)
    assert sorted(row[:5] for row in back) == swapped


def test_picture_and_sound_that_go_together_are_one_row_and_music_that_stays_is_none() -> None:
    speech = [
        heard(f"{one.name}s", int(one.start), 100, 700 * place, "kiln") for place, one in enumerate(BASE)
    ]
    old = cut(BASE, speech, SCORE)
    later = [[A, *(at(one, int(one.start) + 24) for one in BASE[1:])], [speech[0]]]
    later[1] += [at(one, int(one.start) + 24) for one in speech[1:]]
    assert told(changes(old, cut(*later, SCORE))) == [("moved", 100, 400, 124, 424, "B C D Bs Cs Ds")]
    # The music was made longer to the end.
    longer = [at(SCORE[0], 0, 424)]
    assert told(changes(old, cut(*later, longer)))[0] == ("trimmed", 0, 400, 0, 424, "score")


def test_one_that_is_moved_among_others_that_stay_or_move_otherwise_is_a_row_of_its_own() -> None:
    titles = [
        Item("t", "t", 150, 40, Title((TextRun("Firing begins"),)), motion=Motion()),
        Item("u", "u", 350, 40, Title((TextRun("Dawn"),)), motion=Motion()),
    ]
    moved = [at(titles[0], 160), at(titles[1], 345)]
    assert told(changes(cut(BASE, titles), cut(BASE, moved))) == [
        ("moved", 150, 190, 160, 200, "t"),
        ("moved", 350, 390, 345, 385, "u"),
    ]
    # On their own track they are neighbours: one row where both went the same way.
    moved = [at(titles[0], 160), at(titles[1], 360)]
    assert told(changes(cut(BASE, titles), cut(BASE, moved))) == [("moved", 150, 390, 160, 400, "t u")]
    # Other words are another title; grey instead of black another generator.
    words = [replace(titles[0], content=Title((TextRun("Firing ends"),))), titles[1]]
    assert told(changes(cut(BASE, titles), cut(BASE, words))) == [("replaced", 150, 190, 150, 190, "t")]
    plain = Item("g", "g", 150, 40, Generator("solid"), motion=Motion())
    bars = replace(plain, content=Generator("bars"))
    assert told(changes(cut(BASE, [plain]), cut(BASE, [bars]))) == [("replaced", 150, 190, 150, 190, "g")]


def test_what_stood_before_everything_went_to_where_that_begins_now() -> None:
    old = [at(NEW, 50), *(at(one, int(one.start) + 60) for one in BASE)]
    assert told(changes(cut(old), cut(BASE))) == [
        ("removed", 50, 60, 0, 0, "N"),
        ("moved", 60, 460, 0, 400, "A B C D"),
    ]


def test_the_same_shot_used_again_and_again_keeps_its_order() -> None:
    """Twenty equal shots: one in front of the seventh moves those from there on, not the first twenty by
    one."""
    old = [shot(f"x{place}", 20 * place, 20, 40) for place in range(20)]
    new = [at(one, int(one.start) + (10 if place >= 7 else 0)) for place, one in enumerate(old)]
    new.insert(7, at(NEW, 140))
    assert told(changes(cut(old), cut(new))) == [
        ("moved", 140, 400, 150, 410, " ".join(f"x{place}" for place in range(7, 20))),
        ("inserted", 140, 140, 140, 150, "N"),
    ]


def test_every_frame_both_versions_show_is_where_it_is_said_to_be() -> None:
    """After edits at random: each piece shows the same frames of the same source, counted one by one, and no
    frame of either version is in two pieces."""
    dice = random.Random(20)
    for _ in range(60):
        rows = [shot(f"r{place}", 0, dice.randint(4, 30), 100 * place) for place in range(30)]
        old = laid(rows)
        for _ in range(dice.randint(1, 6)):
            place = dice.randrange(len(rows))
            one = rows[place]
            match dice.randrange(5):
                case 0:
                    rows.insert(place, shot("n", 0, dice.randint(3, 20), dice.randint(50_000, 60_000)))
                case 1 if len(rows) > 5:
                    rows.pop(place)
                case 2:
                    rows.insert(dice.randrange(len(rows)), rows.pop(place))
                case 3 if one.duration > 6:
                    less = dice.randint(1, 3)
                    rows[place] = at(one, 0, int(one.duration) - less, int(one.source_in * 25) + less)
                case 4 if one.duration > 8:
                    rows[place : place + 1] = [
                        at(one, 0, 4),
                        at(one, 0, int(one.duration) - 4, int(one.source_in * 25) + 4),
                    ]
        new = laid(rows)
        found = versions(*cut(old), *cut(new))
        shown = [frames(side) for side in (old, new)]
        used: tuple[set[int], set[int]] = set(), set()
        for piece in found.pieces:
            if piece.how.value in ("slipped", "retimed"):
                continue
            assert piece.old_until - piece.old_from == piece.new_until - piece.new_from > 0
            for frame in range(int(piece.old_until - piece.old_from)):
                there = int(piece.old_from) + frame, int(piece.new_from) + frame
                assert shown[0][there[0]] == shown[1][there[1]]
                assert there[0] not in used[0] and there[1] not in used[1]
                used[0].add(there[0])
                used[1].add(there[1])
        # Nothing that both show is overlooked: what is new was never there, what is gone is nowhere.
        for change in found.changes:
            if change.what is What.INSERTED:
                inside = [shown[1][frame] for frame in range(int(change.new_from), int(change.new_until))]
                assert not set(inside) & {shown[0][frame] for frame in set(shown[0]) - used[0]}


def laid(rows: list[Item]) -> list[Item]:
    """Clips end to end."""
    found, end = [], 0
    for number, one in enumerate(rows):
        found.append(replace(one, id=f"{one.name}-{number}", start=end))
        end += int(one.duration)
    return found


def frames(rows: list[Item]) -> dict[int, tuple[str, Fraction]]:
    """Which frame of which source each frame shows."""
    return {
        int(one.start) + frame: (one.content.media, Fraction(one.source_in) * 25 + frame)  # type: ignore[union-attr]
        for one in rows
        for frame in range(int(one.duration))
    }


def test_the_command_says_and_writes_them(
    whole_demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """The demo's graded cut has nine planted changes, of which one is only in the words of a transition."""
    old, new = (str(whole_demo / name) for name in ("kiln-night.xml", "kiln-night-graded.xml"))
    assert main(["changes", old, new, "--json", "--out", str(tmp_path / "list.json")]) == 0
    data = json.loads(capsys.readouterr().out)
    assert data == json.loads((tmp_path / "list.json").read_text()) and data["old"] == old
    assert [
        (one["what"], one["old_from"], one["old_until"], one["new_from"], one["new_until"])
        for one in data["changes"]
    ] == [
        ("inserted", 150, 150, 150, 210),
        ("slipped", 692, 808, 692, 808),
        ("moved", 986, 1064, 990, 1068),
        ("removed", 1431, 1492, 1431, 1431),
        ("replaced", 2320, 2410, 2320, 2410),
        ("trimmed", 2359, 2477, 2359, 2472),
        ("retimed", 3475, 3579, 3475, 3579),
        ("removed", 8680, 8980, 8680, 8680),
    ]
    assert data["changes"][3]["items"] == [{"item_id": "clipitem-84", "item": "Clay pit", "track": "V2"}]
    assert main(["changes", old, new, "--out", str(tmp_path / "list.csv")]) == 0
    table = (tmp_path / "list.csv").read_text("utf-8-sig").splitlines()
    assert table[4] == "removed,01:00:57:06,01:00:59:17,01:00:57:06,01:00:57:06,0,V2 Clay pit"
    assert main(["changes", old, old]) == 0 and capsys.readouterr().out.endswith("no changes\n")
    # No file of another kind, none that was read, and no frames of another length.
    assert main(["changes", old, new, "--out", str(tmp_path / "list.txt")]) == 2
    shutil.copy(new, tmp_path / "new.csv")
    assert main(["changes", old, str(tmp_path / "new.csv"), "--out", str(tmp_path / "new.csv")]) == 4
    other = tmp_path / "other.xml"
    other.write_text(Path(new).read_text().replace("<timebase>25</timebase>", "<timebase>30</timebase>"))
    assert main(["changes", old, str(other)]) == 3
    assert "25 frames a second, the later one 30" in capsys.readouterr().err


def test_a_change_list_cuts_what_was_made_for_the_earlier_version_to_the_later_one() -> None:
    """Ten frames in front of B, C lost its first twenty, D slipped: what was slipped is not in the list."""
    rows = [A, at(NEW, 100), at(B, 110), at(C, 210, 80, 2520), at(D, 290, source=3507)]
    old, new = cut(BASE), cut(rows)
    text = as_list(versions(*old, *new), old[1], new[1]).decode("ascii")
    events = [line for line in text.splitlines() if re.match(r"\d{3} ", line)]
    assert events == [
        "001  OLDCUT   V     C        00:00:00:00 00:00:04:00 00:00:00:00 00:00:04:00",
        "002  OLDCUT   V     C        00:00:04:00 00:00:08:00 00:00:04:10 00:00:08:10",
        "003  OLDCUT   V     C        00:00:08:20 00:00:12:00 00:00:08:10 00:00:11:15",
    ]
