"""One thing again and again: work grows as the file does, and what no cut has is refused in a sentence.

Calls are counted, not seconds: twice the file may take little more than twice the calls.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from types import FrameType
from typing import Any

import pytest

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats import ReadError, read_bytes

RATE = "<rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate>"
FILE = (
    f'<file id="f"><name>a.mov</name><pathurl>file:///a.mov</pathurl>{RATE}<duration>90000</duration></file>'
)


def clip(number: int, inside: str = "", at: int | None = None) -> str:
    start = 2 * number if at is None else at
    return (
        f'<clipitem id="c{number}"><name>a{number}</name><start>{start}</start><end>{start + 2}</end><in>0</in>'
        f"<out>2</out>{RATE}{FILE if number == 0 else '<file id=' + chr(34) + 'f' + chr(34) + '/>'}{inside}</clipitem>"
    )


def track_xml(items: str, more: str = "") -> bytes:
    return (
        f'<xmeml version="5"><sequence id="s"><name>S</name><duration>90000</duration>{RATE}<media><video>'
        f"<track>{items}</track></video></media>{more}</sequence></xmeml>"
    ).encode()


def lane_xml(inside: str, resources: str = "") -> bytes:
    return (
        '<fcpxml version="1.10"><resources><format id="r1" frameDuration="1/25s" width="1920" height="1080"/>'
        '<asset id="r2" name="a" start="0s" duration="4000s" hasVideo="1" format="r1"><media-rep '
        f'kind="original-media" src="file:///a.mov"/></asset>{resources}</resources><library><event name="e">'
        '<project name="p"><sequence format="r1"><spine><asset-clip ref="r2" name="a" offset="0s" start="0s" '
        f'duration="3000s">{inside}</asset-clip></spine></sequence></project></event></library></fcpxml>'
    ).encode()


def otio(children: list[dict[str, Any]]) -> bytes:
    track = {"OTIO_SCHEMA": "Track.1", "kind": "Video", "children": children}
    return json.dumps(
        {"OTIO_SCHEMA": "Timeline.1", "name": "t", "tracks": {"OTIO_SCHEMA": "Stack.1", "children": [track]}}
    ).encode()


def time(value: int) -> dict[str, Any]:
    return {"OTIO_SCHEMA": "RationalTime.1", "value": value, "rate": 25}


def otio_clip(number: int) -> dict[str, Any]:
    span = {"OTIO_SCHEMA": "TimeRange.1", "start_time": time(0), "duration": time(20)}
    place = {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "file:///a.mov"}
    return {"OTIO_SCHEMA": "Clip.1", "name": f"c{number}", "source_range": span, "media_reference": place}


JOIN = {
    "OTIO_SCHEMA": "Transition.1",
    "transition_type": "SMPTE_Dissolve",
    "in_offset": time(1),
    "out_offset": time(1),
}
MARK = "<marker><name>m</name><in>1</in><out>-1</out></marker>"
BLUR = "<filter><effect><name>Blur</name><effectid>blur</effectid></effect></filter>"
SLUG = (
    '<generatoritem id="g{0}"><name>Slug</name><start>{1}</start><end>{2}</end><effect><name>Slug</name>'
    "<effectid>Slug</effectid></effect></generatoritem>"
)
WIPE = (
    "<transitionitem><start>1</start><end>3</end><alignment>center</alignment><effect><name>Cross "
    "Dissolve</name><effectid>Cross Dissolve</effectid></effect></transitionitem>"
)

GROWING: dict[str, Callable[[int], bytes]] = {
    "clips": lambda n: track_xml("".join(map(clip, range(n)))),
    "markers": lambda n: track_xml(clip(0), MARK * n),
    "unknown elements": lambda n: track_xml(clip(0), "<strange>1</strange>" * n),
    "unknown elements on a clip": lambda n: track_xml(clip(0, "<strange>1</strange>" * n)),
    "generators": lambda n: track_xml(
        clip(0) + "".join(SLUG.format(one, 2 * one, 2 * one + 2) for one in range(1, n))
    ),
    "transitions": lambda n: track_xml(clip(0) + WIPE * n),
    "files": lambda n: track_xml(
        "".join(
            clip(one + 1).replace(
                '<file id="f"/>',
                f'<file id="g{one}"><name>b{one}.mov</name><pathurl>file:///b{one}.mov</pathurl></file>',
            )
            for one in range(n)
        )
    ),
    "keywords": lambda n: lane_xml('<keyword start="0s" duration="1s" value="m"/>' * n),
    "connected clips": lambda n: lane_xml(
        "".join(
            f'<asset-clip ref="r2" lane="1" offset="{2 * one}/25s" duration="2/25s"/>' for one in range(n)
        )
    ),
    "transitions in .otio": lambda n: otio([otio_clip(0), *[JOIN] * n, otio_clip(1)]),
}


def calls(work: Callable[[], object]) -> int:
    """How many functions are called, those of C among them."""
    count = 0

    def note(_frame: FrameType, event: str, _argument: Any) -> None:
        nonlocal count
        count += event in ("call", "c_call")

    sys.setprofile(note)
    try:
        work()
    finally:
        sys.setprofile(None)
    return count


@pytest.mark.parametrize("name", GROWING)
@pytest.mark.sampled(5)
def test_twice_the_file_takes_about_twice_the_work(name: str) -> None:
    made = GROWING[name]
    found: list[list[int]] = []
    for count in (60, 60, 120, 240):
        data = made(count)
        document = read_bytes(data)
        found.append([calls(lambda data=data: read_bytes(data))])  # type: ignore[misc]
        for to in ("editing-lane-xml", "cut-list-edl"):
            destination = find_destination(to)
            found[-1].append(
                calls(lambda one=document, to=destination: carry_over(one, one.top_level[0], to))  # type: ignore[misc]
            )
    # The first round only fills what is kept. What each further thing costs: in the second half of the
    # largest file no more than in that of the next smaller one.
    for small, middle, large in zip(*found[1:]):
        assert large - middle < 2.5 * max(0, middle - small) + 1500, (small, middle, large)


CROWDED: dict[str, tuple[bytes, str]] = {
    "tracks": (track_xml(clip(0) + "</track>" + "<track></track>" * 1100 + "<track>"), "1000 tracks"),
    "filters": (track_xml(clip(0, BLUR * 501)), "500 filters"),
    "markers of a clip": (track_xml(clip(0, MARK * 5001)), "5000 markers"),
    "links": (
        track_xml("".join(clip(one, "<link><linkclipref>c0</linkclipref></link>") for one in range(600))),
        "500 clips",
    ),
    "clips over each other": (
        lane_xml('<asset-clip ref="r2" lane="1" offset="0s" duration="2/25s"/>' * 1100),
        "1000 clips lie over each other",
    ),
}


@pytest.mark.parametrize("name", CROWDED)
def test_what_no_cut_has_is_refused_in_a_sentence(name: str) -> None:
    data, words = CROWDED[name]
    with pytest.raises(ReadError, match=words):
        read_bytes(data)
