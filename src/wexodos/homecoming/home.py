"""The cut that comes home: what arrived, what was found of it, and the cut with it laid in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from pathlib import Path

from wexodos.carryover import Choices, PutBack, came_back, put_back
from wexodos.carryover.tickets import refuse_loss
from wexodos.compare import Difference, compare, compare_versions
from wexodos.compare.match import Placed
from wexodos.destinations import find_destination, load_all
from wexodos.formats import ReadError, read_file
from wexodos.formats.opening import unpacked
from wexodos.ground import Progress, quiet
from wexodos.homecoming.arrivals import Arrivals, arrived
from wexodos.homecoming.laying import Laid, laid_in
from wexodos.homecoming.measurements import Measurements, of_cut, of_file
from wexodos.homecoming.mixes import Returned, Told, held, laid, taken_out, told_apart
from wexodos.homecoming.onward import NOTHING_CAME, Hole, carried_on
from wexodos.homecoming.refusing import without_refused
from wexodos.homecoming.renders import Candidate, Event, Matched, matching
from wexodos.homecoming.rounds import joined, sounding
from wexodos.homecoming.wanted import Version, Wanted
from wexodos.job import Ready, of_job
from wexodos.job.cut import Cut, media_found
from wexodos.media import Probed, Probes, Rules
from wexodos.model import Document, Sequence
from wexodos.sound.errors import SoundError
from wexodos.sound.locate import Finder
from wexodos.tidy.shots import numbered

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
    for, with the reason, ``refused`` renders that would do harm in their places, ``asked`` files nobody but a
    person can tell, with the question and what they might be, ``others`` those that are not used,
    ``unwanted`` those a person left out; ``laid`` are the files that are in the cut now, ``silent`` those of
    them that are switched off. ``holes`` and ``changed`` are told of sounds that came into a later
    version; ``undone`` are changes that were refused, ``stuck`` those that could not be."""

    kind: Kind
    document: Document
    sequence: Sequence
    left: Left
    sounds: list[Returned] = field(default_factory=list)
    renders: list[Laid] = field(default_factory=list)
    missing: list[tuple[Event, str]] = field(default_factory=list)
    refused: list[tuple[Matched, str]] = field(default_factory=list)
    asked: list[tuple[Path, str, list[Candidate]]] = field(default_factory=list)
    others: list[tuple[Path, str]] = field(default_factory=list)
    unwanted: list[Path] = field(default_factory=list)
    put_back: tuple[PutBack, ...] = ()
    undone: list[Difference] = field(default_factory=list)
    stuck: list[tuple[Difference, str]] = field(default_factory=list)
    differences: list[Difference] = field(default_factory=list)
    laid: set[Path] = field(default_factory=set)
    silent: frozenset[Path] = frozenset()
    holes: list[tuple[Returned, list[Hole]]] = field(default_factory=list)
    changed: list[tuple[Placed, str]] = field(default_factory=list)

    def prove(self, place: str) -> None:
        """Raises ``UnprovedError`` where the cut before had picture or sound and none of it came home."""
        refuse_loss(self.left.sequence, self.sequence, place)


def brought_home(
    cut: Cut, wanted: Wanted, progress: Progress = quiet, known: Measurements | None = None
) -> Home:
    """Recognise, measure and lay in what came back to a cut; what is ``known`` is not measured again. Raises
    ``ReadError`` where nothing of it can come home."""
    known = known if known is not None else Measurements()
    probes = Probes()
    rounds = []
    for number, paths in enumerate(wanted.rounds, 1):
        # An earlier return may have been moved away since.
        gone = [path for path in paths if number < len(wanted.rounds) and not path.exists()]
        one = arrived([path for path in paths if path not in gone], probes, progress)
        one.others += [(path, "it is not there any more") for path in gone]
        rounds.append(one)
    latest = rounds[-1]
    if latest.pictures or latest.sounds:
        return _media(cut, rounds, wanted, probes, progress, known)
    if not latest.sequences:
        came = next((str(path) for path in wanted.rounds[-1]), "")
        words = "nothing in it can come home: no movie, no sound, no sequence file"
        raise ReadError(words, "", came)
    if wanted.into is not None:
        raise ReadError(
            "only renders and sound go into a later version; an edited sequence comes home to what left",
            "",
            str(latest.sequences[0]),
        )
    return _edit(cut, latest, wanted.refused)


def _with(document: Document, sequence: Sequence) -> Document:
    """A document with another sequence in place of its own of that id."""
    return replace(
        document, sequences=tuple(sequence if one.id == sequence.id else one for one in document.sequences)
    )


def _media(
    cut: Cut,
    rounds: list[Arrivals],
    wanted: Wanted,
    probes: Probes,
    progress: Progress,
    known: Measurements,
) -> Home:
    """Renders and sound, of all returns."""
    left = cut.left(probes, progress)
    document, sequence = left.document, left.sequence
    pictures = any(one.pictures for one in rounds)
    home = Home(
        Kind.GRADE if pictures else Kind.MIX,
        document,
        sequence,
        Left(document, sequence),
        others=[each for one in rounds for each in one.others],
    )
    locate = Finder(cut.source, document, left.tables)
    if pictures:
        _renders(home, rounds, wanted, locate, progress, known, _shots_of(cut, wanted, left))
    placed: dict[str, Returned] = {}
    if any(one.sounds for one in rounds):
        placed = _sounds(home, rounds, wanted, locate, progress, known)
    for one in rounds:
        if not one.pictures:
            home.others += [
                (path, "a sequence file is not laid in together with sound") for path in one.sequences
            ]
    if wanted.into is not None:
        _onward(home, wanted.into, cut.rules, placed, probes, progress)
    back = _taken_out(home, {one.matched.found.event.item.id for one in home.renders})
    # What is different apart from what was laid in was changed by nobody's wish.
    there = _with(home.document, back)
    home.differences = compare(home.left.document, home.left.sequence, there, back, ids=True)
    return home


def _taken_out(home: Home, rendered: set[str]) -> Sequence:
    """The cut that came home without what was laid in, and with what that takes the place of as it was."""
    before = {item.id: item for item in home.left.sequence.items() if item.id in rendered}
    if home.holes:
        # Sound that is heard on in the holes of a mix was cut apart there.
        rest = [track for track in home.sequence.tracks if track.kind != "audio"]
        back = replace(home.sequence, tracks=(*rest, *home.left.sequence.audio_tracks))
    else:
        back = taken_out(home.sequence, home.left.sequence)
    tracks = tuple(
        replace(track, items=tuple(before.get(item.id, item) for item in track.items))
        for track in back.tracks
    )
    return replace(back, tracks=tracks)


def _renders(
    home: Home,
    rounds: list[Arrivals],
    wanted: Wanted,
    locate: Finder,
    progress: Progress,
    known: Measurements,
    shots: Mapping[str, str],
) -> None:
    """Match the renders of all returns, and lay them in."""
    document, sequence = home.document, home.sequence
    own = {media.path for media in document.media}
    paired, why = [], dict[str, str]()
    for one in rounds:
        if not one.pictures:
            continue
        home.others += [(Path(each.path), _OWN) for each in one.pictures if each.path in own]
        # Pictures in single files say no rate, as a rule: they are frames of the cut.
        renders = [each.at(sequence.rate) for each in one.pictures if each.path not in own]
        said = {each.path: wanted.said_of(Path(each.path)) for each in renders}
        found = matching(document, sequence, renders, _sequence_of(home, one.sequences), said, shots)
        out = [each for each in found.matched if wanted.leaves_out(each.path)]
        found.matched = [each for each in found.matched if each not in out]
        found.missing += [each.found.event for each in out]
        why |= {each.found.event.item.id: f"{each.path.name} was left out" for each in out}
        home.unwanted += [each.path for each in out]
        paired.append(found)
    found = joined(paired)
    home.others += [(Path(facts.path), why) for facts, why in found.without]
    home.asked += [(Path(facts.path), why, rows) for facts, why, rows in found.asked]
    home.missing = [(event, why.get(event.item.id, NOTHING_CAME)) for event in found.missing]
    made = laid_in(document, sequence, found.matched, locate, wanted.corrected, progress, known)
    home.document, home.sequence, home.renders = made.document, made.sequence, made.laid
    home.refused = made.left
    home.laid |= {one.matched.path for one in made.laid}


def _shots_of(cut: Cut, wanted: Wanted, left: Ready) -> dict[str, str]:
    """What the shots were called, by their items, where each left by itself. Raises ``SchemeError``."""
    scheme = wanted.shots or (cut.job.now.package.get("shots", "") if cut.job is not None else "")
    if not scheme:
        return {}
    return {one.item.id: one.name for one in numbered(left.document, left.sequence, scheme)}


def _sequence_of(home: Home, paths: list[Path]) -> tuple[Document, Sequence] | None:
    """The sequence that came with renders, of the first file that can be read."""
    came = None
    for path in paths:
        try:
            back = read_file(path)
        except ReadError as error:
            home.others.append((path, str(error)))
            continue
        other = came_back(back, home.sequence.name)
        if other is not None and came is None:
            came = back, other
        else:
            home.others.append((path, "another sequence file came first"))
    return came


def _sounds(
    home: Home,
    rounds: list[Arrivals],
    wanted: Wanted,
    locate: Finder,
    progress: Progress,
    known: Measurements,
) -> dict[str, Returned]:
    """Measure the sounds of all returns against the cut that left, and lay them in; each by the id of its
    item."""
    document, sequence = home.left.document, home.left.sequence
    guide, cut = _guide(wanted.sent, progress), of_cut(document, sequence)
    own = {media.file_name.casefold() for media in document.media}
    came: list[list[Returned]] = []
    for one in rounds:
        own_sound = [each for each in one.sounds if Path(each.path).name.casefold() in own]
        home.others += [(Path(each.path), _OWN) for each in own_sound]
        sounds = [each for each in one.sounds if each not in own_sound]
        came.append([])
        for facts in sounds:
            path = Path(facts.path)
            told = told_apart(facts, sequence, len(sounds) == 1, wanted.said_of(path))
            if told is None:
                words = "its name does not say whether it is the mix, a stem or a track"
                home.asked.append((path, words, []))
                continue
            key = "sound", of_file(facts), told, cut, guide

            def measure(facts: Probed = facts, told: Told = told) -> Returned:
                return held(facts, told, document, sequence, locate, guide, progress)

            try:
                sound = known.of(key, measure)
            except SoundError as error:
                home.others.append((path, str(error)))
                continue
            if wanted.leaves_out(path):
                home.unwanted.append(path)
            elif sound.known:
                came[-1].append(sound)
            home.sounds.append(sound)
    heard = sounding(came)
    gone = {path for path, _ in heard.replaced}
    home.others += heard.replaced
    home.sounds = [one for one in home.sounds if one.path not in gone and one.path not in home.unwanted]
    fit = [*heard.on, *heard.off]
    fit = [one for one in home.sounds if one in fit]
    home.silent = frozenset(one.path for one in heard.off)
    home.document, home.sequence, where = laid(
        home.document, home.sequence, fit, wanted.corrected, home.silent
    )
    home.laid |= {one.path for one in fit}
    return {where[one.path]: one for one in fit if one.path in where}


def _onward(
    home: Home, into: Version, rules: Rules, placed: dict[str, Returned], probes: Probes, progress: Progress
) -> None:
    """Carry what was laid into the cut that left into a later version of it."""
    before = home.left.sequence
    if into.sequence.rate != before.rate:
        words = (
            f"the cut that left has {before.rate.fps} frames a second, the later one {into.sequence.rate.fps}"
        )
        raise ReadError(f"{words}: they have no frames in common", "", str(into.source))
    later = media_found(into.document, into.sequence, into.source, rules, probes, progress)
    made = carried_on(
        (home.left.document, before),
        (home.document, home.sequence),
        (later.document, later.sequence),
        home.renders,
        placed,
    )
    home.left = Left(later.document, later.sequence)
    home.document, home.sequence = made.document, made.sequence
    used = {one.matched.path for one in made.laid}
    rest = [one.matched.path for one in home.renders if one.matched.path not in used]
    home.others += [(path, "its shot is not in the later version as it was rendered") for path in rest]
    home.laid -= set(rest)
    if home.renders or home.missing:
        home.missing = made.again
    home.renders, home.holes, home.changed = made.laid, made.holes, made.changed


def _guide(sent: Path | None, progress: Progress) -> Path | None:
    """The guide mix in a package that was sent, a folder or a zip; None where there is none in it."""
    if sent is None:
        return None
    folder = sent if sent.is_dir() else unpacked(sent, progress)
    files = sorted(folder.glob(f"{_GUIDE}/* guide mix.wav")) or sorted(
        folder.glob(f"*/{_GUIDE}/* guide mix.wav")
    )
    return files[0] if files else None


def _edit(cut: Cut, found: Arrivals, refused: frozenset[str]) -> Home:
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
        # Compositing gives renders back: that an edited sequence comes from there has to be said by its job.
        known = [one for one in load_all()[0] if one.builtin and one.for_ != "compositing"]
        there = [one for one in known if one.format == back.format]
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
    if refused:
        here = (home.document, home.sequence)
        refusal = without_refused((document, sequence), here, home.differences, refused)
        home.document, home.sequence = refusal.document, refusal.sequence
        home.undone, home.stuck = refusal.undone, refusal.stuck
        home.differences = compare_versions(document, sequence, home.document, home.sequence)
    return home
