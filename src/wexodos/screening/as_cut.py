"""A movie as a sequence that lies over the cut it was aligned with: what the window shows beside it."""

from __future__ import annotations

from fractions import Fraction

from wexodos.model import Constant, Document, Item, Media, MediaUse, Motion, Sequence, Track, constant
from wexodos.screening.align import Aligned
from wexodos.screening.film import Film
from wexodos.timing import exact


def as_cut(film: Film, found: Aligned, cut: Sequence) -> tuple[Document, Sequence]:
    """One clip for each piece of the movie, in the time and at the place of the cut's frame."""
    facts = film.facts
    aspect = Fraction(facts.pixel_aspect or "1")
    media = Media(
        "movie",
        film.path.name,
        str(film.path.resolve()),
        start=facts.start,
        drop_frame=facts.drop_frame,
        duration=film.count,
        rate=film.rate,
        width=facts.width,
        height=facts.height,
        pixel_aspect=aspect,
        field_order=facts.field_order or "progressive",
        video=True,
    )
    wide, tall = cut.frame_size
    square = float(cut.pixel_aspect)
    # Square pixels of the cut's frame for one of the movie's.
    across = wide * square / (found.box.width * facts.width * float(aspect))
    down = tall / (found.box.height * facts.height)
    x = (0.5 - found.box.left - found.box.width / 2) * facts.width * float(aspect) * across / square
    y = (0.5 - found.box.top - found.box.height / 2) * facts.height * down
    motion = Motion(position=constant(x, y), scale=constant(across, down))
    pace = Fraction(film.rate.fps) / Fraction(cut.rate.fps)
    items = []
    for number, piece in enumerate(found.pieces, 1):
        # Only what the movie has.
        first = max(piece.first, -(piece.offset // found.pace))
        last = min(piece.last, int((film.count - piece.offset) / found.pace))
        if last <= first:
            continue
        begin = film.rate.seconds(exact(Fraction(first) * found.pace + piece.offset))
        items.append(
            Item(
                f"movie-{number}",
                film.path.name,
                first,
                last - first,
                MediaUse("movie"),
                begin,
                Constant(exact(found.pace / pace)),
                motion=motion,
            )
        )
    sequence = Sequence(
        "movie",
        film.path.name,
        cut.rate,
        start=cut.start,
        drop_frame=cut.drop_frame,
        width=cut.width,
        height=cut.height,
        pixel_aspect=cut.pixel_aspect,
        field_order=cut.field_order,
        tracks=(Track("video", tuple(items)),),
        stated_duration=cut.duration,
    )
    return Document("xmeml", "5", (sequence,), (media,)), sequence
