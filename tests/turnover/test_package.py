"""A package: what is in it is enough for the next room, and every byte of it is on a list."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import zipfile
from collections import Counter
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import aaf2
import pytest
import soundfile
import xxhash
from lxml import etree
from PySide6.QtPdf import QPdfDocument

from wexodos.carryover import Cancelled, carry_over
from wexodos.cli.commands import main
from wexodos.demo.build import CUT
from wexodos.destinations import find_destination
from wexodos.formats import ReadError, WriteError, read_bytes, read_file
from wexodos.ground import quiet
from wexodos.job import Decisions, Job, JobLock, load, save
from wexodos.media import Probed, Row
from wexodos.media.needs import Need
from wexodos.media.search import key_of
from wexodos.model import Document, Media, MediaUse
from wexodos.report.cover import as_page, as_pdf, cover
from wexodos.tidy import Chosen
from wexodos.turnover.package.copying import Copy, copy_of
from wexodos.turnover.package.hashlist import CHAIN, Entry, chained, listed, sealed
from wexodos.turnover.package.make import write
from wexodos.turnover.package.places import Placed, moved, places_of
from wexodos.turnover.package.sums import KINDS, c4
from wexodos.turnover.package.verify import State, verified
from wexodos.turnover.write import Part

NOON = datetime(2026, 11, 29, 12, 0, tzinfo=UTC)
NAME = "Kiln Night R1 v7"


@pytest.fixture
def demo_alone(whole_demo: Path, tmp_path: Path) -> Path:
    """The demo in a place from which it can be moved away."""
    shutil.copytree(whole_demo, tmp_path / "room")
    cut = tmp_path / "room" / CUT
    cut.write_text(cut.read_text().replace(str(whole_demo), str(tmp_path / "room")))
    return cut


def told(capsys: pytest.CaptureFixture[str], *arguments: str) -> tuple[int, dict]:  # type: ignore[type-arg]
    status = main([*arguments, "--json"])
    out, said = capsys.readouterr()
    return status, json.loads(out) if out else {"said": said}


# ---- sums and their list


def test_sums_are_those_of_the_published_definitions() -> None:
    # The sums of nothing, from the specifications of XXH64, XXH3 and C4.
    assert KINDS["xxh64"]().hexdigest() == "ef46db3751d8e999"
    assert KINDS["xxh3"]().hexdigest() == "2d06800538d394c2"
    assert KINDS["xxh128"]().hexdigest() == "99aa06d3014798d86001c324468d497f"
    empty = "c459dsjfscH38cYeXXYogktxf4Cd9ibshE3BHUo6a58hBXmRQdZrAkZzsWcbWtDg5oQstpDuni4Hirj75GEmTc1sFT"
    assert KINDS["c4"]().hexdigest() == empty == c4(hashlib.sha512(b"").digest())
    assert c4(bytes(64)) == "c4" + "1" * 88


def test_the_list_of_sums_is_in_the_open_form() -> None:
    entries = [
        Entry("Media/b.wav", 7, "xxh128", "ab" * 16, NOON),
        Entry("Kiln & Night.xml", 0, "xxh128", "cd" * 16),
    ]
    (path, data), (chain, order) = sealed(entries, "Kiln Night", NOON)
    assert path == "ascmhl/0001_Kiln Night_2026-11-29_120000Z.mhl" and chain == CHAIN
    space = {"m": "urn:ASC:MHL:v2.0", "d": "urn:ASC:MHL:DIRECTORY:v2.0"}
    root = etree.fromstring(data)
    assert root.tag == "{urn:ASC:MHL:v2.0}hashlist" and root.get("version") == "2.0"
    assert [one.text for one in root.iterfind("m:hashes/m:hash/m:path", space)] == [
        "Kiln & Night.xml",
        "Media/b.wav",
    ]
    second = root.findall("m:hashes/m:hash", space)[1]
    assert dict(second[0].attrib) == {"size": "7", "lastmodificationdate": "2026-11-29T12:00:00+00:00"}
    assert (second[1].tag, second[1].text, second[1].get("action")) == (
        "{urn:ASC:MHL:v2.0}xxh128",
        "ab" * 16,
        "original",
    )
    assert root.findtext("m:processinfo/m:process", None, space) == "transfer"
    ordered = etree.fromstring(order)
    assert ordered.findtext("d:hashlist/d:path", None, space) == path.removeprefix("ascmhl/")
    assert ordered.findtext("d:hashlist/d:c4", None, space) == c4(hashlib.sha512(data).digest())
    assert chained(order) == [(path, c4(hashlib.sha512(data).digest()))]
    assert listed(data, path) == [entries[1], entries[0]]


@pytest.mark.parametrize(
    "entry, words",
    [
        ("<path>../out.wav</path><md5>00</md5>", "lies outside"),
        ("<path>/etc/x</path><md5>00</md5>", "lies outside"),
        ("<path>a\\b</path><md5>00</md5>", "lies outside"),
        ("<path></path><md5>00</md5>", "names no file"),
        ("<path>a</path><crc32>00</crc32>", "no sum of a kind"),
    ],
)
def test_a_list_that_cannot_be_trusted_is_refused(entry: str, words: str) -> None:
    data = f'<hashlist xmlns="urn:ASC:MHL:v2.0"><hashes><hash>{entry}</hash></hashes></hashlist>'.encode()
    with pytest.raises(ReadError, match=words):
        listed(data, "x.mhl")


def test_others_lists_are_checked_by_the_best_sum_they_have(tmp_path: Path) -> None:
    (tmp_path / "ascmhl").mkdir()
    (tmp_path / "a.wav").write_bytes(b"kiln")
    (tmp_path / "b.wav").write_bytes(b"night")
    (tmp_path / ".DS_Store").write_bytes(b"")
    digests = (hashlib.md5(b"kiln").hexdigest().upper(), c4(hashlib.sha512(b"night").digest()))
    data = (
        '<hashlist version="2.0" xmlns="urn:ASC:MHL:v2.0"><hashes>'
        f"<hash><path>a.wav</path><crc>1</crc><md5>{digests[0]}</md5></hash>"
        f'<hash><path size="5">b.wav</path><md5>wrong</md5><c4>{digests[1]}</c4></hash></hashes></hashlist>'
    ).encode()
    (tmp_path / "ascmhl/0001_x_2026-01-01_000000Z.mhl").write_bytes(data)
    (tmp_path / "ascmhl/ascmhl_chain.xml").write_text(
        '<ascmhldirectory xmlns="urn:ASC:MHL:DIRECTORY:v2.0"><hashlist sequencenr="1">'
        f"<path>0001_x_2026-01-01_000000Z.mhl</path><c4>{c4(hashlib.sha512(data).digest())}</c4>"
        "</hashlist></ascmhldirectory>"
    )
    assert [one.state for one in verified(tmp_path, quiet)] == [State.EQUAL, State.EQUAL]
    os.symlink("/etc/hostname", tmp_path / "link")
    assert verified(tmp_path, quiet)[-1].state is State.NOT_LISTED


# ---- places


def row(key: str, path: Path, parts: tuple[str, ...] = ()) -> Row:
    facts = Probed(str(path), 1, 1, parts=parts)
    return Row(Need(Media(key, path.name, f"/gone/{path.name}")), path, "written", facts)


def test_every_file_has_a_place_of_its_own(tmp_path: Path) -> None:
    for name in (
        "A/C1.mov",
        "B/C1.mov",
        "C/c1.MOV",
        "A/x_001.mov",
        "A/x_002.mov",
        "A/a:b?.wav",
        "D/A/C1.mov",
        "D/SHOT 4/kiln.2001.dpx",
        "D/SHOT 4/kiln.2002.dpx",
    ):
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(name.encode())
    frames = tmp_path / "SHOT 4"
    frames.mkdir()
    for number in (1001, 1002, 1004):
        (frames / f"kiln.{number}.dpx").write_bytes(b"x")
    rows = [
        row("a", tmp_path / "A/C1.mov"),
        row("b", tmp_path / "B/C1.mov"),
        row("c", tmp_path / "C/c1.MOV"),
        row("d", tmp_path / "D/A/C1.mov"),
        row("again", tmp_path / "A/C1.mov"),
        row("span", tmp_path / "A/x_001.mov", ("x_001.mov", "x_002.mov")),
        row("odd", tmp_path / "A/a:b?.wav"),
        row("frames", frames / "kiln.%04d.dpx"),
        row("more", tmp_path / "D/SHOT 4/kiln.%04d.dpx"),
        replace(row("none", tmp_path / "none.mov"), path=None),
        replace(row("inside", tmp_path / "A/C1.mov"), how="inside"),
    ]
    places = places_of(rows)
    assert places.named == {
        "a": "Media/C1.mov",
        "b": "Media/B/C1.mov",
        "c": "Media/C/c1.MOV",
        "d": "Media/A/C1.mov",
        "again": "Media/C1.mov",
        "span": "Media/x_001.mov",
        "odd": "Media/a-b.wav",
        "frames": "Media/SHOT 4/kiln.%04d.dpx",
        # In one folder the two would be one sequence with a gap.
        "more": "Media/SHOT 4/SHOT 4/kiln.%04d.dpx",
    }
    assert places.of(["span", "a", "again"]) == [
        Placed(tmp_path / "A/x_001.mov", "Media/x_001.mov"),
        Placed(tmp_path / "A/x_002.mov", "Media/x_002.mov"),
        Placed(tmp_path / "A/C1.mov", "Media/C1.mov"),
    ]
    assert [one.name for one in places.of(["frames"])] == [
        f"Media/SHOT 4/kiln.{number}.dpx" for number in (1001, 1002, 1004)
    ]
    document = Document("xmeml", "5", (), tuple(one.media for one in rows))
    there = moved(document, places, "/Volumes/Kiln/")
    assert there.media_by_id["b"].path == "/Volumes/Kiln/Media/B/C1.mov"
    assert there.media_by_id["none"].path == "/gone/none.mov"
    assert moved(document, places, "E:\\Kiln").media_by_id["a"].path == "E:\\Kiln\\Media\\C1.mov"


# ---- writing


def parts_of(tmp_path: Path) -> list[Part | Copy]:
    source = tmp_path / "source.mov"
    source.write_bytes(bytes(range(256)) * 40_000)
    os.utime(source, (1_700_000_000, 1_700_000_000))

    def make(path: Path, _progress: object) -> None:
        path.write_bytes(b"rendered")

    return [
        Part("Kiln.xml", "sequence", b"<xmeml/>"),
        Part("Kiln media/title.mov", "rendered", b"", make, 8),
        copy_of(source, "Media/source.mov"),
    ]


@pytest.mark.parametrize("target", ["out", "out.zip"])
def test_a_package_is_there_whole_and_verified(tmp_path: Path, target: str) -> None:
    place = tmp_path / target
    entries = write(place, parts_of(tmp_path), "out", NOON, quiet)
    assert [one.path.split("/")[0] for one in entries[3:]] == ["ascmhl", "ascmhl"]
    wanted = [("Kiln.xml", 8), ("Kiln media/title.mov", 8), ("Media/source.mov", 10_240_000)]
    # A zip begins with what need not be made again if it is stopped.
    assert [(one.path, one.size) for one in entries[:3]] == (
        wanted if target == "out" else [wanted[2], *wanted[:2]]
    )
    assert {one.state for one in verified(place, quiet)} == {State.EQUAL}
    if target == "out":
        assert (place / "Media/source.mov").read_bytes() == (tmp_path / "source.mov").read_bytes()
        assert (place / "Media/source.mov").stat().st_mtime == 1_700_000_000
    else:
        with zipfile.ZipFile(place) as opened:
            assert opened.testzip() is None
            info = opened.getinfo("out/Media/source.mov")
            assert info.compress_type == zipfile.ZIP_STORED and info.date_time[:3] == (2023, 11, 14)
            assert opened.read("out/Kiln media/title.mov") == b"rendered"
            names = opened.namelist()
        assert len(names) == len(set(names)) == 5
    assert sorted(one.name for one in tmp_path.iterdir()) == sorted(["source.mov", target])


def test_what_was_changed_left_out_or_added_is_found(tmp_path: Path) -> None:
    place = tmp_path / "out"
    write(place, parts_of(tmp_path), "out", NOON, quiet)
    movie = place / "Media/source.mov"
    data = bytearray(movie.read_bytes())
    data[5_000_000] ^= 1
    movie.write_bytes(data)
    (place / "Kiln.xml").unlink()
    (place / "notes.txt").write_text("new")
    found = {one.path: one.state for one in verified(place, quiet)}
    assert found == {
        "Kiln.xml": State.MISSING,
        "Kiln media/title.mov": State.EQUAL,
        "Media/source.mov": State.CHANGED,
        "notes.txt": State.NOT_LISTED,
    }
    movie.write_bytes(bytes(data[:-1]))
    assert any("10239999 bytes" in one.words for one in verified(place, quiet))
    # Nor can the list itself be another.
    (sums,) = place.glob("ascmhl/*.mhl")
    sums.write_bytes(sums.read_bytes().replace(b"transfer", b"in-place"))
    assert any(
        one.path.startswith("ascmhl/") and one.state is State.CHANGED for one in verified(place, quiet)
    )
    shutil.rmtree(place / "ascmhl")
    with pytest.raises(ReadError, match="no list of sums"):
        verified(place, quiet)


@pytest.mark.parametrize("target", ["out", "out.zip"])
def test_a_package_that_is_stopped_or_fails_leaves_nothing(tmp_path: Path, target: str) -> None:
    place = tmp_path / target
    parts = parts_of(tmp_path)

    def stop(what: str, share: float) -> None:
        if "source.mov" in what and share > 0.5:
            raise Cancelled

    with pytest.raises(Cancelled):
        write(place, parts, "out", NOON, stop)
    (tmp_path / "source.mov").unlink()
    with pytest.raises(WriteError, match=r"source\.mov: cannot be copied"):
        write(place, parts, "out", NOON, quiet)
    assert list(tmp_path.iterdir()) == []
    with pytest.raises(WriteError, match="cannot be copied"):
        copy_of(tmp_path / "source.mov", "Media/source.mov")


def test_a_source_that_grows_while_it_is_copied_is_no_copy(tmp_path: Path) -> None:
    parts = parts_of(tmp_path)
    grown = []

    def grow(what: str, _share: float) -> None:
        if what.startswith("copying") and not grown:
            grown.append(what)
            with (tmp_path / "source.mov").open("ab") as file:
                file.write(b"more")

    with pytest.raises(WriteError, match="it changed while it was copied"):
        write(tmp_path / "out", parts, "out", NOON, grow)
    assert not (tmp_path / "out").exists()
    # Nor is one that changed after it was planned.
    with pytest.raises(WriteError, match="it changed since the package was planned"):
        write(tmp_path / "out", parts, "out", NOON, quiet)


def test_where_something_stands_nothing_is_written(tmp_path: Path) -> None:
    parts = parts_of(tmp_path)
    (tmp_path / "full").mkdir()
    (tmp_path / "full/mine.txt").write_text("mine")
    (tmp_path / "file").write_text("mine")
    (tmp_path / "dir.zip").mkdir()
    for name, words in (
        ("full", "something stands there"),
        ("file", "something stands there"),
        ("dir.zip", "this is a folder"),
        ("gone/out", "no such folder"),
    ):
        with pytest.raises(WriteError, match=words):
            write(tmp_path / name, parts, "out", NOON, quiet)
    huge = [*parts, Copy(tmp_path / "source.mov", "Media/huge.mov", 1 << 60, 0)]
    with pytest.raises(WriteError, match=r"are needed, .* free"):
        write(tmp_path / "out", huge, "out", NOON, quiet)
    assert (tmp_path / "full/mine.txt").read_text() == "mine" and not (tmp_path / "out").exists()
    (tmp_path / "empty").mkdir()
    write(tmp_path / "empty", parts, "empty", NOON, quiet)
    assert {one.state for one in verified(tmp_path / "empty", quiet)} == {State.EQUAL}
    # A zip is replaced as a whole.
    (tmp_path / "old.zip").write_bytes(b"old")
    write(tmp_path / "old.zip", parts, "old", NOON, quiet)
    assert {one.state for one in verified(tmp_path / "old.zip", quiet)} == {State.EQUAL}


# ---- the whole way


@pytest.mark.parametrize(
    "to",
    ["editing-lane-xml", "mixing-aaf-linked", "mixing-omf"],
)
@pytest.mark.sampled(3)
def test_the_next_room_can_start_from_the_package_alone(
    to: str, demo_alone: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out = tmp_path / "over" / "Kiln Night"
    out.parent.mkdir()
    status, data = told(capsys, "package", str(demo_alone), "--to", to, "--out", str(out), "--mix", "none")
    assert status == 0 and data["missing"] == [] and data["unexplained"] == 0
    assert (data["destination"], data["sequences"], data["out"]) == (to, [NAME], str(out))
    assert all(data[one] == data["reports"][0][one] for one in ("counts", "budget_minutes"))
    for one in data["parts"]:
        file = out / one["path"]
        assert file.stat().st_size == one["bytes"]
        assert one["hash"] == f"xxh3:{xxhash.xxh3_64(file.read_bytes()).hexdigest()}"
        if "source" in one:
            assert file.read_bytes() == Path(one["source"]).read_bytes() and one["copied"]
    kinds = Counter(one["part"] for one in data["parts"])
    papers = {"sequence": 1, "report": 3, "cover-sheet": 2, "pull-list": 1, "media-list": 1, "manifest": 2}
    assert (kinds.pop("media", 0) > 5) == (to != "mixing-omf")
    # A list for each track that has anything.
    assert kinds.pop("cut-list") == 9 and kinds == papers
    shutil.rmtree(demo_alone.parent)
    assert told(capsys, "verify", str(out))[0] == 0
    cut = next(one for one in out.iterdir() if one.is_file())
    status, media = told(capsys, "media", str(cut), "--strict")
    assert status == 0, [one for one in media["media"] if one["status"] != "found"][:2]
    linked = [one["path"] for one in media["media"] if one["how"] != "inside"]
    assert all(one.startswith(str(out)) for one in linked) and bool(linked) == (to != "mixing-omf")
    document = read_file(cut)
    used = {
        one.content.media
        for sequence in document.sequences
        for one in sequence.items()
        if isinstance(one.content, MediaUse)
    }
    assert used
    listed_paths = {one["path"] for one in data["parts"]}
    assert {f"Papers/{NAME} {what}" for what in (
        "cover sheet.html", "cover sheet.pdf", "report.html", "report.pdf", "report.csv", "pull list.csv", "media list.csv"
    )} <= listed_paths  # fmt: skip


@pytest.mark.thorough
def test_a_package_of_several_tidied_for_another_place_in_a_zip(
    whole_demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out = tmp_path / "Kiln.zip"
    arguments = ["package", str(whole_demo / "kiln-night-reels.xml"), "--to", "editing-lane-xml"]
    arguments += ["--all-sequences", "--recipe", "Finishing", "--there", "/Volumes/Next room/Kiln"]
    status, data = told(capsys, *arguments, "--out", str(out), "--contact", "Ada <Quill>", "--mix", "none")
    assert status == 0 and data["there"] == "/Volumes/Next room/Kiln"
    assert len(data["sequences"]) > 1
    with zipfile.ZipFile(out) as opened:
        names = opened.namelist()
        (cuts,) = [name for name in names if name.endswith(".fcpxml")]
        written = opened.read(cuts)
        assert b"file:///Volumes/Next%20room/Kiln/Media/" in written
        assert [one.name for one in read_bytes(written).top_level] == [
            f"{one} finishing" for one in data["sequences"]
        ]
        (sheet,) = [name for name in names if name.endswith("cover sheet.html")]
        assert b"Ada &lt;Quill&gt;" in opened.read(sheet)
    assert told(capsys, "verify", str(out))[0] == 0
    # Each in its own where that is wanted, or the format is written so.
    arguments = ["package", str(whole_demo / "kiln-night-reels.xml"), "--all-sequences", "--mix", "none"]
    arguments += ["--media", "none", "--no-papers"]
    for to, more, why in (
        ("editing-lane-xml", ["--own-files"], ""),
        ("finishing-aaf", [], "AAF (.aaf) is written with one sequence a file"),
    ):
        status, data = told(capsys, *arguments, "--to", to, "--out", str(tmp_path / to), *more)
        files = [one["path"] for one in data["parts"] if one["part"] == "sequence"]
        assert status == 0 and data["apart"] == why and len(files) == len(data["sequences"]) > 2


def test_the_cover_sheet_says_what_arrives(whole_demo: Path, tmp_path: Path) -> None:
    document = read_file(whole_demo / CUT)
    cut = document.top_level[0]
    carried = carry_over(document, cut, find_destination("grading-lane-xml"))
    sheet = cover([carried], ["Kiln.fcpxml"], "Ada <Quill>", ["a.mov"], "2026-11-29")
    page = as_page(sheet).decode()
    root = etree.HTML(page)
    facts, tracks, work = (
        [[" ".join(cell.itertext()).strip() for cell in line] for line in table.iter("tr")]
        for table in root.iter("table")
    )
    assert facts[:4] == [
        ["frame size", "640×360"],
        ["rate", "25 fps, non-drop frame"],
        ["begins at", "01:00:00:00"],
        ["length", "00:06:00:00"],
    ]
    arrived = carried.returned.top_level[0]
    assert tracks[1:] == [
        [label, track.name, track.role or "", str(len(track.items))]
        for label, track in carried.made.document.sequences_by_id[cut.id].labelled_tracks()
    ]
    assert sum(int(line[3]) for line in tracks[1:]) == sum(len(one.items) for one in arrived.tracks)
    assert abs(sum(float(line[3]) for line in work[1:]) - carried.minutes) < 0.05
    assert "1 medium does not come along: a.mov" in page and "Ada &lt;Quill&gt;" in page
    (tmp_path / "cover.pdf").write_bytes(as_pdf(sheet))
    printed = QPdfDocument()
    printed.load(str(tmp_path / "cover.pdf"))
    words = " ".join(printed.getAllText(place).text() for place in range(printed.pageCount()))
    said = " ".join(words.split())
    assert "Questions: Ada <Quill>" in said and "1 medium does not come along: a.mov" in said
    for line in (*facts, *tracks, *work):
        assert " ".join(" ".join(line).split()) in said


def test_what_is_missing_stops_a_package_or_is_named_in_it(
    demo_alone: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (demo_alone.parent / "media/A003C012.mov").unlink()
    out = tmp_path / "out"
    arguments = ["package", str(demo_alone), "--to", "editing-lane-xml", "--out", str(out), "--mix", "none"]
    assert main(arguments) == 3
    said = capsys.readouterr().err
    assert "1 media are not there: A003C012.mov" in said and "--search" in said and not out.exists()
    status, data = told(capsys, *arguments, "--incomplete")
    assert status == 0 and data["missing"] == ["A003C012.mov"]
    assert "A003C012.mov" in (out / "Papers" / f"{NAME} cover sheet.html").read_text()
    shutil.rmtree(out)
    status, data = told(capsys, *arguments, "--media", "none", "--no-papers")
    assert status == 0 and [one["path"] for one in data["parts"]][:-2] == [f"{NAME}.fcpxml"]
    assert main([*arguments, "--there", "over/there"]) == 2
    # Files beside the sequence are named as seen from it, also where the other machine is of another kind.
    linked = ["package", str(demo_alone), "--to", "mixing-aaf-linked", "--out", str(tmp_path / "mix")]
    linked += ["--media", "none", "--mix", "none", "--no-papers"]
    assert main([*linked, "--incomplete", "--there", "E:\\Kiln"]) == 0
    with aaf2.open(str(tmp_path / "mix" / f"{NAME}.aaf")) as file:
        named = {
            locator["URLString"].value
            for mob in file.content.sourcemobs()
            for locator in (mob.descriptor["Locator"].value if "Locator" in mob.descriptor else ())
        }
    sound = {path.name for path in (tmp_path / "mix" / f"{NAME} media").iterdir()}
    assert len(sound) == 13
    for name in sound:
        assert f"./Kiln%20Night%20R1%20v7%20media/{name}" in named


@pytest.mark.parametrize(
    ("destination", "suffix", "spelled"),
    [("editing-lane-xml", ".fcpxml", ' src="'), ("archive-otio", ".otio", '"target_url": "')],
)
def test_a_package_stands_wherever_it_is_put(
    demo_alone: Path,
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    destination: str,
    suffix: str,
    spelled: str,
) -> None:
    arguments = ["package", str(demo_alone), "--to", destination, "--out", str(tmp_path / "out")]
    status, data = told(capsys, *arguments, "--mix", "none", "--no-papers", "--bake", "titles")
    assert status == 0 and data["there"] == "." and data["unexplained"] == 0
    shutil.rmtree(demo_alone.parent)
    far = tmp_path / "another room" / "50% wet & dry"
    far.parent.mkdir()
    (tmp_path / "out").rename(far)
    text = (far / f"{NAME}{suffix}").read_text()
    # One file that is used and one that was rendered, as seen from the file that names them.
    assert f"{spelled}./Media/A003C012.mov" in text
    assert f"{spelled}./Kiln%20Night%20R1%20v7%20media/" in text or destination == "archive-otio"
    assert str(tmp_path) not in text
    used = [one for one in read_file(far / f"{NAME}{suffix}").media if one.path]
    assert len(used) > 20 and all(Path(one.path or "").is_relative_to(far) for one in used)
    assert all(Path(one.path or "").is_file() or "%" in one.file_name for one in used)


def test_a_flipped_byte_is_an_exit_status(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    write(tmp_path / "out.zip", parts_of(tmp_path), "out", NOON, quiet)
    data = bytearray((tmp_path / "out.zip").read_bytes())
    data[6_000_000] ^= 4
    (tmp_path / "out.zip").write_bytes(data)
    status, found = told(capsys, "verify", str(tmp_path / "out.zip"))
    assert status == 1 and found["counts"]["changed"] == 1 and found["whole"] is False
    assert (found["missing"], found["changed"], found["extra"]) == ([], ["Media/source.mov"], [])
    assert found["differences"][0]["path"] == "Media/source.mov"
    assert main(["verify", str(tmp_path / "source.mov")]) == 3
    assert main(["verify", str(tmp_path / "gone")]) == 3
    assert "Traceback" not in capsys.readouterr().err


@pytest.mark.parametrize("target", ["out", "out.zip"])
def test_a_copy_that_reads_back_otherwise_is_no_package(
    tmp_path: Path, target: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    parts = parts_of(tmp_path)
    monkeypatch.setattr("wexodos.turnover.package.behind.sum_of", lambda *_, **__: "00")
    with pytest.raises(WriteError, match="read back differs"):
        write(tmp_path / target, parts[2:], "out", NOON, quiet)
    assert not (tmp_path / target).exists()


def test_only_what_is_new_goes_a_second_time(
    demo_alone: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    arguments = ["package", str(demo_alone), "--to", "editing-lane-xml", "--no-papers", "--mix", "none"]
    status, first = told(capsys, *arguments, "--out", str(tmp_path / "first"))
    assert status == 0 and first["there_already"] == []
    # One file is longer now, although it says it was not changed; one was only touched: both go again.
    media = demo_alone.parent / "media"
    moment = (media / "AMB_yard.wav").stat().st_mtime_ns
    before = {one["path"]: one for one in first["parts"]}
    (media / "AMB_yard.wav").write_bytes((media / "AMB_yard.wav").read_bytes() + b"more")
    os.utime(media / "AMB_yard.wav", ns=(moment, moment))
    os.utime(media / "VO_04.wav", (1_700_000_000, 1_700_000_000))
    again = [*arguments, "--since", str(tmp_path / "first")]
    status, second = told(capsys, *again, "--out", str(tmp_path / "second"))
    assert status == 0 and second["there"] == "."
    gone = {one["path"] for one in second["parts"] if one["part"] == "media"}
    assert gone == {"Media/AMB_yard.wav", "Media/VO_04.wav"}
    assert len(second["there_already"]) == sum(one["part"] == "media" for one in before.values()) - 2
    assert told(capsys, "verify", str(tmp_path / "second"))[0] == 0
    # Copied over the first one everything is found where the sequence says.
    shutil.copytree(tmp_path / "second", tmp_path / "first", dirs_exist_ok=True)
    shutil.rmtree(demo_alone.parent)
    status, found = told(capsys, "media", str(tmp_path / "first" / f"{NAME}.fcpxml"), "--strict")
    assert status == 0 and {one["how"] for one in found["media"]} == {"written"}
    assert main([*again[:-1], str(tmp_path / "nowhere"), "--out", str(tmp_path / "third")]) == 3


def test_a_job_wants_its_package_as_it_was_decided_and_remembers_it(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    short = tmp_path / "short.edl"
    short.write_text(
        "TITLE: SHORT\n* FRAME RATE: 25\n\n"
        "001  AX       B     C        10:00:00:20 10:00:01:10 01:00:00:00 01:00:00:15\n"
        "* FROM CLIP NAME: kiln.mov\n"
    )
    cut = read_file(short)
    package = {"media": "none", "mix": "mono", "contact": "Ada Quill", "papers": "yes"}
    now = Decisions(sequence=cut.top_level[0].id, destination="editing-lane-xml", package=package)
    job, out = tmp_path / "kiln.wexo", tmp_path / "out"
    save(Job(str(short), now), job)
    rest = ["--to", "editing-lane-xml", "--incomplete"]
    status, data = told(capsys, "package", str(job), *rest, "--out", str(out))
    assert status == 0
    kinds = [one["part"] for one in data["parts"]]
    assert "media" not in kinds and kinds.count("guide-mix") == 1 and "reference-picture" not in kinds
    (mix,) = [out / one["path"] for one in data["parts"] if one["part"] == "guide-mix"]
    assert soundfile.info(mix).channels == 1
    assert "Ada Quill" in next((out / "Papers").glob("*cover sheet.html")).read_text(encoding="utf-8")
    assert load(job).packages == (str(out),)
    # What is said goes before, and is not decided by that.
    said = ["--mix", "none", "--no-papers"]
    status, data = told(capsys, "package", str(job), *rest, *said, "--out", str(tmp_path / "second"))
    assert status == 0 and {one["part"] for one in data["parts"]} == {"sequence", "manifest"}
    assert load(job).packages == (str(tmp_path / "second"), str(out)) and load(job).now == now
    # A window that has the job would write over it.
    lock = JobLock(job)
    assert lock.take()
    assert main(["package", str(job), *rest, *said, "--out", str(tmp_path / "third")]) == 0
    lock.release()
    assert "does not remember this package" in capsys.readouterr().err
    assert len(load(job).packages) == 2
    # Of nothing that was decided it is what the destination proposes: in sync with something to look at.
    save(Job(str(short), Decisions(sequence=cut.top_level[0].id, package={"height": "90"})), job)
    grade = ["--to", "grading-lane-xml", "--media", "none", "--incomplete", "--no-papers"]
    status, data = told(capsys, "package", str(job), *grade, "--out", str(tmp_path / "grade"))
    assert status == 0 and {"reference-picture", "guide-mix"} <= {one["part"] for one in data["parts"]}


def test_a_job_goes_as_it_was_decided(
    demo_alone: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    cut, folder = read_file(demo_alone), tmp_path / "elsewhere"
    folder.mkdir()
    (demo_alone.parent / "media" / "A003C012.mov").rename(folder / "renamed.mov")
    named = next(one for one in cut.media if one.file_name == "A003C012.mov")
    now = Decisions(
        sequence=cut.top_level[0].id,
        by_kind={"title": "leave"},
        links={key_of(named): str(folder / "renamed.mov")},
        tidy=(Chosen("duplicate", options={"name": "{name} sent"}),),
    )
    job = tmp_path / "kiln.wexo"
    save(Job(str(demo_alone), now), job)
    rest = ["--to", "grading-lane-xml", "--mix", "none", "--reference", "none", "--no-papers"]
    status, data = told(capsys, "package", str(job), *rest, "--out", str(tmp_path / "out"))
    assert status == 0, data
    assert status == 0 and data["missing"] == [] and data["unexplained"] == 0
    sources = [one["source"] for one in data["parts"] if one["part"] == "media"]
    assert str(folder / "renamed.mov") in sources
    titles = {one["fate"] for one in data["reports"][0]["findings"] if one["kind"] == "title"}
    assert titles == {"left behind"}
    assert [one["path"] for one in data["parts"] if one["part"] == "sequence"] == [f"{NAME} sent.fcpxml"]
    # What is said beside it is added: stills are where only the command line says, speeds are rendered.
    (demo_alone.parent / "media" / "A003C015.mov").rename(folder / "A003C015.mov")
    more = ["--search", str(folder), "--bake", "speeds"]
    status, data = told(capsys, "package", str(job), *rest, *more, "--out", str(tmp_path / "more"))
    fates = {(one["kind"], one["fate"]) for one in data["reports"][0]["findings"]}
    assert status == 0 and data["missing"] == []
    assert ("title", "left behind") in fates and ("speed", "baked") in fates
    # The file by itself has nothing of that.
    assert told(capsys, "package", str(demo_alone), *rest, "--out", str(tmp_path / "plain"))[0] == 3
