"""Look-up tables and corrections, held against formulas of our own: straight lines in one dimension,
tetrahedra in three (after the way that is described everywhere), ASC CDL 1.2."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from picture.makers import RATE, Stage, pattern
from wexodos.footage.source import PictureError
from wexodos.footage.tables import is_table, table_medium
from wexodos.media import Probes, Rules, Scanner, find, tables_of
from wexodos.media.probe import probe
from wexodos.model import Effect, Media
from wexodos.picture import Composer
from wexodos.picture.tables import looked_up
from wexodos.sound.locate import Finder

HALF = 0.5 / 1023
"""Half a code value at 10 bit."""


def cube(path: Path, size: int, values: NDArray[np.float64], low: float = 0, high: float = 1) -> Path:
    """A table of three dimensions: red changes fastest. ``values`` have shape (blue, green, red, 3)."""
    rows = "\n".join(" ".join(f"{one:.9f}" for one in row) for row in values.reshape(-1, 3))
    domain = (
        f"DOMAIN_MIN {low} {low} {low}\nDOMAIN_MAX {high} {high} {high}\n" if (low, high) != (0, 1) else ""
    )
    path.write_text(f'TITLE "Kiln"\nLUT_3D_SIZE {size}\n{domain}{rows}\n')
    return path


def tetrahedral(values: NDArray[np.float64], colour: NDArray[np.float64]) -> NDArray[np.float64]:
    """A colour looked up: of the cell's corners those on the way from black to white along the largest part of
    the colour first."""
    size = len(values)
    place = np.clip(colour, 0, 1) * (size - 1)
    first = np.minimum(place.astype(int), size - 2)
    share = place - first
    corner = first.copy()
    found = values[tuple(corner[::-1])] * (1 - share.max())
    order = np.argsort(-share, kind="stable")
    for number, axis in enumerate(order):
        corner[axis] += 1
        following = share[order[number + 1]] if number < 2 else 0.0
        found = found + values[tuple(corner[::-1])] * (share[axis] - following)
    return found


def colours(seed: int, count: int = 400) -> NDArray[np.float32]:
    made = np.random.default_rng(seed).random((20, count // 20, 3)).astype(np.float32)
    made[0, 0], made[0, 1] = 0, 1
    return made


def seen(colour: NDArray[np.float32], path: Path) -> NDArray[np.float32]:
    opaque = np.dstack([colour, np.ones(colour.shape[:2], np.float32)])
    return looked_up(opaque, path)[..., :3]


@pytest.mark.parametrize("size", [2, 5, 17, 33])
def test_a_table_of_three_dimensions_is_looked_up_in_tetrahedra(tmp_path: Path, size: int) -> None:
    values = np.random.default_rng(size).random((size, size, size, 3))
    path = cube(tmp_path / "night.cube", size, values)
    given = colours(1)
    meant = np.array([[tetrahedral(values, one.astype(float)) for one in row] for row in given])
    assert np.abs(seen(given, path) - meant).max() < HALF
    # Values beyond stay at the edge.
    beyond = np.array([[[1.7, -0.4, 0.5]]], np.float32)
    assert np.abs(seen(beyond, path)[0, 0] - tetrahedral(values, np.array([1, 0, 0.5]))).max() < HALF


def test_a_table_says_from_where_to_where_it_goes(tmp_path: Path) -> None:
    values = np.random.default_rng(9).random((3, 3, 3, 3))
    path = cube(tmp_path / "wide.cube", 3, values, -1, 3)
    given = colours(2)
    meant = np.array([[tetrahedral(values, (one.astype(float) + 1) / 4) for one in row] for row in given])
    assert np.abs(seen(given, path) - meant).max() < HALF


def test_a_table_of_one_dimension_goes_in_straight_lines(tmp_path: Path) -> None:
    values = np.random.default_rng(3).random((9, 3))
    path = tmp_path / "curve.cube"
    path.write_text("LUT_1D_SIZE 9\n" + "\n".join(" ".join(f"{one:.9f}" for one in row) for row in values))
    given = colours(4)
    places = np.linspace(0, 1, 9)
    meant = np.stack([np.interp(given[..., part], places, values[:, part]) for part in range(3)], axis=-1)
    assert np.abs(seen(given, path) - meant).max() < HALF


def test_a_table_in_whole_numbers(tmp_path: Path) -> None:
    """``.3dl``: a row of the places, then values of 12 bits; blue changes fastest."""
    size = 17
    values = np.random.default_rng(5).integers(0, 4096, (size, size, size, 3))
    rows = "\n".join(" ".join(map(str, row)) for row in values.reshape(-1, 3))
    path = tmp_path / "film.3dl"
    head = " ".join(str(min(1023, 64 * number)) for number in range(size))
    path.write_text(f"{head}\n{rows}\n")
    given = colours(6)
    turned = values.transpose(2, 1, 0, 3) / 4095
    meant = np.array([[tetrahedral(turned, one.astype(float)) for one in row] for row in given])
    assert np.abs(seen(given, path) - meant).max() < HALF


@pytest.mark.parametrize("suffix", [".cc", ".ccc", ".cdl"])
def test_a_correction_follows_its_formula(tmp_path: Path, suffix: str) -> None:
    one = (
        '<ColorCorrection id="kiln"><SOPNode><Slope>1.2 0.9 0.8</Slope><Offset>0.02 -0.01 0.03</Offset>'
        "<Power>0.9 1.1 1.3</Power></SOPNode><SatNode><Saturation>0.7</Saturation></SatNode></ColorCorrection>"
    )
    whole = {
        ".cc": one.replace("<ColorCorrection", '<ColorCorrection xmlns="urn:ASC:CDL:v1.2"'),
        ".ccc": f'<ColorCorrectionCollection xmlns="urn:ASC:CDL:v1.2">{one}</ColorCorrectionCollection>',
        ".cdl": '<ColorDecisionList xmlns="urn:ASC:CDL:v1.01"><ColorDecision>'
        f"{one}</ColorDecision></ColorDecisionList>",
    }[suffix]
    path = tmp_path / f"kiln{suffix}"
    path.write_text(f'<?xml version="1.0" encoding="UTF-8"?>\n{whole}')
    given = colours(7)
    made = np.clip(given * [1.2, 0.9, 0.8] + [0.02, -0.01, 0.03], 0, 1) ** [0.9, 1.1, 1.3]
    grey = made @ [0.2126, 0.7152, 0.0722]
    meant = np.clip(grey[..., None] + 0.7 * (made - grey[..., None]), 0, 1)
    assert np.abs(np.clip(seen(given, path), 0, 1) - meant).max() < HALF
    assert probe(path).form == "ASC CDL"


def test_alpha_is_left_alone_and_colours_are_those_without_it(tmp_path: Path) -> None:
    values = np.random.default_rng(8).random((2, 2, 2, 3))
    path = cube(tmp_path / "night.cube", 2, values)
    picture = np.array([[[0.3, 0.1, 0.2, 0.5], [0, 0, 0, 0]]], np.float32)
    found = looked_up(picture, path)
    assert np.abs(found[0, 0, :3] - tetrahedral(values, np.array([0.6, 0.2, 0.4])) * 0.5).max() < HALF
    assert found[..., 3].tolist() == [[0.5, 0]] and not found[0, 1].any()


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("a.cube", b""),
        ("a.cube", b"LUT_3D_SIZE 4\n0 0 0\n"),
        ("a.cube", b"LUT_3D_SIZE 100000\n"),
        ("a.3dl", b"nothing"),
        ("a.cdl", b"<xml/>"),
        ("a.cc", b"<ColorCorrection><SOPNode>"),
    ],
)
def test_a_file_that_is_no_table_is_a_sentence(tmp_path: Path, name: str, data: bytes) -> None:
    path = tmp_path / name
    path.write_bytes(data)
    with pytest.raises(PictureError, match=name):
        seen(colours(1), path)


def test_a_table_that_changes_is_read_again(tmp_path: Path) -> None:
    given = colours(1)
    path = cube(tmp_path / "night.cube", 2, np.zeros((2, 2, 2, 3)))
    assert not seen(given, path).any()
    cube(path, 2, np.ones((2, 2, 2, 3)), 0, 2)
    assert seen(given, path).min() > 1 - 1e-6


# ---- in a cut


def negative(path: Path) -> Path:
    corners = np.stack(np.meshgrid([1, 0], [1, 0], [1, 0], indexing="ij"), -1)[..., ::-1]
    return cube(path, 2, corners.astype(float))


@pytest.mark.parametrize("name", ["night.cube", "night", "C:\\looks\\night.cube", "/gone/night.cube"])
def test_a_table_that_the_cut_names_is_found_like_any_file_and_seen(tmp_path: Path, name: str) -> None:
    stage = Stage(tmp_path)
    media = stage.movie("a", [pattern()] * 10)
    effect = Effect(name, "lut")
    whole = stage.cut((stage.item(media, effects=(effect,)),))
    document, sequence = whole
    shot = Composer(document, Finder(tmp_path / "cut.xml", document)).frame(sequence, 0)
    assert shot.undrawn == [f"{name} (the table is not there)"]
    assert np.abs(shot.picture[..., :3] * 255 - pattern()).max() < 1
    # Far away, in a folder that is searched.
    (tmp_path / "looks").mkdir()
    negative(tmp_path / "looks" / "night.cube")
    tools = Probes(tmp_path / "probes"), Scanner(tmp_path / "folders")
    source = tmp_path / "far" / "away" / "job" / "cut.xml"
    rows = find(document, [sequence], source, Rules(folders=(str(tmp_path / "looks"),)), {}, *tools)
    row = next(row for row in rows if row.media.id == f"table:{name}")
    assert (row.status, row.path.name, row.facts.form) == ("found", "night.cube", "table, 2³ points")
    assert [use.item_id for use in row.need.uses] == [whole[1].tracks[0].items[0].id]
    finder = Finder(source, document, tables_of(rows))
    shot = Composer(document, finder).frame(sequence, 0)
    assert shot.undrawn == [] and np.abs(shot.picture[..., :3] * 255 - (255 - pattern())).max() < 1


def test_a_table_that_is_switched_off_or_no_name_is_none(tmp_path: Path) -> None:
    assert table_medium(Effect("", "lut")) is None and table_medium(Effect("night", "blur")) is None
    assert is_table("A.CUBE") and not is_table("a.mov")
    found = table_medium(Effect("looks/night.cube", "lut"))
    assert found is not None and (found.name, found.path) == ("night.cube", "looks/night.cube")


def test_a_medium_is_seen_through_the_table_a_person_chose(tmp_path: Path) -> None:
    stage = Stage(tmp_path)
    first, second = stage.movie("a", [pattern()] * 10), stage.movie("b", [pattern(3)] * 10)
    document, sequence = stage.cut((stage.item(first), stage.item(second, start=10)))
    table = negative(tmp_path / "night.cube")

    def table_of(media: Media) -> Path | None:
        return table if media.id == "b" else None

    composer = Composer(document, Finder(tmp_path / "cut.xml", document), table_of=table_of)
    for frame, meant in ((0, pattern()), (12, 255 - pattern(3))):
        assert np.abs(composer.frame(sequence, frame).picture[..., :3] * 255 - meant).max() < 1
    table.write_text("nothing")
    shot = composer.frame(sequence, 12)
    assert shot.missing == ["b.mov"] and RATE.fps == 25
