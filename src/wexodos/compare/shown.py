"""What two items that belong together show: words and their style, generators, media, angles."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from wexodos.compare.aspects import Aspect
from wexodos.compare.difference import Difference, name_of
from wexodos.compare.match import Placed, identity
from wexodos.evaluate.tolerances import SENSES, Precision
from wexodos.model import (
    Angles,
    Document,
    Generator,
    Item,
    Media,
    MediaUse,
    Sequence,
    Shadow,
    Title,
)
from wexodos.timing import Rate, absolute, exact


def contents(
    a: Document, x: Item, label: str, b: Document, y: Item, told: Any, within: Precision = SENSES
) -> Iterator[Difference]:
    """What the items show; ``told`` makes a difference of ``x``."""
    before, after = x.content, y.content
    if isinstance(before, Title) and isinstance(after, Title):
        if before.words != after.words:
            yield told("retitled", "words", before.words, after.words)
        elif _styles(before) != _styles(after):
            yield told("changed", "style", _styles(before), _styles(after))
        if (
            abs(before.origin[0] - after.origin[0]) > within.pixels
            or abs(before.origin[1] - after.origin[1]) > within.pixels
        ):
            yield told("changed", "place of the words", list(before.origin), list(after.origin))
        if (before.roll is None) != (after.roll is None):
            yield told(
                "changed",
                "movement of the words",
                before.roll and before.roll.direction,
                after.roll and after.roll.direction,
            )
        if before.bar != after.bar:
            yield told("changed", "bar", before.bar, after.bar)
        if before.roll is not None and after.roll is not None and before.roll != after.roll:
            yield told("changed", "roll", str(before.roll.gap), str(after.roll.gap))
        if plain_template(before.template) != plain_template(after.template):
            yield told("changed", "template", before.template, after.template)
        if sorted(one.name for one in before.parameters) != sorted(one.name for one in after.parameters):
            yield told(
                "changed",
                "title settings",
                [one.name for one in before.parameters],
                [one.name for one in after.parameters],
            )
        return
    if isinstance(before, Generator) and isinstance(after, Generator):
        if (
            len(before.parameters) > len(after.parameters)
            and {name.lower() for name, _ in before.parameters} - _COLOR_NAMES
        ):
            yield told("changed", "generator settings", dict(before.parameters), dict(after.parameters))
        if _drawn(before) != _drawn(after):
            yield told(
                "changed",
                "generator",
                f"{before.kind} {before.color or ''}".strip(),
                f"{after.kind} {after.color or ''}".strip(),
            )
        return
    mine = identity(x, a.media_by_id, a.sequences_by_id) if type(before) is not type(after) else None
    if mine is not None:
        yield told("changed", "kind", x.kind, y.kind)
    elif isinstance(before, MediaUse) and isinstance(after, MediaUse):
        yield from media(a, Placed(x, label), b, after)
    elif isinstance(before, Angles) and isinstance(after, Angles):
        if (before.video, before.audio) != (after.video, after.audio):
            yield told("changed", "angle", before.video, after.video)
        if [one.name for one in before.angles] != [one.name for one in after.angles]:
            yield told(
                "changed", "angles", [one.name for one in before.angles], [one.name for one in after.angles]
            )


_COLOR_NAMES = {"color", "colour", "fill color", "fill colour", "fillcolor"}
_PLAIN = {
    "",
    "text",
    "basic title",
    "outline text",
    "lower 3rd",
    "scrolling text",
    "crawl",
    "caption",
    "graphicandtype",
}


def plain_template(name: str) -> str:
    """What a title's template is called where it is one that other programs do not have; empty for plain
    ones."""
    return "" if name.strip().lower() in _PLAIN else name


def _drawn(generator: Generator) -> tuple[str, str | None]:
    """Black and the colour black are the same picture."""
    return ("colour", "#000000ff") if generator.kind == "black" else (generator.kind, generator.color)


def media(a: Document, one: Placed, b: Document, after: MediaUse) -> Iterator[Difference]:
    """Which medium it is, where it lies and where it begins."""
    assert isinstance(one.item.content, MediaUse)
    x, y = a.media_by_id.get(one.item.content.media), b.media_by_id.get(after.media)
    if x is None or y is None or x is y:
        return
    item = one.item

    def told(kind: str, what: str, before: Any, after: Any) -> Difference:
        return Difference(kind, what, name_of(item), item.id, one.track, item.start, item.end, before, after)

    if x.file_name.lower() != y.file_name.lower():
        yield told("changed", "media", x.file_name, y.file_name)
    if x.path and y.path and x.path != y.path:
        yield told("changed", "media path", x.path, y.path)
    if x.reel and x.reel != y.reel:
        yield told("changed", "reel", x.reel, y.reel)
    if x.rate is not None and y.rate is not None and (x.start or 0) != (y.start or 0) and not x.still:
        yield told("changed", "media start", x.start, y.start)


def facts_of_media(
    a: Document, first: Sequence, b: Document, known: dict[str, str], second: Sequence
) -> Iterator[Difference]:
    """What both sides say of a medium and say otherwise; told at the first item that uses it."""
    there = {item.id: item for item in second.items()}
    seen: set[str] = set()
    for label, track in first.labelled_tracks():
        for item in track.items:
            other = there.get(known.get(item.id, ""))
            mine, theirs = item.content, other.content if other is not None else None
            if not isinstance(mine, MediaUse) or not isinstance(theirs, MediaUse) or mine.media in seen:
                continue
            seen.add(mine.media)
            x, y = a.media_by_id.get(mine.media), b.media_by_id.get(theirs.media)
            if x is None or y is None:
                continue
            for word, before, after in _said_of(x, y, first.rate, second.rate):
                yield Difference(
                    "changed",
                    Aspect.MEDIA_FACTS,
                    name_of(item),
                    item.id,
                    label,
                    item.start,
                    item.end,
                    f"{word} {before}",
                    f"{word} {after}",
                )


def _said_of(x: Media, y: Media, mine: Rate, theirs: Rate) -> Iterator[tuple[str, Any, Any]]:
    """Facts that both say and say otherwise. ``mine`` and ``theirs`` count what has no rate of its own."""
    facts: tuple[tuple[str, Any, Any], ...] = (
        ("channels", x.channels, y.channels),
        ("sample rate", x.sample_rate, y.sample_rate),
        ("bit depth", x.bit_depth, y.bit_depth),
        ("rate", x.rate, y.rate),
        ("width", x.width, y.width),
        ("height", x.height, y.height),
        ("pixel aspect", x.pixel_aspect, y.pixel_aspect),
    )
    yield from (row for row in facts if row[1] is not None and row[2] is not None and row[1] != row[2])
    same_count = x.rate is None or y.rate is None or x.rate == y.rate
    if x.duration is not None and y.duration is not None and same_count:
        rates = x.rate or mine, y.rate or theirs
        # Files count whole frames; a medium may end within one.
        apart = absolute(exact(rates[0].seconds(x.duration) - rates[1].seconds(y.duration)))
        if apart >= max(rate.seconds(1) for rate in rates):
            yield "length", x.duration, y.duration


def _styles(title: Title) -> list[tuple[Any, ...]]:
    """Style runs, neighbours of one style joined."""
    found: list[tuple[Any, ...]] = []
    for run in title.runs:
        edge = run.outline_color, run.outline_width or None
        style = (
            run.font,
            run.size,
            run.bold,
            run.italic,
            run.color,
            run.align,
            run.underline,
            run.tracking,
            run.leading,
            edge,
            _shade(run.shadow),
        )
        if run.text.strip() and (not found or found[-1] != style):
            found.append(style)
    return found


def _shade(shadow: Shadow | None) -> tuple[Any, ...] | None:
    if shadow is None:
        return None
    return shadow.color, round(shadow.distance, 3), round(shadow.angle % 360.0, 3), round(shadow.blur, 3)
