"""The papers of a package: cover sheet, report with pictures, cut list, pull list, media list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

from wexodos.carryover import Choices, Options, as_one, carry_over
from wexodos.destinations import find_destination
from wexodos.formats import WriteError
from wexodos.ground import Progress
from wexodos.ground.files import reason
from wexodos.ground.names import safe_name, table_bytes
from wexodos.ground.recent import Recent
from wexodos.media import Row
from wexodos.model import Document, Sequence
from wexodos.picture import Composer, Frames
from wexodos.picture.compose import Locate
from wexodos.report import render
from wexodos.report.cover import Cover, as_page, as_pdf, cover
from wexodos.report.sights import Sights, sights
from wexodos.tidy.collapsing import collapse
from wexodos.tidy.renders import made_pictures
from wexodos.tidy.step import put
from wexodos.timing import Exact
from wexodos.turnover.package.places import Places
from wexodos.turnover.package.shots import ByShot, shot_lines, shot_list
from wexodos.turnover.package.wanted import Leaving, Wanted
from wexodos.turnover.pull import Pull, as_csv, pulls
from wexodos.turnover.run import Turned
from wexodos.turnover.several import REPORTS, report_on
from wexodos.turnover.trim.plan import Trims
from wexodos.turnover.write import Part, PartKind, main_parts

PAPERS = "Papers"
CUT_LIST = "cut-list-edl"
_MOST_LISTS = 12
"""Picture tracks of which each has a list of its own."""
_REPORT, _SHEET = 1 << 19, 1 << 16
"""Bytes of a report with its pictures, and of a cover sheet, about."""
_CUT_LISTS = Recent[list[Part]](4)


class _Reports:
    """The report in its forms, made when it is written: its pictures take time."""

    def __init__(
        self,
        leaving: list[Leaving],
        turned: list[Turned],
        source: str,
        plain: tuple[Choices, Options],
        locate: Callable[[Leaving, Document], Locate],
    ) -> None:
        self._leaving, self._turned, self._source = leaving, turned, source
        self._plain, self._locate = plain, locate
        self._told: dict[str, Any] | None = None

    def maker(self, suffix: str) -> Callable[[Path, Progress], None]:
        def make(path: Path, progress: Progress) -> None:
            if self._told is None:
                told = [(one.carried, [part.name for part in one.parts]) for one in self._turned]
                self._told = report_on(told, self._source, self._seen(progress))
            try:
                path.write_bytes(render(self._told, suffix))
            except OSError as error:
                raise WriteError(f"{path}: cannot be written: {reason(error)}") from None

        return make

    def _seen(self, progress: Progress) -> dict[str, Sights]:
        """Pictures of what is found in each sequence. They are those of the cut with its media where they are
        here: what is written names others."""
        found = {}
        choices, options = self._plain
        for one in self._leaving:
            destination = self._turned[0].carried.destination
            if not destination.pictures.carry:
                continue
            made = carry_over(one.document, one.sequence, destination, choices, progress, options)
            renders = [*one.renders, *made.renders]
            frames, locate = Frames.in_order(), self._locate(one, one.document)
            pictures = made_pictures(renders, locate, frames)
            drawn = [each.media for each in renders if each.media.id in pictures]
            names = {each.file_name: pictures[each.id] for each in drawn}
            by_id = {
                media.id: names[media.file_name] for media in made.returned.media if media.file_name in names
            }
            there = {media.path: media for media in one.document.media}

            def back(media: Any, there: Any = there, locate: Locate = locate) -> Path | None:
                return locate(there.get(media.path, media))

            after = Composer(made.returned, back, frames, {**pictures, **by_id})
            before = Composer(one.document, locate, frames, pictures)
            found[one.sequence.id] = sights(
                made.findings, (before, one.sequence), (after, made.returned_sequence), progress
            )
            frames.close()
        return found


def _maker(sheet: Cover, form: Callable[[Cover], bytes]) -> Callable[[Path, Progress], None]:
    """What writes a cover sheet."""

    def make(path: Path, _progress: Progress) -> None:
        try:
            path.write_bytes(form(sheet))
        except OSError as error:
            raise WriteError(f"{path}: cannot be written: {reason(error)}") from None

    return make


def papers(
    leaving: list[Leaving],
    turned: list[Turned],
    places: Places,
    cut: Trims,
    used: set[str],
    handles: Exact,
    source: Path,
    wanted: Wanted,
    missing: list[str],
    moment: datetime,
    plain: tuple[Choices, Options],
    shots: list[ByShot],
    locate: Callable[[Leaving, Document], Locate],
) -> list[Part]:
    """The papers of a package; ``plain`` are the decisions by which the cut is carried over once more with
    its media where they are here, for the pictures in the report, and ``locate`` finds them."""
    carried = as_one([one.carried for one in turned])
    files = [one.path.name for one in turned]
    alone = shots[0].of if len(shots) == 1 else leaving[0] if len(leaving) == 1 else None
    title = safe_name(alone.sequence.name if alone is not None else source.stem)
    reports = _Reports(leaving, turned, str(source), plain, locate)
    day = f"{moment:%Y-%m-%d}"
    known = {row.media.id: row.media.file_name for one in leaving for row in one.rows}
    anew = [(known[key], words) for key, words in cut.anew(used).items()]
    lines = [line for each in shots for line in shot_lines(each)]
    sheet = cover(carried, files, wanted.contact, missing, day, anew, lines, title)
    parts = [
        Part(
            f"{PAPERS}/{title} cover sheet{suffix}",
            "cover sheet",
            b"",
            _maker(sheet, form),
            _SHEET,
            kind=PartKind.COVER,
        )
        for suffix, form in ((".html", as_page), (".pdf", as_pdf))
    ]
    parts += [
        Part(
            f"{PAPERS}/{title} report{suffix}",
            REPORTS[suffix],
            b"",
            reports.maker(suffix),
            _REPORT,
            kind=PartKind.REPORT,
        )
        for suffix in (".html", ".pdf", ".csv")
    ]
    for one in leaving if not shots else []:
        rows = _pulled(one, handles)
        stem = safe_name(one.sequence.name)
        parts += [*_cut_list(one, stem), _pull_list(rows, stem)]
    number = 0
    for each in shots:
        # One list of each kind for all of them: nobody opens a hundred.
        stem, count = safe_name(each.of.sequence.name), len(each.leaving)
        rows = [row for one in each.leaving for row in _pulled(one, 0)]
        listed = shot_list(each, files[number : number + count])
        number += count
        parts += [
            Part(f"{PAPERS}/{stem} shots.csv", "shots", listed, kind=PartKind.SHOT_LIST),
            *_cut_list(each.of, stem),
            _pull_list(rows, stem),
        ]
    listed = _media_list(leaving, places, cut, used)
    parts.append(Part(f"{PAPERS}/{title} media list.csv", "media list", listed, kind=PartKind.MEDIA_LIST))
    return parts


def _pulled(one: Leaving, handles: Exact) -> list[Pull]:
    """What has to be pulled; what is rendered for it does not."""
    made = {render.media.id for render in one.renders}
    return [row for row in pulls(one.document, one.sequence, handles) if row.media.id not in made]


def _pull_list(rows: list[Pull], stem: str) -> Part:
    return Part(f"{PAPERS}/{stem} pull list.csv", "pull list", as_csv(rows), kind=PartKind.PULL_LIST)


def _cut_list(one: Leaving, stem: str) -> list[Part]:
    """The cut as lists of events, one for each track, for people and for programs that read nothing else; of
    a cut in layers on the fewest tracks, as nobody reads a hundred lists. A sentence where there can be
    none."""
    given = one.document, one.sequence, stem
    return _CUT_LISTS.of(given, lambda: _new_cut_list(*given))


def _new_cut_list(document: Document, sequence: Sequence, stem: str) -> list[Part]:
    if len(sequence.video_tracks) > _MOST_LISTS:
        fewest = collapse(document, sequence, {})
        document, sequence = fewest.document, fewest.sequence
        tracks = tuple(track for track in sequence.tracks if track.items)
        sequence = replace(sequence, tracks=tracks, stated_duration=sequence.duration)
        document = put(document, sequence)
    try:
        made = carry_over(document, sequence, find_destination(CUT_LIST))
        files = main_parts(made, f"{PAPERS}/{stem} cut list.edl")
        return [replace(part, what="cut list", kind=PartKind.CUT_LIST) for part in files]
    except WriteError as error:
        words = f"There is no cut list: {error}.\n".encode()
        return [Part(f"{PAPERS}/{stem} cut list.txt", "cut list", words, kind=PartKind.CUT_LIST)]


def _media_list(leaving: list[Leaving], places: Places, cut: Trims, used: set[str]) -> bytes:
    """All media with their reel, timecode, length, where they are here, and those that are ``used`` there in
    the package."""
    known: dict[str, Row] = {}
    for one in leaving:
        for row in one.rows:
            known.setdefault(row.media.id, row)
    lines = []
    for key, row in known.items():
        media, facts = row.media, row.facts
        start = media.timecode(0)
        keys = [one.media.id for one in cut.cuts.get(key, ())] or [key]
        held = [one for own in keys for one in places.files.get(own, ())]
        size = sum(one.cut.size if one.cut is not None else one.source.stat().st_size for one in held)
        lines.append(
            (
                media.file_name,
                media.reel or "",
                str(start) if start is not None and not media.still else "",
                f"{float(facts.length):.3f}" if facts is not None and facts.length is not None else "",
                str(row.path or media.path or ""),
                ", ".join(places.named[own] for own in keys if own in used and own in places.named),
                size or (facts.size if facts is not None and not facts.problem else ""),
            )
        )
    head = ("Medium", "Reel", "Begins", "Seconds", "Here", "In the package", "Bytes")
    return table_bytes([head, *lines])
