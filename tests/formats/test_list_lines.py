"""Lines of cut lists one by one: codes, modes, speeds, transitions, overlaps, levels, by hand."""

from __future__ import annotations

from fractions import Fraction as F

import pytest

from wexodos.formats import FORMATS, ReadError, read_bytes
from wexodos.formats.edl.lines import Code, code_of, read_lists
from wexodos.model import Constant, Document, Item
from wexodos.timing import Rate

PAL, NTSC = Rate(25), Rate(30000, 1001)


def events(*lines: str, head: str = "TITLE: K\nFCM: NON-DROP FRAME\n") -> Document:
    # A list does not say its rate: a frame 24 in an event far behind the others makes it 25.
    rate = "099 PIN V C 00:00:00:24 00:00:01:00 01:01:00:00 01:01:00:01"
    return read_bytes((head + "\n".join([*lines, rate]) + "\n").encode())


def notes(found: Document) -> list[tuple[str, str, str]]:
    return [(note.code, note.where, note.text) for note in found.notes if note.code != "rate"]


def line(
    number: int, source: str, record: str, reel: str = "A001", channel: str = "V", kind: str = "C"
) -> str:
    """An event by seconds: ``source`` and ``record`` as ``from-to``."""

    def codes(text: str, hour: int) -> str:
        return " ".join(f"{hour:02d}:00:{int(one):02d}:00" for one in text.split("-"))

    return f"{number:03d}  {reel}  {channel}  {kind}  {codes(source, 10)} {codes(record, 1)}"


def row(found: Document, kind: str = "video") -> list[Item]:
    tracks = found.sequences[0].video_tracks if kind == "video" else found.sequences[0].audio_tracks
    return [item for item in tracks[0].items if item.start < 1400]


# ---- codes


@pytest.mark.parametrize(
    ("text", "frames"),
    [
        ("01:00:00:00", 108_000),
        ("01:00:00;00", 107_892),
        ("01:00:00.00", 107_892),
        ("01:00:00,00", 107_892),
        ("00:01:00;02", 1800),
        ("00:01:00:02", 1802),
        ("00:10:00;00", 17_982),
    ],
)
def test_every_code_says_for_itself_how_it_counts_or_goes_by_its_list(text: str, frames: int) -> None:
    code = code_of(text)
    assert code is not None and code.frames(NTSC, False) == frames
    if ":" in text[8:]:
        hours, minutes = code.parts[0], code.parts[1]
        dropped = 2 * (60 * hours + minutes - (60 * hours + minutes) // 10)
        assert code.frames(NTSC, True) == frames - dropped
    assert code.frames(PAL, True) == code.frames(PAL, False)


def test_at_sixty_frames_four_labels_are_left_out() -> None:
    assert Code((0, 1, 0, 4), True).frames(Rate(60000, 1001), False) == 3600
    assert code_of("1:00:00:00") is not None
    assert [code_of(text) for text in ("01:00:00", "01:00:00:000", "1h", "")] == [None] * 4


def test_the_mode_changes_where_the_list_says_so_and_begins_anew_with_a_title() -> None:
    text = """TITLE: ONE
FCM: DROP FRAME
001  A  V  C  00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00
FCM: NON-DROP FRAME
002  A  V  C  00:00:00:00 00:00:01:00 00:00:01:00 00:00:02:00
TITLE: TWO
001  A  V  C  00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00
"""
    one, two = read_lists(text)
    assert [event.lines[0].drop for event in one.events] == [True, False] and one.drop
    assert [event.lines[0].drop for event in two.events] == [False] and not two.drop
    assert (one.title, two.title) == ("ONE", "TWO")


# ---- lines


@pytest.mark.parametrize(
    ("text", "reel", "channel", "kind", "duration"),
    [
        ("001 A001 V C {}", "A001", "V", "C", 0),
        ("001 A001 V D 024 {}", "A001", "V", "D", 24),
        ("001 A001 AA/V W001 015 {}", "A001", "AA/V", "W001", 15),
        ("001 MY REEL 1 V C {}", "MY REEL 1", "V", "C", 0),
        ("001 A001 V K B 000 {}", "A001", "V", "K B", 0),
        ("001 A001 V K O 010 {}", "A001", "V", "K O", 10),
        ("001 A001 B C {}", "A001", "B", "C", 0),
    ],
)
def test_words_of_an_event(text: str, reel: str, channel: str, kind: str, duration: int) -> None:
    codes = "10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00"
    (found,) = read_lists("TITLE: K\n" + text.format(codes))
    made = found.events[0].lines[0]
    assert (made.reel, made.channel, made.kind, made.duration) == (reel, channel, kind, duration)


def test_lines_that_are_no_events_are_kept_as_they_stand() -> None:
    (found,) = read_lists(
        "TITLE: K\n001 A V C 10:00:00:00 10:00:01:00 01:00:00:00 xx:00:01:00\nSPLIT: AUDIO DELAY= 00:00:01:00\n001 A V C 10:00:00:00 10:00:01:00 01:00:00:00 01:00:01:00"
    )
    assert found.other == [
        "001 A V C 10:00:00:00 10:00:01:00 01:00:00:00 xx:00:01:00",
        "SPLIT: AUDIO DELAY= 00:00:01:00",
    ]
    assert len(found.events) == 1
    with pytest.raises(ReadError, match="too many lines"):
        read_lists("\n" * 500_001)


def test_what_a_reel_was_replaced_by() -> None:
    found = events("* AX1 REPLACED BY: LONGREEL_A003C012", line(1, "0-2", "0-2", reel="AX1"))
    assert found.media[0].reel == "LONGREEL_A003C012"


# ---- places


def test_an_event_that_overlaps_cuts_the_one_before_and_is_said() -> None:
    found = events(line(1, "0-4", "0-4"), line(2, "10-12", "3-5", reel="B001"))
    assert [(one.start, one.duration) for one in row(found)] == [(0, 75), (75, 50)]
    assert [one[:2] for one in notes(found)] == [("overlap", "002")]
    hidden = events(line(1, "0-2", "1-3"), line(2, "10-13", "1-4", reel="B001"))
    assert [(one.name, one.start, one.duration) for one in row(hidden)] == [("B001", 0, 75)]
    touching = events(line(1, "0-4", "0-4"), line(2, "10-12", "4-6", reel="B001"))
    assert notes(touching) == [] and len(row(touching)) == 2


def test_a_source_of_another_length_is_said_unless_a_speed_says_why() -> None:
    odd = events(line(1, "0-3", "0-2"))
    ((code, _, text),) = notes(odd)
    assert code == "length" and text.startswith("its source lasts 75 frames and its place 50")
    fast = events(line(1, "0-4", "0-2"), "M2   A001       050.0                10:00:00:00")
    assert notes(fast) == [] and row(fast)[0].speed == Constant(2)


def test_media_begin_at_the_earliest_place_that_is_used() -> None:
    found = events(line(1, "5-7", "0-2"), line(2, "3-4", "2-3"), line(3, "9-10", "3-4"))
    media = found.media[0]
    assert media.start == 36_003 * 25 and [one.source_in for one in row(found)] == [2, 0, 6]


# ---- speeds


def test_of_two_speeds_each_line_takes_the_one_at_its_code() -> None:
    found = events(
        "001  A001  V  C      10:00:00:00 10:00:00:00 01:00:00:00 01:00:00:00",
        "001  B001  V  D 010  10:00:20:00 10:00:24:00 01:00:00:00 01:00:02:00",
        "M2   A001       012.5                10:00:00:00",
        "M2   B001       050.0                10:00:20:00",
    )
    assert row(found)[-1].speed == Constant(2)
    # A reel alone serves where no code does.
    by_reel = events(
        "001  A001  V  C      10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00",
        "001  B001  V  D 010  10:00:20:00 10:00:24:00 01:00:02:00 01:00:04:00",
        "M2   B001       050.0",
    )
    assert [one.speed for one in row(by_reel)] == [Constant(1), Constant(2)]


@pytest.mark.parametrize(
    ("told", "finer", "speed"),
    [
        ("042.5", "42.53 FPS", F(4253, 2500)),
        ("042.5", "42.56 FPS", F(4256, 2500)),
        ("042.5", "42.57 FPS", F(17, 10)),
        ("-25.0", "-25.00 FPS", F(-1)),
    ],
)
def test_a_finer_figure_counts_within_what_rounding_takes_away(told: str, finer: str, speed: F) -> None:
    found = events(
        line(1, "0-4", "0-2"), f"M2   A001  {told}  10:00:00:00", f"* FROM CLIP NAME: roar ({finer})"
    )
    assert row(found)[0].speed == Constant(speed)


def test_backwards_the_frame_at_source_in_is_the_first_that_is_seen() -> None:
    found = events(line(1, "20-22", "0-2"), "M2   A001      -025.0                10:00:20:00")
    (item,) = row(found)
    # Frame 500 is shown first: its end is the boundary 501; the last is frame 451, where the medium begins.
    assert found.media[0].start == 900_000 + 451 and item.source_in * 25 == 50
    # What another event shows later in it does not move its beginning, what it shows earlier does.
    for first, start in ((19, 451), (17, 425)):
        later = line(2, f"{first}-{first + 1}", "2-3")
        whole = events(line(1, "20-22", "0-2"), "M2   A001      -025.0                10:00:20:00", later)
        assert whole.media[0].start == 900_000 + start


# ---- transitions


def test_a_transition_into_a_source_at_speed_moves_its_source_by_its_speed() -> None:
    found = events(
        "001  A001  V  C      10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00",
        "002  C001  V  C      12:00:00:00 12:00:00:00 01:00:02:00 01:00:02:00",
        "002  B001  V  D 010  11:00:00:00 11:00:08:00 01:00:02:00 01:00:06:00",
        "M2   B001       050.0                11:00:00:00",
    )
    a, shown, b = row(found)
    # What is seen in the transition only takes its ten frames; behind it the other is twenty of its own on.
    assert (a.start, a.duration, shown.start, shown.duration, b.start, b.duration) == (0, 50, 50, 10, 60, 90)
    assert b.source_in * 25 == 20 and b.speed == Constant(2)
    (join,) = found.sequences[0].video_tracks[0].transitions
    assert (join.start, join.duration, join.cut) == (50, 10, 60)


def test_a_transition_is_no_longer_than_its_event_and_a_key_is_a_cut() -> None:
    long = events(
        "001  A001  V  C      10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00",
        "002  A001  V  C      10:00:02:00 10:00:02:00 01:00:02:00 01:00:02:00",
        "002  B001  V  D 099  11:00:00:00 11:00:02:00 01:00:02:00 01:00:04:00",
    )
    (join,) = long.sequences[0].video_tracks[0].transitions
    assert (join.start, join.duration, join.cut) == (50, 50, 50)
    key = events(line(1, "0-2", "0-2"), line(2, "5-6", "2-3", reel="B001", kind="K B 000"))
    assert [one[0] for one in notes(key)] == ["key"] and not key.sequences[0].video_tracks[0].transitions


@pytest.mark.parametrize(("kind", "pattern", "name"), [("W001", 1, "Wipe"), ("WR021", 21, "Wipe")])
def test_wipes_have_their_number(kind: str, pattern: int, name: str) -> None:
    found = events(
        "001  A001  V  C      10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00",
        "002  A001  V  C      10:00:02:00 10:00:02:00 01:00:02:00 01:00:02:00",
        f"002  B001  V  {kind} 010  11:00:00:00 11:00:02:00 01:00:02:00 01:00:04:00",
        "EFFECTS NAME IS Barn door",
    )
    (join,) = found.sequences[0].video_tracks[0].transitions
    assert (join.type, join.pattern, join.name) == ("wipe", pattern, "Barn door")


# ---- sound, levels


def test_channels_by_their_letters() -> None:
    for letters, picture, channels in (
        ("A", False, (1,)),
        ("A2", False, (2,)),
        ("AA", False, (1, 2)),
        ("B", True, (1,)),
        ("AA/V", True, (1, 2)),
        ("A2/V", True, (2,)),
        ("V", True, ()),
    ):
        found = events(line(1, "0-2", "0-2", channel=letters))
        sequence = found.sequences[0]
        heard = [one.sound.channels for track in sequence.audio_tracks for one in track.items if one.sound]
        assert any(one.start < 1400 for one in sequence.video_tracks[0].items) == picture, letters
        assert heard == ([channels] if channels else []), letters


def test_levels_stand_at_their_codes() -> None:
    found = events(
        line(1, "0-4", "0-4", channel="AA"),
        "* AUDIO LEVEL AT 01:00:01:00 IS -6.00 DB  (REEL A001 A1)",
        "* AUDIO LEVEL AT 01:00:03:00 IS -INF DB  (REEL A001 A1)",
        line(2, "4-8", "4-8", channel="V"),
        "* OPACITY LEVEL AT 01:00:05:00 IS 40 %",
    )
    (item,) = row(found, "audio")
    assert item.sound is not None
    assert [(key.time, key.value[0]) for key in item.sound.level.keys] == [(25, -6.0), (75, -96.0)]
    (picture,) = row(found)
    assert picture.motion is not None and picture.motion.opacity.value == (0.4,)


def test_stills_and_comments() -> None:
    found = events(
        line(1, "0-2", "0-2"),
        "* FROM CLIP NAME: slate.png",
        "* FROM CLIP IS A STILL",
        "* COMMENT: hot",
        "* COMMENT: too hot",
    )
    (item,) = row(found)
    assert item.still and item.note == "hot; too hot" and found.media[0].still


# ---- found in lists of others


def test_a_dissolve_as_long_as_what_comes_in_leaves_both_to_be_seen() -> None:
    # What goes out is seen in the dissolve only, and so is what comes in: two seconds from A001 to B001.
    text = (
        "001  A001  V  C  10:00:00:00 10:00:00:00 01:00:00:00 01:00:00:00",
        "001  B001  V  D 050 10:00:10:00 10:00:12:00 01:00:00:00 01:00:02:00",
    )
    found = events(*text)
    assert [(one.name, one.start, one.duration) for one in row(found)] == [("A001", 0, 25), ("B001", 25, 25)]
    # Both play from where their codes say: B001 is a second in at the cut.
    media = {one.id: one for one in found.media}
    first, second = (media[one.content.media].start + one.source_in * 25 for one in row(found))  # type: ignore
    assert (first, second) == (900_000, 900_275)
    (join,) = (one for one in found.sequences[0].video_tracks[0].transitions if one.start < 1400)
    assert (join.start, join.duration, join.cut) == (0, 50, 25)
    # Where what comes in lasts longer, the cut stands at the end of the dissolve.
    longer = text[1].replace("10:00:12:00", "10:00:13:00").replace("01:00:02:00", "01:00:03:00")
    assert [(one.name, one.start, one.duration) for one in row(events(text[0], longer))] == [
        ("A001", 0, 50),
        ("B001", 50, 25),
    ]


def test_an_event_that_goes_on_with_a_dissolve_of_its_length_is_one_clip_and_said() -> None:
    found = events(
        line(1, "0-2", "0-2"),
        "002  A001  V  C  10:00:02:00 10:00:02:00 01:00:02:00 01:00:02:00",
        "002  B001  V  D 025 10:00:10:00 10:00:11:00 01:00:02:00 01:00:03:00",
        line(3, "11-13", "3-5", reel="B001"),
    )
    assert [(one.name, one.start, one.duration) for one in row(found)] == [("A001", 0, 50), ("B001", 50, 75)]
    assert [one[:2] for one in notes(found)] == [("through-edit", "003")]
    # A match cut after anything else stays a cut.
    cut = events(line(1, "0-2", "0-2"), line(2, "2-4", "2-4"))
    assert [(one.start, one.duration) for one in row(cut)] == [(0, 50), (50, 50)] and notes(cut) == []


@pytest.mark.parametrize(
    ("head", "source", "record", "drops", "start"),
    [
        # Nothing is marked: the source side goes by the mode it stands under.
        ("DROP FRAME", "10:00:00:00", "01:00:00:00", True, 1_078_920),
        ("NON-DROP FRAME", "10:00:00:00", "01:00:00:00", False, 1_080_000),
        # A list that marks codes that drop means the others not to.
        ("DROP FRAME", "10:00:00:00", "01:00:00;00", False, 1_080_000),
        ("DROP FRAME", "10:00:00;00", "01:00:00;00", True, 1_078_920),
        ("NON-DROP FRAME", "10:00:00;00", "01:00:00:00", True, 1_078_920),
        ("DROP FRAME\nFCM: NON-DROP FRAME", "10:00:00:00", "01:00:00:00", False, 1_080_000),
    ],
)
def test_sources_and_record_count_each_by_themselves(
    head: str, source: str, record: str, drops: bool, start: int
) -> None:
    # Ten hours are 108 000 frames an hour, less 108 an hour where labels are left out.
    end, out = f"{source[:6]}01{source[8:]}", f"{record[:6]}01{record[8:]}"
    text = f"TITLE: K\nFCM: {head}\n* FRAME RATE: 29.97\n\n001  A001  V  C  {source} {end} {record} {out}\n"
    found = read_bytes(text.encode())
    assert (found.media[0].start, found.media[0].drop_frame) == (start, drops)
    counts = ";" in record or head.startswith("DROP")
    assert (found.sequences[0].drop_frame, found.sequences[0].start) == (
        counts,
        107_892 if counts else 108_000,
    )


def test_modes_are_written_where_they_change_and_come_back() -> None:
    text = """TITLE: K
FCM: DROP FRAME
* FRAME RATE: 29.97

001  A001  V  C  10:00:00;00 10:00:01;00 01:00:00;00 01:00:01;00
002  B001  V  C  10:00:00:00 10:00:01:00 01:00:01;00 01:00:02;00
003  C001  V  C  10:00:00:00 10:00:01:00 01:00:02;00 01:00:03;00
004  D001  V  C  10:00:00;00 10:00:01;00 01:00:03;00 01:00:04;00
"""
    first = read_bytes(text.encode())
    written = FORMATS["edl"].write(first, first.sequences[0].id, "CMX3600", None).decode()
    body = [one.split()[1] for one in written.splitlines() if one.startswith("FCM:") or one[:3].isdigit()]
    assert body == ["DROP", "A001", "NON-DROP", "B001", "C001", "DROP", "D001"]
    again = read_bytes(written.encode())
    assert [(one.reel, one.start, one.drop_frame) for one in again.media] == [
        ("A001", 1_078_920, True),
        ("B001", 1_080_000, False),
        ("C001", 1_080_000, False),
        ("D001", 1_078_920, True),
    ]
    assert (again.sequences[0].drop_frame, again.sequences[0].start) == (True, 107_892)


def test_a_source_whose_timecode_nobody_knows_is_said_once_where_a_list_counts_from_nought() -> None:
    from wexodos.carryover import carry_over
    from wexodos.destinations import find_destination
    from wexodos.model import Document, Item, Media, MediaUse, Sequence, Track

    media = tuple(
        Media(key, f"{key}.mov", f"/k/{key}.mov", start=start, duration=400, rate=Rate(25), video=True)
        for key, start in (("A003C012", None), ("B001C004", 90_000))
    )
    items = tuple(
        Item(f"i{place}", key, 20 * place, 20, MediaUse(key), 2)
        for place, key in enumerate(("A003C012", "B001C004", "A003C012"))
    )
    cut = Sequence("q", "Kiln Night", Rate(25), tracks=(Track("video", items),))
    carried = carry_over(Document("", "", (cut,), media), cut, find_destination("cut-list-edl"))
    assert [
        (one.item, one.before, one.after) for one in carried.findings if one.what == "source timecode"
    ] == [("A003C012", "not known", "00:00:00:00")]
    assert carried.errors == 0


def test_plain_names_have_single_blanks_and_no_ends() -> None:
    from wexodos.formats.ascii_names import plain

    assert plain("窯  fire\nyard ") == "fire yard" and plain("Größe  rør") == "Grosse ror"
    assert plain("ash yard", 4) == "ash" and plain("窯") == ""


def test_files_of_one_name_are_told_apart_by_reel_and_by_what_stands_there() -> None:
    from wexodos.carryover import carry_over
    from wexodos.destinations import find_destination
    from wexodos.model import Document, Item, Media, MediaUse, Sequence, Track

    media = tuple(
        Media(key, "bowl", "/k/bowl.mov", reel, start, False, 400, Rate(25), video=True)
        for key, reel, start in (("a", "A008", 90_000), ("b", "A016", 45_000), ("c", "A016", 1000))
    )
    items = tuple(
        Item(f"i{place}", "bowl", 20 * place, 20, MediaUse(key), 2) for place, key in enumerate("abcba")
    )
    cut = Sequence("q", "Kiln Night", Rate(25), tracks=(Track("video", items),))
    carried = carry_over(Document("", "", (cut,), media), cut, find_destination("cut-list-edl"))
    assert [(one.what, one.before) for one in carried.findings if not one.explained] == []
    back = [item.content for item in carried.returned_sequence.items()]
    assert [one.media for one in back if isinstance(one, MediaUse)] == ["a", "b", "c", "b", "a"]


def test_a_fade_to_nothing_says_its_channels_again() -> None:
    from wexodos.formats import FORMATS
    from wexodos.model import Document, Item, Media, MediaUse, Sequence, Sound, Track, Transition

    media = Media("m", "boom.wav", "/k/boom.wav", "S1", 0, False, 400, Rate(25), audio=True, channels=4)
    item = Item("i", "boom", 0, 40, MediaUse("m"), 2, sound=Sound((4,)))
    out = Transition("t", "Equal gain", "audio-linear", 40, 6, 40)
    cut = Sequence("q", "Kiln Night", Rate(25), tracks=(Track("audio", (item,), (out,)),))
    lines = FORMATS["edl"].write(Document("", "", (cut,), (media,)), "q", "", None).decode().splitlines()
    assert [lines[place - 1].split()[2:4] for place, line in enumerate(lines) if line == "AUD  4"] == [
        ["NONE", "C"],
        ["NONE", "D"],
    ]
