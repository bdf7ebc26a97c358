"""One hand-over from the file that was read to the files that are written: what the command line and the
batch do."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from wexodos.carryover import Carried, Choices, Options, carry_over
from wexodos.carryover.destined import destined
from wexodos.destinations import Destination
from wexodos.formats import WriteError
from wexodos.formats.mobs.sources import CHANNEL
from wexodos.ground import Progress
from wexodos.ground.names import joined, last
from wexodos.ground.recent import Recent
from wexodos.model import Document, Media, MediaUse, Sequence
from wexodos.picture.compose import Locate
from wexodos.sound.locate import Finder
from wexodos.tidy.renders import RenderError, placed, render_file
from wexodos.tidy.step import Render
from wexodos.tidy.workshop import Workshop
from wexodos.turnover.sounds import media_folder
from wexodos.turnover.splitting import (
    groups_of_tracks,
    reels,
    refuse_too_large,
    track_sizes,
    with_reel,
    with_tracks,
)
from wexodos.turnover.write import Part, PartKind, main_parts, write_package

_CARRIED = Recent[Carried](2)


@dataclass(frozen=True, slots=True)
class Turned:
    """A carry-over and the files it becomes, the turnover itself first; ``locate`` holds on to sound unpacked
    or made for it."""

    carried: Carried
    path: Path
    parts: list[Part]
    locate: Locate


def prepared(
    document: Document,
    sequence: Sequence,
    destination: Destination,
    source: Path,
    path: Path,
    options: Options,
    progress: Progress,
    choices: Choices | None = None,
    renders: list[Render] | None = None,
    tables: Mapping[str, Path] | None = None,
    finder: Locate | None = None,
    drawn: Document | None = None,
    place: str | None = None,
) -> list[Turned]:
    """Carry a sequence over and say what is to be written at ``path`` and beside it; several turnovers where
    it is to be split.

    ``renders`` are media of a tidied cut that have to be made; those that go over are written beside it too.
    ``tables`` are where the look-up tables lie that they are seen through. ``finder`` finds the media where
    the document does not say where they are here; ``drawn`` is what renders are drawn from where the media of
    the document are to be others than those that are here. ``place`` is the folder in which what is written
    says it stands, for what lies beside it; None where it will stand at ``path``.

    Raises ``WriteError`` where it cannot be done: nothing has been written then.
    """
    finder = finder or Finder(source, document, tables)
    turnover = destined(destination, options).turnover
    parts: list[Part] = []
    place = place if place is not None else str(path.resolve().parent)
    folder = joined(place, media_folder(path.stem))
    if turnover.sound == "source":
        document, parts = unpacked(document, sequence, finder, folder)
    document, files = placed(document, sequence, renders or [], folder)
    locate: Locate = Workshop(renders, finder) if renders else finder

    def carried_over() -> Carried:
        return carry_over(document, sequence, destination, choices, progress, options, locate, folder)

    if turnover.sound == "source":
        # Nothing of it hangs on files then, and in the window it is asked for at every decision.
        given = document, sequence, destination, choices, options, folder
        whole = _CARRIED.of(given, carried_over)
    else:
        whole = carried_over()
    parts += rendered(whole, [*files, *baked(whole, drawn)], finder)
    if turnover.split == "no" or not whole.made.pieces:
        refuse_too_large(whole)
        return [Turned(whole, path, [*main_parts(whole, path.name), *parts], locate)]
    adapted = whole.made.document.sequences_by_id[sequence.id]
    if turnover.split == "tracks":
        order = [label for label, track in sequence.labelled_tracks() if track.kind == "audio"]
        sizes = track_sizes(whole)
        pieces = [
            with_tracks(sequence, [label for label in group if label in order])
            for group in groups_of_tracks({label: sizes.get(label, 0) for label in order})
        ]
    else:
        count = max(2, -(-whole.made.size() // (1 << 30)))
        pieces = [
            with_reel(sequence, start, end, number)
            for number, (start, end) in enumerate(reels(adapted, count), 1)
        ]
    made = []
    for number, piece in enumerate(pieces, 1):
        own = path
        if len(pieces) > 1:
            own = path.with_name(f"{path.stem} part {number} of {len(pieces)}{path.suffix}")
        part_of = replace(
            document, sequences=tuple(piece if one.id == sequence.id else one for one in document.sequences)
        )
        folder = joined(place, media_folder(own.stem))
        carried = carry_over(part_of, piece, destination, choices, progress, options, locate, folder)
        refuse_too_large(carried)
        made.append(Turned(carried, own, main_parts(carried, own.name), locate))
    return made


def written_out(
    document: Document,
    sequence: Sequence,
    renders: list[Render],
    source: Path,
    output: Path,
    destination: Destination,
    progress: Progress,
    tables: Mapping[str, Path] | None = None,
) -> tuple[list[str], Carried]:
    """Write a cut, and beside it those of the ``renders`` that are of it and the sound that stood in files
    that were taken in; the files, and what writing it in this format did to it: nothing is written where a
    book does not balance. Raises ``WriteError``."""
    renders = [one for one in renders if document.media_by_id.get(one.media.id) == one.media]
    options = Options(organised=True, turnover=(("split", "no"),))
    (turned,) = prepared(
        document, sequence, destination, source, output, options, progress, renders=renders, tables=tables
    )
    if turned.carried.errors:
        return [], turned.carried
    written = write_package(turned.parts, output.parent, source, progress)
    return [str(one.path) for one in written], turned.carried


def unpacked(
    document: Document, sequence: Sequence, finder: Locate, folder: str
) -> tuple[Document, list[Part]]:
    """Sound that stands inside the file taken in, or in a file for each channel, goes into files beside
    what is written, which links to them."""
    inside = [
        media
        for media in document.media
        if media.embedded is not None or any(key == f"{CHANNEL}2" for key, _ in media.metadata)
    ]
    parts: list[Part] = []
    placed: dict[str, Media] = {}
    names: set[str] = set()
    for media in inside:
        there = finder(media)
        if there is None:
            continue
        name, number = there.name, 2
        while name.lower() in names:
            name, number = f"{there.stem} {number}{there.suffix}", number + 1
        names.add(name.lower())
        placed[media.id] = replace(
            media,
            path=joined(folder, name),
            name=media.name if "." in media.name else name,
            embedded=None,
        )
        parts.append(
            Part(
                f"{last(folder)}/{name}",
                "sound",
                b"",
                _copier(there),
                there.stat().st_size,
                kind=PartKind.MEDIA,
            )
        )
    if not placed:
        return document, []
    return replace(document, media=tuple(placed.get(media.id, media) for media in document.media)), parts


def baked(carried: Carried, drawn: Document | None = None) -> list[tuple[Render, str]]:
    """The renders a carry-over asks for, and where they will lie."""
    made = []
    for one in carried.renders:
        own = one
        if drawn is not None and one.sequence is not None:
            own = replace(one, document=drawn, sequence=drawn.sequences_by_id[one.sequence.id])
        made.append((own, one.media.path or one.media.name))
    return made


def rendered(carried: Carried, files: list[tuple[Render, str]], locate: Locate) -> list[Part]:
    """The rendered media that what is written still uses, as files to be made."""
    used = {
        item.content.media
        for one in carried.made.document.sequences
        for item in one.items()
        if isinstance(item.content, MediaUse)
    }
    parts = []
    for render, path in files:
        if render.media.id in used:
            media = render.media
            # Pictures without loss take about half of what they take bare.
            guess = (media.width or 0) * (media.height or 0) * 2 * render.count + 65536
            proof = "sample by sample" if render.kind == "tone" else "frame by frame"
            parts.append(
                Part(
                    "/".join(path.replace("\\", "/").rsplit("/", 2)[-2:]),
                    "rendered",
                    b"",
                    _renderer(render, locate),
                    guess,
                    proof,
                    PartKind.BAKED,
                )
            )
    return parts


def _renderer(render: Render, locate: Locate) -> Callable[[Path, Progress], None]:
    def make(path: Path, progress: Progress) -> None:
        try:
            render_file(render, path, locate, progress)
        except RenderError as error:
            raise WriteError(str(error)) from None

    return make


def _copier(there: Path) -> Callable[[Path, Progress], None]:
    def copy(path: Path, progress: Progress) -> None:
        progress(f"writing {path.name}", 0.0)
        try:
            shutil.copyfile(there, path)
        except OSError as error:
            raise WriteError(f"{path}: cannot be written: {(error.strerror or str(error)).lower()}") from None

    return copy
