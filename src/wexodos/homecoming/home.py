"""The cut that comes home: what arrived, and what is done with it."""

from __future__ import annotations

from pathlib import Path

from wexodos.carryover import Choices, came_back, put_back
from wexodos.compare import compare_versions
from wexodos.destinations import find_destination, load_all
from wexodos.formats import ReadError, read_file
from wexodos.ground import Progress, quiet
from wexodos.homecoming.arrivals import Arrivals, arrived
from wexodos.homecoming.measurements import Measurements
from wexodos.homecoming.media_home import media_home
from wexodos.homecoming.outcome import Home, Kind, Left
from wexodos.homecoming.refusing import without_refused
from wexodos.homecoming.wanted import Holds, Wanted
from wexodos.homecoming.within import is_session
from wexodos.job import of_job
from wexodos.job.cut import Cut
from wexodos.media import Probes

_AGAINST = 0.5
"""So much, in rows of differences, a thing speaks against a place that would not have gone there and came
back all the same. Not a whole one: rooms lose by kinds, and put single things in again by hand."""


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
        if not one.sounds and not one.pictures:
            one.session = any(_is_of_tracks(path, cut, wanted) for path in one.sequences)
        rounds.append(one)
    latest = rounds[-1]
    if latest.pictures or latest.sounding:
        return media_home(cut, rounds, wanted, probes, progress, known)
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


def _is_of_tracks(path: Path, cut: Cut, wanted: Wanted) -> bool:
    """Whether a sequence file by itself is the tracks of a mix: as a person says, or as it looks."""
    said = wanted.said_of(path)
    return said == Holds.TRACKS or (said != Holds.EDIT and is_session(path, cut.document, cut.sequence))


def _edit(cut: Cut, found: Arrivals, refused: frozenset[str]) -> Home:
    path = found.sequences[0]
    back = read_file(path)
    document, sequence = cut.document, cut.sequence
    other = came_back(back, sequence.name)
    if other is None:
        raise ReadError("there is no sequence in it", "", str(path))
    choices, options = Choices(), None
    was = Left(document, sequence)
    if cut.job is not None:
        was = Left.of(of_job(cut.job))
        document, sequence = was.document, was.sequence
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
    home = Home(Kind.EDIT, made.document, made.sequence, was, others=list(found.others))
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
