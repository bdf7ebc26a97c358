"""What strict receivers insist on, checked on the demo as written to each dialect."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

import pytest
from lxml import etree

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats.fcpxml.lexical import seconds
from wexodos.model import Document

ITEMS = ["audio", "video", "clip", "title", "mc-clip", "ref-clip", "sync-clip", "asset-clip", "audition"]
VID = ["adjust-crop", "adjust-corners", "adjust-conform", "adjust-transform", "adjust-blend"]
AUD = ["adjust-volume", "adjust-panner"]
TIMING = ["conform-rate", "timeMap"]
ANCHORS = [[*ITEMS, "spine", "caption"]]
MARKERS = [["marker", "chapter-marker", "rating", "keyword", "analysis-marker"]]
TAIL = [["filter-video", "filter-video-mask"], ["filter-audio"], ["metadata"]]
ORDER: dict[str, list[list[str]]] = {
    # The order of children that section 1.6 of the format reference lays down; names in one list may mix.
    "fcpxml": [["resources"], ["event"]],
    "resources": [["asset", "effect", "format", "media"]],
    "sequence": [["note"], ["spine"], ["metadata"]],
    "asset": [["media-rep"], ["metadata"]],
    "spine": [[*ITEMS, "gap", "transition"]],
    "gap": [["note"], *ANCHORS, *MARKERS, ["metadata"]],
    "asset-clip": [
        ["note"],
        *[[one] for one in TIMING + VID + AUD],
        *ANCHORS,
        *MARKERS,
        ["audio-channel-source"],
        *TAIL,
    ],
    "ref-clip": [
        ["note"],
        *[[one] for one in TIMING + VID + AUD],
        *ANCHORS,
        *MARKERS,
        ["audio-role-source"],
        *TAIL,
    ],
    "video": [["param"], ["note"], *[[one] for one in TIMING + VID], *ANCHORS, *MARKERS, ["filter-video"]],
    "title": [
        ["param"],
        ["text"],
        ["text-style-def"],
        ["note"],
        *[[one] for one in VID],
        *ANCHORS,
        *MARKERS,
        ["filter-video"],
        ["metadata"],
    ],
    "transition": [["filter-video"], ["filter-audio"], *MARKERS, ["metadata"]],
}
REQUIRED = {
    "asset-clip": {"ref"},
    "ref-clip": {"ref"},
    "video": {"ref"},
    "title": {"ref"},
    "gap": {"duration"},
    "transition": {"duration"},
    "format": {"id"},
    "asset": {"id"},
    "effect": {"id", "uid"},
    "media": {"id"},
    "marker": {"start", "duration", "value"},
    "sequence": {"format"},
    "text-style-def": {"id"},
    "md": {"key"},
    "audio-channel-source": {"srcCh"},
}


@pytest.fixture(scope="module", params=["editing-lane-xml", "grading-lane-xml", "mixing-lane-xml"])
def lane(request: pytest.FixtureRequest, kiln_night: Document) -> etree._Element:
    return etree.fromstring(
        carry_over(kiln_night, kiln_night.top_level[0], find_destination(request.param)).data
    )


def test_children_stand_in_the_order_receivers_insist_on(lane: etree._Element) -> None:
    for element in lane.iter(*ORDER):
        slots = ORDER[str(element.tag)]
        places = []
        for child in element:
            slot = next((n for n, names in enumerate(slots) if child.tag in names), None)
            assert slot is not None, f"{child.tag} has no business in {element.tag}"
            places.append(slot)
        assert places == sorted(places), (element.tag, [child.tag for child in element])


def test_ids_are_unique_and_every_reference_leads_somewhere(lane: etree._Element) -> None:
    ids = Counter(element.get("id") for element in lane.iter() if element.get("id"))
    assert max(ids.values()) == 1
    for element in lane.iter():
        for name in ("ref", "format"):
            if element.get(name):
                assert element.get(name) in ids, (element.tag, element.get(name))
        assert REQUIRED.get(str(element.tag), set()) <= set(element.keys())


def test_the_main_line_has_no_holes_and_lies_on_the_frame_grid(lane: etree._Element) -> None:
    for sequence in lane.iter("sequence"):
        spine = sequence.find("spine")
        at = seconds(sequence.get("tcStart"))
        for element in spine:
            for name in ("offset", "duration"):
                assert (
                    isinstance(seconds(element.get(name)) * 25, int)
                    or (seconds(element.get(name)) * 25).denominator == 1
                )
            if element.tag != "transition":
                assert seconds(element.get("offset")) == at
                at += seconds(element.get("duration"))
        assert at - seconds(sequence.get("tcStart")) >= seconds(sequence.get("duration"))


def test_the_old_version_names_its_media_as_it_did_then(lane: etree._Element) -> None:
    old = lane.get("version") == "1.8"
    for asset in lane.iter("asset"):
        assert (asset.get("src") is not None) == old
        assert (asset.find("media-rep") is not None) != old


@pytest.fixture(scope="module", params=["editing-track-xml", "grading-track-xml"])
def track(request: pytest.FixtureRequest, kiln_night: Document) -> etree._Element:
    return etree.fromstring(
        carry_over(kiln_night, kiln_night.top_level[0], find_destination(request.param)).data
    )


def test_files_are_spelled_once_and_before_they_are_used(track: etree._Element) -> None:
    seen: set[str] = set()
    for file in track.iter("file"):
        full = len(file) > 0
        assert full != (file.get("id") in seen)
        seen.add(str(file.get("id")))


def test_links_are_complete_and_count_every_item(track: etree._Element) -> None:
    places: dict[str, tuple[str, int, int]] = {}
    main = track.find("sequence")
    for kind in ("video", "audio"):
        for number, lane in enumerate(main.findall(f"media/{kind}/track"), 1):
            items = [item for item in lane if item.tag in ("clipitem", "generatoritem", "transitionitem")]
            for index, item in enumerate(items, 1):
                if item.get("id"):
                    places[str(item.get("id"))] = (kind, number, index)
    linked: dict[str, set[str]] = {}
    for item in track.iter("clipitem", "generatoritem"):
        for link in item.findall("link"):
            other = link.findtext("linkclipref")
            linked.setdefault(str(item.get("id")), set()).add(str(other))
            assert places[str(other)] == (
                link.findtext("mediatype"),
                int(link.findtext("trackindex")),
                int(link.findtext("clipindex")),
            )
    assert linked
    for item, others in linked.items():
        assert item in others
        assert all(linked[other] == others for other in others)


def test_items_are_in_order_and_keyframes_count_up(track: etree._Element) -> None:
    for lane in track.iter("track"):
        end = 0
        for item in lane:
            if item.tag not in ("clipitem", "generatoritem"):
                continue
            start, stop = int(item.findtext("start")), int(item.findtext("end"))
            assert int(item.findtext("in")) >= 0 or start == -1
            if start != -1:
                assert start >= end
            end = max(end, stop)
    for parameter in track.iter("parameter"):
        whens = [float(key.findtext("when")) for key in parameter.findall("keyframe")]
        assert whens == sorted(set(whens))


def test_no_private_words_of_other_programs(
    track: etree._Element, lane: etree._Element, tmp_path: Path
) -> None:
    for root in (track, lane):
        for element in root.iter():
            assert not str(element.tag).startswith("ppro")
            assert "authoringApp" not in element.attrib
