"""Carry-over of the demo: everything named, nothing unexplained, and a tampered file is caught."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wexodos.carryover import Carried, Choices, Fate, Remedy, carry_over
from wexodos.compare import compare
from wexodos.destinations import find_destination, load_all
from wexodos.evaluate import Evaluator, state_at
from wexodos.evaluate.following import followed, largest
from wexodos.formats import FORMATS, Format, read_bytes, read_file
from wexodos.model import (
    Constant,
    Document,
    Ease,
    Item,
    Marker,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Track,
    Transition,
    constant,
    curve,
)
from wexodos.timing import Rate

DESTINATIONS = [one.id for one in load_all()[0]]


@pytest.mark.parametrize("destination", DESTINATIONS)
def test_the_demo_goes_everywhere_with_nothing_unexplained(kiln_night: Document, destination: str) -> None:
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination(destination))
    assert [one for one in carried.findings if not one.explained] == []
    assert sum(carried.counts.values()) == carried.things
    for finding in carried.findings:
        assert finding.why
        assert finding.do
        assert finding.kind in [
            "clip",
            "transition",
            "speed",
            "motion",
            "opacity",
            "title",
            "generator",
            "filter",
            "colour",
            "level",
            "pan",
            "fade",
            "channels",
            "mute",
            "marker",
            "nested",
            "angles",
            "track",
            "media",
            "settings",
            "metadata",
        ]
        assert finding.remedy is None or finding.remedy in finding.remedies
        assert 0 <= finding.start <= finding.stop <= carried.sequence.duration


EVERY_FORMAT = (
    "editing-track-xml",
    "editing-lane-xml",
    "finishing-aaf",
    "mixing-omf",
    "cut-list-edl",
    "archive-otio",
)


def onward(destination: str) -> tuple[str, ...]:
    """Where the second trip goes: the destinations of one format share all formats among them."""
    alike = [one.id for one in load_all()[0] if one.format == find_destination(destination).format]
    return EVERY_FORMAT[alike.index(destination) :: len(alike)]


@pytest.mark.parametrize("destination", DESTINATIONS)
@pytest.mark.sampled(15)
def test_a_second_trip_loses_nothing_more(kiln_night: Document, destination: str) -> None:
    once = carry_over(kiln_night, kiln_night.top_level[0], find_destination(destination))
    back = read_bytes(once.data)
    for other in onward(destination):
        twice = carry_over(back, back.top_level[0], find_destination(other))
        assert [one for one in twice.findings if not one.explained] == [], other


@pytest.mark.parametrize("destination", ["editing-lane-xml", "editing-track-xml"])
def test_states_agree_at_every_cut_and_in_the_middle_of_every_clip(
    kiln_night: Document, destination: str
) -> None:
    sequence = kiln_night.top_level[0]
    carried = carry_over(kiln_night, sequence, find_destination(destination))
    named = named_in(carried)
    moved = {"track", "picture tracks"} if any(one.kind == "track" for one in carried.findings) else set()
    here, there = Evaluator(kiln_night), Evaluator(carried.returned)
    frames = {int(item.start) for item in sequence.items()} | {
        int(item.start + item.duration // 2) for item in sequence.items()
    }
    same = 0
    for frame in sorted(frames):
        one, other = state_at(here, sequence, frame), state_at(there, carried.returned_sequence, frame)
        for kind in ("picture", "sound"):
            known = {
                (layer["item_id"], layer.get("channel"), tuple(layer["via"])): layer for layer in other[kind]
            }
            for layer in one[kind]:
                if layer["item_id"] in named:
                    continue
                twin = known[(layer["item_id"], layer.get("channel"), tuple(layer["via"]))]
                for name, value in layer.items():
                    if name in moved:
                        continue
                    assert twin[name] == (
                        pytest.approx(value, abs=1e-3) if isinstance(value, float | list) else value
                    ), (frame, name)
                same += 1
    assert same > 400


def test_compare_with_the_own_round_trip_shows_only_what_the_report_named(
    kiln_night: Document, tmp_path: Path
) -> None:
    sequence = kiln_night.top_level[0]
    carried = carry_over(kiln_night, sequence, find_destination("editing-lane-xml"))
    path = tmp_path / "there.fcpxml"
    path.write_bytes(carried.data)
    returned = read_file(path)
    named = named_in(carried)
    moved = {"track", "picture tracks"} if any(one.kind == "track" for one in carried.findings) else set()
    for one in compare(kiln_night, sequence, returned, returned.top_level[0]):
        assert one.item_id in named or one.what in moved, one


def named_in(carried: Carried) -> set[str]:
    """The ids of everything a finding touches, and of the items on either side of a transition that it does."""
    named = {one for finding in carried.findings for one in finding.touched}
    for track in carried.sequence.tracks:
        for join in track.transitions:
            if join.id in named:
                named |= {item.id for item in track.items if join.cut in (item.start, item.end)}
    return named


def tampered(change: Callable[[bytes], bytes]) -> Format:
    """The writer with its output changed behind its back."""
    whole = FORMATS["fcpxml"]
    return replace(whole, write=lambda *given: change(whole.write(*given)))


def once(pattern: str, new: str) -> Callable[[bytes], bytes]:
    def change(data: bytes) -> bytes:
        found, count = re.subn(pattern, new, data.decode(), count=1)
        assert count == 1, pattern
        return found.encode()

    return change


@pytest.mark.parametrize(
    ("pattern", "new", "what"),
    [
        (r'(<asset-clip name="Hands, centring"[^>]*?)start="(\d+)', r'\1start="1\2', "source"),
        (r'<adjust-blend amount="0.8"/>', "", "opacity"),
        (r'scale="0.3 0.3"', 'scale="0.31 0.31"', "size"),
        (r"<timeMap.*?</timeMap>", "", "speed"),
        (r'enabled="0"', 'enabled="1"', "enabled"),
        (r"Hour eleven", "Hour twelve", "words"),
        (r'amount="-6dB"|amount="-6\.\d+dB"', 'amount="-9dB"', "level"),
        (r'value="watch the smoke"', 'value="watch"', "marker"),
        (r'<transition name="Cross Dissolve".*?</transition>', "", "transition"),
        (r'tcStart="3600s"', 'tcStart="3601s"', "start"),
        (r'mode="10 \(Screen\)"', "", "blend"),
        (r'audioRole="Music"', 'audioRole="dialogue"', "stem"),
        (r'value="A003"', 'value="A004"', "reel"),
    ],
)
def test_a_fault_in_the_written_file_is_found(
    kiln_night: Document, monkeypatch: pytest.MonkeyPatch, pattern: str, new: str, what: str
) -> None:
    monkeypatch.setitem(FORMATS, "fcpxml", tampered(once(f"(?s){pattern}", new)))
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination("editing-lane-xml"))
    errors = [one for one in carried.findings if not one.explained]
    assert errors, "the change went unnoticed"
    assert any(what in one.what for one in errors), [one.what for one in errors]
    assert carried.findings[0].explained is False, "errors come first"


def test_remedies_change_the_fate_and_stay_explained(kiln_night: Document) -> None:
    sequence, destination = kiln_night.top_level[0], find_destination("grading-lane-xml")
    plain = carry_over(kiln_night, sequence, destination)
    wipe = next(one for one in plain.findings if one.what == "wipe")
    chosen = Choices({wipe.key: Remedy.LEAVE}, {"title": Remedy.LEAVE, "speed|speed ramp": Remedy.NOTE})
    other = carry_over(kiln_night, sequence, destination, chosen)
    assert other.errors == 0
    fates = {one.key: one.fate.value for one in other.findings}
    assert fates[wipe.key] == "left behind"
    assert {one.fate.value for one in other.findings if one.kind == "title" and one.what == "title"} == {
        "left behind"
    }
    ramp = next(one for one in other.findings if one.kind == "speed" and "ramp" in str(one.before))
    assert ramp.fate.value == "noted"
    cuts = {one.cut for track in other.returned_sequence.video_tracks for one in track.transitions}
    assert wipe.start + 12 not in cuts


def test_ids_go_out_and_come_back(kiln_night: Document) -> None:
    sequence = kiln_night.top_level[0]
    for destination in ("editing-lane-xml", "editing-track-xml"):
        carried = carry_over(kiln_night, sequence, find_destination(destination))
        returned = {item.id for item in carried.returned_sequence.items()}
        made = {
            one
            for finding in carried.findings
            if finding.what == "bar"
            for one in finding.touched - {finding.item_id}
        }
        assert returned - made == {item.id for item in sequence.items()}


def test_notes_stand_where_the_title_stood(kiln_night: Document) -> None:
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination("grading-track-xml"))
    marks = {marker.start: (marker.name, marker.comment) for marker in carried.returned_sequence.markers}
    assert marks[1460] == ("Ada Quill", "Ada Quill\npotter, third firing")
    kinds = {item.kind for item in carried.returned_sequence.items()}
    assert kinds == {"clip", "still"}


@given(
    st.lists(
        st.tuples(st.integers(0, 300), st.floats(-60, 12)),
        min_size=2,
        max_size=6,
        unique_by=lambda key: key[0],
    ),
    st.sampled_from([Ease.LINEAR, Ease.SMOOTH, Ease.HOLD]),
    st.sampled_from(["plain", "gain"]),
    st.sampled_from(["plain", "gain"]),
)
def test_a_followed_curve_stays_within_its_tolerance(
    keys: list[tuple[int, float]], ease: Ease, domain: str, target: str
) -> None:
    def distance(a: np.ndarray, b: np.ndarray) -> np.ndarray:  # type: ignore[type-arg]
        return np.abs(a - b).max(axis=1)

    whole = curve(sorted(keys), ease, domain)
    new = followed(whole, 300, target, distance, 0.1)
    assert largest(whole, new, 300, distance) <= 0.1 + 1e-9
    assert all(isinstance(key.time, int) and key.ease is Ease.LINEAR for key in new.keys)


def test_a_destination_with_narrow_limits_still_names_everything(
    kiln_night: Document, tmp_path: Path
) -> None:
    path = tmp_path / "narrow.toml"
    path.write_text("""id = "narrow"
name = "Narrow"
format = "xmeml"
version = "4"
for = "editing"
[pictures]
tracks = 2
disabled = false
blends = []
alpha = false
[transitions]
kinds = []
sound = []
[speed]
constant = false
reverse = false
freeze = false
variable = false
[motion]
position = false
scale = false
uneven_scale = false
rotation = false
crop = false
opacity = false
[sound]
tracks = 5
level = false
pan = false
fades = false
mutes = false
between_frames = false
[markers]
on_items = false
colors = false
[tracks]
names = false
empty = false
labels = false
[rates]
allowed = ["24"]
[minutes]
transition = 7
""")
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination(str(path)))
    assert [one for one in carried.findings if not one.explained] == []
    assert {
        one.minutes for one in carried.findings if one.kind == "transition" and one.remedy is not None
    } == {7, 0.1}
    after = carried.returned_sequence
    assert (len(after.video_tracks), len(after.audio_tracks)) == (2, 5)
    assert not any(track.transitions for track in after.tracks)
    assert {item.kind for item in after.items()} <= {"clip", "still", "nested"}


def test_an_unfolded_nest_explains_its_own_items_only(
    kiln_night: Document, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole = FORMATS["xmeml"]

    def without_a_clip(*given: object) -> bytes:
        return re.sub(rb'(?s)<clipitem id="clipitem-60">.*?</clipitem>', b"", whole.write(*given), count=1)

    monkeypatch.setitem(FORMATS, "xmeml", replace(whole, write=without_a_clip))
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination("grading-track-xml"))
    assert any(one.kind == "nested" for one in carried.findings)
    assert "clipitem-60" in {one.item_id for one in carried.findings if not one.explained}


@pytest.mark.parametrize("name", ["grading-track-xml", "finishing-aaf", "cut-list-edl"])
def test_a_nest_that_is_moved_scaled_and_retimed_stands_in_the_cut_where_it_was_seen(
    kiln_night: Document, name: str
) -> None:
    cut = kiln_night.top_level[0]
    nest = next(item for item in cut.items() if item.kind == "nested")
    small = replace(
        nest,
        motion=Motion(scale=constant(0.5, 0.5), position=constant(80, -40), opacity=constant(0.8)),
        speed=Constant(Fraction(1, 2)),
        markers=(Marker(9, 0, "of the nest"),),
    )
    tracks = tuple(
        replace(track, items=tuple(small if item is nest else item for item in track.items))
        for track in cut.tracks
    )
    made = replace(cut, tracks=tracks)
    inner = kiln_night.sequences_by_id[nest.content.sequence]
    first = replace(inner.tracks[0].items[0], markers=(Marker(20, 0, "inside"),))
    marked = replace(
        inner, tracks=(replace(inner.tracks[0], items=(first, *inner.tracks[0].items[1:])), *inner.tracks[1:])
    )
    whole = replace(
        kiln_night,
        sequences=tuple(
            made if one is cut else marked if one is inner else one for one in kiln_night.sequences
        ),
    )
    carried = carry_over(whole, made, find_destination(name))
    assert carried.errors == 0
    finding = next(one for one in carried.findings if one.kind == "nested")
    assert finding.fate is Fate.ADAPTED and "stand in the cut itself" in finding.why
    if name == "grading-track-xml":
        at = int(nest.start) + 10
        before, after = (
            state_at(Evaluator(one), two, at)["picture"]
            for one, two in ((whole, made), (carried.returned, carried.returned_sequence))
        )
        seen = [
            next(layer for layer in layers if layer["media"] == "B002C001.mov") for layers in (before, after)
        ]
        assert (
            seen[0]["center"] == seen[1]["center"] == [400.0, 140.0]
            and seen[0]["source_frame"] == seen[1]["source_frame"]
        )
        assert seen[0]["opacity"] == pytest.approx(seen[1]["opacity"], abs=1e-4)


def test_a_marked_range_is_kept_or_named(kiln_night: Document) -> None:
    sequence = replace(kiln_night.top_level[0], marked=(30, 90))
    document = replace(
        kiln_night,
        sequences=tuple(sequence if one.id == sequence.id else one for one in kiln_night.sequences),
    )
    for name in ("editing-track-xml", "archive-otio", "editing-lane-xml", "grading-aaf", "cut-list-edl"):
        carried = carry_over(document, sequence, find_destination(name))
        named = [(one.fate, one.start, one.stop) for one in carried.findings if one.what == "marked range"]
        kept = carried.returned_sequence.marked == (30, 90)
        assert carried.errors == 0 and kept == (not named) and named in ([], [(Fate.LEFT, 30, 90)])
        assert kept == (name in ("editing-track-xml", "archive-otio"))


@pytest.mark.parametrize("destination", DESTINATIONS)
def test_a_wipe_of_which_only_the_pattern_is_said_goes_the_patterns_way(destination: str) -> None:
    """SMPTE 1 goes from left to right, 201 with the clock; a file that says so says nothing new."""
    rate = Rate(25)
    media = tuple(
        Media(name, f"{name}.mov", f"/kiln/{name}.mov", start=0, duration=500, rate=rate, width=1920, height=1080, video=True)
        for name in "ABC"
    )  # fmt: skip
    items = tuple(
        Item(name, name, 50 * at, 50, MediaUse(name), rate.seconds(100), motion=Motion())
        for at, name in enumerate("ABC")
    )
    joins = (
        Transition("w", "Wipe", "wipe", 45, 10, 50, pattern=1),
        Transition("c", "Clock", "wipe", 95, 10, 100, pattern=201),
    )
    cut = Sequence(
        "s", "Kiln Night", rate, width=1920, height=1080, tracks=(Track("video", items, transitions=joins),)
    )
    carried = carry_over(Document("otio", "1", (cut,), media), cut, find_destination(destination))
    assert [one for one in carried.findings if not one.explained] == []
    pictures = carried.returned_sequence.video_tracks
    wipes = {one.pattern: one.way for track in pictures for one in track.transitions if one.type == "wipe"}
    assert wipes.items() <= {1: "left to right", 201: "clockwise"}.items()
    if destination in ("editing-lane-xml", "editing-track-xml", "archive-otio"):
        assert len(wipes) == 2
