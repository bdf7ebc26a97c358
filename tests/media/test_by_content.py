"""What is in files decides where nothing else does: takes of one place that only their content tells apart."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray

from picture import makers
from wexodos.cli.commands import main
from wexodos.media import Candidate, Probed, Probes, Row, Rules, Scanner, find, swap
from wexodos.media.content import Content, Reference, reference_of
from wexodos.media.match import Sign
from wexodos.media.needs import needs
from wexodos.model import (
    Document,
    Item,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Sound,
    Track,
    Transition,
    constant,
)
from wexodos.timing import Rate

PAL = Rate(25)
LENGTH = 44


def take(number: int, frame: int) -> NDArray[np.uint8]:
    """A frame of a take: one place, in which something of its own moves."""
    chance = np.random.default_rng(4)
    place = cv2.GaussianBlur(chance.integers(40, 210, (90, 160, 3)).astype(np.float32), (0, 0), 5)
    place = np.clip((place - place.mean()) * 6 + 120, 0, 255)
    x = (40 + 97 * number + (3 + number) * frame) % 140
    y = (30 + 53 * number + 2 * frame) % 65
    place[y : y + 23, x : x + 19] = (20, 30, 230 - 60 * number)
    return place.astype(np.uint8)


def movie(path: Path, frames: list[NDArray[np.uint8]]) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    return makers.movie(path, frames)


def frames_of(number: int, first: int = 0, count: int = LENGTH) -> list[NDArray[np.uint8]]:
    return [take(number, first + frame) for frame in range(count)]


def graded(pictures: list[NDArray[np.uint8]], wide: int, tall: int) -> list[NDArray[np.uint8]]:
    """As an offline picture shows them: smaller, darker, with words burned in."""
    made = []
    for number, one in enumerate(pictures):
        small = (cv2.resize(one, (wide, tall)).astype(np.float32) * 0.7 + 8).astype(np.uint8)
        cv2.putText(small, f"01:00:{number:02d}", (4, tall - 4), 0, 0.3, (255, 255, 255))
        made.append(small)
    return made


@pytest.fixture
def tools(tmp_path: Path) -> tuple[Probes, Scanner]:
    return Probes(tmp_path / "cache" / "probes"), Scanner(tmp_path / "cache" / "scans")


def wanted(**more: object) -> Media:
    told = replace(Media("m", "C0008.mov", "/gone/CARD/C0008.mov", None, 0, False, LENGTH, PAL), video=True)
    return replace(told, width=160, height=90, **more)  # type: ignore[arg-type]


def cut(media: Media, **more: object) -> Document:
    item = Item("i", "Stoke hole", 0, 40, MediaUse("m"), Fraction(4, 25), **more)  # type: ignore[arg-type]
    tracks = (Track("video", (item,)),)
    sequence = Sequence("s", "Kiln Night", PAL, 90_000, False, 160, 90, tracks=tracks)
    return Document("xmeml", "5", (sequence,), (media,))


def found(
    document: Document, root: Path, tools: tuple[Probes, Scanner], reference: Path | None = None
) -> Row:
    rules = Rules(0, (str(root),), reference=str(reference or ""))
    (row,) = find(document, list(document.sequences), root / "cut" / "k.xml", rules, {}, *tools)
    return row


def takes(root: Path, many: int = 3) -> list[Path]:
    return [movie(root / f"disk/{number}/C0008.mov", frames_of(number)) for number in range(many)]


def test_takes_of_one_name_are_a_question_until_something_shows_which(
    tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    paths = takes(tmp_path)
    plain = found(cut(wanted()), tmp_path, tools)
    assert (plain.path, plain.asked) == (None, True)
    for number in (1, 2):
        # The working copy is smaller, darker, and has words in it.
        copy = movie(tmp_path / f"copies/{number}.mov", graded(frames_of(number), 80, 45))
        row = found(cut(wanted(proxy_path=str(copy))), tmp_path / "disk", tools)
        assert (row.path, row.asked, row.how) == (paths[number], False, "searched")
        assert [one.points(Sign.CONTENT) for one in row.candidates] == [50, -50, -50]
        assert row.candidates[0].reasons[-1].words == "shows what the working copy shows"


def test_a_reference_picture_of_the_cut_shows_which_take_it_is(
    tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    paths = takes(tmp_path)
    reference = movie(tmp_path / "reference.mov", graded(frames_of(2, 4, 40), 120, 68))
    row = found(cut(wanted()), tmp_path / "disk", tools, reference)
    assert row.path == paths[2]
    assert row.candidates[0].reasons[-1].words == "shows what the reference picture shows"
    # The same picture two seconds later is another: then nobody knows.
    late = movie(tmp_path / "late.mov", graded(frames_of(5, 0, 40), 120, 68))
    assert found(cut(wanted()), tmp_path / "disk", tools, late).path is None


@pytest.mark.parametrize(
    "over",
    [
        {"motion": Motion(scale=constant(0.5, 0.5))},
        {"enabled": False},
        {"joined": True},
        {"covered": True},
    ],
    ids=lambda one: next(iter(one)),
)
def test_what_the_reference_does_not_show_alone_is_not_compared(
    over: dict[str, object], tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    takes(tmp_path, 2)
    reference = movie(tmp_path / "reference.mov", graded(frames_of(1, 4, 40), 120, 68))
    joined, covered = over.pop("joined", False), over.pop("covered", False)
    document = cut(wanted(), **over)
    sequence = document.sequences[0]
    (track,) = sequence.tracks
    if joined:
        track = replace(track, transitions=(Transition("t", "Fire", "dissolve", 0, 40, 40),))
    upper = (Track("video", (Item("o", "Words", 0, 40, MediaUse("o")),)),) if covered else ()
    other = (replace(wanted(), id="o", name="o.png", path=None, synthetic=True),)
    document = replace(
        document,
        sequences=(replace(sequence, tracks=(track, *upper)),),
        media=(*document.media, *other),
    )
    assert found(document, tmp_path / "disk", tools, reference).path is None


def test_a_reference_begins_by_its_timecode(tmp_path: Path) -> None:
    path = movie(tmp_path / "r.mov", frames_of(1, 0, 5))
    sequence = cut(wanted()).sequences[0]
    made = reference_of(str(path), sequence, Probes(tmp_path / "probes"))
    assert made is not None and made.first == 0
    starts = {90_000: 0, 90_010: 10, 90_040: 0, 89_999: 0, 0: 0}
    for start, first in starts.items():
        told = type(made.facts)(str(path), 1, 1, video=True, start=start, rate="25/1")
        assert Reference(path, told, sequence).first == first, start
    assert reference_of("", sequence, Probes(tmp_path / "probes")) is None


def test_sound_is_known_by_its_copy(tmp_path: Path, tools: tuple[Probes, Scanner]) -> None:
    chance = np.random.default_rng(9)
    voices = [np.convolve(chance.normal(0, 0.1, 48_000 * 3), np.ones(12) / 12, "same") for _ in range(3)]
    for number, samples in enumerate(voices):
        path = tmp_path / f"disk/{number}/T001.wav"
        path.parent.mkdir(parents=True)
        soundfile.write(path, samples, 48_000, "PCM_24")
    # The copy is softer, 12 milliseconds late and at another rate.
    late = np.concatenate([np.zeros(576), voices[1]])[: 48_000 * 3] * 0.3
    copy = tmp_path / "copy.wav"
    soundfile.write(copy, late[::2], 24_000, "PCM_16")
    media = Media("m", "T001.wav", "/gone/A/T001.wav", None, 0, False, 75, PAL, audio=True, channels=1)
    item = Item("i", "Ilka", 0, 40, MediaUse("m"), Fraction(1, 2), sound=Sound((1,)))
    sequence = Sequence("s", "Kiln Night", PAL, tracks=(Track("video"), Track("audio", (item,))))
    document = Document("xmeml", "5", (sequence,), (replace(media, proxy_path=str(copy)),))
    row = found(document, tmp_path / "disk", tools)
    assert row.path == tmp_path / "disk/1/T001.wav"
    assert row.candidates[0].reasons[-1].words == "sounds like its working copy"
    assert found(replace(document, media=(media,)), tmp_path / "disk", tools).path is None


def test_an_original_is_known_by_its_working_copy(tmp_path: Path, tools: tuple[Probes, Scanner]) -> None:
    paths = takes(tmp_path)
    copy = movie(tmp_path / "copies/C0008.mov", graded(frames_of(1), 128, 72))
    document = cut(wanted(path=str(copy)))
    made = swap(document, document.sequences[0], [tmp_path / "disk"], *tools)
    assert [path for _, path in made.pairs] == [paths[1]]
    other = movie(tmp_path / "others/C0008.mov", graded(frames_of(5), 128, 72))
    document = cut(wanted(path=str(other)))
    made = swap(document, document.sequences[0], [tmp_path / "disk"], *tools)
    assert made.pairs == [] and "3 files could be it" in made.unmatched[0].why


def test_flat_pictures_and_files_that_cannot_be_read_say_nothing(
    tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    takes(tmp_path, 2)
    black = movie(tmp_path / "black.mov", [np.full((45, 80, 3), 16, np.uint8)] * 40)
    document = cut(wanted(proxy_path=str(black)))
    assert found(document, tmp_path / "disk", tools).path is None
    broken = tmp_path / "broken.mov"
    broken.write_bytes(b"no movie")
    document = cut(wanted(proxy_path=str(broken)))
    row = found(document, tmp_path / "disk", tools)
    assert row.asked and not any(one.points(Sign.CONTENT) for one in row.candidates)
    assert Content().told(needs(document, document.sequences[0])[0], [], None) == []


def test_the_command_line_takes_a_reference(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], whole_demo: Path
) -> None:
    (tmp_path / "notes.txt").write_text("no movie")
    demo = str(whole_demo / "kiln-night.xml")
    assert main(["media", demo, "--reference", str(tmp_path / "notes.txt")]) == 3
    assert "notes.txt" in capsys.readouterr().err


def test_files_that_begin_elsewhere_are_compared_at_the_same_timecode(tmp_path: Path) -> None:
    copy = movie(tmp_path / "copy.mov", graded(frames_of(1), 80, 45))
    document = cut(wanted(start=1000))
    (need,) = needs(document, document.sequences[0])
    candidates = []
    for number in (0, 1, 2):
        # Ten frames earlier, and so much longer.
        path = movie(tmp_path / f"disk/{number}/C0008.mov", frames_of(number, -10, LENGTH + 10))
        told = Probed(str(path), 1, 1, video=True, rate="25/1", seconds=f"{LENGTH + 10}/25", start=990)
        candidates.append(Candidate(path, told, ()))
    found = Content().told(need, candidates, copy)
    assert [one.points(Sign.CONTENT) for one in found] == [-50, 50, -50]


def test_a_file_that_is_like_a_third_of_what_is_known_is_not_it(
    tmp_path: Path, tools: tuple[Probes, Scanner]
) -> None:
    def texture(seed: int) -> NDArray[np.uint8]:
        soft = cv2.GaussianBlur(
            np.random.default_rng(seed).integers(0, 255, (90, 160, 3)).astype(np.float32), (0, 0), 4
        )
        return np.clip((soft - soft.mean()) * 6 + 120, 0, 255).astype(np.uint8)

    for number in (0, 1):
        movie(tmp_path / f"disk/{number}/C0008.mov", [texture(number)] * LENGTH)
    for width, path in ((53, None), (160, tmp_path / "disk/1/C0008.mov")):
        mixed = texture(2)
        mixed[:, :width] = texture(1)[:, :width]
        copy = movie(tmp_path / f"copies/{width}.mov", [mixed] * LENGTH)
        assert found(cut(wanted(proxy_path=str(copy))), tmp_path / "disk", tools).path == path
