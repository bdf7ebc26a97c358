"""Whether a file is the one that is wanted: a score, with the reasons for and against. A tie is a question,
never a guess."""

from __future__ import annotations

import re
import unicodedata
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from pathlib import Path

import msgspec

from wexodos.media.needs import Need
from wexodos.media.probe import Probed
from wexodos.media.scan import bare, folded, plain_name
from wexodos.model import Media
from wexodos.sound.spans import parts_of
from wexodos.timing import Exact, exact

ENOUGH, LEAD = 50, 10
"""A candidate is taken with so many points if it is so many ahead of the next."""
NAMED = 36
"""Points from which on a name speaks for a file."""
COVERS = 30
"""Points for a timecode that covers what is used."""
_CARD_FOLDERS = frozenset(
    ("dcim", "private", "contents", "clip", "clips", "bdmv", "stream", "video", "audio", "media", "footage")
)
"""Folders that the layouts of cards prescribe (DCF, BDMV), or that everybody has."""
_COUNTER = re.compile(r"^[A-Za-z]{0,4}[_-]?\d{3,6}(_\d{1,2})?(\.[^.]*)?$")


class Sign(StrEnum):
    """What a reason is about, where more than its points counts."""

    NAME = "name"
    REEL = "reel"
    FOLDER = "folder"
    CARD = "card"
    TIMECODE = "timecode"
    LENGTH = "length"
    CONTENT = "content"
    OTHER = "other"


@dataclass(frozen=True, slots=True)
class Reason:
    """One reason: points for (or against) and words."""

    points: int
    words: str
    kind: Sign = Sign.OTHER


@dataclass(frozen=True, slots=True)
class Candidate:
    """A file with its facts and what speaks for and against it."""

    path: Path
    facts: Probed
    reasons: tuple[Reason, ...]

    @property
    def score(self) -> int:
        return sum(one.points for one in self.reasons)

    def points(self, kind: Sign) -> int:
        return sum(one.points for one in self.reasons if one.kind is kind)

    @property
    def spoken_for(self) -> bool:
        """Whether its name, its reel, its folder or its content speaks for it: timecode, length and format
        alone are those of many files."""
        return (
            self.points(Sign.NAME) >= NAMED
            or self.points(Sign.REEL) > 0
            or self.points(Sign.CONTENT) > 0
            or max(self.points(Sign.FOLDER), self.points(Sign.CARD)) > 0
        )

    @property
    def sure(self) -> bool:
        """Whether what is in it agrees with the cut, not only its name."""
        return self.points(Sign.LENGTH) > 0 or self.points(Sign.TIMECODE) >= COVERS

    @property
    def against(self) -> bool:
        """Whether anything that is in it speaks against it."""
        return any(one.points <= -10 and one.kind not in (Sign.FOLDER, Sign.NAME) for one in self.reasons)


def weigh(need: Need, path: Path, facts: Probed, usual: frozenset[str] = frozenset()) -> Candidate:
    """Weigh a file against what is wanted. ``usual`` are folder names that stand on every card."""
    media, reasons = need.media, []
    name = _name(media.file_name, path.name)
    reasons.append(name)
    folder = _folder(media, path, usual, name.points >= NAMED)
    if folder is not None:
        reasons.append(folder)
    if facts.problem:
        reasons.append(Reason(-5, facts.problem))
        return Candidate(path, facts, tuple(reasons))
    if media.reel and facts.reel:
        same = media.reel.lower() == facts.reel.lower()
        reasons.append(
            Reason(15, f"reel {facts.reel}", Sign.REEL)
            if same
            else Reason(-15, f"reel {facts.reel} instead of {media.reel}", Sign.REEL)
        )
    reasons += _timecode(need, facts)
    reasons += _length(need, facts)
    reasons += _format(need, facts)
    return Candidate(path, facts, tuple(reasons))


def whole(facts: Probed, need: Need) -> Probed:
    """The facts of a recording in all the files it lies in, where the cut needs more of it than the first of
    them holds."""
    length, media = facts.length, need.media
    if facts.problem or facts.still or facts.frames or length is None or media.still:
        return facts
    stated = media.rate.seconds(media.duration) if media.rate is not None and media.duration else 0
    wanted = Fraction(max(need.high or 0, stated))
    if wanted <= length + Fraction(1, 50):
        return facts
    parts = parts_of(Path(facts.path), wanted)
    if len(parts) < 2:
        return facts
    return msgspec.structs.replace(
        facts,
        seconds=str(sum((seconds for _, seconds in parts), Fraction(0))),
        parts=tuple(path.name for path, _ in parts),
    )


def _name(wanted: str, there: str) -> Reason:
    wanted, there = (unicodedata.normalize("NFC", plain_name(one)) for one in (wanted, there))
    if wanted == there:
        return Reason(60, "the same name", Sign.NAME)
    if wanted.lower() == there.lower():
        return Reason(56, "the same name in other letters", Sign.NAME)
    if "." not in wanted and wanted.lower() == there.rpartition(".")[0].lower():
        # Cuts name tables without their suffix.
        return Reason(60, "the same name", Sign.NAME)
    mine, theirs = (one.rpartition(".")[0].lower() or one.lower() for one in (wanted, there))
    if mine == theirs:
        return Reason(46, "the same name with another suffix", Sign.NAME)
    if bare(wanted) == bare(there):
        return Reason(36, "the same name but for a number or a word at its end", Sign.NAME)
    if mine in theirs or theirs in mine:
        return Reason(15, "one name holds the other", Sign.NAME)
    return Reason(0, "another name", Sign.NAME)


def counted(name: str) -> bool:
    """Whether a name is one that cameras and recorders give again and again: a few letters and a number.

    >>> counted("C0008.MP4"), counted("00012.MTS"), counted("A003C012.mov"), counted("Stoke hole.mov")
    (True, True, False, False)
    """
    return _COUNTER.match(name) is not None


def tail(written: str | None, path: Path) -> tuple[int, tuple[str, ...], tuple[str, ...]]:
    """How many folders above a file are the same, counted from it, and what is above those in the path as it
    is written and in the path as it is."""
    here = tuple(part for part in (written or "").replace("\\", "/").split("/")[:-1] if part)
    there = path.parent.parts
    same = 0
    while same < min(len(here), len(there)) and folded(here[-1 - same]) == folded(there[-1 - same]):
        same += 1
    return same, here[: len(here) - same], there[: len(there) - same]


def usual_folders(paths: Iterable[str | None]) -> frozenset[str]:
    """Folder names that stand at several places of a cut, and so tell no card from another; small letters."""
    places: dict[str, set[tuple[str, ...]]] = defaultdict(set)
    for path in paths:
        parts = tuple(folded(part) for part in (path or "").replace("\\", "/").split("/")[:-1])
        for place, part in enumerate(parts):
            places[part].add(parts[:place])
    return _CARD_FOLDERS | {name for name, found in places.items() if len(found) > 1}


def _folder(media: Media, path: Path, usual: frozenset[str], named: bool) -> Reason | None:
    """Whether the folders above a file are those of the cut; None where the cut says none, or nothing hangs
    on them."""
    same, here, there = tail(media.path, path)
    if not here and not same:
        return None
    alike = path.parent.parts[len(path.parent.parts) - same :]
    telling = [part for part in alike if folded(part) not in usual and folded(part) != folded(path.stem)]
    if telling:
        words = f"in a folder of the same name: {telling[-1]}"
        return Reason(8 + 4 * min(len(telling), 4) if named else 8, words, Sign.FOLDER)
    if not counted(media.file_name) or not there or not here:
        return None
    words = f"in {there[-1]}, not in {here[-1]}; cameras give this name again on every card"
    return Reason(-40, words, Sign.FOLDER)


def begins(media: Media) -> Exact | None:
    """Where a medium begins, in seconds from timecode zero; None where nothing is said or it would say
    nothing."""
    if media.start is None or media.still:
        return None
    if media.rate is not None:
        return media.rate.seconds(media.start)
    return None


def same_recording(need: Need, facts: Probed) -> bool:
    """Whether a file is as long as the cut says its medium is."""
    media, there = need.media, facts.length
    if media.rate is None or media.duration is None or there is None:
        return False
    return abs(float(media.rate.seconds(media.duration) - there)) < 0.05


def starts(need: Need, facts: Probed) -> tuple[Exact, Exact] | None:
    """Where the cut says a medium begins and where its file does, in seconds; None where either tells
    nothing.

    Nought tells nothing: many writers put it where they do not know, and so do many files.
    """
    zero, there = begins(need.media), facts.start_seconds
    return (zero, there) if zero and there else None


def offset(need: Need, facts: Probed) -> Exact:
    """What is added to source times (seconds) for the same timecode to be seen in a file that begins
    elsewhere; nothing where the used stretch would not lie in the file, or where nobody can tell."""
    both, length = starts(need, facts), facts.length
    if both is None or length is None or need.low is None or need.high is None:
        return 0
    by = exact(both[0] - both[1])
    return by if need.low + by >= 0 and need.high + by <= length else 0


def elsewhere(need: Need, facts: Probed) -> bool:
    """Whether both say where they begin, and what is used does not lie in the file by its timecode."""
    both = starts(need, facts)
    return both is not None and both[0] != both[1] and need.low is not None and not offset(need, facts)


def _timecode(need: Need, facts: Probed) -> list[Reason]:
    """Whether the used stretch lies in the file by its timecode."""
    if begins(need.media) == 0 and facts.start_seconds == 0:
        return [Reason(5, "both begin at nought", Sign.TIMECODE)]
    both, length = starts(need, facts), facts.length
    if both is None or length is None or need.low is None or need.high is None:
        return []
    zero, there = both
    low, high = zero + need.low, zero + need.high
    if there <= low and high <= there + length:
        if zero == there and there % 3600 == 0:
            words = "its timecode covers what is used; so does that of every file that begins at a full hour"
            return [Reason(5, words, Sign.TIMECODE)]
        return [Reason(COVERS, "its timecode covers what is used", Sign.TIMECODE)]
    if there < high and low < there + length:
        return [Reason(0, "its timecode covers a part of what is used", Sign.TIMECODE)]
    return [Reason(-50, "its timecode lies elsewhere", Sign.TIMECODE)]


def _length(need: Need, facts: Probed) -> list[Reason]:
    media, there = need.media, facts.length
    if there is None or media.still or facts.still:
        return []
    if same_recording(need, facts):
        return [Reason(10, "the same length", Sign.LENGTH)]
    if need.high is not None and not elsewhere(need, facts):
        short = float(need.high + offset(need, facts) - there)
        if short > 1e-6:
            # Not so much that the only file of this name is not taken: what is wrong with it is said then.
            return [Reason(ENOUGH - 60, f"{short:.1f} s too short for what is used", Sign.LENGTH)]
    return [Reason(0, "long enough", Sign.LENGTH)]


def _format(need: Need, facts: Probed) -> list[Reason]:
    media, found = need.media, []
    if need.picture and not facts.video:
        found.append(Reason(-60, "there is no picture in it"))
    if need.sound and not facts.audio:
        found.append(Reason(-60, "there is no sound in it"))
    rate = facts.frames_per_second
    if media.rate is not None and rate is not None and need.picture and not media.still:
        found.append(
            Reason(5, "the same rate")
            if rate == media.rate
            else Reason(-20, f"{rate.label()} fps instead of {media.rate.label()}")
        )
    if media.width and facts.width and need.picture:
        same = (media.width, media.height) in (
            (facts.width, facts.height),
            (facts.height, facts.width) if facts.turned in (90, 270) else (facts.width, facts.height),
        )
        found.append(
            Reason(5, "the same size")
            if same
            else Reason(-6, f"{facts.width}×{facts.height} instead of {media.width}×{media.height}")
        )
    if need.sound and facts.audio and need.channels and facts.channels < max(need.channels):
        found.append(Reason(-20, f"{facts.channels} channels, {max(need.channels)} are used"))
    return found


def decided(candidates: list[Candidate]) -> Candidate | None:
    """The one candidate that is good enough and well ahead of all others; None where a person has to say."""
    ranked = sorted(candidates, key=lambda one: -one.score)
    if not ranked or ranked[0].score < ENOUGH or not ranked[0].spoken_for:
        return None
    if len(ranked) > 1 and ranked[0].score - ranked[1].score < LEAD:
        return None
    return ranked[0]
