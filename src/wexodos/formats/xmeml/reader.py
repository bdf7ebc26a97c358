"""Read a document: ids first, then media, then sequences track by track (14, reading order)."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from wexodos.formats.circles import refuse_circular_nests
from wexodos.formats.coverage import children
from wexodos.formats.errors import ReadError
from wexodos.formats.paths import is_still_name
from wexodos.formats.strangers import beyond, parsed, strangers
from wexodos.formats.xmeml import titles
from wexodos.formats.xmeml.channels import Lane, Links, collapse
from wexodos.formats.xmeml.coverage import KNOWN, OWNERS, ROWS, SEQUENCE_KNOWN, TRACK_KNOWN, key_of
from wexodos.formats.xmeml.effects import corrections_of
from wexodos.formats.xmeml.files import FIELD_ORDERS, mended_rate, pixel_aspect_of, read_file
from wexodos.formats.xmeml.filters import (
    MOTION_EFFECTS,
    Filter,
    Filters,
    Frames,
    motion_of,
    raw_of,
    read_filters,
    remap_in,
    sound_of,
)
from wexodos.formats.xmeml.lexical import Element, boolean, decimal, integer, rate_of, text_of, timecode_of
from wexodos.formats.xmeml.organising import folders_of
from wexodos.formats.xmeml.parameters import KeyBase
from wexodos.formats.xmeml.reference import counts_in_sequence
from wexodos.formats.xmeml.speeds import Remap, settled_unit, speed_of
from wexodos.formats.xmeml.tables import BLENDS, TICKS_PER_SECOND, TRUNCATED_RATES
from wexodos.formats.xmeml.tracks import Entry, gather, settle
from wexodos.formats.xmeml.words import entry_words, label_of, layout_of, markers_of, says, words_of
from wexodos.model import (
    NORMAL,
    Adjustment,
    Angle,
    Angles,
    Constant,
    Content,
    Document,
    Effect,
    Generator,
    Item,
    Media,
    MediaUse,
    NestedUse,
    Note,
    Raw,
    Sequence,
    Sound,
    Speed,
    Title,
    Track,
)
from wexodos.timing import Exact, Rate, absolute, exact, floor

_NO_MOTION_FRAME = (1920, 1080)
Frame = tuple[int, int, float]
"""A sequence's width and height in pixels and their aspect."""


def read(data: bytes) -> Document:
    """Read a whole document. Raises ``ReadError`` with the place for what cannot be read."""
    root, strange = parsed(data, KNOWN)
    if root.tag != "xmeml":
        raise ReadError(f"the root element is {root.tag!r}, not 'xmeml'")
    found = strangers(root, KNOWN, OWNERS, "xmeml", key_of) if strange else {}
    return _Reader(root, b"hash" in data, found).document()


class _Reader:
    """One reading of one document."""

    def __init__(self, root: Element, hashed: bool, strange: dict[Element, list[Raw]]) -> None:
        self.root = root
        self.strange = strange
        self.hashed = hashed
        self.all_sequences: list[Element] = []
        self.notes: list[Note] = []
        self.media: dict[str, Media] = {}
        self.files: dict[str, Element] = {}
        self.sequence_ids: dict[Element, str] = {}
        self.sequence_elements: dict[str, Element] = {}
        self.multiclips: dict[str, Element] = {}
        self.clips: dict[str, Element] = {}
        self.uses: dict[str, tuple[Exact, Rate]] = {}
        self.hashes: dict[str, str] = {}
        self.sequences: list[Sequence] = []
        self.taken: dict[str, int] = {}
        self.frames: dict[tuple[object, ...], Frames] = {}
        self.apart: dict[bytes, list[Filter]] = {}
        self.known_filters: dict[tuple[object, ...], tuple[Filters, bool]] = {}
        self.known_sounds: dict[tuple[int, tuple[int, ...]], Sound] = {}
        self.no_filters = Filters()
        self.in_sequence = False

    def document(self) -> Document:
        self._register()
        if self.hashed:
            self.hashes = titles.graphic_hashes(self.root)
        top = self._top_level()
        self.in_sequence = counts_in_sequence(list(self.sequence_elements.values()), self.media)
        if self.in_sequence:
            self.note(
                "info",
                "reference-size",
                "xmeml",
                "picture offsets are read as parts of the sequence's size, not of the "
                "source's: only so do they fall on whole or tenth pixels",
            )
        for sequence_id, element in self.sequence_elements.items():
            self.sequences.append(self._sequence(element, sequence_id, sequence_id in top))
        refuse_circular_nests(self.sequences)
        media = []
        for one in self.media.values():
            mended = mended_rate(one, self.uses.get(one.id))
            if mended is not one:
                self.note(
                    "warning",
                    "truncated-rate",
                    one.id,
                    f"the rate {one.rate.label() if one.rate else '?'} of {one.name} is cut down; read as "
                    f"{mended.rate.label() if mended.rate else '?'}",
                )
            media.append(mended)
        if not self.sequences:
            self.note("info", "no-sequence", "xmeml", "the file holds no sequence")
        version = (self.root.get("version") or "").strip()
        folders, where = folders_of(self.root, self.sequence_ids)
        if where:
            media = [replace(one, folder=where.get(one.id)) if one.id in where else one for one in media]
            self.sequences = [
                replace(one, folder=where.get(one.id)) if one.id in where else one for one in self.sequences
            ]
        return Document(
            "xmeml", version, tuple(self.sequences), tuple(media), tuple(self.notes), folders, self._outside()
        )

    def _outside(self) -> tuple[Raw, ...]:
        """What stands outside every sequence and is not understood: kept, and noted."""
        found = []
        holders = [self.root, *self.root.iter("project", "bin", "children")]
        for holder in holders:
            for child in holder:
                if child.tag not in children(ROWS, str(holder.tag)) and (
                    len(child) or (child.text or "").strip()
                ):
                    self.note(
                        "info",
                        "unread-element",
                        f"xmeml/{child.tag}",
                        f"{child.tag} is kept but not understood",
                    )
                    found.append(raw_of(child))
        return (*found, *(raw for holder in holders for raw in self._strange(holder, "xmeml")))

    def _strange(self, owner: Element, place: str) -> tuple[Raw, ...]:
        """The unknown elements deep inside an owner, noted with their place."""
        found = self.strange.get(owner, ()) if self.strange else ()
        for raw in found:
            self.note(
                "info",
                "unread-element",
                f"{place}/{raw.path}/{raw.tag}",
                f"{raw.tag} is kept but not understood",
            )
        return tuple(found)

    def _unread_of_file(self, element: Element, key: str) -> tuple[Raw, ...]:
        known = children(ROWS, "file")
        direct = [raw_of(child) for child in element if child.tag not in known and says(child)]
        for raw in direct:
            self.note(
                "info", "unread-element", f"file {key!r}/{raw.tag}", f"{raw.tag} is kept but not understood"
            )
        return (*direct, *self._strange(element, f"file {key!r}"))

    def note(self, level: str, code: str, where: str, text: str) -> None:
        self.notes.append(Note(level, code, where, text))

    # ---- ids

    def _register(self) -> None:
        for element in self.root.iter("file", "sequence", "multiclip", "clip"):
            tag = element.tag
            if tag == "sequence":
                self.all_sequences.append(element)
            if not len(element):
                continue
            key = element.get("id") or ""
            if tag == "file":
                first = self.files.get(key)
                if key and first is None:
                    self.files[key] = element
                    self.media[key] = read_file(element, key, f"file {key!r}")
                    if self.strange:
                        self.media[key] = replace(self.media[key], raw=self._unread_of_file(element, key))
            elif tag == "sequence":
                self._register_sequence(element, key)
            elif tag == "multiclip":
                self.multiclips.setdefault(key, element)
            else:
                self.clips.setdefault(key, element)

    def _register_sequence(self, element: Element, key: str) -> None:
        name = key or f"sequence-{len(self.sequence_elements) + 1}"
        known = self.sequence_elements.get(name)
        if known is not None:
            if key and known.findtext("name") == element.findtext("name") and len(known) == len(element):
                self.sequence_ids[element] = name
                return
            number = 2
            while f"{name}-{number}" in self.sequence_elements:
                number += 1
            self.note("warning", "repeated-id", name, f"two different sequences share the id {name!r}")
            name = f"{name}-{number}"
        self.sequence_elements[name] = element
        self.sequence_ids[element] = name

    def _top_level(self) -> set[str]:
        top = set()
        for element in self.all_sequences:
            if next(element.iterancestors("clipitem"), None) is None:
                top.add(self.sequence_ids.get(element) or element.get("id") or "")
        return top

    # ---- sequences

    def _sequence(self, element: Element, sequence_id: str, top_level: bool) -> Sequence:
        place = sequence_id
        rate = rate_of(element.find("rate"), place)
        media = element.find("media")
        video, audio = (None, None) if media is None else (media.find("video"), media.find("audio"))
        shape = video.find("format/samplecharacteristics") if video is not None else None
        if rate is None and shape is not None:
            rate = rate_of(shape.find("rate"), place)
        if rate is None:
            raise ReadError("the sequence has no rate", place)
        start, drop = timecode_of(element.find("timecode"), rate, place)
        sound_shape = audio.find("format/samplecharacteristics") if audio is not None else None
        width, height = integer(text_of(shape, "width") or None), integer(text_of(shape, "height") or None)
        duration = decimal(element.findtext("duration"))
        if duration is not None and duration < 0:
            raise ReadError("the sequence's duration is negative", place)
        links = Links()
        frame = (width or _NO_MOTION_FRAME[0], height or _NO_MOTION_FRAME[1], float(pixel_aspect_of(shape)))
        tracks: list[Track] = []
        merged: dict[str, str] = {}
        if video is not None:
            for number, one in enumerate(video.findall("track"), 1):
                lane = self._lane(one, "video", f"{place}/V{number}", rate, frame, links, number)
                tracks.append(_track("video", lane))
        if audio is not None:
            lanes = [
                self._lane(one, "audio", f"{place}/A{number}", rate, frame, links, number)
                for number, one in enumerate(audio.findall("track"), 1)
            ]
            tracks.extend(_track("audio", lane) for lane in collapse(lanes, merged))
        if width is None and video is not None:
            width, height = self._largest(tracks)
            if width:
                self.note(
                    "warning",
                    "no-format",
                    place,
                    f"no frame size is given; taken from the media: {width}×{height}",
                )
        unread = [child for child in element if child.tag not in SEQUENCE_KNOWN and says(child)]
        for child in unread:
            self.note(
                "info", "unread-element", f"{place}/{child.tag}", f"{child.tag} is kept but not understood"
            )
        return Sequence(
            id=sequence_id,
            name=text_of(element, "name"),
            rate=rate,
            start=start or 0,
            drop_frame=bool(drop),
            width=width,
            height=height,
            pixel_aspect=pixel_aspect_of(shape),
            field_order=FIELD_ORDERS.get(text_of(shape, "fielddominance").lower(), "progressive"),
            sample_rate=integer(text_of(sound_shape, "samplerate") or None) or None,
            bit_depth=integer(text_of(sound_shape, "depth") or None),
            tracks=_linked(tracks, links, merged),
            markers=tuple(markers_of(element.findall("marker"), 0, 1)),
            top_level=top_level,
            stated_duration=duration,
            metadata=words_of(element),
            raw=(*(raw_of(child) for child in unread), *self._strange(element, place)),
            audio_layout=layout_of(audio),
            marked=_marked(element, duration),
        )

    def _largest(self, tracks: list[Track]) -> tuple[int | None, int | None]:
        best: tuple[int, int] | None = None
        for track in tracks[:1]:
            for item in track.items:
                media = self.media.get(item.content.media) if isinstance(item.content, MediaUse) else None
                if media is not None and media.width and media.height:
                    best = max(
                        best or (0, 0), (media.width, media.height), key=lambda size: size[0] * size[1]
                    )
        return best if best is not None else (None, None)

    def _lane(
        self, element: Element, kind: str, place: str, rate: Rate, frame: Frame, links: Links, number: int
    ) -> Lane:
        entries: list[Entry] = []
        enabled, locked, name = True, False, ""
        unread: list[Raw] = []
        output = None
        for child in element:
            tag = child.tag
            if tag in ("clipitem", "generatoritem", "transitionitem"):
                entry = gather(child, tag, len(entries) + 1, rate, self.apart)
                own = entry.parts.get("rate")
                if own is not None and tag != "transitionitem":
                    entry.rate = rate_of(own, f"{place}/{entry.id or entry.position}") or rate
                entries.append(entry)
            elif tag == "enabled":
                enabled = boolean(child.text, True)
            elif tag == "locked":
                locked = boolean(child.text, False)
            elif tag == "name":
                name = (child.text or "").strip()
            elif tag == "outputchannelindex":
                output = integer(child.text)
            elif tag not in TRACK_KNOWN and (len(child) or (child.text or "").strip()):
                self.note("info", "unread-element", f"{place}/{tag}", f"{tag} is kept but not understood")
                unread.append(raw_of(child))
        remaps = {entry.position: remap_in(entry.filters) for entry in entries if entry.filters}
        retimed = {position for position, remap in remaps.items() if remap is not None}
        settled = settle(entries, rate, place, kind, retimed)
        self.notes.extend(settled.notes)
        transitions = settled.transitions
        if self.strange:
            spelled = [entry for entry in entries if entry.transition is not None]
            transitions = [
                replace(one, raw=(*one.raw, *beyond(self._strange(entry.element, place), one.raw)))
                for one, entry in zip(transitions, spelled)
            ]
        pairs = []
        for entry in settled.entries:
            where = f"{place}/{entry.id or entry.position}"
            item = self._item(entry, kind, rate, frame, where, remaps.get(entry.position))
            self._link(entry, kind, number, item.id, links)
            pairs.append((entry, item))
        pairs.sort(key=lambda pair: pair[1].start)
        index, total = element.get("currentExplodedTrackIndex"), element.get("totalExplodedTrackCount")
        if not name:
            name = next((str(value) for key, value in element.items() if str(key).endswith("TrackName")), "")
        return Lane(
            pairs,
            transitions,
            name,
            enabled,
            locked,
            integer(index),
            integer(total),
            (*unread, *self._strange(element, place)),
            output,
        )

    def _link(self, entry: Entry, kind: str, track: int, item_id: str, links: Links) -> None:
        me = entry.id or item_id
        links.places[(kind, track, entry.position)] = me
        if not entry.links:
            return
        if me != item_id:
            links.join(me, item_id)
        members = [me]
        for link in entry.links:
            other = ""
            for child in link:
                if child.tag == "linkclipref":
                    other = (child.text or "").strip()
                    break
            if other:
                members.append(other)
            else:
                track_there, index = integer(text_of(link, "trackindex")), integer(text_of(link, "clipindex"))
                if track_there is not None and index is not None:
                    links.waiting.append((me, (text_of(link, "mediatype").lower(), track_there, index)))
        links.join_all(members)

    # ---- items

    def _unique(self, wanted: str, place: str) -> str:
        key = wanted or place.replace("/", "-")
        number = self.taken.get(key, 0) + 1
        self.taken[key] = number
        return key if number == 1 else f"{key}~{number}"

    def _item(
        self, entry: Entry, kind: str, rate: Rate, frame: Frame, place: str, remap: Remap | None
    ) -> Item:
        fields = entry.fields
        name = fields.get("name", "").strip()
        content, media = self._content(entry, kind, frame, place, name)
        base = KeyBase(
            entry.begin, entry.out, 1 if entry.rate == rate else exact(Fraction(rate.fps) / entry.rate.fps)
        )
        found = self.no_filters
        if entry.filters:
            key = (
                media.id if media is not None else content if isinstance(content, NestedUse) else None,
                frame,
            )
            frames = self.frames.get(key)
            if frames is None:
                frames = self.frames[key] = self._frames(content, media, frame)
            still = b"<keyframe" not in entry.spelling
            at = None if still else (base.begin, base.end, base.scale)
            known_key = (entry.spelling, frames.reference, frames.fits, at)
            known = self.known_filters.get(known_key)
            if known is None:
                known = read_filters(entry.filters, base, frames), base.shifted
                self.known_filters[known_key] = known
            found, base.shifted = known
            for one in entry.filters:
                if one.ranged:
                    self.note(
                        "warning",
                        "filter-range",
                        place,
                        f"the filter {one.kind!r} acts on a part of the item only; it is read as "
                        "acting on all of it",
                    )
            if base.shifted:
                self.note("info", "key-base", place, "keyframes count from the item's start")
        effects = found.effects
        if found.titles:
            content = titles.graphic_title(found.titles, self.hashes, frame[:2])
        elif isinstance(content, Generator) and content.kind in ("title?", "transparent"):
            content = _synthetic(content, found)
        if isinstance(content, Title) and effects:
            shadow = next((one for one in entry.filters if one.kind == "dropshadow" and one.on), None)
            if shadow is not None:
                content = titles.shadowed(content, shadow.effect)
                effects = [
                    one for one in effects if one.raw is None or one.raw.text != raw_of(shadow.element).text
                ]
        if "colorinfo" in entry.parts:
            effects = [*effects, *corrections_of(entry.parts["colorinfo"])]
        speed: Speed = NORMAL
        source_in: Exact = entry.rate.seconds(entry.begin)
        still = isinstance(content, MediaUse) and media is not None and media.still
        if remap is not None:
            length = media.duration if media is not None else None
            if length is not None and media is not None and media.rate is not None:
                length = exact(length * Fraction(entry.rate.fps) / media.rate.fps)
            remap = settled_unit(remap, decimal(fields.get("duration")), length)
            speed, source_in = speed_of(remap, entry.begin, entry.rate, rate)
            if isinstance(speed, Constant) and speed.rate == 0 and not remap.graph and remap.stated:
                ticks = integer(fields.get("pproTicksIn"))
                source_in = (
                    exact(ticks, TICKS_PER_SECOND)
                    if ticks is not None and ticks >= 0
                    else entry.rate.seconds(entry.begin)
                )
            if remap.curved:
                self.note(
                    "warning",
                    "curved-speed",
                    place,
                    "its speed points have handles, which are read as straight lines",
                )
        if not still and boolean(fields.get("stillframe"), False):
            offset = decimal(fields.get("stillframeoffset"))
            rate_there = media.rate if media is not None and media.rate is not None else entry.rate
            speed, source_in = Constant(0), rate_there.seconds(offset) if offset is not None else source_in
        if still or isinstance(content, Title | Generator | Adjustment):
            source_in, speed = 0, NORMAL
        elif "subclipinfo" in entry.parts:
            source_in += self._subclip(entry, media)
        if (
            speed is NORMAL
            and media is not None
            and media.rate is not None
            and media.id not in self.uses
            and media.rate.numerator in TRUNCATED_RATES
            and media.rate.denominator == 1
        ):
            stated = decimal(fields.get("duration"))
            if stated is not None:
                self.uses[media.id] = (stated, entry.rate)
        sound: Sound | None = None
        if kind == "audio":
            channels = self._channels(entry)
            # Filters are shared by all items that spell them alike at the same place, and so is what they
            # say of sound.
            sound_key = (id(found), channels)
            sound = self.known_sounds.get(sound_key)
            if sound is None:
                sound = self.known_sounds[sound_key] = sound_of(found, channels)
        self._report(entry, effects, place)
        if kind == "audio" and speed is NORMAL and isinstance(content, MediaUse):
            source_in = exact(source_in + part_frame(entry))
        metadata = entry_words(entry)
        blend = fields.get("compositemode", "").strip().lower()
        return Item(
            id=self._unique(entry.id, place),
            name=name,
            start=entry.start,
            duration=entry.end - entry.start,
            content=content,
            source_in=source_in,
            speed=speed,
            enabled=boolean(fields.get("enabled"), True),
            motion=motion_of(found) if kind == "video" else None,
            sound=sound,
            blend=BLENDS.get(blend.replace(" ", "").replace("-", ""), blend or "normal")
            if blend
            else "normal",
            alpha=fields.get("alphatype", "").strip().lower() or None,
            effects=tuple(effects),
            markers=tuple(markers_of(entry.markers, base.begin, base.scale)) if entry.markers else (),
            label=label_of(entry),
            note=dict(metadata).get("lognote", "") if metadata else "",
            metadata=tuple(pair for pair in metadata if pair[0] != "lognote") if metadata else (),
            raw=self._unread(entry, place, content, effects),
            still=still,
        )

    def _frames(self, content: Content, media: Media | None, frame: Frame) -> Frames:
        width, height, across = frame
        reference: tuple[float, float] = (width, height)
        fits: tuple[float, ...] = ()
        source: tuple[float, float] | None = None
        if isinstance(content, MediaUse) and media is not None and media.width and media.height:
            source = (media.width * float(media.pixel_aspect) / across, float(media.height))
        elif isinstance(content, NestedUse) and content.sequence in self.sequence_elements:
            shape = self.sequence_elements[content.sequence].find("media/video/format/samplecharacteristics")
            inner = integer(text_of(shape, "width") or None), integer(text_of(shape, "height") or None)
            if inner[0] and inner[1]:
                source = (inner[0] * float(pixel_aspect_of(shape)) / across, float(inner[1]))
        if source is not None:
            fits = (100.0 * width / source[0], 100.0 * height / source[1])
            if not self.in_sequence or isinstance(content, NestedUse):
                reference = source
        return Frames(reference, fits)

    def _content(
        self, entry: Entry, kind: str, frame: Frame, place: str, name: str
    ) -> tuple[Content, Media | None]:
        parts = entry.parts
        if entry.tag == "generatoritem":
            effect = parts.get("effect")
            if effect is None:
                return Generator("other", name), None
            return (
                titles.text_title(effect, frame[:2])
                if titles.is_text(effect)
                else titles.generator_of(effect, name)
            ), None
        if "sequence" in parts:
            return self._nested(parts["sequence"], place), None
        if "multiclip" in parts:
            return self._angles(parts["multiclip"], place, entry.rate), None
        if "file" not in parts:
            self.note("warning", "no-media", place, f"{name or 'an item'} names no media")
            media = self._offline(f"{place}-media".replace("/", "-"), name)
            return MediaUse(media.id), media
        media = self._medium(parts["file"], place, name)
        if media.synthetic:
            return self._slug(media, entry, name), None
        return MediaUse(media.id), media

    def _medium(self, element: Element, place: str, name: str) -> Media:
        key = element.get("id") or ""
        if not len(element):
            known = self.media.get(key)
            if known is not None:
                return known
            self.note(
                "warning",
                "missing-reference",
                place,
                f"file {key!r} is used but defined nowhere; kept as offline media",
            )
            return self._offline(key or f"{place}-file".replace("/", "-"), name)
        if not key:
            key = f"{place}-file".replace("/", "-")
            self.media[key] = read_file(element, key, place)
            return self.media[key]
        if self.files.get(key) is element or text_of(self.files[key], "pathurl") == text_of(
            element, "pathurl"
        ):
            return self.media[key]
        url = text_of(element, "pathurl")
        for number in range(2, 10_000):
            other = f"{key}~{number}"
            if other not in self.files:
                self.note("warning", "repeated-id", place, f"two different files share the id {key!r}")
                self.files[other] = element
                self.media[other] = read_file(element, other, place)
                return self.media[other]
            if text_of(self.files[other], "pathurl") == url:
                return self.media[other]
        raise ReadError(f"too many different files share the id {key!r}", place)

    def _offline(self, key: str, name: str) -> Media:
        return self.media.setdefault(
            key, Media(id=key, name=name or key, video=True, still=is_still_name(name))
        )

    def _slug(self, media: Media, entry: Entry, name: str) -> Content:
        """Tell synthetic sources apart by name, transparency and sound (11)."""
        source = dict(media.metadata).get("mediaSource", "")
        if source == "GraphicAndType":
            return Title((), template=source, words_known=False)
        foreign = any(one.kind not in MOTION_EFFECTS for one in entry.filters)
        kind = titles.generator_kind(name, media.name)
        clear = entry.fields.get("alphatype", "").strip().lower() == "straight"
        if foreign and kind in ("other", "transparent"):
            return Adjustment()
        if kind == "other":
            kind = "title?" if clear else "bars" if media.audio else "black"
        return Generator(kind, name or media.name)

    def _nested(self, element: Element, place: str) -> Content:
        key = self.sequence_ids.get(element) or element.get("id") or ""
        if key not in self.sequence_elements:
            self.note("warning", "missing-reference", place, f"sequence {key!r} is used but defined nowhere")
        return NestedUse(key)

    def _angles(self, element: Element, place: str, rate: Rate) -> Angles:
        key = element.get("id") or ""
        full = element if len(element) else self.multiclips.get(key)
        if full is None:
            self.note(
                "warning", "missing-reference", place, f"multi-angle clip {key!r} is used but defined nowhere"
            )
            return Angles((), None, None, key, key)
        angles: list[Angle] = []
        seen = heard = None
        sync_in = text_of(full, "synctype").lower() == "inpoint"
        for number, one in enumerate(full.findall("angle"), 1):
            clip = one.find("clip")
            name, media_id = f"{number}", None
            begin: Exact = 0
            if clip is not None:
                clip = clip if len(clip) else self.clips.get(clip.get("id") or "", clip)
                name = text_of(clip, "name") or name
                file = clip.find("file") if clip.find("file") is not None else next(clip.iter("file"), None)
                if file is not None:
                    media_id = self._medium(file, f"{place}/angle-{number}", name).id
                said = decimal(clip.findtext("in"))
                begin = said if said is not None and said > 0 else 0
            angles.append(Angle(f"{key or 'angles'}-{number}", name, media_id, offset=rate.seconds(begin)))
            for child in one:
                tag = str(child.tag).lower()
                if "active" in tag and boolean(child.text, True):
                    seen = angles[-1].id if "video" in tag else seen
                    heard = angles[-1].id if "audio" in tag else heard
        first = angles[0].id if angles else None
        seen, heard = seen or first, heard or seen or first
        # in counts in the active angle's clip; the others are aligned by their in points.
        active = next((angle for angle in angles if angle.id == seen), None)
        base: Exact = active.offset if active is not None and sync_in else 0
        aligned = tuple(replace(angle, offset=angle.offset - base if sync_in else 0) for angle in angles)
        return Angles(aligned, seen, heard, text_of(full, "name"), key)

    def _subclip(self, entry: Entry, media: Media | None) -> Exact:
        """Seconds to add where an item's ``in`` counts from the start of its subclip (12)."""
        offset = decimal(entry.parts["subclipinfo"].findtext("startoffset"))
        length = decimal(entry.fields.get("duration"))
        if (
            not offset
            or offset < 0
            or length is None
            or media is None
            or not media.duration
            or media.rate is None
        ):
            return 0
        whole = media.rate.seconds(media.duration)
        return entry.rate.seconds(offset) if entry.rate.seconds(length) < whole else 0

    def _channels(self, entry: Entry) -> tuple[int, ...]:
        source = entry.parts.get("sourcetrack")
        index = None
        for child in source if source is not None else ():
            if child.tag == "trackindex":
                index = integer(child.text)
        return (index,) if index is not None and index > 0 else (1,)

    def _unread(self, entry: Entry, place: str, content: Content, effects: list[Effect]) -> tuple[Raw, ...]:
        """The elements of an item that are not understood and do not stand in a filter or title that is kept
        as a whole."""
        direct = tuple(raw_of(child) for child in entry.unread)
        if not self.strange:
            return direct
        file = entry.parts.get("file")
        media = self.media.get(file.get("id") or "") if file is not None else None
        if media is not None and media.synthetic:
            # A title or generator has no medium in the model; what its file holds hangs on the item.
            direct += tuple(
                replace(raw, path="/".join(part for part in ("file", raw.path) if part)) for raw in media.raw
            )
        kept = (
            *(one.raw for one in effects),
            *(content.raw if isinstance(content, Title | Generator) else ()),
        )
        return (*direct, *beyond(self._strange(entry.element, place), kept))

    def _report(self, entry: Entry, effects: list[Effect], place: str) -> None:
        for effect in effects:
            self.note("info", "kept-filter", place, f"the filter {effect.name!r} is kept with its settings")
        for child in entry.unread:
            self.note(
                "info", "unread-element", f"{place}/{child.tag}", f"{child.tag} is kept but not understood"
            )


def _marked(element: Element, duration: Exact | None) -> tuple[int, int] | None:
    """The range marked in a sequence; a mark that is not set is written as -1 and counts as the end on its
    side (2.1)."""
    said = [decimal(element.findtext(one)) for one in ("in", "out")]
    first, last = (floor(one) if one is not None and one >= 0 else None for one in said)
    if first is None and last is None:
        return None
    low, high = first or 0, last if last is not None else floor(duration or 0)
    return (low, high) if low < high else None


def _track(kind: str, lane: Lane) -> Track:
    stem = None
    items = tuple(item for _, item in lane.entries)
    for item in items:
        spoken = dict(item.metadata).get("mastercomment1", "")
        if spoken.startswith("STEM: "):
            stem = spoken[6:].strip()
            break
    return Track(
        kind,
        items,
        tuple(lane.transitions),
        lane.name,
        lane.enabled,
        lane.locked,
        stem,
        lane.unread,
        lane.output,
    )


def _linked(tracks: list[Track], links: Links, merged: dict[str, str]) -> tuple[Track, ...]:
    keys = [item.id for track in tracks for item in track.items]
    for gone, kept in merged.items():
        links.join(gone, kept)
    names = links.names(keys)
    if not names:
        return tuple(tracks)
    for track in tracks:
        for item in track.items:
            if item.id in names:
                # Nobody has seen these items yet; making each anew for one field would take a tenth of all
                # the reading.
                object.__setattr__(item, "link", names[item.id])
    return tuple(tracks)


def part_frame(entry: Entry) -> Exact:
    """Seconds by which sound begins beside its whole frame: by its ticks, else by its offset in hundredths of
    a frame (3.6, 3.8)."""
    ticks, begin = integer(entry.fields.get("pproTicksIn")), decimal(entry.fields.get("in"))
    if ticks is not None and ticks >= 0 and begin is not None and begin >= 0:
        apart = exact(exact(ticks, TICKS_PER_SECOND) - entry.rate.seconds(begin))
        if apart and absolute(apart) < entry.rate.seconds(1):
            return apart
    return entry.rate.seconds(exact(integer(entry.fields.get("subframeoffset")) or 0, 100))


def _synthetic(content: Generator, found: Filters) -> Content:
    """A synthetic source whose name tells nothing: a title without its text (10.3)."""
    if content.kind == "title?":
        return Title((), template=content.name, words_known=False)
    return content
