"""A left and a right eye, made here shot by shot; twenty differences are planted in the right one, each of which must
be one row, and nothing else."""

from __future__ import annotations

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest

from wexodos.cli import main
from wexodos.compare.pairing import Apart, Pair, paired
from wexodos.formats import FORMATS
from wexodos.ground.errors import ReadError
from wexodos.model import (
    Constant,
    Document,
    Item,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Track,
    Transition,
    constant,
)
from wexodos.timing import Rate

RATE = Rate(24)
LONG = 48
SHOTS = 40


def eye(side: str, later: int = 0, apart: int = 0) -> tuple[Document, Sequence]:
    """Forty shots of two seconds from ten takes of two cameras. The right eye's clocks run ``apart`` frames later,
    its pictures stand 6 pixels to the right."""
    media = [
        Media(
            f"{side}{take}", f"K{take:03d}_{side}.mov", f"/media/K{take:03d}_{side}.mov", reel=f"K{take:03d}{side}",
            start=24 * 3600 * take + apart, duration=24 * 600, rate=RATE, width=1920, height=1080, video=True,
        )
        for take in range(1, 11)
    ]  # fmt: skip
    items = tuple(
        Item(
            f"{side}-{number}", f"Shot {number}", later + number * LONG, LONG, MediaUse(f"{side}{1 + number % 10}"),
            RATE.seconds(100 + 60 * number),
            motion=Motion(position=constant(6.0 if side == "R" else 0.0, 0.0)),
        )
        for number in range(SHOTS)
    )  # fmt: skip
    joins = (Transition("join", "dissolve", "dissolve", later + 20 * LONG - 6, 12, later + 20 * LONG),)
    cut = Sequence(
        f"{side} eye", f"Firing {side}", RATE, start=86_400, width=1920, height=1080,
        tracks=(Track("video", items, joins),),
    )  # fmt: skip
    return Document("xmeml", "5", (cut,), tuple(media)), cut


def changed(cut: Sequence, **items: dict[str, object]) -> Sequence:
    """A sequence with items changed, named by their number: ``n7``."""
    wanted = {f"R-{key[1:]}": more for key, more in items.items()}
    track = cut.tracks[0]
    made = tuple(replace(item, **wanted.get(item.id, {})) for item in track.items)  # type: ignore[arg-type]
    return replace(cut, tracks=(replace(track, items=made),))


def held(cut: Sequence, document: Document, left: tuple[Document, Sequence] | None = None) -> Pair:
    one = left or eye("L")
    return paired(*one, replace(document, sequences=(cut,)), cut)


def rows(found: Pair) -> list[tuple[str, int]]:
    return [(row.what.value, int(row.at) // LONG) for row in found.rows]


def test_a_pair_is_one_however_far_its_clocks_and_its_places_lie_apart() -> None:
    document, cut = eye("R", later=10, apart=37)
    found = held(cut, document)
    assert found.rows == []
    assert found.offset == 10


def rolled(by: int) -> dict[str, dict[str, object]]:
    """The edit between the shots 4 and 5 lies elsewhere; both sources stay where they are."""
    return {
        "n4": {"duration": LONG + by},
        "n5": {"start": 5 * LONG + by, "duration": LONG - by, "source_in": RATE.seconds(400 + by)},
    }


ONE = {
    "an edit three frames later": (rolled(3), [("cut", 5)]),
    "an edit a frame earlier": (rolled(-1), [("cut", 5)]),
    "a shot slipped by a frame": ({"n6": {"source_in": RATE.seconds(461)}}, [("source", 6)]),
    "a shot slipped by minus four": ({"n7": {"source_in": RATE.seconds(516)}}, [("source", 7)]),
    "another take": ({"n8": {"content": MediaUse("R3"), "source_in": RATE.seconds(580)}}, [("source", 8)]),
    "half speed": ({"n9": {"speed": Constant(Fraction(1, 2))}}, [("speed", 9)]),
    "backwards": ({"n10": {"speed": Constant(-1)}}, [("speed", 10)]),
    "a per cent larger": (
        {"n11": {"motion": Motion(position=constant(6.0, 0.0), scale=constant(1.01, 1.01))}}, [("sizing", 11)]
    ),
    "a pixel lower": ({"n12": {"motion": Motion(position=constant(6.0, 1.0))}}, [("sizing", 12)]),
    "not moved apart": ({"n13": {"motion": Motion()}}, [("sizing", 13)]),
    "turned": ({"n14": {"motion": Motion(position=constant(6.0, 0.0), rotation=constant(0.5))}}, [("sizing", 14)]),
    "seen through": ({"n15": {"motion": Motion(position=constant(6.0, 0.0), opacity=constant(0.5))}}, [("sizing", 15)]),
    "a tail shorter, with a hole behind": ({"n16": {"duration": LONG - 5}}, [("length", 16)]),
}  # fmt: skip


@pytest.mark.parametrize("what", ONE)
def test_each_thing_that_is_otherwise_is_one_row(what: str) -> None:
    document, cut = eye("R", apart=37)
    changes, wanted = ONE[what]
    assert rows(held(changed(cut, **changes), document)) == wanted


def after(cut: Sequence, number: int, by: int) -> tuple[Item, ...]:
    """The items of a cut, those from a number on so many frames later."""
    return tuple(
        replace(item, start=item.start + by) if int(item.id[2:]) >= number else item
        for item in cut.tracks[0].items
    )


def with_items(cut: Sequence, items: tuple[Item, ...], by: int = 0) -> Sequence:
    track = cut.tracks[0]
    joins = tuple(replace(one, start=one.start + by, cut=one.cut + by) for one in track.transitions)
    return replace(cut, tracks=(replace(track, items=items, transitions=joins),))


def test_a_longer_shot_is_one_row_and_takes_what_follows_along() -> None:
    document, cut = eye("R")
    items = after(cut, 8, 5)
    items = tuple(replace(one, duration=LONG + 5) if one.id == "R-7" else one for one in items)
    found = held(with_items(cut, items, 5), document)
    assert rows(found) == [("length", 7)]
    assert (found.rows[0].left, found.rows[0].right) == ("48 frames (00:00:02:00)", "53 frames (00:00:02:05)")


def test_a_shot_whose_head_is_shorter_is_no_slip_besides() -> None:
    document, cut = eye("R")
    items = after(cut, 8, -6)
    items = tuple(
        replace(one, duration=LONG - 6, source_in=RATE.seconds(100 + 60 * 7 + 6)) if one.id == "R-7" else one
        for one in items
    )
    assert rows(held(with_items(cut, items, -6), document)) == [("length", 7)]


@pytest.mark.parametrize("closed", [True, False])
def test_a_shot_that_is_not_there_is_one_row_whether_a_hole_is_left_or_not(closed: bool) -> None:
    document, cut = eye("R")
    items = tuple(one for one in (after(cut, 8, -LONG) if closed else cut.tracks[0].items) if one.id != "R-7")
    found = held(with_items(cut, items, -LONG if closed else 0), document)
    assert rows(found) == [("missing", 7)]
    assert found.rows[0].right == "nothing"


def test_a_shot_too_many_is_one_row() -> None:
    document, cut = eye("R")
    more = replace(
        cut.tracks[0].items[0], id="R-99", name="More", start=8 * LONG, source_in=RATE.seconds(5000)
    )
    items = tuple(sorted((*after(cut, 8, LONG), more), key=lambda one: one.start))
    found = held(with_items(cut, items, LONG), document)
    assert [row.what for row in found.rows] == [Apart.MISSING]
    assert (found.rows[0].left, found.rows[0].right_item) == ("nothing", more)


def test_a_transition_that_is_none_is_one_row() -> None:
    document, cut = eye("R")
    found = held(replace(cut, tracks=(replace(cut.tracks[0], transitions=()),)), document)
    assert [(row.what, row.left, row.right) for row in found.rows] == [
        (Apart.CUT, "dissolve of 12 frames", "cut")
    ]


def test_twenty_differences_in_one_cut_are_twenty_rows() -> None:
    document, cut = eye("R", later=10, apart=-11)
    changes = {key: dict(more) for what in list(ONE)[2:12] for key, more in ONE[what][0].items()}
    items = {one.id: one for one in changed(cut, **changes).tracks[0].items}
    truth = [ONE[what][1][0] for what in list(ONE)[2:12]]

    def put(number: int, **more: object) -> None:
        items[f"R-{number}"] = replace(items[f"R-{number}"], **more)  # type: ignore[arg-type]

    for number in (22, 25):
        other = items[f"R-{number + 1}"]
        put(number, duration=LONG + 2)
        put(number + 1, start=other.start + 2, duration=LONG - 2, source_in=other.source_in + RATE.seconds(2))
        truth.append(("cut", number + 1))
    for number in (28, 30):
        put(number, source_in=items[f"R-{number}"].source_in + RATE.seconds(7))
        truth.append(("source", number))
    put(31, speed=Constant(2))
    put(33, motion=Motion(position=constant(-4.0, 0.0)))
    truth += [("speed", 31), ("sizing", 33), ("cut", 20), ("missing", 35), ("length", 37), ("length", 39)]
    del items["R-35"]
    put(37, duration=LONG + 4)
    for number in (38, 39):
        put(number, start=items[f"R-{number}"].start + 4)
    put(39, duration=LONG + 1)
    found = held(
        with_items(replace(cut, tracks=(replace(cut.tracks[0], transitions=()),)), tuple(items.values())),
        document,
    )
    assert found.offset == 10
    assert len(truth) == 20
    assert sorted(rows(found)) == sorted(truth)


def test_takes_whose_names_say_nothing_are_learnt_from_their_places() -> None:
    document, cut = eye("R")
    media = tuple(
        replace(one, name=f"X{900 - number}.mov", path=f"/m/X{900 - number}.mov")
        for number, one in enumerate(document.media)
    )
    renamed = replace(document, media=media)
    assert held(cut, renamed).rows == []
    wrong = changed(cut, n8={"content": MediaUse("R3"), "source_in": RATE.seconds(580)})
    assert rows(held(wrong, renamed)) == [("source", 8)]


def test_other_rates_have_no_frames_in_common() -> None:
    document, cut = eye("R")
    with pytest.raises(ReadError, match="no frames in common"):
        held(replace(cut, rate=Rate(25)), document)


def test_the_command_line_tells_a_pair_and_what_is_none(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    files = []
    for name, (document, cut) in (("left", eye("L")), ("right", eye("R", apart=37))):
        if name == "right":
            cut = changed(cut, n6={"source_in": RATE.seconds(461)})
            document = replace(document, sequences=(cut,))
        path = tmp_path / f"{name}.xml"
        path.write_bytes(FORMATS["xmeml"].write(document, cut.id, "5", None))
        files.append(str(path))
    out = tmp_path / "rows.csv"
    assert main(["pair", *files, "--json", "--out", str(out)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["offset_frames"] == 0
    assert [(row["at"], row["what"], row["left"], row["right"]) for row in told["rows"]] == [
        ("01:00:12:00", "source", "K007_L.mov 07:00:19:04", "K007_R.mov 07:00:20:18")
    ]
    assert "K007_R.mov 07:00:20:18" in out.read_text()
    assert main(["pair", files[0], files[0]]) == 0
    assert "They are a pair." in capsys.readouterr().out
    assert main(["pair", files[0], str(tmp_path / "none.xml")]) == 3
    assert main(["pair", *files, "--out", str(tmp_path / "rows.pdf")]) == 2
