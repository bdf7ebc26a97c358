"""Faults planted in readers: what a reader does not ask for is listed with its place, in every format."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from proof.cut import cut
from wexodos.carryover import plan
from wexodos.destinations import find_destination
from wexodos.formats import FORMATS, read_bytes
from wexodos.formats.aaf import lookup
from wexodos.formats.omf.objects import Object, Objects
from wexodos.formats.taken import Taking
from wexodos.model import Document

HERE = Path(__file__).parents[1] / "formats"


def written(destination: str) -> bytes:
    target = find_destination(destination)
    document = cut()
    made = plan(document, document.sequences[0], target).document
    return FORMATS[target.format].write(made, "s1", target.version, None)


def unread(document: Document) -> list[str]:
    return [one.text for one in document.notes if one.code == "unread-element"]


@pytest.mark.parametrize("destination", ["finishing-aaf", "mixing-omf", "archive-otio"])
def test_what_we_write_is_taken_whole(destination: str) -> None:
    document = read_bytes(written(destination))
    assert unread(document) == []
    assert document.raw == ()


@pytest.mark.parametrize(
    "name",
    [
        "EditRate",
        "SlotName",
        "SlotID",
        "UserComments",
        "StartTime",
        "SourceMobSlotID",
        "CutPoint",
        "Parameters",
        "PointList",
        "InputSegments",
        "OperationGroup",
        "Comment",
        "Position",
        "Locator",
        "Channels",
        "QuantizationBits",
        "AudioSamplingRate",
    ],
)
@pytest.mark.sampled(3)
def test_a_property_that_the_aaf_reader_forgets_is_listed(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    data = written("finishing-aaf")
    whole = lookup.found
    monkeypatch.setattr(
        lookup, "found", lambda thing, wanted: None if wanted == name else whole(thing, wanted)
    )
    assert any(f" {name} is kept but not understood" in one for one in unread(read_bytes(data)))


@pytest.mark.parametrize(
    "name",
    [
        "OMFI:MSLT:EditRate",
        "OMFI:MSLT:TrackDesc",
        "OMFI:TRKD:TrackName",
        "OMFI:SCLP:SourcePosition",
        "OMFI:SCLP:SourceTrackID",
        "OMFI:TRAN:CutPoint",
        "OMFI:TRAN:Effect",
        "OMFI:EFFE:EffectSlots",
        "OMFI:CTLP:Value",
        "OMFI:CTLP:Time",
        "OMFI:MOBJ:Name",
        "OMFI:SEQU:Sequence",
    ],
)
def test_a_property_that_the_omf_reader_forgets_is_listed(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    data = written("mixing-omf")
    objects = read_objects(data)
    if not any(
        objects.container.names.get(number) == name
        for values in objects.container.values.values()
        for number in values
    ):
        pytest.skip("our files do not have it")
    whole = Object._value
    monkeypatch.setattr(Object, "_value", lambda self, asked: None if asked == name else whole(self, asked))
    assert any(f" {name} is kept but not understood" in one for one in unread(read_bytes(data)))


def read_objects(data: bytes) -> Objects:
    from wexodos.formats.omf.container import read_container

    return Objects(read_container(data, len(data)))


@pytest.mark.parametrize(
    "name", ["amplitude", "pan", "level-in", "speed-ratio", "pos-x", "rotate", "scale-x"]
)
@pytest.mark.parametrize("destination", ["finishing-aaf", "mixing-omf"])
@pytest.mark.sampled(3)
def test_a_parameter_that_becomes_part_of_no_sequence_is_listed(
    name: str, destination: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = written(destination)
    asked: list[str] = []
    whole = Taking.get

    def spy(self: Taking, key: str, rest: Any = None) -> Any:
        if key == name and dict.__contains__(self, key):
            asked.append(key)
        return whole(self, key, rest)

    monkeypatch.setattr(Taking, "get", spy)
    read_bytes(data)
    if not asked:
        pytest.skip("our files do not have it")
    monkeypatch.setattr(
        Taking, "get", lambda self, key, rest=None: rest if key == name else whole(self, key, rest)
    )
    assert any(f"{name} is kept" in one for one in unread(read_bytes(data)))


@pytest.mark.parametrize(
    ("place", "told"),
    [
        (("tracks",), "Stack weight"),
        (("tracks", "children", 0), "Track weight"),
        (("tracks", "children", 0, "children", 0), "Clip weight"),
        (
            ("tracks", "children", 0, "children", 0, "media_references", "DEFAULT_MEDIA"),
            "ExternalReference weight",
        ),
    ],
)
def test_a_field_of_an_otio_that_nobody_knows_is_listed(place: tuple[Any, ...], told: str) -> None:
    data = json.loads(written("archive-otio"))
    thing = data
    for step in place:
        thing = thing[step]
    thing["weight"] = 3
    thing.setdefault("metadata", {})["someone"] = {"mood": "low"}
    from wexodos.formats.otio.untaken import untaken

    left = {one.name: one for one in untaken(json.dumps(data))}
    assert left[told].text == "3"
    assert left["metadata someone"].text == '{"mood": "low"}'
    assert left["metadata someone"].where
    # The library itself lets go of fields that no schema has; what stands in metadata is listed and kept.
    document = read_bytes(json.dumps(data).encode())
    assert "metadata someone is kept but not understood" in unread(document)
    assert [one for one in document.raw if one.tag == "metadata someone"]


@pytest.mark.parametrize(
    ("dialect", "tag"),
    [
        ("xmeml", tag)
        for tag in (
            "ntsc",
            "pixelaspectratio",
            "alphatype",
            "mediatype",
            "logginginfo",
            "keyframe",
            "interpolation",
        )
    ]
    + [
        ("fcpxml", tag)
        for tag in (
            "adjust-transform",
            "keyframe",
            "text-style",
            "timept",
            "adjust-crop",
            "marker",
            "media-rep",
        )
    ],
)
def test_an_element_that_a_reader_of_xml_does_not_know_is_listed_and_kept(
    dialect: str, tag: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = (HERE / ("everything.xml" if dialect == "xmeml" else "everything.fcpxml")).read_bytes()
    assert f"<{tag}".encode() in data
    # As a word that no table has, wherever the element stands.
    strange = data.replace(f"<{tag}>".encode(), f"<{tag}-else>".encode())
    strange = strange.replace(f"<{tag} ".encode(), f"<{tag}-else ".encode())
    strange = strange.replace(f"<{tag}/>".encode(), f"<{tag}-else/>".encode())
    strange = strange.replace(f"</{tag}>".encode(), f"</{tag}-else>".encode())
    document = read_bytes(strange)
    kept = [
        raw.tag
        for holder in (
            document,
            *document.media,
            *document.sequences,
            *(track for one in document.sequences for track in one.tracks),
            *(item for one in document.sequences for item in one.items()),
            *(join for one in document.sequences for track in one.tracks for join in track.transitions),
        )
        for raw in holder.raw
    ]
    told = [one.text for one in document.notes]
    assert any(f"{tag}-else" in one for one in (*kept, *told))


LIST = """TITLE: KILN NIGHT
FCM: NON-DROP FRAME

001  A001     V     C        01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00
* FROM CLIP NAME: fire
* A WORD OF SOMEBODY: what nobody reads
STRANGE LINE
M2   A001     012.5                01:00:00:00
SPLIT:    AUDIO DELAY=  00:00:00:05
002  A002     V     C        01:00:05:00 01:00:07:00 01:00:02:00 01:00:04:00
"""


@pytest.mark.parametrize("line", ["A WORD OF SOMEBODY: what nobody reads", "STRANGE LINE", "AUDIO DELAY"])
def test_a_line_of_a_list_that_nobody_reads_is_listed_or_kept(line: str) -> None:
    document = read_bytes(LIST.encode())
    told = [one.text for one in document.notes]
    said = [
        word
        for item in document.sequences[0].items()
        for word in (item.note, *(f"{key}: {value}" for key, value in item.metadata))
    ]
    assert any(line in one for one in (*told, *said)), (told, said)


def test_what_is_left_is_counted_and_the_first_place_is_told() -> None:
    from wexodos.formats.taken import Left, listed

    notes, raws = listed([Left("A", "x", "1"), Left("B", "x", "2"), Left("C", "y", "3")], "aaf")
    assert [(one.where, one.text) for one in notes] == [
        ("A", "x is kept but not understood; it stands 2 times"),
        ("C", "y is kept but not understood"),
    ]
    assert [(one.tag, one.text, one.path) for one in raws] == [
        ("x", "1", "A"),
        ("x", "2", "B"),
        ("y", "3", "C"),
    ]


def test_a_mapping_knows_what_was_asked_for() -> None:
    held = Taking({"a": 1, "b": 2, "c": 3})
    assert held.get("a") == 1
    assert held["b"] == 2
    assert list(held.left()) == [("c", 3)]
    other: dict[str, Any] = {}
    other.update(held)
    assert other == {"a": 1, "b": 2, "c": 3}
    assert list(held.left()) == []


def test_a_transition_that_does_not_run_straight_is_said() -> None:
    from wexodos.formats.mobs import tree
    from wexodos.formats.mobs.reading_joins import _runs_straight

    def level(*points: tuple[float, float]) -> tree.Operation:
        made = tree.Varying([tree.Point(time, value) for time, value in points])  # type: ignore[arg-type]
        return tree.Operation("picture", 10, "dissolve", [], Taking(level=made))

    assert _runs_straight(level((0, 0), (1, 1)))
    assert _runs_straight(level((0, 1), (1, 0)))
    assert not _runs_straight(level((0, 0), (0.5, 0.8), (1, 1)))
    assert not _runs_straight(level((0, 0), (1, 0.6)))
    assert replace(tree.Point(0, 0.0), value=1.0).value == 1.0
