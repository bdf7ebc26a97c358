"""Sound turnovers: the mix of what was written against the mix of the media; sizes, splits, options, wrong
folders."""

from __future__ import annotations

import os
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
import soundfile

from turnover.heard import PAL, RATE, difference, mixed
from wexodos.carryover import Carried, Options, carry_over
from wexodos.cli.commands import main
from wexodos.compare import compare
from wexodos.destinations import find_destination
from wexodos.formats import WriteError, read_file
from wexodos.formats.omf.constants import MOST_BYTES
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Fade,
    Item,
    Key,
    Media,
    MediaUse,
    Sequence,
    Sound,
    Track,
    Transition,
)
from wexodos.sound.locate import Finder
from wexodos.turnover import splitting
from wexodos.turnover.run import prepared
from wexodos.turnover.splitting import groups_of_tracks, reels, with_reel, with_tracks
from wexodos.turnover.write import write_package

DESTINATIONS = ("mixing-aaf-embedded", "mixing-aaf-linked", "mixing-omf")


@pytest.fixture(scope="module")
def cut(tmp_path_factory: pytest.TempPathFactory) -> tuple[Document, Path]:
    """A cut with everything sound can have, and its media: 24 and 16 bits, 44.1 kHz, stereo."""
    folder = tmp_path_factory.mktemp("kiln")
    random = np.random.default_rng(5)
    for name, rate, channels, subtype in (
        ("boom.wav", 48000, 1, "PCM_24"),
        ("yard.wav", 48000, 2, "PCM_16"),
        ("old.wav", 44100, 1, "PCM_16"),
    ):
        soundfile.write(
            folder / name,
            random.uniform(-0.3, 0.3, (rate * 12, channels)).cumsum(axis=0) % 0.6 - 0.3,
            rate,
            subtype=subtype,
        )
    media = tuple(
        Media(
            name,
            f"{name}.wav",
            str(folder / f"{name}.wav"),
            "S1",
            90_000,
            False,
            300,
            PAL,
            channels=channels,
            sample_rate=rate,
            audio=True,
        )
        for name, rate, channels in (("boom", 48000, 1), ("yard", 48000, 2), ("old", 44100, 1))
    )
    level = Curve((0.0,), (Key(0, (-20.0,)), Key(30, (0.0,)), Key(60, (-6.0,))), "gain")
    one = Track(
        "audio",
        (
            Item(
                "a",
                "Boom 1",
                Fraction(601, 48),
                60,
                MediaUse("boom"),
                Fraction(4801, 48000),
                sound=Sound((1,), level, fade_in=Fade(8)),
            ),
            Item("b", "Boom 2", 90, 50, MediaUse("boom"), Fraction(3), sound=Sound((1,), Curve((-3.0,)))),
            Item(
                "c",
                "Boom 3",
                140,
                50,
                MediaUse("boom"),
                Fraction(6),
                sound=Sound((1,), fade_out=Fade(10, "equal-power")),
            ),
        ),
        (Transition("t", "Cross fade", "audio-linear", 134, 12, 140),),
        name="Dialogue",
    )
    two = Track(
        "audio",
        (
            Item("d", "Yard", 10, 100, MediaUse("yard"), Fraction(1), sound=Sound((1, 2), Curve((-9.0,)))),
            Item(
                "e", "Yard 2", 110, 60, MediaUse("yard"), Fraction(6), sound=Sound((1, 2), pan=Curve((0.25,)))
            ),
        ),
        (Transition("u", "Equal power", "audio-equal-power", 104, 12, 110),),
        name="Ambience",
    )
    three = Track(
        "audio",
        (Item("f", "Old tape", 20, 80, MediaUse("old"), Fraction(2), sound=Sound((1,), pan=Curve((-0.5,)))),),
        name="Music",
    )
    sequence = Sequence(
        "s", "Kiln sound", PAL, 90_000, sample_rate=RATE, tracks=(one, two, three), stated_duration=220
    )
    return Document("xmeml", "5", (sequence,), media), folder


def turned(
    document: Document, sequence: Sequence, name: str, folder: Path, options: Options | None = None
) -> tuple[Carried, Path]:
    destination = find_destination(name)
    path = folder / f"{name}.{destination.format}"
    made = prepared(
        document, sequence, destination, folder / "source.xml", path, options or Options(), lambda *_: None
    )
    for one in made:
        write_package(one.parts, folder, None, lambda *_: None)
    assert [one.carried.errors for one in made] == [0] * len(made)
    return made[0].carried, made[0].path


@pytest.mark.parametrize("name", DESTINATIONS)
@pytest.mark.parametrize(
    "settings",
    [
        (),
        (("edit_rate", "frames"), ("handles", "0.5")),
        (("fades", "clips"), ("form", "wave")),
        (("form", "aiff"), ("container", "1")),
    ],
    ids=["as proposed", "frames", "clips", "aiff"],
)
@pytest.mark.sampled(4)
def test_the_mix_of_what_was_written_is_the_mix_of_the_media(
    cut: tuple[Document, Path], tmp_path: Path, name: str, settings: tuple[tuple[str, str], ...]
) -> None:
    document, _ = cut
    sequence = document.sequences[0]
    # What is resampled is compared by itself below: there is no sample of it to be held against.
    plain = Sequence(
        "s", "Kiln sound", PAL, 90_000, sample_rate=RATE, tracks=sequence.tracks[:2], stated_duration=220
    )
    whole = Document("xmeml", "5", (plain,), document.media)
    carried, path = turned(whole, plain, name, tmp_path, Options(turnover=settings))
    back = read_file(path)
    here = mixed(whole, plain, Finder(tmp_path / "x.xml", whole))
    there = mixed(back, back.top_level[0], Finder(path, back))
    if ("edit_rate", "frames") in settings:
        # One clip begins between two frames; it was moved by less than one and the report says so.
        assert {one.item_id for one in carried.findings if one.what == "record place"} == {"a"}
        cut_free = slice(80 * RATE // 25, None)
        assert difference(here[cut_free], there[: len(here)][cut_free]) < -90
    else:
        assert difference(here, there[: len(here)]) < -90
        assert next(item.start for item in back.top_level[0].audio_tracks[0].items) == Fraction(601, 48)
    reread = compare(
        carried.made.document, carried.made.document.sequences_by_id["s"], back, back.top_level[0]
    )
    assert [one for one in reread if one.kind in ("gone", "added")] == []


@pytest.mark.parametrize("name", DESTINATIONS)
def test_samples_go_over_bit_for_bit_where_nothing_is_converted(
    cut: tuple[Document, Path], tmp_path: Path, name: str
) -> None:
    document, folder = cut
    _, path = turned(document, document.sequences[0], name, tmp_path)
    back = read_file(path)
    finder = Finder(path, back)
    source = soundfile.read(folder / "boom.wav", dtype="int32")[0]
    item = next(one for one in back.top_level[0].items() if one.name == "Boom 2")
    found = finder(back.media_by_id[item.content.media])
    data = soundfile.read(found, dtype="int32", always_2d=True)[0][:, 0]
    first = int(item.source_in * RATE)
    length = 50 * RATE // 25
    assert np.array_equal(data[first : first + length], source[3 * RATE : 3 * RATE + length])


def test_what_is_resampled_follows_the_source_within_the_last_bit_of_a_float_reference(
    cut: tuple[Document, Path], tmp_path: Path
) -> None:
    import soxr

    document, folder = cut
    carried, path = turned(document, document.sequences[0], "mixing-aaf-embedded", tmp_path)
    back = read_file(path)
    item = next(one for one in back.top_level[0].items() if one.name == "Old tape")
    finder = Finder(path, back)
    found = finder(back.media_by_id[item.content.media])
    data = soundfile.read(found)[0]
    whole = soxr.resample(soundfile.read(folder / "old.wav")[0], 44100, RATE, quality="VHQ")
    first, length = int(item.source_in * RATE), 80 * RATE // 25
    assert np.abs(data[first : first + length] - whole[2 * RATE : 2 * RATE + length]).max() < 2**-22
    assert [one.what for one in carried.findings if one.item == "old.wav"] == ["sample rate"]


def test_sixteen_bits_are_dithered_and_named(cut: tuple[Document, Path], tmp_path: Path) -> None:
    document, _ = cut
    carried, path = turned(
        document, document.sequences[0], "mixing-omf", tmp_path, Options(turnover=(("bits", "16"),))
    )
    assert "bits" in {one.what for one in carried.findings if one.item == "boom.wav"}
    assert {media.bit_depth for media in read_file(path).media} == {16}


def test_media_that_are_not_there_are_named_and_their_clips_keep_their_places(
    cut: tuple[Document, Path], tmp_path: Path
) -> None:
    document, _ = cut
    lost = Document(
        "xmeml",
        "5",
        document.sequences,
        tuple(
            Media(
                one.id,
                one.name,
                "/nowhere/x.wav" if one.id == "boom" else one.path,
                one.reel,
                one.start,
                False,
                one.duration,
                one.rate,
                channels=one.channels,
                sample_rate=one.sample_rate,
                audio=True,
            )
            for one in document.media
        ),
    )
    carried, path = turned(lost, lost.sequences[0], "mixing-aaf-embedded", tmp_path)
    assert [(one.what, one.fate.value) for one in carried.findings if one.item == "x.wav"] == [
        ("sound", "left behind")
    ]
    assert len(list(read_file(path).top_level[0].items())) == len(list(lost.sequences[0].items()))


# ---- too large


def test_a_turnover_beyond_two_gigabytes_is_refused_before_anything_is_written(tmp_path: Path) -> None:
    media = tuple(
        Media(
            f"m{n}",
            f"m{n}.wav",
            None,
            None,
            0,
            False,
            25 * 3600,
            PAL,
            channels=2,
            sample_rate=RATE,
            audio=True,
        )
        for n in range(3)
    )
    tracks = tuple(
        Track(
            "audio",
            (Item(f"i{n}", f"i{n}", 0, 25 * 3600, MediaUse(f"m{n}"), sound=Sound((1, 2))),),
            name=f"Tape {n}",
        )
        for n in range(3)
    )
    sequence = Sequence("s", "Night", PAL, tracks=tracks)
    document = Document("xmeml", "5", (sequence,), media)
    # Found or not, the size is known: an hour of two channels at 24 bits three times.
    carried = carry_over(document, sequence, find_destination("mixing-omf"))
    with pytest.raises(WriteError, match=r"Tape 0 \d+ MiB.*split=tracks"):
        splitting.refuse_too_large(_as_if_found(carried))
    assert list(tmp_path.iterdir()) == []


def _as_if_found(carried: Carried) -> Carried:
    from dataclasses import replace

    plain = carried.made.plain
    sounds = {
        key: {channel: replace(one, path=None) for channel, one in channels.items()}
        for key, channels in plain.sounds.items()
    }
    return replace(carried, made=replace(carried.made, plain=replace(plain, sounds=sounds)))


def test_split_turnovers_stay_in_sync_and_hold_every_clip_once(cut: tuple[Document, Path]) -> None:
    sequence = cut[0].sequences[0]
    assert groups_of_tracks({"A1": 900, "A2": 200, "A3": 1000, "A4": 5}, 1100) == [["A1", "A2"], ["A3", "A4"]]
    parts = [with_tracks(sequence, ["A1", "A2"]), with_tracks(sequence, ["A3"])]
    stretches = reels(sequence, 2)
    assert stretches[0][1] == stretches[1][0] and (stretches[0][0], stretches[1][1]) == (0, 220)
    for pieces in (
        parts,
        [with_reel(sequence, *stretch, number) for number, stretch in enumerate(stretches, 1)],
    ):
        found = sorted((item.id, item.start) for piece in pieces for item in piece.items())
        assert found == sorted((item.id, item.start) for item in sequence.items())
        assert {(piece.duration, piece.start) for piece in pieces} == {(220, 90_000)}


def test_the_command_line_splits_on_request(
    cut: tuple[Document, Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    document, _ = cut
    monkeypatch.setattr("wexodos.turnover.splitting.ROOM", 3 << 20)
    monkeypatch.setattr(groups_of_tracks, "__defaults__", (3 << 20,))
    destination = find_destination("mixing-omf")
    made = prepared(
        document,
        document.sequences[0],
        destination,
        tmp_path / "s.xml",
        tmp_path / "out.omf",
        Options(turnover=(("split", "tracks"),)),
        lambda *_: None,
    )
    assert len(made) > 1 and [one.path.name for one in made] == [
        f"out part {number + 1} of {len(made)}.omf" for number in range(len(made))
    ]
    for one in made:
        write_package(one.parts, tmp_path, None, lambda *_: None)
        assert one.carried.errors == 0 and one.path.stat().st_size < MOST_BYTES
        assert str(read_file(one.path).top_level[0].timecode(0)) == "01:00:00:00"


# ---- by the command line


def test_wrong_settings_and_folders_leave_nothing(
    demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    source = str(demo / "kiln-night.xml")
    for setting, words in (
        ("handles", "NAME=VALUE"),
        ("colour=red", "no setting 'colour'"),
        ("bits=20", "bits"),
        ("handles=many", "handles"),
    ):
        assert (
            main(
                [
                    "translate",
                    source,
                    "--to",
                    "mixing-omf",
                    "--out",
                    str(tmp_path / "a.omf"),
                    "--set",
                    setting,
                ]
            )
            == 2
        )
        assert words in capsys.readouterr().err
    assert main(["translate", source, "--to", "mixing-omf", "--out", str(tmp_path / "no" / "a.omf")]) == 4
    assert list(tmp_path.iterdir()) == []


def test_a_stopped_or_failed_turnover_leaves_nothing(cut: tuple[Document, Path], tmp_path: Path) -> None:
    document, _ = cut

    class Stopped(Exception):
        pass

    for name in DESTINATIONS:
        folder = tmp_path / name
        folder.mkdir()
        made = prepared(
            document,
            document.sequences[0],
            find_destination(name),
            folder / "s.xml",
            folder / "out.x",
            Options(),
            lambda *_: None,
        )
        seen = [0]

        def stop(what: str, _share: float, seen: list[int] = seen) -> None:
            seen[0] += what.startswith("writing")
            if seen[0] > 6:
                raise Stopped

        with pytest.raises(Stopped):
            write_package(made[0].parts, folder, None, stop)
        assert list(folder.iterdir()) == []


@pytest.mark.skipif(os.geteuid() == 0, reason="nothing is read-only for this user")
def test_a_read_only_folder_is_refused(cut: tuple[Document, Path], tmp_path: Path) -> None:
    document, _ = cut
    tmp_path.chmod(0o500)
    made = prepared(
        document,
        document.sequences[0],
        find_destination("mixing-omf"),
        tmp_path / "s.xml",
        tmp_path / "o.omf",
        Options(),
        lambda *_: None,
    )
    with pytest.raises(WriteError):
        write_package(made[0].parts, tmp_path, None, lambda *_: None)


@pytest.mark.parametrize("name", DESTINATIONS)
def test_sound_at_another_speed_is_baked_and_nothing_else_changes(
    cut: tuple[Document, Path], tmp_path: Path, name: str
) -> None:
    from dataclasses import replace

    document, _ = cut
    sequence = document.sequences[0]
    first = sequence.tracks[0]
    fast = replace(
        first,
        items=(
            first.items[0],
            replace(first.items[1], speed=Constant(Fraction(-3, 2)), source_in=Fraction(8)),
            first.items[2],
        ),
    )
    changed = replace(sequence, tracks=(fast, *sequence.tracks[1:]))
    carried, path = turned(replace(document, sequences=(changed,)), changed, name, tmp_path)
    assert [(one.item_id, one.fate.value) for one in carried.findings if one.kind == "speed"] == [
        ("b", "baked")
    ]
    back = read_file(path).top_level[0]
    item = next(one for one in back.items() if one.name == "Boom 2")
    assert item.speed == Constant(1) and (item.start, item.duration) == (90, 50)


def test_tracks_in_order_of_stems_and_a_reference_picture(cut: tuple[Document, Path], tmp_path: Path) -> None:
    from PIL import Image

    document, _ = cut
    picture = tmp_path / "reference.png"
    Image.new("RGB", (64, 36), "#203040").save(picture)
    settings = (("by_stem", "yes"), ("reference", str(picture)))
    carried, path = turned(
        document, document.sequences[0], "mixing-aaf-linked", tmp_path, Options(turnover=settings)
    )
    back = read_file(path).top_level[0]
    assert [track.name for track in back.audio_tracks] == ["Dialogue", "Music", "Ambience"]
    assert [item.name for track in back.video_tracks for item in track.items] == ["reference.png"]
    assert {"order", "reference picture"} <= {one.what for one in carried.findings}
    gone = carry_over(
        document,
        document.sequences[0],
        find_destination("mixing-aaf-linked"),
        options=Options(turnover=(("reference", "/nowhere.mov"),)),
    )
    assert gone.errors == 0 and [
        one.fate.value for one in gone.findings if one.what == "reference picture"
    ] == ["left behind"]


def test_levels_and_pans_can_stay_here(cut: tuple[Document, Path], tmp_path: Path) -> None:
    document, _ = cut
    settings = (("levels", "no"), ("pans", "no"), ("fades", "levels"))
    carried, path = turned(
        document, document.sequences[0], "mixing-omf", tmp_path, Options(turnover=settings)
    )
    sounds = [item.sound for item in read_file(path).top_level[0].items()]
    assert all(
        one is not None and one.level.still == (0.0,) and not one.level.keys and one.pan is None
        for one in sounds
    )
    assert {"level", "pan"} <= {one.what for one in carried.findings}
