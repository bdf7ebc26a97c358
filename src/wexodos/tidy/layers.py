"""Every picture on a layer of its own: tracks of one item, dissolves as overlaps whose opacity rises."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import numpy as np

from wexodos.evaluate import Evaluator
from wexodos.evaluate.results import PictureSpan
from wexodos.evaluate.trimming import trimmed
from wexodos.model import Curve, Document, Item, Key, MediaUse, Motion, Sequence, Track, Transition
from wexodos.tidy.step import Line, Outcome, Touched, Values, counted, put
from wexodos.timing import Exact, ceil, exact, floor

_OPAQUE = Motion().opacity
_SLIVER = 0.01
"""Pixels by which the edge of a picture may lie inside the frame and still cover it."""


def layers(document: Document, sequence: Sequence, values: Values) -> Outcome:
    """Every picture item stands on a track of its own, in the order they lie over one another; of those of
    one track the later ones lie above.

    A dissolve becomes an overlap in which the opacity of the upper one rises: with B over A at the opacity p
    the picture is p·B + (1 − p)·A, as in a dissolve, where both cover the frame. Where that is not known, and
    for other transitions, the two stay on one track, with the reason.
    """
    made: list[Track] = []
    lines: list[Line] = []
    touched = Touched()
    overlaps = values["dissolves"] == "overlap"
    for label, track in sequence.labelled_tracks():
        if track.kind != "video":
            continue
        changed, joins = track, list(track.transitions)
        if overlaps:
            reasons = {join.id: _why_not(document, sequence, track, join) for join in joins}
            turned = [join for join in joins if not reasons[join.id]]
            changed = _overlapped(track, turned, sequence)
            for join in turned:
                touched.item("video", floor(join.start), ceil(join.end))
                lines.append(_told(join, label, "becomes keys of opacity"))
            joins = [join for join in joins if reasons[join.id]]
            lines += [_told(join, label, "stays a transition", reasons[join.id]) for join in joins]
        groups = _groups(changed, joins)
        if len(groups) < 2:
            made.append(changed)
            continue
        for items, kept in groups:
            name = items[0].name or items[0].kind
            made.append(replace(changed, items=tuple(items), transitions=tuple(kept), name=name, raw=()))
        lines.append(Line(0, sequence.duration, label, label, "", f"becomes {counted(len(groups), 'layer')}"))
    if not lines:
        return Outcome(document, sequence, "nothing: every picture has a track of its own")
    whole = replace(sequence, tracks=(*made, *sequence.audio_tracks))
    tracks = counted(len(sequence.video_tracks), "picture track")
    effect = f"{tracks} become{'s' if tracks.startswith('1 ') else ''} {counted(len(made), 'layer')}"
    return Outcome(put(document, whole), whole, effect, lines, touched=touched)


def _told(join: Transition, label: str, what: str, why: str = "") -> Line:
    return Line(join.start, join.end, label, join.name or join.type, join.id, what, why)


def _beside(track: Track, join: Transition) -> tuple[Item | None, Item | None]:
    """The items that end and begin at the cut of a transition."""
    return (
        next((one for one in track.items if one.end == join.cut), None),
        next((one for one in track.items if one.start == join.cut), None),
    )


def _why_not(document: Document, sequence: Sequence, track: Track, join: Transition) -> str:
    """Why a transition cannot be said by opacity; nothing where it can."""
    if join.type != "dissolve":
        return f"a {join.type.replace('-', ' ')} is no matter of opacity"
    if not all(isinstance(one, int) for one in (join.start, join.end)):
        return "it begins or ends between two frames"
    before, after = _beside(track, join)
    if before is None and after is None:
        return "nothing stands beside it"
    if any((one.motion or Motion()).opacity != _OPAQUE for one in (before, after) if one is not None):
        return "the opacity beside it is not 100 %"
    if before is None or after is None:
        return ""
    alone = replace(sequence, tracks=(replace(track, transitions=(join,)),))
    for one in (before, after):
        if one.blend != "normal":
            return f"“{one.name}” is blended"
        if (
            not isinstance(one.content, MediaUse)
            or one.still
            or any(effect.enabled for effect in one.effects)
        ):
            return f"whether “{one.name}” covers the frame is not known"
    for span in Evaluator(document).range(alone, int(join.start), int(join.end)).picture:
        if not _covers(span, sequence.frame_size):
            return f"“{span.item.name}” does not cover the frame, as far as it is known"
    return ""


def _covers(span: PictureSpan, frame: tuple[int, int]) -> bool:
    """Whether a picture hides all below it in every frame of a run."""
    media = span.media
    if media is None or not media.width or not {span.item.alpha, media.alpha} <= {None, "none"}:
        return False
    if span.rotation.any() or span.crop.any() or span.corners.any():
        return False
    middle = np.array(frame) / 2
    return bool((np.abs(span.size) / 2 - np.abs(span.center - middle) >= middle - _SLIVER).all())


def _overlapped(track: Track, joins: list[Transition], sequence: Sequence) -> Track:
    """The track with its items as long as they are seen in transitions, the incoming ones fading in."""
    at = {join.cut: join for join in joins}
    starts = {one.start for one in track.items}
    items = []
    for item in track.items:
        head, tail = at.get(item.start), at.get(item.end)
        # What lies before the first frame and behind the last was not seen and is not now.
        low = max(0, head.start) if head is not None else item.start
        high = min(sequence.duration, tail.end) if tail is not None else item.end
        # A fade that ends where the next begins needs one key there.
        keys: dict[Exact, float] = {}
        if head is not None:
            keys |= {0: _gone(head, low), head.end - low: 1.0}
        if tail is not None and tail.cut not in starts:
            keys |= {tail.start - low: 1.0, high - low: 1 - _gone(tail, high)}
        made = item if (low, high) == (item.start, item.end) else trimmed(item, low, high, sequence.rate)
        if keys:
            curve = Curve((1.0,), tuple(Key(time, (keys[time],)) for time in sorted(keys)))
            made = replace(made, motion=replace(made.motion or Motion(), opacity=curve))
        items.append(made)
    return replace(
        track, items=tuple(items), transitions=tuple(one for one in track.transitions if one not in joins)
    )


def _gone(join: Transition, place: Exact) -> float:
    """How far a transition has gone at a place, 0 to 1."""
    return float(Fraction(exact(place - join.start)) / Fraction(join.duration))


def _groups(track: Track, joins: list[Transition]) -> list[tuple[list[Item], list[Transition]]]:
    """Each item by itself; those that a transition holds together in one group."""
    cuts = {join.cut: join for join in joins}
    found: list[tuple[list[Item], list[Transition]]] = []
    for item in track.items:
        join = cuts.get(item.start)
        if found and join is not None and found[-1][0][-1].end == item.start:
            found[-1][0].append(item)
        else:
            found.append(([item], []))
        for one in (cuts.get(item.start), cuts.get(item.end)):
            if one is not None and one not in found[-1][1]:
                found[-1][1].append(one)
    return found
