"""Taking out by kind what the other side cannot use: each thing leaves its time behind, or a rendered clip
stands in for it."""

from __future__ import annotations

from dataclasses import replace

from wexodos.evaluate.geometry import Raster
from wexodos.model import (
    NORMAL,
    Adjustment,
    Document,
    Effect,
    Generator,
    Item,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Title,
    Track,
    Variable,
)
from wexodos.model.speed import is_freeze
from wexodos.picture.titles import remarks
from wexodos.tidy.step import (
    Line,
    Outcome,
    Render,
    Touched,
    Values,
    counted,
    joins_left,
    line_of,
    put,
    reach,
    with_media,
    words_of,
)
from wexodos.timing import Exact

KINDS: tuple[tuple[str, str], ...] = (
    ("titles", "titles"),
    ("adjustments", "adjustment items"),
    ("mattes", "mattes"),
    ("generators", "generators"),
    ("filters", "filters"),
    ("colour", "colour corrections"),
    ("stills", "stills"),
    ("freezes", "freezes"),
    ("ramps", "speed ramps"),
)
COLOUR = frozenset({"primaries", "lut", "desaturate", "brightness-contrast", "tint"})
_MATTE = ("matte", "letterbox", "mask")
RENDERED = frozenset({"titles", "generators", "stills", "freezes", "ramps", "mattes"})
"""Kinds that a rendered clip can stand in for; filters and corrections act on what stays."""


def kind_of(item: Item) -> str | None:
    """The kind an item belongs to as a whole; None for a plain clip."""
    content = item.content
    if isinstance(content, Title):
        return "titles"
    if isinstance(content, Adjustment):
        return "adjustments"
    named = any(word in item.name.lower() for word in _MATTE)
    if isinstance(content, Generator):
        return "mattes" if named or content.kind in ("matte", "mask") else "generators"
    if item.still:
        return "mattes" if named else "stills"
    if isinstance(content, MediaUse) and is_freeze(item.speed):
        return "freezes"
    if isinstance(item.speed, Variable):
        return "ramps"
    return None


def is_colour(effect: Effect) -> bool:
    return effect.kind in COLOUR or "colo" in effect.name.lower() or "lut" in effect.name.lower().split()


def take_out(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """Take out the chosen kinds of picture things; nothing after them moves."""
    chosen = set(words_of(values["kinds"]))
    render = values["instead"] == "render"
    lines: list[Line] = []
    renders: list[Render] = []
    touched = Touched()
    tracks: list[Track] = []
    counts: dict[str, int] = {}
    used = {one.id for one in document.media}
    for label, track in sequence.labelled_tracks():
        if track.kind != "video":
            tracks.append(track)
            continue
        items: list[Item] = []
        for item in track.items:
            kind = kind_of(item)
            if kind in chosen and not _made_here(document, item):
                counts[kind] = counts.get(kind, 0) + 1
                touched.item("video", *reach(track, item))
                if render and kind in RENDERED:
                    made = rendered_of(document, sequence, track, item, used)
                    renders.append(made)
                    items.append(stand_in(sequence, track, item, made))
                    lines.append(
                        line_of(
                            item,
                            label,
                            "becomes a rendered clip",
                            f"{dict(KINDS)[kind].removesuffix('s')}; it keeps its place, size and opacity",
                        )
                    )
                    if isinstance(item.content, Title):
                        # Said before it is made: afterwards it is a picture.
                        lines += [
                            line_of(item, label, "is not drawn as it is meant", words, True)
                            for words in remarks(item.content, sequence.frame_size[0])
                        ]
                else:
                    lines.append(line_of(item, label, "is taken out", dict(KINDS)[kind]))
                continue
            kept = tuple(
                one for one in item.effects if ("colour" if is_colour(one) else "filters") not in chosen
            )
            for effect in item.effects:
                if effect not in kept:
                    what = "colour" if is_colour(effect) else "filters"
                    counts[what] = counts.get(what, 0) + 1
                    if effect.enabled:
                        touched.item("video", *reach(track, item))
                    lines.append(line_of(item, label, f"{effect.name} is taken off", dict(KINDS)[what]))
            items.append(item if kept == item.effects else replace(item, effects=kept))
        kept_joins, lost = joins_left(track, items)
        lines += [
            Line(one.start, one.end, label, one.name or one.type, one.id, "goes with what it joined")
            for one in lost
        ]
        tracks.append(replace(track, items=tuple(items), transitions=kept_joins))
    if not lines:
        return Outcome(document, sequence, "nothing of these kinds is in the cut")
    made_sequence = replace(sequence, tracks=tuple(tracks), stated_duration=sequence.duration)
    whole = with_media(put(document, made_sequence), [one.media for one in renders])
    told = ", ".join(counted(count, dict(KINDS)[kind].removesuffix("s")) for kind, count in counts.items())
    how = f"; {counted(len(renders), 'clip')} to be rendered" if renders else ", their time stays"
    return Outcome(whole, made_sequence, f"{told} taken out{how}", lines, renders, touched)


def _made_here(document: Document, item: Item) -> bool:
    """Whether an item is a slate or a clip of ours already."""
    media = _media_of(document, item)
    return media is not None and (media.path or "").startswith("/rendered/")


def rendered_of(document: Document, sequence: Sequence, track: Track, item: Item, used: set[str]) -> Render:
    """The movie that can stand in for an item, as long as it and its transitions are; ``used`` are the ids of
    media so far, its own is added."""
    low, high = reach(track, item)
    key = f"render-{item.id}"
    while key in used:
        key += "-"
    used.add(key)
    safe = "".join(one if one.isalnum() or one in " -_" else " " for one in item.name).strip() or item.kind
    code = str(sequence.timecode(max(0, low))).replace(":", "").replace(";", "")
    name = f"{' '.join(safe.split())[:60]} {code}.mov"
    size = source_size(document, sequence, item)
    media = Media(
        key,
        name,
        f"/rendered/{name}",
        duration=high - low,
        rate=sequence.rate,
        start=0,
        width=int(size.width),
        height=int(size.height),
        pixel_aspect=_aspect(document, sequence, item),
        video=True,
        alpha="straight" if sees_through(document, item) else None,
    )
    return Render("frames", media, high - low, document, sequence, item.id, low)


def stand_in(sequence: Sequence, track: Track, item: Item, render: Render) -> Item:
    """The item that shows a render in the place of another."""
    low, _ = reach(track, item)
    return replace(
        item,
        content=MediaUse(render.media.id),
        source_in=sequence.rate.seconds(item.start - low),
        speed=NORMAL,
        still=False,
        alpha=None,
    )


def _media_of(document: Document, item: Item) -> Media | None:
    return document.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None


def _nested_in(document: Document, item: Item) -> Sequence | None:
    """The sequence that stands nested as an item."""
    content = item.content
    return document.sequences_by_id.get(content.sequence) if isinstance(content, NestedUse) else None


def source_size(document: Document, sequence: Sequence, item: Item) -> Raster:
    """The raster of an item's own picture: the medium's, the nested sequence's, else the
    sequence's."""
    nested = _nested_in(document, item)
    if nested is not None:
        return Raster(*nested.frame_size, float(nested.pixel_aspect))
    media = _media_of(document, item)
    wide, tall = sequence.frame_size
    if media is None or not media.width or not media.height:
        return Raster(wide, tall, float(sequence.pixel_aspect))
    return Raster(media.width, media.height, float(media.pixel_aspect))


def _aspect(document: Document, sequence: Sequence, item: Item) -> Exact:
    nested = _nested_in(document, item)
    if nested is not None:
        return nested.pixel_aspect
    media = _media_of(document, item)
    return (
        sequence.pixel_aspect if media is None or not media.width or not media.height else media.pixel_aspect
    )


def sees_through(document: Document, item: Item) -> bool:
    """Whether what lies below may be seen through an item's own picture."""
    media = _media_of(document, item)
    if isinstance(item.content, Generator):
        return item.content.kind == "transparent" or not (item.content.color or "#000000ff").endswith("ff")
    alpha = item.alpha or (media.alpha if media is not None else None)
    return (
        isinstance(item.content, Title | NestedUse)
        or alpha in ("straight", "black", "white")
        or (media is not None and item.still)
    )
