"""What nobody sees or hears in a cut: nothing of it needs mending on the other side."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from itertools import accumulate

from wexodos.model import Document, Item, MediaUse, Sequence, Track
from wexodos.model.items import Motion
from wexodos.model.sequences import nests_of

_PLAIN = Motion()


def unseen(document: Document, sequence: Sequence) -> frozenset[str]:
    """The ids of items and transitions that are switched off, see-through, muted whole, or wholly behind a
    picture that fills the frame; and of everything inside nests that are only used by such."""
    known = document.sequences_by_id
    found: set[str] = set()
    shown = {sequence.id}
    waiting = [sequence]
    while waiting:
        current = waiting.pop()
        gone = set(_in_sequence(document, current))
        found |= gone
        for item in current.items():
            for used in nests_of(item) if item.id not in gone else ():
                if used in known and used not in shown:
                    shown.add(used)
                    waiting.append(known[used])
    for nested in document.reachable(sequence):
        if nested.id not in shown:
            found.update(item.id for item in nested.items())
            found.update(one.id for track in nested.tracks for one in track.transitions)
    return frozenset(found)


def _in_sequence(document: Document, sequence: Sequence) -> Iterator[str]:
    above: list[Item] = []
    for track in reversed([one for one in sequence.tracks if one.kind == "video"]):
        yield from _on_track(track, above)
        if track.enabled:
            above += [item for item in track.items if _fills(document, sequence, track, item)]
    for track in sequence.tracks:
        if track.kind == "audio":
            yield from _on_track(track, [])


def _on_track(track: Track, above: list[Item]) -> Iterator[str]:
    above = sorted(above, key=lambda one: one.start)
    starts = [one.start for one in above]
    ends = list(accumulate((one.end for one in above), max))
    gone = set()
    for item in track.items:
        # Of all that begin no later, the one that ends last hides it or none does.
        before = bisect_right(starts, item.start)
        behind = before > 0 and item.end <= ends[before - 1]
        if not track.enabled or behind or _nothing(item):
            gone.add(item.id)
            yield item.id
    for one in track.transitions:
        beside = [item for item in track.items if one.cut in (item.start, item.end)]
        if beside and all(item.id in gone for item in beside):
            yield one.id


def _nothing(item: Item) -> bool:
    """Whether an item shows and sounds nothing of itself."""
    if not item.enabled:
        return True
    opacity = item.motion.opacity if item.motion is not None else None
    if opacity is not None and not opacity.animated and opacity.still[0] <= 0:
        return True
    sound = item.sound
    return sound is not None and bool(sound.channels) and set(sound.channels) <= set(sound.muted)


def _fills(document: Document, sequence: Sequence, track: Track, item: Item) -> bool:
    """Whether an item hides all that is behind it, as far as that can be told without drawing it."""
    if not isinstance(item.content, MediaUse) or _nothing(item) or item.blend != "normal":
        return False
    media = document.media_by_id.get(item.content.media)
    if media is None or (media.width, media.height) != sequence.frame_size or not media.video:
        return False
    # A graphic of which nothing is said may well be see-through.
    see_through = {item.alpha, media.alpha} - {None, "none"}
    if see_through or item.still:
        return False
    moved = item.motion is not None and any(
        curve != _PLAIN.curves[name] for name, curve in item.motion.curves.items()
    )
    joined = any(one.start < item.end and item.start < one.end for one in track.transitions)
    return not moved and not joined and not any(one.enabled for one in item.effects)
