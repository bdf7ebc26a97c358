"""An .otio file as a document.

What stands in the format's own words is what counts; our metadata beside it gives the exact number wherever
both agree, and everything the format has no words for. So a cut that another program changed is read as it
was changed.
"""

from __future__ import annotations

import json
import re
from dataclasses import replace
from fractions import Fraction
from typing import Any

import opentimelineio as otio
from opentimelineio import schema

from wexodos.formats.errors import ReadError
from wexodos.formats.otio.timecoded import timecoded
from wexodos.formats.otio.untaken import untaken
from wexodos.formats.otio.writer import COLORS, OURS
from wexodos.formats.paths import is_still_name, path_of
from wexodos.formats.taken import listed
from wexodos.model import (
    NORMAL,
    Constant,
    Content,
    Document,
    Fade,
    Folder,
    Generator,
    Item,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Note,
    Sequence,
    Sound,
    TextRun,
    Title,
    Track,
    Transition,
)
from wexodos.model.plain import PlainError, from_plain
from wexodos.timing import Exact, Rate, exact
from wexodos.timing.rates import snap

DEEPEST = 200
MOST_ITEMS = 400_000
NEAR = 1e-5
"""Frames by which a number of the format, a double, may lie beside the exact one."""


def matches(head: bytes) -> bool:
    start = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    return start[:1] == b"{" and b'"OTIO_SCHEMA"' in head


def read(data: bytes) -> Document:
    """Read an .otio file. Raises ``ReadError``."""
    _shallow(data)
    try:
        text = data.decode("utf-8-sig")
        # The library ends the process where the text is no JSON.
        json.loads(text)
        found = otio.adapters.read_from_string(text, "otio_json")
    except UnicodeDecodeError:
        raise ReadError("the text is not UTF-8") from None
    except Exception as error:
        told = re.sub(r"\s+", " ", str(error))[:120]
        raise ReadError(f"the .otio cannot be read: {told}") from None
    timelines = [found] if isinstance(found, schema.Timeline) else []
    if isinstance(found, schema.SerializableCollection):
        timelines = [one for one in found if isinstance(one, schema.Timeline)]
    if isinstance(found, schema.Stack):
        timelines = [schema.Timeline(found.name)]
        timelines[0].tracks = found
    if not timelines:
        raise ReadError("the .otio holds no timeline")
    try:
        made = _Reader().document(timelines)
        notes, kept = listed(list(untaken(text)), "otio")
        return replace(made, notes=(*made.notes, *notes), raw=(*made.raw, *kept))
    except (ReadError, RecursionError, MemoryError):
        raise
    except (
        PlainError,
        ValueError,
        TypeError,
        KeyError,
        AttributeError,
        ZeroDivisionError,
        OverflowError,
    ) as error:
        raise ReadError(f"the .otio is damaged ({type(error).__name__})") from None


def _shallow(data: bytes) -> None:
    """Refuse what is nested so deeply that a parser would run out of stack."""
    depth, deepest, quoted, escaped = 0, 0, False, -1
    for one in re.finditer(rb'["\\{}\[\]]', data):
        sign = one.group()
        if quoted:
            if escaped == one.start():
                continue
            if sign == b"\\":
                escaped = one.start() + 1
            elif sign == b'"':
                quoted = False
        elif sign == b'"':
            quoted = True
        elif sign in b"{[":
            depth += 1
            deepest = max(deepest, depth)
            if deepest > DEEPEST:
                raise ReadError("things are nested too deeply")
        elif sign in b"}]":
            depth -= 1


class _Reader:
    def __init__(self) -> None:
        self.media: dict[str, Media] = {}
        self.nested: dict[str, Sequence] = {}
        self.keys: dict[tuple[Any, ...], str] = {}
        self.notes: list[Note] = []
        self.unsaid: set[str] = set()
        self.count = 0
        self.format, self.version = "otio", "1"

    def document(self, timelines: list[Any]) -> Document:
        top: list[Sequence] = []
        folders: tuple[Folder, ...] = ()
        raw: tuple[Any, ...] = ()
        for number, timeline in enumerate(timelines, 1):
            ours = _ours(timeline)
            top.append(
                self._sequence(
                    timeline.tracks,
                    ours.get("sequence"),
                    timeline.name or ("" if ours.get("sequence") else f"Timeline {number}"),
                    f"sequence-{number}",
                    timeline.global_start_time,
                    True,
                    0,
                )
            )
            for one in _list(ours.get("media")):
                self._keep(from_plain(one))
            folders += tuple(from_plain(one) for one in _list(ours.get("folders")))
            raw += tuple(from_plain(one) for one in _list(ours.get("raw")))
        inside = [one for one in self.nested.values() if one.id not in {own.id for own in top}]
        found = Document(
            "otio", "1", (*top, *inside), tuple(self.media.values()), tuple(self.notes[:500]), folders, raw
        )
        return timecoded(found, self.unsaid)

    def _keep(self, media: Any) -> Media:
        if not isinstance(media, Media):
            raise PlainError("not a medium")
        return self.media.setdefault(media.id, media)

    # ---- sequences

    def _sequence(
        self, stack: Any, facts: Any, name: str, key: str, start: Any, top: bool, depth: int
    ) -> Sequence:
        if depth > DEEPEST // 4:
            raise ReadError("things are nested too deeply")
        base = from_plain(facts) if facts else None
        if base is not None and not isinstance(base, Sequence):
            raise PlainError("not a sequence")
        rate = base.rate if base is not None else self._rate(stack, start)
        tracks = []
        for number, one in enumerate(stack, 1):
            track = one
            if not isinstance(one, schema.Track):
                # A clip right in a stack is a track with nothing else on it.
                track = schema.Track("", [one.clone()])
            tracks.append(self._track(track, rate, f"{key}/{number}", depth))
        tracks.sort(key=lambda one: one.kind == "audio")
        markers = tuple(self._marker(one, rate, 0) for one in getattr(stack, "markers", ()))
        if base is not None:
            return replace(
                base,
                name=name if top or not base.name else base.name,
                tracks=tuple(tracks),
                markers=markers,
                top_level=top or base.top_level,
            )
        first = _frames(start, rate) if start is not None else 0
        return Sequence(key, name, rate, round(first), tracks=tuple(tracks), markers=markers, top_level=top)

    def _rate(self, stack: Any, start: Any) -> Rate:
        if start is not None and start.rate > 0:
            return _as_rate(start.rate)
        for clip in stack.find_clips():
            if clip.source_range is not None and 1 < clip.source_range.duration.rate < 1000:
                return _as_rate(clip.source_range.duration.rate)
        self.notes.append(
            Note(
                "warning", "reading", stack.name, "nothing says its picture rate; it is taken to be 25 frames"
            )
        )
        return Rate(25)

    def _track(self, track: Any, rate: Rate, key: str, depth: int) -> Track:
        ours = _ours(track).get("track")
        base = from_plain(ours) if ours else None
        kind = "audio" if str(track.kind).lower() == "audio" else "video"
        items: list[Item] = []
        transitions: list[Transition] = []
        cursor: Exact = 0
        # So many of the last transitions wait for the item they lead into.
        waiting = 0
        coming: Fade | None = None
        for number, child in enumerate(track):
            self.count += 1
            if self.count > MOST_ITEMS:
                raise ReadError(f"it holds more than {MOST_ITEMS} clips")
            if isinstance(child, schema.Transition):
                if _ours(child).get("fade"):
                    # The item beside it says the same of itself.
                    continue
                fade = _fade_of(track, number, rate) if kind == "audio" else None
                if fade is not None and fade[0] == "in":
                    coming = fade[1]
                    continue
                if fade is not None and items and items[-1].end == cursor:
                    items[-1] = _faded(items[-1], fade_out=fade[1])
                    continue
                made = self._transition(child, cursor, rate, kind, f"{key}.t{number}")
                transitions.append(made)
                waiting += 1
                continue
            duration = self._duration(child, rate)
            item = (
                None
                if isinstance(child, schema.Gap)
                else self._item(child, kind, cursor, duration, rate, f"{key}.{number}", depth)
            )
            if item is not None and coming is not None:
                item = _faded(item, fade_in=coming)
            coming = None
            if item is not None:
                # Our exact numbers agree with the doubles by now, so the next item begins where this one
                # ends.
                items.append(item)
                for place in range(len(transitions) - waiting, len(transitions)):
                    transitions[place] = _moved(transitions[place], item.start)
                cursor = item.end
            else:
                cursor = exact(cursor + duration)
            waiting = 0
        if isinstance(base, Track):
            return replace(
                base,
                kind=kind,
                name=track.name or "",
                enabled=track.enabled,
                items=tuple(items),
                transitions=tuple(transitions),
            )
        return Track(kind, tuple(items), tuple(transitions), track.name or "", track.enabled)

    def _duration(self, child: Any, rate: Rate) -> Exact:
        try:
            length = child.duration()
        except Exception:
            return 0
        return max(_frames(length, rate), 0)

    # ---- items

    def _item(
        self, child: Any, kind: str, start: Exact, duration: Exact, rate: Rate, key: str, depth: int
    ) -> Item | None:
        ours = _ours(child)
        base = from_plain(ours["item"]) if ours.get("item") else None
        markers = tuple(self._marker(one, rate, 0) for one in child.markers)
        if isinstance(base, Item):
            for one in _list(ours.get("media")):
                self._keep(from_plain(one))
            for number, one in enumerate(_list(ours.get("angles")), 1):
                if isinstance(one, schema.Stack):
                    self._nest(one, rate, f"{key}/angle-{number}", depth)
            start = base.start if _near(base.start, start) else start
            duration = base.duration if _near(base.duration, duration) else duration
        content, source = self._content(child, kind, rate, key, depth, base)
        if content is None or duration <= 0:
            return None
        if isinstance(base, Item):
            moved = source is not None and abs(float(source - base.source_in)) > NEAR
            return replace(
                base,
                name=child.name or "",
                start=start,
                duration=duration,
                content=content,
                enabled=child.enabled,
                source_in=source if moved and source is not None else base.source_in,
                markers=markers,
            )
        speed, still = NORMAL, False
        for effect in child.effects:
            if isinstance(effect, schema.FreezeFrame):
                speed = Constant(0)
            elif isinstance(effect, schema.LinearTimeWarp):
                speed = Constant(exact(Fraction(effect.time_scalar).limit_denominator(1000)))
        if isinstance(content, MediaUse):
            still = self.media[content.media].still
        return Item(
            key,
            child.name or "",
            start,
            duration,
            content,
            0 if still else source or 0,
            speed if not still else NORMAL,
            child.enabled,
            Motion(fit="fit") if kind == "video" else None,
            Sound((1,)) if kind == "audio" else None,
            markers=markers,
            still=still,
        )

    def _content(
        self, child: Any, kind: str, rate: Rate, key: str, depth: int, base: Item | None
    ) -> tuple[Content | None, Exact | None]:
        """What a child shows and from where, in seconds; the place None where only our own number can say
        it."""
        if isinstance(child, schema.Stack | schema.Track):
            content, at = self._nest(child, rate, key, depth)
            if base is not None and isinstance(base.content, NestedUse) and isinstance(content, NestedUse):
                content = replace(content, silent=base.content.silent)
            return content, at
        if base is not None and not isinstance(base.content, MediaUse):
            if isinstance(base.content, NestedUse) and base.content.sequence not in self.nested:
                return None, None
            return base.content, None
        reference = child.media_reference
        if isinstance(reference, schema.GeneratorReference):
            if reference.generator_kind == "title":
                return Title((TextRun(str(reference.parameters.get("words", child.name))),)), 0
            return Generator(reference.generator_kind or "other", reference.name or ""), 0
        media = self._medium(reference, child, kind, rate)
        if media is None:
            return None, None
        if child.source_range is None:
            return MediaUse(media.id), 0
        own = media.rate or rate
        first = (media.start or 0) if media.rate is not None else 0
        at = own.seconds(_frames(child.source_range.start_time, own) - first)
        return MediaUse(media.id), exact(at)

    def _medium(self, reference: Any, child: Any, kind: str, rate: Rate) -> Media | None:
        told = _ours(reference).get("media") if reference is not None else None
        if told:
            media = self._keep(from_plain(told))
            path = _path(reference)
            if path and media.path and path != media.path:
                # Relinked by another program.
                media = replace(media, path=path)
                self.media[media.id] = media
            return media
        if reference is None and child.source_range is None:
            return None
        path = _path(reference)
        name = (
            (path.replace("\\", "/").rsplit("/", 1)[-1] if path else "")
            or getattr(reference, "name", "")
            or child.name
            or "missing"
        )
        there = getattr(reference, "available_range", None)
        identity = (path, name, str(there))
        known = self.keys.get(identity)
        if known is not None:
            media = self.media[known]
            media = replace(media, video=media.video or kind == "video", audio=media.audio or kind == "audio")
        else:
            own = (
                _as_rate(there.duration.rate)
                if there is not None and 1 < there.duration.rate < 1000
                else rate
            )
            media = Media(
                f"m-{len(self.media) + 1}",
                name,
                path or None,
                start=round(_frames(there.start_time, own)) if there is not None else None,
                duration=_frames(there.duration, own) if there is not None else None,
                rate=own if there is not None else None,
                video=kind == "video",
                audio=kind == "audio",
                still=is_still_name(name),
            )
            self.keys[identity] = media.id
            if there is None:
                self.unsaid.add(media.id)
        self.media[media.id] = media
        return media

    def _nest(self, child: Any, rate: Rate, key: str, depth: int) -> tuple[Content, Exact]:
        facts = _ours(child).get("sequence")
        stack = child
        if isinstance(child, schema.Track):
            stack = schema.Stack(child.name, [child.clone()])
            stack.source_range = child.source_range
        made = self._sequence(stack, facts, child.name, f"nest-{key}", None, False, depth + 1)
        own = replace(made, markers=made.markers[: int(_ours(child).get("markers", 0))] if facts else ())
        self.nested.setdefault(own.id, own)
        start = child.source_range.start_time if child.source_range is not None else None
        return NestedUse(own.id), exact(
            own.rate.seconds(_frames(start, own.rate))
        ) if start is not None else 0

    def _transition(self, child: Any, cursor: Exact, rate: Rate, kind: str, key: str) -> Transition:
        into, out = _frames(child.in_offset, rate), _frames(child.out_offset, rate)
        ours = _ours(child).get("transition")
        base = from_plain(ours) if ours else None
        if isinstance(base, Transition):
            if _near(base.cut, cursor) and _near(base.start, cursor - into) and _near(base.end, cursor + out):
                return base
            return replace(base, start=exact(cursor - into), duration=exact(into + out), cut=cursor)
        word = "dissolve" if kind == "video" else "audio-equal-power"
        if kind == "video" and child.transition_type not in ("SMPTE_Dissolve", "", None):
            word = "other"
        return Transition(
            key, child.name or "Transition", word, exact(cursor - into), exact(into + out), cursor
        )

    def _marker(self, one: Any, rate: Rate, shift: Exact) -> Marker:
        start, duration = _frames(one.marked_range.start_time, rate), _frames(one.marked_range.duration, rate)
        ours = _ours(one).get("marker")
        base = from_plain(ours) if ours else None
        if isinstance(base, Marker):
            return replace(
                base,
                start=base.start if _near(base.start, start) else start,
                duration=base.duration if _near(base.duration, duration) else duration,
                name=one.name or "",
                comment=one.comment or "",
            )
        return Marker(
            exact(start + shift),
            duration,
            one.name or "",
            one.comment or "",
            COLORS.get(str(one.color or "").upper()),
        )


def _moved(one: Transition, cut: Exact) -> Transition:
    """A transition on the exact cut that its neighbour told."""
    if one.cut == cut or not _near(one.cut, cut):
        return one
    return replace(one, start=exact(one.start + cut - one.cut), cut=cut)


def _near(one: Exact, other: Exact) -> bool:
    return abs(float(one - other)) <= NEAR


def _fade_of(track: Any, number: int, rate: Rate) -> tuple[str, Fade] | None:
    """A transition of others from or to nothing: which way, and how long. How it runs is not said; equal
    power is what transitions of sound are taken for."""
    child = track[number]
    if _ours(child).get("transition"):
        return None
    into, out = _frames(child.in_offset, rate), _frames(child.out_offset, rate)
    before = track[number - 1] if number else None
    after = track[number + 1] if number + 1 < len(track) else None
    if into == 0 and out > 0 and (before is None or isinstance(before, schema.Gap)):
        return "in", Fade(out, "equal-power")
    if out == 0 and into > 0 and (after is None or isinstance(after, schema.Gap)):
        return "out", Fade(into, "equal-power")
    return None


def _faded(item: Item, **fades: Fade) -> Item:
    return item if item.sound is None else replace(item, sound=replace(item.sound, **fades))  # type: ignore[arg-type]


def _ours(thing: Any) -> dict[str, Any]:
    if thing is None or OURS not in thing.metadata:
        return {}
    found = _plain(thing.metadata[OURS])
    return found if isinstance(found, dict) else {}


def _plain(value: Any) -> Any:
    """The library's containers as ordinary ones; a stack of tracks as it is."""
    if isinstance(value, str | int | float | bool | schema.Stack) or value is None:
        return value
    if hasattr(value, "items"):
        return {str(key): _plain(one) for key, one in value.items()}
    return [_plain(one) for one in value] if hasattr(value, "__iter__") else None


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _as_rate(rate: float) -> Rate:
    return Rate.of(snap(Fraction(rate).limit_denominator(100_000)))


def _frames(time: Any, rate: Rate) -> Exact:
    """A time of the format as frames of ``rate``: whole where it is nearly so."""
    own = _as_rate(time.rate) if time.rate > 0 else rate
    value = Fraction(time.value)
    whole = round(value)
    if abs(value - whole) < Fraction(1, 100_000):
        value = Fraction(whole)
    else:
        value = value.limit_denominator(1_000_000)
    return rate.frames(own.seconds(exact(value))) if own != rate else exact(value)


def _path(reference: Any) -> str:
    """Where a reference says its file is, or its files: of a numbered sequence with the numbers of its first
    and its last frame."""
    if isinstance(reference, schema.ImageSequenceReference):
        there = reference.available_range
        first, step = reference.start_frame, max(1, reference.frame_step)
        count = round(there.duration.value) if there is not None else 0
        digits = max(1, min(reference.frame_zero_padding, 12))
        low, high = f"{first:0{digits}d}", f"{first + (count - 1) * step:0{digits}d}"
        number = f"[{low}-{high}]" if count and step == 1 else f"%0{digits}d"
        base = path_of(reference.target_url_base or "")
        slash = "" if not base or base.endswith("/") else "/"
        return f"{base}{slash}{reference.name_prefix}{number}{reference.name_suffix}"
    url = getattr(reference, "target_url", "") or ""
    return path_of(url) if url else ""
