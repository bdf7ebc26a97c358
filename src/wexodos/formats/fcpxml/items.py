"""Placed clips to items of the model."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import Any

from lxml import etree

from wexodos.evaluate.geometry import Raster
from wexodos.formats.fcpxml.adjusts import (
    KEPT_ADJUSTS,
    LocalTime,
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
    time_attribute,
)
from wexodos.formats.fcpxml.sounds import (
    Source,
    apart,
    channels_of,
    muted_stretches,
    off_in_sync,
    role_of,
    silent_roles,
)
from wexodos.formats.fcpxml.story import Leaf, Mark, Story
from wexodos.formats.fcpxml.units import Space
from wexodos.formats.fcpxml.words import generator_of, raw_of, title_of
from wexodos.formats.paths import is_still_name
from wexodos.formats.strangers import beyond
from wexodos.model import (
    NORMAL,
    Adjustment,
    Angle,
    Angles,
    Constant,
    Content,
    Effect,
    Generator,
    Item,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Note,
    Raw,
    Sound,
    Speed,
    Title,
)
from wexodos.timing import Exact, Rate, absolute, exact, floor

_KNOWN = (
    frozenset(
        {
            "note",
            "conform-rate",
            "timeMap",
            "adjust-crop",
            "adjust-corners",
            "adjust-conform",
            "adjust-transform",
            "adjust-blend",
            "adjust-volume",
            "adjust-panner",
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
    | KEPT_ADJUSTS
)
_AUDIO_ADJUSTS = frozenset(
    {
        "adjust-loudness",
        "adjust-noiseReduction",
        "adjust-humReduction",
        "adjust-EQ",
        "adjust-matchEQ",
        "adjust-voiceIsolation",
        "filter-audio",
    }
)
_VIDEO_ADJUSTS = (KEPT_ADJUSTS - _AUDIO_ADJUSTS) | {"filter-video", "filter-video-mask"}
_PICTURE = frozenset({"adjust-transform", "adjust-crop", "adjust-corners", "adjust-blend"})
_KEPT = frozenset({"rating", "keyword", "analysis-marker"})
_PARTS = frozenset({"audio-role-source", "mc-source"})
_ID = "wexodos.id"


class ItemBuilder:
    """Turns leaves into items, one sequence at a time."""

    def __init__(self, resources: Resources, notes: list[Note], strange: dict[Element, list[Raw]]) -> None:
        self.resources = resources
        self.strange = strange
        self.notes = notes
        self.offline: dict[str, Media] = {}
        self._pictures: dict[tuple[bytes, Space], Picture] = {}
        self._multicams: dict[str, tuple[Angle, ...]] = {}
        self._has: dict[str, tuple[bool, bool]] = {}
        self._counter = 0
        self._taken: set[str] = set()
        self._shifts: dict[tuple[Exact, Rate], Exact] = {}
        self._place = ""
        self.rate = Rate(25)
        self.format = Format()
        self.drop = False

    def begin(self, place: str, rate: Rate, shape: Format, drop: bool) -> None:
        """Start on another sequence."""
        self._place, self.rate, self.format, self.drop = place, rate, shape, drop

    def count(self) -> int:
        self._counter += 1
        return self._counter

    # ---- what things refer to

    def natural(self, element: Element) -> tuple[Exact, Exact]:
        """Where the material of an element begins and how long it is, for attributes that are left out."""
        ref = element.get("ref") or ""
        asset = self.resources.assets.get(ref)
        if asset is not None:
            return asset.start, asset.duration
        definition = self.resources.definitions.get(ref)
        if definition is not None:
            inner = definition.find("sequence")
            inner = inner if inner is not None else definition.find("multicam")
            if inner is not None:
                return (time_attribute(inner, "tcStart", ref) or 0), (
                    time_attribute(inner, "duration", ref) or 0
                )
        return 0, 0

    def _nested_parts(self, ref: str) -> tuple[bool, bool]:
        """Whether a definition holds picture and sound."""
        if ref not in self._has:
            self._has[ref] = (True, True)
            definition = self.resources.definitions.get(ref)
            picture = sound = False
            if definition is not None:
                for element in definition.iter(
                    "asset-clip", "video", "audio", "title", "ref-clip", "mc-clip", "caption"
                ):
                    tag, inner = element.tag, element.get("ref") or ""
                    asset = self.resources.assets.get(inner)
                    part = element.get("srcEnable") or "all"
                    if tag in ("title", "video", "caption"):
                        picture = True
                    elif tag == "audio":
                        sound = True
                    elif asset is not None:
                        picture |= asset.media.video and part in ("all", "video")
                        sound |= asset.media.audio and part in ("all", "audio")
                    elif inner != ref and tag in ("ref-clip", "mc-clip"):
                        has = self._nested_parts(inner)
                        picture |= has[0] and part in ("all", "video")
                        sound |= has[1] and part in ("all", "audio")
            # An empty definition still stands in the cut: as picture, so that it is not lost.
            self._has[ref] = (picture or not sound, sound)
        return self._has[ref]

    def _source(self, leaf: Leaf, place: str) -> Source:
        element = leaf.element
        tag, ref = element.tag, element.get("ref") or ""
        part = (leaf.owner.get("srcEnable") or element.get("srcEnable") or "all").strip()
        frame = (self.format.width or 1920, self.format.height or 1080)
        if tag in ("title", "caption"):
            known = self.resources.effects.get(ref, ("", ""))
            name = known[0] or ("caption" if tag == "caption" else "")
            title = title_of(element, (name, known[1]), frame, float(self.format.pixel_aspect))
            adjusting = not title.words.strip() and any(
                child.tag == "filter-video" and switch(child.get("enabled")) for child in element
            )
            if adjusting or "adjustment" in (name + (element.get("name") or "")).lower():
                return Source(Adjustment(), None, 0, True, False)
            return Source(title, None, 0, True, False)
        if tag == "video" and ref in self.resources.effects:
            return Source(generator_of(element, self.resources.effects[ref]), None, 0, True, False)
        if tag in ("ref-clip", "mc-clip"):
            definition = self.resources.definitions.get(ref)
            if definition is None or (
                definition.find("sequence") is None and definition.find("multicam") is None
            ):
                name = leaf.owner.get("name") or element.get("name") or ref
                lost = self._offline(ref, name, place, element)
                return Source(MediaUse(lost.media.id), lost, 0, part != "audio", part == "audio")
            begin, _ = self.natural(element)
            picture, sound = self._nested_parts(ref)
            picture, sound = picture and part in ("all", "video"), sound and part in ("all", "audio")
            shape = self._definition_format(definition)
            raster = Raster(shape.width or frame[0], shape.height or frame[1], float(shape.pixel_aspect))
            if tag == "mc-clip":
                angles, heard = self._angles(element, definition, ref)
                return Source(angles, None, -begin, picture, sound, raster, heard)
            content = NestedUse(ref, silent_roles(element.findall("audio-role-source")))
            return Source(content, None, -begin, picture, sound, raster)
        asset = self.resources.assets.get(ref)
        if asset is None:
            asset = self._offline(ref, leaf.owner.get("name") or element.get("name") or ref, place, element)
            return Source(MediaUse(asset.media.id), asset, 0, tag != "audio", tag == "audio")
        picture = tag != "audio" and asset.media.video and part in ("all", "video")
        sound = tag != "video" and asset.media.audio and part in ("all", "audio")
        size: Raster | None = None
        if asset.media.width and asset.media.height:
            size = Raster(asset.media.width, asset.media.height, float(asset.media.pixel_aspect))
        return Source(MediaUse(ref, element.get("srcID")), asset, -asset.start, picture, sound, size)

    def _offline(self, ref: str, name: str, place: str, element: Element) -> Asset:
        """A medium that is used and defined nowhere."""
        self._missing(ref, place, element)
        key = ref or f"{place}-media-{self.count()}"
        media = self.offline.setdefault(key, Media(id=key, name=name, video=True, still=is_still_name(name)))
        return Asset(media, 0, 0, 1)

    def _definition_format(self, definition: Element | None) -> Format:
        inner = None
        if definition is not None:
            inner = definition.find("sequence")
            inner = inner if inner is not None else definition.find("multicam")
        return self.resources.formats.get(
            (inner.get("format") if inner is not None else None) or "", Format()
        )

    def _missing(self, ref: str, place: str, element: Element) -> None:
        self.notes.append(
            Note(
                "warning",
                "missing-reference",
                f"{place}/{element.get('name') or element.tag}",
                f"{ref!r} is used but defined nowhere; kept as offline media",
            )
        )

    def _angles(
        self, element: Element, definition: Element | None, ref: str
    ) -> tuple[Angles, tuple[str, ...]]:
        """A multi-angle clip, and the ids of all the angles heard at once."""
        multicam = definition.find("multicam") if definition is not None else None
        seen = None
        heard: list[str] = []
        for source in element.findall("mc-source"):
            use = (source.get("srcEnable") or "all").strip()
            if use in ("all", "video") and seen is None:
                seen = source.get("angleID")
            if use in ("all", "audio"):
                heard.append(source.get("angleID") or "")
        angles = self.multicam(multicam, ref)
        if element.find("mc-source") is None and angles:
            seen, heard = angles[0].id, [angles[0].id]
        name = definition.get("name") if definition is not None else None
        return Angles(angles, seen, heard[0] if heard else None, name or ref, ref), tuple(heard)

    def multicam(self, multicam: Element | None, ref: str) -> tuple[Angle, ...]:
        """The angles of a definition: a single source each, or a sequence of its own where an angle is itself
        edited."""
        known = self._multicams.get(ref)
        if known is None:
            found = []
            begin = (time_attribute(multicam, "tcStart", ref) or 0) if multicam is not None else 0
            for angle in multicam.findall("mc-angle") if multicam is not None else ():
                key = angle.get("angleID") or ""
                name = angle.get("name") or key
                if edited(angle, self.resources):
                    found.append(Angle(key, name, None, angle_sequence(ref, key)))
                else:
                    media, offset = self._angle_source(angle, begin)
                    found.append(Angle(key, name, media, offset=offset))
            known = self._multicams[ref] = tuple(found)
        return known

    def _angle_source(self, angle: Element, begin: Exact) -> tuple[str | None, Exact]:
        """The medium of an angle, and seconds from the multi-angle clip's time to the medium's."""
        cursor = begin
        for child in angle:
            offset = time_attribute(child, "offset", "angle")
            at = cursor if offset is None else offset
            ref = child.get("ref") or ""
            asset = self.resources.assets.get(ref)
            if asset is None and child.tag in ("asset-clip", "video"):
                asset = self._offline(ref, child.get("name") or ref, "angle", child)
            if asset is not None:
                start = time_attribute(child, "start", "angle")
                return asset.media.id, (asset.start if start is None else start) - asset.start - (at - begin)
            duration = time_attribute(child, "duration", "angle")
            cursor = at + (self.natural(child)[1] if duration is None else duration)
        return None, 0

    # ---- items

    def items(self, leaves: list[Leaf], place: str) -> tuple[Item | None, list[Item]]:
        """Build the picture and the sounds of one leaf (or of the channels of one source)."""
        leaf = leaves[0]
        source = self._source(leaf, place)
        owner = leaf.owner
        # Settings of a lone inner element count where the clip around it says nothing of its own.
        points = time_map(owner, place) or ([] if leaf.element is owner else time_map(leaf.element, place))
        owner_start = leaf.whole_local
        local = leaf.local
        seconds = self.rate.seconds
        if points:
            speed, source_in = speed_of(points, seconds(local), seconds(leaf.delta) + source.shift, self.rate)
        else:
            speed, source_in = NORMAL, seconds(local + leaf.delta + self._frames(source.shift))
            if source.asset is not None and source.asset.media.rate != self.rate:
                speed, source_in = self._conformed(owner, source.asset, leaf, source, speed, source_in, place)
        still = source.asset is not None and source.asset.media.still
        if (
            still
            or isinstance(source.content, Title | Adjustment)
            or (source.asset is None and not isinstance(source.content, NestedUse | Angles))
        ):
            speed, source_in = NORMAL, 0
        start, duration = leaf.start, leaf.duration
        time = LocalTime(local, leaf.duration, self.rate, owner_start)
        metadata = dict(metadata_of(owner))
        enabled = switch(owner.get("enabled")) and (
            leaf.element is owner or switch(leaf.element.get("enabled"))
        )
        note = (owner.findtext("note") or "").strip()
        if note.startswith("id:") and owner.tag == "video":
            metadata[_ID], _, note = note[3:].partition(" ")
        picture = None
        common: dict[str, Any] = {
            "name": _name(owner, leaf, source),
            "start": self._gridded(start, place, owner) if source.picture else start,
            "duration": duration,
            "content": source.content,
            "source_in": source_in,
            "speed": speed,
            "enabled": enabled,
            "drop_frame": (owner.get("tcFormat") or "").upper() == "DF" if owner.get("tcFormat") else None,
        }
        kept = tuple((key, value) for key, value in metadata.items() if not key.startswith("wexodos."))
        if source.picture:
            space = self._space(owner, source)
            shown = self._shown(owner, time, space)
            effects = effects_of(owner, _VIDEO_ADJUSTS, self.resources.effects, time)
            if leaf.element is not owner:
                shown = inside(self._shown(leaf.element, time, space), shown)
                effects = [*effects_of(leaf.element, _VIDEO_ADJUSTS, self.resources.effects, time), *effects]
            curves = dict(shown.curves)
            picture = Item(
                id=self._unique(metadata.get(_ID)),
                # Every angle is fitted into the frame of the multi-angle clip before anything else is done to
                # it.
                motion=Motion(fit="fit" if isinstance(source.content, Angles) else space.fit, **curves),
                blend=shown.blend,
                effects=tuple(effects),
                markers=self._markers(owner, leaf, time),
                note=note,
                metadata=kept,
                still=still,
                raw=beyond((*self._unread(leaf), *self._takes(leaf)), _kept_whole(effects, source.content)),
                **common,
            )
            self._note_kept(owner, picture, place)
        sounds: list[Item] = []
        if source.sound:
            for heard in source.heard or (None,):
                own = source
                if heard is not None and isinstance(source.content, Angles):
                    own = replace(source, content=replace(source.content, audio=heard))
                sounds += self._sounds(
                    leaves,
                    own,
                    {**common, "content": own.content},
                    metadata,
                    kept,
                    note,
                    time,
                    picture is None and not sounds,
                    place,
                )
        return picture, sounds

    def _shown(self, element: Element, time: LocalTime, space: Space) -> Picture:
        """What the adjustments of an element say of its picture; those that stand still are read once for all
        that spell them alike."""
        adjusts = [child for child in element if child.tag in _PICTURE]
        if not adjusts:
            return Picture(space.fit)
        spelled = b"".join([etree.tostring(child, with_tail=False) for child in adjusts])
        if b"<keyframe" in spelled or b"pan-rect" in spelled:
            return picture_of(element, time, space)
        key = (spelled, space)
        known = self._pictures.get(key)
        if known is None:
            known = self._pictures[key] = picture_of(element, time, space)
        return known

    def _unread(self, leaf: Leaf) -> tuple[Raw, ...]:
        owners = (leaf.owner,) if leaf.element is leaf.owner else (leaf.owner, leaf.element)
        return tuple(
            raw
            for owner in owners
            for raw in (
                *(
                    raw_of(child)
                    for child in owner
                    if child.tag not in _KNOWN or child.tag in _KEPT or (child.tag in _PARTS and len(child))
                ),
                *(self.strange.get(owner, ()) if self.strange else ()),
            )
        )

    def _takes(self, leaf: Leaf) -> tuple[Raw, ...]:
        """The takes stacked under the one in use: kept word for word (12)."""
        holder = leaf.owner.getparent()
        if holder is None or holder.tag != "audition":
            return ()
        return tuple(
            Raw("fcpxml", "audition", raw_of(child).text)
            for child in holder
            if child is not leaf.owner and child.tag in _KNOWN
        )

    def _sounds(
        self,
        leaves: list[Leaf],
        source: Source,
        common: dict[str, Any],
        metadata: dict[str, str],
        kept: tuple[tuple[str, str], ...],
        note: str,
        time: LocalTime,
        alone: bool,
        place: str,
    ) -> list[Item]:
        """The sound of a clip: one item, or one for each component that is treated on its own (9)."""
        whole = self._sound(leaves, source, common, metadata, kept, note, time, alone, place)
        owner = leaves[0].owner
        components = owner.findall("audio-channel-source")
        if not apart(components):
            return [whole]
        assert whole.sound is not None
        found = []
        for number, component in enumerate(components):
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

    def _sound(
        self,
        leaves: list[Leaf],
        source: Source,
        common: dict[str, Any],
        metadata: dict[str, str],
        kept: tuple[tuple[str, str], ...],
        note: str,
        time: LocalTime,
        alone: bool,
        place: str,
    ) -> Item:
        leaf, owner = leaves[0], leaves[0].owner
        level, fade_in, fade_out = level_of(owner, time)
        if leaf.element is not owner:
            inner, inner_in, inner_out = level_of(leaf.element, time)
            level, fade_in, fade_out = added_levels(inner, level), fade_in or inner_in, fade_out or inner_out
        channels, muted, roles = channels_of(leaves, source, self.resources)
        values = dict(common)
        if owner.tag == "sync-clip" and off_in_sync(leaf, roles):
            values["enabled"] = False
        said = frame_attribute(owner, "audioStart", self.rate, place)
        length = frame_attribute(owner, "audioDuration", self.rate, place)
        if said is not None or length is not None:
            begin = leaf.whole_local if said is None else said
            values["start"] = leaf.whole_start + (begin - leaf.whole_local)
            if length is not None:
                values["duration"] = length
            seconds = self.rate.seconds
            values["speed"], values["source_in"] = speed_of(
                time_map(owner, place), seconds(begin), seconds(leaf.delta) + source.shift, self.rate
            )
            time = LocalTime(begin, length or leaf.duration, self.rate, leaf.whole_local)
            level, fade_in, fade_out = level_of(owner, time)
        key = metadata.get("wexodos.sound") or (metadata.get(_ID) if alone else None)
        return Item(
            id=self._unique(key),
            sound=Sound(channels, level, pan_of(owner, time), fade_in, fade_out, muted, roles),
            effects=tuple(effects_of(owner, _AUDIO_ADJUSTS, self.resources.effects, time)),
            markers=self._markers(owner, leaf, time) if alone else (),
            note=note if alone else "",
            metadata=kept if alone else (),
            raw=(*self._unread(leaf), *self._takes(leaf)) if alone else (),
            **values,
        )

    def _unique(self, wanted: str | None) -> str:
        key = wanted or f"{self._place}-item-{self.count()}"
        while key in self._taken:
            key = f"{key}~{self.count()}"
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

    def _space(self, owner: Element, source: Source) -> Space:
        width, height = self.format.width or 1920, self.format.height or 1080
        frame = Raster(width, height, float(self.format.pixel_aspect))
        drawn = source.asset is None and source.raster is None
        return Space(frame, source.raster or frame, "none" if drawn else fit_of(owner))

    def _frames(self, seconds: Exact) -> Exact:
        """Seconds in frames of the sequence's rate; the same few starts of media come again and again."""
        key = (seconds, self.rate)
        found = self._shifts.get(key)
        if found is None:
            found = self._shifts[key] = self.rate.frames(seconds)
        return found

    def _conformed(
        self,
        owner: Element,
        asset: Asset,
        leaf: Leaf,
        source: Source,
        speed: Speed,
        source_in: Exact,
        place: str,
    ) -> tuple[Speed, Exact]:
        """Source and sequence of unequal rates: scaled frame for frame, or in real time (6.1)."""
        conform = owner.find("conform-rate")
        rate = asset.media.rate
        if conform is None or rate is None or rate == self.rate or not switch(conform.get("scaleEnabled")):
            return speed, source_in
        ratio = exact(Fraction(self.rate.fps) / rate.fps)
        if absolute(ratio - 1) > Fraction(1, 20):
            return speed, source_in
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
                        f"{place}/{owner.get('name') or owner.tag}",
                        f"{rate.label()} frames are played at {self.rate.label()}, frame for frame",
                    )
                )
                return Constant(ratio), exact(scaled)
        return speed, source_in

    def _markers(self, owner: Element, leaf: Leaf, time: LocalTime) -> tuple[Marker, ...]:
        found = []
        for element in owner:
            if element.tag in ("marker", "chapter-marker"):
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


def _name(owner: Element, leaf: Leaf, source: Source) -> str:
    """The clip's own name, which may be empty; where it has none, that of what it shows."""
    for element in (owner, leaf.element):
        name = element.get("name")
        if name is not None:
            return name
    return source.asset.media.name if source.asset is not None else ""


def _kept_whole(effects: list[Effect], content: Content) -> tuple[Raw | None, ...]:
    return (
        *(effect.raw for effect in effects),
        *(content.raw if isinstance(content, Title | Generator) else ()),
    )


def angle_sequence(ref: str, angle: str) -> str:
    """The id of the sequence that an edited angle of a multi-angle clip becomes."""
    return f"{ref}/angle:{angle}"


def edited(angle: Element, resources: Resources) -> bool:
    """Whether an angle is more than one source in one piece."""
    clips = [child for child in angle if child.tag != "gap"]
    if len(clips) != 1 or clips[0].tag not in ("asset-clip", "video"):
        return len(clips) > 0
    ref = clips[0].get("ref") or ""
    asset = resources.assets.get(ref)
    return (
        ref in resources.effects
        or (asset is not None and asset.media.still)
        or any(
            child.tag not in ("note", "metadata", "marker", "keyword", "rating", "conform-rate")
            for child in clips[0]
        )
    )
