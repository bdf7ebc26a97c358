"""The cut that comes home: what arrived, what was found of it, and the cut with it laid in."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum
from pathlib import Path
from typing import Any

from wexodos.carryover import Choices, PutBack, came_back, put_back
from wexodos.carryover.tickets import refuse_loss
from wexodos.compare import Difference, compare, compare_versions
from wexodos.destinations import find_destination, load_all
from wexodos.formats import ReadError, read_file
from wexodos.formats.opening import unpacked
from wexodos.ground import Progress, quiet
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
_AGAINST = 0.5
"""So much, in rows of differences, a thing speaks against a place that would not have gone there and came
back all the same. Not a whole one: rooms lose by kinds, and put single things in again by hand."""
_OWN = "it is a medium of the cut itself"


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
        refuse_loss(original, self.sequence, place)


@dataclass(frozen=True, slots=True)
class Cut:
    """The cut that left, as it was taken in: its file, where its media are looked for, and its job where it
    has one."""

    document: Document
    sequence: Sequence
    source: Path
    rules: Rules
    job: Job | None = None


def brought_home(
    cut: Cut,
    came: list[Path],
    sent: Path | None = None,
    corrected: bool = False,
    progress: Progress = quiet,
) -> Home:
    """Recognise, measure and lay in what came back to a cut; ``sent`` is the package that was sent,
    ``corrected``: what is late is moved. Raises ``ReadError`` where there is nothing in it that can come
    home."""
    probes = Probes()
    found = arrived(came, probes, progress)
    if found.pictures:
        return _grade(_left(cut, probes, progress), cut.source, found, corrected, progress)
    if found.sounds:
        guide = _guide(sent, progress)
        return _mix(_left(cut, probes, progress), cut.source, found, guide, corrected, progress)
    if found.sequences:
        return _edit(cut, found)
    words = "nothing in it can come home: no movie, no sound, no sequence file"
    raise ReadError(words, "", str(next(iter(came), "")))


def _left(cut: Cut, probes: Probes, progress: Progress) -> Ready:
    """The cut as it left, its media found."""
    if cut.job is not None:
        return of_job(cut.job, progress)
    document, sequence = cut.document, cut.sequence
    scanner, inside = Scanner(), Finder(cut.source, document)
    rows = find(document, [sequence], cut.source, cut.rules, {}, probes, scanner, progress, {}, inside)
    return ready(document, sequence, (), rows, (), probes, scanner, progress)


def _with(document: Document, sequence: Sequence) -> Document:
    """A document with another sequence in place of its own of that id."""
    return replace(
        document, sequences=tuple(sequence if one.id == sequence.id else one for one in document.sequences)
    )


def _mix(
    left: Ready, source: Path, found: Arrivals, guide: Path | None, corrected: bool, progress: Progress
) -> Home:
    document, sequence = left.document, left.sequence
    locate = Finder(source, document, left.tables)
    home = Home(Kind.MIX, document, sequence, Left(document, sequence), others=list(found.others))
    home.others += [(path, "a sequence file is not laid in together with sound") for path in found.sequences]
    own = {media.file_name.casefold() for media in document.media}
    own_sound = [one for one in found.sounds if Path(one.path).name.casefold() in own]
    home.others += [(Path(one.path), _OWN) for one in own_sound]
    sounds = [one for one in found.sounds if one not in own_sound]
    for facts in sounds:
        path = Path(facts.path)
        told = told_apart(facts, sequence, len(sounds) == 1)
        if told is None:
            words = "its name does not say whether it is the mix, a stem or a track"
            home.asked.append((path, words, []))
            continue
        try:
            home.sounds.append(held(facts, told, document, sequence, locate, guide, progress))
        except SoundError as error:
            home.others.append((path, str(error)))
    fit = [one for one in home.sounds if one.known]
    home.document, home.sequence = laid(document, sequence, fit, corrected)
    home.laid = {one.path for one in fit}
    back = taken_out(home.sequence, sequence)
    home.differences = compare(document, sequence, _with(home.document, back), back, ids=True)
    return home


def _guide(sent: Path | None, progress: Progress) -> Path | None:
    """The guide mix in a package that was sent, a folder or a zip; None where there is none in it."""
    if sent is None:
        return None
    folder = sent if sent.is_dir() else unpacked(sent, progress)
    files = sorted(folder.glob(f"{_GUIDE}/* guide mix.wav")) or sorted(
        folder.glob(f"*/{_GUIDE}/* guide mix.wav")
    )
    return files[0] if files else None


def _grade(left: Ready, source: Path, found: Arrivals, corrected: bool, progress: Progress) -> Home:
    document, sequence = left.document, left.sequence
    locate = Finder(source, document, left.tables)
    home = Home(Kind.GRADE, document, sequence, Left(document, sequence), others=list(found.others))
    home.others += [(Path(one.path), "sound is not laid in together with renders") for one in found.sounds]
    own = {media.path for media in document.media}
    home.others += [(Path(one.path), _OWN) for one in found.pictures if one.path in own]
    came = None
    for path in found.sequences:
        try:
            back = read_file(path)
        except ReadError as error:
            home.others.append((path, str(error)))
            continue
        other = came_back(back, sequence.name)
        if other is not None and came is None:
            came = back, other
        else:
            home.others.append((path, "another sequence file came first"))
    # Pictures in single files say no rate, as a rule: they are frames of the cut.
    renders = [one.at(sequence.rate) for one in found.pictures if one.path not in own]
    paired = matching(document, sequence, renders, came)
    home.others += [(Path(facts.path), why) for facts, why in paired.without]
    home.missing = paired.missing
    for facts, why, rows in paired.asked:
        told = [{"item_id": one.event.item.id, "score": one.score} for one in rows]
        home.asked.append((Path(facts.path), why, told))
    made = laid_in(document, sequence, paired.matched, locate, corrected, progress)
    home.document, home.sequence, home.renders = made.document, made.sequence, made.laid
    home.refused = made.left
    home.laid = {one.matched.path for one in made.laid}
    # What is different apart from the renders in their places was changed by nobody's wish.
    before = {item.id: item for item in sequence.items()}
    new = {one.matched.found.event.item.id for one in made.laid}
    tracks = tuple(
        replace(track, items=tuple(before[item.id] if item.id in new else item for item in track.items))
        for track in home.sequence.tracks
    )
    back_again = replace(home.sequence, tracks=tracks)
    there = _with(home.document, back_again)
    home.differences = compare(document, sequence, there, back_again, ids=True)
    return home


def _edit(cut: Cut, found: Arrivals) -> Home:
    path = found.sequences[0]
    back = read_file(path)
    document, sequence = cut.document, cut.sequence
    other = came_back(back, sequence.name)
    if other is None:
        raise ReadError("there is no sequence in it", "", str(path))
    choices, options = Choices(), None
    if cut.job is not None:
        left = of_job(cut.job)
        document, sequence = left.document, left.sequence
        there = [find_destination(cut.job.now.destination)]
        choices, options = cut.job.now.choices, cut.job.now.options
    else:
        there = [one for one in load_all()[0] if one.builtin and one.format == back.format]
    if not there:
        raise ReadError("it is of a kind that nothing is sent in", "", str(path))
    # Where nobody says what it was sent as, it is what explains most of what came back otherwise.
    ways = [put_back(document, sequence, one, back, other, choices, options) for one in there]
    rests = [compare_versions(document, sequence, one.document, one.sequence) for one in ways]
    best = min(range(len(ways)), key=lambda place: len(rests[place]) + _AGAINST * ways[place].surplus)
    made = ways[best]
    home = Home(Kind.EDIT, made.document, made.sequence, Left(document, sequence), others=list(found.others))
    home.others += [(one, "another sequence file came first") for one in found.sequences[1:]]
    home.put_back = made.put_back
    home.laid = {path}
    home.differences = rests[best]
    return home
