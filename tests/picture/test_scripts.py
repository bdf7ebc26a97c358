"""Titles in other scripts, with typefaces that the tests make: what draws which letter, in which order, and
what is said where nothing does."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from fontTools.feaLib.builder import addOpenTypeFeaturesFromString
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.ttGlyphPen import TTGlyphPen

from wexodos.model import Document, Item, Sequence, TextRun, Title, Track
from wexodos.picture import Composer, faces
from wexodos.picture.faces import pieces, right_to_left, stands_in
from wexodos.picture.titles import drawn_title, remarks
from wexodos.tidy import Chosen, tidy
from wexodos.timing import Rate

THAI, DEVANAGARI = "กขค", "कखग"
BEH, SEEN = "ب", "س"


def typeface(
    folder: Path, name: str, letters: dict[str, int], more: dict[str, int] | None = None, features: str = ""
) -> Path:
    """A typeface whose letters are blocks of a height each (in 1000ths), all 600 wide; ``more`` are glyphs that
    only features lead to."""
    glyphs = {f"u{ord(one):04X}": tall for one, tall in letters.items()}
    order = [".notdef", "space", *glyphs, *(more or {})]
    builder = FontBuilder(1000, isTTF=True)
    builder.setupGlyphOrder(order)
    builder.setupCharacterMap({32: "space", **{ord(one): f"u{ord(one):04X}" for one in letters}})
    drawn = {}
    for glyph in order:
        pen = TTGlyphPen(None)
        tall = {**glyphs, **(more or {}), ".notdef": 990}.get(glyph)
        if tall:
            pen.moveTo((100, 0))
            pen.lineTo((100, tall))
            pen.lineTo((500, tall))
            pen.lineTo((500, 0))
            pen.closePath()
        drawn[glyph] = pen.glyph()
    builder.setupGlyf(drawn)
    builder.setupHorizontalMetrics(dict.fromkeys(order, (600, 100)))
    builder.setupHorizontalHeader(ascent=1000, descent=-200)
    builder.setupNameTable({"familyName": name, "styleName": "Regular"})
    builder.setupOS2()
    builder.setupPost()
    if features:
        addOpenTypeFeaturesFromString(builder.font, features)
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{name}.ttf"
    builder.save(path)
    return path


@pytest.fixture
def fonts(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """A system with the typefaces of this folder and no others."""
    folder = tmp_path / "data" / "fonts"
    folder.mkdir(parents=True)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_DATA_DIRS", str(tmp_path / "none"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    monkeypatch.setenv("HOME", str(tmp_path / "home"))

    def forget() -> None:
        for one in (faces.system_faces, faces._other, faces.face_of, faces._letters, faces._opened):
            one.cache_clear()

    forget()
    yield folder
    forget()


def heights(text: str, size: float = 100.0) -> list[int]:
    """The heights of the blocks that are drawn, from left to right, in 1000ths of the size."""
    picture = drawn_title(Title((TextRun(text, size=size),)), 1600, 400, (1600, 400), 0)[..., 3] > 0.5
    columns = picture.sum(axis=0)
    found, inside = [], False
    for tall in columns:
        if tall and not inside:
            found.append(round(float(tall) / size * 1000, -1))
        inside = bool(tall)
    return [int(one) for one in found]


def test_letters_the_shipped_typeface_has_not_are_drawn_by_one_that_has(fonts: Path) -> None:
    typeface(fonts, "Kiln Thai", dict(zip(THAI, (300, 500, 700))))
    typeface(fonts, "Kiln Devanagari", dict(zip(DEVANAGARI, (200, 400, 600))))
    assert heights(THAI) == [300, 500, 700]
    assert heights(DEVANAGARI) == [200, 400, 600]
    assert [
        (one.text, one.face.name if one.face else None) for one in pieces(f"Ada {THAI[:2]} x", None, False)
    ] == [
        ("Ada ", "Barlow Semi Condensed"),
        (f"{THAI[:2]} ", "kiln thai"),
        ("x", "Barlow Semi Condensed"),
    ]
    assert remarks(Title((TextRun(f"{THAI} {DEVANAGARI}", size=40.0),)), 1600) == []


def test_words_from_the_right_are_in_their_order_and_their_letters_join(fonts: Path) -> None:
    """In Arabic the first letter stands at the right, and a letter within a word has other shapes."""
    features = (
        "languagesystem DFLT dflt; languagesystem arab dflt;"
        "feature init { sub u0628 by beh.init; } init;"
        "feature fina { sub u0633 by seen.fina; sub u0628 by beh.fina; } fina;"
    )
    typeface(
        fonts,
        "Kiln Arabic",
        {BEH: 200, SEEN: 400},
        {"beh.init": 600, "seen.fina": 800, "beh.fina": 300},
        features,
    )
    assert heights(BEH) == [200] and heights(SEEN) == [400]
    # Beh at the right in its shape for a beginning, seen at the left in that for an end.
    assert heights(BEH + SEEN) == [800, 600]
    # Two words: the first at the right.
    assert heights(f"{BEH} {SEEN}") == [400, 200]
    assert right_to_left(f"  {BEH} Ada") and not right_to_left(f"Ada {BEH}") and not right_to_left("12")
    assert [one.text for one in pieces(f"{BEH} Ada", None, False)] == ["Ada", f"{BEH} "]
    # Letters that join are not torn apart by tracking.
    torn = drawn_title(Title((TextRun(BEH + SEEN, size=100.0, tracking=80.0),)), 1600, 400, (1600, 400), 0)
    whole = drawn_title(Title((TextRun(BEH + SEEN, size=100.0),)), 1600, 400, (1600, 400), 0)
    assert np.array_equal(torn, whole)


def test_letters_that_nothing_draws_are_said_and_are_no_boxes(fonts: Path) -> None:
    assert heights(THAI) == []
    assert remarks(Title((TextRun(f"Ada {THAI} {THAI[0]}", size=40.0),)), 1600) == [
        "no typeface here has ก ข ค"
    ]
    alone = drawn_title(Title((TextRun("Ada", size=40.0, align="left"),)), 400, 100, (400, 100), 0)
    beside = drawn_title(Title((TextRun(f"Ada{THAI}", size=40.0, align="left"),)), 400, 100, (400, 100), 0)
    assert np.array_equal(alone, beside)


def test_a_typeface_the_cut_names_is_used_where_it_is_here_and_said_where_not(fonts: Path) -> None:
    named = Title((TextRun("A", "Kiln Blocks", 100.0),))
    assert remarks(named, 1600) == ["the typeface Kiln Blocks is not here, Barlow Semi Condensed stands in"]
    assert stands_in("Kiln Mono") == "IBM Plex Mono"
    faces.system_faces.cache_clear()
    faces.face_of.cache_clear()
    typeface(fonts, "Kiln Blocks", {"A": 350})
    assert remarks(named, 1600) == []
    drawn = drawn_title(named, 1600, 400, (1600, 400), 0)[..., 3] > 0.5
    assert abs(int(drawn.sum(axis=0).max()) - 35) <= 1
    for name in (None, "", "Barlow Semi Condensed", "sans-serif"):
        assert stands_in(name) == ""


def test_lines_that_run_out_of_the_frame_are_said(fonts: Path) -> None:
    long = Title((TextRun("A line that is longer than the frame\nshort", size=100.0),))
    assert remarks(long, 600) == ["a line runs out of the frame: A line that is longer than the…"]
    assert remarks(long, 6000) == []


def test_a_damaged_typeface_is_none(fonts: Path) -> None:
    path = typeface(fonts, "Kiln Thai", {THAI[0]: 300})
    data = path.read_bytes()
    for part in (0, 5, 12, len(data) // 2):
        path.write_bytes(data[:part])
        faces.system_faces.cache_clear()
        faces._other.cache_clear()
        assert heights(THAI[0]) == []


def test_it_is_said_under_the_picture_and_before_a_title_is_baked(fonts: Path) -> None:
    title = Title((TextRun(f"Ada {THAI}", "Kiln Blocks", 40.0),))
    item = Item("t", "Words", 0, 50, title)
    sequence = Sequence("s", "Kiln Night", Rate(25), width=640, height=360, tracks=(Track("video", (item,)),))
    document = Document("xmeml", "5", (sequence,), ())
    said = [
        "the typeface Kiln Blocks is not here, Barlow Semi Condensed stands in",
        "no typeface here has ก ข ค",
    ]
    assert Composer(document, lambda _media: None).frame(sequence, 5, 90).undrawn == said
    done = tidy(document, sequence, (Chosen("take-out", True, {"kinds": "titles", "instead": "render"}),))
    lines = [line.why for step in done.steps for line in step.outcome.lines if line.grave]
    assert lines == said
