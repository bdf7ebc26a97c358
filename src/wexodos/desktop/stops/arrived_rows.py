"""What came, as rows for people: files with what they are and how they lie, events nothing came for."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from wexodos.homecoming.events import Event, events
from wexodos.homecoming.mixes import NO_DRIFT, Returned
from wexodos.homecoming.outcome import Home
from wexodos.homecoming.renders import NO_EVENT
from wexodos.homecoming.wanted import Holds
from wexodos.homecoming.whole import WHOLE, track_of
from wexodos.homecoming.words import (
    by_words,
    moved_words,
    render_words,
    role_words,
    sync_words,
    tracks_words,
    whole_words,
)
from wexodos.model.stems import STEMS
from wexodos.tidy.step import counted
from wexodos.timing import Exact, floor

_AS_EDIT = ((Holds.EDIT.value, "part of an edited cut, and no mix"),)
_CARRIED, _ADAPTED, _LEFT, _NOTED = "carried", "adapted", "left behind", "noted"


@dataclass(frozen=True, slots=True)
class Row:
    """A file that came, or an event nothing came for; ``path`` is the file's, ``sound`` what is known of one,
    ``choices`` what it can be said to be, each with its words; ``told`` that it has to be."""

    start: Exact
    stop: Exact
    track: str
    thing: str
    file: str
    by: str
    words: str
    fate: str
    item_id: str = ""
    detail: str = ""
    path: Path | None = None
    sound: Returned | None = None
    choices: tuple[tuple[str, str], ...] = ()
    out: bool = False
    told: bool = True


def rows_of(home: Home) -> list[Row]:
    """All that came and all that is missing: what needs a person first, then in the order of time."""
    parts = _open_rows(home), _whole_rows(home), _sound_rows(home), _render_rows(home), _other_rows(home)
    return [row for part in parts for row in part]


def _open_rows(home: Home) -> Iterator[Row]:
    for path, why, candidates in home.asked:
        choices = tuple(
            (
                one.event.item.id,
                f"{_name(one.event)} at {home.sequence.timecode(floor(one.event.item.start))}",
            )
            for one in candidates
        )
        yield Row(
            0,
            0,
            "",
            "to be told",
            path.name,
            "",
            why,
            _LEFT,
            path=path,
            choices=choices or _heard_as(home),
            told=False,
        )
    for refused, why in home.refused:
        event = refused.found.event
        by = ", ".join(way.value for way in refused.found.by)
        yield Row(*_stretch(event), _name(event), refused.path.name, by, why, _LEFT, event.item.id)
    for event, why in home.missing:
        yield Row(*_stretch(event), _name(event), "", "", why, _LEFT, event.item.id)
    for placed, why in home.changed:
        item = placed.item
        yield Row(item.start, item.end, placed.track, item.name, "", "", why, _LEFT, item.id)


def _whole_rows(home: Home) -> Iterator[Row]:
    for one in home.whole:
        words = whole_words(one, home.sequence)
        if home.whole_off:
            words += "; switched off: its clips came"
        yield Row(
            0,
            home.sequence.duration,
            track_of(one, home.document, home.sequence),
            "movie of the whole",
            one.path.name,
            one.by.value,
            words,
            _ADAPTED if one.offset or one.steps else _CARRIED,
            detail=f"certainty {one.certainty:.2f}",
            path=one.path,
            choices=_seen_as(home),
        )


def _sound_rows(home: Home) -> Iterator[Row]:
    for one in home.sounds:
        fine = in_sync(one)
        words = sync_words(one, home.sequence)
        if home.corrected and moved_words(one):
            words += f"; {moved_words(one)}"
        if one.path in home.silent:
            words += "; switched off: the mix holds it"
        yield Row(
            0,
            home.sequence.duration,
            tracks_words(one.tracks),
            role_words(one),
            one.path.name,
            by_words(one),
            words,
            _CARRIED if fine else _LEFT if one.offset is None else _ADAPTED,
            detail=f"certainty {one.found.certainty:.2f}",
            path=one.path,
            sound=one,
            choices=_heard_as(home) + (_AS_EDIT if one.within is not None else ()),
        )
        yield from _hole_rows(home, one)


def _hole_rows(home: Home, sound: Returned) -> Iterator[Row]:
    for hole in (hole for one, holes in home.holes if one.path == sound.path for hole in holes):
        words = f"nothing of it until {home.sequence.timecode(floor(hole.last))}"
        track = tracks_words(tuple(dict.fromkeys(one.track for one in hole.items)))
        name = next((one.item.name for one in hole.items if one.item.name), "sound")
        key = hole.items[0].item.id
        yield Row(hole.first, hole.last, track, name, sound.path.name, "", words, _LEFT, key)


def _render_rows(home: Home) -> Iterator[Row]:
    seen = _seen_as(home)
    for laid in home.renders:
        event = laid.matched.found.event
        yield Row(
            *_stretch(event),
            _name(event),
            laid.matched.path.name,
            ", ".join(way.value for way in laid.matched.found.by),
            render_words(laid),
            _ADAPTED if laid.offset or laid.doubled or any(laid.short) or laid.unsure else _CARRIED,
            event.item.id,
            "; ".join(f"{what.what.value}: {what.measured}" for what in laid.doubled),
            laid.matched.path,
            choices=seen,
        )


def _other_rows(home: Home) -> Iterator[Row]:
    for path in home.unwanted:
        yield Row(0, 0, "", "left out", path.name, "", "left out by you", _NOTED, path=path, out=True)
    seen = _seen_as(home) if home.others else ()
    for path, why in home.others:
        # A movie nothing speaks for may be said to be something all the same.
        movie = why == NO_EVENT
        there = path if movie else None
        yield Row(
            0,
            0,
            "",
            "not used",
            path.name,
            "",
            why,
            _NOTED,
            path=there,
            choices=seen if movie else (),
            told=False,
        )


def renders_words(home: Home) -> str:
    """How many renders came, how many of them are off, and how many hold something already."""
    if not home.renders:
        return ""
    off, twice = sum(bool(one.offset) for one in home.renders), sum(bool(one.doubled) for one in home.renders)
    where = "moved into place" if home.corrected else "late or early"
    told = [
        f"{off} {where}" if off else "",
        f"{twice} with something in it already" if twice else "",
    ]
    more = " and ".join(filter(None, told))
    return f"{counted(len(home.renders), 'render')} laid in{f' ({more})' if more else ''}"


def sounds_words(home: Home) -> str:
    """How many sounds came, and whether they are in sync."""
    if not home.sounds:
        return ""
    strange = sum(not one.known for one in home.sounds)
    out = [one for one in home.sounds if one.known and not in_sync(one)]
    moved = sum(home.corrected and _is_made_up_for(one) for one in out)
    off = len(out) - moved
    told = [f"{off} out of sync" if off else "", f"{moved} moved into sync" if moved else ""]
    told += [f"{strange} not of this cut" if strange else ""]
    more = f", {counted(_holes(home), 'hole')}" if _holes(home) else ""
    return f"{counted(len(home.sounds), 'sound')}, {' and '.join(filter(None, told)) or 'in sync'}{more}"


def in_sync(one: Returned) -> bool:
    """Whether a sound lies to the sample as the cut's does, all along."""
    found = one.found
    return one.offset == 0 and not found.steps and abs(found.drift) < NO_DRIFT and not found.inverted


def open_ones(home: Home) -> int:
    """How much of what came wants a person: what is missing, to be told or would do harm, and what is off
    where it lies."""
    moved = home.corrected
    off = [one.path for one in home.sounds if not (in_sync(one) or (moved and _is_made_up_for(one)))]
    if not moved:
        off += [one.matched.path for one in home.renders if one.offset]
    off += [one.path for one in home.whole if one.steps or (one.offset and not moved)]
    return len(home.missing) + len(home.asked) + len(home.refused) + len(off) + _holes(home)


def _holes(home: Home) -> int:
    return sum(len(one) for _, one in home.holes)


def _is_made_up_for(one: Returned) -> bool:
    """Whether moving, slowing down and cutting apart is all that a sound needs; tracks of a sequence are not
    cut."""
    return one.known and not one.found.inverted and (one.within is None or not one.found.steps)


def _stretch(event: Event) -> tuple[Exact, Exact, str]:
    return event.item.start, event.item.end, event.track


def _name(event: Event) -> str:
    return event.item.name or event.media.file_name


def _seen_as(home: Home) -> tuple[tuple[str, str], ...]:
    """What a movie can be said to be: one of the events, or all of them."""
    there = events(home.left.document, home.left.sequence)
    named = [
        (one.item.id, f"{_name(one)} at {home.sequence.timecode(floor(one.item.start))}") for one in there
    ]
    return *named, (WHOLE, "the movie of the whole")


def _heard_as(home: Home) -> tuple[tuple[str, str], ...]:
    """What a sound can be said to be."""
    tracks = [
        (label, track) for label, track in home.left.sequence.labelled_tracks() if track.kind == "audio"
    ]
    return (
        ("mix", "the mix"),
        *((key, f"the {key} stem") for key in STEMS),
        *((label, f"track {label} {track.name}".strip()) for label, track in tracks),
    )
