"""Where every shot begins and ends: markers, on the cut or on a layer of their own, and pairs of keys."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from wexodos.evaluate import curve_values
from wexodos.ground.names import fresh
from wexodos.model import (
    Curve,
    Document,
    Ease,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    Sequence,
    Track,
)
from wexodos.tidy.step import Line, Outcome, Render, TidyError, Values, counted, line_of, put, with_media
from wexodos.timing import Exact

CUTS = "Cuts"
_PICTURE = f"/rendered/{CUTS}.png"
KEYED = ("position", "scale", "rotation", "anchor", "crop", "opacity")
"""What a pair of keys can be set on."""


def shots(sequence: Sequence) -> Iterator[tuple[str, Track, Item]]:
    """Every picture item that is switched on, with its track and the label of that."""
    for label, track in sequence.labelled_tracks():
        if track.kind == "video" and track.enabled:
            yield from ((label, track, item) for item in track.items if item.enabled)


def frames_of(item: Item) -> tuple[Exact, Exact]:
    """The first and the last frame of an item."""
    return item.start, max(item.start, item.end - 1)


def cut_markers(sequence: Sequence, which: str = "both") -> list[Marker]:
    """A marker at the first frame (``in``), the last (``out``), or both, of every shot, each once."""
    found = {}
    for _, _, item in shots(sequence):
        name = item.name or item.kind
        first, last = frames_of(item)
        for at, end in ((first, "in"), (last, "out")):
            if which in (end, "both"):
                found[at, f"{name} {end}"] = Marker(at, 0, f"{name} {end}")
    return sorted(found.values(), key=lambda one: one.start)


def markers_at_cuts(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """A marker at the first frame, the last, or both, of every picture item that is switched on: on the cut,
    or on a layer of their own."""
    made = cut_markers(sequence, values["where"])
    if values["on"] == "layer":
        return _on_layer(document, sequence, made)
    there = {(one.start, one.name) for one in sequence.markers}
    added = [one for one in made if (one.start, one.name) not in there]
    if not added:
        return Outcome(document, sequence, "nothing: every cut has its marker")
    markers = tuple(sorted((*sequence.markers, *added), key=lambda one: one.start))
    marked = replace(sequence, markers=markers)
    lines = [_added(one, "") for one in added]
    return Outcome(put(document, marked), marked, f"{counted(len(added), 'marker')} added", lines)


def _added(marker: Marker, label: str) -> Line:
    return Line(marker.start, marker.start, label, marker.name, "", "marker added")


def _on_layer(document: Document, sequence: Sequence, made: list[Marker]) -> Outcome:
    whole, marked, renders = with_cuts_layer(document, sequence)
    label, layer = cuts_layer_of(whole, marked)
    there = {(one.start, one.name) for one in layer.markers}
    added = [one for one in made if (one.start, one.name) not in there]
    if not added:
        return Outcome(document, sequence, "nothing: every cut has its marker")
    markers = tuple(sorted((*layer.markers, *added), key=lambda one: one.start))
    marked = with_item(marked, replace(layer, markers=markers))
    lines = [_added(one, label) for one in added]
    effect = f"{counted(len(added), 'marker')} on a layer of their own, {label} “{CUTS}”"
    return Outcome(put(whole, marked), marked, effect, lines, renders)


# ---- the layer that shows nothing


def with_cuts_layer(document: Document, sequence: Sequence) -> tuple[Document, Sequence, list[Render]]:
    """The sequence with a layer on top that shows nothing and is as long as it; as it is where it has one.

    Its picture is see-through, as every program can hold a picture file, and it is switched off: nothing of
    it is seen, whatever a program makes of its alpha, so nothing is said of that.
    """
    if _layers(document, sequence):
        return document, sequence, []
    length = sequence.duration
    if not length:
        raise TidyError("the cut is empty: there is no place for a layer of markers")
    ids = {one.id for one in document.media} | {item.id for one in document.sequences for item in one.items()}
    # The item takes its id from it, and neither may be there yet.
    key = fresh("cuts", ids | {one.removesuffix("-layer") for one in ids})
    width, height = sequence.frame_size
    media = Media(
        key,
        f"{CUTS}.png",
        _PICTURE,
        width=width,
        height=height,
        pixel_aspect=sequence.pixel_aspect,
        video=True,
        still=True,
    )
    item = Item(
        f"{key}-layer",
        CUTS,
        0,
        length,
        MediaUse(key),
        enabled=False,
        motion=Motion(),
        still=True,
    )
    track = Track("video", (item,), name=CUTS)
    made = replace(sequence, tracks=(*sequence.video_tracks, track, *sequence.audio_tracks))
    return (
        put(with_media(document, [media]), made),
        made,
        [Render("flat", media, words=("#00000000",))],
    )


def _layers(document: Document, sequence: Sequence) -> list[tuple[str, Item]]:
    known = document.media_by_id
    return [
        (label, item)
        for label, track in sequence.labelled_tracks()
        if track.kind == "video"
        for item in track.items
        if isinstance(item.content, MediaUse)
        and not item.enabled
        and (used := known.get(item.content.media)) is not None
        and used.path == _PICTURE
    ]


def cuts_layer_of(document: Document, sequence: Sequence) -> tuple[str, Item]:
    """The layer that shows nothing, and its label."""
    return _layers(document, sequence)[-1]


def with_item(sequence: Sequence, item: Item) -> Sequence:
    """The sequence with ``item`` in the place of the one with its id."""
    tracks = tuple(
        replace(track, items=tuple(item if one.id == item.id else one for one in track.items))
        for track in sequence.tracks
    )
    return replace(sequence, tracks=tracks)


# ---- a pair of keys for every shot


def key_pairs(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """At the first and the last frame of every shot a key of what is there anyhow: nothing that is seen
    changes. On the shots themselves, on the layer above them, or as markers on the shots."""
    name = values["parameter"]
    if values["on"] == "layer":
        if name == "markers":
            raise TidyError("markers on a layer of their own are a step of their own: Markers at cuts")
        return _keys_on_layer(document, sequence, name)
    lines = []
    changed: dict[str, Item] = {}
    for label, _, item in shots(sequence):
        if name == "markers":
            new = _marked(item)
        elif item.motion is None:
            continue
        else:
            curve, why = _paired(item.motion.curves[name], item)
            if why:
                lines.append(line_of(item, label, "has no pair of keys", why))
            new = _with_curve(item, name, curve)
        if new != item:
            changed[item.id] = new
            what = "markers at its first and last frame" if name == "markers" else f"keys of {name}"
            lines.append(line_of(item, label, what))
    if not lines:
        return Outcome(document, sequence, "nothing: every shot has its pair")
    made = replace(
        sequence,
        tracks=tuple(
            replace(track, items=tuple(changed.get(one.id, one) for one in track.items))
            if track.kind == "video"
            else track
            for track in sequence.tracks
        ),
    )
    what = "a pair of markers" if name == "markers" else f"a pair of keys of {name}"
    effect = f"{counted(len(changed), 'shot')} with {what}"
    return Outcome(put(document, made), made, effect, lines)


def _keys_on_layer(document: Document, sequence: Sequence, name: str) -> Outcome:
    whole, made, renders = with_cuts_layer(document, sequence)
    label, layer = cuts_layer_of(whole, made)
    value = Motion().curves[name].value
    times = sorted({at for _, _, item in shots(sequence) for at in frames_of(item) if at >= 0})
    if not times:
        return Outcome(document, sequence, "nothing: there are no shots")
    new = _with_curve(layer, name, Curve(value, tuple(Key(at, value) for at in times)))
    if new == layer:
        return Outcome(document, sequence, "nothing: every shot has its pair")
    made = with_item(made, new)
    words = f"keys of {name} at the first and last frame of every shot"
    line = line_of(layer, label, words, "they move nothing: values are set there")
    effect = f"{counted(len(times), 'key')} of {name} on the layer {label} “{CUTS}”"
    return Outcome(put(whole, made), made, effect, [line], renders)


def _with_curve(item: Item, name: str, curve: Curve) -> Item:
    change: dict[str, Any] = {name: curve}
    return replace(item, motion=replace(item.motion or Motion(), **change))


def _marked(item: Item) -> Item:
    there = {(one.start, one.name) for one in item.markers}
    last = max(0, item.duration - 1)
    added = [
        one for one in (Marker(0, 0, "in"), Marker(last, 0, "out")) if (one.start, one.name) not in there
    ]
    return replace(item, markers=tuple(sorted((*item.markers, *added), key=lambda one: one.start)))


def _paired(curve: Curve, item: Item) -> tuple[Curve, str]:
    """A curve with keys at the first and the last frame of an item that change nothing of it, and why not
    where that cannot be."""
    keys = {key.time: key for key in curve.keys}
    order = sorted(keys)
    for at in dict.fromkeys((0, max(0, item.duration - 1))):
        if at in keys:
            continue
        before = max((time for time in order if time < at), default=None)
        after = min((time for time in order if time > at), default=None)
        ease = Ease.LINEAR
        if before is not None and after is not None:
            ease = keys[before].ease
            if ease not in (Ease.LINEAR, Ease.HOLD) or keys[after].ease.eases_in:
                return curve, f"its keys are eased around frame {at}"
        value = tuple(float(part) for part in curve_values(curve, np.array([float(at)]))[0])
        keys[at] = Key(at, value, ease)
        order = sorted(keys)
    return replace(curve, keys=tuple(keys[time] for time in order)), ""
