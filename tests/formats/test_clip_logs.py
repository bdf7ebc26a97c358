"""Clip logs line by line."""

from __future__ import annotations

from wexodos.formats import read_bytes
from wexodos.model import Document


def log(*rows: str, head: str = "FIELD_DELIM\tTABS\nFPS\t25\n", columns: str = "") -> Document:
    columns = columns or "Name\tTape\tTracks\tStart\tEnd\tImage Size\tAudio SR\tScene"
    return read_bytes(f"Heading\n{head}\nColumn\n{columns}\n\nData\n".encode() + "\n".join(rows).encode())


def test_a_row_says_what_it_says() -> None:
    found = log("Door\tA001\tVA1A2\t10:00:00:00\t10:00:04:00\t3840 x 2160\t48 000\t7")
    (media,) = found.media
    assert (media.name, media.reel, media.start, media.duration) == ("Door", "A001", 900_000, 100)
    assert (media.width, media.height, media.channels, media.sample_rate) == (3840, 2160, 2, 48_000)
    assert (media.video, media.audio, media.metadata) == (True, True, (("Scene", "7"),))
    silent = log("Door\t\tV\t10:00:00:00\t10:00:04:00\t\t48\t").media[0]
    assert (silent.reel, silent.channels, silent.width, silent.sample_rate) == (None, None, None, None)
    assert (silent.video, silent.audio) == (True, False)


def test_a_heading_may_stand_on_one_line_by_turns() -> None:
    found = log(
        "Door\tA001\tV\t10:00:00:24\t10:00:01:00", head="FIELD_DELIM\tTABS\tFPS\t30\tVIDEO_FORMAT\t1080\n"
    )
    media = found.media[0]
    assert media.rate is not None and media.rate.label() == "30"
    assert (media.start, media.duration) == (36_000 * 30 + 24, 6)


def test_columns_without_a_name_at_the_end_are_none_and_a_row_without_codes_is_said() -> None:
    found = log(
        "Door\tA001\t10:00:00:00\t10:00:01:00\tx\ty",
        "Yard\tA001\t\t",
        columns="Name\tTape\tStart\tEnd\t\t",
    )
    assert [media.name for media in found.media] == ["Door"] and found.media[0].metadata == ()
    assert [(note.code, note.text) for note in found.notes if note.code == "row"] == [
        ("row", "this row has no start and end that could be read")
    ]
