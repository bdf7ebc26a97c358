"""A cut whose every picture is drawn by the test, and movies of it: right ones of every make, in which nothing may be
found, and one with a fault in every other shot, each of which must be found with its place and figures."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
import soundfile
from tests.screening.faults import Planted, Truth, planted
from tests.screening.made import LONG, TALL, WIDE, Camera, Cut, Picture, Shot, day, write_movie

from wexodos.cli import main
from wexodos.formats import FORMATS
from wexodos.ground import quiet
from wexodos.ground.errors import ReadError
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.screening.align import Aligned, By, Piece
from wexodos.screening.check import Checked, check_picture
from wexodos.screening.check import _after as after_whole
from wexodos.screening.check import _before as before_whole
from wexodos.screening.colours import mistake
from wexodos.screening.film import Film
from wexodos.screening.geometry import Box
from wexodos.screening.heard import heard
from wexodos.screening.measure import Colour
from wexodos.screening.rows import Row
from wexodos.screening.words import sound_words
from wexodos.timing import Rate

Left = tuple[Cut, Document, Sequence, list[Picture]]
_THOROUGH = int(os.environ.get("WEXODOS_EXAMPLES", "1")) > 1


@pytest.fixture(scope="module")
def left(tmp_path_factory: pytest.TempPathFactory) -> Left:
    """A cut of sixteen shots, its pictures and its media on the disk."""
    return _made(day(16, lengths=(18, 28)), tmp_path_factory.mktemp("left"))


@pytest.fixture(scope="module")
def short(tmp_path_factory: pytest.TempPathFactory) -> Left:
    """Its first six shots, where nothing depends on how many there are."""
    return _made(day(6, lengths=(18, 28)), tmp_path_factory.mktemp("short"))


def _made(cut: Cut, folder: Path) -> Left:
    return (cut, *cut.document(folder), cut.pictures())


def checked(left: Left, movie: Path) -> Checked:
    return check_picture(left[1], left[2], found, movie)


def found(media: Media) -> Path:
    return Path(media.path or "")


def graded(picture: Picture) -> Picture:
    """A saturation of 85 %, then gains and an offset."""
    grey = (picture @ np.float32([0.2126, 0.7152, 0.0722]))[..., None]
    return np.clip((grey * 0.15 + picture * 0.85) * np.float32([1.08, 1.0, 0.92]) + np.float32(0.02), 0, 1)


def smaller(picture: Picture) -> Picture:
    return np.asarray(cv2.resize(picture, (320, 180), interpolation=cv2.INTER_AREA), np.float32)


def boxed(picture: Picture) -> Picture:
    """With bars above and below, 4 by 3."""
    return np.asarray(cv2.copyMakeBorder(picture, 45, 45, 0, 0, cv2.BORDER_CONSTANT), np.float32)


def covered(picture: Picture) -> Picture:
    """Bars laid over the picture."""
    made = picture.copy()
    made[:27] = made[-27:] = 0
    return made


def numbered(picture: Picture, number: int) -> Picture:
    """Words burned in at the bottom, other ones in every frame."""
    words = np.zeros(picture.shape, np.uint8)
    told = f"00:00:{number // 25:02d}:{number % 25:02d}"
    cv2.putText(words, told, (166, 258), cv2.FONT_HERSHEY_SIMPLEX, 0.6, (255, 255, 255), 1, cv2.LINE_AA)
    made = picture.copy()
    made[240:263, 160:321] = words[240:263, 160:321].astype(np.float32) / 255
    return made


@pytest.mark.thorough
def test_a_movie_as_the_cut_has_it_has_no_row(left: Left, tmp_path: Path) -> None:
    movie = tmp_path / "right.mov"
    write_movie(movie, left[3], start="01:00:00:00")
    told = checked(left, movie)
    assert told.rows == []
    assert (told.aligned.offset, told.aligned.by.value, told.scale) == (0, "timecode", (1.0, 1.0))
    assert told.frames == left[0].length


@pytest.mark.parametrize(
    "what", ["smaller and cut off", "boxed", "covered", "numbered", "prores", "twice the rate"]
)
@pytest.mark.sampled(6)
@pytest.mark.thorough
def test_what_was_only_made_otherwise_has_no_row(left: Left, tmp_path: Path, what: str) -> None:
    movie = tmp_path / "made.mov"
    pictures = left[3]
    make: dict[str, Callable[[], None]] = {
        "smaller and cut off": lambda: write_movie(movie, [smaller(one) for one in pictures[41:-30]]),
        "boxed": lambda: write_movie(movie, [np.zeros((360, 480, 3), np.float32)] * 37 + [boxed(one) for one in pictures]),
        "covered": lambda: write_movie(movie, [covered(one) for one in pictures]),
        "numbered": lambda: write_movie(movie, [numbered(one, at) for at, one in enumerate(pictures)]),
        "prores": lambda: write_movie(movie, pictures, "prores"),
        "twice the rate": lambda: write_movie(movie, [one for one in pictures for _ in (0, 1)], rate=50),
    }  # fmt: skip
    make[what]()
    told = checked(left, movie)
    assert told.rows == []
    offset = {"smaller and cut off": -41, "boxed": 37}.get(what, 0)
    assert (told.aligned.offset, told.aligned.by.value) == (offset, "picture")
    scale = {"smaller and cut off": (2 / 3, 2 / 3)}.get(what, (1.0, 1.0))
    assert told.scale == pytest.approx(scale, abs=2e-3)
    assert told.aligned.pace == (2 if what == "twice the rate" else 1)
    assert (told.masked > 0) == (what == "numbered")


@pytest.mark.thorough
def test_a_grade_over_all_is_one_row_with_its_figures(left: Left, tmp_path: Path) -> None:
    movie = tmp_path / "graded.mov"
    write_movie(movie, [graded(one) for one in left[3]])
    (row,) = checked(left, movie).rows
    assert (row.what.value, row.first, row.until, row.item) == ("colour", 0, left[0].length, "")
    assert row.figures["gain"] == pytest.approx([1.08, 1.0, 0.92], abs=0.03)
    assert row.figures["saturation"] == pytest.approx(0.85, abs=0.03)


@pytest.mark.parametrize(
    "gain, offset, words", [(219 / 255, 16 / 255, "full range"), (255 / 219, -16 / 219, "stretched")]
)
@pytest.mark.thorough
def test_a_wrong_range_is_no_grade(
    left: Left, tmp_path: Path, gain: float, offset: float, words: str
) -> None:
    movie = tmp_path / "range.mov"
    write_movie(movie, [np.clip(one * np.float32(gain) + np.float32(offset), 0, 1) for one in left[3]])
    (row,) = checked(left, movie).rows
    assert row.what.value == "range"
    assert words in row.value


@pytest.mark.thorough
def test_another_version_is_told_once_with_the_place(left: Left, tmp_path: Path) -> None:
    cut, pictures = left[0], left[3]
    place = cut.starts()[6] + 9
    movie = tmp_path / "other.mov"
    write_movie(movie, [*pictures[:place], *([pictures[place]] * 12), *pictures[place:]])
    (row,) = checked(left, movie).rows
    assert (row.what.value, row.until) == ("frame", cut.length)
    assert abs(row.first - place) <= 1
    assert row.figures["offset"] == 12
    assert row.value == "from here on everything is 12 frames later"


def test_a_movie_of_another_cut_is_refused(short: Left, tmp_path: Path) -> None:
    movie = tmp_path / "other.mov"
    dice = np.random.default_rng(3)
    pictures = [
        np.asarray(cv2.resize(dice.random((9, 16, 3), np.float32), (320, 180)), np.float32) for _ in range(60)
    ]
    write_movie(movie, pictures)
    with pytest.raises(ReadError, match="are not in it"):
        checked(short, movie)


# ---- faults


def fits(row: Row, truth: Truth, planted: Planted) -> bool:
    """Whether a row is about the place of a fault, of its kind."""
    cut = planted.cut
    if truth.panel:
        one = cut.graphics[truth.number]
        return (
            row.what.value == truth.what and row.item_id == f"graphic-{truth.number}" and row.first < one.last
        )
    begin = cut.starts()[truth.number]
    end = begin + cut.shots[truth.number].length
    # A cut that comes earlier is told before its place.
    here = row.first < end and row.until >= begin
    return row.what.value == truth.what and here and row.item_id in (f"shot-{truth.number}", "")


_NEAR = {"dx": 1.0, "dy": 1.0, "scale": 0.002, "degrees": 0.1, "saturation": 0.03, "length": 1}


def judged(planted: Planted, rows: list[Row]) -> tuple[list[str], list[Row]]:
    """The faults that were not found as they are, and the rows that are about none."""
    wrong, rest = [], list(rows)
    for truth in planted.truth:
        row = next((one for one in rest if fits(one, truth, planted)), None)
        if row is None:
            wrong.append(f"not found: {truth}")
            continue
        rest.remove(row)
        known = dict(row.figures)
        if truth.what == "black":
            known["length"] = row.until - row.first
        for name, value in truth.figures.items():
            told = known.get(name)
            if name in ("gain", "offset"):
                near = abs(float(np.mean(told)) - value) < 0.03
            else:
                # A panel has few pixels.
                near = told is not None and abs(told - value) <= _NEAR.get(name, 0) * (
                    2.5 if truth.panel else 1
                )
            if not near:
                wrong.append(f"{name} is {told}: {truth}")
    return wrong, rest


MAKES = {
    "as it is": (lambda picture: picture, "h264"),
    "boxed, in another code": (boxed, "prores"),
    "smaller": (smaller, "h264"),
    "graded": (graded, "h264"),
}


@pytest.mark.parametrize("make", MAKES if _THOROUGH else ["as it is"])
@pytest.mark.thorough
def test_every_planted_fault_is_found_with_its_figures_and_nothing_else(tmp_path: Path, make: str) -> None:
    case = planted()
    document, sequence = case.cut.document(tmp_path)
    turn, coder = MAKES[make]
    movie = tmp_path / "faulty.mov"
    write_movie(movie, (turn(one) for one in case.frames()), coder)
    rows = check_picture(document, sequence, found, movie).rows
    if make == "graded":
        assert rows[0].what.value == "colour" and rows[0].item == ""
        rows = rows[1:]
    wrong, rest = judged(case, rows)
    assert wrong == []
    assert rest == []


@pytest.mark.thorough
def test_what_is_not_there_is_not_compared_and_said(left: Left, tmp_path: Path) -> None:
    cut, document, sequence, pictures = left
    movie = tmp_path / "right.mov"
    write_movie(movie, pictures)

    def without(media: Media) -> Path | None:
        return None if media.id == "C002" else found(media)

    told = check_picture(document, sequence, without, movie)
    assert told.rows == []
    assert told.missing == ["C002.mov"]
    # With the dissolves and wipes it takes part in.
    alone = sum(one.length for one in cut.shots if one.camera == 2)
    assert cut.length - alone - 40 < told.frames <= cut.length - alone


@pytest.mark.parametrize("late", [0, 1234, -900])
@pytest.mark.sampled(3)
def test_the_sound_of_a_movie_is_held_against_its_picture(short: Left, tmp_path: Path, late: int) -> None:
    cut, document, sequence, pictures = short
    count = cut.length * 1920
    dice = np.random.default_rng(8)
    # Noise that swells and falls at its own pace.
    loud = np.repeat(dice.uniform(0.02, 0.6, count // 2400 + 1), 2400)[:count]
    sound = (loud * dice.uniform(-1, 1, count)).astype(np.float32)
    voice = tmp_path / "voice.wav"
    soundfile.write(voice, sound, 48_000, "PCM_16")
    media = Media("voice", voice.name, str(voice), duration=cut.length, rate=Rate(25), audio=True, channels=1,
                  sample_rate=48_000)  # fmt: skip
    item = Item("voice", "Voice", 0, cut.length, MediaUse("voice"), sound=Sound(channels=(1,)))
    sequence = replace(sequence, tracks=(*sequence.tracks, Track("audio", (item,))))
    document = replace(document, media=(*document.media, media), sequences=(sequence,))
    movie = tmp_path / "sounding.mov"
    # A second of leader before both.
    leader = [np.zeros_like(pictures[0])] * 25
    late_sound = np.concatenate([np.zeros(48_000 + late, np.float32), sound])
    write_movie(movie, [*leader, *pictures], sound=late_sound)
    told = check_picture(document, sequence, found, movie)
    assert told.rows == []
    assert told.sound is not None and told.sound.offset == late
    assert told.sound.steps == ()


def test_a_sound_that_cannot_be_read_is_said(short: Left, tmp_path: Path) -> None:
    _, document, sequence, pictures = short
    voice = tmp_path / "voice.wav"
    voice.write_bytes(b"RIFF no sound at all")
    media = Media("voice", voice.name, str(voice), duration=50, rate=Rate(25), audio=True, channels=1,
                  sample_rate=48_000)  # fmt: skip
    item = Item("voice", "Voice", 0, 50, MediaUse("voice"), sound=Sound(channels=(1,)))
    sequence = replace(sequence, tracks=(*sequence.tracks, Track("audio", (item,))))
    document = replace(document, media=(*document.media, media), sequences=(sequence,))
    movie = tmp_path / "short.mov"
    write_movie(movie, pictures[:25], sound=np.zeros(48_000, np.float32))
    whole = Box(0.0, 0.0, 1.0, 1.0)
    lie = Aligned((Piece(0, 25, 0),), Fraction(1), whole, whole, By.PICTURE, 1.0)
    told = heard(document, sequence, found, Film.of(movie), lie, quiet)
    assert told is not None and told.offset is None and "voice.wav" in told.problem
    assert sound_words(told, sequence) == f"its sound was not compared: {told.problem}"


class Fields(Camera):
    """A camera that sees fifty fields a second, the upper ones first."""

    def frame(self, at: int) -> Picture:
        made = super().frame(2 * at).copy()
        made[1::2] = super().frame(2 * at + 1)[1::2]
        return made


@pytest.mark.parametrize("wrong", [False, True])
@pytest.mark.thorough
def test_fields_in_the_other_order_are_one_row(tmp_path: Path, wrong: bool) -> None:
    cameras = {number: Fields(number) for number in (3, 6, 9)}
    cut = Cut([Shot(3 * (1 + at % 3), 2 + 3 * at, 22) for at in range(9)], [], cameras)
    document, sequence = cut.document(tmp_path, long=LONG // 2)
    sequence = replace(sequence, field_order="upper")
    media = tuple(replace(one, field_order="upper") for one in document.media)
    document = replace(document, media=media, sequences=(sequence,))
    pictures = []
    for picture in cut.pictures():
        made = picture.copy()
        if wrong:
            made[0::2], made[1::2] = picture[1::2], picture[0::2]
        pictures.append(made)
    movie = tmp_path / "fields.mov"
    write_movie(movie, pictures, "whole")
    rows = check_picture(document, sequence, found, movie).rows
    wanted = [("field-order", "lower field first", "upper field first")] if wrong else []
    assert [(row.what.value, row.value, row.expected) for row in rows] == wanted


# ---- the command line


def test_the_command_line_tells_rows_with_places_and_figures(
    short: Left, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    cut, document, sequence, pictures = short
    file, movie = tmp_path / "cut.xml", tmp_path / "movie.mov"
    file.write_bytes(FORMATS["xmeml"].write(document, sequence.id, "5", None))
    start = cut.starts()[3]
    black = [np.zeros((TALL, WIDE, 3), np.float32)] * 5
    write_movie(movie, [*pictures[: start + 6], *black, *pictures[start + 11 :]], start="01:00:00:00")
    before = file.read_bytes(), movie.read_bytes()
    assert main(["check-picture", str(file), str(movie), "--json", "--out", str(tmp_path / "rows.csv")]) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["aligned"]["offset_frames"], told["aligned"]["by"], told["frames"]) == (
        0,
        "timecode",
        cut.length,
    )
    (row,) = told["rows"]
    assert (row["what"], row["frame"], row["until"], row["item"]) == (
        "black",
        start + 6,
        start + 11,
        "Shot 3",
    )
    assert row["at"] == str(sequence.timecode(start + 6))
    assert "black for 5 frames" in (tmp_path / "rows.csv").read_text()
    assert main(["check-picture", str(file), str(movie)]) == 0
    assert "black for 5 frames" in capsys.readouterr().out
    assert (file.read_bytes(), movie.read_bytes()) == before
    assert main(["check-picture", str(file), str(file)]) == 3
    assert main(["check-picture", str(file), str(tmp_path / "none.mov")]) == 3
    assert main(["check-picture", str(movie), str(movie)]) == 3
    assert main(["check-picture", str(file), str(movie), "--out", str(tmp_path / "rows.doc")]) == 2
    assert Fraction(told["aligned"]["pace"]) == 1


def test_a_wrong_range_is_one_before_a_grade_and_behind_it() -> None:
    grade = Colour(np.diag([1.07, 1.0, 0.92]), np.array([0.03, 0.02, 0.01]), 0.0)
    # Black at 16, white at 235 of 255.
    narrow, black = 219 / 255, 16 / 255
    first = Colour(grade.matrix * narrow, grade.matrix @ np.full(3, black) + grade.offset, 0.0)
    last = Colour(grade.matrix * narrow, grade.offset * narrow + black, 0.0)
    for own, back in ((first, before_whole), (last, after_whole)):
        found = mistake(back(own, grade))
        assert found is not None and found.what == "range"
        assert np.allclose(back(own, grade).matrix, np.eye(3) * narrow)
        assert np.allclose(back(own, grade).offset, black)
    assert mistake(before_whole(grade, grade)) is None
