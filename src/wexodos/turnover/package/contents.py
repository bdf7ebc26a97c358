"""What is in a package: the sequences, their media, and papers for the people there."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from fractions import Fraction
from pathlib import Path

import xxhash

from wexodos import __version__
from wexodos.carryover import Carried, Choices, Options
from wexodos.carryover.destined import destined
from wexodos.carryover.joint import NotJoint, joint
from wexodos.carryover.sounding import makes_sound
from wexodos.destinations import Destination
from wexodos.formats import FORMATS, WriteError
from wexodos.ground import Progress
from wexodos.ground.names import safe_name
from wexodos.media import needs
from wexodos.tidy.shots import SchemeError
from wexodos.tidy.workshop import Workshop
from wexodos.turnover.package.copying import Copy, copy_of
from wexodos.turnover.package.guide import guide_parts
from wexodos.turnover.package.hashlist import Entry
from wexodos.turnover.package.movie import Reference, reference_parts
from wexodos.turnover.package.papers import papers
from wexodos.turnover.package.places import Here, Placed, Places, moved, places_of
from wexodos.turnover.package.shots import ByShot, by_shot
from wexodos.turnover.package.wanted import Leaving, Wanted, Way
from wexodos.turnover.run import Turned, prepared
from wexodos.turnover.several import stems
from wexodos.turnover.trim.cut import Cut
from wexodos.turnover.trim.document import trimmed
from wexodos.turnover.trim.plan import Trims, trims
from wexodos.turnover.write import Origin, Part, PartKind

_HANDLES = 1
"""Seconds on either side in the pull list where the destination says nothing of handles."""


@dataclass(frozen=True, slots=True)
class Contents:
    """The parts and copies in the order in which they are written, what became of each sequence, the media
    that are not there, and those that go along whole although they were to be trimmed, with the reason; as
    what others are coded ``anew``.
    ``turned`` holds on to what was made for it, ``seen`` are the reference pictures, ``there`` the names of
    media that they have already, ``apart`` why several sequences have a file each although they were to be in
    one; ``shots`` are those that go one by one. ``plan`` is the same wherever the same would come out."""

    parts: list[Part | Copy]
    turned: list[Turned]
    missing: list[str]
    whole: dict[str, str]
    anew: dict[str, str]
    seen: list[Reference]
    there: list[str]
    apart: str
    plan: str
    shots: list[ByShot] = field(default_factory=list)

    @property
    def carried(self) -> list[Carried]:
        return [one.carried for one in self.turned]

    @property
    def size(self) -> int:
        return sum(one.bytes for one in self.parts)


def missing_from(leaving: list[Leaving]) -> list[str]:
    """The names of media that no file was found for, each once."""
    return list(dict.fromkeys(row.media.file_name for one in leaving for row in one.rows if row.path is None))


def contents(
    leaving: list[Leaving],
    destination: Destination,
    source: Path,
    wanted: Wanted,
    options: Options,
    choices: Choices,
    moment: datetime,
    progress: Progress,
) -> Contents:
    """Carry the sequences over with their media where they will be, and list all that goes along. Raises
    ``WriteError``, ``SchemeError`` and ``Cancelled``; writes nothing."""
    handles = wanted.handles if wanted.handles is not None else _handles(destination)
    whole_cuts, shots = leaving, list[ByShot]()
    if wanted.shots:
        if len(leaving) > 1 and "{sequence}" not in wanted.shots:
            raise SchemeError(
                f"names of shots: {len(leaving)} sequences leave together, "
                "so {sequence} must be in the scheme"
            )
        shots = [by_shot(one, wanted.shots, handles, wanted.slate) for one in leaving]
        leaving = [one for each in shots for one in each.leaving]
        # The shots have their handles already.
        wanted, handles = replace(wanted, one_file=False, handles=Fraction(0)), Fraction(0)
        if not leaving:
            raise WriteError(f"{source}: there is no shot in it that could go by itself")
    rows = [row for one in leaving for row in one.rows]
    own_sound = makes_sound(destined(destination, options))
    kept = Trims()
    if wanted.media is Way.TRIMMED:
        cuts = [(one.document, one.sequence) for one in leaving]
        by_name = not FORMATS[destination.format].spells.ids
        kept = trims(cuts, rows, handles, not own_sound, progress, by_name, wanted.anew)
    places = places_of(rows, kept.cuts) if wanted.media is not Way.NONE else Places()
    names = stems([one.sequence for one in leaving])
    suffix = FORMATS[destination.format].suffix
    turned: list[Turned] = []
    used: dict[str, None] = {}
    mixes: list[Part] = []
    pictures: list[Reference] = []
    for one in leaving:
        document = moved(trimmed(one.document, kept.cuts, not own_sound), places, wanted.there)
        here = Here(source, document, places, one.tables)
        sequence = document.sequences_by_id[one.sequence.id]
        path = Path(f"{names[one.sequence.id]}{suffix}")
        made = prepared(
            document,
            sequence,
            destination,
            source,
            path,
            options,
            progress,
            renders=one.renders,
            tables=one.tables,
            finder=here,
            drawn=one.document,
            choices=choices,
            place=wanted.there,
        )
        turned += made
        shop = Workshop(one.renders, here)
        mixes += guide_parts(one.document, one.sequence, shop, wanted.mix)
        seen = Reference(
            one.document,
            one.sequence,
            shop,
            wanted.picture,
            wanted.height,
            wanted.burns,
            wanted.shape,
            f"{moment:%Y-%m-%d %H:%M}",
        )
        made_of_it = reference_parts(seen)
        mixes += made_of_it
        pictures += [seen] if made_of_it else []
        for each in made:
            for cut in each.carried.made.document.sequences:
                used |= {need.media.id: None for need in needs(each.carried.made.document, cut)}
    apart = ""
    if wanted.one_file and len(leaving) > 1:
        try:
            turned = _in_one(turned, leaving, f"{safe_name(source.stem)}{suffix}")
        except NotJoint as why:
            apart = str(why)
    parts: list[Part | Copy] = [part for each in turned for part in each.parts]
    media = _media(places.of(used))
    there = [one.name for one in media if isinstance(one, Copy) and _known(one, wanted.since)]
    parts += [*mixes, *(one for one in media if one.name not in there)]
    missing = missing_from(leaving)
    known = {row.media.id: row.media.file_name for row in rows}
    whole = {known[key]: why for key, why in kept.whole.items() if key in used}
    anew = {known[key]: words for key, words in kept.anew(used).items()}
    if wanted.papers:
        parts += papers(
            leaving,
            turned,
            places,
            kept,
            set(used),
            handles,
            source,
            wanted,
            missing,
            moment,
            (choices, options),
            shots,
            lambda one, document: Workshop(one.renders, Here(source, document, places, one.tables)),
        )
    plan = _plan(whole_cuts, destination, source, wanted, options, choices)
    return Contents(parts, turned, missing, whole, anew, pictures, there, apart, plan, shots)


def _in_one(turned: list[Turned], leaving: list[Leaving], name: str) -> list[Turned]:
    """The same with one file for all sequences, which stands with the first. Raises ``NotJoint``,
    ``UnprovedError``."""
    if len(turned) > len(leaving):
        raise NotJoint("one of them is split")
    data = joint([one.carried for one in turned])
    path = Path(name)
    first = replace(turned[0].parts[0], name=name, data=data)
    made = [replace(one, path=path, parts=one.parts[1:]) for one in turned]
    return [replace(made[0], parts=[first, *made[0].parts]), *made[1:]]


def _plan(leaving: list[Leaving], *decided: object) -> str:
    """A sum of all that says what is made: the cuts, the files of their media as they stand, what was
    decided, and by which version of this program."""

    def stands(path: Path | None) -> tuple[str, int, int]:
        with contextlib.suppress(OSError):
            if path is not None:
                told = path.stat()
                return str(path), told.st_size, told.st_mtime_ns
        return str(path), -1, -1

    made = xxhash.xxh3_128(repr((__version__, decided)).encode("utf-8", "surrogatepass"))
    for one in leaving:
        files = [(row.media.id, stands(row.path)) for row in one.rows]
        tables = [(key, stands(path)) for key, path in sorted(one.tables.items())]
        own = (one.sequence.id, one.document, one.renders, files, tables)
        made.update(repr(own).encode("utf-8", "surrogatepass"))
    return made.hexdigest()


def _known(one: Copy, since: Mapping[str, Entry]) -> bool:
    """Whether they have a file already, as it is: of the same size, changed in the same second."""
    entry = since.get(one.name)
    return (
        entry is not None
        and entry.changed is not None
        and entry.size == one.size
        and int(entry.changed.timestamp()) == one.changed // 10**9
    )


def _handles(destination: Destination) -> Fraction:
    return Fraction(destination.turnover.handles or _HANDLES)


def _media(placed: list[Placed]) -> list[Part | Copy]:
    """The files of media as they are written; raises ``WriteError`` where one is not there any more."""
    made: list[Part | Copy] = []
    for one in placed:
        cut = one.cut
        if cut is None:
            made.append(copy_of(one.source, one.name))
            continue
        origin = Origin(one.source, cut.first, cut.count, not cut.anew)
        planned = copy_of(one.source, one.name)
        stands = f"{planned.size} {planned.changed}"
        key = f"{__version__} {one.source}: {stands}, {cut.first} {cut.count} {cut.anew}"
        make, kind = _unchanged(cut, planned), PartKind.MEDIA
        how = f"coded anew, {cut.anew}" if cut.anew else "as its source"
        made.append(Part(one.name, "trimmed", b"", make, cut.size, how, kind, origin, key))
    return made


def _unchanged(cut: Cut, planned: Copy) -> Callable[[Path, Progress], None]:
    """Cut a file that is still what it was when that was planned, before and after."""

    def refuse_other() -> None:
        now = copy_of(planned.source, planned.name)
        if (now.size, now.changed) != (planned.size, planned.changed):
            raise WriteError(f"{planned.source}: it changed since the package was planned; plan it again")

    def make(path: Path, progress: Progress) -> None:
        refuse_other()
        cut.write(path, progress)
        refuse_other()

    return make
