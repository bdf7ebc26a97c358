"""What is written holds to the order of children, the attributes and the letters that its version has."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from lxml import etree

from generated import documents
from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.destinations.load import shipped
from wexodos.formats import FORMATS, WriteError, read_file
from wexodos.model import Document

from .schema import faults, faults_of_tracks
from .test_round_trips import SETTINGS

HERE = Path(__file__).parent


@pytest.mark.parametrize("destination", [one.id for one in shipped()])
@pytest.mark.parametrize("name", ["everything.xml", "everything.fcpxml", "same-cut.xml", "same-cut.fcpxml"])
@pytest.mark.sampled(5)
def test_everything_a_file_may_hold_goes_everywhere_and_all_of_it_is_named(
    name: str, destination: str
) -> None:
    """What is written is held to its structure by the watch that every test is under."""
    document = read_file(HERE / name)
    for sequence in document.top_level:
        try:
            carried = carry_over(document, sequence, find_destination(destination))
        except WriteError as error:
            assert "nothing in it" in str(error) and not list(sequence.items())
            continue
        assert [(one.what, one.item, one.before) for one in carried.findings if not one.explained] == []


@settings(max_examples=15, **SETTINGS)
@given(documents())
def test_cuts_of_all_kinds_are_written_in_order(document: Document) -> None:
    carried = carry_over(document, document.top_level[0], find_destination("editing-lane-xml"))
    assert faults(carried.data) == []


@pytest.mark.parametrize("version", ["1.8", "1.9", "1.10", "1.11"])
def test_media_lie_where_their_version_says(kiln_night: Document, version: str) -> None:
    data = FORMATS["fcpxml"].write(kiln_night, kiln_night.top_level[0].id, version, None)
    assert faults(data) == []
    assets = list(etree.fromstring(data).iter("asset"))
    assert assets and all((one.find("media-rep") is None) is (version == "1.8") for one in assets)
    assert all((one.get("src") is None) is (version != "1.8") for one in assets)


@pytest.mark.parametrize(
    ("was", "now"),
    [
        (b"<spine>", b"<spine><marker start='0s' value='x'/>"),
        (b"<sequence ", b"<sequence colour='red' "),
        (b' ref="r', b' ref="nowhere'),
        (b"</spine>", b"</spine><note>late</note>"),
    ],
)
def test_the_schema_tells_what_is_out_of_place(kiln_night: Document, was: bytes, now: bytes) -> None:
    data = FORMATS["fcpxml"].write(kiln_night, kiln_night.top_level[0].id, "1.10", None)
    assert was in data and faults(data) == []
    assert faults(data.replace(was, now, 1)) != []


@pytest.mark.parametrize(
    ("was", "now"),
    [
        (b"<name>", b"<comment>late</comment><name>"),
        (b"<ntsc>FALSE</ntsc>", b"<ntsc>no</ntsc>"),
        (b"<out>", b"<out>0"),
        (b"<duration>", b"<duration>1.5"),
        (b"<enabled>TRUE</enabled>", b"<enabled>TRUE</enabled><enabled>TRUE</enabled>"),
        (b"<clipindex>", b"<clipindex>9"),
        (b"<linkclipref>", b"<linkclipref>no-"),
        (b"<end>-1</end>", b"<end>40</end>"),
        (b"<when>", b"<when>0."),
        (b'<file id="', b'<file id="other-'),
    ],
)
def test_the_schema_of_tracks_tells_what_is_wrong(kiln_night: Document, was: bytes, now: bytes) -> None:
    data = FORMATS["xmeml"].write(kiln_night, kiln_night.top_level[0].id, "5", None)
    assert was in data and faults_of_tracks(data) == []
    place = data.rindex(was)
    assert faults_of_tracks(data[:place] + now + data[place + len(was) :]) != []
