"""Cut lists and logs: lines as they come from real exporters, with the reading worked out by hand."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import pytest

from wexodos.cli.commands import main
from wexodos.formats import ReadError, read_bytes, read_file
from wexodos.model import Constant, Document
from wexodos.timing import Rate
from wexodos.turnover.pull import as_ale, as_csv, pulls

HEAD = "TITLE:   KILN NIGHT R1\nFCM: NON-DROP FRAME\n\n"


def events(text: str) -> Document:
    return read_bytes((HEAD + text).encode())


def items(document: Document) -> list[tuple[object, ...]]:
    return [
        (one.name, one.start, one.duration, one.source_in * 25)
        for one in document.sequences[0].video_tracks[0].items
    ]


def test_cuts_a_dissolve_and_their_names() -> None:
    found = events("""
001  A003     V     C        10:00:02:00 10:00:06:00 01:00:00:00 01:00:04:00
* FROM CLIP NAME:  Throwing wide
* SOURCE FILE: A003C012.mov
002  A003     V     C        10:00:06:00 10:00:06:00 01:00:04:00 01:00:04:00
002  B001     V     D    024 11:20:08:24 11:20:14:24 01:00:04:00 01:00:10:00
* FROM CLIP NAME:  Throwing wide
* TO CLIP NAME:  Kiln door
003  BL       V     C        00:00:00:00 00:00:01:00 01:00:10:00 01:00:11:00
""")
    assert found.sequences[0].rate == Rate(25) and str(found.sequences[0].timecode(0)) == "01:00:00:00"
    assert items(found) == [("Throwing wide", 0, 100, 0), ("Kiln door", 100, 150, 0)]
    join = found.sequences[0].video_tracks[0].transitions[0]
    assert (join.type, join.start, join.duration, join.cut) == ("dissolve", 100, 24, 100)
    assert [(one.name, one.reel, one.start) for one in found.media] == [
        ("A003C012.mov", "A003", 900_050),
        ("Kiln door", "B001", 1_020_224),
    ]


def test_what_is_seen_only_in_a_transition_gets_its_length_and_what_goes_on_is_joined() -> None:
    found = events("""
001  A003     V     C        10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00
002  C001     V     C        12:00:00:00 12:00:00:00 01:00:02:00 01:00:02:00
002  B001     V     D    012 11:00:00:00 11:00:00:12 01:00:02:00 01:00:02:12
003  B001     V     C        11:00:00:12 11:00:04:24 01:00:02:12 01:00:06:24
""")
    assert [(one[1], one[2]) for one in items(found)] == [(0, 50), (50, 12), (62, 112)]
    assert [(one.start, one.cut) for one in found.sequences[0].video_tracks[0].transitions] == [(50, 62)]


def test_speeds_freezes_and_finer_figures() -> None:
    found = events("""
001  B001     V     C        11:20:20:00 11:20:24:00 01:00:00:00 01:00:02:00
M2   B001       050.0                11:20:20:00
002  B001     V     C        11:20:20:00 11:20:20:01 01:00:02:00 01:00:04:00
M2   B001       000.0                11:20:20:00
003  B001     V     C        11:20:30:00 11:20:31:08 01:00:04:00 01:00:04:24
M2   B001       042.5                11:20:30:00
* FROM CLIP NAME:  roar (42.50 FPS)
004  B001     V     C        11:20:40:00 11:20:41:00 01:00:04:24 01:00:05:24
M2   B001      -025.0                11:20:40:00
""")
    row = found.sequences[0].video_tracks[0].items
    assert [one.speed for one in row] == [Constant(2), Constant(0), Constant(Fraction(17, 10)), Constant(-1)]
    assert [one.duration for one in row] == [50, 50, 24, 25]
    # Backwards, the frame at source in is the first one shown: its end is where the source begins.
    assert row[3].source_in * 25 == 20 * 25 + 1


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("001 A1 V C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00 ", [("AX", 0, 25)]),
        ("001  KILN 03.   V  C  10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00", [("AX", 0, 25)]),
        ("000001 A001 V C 10:00:00:00 10:00:02:00 01:00:00:00 01:00:01:00", [("AX", 0, 25)]),
    ],
    ids=["blanks at the end", "a reel with blanks", "six digits, lengths that differ"],
)
def test_event_lines_as_they_come(text: str, wanted: list[tuple[str, int, int]]) -> None:
    found = events(
        text + "\n* FROM CLIP NAME: AX\n002  A9  V  C  00:00:00:24 00:00:01:00 01:00:09:00 01:00:09:01"
    )
    assert [(one.name, one.start, one.duration) for one in found.sequences[0].video_tracks[0].items][
        :1
    ] == wanted


def test_sound_channels_drop_frame_grades_and_marks() -> None:
    text = """TITLE: REEL
FCM: DROP FRAME
001  S001     AA    C        00:59:59;28 01:00:01;28 01:00:00;00 01:00:02;00
AUD  3
* AUDIO LEVEL AT 01:00:00;00 IS -3.00 DB  (REEL S001)
002  A001     V     W001 015 10:00:00;00 10:00:02;00 01:00:02;00 01:00:04;00
* ASC_SOP (1.1 1.0 0.9)(-0.01 0.0 0.02)(1.0 1.0 1.0)
* ASC_SAT 0.8
* LOC: 01:00:03;00 GREEN   flame out | look again
"""
    found = read_bytes(text.replace("\n", "\r\n").encode())
    sequence = found.sequences[0]
    assert (
        sequence.rate == Rate(30000, 1001)
        and sequence.drop_frame
        and str(sequence.timecode(0)) == "01:00:00;00"
    )
    sound = sequence.audio_tracks[0].items[0].sound
    assert sound is not None and sound.channels == (1, 2, 3) and sound.level.value == (-3.0,)
    effect = sequence.video_tracks[0].items[0].effects[0]
    assert dict(effect.settings)["offset"].value == (-0.01, 0.0, 0.02) and dict(effect.settings)[
        "saturation"
    ].value == (0.8,)
    assert sequence.video_tracks[0].transitions[0].pattern == 1
    assert [(one.start, one.name, one.comment) for one in sequence.markers] == [
        (90, "flame out", "look again")
    ]


@pytest.mark.parametrize("text", ["TITLE: X\n", "TITLE: X\n001 A V C 1 2 3 4\n"])
def test_lists_without_events_are_refused(text: str) -> None:
    with pytest.raises(ReadError, match="no events"):
        read_bytes(text.encode())


def test_a_list_a_track_and_no_more_events_than_asked_for(demo: Path, tmp_path: Path) -> None:
    assert (
        main(
            [
                "translate",
                str(demo / "kiln-night.xml"),
                "--to",
                "cut-list-edl",
                "--out",
                str(tmp_path / "cut.edl"),
                "--set",
                "most_events=30",
            ]
        )
        == 0
    )
    names = sorted(path.name for path in tmp_path.iterdir())
    assert {"cut.edl", "cut V1 2.edl", "cut V1 3.edl", "cut V2.edl", "cut A6.edl"} <= set(names)
    for name in names:
        text = (tmp_path / name).read_text()
        assert text.count("TITLE:") == 1 and sum(line[:3].isdigit() for line in text.splitlines()) <= 40
    first = read_file(tmp_path / "cut.edl").sequences[0]
    assert len(first.video_tracks) == 1 and not first.audio_tracks


# ---- logs


def test_a_log_with_everything_on_one_line_short_rows_and_rates_of_their_own() -> None:
    text = (
        "Heading\nFIELD_DELIM\tTABS\tVIDEO_FORMAT\t1080\tFPS\t23.98\t\n\nColumn\nName\tTape\tTracks\tStart\tEnd\tFPS\tScene\t\n\nData\n"
        "Throwing wide\tA003\tVA1A2\t10:00:00:00\t10:00:32:00\t25\t12\t\t\nKiln door\tB001\tV\t01:00:00:00\t01:00:01:00\nbad row\t\t\n"
    )
    found = read_bytes(text.encode())
    assert [(one.name, one.reel, one.start, one.duration, one.rate, one.channels) for one in found.media] == [
        ("Throwing wide", "A003", 900_000, 800, Rate(25), 2),
        ("Kiln door", "B001", 86_400, 24, Rate(24000, 1001), None),
    ]
    assert dict(found.media[0].metadata) == {"Scene": "12"} and len(found.notes) == 1 and not found.sequences


def test_a_pull_list_has_each_stretch_once_with_its_handles(kiln_night: Document) -> None:
    sequence = kiln_night.top_level[0]
    plain, wide = pulls(kiln_night, sequence, 0), pulls(kiln_night, sequence, 1)
    for rows in (plain, wide):
        for one, other in zip(rows, rows[1:]):
            assert one.media.id != other.media.id or one.end < other.start
    frames = {row.media.id: 0 for row in wide}
    for row in wide:
        frames[row.media.id] += row.end - row.start
        assert row.media.still or (
            row.start >= (row.media.start or 0)
            and row.end <= (row.media.start or 0) + (row.media.duration or 10**9)
        )
    assert all(
        sum(row.end - row.start for row in plain if row.media.id == key) <= count
        for key, count in frames.items()
    )
    back = read_bytes(as_ale(wide, sequence))
    assert [(one.name, one.start, one.duration) for one in back.media] == [
        (row.media.name, row.start, row.end - row.start) for row in wide
    ]
    assert as_csv(wide).decode().count("\n") == len(wide) + 1


def test_pull_lists_by_the_command_line(demo: Path, tmp_path: Path) -> None:
    source = str(demo / "kiln-night.xml")
    for name, status in (("a.csv", 0), ("a.ale", 0), ("a.txt", 2)):
        assert main(["pull-list", source, "--out", str(tmp_path / name), "--handles", "2"]) == status
    assert read_file(tmp_path / "a.ale").media


def test_a_pull_list_says_whose_timecode_nobody_knows(
    demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    text = (demo / "kiln-night.xml").read_text()
    assert main(["pull-list", str(demo / "kiln-night.xml"), "--out", str(tmp_path / "a.csv")]) == 0
    known = capsys.readouterr().err
    first = text.index("<file id=")
    code = text.index("<timecode>", first), text.index("</timecode>", first) + len("</timecode>")
    (tmp_path / "cut.xml").write_text(text[: code[0]] + text[code[1] :])
    assert main(["pull-list", str(tmp_path / "cut.xml"), "--out", str(tmp_path / "b.csv")]) == 0

    def told(said: str) -> int:
        line = next((one for one in said.splitlines() if "is not known" in one), "x of 0 sources")
        return int(line.split(" of ")[1].split()[0])

    assert told(capsys.readouterr().err) == told(known) + 1
