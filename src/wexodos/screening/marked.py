"""A movie as a cut of its scenes, with a marker at each change: what those who score or mix open."""

from __future__ import annotations

from fractions import Fraction

from wexodos.model import Document, Item, Marker, Media, MediaUse, Motion, Sequence, Track
from wexodos.screening.film import Film
from wexodos.screening.scene_cuts import How, SceneCut


def marked(film: Film, cuts: list[SceneCut]) -> tuple[Document, Sequence]:
    """A sequence of the movie's rate, size and timecode: one clip a scene, one marker a change."""
    start = film.facts.start or 0
    drop = bool(film.facts.drop_frame)
    media = Media(
        "movie",
        film.path.name,
        str(film.path.resolve()),
        film.facts.reel or None,
        film.facts.start,
        film.facts.drop_frame,
        film.count,
        film.rate,
        film.facts.width,
        film.facts.height,
        Fraction(film.facts.pixel_aspect or "1"),
        film.facts.field_order or "progressive",
        video=True,
    )
    edges = [0, *(one.frame for one in cuts if 0 < one.frame < film.count), film.count]
    items = tuple(
        Item(
            f"scene-{number}",
            f"Scene {number}",
            first,
            last - first,
            MediaUse("movie"),
            film.rate.seconds(first),
            motion=Motion(),
        )
        for number, (first, last) in enumerate(zip(edges, edges[1:]), 1)
        if last > first
    )
    markers = tuple(
        Marker(
            one.frame,
            0,
            f"Scene {number}",
            "" if one.how is How.CUT else f"{one.how.value} of {one.length} frames",
        )
        for number, one in enumerate(cuts, 2)
    )
    sequence = Sequence(
        "scenes",
        f"{film.path.stem} scenes",
        film.rate,
        start=start,
        drop_frame=drop,
        width=film.facts.width,
        height=film.facts.height,
        pixel_aspect=Fraction(film.facts.pixel_aspect or "1"),
        tracks=(Track("video", items),),
        markers=markers,
        stated_duration=film.count,
    )
    return Document("xmeml", "5", (sequence,), (media,)), sequence
