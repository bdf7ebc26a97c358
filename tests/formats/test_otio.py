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
from wexodos.model import (
    Constant,
    Document,
    Fade,
    Generator,
    Item,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Sound,
    Track,
)
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


def fade_row(*children: object) -> bytes:
    row = schema.Track("Sound", kind="Audio")
    for one in children:
        row.append(one)
    timeline = schema.Timeline("Kiln Night", global_start_time=opentime.RationalTime(90_000, 25))
    timeline.tracks.append(row)
    return str(otio.adapters.write_to_string(timeline, "otio_json")).encode()


def sounding(name: str, length: float) -> schema.Clip:
    return schema.Clip(name, schema.ExternalReference("file:///kiln/boom.wav"), span(100, length))


def joining(into: float, out: float) -> schema.Transition:
    return schema.Transition(
        "", "Custom_Transition", opentime.RationalTime(into, 25), opentime.RationalTime(out, 25)
    )


def test_sound_transitions_of_others_from_and_to_nothing_are_fades() -> None:
    gap = schema.Gap(source_range=span(0, 10))
    made = fade_row(
        joining(0, 5), sounding("a", 50), joining(8, 0), gap, joining(0, 4), sounding("b", 40),
        joining(6, 6), sounding("c", 30),
    )  # fmt: skip
    (track,) = read_bytes(made).top_level[0].audio_tracks
    told = [(one.name, one.start, one.sound.fade_in, one.sound.fade_out) for one in track.items if one.sound]
    assert told == [
        ("a", 0, Fade(5, "equal-power"), Fade(8, "equal-power")),
        ("b", 60, Fade(4, "equal-power"), None),
        ("c", 100, None, None),
    ]
    assert [(one.start, one.end) for one in track.transitions] == [(94, 106)]


def test_fades_stand_as_transitions_where_others_look_for_them() -> None:
    def item(name: str, start: int, length: int, **fades: Fade) -> Item:
        return Item(name, name, start, length, MediaUse("m"), 2, sound=Sound((1,), **fades))  # type: ignore[arg-type]

    items = (item("a", 10, 50, fade_in=Fade(5), fade_out=Fade(8)), item("b", 60, 40, fade_in=Fade(3)))
    sequence = Sequence("q", "Cut", Rate(25), tracks=(Track("audio", items),))
    media = Media("m", "boom.wav", "/k/boom.wav", rate=Rate(25), duration=400, audio=True)
    data = write(Document("", "", (sequence,), (media,)), "q", "1")
    (row,) = otio.adapters.read_from_string(data.decode(), "otio_json").tracks
    assert [
        (one.in_offset.value, one.out_offset.value)
        if isinstance(one, schema.Transition)
        else (type(one).__name__, one.duration().value)
        for one in row
    ] == [("Gap", 10), (0, 5), ("Clip", 50), (8, 0), ("Gap", 0), (0, 3), ("Clip", 40)]
    (track,) = read_bytes(data).top_level[0].audio_tracks
    assert track.items == items and track.transitions == ()


def test_a_sound_transition_that_reaches_into_the_gap_is_no_fade() -> None:
    gap = schema.Gap(source_range=span(0, 10))
    made = fade_row(gap, joining(3, 5), sounding("a", 50), joining(8, 2), schema.Gap(source_range=span(0, 9)))
    (track,) = read_bytes(made).top_level[0].audio_tracks
    (item,) = track.items
    assert item.sound is not None and (item.sound.fade_in, item.sound.fade_out) == (None, None)
    assert [(one.start, one.end, one.cut) for one in track.transitions] == [(7, 15, 10), (52, 62, 60)]
