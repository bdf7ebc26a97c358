"""Read a document: resources, then definitions, then projects (15, reading order)."""

from __future__ import annotations

from dataclasses import replace

from lxml import etree

from wexodos.formats.circles import refuse_circular_nests
from wexodos.formats.errors import ReadError
from wexodos.formats.fcpxml.coverage import GAP_KEPT, KNOWN, OWNERS, key_of
from wexodos.formats.fcpxml.items import ItemBuilder
from wexodos.formats.fcpxml.layout import Block, stack_pictures, stack_sound
from wexodos.formats.fcpxml.lexical import Element, color_of, labelled, numbers
from wexodos.formats.fcpxml.linking import by_place
from wexodos.formats.fcpxml.resources import (
    Format,
    Resources,
    audio_rate,
    frame_attribute,
    metadata_of,
    read_resources,
    time_attribute,
)
from wexodos.formats.fcpxml.sources import angle_sequence, edited
from wexodos.formats.fcpxml.story import Join, Leaf, Story, Unit
from wexodos.formats.fcpxml.words import raw_of
from wexodos.formats.names import color_in_name, transition_type, wipe_pattern
from wexodos.formats.strangers import beyond, parsed, strangers
from wexodos.model import (
    Document,
    Folder,
    Item,
    Media,
    Note,
    Parameter,
    Raw,
    Sequence,
    Track,
    Transition,
)
from wexodos.model.raw import EFFECT, FORMAT
from wexodos.model.wipes import wipe_direction
from wexodos.timing import Rate


def read(data: bytes) -> Document:
    """Read a whole document. Raises ``ReadError`` with the place for what cannot be read."""
    root, strange = parsed(data, KNOWN)
    if root.tag != "fcpxml":
        raise ReadError(f"the root element is {root.tag!r}, not 'fcpxml'")
    return _Reader(root, strangers(root, KNOWN, OWNERS, "fcpxml", key_of) if strange else {}).document()


class _Reader:
    """One reading of one document."""

    def __init__(self, root: Element, strange: dict[Element, list[Raw]]) -> None:
        self.root = root
        self.strange = strange
        self.resources: Resources = read_resources(root)
        self.notes: list[Note] = []
        self.builder = ItemBuilder(self.resources, self.notes, strange)
        self.sources = self.builder.sources

    def document(self) -> Document:
        sequences: list[Sequence] = []
        for number, project in enumerate(self.root.iter("project"), 1):
            element = project.find("sequence")
            if element is not None:
                made = self._sequence(element, f"sequence-{number}", project.get("name") or "", True)
                event = project.getparent()
                folder = event.get("name") if event is not None and event.tag == "event" else None
                sequences.append(replace(made, folder=folder) if folder else made)
        for key, media in self.resources.definitions.items():
            element = media.find("sequence")
            if element is not None:
                sequences.append(self._sequence(element, key, media.get("name") or key, False))
            multicam = media.find("multicam")
            for angle in multicam.findall("mc-angle") if multicam is not None else ():
                if multicam is not None and edited(angle, self.resources):
                    sequences.append(self._angle(multicam, angle, key))
        rate = next((one.sample_rate for one in sequences if one.top_level and one.sample_rate), None)
        # Definitions that leave it out have the sample rate of the cut that uses them (2.3).
        sequences = [
            one if one.sample_rate or one.top_level else replace(one, sample_rate=rate) for one in sequences
        ]
        if not sequences:
            self.notes.append(Note("info", "no-sequence", "fcpxml", "the file holds no project"))
        refuse_circular_nests(sequences)
        folders, where = self._folders()
        known = [
            replace(asset.media, folder=where.get(asset.media.id)) if asset.media.id in where else asset.media
            for asset in self.resources.assets.values()
        ]
        if self.strange:
            known = self._unread_of_media(known)
        return Document(
            "fcpxml",
            (self.root.get("version") or "").strip(),
            tuple(sequences),
            (*known, *self.sources.offline.values()),
            tuple(self.notes),
            folders,
            self._effects(),
        )

    def _folders(self) -> tuple[tuple[Folder, ...], dict[str, str]]:
        """Events as folders: the media of the clips that stand in them, and the projects."""
        found: list[Folder] = []
        where: dict[str, str] = {}
        for event in self.root.iter("event"):
            path = event.get("name") or "event"
            members = []
            for clip in event:
                for element in (
                    (clip, *clip.iter("video", "audio", "asset-clip")) if clip.tag != "project" else ()
                ):
                    asset = self.resources.assets.get(element.get("ref") or "")
                    if asset is not None:
                        members.append(asset.media.id)
                        where.setdefault(asset.media.id, path)
            found.append(Folder(path, tuple(dict.fromkeys(members))))
        return tuple(found), where

    def _effects(self) -> tuple[Raw, ...]:
        """What kept pieces refer to: effects, with uid and name, and formats as they stand, by their ids."""
        resources = tuple(
            Raw("fcpxml", f"{EFFECT}{key}", f"{uid}\n{name}")
            for key, (name, uid) in self.resources.effects.items()
        ) + tuple(Raw("fcpxml", f"{FORMAT}{key}", told) for key, told in self.resources.format_words.items())
        direct = tuple(raw_of(child) for child in self.root if child.tag not in KNOWN)
        deep = tuple(self.strange.get(self.root, ()))
        for raw in (*direct, *deep):
            self._unread(raw, "fcpxml")
        return (*resources, *direct, *deep)

    def _unread(self, raw: Raw, place: str) -> None:
        where = "/".join(part for part in (place, raw.path, raw.tag) if part)
        self.notes.append(Note("info", "unread-element", where, f"{raw.tag} is kept but not understood"))

    def _unread_of_media(self, known: list[Media]) -> list[Media]:
        """The media with the unknown elements that stand in their assets."""
        found: dict[str, list[Raw]] = {}
        for element in self.root.iter("asset"):
            raws = [
                *(raw_of(child) for child in element if child.tag not in KNOWN),
                *self.strange.get(element, ()),
            ]
            for raw in raws:
                self._unread(raw, f"asset {element.get('id')}")
            found[element.get("id") or ""] = raws
        return [replace(media, raw=tuple(found.get(media.id, ()))) for media in known]

    def _sequence(self, element: Element, sequence_id: str, name: str, top_level: bool) -> Sequence:
        shape = self.resources.formats.get(element.get("format") or "", Format())
        rate = self._rate(shape, sequence_id)
        begin = time_attribute(element, "tcStart", sequence_id) or 0
        drop = (element.get("tcFormat") or "").upper() == "DF"
        story = Story(self.sources.natural, rate, sequence_id)
        spine = element.find("spine")
        if spine is not None:
            first = next((child for child in spine if child.tag != "transition"), None)
            offset = frame_attribute(first, "offset", rate, sequence_id) if first is not None else None
            begin_frame = rate.frames(begin)
            base = begin_frame if offset is None or offset >= begin_frame else 0
            story.spine(spine, 0, base, ())
        self.builder.begin(sequence_id, rate, shape, drop)
        tracks = self._tracks(story, sequence_id)
        markers = self.builder.sequence_markers(story)
        said = time_attribute(element, "duration", sequence_id)
        if said is not None and said < 0:
            raise ReadError("the sequence's duration is negative", sequence_id)
        leftovers = self._leftovers(story, element, sequence_id)
        return Sequence(
            id=sequence_id,
            name=name,
            rate=rate,
            start=round(rate.frames(begin)),
            drop_frame=drop,
            width=shape.width,
            height=shape.height,
            pixel_aspect=shape.pixel_aspect,
            field_order=shape.field_order,
            sample_rate=audio_rate(element.get("audioRate"))
            or (48000 if element.get("audioLayout") else None),
            audio_layout=element.get("audioLayout"),
            tracks=tracks,
            markers=tuple(sorted(markers, key=lambda marker: marker.start)),
            top_level=top_level,
            stated_duration=rate.frames(said) if said is not None else None,
            note=(element.findtext("note") or "").strip(),
            raw=leftovers,
            metadata=metadata_of(element),
        )

    def _rate(self, shape: Format, place: str) -> Rate:
        if shape.rate is not None:
            return shape.rate
        rate = next(
            (asset.media.rate for asset in self.resources.assets.values() if asset.media.rate), None
        ) or Rate(25)
        self.notes.append(
            Note(
                "warning",
                "no-rate",
                place,
                f"the sequence's format gives no rate; read at {rate.label()} frames",
            )
        )
        return rate

    def _angle(self, multicam: Element, angle: Element, ref: str) -> Sequence:
        """An angle that is itself edited, as a sequence that begins where the multi-angle clip's own time
        does (12)."""
        key = angle_sequence(ref, angle.get("angleID") or "")
        shape = self.resources.formats.get(multicam.get("format") or "", Format())
        rate = self._rate(shape, key)
        begin = time_attribute(multicam, "tcStart", key) or 0
        story = Story(self.sources.natural, rate, key)
        story.spine(angle, 0, rate.frames(begin), ())
        self.builder.begin(key, rate, shape, (multicam.get("tcFormat") or "").upper() == "DF")
        return Sequence(
            id=key,
            name=angle.get("name") or key,
            rate=rate,
            width=shape.width,
            height=shape.height,
            pixel_aspect=shape.pixel_aspect,
            field_order=shape.field_order,
            tracks=self._tracks(story, key),
            top_level=False,
            metadata=(("angle of", ref),),
        )

    def _leftovers(self, story: Story, element: Element, place: str) -> tuple[Raw, ...]:
        """Note and keep what stands in a sequence and is not understood."""
        unread = [
            *(raw_of(one) for one in story.unknown if one.tag in KNOWN),
            *(raw_of(child) for child in element if child.tag not in ("spine", "note", "metadata")),
            *self.strange.get(element, ()),
        ]
        for number, gap in enumerate(element.iter("gap")):
            place_of = f"spine/gap#{number}" if number else "spine/gap"
            unread += [
                replace(raw_of(child), path=place_of)
                for child in gap
                if child.tag in GAP_KEPT or child.tag not in KNOWN
            ]
            unread += [replace(raw, path=f"{place_of}/{raw.path}") for raw in self.strange.get(gap, ())]
        for raw in unread:
            self._unread(raw, place)
        for audition in story.auditions:
            takes = len([child for child in audition if child.tag != "metadata"])
            self.notes.append(
                Note(
                    "info", "alternatives", place, f"one of {takes} stacked takes is in use; the others wait"
                )
            )
        return tuple(unread)

    # ---- tracks

    def _tracks(self, story: Story, place: str) -> tuple[Track, ...]:
        pictures: list[Block] = []
        sounds: list[Block] = []
        roles: dict[str, int] = {}
        for unit in story.units:
            built = [self.builder.items(leaf, place) for leaf in _merged(unit.leaves)]
            for picture, sounds_of in built:
                _pair(picture, sounds_of)
            seen = [picture for picture, _ in built if picture is not None]
            heard = [sound for _, sounds_of in built for sound in sounds_of]
            joins = [self._transition(join, place, "video") for join in unit.joins if _shows(join)]
            pictures.extend(_picture_blocks(unit, seen, joins))
            sound_joins = [self._transition(join, place, "audio") for join in unit.joins if _sounds(join)]
            sounds.extend(_sound_blocks(unit, heard, sound_joins, roles))
        tracks = [_track("video", blocks) for blocks in stack_pictures(pictures)]
        tracks += [_track("audio", blocks) for blocks in stack_sound(sounds)]
        return _linked(tracks)

    def _transition(self, join: Join, place: str, kind: str) -> Transition:
        start, cut, duration = join.start, join.cut, join.duration
        element = join.element
        name = element.get("name") or ""
        identifier = f"{place}/transition-{self.sources.count()}"
        metadata = dict(metadata_of(element))
        identifier = metadata.get(f"wexodos.{kind}", identifier)
        if kind == "audio":
            effect = element.find("filter-audio")
            label = (effect.get("name") if effect is not None else None) or "Audio crossfade"
            own = effect is not None and (
                len(effect) > 0
                or self.resources.effects.get(effect.get("ref") or "", ("", ""))[1]
                not in ("", "FFAudioTransition")
            )
            spelled = self._spelled(effect, identifier) if effect is not None and own else ()
            return Transition(
                identifier,
                label,
                "audio-equal-power",
                start,
                duration,
                cut,
                raw=(*spelled, *(() if _shows(join) else self._unread_join(element))),
            )
        effect = element.find("filter-video")
        parameters: list[Parameter] = []
        color = border_color = direction = None
        softness = border = pattern = None
        look = ""
        if effect is not None:
            known = self.resources.effects.get(effect.get("ref") or "", ("", ""))
            name = effect.get("name") or known[0] or name
            for one in effect.iter("param"):
                label, value = one.get("name") or one.get("key") or "", one.get("value") or ""
                parameters.append(
                    Parameter(label, value[:200], len(one.findall("keyframeAnimation/keyframe")))
                )
                words, figures = label.lower(), numbers(value)
                if "color" in words and len(figures) >= 3:
                    if "border" in words:
                        border_color = border_color or color_of(value)
                    else:
                        color = color or color_of(value)
                elif words == "look":
                    look = value.lower()
                elif "softness" in words or "feather" in words:
                    softness = figures[0] if figures else softness
                elif "border" in words:
                    border = figures[0] if figures else border
                elif "direction" in words:
                    direction = labelled(value).lower() or direction
                elif words == "pattern" and figures:
                    pattern = int(figures[0])
            found = transition_type(name) or transition_type(known[0])
            if found is None:
                found = "iris" if any(word in name.lower() for word in ("circle", "star")) else "other"
        else:
            found = "dissolve"
        if found == "dissolve" and "additive" in look:
            found = "additive"
        if found == "dip":
            color = color or color_in_name(name)
        if found in ("wipe", "iris"):
            pattern = pattern or wipe_pattern(name)
            direction = direction or (wipe_direction(pattern, False) if pattern else None)
        kept = effect is not None and (found != "dissolve" or len(effect))
        raw = self._spelled(effect, identifier) if effect is not None and kept else ()
        raw = (*raw, *self._unread_join(element))
        return Transition(
            identifier,
            name,
            found,
            start,
            duration,
            cut,
            color if found == "dip" else None,
            pattern if found in ("wipe", "iris") else None,
            direction if found != "dissolve" else None,
            softness,
            border,
            border_color,
            tuple(parameters),
            raw,
        )

    def _spelled(self, effect: Element, place: str) -> tuple[Raw, ...]:
        """The effect of a transition as it stands there; it means nothing where it is defined nowhere."""
        ref = effect.get("ref") or ""
        if ref in self.resources.effects:
            return (raw_of(effect),)
        name = effect.get("name") or ref
        text = f"the effect {name} is used but defined nowhere; its transition goes by its name"
        self.notes.append(Note("warning", "undefined", place, text))
        return ()

    def _unread_join(self, element: Element) -> tuple[Raw, ...]:
        """What a transition holds beside its effects."""
        return (
            *(
                raw_of(child)
                for child in element
                if child.tag not in ("filter-video", "filter-audio", "metadata")
            ),
            *beyond(
                self.strange.get(element, ()),
                [raw_of(child) for child in element if child.tag.startswith("filter-")],
            ),
        )


def _pair(picture: Item | None, sounds: list[Item]) -> None:
    """Picture and sounds of one clip belong together."""
    members = [*([picture] if picture is not None else []), *sounds]
    if len(members) > 1:
        for one in members:
            _link(one, members[0].id)


def _link(item: Item, name: str) -> None:
    """Link an item that nobody has seen yet; making it anew for one field would take a tenth of all the
    reading."""
    object.__setattr__(item, "link", name)


def _linked(tracks: list[Track]) -> tuple[Track, ...]:
    """Link pictures with sound that was detached from them."""
    names = by_place(item for track in tracks for item in track.items)
    for track in tracks:
        for item in track.items:
            if item.link is None and item.id in names:
                _link(item, names[item.id])
    return tuple(tracks)


def _shows(join: Join) -> bool:
    return join.element.find("filter-video") is not None or join.element.find("filter-audio") is None


def _sounds(join: Join) -> bool:
    return join.element.find("filter-audio") is not None or join.element.find("filter-video") is None


def _merged(leaves: list[Leaf]) -> list[list[Leaf]]:
    """Bring together the channels of one source that stand as several ``audio`` elements in a clip."""
    result: list[list[Leaf]] = []
    places: dict[tuple[object, ...], int] = {}
    for leaf in leaves:
        if leaf.element.tag == "audio" and leaf.element is not leaf.owner:
            own = b"".join(
                etree.tostring(child, with_tail=False)
                for child in leaf.element
                if child.tag.startswith("adjust-")
            )
            key = (
                id(leaf.owner),
                leaf.element.get("ref"),
                leaf.start,
                leaf.duration,
                leaf.delta,
                leaf.element.get("role"),
                own,
            )
            if key in places:
                result[places[key]].append(leaf)
                continue
            places[key] = len(result)
        result.append([leaf])
    return result


def _touching(items: list[Item], transitions: list[Transition]) -> list[Transition]:
    if not transitions:
        return []
    edges = {item.start for item in items} | {item.end for item in items}
    return [one for one in transitions if one.cut in edges]


def _picture_blocks(unit: Unit, items: list[Item], transitions: list[Transition]) -> list[Block]:
    if not items:
        return []
    if len(items) == 1 or not unit.key:
        return [Block(unit.key, items, _touching(items, transitions))]
    apart = _overlap(items)
    if apart:
        return [
            Block(unit.key, [item], _touching([item], transitions) if number == 0 else [])
            for number, item in enumerate(items)
        ]
    return [Block(unit.key, items, _touching(items, transitions))]


def _sound_blocks(
    unit: Unit, items: list[Item], transitions: list[Transition], roles: dict[str, int]
) -> list[Block]:
    blocks: list[Block] = []
    by_role: dict[str, list[Item]] = {}
    for item in items:
        role = item.sound.roles[0] if item.sound is not None and item.sound.roles else ""
        by_role.setdefault(role.split(".")[0] if not unit.key else "", []).append(item)
    for role, members in by_role.items():
        if not unit.key:
            key: tuple[int, ...] = (0, roles.setdefault(role, len(roles)))
        else:
            lane = unit.key[0]
            key = (1, -lane) if lane < 0 else (2, lane)
        if _overlap(members):
            joined = _touching(members, transitions)
            for item in members:
                own = [
                    one
                    for one in joined
                    if one.cut == item.end or (one.cut == item.start and item is members[0])
                ]
                blocks.append(Block(key, [item], own))
        else:
            blocks.append(Block(key, members, _touching(members, transitions)))
    return blocks


def _overlap(items: list[Item]) -> bool:
    if len(items) < 2:
        return False
    ordered = sorted(items, key=lambda item: item.start)
    return any(one.end > other.start for one, other in zip(ordered, ordered[1:]))


def _track(kind: str, blocks: list[Block]) -> Track:
    items = sorted((item for block in blocks for item in block.items), key=lambda item: item.start)
    transitions = sorted((one for block in blocks for one in block.transitions), key=lambda one: one.start)
    roles = {
        item.sound.roles[0].split(".")[0].lower()
        for item in items
        if item.sound is not None and item.sound.roles
    }
    full = {item.sound.roles[0] for item in items if item.sound is not None and item.sound.roles}
    stem = None
    if kind == "audio" and len(roles) == 1:
        stem = full.pop() if len(full) == 1 else roles.pop()
    return Track(kind, tuple(items), tuple(transitions), stem=stem)
