"""AAF files that are read on a container of ours: held against the library's own container and its own file, on
files that the library wrote."""

from __future__ import annotations

import random
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import aaf2
import pytest
from aaf2.auid import AUID
from aaf2.properties import (
    StreamProperty,
    StrongRefProperty,
    StrongRefSetProperty,
    StrongRefVectorProperty,
    WeakRefArrayProperty,
    WeakRefProperty,
)

from formats.aaf_maker import PAL, Maker
from wexodos.formats.aaf.container import Container
from wexodos.formats.aaf.stored import Entry, StoredFile
from wexodos.formats.errors import ReadError

FILLER = AUID("0d010101-0101-0900-060e-2b3402060101")
FIRING = AUID("0d010102-0101-7700-060e-2b3404010101")
SEQUENCE = AUID("0d010101-0101-0f00-060e-2b3402060101")
SIZES = (0, 1, 63, 64, 65, 4095, 4096, 4097, 30_000)


def written(path: Path, sector: int) -> None:
    """A file of the library's with a cut in it, and streams that lie in pieces across one another."""
    chance = random.Random(sector)
    with aaf2.open(str(path), "w", sector_size=sector) as file:
        mob = file.create.MasterMob("door")
        file.content.mobs.append(mob)
        slot = file.create.TimelineMobSlot(7, "25/1")
        slot.segment = file.create.Sequence("picture")
        slot.segment["Components"].append(file.create.Filler("picture", 48))
        mob.slots.append(slot)
        mob.comments["Scene"] = "4"
        places = [file.cfb.open(f"/loose{size}", "w") for size in SIZES]
        for _ in range(4):
            for size, place in zip(SIZES, places):
                place.write(chance.randbytes(-(-size // 4)))


def all_streams(file: Any) -> Iterator[tuple[str, bytes, AUID | None]]:
    for _above, storages, streams in file.cfb.walk("/"):
        for one in storages:
            yield one.path(), b"", one.class_id
        for one in streams:
            yield one.path(), bytes(one.open("r").read()), None


@pytest.mark.parametrize("sector", [512, 4096])
def test_every_stream_is_the_one_the_librarys_own_container_reads(tmp_path: Path, sector: int) -> None:
    path = tmp_path / "cut.aaf"
    written(path, sector)
    with aaf2.open(str(path)) as theirs, path.open("rb") as file:
        ours = StoredFile(file)
        seen = 0
        for place, data, class_id in all_streams(theirs):
            found = ours.cfb.find(place)
            assert found is not None, place
            if class_id is not None:
                assert found.class_id == class_id
            else:
                assert found.byte_size == len(data) and found.read() == data, place
            seen += 1
        assert seen > 500 and ours.cfb.find("/nowhere/at all") is None
        assert ours.cfb.find("/") is ours.cfb.root and repr(ours.cfb.root) == "storage 0"
        # So it stands in a list of what nobody read.
        loose = ours.cfb.find("/loose30000")
        assert loose is not None and repr(loose) == "30000 bytes"
        # It lies in pieces: from anywhere in it, up to its end and not beyond.
        whole, sound = loose.read(), loose.last()
        for place in (0, 511, 512, 4096, 12_345, 29_999, 30_000, 40_000):
            sound.seek(place)
            assert sound.read(9000) == whole[place : place + 9000]
        sound.close()
        assert file.closed
        with pytest.raises(ValueError, match="does not exist"):
            ours.cfb.open("/nowhere")


def told(file: Any, place: str, thing: Any) -> Iterator[tuple[str, str]]:
    """Every value of an object and of all that hang below it."""
    yield place, f"{thing.class_id} {thing.classdef.class_name}"
    for number, one in thing.property_entries.items():
        name = f"{place}/{one.name or number}"
        if isinstance(one, StrongRefProperty):
            yield from told(file, name, one.value)
        elif isinstance(one, StrongRefVectorProperty):
            for count, below in enumerate(one):
                yield from told(file, f"{name}[{count}]", below)
        elif isinstance(one, StrongRefSetProperty):
            for key, below in one.items():
                yield from told(file, f"{name}[{key}]", below)
        elif isinstance(one, WeakRefProperty):
            there = one.value
            yield name, f"{one.ref} {there.unique_key if there is not None else 'nowhere'}"
        elif isinstance(one, WeakRefArrayProperty):
            yield name, " ".join(f"{key} {there.unique_key}" for key, there in one.items())
        elif isinstance(one, StreamProperty):
            yield name, bytes(one.open("r").read()).hex()
        else:
            yield name, repr(one.value)


@pytest.fixture(params=["as it comes", "with fewer definitions", "with one of its own"])
def path(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    made = Maker(tmp_path / "cut.aaf")
    wide = made.picture("A003C012.mov", "file:///V/kiln/A003C012.mov", "A003", 900_000, 800)
    row = made.row("picture", made.clip("picture", wide, 1, 112, 132), made.filler("picture", 25))
    made.mob("CompositionMob", "Kiln Night R1", made.slot(1, PAL, row), usage="Usage_TopLevel")
    closed = made.close()
    with aaf2.open(str(closed), "rw") as file:
        if request.param == "with fewer definitions":
            # A writer may leave out what every reader knows.
            file.metadict["ClassDefinitions"].pop(FILLER)
            file.metadict["ClassDefinitions"].pop(SEQUENCE)
        elif request.param == "with one of its own":
            file.metadict.register_classdef(
                "Filler", FILLER, "Segment", True,
                {"Firing": (AUID("0e040101-0101-0101-060e-2b3400000001"), None, "aafUInt32", True, False)},
            )  # fmt: skip
            # A type that every file has, with a value that only this one has.
            usage = file.metadict.lookup_typedef("UsageType")
            usage.register_element("Usage_Firing", FIRING)
            file.manager.add_modified(usage)
            for mob in file.content.mobs:
                mob["UsageCode"].value = FIRING
                for slot in mob.slots:
                    for one in getattr(slot.segment, "components", ()):
                        if one.class_id == FILLER:
                            one["Firing"].value = 1280
    return closed


def test_every_object_and_definition_is_the_librarys(path: Path) -> None:
    with aaf2.open(str(path)) as theirs:
        meant = dict(told(theirs, "", theirs.root))
    with path.open("rb") as file:
        ours = StoredFile(file)
        # Definitions are taken when they are asked for: the mobs first, so that nothing has been asked for yet.
        early = dict(told(ours, "/Header", ours.header))
        assert dict(told(ours, "", ours.root)) == meant
        assert early.items() <= meant.items()
        assert len(meant) > 5000
        usages = {value for name, value in meant.items() if name.endswith("/UsageCode")}
        assert (usages == {"'Usage_Firing'"}) == any("/Firing" in name for name in meant)
        assert ours.metadict.lookup_classdef(FILLER).class_name == "Filler"
        assert ours.metadict.lookup_classdef("Filler") is ours.metadict.lookup_classdef(FILLER)
        assert ours.metadict.lookup_classdef("Boiler") is None


def test_two_files_do_not_know_each_others_definitions(tmp_path: Path, path: Path) -> None:
    """What every file may rely on is made once: a property one file has of its own is in no other."""
    plain = tmp_path / "plain.aaf"
    written(plain, 4096)
    with path.open("rb") as first, plain.open("rb") as second:
        one, two = StoredFile(first), StoredFile(second)
        names = [
            {own.property_name for own in held.metadict.lookup_classdef(FILLER).all_propertydefs()}
            for held in (one, two)
        ]
        assert "Firing" not in names[1] and names[0] - names[1] <= {"Firing"}
        for held in (one, two):
            for kind, count in ((FILLER, 0), (SEQUENCE, 1)):
                found = held.metadict.lookup_classdef(kind)
                assert len(list(found.propertydefs)) >= count
                assert found.root is held and all(own.root is held for own in found.all_propertydefs())


def test_with_short_sectors_half_of_a_length_means_nothing(tmp_path: Path) -> None:
    """[MS-CFB] 2.6.1: version 3 files have lengths of 32 bits, and writers leave anything in the others."""
    path = tmp_path / "cut.aaf"
    for sector in (512, 4096):
        written(path, sector)
        data = bytearray(path.read_bytes())
        record = data.index("loose4096\0".encode("utf-16-le"))
        data[record + 124 : record + 128] = b"boil"
        path.write_bytes(data)
        with path.open("rb") as file:
            if sector == 512:
                found = StoredFile(file).cfb.find("/loose4096")
                assert found is not None and found.byte_size == len(found.read()) == 4096
            else:
                with pytest.raises(ReadError, match="longer than the file"):
                    StoredFile(file)


def test_a_stream_whose_chain_ends_early_is_told(tmp_path: Path) -> None:
    path = tmp_path / "cut.aaf"
    written(path, 4096)
    whole = path.read_bytes()
    with path.open("rb") as file:
        held = Container(file)
        first = {name: int(held.records["start"][place]) for name, place in held.children(0).items()}
    with aaf2.open(str(path)) as theirs:
        tables = {"loose30000": theirs.cfb.difat[0], "loose65": theirs.cfb.minifat_chain}
    for name, table in tables.items():
        damaged = bytearray(whole)
        row, column = divmod(first[name], 1024)
        at = (table[row] + 1) * 4096 + column * 4
        damaged[at : at + 4] = b"\xfe\xff\xff\xff"
        path.write_bytes(damaged)
        with path.open("rb") as file:
            found = StoredFile(file).cfb.find(f"/{name}")
            assert isinstance(found, Entry)
            with pytest.raises(ValueError, match="shorter than it says"):
                found.read()
    for name in ("MetaDictionary-1", "referenced properties"):
        path.write_bytes(whole.replace(name.encode("utf-16-le"), name.swapcase().encode("utf-16-le")))
        with path.open("rb") as file, pytest.raises(ReadError, match="begins with is not in it"):
            StoredFile(file)
    path.write_bytes(whole[:3000])
    with path.open("rb") as file, pytest.raises(ReadError):
        StoredFile(file)
