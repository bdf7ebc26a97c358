"""What cannot be cut as it is, coded anew: each frame shows what its source does there, each sample sounds so."""

from __future__ import annotations

import json
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile

from wexodos.cli.commands import main
from wexodos.ground import quiet
from wexodos.media import Row, probe
from wexodos.media.needs import Need
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Track
from wexodos.timing import Rate
from wexodos.turnover.trim.anew import CodedCut, coded_cut
from wexodos.turnover.trim.cut import NotCut
from wexodos.turnover.trim.plan import Trims, trims
from wexodos.turnover.trim.recorded import Anew, offered

SIZE = (320, 192)
COUNT = 60
BLOCKS = 8


def bars(number: int, size: tuple[int, int] = SIZE) -> np.ndarray:
    """A picture that says its number in eight columns, bright and orange or dark and blue."""
    made = np.zeros((size[1], size[0], 3), np.uint8)
    for bit in range(BLOCKS):
        low, high = bit * size[0] // BLOCKS, (bit + 1) * size[0] // BLOCKS
        made[:, low:high] = (220, 150, 40) if number >> bit & 1 else (30, 40, 120)
    return made


def woven(number: int) -> av.VideoFrame:
    """Two fields, of a number and of a hundred more, each with its own lines of brightness and of colour."""
    one, other = (
        av.VideoFrame.from_ndarray(bars(each), format="rgb24").reformat(format="yuv420p").to_ndarray()
        for each in (number, number + 100)
    )
    wide, tall = SIZE
    for begin, shape in ((0, (tall, wide)), (wide * tall, (tall // 2, wide // 2)),
                         (wide * tall * 5 // 4, (tall // 2, wide // 2))):  # fmt: skip
        upper, lower = (
            each.reshape(-1)[begin : begin + shape[0] * shape[1]].reshape(shape) for each in (one, other)
        )
        upper[1::2] = lower[1::2]
    return av.VideoFrame.from_ndarray(one, format="yuv420p")


def told(picture: np.ndarray) -> int:
    """The number a picture says, read from the middle of its columns."""
    width = picture.shape[1] // BLOCKS
    return sum(
        (picture[:, bit * width + width // 4 : bit * width + 3 * width // 4, 0].mean() > 120) << bit
        for bit in range(BLOCKS)
    )


def made_movie(
    path: Path,
    coder: str = "libx264",
    form: str = "yuv420p",
    sound: str = "aac",
    first: int = 0,
    count: int = COUNT,
    start: str = "10:00:00:00",
    interlaced: bool = False,
    times: Callable[[int], int] = lambda number: number,
    size: tuple[int, int] = SIZE,
    rate: Fraction = Fraction(25),
) -> Path:
    options = {"g": "12", "bf": "2"} if coder in ("libx264", "mpeg2video") else {}
    if interlaced:
        options |= {"flags": "+ildct+ilme", "field_order": "tt", "top": "1"}
    with av.open(str(path), "w") as container:
        stream = container.add_stream(coder, rate=rate, options=options)
        stream.width, stream.height = size
        stream.pix_fmt, stream.time_base = form, 1 / rate
        stream.bit_rate = 8_000_000
        if start:
            stream.metadata["timecode"] = start
        if path.suffix == ".mov":
            stream.metadata["reel_name"] = "A003"
        voice = container.add_stream(sound, rate=48000, layout="stereo") if sound else None
        for number in range(count):
            picture = av.VideoFrame.from_ndarray(bars(first + number, size), format="rgb24")
            frame = woven(first + number) if interlaced else picture.reformat(format=form)
            frame.pts, frame.time_base = times(number), 1 / rate
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        if voice is not None:
            length = count * 1920
            wave = np.stack([tone(length, first, 440), tone(length, first, 990)])
            for low in range(0, length, 1024):
                sound_frame = av.AudioFrame.from_ndarray(
                    np.ascontiguousarray(wave[:, low : low + 1024]), format="fltp", layout="stereo"
                )
                sound_frame.sample_rate, sound_frame.pts = 48000, low
                sound_frame.time_base = Fraction(1, 48000)
                container.mux(voice.encode(sound_frame))
            container.mux(voice.encode(None))
    return path


def tone(length: int, first: int, pitch: float) -> np.ndarray:
    """A tone whose loudness rises from frame to frame, so that its place can be told."""
    at = np.arange(length) + first * 1920
    return (np.sin(2 * np.pi * pitch * at / 48000) * (0.1 + at / 48000 / 10)).astype(np.float32)


def planned(source: Path, first: int, length: int, anew: Anew, handles: Fraction = Fraction(0)) -> Trims:
    facts = probe(source)
    rate = Rate(25)
    pictured = facts.video
    media = Media(
        "m",
        source.name,
        str(source),
        start=facts.start if pictured else 0,
        duration=COUNT,
        rate=rate,
        video=pictured,
        audio=facts.audio,
        channels=facts.channels,
        sample_rate=facts.sample_rate or None,
    )
    item = Item("i", "i", 0, length, MediaUse("m", () if pictured else (1,)), rate.seconds(first))
    cut = Sequence("s", "Kiln", rate, tracks=(Track("video" if pictured else "audio", (item,)),))
    document = Document("xmeml", "5", (cut,), (media,))
    row = Row(Need(media), source, "written", facts)
    return trims([(document, cut)], [row], handles, True, anew=anew)


def seen(path: Path) -> list[np.ndarray]:
    """All pictures from the first to the last, decoded without a seek."""
    with av.open(str(path)) as container:
        return [frame.to_ndarray(format="rgb24") for frame in container.decode(video=0)]


def heard(path: Path) -> np.ndarray:
    with av.open(str(path)) as container:
        blocks = [frame.to_ndarray().reshape(-1, 2) for frame in container.decode(audio=0)]
    return np.concatenate(blocks) / float(1 << 31)


HARD = {
    "phone.mp4": {},
    "groups.mov": {"sound": "pcm_s16le"},
    "stream.ts": {"coder": "mpeg2video", "sound": "mp2", "start": ""},
    "tape.avi": {"coder": "mpeg4", "sound": "pcm_s16le", "start": ""},
    "hd.mov": {"size": (1024, 592), "sound": "pcm_s24le", "count": 40},
    "spoken.mov": {"coder": "mjpeg", "form": "yuvj422p"},
}


@pytest.mark.parametrize(("name", "anew"), [*((one, Anew.PRORES) for one in HARD), ("hd.mov", Anew.DNXHR)])
@pytest.mark.sampled(3)
def test_every_frame_and_sample_is_that_of_its_source(name: str, anew: Anew, tmp_path: Path) -> None:
    source = made_movie(tmp_path / name, **HARD[name])  # type: ignore[arg-type]
    plain = planned(source, 20, 15, Anew.NONE)
    found = planned(source, 20, 15, anew)
    (trim,) = found.cuts["m"]
    assert isinstance(trim.cut, CodedCut) and not found.whole, found.whole
    # As it is it cannot be cut at all, or only with more around it.
    assert "m" in plain.whole or plain.cuts["m"][0].cut.count > 15
    assert (trim.cut.first, trim.cut.count) == (20, 15)
    out = tmp_path / "made.mov"
    trim.cut.write(out, quiet)
    pictures = seen(out)
    assert [told(one) for one in pictures] == list(range(20, 35))
    meant = bars(27, HARD[name].get("size", SIZE))
    assert np.abs(pictures[7].astype(int) - meant).mean() < 4
    samples = heard(out)
    assert len(samples) == 15 * 1920
    plain_sound = HARD[name].get("sound", "").startswith("pcm")
    for channel, pitch in enumerate((440, 990)):
        wave = tone(COUNT * 1920, 0, pitch)[20 * 1920 : 35 * 1920]
        assert np.abs(samples[:, channel] - wave).max() < (0.0001 if plain_sound else 0.04), channel
    facts = probe(out)
    assert facts.start == (10 * 3600 * 25 if HARD[name].get("start") != "" else 0) + 20
    assert (facts.width, facts.height, facts.rate, facts.channels) == (
        *HARD[name].get("size", SIZE),
        "25/1",
        2,
    )
    assert facts.reel == ("A003" if name.endswith(".mov") else "")
    assert facts.codec == ("prores" if anew is Anew.PRORES else "dnxhd")


def test_the_fields_of_interlaced_pictures_keep_their_own_colours(tmp_path: Path) -> None:
    source = made_movie(tmp_path / "a.mp4", "mpeg2video", interlaced=True, sound="", start="10:00:00:00")
    assert probe(source).field_order == "upper"
    found = planned(source, 10, 4, Anew.PRORES)
    (trim,) = found.cuts["m"]
    trim.cut.write(tmp_path / "b.mov", quiet)
    assert probe(tmp_path / "b.mov").field_order == "upper"
    with av.open(str(tmp_path / "b.mov")) as container:
        frames = list(container.decode(video=0))
    assert len(frames) == 4
    for number, frame in enumerate(frames, 10):
        planes = [
            np.frombuffer(one, np.uint16).reshape(-1, one.line_size // 2)[:, : one.width].astype(int) / 4
            for one in frame.planes
        ]
        for lines, said in ((0, number), (1, number + 100)):
            # Every other line is of one field, its brightness and both its colours.
            alone = av.VideoFrame.from_ndarray(bars(said), format="rgb24").reformat(format="yuv444p")
            for plane, meant in zip(planes, alone.to_ndarray().astype(int), strict=True):
                step = SIZE[0] // plane.shape[1]
                width = plane.shape[1] // BLOCKS
                for bit in range(BLOCKS):
                    middle = slice(bit * width + width // 4, bit * width + 3 * width // 4)
                    shown = plane[lines::2, middle]
                    wanted = meant[0, (bit * width + width // 2) * step]
                    assert abs(shown.mean() - wanted) < 4 and np.ptp(shown) < 12, (number, lines, bit)


def test_a_recording_in_several_files_becomes_one(tmp_path: Path) -> None:
    first = made_movie(tmp_path / "A003C012_001.mov", sound="pcm_s16le")
    made_movie(tmp_path / "A003C012_002.mov", sound="pcm_s16le", first=COUNT, start="10:00:02:10")
    facts = probe(first)
    rate = Rate(25)
    media = Media("m", first.name, str(first), start=facts.start, duration=2 * COUNT, rate=rate, video=True)
    item = Item("i", "i", 0, 20, MediaUse("m"), rate.seconds(50))
    cut = Sequence("s", "Kiln", rate, tracks=(Track("video", (item,)),))
    document = Document("xmeml", "5", (cut,), (media,))
    import msgspec

    whole = msgspec.structs.replace(facts, seconds="24/5", parts=(first.name, "A003C012_002.mov"))
    row = Row(Need(media), first, "written", whole)
    plain = trims([(document, cut)], [row], Fraction(0), True)
    assert plain.whole == {"m": "it lies in several files"}
    found = trims([(document, cut)], [row], Fraction(0), True, anew=Anew.PRORES)
    (trim,) = found.cuts["m"]
    trim.cut.write(tmp_path / "made.mov", quiet)
    assert [told(one) for one in seen(tmp_path / "made.mov")] == list(range(50, 70))
    samples = heard(tmp_path / "made.mov")
    wave = tone(2 * COUNT * 1920, 0, 440)[50 * 1920 : 70 * 1920]
    assert np.abs(samples[:, 0] - wave).max() < 0.001


def test_frames_at_uneven_times_are_on_when_they_are(tmp_path: Path) -> None:
    # Every frame is on for two, from the tenth on for three.
    def uneven(number: int) -> int:
        return 2 * number if number < 10 else 20 + 3 * (number - 10)

    source = made_movie(tmp_path / "phone.mp4", sound="", count=20, times=uneven)
    found = planned(source, 4, 30, Anew.PRORES)
    (trim,) = found.cuts["m"]
    trim.cut.write(tmp_path / "made.mov", quiet)
    wanted = [max(n for n in range(20) if uneven(n) <= at) for at in range(4, 34)]
    assert [told(one) for one in seen(tmp_path / "made.mov")] == wanted


def test_coded_sound_becomes_plain(tmp_path: Path) -> None:
    source = tmp_path / "a.ogg"
    wave = np.stack([tone(COUNT * 1920, 0, 440), tone(COUNT * 1920, 0, 990)], axis=1)
    soundfile.write(source, wave, 48000, format="OGG", subtype="VORBIS")
    assert "coded" in planned(source, 10, 20, Anew.NONE).whole["m"]
    (trim,) = planned(source, 10, 20, Anew.PRORES).cuts["m"]
    trim.cut.write(tmp_path / "made.wav", quiet)
    samples, rate = soundfile.read(tmp_path / "made.wav")
    assert rate == 48000 and samples.shape == (20 * 1920, 2)
    assert np.abs(samples - wave[10 * 1920 : 30 * 1920]).max() < 0.03
    assert probe(tmp_path / "made.wav").start == 10 * 1920
    # Marks among plain samples are nothing that coding would keep.
    marked = tmp_path / "b.wav"
    soundfile.write(marked, wave, 48000)
    data = marked.read_bytes()
    marked.write_bytes(data[:12] + b"cue \x1c\0\0\0" + bytes(28) + data[12:])
    assert "marks" in planned(marked, 10, 20, Anew.PRORES).whole["m"]


def test_what_can_be_cut_at_every_frame_is_not_coded(tmp_path: Path) -> None:
    source = made_movie(tmp_path / "a.mov", "prores_ks", "yuv422p10le", "pcm_s24le")
    (trim,) = planned(source, 20, 15, Anew.PRORES).cuts["m"]
    assert not trim.cut.anew and (trim.cut.first, trim.cut.count) == (20, 15)
    # A group of frames that a coding cannot hold as it is – here BT.601 – is cut with more around it.
    small = made_movie(tmp_path / "c.mov", sound="pcm_s16le")
    found = planned(small, 20, 15, Anew.DNXHR)
    (trim,) = found.cuts["m"]
    assert not trim.cut.anew and trim.cut.count > 15 and not found.whole
    # And what cannot be cut either goes whole, for both reasons.
    spoken = made_movie(tmp_path / "d.mp4")
    why = planned(spoken, 20, 15, Anew.DNXHR).whole["m"]
    assert "its sound is coded" in why and "; coded anew its matrix would be BT.709" in why
    # Nor what is needed whole.
    whole = made_movie(tmp_path / "b.mp4")
    assert planned(whole, 0, COUNT, Anew.PRORES).cuts == {}


def test_a_stretch_begins_with_a_whole_sample(tmp_path: Path) -> None:
    """At 29.97 every fifth frame does: there its sound lies under its picture to the sample."""
    source = made_movie(tmp_path / "a.mp4", sound="aac", rate=Fraction(30000, 1001), start="01:00:00;00")
    cut = coded_cut(source, 12, 20, Rate(30000, 1001), 107892, True, "", Anew.PRORES)
    assert (cut.first, cut.count) == (10, 10)
    cut.write(tmp_path / "b.mov", quiet)
    assert [told(one) for one in seen(tmp_path / "b.mov")] == list(range(10, 20))
    assert len(heard(tmp_path / "b.mov")) == 16016
    with av.open(str(tmp_path / "b.mov")) as container:
        codes = [one.metadata.get("timecode") for one in container.streams]
    assert "01:00:00;10" in codes
    # Without sound it begins where it shall; at another rate than the cut says it is not coded at all.
    silent = made_movie(tmp_path / "c.mp4", sound="", rate=Fraction(30000, 1001))
    assert coded_cut(silent, 12, 20, Rate(30000, 1001), 0, True, "", Anew.PRORES).first == 12
    with pytest.raises(NotCut, match="another rate"):
        coded_cut(silent, 12, 20, Rate(25), 0, False, "", Anew.PRORES)


def test_an_alpha_is_kept_or_the_file_goes_whole(tmp_path: Path) -> None:
    source = tmp_path / "a.mkv"
    with av.open(str(source), "w") as container:
        stream = container.add_stream("ffv1", rate=25, options={"g": "10"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuva444p"
        for number in range(COUNT):
            data = np.concatenate([bars(number), np.full((SIZE[1], SIZE[0], 1), 90, np.uint8)], 2)
            frame = av.VideoFrame.from_ndarray(data, format="rgba").reformat(format="yuva444p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    coded_cut(source, 5, 8, Rate(25), 0, False, "", Anew.PRORES).write(tmp_path / "b.mov", quiet)
    with av.open(str(tmp_path / "b.mov")) as container:
        frames = [frame.to_ndarray(format="rgba") for frame in container.decode(video=0)]
    assert [told(one) for one in frames] == [5, 6, 7]
    assert all(abs(one[..., 3].astype(int) - 90).max() <= 1 for one in frames)


def test_red_green_and_blue_keep_their_colours(tmp_path: Path) -> None:
    source = tmp_path / "a.avi"
    with av.open(str(source), "w") as container:
        stream = container.add_stream("png", rate=25)
        stream.width, stream.height, stream.pix_fmt = *SIZE, "rgb24"
        for number in range(COUNT):
            frame = av.VideoFrame.from_ndarray(bars(number), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    (trim,) = planned(source, 20, 5, Anew.PRORES).cuts["m"]
    assert trim.cut.anew == "ProRes 422 HQ"
    trim.cut.write(tmp_path / "b.mov", quiet)
    assert probe(tmp_path / "b.mov").matrix == "BT.709" and probe(tmp_path / "b.mov").chroma == "4:4:4"
    for number, picture in enumerate(seen(tmp_path / "b.mov"), 20):
        width = SIZE[0] // BLOCKS
        for bit in range(BLOCKS):
            middle = slice(bit * width + 8, (bit + 1) * width - 8)
            assert np.abs(picture[:, middle].astype(int) - bars(number)[:, middle]).max() <= 4


def test_a_frame_that_shows_something_else_is_noticed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = made_movie(tmp_path / "a.mp4")
    (trim,) = planned(source, 20, 15, Anew.PRORES).cuts["m"]
    from wexodos.footage.movie import Movie
    from wexodos.formats import WriteError

    own = Movie.frame
    monkeypatch.setattr(Movie, "frame", lambda self, number, rate: own(self, number + (rate is None), rate))
    with pytest.raises(WriteError, match="does not show what the source does"):
        trim.cut.write(tmp_path / "b.mov", quiet)


def test_on_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert set(offered()) == set(Anew)
    made_movie(tmp_path / "phone.mp4")
    (tmp_path / "cut.edl").write_text(
        "TITLE: KILN\nFCM: NON-DROP FRAME\n* FRAME RATE: 25\n\n"
        "001  AX       V     C        10:00:00:20 10:00:01:10 01:00:00:00 01:00:00:15\n"
        "* FROM CLIP NAME: phone.mp4\n"
    )
    out = tmp_path / "out"
    args = ["package", str(tmp_path / "cut.edl"), "--to", "editing-lane-xml", "--out", str(out), "--json"]
    assert main([*args, "--anew", "prores"]) == 2
    assert "--media trimmed" in capsys.readouterr().err
    args += ["--media", "trimmed", "--handles", "0.2", "--mix", "none"]
    assert main([*args, "--anew", "prores"]) == 0
    report = json.loads(capsys.readouterr().out)
    assert report["anew"] == [{"media": "phone.mp4", "coding": "ProRes 422 HQ"}] and not report["whole"]
    (part,) = [one for one in report["parts"] if one["part"] == "media"]
    assert (part["path"], part["first"], part["frames"], part["copied"]) == ("Media/phone.mov", 15, 25, False)
    assert report["unexplained"] == 0
    assert [told(one) for one in seen(out / "Media/phone.mov")] == list(range(15, 40))
    sheet = next((out / "Papers").glob("*cover sheet.html")).read_text(encoding="utf-8")
    assert "Media coded anew" in sheet and "<td>phone.mp4</td><td>ProRes 422 HQ</td>" in sheet
    assert main(["verify", str(out)]) == 0
    capsys.readouterr()
    # And from the package alone the cut shows the frame it showed.
    assert main(["state", str(next(out.glob("*.fcpxml"))), "--at", "+3", "--json"]) == 0
    (layer,) = json.loads(capsys.readouterr().out)["states"][0]["picture"]
    assert (layer["media"], layer["source_frame"]) == ("phone.mov", 8)
    assert layer["source_timecode"] == "10:00:00:23"
