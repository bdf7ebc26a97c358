"""Clips with a fade at either end, at one end, at both, and crossfades, off the grid of frames: mixed again
from what was written, the mix is that of the media."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
import soundfile

from turnover.heard import PAL, RATE, difference, mixed
from wexodos.carryover import Options, carry_over
from wexodos.destinations import find_destination
from wexodos.formats import read_bytes, read_file
from wexodos.model import (
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
from wexodos.timing import Exact, exact
from wexodos.turnover.run import prepared
from wexodos.turnover.write import write_package

SAMPLE = Fraction(25, RATE)  # in frames
FLAT = Curve((0.0,))


@pytest.fixture(scope="module")
def media(tmp_path_factory: pytest.TempPathFactory) -> Media:
    folder = tmp_path_factory.mktemp("kiln")
    noise = np.random.default_rng(3).uniform(-0.5, 0.5, RATE * 20)
    soundfile.write(folder / "boom.wav", noise, RATE, subtype="PCM_24")
    path = str(folder / "boom.wav")
    return Media(
        "boom", "boom.wav", path, "S1", 90_000, False, 500, PAL, channels=1, sample_rate=RATE, audio=True
    )


def clip(
    number: int,
    start: Exact,
    length: Exact,
    fade_in: Fade | None = None,
    fade_out: Fade | None = None,
    level: Curve = FLAT,
) -> Item:
    sound = Sound((1,), level, fade_in=fade_in, fade_out=fade_out)
    return Item(f"c{number}", f"Boom {number}", start, length, MediaUse("boom"), sound=sound)


def source(item: Item, grid: Fraction) -> Exact:
    """Each clip begins at another place of the noise; between two frames where places are finer."""
    number = int(item.id[1:])
    return exact(number + Fraction(37 * number, RATE) * (grid == SAMPLE))


def cut(
    media: Media,
    grid: Fraction,
    crossfade: str = "audio-linear",
    fade: str = "equal-power",
    domain: str = "gain",
) -> tuple[Document, Sequence]:
    """``grid`` is what the places are rounded to, in frames: a sample, or a frame where the format has no
    finer places. The others are what a format spells exactly: beside an equal-power crossfade, its kind of
    crossfade; beside linear fades, its kind of fade; whether levels go straight in gain or in decibels."""

    def at(frames: object) -> Exact:
        return exact(round(Fraction(frames) / grid) * grid)  # type: ignore[arg-type]

    linear, power = Fade(at(Fraction(83, 10))), Fade(at(Fraction(127, 10)), fade)
    one = Track(
        "audio",
        (
            clip(1, at(3), at(40), linear, power),
            clip(2, at(Fraction(501, 10)), at(30), power),
            clip(3, at(Fraction(903, 10)), at(30), None, linear),
            # A fade that begins where the other ends.
            clip(4, at(130), at(21), Fade(at(Fraction(83, 10))), Fade(at(21) - at(Fraction(83, 10)))),
            clip(5, at(160), at(40), Fade(at(10)), None, Curve((-7.3,))),
        ),
        name="Dialogue",
    )
    a, b, c = at(Fraction(602, 10)), at(Fraction(1104, 10)), at(170)
    linked = (
        clip(6, at(10), a - at(10), power, None),
        clip(7, a, b - a, None, None, Curve((-5.0,))),
        clip(8, b, c - b, None, linear, Curve((0.0,), (Key(at(15), (-12.0,)), Key(at(30), (0.0,))), domain)),
    )
    joins = (
        Transition("t", "Cross fade", crossfade, a - 4, 8, a),
        Transition("u", "Equal power", "audio-equal-power", b - 4, 8, b),
    )
    two = Track("audio", linked, joins, name="Ambience")
    one, two = (
        replace(track, items=tuple(replace(item, source_in=source(item, grid)) for item in track.items))
        for track in (one, two)
    )
    sequence = Sequence(
        "s", "Kiln sound", PAL, 90_000, sample_rate=RATE, tracks=(one, two), stated_duration=220
    )
    return Document("xmeml", "5", (sequence,), (media,)), sequence


@pytest.mark.parametrize("name", ["mixing-aaf-embedded", "mixing-aaf-linked", "mixing-omf"])
def test_turnovers_keep_fades_at_every_sample(media: Media, tmp_path: Path, name: str) -> None:
    document, sequence = cut(media, SAMPLE)
    destination = find_destination(name)
    path = tmp_path / f"out.{destination.format}"
    (made,) = prepared(
        document, sequence, destination, tmp_path / "source.xml", path, Options(), lambda *_: None
    )
    write_package(made.parts, tmp_path, None, lambda *_: None)
    assert made.carried.errors == 0
    assert_heard(document, sequence, read_file(path), path)


@pytest.mark.parametrize(
    "name, grid, kinds",
    [
        ("editing-track-xml", Fraction(1), ("audio-linear", "linear", "gain")),
        ("editing-lane-xml", SAMPLE, ("audio-equal-power", "equal-power", "plain")),
        ("mixing-lane-xml", SAMPLE, ("audio-equal-power", "equal-power", "plain")),
        ("finishing-aaf", Fraction(1), ("audio-linear", "equal-power", "gain")),
        ("archive-otio", SAMPLE, ("audio-linear", "equal-power", "gain")),
    ],
)
def test_linked_files_keep_fades_at_every_sample(
    media: Media, tmp_path: Path, name: str, grid: Fraction, kinds: tuple[str, str, str]
) -> None:
    document, sequence = cut(media, grid, *kinds)
    carried = carry_over(document, sequence, find_destination(name))
    assert carried.errors == 0
    assert_heard(document, sequence, read_bytes(carried.data), tmp_path / "x.xml")


def assert_heard(document: Document, sequence: Sequence, back: Document, path: Path) -> None:
    here = mixed(document, sequence, Finder(path, document))
    there = mixed(back, back.top_level[0], Finder(path, back))
    size = min(len(here), len(there))
    assert not here[size:].any() and not there[size:].any() and np.abs(here).max() > 0.3
    assert difference(here[:size], there[:size]) < -90
