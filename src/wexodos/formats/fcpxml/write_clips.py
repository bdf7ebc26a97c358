"""Write clips: media, nested sequences, titles and generators with their adjustments, in the order receivers
insist on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction

from lxml import etree

from wexodos.evaluate.geometry import Raster
from wexodos.formats.build_xml import Element, add, clean, kept, verbatim
from wexodos.formats.equivalents import BY_KIND
from wexodos.formats.errors import WriteError
from wexodos.formats.fcpxml.adjusts import BLEND_NUMBERS, CORNERS, MapPoint
from wexodos.formats.fcpxml.coverage import key_of
from wexodos.formats.fcpxml.lexical import seconds, time_of
from wexodos.formats.fcpxml.units import MAX_DB, SILENCE_DB, Space, number
from wexodos.formats.fcpxml.write_markers import marker_element
from wexodos.formats.fcpxml.write_resources import (
    BASIC_TITLE,
    SOLID,
    ResourceWriter,
    template,
    write_metadata,
)
from wexodos.formats.fcpxml.write_words import color_channels, put_params, template_of, write_style
from wexodos.formats.strangers import put_back
from wexodos.model import (
    NORMAL,
    Angles,
    Constant,
    Curve,
    Document,
    Ease,
    Effect,
    Generator,
    Item,
    Key,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Raw,
    Sequence,
    Sound,
    TextRun,
    Title,
    Track,
    Variable,
)
from wexodos.model.curves import Vector
from wexodos.timing import Exact, Rate, absolute, exact

_ADJUSTS = {
    name: place
    for place, name in enumerate(
        (
            "adjust-crop",
            "adjust-corners",
            "adjust-conform",
            "adjust-transform",
            "adjust-blend",
            "adjust-stabilization",
            "adjust-rollingShutter",
            "adjust-360-transform",
            "adjust-reorient",
            "adjust-orientation",
            "adjust-cinematic",
            "adjust-colorConform",
            "adjust-loudness",
            "adjust-noiseReduction",
            "adjust-humReduction",
            "adjust-EQ",
            "adjust-matchEQ",
            "adjust-voiceIsolation",
            "adjust-volume",
            "adjust-panner",
        )
    )
}
"""The order receivers insist on (1.6)."""

_INTERPS = {Ease.SMOOTH: "ease", Ease.IN: "easeIn", Ease.OUT: "easeOut"}
_RATE_LABELS = {
    "23.976": "23.98",
    "24": "24",
    "25": "25",
    "29.97": "29.97",
    "30": "30",
    "47.952": "47.95",
    "48": "48",
    "50": "50",
    "59.94": "59.94",
    "60": "60",
    "119.88": "119.88",
    "120": "120",
}


@dataclass(slots=True)
class Placed:
    """A clip element before its children that may stand between: ``rest`` follows connected clips and
    markers."""

    element: Element
    local: Exact
    markers: list[tuple[Exact, Element]] = field(default_factory=list)
    rest: list[Element] = field(default_factory=list)
    takes: list[Element] = field(default_factory=list)

    def whole(self) -> Element:
        """The element as it stands in its container: inside an audition where other takes wait under it
        (12)."""
        if not self.takes:
            return self.element
        holder = etree.Element("audition")
        for name in ("lane", "offset"):
            value = self.element.get(name)
            if value is not None:
                holder.set(name, value)
        if "lane" in self.element.attrib:
            del self.element.attrib["lane"]
        holder.append(self.element)
        holder.extend(self.takes)
        return holder


_CHANNEL = "audio-channel-source"
_BEHIND = frozenset({"mc-source", "mute", "filter-audio"})
"""What stands behind the adjustments of a clip or of one of its channels."""


def _place_of(tag: str) -> int:
    return _ADJUSTS.get(tag, len(_ADJUSTS) if tag in _BEHIND else -1)


def _one_of_each(placed: Placed, tag: str) -> Element:
    """Where one more adjustment of a kind goes: there is one of each on a clip, and one on each of its
    channels."""
    return next((one for one in _holders(placed) if one.find(tag) is None), placed.element)


def _holders(placed: Placed) -> list[Element]:
    return [placed.element, *(one for one in placed.rest if one.tag == _CHANNEL)]


class ClipWriter:
    """Writes the clips of one sequence."""

    def __init__(self, document: Document, resources: ResourceWriter, sequence: Sequence) -> None:
        self.document = document
        self.resources = resources
        self.sequence = sequence
        self.media = document.media_by_id
        self.sequences = document.sequences_by_id
        self._styles = 0

    def clip(self, item: Item, track: Track, lane: int | None) -> Placed:
        """Spell one item without its offset."""
        content = item.content
        if isinstance(content, Title):
            placed = self._title(item, content)
        elif isinstance(content, Generator):
            placed = self._generator(item, content)
        elif isinstance(content, NestedUse):
            placed = self._nested(item, content, track)
        elif isinstance(content, MediaUse):
            placed = self._media_clip(item, content, track)
        elif isinstance(content, Angles):
            placed = self._multi_angle(item, content, track)
        else:
            raise WriteError(f"{item.name!r} is of a kind that Lane XML cannot hold here")
        if lane is not None:
            placed.element.set("lane", str(lane))
        self._kept(placed, item)
        for marker in item.markers:
            local = exact(placed.local + self.sequence.rate.seconds(marker.start))
            placed.markers.append((local, marker_element(marker, local, self.sequence.rate)))
        return placed

    # ---- the kinds of clips

    def _element(self, tag: str, item: Item, local: Exact, **attributes: str | None) -> Element:
        said = {"name": clean(item.name)}
        said.update((key, value) for key, value in attributes.items() if value is not None)
        said["start"] = time_of(local)
        said["duration"] = time_of(self.sequence.rate.seconds(item.duration))
        if not item.enabled:
            said["enabled"] = "0"
        return etree.Element(tag, said)

    def _role(self, track: Track) -> str:
        return (track.stem or track.name or "dialogue").replace(",", " ")

    def _media_clip(self, item: Item, content: MediaUse, track: Track) -> Placed:
        media = self.media.get(content.media)
        if media is None:
            raise WriteError(f"{item.name!r} uses media that is not there")
        asset = self.resources.asset(media, self.sequence)
        sound = track.kind == "audio"
        if media.still and not sound:
            element = self._element("video", item, 3600, ref=asset)
            self._note(element, item, as_id=True)
            self._picture(element, item, media, 3600)
            return Placed(element, 3600, rest=self._effects(item, 3600))
        base = self.resources.start_of(media, self.sequence)
        local, points = self._retimed(item, base, media)
        both = all(self.resources.kinds(media))
        element = self._element(
            "asset-clip",
            item,
            local,
            ref=asset,
            srcEnable=track.kind if both else None,
            audioRole=self._role(track) if sound else None,
        )
        drop = media.drop_frame if media.drop_frame is not None else item.drop_frame
        element.set("tcFormat", "DF" if drop else "NDF")
        self._note(element, item)
        if not sound and media.rate is not None and media.rate != self.sequence.rate:
            add(element, "conform-rate", scaleEnabled="0", srcFrameRate=_RATE_LABELS.get(media.rate.label()))
        self._time_map(element, points)
        if sound:
            self._sound(
                element,
                item.sound or Sound(),
                local,
                item.duration,
                max(media.channels or 1, 1),
                self._role(track),
            )
        else:
            self._picture(element, item, media, local)
        rest = self._components(item.sound, media.channels or 1, self._role(track)) if sound else []
        return Placed(element, local, rest=[*rest, *self._effects(item, local), *_metadata(item)])

    def _nested(self, item: Item, content: NestedUse, track: Track) -> Placed:
        nested = self.sequences.get(content.sequence)
        if nested is None:
            raise WriteError(f"{item.name!r} uses a nested sequence that is not there")
        key, _ = self.resources.definition(content.sequence)
        base = nested.rate.seconds(nested.start)
        element, local = self._referring("ref-clip", key, item, base, track)
        off = [etree.Element("audio-role-source", role=clean(role), active="0") for role in content.silent]
        return Placed(element, local, rest=[*off, *self._effects(item, local), *_metadata(item)])

    def _referring(self, tag: str, key: str, item: Item, base: Exact, track: Track) -> tuple[Element, Exact]:
        """A clip that refers to a definition, with its speed and adjustments; and where its local time
        begins."""
        local, points = self._retimed(item, base, None)
        element = self._element(tag, item, local, ref=key, srcEnable=track.kind)
        self._note(element, item)
        self._time_map(element, points)
        if track.kind == "audio":
            self._sound(element, item.sound or Sound(), local, item.duration, 0, "")
        else:
            self._picture(element, item, None, local)
        return element, local

    def _multi_angle(self, item: Item, content: Angles, track: Track) -> Placed:
        key, _ = self.resources.multicam(content)
        element, local = self._referring("mc-clip", key, item, 0, track)
        if content.video is not None and content.video == content.audio:
            add(element, "mc-source", angleID=content.video, srcEnable="all")
        else:
            for angle, part in ((content.video, "video"), (content.audio, "audio")):
                if angle is not None:
                    add(element, "mc-source", angleID=angle, srcEnable=part)
        return Placed(element, local, rest=[*self._effects(item, local), *_metadata(item)])

    def _generator(self, item: Item, generator: Generator) -> Placed:
        spelled = [raw for raw in generator.raw if raw.dialect == "fcpxml"]
        if spelled:
            element = self._element("video", item, 3600, ref=self.resources.effect(*template_of(spelled)))
            put_params(element, spelled)
        else:
            effect = (
                SOLID
                if generator.kind in ("colour", "black")
                else template("generator", _GENERATORS.get(generator.kind, generator.name or "Generator"))
            )
            element = self._element("video", item, 3600, ref=self.resources.effect(*effect))
            color = generator.color or ("#000000ff" if generator.kind in ("colour", "black") else None)
            if color:
                add(
                    element,
                    "param",
                    name="Color",
                    value=" ".join(number(part) for part in color_channels(color)[:3]),
                )
        self._note(element, item, as_id=True)
        self._picture(element, item, None, 3600)
        return Placed(element, 3600, rest=self._effects(item, 3600))

    def _title(self, item: Item, title: Title) -> Placed:
        spelled = [raw for raw in title.raw if raw.dialect == "fcpxml"]
        caption = next((raw for raw in spelled if raw.tag == "caption"), None)
        if caption is not None:
            return self._caption(item, caption)
        effect = BASIC_TITLE
        if spelled:
            effect = template_of(spelled)
        elif title.roll is not None:
            effect = template("title", "Scrolling Text" if title.roll.direction == "up" else "Crawl")
        element = self._element(
            "title", item, 3600, ref=self.resources.effect(*effect), role="titles.titles-1"
        )
        x = title.origin[0] * float(self.sequence.pixel_aspect)
        add(
            element,
            "param",
            name="Position",
            key="9999/999166631/999166633/1/100/101",
            value=f"{number(x)} {number(-title.origin[1] + 0.0)}",
        )
        if title.roll is not None and title.roll.gap is not None:
            add(element, "param", name="Gap", value=number(title.roll.gap))
        put_params(element, spelled)
        fields = int(next((raw.text for raw in spelled if raw.tag == "fields"), "1"))
        self._words(element, title, fields)
        self._note(element, item)
        self._picture(element, item, None, 3600)
        return Placed(element, 3600, rest=[*self._effects(item, 3600), *_metadata(item)])

    def _words(self, element: Element, title: Title, fields: int) -> None:
        """The text in as many fields as the template has, then the styles; a run that only parts two fields
        is none itself."""
        text = add(element, "text")
        styles = []
        for run in title.runs:
            if fields > 1 and run == TextRun("\n"):
                text, fields = add(element, "text"), fields - 1
                continue
            self._styles += 1
            key = f"ts-{self.sequence.id}-{self._styles}".translate(_NO_ID)
            add(text, "text-style", run.text, ref=key)
            styles.append((key, run))
        for key, run in styles:
            write_style(add(element, "text-style-def", id=key), run)

    def _caption(self, item: Item, raw: Raw) -> Placed:
        """A caption as it stood, at its place and with its length."""
        element = verbatim(raw.text)
        if element is None:
            raise WriteError(f"{item.name!r} is a caption that cannot be written back")
        for name, value in (
            ("start", "3600s"),
            ("duration", time_of(self.sequence.rate.seconds(item.duration))),
            ("lane", None),
            ("offset", None),
            ("enabled", None if item.enabled else "0"),
        ):
            if value is not None:
                element.set(name, value)
            elif name in element.attrib:
                del element.attrib[name]
        element.set("name", clean(item.name))
        if (element.findtext("note") or "").strip() != item.note:
            for note in element.findall("note"):
                element.remove(note)
            self._note(element, item)
        self._styles += 1
        for style in element.iter("text-style-def", "text-style"):
            name = "id" if style.tag == "text-style-def" else "ref"
            if style.get(name):
                style.set(name, f"c{self._styles}-{style.get(name)}")
        return Placed(element, 3600)

    # ---- speed

    def _retimed(self, item: Item, base: Exact, media: Media | None) -> tuple[Exact, list[MapPoint]]:
        """The clip's local start and the points of its speed map; ``base`` is where the material's own time
        begins (6.2)."""
        rate = self.sequence.rate
        speed = item.speed
        if speed is NORMAL or (isinstance(speed, Constant) and speed.rate == 1):
            return exact(base + item.source_in), []
        length = rate.seconds(item.duration)
        if isinstance(speed, Variable):
            local = base
            return local, [
                MapPoint(
                    exact(local + rate.seconds(p.time)),
                    exact(base + p.source),
                    rate.seconds(p.into),
                    rate.seconds(p.out),
                )
                for p in speed.points
            ]
        if speed.rate == 0:
            value = exact(base + item.source_in)
            return base, [MapPoint(base, value), MapPoint(exact(base + length), value)]
        k = Fraction(speed.rate)
        whole: Exact = 0
        if media is not None and media.duration:
            whole = (media.rate or rate).seconds(media.duration)
        first: Exact = 0 if k > 0 else max(whole, item.source_in)
        last: Exact = max(whole, item.source_in + length * k) if k > 0 else 0
        before = exact((item.source_in - first) / k)
        # The clip begins on a whole frame of its retimed time; the map's own ends may lie between frames.
        local = exact(base + _on_frame(before, rate))
        start = exact(local - before)
        end = exact(start + Fraction(absolute(last - first)) / absolute(k))
        return local, [MapPoint(start, exact(base + first)), MapPoint(end, exact(base + last))]

    def _time_map(self, element: Element, points: list[MapPoint]) -> None:
        if points:
            block = add(element, "timeMap", frameSampling="floor")
            for one in points:
                round_ = one.into > 0 and one.out > 0
                add(
                    block,
                    "timept",
                    time=time_of(one.time),
                    value=time_of(one.value),
                    interp="smooth2" if round_ else "linear",
                    inTime=time_of(one.into) if round_ else None,
                    outTime=time_of(one.out) if round_ else None,
                )

    # ---- picture

    def _space(self, item: Item, media: Media | None) -> Space:
        frame = Raster(*self.sequence.frame_size, float(self.sequence.pixel_aspect))
        if isinstance(item.content, Title | Generator):
            return Space(frame, frame, "none")
        source = frame
        if media is not None and media.width and media.height:
            source = Raster(media.width, media.height, float(media.pixel_aspect))
        elif isinstance(item.content, NestedUse) and item.content.sequence in self.sequences:
            nested = self.sequences[item.content.sequence]
            source = Raster(*nested.frame_size, float(nested.pixel_aspect))
        return Space(frame, source, item.motion.fit if item.motion is not None else "fit")

    def _picture(self, element: Element, item: Item, media: Media | None, local: Exact) -> None:
        motion = item.motion or Motion()
        space = self._space(item, media)
        if _set(motion.crop, (0.0, 0.0, 0.0, 0.0)):
            left, top, right, bottom = (number(part) for part in space.crop_out(motion.crop.still))
            crop = add(element, "adjust-crop", mode="trim")
            rect = add(crop, "trim-rect", left=left, top=top, right=right, bottom=bottom)
            for place, side in enumerate(("left", "top", "right", "bottom")):
                self._keys(
                    rect,
                    side,
                    motion.crop,
                    local,
                    lambda value, place=place: number(space.crop_out(value)[place]),  # type: ignore[misc]
                    curved=False,
                )
        if _set(motion.corners, (0.0,) * 8):
            self._corners(element, motion.corners, space, local)
        if not isinstance(item.content, Title | Generator) and space.fit != "fit" and not _same_size(space):
            add(element, "adjust-conform", type=space.fit)
        slots: list[tuple[str, Curve, Vector, Callable[[Vector], Vector]]] = [
            ("position", motion.position, (0.0, 0.0), space.position_out),
            ("scale", motion.scale, (1.0, 1.0), lambda value: value),
            ("rotation", motion.rotation, (0.0,), lambda value: (-value[0] + 0.0,)),
            ("anchor", motion.anchor, (0.0, 0.0), space.anchor_out),
        ]
        if any(_set(curve, neutral) for _, curve, neutral, _ in slots):
            transform = add(element, "adjust-transform")
            for name, curve, neutral, convert in slots:
                if _set(curve, neutral):
                    transform.set(name, " ".join(number(part) for part in convert(curve.still)))
            for name, curve, neutral, convert in slots:
                if _set(curve, neutral):
                    self._keys(
                        transform,
                        name,
                        curve,
                        local,
                        lambda value, c=convert: " ".join(map(number, c(value))),  # type: ignore[misc]
                    )
        mode = next((code for code, name in BLEND_NUMBERS.items() if name == item.blend), 0)
        if _set(motion.opacity, (1.0,)) or mode:
            blend = add(element, "adjust-blend", amount=number(motion.opacity.still[0]))
            if mode:
                blend.set("mode", f"{mode} ({item.blend.title()})")
            self._keys(blend, "amount", motion.opacity, local, lambda value: number(value[0]))

    def _corners(self, element: Element, corners: Curve, space: Space, local: Exact) -> None:
        adjust = add(element, "adjust-corners")

        def spelled(value: Vector, place: int) -> str:
            return " ".join(number(part) for part in space.corner_out(value[2 * place : 2 * place + 2]))

        for place, corner in enumerate(CORNERS):
            adjust.set(corner, spelled(corners.still, place))
        for place, corner in enumerate(CORNERS):
            self._keys(adjust, corner, corners, local, lambda value, place=place: spelled(value, place))  # type: ignore[misc]

    def _keys(
        self,
        parent: Element,
        name: str,
        curve: Curve,
        local: Exact,
        spell: Callable[[Vector], str],
        curved: bool = True,
    ) -> None:
        if not curve.keys:
            return
        block = add(add(parent, "param", name=name), "keyframeAnimation")
        for key in anchored(curve):
            add(
                block,
                "keyframe",
                time=time_of(exact(local + self.sequence.rate.seconds(key.time))),
                value=spell(key.value),
                interp=_INTERPS.get(key.ease, "linear"),
                curve="linear" if curved else None,
            )

    # ---- sound

    def _sound(
        self, element: Element, sound: Sound, local: Exact, duration: Exact, channels: int, role: str
    ) -> None:
        if (
            sound.level.keys
            or sound.level.value != (0.0,)
            or sound.fade_in is not None
            or sound.fade_out is not None
        ):
            volume = add(element, "adjust-volume", amount=_db(sound.level.still))
            holder: Element | None = None
            if sound.level.keys:
                self._keys(volume, "amount", sound.level, local, _db, curved=False)
                holder = volume.find("param")
            for tag, fade, shape in (
                ("fadeIn", sound.fade_in, "easeIn"),
                ("fadeOut", sound.fade_out, "easeOut"),
            ):
                if fade is not None:
                    if holder is None:
                        holder = add(volume, "param", name="amount", value=_db(sound.level.still))
                    child = etree.Element(
                        tag,
                        type="linear" if fade.shape == "linear" else shape,
                        duration=time_of(self.sequence.rate.seconds(fade.duration)),
                    )
                    holder.insert(0 if tag == "fadeIn" else len(holder.findall("fadeIn")), child)
        if sound.pan is not None:
            panner = add(
                element,
                "adjust-panner",
                mode="1 (Stereo Left/Right)",
                amount=number(sound.pan.still[0] * 100),
            )
            self._keys(panner, "amount", sound.pan, local, lambda value: number(value[0] * 100), curved=False)

    def _components(self, sound: Sound | None, count: int, role: str) -> list[Element]:
        """Components are spelled where not all channels are used or one is off (9)."""
        if sound is None:
            return []
        channels = sound.channels or (1,)
        whole = tuple(range(1, count + 1))
        if channels == whole and not sound.muted:
            return []
        found = []
        for channel in dict.fromkeys((*channels, *whole)):
            on = channel in channels and channel not in sound.muted
            if channel not in channels:
                continue
            found.append(etree.Element("audio-channel-source", srcCh=str(channel), role=role))
            if not on:
                found[-1].set("active", "0")
        return found

    # ---- notes and what is kept

    def _kept(self, placed: Placed, item: Item) -> None:
        """Put back what was not understood: adjustments in their place among the others, the rest behind
        everything."""
        adjusts = [
            effect.raw
            for effect in item.effects
            if effect.raw is not None and effect.raw.tag.startswith("adjust-")
        ]
        for raw in adjusts:
            piece = verbatim(raw.text) if raw.dialect == "fcpxml" else None
            if piece is not None:
                _one_of_each(placed, str(piece.tag)).append(piece)
        for holder in _holders(placed) if adjusts else ():
            # Parameters, notes and speed stand before all adjustments and keep their order, as the sort is
            # stable.
            holder[:] = sorted(holder, key=lambda child: _place_of(str(child.tag)))
        for raw in item.raw:
            if raw.dialect != "fcpxml":
                continue
            if raw.tag == "audition":
                take = verbatim(raw.text)
                if take is not None and self.resources.relinked(take, self.sequence):
                    placed.takes.append(take)
                continue
            if raw.path:
                put_back(placed.element, raw, key_of, placed.rest)
            else:
                self._kept_whole(placed, raw)

    def _kept_whole(self, placed: Placed, raw: Raw) -> None:
        """A kept piece right inside a clip: among the markers where it belongs there, in place of our own
        spelling of the same angle or role, otherwise behind everything."""
        if raw.tag in ("rating", "keyword", "analysis-marker"):
            piece = verbatim(raw.text)
            if piece is not None:
                placed.markers.append((seconds(piece.get("start") or "0s"), piece))
            return
        if raw.tag in ("mc-source", "audio-role-source"):
            piece = verbatim(raw.text)
            if piece is None or not self.resources.relinked(piece, self.sequence):
                return
            for holder in (placed.element, placed.rest):
                for place, child in enumerate(holder):
                    if child.tag == piece.tag and key_of(child) == key_of(piece):
                        # Whether a role is heard is ours to say; what else stands there is kept.
                        if child.get("active") != piece.get("active"):
                            _same_switch(piece, child)
                        holder[place] = piece
                        return
            if placed.element.tag == "ref-clip":
                _same_switch(piece, None)
            if raw.tag == "mc-source":
                placed.element.append(piece)
            else:
                placed.rest.insert(0, piece)
            return
        whole = kept(raw.text)
        if whole is not None:
            placed.rest.append(whole)

    def _note(self, element: Element, item: Item, as_id: bool = False) -> None:
        """The note; elements without metadata carry our id there."""
        text = f"id:{item.id} {item.note}".strip() if as_id else item.note
        if text:
            add(element, "note", text)

    def _effects(self, item: Item, local: Exact) -> list[Element]:
        """Filters of this dialect, put back with their effects named anew; those that both dialects know,
        spelled."""
        found = []
        for effect in item.effects:
            if effect.raw is not None and effect.raw.dialect == "fcpxml":
                piece = verbatim(effect.raw.text) if effect.raw.tag.startswith("filter-") else None
                if piece is not None and self.resources.relinked(piece, self.sequence):
                    found.append(piece)
            elif effect.kind in BY_KIND:
                found.append(self._known_filter(effect, local))
        return found

    def _known_filter(self, effect: Effect, local: Exact) -> Element:
        known = BY_KIND[effect.kind]
        element = etree.Element(
            "filter-video",
            ref=self.resources.effect(known.name, known.name),
            name=clean(effect.name or known.name),
        )
        if not effect.enabled:
            element.set("enabled", "0")
        for name, curve in effect.settings:
            param = add(
                element, "param", name=name.title(), value=" ".join(number(part) for part in curve.still)
            )
            if curve.keys:
                block = add(param, "keyframeAnimation")
                for key in anchored(curve):
                    add(
                        block,
                        "keyframe",
                        time=time_of(exact(local + self.sequence.rate.seconds(key.time))),
                        value=" ".join(number(part) for part in key.value),
                        interp=_INTERPS.get(key.ease, "linear"),
                    )
        return element


_NO_ID = str.maketrans(dict.fromkeys(" /:@~#'\"&<>", "-"))
_GENERATORS = {
    "bars": "Bars",
    "gradient": "Gradient",
    "noise": "Noise",
    "leader": "Counting Leader",
    "timecode": "Timecode",
    "slate": "Slate",
    "tone": "Tone",
    "transparent": "Transparent",
}


def anchored(curve: Curve) -> tuple[Key, ...]:
    """The keys of a curve, with one more at the item's start where all lie before it: times that are all
    before the start are read as counting from it (8)."""
    keys = curve.keys
    return (*keys, Key(0, keys[-1].value)) if keys and keys[-1].time < 0 else keys


def _metadata(item: Item) -> list[Element]:
    holder = etree.Element("holder")
    pairs = {key: value for key, value in item.metadata if not value.startswith("STEM: ")}
    write_metadata(holder, {**pairs, "wexodos.id": item.id})
    return list(holder)


def _on_frame(seconds: Exact, rate: Rate) -> Exact:
    frames = rate.frames(seconds)
    return rate.seconds(frames if isinstance(frames, int) else frames.numerator // frames.denominator)


def _set(curve: Curve, neutral: Vector) -> bool:
    return bool(curve.keys) or curve.value != neutral


def _same_size(space: Space) -> bool:
    """Whether every fit mode gives the same picture."""
    width, height = space.fitted
    fit = Space(space.frame, space.source, "fit").fitted
    return abs(width - fit[0]) < 1e-6 and abs(height - fit[1]) < 1e-6


def _db(value: Vector) -> str:
    level = value[0]
    return (
        f"{number(max(SILENCE_DB, min(MAX_DB, level)))}dB" if level != float("-inf") else f"{SILENCE_DB:g}dB"
    )


def _same_switch(piece: Element, ours: Element | None) -> None:
    """Switch a kept role on or off as our own spelling of it is; on where we do not spell it."""
    active = ours.get("active") if ours is not None else None
    if active is None:
        if "active" in piece.attrib:
            del piece.attrib["active"]
    else:
        piece.set("active", active)
