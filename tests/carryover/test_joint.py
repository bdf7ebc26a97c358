"""Several sequences in one file: each is in it what it was alone, or none of them is written so."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import pytest
from lxml import etree

from settling.bench import PAL
from wexodos.carryover import carry_over
from wexodos.carryover.joint import NotJoint, joint
from wexodos.destinations import find_destination
from wexodos.formats import FORMATS, read_bytes
from wexodos.ground import UnprovedError
from wexodos.model import Document, Folder, Item, Marker, Media, MediaUse, NestedUse, Raw, Sequence, Track

FIRE = Media("fire", "fire.mov", duration=500, rate=PAL, width=1920, height=1080, video=True)
GLAZE = Media("glaze", "glaze.mov", duration=500, rate=PAL, width=1920, height=1080, video=True)


def clip(name: str, start: int, length: int, medium: str) -> Item:
    return Item(name, f"shot {name}", start, length, MediaUse(medium), Fraction(2))


NEST = Sequence(
    "nest", "Cooling", PAL, tracks=(Track("video", (clip("n1", 0, 40, "glaze"),)),), top_level=False
)


def reel(number: int, *items: Item, **more: object) -> Sequence:
    return Sequence(
        f"r{number}",
        f"Kiln R{number}",
        PAL,
        start=number * 90_000,
        tracks=(Track("video", items),),
        **more,  # type: ignore[arg-type]
    )


def nested(key: str, start: int) -> Item:
    return Item(key, "Cooling", start, 40, NestedUse("nest"))


ONE = reel(1, clip("a", 0, 50, "fire"), nested("b", 50), markers=(Marker(7, name="door"),))
TWO = reel(2, clip("c", 10, 30, "fire"), nested("d", 60))
THREE = reel(3, clip("e", 0, 20, "glaze"))
REELS = Document(
    "xmeml", "5", (ONE, TWO, THREE, NEST), (replace(FIRE, folder="Night"), GLAZE), folders=(Folder("Night"),)
)


@pytest.mark.parametrize("to", ["editing-track-xml", "editing-lane-xml", "grading-lane-xml", "archive-otio"])
def test_three_reels_stand_in_one_file_in_their_order(to: str) -> None:
    carried = [carry_over(REELS, one, find_destination(to)) for one in (ONE, TWO, THREE)]
    back = read_bytes(joint(carried))
    assert [(one.name, one.start, one.duration) for one in back.top_level] == [
        ("Kiln R1", 90_000, 90),
        ("Kiln R2", 180_000, 100),
        ("Kiln R3", 270_000, 20),
    ]
    assert [[(item.name, item.start, item.duration) for item in one.items()] for one in back.top_level] == [
        [("shot a", 0, 50), ("Cooling", 50, 40)],
        [("shot c", 10, 30), ("Cooling", 60, 40)],
        [("shot e", 0, 20)],
    ]
    whole = back.top_level[0]
    marks = [*whole.markers, *(mark for item in whole.items() for mark in item.markers)]
    assert [(one.name, one.start) for one in marks] == [("door", 7)]
    # What is used in two of them is there once.
    assert sorted(one.file_name for one in back.media) == ["fire.mov", "glaze.mov"]
    assert sum(one.name == "Cooling" for one in back.sequences) == 1


def test_ids_are_there_once_in_the_text() -> None:
    for to in ("editing-track-xml", "editing-lane-xml"):
        root = etree.fromstring(
            joint([carry_over(REELS, one, find_destination(to)) for one in (ONE, TWO, THREE)])
        )
        # A second mention of a sequence or file is its id and nothing else.
        full = [one.get("id") for one in root.iter() if one.get("id") and (len(one) or one.tag == "format")]
        assert len(full) == len(set(full)) and full
        if to == "editing-lane-xml":
            assert [one.get("name") for one in root.iter("project")] == ["Kiln R1", "Kiln R2", "Kiln R3"]


def test_two_of_one_folder_stand_in_it_together() -> None:
    both = [replace(one, folder="Night") for one in (ONE, TWO)]
    document = replace(REELS, sequences=(*both, NEST))
    root = etree.fromstring(
        joint([carry_over(document, one, find_destination("editing-lane-xml")) for one in both])
    )
    (event,) = (one for one in root.iter("event") if one.find("project") is not None)
    assert event.get("name") == "Night"
    assert [one.get("name") for one in event.iter("project")] == ["Kiln R1", "Kiln R2"]


def test_what_belongs_to_no_sequence_is_there_once() -> None:
    kept = Raw("xmeml", "kiln-note", "<kiln-note>cone 9</kiln-note>")
    document = replace(REELS, raw=(kept,))
    data = joint([carry_over(document, one, find_destination("editing-track-xml")) for one in (ONE, TWO)])
    assert data.count(b"<kiln-note>cone 9</kiln-note>") == 1


def test_why_each_has_a_file_of_its_own() -> None:
    def refused(document: Document, to: str, *reels: Sequence) -> str:
        with pytest.raises(NotJoint) as why:
            joint([carry_over(document, one, find_destination(to)) for one in reels])
        return str(why.value)

    assert refused(REELS, "finishing-aaf", ONE, TWO) == "AAF (.aaf) is written with one sequence a file"
    # The same medium, found at another place for the second one.
    carried = carry_over(REELS, ONE, find_destination("editing-track-xml"))
    other = replace(REELS, media=(replace(FIRE, path="/elsewhere/fire.mov", folder="Night"), GLAZE))
    with pytest.raises(NotJoint, match=r"fire\.mov is in two of them and becomes two different things"):
        joint([carried, carry_over(other, TWO, find_destination("editing-track-xml"))])


def test_a_file_that_holds_one_of_them_otherwise_is_not_handed_out(monkeypatch: pytest.MonkeyPatch) -> None:
    carried = [carry_over(REELS, one, find_destination("editing-track-xml")) for one in (ONE, TWO, THREE)]
    kind = FORMATS["xmeml"]

    def shifted(document: Document, ids: tuple[str, ...], version: str) -> bytes:
        track = TWO.tracks[0]
        late = replace(TWO, tracks=(replace(track, items=(clip("c", 11, 30, "fire"), *track.items[1:])),))
        changed = tuple(late if one.id == "r2" else one for one in document.sequences)
        assert kind.write_several is not None
        return kind.write_several(replace(document, sequences=changed), ids, version)

    monkeypatch.setitem(FORMATS, "xmeml", replace(kind, write_several=shifted))
    with pytest.raises(UnprovedError, match=r"^Kiln R2 in one file with the others: moved: record start$"):
        joint(carried)
