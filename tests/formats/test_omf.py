"""OMF: the container in its versions and byte orders, revision 1, damage, objects used over and over."""

from __future__ import annotations

import random
import struct
from pathlib import Path

import pytest

from generated import examples
from wexodos.carryover import carry_over
from wexodos.cli.commands import main
from wexodos.compare import compare
from wexodos.destinations import find_destination
from wexodos.formats import ReadError, read_bytes, read_file
from wexodos.formats.omf import constants as c
from wexodos.formats.omf import write
from wexodos.formats.omf.container import read_container
from wexodos.formats.omf.objects import Objects
from wexodos.formats.omf.reader import _Reader
from wexodos.formats.spelling import Spelling
from wexodos.model import Document


@pytest.fixture(scope="module")
def written(kiln_night: Document) -> tuple[Document, str, bytes]:
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination("mixing-omf"))
    return carried.made.document, carried.sequence.id, carried.data


def same(one: Document, other: Document) -> bool:
    return compare(one, one.top_level[0], other, other.top_level[0]) == []


def test_both_container_versions_say_the_same(written: tuple[Document, str, bytes]) -> None:
    document, key, data = written
    older = write(document, key, "2.1", Spelling("samples", container=1))
    assert read_container(older, len(older)).version == 1 and read_container(data, len(data)).version == 2
    assert older[-24:-16] == data[-24:-16] == c.MAGIC
    assert same(read_bytes(older), read_bytes(write(document, key, "2.1", Spelling("samples"))))


def test_transfers_that_append_bytes_do_no_harm(written: tuple[Document, str, bytes]) -> None:
    assert same(read_bytes(written[2]), read_bytes(written[2] + b"\0" * 5000))


def test_the_table_is_as_the_reference_says(written: tuple[Document, str, bytes]) -> None:
    data = written[2]
    flags, buffer, major, minor, offset, size = struct.unpack("<HHHHII", data[-16:])
    assert (flags, buffer, major, minor) == (0x0101, 1, 2, 0) and offset + size == len(data) - 24
    assert data[offset : offset + 13] == bytes([1]) + struct.pack("<III", 1, 2, 24)
    for place in range(offset + 1024, offset + size, 1024):
        # Every buffer begins with a whole entry.
        assert data[place] == c.NEW_OBJECT
    # Values of one to three bytes and empty ones stand outside the table: their codes are the ones nobody is
    # sure of.
    values = [value for one in read_container(data, len(data)).values.values() for value in one.values()]
    assert all(len(value.inline) == 4 if not value.segments else not value.inline for value in values)


class Box:
    """A container written by hand in either byte order, version 1."""

    def __init__(self, order: str) -> None:
        self.order, self.body, self.rows = order, bytearray(), []
        self.names: dict[str, int] = {}
        self.next = c.FIRST_ID

    def new(self) -> int:
        self.next += 1
        return self.next - 1

    def name(self, text: str, reserved: int) -> int:
        if text not in self.names:
            self.names[text] = self.new()
            self.put_raw(self.names[text], reserved, c.ASCII_TYPE, text.encode() + b"\0")
        return self.names[text]

    def put_raw(self, owner: int, name: int, kind: int, data: bytes) -> None:
        self.rows.append((owner, name, kind, len(self.body), len(data)))
        self.body += data

    def put(self, owner: int, name: str, kind: str, data: bytes) -> None:
        self.put_raw(owner, self.name(name, c.PROPERTY_NAME), self.name(kind, c.TYPE_NAME), data)

    def long(self, owner: int, name: str, value: int) -> None:
        self.put(owner, name, "OMFI:Int32", struct.pack(f"{self.order}i", value))

    def refs(self, owner: int, name: str, *targets: int) -> None:
        self.put(
            owner,
            name,
            "OMFI:ObjRefArray",
            struct.pack(f"{self.order}H{len(targets)}I", len(targets), *targets),
        )

    def ref(self, owner: int, name: str, target: int) -> None:
        self.put(owner, name, "OMFI:ObjRef", struct.pack(f"{self.order}I", target))

    def done(self) -> bytes:
        table = b"".join(struct.pack(f"{self.order}IIIIIHH", *row, 1, 0) for row in sorted(self.rows))
        flags = c.LITTLE if self.order == "<" else c.BIG
        return (
            bytes(self.body)
            + table
            + c.MAGIC
            + struct.pack(f"{self.order}HHHHII", flags, 1, 1, 0, len(self.body), len(table))
        )


def old_cut(order: str) -> bytes:
    """Revision 1: a composition with a fade, a clip of a file and a timecode track."""
    box = Box(order)

    def thing(kind: str, track: int, **numbers: int) -> int:
        key = box.new()
        box.put(key, "OMFI:ObjID", "OMFI:ObjectTag", kind.encode())
        box.long(key, "OMFI:CPNT:TrackKind", track)
        box.put(key, "OMFI:CPNT:EditRate", "OMFI:ExactEditRate", struct.pack(f"{order}ii", 25, 1))
        for name, value in numbers.items():
            box.long(key, "OMFI:" + name.replace("__", ":"), value)
        return key

    def track(label: int, component: int) -> int:
        key = box.new()
        box.put(key, "OMFI:ObjID", "OMFI:ObjectTag", b"TRAK")
        box.put(key, "OMFI:TRAK:LabelNumber", "OMFI:Int16", struct.pack(f"{order}h", label))
        box.ref(key, "OMFI:TRAK:TrackComponent", component)
        return key

    def mob(name: str, uid: tuple[int, int, int], tracks: list[int], media: int | None = None) -> int:
        key = box.new()
        box.put(key, "OMFI:ObjID", "OMFI:ObjectTag", b"MOBJ")
        box.put(
            key,
            "OMFI:CPNT:Name",
            "OMFI:String",
            name.encode("mac_roman" if order == ">" else "cp1252") + b"\0",
        )
        box.put(key, "OMFI:MOBJ:MobID", "OMFI:UID", struct.pack(f"{order}III", *uid))
        box.refs(key, "OMFI:TRKG:Tracks", *tracks)
        if media is not None:
            box.ref(key, "OMFI:MOBJ:PhysicalMedia", media)
        return key

    def clip(uid: tuple[int, int, int], start: int, length: int) -> int:
        key = thing("SCLP", 2, CLIP__Length=length, SCLP__SourcePosition=start)
        box.put(key, "OMFI:SCLP:SourceID", "OMFI:UID", struct.pack(f"{order}III", *uid))
        box.put(key, "OMFI:SCLP:SourceTrack", "OMFI:Int16", struct.pack(f"{order}h", 1))
        return key

    told = box.new()
    box.put(told, "OMFI:ObjID", "OMFI:ObjectTag", b"WAVD")
    box.put(told, "OMFI:MDFL:SampleRate", "OMFI:ExactEditRate", struct.pack(f"{order}ii", 48000, 1))
    box.long(told, "OMFI:MDFL:Length", 480_000)
    reel = box.new()
    box.put(reel, "OMFI:ObjID", "OMFI:ObjectTag", b"MDTP")
    box.long(reel, "OMFI:MDES:MobKind", 2)
    nothing = clip((0, 0, 0), 0, 250)
    code = thing("TCCP", 3, CLIP__Length=250, TCCP__StartTC=36_000 * 25, TCCP__FPS=25)
    tape = mob("SND01", (42, 1, 1), [track(1, nothing), track(1, code)], reel)
    file = mob("boom.wav", (42, 2, 2), [track(1, clip((42, 1, 1), 0, 250))], told)
    master = mob("Glühen", (42, 3, 3), [track(1, clip((42, 2, 2), 0, 250))])
    fade = thing("TRAN", 2, TRKG__GroupLength=5, TRAN__CutPoint=0)
    row = thing("SEQU", 2)
    box.refs(
        row,
        "OMFI:SEQU:Sequence",
        thing("FILL", 2, CLIP__Length=15),
        fade,
        clip((42, 3, 3), 20, 60),
        thing("FILL", 2, CLIP__Length=30),
    )
    start = thing("TCCP", 3, CLIP__Length=100, TCCP__StartTC=90_000, TCCP__FPS=25)
    cut = mob("Kiln Night", (42, 4, 4), [track(1, row), track(1, start)])
    head = box.new()
    box.put(head, "OMFI:ByteOrder", "OMFI:Int16", b"II" if order == "<" else b"MM")
    box.put(head, "OMFI:Version", "OMFI:VersionType", b"\x01\x05")
    box.refs(head, "OMFI:ObjectSpine", tape, file, master, cut)
    return box.done()


@pytest.mark.parametrize("order", "<>")
def test_revision_one_in_both_byte_orders(order: str) -> None:
    found = read_bytes(old_cut(order))
    sequence = found.top_level[0]
    item = sequence.audio_tracks[0].items[0]
    assert found.version == "1.5" and (sequence.name, str(sequence.timecode(0))) == (
        "Kiln Night",
        "01:00:00:00",
    )
    assert (item.name, item.start, item.duration, item.source_in * 25) == ("Glühen", 10, 60, 20)
    assert item.sound is not None and item.sound.fade_in is not None and item.sound.fade_in.duration == 5
    assert [(one.name, one.reel, one.start, one.duration) for one in found.media] == [
        ("boom.wav", "SND01", 900_000, 250)
    ]


def test_objects_used_over_and_over_end_in_a_sentence() -> None:
    box = Box("<")

    def put(kind: str) -> int:
        key = box.new()
        box.put(key, "OMFI:OOBJ:ObjClass", "OMFI:ClassID", kind.encode())
        return key

    inner = put("FILL")
    for _ in range(60):
        outer = put("SEQU")
        box.refs(outer, "OMFI:SEQU:Components", inner, inner, inner, inner)
        inner = outer
    slot = put("MSLT")
    box.ref(slot, "OMFI:MSLT:Segment", inner)
    mob = put("CMOB")
    box.put(mob, "OMFI:MOBJ:MobID", "OMFI:UID", struct.pack("<III", 42, 1, 1))
    box.refs(mob, "OMFI:MOBJ:Slots", slot)
    head = put("HEAD")
    box.put(head, "OMFI:HEAD:ByteOrder", "OMFI:Int16", b"II")
    with pytest.raises(ReadError, match=r"over and over|too deeply"):
        read_bytes(box.done())


def test_damaged_copies_are_read_or_refused_in_one_sentence(
    written: tuple[Document, str, bytes], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    whole, random_ = written[2], random.Random(11)
    path = tmp_path / "damaged.omf"
    for number in range(examples(40)):
        data = bytearray(whole)
        if number % 4 == 0:
            del data[
                random_.randrange(len(data) - 60_000) : random_.randrange(len(data) - 60_000, len(data) - 30)
            ]
        for _ in range(random_.choice((1, 6, 60))):
            data[random_.randrange(max(0, len(data) - 300_000), len(data) - 24)] = random_.randrange(256)
        path.write_bytes(data)
        assert main(["inspect", str(path)]) in (0, 3)
        assert "Traceback" not in capsys.readouterr().err
    for data in (c.MAGIC, whole[-24:], whole[:-10], b"\0" * 100 + c.MAGIC + b"\xff" * 16):
        path.write_bytes(data)
        with pytest.raises(ReadError):
            read_file(path)


def boxed(order: str) -> Box:
    box = Box(order)
    head = box.new()
    box.put(head, "OMFI:ObjID", "OMFI:ObjectTag", b"HEAD")
    box.put(head, "OMFI:HEAD:ByteOrder", "OMFI:Int16", b"MM" if order == ">" else b"II")
    return box


def array(order: str, data: bytes) -> tuple[list[int], list[str]]:
    """What is read of an array of references with these bytes, by the numbers of the objects, and what of it cannot be
    read."""
    box = boxed(order)
    names = ("OMFI:ObjID", "OMFI:CPNT:TrackKind", "OMFI:SEQU:Sequence")
    things = [box.new() for _ in range(3)]
    for number, key in enumerate(things):
        box.put(key, names[0], "OMFI:ObjectTag", b"CLSD")
        box.long(key, names[1], number)
    owner = box.new()
    box.put(owner, names[0], "OMFI:ObjectTag", b"SEQU")
    for number, key in enumerate(things):
        data = data.replace(b"<%d>" % number, struct.pack(f"{order}I", key))
    box.put(owner, names[2], "OMFI:ObjRefArray", data)
    whole = box.done()
    objects = Objects(read_container(whole, len(whole)))
    held = objects.get(owner)
    assert held is not None
    found = held.references(names[2])
    return [one.integer(names[1]) for one in found], [name for _, name in objects.damaged]


@pytest.mark.parametrize("order", [">", "<"])
def test_an_array_of_references_counts_in_two_bytes_or_four(order: str) -> None:
    short, long = struct.Struct(f"{order}H").pack, struct.Struct(f"{order}I").pack
    name = "OMFI:SEQU:Sequence"
    assert array(order, short(2) + b"<0><2>") == ([0, 2], [])
    assert array(order, long(2) + b"<0><2>") == ([0, 2], [])
    assert array(order, long(1) + b"<1>") == ([1], [])
    assert array(order, short(0)) == ([], [])
    # More are counted than stand there; one leads nowhere; not even a count.
    assert array(order, short(3) + b"<0><2>") == ([0, 2], [name])
    assert array(order, short(2) + b"<0>" + long(4_000_000_000)) == ([0], [name])
    assert array(order, b"\0") == ([], [name])


@pytest.mark.parametrize(
    ("numerator", "denominator", "value", "damaged"),
    [(25, 1, 25, False), (0, 0, 0, False), (5, 0, None, True), (0, 4, 0, False)],
)
def test_a_rational_over_nought_is_nought_only_if_nought_is_on_top(
    numerator: int, denominator: int, value: int | None, damaged: bool
) -> None:
    box = boxed(">")
    owner = box.new()
    box.put(owner, "OMFI:ObjID", "OMFI:ObjectTag", b"SEQU")
    box.put(owner, "OMFI:CPNT:EditRate", "OMFI:ExactEditRate", struct.pack(">ii", numerator, denominator))
    data = box.done()
    objects = Objects(read_container(data, len(data)))
    held = objects.get(owner)
    assert held is not None and held.rational("OMFI:CPNT:EditRate") == value
    assert bool(objects.damaged) is damaged


@pytest.mark.parametrize(
    ("length", "shape", "fade"),
    [
        (12, 1, (12, "linear")),
        (12, 2, (12, "equal-power")),
        (0, 1, None),
        (-3, 1, None),
        (12, 0, None),
    ],
)
def test_a_fade_of_no_length_or_no_shape_is_none(
    length: int, shape: int, fade: tuple[int, str] | None
) -> None:
    class Clip:
        def integer(self, name: str, rest: int = 0) -> int:
            return {"OMFI:SCLP:FadeInLength": length, "OMFI:SCLP:FadeInType": shape}.get(name, rest)

    assert _Reader._fade(None, Clip(), "In") == fade  # type: ignore[arg-type]
