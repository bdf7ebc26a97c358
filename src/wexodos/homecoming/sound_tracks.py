"""Sound that came home, laid into its cut: on tracks of its own; what it takes the place of is switched off
and stays."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from wexodos.evaluate.trimming import trimmed
from wexodos.ground.names import fresh
from wexodos.homecoming.holes import Hole, Span, holes_of
from wexodos.homecoming.mixes import Returned, Role
from wexodos.homecoming.within import RATE, Within
from wexodos.model import Constant, Document, Item, Media, MediaUse, NestedUse, Sequence, Sound, Track
from wexodos.model.speed import source_at
from wexodos.sound.sync import Step
from wexodos.timing import Exact, exact, floor


def laid(
    document: Document,
    sequence: Sequence,
    sounds: list[Returned],
    corrected: bool,
    silent: frozenset[Path] = frozenset(),
) -> tuple[Document, Sequence, dict[str, Returned]]:
    """The cut with sounds on tracks of their own, one a file, all its channels together, or one a track of
    the sequence it came in. What they take the place of is switched off and stays, and so are the tracks of
    those that are to be ``silent``. Where one is out of sync it is moved by that, and a file is played as
    much faster as it drifts and cut where it follows another cut, only if ``corrected``. And what each of the
    items is of, by their ids."""
    media, tracks, nests = list(document.media), list(sequence.tracks), list(document.sequences)
    placed: dict[str, Returned] = {}
    off = {label for one in sounds if one.path not in silent for label in one.tracks}
    labels = {id(track): label for label, track in sequence.labelled_tracks()}
    tracks = [replace(one, enabled=False) if labels[id(one)] in off else one for one in tracks]
    ids = {one.id for one in media} | {one.id for one in sequence.items()}
    ids |= {one.id for one in nests}
    for one in sounds:
        name = one.stem.capitalize() if one.role is Role.STEM else one.path.stem
        if one.within is not None:
            place = one.place - (one.offset or 0 if corrected else 0)
            track, more, nested = _unfolded(
                one.within, place / (one.facts.sample_rate or RATE), sequence, ids
            )
            media += more
            nests += nested
        else:
            medium = _medium(one, fresh("returned", ids), sequence)
            media.append(medium)
            track = Track("audio", tuple(_items(one, medium.id, ids, corrected, sequence)))
        if track.items:
            on = one.path not in silent
            tracks.append(replace(track, name=name, stem=one.stem or None, enabled=on))
            placed |= dict.fromkeys((item.id for item in track.items), one)
    made = replace(sequence, tracks=tuple(tracks))
    within = tuple(made if one.id == made.id else one for one in nests)
    return replace(document, media=tuple(media), sequences=within), made, placed


def _medium(one: Returned, key: str, sequence: Sequence) -> Media:
    rate = one.facts.sample_rate or RATE
    return Media(
        key,
        one.path.name,
        str(one.path.resolve()),
        duration=floor((Fraction(one.facts.seconds or 0) + Fraction(1, rate)) * sequence.rate.fps),
        rate=sequence.rate,
        channels=one.facts.channels,
        sample_rate=rate,
        audio=True,
    )


def _unfolded(
    within: Within, place: Fraction, sequence: Sequence, ids: set[str]
) -> tuple[Track, list[Media], list[Sequence]]:
    """A track of a sequence that came, as it lies in the cut when that sequence begins ``place`` seconds into
    it, or all of it nested in one item; with the media and the nest it needs."""
    came = within.sequence
    shift = Fraction(sequence.rate.frames(exact(place)))
    # By whole frames; its sources make up for the rest.
    frames = -floor(-shift)
    by = exact(frames - shift)
    again: dict[str, str] = {}
    media: list[Media] = []

    def own(item: Item) -> Item:
        """An item with its medium as one of the cut."""
        if not isinstance(item.content, MediaUse):
            return item
        before = within.document.media_by_id[item.content.media]
        if before.id not in again:
            again[before.id] = fresh("returned", ids)
            # What stands in the sequence file is taken out of it where the cut is written.
            found = within.locate(before) if before.embedded is None else None
            path = str(found.resolve()) if found is not None else before.path
            media.append(replace(before, id=again[before.id], path=path))
        return replace(item, content=MediaUse(again[before.id]))

    if within.track is None:
        inside = tuple(
            replace(one, items=tuple(map(own, one.items))) for one in came.tracks if one.kind == "audio"
        )
        nest = replace(came, id=fresh("returned-mix", ids), tracks=inside, top_level=False)
        first, last = max(0, frames), min(sequence.duration, frames + floor(came.duration - by))
        source = sequence.rate.seconds(exact(first - shift))
        key = fresh(f"{nest.id}-item", ids)
        item = Item(key, came.name, first, last - first, NestedUse(nest.id), source, sound=Sound())
        return Track("audio", (item,) if last > first else ()), media, [nest]
    items = []
    for item in within.track.items:
        source, _ = source_at(item.speed, item.source_in, by, sequence.rate)
        key = fresh(f"returned-{item.id}", ids)
        moved = replace(item, id=key, start=item.start + frames, source_in=source, link=None)
        low, high = max(0, moved.start), min(sequence.duration, moved.end)
        if (low, high) == (moved.start, moved.end):
            items.append(own(moved))
        elif low < high:
            items.append(own(trimmed(moved, low, high, sequence.rate)))
    moved_joins = (
        replace(one, id=fresh(f"returned-{one.id}", ids), start=one.start + frames, cut=one.cut + frames)
        for one in within.track.transitions
    )
    joins = tuple(
        one for one in moved_joins if one.start >= 0 and one.start + one.duration <= sequence.duration
    )
    return replace(within.track, items=tuple(items), transitions=joins), media, []


def taken_out(home: Sequence, left: Sequence) -> Sequence:
    """The cut that came home without what was laid in, and with what that takes the place of switched on as
    it was: what is different then was changed by nobody's wish."""
    before = {label: track.enabled for label, track in left.labelled_tracks()}
    tracks = tuple(
        replace(track, enabled=before[label]) for label, track in home.labelled_tracks() if label in before
    )
    return replace(home, tracks=tracks)


def _items(one: Returned, media: str, ids: set[str], corrected: bool, sequence: Sequence) -> Iterator[Item]:
    """The clips of a file: one as it came; moved to where it belongs one for each stretch in which it follows
    the cut."""
    place, pace, own = one.place, Fraction(1), one.facts.sample_rate or RATE
    steps: tuple[Step, ...] = ()
    if corrected and one.offset is not None:
        # To the sample: less than half of one is no reason to begin a frame later.
        place, pace, steps = place - one.offset, one.pace, one.found.steps
    begins: list[tuple[Exact, Exact, Fraction]] = [(0, 0, place)]
    for step in steps:
        place -= step.samples
        # What it has not got of the cut there is silent; what it has more is not played.
        behind = Fraction(step.at, RATE) + Fraction(max(0, -step.samples), own)
        begins.append((_nearest(Fraction(step.at, RATE), sequence), _nearest(behind, sequence), place))
    ends = [until for until, _, _ in begins[1:]] + [sequence.duration]
    for (_, first, stands), last in zip(begins, ends):
        made = _item(one, media, fresh(f"{media}-item", ids), (first, last), stands, pace, sequence)
        if made is not None:
            yield made


def _nearest(seconds: Fraction, sequence: Sequence) -> Exact:
    """The frame that begins nearest to a time from the beginning of the cut."""
    return floor(sequence.rate.frames(exact(seconds)) + Fraction(1, 2))


def _item(
    one: Returned,
    media: str,
    key: str,
    span: tuple[Exact, Exact],
    place: Fraction,
    pace: Fraction,
    sequence: Sequence,
) -> Item | None:
    """The clip of a file, within a span of frames, that is played at a pace, and whose first sample would
    stand at a place if it were played as it is from the beginning of the cut on: from whole frame to whole
    frame, the source to the sample. What lies before the cut or behind it – leader, pops, a tail – stays in
    the file."""
    rate = one.facts.sample_rate or RATE
    # A frame of the cut is so many samples of the file.
    frame = Fraction(rate) * pace / Fraction(sequence.rate.fps)
    start = max(span[0], -floor(-place / frame))
    source = (start * frame - place) / rate
    # A last frame that is not whole by less than a sample is whole.
    last = min(span[1], floor((place + Fraction(one.facts.seconds or 0) * rate + 1) / frame))
    duration: Exact = last - start
    if duration <= 0:
        return None
    sound = Sound(channels=tuple(range(1, one.facts.channels + 1)))
    speed = Constant(exact(pace))
    return Item(key, one.path.stem, start, duration, MediaUse(media), exact(source), speed=speed, sound=sound)


def holes_left(
    left: Sequence, home: Sequence, placed: dict[str, Returned]
) -> list[tuple[Returned, list[Hole]]]:
    """Where the cut that left lets something be heard and a file that takes its place has nothing: it begins
    late, ends early, or was cut apart there."""
    spans: dict[Path, list[Span]] = {}
    for track in home.audio_tracks:
        for item in track.items:
            if item.id in placed and track.enabled:
                spans.setdefault(placed[item.id].path, []).append((item.start, item.end))
    files = {one.path: one for one in placed.values() if one.within is None and one.path in spans}
    found = [(one, holes_of(left, set(one.tracks), spans[path])) for path, one in files.items()]
    return [(one, holes) for one, holes in found if holes]
