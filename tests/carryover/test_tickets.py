"""What the other side could not hold comes home with the cut."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from generated import documents, examples
from wexodos.carryover import carry_over, put_back
from wexodos.cli.commands import main
from wexodos.compare import compare
from wexodos.destinations import find_destination, load_all
from wexodos.formats import read_bytes, read_file
from wexodos.model import Document, Sequence, Title

# What lists and turnovers of sound hold is too little for the rest to find its place again; an archive has
# nothing to put back.
DESTINATIONS = [one.id for one in load_all(Path("/nowhere"))[0] if one.format in ("xmeml", "fcpxml", "aaf")]


@pytest.mark.parametrize("name", DESTINATIONS)
@pytest.mark.sampled(4)
def test_an_untouched_cut_comes_home_whole(kiln_night: Document, name: str) -> None:
    sequence, destination = kiln_night.top_level[0], find_destination(name)
    away = carry_over(kiln_night, sequence, destination)
    lost = compare(kiln_night, sequence, away.returned, away.returned_sequence)
    home = put_back(kiln_night, sequence, destination, away.returned, away.returned_sequence)
    assert len(lost) > 0
    left = compare(kiln_night, sequence, home.document, home.sequence)
    # A nest that was unfolded is there in its parts.
    assert [one for one in left if (one.kind, one.what) != ("gone", "nested")] == []
    assert len(home.put_back) > 0
    again = carry_over(home.document, home.sequence, find_destination("editing-track-xml"))
    assert again.errors == 0


def test_what_was_changed_over_there_stays_as_it_came(kiln_night: Document) -> None:
    sequence, destination = kiln_night.top_level[0], find_destination("grading-lane-xml")
    away = carry_over(kiln_night, sequence, destination)
    track = away.returned_sequence.video_tracks[0]
    first = track.items[0]
    assert first.motion is not None
    changed = replace(
        first,
        name="regraded",
        motion=replace(first.motion, scale=replace(first.motion.scale, value=(3.0, 3.0), keys=())),
    )
    tracks = tuple(
        replace(one, items=(changed, *one.items[1:])) if one is track else one
        for one in away.returned_sequence.tracks
    )
    back = replace(away.returned_sequence, tracks=tracks)
    home = put_back(kiln_night, sequence, destination, replace(away.returned, sequences=(back,)), back)
    (kept,) = [item for item in home.sequence.items() if item.id == first.id]
    assert kept.name == "regraded"
    assert kept.motion is not None
    assert kept.motion.scale.value == (3.0, 3.0)


def test_titles_move_with_the_cut_under_them(kiln_night: Document) -> None:
    """Ten seconds were put in front over there; the titles that could not go are laid back ten seconds
    later."""
    sequence, destination = kiln_night.top_level[0], find_destination("grading-lane-xml")
    away = carry_over(kiln_night, sequence, destination)
    later = replace(
        away.returned_sequence,
        markers=(),
        tracks=tuple(
            replace(
                track,
                items=tuple(replace(item, start=item.start + 250) for item in track.items),
                transitions=(),
            )
            for track in away.returned_sequence.tracks
        ),
    )
    home = put_back(kiln_night, sequence, destination, replace(away.returned, sequences=(later,)), later)
    was = {item.id: item.start for item in sequence.items() if isinstance(item.content, Title)}
    now = {item.id: item.start for item in home.sequence.items() if isinstance(item.content, Title)}
    assert was
    assert now == {key: start + 250 for key, start in was.items()}


@settings(
    max_examples=examples(12),
    deadline=None,
    derandomize=True,
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large, HealthCheck.large_base_example],
)
@given(st.sampled_from(["xmeml", "fcpxml"]).flatmap(documents), st.sampled_from(DESTINATIONS))
def test_generated_cuts_come_home_with_nothing_unexplained(document: Document, name: str) -> None:
    sequence, destination = document.sequences[0], find_destination(name)
    away = carry_over(document, sequence, destination)
    home = put_back(document, sequence, destination, away.returned, away.returned_sequence)
    lost = {
        (one.item_id, one.what) for one in compare(document, sequence, away.returned, away.returned_sequence)
    }
    left = {(one.item_id, one.what) for one in compare(document, sequence, home.document, home.sequence)}
    assert len(left) <= len(lost)
    target = "editing-track-xml" if document.format == "xmeml" else "editing-lane-xml"
    assert carry_over(home.document, home.sequence, find_destination(target)).errors == 0


def test_the_command_line_brings_a_cut_home(
    demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    away, home = tmp_path / "away.fcpxml", tmp_path / "home.xml"
    assert (
        main(["translate", str(demo / "kiln-night.xml"), "--to", "grading-lane-xml", "--out", str(away)]) == 0
    )
    assert (
        main(
            [
                "bring-back",
                str(demo / "kiln-night.xml"),
                str(away),
                "--sent",
                "grading-lane-xml",
                "--to",
                "editing-track-xml",
                "--out",
                str(home),
            ]
        )
        == 0
    )
    assert "things put back" in capsys.readouterr().out
    assert any(item.kind == "title" for item in read_file(home).top_level[0].items())
    assert (
        main(
            [
                "bring-back",
                str(demo / "kiln-night.xml"),
                str(away),
                "--to",
                "editing-track-xml",
                "--out",
                str(home),
            ]
        )
        == 2
    )
    assert (
        main(
            [
                "bring-back",
                str(demo / "kiln-night.xml"),
                str(away),
                "--sent",
                "grading-lane-xml",
                "--to",
                "editing-track-xml",
                "--out",
                str(away),
            ]
        )
        == 4
    )


@pytest.mark.parametrize("name", ["finishing-aaf", "mixing-omf", "editing-lane-xml"])
@pytest.mark.sampled(3)
def test_links_that_had_no_form_are_there_again_at_home(kiln_night: Document, name: str) -> None:
    def linked(cut: Sequence) -> set[frozenset[tuple[str, str, object]]]:
        groups: dict[str, set[tuple[str, str, object]]] = {}
        for label, track in cut.labelled_tracks():
            for item in track.items:
                if item.link:
                    groups.setdefault(item.link, set()).add((label[0], item.name, item.start))
        return {frozenset(group) for group in groups.values() if len(group) > 1}

    sequence, destination = kiln_night.top_level[0], find_destination(name)
    back = read_bytes(carry_over(kiln_night, sequence, destination).data)
    home = put_back(kiln_night, sequence, destination, back, back.top_level[0])
    assert len(linked(sequence)) == 30 and linked(home.sequence) == linked(sequence)
    assert [one.what for one in home.put_back].count("links") == (name != "editing-lane-xml")
