"""Items that do not go: their time stays empty, a note may stand in their place."""

from __future__ import annotations

from wexodos.compare import marker_key
from wexodos.ground.letters import name_of, words_of
from wexodos.model import Item, Marker
from wexodos.settling.changes import Reason
from wexodos.settling.context import Choice, Context, Lane, Work
from wexodos.settling.vocabulary import Cause, Fate, Kind
from wexodos.timing import ceil

_KINDS = {"title": Kind.TITLE, "generator": Kind.GENERATOR, "nested": Kind.NESTED, "multicam": Kind.ANGLES}


def kind_of(item: Item) -> Kind:
    """The kind of finding that an item itself belongs to."""
    return _KINDS.get(item.kind, Kind.CLIP)


def drop(
    context: Context,
    work: Work,
    lane: Lane,
    item: Item,
    cause: Cause,
    why: str,
    do: str,
    *,
    fate: Fate = Fate.LEFT,
    choice: Choice | None = None,
    minutes: float | None = None,
) -> Reason:
    """Take an item out, leaving its time empty; transitions that hung on it go with it."""
    reason = gone(context, work, lane, item, cause, why, do, fate=fate, choice=choice, minutes=minutes)
    work.take(lane, item, reason)
    loosen(context, work, lane, reason.fate)
    return reason


def gone(
    context: Context,
    work: Work,
    lane: Lane,
    item: Item,
    cause: Cause,
    why: str,
    do: str,
    *,
    fate: Fate = Fate.LEFT,
    choice: Choice | None = None,
    minutes: float | None = None,
) -> Reason:
    """The reason for taking an item out; its markers go with it."""
    reason = context.because(
        work,
        cause,
        item,
        lane.label,
        why,
        do,
        what=item.kind,
        kind=kind_of(item),
        fate=fate,
        choice=choice,
        minutes=minutes,
    )
    for marker in item.markers:
        at = item.start + marker.start
        context.because(
            work,
            Cause.NOTHING_TO_JOIN,
            (at, at + marker.duration),
            "",
            "the clip it stands on does not go over",
            "nothing, as long as the clip stays out",
            what="marker",
            kind=Kind.MARKER,
            fate=Fate.LEFT,
            item_id=marker_key(at, marker),
            name=marker.name or "marker",
            minutes=0,
            always=True,
        )
    return reason


def loosen(context: Context, work: Work, lane: Lane, fate: Fate) -> None:
    """Take out the transitions that join nothing any more."""
    if not lane.transitions:
        return
    edges = {one.start for one in lane.items} | {one.end for one in lane.items}
    for transition in [one for one in lane.transitions if one.cut not in edges]:
        reason = context.because(
            work,
            Cause.NOTHING_TO_JOIN,
            transition,
            lane.label,
            "what it joined does not go over",
            "nothing, as long as the clips stay out",
            what=transition.type,
            fate=fate,
            minutes=0,
        )
        work.take_join(lane, transition, reason)


def note_in_place(context: Context, work: Work, item: Item, words: str, reason: Reason) -> None:
    """Put a marker with ``words`` where an item stood."""
    # As it will be read again: without blanks around it and what is no letter.
    name = name_of(words.split("\n")[0][:120]).rstrip(" :")
    comment = words_of(words) if "\n" in words else ""
    plain = context.spells.markers.plain
    if plain is not None:
        name, comment = plain(name), plain(comment)
    marker = Marker(max(0, ceil(item.start)), max(0, ceil(item.duration)), name, comment)
    work.own.add(marker_key(marker.start, marker))
    work.mark(marker, reason)
