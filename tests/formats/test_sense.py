"""Values no editor makes are said with their place; what is damaged is said, never read as nothing."""

from __future__ import annotations

import gc
import logging
import struct
import sys
from fractions import Fraction
from pathlib import Path

import aaf2
import aaf2.components
import pytest

from formats.aaf_maker import Maker, R
from formats.test_omf import Box
from wexodos.formats import read_bytes, read_file
from wexodos.formats.aaf import lookup
from wexodos.formats.omf.container import read_container
from wexodos.formats.omf.objects import Objects
from wexodos.formats.sense import with_sense
from wexodos.model import (
    Constant,
    Document,
    Item,
    Media,
    MediaUse,
    Sequence,
    Sound,
    SpeedPoint,
    Track,
    Variable,
)
from wexodos.timing import Rate

PAL = Rate(25)
KILN = Media("m", "A003C012.mov", duration=100, rate=PAL, video=True, audio=True, channels=2)


def clip(number: int, start: object = 0, length: object = 20, source: object = 0, **more: object) -> Item:
    return Item(
        f"c{number}",
        f"Clip {number}",
        start,
        length,
        MediaUse("m"),
        Fraction(source) / 25,
        **more,  # type: ignore[arg-type]
    )


def said(*tracks: Track, media: Media = KILN) -> list[tuple[str, str, str]]:
    sequence = Sequence("s", "Kiln Night", PAL, 90_000, tracks=tracks)
    return [
        (note.code, note.where, note.text)
        for note in with_sense(Document("", "", (sequence,), (media,))).notes
    ]


def video(*items: Item) -> Track:
    return Track("video", items)


def test_a_source_range_outside_its_medium_is_noted_from_the_second_frame_on() -> None:
    # The medium has 100 frames: 20 from frame 81 end at 101, one beyond, which rounding can make; from 82 not.
    assert said(video(clip(1, source=81))) == []
    assert said(video(clip(1, source=82))) == [
        ("outside-medium", "s/V1/c1", "Clip 1 at 01:00:00:00 uses 2 frames beyond the end of A003C012.mov")
    ]
    assert said(video(clip(1, source=-1))) == []
    assert said(video(clip(1, 50, source=-3))) == [
        (
            "outside-medium",
            "s/V1/c1",
            "Clip 1 at 01:00:02:00 uses 3 frames before the beginning of A003C012.mov",
        )
    ]


def test_the_range_is_counted_with_its_speed() -> None:
    twice, back = Constant(2), Constant(-1)
    # 20 frames at double speed use 40: from 61 they end at 101, from 65 at 105.
    assert said(video(clip(1, source=61, speed=twice))) == []
    assert said(video(clip(1, source=65, speed=twice)))[0][2].startswith(
        "Clip 1 at 01:00:00:00 uses 5 frames"
    )
    # Backwards from frame 15 the last 20 frames begin at -5.
    assert "uses 5 frames before the beginning" in said(video(clip(1, source=15, speed=back)))[0][2]
    assert said(video(clip(1, source=25, speed=back))) == []
    steep = Variable(
        (SpeedPoint(0, 0), SpeedPoint(10, 2), SpeedPoint(20, Fraction(27, 5)))
    )  # ends at frame 135
    assert "uses 35 frames beyond" in said(video(clip(1, speed=steep)))[0][2]


def test_what_holds_one_picture_or_says_no_length_has_no_outside() -> None:
    assert said(video(clip(1, source=500, still=True))) == []
    assert said(video(clip(1, source=500, speed=Constant(0)))) == []
    assert said(video(clip(1, source=500)), media=Media("m", "A", rate=PAL)) == []


def test_sound_without_a_rate_counts_its_length_in_frames_of_the_sequence() -> None:
    sound = Media("m", "boom.wav", duration=250, audio=True, channels=1)
    heard = Track("audio", (clip(1, source=235, sound=Sound((1,))),))
    assert [one[2] for one in said(heard, media=sound)] == [
        "Clip 1 at 01:00:00:00 uses 5 frames beyond the end of boom.wav"
    ]


def test_items_of_one_track_that_overlap_are_noted_and_pieces_that_touch_are_not() -> None:
    assert said(video(clip(1), clip(2, 20), clip(3, 40))) == []
    found = said(video(clip(1), clip(2, Fraction(39, 2)), clip(3, 40)))
    assert found == [("overlap", "s/V1/c2", "Clip 2 at 01:00:00:19 begins before Clip 1 ends")]


def test_one_odd_speed_in_a_row_of_ones() -> None:
    row = [clip(number, 20 * number) for number in range(5)]
    odd = clip(9, 200, 10, speed=Constant(Fraction(792, 100)))
    found = said(video(*row, odd))
    assert found == [
        ("odd-speed", "s/V1/c9", "Clip 9 at 01:00:08:00 plays at 792 % and every other clip at 100 %")
    ]
    # A short row says nothing, nor does a speed that people choose, nor two clips that are both changed.
    assert said(video(*row[:4], odd)) == []
    assert said(video(*row, clip(9, 200, 10, speed=Constant(4)))) == []
    assert said(video(*row, clip(9, 200, 10, source=20, speed=Constant(Fraction(-1, 2))))) == []
    assert said(video(*row, odd, clip(10, 300, 10, speed=Constant(5)))) == []
    slow = said(video(*row, clip(9, 200, 10, speed=Constant(Fraction(1, 5)))))
    assert [one[0] for one in slow] == ["odd-speed"]
    # Picture and sound of one clip are one.
    linked = [clip(9, 200, 10, speed=Constant(5), link="a")], [clip(10, 200, 10, speed=Constant(5), link="a")]
    both = said(video(*row, *linked[0]), video(*linked[1]))
    assert [one[:2] for one in both] == [("odd-speed", "s/V1/c9"), ("odd-speed", "s/V2/c10")]


def test_a_channel_heard_twice_at_once() -> None:
    def heard(number: int, *channels: int, **more: object) -> Track:
        return Track("audio", (clip(number, sound=Sound(channels, **more)),))  # type: ignore[arg-type]

    assert said(heard(1, 1), heard(2, 2)) == []
    assert said(heard(1, 1, 2), heard(2, 3), heard(3, 2)) == [
        ("channel-twice", "s/A3/c3", "channel 2 of Clip 3 at 01:00:00:00 is heard on A1 and on A3 at once")
    ]
    assert said(heard(1, 1, 1)) == [
        ("channel-twice", "s/A1/c1", "Clip 1 at 01:00:00:00 uses channel 1 of its medium twice")
    ]
    assert said(heard(1, 1), heard(2, 1, muted=(1,))) == []
    later = Track("audio", (clip(2, 5, sound=Sound((1,))),))
    assert said(heard(1, 1), later) == []
    silent = Track("audio", (clip(2, sound=Sound((1,))),), enabled=False)
    assert said(heard(1, 1), silent) == []


def test_many_of_one_kind_are_counted() -> None:
    found = said(video(*(clip(number, number) for number in range(50))))
    assert len(found) == 40 and found[-1][2].endswith("; and 9 more like it")


def test_a_file_that_overlaps_itself_says_so_through_its_reader(tmp_path: Path) -> None:
    file = """<file id="f{0}"><name>A</name><rate><timebase>25</timebase></rate><duration>500</duration></file>"""
    one = """<clipitem id="c{0}"><name>C{0}</name><rate><timebase>25</timebase></rate><start>{1}</start>
    <end>{2}</end><in>{3}</in><out>{4}</out>{5}</clipitem>"""
    items = one.format(1, 0, 50, 0, 50, file.format(1)) + one.format(2, 40, 80, 480, 520, file.format(2))
    path = tmp_path / "cut.xml"
    path.write_text(
        '<?xml version="1.0"?><!DOCTYPE xmeml><xmeml version="5"><sequence id="s"><name>K</name>'
        "<rate><timebase>25</timebase></rate><media><video><track>"
        f"{items}</track></video></media></sequence></xmeml>"
    )
    assert {note.code for note in read_file(path).notes} >= {"overlap", "outside-medium"}


# ---- damage


def aaf_cut(tmp_path: Path) -> Path:
    maker = Maker(tmp_path / "cut.aaf")
    boom = maker.sound("Boom", 0, 480_000)
    gain = maker.operation(
        "gain", 96_000, [maker.clip("sound", boom, 1, 7, 96_000)], amplitude=[(R(0), R(1)), (R(1), R(1, 2))]
    )
    maker.mob(
        "CompositionMob",
        "Kiln Night R1",
        maker.slot(1, R(25, 1), maker.code(90_000, 25, 50)),
        maker.slot(2, R(48000, 1), maker.row("sound", gain), name="Boom track"),
        usage="Usage_TopLevel",
    )
    return maker.close()


@pytest.mark.parametrize(
    "owner, name",
    [
        ("SourceClip", "StartTime"),
        ("OperationGroup", "Length"),
        ("ControlPoint", "Time"),
        ("Timecode", "Start"),
    ],
)
def test_what_is_damaged_in_an_aaf_is_noted_with_its_place(tmp_path: Path, owner: str, name: str) -> None:
    path = aaf_cut(tmp_path)
    assert not [note for note in read_file(path).notes if "damaged" in note.text]
    with aaf2.open(str(path), "rw") as file:
        cut = next(mob for mob in file.content.mobs if mob.name == "Kiln Night R1")
        for one, _ in cut.walk_references():
            if type(one).__name__ == owner and one.get(name) is not None:
                one[name].data = b"\x01"
                one[name].mark_modified()
                break
    found = [note for note in read_file(path).notes if "damaged" in note.text]
    assert [note.text for note in found] == [f"{owner} {name} cannot be read; the file is damaged there"]
    assert "Kiln Night R1" in found[0].where


def test_a_reference_that_leads_nowhere_in_an_omf_is_noted_with_its_place() -> None:
    def cut(broken: bool) -> bytes:
        box = Box("<")

        def put(kind: str, **values: int) -> int:
            key = box.new()
            box.put(key, "OMFI:OOBJ:ObjClass", "OMFI:ClassID", kind.encode())
            return key

        fill = put("FILL")
        row = put("SEQU")
        box.refs(row, "OMFI:SEQU:Components", fill, 9999 if broken else fill)
        slot = put("MSLT")
        box.put(slot, "OMFI:MSLT:EditRate", "OMFI:Rational", struct.pack("<ii", 25, 0 if broken else 1))
        box.ref(slot, "OMFI:MSLT:Segment", row)
        mob = put("CMOB")
        box.put(mob, "OMFI:MOBJ:MobID", "OMFI:UID", struct.pack("<III", 42, 1, 1))
        box.put(mob, "OMFI:MOBJ:Name", "OMFI:String", b"Kiln Night")
        box.refs(mob, "OMFI:MOBJ:Slots", slot)
        head = put("HEAD")
        box.put(head, "OMFI:HEAD:ByteOrder", "OMFI:Int16", b"II")
        box.put(head, "OMFI:HEAD:Version", "OMFI:VersionType", b"\x02\x00")
        box.refs(head, "OMFI:HEAD:PrimaryMobs", mob)
        return box.done()

    assert not [note for note in read_bytes(cut(False)).notes if "damaged" in note.text]
    found = [(note.where, note.text) for note in read_bytes(cut(True)).notes if "damaged" in note.text]
    assert found == [
        ("Kiln Night", "MSLT OMFI:MSLT:EditRate cannot be read; the file is damaged there"),
        ("Kiln Night", "SEQU OMFI:SEQU:Components cannot be read; the file is damaged there"),
    ]


def test_reading_an_aaf_changes_nothing_for_anybody_else(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """What a worker does to standard output, to the log or to the collector it does to everybody."""
    path = aaf_cut(tmp_path)
    before = (sys.stdout, list(logging.getLogger().handlers), gc.isenabled(), gc.get_threshold())
    seen: list[object] = []
    told = lookup.found

    def watched(thing: object, name: str) -> object:
        seen.append((sys.stdout, list(logging.getLogger().handlers), gc.isenabled(), gc.get_threshold()))
        return told(thing, name)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(lookup, "found", watched)
        read_file(path)
    assert len(seen) > 50 and all(one == before for one in seen)
    # The library's own words go nowhere.
    aaf2.components.print("!!")
    aaf2.cfb.logging.warning("!!")
    assert capsys.readouterr() == ("", "")


def test_an_array_of_an_omf_that_says_more_than_it_holds_is_noted() -> None:
    box = Box("<")

    def put(kind: str) -> int:
        key = box.new()
        box.put(key, "OMFI:OOBJ:ObjClass", "OMFI:ClassID", kind.encode())
        return key

    head, slot = put("HEAD"), put("MSLT")
    box.put(head, "OMFI:HEAD:ByteOrder", "OMFI:Int16", b"II")
    # Three are counted and one stands there.
    box.put(head, "OMFI:HEAD:PrimaryMobs", "OMFI:ObjRefArray", struct.pack("<HI", 3, slot))
    data = box.done()
    objects = Objects(read_container(data, len(data)))
    assert [one.kind for one in objects.head.references("OMFI:HEAD:PrimaryMobs")] == ["MSLT"]
    assert list(objects.damaged) == [("HEAD", "OMFI:HEAD:PrimaryMobs")]
