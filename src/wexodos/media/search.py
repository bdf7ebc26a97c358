"""Finding the media of a cut: where the file says, near the sequence file, in chosen folders; every answer
with its reasons."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

import msgspec

from wexodos.footage.numbered import numbered
from wexodos.footage.tables import stands_for_table
from wexodos.formats.numbering import pattern_of
from wexodos.ground import Progress
from wexodos.media.cards import one_of_copies, with_cards
from wexodos.media.check import STATUSES, Problem, problems
from wexodos.media.content import Content, reference_of, working_copy
from wexodos.media.match import ENOUGH, Candidate, Sign, decided, usual_folders, weigh, whole
from wexodos.media.needs import Need, both, needs, needs_of
from wexodos.media.probe import Probed, Probes
from wexodos.media.scan import Index, Scanner
from wexodos.media.sidecars import with_reel
from wexodos.media.swap import moved_in
from wexodos.model import Document, Media, Sequence

MOST_LOOKED_INTO = 3000
"""So many files are opened to find one that was renamed; beyond that names alone decide."""
SHOWN = 12
_CERTAIN = ("chosen", "mapped")
"""How files were found that say where their card is: a person chose them, or their volume is elsewhere."""


class Rules(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where to look. ``up`` is how many folders above that of the sequence file are looked into, ``folders``
    are searched with all that is in them, ``maps`` are (as it is written, where it is here) beginnings of
    paths. ``reference`` is a picture of the whole cut by which files that could be it are told apart."""

    up: int = 2
    folders: tuple[str, ...] = ()
    maps: tuple[tuple[str, str], ...] = ()
    reference: str = ""


@dataclass(slots=True)
class Row:
    """One medium of the cut and the file that answers for it.

    ``how`` says how it was found: ``written``, ``mapped``, ``chosen``, ``near``, ``searched``, ``inside`` the
    sequence file, or ``original`` where it was swapped for one; empty where it is not. ``candidates`` are the
    best first.
    """

    need: Need
    path: Path | None = None
    how: str = ""
    facts: Probed | None = None
    problems: tuple[Problem, ...] = ()
    candidates: list[Candidate] = field(default_factory=list)
    asked: bool = False

    @property
    def media(self) -> Media:
        return self.need.media

    @property
    def replaced(self) -> bool:
        """Whether the file is another than the one the cut names: then its timecode says where it begins."""
        return self.how in ("chosen", "near", "searched")

    @property
    def status(self) -> str:
        """The gravest problem's word, ``found`` where there is none."""
        return self.problems[0].status if self.problems else "found"


def key_of(media: Media) -> str:
    """What a choice for a medium is remembered by: it is the same in the next version of the cut."""
    return media.path or media.name


def mapped(path: str, maps: tuple[tuple[str, str], ...]) -> str:
    """A written path after the first rule that fits. Rules end at a folder: ``/Vol/A`` is no beginning of
    ``/Vol/AB``."""
    flat = path.replace("\\", "/")
    for written, here in maps:
        start = written.replace("\\", "/").rstrip("/")
        if start and (flat == start or flat.startswith(f"{start}/")):
            return here.rstrip("/") + flat[len(start) :]
    return flat if re.match(r"^[A-Za-z]:\\|^\\\\", path) else path


def find(
    document: Document,
    sequences: list[Sequence],
    source: Path,
    rules: Rules,
    chosen: Mapping[str, str],
    probes: Probes,
    scanner: Scanner,
    progress: Progress = lambda _what, _share: None,
    seen: Mapping[str, str] | None = None,
    inside: Callable[[Media], Path | None] | None = None,
) -> list[Row]:
    """Find all media of sequences. ``chosen`` are files a person chose, by ``key_of``; ``seen`` the size and
    time each file had when it was first found; ``inside`` gives media that stand in the sequence file itself.
    ``progress`` may raise to stop."""
    rows = [Row(need) for need in needs_of(document, sequences)]
    for row in rows:
        _first(row, source, rules, chosen, inside)
    lost = [row for row in rows if row.path is None and _searchable(row.media)]
    if lost:
        progress("looking near the sequence file", 0.2)
        near = _near(source, rules.up, scanner, progress)
        _search(lost, rows, near, "near", probes, progress)
        lost = [row for row in lost if row.path is None]
    if lost and rules.folders:
        progress("looking through the chosen folders", 0.4)
        index = scanner.scan([Path(one).expanduser() for one in rules.folders], progress)
        _search(lost, rows, index, "searched", probes, progress)
        lost = [row for row in lost if row.path is None]
    content = Content(reference_of(rules.reference, sequences[0], probes))
    for row in lost:
        if row.candidates:
            progress(f"comparing what is in files for {row.media.file_name}", 0.7)
            _by_content(row, content, source)
    for number, row in enumerate(rows):
        progress(f"opening {row.media.file_name}", 0.7 + 0.3 * number / max(1, len(rows)))
        if number % 32 == 0:
            # A few at a time, so that it can be stopped.
            probes.many([one.path for one in rows[number : number + 32] if one.path is not None])
        row.facts = _facts(probes.of(row.path), row.need, sequences) if row.path is not None else None
        many = len(row.candidates) if row.asked else 0
        used = {use.sequence for use in row.need.uses}
        home = next((one for one in sequences if one.id in used), sequences[0])
        before = (seen or {}).get(str(row.path))
        row.problems = problems(row.need, row.facts, many, home, before, row.replaced)
        if row.path is not None and not row.candidates and row.facts is not None:
            row.candidates = [weigh(row.need, row.path, row.facts)]
    return rows


def _searchable(media: Media) -> bool:
    return bool(media.path or media.name)


def _first(
    row: Row,
    source: Path,
    rules: Rules,
    chosen: Mapping[str, str],
    inside: Callable[[Media], Path | None] | None,
) -> None:
    """What needs no search: chosen by a person, inside the sequence file, where the file says."""
    media = row.media
    picked = chosen.get(key_of(media))
    if picked and _there(Path(picked)):
        row.path, row.how = Path(picked), "chosen"
        return
    if inside is not None and (
        media.embedded is not None or any(key.startswith("channel ") for key, _ in media.metadata)
    ):
        path = inside(media)
        if path is not None:
            row.path, row.how = path, "inside"
            return
    if not media.path:
        return
    place = mapped(media.path, rules.maps)
    # As it is written, then with accents spelled as other systems do.
    for spelled in dict.fromkeys(
        (place, unicodedata.normalize("NFC", place), unicodedata.normalize("NFD", place))
    ):
        path = Path(spelled) if Path(spelled).is_absolute() else source.parent / spelled
        if _there(path):
            row.path, row.how = path, "written" if place == media.path else "mapped"
            return


def _there(path: Path) -> bool:
    try:
        return path.is_file() or numbered(path) is not None
    except (OSError, ValueError):
        return False


def _facts(facts: Probed, need: Need, sequences: list[Sequence]) -> Probed:
    """The facts of a file; a numbered sequence that says no rate goes at that of the cut, a recording that
    goes on in other files is as long as all of them."""
    return whole(facts.at(need.media.rate or sequences[0].rate), need)


def _near(source: Path, up: int, scanner: Scanner, progress: Progress) -> Index:
    """What stands near the sequence file: its folder with all below, and each folder above with what is right
    below it."""
    home = source.resolve().parent
    roots = [home]
    for above in list(home.parents)[: max(0, up)]:
        # Not the whole disk, nor all that everybody has.
        if len(above.parts) <= 2:
            break
        roots.append(above)
    return scanner.scan_near(roots, progress)


def _search(
    rows: list[Row],
    all_rows: list[Row],
    index: Index,
    how: str,
    probes: Probes,
    progress: Progress,
) -> None:
    """Weigh the files of an index for media that are not found yet, among ``all_rows``."""
    wanted = {
        id(row): [
            as_far(path, row.media.file_name)
            for path in dict.fromkeys([*index.named(row.media.file_name), *index.like(row.media.file_name)])
        ]
        for row in rows
    }
    nameless = [row for row in rows if not wanted[id(row)]]
    if nameless and index.count <= MOST_LOOKED_INTO:
        everything = list(index.all())
        for row in nameless:
            wanted[id(row)] = everything
    paths = list(dict.fromkeys(path for row in rows for path in wanted[id(row)]))
    facts: dict[Path, Probed] = {}
    for start in range(0, len(paths), 64):
        progress(f"opening candidates: {start} of {len(paths)}", 0.4 + 0.3 * start / len(paths))
        facts |= probes.many(paths[start : start + 64])
    usual = usual_folders(row.media.path for row in all_rows)
    weighed: dict[int, list[Candidate]] = {}
    for row in rows:
        known = {one.path for one in row.candidates}
        weighed[id(row)] = [
            *row.candidates,
            *(
                weigh(row.need, path, whole(with_reel(facts[path]).at(row.media.rate), row.need), usual)
                for path in wanted[id(row)]
                if path not in known
            ),
        ]
    said = [(row.media, row.path) for row in all_rows if row.path is not None and row.how in _CERTAIN]
    told = with_cards([(id(row), row.media, weighed[id(row)]) for row in rows], said)
    for row in rows:
        good = [one for one in told[id(row)] if one.score >= 20]
        row.candidates = sorted(good, key=lambda one: -one.score)[:SHOWN]
        best = decided(row.candidates) or one_of_copies(
            [one for one in row.candidates if one.score >= ENOUGH and one.spoken_for]
        )
        if best is not None:
            row.path, row.how, row.asked = best.path, how, False
        else:
            row.asked = bool(row.candidates) and row.candidates[0].score >= 40


def used_by(
    document: Document,
    sequence: Sequence,
    rows: list[Row],
    swapped: Mapping[str, Path],
    made: set[str],
    probes: Probes,
    seen: Mapping[str, str] | None = None,
) -> list[Row]:
    """The media that a cut uses once it is tidied and relinked, and what is wrong with them.

    Of ``rows`` those it still uses, as far as it does; those that were ``swapped`` (by id) with the facts of
    the other file. What is ``made`` (by id) when the turnover is written is left out."""
    known = {row.media.id: row for row in rows}
    found = []
    for need in needs(document, sequence):
        key = need.media.id
        if key in made:
            continue
        old, other = known.get(key), swapped.get(key)
        row = Row(need)
        if other is not None:
            row.path, row.how, row.facts = other, "original", _facts(probes.of(other), need, [sequence])
            row.candidates = [weigh(need, other, row.facts)]
        elif old is not None:
            row.path, row.how, row.facts = old.path, old.how, old.facts
            row.candidates, row.asked = old.candidates, old.asked
        asked = len(row.candidates) if row.asked else 0
        row.problems = problems(need, row.facts, asked, sequence, (seen or {}).get(str(row.path)))
        found.append(row)
    return found


def of_all(several: list[list[Row]]) -> list[Row]:
    """The media of several cuts that leave together, each once, with everything that is wrong with it in any
    of them."""
    found: dict[tuple[str, Path | None], Row] = {}
    for row in (row for rows in several for row in rows):
        known = found.get((row.media.id, row.path))
        if known is not None:
            row = replace(known, need=both(known.need, row.need), problems=_of_both(known, row))
        found[row.media.id, row.path] = row
    return list(found.values())


def _of_both(one: Row, other: Row) -> tuple[Problem, ...]:
    """The problems of a medium in two cuts, those of one kind once, the gravest first."""
    known = {problem.status for problem in one.problems}
    found = (*one.problems, *(problem for problem in other.problems if problem.status not in known))
    return tuple(sorted(found, key=lambda problem: STATUSES.index(problem.status)))


def _by_content(row: Row, content: Content, source: Path) -> None:
    """Decide by what is in the files where nothing else did."""
    told = content.told(row.need, row.candidates, working_copy(row.media.proxy_path, source))
    row.candidates = sorted(told, key=lambda one: -one.score)
    best = decided(row.candidates)
    if best is not None:
        row.path, row.how, row.asked = best.path, "searched", False
    elif row.candidates[0].points(Sign.CONTENT) > 0:
        row.asked = True


def as_far(path: Path, name: str) -> Path:
    """A sequence as far as the cut says that it goes: what is missing at its ends is missing too."""
    there, wanted = pattern_of(path.name), pattern_of(name)
    if there is None or wanted is None or wanted.low is None:
        return path
    if (there.head.lower(), there.tail.lower()) != (wanted.head.lower(), wanted.tail.lower()):
        return path
    low, high = (f"{number:0{there.digits}d}" for number in (wanted.low, wanted.high or wanted.low))
    return path.parent / f"{there.head}[{low}-{high}]{there.tail}"


def spelled(path: Path, before: str | None) -> str:
    """A path as the cut writes it: the place of a sequence's number in the way the cut had it before."""
    there = pattern_of(path.name)
    was = pattern_of(before.replace("\\", "/").rpartition("/")[2]) if before else None
    if before is None or there is None or was is None or (there.head, there.tail) != (was.head, was.tail):
        return str(path)
    return str(path.parent / before.replace("\\", "/").rpartition("/")[2])


def tables_of(rows: list[Row]) -> dict[str, Path]:
    """Where look-up tables were found, by the medium that stands for each."""
    return {row.media.id: row.path for row in rows if row.path is not None and stands_for_table(row.media)}


def relinked(document: Document, rows: list[Row]) -> Document:
    """The document with the paths of the files that were found. What the cut shows stays the same: where
    another file than the one the cut names begins at another timecode, source times move with it (see
    ``swap.moved_in``)."""
    paths = {row.media.id: row for row in rows if row.path is not None and row.how not in ("inside", "")}
    media = []
    for one in document.media:
        row = paths.get(one.id)
        if row is None or row.path is None or str(row.path) == one.path:
            media.append(one)
        else:
            path = spelled(row.path, one.path)
            media.append(replace(one, path=path, name=Path(path).name if "." in one.name else one.name))
    made = replace(document, media=tuple(media)) if tuple(media) != document.media else document
    for row in paths.values():
        if row.facts is not None and not row.facts.problem and row.replaced:
            made = moved_in(made, row.need, row.facts)
    return made
