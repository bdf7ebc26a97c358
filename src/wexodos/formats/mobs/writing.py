"""The mobs of a cut: the composition, and the chain master, file, reel of every medium."""

from __future__ import annotations

import uuid
from dataclasses import replace
from fractions import Fraction

from wexodos.formats.errors import WriteError
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.joins import Join, Node, row
from wexodos.formats.mobs.operations import crossfade, gain_of, points_of, simple_pace
from wexodos.formats.mobs.pictures import clothed, still_length, title
from wexodos.formats.mobs.places import source_units, units_of
from wexodos.formats.spelling import Sounding, Spelling
from wexodos.model import (
    Angles,
    Constant,
    Curve,
    Document,
    Item,
    Marker,
    Media,
    MediaUse,
    NestedUse,
    Sequence,
    Title,
    Track,
    constant,
)
from wexodos.model.speed import NORMAL, Variable, is_freeze, source_at, straightened
from wexodos.timing import Exact, Rate, ceil, exact, floor

DEFAULT_SAMPLES = 48000
TIMECODE_SLOT, MARKER_SLOT = 1, 1000
PICTURE_SLOT = 1
NAMESPACE = uuid.UUID("6f7c1fe0-6a1c-4c52-9a71-3b1f0c5d9e21")


def mobs_of(document: Document, sequence_id: str, how: Spelling, pictures: bool = True) -> tree.File:
    """The tree of one sequence and of those nested in its pictures. Raises ``WriteError`` for what only
    carry-over can settle before (nested sound, missing media)."""
    sequence = document.sequences_by_id[sequence_id]
    return _Maker(document, sequence, how, pictures).made()


class _Maker:
    def __init__(self, document: Document, sequence: Sequence, how: Spelling, pictures: bool) -> None:
        self.document, self.sequence, self.how, self.pictures = document, sequence, how, pictures
        self.every = (sequence, *document.reachable(sequence))
        self.nests: dict[str, tree.Mob] = {}
        self.samples = Rate(sequence.sample_rate or DEFAULT_SAMPLES)
        self.sound_rate = self.samples if how.edit_rate == "samples" else sequence.rate
        self.file = tree.File()
        self.masters: dict[tuple[str, str], tree.Mob] = {}
        self.sources: dict[str, list[tree.Mob]] = {}
        self.total = sequence.duration
        self.pans: dict[str, Curve | None] = {}

    def made(self) -> tree.File:
        whole = self._composition("top")
        self._spare()
        self.file.top = [whole.id]
        return self.file

    def _composition(self, usage: str) -> tree.Mob:
        sequence = self.sequence
        whole = tree.Mob(
            self._id("composition", sequence.id, sequence.name, str(uuid.uuid4())),
            "composition",
            sequence.name,
            usage,
            comments=self._settings(),
        )
        start = tree.TimecodeSegment(
            "timecode", self.total, sequence.start, sequence.rate.nominal, sequence.drop_frame
        )
        whole.slots.append(tree.Slot(TIMECODE_SLOT, sequence.rate, start, "TC1", 1))
        number = TIMECODE_SLOT + 1
        if self.pictures and sequence.video_tracks:
            rows: list[tree.Segment] = [
                self._track(track, "picture", sequence.rate, 0) for track in sequence.video_tracks
            ]
            picture: tree.Segment = rows[0]
            if len(rows) > 1:
                picture = tree.NestedScope("picture", self.total, rows)
            # All picture tracks share one slot, which has one name; people can read the others among the
            # comments.
            whole.comments.update(
                (f"V{place}", one.name) for place, one in enumerate(sequence.video_tracks, 1) if one.name
            )
            whole.slots.append(tree.Slot(number, sequence.rate, picture, "V1", 1))
            number += 1
        count = 0
        for track in sequence.audio_tracks:
            wide = max(
                (
                    len(item.sound.channels) if item.sound and item.sound.channels else 1
                    for item in track.items
                ),
                default=1,
            )
            for place in range(wide):
                count += 1
                if self.how.progress is not None:
                    self.how.progress("writing tracks", 0.0)
                segment = self._sound_track(track, place)
                whole.slots.append(
                    tree.Slot(number, self.sound_rate, segment, track.name or track.stem or "", count)
                )
                number += 1
        self._markers(whole)
        self.file.mobs[whole.id] = whole
        return whole

    def _nest(self, key: str) -> tree.Mob:
        """The composition of a nested sequence, made where it is first used."""
        nested = self.document.sequences_by_id.get(key)
        if nested is None:
            raise WriteError(f"the nested sequence {key!r} is not there")
        if key not in self.nests:
            inner = _Maker(self.document, nested, self.how, self.pictures)
            inner.file, inner.masters, inner.sources = self.file, self.masters, self.sources
            inner.nests, inner.every = self.nests, self.every
            self.nests[key] = inner._composition("")
        return self.nests[key]

    def _id(self, *parts: str) -> str:
        return uuid.uuid5(NAMESPACE, "\x00".join(parts)).hex

    def _settings(self) -> dict[str, str]:
        """Compositions have no descriptor: what is known of the frame goes into comments, where people can
        read it too."""
        sequence = self.sequence
        found = {key: value for key, value in sequence.metadata if key and value}
        if sequence.width and sequence.height:
            found["Frame size"] = f"{sequence.width} x {sequence.height}"
        if sequence.pixel_aspect != 1:
            found["Pixel aspect"] = str(sequence.pixel_aspect)
        if sequence.field_order != "progressive":
            found["Field order"] = sequence.field_order
        if sequence.sample_rate:
            found["Sample rate"] = str(sequence.sample_rate)
        return found

    # ---- tracks

    def _sound_track(self, track: Track, place: int) -> tree.Segment:
        """One channel of a sound track; a pan that all its clips share is the track's."""
        # Neighbours of one name and with the same clips would be taken for one track of several channels.
        name = track.name or track.stem
        alike = [
            one for one in self.sequence.audio_tracks if one is not track and (one.name or one.stem) == name
        ]
        others = {_place(item) for one in alike for item in one.items}
        self.pans = {
            item.id: _pan(item, place, _place(item) in others)
            for item in track.items
            if place < max(1, len(item.sound.channels if item.sound else ()))
        }
        values = list(self.pans.values())
        shared = values[0] if values and all(one == values[0] for one in values) else None
        if isinstance(shared, Curve) and not shared.animated and shared.still != (0.0,):
            self.pans = {}
            made = self._track(track, "sound", self.sound_rate, place)
            return tree.Operation("sound", made.length, "pan", [made], {"pan": (shared.still[0] + 1) / 2})
        return self._track(track, "sound", self.sound_rate, place)

    def _track(self, track: Track, kind: str, rate: Rate, place: int) -> tree.Sequence:
        items = [one for one in track.items if one.duration > 0]
        if kind == "sound":
            items = [one for one in items if place < max(1, len(one.sound.channels if one.sound else ()))]
        edges = {edge for one in items for edge in (one.start, one.end)}
        transitions = [one for one in track.transitions if one.cut in edges]
        nodes, joins = row(items, transitions, self.total, self.how.fades if kind == "sound" else "clips")
        made = tree.Sequence(kind, units_of(self.total, self.sequence.rate, rate))
        position = 0
        for node, join in zip(nodes, joins):
            start, end = (units_of(one, self.sequence.rate, rate) for one in (node.start, node.end))
            if join is not None:
                first, last, cut = (
                    units_of(one, self.sequence.rate, rate) for one in (join.start, join.end, join.cut)
                )
                if last <= first:
                    join = None
                else:
                    made.parts.append(self._transition(join, kind, last - first, cut - first))
                    position -= last - first
            if start != position:
                # Rounded to edit units, the edges still have to meet.
                start = position
            if end > start or node.item is not None:
                made.parts.append(self._node(node, track, kind, rate, place, start, max(end, start + 1)))
                position = max(end, start + 1)
        return made

    def _transition(self, join: Join, kind: str, length: int, cut: int) -> tree.Transition:
        cut = min(max(cut, 0), length)
        if kind == "sound":
            law = (
                join.law
                if join.made is None
                else {"audio-linear": "linear"}.get(join.made.type, "equal-power")
            )
            return tree.Transition(
                kind, length, cut, crossfade(kind, length, "linear" if law == "linear" else "equal-power")
            )
        made = join.made
        ramp = tree.Varying([tree.Point(0, 0.0), tree.Point(1, 1.0)])
        effect = tree.Operation(kind, length, "dissolve", [], {"level": ramp}, made.name if made else "")
        if made is not None and made.type == "wipe":
            effect.op = "wipe"
            effect.parameters["wipe-number"] = made.pattern or 1
            if made.direction in ("right to left", "bottom to top", "reverse", "anticlockwise") or (
                made.direction or ""
            ).startswith(("sides to", "edges to", "top and bottom to", "from bottom")):
                effect.parameters["wipe-reverse"] = 1
            if made.softness:
                effect.parameters["wipe-soft"] = exact(Fraction(made.softness).limit_denominator(1000) / 100)
            if made.border:
                effect.parameters["wipe-border"] = exact(Fraction(made.border).limit_denominator(1000) / 100)
        return tree.Transition(kind, length, cut, effect)

    def _node(
        self, node: Node, track: Track, kind: str, rate: Rate, place: int, start: int, end: int
    ) -> tree.Segment:
        item = node.item
        if item is None:
            return tree.Filler(kind, end - start)
        length = end - start
        shift = item.start - node.start
        span = exact(node.end - node.start)
        if isinstance(item.content, Title):
            segment: tree.Segment = title(item.content, length, self.sequence.frame_size)
        elif isinstance(item.content, MediaUse):
            segment = self._clip(item, kind, rate, place, length, shift)
        elif isinstance(item.content, NestedUse) and kind == "picture":
            nest = self._nest(item.content.sequence)
            slot = next((one.id for one in nest.slots if one.segment.kind == "picture"), 0)
            segment = self._source_clip(item, kind, rate, length, shift, nest.id, slot)
        else:
            raise WriteError(f"{item.name or item.id}: {item.kind} has no form in mobs")
        clip = segment
        if kind == "picture":
            segment = clothed(item, segment, shift, span, self.sequence, self.document)
        elif item.sound is not None:
            segment = self._gained(item, segment, shift, span, node, rate)
        if isinstance(item.content, Title | NestedUse) and item.name:
            clip.comments["Clip name"] = item.name
        if item.note:
            clip.comments["Note"] = item.note
        clip.comments.update((word, text) for word, text in item.metadata if word and text)
        off = not item.enabled or not track.enabled
        if kind == "sound" and item.sound is not None and item.sound.channels:
            off = off or item.sound.channels[place] in item.sound.muted
        if not off:
            return segment
        return tree.Selector(
            kind,
            length,
            tree.Filler(kind, length),
            [segment],
            attributes={"_DISABLE_CLIP_FLAG": 1, "_AAF_SELECTED": 0},
        )

    def _clip(self, item: Item, kind: str, rate: Rate, place: int, length: int, shift: Exact) -> tree.Segment:
        media = self.document.media_by_id.get(
            item.content.media if isinstance(item.content, MediaUse) else ""
        )
        if media is None:
            raise WriteError(f"{item.name or item.id}: it is not said which medium it is")
        channel = (
            (item.sound.channels[place] if item.sound.channels else place + 1)
            if item.sound is not None
            else 0
        )
        slot = (
            PICTURE_SLOT
            if kind == "picture"
            else channel + (1 if self._pictured(media) and media.id not in self.how.sounds else 0)
        )
        master = self._master(media, item.name, channel)
        if not any(one.id == slot for one in master.slots):
            raise WriteError(f"{item.name or item.id}: its medium has no such channel")
        if item.still or media.still:
            return tree.SourceClip(kind, length, master.id, slot, 0)
        return self._source_clip(item, kind, rate, length, shift, master.id, slot)

    def _source_clip(
        self, item: Item, kind: str, rate: Rate, length: int, shift: Exact, mob: str, slot: int
    ) -> tree.Segment:
        """What is shown of a mob, at whatever speed."""
        if item.speed is NORMAL or item.speed == NORMAL:
            start = source_units(exact(item.source_in - self.sequence.rate.seconds(shift)), rate)
            return tree.SourceClip(kind, length, mob, slot, start)
        return self._retimed(item, kind, rate, length, shift, mob, slot)

    def _retimed(
        self, item: Item, kind: str, rate: Rate, length: int, shift: Exact, master: str, slot: int
    ) -> tree.Segment:
        """A clip at another speed: the group's length is what is shown, its input what that takes of the
        source."""
        speed, own = item.speed, self.sequence.rate
        first, way = source_at(speed, item.source_in, exact(-shift), own)
        if is_freeze(speed):
            shown = floor(rate.frames(first) + Fraction(1, 1000))
            clip = tree.SourceClip(kind, 1, master, slot, max(shown, 0))
            return tree.Operation(
                kind,
                length,
                "speed",
                [clip],
                {"speed-ratio": length, "offset-map": _map([(0, 0), (length, 0)])},
            )
        if isinstance(speed, Constant):
            pace = Fraction(speed.rate)
            taken = max(1, floor((length - 1) * abs(pace)) + 1)
            at = source_units(first, rate)
            simpler = abs(pace) == Fraction(taken, length) and simple_pace(taken, length) is not None
            if simpler and (way > 0 or at > taken):
                # It would be read as a simpler speed that uses as many frames: one frame more says otherwise.
                taken += 1
            clip = tree.SourceClip(kind, taken, master, slot, at if way > 0 else at - taken)
            return tree.Operation(kind, length, "speed", [clip], {"speed-ratio": exact(1 / pace)})
        assert isinstance(speed, Variable)
        points = straightened(speed).points
        lowest = min(
            floor(rate.frames(source_at(speed, 0, edge, own)[0]))
            for edge in (
                exact(-shift),
                item.duration,
                *(point.time for point in points if -shift <= point.time <= item.duration),
            )
        )
        back = way < 0
        keys = [
            (exact(point.time + shift), exact(rate.frames(point.source) - lowest - back)) for point in points
        ]
        edges: list[Exact] = [0, length]
        for edge in edges:
            if all(time != edge for time, _ in keys):
                keys.append(
                    (
                        edge,
                        exact(rate.frames(source_at(speed, 0, exact(edge - shift), own)[0]) - lowest - back),
                    )
                )
        keys.sort()
        # What the map reaches at its very end is not shown any more.
        furthest = max(value for _, value in keys)
        ends = keys[-1][1] == furthest and all(value < furthest for _, value in keys[:-1])
        taken = max(1, ceil(furthest) if ends else floor(furthest) + 1)
        clip = tree.SourceClip(kind, taken, master, slot, lowest)
        ratio = exact(length, taken)
        return tree.Operation(kind, length, "speed", [clip], {"speed-ratio": ratio, "offset-map": _map(keys)})

    def _gained(
        self, item: Item, segment: tree.Segment, shift: Exact, span: Exact, node: Node, rate: Rate
    ) -> tree.Segment:
        """Fades as properties of the clip, level and a moving pan around it."""
        sound = item.sound
        assert sound is not None
        if isinstance(segment, tree.SourceClip):
            for property_, fade in (("fade_in", node.fade_in), ("fade_out", node.fade_out)):
                if fade is not None:
                    law = "linear" if fade.shape == "linear" else "equal-power"
                    setattr(segment, property_, (units_of(fade.duration, self.sequence.rate, rate), law))
        if sound.level.keys or sound.level.value != (0.0,):
            amplitude = points_of(sound.level, shift, span, 0, gain_of)
            if amplitude != 1.0:
                segment = tree.Operation("sound", segment.length, "gain", [segment], {"amplitude": amplitude})
        pan = self.pans.get(item.id)
        if pan is not None:
            side = points_of(pan, shift, span, 0, lambda value: (value + 1) / 2)
            segment = tree.Operation("sound", segment.length, "pan", [segment], {"pan": side})
        return segment

    # ---- media

    def _master(self, media: Media, name: str, channel: int) -> tree.Mob:
        """The master mob of a medium under the name a clip bears; names of clips are those of master mobs."""
        key = (media.id, name)
        found = self.masters.get(key)
        if found is not None:
            return found
        sources = self.sources.get(media.id)
        if sources is None:
            sounds = self.how.sounds.get(media.id)
            sources = (
                [self._source(media)]
                if sounds is None
                else [self._sounding(media, one) for _, one in sorted(sounds.items())]
            )
            self.sources[media.id] = sources
        made = tree.Mob(self._id("master", sources[0].id, name), "master", name)
        for source in sources:
            for slot in source.slots:
                kind, length = slot.segment.kind, slot.segment.length
                # The channels of a turnover have a file each; their numbers are those of the medium they came
                # from.
                number = slot.number if len(source.slots) == 1 and kind == "sound" else slot.id
                made.slots.append(
                    tree.Slot(
                        number,
                        slot.rate,
                        tree.SourceClip(kind, length, source.id, slot.id, 0),
                        slot.name,
                        slot.number,
                    )
                )
        made.comments.update((key, value) for key, value in media.metadata if key and value)
        self.masters[key] = made
        self.file.mobs[made.id] = made
        return made

    def _source(self, media: Media) -> tree.Mob:
        """File and reel of a medium that is linked to."""
        rate = media.rate or self.sequence.rate
        samples = Rate(media.sample_rate or self.samples.numerator)
        seconds = rate.seconds(media.duration) if media.duration else self._needed(media)
        still = media.still and not media.duration
        frames = still_length(rate) if still else max(1, ceil(rate.frames(seconds)))
        count = max(1, ceil(samples.frames(seconds)))
        key: tuple[str, ...] = (
            media.path or "",
            media.name,
            media.id if not media.path else "",
            media.reel or "",
            str(media.start),
        )
        if self._id("file", *key) in self.file.mobs:
            # A second account of one file, which says something else of it, stays a second.
            key = (*key, media.id)
        picture = self._pictured(media)
        sound = media.audio or self._used(media, "audio")
        reel = tree.Mob(
            self._id("reel", *key),
            "source",
            media.reel or media.name,
            descriptor=tree.Descriptor("tape" if media.reel else "import", locators=[]),
        )
        source = tree.Mob(
            self._id("file", *key),
            "source",
            media.name,
            descriptor=tree.Descriptor(
                "file",
                rate=rate if picture else samples,
                length=frames if picture else count,
                width=media.width,
                height=media.height,
                field_order=media.field_order,
                pixel_aspect=media.pixel_aspect,
                channels=media.channels or (self._channels(media) if sound else None),
                sample_rate=media.sample_rate,
                bits=media.bit_depth,
                locators=[media.path] if media.path else [],
                picture=picture,
                sound=sound,
            ),
        )
        number = 1
        if picture:
            null = tree.SourceClip("picture", frames, tree.NO_MOB, 0, 0)
            reel.slots.append(tree.Slot(number, rate, null, "V1", 1))
            clip = tree.SourceClip("picture", frames, reel.id, number, 0)
            source.slots.append(tree.Slot(number, rate, clip, "V1", 1))
            number += 1
        if sound:
            for channel in range(1, self._channels(media) + 1):
                null = tree.SourceClip("sound", count, tree.NO_MOB, 0, 0)
                reel.slots.append(tree.Slot(number, samples, null, f"A{channel}", channel))
                clip = tree.SourceClip("sound", count, reel.id, number, 0)
                source.slots.append(tree.Slot(number, samples, clip, f"A{channel}", channel))
                number += 1
        if media.rate is not None and media.start is not None:
            code = tree.TimecodeSegment(
                "timecode", frames, media.start, media.rate.nominal, bool(media.drop_frame)
            )
            reel.slots.append(tree.Slot(number, media.rate, code, "TC1", 1))
        for mob in (reel, source):
            self.file.mobs[mob.id] = mob
        return source

    def _pictured(self, media: Media) -> bool:
        """Whether a medium has a picture slot."""
        return media.video or media.still or self._used(media, "video")

    def _used(self, media: Media, kind: str) -> bool:
        """Whether the cut uses a medium for picture or sound, whatever is said of it."""
        return any(
            isinstance(item.content, MediaUse) and item.content.media == media.id
            for one in self.every
            for track in one.tracks
            if track.kind == kind
            for item in track.items
        )

    def _channels(self, media: Media) -> int:
        """How many channels a medium has: what it says, or what the cut uses of it."""
        used = [
            channel
            for one in self.every
            for item in one.items()
            if item.sound is not None
            and isinstance(item.content, MediaUse)
            and item.content.media == media.id
            for channel in (item.sound.channels or (1,))
        ]
        return max([media.channels or 0, *used, 1])

    def _needed(self, media: Media) -> Exact:
        """Seconds of a medium of unknown length that the cut uses; what a clip needs must be there."""
        furthest: Exact = 1
        for rate, track in ((one.rate, track) for one in self.every for track in one.tracks):
            joins = {one.cut: one for one in track.transitions}
            for item in track.items:
                if isinstance(item.content, MediaUse) and item.content.media == media.id:
                    after = joins.get(item.end)
                    until = item.duration if after is None else exact(after.end - item.start)
                    edges = [source_at(item.speed, item.source_in, at, rate)[0] for at in (0, until)]
                    furthest = max(furthest, *(exact(edge + rate.seconds(1)) for edge in edges))
        return furthest

    def _sounding(self, media: Media, made: Sounding) -> tree.Mob:
        """File and reel of a sound that was made for this turnover: one channel, its time in samples."""
        rate = Rate(made.rate)
        key = (
            made.name,
            str(made.channel),
            str(made.origin),
            str(made.frames),
            str(made.rate),
            str(made.bits),
        )
        reel = tree.Mob(
            self._id("reel", *key),
            "source",
            media.reel or media.name,
            descriptor=tree.Descriptor("tape" if media.reel else "import"),
        )
        what = {"pcm": "pcm", "wave": "wave", "aiff": "aiff"}[made.form]
        source = tree.Mob(
            self._id("file", *key),
            "source",
            made.name,
            descriptor=tree.Descriptor(
                "file",
                what,
                rate,
                made.frames,
                channels=1,
                sample_rate=made.rate,
                bits=made.bits,
                sound=True,
                summary=made.head,
                # Where the file is on this system, and where it is whichever system the turnover goes to.
                locators=[place for place in (made.path, made.beside) if place],
            ),
        )
        origin = made.origin or 0
        reel.slots.append(
            tree.Slot(1, rate, tree.SourceClip("sound", made.frames, tree.NO_MOB, 0, 0), "A1", 1)
        )
        own = media.rate or self.sequence.rate
        start = floor(own.frames(rate.seconds(origin)))
        length = ceil(own.frames(rate.seconds(made.frames))) + 1
        code = tree.TimecodeSegment("timecode", length, start, own.nominal, bool(media.drop_frame))
        reel.slots.append(tree.Slot(2, own, code, "TC1", 1))
        clip = tree.SourceClip("sound", made.frames, reel.id, 1, 0)
        source.slots.append(tree.Slot(1, rate, clip, made.track or f"A{made.channel}", made.channel))
        for mob in (reel, source):
            self.file.mobs[mob.id] = mob
        if made.path is None:
            self.file.sounds[source.id] = made
        return source

    def _spare(self) -> None:
        """Media that nothing uses, as clips of their own."""
        used = {use for one in self.document.sequences for item in one.items() for use in _used(item)}
        for media in self.document.media:
            if (
                media.id not in used
                and not media.synthetic
                and (media.audio or (self.pictures and (media.video or media.still)))
            ):
                self._master(media, media.name, 0)

    # ---- markers

    def _markers(self, whole: tree.Mob) -> None:
        if not self.sequence.markers:
            return
        events = [_event(one) for one in sorted(self.sequence.markers, key=lambda one: one.start)]
        row_ = tree.Sequence("metadata", self.total, list(events))
        whole.slots.append(tree.Slot(MARKER_SLOT, self.sequence.rate, row_, "", 1))


def _used(item: Item) -> list[str]:
    if isinstance(item.content, MediaUse):
        return [item.content.media]
    return (
        [angle.media for angle in item.content.angles if angle.media]
        if isinstance(item.content, Angles)
        else []
    )


def _place(item: Item) -> tuple[object, ...]:
    return item.start, item.duration, item.content


def _pan(item: Item, place: int, alone: bool) -> Curve | None:
    """Where a channel of an item is heard: the members of a pair on either side, moved by what the item
    says."""
    sound = item.sound
    if sound is None:
        return None
    side = (-1.0, 1.0)[place] if len(sound.channels) == 2 else 0.0
    if sound.pan is None:
        return constant(side) if side or alone else None

    def moved(value: tuple[float, ...]) -> tuple[float, ...]:
        return (min(max(value[0] + side, -1.0), 1.0),)

    return Curve(
        moved(sound.pan.value), tuple(replace(key, value=moved(key.value)) for key in sound.pan.keys)
    )


def _event(marker: Marker) -> tree.MarkerEvent:
    return tree.MarkerEvent(
        "metadata",
        0,
        ceil(marker.start),
        marker.comment,
        marker.name,
        marker.color,
        ceil(marker.duration),
        (TIMECODE_SLOT,),
    )


def _map(points: list[tuple[Exact, Exact]]) -> tree.Varying:
    return tree.Varying([tree.Point(time, float(value), value) for time, value in points], "frames")
