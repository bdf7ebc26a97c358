"""Lane XML that is written holds to the order of children and the attributes that its version has."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from lxml import etree

from generated import documents
from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats import FORMATS, read_file
from wexodos.model import Document

from .schema import faults
from .test_round_trips import SETTINGS

HERE = Path(__file__).parent


LANES = ("editing-lane-xml", "grading-lane-xml", "mixing-lane-xml")
CUTS = ("everything.xml", "same-cut.xml", "same-cut.fcpxml")


@pytest.mark.parametrize(
    ("name", "destination"),
    [*((name, to) for name in CUTS for to in LANES), ("everything.fcpxml", "editing-lane-xml")],
)
def test_everything_a_file_may_hold_is_written_in_order(name: str, destination: str) -> None:
    document = read_file(HERE / name)
    for sequence in document.top_level:
        assert faults(carry_over(document, sequence, find_destination(destination)).data) == []


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
