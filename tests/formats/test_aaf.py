"""AAF: what is read of files that others built, by hand-computed cases; containers that are broken."""

from __future__ import annotations

import random
from fractions import Fraction
from pathlib import Path

import aaf2
import numpy as np
import pytest
from aaf2.auid import AUID

from formats.aaf_maker import PAL, Maker, R
from generated import examples
from wexodos.carryover import carry_over
from wexodos.cli.commands import main
from wexodos.destinations import find_destination
from wexodos.evaluate import Evaluator, state_at
from wexodos.formats import FORMATS, ReadError, aaf, omf, read_file
from wexodos.formats.aaf import ids
from wexodos.formats.aaf.quick import Quick
from wexodos.formats.aaf.write_objects import tagged
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.places import settled, settled_source
from wexodos.formats.mobs.reading_speeds import speed_of
from wexodos.formats.mobs.tree import Operation, Point, SourceClip, Varying
from wexodos.model import Angles, Constant, Document, Marker, NestedUse, Sequence, Variable
from wexodos.timing import Rate


@pytest.fixture
def maker(tmp_path: Path) -> Maker:
    return Maker(tmp_path / "cut.aaf")


def top(
    maker: Maker,
    *slots: object,
    start: int = 90_000,
    fps: int = 25,
    rate: object = R(25, 1),
    drop: bool = False,
) -> Document:
    length = 1000
    maker.mob(
        "CompositionMob",
        "Kiln Night R1",
        maker.slot(1, rate, maker.code(start, fps, length, drop)),
        *slots,
        usage="Usage_TopLevel",
    )
    return read_file(maker.close())


def test_a_dissolve_takes_its_length_from_both_neighbours(maker: Maker) -> None:
    wide = maker.picture("A003C012.mov", "file:///V/kiln/A003C012.mov", "A003", 900_000, 800)
    door = maker.picture("A004C001.mov", "file:///C%3A/kiln/A004%20door.mov", "A004", 1_350_000, 500)
    row = maker.row(
        "picture",
        maker.clip("picture", wide, 1, 112, 132),
        maker.join("picture", "dissolve", 24, 12),
        maker.clip("picture", door, 1, 38, 112),
    )
    found = top(maker, maker.slot(2, R(25, 1), row))
    track = found.sequences[0].video_tracks[0]
    assert [(one.name, one.start, one.duration, one.source_in * 25) for one in track.items] == [
        ("A003C012.mov", 0, 120, 112),
        ("A004C001.mov", 120, 100, 50),
    ]
    assert [(one.type, one.start, one.duration, one.cut) for one in track.transitions] == [
        ("dissolve", 108, 24, 120)
    ]
    assert [(one.path, one.reel, one.start, one.duration) for one in found.media] == [
        ("/V/kiln/A003C012.mov", "A003", 900_000, 800),
        ("C:/kiln/A004 door.mov", "A004", 1_350_000, 500),
    ]
    assert str(found.sequences[0].timecode(0)) == "01:00:00:00"


def test_fades_from_and_to_nothing_forget_nothing_and_move_nothing(maker: Maker) -> None:
    boom = maker.sound("Boom", 36000 * 48000, 480_000)
    rate = R(48000, 1)
    row = maker.row(
        "sound",
        maker.filler("sound", 24_000 + 960),
        maker.join("sound", "crossfade", 960, 0),
        maker.clip("sound", boom, 1, 4801, 54_001),
        maker.join("sound", "crossfade", 480, 480),
        maker.filler("sound", 5_000),
    )
    found = top(maker, maker.slot(2, rate, row))
    item = found.sequences[0].audio_tracks[0].items[0]
    # Cuts between frames: 24,000 samples are 12.5 frames, 54,001 samples 28 frames and a bit.
    assert (item.start, item.duration, item.source_in) == (
        Fraction(25, 2),
        Fraction(54_001, 1920),
        Fraction(4801, 48000),
    )
    assert item.sound is not None and item.sound.fade_in is not None and item.sound.fade_out is not None
    assert (item.sound.fade_in.duration, item.sound.fade_out.duration) == (Fraction(1, 2), Fraction(1, 4))
    assert found.media[0].start == 36000 * 25


def test_two_gains_multiply_and_curves_run_straight_in_gain(maker: Maker) -> None:
    boom = maker.sound("Boom", 0, 480_000)
    half = maker.operation("gain", 96_000, [maker.clip("sound", boom, 1, 0, 96_000)], amplitude=R(1, 2))
    # Points come in any order, and the later of equals counts.
    moving = maker.operation(
        "gain",
        96_000,
        [half],
        amplitude=[(R(1, 1), R(0, 1)), (R(0, 1), R(1, 1)), (R(1, 1), R(1, 1)), (R(1, 2), R(1, 4))],
    )
    found = top(maker, maker.slot(2, R(48000, 1), maker.row("sound", moving)))
    state = [
        state_at(Evaluator(found), found.sequences[0], frame)["sound"][0]["gain_db"] for frame in (0, 12, 25)
    ]
    wanted = [20 * np.log10(0.5 * gain) for gain in (1.0, 1 - 0.75 * 12 / 25, 0.25)]
    assert state == pytest.approx(wanted, abs=1e-4)


def test_two_tracks_are_a_pair_only_where_they_are_panned_or_named_alike(maker: Maker) -> None:
    duo = maker.sound("Duo", 0, 480_000, 2)
    rate = R(48000, 1)

    def track(channel: int, pan: int | None) -> object:
        row = maker.row("sound", maker.clip("sound", duo, channel, 0, 96_000))
        return row if pan is None else maker.operation("pan", row.length, [row], pan=R(pan, 1))

    found = top(
        maker,
        maker.slot(2, rate, track(1, 0), 1, "Music"),
        maker.slot(3, rate, track(2, 1), 2, "Music"),
        maker.slot(4, rate, track(1, None), 3, "Left"),
        maker.slot(5, rate, track(2, None), 4, "Right"),
        maker.slot(6, rate, track(1, None), 5, "Duo"),
        maker.slot(7, rate, track(2, None), 6, "Duo"),
        maker.slot(8, rate, track(1, None), 7),
        maker.slot(9, rate, track(2, None), 8),
    )
    tracks = found.sequences[0].audio_tracks
    assert [
        (one.name, one.items[0].sound.channels, one.items[0].sound.pan)
        for one in tracks
        if one.items[0].sound
    ] == [
        ("Music", (1, 2), None),
        ("Left", (1,), None),
        ("Right", (2,), None),
        ("Duo", (1, 2), None),
        ("", (1, 2), None),
    ]
    assert len(found.media) == 1 and found.media[0].channels == 2


def test_one_slot_of_a_file_of_two_channels_is_a_pair(maker: Maker) -> None:
    duo = maker.sound("Duo", 0, 480_000)
    told = next(one for one in maker.file.content.sourcemobs() if one.name == "Duo.A1").descriptor
    told["Channels"].value, told["BlockAlign"].value = 2, 6
    found = top(maker, maker.slot(2, R(48000, 1), maker.row("sound", maker.clip("sound", duo, 1, 0, 96_000))))
    heard = state_at(Evaluator(found), found.sequences[0], 5)["sound"]
    assert [(one["channel"], one["pan"]) for one in heard] == [(1, -1), (2, 1)]


def test_lengths_are_counted_in_the_rate_of_the_slot_they_stand_in(maker: Maker) -> None:
    rate = R(24000, 1001)
    wide = maker.picture("A.mov", None, "A001", 86_400, 800, rate, 24)
    found = top(
        maker,
        maker.slot(2, R(30000, 1001), maker.row("picture", maker.clip("picture", wide, 1, 10, 1000))),
        start=107_892,
        fps=30,
        rate=R(30000, 1001),
        drop=True,
    )
    sequence, item = found.sequences[0], found.sequences[0].video_tracks[0].items[0]
    assert str(sequence.timecode(0)) == "01:00:00;00"
    assert item.duration == 1000 and item.source_in == Fraction(10 * 1001, 30000)
    # 10 frames of the cut are 8 of the medium; a frame between two of them shows the earlier one.
    frames = [state_at(Evaluator(found), sequence, at)["picture"][0]["source_frame"] for at in (0, 1, 2, 5)]
    assert frames == [8, 8, 9, 12]


def test_disabled_nested_angles_and_lost_sources_keep_their_places(maker: Maker) -> None:
    rate = R(25, 1)
    wide = maker.picture("A.mov", None, "A001", 0, 800)
    close = maker.picture("B.mov", None, "B001", 0, 800)
    inner = maker.mob(
        "CompositionMob",
        "Three fires",
        maker.slot(1, rate, maker.row("picture", maker.clip("picture", wide, 1, 5, 60))),
    )
    off = maker.file.create.Selector(media_kind="picture", length=40)
    off["Selected"].value = maker.filler("picture", 40)
    off["Alternates"].append(maker.clip("picture", wide, 1, 0, 40))
    flag = maker.file.create.TaggedValue()
    flag["Name"].value, flag["Value"].value = "_DISABLE_CLIP_FLAG", 1
    off["ComponentAttributeList"].value = [flag]
    angles = maker.file.create.Selector(media_kind="picture", length=30)
    angles["Selected"].value = maker.clip("picture", close, 1, 20, 30)
    angles["Alternates"].append(maker.clip("picture", wide, 1, 25, 30))
    gone = maker.file.create.SourceClip(start=0, length=25, slot_id=1, media_kind="picture")
    row = maker.row(
        "picture",
        off,
        maker.clip("picture", inner, 1, 10, 50),
        angles,
        gone,
        maker.clip("picture", wide, 1, 0, 10),
    )
    found = top(maker, maker.slot(2, rate, row))
    items = found.top_level[0].video_tracks[0].items
    assert [(one.start, one.duration, one.kind, one.enabled) for one in items] == [
        (0, 40, "clip", False),
        (40, 50, "nested", True),
        (90, 30, "multicam", True),
        (120, 25, "clip", True),
        (145, 10, "clip", True),
    ]
    assert isinstance(items[1].content, NestedUse) and items[1].source_in == Fraction(10, 25)
    chosen = items[2].content
    assert isinstance(chosen, Angles) and [(one.name, one.offset) for one in chosen.angles] == [
        ("B.mov", 0),
        ("A.mov", Fraction(1, 5)),
    ]
    assert any("not in the file" in note.text for note in found.notes)
    assert [one.name for one in found.sequences if not one.top_level] == ["Three fires"]


def test_stacked_pictures_share_one_slot_and_sizes_add_up(maker: Maker) -> None:
    rate = R(25, 1)
    wide = maker.picture("A.mov", None, "A001", 0, 800)
    clip = maker.operation(
        "scale",
        50,
        [maker.operation("crop", 50, [maker.clip("picture", wide, 1, 0, 50)], crop_left=R(-1, 2))],
        scale_x=R(1, 2),
        scale_y=[(R(0, 1), R(1, 1)), (R(1, 1), R(0, 1))],
    )
    clip = maker.operation("position", 50, [clip], position_x=R(1, 4), position_y=R(-1, 2))
    strange = maker.operation(
        "rotate",
        50,
        [maker.operation("opacity", 50, [maker.clip("picture", wide, 1, 0, 50)], opacity=R(1, 4))],
        rotation=R(30, 1),
    )
    scope = maker.file.create.NestedScope(media_kind="picture", length=150)
    gap = maker.file.create.ScopeReference(media_kind="picture", length=100)
    gap["RelativeScope"].value, gap["RelativeSlot"].value = 0, 1
    scope["Slots"].value = [
        maker.row("picture", clip, strange),
        maker.row("picture", gap, maker.clip("picture", wide, 1, 0, 50)),
    ]
    found = top(maker, maker.slot(2, rate, scope))
    layers = state_at(Evaluator(found), found.sequences[0], 25)["picture"]
    assert layers[0]["center"] == [960 + 240, 540 - 270]
    assert layers[0]["size"] == [960, 540] and layers[0]["crop"] == [0.25, 0, 0, 0]
    other = state_at(Evaluator(found), found.sequences[0], 60)["picture"]
    assert (other[0]["rotation"], other[0]["opacity"]) == (30, 0.25)
    assert [one.start for one in found.sequences[0].video_tracks[1].items] == [100]


@pytest.mark.parametrize("wrapped", [0, 1, 2])
def test_what_lies_below_is_no_clip_even_in_a_row_of_its_own(maker: Maker, wrapped: int) -> None:
    # A picture in picture: the background first, then what the effect acts on, each perhaps in a row of one.
    rate = R(25, 1)
    wide, inset = maker.picture("A.mov", None, "A001", 0, 800), maker.picture("B.mov", None, "B001", 0, 800)
    gap = maker.file.create.ScopeReference(media_kind="picture", length=50)
    gap["RelativeScope"].value, gap["RelativeSlot"].value = 0, 1
    below, front = gap, maker.clip("picture", inset, 1, 20, 50)
    for _ in range(wrapped):
        below, front = maker.row("picture", below), maker.row("picture", front)
    moved = maker.operation("scale", 50, [below, front], scale_x=R(1, 2), scale_y=R(1, 2))
    moved = maker.operation("position", 50, [moved], position_x=R(1, 4), position_y=R(0, 1))
    scope = maker.file.create.NestedScope(media_kind="picture", length=50)
    scope["Slots"].value = [
        maker.row("picture", maker.clip("picture", wide, 1, 0, 50)),
        maker.row("picture", moved),
    ]
    found = top(maker, maker.slot(2, rate, scope))
    one, two = found.sequences[0].video_tracks
    assert [found.media_by_id[item.content.media].name for item in (*one.items, *two.items)] == [
        "A.mov",
        "B.mov",
    ]  # type: ignore
    front_state = state_at(Evaluator(found), found.sequences[0], 10)["picture"][-1]
    assert (front_state["center"], front_state["size"]) == ([960 + 240, 540], [960, 540])
    assert two.items[0].source_in == Fraction(20, 25)


def test_effects_nobody_knows_are_kept_by_name_and_the_clip_plays_on(maker: Maker) -> None:
    wide = maker.picture("A.mov", None, "A001", 0, 800)
    auid = AUID("7f0c2d11-0000-4c11-9d11-aaaaaaaaaaaa")
    made = maker.file.create.OperationDef(auid, "Night glow", "")
    made.media_kind = "picture"
    made["NumberInputs"].value, made["OperationCategory"].value = 1, "OperationCategory_Effect"
    maker.file.dictionary.register_def(made)
    group = maker.file.create.OperationGroup(auid, length=50, media_kind="picture")
    group.segments.append(maker.clip("picture", wide, 1, 7, 50))
    found = top(maker, maker.slot(2, R(25, 1), maker.row("picture", group)))
    item = found.sequences[0].video_tracks[0].items[0]
    assert [one.name for one in item.effects] == ["Night glow"] and item.source_in == Fraction(7, 25)


# ---- speeds, hand-computed


def warp(length: int, taken: int, start: int = 100, **settings: object) -> tuple[object, Fraction]:
    clip = SourceClip("picture", taken, "m", 1, start)
    operation = Operation(
        "picture", length, "speed", [clip], {key.replace("_", "-"): value for key, value in settings.items()}
    )  # type: ignore[misc]
    speed, first = speed_of(operation, start, Rate(25), Rate(25))
    return speed, Fraction(first) * 25


@pytest.mark.parametrize(
    ("length", "taken", "ratio", "pace"),
    [
        (50, 25, Fraction(2), Fraction(1, 2)),
        (20, 39, Fraction(20, 39), Fraction(2)),
        (40, 30, Fraction(1333333, 1000000), Fraction(3, 4)),
        (40, 1, Fraction(40), 0),
        (25, 50, Fraction(-1, 2), Fraction(-2)),
    ],
)
def test_the_speed_behind_a_ratio(length: int, taken: int, ratio: Fraction, pace: Fraction) -> None:
    speed, first = warp(length, taken, speed_ratio=ratio)
    assert speed == Constant(pace)
    # Played backwards, the first frame shown is the last one used.
    assert first == (100 + taken if pace < 0 else 100)


def test_a_drawn_map_counts_before_everything() -> None:
    speed, first = warp(
        40,
        61,
        speed_ratio=Fraction(1),
        offset_map=Varying(
            [Point(0, 0.0, 0), Point(20, 40.0, 40), Point(10, 20.0, 20), Point(40, 60.0, 60)], "frames"
        ),
    )
    assert isinstance(speed, Variable) and first == 100
    assert [(one.time, one.source * 25) for one in speed.points] == [(0, 100), (20, 140), (40, 160)]
    backwards, first = warp(10, 10, offset_map=Varying([Point(0, 9.0, 9), Point(10, -1.0, -1)], "frames"))
    assert backwards == Constant(-1) and first == 110
    # Shares of the length count the last frame as 1 there: 39 frames lie between 0 and 1.
    shared, _ = warp(40, 79, offset_map=Varying([Point(0, 0.0, 0), Point(1, 78.0, 78)], "share", last=True))
    assert shared == Constant(2)
    constant, _ = warp(30, 44, speed_map=Varying([Point(0, 1.5)], "frames"), speed_ratio=Fraction(30, 44))
    assert constant == Constant(Fraction(3, 2))


# ---- places between samples


@pytest.mark.parametrize("rate", [Rate(25), Rate(24000, 1001), Rate(30000, 1001), Rate(60000, 1001)])
def test_what_is_on_a_frame_stays_on_it_and_what_is_on_a_sample_stays_there(rate: Rate) -> None:
    units = Rate(48000)
    assert all(settled(frame, rate, units) == frame for frame in range(0, 20_000, 37))
    assert all(
        settled_source(rate.seconds(frame), units, rate) == rate.seconds(frame)
        for frame in range(0, 20_000, 37)
    )
    exact = [rate.frames(units.seconds(sample)) for sample in range(1, 60_000, 611)]
    moved = [one for one in exact if settled(one, rate, units) != one]
    # Only where a frame lies less than half a sample away: those become the frame.
    assert all(abs(float(units.frames(rate.seconds(one - round(one))))) <= 0.5 for one in moved)


# ---- damage


def test_chains_that_run_in_circles_are_refused_at_once(maker: Maker, tmp_path: Path) -> None:
    maker.picture("A.mov", None, "A001", 0, 800)
    top(maker)
    whole = (tmp_path / "cut.aaf").read_bytes()
    sector = 1 << int.from_bytes(whole[30:32], "little")
    fat = (int.from_bytes(whole[76:80], "little") + 1) * sector
    table = np.frombuffer(whole, "<u4", sector // 4, fat).copy()
    chained = [place for place in range(len(table)) if table[place] < 0xFFFFFFF0]
    for change in (
        lambda t: t.__setitem__(chained[3], chained[2]),
        lambda t: t.__setitem__(chained[3], chained[3]),
        lambda t: t.__setitem__(chained[3], len(table) + 5),
    ):
        broken = table.copy()
        change(broken)
        path = tmp_path / "broken.aaf"
        path.write_bytes(whole[:fat] + broken.tobytes() + whole[fat + sector :])
        with pytest.raises(ReadError):
            read_file(path)


def test_damaged_copies_are_read_or_refused_in_one_sentence(
    maker: Maker, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    boom = maker.sound("Boom", 0, 480_000)
    wide = maker.picture("A.mov", "file:///a/A.mov", "A001", 0, 800)
    top(
        maker,
        maker.slot(2, R(25, 1), maker.row("picture", maker.clip("picture", wide, 1, 5, 60))),
        maker.slot(
            3,
            R(48000, 1),
            maker.row(
                "sound",
                maker.operation("gain", 96_000, [maker.clip("sound", boom, 1, 0, 96_000)], amplitude=R(1, 2)),
            ),
        ),
    )
    whole = (tmp_path / "cut.aaf").read_bytes()
    random_ = random.Random(7)
    path = tmp_path / "damaged.aaf"
    for number in range(examples(40)):
        data = bytearray(whole[: random_.randrange(600, len(whole))] if number % 4 == 0 else whole)
        for _ in range(random_.choice((1, 4, 30))):
            data[random_.randrange(len(data))] = random_.randrange(256)
        path.write_bytes(data)
        status = main(["inspect", str(path)])
        told = capsys.readouterr()
        assert status in (0, 3), told.err
        assert "Traceback" not in told.err and (status == 0 or len(told.err.strip().splitlines()) >= 1)


def test_the_ids_of_the_tables_are_distinct_and_all_that_is_written_is_in_them() -> None:
    for word, (_, _, _, _, settings) in ids.WRITTEN_OPERATIONS.items():
        assert ids.OPERATIONS[ids.operation_id(word)] == word
        assert all(ids.PARAMETERS[ids.parameter_id(one)] == one for one in settings)
    assert FORMATS["aaf"].matches(bytes.fromhex("d0cf11e0a1b11ae1"))


# ---- strict readers


@pytest.mark.parametrize("name", ["grading-aaf", "finishing-aaf", "mixing-aaf-embedded", "mixing-omf"])
@pytest.mark.sampled(2)
def test_what_is_written_adds_up_and_leads_somewhere(kiln_night: Document, tmp_path: Path, name: str) -> None:
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination(name))
    path = tmp_path / "cut"
    path.write_bytes(carried.data)
    file = (omf if name == "mixing-omf" else aaf).tree_of(path)
    assert len({mob.id for mob in file.mobs.values()}) == len(file.mobs) and len(file.top) == 1
    for mob in file.mobs.values():
        assert len({slot.id for slot in mob.slots}) == len(mob.slots)
        stack = [slot.segment for slot in mob.slots]
        while stack:
            one = stack.pop()
            stack += tree.inside(one)
            if isinstance(one, tree.SourceClip) and one.mob:
                assert (
                    one.mob in file.mobs and file.mobs[one.mob].slot(one.slot) is not None and one.start >= 0
                )
            elif isinstance(one, tree.Sequence) and one.kind != "metadata":
                assert one.length == sum(
                    -part.length if isinstance(part, tree.Transition) else part.length for part in one.parts
                )
                assert not isinstance(one.parts[0], tree.Transition) and not isinstance(
                    one.parts[-1], tree.Transition
                )
                for before, part, after in zip(one.parts, one.parts[1:], one.parts[2:]):
                    if isinstance(part, tree.Transition):
                        assert before.length >= part.length <= after.length and 0 <= part.cut <= part.length
        if mob.kind == "composition":
            ends = {
                slot.rate.seconds(slot.segment.length)
                for slot in mob.slots
                if slot.segment.kind in ("picture", "sound")
            }
            assert ends == {kiln_night.top_level[0].duration / 25}


# ---- markers


def marked(maker: Maker, *notes: tuple[str, object], **fields: object) -> object:
    made = maker.file.create.DescriptiveMarker()
    made["Position"].value = 12
    made["DescribedSlots"].value = {2}
    for name, value in fields.items():
        made[name].value = value
    made["CommentMarkerAttributeList"].value = [tagged(Quick(maker.file), key, value) for key, value in notes]  # type: ignore[arg-type]
    return made


@pytest.mark.parametrize(
    ("notes", "fields", "color"),
    [
        ((("_ATN_CRM_COLOR", "Green"),), {}, "#33cc33ff"),
        ((("_ATN_CRM_COLOR", "WHITE"),), {}, "#ffffffff"),
        ((("_ATN_CRM_COLOR", "Mauve"),), {}, None),
        ((), {"CommentMarkerColor": {"red": 52428, "green": 13107, "blue": 52428}}, "#cc33ccff"),
        # The colour itself says more than its name.
        (
            (("_ATN_CRM_COLOR", "Red"),),
            {"CommentMarkerColor": {"red": 0, "green": 65535, "blue": 256}},
            "#00ff01ff",
        ),
        ((), {}, None),
    ],
)
def test_a_marker_has_the_colour_that_either_field_gives_it(
    maker: Maker, notes: tuple[tuple[str, object], ...], fields: dict[str, object], color: str | None
) -> None:
    wide = maker.picture("A.mov", None, "A001", 0, 800)
    slot = maker.file.create.EventMobSlot()
    slot.slot_id = 1002
    slot["EditRate"].value = R(25, 1)
    row = maker.file.create.Sequence(media_kind="DescriptiveMetadata")
    row["Components"].value = [marked(maker, *notes, Comment="flame out", **fields)]
    slot.segment = row
    found = top(
        maker, maker.slot(2, R(25, 1), maker.row("picture", maker.clip("picture", wide, 1, 0, 50))), slot
    )
    (marker,) = found.sequences[0].markers
    assert (marker.start, marker.comment, marker.color) == (12, "flame out", color)


def test_the_words_of_a_marker_stand_in_every_field_that_a_receiver_may_read(tmp_path: Path) -> None:
    markers = (
        Marker(3, 0, "Cone 9"),
        Marker(5, 0, "", "look"),
        Marker(7, 0, "door", "door"),
        Marker(9, 0, "a", "b"),
    )
    sequence = Sequence("s", "Cut", Rate(25), 90_000, tracks=(), markers=markers, stated_duration=50)
    path = tmp_path / "cut.aaf"
    path.write_bytes(FORMATS["aaf"].write(Document("aaf", "1.1", (sequence,), ()), "s", "1.1", None))
    with aaf2.open(str(path)) as file:
        events = [
            event
            for mob in file.content.compositionmobs()
            for slot in mob.slots
            if type(slot).__name__ == "EventMobSlot"
            for event in slot.segment["Components"].value
        ]
        told = [
            (
                event["Comment"].value,
                {tag.name: tag.value for tag in event["CommentMarkerAttributeList"].value}["_ATN_CRM_COM"],
            )
            for event in events
        ]
    assert told == [("Cone 9", "Cone 9"), ("look", "look"), ("door", "door"), ("b", "b")]
    assert read_file(path).sequences[0].markers == markers


def test_every_marker_has_a_colour_and_one_of_which_nothing_was_said_has_none_at_home(tmp_path: Path) -> None:
    markers = (Marker(3, 0, "Cone 9"), Marker(5, 4, "look", color="#3333ccff"))
    sequence = Sequence("s", "Cut", Rate(25), 90_000, tracks=(), markers=markers, stated_duration=50)
    path = tmp_path / "cut.aaf"
    path.write_bytes(FORMATS["aaf"].write(Document("aaf", "1.1", (sequence,), ()), "s", "1.1", None))
    told = []
    with aaf2.open(str(path)) as file:
        for mob in file.content.compositionmobs():
            for slot in mob.slots:
                if type(slot).__name__ == "EventMobSlot":
                    for event in slot.segment["Components"].value:
                        notes = {tag.name: tag.value for tag in event["CommentMarkerAttributeList"].value}
                        told.append(
                            (
                                dict(event["CommentMarkerColor"].value),
                                notes["_ATN_CRM_COLOR"],
                                notes["_ATN_CRM_LENGTH"],
                            )
                        )
    red, blue = (0xA1, 0x2F, 0x19), (0x33, 0x33, 0xCC)
    names = ("red", "green", "blue")
    assert told == [
        ({name: part * 257 for name, part in zip(names, red)}, "Red", 1),
        ({name: part * 257 for name, part in zip(names, blue)}, "Blue", 4),
    ]
    assert read_file(path).sequences[0].markers == markers


def test_what_was_said_of_a_marker_over_there_counts_though_our_notes_still_stand(tmp_path: Path) -> None:
    markers = (Marker(3, 0, "Cone 9"), Marker(5, 0, "look"))
    sequence = Sequence("s", "Cut", Rate(25), 90_000, tracks=(), markers=markers, stated_duration=50)
    path = tmp_path / "cut.aaf"
    path.write_bytes(FORMATS["aaf"].write(Document("aaf", "1.1", (sequence,), ()), "s", "1.1", None))
    with aaf2.open(str(path), "rw") as file:
        for mob in file.content.compositionmobs():
            for slot in mob.slots:
                if type(slot).__name__ == "EventMobSlot":
                    first = slot.segment["Components"].value[0]
                    first["Comment"].value = "opened too early"
                    first["CommentMarkerColor"].value = {"red": 0x3333, "green": 0xCCCC, "blue": 0x3333}
    changed, same = read_file(path).sequences[0].markers
    assert (changed.name, changed.comment, changed.color) == ("Cone 9", "opened too early", "#33cc33ff")
    assert same == markers[1]


def test_the_one_channel_of_a_recording_that_is_there_keeps_its_number(tmp_path: Path) -> None:
    make = Maker(tmp_path / "second.aaf")
    both = make.sound("boom", 48000 * 3600, 480_000, 2)
    second = both.slots[1].segment.mob
    locator = make.file.create.NetworkLocator()
    locator["URLString"].value = "file:///k/boom.A2.wav"
    second.descriptor["Locator"].append(locator)
    rate = R(48000, 1)
    alone = make.mob(
        "MasterMob", "boom alone", make.slot(2, rate, make.clip("sound", second, 1, 0, 480_000), 2)
    )
    row = make.row("sound", make.clip("sound", alone, 2, 96_000, 96_000))
    cut = make.slot(1, PAL, make.code(90_000, 25, 50)), make.slot(2, rate, row)
    make.mob("CompositionMob", "Kiln Night", *cut, usage="Usage_TopLevel")
    document = read_file(make.close())
    (item,) = document.top_level[0].items()
    media = document.media_by_id[item.content.media]  # type: ignore[union-attr]
    # The file holds one channel; it is the second of the recording, and is looked for as such.
    assert item.sound is not None and item.sound.channels == (2,)
    assert media.channels == 2 and ("channel 2", "/k/boom.A2.wav") in media.metadata
