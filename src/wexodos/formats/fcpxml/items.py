"""Placed clips to items of the model."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

from lxml import etree

from wexodos.evaluate.geometry import Raster
from wexodos.formats.fcpxml.adjusts import (
    ADJUSTS,
    KEPT_OF_PICTURE,
    KEPT_OF_SOUND,
    LocalTime,
    MapPoint,
    Picture,
    added_levels,
    effects_of,
    fit_of,
    level_of,
    pan_of,
    picture_of,
    speed_of,
    time_map,
)
from wexodos.formats.fcpxml.lexical import Element, numbers, switch
from wexodos.formats.fcpxml.nesting import inside
from wexodos.formats.fcpxml.resources import (
    Asset,
    Format,
    Resources,
    frame_attribute,
    metadata_of,
)
from wexodos.formats.fcpxml.sounds import (
    Source,
    apart,
    channels_of,
    muted_stretches,
    off_in_sync,
    role_of,
)
from wexodos.formats.fcpxml.sources import Sources
from wexodos.formats.fcpxml.story import Leaf, Mark, Story
from wexodos.formats.fcpxml.units import Space
from wexodos.formats.fcpxml.words import raw_of
from wexodos.formats.strangers import beyond
from wexodos.model import (
    NORMAL,
    Adjustment,
    Angles,
    Constant,
    Content,
    Effect,
    Generator,
    Item,
    Marker,
    Motion,
    NestedUse,
    Note,
    Raw,
    Sound,
    Speed,
    Title,
)
from wexodos.timing import Exact, Rate, absolute, exact, floor

_KNOWN = frozenset(
    {
        "note",
        "conform-rate",
        "timeMap",
        *ADJUSTS,
        "audio",
        "video",
        "clip",
        "title",
        "mc-clip",
        "ref-clip",
        "sync-clip",
        "asset-clip",
        "audition",
        "gap",
        "spine",
        "caption",
        "marker",
        "chapter-marker",
        "rating",
        "keyword",
        "analysis-marker",
        "metadata",
        "filter-video",
        "filter-audio",
        "filter-video-mask",
        "audio-channel-source",
        "audio-role-source",
        "mc-source",
        "sync-source",
        "param",
        "text",
        "text-style-def",
    }
)
_AUDIO_ADJUSTS = frozenset({*KEPT_OF_SOUND, "filter-audio"})
_VIDEO_ADJUSTS = frozenset({*KEPT_OF_PICTURE, "filter-video", "filter-video-mask"})
_PICTURE = frozenset({"adjust-transform", "adjust-crop", "adjust-corners", "adjust-blend"})
_KEPT = frozenset({"rating", "keyword", "analysis-marker"})
_PARTS = frozenset({"audio-role-source", "mc-source"})
_UNDERSTOOD = _KNOWN - _KEPT - _PARTS
_HEARD = frozenset({"adjust-volume", "adjust-panner", "audio-channel-source"})
_MARKERS = frozenset({"marker", "chapter-marker"})
_ID = "wexodos.id"


@dataclass(slots=True)
class _Clip:
    """What the items of one clip have in common.

    ``held`` are the tags that stand in it: every look at an element makes an object for each of its children
    anew, so nothing is looked for that is not there.
    """

    leaves: list[Leaf]
    place: str
    held: set[str]
    time: LocalTime
    common: dict[str, Any] = field(default_factory=dict)
    metadata: dict[str, str] = field(default_factory=dict)
    kept: tuple[tuple[str, str], ...] = ()
    note: str = ""

    @property
    def leaf(self) -> Leaf:
        return self.leaves[0]


class ItemBuilder:
    """Turns leaves into items, one sequence at a time."""

    def __init__(self, resources: Resources, notes: list[Note], strange: dict[Element, list[Raw]]) -> None:
        self.resources = resources
        self.strange = strange
        self.notes = notes
        self.sources = Sources(resources, notes)
        self._pictures: dict[Hashable, Picture] = {}
        self._sounds: dict[Hashable, tuple[Sound, bool]] = {}
        self._taken: set[str] = set()
        self._shifts: dict[tuple[Exact, Rate], Exact] = {}
        self._place = ""
        self._frame = Raster(1920, 1080)
        self.rate = Rate(25)
        self.format = Format()
        self.drop = False

    def begin(self, place: str, rate: Rate, shape: Format, drop: bool) -> None:
        """Start on another sequence."""
        self._place, self.rate, self.format, self.drop = place, rate, shape, drop
        self._frame = Raster(shape.width or 1920, shape.height or 1080, float(shape.pixel_aspect))

    def items(self, leaves: list[Leaf], place: str) -> tuple[Item | None, list[Item]]:
        """Build the picture and the sounds of one leaf (or of the channels of one source)."""
        leaf = leaves[0]
        source = self.sources.of(leaf, place, self.format)
        owner = leaf.owner
        held = {child.tag for child in owner}
        if leaf.element is not owner:
            held.update(child.tag for child in leaf.element)
        clip = _Clip(leaves, place, held, LocalTime(leaf.local, leaf.duration, self.rate, leaf.whole_local))
        start = leaf.start
        name = owner.get("name")
        if name is None:
            # An own name may be empty; where there is none, that of what it shows.
            name = leaf.element.get("name")
        if name is None:
            name = source.asset.media.name if source.asset is not None else ""
        counting = owner.get("tcFormat")
        speed, source_in, still = self._played(clip, source)
        clip.common = {
            "name": name,
            "start": self._gridded(start, place, owner) if source.picture else start,
            "duration": leaf.duration,
            "content": source.content,
            "source_in": source_in,
            "speed": speed,
            "enabled": switch(owner.get("enabled"))
            and (leaf.element is owner or switch(leaf.element.get("enabled"))),
            "drop_frame": counting.upper() == "DF" if counting else None,
        }
        if "metadata" in held:
            clip.metadata = dict(metadata_of(owner))
            clip.kept = tuple(
                (key, value) for key, value in clip.metadata.items() if not key.startswith("wexodos.")
            )
        if "note" in held:
            clip.note = (owner.findtext("note") or "").strip()
            if clip.note.startswith("id:") and owner.tag == "video":
                clip.metadata[_ID], _, clip.note = clip.note[3:].partition(" ")
        picture = self._picture(clip, source, still) if source.picture else None
        sounds: list[Item] = []
        if source.sound:
            for heard in source.heard or (None,):
                own = source
                if heard is not None and isinstance(source.content, Angles):
                    own = replace(source, content=replace(source.content, audio=heard))
                    clip.common["content"] = own.content
                sounds += self._heard(clip, own, picture is None and not sounds)
        return picture, sounds

    def _played(self, clip: _Clip, source: Source) -> tuple[Speed, Exact, bool]:
        """How fast a clip plays and from where, and whether it is a still."""
        leaf, seconds = clip.leaf, self.rate.seconds
        asset, points = source.asset, self._speed_map(clip)
        still = asset is not None and asset.media.still
        if (
            still
            or isinstance(source.content, Title | Adjustment)
            or (asset is None and not isinstance(source.content, NestedUse | Angles))
        ):
            return NORMAL, 0, still
        if points:
            local, shift = seconds(leaf.local), seconds(leaf.delta) + source.shift
            speed, source_in = speed_of(points, local, shift, self.rate)
            return speed, source_in, False
        source_in = seconds(leaf.local + leaf.delta + self._frames(source.shift))
        if asset is None or asset.media.rate == self.rate:
            return NORMAL, source_in, False
        speed, source_in = self._conformed(clip, asset, source, source_in)
        return speed, source_in, False

    def _speed_map(self, clip: _Clip) -> list[MapPoint]:
        """The points of a clip's speed; those of a lone inner element count where the clip around it says
        nothing of its own."""
        if "timeMap" not in clip.held:
            return []
        owner, element = clip.leaf.owner, clip.leaf.element
        return time_map(owner, clip.place) or ([] if element is owner else time_map(element, clip.place))

    def _picture(self, clip: _Clip, source: Source, still: bool) -> Item:
        leaf, owner, held, time = clip.leaf, clip.leaf.owner, clip.held, clip.time
        space = self._space(clip, source)
        shown = self._shown(owner, time, space) if held & _PICTURE else Picture(space.fit)
        effects = (
            effects_of(owner, _VIDEO_ADJUSTS, self.resources.effects, time) if held & _VIDEO_ADJUSTS else []
        )
        if leaf.element is not owner:
            shown = inside(self._shown(leaf.element, time, space), shown)
            effects = [*effects_of(leaf.element, _VIDEO_ADJUSTS, self.resources.effects, time), *effects]
        picture = Item(
            id=self._unique(clip.metadata.get(_ID)),
            # Every angle is fitted into the frame of the multi-angle clip before anything else is done to it.
            motion=Motion(fit="fit" if isinstance(source.content, Angles) else space.fit, **shown.curves),
            blend=shown.blend,
            effects=tuple(effects),
            markers=self._markers(clip),
            note=clip.note,
            metadata=clip.kept,
            still=still,
            raw=beyond(self._unread(clip), _kept_whole(effects, source.content)),
            **clip.common,
        )
        self._note_kept(owner, picture, clip.place)
        return picture

    def _shown(self, element: Element, time: LocalTime, space: Space) -> Picture:
        """What the adjustments of an element say of its picture; those that stand still are read once for all
        that spell them alike."""
        spelled, inner = _spelled(element, _PICTURE)
        if b"<keyframe" in inner or b"pan-rect" in inner:
            return picture_of(element, time, space)
        key = (spelled, space)
        known = self._pictures.get(key)
        if known is None:
            known = self._pictures[key] = picture_of(element, time, space)
        return known

    def _unread(self, clip: _Clip) -> tuple[Raw, ...]:
        """What is not understood, and the takes stacked under the one in use, word for word (12)."""
        leaf = clip.leaf
        owners = (leaf.owner,) if leaf.element is leaf.owner else (leaf.owner, leaf.element)
        found = []
        for owner in owners:
            if not clip.held <= _UNDERSTOOD:
                found += [
                    raw_of(child)
                    for child in owner
                    if child.tag not in _KNOWN or child.tag in _KEPT or (child.tag in _PARTS and len(child))
                ]
            if self.strange:
                found += self.strange.get(owner, ())
        holder = leaf.owner.getparent()
        if holder is not None and holder.tag == "audition":
            found += [
                Raw("fcpxml", "audition", raw_of(child).text)
                for child in holder
                if child is not leaf.owner and child.tag in _KNOWN
            ]
        return tuple(found)

    def _heard(self, clip: _Clip, source: Source, alone: bool) -> list[Item]:
        """The sound of a clip: one item, or one for each component that is treated on its own (9)."""
        whole, parted = self._sound(clip, source, alone)
        if not parted:
            return [whole]
        assert whole.sound is not None
        time = clip.time
        found = []
        for number, component in enumerate(clip.leaf.owner.findall("audio-channel-source")):
            channels = tuple(int(one) for one in numbers(component.get("srcCh")) if one >= 1)
            level, fade_in, fade_out = level_of(component, time)
            level = muted_stretches(component, level, time, self.rate)
            role = role_of(component.get("role") or "")
            pan = pan_of(component, time)
            on = switch(component.get("active")) and switch(component.get("enabled"))
            sound = replace(
                whole.sound,
                channels=channels or (number + 1,),
                level=added_levels(whole.sound.level, level),
                muted=(),
                pan=whole.sound.pan if pan is None else pan,
                fade_in=whole.sound.fade_in or fade_in,
                fade_out=whole.sound.fade_out or fade_out,
                roles=(role,) if role else whole.sound.roles[:1],
            )
            effects = (*whole.effects, *effects_of(component, _AUDIO_ADJUSTS, self.resources.effects, time))
            item = replace(whole, sound=sound, effects=effects, enabled=whole.enabled and on)
            found.append(
                replace(item, id=self._unique(f"{whole.id}-c{number + 1}"), markers=()) if number else item
            )
        return found

    def _sound(self, clip: _Clip, source: Source, alone: bool) -> tuple[Item, bool]:
        """The sound of a clip as one item, and whether its components are treated on their own."""
        leaf, owner, held, time, values = clip.leaf, clip.leaf.owner, clip.held, clip.time, clip.common
        said = frame_attribute(owner, "audioStart", self.rate, clip.place)
        length = frame_attribute(owner, "audioDuration", self.rate, clip.place)
        apart_from_picture = said is not None or length is not None
        if apart_from_picture:
            begin = leaf.whole_local if said is None else said
            seconds = self.rate.seconds
            speed, source_in = speed_of(
                time_map(owner, clip.place), seconds(begin), seconds(leaf.delta) + source.shift, self.rate
            )
            start = leaf.whole_start + (begin - leaf.whole_local)
            values = {**values, "start": start, "speed": speed, "source_in": source_in}
            if length is not None:
                values["duration"] = length
            time = LocalTime(begin, length or leaf.duration, self.rate, leaf.whole_local)
        if leaf.element is owner and not apart_from_picture and source.asset is not None:
            sound, parted = self._treated_alike(clip, source, source.asset)
        else:
            sound, parted = self._treated(clip, source, time, apart_from_picture)
        if owner.tag == "sync-clip" and off_in_sync(leaf, sound.roles):
            values = {**values, "enabled": False}
        item = Item(
            id=self._unique(
                clip.metadata.get("wexodos.sound") or (clip.metadata.get(_ID) if alone else None)
            ),
            sound=sound,
            effects=tuple(effects_of(owner, _AUDIO_ADJUSTS, self.resources.effects, time))
            if held & _AUDIO_ADJUSTS
            else (),
            markers=self._markers(clip) if alone else (),
            note=clip.note if alone else "",
            metadata=clip.kept if alone else (),
            raw=self._unread(clip) if alone else (),
            **values,
        )
        return item, parted

    def _treated(
        self, clip: _Clip, source: Source, time: LocalTime, apart_from_picture: bool = False
    ) -> tuple[Sound, bool]:
        """What is done to the sound of a clip, and whether its components are treated on their own."""
        leaf, owner = clip.leaf, clip.leaf.owner
        level, fade_in, fade_out = level_of(owner, time)
        if leaf.element is not owner and not apart_from_picture:
            inner, inner_in, inner_out = level_of(leaf.element, time)
            level, fade_in, fade_out = added_levels(inner, level), fade_in or inner_in, fade_out or inner_out
        channels, muted, roles = channels_of(clip.leaves, source, self.resources)
        sound = Sound(channels, level, pan_of(owner, time), fade_in, fade_out, muted, roles)
        return sound, apart(owner.findall("audio-channel-source"))

    def _treated_alike(self, clip: _Clip, source: Source, asset: Asset) -> tuple[Sound, bool]:
        """The same, read once for all clips of one element that spell it alike; what has keys counts from
        each clip's own start."""
        owner = clip.leaf.owner
        if owner.tag == "audio":
            return self._treated(clip, source, clip.time)
        spelled, inner = _spelled(owner, _HEARD)
        if b"<keyframe" in inner:
            return self._treated(clip, source, clip.time)
        key = (spelled, asset.channels, owner.get("audioRole"), self.rate)
        known = self._sounds.get(key)
        if known is None:
            known = self._sounds[key] = self._treated(clip, source, clip.time)
        return known

    def _unique(self, wanted: str | None) -> str:
        key = wanted or f"{self._place}-item-{self.sources.count()}"
        while key in self._taken:
            key = f"{key}~{self.sources.count()}"
        self._taken.add(key)
        return key

    def _gridded(self, start: Exact, place: str, owner: Element) -> Exact:
        """Pictures belong on whole frames: within a thousandth they are put there, otherwise moved down and
        said so."""
        if isinstance(start, int):
            return start
        whole = floor(start + Fraction(1, 1000))
        if absolute(start - whole) > Fraction(1, 1000):
            self.notes.append(
                Note(
                    "warning",
                    "off-grid",
                    f"{place}/{owner.get('name') or owner.tag}",
                    "the picture begins between two frames; moved to the earlier one",
                )
            )
        return whole

    def _space(self, clip: _Clip, source: Source) -> Space:
        drawn = source.asset is None and source.raster is None
        fit = fit_of(clip.leaf.owner) if "adjust-conform" in clip.held else "fit"
        return Space(self._frame, source.raster or self._frame, "none" if drawn else fit)

    def _frames(self, seconds: Exact) -> Exact:
        """Seconds in frames of the sequence's rate; the same few starts of media come again and again."""
        key = (seconds, self.rate)
        found = self._shifts.get(key)
        if found is None:
            found = self._shifts[key] = self.rate.frames(seconds)
        return found

    def _conformed(self, clip: _Clip, asset: Asset, source: Source, source_in: Exact) -> tuple[Speed, Exact]:
        """Source and sequence of unequal rates: scaled frame for frame, or in real time (6.1)."""
        leaf, owner = clip.leaf, clip.leaf.owner
        conform = owner.find("conform-rate")
        rate = asset.media.rate
        if conform is None or rate is None or rate == self.rate or not switch(conform.get("scaleEnabled")):
            return NORMAL, source_in
        ratio = exact(Fraction(self.rate.fps) / rate.fps)
        if absolute(ratio - 1) > Fraction(1, 20):
            return NORMAL, source_in
        length = self.rate.seconds(leaf.duration)
        local, shift = self.rate.seconds(leaf.local), self.rate.seconds(leaf.delta) + source.shift
        for scaled in (local * ratio + shift, (local + shift) * ratio):
            end = scaled + length * ratio - Fraction(1, rate.nominal)
            inside = scaled >= 0 and (not asset.duration or end <= asset.duration)
            if inside and isinstance(rate.frames(exact(scaled)), int):
                self.notes.append(
                    Note(
                        "info",
                        "conformed-rate",
                        f"{clip.place}/{owner.get('name') or owner.tag}",
                        f"{rate.label()} frames are played at {self.rate.label()}, frame for frame",
                    )
                )
                return Constant(ratio), exact(scaled)
        return NORMAL, source_in

    def _markers(self, clip: _Clip) -> tuple[Marker, ...]:
        if not clip.held & _MARKERS:
            return ()
        leaf = clip.leaf
        found = []
        for element in leaf.owner:
            if element.tag in _MARKERS:
                marker = self._marker(element, leaf.whole_local, leaf.local)
                if marker is not None and 0 <= marker.start < leaf.duration:
                    found.append(marker)
        return tuple(sorted(found, key=lambda marker: marker.start))

    def _marker(self, element: Element, owner_local: Exact, at_start: Exact) -> Marker | None:
        start = frame_attribute(element, "start", self.rate, self._place)
        if start is None:
            return None
        duration = frame_attribute(element, "duration", self.rate, self._place) or 0
        completed = element.get("completed")
        return Marker(
            start - at_start,
            duration if duration > 1 else 0,
            (element.get("value") or "").strip(),
            (element.get("note") or "").strip(),
            None,
            "chapter" if element.tag == "chapter-marker" else "task" if completed is not None else "marker",
            switch(completed) if completed is not None and element.tag == "marker" else None,
        )

    def sequence_markers(self, story: Story) -> list[Marker]:
        """Markers that stand on gaps: they belong to the sequence."""
        found = []
        for mark in story.marks:
            if mark.owner is None:
                marker = self._gap_marker(mark)
                if marker is not None:
                    found.append(marker)
        return found

    def _gap_marker(self, mark: Mark) -> Marker | None:
        start = frame_attribute(mark.element, "start", self.rate, self._place)
        if start is None or not mark.owner_local <= start < mark.owner_local + mark.owner_duration:
            return None
        return self._marker(mark.element, mark.owner_local, mark.owner_local - mark.owner_abs)

    def _note_kept(self, owner: Element, item: Item, place: str) -> None:
        where = f"{place}/{item.name or item.id}"
        for effect in item.effects:
            self.notes.append(
                Note("info", "kept-filter", where, f"the filter {effect.name!r} is kept with its settings")
            )
        for raw in item.raw:
            if raw.tag not in _KEPT and raw.tag != "audition":
                self.notes.append(
                    Note(
                        "info",
                        "unread-element",
                        "/".join(part for part in (where, raw.path, raw.tag) if part),
                        f"{raw.tag} is kept but not understood",
                    )
                )


def _spelled(owner: Element, tags: frozenset[str]) -> tuple[Hashable, bytes]:
    """How what stands right inside an element is spelled, as far as it is of some tags; and the text of those
    that hold something themselves."""
    found: list[Hashable] = []
    inner = b""
    for child in owner:
        tag = child.tag
        if tag in tags:
            if len(child):
                text = etree.tostring(child, with_tail=False)
                inner += text
                found.append(text)
            else:
                found.append((tag, *child.items()))
    return tuple(found), inner


def _kept_whole(effects: list[Effect], content: Content) -> tuple[Raw | None, ...]:
    return (
        *(effect.raw for effect in effects),
        *(content.raw if isinstance(content, Title | Generator) else ()),
    )
