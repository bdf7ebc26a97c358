"""The same small cut in both dialects: read, written, read again, it says the same."""

from __future__ import annotations

from pathlib import Path

import pytest

from wexodos.evaluate import Evaluator, state_at
from wexodos.formats import FORMATS, read_bytes, read_file
from wexodos.model import Document, Title

HERE = Path(__file__).parent
FILES = {"xmeml": HERE / "same-cut.xml", "fcpxml": HERE / "same-cut.fcpxml"}


@pytest.fixture(params=FILES)
def document(request: pytest.FixtureRequest) -> Document:
    return read_file(FILES[request.param])


def state(document: Document, frame: int) -> dict:  # type: ignore[type-arg]
    return state_at(Evaluator(document), document.top_level[0], frame)


def test_the_middle_of_the_dissolve(document: Document) -> None:
    first, second = state(document, 100)["picture"]
    assert (first["media"], first["source_frame"], first["source_timecode"], first["mix"]) == (
        "A003C012.mov",
        150,
        "10:00:06:00",
        0.5,
    )
    assert (second["media"], second["source_frame"], second["source_timecode"], second["mix"]) == (
        "B001C004.mov",
        200,
        "11:20:08:00",
        0.5,
    )
    assert first["center"] == [960, 540]
    assert first["size"] == [1920, 1080]


def test_the_title_stands_on_frames_20_to_79(document: Document) -> None:
    there = [
        frame
        for frame in range(250)
        if any(layer["kind"] == "title" for layer in state(document, frame)["picture"])
    ]
    assert there == list(range(20, 80))
    (title,) = document.top_level[0].video_tracks[1].items
    assert isinstance(title.content, Title)
    run = title.content.runs[0]
    assert (run.text, run.font, run.size, run.bold, run.align, run.color) == (
        "Ilka Marsh, potter",
        "DejaVu Sans",
        54,
        True,
        "left",
        "#faf5e6ff",
    )
    assert title.content.origin == (-768, 378)


def test_the_narration_falls_to_minus_twelve(document: Document) -> None:
    levels = {}
    for frame in range(250):
        for source in state(document, frame)["sound"]:
            if source["media"] == "VO_04.wav":
                levels[frame] = source["gain_db"]
    assert sorted(levels) == list(range(25, 225))
    assert levels[200] == pytest.approx(0, abs=1e-4)
    assert levels[25] == 0
    assert levels[224] == pytest.approx(-12, abs=1.0)


def test_settings_and_the_marker(document: Document) -> None:
    sequence = document.top_level[0]
    assert (str(sequence.timecode(0)), sequence.duration, sequence.frame_size, str(sequence.rate)) == (
        "01:00:00:00",
        250,
        (1920, 1080),
        "25/1",
    )
    marks = [(marker.start, marker.name) for marker in sequence.markers]
    marks += [
        (item.start + marker.start, marker.name) for item in sequence.items() for marker in item.markers
    ]
    assert marks == [(143, "Cone 9 drops")]


@pytest.mark.parametrize(
    ("target", "version"), [("xmeml", "4"), ("xmeml", "5"), ("fcpxml", "1.8"), ("fcpxml", "1.10")]
)
def test_written_in_any_dialect_it_gives_the_same_states(
    document: Document, target: str, version: str
) -> None:
    again = read_bytes(FORMATS[target].write(document, document.top_level[0].id, version))
    assert (again.format, again.version) == (target, version)
    for frame in range(250):
        one, other = state(document, frame), state(again, frame)
        for side in (one, other):
            for source in side["sound"]:
                if target != document.format:
                    source.pop(
                        "gain_db"
                    )  # lines straight in gain and in dB are bridged by carry-over, not by the writer
        assert one == other
