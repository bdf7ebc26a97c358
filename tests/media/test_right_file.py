"""The right file, or a question: authored situations with known truth. Files hold only what tells them apart;
their facts are given."""

from __future__ import annotations

import shutil
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from wexodos.media import Rules, Scanner, find
from wexodos.media.check import GONE
from wexodos.media.match import Sign
from wexodos.media.probe import Probed
from wexodos.media.search import Row, key_of
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Track
from wexodos.timing import Rate

PAL = Rate(25)
HOUR = 3600 * 25


class Told:
    """Facts of files by path, as if they had been opened."""

    def __init__(self) -> None:
        self.facts: dict[Path, Probed] = {}

    def of(self, path: Path) -> Probed:
        return self.facts.get(path, Probed(str(path), 1, 1, problem="cannot be opened"))

    def many(self, paths: Iterable[Path]) -> dict[Path, Probed]:
        return {path: self.of(path) for path in paths}


@dataclass
class Scene:
    """A cut and a disk; ``truth`` is the file of each medium, None where none of them is it."""

    root: Path
    told: Told = field(default_factory=Told)
    media: list[Media] = field(default_factory=list)
    truth: dict[str, set[Path] | None] = field(default_factory=dict)

    def wants(self, path: str, seconds: int, start: int | None = None, reel: str | None = None) -> str:
        key = f"m{len(self.media)}"
        name = path.rpartition("/")[2]
        self.media.append(Media(key, name, path, reel, start, False, seconds * 25, PAL, 640, 360, video=True))
        self.truth[key] = None
        return key

    def lies(
        self,
        path: str,
        seconds: int,
        start: int | None = None,
        reel: str = "",
        of: str = "",
        content: str = "",
    ) -> Path:
        """A file; ``of`` is the medium it truly is."""
        place = self.root / "disk" / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(content or str(place))
        self.told.facts[place] = Probed(
            str(place),
            place.stat().st_size,
            1,
            video=True,
            seconds=str(seconds),
            rate="25/1",
            width=640,
            height=360,
            start=start,
            reel=reel,
        )
        if of:
            self.truth[of] = (self.truth[of] or set()) | {place}
        return place

    def found(self, chosen: dict[str, str] | None = None) -> dict[str, Row]:
        items = tuple(
            Item(f"i{n}", one.name, n * 50, 50, MediaUse(one.id)) for n, one in enumerate(self.media)
        )
        document = Document(
            "xmeml",
            "5",
            (Sequence("s", "Kiln Night", PAL, tracks=(Track("video", items),)),),
            tuple(self.media),
        )
        rows = find(
            document,
            list(document.top_level),
            self.root / "far" / "away" / "job" / "cut.xml",
            Rules(folders=(str(self.root / "disk"),)),
            chosen or {},
            self.told,  # type: ignore[arg-type]
            Scanner(self.root / "folders"),
        )
        return {row.media.id: row for row in rows}

    def judge(self, questions: int = 0, missing: int = 0, chosen: dict[str, str] | None = None) -> None:
        """No file is wrong; so many are asked about, so many not there."""
        rows = self.found(chosen)
        wrong = {
            rows[key].media.path: rows[key].path
            for key, true in self.truth.items()
            if rows[key].path is not None and (true is None or rows[key].path not in true)
        }
        assert not wrong
        asked = [row for row in rows.values() if row.asked]
        lost = [row for row in rows.values() if row.path is None and not row.asked]
        assert (len(asked), len(lost)) == (questions, missing), [row.media.path for row in (*asked, *lost)]
        assert all(row.status in GONE for row in (*asked, *lost))


@pytest.fixture
def scene(tmp_path: Path) -> Scene:
    return Scene(tmp_path)


def lengths(card: int, count: int) -> list[int]:
    """Lengths of the clips of a card, which no two cards share in order."""
    return [3 + (number * 7 + card * 11) % 40 for number in range(count)]


NAMES = {
    "plain": ("CARD{card}/C{number:04d}.MP4", 1),
    "deep": ("CARD{card}/PRIVATE/CLIP/C{number:04d}.MXF", 1),
    "own folder": ("CARD{card}/CLIPS001/{number:05d}/{number:05d}.MTS", 0),
    "recorder": ("ROLL {card}/T{number:03d}.WAV", 1),
    "reused": ("{card}00KILN/KILN{number:04d}.MOV", 1),
}


def wanted(
    scene: Scene, layout: str, cards: Iterable[int], count: int = 12, start: int | None = None
) -> dict:
    """Clips of cards as the cut names them; where everything is as it was recorded."""
    found = {}
    for card in cards:
        for number, seconds in enumerate(lengths(card, count), 1):
            path = NAMES[layout][0].format(card=card, number=number)
            found[card, number] = (scene.wants(f"/Volumes/Kiln/{path}", seconds, start), path, seconds)
    return found


@pytest.mark.parametrize("layout", NAMES)
def test_cards_that_kept_their_names_lie_elsewhere(scene: Scene, layout: str) -> None:
    for key, path, seconds in wanted(scene, layout, (1, 2, 9)).values():
        scene.lies(f"restored/{path}", seconds, of=key)
    scene.judge()


@pytest.mark.parametrize("layout", NAMES)
def test_cards_under_other_names_are_known_by_their_clips(scene: Scene, layout: str) -> None:
    """Nothing but the lengths of all clips of a card tells which it is."""
    for (card, _), (key, path, seconds) in wanted(scene, layout, (1, 2, 9)).items():
        rest = path.partition("/")[2]
        scene.lies(f"restored/{'abc'[card % 3]}/{rest}", seconds, of=key)
    scene.judge()


@pytest.mark.parametrize("layout", NAMES)
def test_another_card_is_not_the_one(scene: Scene, layout: str) -> None:
    """Of two cards one is there, under another name: the clips of the other are not to be found on it."""
    clips = wanted(scene, layout, (1, 9))
    for (card, _), (key, path, seconds) in clips.items():
        if card == 1:
            rest = path.partition("/")[2]
            scene.lies(f"restored/first/{rest}", seconds, of=key)
    rows = scene.found()
    right = [rows[clips[1, number][0]].path is not None for number in range(1, 13)]
    assert all(right)
    assert all(rows[clips[9, number][0]].path is None for number in range(1, 13))


@pytest.mark.parametrize("layout", NAMES)
@pytest.mark.parametrize("copies", [2, 3])
def test_copies_of_a_card_are_no_question(scene: Scene, layout: str, copies: int) -> None:
    for key, path, seconds in wanted(scene, layout, (1, 2)).values():
        for copy in range(copies):
            scene.lies(f"safety {copy}/{path}", seconds, of=key, content=f"{path} {seconds}")
    scene.judge()


@pytest.mark.parametrize("layout", ["plain", "deep", "recorder", "reused"])
def test_what_is_said_of_one_clip_holds_for_its_card(scene: Scene, layout: str) -> None:
    """A day that was shot with clips of one length, on two cards whose names are lost: nothing tells them
    apart. One answer a card is enough."""
    clips: dict[tuple[int, int], tuple[str, Path]] = {}
    for card in (1, 2):
        for number in range(1, 21):
            path = NAMES[layout][0].format(card=card, number=number)
            key = scene.wants(f"/Volumes/Kiln/{path}", 10)
            rest = path.partition("/")[2]
            clips[card, number] = key, scene.lies(f"{'xy'[card - 1]}/{rest}", 10, of=key)
    scene.judge(questions=40)
    rows = scene.found()
    picked = {key_of(rows[clips[card, 7][0]].media): str(clips[card, 7][1]) for card in (1, 2)}
    scene.judge(chosen=picked)


@pytest.mark.parametrize("start", [0, HOUR, 10 * HOUR])
@pytest.mark.parametrize("name", ["other.mov", "C0009.mov", "kiln v3.mov"])
def test_timecode_length_and_format_are_no_name(scene: Scene, start: int, name: str) -> None:
    """01:00:00:00 is everybody's start."""
    scene.wants("/Volumes/Kiln/masters/ember.mov", 20, start)
    scene.lies(f"somewhere/{name}", 20, start)
    rows = scene.found()
    assert rows["m0"].path is None


def test_a_renamed_file_is_known_by_its_reel_and_timecode(scene: Scene) -> None:
    key = scene.wants("/Volumes/Kiln/A003/A003C012.mov", 20, 10 * HOUR + 512, "A003")
    scene.lies("x/door brick take 2.mov", 20, 10 * HOUR + 512, "A003", of=key)
    scene.lies("x/door brick take 1.mov", 20, 9 * HOUR, "A003")
    scene.lies("x/night yard.mov", 20, 10 * HOUR + 512, "A004")
    scene.judge()


def test_a_camera_name_with_its_own_timecode_and_length_is_the_clip(scene: Scene) -> None:
    key = scene.wants("/Volumes/Kiln/CARD9/C0008.MP4", 20, 10 * HOUR + 512)
    scene.lies("x/C0008.MP4", 20, 10 * HOUR + 512, of=key)
    scene.judge()


@pytest.mark.parametrize("seconds", [20, 25])
@pytest.mark.parametrize("start", [None, HOUR])
def test_a_camera_name_alone_is_a_question(scene: Scene, seconds: int, start: int | None) -> None:
    """CARD1/C0008 is not CARD9/C0008, also where it is as long by chance, and begins where everything does."""
    scene.wants("/Volumes/Kiln/CARD9/C0008.MP4", 20, start)
    scene.lies("x/CARD1/C0008.MP4", seconds, start)
    rows = scene.found()
    assert rows["m0"].path is None


def test_a_start_of_nought_is_a_match_where_both_begin_there(scene: Scene) -> None:
    key = scene.wants("/Volumes/Kiln/masters/ember.mov", 20, 0)
    scene.lies("x/ember.mov", 20, 0, of=key)
    scene.judge()
    words = [one.words for one in scene.found()[key].candidates[0].reasons]
    assert "both begin at nought" in words


def test_one_that_differs_among_copies_is_a_question(scene: Scene) -> None:
    key = scene.wants("/Volumes/Kiln/masters/ember.mov", 20)
    for place, content in (("a", "ember"), ("b", "ember"), ("c", "EMBER")):
        scene.lies(f"{place}/ember.mov", 20, of=key, content=content)
    scene.judge(questions=1)


def test_a_log_beside_the_media_tells_the_reel(scene: Scene) -> None:
    key = scene.wants("/Volumes/Kiln/A003/A003C012.mov", 20, 10 * HOUR + 512, "A003")
    place = scene.lies("x/take 2.mov", 20, 10 * HOUR + 512, of=key)
    other = scene.lies("y/take 2.mov", 20, 10 * HOUR + 512)
    for where, reel in ((place, "A003"), (other, "B007")):
        where.with_name("day 4.ale").write_text(
            "Heading\nFIELD_DELIM\tTABS\nFPS\t25\n\nColumn\nName\tTape\tStart\tEnd\tTracks\n\nData\n"
            f"take 2\t{reel}\t10:00:20:12\t10:00:40:12\tV\n"
        )
    scene.judge()
    assert any(one.words == "reel A003" for one in scene.found()[key].candidates[0].reasons)


def test_folders_behind_links_are_searched_and_circles_cut(scene: Scene, tmp_path: Path) -> None:
    key = scene.wants("/Volumes/Kiln/masters/ember.mov", 20)
    real = scene.lies("ember.mov", 20)
    away = tmp_path / "raid" / "masters"
    away.parent.mkdir()
    shutil.move(real.parent, away)
    (tmp_path / "disk").mkdir()
    (tmp_path / "disk" / "linked").symlink_to(away.parent)
    (away / "round").symlink_to(tmp_path / "disk")
    there = tmp_path / "disk" / "linked" / "masters" / "ember.mov"
    scene.told.facts[there] = scene.told.facts[real]
    scene.truth[key] = {there}
    scene.judge()


def test_hundreds_of_equal_names_are_solved_at_once(scene: Scene) -> None:
    """Six cards of sixty clips each, all called C0001 and on; three kept their names."""
    clips = wanted(scene, "plain", range(1, 7), 60)
    for (card, _), (key, path, seconds) in clips.items():
        rest = path.partition("/")[2]
        scene.lies(path if card < 4 else f"day {card * 3}/{rest}", seconds, of=key)
    scene.judge()


def test_neighbours_speak_once_however_often_was_looked(scene: Scene) -> None:
    """Two folders beside the job hold the same names and lengths: a question, which a look through another
    folder does not change."""
    for key, path, seconds in wanted(scene, "plain", (1,), 6).values():
        for place in "xy":
            where = scene.lies(f"../far/away/job/{place}/{path.partition('/')[2]}", seconds)
            scene.told.facts[where.resolve()] = scene.told.facts[where]
            scene.truth[key] = None
    scene.lies("other/kiln.mov", 9)
    rows = scene.found()
    for row in rows.values():
        voices = [sum(reason.kind is Sign.CARD for reason in one.reasons) for one in row.candidates]
        assert row.asked and voices == [1, 1]


def test_a_few_neighbours_more_than_elsewhere_are_not_enough(scene: Scene) -> None:
    """Five clips of equal length lie at two places; at one of them the cut's other two clips lie as well. Those
    are not three times as many as speak for the other place."""
    clips = [scene.wants(f"/Volumes/Kiln/CARD1/C{number:04d}.MP4", 10 + number) for number in range(1, 8)]
    for number, key in enumerate(clips, 1):
        for place in ("x", "y") if number < 6 else ("x",):
            scene.lies(f"{place}/C{number:04d}.MP4", 10 + number, of=key if place == "x" else "")
    rows = scene.found()
    assert all(rows[key].asked for key in clips[:5])


@pytest.mark.parametrize("count", [2, 3])
def test_one_neighbour_is_no_card(scene: Scene, count: int) -> None:
    """By its length alone a camera's name is a question; two others that fit there are enough."""
    for key, path, seconds in wanted(scene, "plain", (1,), count).values():
        scene.lies(f"x/{path.partition('/')[2]}", seconds, of=key)
    scene.judge(questions=count if count < 3 else 0)


def test_logs_that_disagree_say_nothing(scene: Scene) -> None:
    key = scene.wants("/Volumes/Kiln/A003/A003C012.mov", 20, 10 * HOUR + 512, "A003")
    place = scene.lies("x/take 2.mov", 20, 10 * HOUR + 512)
    for name, reel in (("one", "A003"), ("two", "B007")):
        place.with_name(f"{name}.ale").write_text(
            "Heading\nFIELD_DELIM\tTABS\nFPS\t25\n\nColumn\nName\tTape\tStart\tEnd\tTracks\n\nData\n"
            f"take 2\t{reel}\t10:00:20:12\t10:00:40:12\tV\n"
        )
    rows = scene.found()
    assert rows[key].path is None
    assert not any("reel" in reason.words for one in rows[key].candidates for reason in one.reasons)
