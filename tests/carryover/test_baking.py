"""What is rendered for the other side shows what it stood for, frame by frame, and becomes it again at home."""

from __future__ import annotations

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

import av
import msgspec
import numpy as np
import pytest
from PIL import Image

from wexodos.carryover import Choices, Options, carry_over, put_back
from wexodos.cli.commands import main
from wexodos.compare import compare
from wexodos.demo.build import CUT
from wexodos.destinations import find_destination, load_all
from wexodos.evaluate.layers import layers_at
from wexodos.formats import read_file
from wexodos.ground import quiet
from wexodos.ground.errors import WriteError
from wexodos.model import (
    Constant,
    Curve,
    Document,
    Effect,
    Item,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    Title,
    Track,
    constant,
    curve,
)
from wexodos.picture import Composer, Frames
from wexodos.picture.compose import Shot
from wexodos.settling.receiver import Destination, Filters, Generators, Nests, Speed, Titles
from wexodos.settling.vocabulary import Fate, Remedy
from wexodos.sound.locate import Finder
from wexodos.tidy import Render
from wexodos.turnover.run import prepared
from wexodos.turnover.write import PartKind, write_package

PICTURED = [one.id for one in load_all(Path("/nowhere"))[0] if one.for_ not in ("mixing", "archive")]
KINDS = ("title", "generator", "speed", "filter", "colour", "nested", "opacity")
EVERYTHING = Choices(by_what=dict.fromkeys(KINDS, Remedy.BAKE))


def bare(name: str, nests: bool = True) -> Destination:
    """A destination that has no titles, generators, filters and speeds; nor nests and blend modes."""
    plain = find_destination(name)
    nothing = Speed(constant=False, variable=False, freeze=False, reverse=False)
    return msgspec.structs.replace(
        plain,
        titles=Titles(carry=False),
        generators=Generators(kinds=[]),
        filters=Filters(carry=False, known=[]),
        speed=nothing,
        nests=plain.nests if nests else Nests(carry=False),
        pictures=plain.pictures if nests else msgspec.structs.replace(plain.pictures, blends=["normal"]),
    )


@pytest.mark.parametrize("name", PICTURED)
@pytest.mark.sampled(5)
def test_all_that_can_be_is_rendered_and_comes_home(name: str, kiln_night: Document) -> None:
    sequence, destination = kiln_night.top_level[0], find_destination(name)
    plain = carry_over(kiln_night, sequence, destination)
    offered = {one.item_id for one in plain.findings if Remedy.BAKE in one.remedies}
    away = carry_over(kiln_night, sequence, destination, EVERYTHING)
    assert away.errors == 0 and plain.renders == ()
    baked = [one for one in away.findings if one.fate is Fate.BAKED]
    assert {one.item_id for one in baked} == offered == {one.item for one in away.renders}
    assert len(baked) == len(offered) >= {"editing-track-xml": 0, "editing-lane-xml": 1}.get(name, 2)
    assert all(one.minutes == 0 and one.remedy is Remedy.BAKE for one in baked)
    assert away.minutes < plain.minutes or not baked
    there = {media.file_name for media in away.returned.media}
    assert {one.media.file_name for one in away.renders} <= there
    if destination.format in ("xmeml", "fcpxml", "aaf"):
        home = put_back(kiln_night, sequence, destination, away.returned, away.returned_sequence, EVERYTHING)
        left = compare(kiln_night, sequence, home.document, home.sequence)
        # Also the nests that could only be unfolded there.
        assert left == []


def test_one_finding_is_rendered_alone_and_no_longer(kiln_night: Document) -> None:
    sequence, destination = kiln_night.top_level[0], find_destination("grading-lane-xml")
    plain = carry_over(kiln_night, sequence, destination)
    titles = [one for one in plain.findings if one.kind == "title" and Remedy.BAKE in one.remedies]
    first = titles[0]
    one = carry_over(kiln_night, sequence, destination, Choices(by_key={first.key: Remedy.BAKE}))
    (done,) = [found for found in one.findings if found.fate is Fate.BAKED]
    assert done.key == first.key and set(done.remedies) == set(first.remedies)
    assert [render.item for render in one.renders] == [first.item_id]
    # All of a kind but one, for which something else was decided.
    choices = Choices(by_key={first.key: Remedy.LEAVE}, by_what={"title": Remedy.BAKE})
    most = carry_over(kiln_night, sequence, destination, choices)
    assert {render.item for render in most.renders} == {found.item_id for found in titles[1:]}
    # What is switched off has no picture that could be rendered.
    tracks = tuple(
        replace(
            track,
            items=tuple(
                replace(item, enabled=False) if item.id == first.item_id else item for item in track.items
            ),
        )
        for track in sequence.tracks
    )
    off = replace(sequence, tracks=tracks)
    whole = replace(
        kiln_night, sequences=tuple(off if one.id == off.id else one for one in kiln_night.sequences)
    )
    without = carry_over(whole, off, destination, EVERYTHING)
    assert first.item_id not in {render.item for render in without.renders} and without.errors == 0
    # For sound there is nothing to render.
    mix = carry_over(kiln_night, sequence, find_destination("mixing-lane-xml"), EVERYTHING)
    assert mix.renders == () and not any(Remedy.BAKE in found.remedies for found in mix.findings)


def picture(composer: Composer, sequence: Sequence, frame: int) -> np.ndarray:
    return np.asarray(composer.frame(sequence, frame, sequence.frame_size[1]).picture[..., :3])


class Baked(NamedTuple):
    """A cut of every speed and a roll, and what was written of it with its renders."""

    source: Path
    document: Document
    sequence: Sequence
    target: Path
    renders: dict[str, str]
    speeds: dict[str, Constant]


@pytest.fixture(scope="module")
def baked(whole_demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Baked:
    source = whole_demo / CUT
    document = read_file(source)
    sequence = document.top_level[0]
    first = sequence.video_tracks[0]
    # The demo has no reverse and no even speed; its roll and its ramp are longer than need be.
    edges = {join.cut for join in first.transitions}
    spare = [
        item
        for item in first.items
        if item.kind == "clip" and item.speed == Constant(1) and item.duration > 60
        and not {item.start, item.end} & edges
    ][:2]  # fmt: skip
    speeds = {one.id: Constant(rate) for one, rate in zip(spare, (Fraction(-1, 2), Fraction(3, 2)))}
    assert len(speeds) == 2

    def short(item: Item) -> Item:
        if item.id in speeds:
            speed = speeds[item.id]
            begin = item.source_in + (Fraction(item.duration, 50) if speed.rate < 0 else 0)
            return replace(item, speed=speed, source_in=begin, duration=24)
        if isinstance(item.content, Title) and item.content.roll is not None:
            return replace(item, duration=30)
        return item

    tracks = tuple(
        replace(track, items=tuple(map(short, track.items))) if track.kind == "video" else track
        for track in sequence.tracks
    )
    sequence = replace(sequence, tracks=tracks)
    others = tuple(sequence if one.id == sequence.id else one for one in document.sequences)
    document = replace(document, sequences=others)
    target = tmp_path_factory.mktemp("baked") / "Kiln.xml"
    (turned,) = prepared(
        document,
        sequence,
        bare("editing-track-xml", nests=False),
        source,
        target,
        Options(),
        quiet,
        EVERYTHING,
    )
    assert turned.carried.errors == 0
    renders = {one.item: Path(one.media.path or "").name for one in turned.carried.renders}
    assert [part.kind for part in turned.parts].count(PartKind.BAKED) == len(renders)
    write_package(turned.parts, target.parent, source, quiet)
    return Baked(source, document, sequence, target, renders, speeds)


@pytest.mark.thorough
def test_renders_show_what_they_stand_for(baked: Baked) -> None:
    kinds = {item.id: item for item in baked.sequence.items() if item.id in baked.renders}
    assert baked.speeds.keys() < baked.renders.keys()
    assert {item.kind for item in kinds.values()} == {"title", "clip", "freeze", "generator", "nested"}
    written = read_file(baked.target)
    cut = written.top_level[0]
    before = Composer(baked.document, Finder(baked.source, baked.document), Frames())
    after = Composer(written, Finder(baked.target, written), Frames())
    assert "screen" in {item.blend for item in kinds.values()}
    worst, looked = 0.0, 0
    for item in kinds.values():
        # Its ends, where a frame too early or too late shows, and some between them.
        first, last = int(item.start), int(item.end) - 1
        for frame in {first, first + 1, last - 1, last, *range(first, last, 29)}:
            gap = np.abs(picture(before, baked.sequence, frame) - picture(after, cut, frame)).max()
            worst, looked = max(worst, float(gap)), looked + 1
    assert looked > 50
    # A render holds eight bits: half a step at the most, whatever lies over it.
    assert worst <= 1 / 255, worst
    # And they do differ where the render is another frame.
    start = int(kinds[next(iter(baked.speeds))].start)
    other = picture(before, baked.sequence, start + 10)
    assert np.abs(other - picture(after, cut, start + 14)).max() > 0.02


@pytest.mark.thorough
def test_what_stands_still_is_one_picture_with_its_alpha(baked: Baked) -> None:
    (folder,) = [one for one in baked.target.parent.iterdir() if one.is_dir()]
    names = sorted(one.name for one in folder.iterdir())
    assert [one.rpartition(" ")[0] for one in names if one.endswith(".png")] == [
        "Clay pit", "Cone note", "Hour card", "Lower third Ada Quill", "Opening title", "Warm wash"
    ]  # fmt: skip
    title = np.asarray(Image.open(folder / next(one for one in names if one.startswith("Opening"))))
    assert title.shape == (360, 640, 4)
    # Straight alpha: letters have their whole colour wherever they are seen at all.
    inside, edge = title[..., 3] == 255, (title[..., 3] > 8) & (title[..., 3] < 200)
    assert inside.sum() > 200 and edge.sum() > 50 and (title[..., 3] == 0).sum() > 100_000
    colour = np.median(title[inside][:, :3], axis=0)
    assert np.abs(title[edge][:, :3].astype(int) - colour).max() <= 255 / 8 / 2
    (roll,) = [one for one in names if one.startswith("Credits")]
    with av.open(str(folder / roll)) as container:
        assert container.streams.video[0].codec_context.pix_fmt == "rgba"
        assert container.streams.video[0].frames == 30


def test_the_command_line_bakes_what_is_asked_for(whole_demo: Path, tmp_path: Path) -> None:
    arguments = ["translate", str(whole_demo / CUT), "--to", "grading-lane-xml", "--out", str(tmp_path / "a")]
    (tmp_path / "a").mkdir()
    report = json.loads(_told(arguments, "--bake", "generators"))
    assert {one["kind"] for one in report["findings"] if one["fate"] == "baked"} == {"generator"}
    (wash,) = (tmp_path / "a").rglob("Warm*.png")
    assert {tuple(one) for one in np.asarray(Image.open(wash)).reshape(-1, 4)} == {(0xE0, 0x78, 0x3C, 0xFF)}
    # What this destination proposes: speeds.
    proposed = find_destination("grading-lane-xml").baking.proposed
    assert proposed == ["speeds"] and find_destination("mixing-omf").baking.proposed == []


def _told(arguments: list[str], *more: str) -> str:
    import contextlib
    import io

    said = io.StringIO()
    with contextlib.redirect_stdout(said):
        assert main([*arguments, *more, "--json"]) == 0
    return said.getvalue()


@pytest.mark.thorough
def test_a_trimmed_package_renders_from_the_whole_media(whole_demo: Path, tmp_path: Path) -> None:
    """What is rendered is drawn from the files that are here, not from the stretches that go along."""
    out = tmp_path / "out"
    arguments = ["package", str(whole_demo / CUT), "--to", "grading-lane-xml", "--out", str(out)]
    arguments += ["--mix", "none", "--no-papers", "--media", "trimmed", "--bake", "proposed"]
    data = json.loads(_told(arguments))
    assert data["unexplained"] == 0
    (render,) = [out / one["path"] for one in data["parts"] if one["part"] == "baked"]
    source = whole_demo / CUT
    document = read_file(source)
    cut = document.top_level[0]
    (ramp,) = [item for item in cut.items() if item.name == "Throwing wide" and item.speed != Constant(1)
               and item.motion is not None]  # fmt: skip
    composer = Composer(document, Finder(source, document), Frames())
    with av.open(str(render)) as container:
        frames = [frame.to_ndarray(format="rgb24") for frame in container.decode(video=0)]
    rate = cut.rate
    begin = int(ramp.start) - (len(frames) - int(ramp.duration))
    for number in (0, 40, len(frames) // 2, len(frames) - 1):
        layer = next(one for one in layers_at(composer.evaluator, cut, begin + number, ramp.id))
        shown = composer.source(layer, (640, 360), Shot(np.zeros((1, 1, 4), np.float32)))
        assert np.abs(frames[number] / 255 - shown[..., :3]).max() <= 1 / 255, number
    assert rate.fps == 25


def test_a_render_that_was_cut_over_there_stays_one(kiln_night: Document) -> None:
    sequence, destination = kiln_night.top_level[0], bare("grading-track-xml")
    away = carry_over(kiln_night, sequence, destination, EVERYTHING)
    by_name = {item.id: item for item in sequence.items()}
    speeds = [r.item for r in away.renders if isinstance(by_name[r.item].content, MediaUse)]
    titles = [r.item for r in away.renders if isinstance(by_name[r.item].content, Title)]

    other = next(one.content for one in away.returned_sequence.items() if one.id not in by_name or (
        isinstance(one.content, MediaUse) and one.id not in {r.item for r in away.renders}
    ))  # fmt: skip

    def shorter(item: Item) -> Item:
        if item.id == titles[1]:
            return replace(item, content=other)
        return replace(item, duration=item.duration - 5) if item.id in (speeds[0], titles[0]) else item

    tracks = tuple(
        replace(track, items=tuple(map(shorter, track.items))) for track in away.returned_sequence.tracks
    )
    back = replace(away.returned_sequence, tracks=tracks)
    whole = replace(away.returned, sequences=(back, *away.returned.sequences[1:]))
    home = put_back(kiln_night, sequence, destination, whole, back, EVERYTHING)
    there = {item.id: item for item in home.sequence.items()}
    # Frames count in a ramp: cut, the render knows more than the original. Words do not care.
    assert there[speeds[0]].speed == Constant(1)
    assert isinstance(there[titles[0]].content, Title)
    # What somebody put another picture in the place of stays that.
    assert there[titles[1]].content == other
    assert there[titles[0]].duration == by_name[titles[0]].duration - 5


def test_what_stands_in_a_nest_is_rendered_there(kiln_night: Document) -> None:
    sequence = kiln_night.top_level[0]
    (nest,) = [one for one in kiln_night.sequences if one.name == "Three fires"]
    title = next(one for one in sequence.items() if one.name == "Opening title")
    inside = replace(title, id="inside", start=10, duration=20)
    fuller = replace(nest, tracks=(*nest.video_tracks, Track("video", (inside,)), *nest.audio_tracks))
    whole = replace(
        kiln_night, sequences=tuple(fuller if one is nest else one for one in kiln_night.sequences)
    )
    cut = whole.sequences_by_id[sequence.id]
    away = carry_over(whole, cut, bare("editing-track-xml"), EVERYTHING)
    assert away.errors == 0
    (render,) = [one for one in away.renders if one.item == "inside"]
    assert render.sequence is not None and render.sequence.id == nest.id
    back = next(one for one in away.returned.sequences if one.name == "Three fires")
    media = away.returned.media_by_id
    there = [media[one.content.media].file_name for one in back.items() if isinstance(one.content, MediaUse)]
    assert render.media.file_name in there


def test_of_a_nest_that_is_rendered_only_the_sound_goes(kiln_night: Document) -> None:
    """What is inside it cannot be lost any more, and so nothing is said of it; what is heard of it stays."""
    sequence = kiln_night.top_level[0]
    (nest,) = [one for one in kiln_night.sequences if one.name == "Three fires"]
    (shown,) = [one for one in sequence.items() if one.kind == "nested"]
    title = next(one for one in sequence.items() if one.name == "Opening title")
    heard = next(one for one in sequence.items() if one.sound is not None and one.kind == "clip")
    inner = Sequence(
        "inner",
        "Inner",
        nest.rate,
        tracks=(Track("video", (replace(title, id="deep", start=0, duration=20),)),),
    )
    within = replace(shown, id="in inner", content=NestedUse("inner"), start=10, duration=10, source_in=0)
    voice = replace(heard, id="inside", start=4, duration=20, markers=())
    fuller = replace(
        nest,
        tracks=(*nest.video_tracks, Track("video", (within,)), Track("audio", (voice,))),
    )
    sound = replace(shown, id="heard", sound=Sound(channels=(1,)), motion=None, effects=(), link=None)
    cut = replace(sequence, tracks=(*sequence.tracks, Track("audio", (sound,))))
    others = [fuller if one is nest else cut if one is sequence else one for one in kiln_night.sequences]
    whole = replace(kiln_night, sequences=(*others, inner))
    destination = bare("editing-track-xml", nests=False)
    plain = carry_over(whole, cut, destination)
    about = {"deep", "in inner", *(item.id for item in nest.items())}
    assert any(one.item_id in about for one in plain.findings)
    choices = Choices(by_key={f"nested|nested|{shown.id}": Remedy.BAKE})
    away = carry_over(whole, cut, destination, choices)
    assert away.errors == 0
    (render,) = away.renders
    assert render.item == shown.id and (render.media.width, render.media.height) == nest.frame_size
    assert render.media.alpha == "straight"
    assert not any(one.item_id in about for one in away.findings)
    # The sound of the nest stands in the cut itself, where it was heard.
    (there,) = [one for one in away.returned_sequence.items() if one.id.startswith("inside")]
    # It begins ten frames into the nest: six of the voice are behind it then.
    assert sequence.rate.frames(shown.source_in) == 10
    assert (there.start, there.duration) == (shown.start, 14)
    assert plain.counts["carried"] > 0 and away.counts["baked"] == 1
    # Used a second time, where nothing is decided, it goes as it would without.
    twice = replace(shown, id="twice", start=shown.end + 2000)
    again = replace(cut, tracks=(*cut.tracks, Track("video", (twice,))))
    both = replace(whole, sequences=tuple(again if one is cut else one for one in whole.sequences))
    away = carry_over(both, again, destination, choices)
    assert away.errors == 0 and [one.item for one in away.renders] == [shown.id]
    assert any(one.item_id in about for one in away.findings)
    # Of one that is only heard anyway, what its picture loses is said as before.
    dial = replace(title, id="dial", start=0, duration=20)
    radio = Sequence("radio", "Radio", nest.rate, tracks=(Track("video", (dial,)), Track("audio", (voice,))))
    set_on = replace(sound, id="set", content=NestedUse("radio"), start=shown.end + 2000)
    listening = replace(cut, tracks=(*cut.tracks, Track("audio", (set_on,))))
    with_it = replace(
        whole, sequences=(*(listening if one is cut else one for one in whole.sequences), radio)
    )
    said = [
        {
            one.what
            for one in carry_over(with_it, listening, destination, each).findings
            if one.item_id == "dial"
        }
        for each in (Choices(), choices)
    ]
    assert said[0] and said[0] == said[1]
    # One that leads back to itself, as only files of strangers do, is not offered either, and ends.
    circle = replace(inner, tracks=(Track("video", (replace(within, content=NestedUse(nest.id)),)),))
    round_about = replace(whole, sequences=tuple(circle if one is inner else one for one in whole.sequences))
    assert carry_over(round_about, cut, destination, choices).renders == ()
    # One with a filter inside that nobody draws is not offered.
    odd = replace(voice, id="odd", sound=None, motion=Motion(), effects=(Effect("glow"),))
    dark = replace(fuller, tracks=(*fuller.tracks, Track("video", (odd,))))
    unknown = replace(whole, sequences=tuple(dark if one is fuller else one for one in whole.sequences))
    found = carry_over(unknown, cut, destination, choices)
    assert found.renders == () and found.errors == 0
    (told,) = [one for one in found.findings if one.item_id == shown.id and one.kind == "nested"]
    assert Remedy.BAKE not in told.remedies


def test_a_blend_mode_is_rendered_with_what_lies_below(kiln_night: Document) -> None:
    sequence, destination = kiln_night.top_level[0], bare("editing-track-xml", nests=False)
    (item,) = [one for one in sequence.items() if one.blend == "screen"]
    choices = Choices(by_what={"opacity": Remedy.BAKE})
    away = carry_over(kiln_night, sequence, destination, choices)
    (render,) = away.renders
    assert away.errors == 0 and render.item == item.id and render.below
    assert (render.media.width, render.media.height) == sequence.frame_size and render.media.alpha is None
    there = next(one for one in away.returned_sequence.items() if one.id == item.id)
    assert (there.blend, there.effects, there.start, there.duration) == (
        "normal", (), item.start, item.duration
    )  # fmt: skip
    home = put_back(kiln_night, sequence, destination, away.returned, away.returned_sequence, choices)
    assert next(one for one in home.sequence.items() if one.id == item.id).blend == "screen"
    left = compare(kiln_night, sequence, home.document, home.sequence)
    assert not any(one.item_id == item.id for one in left)
    # Inside a nest what lies below may be seen through, so there it is not offered.
    (nest,) = [one for one in kiln_night.sequences if one.name == "Three fires"]
    over = replace(nest.video_tracks[0].items[0], id="over", blend="screen")
    fuller = replace(nest, tracks=(*nest.video_tracks, Track("video", (over,)), *nest.audio_tracks))
    nested = replace(
        kiln_night, sequences=tuple(fuller if one is nest else one for one in kiln_night.sequences)
    )
    screens = msgspec.structs.replace(find_destination("editing-track-xml"), pictures=destination.pictures)
    inside = carry_over(nested, sequence, screens, choices)
    assert {one.item for one in inside.renders} == {item.id} and inside.errors == 0
    assert [one.fate for one in inside.findings if one.item_id == "over"] == [Fate.LEFT]
    # What is not drawn below it is not in a picture either.
    track = next(one for one in sequence.video_tracks if item in one.items)
    under = next(
        one for one in sequence.video_tracks[0].items if one.start < item.end and one.end > item.start
    )
    assert track is not sequence.video_tracks[0]
    odd = replace(under, effects=(Effect("glow"),))
    tracks = tuple(
        replace(one, items=tuple(odd if each is under else each for each in one.items))
        for one in sequence.tracks
    )
    cut = replace(sequence, tracks=tracks)
    others = tuple(cut if one is sequence else one for one in kiln_night.sequences)
    found = carry_over(replace(kiln_night, sequences=others), cut, destination, choices)
    assert found.renders == () and found.errors == 0


def test_filters_and_tables_go_into_the_picture(whole_demo: Path, tmp_path: Path) -> None:
    """Up to the last that the far side does not have; one that nobody here draws stays what it was."""
    source, table = whole_demo / CUT, tmp_path / "warm.cube"
    points = ((r, g, b) for b in range(2) for g in range(2) for r in range(2))
    rows = (f"{0.2 + 0.8 * r} {g} {0.6 * b}" for r, g, b in points)
    table.write_text("LUT_3D_SIZE 2\n" + "\n".join(rows) + "\n")
    document = read_file(source)
    cut = document.top_level[0]
    first = cut.video_tracks[0]
    edges = {join.cut for join in first.transitions}
    clip = next(
        one for one in first.items
        if one.kind == "clip" and one.speed == Constant(1) and not {one.start, one.end} & edges
    )  # fmt: skip
    looked = Effect(str(table), "lut")
    washed = Effect("Desaturate", "desaturate", settings=(("amount", curve([(0, 0.0), (20, 1.0)])),))
    swirl = Effect("Swirl")
    later = Effect("Tint", "tint", settings=(("amount", constant(0.5)),))
    clip = replace(clip, effects=(looked, washed, swirl, later), duration=24, motion=None)
    cut = replace(cut, tracks=(replace(first, items=(clip,), transitions=()),))
    document = replace(document, sequences=(cut,))
    target = tmp_path / "Kiln.xml"
    choices = Choices(by_what={"colour": Remedy.BAKE})
    (turned,) = prepared(document, cut, bare("editing-track-xml"), source, target, Options(), quiet, choices)
    assert turned.carried.errors == 0
    told = {(one.what, one.fate, Remedy.BAKE in one.remedies) for one in turned.carried.findings}
    # The table and what comes after it, which the far side lacks too; behind the unknown one nothing can be.
    assert told == {
        (str(table), Fate.BAKED, True), ("Swirl", Fate.LEFT, False), ("Tint", Fate.LEFT, False)
    }  # fmt: skip
    write_package(turned.parts, target.parent, source, quiet)
    (movie,) = target.parent.rglob("*.mov")
    plain = Composer(document, Finder(source, document), Frames())
    with av.open(str(movie)) as container:
        frames = [frame.to_ndarray(format="rgb24") / 255 for frame in container.decode(video=0)]
    assert len(frames) == 24
    luma = np.array([0.2126, 0.7152, 0.0722])
    for number in (0, 7, 20, 23):
        layer = next(iter(layers_at(plain.evaluator, cut, int(clip.start) + number)))
        bare_picture = plain.source(layer, (640, 360), Shot(np.zeros((1, 1, 4), np.float32)))[..., :3]
        meant = bare_picture * [0.8, 1, 0.6] + [0.2, 0, 0]
        meant += ((meant @ luma)[..., None] - meant) * min(number / 20, 1)
        assert np.abs(frames[number] - meant).max() <= 1 / 255, number
    # A table that is gone is no picture without it.
    table.unlink()
    (again,) = [one for one in turned.parts if one.kind is PartKind.BAKED]
    (tmp_path / "again").mkdir()
    with pytest.raises(WriteError, match="the table is not there"):
        write_package([again], tmp_path / "again", source, quiet)


def test_what_cannot_be_drawn_is_not_rendered_for_its_filter(kiln_night: Document) -> None:
    sequence = kiln_night.top_level[0]
    wash = Effect("Desaturate", "desaturate", settings=(("amount", constant(1.0)),))
    # It has titles, and no filters.
    plain = msgspec.structs.replace(
        find_destination("editing-track-xml"), filters=Filters(carry=False, known=[])
    )

    def offered(words_known: bool) -> list[bool]:
        tracks = []
        for track in sequence.tracks:
            items = tuple(
                replace(one, effects=(wash,), content=replace(one.content, words_known=words_known))
                if one.name == "Opening title" and isinstance(one.content, Title) else one
                for one in track.items
            )  # fmt: skip
            tracks.append(replace(track, items=items))
        cut = replace(sequence, tracks=tuple(tracks))
        others = tuple(cut if one.id == cut.id else one for one in kiln_night.sequences)
        found = carry_over(replace(kiln_night, sequences=others), cut, plain, EVERYTHING)
        assert found.errors == 0
        return [one.media.name.startswith("Opening title") for one in found.renders]

    assert any(offered(True)) and not any(offered(False))


def test_what_the_far_side_has_stays_a_filter(kiln_night: Document) -> None:
    sequence = kiln_night.top_level[0]
    media = kiln_night.media_by_id
    still = next(
        one
        for one in sequence.items()
        if isinstance(one.content, MediaUse) and media[one.content.media].still
    )
    half, full = (("amount", constant(0.5)),), (("amount", curve([(0, 0.0), (20, 1.0)])),)
    light = ("brightness", constant(0.1)), ("contrast", constant(0.2))
    destination = msgspec.structs.replace(
        find_destination("editing-track-xml"),
        filters=Filters(carry=False, known=["desaturate", "brightness-contrast"]),
    )

    def sent(grey: tuple[tuple[str, Curve], ...]) -> tuple[Render, list[str]]:
        effects = (
            Effect("Desaturate", "desaturate", settings=grey),
            Effect("night.cube", "lut"),
            Effect("Brightness and Contrast", "brightness-contrast", settings=light),
            Effect("Soft", "blur", enabled=False, settings=(("radius", constant(4)),)),
        )
        tracks = tuple(
            replace(track, items=tuple(replace(i, effects=effects) if i is still else i for i in track.items))
            for track in sequence.tracks
        )
        cut = replace(sequence, tracks=tracks)
        others = tuple(cut if one.id == cut.id else one for one in kiln_night.sequences)
        choices = Choices(by_what={"colour": Remedy.BAKE})
        away = carry_over(replace(kiln_night, sequences=others), cut, destination, choices)
        assert away.errors == 0
        (render,) = away.renders
        there = next(one for one in away.returned_sequence.items() if one.id == still.id)
        return render, [one.kind for one in there.effects]

    # The table and what stands before it; the light is had there, and what is switched off changes nothing.
    render, kept = sent(half)
    assert render.filters == 2 and kept == ["brightness-contrast"] and render.media.still
    # A filter that moves makes a movie of a still.
    render, kept = sent(full)
    assert (
        render.filters == 2
        and kept == ["brightness-contrast"]
        and not render.media.still
        and render.count > 20
    )
