"""Choices for the whole hand-over: sizing, folders and unused media, tolerance, findings as markers."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from wexodos.carryover import Options, carry_over
from wexodos.cli.commands import main
from wexodos.destinations import find_destination, load_all
from wexodos.formats import read_file
from wexodos.model import Document, Folder, Media, Title
from wexodos.report import render, report_data

DESTINATIONS = [one.id for one in load_all(Path("/nowhere"))[0]]


@pytest.mark.parametrize("destination", DESTINATIONS)
@pytest.mark.parametrize(
    "options",
    [Options(sizing=False), Options(organised=True), Options(tolerance=20.0), Options(markers=True)],
    ids=["without sizing", "organised", "tolerant", "markers"],
)
@pytest.mark.sampled(5)
def test_every_option_leaves_nothing_unexplained(
    kiln_night: Document, destination: str, options: Options
) -> None:
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination(destination), options=options)
    assert carried.errors == 0, [one for one in carried.findings if not one.explained]


def test_without_sizing_clips_arrive_as_fitted_and_it_is_said(kiln_night: Document) -> None:
    carried = carry_over(
        kiln_night,
        kiln_night.top_level[0],
        find_destination("editing-lane-xml"),
        options=Options(sizing=False),
    )
    clips = [
        item
        for item in carried.returned_sequence.items()
        if item.motion is not None and not isinstance(item.content, Title)
    ]
    assert all(
        item.motion.position.value == (0.0, 0.0) and not item.motion.position.keys
        for item in clips
        if item.motion
    )
    left = [one for one in carried.findings if one.what == "sizing"]
    assert left
    assert {one.fate.value for one in left} == {"left behind"}


@pytest.mark.thorough
def test_a_larger_tolerance_needs_fewer_keys(kiln_night: Document) -> None:
    def keys(tolerance: float) -> int:
        carried = carry_over(
            kiln_night,
            kiln_night.top_level[0],
            find_destination("editing-lane-xml"),
            options=Options(tolerance=tolerance),
        )
        return sum(
            len(item.sound.level.keys) for item in carried.returned_sequence.items() if item.sound is not None
        )

    assert keys(20.0) < keys(1.0) < keys(0.2)


def test_findings_stand_in_the_sequence_as_markers(kiln_night: Document) -> None:
    sequence = kiln_night.top_level[0]
    carried = carry_over(
        kiln_night, sequence, find_destination("grading-track-xml"), options=Options(markers=True)
    )
    marks = [
        one
        for one in carried.returned_sequence.markers
        if one.name.startswith(("adapted: ", "noted: ", "left behind: "))
    ]
    assert len(marks) == len(carried.findings)
    wipe = next(one for one in carried.findings if one.kind == "title")
    assert any(
        one.start == wipe.start
        and one.name == f"noted: {wipe.what}"
        and wipe.item in one.comment
        and one.color
        for one in marks
    )


@pytest.mark.parametrize("destination", ["editing-track-xml", "editing-lane-xml"])
def test_folders_and_unused_media_go_on_request_and_are_told_otherwise(
    kiln_night: Document, destination: str
) -> None:
    spare = Media(
        "spare",
        "C009.mov",
        "/Volumes/Kiln/C009.mov",
        duration=400,
        rate=kiln_night.media[0].rate,
        video=True,
        folder="Day 1",
    )
    document = replace(kiln_night, media=(*kiln_night.media, spare), folders=(Folder("Day 1", ("spare",)),))
    plain = carry_over(document, document.top_level[0], find_destination(destination))
    assert (plain.unsent.media, plain.unsent.folders) == (("C009.mov",), ("Day 1",))
    assert b"C009.mov" not in plain.data
    assert b"C009.mov" in render(report_data(plain, "cut.xml", ["out"]), ".html")
    whole = carry_over(
        document, document.top_level[0], find_destination(destination), options=Options(organised=True)
    )
    assert (whole.errors, whole.unsent.media) == (0, ())
    (back,) = [one for one in whole.returned.media if one.file_name == "C009.mov"]
    assert back.folder == "Day 1"


def test_the_page_shows_the_ledger_as_a_picture(kiln_night: Document) -> None:
    carried = carry_over(kiln_night, kiln_night.top_level[0], find_destination("grading-lane-xml"))
    page = render(report_data(carried, "cut.xml", ["out.fcpxml"]), ".html").decode()
    assert page.count('<svg class="ledger"') == 1
    assert page.count("<rect") > len(list(carried.sequence.items()))
    assert "http://" not in page.replace("http://www.w3.org", "")
    assert (
        "picture"
        not in render(report_data(carried, "cut.xml", ["out.fcpxml"]), ".json")
        .decode()
        .split('"findings"')[0]
    )


def test_the_command_line_takes_the_options(demo: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.xml"
    assert (
        main(
            [
                "translate",
                str(demo / "kiln-night.xml"),
                "--to",
                "grading-track-xml",
                "--out",
                str(out),
                "--without-sizing",
                "--markers",
                "--organised",
                "--tolerance",
                "5",
            ]
        )
        == 0
    )
    assert any(one.name.startswith("left behind: sizing") for one in read_file(out).top_level[0].markers)
    assert (
        main(
            [
                "translate",
                str(demo / "kiln-night.xml"),
                "--to",
                "grading-track-xml",
                "--out",
                str(out),
                "--tolerance",
                "0",
            ]
        )
        == 2
    )
