"""Write items, transitions and media."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from wexodos.evaluate.geometry import Raster, fit_factor
from wexodos.formats.build_xml import Element, add, kept
from wexodos.formats.errors import WriteError
from wexodos.formats.paths import url_of
from wexodos.formats.xmeml.tables import BLEND_NAMES
from wexodos.formats.xmeml.units import MAX_GAIN, gain_of_db, number
from wexodos.formats.xmeml.write_parts import (
    Spelled,
    aspect_name,
    boolean,
    color_parameter,
    parameter,
    value_element,
    write_marker,
    write_rate,
    write_timecode,
)
from wexodos.model import (
    NORMAL,
    Adjustment,
    Constant,
    Curve,
    Document,
    Effect,
    Generator,
    Item,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    Speed,
    Title,
    Track,
    Transition,
    Variable,
)
from wexodos.model.curves import Vector
from wexodos.model.speed import average
from wexodos.timing import Exact, Rate, absolute, ceil, exact, floor, round_half_up

_EFFECTS = {
    "dissolve": ("Cross Dissolve", "Dissolve"),
    "additive": ("Additive Dissolve", "Dissolve"),
    "dip": ("Dip to Color Dissolve", "Dissolve"),
    "wipe": ("Edge Wipe", "Wipe"),
    "iris": ("Oval Iris", "Iris"),
    "push": ("Push Slide", "Slide"),
    "slide": ("Swap Slide", "Slide"),
    "audio-linear": ("KGAudioTransCrossFade0dB", ""),
    "audio-equal-power": ("KGAudioTransCrossFade3dB", ""),
}
_SOUND_NAMES = {"audio-linear": "Cross Fade ( 0dB)", "audio-equal-power": "Cross Fade (+3dB)"}
_GENERATORS = {"colour": ("Color", "Matte"), "black": ("Black", "Matte"), "bars": ("Bars", "Bars"), "tone": ("Tone", "Tone"),
               "gradient": ("Gradient", "Render"), "noise": ("Noise", "Render")}
_LOGGING = ("description", "scene", "shottake", "lognote", "good", "originalvideofilename", "originalaudiofilename")


def spelled_rate(item: Item, media: Media | None, rate: Rate, dressed: bool) -> Rate:
    """The rate an item's ``in`` is counted in: the sequence's, or the medium's where only that one counts it exactly.

    An item beside a transition stays with the sequence's rate, as the transition's length may be no whole number of the
    other.
    """
    if media is None or media.rate is None or media.rate == rate or item.speed is not NORMAL or item.still or dressed:
        return rate
    if isinstance(rate.frames(item.source_in), int):
        return rate
    return media.rate if isinstance(media.rate.frames(item.source_in), int) else rate


def base_frame(item: Item, media: Media | None, rate: Rate) -> int:
    """The item's ``in`` before transitions: media frames after the speed change, counted in ``rate`` (6.1)."""
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
    return exact(media.duration * Fraction(rate.fps) / media.rate.fps) if media.rate is not None else media.duration


class ItemWriter:
    """Writes the items of one sequence after the other; files are spelled once."""

    def __init__(self, document: Document) -> None:
        self.media = document.media_by_id
        self.sequences = document.sequences_by_id
        self.written: set[str] = set()
        self.sequence: Sequence

    def begin(self, sequence: Sequence) -> None:
        self.sequence = sequence

    def item(
        self, parent: Element, key: str, item: Item, channel: int | None, into: Transition | None, out: Transition | None,
        group: list[Spelled], nested: Callable[[Element, str], None] | None, track: Track,
    ) -> None:
        """Write one item, dressed with the transitions beside it (3.3)."""
        content = item.content
        generated = isinstance(content, Title | Generator) and not (isinstance(content, Title) and not content.words_known)
        media = self.media.get(content.media) if isinstance(content, MediaUse) else None
        own = spelled_rate(item, media, self.sequence.rate, into is not None or out is not None)
        begin = base_frame(item, media, own)
        element = add(parent, "generatoritem" if generated else "clipitem", id=key)
        add(element, "name", item.name)
        add(element, "enabled", boolean(item.enabled and not (
            item.sound is not None and channel is not None and channel in item.sound.muted)))
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
            frames = (media.rate if media is not None and media.rate is not None else own).frames(item.source_in)
            add(element, "stillframeoffset", floor(frames + Fraction(1, 1000)))
        if item.alpha:
            add(element, "alphatype", item.alpha)
        if item.blend != "normal" and item.blend in BLEND_NAMES:
            add(element, "compositemode", BLEND_NAMES[item.blend])
        if isinstance(content, NestedUse) and nested is not None:
            nested(element, content.sequence)
        elif isinstance(content, Title) and generated:
            self._title(element, content)
        elif isinstance(content, Generator):
            self._generator(element, content)
        elif media is not None:
            self._file(element, media)
        else:
            self._slug(element, item)
        if channel is not None:
            source = add(element, "sourcetrack")
            add(source, "mediatype", "audio")
            add(source, "trackindex", channel)
        if retimed:
            self._speed(element, item.speed, item, media, begin, own, "audio" if channel is not None else "video")
        if item.motion is not None:
            self._motion(element, item.motion, item, begin, own)
        if item.sound is not None:
            self._sound(element, item, begin, own)
        for effect in item.effects:
            _kept(element, effect)
        for marker in item.markers if channel in (None, 1) or item.sound is None else ():
            write_marker(element, marker, begin)
        for member in group:
            link = add(element, "link")
            add(link, "linkclipref", member.id)
            add(link, "mediatype", member.medium)
            add(link, "trackindex", member.track)
            add(link, "clipindex", member.index)
            if member.channel is not None and len(member.item.sound.channels if member.item.sound else ()) > 1:
                add(link, "groupindex", 1 + sorted({one.item.id for one in group}).index(member.item.id))
        self._notes(element, item, track)
        for raw in item.raw:
            if raw.dialect == "xmeml" and (piece := kept(raw.text)) is not None:
                element.append(piece)

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
        return max(round_half_up(length), begin + ceil(item.duration)) if not length else round_half_up(length)

    def _file(self, parent: Element, media: Media) -> None:
        element = add(parent, "file", id=media.id)
        if media.id in self.written:
            return
        self.written.add(media.id)
        add(element, "name", media.name)
        if media.path:
            add(element, "pathurl", url_of(media.path, "localhost").replace("%3A", "%3a").replace(":", "%3a").replace(
                "file%3a", "file:", 1))
        rate = media.rate or self.sequence.rate
        write_rate(element, rate)
        if media.duration is not None:
            add(element, "duration", round_half_up(media.duration))
        if media.start is not None or media.reel:
            write_timecode(element, media.start or 0, rate, bool(media.drop_frame), media.reel)
        if media.synthetic:
            add(element, "mediaSource", dict(media.metadata).get("mediaSource", "Slug"))
        parts = add(element, "media")
        if media.video or not media.audio:
            shape = add(add(parts, "video"), "samplecharacteristics")
            if media.width and media.height:
                add(shape, "width", media.width)
                add(shape, "height", media.height)
            add(shape, "pixelaspectratio", aspect_name(media.pixel_aspect))
            add(shape, "fielddominance", {"upper": "upper", "lower": "lower"}.get(media.field_order, "none"))
        if media.audio or media.channels:
            audio = add(parts, "audio")
            shape = add(audio, "samplecharacteristics")
            add(shape, "depth", media.bit_depth or 16)
            add(shape, "samplerate", media.sample_rate or 48000)
            add(audio, "channelcount", media.channels or 1)

    def _slug(self, parent: Element, item: Item) -> None:
        file = add(parent, "file", id=f"{item.id}-slug")
        add(file, "name", item.name)
        source = "GraphicAndType" if isinstance(item.content, Title) and item.content.template == "GraphicAndType" else "Slug"
        if isinstance(item.content, Adjustment | Title):
            add(file, "mediaSource", source)
        write_rate(file, self.sequence.rate)
        add(file, "duration", ceil(item.duration))

    def _effect(self, parent: Element, name: str, key: str, category: str, kind: str, medium: str) -> Element:
        effect = add(parent, "effect")
        for tag, text in (("name", name), ("effectid", key), ("effectcategory", category), ("effecttype", kind),
                          ("mediatype", medium)):
            add(effect, tag, text)
        return effect

    def _speed(self, parent: Element, speed: Speed, item: Item, media: Media | None, begin: int, rate: Rate,
               medium: str) -> None:
        effect = self._effect(add(parent, "filter"), "Time Remap", "timeremap", "motion", "motion", medium)
        variable = isinstance(speed, Variable)
        mean = average(speed, item.duration, self.sequence.rate)
        parameter(effect, "variablespeed", "variablespeed", "1" if variable else "0", 0, 1)
        parameter(effect, "speed", "speed", number(float(absolute(mean)) * 100), -100000, 100000)
        parameter(effect, "reverse", "reverse", boolean(mean < 0 and not variable))
        parameter(effect, "frameblending", "frameblending", "FALSE")
        graph = parameter(effect, "graphdict", "graphdict", "0", 0, ceil(_length(media, rate)) or begin + ceil(item.duration))
        if isinstance(speed, Variable):
            for point in speed.points:
                key = add(graph, "keyframe")
                add(key, "when", number(float(begin + point.time)))
                add(key, "value", number(float(rate.frames(point.source))))
        else:
            position = rate.frames(item.source_in)
            length = self._duration(item, media, begin, rate)
            last = begin + ceil(item.duration)
            for when, flag in ((0, "speedkfstart"), (begin, "speedkfin"), (last, "speedkfout"), (length, "speedkfend")):
                if (flag == "speedkfstart" and begin == 0) or (flag == "speedkfend" and length <= last):
                    continue
                key = add(graph, "keyframe")
                add(key, "when", when)
                add(key, "value", number(float(position + (when - begin) * Fraction(speed.rate))))
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

    def _motion(self, parent: Element, motion: Motion, item: Item, begin: int, rate: Rate) -> None:
        source, frame = self._source_raster(item), self.frame
        k = fit_factor(motion.fit, source, frame)
        wide, tall = source.width * source.pixel_aspect / frame.pixel_aspect, source.height

        def keyed(effect: Element, key: str, name: str, curve: Curve, spell: Callable[[Vector], Vector],
                  low: object = None, high: object = None) -> None:
            self._curve(effect, key, name, curve, spell, begin, rate, low, high)

        scaled = motion.scale.keys or motion.scale.value != (1.0, 1.0) or abs(k - 1.0) > 1e-9
        if scaled or any(_moves(curve) for curve in (motion.position, motion.rotation, motion.anchor)):
            effect = self._effect(add(parent, "filter"), "Basic Motion", "basic", "motion", "motion", "video")
            keyed(effect, "scale", "Scale", motion.scale, lambda value: (100.0 * k * value[-1],), 0, 1000)
            keyed(effect, "rotation", "Rotation", motion.rotation, lambda value: value, -8640, 8640)
            keyed(effect, "center", "Center", motion.position, lambda value: (value[0] / wide, value[1] / tall))
            keyed(effect, "centerOffset", "Anchor Point", motion.anchor, lambda value: value)
        if _moves(motion.crop):
            effect = self._effect(add(parent, "filter"), "Crop", "crop", "motion", "motion", "video")
            for place, side in enumerate(("left", "top", "right", "bottom")):
                keyed(effect, side, side, motion.crop, lambda value, place=place: (100.0 * value[place],), 0, 100)  # type: ignore[misc]
        if motion.opacity.keys or motion.opacity.value != (1.0,):
            effect = self._effect(add(parent, "filter"), "Opacity", "opacity", "motion", "motion", "video")
            keyed(effect, "opacity", "opacity", motion.opacity, lambda value: (100.0 * value[0],), 0, 100)

    def _curve(
        self, effect: Element, key: str, name: str, curve: Curve, spell: Callable[[Vector], Vector], begin: int, rate: Rate,
        low: object, high: object,
    ) -> None:
        element = add(effect, "parameter")
        add(element, "parameterid", key)
        add(element, "name", name)
        if low is not None:
            add(element, "valuemin", low)
            add(element, "valuemax", high)
        value_element(element, spell(curve.still))
        for one in curve.keys:
            frame = add(element, "keyframe")
            add(frame, "when", number(float(begin + self._exact_own(one.time, rate))))
            value_element(frame, spell(one.value))
        if curve.keys:
            add(add(element, "interpolation"), "name", "linear")

    def _exact_own(self, frames: Exact, own: Rate) -> Exact:
        return frames if own == self.sequence.rate else exact(frames * Fraction(own.fps) / self.sequence.rate.fps)

    def _sound(self, parent: Element, item: Item, begin: int, rate: Rate) -> None:
        sound = item.sound
        if sound is None:
            return
        if sound.level.keys or sound.level.value != (0.0,):
            effect = self._effect(add(parent, "filter"), "Audio Levels", "audiolevels", "audiolevels", "audiolevels", "audio")
            self._curve(effect, "level", "Level", sound.level, lambda value: (gain_of_db(value[0]),), begin, rate, 0, MAX_GAIN)
        if sound.pan is not None:
            effect = self._effect(add(parent, "filter"), "Audio Pan", "audiopan", "audiopan", "audiopan", "audio")
            self._curve(effect, "pan", "Pan", sound.pan, lambda value: value, begin, rate, -1, 1)

    # ---- words and generators

    def _title(self, parent: Element, title: Title) -> None:
        width, height = self.sequence.frame_size
        run = title.runs[0] if title.runs else None
        kind = "Text"
        if title.roll is not None:
            kind = "Scrolling Text" if title.roll.direction == "up" else "Crawl"
        effect = self._effect(parent, kind, kind, "Text", "generator", "video")
        parameter(effect, "str", "Text", title.words.replace("\n", "\r"))
        if run is not None:
            if run.font:
                parameter(effect, "fontname", "Font", run.font)
            if run.size:
                parameter(effect, "fontsize", "Size", number(run.size), 0, 1000)
            parameter(effect, "fontstyle", "Style", 1 + run.bold + 2 * run.italic, 1, 4)
            if run.align in ("left", "center", "right"):
                parameter(effect, "fontalign", "Alignment", 1 + ("left", "center", "right").index(run.align), 1, 3)
            if run.color:
                color_parameter(effect, "fontcolor", "Font Color", run.color)
            if run.tracking is not None:
                parameter(effect, "fonttrack", "Tracking", number(run.tracking), -200, 200)
            if run.leading is not None:
                parameter(effect, "leading", "Leading", number(run.leading), -100, 100)
        point = add(effect, "parameter")
        add(point, "parameterid", "origin")
        add(point, "name", "Origin")
        value_element(point, (title.origin[0] / width, title.origin[1] / height))

    def _generator(self, parent: Element, generator: Generator) -> None:
        name, category = _GENERATORS.get(generator.kind, (generator.name or "Black", "Render"))
        effect = self._effect(parent, name, name, category, "generator", "video")
        if generator.color:
            color_parameter(effect, "fillcolor", "Color", generator.color)

    def transition(self, parent: Element, transition: Transition, outgoing: bool, incoming: bool, kind: str) -> None:
        """Write a transition between its neighbours."""
        element = add(parent, "transitionitem")
        add(element, "start", transition.start)
        add(element, "end", transition.end)
        before, whole = transition.cut - transition.start, transition.duration
        if before == 0:
            alignment = "start" if outgoing else "start-black"
        elif before == whole:
            alignment = "end" if incoming else "end-black"
        else:
            alignment = "center"
        add(element, "alignment", alignment)
        write_rate(element, self.sequence.rate)
        spelled = next((raw for raw in transition.raw if raw.dialect == "xmeml" and raw.tag == "effect"), None)
        piece = kept(spelled.text) if spelled is not None else None
        if piece is not None:
            element.append(piece)
            return
        key, category = _EFFECTS.get(transition.type, (transition.name or "Cross Dissolve", "Dissolve"))
        if transition.type == "wipe" and transition.pattern is not None and transition.pattern >= 201:
            key = "Clock Wipe"
        name = _SOUND_NAMES.get(transition.type, key)
        effect = self._effect(element, name, key, category, "transition", kind)
        if kind == "video":
            reverse = (transition.direction or "") in ("reverse", "right to left", "bottom to top", "anticlockwise",
                                                       "sides to centre", "edges to centre")
            add(effect, "wipecode", transition.pattern or 0 if transition.type in ("wipe", "iris") else 0)
            add(effect, "wipeaccuracy", 100)
            add(effect, "startratio", 0)
            add(effect, "endratio", 1)
            add(effect, "reverse", boolean(reverse))
        if transition.color:
            color_parameter(effect, "color", "Color", transition.color)

    def _notes(self, element: Element, item: Item, track: Track) -> None:
        metadata = dict(item.metadata)
        logged = [(key, metadata[key]) for key in _LOGGING if key in metadata]
        if item.note and "lognote" not in metadata:
            logged.append(("lognote", item.note))
        if logged:
            group = add(element, "logginginfo")
            for key, value in logged:
                add(group, key, value)
        comments = [(key, value) for key, value in item.metadata if key.startswith(("mastercomment", "clipcomment"))]
        if track.stem and item.sound is not None:
            comments = [("mastercomment1", f"STEM: {track.stem}"), *(one for one in comments if one[0] != "mastercomment1")]
        if comments:
            group = add(element, "comments")
            for key, value in comments:
                add(group, key, value)
        if item.label:
            add(add(element, "labels"), "label2", item.label)


def _at_cut(transition: Transition) -> bool:
    """Whether the cut lies where no alignment says it, so that neighbours are spelled with the cut itself (3.3)."""
    before = transition.cut - transition.start
    return before not in (0, transition.duration) and 2 * before != transition.duration


def _moves(curve: Curve) -> bool:
    return bool(curve.keys) or any(curve.value)


def _kept(parent: Element, effect: Effect) -> None:
    """Put a filter that was not understood back as it stood."""
    if effect.raw is not None and effect.raw.dialect == "xmeml":
        piece = kept(effect.raw.text)
        if piece is not None:
            parent.append(piece)
