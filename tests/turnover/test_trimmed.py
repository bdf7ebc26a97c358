"""Media cut down to what is used: every frame and sample of it is that of the source, at its own timecode."""

from __future__ import annotations

import json
import os
import random
import shutil
import struct
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile

from wexodos.cli.commands import main
from wexodos.formats import WriteError
from wexodos.ground import quiet
from wexodos.media import Row, probe
from wexodos.media.needs import Need
from wexodos.model import Document, Item, Media, MediaUse, Sequence, SpeedPoint, Track, Transition, Variable
from wexodos.timing import Rate
from wexodos.turnover.package.contents import _media
from wexodos.turnover.package.places import Placed, places_of
from wexodos.turnover.trim.cut import NotCut
from wexodos.turnover.trim.document import trimmed
from wexodos.turnover.trim.files import FilesCut
from wexodos.turnover.trim.movie import movie_cut
from wexodos.turnover.trim.plan import Trims, trims
from wexodos.turnover.trim.sound import sound_cut
from wexodos.turnover.write import Part

COUNT = 90


@dataclass(frozen=True)
class Kind:
    """How a movie is made, its rate and where it begins."""

    name: str
    coder: str
    form: str
    options: tuple[tuple[str, str], ...] = ()
    rate: Fraction = Fraction(25)
    start: str = "10:00:00:00"
    sound: str = "pcm_s24le"
    size: tuple[int, int] = (128, 96)


KINDS = [
    Kind("intra.mov", "prores_ks", "yuv422p10le", (("profile", "3"),)),
    Kind("drop.mov", "mjpeg", "yuvj422p", rate=Fraction(30000, 1001), start="00:59:58;10", sound="pcm_s16be"),
    Kind("film.mov", "prores_ks", "yuv422p10le", rate=Fraction(24000, 1001), start="23:59:58:00"),
    Kind("groups.mov", "libx264", "yuv420p", (("g", "12"), ("bf", "2")), sound="pcm_s16le"),
    Kind("open.mov", "libx264", "yuv420p", (("g", "15"), ("x264-params", "open-gop=1:bframes=3")), sound=""),
    Kind("groups.mp4", "mpeg4", "yuv420p", (("g", "10"), ("bf", "2")), rate=Fraction(50), sound=""),
    Kind("broadcast.mxf", "mpeg2video", "yuv422p", (("g", "12"), ("bf", "2")), sound="pcm_s16le"),
    Kind("intra.mxf", "dnxhd", "yuv422p", (("b", "36M"),), sound="pcm_s24le", size=(1920, 1080)),
    Kind("half.mov", "mjpeg", "yuvj422p", rate=Fraction(60000, 1001), start="01:00:00;00"),
    Kind("loss-free.mov", "png", "rgb24", sound="pcm_s32le"),
]


def noise(number: int, size: tuple[int, int]) -> np.ndarray:
    """A picture that no other frame has."""
    made = np.random.default_rng(number).integers(0, 256, (size[1] // 16, size[0] // 16, 3), np.uint8)
    return np.ascontiguousarray(made.repeat(16, 0).repeat(16, 1)[: size[1], : size[0]])


def movie(path: Path, kind: Kind, count: int = COUNT) -> Path:
    with av.open(str(path), "w") as container:
        stream = container.add_stream(kind.coder, rate=kind.rate, options=dict(kind.options))
        stream.width, stream.height = kind.size
        stream.pix_fmt, stream.time_base = kind.form, 1 / kind.rate
        stream.metadata["timecode"] = kind.start
        if path.suffix == ".mov":
            stream.metadata["reel_name"] = "A003"
        voice = container.add_stream(kind.sound, rate=48000, layout="stereo") if kind.sound else None
        sizes = [(-(-kind.size[0] // 16) * 16, -(-kind.size[1] // 16) * 16)]
        for number in range(count):
            picture = noise(number, sizes[0])[: kind.size[1], : kind.size[0]]
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="rgb24")
            frame = frame.reformat(format=kind.form)
            frame.pts, frame.time_base = number, 1 / kind.rate
            container.mux(stream.encode(frame))
            if voice is not None:
                low, high = (int(Fraction(one) / kind.rate * 48000) for one in (number, number + 1))
                samples = np.random.default_rng(number).integers(-(2**30), 2**30, (1, 2 * (high - low)))
                wide = voice.format.name == "s32"
                data = samples.astype(np.int32) if wide else (samples >> 16).astype(np.int16)
                sound = av.AudioFrame.from_ndarray(data, format="s32" if wide else "s16", layout="stereo")
                sound.sample_rate, sound.pts, sound.time_base = 48000, low, Fraction(1, 48000)
                container.mux(voice.encode(sound))
        container.mux(stream.encode(None))
        if voice is not None:
            container.mux(voice.encode(None))
    return path


def decoded(path: Path) -> tuple[list[bytes], np.ndarray]:
    """All frames from the first to the last, and all samples, without a seek."""
    with av.open(str(path)) as container:
        frames = [b"".join(map(bytes, frame.planes)) for frame in container.decode(video=0)]
    with av.open(str(path)) as container:
        if not container.streams.audio:
            return frames, np.zeros((0, 2))
        blocks = [frame.to_ndarray().reshape(-1, 2) for frame in container.decode(audio=0)]
    return frames, np.concatenate(blocks)


def code(path: Path) -> str:
    with av.open(str(path)) as container:
        tags = [container.metadata, *(one.metadata for one in container.streams)]
    return next(one["timecode"] for one in tags if one.get("timecode"))


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.name)
@pytest.mark.sampled(3)
def test_a_stretch_of_a_movie_is_that_of_its_source(kind: Kind, tmp_path: Path) -> None:
    count = 40 if kind.size[0] > 1000 else COUNT
    source = movie(tmp_path / kind.name, kind, count)
    frames, samples = decoded(source)
    assert len(frames) == count and len(set(frames)) == count
    facts = probe(source)
    rate = Rate.parse(facts.rate)
    dice = random.Random(kind.name)
    for low, length in ((0, 3), (count - 5, 5), *((dice.randrange(count - 12), 12) for _ in range(4))):
        cut = movie_cut(
            source, low, low + length, rate, facts.start or 0, bool(facts.drop_frame), facts.reel, rate
        )
        made = tmp_path / f"cut{source.suffix}"
        cut.write(made, quiet)
        seen, heard = decoded(made)
        assert cut.first <= low and cut.first + cut.count >= low + length
        assert seen == frames[cut.first : cut.first + cut.count]
        own = probe(made)
        assert (own.rate, own.profile, own.field_order, own.matrix) == (
            facts.rate, facts.profile, facts.field_order, facts.matrix
        )  # fmt: skip
        assert (own.start, own.reel, own.drop_frame) == (
            (facts.start or 0) + cut.first, facts.reel, facts.drop_frame
        )  # fmt: skip
        if kind.sound:
            begin = Fraction(cut.first) / kind.rate * 48000
            assert begin.denominator == 1
            end = int(begin) + round(Fraction(cut.count) / kind.rate * 48000)
            assert np.array_equal(heard, samples[int(begin) : end])
        made.unlink()
    # The labels as the library reads them, not we.
    cut = movie_cut(source, 20, 25, rate, facts.start or 0, bool(facts.drop_frame), facts.reel, rate)
    cut.write(tmp_path / f"label{source.suffix}", quiet)
    wanted = {
        ("intra.mov", 20): "10:00:00:20",
        ("drop.mov", 20): "00:59:59;00",
        ("film.mov", 20): "23:59:58:20",
        ("half.mov", 20): "01:00:00;20",
    }
    if (kind.name, cut.first) in wanted:
        assert code(tmp_path / f"label{source.suffix}") == wanted[kind.name, cut.first]
    else:
        assert kind.name not in {name for name, _ in wanted}


def test_what_cannot_be_cut_as_it_is_says_why(tmp_path: Path) -> None:
    rate = Rate(25)
    coded = movie(tmp_path / "coded.mp4", Kind("", "libx264", "yuv420p", sound=""))
    spoken = movie(tmp_path / "spoken.mov", Kind("", "mjpeg", "yuvj422p", sound="pcm_alaw"), 10)
    with pytest.raises(NotCut, match="sound is coded"):
        movie_cut(spoken, 2, 4, rate, 0, False, "", rate)
    with pytest.raises(NotCut, match="another rate"):
        movie_cut(coded, 2, 4, Rate(24), 0, False, "", rate)
    stream_file = movie(tmp_path / "stream.ts", Kind("", "mpeg2video", "yuv420p", sound=""))
    with pytest.raises(NotCut, match="container"):
        movie_cut(stream_file, 2, 4, rate, 0, False, "", rate)
    even = movie(tmp_path / "even.mov", Kind("", "png", "rgb24", sound=""), 7)
    with av.open(str(even)) as source, av.open(str(tmp_path / "uneven.mov"), "w") as container:
        target = container.add_stream_from_template(source.streams.video[0])
        packets = [one for one in source.demux(source.streams.video[0]) if one.size]
        for packet, place in zip(packets, (0, 1, 2, 5, 6.5, 7, 9), strict=True):
            packet.pts = packet.dts = int(place * 512)
            packet.stream = target
            container.mux(packet)
    with pytest.raises(NotCut, match="rate"):
        movie_cut(tmp_path / "uneven.mov", 2, 6, rate, 0, False, "", rate)


def test_a_stretch_that_reads_back_otherwise_is_none(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    source = movie(tmp_path / "a.mov", KINDS[0])
    cut = movie_cut(source, 10, 20, Rate(25), 0, False, "", Rate(25))
    sums = "wexodos.turnover.trim.movie.sums_of"
    monkeypatch.setattr(sums, lambda path: [(9, "00")])
    with pytest.raises(WriteError, match="not what the source holds"):
        cut.write(tmp_path / "b.mov", quiet)


def test_a_source_that_changes_is_not_cut(tmp_path: Path) -> None:
    source = recording(tmp_path / "a.wav", np.zeros((9_000, 1)), "PCM_16")
    cut = sound_cut(source, 1_000, 5_000)
    (part,) = _media([Placed(source, "Media/a.wav", cut)])
    assert isinstance(part, Part) and part.make is not None
    part.make(tmp_path / "b.wav", quiet)
    assert part.origin is not None and (part.origin.first, part.origin.frames) == (1_000, 4_000)
    changing = []

    def change(_what: str, _share: float) -> None:
        if not changing:
            changing.append(1)
            os.utime(source, (1, 1))

    with pytest.raises(WriteError, match="it changed since"):
        part.make(tmp_path / "c.wav", change)
    with pytest.raises(WriteError, match="it changed since"):
        part.make(tmp_path / "d.wav", quiet)
    assert not (tmp_path / "d.wav").exists()


# ---- sound


def chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) & 1)


def recording(path: Path, samples: np.ndarray, subtype: str, extra: bytes = b"", after: bytes = b"") -> Path:
    """A WAVE as the library writes it, with chunks of ours before and behind its samples."""
    soundfile.write(path, samples, 48000, subtype, format="WAV")
    data = path.read_bytes()
    place = data.index(b"data")
    data = data[:place] + extra + data[place:] + after
    path.write_bytes(data[:4] + struct.pack("<I", len(data) - 8) + data[8:])
    return path


IXML = (
    "<BWFXML><SPEED><TIMESTAMP_SAMPLE_RATE>48000</TIMESTAMP_SAMPLE_RATE>"
    "<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>0</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>"
    "<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>4294960000</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO></SPEED>"
    "<TAPE>Roll 7</TAPE></BWFXML>"
)


@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24", "FLOAT", "PCM_U8"])
def test_a_stretch_of_a_wave_is_that_of_its_source(subtype: str, tmp_path: Path) -> None:
    samples = np.random.default_rng(7).uniform(-1, 1, (30_001, 3))
    bext = b"Kiln".ljust(338, b"\0") + struct.pack("<QH", 1_000_000, 1) + bytes(254)
    extra = chunk(b"bext", bext) + chunk(b"iXML", IXML.encode()) + chunk(b"kiln", b"odd")
    source = recording(tmp_path / "a.wav", samples, subtype, extra, chunk(b"LIST", b"INFOISFT\0\0\0\0"))
    whole, _ = soundfile.read(source, dtype="float64")
    sound_cut(source, 10_001, 20_000).write(tmp_path / "cut.wav", quiet)
    part, rate = soundfile.read(tmp_path / "cut.wav", dtype="float64")
    assert rate == 48000 and np.array_equal(part, whole[10_001:20_000])
    data = (tmp_path / "cut.wav").read_bytes()
    place = data.index(b"bext") + 8
    assert data[place : place + 4] == b"Kiln"
    assert struct.unpack_from("<Q", data, place + 338)[0] == 1_010_001
    # 4294960000 + 10001 goes over into the upper half.
    assert b"SINCE_MIDNIGHT_HI>1</" in data and b"SINCE_MIDNIGHT_LO>2705</" in data
    assert chunk(b"kiln", b"odd") in data and b"INFOISFT" in data and b"Roll 7" in data
    assert struct.unpack_from("<I", data, 4)[0] == len(data) - 8
    assert probe(tmp_path / "cut.wav").start == 1_010_001
    # Without a time of its own it has one from then on: that of the stretch.
    plain = recording(tmp_path / "plain.wav", samples[:, :1], subtype)
    sound_cut(plain, 96, 30_001).write(tmp_path / "b.wav", quiet)
    assert probe(tmp_path / "b.wav").start == 96 and len(soundfile.read(tmp_path / "b.wav")[0]) == 29_905


def test_wide_files_and_aiff_are_cut_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    samples = np.random.default_rng(8).integers(-(2**15), 2**15, (9_000, 2), np.int16)
    soundfile.write(tmp_path / "a.aiff", samples, 44100, "PCM_16")
    sound_cut(tmp_path / "a.aiff", 1_000, 4_001).write(tmp_path / "b.aiff", quiet)
    assert np.array_equal(soundfile.read(tmp_path / "b.aiff", dtype="int16")[0], samples[1_000:4_001])
    # Samples may begin some bytes behind the head of their chunk.
    data = (tmp_path / "a.aiff").read_bytes()
    place = data.index(b"SSND")
    size = struct.unpack_from(">I", data, place + 4)[0] + 6
    moved = data[: place + 4] + struct.pack(">III", size, 6, 0) + b"kilnsx" + data[place + 16 :]
    (tmp_path / "c.aiff").write_bytes(moved)
    sound_cut(tmp_path / "c.aiff", 1_000, 4_001).write(tmp_path / "d.aiff", quiet)
    assert (tmp_path / "d.aiff").read_bytes() == (tmp_path / "b.aiff").read_bytes()
    soundfile.write(tmp_path / "a.wav", samples, 48000, "PCM_16", format="RF64")
    sound_cut(tmp_path / "a.wav", 1_000, 4_001).write(tmp_path / "b.wav", quiet)
    assert np.array_equal(soundfile.read(tmp_path / "b.wav", dtype="int16")[0], samples[1_000:4_001])
    # What does not fit into 32 bits has its sizes in a chunk of their own.
    monkeypatch.setattr("wexodos.turnover.trim.sound._WIDE", 4_000)
    wide = sound_cut(tmp_path / "b.wav", 0, 3_001)
    assert wide.begin[:4] == b"RF64" and wide.begin[12:16] == b"ds64"
    assert struct.unpack_from("<QQQ", wide.begin, 20) == (wide.size - 8, 3_001 * 4, 3_001)


@pytest.mark.parametrize(
    ("name", "spoil", "words"),
    [
        ("cue.wav", lambda data: data[:12] + chunk(b"cue ", bytes(28)) + data[12:], "marks"),
        ("a-law.wav", lambda data: data.replace(b"\x01\x00\x01\x00", b"\x06\x00\x01\x00", 1), "coded"),
        ("cut.wav", lambda data: data[:60], "behind its end"),
        ("words.wav", lambda data: b"words", "coded"),
        ("none.wav", lambda data: data[:12], "in one piece"),
    ],
)  # fmt: skip
def test_sound_that_cannot_be_cut_says_why(
    name: str, spoil: Callable[[bytes], bytes], words: str, tmp_path: Path
) -> None:
    source = recording(tmp_path / name, np.zeros((2_000, 1)), "PCM_16")
    source.write_bytes(spoil(source.read_bytes()))
    with pytest.raises(NotCut, match=words):
        sound_cut(source, 1_000_000_000 if "cut" in name else 100, 1_000_001_000)


# ---- a cut


def clip(name: str, start: int, length: int, first: int, media: str = "m", **told: object) -> Item:
    rate = Rate(25)
    return Item(name, name, start, length, MediaUse(media), rate.seconds(first), **told)  # type: ignore[arg-type]


def planned(
    source: Path,
    items: list[Item],
    handles: Fraction,
    joins: tuple[Transition, ...] = (),
    by_name: bool = False,
) -> tuple[Trims, Document]:
    facts = probe(source)
    media = Media(
        "m", source.name, str(source), start=facts.start, duration=COUNT, rate=Rate(25), video=True, uid="u"
    )
    track = Track("video", tuple(items), joins)
    cut = Sequence("s", "Kiln", Rate(25), tracks=(track,))
    document = Document("xmeml", "5", (cut,), (media,))
    row = Row(Need(media), source, "written", facts)
    found = trims([(document, cut)], [row], handles, True, by_name=by_name)
    return found, trimmed(document, found.cuts, True)


def test_each_stretch_is_kept_once_with_its_handles(tmp_path: Path) -> None:
    source = movie(tmp_path / "a.mov", KINDS[0])
    ramp = Variable((SpeedPoint(0, Rate(25).seconds(60)), SpeedPoint(10, Rate(25).seconds(80))))
    items = [
        clip("one", 0, 10, 20),
        clip("two", 20, 5, 28),
        clip("far", 40, 10, 60, speed=ramp),
    ]
    found, document = planned(source, items, Fraction(1, 5))
    # 20 to 33 and 60 to 80, and five frames on either side.
    assert [(one.cut.first, one.cut.count, one.media.id) for one in found.cuts["m"]] == [
        (15, 23, "m"),
        (55, 30, "m-part-2"),
    ]
    assert [(one.start, one.duration, one.uid) for one in document.media] == [
        (10 * 3600 * 25 + 15, 23, None),
        (10 * 3600 * 25 + 55, 30, None),
    ]
    one, two, far = document.sequences[0].tracks[0].items
    assert [item.content.media for item in (one, two, far)] == ["m", "m", "m-part-2"]  # type: ignore[union-attr]
    assert [Rate(25).frames(item.source_in) for item in (one, two, far)] == [5, 13, 5]
    assert isinstance(far.speed, Variable)
    assert [Rate(25).frames(point.source) for point in far.speed.points] == [5, 25]
    # Two files of one name stand apart.
    places = places_of(
        [Row(Need(Media("m", "a.mov", str(source))), source, "written", probe(source))], found.cuts
    )
    assert places.named == {"m": "Media/a.mov", "m-part-2": f"Media/{tmp_path.name}/a.mov"}
    # A transition plays what lies behind the cut; then the two meet, and all is one.
    join = Transition("t", "t", "dissolve", 5, 50, 30)
    found, _ = planned(source, [clip("one", 0, 30, 0), clip("far", 30, 30, 55)], Fraction(0), (join,))
    assert [(one.cut.first, one.cut.count) for one in found.cuts["m"]] == [(0, 85)]
    # Lists of events tell files by their names: there each stays one.
    found, document = planned(source, items, Fraction(1, 5), by_name=True)
    assert [(one.cut.first, one.cut.count) for one in found.cuts["m"]] == [(15, 70)]
    assert {item.content.media for item in document.sequences[0].items()} == {"m"}  # type: ignore[union-attr]
    # Apart in the cut, but in one group of frames that hang together: one file.
    groups = movie(tmp_path / "g.mov", next(one for one in KINDS if one.name == "groups.mov"))
    found, _ = planned(groups, [clip("one", 0, 2, 25), clip("two", 30, 2, 31)], Fraction(0))
    assert [(one.cut.first, one.cut.count) for one in found.cuts["m"]] == [(24, 12)]
    # Where everything is used there is nothing to cut.
    found, document = planned(source, [clip("all", 0, COUNT, 0)], Fraction(2))
    assert found.cuts == {} and found.whole == {} and document.media[0].id == "m"


def test_a_numbered_sequence_keeps_its_numbers(tmp_path: Path) -> None:
    from PIL import Image

    folder = tmp_path / "SHOT 4"
    folder.mkdir()
    numbers = [n for n in range(1001, 1001 + COUNT) if n not in (1018, 1030)]
    for number in numbers:
        Image.new("RGB", (8, 8), (number % 256, 0, 0)).save(folder / f"kiln.{number}.png")
    source = folder / "kiln.[1001-1090].png"
    facts = probe(source).at(Rate(25))
    media = Media("m", source.name, str(source), rate=Rate(25), video=True)
    track = Track("video", (clip("one", 0, 20, 17), clip("two", 30, 10, 45)))
    cut = Sequence("s", "Kiln", Rate(25), tracks=(track,))
    document = Document("xmeml", "5", (cut,), (media,))
    row = Row(Need(media), source, "written", facts)
    found = trims([(document, cut)], [row], Fraction(0), True)
    first, second = found.cuts["m"]
    # 1018 is missing: it begins with the number before, so that its first one says where it begins.
    assert isinstance(first.cut, FilesCut) and first.cut.first == 16
    assert [one.name for one in first.cut.files] == [
        f"kiln.{n}.png" for n in range(1017, 1038) if n in numbers
    ]
    assert first.cut.name == "kiln.[1017-1037].png" and second.cut.first == 45
    places = places_of([row], found.cuts)
    assert places.named["m"] == "Media/SHOT 4/kiln.[1017-1037].png"
    # Beside one another they would be one sequence with a gap.
    assert places.named["m-part-2"] == "Media/SHOT 4/SHOT 4/kiln.[1046-1055].png" or not places.named[
        "m-part-2"
    ].startswith("Media/SHOT 4/kiln")


def test_the_trimmed_package_shows_and_plays_what_the_cut_does(
    whole_demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    room = tmp_path / "room"
    shutil.copytree(whole_demo, room)
    source = room / "kiln-night.xml"
    source.write_text(source.read_text().replace(str(whole_demo), str(room)))
    places = [f"+{number}" for number in range(0, 9000, 61)]

    def told(*arguments: str) -> dict:  # type: ignore[type-arg]
        assert main([*arguments, "--json"]) == 0
        return json.loads(capsys.readouterr().out)  # type: ignore[no-any-return]

    before = told("state", str(source), "--at", *places)["states"]
    out = tmp_path / "Kiln"
    package = ["package", str(source), "--to", "editing-track-xml", "--out", str(out), "--mix", "none"]
    data = told(*package, "--media", "trimmed", "--handles", "0.5")
    assert data["unexplained"] == 0 and [one["media"] for one in data["whole"]] == ["C003C007.mov"]
    cut = {one["path"]: one for one in data["parts"] if "first" in one}
    assert len(cut) > 15 and all(one["copied"] and one["frames"] > 0 for one in cut.values())
    # The samples are those of the source from where it is said.
    voice = cut["Media/VO_04.wav"]
    part, whole = (soundfile.read(one, dtype="int32")[0] for one in (out / voice["path"], voice["source"]))
    assert len(part) == voice["frames"] < len(whole)
    assert np.array_equal(part, whole[voice["first"] : voice["first"] + voice["frames"]])
    picture = cut["Media/A003C012.mov"]
    frames, _ = decoded(out / picture["path"])
    assert frames == decoded(Path(picture["source"]))[0][picture["first"] :][: picture["frames"]]
    shutil.rmtree(room)
    after = told("state", str(out / "Kiln Night R1 v7.xml"), "--at", *places)["states"]
    seen, heard = 0, 0
    for one, other in zip(before, after, strict=True):
        for left, right in zip(one["picture"], other["picture"], strict=True):
            seen += left["media"] is not None
            assert (left["media"], left["source_timecode"]) == (right["media"], right["source_timecode"])
        for left, right in zip(one["sound"], other["sound"], strict=True):
            heard += 1
            assert (left["media"], left["channel"]) == (right["media"], right["channel"])
            begin = cut.get(f"Media/{left['media']}", {})
            if str(left["media"]).endswith(".wav"):
                assert left["source_sample"] - begin.get("first", 0) == right["source_sample"]
    assert seen > 150 and heard > 150
    assert main(["media", str(out / "Kiln Night R1 v7.xml"), "--strict"]) == 0
    assert main(["verify", str(out)]) == 0
