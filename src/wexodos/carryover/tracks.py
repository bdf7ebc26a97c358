"""Names, stems, locks, switches and outputs of tracks; tracks without items."""

from __future__ import annotations

from dataclasses import replace

from wexodos.carryover.inventory import pieces, without
from wexodos.model import Angles, NestedUse, Track
from wexodos.settling.changes import Reason
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Fate, Kind


def tracks(context: Context, work: Work) -> None:
    """What tracks can say there."""
    for lane in work.lanes:
        _words(context, work, lane)
        _foreign(context, work, lane)


def _words(context: Context, work: Work, lane: Lane) -> None:
    takes = context.destination.tracks
    track = lane.track
    lost: list[str] = []
    new = track
    if not takes.names:
        new, lost = _without_names(lane, track)
    if takes.names and context.spells.stems_on_clips and track.stem and not lane.items:
        lost.append("nothing stands on it to bear its stem")
        new = replace(new, stem=None)
    if track.locked and not (takes.names and takes.locks):
        lost.append("its lock has no form there")
        new = replace(new, locked=False)
    if track.output is not None and not (takes.names and takes.outputs):
        # The first pair is what everybody takes; only beyond it something is lost.
        if track.output > 2:
            lost.append(f"it goes to output {track.output}, which has no form there")
        new = replace(new, output=None)
    switched = not context.destination.sound.disabled_tracks and not track.enabled
    if switched:
        lost.append("a track has no switch there; its items are switched off instead")
        new = replace(new, enabled=True)
    reason = context.spelled()
    if lost:
        reason = track_words(context, work, lane, "; ".join(lost), lane.track.name or lane.label, None)
    work.put_track(lane, new, reason)
    if switched:
        for item in list(lane.items):
            work.put(lane, item, replace(item, enabled=False), reason)


def _without_names(lane: Lane, track: Track) -> tuple[Track, list[str]]:
    """The track where stems stand on clips as roles and tracks have no names."""
    lost = []
    new = replace(track, name="")
    if lane.kind == "audio" and not lane.items:
        if track.name or track.stem:
            lost.append("nothing stands on it to bear its name")
        return replace(new, stem=None), lost
    if lane.kind == "audio":
        new = replace(new, stem=track.role or "dialogue")
        if track.name and not track.stem:
            lost.append("its name becomes its role")
        elif track.name:
            lost.append("its name has no form there")
        if all(isinstance(item.content, NestedUse | Angles) for item in lane.items):
            if track.role:
                lost.append("nests and multi-angle clips have no role of their own")
            new = replace(new, stem=None)
    elif track.name:
        lost.append("its name has no form there")
    return new, lost


def track_words(context: Context, work: Work, lane: Lane, why: str, before: str, after: str | None) -> Reason:
    """The reason for a track that says less there."""
    return context.because(
        work,
        Cause.TRACK_WORDS,
        (0, 0),
        lane.label,
        why,
        "nothing",
        item_id=f"{work.sequence.id}:{lane.label}",
        name=after or lane.track.name or lane.label,
        before=before,
        after=after,
        minutes=0,
    )


def _foreign(context: Context, work: Work, lane: Lane) -> None:
    """Pieces of another dialect that hang on a track."""
    foreign = context.foreign(lane.track.raw)
    for name, group in pieces(foreign):
        reason = not_understood(context, work, name, (0, 0), lane.label, f"track:{lane.label}", len(group))
        work.put_track(lane, replace(lane.track, raw=without(lane.track.raw, group)), reason)


def not_understood(
    context: Context,
    work: Work,
    name: str,
    place: tuple[int, int],
    label: str,
    item_id: str,
    many: int = 1,
) -> Reason:
    """The reason for a piece, or for ``many`` of one name, that no reader understands and only its own
    dialect can hold."""
    often = f" (all {many} of them)" if many > 1 else ""
    return context.because(
        work,
        Cause.NOT_UNDERSTOOD,
        place,
        label,
        f"Wexodos does not understand this element{often}; it belongs to the other dialect",
        "kept for the way back",
        what=name,
        fate=Fate.LEFT,
        item_id=item_id,
        name=f"{label} {name}".strip(),
    )


def empty_tracks(context: Context, work: Work) -> None:
    """Tracks without items where the dialect has no form for them."""
    if context.destination.tracks.empty:
        return
    pictures = any(lane.items for lane in work.lanes if lane.kind == "video")
    for number, lane in enumerate(list(work.lanes)):
        if lane.items or (number == 0 and lane.kind == "video" and pictures):
            continue
        reason = context.because(
            work,
            Cause.EMPTY_TRACK,
            (0, 0),
            lane.label,
            "an empty track has no form there",
            "nothing; the tracks above move down",
            kind=Kind.TRACK,
            fate=Fate.LEFT,
            item_id=f"{work.sequence.id}:{lane.label}",
            name=lane.label,
            minutes=0,
        )
        work.take_lane(lane, reason)
