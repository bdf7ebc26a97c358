"""Finding media: the demo on a bad day, found, asked or named, exactly."""

from __future__ import annotations

import json
import os
import shutil
import struct
import sys
import unicodedata
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from picture.makers import RATE, Stage, movie, pattern
from wexodos.carryover import carry_over
from wexodos.cli import main
from wexodos.demo.build import CUT
from wexodos.demo.scatter import (
    AS_WRITTEN,
    COPIED,
    CUT_OFF,
    GONE,
    OTHER_RATE,
    RENAMED,
    SEQUENCE,
    SHORT,
    SPANNED,
    TABLE,
    TWICE,
)
from wexodos.destinations import find_destination
from wexodos.evaluate import Evaluator
from wexodos.evaluate.prints import differing, prints
from wexodos.formats import read_file
from wexodos.media import (
    Probes,
    Problem,
    Row,
    Rules,
    Scanner,
    find,
    misfits,
    of_all,
    probe,
    relinked,
    swap,
    used_by,
)
from wexodos.media.match import decided, weigh
from wexodos.media.needs import Need, needs, needs_of
from wexodos.media.scan import bare
from wexodos.media.search import key_of, mapped
from wexodos.model import (
    Angle,
    Angles,
    Constant,
    Document,
    Item,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Sound,
    Track,
    constant,
    curve,
)
from wexodos.picture import Frames, PictureError
from wexodos.report import render, report_data
from wexodos.sound.decode import facts
from wexodos.sound.errors import SoundError
from wexodos.sound.heads import wave_head


@pytest.fixture
def tools(tmp_path: Path) -> tuple[Probes, Scanner]:
    return Probes(tmp_path / "probes.sqlite"), Scanner(tmp_path / "folders.msgpack")


def rows_of(
    path: Path,
    tools: tuple[Probes, Scanner],
    rules: Rules | None = None,
    chosen: dict[str, str] | None = None,
    seen: dict[str, str] | None = None,
) -> dict[str, Row]:
    document = read_file(path)
    found = find(document, [document.top_level[0]], path, rules or Rules(), chosen or {}, *tools, seen=seen)
    return {row.media.file_name: row for row in found}


# ---- the scenario


def test_a_bad_day_is_found_asked_or_named(bad_day: Path, tools: tuple[Probes, Scanner]) -> None:
    store = bad_day.parent.parent / "store"
    first = rows_of(bad_day, tools)
    assert sum(row.status == "found" for row in first.values()) == 7 and len(first) == 23
    assert all(row.status == "missing" and not row.asked for row in first.values() if row.path is None)

    rows = rows_of(bad_day, tools, Rules(folders=(str(store),)))
    assert {
        name: row.path.name for name, row in rows.items() if row.path is not None and row.path.name != name
    } == RENAMED
    assert rows[COPIED].status == "found" and not rows[COPIED].asked
    assert len({one.path for one in rows[COPIED].candidates}) == 2
    assert (rows[TABLE].status, rows[TABLE].facts.form) == ("found", "table, 9³ points")
    night = rows[AS_WRITTEN[SPANNED]]
    assert night.status == "found" and night.facts.parts == ("A001C003_001.mov", "A001C003_002.mov")
    assert night.facts.length == 24
    ember = rows[AS_WRITTEN[SEQUENCE]]
    assert (
        ember.problems[0].words == "of its files these are missing: 1212 to 1215"
        and ember.facts.frames == 600
    )
    assert rows[TWICE].asked and rows[TWICE].path is None
    assert [one.score for one in rows[TWICE].candidates] == [rows[TWICE].candidates[0].score] * 2
    assert {one.path.parent.name for one in rows[TWICE].candidates} == {"cards", "safety"}
    assert {name: row.status for name, row in rows.items() if row.status != "found"} == {
        TWICE: "missing",
        AS_WRITTEN[SEQUENCE]: "with gaps",
        CUT_OFF: "damaged",
        SHORT: "wrong length",
        OTHER_RATE: "wrong rate",
        GONE: "missing",
    }
    assert rows[GONE].candidates == []
    assert "24 fps there, 25 in the cut" in rows[OTHER_RATE].problems[0].words
    assert rows["B001C004.mov"].candidates[0].reasons[0].words == "another name"

    picked = {key_of(rows[TWICE].media): str(rows[TWICE].candidates[1].path)}
    again = rows_of(bad_day, tools, Rules(folders=(str(store),)), picked)
    assert again[TWICE].how == "chosen" and again[TWICE].path == rows[TWICE].candidates[1].path


def test_the_command_line_finds_relinks_and_lists_nothing_missing(
    bad_day: Path, whole_demo: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder = bad_day.parent.parent
    assert main(["media", str(bad_day), "--json"]) == 0
    before = json.loads(capsys.readouterr().out)
    assert before["counts"] == {"found": 7, "missing": 16}
    assert main(["media", str(bad_day), "--strict"]) == 1
    # Now what cannot be found at all comes back, and a person answers the question.
    shutil.copy(whole_demo / "media" / GONE, folder / "store")
    capsys.readouterr()
    answer = folder / "store" / "day one" / "cards" / TWICE
    out = folder / "relinked.xml"
    arguments = [
        "relink",
        str(bad_day),
        "--search",
        str(folder / "store" / "day one"),
        str(folder / "store"),
        "--out",
        str(out),
        "--choose",
        f"{TWICE}={answer}",
    ]
    assert main([*arguments, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["counts"]["missing"] == 0
    # What writing it anew does to the cut is said as well.
    assert [(one["kind"], one["fate"]) for one in told["written"]["findings"]] == [("angles", "adapted")]
    assert main(["media", str(out), "--json"]) == 0
    after = json.loads(capsys.readouterr().out)
    assert after["counts"]["missing"] == 0 and all(
        row["path"] == row["written"] for row in after["media"] if row["name"] != TABLE
    )
    assert {row["name"] for row in after["media"] if row["status"] == "damaged"} == {CUT_OFF}
    one = next(row for row in after["media"] if row["name"] == "A003C012.mov")
    assert one["file"]["start"] == "10:00:00:00" and one["reel"] == "A003" and len(one["uses"]) > 10
    assert read_file(bad_day).media != read_file(out).media


def test_the_demo_as_it_is_has_nothing_missing_and_names_what_will_not_fit(
    whole_demo: Path, tools: tuple[Probes, Scanner]
) -> None:
    rows = rows_of(whole_demo / CUT, tools)
    assert {row.status for row in rows.values()} == {"found"} and {row.how for row in rows.values()} == {
        "written"
    }
    sequence = read_file(whole_demo / CUT).top_level[0]
    told = misfits([(row.need, row.facts) for row in rows.values()], sequence, None)
    assert [(one.kind, one.media) for one in told] == [
        ("rate", "D001C001.mov"),
        ("frame size", "E001C002.mov"),
    ]
    # The report says it too; a turnover of sound has no frames to resize.
    for name, media in (("grading-lane-xml", ["D001C001.mov", "E001C002.mov"]), ("mixing-lane-xml", [])):
        carried = carry_over(read_file(whole_demo / CUT), sequence, find_destination(name))
        data = report_data(carried, CUT, ["out"])
        assert [one["media"] for one in data["will_not_fit"]] == media
        page = render(data, ".html").decode()
        assert all(page.count(one) >= 1 for one in media) and ("Will be resized" in page) == bool(media)
    sixteen = find_destination("mixing-aaf-embedded")
    sixteen = replace_turnover(sixteen, bits=16, sample_rate=44100)
    told = misfits([(row.need, row.facts) for row in rows.values()], sequence, sixteen)
    assert {one.media for one in told if one.kind == "bit depth"} == {"VO_04.wav", "QUILL_01.wav"}
    assert sum(one.kind == "sample rate" for one in told) == sum(row.need.sound for row in rows.values())


def replace_turnover(destination, **changes):  # type: ignore[no-untyped-def]
    import msgspec

    return msgspec.structs.replace(
        destination, turnover=msgspec.structs.replace(destination.turnover, **changes)
    )


# ---- where to look


def test_volumes_that_are_elsewhere() -> None:
    maps = (("/Volumes/Kiln", "/mnt/kiln"), (r"D:\Media", "/mnt/d"))
    assert mapped("/Volumes/Kiln/a/b.mov", maps) == "/mnt/kiln/a/b.mov"
    assert mapped("/Volumes/KilnTwo/b.mov", maps) == "/Volumes/KilnTwo/b.mov"
    assert mapped(r"D:\Media\day one\b.mov", maps) == "/mnt/d/day one/b.mov"
    assert mapped("/elsewhere/b.mov", maps) == "/elsewhere/b.mov"


def test_mapped_and_near_files_are_found(
    whole_demo: Path, tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    cut = tmp_path / "project" / "cuts" / "v7" / CUT
    cut.parent.mkdir(parents=True)
    text = (
        (whole_demo / CUT).read_text().replace(str((whole_demo / "media").resolve()), "/Volumes/Kiln/media")
    )
    cut.write_text(text)
    rows = rows_of(cut, tools, Rules(maps=(("/Volumes/Kiln", str(whole_demo)),)))
    assert {row.how for row in rows.values()} == {"mapped"}
    shutil.copytree(whole_demo / "media", tmp_path / "project" / "media")
    assert {row.how for row in rows_of(cut, tools).values()} == {"near"}
    assert {row.status for row in rows_of(cut, tools, Rules(up=0)).values()} == {"missing"}


@given(
    st.sampled_from(["A003C012", "kiln map", "B001_C004", "scene.12"]),
    st.sampled_from(["", " copy", " copy 2", "_1", " (3)", "-2", "_proxy", " 07"]),
    st.sampled_from([".mov", ".MXF", ".wav"]),
)
def test_what_a_copy_adds_to_a_name_does_not_count(stem: str, more: str, suffix: str) -> None:
    assert bare(f"{stem}{more}{suffix}") == bare(f"{stem.upper()}.mov")


def test_names_that_are_nothing_but_numbers_stay() -> None:
    assert bare("12.mov") == "12" and bare("A003C012.mov") != bare("A003C013.mov") and bare("_1.mov") == "_1"


def test_a_scan_sees_new_files_follows_no_circles_and_remembers(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = tmp_path / "store"
    for number in range(40):
        folder = root / f"f{number % 5}" / f"g{number}"
        folder.mkdir(parents=True)
        (folder / f"clip{number}.mov").write_bytes(b"x")
        (folder / f"notes{number}.txt").write_bytes(b"x")
    (root / "round").symlink_to(root, target_is_directory=True)
    scanner = Scanner(tmp_path / "kept.msgpack")
    assert scanner.scan([root, root]).count == 40
    new = root / "f0" / "g0" / "late.wav"
    new.write_bytes(b"x")
    os.utime(new.parent, ns=(1, 1))
    again = Scanner(tmp_path / "kept.msgpack").scan([root, tmp_path / "nowhere"])
    assert (
        again.count == 41
        and again.named("LATE.WAV") == [new]
        and again.like("clip7_1.mxf") == [root / "f2" / "g7" / "clip7.mov"]
    )
    (tmp_path / "kept.msgpack").write_bytes(b"rubbish")
    assert Scanner(tmp_path / "kept.msgpack").scan([root]).count == 41

    for folder in (root, *(one for one in root.rglob("*") if one.is_dir() and not one.is_symlink())):
        os.utime(folder, (1000, 1000))
    Scanner(tmp_path / "kept.msgpack").scan([root])
    monkeypatch.setattr("wexodos.media.scan._read", None)
    assert Scanner(tmp_path / "kept.msgpack").scan([root]).count == 41

    def stop(_what: str, _share: float) -> None:
        raise KeyboardInterrupt

    monkeypatch.undo()
    with pytest.raises(KeyboardInterrupt):
        Scanner(tmp_path / "other.msgpack").scan([root], stop)


# ---- what files say


def test_accents_may_be_spelled_otherwise_on_disk(tmp_path: Path, tools: tuple[Probes, Scanner]) -> None:
    stage = Stage(tmp_path)
    one, two = stage.movie("glühen", [pattern()] * 40), stage.movie("späne", [pattern(3)] * 40)
    (tmp_path / "far").mkdir()
    (tmp_path / "späne.mov").rename(tmp_path / "far" / "späne.mov")
    stage.media = [
        replace(media, path=unicodedata.normalize("NFD", media.path or "")) for media in (one, two)
    ]
    document, cut = stage.cut(tuple(stage.item(media, 20 * n, 20) for n, media in enumerate(stage.media)))
    rows = find(
        document,
        [cut],
        tmp_path / "cut.xml",
        Rules(0),
        {},
        *tools,
    )
    assert [(row.how, row.status, row.path) for row in rows] == [
        ("written", "found", tmp_path / "glühen.mov"),
        ("near", "found", tmp_path / "far" / "späne.mov"),
    ]


def test_a_pipe_among_the_files_is_not_waited_for(tmp_path: Path) -> None:
    (tmp_path / "a.mov").write_bytes(b"")
    os.mkfifo(tmp_path / "b.mov")
    assert [path.name for path in Scanner(tmp_path / "kept.msgpack").scan([tmp_path]).all()] == ["a.mov"]


def test_facts_of_pictures_sounds_and_stills(tmp_path: Path) -> None:
    path = tmp_path / "a.mov"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("mpeg4", rate=Fraction(30000, 1001))
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        stream.metadata["timecode"], stream.metadata["reel_name"] = "01:00:00;02", "K7"
        for number in range(10):
            frame = av.VideoFrame.from_ndarray(np.full((48, 64, 3), number, np.uint8), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1001, 30000)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    facts = probe(path)
    assert (facts.rate, facts.width, facts.height, facts.length, facts.timecode, facts.drop_frame) == (
        "30000/1001",
        64,
        48,
        Fraction(1001, 3000),
        "01:00:00;02",
        True,
    )
    sound = tmp_path / "b.wav"
    with sound.open("wb") as file:
        file.write(wave_head(48000, 48000, 24, 48000 * 3600, "b"))
        file.write(bytes(48000 * 3))
    facts = probe(sound)
    assert (facts.sample_rate, facts.sample_bits, facts.channels, facts.length, facts.start_seconds) == (
        48000,
        24,
        1,
        1,
        3600,
    )
    bad = tmp_path / "c.png"
    bad.write_bytes(b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + b"IHDR" + bytes(13))
    for broken in (bad, tmp_path / "gone.mov", tmp_path):
        assert probe(broken).problem
    # Cut off behind its index, where it is at the front: the frames it promises are not there.
    front = tmp_path / "d.mov"
    movie(front, [pattern(number) for number in range(40)])
    with (
        av.open(str(front)) as source,
        av.open(str(tmp_path / "e.mov"), "w", options={"movflags": "faststart"}) as target,
    ):
        out = target.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(source.streams.video[0]):
            if packet.dts is not None:
                packet.stream = out
                target.mux(packet)
    data = (tmp_path / "e.mov").read_bytes()
    assert not probe(tmp_path / "e.mov").problem
    (tmp_path / "f.mov").write_bytes(data[: len(data) * 7 // 10])
    assert "cut off" in probe(tmp_path / "f.mov").problem


def test_codings_that_nobody_knows_are_named(tmp_path: Path) -> None:
    path = movie(tmp_path / "a.mov", [pattern(number) for number in range(3)])
    path.write_bytes(path.read_bytes().replace(b"png ", b"zzzz"))
    assert probe(path).problem
    with pytest.raises(PictureError, match=r"a\.mov"):
        Frames().frame(path, 0, Fraction(25), False)
    with pytest.raises(SoundError, match=r"a\.mov"):
        facts(path)


def test_what_was_probed_is_kept_until_the_file_changes(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "a.wav"
    soundfile.write(path, np.zeros(48000), 48000)
    Probes(tmp_path / "kept.sqlite").of(path)
    asked: list[Path] = []
    monkeypatch.setattr(sys.modules[Probes.__module__], "probe", lambda one: asked.append(one) or probe(one))
    again = Probes(tmp_path / "kept.sqlite")
    assert again.of(path).seconds == "1" and asked == []
    soundfile.write(path, np.zeros(96000), 48000)
    assert again.of(path).seconds == "2" and asked == [path]
    (tmp_path / "bad.sqlite").write_bytes(b"no database at all, but long enough to be taken for one" * 40)
    assert Probes(tmp_path / "bad.sqlite").of(path).seconds == "2"


# ---- weighing


def need(**more: object) -> Need:
    facts = {
        "rate": RATE,
        "start": 90_000,
        "duration": 1000,
        "width": 64,
        "height": 32,
        "video": True,
        "reel": "A1",
    }
    return Need(
        Media("m", "A1C1.mov", "/gone/A1C1.mov", **{**facts, **more}),
        Fraction(10),
        Fraction(20),
        picture=True,
    )  # type: ignore[arg-type]


def test_reasons_for_and_against(tmp_path: Path) -> None:
    from wexodos.media.probe import Probed

    def facts(**more: object) -> Probed:
        return Probed(
            **{
                "path": "x",
                "size": 1,
                "changed": 1,
                "video": True,
                "seconds": "40",
                "rate": "25",
                "width": 64,
                "height": 32,
                "start": 90_250,
                "reel": "A1",
                **more,
            }
        )  # type: ignore[arg-type]

    right = weigh(need(), Path("/s/A1C1.mov"), facts())
    assert right.score == 60 + 15 + 30 + 10 + 5 + 5 and decided([right]) is right
    take = weigh(need(), Path("/s/A1C1.mov"), facts(start=900_000))
    assert take.score < 50 and any("lies elsewhere" in one.words for one in take.reasons)
    # A start of nought, in the cut or in the file, is no sign against it.
    for one in (
        weigh(need(start=0), Path("/s/A1C1.mov"), facts()),
        weigh(need(), Path("/s/A1C1.mov"), facts(start=0)),
    ):
        assert decided([one]) is one and not any("timecode" in reason.words for reason in one.reasons)
    other = weigh(need(), Path("/s/other.mov"), facts())
    assert decided([other]) is other and decided([right, other]) is right
    assert decided([right, weigh(need(), Path("/t/A1C1.mov"), facts())]) is None
    assert (
        decided([weigh(need(), Path("/s/A1C1.wav"), facts(video=False, rate="", width=0, audio=True))])
        is None
    )
    short = weigh(need(start=None), Path("/s/A1C1.mov"), facts(start=None, seconds="15", reel=""))
    assert any("5.0 s too short" in one.words for one in short.reasons)
    # The only file of the name is taken and what is wrong with it said; a whole one beside it goes before it.
    bare = need(start=None, reel=None, width=None, rate=None)
    cut_off, full = (
        weigh(bare, Path(f"/{place}/A1C1.mov"), facts(start=None, seconds=seconds, reel=""))
        for place, seconds in (("s", "15"), ("t", "30"))
    )
    assert decided([cut_off]) is cut_off and decided([cut_off, full]) is full
    unsaid = weigh(need(), Path("/s/A1C1.mov"), facts(start=None, seconds="15"))
    assert any("too short" in one.words for one in unsaid.reasons)


def test_a_file_that_changed_is_named(
    whole_demo: Path, tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    rows = rows_of(whole_demo / CUT, tools)
    path = str(rows["VO_04.wav"].path)
    again = rows_of(whole_demo / CUT, tools, seen={path: "1:1"})
    assert {name for name, row in again.items() if row.status == "changed"} == {"VO_04.wav"}


# ---- other files behind the same cut


def test_camera_originals_go_behind_the_cut_and_back(tmp_path: Path, tools: tuple[Probes, Scanner]) -> None:
    originals, copies = tmp_path / "originals", tmp_path / "copies"
    originals.mkdir()
    copies.mkdir()
    stage = Stage(copies)
    cases = {
        "good": (128, 64, 25),
        "rate": (128, 64, 24),
        "shape": (100, 100, 25),
        "short": (128, 64, 25),
        "lone": (0, 0, 0),
    }
    for key, (wide, tall, fps) in cases.items():
        stage.movie(key, [pattern(number) for number in range(50)])
        if wide:
            count = 12 if key == "short" else 50
            movie(
                originals / f"{key}.mov",
                [pattern(number, wide, tall) for number in range(count)],
                Fraction(fps),
            )
    items = [
        stage.item(
            media, 20 * number, 20, 5, motion=Motion(position=constant(3, 2), scale=constant(0.5, 0.5))
        )
        for number, media in enumerate(stage.media)
    ]
    items[0] = replace(items[0], motion=Motion(scale=curve([(0, (1.0, 1.0)), (10, (0.5, 0.5))])))
    whole = stage.cut(tuple(items))
    there = swap(*whole, [originals], *tools)
    assert [(media.id, path.name) for media, path in there.pairs] == [("good", "good.mov")]
    why = {one.media.id: one.why for one in there.unmatched}
    assert "another rate: 24 instead of 25" in why["rate"] and "another shape" in why["shape"]
    assert "it ends after 0.48 s" in why["short"] and why["lone"] == "there is no file of this name"
    new = there.document.media_by_id["good"]
    assert (new.path, new.width, new.proxy_path) == (str(originals / "good.mov"), 128, stage.media[0].path)
    one, two = (prints(Evaluator(made), made.sequences[0]).picture for made in (whole[0], there.document))
    assert differing(one, two) == []
    home = swap(there.document, there.document.sequences[0], [copies], *tools)
    assert ("good", "good.mov") in [(media.id, path.name) for media, path in home.pairs]
    assert differing(one, prints(Evaluator(home.document), home.document.sequences[0]).picture) == []
    assert home.document.media_by_id["good"].path == stage.media[0].path


def test_an_original_of_the_same_name_and_length_but_another_timecode_is_another_take(
    tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    class Labelled(Probes):
        start = 0

        def many(self, paths):  # type: ignore[no-untyped-def]
            return {path: replace_struct(one, start=self.start) for path, one in super().many(paths).items()}

    (tmp_path / "cards").mkdir()
    stage = Stage(tmp_path)
    media = replace(stage.movie("a", [pattern()] * 50), start=90_000)
    stage.media[0] = media
    movie(tmp_path / "cards" / "a.mov", [pattern()] * 50)
    whole = stage.cut((stage.item(media, 0, 10, 30),))
    probes = Labelled(tmp_path / "labelled.sqlite")
    for start, why, moved in (
        (180_000, "its timecode does not cover what is used", 30),
        (90_000, "", 30),
        (90_010, "", 20),
        (0, "", 30),
    ):
        probes.start = start
        made = swap(*whole, [tmp_path / "cards"], probes, tools[1])
        assert [one.why for one in made.unmatched] == ([f"a.mov: {why}"] if why else [])
        assert Evaluator(made.document).range(made.document.sequences[0]).picture[0].source_frame[0] == moved


def test_a_file_where_the_cut_says_is_taken_as_it_is_however_it_is_labelled(
    tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    """Many writers put a start of nought into the cut, whatever the file says of itself."""
    stage = Stage(tmp_path)
    path = tmp_path / "rec.wav"
    with path.open("wb") as file:
        file.write(wave_head(96000, 48000, 24, 48000 * 3600, "rec"))
        file.write(bytes(96000 * 3))
    stage.media.append(
        Media(
            "rec",
            "rec.wav",
            str(path),
            start=0,
            duration=50,
            rate=RATE,
            sample_rate=48000,
            channels=1,
            audio=True,
        )
    )
    document, sequence = stage.cut((stage.item(stage.media[0], 0, 10, 30),))
    rows = find(document, [sequence], tmp_path / "cut.xml", Rules(0), {}, *tools)
    assert rows[0].facts is not None and rows[0].facts.start_seconds == 3600
    assert relinked(document, rows) is document
    rows[0].how = "chosen"
    assert relinked(document, rows) is document
    audio = replace(
        sequence.tracks[0],
        kind="audio",
        items=(replace(sequence.tracks[0].items[0], motion=None, sound=Sound((1,))),),
    )
    heard = replace(sequence, tracks=(audio,))
    found = find(replace(document, sequences=(heard,)), [heard], tmp_path / "cut.xml", Rules(0), {}, *tools)
    assert found[0].status == "found"


def test_a_file_that_begins_elsewhere_shows_the_same_timecode(
    tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    stage = Stage(tmp_path)
    media = replace(stage.movie("a", [pattern()] * 50), start=1000)
    stage.media[0] = media
    for speed in (Constant(1), Constant(-1)):
        document, sequence = stage.cut((stage.item(media, 0, 10, 30, speed=speed),))
        row = Row(
            needs(document, sequence)[0],
            tmp_path / "other.mov",
            "searched",
            replace_struct(probe(tmp_path / "a.mov"), start=1010, seconds="1.2"),
        )
        made = relinked(document, [row])
        new = made.media_by_id["a"]
        assert (new.start, new.duration, new.path) == (1010, 30, str(tmp_path / "other.mov"))

        def codes(one: Document) -> list[int]:
            span = Evaluator(one).range(one.sequences[0]).picture[0]
            return [int(frame) + (span.media.start or 0) for frame in span.source_frame]

        assert codes(document) == codes(made)


def test_only_the_angle_of_the_file_that_begins_elsewhere_moves(
    tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    stage = Stage(tmp_path)
    media = replace(stage.movie("a", [pattern()] * 50), start=1000)
    other = stage.movie("b", [pattern(1)] * 50)
    stage.media[0] = media
    angles = Angles(
        (Angle("one", "One", "a", offset=Fraction(-2, 25)), Angle("two", "Two", "b")), "one", None
    )
    item = replace(stage.item(media, 0, 10, 30), content=angles)
    for seen, by in (("one", -10), ("two", 0)):
        document, sequence = stage.cut(
            (replace(item, content=replace(angles, video=seen)), stage.item(media, 10, 10, 30))
        )
        rows = [
            Row(
                need,
                tmp_path / "other.mov",
                "searched",
                replace_struct(probe(tmp_path / "a.mov"), start=1010, seconds="1.2"),
            )
            for need in needs(document, sequence)
            if need.media.id == "a"
        ]
        made = relinked(document, rows)
        before, after = (
            Evaluator(one).range(one.sequences[0]).picture[0].source_frame[0] for one in (document, made)
        )
        assert after - before == by
    assert other.start == 0


def replace_struct(value, **changes):  # type: ignore[no-untyped-def]
    import msgspec

    return msgspec.structs.replace(value, **changes)


def test_several_cuts_need_each_medium_once_and_as_far_as_any_of_them(
    tools: tuple[Probes, Scanner], tmp_path: Path
) -> None:
    stage = Stage(tmp_path)
    media = tuple(
        Media(f"m{place}", f"{name}.mov", str(tmp_path / f"{name}.mov"), duration=300, rate=RATE, video=True)
        for place, name in enumerate("ABC")
    )
    first = replace(
        stage.cut((stage.item(media[0], 0, 50, 100), stage.item(media[1], 50, 20, 0)))[1], id="r1"
    )
    second = replace(
        stage.cut((stage.item(media[2], 0, 10, 0), stage.item(media[0], 10, 30, 40)))[1], id="r2"
    )
    document = Document("xmeml", "5", (first, second), media)
    found = needs_of(document, [first, second])
    assert [need.media.name for need in found] == ["A.mov", "B.mov", "C.mov"]
    # A: from frame 40 for the second to frame 150 for the first, at 25 frames a second.
    assert (found[0].low, found[0].high) == (Fraction(40, 25), 6)
    assert [use.sequence for use in found[0].uses] == ["r1", "r2"]
    assert [(need.low, need.high) for need in needs_of(document, [second, second])] == [
        (0, Fraction(2, 5)),
        (Fraction(40, 25), Fraction(70, 25)),
    ]
    rows = find(document, [first, second], tmp_path / "cut.xml", Rules(0), {}, *tools)
    assert [(row.media.name, row.status) for row in rows] == [(f"{name}.mov", "missing") for name in "ABC"]
    (one, *_), (_, other) = (
        find(document, [cut], tmp_path / "cut.xml", Rules(0), {}, *tools) for cut in (first, second)
    )
    one.problems = (Problem("wrong rate", "24"), Problem("changed", "since"))
    other.problems = (Problem("missing", "gone"), Problem("changed", "too"))
    (both,) = of_all([[one], [other]])
    assert [(problem.status, problem.words) for problem in both.problems] == [
        ("missing", "gone"),
        ("wrong rate", "24"),
        ("changed", "since"),
    ]
    assert (both.need.low, both.need.high) == (Fraction(40, 25), 6) and len(both.need.uses) == 2
    other.path = tmp_path / "elsewhere.mov"
    assert len(of_all([[one], [other]])) == 2


def test_several_cuts_need_the_channels_of_all(tmp_path: Path) -> None:
    media = Media("m", "K.wav", "/k/K.wav", duration=300, rate=RATE, channels=4, audio=True)
    cuts = [
        Sequence(
            f"r{channel}",
            "Kiln",
            RATE,
            tracks=(Track(kind, (Item(f"i{channel}", "K", 0, 50, MediaUse("m"), sound=Sound((channel,))),)),),
        )
        for channel, kind in ((3, "audio"), (1, "audio"), (2, "video"))
    ]
    (need,) = needs_of(Document("xmeml", "5", tuple(cuts), (media,)), cuts)
    assert need.channels == {1, 3} and need.picture and need.sound
    (only,) = needs_of(Document("xmeml", "5", tuple(cuts), (media,)), cuts[:1])
    assert only.channels == {3} and not only.picture


def test_what_is_made_for_the_turnover_is_no_medium_to_be_found(
    tools: tuple[Probes, Scanner], tmp_path: Path
) -> None:
    media = tuple(
        Media(key, f"{key}.mov", str(tmp_path / f"{key}.mov"), duration=300, rate=RATE, video=True)
        for key in ("shot", "made")
    )
    stage = Stage(tmp_path)
    _, cut = stage.cut(tuple(stage.item(one, 50 * place, 50) for place, one in enumerate(media)))
    document = Document("xmeml", "5", (cut,), media)
    rows = find(document, [cut], tmp_path / "cut.xml", Rules(0), {}, *tools)
    assert [row.media.id for row in used_by(document, cut, rows, {}, set(), tools[0])] == ["shot", "made"]
    assert [row.media.id for row in used_by(document, cut, rows, {}, {"made"}, tools[0])] == ["shot"]
