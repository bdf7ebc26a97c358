"""Settling steps of formats whose clips and tracks say less than both XML dialects: names, notes, switches of
filters."""

from __future__ import annotations

from dataclasses import replace

from wexodos.ground.letters import LONGEST_NAME, name_of
from wexodos.model import Item, MediaUse, Title, Track
from wexodos.settling.changes import Reason
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Fate


def names(context: Context, work: Work) -> None:
    """Names of tracks and clips; switches of filters; what a track says that has no form."""
    _sequence(context, work)
    for lane in work.lanes:
        _track(context, work, lane)
        for item in list(lane.items):
            _item(context, work, lane, item)


def _plain(context: Context, name: str, length: int) -> str:
    """The name as it can be written there."""
    plain = context.spells.names.plain
    return plain(name, length) if plain is not None else name


def _track(context: Context, work: Work, lane: Lane) -> None:
    track = lane.track
    spoken = track.name or (track.stem or "" if lane.kind == "audio" else "")
    name = _plain(context, spoken, context.spells.names.track_length)
    new = replace(track, name=name, stem=None)
    reason = context.spelled(Cause.TRACK_WORDS)
    if name != track.name or Track(track.kind, name=name).role != track.role:
        reason = context.because(
            work,
            Cause.TRACK_WORDS,
            (0, 0),
            lane.label,
            "a track has one name there; its stem is part of it",
            "nothing",
            item_id=f"{work.sequence.id}:{lane.label}",
            name=name or lane.label,
            before=f"{track.name} ({track.stem})",
            after=name,
            minutes=0,
        )
    work.put_track(lane, new, reason)


def _sequence(context: Context, work: Work) -> None:
    """The sequence's name in plain letters."""
    sequence = work.sequence
    name = _plain(context, sequence.name, context.spells.names.name_length)
    name = name or "Sequence"
    if name == sequence.name:
        return
    reason = context.because(
        work,
        Cause.NO_SETTING,
        (0, sequence.duration),
        "",
        f"names are plain ASCII of {context.spells.names.name_length} letters there"
        if context.spells.names.plain is not None
        else "a sequence must have a name there",
        "nothing",
        what="name",
        item_id="",
        name=sequence.name,
        before=sequence.name,
        after=name,
        minutes=0,
    )
    work.put_settings(replace(sequence, name=name), reason)


def square_and_progressive(context: Context, work: Work) -> None:
    """What nothing says there of a sequence: pixels are square, frames progressive."""
    whole = work.sequence
    if whole.pixel_aspect != 1:
        reason = _unsaid(context, work, "pixel aspect", str(whole.pixel_aspect), "1")
        work.put_settings(replace(work.sequence, pixel_aspect=1), reason)
    if whole.field_order != "progressive":
        reason = _unsaid(context, work, "field order", whole.field_order, "progressive")
        work.put_settings(replace(work.sequence, field_order="progressive"), reason)


def _unsaid(context: Context, work: Work, what: str, before: str, after: str) -> Reason:
    return context.because(
        work,
        Cause.NO_SETTING,
        (0, work.sequence.duration),
        "",
        "nothing says it there",
        "nothing",
        what=what,
        fate=Fate.LEFT,
        item_id="",
        name=what,
        before=before,
        after=after,
        minutes=0,
    )


def _item(context: Context, work: Work, lane: Lane, item: Item) -> None:
    item = _named(context, work, lane, item)
    for effect in [one for one in item.effects if not one.enabled]:
        reason = context.because(
            work,
            Cause.FILTER_OFF,
            item,
            lane.label,
            "a filter that is switched off has no form there",
            "filter it again there, if it is wanted",
            what=effect.name,
            fate=Fate.LEFT,
            before=effect.name,
            minutes=0,
        )
        rest = tuple(one for one in item.effects if one is not effect)
        item = work.put(lane, item, replace(item, effects=rest), reason)
    if item.metadata and not context.destination.tracks.metadata:
        words = "; ".join(f"{key}: {value}" for key, value in item.metadata)
        reason = _left(
            context, work, lane, item, Cause.NO_FIELDS, "metadata", "clips have no fields there", words
        )
        item = work.put(lane, item, replace(item, metadata=()), reason)
    if item.note and not context.destination.tracks.notes:
        reason = _left(
            context, work, lane, item, Cause.NO_NOTES, "note", "clips have no notes there", item.note
        )
        item = work.put(lane, item, replace(item, note=""), reason)
    note = _plain(context, item.note, LONGEST_NAME)
    if note != item.note:
        reason = _left(
            context,
            work,
            lane,
            item,
            Cause.NO_NOTES,
            "note",
            f"notes are one line of plain letters there, {LONGEST_NAME} at the most",
            item.note,
        )
        work.put(lane, item, replace(item, note=note), reason)


def _left(
    context: Context, work: Work, lane: Lane, item: Item, cause: Cause, what: str, why: str, words: str
) -> Reason:
    return context.because(
        work,
        cause,
        item,
        lane.label,
        why,
        "nothing",
        what=what,
        fate=Fate.LEFT,
        before=words[:300],
        minutes=0,
    )


def _named(context: Context, work: Work, lane: Lane, item: Item) -> Item:
    if not item.name:
        use = item.content
        media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
        name = media.name or media.file_name if media is not None else ""
        if isinstance(use, Title):
            name = use.words
        name = name_of(name) or item.kind
        why = "clips must have a name there; it gets that of its medium, or its words"
        item = _renamed(context, work, lane, item, name, Cause.UNNAMED, why)
    name = _plain(context, item.name, context.spells.names.name_length)
    if name == item.name:
        return item
    why = f"names are plain ASCII of {context.spells.names.name_length} letters there"
    return _renamed(context, work, lane, item, name or "clip", Cause.PLAIN_NAMES, why)


def _renamed(context: Context, work: Work, lane: Lane, item: Item, name: str, cause: Cause, why: str) -> Item:
    reason = context.because(
        work, cause, item, lane.label, why, "nothing", what="name", before=item.name, after=name, minutes=0
    )
    return work.put(lane, item, replace(item, name=name), reason)
