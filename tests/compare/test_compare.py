"""What came back against what left: every change is named, and nothing else."""

from __future__ import annotations

from pathlib import Path

from wexodos.compare import compare
from wexodos.formats import read_file
from wexodos.model import Document


def test_the_graded_demo(demo: Path, kiln_night: Document) -> None:
    back = read_file(demo / "kiln-night-graded.xml")
    found = compare(kiln_night, kiln_night.top_level[0], back, back.top_level[0])
    told = {(one.kind, one.what, one.item, str(one.before), str(one.after)) for one in found}
    expected = {
        ("settings", "name", "", "Kiln Night R1 v7", "Kiln Night R1 v7 graded"),
        ("changed", "transition", "Edge Wipe", "wipe", "dissolve"),
        ("changed", "transition", "Clock Wipe", "wipe", "dissolve"),
        ("changed", "speed", "Clay pit", "0 %", "100 %"),
        ("changed", "source frames", "Clay pit", "222.0", "325.0"),
        ("slipped", "source in", "Stoke hole", "357", "360"),
        ("trimmed", "record end", "Door brick", "2477", "2472"),
        ("moved", "record start", "Night sky", "986", "990"),
        ("gone", "clip", "Clay pit", "Clay pit", "None"),
        ("added", "clip", "Night sky", "None", "Night sky"),
        ("gone", "title", "Credits roll", "Credits roll", "None"),
        ("retitled", "words", "Cone note", "Cone 9, 1280 degrees", "Cone 9, 1285 degrees"),
        ("changed", "enabled", "Narration", "True", "False"),
        ("changed", "filters", "Night sky", "Soft glow", ""),
        ("changed", "level", "Night yard", "-18.0", "-12.0"),
        ("changed", "position", "Inset", "[128.0, 72.0]", "[512.0, 72.0]"),
        ("changed", "size", "Inset", "[211.2, 118.8]", "[192.0, 108.0]"),
        ("changed", "crop", "Inset", "[0.05, 0.0, 0.05, 0.0]", "[0.0, 0.0, 0.0, 0.0]"),
    }
    assert told == expected
    assert sum(one.what == "level" for one in found) == 12


def test_a_cut_is_the_same_as_itself(kiln_night: Document, demo: Path) -> None:
    again = read_file(demo / "kiln-night.xml")
    assert compare(kiln_night, kiln_night.top_level[0], again, again.top_level[0]) == []


def test_ids_handed_out_anew_do_not_mislead(demo: Path, kiln_night: Document, tmp_path: Path) -> None:
    text = (demo / "kiln-night.xml").read_text()
    shifted = tmp_path / "renumbered.xml"
    import re

    shifted.write_text(re.sub(r"clipitem-(\d+)", lambda found: f"clipitem-{int(found.group(1)) + 7}", text))
    again = read_file(shifted)
    assert compare(kiln_night, kiln_night.top_level[0], again, again.top_level[0]) == []
