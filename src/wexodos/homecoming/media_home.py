"""Renders, movies and sound of all returns to a cut: matched, measured and laid in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

from wexodos.carryover import came_back
from wexodos.compare import compare
from wexodos.formats import ReadError, read_file
from wexodos.formats.opening import unpacked
from wexodos.ground import Progress
from wexodos.homecoming.arrivals import Arrivals
from wexodos.homecoming.events import events
from wexodos.homecoming.laying import laid_in
from wexodos.homecoming.measurements import Measurements, of_cut, of_file
from wexodos.homecoming.mixes import Returned, Role, Told, held, told_apart
from wexodos.homecoming.onward import NOTHING_CAME, carried_on
from wexodos.homecoming.outcome import Home, Kind, Left
from wexodos.homecoming.renders import is_an_event, matching
from wexodos.homecoming.rounds import joined, sounding
from wexodos.homecoming.sight import Sight
from wexodos.homecoming.sound_tracks import holes_left, laid, taken_out
from wexodos.homecoming.wanted import Holds, Version, Wanted
from wexodos.homecoming.whole import MOST, WHOLE, Whole, laid_over, looked_at, may_be_whole, says_it_is
from wexodos.homecoming.within import Within, sounds_within
from wexodos.job import Ready
from wexodos.job.cut import Cut, media_found
from wexodos.media import Probed, Probes, Rules
from wexodos.model import Document, Sequence
from wexodos.sound.errors import SoundError
from wexodos.sound.locate import Finder
from wexodos.tidy.shots import numbered

_GUIDE = "Guide mix"
_STAYS = "a movie of the whole stays with the cut that left"
_BY_ITSELF = "an edited sequence comes home by itself"
_OWN = "it is a medium of the cut itself"


def _with(document: Document, sequence: Sequence) -> Document:
    """A document with another sequence in place of its own of that id."""
    return replace(
        document, sequences=tuple(sequence if one.id == sequence.id else one for one in document.sequences)
    )


def media_home(
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
        Left.of(left),
        others=[each for one in rounds for each in one.others],
        corrected=wanted.corrected,
    )
    locate = Finder(cut.source, document, left.tables)
    over: list[list[Whole]] = [[] for _ in rounds]
    if pictures:
        over = _of_the_whole(home, rounds, wanted, locate, progress, known)
        _renders(home, rounds, wanted, locate, progress, known, _shots_of(cut, wanted, left))
    placed: dict[str, Returned] = {}
    if any(one.sounding for one in rounds) or any(each.facts.audio for one in over for each in one):
        placed = _sounds(home, rounds, over, wanted, locate, progress, known)
    told = home.laid | {path for path, _ in home.others}
    words = _BY_ITSELF if wanted.into is None else "only renders and files of sound go into a later version"
    rest = [path for one in rounds if not one.pictures for path in one.sequences if path not in told]
    home.others += [(path, words) for path in rest]
    if wanted.into is not None:
        _onward(home, wanted.into, cut.rules, placed, probes, progress)
    before = home.sequence
    movies = [each for one in over for each in one]
    if movies and wanted.into is None:
        _lay_over(home, movies[-1], wanted.corrected)
    why = "another movie of the whole came" if wanted.into is None else _STAYS
    home.others += [(one.path, why) for one in movies if one not in home.whole]
    back = _taken_out(home, before, {one.matched.found.event.item.id for one in home.renders})
    # What is different apart from what was laid in was changed by nobody's wish.
    there = _with(home.document, back)
    home.differences = compare(home.left.document, home.left.sequence, there, back, ids=True)
    return home


def _taken_out(home: Home, came: Sequence, rendered: set[str]) -> Sequence:
    """The cut that ``came`` home without what was laid in, and with what that takes the place of as it
    was."""
    before = {item.id: item for item in home.left.sequence.items() if item.id in rendered}
    if home.holes:
        # Sound that is heard on in the holes of a mix was cut apart there.
        rest = [track for track in came.tracks if track.kind != "audio"]
        back = replace(came, tracks=(*rest, *home.left.sequence.audio_tracks))
    else:
        back = taken_out(came, home.left.sequence)
    tracks = tuple(
        replace(track, items=tuple(before.get(item.id, item) for item in track.items))
        for track in back.tracks
    )
    return replace(back, tracks=tracks)


def _of_the_whole(
    home: Home,
    rounds: list[Arrivals],
    wanted: Wanted,
    locate: Finder,
    progress: Progress,
    known: Measurements,
) -> list[list[Whole]]:
    """The movies of the whole cut among what came, which are no renders, return by return."""
    document, sequence = home.left.document, home.left.sequence
    there, cut = events(document, sequence), of_cut(document, sequence)
    own = {media.path for media in document.media}
    found: list[list[Whole]] = []
    for one in rounds:
        found.append([])
        silent = 0
        for facts in list(one.pictures):
            said = wanted.said_of(Path(facts.path))
            if facts.path in own or (said != WHOLE and (said or not may_be_whole(facts, sequence, there))):
                continue
            if not said and not says_it_is(facts, sequence):
                # To look through a movie takes its time.
                if silent == MOST or is_an_event(there, facts, sequence):
                    continue
                silent += 1

            def look(facts: Probed = facts) -> Whole | None:
                return looked_at(facts, document, sequence, locate, progress)

            whole = known.of(("whole", of_file(facts), cut), look)
            if whole is None and said != WHOLE:
                continue
            one.pictures.remove(facts)
            if whole is None:
                home.others.append((Path(facts.path), "its pictures are not those of the cut"))
            elif wanted.leaves_out(whole.path):
                home.unwanted.append(whole.path)
            else:
                found[-1].append(whole)
    return found


def _lay_over(home: Home, whole: Whole, corrected: bool) -> None:
    """Lay a movie of the whole over the cut; where clips came too, it lies there switched off."""
    on = not home.renders
    home.document, home.sequence = laid_over(home.document, home.sequence, whole, corrected, on)
    home.whole = [whole]
    home.laid.add(whole.path)
    home.whole_off = not on


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
        came = _sequence_of(home, one.sequences)
        sight = Sight(document, sequence, locate, known, progress)
        try:
            found = matching(document, sequence, renders, came, said, shots, wanted.names, sight.tells)
        finally:
            sight.close()
        home.scheme = found.scheme
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
    over: list[list[Whole]],
    wanted: Wanted,
    locate: Finder,
    progress: Progress,
    known: Measurements,
) -> dict[str, Returned]:
    """Measure the sounds of all returns against the cut that left, those of movies of the whole too, and lay
    them in; each by the ids of its items."""
    document, sequence = home.left.document, home.left.sequence
    guide, cut = _guide(wanted.sent, progress), of_cut(document, sequence)
    own = {media.file_name.casefold() for media in document.media}
    # What is heard with a movie of the whole gives way to a mix of the same return.
    came: list[list[Returned]] = []
    sessions = set[Path]()
    for one, movies in zip(rounds, over):
        own_sound = [each for each in one.sounds if Path(each.path).name.casefold() in own]
        home.others += [(Path(each.path), _OWN) for each in own_sound]
        movie_sounds = [each.facts for each in movies if each.facts.audio]
        files = [each for each in one.sounds if each not in own_sound]
        inside = _within(home, one, files, wanted) if not one.pictures else []
        played = {path for _, _, paths in inside for path in paths}
        sessions |= {Path(facts.path).parent for facts, _, _ in inside}
        sounds = [*movie_sounds, *(each for each in files if each.path not in played)]
        tracks = {facts.path: within for facts, within, _ in inside}
        sounds += [facts for facts, _, _ in inside]
        came.append([])
        for facts in sounds:
            path = Path(facts.path)
            said = Role.MIX.value if facts in movie_sounds else wanted.said_of(path)
            told = told_apart(path.stem, sequence, len(sounds) == 1, said)
            if told is None:
                words = "its name does not say whether it is the mix, a stem or a track"
                home.asked.append((path, words, []))
                continue
            within = tracks.get(facts.path)
            key = "sound", of_file(facts), told, cut, guide, tuple(sorted(played)) if within else ()

            def measure(facts: Probed = facts, told: Told = told, within: Within | None = within) -> Returned:
                return held(facts, told, document, sequence, locate, guide, progress, within)

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
    home.document, home.sequence, placed = laid(
        home.document, home.sequence, fit, wanted.corrected, home.silent
    )
    home.holes = holes_left(sequence, home.sequence, placed)
    home.laid |= {one.path for one in fit}
    for path in sessions:
        if any(one.path.parent == path for one in fit if one.within is not None):
            home.laid.add(path)
        else:
            home.others.append((path, "none of its tracks sounds like the cut"))
    return placed


def _within(
    home: Home, came: Arrivals, sounds: list[Probed], wanted: Wanted
) -> list[tuple[Probed, Within, set[str]]]:
    """The tracks of the sequence file that came with sounds, each with the paths of all they play."""
    if wanted.into is not None:
        return []

    def tells(name: str) -> bool:
        return told_apart(name, home.left.sequence, False) is not None

    mixes = [path for path in came.sequences if wanted.said_of(path) != Holds.EDIT]
    for number, path in enumerate(mixes):
        try:
            found, played = sounds_within(path, home.left.sequence, sounds, wanted.nested, tells)
        except ReadError as error:
            home.others.append((path, str(error)))
            continue
        home.others += [(one, "another sequence file came first") for one in mixes[number + 1 :]]
        return [(facts, within, played) for facts, within in found]
    return []


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
    home.left = Left.of(later)
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
