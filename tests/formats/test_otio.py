"""The open format: nothing is lost on the way through it; what others made or changed is read as it
stands."""

from __future__ import annotations

from fractions import Fraction

import opentimelineio as otio
import pytest
from hypothesis import given, settings
from opentimelineio import opentime, schema

from generated import documents
from wexodos.carryover import carry_over
from wexodos.compare import compare
from wexodos.destinations import find_destination
from wexodos.formats import ReadError, read_bytes
from wexodos.formats.otio import write
from wexodos.model import Constant, Document, Generator, NestedUse
from wexodos.model.plain import PlainError, from_plain, to_plain
from wexodos.timing import Rate

from .test_round_trips import SETTINGS


def span(start: float, length: float, rate: float = 25) -> opentime.TimeRange:
    return opentime.TimeRange(opentime.RationalTime(start, rate), opentime.RationalTime(length, rate))


@settings(max_examples=25, **SETTINGS)
@given(documents())
def test_every_value_of_the_model_comes_back_from_plain_data(document: Document) -> None:
    for sequence in document.sequences:
        assert from_plain(to_plain(sequence)) == sequence
    assert tuple(from_plain(to_plain(media)) for media in document.media) == document.media


@pytest.mark.parametrize(
    "data", [{"~": "Nothing"}, {"~": "q", "v": "1/0"}, {"~": "Rate", "numerator": 0}, {"~": "Item"}]
)
def test_plain_data_of_nothing_is_refused(data: object) -> None:
    with pytest.raises(PlainError):
        from_plain(data)


def test_the_demo_goes_through_without_any_difference(kiln_night: Document) -> None:
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination("archive-otio"))
    assert carried.findings == ()
    back = read_bytes(carried.data)
    assert compare(kiln_night, kiln_night.top_level[0], back, back.top_level[0]) == []


def test_a_timeline_of_another_maker() -> None:
    reference = schema.ExternalReference("file:///kiln/A003C012.mov", span(900_000, 800))
    row = schema.Track("Pictures", kind="Video")
    row.append(schema.Clip("Throwing wide", reference, span(900_112, 120)))
    row.append(
        schema.Transition(
            "Dissolve", "SMPTE_Dissolve", opentime.RationalTime(12, 25), opentime.RationalTime(12, 25)
        )
    )
    slow = schema.Clip("Kiln door", schema.ExternalReference("file:///kiln/door.mov"), span(10, 50))
    slow.effects.append(schema.LinearTimeWarp("", 0.5))
    slow.markers.append(schema.Marker("flame out", span(5, 0), "GREEN"))
    row.append(slow)
    row.append(schema.Gap(source_range=span(0, 25)))
    nest = schema.Stack(
        "Three fires", [schema.Track(children=[schema.Clip("fire", schema.MissingReference(), span(0, 40))])]
    )
    nest.source_range = span(5, 30)
    row.append(nest)
    row.append(schema.Clip("Bars", schema.GeneratorReference("Bars", "bars"), span(0, 10)))
    timeline = schema.Timeline("Kiln Night", global_start_time=opentime.RationalTime(90_000, 25))
    timeline.tracks.append(row)
    found = read_bytes(otio.adapters.write_to_string(timeline, "otio_json").encode())
    sequence = found.top_level[0]
    assert (sequence.name, sequence.rate, str(sequence.timecode(0))) == (
        "Kiln Night",
        Rate(25),
        "01:00:00:00",
    )
    track = sequence.video_tracks[0]
    assert [(one.name, one.start, one.duration, one.source_in * 25) for one in track.items] == [
        ("Throwing wide", 0, 120, 112),
        ("Kiln door", 120, 50, 10),
        ("Three fires", 195, 30, 5),
        ("Bars", 225, 10, 0),
    ]
    assert [(one.start, one.duration, one.cut) for one in track.transitions] == [(108, 24, 120)]
    assert track.items[1].speed == Constant(Fraction(1, 2)) and track.items[1].markers[0].name == "flame out"
    assert isinstance(track.items[2].content, NestedUse) and isinstance(track.items[3].content, Generator)
    assert found.media[0].path == "/kiln/A003C012.mov" and found.media[0].start == 900_000


def test_what_another_program_changed_counts_and_the_rest_is_kept(kiln_night: Document) -> None:
    sequence = kiln_night.top_level[0]
    timeline = otio.adapters.read_from_string(write(kiln_night, sequence.id, "1").decode(), "otio_json")
    first = next(one for one in timeline.tracks[0] if isinstance(one, schema.Clip))
    first.name = "renamed"
    first.source_range = opentime.TimeRange(
        first.source_range.start_time + opentime.RationalTime(3, 25), first.source_range.duration
    )
    back = read_bytes(otio.adapters.write_to_string(timeline, "otio_json").encode())
    found = compare(kiln_night, sequence, back, back.top_level[0])
    assert {(one.what, one.item_id) for one in found} <= {
        (what, sequence.video_tracks[0].items[0].id)
        for what in ("source in", "name", "source frames", "media start")
    }
    assert {"name", "source in"} <= {one.what for one in found}


@pytest.mark.parametrize(
    "data",
    [
        b'{"OTIO_SCHEMA": "Timeline.1"',
        b'{"OTIO_SCHEMA": "Nothing.1"}',
        b'{"OTIO_SCHEMA": "Timeline.1", "tracks": ' + b"[" * 5000 + b"]" * 5000 + b"}",
        b'{"OTIO_SCHEMA": "Timeline.1", "name": "\xff"}',
        b'{"OTIO_SCHEMA": "Clip.1", "name": "x"}',
    ],
)
def test_damage_is_refused_in_one_sentence(data: bytes) -> None:
    with pytest.raises(ReadError):
        read_bytes(data)


@pytest.mark.parametrize(
    ("first", "second", "start", "sources"),
    [
        # Ten hours and 12 frames is where the earliest use begins.
        (900_112, 900_300, 900_112, [0, 188]),
        (900_300, 900_112, 900_112, [188, 0]),
        # What is used from a place within an hour says nothing of timecode.
        (112, 900_300, None, [112, 900_300]),
        (89_999, 89_999, None, [89_999, 89_999]),
        (90_000, 90_000, 90_000, [0, 0]),
    ],
)
def test_ranges_of_media_that_are_missing_are_timecode(
    first: int, second: int, start: int | None, sources: list[int]
) -> None:
    row = schema.Track("Pictures", kind="Video")
    for at in (first, second):
        row.append(schema.Clip("Door", schema.MissingReference("Door"), span(at, 50)))
    timeline = schema.Timeline("Kiln Night", global_start_time=opentime.RationalTime(90_000, 25))
    timeline.tracks.append(row)
    found = read_bytes(otio.adapters.write_to_string(timeline, "otio_json").encode())
    (media,) = found.media
    assert (media.start, media.rate) == (start, Rate(25) if start is not None else None)
    assert [one.source_in * 25 for one in found.top_level[0].items()] == sources


def test_a_stack_alone_is_a_timeline() -> None:
    row = schema.Track("Pictures", kind="Video")
    row.append(
        schema.Clip("Throwing", schema.ExternalReference("file:///k/A.mov", span(0, 800)), span(10, 50))
    )
    stack = schema.Stack("Kiln")
    stack.append(row)
    found = read_bytes(stack.to_json_string().encode())
    (sequence,) = found.sequences
    assert sequence.name == "Kiln" and [item.duration for item in sequence.items()] == [50]
