"""Write items, transitions and media."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from wexodos.evaluate.geometry import Raster, fit_factor
from wexodos.formats.errors import WriteError
from wexodos.formats.paths import url_of
from wexodos.formats.tree import Node, Pieces, add, kept, put_back
from wexodos.formats.xmeml.coverage import key_of
from wexodos.formats.xmeml.effects import write_corrections, write_known
from wexodos.formats.xmeml.filters import pulled_corners
from wexodos.formats.xmeml.tables import BLEND_NAMES
from wexodos.formats.xmeml.units import MAX_GAIN, gain_of_db, number, unmistakable
from wexodos.formats.xmeml.write_parts import (
    Spelled,
    boolean,
    curve_parameter,
    effect_element,
    parameter,
    value_element,
    write_aspect,
    write_marker,
    write_rate,
    write_timecode,
)
from wexodos.formats.xmeml.write_titles import write_generator, write_shadow, write_title
from wexodos.model import (
    NORMAL,
    Adjustment,
    Constant,
    Curve,
    Document,
    Effect,
    Generator,
    Item,
    Key,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    Speed,
    Title,
    Track,
    Transition,
    Variable,
    with_curves,
)
from wexodos.model.curves import Vector
from wexodos.model.speed import average, straightened
from wexodos.timing import Exact, Rate, absolute, ceil, exact, floor, round_half_up

_GRAPHIC = "GraphicAndType"
PLACE = 13
"""Significant digits of a place in a medium."""
_LOGGING = (
    "description",
    "scene",
    "shottake",
    "lognote",
    "good",
    "originalvideofilename",
    "originalaudiofilename",
)


_COMMENTS = (
    "mastercomment1",
    "mastercomment2",
    "mastercomment3",
    "mastercomment4",
    "clipcommenta",
    "clipcommentb",
)


WORDS = frozenset(_LOGGING) | frozenset(_COMMENTS)
"""The fields that words about an item can be written in."""


def _composited(element: Node, item: Item) -> None:
    """How an item lies over what is below."""
    if item.alpha:
        add(element, "alphatype", item.alpha)
    if item.blend != "normal" and item.blend in BLEND_NAMES:
        add(element, "compositemode", BLEND_NAMES[item.blend])


def spelled_rate(item: Item, media: Media | None, rate: Rate, dressed: bool) -> Rate:
    """The rate an item's ``in`` is counted in: the sequence's, or the medium's where only that one counts it
    exactly.

    An item beside a transition stays with the sequence's rate, as the transition's length may be no whole
    number of the other.
    """
    if (
        media is None
        or media.rate is None
        or media.rate == rate
        or item.speed is not NORMAL
        or item.still
        or dressed
    ):
        return rate
    if isinstance(rate.frames(item.source_in), int):
        return rate
    return media.rate if isinstance(media.rate.frames(item.source_in), int) else rate


def base_frame(item: Item, media: Media | None, rate: Rate) -> int:
    """The item's ``in`` before transitions: media frames after the speed change, counted in ``rate``
    (6.1)."""
    speed = item.speed
    position = rate.frames(item.source_in)
    if isinstance(speed, Variable):
        return max(0, ceil(-speed.points[0].time))
    if speed.rate == 0 or item.speed is NORMAL:
        return floor(position + Fraction(1, 1000)) if not isinstance(position, int) else position
    if speed.rate > 0:
        return round_half_up(exact(position / Fraction(speed.rate)))
    whole = _length(media, rate)
    return max(0, round_half_up(exact((max(whole, position) - position) / Fraction(-speed.rate))))


def _length(media: Media | None, rate: Rate) -> Exact:
    """A medium's length in frames of ``rate``; 0 where it is not known."""
    if media is None or not media.duration:
        return 0
    return (
        exact(media.duration * Fraction(rate.fps) / media.rate.fps)
        if media.rate is not None
        else media.duration
    )


class ItemWriter:
    """Writes the items of one sequence after the other; files are spelled once."""

    def __init__(self, document: Document) -> None:
        self.media = document.media_by_id
        self.sequences = document.sequences_by_id
        self.written: set[str] = set()
        self.pieces = Pieces()
        self.sequence: Sequence

    def begin(self, sequence: Sequence) -> None:
        self.sequence = sequence

    def item(
        self,
        parent: Node,
        key: str,
        item: Item,
        channel: int | None,
        into: Transition | None,
        out: Transition | None,
        group: list[Spelled],
        nested: Callable[[Node, str], None] | None,
        track: Track,
    ) -> None:
        """Write one item, dressed with the transitions beside it (3.3)."""
        content = item.content
        generated = isinstance(content, Generator) or (
            isinstance(content, Title) and content.words_known and content.template != _GRAPHIC
        )
        media = self.media.get(content.media) if isinstance(content, MediaUse) else None
        own = spelled_rate(item, media, self.sequence.rate, into is not None or out is not None)
        begin = base_frame(item, media, own) + self._room(item, into, own)
        element = add(parent, "generatoritem" if generated else "clipitem", id=key)
        add(element, "name", item.name)
        add(
            element,
            "enabled",
            boolean(
                item.enabled
                and not (item.sound is not None and channel is not None and channel in item.sound.muted)
            ),
        )
        retimed = item.speed is not NORMAL and not (isinstance(item.speed, Constant) and item.speed.rate == 0)
        add(element, "duration", self._duration(item, media, begin, own))
        write_rate(element, own)
        start, end, head = item.start, item.end, begin
        tail = begin + self._own(item.duration, own)
        if into is not None and not _at_cut(into):
            head -= self._own(into.cut - into.start, own)
            start = -1
        if out is not None and not _at_cut(out):
            tail += self._own(out.end - out.cut, own)
            end = -1
        for tag, value in (("start", start), ("end", end), ("in", head), ("out", tail)):
            if not isinstance(value, int):
                raise WriteError(f"{item.name!r} does not lie on whole frames")
            add(element, tag, value)
        if isinstance(item.speed, Constant) and item.speed.rate == 0 and not generated:
            add(element, "stillframe", "TRUE")
            frames = (media.rate if media is not None and media.rate is not None else own).frames(
                item.source_in
            )
            add(element, "stillframeoffset", floor(frames + Fraction(1, 1000)))
        if not generated:
            _composited(element, item)
        if isinstance(content, NestedUse) and nested is not None:
            nested(element, content.sequence)
        elif isinstance(content, Title) and generated:
            write_title(element, content, self.sequence.frame_size)
        elif isinstance(content, Generator):
            write_generator(element, content)
        elif media is not None:
            self.file(element, media)
        else:
            self._slug(element, item)
        if generated:
            # A generator is told first what it makes, then how that lies over the rest.
            _composited(element, item)
        if channel is not None:
            source = add(element, "sourcetrack")
            add(source, "mediatype", "audio")
            add(source, "trackindex", channel)
        if retimed:
            self._speed(
                element, item.speed, item, media, begin, own, "audio" if channel is not None else "video"
            )
        if item.motion is not None:
            self._motion(element, item.motion, item, begin, own)
        if item.sound is not None:
            self._sound(element, item.sound, begin, own)
        if isinstance(content, Title):
            for raw in content.raw:
                if raw.dialect == "xmeml" and raw.tag == "filter" and (piece := kept(raw)) is not None:
                    element.append(piece)
            shadow = next((run.shadow for run in content.runs if run.shadow is not None), None)
            if shadow is not None and content.template != _GRAPHIC:
                write_shadow(element, shadow)
        for effect in item.effects:
            self._filter(element, effect, begin, own)
        write_corrections(element, item.effects)
        for marker in item.markers if key == item.id else ():
            write_marker(element, marker, begin)
        self._links(element, group)
        self._notes(element, item, track)
        for raw in item.raw:
            if raw.dialect == "xmeml":
                put_back(element, raw, key_of)

    def _links(self, parent: Node, group: list[Spelled]) -> None:
        """Every member of a group tells all of it, in the same words."""
        if not group:
            return

        def write(holder: Node) -> None:
            items = sorted({one.item.id for one in group})
            for member in group:
                link = add(holder, "link")
                add(link, "linkclipref", member.id)
                add(link, "mediatype", member.medium)
                add(link, "trackindex", member.track)
                add(link, "clipindex", member.index)
                if member.channel is not None and member.item.sound and len(member.item.sound.channels) > 1:
                    add(link, "groupindex", 1 + items.index(member.item.id))

        # Another sequence may hold items of the same ids.
        self.pieces.put(parent, ("links", self.sequence.id, group[0].id), write)

    def _room(self, item: Item, into: Transition | None, own: Rate) -> int:
        """Frames that what has no time of its own is counted later, so that nothing of it lies before the
        first: a transition, a marker or a keyframe before its start."""
        if not (item.still or isinstance(item.content, Title | Generator)):
            return 0
        earliest: list[Exact] = [0, *(marker.start for marker in item.markers)]
        if into is not None:
            earliest.append(exact(into.start - item.start))

        def look(curve: Curve) -> Curve:
            earliest.extend(key.time for key in curve.keys)
            return curve

        with_curves(item, look)
        return ceil(self._exact_own(exact(-min(earliest)), own))

    def _own(self, frames: Exact, own: Rate) -> int:
        """Frames of the sequence's rate in the item's own, rounded."""
        if own == self.sequence.rate:
            return ceil(frames)
        return round_half_up(exact(frames * Fraction(own.fps) / self.sequence.rate.fps))

    def _duration(self, item: Item, media: Media | None, begin: int, rate: Rate) -> int:
        length = _length(media, rate)
        if isinstance(item.content, NestedUse) and item.content.sequence in self.sequences:
            length = self.sequences[item.content.sequence].duration
        if isinstance(item.speed, Constant) and item.speed.rate not in (0, 1):
            length = exact(Fraction(length) / absolute(item.speed.rate))
        return (
            max(round_half_up(length), begin + ceil(item.duration)) if not length else round_half_up(length)
        )

    def file(self, parent: Node, media: Media) -> None:
        """Write a medium: in full where it first stands, by its id later."""
        element = add(parent, "file", id=media.id)
        if media.id in self.written:
            return
        self.written.add(media.id)
        add(element, "name", media.name)
        if media.path:
            add(
                element,
                "pathurl",
                url_of(media.path, "localhost")
                .replace("%3A", "%3a")
                .replace(":", "%3a")
                .replace("file%3a", "file:", 1),
            )
        rate = media.rate or self.sequence.rate
        write_rate(element, rate)
        if media.duration is not None:
            add(element, "duration", round_half_up(media.duration))
        if media.start is not None or media.reel:
            write_timecode(element, media.start, rate, bool(media.drop_frame), media.reel)
        if media.synthetic:
            add(element, "mediaSource", dict(media.metadata).get("mediaSource", "Slug"))
        parts = add(element, "media")
        if media.video or not media.audio:
            shape = add(add(parts, "video"), "samplecharacteristics")
            if media.width and media.height:
                add(shape, "width", media.width)
                add(shape, "height", media.height)
            write_aspect(shape, media.pixel_aspect)
            add(shape, "fielddominance", {"upper": "upper", "lower": "lower"}.get(media.field_order, "none"))
        if media.audio or media.channels:
            audio = add(parts, "audio")
            shape = add(audio, "samplecharacteristics")
            if media.bit_depth:
                add(shape, "depth", media.bit_depth)
            if media.sample_rate:
                add(shape, "samplerate", media.sample_rate)
            add(audio, "channelcount", media.channels or 1)
        for raw in media.raw:
            if raw.dialect == "xmeml":
                put_back(element, raw, key_of)

    def _slug(self, parent: Node, item: Item) -> None:
        file = add(parent, "file", id=f"{item.id}-slug")
        add(file, "name", item.name)
        source = _GRAPHIC if isinstance(item.content, Title) and item.content.template == _GRAPHIC else "Slug"
        if isinstance(item.content, Adjustment | Title):
            add(file, "mediaSource", source)
        write_rate(file, self.sequence.rate)
        add(file, "duration", ceil(item.duration))

    def _speed(
        self,
        parent: Node,
        speed: Speed,
        item: Item,
        media: Media | None,
        begin: int,
        rate: Rate,
        medium: str,
    ) -> None:
        effect = effect_element(add(parent, "filter"), "Time Remap", "timeremap", "motion", "motion", medium)
        variable = isinstance(speed, Variable)
        mean = average(speed, item.duration, self.sequence.rate)
        parameter(effect, "variablespeed", "variablespeed", "1" if variable else "0", 0, 1)
        parameter(effect, "speed", "speed", number(float(absolute(mean)) * 100), -100000, 100000)
        parameter(effect, "reverse", "reverse", boolean(mean < 0 and not variable))
        parameter(effect, "frameblending", "frameblending", "FALSE")
        graph = parameter(
            effect,
            "graphdict",
            "graphdict",
            "0",
            0,
            ceil(_length(media, rate)) or begin + ceil(item.duration),
        )
        if isinstance(speed, Variable):
            for point in straightened(speed).points:
                key = add(graph, "keyframe")
                add(key, "when", number(float(begin + point.time)))
                add(key, "value", number(float(rate.frames(point.source)), PLACE))
        else:
            position = rate.frames(item.source_in)
            length = self._duration(item, media, begin, rate)
            last = begin + ceil(item.duration)
            for when, flag in (
                (0, "speedkfstart"),
                (begin, "speedkfin"),
                (last, "speedkfout"),
                (length, "speedkfend"),
            ):
                if (flag == "speedkfstart" and begin == 0) or (flag == "speedkfend" and length <= last):
                    continue
                key = add(graph, "keyframe")
                add(key, "when", when)
                there = float(position + (when - begin) * Fraction(speed.rate))
                add(key, "value", number(there, PLACE))
                add(key, "speedvirtualkf", "TRUE")
                add(key, flag, "TRUE")
        add(add(graph, "interpolation"), "name", "FCPCurve")

    # ---- motion

    def _source_raster(self, item: Item) -> Raster:
        frame = self.frame
        if isinstance(item.content, MediaUse):
            media = self.media.get(item.content.media)
            if media is not None and media.width and media.height:
                return Raster(media.width, media.height, float(media.pixel_aspect))
        if isinstance(item.content, NestedUse) and item.content.sequence in self.sequences:
            inner = self.sequences[item.content.sequence]
            return Raster(*inner.frame_size, float(inner.pixel_aspect))
        return frame

    @property
    def frame(self) -> Raster:
        return Raster(*self.sequence.frame_size, float(self.sequence.pixel_aspect))

    def _motion(self, parent: Node, motion: Motion, item: Item, begin: int, rate: Rate) -> None:
        source, frame = self._source_raster(item), self.frame
        if any(curve.keys for curve in motion.curves.values()):
            self._moved(parent, motion, source, frame, begin, rate)
        else:
            # Many clips stand alike.
            self.pieces.put(
                parent,
                (motion, source, frame),
                lambda holder: self._moved(holder, motion, source, frame, begin, rate),
            )

    def _moved(
        self, parent: Node, motion: Motion, source: Raster, frame: Raster, begin: int, rate: Rate
    ) -> None:
        k = fit_factor(motion.fit, source, frame)
        wide, tall = source.width * source.pixel_aspect / frame.pixel_aspect, source.height

        def keyed(
            effect: Node,
            key: str,
            name: str,
            curve: Curve,
            spell: Callable[[Vector], Vector],
            low: object = None,
            high: object = None,
        ) -> None:
            self._curve(effect, key, name, curve, spell, begin, rate, low, high)

        scaled = motion.scale.keys or motion.scale.value != (1.0, 1.0) or abs(k - 1.0) > 1e-9
        if scaled or any(_moves(curve) for curve in (motion.position, motion.rotation, motion.anchor)):
            effect = effect_element(
                add(parent, "filter"), "Basic Motion", "basic", "motion", "motion", "video"
            )
            fits = 100.0 * frame.width / wide, 100.0 * frame.height / tall

            def percent(value: Vector) -> Vector:
                return (unmistakable(100.0 * k * abs(value[-1]), fits),)

            keyed(effect, "scale", "Scale", motion.scale, percent, 0, 1000)
            keyed(effect, "rotation", "Rotation", motion.rotation, lambda value: value, -8640, 8640)
            keyed(
                effect, "center", "Center", motion.position, lambda value: (value[0] / wide, value[1] / tall)
            )
            keyed(effect, "centerOffset", "Anchor Point", motion.anchor, lambda value: value)
        if _moves(motion.crop):
            effect = effect_element(add(parent, "filter"), "Crop", "crop", "motion", "motion", "video")
            for place, side in enumerate(("left", "top", "right", "bottom")):
                keyed(
                    effect,
                    side,
                    side,
                    motion.crop,
                    lambda value, place=place: (100.0 * value[place],),  # type: ignore[misc]
                    0,
                    100,
                )
        corners = _all_corners(motion)
        if _moves(corners):
            effect = effect_element(add(parent, "filter"), "Distort", "distort", "motion", "motion", "video")
            for place, (key, x, y) in enumerate(_CORNERS):
                keyed(
                    effect,
                    key,
                    key,
                    corners,
                    lambda value, place=place, x=x, y=y: (  # type: ignore[misc]
                        x + value[2 * place],
                        y + value[2 * place + 1],
                    ),
                )
        if motion.opacity.keys or motion.opacity.value != (1.0,):
            effect = effect_element(add(parent, "filter"), "Opacity", "opacity", "motion", "motion", "video")
            keyed(effect, "opacity", "opacity", motion.opacity, lambda value: (100.0 * value[0],), 0, 100)

    def _curve(
        self,
        effect: Node,
        key: str,
        name: str,
        curve: Curve,
        spell: Callable[[Vector], Vector],
        begin: int,
        rate: Rate,
        low: object,
        high: object,
    ) -> None:
        element = curve_parameter(effect, key, name, spell(curve.still), low, high)
        keys = curve.keys
        if keys and keys[-1].time < 0:
            # All before the item would be taken for counted from its beginning, as some do (7): one at its
            # beginning, where the last one holds, tells them apart.
            keys = (*keys, Key(0, keys[-1].value))
        for one in keys:
            frame = add(element, "keyframe")
            add(frame, "when", number(float(begin + self._exact_own(one.time, rate))))
            value_element(frame, spell(one.value))
        if curve.keys:
            add(add(element, "interpolation"), "name", "linear")

    def _filter(self, parent: Node, effect: Effect, begin: int, rate: Rate) -> None:
        """Put a filter of this dialect back as it stood; spell one that both dialects know."""
        if effect.raw is not None and effect.raw.dialect == "xmeml":
            piece = kept(effect.raw) if effect.raw.tag == "filter" else None
            if piece is not None:
                parent.append(piece)
            return

        def keys(
            holder: Node,
            key: str,
            name: str,
            curve: Curve,
            spell: Callable[[Vector], Vector],
            low: object,
            high: object,
        ) -> None:
            self._curve(holder, key, name, curve, spell, begin, rate, low, high)

        write_known(parent, effect, keys)

    def _exact_own(self, frames: Exact, own: Rate) -> Exact:
        return (
            frames
            if own == self.sequence.rate
            else exact(frames * Fraction(own.fps) / self.sequence.rate.fps)
        )

    def _sound(self, parent: Node, sound: Sound, begin: int, rate: Rate) -> None:
        # The channels of an item sound alike, and many items do.
        moves = sound.level.keys or (sound.pan is not None and sound.pan.keys)
        at = (begin, rate, self.sequence.rate) if moves else None
        self.pieces.put(
            parent,
            (sound.level, sound.pan, at),
            lambda holder: self._sounding(holder, sound, begin, rate),
        )

    def _sounding(self, parent: Node, sound: Sound, begin: int, rate: Rate) -> None:
        if sound.level.keys or sound.level.value != (0.0,):
            effect = effect_element(
                add(parent, "filter"), "Audio Levels", "audiolevels", "audiolevels", "audiolevels", "audio"
            )
            self._curve(
                effect,
                "level",
                "Level",
                sound.level,
                lambda value: (gain_of_db(value[0]),),
                begin,
                rate,
                0,
                MAX_GAIN,
            )
        if sound.pan is not None:
            effect = effect_element(
                add(parent, "filter"), "Audio Pan", "audiopan", "audiopan", "audiopan", "audio"
            )
            self._curve(effect, "pan", "Pan", sound.pan, lambda value: value, begin, rate, -1, 1)

    def _notes(self, element: Node, item: Item, track: Track) -> None:
        metadata = dict(item.metadata)
        if item.note:
            metadata.setdefault("lognote", item.note)
        if track.stem and item.sound is not None:
            metadata = {
                "mastercomment1": f"STEM: {track.stem}",
                **{k: v for k, v in metadata.items() if k != "mastercomment1"},
            }
        write_words(element, metadata)
        if item.label:
            add(add(element, "labels"), "label2", item.label)


def write_words(element: Node, metadata: dict[str, str]) -> None:
    """Write what was logged about an item or a sequence, and the comments on it (13)."""
    for group, names in (("logginginfo", _LOGGING), ("comments", _COMMENTS)):
        said = [(name, metadata[name]) for name in names if name in metadata]
        if said:
            holder = add(element, group)
            for name, text in said:
                add(holder, name, text)


_CORNERS = (
    ("ulcorner", -0.5, -0.5),
    ("urcorner", 0.5, -0.5),
    ("lrcorner", 0.5, 0.5),
    ("llcorner", -0.5, 0.5),
)


def stretches(motion: Motion) -> bool:
    """Whether width and height are scaled apart, or mirrored, and a still distortion of the corners says so
    exactly: the ratio of the two never changes and nothing turns on an anchor of its own."""
    values = [key.value for key in motion.scale.keys] or [motion.scale.value]
    if any(value[0] and not value[-1] for value in values):
        # Flat, but not narrow: no single scale is both.
        return False
    ratios = {(round(value[0] / value[-1], 9), value[-1] < 0) for value in values if value[-1]}
    return len(ratios) <= 1 and not _moves(motion.anchor) and not _moves(motion.corners)


def _all_corners(motion: Motion) -> Curve:
    """The corners as they are, or pulled so that they scale width and height apart."""
    wide, tall = motion.scale.still[0], motion.scale.still[-1]
    if (wide == tall and tall > 0) or not tall or not stretches(motion):
        return motion.corners
    return Curve(pulled_corners(wide / abs(tall), tall / abs(tall)))


def _at_cut(transition: Transition) -> bool:
    """Whether the cut lies where no alignment says it, so that neighbours are spelled with the cut itself
    (3.3)."""
    before = transition.cut - transition.start
    return before not in (0, transition.duration) and 2 * before != transition.duration


def _moves(curve: Curve) -> bool:
    return bool(curve.keys) or any(curve.value)
