"""A destination of the user's that says little takes what its format can say, and one that says too much is told."""

from __future__ import annotations

from pathlib import Path

import pytest

from proof.cut import cut
from wexodos.carryover import carry_over
from wexodos.destinations import DestinationError, load_file
from wexodos.formats import read_file

SAME = Path(__file__).resolve().parents[1] / "formats"
VERSIONS = [
    ("xmeml", "4"),
    ("xmeml", "5"),
    ("fcpxml", "1.8"),
    ("fcpxml", "1.10"),
    ("aaf", "1.1"),
    ("omf", "2.1"),
    ("edl", "CMX3600"),
    ("otio", "1"),
]


def own(folder: Path, name: str, version: str, more: str = "") -> Path:
    place = folder / "own.toml"
    place.write_text(
        f'id = "our-house"\nname = "Our house"\nformat = "{name}"\nversion = "{version}"\nfor = "editing"\n{more}'
    )
    return place


@pytest.mark.parametrize(("name", "version"), VERSIONS)
def test_one_that_says_nothing_takes_what_its_format_has(name: str, version: str, tmp_path: Path) -> None:
    target = load_file(own(tmp_path, name, version))
    for document in (cut(), read_file(SAME / "same-cut.xml"), read_file(SAME / "same-cut.fcpxml")):
        carried = carry_over(document, document.top_level[0], target)
        assert [(one.what, one.item) for one in carried.findings if not one.explained] == []
        assert "no silent loss" in carried.verdict


def test_what_it_says_holds_and_all_is_all_that_the_format_has(tmp_path: Path) -> None:
    more = '[pictures]\nblends = "all"\n[transitions]\nkinds = ["wipe"]\n[sound]\nmutes = false\n'
    found = load_file(own(tmp_path, "edl", "CMX3600", more))
    assert (found.pictures.blends, found.pictures.disabled) == (["normal"], False)
    assert found.transitions.kinds == ["wipe"] and found.transitions.sound == ["audio-linear"]
    assert found.sound.mutes is False and found.titles.carry is False
    assert (found.id, found.for_, found.builtin) == ("our-house", "editing", False)


@pytest.mark.parametrize(
    ("name", "more", "told"),
    [
        ("edl", "[titles]\ncarry = true\n", "line 7: carry = true in titles: Cut list, CMX3600"),
        ("edl", '[transitions]\nkinds = ["dissolve", "push"]\n', "line 7: kinds = 'push' in transitions"),
        ("omf", "\n[pictures]\ncarry = true\n", "line 8: carry = true in pictures"),
        ("xmeml", "[sound]\nfades = true\n", "line 7: fades = true in sound"),
        ("aaf", '[generators]\nkinds = ["bars"]\n', "line 7: kinds = 'bars' in generators"),
    ],
)
def test_what_the_format_has_no_form_for_is_a_mistake_with_its_line(
    name: str, more: str, told: str, tmp_path: Path
) -> None:
    version = dict(reversed(VERSIONS))[name]
    with pytest.raises(DestinationError, match="has no form for it") as error:
        load_file(own(tmp_path, name, version, more))
    assert told in str(error.value)
