"""The cut that comes home: what arrived, what was found of it, and the cut with it laid in."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from enum import StrEnum
from pathlib import Path
from typing import Any

from wexodos.carryover import Choices, PutBack, came_back, put_back
from wexodos.compare import Difference, compare
from wexodos.destinations import find_destination, load_all
from wexodos.formats import ReadError, read_file
from wexodos.ground import Progress, UnprovedError
from wexodos.homecoming.arrivals import Arrivals, arrived
from wexodos.homecoming.laying import Laid, laid_in
from wexodos.homecoming.mixes import Returned, held, laid, taken_out, told_apart
from wexodos.homecoming.renders import Event, Matched, matching
from wexodos.job import Job, Ready, of_job, ready
from wexodos.media import Probes, Rules, Scanner, find
from wexodos.model import Document, Sequence
from wexodos.sound.errors import SoundError
from wexodos.sound.locate import Finder

_GUIDE = "Guide mix"


class Kind(StrEnum):
    """What came home."""

    GRADE = "grade"
    MIX = "mix"
    EDIT = "edit"


@dataclass(frozen=True, slots=True)
class Left:
    """The cut as it left, its media found."""

    document: Document
    sequence: Sequence


@dataclass(slots=True)
class Home:
    """What became of what came back; ``left`` is the cut before. ``missing`` are events that no render came
    for, ``refused`` renders that would do harm in their places, ``asked`` files nobody but a person can tell,
    with the question and what they might be, ``others`` those that are not used; ``laid`` are the files that
    are in the cut now."""

    kind: Kind
    document: Document
    sequence: Sequence
    left: Left
    sounds: list[Returned] = field(default_factory=list)
    renders: list[Laid] = field(default_factory=list)
    missing: list[Event] = field(default_factory=list)
    refused: list[tuple[Matched, str]] = field(default_factory=list)
    asked: list[tuple[Path, str, list[Any]]] = field(default_factory=list)
    others: list[tuple[Path, str]] = field(default_factory=list)
    put_back: tuple[PutBack, ...] = ()
    differences: list[Difference] = field(default_factory=list)
    laid: set[Path] = field(default_factory=set)

    def prove(self, original: Sequence, place: str) -> None:
        """Raises ``UnprovedError`` where the cut that left had picture or sound and none of it came home."""
        for kind, word in (("video", "picture"), ("audio", "sound")):
            had = any(track.items for track in original.tracks if track.kind == kind)
            has = any(track.items for track in self.sequence.tracks if track.kind == kind)
            if had and not has:
                words = f"the cut came home without any of its {word}; nothing was written"
                raise UnprovedError(words, file=place)


def brought_home(
    document: Document,
    sequence: Sequence,
    source: Path,
    came: Iterable[Path],
    sent: Path | None,
    rules: Rules,
    correct: bool,
    job: Job | None,
    progress: Progress,
) -> Home:
    """Recognise, measure and lay in what came back to a cut. Raises ``ReadError`` where there is nothing in
    it that can come home."""
    probes = Probes()
    found = arrived(came, probes, progress)
    if found.pictures:
        return _grade(document, sequence, source, found, rules, correct, job, probes, progress)
    if found.sounds:
        return _mix(document, sequence, source, found, sent, rules, correct, job, probes, progress)
    if found.sequences:
        return _edit(document, sequence, found, job)
    raise ReadError(
        "nothing in it can come home: no movie, no sound, no sequence file", "", str(next(iter(came), ""))
    )


def _mix(
    document: Document,
    sequence: Sequence,
    source: Path,
    found: Arrivals,
    sent: Path | None,
    rules: Rules,
    correct: bool,
    job: Job | None,
    probes: Probes,
    progress: Progress,
) -> Home:
    left = _left(document, sequence, source, rules, job, probes, progress)
    document, sequence = left.document, left.sequence
    locate = Finder(source, document, left.tables)
    home = Home(Kind.MIX, document, sequence, Left(document, sequence), others=list(found.others))
    home.others += [(path, "a sequence file is not laid in together with sound") for path in found.sequences]
    home.others += [(Path(one.path), "a movie is not laid in together with sound") for one in found.pictures]
    own = {media.file_name.casefold() for media in document.media}
    own_sound = [one for one in found.sounds if Path(one.path).name.casefold() in own]
    home.others += [(Path(one.path), "it is a medium of the cut itself") for one in own_sound]
    sounds = [one for one in found.sounds if one not in own_sound]
    guide = _guide(sent)
    for facts in sounds:
        path = Path(facts.path)
        told = told_apart(facts, sequence, len(sounds) == 1)
        if told is None:
            words = "its name does not say whether it is the mix, a stem or a track"
            home.asked.append((path, words, ["mix", "stem", "track"]))
            continue
        try:
            home.sounds.append(held(facts, told, document, sequence, locate, guide, progress))
        except SoundError as error:
            home.others.append((path, str(error)))
    fit = [one for one in home.sounds if one.known]
    home.document, home.sequence = laid(document, sequence, fit, correct)
    home.laid = {one.path for one in fit}
    back = taken_out(home.sequence, sequence)
    within = tuple(back if one.id == back.id else one for one in home.document.sequences)
    home.differences = compare(document, sequence, replace(home.document, sequences=within), back, ids=True)
    return home


def _left(
    document: Document,
    sequence: Sequence,
    source: Path,
    rules: Rules,
    job: Job | None,
    probes: Probes,
    progress: Progress,
) -> Ready:
    """The cut as it left, its media found."""
    if job is not None:
        return of_job(job, progress)
    scanner, inside = Scanner(), Finder(source, document)
    rows = find(document, [sequence], source, rules, {}, probes, scanner, progress, {}, inside)
    return ready(document, sequence, (), rows, (), probes, scanner, progress)


def _grade(
    document: Document,
    sequence: Sequence,
    source: Path,
    found: Arrivals,
    rules: Rules,
    correct: bool,
    job: Job | None,
    probes: Probes,
    progress: Progress,
) -> Home:
    left = _left(document, sequence, source, rules, job, probes, progress)
    document, sequence = left.document, left.sequence
    locate = Finder(source, document, left.tables)
    home = Home(Kind.GRADE, document, sequence, Left(document, sequence), others=list(found.others))
    home.others += [(Path(one.path), "sound is not laid in together with renders") for one in found.sounds]
    own = {media.path for media in document.media}
    for one in found.pictures:
        if one.path in own:
            home.others.append((Path(one.path), "it is a medium of the cut itself"))
    came = None
    for path in found.sequences:
        back = read_file(path)
        other = came_back(back, sequence.name)
        if other is not None and came is None:
            came = back, other
    renders = [one for one in found.pictures if one.path not in own]
    paired = matching(document, sequence, renders, came)
    home.others += [(Path(facts.path), why) for facts, why in paired.without]
    home.missing = paired.missing
    for facts, why, rows in paired.asked:
        told = [{"item_id": one.event.item.id, "score": one.score} for one in rows]
        home.asked.append((Path(facts.path), why, told))
    made = laid_in(document, sequence, paired.matched, locate, correct, progress)
    home.document, home.sequence, home.renders = made.document, made.sequence, made.laid
    home.refused = made.left
    home.laid = {one.matched.path for one in made.laid}
    # What is different apart from the renders in their places was changed by nobody's wish.
    before = {item.id: item for item in sequence.items()}
    laid_ids = {one.matched.found.event.item.id for one in made.laid}
    back_again = replace(
        home.sequence,
        tracks=tuple(
            replace(
                track,
                items=tuple(before[item.id] if item.id in laid_ids else item for item in track.items),
            )
            for track in home.sequence.tracks
        ),
    )
    within = tuple(back_again if one.id == back_again.id else one for one in home.document.sequences)
    there = replace(home.document, sequences=within)
    home.differences = compare(document, sequence, there, back_again, ids=True)
    return home


def _guide(sent: Path | None) -> Path | None:
    """The guide mix in a package that was sent."""
    if sent is None or not sent.is_dir():
        return None
    files = sorted((sent / _GUIDE).glob("* guide mix.wav"))
    return files[0] if files else None


def _edit(document: Document, sequence: Sequence, found: Arrivals, job: Job | None) -> Home:
    path = found.sequences[0]
    back = read_file(path)
    other = came_back(back, sequence.name)
    if other is None:
        raise ReadError("there is no sequence in it", "", str(path))
    choices, options = Choices(), None
    if job is not None:
        left = of_job(job)
        document, sequence = left.document, left.sequence
        there = [find_destination(job.now.destination)]
        choices, options = job.now.choices, job.now.options
    else:
        there = [one for one in load_all()[0] if one.builtin and one.format == back.format]
    if not there:
        raise ReadError("it is of a kind that nothing is sent in", "", str(path))
    # Where nobody says what it was sent as, it is what explains most of what came back otherwise.
    ways = [put_back(document, sequence, one, back, other, choices, options) for one in there]
    rests = [compare(document, sequence, one.document, one.sequence) for one in ways]
    best = min(range(len(ways)), key=lambda place: len(rests[place]))
    made = ways[best]
    cut = Left(document, sequence)
    home = Home(Kind.EDIT, made.document, made.sequence, cut, others=list(found.others))
    home.others += [(one, "another sequence file came first") for one in found.sequences[1:]]
    home.put_back = made.put_back
    home.differences = rests[best]
    return home
