"""What a placed clip refers to: a medium, a definition, one of its angles, words or an effect (4, 12)."""

from __future__ import annotations

from wexodos.evaluate.geometry import Raster
from wexodos.formats.fcpxml.lexical import Element, switch
from wexodos.formats.fcpxml.resources import Asset, Format, Resources, time_attribute
from wexodos.formats.fcpxml.sounds import Source, silent_roles
from wexodos.formats.fcpxml.story import Leaf
from wexodos.formats.fcpxml.words import generator_of, title_of
from wexodos.formats.paths import is_still_name
from wexodos.model import Adjustment, Angle, Angles, Media, MediaUse, NestedUse, Note
from wexodos.timing import Exact


class Sources:
    """The sources of one document; media that are defined nowhere become ``offline`` ones."""

    def __init__(self, resources: Resources, notes: list[Note]) -> None:
        self.resources = resources
        self.notes = notes
        self.offline: dict[str, Media] = {}
        self._multicams: dict[str, tuple[Angle, ...]] = {}
        self._has: dict[str, tuple[bool, bool]] = {}
        self._counter = 0

    def count(self) -> int:
        """Another number, for what has no name."""
        self._counter += 1
        return self._counter

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

    def of(self, leaf: Leaf, place: str, shape: Format) -> Source:
        """What a leaf plays in a sequence of the format ``shape``."""
        element = leaf.element
        tag, ref = element.tag, element.get("ref") or ""
        part = (leaf.owner.get("srcEnable") or element.get("srcEnable") or "all").strip()
        frame = (shape.width or 1920, shape.height or 1080)
        if tag in ("title", "caption"):
            known = self.resources.effects.get(ref, ("", ""))
            name = known[0] or ("caption" if tag == "caption" else "")
            title = title_of(element, (name, known[1]), frame, float(shape.pixel_aspect))
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
            own = self._definition_format(definition)
            raster = Raster(own.width or frame[0], own.height or frame[1], float(own.pixel_aspect))
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
        use = MediaUse(ref, element.get("srcID"))
        return Source(use, asset, -asset.start, picture, sound, asset.raster)

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
